//! What is known of the records that were read so far, by their numbers: a few bytes each.

use yarrowgraph_model::Kind;

/// A record by the order in which it stands; from 0.
pub(crate) type Index = u32;

/// The numbers of a recording.
#[derive(Debug, Default)]
pub(crate) struct Numbers {
    /// Stretches of numbers without a gap: their first number, and the place of that record.
    stretches: Vec<(u64, Index)>,
    /// For each record its kind, and whether it was settled.
    marks: Vec<u8>,
    last: Option<u64>,
}

const SETTLED: u8 = 0x80;

impl Numbers {
    /// The greatest number so far.
    pub(crate) fn last(&self) -> Option<u64> {
        self.last
    }

    /// Where the next record will stand.
    pub(crate) fn next(&self) -> Index {
        self.marks.len() as Index
    }

    /// Adds the next record, whose number is greater than all before.
    pub(crate) fn push(&mut self, n: u64, kind: Kind) {
        let index = self.next();
        if self.last.is_none_or(|last| last + 1 != n) {
            self.stretches.push((n, index));
        }
        self.last = Some(n);
        self.marks.push(kind as u8);
    }

    /// Where the record of a number stands.
    pub(crate) fn index(&self, n: u64) -> Option<Index> {
        if n > self.last? {
            return None;
        }
        // most look-ups are of late records
        let at = match self.stretches.last() {
            Some((first, _)) if *first <= n => self.stretches.len() - 1,
            _ => self.stretches.partition_point(|(first, _)| *first <= n).checked_sub(1)?,
        };
        let (first, index) = self.stretches[at];
        let end = self.stretches.get(at + 1).map_or(self.marks.len() as u64, |(_, next)| u64::from(*next));
        let found = u64::from(index) + (n - first);
        (found < end).then_some(found as Index)
    }

    /// The kind of a record.
    pub(crate) fn kind(&self, index: Index) -> Kind {
        KINDS[usize::from(self.marks[index as usize] & !SETTLED)]
    }

    /// Marks a record as settled; whether it was not so before.
    pub(crate) fn settle(&mut self, index: Index) -> bool {
        let mark = &mut self.marks[index as usize];
        let first = *mark & SETTLED == 0;
        *mark |= SETTLED;
        first
    }
}

/// The kinds in the order of their declaration.
const KINDS: [Kind; 13] = [
    Kind::Call,
    Kind::Subscribe,
    Kind::Unsubscribe,
    Kind::Raise,
    Kind::Deliver,
    Kind::Issue,
    Kind::Run,
    Kind::Undo,
    Kind::Offer,
    Kind::Enter,
    Kind::End,
    Kind::Settle,
    Kind::Note,
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_found_across_gaps() {
        let mut numbers = Numbers::default();
        let put = [3, 4, 5, 9, 20, 21];
        for n in put {
            numbers.push(n, Kind::Raise);
        }
        for (index, n) in put.iter().enumerate() {
            assert_eq!(numbers.index(*n), Some(index as Index));
        }
        for n in [0, 2, 6, 8, 10, 19, 22, u64::MAX] {
            assert_eq!(numbers.index(n), None, "{n}");
        }
    }

    #[test]
    fn kinds_keep_their_places() {
        for (place, kind) in KINDS.iter().enumerate() {
            assert_eq!(*kind as usize, place);
        }
    }
}
