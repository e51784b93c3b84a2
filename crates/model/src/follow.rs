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
    /// How many more steps there are.
    pub left_out: u64,
}
