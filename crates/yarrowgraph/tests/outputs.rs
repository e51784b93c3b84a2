//! What the commands print on the demo's data, and that it is the same at any number of threads.

mod common;

use common::{LEAK, demo, folder, run_in};

#[test]
fn map_as_text() {
    insta::assert_snapshot!(run_in(&demo(), &["map", "java/as-it-was"]).out);
}

#[test]
fn chains_as_text() {
    insta::assert_snapshot!(run_in(&demo(), &["map", "javascript/passage/as-it-was"]).out);
}

#[test]
fn a_pipeline_of_a_library_as_text() {
    let server = b"const express = require('express');
const app = express();
const guard = (request, response, next) => { if (!request.headers.key) return response.status(403).end(); next(); };
app.use(express.json());
app.use(guard);
app.get('/tides', (request, response) => response.json([]));
app.use((request, response) => response.status(404).end());
";
    let dir = folder(&[("server.js", server.as_slice())]);
    insta::assert_snapshot!("map_of_a_pipeline", run_in(dir.path(), &["map", ".", "--family", "chains"]).out);
    insta::assert_snapshot!("follow_a_pipeline", run_in(dir.path(), &["follow", "server.app", "."]).out);
}

#[test]
fn commands_machines_and_mediators_as_text() {
    insta::assert_snapshot!("map_of_a_desk", run_in(&demo(), &["map", "javascript/desk/as-it-was"]).out);
    insta::assert_snapshot!("machine_as_text", run_in(&demo(), &["machine", "javascript/desk/as-it-was"]).out);
    for format in ["scxml", "dot", "mermaid", "svg"] {
        let said = run_in(&demo(), &["machine", "javascript/desk/as-it-was", "--name", "Chamber", "--format", format]);
        assert_eq!((said.status, said.err.as_str()), (0, ""));
        insta::assert_snapshot!(format!("machine_as_{format}"), said.out);
    }
    let faulty = run_in(&demo(), &["check", "javascript/desk/faulty"]);
    assert_eq!(faulty.status, 1);
    insta::assert_snapshot!("findings_of_a_desk", faulty.out);
}

#[test]
fn one_family_of_a_map() {
    let of = |family: &str, format: &str| run_in(&demo(), &["map", "javascript/desk/as-it-was", "--family", family, "--format", format]);
    insta::assert_snapshot!("map_of_commands", of("commands", "text").out);
    for family in ["observers", "commands", "chains", "machines", "mediators"] {
        let map: serde_json::Value = serde_json::from_str(&of(family, "json").out).expect("a map");
        let parts = [
            ("observers", "channels"),
            ("commands", "commands"),
            ("chains", "chains"),
            ("machines", "machines"),
            ("mediators", "mediators"),
        ];
        for (other, part) in parts.into_iter().filter(|(other, _)| *other != family) {
            assert_eq!(map[part].as_array().map(Vec::len), Some(0), "{other} beside {family}");
        }
    }
}

#[test]
fn a_machine_against_a_design() {
    let dir = folder(&[]);
    let design = dir.path().join("chamber.scxml");
    let design = design.to_str().expect("a plain name");
    let wrote = run_in(&demo(), &["machine", "javascript/desk/as-it-was", "--format", "scxml", "-o", design]);
    assert_eq!(wrote.status, 0);
    let same = run_in(&demo(), &["machine", "javascript/desk/as-it-was", "--against", design]);
    assert_eq!((same.status, same.out.as_str()), (0, "code and design agree\n"));
    let changed = std::fs::read_to_string(design).expect("written").replace("event=\"flood\"", "event=\"fill\"");
    std::fs::write(design, changed).expect("written again");
    let other = run_in(&demo(), &["machine", "javascript/desk/as-it-was", "--against", design]);
    assert_eq!(other.status, 1);
    insta::assert_snapshot!("machine_against_a_design", other.out);
    std::fs::write(design, "<scxml").expect("written again");
    let broken = run_in(&demo(), &["machine", "javascript/desk/as-it-was", "--against", design]);
    assert_eq!(broken.status, 2);
    assert!(broken.err.contains("chamber.scxml: line 1"), "{}", broken.err);
    let unnamed = run_in(&demo(), &["machine", "javascript/desk/as-it-was", "--name", "Sluice"]);
    assert_eq!(unnamed.status, 2);
    assert!(unnamed.err.contains("chamber.Chamber.#level"), "{}", unnamed.err);
}

#[test]
fn what_the_code_sets_off() {
    insta::assert_snapshot!("follow_a_call", run_in(&demo(), &["follow", "OrderBook.work", "javascript/desk/as-it-was"]).out);
    insta::assert_snapshot!("follow_a_raise", run_in(&demo(), &["follow", "Gauge.listeners", "java/as-it-was"]).out);
    insta::assert_snapshot!("follow_a_chain", run_in(&demo(), &["follow", "Passage.ask", "javascript/passage/as-it-was"]).out);
    let diagram = run_in(&demo(), &["follow", "OrderBook.work", "javascript/desk/as-it-was", "--format", "mermaid"]);
    insta::assert_snapshot!("follow_a_call_as_mermaid", diagram.out);
    let dir = folder(&[("design.mmd", diagram.out.as_bytes())]);
    let design = dir.path().join("design.mmd");
    let against = |design: &str| run_in(&demo(), &["follow", "OrderBook.work", "javascript/desk/as-it-was", "--against", design]);
    let agreed = against(design.to_str().expect("a plain name"));
    assert_eq!((agreed.status, agreed.out.as_str()), (0, "code and design agree\n"));
    std::fs::write(&design, "sequenceDiagram\n  OrderBook->>RaiseSluice: takeBack\n").expect("written again");
    assert_eq!(against(design.to_str().expect("a plain name")).status, 1);
    let nothing = run_in(&demo(), &["follow", "Nobody.nothing", "java/as-it-was"]);
    assert_eq!(nothing.status, 2);
    let several = run_in(&demo(), &["follow", "hear", "javascript/desk/as-it-was"]);
    assert_eq!(several.status, 2);
    assert!(several.err.contains("GateKeeper.hear"), "{}", several.err);
}

#[test]
fn who_knows_whom() {
    insta::assert_snapshot!("coupling_as_text", run_in(&demo(), &["map", "--view", "coupling", "javascript/desk/as-it-was"]).out);
    insta::assert_snapshot!(
        "coupling_of_one",
        run_in(&demo(), &["map", "--view", "coupling", "--focus", "OrderBook", "javascript/desk/as-it-was"]).out
    );
    insta::assert_snapshot!("classes_as_mermaid", run_in(&demo(), &["map", "--view", "classes", "javascript/desk/as-it-was"]).out);
    insta::assert_snapshot!(
        "classes_as_dot",
        run_in(&demo(), &["map", "--view", "classes", "--format", "dot", "javascript/desk/as-it-was"]).out
    );
}

#[test]
fn findings_as_text() {
    for language in ["java", "csharp", "typescript", "javascript", "cpp"] {
        let said = run_in(&demo(), &["check", &format!("{language}/faulty")]);
        assert_eq!(said.status, 1);
        insta::assert_snapshot!(format!("findings_{language}"), said.out);
    }
}

#[test]
fn findings_as_json_and_sarif() {
    for format in ["json", "sarif"] {
        let said = run_in(&demo(), &["check", "csharp/faulty", "--format", format]);
        assert_eq!(said.status, 1);
        insta::assert_snapshot!(format!("findings_{format}"), said.out);
    }
}

#[test]
fn replay_as_text() {
    let said = run_in(&demo(), &["replay", "recordings/as-it-was.jsonl", "--against", "recordings/reordered.jsonl"]);
    assert_eq!(said.status, 1);
    insta::assert_snapshot!(said.out);
    let said = run_in(&demo(), &["replay", "recordings/as-it-was.jsonl", "--against", "recordings/refactored.jsonl"]);
    assert_eq!((said.status, said.err.as_str()), (0, ""));
}

#[test]
fn every_rule_has_a_page() {
    let list = run_in(&demo(), &["explain"]);
    assert_eq!(list.status, 0);
    for rule in ["futile-unsubscribe", "leaked-subscription", "unguarded-raise", "unheard-event"] {
        assert!(list.out.contains(rule));
        let page = run_in(&demo(), &["explain", rule]);
        assert_eq!(page.status, 0);
        assert!(page.out.lines().count() > 8, "{}", page.out);
    }
    insta::assert_snapshot!(run_in(&demo(), &["explain", "leaked-subscription"]).out);
}

#[test]
fn the_demo_walks_through_its_data() {
    let dir = folder(&[]);
    let said = run_in(dir.path(), &["demo", "locks"]);
    assert_eq!(said.status, 0, "{}", said.err);
    for expected in ["dispatch unchanged", "dispatch changed", "leaked-subscription", "To try next"] {
        assert!(said.out.contains(expected), "{expected}");
    }
    assert!(dir.path().join("locks/recordings/as-it-was.jsonl").exists());
    let used = folder(&[("mine.txt", b"mine")]);
    assert_eq!(run_in(used.path(), &["demo", "."]).status, 2);
}

#[test]
fn the_same_bytes_at_any_number_of_threads() {
    for args in [&["map", ".", "--format", "json"][..], &["check", ".", "--format", "json"]] {
        let with = |threads: &str| run_in(&demo(), &[args, &["--threads", threads]].concat()).out;
        let one = with("1");
        for threads in ["2", "5"] {
            assert!(one == with(threads), "{args:?} with {threads}");
        }
    }
}

#[test]
fn statuses_follow_the_level_asked_for() {
    let dir = folder(&[("Tide.cs", LEAK.as_bytes())]);
    let status = |level: &str| run_in(dir.path(), &["check", ".", "--fail-at", level]).status;
    assert_eq!([status("error"), status("warning"), status("note"), status("never")], [1, 1, 1, 0]);
    let fine = folder(&[("A.cs", b"class A { }")]);
    assert_eq!(run_in(fine.path(), &["check", "."]).status, 0);
    assert_eq!(run_in(dir.path(), &["check", ".", "--rule", "unheard-event"]).status, 0);
}

#[test]
fn an_accepted_finding_is_counted_and_not_reported() {
    let accepted =
        LEAK.replace("public class Buoy", "// yarrowgraph: accept leaked-subscription because buoys are never taken in\npublic class Buoy");
    let dir = folder(&[("Tide.cs", accepted.as_bytes())]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 0, "{}", said.out);
    assert!(said.out.contains("1 finding is accepted on purpose"), "{}", said.out);
}

#[test]
fn colour_only_where_it_is_asked_for() {
    let coloured = |args: &[&str]| run_in(&demo(), args).out.contains('\x1b');
    assert!(!coloured(&["check", "java/faulty"]), "a pipe is no terminal");
    assert!(coloured(&["check", "java/faulty", "--color", "always"]));
    assert!(!coloured(&["check", "java/faulty", "--color", "never"]));
    assert!(!coloured(&["check", "java/faulty", "--color", "always", "--format", "json"]));
}

#[test]
fn quiet_leaves_results_alone() {
    let broken = format!("{LEAK}class Broken {{ void M( {{ }} }} ]]\n");
    let dir = folder(&[("Tide.cs", broken.as_bytes())]);
    let said = run_in(dir.path(), &["check", ".", "--quiet"]);
    assert_eq!(said.err, "");
    assert!(said.out.contains("leaked-subscription"));
}

#[cfg(unix)]
#[test]
fn a_closed_pipe_is_no_error() {
    use std::process::{Command, Stdio};
    let program = assert_cmd::cargo::cargo_bin("yarrowgraph");
    let mut child = Command::new(program)
        .args(["map", ".", "--format", "json"])
        .current_dir(demo())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("it runs");
    drop(child.stdout.take());
    let output = child.wait_with_output().expect("it ends");
    assert_eq!(output.status.code(), Some(0));
    assert!(output.stderr.is_empty());
}

#[test]
fn completions_and_manual_page() {
    for shell in ["bash", "zsh", "fish"] {
        assert!(run_in(&demo(), &["completions", shell]).out.contains("yarrowgraph"));
    }
    assert!(run_in(&demo(), &["man"]).out.contains(".TH"));
}

#[test]
fn packages_of_one_tree_import_each_other_by_name() {
    let tide = b"export class Tide {\n  private listeners: ((cm: number) => void)[] = [];\n  follow(l: (cm: number) => void) { this.listeners.push(l); }\n  rise(cm: number) { for (const l of this.listeners) l(cm); }\n}\n";
    let dial = b"import { Tide } from '@marlwend/tide';\nexport class Dial {\n  constructor(tide: Tide) { tide.follow(cm => console.log(cm)); }\n}\n";
    let files = [
        ("packages/gauge/package.json", br#"{"name": "@marlwend/tide", "main": "lib/tide.js"}"#.as_slice()),
        ("packages/gauge/src/tide.ts", tide),
        ("packages/dial/package.json", br#"{"name": "@marlwend/dial"}"#),
        ("packages/dial/src/index.ts", dial),
    ];
    let dir = folder(&files);
    let said = run_in(dir.path(), &["map", "."]);
    assert_eq!(said.status, 0, "{}", said.err);
    assert!(said.out.contains("heard by Dial.new~1"), "{}", said.out);
    assert!(!said.out.contains("nobody hears it"), "{}", said.out);
}

#[test]
fn a_run_as_a_roster_and_followed() {
    let roster = run_in(&demo(), &["roster", "recordings/as-it-was.jsonl"]);
    assert_eq!(roster.status, 0, "{}", roster.err);
    insta::assert_snapshot!("roster_as_text", roster.out);
    let followed = run_in(&demo(), &["follow", "Passage.ask", "--in", "recordings/passage-with-orders.jsonl"]);
    insta::assert_snapshot!("follow_as_text", followed.out);
    let diagram = run_in(&demo(), &["follow", "1", "--in", "recordings/passage-as-it-was.jsonl", "--format", "mermaid"]);
    insta::assert_snapshot!("follow_as_mermaid", diagram.out);
    let missing = run_in(&demo(), &["follow", "Nobody", "--in", "recordings/as-it-was.jsonl"]);
    assert_eq!((missing.status, missing.err.contains("nothing in it is called Nobody")), (2, true), "{}", missing.err);
    assert_eq!(run_in(&demo(), &["roster", "recordings/as-it-was.jsonl", "--at", "99999"]).status, 2);
}

#[test]
fn a_run_in_other_formats_is_the_same_run() {
    let dir = folder(&[]);
    let own = demo().join("recordings/as-it-was.jsonl").display().to_string();
    for form in ["otlp", "xes"] {
        let file = format!("run.{form}");
        let said = run_in(dir.path(), &["convert", &own, "--to", form, "-o", &file]);
        assert!(said.status == 0 && said.err.contains("lost on the way"), "{}", said.err);
        let said = run_in(dir.path(), &["replay", &own, "--against", &file]);
        assert_eq!(said.status, 0, "{form}: {}{}", said.out, said.err);
    }
    let said = run_in(dir.path(), &["convert", &own, "--to", "cloudevents"]);
    assert!(said.out.lines().all(|l| l.contains("\"specversion\":\"1.0\"")), "{}", said.out);
}

#[test]
fn what_differs_is_shown_in_words_and_as_a_test_report() {
    let passage = |other: &str, more: &[&str]| {
        let other = format!("recordings/passage-{other}.jsonl");
        run_in(&demo(), &[&["replay", "recordings/passage-as-it-was.jsonl", "--against", &other], more].concat())
    };
    let seen_through = passage("with-orders", &["--see-through", "issue", "--see-through", "run"]);
    assert_eq!(seen_through.status, 0, "{}", seen_through.err);
    assert!(seen_through.out.contains("the same receivers, in the same order"), "{}", seen_through.out);
    insta::assert_snapshot!("replay_of_links", passage("links-swapped", &[]).out);
    insta::assert_snapshot!("replay_as_junit", passage("links-swapped", &["--format", "junit"]).out);
    assert_eq!(passage("links-swapped", &["--see-through", "settle"]).status, 2);
    let from_input = run_in(&demo(), &["roster", "-"]);
    assert_eq!(from_input.status, 2);
}

#[test]
fn ways_through_a_chain_are_listed_and_narrowed() {
    let tree = folder(&[(
        "tasters.ts",
        br"abstract class Taster {
  private next?: Taster;
  then(n: Taster): Taster { this.next = n; return n; }
  taste(loaf: string): string | undefined { return this.next?.taste(loaf); }
}
class Crust extends Taster { taste(loaf: string) { if (loaf === 'burnt') throw new Error('burnt'); return super.taste(loaf); } }
class Salt extends Taster { taste(loaf: string) { if (loaf === 'salty') return 'salt'; return super.taste(loaf); } }
const first = new Crust();
first.then(new Salt());
console.log(first.taste('rye'));
",
    )]);
    let said = |given: &[&str]| run_in(tree.path(), &[&["follow", "Taster.next", "."], given].concat()).out;
    insta::assert_snapshot!("ways_through_a_chain", said(&[]));
    insta::assert_snapshot!("ways_through_a_chain_given", said(&["--given", "not (loaf === 'burnt')", "--given", "loaf === 'salty'"]));
}
