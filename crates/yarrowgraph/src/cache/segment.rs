//! Segments: the readings of many files in one file of the cache.
//!
//! A segment is a mark, the length of its table, the table, and the readings one behind the other.
//! The table says for each reading its key, where it lies and its checksum; a checksum of its own
//! stands before it. Each run that reads files anew adds a segment; when there are many, or when
//! most of what they hold is of files that are gone, one takes the place of all.

use std::collections::{BTreeMap, HashSet};
use std::fs;
use std::path::{Path, PathBuf};

use super::{Key, checked, checksum, files_named, hex, write_whole};

/// What a segment begins with.
const MARK: &[u8; 8] = b"yarrow01";

/// How many segments a tree may have.
const SEGMENTS: usize = 6;

/// Where one reading lies: its key, its offset and length behind the table, and its checksum.
type Entry = (Key, u64, u64, [u8; 8]);

/// The segments of a tree.
#[derive(Debug, Default)]
pub(super) struct Segments {
    files: Vec<PathBuf>,
    contents: Vec<Vec<u8>>,
    /// For each key which content holds it, where, and the checksum.
    places: BTreeMap<Key, (usize, std::ops::Range<usize>, [u8; 8])>,
}

impl Segments {
    /// Reads the segments of a folder; what is damaged is passed over.
    pub(super) fn read(folder: &Path) -> Self {
        let mut segments = Self { files: files_named(folder, "facts-"), ..Self::default() };
        for file in &segments.files {
            let Ok(bytes) = fs::read(file) else { continue };
            let Some((start, table)) = table(&bytes) else { continue };
            let number = segments.contents.len();
            for (key, offset, length, sum) in table {
                let from = usize::try_from(offset).ok().and_then(|o| start.checked_add(o));
                let range = from.and_then(|f| Some(f..f.checked_add(usize::try_from(length).ok()?)?));
                if let Some(range) = range.filter(|r| r.end <= bytes.len()) {
                    segments.places.insert(key, (number, range, sum));
                }
            }
            segments.contents.push(bytes);
        }
        segments
    }

    /// Whether nothing was read.
    pub(super) fn is_empty(&self) -> bool {
        self.contents.is_empty()
    }

    /// The reading of a key, if it is what was written.
    pub(super) fn get(&self, key: &Key) -> Option<&[u8]> {
        let (number, range, sum) = self.places.get(key)?;
        let bytes = &self.contents[*number][range.clone()];
        (checksum(bytes) == *sum).then_some(bytes)
    }

    /// Writes a segment with new readings, or one with all that are current in place of all others.
    pub(super) fn add(&self, folder: &Path, fresh: Vec<(Key, Vec<u8>)>, current: &HashSet<Key>) {
        let gone = self.places.keys().filter(|k| !current.contains(*k)).count();
        let start_over = self.files.len() >= SEGMENTS || gone * 2 > self.places.len();
        let mut readings: BTreeMap<Key, &[u8]> = BTreeMap::new();
        if start_over {
            readings.extend(self.places.keys().filter(|k| current.contains(*k)).filter_map(|k| Some((*k, self.get(k)?))));
        }
        readings.extend(fresh.iter().map(|(key, bytes)| (*key, bytes.as_slice())));
        if let Some(written) = write(folder, &readings)
            && start_over
        {
            for old in self.files.iter().filter(|f| **f != written) {
                let _ = fs::remove_file(old);
            }
        }
    }
}

/// The table of a segment, and where its readings begin.
fn table(bytes: &[u8]) -> Option<(usize, Vec<Entry>)> {
    let rest = bytes.strip_prefix(MARK)?;
    let (length, rest) = rest.split_first_chunk()?;
    let length = usize::try_from(u64::from_le_bytes(*length)).ok()?;
    let table = checked(rest.get(..length)?)?;
    Some((MARK.len() + size_of::<u64>() + length, postcard::from_bytes(table).ok()?))
}

fn write(folder: &Path, readings: &BTreeMap<Key, &[u8]>) -> Option<PathBuf> {
    let mut at = 0;
    let mut entries: Vec<Entry> = Vec::with_capacity(readings.len());
    for (key, bytes) in readings {
        entries.push((*key, at, bytes.len() as u64, checksum(bytes)));
        at += bytes.len() as u64;
    }
    let table = postcard::to_allocvec(&entries).ok()?;
    let sum = checksum(&table);
    let length = ((sum.len() + table.len()) as u64).to_le_bytes();
    let mut parts: Vec<&[u8]> = vec![MARK, &length, &sum, &table];
    parts.extend(readings.values());
    // what it holds names it: runs side by side that read the same write the same
    let path = folder.join(format!("facts-{}", hex(blake3::hash(&table).as_bytes())));
    write_whole(&path, &parts).then_some(path)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn add(folder: &Path, readings: &[(u8, &str)], current: &[u8]) {
        let fresh = readings.iter().map(|(k, text)| ([*k; 32], text.as_bytes().to_vec())).collect();
        Segments::read(folder).add(folder, fresh, &current.iter().map(|k| [*k; 32]).collect());
    }

    fn get(folder: &Path, key: u8) -> Option<String> {
        Segments::read(folder).get(&[key; 32]).map(|b| String::from_utf8_lossy(b).into_owned())
    }

    #[test]
    fn each_run_adds_a_segment() {
        let dir = tempfile::tempdir().expect("a temporary folder");
        add(dir.path(), &[(1, "gate"), (2, "sluice")], &[1, 2]);
        add(dir.path(), &[(3, "weir")], &[1, 2, 3]);
        assert_eq!(get(dir.path(), 1).as_deref(), Some("gate"));
        assert_eq!(get(dir.path(), 3).as_deref(), Some("weir"));
        assert_eq!(get(dir.path(), 4), None);
        assert_eq!(files_named(dir.path(), "facts-").len(), 2);
    }

    #[test]
    fn one_takes_the_place_of_many_and_forgets_what_is_gone() {
        let dir = tempfile::tempdir().expect("a temporary folder");
        for key in 0..=SEGMENTS as u8 {
            add(dir.path(), &[(key, "gate")], &(0..=key).collect::<Vec<_>>());
        }
        assert_eq!(files_named(dir.path(), "facts-").len(), 1);
        assert_eq!(get(dir.path(), 0).as_deref(), Some("gate"));
        add(dir.path(), &[(20, "weir")], &[6, 20]);
        assert_eq!(files_named(dir.path(), "facts-").len(), 1);
        assert_eq!((get(dir.path(), 0), get(dir.path(), 6).as_deref()), (None, Some("gate")));
    }

    #[test]
    fn whatever_is_damaged_counts_as_not_there() {
        let dir = tempfile::tempdir().expect("a temporary folder");
        add(dir.path(), &[(1, "gate"), (2, "sluice")], &[1, 2]);
        let file = files_named(dir.path(), "facts-").remove(0);
        let whole = fs::read(&file).expect("it is there");
        for at in 0..whole.len() {
            let mut bytes = whole.clone();
            bytes[at] ^= 0x55;
            fs::write(&file, &bytes).expect("writable");
            for (key, text) in [(1, "gate"), (2, "sluice")] {
                assert!(get(dir.path(), key).is_none_or(|t| t == text), "byte {at}");
            }
            fs::write(&file, &whole[..at]).expect("writable");
            for (key, text) in [(1, "gate"), (2, "sluice")] {
                assert!(get(dir.path(), key).is_none_or(|t| t == text), "cut at {at}");
            }
        }
    }
}
