//! Lists of the classes that serve an interface: a loader makes one of each.

use yarrowgraph_ir::{Language, Span, Unit};

use super::is_name;
use super::written::Written;
use crate::java;
use crate::parse::Unread;

pub(super) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    let mut w = Written::default();
    let interface: String = path.rsplit(['/', '.']).next().unwrap_or(path).chars().filter(|c| c.is_alphanumeric()).collect();
    w.add(Span::default(), format_args!("final class {interface}_services {{ static void load() {{\n"));
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let class = line.split('#').next().unwrap_or_default().trim();
        if !class.is_empty() && class.split(['.', '$']).all(is_name) {
            let span = Span { start: at, end: at + line.trim_end().len() as u32 };
            w.add(span, format_args!("register(new {}());\n", class.replace('$', ".")));
        }
        at += line.len() as u32;
    }
    w.add(Span::default(), format_args!("}} }}\n"));
    Written::lower(Some(w), Language::Java, path, java::lower)
}
