//! What something sets off, as the code says it: as a tree, as a sequence diagram, and against a designed one.

use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;
use yarrowgraph_model::{FollowedTree, SetOff, SetOffKind, WayEnd};

use crate::escape;
use crate::map_text::{place, short};
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// Writes a tree.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, tree: &FollowedTree, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    for (at, step) in tree.steps.iter().enumerate() {
        let branch = branch(&tree.steps, at);
        let beside = step.place.as_ref().map(place).unwrap_or_default();
        let condition = step.condition.as_ref().map(|c| format!("  if {c}")).unwrap_or_default();
        let note = step.note.as_ref().map(|n| format!("  ({n})")).unwrap_or_default();
        let text = if step.kind == SetOffKind::Move { step.text.clone() } else { short(&step.text) };
        let line = escape::terminal(&format!("{} {text}{condition}", word(step.kind))).into_owned();
        let room = o.width.saturating_sub(branch.width() + beside.width() + note.width() + 4);
        writeln!(
            out,
            "{}{}{}  {}",
            p.paint(Role::Quiet, &branch),
            fit(&line, room.max(20)),
            p.paint(Role::Note, &escape::terminal(&note)),
            p.paint(Role::Quiet, &escape::terminal(&beside))
        )?;
    }
    if tree.left_out > 0 {
        writeln!(out, "{}", p.paint(Role::Quiet, &format!("… and {}", count(tree.left_out as usize, "step more", "steps more"))))?;
    }
    write_ways(out, tree, o)?;
    if !tree.codes.is_empty() {
        writeln!(out)?;
        writeln!(out, "{}", p.paint(Role::Heading, "which link takes which code"))?;
        let width = tree.codes.iter().map(|c| c.code.width()).max().unwrap_or(0);
        for row in &tree.codes {
            let links: Vec<String> = row.links.iter().map(|l| short(l)).collect();
            let (role, text) = match links.len() {
                0 => (Role::Warning, "nobody".to_owned()),
                1 => (Role::Quiet, links[0].clone()),
                _ => (Role::Note, links.join(", then ")),
            };
            let pad = " ".repeat(width.saturating_sub(row.code.width()));
            writeln!(out, "  {}{pad}  {}", p.paint(Role::Name, &escape::terminal(&row.code)), p.paint(role, &escape::terminal(&text)))?;
        }
    }
    Ok(())
}

/// The ways through a chain, each on a line: the links, how it ends, and on which conditions.
fn write_ways(out: &mut dyn Write, tree: &FollowedTree, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    if tree.ways.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    writeln!(out, "{}", p.paint(Role::Heading, &format!("{} for a request", count(tree.ways.len(), "way", "ways"))))?;
    for (number, way) in tree.ways.iter().enumerate() {
        let links: Vec<String> = way.links.iter().map(|l| short(l)).collect();
        let (role, end) = match way.ends {
            WayEnd::Taken => (None, "takes it"),
            WayEnd::Refused => (Some(Role::Note), "refuses it"),
            WayEnd::Unknown => (Some(Role::Note), "may take it"),
            WayEnd::Nobody => (Some(Role::Warning), "passes it on to nobody"),
            WayEnd::Circle => (Some(Role::Warning), "passes it back to the first"),
        };
        let end = role.map_or_else(|| end.to_owned(), |role| p.paint(role, end));
        let number = p.paint(Role::Quiet, &format!("{:>4}", number + 1));
        writeln!(out, "{number}  {} {end}", escape::terminal(&links.join(" → ")))?;
        for (at, condition) in way.conditions.iter().enumerate() {
            let word = if at == 0 { "if" } else { "and" };
            writeln!(out, "        {}", p.paint(Role::Quiet, &format!("{word:>3} {}", escape::terminal(condition))))?;
        }
    }
    if tree.ways_left_out > 0 {
        let more = count(tree.ways_left_out as usize, "way more", "ways more");
        writeln!(out, "{}", p.paint(Role::Quiet, &format!("      … and {more}")))?;
    }
    Ok(())
}

fn word(kind: SetOffKind) -> &'static str {
    match kind {
        SetOffKind::Call => "calls",
        SetOffKind::Raise => "raises",
        SetOffKind::Deliver => "tells",
        SetOffKind::Issue => "issues",
        SetOffKind::Queue => "held by",
        SetOffKind::Run => "runs",
        SetOffKind::Offer => "offers to",
        SetOffKind::Link => "link",
        SetOffKind::Move => "moves",
    }
}

/// The lines that lead to a step.
fn branch(steps: &[SetOff], at: usize) -> String {
    let depth = steps[at].depth;
    if depth == 0 {
        return String::new();
    }
    let goes_on = |level: u32| steps[at + 1..].iter().take_while(|s| s.depth >= level).any(|s| s.depth == level);
    let above: String = (1..depth).map(|level| if goes_on(level) { "│  " } else { "   " }).collect();
    format!("{above}{}", if goes_on(depth) { "├─ " } else { "└─ " })
}

/// A message of a sequence diagram.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Message {
    /// Who sends it.
    pub from: String,
    /// Who gets it.
    pub to: String,
    /// What it says.
    pub text: String,
}

/// The messages of what is set off, each from whoever stands above it.
fn said(tree: &FollowedTree) -> Vec<Message> {
    let mut found = Vec::new();
    let mut above: Vec<(u32, String)> = Vec::new();
    for step in &tree.steps {
        above.retain(|(depth, _)| *depth < step.depth);
        let from = above.last().map_or_else(|| "start".to_owned(), |(_, who)| who.clone());
        let plain = step.text.split(['(', ' ']).next().unwrap_or(&step.text);
        let (owner, name) = plain.rsplit_once('.').unwrap_or(("", plain));
        let class = owner.rsplit('.').next().unwrap_or(owner);
        let (to, text) = match step.kind {
            SetOffKind::Issue | SetOffKind::Link => (name.to_owned(), word(step.kind).to_owned()),
            SetOffKind::Move => (from.clone(), step.text.split(": ").nth(1).unwrap_or(&step.text).to_owned()),
            SetOffKind::Raise => (if class.is_empty() { from.clone() } else { class.to_owned() }, format!("raises {name}")),
            _ => (if class.is_empty() { name.to_owned() } else { class.to_owned() }, name.to_owned()),
        };
        above.push((step.depth, to.clone()));
        found.push(Message { from, to, text });
    }
    found
}

/// Writes a sequence diagram in Mermaid's language.
///
/// # Errors
///
/// When nothing can be written.
pub fn write_mermaid(out: &mut dyn Write, tree: &FollowedTree) -> io::Result<()> {
    writeln!(out, "sequenceDiagram")?;
    for message in said(tree) {
        writeln!(out, "  {}->>{}: {}", name(&message.from), name(&message.to), text(&message.text))?;
    }
    Ok(())
}

fn name(text: &str) -> String {
    text.chars().map(|c| if c.is_alphanumeric() || c == '_' { c } else { '_' }).collect()
}

/// A text with what the language takes for its own as the codes that it has for that.
fn text(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars().filter(|c| !c.is_control()) {
        match c {
            '#' => out.push_str("#35;"),
            ';' => out.push_str("#59;"),
            c => out.push(c),
        }
    }
    out
}

/// Reads the messages of a sequence diagram; participants go by the names that they stand for.
///
/// # Errors
///
/// What is no sequence diagram, with the line.
pub fn messages(source: &str) -> Result<Vec<Message>, String> {
    let mut lines = source.lines().enumerate().map(|(n, l)| (n + 1, l.trim())).filter(|(_, l)| !l.is_empty() && !l.starts_with("%%"));
    match lines.next() {
        Some((_, "sequenceDiagram")) => {}
        Some((n, _)) => return Err(format!("line {n}: a sequence diagram begins with `sequenceDiagram`")),
        None => return Err("there is nothing in it".to_owned()),
    }
    let mut aliases: Vec<(String, String)> = Vec::new();
    let mut found = Vec::new();
    for (n, line) in lines {
        if let Some(rest) = line.strip_prefix("participant ").or_else(|| line.strip_prefix("actor ")) {
            if let Some((alias, of)) = rest.split_once(" as ") {
                aliases.push((alias.trim().to_owned(), of.trim().to_owned()));
            }
            continue;
        }
        // blocks and notes are no messages
        let is_word = |w: &str| line == w || line.starts_with(&format!("{w} "));
        if ["loop", "alt", "else", "opt", "par", "and", "end", "note", "Note", "activate", "deactivate", "autonumber", "rect", "title"]
            .iter()
            .any(|w| is_word(w))
        {
            continue;
        }
        let Some((who, text)) = line.split_once(':') else { return Err(format!("line {n}: no message: `{line}`")) };
        let arrows = ["-->>", "->>", "-->", "->", "--x", "-x", "--)", "-)"];
        let Some((from, to)) = arrows.iter().find_map(|a| who.split_once(a)) else { return Err(format!("line {n}: no arrow: `{line}`")) };
        let named = |w: &str| {
            let w = w.trim().trim_start_matches(['+', '-']).trim();
            aliases.iter().find(|(a, _)| a == w).map_or_else(|| w.to_owned(), |(_, of)| of.clone())
        };
        found.push(Message { from: named(from), to: named(to), text: text.trim().replace("#35;", "#").replace("#59;", ";") });
    }
    Ok(found)
}

/// What the code says and a design does not, the reverse, and what stands in another order.
pub fn against(tree: &FollowedTree, design: &[Message]) -> Vec<String> {
    let show = |m: &Message| format!("{} → {}: {}", name(&m.from), name(&m.to), m.text.trim_end_matches("()"));
    let code: Vec<String> = said(tree).iter().filter(|m| m.from != "start").map(show).collect();
    // whoever starts it is not told apart
    let participants: Vec<String> = said(tree).iter().map(|m| name(&m.to)).collect();
    let design: Vec<String> = design.iter().filter(|m| participants.contains(&name(&m.from))).map(show).collect();
    let mut found = Vec::new();
    for line in code.iter().filter(|l| !design.contains(l)) {
        found.push(format!("in the code alone: {line}"));
    }
    for line in design.iter().filter(|l| !code.contains(l)) {
        found.push(format!("in the design alone: {line}"));
    }
    let mut last = 0;
    for line in design.iter().filter(|l| code.contains(l)) {
        let at = code.iter().skip(last).position(|l| l == line).map(|i| i + last);
        match at {
            Some(at) => last = at,
            None => found.push(format!("in another order: {line}")),
        }
    }
    found
}

/// Writes what differs.
///
/// # Errors
///
/// When nothing can be written.
pub fn write_differences(out: &mut dyn Write, found: &[String], o: &TextOptions) -> io::Result<()> {
    if found.is_empty() {
        return writeln!(out, "code and design agree");
    }
    for line in found {
        writeln!(out, "{}", o.palette.paint(Role::Warning, &escape::terminal(line)))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn step(depth: u32, kind: SetOffKind, text: &str) -> SetOff {
        SetOff { depth, kind, text: text.into(), place: None, condition: None, note: None }
    }

    fn tree() -> FollowedTree {
        let steps = vec![
            step(0, SetOffKind::Call, "lock.Gauge.rise"),
            step(1, SetOffKind::Raise, "lock.Gauge.Rose"),
            step(2, SetOffKind::Deliver, "lock.Board.show"),
            step(2, SetOffKind::Deliver, "lock.Log.write"),
        ];
        FollowedTree {
            format: String::new(),
            version: 1,
            start: String::new(),
            steps,
            codes: Vec::new(),
            ways: Vec::new(),
            ways_left_out: 0,
            left_out: 0,
        }
    }

    #[test]
    fn a_design_that_agrees_and_one_that_does_not() {
        let agrees = "sequenceDiagram\n participant G as Gauge\n G->>G: raises Rose\n G->>Board: show\n G->>Log: write\n";
        assert_eq!(against(&tree(), &messages(agrees).expect("readable")), Vec::<String>::new());
        let swapped = "sequenceDiagram\nGauge->>Gauge: raises Rose\nGauge->>Log: write\nGauge->>Board: show\nGauge->>Bell: ring\n";
        let found = against(&tree(), &messages(swapped).expect("readable"));
        assert_eq!(found, ["in the design alone: Gauge → Bell: ring", "in another order: Gauge → Board: show"]);
        assert!(messages("sequenceDiagram\nGauge Board").is_err_and(|e| e.starts_with("line 2")));
    }
}
