//! A machine for a terminal: its chart, and what each state does about each event.

use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;
use yarrowgraph_model::Machine;

use super::Chart;
use crate::escape;
use crate::map_text::place;
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// Writes machines one after the other.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, machines: &[&Machine], o: &TextOptions) -> io::Result<()> {
    for (at, machine) in machines.iter().enumerate() {
        if at > 0 {
            writeln!(out)?;
        }
        one(out, machine, o)?;
    }
    Ok(())
}

fn one(out: &mut dyn Write, machine: &Machine, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let chart = Chart::of(machine);
    let id = escape::terminal(&machine.id);
    let about = format!(
        "{}, {}, {}",
        machine.encoding,
        count(chart.states.len(), "state", "states"),
        count(machine.transitions.len(), "transition", "transitions")
    );
    writeln!(out, "{}  {}  {}", p.paint(Role::Heading, &id), p.paint(Role::Quiet, &about), p.paint(Role::Quiet, &place(&machine.place)))?;
    let reached = chart.reached();
    let traps = chart.traps();
    if machine.initial.is_empty() {
        writeln!(out, "  {}", p.paint(Role::Warning, "starts in no state: nothing sets one at first"))?;
    }
    for state in &machine.states {
        let name = escape::terminal(&state.name).into_owned();
        let mark = if machine.initial.contains(&state.name) { "▸" } else { " " };
        let mut notes: Vec<(Role, &str)> = Vec::new();
        if !reached.contains_key(state.name.as_str()) {
            // what is not understood may lead there
            notes.push(if machine.open { (Role::Quiet, "no known way in") } else { (Role::Warning, "never reached") });
        }
        if state.is_final {
            notes.push((Role::Quiet, "final"));
        } else if traps.contains(&state.name.as_str()) {
            notes.push((Role::Note, "no way out"));
        }
        let notes: String = notes.iter().map(|(role, text)| format!("  {}", p.paint(*role, text))).collect();
        writeln!(out, "  {mark} {}{notes}", p.paint(Role::Name, &name))?;
        for t in machine.transitions.iter().filter(|t| t.from == state.name) {
            transition(out, t, o)?;
        }
    }
    if machine.transitions.iter().any(|t| t.from == "*") {
        writeln!(out, "    {}", p.paint(Role::Name, "from any state"))?;
        for t in machine.transitions.iter().filter(|t| t.from == "*") {
            transition(out, t, o)?;
        }
    }
    writeln!(out)?;
    table(out, &chart, o)
}

fn transition(out: &mut dyn Write, t: &yarrowgraph_model::Transition, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let guard = t.guard.as_ref().map(|g| format!("  if {g}")).unwrap_or_default();
    let where_ = place(&t.place);
    let width = o.width.saturating_sub(where_.width() + 10);
    let line = escape::terminal(&format!("{} → {}{guard}", t.event, t.to)).into_owned();
    writeln!(out, "      {}  {}", fit(&line, width), p.paint(Role::Quiet, &where_))
}

/// What each state does about each event; `·` where it does nothing.
fn table(out: &mut dyn Write, chart: &Chart, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let events = chart.events();
    if events.is_empty() {
        return Ok(());
    }
    let cell = |state: &str, event: &str| {
        let mut to: Vec<&str> = chart.edges.iter().filter(|e| e.from == state && e.event == event).map(|e| e.to.as_str()).collect();
        to.dedup();
        if to.is_empty() { "·".to_owned() } else { to.join(", ") }
    };
    let first = chart.states.iter().map(|s| s.width()).max().unwrap_or(0).min(24);
    let mut at = 0;
    while at < events.len() {
        // as many events side by side as the terminal is wide
        let mut widths = Vec::new();
        let mut used = first + 4;
        for event in &events[at..] {
            let widest = chart.states.iter().map(|s| cell(s, event).width()).max().unwrap_or(1).max(event.width()).min(28);
            if !widths.is_empty() && used + widest + 2 > o.width {
                break;
            }
            used += widest + 2;
            widths.push(widest);
        }
        let shown = &events[at..at + widths.len()];
        let head: String = shown.iter().zip(&widths).map(|(e, w)| pad(&fit(&escape::terminal(e), *w), *w)).collect();
        writeln!(out, "  {}", p.paint(Role::Quiet, format!("{}  {head}", pad_to("", first)).trim_end()))?;
        for state in &chart.states {
            let row: String = shown.iter().zip(&widths).map(|(e, w)| pad(&fit(&escape::terminal(&cell(state, e)), *w), *w)).collect();
            writeln!(out, "  {}  {}", p.paint(Role::Name, &pad_to(&fit(&escape::terminal(state), first), first)), row.trim_end())?;
        }
        at += widths.len();
        if at < events.len() {
            writeln!(out)?;
        }
    }
    let holes = chart.states.iter().flat_map(|s| events.iter().map(move |e| (s, e))).filter(|(s, e)| cell(s, e) == "·").count();
    let all = chart.states.len() * events.len();
    writeln!(out, "  {}", p.paint(Role::Quiet, &format!("{holes} of {all} pairs of state and event move nothing")))
}

fn pad_to(text: &str, width: usize) -> String {
    format!("{text}{}", " ".repeat(width.saturating_sub(text.width())))
}

fn pad(text: &str, width: usize) -> String {
    format!("{}  ", pad_to(text, width))
}
