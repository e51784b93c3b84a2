//! Reading a tree: files to facts, on all cores.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use rayon::prelude::*;
use yarrowgraph_analysis::program::Kit;
use yarrowgraph_analysis::{Analysis, Options, Want};
use yarrowgraph_ir::{Facts, Language, Unit, facts};
use yarrowgraph_model::{FileCount, FileReport, Files};
use yarrowgraph_render::Sources;

use crate::args::TreeArgs;
use crate::discover::{Found, Source, discover};
use crate::failure::Failure;
use crate::ui::Ui;

/// A tree that was read.
pub(crate) struct Tree {
    /// What was found.
    pub(crate) found: Found,
    /// The facts of its files.
    pub(crate) facts: Vec<Facts>,
    /// What was read and what was not.
    pub(crate) files: Files,
    /// How long reading took.
    pub(crate) took: Duration,
}

/// What is known of a language.
pub(crate) fn kit(language: Language) -> Kit {
    Kit { traits: yarrowgraph_syntax::traits(language), pack: yarrowgraph_syntax::pack(language) }
}

/// Reads the files below the given paths.
pub(crate) fn read(args: &TreeArgs, ui: &Ui) -> Result<Tree, Failure> {
    let found = find(args, ui)?;
    let started = Instant::now();
    let units = side_by_side(&found.sources, ui, |source| unit(source).map(facts::distill));
    let mut files = Files { left_out: found.left_out.clone(), ..Files::default() };
    let mut facts_of = Vec::with_capacity(units.len());
    let mut languages: BTreeMap<String, FileCount> = BTreeMap::new();
    for (source, unit) in found.sources.iter().zip(units) {
        match unit {
            Ok(facts) => {
                let count = languages.entry(source.language.name().to_owned()).or_default();
                count.files += 1;
                count.lines += facts.unit.line_count;
                if let Some(first) = facts.unit.errors.first() {
                    let (line, _) = facts.unit.lines.line_column(first.start);
                    let n = facts.unit.errors.len();
                    let reason = format!("{n} {} could not be read", if n == 1 { "stretch" } else { "stretches" });
                    files.partial.push(FileReport { file: source.name.clone(), line: Some(line), reason });
                }
                facts_of.push(facts);
            }
            Err(reason) => files.partial.push(FileReport { file: source.name.clone(), line: None, reason }),
        }
    }
    files.languages = languages;
    report_partial(&files, ui);
    Ok(Tree { found, facts: facts_of, files, took: started.elapsed() })
}

/// Finds the source files below the given paths; it is a failure to find none.
fn find(args: &TreeArgs, ui: &Ui) -> Result<Found, Failure> {
    let found = discover(&args.paths, args.no_ignore)?;
    for error in &found.errors {
        ui.remark(&format!("yarrowgraph: {error}"));
    }
    if found.sources.is_empty() {
        let where_ = found.root.display();
        let known = Language::ALL.map(Language::name).join(", ");
        let hint = if found.left_out.is_empty() {
            format!("files of these languages are read: {known}")
        } else {
            format!("left out: {}; --no-ignore reads them too", found.left_out.join(", "))
        };
        return Err(Failure::with_hint(format!("{where_}: no source files found"), hint));
    }
    Ok(found)
}

/// Reads and parses files and does no more: what reading a tree costs at least. Returns how
/// many files could be parsed and how many nodes they have.
pub(crate) fn parse_only(args: &TreeArgs, ui: &Ui) -> Result<(usize, usize), Failure> {
    let found = find(args, ui)?;
    let parsed = side_by_side(&found.sources, ui, |source| {
        let bytes = std::fs::read(&source.path).ok()?;
        yarrowgraph_syntax::parse_only(source.language, &source.name, &bytes).ok()
    });
    let nodes: Vec<usize> = parsed.into_iter().flatten().collect();
    Ok((nodes.len(), nodes.iter().sum()))
}

fn side_by_side<T: Send>(sources: &[Source], ui: &Ui, work: impl Fn(&Source) -> T + Sync) -> Vec<T> {
    let bar = ui.progress("reading", sources.len() as u64);
    let mut order: Vec<usize> = (0..sources.len()).collect();
    order.sort_by_key(|i| (std::cmp::Reverse(sources[*i].size), *i));
    let mut results: Vec<(usize, T)> = order
        .into_par_iter()
        .with_max_len(1)
        .map(|i| {
            let result = work(&sources[i]);
            bar.inc(1);
            (i, result)
        })
        .collect();
    bar.finish_and_clear();
    results.sort_by_key(|(i, _)| *i);
    results.into_iter().map(|(_, r)| r).collect()
}

fn unit(source: &Source) -> Result<Unit, String> {
    let bytes = std::fs::read(&source.path).map_err(|e| format!("cannot be read: {e}"))?;
    yarrowgraph_syntax::read(source.language, &source.name, &bytes).map_err(|e| e.to_string())
}

/// Names files that were not read in full.
fn report_partial(files: &Files, ui: &Ui) {
    const SHOWN: usize = 10;
    let all = files.partial.len();
    let shown = if ui.verbose() { all } else { SHOWN.min(all) };
    for report in &files.partial[..shown] {
        let line = report.line.map_or_else(String::new, |l| format!(":{l}"));
        ui.remark(&format!("{}{line}: {}", report.file, report.reason));
    }
    if all > shown {
        ui.remark(&format!("{} more files were not read in full; --verbose names them all", all - shown));
    }
    if ui.verbose() {
        for left in &files.left_out {
            ui.remark(&format!("left out: {left}"));
        }
    }
}

/// Reads and analyses a tree.
pub(crate) fn analyse(args: &TreeArgs, want: Want, ui: &Ui) -> Result<(Analysis, SourceFiles), Failure> {
    let tree = read(args, ui)?;
    let root = tree.found.root.to_string_lossy().replace('\\', "/");
    let options = Options { root: &root, want, library: tree.found.is_library };
    let mut analysis = yarrowgraph_analysis::analyse(tree.facts, &kit, options);
    analysis.map.files = tree.files;
    let paths = tree.found.sources.into_iter().map(|s| (s.name, s.path)).collect();
    Ok((analysis, SourceFiles { paths, lines: Mutex::default() }))
}

/// The lines of source files, read again when they are shown.
pub(crate) struct SourceFiles {
    paths: BTreeMap<String, PathBuf>,
    lines: Mutex<BTreeMap<String, Vec<String>>>,
}

impl Sources for SourceFiles {
    fn line(&self, file: &str, line: u32) -> Option<String> {
        let mut cache = self.lines.lock().ok()?;
        if !cache.contains_key(file) {
            let bytes = std::fs::read(self.paths.get(file)?).ok()?;
            let text = yarrowgraph_syntax::text(&bytes)?;
            cache.insert(file.to_owned(), text.split('\n').map(|l| l.trim_end_matches('\r').to_owned()).collect());
        }
        cache.get(file)?.get(line as usize - 1).cloned()
    }
}
