//! What can go wrong, and the exit status it has.

use std::fmt;
use std::io;

/// Ends a run before its result.
#[derive(Debug)]
pub(crate) enum Failure {
    /// Wrong use, or a path that was named and cannot be read: exit status 2.
    Use {
        /// What went wrong.
        message: String,
        /// What to do about it.
        hint: Option<String>,
    },
    /// Whoever read the output has enough: no error.
    ClosedPipe,
}

impl Failure {
    /// A failure with a message.
    pub(crate) fn new(message: impl fmt::Display) -> Self {
        Failure::Use { message: message.to_string(), hint: None }
    }

    /// A failure with a message and what to do about it.
    pub(crate) fn with_hint(message: impl fmt::Display, hint: impl fmt::Display) -> Self {
        Failure::Use { message: message.to_string(), hint: Some(hint.to_string()) }
    }
}

impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::BrokenPipe { Failure::ClosedPipe } else { Failure::new(format!("cannot write: {error}")) }
    }
}

/// How a run ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Status {
    /// Nothing to report, or nothing changed.
    Fine,
    /// Findings at or above the level asked for, or a change.
    Found,
    /// Undecided.
    Undecided,
}
