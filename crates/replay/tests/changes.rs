//! Random recordings, changed in a known way: verdict and counts must be what the change implies.

use proptest::prelude::*;
use yarrowgraph_replay::{Comparison, DifferenceKind, Options, Source, Verdict, against};

/// Numbers that follow from a seed.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % sides.max(1)
    }
}

#[derive(Clone, Debug)]
struct Node {
    kind: &'static str,
    class: usize,
    /// Its argument; no two nodes have the same.
    argument: usize,
    outcome: &'static str,
    lane: usize,
    /// The argument of the issue that it carries out.
    carries_out: Option<usize>,
    children: Vec<Node>,
}

const CLASSES: [&str; 5] = ["Gauge", "Board", "Keeper", "Sluice", "Lamp"];
const LANES: [&str; 3] = ["main", "pump", "radio"];
const KINDS: [&str; 6] = ["call", "raise", "deliver", "issue", "run", "offer"];

/// A stimulus with what it causes.
fn tree(dice: &mut Dice, depth: usize, next: &mut usize) -> Node {
    *next += 1;
    let argument = *next;
    let children = if depth == 0 { 0 } else { dice.roll(4) };
    Node {
        kind: if depth == 3 { "call" } else { KINDS[dice.roll(KINDS.len())] },
        class: dice.roll(CLASSES.len()),
        argument,
        outcome: "done",
        lane: if depth == 3 { 0 } else { dice.roll(LANES.len()) },
        carries_out: None,
        children: (0..children).map(|_| tree(dice, depth - 1, next)).collect(),
    }
}

fn forest(dice: &mut Dice) -> Vec<Node> {
    let mut next = 0;
    let count = 2 + dice.roll(4);
    (0..count).map(|_| tree(dice, 3, &mut next)).collect()
}

/// Writes a recording. What runs in different lanes comes in an order that the dice decide.
struct Writer<'d> {
    dice: &'d mut Dice,
    classes: Vec<String>,
    out: String,
    n: u64,
    numbers: std::collections::HashMap<usize, u64>,
}

impl Writer<'_> {
    fn recording(dice: &mut Dice, forest: &[Node], classes: &[&str]) -> String {
        let classes = classes.iter().map(|c| (*c).to_owned()).collect();
        let mut writer = Writer { dice, classes, out: "{\"recording\":1}\n".into(), n: 0, numbers: Default::default() };
        forest.iter().for_each(|root| writer.node(root, None));
        writer.out
    }

    fn node(&mut self, node: &Node, by: Option<u64>) {
        self.n += 1 + self.dice.roll(2) as u64;
        let n = self.n;
        let class = &self.classes[node.class];
        let ids = match node.kind {
            "call" => format!("\"target\":\"{class}.go\",\"object\":\"{class}#1\""),
            "raise" => format!("\"channel\":\"{class}.rose\",\"subject\":\"{class}#1\""),
            "deliver" => format!("\"channel\":\"Any.rose\",\"handler\":\"{class}.onRose\",\"subscriber\":\"{class}#1\""),
            "issue" | "run" => format!("\"command\":\"{class}.move\",\"invoker\":\"{class}#1\""),
            _ => format!("\"chain\":\"Any.checks\",\"handler\":\"{class}.check\",\"object\":\"{class}#1\""),
        };
        let by = by.map_or_else(String::new, |by| format!("\"by\":{by},"));
        let carries = node.carries_out.and_then(|c| self.numbers.get(&c)).map_or_else(String::new, |of| format!("\"for\":{of},"));
        let (lane, argument) = (LANES[node.lane], node.argument);
        self.out.push_str(&format!(
            "{{\"n\":{n},{by}{carries}\"lane\":\"{lane}\",\"kind\":\"{}\",{ids},\"args\":{{\"x\":{argument}}}}}\n",
            node.kind
        ));
        self.numbers.insert(node.argument, n);
        // the lanes take turns as they like
        let mut rest: Vec<&Node> = node.children.iter().collect();
        while !rest.is_empty() {
            let lane = rest[self.dice.roll(rest.len())].lane;
            let first = rest.iter().position(|c| c.lane == lane).expect("one of them");
            let child = rest.remove(first);
            self.node(child, Some(n));
        }
        self.n += 1;
        self.out.push_str(&format!("{{\"n\":{},\"kind\":\"settle\",\"of\":{n},\"outcome\":\"{}\"}}\n", self.n, node.outcome));
    }
}

fn compare(before: &str, after: &str) -> Comparison {
    let options = Options::default();
    against(&Source::bytes("before", before.as_bytes()), &Source::bytes("after", after.as_bytes()), &options).expect("readable")
}

/// All nodes below the stimuli, by their way from the top.
fn paths(forest: &[Node]) -> Vec<Vec<usize>> {
    fn below(node: &Node, way: &[usize], out: &mut Vec<Vec<usize>>) {
        for (at, child) in node.children.iter().enumerate() {
            let way = [way, &[at]].concat();
            out.push(way.clone());
            below(child, &way, out);
        }
    }
    let mut out = Vec::new();
    forest.iter().enumerate().for_each(|(at, root)| below(root, &[at], &mut out));
    out
}

fn at<'f>(forest: &'f mut [Node], way: &[usize]) -> &'f mut Node {
    let (first, rest) = way.split_first().expect("a way");
    rest.iter().fold(&mut forest[*first], |node, step| &mut node.children[*step])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn other_interleavings_change_nothing(seed in any::<u64>(), other in any::<u64>()) {
        let forest = forest(&mut Dice(seed));
        let before = Writer::recording(&mut Dice(seed), &forest, &CLASSES);
        let after = Writer::recording(&mut Dice(other), &forest, &CLASSES);
        let found = compare(&before, &after).replay;
        prop_assert_eq!(found.verdict, Verdict::Unchanged);
        prop_assert_eq!(found.counts.unchanged as usize, forest.len());
    }

    #[test]
    fn a_change_is_what_it_is(seed in any::<u64>(), other in any::<u64>(), change in 0_usize..6) {
        let mut dice = Dice(seed);
        let forest = forest(&mut dice);
        let ways = paths(&forest);
        prop_assume!(!ways.is_empty());
        let way = ways[dice.roll(ways.len())].clone();
        let (parent, last) = (way[..way.len() - 1].to_vec(), *way.last().expect("not empty"));
        let mut changed = forest.clone();
        let expected = match change {
            0 => {
                // a leaf goes, with all that it caused
                at(&mut changed, &parent).children.remove(last);
                DifferenceKind::Missing
            }
            1 => {
                let node = Node { kind: "raise", class: 0, argument: 1_000_000, outcome: "done", lane: 1, carries_out: None, children: Vec::new() };
                at(&mut changed, &parent).children.insert(last, node);
                DifferenceKind::Extra
            }
            2 => {
                at(&mut changed, &way).argument = 2_000_000;
                DifferenceKind::Altered
            }
            3 => {
                at(&mut changed, &way).outcome = "threw";
                DifferenceKind::Altered
            }
            4 => {
                // two of one lane change places
                let siblings = &mut at(&mut changed, &parent).children;
                let next = siblings.iter().skip(last + 1).position(|c| c.lane == siblings[last].lane);
                prop_assume!(next.is_some());
                siblings.swap(last, last + 1 + next.expect("checked"));
                DifferenceKind::Moved
            }
            _ => {
                // done at once, now done later
                let first = forest[0].argument;
                prop_assume!(way[0] > 0);
                at(&mut changed, &way).carries_out = Some(first);
                DifferenceKind::Altered
            }
        };
        let before = Writer::recording(&mut Dice(seed), &forest, &CLASSES);
        let after = Writer::recording(&mut Dice(other), &changed, &CLASSES);
        let found = compare(&before, &after).replay;
        let counts = found.counts;
        let of_kind = match expected {
            DifferenceKind::Missing => counts.missing,
            DifferenceKind::Extra => counts.extra,
            DifferenceKind::Moved => counts.reordered,
            DifferenceKind::Altered => counts.altered,
        };
        prop_assert_eq!(of_kind, 1, "{:#?}", found);
        prop_assert_eq!(counts.unchanged as usize, forest.len() - 1, "{:#?}", found);
        let differences = &found.stimuli[0].differences;
        // what changed places with one beside it is one move; one further away may be two
        let most = if expected == DifferenceKind::Moved { 2 } else { 1 };
        prop_assert!(!differences.is_empty() && differences.len() <= most, "{:#?}", found);
        prop_assert!(differences.iter().all(|d| d.kind == expected), "{:#?}", found);
    }

    #[test]
    fn a_renamed_class_is_assumed(seed in any::<u64>(), other in any::<u64>(), class in 0..CLASSES.len()) {
        let forest = forest(&mut Dice(seed));
        let mut classes = CLASSES;
        classes[class] = "Renamed";
        let before = Writer::recording(&mut Dice(seed), &forest, &CLASSES);
        let after = Writer::recording(&mut Dice(other), &forest, &classes);
        let found = compare(&before, &after).replay;
        prop_assert_eq!(found.verdict, Verdict::Unchanged, "{:#?}", found);
        let renamed = before.contains(CLASSES[class]);
        prop_assert_eq!(found.assumed_renames.len(), usize::from(renamed));
    }

    #[test]
    fn a_lost_stimulus_does_not_spoil_the_rest(seed in any::<u64>(), other in any::<u64>()) {
        let mut dice = Dice(seed);
        let forest = forest(&mut dice);
        let mut changed = forest.clone();
        changed.remove(dice.roll(forest.len()));
        let before = Writer::recording(&mut Dice(seed), &forest, &CLASSES);
        let after = Writer::recording(&mut Dice(other), &changed, &CLASSES);
        let found = compare(&before, &after).replay;
        prop_assert_eq!((found.counts.missing, found.counts.unchanged as usize), (1, changed.len()), "{:#?}", found);
        let back = compare(&after, &before).replay;
        prop_assert_eq!((back.counts.extra, back.counts.unchanged as usize), (1, changed.len()), "{:#?}", back);
    }

    #[test]
    fn any_two_recordings_can_be_compared(seed in any::<u64>(), other in any::<u64>()) {
        let (before, after) = (forest(&mut Dice(seed)), forest(&mut Dice(other)));
        let before = Writer::recording(&mut Dice(seed), &before, &CLASSES);
        let after = Writer::recording(&mut Dice(other), &after, &CLASSES);
        let found = compare(&before, &after).replay;
        for stimulus in &found.stimuli {
            for n in stimulus.differences.iter().filter_map(|d| d.before) {
                let line = format!("{{\"n\":{n},");
                prop_assert!(before.contains(&line));
            }
        }
    }
}
