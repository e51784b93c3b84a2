//! Facts: a file, slimmed to what can carry a function, an object, a constant key or
//! control flow. This is the layer that linking starts from, and what a cache would keep.

use crate::{BinaryOp, Body, List, Name, Node, NodeId, Param, UnaryOp, Unit};
use serde::{Deserialize, Serialize};

/// The distilled form of one file.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Facts {
    /// The file with its slim bodies.
    pub unit: Unit,
}

/// Slims a file. Bodies keep their structure; what is plain data becomes [`Node::Plain`],
/// and nodes below it are dropped.
pub fn distill(mut unit: Unit) -> Facts {
    let one = unit.names.get("1");
    for member in &mut unit.members {
        if let Some(body) = &mut member.body {
            // a body this small has nothing to lose
            if body.nodes.len() > 4 {
                slim(body, &mut member.params, one);
            }
            body.nodes.shrink_to_fit();
            body.spans.shrink_to_fit();
            body.lists.shrink_to_fit();
            body.functions.shrink_to_fit();
        }
    }
    unit.names.freeze();
    unit.types.shrink_to_fit();
    unit.members.shrink_to_fit();
    unit.type_refs.shrink_to_fit();
    Facts { unit }
}

fn slim(body: &mut Body, params: &mut [Param], one: Option<Name>) {
    for index in 0..body.nodes.len() {
        if is_data(body, body.nodes[index], one) {
            body.nodes[index] = Node::Plain;
        }
    }
    let keep = reachable(body, params);
    if keep.iter().all(|k| *k) {
        return;
    }
    compact(body, params, &keep);
}

/// Whether a node is an operation on plain data only. Children come before parents in the
/// arena (all but those lowered late, which then merely stay), so one scan settles chains.
fn is_data(body: &Body, node: Node, one: Option<Name>) -> bool {
    let plain = |id: NodeId| matches!(body.node(id), Node::Plain | Node::Num(_));
    let simple = |id: NodeId| plain(id) || matches!(body.node(id), Node::Name(_));
    let is_one = |id: NodeId| matches!(body.node(id), Node::Num(n) if Some(n) == one);
    let beside = |left: NodeId, right: NodeId| matches!(body.node(left), Node::Name(_)) && is_one(right);
    match node {
        // a step from a place in a list to the one beside it says which of its elements is meant
        Node::Binary { op: BinaryOp::Add | BinaryOp::Sub, left, right } if beside(left, right) => false,
        Node::Binary { op: BinaryOp::Arithmetic, left, right } => simple(left) && simple(right),
        // what a limit is says which of two conditions is the narrower
        Node::Binary { op: BinaryOp::Lt | BinaryOp::Le | BinaryOp::Gt | BinaryOp::Ge, left, right } => {
            let limits = |a: NodeId, b: NodeId| matches!((body.node(a), body.node(b)), (Node::Name(_), Node::Num(_)));
            !limits(left, right) && !limits(right, left) && ((plain(left) && simple(right)) || (simple(left) && plain(right)))
        }
        // callables may be put together and taken apart
        Node::Binary { op: BinaryOp::Add | BinaryOp::Sub, left, right } => (plain(left) && simple(right)) || (simple(left) && plain(right)),
        // a step is kept: the name may be that of a field
        Node::Unary { op: UnaryOp::Arithmetic, operand } => simple(operand),
        _ => false,
    }
}

/// What hangs from the body's root or from a parameter of the member.
fn reachable(body: &Body, params: &[Param]) -> Vec<bool> {
    let mut keep = vec![false; body.nodes.len()];
    let mut stack: Vec<NodeId> = body.root.into_iter().collect();
    stack.extend(body.types.iter().map(|&(_, node)| node));
    stack.extend(params.iter().flat_map(|p| [p.default, p.pattern]).flatten());
    while let Some(id) = stack.pop() {
        if std::mem::replace(&mut keep[id.index()], true) {
            continue;
        }
        stack.extend(body.children(id));
    }
    keep
}

fn compact(body: &mut Body, params: &mut [Param], keep: &[bool]) {
    let mut ids: Vec<NodeId> = Vec::with_capacity(keep.len());
    let mut next = 0;
    for &kept in keep {
        ids.push(NodeId::new(next));
        next += usize::from(kept);
    }
    let to = |id: NodeId| ids[id.index()];
    let old_lists = std::mem::take(&mut body.lists);
    let mut lists: Vec<NodeId> = Vec::with_capacity(old_lists.len());
    let mut nodes = Vec::with_capacity(next);
    let mut spans = Vec::with_capacity(next);
    for (index, &kept) in keep.iter().enumerate() {
        if kept {
            let mut list = |l: List| {
                let start = lists.len() as u32;
                lists.extend(old_lists[l.start as usize..(l.start + l.len) as usize].iter().map(|&id| to(id)));
                List { start, len: l.len }
            };
            nodes.push(renumber(body.nodes[index], &to, &mut list));
            spans.push(body.spans[index]);
        }
    }
    for f in &mut body.functions {
        f.body = f.body.map(to);
    }
    for p in params.iter_mut().chain(body.functions.iter_mut().flat_map(|f| &mut f.params)) {
        p.default = p.default.map(to);
        p.pattern = p.pattern.map(to);
    }
    body.nodes = nodes;
    body.spans = spans;
    body.lists = lists;
    body.root = body.root.map(to);
    for (_, node) in &mut body.types {
        *node = to(*node);
    }
}

fn renumber(node: Node, to: &impl Fn(NodeId) -> NodeId, list: &mut impl FnMut(List) -> List) -> Node {
    match node {
        Node::Block(l) => Node::Block(list(l)),
        Node::Variants(l) => Node::Variants(list(l)),
        Node::Template(l) => Node::Template(list(l)),
        Node::Object(l) => Node::Object(list(l)),
        Node::Element(l) => Node::Element(list(l)),
        Node::Opaque(l) => Node::Opaque(list(l)),
        Node::Collection { kind, items } => Node::Collection { kind, items: list(items) },
        Node::Local { name, ty, init, constant } => Node::Local { name, ty, init: init.map(to), constant },
        Node::Pattern { parts, init, positional } => Node::Pattern { parts: list(parts), init: init.map(to), positional },
        Node::If { cond, then, other } => Node::If { cond: to(cond), then: to(then), other: other.map(to) },
        Node::Loop { kind, head, body } => Node::Loop { kind, head: list(head), body: to(body) },
        Node::ForEach { var, iterable, body, keys } => Node::ForEach { var: to(var), iterable: to(iterable), body: to(body), keys },
        Node::Switch { subject, cases } => Node::Switch { subject: subject.map(to), cases: list(cases) },
        Node::Case { labels, guard, body, falls_through } => {
            Node::Case { labels: list(labels), guard: guard.map(to), body: to(body), falls_through }
        }
        Node::Try { body, catches, finally } => Node::Try { body: to(body), catches: list(catches), finally: finally.map(to) },
        Node::Catch { var, body } => Node::Catch { var: var.map(to), body: to(body) },
        Node::Using { resources, body } => Node::Using { resources: list(resources), body: body.map(to) },
        Node::Lock { object, body } => Node::Lock { object: to(object), body: to(body) },
        Node::Return(v) => Node::Return(v.map(to)),
        Node::Throw(v) => Node::Throw(v.map(to)),
        Node::Yield(v) => Node::Yield(v.map(to)),
        Node::Defer(v) => Node::Defer(to(v)),
        Node::Member { object, name, optional } => Node::Member { object: to(object), name, optional },
        Node::MethodRef { object, name } => Node::MethodRef { object: to(object), name },
        Node::Index { object, keys, optional } => Node::Index { object: to(object), keys: list(keys), optional },
        Node::Call { callee, args, type_args, optional } => Node::Call { callee: to(callee), args: list(args), type_args, optional },
        Node::New { ty, args, init, class } => Node::New { ty, args: list(args), init: init.map(to), class },
        Node::Assign { op, target, value } => Node::Assign { op, target: to(target), value: to(value) },
        Node::Binary { op, left, right } => Node::Binary { op, left: to(left), right: to(right) },
        Node::Unary { op, operand } => Node::Unary { op, operand: to(operand) },
        Node::Conditional { cond, then, other } => Node::Conditional { cond: to(cond), then: to(then), other: to(other) },
        Node::TypeTest { object, ty, binding } => Node::TypeTest { object: to(object), ty, binding: binding.map(to) },
        Node::Cast { ty, operand } => Node::Cast { ty, operand: to(operand) },
        Node::Entry { key, value } => Node::Entry { key: to(key), value: to(value) },
        Node::Break
        | Node::Continue
        | Node::Empty
        | Node::Name(_)
        | Node::Lambda(_)
        | Node::Class(_)
        | Node::Str(_)
        | Node::Num(_)
        | Node::Bool(_)
        | Node::Null
        | Node::This
        | Node::OuterThis(_)
        | Node::Super
        | Node::TypeExpr(_)
        | Node::Plain => node,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Language, Span};

    #[test]
    fn plain_arithmetic_goes_and_calls_stay() {
        let mut unit = Unit::new(Language::Java, "a.java");
        let (a, b, f) = (unit.names.intern("a"), unit.names.intern("b"), unit.names.intern("f"));
        let mut body = Body::default();
        let at = Span::default();
        let left = body.push(Node::Name(a), at);
        let right = body.push(Node::Name(b), at);
        let product = body.push(Node::Binary { op: BinaryOp::Arithmetic, left, right }, at);
        let callee = body.push(Node::Name(f), at);
        let args = body.push_list(&[product]);
        let call = body.push(Node::Call { callee, args, type_args: None, optional: false }, at);
        body.root = Some(call);
        slim(&mut body, &mut [], None);
        assert_eq!(body.nodes.len(), 3);
        let Node::Call { callee, args, .. } = body.node(body.root.unwrap_or(call)) else { panic!("the call is gone") };
        assert_eq!(body.node(callee), Node::Name(f));
        assert_eq!(body.node(body.list(args)[0]), Node::Plain);
    }
}
