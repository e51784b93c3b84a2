//! Effects that depend on a caller, carried to every caller: so that a wrapper, and a
//! wrapper around a wrapper, read like what they wrap.

use std::hash::BuildHasher;

use hashbrown::HashTable;
use rayon::prelude::*;
use rustc_hash::{FxBuildHasher, FxHashSet};
use yarrowgraph_ir::{Body, FunctionId, MemberKind, Node, NodeId, TypeKind, UnaryOp};
use yarrowgraph_model::Budget;

use super::channels::Signals;
use super::effect::{Act, Effect, Event, Guard, Holder};
use super::extract::{Extractor, holder_of};
use super::{adapters, annotated, holders, rows, streams};
use crate::flow::{Binding, Flow, FunctionKey, Val, is_override};
use crate::program::{MemberId, Site, Sym, Ty};

/// How many wrappers are seen through.
const WRAPPERS: usize = 6;
/// How many methods a call may reach for what each of them does to be carried to it: past that it says nothing of the call.
const ALTERNATIVES: u32 = 32;
/// How many effects a tree may have before carrying stops, which the result then says.
const EFFECTS: usize = 400_000;

/// Effects, each once: they are told apart by the place, and by what is done to what with what.
struct Known {
    effects: Vec<Effect>,
    /// The numbers of the effects, by what tells them apart.
    numbers: HashTable<u32>,
}

impl Known {
    fn new(effects: Vec<Effect>) -> Self {
        let mut known = Self { effects: Vec::with_capacity(effects.len()), numbers: HashTable::with_capacity(effects.len()) };
        for effect in effects {
            known.push(hash(&effect), effect);
        }
        known
    }

    fn push(&mut self, hash_of: u64, effect: Effect) {
        let Self { effects, numbers } = self;
        numbers.insert_unique(hash_of, effects.len() as u32, |n| hash(&effects[*n as usize]));
        effects.push(effect);
    }

    /// Adds an effect that is not there yet.
    fn add(&mut self, hash_of: u64, effect: Effect) {
        let is_it = |n: &u32| id(&self.effects[*n as usize]) == id(&effect);
        if self.numbers.find(hash_of, is_it).is_none() {
            self.push(hash_of, effect);
        }
    }
}

fn id(effect: &Effect) -> (Site, Act, &Holder, Option<&Val>) {
    (effect.site, effect.act, &effect.holder, effect.handler.as_ref())
}

fn hash(effect: &Effect) -> u64 {
    FxBuildHasher.hash_one(id(effect))
}

/// Carries open effects to callers. Returns all effects, those with open handlers too, and the
/// budgets that were not kept.
pub(super) fn spread(flow: &Flow<'_>, own: Vec<Effect>, signals: &Signals) -> (Vec<Effect>, Vec<Budget>) {
    let mut known = Known::new(own);
    // whatever somebody is handed may be any member's, so it comes first
    let given = |e: &Effect| matches!(e.holder.event, Event::Given) && e.act != Act::Join;
    let mut complete = carry_all(flow, &mut known, signals, &given);
    let hopeless = holders::hopeless(flow, &known.effects, signals);
    let hopeful = |e: &Effect| !matches!(e.holder.event, Event::Own(m) if hopeless.contains(&m));
    let told_or_left = |e: &Effect| e.act != Act::Join && !given(e) && hopeful(e);
    complete &= carry_all(flow, &mut known, signals, &told_or_left);
    // a collection that nobody is ever told from holds data: who puts what into it need not be known
    let told = told_from(&known.effects);
    let taken_off = taken_off(&known.effects);
    let left = left_untold(flow, &known.effects, &told);
    let matters = |e: &Effect| match e.holder.event {
        Event::Own(m) => {
            let is_signal = signals.tells(flow.program, m);
            let may_be_channel = hopeful(e) && (is_signal || told.contains(&m) || left.contains(&m) || !is_collection(flow, m));
            e.act == Act::Join && (may_be_channel || taken_off.contains(&m))
        }
        _ => e.act == Act::Join,
    };
    complete &= carry_all(flow, &mut known, signals, &matters);
    let mut effects = known.effects;
    let handed_on: Vec<Effect> = effects.iter().filter(|e| e.act == Act::Join).flat_map(|e| handed_on(flow, e, signals)).collect();
    effects.extend(handed_on);
    // a list that no caller shows to be a member's is any list
    effects.retain(|e| !e.of_handed_list || !matches!(e.holder.event, Event::Given));
    let is_open = |e: &Effect| open_in(flow, e, signals).is_some();
    let open: FxHashSet<FunctionKey> = effects.iter().filter(|e| hopeful(e)).filter_map(|e| open_in(flow, e, signals)).collect();
    let wide = open
        .iter()
        .filter(|key| flow.knows_callers(**key))
        .flat_map(|key| flow.callers(*key).iter().filter_map(|(site, _)| wide_method(flow, *site, *key)));
    let wide: FxHashSet<MemberId> = wide.collect();
    // what is still open behind so many wrappers has callers that were not asked
    let deep = effects.iter().filter(|e| e.inner.len() >= WRAPPERS && hopeful(e) && is_open(e)).count();
    let mut budgets = Vec::new();
    if deep > 0 {
        budgets.push(Budget { of: "wrappers".into(), limit: WRAPPERS as u32, over: deep as u32 });
    }
    if !wide.is_empty() {
        budgets.push(Budget { of: "alternatives".into(), limit: ALTERNATIVES, over: wide.len() as u32 });
    }
    if !complete {
        budgets.push(Budget { of: "effects".into(), limit: EFFECTS as u32, over: 1 });
    }
    // a slot that is given nothing is emptied
    for effect in effects.iter_mut().filter(|e| e.act == Act::Join && e.replaces && matches!(e.handler, Some(Val::Null))) {
        effect.act = Act::LeaveAll;
        effect.handler = None;
    }
    let effects = replaced(effects, |e| (e.by_annotation && !is_open(e)).then(|| annotated::expand(flow, e)).flatten());
    let effects = replaced(effects, |e| rows::expand(flow, e));
    let effects = replaced(effects, |e| (!can_be_put_in(flow, e)).then(Vec::new));
    (rows::split(flow, rows::passed_on(flow, effects)), budgets)
}

/// Effects with others in the place of some.
pub(super) fn replaced(effects: Vec<Effect>, others: impl Fn(&Effect) -> Option<Vec<Effect>> + Sync + Send) -> Vec<Effect> {
    let others: Vec<Option<Vec<Effect>>> = effects.par_iter().map(others).collect();
    if others.iter().all(Option::is_none) {
        return effects;
    }
    let mut all = Vec::with_capacity(effects.len());
    for (effect, others) in effects.into_iter().zip(others) {
        match others {
            Some(others) => all.extend(others),
            None => all.push(effect),
        }
    }
    all
}

/// Whether what comes to a collection through callers can be one of its elements: a cast on the way lets no other
/// class through.
fn can_be_put_in(flow: &Flow<'_>, effect: &Effect) -> bool {
    let (Act::Join, Event::Own(m), Some(handler)) = (effect.act, &effect.holder.event, &effect.handler) else { return true };
    if effect.inner.is_empty() || effect.in_record || effect.adapter.is_some() {
        return true;
    }
    let program = flow.program;
    let class = |ty: &Ty| ty.own().filter(|t| program.ty(*t).kind == TypeKind::Class);
    match (class(&flow.element_held(*m)), class(&flow.type_of(handler))) {
        (Some(element), Some(given)) => program.are_kin(given, element),
        _ => true,
    }
}

/// Members that somebody is told from.
fn told_from(effects: &[Effect]) -> FxHashSet<MemberId> {
    let told = |e: &Effect| match (e.act, &e.holder.event) {
        (Act::Raise, Event::Own(m)) => Some(*m),
        _ => None,
    };
    effects.iter().filter_map(told).collect()
}

/// Collections that others can leave, and from which nobody is told anything though they are for that.
fn left_untold(flow: &Flow<'_>, effects: &[Effect], told: &FxHashSet<MemberId>) -> FxHashSet<MemberId> {
    let left = effects.iter().filter_map(|e| match (e.act, &e.holder.event, &e.handler) {
        (Act::Leave, Event::Own(m), Some(Val::Param(..))) if e.inner.is_empty() && !told.contains(m) => Some(*m),
        _ => None,
    });
    let left: FxHashSet<MemberId> = left.collect();
    left.into_iter().filter(|m| holders::is_for_listeners(flow, *m)).collect()
}

/// Members whose elements are taken off something.
fn taken_off(effects: &[Effect]) -> FxHashSet<MemberId> {
    let taken = |e: &Effect| match (e.act, e.handler.as_ref()?) {
        (Act::Leave, Val::Element(of, _)) => match **of {
            Val::Member(_, m) | Val::Static(m) => Some(m),
            _ => None,
        },
        _ => None,
    };
    effects.iter().filter_map(taken).collect()
}

fn is_collection(flow: &Flow<'_>, m: MemberId) -> bool {
    flow.program.element_type(flow.program.member(m).unit, &flow.type_held(m)).is_some()
}

/// Carries the open ones among some effects; says whether the budget was kept.
fn carry_all(flow: &Flow<'_>, known: &mut Known, signals: &Signals, wanted: &(dyn Fn(&Effect) -> bool + Sync)) -> bool {
    // round by round: what one round adds is carried on in the next
    let mut done = 0;
    while done < known.effects.len() {
        if known.effects.len() > EFFECTS {
            return false;
        }
        let fresh = &known.effects[done..];
        find_callers(flow, fresh.par_iter().filter(|e| wanted(e)).filter_map(|e| open_in(flow, e, signals)).collect());
        let carried: Vec<(u64, Effect)> = fresh
            .par_iter()
            .flat_map_iter(|e| if wanted(e) && e.inner.len() < WRAPPERS { to_callers(flow, e, signals) } else { Vec::new() })
            .map(|e| (hash(&e), e))
            .collect();
        done = known.effects.len();
        carried.into_iter().for_each(|(hash, e)| known.add(hash, e));
    }
    true
}

/// Whether a path goes through one member twice, or through two that are alike: a class that hands on to an interface of its own, which
/// several do alike.
fn goes_round(flow: &Flow<'_>, path: &Val) -> bool {
    let name = |m: MemberId| flow.program.member(m).name;
    let are_alike = |a: MemberId, b: MemberId| a == b || name(a) == name(b) && flow.type_held(a) == flow.type_held(b);
    let mut members: Vec<MemberId> = Vec::new();
    let mut value = path;
    while let Val::Member(of, m) = value {
        if members.iter().any(|other| are_alike(*other, *m)) {
            return true;
        }
        members.push(*m);
        value = of;
    }
    false
}

/// Finds the callers of functions side by side, as most of them will be asked for.
fn find_callers(flow: &Flow<'_>, mut keys: Vec<FunctionKey>) {
    keys.par_sort_unstable();
    keys.dedup();
    keys.retain(|key| !flow.knows_callers(*key));
    let mut names: Vec<Sym> = keys.iter().map(|key| flow.program.member(key.0).name).collect();
    names.sort_unstable();
    names.dedup();
    // calls are told apart by what they reach, which is the long part and takes no lock
    let calls: Vec<Site> = names.iter().flat_map(|name| flow.program.index.calls(*name)).copied().collect();
    calls.into_par_iter().for_each(|site| {
        flow.callee(site);
    });
    names.into_par_iter().for_each(|name| flow.group_calls(name));
    keys.into_par_iter().with_max_len(1).for_each(|key| {
        flow.callers(key);
    });
}

/// An effect as each caller of the function that leaves it open has it.
fn to_callers(flow: &Flow<'_>, effect: &Effect, signals: &Signals) -> Vec<Effect> {
    let Some(key) = open_in(flow, effect, signals) else { return Vec::new() };
    // what a function gives back for later is the handle's business, not the call's
    if matches!(effect.act, Act::Leave | Act::LeaveAll) && is_deferred(flow, effect.site, key) {
        return Vec::new();
    }
    // a walk that takes off what has had its turn is the channel's business
    if effect.act == Act::Leave && effect.handler.as_ref().is_some_and(|h| is_walked(flow, h)) {
        return Vec::new();
    }
    let callers = flow.callers(key).iter().filter(|(site, _)| wide_method(flow, *site, key).is_none() && !comes_round(flow, effect, *site));
    let callers = callers.filter(|(site, binding)| !leaves_out_handler(flow, effect, *site, binding));
    let mut carried: Vec<Effect> = callers.map(|(site, binding)| carry(flow, effect, *site, binding)).collect();
    // who holds one object and hands it on does not tell it; who hands on each element does
    carried.retain(|e| (!e.of_param || matches!(e.holder.event, Event::Given) || e.walks) && !goes_round(flow, &e.holder.subject));
    carried
}

/// The method that a call names, where it stands for the called one and too many others.
fn wide_method(flow: &Flow<'_>, call: Site, key: FunctionKey) -> Option<MemberId> {
    let named = flow.callee(call)?.member;
    (named != key.0 && flow.overrides(named) > ALTERNATIVES).then_some(named)
}

/// Whether what a call does is carried through calls of the same method time and again, as in objects that wrap others of their kind: one
/// around another is seen through.
fn comes_round(flow: &Flow<'_>, effect: &Effect, call: Site) -> bool {
    let named = |site: Site| flow.callee(site).map(|callee| callee.member);
    // only what was carried already stands at a call of a method of the tree
    let Some((_, carried)) = effect.inner.split_first() else { return false };
    let Some(method) = named(call) else { return false };
    carried.iter().chain([&effect.site]).filter(|site| named(**site) == Some(method)).nth(1).is_some()
}

/// Whether a value is what a loop gives, or a part of it.
fn is_walked(flow: &Flow<'_>, value: &Val) -> bool {
    let Val::Local(local) = value else { return matches!(value, Val::Element(_, None)) };
    let Some(body) = flow.program.body(local.member) else { return false };
    let around = flow.program.scope(local.member).ancestors(local.node);
    let mut around = around.skip_while(|n| matches!(body.node(*n), Node::Entry { .. } | Node::Pattern { .. }));
    around.next().is_some_and(|n| match body.node(n) {
        Node::ForEach { var, .. } => flow.program.scope(local.member).is_within(local.node, var),
        _ => false,
    })
}

/// `sources.forEach(gauge::addListener)`: somebody calls the adder, with handlers that are not shown.
fn handed_on(flow: &Flow<'_>, effect: &Effect, signals: &Signals) -> Vec<Effect> {
    let Some((member, None)) = open_in(flow, effect, signals) else { return Vec::new() };
    let program = flow.program;
    let is_method = program.member(member).kind == MemberKind::Method && member == effect.site.member;
    if !is_method {
        return Vec::new();
    }
    let reads = program.index.reads(program.member(member).name).iter();
    reads
        .filter_map(|&site| match flow.eval(site) {
            Val::Method(m, receiver) if m == member || is_override(flow, member, m) => {
                let binding = Binding { callee: (member, None), this: receiver.map(|r| (*r).clone()), args: Vec::new(), types: Vec::new() };
                let mut carried = carry(flow, effect, site, &binding);
                carried.handler = Some(Val::Unknown);
                carried.certainty = yarrowgraph_model::Certainty::Possible;
                Some(carried)
            }
            _ => None,
        })
        .collect()
}

/// Whether a statement stands in a function within the one that callers reach, and not in one that is called there and then:
/// `names.forEach(name => …)`.
fn is_deferred(flow: &Flow<'_>, site: Site, key: FunctionKey) -> bool {
    let program = flow.program;
    let Some(body) = program.body(site.member).filter(|_| site.member == key.0) else { return false };
    let functions = program.scope(site.member).ancestors(site.node).filter_map(|n| match body.node(n) {
        Node::Lambda(function) => Some((n, function)),
        _ => None,
    });
    let mut within = functions.take_while(|(_, function)| Some(*function) != key.1);
    within.any(|(lambda, _)| !program.is_walked_with(site.member, body, lambda) && !is_called_at_once(flow, site.member, body, lambda))
}

/// Whether a function is handed to one of the tree that does nothing with it but to call it while it runs: `each(names, name => …)`.
fn is_called_at_once(flow: &Flow<'_>, member: MemberId, body: &Body, function: NodeId) -> bool {
    let program = flow.program;
    let Some(call) = program.scope(member).parent(function) else { return false };
    let Node::Call { args, .. } = body.node(call) else { return false };
    let Some(at) = body.list(args).iter().position(|a| *a == function) else { return false };
    let Some(called) = flow.callee(Site { member, node: call }).map(|c| c.member) else { return false };
    let (Some(inner), Some(param)) = (program.body(called), program.decl(called).params.get(at)) else { return false };
    let (scope, pack) = (program.scope(called), &program.kit_of(called).pack);
    let is_call = |n: NodeId| scope.parent(n).is_some_and(|p| matches!(inner.node(p), Node::Call { callee, .. } if callee == n));
    let calls_it = |n: NodeId| {
        let parent = scope.parent(n);
        let by_method = || match parent.map(|p| inner.node(p)) {
            Some(Node::Member { object, name, .. }) if object == n => {
                pack.invokers.contains(program.unit_of(called).text(name)) && parent.is_some_and(is_call)
            }
            Some(Node::Call { .. }) => program.is_walked_with(called, inner, n),
            _ => false,
        };
        scope.function_around(inner, n).is_none() && (is_call(n) || by_method())
    };
    let mut uses = inner.ids().filter(|n| inner.node(*n) == Node::Name(param.name)).peekable();
    uses.peek().is_some() && uses.all(calls_it)
}

/// The function whose callers say what an effect is about.
pub(super) fn open_in(flow: &Flow<'_>, effect: &Effect, signals: &Signals) -> Option<FunctionKey> {
    let param = |val: &Val| match val {
        Val::Param(m, f, _) => callable_key(flow, *m, *f),
        Val::TypeParam(m, _) => Some((*m, None)),
        _ => None,
    };
    // a class as key is that of what the caller hands over
    let object = |key: &Val| match key {
        Val::Outside(of, name) if flow.program.kit_of(effect.site.member).pack.class_getters.contains(flow.program.text(*name)) => {
            (**of).clone()
        }
        // topics that are handed over together
        Val::Element(of, _) => (**of).clone(),
        // who is taken off by what he is known by: `gauges.erase(gauge->id())`
        Val::Member(..) | Val::Outside(..) if effect.act == Act::Leave && effect.handler == Some(Val::Unknown) => key.root().clone(),
        _ => key.clone(),
    };
    let open_key = effect.holder.key.as_ref().map(object).as_ref().and_then(&param);
    let given = match effect.holder.event {
        Event::Given => Some(param(&effect.holder.subject)?),
        _ => None,
    };
    // in a signal class only the caller says which signal it is
    let of_signal = || match (&effect.holder.subject, &effect.holder.event) {
        (Val::This(t), Event::Own(held)) if signals.contains(t) && signals.tells(flow.program, *held) => enclosing_key(flow, effect.site),
        _ => None,
    };
    match effect.act {
        Act::Join | Act::Leave => {
            let handler = effect.handler.as_ref()?;
            // a map of topics and handlers
            let of_map = match (handler, &effect.holder.key) {
                (Val::Element(map, Some(under)), Some(key)) if **under == *key => param(map),
                _ => None,
            };
            param(handler).or(of_map).or(given).or(open_key)
        }
        Act::Raise | Act::LeaveAll | Act::LeaveOwner => {
            if let Some(key) = open_key.or(given) {
                return Some(key);
            }
            let handed = effect.handler.as_ref().and_then(param);
            if handed.is_some() {
                return handed;
            }
            of_signal()
        }
    }
}

/// The function that a caller can reach: the member itself, or a function that is all that
/// a field holds.
pub(super) fn callable_key(flow: &Flow<'_>, member: MemberId, function: Option<FunctionId>) -> Option<FunctionKey> {
    match function {
        None => Some((member, None)),
        Some(f) => is_field_function(flow, member, f).then_some((member, Some(f))),
    }
}

/// Whether a function of a body is all that a field holds.
pub(super) fn is_field_function(flow: &Flow<'_>, member: MemberId, function: FunctionId) -> bool {
    flow.program.body(member).is_some_and(|b| b.returns_root && b.root.is_some_and(|r| b.node(r) == Node::Lambda(function)))
}

fn enclosing_key(flow: &Flow<'_>, site: Site) -> Option<FunctionKey> {
    let body = flow.program.body(site.member)?;
    let kind = flow.program.member(site.member).kind;
    match kind {
        MemberKind::Field | MemberKind::Property => match body.node(body.root?) {
            Node::Lambda(f) => Some((site.member, Some(f))),
            _ => None,
        },
        _ => Some((site.member, None)),
    }
}

/// Whether a caller leaves out the very parameter that would be the handler.
fn leaves_out_handler(flow: &Flow<'_>, effect: &Effect, call: Site, binding: &Binding) -> bool {
    let (Act::Join, Some(Val::Param(member, function, index))) = (effect.act, &effect.handler) else { return false };
    let left_out = (*member, *function) == binding.callee && binding.args.get(*index as usize).is_none_or(Option::is_none);
    left_out
        && flow.program.body(call.member).is_some_and(|body| match body.node(call.node) {
            Node::Call { args, .. } => body.list(args).len() <= *index as usize && !body.list(args).iter().any(|a| is_spread(body, *a)),
            _ => false,
        })
}

fn is_spread(body: &Body, node: NodeId) -> bool {
    matches!(body.node(node), Node::Unary { op: UnaryOp::Spread, .. })
}

/// An effect as a caller has it.
fn carry(flow: &Flow<'_>, effect: &Effect, site: Site, binding: &Binding) -> Effect {
    let mut carried = effect.clone();
    carried.inner.push(effect.site);
    carried.site = site;
    carried.handler = effect.handler.as_ref().map(|h| h.substitute(binding));
    carried.context = effect.context.as_ref().map(|c| c.substitute(binding));
    carried.about = effect.about.as_ref().map(|a| a.substitute(binding));
    carried.holder.key = effect.holder.key.as_ref().map(|k| k.substitute(binding));
    let subject = effect.holder.subject.substitute(binding);
    let subject = match subject {
        Val::Local(site) if effect.of_param => flow.element_taken(site).unwrap_or(Val::Local(site)),
        subject => subject,
    };
    carried.walks |= matches!(subject, Val::Element(..));
    carried.holder = match effect.holder.event {
        Event::Given | Event::Handed => match holder_of(flow, &streams::source(flow, subject.clone())) {
            // of lists by topic that are handed over with a topic
            Some(holder) => Holder { key: holder.key.or(carried.holder.key), ..holder },
            None if effect.holder.event == Event::Handed => Holder { subject, ..carried.holder },
            None => {
                let list = handed_list(flow, &subject);
                if list.is_some() {
                    // it is the loop here that walks, and that goes on or not
                    carried.walks = true;
                    carried.guard = Guard::Safe;
                    carried.stops = Extractor::of(flow, site.member).is_some_and(|x| x.stops_on(site.node));
                }
                Holder { subject: list.unwrap_or(subject), event: Event::Given, key: carried.holder.key }
            }
        },
        _ => Holder { subject, ..carried.holder },
    };
    if let Some(Val::Param(_, _, index)) = &effect.handler {
        carried.handler_node = argument_node(flow, site, *index, binding);
    }
    if effect.act == Act::Raise && effect.message.is_none() {
        carried.told_in = told_in(flow, effect.site, site, binding);
        carried.message = carried.told_in.and_then(|told| flow.receiver(told)).map(|(_, message)| message);
    }
    adapters::see_through(flow, &mut carried);
    carried
}

/// The list that a function is handed, where what is told stands at a place in it: `for (…) tell(list[i])`.
fn handed_list(flow: &Flow<'_>, subject: &Val) -> Option<Val> {
    let Val::Element(list, Some(place)) = subject else { return None };
    let (Val::Param(m, ..), Val::Local(_) | Val::Data) = (&**list, &**place) else { return None };
    let ty = flow.type_of(list);
    let is_list = flow.program.element_type(flow.program.member(*m).unit, &ty).is_some() && !flow.program.is_map(&ty);
    is_list.then(|| (**list).clone())
}

/// The call by which a function that the caller hands over tells what it is called with.
fn told_in(flow: &Flow<'_>, raise: Site, caller: Site, binding: &Binding) -> Option<Site> {
    let Node::Call { callee, .. } = flow.program.body(raise.member)?.node(raise.node) else { return None };
    let index = match flow.eval_in(raise.member, callee) {
        Val::Param(_, _, index) => index,
        Val::Outside(of, _) => match *of {
            Val::Param(_, _, index) => index,
            _ => return None,
        },
        _ => return None,
    };
    let handed = argument_node(flow, caller, index, binding)?;
    let body = flow.program.body(handed.member)?;
    let Node::Lambda(id) = body.node(handed.node) else { return None };
    let scope = flow.program.scope(handed.member);
    let tells = |call: &Site| matches!(flow.receiver(*call), Some((Val::Param(m, Some(f), 0), _)) if m == handed.member && f == id);
    let within = scope.within(handed.node).map(|node| Site { member: handed.member, node });
    let mut told = within.filter(tells);
    let first = told.next()?;
    told.next().is_none().then_some(first)
}

/// The node of the argument for a parameter.
fn argument_node(flow: &Flow<'_>, site: Site, index: u16, binding: &Binding) -> Option<Site> {
    let body = flow.program.body(site.member)?;
    let node = match body.node(site.node) {
        Node::Call { args, .. } | Node::New { args, .. } => {
            let shift = usize::from(binding.this.is_none() && flow.callee(site).is_some_and(|c| c.extension));
            *body.list(args).get((index as usize).checked_sub(shift)?)?
        }
        Node::Assign { value, .. } => value,
        // what a part is made of
        Node::Opaque(args) => *body.list(args).get(index as usize)?,
        _ => return None,
    };
    Some(Site { member: site.member, node })
}
