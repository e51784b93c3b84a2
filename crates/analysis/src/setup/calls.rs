//! Calls, and the making of objects.

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{Body, CaptureMode, List, MemberKind, Node, NodeId, ParamMode, TypeDeclId, TypeRef, TypeRefId, UnaryOp};

use super::machine::{Ends, Frame, Machine};
use super::value::{FrameId, Kind, Value};
use crate::flow::Part;
use crate::program::{MemberId, Site, Sym, Ty, TypeId};

/// What a reference to a constructor (`Gauge::new`) has in place of a method.
const CONSTRUCTOR: MemberId = MemberId(u32::MAX);

impl Machine<'_, '_> {
    pub(super) fn call(&mut self, site: Site, callee: NodeId, args: List, type_args: Option<u16>) -> Value {
        let Some(body) = self.body() else { return Value::Unknown };
        match body.node(callee) {
            Node::Member { object, .. } if args.len == 0 && self.only_builds() && self.is_told(site, object) => Value::Unknown,
            Node::Member { object, name, .. } => {
                let sym = self.program().sym_in(site.member, name);
                let of_base = body.node(object) == Node::Super;
                let object = self.eval(object);
                let values = self.handed(site, args, None);
                self.type_args = self.types_named(site, type_args);
                self.calls.push(site);
                let result = self.call_on(site, &object, sym, of_base, values);
                self.calls.pop();
                self.type_args.clear();
                result
            }
            Node::Name(name) => {
                // where methods have names of their own, no variable is called by its name
                let is_value = self.program().kit_of(site.member).traits.fields_called;
                let known = self.declared(name, callee).filter(|_| is_value).map(|what| self.read(what));
                let values = self.handed(site, args, None);
                self.calls.push(site);
                let result = match known {
                    Some(function) => self.call_value(&function, values),
                    None => self.call_named(site, callee, values),
                };
                self.calls.pop();
                self.met(site);
                result
            }
            // `super(…)` and `this(…)` are the constructor's business
            Node::Super | Node::This => {
                let values = self.handed(site, args, None);
                let this = self.frame().this.clone();
                let target = self.flow.callee(site).map(|c| c.member);
                self.calls.push(site);
                match target {
                    Some(constructor) => self.construct_by(constructor, &this, values),
                    None => self.fields_of_bases(&this),
                }
                self.calls.pop();
                Value::Unknown
            }
            _ => {
                let function = self.eval(callee);
                let values = self.handed(site, args, None);
                self.calls.push(site);
                let result = self.call_value(&function, values);
                self.calls.pop();
                self.met(site);
                result
            }
        }
    }

    /// The types that a call names as its type arguments.
    fn types_named(&self, site: Site, type_args: Option<u16>) -> Vec<Value> {
        let written = type_args.and_then(|t| self.body()?.type_lists.get(usize::from(t)));
        written.map_or_else(Vec::new, |list| list.iter().map(|t| self.type_value(site.member, *t)).collect())
    }

    /// A type as a value, where it is one of the tree or a parameter that stands for one.
    pub(super) fn type_value(&self, member: MemberId, ty: TypeRefId) -> Value {
        match self.program().type_in(member, ty) {
            Ty::Own(id, _) => Value::Type(id),
            Ty::Param(name, _) => {
                let known = self.frame().types.iter().find(|(n, _)| *n == name);
                known.map_or(Value::Unknown, |(_, value)| value.clone())
            }
            _ => Value::Unknown,
        }
    }

    /// Whether a call tells another object to do something, and asks nothing of it: `pump.start();`
    fn is_told(&self, call: Site, object: NodeId) -> bool {
        let Some(body) = self.body() else { return false };
        let parent = self.program().scope(call.member).parent(call.node);
        let is_statement = parent.is_some_and(|p| matches!(body.node(p), Node::Block(_)));
        is_statement && !matches!(body.node(object), Node::This | Node::Super)
    }

    /// The arguments of a call; named ones by the parameters of what is called.
    fn handed(&mut self, site: Site, args: List, target: Option<MemberId>) -> Vec<Value> {
        let Some(body) = self.body() else { return Vec::new() };
        let named = body.list(args).iter().any(|a| matches!(body.node(*a), Node::Entry { .. }));
        if !named {
            return self.arguments(args);
        }
        let target = target.or_else(|| self.flow.callee(site).map(|c| c.member));
        let mut values = Vec::new();
        for arg in body.list(args) {
            let Node::Entry { key, value } = body.node(*arg) else {
                values.push(self.eval(*arg));
                continue;
            };
            let value = self.eval(value);
            let (Some(target), Node::Str(name)) = (target, body.node(key)) else { continue };
            let program = self.program();
            let sym = program.sym_in(site.member, name);
            let unit = program.member(target).unit;
            if let Some(index) = program.decl(target).params.iter().position(|p| program.sym(unit, p.name) == sym) {
                if values.len() <= index {
                    values.resize(index + 1, Value::Unknown);
                }
                values[index] = value;
            }
        }
        values
    }

    /// A call of a method of an object.
    pub(super) fn call_on(&mut self, site: Site, object: &Value, sym: Sym, of_base: bool, args: Vec<Value>) -> Value {
        let program = self.program();
        let method = match object {
            _ if of_base => self.flow.callee(site).map(|c| c.member),
            Value::Type(t) => self.method_of(*t, sym, args.len()).map(|m| self.overload(m, site, args.len())),
            Value::Object(id) => match self.object(*id).kind {
                Kind::Instance { class, .. } => self.method_of(class, sym, args.len()).map(|m| self.overload(m, site, args.len())),
                _ => None,
            },
            _ => None,
        };
        let result = if let Some(m) = method {
            let this = if program.member(m).is_static { Value::Unknown } else { object.clone() };
            self.call_member(m, this, args)
        } else if let Some(extension) = self.flow.callee(site).filter(|c| c.extension) {
            let all = std::iter::once(object.clone()).chain(args).collect();
            self.call_member(extension.member, Value::Unknown, all)
        } else if let Some(function) = self.function_member(site, object, sym) {
            self.call_value(&function, args)
        } else if let Some(target) = self.in_place_of_interface(site, object) {
            // what the interface does itself goes on to the function by its own calls
            let has_code = program.body(target).is_some_and(|b| b.root.is_some());
            if has_code { self.call_member(target, object.clone(), args) } else { self.call_value(object, args) }
        } else {
            self.library_call(site, object, sym, args)
        };
        self.met(site);
        result
    }

    /// The method of an interface with one method that a function is called by, being in its place.
    fn in_place_of_interface(&self, call: Site, object: &Value) -> Option<MemberId> {
        matches!(self.kind(object), Some(Kind::Closure { .. } | Kind::Method { .. })).then_some(())?;
        let target = self.flow.callee(call)?.member;
        let info = self.program().member(target);
        (info.kind == MemberKind::Method && self.program().only_method(info.owner).is_some()).then_some(target)
    }

    /// The method that a class answers a call with: the nearest one that takes the arguments.
    fn method_of(&self, class: TypeId, sym: Sym, args: usize) -> Option<MemberId> {
        let program = self.program();
        let mut found = None;
        program.for_each_base(class, &mut |t| {
            let methods = program.own_members(t, sym).iter().copied().filter(|m| program.member(*m).kind == MemberKind::Method);
            let with_body: Vec<MemberId> = methods.filter(|m| program.body(*m).is_some_and(|b| b.root.is_some())).collect();
            let takes = |m: &&MemberId| {
                let params = &program.decl(**m).params;
                params.iter().filter(|p| !p.optional).count() <= args && args <= params.len()
            };
            found = with_body.iter().find(takes).or(with_body.first()).copied();
            found.is_none()
        });
        found
    }

    /// Of several methods of a class that take as many arguments, the one that a call is resolved to.
    fn overload(&self, found: MemberId, call: Site, args: usize) -> MemberId {
        let program = self.program();
        let info = program.member(found);
        let alike = |m: &&MemberId| program.decl(**m).params.len() == args;
        if program.own_members(info.owner, info.name).iter().filter(alike).count() < 2 {
            return found;
        }
        let told = self.flow.callee(call).map(|c| c.member).filter(|m| {
            let own = program.member(*m);
            own.owner == info.owner && own.name == info.name && program.body(*m).is_some_and(|b| b.root.is_some())
        });
        told.unwrap_or(found)
    }

    /// A member that holds a function.
    fn function_member(&mut self, site: Site, object: &Value, sym: Sym) -> Option<Value> {
        let value = self.member(site, object, sym);
        matches!(self.kind(&value), Some(Kind::Closure { .. })).then_some(value)
    }

    /// A call of a bare name: a method of an instance around, of the module, or what a member holds.
    fn call_named(&mut self, site: Site, callee: NodeId, args: Vec<Value>) -> Value {
        let Some(target) = self.flow.callee(site) else {
            let function = self.eval(callee);
            return self.call_value(&function, args);
        };
        let program = self.program();
        let info = program.member(target.member);
        if info.is_static || program.ty(info.owner).is_module {
            return self.call_member(target.member, Value::Unknown, args);
        }
        let this = self.this_of(info.owner);
        let method = match self.kind(&this) {
            Some(Kind::Instance { class, .. }) => self.method_of(*class, info.name, args.len()),
            _ => None,
        };
        self.call_member(method.unwrap_or(target.member), this, args)
    }

    /// Calls a function value, or an object in place of one.
    pub(super) fn call_value(&mut self, function: &Value, args: Vec<Value>) -> Value {
        let made = self.value_of_call(function, args);
        if let (Value::Object(maker), Value::Object(id)) = (function, &made)
            && self.makes_link(function)
        {
            self.made_by.entry(*id).or_insert((*maker, self.calls.last().copied()));
        }
        made
    }

    fn value_of_call(&mut self, function: &Value, args: Vec<Value>) -> Value {
        match self.kind(function).cloned() {
            Some(Kind::Closure { member, function, made_in, this }) => self.call_closure(member, function, made_in, this, args),
            Some(Kind::Method { member: CONSTRUCTOR, this: Value::Type(class) }) => {
                let site = self.calls.last().copied().unwrap_or(Site { member: self.frame().member, node: NodeId::new(0) });
                self.new_instance(class, args, site)
            }
            Some(Kind::Method { member, this: Value::Unknown }) if !self.program().member(member).is_static => {
                // a method by its class: the first argument is the receiver
                let mut args = args.into_iter();
                let this = args.next().unwrap_or(Value::Unknown);
                let name = self.program().member(member).name;
                let rest: Vec<Value> = args.collect();
                let method = match self.kind(&this) {
                    Some(Kind::Instance { class, .. }) => self.method_of(*class, name, rest.len()),
                    _ => None,
                };
                if self.program().ty(self.program().member(member).owner).is_module {
                    return self.call_member(member, Value::Unknown, std::iter::once(this).chain(rest).collect());
                }
                self.call_member(method.unwrap_or(member), this, rest)
            }
            Some(Kind::Method { member, this }) => self.call_member(member, this, args),
            Some(Kind::Instance { class, .. }) => {
                // an object of a class with one method, called as a function
                let program = self.program();
                let mut methods = program.ty(class).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method);
                match (methods.next(), methods.next()) {
                    (Some(only), None) => self.call_member(*only, function.clone(), args),
                    _ => Value::Unknown,
                }
            }
            _ => Value::Unknown,
        }
    }

    fn call_closure(
        &mut self,
        member: MemberId,
        function: yarrowgraph_ir::FunctionId,
        made_in: FrameId,
        this: Value,
        args: Vec<Value>,
    ) -> Value {
        let Some(body) = self.program().body(member) else { return Value::Unknown };
        let f = body.function(function);
        let Some(root) = f.body else { return Value::Unknown };
        let this = if f.this == CaptureMode::Lexical { this } else { Value::Unknown };
        let made = Site { member, node: root };
        let params = self.spread_over(&f.params, args, made);
        self.activate(member, Some(function), Some(made_in), this, params, root, f.returns_body)
    }

    /// Calls a method, getter or entry point.
    pub(super) fn call_member(&mut self, member: MemberId, this: Value, args: Vec<Value>) -> Value {
        let program = self.program();
        let Some(body) = program.body(member) else { return Value::Unknown };
        let Some(root) = body.root else { return Value::Unknown };
        let params = self.spread_over(&program.decl(member).params, args, Site { member, node: root });
        self.handed_lists(member, &params);
        self.activate(member, None, None, this, params, root, body.returns_root)
    }

    #[expect(clippy::too_many_arguments, reason = "what an activation is made of")]
    fn activate(
        &mut self,
        member: MemberId,
        function: Option<yarrowgraph_ir::FunctionId>,
        made_in: Option<FrameId>,
        this: Value,
        params: Vec<Value>,
        root: NodeId,
        returns: bool,
    ) -> Value {
        if !self.descend() {
            self.ascend();
            return Value::Unknown;
        }
        let handed = std::mem::take(&mut self.type_args);
        let program = self.program();
        let unit = program.member(member).unit;
        let types = match made_in {
            // written in a body, and of the same types
            Some(frame) => self.frame_at(frame).types.clone(),
            None => program.decl(member).type_params.iter().map(|p| program.sym(unit, p.name)).zip(handed).collect(),
        };
        let (locals, yields, seen) = (FxHashMap::default(), Vec::new(), FxHashMap::default());
        let frame = Frame { member, function, made_in, this, locals, params, types, yields, seen, has_waited: false };
        if self.goes_round(&frame) {
            self.ascend();
            return Value::Unknown;
        }
        let (outer, phase) = (self.open(frame), self.phase);
        self.defaults();
        let result = if returns {
            self.eval(root)
        } else {
            match self.run(root) {
                Ends::Return(value) => value,
                _ => Value::Unknown,
            }
        };
        let yielded = self.yielded(Site { member, node: root });
        self.phase = phase;
        self.close(outer);
        self.ascend();
        yielded.unwrap_or(result)
    }

    /// Parameters that nothing was handed over for have their defaults; patterns take theirs apart.
    fn defaults(&mut self) {
        let Some(body) = self.body() else { return };
        let (member, function) = (self.frame().member, self.frame().function);
        let params: &[yarrowgraph_ir::Param] = match function {
            Some(f) => &body.function(f).params,
            None => &self.program().decl(member).params,
        };
        for (index, param) in params.iter().enumerate() {
            let given = self.frame().params.get(index).cloned().unwrap_or(Value::Unknown);
            if let Some(default) = param.default
                && given == Value::Unknown
            {
                let value = self.eval(default);
                if let Some(slot) = self.frame_mut().params.get_mut(index) {
                    *slot = value;
                }
            }
            if let Some(pattern) = param.pattern {
                self.bind(pattern, given);
            }
        }
    }

    // ---- objects

    /// `new Gauge(…)`
    pub(super) fn creation(&mut self, site: Site, ty: TypeRefId, args: List, class: Option<TypeDeclId>) -> Value {
        let program = self.program();
        let written = class.and_then(|c| self.flow.class_at(site.member, c));
        let shown = self.flow.type_of_node(site.member, site.node);
        let own = written.or_else(|| self.class_stood_for(site, ty)).or(shown.own());
        let values = self.handed(site, args, own.and_then(|class| self.flow.constructor_at(class, site)));
        self.calls.push(site);
        let made = match own {
            Some(class) => {
                let values = self.with_nothing(class, values, args);
                self.new_instance(class, values, site)
            }
            None => {
                // `new()`: the type is that of where it goes
                let ty = match program.type_in(site.member, ty) {
                    Ty::Unknown => shown,
                    written => written,
                };
                self.new_outside(site, &ty, values)
            }
        };
        self.calls.pop();
        made
    }

    /// The class that a type parameter stands for in this run, or a variable that holds a class: `new L()`, `new Next(this)`.
    fn class_stood_for(&mut self, site: Site, ty: TypeRefId) -> Option<TypeId> {
        let program = self.program();
        if let Ty::Param(..) = program.type_in(site.member, ty) {
            return if let Value::Type(class) = self.type_value(site.member, ty) { Some(class) } else { None };
        }
        let TypeRef::Named { name, .. } = program.unit_of(site.member).type_ref(ty) else { return None };
        match self.declared(*name, site.node).map(|what| self.read(what))? {
            Value::Type(class) => Some(class),
            _ => None,
        }
    }

    /// What a creation hands over, and nothing for the parameters that it leaves out where its language lets it.
    fn with_nothing(&self, class: TypeId, mut values: Vec<Value>, args: List) -> Vec<Value> {
        let program = self.program();
        let spreads = |body: &Body| body.list(args).iter().any(|a| matches!(body.node(*a), Node::Unary { op: UnaryOp::Spread, .. }));
        if !program.kit(program.ty(class).unit).traits.file_modules || self.body().is_none_or(spreads) {
            return values;
        }
        let Some(constructor) = self.flow.constructor_or_base(class, values.len()) else { return values };
        let left_out = program.decl(constructor).params.iter().skip(values.len());
        let plain = left_out.take_while(|p| p.default.is_none() && p.pattern.is_none() && p.mode != ParamMode::Rest).count();
        values.extend(std::iter::repeat_n(Value::Null, plain));
        values
    }

    /// `: m_gauge(bus, 3)`
    pub(super) fn part(&mut self, part: &Part) -> Value {
        let args = part.args.iter().map(|arg| self.eval(*arg)).collect();
        self.calls.push(part.site);
        let made = self.new_instance(part.class, args, part.site);
        self.calls.pop();
        let this = self.frame().this.clone();
        self.store_field(&this, part.field, made.clone());
        made
    }

    /// Makes an object of a class of the tree.
    pub(super) fn new_instance(&mut self, class: TypeId, args: Vec<Value>, site: Site) -> Value {
        let around = self.frame().this.clone();
        let made = self.make(Kind::Instance { class, fields: Vec::new(), around }, site);
        let takes_all = |constructor: &MemberId| self.program().decl(*constructor).params.len() == args.len();
        match self.flow.constructor_at(class, site).filter(takes_all) {
            Some(constructor) => self.construct_by(constructor, &made, args),
            None => self.construct(class, &made, args),
        }
        made
    }

    /// Makes an object what its constructor makes of it.
    pub(super) fn construct(&mut self, class: TypeId, object: &Value, args: Vec<Value>) {
        match self.flow.constructor(class, args.len()) {
            Some(constructor) => self.construct_by(constructor, object, args),
            // where constructors are inherited, so are their parameters
            None => {
                self.construct_base(class, object, args);
                self.fields(class, object, None);
            }
        }
    }

    /// Runs a constructor; what its class's fields are given first comes before its own statements.
    fn construct_by(&mut self, constructor: MemberId, object: &Value, args: Vec<Value>) {
        let program = self.program();
        let class = program.member(constructor).owner;
        match program.body(constructor).and_then(first_call) {
            // the other constructor sees to it
            Some(Node::This) => {}
            first => {
                self.fields(class, object, Some(constructor));
                if first.is_none() {
                    self.construct_base(class, object, Vec::new());
                }
            }
        }
        self.call_member(constructor, object.clone(), args);
    }

    /// The base's part of an object whose own constructor does not ask for it.
    fn construct_base(&mut self, class: TypeId, object: &Value, args: Vec<Value>) {
        if let Some(base) = self.program().base_class(class) {
            if self.descend() {
                self.construct(base, object, args);
            }
            self.ascend();
        }
    }

    /// A call of a base's constructor that the tree does not show.
    fn fields_of_bases(&mut self, object: &Value) {
        let class = self.program().member(self.frame().member).owner;
        self.construct_base(class, object, Vec::new());
    }

    /// What the fields of a class are given first, but for parts that a constructor makes.
    fn fields(&mut self, class: TypeId, object: &Value, constructor: Option<MemberId>) {
        let program = self.program();
        let parts = constructor.map(|c| self.flow.parts_of_constructor(c)).unwrap_or_default();
        for &m in program.ty(class).members.iter().filter(|m| !parts.contains(m)) {
            let info = program.member(m);
            let Some(root) = program.body(m).and_then(|b| b.root) else { continue };
            match info.kind {
                MemberKind::Field | MemberKind::Property if !info.is_static => {
                    let value = self.first_value(m, root, object.clone());
                    self.store_field(object, m, value);
                }
                MemberKind::Initializer if !info.is_static => _ = self.call_member(m, object.clone(), Vec::new()),
                _ => {}
            }
        }
    }

    pub(super) fn first_value(&mut self, m: MemberId, root: NodeId, this: Value) -> Value {
        self.activate(m, None, None, this, Vec::new(), root, true)
    }
}

/// The callee of the call that a constructor begins with, where that is of another constructor.
fn first_call(body: &Body) -> Option<Node> {
    let mut node = body.root?;
    loop {
        match body.node(node) {
            Node::Block(list) | Node::Opaque(list) => node = *body.list(list).iter().find(|n| !is_parameter_property(body, **n))?,
            Node::Call { callee, .. } => {
                let callee = body.node(callee);
                return matches!(callee, Node::Super | Node::This).then_some(callee);
            }
            _ => return None,
        }
    }
}

/// Whether a statement is the assignment that a parameter with a modifier stands for: it has its
/// target's span.
fn is_parameter_property(body: &Body, node: NodeId) -> bool {
    matches!(body.node(node), Node::Assign { target, .. } if body.span(node) == body.span(target))
}
