//! Stamps: what the file system says of files, so that a file that nobody has touched need not be read again to know
//! its key.
//!
//! A stamp is believed only where the file system tells when a file was last changed in any way, which nobody can set
//! back, and where that was long enough ago when the file was read: a change within the same tick of the clock would
//! not show.

use std::fs::{self, Metadata};
use std::path::Path;
use std::time::{Duration, SystemTime};

use serde::{Deserialize, Serialize};

use super::{Key, checked, checksum, write_whole};

/// What the stamps of a tree are kept in.
const FILE: &str = "stamps";

/// How long before it is read a file must have been left alone: more than a tick of any file system's clock.
const AT_REST: Duration = Duration::from_secs(2);

/// What the file system says of a file. Times are seconds and nanoseconds since 1970.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Stamp {
    size: u64,
    modified: (i64, i64),
    changed: (i64, i64),
    inode: u64,
    device: u64,
}

impl Stamp {
    /// The stamp of a file; none where the system does not say when a file was changed.
    #[cfg(unix)]
    pub(crate) fn of(file: &Metadata) -> Option<Self> {
        use std::os::unix::fs::MetadataExt;
        Some(Self {
            size: file.size(),
            modified: (file.mtime(), file.mtime_nsec()),
            changed: (file.ctime(), file.ctime_nsec()),
            inode: file.ino(),
            device: file.dev(),
        })
    }

    /// The stamp of a file; none where the system does not say when a file was changed.
    #[cfg(not(unix))]
    pub(crate) fn of(_: &Metadata) -> Option<Self> {
        None
    }

    /// Whether the file had been left alone for a while.
    fn is_at_rest(&self, now: SystemTime) -> bool {
        let latest = now.checked_sub(AT_REST).and_then(|t| t.duration_since(SystemTime::UNIX_EPOCH).ok());
        latest.is_some_and(|t| self.modified.0.max(self.changed.0) < t.as_secs() as i64)
    }
}

/// The keys of files by their names, which ascend, each with the stamp that the file had where that can be believed.
#[derive(Debug, Default)]
pub(super) struct Stamps(Vec<(String, Option<Stamp>, Key)>);

impl Stamps {
    /// Reads the stamps of a folder; none where they are damaged.
    pub(super) fn read(folder: &Path) -> Self {
        let read = || {
            let bytes = fs::read(folder.join(FILE)).ok()?;
            postcard::from_bytes(checked(&bytes)?).ok()
        };
        Self(read().unwrap_or_default())
    }

    /// The key of a file, if it has the stamp that it had.
    pub(super) fn key(&self, name: &str, stamp: Option<Stamp>) -> Option<Key> {
        let (_, known, key) = self.entry(name)?;
        (known.is_some() && *known == stamp).then_some(*key)
    }

    /// The key that a file had when it was last read.
    pub(super) fn last_key(&self, name: &str) -> Option<Key> {
        self.entry(name).map(|(_, _, key)| *key)
    }

    fn entry(&self, name: &str) -> Option<&(String, Option<Stamp>, Key)> {
        let at = self.0.binary_search_by(|(n, ..)| n.as_str().cmp(name)).ok()?;
        Some(&self.0[at])
    }

    /// Writes the stamps of files that were read no earlier than `now`, sorted by name, in the place of all.
    pub(super) fn write<'s>(folder: &Path, now: SystemTime, files: impl Iterator<Item = (&'s str, Option<Stamp>, Option<Key>)>) {
        let believed = |(name, stamp, key): (&'s str, Option<Stamp>, Option<Key>)| Some((name, stamp.filter(|s| s.is_at_rest(now)), key?));
        let stamps: Vec<(&str, Option<Stamp>, Key)> = files.filter_map(believed).collect();
        if let Ok(body) = postcard::to_allocvec(&stamps) {
            write_whole(&folder.join(FILE), &[&checksum(&body), &body]);
        }
    }
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    #[test]
    fn a_file_that_was_touched_a_moment_ago_is_not_believed() {
        let dir = tempfile::tempdir().expect("a temporary folder");
        let file = dir.path().join("Gate.java");
        fs::write(&file, "class Gate {}").expect("writable");
        let stamp = Stamp::of(&fs::metadata(&file).expect("it is there"));
        let kept = |now: SystemTime| {
            Stamps::write(dir.path(), now, [("Gate.java", stamp, Some([7; 32]))].into_iter());
            Stamps::read(dir.path()).key("Gate.java", stamp)
        };
        assert_eq!(kept(SystemTime::now()), None);
        assert_eq!(kept(SystemTime::now() + Duration::from_secs(60)), Some([7; 32]));
        assert_eq!(Stamps::read(dir.path()).key("Sluice.java", stamp), None);
        fs::write(&file, "class Gate { }").expect("writable");
        let changed = Stamp::of(&fs::metadata(&file).expect("it is there"));
        assert_eq!(Stamps::read(dir.path()).key("Gate.java", changed), None);
    }
}
