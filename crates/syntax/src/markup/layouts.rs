//! Layouts of screens: the methods that they name as handlers.

use yarrowgraph_ir::{Language, Unit};

use super::xml::{self, Met};
use super::{mention_all, xml::local};

pub(super) fn lower(path: &str, text: &str) -> Unit {
    let mut unit = Unit::new(Language::Java, path);
    let error = xml::walk(text, &mut |met| {
        let Met::Open { attributes, .. } = met else { return };
        for a in attributes {
            // a handler, or an expression that binds one
            if local(a.name).starts_with("on") || a.value.starts_with("@{") {
                mention_all(&mut unit, a.value);
            }
        }
    });
    unit.errors.extend(error);
    unit
}
