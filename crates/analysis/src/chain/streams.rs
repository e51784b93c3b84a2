//! Walks over a list of links by functions of a library: `links.some(l => l.take(request))`,
//! `links.stream().map(l -> l.answer(request)).filter(Optional::isPresent).findFirst()`.

use yarrowgraph_ir::{Body, FunctionId, Node, NodeId, UnaryOp};

use super::walks::{Ends, Walk, ask, may_be_links, own_list};
use crate::flow::Flow;
use crate::program::{Kinds, MemberId, Scope, Site, Sym};

/// Finds the walks.
pub(super) fn find(flow: &Flow<'_>) -> Vec<Walk> {
    let program = flow.program;
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body_with(member, Kinds::LAMBDA) else { continue };
        for at in body.ids() {
            let Node::Call { callee, args, .. } = body.node(at) else { continue };
            let (Node::Member { object, name, .. }, [only]) = (body.node(callee), body.list(args)) else { continue };
            let Node::Lambda(function) = body.node(*only) else { continue };
            let text = program.unit_of(member).text(name);
            let pack = &program.kit_of(member).pack;
            let (until_true, until_false, maps) =
                (pack.until_true.contains(text), pack.until_false.contains(text), pack.maps.contains(text));
            // `links.find(l => l.accepts(request))?.take(request)`, `links.stream().filter(…).findFirst()`
            let finds = pack.firsts.contains(text) || pack.filters.contains(text);
            if !until_true && !until_false && !maps && !finds {
                continue;
            }
            let Some((asks, method, holds)) = answer_of(flow, member, body, function) else { continue };
            let ends = if finds {
                (holds && hands_it_the_request(flow, member, body, at)).then_some(Ends::Any)
            } else if maps {
                takes_first(flow, member, body, program.scope(member), at).then_some(Ends::Any)
            } else {
                Some(if until_true == holds { Ends::Any } else { Ends::Nothing })
            };
            let walked = if finds { unstreamed(body, object) } else { object };
            if let Some(ends) = ends
                && let Some(list) = own_list(flow, member, walked)
                && may_be_links(flow, member, walked)
            {
                let walk = Site { member, node: at };
                found.push(Walk { walk, list: Some(list), given: None, method, asks: Site { member, node: asks }, ends });
            }
        }
    }
    found
}

/// The list of which a stream is made: `links` in `links.stream()`.
fn unstreamed(body: &Body, list: NodeId) -> NodeId {
    match body.node(list) {
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Member { object, .. } => object,
            _ => list,
        },
        _ => list,
    }
}

/// Whether the first element that fits is handed something at once.
fn hands_it_the_request(flow: &Flow<'_>, member: MemberId, body: &Body, found: NodeId) -> bool {
    let scope = flow.program.scope(member);
    let pack = &flow.program.kit_of(member).pack;
    let first = match body.node(found) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } if pack.firsts.contains(flow.program.unit_of(member).text(name)) => Some(found),
            _ => first_of(flow, member, body, scope, found).map(|(call, _)| call),
        },
        _ => None,
    };
    let Some(mut node) = first else { return false };
    while let Some(parent) = scope.parent(node) {
        match body.node(parent) {
            Node::Unary { op: UnaryOp::NonNull | UnaryOp::Await, .. } | Node::Cast { .. } => node = parent,
            Node::Member { object, name, .. } if object == node => {
                let Some(call) = scope.parent(parent) else { return false };
                let Node::Call { callee, args, .. } = body.node(call) else { return false };
                if callee != parent {
                    return false;
                }
                // `.orElseThrow()`, `.map(l -> l.take(request))`
                let text = flow.program.unit_of(member).text(name);
                if pack.unwraps.contains(text) && args.len == 0 {
                    node = call;
                    continue;
                }
                return args.len > 0;
            }
            _ => return false,
        }
    }
    false
}

/// The call by which a function asks its element, of which it gives back what that answers or the contrary.
fn answer_of(flow: &Flow<'_>, member: MemberId, body: &Body, function: FunctionId) -> Option<(NodeId, Option<Sym>, bool)> {
    let f = body.function(function);
    let (Some(mut node), [param]) = (f.body, &f.params[..]) else { return None };
    let is_element = |n: NodeId| body.node(n) == Node::Name(param.name);
    let mut holds = true;
    loop {
        if let Some(method) = ask(flow, member, &is_element, node) {
            return Some((node, method, holds));
        }
        node = match body.node(node) {
            Node::Block(list) if list.len == 1 => body.list(list)[0],
            Node::Return(Some(value)) => value,
            Node::Unary { op: UnaryOp::Not, operand } => {
                holds = !holds;
                operand
            }
            Node::Unary { op: UnaryOp::Await | UnaryOp::NonNull, operand } => operand,
            // `link.answer(request).stream()`
            Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
                Node::Member { object, .. } => object,
                _ => return None,
            },
            _ => return None,
        };
    }
}

/// Whether of the answers that a call gives the first one is taken.
fn takes_first(flow: &Flow<'_>, member: MemberId, body: &Body, scope: &Scope, answers: NodeId) -> bool {
    first_of(flow, member, body, scope, answers).is_some()
}

/// The call that takes the first of the answers that a call gives, with the name of its function.
pub(super) fn first_of<'p>(flow: &Flow<'p>, member: MemberId, body: &Body, scope: &Scope, answers: NodeId) -> Option<(NodeId, &'p str)> {
    let mut node = answers;
    loop {
        let callee = scope.parent(node)?;
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        let call = scope.parent(callee).filter(|c| object == node && matches!(body.node(*c), Node::Call { .. }))?;
        let text = flow.program.unit_of(member).text(name);
        let pack = &flow.program.kit_of(member).pack;
        if pack.firsts.contains(text) {
            return Some((call, text));
        }
        if !pack.filters.contains(text) && !pack.maps.contains(text) {
            return None;
        }
        node = call;
    }
}
