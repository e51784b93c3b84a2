//! Views of controllers of Java (FXML): attributes that name handlers are what the loader puts on.

use yarrowgraph_ir::{Language, Span, Unit};

use super::written::Written;
use super::xml::{self, Met};
use super::{is_name, mention};
use crate::java;
use crate::parse::Unread;

pub(super) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    let mut controller: Option<(&str, Span)> = None;
    let mut handlers: Vec<(&str, Option<&str>, &str, &str, Span)> = Vec::new();
    let mut mentioned = Vec::new();
    let error = xml::walk(text, &mut |met| {
        let Met::Open { name, attributes, .. } = met else { return };
        let of = |wanted: &str| attributes.iter().find(|a| a.name == wanted);
        if let Some(a) = of("fx:controller").filter(|a| a.value.split('.').all(is_name)) {
            controller = controller.or(Some((a.value, a.span)));
        }
        let id = of("fx:id").map(|a| a.value).filter(|id| is_name(id));
        mentioned.extend(id);
        for a in &attributes {
            if let Some(handler) = a.value.strip_prefix('#').filter(|h| is_name(h))
                && is_name(a.name)
                && is_name(name)
            {
                handlers.push((name, id, a.name, handler, a.span));
                mentioned.push(handler);
            }
        }
    });
    let code = controller.map(|(class, span)| written(class, span, &handlers, path));
    let mut unit = Written::lower(code, Language::Java, path, java::lower)?;
    unit.errors.extend(error);
    mentioned.into_iter().for_each(|word| mention(&mut unit, word));
    Ok(unit)
}

/// What the loader does: makes the controller, and puts its methods on what it has made.
fn written(class: &str, span: Span, handlers: &[(&str, Option<&str>, &str, &str, Span)], path: &str) -> Written {
    let mut w = Written::default();
    let (package, name) = class.rsplit_once('.').unwrap_or(("", class));
    if !package.is_empty() {
        w.add(span, format_args!("package {package};\n"));
    }
    let file = path.rsplit('/').next().unwrap_or(path);
    let view: String = file.trim_end_matches(".fxml").chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
    w.add(span, format_args!("final class {view}_fxml {{ static void load() {{ final {name} controller = new {name}();\n"));
    for (element, id, event, handler, span) in handlers {
        let setter = format!("set{}{}", event[..1].to_uppercase(), &event[1..]);
        match id {
            Some(id) => w.add(*span, format_args!("controller.{id}.{setter}(controller::{handler});\n")),
            None => w.add(*span, format_args!("new {element}().{setter}(controller::{handler});\n")),
        }
    }
    w.add(span, format_args!("}} }}\n"));
    w
}
