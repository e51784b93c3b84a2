//! Pairing objects: labels differ from run to run, so objects are paired in the order in which they appear.

use std::collections::VecDeque;

use rustc_hash::FxHashMap;

use crate::labels::{Label, Object};

/// No partner.
const NONE: Label = Label::MAX;

/// The pairs of objects that were found so far.
#[derive(Debug, Default)]
pub(crate) struct Pairs {
    after_of: Vec<Label>,
    before_of: Vec<Label>,
}

impl Pairs {
    /// The partner of an object before.
    pub(crate) fn after(&self, before: Label) -> Option<Label> {
        self.after_of.get(before as usize).copied().filter(|l| *l != NONE)
    }

    fn before(&self, after: Label) -> Option<Label> {
        self.before_of.get(after as usize).copied().filter(|l| *l != NONE)
    }

    fn pair(&mut self, before: Label, after: Label) {
        for (list, at, with) in [(&mut self.after_of, before, after), (&mut self.before_of, after, before)] {
            if list.len() <= at as usize {
                list.resize(at as usize + 1, NONE);
            }
            list[at as usize] = with;
        }
    }

    /// Pairs the objects of two trees that have no partner yet: the first of a type with the first of that type.
    /// Both lists are in the order of appearance.
    pub(crate) fn add(&mut self, before: &[Object], after: &[Object]) {
        let mut free: FxHashMap<u64, VecDeque<Label>> = FxHashMap::default();
        if before.iter().any(|o| self.after(o.label).is_none()) {
            for o in after.iter().filter(|o| self.before(o.label).is_none()) {
                free.entry(o.ty).or_default().push_back(o.label);
            }
        }
        if free.is_empty() {
            return;
        }
        for o in before {
            if self.after(o.label).is_none()
                && let Some(partner) = free.get_mut(&o.ty).and_then(VecDeque::pop_front)
            {
                self.pair(o.label, partner);
            }
        }
    }

    /// Whether two lists are of the same objects.
    pub(crate) fn agree(&self, before: &[Object], after: &[Object]) -> bool {
        before.len() == after.len() && before.iter().zip(after).all(|(b, a)| self.after(b.label) == Some(a.label))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_of_a_type_is_the_first_of_that_type() {
        let o = |label, ty| Object { label, ty };
        let mut pairs = Pairs::default();
        pairs.add(&[o(0, 7), o(1, 8), o(2, 7)], &[o(5, 8), o(4, 7), o(3, 7)]);
        assert_eq!([0, 1, 2].map(|l| pairs.after(l)), [Some(4), Some(5), Some(3)]);
        pairs.add(&[o(0, 7), o(6, 7)], &[o(3, 7)]);
        assert_eq!(pairs.after(6), None);
        assert!(pairs.agree(&[o(0, 7)], &[o(4, 7)]) && !pairs.agree(&[o(0, 7)], &[o(3, 7)]));
    }
}
