//! `yarrowgraph.toml`, `init`, and findings accepted on purpose.

mod common;

use common::{LEAK, folder, run_in};
use tempfile::TempDir;

fn leak_with(configuration: &str) -> TempDir {
    folder(&[("Tide.cs", LEAK.as_bytes()), ("yarrowgraph.toml", configuration.as_bytes())])
}

/// Runs `check` and expects a status.
#[track_caller]
fn checked(dir: &TempDir, status: i32, more: &[&str]) -> common::Said {
    let said = run_in(dir.path(), &[&["check", "."], more].concat());
    assert_eq!(said.status, status, "{}{}", said.out, said.err);
    said
}

#[test]
fn levels_are_set_by_rule_and_by_path() {
    checked(&leak_with(""), 1, &[]);
    checked(&leak_with("[rules]\nleaked-subscription = \"off\""), 0, &[]);
    let said = checked(&leak_with("[rules]\nleaked-subscription = { at-most = \"note\" }"), 0, &[]);
    assert!(said.out.contains("leaked-subscription · note"), "{}", said.out);
    checked(&leak_with("[[paths]]\nmatch = [\"*.cs\"]\nrules = { leaked-subscription = \"off\" }"), 0, &[]);
    checked(&leak_with("[[paths]]\nmatch = [\"sea\"]\nrules = { leaked-subscription = \"off\" }"), 1, &[]);
}

#[test]
fn the_configuration_above_the_root_counts_for_paths_from_there() {
    let off = b"[[paths]]\nmatch = [\"sea/**\"]\nrules = { leaked-subscription = \"off\" }";
    let dir = folder(&[("sea/Tide.cs", LEAK.as_bytes()), ("yarrowgraph.toml", off)]);
    assert_eq!(run_in(dir.path(), &["check", "sea"]).status, 0);
    assert_eq!(run_in(&dir.path().join("sea"), &["check"]).status, 0);
}

#[test]
fn files_are_left_out_and_folders_taken_in() {
    let files = [("vendor/Tide.cs", LEAK.as_bytes()), ("old/Tide.cs", LEAK.as_bytes()), ("A.cs", b"class A {}".as_slice())];
    let with = |configuration: &'static [u8]| folder(&[&files[..], &[("yarrowgraph.toml", configuration)]].concat());
    checked(&with(b"[tree]\nleave-out = [\"old\"]"), 0, &[]);
    let said = checked(&with(b"[tree]\nleave-out = [\"old\"]\ntake-in = [\"vendor\"]"), 1, &["--verbose"]);
    assert!(said.out.contains("vendor/Tide.cs") && !said.out.contains("old/Tide.cs"), "{}", said.out);
    assert!(said.err.contains("left out: by the configuration (1 files)"), "{}", said.err);
}

#[test]
fn shortened_code_is_read_where_it_is_asked_for() {
    let shortened = b"class A{go(){this.on()}}";
    let files = [("lib/chart.min.js", shortened.as_slice()), ("app.js", b"class B {}".as_slice()), ("yarrowgraph.toml", b"".as_slice())];
    let dir = folder(&files);
    let said = checked(&dir, 0, &["--verbose"]);
    assert!(said.err.contains("left out: lib/chart.min.js (shortened code)"), "{}", said.err);
    let counted = |args: &[&str]| {
        let map: serde_json::Value = serde_json::from_str(&run_in(dir.path(), args).out).expect("JSON");
        map["files"]["languages"]["javascript"]["files"].as_u64()
    };
    assert_eq!(counted(&["map", ".", "--format", "json"]), Some(1));
    assert_eq!(counted(&["map", ".", "--format", "json", "--no-ignore"]), Some(2));
    assert_eq!(counted(&["map", "lib/chart.min.js", "--format", "json"]), Some(1));
    std::fs::write(dir.path().join("yarrowgraph.toml"), "[tree]\ntake-in = [\"chart.min.js\"]").expect("writable");
    assert_eq!(counted(&["map", ".", "--format", "json"]), Some(2));
}

#[test]
fn what_is_wrong_is_named_with_its_place_and_the_nearest_key() {
    let wrong = [
        ("[tree]\nteardown = []", ":2:1: there is no key `teardown` here (did you mean `teardowns`?)"),
        ("[rules]\nmute-evnt = \"off\"", ":2:1: there is no rule `mute-evnt` (did you mean `mute-event`?)"),
        ("[rules]\nmute-event = \"warn\"", ":2:14: there is no `warn` here (did you mean `warning`?)"),
        ("[pack.jva]\nhooks = []", ":1:7: no front end reads `jva` (did you mean `java`?)"),
        ("[pack.java]\n\nhook = []", ":3:1: there is no key `hook` here (did you mean `hooks`?)"),
        ("[[pack.java.idiom]]\nname = \"hear\"\ndoes = \"subscribes\"", ":3:8: there is no `subscribes` here"),
        ("[tree]\nleave-out = [\"a[b\"]", ":2:13: `a[b` is no pattern"),
        ("[[keep]]\norder = [\"Scales\"]", ":1:1: `order` and `apart` need two names"),
        ("[tree", "yarrowgraph.toml:1:"),
    ];
    for (text, expected) in wrong {
        let said = checked(&leak_with(text), 2, &[]);
        assert!(said.err.contains(expected), "{text}\n{}", said.err);
        assert!(said.out.is_empty());
    }
}

#[test]
fn a_project_s_idioms_make_wiring() {
    let code = b"public class Buoy { public Buoy(TideBus bus) { bus.Hear(\"full\", Sway); } void Sway() { } }";
    let pack = b"[[pack.csharp.idiom]]\non = [\"TideBus\"]\nname = \"Hear\"\ndoes = \"subscribe\"\ntopic = 0\nhandler = 1";
    let dir = folder(&[("Buoy.cs", code), ("yarrowgraph.toml", pack)]);
    let map = run_in(dir.path(), &["map"]).out;
    assert!(map.contains("TideBus") && map.contains("heard by Buoy.Sway"), "{map}");
}

#[test]
fn entry_points_and_teardowns_are_the_project_s_too() {
    let code = LEAK
        .replace("static void Main", "static void Sail")
        .replace("void Sway() { }", "void Sway() { } void Berth() { Tide.Turned -= Sway; }");
    let with = |configuration: &str| {
        let dir = folder(&[("Tide.cs", code.as_bytes()), ("yarrowgraph.toml", configuration.as_bytes())]);
        run_in(dir.path(), &["check", "."]).out
    };
    // a release that nothing calls does not count, unless it is where a life ends
    assert!(with("").contains("leaked-subscription"));
    assert!(!with("[tree]\nteardowns = [\"Buoy.Berth\"]").contains("leaked-subscription"));
}

#[test]
fn accepted_findings_survive_moved_lines_and_renamed_files() {
    let code = "const bus = new EventTarget();\nexport class Buoy { constructor() { bus.addEventListener('tide', this.sway); } sway = () => { this.n += 1; }; n = 0; }\n\
                export function turn() { bus.dispatchEvent(new Event('tide')); for (;;) new Buoy(); }\n";
    let dir = folder(&[("sea/tide.ts", code.as_bytes())]);
    checked(&dir, 1, &[]);
    let said = checked(&dir, 0, &["--accept", "the buoys never go"]);
    assert!(said.err.contains("1 finding accepted"), "{}", said.err);
    checked(&dir, 0, &[]);
    std::fs::remove_file(dir.path().join("sea/tide.ts")).expect("there");
    std::fs::write(dir.path().join("sea/tides.ts"), format!("// moved\n\n{code}")).expect("writable");
    let said = checked(&dir, 0, &[]);
    assert!(said.out.contains("1 finding is accepted on purpose"), "{}", said.out);
    // what is mended is accepted no more
    std::fs::write(dir.path().join("sea/tides.ts"), code.replace("bus.addEventListener", "bus.removeEventListener")).expect("writable");
    let said = run_in(dir.path(), &["check", "."]);
    assert!(said.err.contains("yarrowgraph-accepted.toml:4:1: this entry accepts `leaked-subscription/"), "{}", said.err);
}

#[test]
fn nothing_is_accepted_without_a_reason() {
    let dir = leak_with("");
    let said = checked(&dir, 2, &["--accept", " "]);
    assert!(said.err.contains("without a reason"), "{}", said.err);
    let commented = LEAK.replace("public class Buoy", "// yarrowgraph: accept leaked-subscription\npublic class Buoy");
    let dir = folder(&[("Tide.cs", commented.as_bytes())]);
    assert!(checked(&dir, 1, &[]).err.contains("Tide.cs:3: this comment accepts nothing, since it gives no reason"));
    let unknown = LEAK.replace("public class Buoy", "// yarrowgraph: accept leaked-subscripton because so\npublic class Buoy");
    let dir = folder(&[("Tide.cs", unknown.as_bytes())]);
    assert!(checked(&dir, 1, &[]).err.contains("did you mean `leaked-subscription`?"));
    let empty = b"[[accepted]]\nfinding = \"a/b\"\nbecause = \"\"\nfile = \"Tide.cs\"";
    let dir = folder(&[("Tide.cs", LEAK.as_bytes()), ("yarrowgraph-accepted.toml", empty)]);
    assert!(checked(&dir, 2, &[]).err.contains("yarrowgraph-accepted.toml:1:1: this entry accepts nothing"));
}

#[test]
fn init_writes_what_can_be_read_commented_out_or_not() {
    let dir = folder(&[("Tide.cs", LEAK.as_bytes()), ("tests/TideTests.cs", LEAK.as_bytes())]);
    assert_eq!(run_in(dir.path(), &["init"]).status, 0);
    let path = dir.path().join("yarrowgraph.toml");
    let text = std::fs::read_to_string(&path).expect("written");
    assert!(text.contains("csharp 2 files") && text.contains("match = [\"**/tests\"]"), "{text}");
    checked(&dir, 1, &[]);
    let said = run_in(dir.path(), &["init"]);
    assert_eq!(said.status, 2);
    assert!(said.err.contains("is there already"), "{}", said.err);
    // a sign before a key is all that keeps it from being read
    let is_key = |line: &str| {
        line.starts_with("# [[") || line.strip_prefix("# ").is_some_and(|l| l.split(" = ").next().is_some_and(|k| !k.contains(' ')))
    };
    let bare: Vec<&str> = text.lines().map(|l| if is_key(l) { &l[2..] } else { l }).collect();
    std::fs::write(&path, bare.join("\n")).expect("writable");
    checked(&dir, 1, &["--no-ignore"]);
}

#[test]
fn every_key_is_described() {
    let page = include_str!("../../../docs/configuration.md");
    let schema: serde_json::Value = serde_json::from_str(include_str!("../../../schemas/configuration.schema.json")).expect("JSON");
    let tables = schema["$defs"].as_object().expect("definitions").values().chain([&schema]);
    for key in tables.filter_map(|t| t["properties"].as_object()).flat_map(|p| p.keys()) {
        assert!([format!("`{key}`"), format!("[{key}"), format!("{key}.")].iter().any(|k| page.contains(k)), "{key} is not described");
    }
}

#[test]
fn names_that_are_kept_and_are_nowhere_are_said() {
    let dir = folder(&[
        ("Weir.cs", b"public class Weir { public void Lower() { } public static void Main() { new Weir().Lower(); } }\n"),
        ("yarrowgraph.toml", b"[[keep]]\napart = [\"Weir\", \"Sluce\"]\n"),
    ]);
    let said = run_in(dir.path(), &["check", "."]);
    assert_eq!(said.status, 0, "{}", said.err);
    assert!(said.err.contains("`keep` names `Sluce`, and nothing in the tree is called so"), "{}", said.err);
    assert!(!said.err.contains("`Weir`"), "{}", said.err);
}

#[test]
fn how_large_a_mediator_may_be_is_set() {
    let desk = b"interface Post { hear(from: Post, text: string): void }
export class Desk {
  private posts: Post[] = [];
  admit(post: Post) { this.posts.push(post); }
  all(from: Post, text: string) { for (const p of this.posts) if (p !== from) p.hear(from, text); }
}
class Lock implements Post { constructor(private d: Desk) { d.admit(this); } go() { this.d.all(this, 'x'); } hear(f: Post, t: string) { console.log(t); } }
class Weir implements Post { constructor(private d: Desk) { d.admit(this); } go() { this.d.all(this, 'y'); } hear(f: Post, t: string) { console.log(t); } }
const desk = new Desk();
new Lock(desk).go();
new Weir(desk).go();
";
    let said = |configuration: &str| {
        let dir = folder(&[("desk.ts", desk), ("yarrowgraph.toml", configuration.as_bytes())]);
        run_in(dir.path(), &["check", ".", "--rule", "overgrown-mediator"]).out
    };
    assert!(!said("").contains("overgrown-mediator"));
    let small = said("[mediators]\ncolleagues = 2\nmembers = 2\nbranches = 1\n");
    assert!(small.contains("overgrown-mediator") && small.contains("said from 2, 2 and 1 on"), "{small}");
}
