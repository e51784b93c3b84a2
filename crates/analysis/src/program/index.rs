//! Where names are used: calls, member reads, assignments and creations, by name.

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{Member, Node, NodeId, TypeRef, Unit};

use super::{MemberId, Site, Sym, UnitId};

/// Uses of names over the whole tree, each list in the order of files and positions.
#[derive(Debug, Default)]
pub struct Index {
    calls: FxHashMap<Sym, Vec<Site>>,
    reads: FxHashMap<Sym, Vec<Site>>,
    writes: FxHashMap<Sym, Vec<Site>>,
    creations: FxHashMap<Sym, Vec<Site>>,
    texts: FxHashSet<Sym>,
}

/// What one body adds to the index.
#[derive(Debug, Default)]
pub(super) struct Uses {
    pub(super) calls: Vec<(Sym, Site)>,
    pub(super) reads: Vec<(Sym, Site)>,
    pub(super) writes: Vec<(Sym, Site)>,
    pub(super) creations: Vec<(Sym, Site)>,
    pub(super) texts: Vec<Sym>,
}

impl Index {
    pub(super) fn add(&mut self, uses: Uses) {
        let put = |to: &mut FxHashMap<Sym, Vec<Site>>, from: Vec<(Sym, Site)>| {
            for (sym, site) in from {
                to.entry(sym).or_default().push(site);
            }
        };
        put(&mut self.calls, uses.calls);
        put(&mut self.reads, uses.reads);
        put(&mut self.writes, uses.writes);
        put(&mut self.creations, uses.creations);
        self.texts.extend(uses.texts);
    }

    /// Whether a text stands as a literal anywhere in the tree.
    pub fn is_text(&self, text: &str, symbols: &super::Symbols) -> bool {
        symbols.get(text).is_some_and(|s| self.texts.contains(&s))
    }

    /// Calls of something of a name.
    pub fn calls(&self, name: Sym) -> &[Site] {
        self.calls.get(&name).map_or(&[], |v| v)
    }

    /// Names, member accesses and member references of a name that are not what is called.
    pub fn reads(&self, name: Sym) -> &[Site] {
        self.reads.get(&name).map_or(&[], |v| v)
    }

    /// Assignments to something of a name (the assignment nodes).
    pub fn writes(&self, name: Sym) -> &[Site] {
        self.writes.get(&name).map_or(&[], |v| v)
    }

    /// Creations of a type of a simple name.
    pub fn creations(&self, name: Sym) -> &[Site] {
        self.creations.get(&name).map_or(&[], |v| v)
    }
}

/// The uses in one body.
pub(super) fn uses(
    unit: &Unit,
    names: &[Sym],
    empty: Sym,
    id: MemberId,
    member: &Member,
    simple: &dyn Fn(UnitId, &str) -> Option<Sym>,
    unit_id: UnitId,
) -> Uses {
    let mut uses = Uses::default();
    let Some(body) = &member.body else { return uses };
    let sym = |name: yarrowgraph_ir::Name| names[name.0 as usize];
    let mut callees: Vec<NodeId> = Vec::new();
    for index in 0..body.nodes.len() {
        let node = NodeId::new(index);
        let site = Site { member: id, node };
        match body.node(node) {
            Node::Call { callee, .. } => {
                callees.push(callee);
                if let Node::Name(name) | Node::Member { name, .. } = body.node(callee) {
                    uses.calls.push((sym(name), site));
                } else if matches!(body.node(callee), Node::Super | Node::This) {
                    // a call of another constructor
                    uses.calls.push((empty, site));
                }
            }
            Node::Name(name) | Node::Member { name, .. } | Node::MethodRef { name, .. } => uses.reads.push((sym(name), site)),
            Node::Str(text) => uses.texts.push(sym(text)),
            Node::Assign { target, .. } => {
                if let Node::Name(name) | Node::Member { name, .. } = body.node(target) {
                    uses.writes.push((sym(name), site));
                }
            }
            Node::New { ty, .. } => {
                if let TypeRef::Named { name, .. } = unit.type_ref(ty) {
                    let text = unit.text(*name);
                    let last = text.rsplit('.').next().unwrap_or(text);
                    uses.creations.extend(simple(unit_id, last).map(|s| (s, site)));
                } else {
                    // the type is that of what the object is given to
                    uses.creations.push((empty, site));
                }
            }
            _ => {}
        }
    }
    callees.sort_unstable();
    uses.reads.retain(|(_, site)| callees.binary_search(&site.node).is_err());
    uses
}
