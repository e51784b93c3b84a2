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
        let is_attribute = bytes[start] == b'_' && says_of_parameter(&bytes[start..end]);
        if !is_attribute && !bytes[start..end].iter().any(u8::is_ascii_uppercase) {
            continue;
        }
        let after = skip_blanks(bytes, end);
        let next = bytes.get(after).copied().unwrap_or(b' ');
        if is_attribute {
            let close = if next == b'(' { closing(bytes, after) } else { None };
            let is_before_type = next.is_ascii_alphabetic() || next == b'_';
            if close.is_some() || is_before_type && !bytes[start..end].starts_with(b"__attribute") {
                blank(bytes, start, close.map_or(end, |at| at + 1));
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
        let is_behind_parameters = || has_parts && ends_declarator(bytes, skip_blanks(bytes, stop), behind) && is_of_function(bytes, start);
        if is_glued() || is_behind_parameters() || arguments.is_none() && says_how_to_call(bytes, start, end) {
            blank(bytes, start, stop);
        } else if makes_object(bytes, word, start, stop) {
            blank(bytes, start, stop);
            bytes[start..start + 3].copy_from_slice(b"new");
        } else if next != b'(' {
            let is_between = || before.is_some_and(|of| is_between_type_and_name(bytes, of, start, end));
            let is_of_class =
                || matches!(next, b':' | b'{') && bytes.get(after + 1) != Some(&b':') && is_behind_class(bytes, &words[..index], start);
            if leads_declaration(bytes, before, start, end) || is_between() || is_of_class() {
                blank(bytes, start, end);
            }
        } else if let Some(stop) = arguments {
            if holds_expression(&bytes[after + 1..stop - 1]) && is_in_class(bytes, start) {
                blank(bytes, start, stop);
            } else {
                statement_at_end(bytes, after, stop - 1);
            }
        }
    }
    instantiations(bytes, words);
    ways_out(bytes, words);
    nameless_defaults(bytes);
}

/// `CHECK(depth > 0, return false;);`: a statement that a macro is handed for what it does where something fails.
fn ways_out(bytes: &mut [u8], words: &[(usize, usize)]) {
    const WAYS_OUT: [&[u8]; 4] = [b"return", b"break", b"continue", b"goto"];
    for &(start, end) in words {
        if !WAYS_OUT.contains(&&bytes[start..end]) {
            continue;
        }
        let Some(comma) = last_before(bytes, start).filter(|at| bytes[*at] == b',') else { continue };
        let mut depth = 0_usize;
        let rest = bytes[end..].iter().position(|b| {
            depth += usize::from(*b == b'(');
            let ends = *b == b')' && depth == 0;
            depth -= usize::from(*b == b')' && depth > 0);
            ends || matches!(b, b'{' | b'}')
        });
        if let Some(close) = rest.map(|at| end + at).filter(|at| bytes[*at] == b')') {
            blank(bytes, comma, close);
        }
    }
}

/// Whether a word says how a parameter is used or what a function is: `__in_opt Gauge* gauge`.
fn says_of_parameter(word: &[u8]) -> bool {
    let is_use = |used: &[u8]| word.strip_prefix(used).is_some_and(|rest| rest.is_empty() || rest[0] == b'_');
    matches!(word, b"__attribute__" | b"__attribute") || [&b"__in"[..], b"__out", b"__inout", b"__deref"].into_iter().any(is_use)
}

/// Whether what follows the words behind a function's parameters: `;`, `{`, `= 0;`, `override` or `: cm(cm)`.
fn ends_declarator(bytes: &[u8], at: usize, behind: u8) -> bool {
    match behind {
        b';' | b'{' => true,
        b':' => bytes.get(at + 1) != Some(&b':'),
        b'=' => [&b"0"[..], b"default", b"delete"].iter().any(|word| {
            let value = skip_blanks(bytes, at + 1);
            bytes[value..].starts_with(word) && bytes.get(skip_blanks(bytes, value + word.len())) == Some(&b';')
        }),
        _ => QUALIFIERS.iter().any(|word| bytes[at..].starts_with(word)),
    }
}

/// Whether the word in front is the name of a class that is being declared: `class Gauge LOCK_FINAL : public Base {`.
fn is_behind_class(bytes: &[u8], words: &[(usize, usize)], at: usize) -> bool {
    // what was blanked stands there no more
    let mut words = words.iter().rev().filter(|(start, _)| bytes[*start] != b' ');
    let (Some(name), Some(of)) = (words.next(), words.next()) else { return false };
    let is_apart = bytes[name.1..at].iter().all(u8::is_ascii_whitespace);
    matches!(&bytes[of.0..of.1], b"class" | b"struct" | b"union") && skip_blanks(bytes, of.1) == name.0 && is_apart
}

/// Whether a word says how a function is called whose address a name stands for: `void (LOCKCALL *rise)(int cm);`
fn says_how_to_call(bytes: &[u8], start: usize, end: usize) -> bool {
    if bytes.get(start.wrapping_sub(1)) != Some(&b'(') {
        return false;
    }
    let mut name = skip_blanks(bytes, end);
    let is_apart = name > end || bytes[name] == b'*';
    while matches!(bytes.get(name), Some(b'*' | b' ')) {
        name += 1;
    }
    let length = bytes[name..].iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
    let close = skip_blanks(bytes, name + length);
    is_apart && length > 0 && bytes.get(close) == Some(&b')') && bytes.get(skip_blanks(bytes, close + 1)) == Some(&b'(')
}

/// Whether a macro stands for `new`: `gauge = LOCK_NEW(pool) Gauge(cm);`
fn makes_object(bytes: &[u8], word: &str, start: usize, stop: usize) -> bool {
    let Some(before) = last_before(bytes, start).filter(|_| word.split('_').any(|part| part == "NEW")) else { return false };
    let is_value = matches!(bytes[before], b'=' | b'(' | b',' | b'?' | b':') || bytes[..=before].ends_with(b"return");
    let of = skip_blanks(bytes, stop);
    let length = bytes[of..].iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b':')).count();
    let behind = bytes.get(skip_blanks(bytes, of + length));
    let begins = bytes.get(of).is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
    is_value && begins && of > stop && matches!(behind, Some(b'(' | b'[' | b'<' | b';' | b'{'))
}

/// Whether what a macro is handed can be no list of parameters, so that a declaration is none: a text, a sum or what a call gives.
fn holds_expression(arguments: &[u8]) -> bool {
    memchr::memchr2(b'"', b'+', arguments).is_some() || memmem::find(arguments, b"()").is_some()
}

/// Whether a place stands in the body of a class, and first in its line.
fn is_in_class(bytes: &[u8], at: usize) -> bool {
    if skip_blanks(bytes, start_of_line(bytes, at)) != at {
        return false;
    }
    let mut depth = 0_usize;
    let open = bytes[..at].iter().rposition(|b| {
        let opens = *b == b'{' && depth == 0;
        depth += usize::from(*b == b'}');
        depth -= usize::from(*b == b'{' && depth > 0);
        opens
    });
    let Some(open) = open else { return false };
    let head = bytes[..open].iter().rposition(|b| matches!(b, b';' | b'{' | b'}')).map_or(0, |before| before + 1);
    let head = &bytes[head..open];
    let is_class = |word: &[u8]| matches!(word, b"class" | b"struct" | b"union");
    !head.contains(&b'(') && head.split(|b| !b.is_ascii_alphanumeric() && *b != b'_').any(is_class)
}

/// `CHECK_ALL(gauge, "none", rise(); fall(); )`: what a macro is handed at the end and is no expression.
fn statement_at_end(bytes: &mut [u8], open: usize, close: usize) {
    let Some(last) = last_before(bytes, close) else { return };
    if bytes[last] == b',' {
        blank(bytes, last, last + 1);
        return;
    }
    if bytes[last] != b';' {
        return;
    }
    let mut depth = 0;
    let mut comma = None;
    for (at, byte) in bytes.iter().enumerate().take(close).skip(open + 1) {
        match byte {
            b'(' => depth += 1,
            b')' => depth -= 1,
            b',' if depth == 0 => comma = Some(at),
            // its own loops are handed on in braces
            b'{' | b'}' => return,
            b';' if depth == 0 => break,
            _ => {}
        }
    }
    if let Some(comma) = comma {
        blank(bytes, comma, close);
    }
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
fn leads_declaration(bytes: &[u8], before: Option<(usize, usize)>, start: usize, end: usize) -> bool {
    const SPECIFIERS: [&[u8]; 6] = [b"static", b"inline", b"virtual", b"friend", b"explicit", b"constexpr"];
    let line = start_of_line(bytes, start);
    let is_first = skip_blanks(bytes, line) == start;
    let is_behind = || bytes[line..start].iter().rev().find(|b| !b.is_ascii_whitespace()).is_some_and(|b| matches!(b, b';' | b'{' | b'}'));
    let is_specified =
        || before.is_some_and(|(s, e)| SPECIFIERS.contains(&&bytes[s..e]) && bytes[e..start].iter().all(u8::is_ascii_whitespace));
    if !is_first && !is_behind() && !is_specified() {
        return false;
    }
    let name = |from: usize| {
        let at = skip_blanks(bytes, from);
        let is_name = bytes.get(at).is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
        let length = bytes[at..].iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b':')).count();
        is_name.then_some((at, at + length))
    };
    let Some((mut of, mut at)) = name(end) else { return false };
    // `LOCK_API const Gauge *first();`, and not `DWORD const first();`
    if &bytes[of..at] == b"const" {
        let Some(next) = name(at) else { return false };
        (of, at) = next;
    }
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
        assert_eq!(read("CHECK_ALL(cm > 0, \"low\", return of(cm); ); rise();"), "CHECK_ALL(cm > 0, \"low\" ); rise();");
        assert_eq!(read("CHECK_ALL(gauge, \"none\", cm = 1; rise(); ) ;"), "CHECK_ALL(gauge, \"none\" ) ;");
        assert_eq!(read("class LOCK_API Gauge LOCK_FINAL : public Base {};"), "class Gauge : public Base {};");
        assert_eq!(read("Gauge(int cm) LOCK_NOEXCEPT : cm(cm) {}"), "Gauge(int cm) : cm(cm) {}");
        assert_eq!(read("int cm() const LOCK_NOEXCEPT = 0;"), "int cm() const = 0;");
        assert_eq!(read("void rise(__in_opt Gauge *g, __out_bcount(n) int *cm);"), "void rise( Gauge *g, int *cm);");
        assert_eq!(read("static LOCK_INLINE void rise(int cm);"), "static void rise(int cm);");
        assert_eq!(read("class Gauge {\nNAMED_AS(text() + 1) ;\nvoid rise();\n};"), "class Gauge { ; void rise(); };");
        assert_eq!(read("typedef void (LOCKCALL *Rise)(int cm);"), "typedef void ( *Rise)(int cm);");
        assert_eq!(read("typedef void (LOCKCALL_P Rise)(int cm);"), "typedef void ( Rise)(int cm);");
        assert_eq!(read("g = LOCK_NEW(pool()) Gauge(cm); h = LOCK_NEW Gauge[2];"), "g = new Gauge(cm); h = new Gauge[2];");
        assert_eq!(read("LOCKAPI const Gauge *first();"), "const Gauge *first();");
        assert_eq!(read("JNIEXPORT jint JNICALL Java_rise(JNIEnv *env);"), "jint Java_rise(JNIEnv *env);");
    }

    #[test]
    fn what_is_a_type_or_a_statement_stays() {
        for text in [
            "LONG_DEPTH const cm = 1;",
            "LONG_DEPTH cm = 1;",
            "LONG_DEPTH rise(int cm);",
            "LONG_DEPTH const *cm = all;",
            "static LONG_DEPTH const cm = 1;",
            "case LONG_DEPTH: rise();",
            "enum Depth { LOW, // (of all)\nHIGH_DEPTH = 0x2, };",
            "class GAUGE::LEVEL : public Base {};",
            "if (!__in) rise(__out);",
            "cm = (DEPTH * n) * 2;",
            "cm = LOCK_NEW(2);",
            "class Gauge { void rise() {\nNOTE_IT(text() + 1);\n} };",
            "FOR_ALL(int i = 0; i < n; i++) rise();",
            "cm = deep(a) ? LOW_DEPTH : HIGH;",
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
