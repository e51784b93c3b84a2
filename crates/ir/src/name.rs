//! Interned names of one file.

use crate::Interner;
use serde::{Deserialize, Serialize};

/// A name of one file; an index into its [`Names`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Name(pub u32);

/// The names of one file, each stored once.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Names(Interner);

impl Names {
    /// Returns the name for a text, adding it when it is new.
    pub fn intern(&mut self, text: &str) -> Name {
        Name(self.0.intern(text))
    }

    /// Makes room for that many more names.
    pub fn reserve(&mut self, more: usize) {
        self.0.reserve(more);
    }

    /// Returns the name of a text that was interned before.
    pub fn get(&self, text: &str) -> Option<Name> {
        self.0.get(text).map(Name)
    }

    /// Returns the text of a name.
    pub fn text(&self, name: Name) -> &str {
        self.0.text(name.0)
    }

    /// All texts, in the order of their names.
    pub fn texts(&self) -> impl ExactSizeIterator<Item = &str> {
        self.0.texts()
    }

    /// Gives up the look-up by text, which only lowering needs.
    pub fn freeze(&mut self) {
        self.0.freeze();
    }
}
