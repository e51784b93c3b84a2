//! Wiring: from what code does to the channels of the map.
//!
//! [`extract`] reads the effects of each body by itself, [`spread`] carries those that
//! depend on a caller to every caller, [`channels`] decides which holders are channels and
//! names them, [`release`], [`handles`] and [`lifetime`] say how subscriptions end, and
//! [`build`] writes the map.

mod adapters;
mod annotated;
mod attached;
mod build;
mod by_name;
pub mod channels;
mod colleagues;
mod collections;
pub mod component;
mod connections;
mod delivery;
mod dump;
pub(crate) mod effect;
mod extract;
pub mod guards;
mod handed;
pub mod handles;
pub(crate) mod holders;
mod idiom;
mod keyed;
pub mod lifetime;
mod mentions;
mod naming;
pub mod once;
mod order;
pub(crate) mod pairs;
mod raises;
pub mod release;
mod rows;
pub mod selections;
mod spread;
pub(crate) mod streams;
pub mod subscriber;
#[cfg(test)]
mod tests;
mod views;

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, OnceLock};

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{AssignOp, Facts, FunctionId, MemberKind, Name, Node, TypeKind};
use yarrowgraph_model::{Budget, Place};

use crate::chain::ways::{self, Passing};
use crate::chain::{Chains, Links};
use crate::flow::{Flow, Val};
use crate::program::{AT_A_TIME, MemberId, Program, Site, Sym, Ty, TypeId, UnitId};
use crate::setup::{self, Setup};
use crate::state::{Round, State};
use channels::{Channel, Signals};
use effect::{Act, Effect};
use handed::Hands;
use once::Lives;

pub use build::{channels_of_map, joins_in_order, map};
pub use dump::{dump, dump_line, dump_setup};

/// The effects and channels of a program.
#[derive(Debug)]
pub struct Wiring<'p> {
    /// Values and types.
    pub flow: Flow<'p>,
    /// All effects, those inside of wrappers too.
    pub effects: Vec<Effect>,
    /// The channels, by key.
    pub channels: Vec<Channel>,
    /// Effects that take off all handlers of one object.
    pub owner_releases: Vec<usize>,
    by_site: FxHashMap<Site, Vec<usize>>,
    /// Effects by the member that holds the channel, and by the member that they stand in.
    by_holder: FxHashMap<MemberId, Vec<usize>>,
    by_member: FxHashMap<MemberId, Vec<usize>>,
    /// How channels that are objects are handed to where something is done to them, by the member that holds them.
    hands: Hands,
    /// Methods that are tied to channels.
    handlers: FxHashSet<MemberId>,
    /// Functions written in bodies that are subscribed somewhere.
    handler_lambdas: FxHashSet<(MemberId, FunctionId)>,
    /// What can be linked to chains.
    pub links: Links,
    /// What running the set-up came to.
    pub(crate) setup: Setup,
    /// Where names of topics stand, found when it is asked for.
    mentions: OnceLock<mentions::Mentions>,
    /// Classes whose objects are handed over to scripts or other processes, found when it is asked for.
    exported: OnceLock<FxHashSet<TypeId>>,
    /// Classes whose objects are written out as their members come, found when it is asked for.
    written_out: OnceLock<FxHashSet<TypeId>>,
    /// What fields hold and who tells of it, found when it is asked for.
    state: OnceLock<State>,
    /// The ways through the methods of links, found when it is asked for.
    passing: OnceLock<Vec<Passing>>,
    /// The state machines, found when it is asked for.
    machines: OnceLock<crate::machine::Machines>,
    /// The commands and invokers, found when it is asked for.
    commands: OnceLock<crate::command::Commands>,
    /// The types of objects that listen to something, found when it is asked for.
    told_types: OnceLock<Vec<TypeId>>,
    /// The mediators, found when it is asked for.
    mediators: OnceLock<Vec<crate::mediator::Mediator>>,
    /// What runs again and again by itself, found when it is asked for.
    rounds: OnceLock<Vec<Round>>,
    /// What the project states must stay so.
    pub keeps: Vec<crate::keep::Keep>,
    /// How large a mediator may be.
    pub limits: crate::mediator::Limits,
    /// The tables of codes, found when it is asked for.
    codes: OnceLock<Vec<crate::codes::Table>>,
    /// What is known so far of how long what parameters are handed lives.
    handed_lifetimes: lifetime::Handed,
    /// What is known so far of how long the instances of types live.
    lives: Mutex<FxHashMap<TypeId, Lives>>,
    /// Whether a subscription of a channel gave back a number that a field keeps, as far as it was asked for.
    kept_numbers: Mutex<FxHashMap<(channels::ChannelKey, release::Number), bool>>,
    /// Words in what could not be read of any file.
    unread: FxHashSet<Sym>,
    /// Names of handlers and events in markup.
    mentioned: FxHashSet<Sym>,
    /// Joins of several handlers, with an effect for each.
    parts: BTreeMap<usize, Vec<usize>>,
    /// Classes whose objects are channels.
    pub signals: Signals,
    /// Where the program starts.
    entry_points: FxHashSet<MemberId>,
    /// Whether the tree has an entry point outside of tests.
    pub is_application: bool,
    /// Whether public members can be reached by other trees: a library, or a host of plug-ins.
    pub is_open: bool,
    /// Budgets that were not kept.
    pub budgets: Vec<Budget>,
}

impl<'p> Wiring<'p> {
    /// Finds the wiring of a program; `library` says that other trees are known to use it.
    pub fn find(program: &'p Program, library: bool) -> Self {
        let flow = Flow::new(program);
        let members = (0..program.members.len()).into_par_iter().with_max_len(AT_A_TIME);
        let own: Vec<Effect> = members.flat_map_iter(|i| own_effects(&flow, MemberId(i as u32))).collect();
        let signals = channels::signal_classes(&flow, &own);
        let (mut effects, mut budgets) = spread::spread(&flow, own, &signals);
        handles::mark(&flow, &mut effects);
        let (mut channels, mut hands) = channels::group(&flow, &effects, &signals);
        pairs::add(&flow, &mut effects, &mut channels);
        let mut links = Links::of(&flow);
        // what hands on to the next one is a link, and nobody who is told
        channels.retain(|c| !matches!(c.key, channels::ChannelKey::Own(m, _) if links.hands_on(m)));
        hands.retain(|m, _| !links.hands_on(*m));
        let wanted = channels.iter().filter(|c| !c.joins.is_empty()).flat_map(|c| c.joins.iter().chain(&c.raises).copied());
        let mut setup = Setup::of(&flow, &effects, &wanted.collect(), &links);
        setup.chains.built.append(&mut links.piped);
        budgets.extend(setup.over());
        let parts = take_apart(&flow, &setup, &mut effects, &channels);
        let owner_releases = effects.iter().enumerate().filter(|(_, e)| e.act == Act::LeaveOwner).map(|(i, _)| i).collect();
        let entry_points: FxHashSet<MemberId> = setup::entry_points(program).into_iter().collect();
        let is_application = !entry_points.is_empty();
        let is_open = library || !is_application || loads_plug_ins(program) || is_shown_by_examples(program, &entry_points);
        let mut by_site: FxHashMap<Site, Vec<usize>> = FxHashMap::default();
        let (mut by_holder, mut by_member): (FxHashMap<MemberId, Vec<usize>>, FxHashMap<MemberId, Vec<usize>>) = Default::default();
        for (index, effect) in effects.iter().enumerate() {
            by_site.entry(effect.site).or_default().push(index);
            by_member.entry(effect.site.member).or_default().push(index);
            if let effect::Event::Own(m) = effect.holder.event {
                by_holder.entry(m).or_default().push(index);
            }
        }
        let words = |of: fn(&Facts) -> &[Name]| {
            let of_unit = |(index, facts): (usize, &'p Facts)| of(facts).iter().map(move |w| program.sym(UnitId(index as u32), *w));
            program.units.iter().enumerate().flat_map(of_unit).collect()
        };
        let (mut handlers, mut handler_lambdas) = (FxHashSet::default(), FxHashSet::default());
        for join in channels.iter().flat_map(|c| &c.joins) {
            match effects[*join].handler {
                Some(Val::Method(m, _)) => _ = handlers.insert(m),
                Some(Val::Lambda(m, f)) => _ = handler_lambdas.insert((m, f)),
                _ => {}
            }
        }
        Self {
            flow,
            effects,
            channels,
            owner_releases,
            by_site,
            by_holder,
            by_member,
            hands,
            handlers,
            handler_lambdas,
            links,
            setup,
            mentions: OnceLock::new(),
            exported: OnceLock::new(),
            written_out: OnceLock::new(),
            state: OnceLock::new(),
            passing: OnceLock::new(),
            machines: OnceLock::new(),
            commands: OnceLock::new(),
            codes: OnceLock::new(),
            mediators: OnceLock::new(),
            rounds: OnceLock::new(),
            told_types: OnceLock::new(),
            keeps: Vec::new(),
            limits: crate::mediator::Limits::default(),
            handed_lifetimes: Mutex::default(),
            lives: Mutex::default(),
            kept_numbers: Mutex::default(),
            unread: words(|f| &f.unit.unread),
            mentioned: words(|f| &f.unit.mentioned),
            parts,
            signals,
            entry_points,
            is_application,
            is_open,
            budgets,
        }
    }

    /// The program.
    pub fn program(&self) -> &'p Program {
        self.flow.program
    }

    /// What fields hold and who tells of it.
    pub(crate) fn state(&self) -> &State {
        self.state.get_or_init(|| State::of(self))
    }

    /// What runs again and again by itself.
    pub(crate) fn rounds(&self) -> &[Round] {
        self.rounds.get_or_init(|| crate::state::rounds(self))
    }

    /// The links that hand requests on, with the ways through their methods.
    pub(crate) fn passing(&self) -> &[Passing] {
        self.passing.get_or_init(|| ways::of_links(self))
    }

    /// Finds what both the map and the rules ask for. Whatever is found by many threads must be there before many threads
    /// ask for it: one that waits for another may be given the very work to do that it waits for.
    pub fn prepare(&self) {
        rayon::join(|| self.machines(), || self.codes());
        self.commands();
        self.mediators();
    }

    /// The state machines.
    pub fn machines(&self) -> &[crate::machine::Found] {
        &self.machines_asked().found
    }

    /// Whether a field holds the state of a machine.
    pub fn is_state_of_machine(&self, field: MemberId) -> bool {
        self.machines().iter().any(|m| m.moves && m.machine.holder == crate::machine::Holder::Field(field))
    }

    /// The state machines, and how many more there may be.
    pub(crate) fn machines_asked(&self) -> &crate::machine::Machines {
        self.machines.get_or_init(|| crate::machine::find(self))
    }

    /// The commands and invokers.
    pub fn commands(&self) -> &crate::command::Commands {
        self.commands.get_or_init(|| crate::command::find(self))
    }

    /// The types of objects that listen to something.
    pub(crate) fn told_types(&self) -> &[TypeId] {
        self.told_types.get_or_init(|| {
            let handlers = self.channels.iter().flat_map(|c| &c.joins).filter_map(|j| self.effects[*j].handler.as_ref());
            let types: std::collections::BTreeSet<TypeId> = handlers.filter_map(|h| self.flow.type_of(h).own()).collect();
            types.into_iter().collect()
        })
    }

    /// The mediators.
    pub fn mediators(&self) -> &[crate::mediator::Mediator] {
        self.mediators.get_or_init(|| crate::mediator::find(self))
    }

    /// The tables of codes.
    pub fn codes(&self) -> &[crate::codes::Table] {
        self.codes.get_or_init(|| crate::codes::find(self))
    }

    /// The effects on channels that a member holds, in order.
    pub fn effects_on(&self, holder: MemberId) -> impl Iterator<Item = &Effect> + '_ {
        self.numbers_on(holder).iter().map(|e| &self.effects[*e])
    }

    /// Their numbers.
    pub fn numbers_on(&self, holder: MemberId) -> &[usize] {
        self.by_holder.get(&holder).map_or(&[], Vec::as_slice)
    }

    /// The effects that stand in a member, in order.
    pub fn effects_in(&self, member: MemberId) -> impl Iterator<Item = &Effect> + '_ {
        self.by_member.get(&member).into_iter().flatten().map(|e| &self.effects[*e])
    }

    /// The effects of one statement.
    pub fn effects_at(&self, site: Site) -> impl Iterator<Item = usize> + '_ {
        self.by_site.get(&site).into_iter().flatten().copied()
    }

    /// The place of an effect: it begins at the token that names the operation.
    pub fn place(&self, effect: &Effect) -> Place {
        operation_place(self.flow.program, effect.site)
    }

    /// Members of the same name in other classes that implement an interface of the tree which declares
    /// it: what is done through the interface is done to any of them. So it is for events that bases declare as well.
    pub fn stand_ins(&self, m: MemberId) -> Vec<MemberId> {
        let program = self.program();
        let info = program.member(m);
        let mut found = Vec::new();
        program.for_each_base(info.owner, &mut |t| {
            let is_event = info.kind == MemberKind::Event && t != info.owner;
            if (program.ty(t).kind == TypeKind::Interface || is_event) && !program.own_members(t, info.name).is_empty() {
                found.extend(program.heirs(t).into_iter().flat_map(|heir| program.own_members(heir, info.name)));
            }
            true
        });
        found.retain(|x| *x != m);
        found
    }

    /// Those of some places that are about a member and part of none of its effects: who reads it
    /// there may do anything with it.
    pub fn uses_beside<'s>(
        &'s self,
        m: MemberId,
        places: impl Iterator<Item = &'s Site>,
        effects: impl Iterator<Item = &'s usize>,
    ) -> impl Iterator<Item = Site> {
        let mut known: FxHashSet<Site> = effects.map(|e| self.effects[*e].site).collect();
        let hands = self.hands.get(&m).into_iter().flatten();
        known.extend(hands.filter(|hand| hand.fields.iter().all(|field| self.is_for_effects_only(*field))).map(|hand| hand.at));
        places.copied().filter(move |place| {
            let is_it = matches!(self.flow.eval(*place), Val::Member(_, x) | Val::Static(x) if x == m);
            let mut around = self.program().scope(place.member).ancestors(place.node);
            is_it && !around.any(|node| known.contains(&Site { member: place.member, node }))
        })
    }

    /// Whether a field is read for nothing but effects.
    fn is_for_effects_only(&self, field: MemberId) -> bool {
        let program = self.program();
        program.index.reads(program.member(field).name).iter().all(|read| {
            let scope = program.scope(read.member);
            let is_written = scope.parent(read.node).zip(program.body(read.member)).is_some_and(
                |(parent, body)| matches!(body.node(parent), Node::Assign { op: AssignOp::Set, target, .. } if target == read.node),
            );
            let is_it = matches!(self.flow.eval(*read), Val::Member(_, x) | Val::Static(x) if x == field);
            let mut around = scope.ancestors(read.node);
            !is_it || is_written || around.any(|node| self.effects_at(Site { member: read.member, node }).next().is_some())
        })
    }

    /// Whether something is done to a member of the same name of an object of which nothing is
    /// known: it may be that one.
    pub fn may_be_named(&self, m: MemberId, act: Act) -> bool {
        let program = self.program();
        let name = program.member(m).name;
        self.effects.iter().any(|e| {
            e.act == act
                && e.holder.event == effect::Event::Outside(name)
                && program.kit_of(e.site.member).traits.open_names == program.kit_of(m).traits.open_names
                && match self.flow.type_of(&e.holder.subject) {
                    Ty::Unknown => true,
                    // named by a text, of which a compiler asks nothing
                    Ty::Outside(..) => !program.kit_of(m).pack.connects.is_empty(),
                    Ty::Own(base, _) => !program.kit_of(m).pack.connects.is_empty() && program.is_a(program.member(m).owner, base),
                    _ => false,
                }
        })
    }

    /// Whether a signal's bare name is an argument of a call of which nothing is known: only a macro can make something of that.
    pub fn is_handed_to_macro(&self, signal: MemberId) -> bool {
        let program = self.program();
        let info = program.member(signal);
        matches!(info.kind, MemberKind::Event | MemberKind::Field)
            && program.kit_of(signal).traits.open_names
            && program.index.reads(info.name).iter().any(|read| {
                let Some(body) = program.body(read.member) else { return false };
                let scope = program.scope(read.member);
                let Some(call) = scope.parent(read.node).map(|node| Site { member: read.member, node }) else { return false };
                let is_argument = matches!(body.node(call.node), Node::Call { args, .. } if body.list(args).contains(&read.node));
                let is_bare = matches!(body.node(read.node), Node::Name(name) if scope.lookup(name, read.node).is_none());
                is_argument && is_bare && self.flow.callee(call).is_none() && matches!(self.flow.eval(*read), Val::Unknown | Val::Global(_))
            })
    }

    /// Whether some code subscribes to events by names that are known when it runs, so that it may be one that others can reach.
    pub fn joins_by_name(&self, event: MemberId) -> bool {
        let program = self.program();
        let mut adders = program.kit_of(event).pack.event_adders.iter().filter_map(|name| program.symbols.get(name));
        let is_open = program.decl(event).modifiers.visibility == yarrowgraph_ir::Visibility::Public;
        is_open && adders.any(|name| program.index.calls(name).iter().any(|call| self.flow.callee(*call).is_none()))
    }

    /// Whether what is put on is a number, a flag or a text by its type.
    pub fn puts_data(&self, effect: &Effect) -> bool {
        effect.handler.as_ref().is_some_and(|h| self.program().is_data(effect.site.member, &self.flow.type_of(h)))
    }

    /// Whether a file belongs to a part of the tree that is built by itself, after the common layout of sources (`part/src/main/…`),
    /// and in which no program starts: it is there for others, whatever else the tree has.
    pub fn is_of_library(&self, unit: UnitId) -> bool {
        let program = self.program();
        let part = |unit: UnitId| program.unit(unit).path.split_once("/src/main/").map(|(part, _)| part);
        let own = part(unit);
        own.is_some() && !self.entry_points.iter().any(|m| part(program.member(*m).unit) == own)
    }

    /// Whether what could not be read of some file mentions a member's name: it may do anything with it.
    pub fn is_mentioned_unread(&self, m: MemberId) -> bool {
        self.is_unread(self.program().member(m).name)
    }

    /// Whether what could not be read of some file mentions a name.
    pub fn is_unread(&self, name: Sym) -> bool {
        self.unread.contains(&name)
    }

    /// The chains that the set-up builds.
    pub fn chains(&self) -> &Chains {
        &self.setup.chains
    }

    /// Whether all that matters of the set-up was run.
    pub fn runs_whole(&self) -> bool {
        self.setup.cut == 0
    }

    /// Whether a type is of tests.
    pub fn is_test_type(&self, ty: TypeId) -> bool {
        self.is_test(self.program().ty(ty).unit)
    }

    /// What a subscription comes to: itself, or one for each object that comes through it.
    pub fn parts_of(&self, join: usize) -> Vec<usize> {
        self.parts.get(&join).cloned().unwrap_or_else(|| vec![join])
    }

    /// Whether a method or function of a class is a handler of something.
    pub fn handlers_of(&self, class: TypeId) -> bool {
        let program = self.program();
        let of_class = |m: &MemberId| program.member(*m).owner == class;
        self.handlers.iter().any(of_class) || self.handler_lambdas.iter().any(|(m, _)| of_class(m))
    }

    /// Whether markup names a member: what handles there is attached, and an event that is bound there is heard.
    pub fn is_in_markup(&self, m: MemberId) -> bool {
        self.mentioned.contains(&self.program().member(m).name)
    }

    /// Whether markup names something of this name.
    pub fn is_named_in_markup(&self, name: &str) -> bool {
        self.program().symbols.get(name).is_some_and(|name| self.mentioned.contains(&name))
    }

    /// Whether a class stands for an object of another process.
    pub fn is_remote(&self, ty: TypeId) -> bool {
        let program = self.program();
        let remote = &program.kit(program.ty(ty).unit).pack.remote_bases;
        program.outside_bases(ty).iter().any(|base| remote.contains(program.text(*base))) || self.is_exported(ty)
    }

    /// Whether a field is given objects of a class that are written out as their members come, by themselves or in a collection.
    pub(crate) fn is_written_out(&self, class: TypeId) -> bool {
        let program = self.program();
        let is_written = |d: &Site| match program.body(d.member).map(|body| body.node(d.node)) {
            Some(Node::Collection { items, .. }) => items.len > 0,
            Some(Node::Object(entries)) => entries.len > 0,
            Some(Node::New { args, .. }) => args.len > 0,
            _ => false,
        };
        let find = || {
            let members = (0..program.members.len() as u32).map(MemberId);
            let fields =
                members.filter(|m| program.member(*m).kind == MemberKind::Field && self.flow.definitions(*m).iter().any(is_written));
            let classes = fields.flat_map(|m| {
                let held = program.declared_type(m);
                let element = program.element_type(program.member(m).unit, &held).and_then(|e| e.own());
                held.own().into_iter().chain(element)
            });
            classes.collect()
        };
        self.written_out.get_or_init(find).contains(&class)
    }

    /// Whether what makes an object gives a field of it its value by its place: `Step{ 3, rise }` of a class without constructors.
    pub(crate) fn is_given_by_place(&self, made: Site, field: MemberId) -> bool {
        let program = self.program();
        let class = program.member(field).owner;
        let Some(Node::New { args, .. }) = program.body(made.member).map(|body| body.node(made.node)) else { return false };
        let is_field = |m: &&MemberId| program.member(**m).kind == MemberKind::Field && !program.member(**m).is_static;
        let place = program.ty(class).members.iter().filter(is_field).position(|m| *m == field);
        !program.has_constructor(class) && place.is_some_and(|place| place < args.len as usize)
    }

    /// Whether objects of a class, or of an heir or base of it, are handed over to scripts or other processes.
    fn is_exported(&self, ty: TypeId) -> bool {
        let program = self.program();
        let find = || {
            let names = program.packs().flat_map(|pack| pack.exports.iter()).filter_map(|name| program.symbols.get(name));
            // of a library, not of the tree
            let calls = names.flat_map(|name| program.index.calls(name)).filter(|call| self.flow.callee(**call).is_none());
            let handed = calls.flat_map(|call| {
                let body = program.body(call.member);
                let (args, types) = body.map_or((&[][..], None), |b| match b.node(call.node) {
                    Node::Call { args, type_args, .. } => (b.list(args), type_args.map(|list| &b.type_lists[usize::from(list)])),
                    _ => (&[][..], None),
                });
                // `registerType<Gauge>("gauges")`
                let named = types.into_iter().flatten().filter_map(|t| program.type_in(call.member, *t).own());
                args.iter().filter_map(|arg| self.flow.type_of(&self.flow.eval_in(call.member, *arg)).own()).chain(named)
            });
            handed.collect()
        };
        self.exported.get_or_init(find).iter().any(|t| program.are_kin(*t, ty))
    }

    /// What a channel keeps for subscribers that come late.
    pub fn keeps(&self, channel: &Channel) -> yarrowgraph_model::Keeps {
        delivery::keeps(self, channel)
    }

    /// Whether a member is where the program starts.
    pub fn is_entry_point(&self, member: MemberId) -> bool {
        self.entry_points.contains(&member)
    }

    /// Other channels that go by the same name.
    pub fn twins<'w>(&'w self, channel: &'w Channel) -> impl Iterator<Item = &'w Channel> {
        self.channels.iter().filter(move |other| other.id == channel.id && other.key != channel.key)
    }

    /// Whether a member is part of a test.
    pub fn in_test(&self, member: MemberId) -> bool {
        self.program().in_test(member)
    }

    fn is_test(&self, unit: UnitId) -> bool {
        self.program().is_test(unit)
    }

    /// Whether an effect stands in a generated file.
    pub fn is_generated(&self, effect: &Effect) -> bool {
        let program = self.flow.program;
        program.unit_of(effect.site.member).generated || program.text(program.member(effect.site.member).name) == "InitializeComponent"
    }
}

/// What the code of a member does to channels, and what a container does with the member.
fn own_effects(flow: &Flow<'_>, member: MemberId) -> Vec<Effect> {
    let mut found = extract::effects(flow, member);
    found.extend(attached::effect(flow, member));
    found
}

/// Joins through which several objects come, from a list or a factory, as one effect for each of them,
/// which only running the set-up tells. The map shows these; what rules ask for is said of all alike.
fn take_apart(flow: &Flow<'_>, setup: &Setup, effects: &mut Vec<Effect>, channels: &[Channel]) -> BTreeMap<usize, Vec<usize>> {
    let mut parts = BTreeMap::new();
    if setup.cut > 0 {
        return parts;
    }
    let handlers = setup.handlers();
    for &join in channels.iter().flat_map(|c| &c.joins) {
        if !is_open_handler(flow, &effects[join]) {
            continue;
        }
        let several: Option<Vec<Val>> = handlers.get(&join).and_then(|all| all.iter().cloned().collect());
        let Some(several) = several else { continue };
        let first = effects.len();
        for handler in several {
            let mut one = effects[join].clone();
            // what is bound anew stays so
            one.handler = match one.handler {
                Some(Val::Bound(_, bound_at)) => Some(Val::Bound(Arc::new(handler), bound_at)),
                _ => Some(handler),
            };
            effects.push(one);
        }
        parts.insert(join, (first..effects.len()).collect());
    }
    parts
}

/// Whether an effect's handler is something that a collection, a call, a local or a class's heirs give.
fn is_open_handler(flow: &Flow<'_>, effect: &Effect) -> bool {
    let Some(handler) = &effect.handler else { return false };
    let handler = handler.unbound();
    let open = match handler {
        Val::Outside(of, _) => matches!(**of, Val::This(_)),
        other => matches!(other, Val::Element(..) | Val::Local(_) | Val::Call(_) | Val::Unknown | Val::Param(..)),
    };
    open && flow.function_of(handler).is_none()
}

/// The id of a handler, or its text where it has none.
pub fn handler_name(wiring: &Wiring<'_>, effect: &Effect) -> String {
    build::handler(wiring, effect).0
}

impl Wiring<'_> {
    /// Whether every call of the member that a raise stands in is covered by a test of the
    /// same channel.
    pub fn callers_ask(&self, effect: &Effect) -> bool {
        let Some(value) = holder_value(effect) else { return false };
        let callers = self.flow.callers((effect.site.member, None));
        let asks = |site: Site, value: &Val| guards::of_raise(&self.flow, site, site.node, value, false) == effect::Guard::Tested;
        if callers.is_empty() {
            let by_field = self.hand_overs_by_field(effect.site.member);
            let mut handed = by_field.into_iter().chain(self.hand_overs_of(effect.site.member)).peekable();
            return handed.peek().is_some() && handed.all(|site| asks(site, &value));
        }
        callers.iter().all(|(site, binding)| asks(*site, &value.substitute(binding)))
    }

    /// Where a function is handed to something that runs it later by other code than its own: `schedule(step)`.
    fn hand_overs_of(&self, function: MemberId) -> Vec<Site> {
        let program = self.program();
        let around = |read: &Site| {
            let call = program.call_given(*read)?;
            let is_it = || matches!(self.flow.eval(*read), Val::Method(m, _) if m == function);
            (read.member != function && is_it()).then_some(call)
        };
        program.index.reads(program.member(function).name).iter().filter_map(around).collect()
    }

    /// Where a method that is nothing but the first value of private fields of its class is handed over by these:
    /// `static readonly Callback tell = Tell; … loop.Post(tell);`
    fn hand_overs_by_field(&self, method: MemberId) -> Vec<Site> {
        let program = self.program();
        let is_private_field = |m: MemberId| {
            program.member(m).kind == MemberKind::Field && program.decl(m).modifiers.visibility == yarrowgraph_ir::Visibility::Private
        };
        let fields: Vec<MemberId> = program.reads_in_class(method).map(|read| read.member).collect();
        if !fields.iter().all(|field| is_private_field(*field)) {
            return Vec::new();
        }
        fields.into_iter().flat_map(|field| program.reads_in_class(field).copied()).collect()
    }
}

/// The value of the member that an effect is about.
fn holder_value(effect: &Effect) -> Option<Val> {
    let effect::Event::Own(m) = effect.holder.event else { return None };
    Some(match &effect.holder.subject {
        Val::Type(_) => Val::Static(m),
        subject => Val::Member(std::sync::Arc::new(subject.clone()), m),
    })
}

/// The place of a call is that of its method's name up to its end; of anything else all of it.
pub(crate) fn operation_place(program: &Program, site: Site) -> Place {
    let unit = program.member(site.member).unit;
    let Some(body) = program.body(site.member) else { return program.member_place(site.member) };
    let mut span = body.span(site.node);
    if let Node::Call { callee, .. } = body.node(site.node)
        && let Node::Member { name, .. } = body.node(callee)
    {
        let end = body.span(callee).end;
        span.start = end - (program.unit(unit).text(name).len() as u32).min(end);
    }
    program.place(unit, span)
}

/// Whether what starts is mostly examples of how to use the tree, and the tree is not.
fn is_shown_by_examples(program: &Program, entry_points: &FxHashSet<MemberId>) -> bool {
    let starts = entry_points.iter().filter(|m| program.member(**m).kind == MemberKind::Method);
    let (shown, own): (Vec<MemberId>, Vec<MemberId>) = starts.partition(|m| program.is_example(program.member(**m).unit));
    let units = (0..program.units.len()).map(|index| UnitId(index as u32));
    let examples = units.filter(|unit| program.is_example(*unit)).count();
    shown.len() > own.len() && examples * 2 < program.units.len()
}

fn loads_plug_ins(program: &Program) -> bool {
    program.units.iter().map(|f| f.unit.language).collect::<std::collections::BTreeSet<_>>().into_iter().any(|language| {
        let Some(unit) = program.units.iter().position(|f| f.unit.language == language) else { return false };
        let pack = &*program.kit(crate::program::UnitId(unit as u32)).pack;
        pack.loaders.iter().filter_map(|l| program.symbols.get(l)).any(|name| !program.index.calls(name).is_empty())
    })
}
