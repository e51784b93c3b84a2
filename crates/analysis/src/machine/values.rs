//! What expressions come to on a way, and what is stored.

use yarrowgraph_ir::{AssignOp, BinaryOp, Body, Node, NodeId, UnaryOp};

use super::domain::Encoding;
use super::grain::WAYS;
use super::handed;
use super::keys::{joined, speaks};
use super::origins::literal;
use super::state::{self, State};
use super::walk::{NESTED, PARAM, Walker, position_named};
use super::way::{Exit, Value, Values, Way, widened};
use crate::flow::Val;
use crate::program::{Declared, Site};

/// A literal is followed through so many parameters and fields.
const HOPS: u32 = 3;

impl<'p> Walker<'_, 'p> {
    /// What an expression comes to.
    pub(super) fn values(&mut self, node: NodeId, way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        if self.spent() || self.depth >= NESTED {
            return vec![(self.lost(way), Value::Unknown)];
        }
        self.depth += 1;
        let found = self.values_of(body, node, way);
        self.depth -= 1;
        found
    }

    pub(super) fn values_of(&mut self, body: &'p Body, node: NodeId, way: Way) -> Values {
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
            // `moves[state] && moves[state][event]`
            Node::Binary { op: BinaryOp::And, left, right } if !self.is_test(left) && matches!(body.node(right), Node::Index { .. }) => {
                let mut out = Vec::new();
                for (way, value) in self.values(left, way) {
                    match value {
                        Value::Null => out.push((way, Value::Null)),
                        _ => out.extend(self.values(right, way)),
                    }
                }
                out
            }
            // `state + ':' + event`
            Node::Binary { op: BinaryOp::Add, .. } if joined(body, node).iter().any(|part| self.is_holder(*part)) => {
                let parts = joined(body, node);
                self.all_values(&parts, way)
                    .into_iter()
                    .map(|(w, vs)| (w, if vs.len() > 1 && vs.iter().all(speaks) { Value::Several(vs) } else { Value::Unknown }))
                    .collect()
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
            // `state++`: what comes of it may be anything
            Node::Unary { op: UnaryOp::Step { .. }, operand } if self.is_holder(operand) => {
                self.assignment(AssignOp::Add, operand, operand, node, way)
            }
            Node::Conditional { .. } | Node::Switch { .. } | Node::Block(_) | Node::Yield(_) | Node::Unary { op: UnaryOp::Give, .. } => {
                let done = self.case(node, way, true);
                done.into_iter()
                    .filter_map(|(w, exit)| match exit {
                        Exit::Value(v) | Exit::Return(v) | Exit::Give(v) => Some((w, v)),
                        _ => None,
                    })
                    .collect()
            }
            Node::Call { callee, args, .. } => self.call(node, callee, body.list(args), way),
            Node::New { args, .. } => {
                let mut out = Vec::new();
                for (way, parts) in self.all_values(body.list(args), way) {
                    let value = match self.constant(node, true) {
                        Some(state @ Value::State(..)) => state,
                        // a key of several parts: `new Key(state, event)`
                        _ if parts.len() > 1 && parts.iter().all(speaks) => Value::Several(parts),
                        Some(other) => other,
                        None => Value::Row(self.site(node).into()),
                    };
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
                    // where there is no row, there is nothing in it
                    if table == Value::Null {
                        out.push((way, Value::Null));
                        continue;
                    }
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
                None => match self.stands_for(node) {
                    Some((made, from)) => self.values_as(made, from, way),
                    None => vec![(way, Value::Row(self.site(node).into()))],
                },
            },
            Node::Entry { value, .. } => self.values(value, way),
            _ => {
                let value = self.constant(node, false).unwrap_or(Value::Unknown);
                vec![(way, value)]
            }
        }
    }

    pub(super) fn is_test(&self, node: NodeId) -> bool {
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
        for (index, node) in nodes.iter().enumerate() {
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
                // of so many nothing is known but where they are
                let ways = all.into_iter().map(|(w, _)| (w, Exit::Value(Value::Unknown))).collect();
                all = widened(ways).into_iter().map(|(w, _)| (w, vec![Value::Unknown; index + 1])).collect();
            }
        }
        all
    }

    /// What arguments come to. What is only told whether something holds says nothing of what follows.
    pub(super) fn arguments(&mut self, args: &[NodeId], way: Way) -> Vec<(Way, Vec<Value>)> {
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
    pub(super) fn constant(&mut self, node: NodeId, fresh: bool) -> Option<Value> {
        // the call that led here says of which class
        if let Some(call) = self.frames.last()?.call
            && let Some(said) = handed::said_by_callers(self.flow, self.site(node))
        {
            let named = handed::said_at(self.flow, call, said)?;
            return Some(self.known(named, true, Some(call)));
        }
        let named = self.named(node)?;
        Some(self.known(named, fresh, Some(self.site(node))))
    }

    /// The state that an expression names by itself.
    fn named(&self, node: NodeId) -> Option<State> {
        let site = self.site(node);
        let known = self.reach.asked.borrow().named.get(&site).copied();
        known.unwrap_or_else(|| {
            let named = state::named(self.flow, site.member, node);
            self.reach.asked.borrow_mut().named.insert(site, named);
            named
        })
    }

    /// A state that is known, or what may become one if it is stored.
    pub(super) fn known(&mut self, named: State, fresh: bool, at: Option<Site>) -> Value {
        match self.domain.find(self.flow, named) {
            Some(bits) => Value::State(bits, fresh, at),
            None => Value::Named(named, fresh, at),
        }
    }

    /// The state that an object literal is, by the entry that names it.
    pub(super) fn tagged(&mut self, node: NodeId) -> Option<Value> {
        self.tagged_as(self.site(node), node)
    }

    /// The state that an object literal is where an expression stands for it.
    fn tagged_as(&mut self, literal: Site, node: NodeId) -> Option<Value> {
        let entry = self.flow.entry_of_literal(literal, self.machine.tag?)?;
        let named = state::named(self.flow, entry.member, entry.node)?;
        Some(self.known(named, true, Some(self.site(node))))
    }

    /// The entry of an object literal that says which state it is, where that is chosen on the spot: `{ phase: left ? 'open' : 'shut' }`.
    fn chosen_tag(&self, node: NodeId) -> Option<NodeId> {
        let entry = self.flow.entry_of_literal(self.site(node), self.machine.tag?)?;
        let body = self.program().body(self.here())?;
        (entry.member == self.here() && matches!(body.node(entry.node), Node::Conditional { .. })).then_some(entry.node)
    }

    /// What an object literal stands for that is new but named by no constant, and what says which state that is: the entry that is
    /// chosen on the spot, or what it copies with other parts (`state with { Level = 3 }`).
    fn stands_for(&self, node: NodeId) -> Option<(NodeId, NodeId)> {
        let chosen = self.chosen_tag(node).map(|entry| (node, entry));
        chosen.or_else(|| self.flow.copied_by(self.site(node)).map(|copied| (copied, copied)))
    }

    /// What an expression comes to, as something new that is made where another one stands.
    fn values_as(&mut self, made: NodeId, node: NodeId, way: Way) -> Values {
        let at = self.site(made);
        let found = self.values(node, way);
        let anew = |(way, value): (Way, Value)| match value {
            Value::State(bits, ..) => (way, Value::State(bits, true, Some(at))),
            Value::Named(state, ..) => (way, Value::Named(state, true, Some(at))),
            Value::Held => {
                let bits = way.at;
                (way, Value::State(bits, true, Some(at)))
            }
            other => (way, other),
        };
        found.into_iter().map(anew).collect()
    }

    /// Whether an expression is the machine's holder.
    pub(super) fn is_holder(&self, node: NodeId) -> bool {
        let site = self.site(node);
        let known = self.reach.asked.borrow().holder.get(&site).copied();
        known.unwrap_or_else(|| {
            let is_holder = self.machine.is_holder(self.flow, site.member, node);
            self.reach.asked.borrow_mut().holder.insert(site, is_holder);
            is_holder
        })
    }

    /// The states that another field of the context may hold, which come into their own later: `phase = pending`.
    fn waiting(&self, value: &Val) -> Option<u64> {
        // of the same object, or of the same module
        let field = match value {
            Val::Member(of, field) if matches!(**of, Val::This(_)) => field,
            Val::Static(field) if self.machine.context == Some(self.program().member(*field).owner) => field,
            _ => return None,
        };
        let is_told = matches!(self.domain.encoding, Encoding::Enumeration(_) | Encoding::Values | Encoding::Text);
        if !is_told || self.flow.definitions(*field).len() < 2 {
            return None;
        }
        // where nothing waits there is none
        let is_none = |d: &&Site| self.program().body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Null));
        let states = self.flow.definitions(*field).iter().filter(|d| !is_none(d)).map(|d| {
            let state = state::named(self.flow, d.member, d.node)?;
            self.domain.find(self.flow, state)
        });
        let found: Vec<u64> = states.collect::<Option<_>>()?;
        (!found.is_empty()).then(|| found.into_iter().fold(0, |all, bits| all | bits))
    }

    pub(super) fn reading(&mut self, node: NodeId, way: Way) -> Values {
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
                            // what a place in a map holds
                            Value::State(..) | Value::Named(..) | Value::Filled(..)
                                if matches!(self.program().text(sym), "second" | "Value" | "value") =>
                            {
                                value.clone()
                            }
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
        let read = self.flow.eval_in(self.here(), node);
        if let Some(bits) = self.waiting(&read) {
            return vec![(way, Value::State(bits, false, None))];
        }
        // a constant that holds one: `return initial`
        if self.machine.tag.is_some()
            && matches!(read, Val::Static(_))
            && let Some(value) = literal(self.flow, &read, HOPS).and_then(|l| self.tagged_as(l, node))
        {
            return vec![(way, value)];
        }
        let value = match (self.constant(node, false), read) {
            (Some(value), _) => value,
            (None, Val::Lambda(m, f)) => Value::Function(m, f),
            (None, value @ (Val::Member(..) | Val::Param(..))) => match literal(self.flow, &value, HOPS) {
                Some(site) => Value::Row(site.into()),
                None => Value::Unknown,
            },
            _ => Value::Unknown,
        };
        vec![(way, value)]
    }

    /// Whether what is read of a message tells what kind of message it is: it is compared or chosen by.
    pub(super) fn is_message_kind(&self, node: NodeId) -> bool {
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
    pub(super) fn is_context(&self, node: NodeId) -> bool {
        let Some(context) = self.machine.context else { return false };
        let site = self.site(node);
        let known = self.reach.asked.borrow().context.get(&site).copied();
        known.unwrap_or_else(|| {
            let program = self.program();
            let ty = self.flow.type_of_node(site.member, node).bounded();
            let is_context = ty.own().is_some_and(|t| {
                program.is_a(t, context) || program.is_a(context, t) && program.ty(t).kind != yarrowgraph_ir::TypeKind::Enum
            });
            self.reach.asked.borrow_mut().context.insert(site, is_context);
            is_context
        })
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::transitions;

    #[test]
    fn a_choice_is_given_its_value_wherever_that_is_said() {
        let found = transitions(
            r#"//// Flag.java
class Flag {
    enum Hoist { DOWN, HALF, FULL }
    private Hoist hoist = Hoist.DOWN;
    void blow(double knots) {
        hoist = switch (hoist) {
            case DOWN -> knots > 17 ? Hoist.HALF : hoist;
            case HALF -> {
                if (knots > 28) yield Hoist.FULL;
                if (knots < 10) yield Hoist.DOWN;
                yield hoist;
            }
            case FULL -> Hoist.HALF;
        };
    }
}
"#,
        );
        assert_eq!(found, ["DOWN --blow--> HALF", "HALF --blow--> FULL", "HALF --blow--> DOWN", "FULL --blow--> HALF"]);
    }

    #[test]
    fn symbols_are_states_and_wait_in_another_field() {
        let found = transitions(
            r#"//// lift.js
const DOWN = Symbol('down'), MOVING = Symbol('moving'), UP = Symbol('up');
export class Lift {
  #state = DOWN;
  #goal = DOWN;
  raise() { if (this.#state === DOWN) { this.#goal = UP; this.#state = MOVING; } }
  lower() { if (this.#state === UP) { this.#goal = DOWN; this.#state = MOVING; } }
  arrived() { if (this.#state === MOVING) this.#state = this.#goal; }
}
"#,
        );
        assert_eq!(found, ["DOWN --raise--> MOVING", "UP --lower--> MOVING", "MOVING --arrived--> DOWN", "MOVING --arrived--> UP"]);
    }

    #[test]
    fn a_helper_is_told_by_a_name_what_is_done() {
        let text = "//// pot.js\nconst next = { empty: { fill: 'simmering' }, simmering: { ladle: 'served' }, served: { wash: 'empty' } };\n\
            export class Pot {\n  constructor() { this.state = 'empty'; }\n\
              fill() { return this.HELPER('fill'); }\n  ladle() { return this.HELPER('ladle'); }\n  wash() { return this.HELPER('wash'); }\n\
              HELPER(action) { const to = next[this.state]?.[action]; if (!to) return false; this.state = to; return true; }\n}\n";
        for helper in ["#apply", "apply"] {
            let expected = ["empty --fill--> simmering", "simmering --ladle--> served", "served --wash--> empty"];
            assert_eq!(transitions(&text.replace("HELPER", helper)), expected, "{helper}");
        }
    }
}
