//! Channels that are objects by themselves and are handed over: which ones they are, as far as callers show it.

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{FunctionId, Node};

use super::spread::callable_key;
use crate::flow::{Binding, Flow, Val};
use crate::program::{MemberId, Site, Ty};

/// How many hands an object is followed through.
const HANDS: usize = 6;

/// An object that a value may be.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Object {
    /// The object, as whoever hands it over knows it.
    pub value: Val,
    /// How it is handed over.
    pub hand: Option<Hand>,
}

/// How a channel comes to where something is done to it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Hand {
    /// The call that hands it over, or what a field is given.
    pub at: Site,
    /// The fields that keep it on its way.
    pub fields: Vec<MemberId>,
}

/// How channels come to where something is done to them, by the member that holds them.
pub(super) type Hands = FxHashMap<MemberId, Vec<Hand>>;

/// The objects that a value may be, where it is a parameter or a field that only ever holds what it is handed. Values that nothing is
/// known of are left out, and any other value is what it is.
pub(super) fn objects(flow: &Flow<'_>, value: &Val) -> Vec<Object> {
    let (mut found, mut seen) = (Vec::new(), FxHashSet::default());
    let mut reached = vec![Object { value: value.clone(), hand: None }];
    for _ in 0..=HANDS {
        for object in std::mem::take(&mut reached) {
            if matches!(object.value, Val::Unknown | Val::Null) || !seen.insert(object.value.clone()) {
                continue;
            }
            let Some(values) = handed(flow, &object.value) else {
                found.push(object);
                continue;
            };
            let mut fields = object.hand.map(|hand| hand.fields).unwrap_or_default();
            if let Val::Member(_, field) | Val::Static(field) = object.value {
                fields.push(field);
            }
            reached.extend(values.into_iter().map(|(at, value)| Object { value, hand: Some(Hand { at, fields: fields.clone() }) }));
        }
    }
    found.retain(|object| !matches!(object.value, Val::Param(..)));
    found.sort_unstable();
    found
}

/// What a value is handed by others, and where; nothing where nobody does or where it may be something else.
fn handed(flow: &Flow<'_>, value: &Val) -> Option<Vec<(Site, Val)>> {
    match value {
        Val::Param(member, function, _) => {
            Some(givers(flow, *member, *function)?.iter().map(|(call, binding)| (*call, value.substitute(binding))).collect())
        }
        Val::Member(_, field) | Val::Static(field) => {
            let values = held(flow, *field)?;
            let is_handed = |value: &Val| match value {
                Val::Param(member, function, _) => givers(flow, *member, *function).is_some(),
                _ => true,
            };
            values.iter().any(|(_, value)| is_handed(value)).then_some(values)
        }
        Val::Element(of, None) => match flow.values_in(of) {
            Some(values) => from_elsewhere(flow, &values, None),
            None => Some(handed(flow, of)?.into_iter().map(|(at, of)| (at, Val::Element(of.into(), None))).collect()),
        },
        _ => None,
    }
}

/// Who calls the function that has a parameter, and with what; nothing where nobody does.
fn givers<'f>(flow: &'f Flow<'_>, member: MemberId, function: Option<FunctionId>) -> Option<&'f [(Site, Binding)]> {
    let callers = flow.callers(callable_key(flow, member, function)?);
    (!callers.is_empty()).then_some(callers)
}

/// What a field is given, where all of it comes from parameters and other fields.
fn held(flow: &Flow<'_>, field: MemberId) -> Option<Vec<(Site, Val)>> {
    let is_nothing = |member, node| flow.program.body(member).is_some_and(|body| matches!(body.node(node), Node::Null));
    let given: Vec<Site> = flow.definitions(field).iter().copied().filter(|site| !is_nothing(site.member, site.node)).collect();
    from_elsewhere(flow, &given, Some(field))
}

/// The values at some places, where all of them come from parameters and fields other than one.
fn from_elsewhere(flow: &Flow<'_>, places: &[Site], field: Option<MemberId>) -> Option<Vec<(Site, Val)>> {
    let values: Vec<(Site, Val)> = places.iter().map(|site| (*site, flow.eval(*site))).collect();
    let is_from_elsewhere = |value: &Val| match value {
        Val::Param(..) => true,
        Val::Member(_, other) | Val::Static(other) => Some(*other) != field,
        _ => false,
    };
    (!values.is_empty() && values.iter().all(|(_, value)| is_from_elsewhere(value))).then_some(values)
}

/// Whether a value is an object of a library that is a channel by itself.
pub(super) fn is_channel_of_library(flow: &Flow<'_>, member: MemberId, value: &Val) -> bool {
    let idioms = &flow.program.kit_of(member).pack.idioms;
    matches!(flow.type_of(value), Ty::Outside(name, _) if idioms.is_channel_type(flow.program.text(name)))
}

/// Whether a value is a channel of a library in a field that only ever holds what its object was handed.
pub(super) fn is_handed_in(flow: &Flow<'_>, member: MemberId, value: &Val) -> bool {
    let Val::Member(_, field) = value else { return false };
    let all_given = |values: Vec<(Site, Val)>| values.iter().all(|(_, value)| matches!(value, Val::Param(..)));
    is_channel_of_library(flow, member, value) && held(flow, *field).is_some_and(all_given)
}
