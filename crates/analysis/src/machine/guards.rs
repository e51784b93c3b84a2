//! Conditions of transitions: which of them cannot hold together, as far as limits and texts tell.

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{BinaryOp, Body, Name, Node, NodeId, UnaryOp};

use crate::flow::Flow;
use crate::program::{Declared, MemberId, Program, Site, Sym};
use crate::written;

/// So many calls deep it is looked for what a statement between two conditions changes.
const CALLS: u32 = 3;

/// A value that is held against a limit.
#[derive(Debug, PartialEq)]
struct Limit {
    value: String,
    low: Option<(f64, bool)>,
    high: Option<(f64, bool)>,
}

/// Whether some conditions, each of which must hold or not, exclude each other.
pub fn contradict(flow: &Flow<'_>, conditions: &[(Site, bool)]) -> bool {
    let program = flow.program;
    for (at, (site, holds)) in conditions.iter().enumerate() {
        for (other, other_holds) in &conditions[..at] {
            // in another function the same words may mean something else, and in another turn of a loop
            let together = site.member == other.member && site != other;
            // what is asked last looks through the whole body
            if together
                && excludes(program, (*site, *holds), (*other, *other_holds))
                && name_the_same(program, *other, *site)
                && !is_changed_between(flow, *other, *site)
            {
                return true;
            }
        }
    }
    false
}

/// Whether the variables that two conditions of one body name are not those of two loops, each of which has one of that name.
fn name_the_same(program: &Program, first: Site, second: Site) -> bool {
    let Some(body) = program.body(first.member) else { return false };
    let scope = program.scope(first.member);
    let loop_of = |local: NodeId| scope.ancestors(local).find(|n| matches!(body.node(*n), Node::Loop { .. } | Node::ForEach { .. }));
    let names = |at: NodeId| -> Vec<(Name, Option<NodeId>)> {
        let within = scope.within(at);
        let declared = within.filter_map(|n| if let Node::Name(name) = body.node(n) { Some((name, scope.lookup(name, n)?)) } else { None });
        declared.map(|(name, what)| (name, if let Declared::Local(local) = what { loop_of(local) } else { None })).collect()
    };
    let known = names(first.node);
    names(second.node).iter().all(|(name, around)| known.iter().all(|(other, loop_around)| other != name || loop_around == around))
}

/// Whether something that a condition asks about is given another value between two places of one body.
fn is_changed_between(flow: &Flow<'_>, first: Site, second: Site) -> bool {
    let program = flow.program;
    let Some(body) = program.body(first.member) else { return false };
    let scope = program.scope(first.member);
    let name_of = |node: NodeId| match body.node(node) {
        Node::Name(name) | Node::Member { name, .. } => Some(program.sym_in(first.member, name)),
        _ => None,
    };
    let asked: Vec<Sym> = scope.within(first.node).filter_map(name_of).collect();
    let between = |node: NodeId| scope.is_between(node, first.node, second.node);
    let here = |n: &NodeId| between(*n) && !scope.is_within(*n, first.node);
    // a statement of plain arithmetic, of which it is not kept what it changes
    let is_plain = |n: NodeId| body.node(n) == Node::Plain && scope.parent(n).is_some_and(|p| matches!(body.node(p), Node::Block(_)));
    if body.ids().filter(here).any(is_plain) {
        return true;
    }
    let is_call = |s: &&Site| program.body(s.member).is_some_and(|b| matches!(b.node(s.node), Node::Call { .. }));
    let all_of = |member: MemberId| {
        let nodes = program.body(member).into_iter().flat_map(Body::ids);
        nodes.map(move |node| Site { member, node })
    };
    let mut sites: Vec<Site> = body.ids().filter(here).map(|node| Site { member: first.member, node }).collect();
    // each method that is called in between is looked at once, where it is nearest
    let mut called: FxHashSet<MemberId> = FxHashSet::default();
    for _ in 0..CALLS {
        if sites.iter().any(|s| writes(program, *s, &asked)) {
            return true;
        }
        let callees = sites.iter().filter(is_call).filter_map(|s| flow.callee(*s)).map(|c| c.member);
        let callees: Vec<MemberId> = callees.filter(|m| called.insert(*m)).collect();
        sites = callees.into_iter().flat_map(all_of).collect();
    }
    sites.iter().any(|s| writes(program, *s, &asked))
}

/// Whether an expression gives something of some names another value.
fn writes(program: &Program, site: Site, names: &[Sym]) -> bool {
    let Some(body) = program.body(site.member) else { return false };
    let (Node::Assign { target, .. } | Node::Unary { op: UnaryOp::Step { .. }, operand: target }) = body.node(site.node) else {
        return false;
    };
    matches!(body.node(target), Node::Name(name) | Node::Member { name, .. } if names.contains(&program.sym_in(site.member, name)))
}

/// Whether two conditions cannot hold together.
fn excludes(program: &Program, a: (Site, bool), b: (Site, bool)) -> bool {
    if let (Some(a), Some(b)) = (limit(program, a), limit(program, b))
        && a.value == b.value
    {
        return above(&a, &b) || above(&b, &a);
    }
    let speaks = |text: &str| !text.contains('\u{2026}') && !text.contains('(');
    let (text, other) = (written::expression(program, a.0), written::expression(program, b.0));
    text == other && a.1 != b.1 && speaks(&text)
}

/// Whether one value must be above all that the other can be.
fn above(a: &Limit, b: &Limit) -> bool {
    match (a.low, b.high) {
        (Some((low, with)), Some((high, with_high))) => low > high || low == high && !(with && with_high),
        _ => false,
    }
}

/// What a comparison with a number says of the value.
fn limit(program: &Program, (site, holds): (Site, bool)) -> Option<Limit> {
    let body = program.body(site.member)?;
    let Node::Binary { op, left, right } = body.node(site.node) else { return None };
    let number = |node| match body.node(node) {
        Node::Num(text) => {
            program.unit_of(site.member).text(text).replace('_', "").trim_end_matches(['f', 'd', 'L', 'm']).parse::<f64>().ok()
        }
        _ => None,
    };
    let text = |node| written::expression(program, Site { member: site.member, node });
    let (value, number, op) = match (number(left), number(right)) {
        (None, Some(n)) => (text(left), n, op),
        (Some(n), None) => (text(right), n, turned(op)?),
        _ => return None,
    };
    if value.contains('\u{2026}') {
        return None;
    }
    let (low, high) = match (op, holds) {
        (BinaryOp::Gt, true) | (BinaryOp::Le, false) => (Some((number, false)), None),
        (BinaryOp::Ge, true) | (BinaryOp::Lt, false) => (Some((number, true)), None),
        (BinaryOp::Lt, true) | (BinaryOp::Ge, false) => (None, Some((number, false))),
        (BinaryOp::Le, true) | (BinaryOp::Gt, false) => (None, Some((number, true))),
        (BinaryOp::Eq, true) | (BinaryOp::Ne, false) => (Some((number, true)), Some((number, true))),
        _ => return None,
    };
    Some(Limit { value, low, high })
}

/// The comparison with its sides changed.
fn turned(op: BinaryOp) -> Option<BinaryOp> {
    Some(match op {
        BinaryOp::Gt => BinaryOp::Lt,
        BinaryOp::Ge => BinaryOp::Le,
        BinaryOp::Lt => BinaryOp::Gt,
        BinaryOp::Le => BinaryOp::Ge,
        BinaryOp::Eq | BinaryOp::Ne => op,
        _ => return None,
    })
}
