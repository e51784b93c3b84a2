//! Effects in a walk over a table that is written out: topics and handlers that each row names.

use rustc_hash::{FxHashMap, FxHashSet};

use super::effect::{Act, Effect};
use super::spread::replaced;
use crate::flow::{Flow, FunctionKey, Row, Val};

/// An effect for each row, for one whose topic a walked table gives.
pub(super) fn expand(flow: &Flow<'_>, effect: &Effect) -> Option<Vec<Effect>> {
    // a letter of a text is no handler: the caller hands a text where a map could be
    if matches!(&effect.handler, Some(Val::Element(of, _)) if matches!(**of, Val::Str(_))) {
        return Some(Vec::new());
    }
    let key = effect.holder.key.as_ref()?;
    if let Some(topics) = flow.items_of(key).or_else(|| words(flow, key)) {
        return Some(topics.into_iter().map(|topic| under(effect, topic)).collect());
    }
    if let Some((map, rows)) = effect.handler.as_ref().and_then(|handler| map_handed_in(flow, key, handler)) {
        let in_row = |row: Row| {
            let mut one = under(effect, flow.key_of_row(row)?);
            one.handler = Some(flow.in_row(&map, &map, row));
            Some(one)
        };
        return Some(rows.into_iter().filter_map(in_row).collect());
    }
    let of_topic = matches!(effect.act, Act::Join | Act::Leave | Act::Raise | Act::LeaveAll);
    let (element, rows) = if of_topic { flow.table_of(key)? } else { return None };
    let in_row = |row| {
        let see = |value: &Val| flow.in_row(value, &element, row);
        let mut one = effect.clone();
        // of an entry of a map that is taken apart, the topic is the key
        let of_entry = *key == element;
        one.holder.key = flow.key_of_row(row).filter(|_| of_entry).or_else(|| Some(see(key)));
        one.holder.subject = see(&effect.holder.subject);
        one.handler = effect.handler.as_ref().map(see);
        one.by_row = true;
        one
    };
    // a row without a topic does nothing
    Some(rows.into_iter().map(in_row).filter(|one| one.holder.key != Some(Val::Null)).collect())
}

/// The words of a text that code walks (`for (const type of types.split(' '))`).
fn words(flow: &Flow<'_>, key: &Val) -> Option<Vec<Val>> {
    let Val::Element(text, _) = key else { return None };
    let Val::Str(text) = **text else { return None };
    let words = flow.program.text(text).split_whitespace();
    words.map(|w| flow.program.symbols.get(w).map(Val::Str)).collect()
}

/// A map of topics and handlers that a caller hands over: the handler is what it has under the very topic.
fn map_handed_in(flow: &Flow<'_>, key: &Val, handler: &Val) -> Option<(Val, Vec<Row>)> {
    let Val::Element(map, Some(under)) = handler else { return None };
    if **under != *key || !matches!(key, Val::Local(_)) {
        return None;
    }
    flow.table_of(&Val::Element(map.clone(), None))
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
    replaced(effects, |effect| {
        let heard = topics.get(&told_topic(flow, effect.holder.key.as_ref()?)?)?;
        Some(heard.iter().map(|key| under(effect, key.clone())).collect())
    })
}

/// Topics that are several in one text (`'rise fall'`), where one of them is a topic by itself. What is told and heard as a whole is one
/// (`'suite end'`).
pub(super) fn split(flow: &Flow<'_>, effects: Vec<Effect>) -> Vec<Effect> {
    let program = flow.program;
    let text = |e: &Effect| match e.holder.key {
        Some(Val::Str(text)) => Some(program.text(text)),
        _ => None,
    };
    let known: FxHashSet<&str> = effects.iter().filter_map(text).filter(|t| !t.contains(' ')).collect();
    let whole =
        |act: Act| -> FxHashSet<&str> { effects.iter().filter(|e| e.act == act).filter_map(text).filter(|t| t.contains(' ')).collect() };
    let (heard, told) = (whole(Act::Join), whole(Act::Raise));
    let several = |e: &Effect| {
        let words: Vec<&str> =
            text(e).filter(|t| t.contains(' ') && !(heard.contains(t) && told.contains(t))).map(|t| t.split_whitespace().collect())?;
        let symbols: Option<Vec<_>> = words.iter().map(|w| program.symbols.get(w)).collect();
        symbols.filter(|_| words.iter().any(|w| known.contains(w)))
    };
    replaced(effects, |e| Some(several(e)?.into_iter().map(|word| under(e, Val::Str(word))).collect()))
}

/// The same under another topic.
fn under(effect: &Effect, topic: Val) -> Effect {
    let mut one = effect.clone();
    one.holder.key = Some(topic);
    one.by_row = true;
    one
}

/// The function whose first parameter says its own topic (`event.type`).
fn told_topic(flow: &Flow<'_>, key: &Val) -> Option<FunctionKey> {
    let Val::Outside(message, name) = key else { return None };
    let Val::Param(member, function, 0) = **message else { return None };
    let pack = &flow.program.kit_of(member).pack;
    pack.topic_getters.contains(flow.program.text(*name)).then_some((member, function))
}
