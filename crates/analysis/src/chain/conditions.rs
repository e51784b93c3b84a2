//! On which conditions a link ends a request that it could pass on.

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId, UnaryOp};
use yarrowgraph_model::Passes;

use super::behaviour::{self, Behaviour, Code};
use super::{Ends, Link, Links, Of, only_thing};
use crate::flow::{Flow, is_on_itself};
use crate::program::{Site, Ty};
use crate::state::any_within;
use crate::written;

/// The conditions on which a link that passes some requests on ends one, as text, in the order of the code; none where it
/// passes all on or none, or where its code does not say.
pub fn of(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link, done: Option<Behaviour>) -> Vec<String> {
    let passes_some = done.filter(|b| b.passes == Passes::Sometimes);
    endings(flow, links, kind, link, passes_some).into_iter().map(|e| e.condition).collect()
}

/// How a link ends a request.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ending {
    /// On which condition, as text.
    pub condition: String,
    /// Whether by an exception.
    pub refuses: bool,
}

/// The conditions on which a link ends a request that it passes on where they do not hold, with how it ends it: one that
/// passes on whatever it does not refuse only ends those.
pub fn endings(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link, done: Option<Behaviour>) -> Vec<Ending> {
    let only_refuses = match done.map(|b| b.passes) {
        Some(Passes::Sometimes) => false,
        Some(Passes::Always) => true,
        Some(Passes::Never) | None => return Vec::new(),
    };
    let Some(code) = Code::of(flow, links, kind, link) else { return Vec::new() };
    let passes = passes_of(flow, links, kind, link, code);
    let ends = match kind {
        Of::Walk(walk) => Some(&links.walks[walk].ends),
        Of::Next(_) | Of::Pipeline(_) => None,
    };
    let scope = flow.program.scope(code.member);
    let mut found = Vec::new();
    // functions within it decide nothing, unless the request is passed on there
    let decides_here = |n: NodeId| {
        let around = scope.function_around(code.body, n);
        around == code.function || passes.iter().flatten().any(|p| scope.function_around(code.body, *p) == around)
    };
    for at in scope.within(code.root).filter(|n| decides_here(*n)) {
        let decided = match (&passes, ends) {
            (Some(passes), _) => decides(code.body, at, passes),
            (None, Some(ends)) => answers(flow, ends, code, at),
            (None, None) => None,
        };
        let Some((cond, holds)) = decided else { continue };
        // whether there is a next one is nothing that the request has
        let asked = match kind {
            Of::Next(next) => behaviour::asks_of_request(flow, links, next, code.body, code.member, cond),
            Of::Walk(_) | Of::Pipeline(_) => Some(cond),
        };
        let Some(cond) = asked else { continue };
        let branch = match code.body.node(at) {
            Node::If { then, .. } | Node::Conditional { then, .. } if holds => Some(then),
            Node::If { other, .. } => other,
            Node::Conditional { other, .. } => Some(other),
            _ => None,
        };
        let refuses = branch.is_some_and(|b| any_within(code.body, b, &|n| matches!(code.body.node(n), Node::Throw(_))));
        found.push((code.body.span(cond).start, said(flow, link, code, cond, holds), refuses));
    }
    found.sort();
    let mut endings: Vec<Ending> = found.into_iter().map(|(_, condition, refuses)| Ending { condition, refuses }).collect();
    endings.dedup_by(|a, b| a.condition == b.condition);
    endings.retain(|e| e.refuses || !only_refuses);
    endings
}

/// What a condition says where it holds, or does not.
fn said(flow: &Flow<'_>, link: &Link, code: Code<'_>, cond: NodeId, holds: bool) -> String {
    let text = |node: NodeId| written::expression(flow.program, Site { member: code.member, node });
    match code.body.node(cond) {
        Node::Unary { op: UnaryOp::Not, operand } if hook(flow, link, code, operand).is_some() => said(flow, link, code, operand, !holds),
        // a method of the link's own that does nothing but say so
        Node::Call { .. } if let Some((own, value)) = hook(flow, link, code, cond) => said(flow, link, own, value, holds),
        Node::Binary { op: BinaryOp::Coalesce, left, .. } => format!("{} != null", text(left)),
        _ if holds => text(cond),
        Node::Binary { op: BinaryOp::Ne, left, right } => format!("{} == {}", text(left), text(right)),
        Node::Unary { op: UnaryOp::Not, operand } => text(operand),
        _ => format!("not ({})", text(cond)),
    }
}

/// What a method of the link itself gives back, as its class has it, that a call asks and that does no more.
fn hook<'a>(flow: &Flow<'a>, link: &Link, code: Code<'_>, call: NodeId) -> Option<(Code<'a>, NodeId)> {
    let program = flow.program;
    let asked = flow.callee(Site { member: code.member, node: call }).filter(|_| is_on_itself(code.body, call))?.member;
    let class = link.class?;
    if !program.is_a(class, program.member(asked).owner) {
        return None;
    }
    let member = program.find_member_as(class, program.member(asked).name, true)?;
    let body = program.body(member)?;
    let root = body.root?;
    let value = only_thing(body, root);
    let says = matches!(
        body.node(value),
        Node::Binary { .. } | Node::Unary { op: UnaryOp::Not, .. } | Node::TypeTest { .. } | Node::Member { .. } | Node::Name(_)
    );
    says.then_some((Code { member, function: None, body, root }, value))
}

/// Where a link hands a request on; none where that is said by what it answers.
fn passes_of(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link, code: Code<'_>) -> Option<Vec<NodeId>> {
    match kind {
        Of::Next(next) => Some(behaviour::passes_in(flow, links, next, link.class, code.member)),
        Of::Walk(_) | Of::Pipeline(_) => Some(behaviour::way_of(flow, links, kind, code)?.goes),
    }
}

/// The condition on which a link of a walked list has an answer that ends the walk, and whether it has where that holds.
fn answers(flow: &Flow<'_>, ends: &Ends, code: Code<'_>, at: NodeId) -> Option<(NodeId, bool)> {
    let body = code.body;
    let scope = flow.program.scope(code.member);
    let ends_with = |value: NodeId| behaviour::answer_ends(flow, ends, code, value);
    let given = |branch: NodeId| {
        let values: Vec<Option<bool>> = scope
            .within(branch)
            .filter_map(|n| match body.node(n) {
                Node::Return(value) => Some(value.map_or(Some(*ends == Ends::Nothing), ends_with)),
                Node::Throw(_) => Some(Some(true)),
                _ => None,
            })
            .collect();
        let first = *values.first()?;
        values.iter().all(|v| *v == first).then_some(first)?
    };
    // what it answers is whether something holds
    let is_answer = |n: NodeId| scope.parent(n).is_some_and(|p| matches!(body.node(p), Node::Return(_))) || n == code.root;
    match body.node(at) {
        Node::Binary { op, .. }
            if !matches!(op, BinaryOp::Coalesce | BinaryOp::Add | BinaryOp::Sub | BinaryOp::Arithmetic) && is_answer(at) =>
        {
            match ends {
                Ends::Any => Some((at, true)),
                Ends::Nothing => Some((at, false)),
                _ => None,
            }
        }
        // what a library says of the request: `order.what().equals("plate")`
        Node::Call { args, .. } if args.len > 0 && is_answer(at) && is_predicate(flow, Site { member: code.member, node: at }) => {
            match ends {
                Ends::Any => Some((at, true)),
                Ends::Nothing => Some((at, false)),
                _ => None,
            }
        }
        Node::If { cond, then, other } => match (given(then), other.and_then(given)) {
            (Some(true), _) => Some((cond, true)),
            (_, Some(true)) | (Some(false), None) => Some((cond, false)),
            _ => None,
        },
        Node::Conditional { cond, then, other } => {
            let is_answer = is_answer(at) || scope.parent(at).is_some_and(|p| matches!(body.node(p), Node::Entry { .. }));
            match (ends_with(then), ends_with(other)) {
                (Some(true), Some(false)) if is_answer => Some((cond, true)),
                (Some(false), Some(true)) if is_answer => Some((cond, false)),
                _ => None,
            }
        }
        _ => None,
    }
}

/// Whether a call is one of what is not of the tree, on something, in a method that says whether something holds.
fn is_predicate(flow: &Flow<'_>, call: Site) -> bool {
    let program = flow.program;
    let by_type = match flow.program.declared_type(call.member) {
        Ty::Outside(name, _) => matches!(program.text(name), "bool" | "boolean" | "Boolean"),
        _ => false,
    };
    by_type && flow.callee(call).is_none()
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
        // `isLight(parcel) && next.accept(parcel)`
        Node::Binary { op: op @ (BinaryOp::And | BinaryOp::Or), left, right } if goes_on(right) && !goes_on(left) => {
            Some((left, op == BinaryOp::Or))
        }
        // `objection ?? next.examine(lot)`
        Node::Binary { op: BinaryOp::Coalesce, left, right } if goes_on(right) && !goes_on(left) => Some((at, true)),
        _ => None,
    }
}
