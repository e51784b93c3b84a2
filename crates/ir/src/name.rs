//! Interned names of one file.

use rustc_hash::FxHashMap;

/// A name of one file; an index into its [`Names`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Name(pub u32);

/// The names of one file, each stored once.
#[derive(Clone, Debug, Default)]
pub struct Names {
    texts: Vec<Box<str>>,
    by_text: FxHashMap<Box<str>, Name>,
}

impl Names {
    /// Returns the name for a text, adding it when it is new.
    pub fn intern(&mut self, text: &str) -> Name {
        if let Some(&name) = self.by_text.get(text) {
            return name;
        }
        let name = Name(self.texts.len() as u32);
        self.texts.push(text.into());
        self.by_text.insert(text.into(), name);
        name
    }

    /// Returns the name of a text that was interned before.
    pub fn get(&self, text: &str) -> Option<Name> {
        self.by_text.get(text).copied()
    }

    /// Returns the text of a name.
    pub fn text(&self, name: Name) -> &str {
        &self.texts[name.0 as usize]
    }

    /// All texts, in the order of their names.
    pub fn texts(&self) -> impl ExactSizeIterator<Item = &str> {
        self.texts.iter().map(|t| &**t)
    }

    /// Gives up the look-up by text, which only lowering needs.
    pub fn freeze(&mut self) {
        self.by_text = FxHashMap::default();
        self.texts.shrink_to_fit();
    }
}
