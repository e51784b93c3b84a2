//! What a team states in `[[keep]]`, held against code in four languages. The texts below `data/keep` hold several files each, behind
//! lines `//// NAME`; a line that goes against a statement ends in `//! broken-keep`.

mod common;

use std::collections::BTreeSet;

use common::{folder, run_in};

const MARK: &str = "//! broken-keep";

/// Lines of files.
type Lines = BTreeSet<(String, u64)>;

/// The files of a text without its marks, and the marked lines.
fn files(text: &str) -> (Vec<(String, String)>, Lines) {
    let (mut files, mut marked): (Vec<(String, String)>, Lines) = (Vec::new(), Lines::new());
    for line in text.lines() {
        if let Some(name) = line.strip_prefix("//// ") {
            files.push((name.to_owned(), String::new()));
            continue;
        }
        let Some((name, text)) = files.last_mut() else { panic!("a text begins with the name of a file") };
        let number = text.lines().count() as u64 + 1;
        if line.ends_with(MARK) {
            marked.insert((name.clone(), number));
        }
        text.push_str(line.trim_end_matches(MARK).trim_end());
        text.push('\n');
    }
    (files, marked)
}

#[track_caller]
fn held(text: &str) {
    let (files, marked) = files(text);
    let given: Vec<(&str, &[u8])> = files.iter().map(|(name, text)| (name.as_str(), text.as_bytes())).collect();
    let dir = folder(&given);
    let said = run_in(dir.path(), &["check", ".", "--rule", "broken-keep", "--format", "json", "--fail-at", "never"]);
    let report: serde_json::Value = serde_json::from_str(&said.out).expect("the report is JSON");
    let findings = report["findings"].as_array().expect("it lists findings");
    let place = |f: &serde_json::Value| {
        let place = &f["place"];
        (place["file"].as_str().unwrap_or_default().to_owned(), place["line"].as_u64().unwrap_or_default())
    };
    let found: Lines = findings.iter().map(place).collect();
    assert_eq!(found, marked, "{}", said.out);
}

#[test]
fn listeners_and_ways_in_typescript() {
    held(include_str!("data/keep/dye_shop.ts"));
}

#[test]
fn checks_of_a_list_in_java() {
    held(include_str!("data/keep/weir_house.java"));
}

#[test]
fn listeners_by_functions_on_the_spot_in_cpp() {
    held(include_str!("data/keep/dome_motor.cpp"));
}

#[test]
fn links_of_a_library_in_javascript() {
    held(include_str!("data/keep/letter_office.js"));
}
