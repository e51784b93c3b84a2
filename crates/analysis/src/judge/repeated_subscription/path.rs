//! Which of two subscriptions has run when the other one does.

use yarrowgraph_ir::{BinaryOp, Body, MemberKind, Node, NodeId, TypeRefId};

use super::{HOPS, again, is_let_through_once, loops};
use crate::flow::Val;
use crate::program::{MemberId, Site, Ty};
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::Effect;

/// Whether one subscription runs before another on the same object: in one body, or where one
/// body calls the other.
pub(super) fn comes_just_before(wiring: &Wiring<'_>, channel: &Channel, first: &Effect, second: &Effect) -> bool {
    if first.site.member == second.site.member {
        return runs_before(wiring, first.site, second.site.node)
            && !are_for_two_kinds(wiring, first.site, second.site.node)
            && !is_released_between(wiring, channel, first.site, second.site.node);
    }
    // the first one's body calls the second one's, or the other way round
    if let Some(call) = own_call(wiring, first.site.member, second.site.member) {
        return runs_before(wiring, first.site, call) && !is_released_between(wiring, channel, first.site, call);
    }
    match own_call(wiring, second.site.member, first.site.member) {
        Some(call) => {
            let call = Site { member: second.site.member, node: call };
            !is_let_through_once(wiring, channel, first)
                && runs_before(wiring, call, second.site.node)
                && !is_released_between(wiring, channel, call, second.site.node)
        }
        None => is_begun_with(wiring, channel, first, second),
    }
}

/// Whether one subscription is made whenever an object of the other one's class is, which then stays on.
fn is_begun_with(wiring: &Wiring<'_>, channel: &Channel, first: &Effect, second: &Effect) -> bool {
    let program = wiring.program();
    let (maker, later) = (program.member(first.site.member), program.member(second.site.member));
    let pack = &*program.kit_of(second.site.member).pack;
    // a wrapper's inside is run for others as well
    let is_written = first.inner.iter().chain(&second.inner).all(|s| !program.are_kin(program.member(s.member).owner, later.owner));
    let taken_off =
        channel.leaves.iter().map(|l| &wiring.effects[*l]).any(|l| {
            program.are_kin(program.member(l.site.member).owner, later.owner) && !program.is_listed(&pack.teardowns, l.site.member)
        });
    maker.kind == MemberKind::Constructor
        && later.kind == MemberKind::Method
        && program.is_a(later.owner, maker.owner)
        && again::is_on_every_path(wiring, first.site)
        && again::is_on_every_path(wiring, second.site)
        && is_written
        && !taken_off
        // an object is made by the one or the other
        && !program.is_listed(&pack.making_methods, second.site.member)
        && !program.is_listed(&pack.teardowns, second.site.member)
}

/// A call of another method on the same object, or of a function that belongs to none.
pub(super) fn own_call(wiring: &Wiring<'_>, caller: MemberId, callee: MemberId) -> Option<NodeId> {
    let program = wiring.program();
    let calls = program.index.calls(program.member(callee).name).iter().filter(|s| s.member == caller);
    calls.map(|s| s.node).find(|node| {
        let target = wiring.flow.callee(Site { member: caller, node: *node });
        target.is_some_and(|t| t.member == callee && matches!(t.receiver, None | Some(Val::This(_) | Val::Unknown)))
    })
}

/// Whether one statement runs before a node of the same body in the same run.
pub(in crate::judge) fn runs_before(wiring: &Wiring<'_>, first: Site, second: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(first.member) else { return false };
    let scope = program.scope(first.member);
    if !scope.is_before(first.node, second) || scope.function_around(body, first.node) != scope.function_around(body, second) {
        return false;
    }
    let mut inner = first.node;
    for around in scope.ancestors(first.node) {
        if scope.is_within(second, around) {
            // branches of which only one runs
            let apart = matches!(
                body.node(around),
                Node::If { .. } | Node::Conditional { .. } | Node::Switch { .. } | Node::Try { .. } | Node::Variants(_) | Node::Case { .. }
            );
            return !apart;
        }
        if body.leaves(inner) || matches!(body.node(around), Node::Block(_)) && body.leaves(around) {
            return false;
        }
        inner = around;
    }
    false
}

/// Whether two statements of a body ask one value whether it is of a type, each for another one: `if (part instanceof
/// Lever) …; if (part instanceof Wheel) …`.
fn are_for_two_kinds(wiring: &Wiring<'_>, first: Site, second: NodeId) -> bool {
    let program = wiring.program();
    let member = first.member;
    let Some(body) = program.body(member) else { return false };
    let asked = |node: NodeId| {
        let mut tests = Vec::new();
        for around in program.scope(member).ancestors(node) {
            let Node::If { cond, then, .. } = body.node(around) else { continue };
            if program.scope(member).is_within(node, then) {
                collect_type_tests(body, cond, &mut tests);
            }
        }
        tests.into_iter().map(|(object, ty)| (wiring.flow.eval_in(member, object), program.type_in(member, ty))).collect::<Vec<_>>()
    };
    let (one, other) = (asked(first.node), asked(second));
    let are_kin = |a: &Ty, b: &Ty| a == b || matches!((a.own(), b.own()), (Some(a), Some(b)) if program.are_kin(a, b));
    one.iter().any(|(object, kind)| other.iter().any(|(asked, other)| object == asked && *object != Val::Unknown && !are_kin(kind, other)))
}

/// The tests for a type that all hold where a condition does.
fn collect_type_tests(body: &Body, cond: NodeId, tests: &mut Vec<(NodeId, TypeRefId)>) {
    match body.node(cond) {
        Node::Binary { op: BinaryOp::And, left, right } => [left, right].into_iter().for_each(|side| collect_type_tests(body, side, tests)),
        Node::TypeTest { object, ty: Some(ty), .. } => tests.push((object, ty)),
        _ => {}
    }
}

fn is_released_between(wiring: &Wiring<'_>, channel: &Channel, first: Site, second: NodeId) -> bool {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(first.member), program.scope(first.member)) else { return false };
    let is_between = |node: NodeId| scope.is_before(first.node, node) && scope.is_before(node, second);
    let leaves: Vec<Site> = channel.leaves.iter().map(|l| wiring.effects[*l].site).collect();
    let leaving: Vec<MemberId> = leaves.iter().map(|leave| leave.member).filter(|m| *m != first.member).collect();
    // or by what is called there: `house.reset()`
    let comes_to_it = |node: NodeId| loops::comes_to(wiring, Site { member: first.member, node }, &leaving, HOPS);
    leaves.iter().any(|leave| leave.member == first.member && is_between(leave.node))
        || !leaving.is_empty() && body.ids().any(|n| matches!(body.node(n), Node::Call { .. }) && is_between(n) && comes_to_it(n))
}
