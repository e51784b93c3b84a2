//! Pairing objects: labels differ from run to run, so objects are paired in the order in
//! which they appear.

use rustc_hash::FxHashMap;
use serde_json::Value;

use crate::tree::{Forest, NodeId};

/// The pairs found so far: a label before with its label after.
#[derive(Debug, Default)]
pub(crate) struct Pairs {
    after_of: FxHashMap<String, String>,
    before_of: FxHashMap<String, String>,
}

impl Pairs {
    /// What a label before is called after; one without a partner is equal to none.
    pub(crate) fn label(&self, before: &str) -> String {
        self.after_of.get(before).cloned().unwrap_or_else(|| format!("{before} (before)"))
    }

    /// Pairs the objects of two trees that are not paired yet, type by type, in order.
    pub(crate) fn add(&mut self, before: (&Forest<'_>, NodeId), after: (&Forest<'_>, NodeId)) {
        let new_before: Vec<String> = appearing(before.0, before.1).into_iter().filter(|l| !self.after_of.contains_key(l)).collect();
        let mut new_after: Vec<String> = appearing(after.0, after.1).into_iter().filter(|l| !self.before_of.contains_key(l)).collect();
        for label in new_before {
            if let Some(at) = new_after.iter().position(|l| type_of(l) == type_of(&label)) {
                let partner = new_after.remove(at);
                self.before_of.insert(partner.clone(), label.clone());
                self.after_of.insert(label, partner);
            }
        }
    }
}

/// The type part of a label.
pub(crate) fn type_of(label: &str) -> &str {
    label.rsplit_once('#').map_or(label, |(ty, _)| ty)
}

/// The labels of a tree in the order of their first appearance.
fn appearing(forest: &Forest<'_>, root: NodeId) -> Vec<String> {
    let mut seen = Vec::new();
    let mut put = |label: &str| {
        if !seen.iter().any(|s| s == label) {
            seen.push(label.to_owned());
        }
    };
    for id in forest.walk(root) {
        let record = forest.record(id);
        for label in [&record.object, &record.subject, &record.subscriber, &record.invoker].into_iter().flatten() {
            put(label);
        }
        for value in [&record.args, &record.request, &forest.settle(id).and_then(|s| s.value.clone())].into_iter().flatten() {
            mentioned(value, &mut put);
        }
    }
    seen
}

fn mentioned(value: &Value, put: &mut dyn FnMut(&str)) {
    match value {
        Value::Array(items) => items.iter().for_each(|i| mentioned(i, put)),
        Value::Object(fields) => match fields.get("object") {
            Some(Value::String(label)) if fields.len() == 1 && label.contains('#') => put(label),
            _ => fields.values().for_each(|v| mentioned(v, put)),
        },
        _ => {}
    }
}
