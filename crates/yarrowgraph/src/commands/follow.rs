//! `follow`: what one raise, command, request or call sets off, as the code says it, or set off in a run.

use yarrowgraph_render::{follow_text, json, set_off_text};
use yarrowgraph_replay::{Followed, Start, follow, shortened};

use super::replay::source;
use crate::args::{FollowArgs, FollowFormat};
use crate::failure::{Failure, Status};
use crate::tree;
use crate::ui::{Output, Ui};

pub(super) fn run(args: &FollowArgs, ui: &Ui) -> Result<Status, Failure> {
    match &args.recording {
        Some(recording) => in_recording(args, recording, ui),
        None => in_tree(args, ui),
    }
}

/// What the code says.
fn in_tree(args: &FollowArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let found = tree::ask(&args.tree, ui, |wiring| yarrowgraph_analysis::follow::follow(wiring, &args.name, &args.given))?;
    let followed = found.map_err(|candidates| match &candidates[..] {
        [] => Failure::with_hint(
            format!("nothing is called `{}`: no channel, command, chain or method", args.name),
            "`map` lists what there is; an id can be shortened from its left",
        ),
        several => Failure::with_hint(
            format!("`{}` can be several things", args.name),
            format!("name one of: {}", several.iter().take(12).cloned().collect::<Vec<_>>().join(", ")),
        ),
    })?;
    if let Some(design) = &args.against {
        let text = std::fs::read_to_string(design).map_err(|e| Failure::new(format!("{}: {e}", design.display())))?;
        let messages = set_off_text::messages(&text).map_err(|e| Failure::new(format!("{}: {e}", design.display())))?;
        let differences = set_off_text::against(&followed, &messages);
        let options = ui.text(out.is_file());
        set_off_text::write_differences(&mut out, &differences, &options)?;
        out.finish()?;
        return Ok(if differences.is_empty() { Status::Fine } else { Status::Found });
    }
    match args.format {
        FollowFormat::Json => json::write(&mut out, &followed)?,
        FollowFormat::Text => {
            let options = ui.text(out.is_file());
            set_off_text::write(&mut out, &followed, &options)?;
        }
        FollowFormat::Mermaid => set_off_text::write_mermaid(&mut out, &followed)?,
    }
    out.finish()?;
    Ok(Status::Fine)
}

/// What a run did.
fn in_recording(args: &FollowArgs, recording: &std::path::Path, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let source = source(recording, ui)?;
    let start = args.name.parse().map_or_else(|_| Start::Name(args.name.clone()), Start::Record);
    let (found, cut) = follow(source.recording(), &start).map_err(Failure::new)?;
    source.say_cut(cut, ui);
    if found.left_out > 0 {
        ui.remark(&format!("{} more are not looked into, because there are so many", found.left_out));
    }
    let trees: Vec<follow_text::Tree> = found.trees.iter().map(shown).collect();
    match args.format {
        FollowFormat::Json => json::write(&mut out, &found)?,
        FollowFormat::Text => {
            let text = ui.text(out.is_file());
            follow_text::write(&mut out, &trees, found.found, &text)?;
        }
        FollowFormat::Mermaid => {
            if let Some(tree) = trees.first() {
                follow_text::write_mermaid(&mut out, tree)?;
            }
            if trees.len() > 1 {
                ui.remark(&format!("the first of {} ways; name a record for another one", trees.len()));
            }
        }
    }
    out.finish()?;
    Ok(Status::Fine)
}

fn shown(followed: &Followed) -> follow_text::Tree {
    let steps = followed.steps.iter().map(|s| follow_text::StepLine {
        depth: s.depth as usize,
        n: s.n,
        text: shortened(&s.text),
        object: s.object.clone().unwrap_or_default(),
        lane: s.lane.clone().unwrap_or_default(),
        outcome: s.outcome.map(|o| format!("{o:?}").to_lowercase()).unwrap_or_default(),
    });
    follow_text::Tree { times: followed.times, steps: steps.collect() }
}
