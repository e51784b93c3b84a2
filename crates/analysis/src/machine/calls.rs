//! Calls on a way: of the methods of states, of code that may move the machine, and of what a library offers.

use yarrowgraph_ir::{Body, FunctionId, MemberKind, Node, NodeId, Param};

use super::domain::Encoding;
use super::keys::speaks;
use super::state::State;
use super::walk::{BODY, Event, Frame, NEAR, PARAM, QUESTION, STILL, Walker};
use super::way::{Exit, Slot, Value, Values, Way, put};
use crate::program::{Declared, MemberId, Program, Site, Sym, TypeId};

impl Walker<'_, '_> {
    /// A call: of a method of the state, of other code that may move the machine or say where to, or of anything else.
    pub(super) fn call(&mut self, node: NodeId, callee: NodeId, args: &[NodeId], way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let program = self.program();
        let pack = &*program.kit_of(self.here()).pack;
        self.found.called.insert(self.site(node));
        if self.domain.encoding == Encoding::Functions && self.is_holder(callee) {
            let given = self.arguments(args, way);
            return given.into_iter().flat_map(|(way, given)| self.run_held(node, &given, &way)).collect();
        }
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
            // a function that a local holds
            Node::Name(_) if let Some(function @ Value::Function(..)) = self.slot_value(callee, &receivers[0].0) => {
                receivers[0].1 = function;
            }
            Node::Name(n) => {
                name = Some(program.sym_in(self.here(), n));
                if let Some(context) = self.machine.context
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
    pub(super) fn called(
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
        // a function that the row of a table has
        if let (Value::Row(row), Some(name)) = (receiver, name)
            && let Value::Function(m, f) = self.named_part(*row, name)
        {
            return self.enter_function(self.site(node), m, f, given, way);
        }
        // a method of the states
        if let Some(name) = name
            && (*receiver == Value::Held || matches!(receiver, Value::State(..)))
            && let Some(done) = self.delegate(node, name, receiver, &given, &way)
        {
            return done;
        }
        // the place of a row between the two ends of a list
        if pack.positions.contains(text)
            && let Some(Value::Function(m, f)) = given.last()
            && let Some(list) = args.first().and_then(|begin| self.list_of_end(*begin))
        {
            return self.pick(list, (*m, *f), self.site(node), way);
        }
        // the rows for which a function says so, of which the first one counts
        if let (true, [Value::Function(m, f)]) = (pack.filters.contains(text), &given[..])
            && let Some(Node::Member { object, .. }) = program.body(self.here()).map(|b| b.node(callee))
            && self.rows(object).is_some()
        {
            return self.pick(object, (*m, *f), self.site(node), way);
        }
        if matches!(receiver, Value::Row(_) | Value::Null | Value::State(..) | Value::Named(..))
            && let Some(found) = self.of_row(node, text, receiver, args, &given, &way)
        {
            return found;
        }
        let is_look_up = pack.elements.contains(text) || pack.out_lookups.contains(text);
        if is_look_up
            && let Some(Node::Member { object, .. }) = program.body(self.here()).map(|b| b.node(callee))
            && let [key, ..] = &given[..]
        {
            let found = match key {
                // where there is no row, there is nothing in it
                _ if *receiver == Value::Null => vec![(way.clone(), Value::Null)],
                Value::Function(m, f) => self.pick(object, (*m, *f), self.site(node), way.clone()),
                _ => self.look_up(object, receiver, key, way.clone()),
            };
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
        // `Objects.requireNonNullElse(next, state)`, `found.orElse(state)`
        if pack.fallbacks.contains(text) {
            match (&given[..], receiver) {
                ([Value::Null, other], _) | ([other], Value::Null) => return vec![(way, other.clone())],
                ([known, _], _) | ([_], known) if *known != Value::Unknown => return vec![(way, known.clone())],
                _ => {}
            }
        }
        let Some(target) = self.flow.callee(self.site(node)) else {
            if pack.list_ends.contains(text) {
                return vec![(way, Value::Null)];
            }
            let value = match self.constant(node, true) {
                Some(value) => value,
                // a key of several parts: `List.of(state, event)`
                None if given.len() > 1 && given.iter().all(speaks) => Value::Several(given.clone()),
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
        if let Some(done) = self.overloaded(node, target.member, receiver, &given, &way) {
            return done;
        }
        let m = target.member;
        let is_mover = self.reach.moves(m);
        // nobody asks what a statement comes to
        let is_asked = !is_statement(program, self.site(node));
        let still = self.frames.iter().rev().take_while(|f| !self.reach.moves(f.member)).count();
        let nodes = program.body(m).map_or(0, |b| b.nodes.len());
        let speaks = given.iter().any(|g| match g {
            Value::Unknown | Value::Truth(_) | Value::Null | Value::Row(_) | Value::Function(..) | Value::Named(..) => false,
            Value::Message(_) => is_asked && still == 0 && nodes <= QUESTION,
            Value::Context => self.reach.matters(m) || self.reach.comes_to_move(self.flow, m),
            _ => true,
        });
        // what says nothing of the state may yet end the way, or say that it is not to be gone
        let ends = |b: &Body| match is_asked {
            true => b.ids().any(|n| matches!(b.node(n), Node::Throw(_) | Node::Bool(_))),
            false => b.root.is_some_and(|root| b.leaves(root)),
        };
        let matters = still < STILL && self.reach.matters_within(m, STILL - still - 1, is_asked);
        let small = program.body(m).is_some_and(|b| b.nodes.len() <= BODY && (matters || self.frames.len() <= NEAR && ends(b)));
        if !self.is_deep()
            && (is_mover || self.is_fine() && (speaks || small) && still < STILL)
            && !self.frames.iter().any(|f| f.member == m && f.function.is_none())
        {
            let owner = program.member(m).owner;
            let of_context = self.machine.context.is_some_and(|c| program.are_kin(owner, c));
            let this = match receiver {
                Value::Unknown if of_context => Value::Context,
                other => other.clone(),
            };
            let mut given = given;
            if target.extension {
                given.insert(0, receiver.clone());
            }
            let before = way.clone();
            // what a function that runs later calls sets its moves off, unless it is merely told where to
            let says_where = |given: &Value| match given {
                Value::State(..) | Value::Several(_) => true,
                Value::Named(state, ..) => self.domain.find(self.flow, *state).is_some(),
                _ => false,
            };
            let sets_off = self.frames.len() == self.later_depth && of_context && !given.iter().any(says_where);
            if sets_off && self.roots.contains(&m) {
                return vec![(self.lost(before), Value::Unknown)];
            }
            let (event, root) = (self.event, self.root);
            if sets_off {
                (self.event, self.root) = (Some(Event::Method(m)), Some(m));
            }
            let done = self.enter(self.site(node), m, None, this, given, way);
            (self.event, self.root) = (event, root);
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

    /// What a library does with the row that was found, or with a part of it, or where there is none: `.map(Row::to).findFirst().orElse(state)`.
    fn of_row(&mut self, node: NodeId, text: &str, row: &Value, args: &[NodeId], given: &[Value], way: &Way) -> Option<Values> {
        let program = self.program();
        let pack = &*program.kit_of(self.here()).pack;
        let body = program.body(self.here())?;
        let is_there = *row != Value::Null;
        match args {
            // how many there are says nothing of the row
            [] if pack.counts.contains(text) => None,
            [] => {
                let name = program.symbols.get(text)?;
                let part = if let Value::Row(row) = row { self.named_part(*row, name) } else { Value::Unknown };
                // `.findFirst()`
                let of_library = || self.flow.callee(self.site(node)).is_none();
                match part {
                    Value::Unknown => of_library().then(|| vec![(way.clone(), row.clone())]),
                    // a function is called as such
                    Value::Function(..) => None,
                    part => Some(vec![(way.clone(), part)]),
                }
            }
            [only] if pack.walks.contains(text) => {
                if !is_there {
                    return Some(vec![(way.clone(), Value::Null)]);
                }
                match (&given[0], body.node(*only)) {
                    (Value::Function(m, f), _) => Some(self.enter_function(self.site(node), *m, *f, vec![row.clone()], way.clone())),
                    // `Row::to`
                    (_, Node::MethodRef { name, .. } | Node::Member { name, .. }) => {
                        let Value::Row(row) = row else { return None };
                        Some(vec![(way.clone(), self.named_part(*row, program.sym_in(self.here(), name)))])
                    }
                    _ => None,
                }
            }
            [_] if pack.unwraps.contains(text) => Some(vec![(way.clone(), if is_there { row.clone() } else { given[0].clone() })]),
            _ => None,
        }
    }

    /// A call of a method that there is one of for each class of what it is given: `on(state, rise)`.
    fn overloaded(&mut self, node: NodeId, target: MemberId, receiver: &Value, given: &[Value], way: &Way) -> Option<Values> {
        let program = self.program();
        let at = given.iter().position(|g| matches!(g, Value::Held | Value::State(..)))?;
        let info = program.member(target);
        let class = |m: MemberId| program.decl(m).params.get(at)?.ty.and_then(|t| program.type_in(m, t).own());
        let alike = |m: &&MemberId| {
            program.member(**m).kind == MemberKind::Method
                && program.decl(**m).params.len() == given.len()
                && program.body(**m).is_some_and(|b| b.root.is_some())
        };
        let overloads: Vec<(MemberId, TypeId)> =
            program.own_members(info.owner, info.name).iter().filter(alike).filter_map(|m| Some((*m, class(*m)?))).collect();
        if overloads.len() < 2 || self.is_deep() || overloads.iter().all(|(_, c)| *c == overloads[0].1) {
            return None;
        }
        let this = if *receiver == Value::Unknown { Value::Context } else { receiver.clone() };
        let mut open = vec![way.clone()];
        let mut out = Vec::new();
        for (m, class) in overloads {
            let mut left = Vec::new();
            for way in open {
                for (way, fits) in self.narrowed(&given[at], class, way, node) {
                    if fits {
                        out.extend(self.enter(self.site(node), m, None, this.clone(), given.to_vec(), way));
                    } else {
                        left.push(way);
                    }
                }
            }
            open = left;
        }
        out.extend(open.into_iter().map(|w| (w, Value::Unknown)));
        Some(out)
    }

    /// What a local or parameter holds on a way.
    fn slot_value(&self, node: NodeId, way: &Way) -> Option<Value> {
        way.slots.get(&self.out_local(node)?).cloned()
    }

    /// The variable that a look-up puts what it finds into.
    pub(super) fn out_local(&self, node: NodeId) -> Option<Slot> {
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
    pub(super) fn handed_over(&mut self, at: Site, m: MemberId, f: FunctionId, way: &Way) {
        let key = (m, Some(f));
        if self.frames.iter().any(|x| (x.member, x.function) == key) {
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
        if self.later.insert((self.event, m, f, later.slots.clone())) {
            // by then what called it is over
            let around = self.frames.iter().rfind(|x| x.member == m).cloned();
            let frames = std::mem::replace(&mut self.frames, around.into_iter().collect());
            let depth = std::mem::replace(&mut self.later_depth, self.frames.len() + 1);
            let before = self.found.moves.len();
            self.enter_function(at, m, f, Vec::new(), later);
            self.apart.push(before..self.found.moves.len());
            self.later_depth = depth;
            self.frames = frames;
        }
    }

    /// Walks functions that store a state and that are put aside, to be run who knows when.
    pub(super) fn put_aside(&mut self) {
        let program = self.program();
        for m in self.found.entered.clone() {
            let Some(body) = program.body(m) else { continue };
            let scope = program.scope(m);
            for node in body.ids() {
                let Node::Assign { target, .. } = body.node(node) else { continue };
                let Some(f) = scope.function_around(body, node) else { continue };
                if self.found.functions.contains(&(m, f)) || !self.machine.is_holder(self.flow, m, target) {
                    continue;
                }
                (self.event, self.root) = (Some(Event::Method(m)), Some(m));
                self.frames.push(Frame { member: m, function: None, this: Value::Context, call: None });
                self.handed_over(Site { member: m, node }, m, f, &Way::new(u64::MAX, Default::default()));
                self.frames.pop();
            }
        }
    }

    /// Asks the states: each of those that the machine can be in answers by its own method.
    pub(super) fn delegate(&mut self, node: NodeId, name: Sym, receiver: &Value, given: &[Value], way: &Way) -> Option<Values> {
        let among = match receiver {
            Value::Held => way.at,
            Value::State(bits, ..) => *bits,
            _ => return None,
        };
        if self.is_deep() {
            return None;
        }
        let mut out = Vec::new();
        let mut any = false;
        for (index, state) in self.domain.within(among) {
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
            self.is_told |= self.is_fine();
            let site = self.site(node);
            if *receiver == Value::Held && !self.found.delegations.contains(&(site, name)) {
                self.found.delegations.push((site, name));
            }
        }
        any.then_some(out)
    }

    /// Runs the function that is the state: each of those that the machine can be in.
    fn run_held(&mut self, node: NodeId, given: &[Value], way: &Way) -> Values {
        let mut out = Vec::new();
        for (index, state) in self.domain.within(way.at) {
            let mut of_state = way.clone();
            of_state.at = 1 << index;
            of_state.told = true;
            let before = of_state.clone();
            let done = match state.function(self.flow) {
                Some((m, f)) if !self.is_deep() && !self.frames.iter().any(|x| (x.member, x.function) == (m, f)) => {
                    self.found.tested = true;
                    self.enter(self.site(node), m, f, Value::Context, given.to_vec(), of_state)
                }
                _ => Vec::new(),
            };
            out.extend(if done.is_empty() { vec![(before, Value::Unknown)] } else { done });
        }
        out
    }

    /// Runs the body of a method or function, as called, unless another way has called it just so.
    pub(super) fn enter(
        &mut self,
        call: Site,
        m: MemberId,
        function: Option<FunctionId>,
        this: Value,
        given: Vec<Value>,
        way: Way,
    ) -> Values {
        let key = if function.is_none() { self.call_of(call, m, &this, &given, &way) } else { None };
        let Some(key) = key else { return self.enter_anew(call, m, function, this, given, way) };
        if let Some(known) = self.told_again(&key, &way) {
            return known;
        }
        let (conditions, since) = (way.conditions.clone(), self.found.moves.len());
        let done = self.enter_anew(call, m, function, this, given, way);
        self.remember(key, &conditions, since, &done);
        done
    }

    fn enter_anew(
        &mut self,
        call: Site,
        m: MemberId,
        function: Option<FunctionId>,
        this: Value,
        given: Vec<Value>,
        mut way: Way,
    ) -> Values {
        let Some(body) = self.program().body(m) else { return vec![(way, Value::Unknown)] };
        let root = function.map_or(body.root, |f| body.function(f).body);
        let Some(root) = root else { return vec![(way, Value::Unknown)] };
        self.found.entered.insert(m);
        self.found.functions.extend(function.map(|f| (m, f)));
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

    pub(super) fn enter_function(&mut self, call: Site, m: MemberId, f: FunctionId, given: Vec<Value>, way: Way) -> Values {
        if self.is_deep() || self.frames.iter().any(|x| x.member == m && x.function == Some(f)) {
            return vec![(way, Value::Unknown)];
        }
        let this = self.frames.iter().rev().find(|x| x.member == m).map_or(Value::Unknown, |x| x.this.clone());
        let before = way.clone();
        let done = self.enter(call, m, Some(f), this, given, way);
        if done.is_empty() { vec![(before, Value::Unknown)] } else { done }
    }

    /// Functions for each alternative of what is held, or of that and of a message: the one whose parameters they fit is run.
    pub(super) fn visit(&mut self, args: &[NodeId], given: &[Value], way: Way) -> Values {
        let Some(body) = self.program().body(self.here()) else { return Vec::new() };
        let values: Vec<Value> =
            given.iter().filter(|v| matches!(v, Value::Held | Value::Message(_) | Value::State(..))).cloned().collect();
        if values.is_empty() {
            return vec![(way, Value::Unknown)];
        }
        let here = self.here();
        let mut lambdas: Vec<(FunctionId, Vec<Option<TypeId>>)> = Vec::new();
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
                    let class = |p: &Param| p.ty.and_then(|t| self.program().type_in(here, t).own());
                    lambdas.push((f, body.function(f).params.iter().take(values.len()).map(class).collect()));
                }
            }
        }
        // what takes anything is run where nothing else fits
        lambdas.sort_by_key(|(_, classes)| classes.iter().filter(|c| c.is_none()).count());
        let mut open = vec![way];
        let mut out = Vec::new();
        for (f, classes) in lambdas {
            let mut fitting = open;
            open = Vec::new();
            for (value, class) in values.iter().zip(&classes) {
                let Some(class) = class else { continue };
                let mut next = Vec::new();
                for way in fitting {
                    for (way, fits) in self.narrowed(value, *class, way, args[0]) {
                        if fits { next.push(way) } else { open.push(way) }
                    }
                }
                fitting = next;
            }
            for way in fitting {
                out.extend(self.enter_function(self.site(args[0]), here, f, values.clone(), way));
            }
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

    pub(super) fn type_argument(&self, node: NodeId) -> Option<TypeId> {
        self.program().type_argument(Site { member: self.here(), node })?.own()
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

/// Whether a call is a statement of its own.
fn is_statement(program: &Program, call: Site) -> bool {
    let parent = program.scope(call.member).parent(call.node);
    parent.zip(program.body(call.member)).is_some_and(|(parent, body)| matches!(body.node(parent), Node::Block(_)))
}
