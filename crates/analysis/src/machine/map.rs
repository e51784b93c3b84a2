//! Machines as the map has them.

use yarrowgraph_model as model;

use super::{Encoding, Found, Holder, State, Transition, event_name};
use crate::program::{Program, Site};
use crate::wire::Wiring;

/// The machines of the map.
pub fn machines(wiring: &Wiring<'_>) -> Vec<model::Machine> {
    let mut machines: Vec<model::Machine> = wiring.machines().iter().filter(|f| f.moves).map(|f| machine(wiring, f)).collect();
    machines.sort_by(|a, b| a.id.cmp(&b.id));
    machines
}

fn machine(wiring: &Wiring<'_>, found: &Found) -> model::Machine {
    let program = wiring.program();
    let (id, context, place) = match found.machine.holder {
        Holder::Field(m) => (program.member_id(m), program.type_id(program.member(m).owner), program.member_place(m)),
        Holder::Local(site) => (local_id(program, site), program.member_id(site.member), program.place_of(site)),
    };
    let names: Vec<String> = found.domain.states.iter().map(|s| s.name(program)).collect();
    let states: Vec<model::MachineState> = found
        .domain
        .states
        .iter()
        .zip(&names)
        .enumerate()
        .map(|(index, (_, name))| model::MachineState {
            name: name.clone(),
            place: found
                .place_of_state(&wiring.flow, index)
                .unwrap_or_else(|| used_at(program, found, index).unwrap_or_else(|| place.clone())),
            is_final: super::is_final(wiring, found, index),
        })
        .collect();
    let mut transitions: Vec<model::Transition> = found.transitions.iter().map(|t| transition(program, &names, t)).collect();
    transitions.sort_by(|a, b| a.place.cmp(&b.place));
    // a message and the method that only hands it on may have one name
    transitions.dedup();
    model::Machine {
        id,
        context,
        place,
        encoding: found.domain.encoding.name().to_owned(),
        initial: found.initial.iter().map(|i| names[*i].clone()).collect(),
        states,
        transitions,
        open: found.is_open(program),
    }
}

pub(super) fn local_id(program: &Program, site: Site) -> String {
    let name = match program.body(site.member).map(|b| b.node(site.node)) {
        Some(yarrowgraph_ir::Node::Local { name, .. }) => program.unit_of(site.member).text(name),
        _ => "",
    };
    format!("{}.{name}", program.member_id(site.member))
}

/// Where a state that is declared nowhere is first gone to.
fn used_at(program: &Program, found: &Found, state: usize) -> Option<model::Place> {
    let to = found.transitions.iter().find(|t| t.to == state)?;
    Some(program.place_of(to.site))
}

fn transition(program: &Program, names: &[String], t: &Transition) -> model::Transition {
    let guards: Vec<String> = t.conditions.iter().map(|(site, holds)| condition(program, *site, *holds)).collect();
    model::Transition {
        from: t.from.map_or_else(|| "*".to_owned(), |f| names[f].clone()),
        event: event_name(program, t.event),
        guard: (!guards.is_empty()).then(|| guards.join(" and ")),
        to: names[t.to].clone(),
        place: program.place_of(t.site),
    }
}

/// A condition as it is written.
fn condition(program: &Program, site: Site, holds: bool) -> String {
    let text = crate::written::expression(program, site);
    if holds { text } else { format!("not ({text})") }
}

impl Encoding {
    /// The states' common base, where they have one.
    pub fn base(self) -> Option<crate::program::TypeId> {
        match self {
            Encoding::Objects(base) | Encoding::Alternatives(base) | Encoding::Enumeration(base) => Some(base),
            _ => None,
        }
    }
}

impl State {
    /// The class whose objects it is.
    pub fn class(self) -> Option<crate::program::TypeId> {
        match self {
            State::Class(class) => Some(class),
            _ => None,
        }
    }
}
