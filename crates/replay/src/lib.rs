//! Recordings: reading them, and saying whether two of them dispatch alike.
//!
//! [`read`] turns a file into checked records, [`tree`] into dispatch trees, [`align`] pairs
//! stimuli, [`compare`] compares the trees of a pair. No interface code: results are values.

mod align;
mod canon;
mod compare;
mod content;
mod objects;
mod read;
mod result;
mod tree;

pub use compare::{Options, against, sides};
pub use read::{ReadError, Recording, read};
pub use result::{Counts, Difference, DifferenceKind, Replay, Stimulus, StimulusVerdict, Verdict};
pub use tree::{Forest, NodeId};
