//! On which conditions a link ends a request that it could pass on.

use yarrowgraph_ir::{Body, Node, NodeId};
use yarrowgraph_model::Passes;

use super::behaviour::{self, Code};
use super::{Ends, Link, Links, Of};
use crate::flow::Flow;
use crate::program::Site;
use crate::state::any_within;
use crate::written;

/// The conditions on which a link that passes some requests on ends one, as text, in the order of the code; none where it
/// passes all on or none, or where its code does not say.
pub fn of(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link) -> Vec<String> {
    let passes_some = behaviour::of(flow, links, kind, link).is_some_and(|b| b.passes == Passes::Sometimes);
    let Some(code) = Code::of(flow, links, kind, link).filter(|_| passes_some) else { return Vec::new() };
    let Some(passes) = passes_of(flow, links, kind, link, code) else { return Vec::new() };
    let scope = flow.program.scope(code.member);
    let mut found = Vec::new();
    for at in code.body.ids().filter(|n| scope.is_within(*n, code.root)) {
        let Some((cond, holds)) = decides(code.body, at, &passes) else { continue };
        let text = written::expression(flow.program, Site { member: code.member, node: cond });
        found.push((code.body.span(cond).start, if holds { text } else { format!("not ({text})") }));
    }
    found.sort();
    let mut texts: Vec<String> = found.into_iter().map(|(_, text)| text).collect();
    texts.dedup();
    texts
}

/// Where a link hands a request on; none where that is said by what it answers.
fn passes_of(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link, code: Code<'_>) -> Option<Vec<NodeId>> {
    match kind {
        Of::Next(next) => Some(behaviour::passes_in(flow, links, next, link.class, code.member)),
        Of::Walk(walk) => {
            let Ends::WayOn(place) = links.walks[walk].ends else { return None };
            let scope = flow.program.scope(code.member);
            let uses = code.uses(flow.program, code.param(flow.program, place)?);
            Some(uses.into_iter().filter_map(|n| behaviour::call_of(code.body, scope, n)).collect())
        }
    }
}

/// The condition of a choice of which one branch passes a request on and the other one ends it, and whether it ends
/// where the condition holds.
fn decides(body: &Body, at: NodeId, passes: &[NodeId]) -> Option<(NodeId, bool)> {
    let goes_on = |n: NodeId| any_within(body, n, &|x| passes.contains(&x));
    let leaves = |n: NodeId| any_within(body, n, &|x| matches!(body.node(x), Node::Return(_) | Node::Throw(_)));
    match body.node(at) {
        Node::If { cond, then, other } => match (goes_on(then), other.map(goes_on)) {
            (false, Some(true)) => Some((cond, true)),
            (true, Some(false)) => Some((cond, false)),
            // what stands behind passes on
            (false, None) if leaves(then) => Some((cond, true)),
            // or nothing does
            (true, None) if passes.iter().all(|p| any_within(body, then, &|x| x == *p)) => Some((cond, false)),
            _ => None,
        },
        Node::Conditional { cond, then, other } => match (goes_on(then), goes_on(other)) {
            (false, true) => Some((cond, true)),
            (true, false) => Some((cond, false)),
            _ => None,
        },
        _ => None,
    }
}
