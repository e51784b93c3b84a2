//! What code runs again and again by itself: what timers call, and loops that wait between their turns.

use yarrowgraph_ir::{MemberKind, Node, NodeId, UnaryOp};

use crate::flow::{Val, only_statement};
use crate::program::{MemberId, Site};
use crate::wire::Wiring;
use crate::wire::effect::Event;

/// Code that runs again and again.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Round {
    /// What runs: the body of a method or function, or a loop.
    pub root: Site,
    /// What makes it run.
    pub by: Site,
    /// Whether it is run for each frame, or so many times: there only what is announced need not be asked for.
    pub by_frame: bool,
}

/// A function that only waits is no longer than so many nodes.
const PAUSE: usize = 40;

impl Round {
    fn new(root: Site, by: Site) -> Self {
        Self { root, by, by_frame: false }
    }
}

/// All periodic code of the tree, tests left out.
pub fn rounds(wiring: &Wiring<'_>) -> Vec<Round> {
    let program = wiring.program();
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body(member).filter(|_| !wiring.in_test(member)) else { continue };
        let pack = &*program.kit_of(member).pack;
        let text = |name| program.unit_of(member).text(name);
        let info = program.member(member);
        let bases = program.outside_bases(info.owner);
        let is_hook = |hook: &String| match hook.split_once('.') {
            Some((class, method)) => method == program.text(info.name) && bases.iter().any(|b| program.text(*b) == class),
            None => hook == program.text(info.name) && !bases.is_empty(),
        };
        if pack.timer_hooks.iter().any(is_hook)
            && let Some(root) = root_of(wiring, member)
        {
            found.push(Round::new(root, root));
        }
        if pack.frame_hooks.contains(program.text(info.name))
            && !bases.is_empty()
            && let Some(root) = root_of(wiring, member)
        {
            found.push(Round { by_frame: true, ..Round::new(root, root) });
        }
        for node in body.ids() {
            let by = Site { member, node };
            match body.node(node) {
                Node::Call { callee, args, .. } => {
                    let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { continue };
                    if pack.periodic.contains(text(name)) {
                        found.extend(body.list(args).iter().flat_map(|a| handed(wiring, member, *a)).map(|root| Round::new(root, by)));
                    } else if pack.rounds.contains(text(name)) && loop_around(wiring, by).is_some() {
                        let method = wiring.flow.callee(by).and_then(|c| root_of(wiring, c.member));
                        found.extend(method.map(|root| Round::new(root, by)));
                    } else if pack.schedulers.contains(text(name)) && starts_itself_again(wiring, by, body.list(args)) {
                        found.extend(own_code(wiring, by).map(|root| Round::new(root, by)));
                    } else if pack.pauses.contains(text(name))
                        && let Some(turn) = loop_around(wiring, by)
                        && waits_round_by_round(wiring, member, turn)
                    {
                        found.push(turn_of(wiring, by, turn));
                    }
                }
                // `await new Promise((done) => setTimeout(done, 100))`
                Node::Unary { op: UnaryOp::Await, operand } if waits_for_timer(wiring, member, operand) => {
                    if let Some(turn) = loop_around(wiring, by)
                        && waits_round_by_round(wiring, member, turn)
                    {
                        found.push(turn_of(wiring, by, turn));
                    }
                }
                Node::New { ty, args, .. } => {
                    let named = program.type_in(member, ty);
                    if named.own().is_none() && program.type_name(&named).is_some_and(|name| pack.periodic.contains(name)) {
                        found.extend(body.list(args).iter().flat_map(|a| handed(wiring, member, *a)).map(|root| Round::new(root, by)));
                    }
                }
                _ => {}
            }
        }
    }
    for effect in wiring.channels.iter().flat_map(|c| &c.joins).map(|j| &wiring.effects[*j]) {
        let Event::Outside(name) = effect.holder.event else { continue };
        let ticks = &program.kit_of(effect.site.member).pack.ticks;
        if !wiring.in_test(effect.site.member)
            && ticks.contains(program.text(name))
            && let Some(root) = effect.handler.as_ref().and_then(|h| wiring.flow.code_of(h))
            && !runs_once(wiring, &effect.holder.subject)
        {
            found.extend(called_for_callers(wiring, root).into_iter().map(|root| Round::new(root, effect.site)));
            found.push(Round::new(root, effect.site));
        }
    }
    found.sort_unstable();
    found.dedup_by(|a, b| a.root == b.root);
    found
}

/// The code of the method that a node stands in, or of the function that is all its field holds: `private tick = () => { … }`.
fn own_code(wiring: &Wiring<'_>, at: Site) -> Option<Site> {
    let program = wiring.program();
    let body = program.body(at.member)?;
    let function = program.scope(at.member).function_around(body, at.node);
    match (program.member(at.member).kind, function) {
        (MemberKind::Method, None) => root_of(wiring, at.member),
        (MemberKind::Field | MemberKind::Property, Some(f)) => {
            let is_all = body.root.is_some_and(|root| body.node(root) == Node::Lambda(f));
            body.function(f).body.filter(|_| is_all).map(|node| Site { member: at.member, node })
        }
        _ => None,
    }
}

/// Whether what a method hands to a scheduler is, or calls, that method: it starts itself again.
fn starts_itself_again(wiring: &Wiring<'_>, by: Site, args: &[NodeId]) -> bool {
    let program = wiring.program();
    let (Some(body), Some(own)) = (program.body(by.member), own_code(wiring, by)) else { return false };
    let calls_it = |n: NodeId| wiring.flow.callee(Site { member: by.member, node: n }).is_some_and(|c| c.member == by.member);
    args.iter().any(|a| {
        wiring.flow.code_of(&wiring.flow.eval_in(by.member, *a)) == Some(own)
            || (matches!(body.node(*a), Node::Lambda(_)) && super::any_within(body, *a, &calls_it))
    })
}

/// Whether what is waited for is made by handing its end to a timer.
fn waits_for_timer(wiring: &Wiring<'_>, member: MemberId, awaited: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let pack = &*program.kit_of(member).pack;
    let is_timer = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } => {
            matches!(body.node(callee), Node::Name(name) | Node::Member { name, .. } if pack.schedulers.contains(program.unit_of(member).text(name)))
        }
        _ => false,
    };
    if let Node::Call { callee, .. } = body.node(awaited) {
        // `await pause(100)`, by a function of the tree that gives such a promise
        let Some(code) = wiring.flow.code_of(&wiring.flow.eval_in(member, callee)) else { return false };
        let Some(inner) = wiring.program().body(code.member) else { return false };
        let is_promise = |n: NodeId| matches!(inner.node(n), Node::New { .. }) && waits_for_timer(wiring, code.member, n);
        return inner.nodes.len() <= PAUSE && super::any_within(inner, code.node, &is_promise);
    }
    matches!(body.node(awaited), Node::New { .. }) && super::any_within(body, awaited, &is_timer)
}

/// The code of a function that is handed over, with that of the method that is all it calls, or of the one method by which an object
/// in its place is run.
fn handed(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Vec<Site> {
    let program = wiring.program();
    let value = wiring.flow.eval_in(member, node);
    if let Some(code) = wiring.flow.code_of(&value) {
        return with_called(wiring, code).collect();
    }
    // by a function that starts a timer for whoever calls it
    if let Val::Param(m, None, index) = value
        && m == member
    {
        return handed_by_callers(wiring, m, index);
    }
    let class = wiring.flow.type_of(&value).own().filter(|t| !program.outside_bases(*t).is_empty());
    let names = program.kit_of(member).pack.invokers.iter().filter_map(|name| program.symbols.get(name));
    let mut methods = class.into_iter().flat_map(|class| names.clone().filter_map(move |name| program.find_member_as(class, name, true)));
    methods.find_map(|m| root_of(wiring, m)).into_iter().collect()
}

/// The functions that the callers of a method hand it.
fn handed_by_callers(wiring: &Wiring<'_>, method: MemberId, index: u16) -> Vec<Site> {
    let calls = wiring.flow.call_sites(method).iter().filter(|call| !wiring.in_test(call.member));
    let handed = calls.filter_map(|call| wiring.flow.argument(*call, usize::from(index)));
    let code = handed.filter_map(|arg| wiring.flow.code_of(&wiring.flow.eval(arg)));
    code.flat_map(|code| with_called(wiring, code)).collect()
}

/// The one call that a function consists of.
fn only_call(wiring: &Wiring<'_>, code: Site) -> Option<Site> {
    let body = wiring.program().body(code.member)?;
    let node = only_statement(body, code.node);
    matches!(body.node(node), Node::Call { .. }).then_some(Site { member: code.member, node })
}

/// A function's code, and that of the method that is all it calls: `() => recorder.tick()`.
fn with_called(wiring: &Wiring<'_>, code: Site) -> impl Iterator<Item = Site> {
    let callee = only_call(wiring, code).and_then(|call| wiring.flow.callee(call));
    std::iter::once(code).chain(callee.and_then(|c| root_of(wiring, c.member)))
}

/// The functions that a function only calls because its method was handed them: `(_, _) => run()`.
fn called_for_callers(wiring: &Wiring<'_>, code: Site) -> Vec<Site> {
    let called = only_call(wiring, code).and_then(|call| {
        let body = wiring.program().body(call.member)?;
        let Node::Call { callee, .. } = body.node(call.node) else { return None };
        let called = match body.node(callee) {
            Node::Member { object, .. } => object,
            _ => callee,
        };
        match wiring.flow.eval_in(call.member, called) {
            Val::Param(m, None, index) if m == call.member => Some((m, index)),
            _ => None,
        }
    });
    called.map_or_else(Vec::new, |(m, index)| handed_by_callers(wiring, m, index))
}

fn root_of(wiring: &Wiring<'_>, member: MemberId) -> Option<Site> {
    let node = wiring.program().body(member)?.root?;
    Some(Site { member, node })
}

/// Whether a timer is told somewhere to run once.
fn runs_once(wiring: &Wiring<'_>, timer: &Val) -> bool {
    let program = wiring.program();
    let names = program.packs().flat_map(|p| p.single_shots.iter()).filter_map(|name| program.symbols.get(name));
    names.collect::<std::collections::BTreeSet<_>>().into_iter().any(|name| {
        let called =
            program.index.calls(name).iter().filter_map(|call| wiring.flow.receiver(*call).map(|(object, _)| (call.member, object)));
        let given = program.index.writes(name).iter().filter_map(|write| {
            let body = program.body(write.member)?;
            let Node::Assign { target, .. } = body.node(write.node) else { return None };
            let Node::Member { object, .. } = body.node(target) else { return None };
            Some((write.member, wiring.flow.eval_in(write.member, object)))
        });
        called.chain(given).any(|(_, object)| object == *timer)
    })
}

/// The innermost loop around a call, in the same function.
fn loop_around(wiring: &Wiring<'_>, site: Site) -> Option<NodeId> {
    let program = wiring.program();
    let body = program.body(site.member)?;
    let within = |n: &NodeId| !matches!(body.node(*n), Node::Lambda(_));
    let around = program.scope(site.member).ancestors(site.node).take_while(within);
    around.into_iter().find(|n| matches!(body.node(*n), Node::Loop { .. } | Node::ForEach { .. }))
}

/// A loop that waits in each of its turns.
fn turn_of(wiring: &Wiring<'_>, by: Site, turn: NodeId) -> Round {
    Round { by_frame: !is_endless(wiring, by.member, turn), ..Round::new(Site { member: by.member, node: turn }, by) }
}

/// Whether a loop goes over nothing but its own count, if over anything.
fn waits_round_by_round(wiring: &Wiring<'_>, member: MemberId, turn: NodeId) -> bool {
    wiring.program().body(member).is_some_and(|body| matches!(body.node(turn), Node::Loop { .. }))
}

/// Whether a loop does not go over something that ends: it asks a constant, or what others may change.
fn is_endless(wiring: &Wiring<'_>, member: MemberId, turn: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    match body.node(turn) {
        Node::Loop { kind: yarrowgraph_ir::LoopKind::For, head, .. } => {
            body.list(head).iter().all(|part| matches!(body.node(*part), Node::Empty | Node::Bool(true)))
        }
        Node::Loop { .. } => true,
        _ => false,
    }
}
