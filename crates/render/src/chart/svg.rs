//! A machine as a picture: states in columns by how many steps they are from where it starts.

use std::collections::BTreeMap;
use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;

use super::Chart;

/// Sizes, in pixels.
const ROW: f64 = 92.0;
const HEIGHT: f64 = 40.0;
const LETTER: f64 = 8.2;
const GAP: f64 = 150.0;
const MARGIN: f64 = 48.0;

/// Writes a chart.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, chart: &Chart) -> io::Result<()> {
    let boxes = place(chart);
    let labels = labels(chart);
    let width = boxes.values().map(|b| b.x + b.w).fold(0.0, f64::max) + MARGIN + 30.0;
    let height = boxes.values().map(|b| b.y + HEIGHT).fold(0.0, f64::max) + MARGIN + 110.0;
    writeln!(
        out,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {width:.0} {height:.0}\" width=\"{width:.0}\" height=\"{height:.0}\" font-family=\"sans-serif\" font-size=\"14\">"
    )?;
    writeln!(out, "<title>{}</title>", escaped(&chart.name))?;
    writeln!(
        out,
        "<defs><marker id=\"tip\" viewBox=\"0 0 8 8\" refX=\"7.5\" refY=\"4\" markerWidth=\"8\" markerHeight=\"8\" orient=\"auto-start-reverse\"><path d=\"M0 0L8 4L0 8z\" fill=\"#4a5a52\"/></marker></defs>"
    )?;
    writeln!(out, "<rect width=\"100%\" height=\"100%\" fill=\"#fbfaf5\"/>")?;
    for ((from, to), text) in &labels {
        let (Some(a), Some(b)) = (boxes.get(from.as_str()), boxes.get(to.as_str())) else { continue };
        // a way back goes below all that stands between
        let between = boxes.values().filter(|p| p.x + p.w > b.x && p.x < a.x + a.w).map(|p| p.y + HEIGHT).fold(0.0, f64::max);
        edge(out, a, b, from == to, text, labels.contains_key(&(to.clone(), from.clone())), between)?;
    }
    for state in &chart.initial {
        if let Some(b) = boxes.get(state.as_str()) {
            let (x, y) = (b.x - 26.0, b.y + HEIGHT / 2.0);
            writeln!(out, "<circle cx=\"{x:.0}\" cy=\"{y:.0}\" r=\"6\" fill=\"#4a5a52\"/>")?;
            writeln!(out, "<path d=\"M{:.0} {y:.0}H{:.0}\" stroke=\"#4a5a52\" marker-end=\"url(#tip)\"/>", x + 6.0, b.x)?;
        }
    }
    let reached = chart.reached();
    for state in &chart.states {
        let Some(b) = boxes.get(state.as_str()) else { continue };
        let (fill, stroke) = if reached.contains_key(state.as_str()) { ("#e6efe6", "#4a5a52") } else { ("#f6e3d7", "#a8552b") };
        writeln!(
            out,
            "<rect x=\"{:.0}\" y=\"{:.0}\" width=\"{:.0}\" height=\"{HEIGHT:.0}\" rx=\"12\" fill=\"{fill}\" stroke=\"{stroke}\" stroke-width=\"1.4\"/>",
            b.x, b.y, b.w
        )?;
        if chart.finals.contains(state) {
            writeln!(
                out,
                "<rect x=\"{:.0}\" y=\"{:.0}\" width=\"{:.0}\" height=\"{:.0}\" rx=\"9\" fill=\"none\" stroke=\"{stroke}\"/>",
                b.x + 3.5,
                b.y + 3.5,
                b.w - 7.0,
                HEIGHT - 7.0
            )?;
        }
        writeln!(
            out,
            "<text x=\"{:.0}\" y=\"{:.0}\" text-anchor=\"middle\" fill=\"#22302a\">{}</text>",
            b.x + b.w / 2.0,
            b.y + HEIGHT / 2.0 + 5.0,
            escaped(state)
        )?;
    }
    writeln!(out, "</svg>")
}

#[derive(Clone, Copy)]
struct Place {
    x: f64,
    y: f64,
    w: f64,
}

/// Where each state stands.
fn place(chart: &Chart) -> BTreeMap<&str, Place> {
    let reached = chart.reached();
    let last = reached.values().max().copied().unwrap_or(0) + 1;
    let mut columns: BTreeMap<usize, Vec<&str>> = BTreeMap::new();
    for state in &chart.states {
        let column = reached.get(state.as_str()).copied().unwrap_or(last);
        columns.entry(column).or_default().push(state);
    }
    let mut boxes = BTreeMap::new();
    let tallest = columns.values().map(Vec::len).max().unwrap_or(1) as f64;
    let mut x = MARGIN + 26.0;
    for states in columns.values() {
        let width = states.iter().map(|s| s.width()).max().unwrap_or(4) as f64 * LETTER + 32.0;
        let top = MARGIN + (tallest - states.len() as f64) * ROW / 2.0;
        for (row, state) in states.iter().enumerate() {
            boxes.insert(*state, Place { x, y: top + row as f64 * ROW, w: width });
        }
        x += width + GAP;
    }
    boxes
}

/// What stands at the line from one state to another: its events.
fn labels(chart: &Chart) -> BTreeMap<(String, String), String> {
    let mut labels: BTreeMap<(String, String), Vec<String>> = BTreeMap::new();
    for e in &chart.edges {
        let guarded = if e.guard.is_empty() { e.event.clone() } else { format!("{}*", e.event) };
        let all = labels.entry((e.from.clone(), e.to.clone())).or_default();
        if !all.contains(&guarded) {
            all.push(guarded);
        }
    }
    labels.into_iter().map(|(k, v)| (k, v.join(", "))).collect()
}

fn edge(out: &mut dyn Write, a: &Place, b: &Place, own: bool, text: &str, both: bool, bottom: f64) -> io::Result<()> {
    let line = "fill=\"none\" stroke=\"#4a5a52\" stroke-width=\"1.1\" marker-end=\"url(#tip)\"";
    let (path, tx, ty) = if own {
        let (x, y) = (a.x + a.w * 0.5, a.y);
        (
            format!("M{:.0} {y:.0}C{:.0} {:.0} {:.0} {:.0} {:.0} {y:.0}", x - 12.0, x - 22.0, y - 30.0, x + 22.0, y - 30.0, x + 12.0),
            x,
            y - 26.0,
        )
    } else if b.x > a.x {
        let shift = if both { -7.0 } else { 0.0 };
        let (x1, y1, x2, y2) = (a.x + a.w, a.y + HEIGHT / 2.0 + shift, b.x, b.y + HEIGHT / 2.0 + shift);
        let far = b.x - (a.x + a.w) > GAP + 1.0 && (a.y - b.y).abs() < 1.0;
        let lift = if far { -ROW * 0.45 } else { 0.0 };
        let mid = (x1 + x2) / 2.0;
        (
            format!("M{x1:.0} {y1:.0}C{mid:.0} {:.0} {mid:.0} {:.0} {x2:.0} {y2:.0}", y1 + lift, y2 + lift),
            mid,
            (y1 + y2) / 2.0 + lift * 0.75 - 5.0,
        )
    } else if (b.x - a.x).abs() < 1.0 {
        let x = a.x + a.w * if b.y > a.y { 0.4 } else { 0.6 };
        let (y1, y2) = if b.y > a.y { (a.y + HEIGHT, b.y) } else { (a.y, b.y + HEIGHT) };
        (
            format!("M{x:.0} {y1:.0}V{y2:.0}"),
            x + if b.y > a.y { -6.0 - text.width() as f64 * 3.2 } else { 6.0 + text.width() as f64 * 3.2 },
            (y1 + y2) / 2.0 + 4.0,
        )
    } else {
        // back: below the states between
        let (x1, y1, x2, y2) = (a.x + a.w * 0.5, a.y + HEIGHT, b.x + b.w * 0.5, b.y + HEIGHT);
        let steps = ((a.x - b.x) / (GAP + 60.0)).max(1.0);
        let dip = bottom + 14.0 + 36.0 * steps;
        (format!("M{x1:.0} {y1:.0}C{x1:.0} {dip:.0} {x2:.0} {dip:.0} {x2:.0} {y2:.0}"), (x1 + x2) / 2.0, (y1 + y2) / 8.0 + dip * 0.75 + 4.0)
    };
    writeln!(out, "<path d=\"{path}\" {line}/>")?;
    writeln!(
        out,
        "<text x=\"{tx:.0}\" y=\"{ty:.0}\" text-anchor=\"middle\" font-size=\"12\" fill=\"#4a5a52\" paint-order=\"stroke\" stroke=\"#fbfaf5\" stroke-width=\"4\">{}</text>",
        escaped(text)
    )
}

fn escaped(text: &str) -> String {
    let plain: String = text.chars().filter(|c| !c.is_control()).collect();
    quick_xml::escape::escape(plain.as_str()).into_owned()
}
