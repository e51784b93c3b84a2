//! The result of a replay as text: the verdict, the first difference first, both orders
//! side by side.

use std::io::{self, Write};

use crate::escape;
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// A line of one of the two orders.
#[derive(Clone, Debug)]
pub struct SideLine {
    /// How deep it stands.
    pub depth: usize,
    /// The record's number.
    pub n: u64,
    /// What it says.
    pub text: String,
    /// Whether it differs.
    pub differs: bool,
}

/// A stimulus that changed.
#[derive(Clone, Debug)]
pub struct Changed {
    /// Its number.
    pub n: Option<u64>,
    /// What became of it, in a word.
    pub verdict: String,
    /// What differs, in sentences.
    pub differences: Vec<String>,
    /// The order before.
    pub before: Vec<SideLine>,
    /// The order after.
    pub after: Vec<SideLine>,
}

/// What is said of a comparison.
#[derive(Clone, Debug)]
pub struct Report {
    /// `unchanged`, `changed` or `undecided`.
    pub verdict: String,
    /// Verdicts with the number of stimuli that have them.
    pub counts: Vec<(String, u64)>,
    /// The stimuli that changed, in order.
    pub changed: Vec<Changed>,
    /// Renames that are taken for granted: from, to.
    pub assumed: Vec<(String, String)>,
    /// Kinds of records that were left out, with their numbers before and after.
    pub seen_through: Vec<(String, u64, u64)>,
}

/// How many changed stimuli are shown in full.
const SHOWN: usize = 3;
/// An order of so many lines is shown in full; of longer ones what differs.
const WHOLE: usize = 40;
/// With so many lines around it.
const AROUND: usize = 3;
/// How many more are named in a line each.
const NAMED: usize = 20;

/// Writes the report.
pub fn write(out: &mut dyn Write, report: &Report, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let role = match report.verdict.as_str() {
        "unchanged" => Role::Good,
        "undecided" => Role::Note,
        _ => Role::Error,
    };
    let counts: Vec<String> = report.counts.iter().filter(|(_, n)| *n > 0).map(|(word, n)| format!("{n} {word}")).collect();
    writeln!(out, "dispatch {}  {}", p.paint(role, &report.verdict), p.paint(Role::Quiet, &counts.join(", ")))?;
    for (from, to) in &report.assumed {
        let text = format!(
            "assumed: {} is now called {}; --no-assume compares the names as they are",
            escape::terminal(from),
            escape::terminal(to)
        );
        writeln!(out, "{}", p.paint(Role::Note, &text))?;
    }
    for (kind, before, after) in &report.seen_through {
        let text = match (before, after) {
            (0, 0) => format!("seen through: {kind}, of which there is none"),
            _ => format!("seen through: {kind}, {before} before and {after} after"),
        };
        writeln!(out, "{}", p.paint(Role::Quiet, &text))?;
    }
    if report.verdict == "unchanged" && report.seen_through.iter().any(|(_, b, a)| b != a) {
        writeln!(out, "the same receivers, in the same order")?;
    }
    for changed in report.changed.iter().take(SHOWN) {
        writeln!(out)?;
        stimulus(out, changed, o)?;
    }
    if report.changed.len() > SHOWN {
        writeln!(out)?;
    }
    for changed in report.changed.iter().skip(SHOWN).take(NAMED) {
        let what = changed.differences.first().map_or("", String::as_str);
        let line = fit(&escape::terminal(&format!("{}: {what}", title(changed))), o.width.saturating_sub(14));
        writeln!(out, "{} {line}", p.paint(Role::Warning, &format!("{:10}", changed.verdict)))?;
    }
    if report.changed.len() > SHOWN + NAMED {
        let more = count(report.changed.len() - SHOWN - NAMED, "more stimulus changed", "more stimuli changed");
        writeln!(out, "\n{}", p.paint(Role::Quiet, &format!("{more}; --format json lists them all")))?;
    }
    Ok(())
}

fn stimulus(out: &mut dyn Write, c: &Changed, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    writeln!(out, "{} · {}", p.paint(Role::Heading, &escape::terminal(&title(c))), p.paint(Role::Warning, &c.verdict))?;
    for difference in &c.differences {
        writeln!(out, "  {}", escape::terminal(difference))?;
    }
    let column = (o.width.saturating_sub(7) / 2).max(20);
    writeln!(out, "  {}", p.paint(Role::Quiet, &format!("{:column$}   {}", "before", "after")))?;
    let rows = c.before.len().max(c.after.len());
    let differs = |row: usize| [c.before.get(row), c.after.get(row)].into_iter().flatten().any(|l| l.differs);
    let near = |row: usize| rows <= WHOLE || row == 0 || (row.saturating_sub(AROUND)..=row + AROUND).any(differs);
    let mut left_out = 0;
    for row in 0..rows {
        if !near(row) {
            left_out += 1;
            continue;
        }
        if left_out > 0 {
            writeln!(out, "  {}", p.paint(Role::Quiet, &format!("  … {}", count(left_out, "line", "lines"))))?;
            left_out = 0;
        }
        let left = cell(c.before.get(row), column);
        let right = cell(c.after.get(row), column);
        let paint = |side: Option<&SideLine>, text: &str| match side {
            Some(l) if l.differs => p.paint(Role::Warning, text),
            _ => text.to_owned(),
        };
        let padding = " ".repeat(column.saturating_sub(unicode_width::UnicodeWidthStr::width(left.as_str())));
        writeln!(out, "  {}{padding} {} {}", paint(c.before.get(row), &left), p.paint(Role::Quiet, "│"), paint(c.after.get(row), &right))?;
    }
    if left_out > 0 {
        writeln!(out, "  {}", p.paint(Role::Quiet, &format!("  … {}", count(left_out, "line", "lines"))))?;
    }
    Ok(())
}

/// What a stimulus is, in its own words where it is shown.
pub(crate) fn title(c: &Changed) -> String {
    let named = c.before.first().or(c.after.first()).map(|l| l.text.clone());
    named.unwrap_or_else(|| c.n.map_or_else(String::new, |n| format!("stimulus {n}")))
}

fn cell(line: Option<&SideLine>, width: usize) -> String {
    line.map_or_else(String::new, |l| {
        let mark = if l.differs { "≠" } else { " " };
        fit(&format!("{mark} {}{} {}", "  ".repeat(l.depth), l.n, escape::terminal(&l.text)), width)
    })
}
