//! The vocabulary that every other crate shares: places in source files, the map of the
//! wiring, findings, and recordings.
//!
//! Nothing here computes; these are the shapes that are written as JSON, and their JSON
//! Schemas come from the same definitions ([`schema`]).

mod edit;
mod finding;
mod follow;
mod map;
mod place;
mod recording;
pub mod schema;
mod wiring;

pub use edit::Edit;
pub use finding::{Certainty, Finding, Findings, Level, Related};
pub use follow::{CodeRow, FollowedTree, RequestWay, SetOff, SetOffKind, WayEnd};
pub use map::{
    Budget, Chain, ChainLink, Code, Colleague, Command, DefaultCode, Delivery, Drained, Drains, Factory, Family, FileCount, FileReport,
    Files, Holds, How, Invoker, Keeps, KnowsType, Machine, MachineState, Map, Mediator, Order, Passes, Reaches, Route, RoutedTo, Stop,
    Transition, TypeEntry, Undo, Unresolved, UnresolvedKind,
};
pub use place::Place;
pub use recording::{Header, Kind, Outcome, Record};
pub use wiring::{Channel, ChannelKind, Lifetime, Raise, Relay, Release, Subscription};

/// The version of the map's JSON form, its `version` field.
pub const MAP_VERSION: u32 = 1;
/// The version of the findings' JSON form, its `version` field.
pub const FINDINGS_VERSION: u32 = 1;
/// The version of the result of a replay, its `version` field.
pub const REPLAY_VERSION: u32 = 1;
