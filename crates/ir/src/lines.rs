//! Where lines begin, and how offsets of the decoded text relate to bytes on disk.

use serde::{Deserialize, Serialize};

use crate::Span;

/// How the bytes of a file were decoded.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum Encoding {
    /// UTF-8 without a mark.
    #[default]
    Utf8,
    /// UTF-8 with a byte order mark of three bytes.
    Utf8Mark,
    /// UTF-16, little-endian, with a mark.
    Utf16Le,
    /// UTF-16, big-endian, with a mark.
    Utf16Be,
    /// Not Unicode: one byte is one character.
    SingleByte,
}

/// The lines of one file.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineIndex {
    /// Offset of the first byte of each line in the decoded text.
    starts: Vec<u32>,
    /// Offsets and byte lengths of all characters of more than one byte.
    wide: Vec<(u32, u8)>,
    encoding: Encoding,
}

impl LineIndex {
    /// Scans a decoded text once.
    pub fn new(text: &str, encoding: Encoding) -> Self {
        let bytes = text.as_bytes();
        let mut starts = vec![0];
        starts.extend(memchr::memchr_iter(b'\n', bytes).map(|at| at as u32 + 1));
        let mut wide = Vec::new();
        if !text.is_ascii() {
            for (at, c) in text.char_indices().filter(|(_, c)| !c.is_ascii()) {
                wide.push((at as u32, c.len_utf8() as u8));
            }
        }
        starts.shrink_to_fit();
        wide.shrink_to_fit();
        Self { starts, wide, encoding }
    }

    /// The number of lines; a text that ends with a line end has no empty last line.
    pub fn count(&self, text_len: usize) -> u32 {
        let n = self.starts.len() as u32;
        if self.starts.last().is_some_and(|&s| s as usize == text_len) { n - 1 } else { n }
    }

    /// Line and column of an offset, both counted from 1, the column in Unicode scalar values.
    pub fn line_column(&self, offset: u32) -> (u32, u32) {
        let line = self.starts.partition_point(|&s| s <= offset).max(1) - 1;
        let start = self.starts[line];
        let surplus: u32 = self.wide_between(start, offset).iter().map(|&(_, len)| u32::from(len) - 1).sum();
        (line as u32 + 1, offset - start - surplus + 1)
    }

    /// The offset of the first byte of a line, counted from 1.
    pub fn line_start(&self, line: u32) -> Option<u32> {
        self.starts.get(line.checked_sub(1)? as usize).copied()
    }

    /// The bytes on disk that a span of the decoded text stands for.
    pub fn on_disk(&self, span: Span) -> Span {
        Span { start: self.disk_offset(span.start), end: self.disk_offset(span.end) }
    }

    fn disk_offset(&self, offset: u32) -> u32 {
        match self.encoding {
            Encoding::Utf8 => offset,
            Encoding::Utf8Mark => offset + 3,
            Encoding::SingleByte => offset - self.surplus(offset, |len| len - 1),
            // two bytes a unit; a character of four bytes is a pair of units
            Encoding::Utf16Le | Encoding::Utf16Be => {
                let units = offset - self.surplus(offset, |len| if len == 4 { 2 } else { len - 1 });
                2 + units * 2
            }
        }
    }

    fn surplus(&self, offset: u32, of: impl Fn(u32) -> u32) -> u32 {
        self.wide_between(0, offset).iter().map(|&(_, len)| of(u32::from(len))).sum()
    }

    fn wide_between(&self, start: u32, end: u32) -> &[(u32, u8)] {
        let from = self.wide.partition_point(|&(at, _)| at < start);
        let to = self.wide.partition_point(|&(at, _)| at < end);
        &self.wide[from..to.max(from)]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_count_characters() {
        let index = LineIndex::new("a\näö x\n", Encoding::Utf8);
        assert_eq!(index.line_column(0), (1, 1));
        assert_eq!(index.line_column(2), (2, 1));
        assert_eq!(index.line_column(7), (2, 4));
        assert_eq!(index.count(9), 2);
    }

    #[test]
    fn offsets_on_disk_follow_the_encoding() {
        let text = "ä🚢x";
        let last = Span { start: 6, end: 7 };
        assert_eq!(LineIndex::new(text, Encoding::Utf8Mark).on_disk(last), Span { start: 9, end: 10 });
        assert_eq!(LineIndex::new(text, Encoding::Utf16Le).on_disk(last), Span { start: 8, end: 10 });
        assert_eq!(LineIndex::new("äx", Encoding::SingleByte).on_disk(Span { start: 2, end: 3 }), Span { start: 1, end: 2 });
    }
}
