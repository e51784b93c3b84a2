//! Whether anything that is stored into a field can be one of its states, before ways are walked at length.

use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::reach::Reach;
use super::state;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site};

/// What is stored is followed through so many names and calls.
const HOPS: u32 = 4;

/// Whether a statement outside of constructors can store a state that the code names.
pub(super) fn may_move(flow: &Flow<'_>, field: MemberId, reach: &Reach) -> bool {
    let later = |d: &&Site| d.member != field && flow.program.member(d.member).kind != MemberKind::Constructor;
    flow.definitions(field).iter().filter(later).any(|d| may_name(flow, *d, reach, HOPS))
}

/// Whether an expression may come to a state.
fn may_name(flow: &Flow<'_>, site: Site, reach: &Reach, hops: u32) -> bool {
    let Some(hops) = hops.checked_sub(1) else { return true };
    let program = flow.program;
    let Some(body) = program.body(site.member) else { return true };
    let inner = |node: NodeId| may_name(flow, Site { member: site.member, node }, reach, hops);
    match body.node(site.node) {
        Node::Null | Node::This | Node::Bool(_) | Node::Num(_) | Node::Plain => false,
        Node::Conditional { then, other, .. } => inner(then) || inner(other),
        Node::Binary { left, right, .. } => inner(left) || inner(right),
        Node::Cast { operand, .. } | Node::Unary { operand, .. } => inner(operand),
        Node::Assign { value, .. } => inner(value),
        Node::Call { args, callee, .. } => match flow.callee(site) {
            // an heir may answer in another way
            Some(callee) => reach.matters(callee.member) || program.heirs(program.member(callee.member).owner).len() > 1,
            // what a library does to something, as a rule it hands back
            None => {
                let object = if let Node::Member { object, .. } = body.node(callee) { Some(object) } else { None };
                let done_to = |o: NodeId| matches!(body.node(o), Node::Call { .. }) && inner(o);
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
                    let info = program.member(m);
                    // ways set out from callers that are about the same machine only
                    let callers = || flow.callers((m, None)).iter().filter(|(call, _)| !reach.is_told() || reach.moves(call.member));
                    let given = || callers().filter_map(|(call, _)| flow.argument(*call, usize::from(index)));
                    info.kind != MemberKind::Constructor
                        && (reach.is_told() && reach.names(m) || given().any(|g| may_name(flow, g, reach, hops)))
                }
                Val::Local(local) => {
                    let values = flow.local_values(local);
                    values.is_empty() || values.into_iter().any(|node| may_name(flow, Site { member: local.member, node }, reach, hops))
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
