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

    /// Where a map is written out.
    pub fn map_literal(&self, site: Site) -> Option<Site> {
        let body = self.program.body(site.member)?;
        let at = |node: NodeId| Site { member: site.member, node };
        match body.node(site.node) {
            Node::Object(_) | Node::Collection { .. } => Some(site),
            Node::New { init: Some(init), .. } => Some(at(init)),
            Node::New { args, .. } => match body.list(args) {
                [only] => self.map_literal(at(*only)),
                [_, _, ..] => Some(site),
                _ => None,
            },
            Node::Call { callee, args, .. } => match body.list(args) {
                // a list of pairs is what the function makes of it
                [only]
                    if self.program.kit_of(site.member).traits.duck_typed
                        && matches!(body.node(*only), Node::Collection { .. })
                        && !self.makes_map(site.member, callee) =>
                {
                    None
                }
                [only] => self.map_literal(at(*only)),
                [_, _, ..] if self.callee(site).is_none() => Some(site),
                _ => None,
            },
            Node::Cast { operand, .. } => self.map_literal(at(operand)),
            _ => None,
        }
    }

    /// Whether a function is called for a map by its name: `Object.fromEntries([…])`, `freeze(new Map([…]))`.
    fn makes_map(&self, member: MemberId, callee: NodeId) -> bool {
        let name = match self.program.body(member).map(|b| b.node(callee)) {
            Some(Node::Name(name) | Node::Member { name, .. }) => self.program.unit_of(member).text(name).to_ascii_lowercase(),
            _ => return false,
        };
        ["entries", "map", "freeze", "dict", "object"].iter().any(|word| name.contains(word))
    }

    /// The one value that a collection is given as a whole; where it is declared by value it is empty before.
    pub fn collection_given(&self, member: MemberId) -> Option<Site> {
        let is_empty = |d: &&Site| {
            let made = self.program.body(d.member).map(|body| body.node(d.node));
            d.member == member && matches!(made, Some(Node::New { args, init: None, class: None, .. }) if args.len == 0)
        };
        match self.definitions(member) {
            [empty, given] if is_empty(&empty) => Some(*given),
            _ => self.only_definition(member),
        }
    }

    /// The keys and values of a map that is written out.
    pub fn pairs(&self, site: Site) -> Vec<(Site, Site)> {
        let Some(body) = self.program.body(site.member) else { return Vec::new() };
        let at = |node: NodeId| Site { member: site.member, node };
        let pair = |node: NodeId| match body.node(node) {
            Node::Entry { key, value } => Some((at(key), at(value))),
            Node::Collection { items, .. } | Node::Call { args: items, .. } | Node::New { args: items, .. } => match body.list(items) {
                [key, value] => Some((at(*key), at(*value))),
                _ => None,
            },
            _ => None,
        };
        match body.node(site.node) {
            Node::Object(entries) | Node::Collection { items: entries, .. } => body.list(entries).iter().filter_map(|e| pair(*e)).collect(),
            Node::New { args, .. } => body.list(args).iter().filter_map(|e| pair(*e)).collect(),
            Node::Call { args, .. } => {
                let args = body.list(args);
                let all_pairs = args.iter().all(|a| matches!(body.node(*a), Node::Call { args, .. } if args.len == 2));
                if all_pairs {
                    args.iter().filter_map(|a| pair(*a)).collect()
                } else {
                    args.chunks(2).filter_map(|c| if let [k, v] = c { Some((at(*k), at(*v))) } else { None }).collect()
                }
            }
            _ => Vec::new(),
        }
    }
}
