//! The map of a wiring.

use rayon::prelude::*;
use rustc_hash::FxHashSet;
use yarrowgraph_ir::MemberKind;
use yarrowgraph_model as model;
use yarrowgraph_model::{Certainty, ChannelKind, Files, Lifetime, Order, Place, Unresolved, UnresolvedKind};

use super::channels::{self, Channel, ChannelKey, Topic};
use super::effect::{Act, Effect, Event, Guard};
use super::handles::{self, Fate};
use super::subscriber::{self, Subscriber};
use super::{Wiring, delivery, lifetime};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Ty, TypeId};

/// Builds the map; the files part is the caller's to fill.
pub fn map(wiring: &Wiring<'_>, root: &str) -> model::Map {
    let mut channels: Vec<model::Channel> = wiring.channels.par_iter().with_max_len(1).map(|c| channel(wiring, c)).collect();
    channels.sort_by(|a, b| a.id.cmp(&b.id).then_with(|| a.place.cmp(&b.place)));
    model::Map {
        format: "yarrowgraph-map".into(),
        version: model::MAP_VERSION,
        root: root.to_owned(),
        files: Files::default(),
        types: crate::coupling::map::types(wiring),
        channels,
        commands: crate::command::commands(wiring),
        invokers: crate::command::invokers(wiring),
        factories: crate::codes::map::factories(wiring),
        chains: crate::chain::map::chains(wiring),
        machines: crate::machine::machines(wiring),
        mediators: crate::mediator::map::mediators(wiring),
        unresolved: unresolved(wiring),
        budgets: wiring.budgets.iter().cloned().chain(wiring.machines_asked().over()).collect(),
    }
}

/// The subscriptions of a channel, those that certainly come earlier first, and whether the code says it of all of them.
pub fn joins_in_order(wiring: &Wiring<'_>, c: &Channel) -> (Vec<usize>, bool) {
    let mut joins: Vec<usize> = c.joins.iter().flat_map(|j| wiring.parts_of(*j)).collect();
    joins.sort_by_cached_key(|j| (wiring.place(&wiring.effects[*j]), *j));
    let released = vec![false; joins.len()];
    let after = wiring.after(&joins, &released);
    let mut ordered = true;
    let mut out: Vec<usize> = Vec::new();
    let mut done = vec![false; joins.len()];
    while out.len() < joins.len() {
        let ready: Vec<usize> = (0..joins.len()).filter(|i| !done[*i] && after[*i].iter().all(|b| done[*b as usize])).collect();
        ordered &= ready.len() == 1;
        // a circle says nothing
        let Some(next) = ready.first().copied().or_else(|| done.iter().position(|d| !d)) else { break };
        done[next] = true;
        out.push(joins[next]);
    }
    (out, ordered)
}

/// The channels as the map has them.
pub fn channels_of_map(wiring: &Wiring<'_>) -> Vec<model::Channel> {
    wiring.channels.iter().filter(|c| c.joins.len() > 1).map(|c| channel(wiring, c)).collect()
}

fn channel(wiring: &Wiring<'_>, c: &Channel) -> model::Channel {
    let program = wiring.program();
    let (owner, place) = match &c.key {
        ChannelKey::Own(m, _) => (program.type_id(program.member(*m).owner), Some(program.member_place(*m))),
        ChannelKey::Outside(owner, _) => (owner.clone(), None),
        ChannelKey::Bus(bus, _) => (bus.clone(), None),
    };
    let mut joins: Vec<usize> = c.joins.iter().flat_map(|j| wiring.parts.get(j).cloned().unwrap_or_else(|| vec![*j])).collect();
    joins.sort_by_cached_key(|j| (wiring.place(&wiring.effects[*j]), *j));
    let released_by: Vec<Vec<usize>> = joins.iter().map(|j| wiring.releases_of(c, *j)).collect();
    let ends = |join: usize| {
        let effect = &wiring.effects[join];
        effect.handle && handles::fate(&wiring.flow, effect.site) == Fate::Kept
    };
    let released: Vec<bool> = joins.iter().zip(&released_by).map(|(j, by)| !by.is_empty() || ends(*j)).collect();
    let after = wiring.after(&joins, &released);
    let ends = released_by.iter().zip(after);
    let subscriptions = joins.iter().zip(ends).map(|(j, (released_by, after))| subscription(wiring, c, *j, released_by, after)).collect();
    let mut raises: Vec<model::Raise> =
        c.raises.iter().filter(|r| !wiring.effects[**r].relayed).map(|r| raise(wiring, &wiring.effects[*r])).collect();
    raises.sort_by(|a, b| a.place.cmp(&b.place));
    raises.dedup_by(|a, b| a.place == b.place);
    let mut releases: Vec<model::Release> = c.leaves.iter().map(|l| release(wiring, &wiring.effects[*l])).collect();
    releases.sort_by(|a, b| a.place.cmp(&b.place));
    releases.dedup_by(|a, b| a.place == b.place && a.handler == b.handler);
    model::Channel {
        id: c.id.clone(),
        kind: c.kind,
        owner,
        place,
        order: order(wiring, c),
        delivery: delivery::of(wiring, c),
        keeps: delivery::keeps(wiring, c),
        conflates: false,
        relays: relays(wiring, c),
        raises,
        subscriptions,
        releases,
    }
}

fn order(wiring: &Wiring<'_>, c: &Channel) -> Order {
    let ChannelKey::Own(m, _) = c.key else { return Order::Fifo };
    if c.kind != ChannelKind::List {
        return Order::Fifo;
    }
    let program = wiring.program();
    let info = program.member(m);
    let pack = &*program.kit(info.unit).pack;
    let made = wiring.flow.definitions(m).first().map(|d| wiring.flow.type_of_node(d.member, d.node));
    let unordered = |ty: &Ty| matches!(ty, Ty::Outside(name, _) if pack.unordered_collections.contains(program.text(*name)));
    if made.as_ref().is_some_and(unordered) || (made.is_none() && unordered(&program.declared_type(m))) {
        return Order::Unordered;
    }
    let first = c.joins.iter().any(|j| {
        let effect = &wiring.effects[*j];
        let innermost = effect.innermost();
        let Some(body) = program.body(innermost.member) else { return false };
        let yarrowgraph_ir::Node::Call { callee, .. } = body.node(innermost.node) else { return false };
        matches!(body.node(callee), yarrowgraph_ir::Node::Member { name, .. } if pack.adds_first.contains(program.unit_of(innermost.member).text(name)))
    });
    if first { Order::Lifo } else { Order::Fifo }
}

/// A subscription whose handler is itself a channel's member raises it in turn.
fn relays(wiring: &Wiring<'_>, c: &Channel) -> Vec<model::Relay> {
    let mut found = Vec::new();
    for &j in &c.joins {
        let effect = &wiring.effects[j];
        if let Some(Val::Member(_, m) | Val::Static(m)) = &effect.handler
            && let Some(other) = wiring.channels.iter().find(|o| o.key == ChannelKey::Own(*m, None))
            && other.key != c.key
        {
            found.push(model::Relay { to: other.id.clone(), place: wiring.place(effect) });
        }
    }
    found.sort_by(|a, b| a.place.cmp(&b.place));
    found
}

fn subscription(wiring: &Wiring<'_>, c: &Channel, index: usize, releases: &[usize], after: Vec<u32>) -> model::Subscription {
    let program = wiring.program();
    let effect = &wiring.effects[index];
    let (handler, handler_place) = handler(wiring, effect);
    let who = effect.handler.as_ref().map_or(Subscriber::Unknown, |h| subscriber::of(&wiring.flow, h, effect.site));
    let judged = lifetime::of_channel(wiring, effect);
    let resolved = !matches!(effect.handler, Some(Val::Unknown) | None) && c.key != unresolved_key(c);
    let certainty = match effect.certainty {
        Certainty::Certain if !resolved => Certainty::Likely,
        other => other,
    };
    let by_handle = if effect.handle { handles::releases(&wiring.flow, effect.site) } else { Vec::new() };
    let by_effect = releases.iter().map(|r| wiring.place(&wiring.effects[*r]));
    let mut released_by: Vec<Place> = by_effect.chain(by_handle.iter().map(|site| super::operation_place(program, *site))).collect();
    released_by.sort();
    released_by.dedup();
    model::Subscription {
        place: wiring.place(effect),
        within: program.member_id(effect.site.member),
        handler,
        handler_place,
        subscriber: who.type_id().map(|t| program.type_id(t)),
        subject: wiring.flow.show(&effect.holder.subject),
        lifetime: judged.lifetime,
        weak: effect.weak || who == Subscriber::Weak,
        once: effect.once,
        scoped: judged.lifetime == Lifetime::Local || effect.bounded || effect.tied,
        kept: effect.handle && handles::fate(&wiring.flow, effect.site) == Fate::Kept,
        released_by,
        after,
        certainty,
    }
}

fn unresolved_key(c: &Channel) -> ChannelKey {
    match &c.key {
        ChannelKey::Bus(bus, _) => ChannelKey::Bus(bus.clone(), Topic::Any),
        other => match other {
            ChannelKey::Own(m, Some(_)) => ChannelKey::Own(*m, Some(Topic::Any)),
            _ => ChannelKey::Bus(String::new(), Topic::Any),
        },
    }
}

/// The handler's id and where it is declared.
pub(super) fn handler(wiring: &Wiring<'_>, effect: &Effect) -> (String, Option<Place>) {
    let program = wiring.program();
    let flow = &wiring.flow;
    let Some(handler) = &effect.handler else { return ("?".into(), None) };
    let resolved = flow.function_of(handler).unwrap_or_else(|| handler.clone());
    match &resolved {
        Val::Method(m, _) => (program.member_id(*m), Some(program.member_place(*m))),
        Val::Lambda(m, f) => {
            let place = program.scope(*m).function_node(*f).map(|node| program.place_of(crate::program::Site { member: *m, node }));
            (program.lambda_id(*m, *f), place)
        }
        Val::This(t) => object(wiring, effect, *t),
        other => match made_type(flow, other).or_else(|| flow.type_of(other).own()) {
            Some(t) => object(wiring, effect, t),
            None => (written(wiring, effect), None),
        },
    }
}

/// The id and place of an object as a handler: its one method that is told, or its type where
/// there are several.
fn object(wiring: &Wiring<'_>, effect: &Effect, ty: TypeId) -> (String, Option<Place>) {
    let program = wiring.program();
    match told_method(wiring, effect, ty) {
        Some(m) => (program.member_id(m), Some(program.member_place(m))),
        None => (program.type_id(ty), program.type_place(ty)),
    }
}

/// The method of a type that implements the only one of the interface which a holder's elements have.
fn told_method(wiring: &Wiring<'_>, effect: &Effect, ty: TypeId) -> Option<MemberId> {
    let program = wiring.program();
    let Event::Own(m) = effect.holder.event else { return None };
    if program.ty(ty).anonymous {
        return None;
    }
    let interface = wiring.flow.element_held(m).own().filter(|t| program.ty(*t).kind == yarrowgraph_ir::TypeKind::Interface)?;
    let mut methods = program.ty(interface).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method);
    let (only, None) = (methods.next()?, methods.next()) else { return None };
    program.find_member(ty, program.member(*only).name).filter(|m| program.member(*m).owner != interface)
}

/// The type of the one object that a member ever holds, which says more than its declared type.
fn made_type(flow: &Flow<'_>, value: &Val) -> Option<TypeId> {
    let (Val::Member(_, m) | Val::Static(m)) = value else { return None };
    let only = flow.only_definition(*m)?;
    matches!(flow.eval(only), Val::New(_)).then(|| flow.type_of_node(only.member, only.node).own()).flatten()
}

/// The handler as it is written, where it has no id.
fn written(wiring: &Wiring<'_>, effect: &Effect) -> String {
    effect.handler.as_ref().map_or_else(|| "?".into(), |h| wiring.flow.show(h))
}

fn raise(wiring: &Wiring<'_>, effect: &Effect) -> model::Raise {
    let program = wiring.program();
    let subject = match &effect.holder.subject {
        Val::This(_) | Val::Type(_) => "this".to_owned(),
        Val::Unknown => "any".to_owned(),
        other => wiring.flow.show(other),
    };
    model::Raise {
        place: wiring.place(effect),
        within: program.member_id(effect.site.member),
        subject,
        guarded: effect.guard != Guard::None,
        message: effect.message.map(|m| program.text(m).to_owned()),
        via: via(wiring, effect),
    }
}

/// Calls of the helper that a raise stands in: a method that does little else.
fn via(wiring: &Wiring<'_>, effect: &Effect) -> Vec<Place> {
    let program = wiring.program();
    let member = effect.site.member;
    let Some(body) = program.body(member) else { return Vec::new() };
    let is_helper = program.member(member).kind == MemberKind::Method && body.nodes.len() < 40;
    if !is_helper {
        return Vec::new();
    }
    let mut places: Vec<Place> = wiring.flow.call_sites(member).iter().map(|site| super::operation_place(program, *site)).collect();
    places.sort();
    places.dedup();
    places
}

fn release(wiring: &Wiring<'_>, effect: &Effect) -> model::Release {
    let handler = match effect.act {
        Act::LeaveAll | Act::LeaveOwner => "*".to_owned(),
        _ => handler(wiring, effect).0,
    };
    model::Release {
        place: wiring.place(effect),
        within: wiring.program().member_id(effect.site.member),
        handler,
        subject: wiring.flow.show(&effect.holder.subject),
    }
}

/// What looks like wiring and could not be resolved.
fn unresolved(wiring: &Wiring<'_>) -> Vec<Unresolved> {
    let mut found = Vec::new();
    // what is open at these statements is said by some caller
    let carried: FxHashSet<Site> = wiring.effects.iter().flat_map(|e| e.inner.iter().copied()).collect();
    let placed: FxHashSet<usize> = wiring.channels.iter().flat_map(|c| c.joins.iter().chain(&c.leaves).chain(&c.raises).copied()).collect();
    for (index, effect) in wiring.effects.iter().enumerate() {
        let inside = channels::is_wrapper_inside(&wiring.flow, effect, &wiring.signals);
        let kind = match effect.act {
            Act::Join => UnresolvedKind::Subscribe,
            Act::Leave | Act::LeaveAll | Act::LeaveOwner => UnresolvedKind::Unsubscribe,
            Act::Raise => UnresolvedKind::Raise,
        };
        let reason = match (&effect.holder.event, &effect.handler) {
            (Event::Handed, _) if !inside && placed.contains(&index) => continue,
            (Event::Given | Event::Handed, _) if !inside => "the channel is handed over and no caller shows which it is",
            (Event::Bus, _) if inside && !carried.contains(&effect.site) => "the topic is handed over and no caller shows which it is",
            (Event::Own(_) | Event::Bus | Event::Outside(_), _) if inside => continue,
            (Event::Bus, _) if matches!(effect.holder.key, Some(Val::Data | Val::Unknown | Val::Call(_) | Val::Local(_))) => {
                "the topic is computed"
            }
            _ => continue,
        };
        let text = text_of(wiring, effect);
        found.push(Unresolved { place: wiring.place(effect), kind, text, reason: reason.to_owned() });
    }
    found.sort();
    found.dedup();
    found
}

fn text_of(wiring: &Wiring<'_>, effect: &Effect) -> String {
    let subject = wiring.flow.show(&effect.holder.subject);
    match &effect.handler {
        Some(handler) => format!("{subject} <- {}", wiring.flow.show(handler)),
        None => subject,
    }
}
