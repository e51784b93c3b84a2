//! Elements and attributes of XML with their places.

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use yarrowgraph_ir::Span;

/// An attribute.
#[derive(Clone, Copy, Debug)]
pub(super) struct Attribute<'t> {
    /// Its name with its prefix.
    pub(super) name: &'t str,
    /// Its value as it is written.
    pub(super) value: &'t str,
    /// Both.
    pub(super) span: Span,
}

/// What is met on the way through a document.
#[derive(Debug)]
pub(super) enum Met<'t> {
    /// An element begins.
    Open {
        /// Its name with its prefix.
        name: &'t str,
        /// Its attributes.
        attributes: Vec<Attribute<'t>>,
        /// Its tag.
        span: Span,
    },
    /// Text.
    Text(&'t str, Span),
    /// An element ends.
    Close,
}

/// Goes through a document; gives the place where it could not be read any further.
pub(super) fn walk<'t>(text: &'t str, met: &mut dyn FnMut(Met<'t>)) -> Option<Span> {
    let mut reader = Reader::from_str(text);
    let config = reader.config_mut();
    // a page need not be well-formed
    config.check_end_names = false;
    config.allow_unmatched_ends = true;
    loop {
        match reader.read_event() {
            Ok(Event::Start(tag)) => met(open(text, &tag)),
            Ok(Event::Empty(tag)) => {
                let opened = open(text, &tag);
                met(opened);
                met(Met::Close);
            }
            Ok(Event::End(_)) => met(Met::Close),
            Ok(Event::Text(words)) => met(Met::Text(part(text, &words), span_of(text, &words))),
            Ok(Event::Eof) => return None,
            Ok(_) => {}
            Err(_) => {
                let at = reader.error_position() as u32;
                return Some(Span { start: at, end: (at + 1).min(text.len() as u32).max(at) });
            }
        }
    }
}

fn open<'t>(text: &'t str, tag: &BytesStart<'_>) -> Met<'t> {
    let span = span_of(text, tag);
    let attribute = |a: quick_xml::events::attributes::Attribute<'_>| {
        let (key, value) = (span_of(text, a.key.as_ref()), span_of(text, &a.value));
        let end = if value.end >= value.start && value.end > 0 { (value.end + 1).min(text.len() as u32) } else { key.end };
        Attribute { name: part(text, a.key.as_ref()), value: part(text, &a.value), span: Span { start: key.start, end: end.max(key.end) } }
    };
    let attributes = tag.html_attributes().with_checks(false).flatten().map(attribute).collect();
    Met::Open { name: part(text, tag.name().as_ref()), attributes, span }
}

/// Where a part of the text is; the reader hands out parts of what it reads.
fn span_of(text: &str, part: &[u8]) -> Span {
    let at = (part.as_ptr() as usize).wrapping_sub(text.as_ptr() as usize);
    if at > text.len() { Span::default() } else { Span { start: at as u32, end: (at + part.len()).min(text.len()) as u32 } }
}

fn part<'t>(text: &'t str, bytes: &[u8]) -> &'t str {
    let span = span_of(text, bytes);
    text.get(span.start as usize..span.end as usize).unwrap_or_default()
}

/// A name without its prefix.
pub(super) fn local(name: &str) -> &str {
    name.rsplit_once(':').map_or(name, |(_, local)| local)
}
