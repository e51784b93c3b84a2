//! JSON: the map and the findings as they are.

use std::io::{self, Write};

use rayon::prelude::*;
use serde::Serialize;
use yarrowgraph_model::Map;

/// How many entries of a long list are written by one thread at a time.
const AT_A_TIME: usize = 1024;

/// Writes a value as JSON on one line a top-level list element: stable, and readable in a diff.
pub fn write<T: Serialize>(out: &mut dyn Write, value: &T) -> io::Result<()> {
    let mut buffered = io::BufWriter::with_capacity(1 << 16, out);
    serde_json::to_writer(&mut buffered, value).map_err(io::Error::from)?;
    buffered.write_all(b"\n")?;
    buffered.flush()
}

/// A map as [`write`] would write it, but for the end of the line, in pieces that follow each other: those of a large
/// one are made side by side.
///
/// # Errors
///
/// None that is known of: everything in a map has a form in JSON.
pub fn pieces(map: &mut Map) -> serde_json::Result<Vec<Vec<u8>>> {
    let (types, channels) = (std::mem::take(&mut map.types), std::mem::take(&mut map.channels));
    let frame = serde_json::to_vec(map);
    let lists = rayon::join(|| entries(&types), || entries(&channels));
    (map.types, map.channels) = (types, channels);
    let (mut frame, mut pieces) = (frame?, Vec::new());
    for (list, entries) in [(&b"\"types\":["[..], lists.0?), (b"\"channels\":[", lists.1?)] {
        // within a text its quotes would be escaped, so this is the list itself
        let Some(at) = frame.windows(list.len()).position(|w| w == list) else { continue };
        let rest = frame.split_off(at + list.len());
        pieces.push(std::mem::replace(&mut frame, rest));
        pieces.extend(entries);
    }
    pieces.push(frame);
    Ok(pieces)
}

/// The entries of a list, with what stands between them.
fn entries<T: Serialize + Sync>(list: &[T]) -> serde_json::Result<Vec<Vec<u8>>> {
    let piece = |(number, chunk): (usize, &[T])| {
        let mut piece = serde_json::to_vec(chunk)?;
        piece.pop();
        // the bracket that opens it becomes what separates it from what stands before
        if number > 0 {
            piece[0] = b',';
        } else {
            piece.remove(0);
        }
        Ok(piece)
    };
    list.par_chunks(AT_A_TIME).enumerate().map(piece).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn map_of(count: usize) -> Map {
        let types: Vec<_> =
            (0..count).map(|n| json!({ "id": format!("Gate{n}"), "lines": n, "roles": [], "knows": [], "reaches": [] })).collect();
        let root = "\"types\":[\"channels\":[";
        let files = json!({ "languages": {}, "partial": [], "left_out": [] });
        serde_json::from_value(json!({
            "format": "yarrowgraph-map", "version": 1, "root": root, "files": files,
            "types": types, "channels": [], "unresolved": [],
        }))
        .expect("it is a map")
    }

    #[test]
    fn pieces_come_to_what_is_written_at_once() {
        for count in [0, 1, AT_A_TIME, AT_A_TIME + 1, 3 * AT_A_TIME] {
            let mut map = map_of(count);
            let mut whole = Vec::new();
            write(&mut whole, &map).expect("memory can be written to");
            whole.pop();
            assert_eq!(pieces(&mut map).expect("a map has a form in JSON").concat(), whole);
            assert_eq!(map.types.len(), count, "the map is as it was");
        }
    }
}
