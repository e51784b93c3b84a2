//! Names of the whole tree.

use rustc_hash::FxHashMap;

/// A name of the tree; an index into [`Symbols`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Sym(pub u32);

/// The names of the tree, each stored once.
#[derive(Debug, Default)]
pub struct Symbols {
    texts: Vec<Box<str>>,
    by_text: FxHashMap<Box<str>, Sym>,
}

impl Symbols {
    /// Returns the symbol of a text, adding it when it is new.
    pub fn intern(&mut self, text: &str) -> Sym {
        if let Some(&sym) = self.by_text.get(text) {
            return sym;
        }
        let sym = Sym(self.texts.len() as u32);
        self.texts.push(text.into());
        self.by_text.insert(text.into(), sym);
        sym
    }

    /// Returns the symbol of a text that occurs in the tree.
    pub fn get(&self, text: &str) -> Option<Sym> {
        self.by_text.get(text).copied()
    }

    /// Returns the text of a symbol.
    pub fn text(&self, sym: Sym) -> &str {
        &self.texts[sym.0 as usize]
    }
}
