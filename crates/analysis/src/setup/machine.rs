//! The state of one run: heap, activations, decisions and what it came to.

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{Body, FunctionId, MemberKind, Name, Node, NodeId, ParamMode, UnaryOp};

use super::chains::Set;
use super::value::{FrameId, Kind, Object, ObjectId, Value};
use super::{Met, Run, Wanted};
use crate::chain::{Chains, Links};
use crate::flow::{Flow, Val};
use crate::program::{Declared, MemberId, Program, Site, Sym};
use crate::wire::effect::{Act, Event};

/// How many steps one run may take.
pub(super) const STEPS: usize = 30_000;

/// A call is made so many times within calls that are just like it.
const ROUND: usize = 3;

/// How deep runs nest: calls, statements and expressions together.
const DEEPEST: usize = 700;

/// How many conditions one run may decide.
const DECISIONS: usize = 40;

/// How many handlers that a platform calls later are run.
const CALLBACKS: usize = 40;

/// How a statement ends.
#[derive(Debug, PartialEq)]
pub(super) enum Ends {
    /// By going on with the next one.
    Next,
    /// By leaving the function with a value.
    Return(Value),
    /// By leaving the loop or switch.
    Break,
    /// By going on with the next round.
    Continue,
    /// By an exception.
    Throw,
}

/// One activation of a member or of a function in a body.
#[derive(Debug)]
pub(super) struct Frame {
    pub(super) member: MemberId,
    pub(super) function: Option<FunctionId>,
    /// The activation that the function was made in.
    pub(super) made_in: Option<FrameId>,
    pub(super) this: Value,
    pub(super) locals: FxHashMap<NodeId, Value>,
    pub(super) params: Vec<Value>,
    /// What the type parameters of its method stand for.
    pub(super) types: Vec<(Sym, Value)>,
    /// Values that a generator has handed out.
    pub(super) yields: Vec<Value>,
    /// What expressions came to when they were last evaluated.
    pub(super) seen: FxHashMap<NodeId, Value>,
    /// Whether it has waited for something.
    pub(super) has_waited: bool,
}

/// What a run came to.
pub(super) struct Done {
    /// Its subscriptions.
    pub(super) run: Run,
    /// The chains that it built.
    pub(super) chains: Chains,
    /// What it decided.
    pub(super) decisions: Vec<bool>,
    /// How many decisions it had made at its last subscription.
    pub(super) decided_before_last: usize,
    /// Whether it came to its end.
    pub(super) whole: bool,
}

/// One run.
pub(super) struct Machine<'m, 'p> {
    pub(super) flow: &'m Flow<'p>,
    wanted: &'m Wanted<'m, 'p>,
    heap: Vec<Object>,
    frames: Vec<Frame>,
    /// The activation that is running.
    pub(super) now: FrameId,
    pub(super) statics: FxHashMap<MemberId, Value>,
    /// The calls that led here, outermost first.
    pub(super) calls: Vec<Site>,
    /// The activations that are not over, outermost first.
    running: Vec<FrameId>,
    /// The rounds of loops without a known number of rounds that are going on.
    loops: Vec<u32>,
    rounds: u32,
    decisions: Vec<bool>,
    decided: usize,
    decided_before_last: usize,
    steps: usize,
    budget: usize,
    depth: usize,
    events: Run,
    /// Handlers that a platform will call.
    callbacks: Vec<Value>,
    /// The type arguments of the call that is about to be made.
    pub(super) type_args: Vec<Value>,
    /// The assignment that is being carried out.
    pub(super) assigning: Option<Site>,
    /// Links that were set, in order.
    pub(super) sets: Vec<Set>,
    /// Objects that were put into lists, in order, and where.
    pub(super) puts: Vec<(ObjectId, Site)>,
    /// Where functions that make links are named among arguments or in lists, in order.
    pub(super) named: Vec<(ObjectId, Site)>,
    /// By what call of which function another function was made.
    pub(super) made_by: FxHashMap<ObjectId, (ObjectId, Option<Site>)>,
    /// Lists that were walked for an answer.
    pub(super) walks: Vec<(usize, ObjectId)>,
    /// What comes in no order with that of another one: nought is the set-up itself.
    pub(super) phase: u32,
    /// How many phases there were after the first.
    phases: u32,
    /// Whether what variables of modules are given is found where it stands, and by what is asked for of others.
    pub(super) in_order: bool,
}

impl<'m, 'p> Machine<'m, 'p> {
    pub(super) fn new(wanted: &'m Wanted<'m, 'p>, decisions: Vec<bool>, budget: usize, in_order: bool) -> Self {
        Self {
            flow: wanted.flow,
            wanted,
            heap: Vec::new(),
            frames: Vec::new(),
            now: FrameId(0),
            statics: FxHashMap::default(),
            calls: Vec::new(),
            running: Vec::new(),
            loops: Vec::new(),
            rounds: 0,
            decisions,
            decided: 0,
            decided_before_last: 0,
            steps: budget.saturating_sub(STEPS),
            // counted from what all runs together have left
            budget,
            depth: 0,
            events: Vec::new(),
            callbacks: Vec::new(),
            type_args: Vec::new(),
            assigning: None,
            sets: Vec::new(),
            puts: Vec::new(),
            named: Vec::new(),
            made_by: FxHashMap::default(),
            walks: Vec::new(),
            phase: 0,
            phases: 0,
            in_order,
        }
    }

    /// Runs an entry point, and then the handlers that a platform calls.
    pub(super) fn start(&mut self, root: MemberId) {
        let info = self.program().member(root);
        if info.is_static {
            self.call_member(root, Value::Unknown, Vec::new());
        } else {
            self.start_on_an_object(root);
        }
        let mut next = 0;
        while next < self.callbacks.len().min(CALLBACKS) && !self.is_spent() {
            let handler = self.callbacks[next].clone();
            next += 1;
            self.begin_phase();
            self.call_value(&handler, Vec::new());
        }
    }

    fn begin_phase(&mut self) {
        self.phases += 1;
        self.phase = self.phases;
    }

    /// What follows in a function that waits for something, while whoever called it goes on, comes at a time of its own.
    pub(super) fn wait(&mut self) {
        if !std::mem::replace(&mut self.frame_mut().has_waited, true) && self.is_left_waiting() {
            self.begin_phase();
        }
    }

    /// Whether the call that is being carried out stands among others that are begun together, or in a function that does not wait for it.
    fn is_left_waiting(&self) -> bool {
        let Some(call) = self.calls.last() else { return false };
        let program = self.program();
        let (Some(body), scope) = (program.body(call.member), program.scope(call.member)) else { return false };
        match scope.parent(call.node).map(|parent| body.node(parent)) {
            Some(Node::Unary { op: UnaryOp::Await, .. }) => false,
            Some(Node::Collection { .. }) => true,
            // a program that begins with `main()` is what there is to wait for
            _ => !program.ty(program.member(call.member).owner).is_module || program.member(call.member).kind == MemberKind::Method,
        }
    }

    /// Runs a method on an object that is made for it; a constructor makes its own.
    fn start_on_an_object(&mut self, root: MemberId) {
        let info = self.program().member(root);
        let made = Site { member: root, node: NodeId::new(0) };
        let this = self.make(Kind::Instance { class: info.owner, fields: Vec::new(), around: Value::Unknown }, made);
        self.construct(info.owner, &this, Vec::new());
        if info.kind != MemberKind::Constructor {
            self.call_member(root, this, Vec::new());
        }
    }

    /// How many steps it has taken.
    pub(super) fn steps_taken(&self) -> usize {
        self.steps.min(self.budget) - self.budget.saturating_sub(STEPS)
    }

    pub(super) fn finish(self) -> Done {
        let whole = !self.is_spent();
        let chains = self.chains();
        Done { chains, run: self.events, decisions: self.decisions, decided_before_last: self.decided_before_last, whole }
    }

    pub(super) fn links(&self) -> &'m Links {
        self.wanted.links
    }

    /// Whether all that matters is what is built.
    pub(super) fn only_builds(&self) -> bool {
        self.wanted.only_builds
    }

    pub(super) fn heap(&self) -> &[Object] {
        &self.heap
    }

    /// Notes that what was decided so far matters.
    pub(super) fn note_decisions(&mut self) {
        self.decided_before_last = self.decided;
    }

    pub(super) fn program(&self) -> &'p Program {
        self.flow.program
    }

    // ---- budgets and decisions

    /// Counts a step; false when there is none left.
    pub(super) fn step(&mut self) -> bool {
        self.steps += 1;
        !self.is_spent()
    }

    pub(super) fn is_spent(&self) -> bool {
        self.steps >= self.budget
    }

    /// Goes one level down; false where that would be too deep.
    pub(super) fn descend(&mut self) -> bool {
        self.depth += 1;
        self.depth < DEEPEST
    }

    pub(super) fn ascend(&mut self) {
        self.depth -= 1;
    }

    /// Decides a condition that is not known: as was asked for, or else for true.
    pub(super) fn decide(&mut self) -> bool {
        if self.decided < self.decisions.len() {
            self.decided += 1;
            return self.decisions[self.decided - 1];
        }
        if self.decisions.len() >= DECISIONS {
            self.steps = self.budget;
            return false;
        }
        self.decisions.push(true);
        self.decided += 1;
        true
    }

    /// Does something as a round of a loop without a known number of rounds.
    pub(super) fn in_loop<T>(&mut self, act: impl FnOnce(&mut Self) -> T) -> T {
        self.rounds += 1;
        self.loops.push(self.rounds);
        let result = act(self);
        self.loops.pop();
        result
    }

    // ---- heap

    pub(super) fn make(&mut self, kind: Kind, made: Site) -> Value {
        self.heap.push(Object { kind, made, loops: self.loops.clone() });
        Value::Object(ObjectId(self.heap.len() as u32 - 1))
    }

    pub(super) fn object(&self, id: ObjectId) -> &Object {
        &self.heap[id.0 as usize]
    }

    pub(super) fn object_mut(&mut self, id: ObjectId) -> &mut Object {
        &mut self.heap[id.0 as usize]
    }

    pub(super) fn kind(&self, value: &Value) -> Option<&Kind> {
        match value {
            Value::Object(id) => Some(&self.object(*id).kind),
            _ => None,
        }
    }

    /// The elements of a sequence, where they are known.
    pub(super) fn elements(&self, value: &Value) -> Option<Vec<Value>> {
        match self.kind(value)? {
            Kind::List(items) => Some(items.clone()),
            Kind::Map(entries) => Some(entries.iter().map(|(_, v)| v.clone()).collect()),
            _ => None,
        }
    }

    // ---- activations

    pub(super) fn frame(&self) -> &Frame {
        &self.frames[self.now.0 as usize]
    }

    pub(super) fn frame_at(&self, id: FrameId) -> &Frame {
        &self.frames[id.0 as usize]
    }

    pub(super) fn frame_mut(&mut self) -> &mut Frame {
        &mut self.frames[self.now.0 as usize]
    }

    /// Opens an activation; gives the one that was running.
    pub(super) fn open(&mut self, frame: Frame) -> FrameId {
        self.frames.push(frame);
        let now = FrameId(self.frames.len() as u32 - 1);
        self.running.push(now);
        std::mem::replace(&mut self.now, now)
    }

    /// Closes the activation that is running; `outer` goes on.
    pub(super) fn close(&mut self, outer: FrameId) {
        self.running.pop();
        self.now = outer;
    }

    /// Whether a call is made once more within calls that are just like it: it goes round, and would for ever.
    pub(super) fn goes_round(&self, frame: &Frame) -> bool {
        let is_like = |at: &&FrameId| {
            let open = self.frame_at(**at);
            (open.member, open.function) == (frame.member, frame.function) && open.this == frame.this && open.params == frame.params
        };
        self.running.iter().filter(is_like).count() >= ROUND
    }

    pub(super) fn body(&self) -> Option<&'p Body> {
        self.program().body(self.frame().member)
    }

    /// The activation of the function that a node of the running body belongs to.
    fn frame_of(&self, function: Option<FunctionId>) -> Option<FrameId> {
        let member = self.frame().member;
        let mut at = Some(self.now);
        while let Some(id) = at {
            let frame = &self.frames[id.0 as usize];
            if frame.member == member && frame.function == function {
                return Some(id);
            }
            at = frame.made_in;
        }
        None
    }

    /// What a name of the running body means, where the body declares it.
    pub(super) fn declared(&self, name: Name, at: NodeId) -> Option<Declared> {
        self.program().scope(self.frame().member).lookup(name, at)
    }

    /// The activation that holds what a name means.
    fn frame_with(&self, what: Declared) -> Option<FrameId> {
        let function = match what {
            Declared::Local(node) => {
                let member = self.frame().member;
                self.body().and_then(|b| self.program().scope(member).function_around(b, node))
            }
            Declared::Param(function, _) => function,
        };
        self.frame_of(function)
    }

    pub(super) fn read(&self, what: Declared) -> Value {
        let frame = self.frame_with(what).map(|f| &self.frames[f.0 as usize]);
        let found = frame.and_then(|frame| match what {
            Declared::Local(node) => frame.locals.get(&node),
            Declared::Param(_, index) => frame.params.get(index as usize),
        });
        found.cloned().unwrap_or(Value::Unknown)
    }

    pub(super) fn write(&mut self, what: Declared, value: Value) {
        let Some(id) = self.frame_with(what) else { return };
        let frame = &mut self.frames[id.0 as usize];
        match what {
            Declared::Local(node) => _ = frame.locals.insert(node, value),
            Declared::Param(_, index) => {
                if let Some(slot) = frame.params.get_mut(index as usize) {
                    *slot = value;
                }
            }
        }
    }

    /// Arguments by position as the parameters that take them; the rest as a list, which the call makes.
    pub(super) fn spread_over(&mut self, params: &[yarrowgraph_ir::Param], mut args: Vec<Value>, called: Site) -> Vec<Value> {
        if let Some(rest) = params.iter().position(|p| p.mode == ParamMode::Rest) {
            let tail = args.split_off(rest.min(args.len()));
            let made = self.calls.last().copied().unwrap_or(called);
            let one_list = matches!(tail[..], [ref only] if matches!(self.kind(only), Some(Kind::List(_))));
            args.push(if one_list { tail[0].clone() } else { self.make(Kind::List(tail), made) });
        }
        // what may be left out, and is, is nothing
        let left_out = |p: &yarrowgraph_ir::Param| if p.optional && p.default.is_none() { Value::Null } else { Value::Unknown };
        args.extend(params.iter().skip(args.len()).map(left_out));
        args.truncate(params.len());
        args
    }

    // ---- what a run came to

    /// Notes the subscriptions that a statement makes.
    pub(super) fn met(&mut self, site: Site) {
        let Some(candidates) = self.wanted.sites.get(&site) else { return };
        // the outermost wrapper that is known says what it is
        let reached = |index: &&usize| {
            let effect = &self.wanted.effects[**index];
            let through = |s: &Site| *s == site || *s == effect.innermost() || self.calls.contains(s);
            through(&effect.site) && effect.inner.iter().all(through)
        };
        let reached: Vec<usize> = candidates.iter().filter(reached).copied().collect();
        let Some(own) = self.wanted.own.get(&site) else { return };
        let own = &self.wanted.effects[*own];
        let handler_node = own.handler_node.filter(|h| h.member == site.member).map(|h| h.node);
        let value = handler_node.and_then(|node| self.frame().seen.get(&node).cloned()).unwrap_or(Value::Unknown);
        let handler = self.as_val(&value);
        if own.act == Act::Join && matches!(own.holder.event, Event::Outside(_) | Event::Bus) && !self.callbacks.contains(&value) {
            self.callbacks.push(value);
        }
        let Some((subject, made_in)) = self.subject(&own.holder.subject) else { return };
        let loops: Vec<u32> = self.loops.iter().filter(|l| !made_in.contains(l)).copied().collect();
        let phase = self.phase;
        if own.act == Act::Join && !reached.is_empty() {
            self.decided_before_last = self.decided;
        }
        for effect in reached {
            self.events.push(Met { effect, subject, handler: handler.clone(), loops: loops.clone(), phase });
        }
    }

    /// What tells an object from others of the run, and the rounds of loops that it was made in.
    fn subject(&self, subject: &Val) -> Option<(u64, Vec<u32>)> {
        /// Numbers of statics lie behind those of objects.
        const STATICS: u64 = 1 << 32;
        match subject {
            Val::Type(t) => Some((STATICS + u64::from(t.0), Vec::new())),
            Val::Global(name) => Some((2 * STATICS + u64::from(name.0), Vec::new())),
            other => match self.value_of(other) {
                Value::Object(id) => Some((u64::from(id.0), self.object(id).loops.clone())),
                _ => None,
            },
        }
    }

    /// The value of a path in the running activation.
    fn value_of(&self, path: &Val) -> Value {
        match path {
            Val::This(t) => self.this_of(*t),
            Val::Param(member, function, index) if *member == self.frame().member => self.read(Declared::Param(*function, *index)),
            Val::Local(site) if site.member == self.frame().member => match self.frame().seen.get(&site.node) {
                Some(value) => value.clone(),
                None => self.read(Declared::Local(site.node)),
            },
            Val::New(site) | Val::Call(site) | Val::Literal(site) if site.member == self.frame().member => {
                self.frame().seen.get(&site.node).cloned().unwrap_or(Value::Unknown)
            }
            Val::Member(of, m) => self.field(&self.value_of(of), *m),
            Val::Static(m) => self.statics.get(m).cloned().unwrap_or(Value::Unknown),
            Val::Element(of, Some(key)) => self.element(&self.value_of(of), &self.value_of(key)),
            Val::Element(of, None) => match self.elements(&self.value_of(of)).as_deref() {
                Some([only]) => only.clone(),
                _ => Value::Unknown,
            },
            Val::Str(sym) => Value::Text(self.program().text(*sym).into()),
            _ => Value::Unknown,
        }
    }

    /// A handler as the rest of the analysis says it.
    pub(super) fn as_val(&self, value: &Value) -> Option<Val> {
        let Value::Object(id) = value else { return None };
        let object = self.object(*id);
        match &object.kind {
            Kind::Closure { member, function, .. } => Some(Val::Lambda(*member, *function)),
            Kind::Method { member, .. } => Some(Val::Method(*member, None)),
            Kind::Instance { class, .. } => {
                let body = self.program().body(object.made.member);
                let written = body.is_some_and(|b| matches!(b.node(object.made.node), Node::New { .. }));
                // an object that a reference to a constructor makes has no place of its own
                Some(if written { Val::New(object.made) } else { Val::This(*class) })
            }
            _ => None,
        }
    }

    /// The value of a statement's node in the running body.
    pub(super) fn node(&self, node: NodeId) -> Node {
        self.body().map_or(Node::Empty, |b| b.node(node))
    }
}
