//! Which types take part in the wiring, and as what.

use std::collections::{BTreeMap, BTreeSet};

use crate::program::{Site, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;

/// The roles of the types that take part in the wiring.
pub fn all(wiring: &Wiring<'_>) -> BTreeMap<TypeId, BTreeSet<&'static str>> {
    let program = wiring.program();
    let mut roles: BTreeMap<TypeId, BTreeSet<&'static str>> = BTreeMap::new();
    let mut add = |t: TypeId, role: &'static str| {
        if !program.ty(t).is_module && !wiring.is_test_type(t) {
            roles.entry(t).or_default().insert(role);
        }
    };
    for channel in &wiring.channels {
        if let ChannelKey::Own(m, _) = &channel.key {
            add(program.member(*m).owner, "subject");
        }
        for join in channel.joins.iter().flat_map(|j| wiring.parts_of(*j)) {
            if let Some(t) = wiring.listening_class(join) {
                add(t, "observer");
            }
        }
    }
    for command in wiring.commands().commands.values() {
        add(command.class, "command");
        command.receivers.iter().for_each(|t| add(*t, "receiver"));
    }
    for invoker in &wiring.commands().invokers {
        add(program.member(invoker.holder.field).owner, "invoker");
    }
    for table in wiring.codes().iter().filter(|t| !t.classes().is_empty()) {
        add(program.member(table.site.member).owner, "factory");
    }
    for built in &wiring.chains().built {
        built.links.iter().filter_map(|l| l.class).for_each(|t| add(t, "link"));
    }
    for machine in wiring.machines().iter().filter(|m| m.moves) {
        add(machine.owner(program), "context");
        machine.domain.states.iter().filter_map(|s| s.class()).for_each(|t| add(t, "state"));
    }
    for mediator in wiring.mediators() {
        add(mediator.class, "mediator");
        mediator.colleagues.iter().for_each(|c| add(c.class, "colleague"));
    }
    roles
}

/// Whom a type reaches without knowing it, and through what.
pub fn reached(wiring: &Wiring<'_>) -> BTreeMap<TypeId, BTreeSet<(TypeId, String)>> {
    let program = wiring.program();
    let mut found: BTreeMap<TypeId, BTreeSet<(TypeId, String)>> = BTreeMap::new();
    let mut add = |from: TypeId, to: TypeId, through: String| {
        if from != to && !program.ty(from).is_module && !program.ty(to).is_module {
            found.entry(from).or_default().insert((to, through));
        }
    };
    for channel in &wiring.channels {
        let through = channel.id.clone();
        let raisers: BTreeSet<TypeId> = channel.raises.iter().map(|r| program.member(wiring.effects[*r].site.member).owner).collect();
        let listeners: BTreeSet<TypeId> =
            channel.joins.iter().flat_map(|j| wiring.parts_of(*j)).filter_map(|j| wiring.listening_class(j)).collect();
        for raiser in &raisers {
            for listener in &listeners {
                add(*raiser, *listener, through.clone());
            }
        }
    }
    for command in wiring.commands().commands.values() {
        let made = command.created.iter().map(|s: &Site| program.member(s.member).owner);
        for maker in made.collect::<BTreeSet<TypeId>>() {
            for receiver in &command.receivers {
                add(maker, *receiver, program.type_id(command.class));
            }
        }
    }
    for built in &wiring.chains().built {
        let classes: Vec<TypeId> = built.links.iter().filter_map(|l| l.class).collect();
        for (at, from) in classes.iter().enumerate() {
            for to in &classes[at + 1..] {
                let through = built.holder.map_or_else(String::new, |h| program.member_id(h));
                add(*from, *to, through);
            }
        }
    }
    for mediator in wiring.mediators() {
        for from in &mediator.colleagues {
            for to in &mediator.colleagues {
                add(from.class, to.class, program.type_id(mediator.class));
            }
        }
    }
    found
}
