//! What a link does with a request: answers it, passes it on, or either.

use yarrowgraph_ir::{Body, Node, NodeId};
use yarrowgraph_model::Passes;

use super::{Link, Links, Of};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Scope, Site, Sym};
use crate::state;

/// What a link does with requests.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Behaviour {
    /// Whether it passes them on.
    pub passes: Passes,
    /// Whether a request can end with it.
    pub stops: bool,
}

/// The method by which a link is asked, as its class has it.
pub fn asked_by(flow: &Flow<'_>, links: &Links, of: Of, link: &Link) -> Option<MemberId> {
    let method: Sym = match of {
        Of::Next(next) => links.next[next].method,
        Of::Walk(walk) => links.walks[walk].method?,
    };
    flow.program.find_member_as(link.class?, method, true)
}

/// What a link does; none where its code is not of the tree.
pub fn of(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link) -> Option<Behaviour> {
    let program = flow.program;
    let (member, root) = match (&link.function, kind) {
        (Some(Val::Lambda(m, f)), _) => (*m, program.body(*m)?.function(*f).body?),
        (Some(Val::Method(m, _)), _) => (*m, program.body(*m)?.root?),
        _ => {
            let member = asked_by(flow, links, kind, link)?;
            (member, program.body(member)?.root?)
        }
    };
    match kind {
        Of::Next(next) => Some(passing(flow, links, next, link, member, root)),
        Of::Walk(_) => answering(program.body(member)?, root),
    }
}

/// Of links that know the next one: where they hand a request to it.
fn passing(flow: &Flow<'_>, links: &Links, next: usize, link: &Link, member: MemberId, root: NodeId) -> Behaviour {
    let program = flow.program;
    let Some(body) = program.body(member) else { return Behaviour { passes: Passes::Never, stops: true } };
    let scope = program.scope(member);
    let sites = passes_in(flow, links, next, link, member);
    let passes = match sites.first() {
        None => Passes::Never,
        // a test whether there is a next one is no choice
        Some(_)
            if sites
                .iter()
                .any(|s| state::runs_always(body, scope, *s, root) || only_if_there(flow, links, next, body, scope, member, *s, root)) =>
        {
            Passes::Always
        }
        Some(_) => Passes::Sometimes,
    };
    Behaviour { passes, stops: passes != Passes::Always }
}

/// Where a method hands its request on: by itself, or by a helper of its class.
pub fn passes_in(flow: &Flow<'_>, links: &Links, next: usize, link: &Link, member: MemberId) -> Vec<NodeId> {
    let program = flow.program;
    let known = &links.next[next].passes;
    let mut sites: Vec<NodeId> = known.iter().filter(|s| s.member == member).map(|s| s.node).collect();
    let Some(body) = program.body(member) else { return sites };
    for at in (0..body.nodes.len()).map(NodeId::new) {
        if !matches!(body.node(at), Node::Call { .. }) {
            continue;
        }
        let callee = flow.callee(Site { member, node: at }).map(|c| c.member);
        let helps = callee.is_some_and(|c| {
            c != member
                && known.iter().any(|s| s.member == c)
                && link.class.is_some_and(|class| program.is_a(class, program.member(c).owner))
        });
        if helps && !sites.contains(&at) {
            sites.push(at);
        }
    }
    sites.sort_unstable();
    sites
}

/// Whether all that decides about a pass is whether there is a next link.
#[expect(clippy::too_many_arguments, reason = "where a pass stands")]
fn only_if_there(
    flow: &Flow<'_>,
    links: &Links,
    next: usize,
    body: &Body,
    scope: &Scope,
    member: MemberId,
    pass: NodeId,
    root: NodeId,
) -> bool {
    let fields = &links.next[next].fields;
    let asks_next = |cond: NodeId| {
        let is_next = |n: NodeId| matches!(flow.eval_in(member, n), Val::Member(_, m) if fields.contains(&m));
        state::any_within(body, cond, &|n| matches!(body.node(n), Node::Member { .. } | Node::Name(_)) && is_next(n))
            && !state::any_within(body, cond, &|n| matches!(body.node(n), Node::Call { .. }))
    };
    let mut inner = pass;
    for around in scope.ancestors(pass) {
        match body.node(around) {
            Node::If { cond, .. } | Node::Conditional { cond, .. } if inner != cond && !asks_next(cond) => return false,
            Node::Switch { .. } | Node::Loop { .. } | Node::ForEach { .. } | Node::Lambda(_) | Node::Catch { .. } => return false,
            Node::Binary { left, .. } if inner != left && !asks_next(left) => return false,
            Node::Block(list) => {
                let before = body.list(list).iter().take_while(|s| **s != inner);
                let leaves = |s: &NodeId| {
                    let by_next = matches!(body.node(*s), Node::If { cond, .. } if asks_next(cond));
                    !by_next && state::any_within(body, *s, &|n| matches!(body.node(n), Node::Return(_) | Node::Throw(_)))
                };
                if before.into_iter().any(|s| leaves(s)) {
                    return false;
                }
            }
            _ => {}
        }
        if around == root {
            break;
        }
        inner = around;
    }
    true
}

/// Of links in a list: whether their answers are none, or some.
fn answering(body: &Body, root: NodeId) -> Option<Behaviour> {
    let (mut none, mut some) = (false, false);
    if !matches!(body.node(root), Node::Block(_)) && !matches!(body.node(root), Node::Return(_)) {
        judge_answer(body, Some(root), &mut none, &mut some);
    }
    let mut stack = vec![root];
    while let Some(at) = stack.pop() {
        match body.node(at) {
            Node::Return(value) => judge_answer(body, value, &mut none, &mut some),
            Node::Throw(_) => some = true,
            Node::Lambda(_) => continue,
            _ => {}
        }
        stack.extend(body.children(at));
    }
    // a body that runs to its end gives no answer
    if matches!(body.node(root), Node::Block(_)) && !body.leaves(root) {
        none = true;
    }
    let passes = match (none, some) {
        (true, true) => Passes::Sometimes,
        (true, false) => Passes::Always,
        (false, true) => Passes::Never,
        (false, false) => return None,
    };
    Some(Behaviour { passes, stops: some })
}

/// Whether a value is no answer, or one; what cannot be told is either.
fn judge_answer(body: &Body, value: Option<NodeId>, none: &mut bool, some: &mut bool) {
    let Some(value) = value else {
        *none = true;
        return;
    };
    match body.node(value) {
        Node::Null | Node::Bool(false) => *none = true,
        Node::Conditional { then, other, .. } => {
            judge_answer(body, Some(then), none, some);
            judge_answer(body, Some(other), none, some);
        }
        Node::New { .. } | Node::Str(_) | Node::Num(_) | Node::Template(_) | Node::Bool(true) | Node::Object(_) => *some = true,
        _ => {
            *none = true;
            *some = true;
        }
    }
}
