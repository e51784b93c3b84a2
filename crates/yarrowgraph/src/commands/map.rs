//! `map`: the wiring of a tree.

use yarrowgraph_analysis::Want;
use yarrowgraph_render::{json, map_text};

use crate::args::{MapArgs, MapFormat};
use crate::failure::{Failure, Status};
use crate::tree;
use crate::ui::{Output, Ui};

pub(super) fn run(args: &MapArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let tree::Analysed { analysis, .. } = tree::analyse(&args.tree, Want::Map, ui)?;
    match args.format {
        MapFormat::Text => {
            let options = ui.text(out.is_file());
            map_text::write(&mut out, &analysis.map, args.all, &options)?;
        }
        MapFormat::Json => json::write(&mut out, &analysis.map)?,
    }
    out.finish()?;
    Ok(Status::Fine)
}
