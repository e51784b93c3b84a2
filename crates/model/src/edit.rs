//! Suggested edits.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::Place;

/// A change of one file's text that a finding suggests.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Edit {
    /// What the edit does, as an imperative sentence without a full stop.
    pub label: String,
    /// What is replaced; empty for an insertion.
    pub place: Place,
    /// The new text.
    pub text: String,
}
