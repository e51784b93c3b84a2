//! State machines: what holds a state, in which states it can be, and what moves it from one to another.
//!
//! Whatever a state is written as (a constant, a text, an object that is asked, an alternative, a function), what
//! moves the machine is found in the same way: the ways through the methods of its context are walked
//! (`walk` and `way`, with `conditions` and `table`; `repeated` for calls that many of them make), with the states that it can be in on each.

mod calls;
mod conditions;
mod domain;
mod filled;
mod finality;
mod find;
mod grain;
pub mod guards;
mod handed;
mod holders;
mod keys;
pub mod lists;
mod map;
mod moves;
pub mod names;
mod origins;
mod passed;
mod questions;
mod reach;
mod repeated;
mod state;
mod stores;
mod table;
mod unions;
mod values;
mod walk;
mod way;
mod written;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::Place;

use crate::flow::{Flow, Val};
use crate::program::{Declared, MemberId, Program, Site, Sym, TypeId};

pub use domain::text_of;
pub use domain::{Domain, Encoding};
pub use finality::{is_final, is_sentinel};
pub(crate) use find::{Machines, find};
pub use map::machines;
pub(crate) use origins::literal_at;
pub use state::{State, listed, named};
pub(crate) use unions::texts_of_type;
pub use walk::{Event, Move};

/// What holds the state.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Holder {
    /// A field, of an object or of a module.
    Field(MemberId),
    /// A variable that outlives a step.
    Local(Site),
}

/// What may be a machine.
#[derive(Clone, Debug)]
pub struct Machine {
    /// What holds its state.
    pub holder: Holder,
    /// The type whose objects have it.
    pub context: Option<TypeId>,
    /// The entry by which objects that are states are told apart.
    pub(super) tag: Option<Sym>,
}

impl Machine {
    fn is_local(&self) -> bool {
        matches!(self.holder, Holder::Local(_))
    }

    fn holder_is_local(&self, member: MemberId, node: NodeId) -> bool {
        self.holder == Holder::Local(Site { member, node })
    }

    /// Whether an expression is what holds the state, of the object that the code is about.
    fn is_holder(&self, flow: &Flow<'_>, member: MemberId, node: NodeId) -> bool {
        let program = flow.program;
        let Some(body) = program.body(member) else { return false };
        match self.holder {
            Holder::Local(site) => match body.node(node) {
                Node::Name(name) => member == site.member && program.scope(member).lookup(name, node) == Some(Declared::Local(site.node)),
                _ => false,
            },
            Holder::Field(field) => {
                let name = match body.node(node) {
                    Node::Name(name) | Node::Member { name, .. } => program.sym_in(member, name),
                    _ => return false,
                };
                // another name can stand for it, if it is that of a property that hands it out
                let hands_out = |c: TypeId| {
                    let of_context = program.find_members(c, name);
                    of_context.iter().any(|m| matches!(program.member(*m).kind, MemberKind::Property | MemberKind::Accessor(_)))
                };
                let may_be = name == program.member(field).name || self.context.is_some_and(hands_out);
                if !may_be {
                    return false;
                }
                match flow.eval_in(member, node) {
                    Val::Static(m) => m == field,
                    Val::Member(of, m) if m == field => {
                        let owner = program.member(member).owner;
                        let of_family = self.context.is_some_and(|c| program.are_kin(owner, c));
                        !of_family || matches!(*of, Val::This(_))
                    }
                    _ => false,
                }
            }
        }
    }

    /// Whether messages of these kinds set moves off, rather than being the state to go to.
    fn reads_messages(&self, program: &Program, messages: &[State]) -> bool {
        let Holder::Field(field) = self.holder else { return true };
        let of_domain = |s: &State| match s {
            State::Constant(m) => program.declared_type(field).own() == Some(program.member(*m).owner),
            _ => false,
        };
        !messages.is_empty() && !messages.iter().any(of_domain)
    }
}

/// A transition.
#[derive(Clone, Debug)]
pub struct Transition {
    /// The state it starts from; none for any.
    pub from: Option<usize>,
    /// What sets it off.
    pub event: Event,
    /// Other conditions, and whether they must hold.
    pub conditions: Vec<(Site, bool)>,
    /// The state it leads to.
    pub to: usize,
    /// The statement.
    pub site: Site,
    /// The method where the way set out.
    pub root: MemberId,
    /// Whether the code asked for the state that it starts from.
    pub told: bool,
    /// Whether its conditions can never hold together, so that it is never taken.
    pub never: bool,
}

/// A state machine.
#[derive(Clone, Debug)]
pub struct Found {
    /// What holds its state, and who has it.
    pub machine: Machine,
    /// Its states.
    pub domain: Domain,
    /// The states that it starts in.
    pub initial: Vec<usize>,
    /// Whether it has a state whenever it can be asked.
    pub starts: bool,
    /// Its transitions, in the order of the code.
    pub transitions: Vec<Transition>,
    /// Statements that store what is none of its states.
    pub strays: Vec<(Site, State)>,
    /// Where the context asks its state, and by which method.
    pub delegations: Vec<(Site, Sym)>,
    /// Whether a value of which nothing is known is stored.
    pub stores_unknown: bool,
    /// Whether a method that nobody is seen to call stores what it is given.
    pub is_set_from_outside: bool,
    /// Where the ways set out.
    pub roots: Vec<MemberId>,
    /// The labels of choices by the state.
    pub labels: Vec<(Site, State)>,
    /// Statements that store a state, and that no way comes to.
    pub passed_over: Vec<Site>,
    /// Rows of tables that are never come to, and for each the row before it that fits wherever it does.
    pub outrun: Vec<(Site, Site)>,
    /// Calls of the states' methods whose next state nobody keeps, and the method.
    pub discarded: Vec<(Site, Sym)>,
    /// Whether its code has so many ways that they were told apart by little more than the states that they are in: a transition
    /// may then depend on more than its conditions say.
    pub is_coarse: bool,
    /// Whether it moves in reaction to what it is in; else only a call of its states was of interest.
    pub moves: bool,
}

impl Found {
    /// Whether an assignment to an expression stores the state.
    pub fn stores_into(&self, flow: &Flow<'_>, member: MemberId, target: NodeId) -> bool {
        self.machine.is_holder(flow, member, target)
    }

    /// Whether it may come to be in states by code that is not understood.
    pub fn is_open(&self, program: &Program) -> bool {
        let plain = |site: &Site| program.member(site.member).kind != yarrowgraph_ir::MemberKind::Constructor;
        self.stores_unknown || self.is_set_from_outside || self.passed_over.iter().any(plain)
    }

    /// Whether moves are lost with the answers that are let go: those of a method that is nowhere asked so that its answer is kept.
    pub fn loses_moves(&self) -> bool {
        let is_kept = |name: &Sym| self.delegations.iter().any(|kept| kept.1 == *name && !self.discarded.contains(kept));
        self.discarded.iter().any(|(_, name)| !is_kept(name))
    }

    /// The id of what holds its state.
    pub fn id(&self, program: &Program) -> String {
        match self.machine.holder {
            Holder::Field(m) => program.member_id(m),
            Holder::Local(site) => map::local_id(program, site),
        }
    }

    /// Where a state is declared; none where it only stands where it is used.
    pub fn place_of_state(&self, flow: &Flow<'_>, state: usize) -> Option<Place> {
        let state = self.domain.states[state];
        state.place(flow).or_else(|| match (state, self.machine.holder) {
            (State::Text(text), Holder::Field(field)) => {
                unions::place_of_text(flow, field, text).or_else(|| lists::place_of_text(flow, field, text))
            }
            _ => None,
        })
    }

    /// The row of a table that is for a state.
    pub fn row_of_state(&self, program: &Program, state: usize) -> Option<Site> {
        let is_row = |site: &Site| {
            let around = program.scope(site.member).parent(site.node);
            let body = program.body(site.member);
            around.zip(body).is_some_and(|(around, body)| matches!(body.node(around), Node::Entry { .. }))
        };
        let of_state = self.labels.iter().filter(|(_, s)| *s == self.domain.states[state]).map(|(site, _)| *site);
        of_state.filter(is_row).min()
    }

    /// The type that has it, or in which the function stands that does.
    pub fn owner(&self, program: &Program) -> TypeId {
        match self.machine.holder {
            Holder::Field(m) => program.member(m).owner,
            Holder::Local(site) => program.member(site.member).owner,
        }
    }

    /// The transitions by their source.
    pub fn ways_out(&self, state: usize) -> impl Iterator<Item = &Transition> {
        self.transitions.iter().filter(move |t| t.from.is_none_or(|f| f == state) && t.to != state)
    }

    /// The states that some sequence of transitions reaches from where it starts.
    pub fn reached(&self) -> BTreeSet<usize> {
        self.reached_from(self.initial.iter().copied().collect())
    }

    /// The states that can be reached were the answers kept that are let go.
    pub fn meant_to_be_reached(&self, flow: &Flow<'_>) -> BTreeSet<usize> {
        let mut from = self.reached();
        from.extend(find::answers_lost(flow, self));
        self.reached_from(from)
    }

    pub(crate) fn reached_from(&self, mut reached: BTreeSet<usize>) -> BTreeSet<usize> {
        loop {
            let more: Vec<usize> = self
                .transitions
                .iter()
                .filter(|t| !reached.contains(&t.to) && t.from.is_none_or(|f| reached.contains(&f)))
                .map(|t| t.to)
                .collect();
            if more.is_empty() {
                return reached;
            }
            reached.extend(more);
        }
    }

    /// The events, by name, in order, with the transitions that each sets off.
    pub fn events(&self, program: &Program) -> BTreeMap<String, Vec<&Transition>> {
        let mut events: BTreeMap<String, Vec<&Transition>> = BTreeMap::new();
        for t in &self.transitions {
            events.entry(event_name(program, t.event)).or_default().push(t);
        }
        events
    }
}

/// The name of an event.
pub fn event_name(program: &Program, event: Event) -> String {
    match event {
        Event::Method(m) => program.text(program.member(m).name).to_owned(),
        Event::Named(name) => program.text(name).to_owned(),
        Event::Message(state) => state.name(program),
    }
}
