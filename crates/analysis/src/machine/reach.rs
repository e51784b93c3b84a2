//! Which code can have to do with a machine: what names one of its states or its holder, and what calls that.

use std::cell::{OnceCell, RefCell};
use std::collections::hash_map::Entry;
use std::rc::Rc;

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{MemberKind, Node};

use super::domain::{Domain, Encoding};
use super::filled::Fill;
use super::handed;
use super::state::State;
use super::table::Written;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, TypeId};

/// Calls are followed back so far.
const HOPS: u8 = 6;
/// More code than this is not told apart.
const MEMBERS: usize = 1_500;

/// Members, and how many calls and reads away each is from what is looked for.
type Near = FxHashMap<MemberId, u8>;

/// The members that may matter to a machine; none where that is not told.
#[derive(Debug)]
pub(super) struct Reach {
    movers: FxHashSet<MemberId>,
    members: Option<Near>,
    /// Those that come to something that may change the state, whoever they are; found when it is asked for.
    moving: OnceCell<Option<Near>>,
    /// Those that come to a place where the holder is named.
    holding: Option<Near>,
    /// Those that come to a place where a state is named.
    naming: Option<Near>,
    told: bool,
    /// What expressions come to, which does not depend on the way.
    pub asked: RefCell<Asked>,
}

/// What was asked of expressions before.
#[derive(Debug, Default)]
pub(super) struct Asked {
    /// Whether they are what holds the state.
    pub holder: FxHashMap<Site, bool>,
    /// Whether they are the object that has it.
    pub context: FxHashMap<Site, bool>,
    /// Which state they name.
    pub named: FxHashMap<Site, Option<State>>,
    /// What code puts into the tables that they name.
    pub filled: FxHashMap<MemberId, Rc<Vec<Fill>>>,
    /// The rows that code puts into the lists that they name.
    pub added: FxHashMap<MemberId, Rc<[Written]>>,
}

impl Reach {
    /// Some members may move it, and whatever there is may matter.
    pub(super) fn open(movers: impl IntoIterator<Item = MemberId>) -> Self {
        Self {
            movers: movers.into_iter().collect(),
            members: None,
            moving: OnceCell::new(),
            holding: None,
            naming: None,
            told: false,
            asked: RefCell::default(),
        }
    }

    /// Looks from the places that name a state, and from those of the machine's family that name its holder.
    pub(super) fn of(
        flow: &Flow<'_>,
        field: MemberId,
        domain: &Domain,
        movers: FxHashSet<MemberId>,
        family: &dyn Fn(TypeId) -> bool,
    ) -> Self {
        let naming = if has_names(domain) { closure(flow, named_in(flow, field, domain)) } else { None };
        let Some(naming) = naming else { return Self::open(movers) };
        let classes =
            matches!(domain.encoding, Encoding::Enumeration(_) | Encoding::Objects(_) | Encoding::Kin | Encoding::Alternatives(_));
        let told = domain.closed && (classes || domain.encoding == Encoding::Variant);
        let program = flow.program;
        let index = &program.index;
        let name = program.member(field).name;
        let own = |site: &&Site| family(program.member(site.member).owner);
        let holding = index.reads(name).iter().chain(index.writes(name)).filter(own).map(|s| s.member).collect();
        let holding = closure(flow, holding);
        let members = holding.clone().map(|mut all| {
            for (member, hops) in &naming {
                all.entry(*member).and_modify(|known| *known = (*known).min(*hops)).or_insert(*hops);
            }
            all
        });
        Self { movers, members, moving: OnceCell::new(), holding, naming: Some(naming), told, asked: RefCell::default() }
    }

    /// Whether a member can name a state or ask for the one that is held, by itself or by what it calls.
    pub(super) fn matters(&self, member: MemberId) -> bool {
        self.members.as_ref().is_none_or(|all| all.contains_key(&member))
    }

    /// Whether a member can name a state or ask for the one that is held, by itself or by what it calls within some calls; where
    /// nobody asks what it comes to, only whether it can ask for the one that is held.
    pub(super) fn matters_within(&self, member: MemberId, hops: usize, is_asked: bool) -> bool {
        let near = if is_asked { &self.members } else { &self.holding };
        near.as_ref().is_none_or(|all| all.get(&member).is_some_and(|h| usize::from(*h) <= hops))
    }

    /// The members that may change the state.
    pub(super) fn movers(&self) -> impl Iterator<Item = &MemberId> {
        self.movers.iter()
    }

    /// Whether a member may change the state.
    pub(super) fn moves(&self, member: MemberId) -> bool {
        self.movers.contains(&member)
    }

    /// Whether a member comes to something that may change the state.
    pub(super) fn comes_to_move(&self, flow: &Flow<'_>, member: MemberId) -> bool {
        let moving = self.moving.get_or_init(|| closure(flow, self.movers.iter().copied().collect()));
        moving.as_ref().is_none_or(|all| all.contains_key(&member))
    }

    /// Whether a member comes to a place that names a state.
    pub(super) fn names(&self, member: MemberId) -> bool {
        self.naming.as_ref().is_none_or(|all| all.contains_key(&member))
    }

    /// Whether there can be no other states, and all that names them is known.
    pub(super) fn is_told(&self) -> bool {
        self.told
    }

    /// Whether code by which the machine may move comes to a place that names a state.
    pub(super) fn names_states(&self, is_near: impl Fn(MemberId) -> bool) -> bool {
        self.naming.as_ref().is_none_or(|all| all.keys().any(|m| self.moves(*m) || is_near(*m)))
    }
}

/// The members that may change what a field holds, of those that have to do with the machine.
pub(super) fn movers(flow: &Flow<'_>, field: MemberId, is_kin: &dyn Fn(Site) -> bool) -> FxHashSet<MemberId> {
    let program = flow.program;
    let mut movers: FxHashSet<MemberId> = flow.definitions(field).iter().map(|d| d.member).filter(|m| *m != field).collect();
    let pack = &program.kit_of(field).pack;
    for name in pack.emplaces.iter().filter_map(|n| program.symbols.get(n)) {
        for call in program.index.calls(name) {
            if flow.receiver(*call).is_some_and(|(of, _)| matches!(of, Val::Member(_, m) | Val::Static(m) if m == field)) {
                movers.insert(call.member);
            }
        }
    }
    let mut fresh: Vec<MemberId> = movers.iter().copied().collect();
    for _ in 0..5 {
        let mut next = Vec::new();
        for m in fresh {
            if program.member(m).kind == MemberKind::Constructor {
                continue;
            }
            for site in flow.call_sites(m) {
                if is_kin(*site) && movers.insert(site.member) {
                    next.push(site.member);
                }
            }
        }
        fresh = next;
    }
    movers
}

/// Whether places that name the states can be found by the states' names. Another one that is stored later is named
/// where the machine is moved, which is looked at anyway.
fn has_names(domain: &Domain) -> bool {
    domain.encoding != Encoding::Text && domain.states.len() > 1
}

/// The members in which a state is named.
fn named_in(flow: &Flow<'_>, field: MemberId, domain: &Domain) -> Vec<MemberId> {
    let program = flow.program;
    let index = &program.index;
    let mut members: Vec<MemberId> = handed::calls_that_say(flow, field).map(|call| call.member).collect();
    for state in &domain.states {
        let name = match state {
            State::Class(class) => {
                let creations = flow.creations(*class);
                members.extend(creations.iter().map(|s| s.member));
                // kept in a field, and named by that
                members.extend(
                    creations
                        .iter()
                        .filter_map(|s| kept_in(flow, *s))
                        .flat_map(|f| index.reads(program.member(f).name).iter().map(|s| s.member)),
                );
                let name = program.ty(*class).name;
                members.extend(index.calls(name).iter().map(|s| s.member));
                name
            }
            State::Constant(m) | State::Function(m) => program.member(*m).name,
            State::Text(name) | State::Entry(_, name) => *name,
        };
        members.extend(index.reads(name).iter().map(|s| s.member));
    }
    members
}

/// The field that an object is put into where it is made.
fn kept_in(flow: &Flow<'_>, made: Site) -> Option<MemberId> {
    let program = flow.program;
    let (body, scope) = (program.body(made.member)?, program.scope(made.member));
    if matches!(program.member(made.member).kind, MemberKind::Field | MemberKind::Property) {
        return Some(made.member);
    }
    let Node::Assign { target, value, .. } = body.node(scope.parent(made.node)?) else { return None };
    match flow.eval_in(made.member, target) {
        Val::Member(_, m) | Val::Static(m) if value == made.node => Some(m),
        _ => None,
    }
}

/// Some members and what comes to them by calls and reads; none where that is too much.
fn closure(flow: &Flow<'_>, mut fresh: Vec<MemberId>) -> Option<Near> {
    let program = flow.program;
    let mut all = Near::default();
    fresh.retain(|m| all.insert(*m, 0).is_none());
    for hops in 1..=HOPS {
        let mut next = Vec::new();
        for m in fresh {
            let info = program.member(m);
            let mut add = |site: &Site| {
                if let Entry::Vacant(free) = all.entry(site.member) {
                    free.insert(hops);
                    next.push(site.member);
                }
            };
            match info.kind {
                MemberKind::Field | MemberKind::Property | MemberKind::Accessor(_) => {
                    let of_another = |site: &Site| match flow.eval(*site) {
                        Val::Member(_, x) | Val::Static(x) => {
                            let owner = program.member(x).owner;
                            !program.are_kin(owner, info.owner)
                        }
                        _ => false,
                    };
                    program.index.reads(info.name).iter().filter(|site| !of_another(site)).for_each(&mut add);
                }
                _ => {}
            }
            if info.kind != MemberKind::Constructor {
                flow.call_sites(m).iter().for_each(&mut add);
            }
            if all.len() > MEMBERS {
                return None;
            }
        }
        fresh = next;
    }
    Some(all)
}
