//! Rule `unanswered-event`: a state ignores an event that all other states answer.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::machine::{Encoding, Found, State, is_final};
use crate::program::{MemberId, Sym, TypeId};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "unanswered-event",
    summary: "a state ignores an event that all other states answer",
    level: Level::Note,
    page: Page {
        symptom: "In one state an event is lost without a word.",
        cause: "The state's method is empty: it was there to please the compiler, or was forgotten.",
        cure: "Answer the event, or say in the method why there is nothing to do.",
        silent: "A base class answers for the state, another state ignores the event as well, or the state is final.",
        accept: "Nothing is to be done in this state.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for machine in wiring.machines().iter().filter(|m| m.moves && matches!(m.domain.encoding, Encoding::Objects(_) | Encoding::Kin)) {
        let states: Vec<(usize, TypeId)> = machine.domain.states.iter().enumerate().filter_map(|(i, s)| Some((i, s.class()?))).collect();
        if states.len() < 3 || states.len() < machine.domain.states.len() {
            continue;
        }
        for event in events_of(machine) {
            let answers: Vec<(usize, TypeId, Option<MemberId>)> =
                states.iter().map(|(i, t)| (*i, *t, machine.domain.answers(flow, State::Class(*t), event))).collect();
            let silent: Vec<&(usize, TypeId, Option<MemberId>)> =
                answers.iter().filter(|(_, t, m)| m.is_some_and(|m| program.member(m).owner == *t && ignores(wiring, m))).collect();
            let speak = answers.iter().filter(|(_, _, m)| m.is_some_and(|m| !ignores(wiring, m))).count();
            let [(index, class, Some(method))] = silent[..] else { continue };
            // what answers nothing at all is a trap
            if speak + 1 < answers.len() || is_final(wiring, machine, *index) || is_deaf(wiring, machine, *index) {
                continue;
            }
            let Some(place) = program.type_place(*class) else { continue };
            let name = program.text(event);
            let id = program.type_id(*class);
            found.push(Draft {
                level: Level::Note,
                certainty: Certainty::Likely,
                place,
                message: format!(
                    "{} does nothing about {name}, which every other state of {} answers",
                    short(&id),
                    short(&machine.id(program))
                ),
                related: vec![related("the empty answer", program.member_place(*method))],
                parties: vec![id, name.to_owned()],
                edit: None,
            });
        }
    }
    found
}

/// The events that a machine hands to its state objects.
fn events_of(machine: &Found) -> BTreeSet<Sym> {
    machine.delegations.iter().map(|(_, name)| *name).collect()
}

/// Whether a state object ignores everything that its machine hands on.
pub(super) fn is_deaf(wiring: &Wiring<'_>, machine: &Found, state: usize) -> bool {
    let state = machine.domain.states[state];
    let events = events_of(machine);
    let answered_by = |event: &Sym| machine.domain.answers(&wiring.flow, state, *event);
    state.class().is_some() && events.len() > 1 && events.iter().all(|e| answered_by(e).is_some_and(|m| ignores(wiring, m)))
}

/// Whether a method does nothing, refuses as not implemented, or only stays.
fn ignores(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(m) else { return false };
    let Some(root) = body.root else { return false };
    let nothing = |node: NodeId| match body.node(node) {
        Node::This | Node::Null | Node::Empty => true,
        Node::Return(value) => value.is_none_or(|v| matches!(body.node(v), Node::This | Node::Null)),
        _ => false,
    };
    match body.node(root) {
        Node::Block(list) => body.list(list).iter().all(|n| nothing(*n)),
        Node::This => body.returns_root,
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_empty_answer_among_full_ones() {
        expect(
            "unanswered-event",
            r#"
//// Lamp.cs
namespace Observatory;
abstract class Glow {
    public abstract void Strike(Lamp lamp);
    public abstract void Dim(Lamp lamp);
}
sealed class Dark : Glow {
    public override void Strike(Lamp lamp) => lamp.Become(new Warming());
    public override void Dim(Lamp lamp) => System.Console.WriteLine("dark already");
}
sealed class Warming : Glow { //! unanswered-event note
    public override void Strike(Lamp lamp) => lamp.Become(new Lit());
    public override void Dim(Lamp lamp) { }
}
sealed class Lit : Glow {
    public override void Strike(Lamp lamp) => System.Console.WriteLine("burning");
    public override void Dim(Lamp lamp) => lamp.Become(new Dark());
}
sealed class Lamp {
    private Glow _glow = new Dark();
    public void Become(Glow next) => _glow = next;
    public void Strike() => _glow.Strike(this);
    public void Dim() => _glow.Dim(this);
    static void Main() { var lamp = new Lamp(); lamp.Strike(); lamp.Dim(); }
}
"#,
        );
    }
}
