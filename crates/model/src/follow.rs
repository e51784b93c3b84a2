//! What something sets off, as the code says it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::Place;

/// What a step is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum SetOffKind {
    /// A method is called that sets something off.
    Call,
    /// A channel is raised.
    Raise,
    /// A handler is told.
    Deliver,
    /// A command is made.
    Issue,
    /// It is held by an invoker, to be run there.
    Queue,
    /// It is run.
    Run,
    /// A request is put to a chain.
    Offer,
    /// A link is asked.
    Link,
    /// A machine moves.
    Move,
}

/// A step of what is set off.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SetOff {
    /// How deep it stands below the first.
    pub depth: u32,
    /// What it is.
    pub kind: SetOffKind,
    /// The id of what it is about, or what it says.
    pub text: String,
    /// Where it stands.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<Place>,
    /// On which conditions it depends, as text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub condition: Option<String>,
    /// What else is to be said: that it came before, that it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

/// Which links of a chain take a code.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct CodeRow {
    /// The code.
    pub code: String,
    /// The links that take it, in order; none is a hole, several are doubles.
    pub links: Vec<String>,
}

/// How a way through a chain ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum WayEnd {
    /// The last link on it takes the request.
    Taken,
    /// The last link on it refuses the request by an exception.
    Refused,
    /// It is not known what the last link does.
    Unknown,
    /// No link takes the request.
    Nobody,
    /// It comes back to a link that it has been at.
    Circle,
}

/// A way that a request can take through a chain.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct RequestWay {
    /// The links that it comes to, in order.
    pub links: Vec<String>,
    /// On which conditions it is taken, as text: what the links before the last one do not end, and what the last one does.
    pub conditions: Vec<String>,
    /// How it ends.
    pub ends: WayEnd,
}

/// What a raise, a command, a request or a call sets off, in order.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FollowedTree {
    /// Always `yarrowgraph-follow-tree`.
    pub format: String,
    /// The version of this form.
    pub version: u32,
    /// The id of what was followed.
    pub start: String,
    /// The steps, each behind the one that sets it off.
    pub steps: Vec<SetOff>,
    /// For a chain which link takes which code.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub codes: Vec<CodeRow>,
    /// For a chain the ways that a request can take.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ways: Vec<RequestWay>,
    /// How many more ways there are.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub ways_left_out: u64,
    /// How many more steps there are.
    pub left_out: u64,
}

fn is_zero(n: &u64) -> bool {
    *n == 0
}
