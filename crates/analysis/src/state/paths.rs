//! What else runs on the way through a function that comes by a statement.

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId, TypeRef};

use crate::program::{Program, Scope, Site};

/// Whether a statement for which something holds can run after another one in the same run of its function: behind
/// it in a block around it, in the rest of a loop around it, or around it (`tell(this.x = 3)`).
pub fn comes_after(body: &Body, scope: &Scope, from: NodeId, holds: &dyn Fn(NodeId) -> bool) -> bool {
    after(body, scope, from, holds, &|statement| any_within(body, statement, holds))
}

/// Whether a statement can run after another one in the same run of its function, as in [`comes_after`].
pub fn follows(body: &Body, scope: &Scope, from: NodeId, node: NodeId) -> bool {
    after(body, scope, from, &|n| n == node, &|statement| scope.is_within(node, statement))
}

/// Whether something holds for what comes after a statement: for a node, or somewhere within one.
fn after(body: &Body, scope: &Scope, from: NodeId, holds: &dyn Fn(NodeId) -> bool, within: &dyn Fn(NodeId) -> bool) -> bool {
    let mut inner = from;
    // on the way out of a loop or choice, or on to its next turn
    let mut skips: Option<Node> = None;
    for around in scope.ancestors(from) {
        match body.node(around) {
            Node::Block(_) if skips.is_some() => {}
            Node::Block(list) => {
                let list = body.list(list);
                let at = list.iter().position(|s| *s == inner).unwrap_or(list.len());
                for statement in list.iter().skip(at) {
                    if *statement != inner && within(*statement) {
                        return true;
                    }
                    if body.leaves(*statement) && (*statement != inner || !matches!(body.node(inner), Node::Block(_))) {
                        skips = jump(body, *statement);
                        if skips.is_none() {
                            return false;
                        }
                        break;
                    }
                }
            }
            Node::Loop { .. } | Node::ForEach { .. } => {
                if skips != Some(Node::Break) && within(around) {
                    return true;
                }
                skips = None;
            }
            Node::Switch { .. } if skips == Some(Node::Break) => skips = None,
            Node::Try { finally: Some(finally), .. } if within(finally) => return true,
            // what a condition does comes before its branches
            Node::If { cond, .. } | Node::Conditional { cond, .. } if cond == inner && within(around) => return true,
            Node::Lambda(_) => return false,
            _ => {}
        }
        if holds(around) {
            return true;
        }
        inner = around;
    }
    false
}

/// The jump within its function that a statement ends in: [`Node::Break`] or [`Node::Continue`].
fn jump(body: &Body, statement: NodeId) -> Option<Node> {
    match body.node(statement) {
        jump @ (Node::Break | Node::Continue) => Some(jump),
        Node::Block(list) => body.list(list).last().and_then(|last| jump(body, *last)),
        _ => None,
    }
}

/// Whether a statement has certainly run, or may have, when another one of the same function is come to.
pub fn precedes(body: &Body, scope: &Scope, to: NodeId, node: NodeId) -> bool {
    let within = |statement: NodeId| scope.is_within(node, statement);
    let mut inner = to;
    for around in scope.ancestors(to) {
        match body.node(around) {
            Node::Block(list) => {
                let before = body.list(list).iter().take_while(|s| **s != inner);
                if before.into_iter().any(|s| within(*s)) {
                    return true;
                }
            }
            Node::If { cond, .. } | Node::Conditional { cond, .. } if inner != cond && within(cond) => return true,
            Node::Lambda(_) => return false,
            _ => {}
        }
        inner = around;
    }
    false
}

/// Whether something holds for a node or for one below it, in functions written there too.
pub fn any_within(body: &Body, node: NodeId, holds: &dyn Fn(NodeId) -> bool) -> bool {
    holds(node) || body.children(node).into_iter().any(|child| any_within(body, child, holds))
}

/// Whether something is come to in every run of a stretch of code: it is the condition of a branch, not part of one,
/// nor behind a way out.
pub fn runs_always(body: &Body, scope: &Scope, node: NodeId, root: NodeId) -> bool {
    runs_where(body, scope, node, root, &|_| None)
}

/// The same where it is known of some conditions whether they hold.
pub fn runs_where(body: &Body, scope: &Scope, node: NodeId, root: NodeId, decided: &dyn Fn(NodeId) -> Option<bool>) -> bool {
    let mut inner = node;
    for around in scope.ancestors(node).take_while(|_| node != root) {
        let always = match body.node(around) {
            Node::If { cond, then, .. } if inner != cond => decided(cond) == Some(inner == then),
            Node::If { .. } => true,
            Node::Conditional { cond, .. } => inner == cond,
            Node::Switch { subject, .. } => subject == Some(inner),
            Node::Binary { op: BinaryOp::And | BinaryOp::Or | BinaryOp::Coalesce, left, .. } => inner == left,
            Node::Lambda(_) | Node::Catch { .. } => false,
            Node::ForEach { iterable, .. } => inner == iterable,
            Node::Loop { .. } => around == root,
            Node::Block(list) => {
                let before = body.list(list).iter().take_while(|s| **s != inner);
                let is_never_taken = |s: &NodeId| match body.node(*s) {
                    Node::If { cond, then, other } => match decided(cond) {
                        Some(true) => !may_return(body, then),
                        Some(false) => other.is_none_or(|o| !may_return(body, o)),
                        None => false,
                    },
                    _ => false,
                };
                before.into_iter().all(|s| !may_return(body, *s) || is_never_taken(s))
            }
            _ => true,
        };
        if around == root {
            return always;
        }
        if !always {
            return false;
        }
        inner = around;
    }
    node == root
}

/// Whether a statement may leave the function that it stands in; what a function within it does leaves that alone.
fn may_return(body: &Body, statement: NodeId) -> bool {
    let mut stack = vec![statement];
    while let Some(at) = stack.pop() {
        match body.node(at) {
            Node::Return(_) => return true,
            Node::Lambda(_) => {}
            _ => stack.extend(body.children(at)),
        }
    }
    false
}

/// Whether what a call comes to is of no use to anybody: it is a statement of its own, or all that a method does that gives
/// nothing back.
pub fn is_statement(program: &Program, site: Site) -> bool {
    let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return false };
    let mut node = site.node;
    while let Some(parent) = scope.parent(node) {
        match body.node(parent) {
            Node::Block(_) => return true,
            Node::If { cond, .. } => return cond != node,
            Node::ForEach { body: inner, .. } | Node::Loop { body: inner, .. } | Node::Case { body: inner, .. } => return inner == node,
            Node::Unary { .. } => node = parent,
            _ => return false,
        }
    }
    let unit = program.unit_of(site.member);
    let is_void = |ty| matches!(unit.type_ref(ty), TypeRef::Named { name, .. } if unit.text(*name) == "void");
    body.root == Some(node) && program.decl(site.member).ty.is_some_and(is_void)
}
