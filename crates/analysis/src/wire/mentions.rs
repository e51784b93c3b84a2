//! Where the names of topics stand beside the wiring that is understood: in calls of nobody knows
//! what, and in tables. Whoever reads them there may raise the topic or subscribe to it.

use std::collections::BTreeMap;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::Wiring;
use super::channels::Channel;
use super::effect::Act;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Sym, Ty};

/// Mentions of topics, by their text.
#[derive(Debug, Default)]
pub(super) struct Mentions {
    /// Calls and creations that are handed the text.
    calls: FxHashMap<Sym, Vec<Site>>,
    /// Texts that are part of a table.
    tables: FxHashSet<Sym>,
}

impl Mentions {
    fn of(wiring: &Wiring<'_>) -> Self {
        let program = wiring.program();
        let topics: FxHashSet<Sym> =
            wiring.channels.iter().filter_map(|c| c.key.named_topic()).filter_map(|t| program.symbols.get(t)).collect();
        let of_member = |index: usize| {
            let member = MemberId(index as u32);
            let mut found = Vec::new();
            let mut listings: FxHashMap<MemberId, bool> = FxHashMap::default();
            let Some(body) = program.body(member) else { return found };
            for node in body.ids() {
                let Node::Str(text) = body.node(node) else { continue };
                let text = program.sym_in(member, text);
                if topics.contains(&text)
                    && let Some(around) = program.scope(member).parent(node)
                {
                    match body.node(around) {
                        Node::Call { .. } | Node::New { .. } => found.push((text, Some(Site { member, node: around }))),
                        Node::Entry { .. } | Node::Collection { .. } => {
                            let by_entry = |c: MemberId| *listings.entry(c).or_insert_with(|| is_asked_by_entry(&wiring.flow, c));
                            if !listing_around(&wiring.flow, member, around).is_some_and(by_entry) {
                                found.push((text, None));
                            }
                        }
                        _ => {}
                    }
                }
            }
            found
        };
        let mut mentions = Self::default();
        let found: Vec<Vec<(Sym, Option<Site>)>> = (0..program.members.len()).into_par_iter().map(of_member).collect();
        for (text, call) in found.into_iter().flatten() {
            match call {
                Some(call) => mentions.calls.entry(text).or_default().push(call),
                None => _ = mentions.tables.insert(text),
            }
        }
        mentions
    }
}

/// The constant object that an entry stands in.
fn listing_around(flow: &Flow<'_>, member: MemberId, entry: NodeId) -> Option<MemberId> {
    let program = flow.program;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let is_value = |n: &NodeId| matches!(body.node(*n), Node::Entry { .. } | Node::Object(_) | Node::Call { .. } | Node::Cast { .. });
    let constant = match scope.ancestors(entry).find(|n| !is_value(n)).map(|n| body.node(n)) {
        None => member,
        Some(Node::Assign { target, .. }) => match flow.eval_in(member, target) {
            Val::Static(constant) => constant,
            _ => return None,
        },
        _ => return None,
    };
    flow.listing(constant).filter(|l| l.member == member && scope.is_within(entry, l.node)).map(|_| constant)
}

/// Whether nothing but single entries is asked of a constant object: whoever uses such a one names it.
fn is_asked_by_entry(flow: &Flow<'_>, constant: MemberId) -> bool {
    let program = flow.program;
    program.index.reads(program.member(constant).name).iter().all(|read| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let asks_one = match scope.parent(read.node).map(|n| body.node(n)) {
            Some(Node::Member { object: part, .. } | Node::Assign { target: part, .. }) => part == read.node,
            Some(Node::Index { object, keys, .. }) => {
                object == read.node && body.list(keys).iter().all(|k| matches!(body.node(*k), Node::Str(_)))
            }
            // handed out to other files under its name
            Some(Node::Entry { .. }) => program.member(read.member).kind == MemberKind::Initializer,
            _ => false,
        };
        asks_one || flow.eval(*read) != Val::Static(constant)
    })
}

impl Wiring<'_> {
    /// Whether the name of a channel's topic stands where something may be done to it that is not understood.
    pub fn is_mentioned(&self, channel: &Channel) -> bool {
        let Some(text) = channel.key.named_topic().and_then(|t| self.program().symbols.get(t)) else { return false };
        let mentions = self.mentions.get_or_init(|| Mentions::of(self));
        let mut effects = channel.joins.iter().chain(&channel.leaves).chain(&channel.raises);
        let from_table = effects.any(|e| self.effects[*e].by_row);
        if mentions.tables.contains(&text) && !from_table {
            return true;
        }
        let calls = mentions.calls.get(&text).map_or(&[][..], Vec::as_slice);
        // what the message is made with: `dispatchEvent(new CustomEvent('halted'))`
        let of_channel = |site: Site| self.effects_at(site).any(|e| channel.raises.contains(&e));
        let is_message = |call: &Site| {
            let around = self.flow.program.scope(call.member).parent(call.node);
            around.is_some_and(|node| of_channel(Site { member: call.member, node }))
        };
        let is_known =
            |call: &Site| self.by_site.contains_key(call) || self.only_writes(*call) || self.only_keeps(*call) || is_message(call);
        calls.iter().any(|call| !is_known(call) && self.flow.callee(*call).is_none())
    }

    /// Whether the name of a topic is an argument of a call of which nothing is known: that may raise it.
    pub fn is_handed_out(&self, channel: &Channel) -> bool {
        let (flow, program) = (&self.flow, self.program());
        let joins = channel.joins.iter().map(|j| &self.effects[*j]);
        let keys = joins.filter_map(|e| Some((e.site, e.holder.key.as_ref()?)));
        let names = keys.flat_map(|(site, key)| {
            let body = program.body(site.member);
            let args = body.and_then(|body| match body.node(site.node) {
                Node::Call { args, .. } => Some((body, body.list(args))),
                _ => None,
            });
            let named = args.into_iter().flat_map(|(body, args)| args.iter().map(move |arg| (body.node(*arg), *arg)));
            named.filter_map(move |(node, arg)| match node {
                Node::Member { name, .. } | Node::Name(name) if flow.key_at(site.member, arg) == *key => {
                    Some((program.sym_in(site.member, name), key))
                }
                _ => None,
            })
        });
        let names: BTreeMap<_, _> = names.collect();
        names.into_iter().flat_map(|(name, key)| program.index.reads(name).iter().map(move |read| (read, key))).any(|(read, key)| {
            let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
            let Some(around) = scope.parent(read.node) else { return false };
            let call = Site { member: read.member, node: around };
            let is_argument = matches!(body.node(around), Node::Call { args, .. } if body.list(args).contains(&read.node));
            is_argument
                && self.effects_at(call).next().is_none()
                && flow.callee(call).is_none()
                && !self.only_writes(call)
                && !self.only_keeps(call)
                && flow.key_at(read.member, read.node) == *key
        })
    }

    /// Whether a call is of what only writes down what it is given: `console.log('risen')`.
    pub fn only_writes(&self, call: Site) -> bool {
        let program = self.program();
        let Some(body) = program.body(call.member) else { return false };
        let Node::Call { callee, .. } = body.node(call.node) else { return false };
        let Node::Member { object, .. } = body.node(callee) else { return false };
        let (Node::Name(name) | Node::Member { name, .. }) = body.node(object) else { return false };
        program.kit_of(call.member).pack.writers.contains(program.unit_of(call.member).text(name))
    }
}

impl Wiring<'_> {
    /// Whether a call is of a list, which puts what it is given among its items: a raise of an item is one of a computed topic.
    fn only_keeps(&self, call: Site) -> bool {
        let Some(body) = self.program().body(call.member) else { return false };
        let Node::Call { callee, .. } = body.node(call.node) else { return false };
        let Node::Member { object, .. } = body.node(callee) else { return false };
        matches!(self.flow.type_of_node(call.member, object), Ty::Array(_))
    }

    /// Whether a constant that stands for a topic is a part of what is not seen: which text that is nobody can say.
    pub fn is_borrowed(&self, constant: MemberId) -> bool {
        let definitions = self.flow.definitions(constant);
        definitions.iter().any(|d| matches!(self.flow.eval(*d), Val::Outside(..) | Val::Element(..)))
    }

    /// The subscriptions to topics of the same name on other objects.
    pub fn joins_alike(&self, channel: &Channel) -> Vec<usize> {
        let Some(name) = channel.key.named_topic() else { return Vec::new() };
        let alike = self.channels.iter().filter(|c| c.key != channel.key && c.key.named_topic() == Some(name));
        alike.flat_map(|c| c.joins.iter().copied()).collect()
    }

    /// Whether the same is done to a topic of the same name on an object of which nothing is known: it may be the
    /// one that a channel belongs to.
    pub fn is_done_to_unknown(&self, channel: &Channel, act: Act) -> bool {
        let Some(name) = channel.key.named_topic() else { return false };
        let alike = self.channels.iter().filter(|c| c.key != channel.key && c.key.named_topic() == Some(name));
        let effects = alike.flat_map(|c| if act == Act::Join { &c.joins } else { &c.raises });
        effects.map(|e| &self.effects[*e]).any(|e| self.flow.type_of(&e.holder.subject) == Ty::Unknown)
    }
}
