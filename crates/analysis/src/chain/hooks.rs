//! Links that inherit how a request goes on, and decide about it by a hook of their own: `var answer = look(boat); return answer ?? next.ask(boat)`.

use yarrowgraph_ir::{BinaryOp, Node, NodeId};
use yarrowgraph_model::Passes;

use super::Ends;
use super::behaviour::answers;
use super::walks::asked_of_answer;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, TypeId};
use crate::state;

/// What a class does with requests by the hook that decides in a method that it inherits; `passes` is where that passes them on.
pub(super) fn decided(flow: &Flow<'_>, class: TypeId, inherited: MemberId, passes: &[NodeId]) -> Option<Passes> {
    let program = flow.program;
    if program.member(inherited).owner == class {
        return None;
    }
    let body = program.body(inherited)?;
    body.ids().find_map(|call| {
        let hook = own_hook(flow, class, Site { member: inherited, node: call })?;
        let ends = ends_by_answer(flow, inherited, call, passes)?;
        let root = program.body(hook)?.root?;
        Some(answers(flow, hook, &ends, root)?.passes)
    })
}

/// The method that a class has in the place of what an inherited one asks of its own object.
fn own_hook(flow: &Flow<'_>, class: TypeId, call: Site) -> Option<MemberId> {
    let program = flow.program;
    let callee = flow.callee(call).filter(|c| matches!(c.receiver, Some(Val::This(_))))?;
    let own = program.find_member_as(class, program.member(callee.member).name, true)?;
    (own != callee.member && own != call.member && program.body(own).is_some_and(|b| b.root.is_some())).then_some(own)
}

/// Which answers of a call end the request, where that decides whether it is passed on.
fn ends_by_answer(flow: &Flow<'_>, member: MemberId, call: NodeId, passes: &[NodeId]) -> Option<Ends> {
    let program = flow.program;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let local = scope.parent(call).and_then(|p| match body.node(p) {
        Node::Local { name, init: Some(init), .. } if init == call => Some(name),
        _ => None,
    });
    let holds = |n: NodeId| n == call || local.is_some_and(|name| body.node(n) == Node::Name(name));
    let is_asked = |n: NodeId| state::any_within(body, n, &holds);
    let has_pass = |n: NodeId| passes.iter().any(|p| scope.is_within(*p, n));
    let leaves = |n: NodeId| state::any_within(body, n, &|x| matches!(body.node(x), Node::Return(_) | Node::Throw(_)));
    let found = body.ids().find_map(|n| match body.node(n) {
        Node::If { cond, then, other } if is_asked(cond) => {
            let ends_there = !has_pass(then) && (leaves(then) || other.is_some_and(has_pass));
            (ends_there || has_pass(then)).then(|| asked_of_answer(program, member, body, cond, ends_there, &holds))
        }
        Node::Conditional { cond, then, other } if is_asked(cond) && has_pass(then) != has_pass(other) => {
            Some(asked_of_answer(program, member, body, cond, has_pass(other), &holds))
        }
        Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } if holds(left) && has_pass(right) => Some(Ends::Any),
        Node::Binary { op: BinaryOp::And, left, right } if holds(left) && has_pass(right) => Some(Ends::Nothing),
        _ => None,
    })?;
    matches!(found, Ends::Any | Ends::Nothing).then_some(found)
}
