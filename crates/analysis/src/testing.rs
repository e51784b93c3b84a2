//! For tests: sources as texts, with what is expected of them written on their lines.
//!
//! A line that ends in `//! rule level` expects that finding there; every other line expects
//! none. A text may hold several files, each headed by `//// path`.

use std::borrow::Cow;

use yarrowgraph_ir::{Facts, facts};
use yarrowgraph_model::{Finding, Map};

use crate::program::{Kit, Packages};
use crate::{Analysis, Options, Want};

/// The files of a text.
pub(crate) fn files(text: &str) -> Vec<(String, String)> {
    let mut files: Vec<(String, String)> = Vec::new();
    for line in text.lines() {
        match line.trim_start().strip_prefix("//// ") {
            Some(path) => files.push((path.trim().to_owned(), String::new())),
            None => {
                if let Some((_, text)) = files.last_mut() {
                    text.push_str(line);
                    text.push('\n');
                }
            }
        }
    }
    files
}

/// Analyses the files of a text.
pub(crate) fn analyse(text: &str, library: bool) -> Analysis {
    let facts: Vec<Facts> = files(text)
        .iter()
        .map(|(path, text)| {
            let language = yarrowgraph_syntax::language_of(path).expect("a known ending");
            facts::distill(yarrowgraph_syntax::read(language, path, text.as_bytes()).expect("readable"))
        })
        .collect();
    let kit = |language| Kit { traits: yarrowgraph_syntax::traits(language), pack: Cow::Borrowed(yarrowgraph_syntax::pack(language)) };
    let limits = crate::mediator::Limits::default();
    crate::analyse(
        facts,
        &kit,
        Options { root: ".", want: Want::Findings, library, packages: &Packages::new(), keeps: &[], limits, ends: false },
    )
}

/// The map of a text.
pub(crate) fn map(text: &str) -> Map {
    analyse(text, false).map
}

/// The moves of a text's machines, as `from --event--> to`.
pub(crate) fn transitions(text: &str) -> Vec<String> {
    let map = map(text);
    map.machines.iter().flat_map(|m| &m.transitions).map(|t| format!("{} --{}--> {}", t.from, t.event, t.to)).collect()
}

fn said(f: &Finding) -> (String, u32, String) {
    (f.place.file.clone(), f.place.line, format!("{} {}", f.rule, format!("{:?}", f.level).to_lowercase()))
}

/// Fails unless the findings of one rule are those that the lines of an application expect.
#[track_caller]
pub(crate) fn expect(rule: &str, text: &str) {
    expect_in(rule, text, false);
}

/// The same for code that other trees use.
#[track_caller]
pub(crate) fn expect_in_library(rule: &str, text: &str) {
    expect_in(rule, text, true);
}

#[track_caller]
fn expect_in(rule: &str, text: &str, library: bool) {
    let mut expected = Vec::new();
    for (path, text) in files(text) {
        for (index, line) in text.lines().enumerate() {
            if let Some((_, marks)) = line.split_once("//! ") {
                expected.extend(marks.split(',').map(|m| (path.clone(), index as u32 + 1, m.trim().to_owned())));
            }
        }
    }
    expected.sort();
    let analysis = analyse(text, library);
    let mut found: Vec<_> = analysis.findings.iter().filter(|f| f.rule == rule).map(said).collect();
    found.sort();
    assert_eq!(found, expected, "\n{:#?}", analysis.findings);
}
