//! Where tables are looked up, and what comes of a code that they do not have.

use yarrowgraph_ir::{BinaryOp, Body, Name, Node, NodeId, UnaryOp};

use super::{Missing, tables};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Scope, Site, Ty};
use crate::state::{self, is_statement};
use crate::wire::Wiring;
use crate::written;

/// A look-up of a code.
#[derive(Clone, Debug)]
pub struct LookUp {
    /// The call or access.
    pub site: Site,
    /// The code that is asked for.
    pub key: Site,
    /// The method and parameter that the code comes from.
    pub asked_by: Option<(MemberId, u16)>,
    /// What comes of a code that is not there.
    pub missing: Missing,
}

/// What tells the places where a map is named: in a member, whether a node names it.
type Names<'a> = dyn Fn(MemberId, NodeId) -> bool + 'a;

/// The look-ups of the map that a member holds.
pub(crate) fn of(wiring: &Wiring<'_>, holder: MemberId) -> Vec<LookUp> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let is_map = |member: MemberId, n: NodeId| matches!(flow.eval_in(member, n), Val::Member(_, m) | Val::Static(m) if m == holder);
    let reads = program.index.reads(program.member(holder).name).iter().copied();
    reads.filter(|read| !wiring.in_test(read.member)).filter_map(|read| look_up(wiring, read, &is_map)).collect()
}

/// The look-ups of the map that a local holds.
pub(crate) fn of_kept(wiring: &Wiring<'_>, local: Site) -> Vec<LookUp> {
    let program = wiring.program();
    let Some(body) = program.body(local.member) else { return Vec::new() };
    let scope = program.scope(local.member);
    let is_map = |member: MemberId, n: NodeId| member == local.member && scope.names(body, n, local.node);
    let reads = body.ids().map(|node| Site { member: local.member, node });
    reads.filter_map(|read| look_up(wiring, read, &is_map)).collect()
}

/// What is looked up where a node names a map.
fn look_up(wiring: &Wiring<'_>, read: Site, is_map: &Names<'_>) -> Option<LookUp> {
    let program = wiring.program();
    if !is_map(read.member, read.node) {
        return None;
    }
    let body = program.body(read.member)?;
    let scope = program.scope(read.member);
    let pack = &program.kit_of(read.member).pack;
    let parent = scope.parent(read.node)?;
    let at = |node: NodeId| Site { member: read.member, node };
    let (node, key, known) = match body.node(parent) {
        Node::Index { object, keys, .. } if object == read.node => {
            let stores = scope.parent(parent).is_some_and(|p| matches!(body.node(p), Node::Assign { target, .. } if target == parent));
            let [key] = body.list(keys) else { return None };
            if stores {
                return None;
            }
            let refuses = program.kit_of(read.member).traits.missing_key_throws;
            // `makers[kind as keyof typeof makers]`
            let key = if let Node::Cast { operand, .. } = body.node(*key) { operand } else { *key };
            (parent, key, refuses.then_some(Missing::Refuses))
        }
        Node::Member { object, name, .. } if object == read.node => {
            let call = scope.parent(parent)?;
            let Node::Call { callee, args, .. } = body.node(call) else { return None };
            let text = program.unit_of(read.member).text(name);
            // what is written out may have a method of that name: `Finder.find('.gate')`
            if callee != parent
                || !(pack.elements.contains(text) || pack.out_lookups.contains(text))
                || matches!(wiring.flow.type_of_node(read.member, callee), Ty::Function(_))
            {
                return None;
            }
            let [key, rest @ ..] = body.list(args) else { return None };
            let known = if pack.refusing_look_ups.contains(text) {
                Some(Missing::Refuses)
            } else if !rest.is_empty() && !pack.out_lookups.contains(text) {
                // with a default
                Some(if tables::gives_nothing(wiring, read.member, rest[0]) { Missing::Nothing } else { Missing::Serves })
            } else {
                None
            };
            (call, *key, known)
        }
        _ => return None,
    };
    // what serves where the one before it found nothing: `table[code] ?? table.plain`
    let serves_instead = |n: NodeId| match body.node(n) {
        Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } => {
            right == node && state::any_within(body, left, &|n| is_map(read.member, n))
        }
        _ => false,
    };
    if scope.parent(node).is_some_and(serves_instead) {
        return None;
    }
    // `table.TryGetValue(code, out var make);`, with the answer let go
    let out = out_local(body, node).filter(|_| is_statement(program, at(node)));
    let missing = known.unwrap_or_else(|| match out {
        Some((local, name)) => of_local(wiring, read.member, local, name),
        None => missing(wiring, read.member, node),
    });
    let asked_by = match body.node(key) {
        Node::Name(name) => match scope.lookup(name, key) {
            Some(Declared::Param(None, index)) => Some((read.member, index)),
            _ => None,
        },
        _ => None,
    };
    let missing = match missing {
        Missing::Unchecked => asked_before(wiring, is_map, at(node), key).unwrap_or(missing),
        known => known,
    };
    Some(LookUp { site: at(node), key: at(key), asked_by, missing })
}

/// What comes of a code that is not there where a test before the look-up, or around it, asks the same map for the same code:
/// `if (!ways[kind]) throw …; ways[kind](loaf)`.
fn asked_before(wiring: &Wiring<'_>, is_map: &Names<'_>, look_up: Site, key: NodeId) -> Option<Missing> {
    let program = wiring.program();
    let member = look_up.member;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let written = |node: NodeId| written::expression(program, Site { member, node });
    let is_key = |n: NodeId| std::mem::discriminant(&body.node(n)) == std::mem::discriminant(&body.node(key)) && written(n) == written(key);
    // `if (!ways[kind]) kind = 'plain';`
    let replaces_key =
        |then: NodeId| state::any_within(body, then, &|n| matches!(body.node(n), Node::Assign { target, .. } if is_key(target)));
    let asks = |cond: NodeId| {
        let is_map = |n: NodeId| matches!(body.node(n), Node::Name(_) | Node::Member { .. }) && is_map(member, n);
        state::any_within(body, cond, &is_map) && state::any_within(body, cond, &is_key)
    };
    body.ids().find_map(|n| match body.node(n) {
        Node::If { cond, then, .. } => {
            let inside = scope.is_within(look_up.node, n) && !scope.is_within(look_up.node, cond);
            let behind = scope.is_before(n, look_up.node) && !inside && (body.leaves(then) || replaces_key(then));
            if !(inside || behind) || !asks(cond) {
                return None;
            }
            Some(if behind && tables::refuses(wiring, member, then) { Missing::Refuses } else { Missing::Nothing })
        }
        Node::Conditional { cond, .. } | Node::Binary { op: BinaryOp::And | BinaryOp::Or, left: cond, .. } => {
            let behind = scope.is_within(look_up.node, n) && !scope.is_within(look_up.node, cond);
            (behind && asks(cond)).then_some(Missing::Nothing)
        }
        _ => None,
    })
}

/// The variable that a call declares for what it finds.
fn out_local(body: &Body, call: NodeId) -> Option<(NodeId, Name)> {
    let Node::Call { args, .. } = body.node(call) else { return None };
    let Node::Unary { op: UnaryOp::ByRef, operand } = body.node(*body.list(args).last()?) else { return None };
    match body.node(operand) {
        Node::Local { name, .. } => Some((operand, name)),
        _ => None,
    }
}

/// What the code around a look-up does when nothing is found.
fn missing(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Missing {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return Missing::Serves };
    let scope = program.scope(member);
    let mut node = node;
    while let Some(parent) = scope.parent(node) {
        match body.node(parent) {
            Node::Unary { op: UnaryOp::NonNull | UnaryOp::Await, .. } | Node::Cast { .. } => node = parent,
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } if left == node => {
                return if tables::gives_nothing(wiring, member, right) {
                    Missing::Nothing
                } else if tables::refuses(wiring, member, right) {
                    Missing::Refuses
                } else {
                    Missing::Serves
                };
            }
            // asked whether there is one, and what if not
            Node::Conditional { cond, other, .. } if cond == node => return branch(wiring, member, Some(other)),
            Node::If { cond, .. } if cond == node => return tested(wiring, member, parent, false),
            Node::Unary { op: UnaryOp::Not, .. } => {
                let Some(test) = scope.parent(parent) else { return Missing::Nothing };
                return match body.node(test) {
                    Node::If { .. } => tested(wiring, member, test, true),
                    _ => Missing::Nothing,
                };
            }
            Node::Call { callee, optional, .. } if callee == node => return if optional { Missing::Nothing } else { Missing::Unchecked },
            Node::Member { object, name, optional } if object == node => {
                let pack = &program.kit_of(member).pack;
                let text = program.unit_of(member).text(name);
                if optional {
                    return Missing::Nothing;
                }
                if pack.unwraps.contains(text) {
                    return Missing::Serves;
                }
                return Missing::Unchecked;
            }
            Node::Local { name, .. } => return of_local(wiring, member, parent, name),
            Node::Return(_) => return Missing::Nothing,
            _ => return Missing::Nothing,
        }
    }
    Missing::Nothing
}

/// Whether an expression decides, alone or with others, which way a statement goes.
fn is_in_condition(body: &Body, scope: &Scope, node: NodeId) -> bool {
    let mut inner = node;
    scope.ancestors(node).find_map(|around| match body.node(around) {
        Node::Binary { .. } | Node::Unary { .. } => {
            inner = around;
            None
        }
        Node::If { cond, .. } | Node::Conditional { cond, .. } => Some(cond == inner),
        _ => Some(false),
    }) == Some(true)
}

/// What a statement that tests whether something was found (`negative`: whether it was not) does where it was not.
fn tested(wiring: &Wiring<'_>, member: MemberId, test: NodeId, negative: bool) -> Missing {
    let Some(body) = wiring.program().body(member) else { return Missing::Serves };
    let Node::If { then, other, .. } = body.node(test) else { return Missing::Nothing };
    match other {
        _ if negative => branch(wiring, member, Some(then)),
        // what was found answers and is done; the rest of the code is for all others
        None if body.leaves(then) => tables::behind(wiring, member, test),
        other => branch(wiring, member, other),
    }
}

/// What a branch for "not there" does.
fn branch(wiring: &Wiring<'_>, member: MemberId, branch: Option<NodeId>) -> Missing {
    match branch {
        None => Missing::Nothing,
        Some(node) if tables::refuses(wiring, member, node) => Missing::Refuses,
        Some(node) if tables::gives_nothing(wiring, member, node) => Missing::Nothing,
        Some(node) => match wiring.program().body(member).map(|b| b.node(node)) {
            Some(Node::Continue) => Missing::Nothing,
            // an answer of its own
            _ => Missing::Serves,
        },
    }
}

/// What is done with a local that was given what was found.
fn of_local(wiring: &Wiring<'_>, member: MemberId, local: NodeId, name: Name) -> Missing {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return Missing::Serves };
    let scope = program.scope(member);
    let mut worst = None;
    for node in body.ids() {
        if body.node(node) != Node::Name(name) || scope.lookup(name, node) != Some(Declared::Local(local)) {
            continue;
        }
        // `make!(press)` only says that there is one
        let is_stated = |n: &NodeId| matches!(body.node(*n), Node::Unary { op: UnaryOp::NonNull, .. });
        let stated = scope.ancestors(node).take_while(is_stated).last();
        let node = stated.unwrap_or(node);
        let Some(parent) = scope.parent(node) else { continue };
        match body.node(parent) {
            Node::If { cond, .. } if cond == node => return tested(wiring, member, parent, false),
            Node::Conditional { cond, other, .. } if cond == node => return branch(wiring, member, Some(other)),
            Node::Unary { op: UnaryOp::Not, .. } | Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, .. } => {
                let negative = matches!(body.node(parent), Node::Unary { .. } | Node::Binary { op: BinaryOp::Eq, .. });
                let Some(test) = scope.parent(parent) else { continue };
                return match body.node(test) {
                    Node::If { .. } => tested(wiring, member, test, negative),
                    Node::Binary { .. } if is_in_condition(body, scope, test) => Missing::Serves,
                    Node::Conditional { then, other, .. } => branch(wiring, member, Some(if negative { then } else { other })),
                    _ => Missing::Nothing,
                };
            }
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } if left == node => {
                return if tables::gives_nothing(wiring, member, right) { Missing::Nothing } else { Missing::Serves };
            }
            // where there is none it is as if it had said no: `if (change && change(gate)) return;`
            Node::Binary { op: BinaryOp::And, .. } if is_in_condition(body, scope, parent) => return Missing::Serves,
            Node::Call { callee, optional, .. } if callee == node => {
                worst = Some(if optional { Missing::Nothing } else { Missing::Unchecked });
            }
            Node::Member { object, optional, .. } if object == node => {
                worst = worst.or(Some(if optional { Missing::Nothing } else { Missing::Unchecked }));
            }
            _ => {}
        }
    }
    worst.unwrap_or(Missing::Nothing)
}
