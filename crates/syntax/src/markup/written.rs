//! Markup written out as code, with the place in the markup of every piece.

use std::fmt::Write;

use yarrowgraph_ir::{Annotation, Language, LineIndex, Span, Unit};

use crate::parse::Unread;

/// Code that stands for markup.
#[derive(Debug, Default)]
pub(super) struct Written {
    /// The code.
    code: String,
    /// Where pieces of it end, and what they stand for.
    pieces: Vec<(u32, Span)>,
}

impl Written {
    /// Adds a piece of code that stands for a stretch of the markup.
    pub(super) fn add(&mut self, span: Span, code: std::fmt::Arguments<'_>) {
        // writing to a text cannot fail
        let _ = self.code.write_fmt(code);
        self.pieces.push((self.code.len() as u32, span));
    }

    /// Reads the code with the front end of its language, and puts every place back into the markup; a file for which no
    /// code stands is an empty unit.
    pub(super) fn lower(
        written: Option<Self>,
        language: Language,
        path: &str,
        front_end: fn(&str, &str) -> Result<Unit, Unread>,
    ) -> Result<Unit, Unread> {
        let Some(written) = written else { return Ok(Unit::new(language, path)) };
        let mut unit = front_end(path, &written.code)?;
        written.put_back(&mut unit);
        Ok(unit)
    }

    /// Puts the places of a unit that was read from the code back into the markup.
    fn put_back(&self, unit: &mut Unit) {
        let at = |byte: u32| {
            let piece = self.pieces.partition_point(|(end, _)| *end <= byte);
            self.pieces.get(piece).or(self.pieces.last()).map_or(Span::default(), |(_, span)| *span)
        };
        let back = |span: Span| Span { start: at(span.start).start, end: at(span.end.saturating_sub(1).max(span.start)).end };
        let annotations = |list: &mut [Annotation]| list.iter_mut().for_each(|a| a.span = back(a.span));
        for ty in &mut unit.types {
            (ty.name_span, ty.span) = (back(ty.name_span), back(ty.span));
            annotations(&mut ty.annotations);
        }
        for member in &mut unit.members {
            (member.name_span, member.span) = (back(member.name_span), back(member.span));
            annotations(&mut member.annotations);
            for param in &mut member.params {
                param.name_span = back(param.name_span);
            }
            let Some(body) = &mut member.body else { continue };
            let spans: Vec<Span> = (0..body.nodes.len()).map(|n| back(body.span(yarrowgraph_ir::NodeId::new(n)))).collect();
            (body.spans, body.origin) = (spans, 0);
        }
        unit.errors.clear();
        unit.unread.clear();
        unit.lines = LineIndex::default();
    }
}
