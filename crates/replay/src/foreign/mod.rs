//! Other open formats: reading them as recordings, and writing recordings as them.
//!
//! What one format has and the other has not is lost; each says once what.

mod cloud_events;
mod otlp;
mod xes;

use std::io::{self, Write};

use serde_json::Value;
use thiserror::Error;
use yarrowgraph_model::{Header, Kind, Outcome, Record};

use crate::read::{ReadError, Reader};
use crate::source::Source;

/// A format beside the own one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// Traces of OpenTelemetry, in the JSON encoding of OTLP (OTLP 1.x, `TracesData`).
    Otlp,
    /// CloudEvents 1.0, one event a line in the JSON format.
    CloudEvents,
    /// An event log of IEEE 1849 (XES).
    Xes,
}

/// Why something cannot be read as a recording.
#[derive(Debug, Error)]
pub enum ForeignError {
    /// It cannot be read, or what is read cannot be written.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// The recording cannot be read.
    #[error(transparent)]
    Recording(#[from] ReadError),
    /// It is not what it begins like.
    #[error("{name}{}: {message}", line.map_or_else(String::new, |l| format!(":{l}")))]
    Form {
        /// The file.
        name: String,
        /// The line, where it is one of several.
        line: Option<u64>,
        /// What is wrong.
        message: String,
    },
}

/// The format that a file begins like; none for a recording, or for what is unknown.
pub fn format_of(start: &[u8]) -> Option<Format> {
    let text = String::from_utf8_lossy(start);
    let text = text.trim_start_matches('\u{feff}').trim_start();
    if text.starts_with('<') {
        return Some(Format::Xes).filter(|_| text.starts_with("<?xml") || text.starts_with("<log"));
    }
    let first: String = text.chars().take(4000).collect();
    let names = |key: &str| first.contains(&format!("\"{key}\""));
    if names("recording") && !names("resourceSpans") {
        return None;
    }
    match (names("resourceSpans") || names("resource_spans"), names("specversion")) {
        (true, _) => Some(Format::Otlp),
        (_, true) => Some(Format::CloudEvents),
        _ => None,
    }
}

/// Reads bytes of another format and writes them as a recording. Gives back what is lost on the way, in words.
///
/// # Errors
///
/// When the bytes are not of the format, or the recording cannot be written.
pub fn import(name: &str, bytes: &[u8], format: Format, out: &mut dyn Write) -> Result<Vec<String>, ForeignError> {
    let (records, lost) = match format {
        Format::Otlp => otlp::read(name, bytes)?,
        Format::CloudEvents => cloud_events::read(name, bytes)?,
        Format::Xes => xes::read(name, bytes)?,
    };
    let made_by = match format {
        Format::Otlp => "OTLP",
        Format::CloudEvents => "CloudEvents",
        Format::Xes => "XES",
    };
    let header = Header { recording: 1, program: None, made_by: Some(made_by.to_owned()) };
    write_line(out, &header)?;
    for record in &records {
        write_line(out, record)?;
    }
    Ok(lost)
}

/// Writes a recording in another format. Gives back what is lost on the way, in words.
///
/// # Errors
///
/// When the recording cannot be read, or the other cannot be written.
pub fn export(source: &Source<'_>, format: Format, out: &mut dyn Write) -> Result<Vec<String>, ForeignError> {
    let mut reader = Reader::open(source)?;
    let header = reader.header();
    let mut records = Vec::new();
    reader.each::<ReadError>(&mut |line| {
        records.push(line.to_record());
        Ok(())
    })?;
    Ok(match format {
        Format::Otlp => otlp::write(&header, &records, out)?,
        Format::CloudEvents => cloud_events::write(&header, &records, out)?,
        Format::Xes => xes::write(&records, out)?,
    })
}

fn write_line(out: &mut dyn Write, value: &impl serde::Serialize) -> io::Result<()> {
    serde_json::to_writer(&mut *out, value)?;
    out.write_all(b"\n")
}

/// A record of a kind with nothing else.
fn record(n: u64, kind: Kind) -> Record {
    Record {
        n,
        by: None,
        lane: None,
        at: None,
        for_: None,
        case: None,
        kind,
        target: None,
        object: None,
        channel: None,
        subject: None,
        handler: None,
        subscriber: None,
        command: None,
        invoker: None,
        chain: None,
        request: None,
        machine: None,
        from: None,
        to: None,
        event: None,
        args: None,
        of: None,
        outcome: None,
        value: None,
        text: None,
    }
}

/// The record that ends the work of another one.
fn settle(n: u64, of: u64, outcome: Outcome) -> Record {
    Record { of: Some(of), outcome: Some(outcome), ..record(n, Kind::Settle) }
}

/// The fields of a record that say what it is, by their names in a recording.
const FIELDS: [&str; 21] = [
    "kind",
    "lane",
    "case",
    "target",
    "object",
    "channel",
    "subject",
    "handler",
    "subscriber",
    "command",
    "invoker",
    "chain",
    "request",
    "machine",
    "from",
    "to",
    "event",
    "args",
    "text",
    "outcome",
    "value",
];

/// The fields of a record, each as a text: texts as they are, everything else as JSON.
fn fields(record: &Record) -> Vec<(&'static str, String)> {
    let Ok(Value::Object(all)) = serde_json::to_value(record) else { return Vec::new() };
    let text = |name: &&'static str| match all.get(*name)? {
        Value::String(text) => Some((*name, text.clone())),
        other => Some((*name, other.to_string())),
    };
    FIELDS.iter().filter_map(text).collect()
}

/// A record made of fields as [`fields`] gives them; none if they do not make one.
fn from_fields(n: u64, given: &[(String, String)]) -> Option<Record> {
    let mut all = serde_json::Map::new();
    all.insert("n".into(), n.into());
    for (name, text) in given.iter().filter(|(name, _)| FIELDS.contains(&name.as_str())) {
        let value = match name.as_str() {
            // what is no JSON is a text
            "args" | "request" | "value" => serde_json::from_str(text).unwrap_or_else(|_| Value::from(text.as_str())),
            _ => Value::from(text.as_str()),
        };
        all.insert(name.clone(), value);
    }
    let record: Record = serde_json::from_value(Value::Object(all)).ok()?;
    let complete = match record.kind {
        Kind::Call => record.target.is_some(),
        Kind::Subscribe | Kind::Unsubscribe | Kind::Deliver => record.channel.is_some() && record.handler.is_some(),
        Kind::Raise => record.channel.is_some(),
        Kind::Issue | Kind::Run | Kind::Undo => record.command.is_some(),
        Kind::Offer => record.chain.is_some() && record.handler.is_some(),
        Kind::Enter => record.machine.is_some(),
        Kind::End => record.object.is_some(),
        Kind::Settle | Kind::Note => true,
    };
    complete.then_some(record)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, Verdict, against};

    const RUN: &str = r#"{"recording":1,"program":"marlwend"}
{"n":1,"at":10,"kind":"call","target":"Lock.fill","object":"Lock#1","args":{"cm":120,"by":{"object":"Boat#1"}}}
{"n":2,"by":1,"at":20,"kind":"raise","channel":"Gauge.rose","subject":"Gauge#1"}
{"n":3,"by":2,"at":30,"lane":"pump","kind":"deliver","channel":"Gauge.rose","handler":"Board.show","subscriber":"Board#1"}
{"n":4,"at":40,"kind":"settle","of":3,"outcome":"threw","value":"Dry"}
{"n":5,"by":1,"at":50,"kind":"issue","command":"Open","object":"Gate#1","invoker":"Keeper#1"}
{"n":6,"at":60,"kind":"settle","of":5,"outcome":"done"}
{"n":7,"at":70,"kind":"call","target":"Keeper.turn","object":"Keeper#1"}
{"n":8,"by":7,"for":5,"at":80,"kind":"run","command":"Open","object":"Gate#1","invoker":"Keeper#1"}
{"n":9,"at":90,"kind":"enter","by":8,"machine":"Gate.state","object":"Gate#1","from":"shut","to":"open","event":"open"}
"#;

    fn there_and_back(format: Format) -> String {
        let mut other = Vec::new();
        export(&Source::bytes("run", RUN.as_bytes()), format, &mut other).expect("written");
        assert_eq!(format_of(&other), Some(format));
        let mut back = Vec::new();
        import("other", &other, format, &mut back).expect("read");
        String::from_utf8(back).expect("text")
    }

    #[test]
    fn traces_and_logs_keep_the_dispatch() {
        for format in [Format::Otlp, Format::Xes] {
            let back = there_and_back(format);
            let found = against(&Source::bytes("run", RUN.as_bytes()), &Source::bytes("back", back.as_bytes()), &Options::default());
            let found = found.expect("readable").replay;
            assert_eq!(found.verdict, Verdict::Unchanged, "{format:?} {back} {found:#?}");
        }
    }

    #[test]
    fn events_keep_the_stimuli() {
        let back = there_and_back(Format::CloudEvents);
        let calls: Vec<&str> = back.lines().skip(1).collect();
        assert_eq!(calls.len(), 2);
        assert!(calls[0].contains("Lock.fill") && calls[0].contains("120"), "{back}");
    }

    #[test]
    fn recordings_are_none_of_them() {
        assert_eq!(format_of(RUN.as_bytes()), None);
        assert_eq!(format_of(b""), None);
        assert_eq!(format_of(b"<html>"), None);
    }

    proptest::proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..300), start in 0_usize..4) {
            let starts: [&[u8]; 4] = [b"", b"{\"resourceSpans\":[", b"{\"specversion\":\"1.0\",", b"<log><trace><event>"];
            let all = [starts[start], &bytes[..]].concat();
            for format in [Format::Otlp, Format::CloudEvents, Format::Xes] {
                let _ = import("r", &all, format, &mut Vec::new());
            }
        }
    }
}
