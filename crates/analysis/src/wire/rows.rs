//! Effects in a walk over a table that is written out: topics and handlers that each row names.

use rustc_hash::FxHashMap;

use super::effect::{Act, Effect};
use crate::flow::{Flow, FunctionKey, Val};

/// Puts an effect for each row in the place of one whose topic a walked table gives.
pub(super) fn expand(flow: &Flow<'_>, effect: Effect) -> Vec<Effect> {
    let of_topic = matches!(effect.act, Act::Join | Act::Leave | Act::Raise | Act::LeaveAll);
    let table = effect.holder.key.as_ref().filter(|_| of_topic).and_then(|key| flow.table_of(key));
    let Some((element, rows)) = table else { return vec![effect] };
    let in_row = |row| {
        let see = |value: &Val| flow.in_row(value, &element, row);
        let mut one = effect.clone();
        one.holder.key = effect.holder.key.as_ref().map(see);
        one.holder.subject = see(&effect.holder.subject);
        one.handler = effect.handler.as_ref().map(see);
        one.by_row = true;
        one
    };
    // a row without a topic does nothing
    rows.into_iter().map(in_row).filter(|one| one.holder.key != Some(Val::Null)).collect()
}

/// What a handler tells on under the topic that it was told of: an effect for each of the topics that it hears.
pub(super) fn passed_on(flow: &Flow<'_>, effects: Vec<Effect>) -> Vec<Effect> {
    let mut topics: FxHashMap<FunctionKey, Vec<Val>> = FxHashMap::default();
    for join in effects.iter().filter(|e| e.act == Act::Join) {
        let function = match join.handler.as_ref().and_then(|h| flow.function_of(h)) {
            Some(Val::Lambda(member, f)) => (member, Some(f)),
            Some(Val::Method(member, _)) => (member, None),
            _ => continue,
        };
        if let Some(key) = join.holder.key.as_ref().filter(|key| matches!(key, Val::Str(_) | Val::Static(_))) {
            let known = topics.entry(function).or_default();
            if !known.contains(key) {
                known.push(key.clone());
            }
        }
    }
    let expand = |effect: Effect| {
        let heard = effect.holder.key.as_ref().and_then(|key| told_topic(flow, key)).and_then(|function| topics.get(&function));
        let Some(heard) = heard else { return vec![effect] };
        let under = |key: &Val| {
            let mut one = effect.clone();
            one.holder.key = Some(key.clone());
            one
        };
        heard.iter().map(under).collect()
    };
    effects.into_iter().flat_map(expand).collect()
}

/// The function whose first parameter says its own topic (`event.type`).
fn told_topic(flow: &Flow<'_>, key: &Val) -> Option<FunctionKey> {
    let Val::Outside(message, name) = key else { return None };
    let Val::Param(member, function, 0) = **message else { return None };
    let pack = &flow.program.kit_of(member).pack;
    pack.topic_getters.contains(flow.program.text(*name)).then_some((member, function))
}
