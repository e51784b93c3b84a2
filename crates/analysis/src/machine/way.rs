//! A way through the code of a machine: what is known on it, how code is left, and which ways are one.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;

use yarrowgraph_ir::FunctionId;

use super::state::State;
use super::table::Written;
use super::walk::Event;
use crate::program::{MemberId, Site};

/// What an expression comes to.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Value {
    Unknown,
    Null,
    Truth(bool),
    /// What the machine's holder holds.
    Held,
    /// One of some states, whether the object is a new one, and where it is named.
    State(u64, bool, Option<Site>),
    /// What could be a state, but is none as yet.
    Named(State, bool, Option<Site>),
    /// What a method was given, by its parameter.
    Message(u16),
    /// The object that has the machine.
    Context,
    Several(Vec<Value>),
    /// A row, or a part of one, of a table that is written out.
    Row(Written),
    /// A table that code fills, or the part of it under a key.
    Filled(MemberId, Option<Written>),
    Function(MemberId, FunctionId),
}

/// What can be put into a local or parameter.
pub(super) type Slot = (MemberId, Option<FunctionId>, u32);

/// A condition on which a way depends, and whether it holds there.
pub(super) type Condition = (Site, bool);

/// A way through the code.
#[derive(Clone, Debug)]
pub(super) struct Way {
    /// The states that the machine can be in.
    pub at: u64,
    /// The message that it was given, where the way asked: the parameter, and what it can be.
    pub message: Option<(u16, Vec<State>)>,
    /// Messages that it is not.
    pub other_than: Vec<(u16, State)>,
    pub conditions: Vec<Condition>,
    /// The method by which the states were last asked.
    pub asked: Option<Event>,
    /// Whether the code asked which state it is in.
    pub told: bool,
    /// The row of a table that the way is about.
    pub row: Option<Site>,
    pub slots: BTreeMap<Slot, Value>,
}

impl Way {
    /// A way at its start: nothing was asked yet.
    pub(super) fn new(at: u64, slots: BTreeMap<Slot, Value>) -> Way {
        Way { at, message: None, other_than: Vec::new(), conditions: Vec::new(), asked: None, told: false, row: None, slots }
    }

    /// Forgets what does not hold on another way too.
    fn join(&mut self, other: &Way) {
        if self.message != other.message {
            self.message = None;
        }
        self.other_than.retain(|m| other.other_than.contains(m));
        let common = self.conditions.iter().zip(&other.conditions).take_while(|(a, b)| a == b).count();
        self.conditions.truncate(common);
        self.asked = self.asked.filter(|a| other.asked == Some(*a));
        self.told &= other.told;
        self.row = self.row.filter(|r| other.row == Some(*r));
        self.slots.retain(|slot, value| other.slots.get(slot) == Some(value));
    }
}

/// How code is left.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Exit {
    Value(Value),
    Return(Value),
    /// What a choice around it comes to.
    Give(Value),
    Break,
    Continue,
    Throw,
}

pub(super) type Ways = Vec<(Way, Exit)>;
pub(super) type Values = Vec<(Way, Value)>;

/// Too many ways, as fewer of which less is known: those that end alike in the same states are one.
pub(super) fn widened(ways: Ways) -> Ways {
    let mut fewer: BTreeMap<(Exit, u64), Way> = BTreeMap::new();
    for (way, exit) in ways {
        // what is handed on is told apart, what a statement comes to is not
        let exit = if matches!(exit, Exit::Value(_)) { Exit::Value(Value::Unknown) } else { exit };
        match fewer.entry((exit, way.at)) {
            Entry::Vacant(free) => _ = free.insert(way),
            Entry::Occupied(mut known) => known.get_mut().join(&way),
        }
    }
    fewer.into_iter().map(|((exit, _), way)| (way, exit)).collect()
}

/// Puts what is known of a variable.
pub(super) fn put(way: &mut Way, slot: Slot, value: Value) {
    if value == Value::Unknown {
        way.slots.remove(&slot);
    } else {
        way.slots.insert(slot, value);
    }
}

pub(super) fn out_of_loop(exit: Exit) -> Exit {
    match exit {
        Exit::Break | Exit::Continue => Exit::Value(Value::Unknown),
        other => other,
    }
}
