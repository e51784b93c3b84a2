//! What walked methods say of a machine and no way comes to.

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::find::names_state;
use super::reach::Reach;
use super::{Domain, Machine, walk};
use crate::flow::{Flow, returned};
use crate::program::{MemberId, Site};
use crate::state::any_within;

/// Statements that store a state, calls that hand one to a method which moves the machine, and answers that name one.
pub(super) fn over(
    flow: &Flow<'_>,
    machine: &Machine,
    field: MemberId,
    (domain, reach): (&Domain, &Reach),
    found: &walk::Found,
) -> Vec<Site> {
    let mut missed = stores(flow, machine, field, found);
    missed.extend(calls(flow, domain, reach, found));
    missed.extend(answers(flow, domain, found));
    missed
}

/// Statements of walked methods that store a state and that no way comes to.
fn stores(flow: &Flow<'_>, machine: &Machine, field: MemberId, found: &walk::Found) -> Vec<Site> {
    let program = flow.program;
    let mut missed = Vec::new();
    for member in &found.entered {
        let Some(body) = program.body(*member) else { continue };
        let scope = program.scope(*member);
        for node in body.ids() {
            let Node::Assign { target, .. } = body.node(node) else { continue };
            let site = Site { member: *member, node };
            let plain = scope.function_around(body, node).is_none() && program.member(*member).kind == MemberKind::Method;
            if plain && *member != field && machine.is_holder(flow, *member, target) && !found.stores.contains(&site) {
                missed.push(site);
            }
        }
    }
    missed
}

/// Calls in walked methods that hand a state to a method which moves the machine, and that no way comes to. What is run round after
/// round may come there in a later one.
fn calls(flow: &Flow<'_>, domain: &Domain, reach: &Reach, found: &walk::Found) -> Vec<Site> {
    let program = flow.program;
    let mut missed = Vec::new();
    for member in found.entered.iter().filter(|m| program.member(**m).kind == MemberKind::Method) {
        let Some(body) = program.body(*member) else { continue };
        let scope = program.scope(*member);
        for node in body.ids() {
            let Node::Call { args, .. } = body.node(node) else { continue };
            let site = Site { member: *member, node };
            let names = |a: &NodeId| names_state(flow, domain, *member, *a);
            if !found.called.contains(&site)
                && body.list(args).iter().any(names)
                && !program.in_loop(site)
                && !flow.call_sites(*member).iter().any(|call| program.in_loop(*call))
                && scope.function_around(body, node).is_none()
                && flow.callee(site).is_some_and(|c| reach.moves(c.member))
            {
                missed.push(site);
            }
        }
    }
    missed
}

/// Answers of walked methods that name a state and that no way comes to, where others of the same method are come to.
fn answers(flow: &Flow<'_>, domain: &Domain, found: &walk::Found) -> Vec<Site> {
    let program = flow.program;
    let come_to: FxHashSet<Site> = found.moves.iter().map(|m| m.site).collect();
    let mut missed = Vec::new();
    for member in &found.entered {
        let Some(body) = program.body(*member).filter(|_| come_to.iter().any(|site| site.member == *member)) else { continue };
        let scope = program.scope(*member);
        for node in returned(program, *member, None) {
            let is_told = any_within(body, node, &|n| come_to.contains(&Site { member: *member, node: n }));
            let is_answer = matches!(scope.parent(node).map(|p| body.node(p)), Some(Node::Return(_)));
            let is_constant = matches!(body.node(node), Node::Name(_) | Node::Member { .. });
            if is_answer && is_constant && !is_told && names_state(flow, domain, *member, node) {
                missed.push(Site { member: *member, node });
            }
        }
    }
    missed
}
