//! What a run of the set-up computes with: plain values and objects on a heap.

use std::sync::Arc;

use yarrowgraph_ir::FunctionId;

use crate::program::{MemberId, Site, TypeId};

/// An object of a run; an index into its heap.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct ObjectId(pub(super) u32);

/// A function activation of a run; an index into its frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct FrameId(pub(super) u32);

/// A value of a run.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Value {
    /// Not known.
    Unknown,
    /// No value.
    Null,
    /// True or false.
    Bool(bool),
    /// A whole number.
    Int(i64),
    /// A text.
    Text(Arc<str>),
    /// A constant of an enumeration.
    Constant(MemberId),
    /// A type of the tree.
    Type(TypeId),
    /// Something on the heap.
    Object(ObjectId),
}

impl Value {
    /// Whether it counts as true, where that is known.
    pub(super) fn truth(&self) -> Option<bool> {
        match self {
            Value::Bool(b) => Some(*b),
            Value::Null => Some(false),
            Value::Object(_) | Value::Type(_) => Some(true),
            _ => None,
        }
    }

    /// Whether two values are the same one, where that is known.
    pub(super) fn is(&self, other: &Value) -> Option<bool> {
        match (self, other) {
            (Value::Unknown, _) | (_, Value::Unknown) => None,
            _ => Some(self == other),
        }
    }
}

/// What an object is.
#[derive(Clone, Debug)]
pub(super) enum Kind {
    /// An instance of a class of the tree, with the values of its fields and the instance around it.
    Instance { class: TypeId, fields: Vec<(MemberId, Value)>, around: Value },
    /// A list or another sequence.
    List(Vec<Value>),
    /// A map, or an object literal.
    Map(Vec<(Value, Value)>),
    /// A function written in a body, with the activation that it was made in.
    Closure { member: MemberId, function: FunctionId, made_in: FrameId, this: Value },
    /// A method with its receiver.
    Method { member: MemberId, this: Value },
    /// Something of a library.
    Outside,
}

/// An object.
#[derive(Clone, Debug)]
pub(super) struct Object {
    /// What it is.
    pub(super) kind: Kind,
    /// Where it was made.
    pub(super) made: Site,
    /// The rounds of loops without a known number of rounds that it was made in.
    pub(super) loops: Vec<u32>,
}
