//! Objects that are kept by another one and tell each other things through it.

use yarrowgraph_ir::{Node, UnaryOp};

use crate::flow::Flow;
use crate::program::{MemberId, Program, Site, TypeId};

/// Whether objects of a class call, on something that they hold, a method of a roster's owner that walks the roster; `directly` says
/// that what they hold must be known to be of the owner's class.
pub(super) fn talk_back(flow: &Flow<'_>, roster: MemberId, class: TypeId, directly: bool) -> bool {
    let program = flow.program;
    let mut found = false;
    program.for_each_base(class, &mut |t| {
        found = program.ty(t).members.iter().any(|m| calls_walk(flow, *m, roster, directly));
        !found
    });
    found
}

/// Whether a member calls a method that walks a roster, on something that its own object holds.
fn calls_walk(flow: &Flow<'_>, member: MemberId, roster: MemberId, directly: bool) -> bool {
    let program = flow.program;
    let Some(body) = program.body(member) else { return false };
    let owner = program.member(roster).owner;
    body.ids().any(|node| {
        let Node::Call { callee, .. } = body.node(node) else { return false };
        let Node::Member { object, name, .. } = body.node(callee) else { return false };
        let mut held = object;
        while let Node::Unary { op: UnaryOp::NonNull | UnaryOp::Indirect, operand } = body.node(held) {
            held = operand;
        }
        let is_held = match body.node(held) {
            Node::Member { object, .. } => matches!(body.node(object), Node::This),
            Node::Name(name) => program.scope(member).lookup(name, held).is_none(),
            _ => false,
        };
        let method = program.find_member_as(owner, program.sym_in(member, name), true);
        // itself, or through an interface of its class
        let is_it = |called: MemberId, walk: MemberId| called == walk || !directly && program.is_a(owner, program.member(called).owner);
        let called = || flow.callee(Site { member, node }).map(|c| c.member);
        is_held && method.is_some_and(|r| names(program, r, roster) && called().is_some_and(|c| is_it(c, r)))
    })
}

/// Whether a method names a field.
fn names(program: &Program, method: MemberId, field: MemberId) -> bool {
    let Some(body) = program.body(method) else { return false };
    let name = program.member(field).name;
    body.ids().any(|n| matches!(body.node(n), Node::Name(x) | Node::Member { name: x, .. } if program.sym_in(method, x) == name))
}
