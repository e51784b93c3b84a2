//! Chains of responsibility: which objects can be links of one, by the shape of what they do with a request.
//!
//! A link hands a request on to the next one, which a field of its holds, by the method that it was itself asked by
//! (`next`); or a list of links is walked until one of them has an answer (`walks`). What chains there are is for the
//! set-up to say, which builds them (`built`).

pub mod all_ways;
pub mod behaviour;
mod built;
pub mod codes;
pub mod conditions;
mod continuations;
pub mod ending;
mod hooks;
pub mod map;
mod next;
mod pipelines;
mod streams;
mod walks;
pub mod ways;
mod wrapped;

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{Body, FunctionId, Node, NodeId};

use crate::flow::Flow;
use crate::program::{MemberId, Program, Site, TypeId};

pub use behaviour::Behaviour;
pub use built::{Built, Chains, Link, Of, Stored};
pub use next::Next;
pub use pipelines::Pipeline;
pub use walks::{Ends, Walk};
pub use wrapped::Wrap;

/// All that a body does, where that is one thing: the value that it gives back, or its only statement.
pub(crate) fn only_thing(body: &Body, root: NodeId) -> NodeId {
    let only = match body.node(root) {
        Node::Block(list) if list.len == 1 => body.list(list)[0],
        _ => root,
    };
    if let Node::Return(Some(value)) = body.node(only) { value } else { only }
}

/// What can be linked in a tree.
#[derive(Debug, Default)]
pub struct Links {
    /// Fields that hold the next link.
    pub next: Vec<Next>,
    /// Walks over lists of links.
    pub walks: Vec<Walk>,
    /// Pipelines that libraries walk.
    pub pipelines: Vec<Pipeline>,
    /// The chains that these are.
    pub(crate) piped: Vec<Built>,
    /// Functions that are made with the next one, and the walk that each stands for.
    wraps: FxHashMap<(MemberId, FunctionId), (Wrap, usize)>,
    /// The functions, and the methods, around them: what makes them of what it is handed.
    makers: FxHashSet<(MemberId, Option<FunctionId>)>,
    /// Functions that may be made with a next one which they never ask, and the function around each.
    wrapped_ends: FxHashMap<(MemberId, FunctionId), Option<FunctionId>>,
    by_field: FxHashMap<MemberId, usize>,
    by_walk: FxHashMap<Site, usize>,
    by_list: FxHashMap<MemberId, usize>,
    by_method: FxHashMap<MemberId, (usize, u16)>,
}

impl Links {
    /// Whether links of a kind are handed the way on, instead of knowing the next one or being asked in turn.
    pub fn hands_way_on(&self, kind: Of) -> bool {
        match kind {
            Of::Next(_) => false,
            Of::Walk(walk) => matches!(self.walks[walk].ends, Ends::WayOn(_) | Ends::Kept),
            Of::Pipeline(_) => true,
        }
    }

    /// Finds what can be linked.
    pub fn of(flow: &Flow<'_>) -> Self {
        let ((next, mut walks), ((more, (pipelines, piped)), wrapped)) = rayon::join(
            || rayon::join(|| next::find(flow), || walks::find(flow)),
            || {
                let more = || ([streams::find(flow), continuations::find(flow)].concat(), pipelines::find(flow));
                rayon::join(more, || wrapped::find(flow))
            },
        );
        walks.extend(more);
        let first = walks.len();
        let wraps = wrapped.links.iter().enumerate().map(|(at, (w, _))| ((w.member, w.function), (*w, first + at))).collect();
        let makers = wrapped.links.iter().map(|(w, _)| (w.member, w.around)).collect();
        walks.extend(wrapped.links.into_iter().map(|(_, walk)| walk));
        let wrapped_ends = wrapped.ends.into_iter().map(|(m, f, around)| ((m, f), around)).collect();
        let by_field = next.iter().enumerate().flat_map(|(at, n)| n.fields.iter().map(move |f| (*f, at))).collect();
        let by_walk = walks.iter().enumerate().map(|(at, w)| (w.walk, at)).collect();
        let by_list = walks.iter().enumerate().filter_map(|(at, w)| Some((w.list?, at))).collect();
        let by_method = walks.iter().enumerate().filter_map(|(at, w)| Some((w.walk.member, (at, w.given?)))).collect();
        Self { next, walks, pipelines, piped, wraps, makers, wrapped_ends, by_method, by_field, by_walk, by_list }
    }

    /// Whether there is nothing of the kind.
    pub fn is_empty(&self) -> bool {
        self.next.is_empty() && self.walks.is_empty()
    }

    /// Which requests a link is asked for, where that is not all of them.
    pub fn asked_for(&self, program: &Program, of: Of, link: &Link) -> Option<String> {
        let Of::Pipeline(at) = of else { return None };
        Some(self.pipelines[at].asked_for(program, link.only_for?))
    }

    /// The types that links have: what a next one is held as, or what a walked list holds.
    pub(crate) fn bases(&self, flow: &Flow<'_>) -> BTreeSet<TypeId> {
        let program = flow.program;
        let walked = self.walks.iter().filter_map(|walk| {
            let method = walk.walk.member;
            let list = match (walk.list, walk.given) {
                (Some(list), _) => flow.type_held(list),
                (None, Some(given)) => program.type_in(method, program.decl(method).params.get(usize::from(given))?.ty?),
                _ => return None,
            };
            program.element_type(program.member(method).unit, &list)?.own()
        });
        self.next.iter().map(|next| next.base).chain(walked).collect()
    }

    /// The kind of link whose next one a field holds.
    pub fn next_in(&self, field: MemberId) -> Option<usize> {
        self.by_field.get(&field).copied()
    }

    /// Whether the elements of a list are handed the way on to the next one, or what the one before made of something.
    pub fn hands_on(&self, list: MemberId) -> bool {
        self.walks.iter().any(|w| w.list == Some(list) && matches!(w.ends, Ends::WayOn(_) | Ends::All))
    }

    /// What a function is made with, where that is the next one, and the walk that it stands for.
    pub fn wrap(&self, member: MemberId, function: FunctionId) -> Option<(Wrap, usize)> {
        self.wraps.get(&(member, function)).copied()
    }

    /// The function around one that may be made with a next one which it never asks.
    pub fn wrapped_end(&self, member: MemberId, function: FunctionId) -> Option<Option<FunctionId>> {
        self.wrapped_ends.get(&(member, function)).copied()
    }

    /// All functions that are made with the next one, in order.
    pub fn wrappers(&self) -> Vec<Wrap> {
        let mut all: Vec<Wrap> = self.wraps.values().map(|(wrap, _)| *wrap).collect();
        all.sort_by_key(|w| (w.member, w.function.0));
        all
    }

    /// Whether a function, or a method, gives back one that is made with what it is handed.
    pub fn makes_wrap(&self, member: MemberId, function: Option<FunctionId>) -> bool {
        self.makers.contains(&(member, function))
    }

    /// Whether there are functions that are made with the next one.
    pub fn has_wraps(&self) -> bool {
        !self.wraps.is_empty()
    }

    /// The walk over a list that a method is handed, and by which parameter.
    pub fn walk_given_to(&self, method: MemberId) -> Option<(usize, u16)> {
        self.by_method.get(&method).copied()
    }

    /// The walk that a loop is.
    pub fn walk_at(&self, site: Site) -> Option<usize> {
        self.by_walk.get(&site).copied()
    }

    /// The walk over the list that a field holds.
    pub fn walk_over(&self, list: MemberId) -> Option<usize> {
        self.by_list.get(&list).copied()
    }
}
