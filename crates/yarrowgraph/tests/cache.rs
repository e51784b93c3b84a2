//! The cache: what it gives back is what a run without it gives, whatever happens to it.

mod common;

use std::fs;
use std::path::{Path, PathBuf};

use common::{LEAK, Said, folder};
use tempfile::TempDir;

/// A tree that is large enough to be worth a cache: many files and a leak.
fn tree() -> TempDir {
    let ballast = format!("// {}\n", "tide ".repeat(1_600));
    let files: Vec<(String, String)> = (0..40)
        .map(|n| (format!("Gauge{n}.cs"), format!("{ballast}public class Gauge{n} {{ public int Level; }}\n")))
        .chain([("Tide.cs".to_owned(), LEAK.to_owned())])
        .collect();
    let files: Vec<(&str, &[u8])> = files.iter().map(|(name, text)| (name.as_str(), text.as_bytes())).collect();
    folder(&files)
}

fn run(tree: &Path, cache: &Path, args: &[&str]) -> Said {
    common::run_with(tree, &[("YARROWGRAPH_CACHE", cache)], args)
}

fn check(tree: &Path, cache: &Path) -> Said {
    run(tree, cache, &["check", ".", "--format", "json"])
}

/// All files below a folder whose names begin in a certain way.
fn kept(cache: &Path, prefix: &str) -> Vec<PathBuf> {
    let mut found = Vec::new();
    let mut folders = vec![cache.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
            let path = entry.path();
            if path.is_dir() {
                folders.push(path);
            } else if entry.file_name().to_string_lossy().starts_with(prefix) {
                found.push(path);
            }
        }
    }
    found.sort();
    found
}

#[test]
fn a_second_run_says_the_same() {
    let (tree, cache) = (tree(), folder(&[]));
    let without = run(tree.path(), cache.path(), &["check", ".", "--format", "json", "--no-cache"]);
    assert!(kept(cache.path(), "").is_empty(), "--no-cache keeps nothing");
    assert!(without.out.contains("leaked-subscription"), "{}", without.out);
    for _ in 0..2 {
        let said = check(tree.path(), cache.path());
        assert_eq!((said.status, &said.out, &said.err), (1, &without.out, &without.err));
    }
    assert_eq!(kept(cache.path(), "facts-").len(), 1);
    assert_eq!(kept(cache.path(), "result-findings-").len(), 1);
    // the map is part of what was kept with the findings
    let map = run(tree.path(), cache.path(), &["map", ".", "--format", "json"]);
    assert_eq!(map.out, run(tree.path(), cache.path(), &["map", ".", "--format", "json", "--no-cache"]).out);
    assert!(kept(cache.path(), "result-map-").is_empty());
}

#[test]
fn a_small_tree_leaves_nothing_behind() {
    let (tree, cache) = (folder(&[("Tide.cs", LEAK.as_bytes())]), folder(&[]));
    assert_eq!(check(tree.path(), cache.path()).status, 1);
    assert!(kept(cache.path(), "").is_empty());
}

#[test]
fn a_changed_file_is_read_again_and_only_that() {
    let (tree, cache) = (tree(), folder(&[]));
    check(tree.path(), cache.path());
    let first = kept(cache.path(), "facts-");
    let mended = LEAK.replace("Tide.Turned += Sway; }", "}");
    fs::write(tree.path().join("Tide.cs"), mended).expect("writable");
    let said = check(tree.path(), cache.path());
    assert!(said.out.contains("unheard-event") && !said.out.contains("leaked-subscription"), "{}", said.out);
    let both = kept(cache.path(), "facts-");
    let new: Vec<&PathBuf> = both.iter().filter(|f| !first.contains(f)).collect();
    assert_eq!((both.len(), new.len()), (2, 1));
    let size = |file: &PathBuf| fs::metadata(file).expect("it is there").len();
    assert!(size(new[0]) * 4 < size(&first[0]), "the new segment holds one file");
    // a file that is moved, one that is new and one that is gone
    fs::rename(tree.path().join("Tide.cs"), tree.path().join("Ebb.cs")).expect("writable");
    fs::write(tree.path().join("Tide.cs"), LEAK.replace("Tide", "Flood").replace("Buoy", "Float")).expect("writable");
    fs::remove_file(tree.path().join("Gauge7.cs")).expect("writable");
    let said = check(tree.path(), cache.path());
    assert_eq!(said.out, run(tree.path(), cache.path(), &["check", ".", "--format", "json", "--no-cache"]).out);
    assert_eq!(said.status, 1);
}

#[test]
fn damage_is_passed_over() {
    let (tree, cache) = (tree(), folder(&[]));
    let whole = check(tree.path(), cache.path()).out;
    for prefix in ["result-", "facts-"] {
        for file in kept(cache.path(), prefix) {
            let bytes = fs::read(&file).expect("it is there");
            let mut turned = bytes.clone();
            let middle = turned.len() / 2;
            turned[middle..].reverse();
            for damaged in [&bytes[..bytes.len() / 2], &turned, b""] {
                // without a result the facts are asked for
                kept(cache.path(), "result-").iter().filter(|_| prefix == "facts-").for_each(|f| fs::remove_file(f).expect("writable"));
                fs::write(&file, damaged).expect("writable");
                assert_eq!(check(tree.path(), cache.path()).out, whole);
            }
        }
    }
}

#[test]
fn a_place_that_cannot_be_written_to_harms_nothing() {
    let tree = tree();
    // a file where the folder should be
    let place = folder(&[("cache", b"in the way")]);
    let said = check(tree.path(), &place.path().join("cache"));
    assert_eq!((said.status, said.err.as_str()), (1, ""));
    assert!(said.out.contains("leaked-subscription"));
}

#[test]
fn runs_side_by_side_do_not_disturb_each_other() {
    let (tree, cache) = (tree(), folder(&[]));
    let alone = run(tree.path(), cache.path(), &["check", ".", "--format", "json", "--no-cache"]).out;
    for round in 0..3 {
        fs::write(tree.path().join("Weir.cs"), format!("class Weir {{ int round = {round}; }}")).expect("writable");
        let outs: Vec<String> = std::thread::scope(|threads| {
            let runs: Vec<_> = (0..4).map(|_| threads.spawn(|| check(tree.path(), cache.path()).out)).collect();
            runs.into_iter().map(|r| r.join().expect("it ends")).collect()
        });
        assert!(outs.iter().all(|out| *out == alone));
    }
    assert!(kept(cache.path(), "writing-").is_empty());
}

#[test]
fn a_file_that_cannot_be_parsed_is_reported_each_time() {
    let (tree, cache) = (tree(), folder(&[]));
    fs::write(tree.path().join("Odd.cs"), "class Odd { void A( { }\n").expect("writable");
    fs::write(tree.path().join("Blob.cs"), b"\0\x01\x02\0").expect("writable");
    let first = check(tree.path(), cache.path());
    assert!(first.err.contains("Odd.cs:1") && first.err.contains("Blob.cs"), "{}", first.err);
    let second = check(tree.path(), cache.path());
    assert_eq!((first.out, first.err), (second.out, second.err));
    // one more file, so that the facts are asked and not the result
    fs::write(tree.path().join("Weir.cs"), "class Weir { }").expect("writable");
    assert!(check(tree.path(), cache.path()).err.contains("Blob.cs"));
}

/// The faulty demo in all languages, with enough beside it to be worth a cache.
fn demo_tree() -> TempDir {
    let ballast = format!("// {}\npublic class Ballast {{ }}\n", "tide ".repeat(60_000));
    let mut files: Vec<(String, Vec<u8>)> = vec![("Ballast.java".to_owned(), ballast.into_bytes())];
    for language in ["java", "csharp", "typescript", "javascript", "cpp"] {
        let from = common::demo().join(language).join("faulty");
        for file in kept(&from, "").into_iter().filter(|f| f.is_file()) {
            let name = format!("{language}/{}", file.strip_prefix(&from).expect("below it").display());
            files.push((name, fs::read(file).expect("readable")));
        }
    }
    let files: Vec<(&str, &[u8])> = files.iter().map(|(name, text)| (name.as_str(), text.as_slice())).collect();
    folder(&files)
}

#[test]
fn remarks_and_blank_lines_move_places_and_nothing_else() {
    let (tree, cache) = (demo_tree(), folder(&[]));
    let commands: [&[&str]; 2] = [&["map", ".", "--format", "json"], &["check", ".", "--format", "json"]];
    let files: Vec<PathBuf> = kept(tree.path(), "").into_iter().filter(|f| f.is_file()).collect();
    for (round, file) in files.iter().enumerate().step_by(3) {
        let text = fs::read_to_string(file).expect("readable");
        let mut lines: Vec<&str> = text.lines().collect();
        match round % 4 {
            0 => lines.insert(round % lines.len(), ""),
            1 => lines.insert(0, "/* of the Marlwend locks */\n"),
            2 => lines.push("// that is all"),
            // may be the middle of a statement
            _ => lines.insert(lines.len() / 2, "\n// as it was\n"),
        }
        fs::write(file, lines.join("\n")).expect("writable");
        for command in commands {
            let with = run(tree.path(), cache.path(), command);
            let without = run(tree.path(), cache.path(), &[command, &["--no-cache"]].concat());
            assert_eq!((with.status, with.out), (without.status, without.out), "{} {command:?}", file.display());
        }
    }
}
