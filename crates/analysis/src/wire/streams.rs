//! Streams: a subject that is subscribed to through steps (`turned.pipe(map(…)).subscribe(…)`)
//! and shown to others through a view (`turned$ = this.turned.asObservable()`). Steps and views
//! are seen through by evaluation; here is what they say of a subscription.

use yarrowgraph_ir::{Node, NodeId};

use super::extract::Extractor;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Ty};

/// How many views may lie over each other.
const VIEWS: usize = 4;

/// The stream behind the views that are kept in members.
pub(super) fn source(flow: &Flow<'_>, mut subject: Val) -> Val {
    for _ in 0..VIEWS {
        let Val::Member(owner, m) = &subject else { break };
        if !holds_stream(flow, *m) {
            break;
        }
        let Some(only) = flow.only_definition(*m) else { break };
        subject = match flow.eval(only) {
            Val::Member(inner, source) if matches!(*inner, Val::This(_)) && source != *m => Val::Member(owner.clone(), source),
            Val::Static(source) => Val::Static(source),
            _ => break,
        };
    }
    subject
}

/// Whether a member is declared as a stream of a library.
pub(crate) fn holds_stream(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let pack = &*program.kit_of(m).pack;
    matches!(flow.type_held(m), Ty::Outside(name, _) if pack.stream_types.contains(program.text(name)))
}

/// Whether a step before a subscribing call ends the subscription by itself.
pub(super) fn is_bounded(x: &Extractor<'_, '_>, callee: NodeId) -> bool {
    let pack = &*x.flow.program.kit_of(x.member).pack;
    let unit = x.flow.program.unit_of(x.member);
    let is_bound = |name| pack.bounding_steps.contains(unit.text(name));
    let mut node = callee;
    while let Node::Member { object, .. } = x.body.node(node) {
        let Node::Call { callee: step, args, .. } = x.body.node(object) else { return false };
        let in_chain = matches!(x.body.node(step), Node::Member { name, .. } if is_bound(name));
        let in_pipe = x.body.list(args).iter().any(|arg| match x.body.node(*arg) {
            Node::Call { callee, .. } => matches!(x.body.node(callee), Node::Name(name) if is_bound(name)),
            _ => false,
        });
        if in_chain || in_pipe {
            return true;
        }
        node = step;
    }
    false
}
