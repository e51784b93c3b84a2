//! Dispatch trees: a stimulus with all that it caused, read again to be compared record by record.

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_model::{Kind, Record};

use crate::numbers::Index;
use crate::options::Options;
use crate::outline::Register;
use crate::read::{ReadError, Reader};
use crate::rename::Aliases;
use crate::source::Source;

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

/// Reads the trees of some stimuli.
///
/// # Errors
///
/// When the recording cannot be read any more.
pub(crate) fn load(
    source: &Source<'_>,
    register: &Register,
    options: &Options,
    aliases: &Aliases,
    wanted: &FxHashSet<u32>,
) -> Result<FxHashMap<u32, Tree>, ReadError> {
    let mut trees: FxHashMap<u32, Tree> = FxHashMap::default();
    // the node of each record of these trees, or of what stands for it
    let mut nodes: FxHashMap<Index, (u32, usize)> = FxHashMap::default();
    let mut reader = Reader::open(source)?;
    while let Some((entry, line)) = reader.next()? {
        match line.kind {
            Kind::Note => {}
            Kind::Settle => {
                if let Some((stimulus, node)) = entry.of.and_then(|of| nodes.get(&of))
                    && let Some(node) = trees.get_mut(stimulus).map(|t| &mut t.nodes[*node])
                    && Some(node.record.n) == line.of
                {
                    node.settle = Some(line.to_record());
                }
            }
            kind => {
                let parent = match entry.by {
                    Some(by) => match nodes.get(&by) {
                        Some(parent) => Some(*parent),
                        None => continue,
                    },
                    None => None,
                };
                let stimulus = parent.map_or_else(|| register.stimulus(entry.index), |(s, _)| s);
                if !wanted.contains(&stimulus) {
                    continue;
                }
                if let Some(parent) = parent.filter(|_| options.leaves_out(kind)) {
                    nodes.insert(entry.index, parent);
                    continue;
                }
                let tree = trees.entry(stimulus).or_default();
                let number = tree.nodes.len();
                let mut record = line.to_record();
                let unordered = kind == Kind::Raise && record.channel.as_ref().is_some_and(|c| options.unordered.contains(c));
                rename(&mut record, aliases);
                let parent = parent.map(|(_, p)| p);
                tree.nodes.push(Node { record, parent, children: Vec::new(), settle: None, target: entry.for_, unordered });
                if let Some(parent) = parent {
                    tree.nodes[parent].children.push(number);
                }
                nodes.insert(entry.index, (stimulus, number));
            }
        }
    }
    Ok(trees)
}

/// Reads some stimuli alone.
///
/// # Errors
///
/// When the recording cannot be read any more.
pub(crate) fn roots(source: &Source<'_>, register: &Register, wanted: &FxHashSet<u32>) -> Result<FxHashMap<u32, Record>, ReadError> {
    let mut roots = FxHashMap::default();
    if wanted.is_empty() {
        return Ok(roots);
    }
    let mut reader = Reader::open(source)?;
    while let Some((entry, line)) = reader.next()? {
        if entry.by.is_none() && !matches!(line.kind, Kind::Note | Kind::Settle) {
            let stimulus = register.stimulus(entry.index);
            if wanted.contains(&stimulus) {
                roots.insert(stimulus, line.to_record());
            }
        }
    }
    Ok(roots)
}

fn rename(record: &mut Record, aliases: &Aliases) {
    let Record { target, channel, handler, command, chain, machine, event, .. } = record;
    for id in [target, channel, handler, command, chain, machine, event].into_iter().flatten() {
        if let std::borrow::Cow::Owned(other) = aliases.of(id) {
            *id = other;
        }
    }
}
