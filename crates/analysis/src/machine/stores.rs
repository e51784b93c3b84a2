//! Whether anything that is stored into a field can be one of its states, before ways are walked at length.

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::questions::tells_apart;
use super::reach::Reach;
use super::state;
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
    later(flow, field).any(|d| stores.may_name(*d, HOPS))
}

/// What is stored into a field outside of constructors.
pub(super) fn later<'f>(flow: &'f Flow<'_>, field: MemberId) -> impl Iterator<Item = &'f Site> {
    let later = move |d: &&Site| d.member != field && flow.program.member(d.member).kind != MemberKind::Constructor;
    flow.definitions(field).iter().filter(later)
}

/// The stores of a field.
struct Stores<'f, 'p> {
    flow: &'f Flow<'p>,
    field: MemberId,
    around: Around<'f>,
}

impl Stores<'_, '_> {
    /// Whether an expression may come to a state.
    fn may_name(&self, site: Site, hops: u32) -> bool {
        let flow = self.flow;
        let Some(hops) = hops.checked_sub(1) else { return true };
        let program = flow.program;
        let Some(body) = program.body(site.member) else { return true };
        let inner = |node: NodeId| self.may_name(Site { member: site.member, node }, hops);
        match body.node(site.node) {
            Node::Null | Node::This | Node::Bool(_) | Node::Num(_) | Node::Plain => false,
            Node::Conditional { then, other, .. } => inner(then) || inner(other),
            Node::Binary { left, right, .. } => inner(left) || inner(right),
            Node::Cast { operand, .. } | Node::Unary { operand, .. } => inner(operand),
            Node::Assign { value, .. } => inner(value),
            Node::Call { args, callee, .. } => match flow.callee(site) {
                Some(callee) => self.may_answer(callee.member, hops),
                // what a library does to something, as a rule it hands back
                None => {
                    let object = if let Node::Member { object, .. } = body.node(callee) { Some(object) } else { None };
                    let done_to = |o: NodeId| matches!(body.node(o), Node::Call { .. }) && inner(o) || self.is_field(site.member, o);
                    state::named(flow, site.member, site.node).is_some()
                        || body.list(args).iter().any(|a| inner(*a))
                        || object.is_some_and(done_to)
                }
            },
            Node::Name(_) | Node::Member { .. } => {
                if state::named(flow, site.member, site.node).is_some() {
                    return true;
                }
                match flow.eval(site) {
                    // told apart by the method, or said by whoever calls it
                    Val::Param(m, None, index) => {
                        let (tells, from): (bool, &dyn Fn(MemberId) -> bool) = match self.around {
                            Around::Movers(movers) => (tells_apart(program, m), &|caller| movers.contains(&caller)),
                            // ways set out from callers that are about the same machine only
                            Around::Reach(reach) => (reach.is_told() && reach.names(m), &|caller| !reach.is_told() || reach.moves(caller)),
                        };
                        let callers = || flow.callers((m, None)).iter().filter(|(call, _)| from(call.member));
                        let given = || callers().filter_map(|(call, _)| flow.argument(*call, usize::from(index)));
                        let info = program.member(m);
                        info.kind != MemberKind::Constructor && (tells || given().any(|g| self.may_name(g, hops)))
                    }
                    Val::Local(local) => {
                        let values = flow.local_values(local);
                        values.is_empty() || values.into_iter().any(|node| self.may_name(Site { member: local.member, node }, hops))
                    }
                    // a part of what is found in a table
                    Val::Member(of, _) if !matches!(*of, Val::This(_) | Val::Static(_)) => true,
                    Val::Member(..) | Val::Static(_) | Val::Unknown | Val::Data | Val::Null | Val::This(_) | Val::Global(_) => false,
                    _ => true,
                }
            }
            _ => true,
        }
    }

    /// Whether what a method gives back may come to a state.
    fn may_answer(&self, method: MemberId, hops: u32) -> bool {
        let flow = self.flow;
        let program = flow.program;
        match self.around {
            // an heir may answer in another way
            Around::Reach(reach) => reach.matters(method) || program.heirs(program.member(method).owner).len() > 1,
            // a function that a variable or an entry holds
            Around::Movers(_) if program.member(method).kind != MemberKind::Method => true,
            Around::Movers(_) => {
                let info = program.member(method);
                let heirs = program.heirs(info.owner).into_iter().flat_map(|t| program.own_members(t, info.name));
                let mut others = heirs.copied().filter(|m| is_override(flow, *m, method)).peekable();
                let is_left_to_others = others.peek().is_some() && program.body(method).is_none_or(|b| b.root.is_none());
                let answers = |m: MemberId| {
                    let found = returned(program, m, None);
                    found.is_empty() || found.into_iter().any(|node| self.may_name(Site { member: m, node }, hops))
                };
                !is_left_to_others && answers(method) || others.any(answers)
            }
        }
    }

    /// Whether an expression is the field: what it holds may answer with the next state.
    fn is_field(&self, member: MemberId, node: NodeId) -> bool {
        matches!(self.flow.eval_in(member, node), Val::Member(_, m) | Val::Static(m) if m == self.field)
    }
}
