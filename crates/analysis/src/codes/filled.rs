//! What statements put into maps, each under a key.

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{Node, NodeId};

use super::tables::{entry, parameter};
use super::{Entry, own_codes};
use crate::flow::Val;
use crate::machine::{State, literal_at};
use crate::program::{Kinds, MemberId, Site, Sym, Ty};
use crate::wire::Wiring;

/// What is put into each map by statements, under constant keys; none for a map where keys come that are not known.
pub(super) type Filled = FxHashMap<MemberId, Option<Vec<Entry>>>;

/// A statement that puts something under a key.
pub(super) struct Put {
    map: Site,
    /// Under which key.
    pub(super) key: Site,
    /// What is put.
    pub(super) value: Site,
}

/// Finds what is put into maps. The maps are only evaluated where something of their name is given what selects.
pub(super) fn all_filled(wiring: &Wiring<'_>) -> Filled {
    let (flow, program) = (&wiring.flow, wiring.program());
    let members = 0..program.members.len();
    let puts: Vec<(Sym, Put)> = members.into_par_iter().flat_map_iter(|i| puts_of(wiring, MemberId(i as u32))).collect();
    let mut by_name: FxHashMap<Sym, Vec<Put>> = FxHashMap::default();
    for (name, put) in puts {
        by_name.entry(name).or_default().push(put);
    }
    let can_select = |p: &&Put| {
        let node = program.body(p.value.member).map(|b| b.node(p.value.node));
        matches!(
            node,
            Some(
                Node::Lambda(_)
                    | Node::Object(_)
                    | Node::New { .. }
                    | Node::MethodRef { .. }
                    | Node::Call { .. }
                    | Node::Name(_)
                    | Node::Member { .. }
            )
        )
    };
    // a single statement may put in as many as a walk goes through: `byName[name] = …`
    let is_computed = |p: &Put| program.body(p.key.member).is_some_and(|b| matches!(b.node(p.key.node), Node::Name(_)));
    by_name.retain(|_, puts| {
        puts.iter().filter(can_select).count() >= 2
            || puts.iter().any(|p| is_computed(p) && can_select(&p))
            || puts.iter().any(|p| handed_in(wiring, p).is_some() || own_codes::handed_in(wiring, p).is_some())
    });
    let found: Vec<(MemberId, Option<Entry>)> = by_name
        .into_values()
        .collect::<Vec<_>>()
        .into_par_iter()
        .flat_map_iter(|puts| {
            // what holds several under one key selects none
            let one = |p: Put| match flow.eval(p.map) {
                Val::Member(_, m) | Val::Static(m) if !flow.is_multi_map(m) => Some((m, p)),
                _ => None,
            };
            puts.into_iter().filter_map(one).flat_map(|(m, p)| entered(wiring, m, &p).into_iter().map(move |e| (m, e))).collect::<Vec<_>>()
        })
        .collect();
    let mut filled = Filled::default();
    for (m, entry) in found {
        let all = filled.entry(m).or_insert_with(|| Some(Vec::new()));
        match (entry, all.as_mut()) {
            (Some(entry), Some(all)) => all.push(entry),
            (None, _) => *all = None,
            (Some(_), None) => {}
        }
    }
    for entries in filled.values_mut().flatten() {
        entries.sort_by_key(|e| e.place);
    }
    filled
}

/// The entries that a statement makes in a map; none for a key that is not known.
fn entered(wiring: &Wiring<'_>, map: MemberId, put: &Put) -> Vec<Option<Entry>> {
    let flow = &wiring.flow;
    // what is called back from there is told as a channel is
    let is_channel = || wiring.channels.iter().any(|c| c.key.holder().1 == Some(map));
    let is_seen = |method: MemberId| {
        !wiring.is_open && !flow.callers((method, None)).is_empty() && !is_channel() && !may_be_called_unseen(wiring, method)
    };
    if let Some((method, value, asked)) = own_codes::handed_in(wiring, put) {
        if !is_seen(method) {
            return vec![None];
        }
        let given = |call: &Site| own_codes::entered(wiring, flow.argument(*call, usize::from(value))?, asked);
        return flow.callers((method, None)).iter().map(|(call, _)| given(call)).collect();
    }
    // a list of listeners may be told of which kind each is, too
    let of_kind = |e: &Entry| !matches!(e.code, State::Class(_)) || wiring.program().is_map(&wiring.flow.type_held(map));
    let Some((method, key, part, value)) = handed_in(wiring, put) else {
        return vec![entry(wiring, put.key, put.value).filter(of_kind)];
    };
    if !is_seen(method) {
        return vec![None];
    }
    let callers = flow.callers((method, None));
    // an object that a caller has made before is what it was made by
    let made = |value: Site| if let Val::New(made) = flow.eval(value) { made } else { value };
    let key_of = |call: Site| {
        let given = flow.argument(call, usize::from(key))?;
        match part {
            None => Some(given),
            Some(part) => flow.entry_of_literal(literal_at(flow, given)?, part),
        }
    };
    let given = |call: Site| Some((key_of(call)?, flow.argument(call, usize::from(value))?));
    callers.iter().map(|(call, _)| given(*call).and_then(|(key, value)| entry(wiring, key, made(value)).filter(of_kind))).collect()
}

/// The method whose callers say both what is put and under which key, with the positions of these two. What names the key may be a
/// part of what is handed in: `handlers.set(command.id, handler)`.
fn handed_in(wiring: &Wiring<'_>, put: &Put) -> Option<(MemberId, u16, Option<Sym>, u16)> {
    let program = wiring.program();
    let member = put.key.member;
    let (object, part) = match program.body(member)?.node(put.key.node) {
        Node::Member { object, name, .. } => (object, Some(program.sym_in(member, name))),
        _ => (put.key.node, None),
    };
    let (method, key) = parameter(wiring, member, object)?;
    let (_, value) = parameter(wiring, put.value.member, put.value.node)?;
    (part.is_none() || key != value).then_some((method, key, part, value))
}

/// Whether a method of the name is called on something of which nothing is known.
fn may_be_called_unseen(wiring: &Wiring<'_>, method: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    program.index.reads(program.member(method).name).iter().any(|read| {
        let node = program.body(read.member).map(|b| b.node(read.node));
        matches!(node, Some(Node::Member { object, .. }) if flow.type_of_node(read.member, object) == Ty::Unknown)
    })
}

/// The statements of a member that put something under a key, with the name of what they put it into.
fn puts_of(wiring: &Wiring<'_>, member: MemberId) -> Vec<(Sym, Put)> {
    let program = wiring.program();
    let Some(body) = program.body_with(member, Kinds::CALL | Kinds::INDEX) else { return Vec::new() };
    let pack = &program.kit_of(member).pack;
    let mut found = Vec::new();
    for node in body.ids() {
        let (map, key, value) = match body.node(node) {
            Node::Call { callee, args, .. } if args.len == 2 => match (body.node(callee), body.list(args)) {
                (Node::Member { object, name, .. }, [key, value]) if pack.adds.contains(program.unit_of(member).text(name)) => {
                    (object, *key, *value)
                }
                _ => continue,
            },
            Node::Assign { target, value, .. } => match body.node(target) {
                Node::Index { object, keys, .. } => match body.list(keys) {
                    [key] => (object, *key, value),
                    _ => continue,
                },
                _ => continue,
            },
            _ => continue,
        };
        let name = match body.node(map) {
            Node::Name(name) | Node::Member { name, .. } => program.sym_in(member, name),
            _ => continue,
        };
        let at = |node: NodeId| Site { member, node };
        found.push((name, Put { map: at(map), key: at(key), value: at(value) }));
    }
    found
}
