//! Dispatch trees: each stimulus with all that it caused.

use rustc_hash::FxHashMap;
use yarrowgraph_model::{Kind, Record};

use crate::read::Recording;

/// A record that is a node; an index into [`Forest::nodes`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct NodeId(pub u32);

/// A node: a record with what it caused and how it ended.
#[derive(Clone, Debug)]
pub(crate) struct Node {
    /// Its place among the records.
    pub(crate) record: usize,
    pub(crate) parent: Option<NodeId>,
    pub(crate) children: Vec<NodeId>,
    /// The `settle` that closes it, among the records.
    pub(crate) settle: Option<usize>,
}

/// The dispatch trees of a recording.
#[derive(Debug)]
pub struct Forest<'r> {
    pub(crate) recording: &'r Recording,
    pub(crate) nodes: Vec<Node>,
    /// The roots, in order.
    pub(crate) stimuli: Vec<NodeId>,
}

impl<'r> Forest<'r> {
    /// Builds the trees of a recording.
    pub fn new(recording: &'r Recording) -> Self {
        let mut forest = Forest { recording, nodes: Vec::new(), stimuli: Vec::new() };
        let mut by_number: FxHashMap<u64, NodeId> = FxHashMap::default();
        for (index, record) in recording.records.iter().enumerate() {
            match record.kind {
                Kind::Settle => {
                    if let Some(node) = record.of.and_then(|of| by_number.get(&of)) {
                        forest.nodes[node.0 as usize].settle = Some(index);
                    }
                }
                Kind::Note => {}
                _ => {
                    let id = NodeId(forest.nodes.len() as u32);
                    let parent = record.by.and_then(|by| by_number.get(&by).copied());
                    forest.nodes.push(Node { record: index, parent, children: Vec::new(), settle: None });
                    match parent {
                        Some(p) => forest.nodes[p.0 as usize].children.push(id),
                        None => forest.stimuli.push(id),
                    }
                    by_number.insert(record.n, id);
                }
            }
        }
        forest
    }

    pub(crate) fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    pub(crate) fn record(&self, id: NodeId) -> &'r Record {
        &self.recording.records[self.node(id).record]
    }

    pub(crate) fn settle(&self, id: NodeId) -> Option<&'r Record> {
        self.node(id).settle.map(|s| &self.recording.records[s])
    }

    pub(crate) fn lane(&self, id: NodeId) -> &'r str {
        self.record(id).lane.as_deref().unwrap_or("main")
    }

    /// The children of a node by lane: its own lane first, the others by name.
    pub(crate) fn lanes(&self, id: NodeId) -> Vec<(&'r str, Vec<NodeId>)> {
        let own = self.lane(id);
        let mut lanes: Vec<(&str, Vec<NodeId>)> = Vec::new();
        for &child in &self.node(id).children {
            let lane = self.lane(child);
            match lanes.iter_mut().find(|(l, _)| *l == lane) {
                Some((_, list)) => list.push(child),
                None => lanes.push((lane, vec![child])),
            }
        }
        lanes.sort_by_key(|(l, _)| (*l != own, *l));
        lanes
    }

    /// A tree's nodes: parent before children, lane by lane.
    pub(crate) fn walk(&self, root: NodeId) -> Vec<NodeId> {
        let mut out = Vec::new();
        let mut stack = vec![root];
        while let Some(id) = stack.pop() {
            out.push(id);
            let children: Vec<NodeId> = self.lanes(id).into_iter().flat_map(|(_, c)| c).collect();
            stack.extend(children.into_iter().rev());
        }
        out
    }
}
