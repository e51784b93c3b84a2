//! Objects that are kept by another one and tell each other things through it.

use yarrowgraph_ir::{Node, UnaryOp};

use crate::flow::Flow;
use crate::program::{Kinds, MemberId, Program, Site, TypeId, within};

/// Whether objects of a class call, on something that they hold, a method of a roster's owner that walks the roster, and whether what
/// they hold is known to be of the owner's class.
pub(super) fn talk_back(flow: &Flow<'_>, roster: MemberId, class: TypeId) -> (bool, bool) {
    let program = flow.program;
    let owner = program.member(roster).owner;
    let walks = walks(program, roster);
    let talks = |directly: bool| {
        let mut found = false;
        program.for_each_base(class, &mut |t| {
            found = program.ty(t).members.iter().any(|m| calls_walk(flow, *m, owner, &walks, directly));
            !found
        });
        found
    };
    let back = !walks.is_empty() && talks(false);
    (back, back && talks(true))
}

/// The methods of a roster's owner that name the roster.
fn walks(program: &Program, roster: MemberId) -> Vec<MemberId> {
    let info = program.member(roster);
    let index = &program.index;
    let sites = [index.reads(info.name), index.writes(info.name), index.calls(info.name)];
    let names_it = |m: &MemberId| sites.iter().any(|all| !within(all, *m).is_empty());
    let mut naming: Vec<MemberId> = Vec::new();
    program.for_each_base(info.owner, &mut |t| {
        naming.extend(program.ty(t).members.iter().copied().filter(names_it));
        true
    });
    naming.sort_unstable();
    naming.retain(|m| program.find_member_as(info.owner, program.member(*m).name, true) == Some(*m));
    naming
}

/// Whether a member calls one of some methods of an owner, on something that its own object holds.
fn calls_walk(flow: &Flow<'_>, member: MemberId, owner: TypeId, walks: &[MemberId], directly: bool) -> bool {
    let program = flow.program;
    let Some(body) = program.body_with(member, Kinds::CALL) else { return false };
    body.ids().any(|node| {
        let Node::Call { callee, .. } = body.node(node) else { return false };
        let Node::Member { object, name, .. } = body.node(callee) else { return false };
        let name = program.sym_in(member, name);
        let Some(walk) = walks.iter().copied().find(|w| program.member(*w).name == name) else { return false };
        let mut held = object;
        while let Node::Unary { op: UnaryOp::NonNull | UnaryOp::Indirect, operand } = body.node(held) {
            held = operand;
        }
        let is_held = match body.node(held) {
            Node::Member { object, .. } => matches!(body.node(object), Node::This),
            Node::Name(name) => program.scope(member).lookup(name, held).is_none(),
            _ => false,
        };
        // itself, or through an interface of its class
        let is_it = |called: MemberId| called == walk || !directly && program.is_a(owner, program.member(called).owner);
        is_held && flow.callee(Site { member, node }).is_some_and(|c| is_it(c.member))
    })
}
