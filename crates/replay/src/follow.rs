//! What a run really did from a record on: the trees below records of a name.

use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::Serialize;
use yarrowgraph_model::{Kind, Outcome};

use crate::read::{Line, ReadError, Reader};
use crate::say::say;
use crate::source::Source;

/// The version of the form in which what was followed is written.
pub const FOLLOW_VERSION: u32 = 1;
/// So many trees are kept; of more only the number.
const KEPT: usize = 2000;
/// So many records of them at most.
const RECORDS: usize = 500_000;

/// From where a run is followed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Start {
    /// A record.
    Record(u64),
    /// Records that have an id of this name, or one that ends in it.
    Name(String),
}

/// A record of a tree that was followed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Step {
    /// Its number.
    pub n: u64,
    /// How deep it stands below the first.
    pub depth: u32,
    /// What it says.
    pub kind: Kind,
    /// Its id, in a few words.
    pub text: String,
    /// The object that it happens to: the one that is called, told or changed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub object: Option<String>,
    /// Its lane, where that is not the main one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lane: Option<String>,
    /// How its work ended.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub outcome: Option<Outcome>,
}

/// Trees that say the same, and the first of them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Followed {
    /// How many there are.
    pub times: u64,
    /// The first of them.
    pub steps: Vec<Step>,
}

/// What was followed in a run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Following {
    /// Always `yarrowgraph-following`.
    pub format: &'static str,
    /// The version of this form.
    pub version: u32,
    /// How many records of the name there are.
    pub found: u64,
    /// What they set off, in the order of the first of each.
    pub trees: Vec<Followed>,
    /// How many were not looked into, because there are so many.
    pub left_out: u64,
}

/// Follows a run. The line that was cut short and left out comes with it.
///
/// # Errors
///
/// When the recording cannot be read, or has no such record.
pub fn follow(source: &Source<'_>, from: &Start) -> Result<(Following, Option<u64>), ReadError> {
    let mut reader = Reader::open(source)?;
    // for each record of a tree the tree, and its place in it
    let mut known: FxHashMap<u64, (usize, usize)> = FxHashMap::default();
    let mut trees: Vec<Vec<Step>> = Vec::new();
    let (mut found, mut left_out, mut records) = (0, 0, 0);
    while let Some((_, line)) = reader.next()? {
        match line.kind {
            Kind::Note => continue,
            Kind::Settle => {
                if let Some((tree, at)) = line.of.and_then(|of| known.get(&of)) {
                    trees[*tree][*at].outcome = line.outcome;
                }
                continue;
            }
            _ => {}
        }
        let parent = line.by.and_then(|by| known.get(&by).copied());
        let (tree, depth) = match parent {
            Some((tree, at)) => (tree, trees[tree][at].depth + 1),
            None if is_from(&line, from) => {
                found += 1;
                if trees.len() >= KEPT || records >= RECORDS {
                    left_out += 1;
                    continue;
                }
                trees.push(Vec::new());
                (trees.len() - 1, 0)
            }
            None => continue,
        };
        records += 1;
        known.insert(line.n, (tree, trees[tree].len()));
        trees[tree].push(step(&line, depth));
    }
    if found == 0 {
        return Err(match from {
            Start::Record(n) => ReadError::NoRecord { name: source.name().to_owned(), n: *n },
            Start::Name(name) => ReadError::NoName { name: source.name().to_owned(), wanted: name.clone() },
        });
    }
    let mut alike: FxHashMap<String, usize> = FxHashMap::default();
    let mut followed: Vec<Followed> = Vec::new();
    for steps in trees {
        let shape: String =
            steps.iter().map(|s| format!("{} {} {} {:?} {:?}\n", s.depth, s.kind as u8, s.text, s.lane, s.outcome)).collect();
        match alike.get(&shape) {
            Some(at) => followed[*at].times += 1,
            None => {
                alike.insert(shape, followed.len());
                followed.push(Followed { times: 1, steps });
            }
        }
    }
    Ok((Following { format: "yarrowgraph-following", version: FOLLOW_VERSION, found, trees: followed, left_out }, reader.cut()))
}

fn step(line: &Line<'_>, depth: u32) -> Step {
    let record = line.to_record();
    let object = record.subscriber.clone().or(record.object.clone()).or(record.subject.clone()).or(record.invoker.clone());
    Step { n: line.n, depth, kind: line.kind, text: say(&record), object, lane: record.lane.filter(|l| l != "main"), outcome: None }
}

/// Whether a record is one that is followed.
fn is_from(line: &Line<'_>, from: &Start) -> bool {
    let name = match from {
        Start::Record(n) => return line.n == *n,
        Start::Name(name) => name.as_str(),
    };
    let fits = |id: &str| id.strip_suffix(name).is_some_and(|rest| rest.is_empty() || rest.ends_with(['.', ':', '#', '~']));
    let ids = match line.kind {
        Kind::Deliver => vec![&line.handler],
        Kind::Offer => vec![&line.chain, &line.handler],
        Kind::Enter => vec![&line.machine, &line.event],
        // who joins or leaves sets nothing off
        Kind::Subscribe | Kind::Unsubscribe => Vec::new(),
        _ => vec![&line.target, &line.channel, &line.command],
    };
    ids.into_iter().flatten().any(|id| fits(id.as_str()))
}

#[cfg(test)]
mod tests {
    use super::*;

    const RUN: &str = r#"{"recording":1}
{"n":1,"kind":"call","target":"Lock.fill","object":"Lock#1"}
{"n":2,"by":1,"kind":"raise","channel":"marlwend.Gauge.rose","subject":"Gauge#1"}
{"n":3,"by":2,"kind":"deliver","channel":"marlwend.Gauge.rose","handler":"Board.show","subscriber":"Board#1"}
{"n":4,"kind":"settle","of":3,"outcome":"done"}
{"n":5,"kind":"raise","channel":"marlwend.Gauge.rose","subject":"Gauge#2"}
{"n":6,"by":5,"kind":"deliver","channel":"marlwend.Gauge.rose","handler":"Board.show","subscriber":"Board#2"}
{"n":7,"kind":"settle","of":6,"outcome":"done"}
"#;

    fn of(from: Start) -> Result<Following, ReadError> {
        follow(&Source::bytes("r", RUN.as_bytes()), &from).map(|(f, _)| f)
    }

    #[test]
    fn records_of_a_name_with_what_they_set_off() {
        let found = of(Start::Name("Gauge.rose".into())).expect("found");
        assert_eq!((found.found, found.trees.len(), found.trees[0].times), (2, 1, 2));
        let said: Vec<(u64, u32, &str)> = found.trees[0].steps.iter().map(|s| (s.n, s.depth, s.text.as_str())).collect();
        assert_eq!(said, [(2, 0, "raise marlwend.Gauge.rose"), (3, 1, "deliver to Board.show")]);
        assert_eq!(found.trees[0].steps[1].outcome, Some(Outcome::Done));
    }

    #[test]
    fn a_record_and_what_is_not_there() {
        assert_eq!(of(Start::Record(1)).expect("found").trees[0].steps.len(), 3);
        assert!(of(Start::Record(99)).is_err());
        let error = of(Start::Name("auge.rose".into())).expect_err("no such name");
        assert_eq!(error.to_string(), "r: nothing in it is called auge.rose");
    }
}
