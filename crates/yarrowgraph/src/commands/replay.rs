//! `replay`: whether dispatch order is unchanged.

use std::fs::File;
use std::path::Path;

use yarrowgraph_render::{json, replay_text};
use yarrowgraph_replay::{Forest, Options, Recording, Replay, Verdict, against, read, sides};

use crate::args::{Ignore, ReplayArgs, ReplayFormat};
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &ReplayArgs, ui: &Ui) -> Result<Status, Failure> {
    let Some(other) = &args.against else {
        return Err(Failure::with_hint("nothing to compare with", "name a second recording: --against RECORDING"));
    };
    let mut out = Output::open(args.output.as_deref())?;
    let (before, after) = (recording(&args.recording, ui)?, recording(other, ui)?);
    let options =
        Options { ignore_args: args.ignore.contains(&Ignore::Args), ignore_value: args.ignore.contains(&Ignore::Value), all: args.all };
    let result = against(&before, &after, &options);
    match args.format {
        ReplayFormat::Json => json::write(&mut out, &result)?,
        ReplayFormat::Text => {
            let text = ui.text(out.is_file());
            replay_text::write(&mut out, &report(&result, &before, &after), &text)?;
        }
    }
    out.finish()?;
    Ok(match result.verdict {
        Verdict::Unchanged => Status::Fine,
        Verdict::Changed => Status::Found,
        Verdict::Undecided => Status::Undecided,
    })
}

fn recording(path: &Path, ui: &Ui) -> Result<Recording, Failure> {
    let name = path.display().to_string();
    let recording = if path == Path::new("-") {
        read("standard input", std::io::stdin().lock())
    } else {
        let file = File::open(path).map_err(|e| Failure::new(format!("{name}: cannot be read: {e}")))?;
        read(&name, file)
    };
    let recording = recording.map_err(Failure::new)?;
    if let Some(line) = recording.cut {
        ui.remark(&format!("{name}:{line}: cut short and left out; everything before it is kept"));
    }
    Ok(recording)
}

/// The result in the words of the text form.
fn report(result: &Replay, before: &Recording, after: &Recording) -> replay_text::Report {
    let (before, after) = (Forest::new(before), Forest::new(after));
    let c = result.counts;
    let counts = [
        ("unchanged", c.unchanged),
        ("reordered", c.reordered),
        ("missing", c.missing),
        ("extra", c.extra),
        ("altered", c.altered),
        ("undecided", c.undecided),
    ];
    let word = |v: &dyn std::fmt::Debug| format!("{v:?}").to_lowercase();
    let changed = result
        .stimuli
        .iter()
        .map(|s| {
            let side = |forest: &Forest<'_>, root: Option<u64>, of: fn(&yarrowgraph_replay::Difference) -> Option<u64>| {
                let lines = root.map_or_else(Vec::new, |n| sides::lines(forest, n));
                let differs = |n: u64| s.differences.iter().any(|d| of(d) == Some(n));
                lines.into_iter().map(|l| replay_text::SideLine { depth: l.depth, n: l.n, differs: differs(l.n), text: l.text }).collect()
            };
            replay_text::Changed {
                verdict: word(&s.verdict),
                differences: s.differences.iter().map(|d| d.text.clone()).chain(s.reason.clone()).collect(),
                before: side(&before, s.before, |d| d.before),
                after: side(&after, s.after, |d| d.after),
            }
        })
        .collect();
    replay_text::Report { verdict: word(&result.verdict), counts: counts.map(|(w, n)| (w.to_owned(), n)).to_vec(), changed }
}
