//! Where names are used: calls, member reads, assignments and creations, by name.

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{Body, Name, Node, NodeId, TypeRef, Unit};

use super::{Kinds, MemberId, Site, Sym, Symbols};

/// Uses of names over the whole tree, each list in the order of files and positions.
#[derive(Debug, Default)]
pub struct Index {
    calls: Sites,
    reads: Sites,
    writes: Sites,
    creations: Sites,
    /// For each name whether it stands as a literal.
    texts: Vec<bool>,
    /// For each name the locals of other names that a part of an object of that name is taken as.
    taken: FxHashMap<Sym, Vec<Sym>>,
}

/// Places by name: those of the name with number `n` are `sites[starts[n]..starts[n + 1]]`.
#[derive(Debug, Default)]
struct Sites {
    starts: Vec<u32>,
    sites: Vec<Site>,
}

impl Sites {
    fn of(&self, name: Sym) -> &[Site] {
        match self.starts.get(name.0 as usize..name.0 as usize + 2) {
            Some(&[start, end]) => &self.sites[start as usize..end as usize],
            _ => &[],
        }
    }

    /// Sorts uses by name, by counting.
    fn sorted<'u>(names: usize, uses: impl Iterator<Item = (Sym, Site)> + Clone + 'u) -> Self {
        let mut starts = vec![0_u32; names + 1];
        for (name, _) in uses.clone() {
            starts[name.0 as usize + 1] += 1;
        }
        for n in 0..names {
            starts[n + 1] += starts[n];
        }
        let nowhere = Site { member: MemberId(0), node: NodeId::new(0) };
        let mut sites = vec![nowhere; starts[names] as usize];
        let mut next = starts.clone();
        for (name, site) in uses {
            let at = &mut next[name.0 as usize];
            sites[*at as usize] = site;
            *at += 1;
        }
        Self { starts, sites }
    }
}

/// What the bodies of one file add to the index, by the names of the file, in the order of its members.
#[derive(Debug, Default)]
pub(super) struct Uses {
    calls: Vec<Used>,
    reads: Vec<Used>,
    writes: Vec<Used>,
    creations: Vec<Used>,
    texts: Vec<Name>,
    /// Parts that are taken from objects, with the names of the locals that hold them.
    taken: Vec<(Name, Name)>,
    /// For each member which kinds of nodes its body has.
    pub(super) kinds: Vec<Kinds>,
}

/// Something that a body uses.
#[derive(Clone, Copy, Debug)]
struct Used {
    what: Use,
    /// Whose body it is.
    member: yarrowgraph_ir::MemberId,
    node: NodeId,
}

/// One file to be put into the index.
#[derive(Clone, Copy, Debug)]
pub(super) struct File<'p> {
    /// Its names.
    pub(super) names: &'p FileNames,
    /// What its bodies use.
    pub(super) uses: &'p Uses,
    /// The numbers of its members in the program; none for those that are another one's.
    pub(super) members: &'p [Option<MemberId>],
}

/// What is used.
#[derive(Clone, Copy, Debug)]
enum Use {
    /// Something of a name.
    Name(Name),
    /// Something of the last part of a dotted name.
    Last(Name),
    /// Something without a name: another constructor, or a type that is inferred.
    Nameless,
}

/// The names of a file as symbols.
#[derive(Debug)]
pub(super) struct FileNames {
    /// For each name its symbol.
    pub(super) whole: Box<[Sym]>,
    /// For each dotted name, by number, the symbol of its last part.
    pub(super) last: Vec<(Name, Sym)>,
}

impl FileNames {
    fn sym(&self, used: Use, empty: Sym) -> Sym {
        match used {
            Use::Name(name) => self.whole[name.0 as usize],
            Use::Last(name) => match self.last.binary_search_by_key(&name, |(n, _)| *n) {
                Ok(at) => self.last[at].1,
                Err(_) => self.whole[name.0 as usize],
            },
            Use::Nameless => empty,
        }
    }
}

/// Of places in the order of files and positions those that stand in one member.
pub fn within(sites: &[Site], member: MemberId) -> &[Site] {
    let first = sites.partition_point(|site| site.member < member);
    let count = sites[first..].iter().take_while(|site| site.member == member).count();
    &sites[first..first + count]
}

impl Index {
    /// Puts the uses of all files together.
    pub(super) fn new(symbols: &Symbols, empty: Sym, files: &[File<'_>]) -> Self {
        type List = fn(&Uses) -> &[Used];
        let lists: [List; 4] = [|u| &u.calls, |u| &u.reads, |u| &u.writes, |u| &u.creations];
        let sort = || -> Vec<Sites> {
            lists
                .into_par_iter()
                .map(|list| {
                    let uses = files.iter().flat_map(move |file| {
                        list(file.uses).iter().filter_map(move |used| {
                            let member = file.members[used.member.0 as usize]?;
                            Some((file.names.sym(used.what, empty), Site { member, node: used.node }))
                        })
                    });
                    Sites::sorted(symbols.len(), uses)
                })
                .collect()
        };
        let find_texts = || {
            let mut texts = vec![false; symbols.len()];
            for file in files {
                for text in &file.uses.texts {
                    texts[file.names.whole[text.0 as usize].0 as usize] = true;
                }
            }
            texts
        };
        let (mut sorted, texts) = rayon::join(sort, find_texts);
        let mut next = || sorted.pop().unwrap_or_default();
        let (creations, writes, reads, calls) = (next(), next(), next(), next());
        let mut taken: FxHashMap<Sym, Vec<Sym>> = FxHashMap::default();
        for file in files {
            for (part, local) in &file.uses.taken {
                let names = taken.entry(file.names.whole[part.0 as usize]).or_default();
                let local = file.names.whole[local.0 as usize];
                if !names.contains(&local) {
                    names.push(local);
                }
            }
        }
        Self { calls, reads, writes, creations, texts, taken }
    }

    /// Whether something of a name is called, named, or taken from an object.
    pub fn is_used(&self, name: Sym) -> bool {
        !self.calls(name).is_empty() || !self.reads(name).is_empty() || !self.taken_as(name).is_empty()
    }

    /// The names of locals that hold a part of an object of this name: `const { emit: send } = bus`.
    pub fn taken_as(&self, name: Sym) -> &[Sym] {
        self.taken.get(&name).map_or(&[], Vec::as_slice)
    }

    /// Whether a text stands as a literal anywhere in the tree.
    pub fn is_text(&self, text: &str, symbols: &Symbols) -> bool {
        symbols.get(text).is_some_and(|s| self.texts.get(s.0 as usize).copied().unwrap_or(false))
    }

    /// Calls of something of a name.
    pub fn calls(&self, name: Sym) -> &[Site] {
        self.calls.of(name)
    }

    /// Names, member accesses and member references of a name that are not what is called.
    pub fn reads(&self, name: Sym) -> &[Site] {
        self.reads.of(name)
    }

    /// Assignments to something of a name (the assignment nodes).
    pub fn writes(&self, name: Sym) -> &[Site] {
        self.writes.of(name)
    }

    /// Creations of a type of a simple name.
    pub fn creations(&self, name: Sym) -> &[Site] {
        self.creations.of(name)
    }
}

/// The uses in the bodies of a file.
pub(super) fn uses(unit: &Unit) -> Uses {
    let mut uses = Uses::default();
    let mut callees: Vec<NodeId> = Vec::new();
    for (index, decl) in unit.members.iter().enumerate() {
        uses.kinds.push(Kinds::default());
        if let Some(body) = &decl.body {
            add_uses(unit, yarrowgraph_ir::MemberId(index as u32), body, &mut uses, &mut callees);
        }
    }
    uses
}

/// Adds the uses in one body; `callees` is room to work in.
fn add_uses(unit: &Unit, member: yarrowgraph_ir::MemberId, body: &Body, uses: &mut Uses, callees: &mut Vec<NodeId>) {
    let used = |what, node| Used { what, member, node };
    let first_read = uses.reads.len();
    let mut kinds = Kinds::default();
    callees.clear();
    for node in body.ids() {
        kinds |= Kinds::of(body.node(node));
        match body.node(node) {
            Node::Call { callee, .. } => {
                callees.push(callee);
                if let Node::Name(name) | Node::Member { name, .. } = body.node(callee) {
                    uses.calls.push(used(Use::Name(name), node));
                } else if matches!(body.node(callee), Node::Super | Node::This) {
                    uses.calls.push(used(Use::Nameless, node));
                }
            }
            Node::Name(name) | Node::Member { name, .. } | Node::MethodRef { name, .. } => uses.reads.push(used(Use::Name(name), node)),
            Node::Str(text) => uses.texts.push(text),
            Node::Entry { key, value } => {
                if let (Node::Str(part), Node::Local { name, .. }) = (body.node(key), body.node(value))
                    && part != name
                {
                    uses.taken.push((part, name));
                }
            }
            Node::Assign { target, .. } => {
                if let Node::Name(name) | Node::Member { name, .. } = body.node(target) {
                    uses.writes.push(used(Use::Name(name), node));
                }
            }
            Node::New { ty, .. } => uses.creations.push(match unit.type_ref(ty) {
                TypeRef::Named { name, .. } => used(Use::Last(*name), node),
                // the type is that of what the object is given to
                _ => used(Use::Nameless, node),
            }),
            _ => {}
        }
    }
    callees.sort_unstable();
    let mut kept = first_read;
    for read in first_read..uses.reads.len() {
        if callees.binary_search(&uses.reads[read].node).is_err() {
            uses.reads[kept] = uses.reads[read];
            kept += 1;
        }
    }
    uses.reads.truncate(kept);
    if let Some(of_member) = uses.kinds.last_mut() {
        *of_member = kinds;
    }
}
