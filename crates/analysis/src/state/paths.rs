//! What else runs on the way through a function that comes by a statement.

use yarrowgraph_ir::{Body, Node, NodeId};

use crate::program::Scope;

/// Whether a statement for which something holds can run after another one in the same run of its function: behind
/// it in a block around it, in the rest of a loop around it, or around it (`tell(this.x = 3)`).
pub fn comes_after(body: &Body, scope: &Scope, from: NodeId, holds: &dyn Fn(NodeId) -> bool) -> bool {
    let mut inner = from;
    for around in scope.ancestors(from) {
        match body.node(around) {
            Node::Block(list) => {
                let list = body.list(list);
                let at = list.iter().position(|s| *s == inner).unwrap_or(list.len());
                for statement in list.iter().skip(at + 1) {
                    if any_within(body, *statement, holds) {
                        return true;
                    }
                    if body.leaves(*statement) {
                        return false;
                    }
                }
                if body.leaves(inner) && !matches!(body.node(inner), Node::Block(_)) {
                    return false;
                }
            }
            Node::Loop { .. } | Node::ForEach { .. } if any_within(body, around, holds) => return true,
            Node::Try { finally: Some(finally), .. } if any_within(body, finally, holds) => return true,
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

/// Whether a statement for which something holds has certainly run, or may have, when another one of the same function is come to.
pub fn comes_before(body: &Body, scope: &Scope, to: NodeId, holds: &dyn Fn(NodeId) -> bool) -> bool {
    let mut inner = to;
    for around in scope.ancestors(to) {
        match body.node(around) {
            Node::Block(list) => {
                let before = body.list(list).iter().take_while(|s| **s != inner);
                if before.into_iter().any(|s| any_within(body, *s, holds)) {
                    return true;
                }
            }
            Node::If { cond, .. } | Node::Conditional { cond, .. } if inner != cond && any_within(body, cond, holds) => return true,
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
