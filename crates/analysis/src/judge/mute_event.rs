//! Rule `mute-event`: something subscribes, and nothing ever raises the channel.

use yarrowgraph_ir::{BinaryOp, Body, MemberKind, Node, NodeId, TypeKind, Visibility};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

use super::{Draft, Page, Rule, related, short, unissued_command};
use crate::flow::Val;
use crate::program::{MemberId, Scope, Site, Sym, Ty};
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect};
use crate::wire::holders::is_for_listeners;
use crate::wire::selections::Element;
use crate::wire::{Wiring, streams};

pub(super) const RULE: Rule = Rule {
    name: "mute-event",
    summary: "something subscribes to a channel that nothing ever raises",
    level: Level::Warning,
    page: Page {
        symptom: "A handler is never called, although its subscriber has done everything right.",
        cause: "Nothing raises the channel: the call was taken out or never written, or what is raised is another channel or topic.",
        cure: "Raise it where the thing happens that it is named for, or take the channel and its subscriptions out.",
        silent: "A relay, a scheduler or a computed topic may raise it; the platform does; the value of the channel is handed to other code; code of other trees can implement or raise it.",
        accept: "Something that the analysis cannot see raises it: reflection, generated code, another program.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    wiring.channels.iter().filter_map(|c| judge(wiring, c)).collect()
}

fn judge(wiring: &Wiring<'_>, channel: &Channel) -> Option<Draft> {
    let program = wiring.program();
    // a raise in a private method that nothing calls or names counts for nothing
    if channel.raises.iter().any(|r| wiring.runs(wiring.effects[*r].site)) {
        return None;
    }
    let joins = channel.joins.iter().map(|j| &wiring.effects[*j]);
    let joins: Vec<&Effect> = joins.filter(|e| !wiring.in_test(e.site.member) && e.certainty != Certainty::Possible).collect();
    let first = joins.iter().min_by_key(|e| wiring.place(e))?;
    // which of two classes of one name is meant may be decided by what builds the tree
    if wiring.twins(channel).any(|twin| !twin.raises.is_empty()) {
        return None;
    }
    let (place, certainty) = match &channel.key {
        ChannelKey::Own(m, None) => {
            let stand_ins = wiring.stand_ins(*m);
            let raised = |c: &Channel| matches!(c.key, ChannelKey::Own(x, None) if stand_ins.contains(&x)) && !c.raises.is_empty();
            if wiring.is_mentioned_unread(*m)
                || wiring.is_remote(program.member(*m).owner)
                || wiring.may_be_named(*m, Act::Raise)
                || is_tied_to_unknown(wiring, *m)
                || wiring.is_handed_to_macro(*m)
                || !can_only_be_raised_here(wiring, channel, *m)
                || may_be_raised_in_document(wiring, *m)
                || is_raised_by_property(wiring, *m)
                || is_called_by_base(wiring, *m)
                || wiring.channels.iter().any(raised)
            {
                return None;
            }
            let certainty = if channel.kind == ChannelKind::Event { Certainty::Certain } else { Certainty::Likely };
            (program.member_place(*m), certainty)
        }
        ChannelKey::Own(_, Some(Topic::Named(topic))) | ChannelKey::Bus(_, Topic::Named(topic)) => {
            // a declared topic is the tree's own; a bare text may be another tree's
            let declared = joins.iter().find_map(|e| match e.holder.key {
                Some(Val::Static(m)) => Some(m),
                _ => None,
            });
            // of an element of a page the platform and plug-ins tell whatever is one plain word
            let of_platform = joins.iter().any(|e| is_of_platform(wiring, e));
            let of_page = of_platform || matches!(&channel.key, ChannelKey::Bus(bus, _) if Element::of(bus).is_some());
            // nor is it a command that nobody makes
            if unissued_command::is_of_unsent(wiring, channel) {
                return None;
            }
            if of_platform && wiring.is_open
                || joins.iter().any(|e| is_of_library(wiring, e))
                || declared.is_some_and(|m| wiring.is_borrowed(m))
            {
                return None;
            }
            if wiring.is_done_to_unknown(channel, Act::Raise) || of_page && topic.chars().all(char::is_alphanumeric) {
                return None;
            }
            let raised = raised_topics(wiring, channel, topic);
            if wiring.is_handed_out(channel) {
                return None;
            }
            // what is computed can be a declared topic only where something else mentions that
            let certainty = match raised {
                RaisedTopics::Others => Certainty::Likely,
                RaisedTopics::Computed if declared.is_some_and(|m| !is_used_otherwise(wiring, channel, m)) => Certainty::Possible,
                RaisedTopics::None | RaisedTopics::This | RaisedTopics::Computed => return None,
            };
            if declared.is_none() && (wiring.is_open || wiring.is_mentioned(channel)) {
                return None;
            }
            // a constant of an enumeration declares the topic
            let declared = declared.filter(|m| program.member(*m).kind == MemberKind::EnumConstant);
            (declared.map_or_else(|| wiring.place(first), |m| program.member_place(m)), certainty)
        }
        _ => return None,
    };
    let what = short(&channel.id);
    let idle = channel.raises.iter().map(|r| &wiring.effects[*r]).min_by_key(|e| wiring.place(e));
    let message = match idle {
        Some(raise) => format!(
            "something subscribes to `{what}`, and nothing calls `{}`, which would raise it",
            short(&program.member_id(raise.site.member))
        ),
        None => format!("something subscribes to `{what}`, and nothing ever raises it"),
    };
    let subscribed = joins.iter().take(5).map(|e| related("subscribed here", wiring.place(e)));
    let raised = idle.map(|e| related("raised here, which nothing comes to", wiring.place(e)));
    Some(Draft {
        level: Level::Warning,
        certainty,
        place: place.clone(),
        message,
        related: subscribed.chain(raised).filter(|r| r.place != place).collect(),
        parties: vec![channel.id.clone()],
        edit: None,
    })
}

/// Whether a document of the user interface, whose scripts call signals as any method, names it: `board.filled()`.
fn may_be_raised_in_document(wiring: &Wiring<'_>, m: MemberId) -> bool {
    wiring.program().kit_of(m).traits.open_names && wiring.is_in_markup(m)
}

/// Whether a call that ties signals is handed this one as what is to follow on some object, of which it is not known what it is.
fn is_tied_to_unknown(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(m);
    program.index.reads(info.name).iter().any(|site| {
        let Some(body) = program.body(site.member) else { return false };
        let Node::MethodRef { object, .. } = body.node(site.node) else { return false };
        let scope = program.scope(site.member);
        // with what chooses one of several of its name
        let is_wrapped = |n: NodeId| match scope.parent(n).map(|p| body.node(p)) {
            Some(Node::Call { args, type_args: Some(_), .. }) => body.list(args) == [n],
            Some(Node::Cast { .. }) => true,
            _ => false,
        };
        let mut named = site.node;
        while is_wrapped(named) {
            named = scope.parent(named).unwrap_or(named);
        }
        let Some(around) = scope.parent(named) else { return false };
        let follows = match body.node(around) {
            // sender and signal come first
            Node::Call { args, .. } => body.list(args).iter().position(|a| *a == named).is_some_and(|index| index >= 2),
            // a table of what is to be tied
            Node::Collection { .. } | Node::Object(_) | Node::Entry { .. } => true,
            _ => false,
        };
        let of_another = match flow.type_of_node(site.member, object) {
            Ty::Own(t, _) | Ty::Static(t) => !program.are_kin(t, info.owner),
            _ => false,
        };
        follows && !of_another && !wiring.in_test(site.member)
    })
}

/// Whether a signal tells of a property, and some code raises those that it finds by their properties: `property.notifySignal().invoke(…)`.
fn is_raised_by_property(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let tells_of_property = || program.decl(m).annotations.iter().any(|a| program.unit_of(m).text(a.name) == "notified");
    program.symbols.get("notifySignal").is_some_and(|name| !program.index.calls(name).is_empty()) && tells_of_property()
}

/// Whether a signal stands for a method that a base declares, and is raised where that is called: `shelf->emptied();`
fn is_called_by_base(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let mut is_called = false;
    program.for_each_base(info.owner, &mut |base| {
        let declared = program.own_members(base, info.name).iter().filter(|d| **d != m && program.member(**d).kind == MemberKind::Method);
        is_called |= declared.into_iter().any(|d| !wiring.flow.call_sites(*d).is_empty());
        !is_called
    });
    is_called
}

/// Whether every raise of a member would be seen: it is one of the tree's own channels, and its
/// value goes nowhere else.
fn can_only_be_raised_here(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let owner = program.ty(info.owner);
    let pack = &*program.kit(info.unit).pack;
    // a list is one of listeners where something tells them, if only nothing came to it, or where nothing else is done with it
    let is_roster = channel.kind == ChannelKind::List && (!channel.raises.is_empty() || is_for_listeners(&wiring.flow, m));
    if !(is_roster || matches!(channel.kind, ChannelKind::Event | ChannelKind::Signal | ChannelKind::Delegate)) || wiring.in_test(m) {
        return false;
    }
    let annotated = program.is_annotated(m, &pack.raised_annotations);
    if pack.heard_by_platform.contains(program.text(info.name)) || annotated || program.unit(info.unit).generated {
        return false;
    }
    // a stream that is not made by its class comes from somewhere else: from a timer, from others, from a device
    let is_made_here = || {
        let definitions = wiring.flow.definitions(m);
        !definitions.is_empty() && definitions.iter().all(|d| matches!(wiring.flow.eval(*d), Val::New(_)))
    };
    if streams::holds_stream(&wiring.flow, m) && !is_made_here() {
        return false;
    }
    let is_event = info.kind == MemberKind::Event;
    let public = program.decl(m).modifiers.visibility > Visibility::Protected;
    // an event is raised by its class alone; any other member by everybody who reaches it
    // of signals that anybody may emit a library has those that its users do
    let by_class = is_event && channel.kind != ChannelKind::Signal;
    let open = wiring.is_open && if by_class { is_left_to_heirs(wiring, m) } else { public };
    if open || (is_event && owner.kind == TypeKind::Interface && program.heirs(info.owner).len() < 2) {
        return false;
    }
    // of a name that one class of a family raises
    let family = |other: &Channel| match other.key {
        ChannelKey::Own(x, _) if x != m && program.member(x).name == info.name && !other.raises.is_empty() => {
            let other = program.member(x).owner;
            program.are_kin(other, info.owner)
        }
        _ => false,
    };
    !wiring.channels.iter().any(family) && !is_used_otherwise(wiring, channel, m)
}

fn is_left_to_heirs(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    program.decl(m).modifiers.is_abstract || program.ty(program.member(m).owner).kind == TypeKind::Interface
}

/// Whether a member is read for anything else than to join it, to leave it, or to ask whether
/// somebody is on it: who gets its value may raise it.
fn is_used_otherwise(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let name = program.member(m).name;
    let places = program.index.reads(name).iter().chain(program.index.calls(name));
    // the inside of ways in and out too
    let effects = channel.joins.iter().chain(&channel.leaves).chain(&channel.raises).chain(wiring.numbers_on(m));
    // the walk in which it is told
    let is_walked = |body: &Body, scope: &Scope, read: Site| {
        let raised = channel.raises.iter().map(|r| wiring.effects[*r].site).filter(|s| s.member == read.member);
        let walks: Vec<NodeId> =
            scope.ancestors(read.node).filter(|n| matches!(body.node(*n), Node::ForEach { .. } | Node::Call { .. })).collect();
        raised.into_iter().any(|r| walks.iter().any(|w| *w != r.node && scope.is_within(r.node, *w)))
    };
    wiring.uses_beside(m, places, effects).any(|read| {
        let Some(body) = program.body(read.member) else { return false };
        let scope = program.scope(read.member);
        let parent = scope.parent(read.node);
        let is_asked = parent.is_some_and(|p| is_null_test(body.node(p), |n| body.node(n)) || is_way_in(wiring, read, p));
        // who is shown a stream can only listen to it
        !is_walked(body, scope, read) && !is_asked && streams::view_at(&wiring.flow, read).is_none()
    })
}

/// Whether what is read of a signal is the function by which one gets on it: `return this.emptied.event;`.
fn is_way_in(wiring: &Wiring<'_>, read: Site, around: NodeId) -> bool {
    let program = wiring.program();
    let is_of_it =
        program.body(read.member).is_some_and(|body| matches!(body.node(around), Node::Member { object, .. } if object == read.node));
    let Val::Member(_, way) = wiring.flow.eval_in(read.member, around) else { return false };
    let acts: Vec<Act> = wiring.effects_in(way).map(|e| e.act).collect();
    is_of_it && acts.contains(&Act::Join) && !acts.contains(&Act::Raise)
}

fn is_null_test(node: Node, at: impl Fn(NodeId) -> Node) -> bool {
    match node {
        Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => at(left) == Node::Null || at(right) == Node::Null,
        _ => false,
    }
}

/// Which topics of a holder the tree raises, as far as one of them is concerned.
enum RaisedTopics {
    /// None that are seen.
    None,
    /// It, or all topics that take its type.
    This,
    /// Others, and some that are computed and may be it.
    Computed,
    /// Others only.
    Others,
}

/// Whether what is subscribed to is an object that the platform has one of, by which scripts of other trees tell as well.
fn is_of_platform(wiring: &Wiring<'_>, join: &Effect) -> bool {
    wiring.program().kit_of(join.site.member).traits.file_modules && matches!(join.holder.subject, Val::Global(_))
}

/// Whether a topic is written out where the class of what is subscribed to is a library's, or an heir of one, that has something to tell
/// by itself. What has a name in the tree is the tree's own.
fn is_of_library(wiring: &Wiring<'_>, join: &Effect) -> bool {
    let program = wiring.program();
    let is_written_out = program.body(join.site.member).is_some_and(|body| {
        let Node::Call { args, .. } = body.node(join.site.node) else { return false };
        body.list(args).iter().any(|arg| matches!(body.node(*arg), Node::Str(_)))
    });
    let plain = &program.kit_of(join.site.member).pack.plain_emitters;
    if plain.is_empty() || !is_written_out {
        return false;
    }
    let tells = |class: &Sym| !plain.contains(program.text(*class));
    match wiring.flow.type_of(&join.holder.subject) {
        Ty::Outside(class, _) => tells(&class),
        Ty::Own(class, _) => program.outside_bases(class).iter().any(tells),
        _ => false,
    }
}

fn raised_topics(wiring: &Wiring<'_>, channel: &Channel, topic: &str) -> RaisedTopics {
    if channel.joins.iter().any(|j| is_type_raised(wiring, &wiring.effects[*j])) {
        return RaisedTopics::This;
    }
    let mut found = RaisedTopics::None;
    for other in wiring.of_holder(channel) {
        for &raise in &other.raises {
            let raise = &wiring.effects[raise];
            let named = matches!(&other.key, ChannelKey::Own(_, Some(Topic::Named(_))) | ChannelKey::Bus(_, Topic::Named(_)));
            // a computed topic can be this one
            if !named && known_start(wiring, raise).is_none_or(|start| topic.starts_with(&start)) {
                found = RaisedTopics::Computed;
            } else if matches!(found, RaisedTopics::None) {
                found = RaisedTopics::Others;
            }
        }
    }
    found
}

/// Whether a message of the type that a handler is told about, or of an heir of it, is raised on
/// whatever bus: an object that is put on several buses hears on each what belongs there.
fn is_type_raised(wiring: &Wiring<'_>, join: &Effect) -> bool {
    let program = wiring.program();
    let Some(wanted @ (Val::Type(_) | Val::Global(_))) = &join.holder.key else { return false };
    wiring.effects.iter().filter(|e| e.act == Act::Raise).any(|e| match (&e.holder.key, wanted) {
        (Some(Val::Type(raised)), Val::Type(wanted)) => program.is_a(*raised, *wanted),
        (Some(raised), wanted) => raised == wanted,
        (None, _) => false,
    })
}

/// The constant text that a computed topic begins with.
fn known_start(wiring: &Wiring<'_>, raise: &Effect) -> Option<String> {
    let program = wiring.program();
    let body = program.body(raise.site.member)?;
    let Node::Call { args, .. } = body.node(raise.site.node) else { return None };
    // the argument that is the topic: what is told may begin with a text as well
    let is_topic = |arg: &&NodeId| raise.holder.key.as_ref() == Some(&wiring.flow.eval_in(raise.site.member, **arg));
    body.list(args).iter().filter(is_topic).find_map(|arg| {
        let mut first = *arg;
        loop {
            first = match body.node(first) {
                Node::Template(parts) => *body.list(parts).first()?,
                Node::Binary { op: BinaryOp::Add, left, .. } => left,
                Node::Str(name) if first != *arg => {
                    let text = program.unit_of(raise.site.member).text(name);
                    return (!text.is_empty()).then(|| text.to_owned());
                }
                _ => return None,
            };
        }
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::{expect, expect_in_library};

    #[test]
    fn an_event_that_its_class_never_raises() {
        expect(
            "mute-event",
            r#"
//// Oven.cs
using System;
class Oven {
    internal event Action Hot;
    internal event Action Cold; //! mute-event warning
    internal event Action Burnt; //! mute-event warning
    internal void Heat() { Hot?.Invoke(); }
    private void Burn() { Burnt?.Invoke(); }
}
class Baker {
    Baker(Oven oven) { oven.Hot += Bake; oven.Cold += Bake; oven.Burnt += Bake; }
    void Bake() { }
    static void Main() { var oven = new Oven(); new Baker(oven); oven.Heat(); }
}
"#,
        );
    }

    #[test]
    fn what_is_handed_on_may_be_raised() {
        expect(
            "mute-event",
            r#"
//// Oven.cs
using System;
class Oven {
    internal event Action Hot;
    internal event Action Done { add { inner += value; } remove { inner -= value; } }
    private Action inner;
    internal void Heat() { Run(Hot); inner?.Invoke(); }
    static void Run(Delegate d) { d.DynamicInvoke(); }
}
abstract class Tool { internal abstract event Action Worn; }
class Knife : Tool { internal override event Action Worn; internal void Cut() { Worn?.Invoke(); } }
class Baker {
    Baker(Oven oven, Tool tool) { oven.Hot += Bake; oven.Done += Bake; tool.Worn += Bake; }
    void Bake() { }
    static void Main() { var oven = new Oven(); var knife = new Knife(); new Baker(oven, knife); oven.Heat(); knife.Cut(); }
}
"#,
        );
    }

    #[test]
    fn a_stream_of_a_library_tells_its_own_topics() {
        expect(
            "mute-event",
            r#"
//// tide.js
const stream = require('stream');
const { EventEmitter } = require('events');
const tide = new stream.Readable();
tide.on('end', () => console.log('out'));
tide.on('close', () => console.log('shut'));
tide.emit('close');
const moon = new EventEmitter();
moon.on('risen', () => console.log('up'));
moon.on('set', () => console.log('down')); //! mute-event warning
moon.emit('risen');
"#,
        );
    }

    #[test]
    fn a_topic_that_nobody_publishes() {
        let text = r#"
//// bus.ts
type Handler = (x: number) => void;
class Bus {
    private handlers = new Map<string, Set<Handler>>();
    on(topic: string, h: Handler) { let all = this.handlers.get(topic); if (!all) { all = new Set(); this.handlers.set(topic, all); } all.add(h); }
    emit(topic: string, x: number) { this.handlers.get(topic)?.forEach(h => h(x)); }
}
const bus = new Bus();
function log(x: number) { console.log(x); }
bus.on('tide', log);
bus.on('surge', log); //! mute-event warning
bus.on('lock/1', log);
function rise(n: number) { bus.emit('tide', n); bus.emit(`lock/${n}`, n); }
rise(1);
"#;
        expect("mute-event", text);
        // other trees may publish it
        expect_in_library("mute-event", &text.replace(" //! mute-event warning", ""));
    }

    #[test]
    fn what_would_raise_it_is_never_called() {
        expect(
            "mute-event",
            r#"
//// Kiln.cs
using System;
internal class Kiln {
    internal event Action Cooled; //! mute-event warning
    void OnCooled() { if (Cooled != null) Cooled(); }
    internal event Action Heated;
    internal void Fire() { if (Heated != null) Heated(); }
}
internal class Potter {
    internal static void Main() { var kiln = new Kiln(); kiln.Cooled += Open; kiln.Heated += Open; kiln.Fire(); }
    static void Open() { Console.WriteLine("open"); }
}
"#,
        );
    }

    #[test]
    fn an_event_whose_handlers_are_in_a_list_of_the_object_s_own() {
        expect(
            "mute-event",
            r#"
//// Timetable.cs
using System;
using System.ComponentModel;
public sealed class Timetable {
    private static readonly object DelayKey = new();
    private static readonly object CancelKey = new();
    private readonly EventHandlerList _events = new();
    public event Action<int> Delayed { add => _events.AddHandler(DelayKey, value); remove => _events.RemoveHandler(DelayKey, value); }
    public event Action<int> Cancelled { add => _events.AddHandler(CancelKey, value); remove => _events.RemoveHandler(CancelKey, value); } //! mute-event warning
    public void Delay(int minutes) => ((Action<int>)_events[DelayKey])?.Invoke(minutes);
}
public static class Program {
    public static void Main() {
        var table = new Timetable();
        table.Delayed += Console.WriteLine;
        table.Cancelled += Console.WriteLine;
        table.Delay(4);
    }
}
"#,
        );
    }

    #[test]
    fn a_signal_that_a_document_raises() {
        expect(
            "mute-event",
            r#"
//// Bar.qml
Item {
    NumberAnimation { onStopped: { bar.position.slidOut() } }
}
//// position.h
class Position : public QObject {
    Q_OBJECT
public:
    Position() {
        connect(this, &Position::slidOut, this, &Position::hide);
        connect(this, &Position::slidIn, this, &Position::hide);
    }
    void hide() { hidden = true; }
signals:
    void slidOut();
    void slidIn(); //! mute-event warning
private:
    bool hidden = false;
};
"#,
        );
    }
}
