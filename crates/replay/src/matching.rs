//! Comparing two trees record by record.
//!
//! Records are matched with arguments and outcome first, where they stand and then anywhere else in the tree; what is left
//! of one identity is altered; only what the other tree holds fewer of is missing or extra.

use rustc_hash::{FxHashMap, FxHashSet};
use serde_json::Value;
use yarrowgraph_model::Outcome;

use crate::canon;
use crate::content::{self, Keys};
use crate::numbers::Index;
use crate::options::Options;
use crate::result::{Difference, DifferenceKind, StimulusVerdict};
use crate::say::say;
use crate::sequence::{common, rising};
use crate::tree::{Node, Tree};

/// A pair of records of which one carries out an earlier record in later work.
#[derive(Clone, Debug)]
pub(crate) struct DeferredPair {
    pub(crate) before: u64,
    pub(crate) after: u64,
    /// What it is, in words.
    pub(crate) said: String,
    pub(crate) target_before: Option<Index>,
    pub(crate) target_after: Option<Index>,
}

/// What comes of comparing two trees.
#[derive(Clone, Debug, Default)]
pub(crate) struct Matched {
    pub(crate) differences: Vec<Difference>,
    /// Whether a digest stands where the other side has the value.
    pub(crate) undecided: bool,
    pub(crate) deferred: Vec<DeferredPair>,
    /// For each record before, by its place in its tree, the place of its partner.
    pub(crate) partners: Vec<Option<u32>>,
}

impl Matched {
    /// What became of the stimulus.
    pub(crate) fn verdict(&self) -> StimulusVerdict {
        let has = |kind: DifferenceKind| self.differences.iter().any(|d| d.kind == kind);
        let order = [
            (DifferenceKind::Missing, StimulusVerdict::Missing),
            (DifferenceKind::Extra, StimulusVerdict::Extra),
            (DifferenceKind::Moved, StimulusVerdict::Reordered),
            (DifferenceKind::Altered, StimulusVerdict::Altered),
        ];
        let undecided = if self.undecided { StimulusVerdict::Undecided } else { StimulusVerdict::Unchanged };
        order.iter().find(|(kind, _)| has(*kind)).map_or(undecided, |(_, verdict)| *verdict)
    }

    /// Adds that two partners do not carry out the same.
    pub(crate) fn put_deferred(&mut self, pair: &DeferredPair) {
        let known = self.differences.iter().any(|d| d.kind == DifferenceKind::Altered && d.before == Some(pair.before));
        if known {
            return;
        }
        let said = &pair.said;
        let text = match (pair.target_before, pair.target_after) {
            (None, _) => format!("{said} was carried out at once, is now carried out later"),
            (_, None) => format!("{said} was carried out later, is now carried out at once"),
            _ => format!("{said} carries out another record than before"),
        };
        let altered = difference(DifferenceKind::Altered, Some(pair.before), Some(pair.after), text);
        let at = self.differences.iter().position(|d| d.before.is_none_or(|b| b > pair.before)).unwrap_or(self.differences.len());
        self.differences.insert(at, altered);
    }
}

/// One of the two trees.
struct Side<'t> {
    tree: &'t Tree,
    keys: Vec<Keys>,
    /// What each record comes to with all below it.
    whole: Vec<u64>,
    partner: Vec<Option<usize>>,
    walk: Vec<usize>,
}

impl<'t> Side<'t> {
    fn new(tree: &'t Tree, options: &Options, name: &mut content::Name<'_>) -> Self {
        let keys: Vec<Keys> = tree.nodes.iter().map(|n| content::keys(n, options, name)).collect();
        let mut whole = vec![0; tree.nodes.len()];
        for node in (0..tree.nodes.len()).rev() {
            let mut parts = keys[node].full.to_le_bytes().to_vec();
            for (lane, children) in tree.lanes(node) {
                parts.extend(lane.as_bytes());
                let mut below: Vec<u64> = children.iter().map(|c| whole[*c]).collect();
                if tree.nodes[node].unordered {
                    below.sort_unstable();
                }
                parts.extend(below.into_iter().flat_map(u64::to_le_bytes));
            }
            whole[node] = xxhash_rust::xxh3::xxh3_64(&parts);
        }
        Self { tree, keys, whole, partner: vec![None; tree.nodes.len()], walk: tree.walk() }
    }

    fn free(&self, nodes: &[usize]) -> Vec<usize> {
        nodes.iter().copied().filter(|n| self.partner[*n].is_none()).collect()
    }

    /// How often each full key stands among the records without a partner.
    fn spare(&self) -> FxHashMap<u64, usize> {
        let mut spare = FxHashMap::default();
        for node in self.walk.iter().filter(|n| self.partner[**n].is_none()) {
            *spare.entry(self.keys[*node].full).or_default() += 1;
        }
        spare
    }
}

struct Matching<'t, 'o> {
    before: Side<'t>,
    after: Side<'t>,
    options: &'o Options,
}

/// Compares two trees whose stimuli are a pair. Objects are called alike on both sides where they are partners.
pub(crate) fn compare(
    (before, name_before): (&Tree, &mut content::Name<'_>),
    (after, name_after): (&Tree, &mut content::Name<'_>),
    options: &Options,
) -> Matched {
    let mut m = Matching { before: Side::new(before, options, name_before), after: Side::new(after, options, name_after), options };
    m.pair(0, 0);
    m.align(0, 0);
    loop {
        let settled = m.settle_in_place() | m.find_elsewhere();
        if !settled && !m.settle_anywhere() {
            break;
        }
    }
    m.result(name_before, name_after)
}

impl Matching<'_, '_> {
    fn pair(&mut self, b: usize, a: usize) {
        self.before.partner[b] = Some(a);
        self.after.partner[a] = Some(b);
    }

    /// Whether what a pair causes directly comes in no order.
    fn unordered(&self, b: usize, a: usize) -> bool {
        self.before.tree.nodes[b].unordered && self.after.tree.nodes[a].unordered
    }

    /// The children of a pair that have no partner yet, for each lane that both have.
    fn free_lanes(&self, b: usize, a: usize) -> Vec<(Vec<usize>, Vec<usize>)> {
        let of_after = self.after.tree.lanes(a);
        let lanes = self.before.tree.lanes(b).into_iter();
        lanes
            .filter_map(|(lane, of_before)| {
                let (_, of_after) = of_after.iter().find(|(l, _)| *l == lane)?;
                let (of_before, of_after) = (self.before.free(&of_before), self.after.free(of_after));
                (!of_before.is_empty() && !of_after.is_empty()).then_some((of_before, of_after))
            })
            .collect()
    }

    /// Pairs the children of a pair that are the same and stay in order, and so on downwards.
    fn align(&mut self, b: usize, a: usize) {
        let mut stack = vec![(b, a)];
        while let Some((b, a)) = stack.pop() {
            for (of_before, of_after) in self.free_lanes(b, a) {
                let keys = |side: &Side<'_>, list: &[usize]| -> Vec<(u64, u64)> {
                    list.iter().map(|n| (side.keys[*n].full, side.whole[*n])).collect()
                };
                let (kb, ka) = (keys(&self.before, &of_before), keys(&self.after, &of_after));
                let pairs = if self.unordered(b, a) { in_any_order(&kb, &ka) } else { common(&kb, &ka) };
                for (i, j) in pairs {
                    self.pair(of_before[i], of_after[j]);
                    stack.push((of_before[i], of_after[j]));
                }
            }
        }
    }

    /// Pairs what stands in the same place with other arguments or another outcome, where it cannot have moved: neither side
    /// is to be found anywhere else.
    fn settle_in_place(&mut self) -> bool {
        let mut any = false;
        for b in self.before.walk.clone() {
            let Some(a) = self.before.partner[b] else { continue };
            let lanes = self.free_lanes(b, a);
            if lanes.is_empty() {
                continue;
            }
            let (spare_before, spare_after) = (self.before.spare(), self.after.spare());
            for (of_before, of_after) in lanes {
                let stuck_before: Vec<usize> =
                    of_before.into_iter().filter(|n| !spare_after.contains_key(&self.before.keys[*n].full)).collect();
                let stuck_after: Vec<usize> =
                    of_after.into_iter().filter(|n| !spare_before.contains_key(&self.after.keys[*n].full)).collect();
                let keys = |side: &Side<'_>, list: &[usize]| -> Vec<(u64, u64)> {
                    list.iter().map(|n| (side.keys[*n].identity, side.whole[*n])).collect()
                };
                let (kb, ka) = (keys(&self.before, &stuck_before), keys(&self.after, &stuck_after));
                let pairs = if self.unordered(b, a) { in_any_order(&kb, &ka) } else { common(&kb, &ka) };
                for (i, j) in pairs {
                    self.pair(stuck_before[i], stuck_after[j]);
                    self.align(stuck_before[i], stuck_after[j]);
                    any = true;
                }
            }
        }
        any
    }

    /// Pairs what stands elsewhere with the same arguments and outcome.
    fn find_elsewhere(&mut self) -> bool {
        self.search(&|keys| keys.full)
    }

    /// Pairs what is left of one identity.
    fn settle_anywhere(&mut self) -> bool {
        self.search(&|keys| keys.identity)
    }

    /// Pairs records without a partner by a key: one with the same behind it first, then one whose parent is the partner of
    /// the parent, then the first.
    fn search(&mut self, key: &dyn Fn(&Keys) -> u64) -> bool {
        let mut places: FxHashMap<u64, Vec<usize>> = FxHashMap::default();
        for &a in &self.after.walk {
            if self.after.partner[a].is_none() {
                places.entry(key(&self.after.keys[a])).or_default().push(a);
            }
        }
        let mut any = false;
        for b in self.before.walk.clone() {
            if self.before.partner[b].is_some() {
                continue;
            }
            let Some(candidates) = places.get_mut(&key(&self.before.keys[b])) else { continue };
            candidates.retain(|a| self.after.partner[*a].is_none());
            let parent = self.before.tree.nodes[b].parent.and_then(|p| self.before.partner[p]);
            let goodness = |a: &usize| {
                let beside = parent.is_some() && self.after.tree.nodes[*a].parent == parent;
                let same_lane = self.after.tree.lane(*a) == self.before.tree.lane(b);
                (beside && same_lane, self.before.whole[b] == self.after.whole[*a], beside)
            };
            // the first of the best
            let best = candidates.iter().copied().rev().max_by_key(|a| goodness(a));
            if let Some(a) = best {
                self.pair(b, a);
                self.align(b, a);
                any = true;
            }
        }
        any
    }

    /// Whether two partners agree in arguments and outcome.
    fn agree(&self, b: usize, a: usize) -> bool {
        self.before.keys[b].full == self.after.keys[a].full
    }

    /// The records that stand elsewhere: under another parent, in another lane, or out of order.
    fn moved(&self) -> FxHashSet<usize> {
        let mut moved = FxHashSet::default();
        for &b in &self.before.walk {
            let Some(a) = self.before.partner[b] else { continue };
            for (lane, children) in self.before.tree.lanes(b) {
                let (mut stay, mut places) = (Vec::new(), Vec::new());
                for child in children {
                    let Some(partner) = self.before.partner[child].filter(|p| self.agree(child, *p)) else { continue };
                    if self.after.tree.nodes[partner].parent != Some(a) || self.after.tree.lane(partner) != lane {
                        moved.insert(child);
                    } else {
                        stay.push(child);
                        places.push(partner);
                    }
                }
                if !self.unordered(b, a) {
                    let kept: FxHashSet<usize> = rising(&places).into_iter().collect();
                    moved.extend(stay.iter().enumerate().filter(|(at, _)| !kept.contains(at)).map(|(_, c)| *c));
                }
            }
        }
        // what has a partner although its parent has none
        for &b in &self.before.walk {
            let orphan = self.before.tree.nodes[b].parent.is_some_and(|p| self.before.partner[p].is_none());
            if orphan && self.before.partner[b].is_some_and(|a| self.agree(b, a)) {
                moved.insert(b);
            }
        }
        moved
    }

    fn result(&self, name_before: &mut content::Name<'_>, name_after: &mut content::Name<'_>) -> Matched {
        let moved = self.moved();
        let mut out = Matched::default();
        let mut places_after = vec![0; self.after.walk.len()];
        self.after.walk.iter().enumerate().for_each(|(place, a)| places_after[*a] = place as u32);
        out.partners = self.before.walk.iter().map(|b| self.before.partner[*b].map(|a| places_after[a])).collect();
        for &b in &self.before.walk {
            let node = &self.before.tree.nodes[b];
            let n = node.record.n;
            let Some(a) = self.before.partner[b] else {
                // of a missing subtree only the top is listed
                if node.parent.is_none_or(|p| self.before.partner[p].is_some()) {
                    out.differences.push(difference(DifferenceKind::Missing, Some(n), None, format!("{} is gone", say(&node.record))));
                }
                continue;
            };
            let partner = &self.after.tree.nodes[a];
            let m = partner.record.n;
            if moved.contains(&b) {
                let text = format!("{} {}", say(&node.record), self.moved_where(b, a));
                out.differences.push(difference(DifferenceKind::Moved, Some(n), Some(m), text));
            }
            if !self.agree(b, a) {
                if self.only_digests_differ(b, a, name_before, name_after) {
                    out.undecided = true;
                } else {
                    let text = format!("{} {}", say(&node.record), altered(node, partner));
                    out.differences.push(difference(DifferenceKind::Altered, Some(n), Some(m), text));
                }
            }
            if node.target.is_some() || partner.target.is_some() {
                out.deferred.push(DeferredPair {
                    before: n,
                    after: m,
                    said: say(&node.record),
                    target_before: node.target,
                    target_after: partner.target,
                });
            }
        }
        for &a in &self.after.walk {
            let node = &self.after.tree.nodes[a];
            if self.after.partner[a].is_none() && node.parent.is_none_or(|p| self.after.partner[p].is_some()) {
                let text = format!("{} is new", say(&node.record));
                out.differences.push(difference(DifferenceKind::Extra, None, Some(node.record.n), text));
            }
        }
        out
    }

    /// Whether two partners differ in nothing but that one has a digest where the other has the value.
    fn only_digests_differ(&self, b: usize, a: usize, name_before: &mut content::Name<'_>, name_after: &mut content::Name<'_>) -> bool {
        let (b, a) = (&self.before.tree.nodes[b], &self.after.tree.nodes[a]);
        let outcome = |n: &Node| n.settle.as_ref().map(|s| s.outcome);
        if outcome(b) != outcome(a) || (&b.record.from, &b.record.to) != (&a.record.from, &a.record.to) {
            return false;
        }
        let value = |n: &Node| n.settle.as_ref().and_then(|s| s.value.clone());
        let mut values: Vec<(Option<Value>, Option<Value>)> = Vec::new();
        if !self.options.ignore_value {
            values.push((value(b), value(a)));
        }
        if !self.options.ignore_args {
            values.push((b.record.args.clone(), a.record.args.clone()));
            values.push((b.record.request.clone(), a.record.request.clone()));
        }
        let values: Vec<(Value, Value)> = values.into_iter().map(|(x, y)| (x.unwrap_or_default(), y.unwrap_or_default())).collect();
        values.iter().any(|(x, y)| canon::has_digest(x) || canon::has_digest(y))
            && values.iter().all(|(x, y)| canon::agree_but_for_digests(x, y, name_before, name_after))
    }

    /// Where a record moved to, in words.
    fn moved_where(&self, b: usize, a: usize) -> String {
        let (before, after) = (&self.before.tree.nodes, &self.after.tree.nodes);
        let parent = before[b].parent.and_then(|p| self.before.partner[p]);
        if parent != after[a].parent {
            return after[a]
                .parent
                .map_or_else(|| "now stands alone".to_owned(), |p| format!("now happens under {}", say(&after[p].record)));
        }
        if self.before.tree.lane(b) != self.after.tree.lane(a) {
            return format!("now happens in lane {}", self.after.tree.lane(a));
        }
        let follows = after[a].parent.and_then(|p| {
            let siblings = &after[p].children;
            let at = siblings.iter().position(|s| *s == a)?;
            siblings[..at].last()
        });
        follows.map_or_else(|| "now comes first".to_owned(), |s| format!("now comes after {}", say(&after[*s].record)))
    }
}

/// So much of a value is shown.
const SHOWN: usize = 60;

/// In what two partners do not agree, in words.
fn altered(before: &Node, after: &Node) -> String {
    let outcome = |n: &Node| n.settle.as_ref().and_then(|s| s.outcome);
    let word = |o: Option<Outcome>| o.map_or_else(|| "with no end".to_owned(), |o| format!("{o:?}").to_lowercase());
    let value = |n: &Node| n.settle.as_ref().and_then(|s| s.value.clone());
    let (b, a) = (&before.record, &after.record);
    let or_nothing = |s: &Option<String>| s.clone().unwrap_or_else(|| "nothing".to_owned());
    let shown = |v: &Option<Value>| {
        let text = v.as_ref().map_or_else(|| "nothing".to_owned(), Value::to_string);
        match text.char_indices().nth(SHOWN) {
            Some((end, _)) => format!("{}…", &text[..end]),
            None => text,
        }
    };
    let mut parts = Vec::new();
    if outcome(before) != outcome(after) {
        parts.push(format!("ended {}, now ends {}", word(outcome(before)), word(outcome(after))));
    }
    if b.to != a.to {
        parts.push(format!("entered {}, now enters {}", or_nothing(&b.to), or_nothing(&a.to)));
    } else if b.from != a.from {
        parts.push(format!("left {}, now leaves {}", or_nothing(&b.from), or_nothing(&a.from)));
    }
    for (what, x, y) in [("had", &b.args, &a.args), ("was asked", &b.request, &a.request), ("gave back", &value(before), &value(after))] {
        if x != y {
            parts.push(format!("{what} {}, now {}", shown(x), shown(y)));
        }
    }
    if parts.is_empty() { "has other objects in its data".to_owned() } else { parts.join("; ") }
}

/// Pairs of equal keys wherever they stand, those with equal second keys first.
fn in_any_order(b: &[(u64, u64)], a: &[(u64, u64)]) -> Vec<(usize, usize)> {
    let mut taken = vec![false; a.len()];
    let mut pairs = Vec::new();
    for same in [true, false] {
        for (i, key) in b.iter().enumerate() {
            if pairs.iter().any(|(x, _)| *x == i) {
                continue;
            }
            let fits = |other: &(u64, u64)| other.0 == key.0 && (!same || other.1 == key.1);
            if let Some(j) = (0..a.len()).find(|j| !taken[*j] && fits(&a[*j])) {
                taken[j] = true;
                pairs.push((i, j));
            }
        }
    }
    pairs
}

/// A difference of which no code is known.
pub(crate) fn difference(kind: DifferenceKind, before: Option<u64>, after: Option<u64>, text: String) -> Difference {
    Difference { kind, before, after, text, places: Vec::new() }
}
