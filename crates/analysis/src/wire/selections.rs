//! Elements of a page that a selector picks (`$('#loans')`), and what is done to them by a library that wraps them: events in one text,
//! with names behind a dot that only tell subscriptions apart, and handlers that are told of what happens below the element.

use std::sync::Arc;

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::Certainty;

use super::effect::{Act, Effect, Event, Holder};
use super::extract::Extractor;
use crate::flow::{Flow, Val};
use crate::program::{Site, Sym};

/// How many names and steps of a selection are followed.
const HOPS: usize = 6;
/// Methods that put handlers of events on, take them off and tell them.
const EVENT_METHODS: [&str; 9] = ["on", "bind", "one", "delegate", "off", "unbind", "undelegate", "trigger", "triggerHandler"];
/// What stands between an element and what its handlers are told of below it.
const BELOW: &str = " » ";

/// What a value picks, as a text that is the same wherever it is picked; none where it is no selection.
pub fn picked(flow: &Flow<'_>, value: &Val) -> Option<String> {
    let program = flow.program;
    // most trees name no such function at all
    program.packs().flat_map(|p| p.selectors.iter()).find(|name| program.symbols.get(name).is_some())?;
    within(flow, value, HOPS).map(|text| format!("$({text})"))
}

/// The bus of the element itself, of one for what is told of something below it.
pub(super) fn element_of(bus: &str) -> Option<String> {
    Element::of(bus).filter(|e| e.below.is_some()).map(|e| format!("$({})", e.whole))
}

/// What a bus of a selection is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Element<'a> {
    /// The element that handlers are put on.
    pub whole: &'a str,
    /// What below it they are told of, where that is not the element itself.
    pub below: Option<&'a str>,
}

impl<'a> Element<'a> {
    /// Reads it from the name of a bus.
    pub fn of(bus: &'a str) -> Option<Self> {
        let inner = bus.strip_prefix("$(")?.strip_suffix(')')?;
        Some(match inner.split_once(BELOW) {
            Some((whole, below)) => Self { whole, below: Some(below) },
            None => Self { whole: inner, below: None },
        })
    }

    /// Whether one of two is what the other is told of below it.
    pub fn is_mistaken_for(&self, other: &Element<'_>) -> bool {
        let is_below = |around: &Element<'_>, element: &Element<'_>| {
            around.below.is_some_and(|below| {
                let rest = element.whole.strip_suffix(below);
                element.below.is_none() && rest.is_some_and(|rest| rest.is_empty() || rest.trim_end() == around.whole)
            })
        };
        is_below(self, other) || is_below(other, self)
    }
}

fn within(flow: &Flow<'_>, value: &Val, hops: usize) -> Option<String> {
    let hops = hops.checked_sub(1)?;
    let program = flow.program;
    match value {
        Val::Call(site) => {
            let body = program.body(site.member)?;
            let Node::Call { callee, args, .. } = body.node(site.node) else { return None };
            let pack = &program.kit_of(site.member).pack;
            let text = |name| program.unit_of(site.member).text(name);
            let first = body.list(args).first().copied();
            match body.node(callee) {
                Node::Name(name) if pack.selectors.contains(text(name)) && flow.callee(*site).is_none() => {
                    first.map(|arg| selector(flow, Site { member: site.member, node: arg }, hops))
                }
                Node::Member { object, name, .. } => {
                    let of = within(flow, &flow.eval_in(site.member, object), hops)?;
                    match first {
                        _ if pack.selection_chained.contains(text(name)) => Some(of),
                        Some(arg) if pack.selection_steps.contains(text(name)) => {
                            Some(format!("{of} {}", selector(flow, Site { member: site.member, node: arg }, hops)))
                        }
                        None if pack.selection_steps.contains(text(name)) => Some(format!("{of} {}()", text(name))),
                        _ => None,
                    }
                }
                _ => None,
            }
        }
        // what is found below it is looked up like an element of a collection
        Val::Element(of, Some(key)) => match **key {
            Val::Str(text) => Some(format!("{} {}", within(flow, of, hops)?, program.text(text))),
            _ => None,
        },
        Val::Outside(of, name) if program.text(*name).starts_with(BELOW.trim()) => {
            Some(format!("{} {}", within(flow, of, hops)?, program.text(*name)))
        }
        Val::Local(site) => match program.body(site.member)?.node(site.node) {
            Node::Local { init: Some(init), .. } => within(flow, &flow.eval_in(site.member, init), hops),
            _ => None,
        },
        Val::Member(_, field) | Val::Static(field) => {
            let given = flow.only_definition(*field).map(|d| flow.eval(d));
            let of_given = given.filter(|g| !matches!(g, Val::Param(..))).and_then(|g| within(flow, &g, hops));
            of_given.or_else(|| is_named_so(flow, *field).then(|| program.member_id(*field)))
        }
        Val::Param(member, None, index) => {
            let param = program.decl(*member).params.get(*index as usize)?;
            let name = program.unit_of(*member).text(param.name);
            starts_with_sign(name).then(|| format!("{}.{name}", program.member_id(*member)))
        }
        _ => None,
    }
}

/// A selector, or what stands for elements in its place.
fn selector(flow: &Flow<'_>, site: Site, hops: usize) -> String {
    match flow.eval(site) {
        Val::Str(text) => flow.program.text(text).trim_matches(['"', '\'']).to_owned(),
        other => within(flow, &other, hops).unwrap_or_else(|| flow.show(&other)),
    }
}

/// Whether a member is named as those that hold selections are by custom.
fn is_named_so(flow: &Flow<'_>, field: crate::program::MemberId) -> bool {
    starts_with_sign(flow.program.text(flow.program.member(field).name))
}

fn starts_with_sign(name: &str) -> bool {
    name.len() > 1 && name.trim_start_matches(['_', '#']).starts_with('$')
}

/// What a call does to a selection; none where it is no call about events.
pub(super) fn effects(x: &Extractor<'_, '_>, node: NodeId, method: &str, object: NodeId, args: &[NodeId]) -> Option<Vec<Effect>> {
    let program = x.flow.program;
    let pack = &program.kit_of(x.member).pack;
    let is_shorthand = pack.selection_events.contains(method) && args.len() == 1;
    if pack.selectors.iter().next().is_none() || !(EVENT_METHODS.contains(&method) || is_shorthand) {
        return None;
    }
    let subject = &x.eval(object);
    picked(x.flow, subject)?;
    let function = args.iter().copied().find(|a| x.flow.function_of(&x.eval(*a)).is_some());
    let (act, once) = match method {
        "on" | "bind" | "one" | "delegate" => (Act::Join, method == "one"),
        "off" | "unbind" | "undelegate" => (if function.is_some() { Act::Leave } else { Act::LeaveAll }, false),
        "trigger" | "triggerHandler" => (Act::Raise, false),
        // `.click(f)`
        _ if is_shorthand && function == args.first().copied() => {
            let holder = Holder { subject: subject.clone(), event: Event::Bus, key: program.symbols.get(method).map(Val::Str) };
            return Some(vec![tied(x, Effect::new(Act::Join, holder, x.site(node)), function)]);
        }
        _ => return None,
    };
    let texts: Vec<(Sym, NodeId)> = args.iter().filter_map(|a| Some((x.flow.text_of(&x.eval(*a))?, *a))).collect();
    let (events, below) = match (method, &texts[..]) {
        ("delegate" | "undelegate", [(below, _), (events, _), ..]) => (Some(*events), Some(*below)),
        ("trigger" | "triggerHandler", [(events, _), ..]) => (Some(*events), None),
        (_, [(events, at), (below, _), ..]) if Some(at) == args.first() => (Some(*events), Some(*below)),
        (_, [(events, at)]) if Some(at) == args.first() => (Some(*events), None),
        _ => (None, None),
    };
    if act == Act::Join && function.is_none() || (events.is_none() && !(act == Act::LeaveAll && args.is_empty())) {
        return None;
    }
    let subject = match below {
        Some(below) if !program.text(below).is_empty() => {
            let mark = program.symbols.get(&format!("{}{}", BELOW.trim_start(), program.text(below)))?;
            Val::Outside(Arc::new(subject.clone()), mark)
        }
        _ => subject.clone(),
    };
    let all = events.map_or("", |e| program.text(e));
    let parts: Vec<&str> = if events.is_some() { all.split_whitespace().collect() } else { vec![""] };
    let each = parts.into_iter().map(|part| {
        let (event, space) = part.split_once('.').map_or((part, None), |(event, space)| (event, Some(space)));
        let key = if event.is_empty() { None } else { Some(Val::Str(program.symbols.get(event)?)) };
        let holder = Holder { subject: subject.clone(), event: Event::Bus, key };
        let mut effect = Effect::new(act, holder, x.site(node));
        effect.once = once;
        effect.space = space.and_then(|s| program.symbols.get(s));
        Some(tied(x, effect, function))
    });
    each.collect()
}

fn tied(x: &Extractor<'_, '_>, mut effect: Effect, function: Option<NodeId>) -> Effect {
    effect.handler = function.map(|f| x.eval(f));
    effect.handler_node = function.map(|f| x.site(f));
    effect.certainty = Certainty::Certain;
    effect
}
