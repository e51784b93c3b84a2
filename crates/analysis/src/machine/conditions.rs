//! Conditions: what they say of the state, of the message, or of neither.

use yarrowgraph_ir::{BinaryOp, Node, NodeId, TypeKind, UnaryOp};

use super::state::{self, State};
use super::walk::Walker;
use super::way::{Value, Way};
use crate::program::{Site, TypeId};

impl Walker<'_, '_> {
    /// Asks a condition: the ways on which it holds and those on which it does not.
    pub(super) fn ask(&mut self, node: NodeId, way: Way) -> Vec<(Way, bool)> {
        let Some(body) = self.flow.program.body(self.site_of(node).member) else { return vec![(way, true)] };
        match body.node(node) {
            Node::Bool(b) => vec![(way, b)],
            Node::Unary { op: UnaryOp::Not, operand } => self.ask(operand, way).into_iter().map(|(w, holds)| (w, !holds)).collect(),
            Node::Binary { op: BinaryOp::And, left, right } => {
                let mut out = Vec::new();
                for (way, holds) in self.ask(left, way) {
                    if holds { out.extend(self.ask(right, way)) } else { out.push((way, false)) }
                }
                out
            }
            Node::Binary { op: BinaryOp::Or, left, right } => {
                let mut out = Vec::new();
                for (way, holds) in self.ask(left, way) {
                    if holds { out.push((way, true)) } else { out.extend(self.ask(right, way)) }
                }
                out
            }
            Node::Binary { op: op @ (BinaryOp::Eq | BinaryOp::Ne), left, right } => {
                let mut out = Vec::new();
                for (way, l) in self.values(left, way) {
                    // `box is Box.Gone` compares with a type
                    if let Some(class) = self.named_type(right) {
                        out.extend(self.narrowed(&l, class, way, node));
                        continue;
                    }
                    for (way, r) in self.values(right, way) {
                        out.extend(self.compared(&l, left, &r, right, way, node));
                    }
                }
                if op == BinaryOp::Eq {
                    return out;
                }
                // what is left open is whether the whole of it holds, not whether the two are equal
                let site = self.site(node);
                let is_open = |way: &Way| way.conditions.iter().any(|(asked, _)| *asked == site);
                out.into_iter().map(|(way, holds)| if is_open(&way) { (way, holds) } else { (way, !holds) }).collect()
            }
            Node::TypeTest { object, ty, binding } => {
                let mut out = Vec::new();
                for (way, value) in self.values(object, way) {
                    match ty.and_then(|t| self.flow.program.type_in(self.site_of(node).member, t).own()) {
                        Some(class) => {
                            for (mut way, holds) in self.narrowed(&value, class, way, node) {
                                if let Some(binding) = binding {
                                    self.bind_pattern(&mut way, binding, &value);
                                }
                                out.push((way, holds));
                            }
                        }
                        None => match binding {
                            Some(pattern) => out.extend(self.fits(&value, pattern, way)),
                            None => out.extend(self.open(node, way)),
                        },
                    }
                }
                out
            }
            Node::Local { init: Some(_), .. } | Node::Assign { .. } => {
                let done = self.run(node, way);
                done.into_iter()
                    .filter_map(|(w, exit)| match exit {
                        super::way::Exit::Value(v) => Some((w, v)),
                        _ => None,
                    })
                    .flat_map(|(w, v)| self.truth(&v, node, w))
                    .collect()
            }
            Node::Call { callee, args, .. } => {
                if let Some((object, other)) = self.equality(callee, body.list(args)) {
                    let mut out = Vec::new();
                    for (way, l) in self.values(object, way) {
                        for (way, r) in self.values(other, way) {
                            out.extend(self.compared(&l, object, &r, other, way, node));
                        }
                    }
                    return out;
                }
                if let Some((list, value)) = self.membership(callee, body.list(args)) {
                    let mut out = Vec::new();
                    for (way, value) in self.values(value, way) {
                        out.extend(self.among(&value, &list, way, node));
                    }
                    return out;
                }
                if let Some((list, value)) = self.found_in(callee, body.list(args)) {
                    return self.listed(list, value, way, node);
                }
                let found = self.values(node, way);
                found.into_iter().flat_map(|(w, v)| self.truth(&v, node, w)).collect()
            }
            // what is there may be of another kind: `if (dynamic_cast<Sluice*>(gate))`
            Node::Cast { .. } if self.flow.program.kit_of(self.site_of(node).member).traits.references_dangle => self.open(node, way),
            // `list.indexOf(value) >= 0`
            Node::Binary { op: op @ (BinaryOp::Lt | BinaryOp::Ge | BinaryOp::Gt), left, right } => {
                let is_number = |text: &str| matches!(body.node(right), Node::Num(n) if self.flow.program.unit_of(self.site_of(node).member).text(n) == text);
                let is_minus = matches!(body.node(right), Node::Plain | Node::Opaque(_) | Node::Unary { .. });
                let asks = match op {
                    BinaryOp::Gt => is_minus,
                    _ => is_number("0"),
                };
                let Node::Call { callee, args, .. } = body.node(left) else { return self.asked_anyhow(node, way) };
                let Some((list, value)) = self.found_in(callee, body.list(args)).filter(|_| asks) else {
                    return self.asked_anyhow(node, way);
                };
                let found = self.listed(list, value, way, node);
                if op == BinaryOp::Lt { found.into_iter().map(|(w, holds)| (w, !holds)).collect() } else { found }
            }
            _ => {
                let found = self.values(node, way);
                found.into_iter().flat_map(|(w, v)| self.truth(&v, node, w)).collect()
            }
        }
    }

    fn asked_anyhow(&mut self, node: NodeId, way: Way) -> Vec<(Way, bool)> {
        let found = self.values(node, way);
        found.into_iter().flat_map(|(w, v)| self.truth(&v, node, w)).collect()
    }

    /// The list and the value of a call that looks for one in the other: `ALLOWED.get(state).contains(next)`,
    /// `Array.IndexOf(next[state], to)`.
    fn found_in(&self, callee: NodeId, args: &[NodeId]) -> Option<(NodeId, NodeId)> {
        let here = self.site(callee).member;
        let body = self.flow.program.body(here)?;
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        if !self.flow.program.kit_of(here).pack.membership.contains(self.flow.program.unit_of(here).text(name)) {
            return None;
        }
        match args {
            [value] => Some((object, *value)),
            [list, value] => Some((*list, *value)),
            _ => None,
        }
    }

    /// Whether a list that a table has for a state holds a value; both where the list is not written out.
    fn listed(&mut self, list: NodeId, value: NodeId, way: Way, node: NodeId) -> Vec<(Way, bool)> {
        let mut out = Vec::new();
        // `EnumSet.of(OPEN, SHUT)`, kept in a constant
        let whole = self.written_list(list);
        for (way, list) in self.values(list, way) {
            let items = match &list {
                _ if whole.is_some() => whole.clone(),
                Value::Row(row) => self.parts_of(*row),
                // a list may be seen through to what stands in it first
                Value::State(_, _, Some(at)) | Value::Named(_, _, Some(at)) => {
                    self.parts_of((*at).into()).filter(|parts| parts.len() > 1).or_else(|| Some(vec![(*at).into()]))
                }
                _ => None,
            };
            let Some(items) = items else {
                out.extend(self.open(node, way));
                continue;
            };
            for (way, value) in self.values(value, way) {
                let mut open = vec![way];
                for item in &items {
                    let mut left = Vec::new();
                    for way in open {
                        for (way, holds) in self.fits_key(&value, *item, way) {
                            if holds { out.push((way, true)) } else { left.push(way) }
                        }
                    }
                    open = left;
                }
                out.extend(open.into_iter().map(|w| (w, false)));
            }
        }
        out
    }

    fn site_of(&self, node: NodeId) -> Site {
        self.site(node)
    }

    /// Both ways, on the condition.
    fn open(&self, node: NodeId, way: Way) -> Vec<(Way, bool)> {
        let site = self.site(node);
        // asked before on this way; in a function that is given something each call may ask something else
        if let Some((_, holds)) = way.conditions.iter().find(|(s, _)| *s == site) {
            let holds = *holds;
            let of_call = self.root != Some(site.member) && !self.flow.program.decl(site.member).params.is_empty();
            return if of_call { vec![(way.clone(), holds), (way, !holds)] } else { vec![(way, holds)] };
        }
        let mut other = way.clone();
        let mut way = way;
        way.conditions.push((site, true));
        other.conditions.push((site, false));
        vec![(way, true), (other, false)]
    }

    pub(super) fn truth(&self, value: &Value, node: NodeId, way: Way) -> Vec<(Way, bool)> {
        match value {
            Value::Truth(b) => vec![(way, *b)],
            Value::Null => vec![(way, false)],
            Value::State(..) | Value::Named(..) | Value::Context | Value::Several(_) | Value::Row(_) | Value::Function(..) => {
                vec![(way, true)]
            }
            // what holds the state may be unset at first, which is no state
            Value::Held => vec![(way, true)],
            _ => self.open(node, way),
        }
    }

    /// The type that an expression names.
    fn named_type(&self, node: NodeId) -> Option<TypeId> {
        let here = self.site(node).member;
        match self.flow.program.body(here)?.node(node) {
            Node::Name(_) | Node::Member { .. } => match self.flow.eval_in(here, node) {
                crate::flow::Val::Type(t) => Some(t),
                _ => None,
            },
            Node::TypeExpr(ty) => self.flow.program.type_in(here, ty).own(),
            _ => None,
        }
    }

    /// The two values of a call that compares them.
    fn equality(&self, callee: NodeId, args: &[NodeId]) -> Option<(NodeId, NodeId)> {
        let here = self.site(callee).member;
        let body = self.flow.program.body(here)?;
        let pack = &self.flow.program.kit_of(here).pack;
        match (body.node(callee), args) {
            (Node::Member { object, name, .. }, [other]) if pack.equality.contains(self.flow.program.unit_of(here).text(name)) => {
                Some((object, *other))
            }
            (Node::Name(name) | Node::Member { name, .. }, [one, other])
                if pack.equality.contains(self.flow.program.unit_of(here).text(name)) =>
            {
                Some((*one, *other))
            }
            _ => None,
        }
    }

    /// The items of a list and the value that is looked for among them: `[OPEN, SHUT].includes(state)`.
    fn membership(&self, callee: NodeId, args: &[NodeId]) -> Option<(Vec<NodeId>, NodeId)> {
        let here = self.site(callee).member;
        let body = self.flow.program.body(here)?;
        let pack = &self.flow.program.kit_of(here).pack;
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        let [value] = args else { return None };
        if !pack.membership.contains(self.flow.program.unit_of(here).text(name)) {
            return None;
        }
        match body.node(object) {
            Node::Collection { items, .. } => Some((body.list(items).to_vec(), *value)),
            Node::Call { args, .. } if args.len > 1 => Some((body.list(args).to_vec(), *value)),
            Node::New { args, .. } => match body.list(args) {
                [only] => match body.node(*only) {
                    Node::Collection { items, .. } => Some((body.list(items).to_vec(), *value)),
                    _ => None,
                },
                _ => None,
            },
            _ => None,
        }
    }

    fn among(&mut self, value: &Value, items: &[NodeId], way: Way, node: NodeId) -> Vec<(Way, bool)> {
        let mut open = vec![way];
        let mut out = Vec::new();
        for item in items {
            let mut left = Vec::new();
            for way in open {
                for (way, other) in self.values(*item, way) {
                    for (way, holds) in self.compared(value, *item, &other, *item, way, node) {
                        if holds { out.push((way, true)) } else { left.push(way) }
                    }
                }
            }
            open = left;
        }
        out.extend(open.into_iter().map(|w| (w, false)));
        out
    }

    /// Compares two values.
    fn compared(&mut self, left: &Value, left_node: NodeId, right: &Value, right_node: NodeId, way: Way, node: NodeId) -> Vec<(Way, bool)> {
        match (left, right) {
            (Value::Truth(a), Value::Truth(b)) => vec![(way, a == b)],
            (Value::Null, Value::Null) => vec![(way, true)],
            (Value::Held, Value::Held) => vec![(way, true)],
            (Value::Null, other) | (other, Value::Null) if is_something(other) => vec![(way, false)],
            // a new object is no other, whatever its class
            (Value::Held, Value::State(_, true, _)) | (Value::State(_, true, _), Value::Held) => self.open(node, way),
            (Value::Held, Value::State(bits, false, _)) | (Value::State(bits, false, _), Value::Held) => at(way, *bits),
            (Value::State(a, false, _), Value::State(b, false, _)) if a & b == 0 => vec![(way, false)],
            (Value::State(a, false, _), Value::State(b, false, _)) if a == b && a.count_ones() == 1 => vec![(way, true)],
            (Value::Truth(b), other) | (other, Value::Truth(b)) => {
                let asked =
                    if matches!(other, Value::Unknown | Value::Message(_)) { self.open(node, way) } else { self.truth(other, node, way) };
                asked.into_iter().map(|(w, holds)| (w, holds == *b)).collect()
            }
            (Value::Held, _) => self.held_against(right_node, way, node),
            (_, Value::Held) => self.held_against(left_node, way, node),
            (Value::Message(at), Value::Named(named, ..)) | (Value::Named(named, ..), Value::Message(at)) => {
                self.message_is(*at, *named, way, node)
            }
            (Value::Message(at), Value::Row(row)) | (Value::Row(row), Value::Message(at)) => {
                match state::named(self.flow, row.at.member, row.at.node) {
                    Some(named) => self.message_is(*at, named, way, node),
                    None => self.open(node, way),
                }
            }
            (Value::Message(at), _) => self.message_against(*at, right_node, way, node),
            (_, Value::Message(at)) => self.message_against(*at, left_node, way, node),
            // a message that is what the machine's states are, too
            _ => self.open(node, way),
        }
    }

    /// Compares what the machine holds with something that is no state as yet.
    fn held_against(&mut self, other: NodeId, way: Way, node: NodeId) -> Vec<(Way, bool)> {
        let here = self.site(other).member;
        let Some(named) = state::named(self.flow, here, other).or_else(|| self.bare_constant(other)) else { return self.open(node, way) };
        match self.domain.find(self.flow, named) {
            Some(bits) => at(way, bits),
            None => vec![(way, false)],
        }
    }

    /// A constant of the enumeration that is named alone, as a label may be.
    fn bare_constant(&self, node: NodeId) -> Option<State> {
        let here = self.site(node).member;
        let Node::Name(name) = self.flow.program.body(here)?.node(node) else { return None };
        let sym = self.flow.program.sym_in(here, name);
        let is_it = |s: &&State| matches!(s, State::Constant(m) if self.flow.program.member(*m).name == sym);
        self.domain.states.iter().find(is_it).copied()
    }

    /// Compares a message with a constant.
    fn message_against(&mut self, at: u16, other: NodeId, way: Way, node: NodeId) -> Vec<(Way, bool)> {
        let here = self.site(other).member;
        let named = state::named(self.flow, here, other).or_else(|| self.message_constant(at, other));
        match named {
            Some(named) => self.message_is(at, named, way, node),
            None => self.open(node, way),
        }
    }

    /// A constant of the message's enumeration that a label names alone.
    fn message_constant(&self, at: u16, node: NodeId) -> Option<State> {
        let here = self.site(node).member;
        let program = self.flow.program;
        let Node::Name(name) = program.body(here)?.node(node) else { return None };
        let root = self.root?;
        let ty = program.decl(root).params.get(usize::from(at))?.ty?;
        let ty = program.type_in(root, ty).own()?;
        let found = program.own_members(ty, program.sym_in(here, name)).first().copied()?;
        Some(State::Constant(found))
    }

    pub(super) fn message_is(&mut self, at: u16, named: State, way: Way, node: NodeId) -> Vec<(Way, bool)> {
        match &way.message {
            Some((asked, among)) if *asked == at => {
                if !among.contains(&named) {
                    return vec![(way, false)];
                }
                if among.len() == 1 {
                    return vec![(way, true)];
                }
                let mut other = way.clone();
                let mut way = way;
                if let Some((_, among)) = &mut other.message {
                    among.retain(|s| *s != named);
                }
                way.message = Some((at, vec![named]));
                vec![(way, true), (other, false)]
            }
            Some(_) => self.open(node, way),
            None if way.other_than.contains(&(at, named)) => vec![(way, false)],
            None => {
                let mut other = way.clone();
                let mut way = way;
                other.other_than.push((at, named));
                way.other_than.clear();
                way.message = Some((at, vec![named]));
                vec![(way, true), (other, false)]
            }
        }
    }

    /// Whether a value is of a class.
    pub(super) fn narrowed(&mut self, value: &Value, class: TypeId, way: Way, node: NodeId) -> Vec<(Way, bool)> {
        match value {
            Value::Held => match self.class_bits(class) {
                Some(bits) => {
                    self.found.tested = true;
                    at(way, bits)
                }
                None => vec![(way, false)],
            },
            Value::State(states, ..) => match self.class_bits(class) {
                Some(bits) if bits & states == 0 => vec![(way, false)],
                Some(bits) if bits & states == *states => vec![(way, true)],
                _ => self.open(node, way),
            },
            Value::Message(at) if self.may_be_both(&way, *at, class) => self.open(node, way),
            Value::Message(at) => self.message_is(*at, State::Class(class), way, node),
            Value::Null => vec![(way, false)],
            _ => self.open(node, way),
        }
    }

    /// Whether a message of which it is known what it is may be of another class as well: of one that extends that, or of
    /// one that only says what its objects can do.
    fn may_be_both(&self, way: &Way, at: u16, class: TypeId) -> bool {
        let program = self.flow.program;
        let Some((_, among)) = way.message.as_ref().filter(|(asked, _)| *asked == at) else { return false };
        let is_open = |t: TypeId| program.ty(t).kind == TypeKind::Interface;
        among.iter().any(|known| match known {
            State::Class(known) if *known != class => is_open(class) || is_open(*known) || program.is_a(class, *known),
            _ => false,
        })
    }

    /// Whether a value fits a label or pattern.
    pub(super) fn fits(&mut self, value: &Value, label: NodeId, way: Way) -> Vec<(Way, bool)> {
        let here = self.site(label).member;
        let Some(body) = self.flow.program.body(here) else { return vec![(way, true)] };
        match body.node(label) {
            Node::Collection { items: parts, .. } | Node::Opaque(parts) | Node::Pattern { parts, .. }
                if matches!(value, Value::Several(_)) =>
            {
                let Value::Several(values) = value else { return Vec::new() };
                let mut open = vec![way];
                let mut out = Vec::new();
                for (value, part) in values.clone().iter().zip(body.list(parts).to_vec()) {
                    let mut next = Vec::new();
                    for way in open {
                        for (way, fits) in self.fits(value, part, way) {
                            if fits { next.push(way) } else { out.push((way, false)) }
                        }
                    }
                    open = next;
                }
                out.extend(open.into_iter().map(|w| (w, true)));
                out
            }
            Node::Opaque(parts) | Node::Pattern { parts, .. } if body.list(parts).len() == 1 => {
                let only = body.list(parts)[0];
                self.fits(value, only, way)
            }
            Node::Local { ty, init: None, .. } => match ty.and_then(|t| self.flow.program.type_in(here, t).own()) {
                Some(class) => {
                    let mut found = self.narrowed(value, class, way, label);
                    for (way, _) in &mut found {
                        self.bind_pattern(way, label, value);
                    }
                    found
                }
                None => {
                    let mut way = way;
                    self.bind_pattern(&mut way, label, value);
                    vec![(way, true)]
                }
            },
            // alternatives of one label
            Node::Binary { op: BinaryOp::Or | BinaryOp::BitOr, left, right } => {
                let mut out = Vec::new();
                for (way, fits) in self.fits(value, left, way) {
                    if fits { out.push((way, true)) } else { out.extend(self.fits(value, right, way)) }
                }
                out
            }
            Node::Binary { op: BinaryOp::And, left, right } if *value != Value::Truth(true) => {
                let mut out = Vec::new();
                for (way, fits) in self.fits(value, left, way) {
                    if fits { out.extend(self.fits(value, right, way)) } else { out.push((way, false)) }
                }
                out
            }
            Node::Unary { op: UnaryOp::Not, operand } => self.fits(value, operand, way).into_iter().map(|(w, fits)| (w, !fits)).collect(),
            Node::Empty => vec![(way, true)],
            Node::Name(name) if self.flow.program.unit_of(here).text(name) == "_" => vec![(way, true)],
            Node::TypeTest { .. } | Node::Binary { op: BinaryOp::Gt | BinaryOp::Ge | BinaryOp::Lt | BinaryOp::Le, .. } => {
                self.ask(label, way)
            }
            _ => {
                if let Some(class) = self.named_type(label) {
                    return self.narrowed(value, class, way, label);
                }
                if *value == Value::Truth(true) {
                    return self.ask(label, way);
                }
                if *value == Value::Held
                    && let Some(named) = state::named(self.flow, here, label).or_else(|| self.bare_constant(label))
                {
                    self.label(self.site(label), named);
                }
                let mut out = Vec::new();
                for (way, other) in self.values(label, way) {
                    out.extend(self.compared(value, label, &other, label, way, label));
                }
                out
            }
        }
    }
}

/// Whether a value is certainly there.
fn is_something(value: &Value) -> bool {
    use Value::{Filled, Function, Held, Named, Row, State};
    matches!(value, State(..) | Named(..) | Held | Row(_) | Function(..) | Filled(..))
}

/// The ways on which the machine is, and is not, in one of some states.
pub(super) fn at(way: Way, bits: u64) -> Vec<(Way, bool)> {
    let mut other = way.clone();
    let mut way = way;
    way.at &= bits;
    way.told = true;
    other.told = true;
    // two objects of one class need not be the same, but which state it is that says
    other.at &= !bits;
    let mut out = Vec::new();
    if way.at != 0 {
        out.push((way, true));
    }
    if other.at != 0 {
        out.push((other, false));
    }
    out
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    #[test]
    fn a_test_for_another_value_is_said_as_it_is_written() {
        let text = "
//// Gate.java
class Gate {
  enum State { SHUT, MOVING, OPEN }
  private State state = State.SHUT;
  private State wanted = State.SHUT;
  void pull(int hands) {
    switch (state) {
      case SHUT: if (hands != 2) state = State.MOVING; break;
      case MOVING: if (hands == 1) state = State.OPEN; break;
      case OPEN: if (wanted != State.OPEN) state = State.SHUT; break;
    }
  }
  void want(State next) { wanted = next; }
}
";
        let found = map(text);
        let told: Vec<String> =
            found.machines[0].transitions.iter().map(|t| format!("{} if {}", t.to, t.guard.as_deref().unwrap_or("always"))).collect();
        assert_eq!(told, ["MOVING if hands != 2", "OPEN if hands == 1", "SHUT if wanted != State.OPEN"]);
    }
}
