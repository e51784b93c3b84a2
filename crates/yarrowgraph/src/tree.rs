//! Reading a tree: files to facts, on all cores.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::PathBuf;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use rayon::prelude::*;
use yarrowgraph_analysis::{Analysis, Options, Want};
use yarrowgraph_ir::{Facts, Language, Unit, facts};
use yarrowgraph_model::{FileCount, FileReport, Files};
use yarrowgraph_render::{Sources, json};

use crate::args::TreeArgs;
use crate::cache::{self, Cache, Fresh, Reading};
use crate::config::Config;
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

/// Reads the files below the given paths.
pub(crate) fn read(args: &TreeArgs, ui: &Ui) -> Result<Tree, Failure> {
    Ok(read_anew(find(args, ui)?, ui))
}

/// Reads all files.
fn read_anew(found: Found, ui: &Ui) -> Tree {
    let started = Instant::now();
    let readings = side_by_side(&found.sources, ui, |_, source| reading(source, &bytes(source)?));
    tree(found, readings, started, ui)
}

/// Reads files as far as an earlier run has not. Gives what there is to keep as well, and whether
/// all files are as they were when the cache was opened.
fn read_kept(found: Found, cache: &Cache, ui: &Ui) -> (Tree, Vec<Fresh>, bool) {
    let started = Instant::now();
    let read = side_by_side(&found.sources, ui, |number, source| {
        if let Some(known) = cache.reading(number) {
            return (known, None, true);
        }
        let bytes = match bytes(source) {
            Ok(bytes) => bytes,
            Err(reason) => return (Err(reason), None, false),
        };
        let reading = reading(source, &bytes);
        let key = cache::key(source.language, &source.name, &bytes);
        let as_it_was = cache.key_of(number) == Some(key);
        let fresh = if as_it_was { Fresh::new(key, &reading) } else { None };
        (reading, fresh, as_it_was)
    });
    let steady = read.iter().all(|(_, _, as_it_was)| *as_it_was);
    let (readings, fresh): (Vec<Reading>, Vec<Option<Fresh>>) = read.into_iter().map(|(reading, fresh, _)| (reading, fresh)).unzip();
    (tree(found, readings, started, ui), fresh.into_iter().flatten().collect(), steady)
}

/// Puts the readings of files together.
fn tree(found: Found, readings: Vec<Reading>, started: Instant, ui: &Ui) -> Tree {
    let shortened = found.shortened.iter().map(|name| format!("{name} (shortened code)"));
    let mut files = Files { left_out: found.left_out.iter().cloned().chain(shortened).collect(), ..Files::default() };
    let mut facts_of = Vec::with_capacity(readings.len());
    let mut languages: BTreeMap<String, FileCount> = BTreeMap::new();
    for (source, reading) in found.sources.iter().zip(readings) {
        match reading {
            Ok(facts) => {
                let count = languages.entry(kind(&facts.unit).to_owned()).or_default();
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
    Tree { found, facts: facts_of, files, took: started.elapsed() }
}

/// What a file is counted as.
pub(crate) fn kind(unit: &Unit) -> &'static str {
    if yarrowgraph_syntax::is_markup(&unit.path) { "markup" } else { unit.language.name() }
}

/// Finds the source files below the given paths; it is a failure to find none.
fn find(args: &TreeArgs, ui: &Ui) -> Result<Found, Failure> {
    let found = discover(&args.paths, args.no_ignore, args.config.as_deref())?;
    for error in &found.errors {
        ui.remark(&format!("yarrowgraph: {error}"));
    }
    if found.sources.iter().all(|s| yarrowgraph_syntax::is_markup(&s.name)) {
        let where_ = found.root.display();
        let known = Language::ALL.map(Language::name).join(", ");
        let hint = if found.left_out.is_empty() && !found.shortened.is_empty() {
            format!("{} files of shortened code are left out; --no-ignore reads them too", found.shortened.len())
        } else if found.left_out.is_empty() {
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
    let parsed = side_by_side(&found.sources, ui, |_, source| {
        let bytes = std::fs::read(&source.path).ok()?;
        yarrowgraph_syntax::parse_only(source.language, &source.name, &bytes).ok()
    });
    let nodes: Vec<usize> = parsed.into_iter().flatten().collect();
    Ok((nodes.len(), nodes.iter().sum()))
}

fn side_by_side<T: Send>(sources: &[Source], ui: &Ui, work: impl Fn(usize, &Source) -> T + Sync) -> Vec<T> {
    let bar = ui.progress("reading", sources.len() as u64);
    let mut order: Vec<usize> = (0..sources.len()).collect();
    order.sort_by_key(|i| (std::cmp::Reverse(sources[*i].size), *i));
    let mut results: Vec<(usize, T)> = order
        .into_par_iter()
        .with_max_len(1)
        .map(|i| {
            let result = work(i, &sources[i]);
            bar.inc(1);
            (i, result)
        })
        .collect();
    bar.finish_and_clear();
    results.sort_by_key(|(i, _)| *i);
    results.into_iter().map(|(_, r)| r).collect()
}

fn bytes(source: &Source) -> Result<Vec<u8>, String> {
    std::fs::read(&source.path).map_err(|e| format!("cannot be read: {e}"))
}

fn reading(source: &Source, bytes: &[u8]) -> Reading {
    yarrowgraph_syntax::read(source.language, &source.name, bytes).map(facts::distill).map_err(|e| e.to_string())
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

/// A tree that was analysed.
pub(crate) struct Analysed {
    /// What came out.
    pub(crate) analysis: Analysis,
    /// Its files, to show lines of.
    pub(crate) sources: SourceFiles,
    /// What the project has set.
    pub(crate) config: Config,
}

/// Opens the cache of a tree, with the result of the last run where that holds on.
fn open_cache(args: &TreeArgs, found: &Found, want: Want) -> Option<Cache> {
    let mut cache = if args.no_cache { None } else { Cache::open(found) }?;
    cache.carry_over(want, |number| {
        let source = &found.sources[number];
        let bytes = bytes(source).ok()?;
        Some((cache::key(source.language, &source.name, &bytes), reading(source, &bytes)))
    });
    Some(cache)
}

/// Writes the map of a tree as JSON: as it is, where an earlier run has kept it.
pub(crate) fn write_map(args: &TreeArgs, out: &mut dyn Write, ui: &Ui) -> Result<(), Failure> {
    let found = find(args, ui)?;
    let cache = open_cache(args, &found, Want::Map);
    if let Some(cache) = &cache
        && let Some(files) = cache.write_map(out)?
    {
        out.write_all(b"\n")?;
        report_partial(&files, ui);
        cache.keep_stamps(&found.sources);
        return Ok(());
    }
    let (mut analysed, cache) = analyse_found(found, cache, Want::Map, ui);
    let pieces = json::pieces(&mut analysed.analysis.map).map_err(Failure::new)?;
    // it is kept while it is written out
    std::thread::scope(|threads| {
        if let Some(cache) = &cache {
            threads.spawn(|| cache.keep_result(Want::Map, &analysed.analysis, &pieces));
        }
        pieces.iter().try_for_each(|piece| out.write_all(piece))?;
        out.write_all(b"\n")
    })?;
    // the process ends: nobody needs to wait for memory to be given back
    std::mem::forget((analysed, pieces));
    Ok(())
}

/// Reads and analyses a tree.
pub(crate) fn analyse(args: &TreeArgs, want: Want, ui: &Ui) -> Result<Analysed, Failure> {
    let found = find(args, ui)?;
    let cache = open_cache(args, &found, want);
    let (mut analysed, cache) = analyse_found(found, cache, want, ui);
    if let Some(cache) = cache
        && let Ok(pieces) = json::pieces(&mut analysed.analysis.map)
    {
        cache.keep_result(want, &analysed.analysis, &pieces);
    }
    Ok(analysed)
}

/// Analyses a tree, or finds what an earlier run came to. Gives the cache as well where the result is still to be kept.
fn analyse_found(found: Found, cache: Option<Cache>, want: Want, ui: &Ui) -> (Analysed, Option<Cache>) {
    let paths = found.sources.iter().map(|s| (s.name.clone(), s.path.clone())).collect();
    let sources = SourceFiles { paths, lines: Mutex::default() };
    let Some(mut cache) = cache else {
        let (analysis, config) = analyse_tree(read_anew(found, ui), want);
        return (Analysed { analysis, sources, config }, None);
    };
    if let Some(analysis) = cache.result(want) {
        report_partial(&analysis.map.files, ui);
        cache.keep_stamps(&found.sources);
        return (Analysed { analysis, sources, config: found.config }, None);
    }
    cache.load();
    let (tree, fresh, steady) = read_kept(found, &cache, ui);
    let stamped = tree.found.sources.clone();
    // the disk has time while the facts are analysed
    let (analysis, config) = std::thread::scope(|threads| {
        threads.spawn(|| {
            cache.keep(fresh);
            cache.keep_stamps(&stamped);
        });
        analyse_tree(tree, want)
    });
    (Analysed { analysis, sources, config }, steady.then_some(cache))
}

/// Reads a tree and asks its wiring something.
pub(crate) fn ask<T: Send>(
    args: &TreeArgs,
    ui: &Ui,
    question: impl FnOnce(&yarrowgraph_analysis::wire::Wiring<'_>) -> T + Send,
) -> Result<T, Failure> {
    let found = find(args, ui)?;
    let cache = if args.no_cache { None } else { Cache::open(&found) };
    let tree = match cache {
        None => read_anew(found, ui),
        Some(mut cache) => {
            cache.load();
            let (tree, fresh, _) = read_kept(found, &cache, ui);
            cache.keep(fresh);
            tree
        }
    };
    let (library, limits) = (tree.found.is_library, tree.found.config.limits());
    let options = Options { root: ".", want: Want::Map, library, packages: &tree.found.packages, keeps: &[], limits, ends: true };
    Ok(yarrowgraph_analysis::with_wiring(tree.facts, &|language| tree.found.config.kit(language), options, question))
}

fn analyse_tree(tree: Tree, want: Want) -> (Analysis, Config) {
    let root = tree.found.root.to_string_lossy().replace('\\', "/");
    let keeps = tree.found.config.keeps();
    let (library, limits) = (tree.found.is_library, tree.found.config.limits());
    let options = Options { root: &root, want, library, packages: &tree.found.packages, keeps: &keeps, limits, ends: true };
    let mut analysis = yarrowgraph_analysis::analyse(tree.facts, &|language| tree.found.config.kit(language), options);
    analysis.map.files = tree.files;
    (analysis, tree.found.config)
}

/// The lines of source files, read again when they are shown.
pub(crate) struct SourceFiles {
    paths: BTreeMap<String, PathBuf>,
    lines: Mutex<BTreeMap<String, Vec<String>>>,
}

impl SourceFiles {
    /// The names of the files.
    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        self.paths.keys().map(String::as_str)
    }
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
