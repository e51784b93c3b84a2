//! Names of the whole tree.

use yarrowgraph_ir::Interner;

/// The words of a text that joins several, as the keys of tables do: `closed/open`, `closed:open`.
pub fn words(text: &str) -> impl Iterator<Item = &str> {
    text.split(|c: char| !c.is_alphanumeric() && c != '_' && c != '-').filter(|part| !part.is_empty())
}

/// A name of the tree; an index into [`Symbols`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Sym(pub u32);

/// The names of the tree, each stored once.
#[derive(Debug, Default)]
pub struct Symbols(Interner);

impl Symbols {
    /// Returns the symbol of a text, adding it when it is new.
    pub fn intern(&mut self, text: &str) -> Sym {
        Sym(self.0.intern(text))
    }

    /// Returns the symbol of a text that occurs in the tree.
    pub fn get(&self, text: &str) -> Option<Sym> {
        self.0.get(text).map(Sym)
    }

    /// Returns the text of a symbol.
    pub fn text(&self, sym: Sym) -> &str {
        self.0.text(sym.0)
    }

    /// All texts, in the order of their symbols.
    pub(super) fn texts(&self) -> impl ExactSizeIterator<Item = &str> {
        self.0.texts()
    }

    /// How many symbols there are.
    pub(super) fn len(&self) -> usize {
        self.0.len()
    }
}
