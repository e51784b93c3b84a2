//! Event logs of IEEE 1849 (XES): a trace for each stimulus, an event for each record.
//!
//! What record an event is, is said by attributes whose keys begin with `yarrowgraph:`; an event of another program is a
//! call of its `concept:name`, in the lane of its `org:resource`.

use std::io::{self, Write};

use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, Event};
use quick_xml::{Reader, Writer};
use rustc_hash::FxHashMap;
use yarrowgraph_model::{Kind, Record};

use super::{ForeignError, fields, from_fields, record, settle};
use crate::say::say;

/// What the keys of own attributes begin with.
const OWN: &str = "yarrowgraph:";

/// What is said of a trace or an event.
#[derive(Default)]
struct Said {
    all: Vec<(String, String)>,
}

impl Said {
    fn get(&self, key: &str) -> Option<&str> {
        self.all.iter().find(|(k, _)| k == key).map(|(_, v)| v.as_str())
    }

    fn own(&self) -> Vec<(String, String)> {
        self.all.iter().filter_map(|(k, v)| k.strip_prefix(OWN).map(|k| (k.to_owned(), v.clone()))).collect()
    }
}

pub(super) fn read(name: &str, bytes: &[u8]) -> Result<(Vec<Record>, Vec<String>), ForeignError> {
    let mut reader = Reader::from_reader(bytes);
    let wrong = |reader: &Reader<&[u8]>, message: String| {
        let before = &bytes[..bytes.len().min(reader.buffer_position() as usize)];
        let line = before.iter().filter(|b| **b == b'\n').count() as u64 + 1;
        ForeignError::Form { name: name.to_owned(), line: Some(line), message }
    };
    let mut traces: Vec<(Said, Vec<Said>)> = Vec::new();
    let mut depth: Vec<Vec<u8>> = Vec::new();
    loop {
        let event = reader.read_event().map_err(|e| wrong(&reader, format!("not the XML of a log: {e}")))?;
        let (start, empty) = match &event {
            Event::Start(start) => (start, false),
            Event::Empty(start) => (start, true),
            Event::End(_) => {
                depth.pop();
                continue;
            }
            Event::Eof => break,
            _ => continue,
        };
        let tag = start.name().as_ref().to_vec();
        match tag.as_slice() {
            b"trace" => traces.push(Default::default()),
            b"event" => match traces.last_mut() {
                Some((_, events)) => events.push(Said::default()),
                None => return Err(wrong(&reader, "an event outside of a trace".to_owned())),
            },
            b"string" | b"date" | b"int" | b"float" | b"boolean" | b"id" => {
                let attribute = |key: &str| -> Option<String> {
                    let found = start.try_get_attribute(key).ok()??;
                    found.unescape_value().ok().map(|v| v.into_owned())
                };
                // only what is said of a trace or an event itself
                let said = match depth.last().map(Vec::as_slice) {
                    Some(b"event") => traces.last_mut().and_then(|(_, events)| events.last_mut()),
                    Some(b"trace") => traces.last_mut().map(|(trace, _)| trace),
                    _ => None,
                };
                if let (Some(said), Some(key), Some(value)) = (said, attribute("key"), attribute("value")) {
                    said.all.push((key, value));
                }
            }
            _ => {}
        }
        if !empty {
            depth.push(tag);
        }
    }
    if let Some(open) = depth.last() {
        return Err(wrong(&reader, format!("<{}> is not closed", String::from_utf8_lossy(open))));
    }
    Ok(records(&traces))
}

fn records(traces: &[(Said, Vec<Said>)]) -> (Vec<Record>, Vec<String>) {
    let mut out: Vec<Record> = Vec::new();
    let mut numbers: FxHashMap<&str, u64> = FxHashMap::default();
    let mut ends = Vec::new();
    let mut later = Vec::new();
    let mut others = 0;
    for (trace, events) in traces {
        let own_trace = events.first().is_some_and(|e| e.get("yarrowgraph:kind").is_some());
        let stimulus = (!own_trace).then(|| {
            let n = out.len() as u64 + 1;
            out.push(Record { target: Some(trace.get("concept:name").unwrap_or("trace").to_owned()), ..record(n, Kind::Call) });
            n
        });
        for event in events {
            let n = out.len() as u64 + 1;
            others +=
                event.all.iter().filter(|(k, _)| !k.starts_with(OWN) && !matches!(k.as_str(), "concept:name" | "org:resource")).count();
            let said = from_fields(n, &event.own()).unwrap_or_else(|| Record {
                target: Some(event.get("concept:name").unwrap_or("event").to_owned()),
                lane: event.get("org:resource").map(str::to_owned),
                ..record(n, Kind::Call)
            });
            let by = event.get("yarrowgraph:by").and_then(|id| numbers.get(id).copied()).or(stimulus);
            if let Some(outcome) = said.outcome {
                ends.push((n, outcome, said.value.clone()));
            }
            if let Some(of) = event.get("yarrowgraph:for") {
                later.push((n, of.to_owned()));
            }
            if let Some(id) = event.get("yarrowgraph:n") {
                numbers.insert(id, n);
            }
            out.push(Record { by, outcome: None, value: None, ..said });
        }
    }
    for (n, of) in later {
        let of = numbers.get(of.as_str()).copied().filter(|of| *of < n);
        let kind = of.map(|of| out[of as usize - 1].kind);
        if matches!(kind, Some(Kind::Issue | Kind::Raise | Kind::Call)) {
            out[n as usize - 1].for_ = of;
        }
    }
    for (of, outcome, value) in ends {
        let n = out.len() as u64 + 1;
        out.push(Record { value, ..settle(n, of, outcome) });
    }
    let lost = if others > 0 { vec![format!("{others} attributes that say nothing of dispatch")] } else { Vec::new() };
    (out, lost)
}

pub(super) fn write(records: &[Record], out: &mut dyn Write) -> io::Result<Vec<String>> {
    let mut ends: FxHashMap<u64, &Record> = FxHashMap::default();
    let mut stimulus: FxHashMap<u64, u64> = FxHashMap::default();
    let mut traces: Vec<(u64, Vec<&Record>)> = Vec::new();
    let mut place: FxHashMap<u64, usize> = FxHashMap::default();
    for r in records {
        match r.kind {
            Kind::Settle => drop(r.of.map(|of| ends.insert(of, r))),
            Kind::Note => {}
            _ => {
                let root = r.by.and_then(|by| stimulus.get(&by).copied()).unwrap_or(r.n);
                stimulus.insert(r.n, root);
                let at = *place.entry(root).or_insert_with(|| {
                    traces.push((root, Vec::new()));
                    traces.len() - 1
                });
                traces[at].1.push(r);
            }
        }
    }
    let mut xml = Writer::new_with_indent(out, b' ', 1);
    xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let mut log = BytesStart::new("log");
    log.push_attribute(("xes.version", "1849-2016"));
    log.push_attribute(("xes.features", ""));
    xml.write_event(Event::Start(log))?;
    let put = |xml: &mut Writer<&mut dyn Write>, key: &str, value: &str| -> io::Result<()> {
        xml.create_element("string").with_attributes([("key", key), ("value", printable(value).as_str())]).write_empty().map(drop)
    };
    for (root, events) in &traces {
        xml.write_event(Event::Start(BytesStart::new("trace")))?;
        put(&mut xml, "concept:name", &root.to_string())?;
        for r in events {
            xml.write_event(Event::Start(BytesStart::new("event")))?;
            put(&mut xml, "concept:name", &say(r))?;
            let mut said = fields(r);
            if let Some(end) = ends.get(&r.n) {
                said.extend(fields(end).into_iter().filter(|(name, _)| matches!(*name, "outcome" | "value")));
            }
            said.push(("n", r.n.to_string()));
            said.extend(r.by.map(|by| ("by", by.to_string())));
            said.extend(r.for_.map(|of| ("for", of.to_string())));
            for (name, value) in said {
                put(&mut xml, &format!("{OWN}{name}"), &value)?;
            }
            xml.write_event(Event::End(BytesEnd::new("event")))?;
        }
        xml.write_event(Event::End(BytesEnd::new("trace")))?;
    }
    xml.write_event(Event::End(BytesEnd::new("log")))?;
    writeln!(xml.into_inner())?;
    Ok(vec!["the order of records of different stimuli, and notes".to_owned()])
}

/// The characters that XML may hold (XML 1.0, section 2.2).
fn printable(text: &str) -> String {
    text.chars()
        .map(|c| if (c < ' ' && !matches!(c, '\t' | '\n' | '\r')) || matches!(c, '\u{fffe}' | '\u{ffff}') { '\u{fffd}' } else { c })
        .collect()
}
