//! Aligning stimuli: lane by lane, case by case, in order.

use rustc_hash::FxHashMap;

use crate::compare::Options;
use crate::content;
use crate::tree::{Forest, NodeId};

/// Beyond this many cells a lane is aligned in pieces.
const CELLS: usize = 16_000_000;

/// A pair of stimuli, or one without a partner.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Aligned {
    pub(crate) before: Option<NodeId>,
    pub(crate) after: Option<NodeId>,
}

/// Pairs the stimuli of two recordings. Those before come in their order, one that is only
/// after stands directly after the one that it follows in its lane of its case.
pub(crate) fn align(before: &Forest<'_>, after: &Forest<'_>, options: &Options) -> Vec<Aligned> {
    let (lanes_before, lanes_after) = (by_lane(before), by_lane(after));
    let mut partner: FxHashMap<NodeId, NodeId> = FxHashMap::default();
    let mut extra_after: FxHashMap<Option<NodeId>, Vec<NodeId>> = FxHashMap::default();
    for (key, list_after) in &lanes_after {
        let empty = Vec::new();
        let list_before = lanes_before.iter().find(|(k, _)| k == key).map_or(&empty, |(_, l)| l);
        let pairs = lane(before, after, list_before, list_after, options);
        let mut follows = None;
        for &a in list_after {
            match pairs.iter().find(|(_, x)| *x == a) {
                Some(&(b, _)) => {
                    partner.insert(b, a);
                    follows = Some(b);
                }
                None => extra_after.entry(follows).or_default().push(a),
            }
        }
    }
    let mut out: Vec<Aligned> = extra_after.remove(&None).into_iter().flatten().map(|a| Aligned { before: None, after: Some(a) }).collect();
    for &b in &before.stimuli {
        out.push(Aligned { before: Some(b), after: partner.get(&b).copied() });
        out.extend(extra_after.remove(&Some(b)).into_iter().flatten().map(|a| Aligned { before: None, after: Some(a) }));
    }
    out
}

/// A lane of a case, with its stimuli in order.
type Lane<'r> = ((Option<&'r str>, &'r str), Vec<NodeId>);

fn by_lane<'r>(forest: &Forest<'r>) -> Vec<Lane<'r>> {
    let mut lanes: Vec<Lane<'r>> = Vec::new();
    let mut at: FxHashMap<(Option<&str>, &str), usize> = FxHashMap::default();
    for &s in &forest.stimuli {
        let key = (forest.record(s).case.as_deref(), forest.lane(s));
        let index = *at.entry(key).or_insert_with(|| {
            lanes.push((key, Vec::new()));
            lanes.len() - 1
        });
        lanes[index].1.push(s);
    }
    lanes
}

/// How good a pair or an alignment is: pairs of equal arguments, pairs, unchanged trees.
type Score = (u32, u32, u32);

fn lane(before: &Forest<'_>, after: &Forest<'_>, b: &[NodeId], a: &[NodeId], options: &Options) -> Vec<(NodeId, NodeId)> {
    let keys = |forest: &Forest<'_>, list: &[NodeId]| -> Vec<Key> { list.iter().map(|s| Key::of(forest, *s, options)).collect() };
    let (kb, ka) = (keys(before, b), keys(after, a));
    let mut pairs = Vec::new();
    // what is the same at both ends needs no search
    let head = kb.iter().zip(&ka).take_while(|(x, y)| x == y).count();
    pairs.extend(b.iter().copied().zip(a.iter().copied()).take(head));
    let rest = kb.len().min(ka.len()) - head;
    let tail = kb.iter().rev().zip(ka.iter().rev()).take(rest).take_while(|(x, y)| x == y).count();
    let (mb, ma) = (head..kb.len() - tail, head..ka.len() - tail);
    for (i, j) in middle(&kb[mb], &ka[ma]) {
        pairs.push((b[head + i], a[head + j]));
    }
    pairs.extend((0..tail).rev().map(|k| (b[b.len() - 1 - k], a[a.len() - 1 - k])));
    pairs
}

#[derive(PartialEq, Eq)]
struct Key {
    identity: String,
    arguments: String,
    tree: String,
}

impl Key {
    fn of(forest: &Forest<'_>, s: NodeId, options: &Options) -> Self {
        let record = forest.record(s);
        let label = |l: &str| crate::objects::type_of(l).to_owned();
        let tree = forest
            .walk(s)
            .into_iter()
            .map(|n| format!("{}@{}", content::full(forest, n, &label, options), forest.lane(n)))
            .collect::<Vec<_>>()
            .join("\n");
        let arguments = if options.ignore_args { String::new() } else { content::arguments(record) };
        Self { identity: content::loose_identity(record), arguments, tree }
    }

    fn score(&self, other: &Key) -> Option<Score> {
        (self.identity == other.identity).then(|| (u32::from(self.arguments == other.arguments), 1, u32::from(self.tree == other.tree)))
    }
}

/// The best alignment in order, by dynamic programming; in pieces where the table would be
/// too large.
fn middle(b: &[Key], a: &[Key]) -> Vec<(usize, usize)> {
    if b.is_empty() || a.is_empty() {
        return Vec::new();
    }
    if b.len().saturating_mul(a.len()) > CELLS {
        let (hb, ha) = (b.len() / 2, a.len() / 2);
        let mut first = middle(&b[..hb], &a[..ha]);
        first.extend(middle(&b[hb..], &a[ha..]).into_iter().map(|(i, j)| (i + hb, j + ha)));
        return first;
    }
    let width = a.len() + 1;
    let mut best: Vec<Score> = vec![(0, 0, 0); (b.len() + 1) * width];
    for i in (0..b.len()).rev() {
        for j in (0..a.len()).rev() {
            let skip = best[(i + 1) * width + j].max(best[i * width + j + 1]);
            let taken = b[i].score(&a[j]).map(|s| {
                let rest = best[(i + 1) * width + j + 1];
                (s.0 + rest.0, s.1 + rest.1, s.2 + rest.2)
            });
            best[i * width + j] = taken.map_or(skip, |t| t.max(skip));
        }
    }
    let (mut i, mut j, mut pairs) = (0, 0, Vec::new());
    while i < b.len() && j < a.len() {
        let here = best[i * width + j];
        let rest = best[(i + 1) * width + j + 1];
        let takes = b[i].score(&a[j]).is_some_and(|s| (s.0 + rest.0, s.1 + rest.1, s.2 + rest.2) == here);
        if takes {
            pairs.push((i, j));
            i += 1;
            j += 1;
        } else if best[i * width + j + 1] == here {
            j += 1;
        } else {
            i += 1;
        }
    }
    pairs
}
