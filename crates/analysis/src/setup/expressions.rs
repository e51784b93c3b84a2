//! Expressions.

use yarrowgraph_ir::{AccessorKind, AssignOp, BinaryOp, CollectionKind, List, MemberKind, Node, NodeId, TypeKind, UnaryOp, Visibility};

use super::machine::Machine;
use super::value::{Kind, Value};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Sym, Ty, TypeId};

impl Machine<'_, '_> {
    /// The value of an expression, which is carried out.
    pub(super) fn eval(&mut self, node: NodeId) -> Value {
        if !self.step() {
            return Value::Unknown;
        }
        let value = if self.descend() { self.expression(node) } else { Value::Unknown };
        self.ascend();
        self.frame_mut().seen.insert(node, value.clone());
        value
    }

    pub(super) fn site(&self, node: NodeId) -> Site {
        Site { member: self.frame().member, node }
    }

    fn expression(&mut self, node: NodeId) -> Value {
        let Some(body) = self.body() else { return Value::Unknown };
        let site = self.site(node);
        match body.node(node) {
            Node::Name(name) => match self.declared(name, node) {
                Some(what) => self.read(what),
                None => self.name(site, name),
            },
            Node::Member { object, name, .. } => {
                let sym = self.program().sym_in(site.member, name);
                let object = self.eval(object);
                self.member(site, &object, sym)
            }
            Node::MethodRef { object, name } => {
                let sym = self.program().sym_in(site.member, name);
                let object = self.eval(object);
                self.method_value(site, &object, sym)
            }
            Node::This => self.frame().this.clone(),
            Node::Super => self.frame().this.clone(),
            Node::OuterThis(name) => {
                let sym = self.program().sym_in(site.member, name);
                self.outer_named(sym)
            }
            Node::Index { object, keys, .. } => {
                let object = self.eval(object);
                let keys: Vec<Value> = body.list(keys).iter().map(|k| self.eval(*k)).collect();
                keys.first().map_or(Value::Unknown, |key| self.element(&object, key))
            }
            Node::Call { callee, args, type_args, .. } => self.call(site, callee, args, type_args),
            Node::New { ty, args, init, class } => {
                let mut made = self.creation(site, ty, args, class);
                // `new() { … }`: the type is that of where it goes
                let is_list = init.is_some_and(|i| matches!(body.node(i), Node::Collection { kind: CollectionKind::List, .. }));
                if is_list && matches!(self.kind(&made), Some(Kind::Outside)) {
                    made = self.make(Kind::List(Vec::new()), site);
                }
                if let Some(init) = init {
                    self.initialize(&made, init);
                }
                made
            }
            Node::Lambda(function) => {
                let (made_in, this) = (self.now, self.frame().this.clone());
                let made = self.make(Kind::Closure { member: site.member, function, made_in, this }, site);
                // it may know itself by a name
                if body.function(function).name.is_some() {
                    self.write(Declared::Local(node), made.clone());
                }
                made
            }
            Node::Assign { op, target, value } => self.assign(site, op, target, value),
            Node::Binary { op, left, right } => self.binary(op, left, right),
            Node::Unary { op, operand } => {
                let value = self.eval(operand);
                match op {
                    UnaryOp::Not => value.truth().map_or(Value::Unknown, |t| Value::Bool(!t)),
                    UnaryOp::Await => {
                        self.wait();
                        value
                    }
                    UnaryOp::NonNull | UnaryOp::Spread | UnaryOp::ByRef | UnaryOp::Indirect => value,
                    UnaryOp::Step { down } => self.step_over(operand, &value, down),
                    _ => Value::Unknown,
                }
            }
            Node::Conditional { cond, then, other } => {
                let holds = self.eval(cond).truth().unwrap_or_else(|| self.decide());
                self.eval(if holds { then } else { other })
            }
            Node::TypeTest { object, ty, binding } => self.type_test(object, ty, binding),
            Node::Cast { operand, .. } => self.eval(operand),
            Node::Str(name) => Value::Text(self.program().unit_of(site.member).text(name).into()),
            Node::Num(name) => self.program().unit_of(site.member).text(name).parse().map_or(Value::Unknown, Value::Int),
            Node::Bool(b) => Value::Bool(b),
            Node::Null => Value::Null,
            Node::Collection { items, .. } => {
                let items = self.arguments(items);
                self.make(Kind::List(items), site)
            }
            Node::Object(entries) => {
                let made = self.make(Kind::Map(Vec::new()), site);
                self.put_entries(&made, entries);
                made
            }
            Node::TypeExpr(ty) => self.type_value(site.member, ty),
            Node::Entry { value, .. } => self.eval(value),
            Node::Local { .. } => self.read(Declared::Local(node)),
            Node::Opaque(list) => match *body.list(list) {
                [only] => self.eval(only),
                ref several => {
                    several.iter().for_each(|n| _ = self.eval(*n));
                    Value::Unknown
                }
            },
            Node::Throw(value) => {
                value.map(|v| self.eval(v));
                Value::Unknown
            }
            Node::Switch { .. } | Node::If { .. } | Node::Block(_) => match self.run(node) {
                super::machine::Ends::Return(value) => value,
                _ => Value::Unknown,
            },
            Node::Template(parts) => {
                body.list(parts).iter().for_each(|p| _ = self.eval(*p));
                Value::Unknown
            }
            _ => Value::Unknown,
        }
    }

    /// Arguments or elements; what is spread is put in element by element.
    pub(super) fn arguments(&mut self, list: List) -> Vec<Value> {
        let Some(body) = self.body() else { return Vec::new() };
        let mut values = Vec::with_capacity(list.len as usize);
        for item in body.list(list) {
            let value = self.eval(*item);
            let spreads = matches!(body.node(*item), Node::Unary { op: UnaryOp::Spread, .. });
            if let Value::Object(id) = value
                && self.makes_link(&value)
            {
                self.named.push((id, self.site(*item)));
            }
            match self.elements(&value).filter(|_| spreads) {
                Some(items) => values.extend(items),
                None => values.push(value),
            }
        }
        values
    }

    // ---- names and members

    fn name(&mut self, site: Site, name: yarrowgraph_ir::Name) -> Value {
        let program = self.program();
        let info = program.member(site.member);
        let sym = program.sym(info.unit, name);
        match self.flow.eval(site) {
            Val::Type(t) => Value::Type(t),
            Val::Static(m) => self.static_value(m),
            Val::Method(m, receiver) => {
                let this = if receiver.is_some() { self.this_of(program.member(m).owner) } else { Value::Unknown };
                self.make(Kind::Method { member: m, this }, site)
            }
            Val::Member(..) | Val::This(_) | Val::Outside(..) => {
                let this = self.holder_of(sym);
                self.member(site, &this, sym)
            }
            _ => match self.holder_of(sym) {
                Value::Unknown => Value::Unknown,
                this => self.member(site, &this, sym),
            },
        }
    }

    /// The innermost instance around that has a member of a name.
    pub(super) fn holder_of(&self, sym: Sym) -> Value {
        self.around(|class| self.program().find_member(class, sym).is_some())
    }

    /// The instance around that is of a type.
    pub(super) fn this_of(&self, ty: TypeId) -> Value {
        self.around(|class| self.program().is_a(class, ty))
    }

    fn outer_named(&self, sym: Sym) -> Value {
        self.around(|class| self.program().ty(class).name == sym)
    }

    /// The innermost instance around whose class fits.
    fn around(&self, fits: impl Fn(TypeId) -> bool) -> Value {
        let mut at = &self.frame().this;
        while let Some(Kind::Instance { class, around, .. }) = self.kind(at) {
            if fits(*class) {
                return at.clone();
            }
            at = around;
        }
        Value::Unknown
    }

    /// What reading a member of an object gives.
    pub(super) fn member(&mut self, site: Site, object: &Value, sym: Sym) -> Value {
        let program = self.program();
        match object {
            Value::Type(t) => match program.find_member(*t, sym) {
                Some(m) if program.member(m).kind == MemberKind::Method => {
                    self.make(Kind::Method { member: m, this: Value::Unknown }, site)
                }
                Some(m) => self.static_value(m),
                None => program.nested_type(*t, sym).map_or(Value::Unknown, Value::Type),
            },
            Value::Object(id) => match &self.object(*id).kind {
                Kind::Instance { class, .. } => {
                    match program.find_member_as(*class, sym, false).or_else(|| program.find_member(*class, sym)) {
                        Some(m) if program.member(m).kind == MemberKind::Method => {
                            self.make(Kind::Method { member: m, this: object.clone() }, site)
                        }
                        Some(m) if program.member(m).is_static => self.static_value(m),
                        Some(m) => self.property(object, m),
                        None => Value::Unknown,
                    }
                }
                Kind::List(items) if matches!(program.text(sym), "length" | "Length" | "Count" | "size") => Value::Int(items.len() as i64),
                Kind::Map(_) => {
                    let key = Value::Text(program.text(sym).into());
                    self.element(object, &key)
                }
                _ => Value::Unknown,
            },
            _ => match self.flow.eval(site) {
                Val::Type(t) => Value::Type(t),
                Val::Static(m) => self.static_value(m),
                _ => Value::Unknown,
            },
        }
    }

    /// A property through its getter, where that has a body; else what it holds.
    fn property(&mut self, object: &Value, m: MemberId) -> Value {
        let program = self.program();
        let info = program.member(m);
        if info.kind == MemberKind::Property {
            let is_getter = |x: &&MemberId| {
                program.member(**x).kind == MemberKind::Accessor(AccessorKind::Get) && program.body(**x).is_some_and(|b| b.root.is_some())
            };
            if let Some(getter) = program.own_members(info.owner, info.name).iter().find(is_getter) {
                return self.call_member(*getter, object.clone(), Vec::new());
            }
        }
        self.field(object, m)
    }

    /// What a field of an object holds.
    pub(super) fn field(&self, object: &Value, m: MemberId) -> Value {
        match self.kind(object) {
            Some(Kind::Instance { fields, .. }) => {
                let stored = fields.iter().find(|(f, _)| *f == m).map(|(_, value)| value.clone());
                stored.unwrap_or_else(|| if self.starts_unset(m) { Value::Null } else { Value::Unknown })
            }
            _ => Value::Unknown,
        }
    }

    /// Whether a field holds no object before the code of its class has put one there.
    fn starts_unset(&self, m: MemberId) -> bool {
        let program = self.program();
        let decl = program.decl(m);
        let hidden = decl.modifiers.visibility == Visibility::Private && decl.annotations.is_empty() && program.body(m).is_none();
        let is_object =
            || self.flow.type_held(m).own().is_some_and(|t| matches!(program.ty(t).kind, TypeKind::Class | TypeKind::Interface));
        // where objects are held as they are, they are there from the start
        let is_itself = || program.kit_of(m).traits.references_dangle && decl.ty.is_none_or(|ty| program.is_by_value(m, ty));
        hidden && !self.flow.definitions(m).is_empty() && is_object() && !is_itself()
    }

    /// What a static member holds; its first value is computed when it is first asked for.
    pub(super) fn static_value(&mut self, m: MemberId) -> Value {
        if let Some(known) = self.statics.get(&m) {
            return known.clone();
        }
        let program = self.program();
        if program.member(m).kind == MemberKind::EnumConstant && program.body(m).is_none() {
            return Value::Constant(m);
        }
        self.statics.insert(m, Value::Unknown);
        let value = match program.body(m).and_then(|b| b.root) {
            Some(root) if matches!(program.member(m).kind, MemberKind::Field | MemberKind::Property | MemberKind::EnumConstant) => {
                self.first_value(m, root, Value::Unknown)
            }
            _ => self.given_by_module(m),
        };
        self.statics.insert(m, value.clone());
        value
    }

    /// What a variable of a module is given once, by code of the module that need not have been run for it.
    fn given_by_module(&mut self, m: MemberId) -> Value {
        let program = self.program();
        let Some(given) = self.flow.only_definition(m) else { return Value::Unknown };
        let is_made = |node: Node| match node {
            Node::Lambda(_) => true,
            Node::New { .. } | Node::Call { .. } | Node::Object(_) | Node::Collection { .. } => self.in_order,
            _ => false,
        };
        let is_known = program.body(given.member).is_some_and(|b| is_made(b.node(given.node)));
        if program.member(given.member).kind != MemberKind::Initializer || !is_known {
            return Value::Unknown;
        }
        self.first_value(given.member, given.node, Value::Unknown)
    }

    /// A constant of an enumeration by its simple name, where only one is called so.
    pub(super) fn constant_named(&mut self, sym: Sym) -> Value {
        let program = self.program();
        let all = (0..program.members.len()).map(|i| MemberId(i as u32));
        let mut named = all.filter(|m| program.member(*m).kind == MemberKind::EnumConstant && program.member(*m).name == sym);
        match (named.next(), named.next()) {
            (Some(only), None) => Value::Constant(only),
            _ => Value::Unknown,
        }
    }

    fn method_value(&mut self, site: Site, object: &Value, sym: Sym) -> Value {
        let program = self.program();
        match object {
            Value::Type(t) if program.text(sym) == "new" => {
                let t = *t;
                self.make(Kind::Method { member: MemberId(u32::MAX), this: Value::Type(t) }, site)
            }
            Value::Type(t) => match program.find_member_as(*t, sym, true) {
                Some(member) => self.make(Kind::Method { member, this: Value::Unknown }, site),
                None => Value::Unknown,
            },
            Value::Object(id) => match self.object(*id).kind {
                Kind::Instance { class, .. } => match program.find_member_as(class, sym, true) {
                    Some(member) => self.make(Kind::Method { member, this: object.clone() }, site),
                    None => Value::Unknown,
                },
                _ => Value::Unknown,
            },
            _ => Value::Unknown,
        }
    }

    // ---- elements

    /// The element of a collection under a key.
    pub(super) fn element(&self, object: &Value, key: &Value) -> Value {
        match (self.kind(object), key) {
            (Some(Kind::List(items)), Value::Int(at)) => {
                usize::try_from(*at).ok().and_then(|i| items.get(i)).cloned().unwrap_or(Value::Unknown)
            }
            (Some(Kind::Map(entries)), _) => {
                entries.iter().rev().find(|(k, _)| k.is(key) == Some(true)).map_or(Value::Unknown, |(_, value)| value.clone())
            }
            _ => Value::Unknown,
        }
    }

    pub(super) fn put(&mut self, object: &Value, key: Value, value: Value) {
        let Value::Object(id) = object else { return };
        match &mut self.object_mut(*id).kind {
            Kind::List(items) => {
                if let Value::Int(at) = key
                    && let Some(slot) = usize::try_from(at).ok().and_then(|i| items.get_mut(i))
                {
                    *slot = value;
                }
            }
            Kind::Map(entries) => match entries.iter_mut().find(|(k, _)| k.is(&key) == Some(true)) {
                Some((_, slot)) => *slot = value,
                None => entries.push((key, value)),
            },
            _ => {}
        }
    }

    fn put_entries(&mut self, object: &Value, entries: List) {
        let Some(body) = self.body() else { return };
        for entry in body.list(entries) {
            match body.node(*entry) {
                Node::Entry { key, value } => {
                    let (key, value) = (self.eval(key), self.eval(value));
                    self.put(object, key, value);
                }
                _ => _ = self.eval(*entry),
            }
        }
    }

    /// `new Gauge { Limit = 3 }`, `new List<…> { a, b }`
    fn initialize(&mut self, object: &Value, init: NodeId) {
        let Some(body) = self.body() else { return };
        match body.node(init) {
            Node::Collection { items, .. } => {
                let items = self.arguments(items);
                if let Value::Object(id) = object
                    && let Kind::List(known) = &mut self.object_mut(*id).kind
                {
                    known.extend(items);
                }
            }
            Node::Object(entries) => {
                for entry in body.list(entries) {
                    let Node::Entry { key, value } = body.node(*entry) else { continue };
                    let field = match (self.kind(object), body.node(key)) {
                        (Some(Kind::Instance { class, .. }), Node::Str(name)) => {
                            let class = *class;
                            self.program().find_member(class, self.program().sym_in(self.frame().member, name))
                        }
                        _ => None,
                    };
                    let value = self.eval(value);
                    match field {
                        Some(m) => self.store_field(object, m, value),
                        None => {
                            let key = self.eval(key);
                            self.put(object, key, value);
                        }
                    }
                    let site = self.site(*entry);
                    self.met(site);
                }
            }
            _ => {}
        }
    }

    // ---- assignments

    fn assign(&mut self, site: Site, op: AssignOp, target: NodeId, value: NodeId) -> Value {
        let Some(body) = self.body() else { return Value::Unknown };
        if let Some(part) = self.flow.part_made_by(site) {
            return self.part(&part);
        }
        // what is combined with handlers is an effect, not a value
        let before = if op == AssignOp::Set { Value::Unknown } else { self.eval(target) };
        let given = self.eval(value);
        // `clock.struck += handler`, where that is an operator of a class
        if let Some(operator) = self.flow.callee(site) {
            let name = self.program().member(operator.member).name;
            self.calls.push(site);
            let result = self.call_on(site, &before, name, false, vec![given]);
            self.calls.pop();
            return result;
        }
        let result = match (op, &before, &given) {
            (AssignOp::Set, ..) => given,
            (AssignOp::IfUnset, Value::Null | Value::Unknown, _) => given,
            (AssignOp::IfUnset, ..) => before,
            (AssignOp::Add, Value::Int(a), Value::Int(b)) => Value::Int(a.wrapping_add(*b)),
            (AssignOp::Sub, Value::Int(a), Value::Int(b)) => Value::Int(a.wrapping_sub(*b)),
            _ => Value::Unknown,
        };
        self.assigning = Some(site);
        match body.node(target) {
            Node::Name(name) => match self.declared(name, target) {
                Some(what) => self.write(what, result.clone()),
                None => match self.flow.eval(self.site(target)) {
                    Val::Static(m) => _ = self.statics.insert(m, result.clone()),
                    Val::Member(_, m) => {
                        let holder = self.holder_of(self.program().member(m).name);
                        self.store(&holder, m, result.clone());
                    }
                    _ => {}
                },
            },
            Node::Member { object, name, .. } => {
                let sym = self.program().sym_in(site.member, name);
                let object = self.eval(object);
                self.store_named(&object, sym, result.clone());
                // what the target means to the rest of the analysis
                self.frame_mut().seen.insert(target, result.clone());
            }
            Node::Index { object, keys, .. } => {
                let object = self.eval(object);
                let keys: Vec<Value> = body.list(keys).iter().map(|k| self.eval(*k)).collect();
                if let Some(key) = keys.first() {
                    self.put(&object, key.clone(), result.clone());
                }
            }
            Node::Pattern { .. } => self.bind(target, result.clone()),
            Node::Collection { items, .. } => {
                let values = self.elements(&result);
                for (index, item) in body.list(items).iter().enumerate() {
                    let value = values.as_ref().and_then(|v| v.get(index)).cloned().unwrap_or(Value::Unknown);
                    self.store_into(*item, value);
                }
            }
            _ => {}
        }
        self.met(site);
        result
    }

    /// Stores into what a part of a tuple names.
    pub(super) fn store_into(&mut self, target: NodeId, value: Value) {
        match self.node(target) {
            Node::Local { .. } => self.write(Declared::Local(target), value),
            Node::Unary { op: UnaryOp::ByRef, operand } => self.store_into(operand, value),
            Node::Name(name) => match self.declared(name, target) {
                Some(what) => self.write(what, value),
                None => {
                    let sym = self.program().sym_in(self.frame().member, name);
                    let holder = self.holder_of(sym);
                    self.store_named(&holder, sym, value);
                }
            },
            Node::Member { object, name, .. } => {
                let sym = self.program().sym_in(self.frame().member, name);
                let object = self.eval(object);
                self.store_named(&object, sym, value);
            }
            _ => {}
        }
    }

    fn store_named(&mut self, object: &Value, sym: Sym, value: Value) {
        let program = self.program();
        match object {
            Value::Type(t) => {
                if let Some(m) = program.find_member(*t, sym) {
                    self.statics.insert(m, value);
                }
            }
            Value::Object(id) => match self.object(*id).kind {
                Kind::Instance { class, .. } => {
                    if let Some(m) = program.find_member_as(class, sym, false) {
                        self.store(object, m, value);
                    }
                }
                Kind::Map(_) => self.put(object, Value::Text(program.text(sym).into()), value),
                _ => {}
            },
            _ => {}
        }
    }

    /// Stores into a field or static member, or through a setter that has a body.
    fn store(&mut self, object: &Value, m: MemberId, value: Value) {
        let program = self.program();
        let info = program.member(m);
        if info.is_static {
            self.statics.insert(m, value);
            return;
        }
        let is_setter = |x: &&MemberId| {
            program.member(**x).kind == MemberKind::Accessor(AccessorKind::Set) && program.body(**x).is_some_and(|b| b.root.is_some())
        };
        match program.own_members(info.owner, info.name).iter().find(is_setter) {
            Some(setter) if info.kind == MemberKind::Property => _ = self.call_member(*setter, object.clone(), vec![value]),
            _ => self.store_field(object, m, value),
        }
    }

    pub(super) fn store_field(&mut self, object: &Value, m: MemberId, value: Value) {
        let Value::Object(id) = object else { return };
        let at = self.assigning.filter(|s| s.member == self.frame().member);
        self.linked(*id, m, &value, at);
        if let Kind::Instance { fields, .. } = &mut self.object_mut(*id).kind {
            match fields.iter_mut().find(|(f, _)| *f == m) {
                // an object that is a part of this one is made of a plain value, and stays
                Some((_, Value::Object(_))) if matches!(value, Value::Int(_) | Value::Text(_) | Value::Bool(_)) => {}
                Some((_, slot)) => *slot = value,
                None => fields.push((m, value)),
            }
        }
    }

    /// `i++`
    fn step_over(&mut self, operand: NodeId, value: &Value, down: bool) -> Value {
        let Value::Int(before) = value else { return Value::Unknown };
        let after = Value::Int(before.wrapping_add(if down { -1 } else { 1 }));
        self.store_into(operand, after);
        value.clone()
    }

    // ---- operators

    fn binary(&mut self, op: BinaryOp, left: NodeId, right: NodeId) -> Value {
        let a = self.eval(left);
        match (op, a.truth()) {
            (BinaryOp::And, Some(false)) => return Value::Bool(false),
            (BinaryOp::Or, Some(true)) => return a,
            (BinaryOp::Coalesce, _) if !matches!(a, Value::Null | Value::Unknown) => return a,
            _ => {}
        }
        let b = self.eval(right);
        match (op, &a, &b) {
            (BinaryOp::And, ..) if a.truth() == Some(true) => b,
            (BinaryOp::Or, ..) if a.truth() == Some(false) => b,
            (BinaryOp::Coalesce, Value::Null, _) => b,
            (BinaryOp::Eq, ..) => a.is(&b).map_or(Value::Unknown, Value::Bool),
            (BinaryOp::Ne, ..) => a.is(&b).map_or(Value::Unknown, |same| Value::Bool(!same)),
            (BinaryOp::Lt, Value::Int(a), Value::Int(b)) => Value::Bool(a < b),
            (BinaryOp::Le, Value::Int(a), Value::Int(b)) => Value::Bool(a <= b),
            (BinaryOp::Gt, Value::Int(a), Value::Int(b)) => Value::Bool(a > b),
            (BinaryOp::Ge, Value::Int(a), Value::Int(b)) => Value::Bool(a >= b),
            (BinaryOp::Add, Value::Int(a), Value::Int(b)) => Value::Int(a.wrapping_add(*b)),
            (BinaryOp::Sub, Value::Int(a), Value::Int(b)) => Value::Int(a.wrapping_sub(*b)),
            (BinaryOp::Add, Value::Text(a), Value::Text(b)) => Value::Text(format!("{a}{b}").into()),
            _ => Value::Unknown,
        }
    }

    fn type_test(&mut self, object: NodeId, ty: Option<yarrowgraph_ir::TypeRefId>, binding: Option<NodeId>) -> Value {
        let value = self.eval(object);
        if let Some(binding) = binding {
            self.bind(binding, value.clone());
        }
        let wanted = ty.map(|t| self.program().type_in(self.frame().member, t));
        match (self.kind(&value), wanted) {
            (Some(Kind::Instance { class, .. }), Some(Ty::Own(t, _))) => Value::Bool(self.program().is_a(*class, t)),
            _ if value == Value::Null => Value::Bool(false),
            _ => Value::Unknown,
        }
    }
}
