//! Subscriptions in code that runs again and again for one object: in a loop, by a timer, in a hook that recurs, in a handler of what is raised
//! again, or in a method that is called twice.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Body, MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Lifetime, Place};

use super::counts::is_under_own_key;
use super::loops::{called_in_a_loop, is_left_within, loop_around};
use super::{
    HOPS, Repeated, is_another_each_time, is_of_another, is_replaced, is_replaced_here, is_replaced_within, is_told_apart, own_call,
    runs_before,
};
use crate::flow::{Binding, Val, object_of};
use crate::judge::futile_unsubscribe::only_called;
use crate::judge::leaked_subscription::teardown::is_ending_call;
use crate::judge::short;
use crate::program::{MemberId, Site, Sym, TypeId};
use crate::state::{self, Round};
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::component;
use crate::wire::effect::{Act, Effect};
use crate::wire::lifetime;

/// Code that runs many times for one object, with nothing that takes the handler off.
pub(super) fn again_and_again(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Repeated> {
    let effect = &wiring.effects[join];
    let program = wiring.program();
    let member = effect.site.member;
    let info = program.member(member);
    let pack = &*program.kit_of(member).pack;
    let name = program.text(info.name);
    let body = program.body(member)?;
    let scope = program.scope(member);
    let certain = |why: String, place: Option<(String, Place)>| Some(Repeated { why, certainty: Certainty::Certain, related: place });
    let by_round = |call: Site| {
        certain(format!("again each time `{name}` runs"), Some(("this calls it again and again".into(), program.place_of(call))))
    };
    if !effect.by_row
        && let Some(looped) = loop_around(scope, body, effect.site.node)
        && !is_another_each_time(wiring, effect)
        && stays_the_same(wiring, effect, member, Some(looped))
        && !is_walked_by(wiring, member, looped, &effect.holder.subject)
        && !is_about_each(wiring, effect, looped)
        && !is_taken_off_within(wiring, channel, join, looped)
    {
        return certain("again in every turn of this loop".into(), None);
    }
    if let Some(by) = timer_of(wiring, effect) {
        return certain(
            "again each time this timer runs out".into(),
            Some(("this has it run again and again".into(), program.place_of(by))),
        );
    }
    if component::rendered_by(&wiring.flow, effect.site).is_some() && stays_the_same(wiring, effect, member, None) {
        return certain(format!("again each time `{name}` is rendered"), None);
    }
    if let Some(call) = handed_again(wiring, channel, join) {
        return by_round(call);
    }
    // what is made in this run, or came in with it, is another one each time
    if !stays_the_same(wiring, effect, member, None) || scope.function_around(body, effect.site.node).is_some() {
        return None;
    }
    let mut releases = wiring.releases_of(channel, join);
    // who else has all taken off does so at some other time
    let is_apart = |r: &Effect| r.act == Act::LeaveAll && !program.are_kin(program.member(r.site.member).owner, info.owner);
    releases.retain(|r| !is_of_another(wiring, &wiring.effects[*r], effect) && !is_apart(&wiring.effects[*r]));
    // a function that is made in a method may be about what that was handed
    let by_method = info.kind == MemberKind::Method && (program.decl(member).params.is_empty() || !is_another_each_time(wiring, effect));
    let called_again = || called_twice(wiring, member, &releases).filter(|_| by_method && is_on_every_path(wiring, effect.site));
    let by_call = |call: Site| {
        certain(format!("again each time `{name}` runs"), Some(("this calls it a second time".into(), program.place_of(call))))
    };
    if !takes_off(wiring, member, &releases)
        && let Some(call) = called_again()
    {
        return by_call(call);
    }
    // what a method puts on, its counterpart takes off
    let undone = |r: &usize| {
        let within = program.text(program.member(wiring.effects[*r].site.member).name);
        pack.pairs.iter().any(|(entry, exit)| entry == name && exit == within)
    };
    if !pack.reentered.contains(name) && releases.iter().any(undone) {
        let by_loop = called_in_a_loop(wiring, member, HOPS).filter(|call| !is_left_within(wiring, *call, &releases));
        return by_loop.filter(|_| is_on_every_path(wiring, effect.site)).and_then(by_round);
    }
    // what enters again and again, and is left without it
    let exits = || pack.pairs.iter().filter(|(entry, _)| entry == name).map(|(_, exit)| exit.as_str());
    let is_left_late = |r: &usize| !exits().any(|exit| is_run_by(wiring, wiring.effects[*r].site.member, info.owner, exit));
    if !pack.reentered.contains(name)
        && exits().next().is_some()
        && is_on_every_path(wiring, effect.site)
        && releases.iter().all(is_left_late)
        && let Some(late) = releases.first()
        && exits().any(|exit| is_entered_in_a_loop(wiring, info.owner, name, exit))
    {
        let late = wiring.place(&wiring.effects[*late]);
        return certain(format!("again each time `{name}` runs"), Some(("it is taken off only here, at the very end".into(), late)));
    }
    let is_teardown = |m: MemberId| program.is_listed(&pack.teardowns, m) || is_told_of_end(wiring, m);
    let at_end = |site: Site| is_teardown(site.member) || is_in_handler_of_end(wiring, site);
    let only_in_teardowns = releases.iter().all(|r| at_end(wiring.effects[*r].site));
    if !only_in_teardowns {
        return None;
    }
    if is_recurring_hook(wiring, member) {
        return certain(format!("again each time `{name}` runs"), None);
    }
    if is_on_every_path(wiring, effect.site)
        && let Some(call) = called_by_hook(wiring, member, HOPS)
    {
        let hook = program.text(program.member(call.member).name);
        return certain(format!("again each time `{hook}` runs"), Some(("this calls it each time".into(), program.place_of(call))));
    }
    let annotated = program.is_annotated(member, &pack.recurring_annotations);
    // what is chosen again was closed before, as a rule
    let taken_off_at_the_end = releases.iter().any(|r| is_on_every_path(wiring, wiring.effects[*r].site));
    if annotated && !taken_off_at_the_end {
        return certain(format!("again each time `{name}` is chosen"), None);
    }
    if pack.reentered.contains(name) {
        let exits: Vec<&str> = pack.pairs.iter().filter(|(entry, _)| entry == name).map(|(_, exit)| exit.as_str()).collect();
        let leaves_late = releases.iter().all(|r| {
            let within = wiring.effects[*r].site.member;
            !exits.iter().any(|exit| is_run_by(wiring, within, info.owner, exit))
        });
        let why = format!("again each time `{name}` runs");
        // what ends with its subscriber by itself is no leak, and piles up until then
        if releases.is_empty() && (effect.tied || effect.bounded) && is_on_every_path(wiring, effect.site) {
            return certain(why, None);
        }
        if let Some(late) = releases.first() {
            let late = &wiring.effects[*late];
            return leaves_late
                .then(|| certain(why, Some(("it is taken off only here, at the very end".into(), wiring.place(late)))))
                .flatten();
        }
    }
    let by_raise = |cause: &Channel, handler: MemberId| {
        let handled = cause.joins.iter().map(|j| &wiring.effects[*j]).find(|e| is_method(wiring, e, handler))?;
        let handler = program.text(program.member(handler).name);
        Some(Repeated {
            why: format!("again each time `{}` is raised", short(&cause.id)),
            certainty: Certainty::Likely,
            related: Some((format!("this has `{handler}` called each time"), wiring.place(handled))),
        })
    };
    // each run of a constructor is about another object
    if info.kind == MemberKind::Constructor && is_of_made(effect) {
        return None;
    }
    if let Some(cause) = handled_channel(wiring, member).filter(|cause| !brings_another(wiring, cause, effect)) {
        return by_raise(cause, member);
    }
    if !is_on_every_path(wiring, effect.site) {
        return None;
    }
    if let Some((cause, handler)) = called_by_handler(wiring, effect, &releases, (member, HOPS)) {
        return by_raise(cause, handler);
    }
    // a page calls it as often as somebody asks for it there
    let has_pages = program.kit_of(member).traits.file_modules;
    if has_pages && wiring.is_in_markup(member) && info.kind == MemberKind::Method && releases.is_empty() && !pack.hooks.contains(name) {
        return Some(Repeated { why: format!("again each time the page calls `{name}`"), certainty: Certainty::Likely, related: None });
    }
    if let Some(call) = called_in_a_loop(wiring, member, HOPS) {
        return by_round(call);
    }
    if let Some(call) = called_again() {
        return by_call(call);
    }
    let call = called_after_start(wiring, effect, &releases)?;
    Some(Repeated {
        why: format!("again each time `{}` runs", program.text(program.member(call.member).name)),
        certainty: Certainty::Likely,
        related: Some(("this has it put on once more, after the constructor did".into(), program.place_of(call))),
    })
}

/// Whether what is put on is the object that is being made, or a function of it.
fn is_of_made(effect: &Effect) -> bool {
    matches!(effect.handler.as_ref().map(Val::root), Some(Val::This(_) | Val::Lambda(..)))
}

/// The call in a loop, or in a function that is told of something again and again, that hands a method, which puts a handler on what
/// it is handed, the same subject in every turn, and that asks the same object to do so; where nothing takes the handler off.
fn handed_again(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Site> {
    let (effect, program) = (&wiring.effects[join], wiring.program());
    let member = effect.site.member;
    // or a part of it: `lock.filled.add(…)`
    let mut subject = &effect.holder.subject;
    while let Val::Member(of, _) = subject {
        subject = of;
    }
    let Val::Param(_, None, index) = *subject else { return None };
    let is_method = program.member(member).kind == MemberKind::Method;
    let by_itself = effect.handler.as_ref().is_some_and(|h| !matches!(h.root(), Val::Param(..) | Val::Local(_) | Val::New(_)));
    let plain = is_method && by_itself && effect.holder.key.as_ref().is_none_or(|k| matches!(k, Val::Str(_)));
    if !plain || !is_on_every_path(wiring, effect.site) || !wiring.releases_of(channel, join).is_empty() {
        return None;
    }
    let mut callers = wiring.flow.callers((member, None)).iter().filter(|(call, _)| !wiring.in_test(call.member));
    callers.find_map(|(call, binding)| {
        let (body, scope) = (program.body(call.member)?, program.scope(call.member));
        let again =
            || heard_around(wiring, *call).filter(|(c, _)| !comes_once(wiring, call.member, c) && is_asked_of_message(wiring, *call));
        let looped = loop_around(scope, body, call.node).or_else(|| again().map(|(_, function)| function))?;
        let here = |site: &Site| site.member == call.member && scope.is_within(site.node, looped);
        let handed = binding.args.get(usize::from(index))?.as_ref()?;
        let is_known = |v: &Val| matches!(v.root(), Val::New(_) | Val::Local(_) | Val::Static(_) | Val::This(_) | Val::Type(_));
        let stays = |v: &Val| is_known(v) && is_steady(v, &here, true);
        (stays(handed) && binding.this.as_ref().is_some_and(stays)).then_some(*call)
    })
}

/// Whether a method makes one of some releases, or calls one of its object that does.
fn takes_off(wiring: &Wiring<'_>, method: MemberId, releases: &[usize]) -> bool {
    let mut within = releases.iter().map(|r| wiring.effects[*r].site.member);
    within.any(|m| m == method || own_call(wiring, method, m).is_some())
}

/// The call by which another method has put on once more what the constructor has put on already.
fn called_after_start(wiring: &Wiring<'_>, effect: &Effect, releases: &[usize]) -> Option<Site> {
    let program = wiring.program();
    let member = effect.site.member;
    let of_kind = |call: &Site, kind: MemberKind| program.member(call.member).kind == kind && is_on_every_path(wiring, *call);
    let calls: Vec<Site> = wiring
        .flow
        .callers((member, None))
        .iter()
        .filter(|(call, binding)| matches!(binding.this, Some(Val::This(_))) && call.member != member)
        .map(|(call, _)| *call)
        .collect();
    // by others than those who make the object, or by a page
    let is_called_later = |m: MemberId| {
        let callers = wiring.flow.call_sites(m);
        wiring.is_in_markup(m) || !callers.is_empty() && callers.iter().all(|c| program.member(c.member).kind != MemberKind::Constructor)
    };
    let again = |call: &&Site| {
        of_kind(call, MemberKind::Method)
            && !wiring.in_test(call.member)
            && !takes_off(wiring, call.member, releases)
            && !is_replaced_here(wiring, effect, call.member)
            && program.member(call.member).name != program.member(member).name
            && is_called_later(call.member)
    };
    // a hook by which the platform begins is as good as a constructor
    let pack = &*program.kit_of(member).pack;
    let begins = |call: &Site| {
        let name = program.text(program.member(call.member).name);
        let is_hook = || pack.hooks.contains(name) && pack.pairs.iter().any(|(entry, _)| entry == name) && !pack.reentered.contains(name);
        of_kind(call, MemberKind::Constructor) || is_hook() && of_kind(call, MemberKind::Method)
    };
    calls.iter().any(begins).then(|| calls.iter().find(|call| !begins(call) && again(call)).copied()).flatten()
}

/// The second of two calls of a method on one object in one run of a body, with nothing between them that releases.
fn called_twice(wiring: &Wiring<'_>, member: MemberId, releases: &[usize]) -> Option<Site> {
    let flow = &wiring.flow;
    let releasing: BTreeSet<MemberId> = releases.iter().map(|r| wiring.effects[*r].site.member).collect();
    let calls: Vec<&(Site, Binding)> =
        flow.callers((member, None)).iter().filter(|(call, _)| call.member != member && !wiring.in_test(call.member)).collect();
    let is_same =
        |a: &Binding, b: &Binding| a.this == b.this && a.types == b.types && a.this.as_ref().is_some_and(|of| is_told_apart(wiring, of));
    calls.iter().find_map(|(second, again)| {
        let scope = wiring.program().scope(second.member);
        let between = |first: Site, node: NodeId| scope.is_between(node, first.node, second.node);
        let first = calls.iter().find(|(first, once)| {
            first.member == second.member
                && is_same(once, again)
                && runs_before(wiring, *first, second.node)
                && !again.this.as_ref().is_some_and(|of| is_replaced(wiring, of, second.member, &|n| between(*first, n)))
        });
        let (first, _) = first?;
        let released = releasing.iter().any(|r| flow.call_sites(*r).iter().any(|s| s.member == first.member && between(*first, s.node)));
        (!released).then_some(*second)
    })
}

/// Whether a loop somewhere calls a method of a type, or of a base of it, and not on an object that it has just made or comes to once.
pub(in crate::judge) fn is_entered_in_a_loop(wiring: &Wiring<'_>, owner: TypeId, entry: &str, exit: &str) -> bool {
    let program = wiring.program();
    let Some(name) = program.symbols.get(entry) else { return false };
    let mut methods = Vec::new();
    program.for_each_base(owner, &mut |base| {
        methods.extend_from_slice(program.own_members(base, name));
        true
    });
    methods.iter().any(|m| wiring.flow.callers((*m, None)).iter().any(|(call, binding)| is_again(wiring, *call, binding, exit)))
}

/// Whether a call of an entry comes to the same object again and again.
fn is_again(wiring: &Wiring<'_>, call: Site, binding: &Binding, exit: &str) -> bool {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(call.member), program.scope(call.member)) else { return false };
    let root = binding.this.as_ref().map(Val::root);
    let Some(looped) = loop_around(scope, body, call.node).or_else(|| handler_around(wiring, call)) else {
        // one of those that are held takes the place of another, time and again
        let is_held = matches!(root, Some(Val::This(_) | Val::Static(_))) && !matches!(binding.this, Some(Val::This(_)));
        let leaves = program.symbols.get(exit).map_or(&[][..], |name| program.index.calls(name));
        let is_swapped = leaves.iter().any(|left| left.member == call.member);
        return is_held && is_swapped && called_in_a_loop(wiring, call.member, HOPS).is_some();
    };
    let is_each = matches!(body.node(looped), Node::ForEach { .. }) && matches!(&binding.this, Some(Val::Element(_, None)));
    let is_fresh = match root {
        Some(Val::New(site) | Val::Local(site)) => site.member == call.member && scope.is_within(site.node, looped),
        _ => false,
    };
    !is_each && !is_fresh && !wiring.in_test(call.member)
}

/// The function around a node that something calls each time that it happens: `lines.on('line', line => …)`.
fn handler_around(wiring: &Wiring<'_>, at: Site) -> Option<NodeId> {
    heard_around(wiring, at).filter(|(channel, _)| !comes_once(wiring, at.member, channel)).map(|(_, function)| function)
}

/// The function around a node that is a handler, and not just once, with what it hears.
fn heard_around<'w>(wiring: &'w Wiring<'_>, at: Site) -> Option<(&'w Channel, NodeId)> {
    let program = wiring.program();
    let body = program.body(at.member)?;
    let function = program.scope(at.member).ancestors(at.node).find(|n| matches!(body.node(*n), Node::Lambda(_)))?;
    let Node::Lambda(f) = body.node(function) else { return None };
    let is_it = |e: &Effect| !e.once && matches!(e.handler, Some(Val::Lambda(m, g)) if m == at.member && g == f);
    let heard = |c: &&Channel| c.joins.iter().any(|j| is_it(&wiring.effects[*j]));
    wiring.channels.iter().find(heard).map(|channel| (channel, function))
}

/// Whether the conditions around a call in a function ask for nothing but what that was told: a flag of an object may let it by once.
fn is_asked_of_message(wiring: &Wiring<'_>, call: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(call.member) else { return false };
    let is_kept = |n: NodeId| {
        matches!(body.node(n), Node::Name(_) | Node::Member { .. })
            && matches!(wiring.flow.eval_in(call.member, n), Val::Member(..) | Val::Static(_) | Val::Unknown)
    };
    let around = program.scope(call.member).ancestors(call.node).take_while(|n| !matches!(body.node(*n), Node::Lambda(_)));
    around.into_iter().all(|n| match body.node(n) {
        Node::If { cond, .. } | Node::Conditional { cond, .. } => !state::any_within(body, cond, &is_kept),
        _ => true,
    })
}

/// What a channel is called, without its owner.
fn event_of(channel: &Channel) -> &str {
    channel.id.rsplit(['.', ':']).next().unwrap_or(&channel.id)
}

/// Whether a channel is raised once as far as its name says.
fn comes_once(wiring: &Wiring<'_>, member: MemberId, channel: &Channel) -> bool {
    let pack = &wiring.program().kit_of(member).pack;
    let event = event_of(channel);
    pack.first_events.contains(event) || pack.first_event_ends.iter().any(|end| event.ends_with(end.as_str()))
}

/// Whether who raises an event has put another object in the place of what a subscription is made on: `desk = new Desk(); emit
/// deskMade();`
fn brings_another(wiring: &Wiring<'_>, cause: &Channel, effect: &Effect) -> bool {
    let held: Vec<MemberId> =
        effect.holder.subject.path().map_while(|step| if let Val::Member(_, m) = step { Some(*m) } else { None }).collect();
    // what a signal is tied to where an object is made is raised at some other time
    let raises = cause.raises.iter().map(|r| &wiring.effects[*r]).filter(|r| !r.relayed);
    let raised_in: BTreeSet<MemberId> = raises.map(|r| r.site.member).collect();
    held.iter().any(|m| wiring.flow.definitions(*m).iter().any(|d| d.member != *m && raised_in.contains(&d.member)))
}

/// Whether a subscription in a loop hands over something of that turn, so that each is about another thing: `add(name, this, filter)`.
fn is_about_each(wiring: &Wiring<'_>, effect: &Effect, looped: NodeId) -> bool {
    let program = wiring.program();
    let Site { member, node } = effect.site;
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return false };
    let Node::Call { args, .. } = body.node(node) else { return false };
    let is_of_turn = |site: &Site| site.member == member && scope.is_within(site.node, looped);
    // the variable of a walk is an element of what is walked
    let walked = |n: NodeId| matches!(body.node(looped), Node::ForEach { var, .. } if scope.names(body, n, var));
    let names = |n: NodeId| walked(n) || matches!(wiring.flow.eval_in(member, n), Val::Local(site) if is_of_turn(&site));
    body.list(args).iter().any(|arg| state::any_within(body, *arg, &|n| matches!(body.node(n), Node::Name(_)) && names(n)))
}

/// Whether the very turn that puts a handler on takes it off as well, on some way.
fn is_taken_off_within(wiring: &Wiring<'_>, channel: &Channel, join: usize, looped: NodeId) -> bool {
    let member = wiring.effects[join].site.member;
    let scope = wiring.program().scope(member);
    let sites = wiring.releases_of(channel, join).into_iter().map(|r| wiring.effects[r].site);
    sites.into_iter().any(|site| site.member == member && scope.is_within(site.node, looped))
}

/// What runs the code around a subscription again and again, where it is nothing but that, and always attaches the same.
fn timer_of(wiring: &Wiring<'_>, effect: &Effect) -> Option<Site> {
    let program = wiring.program();
    let Site { member, node } = effect.site;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let function = scope.function_around(body, node);
    let own = function.map_or(body.root, |f| body.function(f).body)?;
    // what is there before the timer's function is made stays what it is
    let within = function.is_some().then_some(own);
    let is_handed = |v: &Val| matches!(v.root(), Val::Param(_, f, _) if *f == function);
    let values = [Some(&effect.holder.subject), effect.handler.as_ref()];
    if values.into_iter().flatten().any(is_handed) {
        return None;
    }
    let round = wiring.rounds().iter().find(|r| r.root == Site { member, node: own } && r.by != r.root)?;
    (state::runs_always(body, scope, node, own) && stays_the_same(wiring, effect, member, within) && !runs_out_once(wiring, round.by))
        .then_some(round.by)
}

/// Whether a timer is given no period: `new Timer(Tick, null, 500, Timeout.Infinite)`.
fn runs_out_once(wiring: &Wiring<'_>, by: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(by.member) else { return false };
    let is_endless = |n: NodeId| matches!(body.node(n), Node::Name(name) | Node::Member { name, .. } if program.kit_of(by.member).pack.single_shots.contains(program.unit_of(by.member).text(name)));
    state::any_within(body, by.node, &is_endless)
}

/// Whether a loop goes on by the very local that stands for the subject, or walks the collection that it is asked of: `for (; it != end;
/// ++it) connect(*it, …)`.
fn is_walked_by(wiring: &Wiring<'_>, member: MemberId, looped: NodeId, subject: &Val) -> bool {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return false };
    let Node::Loop { head, .. } = body.node(looped) else { return false };
    let names = |n: NodeId| match subject.root() {
        Val::Local(local) if scope.names(body, n, local.node) => true,
        _ => {
            let is_asked = matches!(scope.parent(n).map(|p| body.node(p)), Some(Node::Member { object, .. }) if object == n);
            is_asked && subject.path().any(|step| !matches!(step, Val::This(_)) && *step == wiring.flow.eval_in(member, n))
        }
    };
    body.list(head)
        .iter()
        .any(|n| state::any_within(body, *n, &|n| matches!(body.node(n), Node::Name(_) | Node::Member { .. }) && names(n)))
}

/// Whether every run of a body comes to a statement: no test stands around it, and none before it leaves.
pub(super) fn is_on_every_path(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let scope = program.scope(site.member);
    let within_test =
        scope.ancestors(site.node).any(|n| matches!(body.node(n), Node::If { .. } | Node::Case { .. } | Node::Conditional { .. }));
    let leaves_before =
        body.ids().any(|n| matches!(body.node(n), Node::If { then, .. } if scope.is_before(n, site.node) && body.leaves(then)));
    !within_test && !leaves_before
}

/// Whether a platform runs a method again and again: at each frame, at each time that something is drawn.
fn is_recurring_hook(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(member);
    let pack = &program.kit_of(member).pack;
    // a view that shows itself once, and what it is of by what it hears
    let shows_once = |base: &Sym| pack.shown_once.iter().any(|ending| program.text(*base).ends_with(ending));
    let name = program.text(info.name);
    // who is asked for what is to be shown gives that, and neither nothing nor itself
    let gives = |body: &Body| {
        let is_result = |n| matches!(body.node(n), Node::Return(Some(value)) if body.node(value) != Node::This);
        body.returns_root && body.root.is_some() || body.ids().any(is_result)
    };
    let shows_nothing = || pack.giving_hooks.contains(name) && !program.body(member).is_some_and(gives);
    pack.recurring_hooks.contains(name)
        && !shows_nothing()
        && (program.decl(member).modifiers.is_override || !program.outside_bases(info.owner).is_empty())
        && !program.outside_bases(info.owner).iter().any(shows_once)
}

/// Whether a call stands in code that has itself run again and again, as a painter does at each frame.
fn is_within_round(wiring: &Wiring<'_>, call: Site) -> bool {
    let scope = wiring.program().scope(call.member);
    let around = |r: &&Round| r.root.member == call.member && scope.is_within(call.node, r.root.node);
    wiring.rounds().iter().find(around).is_some_and(|r| !runs_out_once(wiring, r.by))
}

/// The call by which such a hook has a method run each time, on an object that it holds or on each of a list.
fn called_by_hook(wiring: &Wiring<'_>, member: MemberId, hops: u32) -> Option<Site> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let hops = hops.checked_sub(1)?;
    let is_held = |of: &Val| matches!(of.root(), Val::This(_) | Val::Static(_));
    let called = flow.callers((member, None)).iter().filter(|(_, b)| b.this.as_ref().is_some_and(is_held)).map(|(call, _)| *call);
    // `lamps.forEach(Lamp::refresh)`
    let handed = program.index.reads(program.member(member).name).iter().copied().filter(|read| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let Some(Node::Call { callee, .. }) = scope.parent(read.node).map(|p| body.node(p)) else { return false };
        let Node::Member { object, name, .. } = body.node(callee) else { return false };
        matches!(body.node(read.node), Node::MethodRef { .. })
            && program.kit_of(read.member).pack.walks.contains(program.unit_of(read.member).text(name))
            && is_held(&flow.eval_in(read.member, object))
            && matches!(flow.eval(*read), Val::Method(m, _) if m == member)
    });
    let calls = called.chain(handed).filter(|call| !wiring.in_test(call.member) && is_on_every_path(wiring, *call));
    let recurs = |call: Site| is_recurring_hook(wiring, call.member) || is_within_round(wiring, call);
    calls.into_iter().find_map(|call| if recurs(call) { Some(call) } else { called_by_hook(wiring, call.member, hops) })
}

/// A channel by which a method is called that calls another one of its object on every path, and that method.
fn called_by_handler<'w>(
    wiring: &'w Wiring<'_>,
    effect: &Effect,
    releases: &[usize],
    (member, hops): (MemberId, u32),
) -> Option<(&'w Channel, MemberId)> {
    let program = wiring.program();
    let hops = hops.checked_sub(1)?;
    let callers = wiring.flow.callers((member, None)).iter().filter(|(_, b)| matches!(b.this, Some(Val::This(_))));
    let calls = callers.map(|(call, _)| *call).filter(|call| call.member != member && !wiring.in_test(call.member));
    // who ends what there is first may take everything off with that
    let ends_first = |call: &Site| {
        let Some(body) = program.body(call.member) else { return true };
        let scope = program.scope(call.member);
        body.ids().any(|n| scope.is_before(n, call.node) && is_ending_call(program, Site { member: call.member, node: n }))
    };
    let stays_on =
        |call: &Site| !takes_off(wiring, call.member, releases) && !ends_first(call) && !is_replaced_here(wiring, effect, call.member);
    let on_every_path = calls.filter(|call| is_on_every_path(wiring, *call) && stays_on(call));
    on_every_path.into_iter().find_map(|call| match handled_channel(wiring, call.member) {
        Some(cause) => (!brings_another(wiring, cause, effect)).then_some((cause, call.member)),
        None => called_by_handler(wiring, effect, releases, (call.member, hops)),
    })
}

/// A channel that is raised more than once as far as its name says, and that has a member called.
fn handled_channel<'w>(wiring: &'w Wiring<'_>, member: MemberId) -> Option<&'w Channel> {
    // who takes itself off when it is called runs once
    let leaves =
        |c: &Channel| c.leaves.iter().map(|l| &wiring.effects[*l]).any(|e| e.site.member == member && is_method(wiring, e, member));
    wiring.channels.iter().find(|c| {
        !comes_once(wiring, member, c)
            && !leaves(c)
            && c.joins
                .iter()
                .map(|j| &wiring.effects[*j])
                .any(|e| is_method(wiring, e, member) && !e.once && !wiring.in_test(e.site.member))
    })
}

/// Whether code stands in a function that is called where an object is closed or torn down: `FormClosed += (s, e) => …`
fn is_in_handler_of_end(wiring: &Wiring<'_>, at: Site) -> bool {
    let last = &wiring.program().kit_of(at.member).pack.last_events;
    heard_around(wiring, at).is_some_and(|(channel, _)| last.contains(event_of(channel)))
}

/// Whether a member is called where an object is closed or torn down, and by nothing else.
fn is_told_of_end(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let pack = &*wiring.program().kit_of(member).pack;
    let is_last = |c: &&Channel| pack.last_events.contains(event_of(c));
    let told = |c: &&Channel| c.joins.iter().any(|j| is_method(wiring, &wiring.effects[*j], member));
    let mut telling = wiring.channels.iter().filter(told).peekable();
    telling.peek().is_some() && telling.all(|c| is_last(&c)) && wiring.flow.call_sites(member).is_empty()
}

/// Whether a subscription has a method called, by itself or by a function that does nothing else: `() => this.redraw()`.
fn is_method(wiring: &Wiring<'_>, effect: &Effect, member: MemberId) -> bool {
    match effect.handler {
        Some(Val::Method(m, _)) => m == member,
        Some(Val::Lambda(within, function)) => {
            let called = only_called(wiring, within, function);
            called.is_some_and(|c| c.member == member && matches!(c.receiver, Some(Val::This(_))))
        }
        _ => false,
    }
}

/// Whether a member is an exit hook of a type, or called by it.
pub(in crate::judge) fn is_run_by(wiring: &Wiring<'_>, member: MemberId, owner: crate::program::TypeId, exit: &str) -> bool {
    let program = wiring.program();
    if program.text(program.member(member).name) == exit {
        return true;
    }
    let hook = program.symbols.get(exit).and_then(|name| program.find_member(owner, name));
    hook.is_some_and(|hook| own_call(wiring, hook, member).is_some())
}

/// Whether channel and handler are the same objects in every run (of a loop, or of the member).
fn stays_the_same(wiring: &Wiring<'_>, effect: &Effect, member: MemberId, looped: Option<NodeId>) -> bool {
    let program = wiring.program();
    let scope = program.scope(member);
    let here = |site: &Site| site.member == member && looped.is_none_or(|l| scope.is_within(site.node, l));
    // a part of what is not known, asked for in the same words by a method of its own: `application().bus()`
    let is_asked_for = looped.is_none()
        && matches!(&effect.holder.subject, Val::Member(of, _) if is_unknown(wiring, of.root()))
        && is_given_by_own_method(wiring, effect.site);
    // what a wrapper makes for each call is another one each time
    let made_by_wrapper = match effect.holder.subject.root() {
        Val::Local(site) | Val::New(site) | Val::Call(site) => site.member != member && !effect.inner.is_empty(),
        _ => false,
    };
    if made_by_wrapper && !is_asked_for {
        return false;
    }
    let by_getter = matches!(effect.holder.subject.root(), Val::Call(_));
    let everywhere_the_same = by_getter && lifetime::of_subject(wiring, &effect.holder.subject, effect.site).lifetime == Lifetime::Process;
    let subject = (!everywhere_the_same && !is_asked_for).then_some(&effect.holder.subject);
    // whoever is named as receiver ends the subscription with itself
    let receiver = effect.context.as_ref().filter(|_| effect.tied);
    // a key that the way in makes for each only tells one from the others
    let key = effect.holder.key.as_ref().filter(|_| !effect.replaces || !is_under_own_key(wiring, effect));
    let values = [subject, key, effect.handler.as_ref(), receiver];
    // a variable from around the loop that each turn gives something else
    let given_anew = |value: &Val| match value.root() {
        Val::Local(local) if local.member == member => {
            looped.is_some_and(|l| wiring.flow.local_values(*local).iter().any(|v| scope.is_within(*v, l)))
        }
        _ => false,
    };
    let steady = values.into_iter().flatten().all(|value| is_steady(value, &here, looped.is_some()) && !given_anew(value));
    steady && !is_replaced_within(wiring, effect, member, &|n| looped.is_none_or(|l| scope.is_within(n, l)))
}

/// Whether nothing is known of a value but its type.
fn is_unknown(wiring: &Wiring<'_>, value: &Val) -> bool {
    match value {
        Val::Unknown | Val::Call(_) => true,
        Val::Local(site) => wiring.program().body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Cast { .. })),
        _ => false,
    }
}

/// Whether the subject of a subscribing call is what a method of the same object gives for nothing.
fn is_given_by_own_method(wiring: &Wiring<'_>, site: Site) -> bool {
    let Some(body) = wiring.program().body(site.member) else { return false };
    let Some(object) = object_of(body, site.node) else { return false };
    let Node::Call { callee, args, .. } = body.node(object) else { return false };
    let own = match body.node(callee) {
        Node::Name(_) => true,
        Node::Member { object, .. } => matches!(body.node(object), Node::This),
        _ => false,
    };
    own && args.len == 0 && wiring.flow.callee(Site { member: site.member, node: object }).is_some()
}

pub(super) fn is_steady(value: &Val, here: &dyn Fn(&Site) -> bool, params: bool) -> bool {
    match value {
        Val::This(_) | Val::Static(_) | Val::Type(_) | Val::Global(_) | Val::Str(_) => true,
        Val::Param(..) => params,
        Val::Member(of, _) | Val::Outside(of, _) => is_steady(of, here, params),
        Val::Method(_, of) => of.as_ref().is_none_or(|of| is_steady(of, here, params)),
        Val::Local(site) | Val::New(site) | Val::Call(site) | Val::Literal(site) => !here(site),
        Val::Lambda(..) => true,
        _ => false,
    }
}
