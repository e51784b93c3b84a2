//! Effects in a walk over a table that is written out: topics and handlers that each row names.

use super::effect::{Act, Effect};
use crate::flow::{Flow, Val};

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
