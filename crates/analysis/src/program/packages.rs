//! Packages of the tree that its files import from each other by name.

use std::collections::BTreeMap;

use super::{Program, UnitId};

/// A package of the tree.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Package {
    /// Its folder, relative to the root with forward slashes; empty for the root itself.
    pub folder: String,
    /// The files that its manifest says importers get, relative to the folder; they may be built from others.
    pub entries: Vec<String>,
}

/// The packages of a tree, by the names under which they are imported.
pub type Packages = BTreeMap<String, Package>;

/// Folders of a package whose files are built from those in `src`.
const BUILT: &[&str] = &["lib", "dist", "out", "build", "esm", "cjs", "types"];

impl Program {
    /// The file that a package's name means, or a path behind it (`@locks/gates/lib/weir`).
    pub(super) fn module_of_package(&self, packages: &Packages, from: &str) -> Option<UnitId> {
        let parts = if from.starts_with('@') { 2 } else { 1 };
        let end = from.match_indices('/').nth(parts - 1).map_or(from.len(), |(at, _)| at);
        let package = packages.get(&from[..end])?;
        let inside = from[end..].trim_start_matches('/');
        let in_folder = |path: &str| if package.folder.is_empty() { path.to_owned() } else { format!("{}/{path}", package.folder) };
        let ways = |path: &str| {
            let path = path.trim_start_matches("./");
            let source = path.split_once('/').filter(|(top, _)| BUILT.contains(top)).map(|(_, rest)| format!("src/{rest}"));
            [source, Some(path.to_owned()), Some(format!("src/{path}"))]
        };
        let asked: Vec<&str> = if inside.is_empty() {
            package.entries.iter().map(String::as_str).chain(["src/index", "index", "lib/index"]).collect()
        } else {
            vec![inside]
        };
        asked.into_iter().flat_map(ways).flatten().find_map(|path| self.module_at(&in_folder(&path)))
    }
}
