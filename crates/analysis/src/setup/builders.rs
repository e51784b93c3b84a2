//! Methods that build chains and that no entry point comes to: those of libraries, and of code that a platform calls.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Body, MemberKind, Node, NodeId};
use yarrowgraph_model::Passes;

use super::{Wanted, run};
use crate::chain::{Built, Chains, Ends, Link, Links, Of, behaviour};
use crate::flow::Flow;
use crate::program::{Declared, Kinds, MemberId, Program, Scope, Site, TypeId};

/// How many steps the runs of all such methods may take together.
const STEPS: usize = 200_000;

/// How many of them the runs of one may take.
const EACH: usize = 20_000;

/// How many runs each of them may take.
pub(super) const RUNS: usize = 16;

/// Adds the chains that such methods build; what the runs of entry points made is there already.
pub(super) fn run_others(wanted: &Wanted<'_, '_>, chains: &mut Chains) {
    let mut steps = STEPS;
    for (builder, made) in builders(wanted.flow, wanted.links) {
        if steps == 0 || made.iter().all(|site| chains.made.contains(site)) {
            continue;
        }
        let share = steps.min(EACH);
        let ran = super::on_a_stack(|| run(wanted, builder, share));
        steps -= ran.steps;
        for (_, built) in ran.done {
            // what else it made says nothing of the program's own set-up
            let own = built.built.into_iter().filter(|b| b.links.iter().all(|l| !chains.made.contains(&l.made)));
            let own = own.filter(|b| is_chain(wanted, b)).collect();
            chains.add(Chains { built: own, lost: built.lost, ..Chains::default() });
        }
    }
}

/// Whether links are more than what wraps another object, or the parts of one. Of those that know the next one, one at
/// least answers some requests and passes others on as they are, and all but the last pass on; those of a list are not all
/// of the class that walks it, and asked until one of them fails.
fn is_chain(wanted: &Wanted<'_, '_>, built: &Built) -> bool {
    let program = wanted.flow.program;
    let next = match built.of {
        Of::Next(next) => next,
        Of::Walk(walk) => {
            let walk = &wanted.links.walks[walk];
            let walker = program.member(walk.walk.member).owner;
            let is_part = |l: &Link| l.class.is_some_and(|c| share_a_base(program, c, walker));
            return walk.ends != Ends::Nothing || !built.links.iter().all(is_part);
        }
        Of::Pipeline(_) => return true,
    };
    // what is its own next one stands at the end of a list that goes both ways
    if built.ring.is_some() && built.links.len() == 1 {
        return false;
    }
    let before_last = built.links.iter().take(built.links.len().saturating_sub(1));
    let passes: Vec<Passes> = before_last.filter_map(|l| behaviour::of(wanted.flow, wanted.links, built.of, l)).map(|b| b.passes).collect();
    built.ring.is_some() || passes.contains(&Passes::Sometimes) && !passes.contains(&Passes::Never) && hands_on_whole(wanted, next, built)
}

/// Whether no link but the last hands on a part of what it was asked: an element of it.
fn hands_on_whole(wanted: &Wanted<'_, '_>, next: usize, built: &Built) -> bool {
    let program = wanted.flow.program;
    let is_part = |pass: &Site| {
        let (Some(body), scope) = (program.body(pass.member), program.scope(pass.member)) else { return false };
        let Node::Call { args, .. } = body.node(pass.node) else { return false };
        let is_element = |n: &NodeId| match body.node(*n) {
            Node::Index { .. } => true,
            Node::Name(name) => match scope.lookup(name, *n) {
                Some(Declared::Local(local)) => {
                    scope.parent(local).is_some_and(|p| matches!(body.node(p), Node::ForEach { var, .. } if var == local))
                }
                _ => false,
            },
            _ => false,
        };
        args.len > 0 && body.list(args).iter().any(is_element)
    };
    let before_last = built.links.iter().take(built.links.len().saturating_sub(1)).filter_map(|l| l.class);
    let of_class = |class: TypeId| {
        let passes = wanted.links.next[next].passes.iter();
        passes.filter(move |p| program.is_a(class, program.member(p.member).owner))
    };
    // a queue is emptied by a walk, and what comes out of it is whole
    let is_asked = |p: &&Site| program.member(p.member).name == wanted.links.next[next].method;
    !before_last.flat_map(of_class).filter(is_asked).any(is_part)
}

/// Methods and constructors that make at least two links of one kind, and where they make them.
fn builders(flow: &Flow<'_>, links: &Links) -> Vec<(MemberId, Vec<Site>)> {
    let program = flow.program;
    let bases: BTreeSet<TypeId> = links.bases(flow);
    if bases.is_empty() {
        return Vec::new();
    }
    let is_run = |m: MemberId| {
        let info = program.member(m);
        matches!(info.kind, MemberKind::Method | MemberKind::Constructor) && !program.is_test(info.unit)
    };
    let found = (0..program.members.len()).map(|index| MemberId(index as u32)).filter(|m| is_run(*m)).filter_map(|member| {
        let body = program.body_with(member, Kinds::NEW)?;
        let made: Vec<(Site, TypeId)> = body
            .ids()
            .filter(|n| matches!(body.node(*n), Node::New { .. }))
            .filter(|n| is_used(body, program.scope(member), *n))
            .filter_map(|node| Some((Site { member, node }, flow.type_of_node(member, node).own()?)))
            .collect();
        let of = |base: TypeId| made.iter().filter(move |(_, class)| program.is_a(*class, base)).map(|(site, _)| *site);
        let kind = bases.iter().find(|base| of(**base).count() > 1)?;
        Some((member, of(*kind).collect()))
    });
    found.collect()
}

/// Whether an object is handed to something, put into something or told something where it is made, by itself or by a local.
fn is_used(body: &Body, scope: &Scope, made: NodeId) -> bool {
    let Some(parent) = scope.parent(made) else { return false };
    let uses = |node: NodeId| match scope.parent(node).map(|p| body.node(p)) {
        Some(Node::Call { args, .. } | Node::New { args, .. }) => body.list(args).contains(&node),
        Some(Node::Member { object, .. }) => object == node,
        Some(Node::Collection { .. }) => true,
        _ => false,
    };
    let name = match body.node(parent) {
        Node::Local { name, .. } => Some(name),
        Node::Assign { target, .. } => match body.node(target) {
            Node::Name(name) | Node::Member { name, .. } => Some(name),
            _ => None,
        },
        _ => None,
    };
    let is_name = |n: &NodeId| match body.node(*n) {
        Node::Name(other) | Node::Member { name: other, .. } => Some(other) == name,
        _ => false,
    };
    uses(made) || name.is_some() && body.ids().filter(is_name).any(uses)
}

/// Whether two types have a base of the tree in common.
fn share_a_base(program: &Program, a: TypeId, b: TypeId) -> bool {
    let mut shared = false;
    program.for_each_base(a, &mut |t| {
        shared |= t != a && program.is_a(b, t);
        !shared
    });
    shared || program.is_a(b, a)
}
