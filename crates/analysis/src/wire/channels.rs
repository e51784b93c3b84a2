//! Which holders are channels, and what they are called.

use std::collections::BTreeMap;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{AccessorKind, MemberKind, Node, NodeId, TypeKind, Visibility};
use yarrowgraph_model::ChannelKind;

use super::effect::{Act, Effect, Event};
use super::handed::{Hand, Hands};
use super::holders::Holders;
use super::naming::Namer;
use super::spread;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Site, Sym, Ty, TypeId};

/// What tells one channel from another.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ChannelKey {
    /// A member of the tree, with the topic where it holds handlers by key.
    Own(MemberId, Option<Topic>),
    /// A member or listener noun of a type that is not of the tree.
    Outside(String, Sym),
    /// A topic of an emitter or bus that is not of the tree.
    Bus(String, Topic),
}

impl ChannelKey {
    /// The key without its topic; ordered as keys are.
    pub(crate) fn holder(&self) -> (u8, Option<MemberId>, &str, Option<Sym>) {
        match self {
            ChannelKey::Own(m, _) => (0, Some(*m), "", None),
            ChannelKey::Outside(owner, name) => (1, None, owner, Some(*name)),
            ChannelKey::Bus(bus, _) => (2, None, bus, None),
        }
    }

    /// The topic, where it is known by name.
    pub(crate) fn named_topic(&self) -> Option<&str> {
        match self {
            ChannelKey::Bus(_, Topic::Named(topic)) | ChannelKey::Own(_, Some(Topic::Named(topic))) => Some(topic),
            _ => None,
        }
    }
}

/// A topic.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Topic {
    /// Its name.
    Named(String),
    /// Not known here, or all of them.
    Any,
}

/// A channel with what is done to it; numbers are those of effects.
#[derive(Debug)]
pub struct Channel {
    /// What tells it from others.
    pub key: ChannelKey,
    /// What it is made of.
    pub kind: ChannelKind,
    /// Its id.
    pub id: String,
    /// The subscriptions.
    pub joins: Vec<usize>,
    /// The releases.
    pub leaves: Vec<usize>,
    /// The raises.
    pub raises: Vec<usize>,
}

/// A class whose objects are channels has no more fields than this.
const PARTS_OF_SIGNAL: usize = 15;

/// Classes of the tree whose objects are channels.
#[derive(Debug, Default)]
pub struct Signals {
    classes: FxHashSet<TypeId>,
    /// What others are put into.
    open: FxHashSet<MemberId>,
}

impl Signals {
    /// Whether objects of a class are channels.
    pub fn contains(&self, class: &TypeId) -> bool {
        self.classes.contains(class)
    }

    /// Whether who is in a member listens to the object that has it, which is a channel.
    pub(crate) fn tells(&self, program: &Program, m: MemberId) -> bool {
        self.classes.contains(&program.member(m).owner) && self.open.contains(&m)
    }
}

/// Members of some classes into which something is put that these classes have not made themselves.
fn let_others_in(flow: &Flow<'_>, effects: &[Effect], classes: &FxHashSet<TypeId>) -> FxHashSet<MemberId> {
    let open = |effect: &Effect| {
        let (Act::Join, Event::Own(m)) = (effect.act, &effect.holder.event) else { return None };
        let owner = flow.program.member(*m).owner;
        let is_made_here = effect.handler.as_ref().is_some_and(|h| matches!(h.root(), Val::New(..) | Val::Local(_) | Val::Call(_)));
        let is_own = is_made_here && flow.program.member(effect.site.member).owner == owner;
        // events have names of their own, and are told apart by them
        let is_event = |m: &MemberId| flow.program.member(*m).kind == MemberKind::Event;
        let is_one_of_several = is_event(m) && flow.program.ty(owner).members.iter().filter(|m| is_event(m)).count() > 1;
        (classes.contains(&owner) && !is_own && !is_one_of_several).then_some(*m)
    };
    effects.iter().filter_map(open).collect()
}

/// Classes of the tree whose objects are channels: generic ones that hold handlers handed
/// in from outside. Which channel it is, only the one who holds the object can say.
pub(super) fn signal_classes(flow: &Flow<'_>, effects: &[Effect]) -> Signals {
    let mut found = Signals::default();
    let holders = Holders::of(flow, effects, &found);
    let keyed = told_by_key(effects);
    let tellers = tellers(effects);
    for effect in effects {
        let (Act::Join, Event::Own(m)) = (effect.act, &effect.holder.event) else { continue };
        // a part that is merely kept, such as a node's parent, makes no signal of its owner,
        // and a collection of items only where they are told something
        if holders.kept.contains(m) || (!holders.is_channel(*m) && (holds_items(flow, *m) || is_mere_part(flow, &holders, *m))) {
            continue;
        }
        let owner = flow.program.member(*m).owner;
        let open = matches!(effect.handler, Some(Val::Param(..)));
        let own = matches!(effect.holder.subject, Val::This(t) if t == owner);
        // where all functions are called, the key only tells them apart
        let of_all = || flow.program.is_callable(flow.program.member(*m).unit, &flow.element_held(*m)) && !keyed.contains(m);
        // what a class puts there by itself lets nobody in
        let is_way_in = flow.program.decl(effect.site.member).modifiers.visibility > Visibility::Private;
        // what all of its kinds tell alike is that of any other class
        let tells_alike =
            matches!(flow.element_held(*m), Ty::Own(t, args) if args.is_empty() && flow.program.ty(t).kind == TypeKind::Interface);
        let is_generic = !flow.program.ty(owner).params.is_empty() && !tells_alike && !does_much_else(flow, owner);
        let is_way_in = is_way_in && (tellers.contains_key(m) || !is_collection_of(flow, owner, *m));
        if open && own && is_way_in && is_generic && (effect.holder.key.is_none() || of_all()) && tell_for_others(flow, tellers.get(m)) {
            found.classes.insert(owner);
        }
    }
    found.open = let_others_in(flow, effects, &found.classes);
    found
}

/// Whether a class keeps so much that its listeners are but a part of it: to tell them is not what it is there for.
pub(super) fn does_much_else(flow: &Flow<'_>, class: TypeId) -> bool {
    let program = flow.program;
    let is_part = |m: &&MemberId| program.member(**m).kind == MemberKind::Field && !program.member(**m).is_static;
    program.ty(class).members.iter().filter(is_part).count() > PARTS_OF_SIGNAL
}

/// Whether a member holds things of whatever kind its class is made for, and nobody hands the class what to do with each: a collection.
fn is_collection_of(flow: &Flow<'_>, class: TypeId, m: MemberId) -> bool {
    let program = flow.program;
    // by itself, or as what a pair or a pointer is of
    let holds_any = match flow.element_held(m) {
        Ty::Param(..) | Ty::Unknown => true,
        Ty::Outside(_, of) => of.iter().any(|ty| matches!(ty, Ty::Param(..) | Ty::Outside(..))),
        _ => false,
    };
    let takes_function = |x: &MemberId| {
        let of = |p: &yarrowgraph_ir::Param| p.ty.is_some_and(|ty| program.is_callable(program.member(*x).unit, &program.type_in(*x, ty)));
        program.decl(*x).params.iter().any(of)
    };
    holds_any && !program.ty(class).members.iter().any(takes_function)
}

/// For members whose handlers are told the code that does it.
fn tellers(effects: &[Effect]) -> FxHashMap<MemberId, Vec<MemberId>> {
    let mut tellers: FxHashMap<MemberId, Vec<MemberId>> = FxHashMap::default();
    for effect in effects.iter().filter(|e| e.act == Act::Raise) {
        if let Event::Own(m) = effect.holder.event {
            tellers.entry(m).or_default().push(effect.site.member);
        }
    }
    tellers
}

/// Whether others can have the code that tells handlers do so, and say of what: what a class tells by itself alone are its own events.
/// Handlers that nothing tells may be told by anybody.
fn tell_for_others(flow: &Flow<'_>, tellers: Option<&Vec<MemberId>>) -> bool {
    let program = flow.program;
    let is_open = |member: MemberId| program.decl(member).modifiers.visibility > Visibility::Private;
    let hands_on = |call: &Site| {
        let Some(body) = program.body(call.member).filter(|_| is_open(call.member)) else { return false };
        let handed = |arg: &NodeId| matches!(flow.eval_in(call.member, *arg), Val::Param(..));
        let sets = matches!(program.member(call.member).kind, MemberKind::Accessor(_));
        sets || matches!(body.node(call.node), Node::Call { args, .. } if body.list(args).iter().any(handed))
    };
    tellers.is_none_or(|all| all.iter().any(|teller| is_open(*teller) || flow.call_sites(*teller).iter().any(hands_on)))
}

/// Members whose handlers are told by a key somewhere.
fn told_by_key(effects: &[Effect]) -> FxHashSet<MemberId> {
    let told = effects.iter().filter(|e| e.act == Act::Raise && e.holder.key.is_some());
    told.filter_map(|e| match e.holder.event {
        Event::Own(m) => Some(m),
        _ => None,
    })
    .collect()
}

/// Whether a member is a collection of whatever its generic class is used with.
fn holds_items(flow: &Flow<'_>, m: MemberId) -> bool {
    let unit = flow.program.member(m).unit;
    flow.program.elements_within(unit, &flow.type_held(m)).any(|element| matches!(element, Ty::Param(..)))
}

/// Whether a member holds an object of the tree that keeps no handlers itself.
fn is_mere_part(flow: &Flow<'_>, holders: &Holders, m: MemberId) -> bool {
    let program = flow.program;
    let Ty::Own(part, _) = flow.type_held(m) else { return false };
    let mut keeps = false;
    program.for_each_base(part, &mut |t| {
        keeps |= program.ty(t).members.iter().any(|x| holders.is_channel(*x));
        !keeps
    });
    !keeps
}

/// Groups effects into channels, and says how these are handed on; holders that are no channels are left out.
pub(super) fn group(flow: &Flow<'_>, effects: &[Effect], signals: &Signals) -> (Vec<Channel>, Hands) {
    let namer = Namer { flow, signals };
    let holders = Holders::of(flow, effects, signals);
    // where delivery goes over everything, the key is only a place to keep it
    let keyed = told_by_key(effects);
    // where all are told at once, and there is one under each key, the keys name those who listen
    let told_whole: FxHashSet<MemberId> = effects
        .iter()
        .filter(|e| e.act == Act::Raise && e.walks && e.holder.key.is_none())
        .filter_map(|e| if let Event::Own(m) = e.holder.event { Some(m) } else { None })
        .collect();
    // kept under their own names, they are as good as listed
    let mut directories: FxHashMap<MemberId, bool> = FxHashMap::default();
    for join in effects.iter().filter(|e| e.act == Act::Join) {
        if let Event::Own(m) = join.holder.event
            && flow.program.is_map(&flow.type_held(m))
        {
            let by_own_name = join.replaces && told_whole.contains(&m)
                || join.holder.key.as_ref().zip(join.handler.as_ref()).is_some_and(|(key, handler)| is_part_of(flow, key, handler));
            directories.entry(m).and_modify(|all| *all &= by_own_name).or_insert(by_own_name);
        }
    }
    let forwarded = forwarded(flow, effects);
    let mut by_key: BTreeMap<ChannelKey, Channel> = BTreeMap::new();
    let key_of = |effect: &Effect| {
        if let Event::Own(m) = effect.holder.event {
            let info = flow.program.member(m);
            // what the accessors of an event pass on is done to what holds the handlers
            if info.kind == MemberKind::Event && forwarded.contains(&(effect.site, effect.act, info.name)) {
                return None;
            }
            if namer.signal_member(&effect.holder).is_none() && !holders.is_channel(m) {
                return None;
            }
        }
        let mut key = namer.key(&effect.holder)?;
        if let ChannelKey::Own(m, topic @ Some(_)) = &mut key
            && (!keyed.contains(m) || directories.get(m) == Some(&true))
            && namer.signal_member(&effect.holder).is_none()
        {
            *topic = None;
        }
        Some(key)
    };
    let keys_of = |effect: &Effect| {
        if is_wrapper_inside(flow, effect, signals) {
            return Vec::new();
        }
        let mut handed = namer.handed(effect.site.member, &effect.holder);
        // what has no name of its own goes by the member within
        let is_within = |m: &MemberId| effect.holder.event == Event::Own(*m) && !holders.is_channel(*m);
        handed.retain(|(key, _)| !matches!(key, ChannelKey::Own(m, _) if is_within(m)));
        if handed.is_empty() { key_of(effect).map(|key| (key, None)).into_iter().collect() } else { handed }
    };
    let keys: Vec<Vec<(ChannelKey, Option<Hand>)>> = effects.par_iter().map(keys_of).collect();
    let mut hands = Hands::default();
    for (index, (effect, keys)) in effects.iter().zip(keys).enumerate() {
        for (key, hand) in keys {
            if let (ChannelKey::Own(m, _), Some(hand)) = (&key, hand) {
                hands.entry(*m).or_default().push(hand);
            }
            let channel = by_key.entry(key.clone()).or_insert_with(|| namer.channel(key));
            let of_act = match effect.act {
                Act::Join => &mut channel.joins,
                Act::Leave | Act::LeaveAll | Act::LeaveOwner => &mut channel.leaves,
                Act::Raise => &mut channel.raises,
            };
            if of_act.last() != Some(&index) {
                of_act.push(index);
            }
        }
    }
    // an emitter's own method says it, and so does what that does inside
    for channel in by_key.values_mut() {
        let mut seen = FxHashSet::default();
        channel.raises.retain(|r| seen.insert(effects[*r].site));
        let mut seen = FxHashSet::default();
        channel.joins.retain(|j| seen.insert((effects[*j].site, &effects[*j].handler)));
    }
    // declared events count although nothing is done to them
    for index in 0..flow.program.members.len() {
        let m = MemberId(index as u32);
        if flow.program.member(m).kind == MemberKind::Event && !namer.forwards(m) {
            let key = ChannelKey::Own(namer.contract(namer.overridden(m)), None);
            by_key.entry(key.clone()).or_insert_with(|| namer.channel(key));
        }
    }
    let is_met = |c: &Channel| !(c.joins.is_empty() && c.leaves.is_empty() && c.raises.is_empty());
    (by_key.into_values().filter(|c| is_met(c) || c.kind == ChannelKind::Event).collect(), hands)
}

/// Whether a value is what an object holds, or says of itself when asked for it.
fn is_part_of(flow: &Flow<'_>, value: &Val, object: &Val) -> bool {
    match value {
        Val::Member(of, _) | Val::Outside(of, _) => **of == *object || is_part_of(flow, of, object),
        Val::Call(call) => flow.receiver(*call).is_some_and(|(of, _)| of == *object || is_part_of(flow, &of, object)),
        _ => false,
    }
}

/// Where something is done to an event whose accessors pass it on to what holds the handlers.
fn forwarded(flow: &Flow<'_>, effects: &[Effect]) -> FxHashSet<(Site, Act, Sym)> {
    let accessor = |site: &Site| {
        let info = flow.program.member(site.member);
        matches!(info.kind, MemberKind::Accessor(AccessorKind::Add | AccessorKind::Remove)).then_some(info.name)
    };
    effects.iter().filter_map(|e| Some((e.site, e.act, e.inner.iter().find_map(accessor)?))).collect()
}

/// What stands inside a wrapper is the caller's: the open side is said there.
pub(super) fn is_wrapper_inside(flow: &Flow<'_>, effect: &Effect, signals: &Signals) -> bool {
    let open = spread::open_in(flow, effect, signals).is_some();
    match effect.act {
        Act::Join | Act::Leave => open,
        Act::Raise | Act::LeaveAll | Act::LeaveOwner => open || effect.holder.event == Event::Given,
    }
}
