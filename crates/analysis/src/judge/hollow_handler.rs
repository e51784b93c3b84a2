//! Rule `hollow-handler`: what is attached has an empty body, or one that only says that it is not written yet.

use std::collections::BTreeMap;

use yarrowgraph_ir::{Body, MemberKind, Node, NodeId, TypeKind};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::Effect;

pub(super) const RULE: Rule = Rule {
    name: "hollow-handler",
    summary: "what is attached does nothing, or throws that it is not implemented",
    level: Level::Note,
    page: Page {
        symptom: "Something subscribes, and nothing happens when the channel is raised; or the raise ends in an error that says \"not implemented\".",
        cause: "The handler was made as a place to fill in, attached, and left as it was.",
        cure: "Write what the handler is for, or take it and its subscription out.",
        silent: "A base class's empty hook that the attached heir overrides; one of several methods of a listener; a class whose name says that it does nothing.",
        accept: "It is attached so that somebody is, and the empty body says so.",
    },
    check,
};

/// So many other kinds must do something before one that does not is a slip.
const KINDS: usize = 2;
/// What asks more of its heirs than this is no command and no link, but a whole side of a program to be written.
const ASKED: usize = 3;

/// What a body amounts to.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Hollow {
    Empty,
    NotImplemented,
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut found: BTreeMap<MemberId, (Hollow, Place)> = BTreeMap::new();
    for channel in &wiring.channels {
        for join in channel.joins.iter().flat_map(|j| wiring.parts_of(*j)) {
            let effect = &wiring.effects[join];
            if wiring.in_test(effect.site.member) || wiring.is_generated(effect) || !is_own(channel, effect) {
                continue;
            }
            for (method, hollow) in hollow_methods(wiring, channel, effect) {
                found.entry(method).or_insert_with(|| (hollow, wiring.place(effect)));
            }
        }
    }
    let mut drafts: Vec<Draft> =
        found.iter().map(|(method, (hollow, attached))| draft(wiring, *method, *hollow, attached.clone(), "attached")).collect();
    let parts = hollow_parts(wiring).into_iter().filter(|(method, ..)| !found.contains_key(method));
    drafts.extend(parts.map(|(method, hollow, made)| draft(wiring, method, hollow, made, "issued")));
    drafts
}

/// Whether a channel is the tree's own; of a library's emitter a topic that the tree raises, heard by what has a name: what
/// is written on the spot to do nothing is meant to.
fn is_own(channel: &Channel, join: &Effect) -> bool {
    match channel.key {
        ChannelKey::Own(..) => true,
        ChannelKey::Bus(..) => !channel.raises.is_empty() && matches!(join.handler, Some(Val::Method(..) | Val::Member(..))),
        ChannelKey::Outside(..) => false,
    }
}

/// Commands and links that do nothing: made as one of several kinds of which the others do what is asked of all.
fn hollow_parts(wiring: &Wiring<'_>) -> Vec<(MemberId, Hollow, Place)> {
    let program = wiring.program();
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let method = MemberId(index as u32);
        let info = program.member(method);
        let class = program.ty(info.owner);
        if class.kind != TypeKind::Class || class.bases.is_empty() || wiring.in_test(method) || info.is_static {
            continue;
        }
        let Some(hollow) = hollow(wiring, method) else { continue };
        let Some(asked) = asked_of_all(wiring, method, hollow) else { continue };
        let kinds = program.heirs(asked).into_iter().filter(|t| *t != info.owner && program.ty(*t).kind == TypeKind::Class);
        let working = kinds
            .filter(|t| {
                program
                    .own_members(*t, info.name)
                    .iter()
                    .any(|m| self::hollow(wiring, *m).is_none() && program.body(*m).is_some_and(|b| b.root.is_some()))
            })
            .count();
        let mut made = wiring.flow.creations(info.owner).into_iter().chain(makers_named(wiring, info.owner));
        let made = made.find(|s| !wiring.in_test(s.member));
        if working >= KINDS
            && !is_overridden(wiring, method)
            && let Some(made) = made
        {
            found.push((method, hollow, program.place_of(made)));
        }
    }
    found
}

/// Where the constructor of a class is handed over as a function: `Bell::new`.
fn makers_named(wiring: &Wiring<'_>, class: TypeId) -> Vec<Site> {
    let program = wiring.program();
    let Some(new) = program.symbols.get("new") else { return Vec::new() };
    let is_of_class = |site: &&Site| match program.body(site.member).map(|body| body.node(site.node)) {
        Some(Node::MethodRef { object, .. }) => wiring.flow.eval_in(site.member, object) == Val::Type(class),
        _ => false,
    };
    program.index.reads(new).iter().filter(is_of_class).copied().collect()
}

/// The base through which a method is called: one that asks nothing else, unless the method itself says that it is missing.
fn asked_of_all(wiring: &Wiring<'_>, method: MemberId, hollow: Hollow) -> Option<TypeId> {
    let program = wiring.program();
    let info = program.member(method);
    let mut base = None;
    program.for_each_base(info.owner, &mut |t| {
        if t != info.owner && base.is_none() && !program.own_members(t, info.name).is_empty() {
            base = Some(t);
        }
        true
    });
    // where nothing is typed the base need not have what its heirs are asked
    if base.is_none() && hollow == Hollow::NotImplemented && program.kit_of(method).traits.duck_typed {
        return program.base_class(info.owner);
    }
    let Some(base) = base else { return asked_by_library(wiring, method) };
    let asks = |m: &&MemberId| program.member(**m).kind == MemberKind::Method;
    let asked = program.ty(base).members.iter().filter(asks).count();
    let declared = *program.own_members(base, info.name).first()?;
    // a default that does something is no question to all
    let is_open = program.body(declared).is_none_or(|b| b.root.is_none()) || program.decl(declared).modifiers.is_abstract;
    let is_called = wiring
        .flow
        .callers((declared, None))
        .iter()
        .any(|(site, with)| !wiring.in_test(site.member) && !matches!(with.this, Some(Val::This(_))));
    let counts = (asked == 1 && is_open) || (asked <= ASKED && hollow == Hollow::NotImplemented);
    (counts && is_called && !says_nothing(program.text(program.ty(base).name))).then_some(base)
}

/// The tree's own base of a class whose method a library's interface asks for, where somebody runs what is of that base:
/// `abstract class Order implements Runnable`, `orders.get(beat).run()`.
fn asked_by_library(wiring: &Wiring<'_>, method: MemberId) -> Option<TypeId> {
    let program = wiring.program();
    let info = program.member(method);
    let base = program.base_class(info.owner).filter(|base| !program.outside_bases(*base).is_empty())?;
    let is_run = |site: &Site| {
        let told = wiring.flow.receiver(*site).and_then(|(of, _)| wiring.flow.type_of(&of).own());
        !wiring.in_test(site.member) && told.is_some_and(|told| program.is_a(told, base))
    };
    let runs = program.kit_of(method).pack.invokers.contains(program.text(info.name));
    (runs && !says_nothing(program.text(program.ty(base).name)) && program.index.calls(info.name).iter().any(is_run)).then_some(base)
}

/// The methods that a subscription attaches and that do nothing.
fn hollow_methods(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Vec<(MemberId, Hollow)> {
    let program = wiring.program();
    let Some(handler) = &effect.handler else { return Vec::new() };
    if let Val::Method(m, of) = handler {
        // the receiver's own class says which one is meant
        let receiver = of.as_ref().and_then(|of| wiring.flow.type_of(of).own());
        let meant = receiver.and_then(|t| program.find_member_as(t, program.member(*m).name, true)).unwrap_or(*m);
        let overridden = !matches!(of.as_deref(), Some(Val::New(_)) | None) && is_overridden(wiring, meant);
        return hollow(wiring, meant).filter(|_| !overridden).map(|h| (meant, h)).into_iter().collect();
    }
    // a field of the object that is a function for good is as good as a method
    if let Val::Member(of, field) = handler
        && matches!(**of, Val::This(_))
        && wiring.flow.only_definition(*field).is_some_and(|d| d.member == *field)
        && let Some(hollow) = hollow(wiring, *field)
    {
        return vec![(*field, hollow)];
    }
    if wiring.flow.function_of(handler).is_some() {
        return Vec::new();
    }
    // an object is told by the messages of the channel; one method of several may well be empty
    let Some(class) = wiring.flow.type_of(handler).own().filter(|t| program.ty(*t).kind == TypeKind::Class) else { return Vec::new() };
    if program.ty(class).modifiers.is_abstract || says_nothing(program.text(program.ty(class).name)) {
        return Vec::new();
    }
    let mut messages: Vec<Sym> = channel.raises.iter().filter_map(|r| wiring.effects[*r].message).collect();
    messages.sort_unstable();
    messages.dedup();
    let methods: Vec<MemberId> = messages.iter().filter_map(|m| program.find_member_as(class, *m, true)).collect();
    let all: Option<Vec<(MemberId, Hollow)>> = methods.iter().map(|m| Some((*m, hollow(wiring, *m)?))).collect();
    // what an object of a base's type is, only its heirs say
    let exact = matches!(handler, Val::New(_)) || program.heirs(class).len() < 2;
    all.filter(|_| exact && methods.len() == messages.len()).unwrap_or_default()
}

fn is_overridden(wiring: &Wiring<'_>, method: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(method);
    program.heirs(info.owner).into_iter().skip(1).any(|heir| !program.own_members(heir, info.name).is_empty())
}

/// Whether a method does nothing, and how.
fn hollow(wiring: &Wiring<'_>, method: MemberId) -> Option<Hollow> {
    let program = wiring.program();
    let info = program.member(method);
    let owner = program.ty(info.owner);
    if !matches!(info.kind, MemberKind::Method | MemberKind::Field)
        || program.decl(method).modifiers.is_abstract
        || owner.kind == TypeKind::Interface
    {
        return None;
    }
    if says_nothing(program.text(owner.name)) || says_nothing(program.text(info.name)) {
        return None;
    }
    let body = program.body(method)?;
    let root = match (info.kind, body.node(body.root?)) {
        (MemberKind::Field, Node::Lambda(function)) => body.function(function).body?,
        (MemberKind::Field, _) => return None,
        _ => body.root?,
    };
    match body.node(root) {
        Node::Block(list) => match *body.list(list) {
            [] => Some(Hollow::Empty),
            [only] => is_not_implemented(wiring, method, body, only).then_some(Hollow::NotImplemented),
            _ => None,
        },
        _ => is_not_implemented(wiring, method, body, root).then_some(Hollow::NotImplemented),
    }
}

/// A throw whose error is named so, or says so.
fn is_not_implemented(wiring: &Wiring<'_>, method: MemberId, body: &Body, node: NodeId) -> bool {
    let Node::Throw(Some(thrown)) = body.node(node) else { return false };
    let unit = wiring.program().unit_of(method);
    let mut stack = vec![thrown];
    while let Some(id) = stack.pop() {
        let word = match body.node(id) {
            Node::New { ty, .. } => match unit.type_ref(ty) {
                yarrowgraph_ir::TypeRef::Named { name, .. } => Some(*name),
                _ => None,
            },
            Node::Str(name) | Node::Name(name) => Some(name),
            _ => None,
        };
        if word.is_some_and(|w| says_not_implemented(unit.text(w))) {
            return true;
        }
        stack.extend(body.children(id));
    }
    false
}

fn says_not_implemented(text: &str) -> bool {
    let plain: String = text.chars().filter(|c| c.is_alphabetic()).flat_map(char::to_lowercase).collect();
    ["notimplemented", "unimplemented", "notwritten", "notyet", "supportedyet", "autogenerated"].iter().any(|w| plain.contains(w))
}

/// Whether a name says that nothing is meant to happen.
fn says_nothing(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    ["noop", "no_op", "null", "dummy", "stub", "fake", "mock", "donothing", "ignore"].iter().any(|w| lower.contains(w))
        || lower.starts_with("empty")
        || lower.ends_with("adapter")
}

fn draft(wiring: &Wiring<'_>, method: MemberId, hollow: Hollow, attached: Place, how: &str) -> Draft {
    let program = wiring.program();
    let id = program.member_id(method);
    let (level, message) = match hollow {
        Hollow::Empty => (Level::Note, format!("`{}` is {how}, and does nothing", short(&id))),
        Hollow::NotImplemented => (Level::Warning, format!("`{}` is {how}, and only throws that it is not implemented", short(&id))),
    };
    Draft {
        level,
        certainty: Certainty::Certain,
        place: program.member_place(method),
        message,
        related: vec![related(format!("it is {how} here"), attached)],
        parties: vec![id],
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn what_is_attached_and_empty_or_unwritten() {
        expect(
            "hollow-handler",
            r#"
//// Oven.cs
using System;
class Oven {
    public event Action<int> Hot;
    public void Heat() { Hot?.Invoke(3); }
}
class Baker {
    public Baker(Oven oven) { oven.Hot += Bake; oven.Hot += Later; oven.Hot += Fetch; }
    void Bake(int degrees) { } //! hollow-handler note
    void Later(int degrees) => throw new NotImplementedException(); //! hollow-handler warning
    void Fetch(int degrees) { if (degrees > 9) throw new InvalidOperationException("too hot"); }
    void Unused(int degrees) { }
}
class Shop { static void Main() { var oven = new Oven(); new Baker(oven); oven.Heat(); } }
"#,
        );
    }

    #[test]
    fn a_base_that_the_attached_heir_fills_in_is_none() {
        expect(
            "hollow-handler",
            r#"
//// sea/Buoys.java
package sea;
import java.util.*;
interface TideWatch { void turned(int cm); }
abstract class Buoy implements TideWatch { public void turned(int cm) { } }
class Bell extends Buoy { int rung; public void turned(int cm) { rung++; } }
class Lamp implements TideWatch { public void turned(int cm) { } } //! hollow-handler note
class NullWatch implements TideWatch { public void turned(int cm) { } }
class Tide {
    private final List<TideWatch> watches = new ArrayList<>();
    void add(TideWatch w) { watches.add(w); }
    void remove(TideWatch w) { watches.remove(w); }
    void turn(int cm) { for (TideWatch w : watches) w.turned(cm); }
    public static void main(String[] args) {
        Tide t = new Tide(); t.add(new Bell()); t.add(new Lamp()); t.add(new NullWatch()); t.turn(2);
    }
}
"#,
        );
    }

    #[test]
    fn a_side_of_a_program_still_to_be_written_is_no_command() {
        expect(
            "hollow-handler",
            r#"
//// Port.cs
using System;
abstract class Port {
    public abstract void Open();
    public abstract void Close();
    public abstract void Send(int level);
    public abstract int Receive();
}
class Cable : Port {
    public override void Open() { Console.WriteLine("open"); }
    public override void Close() { Console.WriteLine("close"); }
    public override void Send(int level) { Console.WriteLine(level); }
    public override int Receive() { return 3; }
}
class Radio : Port {
    public override void Open() { Console.WriteLine("on"); }
    public override void Close() { Console.WriteLine("off"); }
    public override void Send(int level) { Console.WriteLine(-level); }
    public override int Receive() { return 4; }
}
class Lamp : Port {
    public override void Open() { throw new NotImplementedException(); }
    public override void Close() { Console.WriteLine("dark"); }
    public override void Send(int level) { Console.WriteLine(0); }
    public override int Receive() { return 0; }
}
class Gauge {
    static void Main(string[] args) {
        Port[] ports = { new Cable(), new Radio(), new Lamp() };
        foreach (var port in ports) { port.Open(); port.Send(1); port.Close(); }
    }
}
"#,
        );
    }
}
