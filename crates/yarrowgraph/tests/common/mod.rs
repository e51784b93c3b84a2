//! Drives the built program on files in temporary folders.
#![allow(dead_code, unreachable_pub)]

use std::path::{Path, PathBuf};

use assert_cmd::Command;
use tempfile::TempDir;

/// What a run said.
pub struct Said {
    pub status: i32,
    pub out: String,
    pub err: String,
}

/// Runs the program in a folder; its cache is a file that is in the way, so that it keeps nothing.
pub fn run_in(dir: &Path, args: &[&str]) -> Said {
    run_with(dir, &[("YARROWGRAPH_CACHE", Path::new(env!("CARGO_MANIFEST_DIR")).join("Cargo.toml").as_path())], args)
}

/// Runs the program in a folder, with some variables set.
pub fn run_with(dir: &Path, variables: &[(&str, &Path)], args: &[&str]) -> Said {
    let mut command = Command::cargo_bin("yarrowgraph").expect("the program is built");
    let output = command.current_dir(dir).env_remove("NO_COLOR").envs(variables.iter().copied()).args(args).output().expect("it runs");
    Said {
        status: output.status.code().expect("it ends by itself"),
        out: String::from_utf8(output.stdout).expect("UTF-8"),
        err: String::from_utf8(output.stderr).expect("UTF-8"),
    }
}

/// A folder with the given files.
pub fn folder(files: &[(&str, &[u8])]) -> TempDir {
    let dir = tempfile::tempdir().expect("a temporary folder");
    for (name, bytes) in files {
        let path = dir.path().join(name);
        std::fs::create_dir_all(path.parent().expect("a parent")).expect("writable");
        std::fs::write(path, bytes).expect("writable");
    }
    dir
}

/// The demo's data as it stands in the sources.
pub fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo")
}

/// Two files of which one holds a certain leak.
pub const LEAK: &str = "using System;
public static class Tide { public static event Action Turned; public static void Turn() { Turned?.Invoke(); } }
public class Buoy { public Buoy() { Tide.Turned += Sway; } void Sway() { } }
public class Harbour { public static void Main() { for (int i = 0; i < 3; i++) new Buoy(); Tide.Turn(); } }
";
