//! Recordings of a run: the records of a JSON Lines file.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// The first line of a recording.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Header {
    /// The version of the format; 1.
    pub recording: u32,
    /// The program that was run.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// The recorder that wrote it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_by: Option<String>,
}

/// What a record says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A call from outside into the program, or an operation of its own.
    Call,
    /// A handler was tied to a channel.
    Subscribe,
    /// A handler was taken off a channel.
    Unsubscribe,
    /// A channel was raised.
    Raise,
    /// A handler was called by a channel.
    Deliver,
    /// A command was handed to its invoker.
    Issue,
    /// A command was carried out.
    Run,
    /// A command was taken back.
    Undo,
    /// A request was put to one link of a chain.
    Offer,
    /// A machine moved to another state.
    Enter,
    /// An object's life ended.
    End,
    /// The work of an earlier record ended.
    Settle,
    /// A remark; never compared.
    Note,
}

/// How the work of a record ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Outcome {
    /// It ran to its end.
    Done,
    /// A link took the request.
    Handled,
    /// A link passed the request on.
    Passed,
    /// A link refused the request.
    Rejected,
    /// It ended with an exception.
    Threw,
}

/// One line of a recording after the header.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Record {
    /// The number of the record, strictly increasing, at most 2^53 − 1.
    pub n: u64,
    /// The record in whose work this one happened; absent for a stimulus.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<u64>,
    /// The thread, task or actor; `main` when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lane: Option<String>,
    /// Nanoseconds since the start; shown, never compared.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<u64>,
    /// The earlier `issue`, `raise` or `call` that this record carries out in later work.
    #[serde(default, rename = "for", skip_serializing_if = "Option::is_none")]
    pub for_: Option<u64>,
    /// On a stimulus: the test that was running.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub case: Option<String>,
    /// What the record says.
    pub kind: Kind,
    /// `call`: the operation, `Type.method`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub target: Option<String>,
    /// The label of the object concerned.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub object: Option<String>,
    /// The channel's id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<String>,
    /// The label of the channel's owner.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub subject: Option<String>,
    /// The handler's id, or a link's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub handler: Option<String>,
    /// The label of the handler's owner.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub subscriber: Option<String>,
    /// The command's id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub command: Option<String>,
    /// The label of the command's invoker.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub invoker: Option<String>,
    /// The chain's id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub chain: Option<String>,
    /// The request put to a link.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub request: Option<Value>,
    /// The machine's id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<String>,
    /// `enter`: the state that was left.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// `enter`: the state that was entered.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// `enter`: the event that caused it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub event: Option<String>,
    /// The arguments, as JSON.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub args: Option<Value>,
    /// `settle`: the record whose work ended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<u64>,
    /// `settle`: how it ended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub outcome: Option<Outcome>,
    /// `settle`: what it gave back.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<Value>,
    /// `note`: the remark.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
}
