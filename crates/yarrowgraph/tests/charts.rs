//! Exported charts, run by an interpreter of SCXML that is not ours. `.ci/run` installs it below `target/interpreter`;
//! without it, or without Node.js, the tests say so and fail in CI.

mod common;

use std::path::{Path, PathBuf};
use std::process::Command;

use common::{demo, folder, run_in};
use serde_json::Value;
use tempfile::TempDir;

/// Where the interpreter is; none where it cannot be run here.
#[expect(clippy::print_stderr, reason = "a test that is left out says so")]
fn interpreter() -> Option<PathBuf> {
    let modules = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/interpreter/node_modules");
    let node = Command::new("node").arg("--version").output().is_ok_and(|o| o.status.success());
    if node && modules.is_dir() {
        return Some(modules);
    }
    assert!(std::env::var_os("CI").is_none(), "the interpreter of SCXML is missing, so charts cannot be run");
    eprintln!("NOT RUN: the interpreter of SCXML is missing here (see .ci/run), so charts were not run");
    None
}

/// The states that the interpreter goes through: the first one, and the one after each event.
fn interpreted(modules: &Path, dir: &TempDir, chart: &str, events: &[String]) -> Vec<String> {
    std::fs::write(dir.path().join("chart.scxml"), chart).expect("writable");
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/interpret.cjs");
    let done = Command::new("node")
        .arg(script)
        .arg("chart.scxml")
        .args(events)
        .env("NODE_PATH", modules)
        .current_dir(dir.path())
        .output()
        .expect("it can be run");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).expect("UTF-8").lines().map(str::to_owned).collect()
}

/// Events that go round all of a machine's, over and over, in another order each time.
fn rounds(machine: &Value) -> Vec<String> {
    let mut names: Vec<String> = transitions(machine).map(|t| text(&t["event"]).to_owned()).collect();
    names.sort();
    names.dedup();
    let mut events = Vec::new();
    for _ in 0..12 {
        events.extend(names.iter().cloned());
        names.rotate_left(1);
        if names.len() > 2 {
            names.swap(0, 2);
        }
    }
    events
}

fn transitions(machine: &Value) -> impl Iterator<Item = &Value> {
    machine["transitions"].as_array().expect("a list").iter()
}

fn text(value: &Value) -> &str {
    value.as_str().expect("a text")
}

/// Fails unless the interpreter goes the ways that the map says, and comes to every state.
#[track_caller]
fn runs_as_mapped(tree: &Path, name: &str) {
    let Some(modules) = interpreter() else { return };
    let dir = folder(&[]);
    let tree = tree.to_string_lossy();
    let map: Value = serde_json::from_str(&run_in(dir.path(), &["map", "--format", "json", &tree]).out).expect("JSON");
    let machines = map["machines"].as_array().expect("a list");
    let machine = machines.iter().find(|m| text(&m["id"]).ends_with(name)).expect("the machine");
    let chart = run_in(dir.path(), &["machine", "--name", name, "--format", "scxml", &tree]).out;
    let events = rounds(machine);
    let states = interpreted(&modules, &dir, &chart, &events);
    assert_eq!(states.len(), events.len() + 1);
    assert_eq!(states[0], text(&machine["initial"][0]));
    for (event, step) in events.iter().zip(states.windows(2)) {
        let from_here = |t: &&Value| [step[0].as_str(), "*"].contains(&text(&t["from"])) && text(&t["event"]) == event;
        let ways: Vec<&str> = transitions(machine).filter(from_here).map(|t| text(&t["to"])).collect();
        let stays = ways.is_empty() && step[0] == step[1];
        assert!(stays || ways.contains(&step[1].as_str()), "{event} led from {} to {}, mapped are {ways:?}", step[0], step[1]);
    }
    for state in machine["states"].as_array().expect("a list") {
        assert!(states.iter().any(|s| s == text(&state["name"])), "nothing led to {}", state["name"]);
    }
}

#[test]
fn the_chamber_of_the_demo() {
    runs_as_mapped(&demo().join("javascript/desk/as-it-was"), "Chamber.#level");
}

#[test]
fn numbers_and_objects() {
    let dir = folder(&[
        (
            "Pump.java",
            b"public class Pump {
    static final int IDLE = 0, PRIMING = 1, RUNNING = 2, TRIPPED = 3;
    private int state = IDLE;
    public void prime() { if (state == IDLE) state = PRIMING; }
    public void primed() { if (state == PRIMING) state = RUNNING; }
    public void overload() { if (state == RUNNING || state == PRIMING) state = TRIPPED; }
    public void reset() { state = IDLE; }
    public static void main(String[] args) { new Pump().prime(); }
}
",
        ),
        (
            "weir.ts",
            b"interface Stage { rise(w: Weir): void; fall(w: Weir): void }
class Low implements Stage { rise(w: Weir) { w.go(new Brim()); } fall(w: Weir) {} }
class Brim implements Stage { rise(w: Weir) { w.go(new Over()); } fall(w: Weir) { w.go(new Low()); } }
class Over implements Stage { rise(w: Weir) {} fall(w: Weir) { w.go(new Brim()); } }
export class Weir {
  private stage: Stage = new Low();
  go(stage: Stage) { this.stage = stage; }
  rise() { this.stage.rise(this); }
  fall() { this.stage.fall(this); }
}
new Weir().rise();
",
        ),
    ]);
    runs_as_mapped(dir.path(), "Pump.state");
    runs_as_mapped(dir.path(), "Weir.stage");
}
