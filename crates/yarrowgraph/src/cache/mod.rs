//! What earlier runs found out, kept in the platform's cache folder: the facts of each file, keyed
//! by its name and content, and finished results, keyed by those of all files.
//!
//! ```text
//! <cache folder>/<build>/<tree>/facts-*     segments: the facts of many files in one
//!                               result-*    finished analyses
//!                               stamps      which files were left alone since they were last read
//!                               used        when a run last looked here
//! ```
//!
//! The cache never decides anything: whatever cannot be read, is damaged or was written by
//! another build counts as not there, and whatever cannot be written is not kept. Files are written
//! under another name and put in place whole, so that runs side by side and runs that are cut
//! off leave nothing half-done behind.

mod moved;
mod segment;
mod stamps;

use std::fs;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use etcetera::BaseStrategy;
use rayon::prelude::*;
use yarrowgraph_analysis::judge::Accepted;
use yarrowgraph_analysis::{Analysis, Want};
use yarrowgraph_ir::Facts;
use yarrowgraph_model::{Files, Finding, Map};

use crate::discover::{Found, Source};
use moved::Moved;
use segment::Segments;
pub(crate) use stamps::Stamp;
use stamps::Stamps;

/// The variable that names another cache folder.
pub(crate) const FOLDER: &str = "YARROWGRAPH_CACHE";

/// Trees with less source text than this, in bytes, are read faster than a cache is asked.
const WORTH_KEEPING: u64 = 256 * 1024;

/// In so many files that were changed at once is looked for whether the change matters.
const CARRIED: usize = 16;

/// How many finished results are kept of one tree.
const RESULTS: usize = 8;

/// How long what nobody uses is kept.
const UNUSED: Duration = Duration::from_secs(60 * 60 * 24 * 30);

/// How often a folder is marked as used, and how old the leftovers of a run that was cut off must be.
const DAY: Duration = Duration::from_secs(60 * 60 * 24);

/// What a file's name and content come to.
pub(crate) type Key = [u8; 32];

/// What reading a file came to: its facts, or why it was not read.
pub(crate) type Reading = Result<Facts, String>;

/// The cache of one tree.
#[derive(Debug)]
pub(crate) struct Cache {
    folder: PathBuf,
    /// For each source its key; none where it could not be read.
    keys: Vec<Option<Key>>,
    /// What all keys and the way of reading come to; none where a file could not be read.
    whole: Option<Key>,
    segments: Segments,
    /// For each source the key that it had when a run last looked; none where it was not there.
    last: Vec<Option<Key>>,
    /// What those keys come to.
    last_whole: Option<Key>,
    /// When files began to be read.
    opened: SystemTime,
    /// Whether files had to be read for their keys.
    read_anew: bool,
}

/// What a file holds that has to be kept: its key and its reading, encoded.
#[derive(Debug)]
pub(crate) struct Fresh {
    /// What it is found by.
    pub(crate) key: Key,
    bytes: Vec<u8>,
}

impl Fresh {
    /// Encodes a reading.
    pub(crate) fn new(key: Key, reading: &Reading) -> Option<Self> {
        Some(Self { key, bytes: postcard::to_allocvec(reading).ok()? })
    }
}

/// What is kept of a finished analysis behind its map, which stands as it is written out.
type Rest = (Files, Vec<Finding>, Accepted, Vec<String>);

/// The key of a file.
pub(crate) fn key(language: yarrowgraph_ir::Language, name: &str, bytes: &[u8]) -> Key {
    let mut hasher = blake3::Hasher::new();
    for part in [language.name().as_bytes(), name.as_bytes(), bytes] {
        hasher.update(&(part.len() as u64).to_le_bytes()).update(part);
    }
    *hasher.finalize().as_bytes()
}

impl Cache {
    /// Opens the cache of a tree, if it is large enough to be worth one and there is a place for it.
    pub(crate) fn open(found: &Found) -> Option<Self> {
        let size: u64 = found.sources.iter().map(|s| s.size).sum();
        if size < WORTH_KEEPING {
            return None;
        }
        let folder = cache_folder()?.join(build()?).join(tree(found)?);
        let (opened, stamps) = (SystemTime::now(), Stamps::read(&folder));
        let of_stamp: Vec<Option<Key>> = found.sources.par_iter().map(|s| stamps.key(&s.name, s.stamp)).collect();
        let read = |s: &Source| fs::read(&s.path).ok().map(|bytes| key(s.language, &s.name, &bytes));
        let keys: Vec<Option<Key>> = found.sources.par_iter().zip(&of_stamp).map(|(s, known)| known.or_else(|| read(s))).collect();
        let of_all = whole(found, &keys);
        let last: Vec<Option<Key>> = found.sources.iter().map(|s| stamps.last_key(&s.name)).collect();
        let last_whole = if last == keys { None } else { whole(found, &last) };
        mark_used(&folder);
        let read_anew = of_stamp.iter().any(Option::is_none);
        Some(Self { folder, keys, whole: of_all, segments: Segments::default(), last, last_whole, opened, read_anew })
    }

    /// Keeps the stamps of the files whose keys this run asked for.
    pub(crate) fn keep_stamps(&self, sources: &[Source]) {
        if self.read_anew && self.folder.is_dir() {
            let files = sources.iter().zip(&self.keys).map(|(s, key)| (s.name.as_str(), s.stamp, *key));
            Stamps::write(&self.folder, self.opened, files);
        }
    }

    /// Makes the result of the last run one of the files as they are now, where those that have changed are in all that matters
    /// what they were. `read` reads a source anew, by its number.
    pub(crate) fn carry_over(&mut self, want: Want, read: impl Fn(usize) -> Option<(Key, Reading)>) {
        if self.results(want).any(|path| path.is_file()) {
            return;
        }
        let changed: Vec<usize> = (0..self.keys.len()).filter(|i| self.keys[*i] != self.last[*i]).collect();
        let Some(path) = self.last_whole.map(|whole| self.path_of(want, &whole)).filter(|p| p.is_file()) else { return };
        if changed.len() > CARRIED {
            return;
        }
        self.load();
        let mut fresh = Vec::new();
        let mut moved = Vec::new();
        for source in changed {
            let old = self.last[source].as_ref().and_then(|key| self.segments.get(key));
            let old: Option<Reading> = old.and_then(|bytes| postcard::from_bytes(bytes).ok());
            let (Some(Ok(old)), Some((key, reading))) = (old, read(source)) else { return };
            if self.keys[source] != Some(key) {
                return;
            }
            fresh.extend(Fresh::new(key, &reading));
            let kind = crate::tree::kind(&old.unit);
            let Some(of_file) = reading.ok().and_then(|new| Moved::between(old, new)) else { return };
            moved.push((kind, of_file));
        }
        if self.keep_moved(want, &path, &moved).is_some() {
            self.keep(fresh);
        }
    }

    /// Keeps a result of the last run with its places moved.
    fn keep_moved(&self, want: Want, path: &Path, moved: &[(&str, Moved)]) -> Option<()> {
        let bytes = fs::read(path).ok()?;
        let (map, rest) = parts_of(&bytes)?;
        let apply = |text: &[u8]| moved.iter().try_fold(text.to_vec(), |text, (_, of_file)| of_file.apply(&text));
        let (map, rest) = (apply(map)?, apply(rest)?);
        let (mut files, findings, accepted, unknown): Rest = serde_json::from_slice(&rest).ok()?;
        let were = serde_json::to_vec(&files).ok()?;
        for (kind, of_file) in moved {
            let count = files.languages.get_mut(*kind)?;
            count.lines = u32::try_from(i64::from(count.lines) + of_file.more_lines).ok()?;
        }
        let rest = serde_json::to_vec(&(&files, &findings, &accepted, &unknown)).ok()?;
        // they stand at the head of the map as well
        let at = memchr::memmem::find(&map, &were)?;
        let (head, tail) = (map[..at].to_vec(), map[at + were.len()..].to_vec());
        self.keep_parts(want, &[head, serde_json::to_vec(&files).ok()?, tail], &rest);
        Some(())
    }

    /// The result of an earlier run over the very same files.
    pub(crate) fn result(&self, want: Want) -> Option<Analysis> {
        self.results(want).find_map(|path| {
            let bytes = fs::read(path).ok()?;
            let (map, rest) = parts_of(&bytes)?;
            let mut map: Map = serde_json::from_slice(map).ok()?;
            let (files, findings, accepted, unknown): Rest = serde_json::from_slice(rest).ok()?;
            map.files = files;
            Some(Analysis { map, findings, accepted, unknown })
        })
    }

    /// Writes out the map of an earlier run over the very same files, as JSON; returns what was read and what was not.
    ///
    /// # Errors
    ///
    /// When the output cannot be written; what cannot be read counts as not there.
    pub(crate) fn write_map(&self, out: &mut dyn Write) -> io::Result<Option<Files>> {
        let Some((mut map, files)) = self.results(Want::Map).find_map(|path| open_map(&path)) else { return Ok(None) };
        in_pieces(&mut map, |piece| out.write_all(piece))?;
        Ok(Some(files))
    }

    /// Where the results lie that hold what is wanted: findings come with the map.
    fn results(&self, want: Want) -> impl Iterator<Item = PathBuf> {
        let wanted: &[Want] = if want == Want::Map { &[Want::Map, Want::Findings] } else { &[Want::Findings] };
        wanted.iter().filter_map(|want| self.result_path(*want))
    }

    /// Reads what is kept of the files' facts.
    pub(crate) fn load(&mut self) {
        if self.segments.is_empty() {
            self.segments = Segments::read(&self.folder);
        }
    }

    /// The reading of a source, by its number.
    pub(crate) fn reading(&self, source: usize) -> Option<Reading> {
        postcard::from_bytes(self.segments.get(self.keys[source].as_ref()?)?).ok()
    }

    /// The key that a source had when the cache was opened.
    pub(crate) fn key_of(&self, source: usize) -> Option<Key> {
        self.keys[source]
    }

    /// Keeps what was read anew.
    pub(crate) fn keep(&self, fresh: Vec<Fresh>) {
        if fresh.is_empty() || fs::create_dir_all(&self.folder).is_err() {
            return;
        }
        let current = self.keys.iter().flatten().copied().collect();
        self.segments.add(&self.folder, fresh.into_iter().map(|f| (f.key, f.bytes)).collect(), &current);
        tidy(&self.folder);
    }

    /// Keeps a finished result, whose map is given as it is written out, in pieces.
    pub(crate) fn keep_result(&self, want: Want, analysis: &Analysis, map: &[Vec<u8>]) {
        // in the order of what is kept
        let rest = serde_json::to_vec(&(&analysis.map.files, &analysis.findings, &analysis.accepted, &analysis.unknown));
        if let Ok(rest) = rest {
            self.keep_parts(want, map, &rest);
        }
    }

    fn keep_parts(&self, want: Want, map: &[Vec<u8>], rest: &[u8]) {
        let Some(path) = self.result_path(want) else { return };
        if fs::create_dir_all(&self.folder).is_ok() {
            let length = (map.iter().map(Vec::len).sum::<usize>() as u64).to_le_bytes();
            let parts: Vec<&[u8]> = [&length[..]].into_iter().chain(map.iter().map(Vec::as_slice)).chain([rest]).collect();
            write_whole(&path, &[&[&checksum_of(&parts)[..]], &parts[..]].concat());
            keep_newest(&self.folder, "result-", RESULTS);
        }
    }

    fn result_path(&self, want: Want) -> Option<PathBuf> {
        Some(self.path_of(want, &self.whole?))
    }

    fn path_of(&self, want: Want, whole: &Key) -> PathBuf {
        let kind = match want {
            Want::Map => "map",
            Want::Findings => "findings",
        };
        self.folder.join(format!("result-{kind}-{}", hex(whole)))
    }
}

/// The folder for all trees: the one that is asked for, or the platform's.
fn cache_folder() -> Option<PathBuf> {
    match std::env::var_os(FOLDER) {
        Some(folder) if !folder.is_empty() => Some(PathBuf::from(folder)),
        _ => Some(etcetera::choose_base_strategy().ok()?.cache_dir().join("yarrowgraph")),
    }
}

/// What tells one build of the program from another: what it keeps is its own.
fn build() -> Option<String> {
    let program = fs::metadata(std::env::current_exe().ok()?).ok()?;
    let made = program.modified().ok()?.duration_since(SystemTime::UNIX_EPOCH).ok()?;
    Some(format!("{}-{:x}-{:x}", env!("CARGO_PKG_VERSION"), program.len(), made.as_nanos()))
}

/// What tells one tree from another.
fn tree(found: &Found) -> Option<String> {
    let root = fs::canonicalize(&found.root).ok()?;
    Some(hex(blake3::hash(root.as_os_str().as_encoded_bytes()).as_bytes()))
}

/// What the files of a tree, and all else that a result depends on, come to.
fn whole(found: &Found, keys: &[Option<Key>]) -> Option<Key> {
    let mut hasher = blake3::Hasher::new();
    let mut part = |bytes: &[u8]| {
        hasher.update(&(bytes.len() as u64).to_le_bytes()).update(bytes);
    };
    part(found.root.as_os_str().as_encoded_bytes());
    part(&[u8::from(found.is_library)]);
    for (name, package) in &found.packages {
        part(name.as_bytes());
        part(package.folder.as_bytes());
        package.entries.iter().for_each(|e| part(e.as_bytes()));
    }
    part(found.config.text.as_bytes());
    found.left_out.iter().chain(&found.shortened).for_each(|l| part(l.as_bytes()));
    for key in keys {
        part(key.as_ref()?);
    }
    Some(*hasher.finalize().as_bytes())
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().take(12).map(|b| format!("{b:02x}")).collect()
}

/// The first bytes of what a text comes to, written in front of it.
fn checksum(bytes: &[u8]) -> [u8; 8] {
    checksum_of(&[bytes])
}

/// The checksum of texts that stand one behind the other.
fn checksum_of(parts: &[&[u8]]) -> [u8; 8] {
    let mut hasher = blake3::Hasher::new();
    parts.iter().for_each(|part| _ = hasher.update(part));
    shortened(&hasher)
}

fn shortened(hasher: &blake3::Hasher) -> [u8; 8] {
    let mut sum = [0; 8];
    sum.copy_from_slice(&hasher.finalize().as_bytes()[..8]);
    sum
}

/// The map in a finished analysis and what is kept behind it, if they are what was written.
fn parts_of(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let (length, kept) = checked(bytes)?.split_first_chunk()?;
    kept.split_at_checked(usize::try_from(u64::from_le_bytes(*length)).ok()?)
}

/// The map in a finished analysis, to be read from where it stands, and the files that it is of; nothing where the
/// analysis is damaged. A large one is not held in memory.
fn open_map(path: &Path) -> Option<(impl Read + use<>, Files)> {
    let mut file = fs::File::open(path).ok()?;
    let (mut sum, mut length) = ([0; 8], [0; 8]);
    file.read_exact(&mut sum).ok()?;
    file.read_exact(&mut length).ok()?;
    let length = u64::from_le_bytes(length);
    let mut hasher = blake3::Hasher::new();
    hasher.update(&length.to_le_bytes());
    in_pieces(&mut (&mut file).take(length), |piece| {
        hasher.update(piece);
        Ok(())
    })
    .ok()?;
    let mut rest = Vec::new();
    file.read_to_end(&mut rest).ok()?;
    hasher.update(&rest);
    if shortened(&hasher) != sum {
        return None;
    }
    let (files, ..): Rest = serde_json::from_slice(&rest).ok()?;
    file.seek(SeekFrom::Start(2 * 8)).ok()?;
    Some((file.take(length), files))
}

/// Reads to the end, a piece at a time.
fn in_pieces(from: &mut dyn Read, mut with: impl FnMut(&[u8]) -> io::Result<()>) -> io::Result<()> {
    let mut piece = vec![0; 1 << 18];
    loop {
        match from.read(&mut piece) {
            Ok(0) => return Ok(()),
            Ok(n) => with(&piece[..n])?,
            Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e),
        }
    }
}

/// What stands behind a checksum, if it is what was written.
fn checked(bytes: &[u8]) -> Option<&[u8]> {
    let (sum, body) = bytes.split_first_chunk()?;
    (checksum(body) == *sum).then_some(body)
}

/// Writes a file under another name and puts it in place; what cannot be written is left.
fn write_whole(path: &Path, parts: &[&[u8]]) -> bool {
    let Some(folder) = path.parent() else { return false };
    let write = || -> std::io::Result<()> {
        let mut file = tempfile::Builder::new().prefix("writing-").tempfile_in(folder)?;
        parts.iter().try_for_each(|p| file.write_all(p))?;
        file.persist(path)?;
        Ok(())
    };
    write().is_ok()
}

/// Says of a tree's folder, and of its build's, that they are in use; once a day is enough.
fn mark_used(folder: &Path) {
    let mark = folder.join("used");
    if folder.is_dir() && !is_younger(&mark, DAY) {
        let _ = fs::write(mark, b"");
        if let Some(build) = folder.parent() {
            let _ = fs::write(build.join("used"), b"");
        }
    }
}

fn is_younger(path: &Path, age: Duration) -> bool {
    let modified = fs::metadata(path).and_then(|m| m.modified()).ok();
    modified.is_some_and(|m| SystemTime::now().duration_since(m).map_or(true, |d| d < age))
}

/// The files of a folder whose names begin in a certain way.
fn files_named(folder: &Path, prefix: &str) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let mut files: Vec<PathBuf> = entries.filter(|e| e.file_name().to_string_lossy().starts_with(prefix)).map(|e| e.path()).collect();
    files.sort();
    files
}

fn keep_newest(folder: &Path, prefix: &str, count: usize) {
    let mut files = files_named(folder, prefix);
    files.sort_by_key(|f| std::cmp::Reverse(fs::metadata(f).and_then(|m| m.modified()).ok()));
    for old in files.iter().skip(count) {
        let _ = fs::remove_file(old);
    }
}

/// Takes away what runs that were cut off left behind, and builds and trees that are in use no more.
fn tidy(folder: &Path) {
    for left in files_named(folder, "writing-") {
        if !is_younger(&left, DAY) {
            let _ = fs::remove_file(left);
        }
    }
    let Some(build) = folder.parent() else { return };
    let others = [Some(build), build.parent()].into_iter().flatten().flat_map(|f| files_named(f, ""));
    for other in others.filter(|o| o.is_dir() && o != folder && o != build) {
        // a folder without a mark was made a moment ago, or belongs to somebody else
        let mark = other.join("used");
        if mark.is_file() && !is_younger(&mark, UNUSED) {
            let _ = fs::remove_dir_all(other);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use yarrowgraph_ir::{Language, Unit};

    #[test]
    fn a_file_is_known_by_its_name_and_its_content() {
        let of = |name: &str, text: &str| key(Language::Java, name, text.as_bytes());
        assert_eq!(of("Gate.java", "class Gate {}"), of("Gate.java", "class Gate {}"));
        assert_ne!(of("Gate.java", "class Gate {}"), of("Gate.java", "class Gate { }"));
        assert_ne!(of("Gate.java", "class Gate {}"), of("Sluice.java", "class Gate {}"));
        assert_ne!(of("ab", "c"), of("a", "bc"));
    }

    #[test]
    fn a_damaged_text_is_told_from_a_whole_one() {
        let mut bytes = checksum(b"three gates").to_vec();
        bytes.extend_from_slice(b"three gates");
        assert_eq!(checked(&bytes), Some(&b"three gates"[..]));
        bytes.truncate(bytes.len() - 1);
        assert_eq!(checked(&bytes), None);
        assert_eq!(checked(&[1, 2]), None);
    }

    #[test]
    fn what_cannot_be_written_is_left() {
        let dir = tempfile::tempdir().expect("a temporary folder");
        assert!(!write_whole(&dir.path().join("missing/result"), &[b"x"]));
        assert!(write_whole(&dir.path().join("result"), &[b"x", b"y"]));
        assert_eq!(fs::read(dir.path().join("result")).expect("it is there"), b"xy");
        assert_eq!(files_named(dir.path(), "").len(), 1);
    }

    #[test]
    fn readings_come_back_as_they_were() {
        let mut unit = Unit::new(Language::Java, "Gate.java");
        let name = unit.names.intern("Gate");
        unit.exports.push((name, name));
        let reading: Reading = Ok(Facts { unit });
        let fresh = Fresh::new([7; 32], &reading).expect("it can be encoded");
        let back: Reading = postcard::from_bytes(&fresh.bytes).expect("it can be decoded");
        assert_eq!(format!("{back:?}"), format!("{reading:?}"));
    }
}
