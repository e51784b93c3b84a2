//! CloudEvents 1.0 in the JSON format, one event a line: each is a stimulus.

use std::io::{self, Write};

use serde_json::{Value, json};
use yarrowgraph_model::{Header, Kind, Record};

use super::{ForeignError, fields, from_fields, record, write_line};
use crate::say::say;

/// The extension attribute that says what record an event was; names of these have small letters and digits only.
const FIELDS: &str = "yarrowgraph";

pub(super) fn read(name: &str, bytes: &[u8]) -> Result<(Vec<Record>, Vec<String>), ForeignError> {
    let mut records = Vec::new();
    for (number, line) in bytes.split(|b| *b == b'\n').enumerate() {
        if line.iter().all(u8::is_ascii_whitespace) {
            continue;
        }
        let wrong = |message: String| ForeignError::Form { name: name.to_owned(), line: Some(number as u64 + 1), message };
        let event: Value = serde_json::from_slice(line).map_err(|e| wrong(format!("not the JSON of an event: {e}")))?;
        let text = |key: &str| event.get(key).and_then(Value::as_str).map(str::to_owned);
        let kind = text("type").ok_or_else(|| wrong("an event without a type".to_owned()))?;
        if text("specversion").is_none() {
            return Err(wrong("an event without a specversion".to_owned()));
        }
        let n = records.len() as u64 + 1;
        let own: Vec<(String, String)> = text(FIELDS).and_then(|t| serde_json::from_str(&t).ok()).unwrap_or_default();
        let said = from_fields(n, &own).unwrap_or_else(|| Record {
            target: Some(kind),
            args: event.get("data").or_else(|| event.get("data_base64")).cloned(),
            ..record(n, Kind::Call)
        });
        records.push(Record { outcome: None, value: None, ..said });
    }
    Ok((records, vec!["when and where each event came from".to_owned()]))
}

pub(super) fn write(header: &Header, records: &[Record], out: &mut dyn Write) -> io::Result<Vec<String>> {
    let source = format!("/{}", header.program.as_deref().unwrap_or("recording"));
    let mut caused = 0;
    for r in records {
        if r.by.is_some() || matches!(r.kind, Kind::Settle | Kind::Note) {
            caused += 1;
            continue;
        }
        let said = say(r);
        let id = said.split_once(' ').map_or(said.as_str(), |(_, id)| id);
        let own = serde_json::to_string(&fields(r))?;
        let mut event = json!({"specversion": "1.0", "id": r.n.to_string(), "source": source, "type": id, FIELDS: own});
        if let Some(data) = r.args.as_ref().or(r.request.as_ref()) {
            event["datacontenttype"] = "application/json".into();
            event["data"] = data.clone();
        }
        write_line(out, &event)?;
    }
    Ok(if caused > 0 { vec![format!("{caused} records that stimuli caused or that end them")] } else { Vec::new() })
}
