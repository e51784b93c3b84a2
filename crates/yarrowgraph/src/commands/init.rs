//! `init`: a commented configuration, fitted to the tree that it is for.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::io::Write as _;
use std::path::Path;

use yarrowgraph_analysis::{Want, judge};
use yarrowgraph_ir::Language;
use yarrowgraph_model::UnresolvedKind;

use crate::args::{InitArgs, TreeArgs};
use crate::config::FILE;
use crate::failure::{Failure, Status};
use crate::tree::{self, Analysed};
use crate::ui::{Output, Ui};

/// Folders whose code is a program's tests, and what their files' names look like.
const TESTS: &[&str] = &["test", "tests", "Test", "Tests", "__tests__", "spec", "specs", "e2e"];

/// How many calls that were not resolved are offered as idioms.
const OFFERED: usize = 5;

pub(super) fn run(args: &InitArgs, ui: &Ui) -> Result<Status, Failure> {
    let path = args.output.clone().unwrap_or_else(|| args.dir.join(FILE));
    if !args.force && path != Path::new("-") && path.exists() {
        return Err(Failure::with_hint(format!("{}: is there already", path.display()), "--force writes over it"));
    }
    let tree = TreeArgs { paths: vec![args.dir.clone()], no_ignore: false, no_cache: false, config: None };
    let analysed = tree::analyse(&tree, Want::Findings, ui)?;
    let text = text(&analysed);
    let mut out = Output::open(Some(&path))?;
    out.write_all(text.as_bytes())?;
    if out.is_file() {
        ui.remark(&format!("{}: written", path.display()));
    }
    out.finish()?;
    Ok(Status::Fine)
}

/// The configuration. Whatever is commented out can be read as it stands once the signs are taken away.
fn text(tree: &Analysed) -> String {
    let mut t = String::from(
        "# What Yarrowgraph reads here, and what it reports. Every key is described in docs/configuration.md of its sources.\n\
         # What is commented out shows the form, or what holds anyway.\n\n[tree]\n",
    );
    let files = &tree.analysis.map.files;
    let read: Vec<String> = files.languages.iter().map(|(name, c)| format!("{name} {} files, {} lines", c.files, c.lines)).collect();
    let _ = writeln!(t, "# Read: {}.", read.join("; "));
    if !files.left_out.is_empty() {
        let _ = writeln!(t, "# Left out: {}.", files.left_out.join(", "));
    }
    let folders: BTreeSet<&str> =
        files.left_out.iter().filter(|l| l.ends_with(" files)")).filter_map(|l| l.split(" (").next()?.rsplit('/').next()).collect();
    let folders: Vec<String> = folders.into_iter().filter(|f| !f.contains(' ')).map(quoted).collect();
    let taken = if folders.is_empty() { quoted("vendor") } else { folders.join(", ") };
    let _ = writeln!(t, "# leave-out = [\"legacy\", \"**/*.generated.ts\"]\n# take-in = [{taken}]");
    t.push_str(
        "# Whether other trees use this one: what its public types raise may then be heard elsewhere.\n# library = true\n\
         # Methods where the program begins, and methods in which an object's life ends, beside the usual ones.\n\
         # entry-points = [\"Harbour.run\"]\n# teardowns = [\"cutOff\"]\n\
         # accepted = \"yarrowgraph-accepted.toml\"\n\n",
    );
    rules(&mut t, tree);
    tests(&mut t, tree);
    idioms(&mut t, tree);
    t
}

/// Each rule with what it reports now.
fn rules(t: &mut String, tree: &Analysed) {
    t.push_str(
        "# Each rule's level can be set: off, note, warning, error; or { at-most = \"note\" }, { certainty = \"likely\" }.\n[rules]\n",
    );
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for finding in &tree.analysis.findings {
        *counts.entry(finding.rule.as_str()).or_default() += 1;
    }
    for rule in judge::RULES {
        let now = counts.get(rule.name).map_or_else(String::new, |n| format!("; {n} now"));
        let level = format!("{:?}", rule.level).to_lowercase();
        let _ = writeln!(t, "# {}{now}\n# {} = \"{level}\"", rule.summary, rule.name);
    }
    t.push('\n');
}

/// The folders of tests, where nothing breaks a build.
fn tests(t: &mut String, tree: &Analysed) {
    let found: BTreeSet<String> = tree.sources.names().filter_map(test_folder).collect();
    let globs: Vec<String> = found.iter().map(|g| quoted(g)).collect();
    let (sign, globs) = if globs.is_empty() { ("# ", quoted("**/tests")) } else { ("", globs.join(", ")) };
    let _ = writeln!(t, "# Tests come and go within one run: what they leave behind matters less.");
    let _ = writeln!(t, "{sign}[[paths]]\n{sign}match = [{globs}]\n{sign}rules = {{ leaked-subscription = {{ at-most = \"note\" }} }}\n");
}

/// The pattern of the tests that a file is one of.
fn test_folder(file: &str) -> Option<String> {
    let (folders, name) = file.rsplit_once('/').unwrap_or(("", file));
    let test = folders.split('/').find(|f| TESTS.contains(f));
    let ending = || [".spec.", ".test."].iter().find_map(|mark| name.find(mark).map(|at| format!("**/*{}", &name[at..])));
    test.map(|f| format!("**/{f}")).or_else(ending)
}

/// Calls that look like wiring and were not resolved, as idioms to complete.
fn idioms(t: &mut String, tree: &Analysed) {
    t.push_str("# What a library of yours offers. The receiver's types, the method, what it does, and the roles of its arguments.\n");
    let mut calls: BTreeMap<(&str, &str, UnresolvedKind), usize> = BTreeMap::new();
    for piece in &tree.analysis.map.unresolved {
        let language = yarrowgraph_syntax::language_of(&piece.place.file).map(Language::name);
        if let (Some(language), Some(method)) = (language, called(&piece.text)) {
            *calls.entry((language, method, piece.kind)).or_default() += 1;
        }
    }
    let mut calls: Vec<_> = calls.into_iter().collect();
    calls.sort_by_key(|(_, n)| std::cmp::Reverse(*n));
    let language = tree.analysis.map.files.languages.keys().next().map_or("csharp", String::as_str);
    if calls.is_empty() {
        let _ = writeln!(
            t,
            "# [[pack.{language}.idiom]]\n# on = [\"TideBus\"]\n# name = \"hear\"\n# does = \"subscribe\"\n# topic = 0\n# handler = 1"
        );
    }
    for ((language, method, kind), n) in calls.into_iter().take(OFFERED) {
        let does = match kind {
            UnresolvedKind::Subscribe => "subscribe",
            UnresolvedKind::Unsubscribe => "release",
            UnresolvedKind::Raise => "raise",
        };
        let arguments = if kind == UnresolvedKind::Raise { "# topic = 0\n" } else { "# topic = 0\n# handler = 1\n" };
        let calls = if n == 1 { "1 call was".to_owned() } else { format!("{n} calls were") };
        let _ = writeln!(
            t,
            "# {calls} not resolved.\n# [[pack.{language}.idiom]]\n# on = [\"TheTypeOfTheReceiver\"]\n# name = {}\n# does = \"{does}\"\n{arguments}",
            quoted(method)
        );
    }
}

/// The name of the method that a call's text calls.
fn called(text: &str) -> Option<&str> {
    let callee = text.split('(').next()?;
    let name = callee.rsplit(|c: char| !c.is_alphanumeric() && c != '_').next()?;
    (!name.is_empty() && text.contains('(')).then_some(name)
}

fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}
