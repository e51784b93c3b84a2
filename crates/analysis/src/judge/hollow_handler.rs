//! Rule `hollow-handler`: what is attached has an empty body, or one that only says that it is not written yet.

use std::collections::BTreeMap;

use yarrowgraph_ir::{Body, MemberKind, Node, NodeId, TypeKind};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Sym};
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

/// What a body amounts to.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Hollow {
    Empty,
    NotImplemented,
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut found: BTreeMap<MemberId, (Hollow, Place)> = BTreeMap::new();
    for channel in wiring.channels.iter().filter(|c| matches!(c.key, ChannelKey::Own(..))) {
        for join in channel.joins.iter().flat_map(|j| wiring.parts_of(*j)) {
            let effect = &wiring.effects[join];
            if wiring.in_test(effect.site.member) || wiring.is_generated(effect) {
                continue;
            }
            for (method, hollow) in hollow_methods(wiring, channel, effect) {
                found.entry(method).or_insert_with(|| (hollow, wiring.place(effect)));
            }
        }
    }
    found.into_iter().map(|(method, (hollow, attached))| draft(wiring, method, hollow, attached)).collect()
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
    if info.kind != MemberKind::Method || program.decl(method).modifiers.is_abstract || owner.kind == TypeKind::Interface {
        return None;
    }
    if says_nothing(program.text(owner.name)) || says_nothing(program.text(info.name)) {
        return None;
    }
    let body = program.body(method)?;
    let root = body.root?;
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
    ["notimplemented", "notyetimplemented", "unimplemented", "notwritten"].iter().any(|w| plain.contains(w))
}

/// Whether a name says that nothing is meant to happen.
fn says_nothing(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    ["noop", "no_op", "null", "dummy", "stub", "fake", "mock", "donothing", "ignore"].iter().any(|w| lower.contains(w))
        || lower.starts_with("empty")
        || lower.ends_with("adapter")
}

fn draft(wiring: &Wiring<'_>, method: MemberId, hollow: Hollow, attached: Place) -> Draft {
    let program = wiring.program();
    let id = program.member_id(method);
    let (level, message) = match hollow {
        Hollow::Empty => (Level::Note, format!("`{}` is attached, and does nothing", short(&id))),
        Hollow::NotImplemented => (Level::Warning, format!("`{}` is attached, and only throws that it is not implemented", short(&id))),
    };
    Draft {
        level,
        certainty: Certainty::Certain,
        place: program.member_place(method),
        message,
        related: vec![related("it is attached here", attached)],
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
}
