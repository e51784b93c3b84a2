//! Texts stored once, one behind the other, each known by its number.

use serde::{Deserialize, Serialize};
use std::hash::BuildHasher;

use hashbrown::HashTable;
use rustc_hash::FxBuildHasher;

/// A store of texts that are numbered in the order in which they come.
#[derive(Clone, Default, Serialize, Deserialize)]
pub struct Interner {
    texts: String,
    /// Where each text ends in `texts`.
    ends: Vec<u32>,
    #[serde(skip)]
    numbers: HashTable<u32>,
}

impl Interner {
    /// Returns the number of a text, adding it when it is new.
    pub fn intern(&mut self, text: &str) -> u32 {
        let Self { texts, ends, numbers } = self;
        let hash = FxBuildHasher.hash_one(text);
        let number = numbers.entry(hash, |n| slice(texts, ends, *n) == text, |n| FxBuildHasher.hash_one(slice(texts, ends, *n)));
        match number {
            hashbrown::hash_table::Entry::Occupied(known) => *known.get(),
            hashbrown::hash_table::Entry::Vacant(free) => {
                let number = ends.len() as u32;
                free.insert(number);
                texts.push_str(text);
                ends.push(texts.len() as u32);
                number
            }
        }
    }

    /// Makes room for that many more texts.
    pub fn reserve(&mut self, more: usize) {
        let Self { texts, ends, numbers } = self;
        ends.reserve(more);
        numbers.reserve(more, |n| FxBuildHasher.hash_one(slice(texts, ends, *n)));
    }

    /// Returns the number of a text that was interned before.
    pub fn get(&self, text: &str) -> Option<u32> {
        self.numbers.find(FxBuildHasher.hash_one(text), |n| self.text(*n) == text).copied()
    }

    /// Returns the text of a number.
    ///
    /// # Panics
    ///
    /// On a number that this store did not give out.
    pub fn text(&self, number: u32) -> &str {
        slice(&self.texts, &self.ends, number)
    }

    /// How many texts there are.
    pub fn len(&self) -> usize {
        self.ends.len()
    }

    /// Whether there is no text yet.
    pub fn is_empty(&self) -> bool {
        self.ends.is_empty()
    }

    /// All texts, in the order of their numbers.
    pub fn texts(&self) -> impl ExactSizeIterator<Item = &str> {
        (0..self.ends.len()).map(|n| self.text(n as u32))
    }

    /// Gives up the look-up by text and the room for more.
    pub fn freeze(&mut self) {
        self.numbers = HashTable::new();
        self.texts.shrink_to_fit();
        self.ends.shrink_to_fit();
    }
}

impl std::fmt::Debug for Interner {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_list().entries(self.texts()).finish()
    }
}

fn slice<'t>(texts: &'t str, ends: &[u32], number: u32) -> &'t str {
    let start = number.checked_sub(1).map_or(0, |before| ends[before as usize]);
    &texts[start as usize..ends[number as usize] as usize]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_keeps_its_number() {
        let mut texts = Interner::default();
        let names: Vec<String> = (0..500).map(|i| format!("gauge{i}")).collect();
        for (i, name) in names.iter().enumerate() {
            assert_eq!(texts.intern(name), i as u32);
        }
        assert_eq!(texts.intern("gauge7"), 7);
        assert_eq!(texts.get("gauge499"), Some(499));
        assert_eq!(texts.get("sluice"), None);
        assert_eq!(texts.texts().collect::<Vec<_>>(), names);
    }

    #[test]
    fn the_empty_text_is_a_text() {
        let mut texts = Interner::default();
        assert_eq!((texts.intern(""), texts.intern("a"), texts.intern("")), (0, 1, 0));
        assert_eq!((texts.text(0), texts.text(1)), ("", "a"));
    }
}
