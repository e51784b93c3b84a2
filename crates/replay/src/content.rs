//! What records agree in.

use xxhash_rust::xxh3::xxh3_64;
use yarrowgraph_model::Record;

use crate::canon;
use crate::options::Options;
use crate::tree::Node;

/// How an object is called, the same on both sides for two that are one.
pub(crate) type Name<'n> = dyn FnMut(&str) -> String + 'n;

/// What identifies a record: its kind, ids and objects.
fn identity(record: &Record, name: &mut Name<'_>, out: &mut String) {
    out.push_str(&format!("{:?}", record.kind));
    for id in [&record.target, &record.channel, &record.handler, &record.command, &record.chain, &record.machine, &record.event] {
        match id {
            Some(id) => out.push_str(&format!("|{}:{id}", id.len())),
            None => out.push('|'),
        }
    }
    for object in [&record.object, &record.subject, &record.subscriber, &record.invoker] {
        out.push('|');
        if let Some(object) = object {
            out.push_str(&name(object));
        }
    }
}

/// What a record comes to: its identity, and that with arguments and outcome.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Keys {
    pub(crate) identity: u64,
    pub(crate) full: u64,
}

/// What a node comes to.
pub(crate) fn keys(node: &Node, options: &Options, name: &mut Name<'_>) -> Keys {
    let record = &node.record;
    let mut out = String::new();
    identity(record, name, &mut out);
    let identity = xxh3_64(out.as_bytes());
    if !options.ignore_args {
        for value in [&record.args, &record.request] {
            out.push('|');
            if let Some(value) = value.as_ref().filter(|v| !v.is_null()) {
                out.push_str(&canon::text(value, name));
            }
        }
    }
    for state in [&record.from, &record.to] {
        match state {
            Some(state) => out.push_str(&format!("|{}:{state}", state.len())),
            None => out.push('|'),
        }
    }
    if let Some(settle) = &node.settle {
        out.push_str(&format!("|{:?}|", settle.outcome));
        if !options.ignore_value
            && let Some(value) = settle.value.as_ref().filter(|v| !v.is_null())
        {
            out.push_str(&canon::text(value, name));
        }
    }
    Keys { identity, full: xxh3_64(out.as_bytes()) }
}
