//! The ways that a request can take through a link's method: what has been done with it where a way ends.

use std::collections::BTreeSet;

use yarrowgraph_ir::{BinaryOp, Body, Name, Node, NodeId, UnaryOp};
use yarrowgraph_model::Place;

use super::behaviour::{self, Code};
use super::{Ends, Link, Of};
use crate::program::{MemberId, Program, Site};
use crate::state;
use crate::wire::Wiring;

/// What has been done with a request on the ways that come to a point: any of the three.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Done {
    /// On some way nothing.
    nothing: bool,
    /// On some way something else than passing it on.
    something: bool,
    /// On some way it has been passed on, by the statement that is given.
    passed: Option<NodeId>,
}

impl Done {
    fn or(self, other: Self) -> Self {
        Self { nothing: self.nothing || other.nothing, something: self.something || other.something, passed: self.passed.or(other.passed) }
    }

    fn is_dead(self) -> bool {
        self == Self::default()
    }

    /// Something is done on all ways.
    fn acted(self) -> Self {
        Self { nothing: false, something: self.nothing || self.something, passed: self.passed }
    }
}

/// What the ways through a body show.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Ways {
    /// Some way runs to the end of the body, and nothing has been done on it.
    pub ends_with_nothing: bool,
    /// On some way the request is passed on, and nothing else has been done before.
    pub passes_untouched: bool,
    /// Pairs of passes that are both on one way, the earlier one first.
    pub doubled: Vec<(NodeId, NodeId)>,
    /// Something is answered by a `return` with a value.
    pub answers: bool,
    /// So many statements do something else than passing a request on.
    pub acts: usize,
    /// So many of those do more than a sieve does, which keeps in mind what it has let through and counts what it has not.
    pub handles: usize,
    /// Some way ends in an exception.
    pub throws: bool,
}

/// What a statement does, without what is made of its answer.
fn core_of(body: &Body, mut at: NodeId) -> NodeId {
    while let Node::Unary { operand, .. } = body.node(at) {
        at = operand;
    }
    at
}

/// Walks the ways through a body.
struct Walker<'a> {
    body: &'a Body,
    passes: &'a [NodeId],
    /// Whether a condition asks for no more than whether there is a next link.
    asks_next: &'a dyn Fn(NodeId) -> bool,
    /// For what is handed something to answer by.
    answer: Option<Answer<'a>>,
    /// What the link is handed.
    handed: &'a [Name],
    /// Whether the statements that are walked stand beside one that passes the request on.
    is_beside: bool,
    /// Whether an answer only says how it went: who wraps another object may well ask it twice for one that is made for it.
    says_whether: bool,
    /// Some way ends in a `return` without a value, and nothing has been done on it.
    leaves_empty: bool,
    ways: Ways,
}

/// How a link that is handed something to answer by (a response) shows that it has answered.
#[derive(Clone, Copy)]
struct Answer<'a> {
    /// Whether code names what it is to answer by.
    names: &'a dyn Fn(NodeId) -> bool,
    /// Whether a call only writes down what it is given.
    only_writes: &'a dyn Fn(NodeId) -> bool,
}

/// What the ways through a body show, where the calls that pass a request on are known.
fn of(
    body: &Body,
    root: NodeId,
    passes: &[NodeId],
    asks_next: &dyn Fn(NodeId) -> bool,
    answer: Option<Answer<'_>>,
    handed: &[Name],
    says_whether: bool,
) -> Ways {
    let mut walker =
        Walker { body, passes, asks_next, answer, handed, is_beside: false, says_whether, leaves_empty: false, ways: Ways::default() };
    let end = walker.statement(root, Done { nothing: true, ..Done::default() });
    // beside ways that give an answer, one that leaves without gives none
    walker.ways.ends_with_nothing |= end.nothing || walker.leaves_empty && walker.ways.answers;
    walker.ways
}

impl Walker<'_> {
    fn statement(&mut self, at: NodeId, done: Done) -> Done {
        let body = self.body;
        if done.is_dead() {
            return done;
        }
        match body.node(at) {
            Node::Block(list) => {
                let mut now = done;
                let around = self.is_beside;
                self.is_beside |= body.list(list).iter().any(|s| self.passes.contains(&core_of(body, *s)));
                for statement in body.list(list) {
                    now = self.statement(*statement, now);
                }
                self.is_beside = around;
                now
            }
            Node::If { cond, then, other } => {
                let before = self.asked(cond, done);
                // an answer may have been given before
                let before = if self.answer.is_some_and(|a| (a.names)(cond)) { before.acted() } else { before };
                // of a request that is not there nothing is lost
                let without = self.asks_for_request(cond);
                let yes = self.statement(then, if without == Some(true) { before.acted() } else { before });
                let no = match other {
                    Some(other) => self.statement(other, if without == Some(false) { before.acted() } else { before }),
                    // without a next link there is nothing more to be done
                    None if (self.asks_next)(cond) || without == Some(false) => before.acted(),
                    None => before,
                };
                yes.or(no)
            }
            Node::Switch { subject, cases } => {
                let before = subject.map_or(done, |s| self.asked(s, done));
                let mut after = Done::default();
                let mut falls = Done::default();
                let mut has_default = false;
                for case in body.list(cases) {
                    let Node::Case { labels, body: inner, falls_through, .. } = body.node(*case) else { continue };
                    has_default |= labels.len == 0;
                    // where all that is done in a state of the link's own is to leave, that is meant so
                    let is_meant = subject.is_some_and(|s| self.is_own_state(s)) && leaves_at_once(body, inner);
                    let end = self.statement(inner, if is_meant { before.acted() } else { before.or(falls) });
                    falls = if falls_through { end } else { Done::default() };
                    after = after.or(if falls_through { Done::default() } else { end });
                    // a way out of the switch, which the walk takes for one out of the method
                    if state::any_within(body, inner, &|n| matches!(body.node(n), Node::Break)) {
                        after = after.or(before.acted());
                    }
                }
                after = after.or(falls);
                if has_default { after } else { after.or(before) }
            }
            Node::Loop { body: inner, .. } | Node::ForEach { body: inner, .. } => {
                // how often it runs is not known, and a second round is no second pass on one way
                let end = self.statement(inner, done.acted());
                done.acted().or(end)
            }
            Node::Try { body: inner, catches, finally } => {
                let end = self.statement(inner, done);
                let mut after = end;
                for catch in body.list(catches) {
                    if let Node::Catch { body: handler, .. } = body.node(*catch) {
                        let failed = Done { something: true, ..Done::default() };
                        after = after.or(self.statement(handler, failed));
                    }
                }
                match finally {
                    Some(finally) => self.statement(finally, after),
                    None => after,
                }
            }
            Node::Using { body: Some(inner), .. } | Node::Lock { body: inner, .. } => self.statement(inner, done),
            Node::Return(value) => {
                match value {
                    Some(value) => {
                        self.ways.answers = true;
                        self.effect(value, done);
                    }
                    None if self.answer.is_some() => self.ways.ends_with_nothing |= done.nothing,
                    None => self.leaves_empty |= done.nothing,
                }
                Done::default()
            }
            Node::Throw(_) => {
                self.ways.throws = true;
                Done::default()
            }
            Node::Break | Node::Continue => Done::default(),
            // `let first = next(request);`
            Node::Local { init: Some(init), .. } if self.says_whether && state::any_within(body, init, &|n| self.passes.contains(&n)) => {
                self.expression(init, done)
            }
            Node::Local { .. } | Node::Empty => {
                if self.answer.is_some_and(|a| !(a.names)(at)) {
                    done
                } else if state::any_within(body, at, &|n| does_something(body.node(n))) {
                    done.acted()
                } else {
                    done
                }
            }
            _ => self.effect(at, done),
        }
    }

    /// A condition: what it calls only asks; where it passes the request on, the branches know how that went.
    fn asked(&self, cond: NodeId, done: Done) -> Done {
        let passes = state::any_within(self.body, cond, &|n| self.passes.contains(&n));
        if passes { Done { passed: None, ..done.acted() } } else { done }
    }

    /// Whether an expression is a field of the link itself.
    fn is_own_state(&self, node: NodeId) -> bool {
        matches!(self.body.node(node), Node::Member { object, .. } if self.body.node(object) == Node::This)
    }

    /// Whether a condition asks for no more than whether there is a request, and what it comes to where there is none.
    fn asks_for_request(&self, cond: NodeId) -> Option<bool> {
        let body = self.body;
        let is_handed = |n: NodeId| matches!(body.node(n), Node::Name(name) if self.handed.contains(&name));
        match body.node(cond) {
            Node::Binary { op: op @ (BinaryOp::Eq | BinaryOp::Ne), left, right } => {
                let asks = is_handed(left) && body.node(right) == Node::Null || is_handed(right) && body.node(left) == Node::Null;
                asks.then_some(op == BinaryOp::Eq)
            }
            _ => None,
        }
    }

    /// A statement that does something.
    fn effect(&mut self, at: NodeId, done: Done) -> Done {
        let body = self.body;
        let call = core_of(body, at);
        if self.passes.contains(&call) {
            return self.pass(call, done);
        }
        if self.answer.is_some_and(|a| (a.only_writes)(call)) {
            return done;
        }
        self.ways.acts += 1;
        let passes_within = state::any_within(body, call, &|n| self.passes.contains(&n));
        self.ways.handles += usize::from(!passes_within && !self.keeps_books(at));
        if passes_within { self.expression(call, done).acted() } else { done.acted() }
    }

    /// The request is passed on.
    fn pass(&mut self, by: NodeId, done: Done) -> Done {
        self.ways.passes_untouched |= done.nothing;
        if let Some(earlier) = done.passed {
            self.ways.doubled.push((earlier, by));
        }
        Done { passed: Some(by), ..Done::default() }
    }

    /// Whether a statement keeps in mind what is let through, or counts what is not.
    fn keeps_books(&self, at: NodeId) -> bool {
        let body = self.body;
        let is_own = |object: NodeId| match body.node(object) {
            Node::Name(name) => !self.handed.contains(&name),
            Node::Member { object, .. } => body.node(object) == Node::This,
            _ => false,
        };
        match body.node(at) {
            Node::Unary { op: UnaryOp::Step { .. }, operand } => is_own(operand),
            Node::Assign { target, .. } => self.is_beside && is_own(target),
            Node::Call { callee, .. } => self.is_beside && matches!(body.node(callee), Node::Member { object, .. } if is_own(object)),
            _ => false,
        }
    }

    /// The passes within an expression, in the order in which they are made; what may not be evaluated is a way of its own, and
    /// what is made later is none.
    fn expression(&mut self, at: NodeId, done: Done) -> Done {
        let body = self.body;
        match body.node(at) {
            Node::Lambda(_) => done,
            Node::Conditional { cond, then, other } => {
                let before = self.asked(cond, done);
                self.expression(then, before).or(self.expression(other, before))
            }
            // `next?.ask(boat) ?? "may pass"`: what stands in for an answer knows that there is none
            Node::Binary { op: BinaryOp::Coalesce, left, right } => {
                let asked = self.expression(left, done);
                let stands_in = if asked.passed.is_some() { Done { passed: None, ..asked.acted() } } else { asked };
                asked.or(self.expression(right, stands_in))
            }
            Node::Binary { op: BinaryOp::And | BinaryOp::Or, left, right } => {
                let before = self.asked(left, done);
                before.or(self.expression(right, before))
            }
            _ => {
                let after = body.children(at).into_iter().fold(done, |done, child| self.expression(child, done));
                if self.passes.contains(&at) { self.pass(at, after) } else { after }
            }
        }
    }
}

/// Whether a statement does nothing but to leave the function.
fn leaves_at_once(body: &Body, at: NodeId) -> bool {
    match body.node(at) {
        Node::Return(None) => true,
        Node::Block(list) => matches!(body.list(list), [only] if leaves_at_once(body, *only)),
        _ => false,
    }
}

/// Whether a part of an expression does something beside giving a value.
fn does_something(node: Node) -> bool {
    matches!(node, Node::Call { .. } | Node::New { .. } | Node::Assign { .. } | Node::Unary { op: UnaryOp::Step { .. }, .. })
}

/// A method of a link, and the ways through it.
#[derive(Clone, Debug)]
pub struct Passing {
    /// The method, or the one that the function is written in.
    pub member: MemberId,
    /// Where a function is written that is no method.
    pub written: Option<Site>,
    /// The kind of its links.
    pub of: Of,
    /// Where it hands a request on.
    pub passes: Vec<NodeId>,
    /// The ways through it.
    pub ways: Ways,
    /// Whether it is handed something to answer by, so that passing on some requests only is not all that it can be meant for.
    pub has_answer: bool,
}

/// The methods of all links that know their next one and hand something on to it, or have one behind them and never ask it. One class
/// alone that does so, and that nothing links, wraps another object.
pub(crate) fn of_links(wiring: &Wiring<'_>) -> Vec<Passing> {
    let (flow, links) = (&wiring.flow, &wiring.links);
    let program = flow.program;
    let mut all = Vec::new();
    for (kind, next) in links.next.iter().enumerate() {
        let mut found = Vec::new();
        let mut classes = program.heirs(next.base).to_vec();
        classes.push(next.base);
        classes.sort_unstable();
        classes.dedup();
        for class in classes {
            let Some(member) = program.find_member_as(class, next.method, true).filter(|m| program.member(*m).owner == class) else {
                continue;
            };
            let Some(body) = program.body(member) else { continue };
            let Some(root) = body.root else { continue };
            let passes = behaviour::passes_in(flow, links, kind, Some(class), member);
            if passes.is_empty() && !keeps_all_from_next(wiring, Of::Next(kind), |l| l.class == Some(class)) {
                continue;
            }
            let asks = |cond: NodeId| behaviour::asks_next(flow, links, kind, body, member, cond);
            let handed: Vec<Name> = program.decl(member).params.iter().map(|p| p.name).collect();
            let ways = of(body, root, &passes, &asks, None, &handed, program.is_data(member, &program.declared_type(member)));
            found.push(Passing { member, written: None, of: Of::Next(kind), passes, ways, has_answer: false });
        }
        if found.len() > 1 || wiring.chains().built.iter().any(|b| b.of == Of::Next(kind)) {
            all.append(&mut found);
        }
    }
    handed_the_way_on(wiring, &mut all);
    all
}

/// Whether a link has another one behind it in some chain of the tree's own, and certainly never asks that.
fn keeps_all_from_next(wiring: &Wiring<'_>, of: Of, is_it: impl Fn(&Link) -> bool) -> bool {
    let chains = wiring.chains().built.iter().filter(|b| b.of == of && !matches!(of, Of::Pipeline(_)));
    let before_others = chains.flat_map(|b| b.links.iter().take(b.links.len() - usize::from(b.ring.is_none())));
    before_others.filter(|l| is_it(l)).any(|l| behaviour::ends_all(&wiring.flow, &wiring.links, of, l))
}

/// Adds the links that are handed the way on.
fn handed_the_way_on(wiring: &Wiring<'_>, all: &mut Vec<Passing>) {
    let (flow, links) = (&wiring.flow, &wiring.links);
    let mut seen: BTreeSet<(MemberId, NodeId)> = BTreeSet::new();
    for built in &wiring.chains().built {
        if !links.hands_way_on(built.of) {
            continue;
        }
        // `(request, response, next)`: who does not pass on has to answer, as one of them at least does
        let codes: Vec<(&Link, Code<'_>)> = built.links.iter().filter_map(|l| Some((l, Code::of(flow, links, built.of, l)?))).collect();
        let answers = codes.iter().any(|(_, c)| is_answered_by(flow.program, *c));
        for (link, code) in codes {
            let Code { member, function, body, root } = code;
            let Some(behaviour::WayOn { uses, goes: passes }) = behaviour::way_of(flow, links, built.of, code) else { continue };
            // what hands the way to somebody else goes it at another time
            if !seen.insert((member, root)) || uses.len() != passes.len() {
                continue;
            }
            if passes.is_empty() && !keeps_all_from_next(wiring, built.of, |l| l == link) {
                continue;
            }
            let keeps_next = matches!(built.of, Of::Walk(walk) if links.walks[walk].ends == Ends::Kept);
            let response = match code.params(flow.program) {
                [_, response, _] if answers => Some(response.name),
                [_, response] if answers && keeps_next => Some(response.name),
                _ => None,
            };
            let names = |at: NodeId| state::any_within(body, at, &|n| response.is_some_and(|r| body.node(n) == Node::Name(r)));
            let only_writes = |node: NodeId| wiring.only_writes(Site { member, node });
            let answer = response.map(|_| Answer { names: &names, only_writes: &only_writes });
            let handed: Vec<Name> = code.params(flow.program).iter().map(|p| p.name).collect();
            let ways = of(body, root, &passes, &|_| false, answer, &handed, true);
            let written = function.map(|_| Site { member, node: root });
            all.push(Passing { member, written, of: built.of, passes, ways, has_answer: answer.is_some() });
        }
    }
}

/// Whether a link calls something on the second thing that it is handed, or takes it for what it is.
fn is_answered_by(program: &Program, code: Code<'_>) -> bool {
    let [_, response, ..] = code.params(program) else { return false };
    let scope = program.scope(code.member);
    let is_cast = |at: NodeId| scope.parent(at).is_some_and(|p| matches!(code.body.node(p), Node::Cast { .. }));
    // `reply.status = 403`
    let is_filled = |at: NodeId| {
        let part = scope.parent(at).filter(|p| matches!(code.body.node(*p), Node::Member { object, .. } if object == at));
        part.and_then(|p| scope.parent(p)).is_some_and(|a| matches!(code.body.node(a), Node::Assign { target, .. } if Some(target) == part))
    };
    let is_answer = |at: NodeId| is_cast(at) || is_filled(at) || behaviour::method_call_of(code.body, scope, at).is_some();
    code.uses(program, response.name).into_iter().any(is_answer)
}

impl Passing {
    /// Whether it is some code.
    pub fn is_of(&self, code: Code<'_>) -> bool {
        self.member == code.member && self.written.is_none_or(|s| s.node == code.root)
    }

    /// Whether every request is passed on.
    pub fn passes_always(&self, wiring: &Wiring<'_>) -> bool {
        let program = wiring.program();
        let Some(body) = program.body(self.member) else { return false };
        let Some(root) = self.written.map(|s| s.node).or(body.root) else { return false };
        self.passes.iter().any(|p| state::runs_always(body, program.scope(self.member), *p, root))
    }

    /// Where it is declared or written.
    pub fn place(&self, wiring: &Wiring<'_>) -> Place {
        self.written.map_or_else(|| wiring.program().member_place(self.member), |site| wiring.program().place_of(site))
    }
}
