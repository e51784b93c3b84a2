//! Dispatch trees: a stimulus with all that it caused, read again to be compared record by record.

use rustc_hash::FxHashMap;
use yarrowgraph_model::{Kind, Record};

use crate::numbers::Index;
use crate::options::Options;
use crate::outline::Register;
use crate::read::{Line, ReadError};
use crate::rename::Aliases;
use crate::source::{Source, Stretch};

/// A record of a tree, with what it caused and how it ended.
#[derive(Clone, Debug)]
pub(crate) struct Node {
    pub(crate) record: Record,
    pub(crate) parent: Option<usize>,
    pub(crate) children: Vec<usize>,
    /// The record that ends its work.
    pub(crate) settle: Option<Record>,
    /// Where the record stands that it carries out.
    pub(crate) target: Option<Index>,
    /// Whether what it causes directly comes in no order.
    pub(crate) unordered: bool,
}

/// A stimulus with all that it caused; the stimulus comes first.
#[derive(Clone, Debug, Default)]
pub(crate) struct Tree {
    pub(crate) nodes: Vec<Node>,
}

impl Tree {
    pub(crate) fn lane(&self, node: usize) -> &str {
        self.nodes[node].record.lane.as_deref().unwrap_or("main")
    }

    /// The children of a node by lane: its own lane first, the others by name.
    pub(crate) fn lanes(&self, node: usize) -> Vec<(&str, Vec<usize>)> {
        let own = self.lane(node);
        let mut lanes: Vec<(&str, Vec<usize>)> = Vec::new();
        for &child in &self.nodes[node].children {
            let lane = self.lane(child);
            match lanes.iter_mut().find(|(l, _)| *l == lane) {
                Some((_, list)) => list.push(child),
                None => lanes.push((lane, vec![child])),
            }
        }
        lanes.sort_by_key(|(l, _)| (*l != own, *l));
        lanes
    }

    /// The nodes, parents before children, lane by lane.
    pub(crate) fn walk(&self) -> Vec<usize> {
        let mut out = Vec::with_capacity(self.nodes.len());
        let mut stack = vec![0];
        while let Some(node) = stack.pop() {
            out.push(node);
            let children: Vec<usize> = self.lanes(node).into_iter().flat_map(|(_, c)| c).collect();
            stack.extend(children.into_iter().rev());
        }
        out
    }

    /// How deep a node stands.
    pub(crate) fn depth(&self, node: usize) -> usize {
        std::iter::successors(self.nodes[node].parent, |p| self.nodes[*p].parent).count()
    }
}

/// A stimulus that is read again.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Wanted {
    /// Which one it is of its recording.
    pub(crate) stimulus: u32,
    /// Its number.
    pub(crate) n: u64,
    /// Where it and all that it caused stand.
    pub(crate) stretch: Stretch,
}

/// Reads the trees of some stimuli of a recording that was read and checked before.
///
/// # Errors
///
/// When the recording cannot be read any more.
pub(crate) fn load(
    source: &Source<'_>,
    register: &Register,
    options: &Options,
    aliases: &Aliases,
    wanted: &[Wanted],
) -> Result<FxHashMap<u32, Tree>, ReadError> {
    let roots: FxHashMap<u64, u32> = wanted.iter().map(|w| (w.n, w.stimulus)).collect();
    let mut trees: FxHashMap<u32, Tree> = FxHashMap::default();
    // the node of each record of these trees, or of what stands for it
    let mut nodes: FxHashMap<u64, (u32, usize)> = FxHashMap::default();
    let mut take = |line: &Line<'_>| match line.kind {
        Kind::Note => {}
        Kind::Settle => {
            if let Some((stimulus, node)) = line.of.and_then(|of| nodes.get(&of))
                && let Some(node) = trees.get_mut(stimulus).map(|t| &mut t.nodes[*node])
                && Some(node.record.n) == line.of
            {
                node.settle = Some(line.to_record());
            }
        }
        kind => {
            let (stimulus, parent) = match line.by {
                Some(by) => match nodes.get(&by) {
                    Some((stimulus, parent)) => (*stimulus, Some(*parent)),
                    None => return,
                },
                None => match roots.get(&line.n) {
                    Some(stimulus) => (*stimulus, None),
                    None => return,
                },
            };
            if let Some(parent) = parent.filter(|_| options.leaves_out(kind)) {
                nodes.insert(line.n, (stimulus, parent));
                return;
            }
            let tree = trees.entry(stimulus).or_default();
            let number = tree.nodes.len();
            let mut record = line.to_record();
            let unordered = kind == Kind::Raise && record.channel.as_ref().is_some_and(|c| options.unordered.contains(c));
            rename(&mut record, aliases);
            let target = line.for_.and_then(|n| register.numbers.index(n));
            tree.nodes.push(Node { record, parent, children: Vec::new(), settle: None, target, unordered });
            if let Some(parent) = parent {
                tree.nodes[parent].children.push(number);
            }
            nodes.insert(line.n, (stimulus, number));
        }
    };
    visit(source, wanted.iter().map(|w| w.stretch).collect(), &mut take)?;
    Ok(trees)
}

/// Reads some stimuli alone.
///
/// # Errors
///
/// When the recording cannot be read any more.
pub(crate) fn roots(source: &Source<'_>, wanted: &[Wanted]) -> Result<FxHashMap<u32, Record>, ReadError> {
    let known: FxHashMap<u64, u32> = wanted.iter().map(|w| (w.n, w.stimulus)).collect();
    let mut roots = FxHashMap::default();
    let first_lines = wanted.iter().map(|w| (w.stretch.0, w.stretch.0 + 1)).collect();
    visit(source, first_lines, &mut |line| {
        if let Some(stimulus) = known.get(&line.n) {
            roots.insert(*stimulus, line.to_record());
        }
    })?;
    Ok(roots)
}

/// Visits the records in some stretches of a recording that was read and checked before.
fn visit(source: &Source<'_>, mut stretches: Vec<Stretch>, take: &mut dyn FnMut(&Line<'_>)) -> Result<(), ReadError> {
    stretches.sort_unstable();
    let mut apart: Vec<Stretch> = Vec::with_capacity(stretches.len());
    for stretch in stretches {
        match apart.last_mut() {
            Some(last) if stretch.0 <= last.1 => last.1 = last.1.max(stretch.1),
            _ => apart.push(stretch),
        }
    }
    let read = source.lines_in(&apart, &mut |bytes| {
        if let Some(line) = std::str::from_utf8(bytes).ok().and_then(|text| serde_json::from_str(text).ok()) {
            take(&line);
        }
    });
    read.map_err(|e| ReadError::Io { name: source.name().to_owned(), source: e })
}

fn rename(record: &mut Record, aliases: &Aliases) {
    let Record { target, channel, handler, command, chain, machine, event, .. } = record;
    for id in [target, channel, handler, command, chain, machine, event].into_iter().flatten() {
        if let std::borrow::Cow::Owned(other) = aliases.of(id) {
            *id = other;
        }
    }
}
