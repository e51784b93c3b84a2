//! Rule `unreachable-state`: no sequence of transitions leads to a state.

use yarrowgraph_ir::{BinaryOp, CollectionKind, MemberKind, Node};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short, unknown_target};
use crate::flow::Val;
use crate::machine::{Encoding, Found, Holder, State, is_sentinel};
use crate::program::{MemberId, Program, Site, Sym, TypeId};
use crate::state::any_within;
use crate::wire::Wiring;

/// A list of fewer states may well be one that others made.
const LISTED: usize = 3;

pub(super) const RULE: Rule = Rule {
    name: "unreachable-state",
    summary: "no sequence of transitions leads to a state",
    level: Level::Warning,
    page: Page {
        symptom: "A state is declared and handled, and no object is ever in it.",
        cause: "Nothing sets the state, or only states that are themselves never reached lead to it.",
        cure: "Add the transition that was meant, or take the state away.",
        silent: "Something of which nothing is known is stored, or the constant is handed on elsewhere; what states answer is let go (`discarded-next-state`).",
        accept: "The state is kept for data from elsewhere, which the code does not show.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for machine in wiring.machines() {
        if !machine.moves
            || machine.stores_unknown
            || machine.is_set_from_outside
            || is_read_in_part(wiring, machine)
            || (machine.initial.is_empty() && !machine.transitions.iter().any(|t| t.from.is_none()))
        {
            continue;
        }
        // nor one that leads to a state by a wrong name
        if !unknown_target::slips(wiring, machine).is_empty() {
            continue;
        }
        // a call that lets the next state go stands for all that is not reached by it
        let mut reached = if machine.loses_moves() { machine.meant_to_be_reached(flow) } else { machine.reached() };
        // what comes in by code that is not understood leads on as any other does
        let is_strange = |i: &usize| !reached.contains(i) && comes_from_elsewhere(wiring, machine, machine.domain.states[*i]);
        let strange: Vec<usize> = (0..machine.domain.states.len()).filter(is_strange).collect();
        if !strange.is_empty() {
            reached.extend(machine.reached_from(strange.into_iter().collect()));
        }
        let holder = machine.id(program);
        let states = &machine.domain.states;
        let left_out = states.iter().enumerate().filter(|(i, s)| !reached.contains(i) && !is_sentinel(&s.name(program))).count();
        for (index, state) in machine.domain.states.iter().enumerate() {
            let is_set = machine.transitions.iter().any(|t| t.to == index);
            if reached.contains(&index)
                || is_of_test(wiring, *state)
                // of what starts in no state that is known only what nothing sets
                || (machine.initial.is_empty() && is_set)
                || is_sentinel(&state.name(program))
                || !is_asked_for(wiring, machine, index) && (left_out > 1 || states.len() < LISTED || counts_others(program, states, index))
                || comes_from_elsewhere(wiring, machine, *state)
            {
                continue;
            }
            let Some(place) = machine.place_of_state(flow, index).or_else(|| label(machine, *state).map(|site| program.place_of(site)))
            else {
                continue;
            };
            let name = state.name(program);
            let leads = machine.transitions.iter().filter(|t| t.to == index).count();
            let why = if leads == 0 { "nothing sets it" } else { "only states that are never reached lead to it" };
            let ways = machine
                .ways_out(index)
                .filter(|t| t.from == Some(index))
                .map(|t| related("what would lead out of it", program.place_of(t.site)));
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place,
                message: format!("{} is never in state `{name}`: {why}", short(&holder)),
                related: ways.take(3).collect(),
                parties: vec![holder.clone(), name],
                edit: None,
            });
        }
    }
    found
}

/// Whether a state is one that only tests declare.
fn is_of_test(wiring: &Wiring<'_>, state: State) -> bool {
    let program = wiring.program();
    match state {
        State::Class(class) => program.is_test(program.ty(class).unit),
        State::Constant(m) | State::Function(m) => wiring.in_test(m),
        State::Text(_) | State::Entry(..) => false,
    }
}

/// Whether what holds the state, or the code around it, stands where a file could not be read in full.
fn is_read_in_part(wiring: &Wiring<'_>, machine: &Found) -> bool {
    let program = wiring.program();
    let Holder::Field(field) = machine.machine.holder else { return false };
    wiring.is_mentioned_unread(field) || !program.unit_of(field).unread.is_empty()
}

/// Whether the last constant of a list is called after all of them, or after their end: `{ Shut, Open, Gates }`.
fn counts_others(program: &Program, states: &[State], index: usize) -> bool {
    let name = states[index].name(program).to_ascii_lowercase();
    index + 1 == states.len() && (name.ends_with('s') || name == "end")
}

/// Whether some code asks whether the machine is in a state: one that is not so much as asked for is part of a list that
/// others made, unless all other states of the list are come to.
fn is_asked_for(wiring: &Wiring<'_>, machine: &Found, index: usize) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let state = machine.domain.states[index];
    let is_told = || machine.transitions.iter().any(|t| t.from == Some(index) && t.told) || machine.labels.iter().any(|(_, s)| *s == state);
    match (machine.domain.encoding, state) {
        // of a type that lists them
        (Encoding::Text, State::Text(_)) if machine.domain.closed => return is_told(),
        (Encoding::Enumeration(_), _) => {}
        _ => return true,
    }
    let State::Constant(m) = state else { return true };
    is_told() || program.index.reads(program.member(m).name).iter().any(|s| flow.eval(*s) == Val::Static(m) && !is_value(wiring, *s))
}

/// The first label that asks for a state that is declared nowhere.
fn label(machine: &Found, state: State) -> Option<Site> {
    machine.labels.iter().filter(|(_, s)| *s == state).map(|(site, _)| *site).min()
}

/// Whether a state can come into the machine by code that is not understood: its objects are made, or its constant is used
/// as a value, where no transition is known.
fn comes_from_elsewhere(wiring: &Wiring<'_>, machine: &Found, state: State) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let known: Vec<Site> = machine.transitions.iter().map(|t| t.site).collect();
    // of a row that a call puts into a table, the state that it leads to is the one that is known
    let rows: Vec<Site> = known.iter().filter_map(|site| program.call_given(*site)).collect();
    let is_known = |site: &Site| {
        let scope = program.scope(site.member);
        scope.ancestors(site.node).chain(std::iter::once(site.node)).any(|node| known.contains(&Site { member: site.member, node }))
            || program.call_given(*site).is_some_and(|call| rows.contains(&call))
    };
    match state {
        State::Class(class) => {
            let heirs = program.heirs(class);
            let made = heirs.into_iter().flat_map(|t| flow.creations(t)).filter(|site| !wiring.in_test(site.member));
            let tells =
                matches!(machine.domain.encoding, Encoding::Alternatives(_) | Encoding::Variant | Encoding::Objects(_) | Encoding::Kin);
            // the one object that a constant holds comes in where that is named
            let is_named = |site: &Site| {
                let held = Some(site.member).filter(|m| is_only_value(wiring, *m, *site));
                held.is_none_or(|m| is_used_as_value(wiring, m, &is_known))
            };
            made.filter(|site| !is_known(site) && is_named(site)).count() > 0 || !tells || by_brace(wiring, class)
        }
        State::Constant(m) => is_used_as_value(wiring, m, &is_known),
        State::Entry(table, key) => program.index.reads(key).iter().any(|site| {
            let value = flow.eval(*site);
            let it = matches!(&value, Val::Outside(of, k) if *k == key && **of == Val::Static(table));
            it && !is_known(site) && is_value(wiring, *site)
        }),
        // a text may come from anywhere, but then something unknown is stored
        State::Text(_) if !machine.domain.closed => label(machine, state).is_none(),
        State::Text(text) => is_handed_to_mover(wiring, machine, text, &is_known),
        State::Function(m) => {
            program.index.reads(program.member(m).name).iter().any(|site| !wiring.in_test(site.member) && !is_known(site))
        }
    }
}

/// Whether a constant is read, where no transition is known, for more than to compare it.
fn is_used_as_value(wiring: &Wiring<'_>, constant: MemberId, is_known: &dyn Fn(&Site) -> bool) -> bool {
    let program = wiring.program();
    let reads = program.index.reads(program.member(constant).name).iter().filter(|site| !wiring.in_test(site.member));
    reads.into_iter().any(|site| !is_known(site) && is_it(wiring, *site, constant) && is_value(wiring, *site))
}

/// Whether an object that is made is all that a static field ever holds.
fn is_only_value(wiring: &Wiring<'_>, field: MemberId, made: Site) -> bool {
    let info = wiring.program().member(field);
    matches!(info.kind, MemberKind::Field | MemberKind::Property) && info.is_static && wiring.flow.only_definition(field) == Some(made)
}

/// Whether a text is handed to a function that moves the machine by what it is handed.
fn is_handed_to_mover(wiring: &Wiring<'_>, machine: &Found, text: Sym, is_known: &dyn Fn(&Site) -> bool) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Holder::Field(field) = machine.machine.holder else { return false };
    let is_text = |m: MemberId, node: Node| matches!(node, Node::Str(name) if program.sym_in(m, name) == text);
    // also where a condition chooses among several
    let is_it = |site: Site| program.body(site.member).is_some_and(|b| any_within(b, site.node, &|n| is_text(site.member, b.node(n))));
    program.index.writes(program.member(field).name).iter().any(|write| {
        let Some(Node::Assign { value, .. }) = program.body(write.member).map(|b| b.node(write.node)) else { return false };
        let Val::Param(mover, None, index) = flow.eval_in(write.member, value) else { return false };
        let given = flow.call_sites(mover).iter().filter_map(|call| flow.argument(*call, usize::from(index)));
        given.into_iter().any(|site| is_it(site) && !is_known(&site))
    })
}

/// Whether objects of a class may be made without naming it as one that is created.
fn by_brace(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let calls = program.index.calls(program.ty(class).name);
    calls.iter().any(|site| !wiring.in_test(site.member) && wiring.flow.callee(*site).is_none())
}

fn is_it(wiring: &Wiring<'_>, site: Site, m: MemberId) -> bool {
    match wiring.flow.eval(site) {
        Val::Static(x) => x == m,
        // a name alone, as a label of a choice: it asks
        Val::Unknown | Val::Global(_) => false,
        _ => false,
    }
}

/// Whether an expression hands a value on, rather than asking for it.
fn is_value(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return true };
    let scope = program.scope(site.member);
    let pack = &program.kit_of(site.member).pack;
    let mut node = site.node;
    while let Some(parent) = scope.parent(node) {
        match body.node(parent) {
            Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, .. } | Node::TypeTest { .. } => return false,
            // where the constant itself is given what it stands for
            Node::Assign { target, .. } if target == node => return false,
            Node::Case { body: inner, .. } => return inner == node,
            Node::Entry { key, .. } => return key != node,
            Node::Call { callee, args, .. } if callee == node || body.list(args).len() == 1 => {
                let name = match body.node(callee) {
                    Node::Member { name, .. } | Node::Name(name) => program.unit_of(site.member).text(name),
                    _ => "",
                };
                return !(pack.equality.contains(name) || pack.membership.contains(name));
            }
            Node::Member { .. } => return false,
            // the key under which a row is put into a table
            Node::Call { callee, args, .. } if body.list(args).len() == 2 && body.list(args)[0] == node => {
                let name = match body.node(callee) {
                    Node::Member { name, .. } => program.unit_of(site.member).text(name),
                    _ => "",
                };
                return !pack.adds.contains(name);
            }
            // the key of a table's row stands first
            Node::Collection { kind: CollectionKind::Tuple, items } | Node::Opaque(items) if body.list(items).first() == Some(&node) => {
                return false;
            }
            Node::Unary { .. } | Node::Opaque(_) | Node::Cast { .. } => node = parent,
            _ => return true,
        }
    }
    true
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_phase_that_nothing_sets() {
        expect(
            "unreachable-state",
            r#"
//// Chamber.cs
namespace Marlwend;
public enum Level { Low, Filling, Full, Draining, Stranded } //! unreachable-state warning
public sealed class Chamber {
    private Level _level = Level.Low;
    public void Fill() { if (_level == Level.Low) _level = Level.Filling; }
    public void Settle(double metres) {
        switch (_level) {
            case Level.Filling when metres > 4: _level = Level.Full; break;
            case Level.Draining when metres < 1: _level = Level.Low; break;
            case Level.Stranded: _level = Level.Low; break;
        }
    }
    public void Drain() { if (_level == Level.Full) _level = Level.Draining; }
    public static void Main() { var c = new Chamber(); c.Fill(); c.Settle(5); c.Drain(); }
}
"#,
        );
    }

    #[test]
    fn alternatives_that_nothing_makes() {
        expect(
            "unreachable-state",
            r#"
//// Dough.java
package bakery;
sealed interface Dough {
    record Mixed() implements Dough {}
    record Proving(int minutes) implements Dough {}
    record Scorched() implements Dough {} //! unreachable-state warning
    record Baked() implements Dough {}
    static Dough wait(Dough d, int minutes) {
        if (d instanceof Mixed) return new Proving(minutes);
        if (d instanceof Proving p && p.minutes() > 90) return new Baked();
        if (d instanceof Scorched) return new Mixed();
        return d;
    }
}
class Loaf {
    private Dough dough = new Dough.Mixed();
    void rest(int minutes) { dough = Dough.wait(dough, minutes); }
    public static void main(String[] args) { new Loaf().rest(100); }
}
"#,
        );
    }

    #[test]
    fn a_text_that_is_asked_for_and_never_stored() {
        expect(
            "unreachable-state",
            r#"
//// dome.js
export class Dome {
  #at = 'shut';
  turn() {
    switch (this.#at) {
      case 'shut':
        this.#at = 'opening';
        break;
      case 'opening':
        this.#at = 'open';
        break;
      case 'stuck': //! unreachable-state warning
        this.#at = 'shut';
        break;
      case 'open':
        this.#at = 'shut';
        break;
    }
  }
}
new Dome().turn();
"#,
        );
    }

    #[test]
    fn what_is_stored_from_elsewhere_may_be_any() {
        expect(
            "unreachable-state",
            r#"
//// Chamber.cs
namespace Marlwend;
public enum Level { Low, Full, Dry }
public sealed class Chamber {
    private Level _level = Level.Low;
    public void Fill() { if (_level == Level.Low) _level = Level.Full; else if (_level == Level.Full) _level = Level.Low; }
    public void Load(string line) { _level = System.Enum.Parse<Level>(line); }
    public static void Main() { var c = new Chamber(); c.Fill(); c.Load("Dry"); }
}
"#,
        );
    }
}
