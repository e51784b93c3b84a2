//! Macros that are syntax: a pass before parsing that turns them into what the grammar knows, with
//! every byte at its place. What is turned into what is data: the tables below.

use memchr::memmem;

/// Access-like labels of class bodies; members behind the first ones are signals.
const SIGNAL_LABELS: [&str; 3] = ["signals", "Q_SIGNALS", "Q_SIGNAL"];
/// Words in front of the colon that mark slots: `public slots:`.
const SLOT_WORDS: [&str; 2] = ["slots", "Q_SLOTS"];
/// Words that stand in front of a call or declaration and mean nothing to the grammar.
pub(super) const EMPTY_WORDS: [&str; 21] = [
    "forceinline",
    "__forceinline",
    "JNIEXPORT",
    "JNICALL",
    "STDMETHODCALLTYPE",
    "__stdcall",
    "__cdecl",
    "__extension__",
    "__restrict",
    "CALLBACK",
    "WINAPI",
    "APIENTRY",
    "Q_DECL_IMPORT",
    "emit",
    "Q_EMIT",
    "Q_INVOKABLE",
    "Q_SLOT",
    "Q_DECL_OVERRIDE",
    "Q_DECL_FINAL",
    "Q_REQUIRED_RESULT",
    "Q_DECL_NOTHROW",
];
/// Of these the ones in front of what is called by its name.
const INVOKABLES: [&str; 2] = ["Q_INVOKABLE", "Q_SLOT"];
/// Of these the ones in front of a call that raises.
const EMISSIONS: [&str; 2] = ["emit", "Q_EMIT"];
/// Macros that stand like a declaration and mean nothing to the grammar, arguments included.
const EMPTY_DECLARATIONS: [&str; 27] = [
    "Q_OBJECT",
    "Q_GADGET",
    "Q_PROPERTY",
    "Q_PRIVATE_PROPERTY",
    "Q_ENUM",
    "Q_ENUMS",
    "Q_FLAG",
    "Q_FLAGS",
    "Q_DECLARE_FLAGS",
    "Q_INTERFACES",
    "Q_CLASSINFO",
    "Q_DISABLE_COPY",
    "Q_DISABLE_MOVE",
    "Q_DISABLE_COPY_MOVE",
    "Q_DECLARE_PRIVATE",
    "Q_DECLARE_PUBLIC",
    "Q_PLUGIN_METADATA",
    "Q_DECLARE_METATYPE",
    "Q_DECLARE_OPERATORS_FOR_FLAGS",
    "Q_DECLARE_INTERFACE",
    "Q_DECLARE_TR_FUNCTIONS",
    "Q_UNUSED",
    "QT_BEGIN_NAMESPACE",
    "QT_END_NAMESPACE",
    "DECLARE_EVENT_TABLE",
    "Q_NAMESPACE",
    "Q_OVERRIDE",
];
/// Loops that are macros: the comma between variable and collection becomes a colon.
const LOOPS: [&str; 3] = ["foreach", "Q_FOREACH", "BOOST_FOREACH"];
/// Of these the ones that walk a copy.
const COPYING_LOOPS: [&str; 2] = ["foreach", "Q_FOREACH"];
/// Macros that declare an object of the whole program: its class, and its name.
const GLOBALS: [&str; 2] = ["Q_GLOBAL_STATIC", "K_GLOBAL_STATIC"];
/// Of these the ones that declare a property.
const PROPERTIES: [&str; 2] = ["Q_PROPERTY", "Q_PRIVATE_PROPERTY"];
/// Macros whose first argument is a type, in the middle of an expression.
const TYPE_FIRST: [&str; 2] = ["Q_ARG", "Q_RETURN_ARG"];
/// Macros whose argument is the signature of a member, with the digit that marks it in a text.
const SIGNATURES: [(&str, u8); 2] = [("SIGNAL", b'2'), ("SLOT", b'1')];

/// A text that the grammar can read, and what was lost on the way.
pub(super) struct Prepared {
    /// The text, byte for byte as long as it was.
    pub(super) text: String,
    /// Stretches of class bodies whose members are signals.
    pub(super) signals: Vec<std::ops::Range<usize>>,
    /// Stretches of class bodies whose members are slots.
    pub(super) slots: Vec<std::ops::Range<usize>>,
    /// Places in front of members that are called by their names.
    pub(super) invokable: Vec<usize>,
    /// Places of signatures of members (`SIGNAL(rose(int))`).
    pub(super) signatures: Vec<usize>,
    /// Places of loops that walk a copy of what they are given.
    pub(super) copied_walks: Vec<usize>,
    /// Places of calls that raise by saying so (`emit rose(1)`).
    pub(super) emitted: Vec<usize>,
    /// Places of classes that a library hands out (`class LOCKS_EXPORT Gate`).
    pub(super) handed_out: Vec<usize>,
    /// Names of properties' change signals, which bindings hear.
    pub(super) notified: Vec<String>,
    /// Those that the property's own code raises.
    pub(super) told_by_property: Vec<String>,
}

/// Prepares a text.
pub(super) fn prepare(text: &str) -> Prepared {
    let text = &*super::dead::blanked(text);
    let mut bytes = text.as_bytes().to_vec();
    let mut prepared = Prepared {
        text: String::new(),
        signals: Vec::new(),
        slots: Vec::new(),
        invokable: Vec::new(),
        signatures: Vec::new(),
        copied_walks: Vec::new(),
        emitted: Vec::new(),
        handed_out: Vec::new(),
        notified: Vec::new(),
        told_by_property: Vec::new(),
    };
    let code = code(text);
    let words = &code.words;
    for (index, &(start, end)) in words.iter().enumerate() {
        let word = &text[start..end];
        let after = skip_blanks(&bytes, end);
        let next = bytes.get(after).copied().unwrap_or(b' ');
        if SIGNAL_LABELS.contains(&word) && next == b':' && bytes.get(after + 1) != Some(&b':') {
            // longer than `public` or not, the label ends where it ended
            blank(&mut bytes, start, end);
            bytes[start..start + 6].copy_from_slice(b"public");
            prepared.signals.push(after + 1..end_of_section(text, &words[index + 1..], after + 1));
        } else if SLOT_WORDS.contains(&word) && next == b':' {
            blank(&mut bytes, start, end);
            prepared.slots.push(after + 1..end_of_section(text, &words[index + 1..], after + 1));
        } else if let Some((_, mark)) = SIGNATURES.iter().find(|(name, _)| *name == word)
            && next == b'('
            && let Some(close) = closing(&bytes, after)
            && !bytes[after..close].contains(&b'"')
        {
            // what the macro makes of it: a text that begins with a digit, on one line
            bytes[after..close].iter_mut().filter(|b| b.is_ascii_whitespace()).for_each(|b| *b = b' ');
            blank(&mut bytes, start, after + 1);
            bytes[after - 1] = b'"';
            bytes[after] = *mark;
            bytes[close] = b'"';
            prepared.signatures.push(after - 1);
        } else if TYPE_FIRST.contains(&word) && next == b'(' {
            if let Some(comma) = closing(&bytes, after).and_then(|close| top_comma(&bytes, after + 1, close)) {
                blank(&mut bytes, after + 1, comma + 1);
            }
        } else if LOOPS.contains(&word) && next == b'(' {
            let Some(close) = closing(&bytes, after) else { continue };
            if let Some(comma) = top_comma(&bytes, after + 1, close) {
                blank(&mut bytes, start, end);
                bytes[start..start + 3].copy_from_slice(b"for");
                bytes[comma] = b':';
                if COPYING_LOOPS.contains(&word) {
                    prepared.copied_walks.push(start);
                }
            }
        } else if EMPTY_WORDS.contains(&word)
            && (next == b'_'
                || next == b'('
                    && word.len() <= 6
                    && (!EMISSIONS.contains(&word) || is_one_call(&bytes, after) || is_sender(&bytes, after))
                || next.is_ascii_alphanumeric()
                || next == b':'
                || next == b'{'
                || next == b';')
        {
            blank(&mut bytes, start, end);
            if INVOKABLES.contains(&word) {
                prepared.invokable.push(start);
            }
            if EMISSIONS.contains(&word) {
                // `emit(rose(1))` is the call within
                let is_within = next == b'(' && !is_sender(&bytes, after);
                prepared.emitted.push(if is_within { skip_blanks(&bytes, after + 1) } else { after });
            }
        } else if word == "Q_PRIVATE_SLOT"
            && next == b'('
            && let Some(close) = closing(&bytes, after)
            && let Some(comma) = memchr::memchr(b',', &bytes[after..close])
        {
            // a slot whose code its hidden half has: `Q_PRIVATE_SLOT(d, void rise())`
            blank(&mut bytes, start, after + comma + 1);
            bytes[close] = b';';
        } else if GLOBALS.contains(&word)
            && next == b'('
            && let Some(close) = closing(&bytes, after)
            && !bytes[start..close].contains(&b'\n')
            && let Some((class, name)) = text[after + 1..close].split_once(',')
        {
            // `Q_GLOBAL_STATIC(Gauge, gauge)` is an object that is asked for as `gauge()` or `gauge`
            let name = name.split(',').next().unwrap_or(name).trim();
            let is_asked = memmem::find(text.as_bytes(), format!("{name}()").as_bytes()).is_some();
            let declared = format!("static {}*{name}{};", class.trim(), if is_asked { "()" } else { "" });
            if declared.len() <= close + 1 - start {
                blank(&mut bytes, start, close + 1);
                bytes[start..start + declared.len()].copy_from_slice(declared.as_bytes());
            }
        } else if is_other_half(word) && next == b'(' {
            // `Q_D(const Gauge);` is read as a call, with nothing but the class in it
            let class = skip_blanks(&bytes, after + 1);
            if bytes[class..].starts_with(b"const ") {
                blank(&mut bytes, class, class + 5);
            }
        } else if EMPTY_DECLARATIONS.contains(&word) || is_class_macro(word, next, &bytes, start) {
            let mut stop = end;
            if next == b'(' {
                let Some(close) = closing(&bytes, after) else { continue };
                // what is asked of a call is of no interest: `CHECK(connect(gauge, SIGNAL(rose()), this, SLOT(open())))`
                let is_call = is_one_call_of(&bytes, after, |first| first.is_ascii_alphabetic() || first == b'_');
                if is_call && is_class_macro(word, next, &bytes, start) {
                    blank(&mut bytes, start, after + 1);
                    bytes[close] = b';';
                    continue;
                }
                let is_property = PROPERTIES.contains(&word);
                if let Some(at) = memmem::find(&bytes[after..close], b"NOTIFY ").filter(|_| is_property) {
                    let name: String = text[after + at + 7..close].chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
                    // what the moc writes for a member that is written raises the signal
                    if memmem::find(&bytes[after..close], b" MEMBER ").is_some() {
                        prepared.told_by_property.push(name.clone());
                    }
                    prepared.notified.push(name);
                }
                stop = close + 1;
            }
            let behind = skip_blanks(&bytes, stop);
            if bytes.get(behind) == Some(&b';') {
                stop = behind + 1;
            }
            blank(&mut bytes, start, stop);
        } else if is_export_macro(word)
            && let Some((class, e)) = words.get(index.wrapping_sub(1))
            && matches!(&text[*class..*e], "class" | "struct")
        {
            // `class ALIGN_AS(64) Gauge`
            let close = if next == b'(' { closing(&bytes, after) } else { None };
            blank(&mut bytes, start, close.map_or(end, |close| close + 1));
            if hands_out(word) {
                prepared.handed_out.push(*class);
            }
        }
    }
    super::attributes::blank_all(&mut bytes, &code);
    empty_defaults(&mut bytes);
    member_pointers(&mut bytes);
    calls_by_member_pointer(&mut bytes);
    super::cuts::keep_first(&mut bytes, &code.directives);
    // only whole words of ASCII were written over
    prepared.text = String::from_utf8(bytes).unwrap_or_else(|_| text.to_owned());
    prepared
}

/// `int depth = {}` in a list of parameters: a value that the grammar knows.
fn empty_defaults(bytes: &mut [u8]) {
    let found: Vec<usize> = memmem::find_iter(bytes, b"{}").collect();
    for at in found {
        let before = last_before(bytes, at);
        let behind = bytes.get(skip_blanks(bytes, at + 2));
        if before.is_some_and(|b| bytes[b] == b'=') && matches!(behind, Some(b',' | b')')) {
            bytes[at] = b'0';
            bytes[at + 1] = b' ';
        }
    }
}

/// `using Step = void (Loom::*)();`, `void (Loom::*step)() = &Loom::lift;`: the type of a pointer to a member is read as one to a function.
fn member_pointers(bytes: &mut [u8]) {
    let found: Vec<usize> = memmem::find_iter(bytes, b"::*").collect();
    for at in found {
        let of_name = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b':');
        let start = bytes[..at].iter().rposition(|b| !of_name(b)).map_or(0, |before| before + 1);
        let name = skip_blanks(bytes, at + 3);
        let behind = bytes[name..].iter().position(|b| !(b.is_ascii_alphanumeric() || *b == b'_')).map_or(bytes.len(), |n| name + n);
        let close = skip_blanks(bytes, behind);
        let opens = start.checked_sub(1).is_some_and(|before| bytes[before] == b'(');
        if opens && start < at && bytes.get(close) == Some(&b')') && bytes.get(skip_blanks(bytes, close + 1)) == Some(&b'(') {
            blank(bytes, start, at + 2);
        }
    }
}

/// `(this->*step)()`, `(loom.*step)()`: what a pointer to a member calls is read as the member that holds the pointer.
fn calls_by_member_pointer(bytes: &mut [u8]) {
    let of_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
    let arrows: Vec<usize> = memmem::find_iter(bytes, b"->*").map(|at| at + 2).collect();
    let dots: Vec<usize> = memmem::find_iter(bytes, b".*").map(|at| at + 1).collect();
    for at in arrows.into_iter().chain(dots) {
        let name = skip_blanks(bytes, at + 1);
        let end = bytes[name..].iter().position(|b| !of_name(b)).map_or(bytes.len(), |n| name + n);
        let calls = bytes.get(end) == Some(&b')') && bytes.get(skip_blanks(bytes, end + 1)) == Some(&b'(');
        if end > name && calls {
            bytes[at] = b' ';
        }
    }
}

/// Whether all that stands in parentheses is one call: `emit(rose(1))`, and not what a function of that name is handed.
fn is_one_call(bytes: &[u8], open: usize) -> bool {
    // a type is made, and no signal is called
    is_one_call_of(bytes, open, |first| first.is_ascii_lowercase() || first == b'_')
}

/// Whether what stands in parentheses is what a signal is called on: `emit (*it)->rose(1)`.
fn is_sender(bytes: &[u8], open: usize) -> bool {
    let behind = closing(bytes, open).map_or(bytes.len(), |close| skip_blanks(bytes, close + 1));
    bytes[behind.min(bytes.len())..].starts_with(b"->") || matches!(bytes.get(behind), Some(b'.' | b'['))
}

/// Whether all that stands in parentheses is one call of something whose name begins as it should.
fn is_one_call_of(bytes: &[u8], open: usize, begins: impl Fn(u8) -> bool) -> bool {
    let Some(close) = closing(bytes, open) else { return false };
    let first = skip_blanks(bytes, open + 1);
    let is_path = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b':' | b'.' | b'-' | b'>');
    let path = bytes[first..close].iter().take_while(|b| is_path(b)).count();
    let inner = skip_blanks(bytes, first + path);
    bytes.get(first).is_some_and(|b| begins(*b))
        && bytes.get(inner) == Some(&b'(')
        && closing(bytes, inner).is_some_and(|end| skip_blanks(bytes, end + 1) == close)
}

/// `LOCK_SECTION` or `PLUGIN(x)` alone on a line of a class body: nothing that ends in a semicolon.
fn is_class_macro(word: &str, next: u8, bytes: &[u8], start: usize) -> bool {
    let shouted = word.len() > 2 && is_in_capitals(word) && (word.contains('_') || next == b'(');
    // nearly all words are none, and are not asked where they stand
    if !shouted {
        return false;
    }
    let line_start = start_of_line(bytes, start);
    if !bytes[line_start..start].iter().all(|b| b.is_ascii_whitespace()) {
        return false;
    }
    let end = start + word.len();
    let stop = if next == b'(' { closing(bytes, skip_blanks(bytes, end)).map_or(end, |c| c + 1) } else { end };
    let rest = &bytes[stop..];
    let line = &rest[..rest.iter().position(|b| *b == b'\n').unwrap_or(rest.len())];
    // what stands behind it begins something of its own
    let behind = rest.iter().find(|b| !b.is_ascii_whitespace());
    let begins = behind.is_none_or(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b'}' | b'#' | b'/' | b'~'));
    line.iter().all(|b| b.is_ascii_whitespace()) && begins
}

/// Whether a macro declares the pointer from one half of an object to the other: `Q_D(Gauge);`, `Q_Q(Gauge);`.
pub(super) fn is_other_half(word: &str) -> bool {
    let letters = word.strip_suffix("_D").or_else(|| word.strip_suffix("_Q"));
    letters.is_some_and(|l| !l.is_empty() && l.len() < 3 && l.bytes().all(|b| b.is_ascii_uppercase()))
}

/// Whether a macro between `class` and its name says that programs beside the library may use it; what is handed out for tests alone
/// is nobody's.
fn hands_out(word: &str) -> bool {
    (word.contains("EXPORT") || word.ends_with("_API")) && !word.contains("NO_EXPORT") && !word.contains("TEST")
}

/// `class LOCKS_EXPORT Gate`
fn is_export_macro(word: &str) -> bool {
    word.len() > 4 && is_in_capitals(word) && word.contains('_')
}

/// Whether a word is written as macros are.
pub(super) fn is_in_capitals(word: &str) -> bool {
    word.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b'_')
}

/// What of a text stands outside of comments, texts and preprocessor lines.
pub(super) struct Code {
    /// Where each word begins and ends.
    pub(super) words: Vec<(usize, usize)>,
    /// Where the words begin that follow a text.
    pub(super) behind_texts: Vec<usize>,
    /// The preprocessor lines.
    pub(super) directives: Vec<Directive>,
}

/// A preprocessor line, and the code between it and the one before.
pub(super) struct Directive {
    /// Where it begins.
    pub(super) start: usize,
    /// Where the code in front of it ends.
    pub(super) code_end: usize,
    /// How many more braces and parentheses the code between opens than it closes.
    pub(super) depth: i32,
    /// The least depth on the way, which is at most nothing.
    pub(super) least: i32,
}

/// Finds the words and preprocessor lines of a text.
pub(super) fn code(text: &str) -> Code {
    let bytes = text.as_bytes();
    let mut found = Code { words: Vec::new(), behind_texts: Vec::new(), directives: Vec::new() };
    let (mut code_end, mut text_end) = (0, usize::MAX);
    let (mut depth, mut least) = (0, 0);
    let mut at = 0;
    let mut line_start = true;
    while at < bytes.len() {
        match bytes[at] {
            b'/' if bytes.get(at + 1) == Some(&b'/') => at = end_of_line(bytes, at),
            b'/' if bytes.get(at + 1) == Some(&b'*') => at = memmem::find(&bytes[at + 2..], b"*/").map_or(bytes.len(), |i| at + i + 4),
            b'#' if line_start => {
                found.directives.push(Directive { start: at, code_end, depth, least });
                (depth, least) = (0, 0);
                at = end_of_line(bytes, at);
            }
            b'"' => {
                if at > 0 && bytes[at - 1] == b'R' {
                    at = end_of_raw(bytes, at);
                } else {
                    at = end_of_text(bytes, at, b'"');
                }
                (code_end, text_end) = (at, at);
            }
            b'\'' if at == 0 || !bytes[at - 1].is_ascii_hexdigit() => at = end_of_text(bytes, at, b'\''),
            b if b.is_ascii_alphabetic() || b == b'_' => {
                let start = at;
                while at < bytes.len() && (bytes[at].is_ascii_alphanumeric() || bytes[at] == b'_') {
                    at += 1;
                }
                found.words.push((start, at));
                if code_end == text_end {
                    found.behind_texts.push(start);
                }
                code_end = at;
                line_start = false;
                continue;
            }
            b => {
                match b {
                    b'{' | b'(' => depth += 1,
                    b'}' | b')' => {
                        depth -= 1;
                        least = least.min(depth);
                    }
                    _ => {}
                }
                if !b.is_ascii_whitespace() {
                    code_end = at + 1;
                }
                line_start = if b == b'\n' { true } else { line_start && b.is_ascii_whitespace() };
                at += 1;
                continue;
            }
        }
        line_start = false;
    }
    found
}

pub(super) fn end_of_line(bytes: &[u8], mut at: usize) -> usize {
    loop {
        match memchr::memchr(b'\n', &bytes[at..]) {
            // a line that goes on
            Some(i) if i > 0 && bytes[at + i - 1] == b'\\' => at += i + 1,
            Some(i) => return at + i,
            None => return bytes.len(),
        }
    }
}

fn end_of_text(bytes: &[u8], start: usize, quote: u8) -> usize {
    let mut at = start + 1;
    while at < bytes.len() {
        match bytes[at] {
            b'\\' => at += 1,
            b'\n' => return at,
            b if b == quote => return at + 1,
            _ => {}
        }
        at += 1;
    }
    bytes.len()
}

fn end_of_raw(bytes: &[u8], start: usize) -> usize {
    let Some(open) = memchr::memchr(b'(', &bytes[start..]) else { return bytes.len() };
    let mut end = vec![b')'];
    end.extend_from_slice(&bytes[start + 1..start + open]);
    end.push(b'"');
    memmem::find(&bytes[start..], &end).map_or(bytes.len(), |i| start + i + end.len())
}

/// Where the line of a place begins.
pub(super) fn start_of_line(bytes: &[u8], at: usize) -> usize {
    bytes[..at].iter().rposition(|b| *b == b'\n').map_or(0, |end| end + 1)
}

/// The last byte in front of a place that is no blank.
pub(super) fn last_before(bytes: &[u8], at: usize) -> Option<usize> {
    bytes[..at].iter().rposition(|b| !b.is_ascii_whitespace())
}

pub(super) fn skip_blanks(bytes: &[u8], mut at: usize) -> usize {
    while bytes.get(at).is_some_and(u8::is_ascii_whitespace) {
        at += 1;
    }
    at
}

pub(super) fn blank(bytes: &mut [u8], start: usize, end: usize) {
    bytes[start..end].iter_mut().filter(|b| **b != b'\n').for_each(|b| *b = b' ');
}

/// The bracket that closes the one at a place.
pub(super) fn closing(bytes: &[u8], open: usize) -> Option<usize> {
    let mut depth = 0;
    let mut at = open;
    while at < bytes.len() {
        match bytes[at] {
            b'(' => depth += 1,
            b')' => {
                depth -= 1;
                if depth == 0 {
                    return Some(at);
                }
            }
            b'"' => at = end_of_text(bytes, at, b'"') - 1,
            _ => {}
        }
        at += 1;
    }
    None
}

/// The word in front of the parentheses that a place closes, where one does: `rise` of `rise(3)`.
pub(super) fn in_front_of_parentheses(bytes: &[u8], close: usize) -> Option<&[u8]> {
    // lists of arguments are not longer
    const LENGTH: usize = 4000;
    let mut depth = 0;
    let open = (close.saturating_sub(LENGTH)..=close).rev().find(|at| {
        match bytes[*at] {
            b')' => depth += 1,
            b'(' => depth -= 1,
            _ => {}
        }
        depth <= 0
    })?;
    let last = last_before(bytes, open).filter(|_| bytes[close] == b')')?;
    let length = bytes[..=last].iter().rev().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
    Some(&bytes[last + 1 - length..=last])
}

/// The first comma that stands in no further bracket.
fn top_comma(bytes: &[u8], start: usize, end: usize) -> Option<usize> {
    let mut depth = 0;
    (start..end).find(|&at| {
        match bytes[at] {
            b'(' | b'<' | b'[' | b'{' => depth += 1,
            b')' | b'>' | b']' | b'}' => depth -= 1,
            b',' => return depth == 0,
            _ => {}
        }
        false
    })
}

/// Where a section of a class body ends: at the next label or at the end of the body.
fn end_of_section(text: &str, words: &[(usize, usize)], start: usize) -> usize {
    let bytes = text.as_bytes();
    let mut depth = 0;
    let body_end = (start..bytes.len()).find(|&at| {
        match bytes[at] {
            b'{' => depth += 1,
            b'}' => depth -= 1,
            _ => {}
        }
        depth < 0
    });
    let body_end = body_end.unwrap_or(bytes.len());
    let is_label = |(s, e): &&(usize, usize)| {
        let word = &text[*s..*e];
        matches!(word, "public" | "protected" | "private") || SIGNAL_LABELS.contains(&word)
    };
    words.iter().find(is_label).map_or(body_end, |(s, _)| (*s).min(body_end))
}

/// What a text is prepared to, for tests: every byte at its place, and here with one blank between words.
#[cfg(test)]
pub(super) fn prepared_words(text: &str) -> String {
    let prepared = prepare(text).text;
    assert_eq!(prepared.len(), text.len());
    prepared.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_byte_keeps_its_place() {
        let text = "class LOCK_API Gauge : public QObject {\n  Q_OBJECT\n  Q_PROPERTY(int cm READ cm NOTIFY rose)\nsignals:\n  void rose(int cm);\npublic slots:\n  void reset();\n};\nvoid f() { emit rose(1); foreach (const Pair<int, int>& p, pairs) use(p); connect(a, SIGNAL(rose(int)), SLOT(f())); }\n";
        let prepared = prepare(text);
        assert_eq!(prepared.text.len(), text.len());
        assert_eq!(prepared.notified, ["rose"]);
        assert_eq!(prepared.signals.len(), 1);
        assert!(text[prepared.signals[0].clone()].contains("void rose") && !text[prepared.signals[0].clone()].contains("reset"));
        assert!(prepared.text.contains("for     (const Pair<int, int>& p: pairs) use(p);"));
        assert!(prepared.text.contains("\"2rose(int)\",") && prepared.text.contains("\"1f()\");"), "{}", prepared.text);
        assert!(prepared.text.contains("public :\n") && prepared.text.contains("public      :\n"));
        assert!(!prepared.text.contains("Q_OBJECT") && !prepared.text.contains("emit") && !prepared.text.contains("LOCK_API"));
    }

    #[test]
    fn pointers_to_members_are_those_to_functions() {
        let text =
            "using Step = void (mill::Loom::*)();\nvoid (Loom::*step)() = &Loom::lift;\n(this->*step)(); (loom.*step)(2); a = 1.*b;\n";
        let read =
            "using Step = void (            *)();\nvoid (      *step)() = &Loom::lift;\n(this-> step)(); (loom. step)(2); a = 1.*b;\n";
        assert_eq!(prepare(text).text, read);
    }

    #[test]
    fn comments_and_texts_are_left_alone() {
        let text = "// emit rose(1);\nconst char* s = \"emit Q_OBJECT\";\n#define emit\n";
        assert_eq!(prepare(text).text, text);
    }
}
