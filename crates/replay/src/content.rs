//! What records agree in.

use yarrowgraph_model::Record;

use crate::canon;
use crate::compare::Options;
use crate::objects::type_of;
use crate::tree::{Forest, NodeId};

/// What identifies a record: its kind and ids, with its objects as the caller labels them.
pub(crate) fn identity(record: &Record, label: &dyn Fn(&str) -> String) -> String {
    let mut out = format!("{:?}", record.kind);
    for id in [&record.target, &record.channel, &record.handler, &record.command, &record.chain, &record.machine, &record.event] {
        out.push('|');
        out.push_str(id.as_deref().unwrap_or(""));
    }
    for object in [&record.object, &record.subject, &record.subscriber, &record.invoker] {
        out.push('|');
        if let Some(object) = object {
            out.push_str(&label(object));
        }
    }
    out
}

/// Identity with objects by type alone.
pub(crate) fn loose_identity(record: &Record) -> String {
    identity(record, &|l| type_of(l).to_owned())
}

/// Identity with arguments and outcome: what makes two records the same.
pub(crate) fn full(forest: &Forest<'_>, id: NodeId, label: &dyn Fn(&str) -> String, options: &Options) -> String {
    let record = forest.record(id);
    let mut out = identity(record, label);
    if !options.ignore_args {
        for value in [&record.args, &record.request] {
            out.push('|');
            if let Some(value) = value.as_ref().filter(|v| !v.is_null()) {
                out.push_str(&canon::text(value, label));
            }
        }
    }
    for state in [&record.from, &record.to] {
        out.push('|');
        out.push_str(state.as_deref().unwrap_or(""));
    }
    out.push('|');
    if let Some(settle) = forest.settle(id) {
        out.push_str(&format!("{:?}", settle.outcome));
        out.push('|');
        if !options.ignore_value
            && let Some(value) = settle.value.as_ref().filter(|v| !v.is_null())
        {
            out.push_str(&canon::text(value, label));
        }
    }
    out
}

/// Arguments alone, with objects by type.
pub(crate) fn arguments(record: &Record) -> String {
    let label = |l: &str| type_of(l).to_owned();
    [&record.args, &record.request].into_iter().flatten().map(|v| canon::text(v, &label)).collect::<Vec<_>>().join("|")
}
