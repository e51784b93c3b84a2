//! A machine as a graph in the DOT language.

use std::io::{self, Write};

use super::Chart;

/// Writes charts, one graph each.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, charts: &[Chart]) -> io::Result<()> {
    for chart in charts {
        writeln!(out, "digraph {} {{", quoted(&chart.name))?;
        writeln!(out, "  rankdir=LR;")?;
        writeln!(out, "  node [shape=box, style=rounded, fontname=\"sans-serif\"];")?;
        writeln!(out, "  edge [fontname=\"sans-serif\", fontsize=10];")?;
        if !chart.initial.is_empty() {
            writeln!(out, "  \"\" [shape=point];")?;
        }
        for state in &chart.states {
            let shape = if chart.finals.contains(state) { " [peripheries=2]" } else { "" };
            writeln!(out, "  {}{shape};", quoted(state))?;
        }
        for state in &chart.initial {
            writeln!(out, "  \"\" -> {};", quoted(state))?;
        }
        for e in &chart.edges {
            let guard = if e.guard.is_empty() { String::new() } else { format!(" [{}]", e.guard) };
            writeln!(out, "  {} -> {} [label={}];", quoted(&e.from), quoted(&e.to), quoted(&format!("{}{guard}", e.event)))?;
        }
        writeln!(out, "}}")?;
    }
    Ok(())
}

/// A text as the DOT language quotes it.
pub(crate) fn quoted(text: &str) -> String {
    let plain: String = text.chars().filter(|c| !c.is_control()).collect();
    format!("\"{}\"", plain.replace('\\', "\\\\").replace('"', "\\\""))
}
