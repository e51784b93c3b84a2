//! The types that take part in the wiring as a class diagram: their roles, the members that carry them, and how they are tied.

use std::collections::BTreeMap;
use std::io::{self, Write};

use yarrowgraph_model::{How, Map};

use crate::chart::dot::quoted;

/// A type of the diagram.
struct Class<'m> {
    name: String,
    roles: &'m [String],
    members: Vec<String>,
}

fn classes(map: &Map) -> BTreeMap<&str, Class<'_>> {
    let mut found: BTreeMap<&str, Class<'_>> = map
        .types
        .iter()
        .map(|t| (t.id.as_str(), Class { name: t.id.rsplit('.').next().unwrap_or(&t.id).to_owned(), roles: &t.roles, members: Vec::new() }))
        .collect();
    let mut add = |id: &str| {
        if let Some((owner, member)) = id.rsplit_once('.')
            && let Some(class) = found.get_mut(owner)
            && !class.members.iter().any(|m| m == member)
        {
            class.members.push(member.to_owned());
        }
    };
    map.channels.iter().for_each(|c| add(&c.id));
    map.invokers.iter().for_each(|i| add(&i.id));
    map.machines.iter().for_each(|m| add(&m.id));
    map.mediators.iter().for_each(|m| add(&m.roster));
    map.chains.iter().for_each(|c| add(c.id.split('~').next().unwrap_or(&c.id)));
    map.commands.iter().for_each(|c| add(&format!("{}.{}", c.id, c.operation)));
    for s in map.channels.iter().flat_map(|c| &c.subscriptions) {
        add(&s.handler);
    }
    found
}

/// How one type is tied to another in the diagram: the strongest of the ways that it knows it.
fn tie(how: &[How]) -> How {
    for strongest in [How::Extends, How::Holds, How::Creates, How::Calls] {
        if how.contains(&strongest) {
            return strongest;
        }
    }
    How::Names
}

/// Writes a class diagram in Mermaid's language.
///
/// # Errors
///
/// When nothing can be written.
pub fn write_mermaid(out: &mut dyn Write, map: &Map) -> io::Result<()> {
    let classes = classes(map);
    let ids: BTreeMap<&str, String> = classes.keys().enumerate().map(|(i, id)| (*id, format!("c{i}"))).collect();
    writeln!(out, "classDiagram")?;
    for (id, class) in &classes {
        writeln!(out, "  class {}[\"{}\"] {{", ids[id], plain(&class.name))?;
        writeln!(out, "    <<{}>>", class.roles.join(" "))?;
        for member in &class.members {
            writeln!(out, "    {}", plain(member))?;
        }
        writeln!(out, "  }}")?;
    }
    for t in &map.types {
        for k in t.knows.iter().filter(|k| ids.contains_key(k.class.as_str())) {
            let (from, to) = (&ids[t.id.as_str()], &ids[k.class.as_str()]);
            match tie(&k.how) {
                How::Extends => writeln!(out, "  {to} <|-- {from}")?,
                How::Holds => writeln!(out, "  {from} --> {to} : holds")?,
                How::Creates => writeln!(out, "  {from} ..> {to} : creates")?,
                How::Calls => writeln!(out, "  {from} ..> {to} : calls")?,
                How::Names => writeln!(out, "  {from} ..> {to}")?,
            }
        }
    }
    Ok(())
}

/// Writes a class diagram in the DOT language.
///
/// # Errors
///
/// When nothing can be written.
pub fn write_dot(out: &mut dyn Write, map: &Map) -> io::Result<()> {
    let classes = classes(map);
    writeln!(out, "digraph wiring {{")?;
    writeln!(out, "  rankdir=LR;")?;
    writeln!(out, "  node [shape=record, fontname=\"sans-serif\", fontsize=11];")?;
    writeln!(out, "  edge [fontname=\"sans-serif\", fontsize=10];")?;
    for (id, class) in &classes {
        let members: String = class.members.iter().map(|m| format!("{}\\l", record(m))).collect();
        let label = format!("{{{}|{}|{members}}}", record(&class.name), record(&class.roles.join(", ")));
        writeln!(out, "  {} [label=\"{label}\"];", quoted(id))?;
    }
    for t in &map.types {
        for k in t.knows.iter().filter(|k| classes.contains_key(k.class.as_str())) {
            let style = match tie(&k.how) {
                How::Extends => "arrowhead=empty",
                How::Holds => "label=holds",
                How::Creates => "style=dashed, label=creates",
                How::Calls => "style=dashed, label=calls",
                How::Names => "style=dotted",
            };
            writeln!(out, "  {} -> {} [{style}];", quoted(&t.id), quoted(&k.class))?;
        }
    }
    writeln!(out, "}}")
}

fn plain(text: &str) -> String {
    text.chars().filter(|c| c.is_alphanumeric() || matches!(c, '_' | '#' | '~' | '(' | ')' | '.' | ',' | ' ')).collect()
}

/// A text as a field of a record holds it.
fn record(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars().filter(|c| !c.is_control()) {
        if matches!(c, '{' | '}' | '|' | '<' | '>' | '"' | '\\' | ' ') {
            out.push('\\');
        }
        out.push(c);
    }
    out
}
