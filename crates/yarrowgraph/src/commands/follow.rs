//! `follow`: what one raise, command, request or call set off in a run.

use yarrowgraph_render::{follow_text, json};
use yarrowgraph_replay::{Followed, Start, follow, shortened};

use super::replay::source;
use crate::args::{FollowArgs, FollowFormat};
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &FollowArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let source = source(&args.recording, ui)?;
    let start = args.name.parse().map_or_else(|_| Start::Name(args.name.clone()), Start::Record);
    let (found, cut) = follow(source.recording(), &start).map_err(Failure::new)?;
    source.say_cut(cut, ui);
    if found.left_out > 0 {
        ui.remark(&format!("{} more are not looked into, because there are so many", found.left_out));
    }
    let trees: Vec<follow_text::Tree> = found.trees.iter().map(tree).collect();
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

fn tree(followed: &Followed) -> follow_text::Tree {
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
