//! How finely the ways through a machine's code are told apart: by all that is known of them, or, where there are too many of
//! those, by little more than the states that they are in.

use std::collections::BTreeSet;

use yarrowgraph_ir::FunctionId;

use super::find::{event_of, function_name};
use super::reach::Reach;
use super::walk::{Event, Found, Move, Walker};
use super::way::Value;
use super::{Domain, Encoding, Holder, Machine};
use crate::flow::Flow;
use crate::program::MemberId;

/// Ways are walked so often until no more states are found.
pub(super) const ROUNDS: usize = 4;
/// So many nodes are walked for one machine.
const STEPS: u32 = 15_000;
/// So many, where ways are told apart coarsely.
pub(super) const STEPS_COARSE: u32 = 30_000;
/// So many, where by then nothing has asked for the state before it moved the machine: hardly anything that does so does it late.
const STEPS_UNTOLD: u32 = 2_500;
/// So many ways are told apart at a time.
pub(super) const WAYS: usize = 64;
/// So many, and one for each state, in what is called.
const WAYS_CALLED: usize = 16;
/// So many, where ways are told apart coarsely.
const WAYS_COARSE: usize = 4;
/// Calls are followed so deep.
const DEPTH: usize = 7;
/// So deep, where ways are told apart coarsely.
const DEPTH_COARSE: usize = 4;

/// How finely ways are told apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Grain {
    /// By all that is known of them, and calls are followed for what they answer.
    Fine,
    /// By the states that they are in, as far as there are more than a few of them; of calls only those are followed that may move
    /// the machine.
    Coarse,
}

impl Grain {
    /// So many nodes are walked.
    pub(super) fn steps(self, is_told: bool) -> u32 {
        match self {
            _ if !is_told => STEPS_UNTOLD,
            Grain::Fine => STEPS,
            Grain::Coarse => STEPS_COARSE,
        }
    }

    /// So many ways of a machine with so many states are told apart at a time.
    pub(super) fn ways(self, is_called: bool, states: usize) -> usize {
        match self {
            Grain::Coarse => WAYS_COARSE,
            Grain::Fine if is_called => states + WAYS_CALLED,
            Grain::Fine => WAYS,
        }
    }

    /// Calls are followed so deep.
    pub(super) fn depth(self) -> usize {
        if self == Grain::Fine { DEPTH } else { DEPTH_COARSE }
    }
}

/// Where ways set out.
pub(super) struct Starts {
    /// The methods of the context that others call, and whoever else sets the state.
    pub roots: Vec<MemberId>,
    /// What sets it within the context and may be called by ways that nobody sees.
    pub within: Vec<MemberId>,
    /// Functions that set it and that its constructors hand to others.
    pub handed: Vec<(MemberId, FunctionId)>,
}

/// What is learnt of a machine on all ways, with its states, and whether the ways had to be told apart coarsely. None where what
/// is found so may be no machine.
pub(super) fn found_on_ways(
    flow: &Flow<'_>,
    machine: &Machine,
    domain: Domain,
    reach: &Reach,
    starts: &Starts,
) -> Option<(Domain, Found, bool)> {
    let (fine, found) = walked(flow, machine, domain.clone(), reach, starts, Grain::Fine);
    if !found.cut {
        return Some((fine, found, false));
    }
    // what stores the state itself, and then what its own class does, says soonest whether there is a machine at all
    let mut roots = starts.roots.clone();
    let stores: BTreeSet<MemberId> = match machine.holder {
        Holder::Field(field) => flow.definitions(field).iter().map(|d| d.member).collect(),
        Holder::Local(_) => BTreeSet::new(),
    };
    let is_own = |m: &MemberId| machine.context == Some(flow.program.member(*m).owner);
    roots.sort_by_key(|m| (!stores.contains(m), !is_own(m)));
    let in_turn = Starts { roots, within: starts.within.clone(), handed: starts.handed.clone() };
    let (coarse, mut found) = walked(flow, machine, domain, reach, &in_turn, Grain::Coarse);
    found.moves.sort_by_key(|m| m.root);
    moves_by_states(&coarse, &found.moves).then_some((coarse, found, true))
}

/// Whether moves depend on which of the states the machine is in, and not merely on a single one.
fn moves_by_states(domain: &Domain, moves: &[Move]) -> bool {
    let told = moves.iter().filter(|m| m.told && m.from & (1 << m.to) == 0);
    told.map(|m| (m.from & domain.all(), m.to)).collect::<BTreeSet<(u64, usize)>>().len() >= 2
}

/// Walks the ways from all roots until no more states are found.
fn walked(flow: &Flow<'_>, machine: &Machine, mut domain: Domain, reach: &Reach, starts: &Starts, grain: Grain) -> (Domain, Found) {
    let mut found = Found::default();
    // what is stored on the way may be a state of which nothing was known
    for _ in 0..ROUNDS {
        let known = domain.states.len();
        let mut walker = Walker::new(flow, machine, domain, reach).told_apart(grain);
        walker.roots.clone_from(&starts.roots);
        for root in &starts.roots {
            walker.method(*root, None, Value::Context, event_of(flow, *root), u64::MAX);
        }
        walker.put_aside();
        for (m, function) in &starts.handed {
            if !walker.found.functions.contains(&(*m, *function)) {
                let event = function_name(flow, *m, *function).map_or(event_of(flow, *m), Event::Named);
                walker.method(*m, Some(*function), Value::Context, event, u64::MAX);
            }
        }
        for m in &starts.within {
            if !walker.found.entered.contains(m) {
                walker.method(*m, None, Value::Unknown, event_of(flow, *m), u64::MAX);
            }
        }
        domain = walker.domain;
        found = walker.found;
        if matches!(domain.encoding, Encoding::Text | Encoding::Constants) && !domain.closed {
            for (_, label) in &found.labels {
                domain.bit(flow, *label);
            }
        }
        if domain.states.len() == known || found.cut {
            break;
        }
    }
    (domain, found)
}

#[cfg(test)]
mod tests {
    use std::fmt::Write;

    use crate::testing::analyse;

    /// A gate with many methods, each of which has more ways than it has moves.
    fn gate(methods: usize) -> String {
        let mut text = String::from(
            "//// Gate.java\npublic class Gate {\n enum State { SHUT, FILLING, OPEN, STUCK }\n private State state = State.SHUT;\n \
             private int n;\n private boolean of(int i) { n = n + 1; return n % i == 0; }\n",
        );
        for i in 0..methods {
            let (from, to) = [("SHUT", "FILLING"), ("FILLING", "OPEN"), ("OPEN", "SHUT"), ("OPEN", "STUCK"), ("STUCK", "SHUT")][i % 5];
            let _ = writeln!(text, " public void turn{i}() {{");
            for flag in ["a", "b", "c", "d", "e", "f"] {
                let _ = writeln!(text, "  boolean {flag} = false; if (of({i})) {flag} = true; if ({flag}) n = n + 1;");
            }
            let _ = writeln!(text, "  if (a && b) n = 0; if (c && d) n = 1; if (e && f) n = 2;");
            let _ = writeln!(text, "  if (state == State.{from}) state = State.{to};\n }}");
        }
        text + "}\n"
    }

    #[test]
    fn a_machine_of_too_many_ways_is_found_with_fewer_told_apart() {
        for methods in [5, 40] {
            let analysis = analyse(&gate(methods), false);
            let machine = &analysis.map.machines[0];
            let moves: std::collections::BTreeSet<_> = machine.transitions.iter().map(|t| format!("{}-{}", t.from, t.to)).collect();
            let moves: Vec<&str> = moves.iter().map(String::as_str).collect();
            assert_eq!(moves, ["FILLING-OPEN", "OPEN-SHUT", "OPEN-STUCK", "SHUT-FILLING", "STUCK-SHUT"], "{methods}");
            assert_eq!(machine.transitions.len(), methods);
            assert_eq!(analysis.map.budgets, []);
        }
    }

    #[test]
    fn a_machine_whose_ways_are_not_walked_to_their_ends_is_counted() {
        let analysis = analyse(&gate(600), false);
        let told: Vec<_> = analysis.map.budgets.iter().map(|b| (b.of.as_str(), b.over)).collect();
        assert_eq!((analysis.map.machines.len(), told), (0, vec![("machines", 1)]));
    }
}
