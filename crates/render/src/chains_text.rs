//! Chains of responsibility as the overview for a terminal shows them: their links in order, and what each does.

use std::io::{self, Write};

use yarrowgraph_model::{Chain, ChainLink, Passes, Stop};

use crate::escape;
use crate::map_text::{place, short};
use crate::style::Role;
use crate::text::{TextOptions, fit};

/// Writes chains under a heading; nothing where there are none.
pub(crate) fn write(out: &mut dyn Write, chains: &[Chain], o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    if chains.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    writeln!(out, "{}", p.paint(Role::Heading, "chains"))?;
    for chain in chains {
        let request = if chain.request.is_empty() { String::new() } else { format!(" for {}", short(&chain.request)) };
        let stop = match chain.stop {
            Stop::FirstHandled => "until one answers",
            Stop::All => "all of them",
            Stop::FirstFailure => "until one refuses",
        };
        let asked = if chain.entry.is_empty() { "called".to_owned() } else { format!("asked by {}", chain.entry) };
        let id = escape::terminal(&chain.id).into_owned();
        let about = escape::terminal(&format!("{asked}{request}, {stop}")).into_owned();
        let built: Vec<String> = chain.built.iter().take(1).map(place).collect();
        writeln!(out, "  {}  {} {}", p.paint(Role::Name, &id), p.paint(Role::Quiet, &about), p.paint(Role::Quiet, &built.concat()))?;
        let width = o.width.saturating_sub(8);
        for (at, link) in chain.links.iter().enumerate() {
            let line = format!("{}. {}  {}", at + 1, short(&link.handler), place(&link.place));
            let (role, does) = what_it_does(link);
            let does = escape::terminal(&does).into_owned();
            write!(out, "    {}", fit(&escape::terminal(&line), width.saturating_sub(does.len())))?;
            writeln!(out, "  {}", p.paint(role, &does))?;
        }
        if chain.ring {
            writeln!(out, "    {}", p.paint(Role::Warning, "and back to one of them"))?;
        }
    }
    Ok(())
}

fn what_it_does(link: &ChainLink) -> (Role, String) {
    let asked = link.asked_for.as_ref().map(|path| format!("asked for {path}, ")).unwrap_or_default();
    let does = match link.passes {
        Passes::Always => "passes everything on".to_owned(),
        Passes::Sometimes if link.conditions.is_empty() => "answers or passes on".to_owned(),
        Passes::Sometimes => format!("ends it if {}", link.conditions.join(" or ")),
        Passes::Never => "ends every request".to_owned(),
    };
    (Role::Quiet, asked + &does)
}
