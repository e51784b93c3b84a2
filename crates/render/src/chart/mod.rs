//! State machines as charts: what is drawn and written of one, and how two are compared.

pub mod diff;
pub mod dot;
pub mod mermaid;
pub mod scxml;
pub mod svg;
pub mod text;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_model::Machine;

/// A transition of a chart.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Edge {
    /// The state it leaves.
    pub from: String,
    /// What sets it off.
    pub event: String,
    /// On which other conditions it depends, as text; empty for none.
    pub guard: String,
    /// The state it leads to.
    pub to: String,
}

/// A machine with its transitions from any state written out.
#[derive(Clone, Debug)]
pub struct Chart {
    /// Its name.
    pub name: String,
    /// The states it starts in; none where nothing sets one at first.
    pub initial: Vec<String>,
    /// Its states, in order.
    pub states: Vec<String>,
    /// Those that are final.
    pub finals: BTreeSet<String>,
    /// Its transitions, in order.
    pub edges: Vec<Edge>,
}

impl Chart {
    /// The chart of a machine.
    pub fn of(machine: &Machine) -> Self {
        let states: Vec<String> = machine.states.iter().map(|s| s.name.clone()).collect();
        let mut edges: Vec<Edge> = Vec::new();
        for t in &machine.transitions {
            let froms: Vec<&String> = if t.from == "*" { states.iter().collect() } else { vec![&t.from] };
            // from any state but the one that it leads to: staying is no transition
            for from in froms.into_iter().filter(|f| t.from != "*" || **f != t.to) {
                let edge =
                    Edge { from: from.clone(), event: t.event.clone(), guard: t.guard.clone().unwrap_or_default(), to: t.to.clone() };
                if !edges.contains(&edge) {
                    edges.push(edge);
                }
            }
        }
        Self {
            name: machine.context.rsplit('.').next().unwrap_or(&machine.context).to_owned(),
            initial: machine.initial.clone(),
            finals: machine.states.iter().filter(|s| s.is_final).map(|s| s.name.clone()).collect(),
            states,
            edges,
        }
    }

    /// The events, in the order in which they first come.
    pub fn events(&self) -> Vec<&str> {
        let mut events = Vec::new();
        for edge in &self.edges {
            if !events.contains(&edge.event.as_str()) {
                events.push(edge.event.as_str());
            }
        }
        events
    }

    /// The states that some sequence of transitions reaches from where it starts, with the fewest steps; all of them
    /// where it is not known where it starts.
    pub fn reached(&self) -> BTreeMap<&str, usize> {
        let starts = if self.initial.is_empty() { &self.states } else { &self.initial };
        let mut reached: BTreeMap<&str, usize> = starts.iter().map(|s| (s.as_str(), 0)).collect();
        let mut fresh: Vec<&str> = starts.iter().map(String::as_str).collect();
        let mut steps = 0;
        while !fresh.is_empty() {
            steps += 1;
            let mut next = Vec::new();
            for edge in self.edges.iter().filter(|e| fresh.contains(&e.from.as_str())) {
                if !reached.contains_key(edge.to.as_str()) {
                    reached.insert(&edge.to, steps);
                    next.push(edge.to.as_str());
                }
            }
            fresh = next;
        }
        reached
    }

    /// The states that nothing leads out of.
    pub fn traps(&self) -> Vec<&str> {
        let leaves = |s: &String| self.edges.iter().any(|e| e.from == *s && e.to != *s);
        self.states.iter().filter(|s| !leaves(s)).map(String::as_str).collect()
    }
}
