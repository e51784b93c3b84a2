//! The recorders, tested by really running programs with them. Without a JDK or Node.js the tests say so and fail in CI.

mod common;

use std::path::{Path, PathBuf};
use std::process::Command;

use common::{Said, run_in};
use tempfile::TempDir;

fn recorders() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/recorders")
}

/// Whether a program can be run here. Where it cannot, that is said loudly, and is a failure in CI.
#[expect(clippy::print_stderr, reason = "a test that is left out says so")]
fn is_there(program: &str, version: &str) -> bool {
    if Command::new(program).arg(version).output().is_ok_and(|o| o.status.success()) {
        return true;
    }
    assert!(std::env::var_os("CI").is_none(), "{program} is missing, so this recorder cannot be tested");
    eprintln!("NOT RUN: {program} is missing here, so this recorder was not tested");
    false
}

/// Runs a program that records itself; its recording and whether it ended well.
fn recorded(dir: &TempDir, command: &mut Command) -> (String, bool) {
    let path = dir.path().join("run.jsonl");
    let done = command.current_dir(dir.path()).env("YARROWGRAPH_RECORDING", &path).output().expect("it can be run");
    (std::fs::read_to_string(&path).expect("a recording"), done.status.success())
}

fn roster(dir: &TempDir) -> Said {
    run_in(dir.path(), &["roster", "run.jsonl"])
}

fn javascript(code: &str) -> (TempDir, String, bool) {
    let dir = tempfile::tempdir().expect("a temporary folder");
    std::fs::copy(recorders().join("javascript/recorder.cjs"), dir.path().join("recorder.cjs")).expect("copied");
    std::fs::write(dir.path().join("main.mjs"), format!("import recorder from './recorder.cjs';\n{code}")).expect("written");
    let (text, well) = recorded(&dir, Command::new("node").arg("main.mjs"));
    (dir, text, well)
}

fn java(code: &str) -> (TempDir, String, bool) {
    let dir = tempfile::tempdir().expect("a temporary folder");
    std::fs::write(dir.path().join("Main.java"), format!("import yarrowgraph.recording.Recorder;\n{code}")).expect("written");
    let compiled = Command::new("javac")
        .args(["-d", "classes", "-sourcepath"])
        .arg(recorders().join("java"))
        .arg("Main.java")
        .current_dir(dir.path())
        .output()
        .expect("it can be run");
    assert!(compiled.status.success(), "{}", String::from_utf8_lossy(&compiled.stderr));
    let (text, well) = recorded(&dir, Command::new("java").args(["-cp", "classes", "Main"]));
    (dir, text, well)
}

/// What each record says, its cause by number.
fn records(text: &str) -> Vec<serde_json::Value> {
    text.lines().skip(1).map(|l| serde_json::from_str(l).expect("JSON")).collect()
}

/// The record of a kind with an id, and its number.
#[track_caller]
fn find<'r>(records: &'r [serde_json::Value], kind: &str, id: &str) -> &'r serde_json::Value {
    let has =
        |r: &&serde_json::Value| r["kind"] == kind && ["target", "channel", "command", "handler", "object"].iter().any(|f| r[*f] == id);
    records.iter().find(has).unwrap_or_else(|| panic!("no {kind} {id} in {records:#?}"))
}

const LAMPS_JS: &str = "
class Gauge {
  listeners = [];
  join(board, l) { this.listeners.push([board, l]); recorder.subscribe('Gauge.rose', this, 'Board.show', board); }
  rise(cm) {
    return recorder.raise('Gauge.rose', this, [cm, { unit: 'cm', by: this }], async () => {
      for (const [board, l] of this.listeners) await recorder.deliver('Board.show', board, () => l(cm));
    });
  }
}
class Board {
  async show(cm) {
    await new Promise((done) => setTimeout(done, 5));
    recorder.call('Lamp.light', this, [cm], () => {});
  }
}
";

#[test]
fn causes_are_followed_through_promises() {
    if !is_there("node", "--version") {
        return;
    }
    let code = format!(
        "{LAMPS_JS}
const gauge = new Gauge(), first = new Board(), second = new Board();
for (const board of [first, second]) gauge.join(board, (cm) => board.show(cm));
await recorder.test('a high tide', () => recorder.call('Gauge.rise', gauge, [], () => gauge.rise(3)));
recorder.lane('radio', () => recorder.call('Radio.tell', null, ['x'.repeat(3000)], () => {{}}));
recorder.end(second);
"
    );
    let (dir, text, well) = javascript(&code);
    assert!(well);
    let records = records(&text);
    let raise = find(&records, "raise", "Gauge.rose");
    assert_eq!(raise["args"], serde_json::json!([3, {"unit": "cm", "by": {"object": "Gauge#1"}}]));
    let told: Vec<&serde_json::Value> = records.iter().filter(|r| r["kind"] == "deliver").collect();
    assert_eq!(told.iter().map(|d| d["subscriber"].as_str().expect("a label")).collect::<Vec<_>>(), ["Board#1", "Board#2"]);
    assert!(told.iter().all(|d| d["by"] == raise["n"] && d["channel"] == "Gauge.rose" && d["subject"] == "Gauge#1"));
    // what came after the pause still belongs to the delivery
    assert_eq!(find(&records, "call", "Lamp.light")["by"], told[0]["n"]);
    assert_eq!(find(&records, "call", "Gauge.rise")["case"], "a high tide");
    let radio = find(&records, "call", "Radio.tell");
    assert_eq!(radio["lane"], "radio");
    assert!(radio["args"][0]["digest"].is_string());
    // one of them has ended and is still on the gauge
    let said = roster(&dir);
    assert_eq!(said.status, 1, "{}{}", said.out, said.err);
    assert!(said.out.contains("still attached after its end"), "{}", said.out);
    let again = run_in(dir.path(), &["replay", "run.jsonl", "--against", "run.jsonl"]);
    assert_eq!(again.status, 0, "{}{}", again.out, again.err);
}

#[test]
fn a_crash_leaves_a_readable_file() {
    if !is_there("node", "--version") {
        return;
    }
    let code = format!(
        "{LAMPS_JS}
const gauge = new Gauge();
gauge.join(new Board(), () => {{ throw new RangeError('too high'); }});
recorder.issue('Dim', null, gauge, [], (issued) => {{
  recorder.run('Dim', null, gauge, () => {{}}, issued);
}});
process.nextTick(() => {{ gauge.rise(9).catch(() => process.kill(process.pid, 'SIGKILL')); }});
await new Promise((done) => setTimeout(done, 2000));
"
    );
    let (dir, text, well) = javascript(&code);
    assert!(!well);
    let records = records(&text);
    let threw = records.iter().find(|r| r["outcome"] == "threw").expect("it threw");
    assert_eq!(threw["value"], "RangeError");
    assert_eq!(find(&records, "run", "Dim")["for"], find(&records, "issue", "Dim")["n"]);
    let said = run_in(dir.path(), &["follow", "Gauge.rose", "--in", "run.jsonl"]);
    assert!(said.status == 0 && said.out.contains("threw"), "{}{}", said.out, said.err);
}

#[test]
fn without_a_file_nothing_is_written_and_work_goes_on() {
    if !is_there("node", "--version") {
        return;
    }
    let dir = tempfile::tempdir().expect("a temporary folder");
    std::fs::copy(recorders().join("javascript/recorder.cjs"), dir.path().join("recorder.cjs")).expect("copied");
    let code = "const r = require('./recorder.cjs');\nconsole.log(r.call('A.b', {}, [1], () => 7));\nr.end({});\n";
    std::fs::write(dir.path().join("main.cjs"), code).expect("written");
    let done =
        Command::new("node").arg("main.cjs").current_dir(dir.path()).env_remove("YARROWGRAPH_RECORDING").output().expect("it can be run");
    assert_eq!(String::from_utf8_lossy(&done.stdout), "7\n");
}

const QUEUE_JAVA: &str = r#"
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.List;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;

public class Main {
    @java.lang.annotation.Retention(java.lang.annotation.RetentionPolicy.RUNTIME)
    @interface Test { }

    static final class Lamp { }

    static final class Desk {
        private final Deque<Recorder.Span> queue = new ArrayDeque<>();
        private final Lamp lamp = new Lamp();

        void plan() {
            try (Recorder.Span call = Recorder.call("Desk.plan", this, List.of(1, 2), "late\n")) {
                try (Recorder.Span issued = Recorder.issue("Dim", lamp, this, 40)) {
                    queue.add(issued);
                }
            }
        }

        void turn() {
            try (Recorder.Span call = Recorder.call("Desk.turn", this)) {
                Recorder.Span issued = queue.poll();
                try (Recorder.Span run = Recorder.run("Dim", lamp, this, issued)) {
                    try {
                        throw run.threw(new IllegalStateException("dark"));
                    } catch (IllegalStateException e) {
                        call.settle("rejected");
                    }
                }
            }
        }
    }

"#;

#[test]
fn threads_have_lanes_and_tasks_have_causes() {
    if !is_there("javac", "--version") {
        return;
    }
    let code = QUEUE_JAVA.to_owned()
        + r#"
    @Test
    static void dims() {
        Desk desk = new Desk();
        desk.plan();
        desk.turn();
    }

    public static void main(String[] args) throws Exception {
        dims();
        ExecutorService pool = Executors.newSingleThreadExecutor();
        try (Recorder.Span call = Recorder.call("Pump.start", null)) {
            pool.submit(Recorder.carry(() -> {
                Recorder.lane("pump");
                try (Recorder.Span work = Recorder.call("Pump.turn", null, Double.NaN, new int[] {1})) { }
            })).get();
        }
        pool.shutdown();
        pool.awaitTermination(5, TimeUnit.SECONDS);
        Lamp lamp = new Lamp();
        Recorder.made(lamp);
        Recorder.end(lamp);
        Runtime.getRuntime().halt(3);
    }
}
"#;
    let (dir, text, well) = java(&code);
    // it was stopped in the middle
    assert!(!well);
    let records = records(&text);
    let plan = find(&records, "call", "Desk.plan");
    assert_eq!(plan["args"], serde_json::json!([[1, 2], "late\n"]));
    assert_eq!(plan["case"], "Main.dims");
    assert_eq!(find(&records, "run", "Dim")["for"], find(&records, "issue", "Dim")["n"]);
    assert_eq!(find(&records, "issue", "Dim")["object"], "Lamp#1");
    let turn = find(&records, "call", "Pump.turn");
    assert_eq!((&turn["lane"], &turn["by"]), (&serde_json::json!("pump"), &find(&records, "call", "Pump.start")["n"]));
    assert_eq!(turn["args"], serde_json::json!(["NaN", [1]]));
    let outcomes: Vec<&str> = records.iter().filter_map(|r| r["outcome"].as_str()).collect();
    assert!(outcomes.contains(&"threw") && outcomes.contains(&"rejected"));
    assert_eq!(find(&records, "end", "Lamp#2")["object"], "Lamp#2");
    let said = roster(&dir);
    assert_eq!(said.status, 0, "{}{}", said.out, said.err);
}
