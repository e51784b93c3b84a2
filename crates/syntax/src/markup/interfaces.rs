//! Interface files of toolkits (`.ui`): the connections that they list, and the handlers that they name.

use yarrowgraph_ir::{Language, Span, Unit};

use super::written::Written;
use super::xml::{self, Met};
use super::{is_name, mention, mention_all};
use crate::cpp;
use crate::parse::Unread;

/// A connection: sender, signal, receiver, slot.
#[derive(Default)]
struct Connection<'t> {
    sender: &'t str,
    signal: &'t str,
    receiver: &'t str,
    slot: &'t str,
    span: Span,
}

pub(super) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    let mut form = Form::default();
    let error = xml::walk(text, &mut |met| form.meet(met));
    let mut unit = Written::lower(form.written(), Language::Cpp, path, cpp::lower)?;
    unit.errors.extend(error);
    for word in form.mentioned {
        mention_all(&mut unit, word);
    }
    for connection in &form.connections {
        mention(&mut unit, method(connection.slot));
    }
    Ok(unit)
}

#[derive(Default)]
struct Form<'t> {
    class: Option<(&'t str, Span)>,
    /// The elements that are open.
    open: Vec<&'t str>,
    /// Widgets and actions: type and name.
    parts: Vec<(&'t str, &'t str, Span)>,
    connections: Vec<Connection<'t>>,
    mentioned: Vec<&'t str>,
}

impl<'t> Form<'t> {
    fn meet(&mut self, met: Met<'t>) {
        match met {
            Met::Open { name, attributes, span } => {
                let of = |wanted: &str| attributes.iter().find(|a| a.name == wanted).map(|a| a.value);
                match name {
                    "widget" | "action" | "actiongroup" | "layout" | "buttongroup" => {
                        let ty = of("class").unwrap_or(if name == "action" { "QAction" } else { "QActionGroup" });
                        if let Some(part) = of("name").filter(|n| is_name(n)) {
                            self.parts.push((ty, part, span));
                        }
                    }
                    "connection" => self.connections.push(Connection { span, ..Connection::default() }),
                    // another toolkit's way
                    "signal" => self.mentioned.extend(of("handler")),
                    _ => {}
                }
                self.open.push(name);
            }
            Met::Close => _ = self.open.pop(),
            Met::Text(words, span) => {
                let words = words.trim();
                match (&self.open[..], self.connections.last_mut()) {
                    ([.., "ui", "class"], _) if is_name(words) => self.class = Some((words, span)),
                    ([.., "connection", "sender"], Some(c)) => c.sender = words,
                    ([.., "connection", "signal"], Some(c)) => (c.signal, c.span) = (words, span),
                    ([.., "connection", "receiver"], Some(c)) => c.receiver = words,
                    ([.., "connection", "slot"], Some(c)) => (c.slot, c.span) = (words, Span { start: c.span.start, end: span.end }),
                    _ => {}
                }
            }
        }
    }

    /// The class that the toolkit's compiler would write.
    fn written(&self) -> Option<Written> {
        let (class, span) = self.class?;
        let mut w = Written::default();
        w.add(span, format_args!("class Ui_{class} {{ public:\n"));
        let parts = self.parts.iter().filter(|(_, name, _)| *name != class);
        for (ty, name, span) in parts.filter(|(ty, ..)| ty.split("::").all(is_name)) {
            w.add(*span, format_args!("{ty} *{name} = new {ty}();\n"));
        }
        w.add(span, format_args!("void setupUi(::{class} *{class}) {{\n"));
        for c in self.connections.iter().filter(|c| is_name(c.sender) && is_name(c.receiver) && is_call(c.signal) && is_call(c.slot)) {
            let (sender, signal, receiver, slot) = (c.sender, c.signal, c.receiver, c.slot);
            w.add(c.span, format_args!("connect({sender}, SIGNAL({signal}), {receiver}, SLOT({slot}));\n"));
        }
        w.add(span, format_args!("}} }};\nnamespace Ui {{ class {class} : public Ui_{class} {{}}; }}\n"));
        Some(w)
    }
}

/// Whether a text is the signature of a signal or slot.
fn is_call(text: &str) -> bool {
    is_name(method(text)) && text.ends_with(')') && !text.contains([';', '{', '"'])
}

fn method(signature: &str) -> &str {
    signature.split('(').next().unwrap_or(signature)
}
