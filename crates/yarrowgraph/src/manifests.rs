//! What the manifests of JavaScript packages (`package.json`) say about a tree.

use std::collections::{BTreeMap, HashMap};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use serde_json::Value;
use yarrowgraph_analysis::program::{Package, Packages};

/// The fields of a manifest that name what importers get.
const ENTRIES: &[&str] = &["source", "types", "typings", "module", "main"];

/// The manifests around the files of a tree.
pub(crate) struct Manifests {
    /// For each row of files of one folder how many those are, and the nearest folder that has a manifest.
    folders: Vec<(usize, Option<PathBuf>)>,
    /// The manifests that could be read, by their folders.
    manifests: BTreeMap<PathBuf, Option<Value>>,
}

impl Manifests {
    /// Reads the manifest of each folder of a tree that has one, and of the folder around a root that is called `src`.
    pub(crate) fn of<'a>(root: &Path, files: impl Iterator<Item = &'a Path>) -> Self {
        // a folder comes once for each row of its files
        let mut files_in: Vec<(&Path, usize)> = Vec::new();
        for folder in files.filter_map(Path::parent) {
            match files_in.last_mut() {
                Some((last, count)) if last.as_os_str() == folder.as_os_str() => *count += 1,
                _ => files_in.push((folder, 1)),
            }
        }
        let above = root.parent().filter(|_| root.ends_with("src"));
        let mut manifests: BTreeMap<PathBuf, Option<Value>> = BTreeMap::new();
        let mut looked: HashMap<&OsStr, bool> = HashMap::new();
        let mut folders = Vec::new();
        for (folder, count) in files_in {
            let around = folder.ancestors().take_while(|f| f.starts_with(root)).chain(above);
            let nearest = around.into_iter().find(|f| {
                *looked.entry(f.as_os_str()).or_insert_with(|| {
                    let Ok(text) = std::fs::read(f.join("package.json")) else { return false };
                    let manifest: Option<Value> = serde_json::from_slice(&text).ok();
                    // one without a name only says how the files of its folder are loaded
                    let is_package = manifest.as_ref().is_none_or(|m| m.get("name").is_some());
                    if is_package {
                        manifests.insert(f.to_path_buf(), manifest);
                    }
                    is_package
                })
            });
            folders.push((count, nearest.map(Path::to_path_buf)));
        }
        Self { folders, manifests }
    }

    /// Whether most files belong to packages whose manifests name what importers get.
    pub(crate) fn is_library(&self) -> bool {
        let manifest = |folder: &Option<PathBuf>| folder.as_ref().and_then(|f| self.manifests.get(f)?.as_ref());
        let in_library = |(_, folder): &&(usize, Option<PathBuf>)| manifest(folder).is_some_and(is_library_package);
        let of_library: usize = self.folders.iter().filter(in_library).map(|(count, _)| count).sum();
        of_library * 2 > self.folders.iter().map(|(count, _)| count).sum()
    }

    /// The packages, by name; of two of one name the one whose folder comes first.
    pub(crate) fn packages(&self, root: &Path) -> Packages {
        let mut packages = Packages::new();
        for (folder, manifest) in &self.manifests {
            let Some(manifest) = manifest else { continue };
            let (Some(name), Ok(inside)) = (manifest.get("name").and_then(Value::as_str), folder.strip_prefix(root)) else { continue };
            let entries = ENTRIES.iter().filter_map(|field| manifest.get(field)?.as_str().map(str::to_owned)).collect();
            let folder = inside.to_string_lossy().replace('\\', "/");
            packages.entry(name.to_owned()).or_insert(Package { folder, entries });
        }
        packages
    }
}

/// Whether a manifest names what importers get.
fn is_library_package(manifest: &Value) -> bool {
    let private = manifest.get("private").and_then(Value::as_bool) == Some(true);
    // what a game engine loads as a part of other projects says for which version of the engine it is
    !private && ENTRIES.iter().chain(&["exports", "publishConfig", "unity"]).any(|k| manifest.get(k).is_some())
}
