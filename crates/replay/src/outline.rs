//! The first reading of a recording: what each stimulus with all that it caused comes to, in a few words.
//!
//! A tree is kept while records may still be added to it. Once it is closed its outline says whether it can be the same as
//! another one: what its nodes come to with objects by type alone, in which pattern its objects appear, and which these are.

use std::collections::VecDeque;

use rustc_hash::{FxHashMap, FxHashSet};
use serde_json::value::RawValue;
use xxhash_rust::xxh3::xxh3_64;
use yarrowgraph_model::Kind;

use crate::canon;
use crate::labels::{Label, Labels, Object};
use crate::numbers::{Index, Numbers};
use crate::options::Options;
use crate::read::{Entry, Line, ReadError, Reader, Text};
use crate::rename::Aliases;
use crate::source::{Source, Stretch};
use crate::tree::Wanted;

/// So many records may come before a stimulus to which none of them belongs is taken for closed. One that turns out to go
/// on is read again.
const QUIET: u32 = 50_000;
/// A value whose text is longer is not kept in case it comes again.
const LONGEST: usize = 256;
/// So many values are kept at most.
const KEPT: usize = 50_000;

/// A deferred record: its place in its tree, and the record that it carries out.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Deferred {
    pub(crate) position: u32,
    pub(crate) target: Index,
}

/// What a stimulus and all that it caused come to.
#[derive(Clone, Debug)]
pub(crate) struct Outline {
    /// The number of the stimulus.
    pub(crate) n: u64,
    /// Its lane and its case.
    pub(crate) lane: u64,
    /// Its kind, ids, and the types of its objects.
    pub(crate) identity: u64,
    /// Its arguments.
    pub(crate) arguments: u64,
    /// The whole tree, with objects by type alone.
    pub(crate) tree: u64,
    /// Where the same object appears again.
    pub(crate) pattern: u64,
    /// The objects, in the order of their first appearance.
    pub(crate) objects: Box<[Object]>,
    /// How many records it has.
    pub(crate) nodes: u32,
    /// From the beginning of its first line to the end of its last.
    pub(crate) stretch: Stretch,
    /// Whether something in it is compared without order.
    pub(crate) unordered: bool,
    /// Deferred records in it, by position.
    pub(crate) deferred: Box<[Deferred]>,
}

impl Outline {
    /// The stimulus, to be read again.
    pub(crate) fn wanted(&self, stimulus: u32) -> Wanted {
        Wanted { stimulus, n: self.n, stretch: self.stretch }
    }

    /// Whether another one can be the same in all that it caused, but for which objects take part and what deferred records
    /// carry out.
    pub(crate) fn is_like(&self, other: &Self) -> bool {
        let deferred = |o: &Self| o.deferred.iter().map(|d| d.position).collect::<Vec<_>>();
        (self.identity, self.arguments, self.tree, self.pattern) == (other.identity, other.arguments, other.tree, other.pattern)
            && !self.unordered
            && !other.unordered
            && deferred(self) == deferred(other)
    }
}

/// What a first reading leaves behind.
#[derive(Debug, Default)]
pub(crate) struct Register {
    pub(crate) labels: Labels,
    pub(crate) numbers: Numbers,
    /// Stretches of records of one stimulus: the first record, and the stimulus.
    runs: Vec<(Index, u32)>,
    /// For each record its place in its tree.
    positions: Vec<u32>,
    /// Stimuli to which records were added after they were taken for closed.
    pub(crate) reopened: FxHashSet<u32>,
    /// How many records of each kind were left out.
    pub(crate) left_out: FxHashMap<Kind, u64>,
    /// The ids and types that were met.
    pub(crate) ids: FxHashSet<Box<str>>,
    /// The line that was cut short.
    pub(crate) cut: Option<u64>,
}

impl Register {
    /// The stimulus that a record belongs to.
    pub(crate) fn stimulus(&self, record: Index) -> u32 {
        if let Some((first, stimulus)) = self.runs.last()
            && *first <= record
        {
            return *stimulus;
        }
        let at = self.runs.partition_point(|(first, _)| *first <= record);
        self.runs[at.saturating_sub(1)].1
    }

    /// The place of a record in its tree, or of that which stands for it.
    pub(crate) fn position(&self, record: Index) -> u32 {
        self.positions[record as usize]
    }
}

/// No node.
const NONE: u32 = u32::MAX;

/// A stretch of a tree's objects.
type Span = (u32, u32);

#[derive(Debug)]
struct Node {
    record: Index,
    lane: u32,
    identity: u64,
    arguments: u64,
    /// States and outcome.
    outcome: u64,
    objects: Span,
    of_value: Span,
    /// Its children, in a list.
    first: u32,
    last: u32,
    next: u32,
    unordered: bool,
    /// The record that it carries out.
    target: Option<Index>,
}

#[derive(Debug)]
struct Tree {
    n: u64,
    lane: u64,
    nodes: Vec<Node>,
    objects: Vec<Object>,
    /// Records that are left out, with the node that stands for them.
    left_out: Vec<(Index, u32)>,
    /// The last record that belongs to it.
    touched: Index,
    stretch: Stretch,
    /// Whether the work of the stimulus has ended.
    settled: bool,
}

struct Builder<'o> {
    options: &'o Options,
    aliases: &'o Aliases,
    keep_open: &'o FxHashSet<u32>,
    register: Register,
    lanes: Vec<(Box<str>, u64)>,
    lane_numbers: FxHashMap<Box<str>, u32>,
    /// The trees that are open, from the number `closed` on.
    open: VecDeque<Tree>,
    closed: u32,
    /// Values by their text: what they come to, and their objects.
    values: FxHashMap<Box<str>, (u64, Box<[Object]>)>,
    identities: FxHashMap<u64, bool>,
    scratch: Vec<u8>,
}

/// Reads a recording and hands over the outlines of its stimuli in their order, until nobody takes them any more.
///
/// # Errors
///
/// When it cannot be read.
pub(crate) fn read(
    source: &Source<'_>,
    options: &Options,
    aliases: &Aliases,
    keep_open: &FxHashSet<u32>,
    put: &mut dyn FnMut(Outline) -> bool,
) -> Result<Register, ReadError> {
    let mut reader = Reader::open(source)?;
    let mut builder = Builder {
        options,
        aliases,
        keep_open,
        register: Register::default(),
        lanes: Vec::new(),
        lane_numbers: FxHashMap::default(),
        open: VecDeque::new(),
        closed: 0,
        values: FxHashMap::default(),
        identities: FxHashMap::default(),
        scratch: Vec::new(),
    };
    let mut taken = true;
    while let Some((entry, line)) = reader.next()? {
        builder.add(entry, &line);
        while taken && builder.is_quiet(entry.index) {
            taken = builder.close().is_none_or(&mut *put);
        }
    }
    builder.register.cut = reader.cut();
    builder.register.numbers = reader.into_numbers();
    while taken && let Some(outline) = builder.close() {
        taken = put(outline);
    }
    Ok(builder.register)
}

impl Builder<'_> {
    fn add(&mut self, entry: Entry, line: &Line<'_>) {
        let index = entry.index;
        // where a node is looked for before its tree is closed, this is its number in the tree
        self.register.positions.push(NONE);
        match line.kind {
            Kind::Note => {}
            Kind::Settle => {
                if let Some(of) = entry.of {
                    self.settle(of, &entry, line);
                }
            }
            kind => {
                let Some(by) = entry.by else {
                    self.stimulus(entry, line);
                    return;
                };
                let stimulus = self.register.stimulus(by);
                self.note_run(index, stimulus);
                let Some(at) = self.touch(stimulus, &entry) else { return };
                let parent = self.register.positions[by as usize];
                if self.options.leaves_out(kind) {
                    self.register.positions[index as usize] = parent;
                    self.open[at].left_out.push((index, parent));
                    *self.register.left_out.entry(kind).or_default() += 1;
                    return;
                }
                let node = self.node(entry, line, at);
                let tree = &mut self.open[at];
                let number = tree.nodes.len() as u32;
                self.register.positions[index as usize] = number;
                tree.nodes.push(node);
                let parent = &mut tree.nodes[parent as usize];
                let before = std::mem::replace(&mut parent.last, number);
                if before == NONE {
                    parent.first = number;
                } else {
                    tree.nodes[before as usize].next = number;
                }
            }
        }
    }

    fn stimulus(&mut self, entry: Entry, line: &Line<'_>) {
        let number = self.closed + self.open.len() as u32;
        self.note_run(entry.index, number);
        let lane = self.lane(line.lane.as_ref());
        self.scratch.clear();
        self.scratch.extend(self.lanes[lane as usize].1.to_le_bytes());
        if let Some(case) = &line.case {
            self.scratch.push(1);
            self.scratch.extend(case.as_str().as_bytes());
        }
        let lane = xxh3_64(&self.scratch);
        self.open.push_back(Tree {
            n: line.n,
            lane,
            nodes: Vec::new(),
            objects: Vec::new(),
            left_out: Vec::new(),
            touched: entry.index,
            stretch: entry.stretch,
            settled: false,
        });
        let at = self.open.len() - 1;
        let node = self.node(entry, line, at);
        self.open[at].nodes.push(node);
        self.register.positions[entry.index as usize] = 0;
    }

    /// Where the open tree of a stimulus stands; none if it was closed already.
    fn touch(&mut self, stimulus: u32, by: &Entry) -> Option<usize> {
        match stimulus.checked_sub(self.closed) {
            Some(at) => {
                let at = at as usize;
                self.open[at].touched = by.index;
                self.open[at].stretch.1 = by.stretch.1;
                Some(at)
            }
            None => {
                self.register.reopened.insert(stimulus);
                None
            }
        }
    }

    fn note_run(&mut self, record: Index, stimulus: u32) {
        let runs = &mut self.register.runs;
        if runs.last().is_none_or(|(_, s)| *s != stimulus) {
            runs.push((record, stimulus));
        }
    }

    fn settle(&mut self, of: Index, by: &Entry, line: &Line<'_>) {
        let number = self.register.positions[of as usize];
        if number == NONE {
            // a note, or a settle
            return;
        }
        let Some(at) = self.touch(self.register.stimulus(of), by) else { return };
        if self.open[at].nodes[number as usize].record != of {
            // it is left out, with its outcome
            return;
        }
        let start = self.open[at].objects.len() as u32;
        let value = if self.options.ignore_value { 0 } else { self.value(line.value, at) };
        let outcome = line.outcome.map_or(0, |o| o as u64 + 1);
        let tree = &mut self.open[at];
        tree.settled |= number == 0;
        let end = tree.objects.len() as u32;
        let node = &mut tree.nodes[number as usize];
        node.of_value = (start, end);
        node.outcome = mix(&[node.outcome, outcome, value]);
    }

    fn node(&mut self, entry: Entry, line: &Line<'_>, at: usize) -> Node {
        let lane = self.lane(line.lane.as_ref());
        let start = self.open[at].objects.len() as u32;
        let identity = self.identity(line, at);
        let arguments = if self.options.ignore_args {
            0
        } else {
            let (args, request) = (self.value(line.args, at), self.value(line.request, at));
            mix(&[args, request])
        };
        let states = match (&line.from, &line.to) {
            (None, None) => 0,
            (from, to) => {
                self.scratch.clear();
                for state in [from, to] {
                    put_text(&mut self.scratch, state.as_ref().map(Text::as_str));
                }
                xxh3_64(&self.scratch)
            }
        };
        let unordered = line.kind == Kind::Raise
            && line.channel.as_ref().is_some_and(|c| self.options.unordered.iter().any(|u| u.as_str() == c.as_str()));
        Node {
            record: entry.index,
            lane,
            identity,
            arguments,
            outcome: states,
            objects: (start, self.open[at].objects.len() as u32),
            of_value: (0, 0),
            first: NONE,
            last: NONE,
            next: NONE,
            unordered,
            target: entry.for_,
        }
    }

    fn lane(&mut self, lane: Option<&Text<'_>>) -> u32 {
        let name = lane.map_or("main", Text::as_str);
        if let Some(known) = self.lane_numbers.get(name) {
            return *known;
        }
        let number = self.lanes.len() as u32;
        self.lanes.push((name.into(), xxh3_64(name.as_bytes())));
        self.lane_numbers.insert(name.into(), number);
        number
    }

    /// What kind, ids and the types of the objects come to; the objects are put among those of the tree.
    fn identity(&mut self, line: &Line<'_>, at: usize) -> u64 {
        self.scratch.clear();
        self.scratch.push(line.kind as u8);
        for id in [&line.target, &line.channel, &line.handler, &line.command, &line.chain, &line.machine, &line.event] {
            put_text(&mut self.scratch, id.as_ref().map(Text::as_str));
        }
        for label in [&line.object, &line.subject, &line.subscriber, &line.invoker] {
            match label {
                Some(label) => {
                    let object = self.register.labels.object(label.as_str(), self.aliases);
                    self.open[at].objects.push(object);
                    self.scratch.push(1);
                    self.scratch.extend(object.ty.to_le_bytes());
                }
                None => self.scratch.push(0),
            }
        }
        let written = xxh3_64(&self.scratch);
        match self.identities.get(&written) {
            Some(false) => return written,
            Some(true) => {}
            None => {
                let mut renamed = false;
                for id in [&line.target, &line.channel, &line.handler, &line.command, &line.chain, &line.machine, &line.event]
                    .into_iter()
                    .flatten()
                {
                    let id = self.aliases.of(id.as_str());
                    renamed |= matches!(id, std::borrow::Cow::Owned(_));
                    self.register.ids.insert(id.into());
                }
                self.identities.insert(written, renamed);
                if !renamed {
                    return written;
                }
            }
        }
        // under the names that the other recording has
        let mut said = vec![line.kind as u8];
        for id in [&line.target, &line.channel, &line.handler, &line.command, &line.chain, &line.machine, &line.event] {
            put_text(&mut said, id.as_ref().map(|id| self.aliases.of(id.as_str())).as_deref());
        }
        for label in [&line.object, &line.subject, &line.subscriber, &line.invoker] {
            match label.as_ref().and_then(|l| self.register.labels.get(l.as_str())) {
                Some(object) => {
                    said.push(1);
                    said.extend(object.ty.to_le_bytes());
                }
                None => said.push(0),
            }
        }
        xxh3_64(&said)
    }

    /// What a value comes to; its objects are put among those of the tree.
    fn value(&mut self, value: Option<&RawValue>, at: usize) -> u64 {
        let Some(text) = value.map(RawValue::get).filter(|t| *t != "null") else { return 0 };
        let objects = &mut self.open[at].objects;
        if let Some((known, of)) = self.values.get(text) {
            objects.extend(of);
            return *known;
        }
        let start = objects.len();
        // it was checked as the line was read
        let parsed: serde_json::Value = serde_json::from_str(text).unwrap_or_default();
        let mut types = |label: &str| {
            let object = self.register.labels.object(label, self.aliases);
            objects.push(object);
            format!("{:x}", object.ty)
        };
        let content = canon::text(&parsed, &mut types);
        let hash = xxh3_64(content.as_bytes()) | 1;
        if text.len() <= LONGEST {
            if self.values.len() >= KEPT {
                self.values.clear();
            }
            self.values.insert(text.into(), (hash, objects[start..].into()));
        }
        hash
    }

    /// Whether the first open tree is taken for closed.
    fn is_quiet(&self, now: Index) -> bool {
        self.open.front().is_some_and(|tree| {
            // one that has ended needs little time for what it left behind
            let quiet = if tree.settled { QUIET / 10 } else { QUIET };
            now - tree.touched > quiet && !self.keep_open.contains(&self.closed)
        })
    }

    /// Closes the first open tree.
    fn close(&mut self) -> Option<Outline> {
        let tree = self.open.pop_front()?;
        self.closed += 1;
        let trees = self.trees(&tree);
        let unordered = tree.nodes.iter().any(|n| n.unordered);
        let mut deferred = Vec::new();
        let mut order = self.order(&tree, None);
        for (position, &number) in order.iter().enumerate() {
            let node = &tree.nodes[number as usize];
            self.register.positions[node.record as usize] = position as u32;
            if let Some(target) = node.target {
                deferred.push(Deferred { position: position as u32, target });
            }
        }
        if unordered {
            order = self.order(&tree, Some(&trees));
        }
        let mut objects: Vec<Object> = Vec::new();
        let mut places: FxHashMap<Label, u32> = FxHashMap::default();
        self.scratch.clear();
        for &number in &order {
            let node = &tree.nodes[number as usize];
            for span in [node.objects, node.of_value] {
                for object in &tree.objects[span.0 as usize..span.1 as usize] {
                    let place = match objects.len() {
                        // most trees have few objects
                        0..=8 => objects.iter().position(|o| o.label == object.label).map(|p| p as u32),
                        _ => places.get(&object.label).copied(),
                    };
                    let place = place.unwrap_or_else(|| {
                        objects.push(*object);
                        if objects.len() == 9 {
                            places.extend(objects.iter().enumerate().map(|(p, o)| (o.label, p as u32)));
                        } else if objects.len() > 9 {
                            places.insert(object.label, objects.len() as u32 - 1);
                        }
                        objects.len() as u32 - 1
                    });
                    self.scratch.extend(place.to_le_bytes());
                }
            }
        }
        for (record, stands_for) in &tree.left_out {
            let kept = &tree.nodes[*stands_for as usize];
            self.register.positions[*record as usize] = self.register.positions[kept.record as usize];
        }
        let root = &tree.nodes[0];
        Some(Outline {
            n: tree.n,
            lane: tree.lane,
            identity: root.identity,
            arguments: root.arguments,
            tree: trees[0],
            pattern: xxh3_64(&self.scratch),
            objects: objects.into(),
            nodes: tree.nodes.len() as u32,
            stretch: tree.stretch,
            unordered,
            deferred: deferred.into(),
        })
    }

    /// What each node of a tree comes to with all below it, objects by type alone.
    fn trees(&self, tree: &Tree) -> Vec<u64> {
        let mut trees = vec![0; tree.nodes.len()];
        let mut parts: Vec<u64> = Vec::new();
        // children come after their parents
        for number in (0..tree.nodes.len()).rev() {
            let node = &tree.nodes[number];
            parts.clear();
            parts.extend([node.identity, node.arguments, node.outcome]);
            for (lane, children) in self.lanes_of(tree, number as u32) {
                parts.push(self.lanes[lane as usize].1);
                parts.push(children.len() as u64);
                let start = parts.len();
                parts.extend(children.iter().map(|c| trees[*c as usize]));
                if node.unordered {
                    parts[start..].sort_unstable();
                }
            }
            trees[number] = mix(&parts);
        }
        trees
    }

    /// The children of a node by lane: its own lane first, the others by name.
    fn lanes_of(&self, tree: &Tree, number: u32) -> Vec<(u32, Vec<u32>)> {
        let node = &tree.nodes[number as usize];
        let mut lanes: Vec<(u32, Vec<u32>)> = Vec::new();
        let mut child = node.first;
        while child != NONE {
            let c = &tree.nodes[child as usize];
            match lanes.iter_mut().find(|(l, _)| *l == c.lane) {
                Some((_, list)) => list.push(child),
                None => lanes.push((c.lane, vec![child])),
            }
            child = c.next;
        }
        if lanes.len() > 1 {
            lanes.sort_by_key(|(l, _)| (*l != node.lane, &self.lanes[*l as usize].0));
        }
        lanes
    }

    /// The nodes of a tree, parent before children, lane by lane; where it is given what they come to, those below an
    /// unordered raise by that, which is the order in which objects are looked for.
    fn order(&self, tree: &Tree, trees: Option<&[u64]>) -> Vec<u32> {
        let mut order = Vec::with_capacity(tree.nodes.len());
        let mut stack = vec![0];
        while let Some(number) = stack.pop() {
            order.push(number);
            let start = stack.len();
            for (_, mut children) in self.lanes_of(tree, number) {
                if let Some(trees) = trees.filter(|_| tree.nodes[number as usize].unordered) {
                    children.sort_by_key(|c| trees[*c as usize]);
                }
                stack.extend(children);
            }
            stack[start..].reverse();
        }
        order
    }
}

fn put_text(out: &mut Vec<u8>, text: Option<&str>) {
    match text {
        Some(text) => {
            out.extend((text.len() as u32 + 1).to_le_bytes());
            out.extend(text.as_bytes());
        }
        None => out.extend(0_u32.to_le_bytes()),
    }
}

/// What several numbers come to in their order.
fn mix(parts: &[u64]) -> u64 {
    const HELD: usize = 16;
    let mut bytes = [0; HELD * 8];
    if parts.len() <= HELD {
        for (at, part) in parts.iter().enumerate() {
            bytes[at * 8..][..8].copy_from_slice(&part.to_le_bytes());
        }
        return xxh3_64(&bytes[..parts.len() * 8]);
    }
    let all: Vec<u8> = parts.iter().flat_map(|p| p.to_le_bytes()).collect();
    xxh3_64(&all)
}
