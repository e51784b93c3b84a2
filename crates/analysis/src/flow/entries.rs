//! Entries of maps and what iterators stand for: an entry is as good as its value, an iterator as what it walks.

use std::sync::Arc;

use yarrowgraph_ir::{Node, NodeId};

use super::{Flow, Val};
use crate::program::{Declared, MemberId, Site, Sym, Ty};

impl Flow<'_> {
    /// What a member is asked of: an element where an iterator is written, and what is known by its type where one of two is.
    pub(super) fn walked_by(&self, member: MemberId, written: NodeId, object: Val, budget: u32) -> Val {
        let Some(body) = self.program.body(member) else { return object };
        match body.node(written) {
            Node::Name(_) if !self.program.kit_of(member).pack.list_begins.is_empty() && !matches!(object, Val::Element(..)) => {
                match self.list_of_iterator(member, written) {
                    Some(list) => Val::Element(Arc::new(self.eval_at(member, list, budget)), None),
                    None => object,
                }
            }
            Node::Conditional { .. } if object == Val::Unknown => Val::Local(Site { member, node: written }),
            _ => object,
        }
    }

    /// Whether an object is an entry that is met on a walk through a map, of which a name means the value: one that is said to be an
    /// entry, or one whose value has no such member.
    pub(super) fn is_met_entry(&self, member: MemberId, written: NodeId, object: &Val, name: Sym, budget: u32) -> bool {
        let program = self.program;
        let Val::Element(of, None) = object else { return false };
        let has_own = || self.type_of_val(object, budget).own().is_some_and(|t| program.find_member(t, name).is_some());
        self.is_entry(member, written) || program.is_map(&self.type_of_val(of, budget)) && !has_own()
    }

    /// Whether a name is that of a local that is said to be an entry of a map: a key with what is there.
    fn is_entry(&self, member: MemberId, named: NodeId) -> bool {
        let program = self.program;
        let (Some(body), scope) = (program.body(member), program.scope(member)) else { return false };
        let Node::Name(name) = body.node(named) else { return false };
        let Some(Declared::Local(local)) = scope.lookup(name, named) else { return false };
        let Node::Local { ty: Some(ty), .. } = body.node(local) else { return false };
        matches!(program.type_in(member, ty), Ty::Outside(name, _) if program.kit_of(member).pack.tuples.contains(program.text(name)))
    }

    /// Whether an expression is the range of the entries under a key: its ends are places in the map.
    pub(super) fn is_of_range(&self, site: Site, object: NodeId) -> bool {
        let Some(body) = self.program.body(site.member) else { return false };
        let made = match body.node(object) {
            Node::Name(name) => match self.program.scope(site.member).lookup(name, object) {
                Some(Declared::Local(local)) => match body.node(local) {
                    Node::Local { init: Some(init), .. } => init,
                    _ => return false,
                },
                _ => return false,
            },
            _ => object,
        };
        let Node::Call { callee, .. } = body.node(made) else { return false };
        matches!(body.node(callee), Node::Member { name, .. } if self.program.kit_of(site.member).pack.key_ranges.contains(self.program.text(self.program.sym_in(site.member, name))))
    }
}
