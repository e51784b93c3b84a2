//! Commands, invokers and factories as the map has them.

use yarrowgraph_model as model;

use super::{Command, Holder, Holds, Invoker, Undo, shape};
use crate::wire::Wiring;

/// The commands of the map.
pub fn commands(wiring: &Wiring<'_>) -> Vec<model::Command> {
    let mut commands: Vec<model::Command> = wiring.commands().commands.values().map(|c| command(wiring, c)).collect();
    commands.sort_by(|a, b| a.id.cmp(&b.id));
    commands
}

fn command(wiring: &Wiring<'_>, c: &Command) -> model::Command {
    let program = wiring.program();
    model::Command {
        id: program.type_id(c.class),
        place: program.type_place(c.class).unwrap_or_else(|| program.member_place(c.operation)),
        operation: program.text(program.member(c.operation).name).to_owned(),
        receivers: c.receivers.iter().map(|t| program.type_id(*t)).collect(),
        arguments: c.arguments.iter().map(|f| program.text(program.member(*f).name).to_owned()).collect(),
        created: c.created.iter().map(|s| program.place_of(*s)).collect(),
        undo: match shape::undo(&wiring.flow, c.class, c.undo) {
            Undo::Real => model::Undo::Real,
            Undo::Empty => model::Undo::Empty,
            Undo::Throws => model::Undo::Throws,
            Undo::None => model::Undo::None,
        },
    }
}

/// The invokers of the map.
pub fn invokers(wiring: &Wiring<'_>) -> Vec<model::Invoker> {
    let mut invokers: Vec<model::Invoker> = wiring.commands().invokers.iter().map(|i| invoker(wiring, i)).collect();
    let program = wiring.program();
    for holder in &wiring.commands().undrained {
        invokers.push(model::Invoker {
            id: program.member_id(holder.field),
            place: program.member_place(holder.field),
            holds: model::Holds::Queue,
            commands: holder.made.keys().map(|t| program.type_id(*t)).collect(),
            filled: holder.filled.iter().map(|(s, _)| crate::wire::operation_place(program, *s)).collect(),
            drained: Vec::new(),
        });
    }
    invokers.extend(wiring.commands().of_functions.iter().map(|(holder, holds)| of_holder(wiring, holder, *holds, Vec::new())));
    invokers.sort_by(|a, b| a.id.cmp(&b.id));
    invokers
}

fn invoker(wiring: &Wiring<'_>, i: &Invoker) -> model::Invoker {
    let commands = i.commands.iter().map(|t| wiring.program().type_id(*t)).collect();
    of_holder(wiring, &i.holder, i.holds, commands)
}

/// What holds commands or functions, and how.
fn of_holder(wiring: &Wiring<'_>, holder: &Holder, holds: Holds, commands: Vec<String>) -> model::Invoker {
    let program = wiring.program();
    let mut drained: Vec<model::Drained> = holder
        .drained
        .iter()
        .map(|(site, _, all)| model::Drained {
            place: crate::wire::operation_place(program, *site),
            within: program.member_id(site.member),
            drains: if *all { model::Drains::All } else { model::Drains::One },
        })
        .collect();
    drained.sort_by(|a, b| a.place.cmp(&b.place));
    drained.dedup();
    model::Invoker {
        id: program.member_id(holder.field),
        place: program.member_place(holder.field),
        holds: match holds {
            Holds::Slot => model::Holds::Slot,
            Holds::Queue => model::Holds::Queue,
            Holds::Stack => model::Holds::Stack,
            Holds::History => model::Holds::History,
        },
        commands,
        filled: holder.filled.iter().map(|(s, _)| crate::wire::operation_place(program, *s)).collect(),
        drained,
    }
}
