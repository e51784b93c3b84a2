//! What a run did from a record on: as a tree, and as a sequence diagram.

use std::io::{self, Write};

use crate::escape;
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// A line of a tree.
#[derive(Clone, Debug)]
pub struct StepLine {
    /// How deep it stands.
    pub depth: usize,
    /// The record's number.
    pub n: u64,
    /// What it says.
    pub text: String,
    /// The object that it happens to; empty for none.
    pub object: String,
    /// Its lane, where that is not the main one; empty else.
    pub lane: String,
    /// How it ended; empty where nothing says so, or it ended well.
    pub outcome: String,
}

/// Trees that say the same.
#[derive(Clone, Debug)]
pub struct Tree {
    /// How many there are.
    pub times: u64,
    /// The first of them.
    pub steps: Vec<StepLine>,
}

/// How many trees are shown.
const SHOWN: usize = 12;

/// Writes trees.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, trees: &[Tree], found: u64, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let head = format!("{}, {}", count(found as usize, "time", "times"), count(trees.len(), "way", "ways"));
    writeln!(out, "{}", p.paint(Role::Quiet, &head))?;
    for tree in trees.iter().take(SHOWN) {
        writeln!(out)?;
        if tree.times > 1 {
            writeln!(out, "{}", p.paint(Role::Heading, &format!("{} times, first:", tree.times)))?;
        }
        for (at, step) in tree.steps.iter().enumerate() {
            let branch = branch(&tree.steps, at);
            let object = if step.object.is_empty() { String::new() } else { format!("  {}", step.object) };
            let lane = if step.lane.is_empty() { String::new() } else { format!("  in {}", step.lane) };
            let text = fit(&escape::terminal(&step.text), o.width.saturating_sub(branch.chars().count() + 24));
            let outcome = match step.outcome.as_str() {
                "" | "done" => String::new(),
                "threw" | "rejected" => format!("  {}", p.paint(Role::Error, &step.outcome)),
                other => format!("  {}", p.paint(Role::Note, other)),
            };
            let beside = p.paint(Role::Quiet, &escape::terminal(&format!("{object}{lane}")));
            writeln!(out, "{:>7}  {}{text}{beside}{outcome}", step.n, p.paint(Role::Quiet, &branch))?;
        }
    }
    if trees.len() > SHOWN {
        let more = format!("\n… {}; --format json lists them all", count(trees.len() - SHOWN, "more way", "more ways"));
        writeln!(out, "{}", p.paint(Role::Quiet, &more))?;
    }
    Ok(())
}

/// The lines that lead to a step.
fn branch(steps: &[StepLine], at: usize) -> String {
    let depth = steps[at].depth;
    if depth == 0 {
        return String::new();
    }
    let goes_on = |level: usize| steps[at + 1..].iter().take_while(|s| s.depth >= level).any(|s| s.depth == level);
    let above: String = (1..depth).map(|level| if goes_on(level) { "│  " } else { "   " }).collect();
    format!("{above}{}", if goes_on(depth) { "├▸ " } else { "└▸ " })
}

/// Writes the first tree as a Mermaid sequence diagram: objects side by side, what each does to the next from top to bottom.
///
/// # Errors
///
/// When nothing can be written.
pub fn write_mermaid(out: &mut dyn Write, tree: &Tree) -> io::Result<()> {
    writeln!(out, "sequenceDiagram")?;
    let mut names: Vec<&str> = vec!["outside"];
    for step in &tree.steps {
        if !step.object.is_empty() && !names.contains(&step.object.as_str()) {
            names.push(&step.object);
        }
    }
    for (at, name) in names.iter().enumerate() {
        writeln!(out, "  participant p{at} as {}", safe(name))?;
    }
    let number = |name: &str| names.iter().position(|n| *n == name).unwrap_or(0);
    // for each depth who acts there
    let mut acting: Vec<usize> = vec![0];
    for step in &tree.steps {
        acting.truncate(step.depth + 1);
        let from = acting.last().copied().unwrap_or(0);
        let to = if step.object.is_empty() { from } else { number(&step.object) };
        let arrow = if step.outcome == "threw" { "-x" } else { "->>" };
        writeln!(out, "  p{from}{arrow}p{to}: {}", safe(&step.text))?;
        acting.push(to);
    }
    Ok(())
}

/// A text with what the diagram's grammar would take for its own written as entities.
fn safe(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            '#' => out.push_str("#35;"),
            ';' => out.push_str("#59;"),
            ':' => out.push_str("#58;"),
            '\n' | '\r' => out.push(' '),
            _ => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn steps() -> Tree {
        let step = |depth, n, text: &str, object: &str| StepLine {
            depth,
            n,
            text: text.into(),
            object: object.into(),
            lane: String::new(),
            outcome: String::new(),
        };
        Tree {
            times: 1,
            steps: vec![
                step(0, 1, "raise Gauge.rose", "Gauge#1"),
                step(1, 2, "deliver to Board.show", "Board#1"),
                step(2, 3, "call Lamp.light", "Lamp#1"),
                step(1, 4, "deliver to Log.note", "Log#1"),
            ],
        }
    }

    #[test]
    fn branches_lead_to_the_steps() {
        let mut out = Vec::new();
        let options = TextOptions { palette: crate::Palette::new(false), width: 80 };
        write(&mut out, &[steps()], 1, &options).expect("written");
        let text = String::from_utf8(out).expect("text");
        assert!(
            text.contains("      2  ├▸ deliver to Board.show  Board#1\n      3  │  └▸ call Lamp.light  Lamp#1\n      4  └▸ deliver"),
            "{text}"
        );
    }

    #[test]
    fn a_diagram_shows_who_acts_on_whom() {
        let mut out = Vec::new();
        write_mermaid(&mut out, &steps()).expect("written");
        let text = String::from_utf8(out).expect("text");
        assert!(
            text.contains("p0->>p1: raise Gauge.rose\n  p1->>p2: deliver to Board.show\n  p2->>p3: call Lamp.light\n  p1->>p4: deliver"),
            "{text}"
        );
    }
}
