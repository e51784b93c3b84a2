//! Bad input: a clear message with file and line, the right exit status, nothing else lost.

mod common;

use common::{LEAK, folder, run_in};

#[test]
fn a_missing_path_is_named() {
    let dir = folder(&[]);
    let said = run_in(dir.path(), &["map", "nowhere"]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("nowhere") && said.err.contains("cannot be read"), "{}", said.err);
    assert!(said.out.is_empty());
}

#[test]
fn an_empty_tree_says_what_would_be_read() {
    let dir = folder(&[("notes.txt", b"tides")]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("no source files found") && said.err.contains("typescript"), "{}", said.err);
}

#[test]
fn a_tree_of_left_out_folders_says_so() {
    let dir = folder(&[("node_modules/a/index.ts", b"export const a = 1;")]);
    let said = run_in(dir.path(), &["map", "."]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("node_modules (1 files)") && said.err.contains("--no-ignore"), "{}", said.err);
    assert_eq!(run_in(dir.path(), &["map", ".", "--no-ignore"]).status, 0);
}

#[test]
fn a_binary_file_is_named_and_the_rest_is_kept() {
    let dir = folder(&[("Tide.cs", LEAK.as_bytes()), ("Blob.cs", b"\0\x01\x02\0\0\xff\xfe\0class")]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 1);
    assert!(said.err.contains("Blob.cs"), "{}", said.err);
    assert!(said.out.contains("leaked-subscription"), "{}", said.out);
}

#[test]
fn invalid_utf_8_is_read_as_far_as_it_goes() {
    let mut bytes = b"// caf\xe9\n".to_vec();
    bytes.extend_from_slice(LEAK.as_bytes());
    let dir = folder(&[("Tide.cs", &bytes)]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 1);
    assert!(said.out.contains("Tide.cs:4:37"), "{}", said.out);
}

#[test]
fn utf_16_is_read_like_any_other() {
    for little in [true, false] {
        let units = std::iter::once(0xfeff_u16).chain(LEAK.encode_utf16());
        let bytes: Vec<u8> = units.flat_map(|u| if little { u.to_le_bytes() } else { u.to_be_bytes() }).collect();
        let dir = folder(&[("Tide.cs", &bytes)]);
        let said = run_in(dir.path(), &["check", "."]);
        assert_eq!(said.status, 1, "{}", said.err);
        assert!(said.out.contains("Tide.cs:3:37"), "{}", said.out);
    }
}

#[test]
fn a_file_that_does_not_parse_is_reported_with_its_line() {
    let broken = format!("{LEAK}class Broken {{ void M( {{ }} }} ]]\n");
    let dir = folder(&[("Tide.cs", broken.as_bytes())]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 1);
    assert!(said.err.contains("Tide.cs:5: ") && said.err.contains("could not be read"), "{}", said.err);
    assert!(said.out.contains("leaked-subscription"), "{}", said.out);
}

#[test]
fn nested_brackets_neither_hang_nor_crash() {
    for (name, open, close) in [("A.java", "(", ")"), ("a.ts", "[", "]"), ("A.cs", "(", ")"), ("b.ts", "{a:", "}")] {
        let deep = format!("class A {{ int f = {}1{}; }}", open.repeat(30_000), close.repeat(30_000));
        let dir = folder(&[(name, deep.as_bytes()), ("Tide.cs", LEAK.as_bytes())]);
        let said = run_in(dir.path(), &["check", "."]);
        assert_eq!(said.status, 1, "{name}: {}", said.err);
        assert!(said.out.contains("Tide.cs:3:37"), "{name}: {}", said.out);
    }
}

/// Code whose values go round in circles, or fork at each step: following them has to end, and soon.
#[test]
fn code_that_leads_back_to_itself_neither_hangs_nor_crashes() {
    let gives_itself = r#"
        function again() { return again; }
        export function pick(kind) {
          switch (kind) {
            case "sluice": return again;
            case "weir": return () => again;
          }
        }"#;
    let holds_itself = r"
        abstract class Trail implements Iterable<Trail> {}
        class Marks<T> {
            private Trail trail;
            void on(Runnable marked) { trail.add(marked); }
        }";
    let steps: String = (0..40)
        .map(|i| format!("if (rows.length > {i}) {{ rows = rows.slice({i}).concat(rows); }} rows = rows.concat(gauge.rows.slice({i}));\n"))
        .collect();
    let made_of_itself = format!("export function levels(gauge) {{ let rows = gauge.rows.slice(0);\n{steps} gauge.on('level', rows); }}");
    for (name, text) in [("pick.js", gives_itself), ("Trail.java", holds_itself), ("levels.js", &made_of_itself)] {
        let dir = folder(&[(name, text.as_bytes()), ("Tide.cs", LEAK.as_bytes())]);
        let said = run_in(dir.path(), &["check", "."]);
        assert_eq!(said.status, 1, "{name}: {}", said.err);
        assert!(said.out.contains("Tide.cs:3:37"), "{name}: {}", said.out);
    }
}

#[test]
fn an_output_that_cannot_be_written_is_named() {
    let dir = folder(&[("Tide.cs", LEAK.as_bytes())]);
    let said = run_in(dir.path(), &["map", ".", "-o", "no/such/folder/map.json"]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("no/such/folder/map.json"), "{}", said.err);
}

#[test]
fn a_broken_line_of_a_recording_is_named() {
    let good = b"{\"recording\":1}\n{\"n\":1,\"kind\":\"call\",\"target\":\"Gauge.rise\"}\n";
    let bad = b"{\"recording\":1}\n{\"n\":1,\"kind\":\"call\",\"target\":\"Gauge.rise\"}\n{\"n\":2,\n{\"n\":3,\"kind\":\"settle\"}\n";
    let dir = folder(&[("good.jsonl", good), ("bad.jsonl", bad)]);
    let said = run_in(dir.path(), &["replay", "good.jsonl", "--against", "bad.jsonl"]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("bad.jsonl:3"), "{}", said.err);
}

#[test]
fn a_second_header_is_named() {
    let twice = b"{\"recording\":1}\n{\"n\":1,\"kind\":\"call\",\"target\":\"Gauge.rise\"}\n{\"recording\":1}\n";
    let dir = folder(&[("twice.jsonl", twice)]);
    let said = run_in(dir.path(), &["replay", "twice.jsonl", "--against", "twice.jsonl"]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("twice.jsonl:3"), "{}", said.err);
}

#[test]
fn an_unknown_rule_is_refused() {
    let dir = folder(&[("Tide.cs", LEAK.as_bytes())]);
    let said = run_in(dir.path(), &["check", ".", "--rule", "leaked-subscripton"]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("leaked-subscripton"), "{}", said.err);
    assert_eq!(run_in(dir.path(), &["explain", "no-such-rule"]).status, 2);
}

#[test]
fn classes_that_extend_each_other_end() {
    let held = "class Lift extends Drop {
  constructor() { super(); this.waiting = []; this.phase = new Drop(); this.next = null; }
  add(step) { this.waiting.push(step); }
  work() { const step = this.waiting.pop(); step.run(); }
  rise() { this.phase = new Lift(); this.phase.run(); }
  pass(boat) { if (this.next) this.next.pass(boat); }
}
class Drop extends Lift { run() { this.phase = new Drop(); } pass(boat) { this.next.pass(boat); } }
class Sill extends Sill { run() {} }
const lift = new Lift();
lift.add(new Drop());
lift.add(new Sill());
lift.next = new Drop();
lift.work();
";
    let java = "abstract class Gate extends Sluice { Gate next; void pass(int n) { next.pass(n); } }
class Sluice extends Gate { Gate phase = new Sluice(); void rise() { phase = new Sluice(); phase.pass(1); } }
";
    let dir = folder(&[("lift.js", held.as_bytes()), ("Gate.java", java.as_bytes()), ("Tide.cs", LEAK.as_bytes())]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 1, "{}", said.err);
    assert!(said.out.contains("Tide.cs:3:37"), "{}", said.out);
}
