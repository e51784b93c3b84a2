//! Which files are read: what is below the given paths, less what is left out.

use std::collections::BTreeMap;
use std::fs::Metadata;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use ignore::{WalkBuilder, WalkState};
use yarrowgraph_analysis::program::Packages;
use yarrowgraph_ir::Language;

use crate::cache::Stamp;
use crate::config::Config;
use crate::failure::Failure;
use crate::manifests::Manifests;
use crate::shortened;

/// Folders that hold no code of the tree's own: build output and other people's code.
const LEFT_OUT: &[&str] = &[
    ".git",
    ".hg",
    ".svn",
    ".gradle",
    ".idea",
    ".vs",
    "__pycache__",
    "bin",
    "bower_components",
    "build",
    "dist",
    "node_modules",
    "obj",
    "out",
    "target",
    "third_party",
    "vendor",
];

/// A file to read.
#[derive(Clone, Debug)]
pub(crate) struct Source {
    /// Where it is.
    pub(crate) path: PathBuf,
    /// What it is called: relative to the root, with forward slashes.
    pub(crate) name: String,
    /// Its language.
    pub(crate) language: Language,
    /// Its size in bytes.
    pub(crate) size: u64,
    /// What tells whether it was touched.
    pub(crate) stamp: Option<Stamp>,
}

/// What was found.
#[derive(Debug, Default)]
pub(crate) struct Found {
    /// The root, as it was typed.
    pub(crate) root: PathBuf,
    /// The files, by name.
    pub(crate) sources: Vec<Source>,
    /// How many files the configuration leaves out.
    by_config: usize,
    /// Folders left out, each with the number of files of a known language in it.
    pub(crate) left_out: Vec<String>,
    /// Files left out because their code was shortened by a tool, by name.
    pub(crate) shortened: Vec<String>,
    /// Whether most of it is in packages whose manifests say that other trees use them.
    pub(crate) is_library: bool,
    /// The packages whose manifests are in it.
    pub(crate) packages: Packages,
    /// Entries that could not be looked at.
    pub(crate) errors: Vec<String>,
    /// What the project has set.
    pub(crate) config: Config,
}

/// Finds the files below the given paths. The configuration is the one asked for, or the nearest.
pub(crate) fn discover(paths: &[PathBuf], no_ignore: bool, config: Option<&Path>) -> Result<Found, Failure> {
    let here = [PathBuf::from(".")];
    let paths = if paths.is_empty() { &here[..] } else { paths };
    for path in paths {
        if let Err(e) = std::fs::metadata(path) {
            return Err(Failure::new(format!("{}: cannot be read: {e}", path.display())));
        }
    }
    let root = root_of(paths);
    let mut found = Found { config: Config::of(&root, config)?, root, ..Found::default() };
    let mut left_out: BTreeMap<String, usize> = BTreeMap::new();
    for path in paths {
        if path.is_file() {
            add(&mut found, path, std::fs::metadata(path).ok(), true);
        } else {
            walk(&mut found, path, no_ignore, &mut left_out);
        }
    }
    found.sources.sort_by(|a, b| a.name.cmp(&b.name));
    found.sources.dedup_by(|a, b| a.name == b.name);
    found.shortened.sort();
    found.shortened.dedup();
    found.left_out = left_out.into_iter().filter(|(_, n)| *n > 0).map(|(name, n)| format!("{name} ({n} files)")).collect();
    if found.by_config > 0 {
        found.left_out.push(format!("by the configuration ({} files)", found.by_config));
    }
    found.errors.sort();
    let manifests = Manifests::of(&found.root, found.sources.iter().map(|source| source.path.as_path()));
    found.is_library = found.config.library().unwrap_or_else(|| manifests.is_library());
    found.packages = manifests.packages(&found.root);
    Ok(found)
}

/// Whether a folder that could be a workspace's own holds packages of a package manager.
fn is_package_store(folder: &Path) -> bool {
    let entries = |folder: &Path| std::fs::read_dir(folder).into_iter().flatten().flatten();
    entries(folder).flat_map(|e| entries(&e.path())).any(|e| e.path().extension().is_some_and(|x| x == "nupkg" || x == "nuspec"))
}

/// Whether a folder named for binaries is where a project beside it is built into; elsewhere it holds the programs of a package, as scripts.
fn is_built_into(folder: &Path) -> bool {
    const PROJECTS: [&str; 6] = ["classpath", "csproj", "fsproj", "sln", "vbproj", "vcxproj"];
    let Some(beside) = folder.parent() else { return false };
    let is_project = |path: &Path| {
        let name = path.file_name().map(|n| n.to_string_lossy()).unwrap_or_default();
        name == "obj" || name.rsplit_once('.').is_some_and(|(_, extension)| PROJECTS.contains(&extension))
    };
    std::fs::read_dir(beside).into_iter().flatten().flatten().any(|entry| is_project(&entry.path()))
}

fn walk(found: &mut Found, path: &Path, no_ignore: bool, left_out: &mut BTreeMap<String, usize>) {
    let mut builder = WalkBuilder::new(path);
    let taken_in: Vec<&str> = LEFT_OUT.iter().copied().filter(|name| found.config.takes_in(name)).collect();
    builder.standard_filters(!no_ignore).hidden(true).require_git(false).follow_links(false).parents(!no_ignore);
    let skipped = Arc::new(Mutex::new(Vec::new()));
    if !no_ignore {
        let skipped = skipped.clone();
        builder.filter_entry(move |entry| {
            let is_folder = entry.file_type().is_some_and(|t| t.is_dir());
            let name = entry.file_name().to_string_lossy();
            let listed = LEFT_OUT.contains(&name.as_ref()) && !taken_in.contains(&name.as_ref());
            let named = || match name.as_ref() {
                "bin" => listed && is_built_into(entry.path()),
                "packages" => is_package_store(entry.path()),
                _ => listed,
            };
            let skip = entry.depth() > 0 && is_folder && named();
            if skip && let Ok(mut list) = skipped.lock() {
                list.push(entry.path().to_owned());
            }
            !skip
        });
    }
    // as they come; what is found is sorted later
    let (files, errors) = (Mutex::new(Vec::new()), Mutex::new(Vec::new()));
    let is_known = |entry: &ignore::DirEntry| {
        entry.file_type().is_some_and(|t| t.is_file()) && yarrowgraph_syntax::language_of(&entry.path().to_string_lossy()).is_some()
    };
    builder.threads(rayon::current_num_threads()).build_parallel().run(|| {
        Box::new(|entry| {
            match entry {
                Ok(entry) if is_known(&entry) => {
                    let metadata = entry.metadata().ok();
                    let is_shortened = !no_ignore && shortened::is_shortened(entry.path(), metadata.as_ref().map_or(0, Metadata::len));
                    files.lock().unwrap_or_else(PoisonError::into_inner).push((entry.into_path(), metadata, is_shortened));
                }
                Ok(_) => {}
                Err(e) => errors.lock().unwrap_or_else(PoisonError::into_inner).push(e.to_string()),
            }
            WalkState::Continue
        })
    });
    found.errors.extend(errors.into_inner().unwrap_or_else(PoisonError::into_inner));
    for (path, metadata, is_shortened) in files.into_inner().unwrap_or_else(PoisonError::into_inner) {
        let is_taken_in = || path.file_name().is_some_and(|n| found.config.takes_in(&n.to_string_lossy()));
        let name = name_of(&found.root, &path);
        if is_shortened && !found.config.leaves_out(&name) && !is_taken_in() {
            found.shortened.push(name);
        } else {
            add(found, &path, metadata, false);
        }
    }
    let folders = skipped.lock().map(|l| l.clone()).unwrap_or_default();
    for folder in folders {
        let name = name_of(&found.root, &folder);
        let files = WalkBuilder::new(&folder).standard_filters(false).follow_links(false).build().flatten();
        let known = files.filter(|e| {
            e.file_type().is_some_and(|t| t.is_file()) && yarrowgraph_syntax::language_of(&e.path().to_string_lossy()).is_some()
        });
        left_out.insert(name, known.take(100_000).count());
    }
}

fn add(found: &mut Found, path: &Path, metadata: Option<Metadata>, named: bool) {
    let text = path.to_string_lossy();
    let Some(language) = yarrowgraph_syntax::language_of(&text) else {
        if named {
            found.errors.push(format!("{text}: no front end reads files of this kind"));
        }
        return;
    };
    let name = name_of(&found.root, path);
    if !named && found.config.leaves_out(&name) {
        found.by_config += 1;
        return;
    }
    let (size, stamp) = metadata.map_or((0, None), |m| (m.len(), Stamp::of(&m)));
    found.sources.push(Source { path: path.to_owned(), name, language, size, stamp });
}

/// The folder given, or what all given paths have in common.
fn root_of(paths: &[PathBuf]) -> PathBuf {
    let folder = |p: &PathBuf| if p.is_file() { p.parent().map_or_else(|| PathBuf::from("."), Path::to_owned) } else { p.clone() };
    let mut all = paths.iter().map(folder);
    let mut root = all.next().unwrap_or_default();
    for other in all {
        while !other.starts_with(&root) {
            if !root.pop() {
                break;
            }
        }
    }
    if root.as_os_str().is_empty() { PathBuf::from(".") } else { root }
}

fn name_of(root: &Path, path: &Path) -> String {
    let relative = path.strip_prefix(root).unwrap_or(path);
    let relative = relative.strip_prefix(".").unwrap_or(relative);
    relative.components().map(|c| c.as_os_str().to_string_lossy()).collect::<Vec<_>>().join("/")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_root_is_what_paths_have_in_common() {
        let paths = |list: &[&str]| list.iter().map(PathBuf::from).collect::<Vec<_>>();
        assert_eq!(root_of(&paths(&["a/b", "a/c"])), PathBuf::from("a"));
        assert_eq!(root_of(&paths(&["a", "b"])), PathBuf::from("."));
    }

    #[test]
    fn a_manifest_with_an_entry_for_importers_makes_a_library() {
        let folder = tempfile::tempdir().expect("a temporary folder");
        let package = folder.path().join("packages/gauges");
        std::fs::create_dir_all(package.join("src")).expect("writable");
        std::fs::write(package.join("src/gauge.ts"), "export class Gauge {}").expect("writable");
        let is_library = |manifest: &str| {
            std::fs::write(package.join("package.json"), manifest).expect("writable");
            discover(&[folder.path().to_owned()], false, None).expect("readable").is_library
        };
        assert!(is_library(r#"{"name": "gauges", "main": "lib/index.js"}"#));
        assert!(is_library(r#"{"name": "example.gauges", "unity": "2019.4"}"#));
        assert!(!is_library(r#"{"name": "gauges", "main": "lib/index.js", "private": true}"#));
        assert!(!is_library("{ not json"));
    }

    #[test]
    fn a_store_of_packages_is_left_out_and_a_workspace_is_not() {
        let folder = tempfile::tempdir().expect("a temporary folder");
        let package = folder.path().join("packages/Gauges.1.0");
        std::fs::create_dir_all(&package).expect("writable");
        std::fs::write(package.join("Gauge.cs"), "class Gauge {}").expect("writable");
        let found = || discover(&[folder.path().to_owned()], false, None).expect("readable");
        assert_eq!(found().sources.len(), 1);
        std::fs::write(package.join("Gauges.1.0.nupkg"), "").expect("writable");
        assert_eq!(found().left_out, ["packages (1 files)"]);
    }

    #[test]
    fn a_folder_for_binaries_is_left_out_beside_a_project_that_is_built_into_it() {
        let folder = tempfile::tempdir().expect("a temporary folder");
        std::fs::create_dir(folder.path().join("bin")).expect("writable");
        std::fs::write(folder.path().join("bin/round.js"), "require('../src/valve');").expect("writable");
        let found = || discover(&[folder.path().to_owned()], false, None).expect("readable");
        assert_eq!(found().sources.len(), 1);
        std::fs::write(folder.path().join("Gauges.csproj"), "").expect("writable");
        assert_eq!(found().left_out, ["bin (1 files)"]);
    }

    #[test]
    fn names_are_relative_with_slashes() {
        assert_eq!(name_of(Path::new("."), Path::new("./src/a.ts")), "src/a.ts");
        assert_eq!(name_of(Path::new("x"), Path::new("x/src/a.ts")), "src/a.ts");
    }
}
