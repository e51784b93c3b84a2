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
pub mod map;
mod next;
mod walks;
pub mod ways;

use rustc_hash::FxHashMap;

use crate::flow::Flow;
use crate::program::{MemberId, Site};

pub use behaviour::Behaviour;
pub use built::{Built, Chains, Link, Of, Stored};
pub use next::Next;
pub use walks::{Ends, Walk};

/// What can be linked in a tree.
#[derive(Debug, Default)]
pub struct Links {
    /// Fields that hold the next link.
    pub next: Vec<Next>,
    /// Walks over lists of links.
    pub walks: Vec<Walk>,
    by_field: FxHashMap<MemberId, usize>,
    by_walk: FxHashMap<Site, usize>,
    by_list: FxHashMap<MemberId, usize>,
}

impl Links {
    /// Finds what can be linked.
    pub fn of(flow: &Flow<'_>) -> Self {
        let (next, (mut walks, ways_on)) =
            rayon::join(|| next::find(flow), || rayon::join(|| walks::find(flow), || continuations::find(flow)));
        walks.extend(ways_on);
        let by_field = next.iter().enumerate().flat_map(|(at, n)| n.fields.iter().map(move |f| (*f, at))).collect();
        let by_walk = walks.iter().enumerate().map(|(at, w)| (w.walk, at)).collect();
        let by_list = walks.iter().enumerate().filter_map(|(at, w)| Some((w.list?, at))).collect();
        Self { next, walks, by_field, by_walk, by_list }
    }

    /// Whether there is nothing of the kind.
    pub fn is_empty(&self) -> bool {
        self.next.is_empty() && self.walks.is_empty()
    }

    /// The kind of link whose next one a field holds.
    pub fn next_in(&self, field: MemberId) -> Option<usize> {
        self.by_field.get(&field).copied()
    }

    /// Whether the elements of a list are handed the way on to the next one.
    pub fn hands_on(&self, list: MemberId) -> bool {
        self.walks.iter().any(|w| w.list == Some(list) && matches!(w.ends, Ends::WayOn(_)))
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
