//! Who knows whom: for a terminal, worst first, with rings of types that know each other.

use std::collections::BTreeMap;
use std::io::{self, Write};

use petgraph::algo::tarjan_scc;
use petgraph::graphmap::DiGraphMap;
use yarrowgraph_model::{How, Map, TypeEntry};

use crate::escape;
use crate::map_text::{place, short};
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// So many lines of one kind are shown for a type.
const SHOWN: usize = 12;

/// Writes the coupling of the types that take part in the wiring.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, map: &Map, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let mut known_by: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for t in &map.types {
        for k in &t.knows {
            known_by.entry(&k.class).or_default().push(&t.id);
        }
    }
    let mut types: Vec<&TypeEntry> =
        map.types.iter().filter(|t| !t.knows.is_empty() || !t.reaches.is_empty() || known_by.contains_key(t.id.as_str())).collect();
    types.sort_by(|a, b| weight(b).cmp(&weight(a)).then_with(|| a.id.cmp(&b.id)));
    for t in &types {
        let by = known_by.get(t.id.as_str()).map_or(0, Vec::len);
        let about = format!("knows {}, known by {by}, reaches {} by wiring alone", t.knows.len(), t.reaches.len());
        writeln!(
            out,
            "{}  {}  {}",
            p.paint(Role::Heading, &escape::terminal(&t.id)),
            p.paint(Role::Quiet, &t.roles.join(", ")),
            p.paint(Role::Quiet, &about)
        )?;
        for k in t.knows.iter().take(SHOWN) {
            let how: Vec<&str> = k.how.iter().map(|h| how(*h)).collect();
            let first = k.places.first().map(place).unwrap_or_default();
            let line = format!("knows {}  {}", short(&k.class), how.join(", "));
            writeln!(
                out,
                "    {}  {}",
                fit(&escape::terminal(&line), o.width.saturating_sub(first.len() + 8)),
                p.paint(Role::Quiet, &first)
            )?;
        }
        if t.knows.len() > SHOWN {
            writeln!(out, "    {}", p.paint(Role::Quiet, &format!("and {} more", t.knows.len() - SHOWN)))?;
        }
        for r in t.reaches.iter().take(SHOWN) {
            let line = format!("reaches {} through {}", short(&r.class), short(&r.through));
            writeln!(out, "    {}", p.paint(Role::Good, &fit(&escape::terminal(&line), o.width.saturating_sub(4))))?;
        }
    }
    let rings = rings(map);
    if !rings.is_empty() {
        writeln!(out)?;
        writeln!(out, "{}", p.paint(Role::Heading, "rings of types that know each other"))?;
        for ring in &rings {
            let names: Vec<String> = ring.iter().map(|id| short(id)).collect();
            writeln!(out, "    {}", p.paint(Role::Warning, &escape::terminal(&names.join(" ▸ "))))?;
        }
    }
    writeln!(out)?;
    let edges: usize = map.types.iter().map(|t| t.knows.len()).sum();
    let apart: usize = map.types.iter().map(|t| t.reaches.len()).sum();
    writeln!(
        out,
        "{}, {}, {}, {}",
        count(types.len(), "type takes part", "types take part"),
        count(edges, "knows another", "know another"),
        count(apart, "way by wiring alone", "ways by wiring alone"),
        count(rings.len(), "ring", "rings")
    )
}

/// How much a type is tied to others: making and holding weigh more than naming.
fn weight(t: &TypeEntry) -> usize {
    let of = |h: &How| match h {
        How::Creates | How::Extends => 4,
        How::Holds => 3,
        How::Calls => 2,
        How::Names => 1,
    };
    t.knows.iter().map(|k| k.how.iter().map(of).sum::<usize>()).sum()
}

fn how(h: How) -> &'static str {
    match h {
        How::Creates => "creates",
        How::Holds => "holds",
        How::Calls => "calls",
        How::Extends => "extends",
        How::Names => "names",
    }
}

/// Types that know each other, directly or by way of others; the largest ring first.
fn rings(map: &Map) -> Vec<Vec<&str>> {
    let mut graph: DiGraphMap<&str, ()> = DiGraphMap::new();
    for t in &map.types {
        for k in &t.knows {
            graph.add_edge(&t.id, &k.class, ());
        }
    }
    let mut rings: Vec<Vec<&str>> = tarjan_scc(&graph).into_iter().filter(|r| r.len() > 1).collect();
    for ring in &mut rings {
        ring.sort_unstable();
    }
    rings.sort_by(|a, b| b.len().cmp(&a.len()).then_with(|| a.cmp(b)));
    rings
}
