//! A machine as a state diagram in Mermaid's language.

use std::collections::BTreeMap;
use std::io::{self, Write};

use super::Chart;

/// Writes charts, one diagram each.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, charts: &[Chart]) -> io::Result<()> {
    for chart in charts {
        writeln!(out, "stateDiagram-v2")?;
        let ids: BTreeMap<&str, String> = chart.states.iter().enumerate().map(|(i, s)| (s.as_str(), id(s, i))).collect();
        let of = |s: &str| ids.get(s).cloned().unwrap_or_else(|| id(s, chart.states.len()));
        for state in &chart.states {
            if of(state) != *state {
                writeln!(out, "  state \"{}\" as {}", plain(state), of(state))?;
            }
        }
        for state in &chart.initial {
            writeln!(out, "  [*] --> {}", of(state))?;
        }
        for e in &chart.edges {
            let guard = if e.guard.is_empty() { String::new() } else { format!(" [{}]", e.guard) };
            writeln!(out, "  {} --> {} : {}", of(&e.from), of(&e.to), plain(&format!("{}{guard}", e.event)))?;
        }
        for state in &chart.finals {
            writeln!(out, "  {} --> [*]", of(state))?;
        }
    }
    Ok(())
}

/// A name that needs no quotes.
fn id(name: &str, at: usize) -> String {
    let fits = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') && name.chars().next().is_some_and(|c| c.is_ascii_alphabetic());
    // `end` and `state` are words of the language
    if fits && !matches!(name, "end" | "state" | "note") { name.to_owned() } else { format!("s{at}") }
}

/// A text without what the language would take for its own.
fn plain(text: &str) -> String {
    text.chars().map(|c| if matches!(c, '"' | ';' | '#' | ':') || c.is_control() { ' ' } else { c }).collect()
}
