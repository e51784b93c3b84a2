//! What objects hold besides their channels: which statements change a field, which expressions read one,
//! and which calls end in telling others of it. Several rules ask whether what changes is announced.

mod locks;
mod paths;
mod periodic;
mod properties;
mod reads;
mod registries;
mod rosters;
mod writes;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{Node, NodeId};

use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};

pub use locks::is_within_lock;
pub use paths::{any_within, comes_after, follows, is_statement, precedes, runs_always, runs_where};
pub use periodic::{Round, rounds};
pub use reads::Read;
pub use registries::{Entry, Key, Registry, entries};
pub use writes::{How, Write};

/// How many calls deep a raise is looked for behind a call.
const DEPTH: u32 = 3;
/// A member that tells so many channels is a hub, and calling it says nothing in particular.
const MANY: usize = 64;

/// What fields hold and who tells of it, over the whole program.
#[derive(Debug)]
pub struct State {
    /// For each field the statements that change it, in the order of the tree.
    writes: FxHashMap<MemberId, Vec<Write>>,
    /// Those fields, in order.
    fields: Vec<MemberId>,
    /// The channels that are raised, by the class whose objects own them.
    owned: FxHashMap<TypeId, Vec<usize>>,
    /// For each member the nodes that raise a channel, or call what does, with the channel's number.
    tellings: FxHashMap<MemberId, Vec<(NodeId, usize)>>,
    /// For each field the channels that announce it, found when it is asked for.
    announced: OnceLock<FxHashMap<MemberId, Vec<usize>>>,
    /// The fields that each channel announces.
    announces: OnceLock<FxHashMap<usize, BTreeSet<MemberId>>>,
}

impl State {
    /// Finds it for a program.
    pub(crate) fn of(wiring: &Wiring<'_>) -> Self {
        let writes = writes::all(wiring);
        let mut fields: Vec<MemberId> = writes.keys().copied().collect();
        fields.sort_unstable();
        Self { writes, fields, owned: owned(wiring), tellings: tellings(wiring), announced: OnceLock::new(), announces: OnceLock::new() }
    }
}

/// The channels that are raised, by the class whose objects own them.
fn owned(wiring: &Wiring<'_>) -> FxHashMap<TypeId, Vec<usize>> {
    let mut found: FxHashMap<TypeId, Vec<usize>> = FxHashMap::default();
    for (number, channel) in wiring.channels.iter().enumerate().filter(|(_, c)| !c.raises.is_empty()) {
        let owners: BTreeSet<TypeId> = match channel.key {
            ChannelKey::Own(m, _) => BTreeSet::from([wiring.program().member(m).owner]),
            // an emitter that the class inherits from a library, or makes for itself
            _ => {
                let subjects = channel.raises.iter().map(|r| &wiring.effects[*r].holder.subject);
                subjects
                    .filter_map(|s| match s {
                        Val::This(class) => Some(*class),
                        Val::Member(of, field) if makes_itself(wiring, *field) => match **of {
                            Val::This(class) => Some(class),
                            _ => None,
                        },
                        _ => None,
                    })
                    .collect()
            }
        };
        for class in owners {
            found.entry(class).or_default().push(number);
        }
    }
    found
}

/// Whether a field only ever holds what is made for it.
fn makes_itself(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let made = wiring.flow.only_definition(field);
    made.is_some_and(|d| wiring.program().body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::New { .. })))
}

/// Carries raises to the calls of what raises, and to the calls of these.
fn tellings(wiring: &Wiring<'_>) -> FxHashMap<MemberId, Vec<(NodeId, usize)>> {
    let mut found: FxHashMap<MemberId, BTreeSet<(NodeId, usize)>> = FxHashMap::default();
    let mut told: BTreeMap<MemberId, BTreeSet<usize>> = BTreeMap::new();
    for (number, channel) in wiring.channels.iter().enumerate() {
        for effect in channel.raises.iter().map(|r| &wiring.effects[*r]) {
            for site in std::iter::once(effect.site).chain(effect.inner.iter().copied()) {
                found.entry(site.member).or_default().insert((site.node, number));
                // what a wrapper tells is up to each of its callers, who has that of his own
                if site == effect.site && !runs_later(wiring, site) {
                    told.entry(site.member).or_default().insert(number);
                }
            }
        }
    }
    let mut fresh = told.clone();
    for _ in 0..DEPTH {
        let calls: Vec<(Site, &BTreeSet<usize>)> = fresh
            .par_iter()
            .filter(|(_, channels)| channels.len() <= MANY)
            .flat_map_iter(|(m, channels)| wiring.flow.call_sites(*m).iter().map(move |site| (*site, channels)))
            .collect();
        let mut next: BTreeMap<MemberId, BTreeSet<usize>> = BTreeMap::new();
        for (site, channels) in calls {
            for channel in channels {
                found.entry(site.member).or_default().insert((site.node, *channel));
                if !runs_later(wiring, site) && told.entry(site.member).or_default().insert(*channel) {
                    next.entry(site.member).or_default().insert(*channel);
                }
            }
        }
        fresh = next;
    }
    found.into_iter().map(|(m, nodes)| (m, nodes.into_iter().collect())).collect()
}

/// Whether a statement stands in a function that a scheduler or a promise runs in its own time.
fn runs_later(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let pack = &*program.kit_of(site.member).pack;
    let later = [&pack.schedulers, &pack.other_lanes, &pack.settles];
    let mut calls = wiring.hand_overs(site).into_iter().filter(|(node, _)| matches!(body.node(*node), Node::Call { .. }));
    calls.any(|(_, name)| later.into_iter().any(|names| names.contains(name)))
}

impl Wiring<'_> {
    /// The statements that change what a field holds, those in constructors too.
    pub fn writes(&self, field: MemberId) -> &[Write] {
        self.state().writes.get(&field).map_or(&[], Vec::as_slice)
    }

    /// The fields that are changed somewhere, in order.
    pub fn written_fields(&self) -> impl Iterator<Item = MemberId> + '_ {
        self.state().fields.iter().copied()
    }

    /// The places in a member's body that raise a channel, or call what does, with the channel's number.
    pub fn tellings(&self, member: MemberId) -> &[(NodeId, usize)] {
        self.state().tellings.get(&member).map_or(&[], Vec::as_slice)
    }
}

impl Wiring<'_> {
    /// The channels that announce what a field holds: changes of it are followed by a raise, by its own methods or
    /// by those who call them.
    pub fn announced_on(&self, field: MemberId) -> &[usize] {
        self.announced().get(&field).map_or(&[], Vec::as_slice)
    }

    fn announced(&self) -> &FxHashMap<MemberId, Vec<usize>> {
        let find = || self.written_fields().map(|f| (f, self.announcers(f))).filter(|(_, channels)| !channels.is_empty()).collect();
        self.state().announced.get_or_init(find)
    }

    /// The fields of which a channel announces that they change.
    pub fn fields_announced_on(&self, channel: usize) -> BTreeSet<MemberId> {
        let find = || {
            let mut by_channel: FxHashMap<usize, BTreeSet<MemberId>> = FxHashMap::default();
            for (field, channels) in self.announced() {
                channels.iter().for_each(|c| _ = by_channel.entry(*c).or_default().insert(*field));
            }
            by_channel
        };
        self.state().announces.get_or_init(find).get(&channel).cloned().unwrap_or_default()
    }

    fn announcers(&self, field: MemberId) -> Vec<usize> {
        let program = self.program();
        let of_subject = self.channels_of(program.member(field).owner);
        if of_subject.is_empty() {
            return Vec::new();
        }
        let mut found = Vec::new();
        for write in self.writes(field).iter().filter(|w| !w.initial) {
            found.extend(self.told_behind(write.site));
            // who calls a method that only writes announces for it
            let callers = self.flow.call_sites(write.site.member).iter().filter(|site| !self.in_test(site.member));
            found.extend(callers.take(20).flat_map(|site| self.told_behind(*site)));
        }
        found.retain(|c| of_subject.contains(c));
        found.sort_unstable();
        found.dedup();
        found
    }

    /// A channel of a field's own object whose raises hand out what the field holds.
    pub fn hands_on(&self, field: MemberId) -> Option<usize> {
        let program = self.program();
        self.channels_of(program.member(field).owner).into_iter().find(|c| {
            self.channels[*c].raises.iter().map(|r| self.effects[*r].innermost()).any(|site| {
                let Some(body) = program.body(site.member) else { return false };
                let Node::Call { args, .. } = body.node(site.node) else { return false };
                let is_it = |arg: &NodeId| matches!(self.flow.eval_in(site.member, *arg), Val::Member(of, m) if m == field && matches!(*of, Val::This(_)));
                body.list(args).iter().any(is_it)
            })
        })
    }

    /// The channels that objects of a class own, those of its bases too.
    pub fn channels_of(&self, class: TypeId) -> Vec<usize> {
        let owned = &self.state().owned;
        let mut found = BTreeSet::new();
        self.program().for_each_base(class, &mut |base| {
            found.extend(owned.get(&base).into_iter().flatten().copied());
            true
        });
        found.into_iter().collect()
    }

    /// The channels that are told behind a statement, in its function.
    pub fn told_behind(&self, site: Site) -> Vec<usize> {
        let program = self.program();
        let Some(body) = program.body(site.member) else { return Vec::new() };
        let scope = program.scope(site.member);
        let behind = |node: NodeId| node == site.node || follows(body, scope, site.node, node);
        self.tellings(site.member).iter().filter(|(node, _)| behind(*node)).map(|(_, channel)| *channel).collect()
    }

    /// The class whose code a subscription runs: that of its method, or the one its function is written in.
    pub fn listening_class(&self, join: usize) -> Option<TypeId> {
        let program = self.program();
        let handler = self.effects[join].handler.as_ref()?;
        match self.flow.function_of(handler) {
            Some(Val::Method(m, _) | Val::Lambda(m, _)) => Some(program.member(m).owner),
            _ => self.flow.type_of(handler).own(),
        }
    }

    /// The code that a channel runs for a subscription: that of a function, or of the one method that is called on an object.
    pub fn code_told(&self, channel: &Channel, join: usize) -> Option<Site> {
        let messages: BTreeSet<Sym> = channel.raises.iter().filter_map(|r| self.effects[*r].message).collect();
        let is_one = messages.len() <= 1 || self.effects[join].handler.as_ref().is_some_and(|h| self.flow.code_of(h).is_some());
        is_one.then(|| self.code_told_by(join, messages.first().copied())).flatten()
    }

    /// The code that one of the methods by which a channel tells its objects runs for a subscription.
    pub fn code_told_by(&self, join: usize, message: Option<Sym>) -> Option<Site> {
        let handler = self.effects[join].handler.as_ref()?;
        self.flow.code_of(handler).or_else(|| {
            let program = self.program();
            let class = self.flow.type_of(handler).own()?;
            let message = message.or_else(|| self.message_by_name(class))?;
            let member = program.find_member_as(class, message, true)?;
            Some(Site { member, node: program.body(member)?.root? })
        })
    }

    /// The method by which an object is told that a library's interface asks for under its own name: `propertyChange` of a
    /// `PropertyChangeListener`.
    fn message_by_name(&self, class: TypeId) -> Option<Sym> {
        let program = self.program();
        program.outside_bases(class).into_iter().find_map(|base| {
            let name = program.text(base).strip_suffix("Listener")?;
            let mut letters = name.chars();
            let method = letters.next()?.to_lowercase().chain(letters).collect::<String>();
            program.symbols.get(&method).filter(|m| program.find_member_as(class, *m, true).is_some())
        })
    }

    /// The walk in which a raise tells one after the other of those that a collection holds, and what is done in each of its
    /// rounds: a loop, or a function that a call is handed.
    pub fn walk_of(&self, raise: Site) -> Option<(NodeId, NodeId)> {
        let program = self.program();
        let (body, scope) = (program.body(raise.member)?, program.scope(raise.member));
        let Node::Call { callee, .. } = body.node(raise.node) else { return None };
        let told = match body.node(callee) {
            Node::Member { object, .. } => object,
            _ => callee,
        };
        if ![told, callee].into_iter().any(|n| matches!(self.flow.eval_in(raise.member, n), Val::Element(..))) {
            return None;
        }
        scope.ancestors(raise.node).find_map(|around| match body.node(around) {
            Node::ForEach { body: each, .. } => Some((around, each)),
            Node::Lambda(f) => {
                let call = scope.parent(around).filter(|p| matches!(body.node(*p), Node::Call { .. }))?;
                Some((call, body.function(f).body?))
            }
            _ => None,
        })
    }

    /// The other classes that listen to a channel, tests left out.
    pub fn listeners_beside(&self, channel: usize, class: TypeId) -> BTreeSet<TypeId> {
        let joins = self.channels[channel].joins.iter().filter(|j| !self.in_test(self.effects[**j].site.member));
        joins.flat_map(|j| self.parts_of(*j)).filter_map(|j| self.listening_class(j)).filter(|t| *t != class).collect()
    }
}
