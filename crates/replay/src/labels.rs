//! The objects of a recording, by their labels.

use rustc_hash::FxHashMap;
use xxhash_rust::xxh3::xxh3_64;

use crate::rename::Aliases;

/// An object of one recording.
pub(crate) type Label = u32;

/// An object with what its type comes to, by which the objects of two recordings are told apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Object {
    pub(crate) label: Label,
    pub(crate) ty: u64,
}

/// The objects of a recording, in the order of their first appearance.
#[derive(Debug, Default)]
pub(crate) struct Labels {
    known: FxHashMap<Box<str>, Object>,
}

impl Labels {
    /// The object of a label; a new one if it is met for the first time.
    pub(crate) fn object(&mut self, label: &str, aliases: &Aliases) -> Object {
        if let Some(known) = self.known.get(label) {
            return *known;
        }
        let object = Object { label: self.known.len() as Label, ty: xxh3_64(aliases.of(type_of(label)).as_bytes()) };
        self.known.insert(label.into(), object);
        object
    }

    /// The object of a label that was met.
    pub(crate) fn get(&self, label: &str) -> Option<Object> {
        self.known.get(label).copied()
    }

    /// The labels that were met.
    pub(crate) fn texts(&self) -> impl Iterator<Item = &str> {
        self.known.keys().map(|k| &**k)
    }
}

/// The type part of a label.
pub(crate) fn type_of(label: &str) -> &str {
    label.rsplit_once('#').map_or(label, |(ty, _)| ty)
}
