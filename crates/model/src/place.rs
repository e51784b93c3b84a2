//! Places in source files.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A stretch of one file.
///
/// The derived order is by file, then by position, which is the order of every list in
/// the map and the findings.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
pub struct Place {
    /// The file, relative to the root of the tree, with forward slashes.
    pub file: String,
    /// The line, counted from 1.
    pub line: u32,
    /// The column, counted from 1, in Unicode scalar values.
    pub column: u32,
    /// The first byte, counted from 0 in the file as it is on disk.
    pub start: u32,
    /// The byte after the last one.
    pub end: u32,
}
