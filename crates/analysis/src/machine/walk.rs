//! Walks the ways through a machine's methods, with what is known of its state on each.
//!
//! A way knows which states the machine can be in, which message it was given, and on what other conditions it
//! depends. What it cannot tell apart it goes both ways; ways that differ in nothing but their conditions are one.

use std::collections::BTreeMap;

use yarrowgraph_ir::{AssignOp, BinaryOp, Body, FunctionId, Node, NodeId, TypeRefId, UnaryOp};

use super::Machine;
use super::domain::Domain;
use super::state::{self, State};
use crate::flow::{Flow, Val};
use crate::program::{Declared, MemberId, Program, Site, Sym, TypeId};

/// So many nodes are walked for one machine.
const STEPS: u32 = 60_000;
/// Statements and expressions are walked so deep.
const NESTED: u32 = 100;
/// So many ways are told apart at a time.
const WAYS: usize = 160;
/// Calls are followed so deep.
const DEPTH: usize = 7;
/// Bodies of other code with more nodes than this are not walked for what they return.
const BODY: usize = 300;

/// What an expression comes to.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Value {
    Unknown,
    Null,
    Truth(bool),
    /// What the machine's holder holds.
    Held,
    /// One of some states, whether the object is a new one, and where it is named.
    State(u64, bool, Option<Site>),
    /// What could be a state, but is none as yet.
    Named(State, bool, Option<Site>),
    /// What a method was given, by its parameter.
    Message(u16),
    /// The object that has the machine.
    Context,
    Several(Vec<Value>),
    /// A row, or a part of one, of a table that is written out.
    Row(Site),
    Function(MemberId, FunctionId),
}

/// What can be put into a local or parameter.
type Slot = (MemberId, Option<FunctionId>, u32);

/// A condition on which a way depends, and whether it holds there.
pub(super) type Condition = (Site, bool);

/// A way through the code.
#[derive(Clone, Debug)]
pub(super) struct Way {
    /// The states that the machine can be in.
    pub at: u64,
    /// The message that it was given, where the way asked: the parameter, and what it can be.
    pub message: Option<(u16, Vec<State>)>,
    /// Messages that it is not.
    pub other_than: Vec<(u16, State)>,
    pub conditions: Vec<Condition>,
    /// The method by which the states were last asked.
    asked: Option<Event>,
    /// Whether the code asked which state it is in.
    pub told: bool,
    /// The row of a table that the way is about.
    pub row: Option<Site>,
    slots: BTreeMap<Slot, Value>,
}

/// How code is left.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Exit {
    Value(Value),
    Return(Value),
    Break,
    Continue,
    Throw,
}

type Ways = Vec<(Way, Exit)>;
type Values = Vec<(Way, Value)>;

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
    pub stores: std::collections::BTreeSet<Site>,
    /// Methods that some way runs.
    pub entered: std::collections::BTreeSet<MemberId>,
    pub cut: bool,
}

pub(super) struct Walker<'m, 'p> {
    pub flow: &'m Flow<'p>,
    pub machine: &'m Machine,
    pub domain: Domain,
    pub found: Found,
    /// Members that may change the state.
    pub movers: &'m rustc_hash::FxHashSet<MemberId>,
    steps: u32,
    depth: u32,
    frames: Vec<Frame>,
    event: Option<Event>,
    root: Option<MemberId>,
}

#[derive(Clone, Debug)]
struct Frame {
    member: MemberId,
    function: Option<FunctionId>,
    this: Value,
    /// The call that led here.
    call: Option<Site>,
}

impl<'m, 'p> Walker<'m, 'p> {
    pub(super) fn new(flow: &'m Flow<'p>, machine: &'m Machine, domain: Domain, movers: &'m rustc_hash::FxHashSet<MemberId>) -> Self {
        Self { flow, machine, domain, found: Found::default(), movers, steps: 0, depth: 0, frames: Vec::new(), event: None, root: None }
    }

    fn program(&self) -> &'p Program {
        self.flow.program
    }

    /// What a first value comes to.
    pub(super) fn first(&mut self, site: Site) -> Vec<Value> {
        self.frames.push(Frame { member: site.member, function: None, this: Value::Context, call: None });
        let way = Way {
            at: u64::MAX,
            message: None,
            other_than: Vec::new(),
            conditions: Vec::new(),
            asked: None,
            told: false,
            row: None,
            slots: BTreeMap::new(),
        };
        let found = self.values(site.node, way);
        self.frames.pop();
        found.into_iter().map(|(_, value)| value).collect()
    }

    /// Walks a method, whose parameters are what it is given. Returns where the ways end.
    pub(super) fn method(&mut self, member: MemberId, function: Option<FunctionId>, this: Value, event: Event, at: u64) -> Vec<u64> {
        let Some(body) = self.program().body(member) else { return Vec::new() };
        let Some(root) = function.map_or(body.root, |f| body.function(f).body) else { return Vec::new() };
        let params = function.map_or(self.program().decl(member).params.len(), |f| body.function(f).params.len());
        let slots = (0..params).map(|i| ((member, function, i as u32 | PARAM), Value::Message(i as u16))).collect();
        self.event = Some(event);
        self.root = Some(member);
        self.found.entered.insert(member);
        self.frames.push(Frame { member, function, this, call: None });
        let ways = self.run(
            root,
            Way { at, message: None, other_than: Vec::new(), conditions: Vec::new(), asked: None, told: false, row: None, slots },
        );
        self.frames.pop();
        ways.into_iter().filter(|(_, exit)| *exit != Exit::Throw).map(|(way, _)| way.at).collect()
    }

    /// The method where the way set out.
    pub(super) fn root(&self) -> Option<MemberId> {
        self.root
    }

    fn here(&self) -> MemberId {
        self.frames.last().map_or(MemberId(0), |f| f.member)
    }

    pub(super) fn site(&self, node: NodeId) -> Site {
        Site { member: self.here(), node }
    }

    fn spent(&mut self) -> bool {
        self.steps += 1;
        self.found.cut |= self.steps > STEPS;
        self.found.cut
    }

    /// Runs a statement or expression.
    pub(super) fn run(&mut self, node: NodeId, way: Way) -> Ways {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        if self.spent() || self.depth >= NESTED {
            self.found.cut |= self.depth >= NESTED;
            return vec![(way, Exit::Value(Value::Unknown))];
        }
        self.depth += 1;
        let done = self.run_one(body, node, way);
        self.depth -= 1;
        done
    }

    fn run_one(&mut self, body: &'p Body, node: NodeId, way: Way) -> Ways {
        let next = |way| vec![(way, Exit::Value(Value::Unknown))];
        match body.node(node) {
            Node::Block(list) => self.in_turn(body.list(list), way),
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
            Node::Switch { subject, cases } => self.switch(subject, body.list(cases), way),
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
    fn in_turn(&mut self, statements: &[NodeId], way: Way) -> Ways {
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

    /// Ways that differ in nothing but their conditions are one, on the conditions that they have in common.
    fn merge(&mut self, ways: Ways) -> Ways {
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
        if merged.len() > WAYS {
            self.found.cut = true;
            merged.truncate(WAYS);
        }
        merged
    }

    /// A walk over a collection: each row of a table that is written out, else once or not at all.
    fn each(&mut self, var: NodeId, iterable: NodeId, inner: NodeId, way: Way) -> Ways {
        let rows = self.rows(iterable);
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let slot = (self.here(), None, var.index() as u32);
        let mut ways = vec![(way.clone(), Exit::Value(Value::Unknown))];
        let turns: Vec<Value> = rows.map_or_else(|| vec![Value::Unknown], |rows| rows.into_iter().map(Value::Row).collect());
        for turn in turns {
            let mut way = way.clone();
            if let Value::Row(row) = turn {
                way.row = Some(row);
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

    fn repeat(&mut self, head: &[NodeId], inner: NodeId, way: Way) -> Ways {
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
    fn moves_within(&self, node: NodeId) -> bool {
        let Some(body) = self.program().body(self.here()) else { return false };
        crate::state::any_within(body, node, &|n| match body.node(n) {
            Node::Assign { target, .. } => self.is_holder(target),
            _ => false,
        })
    }

    /// Runs the cases of a choice.
    fn switch(&mut self, subject: Option<NodeId>, cases: &[NodeId], way: Way) -> Ways {
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
                    for (way, exit) in self.run(inner, way) {
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
                        let done = self.run(inner, way);
                        ways.extend(done.into_iter().map(|(w, e)| (w, if e == Exit::Break { Exit::Value(Value::Unknown) } else { e })));
                    }
                }
                None => ways.extend(open.into_iter().map(|w| (w, Exit::Value(Value::Unknown)))),
            }
        }
        self.merge(ways)
    }

    fn merge_open(&mut self, ways: Vec<Way>) -> Vec<Way> {
        let ways = ways.into_iter().map(|w| (w, Exit::Value(Value::Unknown))).collect();
        self.merge(ways).into_iter().map(|(w, _)| w).collect()
    }

    /// What an expression comes to.
    pub(super) fn values(&mut self, node: NodeId, way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        if self.spent() || self.depth >= NESTED {
            self.found.cut |= self.depth >= NESTED;
            return vec![(way, Value::Unknown)];
        }
        self.depth += 1;
        let found = self.values_of(body, node, way);
        self.depth -= 1;
        found
    }

    fn values_of(&mut self, body: &'p Body, node: NodeId, way: Way) -> Values {
        match body.node(node) {
            Node::Null => vec![(way, Value::Null)],
            Node::Bool(b) => vec![(way, Value::Truth(b))],
            Node::This => {
                let this = self.frames.last().map_or(Value::Unknown, |f| f.this.clone());
                vec![(way, this)]
            }
            Node::Name(_) | Node::Member { .. } => self.reading(node, way),
            Node::Assign { op, target, value } => self.assignment(op, target, value, node, way),
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } if !self.is_test(left) => {
                let mut out = Vec::new();
                for (way, value) in self.values(left, way) {
                    match value {
                        Value::Null => out.extend(self.values(right, way)),
                        Value::Unknown => {
                            out.push((way.clone(), Value::Unknown));
                            out.extend(self.values(right, way));
                        }
                        value => out.push((way, value)),
                    }
                }
                out
            }
            Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne | BinaryOp::And | BinaryOp::Or | BinaryOp::In, .. }
            | Node::TypeTest { .. }
            | Node::Unary { op: UnaryOp::Not, .. } => {
                let asked = self.ask(node, way);
                asked.into_iter().map(|(w, holds)| (w, Value::Truth(holds))).collect()
            }
            Node::Unary { op: UnaryOp::Await | UnaryOp::NonNull | UnaryOp::ByRef | UnaryOp::Indirect | UnaryOp::Spread, operand } => {
                self.values(operand, way)
            }
            Node::Cast { operand, .. } => self.values(operand, way),
            Node::Conditional { .. } | Node::Switch { .. } | Node::Block(_) | Node::Yield(_) => {
                let done = self.run(node, way);
                done.into_iter()
                    .filter_map(|(w, exit)| match exit {
                        Exit::Value(v) | Exit::Return(v) => Some((w, v)),
                        _ => None,
                    })
                    .collect()
            }
            Node::Call { callee, args, .. } => self.call(node, callee, body.list(args), way),
            Node::New { args, .. } => {
                let mut out = Vec::new();
                for (way, _) in self.all_values(body.list(args), way) {
                    let value = self.constant(node, true).unwrap_or(Value::Row(self.site(node)));
                    out.push((way, value));
                }
                out
            }
            Node::Collection { items, .. } => {
                let items = body.list(items).to_vec();
                self.all_values(&items, way).into_iter().map(|(w, vs)| (w, Value::Several(vs))).collect()
            }
            Node::Template(parts) => {
                let parts: Vec<NodeId> =
                    body.list(parts).iter().copied().filter(|p| !matches!(body.node(*p), Node::Str(_) | Node::Plain)).collect();
                self.all_values(&parts, way)
                    .into_iter()
                    .map(|(w, vs)| (w, if vs.len() > 1 { Value::Several(vs) } else { Value::Unknown }))
                    .collect()
            }
            Node::Opaque(parts) => match body.list(parts) {
                [only] => self.values(*only, way),
                _ => vec![(way, Value::Unknown)],
            },
            Node::Index { object, keys, .. } => {
                let keys = body.list(keys).to_vec();
                let mut out = Vec::new();
                for (way, table) in self.values(object, way) {
                    for (way, key) in self.all_values(&keys, way.clone()) {
                        let key = if key.len() == 1 { key[0].clone() } else { Value::Several(key) };
                        out.extend(self.look_up(object, &table, &key, way));
                    }
                }
                out
            }
            Node::Lambda(function) => vec![(way, Value::Function(self.here(), function))],
            Node::Object(_) => match self.tagged(node) {
                Some(value) => vec![(way, value)],
                None => vec![(way, Value::Row(self.site(node)))],
            },
            Node::Entry { value, .. } => self.values(value, way),
            _ => {
                let value = self.constant(node, false).unwrap_or(Value::Unknown);
                vec![(way, value)]
            }
        }
    }

    fn is_test(&self, node: NodeId) -> bool {
        let Some(body) = self.program().body(self.here()) else { return false };
        match body.node(node) {
            Node::Binary { op, .. } => !matches!(op, BinaryOp::Coalesce | BinaryOp::Add | BinaryOp::Sub | BinaryOp::Arithmetic),
            Node::TypeTest { .. } | Node::Unary { op: UnaryOp::Not, .. } | Node::Plain => true,
            Node::Call { .. } => false,
            _ => false,
        }
    }

    /// What several expressions come to, one after the other.
    pub(super) fn all_values(&mut self, nodes: &[NodeId], way: Way) -> Vec<(Way, Vec<Value>)> {
        let mut all = vec![(way, Vec::new())];
        for node in nodes {
            let mut next = Vec::new();
            for (way, values) in all {
                for (way, value) in self.values(*node, way) {
                    let mut values: Vec<Value> = values.clone();
                    values.push(value);
                    next.push((way, values));
                }
            }
            all = next;
            if all.len() > WAYS {
                self.found.cut = true;
                all.truncate(WAYS);
            }
        }
        all
    }

    /// What arguments come to. What is only told whether something holds says nothing of what follows.
    fn arguments(&mut self, args: &[NodeId], way: Way) -> Vec<(Way, Vec<Value>)> {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let is_test = |n: &NodeId| {
            matches!(body.node(*n), Node::Binary { op, .. } if !matches!(op, BinaryOp::Coalesce | BinaryOp::Add))
                || matches!(body.node(*n), Node::TypeTest { .. } | Node::Unary { op: UnaryOp::Not, .. })
        };
        let speaking: Vec<NodeId> = args.iter().copied().filter(|n| !is_test(n)).collect();
        let found = self.all_values(&speaking, way);
        if speaking.len() == args.len() {
            return found;
        }
        found
            .into_iter()
            .map(|(way, values)| {
                let mut values = values.into_iter();
                let all = args.iter().map(|n| if is_test(n) { Value::Unknown } else { values.next().unwrap_or(Value::Unknown) });
                (way, all.collect())
            })
            .collect()
    }

    /// The states that an expression names.
    fn constant(&mut self, node: NodeId, fresh: bool) -> Option<Value> {
        let named = state::named(self.flow, self.here(), node)?;
        Some(self.known(named, fresh, Some(self.site(node))))
    }

    /// A state that is known, or what may become one if it is stored.
    pub(super) fn known(&mut self, named: State, fresh: bool, at: Option<Site>) -> Value {
        match self.domain.find(self.flow, named) {
            Some(bits) => Value::State(bits, fresh, at),
            None => Value::Named(named, fresh, at),
        }
    }

    /// The state that an object literal is, by the entry that names it.
    fn tagged(&mut self, node: NodeId) -> Option<Value> {
        let tag = self.machine.tag?;
        let entry = self.flow.entry_of_literal(self.site(node), tag)?;
        let named = state::named(self.flow, entry.member, entry.node)?;
        Some(self.known(named, true, Some(self.site(node))))
    }

    /// Whether an expression is the machine's holder.
    pub(super) fn is_holder(&self, node: NodeId) -> bool {
        self.machine.is_holder(self.flow, self.here(), node)
    }

    fn reading(&mut self, node: NodeId, way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let scope = self.program().scope(self.here());
        if self.is_holder(node) {
            return vec![(way, Value::Held)];
        }
        match body.node(node) {
            Node::Name(name) => {
                let slot = match scope.lookup(name, node) {
                    Some(Declared::Local(local)) => Some((self.here(), None, local.index() as u32)),
                    Some(Declared::Param(function, index)) => Some((self.here(), function, u32::from(index) | PARAM)),
                    None => None,
                };
                if let Some(value) = slot.and_then(|s| way.slots.get(&s)) {
                    let value = value.clone();
                    return vec![(way, value)];
                }
            }
            Node::Member { object, name, .. } => {
                let sym = self.program().sym_in(self.here(), name);
                // `state.kind`, of states that are told apart by an entry
                if self.machine.tag == Some(sym) {
                    let mut out = Vec::new();
                    for (way, value) in self.values(object, way.clone()) {
                        if matches!(value, Value::Held | Value::State(..) | Value::Message(_)) {
                            out.push((way, value));
                        }
                    }
                    if !out.is_empty() {
                        return out;
                    }
                }
                if !matches!(body.node(object), Node::This) {
                    let mut out = Vec::new();
                    for (way, value) in self.values(object, way.clone()) {
                        let part = match &value {
                            Value::Row(row) => self.named_part(*row, sym),
                            // a message that carries its kind
                            Value::Message(at) if self.is_message_kind(node) => Value::Message(*at),
                            Value::Several(values) => values
                                .get(position_named(self.program().text(sym)).unwrap_or(usize::MAX))
                                .cloned()
                                .unwrap_or(Value::Unknown),
                            _ => Value::Unknown,
                        };
                        if part != Value::Unknown {
                            out.push((way, part));
                        }
                    }
                    if !out.is_empty() {
                        return out;
                    }
                }
            }
            _ => {}
        }
        if self.is_context(node) {
            return vec![(way, Value::Context)];
        }
        let value = match self.constant(node, false) {
            Some(value) => value,
            None => match self.flow.eval_in(self.here(), node) {
                Val::Lambda(m, f) => Value::Function(m, f),
                _ => Value::Unknown,
            },
        };
        vec![(way, value)]
    }

    /// Whether what is read of a message tells what kind of message it is: it is compared or chosen by.
    fn is_message_kind(&self, node: NodeId) -> bool {
        let Some(body) = self.program().body(self.here()) else { return false };
        let scope = self.program().scope(self.here());
        let text = match body.node(node) {
            Node::Member { name, .. } => self.program().text(self.program().sym_in(self.here(), name)),
            _ => return false,
        };
        let beside = scope.parent(node).map(|p| body.node(p));
        self.program().kit_of(self.here()).pack.message_kinds.contains(text)
            && matches!(beside, Some(Node::Switch { .. } | Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, .. } | Node::Index { .. }))
    }

    /// Whether an expression is the object that has the machine, seen from elsewhere.
    fn is_context(&self, node: NodeId) -> bool {
        let Some(context) = self.machine.context_type() else { return false };
        let ty = self.flow.type_of_node(self.here(), node).bounded();
        ty.own().is_some_and(|t| {
            self.program().is_a(t, context)
                || self.program().is_a(context, t) && self.program().ty(t).kind != yarrowgraph_ir::TypeKind::Enum
        })
    }

    fn assignment(&mut self, op: AssignOp, target: NodeId, value: NodeId, node: NodeId, way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let scope = self.program().scope(self.here());
        let holder = self.is_holder(target);
        let setter = if holder { None } else { self.setter(target) };
        let mut out = Vec::new();
        for (mut way, found) in self.values(value, way) {
            if holder {
                let way = if op == AssignOp::Set || op == AssignOp::IfUnset { self.store(way, found.clone(), node, value) } else { way };
                out.push((way, found));
                continue;
            }
            if let Some(setter) = setter {
                let done = self.enter(self.site(node), setter, None, Value::Context, vec![found.clone()], way);
                out.extend(done.into_iter().map(|(w, _)| (w, found.clone())));
                continue;
            }
            if let Node::Name(name) = body.node(target) {
                match scope.lookup(name, target) {
                    Some(Declared::Local(local)) => put(&mut way, (self.here(), None, local.index() as u32), found.clone()),
                    Some(Declared::Param(f, index)) => put(&mut way, (self.here(), f, u32::from(index) | PARAM), found.clone()),
                    None => {}
                }
            }
            out.push((way, found));
        }
        out
    }

    /// The setter that an assignment runs, where it may change the state.
    fn setter(&self, target: NodeId) -> Option<MemberId> {
        let body = self.program().body(self.here())?;
        let name = match body.node(target) {
            Node::Name(name) | Node::Member { name, .. } => self.program().sym_in(self.here(), name),
            _ => return None,
        };
        let context = self.machine.context_type()?;
        let is_setter =
            |m: &MemberId| self.program().member(*m).kind == yarrowgraph_ir::MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Set);
        self.program().find_members(context, name).into_iter().find(|m| is_setter(m) && self.movers.contains(m))
    }

    /// Stores a value into the holder.
    fn store(&mut self, mut way: Way, value: Value, node: NodeId, given: NodeId) -> Way {
        let was = way.at;
        self.found.stores.insert(self.site(node));
        let (bits, fresh, named_at) = match &value {
            Value::State(bits, fresh, at) => (*bits, *fresh, *at),
            Value::Named(state, fresh, at) => match self.domain.bit(self.flow, *state) {
                Some(bits) => (bits, *fresh, *at),
                None => {
                    let stray = (self.site(node), *state);
                    if matches!(state, State::Entry(..)) && !self.found.strays.contains(&stray) {
                        self.found.strays.push(stray);
                    }
                    (0, false, None)
                }
            },
            Value::Held => return way,
            Value::Message(at) => match &way.message {
                Some((asked, states)) if asked == at => {
                    let states = states.clone();
                    let bits = states.into_iter().filter_map(|s| self.domain.bit(self.flow, s)).fold(0, |a, b| a | b);
                    (bits, false, None)
                }
                _ => (0, false, None),
            },
            Value::Null => {
                way.at = u64::MAX;
                return way;
            }
            _ => (0, false, None),
        };
        // what was put aside may be any of them
        let all = self.domain.all();
        if bits & all == all && all.count_ones() > 1 {
            way.at = u64::MAX;
            way.told = false;
            return way;
        }
        let bits = bits & all;
        for local in way.slots.values_mut() {
            if *local == Value::Held {
                *local = Value::State(was, false, None);
            }
        }
        if bits == 0 {
            way.told = false;
            self.found.stores_unknown |= !matches!(value, Value::Message(_));
            way.at = u64::MAX;
            return way;
        }
        let events: Vec<Event> = match (&way.message, self.event) {
            (Some((_, messages)), _) if self.machine.reads_messages(self.program(), messages) => {
                messages.iter().map(|m| Event::Message(*m)).collect()
            }
            (_, Some(event)) => vec![way.asked.unwrap_or(event)],
            _ => Vec::new(),
        };
        let site = way.row.take().unwrap_or_else(|| self.said_at(node, given, named_at));
        for to in (0..64).filter(|i| bits & (1 << i) != 0) {
            for event in &events {
                self.found.moves.push(Move {
                    from: was,
                    event: *event,
                    conditions: way.conditions.clone(),
                    to,
                    fresh,
                    told: way.told,
                    never: false,
                    site,
                    root: self.root.unwrap_or(self.here()),
                });
            }
        }
        way.at = bits;
        way.told = false;
        way
    }

    /// The statement that says what is stored: the store itself, the call that hands the value over, or where else it is named.
    fn said_at(&self, node: NodeId, given: NodeId, named: Option<Site>) -> Site {
        let store = self.site(node);
        let handed = self.handed_by(node, given);
        match named {
            Some(named) if handed == store => {
                let within = named.member == store.member && self.program().scope(store.member).is_within(named.node, node);
                if within { store } else { named }
            }
            _ => handed,
        }
    }

    /// The statement that says what is stored: where that is a parameter, the call that hands it over.
    fn handed_by(&self, node: NodeId, given: NodeId) -> Site {
        let program = self.program();
        let mut site = self.site(node);
        let mut given = given;
        for frame in self.frames.iter().rev() {
            let Some(body) = program.body(frame.member) else { return site };
            // `std::move(next)`
            if let Node::Call { args, .. } = body.node(given)
                && let [only] = body.list(args)
            {
                given = *only;
            }
            let Node::Name(name) = body.node(given) else { return site };
            let Some(Declared::Param(function, index)) = program.scope(frame.member).lookup(name, given) else { return site };
            let (true, Some(call)) = (function == frame.function, frame.call) else { return site };
            let Some(caller) = program.body(call.member) else { return site };
            let Node::Call { args, .. } = caller.node(call.node) else { return site };
            let Some(argument) = caller.list(args).get(usize::from(index)) else { return site };
            (site, given) = (call, *argument);
        }
        site
    }

    /// A call: of a method of the state, of other code that may move the machine or say where to, or of anything else.
    fn call(&mut self, node: NodeId, callee: NodeId, args: &[NodeId], way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let program = self.program();
        let pack = &*program.kit_of(self.here()).pack;
        let mut receivers = vec![(way, Value::Unknown)];
        let mut name = None;
        match body.node(callee) {
            Node::Member { object, name: n, .. } => {
                let sym = program.sym_in(self.here(), n);
                name = Some(sym);
                receivers = receivers.into_iter().flat_map(|(w, _)| self.values(object, w)).collect();
                // what only hands on what it is given: `std::move(next)`
                let is_wrapped = pack.unwraps.contains(program.text(sym)) && args.is_empty();
                if is_wrapped {
                    return receivers;
                }
            }
            Node::Name(n) => {
                name = Some(program.sym_in(self.here(), n));
                if let Some(context) = self.machine.context_type()
                    && program.is_a(program.member(self.here()).owner, context)
                {
                    receivers[0].1 = self.frames.last().map_or(Value::Unknown, |f| f.this.clone());
                }
            }
            _ => receivers = receivers.into_iter().flat_map(|(w, _)| self.values(callee, w)).collect(),
        }
        let text = name.map_or("", |n| program.text(n));
        let mut out = Vec::new();
        for (way, receiver) in receivers {
            for (way, given) in self.arguments(args, way) {
                if self.spent() {
                    out.push((way, Value::Unknown));
                    continue;
                }
                out.extend(self.called(node, callee, text, name, &receiver, given, args, way));
            }
        }
        out
    }

    #[expect(clippy::too_many_arguments, reason = "what a call consists of")]
    fn called(
        &mut self,
        node: NodeId,
        callee: NodeId,
        text: &str,
        name: Option<Sym>,
        receiver: &Value,
        given: Vec<Value>,
        args: &[NodeId],
        mut way: Way,
    ) -> Values {
        let program = self.program();
        let pack = &*program.kit_of(self.here()).pack;
        let type_arg = self.type_argument(node);
        if let (Value::Held, Some(ty)) = (receiver, type_arg)
            && pack.emplaces.contains(text)
            && let Some(bits) = self.class_bits(ty)
        {
            let way = self.store(way, Value::State(bits, true, None), node, node);
            return vec![(way, Value::Unknown)];
        }
        if pack.alternative_tests.contains(text)
            && let ([first, ..], Some(ty)) = (&given[..], type_arg)
        {
            let value = first.clone();
            return self
                .narrowed(&value, ty, way, node)
                .into_iter()
                .map(|(w, holds)| (w, if holds { value.clone() } else { Value::Null }))
                .collect();
        }
        if pack.visits.contains(text) {
            return self.visit(args, &given, way);
        }
        if let (Value::Function(m, f), None) = (receiver, name) {
            return self.enter_function(self.site(node), *m, *f, given, way);
        }
        // a method of the states
        if let Some(name) = name
            && (*receiver == Value::Held || matches!(receiver, Value::State(..)))
            && let Some(done) = self.delegate(node, name, receiver, &given, &way)
        {
            return done;
        }
        let is_look_up = pack.elements.contains(text) || pack.out_lookups.contains(text);
        if is_look_up
            && let Some(Node::Member { object, .. }) = program.body(self.here()).map(|b| b.node(callee))
            && let [key, ..] = &given[..]
        {
            let found = self.look_up(object, receiver, key, way.clone());
            if !found.is_empty() && found.iter().any(|(_, v)| *v != Value::Unknown) {
                let out_local = args.get(1).copied();
                if pack.out_lookups.contains(text) {
                    // found in the variable that is given
                    return found
                        .into_iter()
                        .map(|(mut w, v)| {
                            let there = v != Value::Null;
                            if let Some(local) = out_local.and_then(|n| self.out_local(n)) {
                                put(&mut w, local, v);
                            }
                            (w, Value::Truth(there))
                        })
                        .collect();
                }
                return found;
            }
        }
        let Some(target) = self.flow.callee(self.site(node)) else {
            let value = match self.constant(node, true) {
                Some(value) => value,
                // what a library does to one value, it hands back: `std::move(next)`, `Optional.of(next)`
                None if given.len() == 1 && pack.unwraps.contains(text) => given[0].clone(),
                None => Value::Unknown,
            };
            for given in &given {
                if let Value::Function(m, f) = given {
                    self.handed_over(self.site(node), *m, *f, &way);
                }
            }
            return vec![(way, value)];
        };
        let m = target.member;
        let is_mover = self.movers.contains(&m);
        let speaks = given
            .iter()
            .any(|g| !matches!(g, Value::Unknown | Value::Truth(_) | Value::Null | Value::Row(_) | Value::Function(..) | Value::Named(..)));
        let small = program.body(m).is_some_and(|b| b.nodes.len() <= BODY);
        if self.frames.len() < DEPTH && (is_mover || speaks || small) && !self.frames.iter().any(|f| f.member == m && f.function.is_none())
        {
            let owner = program.member(m).owner;
            let of_context = self.machine.context_type().is_some_and(|c| program.is_a(owner, c) || program.is_a(c, owner));
            let this = match receiver {
                Value::Unknown if of_context => Value::Context,
                other => other.clone(),
            };
            let mut given = given;
            if target.extension {
                given.insert(0, receiver.clone());
            }
            let before = way.clone();
            let done = self.enter(self.site(node), m, None, this, given, way);
            if done.is_empty() {
                return vec![(before, Value::Unknown)];
            }
            return done;
        }
        if is_mover {
            way.at = u64::MAX;
        }
        vec![(way, Value::Unknown)]
    }

    /// The variable that a look-up puts what it finds into.
    fn out_local(&self, node: NodeId) -> Option<Slot> {
        let body = self.program().body(self.here())?;
        match body.node(node) {
            Node::Local { .. } => Some((self.here(), None, node.index() as u32)),
            Node::Unary { operand, .. } => self.out_local(operand),
            Node::Name(name) => match self.program().scope(self.here()).lookup(name, node)? {
                Declared::Local(local) => Some((self.here(), None, local.index() as u32)),
                Declared::Param(f, index) => Some((self.here(), f, u32::from(index) | PARAM)),
            },
            _ => None,
        }
    }

    /// A function that is handed to other code, which runs it at some time.
    fn handed_over(&mut self, at: Site, m: MemberId, f: FunctionId, way: &Way) {
        let key = (m, Some(f));
        if self.frames.iter().any(|x| (x.member, x.function) == key) || self.frames.len() >= DEPTH {
            return;
        }
        let mut later = way.clone();
        later.at = u64::MAX;
        later.message = None;
        later.other_than.clear();
        later.conditions.clear();
        for slot in later.slots.values_mut() {
            if *slot == Value::Held {
                *slot = Value::Unknown;
            }
        }
        self.enter_function(at, m, f, Vec::new(), later);
    }

    /// Asks the states: each of those that the machine can be in answers by its own method.
    fn delegate(&mut self, node: NodeId, name: Sym, receiver: &Value, given: &[Value], way: &Way) -> Option<Values> {
        let among = match receiver {
            Value::Held => way.at,
            Value::State(bits, ..) => *bits,
            _ => return None,
        };
        if self.frames.len() >= DEPTH {
            return None;
        }
        let mut out = Vec::new();
        let mut any = false;
        let states: Vec<(usize, State)> = self.domain.states.iter().copied().enumerate().filter(|(i, _)| among & (1 << i) != 0).collect();
        for (index, state) in states {
            let code = self.domain.code(self.flow, state, name);
            any |= code.is_some();
            let mut of_state = way.clone();
            if *receiver == Value::Held {
                of_state.at = 1 << index;
                of_state.told = true;
            }
            let this = Value::State(1 << index, false, None);
            let event = self.event;
            if *receiver == Value::Held {
                let asked = code.map_or(Event::Named(name), |(m, f)| if f.is_some() { Event::Named(name) } else { Event::Method(m) });
                self.event = Some(asked);
                of_state.asked = Some(asked);
            }
            match code {
                Some((m, None)) if !self.frames.iter().any(|f| f.member == m && f.this == this) => {
                    let before = of_state.clone();
                    let done = self.enter(self.site(node), m, None, this, given.to_vec(), of_state);
                    out.extend(if done.is_empty() { vec![(before, Value::Unknown)] } else { done });
                }
                Some((m, Some(f))) => out.extend(self.enter_function(self.site(node), m, f, given.to_vec(), of_state)),
                Some(_) => out.push((of_state, Value::Unknown)),
                None => out.push((of_state, Value::Null)),
            }
            self.event = event;
        }
        // what only asks the state says nothing of what is stored later
        if *receiver == Value::Held {
            for (of_state, value) in &mut out {
                if !matches!(value, Value::State(..) | Value::Named(..) | Value::Held) {
                    of_state.told = way.told;
                }
            }
        }
        if any {
            let site = self.site(node);
            if *receiver == Value::Held && !self.found.delegations.contains(&(site, name)) {
                self.found.delegations.push((site, name));
            }
        }
        any.then_some(out)
    }

    /// Runs the body of a method, as called.
    fn enter(&mut self, call: Site, m: MemberId, function: Option<FunctionId>, this: Value, given: Vec<Value>, mut way: Way) -> Values {
        let Some(body) = self.program().body(m) else { return vec![(way, Value::Unknown)] };
        let root = function.map_or(body.root, |f| body.function(f).body);
        let Some(root) = root else { return vec![(way, Value::Unknown)] };
        self.found.entered.insert(m);
        for (index, value) in given.into_iter().enumerate() {
            put(&mut way, (m, function, index as u32 | PARAM), value);
        }
        let yields_value = function.map_or(body.returns_root, |f| body.function(f).returns_body);
        self.frames.push(Frame { member: m, function, this, call: Some(call) });
        let done = self.run(root, way);
        self.frames.pop();
        let mut out = Vec::new();
        for (mut way, exit) in done {
            way.slots.retain(|slot, _| slot.0 != m || self.frames.iter().any(|f| f.member == m));
            match exit {
                Exit::Return(value) => out.push((way, value)),
                Exit::Value(value) if yields_value => out.push((way, value)),
                Exit::Throw => {}
                _ => out.push((way, Value::Unknown)),
            }
        }
        out
    }

    fn enter_function(&mut self, call: Site, m: MemberId, f: FunctionId, given: Vec<Value>, way: Way) -> Values {
        if self.frames.len() >= DEPTH || self.frames.iter().any(|x| x.member == m && x.function == Some(f)) {
            return vec![(way, Value::Unknown)];
        }
        let this = self.frames.iter().rev().find(|x| x.member == m).map_or(Value::Unknown, |x| x.this.clone());
        let before = way.clone();
        let done = self.enter(call, m, Some(f), this, given, way);
        if done.is_empty() { vec![(before, Value::Unknown)] } else { done }
    }

    /// Functions for each alternative of what is held: the one whose parameter it fits is run.
    fn visit(&mut self, args: &[NodeId], given: &[Value], way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let Some(value) = given.iter().find(|v| matches!(v, Value::Held | Value::Message(_) | Value::State(..))).cloned() else {
            return vec![(way, Value::Unknown)];
        };
        let mut lambdas: Vec<(FunctionId, Option<TypeRefId>)> = Vec::new();
        for arg in args {
            let inner: Vec<NodeId> = match body.node(*arg) {
                Node::New { args, init, .. } => {
                    let listed = init.map(|i| body.children(i)).unwrap_or_default();
                    body.list(args).iter().copied().chain(listed).collect()
                }
                Node::Call { args, .. } => body.list(args).to_vec(),
                _ => vec![*arg],
            };
            for node in inner {
                if let Node::Lambda(f) = body.node(node) {
                    lambdas.push((f, body.function(f).params.first().and_then(|p| p.ty)));
                }
            }
        }
        let here = self.here();
        let mut open = vec![way];
        let mut out = Vec::new();
        for (f, ty) in lambdas {
            let class = ty.and_then(|t| self.program().type_in(here, t).own());
            let mut left = Vec::new();
            for way in open {
                match class {
                    Some(class) => {
                        for (way, fits) in self.narrowed(&value, class, way, args[0]) {
                            if fits {
                                out.extend(self.enter_function(self.site(args[0]), here, f, vec![value.clone()], way));
                            } else {
                                left.push(way);
                            }
                        }
                    }
                    None => out.extend(self.enter_function(self.site(args[0]), here, f, vec![value.clone()], way)),
                }
            }
            open = left;
        }
        out.extend(open.into_iter().map(|w| (w, Value::Unknown)));
        out
    }

    /// Gives what a pattern names.
    pub(super) fn bind_pattern(&self, way: &mut Way, pattern: NodeId, value: &Value) {
        let Some(body) = self.program().body(self.here()) else { return };
        match body.node(pattern) {
            Node::Local { .. } => put(way, (self.here(), None, pattern.index() as u32), value.clone()),
            Node::Pattern { parts, .. } | Node::Opaque(parts) if body.list(parts).len() == 1 => {
                self.bind_pattern(way, body.list(parts)[0], value);
            }
            _ => {}
        }
    }

    fn type_argument(&self, node: NodeId) -> Option<TypeId> {
        let body = self.program().body(self.here())?;
        let Node::Call { type_args: Some(args), .. } = body.node(node) else { return None };
        let first = body.type_lists[args as usize].first()?;
        self.program().type_in(self.here(), *first).own()
    }

    /// The states whose objects are of a class.
    pub(super) fn class_bits(&self, class: TypeId) -> Option<u64> {
        let program = self.program();
        let of = |s: &State| match s {
            State::Class(t) => program.is_a(*t, class),
            State::Constant(m) => self.flow.type_held(*m).own().is_some_and(|t| program.is_a(t, class)),
            _ => false,
        };
        let bits = self.domain.states.iter().enumerate().filter(|(_, s)| of(s)).fold(0, |bits, (i, _)| bits | 1 << i);
        (bits != 0).then_some(bits)
    }
}

/// Parameters are told apart from locals by this bit of their slot.
pub(super) const PARAM: u32 = 1 << 31;

/// What a generator is handed by `next`.
pub(super) const YIELDED: u16 = u16::MAX;

fn put(way: &mut Way, slot: Slot, value: Value) {
    if value == Value::Unknown {
        way.slots.remove(&slot);
    } else {
        way.slots.insert(slot, value);
    }
}

fn out_of_loop(exit: Exit) -> Exit {
    match exit {
        Exit::Break | Exit::Continue => Exit::Value(Value::Unknown),
        other => other,
    }
}

/// The position that the name of a tuple's part says: `Item1`, `first`.
fn position_named(name: &str) -> Option<usize> {
    match name {
        "Item1" | "first" => Some(0),
        "Item2" | "second" => Some(1),
        "Item3" => Some(2),
        _ => None,
    }
}
