//! What comes of comparing two recordings, case by case.

use yarrowgraph_model::Kind;
use yarrowgraph_replay::{Comparison, DifferenceKind, Options, Source, StimulusVerdict, Verdict, against};

/// Compares two recordings that are written in a short form.
fn compared(before: &str, after: &str, options: &Options) -> Comparison {
    let (before, after) = (recording(before), recording(after));
    against(&Source::bytes("before", before.into_bytes()), &Source::bytes("after", after.into_bytes()), options).expect("readable")
}

/// A line for each record: its depth by indentation, then `kind id`, then fields as `name=value`. Numbers are given in order;
/// `+` at the front of a line puts it under the record whose number follows (`+2 raise A.b`).
fn recording(short: &str) -> String {
    let mut out = String::from("{\"recording\":1}\n");
    let mut above: Vec<(usize, u64)> = Vec::new();
    let mut n = 0;
    for line in short.lines().filter(|l| !l.trim().is_empty()) {
        n += 1;
        let depth = line.len() - line.trim_start().len();
        let mut words = line.split_whitespace();
        let mut first = words.next().expect("a word");
        above.retain(|(d, _)| *d < depth);
        let mut by = above.last().map(|(_, n)| *n);
        if let Some(named) = first.strip_prefix('+') {
            by = Some(named.parse().expect("a number"));
            first = words.next().expect("a kind");
        }
        let id = match first {
            "call" => Some("target"),
            "subscribe" | "unsubscribe" | "raise" | "deliver" => Some("channel"),
            "issue" | "run" | "undo" => Some("command"),
            "offer" => Some("chain"),
            "enter" => Some("machine"),
            "end" => Some("object"),
            _ => None,
        };
        let mut fields = vec![format!("\"n\":{n}"), format!("\"kind\":\"{first}\"")];
        fields.extend(by.map(|by| format!("\"by\":{by}")));
        if let Some(id) = id {
            fields.push(format!("\"{id}\":\"{}\"", words.next().expect("an id")));
        }
        for word in words {
            let (name, value) = word.split_once('=').expect("name=value");
            let is_json = matches!(name, "args" | "request" | "value" | "of" | "for");
            fields.push(if is_json { format!("\"{name}\":{value}") } else { format!("\"{name}\":\"{value}\"") });
        }
        above.push((depth, n));
        out.push_str(&format!("{{{}}}\n", fields.join(",")));
    }
    out
}

/// The kinds of all differences with the numbers of their records.
fn differences(of: &Comparison) -> Vec<(DifferenceKind, Option<u64>, Option<u64>)> {
    of.replay.stimuli.iter().flat_map(|s| &s.differences).map(|d| (d.kind, d.before, d.after)).collect()
}

#[track_caller]
fn expect(before: &str, after: &str, wanted: &[(DifferenceKind, Option<u64>, Option<u64>)]) -> Comparison {
    let found = compared(before, after, &Options::default());
    assert_eq!(differences(&found), wanted, "{:#?}", found.replay);
    found
}

use DifferenceKind::{Altered, Extra, Missing, Moved};

const ROSE: &str = "
raise Gauge.rose subject=Gauge#1
  deliver Gauge.rose handler=Board.onRose subscriber=Board#1
  deliver Gauge.rose handler=Keeper.onRose subscriber=Keeper#1
  deliver Gauge.rose handler=Sluice.onRose subscriber=Sluice#1
";

#[test]
fn the_same_run_is_unchanged_whatever_its_labels_numbers_and_times() {
    let other = ROSE.replace("Gauge#1", "Gauge#7").replace("Board#1", "Board#2").replace("Keeper#1", "Keeper#9");
    let found = expect(ROSE, &other, &[]);
    assert_eq!((found.replay.verdict, found.replay.counts.unchanged), (Verdict::Unchanged, 1));
}

#[test]
fn a_swap_is_one_move() {
    let after = "
raise Gauge.rose subject=Gauge#1
  deliver Gauge.rose handler=Keeper.onRose subscriber=Keeper#1
  deliver Gauge.rose handler=Board.onRose subscriber=Board#1
  deliver Gauge.rose handler=Sluice.onRose subscriber=Sluice#1
";
    let found = expect(ROSE, after, &[(Moved, Some(2), Some(3))]);
    assert_eq!(found.replay.counts.reordered, 1);
    assert_eq!(found.sides.len(), 1);
}

#[test]
fn another_handler_is_missing_and_extra() {
    let after = ROSE.replace("Keeper.onRose", "Clerk.onRose").replace("Keeper#1", "Clerk#1");
    let options = Options { no_assume: true, ..Options::default() };
    let found = compared(ROSE, &after, &options);
    assert_eq!(differences(&found), [(Missing, Some(3), None), (Extra, None, Some(3))]);
    assert_eq!(found.replay.counts.missing, 1);
}

#[test]
fn a_name_that_changed_in_all_its_places_is_assumed_to_be_renamed() {
    let before = format!("{ROSE}\ncall Keeper.rest object=Keeper#1\n");
    let after = before.replace("Keeper", "Clerk");
    let found = expect(&before, &after, &[]);
    let assumed: Vec<(&str, &str)> = found.replay.assumed_renames.iter().map(|r| (r.from.as_str(), r.to.as_str())).collect();
    assert_eq!((assumed, found.replay.verdict), (vec![("Keeper", "Clerk")], Verdict::Unchanged));
    // one place where it did not
    let after = after.replace("call Clerk.rest", "call Clerk.walk");
    let found = compared(&before, &after, &Options::default());
    assert!(found.replay.assumed_renames.is_empty());
    // one is said
    let options = Options { aliases: vec![("Keeper".into(), "Clerk".into())], ..Options::default() };
    assert_eq!(compared(&before, &before.replace("Keeper", "Clerk"), &options).replay.verdict, Verdict::Unchanged);
}

#[test]
fn a_whole_id_can_be_renamed_where_its_parts_are_not_new() {
    let before = "call Gate.open object=Gate#1\ncall Lock.close object=Lock#1\ncall Gate.fill object=Gate#1";
    let after = "call Gate.open object=Gate#1\ncall Lock.close object=Lock#1\ncall Gate.close object=Gate#1";
    let found = expect(before, after, &[]);
    assert_eq!((found.replay.assumed_renames[0].from.as_str(), found.replay.assumed_renames[0].to.as_str()), ("Gate.fill", "Gate.close"));
}

#[test]
fn arguments_are_compared_by_content() {
    let call = |args: &str| format!("call Lock.fill args={args}");
    let options = Options { ignore_args: true, ..Options::default() };
    for (before, after, same) in [
        (r#"{"cm":2,"gate":null}"#, r#"{"cm":2.0}"#, true),
        (r#"{"a":1,"b":[1,2]}"#, r#"{"b":[1,2],"a":1e0}"#, true),
        (r#"{"cm":9007199254740993}"#, r#"{"cm":9007199254740992}"#, false),
        (r#"[1,2]"#, r#"[2,1]"#, false),
        (r#"{"name":"\u0041"}"#, r#"{"name":"A"}"#, true),
    ] {
        let found = compared(&call(before), &call(after), &Options::default());
        assert_eq!(found.replay.verdict == Verdict::Unchanged, same, "{before} {after}");
        assert_eq!(compared(&call(before), &call(after), &options).replay.verdict, Verdict::Unchanged);
    }
}

#[test]
fn where_one_side_has_a_digest_nothing_is_claimed() {
    let call = |args: &str| format!("call Lock.fill args={args}");
    let found = compared(&call(r#"{"log":{"digest":"ab"},"cm":1}"#), &call(r#"{"log":[1,2],"cm":1}"#), &Options::default());
    assert_eq!((found.replay.verdict, found.replay.counts.undecided), (Verdict::Undecided, 1));
    let found = compared(&call(r#"{"log":{"digest":"ab"},"cm":1}"#), &call(r#"{"log":[1,2],"cm":2}"#), &Options::default());
    assert_eq!(found.replay.counts.altered, 1);
    let found = compared(&call(r#"{"digest":"ab"}"#), &call(r#"{"digest":"cd"}"#), &Options::default());
    assert_eq!(found.replay.counts.altered, 1);
}

#[test]
fn an_outcome_that_is_lost_or_another_one_alters() {
    let before = "call Lock.fill\n  offer Checks handler=Depth.check\nsettle of=2 outcome=passed\nsettle of=1 outcome=done";
    expect(
        before,
        "call Lock.fill\n  offer Checks handler=Depth.check\nsettle of=2 outcome=rejected\nsettle of=1 outcome=done",
        &[(Altered, Some(2), Some(2))],
    );
    expect(before, "call Lock.fill\n  offer Checks handler=Depth.check\nsettle of=1 outcome=done", &[(Altered, Some(2), Some(2))]);
    // where it stands does not matter
    expect(before, "call Lock.fill\n  offer Checks handler=Depth.check\nsettle of=1 outcome=done\nsettle of=2 outcome=passed", &[]);
}

#[test]
fn another_target_alters_and_another_event_is_another_record() {
    let before = "call Lock.go\n  enter Lock.state object=Lock#1 from=empty to=full event=fill";
    expect(before, "call Lock.go\n  enter Lock.state object=Lock#1 from=empty to=half event=fill", &[(Altered, Some(2), Some(2))]);
    let found = compared(
        before,
        "call Lock.go\n  enter Lock.state object=Lock#1 from=empty to=full event=drain",
        &Options { no_assume: true, ..Options::default() },
    );
    assert_eq!(differences(&found), [(Missing, Some(2), None), (Extra, None, Some(2))]);
}

#[test]
fn what_is_altered_takes_what_it_caused_along() {
    let before = "
call Lock.fill
  raise Gauge.rose args=1
    deliver Gauge.rose handler=Board.show
  raise Gauge.rose args=2
    deliver Gauge.rose handler=Board.show
";
    let after = before.replace("args=1", "args=9");
    expect(before, &after, &[(Altered, Some(2), Some(2))]);
}

#[test]
fn what_is_found_under_another_parent_or_in_another_lane_has_moved() {
    let before = "
call Lock.fill
  raise Gauge.rose
    deliver Gauge.rose handler=Board.show
  raise Gauge.fell
";
    let after = "
call Lock.fill
  raise Gauge.rose
  raise Gauge.fell
    deliver Gauge.rose handler=Board.show
";
    expect(before, after, &[(Moved, Some(3), Some(4))]);
    expect("call Lock.fill\n  raise A.b lane=x", "call Lock.fill\n  raise A.b lane=y", &[(Moved, Some(2), Some(2))]);
}

#[test]
fn lanes_have_no_order_among_each_other() {
    let before = "call Lock.fill\n  raise A.a lane=x\n  raise A.b lane=y\n  raise A.c lane=x";
    let after = "call Lock.fill\n  raise A.b lane=y\n  raise A.a lane=x\n  raise A.c lane=x";
    expect(before, after, &[]);
}

#[test]
fn of_a_subtree_only_the_top_is_listed() {
    let found = expect("call A.b\n  raise A.c\n    deliver A.c handler=D.e\n      call F.g", "call A.b", &[(Missing, Some(2), None)]);
    assert_eq!(found.replay.stimuli[0].verdict, StimulusVerdict::Missing);
}

#[test]
fn stimuli_are_aligned_by_lane_and_by_case() {
    let before = "call A.one case=first\ncall A.two case=first\ncall B.one case=second";
    let after = "call B.one case=second\ncall A.one case=first\ncall A.two case=first";
    expect(before, after, &[]);
    // within a case what changed places is missing and extra
    expect(
        before,
        "call B.one case=second\ncall A.two case=first\ncall A.one case=first",
        &[(Extra, None, Some(2)), (Missing, Some(2), None)],
    );
    // a new one stands behind the one that it follows in its lane
    let found = compared("call A.one\ncall A.two", "call A.one\ncall A.three\ncall A.two", &Options { all: true, ..Options::default() });
    let listed: Vec<(Option<u64>, Option<u64>)> = found.replay.stimuli.iter().map(|s| (s.before, s.after)).collect();
    assert_eq!(listed, [(Some(1), Some(1)), (None, Some(2)), (Some(2), Some(3))]);
}

#[test]
fn objects_are_paired_and_not_counted() {
    let two = |first: &str, second: &str| {
        format!(
            "call Lock.open object=Gate#1\ncall Lock.open object=Gate#2\nraise A.b\n  deliver A.b handler=Gate.on subscriber=Gate#{first}\n  deliver A.b handler=Gate.on subscriber=Gate#{second}"
        )
    };
    expect(&two("1", "2"), &two("1", "2"), &[]);
    expect(&two("1", "2"), &two("2", "1"), &[(Moved, Some(4), Some(5))]);
    // one without a partner is equal to none
    let found = compared(&two("1", "2"), &two("1", "3"), &Options::default());
    assert_eq!(differences(&found), [(Missing, Some(5), None), (Extra, None, Some(5))]);
    // objects inside of arguments too
    expect(r#"call A.b args={"gate":{"object":"Gate#1"}}"#, r#"call A.b args={"gate":{"object":"Gate#4"}}"#, &[]);
}

#[test]
fn what_comes_without_order_is_compared_without() {
    let options = Options { unordered: vec!["Gauge.rose".into()], ..Options::default() };
    let swapped = "
raise Gauge.rose subject=Gauge#1
  deliver Gauge.rose handler=Keeper.onRose subscriber=Keeper#1
    call Log.note args=1
    call Log.note args=2
  deliver Gauge.rose handler=Board.onRose subscriber=Board#1
";
    let before = "
raise Gauge.rose subject=Gauge#1
  deliver Gauge.rose handler=Board.onRose subscriber=Board#1
  deliver Gauge.rose handler=Keeper.onRose subscriber=Keeper#1
    call Log.note args=1
    call Log.note args=2
";
    assert_eq!(compared(before, swapped, &options).replay.verdict, Verdict::Unchanged);
    // what they cause in turn has an order
    let inner = swapped.replace("args=1", "args=3").replace("args=2", "args=1").replace("args=3", "args=2");
    assert_eq!(differences(&compared(before, &inner, &options)).len(), 1);
}

#[test]
fn what_is_carried_out_later_must_stay_so() {
    let now = "call Desk.plan\n  issue Dim object=Lamp#1\n  issue Dim object=Lamp#2\ncall Desk.turn\n  run Dim object=Lamp#1";
    let later = format!("{now} for=2");
    let found = expect(now, &later, &[(Altered, Some(5), Some(5))]);
    assert!(found.replay.stimuli[0].differences[0].text.contains("carried out at once, is now carried out later"));
    expect(&later, &later, &[]);
    expect(&later, &format!("{now} for=3"), &[(Altered, Some(5), Some(5))]);
    // the other one was planned first
    let swapped = "call Desk.plan\n  issue Dim object=Lamp#2\n  issue Dim object=Lamp#1\ncall Desk.turn\n  run Dim object=Lamp#1 for=3";
    let found = compared(
        &format!("call Desk.use object=Lamp#1\n{}", later.replace("for=2", "for=3")),
        &format!("call Desk.use object=Lamp#1\n{}", swapped.replace("for=3", "for=4")),
        &Options::default(),
    );
    assert_eq!(differences(&found), [(Moved, Some(3), Some(4))]);
}

#[test]
fn a_cause_can_be_old() {
    let mut text = String::from("call Main.run object=Main#1\nsettle of=1 outcome=done\n");
    let mut n = 2;
    for i in 0..6_000 {
        text.push_str(&format!("call Gate.turn args={i}\n"));
        n += 1;
    }
    let late = |what: &str| format!("{text}+1 raise Main.{what}\n+3 raise Gate.turned\n");
    expect(&late("done"), &late("done"), &[]);
    let found = compared(&late("done"), &late("ended"), &Options { no_assume: true, ..Options::default() });
    assert_eq!(differences(&found), [(Missing, Some(n + 1), None), (Extra, None, Some(n + 1))]);
    assert_eq!(found.replay.stimuli[0].before, Some(1));
}

#[test]
fn what_is_seen_through_gives_its_place_to_what_it_caused() {
    let direct = "call Desk.turn\n  call Lamp.dim object=Lamp#1\n  call Horn.blow object=Horn#1";
    let by_commands = "
call Desk.turn
  issue Dim object=Dim#1
    run Dim object=Dim#1
      call Lamp.dim object=Lamp#1
  issue Blow object=Blow#1
    run Blow object=Blow#1
      call Horn.blow object=Horn#1
";
    let options = Options { see_through: vec![Kind::Issue, Kind::Run], ..Options::default() };
    let found = compared(direct, by_commands, &options);
    assert_eq!(found.replay.verdict, Verdict::Unchanged);
    let seen: Vec<(Kind, u64, u64)> = found.replay.seen_through.iter().map(|s| (s.kind, s.before, s.after)).collect();
    assert_eq!(seen, [(Kind::Issue, 0, 2), (Kind::Run, 0, 2)]);
    // stimuli stay
    let options = Options { see_through: vec![Kind::Call], ..Options::default() };
    assert_eq!(compared("call A.b\n  call C.d\n    raise E.f", "call A.b\n  raise E.f", &options).replay.verdict, Verdict::Unchanged);
}
