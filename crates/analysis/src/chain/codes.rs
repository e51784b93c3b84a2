//! Which codes the links of a chain take: constants that the request is compared with.

use yarrowgraph_ir::{BinaryOp, Body, MemberKind, Node, NodeId};

use super::behaviour::{self, Code};
use super::{Built, Link, Of};
use crate::flow::{Val, returned};
use crate::machine::{State, named};
use crate::program::{MemberId, Scope, Site, TypeId};
use crate::state;
use crate::wire::Wiring;

/// Helpers of a link are followed so far.
const HELPERS: u32 = 2;

/// A code that a link takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Taken {
    /// The code.
    pub code: State,
    /// Whether it takes it on other conditions only.
    pub guarded: bool,
}

/// The codes that a link takes; none where it asks for none.
pub fn of(wiring: &Wiring<'_>, built: &Built, link: &Link) -> Vec<Taken> {
    let (flow, links) = (&wiring.flow, &wiring.links);
    let Some(code) = Code::of(flow, links, built.of, link) else { return Vec::new() };
    let goes = match built.of {
        Of::Next(next) => behaviour::passes_in(flow, links, next, link.class, code.member),
        _ => behaviour::way_of(flow, links, built.of, code).unwrap_or_default().goes,
    };
    let mut found = Vec::new();
    collect(wiring, link, (code.member, code.root), &goes, false, HELPERS, &mut found);
    found
}

/// Whether what a comparison or a case leads to hands the request on, there or behind the choice, so that it is not taken.
fn is_handed_on(body: &Body, scope: &Scope, at: NodeId, goes: &[NodeId]) -> bool {
    let (choice, branch) = match body.node(at) {
        Node::Case { body: inner, .. } => (scope.parent(at), Some(inner)),
        Node::Binary { op: BinaryOp::Eq, .. } | Node::Call { .. } => {
            let choice =
                scope.ancestors(at).find(|n| matches!(body.node(*n), Node::If { cond, .. } if cond == at || scope.is_within(at, cond)));
            (choice, choice.and_then(|n| if let Node::If { then, .. } = body.node(n) { Some(then) } else { None }))
        }
        _ => return false,
    };
    let (Some(choice), Some(branch)) = (choice, branch) else { return false };
    let goes_within = goes.iter().any(|g| *g == branch || scope.is_within(*g, branch));
    let comes_out = !state::any_within(body, branch, &|n| matches!(body.node(n), Node::Return(_) | Node::Throw(_)));
    let goes_behind = || goes.iter().any(|g| scope.is_before(choice, *g) && !scope.is_within(*g, choice));
    goes_within || comes_out && goes_behind()
}

fn collect(
    wiring: &Wiring<'_>,
    link: &Link,
    (member, root): (MemberId, NodeId),
    goes: &[NodeId],
    guarded: bool,
    depth: u32,
    found: &mut Vec<Taken>,
) {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(member) else { return };
    let scope = program.scope(member);
    let pack = &program.kit_of(member).pack;
    for node in scope.within(root) {
        let site = |node: NodeId| Site { member, node };
        let compared: Option<(NodeId, NodeId)> = match body.node(node) {
            Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => Some((left, right)),
            Node::Call { callee, args, .. } => match (body.node(callee), body.list(args)) {
                (Node::Member { object, name, .. }, [other]) if pack.equality.contains(program.unit_of(member).text(name)) => {
                    Some((object, *other))
                }
                _ => {
                    // a helper that is given the request
                    let asks = body.list(args).iter().any(|a| is_request(wiring, member, *a));
                    let own_name = match body.node(callee) {
                        Node::Member { object, name, .. } if matches!(body.node(object), Node::This) => Some(program.sym_in(member, name)),
                        _ => flow
                            .callee(site(node))
                            .filter(|t| link.class.is_some_and(|c| program.is_a(c, program.member(t.member).owner)))
                            .map(|t| program.member(t.member).name),
                    };
                    if asks
                        && let (Some(depth), Some(class)) = (depth.checked_sub(1), link.class)
                        && let Some(own) = own_name.and_then(|name| program.find_member_as(class, name, true))
                        && own != member
                        && let Some(root) = program.body(own).and_then(|b| b.root)
                    {
                        collect(wiring, link, (own, root), &[], guarded || is_beside(body, scope, node), depth, found);
                    }
                    None
                }
            },
            Node::Switch { subject: Some(subject), cases } if is_request(wiring, member, subject) => {
                let ty = flow.type_of_node(member, subject).own();
                for case in body.list(cases) {
                    let Node::Case { labels, guard, .. } = body.node(*case) else { continue };
                    if is_handed_on(body, scope, *case, goes) {
                        continue;
                    }
                    for label in body.list(labels) {
                        if let Some(code) = label_code(wiring, member, *label, ty) {
                            found.push(Taken { code, guarded: guarded || guard.is_some() });
                        }
                    }
                }
                None
            }
            _ => None,
        };
        let is_taken = |_: &(NodeId, NodeId)| !is_handed_on(body, scope, node, goes) && !chooses_a_value(body, scope, node);
        let Some((left, right)) = compared.filter(is_taken) else { continue };
        let code = if is_request(wiring, member, left) {
            constant(wiring, link, member, right)
        } else if is_request(wiring, member, right) {
            constant(wiring, link, member, left)
        } else {
            None
        };
        if let Some(code) = code {
            found.push(Taken { code, guarded: guarded || is_beside(body, scope, node) || is_undecided(body, scope, node) });
        }
    }
}

/// Whether a comparison chooses between two values with which the link goes on to work: `depth + (side == Side.LEFT ? -1 : 1)`.
fn chooses_a_value(body: &Body, scope: &Scope, node: NodeId) -> bool {
    let choice = scope.ancestors(node).find(|n| !matches!(body.node(*n), Node::Binary { .. } | Node::Unary { .. }));
    let Some(choice) =
        choice.filter(|n| matches!(body.node(*n), Node::Conditional { cond, .. } if cond == node || scope.is_within(node, cond)))
    else {
        return false;
    };
    matches!(
        scope.parent(choice).map(|p| body.node(p)),
        Some(Node::Binary { .. } | Node::Local { .. } | Node::Index { .. } | Node::Assign { .. })
    )
}

/// Whether the branch that a comparison leads to answers on some of its ways only, and falls through on others.
fn is_undecided(body: &Body, scope: &Scope, node: NodeId) -> bool {
    let branch = scope.ancestors(node).find_map(|n| match body.node(n) {
        Node::If { cond, then, other: None } if scope.is_within(node, cond) => Some(then),
        _ => None,
    });
    let answers = |then| state::any_within(body, then, &|n| matches!(body.node(n), Node::Return(Some(_))));
    branch.is_some_and(|then| !body.leaves(then) && answers(then))
}

/// Whether another condition must hold as well.
fn is_beside(body: &Body, scope: &Scope, node: NodeId) -> bool {
    let mut around =
        scope.ancestors(node).take_while(|n| matches!(body.node(*n), Node::Binary { .. } | Node::Unary { .. } | Node::Opaque(_)));
    around.any(|n| matches!(body.node(n), Node::Binary { op: BinaryOp::And, .. }))
}

/// Whether an expression is the request, or a part of it.
fn is_request(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> bool {
    let mut value = wiring.flow.eval_in(member, node);
    loop {
        value = match value {
            Val::Param(..) => return true,
            Val::Member(of, _) | Val::Outside(of, _) => (*of).clone(),
            _ => return false,
        };
    }
}

fn label_code(wiring: &Wiring<'_>, member: MemberId, node: NodeId, ty: Option<TypeId>) -> Option<State> {
    let program = wiring.program();
    if let (Some(Node::Name(name)), Some(ty)) = (program.body(member).map(|b| b.node(node)), ty)
        && let Some(m) = program.own_members(ty, program.sym_in(member, name)).first()
        && program.member(*m).kind == MemberKind::EnumConstant
    {
        return Some(State::Constant(*m));
    }
    named(&wiring.flow, member, node)
}

/// The constant that the request is compared with: written there, or what the link was given at its making.
fn constant(wiring: &Wiring<'_>, link: &Link, member: MemberId, node: NodeId) -> Option<State> {
    let (flow, program) = (&wiring.flow, wiring.program());
    if let Val::Member(of, field) = flow.eval_in(member, node)
        && matches!(*of, Val::This(_))
    {
        let class = link.class?;
        let constructor = flow.constructor_at(class, link.made)?;
        let given = flow.definitions(field).iter().filter(|d| d.member == constructor).find_map(|d| match flow.eval(*d) {
            Val::Param(m, None, index) if m == constructor => flow.argument(link.made, usize::from(index)),
            _ => None,
        })?;
        return is_code(named(flow, given.member, given.node)?);
    }
    // what a getter of the link's own class says
    if let Node::Call { callee, args, .. } = program.body(member)?.node(node)
        && args.len == 0
    {
        let name = match program.body(member)?.node(callee) {
            Node::Name(name) => name,
            Node::Member { object, name, .. } if matches!(program.body(member)?.node(object), Node::This) => name,
            _ => return None,
        };
        let getter = program.find_member_as(link.class?, program.sym_in(member, name), true)?;
        let [said] = returned(program, getter, None)[..] else { return None };
        return is_code(named(flow, getter, said)?);
    }
    is_code(named(flow, member, node)?)
}

fn is_code(state: State) -> Option<State> {
    matches!(state, State::Constant(_) | State::Entry(..) | State::Text(_)).then_some(state)
}
