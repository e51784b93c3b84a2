//! Findings as text: the place first, then rule and certainty, the sentence, the source
//! with the blamed stretch marked, and numbered related places with their lines.

use std::io::{self, Write};

use yarrowgraph_model::{Certainty, Finding, Level, Place};

use crate::escape;
use crate::style::Role;
use crate::text::{Sources, TextOptions, count, fit, shown_line};

/// What is said after the findings.
#[derive(Clone, Copy, Debug, Default)]
pub struct Totals {
    /// Files read.
    pub files: usize,
    /// Pieces of wiring that could not be resolved.
    pub unresolved: usize,
    /// Findings accepted on purpose.
    pub accepted: usize,
}

/// Writes findings as text.
pub fn write(out: &mut dyn Write, findings: &[Finding], totals: Totals, sources: &dyn Sources, options: &TextOptions) -> io::Result<()> {
    for finding in findings {
        one(out, finding, sources, options)?;
        writeln!(out)?;
    }
    summary(out, findings, totals, options)
}

fn one(out: &mut dyn Write, f: &Finding, sources: &dyn Sources, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let (role, word) = match f.level {
        Level::Error => (Role::Error, "error"),
        Level::Warning => (Role::Warning, "warning"),
        Level::Note => (Role::Note, "note"),
    };
    let certainty = match f.certainty {
        Certainty::Certain => "certain",
        Certainty::Likely => "likely",
        Certainty::Possible => "possible",
    };
    writeln!(out, "{}", p.paint(Role::Place, &place(&f.place)))?;
    writeln!(out, "  {} · {} · {certainty}", p.paint(Role::Rule, &f.rule), p.paint(role, word))?;
    writeln!(out, "  {}", escape::terminal(&f.message))?;
    excerpt(out, &f.place, role, sources, o)?;
    for (i, r) in f.related.iter().enumerate() {
        let mark = p.paint(Role::Quiet, &format!("({})", i + 1));
        writeln!(out, "  {mark} {}, {}", p.paint(Role::Place, &place(&r.place)), escape::terminal(&r.message))?;
        if let Some(line) = sources.line(&r.place.file, r.place.line) {
            let line = fit(escape::terminal(line.trim()).as_ref(), o.width.saturating_sub(8));
            writeln!(out, "      {}", p.paint(Role::Quiet, &line))?;
        }
    }
    if let Some(edit) = &f.edit {
        writeln!(out, "  {} {}", p.paint(Role::Quiet, "edit:"), escape::terminal(&edit.label))?;
        if let Some(line) = sources.line(&edit.place.file, edit.place.line) {
            // as the line reads afterwards, with what is new in it painted
            let (before, after) = split_at(&line, edit.place.column);
            let gone = (edit.place.end - edit.place.start) as usize;
            let after = after.get(gone..).unwrap_or_default();
            let text = edit.text.split_once('\n').map_or(edit.text.as_str(), |(first, _)| first);
            let after = if edit.text.contains('\n') { "" } else { after };
            let text = p.paint(Role::Place, &escape::terminal(text));
            writeln!(out, "      {}{text}{}", escape::terminal(before.trim_start()), escape::terminal(after.trim_end()))?;
        }
    }
    Ok(())
}

/// A line up to a column, counted in characters from 1, and the rest of it.
fn split_at(line: &str, column: u32) -> (&str, &str) {
    let at = line.char_indices().nth(column.saturating_sub(1) as usize).map_or(line.len(), |(at, _)| at);
    line.split_at(at)
}

fn place(p: &Place) -> String {
    format!("{}:{}:{}", escape::terminal(&p.file), p.line, p.column)
}

fn excerpt(out: &mut dyn Write, at: &Place, role: Role, sources: &dyn Sources, o: &TextOptions) -> io::Result<()> {
    let Some(line) = sources.line(&at.file, at.line) else { return Ok(()) };
    // a stretch over several lines is marked to the end of its first one
    let bytes = (at.end - at.start) as usize;
    let rest: String = line.chars().skip(at.column.saturating_sub(1) as usize).collect();
    let marked =
        if bytes >= rest.len() { rest.trim_end().chars().count() } else { rest.char_indices().take_while(|(i, _)| *i < bytes).count() };
    let (shown, start, len) = shown_line(&line, at.column, marked);
    let number = at.line.to_string();
    let p = o.palette;
    let room = o.width.saturating_sub(number.len() + 6);
    writeln!(out, "    {} {}", p.paint(Role::Quiet, &format!("{number} ┆")), fit(&shown, room))?;
    if start < room {
        let pad = " ".repeat(number.len() + 6 + start);
        writeln!(out, "{pad} {}", p.paint(role, &"▔".repeat(len.min(room - start))))?;
    }
    Ok(())
}

fn summary(out: &mut dyn Write, findings: &[Finding], t: Totals, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let of = |level: Level| findings.iter().filter(|f| f.level == level).count();
    let (errors, warnings, notes) = (of(Level::Error), of(Level::Warning), of(Level::Note));
    if findings.is_empty() {
        writeln!(out, "{} in {}", p.paint(Role::Good, "nothing to report"), count(t.files, "file", "files"))?;
    } else {
        // what there is none of stays in the background
        let part = |role: Role, n: usize, one: &str, many: &str| p.paint(if n == 0 { Role::Quiet } else { role }, &count(n, one, many));
        let parts = [
            part(Role::Error, errors, "error", "errors"),
            part(Role::Warning, warnings, "warning", "warnings"),
            part(Role::Note, notes, "note", "notes"),
        ];
        writeln!(out, "{} in {}", parts.join(", "), count(t.files, "file", "files"))?;
    }
    if t.accepted > 0 {
        writeln!(out, "{} accepted on purpose", count(t.accepted, "finding is", "findings are"))?;
    }
    if t.unresolved > 0 {
        let what = count(t.unresolved, "piece of wiring was", "pieces of wiring were");
        writeln!(
            out,
            "{}",
            p.paint(Role::Quiet, &format!("{what} not resolved; `yarrowgraph map --format json` lists them under \"unresolved\""))
        )?;
    }
    Ok(())
}
