//! Calls in a chain: `rules.from(CLOSED).on(RAISE).to(OPEN)`. Each is about what the one before it gives back, which is
//! asked for by itself and remembered, so that no chain is too long to be followed.

use yarrowgraph_ir::{Node, NodeId};

use super::{BUDGET, Callee, Flow, Val, object_of};
use crate::program::{Site, Ty};

/// Shorter chains are followed as they are.
const LONG: usize = 3;

/// The types of longer ones are not followed from their beginning.
const LONGEST: usize = 64;

impl Flow<'_> {
    /// The object of a call, where that is a chain of calls and what these come to is remembered.
    pub(super) fn chain_before(&self, site: Site) -> Option<NodeId> {
        if self.values.is_empty() { None } else { self.long_chain_before(site) }
    }

    fn long_chain_before(&self, site: Site) -> Option<NodeId> {
        let body = self.program.body(site.member)?;
        let before = object_of(body, site.node)?;
        let calls = std::iter::successors(Some(before), |node| object_of(body, *node)).take(LONG);
        (calls.filter(|n| matches!(body.node(*n), Node::Call { .. })).count() == LONG).then_some(before)
    }

    /// The type of the last call of a long chain, by what the methods of the tree say that they give back.
    pub(super) fn type_in_chain(&self, site: Site, budget: u32) -> Option<Ty> {
        let program = self.program;
        self.long_chain_before(site)?;
        let body = program.body(site.member)?;
        let mut calls: Vec<NodeId> = std::iter::successors(Some(site.node), |node| object_of(body, *node)).take(LONGEST).collect();
        if calls.len() == LONGEST {
            return Some(Ty::Unknown);
        }
        let mut ty = self.type_of_val(&self.eval_at(site.member, calls.pop()?, budget), budget).bounded();
        while let Some(call) = calls.pop() {
            let Node::Call { callee, args, .. } = body.node(call) else { return None };
            let Node::Member { name, .. } = body.node(callee) else { return None };
            let (Ty::Own(class, _) | Ty::Static(class)) = ty else { return None };
            let found = program.find_member_as(class, program.sym_in(site.member, name), true)?;
            let method = self.overload(found, Site { member: site.member, node: call }, args.len as usize, budget);
            let owner = program.member(method).owner;
            ty = match program.declared_type(method) {
                Ty::Unknown if self.returned(method, budget) == Some(Val::This(owner)) => ty,
                Ty::Own(t, _) if t == owner && self.returned(method, budget) == Some(Val::This(owner)) => ty,
                declared => declared.substitute(&program.ty(owner).params, &program.base_args(class, ty.args(), owner)).bounded(),
            };
        }
        Some(ty)
    }

    /// The method that the last call of a chain reaches.
    pub(super) fn callee_in_chain(&self, site: Site, before: NodeId) -> Option<Callee> {
        let program = self.program;
        let body = program.body(site.member)?;
        let Node::Call { callee, args, .. } = body.node(site.node) else { return None };
        let Node::Member { name, .. } = body.node(callee) else { return None };
        let name = program.sym_in(site.member, name);
        if !program.is_declared(name) {
            return None;
        }
        match self.member_of(self.eval_in(site.member, before), name, true, BUDGET) {
            Val::Method(member, receiver) => {
                let member = self.overload(member, site, args.len as usize, BUDGET);
                Some(Callee { member, receiver: receiver.map(|r| (*r).clone()), extension: false })
            }
            _ => self.method_called(site, callee, args.len as usize, BUDGET),
        }
    }

    /// What the last call of a chain gives back, where it reaches a method of the tree.
    pub(super) fn value_in_chain(&self, site: Site) -> Option<Val> {
        let callee = self.callee(site)?;
        Some(self.through_call(site, &callee, BUDGET).unwrap_or(Val::Call(site)))
    }
}
