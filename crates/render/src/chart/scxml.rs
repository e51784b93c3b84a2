//! Machines as State Chart XML (W3C Recommendation of 1 September 2015), written and read.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};

use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, Event};
use quick_xml::{Reader, Writer};

use super::{Chart, Edge};

/// The namespace of the elements.
const SCXML: &str = "http://www.w3.org/2005/07/scxml";
/// The namespace of what the standard has no place for: conditions as the code has them, and names that are no ids.
const OWN: &str = "urn:yarrowgraph:chart";
/// The state of a machine that nothing sets at first.
pub const UNSET: &str = "unset";

/// Writes a chart.
///
/// Conditions are kept as attributes of our own, since they are expressions of the code's language and not of a data
/// model; transitions stand in the order of the code.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, chart: &Chart) -> io::Result<()> {
    let mut text: Vec<u8> = Vec::new();
    document(&mut text, chart)?;
    out.write_all(&text)?;
    writeln!(out)
}

fn document(out: &mut Vec<u8>, chart: &Chart) -> io::Result<()> {
    let mut w = Writer::new_with_indent(out, b' ', 2);
    w.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let ids = ids(chart);
    let id = |s: &str| ids.get(s).cloned().unwrap_or_else(|| ncname(s));
    let mut root = BytesStart::new("scxml");
    root.push_attribute(("xmlns", SCXML));
    root.push_attribute(("xmlns:yg", OWN));
    root.push_attribute(("version", "1.0"));
    root.push_attribute(("datamodel", "null"));
    root.push_attribute(("name", ncname(&chart.name).as_str()));
    let first = chart.initial.first().map_or_else(|| UNSET.to_owned(), |s| id(s));
    root.push_attribute(("initial", first.as_str()));
    w.write_event(Event::Start(root))?;
    if chart.initial.is_empty() {
        // what leads somewhere whatever it is in leads there from nowhere, too
        let all = |e: &&Edge| chart.states.iter().all(|s| chart.edges.iter().any(|o| o.from == *s && o.event == e.event && o.to == e.to));
        let mut seen = BTreeSet::new();
        let ways: Vec<&Edge> = chart.edges.iter().filter(all).filter(|e| seen.insert((&e.event, &e.to))).collect();
        element(&mut w, "state", UNSET, "", &ways, &id)?;
    }
    for state in &chart.states {
        let ways: Vec<&Edge> = chart.edges.iter().filter(|e| e.from == *state).collect();
        let kind = if chart.finals.contains(state) && ways.is_empty() { "final" } else { "state" };
        element(&mut w, kind, &id(state), state, &ways, &id)?;
    }
    w.write_event(Event::End(BytesEnd::new("scxml")))
}

fn element(w: &mut Writer<&mut Vec<u8>>, kind: &str, id: &str, name: &str, ways: &[&Edge], of: &dyn Fn(&str) -> String) -> io::Result<()> {
    let mut start = BytesStart::new(kind);
    start.push_attribute(("id", id));
    if !name.is_empty() && name != id {
        start.push_attribute(("yg:name", name));
    }
    if ways.is_empty() {
        return w.write_event(Event::Empty(start));
    }
    w.write_event(Event::Start(start))?;
    for edge in ways {
        let mut transition = BytesStart::new("transition");
        transition.push_attribute(("event", event(&edge.event).as_str()));
        transition.push_attribute(("target", of(&edge.to).as_str()));
        if !edge.guard.is_empty() {
            transition.push_attribute(("yg:guard", edge.guard.as_str()));
        }
        w.write_event(Event::Empty(transition))?;
    }
    w.write_event(Event::End(BytesEnd::new(kind)))
}

/// An id for each state: its name, made fit to be one.
fn ids(chart: &Chart) -> BTreeMap<&str, String> {
    let mut taken = BTreeSet::from([UNSET.to_owned()]);
    let mut ids = BTreeMap::new();
    for state in &chart.states {
        let plain = ncname(state);
        let mut id = plain.clone();
        let mut number = 1;
        while !taken.insert(id.clone()) {
            number += 1;
            id = format!("{plain}-{number}");
        }
        ids.insert(state.as_str(), id);
    }
    ids
}

/// A name that XML takes for an id (Namespaces in XML 1.0, `NCName`), of ASCII.
fn ncname(text: &str) -> String {
    let mut out: String = text.chars().map(|c| if c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.') { c } else { '_' }).collect();
    if !out.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_') {
        out.insert(0, '_');
    }
    out
}

/// A name that an event descriptor can be (section 3.12.1): no blanks, no `*`.
fn event(text: &str) -> String {
    text.chars().map(|c| if c.is_whitespace() || c == '*' { '_' } else { c }).collect()
}

/// Reads a chart that somebody designed: its states, whatever they are nested in, with their transitions.
///
/// # Errors
///
/// What is no well-formed XML or no `scxml` document, with the line.
pub fn read(text: &str) -> Result<Chart, String> {
    let mut reader = Reader::from_str(text);
    let line = |at: u64| text.as_bytes()[..(at as usize).min(text.len())].iter().filter(|b| **b == b'\n').count() + 1;
    let mut chart = Chart { name: String::new(), initial: Vec::new(), states: Vec::new(), finals: BTreeSet::new(), edges: Vec::new() };
    let mut open: Vec<Option<String>> = Vec::new();
    let mut found = false;
    let mut names: BTreeMap<String, String> = BTreeMap::new();
    loop {
        let event = reader.read_event().map_err(|e| format!("line {}: {e}", line(reader.buffer_position())))?;
        let at = reader.buffer_position();
        let (start, closed) = match event {
            Event::Eof => break,
            Event::Start(start) => (start, false),
            Event::Empty(start) => (start, true),
            Event::End(_) => {
                open.pop();
                continue;
            }
            _ => continue,
        };
        let kind = String::from_utf8_lossy(start.local_name().as_ref()).into_owned();
        let attribute = |name: &str| -> Result<Option<String>, String> {
            for a in start.attributes() {
                let a = a.map_err(|e| format!("line {}: {e}", line(at)))?;
                let local = a.key.local_name();
                if local.as_ref() == name.as_bytes() {
                    return a.unescape_value().map(|v| Some(v.into_owned())).map_err(|e| format!("line {}: {e}", line(at)));
                }
            }
            Ok(None)
        };
        let mut state = open.last().cloned().flatten();
        match kind.as_str() {
            "scxml" => {
                found = true;
                chart.name = attribute("name")?.unwrap_or_default();
                chart.initial = attribute("initial")?.map(|i| i.split_whitespace().map(str::to_owned).collect()).unwrap_or_default();
            }
            "state" | "final" | "parallel" => {
                let id = attribute("id")?.unwrap_or_else(|| format!("state at line {}", line(at)));
                if let Some(name) = attribute("name")? {
                    names.insert(id.clone(), name);
                }
                if chart.initial.is_empty() && chart.states.is_empty() {
                    chart.initial.push(id.clone());
                }
                if kind == "final" {
                    chart.finals.insert(id.clone());
                }
                chart.states.push(id.clone());
                state = Some(id);
            }
            "transition" => {
                if let Some(from) = state.clone() {
                    let guard = attribute("guard")?.or(attribute("cond")?).unwrap_or_default();
                    for to in attribute("target")?.unwrap_or_default().split_whitespace() {
                        for event in attribute("event")?.unwrap_or_default().split_whitespace() {
                            chart.edges.push(Edge { from: from.clone(), event: event.to_owned(), guard: guard.clone(), to: to.to_owned() });
                        }
                    }
                }
            }
            _ => {}
        }
        if !closed {
            open.push(state);
        }
    }
    if !found {
        return Err("there is no `scxml` element".to_owned());
    }
    // names that are no ids
    let named = |id: &String| names.get(id).cloned().unwrap_or_else(|| id.clone());
    chart.states = chart.states.iter().map(named).collect();
    chart.initial = chart.initial.iter().map(named).collect();
    chart.finals = chart.finals.iter().map(named).collect();
    for edge in &mut chart.edges {
        edge.from = named(&edge.from);
        edge.to = named(&edge.to);
    }
    if chart.initial.iter().all(|i| i == UNSET) {
        chart.initial.clear();
        chart.states.retain(|s| s != UNSET);
        chart.edges.retain(|e| e.from != UNSET);
    }
    Ok(chart)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn chart() -> Chart {
        let edge = |from: &str, event: &str, guard: &str, to: &str| Edge {
            from: from.into(),
            event: event.into(),
            guard: guard.into(),
            to: to.into(),
        };
        Chart {
            name: "Chamber".into(),
            initial: vec!["low".into()],
            states: vec!["low".into(), "filling up".into(), "full".into()],
            finals: BTreeSet::from(["full".to_owned()]),
            edges: vec![edge("low", "fill", "", "filling up"), edge("filling up", "settle", "metres > 4 & calm", "full")],
        }
    }

    #[test]
    fn what_is_written_is_read_again() {
        let mut out = Vec::new();
        write(&mut out, &chart()).expect("written");
        let text = String::from_utf8(out).expect("text");
        assert!(text.contains("<final id=\"full\"/>"), "{text}");
        let read = read(&text).expect("read");
        assert_eq!(read.states, chart().states);
        assert_eq!(read.edges, chart().edges);
        assert_eq!(read.initial, chart().initial);
    }

    #[test]
    fn what_is_no_chart_is_refused() {
        assert!(read("<a/>").is_err());
        assert!(read("<scxml>\n<state id=").is_err_and(|e| e.contains("line 2")));
    }
}
