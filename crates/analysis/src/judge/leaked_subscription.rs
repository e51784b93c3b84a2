//! Rule `leaked-subscription`: a subscription outlives its subscriber.

mod lives;
mod moved_on;
mod released;
pub(super) mod teardown;
#[cfg(test)]
mod tests;

use rayon::prelude::*;
use yarrowgraph_ir::{Node, TypeKind};
use yarrowgraph_model::{Certainty, ChannelKind, Level, Lifetime};

use super::futile_unsubscribe::empty_keeper;
use super::{Draft, Page, Rule, edits, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::component;
use crate::wire::effect::{Act, Effect, Event};
use crate::wire::handles::{self, Fate};
use crate::wire::lifetime::{self, Judged};
use crate::wire::once::Lives;
use crate::wire::release::{self, Same};
use crate::wire::subscriber::{self, Subscriber};
use lives::{
    is_catalogued, is_deleted_with_subject, is_handed_over, is_kept_by_subject, is_made, is_made_for_subscriber, is_of_ended, is_of_entry,
    is_within_subscriber, lives_on, takes_in_subject,
};

pub(super) const RULE: Rule = Rule {
    name: "leaked-subscription",
    summary: "a subscription outlives its subscriber",
    level: Level::Warning,
    page: Page {
        symptom: "Objects that were closed are still called, and are never freed: the list of handlers grows with every one that is made.",
        cause: "The subject lives longer than the subscriber and holds its handler, and nothing takes the handler off when the subscriber's life ends.",
        cure: "Take the same handler off the same channel in the method that ends the subscriber's life, or keep the handle that subscribing gives back and release it there.",
        silent: "The subject is the subscriber's own or ends together with it; the subscriber lives as long as the process; the handler is static or captures no instance; the channel holds it weakly; it takes itself off; a release is reached from a teardown, from the owner, or from the hook that pairs with the one that subscribed.",
        accept: "The subscriber is meant to live as long as its subject, and the code does not show it.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let of_channel = |channel: &Channel| {
        let judged = channel.joins.iter().filter_map(|j| judge(wiring, channel, *j).or_else(|| moved_on::judge(wiring, channel, *j)));
        judged.collect::<Vec<_>>()
    };
    wiring.channels.par_iter().with_max_len(1).flat_map_iter(of_channel).collect()
}

pub(super) fn judge(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Draft> {
    let effect = &wiring.effects[join];
    let flow = &wiring.flow;
    let program = wiring.program();
    if effect.weak || effect.once || effect.bounded || effect.tied || wiring.is_generated(effect) || wiring.in_test(effect.site.member) {
        return None;
    }
    // a double that tests put in the place of the subject
    if matches!(channel.key, ChannelKey::Own(m, _) if wiring.in_test(m)) {
        return None;
    }
    // what is kept under an object goes with that
    if matches!(channel.key, ChannelKey::Own(map, Some(_)) if program.is_weak(program.member(map).unit, &flow.type_held(map))) {
        return None;
    }
    let handler = effect.handler.as_ref()?;
    if let Some(component) = component::of_effect(flow, effect.site)
        && component::makes(flow, component, handler)
    {
        return judge_effect(wiring, channel, join, component);
    }
    let subscriber = match (subscriber::of(flow, handler, effect.site), &effect.context) {
        (Subscriber::Nobody, _) | (Subscriber::Weak, _) => return None,
        (Subscriber::Unknown, Some(context)) => Subscriber::This(flow.type_of(context).own()?),
        (Subscriber::Unknown, None) => return None,
        (known, _) => known,
    };
    let ty = subscriber.type_id()?;
    if matches!(program.ty(ty).kind, TypeKind::Enum) {
        return None;
    }
    // another object's handler: its life is its owner's to look after, unless it is only made to be handed over, or ended here
    if let Subscriber::Other(other) = subscriber
        && !is_fresh_listener(handler)
        && !holds_itself(wiring, other, effect)
        && !is_of_ended(wiring, handler, effect)
    {
        return None;
    }
    let judged = lifetime::of_channel(wiring, effect);
    let level = match judged.lifetime {
        Lifetime::Process => Level::Error,
        Lifetime::Outer if program.kit_of(effect.site.member).traits.references_dangle => Level::Error,
        Lifetime::Outer => Level::Warning,
        _ => return None,
    };
    if ends_subject_itself(wiring, effect, handler)
        || is_platform_owned(wiring, channel, effect)
        || bound_by_base(wiring, effect, ty)
        || released::awaits_answer(wiring, effect)
    {
        return None;
    }
    let teardown = teardown::teardown_of(wiring, ty, Some(effect.site.member));
    // putting it on again where it should be taken off is the slip
    let is_put_on_again = || {
        let joins = channel.joins.iter().map(|j| &wiring.effects[*j]);
        let same = joins.filter(|j| release::same_handler(flow, j, effect) == Same::Yes);
        let (at_the_end, before): (Vec<&Effect>, Vec<&Effect>) = same.partition(|j| Some(j.site.member) == teardown);
        !at_the_end.is_empty() && !before.is_empty()
    };
    let ends_subject = teardown.is_some_and(|t| released::ends_its_subject(wiring, t, effect));
    let releases = wiring.releases_of(channel, join);
    let way_past = released::way_past_release(wiring, join, &releases);
    if way_past.is_none() && released::is_released(wiring, channel, join, &releases, Some(ty))
        || released::is_put_aside(wiring, effect, ty)
        || released::is_left_by_futile_release(wiring, channel, effect)
        || empty_keeper(wiring, effect).is_some()
        || ends_subject
        || is_put_on_again()
        || teardown.is_some_and(|t| teardown::is_done_for_good(wiring, effect, t))
    {
        return None;
    }
    // in a slot the next one takes the place of what was handed over
    if judged.lifetime == Lifetime::Process && effect.replaces && is_handed_over(wiring, handler) {
        return None;
    }
    if judged.lifetime == Lifetime::Process && is_made_just_before(wiring, effect) {
        return None;
    }
    if is_deleted_with_subject(wiring, channel) {
        return None;
    }
    if is_within_subscriber(wiring, effect, handler) || is_made_for_subscriber(wiring, effect) {
        return None;
    }
    if judged.lifetime == Lifetime::Process && is_of_entry(wiring, handler) {
        return None;
    }
    let is_outer = judged.lifetime == Lifetime::Outer;
    if is_outer && teardown.is_some_and(|t| teardown::is_end_of_subject(wiring, channel, t)) {
        return None;
    }
    let ends_here = lifetime::ends_in_block(wiring, effect);
    if is_outer
        && !ends_here
        && (is_kept_by_subject(wiring, effect, ty, teardown.is_some(), handler)
            || takes_in_subject(wiring, effect)
            || is_catalogued(wiring, channel, effect))
    {
        return None;
    }
    let lives = if ends_here { Lives::No } else { lives_on(wiring, ty, effect.site.member) };
    if lives == Lives::Yes {
        return None;
    }
    let certainty = match certainty(wiring, channel, effect, judged, teardown)? {
        _ if lives == Lives::Unsaid && teardown.is_none() => Certainty::Possible,
        _ if teardown.is_none() && !is_made(wiring, ty) => Certainty::Possible,
        known => known,
    };
    let who = short(&program.type_id(ty));
    let what = short(&channel.id);
    let handler_name = short(&handler_id(wiring, effect));
    let message = match teardown {
        _ if way_past.is_some() => {
            format!("`{handler_name}` stays subscribed to `{what}` where this method returns before it takes it off")
        }
        Some(t) => format!("`{handler_name}` stays subscribed to `{what}` after `{who}.{}` has run", program.text(program.member(t).name)),
        None => format!("`{handler_name}` stays subscribed to `{what}`, which outlives `{who}`, and nothing takes it off"),
    };
    let mut related_places = Vec::new();
    if let ChannelKey::Own(m, _) = channel.key {
        related_places.push(related(format!("`{what}` is held here"), program.member_place(m)));
    }
    if let Some(way) = way_past {
        related_places.push(related("this way does not come to the release", program.place_of(way)));
    } else if let Some(t) = teardown {
        related_places.push(related("this ends the subscriber's life without releasing it", program.member_place(t)));
    }
    Some(Draft {
        level,
        certainty,
        place: wiring.place(effect),
        message,
        related: related_places,
        parties: vec![channel.id.clone(), handler_id(wiring, effect), program.member_id(effect.site.member)],
        edit: teardown.and_then(|t| edits::release_in(wiring, effect, t)),
    })
}

/// A subscription that a component's effect makes, and that what it returns does not end.
fn judge_effect(wiring: &Wiring<'_>, channel: &Channel, join: usize, component: MemberId) -> Option<Draft> {
    let effect = &wiring.effects[join];
    let (level, certainty) = match lifetime::of_channel(wiring, effect).lifetime {
        Lifetime::Process => (Level::Error, Certainty::Likely),
        Lifetime::Outer => (Level::Warning, Certainty::Likely),
        _ => return None,
    };
    if effect.certainty == Certainty::Possible
        || released::is_released(wiring, channel, join, &wiring.releases_of(channel, join), None)
        || released::is_left_by_futile_release(wiring, channel, effect)
    {
        return None;
    }
    let program = wiring.program();
    let (who, what, handler) = (short(&program.member_id(component)), short(&channel.id), short(&handler_id(wiring, effect)));
    Some(Draft {
        level,
        certainty,
        place: wiring.place(effect),
        message: format!(
            "`{handler}` stays subscribed to `{what}` when the component `{who}` is gone: its effect returns nothing that takes it off"
        ),
        related: vec![related("this is the component", program.member_place(component))],
        parties: vec![channel.id.clone(), handler_id(wiring, effect), program.member_id(component)],
        edit: None,
    })
}

/// How sure a leak is, and whether it is worth saying at all.
fn certainty(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect, judged: Judged, teardown: Option<MemberId>) -> Option<Certainty> {
    let is_one = || teardown.is_some_and(|t| gets_off(wiring, channel, effect, t)) || is_beside_what_is_ended(wiring, effect);
    if effect.certainty == Certainty::Possible && !is_one() {
        return None;
    }
    let has_teardown = teardown.is_some();
    let outside = channel.kind == ChannelKind::Platform;
    Some(match (judged.lifetime, judged.shown, has_teardown) {
        (Lifetime::Process, true, _) => Certainty::Certain,
        (Lifetime::Outer, true, true) if !outside => Certainty::Certain,
        (Lifetime::Outer, true, false) if !outside => Certainty::Likely,
        // whose maker is not shown, and whose end nobody brings about, may well end with its subject
        (Lifetime::Outer, false, true) if teardown.is_some_and(|t| teardown::is_idle(wiring, t)) => Certainty::Possible,
        (Lifetime::Outer, false, true) if !outside => Certainty::Likely,
        (Lifetime::Outer, true, true) => Certainty::Likely,
        _ => Certainty::Possible,
    })
}

/// Whether what nothing is known of is something that one can be on: what the same call beside it gives back is kept, and ends that one
/// later, while nobody uses what this one gives back.
fn is_beside_what_is_ended(wiring: &Wiring<'_>, join: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let name = |e: &Effect| {
        let body = program.body(e.site.member)?;
        let Node::Call { callee, .. } = body.node(e.site.node) else { return None };
        let Node::Member { name, .. } = body.node(callee) else { return None };
        Some(name)
    };
    let is_let_go = matches!(handles::fate(flow, join.site), Fate::Dropped | Fate::Forgotten(_));
    is_let_go
        && wiring.effects_in(join.site.member).any(|beside| {
            let is_such = beside.act == Act::Join && beside.site != join.site && beside.inner.is_empty();
            is_such && name(beside) == name(join) && !handles::releases(flow, beside.site).is_empty()
        })
}

/// Whether what nothing is known of is something that one can be on: the teardown gets off it by other topics, and nothing takes this
/// very handler off anything. Who hears that the subject ends needs not get off.
fn gets_off(wiring: &Wiring<'_>, channel: &Channel, join: &Effect, teardown: MemberId) -> bool {
    let program = wiring.program();
    let Some(topic) = channel.key.named_topic() else { return false };
    let tells_the_end = teardown::tells_an_end(&program.kit_of(join.site.member).pack, topic);
    let gets_off_here = wiring.of_holder(channel).filter(|c| !c.joins.is_empty()).flat_map(|c| &c.leaves).any(|l| {
        let site = wiring.effects[*l].site;
        site.member == teardown || wiring.flow.call_sites(site.member).iter().any(|call| call.member == teardown)
    });
    let class = program.member(join.site.member).owner;
    let taken_off = |e: &Effect| e.act == Act::Leave && release::same_handler(&wiring.flow, join, e) == Same::Yes;
    let own = program.ty(class).members.iter().flat_map(|m| wiring.effects_in(*m));
    !tells_the_end && gets_off_here && !own.into_iter().any(taken_off)
}

/// Whether a handler ends what tells it: `process.on('SIGINT', () => process.exit())`.
fn ends_subject_itself(wiring: &Wiring<'_>, effect: &Effect, handler: &Val) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let is_global = matches!(effect.holder.subject, Val::Global(_));
    let Some(Site { member, node: root }) = flow.code_of(handler).filter(|_| is_global) else { return false };
    let Some(body) = program.body(member) else { return false };
    let last = &program.kit_of(member).pack.last_events;
    state::any_within(body, root, &|n| {
        let Node::Call { callee, .. } = body.node(n) else { return false };
        let Node::Member { object, name, .. } = body.node(callee) else { return false };
        last.contains(program.unit_of(member).text(name)) && flow.eval_in(member, object) == effect.holder.subject
    })
}

fn is_fresh_listener(handler: &Val) -> bool {
    matches!(handler, Val::New(_) | Val::Local(_))
}

/// Whether the body that subscribes has put a new object into the static field that it subscribes to: the one before goes with all
/// that is on it.
fn is_made_just_before(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let Val::Static(subject) = effect.holder.subject else { return false };
    let scope = program.scope(effect.site.member);
    wiring.flow.definitions(subject).iter().any(|d| {
        d.member == effect.site.member
            && scope.is_before(d.node, effect.site.node)
            && matches!(wiring.flow.eval(*d), Val::New(_) | Val::Call(_))
    })
}

/// Whether it is the object itself that is put on the channel by code of its own, also by that of a listener which is written out within.
fn holds_itself(wiring: &Wiring<'_>, other: TypeId, effect: &Effect) -> bool {
    let program = wiring.program();
    let owner = program.member(effect.site.member).owner;
    let within = |t: &TypeId| program.ty(*t).anonymous.then(|| wiring.flow.enclosing_type(*t)).flatten();
    std::iter::successors(Some(owner), within).take(4).any(|t| t == other)
}

/// Widgets and library objects that came with the subscriber are looked after by their platform.
fn is_platform_owned(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let program = wiring.program();
    // an annotated or platform channel of an object of the subscriber's own kind
    matches!(channel.kind, ChannelKind::Platform) && matches!(effect.holder.subject, Val::This(_)) || {
        // terminal signals: the subject ends with them
        let name = match effect.holder.event {
            Event::Own(m) => program.text(program.member(m).name),
            Event::Outside(name) => program.text(name),
            _ => "",
        };
        matches!(name, "disposed" | "Disposed" | "FormClosed" | "Closed" | "closed" | "onDidDispose" | "Exited" | "WindowListener")
            || comes_once(wiring, channel, effect)
    }
}

/// Whether a stream of the platform tells by a topic that it is over, or a page that it is there: neither comes a second time.
fn comes_once(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let once = &wiring.program().kit_of(effect.site.member).pack.once_topics;
    matches!(&channel.key, ChannelKey::Bus(_, Topic::Named(topic)) if once.contains(topic))
}

/// A connection bound to an object whose base class, of another package, clears it.
fn bound_by_base(wiring: &Wiring<'_>, effect: &Effect, ty: TypeId) -> bool {
    let Some(context) = &effect.context else { return false };
    let bound = matches!(context, Val::This(_));
    bound && !wiring.program().outside_bases(ty).is_empty()
}

fn handler_id(wiring: &Wiring<'_>, effect: &Effect) -> String {
    crate::wire::handler_name(wiring, effect)
}
