//! From facts to the map and its findings.
mod program;
