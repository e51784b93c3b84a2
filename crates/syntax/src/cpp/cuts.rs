//! Branches of `#if` that cut through a list, an expression or a block: the first branch stays, and the directives, which the grammar would
//! stumble over, go with the others. Every byte keeps its place.

use super::macros::{Directive, blank, end_of_line, in_front_of_parentheses, skip_blanks};

/// An `#if` with all that belongs to it.
struct Condition {
    /// Where its own line begins and ends.
    line: (usize, usize),
    /// Where the directive behind its first branch begins.
    further: Option<usize>,
    /// How deep in braces and parentheses it begins.
    depth: i32,
    /// The least depth that its current branch came to.
    least: i32,
    /// How deep its first branch ends.
    first_ends: Option<i32>,
    /// Whether it stands in the middle of a list or an expression.
    in_list: bool,
    /// Whether a branch leaves open what the code behind it closes, or the other way round.
    in_block: bool,
}

/// Keeps the first branch of each `#if` that cuts through something.
pub(super) fn keep_first(bytes: &mut [u8], directives: &[Directive]) {
    let mut open: Vec<Condition> = Vec::new();
    let mut depth = 0;
    for directive in directives {
        let Directive { start, code_end, .. } = *directive;
        let least = depth + directive.least;
        depth += directive.depth;
        if let Some(around) = open.last_mut() {
            around.least = around.least.min(least);
        }
        let end = end_of_line(bytes, start);
        let word_at = skip_blanks(bytes, start + 1).min(end);
        let length = bytes[word_at..end].iter().take_while(|b| b.is_ascii_alphabetic()).count();
        let word = &bytes[word_at..word_at + length];
        match word {
            b"if" | b"ifdef" | b"ifndef" => {
                let in_list = open.last().is_some_and(|around| around.in_list) || cuts_through(bytes, code_end, end);
                open.push(Condition { line: (start, end), further: None, depth, least: depth, first_ends: None, in_list, in_block: false });
                if in_list {
                    blank(bytes, start, end);
                }
            }
            b"else" | b"elif" | b"endif" => {
                let Some(condition) = open.last_mut() else { continue };
                let further = *condition.further.get_or_insert(start);
                condition.in_block |= depth != condition.depth || condition.least < condition.depth || goes_on(bytes, code_end);
                // each branch begins as deep as the first one, and the code behind it is as deep as that ends
                let first_ends = *condition.first_ends.get_or_insert(depth);
                depth = condition.depth;
                condition.least = depth;
                if word == b"endif"
                    && let Some(condition) = open.pop()
                {
                    depth = first_ends;
                    if condition.in_list || condition.in_block {
                        blank(bytes, condition.line.0, condition.line.1);
                        blank(bytes, further, end);
                    }
                }
            }
            _ => {}
        }
    }
}

/// Whether code ends where a statement begins that stands behind it: `if (cm > 3) open(); else`, `for (Gauge* g : all)`.
fn goes_on(bytes: &[u8], code_end: usize) -> bool {
    let Some(last) = code_end.checked_sub(1) else { return false };
    let heads = || in_front_of_parentheses(bytes, last).is_some_and(|word| matches!(word, b"if" | b"for" | b"while"));
    let before = bytes[..code_end].strip_suffix(b"else");
    before.is_some_and(|b| !b.last().is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_')) || heads()
}

/// Whether a directive stands where no statement or declaration begins.
fn cuts_through(bytes: &[u8], code_end: usize, end: usize) -> bool {
    let before = code_end.checked_sub(1).map(|at| bytes[at]);
    let next = skip_blanks(bytes, end);
    let behind = bytes.get(next).copied();
    let is_access = |word: &[u8]| bytes[next..].starts_with(word) && bytes.get(next + word.len()) == Some(&b' ');
    let in_bases = behind == Some(b':') && bytes.get(next + 1) != Some(&b':')
        || before == Some(b':') && [&b"public"[..], b"protected", b"private"].into_iter().any(is_access) && !is_label(bytes, next);
    let in_values = matches!((before, behind), (Some(b'{'), Some(b'{' | b'"')) | (Some(b':'), Some(b'{')));
    in_bases
        || in_values
        || matches!(before, Some(b',' | b'(' | b'+' | b'|' | b'&' | b'='))
        || matches!(behind, Some(b',' | b')' | b'.' | b'+' | b'|' | b'&' | b'<' | b'?'))
}

/// Whether an access word is that of a section: `public slots:`
fn is_label(bytes: &[u8], start: usize) -> bool {
    let length = bytes[start..].iter().take_while(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b' ')).count();
    bytes.get(start + length) == Some(&b':') && bytes.get(start + length + 1) != Some(&b':')
}

#[cfg(test)]
mod tests {
    use super::super::macros::prepared_words as read;

    #[test]
    fn in_the_middle_of_lists() {
        let text = "A::A()\n    : m_a(1)\n#ifdef WITH_B\n    , m_b(2)\n#else\n    , m_c(3)\n#endif\n{\n#ifdef X\n    f();\n#endif\n}\nvoid g(int depth = {});\n";
        assert_eq!(read(text), "A::A() : m_a(1) , m_b(2) { #ifdef X f(); #endif } void g(int depth = 0 );");
    }

    #[test]
    fn in_front_of_bases_and_values() {
        let text = "class Gauge\n#ifdef MOC\n: public Staff\n#else\n: private Named<Staff>\n#endif\n{};\nNames names = {\n#ifndef LITE\n{\"a\", 1}, // one\n#endif\n{\"b\", 2}};\n";
        assert_eq!(read(text), "class Gauge : public Staff {}; Names names = { {\"a\", 1}, // one {\"b\", 2}};");
        let text = "class Desk :\n#if ONE\n public One\n#else\n public Two\n#endif\n{\npublic:\n#ifdef X\nint x;\n#endif\n};\n";
        assert_eq!(read(text), "class Desk : public One { public: #ifdef X int x; #endif };");
        let text = "A::A() : m_a(0), // first\n#ifndef LITE\nm_b(1),\n#endif\nm_c(2) {\n#ifdef X\nif (a) b();\nelse\n#endif\nc();\n}\n";
        assert_eq!(read(text), "A::A() : m_a(0), // first m_b(1), m_c(2) { if (a) b(); else c(); }");
    }

    #[test]
    fn across_blocks() {
        let text = "#ifndef GAUGE_H\n#define GAUGE_H\n#ifdef __cplusplus\nextern \"C\" {\n#endif\nint rise(int cm);\n#ifdef __cplusplus\n}\n#endif\n#endif\n";
        assert_eq!(read(text), "#ifndef GAUGE_H #define GAUGE_H extern \"C\" { int rise(int cm); } #endif");
        let text = "a = ask(this,\n#if NEW\nyes(\n#else\nno(\n#endif\n1));\n#if NEW\nfor (int x : all())\n#else\nfor (int x : some)\n#endif\nf(x);\n";
        assert_eq!(read(text), "a = ask(this, yes( 1)); for (int x : all()) f(x);");
        let text = "void f() {\n#ifdef A\n  if (a) {\n#else\n  if (b) {\n#endif\n    g(\"}\"); // {\n  }\n#ifdef B\n  if (c) { h(); }\n#endif\n}\n";
        assert_eq!(read(text), "void f() { if (a) { g(\"}\"); // { } #ifdef B if (c) { h(); } #endif }");
    }
}
