//! `machine`: the state machines of a tree, as charts.

use std::path::Path;

use yarrowgraph_analysis::Want;
use yarrowgraph_model::Machine;
use yarrowgraph_render::chart::{Chart, diff, dot, mermaid, scxml, svg, text};

use crate::args::{MachineArgs, MachineFormat};
use crate::failure::{Failure, Status};
use crate::tree;
use crate::ui::{Output, Ui};

pub(super) fn run(args: &MachineArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let tree::Analysed { analysis, .. } = tree::analyse(&args.tree, Want::Map, ui)?;
    let machines = chosen(&analysis.map.machines, args.name.as_deref())?;
    if let Some(design) = &args.against {
        return against(&machines, design, out, ui);
    }
    let charts: Vec<Chart> = machines.iter().map(|m| Chart::of(m)).collect();
    match args.format {
        MachineFormat::Text => {
            if machines.is_empty() {
                ui.remark("no state machine was found");
            }
            let options = ui.text(out.is_file());
            text::write(&mut out, &machines, &options)?;
        }
        MachineFormat::Dot => dot::write(&mut out, &charts)?,
        MachineFormat::Mermaid => {
            one_only(&charts, "a Mermaid text")?;
            mermaid::write(&mut out, &charts)?;
        }
        MachineFormat::Scxml => scxml::write(&mut out, one_only(&charts, "an SCXML document")?)?,
        MachineFormat::Svg => svg::write(&mut out, one_only(&charts, "a picture")?)?,
    }
    out.finish()?;
    Ok(Status::Fine)
}

/// The machines that a name means; all of them without one.
fn chosen<'m>(machines: &'m [Machine], name: Option<&str>) -> Result<Vec<&'m Machine>, Failure> {
    let Some(name) = name else { return Ok(machines.iter().collect()) };
    let fits = |id: &str| id == name || id.strip_suffix(name).is_some_and(|rest| rest.ends_with(['.', ':']));
    let found: Vec<&Machine> = machines.iter().filter(|m| fits(&m.id) || fits(&m.context)).collect();
    let ids = |of: &[&Machine]| of.iter().map(|m| m.id.clone()).collect::<Vec<_>>().join(", ");
    match found.len() {
        1 => Ok(found),
        0 if machines.is_empty() => Err(Failure::new("no state machine was found")),
        0 => Err(Failure::with_hint(
            format!("no state machine is called `{name}`"),
            format!("there are: {}", ids(&machines.iter().collect::<Vec<_>>())),
        )),
        _ => Err(Failure::with_hint(format!("`{name}` can be several machines"), format!("name one of: {}", ids(&found)))),
    }
}

/// The one chart that there is, for a form that holds no more.
fn one_only<'c>(charts: &'c [Chart], what: &str) -> Result<&'c Chart, Failure> {
    match charts {
        [one] => Ok(one),
        [] => Err(Failure::new("no state machine was found")),
        _ => Err(Failure::with_hint(format!("{what} holds one machine, and there are {}", charts.len()), "choose one with --name")),
    }
}

fn against(machines: &[&Machine], design: &Path, mut out: Output, ui: &Ui) -> Result<Status, Failure> {
    let bytes = std::fs::read_to_string(design).map_err(|e| Failure::new(format!("{}: {e}", design.display())))?;
    let design_chart = scxml::read(&bytes).map_err(|e| Failure::new(format!("{}: {e}", design.display())))?;
    let machine = match machines {
        [one] => *one,
        [] => return Err(Failure::new("no state machine was found")),
        several => {
            // the design may say whose it is
            let named = several.iter().find(|m| Chart::of(m).name == design_chart.name);
            named.copied().ok_or_else(|| Failure::with_hint("there are several machines", "choose one with --name"))?
        }
    };
    let found = diff::between(&Chart::of(machine), &design_chart);
    let options = ui.text(out.is_file());
    diff::write(&mut out, &found, &options)?;
    out.finish()?;
    Ok(if found.is_empty() { Status::Fine } else { Status::Found })
}
