//! Comparing two recordings, before and after.
//!
//! Both are read side by side, and what is the same is let go at once. What differs is read again and compared record by
//! record, a part at a time.

use std::collections::VecDeque;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_model::{Kind, REPLAY_VERSION};

use crate::align;
use crate::matching::{self, Matched, difference};
use crate::numbers::Index;
use crate::objects::Pairs;
use crate::options::Options;
use crate::outline::{self, Deferred, Outline, Register};
use crate::read::ReadError;
use crate::rename::{self, Aliases};
use crate::result::{Counts, DifferenceKind, Rename, Replay, SeenThrough, Stimulus, StimulusVerdict};
use crate::say::{TreeLine, say, shortened};
use crate::source::Source;
use crate::tree::{self, Tree, Wanted};

/// So many outlines are handed over at a time.
const BATCH: usize = 512;
/// So many records of differing stimuli are held at a time.
const HELD: u64 = 400_000;
/// So many changed stimuli are kept for reading.
const SHOWN: usize = 24;
/// So many lines of each of them at most.
const LINES: usize = 2000;

/// The two orders of a stimulus, for reading.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Sides {
    /// The order before.
    pub before: Vec<TreeLine>,
    /// The order after.
    pub after: Vec<TreeLine>,
}

/// What comes of comparing two recordings.
#[derive(Clone, Debug)]
pub struct Comparison {
    /// The result, as it is written.
    pub replay: Replay,
    /// Both orders of the first stimuli that changed.
    pub sides: Vec<Sides>,
    /// The line of the recording before that was cut short and left out.
    pub cut_before: Option<u64>,
    /// The line of the recording after that was cut short and left out.
    pub cut_after: Option<u64>,
    /// Whether so much differs that stimuli were aligned in pieces, which need not come to the best alignment.
    pub in_pieces: bool,
}

/// Compares two recordings.
///
/// # Errors
///
/// When one of them cannot be read; the error names file and line.
pub fn against(before: &Source<'_>, after: &Source<'_>, options: &Options) -> Result<Comparison, ReadError> {
    let mut options = options.clone();
    let mut assumed = Vec::new();
    loop {
        let first = first_reading(before, after, &options)?;
        let differs = !(first.waiting_before.is_empty() && first.waiting_after.is_empty());
        if differs
            && !options.no_assume
            && assumed.is_empty()
            && let Some(rename) = rename::infer((before, &first.before), (after, &first.after), &options)?
        {
            options.aliases.push((rename.from.clone(), rename.to.clone()));
            assumed.push(rename);
            continue;
        }
        return Run { before, after, options: &options, first }.finish(assumed);
    }
}

/// What is left of reading both recordings side by side.
#[derive(Default)]
struct First {
    before: Register,
    after: Register,
    pairs: Pairs,
    /// How many stimuli at the beginning are the same on both sides, and the places after of these.
    same: Vec<u32>,
    /// The numbers of these stimuli, where they are listed.
    same_numbers: Vec<(u64, u64)>,
    /// For each lane the last of these stimuli.
    last_of_lane: FxHashMap<u64, u32>,
    /// Those of them in which records are deferred.
    deferred: Vec<DeferredWithin>,
    /// All other stimuli, with their places.
    waiting_before: Vec<(u32, Outline)>,
    waiting_after: Vec<(u32, Outline)>,
}

/// A pair of stimuli that are the same, with the deferred records in them.
struct DeferredWithin {
    before: Wanted,
    after: Wanted,
    records: Vec<(Deferred, Deferred)>,
}

/// Reads both recordings until neither has a tree that was closed too early.
fn first_reading(before: &Source<'_>, after: &Source<'_>, options: &Options) -> Result<First, ReadError> {
    let aliases = Aliases::new(&options.aliases);
    let (mut open_before, mut open_after) = (FxHashSet::default(), FxHashSet::default());
    loop {
        let first = side_by_side(before, after, options, &aliases, &open_before, &open_after)?;
        if first.before.reopened.is_empty() && first.after.reopened.is_empty() {
            return Ok(first);
        }
        open_before.extend(first.before.reopened);
        open_after.extend(first.after.reopened);
    }
}

fn side_by_side(
    before: &Source<'_>,
    after: &Source<'_>,
    options: &Options,
    aliases: &Aliases,
    open_before: &FxHashSet<u32>,
    open_after: &FxHashSet<u32>,
) -> Result<First, ReadError> {
    std::thread::scope(|scope| {
        let (send_before, take_before) = sync_channel(4);
        let (send_after, take_after) = sync_channel(4);
        let reading_before = scope.spawn(move || produce(before, options, aliases, open_before, &send_before));
        let none = Aliases::default();
        let reading_after = scope.spawn(move || produce(after, options, &none, open_after, &send_after));
        let mut first = Front::new(options).meet(take_before, take_after);
        // the threads do not panic: what they call gives errors back
        first.before = reading_before.join().unwrap_or_else(|_| Ok(Register::default()))?;
        first.after = reading_after.join().unwrap_or_else(|_| Ok(Register::default()))?;
        Ok(first)
    })
}

fn produce(
    source: &Source<'_>,
    options: &Options,
    aliases: &Aliases,
    keep_open: &FxHashSet<u32>,
    out: &SyncSender<Vec<Outline>>,
) -> Result<Register, ReadError> {
    let mut batch = Vec::with_capacity(BATCH);
    let register = outline::read(source, options, aliases, keep_open, &mut |outline| {
        batch.push(outline);
        batch.len() < BATCH || out.send(std::mem::replace(&mut batch, Vec::with_capacity(BATCH))).is_ok()
    })?;
    // whoever does not listen any more needs no rest
    let _ = out.send(batch);
    Ok(register)
}

/// The stimuli of one side that have not been met yet.
struct Incoming {
    source: Receiver<Vec<Outline>>,
    waiting: FxHashMap<u64, VecDeque<(u32, Outline)>>,
    ended: bool,
    count: u32,
}

impl Incoming {
    fn new(source: Receiver<Vec<Outline>>) -> Self {
        Self { source, waiting: FxHashMap::default(), ended: false, count: 0 }
    }

    /// Takes what comes next.
    fn more(&mut self) -> bool {
        let Ok(batch) = self.source.recv() else {
            self.ended = true;
            return false;
        };
        for outline in batch {
            self.waiting.entry(outline.lane).or_default().push_back((self.count, outline));
            self.count += 1;
        }
        true
    }

    /// All that is waiting, in order.
    fn rest(self) -> Vec<(u32, Outline)> {
        let mut all: Vec<(u32, Outline)> = self.waiting.into_values().flatten().collect();
        all.sort_unstable_by_key(|(place, _)| *place);
        all
    }
}

/// Lets go of stimuli that are the same on both sides, as long as nothing else has come.
struct Front<'o> {
    options: &'o Options,
    first: First,
}

impl<'o> Front<'o> {
    fn new(options: &'o Options) -> Self {
        Self { options, first: First::default() }
    }

    fn meet(mut self, before: Receiver<Vec<Outline>>, after: Receiver<Vec<Outline>>) -> First {
        let (mut before, mut after) = (Incoming::new(before), Incoming::new(after));
        let mut batch: VecDeque<Outline> = VecDeque::new();
        let mut next = 0;
        loop {
            let Some(b) = batch.pop_front() else {
                match before.source.recv() {
                    Ok(more) => batch.extend(more),
                    Err(_) => break,
                }
                continue;
            };
            let partner = loop {
                let next = after.waiting.get_mut(&b.lane).and_then(VecDeque::pop_front);
                if next.is_some() || !after.more() {
                    break next;
                }
            };
            let Some((place, a)) = partner else {
                batch.push_front(b);
                break;
            };
            if !self.is_same(&b, &a) {
                batch.push_front(b);
                after.waiting.entry(a.lane).or_default().push_front((place, a));
                break;
            }
            self.let_go(next, place, &b, &a);
            next += 1;
        }
        before.count = next;
        for outline in batch {
            before.waiting.entry(outline.lane).or_default().push_back((before.count, outline));
            before.count += 1;
        }
        // both go on side by side
        while before.more() | after.more() {}
        self.first.waiting_before = before.rest();
        self.first.waiting_after = after.rest();
        self.first
    }

    /// Whether two stimuli, the first of their lane on each side, are the same in all that they caused.
    fn is_same(&mut self, b: &Outline, a: &Outline) -> bool {
        if !b.is_like(a) {
            return false;
        }
        self.first.pairs.add(&b.objects, &a.objects);
        self.first.pairs.agree(&b.objects, &a.objects)
    }

    fn let_go(&mut self, stimulus: u32, place: u32, b: &Outline, a: &Outline) {
        self.first.same.push(place);
        self.first.last_of_lane.insert(b.lane, stimulus);
        if self.options.all {
            self.first.same_numbers.push((b.n, a.n));
        }
        if !b.deferred.is_empty() {
            let records = b.deferred.iter().copied().zip(a.deferred.iter().copied()).collect();
            self.first.deferred.push(DeferredWithin { before: b.wanted(stimulus), after: a.wanted(place), records });
        }
    }
}

/// What became of a stimulus before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Place {
    /// The same as that of this place after.
    Same(u32),
    /// A pair with that of this place after, which is compared record by record.
    Suspect(u32),
    /// It has no partner.
    Lone,
}

/// A pair of stimuli that differ, or may.
struct Suspect {
    before: Wanted,
    after: Wanted,

    /// How many records they have.
    records: u64,
    matched: Matched,
    sides: Sides,
}

impl Suspect {
    fn new(before: Wanted, after: Wanted, records: u64) -> Self {
        Self { before, after, records, matched: Matched::default(), sides: Sides::default() }
    }
}

/// A stimulus without a partner.
struct Lone {
    /// Its number.
    n: u64,
    said: String,
    lines: Vec<TreeLine>,
}

struct Run<'s, 'b> {
    before: &'s Source<'b>,
    after: &'s Source<'b>,
    options: &'s Options,
    first: First,
}

impl Run<'_, '_> {
    fn finish(mut self, assumed: Vec<Rename>) -> Result<Comparison, ReadError> {
        let waiting_before = std::mem::take(&mut self.first.waiting_before);
        let waiting_after = std::mem::take(&mut self.first.waiting_after);
        let (places_before, outlines_before): (Vec<u32>, Vec<Outline>) = waiting_before.into_iter().unzip();
        let (places_after, outlines_after): (Vec<u32>, Vec<Outline>) = waiting_after.into_iter().unzip();
        let (partners, in_pieces) = align::align(&outlines_before, &outlines_after);
        for (b, j) in outlines_before.iter().zip(&partners) {
            if let Some(j) = j {
                self.first.pairs.add(&b.objects, &outlines_after[*j].objects);
            }
        }
        let mut places: Vec<Place> = self.first.same.iter().map(|a| Place::Same(*a)).collect();
        let mut numbers = std::mem::take(&mut self.first.same_numbers);
        let mut suspects = Vec::new();
        for (i, b) in outlines_before.iter().enumerate() {
            let Some(j) = partners[i] else {
                places.push(Place::Lone);
                continue;
            };
            let a = &outlines_after[j];
            let same = b.is_like(a) && self.first.pairs.agree(&b.objects, &a.objects) && b.deferred.is_empty();
            if same {
                places.push(Place::Same(places_after[j]));
            } else {
                places.push(Place::Suspect(places_after[j]));
                let records = u64::from(b.nodes) + u64::from(a.nodes);
                suspects.push(Suspect::new(b.wanted(places_before[i]), a.wanted(places_after[j]), records));
            }
            if self.options.all && same {
                numbers.resize(places.len() - 1, (0, 0));
                numbers.push((b.n, a.n));
            }
        }
        self.compare_all(&mut suspects)?;
        let mut late = self.late(&places, &suspects);
        self.compare_all(&mut late)?;
        for suspect in &late {
            places[suspect.before.stimulus as usize] = Place::Suspect(suspect.after.stimulus);
        }
        suspects.splice(0..0, late);
        self.carry_out(&places, &mut suspects);
        let gone = (0..partners.len()).filter(|i| partners[*i].is_none());
        let gone: Vec<Wanted> = gone.map(|i| outlines_before[i].wanted(places_before[i])).collect();
        let taken: FxHashSet<usize> = partners.iter().flatten().copied().collect();
        // each extra one stands after the partner of the one that it follows in its lane
        let before_of: FxHashMap<usize, usize> = partners.iter().enumerate().filter_map(|(i, j)| j.map(|j| (j, i))).collect();
        let mut follows = std::mem::take(&mut self.first.last_of_lane);
        let mut new: Vec<(Option<u32>, Wanted)> = Vec::new();
        for (j, a) in outlines_after.iter().enumerate() {
            match before_of.get(&j) {
                Some(i) => drop(follows.insert(a.lane, places_before[*i])),
                None => new.push((follows.get(&a.lane).copied(), a.wanted(places_after[j]))),
            }
        }
        debug_assert_eq!(taken.len() + new.len(), outlines_after.len());
        let gone = self.lone(self.before, &self.first.before, &gone)?;
        let extra = self.lone(self.after, &self.first.after, &new.iter().map(|(_, place)| *place).collect::<Vec<_>>())?;
        let mut list = List { options: self.options, counts: Counts::default(), stimuli: Vec::new(), sides: Vec::new() };
        let mut extra_after: FxHashMap<Option<u32>, Vec<Lone>> = FxHashMap::default();
        for ((follows, _), lone) in new.iter().zip(extra) {
            extra_after.entry(*follows).or_default().push(lone);
        }
        let (mut gone, mut suspects) = (gone.into_iter(), suspects.into_iter());
        extra_after.remove(&None).into_iter().flatten().for_each(|lone| list.lone(lone, StimulusVerdict::Extra));
        for (place, what) in places.iter().enumerate() {
            match what {
                Place::Same(_) => list.same(numbers.get(place).copied()),
                Place::Suspect(_) => suspects.next().into_iter().for_each(|s| list.pair(s)),
                Place::Lone => gone.next().into_iter().for_each(|lone| list.lone(lone, StimulusVerdict::Missing)),
            }
            extra_after.remove(&Some(place as u32)).into_iter().flatten().for_each(|lone| list.lone(lone, StimulusVerdict::Extra));
        }
        let left_out = |register: &Register, kind: Kind| register.left_out.get(&kind).copied().unwrap_or_default();
        let mut kinds = self.options.see_through.clone();
        kinds.sort_unstable();
        kinds.dedup();
        let seen = kinds.into_iter().map(|kind| SeenThrough {
            kind,
            before: left_out(&self.first.before, kind),
            after: left_out(&self.first.after, kind),
        });
        let replay = Replay {
            format: "yarrowgraph-replay",
            version: REPLAY_VERSION,
            verdict: list.counts.verdict(),
            counts: list.counts,
            stimuli: list.stimuli,
            assumed_renames: assumed,
            seen_through: seen.collect(),
        };
        Ok(Comparison { replay, sides: list.sides, cut_before: self.first.before.cut, cut_after: self.first.after.cut, in_pieces })
    }

    /// Compares pairs record by record, a part at a time.
    fn compare_all(&self, suspects: &mut [Suspect]) -> Result<(), ReadError> {
        let (aliases, none) = (Aliases::new(&self.options.aliases), Aliases::default());
        let mut start = 0;
        while start < suspects.len() {
            let mut held = 0;
            let fits = |s: &&Suspect| {
                held += s.records;
                held < HELD
            };
            let count = suspects[start..].iter().take_while(fits).count().max(1);
            let part = &mut suspects[start..start + count];
            let (wanted_before, wanted_after): (Vec<Wanted>, Vec<Wanted>) = part.iter().map(|s| (s.before, s.after)).unzip();
            let (trees_before, trees_after) = std::thread::scope(|scope| {
                let of_before = scope.spawn(|| tree::load(self.before, &self.first.before, self.options, &aliases, &wanted_before));
                let of_after = tree::load(self.after, &self.first.after, self.options, &none, &wanted_after);
                // the thread does not panic: what it calls gives errors back
                (of_before.join().unwrap_or_else(|_| Ok(FxHashMap::default())), of_after)
            });
            let (trees_before, trees_after) = (trees_before?, trees_after?);
            let mut name_before = |label: &str| self.name_before(label);
            let mut name_after = |label: &str| self.name_after(label);
            for (at, suspect) in part.iter_mut().enumerate() {
                let (b, a) = (trees_before.get(&suspect.before.stimulus), trees_after.get(&suspect.after.stimulus));
                let (Some(b), Some(a)) = (b, a) else { continue };

                suspect.matched = matching::compare((b, &mut name_before), (a, &mut name_after), self.options);
                if start + at < SHOWN {
                    suspect.sides = Sides { before: lines(b), after: lines(a) };
                }
            }
            start += count;
        }
        Ok(())
    }

    /// What an object before is called: as its partner, or as itself where it has none.
    fn name_before(&self, label: &str) -> String {
        let object = self.first.before.labels.get(label);
        match object.and_then(|o| self.first.pairs.after(o.label)) {
            Some(partner) => format!("={partner}"),
            None => format!("<{label}"),
        }
    }

    fn name_after(&self, label: &str) -> String {
        self.first.after.labels.get(label).map_or_else(|| format!(">{label}"), |o| format!("={}", o.label))
    }

    /// Whether two records are partners.
    fn are_partners(&self, before: Index, after: Index, places: &[Place], suspects: &[Suspect]) -> bool {
        let (of_before, of_after) = (self.first.before.stimulus(before), self.first.after.stimulus(after));
        let (at, with) = (self.first.before.position(before), self.first.after.position(after));
        match places[of_before as usize] {
            Place::Same(place) => place == of_after && at == with,
            Place::Suspect(place) => {
                let matched = suspects.binary_search_by_key(&of_before, |s| s.before.stimulus).ok().map(|f| &suspects[f].matched);
                place == of_after && matched.is_some_and(|m| m.partners.get(at as usize).copied().flatten() == Some(with))
            }
            Place::Lone => false,
        }
    }

    /// The pairs that are the same but for what a deferred record in them carries out.
    fn late(&self, places: &[Place], suspects: &[Suspect]) -> Vec<Suspect> {
        let deferred = self.first.deferred.iter();
        let differs = deferred.filter(|d| d.records.iter().any(|(b, a)| !self.are_partners(b.target, a.target, places, suspects)));
        differs.map(|d| Suspect::new(d.before, d.after, 0)).collect()
    }

    /// Compares what deferred records carry out, now that all partners are known.
    fn carry_out(&self, places: &[Place], suspects: &mut [Suspect]) {
        for at in 0..suspects.len() {
            for pair in std::mem::take(&mut suspects[at].matched.deferred) {
                let agree = match (pair.target_before, pair.target_after) {
                    (Some(b), Some(a)) => self.are_partners(b, a, places, suspects),
                    (before, after) => before.is_none() && after.is_none(),
                };
                if !agree {
                    suspects[at].matched.put_deferred(&pair);
                }
            }
        }
    }

    /// Stimuli without a partner, in words.
    fn lone(&self, source: &Source<'_>, register: &Register, wanted: &[Wanted]) -> Result<Vec<Lone>, ReadError> {
        let (shown, rest) = wanted.split_at(wanted.len().min(SHOWN));
        let trees = tree::load(source, register, self.options, &Aliases::default(), shown)?;
        let roots = tree::roots(source, rest)?;
        let lone = wanted.iter().map(|w| {
            let tree = trees.get(&w.stimulus);
            let root = tree.and_then(|t| t.nodes.first()).map(|n| &n.record).or_else(|| roots.get(&w.stimulus));
            Lone { n: w.n, said: root.map(say).unwrap_or_default(), lines: tree.map(lines).unwrap_or_default() }
        });
        Ok(lone.collect())
    }
}

/// The lines of a tree, for reading.
fn lines(tree: &Tree) -> Vec<TreeLine> {
    let line = |node: usize| {
        let record = &tree.nodes[node].record;
        TreeLine { depth: tree.depth(node), n: record.n, text: shortened(&say(record)) }
    };
    tree.walk().into_iter().take(LINES).map(line).collect()
}

/// The stimuli of the result, in order.
struct List<'o> {
    options: &'o Options,
    counts: Counts,
    stimuli: Vec<Stimulus>,
    sides: Vec<Sides>,
}

impl List<'_> {
    fn put(&mut self, stimulus: Stimulus, sides: Sides) {
        self.counts.add(stimulus.verdict);
        if stimulus.verdict != StimulusVerdict::Unchanged && self.sides.len() < SHOWN {
            self.sides.push(sides);
        }
        if self.options.all || stimulus.verdict != StimulusVerdict::Unchanged {
            self.stimuli.push(stimulus);
        }
    }

    fn same(&mut self, numbers: Option<(u64, u64)>) {
        match numbers.filter(|_| self.options.all) {
            Some((before, after)) => {
                let verdict = StimulusVerdict::Unchanged;
                self.put(
                    Stimulus { before: Some(before), after: Some(after), verdict, differences: Vec::new(), reason: None },
                    Sides::default(),
                );
            }
            None => self.counts.add(StimulusVerdict::Unchanged),
        }
    }

    fn lone(&mut self, lone: Lone, verdict: StimulusVerdict) {
        let Lone { n, said, lines } = lone;
        let gone = verdict == StimulusVerdict::Missing;
        let (before, after) = if gone { (Some(n), None) } else { (None, Some(n)) };
        let (kind, text) = match gone {
            true => (DifferenceKind::Missing, format!("{said} is not there any more")),
            false => (DifferenceKind::Extra, format!("{said} is new")),
        };
        let differences = vec![difference(kind, before, after, text)];
        let sides = if gone { Sides { before: lines, after: Vec::new() } } else { Sides { before: Vec::new(), after: lines } };
        self.put(Stimulus { before, after, verdict, differences, reason: None }, sides);
    }

    fn pair(&mut self, suspect: Suspect) {
        let Suspect { before, after, matched, sides, .. } = suspect;
        let verdict = matched.verdict();
        let reason = (verdict == StimulusVerdict::Undecided).then(|| "one side has a digest where the other has the value".to_owned());
        let stimulus = Stimulus { before: Some(before.n), after: Some(after.n), verdict, differences: matched.differences, reason };
        self.put(stimulus, sides);
    }
}
