//! The chains that the set-up builds.

use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};

/// A link of a chain.
#[derive(Clone, Debug, PartialEq)]
pub struct Link {
    /// Its class; none for a function.
    pub class: Option<TypeId>,
    /// The function, where it is one.
    pub function: Option<Val>,
    /// Where it was made.
    pub made: Site,
    /// Where it was put into a list, elsewhere than it was made.
    pub put: Option<Site>,
    /// What it says which requests it is asked for, where it is not asked for all.
    pub only_for: Option<Site>,
}

/// What chain of which kind it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Of {
    /// Links that know the next one: the place of the kind among them.
    Next(usize),
    /// A list that is walked: the place of the walk.
    Walk(usize),
    /// A pipeline that a library walks: its place.
    Pipeline(usize),
}

/// A chain.
#[derive(Clone, Debug, PartialEq)]
pub struct Built {
    /// Its kind.
    pub of: Of,
    /// Its links, in order; those of a ring once.
    pub links: Vec<Link>,
    /// Where the links were set, in order; for a list where that was made.
    pub set: Vec<Site>,
    /// Where it is closed to a ring.
    pub ring: Option<Site>,
    /// The field that holds the list or the first link, where one does.
    pub holder: Option<MemberId>,
    /// Whether something nobody knows, or no link, comes behind the last link.
    pub goes_on: bool,
}

/// A link that was set and is lost: another one took its place, and nothing else leads to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Stored {
    /// The field that held it.
    pub field: MemberId,
    /// Where it was set.
    pub site: Site,
    /// Where the other one took its place.
    pub by: Site,
    /// Where it was made.
    pub made: Site,
}

/// All chains that the runs of the set-up built.
#[derive(Debug, Default)]
pub struct Chains {
    /// The chains.
    pub built: Vec<Built>,
    /// Links that were lost in a run that set them.
    pub lost: Vec<Stored>,
    /// Where objects were made, whether or not they are links.
    pub made: std::collections::BTreeSet<Site>,
}

impl Chains {
    /// Adds what one run built.
    pub(crate) fn add(&mut self, run: Chains) {
        for built in run.built {
            if !self.built.contains(&built) {
                self.built.push(built);
            }
        }
        for lost in run.lost {
            if !self.lost.contains(&lost) {
                self.lost.push(lost);
            }
        }
        self.made.extend(run.made);
    }
}
