//! Words that say something about a declaration or are put together with a text by the preprocessor, and that the grammar would stumble
//! over: they are blanked before parsing, with every byte at its place.

use memchr::memmem;

use super::macros::{Code, EMPTY_WORDS, blank, closing, in_front_of_parentheses, is_in_capitals, last_before, skip_blanks, start_of_line};

/// What stands in front of parentheses and calls nothing.
const STATEMENTS: [&[u8]; 7] = [b"if", b"while", b"for", b"switch", b"catch", b"new", b"return"];
/// What stands in front of a type, so that what follows is that type and no macro.
const BEFORE_TYPES: [&[u8]; 24] = [
    b"const",
    b"static",
    b"virtual",
    b"inline",
    b"extern",
    b"explicit",
    b"constexpr",
    b"friend",
    b"typedef",
    b"mutable",
    b"volatile",
    b"register",
    b"return",
    b"new",
    b"delete",
    b"throw",
    b"case",
    b"else",
    b"typename",
    b"class",
    b"struct",
    b"enum",
    b"union",
    b"operator",
];
/// What may stand between a list of parameters and what is said of the function.
const QUALIFIERS: [&[u8]; 4] = [b"const", b"noexcept", b"override", b"final"];

/// Blanks all of them in the bytes of a text.
pub(super) fn blank_all(bytes: &mut [u8], code: &Code) {
    let words = &code.words;
    for (index, &(start, end)) in words.iter().enumerate() {
        let is_attribute = bytes[start] == b'_' && matches!(&bytes[start..end], b"__attribute__" | b"__attribute");
        if !is_attribute && !bytes[start..end].iter().any(u8::is_ascii_uppercase) {
            continue;
        }
        let after = skip_blanks(bytes, end);
        let next = bytes.get(after).copied().unwrap_or(b' ');
        if is_attribute {
            if next == b'('
                && let Some(close) = closing(bytes, after)
            {
                blank(bytes, start, close + 1);
            }
            continue;
        }
        if matches!(next, b'"' | b',' | b')' | b';') && is_joined_to_text(bytes, code, start, end) {
            blank(bytes, start, end);
            continue;
        }
        let word = std::str::from_utf8(&bytes[start..end]).unwrap_or_default();
        if word.len() < 4 || !is_in_capitals(word) || EMPTY_WORDS.contains(&word) {
            continue;
        }
        let has_parts = word.contains('_');
        let before = index.checked_sub(1).map(|i| words[i]);
        // what has arguments is blanked for being of several words alone, and most calls in capitals are not gone through
        let arguments = if has_parts && next == b'(' { closing(bytes, after).map(|close| close + 1) } else { None };
        let stop = arguments.unwrap_or(end);
        let behind = bytes.get(skip_blanks(bytes, stop)).copied().unwrap_or(b' ');
        // `IN_NAMESPACE(std)string depth`
        let is_glued = || arguments.is_some() && bytes.get(stop).is_some_and(u8::is_ascii_alphabetic);
        let is_behind_parameters = || has_parts && matches!(behind, b';' | b'{') && is_of_function(bytes, start);
        if is_glued() || is_behind_parameters() {
            blank(bytes, start, stop);
        } else if next != b'(' {
            let is_between = || before.is_some_and(|of| is_between_type_and_name(bytes, of, start, end));
            if leads_declaration(bytes, start, end) || is_between() {
                blank(bytes, start, end);
            }
        }
    }
    instantiations(bytes, words);
    nameless_defaults(bytes);
}

/// `template class Level<int>;` says nothing of its own.
fn instantiations(bytes: &mut [u8], words: &[(usize, usize)]) {
    for pair in words.windows(2) {
        let [(start, end), (s, e)] = *pair else { continue };
        let is_one = &bytes[start..end] == b"template" && matches!(&bytes[s..e], b"class" | b"struct") && skip_blanks(bytes, end) == s;
        if is_one && let Some(stop) = bytes[e..].iter().position(|b| matches!(b, b';' | b'{')).filter(|at| bytes[e + at] == b';') {
            blank(bytes, start, e + stop + 1);
        }
    }
}

/// `Gauge(QObject* = nullptr);`: a parameter that has a value and no name.
fn nameless_defaults(bytes: &mut [u8]) {
    let found: Vec<usize> = memmem::find_iter(bytes, b"nullptr").collect();
    for at in found {
        let Some(equals) = last_before(bytes, at).filter(|e| bytes[*e] == b'=') else { continue };
        if last_before(bytes, equals).is_some_and(|star| bytes[star] == b'*') {
            blank(bytes, equals, at + b"nullptr".len());
        }
    }
}

/// Whether a word says how a function is called: `virtual unsigned LOCKCALL rise(int cm);`
fn is_between_type_and_name(bytes: &[u8], (s, e): (usize, usize), start: usize, end: usize) -> bool {
    let is_apart = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'*' | b'&' | b'>');
    // what was blanked is no type
    let has_type = bytes[s] != b' ' && !BEFORE_TYPES.contains(&&bytes[s..e]) && bytes[e..start].iter().all(is_apart);
    let name = skip_blanks(bytes, end);
    let begins = bytes.get(name).is_some_and(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b'~'));
    let length = bytes[name..].iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b':' | b'~')).count();
    has_type && begins && bytes.get(skip_blanks(bytes, name + length)) == Some(&b'(')
}

/// Whether a word is put together with the text in front of it: `"depth %" PRIu64 " cm"`.
fn is_joined_to_text(bytes: &[u8], code: &Code, start: usize, end: usize) -> bool {
    if code.behind_texts.binary_search(&start).is_err() {
        return false;
    }
    // behind a text at once stands what makes something else of it: `"cm"_unit`
    let is_apart = bytes[start - 1] != b'"' || bytes[start..end].starts_with(b"PRI") || bytes[start..end].starts_with(b"SCN");
    let line = start_of_line(bytes, start);
    is_apart && !bytes[skip_blanks(bytes, line)..].starts_with(b"extern")
}

/// Whether a word stands behind the parameters of a function: `void log(const char* form, ...) PRINTF_LIKE(1, 2);`
fn is_of_function(bytes: &[u8], start: usize) -> bool {
    let Some(mut last) = last_before(bytes, start) else { return false };
    if let Some(word) = QUALIFIERS.iter().find(|word| bytes[..=last].ends_with(word)) {
        let Some(at) = last_before(bytes, last + 1 - word.len()) else { return false };
        last = at;
    }
    let Some(called) = in_front_of_parentheses(bytes, last) else { return false };
    // what is asked or checked there goes on with a statement
    !STATEMENTS.contains(&called) && called.iter().any(u8::is_ascii_lowercase)
}

/// Whether a word leads a declaration and is neither its type nor its name: `LOCKS_API Gauge *first();`
fn leads_declaration(bytes: &[u8], start: usize, end: usize) -> bool {
    let line = start_of_line(bytes, start);
    let is_first = skip_blanks(bytes, line) == start;
    let is_behind = || bytes[line..start].iter().rev().find(|b| !b.is_ascii_whitespace()).is_some_and(|b| matches!(b, b';' | b'{' | b'}'));
    if !is_first && !is_behind() {
        return false;
    }
    let name = |from: usize| {
        let at = skip_blanks(bytes, from);
        let is_name = bytes.get(at).is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
        let length = bytes[at..].iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b':')).count();
        is_name.then_some((at, at + length))
    };
    let Some((of, mut at)) = name(end) else { return false };
    let kind = &bytes[of..at];
    let says_more = matches!(
        kind,
        b"const" | b"volatile" | b"class" | b"struct" | b"union" | b"namespace" | b"enum" | b"operator" | b"return" | b"override"
    );
    if says_more || std::str::from_utf8(kind).is_ok_and(|w| EMPTY_WORDS.contains(&w)) {
        return false;
    }
    if bytes.get(at) == Some(&b'<') {
        let Some(length) = bytes[at..].iter().position(|b| matches!(b, b';' | b'(' | b'{')) else { return false };
        let Some(close) = bytes[at..at + length].iter().rposition(|b| *b == b'>') else { return false };
        at += close + 1;
    }
    while bytes.get(at).is_some_and(|b| b.is_ascii_whitespace() || matches!(b, b'*' | b'&')) {
        at += 1;
    }
    name(at).is_some()
}

#[cfg(test)]
mod tests {
    use super::super::macros::prepared_words as read;

    #[test]
    fn what_is_said_of_a_declaration_goes() {
        assert_eq!(read("class ALIGN_AS(64) Gauge final : public Base {};"), "class Gauge final : public Base {};");
        assert_eq!(read("int cm __attribute__((unused)) = rise();"), "int cm = rise();");
        assert_eq!(read("LOCK_API Gauge *first();\nLOCK_API std::vector<int> all();"), "Gauge *first(); std::vector<int> all();");
        assert_eq!(read("void log(const char* f, ...) PRINTF_LIKE(1, 2);"), "void log(const char* f, ...) ;");
        assert_eq!(read("void shut() const LOCK_COLD {"), "void shut() const {");
        assert_eq!(read("virtual unsigned LOCKCALL rise(int cm) = 0;"), "virtual unsigned rise(int cm) = 0;");
        assert_eq!(read("IN_NAMESPACE(std)string text();"), "string text();");
        assert_eq!(read("template class Level<int>;\nLOCKINLINE void rise();"), "void rise();");
        assert_eq!(read("Gauge(QObject* = nullptr);"), "Gauge(QObject* );");
        assert_eq!(read("JNIEXPORT jint JNICALL Java_rise(JNIEnv *env);"), "jint Java_rise(JNIEnv *env);");
    }

    #[test]
    fn what_is_a_type_or_a_statement_stays() {
        for text in [
            "LONG_DEPTH const cm = 1;",
            "LONG_DEPTH cm = 1;",
            "LONG_DEPTH rise(int cm);",
            "static DWORD rise(int cm);",
            "Level<int> GAUGE::rise(int cm) {}",
            "new (place(a)) LONG_DEPTH{1};",
            "enum Depth { LOW, // said \"low\"\nHIGH, };",
            "return DEPTH (cm);",
            "DWORD const rise();",
            "a = nullptr;",
            "if (rise()) RETURN_NOW;",
            "CHECK(rise()) LOG_IT(1);",
            "auto a = MAX_CM;",
        ] {
            assert_eq!(read(text), text.replace('\n', " "));
        }
    }

    #[test]
    fn a_macro_that_is_joined_to_a_text_goes() {
        assert_eq!(read(r#"print("depth %" PRIu64 " cm of %" PRIu64, a, b);"#), r#"print("depth %" " cm of %" , a, b);"#);
        assert_eq!(read(r#"print("%"PRId64"\n", a);"#), r#"print("%" "\n", a);"#);
        for text in ["#include \"gauge.h\"\nLOCK_CHECK;", "extern \"C\" Gauge;", "a = \"cm\"_Unit;"] {
            assert_eq!(read(text), text.replace('\n', " "));
        }
    }
}
