//! Whether what a statement does is guarded: by the language's own lock, by a guard that is held to the end of a block, by a lock
//! that is taken before and let go later, or by a function that is handed over to be run alone.

use yarrowgraph_ir::{Body, Node, NodeId, UnaryOp};

use crate::program::{Program, Scope, Site};
use crate::written;

/// Whether a statement runs under a lock that its own body takes.
pub fn is_within_lock(program: &Program, site: Site) -> bool {
    let Some(body) = program.body(site.member) else { return false };
    let locks = Locks { program, site, body, scope: program.scope(site.member) };
    let mut inner = site.node;
    for around in locks.scope.ancestors(site.node) {
        let held = match body.node(around) {
            Node::Lock { .. } => true,
            Node::Using { resources, .. } => body.list(resources).iter().any(|r| *r != inner && locks.is_guard(*r)),
            Node::Block(list) => {
                let before = body.list(list).iter().take_while(|s| **s != inner);
                before.into_iter().any(|s| locks.is_guard(*s) || locks.is_taken(*s))
            }
            Node::Call { callee, .. } if callee != inner => locks.called(around).is_some_and(|(_, name)| locks.runs_alone(name)),
            _ => false,
        };
        if held {
            return true;
        }
        inner = around;
    }
    false
}

/// What is asked about a place, with the body around it.
struct Locks<'p> {
    program: &'p Program,
    site: Site,
    body: &'p Body,
    scope: &'p Scope,
}

impl<'p> Locks<'p> {
    /// The object and the name of the method that an expression calls, also where that is waited for.
    fn called(&self, node: NodeId) -> Option<(NodeId, &'p str)> {
        match self.body.node(node) {
            Node::Unary { op: UnaryOp::Await, operand } => self.called(operand),
            Node::Call { callee, .. } => match self.body.node(callee) {
                Node::Member { object, name, .. } => Some((object, self.program.unit_of(self.site.member).text(name))),
                _ => None,
            },
            _ => None,
        }
    }

    fn runs_alone(&self, name: &str) -> bool {
        self.program.kit_of(self.site.member).pack.runs_alone.contains(name)
    }

    /// Whether a statement makes what holds a lock to the end of the block, or keeps what lets go of it.
    fn is_guard(&self, statement: NodeId) -> bool {
        let pack = &self.program.kit_of(self.site.member).pack;
        let value = match self.body.node(statement) {
            Node::Local { ty, init, .. } => {
                let declared = ty.map(|t| self.program.type_in(self.site.member, t));
                if declared.is_some_and(|t| self.program.type_name(&t).is_some_and(|name| pack.lock_guards.contains(name))) {
                    return true;
                }
                init
            }
            Node::Using { resources, body: None } => return self.body.list(resources).iter().any(|r| self.is_guard(*r)),
            Node::Call { .. } | Node::Unary { op: UnaryOp::Await, .. }
                if matches!(self.scope.parent(statement).map(|p| self.body.node(p)), Some(Node::Using { .. })) =>
            {
                Some(statement)
            }
            _ => None,
        };
        value.and_then(|v| self.called(v)).is_some_and(|(_, name)| pack.locks.contains(name))
    }

    /// Whether a statement takes a lock that is let go later, and not before the place that is asked about.
    fn is_taken(&self, statement: NodeId) -> bool {
        let pack = &self.program.kit_of(self.site.member).pack;
        let Some((lock, _)) = self.called(statement).filter(|(_, name)| pack.locks.contains(name)) else { return false };
        let text = |node: NodeId| written::expression(self.program, Site { member: self.site.member, node });
        let taken = text(lock);
        let lets_go = |n: &NodeId| {
            matches!(self.body.node(*n), Node::Call { .. })
                && self.scope.is_before(statement, *n)
                && self.called(*n).is_some_and(|(of, name)| pack.unlocks.contains(name) && text(of) == taken)
        };
        let mut ends = self.body.ids().filter(lets_go).peekable();
        ends.peek().is_some() && ends.all(|end| self.scope.is_before(self.site.node, end))
    }
}
