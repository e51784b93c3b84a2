//! How long a subject lives, seen from its subscriber.

use std::sync::Mutex;

use rustc_hash::FxHashMap;
use yarrowgraph_ir::pack::Names;
use yarrowgraph_ir::traits::MethodValue;
use yarrowgraph_ir::{Body, FunctionId, MemberKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::Lifetime;

use super::effect::{Effect, Event};
use super::{Wiring, handed, selections};
use crate::flow::{Binding, Flow, Val, returned};
use crate::memo::known_or;
use crate::program::{Declared, MemberId, Program, Site, Sym, TypeId};

/// How far owners, parameters and creators are followed.
const FAR: u32 = 6;

/// A subject's lifetime, and whether all that it rests on is shown by the tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Judged {
    /// The lifetime.
    pub lifetime: Lifetime,
    /// Whether every call site and value was seen.
    pub shown: bool,
}

impl Judged {
    fn new(lifetime: Lifetime) -> Self {
        Self { lifetime, shown: true }
    }

    fn unknown() -> Self {
        Self { lifetime: Lifetime::Unknown, shown: false }
    }
}

/// The lifetime of a subject, for a subscription made at a site.
pub fn of_subject(wiring: &Wiring<'_>, subject: &Val, site: Site) -> Judged {
    let judged = Lives { flow: &wiring.flow, handed: &wiring.handed_lifetimes }.of(subject, site, FAR);
    // elements go when their page or their component does, and what is bound to them with them; the page itself stays
    let is_of_page = judged.lifetime != Lifetime::Process && selections::picked(&wiring.flow, subject).is_some();
    if is_of_page { Judged::unknown() } else { judged }
}

/// The lifetime of what a subscription is made to: an object that is a channel by itself and was handed in lives as long as it does, not as
/// the field that it is kept in.
pub fn of_channel(wiring: &Wiring<'_>, effect: &Effect) -> Judged {
    let kept = match (&effect.holder.event, &effect.holder.subject) {
        (Event::Own(m), subject @ Val::This(_)) => Some(Val::Member(subject.clone().into(), *m)),
        _ => None,
    };
    let is_handed_in = |kept: &Val| handed::is_handed_in(&wiring.flow, effect.site.member, kept);
    match kept.filter(is_handed_in) {
        Some(kept) => of_subject(wiring, &kept, effect.site),
        None if ends_in_block(wiring, effect) => Judged::new(Lifetime::Outer),
        None => of_subject(wiring, &effect.holder.subject, effect.site),
    }
}

/// Whether the subscriber is a variable itself, and ends with a block that its subject was not made in:
/// `{ Recorder recorder; vent.add(&recorder); }`
pub fn ends_in_block(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let (Some(Val::New(made)), Val::New(subject)) = (&effect.handler, &effect.holder.subject) else { return false };
    let Some(body) = program.body(made.member).filter(|_| made.member == subject.member) else { return false };
    let block = block_of_value(program, body, *made);
    block.is_some_and(|block| !program.scope(made.member).is_within(subject.node, block))
}

/// The block that ends an object which is a variable itself, in languages where it goes with that.
fn block_of_value(program: &Program, body: &Body, made: Site) -> Option<NodeId> {
    let scope = program.scope(made.member);
    let local = scope.parent(made.node)?;
    let by_value = matches!(body.node(local), Node::Local { ty: Some(ty), .. } if program.is_by_value(made.member, ty));
    let block = scope.parent(local).filter(|n| matches!(body.node(*n), Node::Block(_)))?;
    (by_value && program.kit_of(made.member).traits.references_dangle).then_some(block)
}

/// How long what parameters are handed lives, or a part of it, with so much left of the budget: what many hand on to many
/// is worked out once.
pub(super) type Handed = Mutex<FxHashMap<(MemberId, u16, Option<Sym>, u32), Judged>>;

/// Whether the body that makes an object ends its life as well, by a teardown or by a block: `using var printer = new Printer();`
pub fn is_ended_where_made(wiring: &Wiring<'_>, made: Site) -> bool {
    Lives { flow: &wiring.flow, handed: &wiring.handed_lifetimes }.is_ended_there(made)
}

struct Lives<'f, 'p> {
    flow: &'f Flow<'p>,
    handed: &'f Handed,
}

impl Lives<'_, '_> {
    fn of(&self, subject: &Val, site: Site, budget: u32) -> Judged {
        let Some(budget) = budget.checked_sub(1) else { return Judged::unknown() };
        let program = self.flow.program;
        let pack = &*program.kit_of(site.member).pack;
        match subject {
            // a static field that a method has just given something new holds that
            Val::Static(m) => match self.stored_before(*m, site) {
                Some(stored) if program.member(site.member).kind == MemberKind::Method => self.of(&self.flow.eval(stored), site, budget),
                _ => Judged::new(Lifetime::Process),
            },
            Val::Type(_) => Judged::new(Lifetime::Process),
            Val::Global(name) => {
                let process = pack.process_types.contains(program.text(*name));
                if process { Judged::new(Lifetime::Process) } else { Judged::unknown() }
            }
            // the subscriber itself, or the object around it
            Val::This(_) => Judged::new(Lifetime::Owned),
            // a part of an object that callers make on the spot is what they put there
            Val::Outside(of, name) if matches!(**of, Val::Param(_, None, _)) => match &**of {
                Val::Param(m, None, index) => self.of_param(*m, *index, Some(*name), budget),
                _ => Judged::unknown(),
            },
            // what a component is handed is its parent's
            Val::Outside(..) if self.is_handed(subject) => Judged { lifetime: Lifetime::Outer, shown: false },
            Val::Outside(of, name) => {
                let static_getter = matches!(**of, Val::Global(_) | Val::Type(_)) && pack.process_getters.contains(program.text(*name));
                if static_getter { Judged::new(Lifetime::Process) } else { self.of(of, site, budget) }
            }
            Val::Element(of, _) => self.of(of, site, budget),
            Val::Member(of, m) => match &**of {
                Val::This(_) => self.of_field(*m, site, budget),
                other => self.of(other, site, budget),
            },
            Val::Param(m, None, index) => self.of_param(*m, *index, None, budget),
            Val::New(new) => self.of_creation(*new, site),
            Val::Call(call) => self.of_call(*call, site, budget),
            Val::Local(local) => self.of_local(*local, site, budget),
            _ => Judged::unknown(),
        }
    }

    /// Whether a value is the member in which an object has what its parent hands it: `this.props`.
    fn is_handed(&self, value: &Val) -> bool {
        let program = self.flow.program;
        match value {
            Val::Outside(of, name) => match **of {
                Val::This(t) => program.kit(program.ty(t).unit).pack.handed_members.contains(program.text(*name)),
                _ => false,
            },
            _ => false,
        }
    }

    /// What was made in the same body lives no longer than what the body runs in, unless it
    /// is given to somebody.
    fn of_creation(&self, new: Site, site: Site) -> Judged {
        let kind = self.flow.program.member(new.member).kind;
        match kind {
            MemberKind::Field | MemberKind::Property if new.member != site.member => Judged::new(Lifetime::Owned),
            _ => Judged::new(Lifetime::Local),
        }
    }

    fn of_call(&self, call: Site, site: Site, budget: u32) -> Judged {
        let program = self.flow.program;
        let pack = &*program.kit_of(site.member).pack;
        let Some(body) = program.body(call.member) else { return Judged::unknown() };
        let Node::Call { callee, args, .. } = body.node(call.node) else { return Judged::unknown() };
        let (object, name) = match body.node(callee) {
            Node::Member { object, name, .. } => (Some(object), program.unit_of(call.member).text(name)),
            Node::Name(name) => (None, program.unit_of(call.member).text(name)),
            _ => return Judged::unknown(),
        };
        // what is picked of a page by an object lives as that does
        if object.is_none()
            && pack.selectors.contains(name)
            && let Some(&of) = body.list(args).first()
        {
            return self.of(&self.flow.eval_in(call.member, of), site, budget);
        }
        let on_type = object.map(|o| self.flow.eval_in(call.member, o));
        let static_call = matches!(on_type, Some(Val::Global(_) | Val::Type(_)));
        if static_call && pack.process_getters.contains(name) {
            return Judged::new(Lifetime::Process);
        }
        // parts of one composite: looked up on the object itself
        if name.starts_with("GetComponent") || name.starts_with("findViewById") {
            return Judged::new(Lifetime::SameFate);
        }
        if let Some(target) = self.flow.callee(call) {
            // a factory of the tree: what it makes is the caller's
            let makes = program.body(target.member).is_some_and(|b| {
                (0..b.nodes.len())
                    .map(NodeId::new)
                    .any(|n| matches!(b.node(n), Node::Return(Some(v)) if matches!(b.node(v), Node::New { .. })))
            });
            if makes {
                return Judged::new(Lifetime::Local);
            }
            if gives_static_local(program, target.member) || self.is_looked_up(target.member, budget) {
                return Judged::new(Lifetime::Process);
            }
            return Judged::unknown();
        }
        // a library's object hands out its parts (`field.getDocument()`)
        let part = args.len == 0 && ["get", "Get"].iter().any(|verb| name.starts_with(verb));
        match on_type {
            Some(whole @ (Val::Member(..) | Val::Static(_) | Val::New(_) | Val::Local(_) | Val::This(_) | Val::Param(..))) if part => {
                self.of(&whole, site, budget)
            }
            _ => Judged::unknown(),
        }
    }

    /// Whether all that a static method gives is held for the whole process: by a locator.
    fn is_looked_up(&self, method: MemberId, budget: u32) -> bool {
        let program = self.flow.program;
        if !program.member(method).is_static {
            return false;
        }
        let Some(body) = program.body(method) else { return false };
        let strip = |mut node: NodeId| {
            while let Node::Cast { operand, .. } | Node::Unary { op: UnaryOp::NonNull, operand } = body.node(node) {
                node = operand;
            }
            node
        };
        let given: Vec<NodeId> = returned(program, method, None).into_iter().map(strip).filter(|n| body.node(*n) != Node::Null).collect();
        let is_held = |node: NodeId| match self.flow.eval_in(method, node) {
            value @ (Val::Element(..) | Val::Local(_)) => {
                self.of(&value, Site { member: method, node }, budget).lifetime == Lifetime::Process
            }
            _ => false,
        };
        !given.is_empty() && given.into_iter().all(is_held)
    }

    /// A local lives as its one value does.
    fn of_local(&self, local: Site, site: Site, budget: u32) -> Judged {
        let Some(body) = self.flow.program.body(local.member) else { return Judged::unknown() };
        let init = match body.node(local.node) {
            Node::Local { init: Some(init), .. } => init,
            Node::Cast { operand, .. } => operand,
            _ => return Judged::unknown(),
        };
        match self.flow.eval_in(local.member, init) {
            Val::Local(other) if other == local => Judged::unknown(),
            value => self.of(&value, site, budget),
        }
    }

    /// What the same body stores into a member last before a site.
    fn stored_before(&self, m: MemberId, site: Site) -> Option<Site> {
        let scope = self.flow.program.scope(site.member);
        self.flow.definitions(m).iter().copied().rfind(|d| d.member == site.member && scope.is_before(d.node, site.node))
    }

    /// A field lives as what it is given does.
    fn of_field(&self, m: MemberId, site: Site, budget: u32) -> Judged {
        let definitions = self.flow.definitions(m);
        if definitions.is_empty() {
            // filled by a framework, a designer or a serialiser: part of the object
            return Judged { lifetime: Lifetime::Unknown, shown: false };
        }
        if self.ends_with_owner(m) {
            return Judged { lifetime: Lifetime::SameFate, shown: false };
        }
        // what it is made of is no other object: `: slider(config)`
        if self.is_part(m) {
            return Judged::new(Lifetime::Owned);
        }
        let mut all = Vec::new();
        // what the same body stores before is what is meant
        let before = self.stored_before(m, site);
        let definitions = before.as_ref().map_or(definitions, std::slice::from_ref);
        for &d in definitions {
            let Some(body) = self.flow.program.body(d.member) else { continue };
            match body.node(d.node) {
                Node::Null => continue,
                Node::New { .. } => {
                    all.push(Judged::new(Lifetime::Owned));
                    continue;
                }
                Node::Collection { items, .. } => {
                    // a collection of what is created on the spot is owned like it
                    let made = body.list(items).iter().all(|i| matches!(body.node(*i), Node::New { .. }));
                    all.push(if made { Judged::new(Lifetime::Owned) } else { Judged::unknown() });
                    continue;
                }
                _ => {}
            }
            let value = self.flow.eval(d);
            all.push(match value {
                Val::New(_) | Val::Literal(_) => Judged::new(Lifetime::Owned),
                Val::Member(_, other) if other == m => continue,
                other => self.of(&other, if d.member == site.member { site } else { d }, budget),
            });
        }
        longest(&all)
    }

    /// Whether a field is an object of the tree's own itself, which begins and ends with the object around it.
    fn is_part(&self, m: MemberId) -> bool {
        let program = self.flow.program;
        let names_class = |ty| program.is_by_value(m, ty) && program.type_in(m, ty).own().is_some_and(|t| program.has_code(t));
        program.kit_of(m).traits.references_dangle
            && program
                .decl(m)
                .ty
                .is_some_and(|ty| matches!(program.unit_of(m).type_ref(ty), yarrowgraph_ir::TypeRef::Named { .. }) && names_class(ty))
    }

    /// Whether an object puts what a field holds among the things that it ends together with itself
    /// (`this.ends.add(this.dial)`).
    fn ends_with_owner(&self, m: MemberId) -> bool {
        let program = self.flow.program;
        // of a name that recurs in every class the places of this one only
        program.reads_in_class(m).any(|read| {
            let Some(body) = program.body(read.member) else { return false };
            let scope = program.scope(read.member);
            let mut inner = read.node;
            for around in scope.ancestors(read.node) {
                match body.node(around) {
                    Node::Collection { .. } => {}
                    Node::Call { callee, args, .. } if body.list(args).contains(&inner) => {
                        let Node::Member { object, .. } = body.node(callee) else { return false };
                        let Val::Member(of, kept) = self.flow.eval_in(read.member, object) else { return false };
                        return matches!(*of, Val::This(_)) && self.ends_all(kept) && self.flow.eval(*read) == Val::Member(of, m);
                    }
                    _ => return false,
                }
                inner = around;
            }
            false
        })
    }

    /// Whether a field holds an object of which all that is put into it is ended with it.
    fn ends_all(&self, field: MemberId) -> bool {
        let program = self.flow.program;
        let pack = &*program.kit_of(field).pack;
        let Some(class) = self.flow.type_held(field).own() else { return false };
        let mut ends = false;
        program.for_each_base(class, &mut |t| {
            ends |= program.ty(t).members.iter().any(|x| {
                let info = program.member(*x);
                info.kind == MemberKind::Method && pack.handle_releases.contains(program.text(info.name))
            });
            !ends
        });
        ends
    }

    /// A parameter lives as its arguments do, seen from the object that is made or called.
    fn of_param(&self, m: MemberId, index: u16, part: Option<Sym>, budget: u32) -> Judged {
        let Some(budget) = budget.checked_sub(1) else { return Judged::unknown() };
        known_or(self.handed, (m, index, part, budget), || self.of_handed(m, index, part, budget))
    }

    fn of_handed(&self, m: MemberId, index: u16, part: Option<Sym>, budget: u32) -> Judged {
        let program = self.flow.program;
        // what tests hand over says nothing of the program
        let counts = |call: &Site| program.in_test(m) || !program.in_test(call.member);
        let callers: Vec<_> = self.flow.callers((m, None)).iter().filter(|(call, _)| counts(call)).collect();
        if callers.is_empty() {
            return Judged { lifetime: Lifetime::Outer, shown: false };
        }
        let all: Vec<Judged> = callers.iter().map(|(site, binding)| self.of_argument(m, index, part, *site, binding, budget)).collect();
        let long = longest(&all);
        // where some callers make it on the spot, the rest is likely to do alike
        let fresh = |binding: &Binding, call: &Site| match binding.args.get(index as usize) {
            Some(Some(Val::New(made))) => {
                made.member == call.member && self.flow.program.scope(call.member).is_within(made.node, call.node)
            }
            _ => false,
        };
        let guessed = long.lifetime == Lifetime::Outer && !all.iter().any(|j| j.lifetime == Lifetime::Outer && j.shown);
        if guessed && callers.iter().any(|(call, binding)| fresh(binding, call)) {
            return Judged::unknown();
        }
        long
    }

    fn of_argument(&self, m: MemberId, index: u16, part: Option<Sym>, call: Site, binding: &Binding, budget: u32) -> Judged {
        let Some(Some(whole)) = binding.args.get(index as usize) else { return Judged::unknown() };
        let arg = &self.part_of(whole, part);
        let program = self.flow.program;
        // a base class's constructor hands on what the heir was given
        let hands_on = matches!(binding.this, Some(Val::This(_))) && program.member(call.member).kind == MemberKind::Constructor;
        if hands_on {
            return self.of(arg, call, budget);
        }
        let is_creation = program.member(m).kind == MemberKind::Constructor;
        let fate = if is_creation { self.fate_of_creation(call) } else { self.fate_of_receiver(binding) };
        match arg.root() {
            Val::Static(_) | Val::Type(_) | Val::Global(_) => self.of(arg, call, budget),
            Val::New(made) if is_creation && self.is_kept_beside(call, *made) => Judged { lifetime: Lifetime::SameFate, shown: false },
            Val::This(_) | Val::New(_) | Val::Literal(_) => match fate {
                Fate::Kept => Judged::new(Lifetime::SameFate),
                Fate::Short if self.is_shorter(call, arg) => Judged::new(Lifetime::Outer),
                Fate::Short => Judged::new(Lifetime::SameFate),
                Fate::Unknown => Judged { lifetime: Lifetime::Outer, shown: false },
            },
            Val::Param(p, None, i) => {
                let outer = self.of_param(*p, *i, part, budget);
                match (outer.lifetime, fate) {
                    (Lifetime::SameFate | Lifetime::Owned | Lifetime::Local, Fate::Short) => {
                        Judged { lifetime: Lifetime::Outer, shown: outer.shown }
                    }
                    // what a method is handed is there when it has ended what it has made
                    (Lifetime::Unknown, Fate::Short) if *p == call.member && self.is_ended_there(call) => {
                        Judged { lifetime: Lifetime::Outer, shown: false }
                    }
                    _ => outer,
                }
            }
            // what a callback is handed lives as whoever calls it pleases
            Val::Param(..) => Judged::unknown(),
            Val::Local(_) => match fate {
                Fate::Kept => Judged::unknown(),
                _ => Judged { lifetime: Lifetime::SameFate, shown: false },
            },
            // the one object behind a getter
            Val::Call(_) => match self.of(arg, call, budget) {
                judged if judged.lifetime == Lifetime::Process => judged,
                _ => Judged::unknown(),
            },
            _ => Judged::unknown(),
        }
    }

    /// Whether a function within another one puts what it makes into a variable of that one, which has made the subject as well.
    fn is_kept_beside(&self, call: Site, made: Site) -> bool {
        let program = self.flow.program;
        let Some(body) = program.body(call.member).filter(|_| made.member == call.member) else { return false };
        let scope = program.scope(call.member);
        let kept_in = match scope.parent(call.node).map(|around| body.node(around)) {
            Some(Node::Assign { target, value, .. }) if value == call.node => match body.node(target) {
                Node::Name(name) => scope.lookup(name, target),
                _ => None,
            },
            _ => None,
        };
        let around = |node: NodeId| scope.function_around(body, node);
        matches!(kept_in, Some(Declared::Local(local)) if around(local) == around(made.node) && around(local) != around(call.node))
    }

    /// What an object that is written out has under a name; any other object stands for its parts.
    fn part_of(&self, whole: &Val, part: Option<Sym>) -> Val {
        let (Val::Literal(site), Some(name)) = (whole, part) else { return whole.clone() };
        match self.flow.entry_of_literal(*site, name) {
            Some(entry) => self.flow.eval(entry),
            None => Val::Unknown,
        }
    }

    /// Whether a function is handed to something that runs it once: where listeners are told what has
    /// happened, one that takes nothing is no listener.
    fn is_run_once(&self, member: MemberId, body: &Body, lambda: NodeId, function: FunctionId) -> bool {
        let program = self.flow.program;
        let kit = program.kit_of(member);
        let parent = program.scope(member).parent(lambda).map(|p| body.node(p));
        let Some(Node::Call { callee, .. }) = parent else { return false };
        let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { return false };
        let periodic = kit.pack.periodic.contains(program.unit_of(member).text(name));
        kit.traits.method_value == MethodValue::Fresh && body.function(function).params.is_empty() && !periodic
    }

    /// Whether the object made by a call ends before the argument that it is given: the
    /// argument belongs to the instance around, or is made outside of the loop.
    fn is_shorter(&self, call: Site, arg: &Val) -> bool {
        match arg.root() {
            Val::New(made) if made.member == call.member => {
                let scope = self.flow.program.scope(call.member);
                let Some(body) = self.flow.program.body(call.member) else { return false };
                let repeats = |n: &NodeId| match body.node(*n) {
                    Node::Loop { .. } | Node::ForEach { .. } => true,
                    Node::Lambda(f) => !self.is_run_once(call.member, body, *n, f),
                    _ => false,
                };
                // an object that is a variable itself ends with the block that it is in
                let block = block_of_value(self.flow.program, body, call);
                let ends = |n: &NodeId| block == Some(*n);
                scope.ancestors(call.node).take_while(|n| !scope.is_within(made.node, *n)).any(|n| repeats(&n) || ends(&n))
                    || self.is_closed_first(call, *made)
            }
            Val::New(_) | Val::Literal(_) => true,
            _ => true,
        }
    }

    /// Whether the body that makes two objects ends the life of one of them, and not that of the other one after it.
    fn is_closed_first(&self, one: Site, other: Site) -> bool {
        let program = self.flow.program;
        let (Some(body), scope) = (program.body(one.member), program.scope(one.member)) else { return false };
        let info = program.member(one.member);
        // what an entry point makes lives on to the end of the program, any other method only as far as it is used there
        let is_entry = program.kit_of(one.member).pack.entry_points.contains(program.text(info.name))
            || info.kind == MemberKind::Initializer && program.ty(info.owner).is_module;
        let other_ends = self.ends_of(other);
        let variable = scope.parent(other.node);
        let is_other = |n: NodeId| variable.is_some_and(|v| scope.names(body, n, v));
        let lives_on = |end: NodeId| is_entry || body.ids().any(|n| is_other(n) && scope.is_before(end, n) && !scope.is_within(n, end));
        self.ends_of(one).into_iter().any(|end| lives_on(end) && !other_ends.iter().any(|o| scope.is_before(end, *o)))
    }

    /// Where the body that makes an object ends its life: by a teardown that it calls, or by a block that does.
    fn ends_of(&self, made: Site) -> Vec<NodeId> {
        let program = self.flow.program;
        let Some(body) = program.body(made.member) else { return Vec::new() };
        let scope = program.scope(made.member);
        let local = scope.parent(made.node).filter(|p| matches!(body.node(*p), Node::Local { .. }));
        // a block may end what has no name
        let Some(local) = local else { return block_that_ends(program, made).into_iter().collect() };
        let pack = &program.kit_of(made.member).pack;
        let ends = |n: &NodeId| match body.node(*n) {
            Node::Call { callee, .. } => match body.node(callee) {
                Node::Member { object, name: ended, .. } => {
                    scope.names(body, object, local)
                        && pack.teardowns.contains(program.unit_of(made.member).text(ended))
                        // what the platform ends its objects by says nothing of what else lives on
                        && self.flow.callee(Site { member: made.member, node: *n }).is_some()
                }
                _ => false,
            },
            _ => false,
        };
        body.ids().filter(ends).chain(block_that_ends(program, made)).chain(deletions(program, made)).collect()
    }

    /// Whether the body that makes an object ends its life as well: `new Board(gauge).close();`
    fn is_ended_there(&self, made: Site) -> bool {
        let program = self.flow.program;
        let (Some(body), scope) = (program.body(made.member), program.scope(made.member)) else { return false };
        let teardowns = &program.kit_of(made.member).pack.teardowns;
        let on_the_spot = scope.parent(made.node).is_some_and(|p| match body.node(p) {
            Node::Member { object, name, .. } => object == made.node && teardowns.contains(program.unit_of(made.member).text(name)),
            _ => false,
        });
        on_the_spot || !self.ends_of(made).is_empty()
    }

    /// What becomes of an object that is created at a site.
    fn fate_of_creation(&self, site: Site) -> Fate {
        let program = self.flow.program;
        let kind = program.member(site.member).kind;
        let Some(body) = program.body(site.member) else { return Fate::Unknown };
        if !matches!(body.node(site.node), Node::New { .. }) {
            return Fate::Unknown;
        }
        if matches!(kind, MemberKind::Field | MemberKind::Property) && body.root == Some(site.node) {
            return Fate::Kept;
        }
        let scope = program.scope(site.member);
        let in_set_up = matches!(kind, MemberKind::Constructor | MemberKind::Initializer);
        // `this.fit(new Registrar(this.parts))`
        let is_taken = |call: NodeId| {
            let callee = self.flow.callee(Site { member: site.member, node: call });
            callee.is_some_and(|c| matches!(c.receiver, Some(Val::This(_))))
        };
        match scope.parent(site.node).map(|p| (p, body.node(p))) {
            Some((call, Node::Call { args, .. })) if in_set_up && body.list(args).contains(&site.node) && is_taken(call) => Fate::Kept,
            Some((_, Node::Assign { target, op, .. })) => match self.flow.eval_in(site.member, target) {
                Val::Member(_, m) | Val::Static(m) => {
                    // kept for good, unless another one takes its place
                    let lazy = op == yarrowgraph_ir::AssignOp::IfUnset;
                    if in_set_up || lazy || self.flow.only_definition(m).is_some() && !is_emptied(self.flow, m) && !is_ended(self.flow, m) {
                        Fate::Kept
                    } else {
                        Fate::Short
                    }
                }
                _ => Fate::Short,
            },
            _ => Fate::Short,
        }
    }

    /// What becomes of the object that a method is called on.
    fn fate_of_receiver(&self, binding: &Binding) -> Fate {
        match &binding.this {
            Some(Val::Member(of, _)) if matches!(**of, Val::This(_)) => Fate::Kept,
            Some(Val::New(_) | Val::Local(_)) => Fate::Short,
            Some(Val::This(_)) => Fate::Kept,
            _ => Fate::Unknown,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Fate {
    /// Held as long as its maker lives.
    Kept,
    /// Let go earlier.
    Short,
    /// Not known.
    Unknown,
}

/// The longest of several lifetimes; one that is not known leaves it open.
fn longest(all: &[Judged]) -> Judged {
    let rank = |l: Lifetime| match l {
        Lifetime::Process => 5,
        Lifetime::Outer => 4,
        Lifetime::Unknown => 3,
        Lifetime::SameFate => 2,
        Lifetime::Owned => 1,
        Lifetime::Local => 0,
    };
    let shown = all.iter().all(|j| j.shown);
    match all.iter().max_by_key(|j| rank(j.lifetime)) {
        Some(max) => Judged { lifetime: max.lifetime, shown },
        None => Judged::unknown(),
    }
}

/// The calls of methods by some names on what a member holds.
fn calls_on<'f>(flow: &'f Flow<'_>, m: MemberId, names: &'f Names) -> impl Iterator<Item = Site> + 'f {
    let program = flow.program;
    let called = names.iter().filter_map(|name| program.symbols.get(name)).flat_map(|name| program.index.calls(name));
    called.copied().filter(move |call| matches!(flow.receiver(*call), Some((Val::Member(_, x) | Val::Static(x), _)) if x == m))
}

/// Whether what a member holds is let go while its owner lives.
pub fn is_emptied(flow: &Flow<'_>, m: MemberId) -> bool {
    let lets_go = &flow.program.kit_of(m).pack.lets_go;
    calls_on(flow, m, lets_go).any(|call| flow.callee(call).is_none())
        || flow.definitions(m).iter().any(|d| flow.program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Null)))
}

/// Whether what a member holds is ended by a method that does not end its owner: `closeTools() { this.logger.dispose(); }`.
pub fn is_ended(flow: &Flow<'_>, m: MemberId) -> bool {
    let teardowns = &flow.program.kit_of(m).pack.teardowns;
    calls_on(flow, m, teardowns).any(|call| !flow.program.is_listed(teardowns, call.member))
}

/// Where objects of a type are created.
pub fn creations(flow: &Flow<'_>, ty: TypeId) -> Vec<Site> {
    let program = flow.program;
    let t = program.ty(ty);
    if t.anonymous {
        return t.within.into_iter().collect();
    }
    flow.creations(ty)
}

/// Whether a function gives out a reference to a variable of its own, which then outlives it: `static Bell b; return b;`
pub(crate) fn gives_static_local(program: &Program, m: MemberId) -> bool {
    let Some(ty) = program.decl(m).ty else { return false };
    let Some(body) = program.body(m) else { return false };
    let is_reference =
        program.kit_of(m).traits.references_dangle && matches!(program.unit_of(m).type_ref(ty), yarrowgraph_ir::TypeRef::Indirect(_));
    let scope = program.scope(m);
    let named = |value: NodeId| match body.node(value) {
        Node::Unary { op: UnaryOp::Indirect | UnaryOp::ByRef, operand } => operand,
        _ => value,
    };
    let is_own = |value: NodeId| match body.node(named(value)) {
        Node::Name(name) => matches!(
            scope.lookup(name, value),
            Some(Declared::Local(local)) if matches!(body.node(local), Node::Local { ty: Some(ty), .. } if program.is_by_value(m, ty))
        ),
        _ => false,
    };
    let returned: Vec<NodeId> = body.ids().filter_map(|n| if let Node::Return(Some(v)) = body.node(n) { Some(v) } else { None }).collect();
    is_reference && !returned.is_empty() && returned.into_iter().all(is_own)
}

/// The block that ends what it begins with, where an object is made for that: `using`, `try (…)`.
pub(crate) fn block_that_ends(program: &Program, made: Site) -> Option<NodeId> {
    let (body, scope) = (program.body(made.member)?, program.scope(made.member));
    let begins = |resources| body.list(resources).iter().any(|r| *r == made.node || scope.is_within(made.node, *r));
    scope.ancestors(made.node).find(|n| matches!(body.node(*n), Node::Using { resources, .. } if begins(resources)))
}

/// Where the body that makes an object for a pointer of its own lets it go again: `delete lamp;`, `lamp.reset();`
pub(crate) fn deletions(program: &Program, made: Site) -> Vec<NodeId> {
    let (Some(body), scope) = (program.body(made.member), program.scope(made.member)) else { return Vec::new() };
    let Some(local) = scope.parent(made.node).filter(|_| program.kit_of(made.member).traits.references_dangle) else { return Vec::new() };
    if !matches!(body.node(local), Node::Local { .. }) {
        return Vec::new();
    }
    let is_it = |n: NodeId| scope.names(body, n, local);
    let lets_go = |n: &NodeId| match body.node(*n) {
        Node::Unary { op: UnaryOp::Delete, operand } => is_it(operand),
        Node::Assign { target, value, .. } => matches!(body.node(value), Node::Null) && is_it(target),
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Member { object, name, .. } => program.unit_of(made.member).text(name) == "reset" && is_it(object),
            _ => false,
        },
        _ => false,
    };
    body.ids().filter(lets_go).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    #[test]
    fn what_many_hand_on_is_followed_once() {
        use std::fmt::Write;
        let mut text = String::from(
            "//// Bells.java\nimport java.util.*;\ninterface Ear { void rung(); }\n\
             class Bell { private final List<Ear> ears = new ArrayList<>();\n\
             void add(Ear e) { ears.add(e); }\n void remove(Ear e) { ears.remove(e); }\n\
             void ring() { for (Ear e : new ArrayList<>(ears)) e.rung(); } }\n\
             class Keeper implements Ear { void hear(Bell bell) { bell.add(this); } public void rung() { System.out.println(1); } }\nclass Tower {\n",
        );
        // each of some methods is called many times by the next one
        for (name, next) in [("a", "new Keeper().hear"), ("b", "a"), ("c", "b"), ("d", "c"), ("e", "d")] {
            let _ = writeln!(text, "static void {name}(Bell bell) {{ {} }}", format!("{next}(bell); ").repeat(200));
        }
        text.push_str("public static void main(String[] args) { Bell bell = new Bell(); e(bell); bell.ring(); } }\n");
        let found = map(&text);
        assert!(found.channels.iter().any(|c| c.subscriptions.len() == 1));
    }
}
