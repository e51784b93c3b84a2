//! Views of classes of C# (XAML): attributes that name handlers are what `InitializeComponent` puts on.

use yarrowgraph_ir::{Language, Span, Unit};

use super::written::Written;
use super::xml::{self, Attribute, Met};
use super::{is_name, mention, mention_all};
use crate::csharp;
use crate::parse::Unread;

/// How names of events begin or end, among the attributes of a platform's own elements.
const EVENTS: [&str; 22] = [
    "Click",
    "Changed",
    "Changing",
    "Loaded",
    "Closed",
    "Closing",
    "Opened",
    "Opening",
    "Down",
    "Up",
    "Enter",
    "Leave",
    "Move",
    "Wheel",
    "Focus",
    "Drop",
    "Over",
    "Executed",
    "Checked",
    "Tapped",
    "Completed",
    "Pressed",
];

/// Attributes whose value is a text, whatever it looks like.
const TEXTS: [&str; 10] = ["Name", "Content", "Text", "Title", "Header", "Tag", "ToolTip", "Style", "Uid", "Key"];

pub(super) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    let mut view = View::default();
    let mut mentioned = Vec::new();
    let error = xml::walk(text, &mut |met| {
        if let Met::Open { name, attributes, span } = met {
            let says = |a: &&Attribute<'_>| !a.name.starts_with("xmlns") && (a.value.starts_with('{') || !TEXTS.contains(&a.name));
            mentioned.extend(attributes.iter().filter(says).flat_map(|a| [a.name, a.value]));
            view.element(name, &attributes, span);
        }
    });
    let mut unit = Written::lower(view.written(), Language::CSharp, path, csharp::lower)?;
    unit.errors.extend(error);
    for word in mentioned {
        let word = word.trim();
        match word.strip_prefix('{') {
            Some(binding) => mention_all(&mut unit, binding),
            None if is_name(word) => mention(&mut unit, word),
            None => {}
        }
    }
    Ok(unit)
}

#[derive(Default)]
struct View<'t> {
    /// The class, with its namespace, and where it is named.
    class: Option<(&'t str, Span)>,
    /// Elements with a name: type and name.
    parts: Vec<(&'t str, &'t str, Span)>,
    /// Handlers: what they are put on, the event, the handler.
    handlers: Vec<(String, &'t str, &'t str, Span)>,
}

impl<'t> View<'t> {
    fn element(&mut self, name: &'t str, attributes: &[Attribute<'t>], span: Span) {
        let of = |wanted: &str| attributes.iter().find(|a| a.name == wanted);
        if self.class.is_none()
            && let Some(class) = of("x:Class")
        {
            self.class = Some((class.value, class.span));
        }
        let ty = xml::local(name);
        let own = name.contains(':') && !name.starts_with("x:");
        let part = of("x:Name").or(of("Name")).filter(|a| is_name(a.value));
        let object = match part {
            // the root is the view itself
            _ if of("x:Class").is_some() => "this".to_owned(),
            Some(part) => {
                self.parts.push((ty, part.value, span));
                format!("this.{}", part.value)
            }
            None => format!("new {ty}()"),
        };
        for a in attributes {
            let event = a.name.rsplit('.').next().unwrap_or(a.name);
            let named = !a.name.contains(':') && is_name(a.value) && is_name(event) && is_name(ty) && !TEXTS.contains(&event);
            if named && (own || EVENTS.iter().any(|e| event.starts_with(e) || event.ends_with(e))) {
                self.handlers.push((object.clone(), event, a.value, a.span));
            }
        }
    }

    /// The other part of the class, as the platform's compiler would write it.
    fn written(&self) -> Option<Written> {
        let (class, span) = self.class?;
        let mut w = Written::default();
        let (namespace, name) = class.rsplit_once('.').unwrap_or(("", class));
        if !class.split('.').all(is_name) {
            return None;
        }
        let (open, close) = if namespace.is_empty() { (String::new(), "") } else { (format!("namespace {namespace} {{ "), "}") };
        w.add(span, format_args!("{open}public partial class {name} {{\n"));
        for (ty, name, span) in &self.parts {
            w.add(*span, format_args!("internal {ty} {name} = new {ty}();\n"));
        }
        w.add(span, format_args!("void InitializeComponent() {{\n"));
        for (object, event, handler, span) in &self.handlers {
            w.add(*span, format_args!("{object}.{event} += this.{handler};\n"));
        }
        w.add(span, format_args!("}} }} {close}\n"));
        Some(w)
    }
}
