//! Traces of OpenTelemetry in the JSON encoding of OTLP (`TracesData`: resource spans, scope spans, spans).
//!
//! A span is a record; what record it is, is said by attributes whose names begin with `yarrowgraph.`. A span of another
//! program is taken by its kind (`Span.SpanKind`): a producer's is a raise, a consumer's a delivery, any other one a call.

use std::io::{self, Write};

use rustc_hash::FxHashMap;
use serde_json::{Value, json};
use yarrowgraph_model::{Header, Kind, Outcome, Record};

use super::{ForeignError, fields, from_fields, record, settle};
use crate::say::say;

/// What the names of own attributes begin with.
const OWN: &str = "yarrowgraph.";
/// `Span.SpanKind`: who puts a message somewhere, and who takes it.
const PRODUCER: u64 = 4;
const CONSUMER: u64 = 5;
/// `Status.StatusCode`.
const ERROR: u64 = 2;

struct Span {
    id: String,
    parent: Option<String>,
    start: u64,
    /// Where it stands in the file.
    place: usize,
    fields: Vec<(String, String)>,
    name: String,
    kind: u64,
    failed: bool,
    link: Option<String>,
    others: usize,
}

pub(super) fn read(name: &str, bytes: &[u8]) -> Result<(Vec<Record>, Vec<String>), ForeignError> {
    let wrong = |message: String| ForeignError::Form { name: name.to_owned(), line: None, message };
    let data: Value = serde_json::from_slice(bytes).map_err(|e| wrong(format!("not the JSON of traces: {e}")))?;
    let list = |value: &Value, names: [&str; 2]| -> Vec<Value> {
        names.iter().find_map(|n| value.get(*n)).and_then(Value::as_array).cloned().unwrap_or_default()
    };
    let mut spans = Vec::new();
    for resource in list(&data, ["resourceSpans", "resource_spans"]) {
        for scope in list(&resource, ["scopeSpans", "scope_spans"]) {
            for span in list(&scope, ["spans", "spans"]) {
                let place = spans.len();
                spans.push(parse(&span, place).ok_or_else(|| wrong(format!("span {} has no id", place + 1)))?);
            }
        }
    }
    // parents begin before their children, and come first where both begin at once
    let known: FxHashMap<String, usize> = spans.iter().map(|s| (s.id.clone(), s.place)).collect();
    let depth = |span: &Span| {
        let up = |s: &&Span| s.parent.as_ref().and_then(|p| known.get(p)).map(|p| &spans[*p]);
        std::iter::successors(Some(span), up).take(spans.len()).count()
    };
    let mut order: Vec<(u64, usize, usize)> = spans.iter().map(|s| (s.start, depth(s), s.place)).collect();
    order.sort_unstable();
    let mut numbers: FxHashMap<&str, u64> = FxHashMap::default();
    let mut records = Vec::new();
    let mut ends: Vec<(u64, Outcome, Option<Value>)> = Vec::new();
    let (mut orphans, mut others) = (0, 0);
    for (_, _, place) in order {
        let span = &spans[place];
        others += span.others;
        let n = records.len() as u64 + 1;
        let mut said = from_fields(n, &span.fields).unwrap_or_else(|| foreign(n, span));
        said.by = span.parent.as_ref().and_then(|p| numbers.get(p.as_str()).copied());
        if span.parent.is_some() && said.by.is_none() {
            orphans += 1;
        }
        said.at = Some(span.start).filter(|s| *s > 0);
        said.for_ = span.link.as_ref().and_then(|l| numbers.get(l.as_str()).copied());
        let outcome = said.outcome.take();
        let value = said.value.take();
        if let Some(outcome) = outcome.or(span.failed.then_some(Outcome::Threw)) {
            ends.push((n, outcome, value));
        }
        numbers.insert(&span.id, n);
        records.push(said);
    }
    for (of, outcome, value) in ends {
        let n = records.len() as u64 + 1;
        records.push(Record { value, ..settle(n, of, outcome) });
    }
    // only an issue, a raise or a call can be carried out later
    let kinds: Vec<Kind> = records.iter().map(|r| r.kind).collect();
    for said in &mut records {
        said.for_ = said.for_.filter(|of| matches!(kinds[*of as usize - 1], Kind::Issue | Kind::Raise | Kind::Call));
    }
    let mut lost = vec!["when each span ended".to_owned()];
    if others > 0 {
        lost.push(format!("{others} attributes that say nothing of dispatch"));
    }
    if orphans > 0 {
        lost.push(format!("the causes of {orphans} spans whose parents are not in the file"));
    }
    Ok((records, lost))
}

fn parse(span: &Value, place: usize) -> Option<Span> {
    let get = |names: [&str; 2]| names.iter().find_map(|n| span.get(*n));
    let text = |names: [&str; 2]| get(names).and_then(Value::as_str).filter(|t| !t.is_empty()).map(str::to_owned);
    // numbers of 64 bits are texts in this encoding
    let number =
        |names: [&str; 2]| get(names).map_or(0, |v| v.as_u64().or_else(|| v.as_str().and_then(|t| t.parse().ok())).unwrap_or_default());
    let mut fields = Vec::new();
    let mut others = 0;
    for attribute in get(["attributes", "attributes"]).and_then(Value::as_array).into_iter().flatten() {
        let key = attribute.get("key").and_then(Value::as_str).unwrap_or_default();
        let value = attribute.get("value").map(plain).unwrap_or_default();
        match key.strip_prefix(OWN) {
            Some(own) => fields.push((own.to_owned(), value)),
            None if matches!(key, "thread.name" | "messaging.destination.name") => fields.push((key.to_owned(), value)),
            None => others += 1,
        }
    }
    let link = get(["links", "links"]).and_then(Value::as_array).and_then(|l| l.first());
    let link = link.and_then(|l| l.get("spanId").or_else(|| l.get("span_id"))).and_then(Value::as_str).map(str::to_owned);
    let status = get(["status", "status"]).and_then(|s| s.get("code"));
    let failed = status.is_some_and(|c| c.as_u64() == Some(ERROR) || c.as_str() == Some("STATUS_CODE_ERROR"));
    let kind = get(["kind", "kind"]).map_or(0, |k| match k.as_str() {
        Some("SPAN_KIND_PRODUCER") => PRODUCER,
        Some("SPAN_KIND_CONSUMER") => CONSUMER,
        _ => k.as_u64().unwrap_or_default(),
    });
    Some(Span {
        id: text(["spanId", "span_id"])?,
        parent: text(["parentSpanId", "parent_span_id"]),
        start: number(["startTimeUnixNano", "start_time_unix_nano"]),
        place,
        fields,
        name: text(["name", "name"]).unwrap_or_else(|| "span".to_owned()),
        kind,
        failed,
        link,
        others,
    })
}

/// An attribute's value (`AnyValue`) as a text.
fn plain(value: &Value) -> String {
    let Some((_, inner)) = value.as_object().and_then(|o| o.iter().next()) else { return value.to_string() };
    inner.as_str().map_or_else(|| inner.to_string(), str::to_owned)
}

/// A span that says nothing of dispatch itself.
fn foreign(n: u64, span: &Span) -> Record {
    let attribute = |key: &str| span.fields.iter().find(|(k, _)| k == key).map(|(_, v)| v.clone());
    let channel = || attribute("messaging.destination.name").unwrap_or_else(|| span.name.clone());
    let lane = attribute("thread.name");
    match span.kind {
        PRODUCER => Record { channel: Some(channel()), lane, ..record(n, Kind::Raise) },
        CONSUMER => Record { channel: Some(channel()), handler: Some(span.name.clone()), lane, ..record(n, Kind::Deliver) },
        _ => Record { target: Some(span.name.clone()), lane, ..record(n, Kind::Call) },
    }
}

pub(super) fn write(header: &Header, records: &[Record], out: &mut dyn Write) -> io::Result<Vec<String>> {
    let mut ends: FxHashMap<u64, &Record> = FxHashMap::default();
    let mut stimulus: FxHashMap<u64, u64> = FxHashMap::default();
    let mut notes = 0;
    for r in records {
        match r.kind {
            Kind::Settle => drop(r.of.map(|of| ends.insert(of, r))),
            Kind::Note => notes += 1,
            _ => drop(stimulus.insert(r.n, r.by.and_then(|by| stimulus.get(&by).copied()).unwrap_or(r.n))),
        }
    }
    let id = |n: u64| format!("{:016x}", n + 1);
    let mut spans = Vec::new();
    for r in records.iter().filter(|r| !matches!(r.kind, Kind::Settle | Kind::Note)) {
        let end = ends.get(&r.n);
        // where nothing says when, the order of the records does
        let start = r.at.unwrap_or(r.n);
        let mut said = fields(r);
        if let Some(end) = end {
            said.extend(fields(end).into_iter().filter(|(name, _)| matches!(*name, "outcome" | "value")));
        }
        let attributes: Vec<Value> =
            said.iter().map(|(name, text)| json!({"key": format!("{OWN}{name}"), "value": {"stringValue": text}})).collect();
        let mut span = json!({
            "traceId": format!("{:032x}", stimulus.get(&r.n).copied().unwrap_or(r.n) + 1),
            "spanId": id(r.n),
            "name": say(r),
            "kind": match r.kind { Kind::Raise => PRODUCER, Kind::Deliver => CONSUMER, _ => 1 },
            "startTimeUnixNano": start.to_string(),
            "endTimeUnixNano": end.map_or(start, |e| e.at.unwrap_or(e.n).max(start)).to_string(),
            "attributes": attributes,
        });
        if let Some(by) = r.by {
            span["parentSpanId"] = id(by).into();
        }
        if let Some(of) = r.for_ {
            let trace = format!("{:032x}", stimulus.get(&of).copied().unwrap_or(of) + 1);
            span["links"] = json!([{"traceId": trace, "spanId": id(of)}]);
        }
        if end.is_some_and(|e| e.outcome == Some(Outcome::Threw)) {
            span["status"] = json!({"code": ERROR});
        }
        spans.push(span);
    }
    let service = header.program.clone().unwrap_or_else(|| "recording".to_owned());
    let resource = json!({"attributes": [{"key": "service.name", "value": {"stringValue": service}}]});
    let data = json!({"resourceSpans": [{"resource": resource, "scopeSpans": [{"scope": {"name": "yarrowgraph"}, "spans": spans}]}]});
    serde_json::to_writer(&mut *out, &data)?;
    writeln!(out)?;
    let mut lost = vec!["the numbers of the records".to_owned()];
    if notes > 0 {
        lost.push(format!("{notes} notes"));
    }
    Ok(lost)
}
