//! Lists of links that are walked until one has an answer.

use yarrowgraph_ir::{Body, Name, Node, NodeId, TypeKind};

use crate::flow::{Flow, Val};
use crate::program::{MemberId, Scope, Site, Sym, Ty};
use crate::state;

/// A walk over a list of links.
#[derive(Clone, Debug)]
pub struct Walk {
    /// The loop.
    pub walk: Site,
    /// The field that holds the list, where one does.
    pub list: Option<MemberId>,
    /// The method by which a link is asked; none for functions.
    pub method: Option<Sym>,
    /// Where it is asked.
    pub asks: Site,
}

/// Finds the walks that end with an answer.
pub(super) fn find(flow: &Flow<'_>) -> Vec<Walk> {
    let program = flow.program;
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body(member) else { continue };
        for at in (0..body.nodes.len()).map(NodeId::new) {
            if let Node::ForEach { var, iterable, body: inner, keys: false, .. } = body.node(at)
                && let Node::Local { name, .. } = body.node(var)
                && let Some((asks, method)) = asked(body, program.scope(member), name, inner)
                && may_be_links(flow, member, iterable)
            {
                let list = match flow.eval_in(member, iterable) {
                    Val::Member(of, m) if matches!(*of, Val::This(_)) => Some(m),
                    Val::Static(m) => Some(m),
                    _ => None,
                };
                let method = method.map(|m| program.sym_in(member, m));
                found.push(Walk { walk: Site { member, node: at }, list, method, asks: Site { member, node: asks } });
            }
        }
    }
    found
}

/// Whether what is walked can be links: functions, objects of an abstract type, or anything where nothing is typed.
fn may_be_links(flow: &Flow<'_>, member: MemberId, iterable: NodeId) -> bool {
    let program = flow.program;
    let unit = program.member(member).unit;
    let ty = flow.type_of_node(member, iterable);
    match program.element_type(unit, &ty) {
        Some(Ty::Own(t, _)) => {
            let t = program.ty(t);
            t.kind == TypeKind::Interface || t.modifiers.is_abstract || t.kind == TypeKind::Delegate || !t.heirs.is_empty()
        }
        Some(element) => program.is_callable(unit, &element) || (element == Ty::Unknown && program.kit(unit).traits.duck_typed),
        None => program.kit(unit).traits.duck_typed,
    }
}

/// The call in a loop by which each element is asked, and that can end the loop by its answer.
fn asked(body: &Body, scope: &Scope, element: Name, inner: NodeId) -> Option<(NodeId, Option<Name>)> {
    let is_element = |n: NodeId| body.node(n) == Node::Name(element);
    let ask = |n: NodeId| -> Option<Option<Name>> {
        let Node::Call { callee, args, .. } = body.node(n) else { return None };
        match body.node(callee) {
            _ if args.len == 0 => None,
            Node::Member { object, name, .. } if is_element(object) => Some(Some(name)),
            Node::Name(name) if name == element => Some(None),
            _ => None,
        }
    };
    let calls: Vec<(NodeId, Option<Name>)> =
        (0..body.nodes.len()).map(NodeId::new).filter(|n| scope.is_within(*n, inner)).filter_map(|n| Some((n, ask(n)?))).collect();
    // who looks for an element gives it back, and asks nothing of it
    let gives_element = |n: NodeId| matches!(body.node(n), Node::Return(Some(value)) if is_element(value));
    if state::any_within(body, inner, &gives_element) {
        return None;
    }
    calls.into_iter().find(|(call, _)| ends_by(body, scope, *call, inner))
}

/// Whether the answer of a call decides that the loop ends.
fn ends_by(body: &Body, scope: &Scope, call: NodeId, inner: NodeId) -> bool {
    let leaves = |n: NodeId| state::any_within(body, n, &|x| matches!(body.node(x), Node::Return(_) | Node::Break | Node::Throw(_)));
    let decides = |holds: &dyn Fn(NodeId) -> bool| {
        (0..body.nodes.len()).map(NodeId::new).filter(|n| scope.is_within(*n, inner)).any(|n| match body.node(n) {
            Node::If { cond, then, other } => state::any_within(body, cond, holds) && (leaves(then) || other.is_some_and(leaves)),
            _ => false,
        })
    };
    if decides(&|n| n == call) {
        return true;
    }
    // a local that keeps the answer; what is asked of it as plain data is no more than that
    let asks_behind = |statement: NodeId| {
        let Some(Node::Block(list)) = scope.parent(statement).map(|p| body.node(p)) else { return false };
        let list = body.list(list);
        let behind = list.iter().position(|s| *s == statement).and_then(|at| list.get(at + 1));
        behind.is_some_and(|s| matches!(body.node(*s), Node::If { cond, then, .. } if body.node(cond) == Node::Plain && leaves(then)))
    };
    let mut around = call;
    while let Some(parent) = scope.parent(around) {
        match body.node(parent) {
            Node::Local { name, .. } => return decides(&|n| body.node(n) == Node::Name(name)) || asks_behind(parent),
            Node::Assign { target, .. } => {
                return match body.node(target) {
                    Node::Name(name) => decides(&|n| body.node(n) == Node::Name(name)) || asks_behind(parent),
                    _ => false,
                };
            }
            Node::Unary { .. } | Node::Binary { .. } | Node::Conditional { .. } => around = parent,
            _ => return false,
        }
    }
    false
}
