//! Documents of objects that are bound to those of C++: what they name of these, and the signals that they handle (`onRose`).

use yarrowgraph_ir::{Language, Unit};

use super::{is_name, mention};

pub(super) fn lower(path: &str, text: &str) -> Unit {
    let mut unit = Unit::new(Language::Cpp, path);
    let words =
        text.lines().filter(|l| !l.trim_start().starts_with("//")).flat_map(|l| l.split(|c: char| !(c.is_alphanumeric() || c == '_')));
    for word in words.filter(|w| is_name(w)) {
        mention(&mut unit, word);
        // the handler of a signal is named for it
        let mut handled = word.strip_prefix("on").unwrap_or("").chars();
        if let Some(first) = handled.next().filter(|c| c.is_uppercase()) {
            mention(&mut unit, &first.to_lowercase().chain(handled).collect::<String>());
        }
    }
    unit
}
