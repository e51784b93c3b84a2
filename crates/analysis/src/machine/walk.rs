//! Walks the ways through a machine's methods, with what is known of its state on each.
//!
//! A way knows which states the machine can be in, which message it was given, and on what other conditions it
//! depends. What it cannot tell apart it goes both ways; ways that differ in nothing but their conditions are one.

use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{Body, FunctionId, Node, NodeId, UnaryOp};

use super::Machine;
use super::domain::Domain;
use super::grain::Grain;
use super::reach::Reach;
use super::repeated::{Apart, Repeated};
use super::state::State;
use super::way::{Condition, Exit, Slot, Value, Way, Ways, out_of_loop, put, widened};
use crate::flow::Flow;
use crate::program::{MemberId, Program, Site, Sym};

/// Statements and expressions are walked so deep.
pub(super) const NESTED: u32 = 100;
/// Whether something else may be done at all is asked of what is called so deep.
pub(super) const NEAR: usize = 2;
/// So many calls behind each other are followed that cannot move the machine, for what they answer.
pub(super) const STILL: usize = 2;
/// What only asks about a message has no more nodes than this.
pub(super) const QUESTION: usize = 80;
/// Bodies of other code with more nodes than this are not walked for what they return.
pub(super) const BODY: usize = 150;

/// A move as the code makes it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Move {
    /// The states it can start from.
    pub from: u64,
    /// What sets it off: a message, or the method.
    pub event: Event,
    /// Other conditions.
    pub conditions: Vec<Condition>,
    /// The state it leads to.
    pub to: usize,
    /// Whether it leads to a new object.
    pub fresh: bool,
    /// Whether the code asked for the state that it starts from.
    pub told: bool,
    /// Whether its conditions can never hold together.
    pub never: bool,
    /// The statement.
    pub site: Site,
    /// Where the way set out.
    pub root: MemberId,
}

/// What sets a move off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Event {
    /// A method of the context or of the states.
    Method(MemberId),
    /// A function of an object that is a state, by its name there.
    Named(Sym),
    /// A message.
    Message(State),
}

/// What is learnt of a machine on the way.
#[derive(Debug, Default)]
pub(super) struct Found {
    pub moves: Vec<Move>,
    /// What is stored and is none of the states.
    pub strays: Vec<(Site, State)>,
    /// Labels of a choice by the state.
    pub labels: Vec<(Site, State)>,
    /// Calls of methods of the states.
    pub delegations: Vec<(Site, Sym)>,
    /// Whether a value of which nothing is known was stored.
    pub stores_unknown: bool,
    /// Whether some test asks of which class the state is.
    pub tested: bool,
    /// Statements that store into the holder, as far as some way comes to them.
    pub stores: BTreeSet<Site>,
    /// Calls that some way came to.
    pub called: FxHashSet<Site>,
    /// Methods that some way runs.
    pub entered: BTreeSet<MemberId>,
    /// Functions that some way runs.
    pub functions: BTreeSet<(MemberId, FunctionId)>,
    /// Methods that store what they are given, whoever calls them.
    pub setters: BTreeSet<MemberId>,
    /// Rows of lists that are looked through for the first one that fits: those that some way picks.
    pub picked: BTreeSet<Site>,
    /// Rows that fit as well where one before them is picked, and that one.
    pub outrun: BTreeMap<Site, Site>,
    pub cut: bool,
}

/// A function that runs at some later time, what sets it off and what it knows.
type Later = (Option<Event>, MemberId, FunctionId, BTreeMap<Slot, Value>);

pub(super) struct Walker<'m, 'p> {
    pub flow: &'m Flow<'p>,
    pub machine: &'m Machine,
    pub domain: Domain,
    pub found: Found,
    /// Code that may change the state, and that may matter to it.
    pub reach: &'m Reach,
    grain: Grain,
    steps: u32,
    /// Whether something moves it from a state that was asked for, or, where ways are told apart finely, asks one of its states to do
    /// something.
    pub is_told: bool,
    /// Functions that run at some later time: they need to be walked once.
    pub later: BTreeSet<Later>,
    /// Calls that were walked.
    pub repeated: Repeated,
    /// The moves of what runs later.
    pub apart: Apart,
    /// How many frames there are while the function itself runs that was handed over last.
    pub later_depth: usize,
    /// The methods where ways set out.
    pub roots: Vec<MemberId>,
    pub depth: u32,
    pub frames: Vec<Frame>,
    pub event: Option<Event>,
    /// The method where the way set out.
    pub root: Option<MemberId>,
}

#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Frame {
    pub member: MemberId,
    pub function: Option<FunctionId>,
    pub this: Value,
    /// The call that led here.
    pub call: Option<Site>,
}

impl<'m, 'p> Walker<'m, 'p> {
    /// Notes a label of a choice by the state.
    pub(super) fn label(&mut self, site: Site, state: State) {
        if !self.found.labels.contains(&(site, state)) {
            self.found.labels.push((site, state));
        }
    }

    pub(super) fn new(flow: &'m Flow<'p>, machine: &'m Machine, domain: Domain, reach: &'m Reach) -> Self {
        let found = Found::default();
        Self {
            flow,
            machine,
            domain,
            found,
            reach,
            grain: Grain::Fine,
            steps: 0,
            is_told: false,
            later: BTreeSet::new(),
            repeated: Repeated::new(),
            apart: Apart::new(),
            later_depth: 0,
            roots: Vec::new(),
            depth: 0,
            frames: Vec::new(),
            event: None,
            root: None,
        }
    }

    /// Tells ways apart as coarsely as said.
    pub(super) fn told_apart(mut self, grain: Grain) -> Self {
        self.grain = grain;
        self
    }

    /// Whether calls are followed no deeper than here.
    pub(super) fn is_deep(&self) -> bool {
        self.frames.len() >= self.grain.depth()
    }

    /// Whether calls that cannot move the machine are followed.
    pub(super) fn is_fine(&self) -> bool {
        self.grain == Grain::Fine
    }

    pub(super) fn program(&self) -> &'p Program {
        self.flow.program
    }

    /// What a first value comes to.
    pub(super) fn first(&mut self, site: Site) -> Vec<Value> {
        self.frames.push(Frame { member: site.member, function: None, this: Value::Context, call: None });
        let found = self.values(site.node, Way::new(u64::MAX, BTreeMap::new()));
        self.frames.pop();
        found.into_iter().map(|(_, value)| value).collect()
    }

    /// Walks a method, whose parameters are what it is given. Returns where the ways end.
    pub(super) fn method(&mut self, member: MemberId, function: Option<FunctionId>, this: Value, event: Event, at: u64) -> Vec<u64> {
        let Some(body) = self.program().body(member) else { return Vec::new() };
        // a field that holds a function stands for it
        let held = || match body.node(body.root?) {
            Node::Lambda(f) if body.returns_root => Some(f),
            _ => None,
        };
        let function = function.or_else(held);
        let Some(root) = function.map_or(body.root, |f| body.function(f).body) else { return Vec::new() };
        let params = function.map_or(self.program().decl(member).params.len(), |f| body.function(f).params.len());
        let slots = (0..params).map(|i| ((member, function, i as u32 | PARAM), Value::Message(i as u16))).collect();
        self.event = Some(event);
        self.root = Some(member);
        self.found.entered.insert(member);
        self.frames.push(Frame { member, function, this, call: None });
        let ways = self.run(root, Way::new(at, slots));
        self.frames.pop();
        ways.into_iter().filter(|(_, exit)| *exit != Exit::Throw).map(|(way, _)| way.at).collect()
    }

    pub(super) fn here(&self) -> MemberId {
        self.frames.last().map_or(MemberId(0), |f| f.member)
    }

    pub(super) fn site(&self, node: NodeId) -> Site {
        Site { member: self.here(), node }
    }

    pub(super) fn spent(&mut self) -> bool {
        self.steps += 1;
        self.found.cut |= self.steps > self.grain.steps(self.is_told);
        self.found.cut
    }

    /// A way that went where it is not followed: what it did there is not known.
    pub(super) fn lost(&self, mut way: Way) -> Way {
        way.at = u64::MAX;
        way.told = false;
        way
    }

    /// Runs a statement or expression.
    pub(super) fn run(&mut self, node: NodeId, way: Way) -> Ways {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        if self.spent() || self.depth >= NESTED {
            return vec![(self.lost(way), Exit::Value(Value::Unknown))];
        }
        self.depth += 1;
        let done = self.run_one(body, node, way);
        self.depth -= 1;
        done
    }

    pub(super) fn run_one(&mut self, body: &'p Body, node: NodeId, way: Way) -> Ways {
        let next = |way| vec![(way, Exit::Value(Value::Unknown))];
        match body.node(node) {
            Node::Block(list) => {
                let ways = self.in_turn(body.list(list), way);
                let is_outer = body.root == Some(node);
                if is_outer { ways } else { self.left(node, ways) }
            }
            Node::Local { init, .. } => {
                let slot = (self.here(), None, node.index() as u32);
                let Some(init) = init else {
                    return next(way);
                };
                let found = self.values(init, way);
                let opens = self.machine.holder_is_local(self.here(), node);
                let mut ways = Vec::new();
                for (mut way, value) in found {
                    if opens {
                        way = self.store(way, value.clone(), node, init);
                    }
                    let truth = value.clone();
                    put(&mut way, slot, value);
                    ways.push((way, Exit::Value(truth)));
                }
                ways
            }
            Node::If { cond, then, other } => {
                let mut ways = Vec::new();
                for (way, holds) in self.ask(cond, way) {
                    match (holds, other) {
                        (true, _) => ways.extend(self.run(then, way)),
                        (false, Some(other)) => ways.extend(self.run(other, way)),
                        (false, None) => ways.push((way, Exit::Value(Value::Unknown))),
                    }
                }
                self.merge(ways)
            }
            Node::Conditional { cond, then, other } => {
                let mut ways = Vec::new();
                for (way, holds) in self.ask(cond, way) {
                    ways.extend(self.run(if holds { then } else { other }, way));
                }
                self.merge(ways)
            }
            Node::Switch { subject, cases } => self.switch(subject, body.list(cases), way, false),
            Node::ForEach { var, iterable, body: inner, .. } => self.each(var, iterable, inner, way),
            Node::Loop { head, body: inner, .. } => self.repeat(body.list(head), inner, way),
            Node::Try { body: inner, catches, finally } => {
                let mut ways = self.run(inner, way.clone());
                for catch in body.list(catches).to_vec() {
                    if let Node::Catch { body: inner, .. } = body.node(catch) {
                        ways.extend(self.run(inner, way.clone()));
                    }
                }
                match finally {
                    Some(finally) => ways
                        .into_iter()
                        .flat_map(|(way, exit)| {
                            let after = self.run(finally, way);
                            after
                                .into_iter()
                                .map(move |(w, e)| (w, if matches!(e, Exit::Value(_)) { exit.clone() } else { e }))
                                .collect::<Vec<_>>()
                        })
                        .collect(),
                    None => ways,
                }
            }
            Node::Using { resources, body: inner } => {
                let mut all = body.list(resources).to_vec();
                all.extend(inner);
                self.in_turn(&all, way)
            }
            Node::Lock { body: inner, .. } => self.run(inner, way),
            Node::Return(value) => match value {
                Some(value) => self.values(value, way).into_iter().map(|(w, v)| (w, Exit::Return(v))).collect(),
                None => vec![(way, Exit::Return(Value::Unknown))],
            },
            Node::Unary { op: UnaryOp::Give, operand } => self.values(operand, way).into_iter().map(|(w, v)| (w, Exit::Give(v))).collect(),
            Node::Throw(_) => vec![(way, Exit::Throw)],
            Node::Break => vec![(way, Exit::Break)],
            Node::Continue => vec![(way, Exit::Continue)],
            Node::Yield(value) => {
                let handed = value.map_or_else(|| vec![(way.clone(), Value::Unknown)], |v| self.values(v, way.clone()));
                handed
                    .into_iter()
                    .map(|(mut way, _)| {
                        // whatever has happened since, the machine goes on with the next message
                        if self.machine.is_local() {
                            way.at = u64::MAX;
                            way.conditions.clear();
                            way.message = None;
                            way.other_than.clear();
                        }
                        (way, Exit::Value(Value::Message(YIELDED)))
                    })
                    .collect()
            }
            Node::Defer(inner) => self.run(inner, way),
            Node::Variants(list) => {
                let all = body.list(list).to_vec();
                let ways = all.into_iter().flat_map(|n| self.run(n, way.clone())).collect();
                self.merge(ways)
            }
            _ => self.values(node, way).into_iter().map(|(w, v)| (w, Exit::Value(v))).collect(),
        }
    }

    /// Runs statements one after the other.
    pub(super) fn in_turn(&mut self, statements: &[NodeId], way: Way) -> Ways {
        let mut done: Ways = Vec::new();
        let mut open: Ways = vec![(way, Exit::Value(Value::Unknown))];
        for statement in statements {
            let mut next = Vec::new();
            for (way, _) in open {
                for (way, exit) in self.run(*statement, way) {
                    match exit {
                        Exit::Value(_) => next.push((way, exit)),
                        _ => done.push((way, exit)),
                    }
                }
            }
            // what a statement comes to is of no use to the next
            let outermost = self.frames.len() == 1;
            let forget = |mut way: Way| {
                if outermost {
                    way.asked = None;
                    way.row = None;
                }
                (way, Exit::Value(Value::Unknown))
            };
            let next = next.into_iter().map(|(w, _)| forget(w)).collect();
            open = self.merge(next);
            if open.is_empty() {
                break;
            }
        }
        done.extend(open);
        self.merge(done)
    }

    /// Ways that come out of a block forget what its variables held, those that leave the method what all of them did.
    fn left(&mut self, block: NodeId, mut ways: Ways) -> Ways {
        let here = self.here();
        let scope = self.program().scope(here);
        let is_single = self.frames.iter().filter(|f| f.member == here).count() == 1;
        let mut forgot = false;
        for (way, exit) in &mut ways {
            let leaves = is_single && matches!(exit, Exit::Return(_) | Exit::Throw);
            let known = way.slots.len();
            way.slots.retain(|(member, _, slot), _| {
                let of_block = || slot & PARAM == 0 && scope.is_within(NodeId::new(*slot as usize), block);
                *member != here || !leaves && !of_block()
            });
            forgot |= way.slots.len() < known;
        }
        if forgot { self.merge(ways) } else { ways }
    }

    /// Ways that differ in nothing but their conditions are one, on the conditions that they have in common.
    pub(super) fn merge(&mut self, ways: Ways) -> Ways {
        let mut merged: Ways = Vec::new();
        for (way, exit) in ways {
            let same = merged.iter_mut().find(|(w, e)| {
                *e == exit
                    && w.at == way.at
                    && w.row == way.row
                    && w.told == way.told
                    && w.message == way.message
                    && w.other_than == way.other_than
                    && w.slots == way.slots
            });
            match same {
                Some((known, _)) => {
                    let common = known.conditions.iter().zip(&way.conditions).take_while(|(a, b)| a == b).count();
                    known.conditions.truncate(common);
                }
                None => merged.push((way, exit)),
            }
        }
        // what is called is gone through for each way that calls it
        let limit = self.grain.ways(self.frames.len() > 1, self.domain.states.len());
        if merged.len() > limit { widened(merged) } else { merged }
    }

    /// A walk over a collection: each row of a table that is written out, else once or not at all.
    pub(super) fn each(&mut self, var: NodeId, iterable: NodeId, inner: NodeId, way: Way) -> Ways {
        let rows = self.rows(iterable);
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let slot = (self.here(), None, var.index() as u32);
        let mut ways = vec![(way.clone(), Exit::Value(Value::Unknown))];
        let turns: Vec<Value> = rows.map_or_else(|| vec![Value::Unknown], |rows| rows.into_iter().map(Value::Row).collect());
        for turn in turns {
            let mut way = way.clone();
            if let Value::Row(row) = turn {
                way.row = Some(row.place());
            }
            if let Node::Pattern { parts, .. } = body.node(var) {
                for (at, part) in body.list(parts).iter().enumerate() {
                    let value = self.part(&turn, at);
                    put(&mut way, (self.here(), None, part.index() as u32), value);
                }
            } else {
                put(&mut way, slot, turn);
            }
            ways.extend(self.run(inner, way).into_iter().map(|(w, e)| (w, out_of_loop(e))));
        }
        self.merge(ways)
    }

    pub(super) fn repeat(&mut self, head: &[NodeId], inner: NodeId, way: Way) -> Ways {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let mut entered = vec![(way, Exit::Value(Value::Unknown))];
        if let [first, ..] = head
            && head.len() > 1
        {
            entered = entered.into_iter().flat_map(|(w, _)| self.run(*first, w)).collect();
        }
        let mut ways = Vec::new();
        for (mut way, _) in entered {
            // an earlier turn may have moved it
            if self.moves_within(inner) {
                way.at = u64::MAX;
            }
            let cond = if head.len() > 1 { head.get(1) } else { head.first() };
            let asked = match cond {
                Some(cond) if !matches!(body.node(*cond), Node::Empty) => self.ask(*cond, way),
                _ => vec![(way, true)],
            };
            for (way, holds) in asked {
                if holds {
                    ways.extend(self.run(inner, way).into_iter().map(|(w, e)| (w, out_of_loop(e))));
                } else {
                    ways.push((way, Exit::Value(Value::Unknown)));
                }
            }
        }
        self.merge(ways)
    }

    /// Whether something within a node stores into the holder.
    pub(super) fn moves_within(&self, node: NodeId) -> bool {
        let Some(body) = self.program().body(self.here()) else { return false };
        crate::state::any_within(body, node, &|n| match body.node(n) {
            Node::Assign { target, .. } => self.is_holder(target),
            _ => false,
        })
    }

    /// Runs what one case leads to, or an expression: of what has to come to a value, a choice fails where no case fits.
    pub(super) fn case(&mut self, inner: NodeId, way: Way, is_value: bool) -> Ways {
        let body = self.program().body(self.here());
        match body.map(|b| (b, b.node(inner))) {
            Some((body, Node::Switch { subject, cases })) if is_value => self.switch(subject, body.list(cases), way, true),
            _ => {
                let given = |exit| if let (true, Exit::Give(v)) = (is_value, &exit) { Exit::Value(v.clone()) } else { exit };
                self.run(inner, way).into_iter().map(|(w, exit)| (w, given(exit))).collect()
            }
        }
    }

    /// Runs the cases of a choice, which has to come to a value, or need not.
    pub(super) fn switch(&mut self, subject: Option<NodeId>, cases: &[NodeId], way: Way, is_value: bool) -> Ways {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let entered = match subject {
            Some(subject) => self.values(subject, way),
            None => vec![(way, Value::Truth(true))],
        };
        let mut ways = Vec::new();
        for (way, value) in entered {
            let mut open = vec![way];
            let mut default = None;
            let mut falling: Vec<Way> = Vec::new();
            for case in cases {
                let Node::Case { labels, guard, body: inner, falls_through } = body.node(*case) else { continue };
                let labels = body.list(labels);
                if labels.is_empty() && guard.is_none() {
                    default = Some((inner, std::mem::take(&mut falling)));
                    continue;
                }
                let mut taken = std::mem::take(&mut falling);
                for label in labels {
                    let mut left = Vec::new();
                    for way in open {
                        for (way, fits) in self.fits(&value, *label, way) {
                            match (fits, guard) {
                                (true, None) => taken.push(way),
                                (true, Some(guard)) => {
                                    for (way, holds) in self.ask(guard, way) {
                                        if holds { taken.push(way) } else { left.push(way) }
                                    }
                                }
                                (false, _) => left.push(way),
                            }
                        }
                    }
                    open = self.merge_open(left);
                }
                let taken = self.merge_open(taken);
                for way in taken {
                    for (way, exit) in self.case(inner, way, is_value) {
                        match exit {
                            Exit::Break => ways.push((way, Exit::Value(Value::Unknown))),
                            Exit::Value(_) if falls_through => falling.push(way),
                            other => ways.push((way, other)),
                        }
                    }
                }
            }
            open.extend(falling);
            match default {
                Some((inner, fallen)) => {
                    open.extend(fallen);
                    for way in open {
                        let done = self.case(inner, way, is_value);
                        ways.extend(done.into_iter().map(|(w, e)| (w, if e == Exit::Break { Exit::Value(Value::Unknown) } else { e })));
                    }
                }
                None if is_value => {}
                None => {
                    // where all states have their case, nobody comes by
                    let all = self.domain.all();
                    let is_left = |w: &Way| value != Value::Held || !self.domain.closed || w.at & all != 0;
                    ways.extend(open.into_iter().filter(is_left).map(|w| (w, Exit::Value(Value::Unknown))));
                }
            }
        }
        self.merge(ways)
    }

    pub(super) fn merge_open(&mut self, ways: Vec<Way>) -> Vec<Way> {
        let ways = ways.into_iter().map(|w| (w, Exit::Value(Value::Unknown))).collect();
        self.merge(ways).into_iter().map(|(w, _)| w).collect()
    }
}

/// Parameters are told apart from locals by this bit of their slot.
pub(super) const PARAM: u32 = 1 << 31;

/// What a generator is handed by `next`.
pub(super) const YIELDED: u16 = u16::MAX;

/// The position that the name of a tuple's part says: `Item1`, `first`.
pub(super) fn position_named(name: &str) -> Option<usize> {
    match name {
        "Item1" | "first" => Some(0),
        "Item2" | "second" => Some(1),
        "Item3" => Some(2),
        _ => None,
    }
}
