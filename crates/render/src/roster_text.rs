//! A roster as text: what is wrong first, then who is attached, channel by channel, then how the numbers went.

use std::io::{self, Write};

use crate::escape;
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// Somebody on a channel, or a delivery to somebody.
#[derive(Clone, Debug)]
pub struct Line {
    /// The channel.
    pub channel: String,
    /// Who.
    pub who: String,
    /// What is said of it.
    pub said: String,
}

/// How the number of those on a channel went.
#[derive(Clone, Debug)]
pub struct CountLine {
    /// The channel.
    pub channel: String,
    /// Joined, left, most at one time, now.
    pub numbers: [u64; 4],
}

/// What is said of a run.
#[derive(Clone, Debug)]
pub struct Report {
    /// What the roster is of, in words.
    pub when: String,
    /// What is wrong: a heading, and those that it is about.
    pub wrong: Vec<(String, Vec<Line>)>,
    /// Who is attached.
    pub attached: Vec<Line>,
    /// How the numbers went.
    pub counts: Vec<CountLine>,
}

/// So many lines of a kind are shown.
const SHOWN: usize = 40;

/// Writes the report.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, report: &Report, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let wrong: usize = report.wrong.iter().map(|(_, lines)| lines.len()).sum();
    let channels = report.counts.len();
    let summary = format!("{}, {}", count(report.attached.len(), "attached", "attached"), count(channels, "channel", "channels"));
    writeln!(out, "{}  {}", p.paint(Role::Heading, &escape::terminal(&report.when)), p.paint(Role::Quiet, &summary))?;
    for (heading, lines) in report.wrong.iter().filter(|(_, lines)| !lines.is_empty()) {
        writeln!(out, "\n{}", p.paint(Role::Error, heading))?;
        for line in lines.iter().take(SHOWN) {
            let text = format!("{} on {}: {}", line.who, line.channel, line.said);
            writeln!(out, "  {}", fit(&escape::terminal(&text), o.width.saturating_sub(2)))?;
        }
        more(out, lines.len(), o)?;
    }
    let mut channel = None;
    for line in report.attached.iter().take(SHOWN * 5) {
        if channel != Some(&line.channel) {
            writeln!(out, "\n{}", escape::terminal(&line.channel))?;
            channel = Some(&line.channel);
        }
        let text = fit(&escape::terminal(&line.who), o.width.saturating_sub(30));
        writeln!(out, "  {} {text}  {}", p.paint(Role::Name, "◂"), p.paint(Role::Quiet, &line.said))?;
    }
    more(out, report.attached.len().saturating_sub(SHOWN * 4), o)?;
    if !report.counts.is_empty() {
        let width = report.counts.iter().take(SHOWN).map(|c| unicode_width::UnicodeWidthStr::width(c.channel.as_str())).max().unwrap_or(0);
        let width = width.clamp(10, o.width.saturating_sub(36).max(10));
        writeln!(out, "\n{}", p.paint(Role::Quiet, &format!("{:width$}  joined    left    most     now", "channel")))?;
        for c in report.counts.iter().take(SHOWN) {
            let name = fit(&escape::terminal(&c.channel), width);
            let padding = " ".repeat(width.saturating_sub(unicode_width::UnicodeWidthStr::width(name.as_str())));
            let [joined, left, most, now] = c.numbers;
            let back = if now == 0 { Role::Good } else { Role::Note };
            writeln!(out, "{name}{padding}{joined:8}{left:8}{most:8}{}", p.paint(back, &format!("{now:8}")))?;
        }
        more(out, report.counts.len(), o)?;
    }
    let end = match wrong {
        0 => p.paint(Role::Good, "nobody was called or left where they should not be"),
        n => p.paint(Role::Error, &count(n, "is wrong", "are wrong")),
    };
    writeln!(out, "\n{end}")
}

fn more(out: &mut dyn Write, lines: usize, o: &TextOptions) -> io::Result<()> {
    if lines > SHOWN {
        let text = format!("  … {}; --format json lists them all", count(lines - SHOWN, "more", "more"));
        writeln!(out, "{}", o.palette.paint(Role::Quiet, &text))?;
    }
    Ok(())
}
