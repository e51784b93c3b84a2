//! The ways that a request can take through a link's method: what has been done with it where a way ends.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Body, Node, NodeId};
use yarrowgraph_model::Place;

use super::behaviour::{self, Code};
use super::{Ends, Of};
use crate::program::{MemberId, Site};
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
    /// Pairs of passes that are both on one way, the earlier one first.
    pub doubled: Vec<(NodeId, NodeId)>,
    /// Something is answered by a `return` with a value.
    pub answers: bool,
    /// So many statements do something else than passing a request on.
    pub acts: usize,
}

/// Walks the ways through a body.
struct Walker<'a> {
    body: &'a Body,
    passes: &'a [NodeId],
    /// Whether a condition asks for no more than whether there is a next link.
    asks_next: &'a dyn Fn(NodeId) -> bool,
    ways: Ways,
}

/// What the ways through a body show, where the calls that pass a request on are known.
pub fn of(body: &Body, root: NodeId, passes: &[NodeId], asks_next: &dyn Fn(NodeId) -> bool) -> Ways {
    let mut walker = Walker { body, passes, asks_next, ways: Ways::default() };
    let end = walker.statement(root, Done { nothing: true, ..Done::default() });
    walker.ways.ends_with_nothing = end.nothing;
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
                for statement in body.list(list) {
                    now = self.statement(*statement, now);
                }
                now
            }
            Node::If { cond, then, other } => {
                let before = self.asked(cond, done);
                let yes = self.statement(then, before);
                let no = match other {
                    Some(other) => self.statement(other, before),
                    // without a next link there is nothing more to be done
                    None if (self.asks_next)(cond) => before.acted(),
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
                    let end = self.statement(inner, before.or(falls));
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
                if let Some(value) = value {
                    self.ways.answers = true;
                    self.effect(value, done);
                }
                Done::default()
            }
            Node::Throw(_) | Node::Break | Node::Continue => Done::default(),
            Node::Local { .. } | Node::Empty => {
                if state::any_within(body, at, &|n| matches!(body.node(n), Node::Call { .. } | Node::New { .. })) {
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

    /// A statement that does something.
    fn effect(&mut self, at: NodeId, done: Done) -> Done {
        let body = self.body;
        let mut call = at;
        while let Node::Unary { operand, .. } = body.node(call) {
            call = operand;
        }
        if self.passes.contains(&call) {
            if let Some(earlier) = done.passed {
                self.ways.doubled.push((earlier, call));
            }
            return Done { passed: Some(call), ..Done::default() };
        }
        self.ways.acts += 1;
        done.acted()
    }
}

/// A method of a link, and the ways through it.
#[derive(Clone, Debug)]
pub struct Passing {
    /// The method, or the one that the function is written in.
    pub member: MemberId,
    /// Where a function is written that is no method.
    pub written: Option<Site>,
    /// Where it hands a request on.
    pub passes: Vec<NodeId>,
    /// The ways through it.
    pub ways: Ways,
}

/// The methods of all links that know their next one and hand something on to it. One class alone that does so, and
/// that nothing links, wraps another object.
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
            if passes.is_empty() {
                continue;
            }
            let asks = |cond: NodeId| behaviour::asks_next(flow, links, kind, body, member, cond);
            let ways = of(body, root, &passes, &asks);
            found.push(Passing { member, written: None, passes, ways });
        }
        if found.len() > 1 || wiring.chains().built.iter().any(|b| b.of == Of::Next(kind)) {
            all.append(&mut found);
        }
    }
    handed_the_way_on(wiring, &mut all);
    all
}

/// Adds the links that are handed the way on.
fn handed_the_way_on(wiring: &Wiring<'_>, all: &mut Vec<Passing>) {
    let (flow, links) = (&wiring.flow, &wiring.links);
    let mut seen: BTreeSet<(MemberId, NodeId)> = BTreeSet::new();
    for built in &wiring.chains().built {
        let is_handed = match built.of {
            Of::Next(_) => false,
            Of::Walk(walk) => matches!(links.walks[walk].ends, Ends::WayOn(_) | Ends::Kept),
            Of::Pipeline(_) => true,
        };
        if !is_handed {
            continue;
        }
        for link in &built.links {
            let Some(code) = Code::of(flow, links, built.of, link) else { continue };
            let Code { member, function, body, root } = code;
            let Some(behaviour::WayOn { uses, goes: passes }) = behaviour::way_of(flow, links, built.of, code) else { continue };
            // what hands the way to somebody else goes it at another time
            if !seen.insert((member, root)) || passes.is_empty() || uses.len() != passes.len() {
                continue;
            }
            let ways = of(body, root, &passes, &|_| false);
            let written = function.map(|_| Site { member, node: root });
            all.push(Passing { member, written, passes, ways });
        }
    }
}

impl Passing {
    /// Where it is declared or written.
    pub fn place(&self, wiring: &Wiring<'_>) -> Place {
        self.written.map_or_else(|| wiring.program().member_place(self.member), |site| wiring.program().place_of(site))
    }
}
