#![allow(clippy::print_stdout)]
//! How long a map takes from nothing, against reading and bare parsing of the same files with
//! the same grammars on the same threads. The figure that counts is the ratio.
//!
//! `YARROWGRAPH_BENCH_TREE=path cargo bench -p yarrowgraph` measures a tree of one's own; without
//! it the demo's programs are multiplied to about 100 000 and 1 000 000 lines.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use rayon::prelude::*;

/// The program's own, so that the ratio says nothing about allocators.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Runs of each kind, in turns; the least counts.
const RUNS: usize = 5;

fn main() {
    if let Some(tree) = std::env::var_os("YARROWGRAPH_BENCH_TREE") {
        measure(Path::new(&tree));
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
    let (mut parsing, mut mapping) = (Duration::MAX, Duration::MAX);
    let mut lines = 0;
    for _ in 0..RUNS {
        let started = Instant::now();
        lines = files.par_iter().with_max_len(1).map(|f| parse(f)).sum();
        parsing = parsing.min(started.elapsed());
        let started = Instant::now();
        let status = Command::new(env!("CARGO_BIN_EXE_yarrowgraph"))
            .args(["map", "--quiet", "--no-ignore", "--format", "json"])
            .arg(tree)
            .stdout(Stdio::null())
            .status()
            .expect("the program runs");
        assert!(status.success());
        mapping = mapping.min(started.elapsed());
    }
    let ratio = mapping.as_secs_f64() / parsing.as_secs_f64();
    println!(
        "{} files, {lines} lines: bare parsing {:.2} s, map {:.2} s, ratio {ratio:.2}",
        files.len(),
        parsing.as_secs_f64(),
        mapping.as_secs_f64()
    );
}

fn parse(path: &Path) -> usize {
    let bytes = std::fs::read(path).expect("readable");
    let name = path.to_string_lossy();
    if let Some(language) = yarrowgraph_syntax::language_of(&name) {
        std::hint::black_box(yarrowgraph_syntax::parse_only(language, &name, &bytes).unwrap_or(0));
    }
    bytes.iter().filter(|b| **b == b'\n').count()
}

/// The source files below a folder, the largest first, as the program takes them.
fn files(tree: &Path) -> Vec<PathBuf> {
    let known = |p: &Path| yarrowgraph_syntax::language_of(&p.to_string_lossy()).is_some();
    let entries = ignore::WalkBuilder::new(tree).standard_filters(false).hidden(true).build().flatten();
    let mut files: Vec<PathBuf> = entries.map(ignore::DirEntry::into_path).filter(|p| p.is_file() && known(p)).collect();
    files.sort_by_key(|p| (std::cmp::Reverse(std::fs::metadata(p).map_or(0, |m| m.len())), p.clone()));
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
