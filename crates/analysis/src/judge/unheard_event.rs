//! Rule `unheard-event`: a channel is raised and nothing subscribes to it.

#[cfg(test)]
mod tests;
mod unseen;

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId, Visibility};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

use unseen::{
    is_argument, is_filled_in_braces, is_handed_on, is_offered, is_referred_to, may_be_filled_where_it_stands, may_be_heard_unseen,
    may_be_joined_by_name, may_be_meant_by_others,
};

use super::unguarded_raise::is_of_operations;
use super::unknown_code::asks_for_one;
use super::{Draft, Page, Rule, plain, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Ty};
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect, Guard};
use crate::wire::selections::Element;
use crate::wire::{Wiring, streams};

pub(super) const RULE: Rule = Rule {
    name: "unheard-event",
    summary: "a channel is raised, and nothing in the code subscribes to it",
    level: Level::Warning,
    page: Page {
        symptom: "Something happens, is announced, and nothing follows from it.",
        cause: "The subscription was forgotten or removed, or it is made to another channel or topic.",
        cure: "Subscribe where the announcement matters, or remove the channel and its raises.",
        silent: "A platform hears the channel by convention or by name (data binding); some subscription's topic is computed and may be this one; something subscribes by the same name on an object of which nothing is known; another class subscribes whatever other trees hand it; the channel implements one of a platform's interfaces. Members that other trees can reach are a note.",
        accept: "The channel is meant for code outside of the tree.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    wiring.channels.iter().filter_map(|c| judge(wiring, c)).collect()
}

fn judge(wiring: &Wiring<'_>, channel: &Channel) -> Option<Draft> {
    // what looks one handler up and calls it asks for a code
    if channel.raises.is_empty() || is_heard(wiring, channel) || asks_for_one(wiring, channel) {
        return None;
    }
    // which of two classes of one name is meant may be decided by what builds the tree
    if wiring.twins(channel).any(|twin| is_heard(wiring, twin)) {
        return None;
    }
    let program = wiring.program();
    let raises: Vec<_> = channel.raises.iter().map(|r| &wiring.effects[*r]).filter(|e| !wiring.in_test(e.site.member)).collect();
    let first = raises.iter().min_by_key(|e| wiring.place(e))?;
    let what = short(&channel.id);
    let (place, public, certainty) = match &channel.key {
        ChannelKey::Own(m, None) => {
            if wiring.is_mentioned_unread(*m)
                || wiring.is_remote(wiring.program().member(*m).owner)
                || channel.kind == ChannelKind::List && is_left_by_the_unseen(wiring, *m)
                || !own_member_counts(wiring, channel, *m)
                || wiring.may_be_named(*m, Act::Join)
                || may_be_heard_unseen(wiring, *m)
                || wiring.is_handed_to_macro(*m)
                || is_offered(wiring, *m)
                || may_be_joined_by_name(wiring, *m)
                || may_be_meant_by_others(wiring, *m)
                || is_filled_in_braces(wiring, *m)
                || is_of_unread_operations(wiring, *m)
                || may_be_filled_where_it_stands(wiring, *m)
                || is_referred_to(wiring, channel, *m)
            {
                return None;
            }
            let public = is_public(wiring, *m);
            // another tree may hear it
            (program.member_place(*m), public, if public { Certainty::Likely } else { Certainty::Certain })
        }
        // what is put under a name has others who know it, and may hear it
        ChannelKey::Own(m, Some(_)) if wiring.flow.element_held(*m).own().is_some_and(|t| wiring.signals.contains(&t)) => return None,
        // code that is not read may fill a table of operations
        ChannelKey::Own(m, Some(_)) if is_of_operations(wiring, *m) => return None,
        ChannelKey::Own(m, Some(Topic::Named(_))) => (wiring.place(first), is_public(wiring, *m), Certainty::Certain),
        ChannelKey::Bus(bus, Topic::Named(_)) => {
            // only an emitter of the tree whose other topics are heard here
            let others_heard = wiring.channels.iter().any(|c| matches!(&c.key, ChannelKey::Bus(b, _) if b == bus) && !c.joins.is_empty());
            if others_heard {
                if raises.iter().any(|e| e.certainty == Certainty::Possible) {
                    return None;
                }
                // a constant of an enumeration declares the topic
                let declared = raises.iter().find_map(|e| match e.holder.key {
                    Some(Val::Static(m)) if program.member(m).kind == MemberKind::EnumConstant => Some(program.member_place(m)),
                    _ => None,
                });
                (declared.unwrap_or_else(|| wiring.place(first)), wiring.is_open, Certainty::Likely)
            } else if is_of_injected(wiring, channel) {
                (wiring.place(first), true, Certainty::Possible)
            } else {
                return None;
            }
        }
        _ => return None,
    };
    // an event of the platform does something by itself: it gives an element the focus, say
    if let ChannelKey::Bus(bus, Topic::Named(topic)) = &channel.key
        && Element::of(bus).is_some()
        && program.packs().any(|p| p.selection_events.contains(topic))
    {
        return None;
    }
    // a raise that crashes for lack of anybody is the graver slip, and stands for this one
    if raises.iter().any(|e| e.guard == Guard::None) && matches!(channel.key, ChannelKey::Own(_, None)) {
        return None;
    }
    // the same call reaches somebody by way of another holder
    let also_heard = |e: &&crate::wire::effect::Effect| {
        // each row of a table has a topic of its own
        let mut others = if e.by_row { &[][..] } else { &wiring.channels[..] }.iter();
        others.any(|c| c.key != channel.key && !c.joins.is_empty() && c.raises.iter().any(|r| wiring.effects[*r].site == e.site))
    };
    if matches!(channel.key, ChannelKey::Own(_, Some(_))) && raises.iter().all(also_heard) {
        return None;
    }
    if wiring.is_mentioned(channel) || wiring.is_done_to_unknown(channel, Act::Join) || is_let_in_by_name(wiring, channel) {
        return None;
    }
    if raises.iter().all(|e| tells_those_of_all(wiring, e)) {
        return None;
    }
    let level = if public { Level::Note } else { Level::Warning };
    Some(Draft {
        level,
        certainty,
        place: place.clone(),
        message: format!("`{what}` is raised, and nothing subscribes to it"),
        related: raises.iter().take(5).map(|e| related("raised here", wiring.place(e))).filter(|r| r.place != place).collect(),
        parties: vec![channel.id.clone()],
        edit: None,
    })
}

/// Whether an emitter tells, beside those who listen to what it is handed, those who listen to all: `call(listeners[name]); call(listeners['*'])`.
fn tells_those_of_all(wiring: &Wiring<'_>, raise: &Effect) -> bool {
    let of_any = |e: &Effect| {
        e.act == Act::Raise
            && e.holder.event == raise.holder.event
            && matches!(e.holder.key, Some(Val::Param(m, ..)) if m == raise.site.member)
    };
    matches!(raise.holder.key, Some(Val::Str(_))) && wiring.effects_in(raise.site.member).any(of_any)
}

/// Whether a method that somebody unseen may call puts what it is handed on the very topic: `id(fn) { this.once('id', fn); }`.
fn is_let_in_by_name(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let program = wiring.program();
    let ChannelKey::Bus(_, Topic::Named(topic)) = &channel.key else { return false };
    wiring.effects.iter().any(|e| {
        let is_topic = || matches!(&e.holder.key, Some(Val::Str(name)) if program.text(*name) == topic);
        let is_called_unseen = |m: MemberId| {
            wiring.flow.call_sites(m).is_empty() && (wiring.is_open || !program.index.calls(program.member(m).name).is_empty())
        };
        let handed_in = matches!(e.handler, Some(Val::Param(m, None, _)) if is_called_unseen(m));
        e.act == Act::Join && handed_in && is_topic()
    })
}

fn is_heard(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    if !channel.joins.is_empty() {
        return true;
    }
    // a subscription to all topics, or to one that is computed
    let any = |c: &Channel| match (&c.key, &channel.key) {
        (ChannelKey::Bus(a, Topic::Any), ChannelKey::Bus(b, _)) => a == b,
        (ChannelKey::Own(a, Some(Topic::Any) | None), ChannelKey::Own(b, Some(_))) => a == b,
        // raised as a whole, joined by key
        (ChannelKey::Own(a, Some(_)), ChannelKey::Own(b, None)) => a == b,
        _ => false,
    };
    if channel.raises.iter().any(|r| is_type_heard(wiring, &wiring.effects[*r])) {
        return true;
    }
    // which topic somebody is on cannot be told
    let is_borrowed = |j: &usize| matches!(wiring.effects[*j].holder.key, Some(Val::Static(m)) if wiring.is_borrowed(m));
    if wiring.of_holder(channel).any(|c| c.joins.iter().any(is_borrowed)) {
        return true;
    }
    let through_interface = match channel.key {
        ChannelKey::Own(m, None) => wiring.stand_ins(m),
        _ => Vec::new(),
    };
    let stands_in = |c: &Channel| matches!(c.key, ChannelKey::Own(m, None) if through_interface.contains(&m));
    wiring
        .channels
        .iter()
        .any(|c| (any(c) && c.joins.iter().any(|j| may_hear(wiring, *j, channel))) || (stands_in(c) && !c.joins.is_empty()))
}

/// Whether somebody is told of messages of the type that a raise is of, or of a base of it, on whatever bus: an object that is put on
/// several buses hears on each what belongs there.
fn is_type_heard(wiring: &Wiring<'_>, raise: &Effect) -> bool {
    let program = wiring.program();
    let Some(Val::Type(raised)) = raise.holder.key else { return false };
    let joins = wiring.channels.iter().flat_map(|c| &c.joins).map(|j| &wiring.effects[*j]);
    joins
        .filter_map(|e| match e.holder.key {
            Some(Val::Type(wanted)) => Some(wanted),
            _ => None,
        })
        .any(|wanted| program.is_a(raised, wanted))
}

/// Whether a topic is raised on an object that is handed in from nobody knows where, and that is most likely an emitter of
/// the tree: several other topics that are raised on members of that name are heard on it, and this one nowhere.
fn is_of_injected(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let ChannelKey::Bus(_, Topic::Named(topic)) = &channel.key else { return false };
    let injected = |e: &Effect| {
        let field = e.holder.subject.own_field()?;
        let given = flow.definitions(field);
        let open = |d: &Site| matches!(flow.eval(*d), Val::Param(..)) && flow.type_of_node(d.member, d.node) == Ty::Unknown;
        (!given.is_empty() && given.iter().all(open)).then(|| program.member(field).name)
    };
    let Some(name) = channel.raises.first().and_then(|r| injected(&wiring.effects[*r])) else { return false };
    if !channel.raises.iter().all(|r| injected(&wiring.effects[*r]) == Some(name)) {
        return false;
    }
    // what else is raised on members of that name
    let raised_there = |c: &&Channel| c.raises.iter().any(|r| injected(&wiring.effects[*r]) == Some(name));
    let raised: BTreeSet<&str> = wiring.channels.iter().filter(raised_there).filter_map(topic_of).collect();
    let heard = |c: &&Channel| !c.joins.is_empty() && matches!(&c.key, ChannelKey::Bus(..));
    if wiring.channels.iter().filter(heard).any(|c| {
        topic_of(c) == Some(topic)
            || (topic_of(c).is_none() && c.joins.iter().any(|j| names_members(wiring, *j)) && is_named_after(wiring, topic))
    }) {
        return false;
    }
    // heard on one emitter that a class of the tree is
    let mut heard_on: std::collections::BTreeMap<&str, usize> = std::collections::BTreeMap::new();
    for c in wiring.channels.iter().filter(heard) {
        let of_tree = c.joins.iter().any(|j| matches!(wiring.effects[*j].holder.subject, Val::This(_)));
        if let (ChannelKey::Bus(bus, Topic::Named(other)), true) = (&c.key, of_tree)
            && raised.contains(other.as_str())
        {
            *heard_on.entry(bus.as_str()).or_default() += 1;
        }
    }
    heard_on.values().any(|n| *n >= 2)
}

fn topic_of(channel: &Channel) -> Option<&str> {
    match &channel.key {
        ChannelKey::Bus(_, Topic::Named(topic)) => Some(topic),
        _ => None,
    }
}

/// Whether a subscription to a computed topic can be one to a channel.
fn may_hear(wiring: &Wiring<'_>, join: usize, channel: &Channel) -> bool {
    if is_callers(wiring, join) {
        return false;
    }
    let Some(topic) = channel.key.named_topic() else { return true };
    !names_members(wiring, join) || is_named_after(wiring, topic)
}

/// Whether a subscription's topic is made of the names of an object's members (`for (const method in object)`).
fn names_members(wiring: &Wiring<'_>, join: usize) -> bool {
    let program = wiring.program();
    let site = wiring.effects[join].site;
    let Some(body) = program.body(site.member) else { return false };
    let Node::Call { args, .. } = body.node(site.node) else { return false };
    let Some(&topic) = body.list(args).first() else { return false };
    let scope = program.scope(site.member);
    let is_key =
        |local: NodeId| matches!(scope.parent(local).map(|p| body.node(p)), Some(Node::ForEach { var, keys: true, .. }) if var == local);
    let mut stack = vec![topic];
    while let Some(node) = stack.pop() {
        if let Node::Name(name) = body.node(node)
            && let Some(Declared::Local(local)) = scope.lookup(name, node)
            && is_key(local)
        {
            return true;
        }
        stack.extend(body.children(node));
    }
    false
}

/// Whether some method or field is named after a topic, whatever the case and what stands between the words.
fn is_named_after(wiring: &Wiring<'_>, topic: &str) -> bool {
    let program = wiring.program();
    let topic = plain(topic);
    // a function in a field is as good as a method
    let methods = program.members.iter().filter(|m| matches!(m.kind, MemberKind::Method | MemberKind::Field));
    methods.map(|m| plain(program.text(m.name))).any(|name| name.ends_with(&topic) && name != topic)
}

/// Whether a subscription's topic is what callers hand over, so that they are the ones who subscribe.
fn is_callers(wiring: &Wiring<'_>, join: usize) -> bool {
    let root = wiring.effects[join].holder.key.as_ref().map(Val::root);
    let Some(Val::Param(member, None, _)) = root else { return false };
    !wiring.is_open || !wiring.flow.call_sites(*member).is_empty()
}

/// Whether somebody is taken off a list that nobody is seen to be put on: the way in is not understood.
fn is_left_by_the_unseen(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let does = |act: Act| wiring.effects_on(m).any(|e| e.act == act && e.inner.is_empty());
    does(Act::Leave) && !does(Act::Join)
}

/// Whether a record holds many operations of which this tree fills none: code of another language does, as C in front of C++.
fn is_of_unread_operations(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let members = &program.ty(program.member(m).owner).members;
    is_of_operations(wiring, m) && members.iter().all(|x| wiring.flow.definitions(*x).is_empty())
}

/// Whether silence about a member means that nobody hears it.
fn own_member_counts(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let name = program.text(info.name);
    let pack = &*program.kit(info.unit).pack;
    let annotated = program.is_annotated(m, &pack.heard_annotations);
    if pack.heard_by_platform.contains(name) || annotated || wiring.in_test(m) || wiring.is_in_markup(m) {
        return false;
    }
    // `LevelChanged` is heard by a binding to `Level`, which is named in a text
    if let Some(property) = name.strip_suffix("Changed")
        && (program.index.is_text(property, &program.symbols) || wiring.is_named_in_markup(property))
    {
        return false;
    }
    // what is handed in is somebody else's, who may well have subscribed to it
    let given = wiring.flow.definitions(m);
    if channel.kind != ChannelKind::Event && !given.is_empty() && given.iter().all(|d| matches!(wiring.flow.eval(*d), Val::Param(..))) {
        return false;
    }
    // a list that is made with all who are on it: `return new Ears(longer);`
    let is_made_with =
        |d: &Site| matches!(wiring.flow.eval(*d), Val::Param(maker, None, _) if program.member(maker).kind == MemberKind::Constructor);
    if channel.kind == ChannelKind::List && given.iter().any(is_made_with) {
        return false;
    }
    // a first value that does something is a handler
    let first_handler = wiring.flow.definitions(m).iter().any(|d| {
        let value = wiring.flow.eval(*d);
        match value {
            Val::Lambda(member, f) => wiring
                .flow
                .lambda(member, f)
                .and_then(|l| l.body)
                .is_some_and(|b| program.body(member).is_some_and(|body| !body.children(b).is_empty())),
            // a library's
            Val::Outside(..) => channel.kind == ChannelKind::Slot,
            other => other.is_function(),
        }
    });
    let is_handed = if streams::holds_stream(&wiring.flow, m) {
        is_handed_on(wiring, channel, m)
    } else {
        channel.kind == ChannelKind::Signal && is_argument(wiring, channel, m)
    };
    if first_handler || is_handed {
        return false;
    }
    // an interface of a platform brings its own listeners
    channel.kind == ChannelKind::Event || program.outside_bases(info.owner).is_empty()
}

/// Whether code of other trees can reach a member.
fn is_public(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.ty(program.member(m).owner);
    // a module's `export` is for the tree's other modules
    let is_handed_out = owner.modifiers.is_exported && !program.kit_of(m).traits.file_modules;
    if !wiring.is_open && !is_handed_out {
        return false;
    }
    let mut ty = Some(program.member(m).owner);
    let file_modules = program.kit_of(m).traits.file_modules;
    let mut public = file_modules || program.decl(m).modifiers.visibility >= Visibility::Protected || has_public_adder(wiring, m);
    while let Some(t) = ty {
        let modifiers = program.ty(t).modifiers;
        public &= modifiers.visibility == Visibility::Public || file_modules || program.ty(t).is_module;
        ty = program.ty(t).parent;
    }
    public
}

/// Whether a public method puts handlers into a private holder.
fn has_public_adder(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    wiring.effects.iter().any(|e| {
        e.act == Act::Join
            && matches!(e.holder.event, crate::wire::effect::Event::Own(x) if x == m)
            && program.decl(e.site.member).modifiers.visibility == Visibility::Public
    })
}
