//! Channels and what is tied to them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Certainty, Delivery, Keeps, Order, Place};

/// What a channel is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ChannelKind {
    /// An event member of the language.
    Event,
    /// A field that holds a callable which several handlers are combined into.
    Delegate,
    /// A field that holds one callable.
    Slot,
    /// A collection of listeners.
    List,
    /// An object whose purpose is to be subscribed to and raised.
    Signal,
    /// A named or typed topic on a bus or emitter.
    Topic,
    /// Something that a platform or library outside of the tree raises.
    Platform,
}

/// How long the subject of a subscription lives, seen from its subscriber.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Lifetime {
    /// As long as the process.
    Process,
    /// It came in from outside of the subscriber.
    Outer,
    /// Both end together.
    SameFate,
    /// The subscriber made it and keeps it to itself, or is the subject.
    Owned,
    /// No longer than the method.
    Local,
    /// Not known.
    Unknown,
}

/// A statement that invokes a channel.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Raise {
    /// The statement.
    pub place: Place,
    /// The member it stands in.
    #[serde(rename = "in")]
    pub within: String,
    /// Whose channel it is: `this`, allocation sites, or `any`.
    pub subject: String,
    /// Whether an empty channel is guarded against, or cannot crash.
    pub guarded: bool,
    /// The method that is called on the listeners, where the channel is a list of objects.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub message: Option<String>,
    /// Calls of the helper that this statement stands in.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub via: Vec<Place>,
}

/// A handler tied to a channel.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Subscription {
    /// Where the concrete handler is handed over.
    pub place: Place,
    /// The member it stands in.
    #[serde(rename = "in")]
    pub within: String,
    /// The handler's id, or its text where it has none.
    pub handler: String,
    /// Where the handler is declared.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub handler_place: Option<Place>,
    /// The type that the handler belongs to; absent where it belongs to no instance.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub subscriber: Option<String>,
    /// The subject, as text.
    pub subject: String,
    /// How long the subject lives, seen from the subscriber.
    pub lifetime: Lifetime,
    /// Whether the channel holds the handler weakly.
    pub weak: bool,
    /// Whether it ends with its first delivery.
    pub once: bool,
    /// Whether a scope bounds it.
    pub scoped: bool,
    /// Whether the call gives back what releases, and that is kept: it may be released where that cannot be followed to.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub kept: bool,
    /// The releases that can take it off.
    pub released_by: Vec<Place>,
    /// Indices of subscriptions on the same subject that certainly come earlier,
    /// transitively reduced.
    pub after: Vec<u32>,
    /// How sure the subscription is.
    pub certainty: Certainty,
}

/// A statement that takes handlers off a channel.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Release {
    /// The statement.
    pub place: Place,
    /// The member it stands in.
    #[serde(rename = "in")]
    pub within: String,
    /// The handler's id, its text where it has none, or `*` for all.
    pub handler: String,
    /// The subject, as text.
    pub subject: String,
}

/// A connection of one channel to another.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Relay {
    /// The id of the channel that is raised in turn.
    pub to: String,
    /// Where the two are connected.
    pub place: Place,
}

/// Anything that can be raised and listened to.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Channel {
    /// The id: that of the member that holds it, or `topic:BUS:NAME`.
    pub id: String,
    /// What it is made of.
    pub kind: ChannelKind,
    /// The type that owns it.
    pub owner: String,
    /// Its declaration; absent where that is outside of the tree.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<Place>,
    /// In which order subscribers are told.
    pub order: Order,
    /// When they are told.
    pub delivery: Delivery,
    /// What is kept for those who come late.
    pub keeps: Keeps,
    /// Whether values raised in a row may be merged.
    pub conflates: bool,
    /// Channels that this one sets off.
    pub relays: Vec<Relay>,
    /// The statements that invoke it, by place.
    pub raises: Vec<Raise>,
    /// The handlers tied to it, by place.
    pub subscriptions: Vec<Subscription>,
    /// The statements that take handlers off, by place.
    pub releases: Vec<Release>,
}
