//! Text from the analysed code is untrusted: control characters, bidirectional marks and
//! invisible characters could forge what a terminal shows.

use std::borrow::Cow;

/// Replaces what could change a terminal or hide itself by a visible code; tabs become
/// blanks.
pub fn terminal(text: &str) -> Cow<'_, str> {
    if !text.chars().any(is_unsafe) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 8);
    for c in text.chars() {
        match c {
            '\t' => out.push_str("    "),
            c if is_unsafe(c) => out.push_str(&format!("\\u{{{:x}}}", c as u32)),
            c => out.push(c),
        }
    }
    Cow::Owned(out)
}

fn is_unsafe(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2060}'..='\u{2064}' | '\u{2066}'..='\u{2069}' | '\u{FEFF}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plain_text_is_left_alone() {
        assert!(matches!(terminal("gauge.rose += café"), Cow::Borrowed(_)));
    }

    #[test]
    fn escape_sequences_are_shown() {
        assert_eq!(terminal("a\x1b]52;c;x\x07b"), "a\\u{1b}]52;c;x\\u{7}b");
        assert_eq!(terminal("x\u{202E}y\rz"), "x\\u{202e}y\\u{d}z");
    }
}
