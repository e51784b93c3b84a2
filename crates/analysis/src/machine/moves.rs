//! What a way stores into the machine's holder, and the moves that come of it.

use yarrowgraph_ir::{AssignOp, Node, NodeId};

use super::handed;
use super::state::State;
use super::walk::{Event, Move, PARAM, Walker};
use super::way::{Value, Values, Way, put};
use crate::program::{Declared, MemberId, Site};

impl Walker<'_, '_> {
    pub(super) fn assignment(&mut self, op: AssignOp, target: NodeId, value: NodeId, node: NodeId, way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let scope = self.program().scope(self.here());
        let holder = self.is_holder(target);
        let setter = if holder { None } else { self.setter(target) };
        let mut out = Vec::new();
        for (mut way, found) in self.values(value, way) {
            if holder {
                // what is computed from what was there may be anything: `state |= FLUSHING`
                let stored = if matches!(op, AssignOp::Set | AssignOp::IfUnset) { found.clone() } else { Value::Unknown };
                let way = self.store(way, stored, node, value);
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
    pub(super) fn setter(&self, target: NodeId) -> Option<MemberId> {
        let body = self.program().body(self.here())?;
        let name = match body.node(target) {
            Node::Name(name) | Node::Member { name, .. } => self.program().sym_in(self.here(), name),
            _ => return None,
        };
        let context = self.machine.context?;
        let is_setter =
            |m: &MemberId| self.program().member(*m).kind == yarrowgraph_ir::MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Set);
        self.program().find_members(context, name).into_iter().find(|m| is_setter(m) && self.reach.moves(*m))
    }

    /// Stores a value into the holder.
    pub(super) fn store(&mut self, mut way: Way, value: Value, node: NodeId, given: NodeId) -> Way {
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
            match value {
                Value::Message(_) if self.frames.len() == 1 => _ = self.found.setters.insert(self.here()),
                Value::Message(_) => {}
                // whoever calls it says of which class
                _ if self.frames.len() == 1 && handed::said_by_callers(self.flow, self.site(given)).is_some() => {
                    self.found.setters.insert(self.here());
                }
                _ => self.found.stores_unknown = true,
            }
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
            self.is_told |= way.told && was & all != all && was & !(1 << to) != 0;
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
    pub(super) fn said_at(&self, node: NodeId, given: NodeId, named: Option<Site>) -> Site {
        let store = self.site(node);
        let handed = self.handed_by(node, given);
        match named {
            Some(named) if handed == store => {
                let within = named.member == store.member && self.program().scope(store.member).is_within(named.node, node);
                if within && !self.is_in_arm(named, node) { store } else { named }
            }
            _ => handed,
        }
    }

    /// Whether something stands in an arm of a switch whose value a statement stores: each of the arms says something else.
    fn is_in_arm(&self, named: Site, store: NodeId) -> bool {
        let Some(body) = self.program().body(named.member) else { return false };
        let between = self.program().scope(named.member).ancestors(named.node).take_while(|n| *n != store);
        between.into_iter().any(|n| matches!(body.node(n), Node::Case { .. }))
    }

    /// The statement that says what is stored: where that is a parameter, the call that hands it over.
    pub(super) fn handed_by(&self, node: NodeId, given: NodeId) -> Site {
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
}
