//! Files whose `#if` branches cut through declarations or expressions: they are read as the
//! compiler would, with one branch of each.

use std::borrow::Cow;
use std::collections::BTreeMap;

use tree_sitter::Tree;
use yarrowgraph_ir::Span;

use crate::driver;
use crate::parse::{self, Grammar, Unread};

/// Parses a text as it is, or with one branch of each `#if` where at least `worth` bytes more can then be read.
pub(crate) fn parse(grammar: Grammar, text: &str, worth: u32) -> Result<(Cow<'_, str>, Tree), Unread> {
    let tree = parse::parse(grammar, text)?;
    if !tree.root_node().has_error() || !text.contains("#if") {
        return Ok((Cow::Borrowed(text), tree));
    }
    let whole = unread(&tree);
    if whole < worth {
        return Ok((Cow::Borrowed(text), tree));
    }
    let errors = driver::errors(&tree);
    let (mut least, mut best) = (whole.saturating_sub(worth.saturating_sub(1)), (Cow::Borrowed(text), tree));
    for keep in [Keep::First, Keep::Last] {
        let one = only(text, keep, &errors);
        // no branch stands where the grammar could not read, and what is the same is read the same
        if one == text || one == *best.0 {
            continue;
        }
        let tree = parse::parse(grammar, &one)?;
        let left = unread(&tree);
        if left < least {
            (least, best) = (left, (Cow::Owned(one), tree));
        }
        if left == 0 {
            break;
        }
    }
    Ok(best)
}

/// How many bytes the grammar could not read; stretches without bytes count too.
fn unread(tree: &Tree) -> u32 {
    driver::errors(tree).iter().map(|e| e.end - e.start + 1).sum()
}

/// Which branch of each `#if` is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Keep {
    /// The first.
    First,
    /// The last, which is that of `#else` where there is one.
    Last,
}

/// The text with blanks in place of all other branches and of the directives themselves, so that
/// every byte keeps its place. Only what begins in one of some stretches is touched.
fn only(text: &str, keep: Keep, around: &[Span]) -> String {
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let last = last_branches(&lines);
    let touched = touched(&lines, around);
    let mut out = String::with_capacity(text.len());
    // for each open `#if` whether its current branch is kept, none where it is left as it is; and whether those within go with it
    let mut open: Vec<(Option<bool>, bool)> = Vec::new();
    for (number, line) in lines.iter().enumerate() {
        let is_kept = |first: bool| match keep {
            Keep::First => first,
            Keep::Last => last.contains(&number),
        };
        let branches = match directive(line) {
            Some("if") => {
                let own = touched.get(&number).copied();
                let with_another = open.last().is_some_and(|(kept, takes)| kept.is_some() && *takes);
                let takes = with_another || own == Some(Touch::Directive);
                open.push(((takes || own.is_some()).then(|| is_kept(true)), takes));
                takes || own.is_some()
            }
            Some("elif" | "else") => {
                let current = open.last_mut().and_then(|(kept, _)| kept.as_mut());
                let touched = current.is_some();
                current.into_iter().for_each(|kept| *kept = is_kept(false));
                touched
            }
            Some("endif") => open.pop().is_some_and(|(kept, _)| kept.is_some()),
            _ => false,
        };
        if branches || open.iter().any(|(kept, _)| *kept == Some(false)) {
            blank(line, &mut out);
        } else {
            out.push_str(line);
        }
    }
    out
}

/// How a stretch touches an `#if`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Touch {
    /// A directive stands in it.
    Directive,
    /// It stands in a branch, and in no `#if` within.
    Branch,
}

/// The lines of each `#if` that some stretches touch.
fn touched(lines: &[&str], around: &[Span]) -> BTreeMap<usize, Touch> {
    struct Open {
        number: usize,
        start: u32,
        near: bool,
    }
    let mut found = BTreeMap::new();
    let mut open: Vec<Open> = Vec::new();
    let mut claimed = vec![false; around.len()];
    let mut at = 0;
    for (number, line) in lines.iter().enumerate() {
        let start = at;
        at += line.len() as u32;
        let near = || around.iter().any(|e| e.start <= at && start <= e.end);
        match directive(line) {
            Some("if") => open.push(Open { number, start, near: near() }),
            Some("elif" | "else") => {
                if let Some(open) = open.last_mut() {
                    open.near = open.near || near();
                }
            }
            Some("endif") => {
                let Some(done) = open.pop() else { continue };
                let is_near = done.near || near();
                let within = around.iter().zip(&mut claimed).filter(|(e, _)| done.start <= e.start && e.end <= at);
                let holds_one = within.fold(false, |any, (_, claimed)| !std::mem::replace(claimed, true) || any);
                if is_near || holds_one {
                    found.insert(done.number, if is_near { Touch::Directive } else { Touch::Branch });
                }
            }
            _ => {}
        }
    }
    // what is never closed
    found.extend(open.into_iter().filter(|open| open.near).map(|open| (open.number, Touch::Directive)));
    found
}

/// The lines on which the last branch of an `#if` begins.
fn last_branches(lines: &[&str]) -> Vec<usize> {
    let mut found = Vec::new();
    let mut open: Vec<usize> = Vec::new();
    for (number, line) in lines.iter().enumerate() {
        match directive(line) {
            Some("if") => open.push(number),
            Some("elif" | "else") => {
                if let Some(begins) = open.last_mut() {
                    *begins = number;
                }
            }
            Some("endif") => found.extend(open.pop()),
            _ => {}
        }
    }
    found
}

/// Puts blanks in place of a line, so that every byte keeps its place.
pub(crate) fn blank(line: &str, out: &mut String) {
    out.extend(line.bytes().map(|b| if b == b'\n' || b == b'\r' { char::from(b) } else { ' ' }));
}

/// The name of the directive on a line.
pub(crate) fn directive(line: &str) -> Option<&str> {
    let rest = line.trim_start_matches('\u{feff}').trim_start().strip_prefix('#')?.trim_start();
    rest.split(|c: char| !c.is_ascii_alphabetic()).next()
}

#[cfg(test)]
mod tests {
    use super::*;

    const ALL: [Span; 1] = [Span { start: 0, end: 1000 }];
    const TEXT: &str = "a(\n#if NEW\n  gauge,\n#elif OLD\n  staff,\n#else // neither\n  None,\n#endif\n#region x\nb);\n";

    fn words(text: &str) -> String {
        text.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn one_branch_is_kept_and_every_byte_in_its_place() {
        let first = only(TEXT, Keep::First, &ALL);
        assert_eq!(words(&first), "a( gauge, #region x b);");
        assert_eq!(first.find("b)"), TEXT.find("b)"));
        assert_eq!(words(&only(TEXT, Keep::Last, &ALL)), "a( None, #region x b);");
    }

    #[test]
    fn what_cannot_be_read_in_a_branch_takes_its_directives_away_and_no_others() {
        let text = "#if GUARD\nswitch (a) {\n#if PIPES\ncase 1: b();\n#else\ncase 2: c();\n#endif\n}\n#if X\nd();\n#endif\n#endif\n";
        let at = text.find("case 1").expect("there") as u32;
        let one = only(text, Keep::First, &[Span { start: at, end: at + 4 }]);
        assert_eq!(words(&one), "#if GUARD switch (a) { case 1: b(); } #if X d(); #endif #endif");
        let switch = text.find("switch").expect("there") as u32 + 10;
        let one = only(text, Keep::First, &[Span { start: switch - 2, end: switch - 1 }]);
        assert_eq!(words(&one), "switch (a) { #if PIPES case 1: b(); #else case 2: c(); #endif } #if X d(); #endif");
    }

    #[test]
    fn branches_within_a_dropped_branch_are_dropped() {
        let text = "#if A\n#if B\nb\n#else\nc\n#endif\n#else\nd\n#endif\ne";
        assert_eq!(words(&only(text, Keep::First, &ALL)), "b e");
        assert_eq!(words(&only(text, Keep::Last, &ALL)), "d e");
    }

    #[test]
    fn letters_beyond_ascii_keep_their_bytes() {
        let text = "#if A\nüö\n#else\nx\n#endif\ny";
        assert_eq!(only(text, Keep::Last, &ALL).len(), text.len());
    }

    #[test]
    fn what_is_never_closed_is_no_panic() {
        assert_eq!(words(&only("#else\n#if A\nx", Keep::First, &ALL)), "#else x");
        assert_eq!(words(&only("#endif\n#if A\nx", Keep::Last, &ALL)), "#endif");
    }
}
