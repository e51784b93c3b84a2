//! SARIF 2.1.0 (OASIS Standard, 27 March 2020).

use serde_json::{Value, json};
use yarrowgraph_model::{Certainty, Finding, Level, Place};

/// What a log says of a rule.
#[derive(Clone, Debug)]
pub struct RuleText<'r> {
    /// Its name.
    pub name: &'r str,
    /// What it reports.
    pub summary: &'r str,
    /// Its page as plain text.
    pub help: String,
    /// The level of most of its findings.
    pub level: Level,
}

/// A log with one run. Columns are counted in Unicode scalar values (§3.14.27), files are
/// relative to the root.
pub fn log(findings: &[Finding], rules: &[RuleText<'_>], version: &str) -> Value {
    let descriptors: Vec<Value> = rules
        .iter()
        .map(|r| {
            json!({
                "id": r.name,
                "shortDescription": { "text": r.summary },
                "help": { "text": r.help },
                "defaultConfiguration": { "level": level(r.level) },
            })
        })
        .collect();
    let results: Vec<Value> = findings.iter().map(|f| result(f, rules)).collect();
    json!({
        "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": { "name": "Yarrowgraph", "version": version, "rules": descriptors } },
            "columnKind": "unicodeCodePoints",
            "results": results,
        }],
    })
}

fn result(f: &Finding, rules: &[RuleText<'_>]) -> Value {
    let related: Vec<Value> = f
        .related
        .iter()
        .enumerate()
        .map(|(i, r)| {
            let mut location = location(&r.place);
            location["id"] = json!(i + 1);
            location["message"] = json!({ "text": r.message });
            location
        })
        .collect();
    let mut value = json!({
        "ruleId": f.rule,
        "level": level(f.level),
        "message": { "text": f.message },
        "locations": [location(&f.place)],
        "partialFingerprints": { "yarrowgraph/v1": f.fingerprint },
        "properties": { "certainty": certainty(f.certainty) },
    });
    if let Some(index) = rules.iter().position(|r| r.name == f.rule) {
        value["ruleIndex"] = json!(index);
    }
    if !related.is_empty() {
        value["relatedLocations"] = Value::Array(related);
    }
    if let Some(edit) = &f.edit {
        value["fixes"] = json!([{
            "description": { "text": edit.label },
            "artifactChanges": [{
                "artifactLocation": { "uri": uri(&edit.place.file) },
                "replacements": [{ "deletedRegion": region(&edit.place), "insertedContent": { "text": edit.text } }],
            }],
        }]);
    }
    value
}

fn location(place: &Place) -> Value {
    json!({
        "physicalLocation": {
            "artifactLocation": { "uri": uri(&place.file) },
            "region": region(place),
        },
    })
}

/// A region; where it is empty its end is stated, since one without an end goes to the end of its line (§3.30.7).
fn region(place: &Place) -> Value {
    let mut region = json!({
        "startLine": place.line,
        "startColumn": place.column,
        "byteOffset": place.start,
        "byteLength": place.end - place.start,
    });
    if place.start == place.end {
        region["endLine"] = json!(place.line);
        region["endColumn"] = json!(place.column);
    }
    region
}

/// A relative path as a URI reference (RFC 3986): what may not stand in one is escaped.
fn uri(path: &str) -> String {
    let mut out = String::with_capacity(path.len());
    for byte in path.bytes() {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'/' | b'-' | b'.' | b'_' | b'~' | b'@' | b'+' | b'=' | b',' | b'!' | b'$' => {
                out.push(byte as char)
            }
            _ => out.push_str(&format!("%{byte:02X}")),
        }
    }
    out
}

fn level(level: Level) -> &'static str {
    match level {
        Level::Error => "error",
        Level::Warning => "warning",
        Level::Note => "note",
    }
}

fn certainty(certainty: Certainty) -> &'static str {
    match certainty {
        Certainty::Certain => "certain",
        Certainty::Likely => "likely",
        Certainty::Possible => "possible",
    }
}

#[cfg(test)]
mod tests {
    use super::uri;

    #[test]
    fn paths_become_uris() {
        assert_eq!(uri("src/a b#.cs"), "src/a%20b%23.cs");
        assert_eq!(uri("src/Größe.java"), "src/Gr%C3%B6%C3%9Fe.java");
    }
}
