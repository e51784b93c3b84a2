//! Code that is never compiled: the branch of an `#if 0`, blanked before parsing with every byte at its place.

use std::borrow::Cow;

use memchr::memmem;

/// Conditions that never hold.
const NEVER: [&str; 2] = ["0", "false"];

/// A text without what stands in branches whose condition is written as never holding.
pub(super) fn blanked(text: &str) -> Cow<'_, str> {
    let may_hold_some = NEVER.iter().any(|never| memmem::find(text.as_bytes(), format!("if {never}").as_bytes()).is_some());
    if !may_hold_some {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    // the conditions around a line, and of those that never hold the innermost
    let mut depth = 0_usize;
    let mut dead: Option<usize> = None;
    for line in text.split_inclusive('\n') {
        match directive(line) {
            Some(("if" | "ifdef" | "ifndef", condition)) => {
                depth += 1;
                if dead.is_none() {
                    out.push_str(line);
                    dead = NEVER.contains(&condition).then_some(depth);
                    continue;
                }
            }
            Some(("else" | "elif" | "elifdef" | "elifndef", _)) if dead == Some(depth) => dead = None,
            Some(("endif", _)) => {
                if dead == Some(depth) {
                    dead = None;
                }
                depth = depth.saturating_sub(1);
            }
            _ => {}
        }
        match dead {
            None => out.push_str(line),
            Some(_) => out.extend(line.bytes().map(|b| if matches!(b, b'\n' | b'\r') { char::from(b) } else { ' ' })),
        }
    }
    Cow::Owned(out)
}

/// The word of a line that is a directive, and what stands behind it.
fn directive(line: &str) -> Option<(&str, &str)> {
    let rest = line.trim_start().strip_prefix('#')?.trim_start();
    let end = rest.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(rest.len());
    let behind = rest[end..].split("//").next().unwrap_or_default();
    Some((&rest[..end], behind.split("/*").next().unwrap_or_default().trim()))
}

#[cfg(test)]
mod tests {
    use super::blanked;

    #[test]
    fn only_the_branch_that_never_holds_goes() {
        let text = "a();\n#if 0 // old\nb(\"ü\");\n# ifdef X\nc();\n# else\nd();\n# endif\n#else\ne();\n#endif\nf();\n";
        let out = blanked(text);
        assert_eq!(out.len(), text.len());
        let left: Vec<&str> = out.lines().map(str::trim).filter(|l| !l.is_empty()).collect();
        assert_eq!(left, ["a();", "#if 0 // old", "#else", "e();", "#endif", "f();"]);
    }

    #[test]
    fn other_conditions_stay() {
        for text in ["#if X\na();\n#else\nb();\n#endif\n", "#if 01\na();\n#endif\n", "if 0\n#endif\n#if 0\n"] {
            assert_eq!(blanked(text), text);
        }
    }
}
