//! Texts that constants stand for, by themselves or as entries of an object that lists them.

use yarrowgraph_ir::{Node, NodeId};

use super::{Flow, Val};
use crate::program::{MemberId, Site, Sym};

/// Constants are followed through so many names.
const HOPS: u32 = 4;

impl Flow<'_> {
    /// The text that a value stands for: one that is written out, a constant that only ever holds such a text, or an entry of a
    /// constant object.
    pub fn text_of(&self, value: &Val) -> Option<Sym> {
        self.text_within(value, HOPS)
    }

    /// The value of a node where it names a topic or a key: an entry of a constant object stands for its text.
    pub fn key_at(&self, member: MemberId, node: NodeId) -> Val {
        match self.eval_in(member, node) {
            entry @ (Val::Outside(..) | Val::Element(..)) => self.text_of(&entry).map_or(entry, Val::Str),
            other => other,
        }
    }

    fn text_within(&self, value: &Val, hops: u32) -> Option<Sym> {
        let hops = hops.checked_sub(1)?;
        match value {
            Val::Str(text) => Some(*text),
            Val::Static(constant) => match self.eval(self.only_definition(*constant)?) {
                Val::Str(text) => Some(text),
                _ => None,
            },
            Val::Outside(..) | Val::Element(..) => self.text_within(&self.eval(self.entry(value, hops)?), hops),
            _ => None,
        }
    }

    /// The entry of a constant object that a value is: `Topics.HIGH`, `Topics.lock['full']`.
    fn entry(&self, value: &Val, hops: u32) -> Option<Site> {
        let hops = hops.checked_sub(1)?;
        let (of, key) = match value {
            Val::Outside(of, name) => (of, *name),
            Val::Element(of, Some(key)) => match **key {
                Val::Str(key) => (of, key),
                _ => return None,
            },
            _ => return None,
        };
        let table = match &**of {
            Val::Static(constant) => self.listing(*constant)?,
            Val::Literal(site) => *site,
            of => self.entry(of, hops)?,
        };
        self.entry_of_literal(table, key)
    }

    /// The object literal that a constant holds, be it frozen or not.
    pub fn listing(&self, constant: MemberId) -> Option<Site> {
        let site = self.only_definition(constant)?;
        let body = self.program.body(site.member)?;
        match body.node(site.node) {
            Node::Object(_) => Some(site),
            Node::Call { args, .. } => {
                let [only] = body.list(args) else { return None };
                matches!(body.node(*only), Node::Object(_)).then_some(Site { member: site.member, node: *only })
            }
            Node::Cast { operand, .. } if matches!(body.node(operand), Node::Object(_)) => {
                Some(Site { member: site.member, node: operand })
            }
            _ => None,
        }
    }
}
