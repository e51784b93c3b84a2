//! Recordings: reading them, and saying whether two of them dispatch alike.
//!
//! [`Source`] is where one is read from, [`Reader`] turns it into checked records. [`against`] compares two: it reads both
//! side by side into outlines (`outline`), pairs stimuli (`align`) and objects (`objects`), reads what differs again
//! (`tree`) and compares it record by record (`matching`). [`roster`] and [`follow`] are about one run; [`import`] and [`export`] know
//! other open formats. No interface code:
//! results are values.

mod align;
mod canon;
mod compare;
mod content;
mod follow;
mod foreign;
mod labels;
mod matching;
mod numbers;
mod objects;
mod options;
mod outline;
mod read;
mod rename;
mod result;
mod roster;
mod say;
mod sequence;
mod source;
mod tree;

pub use compare::{Comparison, Sides, against};
pub use follow::{FOLLOW_VERSION, Followed, Following, Start, Step, follow};
pub use foreign::{ForeignError, Format, export, format_of, import};
pub use options::Options;
pub use read::{Line, ReadError, Reader, Text};
pub use result::{Counts, Difference, DifferenceKind, Rename, Replay, SeenThrough, Stimulus, StimulusVerdict, Verdict};
pub use roster::{Attached, Called, Count, LeftBehind, ROSTER_VERSION, Roster, Seat, roster};
pub use say::{TreeLine, say, shortened};
pub use source::Source;
