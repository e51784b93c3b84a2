//! Loops that have something done again and again.

use yarrowgraph_ir::{Body, MemberKind, Node, NodeId};

use super::HOPS;
use super::again::{is_on_every_path, is_steady};
use crate::flow::{Val, is_override};
use crate::program::{MemberId, Scope, Site};
use crate::wire::Wiring;

/// The loop around a node that goes through it more than once.
pub(in crate::judge) fn loop_around(scope: &Scope, body: &Body, node: NodeId) -> Option<NodeId> {
    let (mut left, mut inner) = (false, node);
    for around in scope.ancestors(node) {
        match body.node(around) {
            // what is walked and where a loop begins is gone through once
            Node::ForEach { iterable, .. } if inner == iterable => {}
            Node::Loop { head, .. } if body.list(head).first() == Some(&inner) => {}
            Node::Block(_) => left |= scope.leaves_loop(body, around),
            Node::Loop { .. } | Node::ForEach { .. } => return (!left).then_some(around),
            Node::Lambda(_) => return None,
            _ => {}
        }
        inner = around;
    }
    None
}

/// A call that a loop makes again and again on an object from outside of the loop: of a method, or of one of the same object that
/// always comes to it.
pub(super) fn called_in_a_loop(wiring: &Wiring<'_>, member: MemberId, hops: u32) -> Option<Site> {
    let program = wiring.program();
    let mut callers = wiring.flow.callers((member, None)).iter().filter(|(call, _)| !wiring.in_test(call.member));
    callers.find_map(|(call, binding)| {
        let body = program.body(call.member)?;
        let scope = program.scope(call.member);
        let receiver = binding.this.as_ref()?;
        let Some(looped) = loop_around(scope, body, call.node) else {
            let hops = hops.checked_sub(1).filter(|_| matches!(receiver, Val::This(_)) && call.member != member)?;
            let plain = program.member(call.member).kind == MemberKind::Method && is_on_every_path(wiring, *call);
            return plain.then(|| called_in_a_loop(wiring, call.member, hops)).flatten();
        };
        let here = |site: &Site| site.member == call.member && scope.is_within(site.node, looped);
        is_steady(receiver, &here, true).then_some(*call)
    })
}

/// Whether the loop around a call comes to what takes a handler off.
pub(super) fn is_left_within(wiring: &Wiring<'_>, call: Site, releases: &[usize]) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(call.member) else { return true };
    let scope = program.scope(call.member);
    let Some(looped) = loop_around(scope, body, call.node) else { return true };
    let leaving: Vec<MemberId> = releases.iter().map(|r| wiring.effects[*r].site.member).collect();
    let within = scope.within(looped).filter(|n| matches!(body.node(*n), Node::Call { .. }));
    within.into_iter().any(|node| comes_to(wiring, Site { member: call.member, node }, &leaving, HOPS))
}

/// Whether a call comes to one of some methods, by itself or by what it calls.
pub(in crate::judge) fn comes_to(wiring: &Wiring<'_>, call: Site, methods: &[MemberId], hops: u32) -> bool {
    let program = wiring.program();
    let Some(called) = wiring.flow.callee(call).map(|c| c.member) else { return false };
    if methods.iter().any(|m| *m == called || is_override(&wiring.flow, *m, called)) {
        return true;
    }
    let (Some(hops), Some(body)) = (hops.checked_sub(1), program.body(called)) else { return false };
    let calls = body.ids().filter(|n| matches!(body.node(*n), Node::Call { .. }));
    calls.into_iter().any(|node| comes_to(wiring, Site { member: called, node }, methods, hops))
}
