//! Whether anything that is stored into a field can be one of its states, before ways are walked at length.

use std::collections::BTreeSet;

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId};

use super::domain::Domain;
use super::handed;
use super::questions::tells_apart;
use super::reach::Reach;
use super::state::{self, State};
use crate::flow::{Flow, Val, is_override, returned};
use crate::program::{MemberId, Site};

/// What is stored is followed through so many names and calls.
const HOPS: u32 = 4;

/// What is known of the code around a machine when its stores are asked about.
#[derive(Clone, Copy)]
pub(super) enum Around<'r> {
    /// Only who may change the state: ways set out from there, and from nobody else who hands in a state.
    Movers(&'r FxHashSet<MemberId>),
    /// What can matter to it.
    Reach(&'r Reach),
}

/// Whether a statement outside of constructors can store a state that the code names.
pub(super) fn may_move(flow: &Flow<'_>, field: MemberId, around: Around<'_>) -> bool {
    let stores = Stores { flow, field, around };
    later(flow, field).any(|d| {
        let mut stored = Stored::default();
        stores.follow(*d, HOPS, &mut stored);
        stored.open || !stored.named.is_empty()
    })
}

/// Whether all that is ever stored is known, and most of the states are not among it: they are begun in and moved to nowhere.
pub(super) fn leaves_most_out(flow: &Flow<'_>, field: MemberId, domain: &Domain, movers: &FxHashSet<MemberId>) -> bool {
    let stores = Stores { flow, field, around: Around::Movers(movers) };
    let mut stored = Stored::default();
    for site in flow.definitions(field) {
        stores.follow(*site, HOPS, &mut stored);
        if stored.open {
            return false;
        }
    }
    let mut lived = 0_u64;
    for state in &stored.named {
        match domain.find(flow, *state) {
            Some(bit) => lived |= bit,
            None => return false,
        }
    }
    lived.count_ones() as usize * 2 <= domain.states.len()
}

/// What is stored into a field outside of constructors.
pub(super) fn later<'f>(flow: &'f Flow<'_>, field: MemberId) -> impl Iterator<Item = &'f Site> {
    let later = move |d: &&Site| d.member != field && flow.program.member(d.member).kind != MemberKind::Constructor;
    flow.definitions(field).iter().filter(later)
}

/// What stores come to.
#[derive(Default)]
struct Stored {
    /// The states that the code names.
    named: BTreeSet<State>,
    /// Whether it may be something else that is a state.
    open: bool,
}

/// The stores of a field.
struct Stores<'f, 'p> {
    flow: &'f Flow<'p>,
    field: MemberId,
    around: Around<'f>,
}

impl Stores<'_, '_> {
    /// The states that an expression may come to.
    fn follow(&self, site: Site, hops: u32, stored: &mut Stored) {
        let flow = self.flow;
        let program = flow.program;
        let (Some(hops), Some(body)) = (hops.checked_sub(1), program.body(site.member)) else {
            stored.open = true;
            return;
        };
        if stored.open {
            return;
        }
        let mut inner = |node: NodeId| self.follow(Site { member: site.member, node }, hops, stored);
        match body.node(site.node) {
            Node::Null | Node::This | Node::Bool(_) | Node::Num(_) | Node::Plain => {}
            Node::Conditional { then: left, other: right, .. }
            | Node::Binary { op: BinaryOp::Or | BinaryOp::And | BinaryOp::Coalesce, left, right } => {
                inner(left);
                inner(right);
            }
            // what is reckoned with a state may be another one
            Node::Binary { left, right, .. } => {
                let known = stored.named.len();
                self.follow(Site { member: site.member, node: left }, hops, stored);
                self.follow(Site { member: site.member, node: right }, hops, stored);
                stored.open |= stored.named.len() > known;
            }
            Node::Cast { operand, .. } | Node::Unary { operand, .. } => inner(operand),
            Node::Assign { value, .. } => inner(value),
            Node::Call { .. } if handed::said_by_callers(flow, site).is_some() => stored.open = true,
            Node::Call { args, callee, .. } => match flow.callee(site) {
                Some(callee) => self.answers(callee.member, hops, stored),
                // a function of a table
                None if matches!(body.node(callee), Node::Index { .. }) => stored.open = true,
                // what a library does to something, as a rule it hands back
                None => {
                    let object = if let Node::Member { object, .. } = body.node(callee) { Some(object) } else { None };
                    let mut about = Stored::default();
                    body.list(args).iter().for_each(|a| self.follow(Site { member: site.member, node: *a }, hops, &mut about));
                    if let Some(o) = object.filter(|o| matches!(body.node(*o), Node::Call { .. })) {
                        self.follow(Site { member: site.member, node: o }, hops, &mut about);
                    }
                    if !self.names(site, stored) {
                        stored.open |= self.looks_up(site.member, callee, body.list(args))
                            || about.open
                            || !about.named.is_empty()
                            || object.is_some_and(|o| self.is_field(site.member, o));
                    }
                }
            },
            _ if self.names(site, stored) => {}
            _ if handed::said_by_callers(flow, site).is_some() => stored.open = true,
            Node::Name(_) | Node::Member { .. } => self.follow_value(site, hops, stored),
            _ => stored.open = true,
        }
    }

    /// Whether an expression names a state, which is noted.
    fn names(&self, site: Site, stored: &mut Stored) -> bool {
        let state = state::named(self.flow, site.member, site.node);
        stored.named.extend(state);
        state.is_some()
    }

    /// The states that a name may stand for.
    fn follow_value(&self, site: Site, hops: u32, stored: &mut Stored) {
        let flow = self.flow;
        let program = flow.program;
        match flow.eval(site) {
            // told apart by the method, or said by whoever calls it
            Val::Param(m, None, index) => {
                let is_made = program.member(m).kind == MemberKind::Constructor;
                let (tells, from): (bool, &dyn Fn(MemberId) -> bool) = match self.around {
                    Around::Movers(movers) => (tells_apart(flow, m, index), &|caller| is_made || movers.contains(&caller)),
                    // ways set out from callers that are about the same machine only
                    Around::Reach(reach) => (reach.is_told() && reach.names(m), &|caller| !reach.is_told() || reach.moves(caller)),
                };
                stored.open |= tells && !is_made;
                for call in flow.call_sites(m).iter().filter(|call| from(call.member)) {
                    if let Some(given) = flow.argument(*call, usize::from(index)) {
                        self.follow(given, hops, stored);
                    }
                }
            }
            Val::Local(local) => {
                let values = flow.local_values(local);
                stored.open |= values.is_empty();
                for node in values {
                    self.follow(Site { member: local.member, node }, hops, stored);
                }
            }
            // a part of what is found in a table
            Val::Member(of, _) if !matches!(*of, Val::This(_) | Val::Static(_)) => stored.open = true,
            Val::Member(..) | Val::Static(_) | Val::Unknown | Val::Data | Val::Null | Val::This(_) | Val::Global(_) => {}
            _ => stored.open = true,
        }
    }

    /// The states that a method may give back.
    fn answers(&self, method: MemberId, hops: u32, stored: &mut Stored) {
        let flow = self.flow;
        let program = flow.program;
        match self.around {
            // an heir may answer in another way, or an object that is written out
            Around::Reach(reach) => {
                let is_left_to_any =
                    || program.kit_of(method).traits.fits_by_shape && program.body(method).is_none_or(|body| body.root.is_none());
                stored.open |= reach.matters(method) || program.heirs(program.member(method).owner).len() > 1 || is_left_to_any();
            }
            // a function that a variable or an entry holds
            Around::Movers(_) if program.member(method).kind != MemberKind::Method => stored.open = true,
            Around::Movers(_) => {
                let info = program.member(method);
                let heirs = program.heirs(info.owner).into_iter().flat_map(|t| program.own_members(t, info.name));
                let mut others = heirs.copied().filter(|m| is_override(flow, *m, method)).peekable();
                let is_left_to_others = others.peek().is_some() && program.body(method).is_none_or(|b| b.root.is_none());
                for m in others.chain((!is_left_to_others).then_some(method)) {
                    let found = returned(program, m, None);
                    stored.open |= found.is_empty();
                    for node in found {
                        self.follow(Site { member: m, node }, hops, stored);
                    }
                }
            }
        }
    }

    /// Whether a call gives what a table has for what the field holds: `NEXT.get(phase)`.
    fn looks_up(&self, member: MemberId, callee: NodeId, args: &[NodeId]) -> bool {
        let program = self.flow.program;
        let Some(Node::Member { name, .. }) = program.body(member).map(|body| body.node(callee)) else { return false };
        program.kit_of(member).pack.elements.contains(program.unit_of(member).text(name)) && args.iter().any(|a| self.is_field(member, *a))
    }

    /// Whether an expression is the field: what it holds may answer with the next state.
    fn is_field(&self, member: MemberId, node: NodeId) -> bool {
        matches!(self.flow.eval_in(member, node), Val::Member(_, m) | Val::Static(m) if m == self.field)
    }
}
