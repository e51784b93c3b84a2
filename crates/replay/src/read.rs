//! Reading and checking recordings, line by line.

use std::borrow::Cow;
use std::fmt;
use std::io::{self, BufRead};

use serde::Deserialize;
use serde::de::{Deserializer, Visitor};
use serde_json::value::RawValue;
use thiserror::Error;
use yarrowgraph_model::{Header, Kind, Outcome, Record};

use crate::numbers::{Index, Numbers};
use crate::source::{Source, Stretch};

/// The largest number that `n`, `by`, `for` and `of` may be (2^53 − 1).
const LARGEST: u64 = (1 << 53) - 1;

/// Why a recording cannot be read.
#[derive(Debug, Error)]
pub enum ReadError {
    /// The file cannot be read, or its compression is damaged.
    #[error("{name}: cannot be read: {source}")]
    Io {
        /// The recording.
        name: String,
        /// Why.
        source: io::Error,
    },
    /// A line is not what it must be.
    #[error("{name}:{line}: {message}")]
    Line {
        /// The recording.
        name: String,
        /// The line, counted from 1.
        line: u64,
        /// What is wrong with it, and what was expected.
        message: String,
    },
    /// It has no record of a number.
    #[error("{name}: has no record {n}")]
    NoRecord {
        /// The recording.
        name: String,
        /// The number.
        n: u64,
    },
    /// None of its ids has a name.
    #[error("{name}: nothing in it is called {wanted}")]
    NoName {
        /// The recording.
        name: String,
        /// The name.
        wanted: String,
    },
    /// There is nothing in it.
    #[error("{name}: empty; the first line must be the header, like {{\"recording\":1}}")]
    Empty {
        /// The recording.
        name: String,
    },
}

/// A text of a line, borrowed from it where it has no escapes.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Text<'l>(pub Cow<'l, str>);

impl Text<'_> {
    /// The text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl<'de: 'l, 'l> Deserialize<'de> for Text<'l> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Borrowed;
        impl<'de> Visitor<'de> for Borrowed {
            type Value = Text<'de>;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a text")
            }
            fn visit_borrowed_str<E>(self, text: &'de str) -> Result<Self::Value, E> {
                Ok(Text(Cow::Borrowed(text)))
            }
            fn visit_str<E>(self, text: &str) -> Result<Self::Value, E> {
                Ok(Text(Cow::Owned(text.to_owned())))
            }
            fn visit_string<E>(self, text: String) -> Result<Self::Value, E> {
                Ok(Text(Cow::Owned(text)))
            }
        }
        deserializer.deserialize_str(Borrowed)
    }
}

/// A record as its line has it: the fields of [`Record`], with JSON as it is written.
#[derive(Clone, Debug, Deserialize)]
#[expect(missing_docs, reason = "the fields are those of `Record`, which describes them")]
pub struct Line<'l> {
    pub n: u64,
    pub by: Option<u64>,
    #[serde(borrow)]
    pub lane: Option<Text<'l>>,
    pub at: Option<u64>,
    #[serde(rename = "for")]
    pub for_: Option<u64>,
    #[serde(borrow)]
    pub case: Option<Text<'l>>,
    pub kind: Kind,
    #[serde(borrow)]
    pub target: Option<Text<'l>>,
    #[serde(borrow)]
    pub object: Option<Text<'l>>,
    #[serde(borrow)]
    pub channel: Option<Text<'l>>,
    #[serde(borrow)]
    pub subject: Option<Text<'l>>,
    #[serde(borrow)]
    pub handler: Option<Text<'l>>,
    #[serde(borrow)]
    pub subscriber: Option<Text<'l>>,
    #[serde(borrow)]
    pub command: Option<Text<'l>>,
    #[serde(borrow)]
    pub invoker: Option<Text<'l>>,
    #[serde(borrow)]
    pub chain: Option<Text<'l>>,
    #[serde(borrow)]
    pub request: Option<&'l RawValue>,
    #[serde(borrow)]
    pub machine: Option<Text<'l>>,
    #[serde(borrow)]
    pub from: Option<Text<'l>>,
    #[serde(borrow)]
    pub to: Option<Text<'l>>,
    #[serde(borrow)]
    pub event: Option<Text<'l>>,
    #[serde(borrow)]
    pub args: Option<&'l RawValue>,
    pub of: Option<u64>,
    pub outcome: Option<Outcome>,
    #[serde(borrow)]
    pub value: Option<&'l RawValue>,
    #[serde(borrow)]
    pub text: Option<Text<'l>>,
}

impl Line<'_> {
    /// The record, on its own.
    pub fn to_record(&self) -> Record {
        let text = |t: &Option<Text<'_>>| t.as_ref().map(|t| t.0.clone().into_owned());
        // every value of a checked line is JSON that can be read
        let json = |v: &Option<&RawValue>| v.and_then(|v| serde_json::from_str(v.get()).ok());
        Record {
            n: self.n,
            by: self.by,
            lane: text(&self.lane),
            at: self.at,
            for_: self.for_,
            case: text(&self.case),
            kind: self.kind,
            target: text(&self.target),
            object: text(&self.object),
            channel: text(&self.channel),
            subject: text(&self.subject),
            handler: text(&self.handler),
            subscriber: text(&self.subscriber),
            command: text(&self.command),
            invoker: text(&self.invoker),
            chain: text(&self.chain),
            request: json(&self.request),
            machine: text(&self.machine),
            from: text(&self.from),
            to: text(&self.to),
            event: text(&self.event),
            args: json(&self.args),
            of: self.of,
            outcome: self.outcome,
            value: json(&self.value),
            text: text(&self.text),
        }
    }
}

/// Where a record and those that it names stand.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Entry {
    pub(crate) index: Index,
    pub(crate) by: Option<Index>,
    pub(crate) for_: Option<Index>,
    pub(crate) of: Option<Index>,
    /// Where its line stands.
    pub(crate) stretch: Stretch,
}

/// Reads the records of a recording one after the other.
pub struct Reader<'s> {
    name: &'s str,
    source: Box<dyn BufRead + Send + 's>,
    buffer: Vec<u8>,
    line: u64,
    /// Where the line that was read last begins, and where it ends.
    stretch: Stretch,
    header: Option<Header>,
    numbers: Numbers,
    cut: Option<u64>,
    done: bool,
}

impl<'s> Reader<'s> {
    /// Opens a recording and reads its header.
    ///
    /// # Errors
    ///
    /// When it cannot be opened, is empty, or does not begin with a header.
    pub fn open(source: &'s Source<'_>) -> Result<Self, ReadError> {
        let name = source.name();
        let opened = source.open().map_err(|source| ReadError::Io { name: name.to_owned(), source })?;
        let mut reader = Self {
            name,
            source: opened,
            buffer: Vec::new(),
            line: 0,
            stretch: (0, 0),
            header: None,
            numbers: Numbers::default(),
            cut: None,
            done: false,
        };
        if !reader.fill()? {
            return Err(ReadError::Empty { name: name.to_owned() });
        }
        let header = reader.parse_header()?;
        reader.header = Some(header);
        Ok(reader)
    }

    /// The header.
    pub fn header(&self) -> Header {
        self.header.clone().unwrap_or(Header { recording: 1, program: None, made_by: None })
    }

    /// The number of the line that was read last, from 1.
    pub fn line(&self) -> u64 {
        self.line
    }

    /// The line that was cut short and left out, where there is one.
    pub fn cut(&self) -> Option<u64> {
        self.cut
    }

    /// The numbers of all records that were read.
    pub(crate) fn into_numbers(self) -> Numbers {
        self.numbers
    }

    /// The next record, with the places of it and of those that it names.
    ///
    /// # Errors
    ///
    /// When the line is not what it must be; the message names it.
    pub(crate) fn next(&mut self) -> Result<Option<(Entry, Line<'_>)>, ReadError> {
        if !self.fill()? {
            return Ok(None);
        }
        let wrong = |message: String| ReadError::Line { name: self.name.to_owned(), line: self.line, message };
        let text = std::str::from_utf8(&self.buffer).map_err(|_| wrong("not UTF-8".to_owned()))?;
        let line: Line<'_> = match serde_json::from_str(text) {
            Ok(line) => line,
            Err(e) => {
                let second = serde_json::from_str::<Header>(text).is_ok();
                let said = if second { "a second header; a recording has one, on its first line".to_owned() } else { plain(&e) };
                return Err(wrong(said));
            }
        };
        let entry = check(&line, &mut self.numbers, self.stretch).map_err(wrong)?;
        self.numbers.push(line.n, line.kind);
        Ok(Some((entry, line)))
    }

    /// Calls a function with every record that is left.
    ///
    /// # Errors
    ///
    /// The first error of a line, or of the function.
    pub fn each<E: From<ReadError>>(&mut self, visit: &mut dyn FnMut(&Line<'_>) -> Result<(), E>) -> Result<(), E> {
        while let Some((_, line)) = self.next()? {
            visit(&line)?;
        }
        Ok(())
    }

    /// Puts the next line that is not blank into the buffer.
    fn fill(&mut self) -> Result<bool, ReadError> {
        while !self.done {
            self.buffer.clear();
            let whole = match self.source.read_until(b'\n', &mut self.buffer) {
                Ok(0) => {
                    self.done = true;
                    return Ok(false);
                }
                Ok(count) => {
                    self.stretch = (self.stretch.1, self.stretch.1 + count as u64);
                    self.buffer.ends_with(b"\n")
                }
                // a compressed stream that ends early cuts its last line short
                Err(e) if e.kind() == io::ErrorKind::UnexpectedEof => {
                    self.done = true;
                    self.line += 1;
                    self.cut = Some(self.line);
                    return Ok(false);
                }
                Err(source) => return Err(ReadError::Io { name: self.name.to_owned(), source }),
            };
            self.line += 1;
            let end = self.buffer.iter().rposition(|b| !b.is_ascii_whitespace()).map_or(0, |at| at + 1);
            self.buffer.truncate(end);
            if end == 0 {
                continue;
            }
            if !whole && !std::str::from_utf8(&self.buffer).is_ok_and(|t| serde_json::from_str::<serde::de::IgnoredAny>(t).is_ok()) {
                self.done = true;
                self.cut = Some(self.line);
                return Ok(false);
            }
            return Ok(true);
        }
        Ok(false)
    }

    fn parse_header(&self) -> Result<Header, ReadError> {
        let wrong = |message: String| ReadError::Line { name: self.name.to_owned(), line: self.line, message };
        let text = std::str::from_utf8(&self.buffer).map_err(|_| wrong("not UTF-8".to_owned()))?;
        let header: Header = serde_json::from_str(text)
            .map_err(|e| wrong(format!("the first line must be the header, like {{\"recording\":1}}: {}", plain(&e))))?;
        if header.recording != 1 {
            return Err(wrong(format!("recordings of version {} are not known; expected 1", header.recording)));
        }
        Ok(header)
    }
}

/// Checks a record against those before it, and finds those that it names.
fn check(line: &Line<'_>, numbers: &mut Numbers, stretch: Stretch) -> Result<Entry, String> {
    for (field, value) in [("n", Some(line.n)), ("by", line.by), ("for", line.for_), ("of", line.of)] {
        if let Some(value) = value.filter(|v| *v > LARGEST) {
            return Err(format!("{field} is {value}; expected at most {LARGEST}"));
        }
    }
    if let Some(last) = numbers.last()
        && line.n <= last
    {
        return Err(format!("n is {} after {last}; expected a larger number than that of every record before", line.n));
    }
    let find = |field: &str, n: u64| numbers.index(n).ok_or_else(|| format!("{field} is {n}, and no earlier record has that number"));
    let by = line.by.map(|n| find("by", n)).transpose()?;
    if let Some(n) = by.filter(|i| matches!(numbers.kind(*i), Kind::Settle | Kind::Note)).and(line.by) {
        return Err(format!("by is {n}, which is a settle or a note; expected a record that can have work"));
    }
    let for_ = line.for_.map(|n| find("for", n)).transpose()?;
    if let Some(n) = for_.filter(|i| !matches!(numbers.kind(*i), Kind::Issue | Kind::Raise | Kind::Call)).and(line.for_) {
        return Err(format!("for is {n}; expected the number of an issue, a raise or a call"));
    }
    let of = line.of.map(|n| find("of", n)).transpose()?;
    let has = |field: &Option<Text<'_>>| field.is_some();
    let (fields, there): (&str, bool) = match line.kind {
        Kind::Call => ("target", has(&line.target)),
        Kind::Subscribe | Kind::Unsubscribe | Kind::Deliver => ("channel and handler", has(&line.channel) && has(&line.handler)),
        Kind::Raise => ("channel", has(&line.channel)),
        Kind::Issue | Kind::Run | Kind::Undo => ("command", has(&line.command)),
        Kind::Offer => ("chain and handler", has(&line.chain) && has(&line.handler)),
        Kind::Enter => ("machine", has(&line.machine)),
        Kind::End => ("object", has(&line.object)),
        Kind::Settle => ("of and outcome", line.of.is_some() && line.outcome.is_some()),
        Kind::Note => ("", true),
    };
    if !there {
        return Err(format!("{fields} missing; a record of this kind needs it"));
    }
    for value in [line.args, line.request, line.value].into_iter().flatten() {
        if nested_too_deep(value.get()) {
            return Err("JSON that is nested too deep to be read safely".to_owned());
        }
    }
    if line.kind == Kind::Settle
        && let (Some(n), Some(index)) = (line.of, of)
        && !numbers.settle(index)
    {
        return Err(format!("a second settle of {n}; expected one at most"));
    }
    Ok(Entry { index: numbers.next(), by, for_, of, stretch })
}

/// Whether brackets are open deeper than a parser follows them. Those within texts are counted too, which only brings a
/// value to the parser, which decides.
fn nested_too_deep(json: &str) -> bool {
    const SURELY: usize = 100;
    let opening = memchr::memchr2_iter(b'{', b'[', json.as_bytes()).take(SURELY).count();
    opening >= SURELY && serde_json::from_str::<serde_json::Value>(json).is_err()
}

/// A JSON error without the line and column that only concern the one line.
fn plain(error: &serde_json::Error) -> String {
    let text = error.to_string();
    match text.rsplit_once(" at line 1 column ") {
        Some((message, column)) => format!("{message} (column {column})"),
        None => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEADER: &str = "{\"recording\":1}\n";

    fn read(bytes: &[u8]) -> Result<(Vec<Record>, Option<u64>), ReadError> {
        let source = Source::bytes("r.jsonl", bytes);
        let mut reader = Reader::open(&source)?;
        let mut records = Vec::new();
        reader.each::<ReadError>(&mut |line| {
            records.push(line.to_record());
            Ok(())
        })?;
        Ok((records, reader.cut()))
    }

    fn error(lines: &str) -> String {
        match read(format!("{HEADER}{lines}").as_bytes()) {
            Ok(_) => panic!("this should not be read: {lines}"),
            Err(e) => e.to_string(),
        }
    }

    #[test]
    fn errors_name_file_and_line() {
        assert_eq!(error("{\"n\":1,\"kind\":\"call\"}\n"), "r.jsonl:2: target missing; a record of this kind needs it");
        assert!(error("{\"n\":1,\"kind\":\"dance\"}\n").starts_with("r.jsonl:2: unknown variant `dance`"));
        assert!(error("{\"n\":\"1\",\"kind\":\"note\"}\n").contains("r.jsonl:2: invalid type"));
        assert!(error("{\"n\":1,\"kind\":\"note\",\"text\":3}\n").contains("r.jsonl:2: invalid type: integer `3`, expected a text"));
        assert!(error("{\"n\":2,\"kind\":\"note\"}\n{\"n\":2,\"kind\":\"note\"}\n").starts_with("r.jsonl:3: n is 2 after 2"));
        assert!(error("{\"n\":2,\"by\":1,\"kind\":\"raise\",\"channel\":\"c\"}\n").contains("no earlier record"));
        assert!(error("{\"recording\":1}\n").contains("a second header"));
        assert!(error("{\"n\":9007199254740992,\"kind\":\"note\"}\n").contains("expected at most 9007199254740991"));
        let deep = format!("{{\"n\":1,\"kind\":\"call\",\"target\":\"A.b\",\"args\":{}{}}}\n", "[".repeat(300), "]".repeat(300));
        assert!(error(&deep).contains("nested too deep"));
    }

    #[test]
    fn references_must_fit() {
        let call = "{\"n\":1,\"kind\":\"call\",\"target\":\"A.b\"}\n";
        let settle = "{\"n\":2,\"kind\":\"settle\",\"of\":1,\"outcome\":\"done\"}\n";
        assert!(error(&format!("{call}{settle}{{\"n\":3,\"by\":2,\"kind\":\"end\",\"object\":\"A#1\"}}\n")).contains("a settle or a note"));
        assert!(error(&format!("{call}{settle}{}", settle.replace("\"n\":2", "\"n\":3"))).contains("a second settle of 1"));
        assert!(
            error(&format!("{call}{settle}{{\"n\":3,\"for\":2,\"kind\":\"run\",\"command\":\"C\"}}\n"))
                .contains("an issue, a raise or a call")
        );
        assert!(error(&format!("{call}{{\"n\":3,\"for\":3,\"kind\":\"run\",\"command\":\"C\"}}\n")).contains("no earlier record"));
    }

    #[test]
    fn a_last_line_cut_short_is_left_out() {
        let text = format!("{HEADER}{{\"n\":1,\"kind\":\"note\"}}\n{{\"n\":2,\"ki");
        let (records, cut) = read(text.as_bytes()).expect("readable");
        assert_eq!((records.len(), cut), (1, Some(3)));
    }

    #[test]
    fn a_whole_last_line_needs_no_line_end_and_blank_lines_say_nothing() {
        let text = format!("{HEADER}\r\n  \n{{\"n\":1,\"kind\":\"note\"}}\r\n\n{{\"n\":4,\"kind\":\"note\"}}");
        let (records, cut) = read(text.as_bytes()).expect("readable");
        assert_eq!((records.len(), cut), (2, None));
    }

    #[test]
    fn nothing_is_an_error() {
        assert!(matches!(read(b""), Err(ReadError::Empty { .. })));
        assert!(matches!(read(b"\n \n"), Err(ReadError::Empty { .. })));
    }

    #[test]
    fn compressed_members_in_a_row_are_one_recording() {
        use std::io::Write;
        let pack = |text: &str| {
            let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
            encoder.write_all(text.as_bytes()).expect("writable");
            encoder.finish().expect("writable")
        };
        let zstd = |text: &str| ruzstd::encoding::compress_to_vec(text.as_bytes(), ruzstd::encoding::CompressionLevel::Fastest);
        for pack in [&pack as &dyn Fn(&str) -> Vec<u8>, &zstd] {
            let both = [pack(HEADER), pack("{\"n\":1,\"kind\":\"note\"}\n{\"n\":2,\"kind\":\"note\"}\n")].concat();
            assert_eq!(read(&both).expect("readable").0.len(), 2);
            let (records, cut) = read(&both[..both.len() - 5]).expect("readable");
            assert!(records.len() <= 2 && (cut.is_some() || records.len() == 2));
        }
        let mut damaged = pack(&format!("{HEADER}{}", "{\"n\":1,\"kind\":\"note\"}\n".repeat(50)));
        damaged[30] ^= 0x55;
        assert!(read(&damaged).is_err());
    }

    proptest::proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..400)) {
            let _ = read(&bytes);
            let mut with_header = HEADER.as_bytes().to_vec();
            with_header.extend(bytes);
            let _ = read(&with_header);
        }
    }
}
