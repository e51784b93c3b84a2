//! Which kinds of nodes a body has: most walks over all bodies are for kinds that few bodies have.

use std::ops::{BitOr, BitOrAssign};

use yarrowgraph_ir::{BinaryOp, Node, UnaryOp};

/// A set of kinds of nodes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Kinds(u16);

impl Kinds {
    /// Assignments.
    pub const ASSIGN: Self = Self(1);
    /// Calls.
    pub const CALL: Self = Self(1 << 1);
    /// Creations of objects.
    pub const NEW: Self = Self(1 << 2);
    /// Removals of a member or an entry.
    pub const DELETE: Self = Self(1 << 3);
    /// Loops.
    pub const WALK: Self = Self(1 << 4);
    /// Elements by their place or key.
    pub const INDEX: Self = Self(1 << 5);
    /// Choices among cases.
    pub const SWITCH: Self = Self(1 << 6);
    /// Branches.
    pub const IF: Self = Self(1 << 7);
    /// Values taken apart into locals.
    pub const PATTERN: Self = Self(1 << 8);
    /// Functions written in a body.
    pub const LAMBDA: Self = Self(1 << 9);
    /// Tests of equality and of the class of an object.
    pub const COMPARISON: Self = Self(1 << 10);

    /// The kind of a node; empty for a kind that nobody asks for.
    pub fn of(node: Node) -> Self {
        match node {
            Node::Assign { .. } => Self::ASSIGN,
            Node::Call { .. } => Self::CALL,
            Node::New { .. } => Self::NEW,
            Node::Unary { op: UnaryOp::Delete, .. } => Self::DELETE,
            Node::ForEach { .. } | Node::Loop { .. } => Self::WALK,
            Node::Lambda(_) => Self::LAMBDA,
            Node::Index { .. } => Self::INDEX,
            Node::Switch { .. } => Self::SWITCH,
            Node::If { .. } => Self::IF,
            Node::Pattern { .. } => Self::PATTERN,
            Node::TypeTest { .. } | Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, .. } => Self::COMPARISON,
            _ => Self::default(),
        }
    }

    /// Whether one of some kinds is among these.
    pub fn any(self, of: Self) -> bool {
        self.0 & of.0 != 0
    }
}

impl BitOr for Kinds {
    type Output = Self;

    fn bitor(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }
}

impl BitOrAssign for Kinds {
    fn bitor_assign(&mut self, other: Self) {
        self.0 |= other.0;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_set_holds_what_was_put_into_it() {
        let mut kinds = Kinds::of(Node::Null) | Kinds::SWITCH;
        assert!(kinds.any(Kinds::IF | Kinds::SWITCH) && !kinds.any(Kinds::IF));
        kinds |= Kinds::IF;
        assert!(kinds.any(Kinds::IF) && !kinds.any(Kinds::WALK));
    }
}
