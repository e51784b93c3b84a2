//! What becomes of a request that no link of a chain handles.

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId, TypeKind, UnaryOp};
use yarrowgraph_model::Passes;

use super::streams::first_of;
use super::{Built, Ends, Of, behaviour};
use crate::program::{MemberId, Site};
use crate::state;
use crate::wire::Wiring;

/// So many methods that give a result on are gone through.
const HANDED_ON: u32 = 3;

/// What is given back for a request that nobody handled.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unhandled {
    /// No object: null, or an empty optional.
    Missing,
    /// Nothing at all.
    Nothing,
}

/// What a chain gives back for a request that nobody handles; none where somebody handles everything, where the end
/// has an answer of its own, and where that cannot be told.
pub fn of(wiring: &Wiring<'_>, built: &Built) -> Option<Unhandled> {
    if takes_codes(wiring, built) { None } else { end(wiring, built) }
}

/// The same, whatever requests are.
pub fn end(wiring: &Wiring<'_>, built: &Built) -> Option<Unhandled> {
    let (flow, links) = (&wiring.flow, &wiring.links);
    if built.ring.is_some() {
        return None;
    }
    let done: Vec<_> = built.links.iter().map(|l| behaviour::of(flow, links, built.of, l)).collect::<Option<_>>()?;
    match built.of {
        Of::Walk(walk) => {
            let walk = &links.walks[walk];
            if matches!(walk.ends, Ends::Nothing | Ends::WayOn(_) | Ends::Kept | Ends::All)
                || done.iter().any(|b| b.passes == Passes::Never)
            {
                return None;
            }
            behind_walk(wiring, walk.walk)
        }
        // the library answers what is left
        Of::Pipeline(_) => None,
        Of::Next(next) => {
            let last = built.links.last()?;
            if done.iter().any(|b| b.passes == Passes::Never) {
                return None;
            }
            let method = behaviour::asked_by(flow, links, built.of, last)?;
            // what all of them hand on is worked on by each, or checked: none is left to be handled
            let acts = |m: MemberId| wiring.passing().iter().any(|p| p.member == m && p.ways.acts > 0);
            let mut asked = built.links.iter().filter_map(|l| behaviour::asked_by(flow, links, built.of, l));
            if done.iter().all(|b| b.passes == Passes::Always) && asked.any(acts) {
                return None;
            }
            // the pass itself, in the method or in the helper that it hands on by
            let own = links.next[next].passes.iter().filter(|p| p.member == method);
            let mut sites: Vec<Site> = own.copied().collect();
            if sites.is_empty() {
                for call in behaviour::passes_in(flow, links, next, last.class, method) {
                    let helper = flow.callee(Site { member: method, node: call })?.member;
                    sites.extend(links.next[next].passes.iter().filter(|p| p.member == helper));
                }
            }
            let mut ends = sites.iter().map(|s| without_next(wiring, next, *s));
            let first = ends.next()??;
            ends.all(|e| e == Some(first)).then_some(first)
        }
    }
}

/// Whether requests are codes of a list that is closed: whether the links take each of them is another question.
fn takes_codes(wiring: &Wiring<'_>, built: &Built) -> bool {
    let program = wiring.program();
    let is_code = |m: MemberId| {
        program.decl(m).params.iter().any(|p| {
            let own = p.ty.and_then(|ty| program.type_in(m, ty).own());
            own.is_some_and(|t| program.ty(t).kind == TypeKind::Enum)
        })
    };
    built.links.iter().any(|l| behaviour::asked_by(&wiring.flow, &wiring.links, built.of, l).is_some_and(is_code))
}

/// What a walk gives back when no link had an answer.
fn behind_walk(wiring: &Wiring<'_>, walk: Site) -> Option<Unhandled> {
    let program = wiring.program();
    let (body, scope) = (program.body(walk.member)?, program.scope(walk.member));
    if let Node::Call { .. } = body.node(walk.node) {
        // what a library gives for none: null, or an empty optional
        let (first, name) = first_of(&wiring.flow, walk.member, body, scope, walk.node)?;
        let pack = &program.kit_of(walk.member).pack;
        let fails = pack.firsts_or_fail.contains(name);
        // or what stands for none, if that is none as well: `.orElse(null)`
        let mut answer = first;
        while let Some(asked) = scope.parent(answer)
            && let Node::Member { object, name, .. } = body.node(asked)
            && let Some(call) = scope.parent(asked).filter(|_| object == answer)
            && let Node::Call { callee, args, .. } = body.node(call)
            && callee == asked
            && pack.unwraps.contains(program.unit_of(walk.member).text(name))
        {
            if !matches!(body.list(args), [instead] if is_missing(wiring, body, walk.member, *instead)) {
                return None;
            }
            answer = call;
        }
        let is_answer = match scope.parent(answer).map(|p| body.node(p)) {
            None => body.returns_root,
            Some(Node::Return(_)) => true,
            _ => false,
        };
        return (is_answer && !fails).then_some(Unhandled::Missing);
    }
    let Node::ForEach { body: inner, .. } = body.node(walk.node) else { return None };
    // what leaves by a break goes on behind the walk as well
    if state::any_within(body, inner, &|n| matches!(body.node(n), Node::Break)) {
        return None;
    }
    let block = scope.parent(walk.node)?;
    let Node::Block(list) = body.node(block) else { return None };
    if body.root != Some(block) {
        return None;
    }
    let list = body.list(list);
    let behind = list.get(list.iter().position(|s| *s == walk.node)? + 1);
    behind.map_or(Some(Unhandled::Nothing), |s| given_back(wiring, body, walk.member, *s))
}

/// What a statement gives back, if that is nothing.
fn given_back(wiring: &Wiring<'_>, body: &Body, member: MemberId, statement: NodeId) -> Option<Unhandled> {
    match body.node(statement) {
        Node::Return(None) => Some(Unhandled::Nothing),
        Node::Return(Some(value)) => is_missing(wiring, body, member, value).then_some(Unhandled::Missing),
        Node::Block(list) => given_back(wiring, body, member, *body.list(list).first()?),
        _ => None,
    }
}

/// Whether a value is no object, or an optional without one.
fn is_missing(wiring: &Wiring<'_>, body: &Body, member: MemberId, value: NodeId) -> bool {
    let program = wiring.program();
    match body.node(value) {
        Node::Null => true,
        Node::Str(text) => program.text(program.sym_in(member, text)).trim_matches(['"', '\'', '`']).is_empty(),
        Node::Name(name) | Node::Member { name, .. } => matches!(program.text(program.sym_in(member, name)), "undefined" | "nullopt"),
        Node::Call { .. } => behaviour::optional(program, member, body, value) == Some(false),
        _ => false,
    }
}

/// What a pass gives back when there is no next link.
fn without_next(wiring: &Wiring<'_>, next: usize, pass: Site) -> Option<Unhandled> {
    let program = wiring.program();
    let (body, scope) = (program.body(pass.member)?, program.scope(pass.member));
    let asks = |cond| behaviour::asks_next(&wiring.flow, &wiring.links, next, body, pass.member, cond);
    let mut inner = pass.node;
    let Node::Call { callee, .. } = body.node(pass.node) else { return None };
    let mut open = matches!(body.node(callee), Node::Member { optional: true, .. });
    for around in scope.ancestors(pass.node) {
        match body.node(around) {
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } if left == inner && open => {
                return is_missing(wiring, body, pass.member, right).then_some(Unhandled::Missing);
            }
            Node::Binary { .. } | Node::Lambda(_) | Node::Loop { .. } | Node::ForEach { .. } | Node::Try { .. } => return None,
            Node::Conditional { cond, then, other } if asks(cond) => {
                let instead = if then == inner { other } else { then };
                return is_missing(wiring, body, pass.member, instead).then_some(Unhandled::Missing);
            }
            Node::If { cond, then, other } if asks(cond) => {
                let instead = if then == inner { other } else { Some(then) };
                if let Some(instead) = instead {
                    return given_back(wiring, body, pass.member, instead);
                }
                open = true;
            }
            Node::Return(_) if open && !matches!(body.node(inner), Node::If { .. }) => return Some(Unhandled::Missing),
            Node::Block(list) => {
                let list = body.list(list);
                let at = list.iter().position(|s| *s == inner)?;
                if open {
                    return match list.get(at + 1) {
                        Some(behind) => given_back(wiring, body, pass.member, *behind),
                        None if body.root == Some(around) => Some(Unhandled::Nothing),
                        None => None,
                    };
                }
                // an early way out where there is none
                let out = list[..at].iter().find_map(|s| match body.node(*s) {
                    Node::If { cond, then, other: None } if asks(cond) && body.leaves(then) => Some(then),
                    _ => None,
                });
                if let Some(out) = out {
                    return given_back(wiring, body, pass.member, out);
                }
            }
            _ => {}
        }
        inner = around;
    }
    // all that the method does is an expression
    (open && body.returns_root).then_some(Unhandled::Missing)
}

/// How callers take the answer of a chain.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Taken {
    /// A caller takes for granted that the request was handled, there.
    Unasked(Site),
    /// Whoever calls asks whether it was.
    Asked,
    /// Whoever calls has an answer of its own for what was not: `?? "nobody"`.
    Answered,
    /// Neither is to be seen.
    Unknown,
}

/// How callers take the answer of a chain.
pub fn taken(wiring: &Wiring<'_>, built: &Built) -> Taken {
    let links = &wiring.links;
    let mut all = Vec::new();
    match built.of {
        Of::Walk(walk) => uses(wiring, links.walks[walk].walk.member, None, HANDED_ON, &mut all),
        Of::Pipeline(_) => {}
        Of::Next(next) => {
            let base = links.next[next].base;
            let mut methods: Vec<MemberId> =
                built.links.iter().take(1).filter_map(|l| behaviour::asked_by(&wiring.flow, links, built.of, l)).collect();
            methods.extend(wiring.program().find_member(base, links.next[next].method));
            methods.dedup();
            for method in methods {
                uses(wiring, method, Some(next), HANDED_ON, &mut all);
            }
        }
    }
    match all.iter().find(|t| matches!(t, Taken::Unasked(_))) {
        Some(unasked) => *unasked,
        None if !all.is_empty() && all.iter().all(|t| *t == Taken::Answered) => Taken::Answered,
        None if !all.is_empty() && all.iter().all(|t| matches!(t, Taken::Asked | Taken::Answered)) => Taken::Asked,
        None => Taken::Unknown,
    }
}

/// How the callers of a method take its result; links among themselves hand it on.
fn uses(wiring: &Wiring<'_>, method: MemberId, next: Option<usize>, depth: u32, all: &mut Vec<Taken>) {
    let program = wiring.program();
    let family = |m: MemberId| next.is_some_and(|n| program.is_a(program.member(m).owner, wiring.links.next[n].base));
    for call in wiring.flow.call_sites(method) {
        if family(call.member) || wiring.in_test(call.member) {
            continue;
        }
        let (Some(body), scope) = (program.body(call.member), program.scope(call.member)) else { continue };
        let mut value = call.node;
        while let Some(parent) = scope.parent(value)
            && matches!(body.node(parent), Node::Unary { op: UnaryOp::NonNull | UnaryOp::Await, .. })
        {
            value = parent;
        }
        let Some(parent) = scope.parent(value) else { continue };
        all.push(match body.node(parent) {
            Node::Member { object, name, optional: false } if object == value && takes(wiring, call.member, name) => Taken::Unasked(*call),
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right }
                if left == value && !is_missing(wiring, body, call.member, right) =>
            {
                Taken::Answered
            }
            Node::Member { object, name, .. } if object == value && stands_in(wiring, call.member, name) => Taken::Answered,
            // what is reckoned with is not asked for
            Node::Binary { op: BinaryOp::Add | BinaryOp::Sub | BinaryOp::Arithmetic, .. } => Taken::Unknown,
            Node::Member { .. } | Node::Binary { .. } | Node::TypeTest { .. } | Node::Unary { op: UnaryOp::Not, .. } => Taken::Asked,
            Node::If { cond, .. } | Node::Conditional { cond, .. } if cond == value => Taken::Asked,
            Node::Local { name, .. } => {
                let is_it = |n: NodeId| body.node(n) == Node::Name(name);
                let asked = body.ids().any(|n| match body.node(n) {
                    Node::If { cond, .. } | Node::Conditional { cond, .. } => state::any_within(body, cond, &|c| is_it(c) || c == parent),
                    Node::Binary { op, left, .. } => is_it(left) && !matches!(op, BinaryOp::Add | BinaryOp::Sub | BinaryOp::Arithmetic),
                    Node::Switch { subject: Some(subject), .. } => is_it(subject),
                    Node::TypeTest { object, .. } => is_it(object),
                    _ => false,
                });
                let taken = body.ids().any(|n| match body.node(n) {
                    Node::Member { object, name, optional: false } => is_it(object) && takes(wiring, call.member, name),
                    _ => false,
                });
                match (asked, taken) {
                    (true, _) => Taken::Asked,
                    (false, true) => Taken::Unasked(*call),
                    (false, false) => Taken::Unknown,
                }
            }
            Node::Return(_) if depth > 0 => {
                uses(wiring, call.member, next, depth - 1, all);
                continue;
            }
            _ => Taken::Unknown,
        });
    }
}

/// Whether a member of an optional result gives what is to stand in for it.
fn stands_in(wiring: &Wiring<'_>, member: MemberId, name: yarrowgraph_ir::Name) -> bool {
    matches!(wiring.program().text(wiring.program().sym_in(member, name)), "orElse" | "orElseGet" | "orElseThrow" | "value_or")
}

/// Whether a member of a result is there only if the result is: an optional can be asked whether it holds one.
fn takes(wiring: &Wiring<'_>, member: MemberId, name: yarrowgraph_ir::Name) -> bool {
    let program = wiring.program();
    let asks = ["isPresent", "isEmpty", "ifPresent", "ifPresentOrElse", "map", "flatMap", "filter", "orElse", "orElseGet", "orElseThrow"];
    let others = ["or", "stream", "value_or", "has_value", "HasValue", "GetValueOrDefault", "then", "catch", "finally"];
    let text = program.text(program.sym_in(member, name));
    !asks.contains(&text) && !others.contains(&text)
}
