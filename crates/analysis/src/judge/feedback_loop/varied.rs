//! Values that are visibly other ones than those that a handler was told: no test for the same value ends the circle that they go on in.

use yarrowgraph_ir::{BinaryOp, Node, NodeId, UnaryOp};

use crate::flow::Val;
use crate::program::{Declared, MemberId, Site};
use crate::wire::Wiring;

/// The places among the arguments of a call, or that of the value which a property is given, where what is handed on differs from what
/// the code around was handed itself: `set(level + 1)`.
pub(super) fn places(wiring: &Wiring<'_>, call: Site) -> Vec<usize> {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(call.member), program.scope(call.member)) else { return Vec::new() };
    let is_handed = |n: NodeId| match body.node(n) {
        Node::Name(name) => matches!(scope.lookup(name, n), Some(Declared::Param(..))),
        // a part of it
        Node::Member { object, .. } => {
            matches!(body.node(object), Node::Name(name) if matches!(scope.lookup(name, object), Some(Declared::Param(..))))
        }
        _ => false,
    };
    let is_something = |n: NodeId| match body.node(n) {
        Node::Num(text) => program.unit_of(call.member).text(text).chars().any(|c| matches!(c, '1'..='9')),
        Node::Str(text) => !program.unit_of(call.member).text(text).is_empty(),
        _ => false,
    };
    let is_other = |arg: NodeId| match body.node(arg) {
        Node::Binary { op: BinaryOp::Add | BinaryOp::Sub, left, right } => {
            is_handed(left) && is_something(right) || is_handed(right) && is_something(left)
        }
        Node::Unary { op: UnaryOp::Not, operand } => is_handed(operand),
        _ => false,
    };
    let args = match body.node(call.node) {
        Node::Call { args, .. } => body.list(args).to_vec(),
        Node::Assign { value, .. } => vec![value],
        _ => Vec::new(),
    };
    args.into_iter().enumerate().filter(|(_, a)| is_other(*a)).map(|(at, _)| at).collect()
}

/// Whether a test is one for the same value as before, of a parameter that differs from it: what comes of it then.
pub(super) fn decided(wiring: &Wiring<'_>, member: MemberId, varied: &[usize], cond: NodeId) -> Option<bool> {
    let program = wiring.program();
    let body = program.body(member)?;
    let scope = program.scope(member);
    let Node::Binary { op: op @ (BinaryOp::Eq | BinaryOp::Ne), left, right } = body.node(cond) else { return None };
    let is_varied = |n: NodeId| match body.node(n) {
        Node::Name(name) => matches!(scope.lookup(name, n), Some(Declared::Param(None, at)) if varied.contains(&usize::from(at))),
        _ => false,
    };
    let is_own = |n: NodeId| matches!(wiring.flow.eval_in(member, n), Val::Member(of, _) if matches!(*of, Val::This(_)));
    let tests = is_varied(left) && is_own(right) || is_varied(right) && is_own(left);
    tests.then_some(op == BinaryOp::Ne)
}
