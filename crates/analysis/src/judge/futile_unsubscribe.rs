//! Rule `futile-unsubscribe`: an unsubscribe that can never match a subscription.

#[cfg(test)]
mod tests;

mod elements;
mod keys;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use yarrowgraph_ir::{FunctionId, MemberKind, Node};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::{Callee, Val, only_statement};
use crate::program::{MemberId, Site, Ty};
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect, Event};
use crate::wire::handles::{self, Fate};
use crate::wire::lifetime::gives_static_local;
use crate::wire::release::{self, Same};
use crate::wire::{Wiring, handler_name, operation_place};

pub(super) const RULE: Rule = Rule {
    name: "futile-unsubscribe",
    summary: "an unsubscribe that can never match a subscription",
    level: Level::Error,
    page: Page {
        symptom: "The handler is still called after it was taken off, although the code that takes it off has run.",
        cause: "What is taken off is not what was put on: a lambda or bound method is made anew at each evaluation, or the handler, the topic or the subject is another one.",
        cure: "Keep the handler in a field or variable and hand the same one to both calls, or keep and release the handle that subscribing gives back.",
        silent: "The handler is equal by value in its language, is held by a field, a variable or a table that both sides use, or what is taken off may have been put on by code that the tree does not show.",
        accept: "Other code, which the analysis cannot see, puts on what is taken off here.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        for &leave in &channel.leaves {
            let effect = &wiring.effects[leave];
            if wiring.in_test(effect.site.member) {
                continue;
            }
            if let Some(draft) = elements::judge(wiring, channel, effect) {
                drafts.push(draft);
            } else if effect.act == Act::Leave {
                drafts.extend(
                    fresh(wiring, channel, effect)
                        .or_else(|| for_another(wiring, channel, effect))
                        .or_else(|| of_other_topic(wiring, channel, effect))
                        .or_else(|| of_other_subject(wiring, channel, effect))
                        .or_else(|| never_subscribed(wiring, channel, effect))
                        .or_else(|| wrapped_when_put_on(wiring, channel, effect)),
                );
            }
        }
    }
    let mut by_release: BTreeMap<Site, Draft> = BTreeMap::new();
    for channel in &wiring.channels {
        for join in channel.joins.iter().map(|j| &wiring.effects[*j]) {
            if let Some((field, release)) = empty_keeper(wiring, join) {
                by_release.entry(release).or_insert_with(|| by_nothing(wiring, channel, join, field, release));
            }
        }
    }
    drafts.extend(by_release.into_values());
    let turned: Vec<(&Effect, Draft)> =
        wiring.owner_releases.iter().map(|l| &wiring.effects[*l]).filter_map(|e| Some((e, wrong_way(wiring, e)?))).collect();
    // who calls what unties makes the slip no second time
    let at: BTreeSet<Site> = turned.iter().map(|(e, _)| e.site).collect();
    drafts.extend(turned.into_iter().filter(|(e, _)| e.inner.is_empty() || !at.contains(&e.innermost())).map(|(_, draft)| draft));
    drafts
}

/// A field that a class releases by and never puts anything into, beside a subscription whose handle it drops: the field, and where
/// it is to release.
pub(super) fn empty_keeper(wiring: &Wiring<'_>, join: &Effect) -> Option<(MemberId, Site)> {
    let (program, flow) = (wiring.program(), &wiring.flow);
    if let Some(found) = unset_key(wiring, join) {
        return Some(found);
    }
    let drops = join.handle && !wiring.in_test(join.site.member) && handles::fate(flow, join.site) == Fate::Dropped;
    if !drops {
        return None;
    }
    let class = program.member(join.site.member).owner;
    program.ty(class).members.iter().find_map(|field| {
        let decl = program.decl(*field);
        let is_plain = program.member(*field).kind == MemberKind::Field
            && decl.annotations.is_empty()
            && is_handle(wiring, *field, join)
            && !program.ty(class).is_module
            && flow.definitions(*field).iter().all(|d| flow.eval(*d) == Val::Null)
            && !is_written_unseen(wiring, *field)
            && !wiring.is_in_markup(*field);
        if !is_plain {
            return None;
        }
        let kept = Val::Member(Arc::new(Val::This(class)), *field);
        // what is handed something when it is called is a handler itself
        let ends = |site: &Site| match program.body(site.member).map(|b| b.node(site.node)) {
            Some(Node::Call { callee, args, .. }) => args.len == 0 || flow.eval_in(site.member, callee) != kept,
            _ => true,
        };
        let release = handles::releases_by(flow, &kept).into_iter().find(|r| program.member(r.member).owner == class && ends(r))?;
        Some((*field, release))
    })
}

/// Whether some object of which nothing is known is given a part of a field's name: it may be this field.
fn is_written_unseen(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    program.index.writes(program.member(field).name).iter().any(|write| {
        let Some(body) = program.body(write.member) else { return true };
        let Node::Assign { target, .. } = body.node(write.node) else { return false };
        matches!(flow.eval_in(write.member, target), Val::Outside(of, _) if flow.type_of(&of) == Ty::Unknown)
    })
}

/// The same where a roster gives out a key for each subscription, and the field by which the class takes itself off never holds one.
fn unset_key(wiring: &Wiring<'_>, join: &Effect) -> Option<(MemberId, Site)> {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let Event::Own(roster) = join.holder.event else { return None };
    if join.inner.is_empty() || wiring.in_test(join.site.member) || handles::fate(flow, join.site) != Fate::Dropped {
        return None;
    }
    // the key is made where the handler is put in
    if !matches!(join.holder.key, Some(Val::Unknown | Val::Data | Val::Member(..) | Val::Local(_))) {
        return None;
    }
    let class = program.member(join.site.member).owner;
    let is_nothing = |d: &Site| program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Num(_) | Node::Null | Node::Plain));
    wiring.effects_on(roster).filter(|e| e.act == Act::Leave && program.member(e.site.member).owner == class).find_map(|leave| {
        let Some(Val::Member(of, field)) = &leave.holder.key else { return None };
        let is_unset = matches!(**of, Val::This(_))
            && program.member(*field).owner == class
            && program.index.writes(program.member(*field).name).iter().all(|w| program.member(w.member).owner != class)
            && flow.definitions(*field).iter().all(is_nothing);
        is_unset.then_some((*field, leave.site))
    })
}

/// Whether a field is declared to hold what ends a subscription: a handle of a library, a function, or what subscribing gives back.
fn is_handle(wiring: &Wiring<'_>, field: MemberId, join: &Effect) -> bool {
    let program = wiring.program();
    match wiring.flow.type_held(field) {
        Ty::Own(held, _) => {
            let given = wiring.flow.type_of_node(join.site.member, join.site.node).own();
            given.is_some_and(|given| program.are_kin(given, held))
        }
        Ty::Outside(name, _) => program.kit_of(field).pack.handle_types.contains(program.text(name)),
        Ty::Function(_) => true,
        _ => false,
    }
}

/// A release by a handle that was never kept.
fn by_nothing(wiring: &Wiring<'_>, channel: &Channel, join: &Effect, field: MemberId, release: Site) -> Draft {
    let program = wiring.program();
    let name = program.text(program.member(field).name);
    Draft {
        level: Level::Error,
        certainty: Certainty::Certain,
        place: operation_place(program, release),
        message: format!("nothing is ever put into `{name}`, so this ends no subscription"),
        related: vec![related("what this gives back is dropped", wiring.place(join))],
        parties: vec![channel.id.clone(), program.member_id(field), program.member_id(release.member)],
        edit: None,
    }
}

/// A release of all that an object sends to another one, where only the other one sends to it.
fn wrong_way(wiring: &Wiring<'_>, effect: &Effect) -> Option<Draft> {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let (Val::This(class), Some(other)) = (&effect.holder.subject, &effect.handler) else { return None };
    let other_type = flow.type_of(other).own()?;
    if effect.holder.event != Event::Bus || program.is_a(*class, other_type) || wiring.in_test(effect.site.member) {
        return None;
    }
    let of_class = |e: &&Effect| e.act == Act::Join && e.tied && program.is_a(program.member(e.site.member).owner, *class);
    let mut joins = wiring.effects.iter().filter(of_class).peekable();
    joins.peek()?;
    let is_other = |value: &Val| flow.type_of(value).own().is_some_and(|t| program.are_kin(t, other_type));
    let (mut to_other, mut from_other) = (false, None);
    for join in joins {
        let sends_itself = matches!(join.holder.subject, Val::This(_));
        to_other |= sends_itself && join.context.as_ref().is_some_and(is_other);
        if !sends_itself && is_other(&join.holder.subject) {
            from_other = from_other.or(Some(join));
        }
    }
    let reverse = from_other.filter(|_| !to_other)?;
    let who = short(&program.type_id(*class));
    let name = short(&program.type_id(other_type));
    Some(Draft {
        level: Level::Error,
        certainty: Certainty::Likely,
        place: wiring.place(effect),
        message: format!("this unties what `{who}` sends to `{name}`, and only the reverse is ever tied"),
        related: vec![related("this subscription stays", wiring.place(reverse))],
        parties: vec![program.type_id(*class), program.type_id(other_type), program.member_id(effect.site.member)],
        edit: None,
    })
}

/// A handler that is made on the spot.
fn fresh(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let handler = effect.handler.as_ref()?;
    let flow = &wiring.flow;
    let is_new = release::is_fresh(flow, effect, handler)
        || release::is_made_there(flow, effect, handler)
        || release::is_made_by_call(flow, handler);
    let has_no_name =
        matches!(&channel.key, ChannelKey::Own(_, Some(Topic::Named(topic))) | ChannelKey::Bus(_, Topic::Named(topic)) if topic.is_empty());
    if !is_new || has_no_name || effect.certainty == Certainty::Possible && channel.joins.is_empty() {
        return None;
    }
    // what takes out all that a condition holds for is handed no handler
    let program = wiring.program();
    let called = flow.callee(effect.site).map(|c| program.text(program.member(c.member).name));
    if called.is_some_and(|name| program.kit_of(effect.site.member).pack.removes_where.contains(name)) {
        return None;
    }
    // where objects are compared by what they are made of, one that is made for it finds the other
    let is_compared = |class| program.heirs(class).into_iter().any(|t| program.is_equal_by_content(t));
    if matches!(handler, Val::New(_) | Val::Call(_)) && flow.type_of(handler).own().is_some_and(is_compared) {
        return None;
    }
    // a way in that takes off first what it then puts on
    if channel.joins.iter().any(|j| wiring.effects[*j].site == effect.site) {
        return None;
    }
    let what = short(&channel.id);
    let made = match handler {
        Val::Bound(..) => "a newly bound function",
        Val::Method(..) => "a new method reference",
        Val::New(_) => "a new object",
        Val::Call(_) => "what is made anew each time",
        _ => "a new lambda",
    };
    let message = format!("this takes {made} off `{what}`, which no subscription can have put on");
    Some(draft(wiring, channel, effect, message, Certainty::Certain))
}

/// A handler that is on the channel for another phase, or for another property, only.
fn for_another(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let flow = &wiring.flow;
    let joins = || channel.joins.iter().map(|j| &wiring.effects[*j]);
    let is_other = |join: &&Effect| release::is_of_another(flow, join, effect);
    let same = |join: &&Effect| {
        let alike = Effect { phase: join.phase, about: join.about.clone(), ..effect.clone() };
        release::same_handler(flow, join, &alike) == Same::Yes
    };
    if joins().any(|j| !is_other(&j) && release::same_handler(flow, j, effect) != Same::Never) {
        return None;
    }
    let join = joins().filter(is_other).find(same)?;
    let what = short(&channel.id);
    let handler = short(&handler_name(wiring, effect));
    let message = if effect.phase.is_some() {
        let phases = if effect.phase == Some(true) { ("capture", "bubbling") } else { ("bubbling", "capture") };
        format!("this takes `{handler}` off the {} phase of `{what}`, and it is on the {} phase", phases.0, phases.1)
    } else {
        let property = |about: &Option<Val>| match about.as_ref().and_then(|a| flow.text_of(a)) {
            Some(name) => format!("changes of `{}`", wiring.program().text(name)),
            None => "all changes".to_owned(),
        };
        let (off, on) = (property(&effect.about), property(&join.about));
        format!("this takes `{handler}` off {off} in `{what}`, and it is on {on} only")
    };
    Some(draft(wiring, channel, effect, message, Certainty::Certain))
}

/// What is on another topic of the same bus, and never on this one: the subscription, where nothing else takes it off.
pub(super) fn other_topic<'w>(wiring: &'w Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<(&'w Channel, &'w Effect)> {
    by_handler(wiring, channel, effect).or_else(|| keys::other_topic(wiring, channel, effect))
}

fn by_handler<'w>(wiring: &'w Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<(&'w Channel, &'w Effect)> {
    let is_function = matches!(effect.handler, Some(Val::Method(..) | Val::Lambda(..) | Val::Member(..) | Val::Local(_)));
    if channel.key.named_topic().is_none() || !is_function {
        return None;
    }
    let here = |e: &usize| release::same_handler(&wiring.flow, &wiring.effects[*e], effect);
    if channel.joins.iter().any(|j| here(j) != Same::Never) {
        return None;
    }
    let owner = wiring.program().member(effect.site.member).owner;
    let beside = wiring.of_holder(channel).filter(|c| c.key != channel.key && c.key.named_topic().is_some());
    let mut found = beside.flat_map(|c| c.joins.iter().filter(|j| here(j) == Same::Yes).map(move |j| (c, j)));
    let (other, join) = found.next()?;
    let join_effect = &wiring.effects[*join];
    let is_left = found.next().is_some() || !wiring.releases_of(other, *join).is_empty();
    // on what one function is handed it is the same object, whatever that is
    let is_one_object = join_effect.site.member == effect.site.member && join_effect.holder.subject == effect.holder.subject;
    if effect.certainty < Certainty::Likely && !is_one_object {
        return None;
    }
    (!is_left && wiring.program().member(join_effect.site.member).owner == owner).then_some((other, join_effect))
}

fn of_other_topic(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let (other, join) = other_topic(wiring, channel, effect)?;
    let handler = short(&handler_name(wiring, if matches!(effect.handler, None | Some(Val::Unknown)) { join } else { effect }));
    let message = format!("this takes `{handler}` off `{}`, and it is on `{}` only", short(&channel.id), short(&other.id));
    Some(draft(wiring, channel, effect, message, Certainty::Certain))
}

/// Where an object comes from that is a subject.
#[derive(Clone, Copy)]
enum Origin {
    /// A constructor is handed it.
    Handed(MemberId, u16),
    /// Its owner makes it, there.
    Made(Site),
    /// It is made once for all.
    Shared(Site),
}

/// Where the one object is made that a field ever holds.
fn made_once(wiring: &Wiring<'_>, field: MemberId) -> Option<Site> {
    let definition = wiring.flow.only_definition(field)?;
    match wiring.flow.eval(definition) {
        Val::New(made) => Some(made),
        _ => None,
    }
}

/// A handler that is on the channel of another object of the same kind: of what the subscriber was given as something else.
fn of_other_subject(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let owner = program.member(effect.site.member).owner;
    let own = |e: &&Effect| program.member(e.site.member).owner == owner && release::same_handler(flow, e, effect) == Same::Yes;
    let joins: Vec<&Effect> = channel.joins.iter().map(|j| &wiring.effects[*j]).filter(own).collect();
    let origin = |e: &Effect| match flow.as_given(&e.holder.subject) {
        Val::Param(m, None, index) if program.member(m).kind == MemberKind::Constructor => Some(Origin::Handed(m, index)),
        Val::New(made) => Some(Origin::Made(made)),
        Val::Static(m) => made_once(wiring, m).map(Origin::Shared),
        // `Gauge::shared()`
        Val::Call(call) => flow.callee(call).filter(|c| gives_static_local(program, c.member)).and_then(|c| {
            let node = program.body(c.member)?.root?;
            Some(Origin::Shared(Site { member: c.member, node }))
        }),
        Val::Member(of, m) if matches!(*of, Val::This(_)) => made_once(wiring, m).map(Origin::Made),
        _ => None,
    };
    let here = origin(effect)?;
    let others: Option<Vec<Origin>> = joins.iter().map(|j| origin(j)).collect();
    let others = others.filter(|o| !o.is_empty())?;
    // handed over by everybody as two
    let told_apart = |m: MemberId, a: u16, b: u16| {
        flow.callers((m, None)).iter().all(|(_, with)| {
            let arg = |i: u16| with.args.get(usize::from(i)).and_then(Option::as_ref);
            arg(a).is_some_and(|a| arg(b).is_some_and(|b| a != b))
        })
    };
    let is_another = |other: &Origin| match (*other, here) {
        (Origin::Handed(m, a), Origin::Handed(n, b)) => m == n && a != b && told_apart(m, a, b),
        // what many share may be what is handed over
        (Origin::Shared(_), Origin::Handed(..)) | (Origin::Handed(..), Origin::Shared(_)) => false,
        (Origin::Made(_), Origin::Handed(..)) | (Origin::Handed(..), Origin::Made(_)) => true,
        (Origin::Made(a) | Origin::Shared(a), Origin::Made(b) | Origin::Shared(b)) => a != b,
    };
    if !others.iter().all(is_another) {
        return None;
    }
    let message = format!(
        "this takes `{}` off `{}` of another object than the one that it is on",
        short(&handler_name(wiring, effect)),
        short(&channel.id)
    );
    Some(draft(wiring, channel, effect, message, Certainty::Likely))
}

/// A handler that nothing ever puts on this channel.
fn never_subscribed(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let flow = &wiring.flow;
    let handler = effect.handler.as_ref()?;
    // only where channel and handler are known, and everything that is put on the channel is too
    let ChannelKey::Own(m, topic) = &channel.key else { return None };
    if effect.certainty != Certainty::Certain || matches!(topic, Some(Topic::Any)) {
        return None;
    }
    // a method, or a function that a field of the object holds for good
    let is_kept = |value: &Val| {
        let only = value.own_field().and_then(|field| flow.only_definition(field).filter(|d| d.member == field));
        only.is_some_and(|d| matches!(flow.eval(d), Val::Lambda(..)))
    };
    let known = matches!(handler, Val::Method(..)) || is_kept(handler);
    if !known || !effect.inner.is_empty() && channel.joins.is_empty() {
        return None;
    }
    let settled = |e: &Effect| match &e.handler {
        Some(Val::Method(..) | Val::Lambda(..) | Val::This(_) | Val::New(_) | Val::Bound(..)) => true,
        other => other.as_ref().is_some_and(is_kept),
    };
    let all: Vec<&Effect> = wiring
        .channels
        .iter()
        .filter(|c| matches!(&c.key, ChannelKey::Own(other, _) if other == m))
        .flat_map(|c| c.joins.iter().map(|j| &wiring.effects[*j]))
        .collect();
    let on_this: Vec<&Effect> = channel.joins.iter().map(|j| &wiring.effects[*j]).collect();
    if !all.iter().all(|e| settled(e)) || on_this.iter().any(|e| release::same_handler(flow, e, effect) != Same::Never) {
        return None;
    }
    // what it is put on is not known everywhere
    let elsewhere = |e: &Effect| {
        e.act == Act::Join
            && matches!(flow.type_of(&e.holder.subject), crate::program::Ty::Unknown)
            && !matches!(e.holder.event, Event::Own(_))
            && release::same_handler(flow, e, effect) != Same::Never
    };
    if wiring.effects.iter().any(elsewhere) {
        return None;
    }
    // an event that other trees can subscribe to says nothing
    let program = wiring.program();
    let public = program.decl(*m).modifiers.visibility == yarrowgraph_ir::Visibility::Public;
    if public && wiring.is_open && on_this.is_empty() {
        return None;
    }
    // the method may be put on under the name of the event by an heir or by markup
    if on_this.is_empty() && program.member(*m).kind != MemberKind::Event {
        return None;
    }
    let message =
        format!("this takes `{}` off `{}`, and nothing ever puts it on", short(&handler_name(wiring, effect)), short(&channel.id));
    Some(draft(wiring, channel, effect, message, Certainty::Likely))
}

/// A method of the subscriber, where what is on the channel was made of it on the spot and is another function than it.
fn wrapped_when_put_on(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    put_on_wrapped(wiring, channel, effect)?;
    let name = short(&handler_name(wiring, effect));
    let message = format!("this takes `{name}` off `{}`, and what is on it is another function that was made of that", short(&channel.id));
    Some(draft(wiring, channel, effect, message, Certainty::Certain))
}

/// For the release of a method of the subscriber, the subscription of something that was made of it on the spot: bound, or called in a
/// lambda.
pub(super) fn put_on_wrapped<'w>(wiring: &'w Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<&'w Effect> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let handler @ Val::Method(method, Some(_)) = effect.handler.as_ref()? else { return None };
    let joins = || channel.joins.iter().map(|j| &wiring.effects[*j]);
    if effect.certainty < Certainty::Likely || joins().any(|j| release::same_handler(flow, j, effect) != Same::Never) {
        return None;
    }
    let owner = program.member(effect.site.member).owner;
    // bound once and kept, or on the spot
    let bound_once =
        |field: MemberId| flow.only_definition(field).is_some_and(|d| matches!(flow.eval(d), Val::Bound(of, _) if *of == *handler));
    let is_made_of_it = |join: &&Effect| match &join.handler {
        Some(Val::Bound(of, _)) => **of == *handler,
        Some(Val::Member(of, field)) if matches!(**of, Val::This(_)) => bound_once(*field),
        Some(Val::Lambda(member, function)) => only_called(wiring, *member, *function).is_some_and(|c| c.member == *method),
        _ => false,
    };
    joins().find(|j| program.member(j.site.member).owner == owner && is_made_of_it(j))
}

/// The method that a lambda does nothing but call.
pub(super) fn only_called(wiring: &Wiring<'_>, member: MemberId, function: FunctionId) -> Option<Callee> {
    let body = wiring.program().body(member)?;
    let only = only_statement(body, body.function(function).body?);
    let node = if let Node::Return(Some(value)) = body.node(only) { value } else { only };
    wiring.flow.callee(Site { member, node })
}

fn draft(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect, message: String, certainty: Certainty) -> Draft {
    let program = wiring.program();
    let mut places = Vec::new();
    for &join in &channel.joins {
        let other = &wiring.effects[join];
        let same_type = program.member(other.site.member).owner == program.member(effect.site.member).owner;
        if same_type && places.len() < 3 {
            places.push(related("this subscription stays", wiring.place(other)));
        }
    }
    Draft {
        level: Level::Error,
        certainty,
        place: wiring.place(effect),
        message,
        related: places,
        parties: vec![channel.id.clone(), handler_name(wiring, effect), program.member_id(effect.site.member)],
        edit: None,
    }
}
