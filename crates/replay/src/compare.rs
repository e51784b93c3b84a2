//! Comparing two recordings, before and after.

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_model::{Kind, REPLAY_VERSION, Record};

use crate::align::{self, Aligned};
use crate::canon;
use crate::content;
use crate::objects::Pairs;
use crate::read::Recording;
use crate::result::{Counts, Difference, DifferenceKind, Replay, Stimulus, StimulusVerdict};
use crate::tree::{Forest, NodeId};

/// What is compared, and what is listed.
#[derive(Clone, Copy, Debug, Default)]
pub struct Options {
    /// Leave out arguments and requests.
    pub ignore_args: bool,
    /// Leave out values that are given back.
    pub ignore_value: bool,
    /// List stimuli that did not change too.
    pub all: bool,
}

/// Compares two recordings.
pub fn against(before: &Recording, after: &Recording, options: &Options) -> Replay {
    let (before, after) = (Forest::new(before), Forest::new(after));
    let mut pairs = Pairs::default();
    let mut counts = Counts::default();
    let mut stimuli = Vec::new();
    for aligned in align::align(&before, &after, options) {
        let stimulus = match aligned {
            Aligned { before: Some(b), after: Some(a) } => {
                pairs.add((&before, b), (&after, a));
                Trees::new(&before, &after, &pairs, options).compare(b, a)
            }
            Aligned { before: Some(b), after: None } => {
                let record = before.record(b);
                lone(Some(record.n), None, StimulusVerdict::Missing, format!("{} is not there any more", say(record)))
            }
            Aligned { before: None, after: Some(a) } => {
                let record = after.record(a);
                lone(None, Some(record.n), StimulusVerdict::Extra, format!("{} is new", say(record)))
            }
            Aligned { before: None, after: None } => continue,
        };
        counts.add(stimulus.verdict);
        if options.all || stimulus.verdict != StimulusVerdict::Unchanged {
            stimuli.push(stimulus);
        }
    }
    Replay {
        format: "yarrowgraph-replay",
        version: REPLAY_VERSION,
        verdict: counts.verdict(),
        counts,
        stimuli,
        assumed_renames: Vec::new(),
    }
}

fn lone(before: Option<u64>, after: Option<u64>, verdict: StimulusVerdict, text: String) -> Stimulus {
    let kind = if verdict == StimulusVerdict::Missing { DifferenceKind::Missing } else { DifferenceKind::Extra };
    let difference = Difference { kind, before, after, text, places: Vec::new() };
    Stimulus { before, after, verdict, differences: vec![difference], reason: None }
}

/// The trees of one pair of stimuli.
struct Trees<'c, 'r> {
    before: &'c Forest<'r>,
    after: &'c Forest<'r>,
    pairs: &'c Pairs,
    options: &'c Options,
    partner: FxHashMap<NodeId, NodeId>,
    taken: FxHashSet<NodeId>,
    moved: Vec<(NodeId, NodeId)>,
    altered: Vec<(NodeId, NodeId)>,
    undecided: bool,
}

impl<'c, 'r> Trees<'c, 'r> {
    fn new(before: &'c Forest<'r>, after: &'c Forest<'r>, pairs: &'c Pairs, options: &'c Options) -> Self {
        Self {
            before,
            after,
            pairs,
            options,
            partner: FxHashMap::default(),
            taken: FxHashSet::default(),
            moved: Vec::new(),
            altered: Vec::new(),
            undecided: false,
        }
    }

    fn full_before(&self, id: NodeId) -> String {
        content::full(self.before, id, &|l| self.pairs.label(l), self.options)
    }

    fn full_after(&self, id: NodeId) -> String {
        content::full(self.after, id, &|l| l.to_owned(), self.options)
    }

    fn compare(mut self, b: NodeId, a: NodeId) -> Stimulus {
        self.pair(b, a);
        if self.full_before(b) != self.full_after(a) {
            self.differs(b, a);
        }
        self.align_children(b, a);
        let nodes_before = self.before.walk(b);
        let nodes_after = self.after.walk(a);
        self.match_moved(&nodes_before, &nodes_after);
        self.match_altered(&nodes_before, &nodes_after);
        let differences = self.differences(&nodes_before, &nodes_after);
        let has = |k: DifferenceKind| differences.iter().any(|d| d.kind == k);
        let verdict = if has(DifferenceKind::Missing) {
            StimulusVerdict::Missing
        } else if has(DifferenceKind::Extra) {
            StimulusVerdict::Extra
        } else if has(DifferenceKind::Moved) {
            StimulusVerdict::Reordered
        } else if has(DifferenceKind::Altered) {
            StimulusVerdict::Altered
        } else if self.undecided {
            StimulusVerdict::Undecided
        } else {
            StimulusVerdict::Unchanged
        };
        let reason = (verdict == StimulusVerdict::Undecided).then(|| "one side has a digest where the other has the value".to_owned());
        Stimulus { before: Some(self.before.record(b).n), after: Some(self.after.record(a).n), verdict, differences, reason }
    }

    fn pair(&mut self, b: NodeId, a: NodeId) {
        self.partner.insert(b, a);
        self.taken.insert(a);
    }

    /// Pairs the children of a pair that stay in order, lane by lane, and so on downwards.
    fn align_children(&mut self, b: NodeId, a: NodeId) {
        let mut stack = vec![(b, a)];
        while let Some((b, a)) = stack.pop() {
            let lanes_after = self.after.lanes(a);
            for (lane, list_before) in self.before.lanes(b) {
                let Some((_, list_after)) = lanes_after.iter().find(|(l, _)| *l == lane) else { continue };
                let free_before: Vec<NodeId> = list_before.into_iter().filter(|n| !self.partner.contains_key(n)).collect();
                let free_after: Vec<NodeId> = list_after.iter().copied().filter(|n| !self.taken.contains(n)).collect();
                let kb: Vec<String> = free_before.iter().map(|n| self.full_before(*n)).collect();
                let ka: Vec<String> = free_after.iter().map(|n| self.full_after(*n)).collect();
                for (i, j) in common(&kb, &ka) {
                    self.pair(free_before[i], free_after[j]);
                    stack.push((free_before[i], free_after[j]));
                }
            }
        }
    }

    /// What stands elsewhere with the same arguments and outcome has moved.
    fn match_moved(&mut self, before: &[NodeId], after: &[NodeId]) {
        for &b in before {
            if self.partner.contains_key(&b) {
                continue;
            }
            let key = self.full_before(b);
            let found = after.iter().copied().find(|a| !self.taken.contains(a) && self.full_after(*a) == key);
            if let Some(a) = found {
                self.pair(b, a);
                self.moved.push((b, a));
                self.align_children(b, a);
            }
        }
    }

    /// What is left with the same identity is altered, the one under the same parent first.
    fn match_altered(&mut self, before: &[NodeId], after: &[NodeId]) {
        for same_parent in [true, false] {
            for &b in before {
                if self.partner.contains_key(&b) {
                    continue;
                }
                let key = content::identity(self.before.record(b), &|l| self.pairs.label(l));
                let parent = self.before.node(b).parent.and_then(|p| self.partner.get(&p).copied());
                let fits = |a: &NodeId| {
                    !self.taken.contains(a)
                        && (!same_parent || (self.after.node(*a).parent == parent && self.after.lane(*a) == self.before.lane(b)))
                        && content::identity(self.after.record(*a), &|l| l.to_owned()) == key
                };
                if let Some(a) = after.iter().copied().find(|a| fits(a)) {
                    self.pair(b, a);
                    self.differs(b, a);
                    self.align_children(b, a);
                }
            }
        }
    }

    /// Two records of one identity that do not agree: altered, unless only digests stand
    /// between them.
    fn differs(&mut self, b: NodeId, a: NodeId) {
        let (rb, ra) = (self.before.record(b), self.after.record(a));
        let (sb, sa) = (self.before.settle(b), self.after.settle(a));
        let value = |r: Option<&Record>| r.and_then(|r| r.value.clone()).unwrap_or_default();
        let args = |r: &Record| (r.args.clone().unwrap_or_default(), r.request.clone().unwrap_or_default());
        let ((ab, qb), (aa, qa)) = (args(rb), args(ra));
        let mut values = vec![(value(sb), value(sa))];
        if !self.options.ignore_args {
            values.extend([(ab, aa), (qb, qa)]);
        }
        let label = |l: &str| self.pairs.label(l);
        let digests = values.iter().any(|(x, y)| canon::has_digest(x) != canon::has_digest(y));
        let same_outcome = sb.map(|s| s.outcome) == sa.map(|s| s.outcome) && (&rb.from, &rb.to) == (&ra.from, &ra.to);
        if digests && same_outcome && values.iter().all(|(x, y)| canon::agree_but_for_digests(x, y, &label)) {
            self.undecided = true;
        } else {
            self.altered.push((b, a));
        }
    }

    fn differences(&self, before: &[NodeId], after: &[NodeId]) -> Vec<Difference> {
        let mut found = Vec::new();
        let n = |r: &Record| Some(r.n);
        for &b in before {
            let record = self.before.record(b);
            if !self.partner.contains_key(&b) {
                // of a missing subtree only the top is listed
                let top = self.before.node(b).parent.is_none_or(|p| self.partner.contains_key(&p));
                if top {
                    found.push(difference(DifferenceKind::Missing, n(record), None, format!("{} is gone", say(record))));
                }
                continue;
            }
            if let Some((_, a)) = self.moved.iter().find(|(x, _)| *x == b) {
                let text = format!("{} {}", say(record), self.moved_where(b, *a));
                found.push(difference(DifferenceKind::Moved, n(record), n(self.after.record(*a)), text));
            }
            if let Some((_, a)) = self.altered.iter().find(|(x, _)| *x == b) {
                let text = format!("{} has other arguments or another outcome", say(record));
                found.push(difference(DifferenceKind::Altered, n(record), n(self.after.record(*a)), text));
            }
        }
        for &a in after {
            let top = !self.taken.contains(&a) && self.after.node(a).parent.is_none_or(|p| self.taken.contains(&p));
            if top {
                let record = self.after.record(a);
                found.push(difference(DifferenceKind::Extra, None, n(record), format!("{} is new", say(record))));
            }
        }
        found
    }

    /// Where a record moved to, in words.
    fn moved_where(&self, b: NodeId, a: NodeId) -> String {
        let same_parent = self.before.node(b).parent.and_then(|p| self.partner.get(&p).copied()) == self.after.node(a).parent;
        if !same_parent {
            return match self.after.node(a).parent {
                Some(p) => format!("now happens under {}", say(self.after.record(p))),
                None => "now stands alone".to_owned(),
            };
        }
        if self.before.lane(b) != self.after.lane(a) {
            return format!("now happens in lane {}", self.after.lane(a));
        }
        let follows = self.after.node(a).parent.and_then(|p| {
            let siblings = &self.after.node(p).children;
            let at = siblings.iter().position(|s| *s == a)?;
            siblings[..at].last().copied()
        });
        match follows {
            Some(s) => format!("now comes after {}", say(self.after.record(s))),
            None => "now comes first".to_owned(),
        }
    }
}

fn difference(kind: DifferenceKind, before: Option<u64>, after: Option<u64>, text: String) -> Difference {
    Difference { kind, before, after, text, places: Vec::new() }
}

/// A record in a few words.
pub(crate) fn say(r: &Record) -> String {
    let id = |x: &Option<String>| x.clone().unwrap_or_default();
    match r.kind {
        Kind::Call => format!("call {}", id(&r.target)),
        Kind::Subscribe => format!("subscribe {} to {}", id(&r.handler), id(&r.channel)),
        Kind::Unsubscribe => format!("unsubscribe {} from {}", id(&r.handler), id(&r.channel)),
        Kind::Raise => format!("raise {}", id(&r.channel)),
        Kind::Deliver => format!("deliver to {}", id(&r.handler)),
        Kind::Issue => format!("issue {}", id(&r.command)),
        Kind::Run => format!("run {}", id(&r.command)),
        Kind::Undo => format!("undo {}", id(&r.command)),
        Kind::Offer => format!("offer to {}", id(&r.handler)),
        Kind::Enter => format!("enter {} of {}", id(&r.to), id(&r.machine)),
        Kind::End => format!("end of {}", id(&r.object)),
        Kind::Settle => "settle".to_owned(),
        Kind::Note => "note".to_owned(),
    }
}

/// A longest common subsequence of two lists of keys.
fn common(b: &[String], a: &[String]) -> Vec<(usize, usize)> {
    let head = b.iter().zip(a).take_while(|(x, y)| x == y).count();
    let mut pairs: Vec<(usize, usize)> = (0..head).map(|i| (i, i)).collect();
    let (b, a) = (&b[head..], &a[head..]);
    let width = a.len() + 1;
    let mut best = vec![0_u32; (b.len() + 1) * width];
    for i in (0..b.len()).rev() {
        for j in (0..a.len()).rev() {
            best[i * width + j] =
                if b[i] == a[j] { best[(i + 1) * width + j + 1] + 1 } else { best[(i + 1) * width + j].max(best[i * width + j + 1]) };
        }
    }
    let (mut i, mut j) = (0, 0);
    while i < b.len() && j < a.len() {
        if b[i] == a[j] {
            pairs.push((head + i, head + j));
            i += 1;
            j += 1;
        } else if best[(i + 1) * width + j] >= best[i * width + j + 1] {
            i += 1;
        } else {
            j += 1;
        }
    }
    pairs
}

/// Text of both orders of a stimulus, for reading.
pub mod sides {
    use super::{Forest, NodeId, say};

    /// A line of a tree: how deep it stands, its number, and what it says.
    #[derive(Clone, Debug, PartialEq, Eq)]
    pub struct Line {
        /// How deep.
        pub depth: usize,
        /// The record's number.
        pub n: u64,
        /// What it says.
        pub text: String,
    }

    /// Ids down to their last two parts, which is how people say them.
    fn shortened(text: &str) -> String {
        let word = |w: &str| {
            let head = w.find(['(', '#', ':', '"']).unwrap_or(w.len());
            let cut = w[..head].rmatch_indices('.').nth(1).map_or(0, |(at, _)| at + 1);
            w[cut..].to_owned()
        };
        text.split(' ').map(word).collect::<Vec<_>>().join(" ")
    }

    /// The lines of the tree whose root has a number.
    pub fn lines(forest: &Forest<'_>, root: u64) -> Vec<Line> {
        let Some(root) = forest.stimuli.iter().copied().find(|s| forest.record(*s).n == root) else { return Vec::new() };
        let depth = |mut id: NodeId| {
            let mut depth = 0;
            while let Some(p) = forest.node(id).parent {
                depth += 1;
                id = p;
            }
            depth
        };
        forest
            .walk(root)
            .into_iter()
            .map(|id| Line { depth: depth(id), n: forest.record(id).n, text: shortened(&say(forest.record(id))) })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::read;
    use crate::result::Verdict;

    fn recording(lines: &str) -> Recording {
        read("r", format!("{{\"recording\":1}}\n{lines}").as_bytes()).expect("readable")
    }

    fn rose(order: [&str; 3]) -> Recording {
        let mut text = String::from("{\"n\":1,\"kind\":\"raise\",\"channel\":\"Gauge.rose\",\"subject\":\"Gauge#1\"}\n");
        for (i, handler) in order.iter().enumerate() {
            text.push_str(&format!(
                "{{\"n\":{},\"by\":1,\"kind\":\"deliver\",\"channel\":\"Gauge.rose\",\"handler\":\"{handler}\"}}\n",
                i + 2
            ));
        }
        recording(&text)
    }

    #[test]
    fn the_same_run_is_unchanged() {
        let r = rose(["Board.onRose", "Keeper.onRose", "Sluice.onRose"]);
        assert_eq!(against(&r, &r, &Options::default()).verdict, Verdict::Unchanged);
    }

    #[test]
    fn a_swap_is_one_move() {
        let before = rose(["Board.onRose", "Keeper.onRose", "Sluice.onRose"]);
        let after = rose(["Keeper.onRose", "Board.onRose", "Sluice.onRose"]);
        let result = against(&before, &after, &Options::default());
        assert_eq!(result.counts.reordered, 1);
        assert_eq!(result.stimuli[0].differences.len(), 1);
        assert_eq!(result.stimuli[0].differences[0].kind, DifferenceKind::Moved);
    }

    #[test]
    fn another_handler_is_missing_and_extra() {
        let before = rose(["Board.onRose", "Keeper.onRose", "Sluice.onRose"]);
        let after = rose(["Board.onRose", "Clerk.onRose", "Sluice.onRose"]);
        let result = against(&before, &after, &Options::default());
        assert_eq!((result.counts.missing, result.stimuli[0].differences.len()), (1, 2));
    }

    #[test]
    fn arguments_can_be_left_out() {
        let call = |cm: u32| recording(&format!("{{\"n\":1,\"kind\":\"call\",\"target\":\"Lock.fill\",\"args\":{{\"cm\":{cm}}}}}\n"));
        let (before, after) = (call(1), call(2));
        assert_eq!(against(&before, &after, &Options::default()).counts.altered, 1);
        let ignoring = Options { ignore_args: true, ..Options::default() };
        assert_eq!(against(&before, &after, &ignoring).verdict, Verdict::Unchanged);
    }

    #[test]
    fn labels_do_not_matter() {
        let end = |label: &str| recording(&format!("{{\"n\":1,\"kind\":\"end\",\"object\":\"{label}\"}}\n"));
        assert_eq!(against(&end("Gauge#1"), &end("Gauge#7"), &Options::default()).verdict, Verdict::Unchanged);
    }
}
