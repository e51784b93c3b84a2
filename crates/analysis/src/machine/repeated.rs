//! Calls that many ways make alike are walked once. What they come to is told again for each way that makes them, under its
//! own conditions.

use std::collections::BTreeMap;
use std::ops::Range;

use super::state::State;
use super::walk::{Event, Frame, Move, Walker};
use super::way::{Condition, Slot, Value, Values, Way};
use crate::program::{MemberId, Site};

/// All that what a call comes to depends on, but for the conditions of the way.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Call {
    frames: Vec<Frame>,
    call: Site,
    callee: MemberId,
    this: Value,
    given: Vec<Value>,
    at: u64,
    message: Option<(u16, Vec<State>)>,
    other_than: Vec<(u16, State)>,
    asked: Option<Event>,
    told: bool,
    row: Option<Site>,
    /// The variables that hold what the machine is in.
    held: Vec<Slot>,
    event: Option<Event>,
    root: Option<MemberId>,
}

/// What a call came to.
#[derive(Debug, Default)]
pub(super) struct Outcome {
    /// Where each way came out, with the conditions that were added.
    ways: Vec<(Way, Vec<Condition>, Value)>,
    /// The moves that were made, each with the conditions that were added.
    moves: Vec<(Move, Vec<Condition>)>,
}

/// The calls that were walked.
pub(super) type Repeated = BTreeMap<Call, Outcome>;

impl Walker<'_, '_> {
    /// What tells a call from others; none where it may do anything with what is around it.
    pub(super) fn call_of(&self, call: Site, callee: MemberId, this: &Value, given: &[Value], way: &Way) -> Option<Call> {
        let runs_others = |v: &Value| matches!(v, Value::Function(..) | Value::Several(_) | Value::Row(_) | Value::Filled(..));
        if given.iter().any(runs_others) {
            return None;
        }
        Some(Call {
            frames: self.frames.clone(),
            call,
            callee,
            this: this.clone(),
            given: given.to_vec(),
            at: way.at,
            message: way.message.clone(),
            other_than: way.other_than.clone(),
            asked: way.asked,
            told: way.told,
            row: way.row,
            held: way.slots.iter().filter(|(_, v)| **v == Value::Held).map(|(slot, _)| *slot).collect(),
            event: self.event,
            root: self.root,
        })
    }

    /// What a call came to that was walked before, for another way.
    pub(super) fn told_again(&mut self, call: &Call, way: &Way) -> Option<Values> {
        let outcome = self.repeated.get(call)?;
        let under = |added: &[Condition]| {
            let mut all = way.conditions.clone();
            for (site, holds) in added {
                match way.conditions.iter().find(|(s, _)| s == site) {
                    Some((_, known)) if known != holds => return None,
                    Some(_) => {}
                    None => all.push((*site, *holds)),
                }
            }
            Some(all)
        };
        let again = |(m, added): &(Move, Vec<Condition>)| Some(Move { conditions: under(added)?, ..m.clone() });
        let moves: Vec<Move> = outcome.moves.iter().filter_map(again).collect();
        let mut values = Values::new();
        for (done, added, value) in &outcome.ways {
            let Some(conditions) = under(added) else { continue };
            let mut slots = way.slots.clone();
            for slot in &call.held {
                match done.slots.get(slot) {
                    Some(value) => _ = slots.insert(*slot, value.clone()),
                    None => _ = slots.remove(slot),
                }
            }
            values.push((Way { conditions, slots, ..done.clone() }, value.clone()));
        }
        self.found.moves.extend(moves);
        Some(values)
    }

    /// Remembers what a call came to, on a way that had some conditions, with the moves that were made since.
    pub(super) fn remember(&mut self, call: Call, conditions: &[Condition], since: usize, done: &Values) {
        let added = |all: &[Condition]| all.strip_prefix(conditions).unwrap_or(&[]).to_vec();
        let is_later = |at: &usize| self.apart.iter().any(|range| range.contains(at));
        let made = (since..self.found.moves.len()).filter(|at| !is_later(at)).map(|at| &self.found.moves[at]);
        let moves = made.map(|m| (m.clone(), added(&m.conditions))).collect();
        let ways = done.iter().map(|(way, value)| (way.clone(), added(&way.conditions), value.clone())).collect();
        self.repeated.insert(call, Outcome { ways, moves });
    }
}

/// Moves, by number, of code that runs at some later time.
pub(super) type Apart = Vec<Range<usize>>;
