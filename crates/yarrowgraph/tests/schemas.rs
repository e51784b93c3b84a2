//! Real output is what the published schemas say, and the published schemas are the current ones.

mod common;

use std::path::Path;

use common::{demo, folder, run_in};
use serde_json::Value;

fn published(name: &str) -> Value {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../schemas").join(name);
    serde_json::from_slice(&std::fs::read(path).expect("a published schema")).expect("JSON")
}

#[track_caller]
fn is_valid(schema: &Value, text: &str) {
    let validator = jsonschema::validator_for(schema).expect("a schema");
    let value: Value = serde_json::from_str(text).expect("JSON");
    let errors: Vec<String> = validator.iter_errors(&value).map(|e| format!("{} at {}", e, e.instance_path)).collect();
    assert!(errors.is_empty(), "{errors:#?}");
}

#[test]
fn the_published_schemas_are_the_current_ones() {
    let dir = folder(&[]);
    assert_eq!(run_in(dir.path(), &["schemas", "."]).status, 0);
    for name in ["map", "findings", "recording", "replay", "roster", "following", "configuration"] {
        let name = format!("{name}.schema.json");
        let current: Value = serde_json::from_slice(&std::fs::read(dir.path().join(&name)).expect("written")).expect("JSON");
        assert_eq!(current, published(&name), "{name} is stale: yarrowgraph schemas schemas");
    }
}

#[test]
fn maps_and_findings() {
    for language in ["java", "csharp", "typescript", "javascript", "cpp"] {
        let tree = format!("{language}/faulty");
        is_valid(&published("map.schema.json"), &run_in(&demo(), &["map", &tree, "--format", "json"]).out);
        is_valid(&published("findings.schema.json"), &run_in(&demo(), &["check", &tree, "--format", "json"]).out);
    }
}

#[test]
fn sarif_by_its_standard() {
    let schema: Value = serde_json::from_str(include_str!("data/sarif-2.1.0.schema.json")).expect("JSON");
    for language in ["java", "csharp", "typescript", "javascript", "cpp"] {
        is_valid(&schema, &run_in(&demo(), &["check", &format!("{language}/faulty"), "--format", "sarif"]).out);
    }
}

#[test]
fn recordings_and_replays() {
    let schema = published("recording.schema.json");
    for name in ["as-it-was", "refactored", "reordered"] {
        let text = std::fs::read_to_string(demo().join(format!("recordings/{name}.jsonl"))).expect("a recording");
        text.lines().for_each(|line| is_valid(&schema, line));
    }
    let said =
        run_in(&demo(), &["replay", "recordings/as-it-was.jsonl", "--against", "recordings/reordered.jsonl", "--format", "json", "--all"]);
    is_valid(&published("replay.schema.json"), &said.out);
    let said = run_in(&demo(), &["roster", "recordings/as-it-was.jsonl", "--format", "json"]);
    is_valid(&published("roster.schema.json"), &said.out);
    let said = run_in(&demo(), &["follow", "Gauge.listeners", "--in", "recordings/as-it-was.jsonl", "--format", "json"]);
    is_valid(&published("following.schema.json"), &said.out);
}

#[test]
fn the_schemas_refuse_what_is_none() {
    let schema = published("map.schema.json");
    assert!(!jsonschema::is_valid(&schema, &serde_json::json!({"format": "yarrowgraph-map"})));
}
