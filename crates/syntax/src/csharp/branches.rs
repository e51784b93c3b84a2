//! Files whose `#if` branches cut through declarations or expressions: they are read as the
//! compiler would, with one branch of each.

/// Which branch of each `#if` is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Keep {
    /// The first.
    First,
    /// The last, which is that of `#else` where there is one.
    Last,
}

/// The text with blanks in place of all other branches and of the directives themselves, so that
/// every byte keeps its place.
pub(super) fn only(text: &str, keep: Keep) -> String {
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let last = last_branches(&lines);
    let mut out = String::with_capacity(text.len());
    // for each open `#if` whether its current branch is kept
    let mut open: Vec<bool> = Vec::new();
    for (number, line) in lines.iter().enumerate() {
        let is_kept = |first: bool| match keep {
            Keep::First => first,
            Keep::Last => last.contains(&number),
        };
        let branches = match directive(line) {
            Some("if") => {
                open.push(is_kept(true));
                true
            }
            Some("elif" | "else") => {
                if let Some(kept) = open.last_mut() {
                    *kept = is_kept(false);
                }
                true
            }
            Some("endif") => {
                open.pop();
                true
            }
            _ => false,
        };
        if branches || open.contains(&false) {
            out.extend(line.bytes().map(|b| if b == b'\n' || b == b'\r' { char::from(b) } else { ' ' }));
        } else {
            out.push_str(line);
        }
    }
    out
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

/// The name of the directive on a line.
fn directive(line: &str) -> Option<&str> {
    let rest = line.trim_start_matches('\u{feff}').trim_start().strip_prefix('#')?.trim_start();
    rest.split(|c: char| !c.is_ascii_alphabetic()).next()
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "a(\n#if NEW\n  gauge,\n#elif OLD\n  staff,\n#else // neither\n  None,\n#endif\n#region x\nb);\n";

    fn words(text: &str) -> String {
        text.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn one_branch_is_kept_and_every_byte_in_its_place() {
        let first = only(TEXT, Keep::First);
        assert_eq!(words(&first), "a( gauge, #region x b);");
        assert_eq!(first.find("b)"), TEXT.find("b)"));
        assert_eq!(words(&only(TEXT, Keep::Last)), "a( None, #region x b);");
    }

    #[test]
    fn branches_within_a_dropped_branch_are_dropped() {
        let text = "#if A\n#if B\nb\n#else\nc\n#endif\n#else\nd\n#endif\ne";
        assert_eq!(words(&only(text, Keep::First)), "b e");
        assert_eq!(words(&only(text, Keep::Last)), "d e");
    }

    #[test]
    fn letters_beyond_ascii_keep_their_bytes() {
        let text = "#if A\nüö\n#else\nx\n#endif\ny";
        assert_eq!(only(text, Keep::Last).len(), text.len());
    }

    #[test]
    fn what_is_never_closed_is_no_panic() {
        assert_eq!(words(&only("#else\n#if A\nx", Keep::First)), "x");
        assert_eq!(words(&only("#endif\n#if A\nx", Keep::Last)), "");
    }
}
