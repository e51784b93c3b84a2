//! Results that hold on although files were changed: where a file's facts are what they were but for where things stand (a
//! comment, a blank line, plain data), so is all that follows from them. The places in a kept result are moved to where
//! things stand now.

use std::collections::{BTreeMap, HashMap};
use std::ops::Bound;

use memchr::memmem;
use yarrowgraph_ir::{Facts, LineIndex, Span};
use yarrowgraph_model::Place;

/// Where what stood in a file stands now.
#[derive(Debug)]
pub(super) struct Moved {
    /// What a place in the file begins with, as JSON.
    mark: Vec<u8>,
    /// For each first byte on disk where it is now.
    starts: HashMap<u32, Point>,
    /// For each byte behind the last one where it was, and where it is now.
    ends: BTreeMap<u32, (Point, Point)>,
    /// For each type, by the first byte of its name, how many lines it takes now and took before.
    lines: HashMap<u32, (u32, u32)>,
    /// How many lines the file has more.
    pub(super) more_lines: i64,
}

/// A byte on disk, with its line and column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Point {
    byte: u32,
    line: u32,
    column: u32,
}

impl Point {
    fn of(byte: u32, offset: u32, lines: &LineIndex) -> Self {
        let (line, column) = lines.line_column(offset);
        Self { byte, line, column }
    }
}

impl Moved {
    /// Compares two versions of a file; nothing where they differ in more than in where things stand, or where what
    /// is said of the file depends on more than that.
    pub(super) fn between(mut old: Facts, mut new: Facts) -> Option<Self> {
        // comments that accept findings mean a line, and what could not be read is reported
        if !old.unit.errors.is_empty() || !new.unit.errors.is_empty() || !new.unit.accepts.is_empty() {
            return None;
        }
        let mark = format!("{{\"file\":{},\"line\":", serde_json::to_string(&new.unit.path).ok()?).into_bytes();
        let more_lines = i64::from(new.unit.line_count) - i64::from(old.unit.line_count);
        let spans: Vec<(Span, Span)> = old.unit.types.iter().zip(&new.unit.types).map(|(a, b)| (a.span, b.span)).collect();
        let names: Vec<Span> = old.unit.types.iter().map(|t| t.name_span).collect();
        let is_apart: Vec<bool> = old.unit.types.iter().map(|t| t.modifiers.is_partial || t.outline).collect();
        let ((before, old_lines), (after, new_lines)) = (old.take_spans(), new.take_spans());
        if postcard::to_allocvec(&old).ok()? != postcard::to_allocvec(&new).ok()? {
            return None;
        }
        let (mut starts, mut ends) = (HashMap::new(), BTreeMap::new());
        for (a, b) in before.iter().zip(&after) {
            let (from, to) = (old_lines.on_disk(*a), new_lines.on_disk(*b));
            let start = Point::of(to.start, b.start, &new_lines);
            let end = (Point::of(from.end, a.end, &old_lines), Point::of(to.end, b.end, &new_lines));
            // two things that stood in one place and do so no more cannot be told apart
            if *starts.entry(from.start).or_insert(start) != start || *ends.entry(from.end).or_insert(end) != end {
                return None;
            }
        }
        let mut lines = HashMap::new();
        for ((name, (a, b)), is_apart) in names.iter().zip(spans).zip(is_apart) {
            let (was, is) = (extent(&old_lines, a), extent(&new_lines, b));
            // its lines may be counted together with those in other files
            if was != is && is_apart {
                return None;
            }
            lines.insert(old_lines.on_disk(*name).start, (is, was));
        }
        Some(Self { mark, starts, ends, lines, more_lines })
    }

    /// A text of JSON with the places in the file moved; nothing where one of them is not known.
    pub(super) fn apply(&self, text: &[u8]) -> Option<Vec<u8>> {
        const LINES: &[u8] = b",\"lines\":";
        let mut out = Vec::with_capacity(text.len() + text.len() / 64);
        let mut done = 0;
        for at in memmem::find_iter(text, &self.mark) {
            let length = memchr::memchr(b'}', &text[at..])? + 1;
            let place: Place = serde_json::from_slice(&text[at..at + length]).ok()?;
            let (start, (_, end)) = (self.start(&place)?, self.ends.get(&place.end)?);
            let moved = Place { file: place.file.clone(), line: start.line, column: start.column, start: start.byte, end: end.byte };
            out.extend_from_slice(&text[done..at]);
            serde_json::to_writer(&mut out, &moved).ok()?;
            done = at + length;
            // a type with the number of its lines
            if let Some(rest) = text[done..].strip_prefix(LINES) {
                let digits = rest.iter().take_while(|b| b.is_ascii_digit()).count();
                let known: u32 = std::str::from_utf8(&rest[..digits]).ok()?.parse().ok()?;
                let (is, was) = *self.lines.get(&place.start)?;
                // counted together with what stands elsewhere
                if known != was {
                    return None;
                }
                out.extend_from_slice(LINES);
                out.extend_from_slice(is.to_string().as_bytes());
                done += LINES.len() + digits;
            }
        }
        out.extend_from_slice(&text[done..]);
        Some(out)
    }

    /// Where a place begins now. One that begins where nothing else does begins with the last name in something.
    fn start(&self, place: &Place) -> Option<Point> {
        if let Some(start) = self.starts.get(&place.start) {
            return Some(*start);
        }
        let (_, (was, is)) = self.ends.range((Bound::Excluded(place.start), Bound::Unbounded)).next()?;
        let (bytes, columns) = (was.byte - place.start, was.column.checked_sub(place.column)?);
        (was.line == place.line).then_some(Point {
            byte: is.byte.checked_sub(bytes)?,
            line: is.line,
            column: is.column.checked_sub(columns)?,
        })
    }
}

/// How many lines a stretch takes.
fn extent(lines: &LineIndex, span: Span) -> u32 {
    lines.line_column(span.end).0 - lines.line_column(span.start).0 + 1
}

#[cfg(test)]
mod tests {
    use super::*;
    use yarrowgraph_ir::{Language, facts};

    const GATE: &str = "class Gate {\n  Runnable up;\n  void raise() { up.run(); }\n}\n";

    fn read(text: &str) -> Facts {
        facts::distill(yarrowgraph_syntax::read(Language::Java, "Gate.java", text.as_bytes()).expect("it can be read"))
    }

    /// The place of the only `run` in a text, as JSON.
    fn run(text: &str) -> String {
        let start = text.find("run").expect("it is there");
        let (before, line) = (&text[..start], text[..start].matches('\n').count() + 1);
        let column = start - before.rfind('\n').map_or(0, |n| n + 1) + 1;
        format!("{{\"file\":\"Gate.java\",\"line\":{line},\"column\":{column},\"start\":{start},\"end\":{}}}", start + "run()".len())
    }

    fn moved(new: &str) -> Option<String> {
        let moved = Moved::between(read(GATE), read(new))?.apply(run(GATE).as_bytes())?;
        Some(String::from_utf8(moved).expect("UTF-8"))
    }

    #[test]
    fn places_go_where_things_stand_now() {
        for new in [
            GATE.to_owned(),
            format!("// the upper gate\n{GATE}"),
            format!("{GATE}// so\n"),
            GATE.replace("Runnable up", "/* its\n drive */ Runnable up"),
            GATE.replace("{ up", "{\n\n      up"),
            GATE.replace("up.run", "up . run"),
        ] {
            assert_eq!(moved(&new).as_deref(), Some(run(&new).as_str()), "{new}");
        }
    }

    #[test]
    fn the_lines_of_a_type_are_counted_anew() {
        let new = GATE.replace("{\n  Runnable", "{\n\n  Runnable");
        let entry = |lines: u32| format!("{{\"file\":\"Gate.java\",\"line\":1,\"column\":7,\"start\":6,\"end\":10}},\"lines\":{lines}");
        let between = Moved::between(read(GATE), read(&new)).expect("nothing else differs");
        assert_eq!(between.apply(entry(4).as_bytes()), Some(entry(5).into_bytes()));
        // counted together with another part of it
        assert_eq!(between.apply(entry(9).as_bytes()), None);
        assert_eq!(between.more_lines, 1);
    }

    #[test]
    fn what_differs_otherwise_is_analysed_anew() {
        assert!(moved(&GATE.replace("up.run()", "up.run(); up.run()")).is_none());
        assert!(moved(&GATE.replace("raise", "lower")).is_none());
        assert!(moved(&GATE.replace("up.run()", "up.run(")).is_none());
        let accepted = GATE.replace("void", "// yarrowgraph: accept leaked-subscription because it is closed\n  void");
        assert_eq!(read(&accepted).unit.accepts.len(), 1);
        assert!(moved(&accepted).is_none());
    }

    #[test]
    fn a_place_that_is_not_known_is_not_guessed() {
        let between = Moved::between(read(GATE), read(&format!("\n{GATE}"))).expect("nothing else differs");
        let nowhere = "{\"file\":\"Gate.java\",\"line\":9,\"column\":7,\"start\":600,\"end\":700}";
        assert_eq!(between.apply(nowhere.as_bytes()), None);
        let elsewhere = nowhere.replace("Gate", "Weir");
        assert_eq!(between.apply(elsewhere.as_bytes()), Some(elsewhere.clone().into_bytes()));
    }
}
