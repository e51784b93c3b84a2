//! `replay`: whether dispatch order is unchanged.

use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use yarrowgraph_model::Kind;
use yarrowgraph_render::{json, junit, replay_text};
use yarrowgraph_replay::{Comparison, Format, Options, Source, TreeLine, Verdict, against, format_of, import, shortened};

use crate::args::{Ignore, ReplayArgs, ReplayFormat, SeeThrough};
use crate::config::Config;
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &ReplayArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let (before, after) = (source(&args.recording, ui)?, source(&args.against, ui)?);
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
    file: PathBuf,
    /// The file goes when nobody reads it any more.
    _spool: Option<tempfile::NamedTempFile>,
}

impl Recording {
    pub(super) fn recording(&self) -> &Source<'static> {
        &self.source
    }

    /// Copies it as it is.
    pub(super) fn copy(&self, out: &mut dyn Write) -> Result<(), Failure> {
        let copied = std::fs::File::open(&self.file).and_then(|mut f| std::io::copy(&mut f, out));
        copied.map(drop).map_err(|e| Failure::new(format!("{}: cannot be copied: {e}", self.source.name())))
    }

    /// Says which line was cut short.
    pub(super) fn say_cut(&self, cut: Option<u64>, ui: &Ui) {
        if let Some(line) = cut {
            ui.remark(&format!("{}:{line}: cut short and left out; everything before it is kept", self.source.name()));
        }
    }
}

/// Opens a recording; `-` is standard input. What is in another open format is read as a recording.
pub(super) fn source(path: &Path, ui: &Ui) -> Result<Recording, Failure> {
    let is_input = path == Path::new("-");
    let name = if is_input { "standard input".to_owned() } else { path.display().to_string() };
    let unreadable = |e: std::io::Error| Failure::new(format!("{name}: cannot be read: {e}"));
    let (file, spool) = if !is_input && std::fs::metadata(path).map_err(unreadable)?.is_file() {
        (path.to_owned(), None)
    } else {
        let mut spool = tempfile::NamedTempFile::new().map_err(unreadable)?;
        let copied = match is_input {
            true => std::io::copy(&mut std::io::stdin().lock(), &mut spool),
            false => std::fs::File::open(path).and_then(|mut f| std::io::copy(&mut f, &mut spool)),
        };
        copied.map_err(unreadable)?;
        (spool.path().to_owned(), Some(spool))
    };
    let mut start = Vec::new();
    std::fs::File::open(&file).and_then(|f| f.take(START).read_to_end(&mut start)).map_err(unreadable)?;
    let Some(format) = format_of(&start) else {
        return Ok(Recording { source: Source::file(&name, &file).map_err(unreadable)?, file, _spool: spool });
    };
    let bytes = std::fs::read(&file).map_err(unreadable)?;
    let mut spool = tempfile::NamedTempFile::new().map_err(unreadable)?;
    let lost = import(&name, &bytes, format, &mut spool).map_err(Failure::new)?;
    spool.flush().map_err(unreadable)?;
    let said = if lost.is_empty() { String::new() } else { format!("; lost on the way: {}", lost.join(", ")) };
    ui.remark(&format!("{name}: read as {}{said}", format_name(format)));
    let source = Source::file(&name, spool.path()).map_err(unreadable)?;
    Ok(Recording { source, file: spool.path().to_owned(), _spool: Some(spool) })
}

/// So many bytes say what a file is.
const START: u64 = 4096;

fn format_name(format: Format) -> &'static str {
    match format {
        Format::Otlp => "traces (OTLP/JSON)",
        Format::CloudEvents => "CloudEvents, each a stimulus",
        Format::Xes => "an event log (XES)",
    }
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
