//! Mediators: objects that know many colleagues, who know it, and that route between them.
//!
//! A mediator's roster is a channel. What makes it one is that those who are told hold it themselves and tell the
//! others through it.

mod directors;
pub mod map;
mod switchboards;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId, TypeKind};

use crate::flow::{Flow, Val};
use crate::program::{Kinds, MemberId, Program, Site, Sym, Ty, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;
use crate::wire::holders::hands_this;

/// So many colleagues, members and branches a mediator may have before it has taken on too much.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Classes that take part.
    pub colleagues: usize,
    /// Members of its class, without constructors and accessors.
    pub members: usize,
    /// Branches in their bodies.
    pub branches: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self { colleagues: 8, members: 20, branches: 20 }
    }
}

/// To whom something is routed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum To {
    /// One colleague.
    One,
    /// All but the sender.
    Others,
    /// All of them.
    All,
}

/// A statement of a mediator that delivers.
#[derive(Clone, Debug)]
pub struct Route {
    /// The statement.
    pub site: Site,
    /// To whom.
    pub to: To,
    /// The method by which colleagues are told.
    pub method: Sym,
    /// A condition on which it depends.
    pub condition: Option<Site>,
}

/// A colleague.
#[derive(Clone, Debug)]
pub struct Colleague {
    /// Its class.
    pub class: TypeId,
    /// Where it is registered.
    pub registered: BTreeSet<Site>,
    /// Where it is taken off.
    pub deregistered: BTreeSet<Site>,
}

/// A mediator.
#[derive(Clone, Debug)]
pub struct Mediator {
    /// Its class.
    pub class: TypeId,
    /// The channels that its roster is: one, or one for each key under which colleagues are kept; none where each
    /// colleague has a field of its own, or is looked up by name.
    pub channels: Vec<usize>,
    /// The roster, or the first of those fields.
    pub roster: MemberId,
    /// The type that colleagues have in common, where there is one.
    pub base: Option<TypeId>,
    /// Who takes part, by class.
    pub colleagues: Vec<Colleague>,
    /// What it delivers.
    pub routes: Vec<Route>,
    /// Classes that talk through it and are never registered.
    pub outsiders: Vec<(TypeId, Site)>,
}

/// Finds the mediators of a tree.
pub(crate) fn find(wiring: &Wiring<'_>) -> Vec<Mediator> {
    let mut rosters: BTreeMap<MemberId, Vec<usize>> = BTreeMap::new();
    for (number, channel) in wiring.channels.iter().enumerate() {
        if let ChannelKey::Own(roster, _) = channel.key {
            rosters.entry(roster).or_default().push(number);
        }
    }
    let mut found: Vec<Mediator> = rosters.into_iter().filter_map(|(roster, channels)| of_roster(wiring, roster, channels)).collect();
    // what has a roster is told by that
    for others in [switchboards::find(wiring), directors::find(wiring)] {
        let known: BTreeSet<TypeId> = found.iter().map(|m| m.class).collect();
        found.extend(others.into_iter().filter(|m| !known.contains(&m.class)));
    }
    found.sort_by_key(|m| (m.class, m.roster));
    found.dedup_by_key(|m| m.class);
    found
}

fn of_roster(wiring: &Wiring<'_>, roster: MemberId, channels: Vec<usize>) -> Option<Mediator> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let class = program.member(roster).owner;
    if program.ty(class).is_module && !program.is_object_literal(class) || wiring.in_test(roster) {
        return None;
    }
    // who is told: objects of the tree
    let mut told: Vec<(TypeId, Site)> = Vec::new();
    // their types, where it is not seen that they are made: only then they may be of an heir
    let mut open: BTreeSet<TypeId> = BTreeSet::new();
    for join in channels.iter().flat_map(|c| &wiring.channels[*c].joins) {
        for part in wiring.parts_of(*join) {
            let effect = &wiring.effects[part];
            let Some(handler) = &effect.handler else { continue };
            if handler.is_function() {
                continue;
            }
            // by a method of their base: those on whom it is called
            let called_on = if matches!(handler, Val::This(_)) { callers_of_own(wiring, effect.site.member) } else { Vec::new() };
            if !called_on.is_empty() {
                told.extend(called_on);
                continue;
            }
            if let Some(t) = flow.type_of(handler).own() {
                told.push((t, effect.site));
                if !matches!(handler, Val::New(_)) {
                    open.insert(t);
                }
            }
        }
    }
    let routes = routes(wiring, &channels);
    // those who are asked, rather than told, are looked after
    let raises = || channels.iter().flat_map(|c| &wiring.channels[*c].raises).map(|r| &wiring.effects[*r]);
    let asked = raises().filter(|e| e.result_used).count();
    // what hands itself to those it tells says that it has changed itself
    let of_itself = raises().all(|e| hands_this(program, e.innermost()));
    if told.is_empty() || routes.is_empty() || asked * 2 > raises().count() || of_itself {
        return None;
    }
    let mut colleagues: Vec<Colleague> = Vec::new();
    for (t, site) in &told {
        let is_exact = !open.contains(t) && !program.ty(*t).modifiers.is_abstract;
        for class in if is_exact { vec![*t] } else { concrete(program, *t) } {
            match colleagues.iter_mut().find(|c| c.class == class) {
                Some(known) => _ = known.registered.insert(*site),
                None => colleagues.push(Colleague { class, registered: BTreeSet::from([*site]), deregistered: BTreeSet::new() }),
            }
        }
    }
    // they must know it, and talk through it
    let delivers = |m: MemberId| raises_on(wiring, m, &channels);
    let takes_sender = |m: MemberId| is_handed_one(program, m, &told) && !lets_in_or_out(wiring, m, &channels);
    let sends_on = |m: MemberId| comes_to(wiring, m, class, 1, &delivers) && (only_routes(wiring, m) || takes_sender(m));
    let talking = |t: TypeId| talks(wiring, t, class, &sends_on);
    let speakers = colleagues.iter().filter(|c| talking(c.class).is_some()).count();
    if speakers == 0 {
        return None;
    }
    for leave in channels.iter().flat_map(|c| &wiring.channels[*c].leaves) {
        let effect = &wiring.effects[*leave];
        // who is taken off by a key of its own is named by the key
        let keyed = || effect.holder.key.as_ref().and_then(|k| flow.type_of(k.root()).own());
        let of = effect.handler.as_ref().and_then(|h| flow.type_of(h).own()).or_else(keyed);
        for colleague in &mut colleagues {
            if of.is_some_and(|t| program.are_kin(colleague.class, t)) {
                colleague.deregistered.insert(effect.site);
            }
        }
    }
    colleagues.sort_by_key(|c| c.class);
    let base = common(program, &colleagues);
    // what is one of those that it holds hands on to its parts
    if base.is_some_and(|base| program.is_a(class, base) && colleagues.len() > 1) {
        return None;
    }
    let others = match base {
        Some(base) => concrete(program, base),
        None => alike(wiring, class, &colleagues, &routes),
    };
    let outsiders = outsiders(wiring, class, others, &colleagues, &talking);
    let goes_by_names = channels.iter().flat_map(|c| &wiring.channels[*c].joins).any(|j| wiring.effects[*j].holder.key.is_some());
    // where one alone talks there is nothing to mediate, unless to others of its kind, of whom it says which one it is
    let among_themselves = || {
        let [only] = &colleagues[..] else { return false };
        talking(only.class).is_some_and(|site| hands_this(program, site) || goes_by_names && hands_own_name(wiring, site))
    };
    if speakers + outsiders.len() < 2 && !among_themselves() {
        return None;
    }
    Some(Mediator { class, channels, roster, base, colleagues, routes, outsiders })
}

/// The classes of the objects on which a method is called, with the calls, where each of them is known to be of that class and no other.
fn callers_of_own(wiring: &Wiring<'_>, method: MemberId) -> Vec<(TypeId, Site)> {
    let (flow, program) = (&wiring.flow, wiring.program());
    if program.member(method).kind != MemberKind::Method {
        return Vec::new();
    }
    let calls = flow.callers((method, None)).iter().filter(|(call, _)| !wiring.in_test(call.member));
    let known = calls.map(|(call, binding)| match &binding.this {
        Some(made @ Val::New(_)) => Some((flow.type_of(made).own()?, *call)),
        _ => None,
    });
    known.collect::<Option<Vec<_>>>().unwrap_or_default()
}

/// In code without types the classes that have the method by which colleagues are told, as these do, and that are made.
fn alike(wiring: &Wiring<'_>, mediator: TypeId, colleagues: &[Colleague], routes: &[Route]) -> Vec<TypeId> {
    let program = wiring.program();
    let unit = program.ty(mediator).unit;
    let methods: BTreeSet<Sym> = routes.iter().map(|r| r.method).collect();
    if !program.kit(unit).traits.duck_typed || methods.is_empty() {
        return Vec::new();
    }
    let hears = |t: TypeId| methods.iter().all(|m| program.find_member_as(t, *m, true).is_some());
    if !colleagues.iter().all(|c| hears(c.class)) {
        return Vec::new();
    }
    let classes = program.classes_of(program.unit(unit).language);
    classes.filter(|t| *t != mediator && hears(*t) && !wiring.flow.creations(*t).is_empty()).collect()
}

/// Whether a call hands over something plain that the object which makes it has, as the name by which others know it.
fn hands_own_name(wiring: &Wiring<'_>, call: Site) -> bool {
    let Some(body) = wiring.program().body(call.member) else { return false };
    let Node::Call { args, .. } = body.node(call.node) else { return false };
    body.list(args).iter().any(|a| match wiring.flow.eval_in(call.member, *a) {
        Val::Member(of, field) => matches!(*of, Val::This(_)) && wiring.holds_data(field),
        _ => false,
    })
}

/// The classes that objects of a type can be of.
pub(crate) fn concrete(program: &Program, base: TypeId) -> Vec<TypeId> {
    let heirs = program.heirs(base);
    let alone = heirs.len() == 1;
    let fits = |t: &TypeId| {
        let ty = program.ty(*t);
        // what others extend and nobody makes is no class of objects
        let is_base = *t == base && !alone;
        !ty.modifiers.is_abstract && ty.kind != TypeKind::Interface && !is_base
    };
    heirs.into_iter().filter(fits).collect()
}

/// The type that colleagues have in common.
fn common(program: &Program, colleagues: &[Colleague]) -> Option<TypeId> {
    let first = colleagues.first()?.class;
    let mut found = None;
    // one of several may be the base of the others
    let of_all = |t: TypeId| colleagues.iter().all(|c| program.is_a(c.class, t));
    if colleagues.len() > 1
        && let Some(base) = colleagues.iter().map(|c| c.class).find(|t| of_all(*t))
    {
        return Some(base);
    }
    program.for_each_base(first, &mut |t| {
        if found.is_none() && t != first && of_all(t) {
            found = Some(t);
        }
        true
    });
    found
}

/// Whether each holder makes what a field holds for itself: what nobody else has mediates between nobody.
fn is_made_by_holder(flow: &Flow<'_>, field: MemberId) -> bool {
    let definitions = flow.definitions(field);
    !definitions.is_empty() && definitions.iter().all(|d| matches!(flow.eval(*d), Val::New(_)))
}

/// Where a class calls what it holds of a mediator's type, by a method that sends on.
fn talks(wiring: &Wiring<'_>, class: TypeId, mediator: TypeId, sends_on: &dyn Fn(MemberId) -> bool) -> Option<Site> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = None;
    program.for_each_base(class, &mut |t| {
        for m in &program.ty(t).members {
            let Some(body) = program.body(*m) else { continue };
            if found.is_some() || program.member(*m).kind == MemberKind::Constructor {
                continue;
            }
            for node in body.ids() {
                let Node::Call { callee, .. } = body.node(node) else { continue };
                let Node::Member { object, name, .. } = body.node(callee) else { continue };
                let value = flow.eval_in(*m, object);
                let held = match &value {
                    Val::Member(of, field) => matches!(**of, Val::This(_)) && !is_made_by_holder(flow, *field),
                    Val::Outside(of, _) => matches!(**of, Val::This(_)),
                    // the one that all have, or that something hands out to all: `Switchboard.get()`
                    Val::Static(_) | Val::Type(_) => true,
                    Val::Call(call) => flow.callee(*call).is_some_and(|c| program.member(c.member).is_static),
                    _ => false,
                };
                if !held {
                    continue;
                }
                let method = program.find_member_as(mediator, program.sym_in(*m, name), true);
                let is_it = match flow.type_of(&value).bounded() {
                    // what nothing else is called tells it too
                    Ty::Unknown => {
                        let called = || flow.callee(Site { member: *m, node }).map(|c| c.member);
                        method.is_some() && (called() == method || is_held_elsewhere(wiring, &value, mediator))
                    }
                    // the one that is written out
                    Ty::Static(t) => t == mediator,
                    ty => ty.own().is_some_and(|t| program.is_a(mediator, t)),
                };
                if !is_it {
                    continue;
                }
                if method.is_some_and(sends_on) {
                    found = Some(Site { member: *m, node });
                    break;
                }
            }
        }
        true
    });
    found
}

/// Whether, in code without types, what a field of unknown content is called holds a mediator in another class: nobody has given it one here.
fn is_held_elsewhere(wiring: &Wiring<'_>, value: &Val, mediator: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Val::Member(_, field) = value else { return false };
    let info = program.member(*field);
    if !program.kit_of(*field).traits.duck_typed || flow.definitions(*field).iter().any(|d| flow.eval(*d) != Val::Null) {
        return false;
    }
    let holds_it = |m: &MemberId| flow.type_held(*m).own().is_some_and(|t| program.is_a(mediator, t));
    let mut classes = program.classes_of(program.unit(info.unit).language);
    classes.any(|class| program.own_members(class, info.name).iter().any(holds_it))
}

/// Whether a method hands something on, rather than changing what its object is about and telling of it.
fn only_routes(wiring: &Wiring<'_>, method: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(method) else { return false };
    !program.decl(method).params.is_empty()
        && !body.ids().any(|n| match body.node(n) {
            Node::Assign { target, .. } => matches!(wiring.flow.eval_in(method, target), Val::Member(of, _) if matches!(*of, Val::This(_))),
            _ => false,
        })
}

/// Whether a method is handed one of those who are told: the one who sends.
fn is_handed_one(program: &Program, method: MemberId, told: &[(TypeId, Site)]) -> bool {
    let types = program.decl(method).params.iter().filter_map(|p| program.type_in(method, p.ty?).own());
    types.into_iter().any(|t| told.iter().any(|(class, _)| program.is_a(*class, t)))
}

/// Whether somebody joins or leaves by a method.
fn lets_in_or_out(wiring: &Wiring<'_>, method: MemberId, channels: &[usize]) -> bool {
    let of_channel = |c: &usize| wiring.channels[*c].joins.iter().chain(&wiring.channels[*c].leaves).copied();
    channels.iter().flat_map(of_channel).any(|e| {
        let effect = &wiring.effects[e];
        effect.site.member == method || effect.inner.iter().any(|s| s.member == method)
    })
}

/// Classes that could be colleagues, talk through the mediator and are none.
fn outsiders(
    wiring: &Wiring<'_>,
    mediator: TypeId,
    candidates: Vec<TypeId>,
    colleagues: &[Colleague],
    talking: &dyn Fn(TypeId) -> Option<Site>,
) -> Vec<(TypeId, Site)> {
    // what is a mediator itself talks to itself
    let is_other = |t: &TypeId| !wiring.program().is_a(*t, mediator) && !colleagues.iter().any(|c| c.class == *t);
    let others = candidates.into_iter().filter(|t| is_other(t) && !wiring.is_test_type(*t));
    others.filter_map(|t| talking(t).map(|site| (t, site))).collect()
}

/// Whether a method tells those who are on some channels.
fn raises_on(wiring: &Wiring<'_>, method: MemberId, channels: &[usize]) -> bool {
    channels.iter().flat_map(|c| &wiring.channels[*c].raises).any(|r| {
        let effect = &wiring.effects[*r];
        effect.site.member == method || effect.inner.iter().any(|s| s.member == method)
    })
}

/// Whether a method of a mediator delivers, or comes to one that does by so many calls of its object's own.
fn comes_to(wiring: &Wiring<'_>, method: MemberId, mediator: TypeId, depth: u32, delivers: &dyn Fn(MemberId) -> bool) -> bool {
    if delivers(method) {
        return true;
    }
    let program = wiring.program();
    let (Some(depth), Some(body)) = (depth.checked_sub(1), program.body_with(method, Kinds::CALL)) else { return false };
    let calls = body.ids().filter(|n| matches!(body.node(*n), Node::Call { .. }));
    let mut called = calls.filter_map(|node| wiring.flow.callee(Site { member: method, node })).map(|c| c.member);
    called.any(|m| m != method && program.is_a(mediator, program.member(m).owner) && comes_to(wiring, m, mediator, depth, delivers))
}

/// The statements that deliver, with whom they reach.
fn routes(wiring: &Wiring<'_>, channels: &[usize]) -> Vec<Route> {
    let program = wiring.program();
    let mut found: Vec<Route> = Vec::new();
    for raise in channels.iter().flat_map(|c| &wiring.channels[*c].raises) {
        let effect = &wiring.effects[*raise];
        let site = effect.innermost();
        let Some(body) = program.body(site.member) else { continue };
        let Some((call, method)) = asked(program, site) else { continue };
        if found.iter().any(|r| r.site == call) || is_part_of_condition(program, body, call) {
            continue;
        }
        let (to, condition) = reach(program, body, call);
        found.push(Route { site: call, to, method, condition });
    }
    found.sort_by_key(|r| r.site);
    found
}

/// Whether a call is asked for the sake of a choice, and tells nobody: `if (!colleague.name().equals(from))`.
fn is_part_of_condition(program: &Program, body: &yarrowgraph_ir::Body, call: Site) -> bool {
    let scope = program.scope(call.member);
    let around = scope.ancestors(call.node).find_map(|n| match body.node(n) {
        Node::If { cond, .. } => Some(cond == call.node || scope.is_within(call.node, cond)),
        Node::Block(_) | Node::Lambda(_) => Some(false),
        _ => None,
    });
    around == Some(true)
}

/// The call by which listeners are told, and its method.
pub(crate) fn asked(program: &Program, site: Site) -> Option<(Site, Sym)> {
    let body = program.body(site.member)?;
    let scope = program.scope(site.member);
    let call_at = |node: NodeId| match body.node(node) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } => Some((Site { member: site.member, node }, program.sym_in(site.member, name))),
            _ => None,
        },
        _ => None,
    };
    call_at(site.node).or_else(|| {
        // the walk as a whole: the first call within
        scope.within(site.node).find_map(call_at)
    })
}

/// Whom a delivery reaches: all that are walked, all but one that a condition leaves out, or one that was looked up.
fn reach(program: &Program, body: &yarrowgraph_ir::Body, call: Site) -> (To, Option<Site>) {
    let scope = program.scope(call.member);
    let mut condition = None;
    let mut left_out = false;
    let mut walked = false;
    let mut inner = call.node;
    for around in scope.ancestors(call.node) {
        match body.node(around) {
            Node::If { cond, .. } if cond != inner => {
                condition = condition.or(Some(Site { member: call.member, node: cond }));
                left_out |= crate::state::any_within(body, cond, &|n| is_comparison(program, call.member, body, n));
            }
            Node::Block(list) => {
                // `if (c == sender) continue;`
                let list = body.list(list);
                let at = list.iter().position(|s| *s == inner).unwrap_or(0);
                left_out |= list[..at].iter().any(|s| {
                    matches!(body.node(*s), Node::If { cond, then, .. } if leaves_turn(body, then) && crate::state::any_within(body, cond, &|n| is_comparison(program, call.member, body, n)))
                });
            }
            Node::ForEach { iterable, .. } => {
                walked = true;
                left_out |= leaves_one_out(program, call.member, body, iterable);
                break;
            }
            Node::Loop { .. } => {
                walked = true;
                break;
            }
            Node::Lambda(_) => {
                walked = true;
                // what is walked by a function stands before it: `parts.filter(p => p !== sender).forEach(p => p.react())`
                if let Some(Node::Call { callee, .. }) = scope.parent(around).map(|p| body.node(p)) {
                    left_out |= leaves_one_out(program, call.member, body, callee);
                }
                break;
            }
            _ => {}
        }
        inner = around;
    }
    let to = match (walked, left_out) {
        (true, true) => To::Others,
        (true, false) => To::All,
        (false, _) => To::One,
    };
    (to, condition)
}

/// Whether what is walked was chosen by a comparison.
fn leaves_one_out(program: &Program, member: MemberId, body: &yarrowgraph_ir::Body, walked: NodeId) -> bool {
    let compares = |function: NodeId| crate::state::any_within(body, function, &|n| is_comparison(program, member, body, n));
    crate::state::any_within(body, walked, &|n| matches!(body.node(n), Node::Lambda(_)) && compares(n))
}

fn leaves_turn(body: &yarrowgraph_ir::Body, node: NodeId) -> bool {
    match body.node(node) {
        Node::Continue | Node::Return(_) => true,
        Node::Block(list) => body.list(list).last().is_some_and(|n| leaves_turn(body, *n)),
        _ => false,
    }
}

fn is_comparison(program: &Program, member: MemberId, body: &yarrowgraph_ir::Body, node: NodeId) -> bool {
    match body.node(node) {
        Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, .. } => true,
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } | Node::Name(name) => {
                program.kit_of(member).pack.equality.contains(program.unit_of(member).text(name))
            }
            _ => false,
        },
        _ => false,
    }
}
