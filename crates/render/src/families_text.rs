//! Commands, machines and mediators as the overview for a terminal shows them.

use std::io::{self, Write};

use yarrowgraph_model::{Command, Drains, Holds, Invoker, Machine, Map, Mediator, RoutedTo, Undo};

use crate::escape;
use crate::map_text::{place, short};
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// Writes what there is of them, each under a heading.
pub(crate) fn write(out: &mut dyn Write, map: &Map, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let heading = |out: &mut dyn Write, text: &str| -> io::Result<()> {
        writeln!(out)?;
        writeln!(out, "{}", p.paint(Role::Heading, text))
    };
    if !map.commands.is_empty() || !map.invokers.is_empty() {
        heading(out, "commands")?;
        map.invokers.iter().try_for_each(|i| invoker(out, i, o))?;
        map.commands.iter().try_for_each(|c| command(out, c, o))?;
    }
    if !map.machines.is_empty() {
        heading(out, "state machines")?;
        map.machines.iter().try_for_each(|m| machine(out, m, o))?;
    }
    if !map.mediators.is_empty() {
        heading(out, "mediators")?;
        map.mediators.iter().try_for_each(|m| mediator(out, m, o))?;
    }
    Ok(())
}

fn invoker(out: &mut dyn Write, i: &Invoker, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let holds = match i.holds {
        Holds::Slot => "holds one at a time",
        Holds::Queue => "queue, first in first out",
        Holds::Stack => "stack, last in first out",
        Holds::History => "history, to be taken back",
    };
    let id = escape::terminal(&i.id).into_owned();
    writeln!(out, "  {}  {}  {}", p.paint(Role::Name, &id), p.paint(Role::Quiet, holds), p.paint(Role::Quiet, &place(&i.place)))?;
    for at in i.filled.iter().take(3) {
        writeln!(out, "    put there  {}", p.paint(Role::Quiet, &place(at)))?;
    }
    if i.drained.is_empty() && i.holds != Holds::Slot {
        writeln!(out, "    {}", p.paint(Role::Warning, "nothing takes them off"))?;
    }
    for d in i.drained.iter().take(3) {
        let how = if d.drains == Drains::All { "all taken off" } else { "one taken off" };
        let line = format!("{how} in {}", short(&d.within));
        writeln!(out, "    {}  {}", fit(&escape::terminal(&line), o.width.saturating_sub(30)), p.paint(Role::Quiet, &place(&d.place)))?;
    }
    Ok(())
}

fn command(out: &mut dyn Write, c: &Command, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let receivers: Vec<String> = c.receivers.iter().map(|r| short(r)).collect();
    let on = if receivers.is_empty() { String::new() } else { format!(" ▸ {}", receivers.join(", ")) };
    let undo = match c.undo {
        Undo::Real => ", can be taken back",
        Undo::Empty => ", taken back without effect",
        Undo::Throws => ", throws when taken back",
        Undo::None => "",
    };
    let line = format!("{}.{}{on}  made {}{undo}", short(&c.id), c.operation, count(c.created.len(), "time", "times"));
    let at = place(&c.place);
    writeln!(out, "  {}  {}", fit(&escape::terminal(&line), o.width.saturating_sub(at.len() + 6)), p.paint(Role::Quiet, &at))
}

fn machine(out: &mut dyn Write, m: &Machine, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let starts = if m.initial.is_empty() { "starts in no state".to_owned() } else { format!("starts in {}", m.initial.join(", ")) };
    let about =
        format!("{starts}, {}, {}", count(m.states.len(), "state", "states"), count(m.transitions.len(), "transition", "transitions"));
    let id = escape::terminal(&m.id).into_owned();
    writeln!(
        out,
        "  {}  {}  {}",
        p.paint(Role::Name, &id),
        p.paint(Role::Quiet, &escape::terminal(&about)),
        p.paint(Role::Quiet, &place(&m.place))
    )?;
    let states: Vec<&str> = m.states.iter().map(|s| s.name.as_str()).collect();
    writeln!(out, "    {}", fit(&escape::terminal(&states.join(" · ")), o.width.saturating_sub(6)))
}

fn mediator(out: &mut dyn Write, m: &Mediator, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let id = escape::terminal(&m.id).into_owned();
    let between: Vec<String> = m.colleagues.iter().map(|c| short(&c.class)).collect();
    writeln!(out, "  {}  {}", p.paint(Role::Name, &id), p.paint(Role::Quiet, &place(&m.place)))?;
    writeln!(out, "    {}", fit(&escape::terminal(&format!("between {}", between.join(", "))), o.width.saturating_sub(6)))?;
    for r in &m.routes {
        let to = match r.to {
            RoutedTo::One => "to one",
            RoutedTo::Others => "to all but the sender",
            RoutedTo::All => "to all",
        };
        writeln!(out, "    {to}  {}", p.paint(Role::Quiet, &place(&r.place)))?;
    }
    Ok(())
}
