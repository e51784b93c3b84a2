//! Code as practitioners write it, with all that the map and the rules must say of it.
//!
//! The files below `fixtures/` are texts as `testing` reads them. A line on which something
//! joins, leaves or raises a channel, is reported, or stays unresolved ends in `//: ` and all
//! of that, in the order of [`said`]; what is not written there must not be found. The folders
//! of machines, chains, commands and mediators say those ([`said_of_patterns`]), and the folder of rules
//! what is reported ([`said_by_rules`]).
//!
//! `YARROWGRAPH_MARK=1 cargo test` writes the marks anew, to be read before they are kept.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::testing::{analyse, files};

const MARK: &str = " //: ";
/// The folders of which the patterns are said.
const PATTERNS: [&str; 4] = ["machines", "chains", "commands", "mediators"];

/// The folder of which only findings are said.
const RULES: &str = "rules";

/// What is said of each line of each file.
fn said(text: &str) -> BTreeMap<(String, u32), Vec<String>> {
    let analysis = analyse(text, false);
    let mut said: BTreeMap<(String, u32), Vec<String>> = BTreeMap::new();
    let mut say = |place: &yarrowgraph_model::Place, what: String| {
        said.entry((place.file.clone(), place.line)).or_default().push(what);
    };
    for c in &analysis.map.channels {
        for s in &c.subscriptions {
            say(&s.place, format!("{} joins {} ({})", s.handler, c.id, format!("{:?}", s.lifetime).to_lowercase()));
        }
        for r in &c.releases {
            say(&r.place, format!("{} leaves {}", r.handler, c.id));
        }
        for r in &c.raises {
            say(&r.place, format!("raises {}", c.id));
        }
    }
    for u in &analysis.map.unresolved {
        say(&u.place, "unresolved".to_owned());
    }
    // bodies are left empty here to be short
    for f in analysis.findings.iter().filter(|f| f.rule != "hollow-handler") {
        say(&f.place, format!("{} {}", f.rule, format!("{:?}", f.level).to_lowercase()));
    }
    said.values_mut().for_each(|said| said.sort());
    said
}

fn ends(link: &yarrowgraph_model::ChainLink) -> String {
    let asked = link.asked_for.as_ref().map_or(String::new(), |path| format!(" (for {path})"));
    let ends = if link.conditions.is_empty() { String::new() } else { format!(" (ends: {})", link.conditions.join("; ")) };
    asked + &ends
}

/// What is said of the patterns on each line of each file.
fn said_of_patterns(text: &str) -> BTreeMap<(String, u32), Vec<String>> {
    let analysis = analyse(text, false);
    let map = &analysis.map;
    let mut said: BTreeMap<(String, u32), Vec<String>> = BTreeMap::new();
    let mut say = |place: &yarrowgraph_model::Place, what: String| {
        said.entry((place.file.clone(), place.line)).or_default().push(what);
    };
    for m in &map.machines {
        say(&m.place, format!("{} of {} starts in {}", m.encoding, m.states.len(), m.initial.join(" or ")));
        for t in &m.transitions {
            let guard = t.guard.as_ref().map_or(String::new(), |g| format!(" if {g}"));
            say(&t.place, format!("{} -{}-> {}{guard}", t.from, t.event, t.to));
        }
    }
    for chain in &map.chains {
        let links: Vec<String> =
            chain.links.iter().map(|l| format!("{} {}{}", l.handler, format!("{:?}", l.passes).to_lowercase(), ends(l))).collect();
        if let Some(place) = chain.built.first() {
            say(place, format!("{} links {}", chain.id, links.join(" > ")));
        }
    }
    for c in &map.commands {
        say(&c.place, format!("command on {} undo {}", c.receivers.join("+"), format!("{:?}", c.undo).to_lowercase()));
    }
    for i in &map.invokers {
        let held = if i.commands.is_empty() { "functions".to_owned() } else { i.commands.join("+") };
        say(&i.place, format!("{} of {held}", format!("{:?}", i.holds).to_lowercase()));
    }
    for f in &map.factories {
        let codes: Vec<String> = f.codes.iter().map(|c| format!("{}={}", c.code, c.makes.as_deref().unwrap_or("-"))).collect();
        say(&f.place, format!("makes {}", codes.join(" ")));
    }
    for m in &map.mediators {
        let colleagues: Vec<&str> = m.colleagues.iter().map(|c| c.class.as_str()).collect();
        say(&m.place, format!("mediates {}", colleagues.join("+")));
        for r in &m.routes {
            say(&r.place, format!("routes to {}", format!("{:?}", r.to).to_lowercase()));
        }
    }
    for f in analysis.findings.iter().filter(|f| f.rule != "hollow-handler") {
        say(&f.place, format!("{} {}", f.rule, format!("{:?}", f.level).to_lowercase()));
    }
    said.values_mut().for_each(|said| said.sort());
    said
}

/// What the rules say of each line of each file.
fn said_by_rules(text: &str) -> BTreeMap<(String, u32), Vec<String>> {
    let mut said: BTreeMap<(String, u32), Vec<String>> = BTreeMap::new();
    for f in analyse(text, false).findings {
        said.entry((f.place.file, f.place.line)).or_default().push(format!("{} {}", f.rule, format!("{:?}", f.level).to_lowercase()));
    }
    said.values_mut().for_each(|said| said.sort());
    said
}

/// The text without its marks.
fn plain(text: &str) -> String {
    text.lines().map(|line| line.split_once(MARK).map_or(line, |(code, _)| code).to_owned() + "\n").collect()
}

/// The text with the marks that belong to it.
fn marked(text: &str, path: &Path) -> String {
    let plain = plain(text);
    let is_in = |folder: &str| path.components().any(|part| part.as_os_str() == folder);
    let said = if is_in(RULES) {
        said_by_rules(&plain)
    } else if PATTERNS.into_iter().any(is_in) {
        said_of_patterns(&plain)
    } else {
        said(&plain)
    };
    let (mut path, mut number) = (String::new(), 0);
    let mut out = String::new();
    for line in plain.lines() {
        out.push_str(line);
        match line.trim_start().strip_prefix("//// ") {
            Some(next) => (path, number) = (next.trim().to_owned(), 0),
            None => {
                number += 1;
                if let Some(said) = said.get(&(path.clone(), number)) {
                    out.push_str(MARK);
                    out.push_str(&said.join(", "));
                }
            }
        }
        out.push('\n');
    }
    out
}

fn fixtures() -> Vec<PathBuf> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("fixtures");
    let entries = |dir: &Path| {
        let read = std::fs::read_dir(dir).expect("a folder");
        let mut paths: Vec<PathBuf> = read.map(|e| e.expect("an entry").path()).collect();
        paths.sort();
        paths
    };
    // the folder of rules has one for each language
    let (folders, files): (Vec<PathBuf>, Vec<PathBuf>) =
        entries(&root).iter().flat_map(|folder| entries(folder)).partition(|path| path.is_dir());
    files.into_iter().chain(folders.iter().flat_map(|folder| entries(folder))).collect()
}

#[test]
fn fixtures_say_what_is_found_in_them() {
    let mark = std::env::var_os("YARROWGRAPH_MARK").is_some();
    let mut wrong = Vec::new();
    for path in fixtures() {
        let text = std::fs::read_to_string(&path).expect("readable");
        assert!(!files(&text).is_empty(), "{}: no file in it", path.display());
        let found = marked(&text, &path);
        if mark {
            std::fs::write(&path, found).expect("writable");
            continue;
        }
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        for (number, (expected, found)) in text.lines().zip(found.lines()).enumerate() {
            if expected != found {
                wrong.push(format!("{name}:{}\n  expected {expected}\n  found    {found}", number + 1));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
