//! `demo`: writes the demo data and walks through map, check and replay on it.

use std::io::Write;
use std::path::{Path, PathBuf};

use include_dir::{Dir, include_dir};
use yarrowgraph_render::demo::{self, Step};

use crate::args::{Cli, Command, DemoArgs};
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

static DATA: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/demo");

/// What the demo runs: heading, arguments (`DIR` stands for the folder), what to look at.
const STEPS: &[(&str, &[&str], &str)] = &[
    (
        "The wiring of the Marlwend locks",
        &["map", "DIR/java/as-it-was"],
        "A staircase of canal locks. Each channel with who raises it, who hears it, and how each subscription ends.",
    ),
    (
        "The same program with planted faults",
        &["check", "DIR/java/faulty"],
        "Four slips: a board that never leaves the gate, a method reference that is never the one that was added, a list nobody is on, an empty slot.",
    ),
    (
        "Faults of the same kind in another language",
        &["check", "DIR/typescript/faulty", "--rule", "leaked-subscription", "--rule", "futile-unsubscribe"],
        "A convoy's watch that stays on the gauge, and a function that is bound anew each time.",
    ),
    (
        "Faults in what is sent and who takes it",
        &["check", "DIR/javascript/faulty"],
        "A message without the gate it comes from, a handler that waits for pence nobody passes, a lamp that forgets, a way out that cuts blindly.",
    ),
    (
        "After a faithful refactoring",
        &["replay", "DIR/recordings/as-it-was.jsonl", "--against", "DIR/recordings/refactored.jsonl"],
        "The subscriptions moved to one place; two recorded runs show the same dispatch.",
    ),
    (
        "After one that swaps two subscriptions",
        &["replay", "DIR/recordings/as-it-was.jsonl", "--against", "DIR/recordings/reordered.jsonl"],
        "The gate now looks before the weir has let water out: it no longer swings, and a toll is lost.",
    ),
    (
        "After one that puts orders in the place of calls",
        &[
            "replay",
            "DIR/recordings/passage-as-it-was.jsonl",
            "--against",
            "DIR/recordings/passage-with-orders.jsonl",
            "--see-through",
            "issue",
            "--see-through",
            "run",
        ],
        "Seen through the orders, the same sluices and gates move in the same order.",
    ),
    (
        "A chain of links, and what each does with a request",
        &["map", "DIR/javascript/passage/as-it-was"],
        "Who looks at a boat that asks for passage, in which order, and who can let it through or turn it away.",
    ),
    (
        "A chamber as a state machine",
        &["machine", "DIR/javascript/desk/as-it-was"],
        "In which states it can be, what moves it, and what each state does about each event.",
    ),
    (
        "What one call sets off",
        &["follow", "OrderBook.work", "DIR/javascript/desk/as-it-was"],
        "Orders are taken from the book and carried out; the desk tells the others.",
    ),
    (
        "Who knows whom, and who reaches whom by wiring alone",
        &["map", "--view", "coupling", "DIR/javascript/desk/as-it-was"],
        "The keepers hear of each other through the desk, and know nothing of each other.",
    ),
    (
        "Faults in orders, machines and the desk",
        &["check", "DIR/javascript/desk/faulty"],
        "An order that is asked for by a wrong word, one that cannot be taken back, a level that nothing sets, one that nothing leaves, an echo.",
    ),
    (
        "After one that swaps two links",
        &["replay", "DIR/recordings/passage-as-it-was.jsonl", "--against", "DIR/recordings/passage-links-swapped.jsonl"],
        "The toll is taken before anybody looks whether the boat can pass the sill: one boat pays and is refused.",
    ),
    (
        "Who is attached at the end of the run",
        &["roster", "DIR/recordings/as-it-was.jsonl"],
        "Each shift's board came and went; the numbers go back to those of the staircase itself.",
    ),
];

pub(super) fn run(args: &DemoArgs, ui: &Ui) -> Result<Status, Failure> {
    let dir = folder(args)?;
    std::fs::create_dir_all(&dir).map_err(|e| Failure::new(format!("{}: cannot be made: {e}", dir.display())))?;
    DATA.extract(&dir).map_err(|e| Failure::new(format!("{}: the demo data cannot be written: {e}", dir.display())))?;
    let shown = dir.display().to_string();
    let mut out = Output::open(None)?;
    let options = ui.text(false);
    writeln!(out, "The demo data is in {shown}\n")?;
    for (number, (heading, words, look)) in STEPS.iter().enumerate() {
        let words: Vec<String> = words.iter().map(|w| w.replace("DIR", &shown)).collect();
        let command = format!("yarrowgraph {}", words.join(" "));
        demo::step(&mut out, number + 1, &Step { heading, command: &command, look }, &options)?;
        out.flush()?;
        step(&words, ui)?;
        writeln!(out)?;
    }
    let next = [
        ("yarrowgraph explain leaked-subscription".to_owned(), "what a finding means, and how to accept it on purpose"),
        (format!("yarrowgraph map {shown}/csharp --format json"), "the whole map, for other programs"),
        ("yarrowgraph check .".to_owned(), "the tree that you stand in"),
    ];
    let next: Vec<(&str, &str)> = next.iter().map(|(c, w)| (c.as_str(), *w)).collect();
    demo::next(&mut out, "To try next", &next, &options)?;
    out.finish()?;
    Ok(Status::Fine)
}

/// Runs a command of the demo as if it had been typed; findings are what it is about, so
/// its status does not count.
fn step(words: &[String], ui: &Ui) -> Result<(), Failure> {
    let typed = std::iter::once("yarrowgraph".to_owned()).chain(words.iter().cloned());
    let cli = <Cli as clap::Parser>::try_parse_from(typed).map_err(Failure::new)?;
    match cli.command {
        Command::Map(args) => super::map::run(&args, ui)?,
        Command::Check(args) => super::check::run(&args, ui)?,
        Command::Machine(args) => super::machine::run(&args, ui)?,
        Command::Follow(args) => super::follow::run(&args, ui)?,
        Command::Replay(args) => super::replay::run(&args, ui)?,
        Command::Roster(args) => super::roster::run(&args, ui)?,
        _ => Status::Fine,
    };
    Ok(())
}

/// The folder that was named, or a temporary one that stays.
fn folder(args: &DemoArgs) -> Result<PathBuf, Failure> {
    match &args.dir {
        Some(dir) => {
            let used = std::fs::read_dir(dir).is_ok_and(|mut d| d.next().is_some());
            if used && !Path::new(dir).join("recordings/as-it-was.jsonl").exists() {
                return Err(Failure::with_hint(format!("{}: not empty", dir.display()), "name a new folder, or none for a temporary one"));
            }
            Ok(dir.clone())
        }
        None => {
            let made =
                tempfile::Builder::new().prefix("marlwend-").tempdir().map_err(|e| Failure::new(format!("no temporary folder: {e}")))?;
            Ok(made.keep())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_step_can_be_typed() {
        for (_, words, _) in STEPS {
            let typed = std::iter::once("yarrowgraph").chain(words.iter().copied());
            assert!(<Cli as clap::Parser>::try_parse_from(typed).is_ok(), "{words:?}");
        }
    }
}
