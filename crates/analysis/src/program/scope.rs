//! The names that are in scope in a body.

use yarrowgraph_ir::{Body, FunctionId, LambdaForm, Member, Name, Node, NodeId};

/// What a name in a body means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Declared {
    /// A local variable ([`Node::Local`]), or a function that knows itself by a name of its own ([`Node::Lambda`]).
    Local(NodeId),
    /// A parameter of a function of this body, or of the member itself.
    Param(Option<FunctionId>, u16),
}

/// So many declarations of one name are looked through one by one.
const FEW: usize = 8;

#[derive(Clone, Copy, Debug)]
struct Entry {
    what: Declared,
    /// The node within which the name is in scope.
    scope: NodeId,
}

/// Parents of nodes and declarations of names of one body.
#[derive(Debug, Default)]
pub struct Scope {
    around: Box<[Around]>,
    /// Declarations by name, those of one name by the node within which they are in scope, in the order of the walk.
    entries: Box<[(Name, Entry)]>,
    member_params: Box<[Name]>,
    /// The nodes as a walk enters them.
    entered: Box<[NodeId]>,
    /// For each function of the body the node that makes it.
    function_nodes: Box<[Option<NodeId>]>,
}

/// Where a node stands.
#[derive(Clone, Copy, Debug, Default)]
struct Around {
    parent: Option<NodeId>,
    /// When a walk enters the node, counted from one, and the last entry below it; nothing where none does.
    first: u32,
    last: u32,
}

impl Scope {
    /// Whether a block ends by leaving the loop around it.
    pub fn leaves_loop(&self, body: &Body, block: NodeId) -> bool {
        let Node::Block(list) = body.node(block) else { return false };
        let around = self.ancestors(block).map(|n| body.node(n));
        let nearest = around.into_iter().find(|n| matches!(n, Node::Switch { .. } | Node::Loop { .. } | Node::ForEach { .. }));
        body.leave_loop(list, matches!(nearest, Some(Node::Switch { .. })))
    }

    /// Scans a member's body once.
    pub fn new(member: &Member) -> Self {
        let member_params = member.params.iter().map(|p| p.name).collect();
        let Some(body) = &member.body else { return Scope { member_params, ..Scope::default() } };
        let mut scope = Scope {
            around: vec![Around::default(); body.nodes.len()].into(),
            entries: Box::default(),
            member_params,
            entered: Box::default(),
            function_nodes: vec![None; body.functions.len()].into(),
        };
        let mut entered = Vec::with_capacity(body.nodes.len());
        let mut entries = scope.walk(body, member, &mut entered);
        scope.entered = entered.into();
        entries.sort_by_key(|(name, entry)| (*name, entry.scope));
        scope.entries = entries.into();
        scope
    }

    /// Walks over the body; returns what it declares.
    fn walk(&mut self, body: &Body, member: &Member, entered: &mut Vec<NodeId>) -> Vec<(Name, Entry)> {
        let mut entries = Vec::new();
        let mut stack = Vec::new();
        // defaults and patterns of the member's own parameters come first; the body knows their names
        let params = member.params.iter().flat_map(|p| p.default.into_iter().chain(p.pattern));
        for root in params.chain(body.root) {
            // a node, the scope its names belong to, and whether it is left again
            stack.push((root, body.root.unwrap_or(root), false));
            while let Some((id, around, leaving)) = stack.pop() {
                if leaving {
                    self.around[id.index()].last = entered.len() as u32;
                    continue;
                }
                entered.push(id);
                self.around[id.index()].first = entered.len() as u32;
                stack.push((id, around, true));
                let node = body.node(id);
                let inner = if opens_scope(node) { id } else { around };
                match node {
                    Node::Local { name, .. } => {
                        // a name bound by a test lives on behind it, so it belongs to the scope around
                        entries.push((name, Entry { what: Declared::Local(id), scope: around }));
                    }
                    Node::Lambda(f) => {
                        self.function_nodes[f.0 as usize] = Some(id);
                        if let (Some(name), LambdaForm::Lambda) = (body.function(f).name, body.function(f).form) {
                            entries.push((name, Entry { what: Declared::Local(id), scope: id }));
                        }
                        for (i, p) in body.function(f).params.iter().enumerate() {
                            let what = Declared::Param(Some(f), i as u16);
                            entries.push((p.name, Entry { what, scope: id }));
                        }
                    }
                    _ => {}
                }
                for child in body.children(id).into_iter().rev() {
                    self.around[child.index()].parent = Some(id);
                    stack.push((child, inner, false));
                }
            }
        }
        entries
    }

    /// The node around a node.
    pub fn parent(&self, id: NodeId) -> Option<NodeId> {
        self.around[id.index()].parent
    }

    /// The nodes around a node, nearest first.
    pub fn ancestors(&self, id: NodeId) -> impl Iterator<Item = NodeId> + '_ {
        std::iter::successors(self.parent(id), |n| self.parent(*n))
    }

    /// Whether a node is another one or lies within it.
    pub fn is_within(&self, inner: NodeId, outer: NodeId) -> bool {
        let (i, o) = (self.around[inner.index()], self.around[outer.index()]);
        o.first <= i.first && i.last <= o.last
    }

    /// A node and those that lie within it, in the order in which they were made.
    pub fn within(&self, outer: NodeId) -> std::vec::IntoIter<NodeId> {
        let Around { first, last, .. } = self.around[outer.index()];
        let mut nodes = self.entered.get((first as usize).wrapping_sub(1)..last as usize).map(<[NodeId]>::to_vec).unwrap_or_default();
        nodes.sort_unstable();
        nodes.into_iter()
    }

    /// What comes first in the body.
    pub fn is_before(&self, a: NodeId, b: NodeId) -> bool {
        self.around[a.index()].first < self.around[b.index()].first
    }

    /// Whether a node comes behind one in the body, and before another.
    pub fn is_between(&self, node: NodeId, first: NodeId, second: NodeId) -> bool {
        self.is_before(first, node) && self.is_before(node, second)
    }

    /// Whether a node names a local variable.
    pub fn names(&self, body: &Body, node: NodeId, local: NodeId) -> bool {
        let Node::Local { name, .. } = body.node(local) else { return false };
        body.node(node) == Node::Name(name) && self.lookup(name, node) == Some(Declared::Local(local))
    }

    /// Whether a local variable gets another value behind its declaration.
    pub fn is_set_again(&self, body: &Body, local: NodeId) -> bool {
        body.ids().any(|n| matches!(body.node(n), Node::Assign { target, .. } if self.names(body, target, local)))
    }

    /// What a name means at a node.
    pub fn lookup(&self, name: Name, at: NodeId) -> Option<Declared> {
        let first = self.entries.partition_point(|(n, _)| *n < name);
        let many = self.entries.get(first + FEW).is_some_and(|(n, _)| *n == name);
        let best = if many { self.innermost(name, at) } else { self.best_of(&self.entries[first..], name, at) };
        if best.is_some() {
            return best;
        }
        let index = self.member_params.iter().position(|p| *p == name)?;
        Some(Declared::Param(None, index as u16))
    }

    /// Of the few declarations of a name at the head of some the one that holds at a node.
    fn best_of(&self, entries: &[(Name, Entry)], name: Name, at: NodeId) -> Option<Declared> {
        let mut best: Option<Entry> = None;
        for &(_, entry) in entries.iter().take_while(|(n, _)| *n == name) {
            if !self.is_within(at, entry.scope) {
                continue;
            }
            let better = match best {
                None => true,
                Some(b) if b.scope == entry.scope => self.local_before(entry.what, at) || !self.local_before(b.what, at),
                Some(b) => self.is_within(entry.scope, b.scope),
            };
            if better {
                best = Some(entry);
            }
        }
        best.map(|entry| entry.what)
    }

    /// The same for a name that is declared over and over, as in code that was made shorter: each scope around is asked.
    fn innermost(&self, name: Name, at: NodeId) -> Option<Declared> {
        std::iter::once(at).chain(self.ancestors(at)).find_map(|scope| {
            let first = self.entries.partition_point(|(n, entry)| (*n, entry.scope) < (name, scope));
            let declared = self.entries[first..].iter().take_while(|(n, entry)| *n == name && entry.scope == scope);
            let declared = declared.map(|(_, entry)| entry.what);
            declared.reduce(|best, next| if self.local_before(next, at) || !self.local_before(best, at) { next } else { best })
        })
    }

    /// The node within which a local is in scope.
    pub fn scope_of(&self, body: &Body, local: NodeId) -> Option<NodeId> {
        self.ancestors(local).find(|n| opens_scope(body.node(*n))).or(body.root)
    }

    fn local_before(&self, what: Declared, at: NodeId) -> bool {
        match what {
            Declared::Local(id) => self.is_before(id, at),
            Declared::Param(..) => true,
        }
    }

    /// The node that makes a function of the body.
    pub fn function_node(&self, function: FunctionId) -> Option<NodeId> {
        self.function_nodes.get(function.0 as usize).copied().flatten()
    }

    /// The innermost function of the body around a node; none for the member's own code.
    pub fn function_around(&self, body: &Body, id: NodeId) -> Option<FunctionId> {
        self.ancestors(id).find_map(|n| match body.node(n) {
            Node::Lambda(f) => Some(f),
            _ => None,
        })
    }
}

fn opens_scope(node: Node) -> bool {
    matches!(
        node,
        Node::Block(_)
            | Node::Lambda(_)
            | Node::Loop { .. }
            | Node::ForEach { .. }
            | Node::Catch { .. }
            | Node::Case { .. }
            | Node::Using { body: Some(_), .. }
    )
}
