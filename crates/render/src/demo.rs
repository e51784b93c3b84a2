//! The demo's own words: headings, command lines, what to look at.

use std::io::{self, Write};

use crate::style::Role;
use crate::text::TextOptions;

/// A step of the demo.
#[derive(Clone, Copy, Debug)]
pub struct Step<'s> {
    /// What the step shows.
    pub heading: &'s str,
    /// The command line.
    pub command: &'s str,
    /// What to look at in the output that follows.
    pub look: &'s str,
}

/// Writes what stands before a step's output.
pub fn step(out: &mut dyn Write, number: usize, s: &Step<'_>, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    writeln!(out, "{}", p.paint(Role::Heading, &format!("{number}. {}", s.heading)))?;
    writeln!(out, "   {}", s.look)?;
    writeln!(out, "   {}", p.paint(Role::Command, &format!("$ {}", s.command)))?;
    writeln!(out)
}

/// Writes what to try next.
pub fn next(out: &mut dyn Write, heading: &str, commands: &[(&str, &str)], o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    writeln!(out, "{}", p.paint(Role::Heading, heading))?;
    for (command, what) in commands {
        writeln!(out, "   {}", p.paint(Role::Command, &format!("$ {command}")))?;
        writeln!(out, "     {what}")?;
    }
    Ok(())
}
