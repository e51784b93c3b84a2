//! Code that is never compiled: the branch of an `#if 0`, blanked before parsing with every byte at its place.

use std::borrow::Cow;

use memchr::memmem;

use crate::branches::{blank, directive};

/// A text without what stands in branches whose condition is written as never holding.
pub(super) fn blanked(text: &str) -> Cow<'_, str> {
    if !["if 0", "if false"].iter().any(|never| memmem::find(text.as_bytes(), never.as_bytes()).is_some()) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    // how many conditions are open, and at which of them what never holds began
    let mut depth = 0_usize;
    let mut dead: Option<usize> = None;
    for line in text.split_inclusive('\n') {
        let mut begins = false;
        match directive(line) {
            Some("if" | "ifdef" | "ifndef") => {
                depth += 1;
                begins = dead.is_none() && never_holds(line);
            }
            Some("else" | "elif" | "elifdef" | "elifndef") if dead == Some(depth) => dead = None,
            Some("endif") => {
                dead = dead.filter(|at| *at != depth);
                depth = depth.saturating_sub(1);
            }
            _ => {}
        }
        match dead {
            None => out.push_str(line),
            Some(_) => blank(line, &mut out),
        }
        if begins {
            dead = Some(depth);
        }
    }
    Cow::Owned(out)
}

/// Whether what a line asks for is never there: `#if 0 // for later`.
fn never_holds(line: &str) -> bool {
    let behind = line.split_once("if").map_or("", |(_, behind)| behind);
    let condition = behind.split("//").next().and_then(|c| c.split("/*").next()).unwrap_or_default();
    matches!(condition.trim(), "0" | "false")
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
