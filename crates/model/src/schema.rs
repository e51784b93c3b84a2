//! The JSON Schemas of what is written and read, made from the definitions themselves.
//!
//! The files in `schemas/` are these texts; a test fails when they are stale.

use schemars::{JsonSchema, SchemaGenerator, generate::SchemaSettings};
use serde_json::Value;

use crate::{Findings, FollowedTree, Header, Map, Record};

/// The schemas by file name (without folder).
pub fn all() -> Vec<(&'static str, Value)> {
    vec![
        ("map.schema.json", of::<Map>("Map of the wiring of a tree")),
        ("follow-tree.schema.json", of::<FollowedTree>("What something sets off, as the code says it")),
        ("findings.schema.json", of::<Findings>("Findings of a run")),
        ("recording.schema.json", recording()),
    ]
}

/// The schema of one type (JSON Schema 2020-12).
pub fn of<T: JsonSchema>(title: &str) -> Value {
    let generator: SchemaGenerator = SchemaSettings::draft2020_12().into_generator();
    let mut schema = generator.into_root_schema_for::<T>().to_value();
    schema["title"] = Value::from(title);
    schema
}

/// A line of a recording is the header or a record.
fn recording() -> Value {
    let mut generator: SchemaGenerator = SchemaSettings::draft2020_12().into_generator();
    let header = generator.subschema_for::<Header>().to_value();
    let record = generator.subschema_for::<Record>().to_value();
    let definitions = generator.take_definitions(true);
    serde_json::json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "One line of a recording",
        "anyOf": [header, record],
        "$defs": definitions,
    })
}
