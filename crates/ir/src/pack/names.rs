//! Lists of names, in the order of the pack.

use rustc_hash::FxHashSet;
use schemars::JsonSchema;
use serde::Deserialize;

use super::matches;

/// Names in the order in which a pack lists them, with a look-up.
#[derive(Clone, Debug, Default, Deserialize, JsonSchema)]
#[serde(from = "Vec<String>")]
pub struct Names {
    listed: Vec<String>,
    known: FxHashSet<String>,
    /// Whether some of them say whose they are (`Harbour.run`).
    qualified: bool,
}

impl Names {
    /// Whether a name is listed.
    pub fn contains(&self, name: &str) -> bool {
        self.known.contains(name)
    }

    /// Whether a name fits one that is listed, which may hold a star.
    pub fn fits(&self, name: &str) -> bool {
        self.contains(name) || self.listed.iter().any(|listed| matches(listed, name).is_some())
    }

    /// Whether a member is listed, by its name alone or as the end of its id.
    pub fn lists(&self, name: &str, id: impl FnOnce() -> String) -> bool {
        self.contains(name)
            || self.qualified && {
                let id = id();
                let is_end = |listed: &String| id.strip_suffix(listed.as_str()).is_some_and(|rest| rest.is_empty() || rest.ends_with('.'));
                self.listed.iter().filter(|listed| listed.contains('.')).any(is_end)
            }
    }

    /// Whether nothing is listed.
    pub fn is_empty(&self) -> bool {
        self.listed.is_empty()
    }

    /// The names, in the order of the pack.
    pub fn iter(&self) -> std::slice::Iter<'_, String> {
        self.listed.iter()
    }
}

impl From<Vec<String>> for Names {
    fn from(listed: Vec<String>) -> Self {
        Self { known: listed.iter().cloned().collect(), qualified: listed.iter().any(|n| n.contains('.')), listed }
    }
}
