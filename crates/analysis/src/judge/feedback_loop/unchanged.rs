//! Raises that a handler makes on a condition that holds again whenever it held once: it asks nothing but what the handler was told, and
//! that is what is raised again.

use std::cell::RefCell;
use std::collections::BTreeSet;

use yarrowgraph_ir::{Body, Node, NodeId};

use super::{Answer, DEPTH, RaisedAt, Run, called_at, follow};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Scope, Site};
use crate::state;
use crate::wire::Wiring;

/// What a handler raises again on its own channel with what it was told, though only on a condition.
pub(super) fn answers(wiring: &Wiring<'_>, raised_at: &RaisedAt, root: Site, channel: usize) -> Vec<Answer> {
    let program = wiring.program();
    let Some(body) = program.body(root.member) else { return Vec::new() };
    let scope = program.scope(root.member);
    let mut found = Vec::new();
    for node in scope.within(root.node) {
        if !matches!(body.node(node), Node::Call { .. } | Node::Assign { .. }) || state::runs_always(body, scope, node, root.node) {
            continue;
        }
        let asked = RefCell::new(BTreeSet::new());
        let holds = |cond: NodeId| {
            asked.borrow_mut().extend(told_only(wiring, root.member, cond)?);
            Some(held(body, scope, cond, node))
        };
        if !state::runs_where(body, scope, node, root.node, &holds) {
            continue;
        }
        let site = Site { member: root.member, node };
        let asked = asked.into_inner();
        let is_same = |raise: usize, call: Option<Site>| asked.iter().all(|told| is_told_again(wiring, raise, call, root.member, *told));
        let raised = raised_at.get(&site).into_iter().flatten().filter(|(to, raise)| *to == channel && is_same(*raise, None));
        found.extend(raised.map(|(channel, raise)| Answer { raise: *raise, channel: *channel, of: None }));
        if let Some((called, receiver)) = called_at(wiring, body, site)
            && let Some(inner) = program.body(called).and_then(|b| b.root)
            && program.ty(program.member(called).owner).heirs.is_empty()
        {
            let of = receiver.filter(|r| !matches!(r, Val::This(_)));
            let run = Run { root: Site { member: called, node: inner }, of: of.as_ref(), varied: &[] };
            let mut within = Vec::new();
            follow(wiring, raised_at, run, DEPTH - 1, &mut BTreeSet::new(), &mut within);
            found.extend(within.into_iter().filter(|a| a.channel == channel && is_same(a.raise, Some(site))));
        }
    }
    found
}

/// What a condition came to where a statement was reached.
fn held(body: &Body, scope: &Scope, cond: NodeId, reached: NodeId) -> bool {
    match scope.parent(cond).map(|p| body.node(p)) {
        Some(Node::If { then, .. }) if scope.is_within(reached, then) => true,
        // an early return
        Some(Node::If { other: None, .. }) => false,
        Some(Node::If { other: Some(other), .. }) => !scope.is_within(reached, other),
        _ => true,
    }
}

/// The parameters of a handler that a condition asks, where it asks nothing else that may change.
fn told_only(wiring: &Wiring<'_>, member: MemberId, cond: NodeId) -> Option<Vec<u16>> {
    let program = wiring.program();
    let (body, scope) = (program.body(member)?, program.scope(member));
    let (mut told, mut stack) = (Vec::new(), vec![cond]);
    while let Some(node) = stack.pop() {
        match body.node(node) {
            Node::Num(_) | Node::Str(_) | Node::Bool(_) | Node::Null => {}
            Node::Binary { left, right, .. } => stack.extend([left, right]),
            Node::Unary { operand, .. } => stack.push(operand),
            Node::Name(name) => match scope.lookup(name, node) {
                Some(Declared::Param(_, at)) if !is_assigned(body, scope, node) => told.push(at),
                None if is_constant(wiring, member, node) => {}
                _ => return None,
            },
            Node::Member { .. } if is_constant(wiring, member, node) => {}
            _ => return None,
        }
    }
    (!told.is_empty()).then_some(told)
}

fn is_constant(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> bool {
    matches!(wiring.flow.eval_in(member, node), Val::Static(m) if wiring.program().is_constant(m))
}

/// Whether a parameter is given something else anywhere.
fn is_assigned(body: &Body, scope: &Scope, read: NodeId) -> bool {
    let Node::Name(name) = body.node(read) else { return false };
    let declared = scope.lookup(name, read);
    let is_it = |node: NodeId| matches!(body.node(node), Node::Name(n) if n == name && scope.lookup(n, node) == declared);
    body.ids().any(|node| match body.node(node) {
        Node::Assign { target, .. } => is_it(target),
        _ => false,
    })
}

/// Whether a raise hands on what the handler was told at a place, at that very place; by way of a call where there is one.
fn is_told_again(wiring: &Wiring<'_>, raise: usize, call: Option<Site>, handler: MemberId, told: u16) -> bool {
    let (program, flow, effect) = (wiring.program(), &wiring.flow, &wiring.effects[raise]);
    let within = effect.site.member;
    let Some(body) = program.body(within) else { return false };
    let Node::Call { args, .. } = body.node(effect.site.node) else { return false };
    let is_topic = |value: &Val| effect.holder.key.as_ref() == Some(value);
    let mut values = body.list(args).iter().map(|arg| flow.eval_in(within, *arg)).filter(|value| !is_topic(value));
    let Some(value) = values.nth(usize::from(told)) else { return false };
    let is_told = |value: &Val| matches!(value, Val::Param(m, _, at) if *m == handler && *at == told);
    let Some(call) = call else { return is_told(&value) };
    let Some(called) = flow.callee(call).map(|c| c.member) else { return false };
    // what the called one has just put into a field
    let value = match value.own_field() {
        Some(field) => match flow.definitions(field).iter().filter(|d| d.member == called).collect::<Vec<_>>()[..] {
            [only] => flow.eval(*only),
            _ => return false,
        },
        None => value,
    };
    let Val::Param(m, None, at) = value else { return false };
    m == called && flow.argument(call, usize::from(at)).is_some_and(|arg| is_told(&flow.eval(arg)))
}
