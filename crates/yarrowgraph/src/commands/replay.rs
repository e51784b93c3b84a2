//! `replay`: whether dispatch order is unchanged.

use std::path::Path;

use yarrowgraph_model::Kind;
use yarrowgraph_render::{json, junit, replay_text};
use yarrowgraph_replay::{Comparison, Options, Source, TreeLine, Verdict, against, shortened};

use crate::args::{Ignore, ReplayArgs, ReplayFormat, SeeThrough};
use crate::config::Config;
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &ReplayArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let (before, after) = (source(&args.recording)?, source(&args.against)?);
    let result = against(before.recording(), after.recording(), &options(args)?).map_err(Failure::new)?;
    before.say_cut(result.cut_before, ui);
    after.say_cut(result.cut_after, ui);
    if result.in_pieces {
        ui.remark("so much differs that stimuli were aligned in pieces; there may be an alignment with more pairs");
    }
    match args.format {
        ReplayFormat::Json => json::write(&mut out, &result.replay)?,
        ReplayFormat::Text => {
            let text = ui.text(out.is_file());
            replay_text::write(&mut out, &report(&result), &text)?;
        }
        ReplayFormat::Junit => junit::write(&mut out, &report(&result))?,
    }
    out.finish()?;
    Ok(match result.replay.verdict {
        Verdict::Unchanged => Status::Fine,
        Verdict::Changed => Status::Found,
        Verdict::Undecided => Status::Undecided,
    })
}

fn options(args: &ReplayArgs) -> Result<Options, Failure> {
    let mut aliases = Config::of(Path::new("."), args.config.as_deref())?.aliases();
    // what is said on the command line counts
    aliases.retain(|(old, _)| !args.alias.iter().any(|(other, _)| other == old));
    aliases.extend(args.alias.iter().cloned());
    let kind = |kind: &SeeThrough| match kind {
        SeeThrough::Raise => Kind::Raise,
        SeeThrough::Deliver => Kind::Deliver,
        SeeThrough::Issue => Kind::Issue,
        SeeThrough::Run => Kind::Run,
        SeeThrough::Undo => Kind::Undo,
        SeeThrough::Offer => Kind::Offer,
        SeeThrough::Call => Kind::Call,
    };
    Ok(Options {
        ignore_args: args.ignore.contains(&Ignore::Args),
        ignore_value: args.ignore.contains(&Ignore::Value),
        all: args.all,
        see_through: args.see_through.iter().map(kind).collect(),
        unordered: args.unordered.clone(),
        aliases,
        no_assume: args.no_assume,
    })
}

/// A recording that can be read, more than once: a pipe is spooled.
pub(super) struct Recording {
    source: Source<'static>,
    /// The file goes when nobody reads it any more.
    _spool: Option<tempfile::NamedTempFile>,
}

impl Recording {
    pub(super) fn recording(&self) -> &Source<'static> {
        &self.source
    }

    /// Says which line was cut short.
    pub(super) fn say_cut(&self, cut: Option<u64>, ui: &Ui) {
        if let Some(line) = cut {
            ui.remark(&format!("{}:{line}: cut short and left out; everything before it is kept", self.source.name()));
        }
    }
}

/// Opens a recording; `-` is standard input.
pub(super) fn source(path: &Path) -> Result<Recording, Failure> {
    let is_input = path == Path::new("-");
    let name = if is_input { "standard input".to_owned() } else { path.display().to_string() };
    let open = || -> std::io::Result<Recording> {
        if !is_input && std::fs::metadata(path)?.is_file() {
            return Ok(Recording { source: Source::file(&name, path)?, _spool: None });
        }
        let mut spool = tempfile::NamedTempFile::new()?;
        if is_input {
            std::io::copy(&mut std::io::stdin().lock(), &mut spool)?;
        } else {
            std::io::copy(&mut std::fs::File::open(path)?, &mut spool)?;
        }
        Ok(Recording { source: Source::file(&name, spool.path())?, _spool: Some(spool) })
    };
    open().map_err(|e| Failure::new(format!("{name}: cannot be read: {e}")))
}

/// The result in the words of the text form.
fn report(result: &Comparison) -> replay_text::Report {
    let c = result.replay.counts;
    let counts = [
        ("unchanged", c.unchanged),
        ("reordered", c.reordered),
        ("missing", c.missing),
        ("extra", c.extra),
        ("altered", c.altered),
        ("undecided", c.undecided),
    ];
    let word = |v: &dyn std::fmt::Debug| format!("{v:?}").to_lowercase();
    let mut sides = result.sides.iter();
    let changed = result.replay.stimuli.iter().filter(|s| s.verdict != yarrowgraph_replay::StimulusVerdict::Unchanged).map(|s| {
        let both = sides.next();
        let side = |lines: Option<&Vec<TreeLine>>, of: fn(&yarrowgraph_replay::Difference) -> Option<u64>| {
            let differs = |n: u64| s.differences.iter().any(|d| of(d) == Some(n));
            let line = |l: &TreeLine| replay_text::SideLine { depth: l.depth, n: l.n, differs: differs(l.n), text: l.text.clone() };
            lines.into_iter().flatten().map(line).collect()
        };
        replay_text::Changed {
            n: s.before.or(s.after),
            verdict: word(&s.verdict),
            differences: s.differences.iter().map(|d| shortened(&d.text)).chain(s.reason.clone()).collect(),
            before: side(both.map(|s| &s.before), |d| d.before),
            after: side(both.map(|s| &s.after), |d| d.after),
        }
    });
    replay_text::Report {
        verdict: word(&result.replay.verdict),
        counts: counts.map(|(w, n)| (w.to_owned(), n)).to_vec(),
        changed: changed.collect(),
        assumed: result.replay.assumed_renames.iter().map(|r| (r.from.clone(), r.to.clone())).collect(),
        seen_through: result.replay.seen_through.iter().map(|s| (word(&s.kind), s.before, s.after)).collect(),
    }
}
