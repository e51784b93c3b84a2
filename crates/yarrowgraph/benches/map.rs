#![allow(clippy::print_stdout)]
//! How long a map takes from nothing, against reading and bare parsing of the same files: both
//! are runs of the program, with the same grammars, threads and allocator. The figure that counts
//! is the ratio: the middle one of pairs of runs that follow each other. Then how long it takes with
//! a cache: when nothing is changed, when a remark is added to one file, and when code is.
//!
//! `YARROWGRAPH_BENCH_TREE=path cargo bench -p yarrowgraph` measures a tree of one's own; without
//! it the demo's programs are multiplied to about 100 000 and 1 000 000 lines.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Pairs of runs.
const PAIRS: usize = 11;

/// What is measured.
const MAP: [&str; 3] = ["map", "--format", "json"];

fn main() {
    if let Some(tree) = std::env::var_os("YARROWGRAPH_BENCH_TREE") {
        // a copy, since one of its files is going to be changed
        let dir = tempfile::tempdir().expect("a temporary folder");
        let tree = Path::new(&tree);
        for file in files(tree) {
            let to = dir.path().join(file.strip_prefix(tree).expect("below the tree"));
            std::fs::create_dir_all(to.parent().expect("a folder")).expect("writable");
            std::fs::copy(file, to).expect("readable");
        }
        measure(dir.path());
        return;
    }
    for lines in [100_000, 1_000_000] {
        let dir = tempfile::tempdir().expect("a temporary folder");
        multiply(dir.path(), lines);
        measure(dir.path());
    }
}

fn measure(tree: &Path) {
    let files = files(tree);
    // the first pair brings the files into memory
    pair(tree);
    let mut pairs: Vec<(Duration, Duration)> = (0..PAIRS).map(|_| pair(tree)).collect();
    pairs.sort_by(|a, b| ratio(a).total_cmp(&ratio(b)));
    let (parsing, mapping) = pairs[PAIRS / 2];
    println!(
        "{} files, {} lines: bare parsing {:.2} s, map {:.2} s, ratio {:.2} (of {PAIRS} pairs from {:.2} to {:.2})",
        files.len(),
        files.iter().map(|f| lines(f)).sum::<usize>(),
        parsing.as_secs_f64(),
        mapping.as_secs_f64(),
        ratio(&pairs[PAIRS / 2]),
        ratio(&pairs[0]),
        ratio(&pairs[PAIRS - 1]),
    );
    let cache = tempfile::tempdir().expect("a temporary folder");
    run(&MAP, tree, Some(cache.path()));
    let again = middle(|| run(&MAP, tree, Some(cache.path())));
    let changing = &files[files.len() / 2];
    let text = std::fs::read_to_string(changing).expect("readable");
    let mut round = 0;
    let mut changed = |write: &dyn Fn(usize) -> String| {
        middle(|| {
            round += 1;
            std::fs::write(changing, write(round)).expect("writable");
            run(&MAP, tree, Some(cache.path()))
        })
    };
    let remark = changed(&|round| format!("// changed {round}\n{text}"));
    let code = changed(&|round| format!("{text}\nclass Changed{round} {{ }}\n"));
    println!(
        "  with the cache: unchanged {:.2} s ({:.1} % of {:.2} s), a remark added to one file {:.2} s, code added to one file {:.2} s",
        again.as_secs_f64(),
        again.as_secs_f64() / mapping.as_secs_f64() * 100.0,
        mapping.as_secs_f64(),
        remark.as_secs_f64(),
        code.as_secs_f64(),
    );
}

/// The middle one of some runs.
fn middle(mut run: impl FnMut() -> Duration) -> Duration {
    let mut times: Vec<Duration> = (0..PAIRS).map(|_| run()).collect();
    times.sort();
    times[PAIRS / 2]
}

fn pair(tree: &Path) -> (Duration, Duration) {
    (run(&["debug", "parse"], tree, None), run(&MAP, tree, None))
}

fn ratio((parsing, mapping): &(Duration, Duration)) -> f64 {
    mapping.as_secs_f64() / parsing.as_secs_f64()
}

/// Runs the program, with a cache or without one.
fn run(args: &[&str], tree: &Path, cache: Option<&Path>) -> Duration {
    let started = Instant::now();
    let mut command = Command::new(env!("CARGO_BIN_EXE_yarrowgraph"));
    command.args(args).args(["--quiet", "--no-ignore"]).arg(tree);
    match cache {
        Some(folder) => command.env("YARROWGRAPH_CACHE", folder),
        None => command.arg("--no-cache"),
    };
    let status = command.stdout(Stdio::null()).status().expect("the program runs");
    assert!(status.success());
    started.elapsed()
}

fn lines(path: &Path) -> usize {
    std::fs::read(path).expect("readable").iter().filter(|b| **b == b'\n').count()
}

/// The source files below a folder.
fn files(tree: &Path) -> Vec<PathBuf> {
    let known = |p: &Path| yarrowgraph_syntax::language_of(&p.to_string_lossy()).is_some();
    let entries = ignore::WalkBuilder::new(tree).standard_filters(false).hidden(true).build().flatten();
    let mut files: Vec<PathBuf> = entries.map(ignore::DirEntry::into_path).filter(|p| p.is_file() && known(p)).collect();
    files.sort();
    files
}

/// Copies of the demo's Java program, each in a package of its own and with types of its own
/// names, as in a real tree; the names of members recur in every copy.
fn multiply(dir: &Path, wanted: usize) {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("demo");
    let sources: Vec<(String, String)> = files(&demo.join("java/as-it-was"))
        .into_iter()
        .map(|p| (p.file_stem().expect("a name").to_string_lossy().into_owned(), std::fs::read_to_string(&p).expect("readable")))
        .collect();
    let each: usize = sources.iter().map(|(_, t)| t.lines().count()).sum();
    for copy in 0..wanted.div_ceil(each) {
        let folder = dir.join(format!("locks{copy}"));
        std::fs::create_dir_all(&folder).expect("writable");
        for (name, text) in &sources {
            std::fs::write(folder.join(format!("{name}{copy}.java")), numbered(text, &sources, copy)).expect("writable");
        }
    }
}

/// A text with the number of its copy behind the names of its types and of its package.
fn numbered(text: &str, sources: &[(String, String)], copy: usize) -> String {
    let ends_word = |c: char| !c.is_alphanumeric() && c != '_';
    text.split_inclusive(ends_word)
        .map(|word| {
            let (name, end) = word.split_at(word.trim_end_matches(ends_word).len());
            let ours = name == "marlwend" || sources.iter().any(|(stem, _)| stem == name);
            if ours { format!("{name}{copy}{end}") } else { word.to_owned() }
        })
        .collect()
}
