//! JSON: the map and the findings as they are.

use std::io::{self, Write};

use serde::Serialize;

/// Writes a value as JSON on one line a top-level list element: stable, and readable in a diff.
pub fn write<T: Serialize>(out: &mut dyn Write, value: &T) -> io::Result<()> {
    let mut buffered = io::BufWriter::with_capacity(1 << 16, out);
    serde_json::to_writer(&mut buffered, value).map_err(io::Error::from)?;
    buffered.write_all(b"\n")?;
    buffered.flush()
}
