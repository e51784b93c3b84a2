//! The machine of the code against a chart that was designed.

use std::collections::BTreeSet;
use std::io::{self, Write};

use super::Chart;
use crate::escape;
use crate::style::Role;
use crate::text::TextOptions;

/// What one side has and the other has not.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Difference {
    /// Of the code alone.
    pub code: Vec<String>,
    /// Of the design alone.
    pub design: Vec<String>,
}

impl Difference {
    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.code.is_empty() && self.design.is_empty()
    }
}

/// What the charts differ in: where they start, states, events and transitions, in this order. Conditions are not
/// compared, since they are said in different languages.
pub fn between(code: &Chart, design: &Chart) -> Difference {
    let say = |c: &Chart| -> Vec<BTreeSet<String>> {
        vec![
            c.initial.iter().map(|s| format!("starts in {}", key(s))).collect(),
            c.states.iter().map(|s| format!("state {}", key(s))).collect(),
            c.events().into_iter().map(|e| format!("event {}", key(e))).collect(),
            c.edges.iter().map(|e| format!("{} — {} → {}", key(&e.from), key(&e.event), key(&e.to))).collect(),
        ]
    };
    let (of_code, of_design) = (say(code), say(design));
    let alone = |a: &[BTreeSet<String>], b: &[BTreeSet<String>]| a.iter().zip(b).flat_map(|(a, b)| a.difference(b).cloned()).collect();
    Difference { code: alone(&of_code, &of_design), design: alone(&of_design, &of_code) }
}

/// A name as both sides may write it.
fn key(name: &str) -> String {
    name.trim().replace([' ', '*'], "_")
}

/// Writes what differs.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, found: &Difference, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    if found.is_empty() {
        return writeln!(out, "code and design agree");
    }
    for (title, lines, role) in [("in the code alone", &found.code, Role::Warning), ("in the design alone", &found.design, Role::Note)] {
        if !lines.is_empty() {
            writeln!(out, "{}", p.paint(Role::Heading, title))?;
            for line in lines {
                writeln!(out, "  {}", p.paint(role, &escape::terminal(line)))?;
            }
        }
    }
    Ok(())
}
