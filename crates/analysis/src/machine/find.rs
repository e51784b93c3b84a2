//! Finds the machines of a tree: where ways set out, what they come to, and where a machine starts.

use std::cell::RefCell;
use std::collections::BTreeSet;
use std::collections::hash_map::Entry;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{AccessorKind, Body, FunctionId, MemberKind, Node, NodeId, TypeKind, Visibility};
use yarrowgraph_model::Budget;

use super::domain::zero_of;
use super::grain::{self, STEPS_COARSE, Starts, found_on_ways};
use super::origins::{literal, origins};
use super::reach::{self, Reach};
use super::stores::Around;
use super::walk::{self, Walker};
use super::way::Value;
use super::{
    Domain, Encoding, Event, Found, Holder, Machine, Move, State, Transition, guards, holders, passed, questions, state, stores, written,
};
use crate::flow::{Flow, Val, returned};
use crate::program::{AT_A_TIME, Kinds, MemberId, Program, Site, Sym, Ty, TypeId};
use crate::state::is_statement;
use crate::wire::Wiring;

/// A first value is followed through so many constants and fields.
const HOPS: u32 = 3;

/// The machines of a tree.
#[derive(Debug, Default)]
pub(crate) struct Machines {
    /// Those that were found, by what holds their state.
    pub found: Vec<Found>,
    /// How many have more ways than are walked: nothing is said of them.
    too_long: u32,
}

impl Machines {
    /// The budget of nodes that are walked for a machine, where it was not kept.
    pub(crate) fn over(&self) -> Option<Budget> {
        (self.too_long > 0).then(|| Budget { of: "machines".into(), limit: STEPS_COARSE, over: self.too_long })
    }
}

/// What comes of looking at a field.
enum Asked {
    Found(Box<Found>),
    /// It is a machine by all that was seen, but that was not all.
    TooLong,
}

/// The machines of a tree.
pub(crate) fn find(wiring: &Wiring<'_>) -> Machines {
    let flow = &wiring.flow;
    let program = flow.program;
    let asked: Vec<Asked> = (0..program.members.len())
        .into_par_iter()
        .with_max_len(AT_A_TIME)
        .flat_map_iter(|i| {
            let member = MemberId(i as u32);
            let mut machines = Vec::new();
            if wiring.in_test(member) {
                return machines;
            }
            if let Some((machine, domain)) = holders::of_field(flow, member) {
                machines.extend(of_field(wiring, machine, domain, member));
            }
            for (machine, domain, apart) in holders::of_body(flow, member) {
                machines.extend(of_local(wiring, machine, domain, &apart).map(|found| Asked::Found(Box::new(found))));
            }
            machines
        })
        .collect();
    let mut machines = Machines::default();
    for asked in asked {
        match asked {
            Asked::Found(found) => machines.found.push(*found),
            Asked::TooLong => machines.too_long += 1,
        }
    }
    machines.found.sort_by_key(|f| f.machine.holder);
    machines
}

fn of_field(wiring: &Wiring<'_>, machine: Machine, domain: Domain, field: MemberId) -> Option<Asked> {
    let flow = &wiring.flow;
    let program = flow.program;
    let context = machine.context?;
    let kinds = domain.clone();
    let is_of_family = |t: TypeId| {
        let own = program.is_a(t, context) || program.is_a(context, t) && !program.ty(context).is_module;
        let around = || flow.enclosing_type(t).is_some_and(|o| program.is_a(o, context) || kinds.has_class(program, o));
        own || kinds.has_class(program, t) || around()
    };
    let known_kin: RefCell<FxHashMap<TypeId, bool>> = RefCell::default();
    let family = |t: TypeId| *known_kin.borrow_mut().entry(t).or_insert_with(|| is_of_family(t));
    if domain.closed && domain.states.len() < 2 {
        return None;
    }
    let written = written::of(flow, field, &domain, &family);
    let is_kin = |site: Site| family(program.member(site.member).owner) || written.has(program, site);
    let movers = reach::movers(flow, field, &is_kin);
    let let_go = || answers_are_let_go(flow, &domain, &family);
    let is_named = |around: Around<'_>| stores::may_move(flow, field, around) || let_go();
    if domain.encoding != Encoding::Variant && !is_named(Around::Movers(&movers))
        || !written.move_it(flow, field) && !questions::may_be_asked(flow, &machine, field, &domain, &movers, &family, &let_go)
        || stores::leaves_most_out(flow, field, &domain, &movers) && !let_go()
    {
        return None;
    }
    let reach = Reach::of(flow, field, &domain, movers, &family);
    if (reach.is_told() && domain.encoding != Encoding::Variant || domain.encoding == Encoding::Values) && !is_named(Around::Reach(&reach))
    {
        return None;
    }
    // states that a class is told by its type arguments are named by whoever uses it
    let is_open = matches!(program.declared_type(field), Ty::Param(..));
    if reach.is_told() && !is_open && !reach.names_states(|m| family(program.member(m).owner)) {
        return None;
    }
    let roots = roots(flow, field, context, &domain, &reach, &family);
    let starts = Starts { within: stored_within(flow, field, context, &family), handed: handed_over_as_made(flow, field, context), roots };
    let (mut domain, found, is_coarse) = found_on_ways(flow, &machine, domain, &reach, &starts)?;
    if found.cut {
        return Some(Asked::TooLong);
    }
    let roots = starts.roots;
    let mut moves = found.moves.clone();
    let discarded = discarded(flow, &domain, &reach, &found.delegations);
    if moves.is_empty() && discarded.is_empty() {
        return None;
    }
    let passed_over = passed::over(flow, &machine, field, (&domain, &reach), &found);
    let (initial, starts) = initial(flow, &machine, &mut domain, field, &reach);
    let transitions = transitions(flow, &domain, &mut moves);
    let mut result = Found {
        machine,
        domain,
        initial,
        starts,
        transitions,
        strays: found.strays,
        delegations: found.delegations,
        stores_unknown: found.stores_unknown,
        is_set_from_outside: found
            .setters
            .iter()
            .any(|m| flow.call_sites(*m).is_empty() || is_called_unseen(flow, *m) || is_handed_unknown(flow, field, *m)),
        roots,
        labels: found.labels,
        passed_over,
        outrun: found.outrun.into_iter().filter(|(row, _)| !found.picked.contains(row)).collect(),
        discarded,
        is_coarse,
        moves: true,
    };
    result.moves = is_machine(&result, &answers_lost(flow, &result)) && (found.tested || are_asked(flow, &result));
    (result.moves || !result.discarded.is_empty()).then(|| Asked::Found(Box::new(result)))
}

/// Calls of the states' methods that do nothing but answer with the next state, and whose answer is let go.
fn discarded(flow: &Flow<'_>, domain: &Domain, reach: &Reach, delegations: &[(Site, Sym)]) -> Vec<(Site, Sym)> {
    let program = flow.program;
    let mut found = Vec::new();
    // a value whose methods give others of its class is no state
    if domain.states.len() < 2 {
        return found;
    }
    for (site, name) in delegations {
        if !is_statement(program, *site) {
            continue;
        }
        let codes: Vec<(MemberId, Option<FunctionId>)> = domain.states.iter().filter_map(|s| domain.code(flow, *s, *name)).collect();
        let given = program.body(site.member).map_or(0, |body| match body.node(site.node) {
            Node::Call { args, .. } => args.len,
            _ => 0,
        });
        // of several methods of one name it is one that takes as much
        let takes = |m: MemberId| {
            let alone = program.own_members(program.member(m).owner, program.member(m).name).len() == 1;
            alone || program.decl(m).params.len() >= given as usize
        };
        let answers = |(m, f): &(MemberId, Option<FunctionId>)| {
            !reach.moves(*m) && takes(*m) && returned(program, *m, *f).into_iter().any(|node| names_state(flow, domain, *m, node))
        };
        let moves = codes.iter().any(|(m, _)| reach.moves(*m));
        if !moves && codes.iter().any(answers) {
            found.push((*site, *name));
        }
    }
    found
}

/// The states that are answered where nobody keeps the answer.
pub(super) fn answers_lost(flow: &Flow<'_>, found: &Found) -> BTreeSet<usize> {
    let program = flow.program;
    let mut lost = BTreeSet::new();
    for (_, name) in &found.discarded {
        for (member, function) in found.domain.states.iter().filter_map(|s| found.domain.code(flow, *s, *name)) {
            let scope = program.scope(member);
            let answers = returned(program, member, function);
            let within = answers.iter().flat_map(|a| scope.within(*a));
            let named = within.filter_map(|n| state::named(flow, member, n));
            lost.extend(named.filter_map(|s| found.domain.states.iter().position(|known| *known == s)));
        }
    }
    lost
}

/// Whether some method of the states gives one of them back, and is called where nobody keeps what it gives.
fn answers_are_let_go(flow: &Flow<'_>, domain: &Domain, family: &dyn Fn(TypeId) -> bool) -> bool {
    let program = flow.program;
    let let_go = |call: &Site| family(program.member(call.member).owner) && is_statement(program, *call);
    let methods = domain.states.iter().filter_map(|s| s.class()).flat_map(|t| program.ty(t).members.iter().copied());
    let mut methods = methods.filter(|m| program.member(*m).kind == MemberKind::Method);
    methods.any(|m| {
        returned(program, m, None).into_iter().any(|node| names_state(flow, domain, m, node))
            && program.index.calls(program.member(m).name).iter().any(let_go)
    })
}

/// Whether an expression names one of the states on some way.
pub(super) fn names_state(flow: &Flow<'_>, domain: &Domain, member: MemberId, node: NodeId) -> bool {
    let Some(body) = flow.program.body(member) else { return false };
    match body.node(node) {
        Node::Conditional { then, other, .. } => names_state(flow, domain, member, then) || names_state(flow, domain, member, other),
        Node::Binary { left, right, .. } => names_state(flow, domain, member, left) || names_state(flow, domain, member, right),
        Node::Switch { cases, .. } => body
            .list(cases)
            .iter()
            .any(|c| matches!(body.node(*c), Node::Case { body: inner, .. } if names_state(flow, domain, member, inner))),
        _ => state::named(flow, member, node).and_then(|s| domain.find(flow, s)).is_some(),
    }
}

/// Whether what was found moves in reaction to what it is in. A state that is answered where nobody keeps the answer is meant to be
/// moved to.
fn is_machine(found: &Found, lost: &BTreeSet<usize>) -> bool {
    if found.domain.states.len() < 2 {
        return false;
    }
    let told: Vec<&Transition> = found.transitions.iter().filter(|t| t.told && t.from.is_some_and(|f| f != t.to)).collect();
    // what is set from anywhere but there is only kept up to date
    let states = found.domain.states.len();
    let sources = |t: &Transition| found.transitions.iter().filter(|o| o.site == t.site && o.event == t.event && o.to == t.to).count();
    let told: Vec<&Transition> = told.into_iter().filter(|t| sources(t) <= (states / 2).max(1)).collect();
    let pairs: BTreeSet<(Option<usize>, usize)> = found.transitions.iter().map(|t| (t.from, t.to)).collect();
    let targets: BTreeSet<usize> = found.transitions.iter().map(|t| t.to).collect();
    // what is handed one of many things and seldom changes is no state: most states are begun in or moved to
    let begun: &[usize] = if found.initial.len() * 2 <= states { &found.initial } else { &[] };
    let lived: BTreeSet<usize> = targets.iter().chain(begun).chain(lost).copied().collect();
    lived.len() * 2 > states && (told.len() >= 2 && pairs.len() >= 2 || !told.is_empty() && targets.len() >= 2)
}

/// Whether objects that are states answer each in its own way to what they are asked, where they are asked at all.
fn are_asked(flow: &Flow<'_>, found: &Found) -> bool {
    if !matches!(found.domain.encoding, Encoding::Objects(_) | Encoding::Kin) {
        return true;
    }
    let answers = |name: Sym| found.domain.states.iter().filter_map(move |s| Some((s.class()?, found.domain.answers(flow, *s, name)?)));
    let own = |name: Sym| answers(name).filter(|(class, m)| flow.program.member(*m).owner == *class).count() >= 2;
    // what all share does nothing, and each has something else that it replaces
    let replaced = || {
        let asked: BTreeSet<Sym> = found.delegations.iter().map(|(_, name)| *name).collect();
        let differ = |name: Sym| answers(name).map(|(_, m)| m).collect::<BTreeSet<MemberId>>().len() >= 2;
        asked.len() >= 2 && asked.iter().filter(|name| differ(**name)).count() >= 2
    };
    found.delegations.is_empty() || found.delegations.iter().any(|(_, name)| own(*name)) || replaced()
}

/// The transitions that moves come to.
fn transitions(flow: &Flow<'_>, domain: &Domain, moves: &mut [Move]) -> Vec<Transition> {
    for m in moves.iter_mut() {
        m.never = guards::contradict(flow, &m.conditions);
    }
    // a statement that sets the state again which a way has come with is reached by that way
    let keeps = |m: &&Move| !m.never && domain.among(m.from).is_some_and(|states| states.contains(&m.to));
    let kept: FxHashSet<Site> = moves.iter().filter(keeps).map(|m| m.site).collect();
    let mut out: Vec<Transition> = Vec::new();
    let mut numbers: FxHashMap<(Option<usize>, Event, usize, Site), usize> = FxHashMap::default();
    for m in moves.iter() {
        let froms: Vec<Option<usize>> = match domain.among(m.from) {
            None => vec![None],
            Some(states) => states.into_iter().map(Some).collect(),
        };
        for from in froms {
            // staying is no transition, unless a new object takes the place
            if from == Some(m.to) && (!m.fresh || domain.states[m.to].is_single()) {
                continue;
            }
            match numbers.entry((from, m.event, m.to, m.site)) {
                Entry::Occupied(number) => {
                    let known = &mut out[*number.get()];
                    known.told |= m.told;
                    known.never &= m.never;
                    let common = known.conditions.iter().zip(&m.conditions).take_while(|(a, b)| a == b).count();
                    known.conditions.truncate(common);
                }
                Entry::Vacant(free) => {
                    free.insert(out.len());
                    out.push(Transition {
                        from,
                        event: m.event,
                        conditions: m.conditions.clone(),
                        to: m.to,
                        site: m.site,
                        root: m.root,
                        told: m.told,
                        never: m.never && !kept.contains(&m.site),
                    });
                }
            }
        }
    }
    out
}

/// The methods at which ways set out: those of the context that others call, and whoever else sets the state.
fn roots(
    flow: &Flow<'_>,
    field: MemberId,
    context: TypeId,
    domain: &Domain,
    reach: &Reach,
    family: &dyn Fn(TypeId) -> bool,
) -> Vec<MemberId> {
    let program = flow.program;
    let asks =
        matches!(domain.encoding, Encoding::Objects(_) | Encoding::Kin | Encoding::Values | Encoding::Functions | Encoding::Enumeration(_));
    let readers: FxHashSet<MemberId> = if asks { asked_in(flow, field, domain).map(|s| s.member).collect() } else { FxHashSet::default() };
    // what a table has for the state it is in may be a function that moves it
    let looks_up = |m: MemberId| {
        let is_field = |body: &Body, n: NodeId| matches!(body.node(n), Node::Name(name) | Node::Member { name, .. } if program.sym_in(m, name) == program.member(field).name);
        let body = program.body_with(m, Kinds::INDEX).filter(|_| !asks);
        body.is_some_and(|body| {
            body.ids().any(|n| matches!(body.node(n), Node::Index { keys, .. } if body.list(keys).iter().any(|k| is_field(body, *k))))
        })
    };
    let mut roots = Vec::new();
    let mut of_context = Vec::new();
    for t in context_types(program, context) {
        of_context.extend(program.ty(t).members.iter().copied());
    }
    for m in of_context {
        let kind = program.member(m).kind;
        let runs = matches!(kind, MemberKind::Method | MemberKind::Accessor(AccessorKind::Set))
            || kind == MemberKind::Initializer && program.member(m).is_static;
        let is_function = matches!(kind, MemberKind::Field | MemberKind::Property) && reach.moves(m) && m != field;
        if !(runs || is_function)
            || program.body(m).is_none_or(|b| b.root.is_none())
            || !(reach.moves(m) || readers.contains(&m) || looks_up(m))
        {
            continue;
        }
        let private = program.decl(m).modifiers.visibility != Visibility::Public && kind == MemberKind::Method;
        let open = program.kit_of(m).traits.public_by_default || !private;
        let is_hidden = private && program.decl(m).modifiers.visibility == Visibility::Private;
        // which of several of one name is called may not be known
        let alike = program.own_members(program.member(m).owner, program.member(m).name).iter();
        let callers: Vec<Site> = alike.flat_map(|m| flow.call_sites(*m)).copied().collect();
        // what a module does by itself uses the machine, as others do
        if kind == MemberKind::Initializer && !acts_later(flow, field, m, reach) {
            continue;
        }
        // a function that is a state is run by whoever holds it
        if domain.encoding == Encoding::Functions && domain.states.contains(&State::Function(m)) {
            continue;
        }
        // what is static is about other objects
        let inside = |site: &Site| {
            let caller = program.member(site.member);
            family(caller.owner)
                && !is_top_level(program, *site)
                && !runs_once_made(program, *site)
                && (!caller.is_static || program.ty(context).is_module || program.member(m).is_static)
        };
        if program.member(m).is_static && !program.member(field).is_static && !program.ty(context).is_module {
            continue;
        }
        let from_inside = callers.iter().any(|site| inside(site) && site.member != m);
        let from_outside = callers.iter().any(|site| !inside(site));
        // a helper's ways are those of its callers
        let is_helper =
            from_inside && !from_outside && (is_hidden || !open || program.ty(context).is_module && !program.decl(m).modifiers.is_exported);
        if !is_helper {
            roots.push(m);
        }
    }
    for m in reach.movers() {
        let info = program.member(*m);
        let stores = flow.definitions(field).iter().any(|d| d.member == *m);
        let runs = matches!(info.kind, MemberKind::Method | MemberKind::Accessor(AccessorKind::Set));
        if stores && runs && !family(info.owner) && !program.in_test(*m) {
            roots.push(*m);
        }
    }
    roots.sort_unstable();
    roots.dedup();
    roots
}

/// The methods of classes written within the context, or within its states, that store the state.
fn stored_within(flow: &Flow<'_>, field: MemberId, context: TypeId, family: &dyn Fn(TypeId) -> bool) -> Vec<MemberId> {
    let program = flow.program;
    let of_context = context_types(program, context);
    let is_within = |m: &MemberId| {
        let info = program.member(*m);
        matches!(info.kind, MemberKind::Method | MemberKind::Accessor(AccessorKind::Set))
            && family(info.owner)
            && !of_context.contains(&info.owner)
            && flow.enclosing_type(info.owner).is_some()
    };
    let mut stores: Vec<MemberId> = flow.definitions(field).iter().map(|d| d.member).filter(is_within).collect();
    stores.sort_unstable();
    stores.dedup();
    stores
}

/// The functions that store the state and that constructors of the context hand to others: `link.on('open', () => { this.state = 'up'; })`.
fn handed_over_as_made(flow: &Flow<'_>, field: MemberId, context: TypeId) -> Vec<(MemberId, FunctionId)> {
    let program = flow.program;
    let of_context = context_types(program, context);
    let stores = flow.definitions(field).iter().filter(|d| {
        let info = program.member(d.member);
        info.kind == MemberKind::Constructor && of_context.contains(&info.owner)
    });
    let around = |d: &Site| {
        let (body, scope) = (program.body(d.member)?, program.scope(d.member));
        let function = scope.function_around(body, d.node)?;
        let is_walked = scope.function_node(function).is_some_and(|node| program.is_walked_with(d.member, body, node));
        (!is_walked).then_some((d.member, function))
    };
    let mut handed: Vec<(MemberId, FunctionId)> = stores.filter_map(around).collect();
    handed.sort_unstable();
    handed.dedup();
    handed
}

/// Whether a statement is what a module does as it is loaded.
fn is_top_level(program: &Program, site: Site) -> bool {
    program.member(site.member).kind == MemberKind::Initializer
        && program.body(site.member).is_some_and(|b| program.scope(site.member).function_around(b, site.node).is_none())
}

/// Whether a call stands in a function that a constructor writes, and that others run once the object is there.
fn runs_once_made(program: &Program, site: Site) -> bool {
    program.member(site.member).kind == MemberKind::Constructor
        && program.body(site.member).is_some_and(|b| program.scope(site.member).function_around(b, site.node).is_some())
}

/// Whether a function that is written in the code of a module moves a machine or asks its state.
fn acts_later(flow: &Flow<'_>, field: MemberId, initializer: MemberId, reach: &Reach) -> bool {
    let program = flow.program;
    let Some(body) = program.body(initializer) else { return false };
    let name = program.member(field).name;
    let later = |node: NodeId| program.scope(initializer).function_around(body, node).is_some();
    body.ids().any(|n| match body.node(n) {
        Node::Name(x) | Node::Member { name: x, .. } => program.sym_in(initializer, x) == name && later(n),
        Node::Call { .. } => later(n) && flow.callee(Site { member: initializer, node: n }).is_some_and(|c| reach.moves(c.member)),
        _ => false,
    })
}

/// Where something of a field's name is read, or called where functions are the states.
fn asked_in<'p>(flow: &Flow<'p>, field: MemberId, domain: &Domain) -> impl Iterator<Item = &'p Site> {
    let index = &flow.program.index;
    let name = flow.program.member(field).name;
    let calls = if domain.encoding == Encoding::Functions { index.calls(name) } else { &[] };
    index.reads(name).iter().chain(calls)
}

/// The types whose methods are those of a context: its own, its heirs', and its bases'.
fn context_types(program: &Program, context: TypeId) -> Vec<TypeId> {
    let mut types = program.heirs(context);
    program.for_each_base(context, &mut |t| {
        if !types.contains(&t) {
            types.push(t);
        }
        true
    });
    types
}

/// What sets off the moves of a method: it, or what kind of message it takes where there is one of it for each.
pub(super) fn event_of(flow: &Flow<'_>, root: MemberId) -> Event {
    let program = flow.program;
    let info = program.member(root);
    let others = program.own_members(info.owner, info.name).iter().filter(|m| program.member(**m).kind == MemberKind::Method);
    let first = |m: MemberId| program.decl(m).params.first().and_then(|p| p.ty).and_then(|t| program.type_in(m, t).own());
    let kinds: Vec<Option<TypeId>> = others.map(|m| first(*m)).collect();
    let is_class = |t: TypeId| program.ty(t).kind != TypeKind::Enum;
    match first(root) {
        Some(class) if kinds.len() > 1 && is_class(class) && kinds.iter().all(Option::is_some) => Event::Message(State::Class(class)),
        _ => Event::Method(root),
    }
}

/// The states that a machine can start in, and whether it starts in one.
fn initial(flow: &Flow<'_>, machine: &Machine, domain: &mut Domain, field: MemberId, reach: &Reach) -> (Vec<usize>, bool) {
    let program = flow.program;
    let context = program.member(field).owner;
    let mut at = 0_u64;
    // a module's variable may be given its first value among what the module does
    let own: Vec<&Site> = flow.definitions(field).iter().filter(|d| d.member == field).collect();
    let loaded = || flow.definitions(field).iter().find(|d| is_top_level(program, **d));
    let own = if own.is_empty() { loaded().into_iter().collect() } else { own };
    for site in own {
        if let Some(bits) = first_bits(flow, machine, domain, *site) {
            at = bits;
        }
    }
    if at == 0 && domain.encoding == Encoding::Variant {
        at = 1;
    }
    let mut unset = false;
    let mut ends = Vec::new();
    let constructors: Vec<MemberId> = context_types(program, context)
        .into_iter()
        .flat_map(|t| program.ty(t).members.iter().copied())
        .filter(|m| program.member(*m).kind == MemberKind::Constructor && reach.moves(*m))
        .collect();
    let of_context = program.ty(context).members.iter().filter(|m| program.member(**m).kind == MemberKind::Constructor).count();
    for constructor in &constructors {
        let mut walker = Walker::new(flow, machine, domain.clone(), reach);
        let before = if at == 0 { u64::MAX } else { at };
        let done = walker.method(*constructor, None, Value::Context, Event::Method(*constructor), before);
        *domain = walker.domain;
        // what it calls may ask each of the states, whichever it is
        let any = done.len() > 1 && done.iter().fold(0, |a, b| a | b) & domain.all() == domain.all();
        if at == 0 && any {
            let handed = handed_in(flow, machine, domain, field, *constructor);
            if handed != 0 {
                ends.push(handed);
                continue;
            }
        }
        for end in done {
            if end & domain.all() != domain.all() || domain.states.len() == 1 {
                ends.push(end);
            } else if at == 0 {
                // what it was handed says
                let handed = handed_in(flow, machine, domain, field, *constructor);
                unset |= handed == 0;
                ends.push(handed);
            }
        }
    }
    if constructors.len() < of_context && at == 0 && of_context > 0 {
        unset |= constructors.iter().all(|c| program.member(*c).owner != context) || constructors.len() < of_context;
    }
    let all: u64 = if ends.is_empty() { at } else { ends.into_iter().fold(0, |a, b| a | b) };
    // a field of an enumeration holds the constant that is zero, mostly the first, where the language says so
    let mut all = all;
    if all == 0
        && program.kit_of(field).traits.enums_start_at_first
        && let Encoding::Enumeration(ty) = domain.encoding
        && let Some(zero) = zero_of(program, ty)
    {
        all = domain.bit(flow, State::Constant(zero)).unwrap_or(0);
        unset = false;
    }
    let initial: Vec<usize> = (0..domain.states.len()).filter(|i| all & (1 << i) != 0).collect();
    let starts = !initial.is_empty() && !unset;
    (initial, starts)
}

/// The states that a first value is.
fn first_bits(flow: &Flow<'_>, machine: &Machine, domain: &mut Domain, site: Site) -> Option<u64> {
    if let Some(tag) = machine.tag {
        let entry = flow.entry_of_literal(site, tag).or_else(|| flow.entry_of_literal(literal(flow, &flow.eval(site), HOPS)?, tag))?;
        return domain.bit(flow, state::named(flow, entry.member, entry.node)?);
    }
    let reach = Reach::open([]);
    let mut walker = Walker::new(flow, machine, domain.clone(), &reach);
    let values = walker.first(site);
    let mut bits = 0;
    for value in values {
        bits |= match value {
            Value::State(bits, ..) => bits,
            Value::Named(state, ..) => walker.domain.bit(flow, state).unwrap_or(0),
            _ => 0,
        };
    }
    *domain = walker.domain;
    (bits != 0).then_some(bits)
}

/// Whether somebody hands a method what it stores as a state, and nothing says what that is: a part of what came in from elsewhere.
fn is_handed_unknown(flow: &Flow<'_>, field: MemberId, setter: MemberId) -> bool {
    let stored = flow.definitions(field).iter().filter(|d| d.member == setter).filter_map(|d| match flow.eval(*d) {
        Val::Param(m, None, index) if m == setter => Some(usize::from(index)),
        _ => None,
    });
    let is_unknown = |given: Site| match flow.eval(given) {
        Val::Outside(of, _) => matches!(of.root(), Val::Param(..) | Val::Unknown | Val::Call(_)),
        value => value == Val::Unknown,
    };
    stored.into_iter().any(|index| flow.call_sites(setter).iter().filter_map(|call| flow.argument(*call, index)).any(is_unknown))
}

/// Whether, in code without types, a call by a method's name reaches nobody knows whom, so that it may be that method.
fn is_called_unseen(flow: &Flow<'_>, method: MemberId) -> bool {
    let program = flow.program;
    let unseen = |call: &Site| flow.callee(*call).is_none() && flow.is_of_unknown(*call);
    program.kit_of(method).traits.duck_typed && program.index.calls(program.member(method).name).iter().any(unseen)
}

/// The states that makers hand to a constructor.
fn handed_in(flow: &Flow<'_>, machine: &Machine, domain: &mut Domain, field: MemberId, constructor: MemberId) -> u64 {
    // by itself, or by a method that it calls to store it
    let stored = flow.definitions(field).iter().flat_map(|d| match flow.eval(*d) {
        _ if d.member == constructor => vec![*d],
        Val::Param(m, None, index) if m == d.member => {
            let calls = flow.callers((m, None)).iter().filter(|(call, _)| call.member == constructor);
            calls.filter_map(|(call, _)| flow.argument(*call, usize::from(index))).collect()
        }
        _ => Vec::new(),
    });
    let given: BTreeSet<Site> = stored.flat_map(|d| origins(flow, d)).collect();
    let mut bits = 0;
    for given in given {
        bits |= first_bits(flow, machine, domain, given).unwrap_or(0);
    }
    bits
}

/// A machine in a variable of a generator or of functions that capture it.
fn of_local(wiring: &Wiring<'_>, machine: Machine, mut domain: Domain, apart: &[NodeId]) -> Option<Found> {
    let flow = &wiring.flow;
    let program = flow.program;
    let Holder::Local(site) = machine.holder else { return None };
    let body = program.body(site.member)?;
    let scope = program.scope(site.member);
    let reach = Reach::open([site.member]);
    let functions: BTreeSet<FunctionId> = apart.iter().filter_map(|n| scope.function_around(body, *n)).collect();
    let mut found = walk::Found::default();
    for _ in 0..grain::ROUNDS {
        let known = domain.states.len();
        let mut walker = Walker::new(flow, &machine, domain, &reach);
        if functions.is_empty() {
            walker.method(site.member, None, Value::Unknown, Event::Method(site.member), u64::MAX);
        }
        for function in &functions {
            let event = function_name(flow, site.member, *function).map_or(Event::Method(site.member), Event::Named);
            walker.method(site.member, Some(*function), Value::Unknown, event, u64::MAX);
        }
        domain = walker.domain;
        found = walker.found;
        if !domain.closed {
            for (_, label) in &found.labels {
                domain.bit(flow, *label);
            }
        }
        if domain.states.len() == known || found.cut {
            break;
        }
    }
    if found.cut {
        return None;
    }
    let Node::Local { init: Some(init), .. } = body.node(site.node) else { return None };
    let initial = first_bits(flow, &machine, &mut domain, Site { member: site.member, node: init })?;
    let declared = Site { member: site.member, node: site.node };
    found.moves.retain(|m| m.site != declared);
    let transitions = transitions(flow, &domain, &mut found.moves);
    let initial = (0..domain.states.len()).filter(|i| initial & (1 << i) != 0).collect();
    let result = Found {
        machine,
        domain,
        initial,
        starts: true,
        transitions,
        strays: found.strays,
        delegations: found.delegations,
        stores_unknown: found.stores_unknown,
        is_set_from_outside: false,
        roots: vec![site.member],
        labels: found.labels,
        passed_over: Vec::new(),
        outrun: Vec::new(),
        discarded: Vec::new(),
        is_coarse: false,
        moves: true,
    };
    is_machine(&result, &BTreeSet::new()).then_some(result)
}

/// What a function is called where it is written: its own name, the entry or variable that it is given to.
pub(super) fn function_name(flow: &Flow<'_>, member: MemberId, function: FunctionId) -> Option<Sym> {
    let program = flow.program;
    let body = program.body(member)?;
    if let Some(name) = body.function(function).name {
        return Some(program.sym_in(member, name));
    }
    let scope = program.scope(member);
    let node = scope.function_node(function)?;
    match body.node(scope.parent(node)?) {
        Node::Entry { key, .. } => match body.node(key) {
            Node::Str(name) => Some(program.sym_in(member, name)),
            _ => None,
        },
        Node::Local { name, .. } => Some(program.sym_in(member, name)),
        Node::Call { args, .. } => match body.node(*body.list(args).first()?) {
            Node::Str(topic) => Some(program.sym_in(member, topic)),
            _ => None,
        },
        _ => None,
    }
}
