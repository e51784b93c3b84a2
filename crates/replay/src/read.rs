//! Reading and checking recordings.

use std::io::{self, BufRead, BufReader, Read};

use rustc_hash::{FxHashMap, FxHashSet};
use thiserror::Error;
use yarrowgraph_model::{Header, Kind, Record};

/// The largest number that `n` and `by` may be (2^53 − 1).
const LARGEST: u64 = (1 << 53) - 1;

/// A recording that was read in full.
#[derive(Clone, Debug)]
pub struct Recording {
    /// What it is called in messages.
    pub name: String,
    /// The first line.
    pub header: Header,
    /// All other lines, in order.
    pub records: Vec<Record>,
    /// For each record the line it stands on, counted from 1.
    pub lines: Vec<u64>,
    /// The line that was cut short and left out, where there is one.
    pub cut: Option<u64>,
}

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
    /// There is nothing in it.
    #[error("{name}: empty; the first line must be the header, like {{\"recording\":1}}")]
    Empty {
        /// The recording.
        name: String,
    },
}

/// Reads a recording. Compression is recognised by the first bytes; a last line without its
/// line end that is not JSON is left out and named in [`Recording::cut`].
pub fn read(name: &str, source: impl Read) -> Result<Recording, ReadError> {
    let io_error = |source| ReadError::Io { name: name.to_owned(), source };
    let mut source = BufReader::with_capacity(1 << 16, source);
    let start = source.fill_buf().map_err(io_error)?;
    let plain: Box<dyn BufRead + '_> = match start {
        [0x1F, 0x8B, ..] => Box::new(BufReader::new(flate2::bufread::MultiGzDecoder::new(source))),
        [0x28, 0xB5, 0x2F, 0xFD, ..] => {
            let decoder = ruzstd::decoding::StreamingDecoder::new(source).map_err(|e| io_error(io::Error::other(e)))?;
            Box::new(BufReader::new(decoder))
        }
        _ => Box::new(source),
    };
    Reader { name, line: 0, seen: Seen::default() }.all(plain)
}

#[derive(Default)]
struct Seen {
    /// What each record says, by number.
    kinds: FxHashMap<u64, Kind>,
    settled: FxHashSet<u64>,
    last: Option<u64>,
}

struct Reader<'n> {
    name: &'n str,
    line: u64,
    seen: Seen,
}

impl Reader<'_> {
    fn wrong(&self, message: impl Into<String>) -> ReadError {
        ReadError::Line { name: self.name.to_owned(), line: self.line, message: message.into() }
    }

    fn all(mut self, mut source: Box<dyn BufRead + '_>) -> Result<Recording, ReadError> {
        let mut header = None;
        let mut recording = Recording {
            name: self.name.to_owned(),
            header: Header { recording: 1, program: None, made_by: None },
            records: Vec::new(),
            lines: Vec::new(),
            cut: None,
        };
        let mut bytes = Vec::new();
        loop {
            bytes.clear();
            let whole = match source.read_until(b'\n', &mut bytes) {
                Ok(0) => break,
                Ok(_) => bytes.ends_with(b"\n"),
                // a compressed stream that ends early cuts its last line short
                Err(e) if e.kind() == io::ErrorKind::UnexpectedEof => {
                    self.line += 1;
                    recording.cut = Some(self.line);
                    break;
                }
                Err(source) => return Err(ReadError::Io { name: self.name.to_owned(), source }),
            };
            self.line += 1;
            while bytes.last().is_some_and(u8::is_ascii_whitespace) {
                bytes.pop();
            }
            if bytes.iter().all(u8::is_ascii_whitespace) {
                continue;
            }
            let text = match std::str::from_utf8(&bytes) {
                Ok(text) => text,
                Err(_) if !whole => {
                    recording.cut = Some(self.line);
                    break;
                }
                Err(_) => return Err(self.wrong("not UTF-8")),
            };
            if !whole && serde_json::from_str::<serde::de::IgnoredAny>(text).is_err() {
                recording.cut = Some(self.line);
                break;
            }
            if header.is_none() {
                header = Some(self.header(text)?);
                continue;
            }
            let record = self.record(text)?;
            recording.records.push(record);
            recording.lines.push(self.line);
        }
        match header {
            Some(header) => recording.header = header,
            None => return Err(ReadError::Empty { name: self.name.to_owned() }),
        }
        Ok(recording)
    }

    fn header(&self, text: &str) -> Result<Header, ReadError> {
        let header: Header = serde_json::from_str(text)
            .map_err(|e| self.wrong(format!("the first line must be the header, like {{\"recording\":1}}: {}", plain(&e))))?;
        if header.recording != 1 {
            return Err(self.wrong(format!("recordings of version {} are not known; expected 1", header.recording)));
        }
        Ok(header)
    }

    fn record(&mut self, text: &str) -> Result<Record, ReadError> {
        let record: Record = match serde_json::from_str(text) {
            Ok(record) => record,
            Err(e) => {
                let second = serde_json::from_str::<Header>(text).is_ok();
                let message = if second { "a second header; a recording has one, on its first line".to_owned() } else { plain(&e) };
                return Err(self.wrong(message));
            }
        };
        self.number(&record)?;
        self.references(&record)?;
        self.needs(&record)?;
        self.seen.kinds.insert(record.n, record.kind);
        Ok(record)
    }

    fn number(&mut self, record: &Record) -> Result<(), ReadError> {
        if record.n > LARGEST {
            return Err(self.wrong(format!("n is {}; expected at most {LARGEST}", record.n)));
        }
        if let Some(last) = self.seen.last
            && record.n <= last
        {
            return Err(self.wrong(format!("n is {} after {last}; expected a larger number than that of every record before", record.n)));
        }
        self.seen.last = Some(record.n);
        Ok(())
    }

    fn references(&mut self, record: &Record) -> Result<(), ReadError> {
        for (field, value) in [("by", record.by), ("of", record.of), ("for", record.for_)] {
            let Some(value) = value else { continue };
            let Some(kind) = self.seen.kinds.get(&value).copied() else {
                return Err(self.wrong(format!("{field} is {value}, and no earlier record has that number")));
            };
            if field == "by" && matches!(kind, Kind::Settle | Kind::Note) {
                return Err(self.wrong(format!("by is {value}, which is a settle or a note; expected a record that can have work")));
            }
            if field == "for" && !matches!(kind, Kind::Issue | Kind::Raise | Kind::Call) {
                return Err(self.wrong(format!("for is {value}; expected the number of an issue, a raise or a call")));
            }
        }
        if record.kind == Kind::Settle
            && let Some(of) = record.of
            && !self.seen.settled.insert(of)
        {
            return Err(self.wrong(format!("a second settle of {of}; expected one at most")));
        }
        Ok(())
    }

    fn needs(&self, record: &Record) -> Result<(), ReadError> {
        let has = |field: &Option<String>| field.is_some();
        let (fields, there): (&str, bool) = match record.kind {
            Kind::Call => ("target", has(&record.target)),
            Kind::Subscribe | Kind::Unsubscribe | Kind::Deliver => ("channel and handler", has(&record.channel) && has(&record.handler)),
            Kind::Raise => ("channel", has(&record.channel)),
            Kind::Issue | Kind::Run | Kind::Undo => ("command", has(&record.command)),
            Kind::Offer => ("chain and handler", has(&record.chain) && has(&record.handler)),
            Kind::Enter => ("machine", has(&record.machine)),
            Kind::End => ("object", has(&record.object)),
            Kind::Settle => ("of and outcome", record.of.is_some() && record.outcome.is_some()),
            Kind::Note => return Ok(()),
        };
        if there { Ok(()) } else { Err(self.wrong(format!("{fields} missing; a record of this kind needs it"))) }
    }
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

    fn error(lines: &str) -> String {
        match read("r.jsonl", format!("{HEADER}{lines}").as_bytes()) {
            Ok(_) => panic!("this should not be read: {lines}"),
            Err(e) => e.to_string(),
        }
    }

    #[test]
    fn errors_name_file_and_line() {
        assert_eq!(error("{\"n\":1,\"kind\":\"call\"}\n"), "r.jsonl:2: target missing; a record of this kind needs it");
        assert!(error("{\"n\":1,\"kind\":\"dance\"}\n").starts_with("r.jsonl:2: unknown variant `dance`"));
        assert!(error("{\"n\":\"1\",\"kind\":\"note\"}\n").contains("r.jsonl:2: invalid type"));
        assert!(error("{\"n\":2,\"kind\":\"note\"}\n{\"n\":2,\"kind\":\"note\"}\n").starts_with("r.jsonl:3: n is 2 after 2"));
        assert!(error("{\"n\":2,\"by\":1,\"kind\":\"raise\",\"channel\":\"c\"}\n").contains("no earlier record"));
        assert!(error("{\"recording\":1}\n").contains("a second header"));
    }

    #[test]
    fn a_last_line_cut_short_is_left_out() {
        let text = format!("{HEADER}{{\"n\":1,\"kind\":\"note\"}}\n{{\"n\":2,\"ki");
        let recording = read("r", text.as_bytes()).expect("readable");
        assert_eq!((recording.records.len(), recording.cut), (1, Some(3)));
    }

    #[test]
    fn a_whole_last_line_needs_no_line_end() {
        let text = format!("{HEADER}{{\"n\":1,\"kind\":\"note\"}}");
        let recording = read("r", text.as_bytes()).expect("readable");
        assert_eq!((recording.records.len(), recording.cut), (1, None));
    }

    #[test]
    fn nothing_is_an_error() {
        assert!(matches!(read("r", &b""[..]), Err(ReadError::Empty { .. })));
    }

    proptest::proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..400)) {
            let _ = read("r", &bytes[..]);
            let mut with_header = HEADER.as_bytes().to_vec();
            with_header.extend(bytes);
            let _ = read("r", &with_header[..]);
        }
    }
}
