//! Functions that are wrapped by others: `night(peak(flat))`, where each function is made with the next one and goes on
//! to it or does not.

use yarrowgraph_ir::{Body, FunctionId, Name, Node, NodeId};

use super::only_thing;
use super::walks::{Ends, Walk};
use crate::flow::Flow;
use crate::program::{Declared, Kinds, MemberId, Scope, Site};
use crate::state;

/// A function that is made with the next one.
#[derive(Clone, Copy, Debug)]
pub struct Wrap {
    /// Where it is written, and which one of that body it is.
    pub member: MemberId,
    /// The function.
    pub function: FunctionId,
    /// The function around it whose parameter the next one is; none for the method.
    pub around: Option<FunctionId>,
    /// The place of that parameter.
    pub next: u16,
    /// Its name.
    pub name: Name,
    /// Where another function is handed the way on, and does what this one only passes on: the function around whose
    /// parameter it is, and its place.
    pub by: Option<(Option<FunctionId>, u16)>,
}

/// What is written as a function that is made with another one.
#[derive(Debug, Default)]
pub(super) struct Wrapped {
    /// Those that go on to the next one, each with the walk that it is a link of.
    pub(super) links: Vec<(Wrap, Walk)>,
    /// Those that ask nothing of what they are made with, which the function around each of them is handed.
    pub(super) ends: Vec<(MemberId, FunctionId, Option<FunctionId>)>,
}

/// Finds the functions.
pub(super) fn find(flow: &Flow<'_>) -> Wrapped {
    let program = flow.program;
    let mut found = Wrapped::default();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body_with(member, Kinds::LAMBDA) else { continue };
        let scope = program.scope(member);
        for node in body.ids() {
            let Node::Lambda(function) = body.node(node) else { continue };
            let f = body.function(function);
            let Some(root) = f.body.filter(|_| !f.params.is_empty()) else { continue };
            // given back by the function around it
            let whole = match scope.parent(node) {
                None => body.returns_root,
                Some(parent) => match body.node(parent) {
                    Node::Return(_) => true,
                    Node::Lambda(outer) => body.function(outer).body == Some(node) && body.function(outer).returns_body,
                    _ => false,
                },
            };
            if !whole {
                continue;
            }
            let around = scope.function_around(body, node);
            match wrap(flow, member, body, scope, function, around, root) {
                Some(link) => found.links.push(link),
                None => found.ends.push((member, function, around)),
            }
        }
    }
    found
}

fn wrap(
    flow: &Flow<'_>,
    member: MemberId,
    body: &Body,
    scope: &Scope,
    function: FunctionId,
    around: Option<FunctionId>,
    root: NodeId,
) -> Option<(Wrap, Walk)> {
    let param_of = |n: NodeId| match body.node(n) {
        Node::Name(name) => match scope.lookup(name, n)? {
            Declared::Param(of, index) => Some((of, index, name)),
            Declared::Local(_) => None,
        },
        _ => None,
    };
    let pack = &flow.program.kit_of(member).pack;
    // a call of what is handed to the function around: by itself, or by the one method that functions, or interfaces in their
    // place, have
    let called = |n: NodeId| -> Option<(NodeId, u16, Name)> {
        let Node::Call { callee, .. } = body.node(n) else { return None };
        let what = match body.node(callee) {
            Node::Member { object, name, .. }
                if pack.invokers.contains(flow.program.unit_of(member).text(name))
                    || param_of(object).is_some() && flow.calls_only_method(Site { member, node: n }) =>
            {
                object
            }
            _ => callee,
        };
        let (of, index, name) = param_of(what)?;
        (of == around).then_some((n, index, name))
    };
    // a request is what the function itself is handed
    let own = |n: NodeId| param_of(n).is_some_and(|(of, ..)| of == Some(function));
    let whole = only_thing(body, root);
    let asked_with = |args: &[NodeId]| args.iter().any(|a| state::any_within(body, *a, &own));
    // what only hands the request and the next one to another function that was handed in: `next => loaf => part(loaf, next)`,
    // `(next, part) => loaf => part(loaf, next)`
    if let Node::Call { callee, args, .. } = body.node(whole)
        && let Some((of, index, _)) = param_of(callee).filter(|(of, ..)| *of != Some(function))
        && asked_with(body.list(args))
        && let Some((way, (_, next, name))) = body.list(args).iter().enumerate().find_map(|(at, a)| {
            let given = param_of(*a).filter(|(around_of, ..)| *around_of == around)?;
            Some((at, given))
        })
        && (of != around || index != next)
    {
        let site = Site { member, node: root };
        let walk = Walk { walk: site, list: None, given: None, method: None, asks: Site { member, node: whole }, ends: Ends::WayOn(way) };
        return Some((Wrap { member, function, around, next, name, by: Some((of, index)) }, walk));
    }
    let within: Vec<NodeId> = scope.within(root).collect();
    let (call, next, name) = within.iter().find_map(|n| called(*n))?;
    let Node::Call { args, .. } = body.node(call) else { return None };
    if !asked_with(body.list(args)) {
        return None;
    }
    // what only hands the way on to another function that was handed in
    let handed_on = || {
        let Node::Call { callee, args, .. } = body.node(whole) else { return None };
        let (of, index, _) = param_of(callee).filter(|(of, ..)| *of != Some(function))?;
        let way = body.list(args).iter().position(|a| matches!(body.node(*a), Node::Lambda(_)) && scope.is_within(call, *a))?;
        Some(((of, index), way))
    };
    let (by, ends) = match handed_on() {
        Some((by, way)) => (Some(by), Ends::WayOn(way)),
        None => (None, Ends::Kept),
    };
    let site = Site { member, node: root };
    let walk = Walk { walk: site, list: None, given: None, method: None, asks: Site { member, node: call }, ends };
    Some((Wrap { member, function, around, next, name, by }, walk))
}
