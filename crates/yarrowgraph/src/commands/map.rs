//! `map`: the wiring of a tree, its types as a class diagram, and who knows whom.

use std::io::Write;

use yarrowgraph_analysis::{Want, coupling, keep};
use yarrowgraph_model::Family;
use yarrowgraph_render::{classes, coupling_text, json, map_text};

use crate::args::{MapArgs, MapFamily, MapFormat, MapView};
use crate::failure::{Failure, Status};
use crate::tree;
use crate::ui::{Output, Ui};

pub(super) fn run(args: &MapArgs, ui: &Ui) -> Result<Status, Failure> {
    if let Some(name) = &args.focus {
        return focus(args, name, ui);
    }
    let mut out = Output::open(args.output.as_deref())?;
    let options = ui.text(out.is_file());
    let map = || {
        let map = tree::analyse(&args.tree, Want::Map, ui)?.analysis.map;
        Ok::<_, Failure>(match args.family {
            Some(one) => map.of_family(family(one)),
            None => map,
        })
    };
    match (args.format, args.view) {
        (MapFormat::Json, _) if args.family.is_some() => json::write(&mut out, &map()?)?,
        (MapFormat::Json, _) => tree::write_map(&args.tree, &mut out, ui)?,
        (MapFormat::Text, MapView::Wiring) => map_text::write(&mut out, &map()?, args.all, &options)?,
        (MapFormat::Text, MapView::Coupling) => coupling_text::write(&mut out, &map()?, &options)?,
        (MapFormat::Mermaid | MapFormat::Text, MapView::Classes) => classes::write_mermaid(&mut out, &map()?)?,
        (MapFormat::Dot, MapView::Classes) => classes::write_dot(&mut out, &map()?)?,
        (MapFormat::Mermaid | MapFormat::Dot, MapView::Wiring | MapView::Coupling) => {
            return Err(Failure::with_hint("this form draws types", "add `--view classes`"));
        }
    }
    out.finish()?;
    Ok(Status::Fine)
}

fn family(family: MapFamily) -> Family {
    match family {
        MapFamily::Observers => Family::Observers,
        MapFamily::Commands => Family::Commands,
        MapFamily::Chains => Family::Chains,
        MapFamily::Machines => Family::Machines,
        MapFamily::Mediators => Family::Mediators,
    }
}

/// What must come along if a type is to be used elsewhere.
fn focus(args: &MapArgs, name: &str, ui: &Ui) -> Result<Status, Failure> {
    if args.view != MapView::Coupling {
        return Err(Failure::with_hint("`--focus` asks what a type is tied to", "add `--view coupling`"));
    }
    let mut out = Output::open(args.output.as_deref())?;
    let found = tree::ask(&args.tree, ui, |wiring| {
        let program = wiring.program();
        match keep::types(program, name)[..] {
            [one] => {
                let closure = coupling::closure(wiring, one);
                Ok(closure
                    .into_iter()
                    .map(|(t, by)| (program.type_id(t), coupling::map::lines(wiring, t), by.map(|b| program.type_id(b))))
                    .collect::<Vec<_>>())
            }
            ref several => Err(several.iter().map(|t| program.type_id(*t)).collect::<Vec<_>>()),
        }
    })?;
    let closure = found.map_err(|several| match &several[..] {
        [] => Failure::new(format!("no type is called `{name}`")),
        several => Failure::with_hint(format!("`{name}` can be several types"), format!("name one of: {}", several.join(", "))),
    })?;
    let lines: u32 = closure.iter().map(|(_, lines, _)| lines).sum();
    match closure.len() {
        1 => writeln!(out, "{} can be used elsewhere as it is: it knows no other type of the tree", closure[0].0)?,
        several => writeln!(out, "{} brings along {} of {lines} lines in all", closure[0].0, types(several - 1))?,
    }
    for (id, lines, by) in &closure {
        let by = by.as_ref().map(|b| format!("  for {b}")).unwrap_or_default();
        writeln!(out, "  {lines:>5}  {id}{by}")?;
    }
    out.finish()?;
    Ok(Status::Fine)
}

fn types(count: usize) -> String {
    if count == 1 { "1 type".to_owned() } else { format!("{count} types") }
}
