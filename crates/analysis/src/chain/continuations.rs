//! Lists of links of which each is handed the way on to the next one: `links[i](request, () => go(i + 1))`.

use yarrowgraph_ir::{Body, Name, Node, NodeId, UnaryOp};

use super::walks::{Ends, Walk, element_of_list, is_of_own_kind, own_list};
use crate::flow::{Flow, Val};
use crate::program::{Declared, Kinds, MemberId, Scope, Site};
use crate::state;

/// Finds the calls that hand a link of a list the way on.
pub(super) fn find(flow: &Flow<'_>) -> Vec<Walk> {
    let program = flow.program;
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body_with(member, Kinds::CALL) else { continue };
        let scope = program.scope(member);
        for at in body.ids() {
            let Node::Call { callee, args, .. } = body.node(at) else { continue };
            if args.len == 0 {
                continue;
            }
            let (element, method) = match body.node(callee) {
                Node::Member { object, name, .. } => (object, Some(program.sym_in(member, name))),
                _ => (callee, None),
            };
            if let Some((list, way)) = folded(flow, member, body, scope, at, element) {
                let site = Site { member, node: at };
                found.push(Walk { walk: site, list: Some(list), given: None, method, asks: site, ends: Ends::WayOn(way) });
                continue;
            }
            let (list, given) = match list_of(flow, member, body, scope, element) {
                Some(list) => (Some(list), None),
                None => match given_list(body, scope, element) {
                    Some(given) => (None, Some(given)),
                    None => continue,
                },
            };
            // a whole tells its parts whose they are
            if list.is_some_and(|list| is_of_own_kind(flow, list)) {
                continue;
            }
            if let Some(way) = body.list(args).iter().position(|a| leads_on(flow, member, body, scope, at, *a)) {
                let site = Site { member, node: at };
                found.push(Walk { walk: site, list, given, method, asks: site, ends: Ends::WayOn(way) });
            }
        }
    }
    found
}

/// Where functions are made from the last link to the first, each with the one behind it:
/// `links.reduceRight((next, link) => request => link.take(request, next), end)`. The list, and which argument of the call is the way on.
fn folded(flow: &Flow<'_>, member: MemberId, body: &Body, scope: &Scope, call: NodeId, element: NodeId) -> Option<(MemberId, usize)> {
    let Node::Name(link) = body.node(element) else { return None };
    let Declared::Param(Some(step), of_link) = scope.lookup(link, element)? else { return None };
    // it is called in a function that the step makes
    if scope.function_around(body, call)? == step {
        return None;
    }
    let Node::Call { args, .. } = body.node(call) else { return None };
    let is_next = |a: &NodeId| match body.node(*a) {
        Node::Name(name) => matches!(scope.lookup(name, *a), Some(Declared::Param(Some(f), index)) if f == step && index != of_link),
        _ => false,
    };
    let way = body.list(args).iter().position(is_next)?;
    let function = scope.ancestors(call).find(|n| matches!(body.node(*n), Node::Lambda(f) if f == step))?;
    let Node::Call { callee, .. } = body.node(scope.parent(function)?) else { return None };
    let Node::Member { object, name, .. } = body.node(callee) else { return None };
    let pack = &flow.program.kit_of(member).pack;
    let text = |name| flow.program.unit_of(member).text(name);
    if !pack.folds.contains(text(name)) && !pack.folds_back.contains(text(name)) {
        return None;
    }
    let (list, turned) = untouched(flow, member, body, object);
    // the first link is made last
    if turned == pack.folds_back.contains(text(name)) {
        return None;
    }
    Some((own_list(flow, member, list)?, way))
}

/// The list behind copies of it, and whether it is turned round on the way: `[...links].reverse()`.
fn untouched(flow: &Flow<'_>, member: MemberId, body: &Body, list: NodeId) -> (NodeId, bool) {
    let pack = &flow.program.kit_of(member).pack;
    let (mut node, mut turned) = (list, false);
    loop {
        node = match body.node(node) {
            Node::Call { callee, args, .. } => match body.node(callee) {
                Node::Member { object, name, .. } => {
                    let text = flow.program.unit_of(member).text(name);
                    if pack.turns.contains(text) {
                        turned = !turned;
                    } else if !pack.copies.contains(text) {
                        return (node, turned);
                    }
                    // `Enumerable.Reverse(steps)`
                    match (flow.eval_in(member, object), body.list(args)) {
                        (Val::Global(_), [list]) => *list,
                        _ => object,
                    }
                }
                _ => return (node, turned),
            },
            Node::Collection { items, .. } => match body.list(items) {
                [only] => match body.node(*only) {
                    Node::Unary { op: UnaryOp::Spread, operand } => operand,
                    _ => return (node, turned),
                },
                _ => return (node, turned),
            },
            _ => return (node, turned),
        };
    }
}

/// The field that holds the list which an element is taken from by its place, directly or by a local.
fn list_of(flow: &Flow<'_>, member: MemberId, body: &Body, scope: &Scope, element: NodeId) -> Option<MemberId> {
    match body.node(element) {
        Node::Index { object, .. } => own_list(flow, member, object),
        Node::Name(name) => match scope.lookup(name, element)? {
            Declared::Local(local) => match body.node(local) {
                Node::Local { init: Some(value), .. } if matches!(body.node(value), Node::Index { .. } | Node::Call { .. }) => {
                    list_of(flow, member, body, scope, value)
                }
                // walked from the last one on, each put before what is there
                Node::Local { init: None, .. } => match body.node(scope.parent(local)?) {
                    Node::ForEach { var, iterable, .. } if var == local => {
                        let (list, turned) = untouched(flow, member, body, iterable);
                        own_list(flow, member, list).filter(|_| turned)
                    }
                    _ => None,
                },
                _ => None,
            },
            _ => None,
        },
        // `filters.get(at++)`
        Node::Call { args, .. } if args.len == 1 => element_of_list(flow, member, element),
        _ => None,
    }
}

/// The parameter of the method by which it is handed the list that an element is taken from by its place.
fn given_list(body: &Body, scope: &Scope, element: NodeId) -> Option<u16> {
    match body.node(element) {
        Node::Index { object, .. } => match body.node(object) {
            Node::Name(name) => match scope.lookup(name, object)? {
                Declared::Param(None, index) => Some(index),
                _ => None,
            },
            _ => None,
        },
        Node::Name(name) => match scope.lookup(name, element)? {
            Declared::Local(local) => match body.node(local) {
                Node::Local { init: Some(value), .. } if matches!(body.node(value), Node::Index { .. }) => given_list(body, scope, value),
                _ => None,
            },
            Declared::Param(..) => None,
        },
        _ => None,
    }
}

/// Whether an argument leads back to the function that the call stands in: a function that calls it, or itself with
/// its argument bound.
fn leads_on(flow: &Flow<'_>, member: MemberId, body: &Body, scope: &Scope, call: NodeId, argument: NodeId) -> bool {
    let around: Vec<NodeId> = scope.ancestors(call).collect();
    let own_name = |name: Name, at: NodeId| match scope.lookup(name, at) {
        Some(Declared::Local(local)) => around.contains(&local),
        _ => false,
    };
    let is_own = |n: NodeId| match body.node(n) {
        Node::Name(name) => own_name(name, n),
        _ => false,
    };
    let calls_own = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } => is_own(callee) || flow.callee(Site { member, node: n }).is_some_and(|c| c.member == member),
        _ => false,
    };
    match body.node(argument) {
        // the function itself, or the object, which keeps count on its own
        Node::Name(name) => {
            is_own(argument) || is_anew(flow, member, body, scope, name, argument) || is_former(body, scope, call, name, argument)
        }
        Node::New { .. } => is_own_class(flow, member, argument),
        // in a loop it is the loop that goes on
        Node::This => scope.function_around(body, call).is_none() && !flow.program.in_loop(Site { member, node: call }),
        Node::Lambda(_) => state::any_within(body, argument, &calls_own),
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { object, name, .. } => is_own(object) && flow.program.text(flow.program.sym_in(member, name)) == "bind",
            // `const at = i => request => links[i](request, at(i + 1))`
            Node::Name(name) => makes_the_way(body, scope, call, name, callee),
            _ => false,
        },
        _ => false,
    }
}

/// Whether a name is that of the local function that makes, for a place, the function that a call stands in.
fn makes_the_way(body: &Body, scope: &Scope, call: NodeId, name: Name, at: NodeId) -> bool {
    let Some(Declared::Local(local)) = scope.lookup(name, at) else { return false };
    let Node::Local { init: Some(init), .. } = body.node(local) else { return false };
    let mut functions = scope.ancestors(call).filter(|n| matches!(body.node(*n), Node::Lambda(_)));
    functions.next().is_some() && functions.next() == Some(init)
}

/// Whether a local keeps what a variable held before the function around a call took its place:
/// `const next = chain; chain = request => link.take(request, next);`
fn is_former(body: &Body, scope: &Scope, call: NodeId, name: Name, at: NodeId) -> bool {
    let Some(Declared::Local(local)) = scope.lookup(name, at) else { return false };
    let Node::Local { init: Some(init), .. } = body.node(local) else { return false };
    let Node::Name(chain) = body.node(init) else { return false };
    let function = scope.ancestors(call).find(|n| matches!(body.node(*n), Node::Lambda(_)));
    let Some(Node::Assign { target, .. }) = function.and_then(|f| scope.parent(f)).map(|p| body.node(p)) else { return false };
    matches!(body.node(target), Node::Name(grown) if scope.lookup(grown, target) == scope.lookup(chain, init))
}

/// Whether a local is given an object of the class that the method is of, made anew for each step.
fn is_anew(flow: &Flow<'_>, member: MemberId, body: &Body, scope: &Scope, name: Name, at: NodeId) -> bool {
    let Some(Declared::Local(local)) = scope.lookup(name, at) else { return false };
    matches!(body.node(local), Node::Local { init: Some(value), .. } if matches!(body.node(value), Node::New { .. }) && is_own_class(flow, member, value))
}

fn is_own_class(flow: &Flow<'_>, member: MemberId, made: NodeId) -> bool {
    flow.type_of_node(member, made).own() == Some(flow.program.member(member).owner)
}
