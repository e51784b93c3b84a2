//! Evaluation of expressions.

use std::sync::Arc;

use yarrowgraph_ir::{
    AccessorKind, AssignOp, BinaryOp, Body, CaptureMode, CollectionKind, FunctionId, MemberKind, Name, Node, NodeId, ParamMode, TypeKind,
    TypeRefId, UnaryOp,
};

use super::{BUDGET, Flow, REMEMBERED, Val};
use crate::program::{Declared, HOPS, MemberId, Named, Program, Site, Sym, Ty, TypeId};

impl Flow<'_> {
    pub(super) fn eval_at(&self, member: MemberId, node: NodeId, budget: u32) -> Val {
        let Some(budget) = budget.checked_sub(1) else { return Val::Unknown };
        let Some(body) = self.program.body(member) else { return Val::Unknown };
        let site = Site { member, node };
        // names and calls are asked for in more than one way, each time with all that they are made of
        let branches = REMEMBERED.contains(&budget) && matches!(body.node(node), Node::Name(_) | Node::Call { .. });
        if branches { self.remembered(site, budget, || self.eval_node(body, site, budget)) } else { self.eval_node(body, site, budget) }
    }

    fn eval_node(&self, body: &Body, site: Site, budget: u32) -> Val {
        let Site { member, node } = site;
        let inner = |node| self.eval_at(member, node, budget);
        match body.node(node) {
            Node::Name(name) => {
                let value = self.eval_name(site, name, budget);
                self.type_before_constant(site, name, &value).map_or(value, Val::Type)
            }
            Node::Member { object, name, .. } => self.eval_member_access(site, object, name, budget),
            Node::MethodRef { object, name } => {
                let sym = self.program.sym_in(member, name);
                let object = inner(object);
                self.member_of(object, sym, true, budget)
            }
            Node::This => self.this_at(body, site),
            Node::Super => Val::This(self.program.member(member).owner),
            Node::OuterThis(name) => {
                let sym = self.program.sym_in(member, name);
                self.outer_this(member, sym)
            }
            Node::Index { object, keys, .. } => {
                let object = inner(object);
                if let Some(argument) = self.rest_argument(member, &object, body.list(keys)) {
                    return argument;
                }
                // `gauge['rise'](3)`
                if let [key] = *body.list(keys)
                    && let Node::Str(name) = body.node(key)
                    && self.program.kit_of(member).traits.file_modules
                    && self.program.is_declared(self.program.sym_in(member, name))
                    && let known @ (Val::Method(..) | Val::Member(..)) =
                        self.member_of(object.clone(), self.program.sym_in(member, name), self.is_callee(site), budget)
                {
                    return known;
                }
                let key = body.list(keys).first().map(|k| Arc::new(inner(*k)));
                Val::Element(Arc::new(object), key)
            }
            Node::Call { callee, args, .. } => self.eval_call(site, callee, body.list(args), budget),
            Node::New { ty, args, .. } => {
                let ty = self.program.type_in(member, ty);
                if let [only] = *body.list(args) {
                    let copies = self.program.element_type(self.program.member(member).unit, &ty).is_some();
                    let wraps = self.program.is_callable(self.program.member(member).unit, &ty);
                    // `Phase{shut}` of an enumeration is that constant
                    let is_constant = || ty.own().is_some_and(|t| self.program.ty(t).kind == yarrowgraph_ir::TypeKind::Enum);
                    if wraps || is_constant() {
                        return inner(only);
                    }
                    if copies && self.element_of_node(member, only, budget).is_some() {
                        return inner(only);
                    }
                }
                Val::New(site)
            }
            Node::Lambda(f) => Val::Lambda(member, f),
            Node::Assign { target, .. } => inner(target),
            Node::Cast { ty, operand } => match inner(operand) {
                // a collection that is said to be one, and not of what, is what it was
                value @ Val::Element(..) if self.is_any_collection(member, ty) => value,
                // known by the type that it is taken as
                Val::Call(_) | Val::Unknown | Val::Data | Val::Element(..) => Val::Local(site),
                known => known,
            },
            Node::Unary {
                op: UnaryOp::NonNull | UnaryOp::Await | UnaryOp::Spread | UnaryOp::ByRef | UnaryOp::Indirect | UnaryOp::Give,
                operand,
            } => inner(operand),
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right } => match inner(left) {
                Val::Unknown | Val::Data => inner(right),
                known => known,
            },
            Node::Binary { op: BinaryOp::And, right, .. } => inner(right),
            Node::Conditional { then, other, .. } => match (inner(then), inner(other)) {
                (a, Val::Null) => a,
                (Val::Null, b) => b,
                // the same function, bound or as it is
                (Val::Bound(of, _), b) | (b, Val::Bound(of, _)) if *of == b => b,
                (a, b) if a == b => a,
                _ => Val::Unknown,
            },
            Node::Collection { kind: CollectionKind::List, items } => match *body.list(items) {
                [only] if matches!(body.node(only), Node::Unary { op: UnaryOp::Spread, .. }) => inner(only),
                _ => Val::Literal(site),
            },
            Node::Collection { .. } | Node::Object(_) => Val::Literal(site),
            Node::Opaque(list) => match *body.list(list) {
                [only] => inner(only),
                _ => Val::Unknown,
            },
            Node::Local { .. } => self.eval_local(site, budget),
            Node::Str(name) => Val::Str(self.program.sym_in(member, name)),
            Node::Null => Val::Null,
            Node::TypeExpr(ty) => match self.program.type_in(member, ty) {
                Ty::Own(id, _) => Val::Type(id),
                Ty::Outside(name, _) => Val::Global(name),
                _ => self.type_param(member, ty).map_or(Val::Unknown, |name| Val::TypeParam(member, name)),
            },
            Node::Num(_) | Node::Bool(_) | Node::Plain | Node::Template(_) | Node::Binary { .. } => Val::Data,
            _ => Val::Unknown,
        }
    }

    /// The instance that `this` means at a node.
    fn this_at(&self, body: &Body, site: Site) -> Val {
        let scope = self.program.scope(site.member);
        let mut around = scope.function_around(body, site.node);
        while let Some(f) = around {
            if body.function(f).this == CaptureMode::Own {
                // the object literal that the method belongs to, or whatever the caller says
                let node = scope.function_node(f);
                let object = node.and_then(|n| scope.ancestors(n).find(|a| matches!(body.node(*a), Node::Object(_))));
                let is_method = body.function(f).form == yarrowgraph_ir::LambdaForm::Method;
                return match object {
                    Some(node) if is_method => Val::Literal(Site { member: site.member, node }),
                    _ => Val::Unknown,
                };
            }
            around = scope.function_node(f).and_then(|n| scope.function_around(body, n));
        }
        Val::This(self.program.member(site.member).owner)
    }

    fn outer_this(&self, member: MemberId, name: Sym) -> Val {
        let mut around = Some(self.program.member(member).owner);
        while let Some(t) = around {
            if self.program.ty(t).name == name {
                return Val::This(t);
            }
            around = self.enclosing_type(t);
        }
        Val::Unknown
    }

    /// The type around a type: that it is nested in, or whose member's body declares it.
    pub fn enclosing_type(&self, ty: TypeId) -> Option<TypeId> {
        let t = self.program.ty(ty);
        t.parent.or_else(|| t.within.map(|s| self.program.member(s.member).owner))
    }

    fn eval_name(&self, site: Site, name: Name, budget: u32) -> Val {
        let program = self.program;
        // where methods have names of their own, no variable is called by its name
        let is_method = !program.kit_of(site.member).traits.fields_called && self.is_callee(site);
        match program.scope(site.member).lookup(name, site.node).filter(|_| !is_method) {
            Some(Declared::Local(local)) => return self.eval_local_at(Site { member: site.member, node: local }, site.node, budget),
            Some(Declared::Param(function, index)) => return self.eval_param(site.member, function, index, budget),
            None => {}
        }
        let info = program.member(site.member);
        let sym = program.sym(info.unit, name);
        let called = self.is_callee(site);
        let local_type = || program.declares_types(site.member).then(|| program.local_type(site.member, sym)).flatten().map(Val::Type);
        if info.kind != MemberKind::Initializer
            && let Some(declared_here) = local_type()
        {
            return declared_here;
        }
        let around = self.name_outside_body(info.owner, info.unit, sym, name, called, budget);
        if matches!(around, Val::Global(_)) { local_type().unwrap_or(around) } else { around }
    }

    /// Whether a node is what a call calls.
    fn is_callee(&self, site: Site) -> bool {
        let Some(body) = self.program.body(site.member) else { return false };
        let parent = self.program.scope(site.member).parent(site.node);
        matches!(parent.map(|p| body.node(p)), Some(Node::Call { callee, .. }) if callee == site.node)
    }

    /// A name that the body itself does not declare.
    fn name_outside_body(&self, owner: TypeId, unit: crate::program::UnitId, sym: Sym, name: Name, called: bool, budget: u32) -> Val {
        let program = self.program;
        let bare = program.kit(unit).traits.bare_members;
        let mut around = Some(owner);
        while let Some(t) = around {
            let ty = program.ty(t);
            if (bare || ty.is_module || ty.kind == TypeKind::Namespace)
                && let Some(m) = program.find_member_as(t, sym, called)
            {
                return self.member_value(m, Val::This(t), budget);
            }
            if let Some(site) = ty.within {
                // the locals of the body that declares the type
                match program.scope(site.member).lookup(name, site.node) {
                    Some(Declared::Local(local)) => return self.eval_local(Site { member: site.member, node: local }, budget),
                    Some(Declared::Param(function, index)) => return self.eval_param(site.member, function, index, budget),
                    None => {}
                }
            }
            around = self.enclosing_type(t);
        }
        if program.kit(unit).traits.file_modules {
            return match program.resolve_in_module(unit, sym, HOPS) {
                Some(named) => self.named_value(named, budget).unwrap_or(Val::Global(sym)),
                None => Val::Global(sym),
            };
        }
        if let Some(m) = program.statically_imported(unit, sym) {
            return self.member_value(m, Val::Unknown, budget);
        }
        let open_names = program.kit(unit).traits.open_names;
        match program.resolve_type(unit, Some(owner), program.text(sym)) {
            Some(t) => Val::Type(t),
            None => match program.free_member(unit, sym).filter(|_| open_names) {
                Some(m) => self.member_value(m, Val::Unknown, budget),
                None => Val::Global(sym),
            },
        }
    }

    /// The value of what a name means at the level of a module.
    fn named_value(&self, named: Named, budget: u32) -> Option<Val> {
        match named {
            Named::Member(m) => Some(self.member_value(m, Val::Unknown, budget)),
            Named::Type(t) => Some(Val::Type(t)),
            Named::Module(unit) => self.program.module(unit).map(Val::Type),
            Named::Outside => None,
        }
    }

    /// What reading a member of an object gives.
    pub fn value_of_member(&self, member: MemberId, object: Val) -> Val {
        self.member_value(member, object, BUDGET)
    }

    fn member_value(&self, member: MemberId, object: Val, budget: u32) -> Val {
        let info = self.program.member(member);
        match info.kind {
            MemberKind::Method => Val::Method(member, (!info.is_static).then(|| Arc::new(object))),
            _ if info.is_static => Val::Static(member),
            MemberKind::Property => self.through_getter(member, &object, budget).unwrap_or_else(|| Val::Member(Arc::new(object), member)),
            _ => Val::Member(Arc::new(object), member),
        }
    }

    /// The argument that stands at a place among those that a parameter takes together: `args[1]` of `(...args)`.
    fn rest_argument(&self, member: MemberId, list: &Val, keys: &[NodeId]) -> Option<Val> {
        let Val::Param(of, function, first) = *list else { return None };
        let ([key], Some(body)) = (keys, self.program.body(member)) else { return None };
        let Node::Num(place) = body.node(*key) else { return None };
        let params = match function {
            None => &self.program.decl(of).params,
            Some(function) => &self.program.body(of)?.function(function).params,
        };
        let takes_rest = params.get(usize::from(first)).is_some_and(|p| p.mode == ParamMode::Rest);
        let place: u16 = self.program.unit_of(member).text(place).parse().ok().filter(|_| takes_rest)?;
        Some(Val::Param(of, function, first.checked_add(place)?))
    }

    /// Whether a type that is written is that of collections of which is not said what they hold: `(List) lists.get(name)`.
    fn is_any_collection(&self, member: MemberId, ty: TypeRefId) -> bool {
        let ty = self.program.type_in(member, ty);
        matches!(ty, Ty::Outside(..)) && self.program.element_type(self.program.member(member).unit, &ty) == Some(Ty::Unknown)
    }

    /// A getter that hands out another member is that member.
    fn through_getter(&self, property: MemberId, object: &Val, budget: u32) -> Option<Val> {
        let budget = budget.checked_sub(2)?;
        let info = self.program.member(property);
        let is_getter = |m: &&MemberId| self.program.member(**m).kind == MemberKind::Accessor(AccessorKind::Get);
        let getter = *self.program.own_members(info.owner, info.name).iter().find(is_getter)?;
        let value = self.returned(getter, budget)?;
        let path = matches!(value, Val::Member(..) | Val::Outside(..)) && matches!(value.root(), Val::This(_));
        let binding = super::Binding { callee: (getter, None), this: Some(object.clone()), args: Vec::new(), types: Vec::new() };
        if path {
            return Some(value.substitute(&binding));
        }
        matches!(value, Val::Static(_)).then_some(value)
    }

    /// What a member returns, when that is one expression, whatever it does before.
    pub(super) fn returned(&self, member: MemberId, budget: u32) -> Option<Val> {
        let body = self.program.body(member)?;
        let root = body.root?;
        if let Some(only) = if body.returns_root { Some(root) } else { only_return(body, root) } {
            return Some(self.given_back(member, only, budget));
        }
        if returns_itself(body, root) {
            return Some(Val::This(self.program.member(member).owner));
        }
        // behind other statements only what was there before is the same thing at every call
        let last = last_return(body, root)?;
        let value = self.given_back(member, last, budget);
        let was_there = matches!(value.root(), Val::This(_) | Val::Static(_) | Val::Param(..));
        (was_there && !self.is_given_anew(member, last)).then_some(value)
    }

    /// What is given back; what is taken as another type is the same thing, where it is an object of a library that handlers are put on.
    fn given_back(&self, member: MemberId, node: NodeId, budget: u32) -> Val {
        if let Some(body) = self.program.body(member)
            && let Node::Cast { operand, .. } = body.node(node)
            && let value @ Val::Element(..) = self.eval_at(member, operand, budget)
            && let Ty::Outside(name, _) = self.type_of_val(&value, budget)
            && self.program.kit_of(member).pack.idioms.is_of(self.program.text(name))
        {
            return value;
        }
        self.eval_at(member, node, budget)
    }

    /// Whether a body gives what a node names another value, whatever it was before.
    fn is_given_anew(&self, member: MemberId, named: NodeId) -> bool {
        let Some(body) = self.program.body(member) else { return true };
        let last_name = |node: NodeId| match body.node(node) {
            Node::Name(name) | Node::Member { name, .. } => Some(name),
            _ => None,
        };
        let scope = self.program.scope(member);
        body.ids().any(|node| {
            let Node::Assign { target, op: AssignOp::Set, .. } = body.node(node) else { return false };
            let asked_first = scope.ancestors(node).any(|around| matches!(body.node(around), Node::If { .. }));
            !asked_first && last_name(target).is_some() && last_name(target) == last_name(named)
        })
    }

    fn eval_member_access(&self, site: Site, object: NodeId, name: Name, budget: u32) -> Val {
        let program = self.program;
        let sym = program.sym_in(site.member, name);
        let through_super = program.body(site.member).is_some_and(|b| matches!(b.node(object), Node::Super));
        let written = object;
        let object = self.eval_at(site.member, object, budget);
        // what an override calls is what it overrides
        if through_super && let Val::This(t) = object {
            let known = program.base_class(t).and_then(|base| program.find_member_as(base, sym, self.is_callee(site)));
            return match known {
                Some(m) => self.member_value(m, object, budget),
                // that of a library, and never the override itself
                None => Val::Outside(Arc::new(object), sym),
            };
        }
        // a namespace before a type
        if matches!(object, Val::Global(_) | Val::Outside(..))
            && let Some(dotted) = self.dotted(site)
            && let Some(t) = program.resolve_type(program.member(site.member).unit, Some(program.member(site.member).owner), &dotted)
        {
            return Val::Type(t);
        }
        // or before a function
        let unit = program.member(site.member).unit;
        if matches!(object, Val::Global(_))
            && program.kit(unit).traits.open_names
            && let Some(m) = program.free_member(unit, sym)
        {
            return self.member_value(m, Val::Unknown, budget);
        }
        let called = self.is_callee(site);
        // a place that was found in a map is as good as what it holds, and all values are the map's own
        if !called {
            let pack = &program.kit(unit).pack;
            let text = program.text(sym);
            if matches!(object, Val::Element(_, Some(_)))
                && (pack.entry_values.contains(text) || !pack.key_ranges.is_empty() && self.is_of_range(site, written))
            {
                return object;
            }
            // and so is an entry that is met on a walk: `foreach (DictionaryEntry entry in map)`
            if pack.entry_values.contains(text) && self.is_met_entry(site.member, written, &object, sym, budget) {
                return object;
            }
            // an iterator is as good as what it walks, and its entries are those of the map: `it->second.boats`
            let walks = !pack.list_begins.is_empty() && pack.entry_values.contains(text);
            if walks && !matches!(object, Val::Element(..)) && program.is_map(&self.type_of_val(&object, budget)) {
                return Val::Element(Arc::new(object), None);
            }
            if pack.value_views.contains(text) && program.is_map(&self.type_of_val(&object, budget)) {
                return object;
            }
        }
        let object = self.walked_by(site.member, written, object, budget);
        let param = matches!(object, Val::Param(..)).then(|| object.clone());
        match (self.member_of(object, sym, called, budget), param) {
            // given as whatever it is, and taken as something of the tree
            (outside @ Val::Outside(..), Some(param)) => {
                let taken = self.type_taken_as(site.member, written);
                let known = taken.and_then(|t| program.find_member_as(t, sym, called));
                known.map_or(outside, |m| self.member_value(m, param, budget))
            }
            (value, _) => value,
        }
    }

    /// The element of a list that is known by the type which it is taken as: `((Action<T>)d)(message)`, `tell((RiseListener) it.next())`.
    pub(crate) fn element_taken(&self, taken: Site) -> Option<Val> {
        let Node::Cast { operand, .. } = self.program.body(taken.member)?.node(taken.node) else { return None };
        Some(self.eval_in(taken.member, operand)).filter(|value| matches!(value, Val::Element(..)))
    }

    /// The type of the tree that an expression is cast to, there or where the local is declared that it names.
    pub(crate) fn type_taken_as(&self, member: MemberId, node: NodeId) -> Option<TypeId> {
        let program = self.program;
        let body = program.body(member)?;
        let cast = match body.node(node) {
            Node::Name(name) => match program.scope(member).lookup(name, node)? {
                Declared::Local(local) => match body.node(local) {
                    Node::Local { init: Some(init), .. } => init,
                    _ => return None,
                },
                Declared::Param(..) => return None,
            },
            _ => node,
        };
        match body.node(cast) {
            Node::Cast { ty, .. } => program.type_in(member, ty).own(),
            _ => None,
        }
    }

    /// The type that a name before `::` means, where a constant of an enumeration has the same name: a constant has no members.
    fn type_before_constant(&self, site: Site, name: Name, value: &Val) -> Option<TypeId> {
        let program = self.program;
        let Val::Static(constant) = value else { return None };
        if program.member(*constant).kind != MemberKind::EnumConstant || !program.kit_of(*constant).traits.constants_are_bare {
            return None;
        }
        let around = program.scope(site.member).parent(site.node)?;
        let is_before = matches!(program.body(site.member)?.node(around), Node::Member { object, .. } if object == site.node);
        let info = program.member(site.member);
        is_before.then(|| program.resolve_type(info.unit, Some(info.owner), program.unit_of(site.member).text(name))).flatten()
    }

    /// The text of a chain of plain names.
    fn dotted(&self, site: Site) -> Option<String> {
        let body = self.program.body(site.member)?;
        let unit = self.program.unit_of(site.member);
        let mut parts = Vec::new();
        let mut node = site.node;
        loop {
            match body.node(node) {
                Node::Member { object, name, .. } => {
                    parts.push(unit.text(name));
                    node = object;
                }
                Node::Name(name) => {
                    parts.push(unit.text(name));
                    break;
                }
                _ => return None,
            }
            if parts.len() > 8 {
                return None;
            }
        }
        parts.reverse();
        Some(parts.join("."))
    }

    /// A member of an object, by name.
    pub(super) fn member_of(&self, object: Val, name: Sym, called: bool, budget: u32) -> Val {
        let program = self.program;
        if let Val::Type(t) = object {
            let ty = program.ty(t);
            if ty.is_module {
                let handed_out = program.exported(ty.unit, name, HOPS).and_then(|named| self.named_value(named, budget));
                return handed_out.unwrap_or_else(|| Val::Outside(Arc::new(object), name));
            }
            if let Some(m) = program.find_member_as(t, name, called) {
                let of_class = || program.own_members(program.member(m).owner, name).iter().copied().find(|x| program.member(*x).is_static);
                let m = if program.member(m).is_static { m } else { of_class().unwrap_or(m) };
                return self.member_value(m, object, budget);
            }
            if let Some(nested) = program.nested_type(t, name) {
                return Val::Type(nested);
            }
            return Val::Outside(Arc::new(object), name);
        }
        if let Val::Literal(site) = object
            && let Some(value) = self.entry_of_literal(site, name)
        {
            return self.eval_at(value.member, value.node, budget);
        }
        // what another object has that is taken over whole: `{ ...kit, depth: 3 }`
        if let Val::Literal(site) = object
            && let (Some(copied), Some(budget)) = (self.copied_by(site), budget.checked_sub(2))
            && let known @ (Val::New(_) | Val::Static(_) | Val::Member(..) | Val::Literal(_)) =
                self.member_of(self.eval_at(site.member, copied, budget), name, called, budget)
        {
            return known;
        }
        match self.type_of_val(&object, budget).bounded() {
            Ty::Own(t, _) | Ty::Static(t) => match program.find_member_as(t, name, called) {
                Some(m) => self.member_value(m, object, budget),
                None => Val::Outside(Arc::new(object), name),
            },
            Ty::Outside(of, args) if !args.is_empty() => {
                let pack = &program.kit(self.unit_near(&object)).pack;
                let boxed = program.is_declared(name) && pack.boxes.contains(program.text(of));
                let held = args.first().filter(|_| boxed).and_then(Ty::own);
                // by its name, as by a key: `levels.deep` of a `Record<string, Level>`
                if !called && pack.open_records.contains(program.text(of)) {
                    return Val::Element(Arc::new(object), Some(Arc::new(Val::Str(name))));
                }
                match held.and_then(|t| program.find_member_as(t, name, called)) {
                    Some(m) => self.member_value(m, object, budget),
                    None => Val::Outside(Arc::new(object), name),
                }
            }
            _ => Val::Outside(Arc::new(object), name),
        }
    }

    /// The value of an entry of an object literal.
    pub fn entry_of_literal(&self, site: Site, name: Sym) -> Option<Site> {
        let body = self.program.body(site.member)?;
        let Node::Object(list) = body.node(site.node) else { return None };
        for &entry in body.list(list) {
            if let Node::Entry { key, value } = body.node(entry)
                && let Node::Str(key) = body.node(key)
                && self.program.sym_in(site.member, key) == name
            {
                return Some(Site { member: site.member, node: value });
            }
        }
        None
    }

    /// The values of all entries of an object literal.
    pub fn values_of_literal(&self, site: Site) -> Vec<Site> {
        let Some(body) = self.program.body(site.member) else { return Vec::new() };
        let Node::Object(list) = body.node(site.node) else { return Vec::new() };
        let value = |entry: &NodeId| match body.node(*entry) {
            Node::Entry { value, .. } => Some(Site { member: site.member, node: value }),
            _ => None,
        };
        body.list(list).iter().filter_map(value).collect()
    }

    /// What an object literal takes over before its own entries: `{ ...state, level: 3 }`, `state with { Level = 3 }`.
    pub fn copied_by(&self, site: Site) -> Option<NodeId> {
        let body = self.program.body(site.member)?;
        let Node::Object(list) = body.node(site.node) else { return None };
        match body.node(*body.list(list).first()?) {
            Node::Unary { op: UnaryOp::Spread, operand } => Some(operand),
            _ => None,
        }
    }

    pub(super) fn eval_param(&self, member: MemberId, function: Option<FunctionId>, index: u16, budget: u32) -> Val {
        if let Some(f) = function
            && let Some(walked) = self.walked_collection(member, f, index, budget)
            && !(self.is_map(&walked, budget) && self.has_rows_of_parts(&walked, budget))
        {
            return Val::Element(Arc::new(walked), None);
        }
        Val::Param(member, function, index)
    }

    /// The collection whose elements a lambda is called with (`list.forEach(e -> …)`).
    pub(super) fn walked_collection(&self, member: MemberId, function: FunctionId, index: u16, budget: u32) -> Option<Val> {
        let program = self.program;
        let body = program.body(member)?;
        let scope = program.scope(member);
        let lambda = scope.function_node(function)?;
        let parent = scope.parent(lambda)?;
        let Node::Call { callee, args, .. } = body.node(parent) else { return None };
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        let text = program.unit_of(member).text(name);
        let pack = &*program.kit_of(member).pack;
        match *body.list(args) {
            [first, ..] if first == lambda => {}
            // `Parallel.ForEach(list, each)`: a function of a library walks what it is handed
            [list, each] if each == lambda && index == 0 && pack.walks.contains(text) => {
                let of_library = matches!(self.eval_at(member, object, budget), Val::Global(_) | Val::Unknown);
                return of_library.then(|| self.eval_at(member, list, budget));
            }
            _ => return None,
        }
        // each element comes behind what the one before came to
        if pack.folds.contains(text) || pack.folds_back.contains(text) {
            return (index == 1).then(|| self.eval_at(member, object, budget));
        }
        if !(pack.walks.contains(text) || pack.copies.contains(text)) || index > 1 {
            return None;
        }
        let value = self.eval_at(member, object, budget);
        let keyed = index == 1;
        if keyed && !self.is_map(&value, budget) {
            return None;
        }
        Some(value)
    }

    pub(super) fn is_map(&self, value: &Val, budget: u32) -> bool {
        self.program.is_map(&self.type_of_val(value, budget))
    }

    /// Whether a value is a collection whose elements have places rather than keys.
    pub fn is_sequence(&self, value: &Val) -> bool {
        let unit = match value {
            Val::Member(_, m) | Val::Static(m) => self.program.member(*m).unit,
            _ => return false,
        };
        let ty = self.type_of(value);
        self.program.element_type(unit, &ty).is_some() && !self.program.is_map(&ty)
    }

    /// The function that a node makes, without going through locals that merely hold it.
    pub(super) fn eval_function_node(&self, member: MemberId, node: NodeId) -> Val {
        self.eval_at(member, node, BUDGET)
    }
}

/// The expression of a body that does nothing but return it.
pub(crate) fn only_return(body: &Body, root: NodeId) -> Option<NodeId> {
    match body.node(root) {
        Node::Return(value) => value,
        Node::Block(list) => match *body.list(list) {
            [only] => only_return(body, only),
            _ => None,
        },
        Node::Lock { body: inner, .. } => only_return(body, inner),
        _ => None,
    }
}

/// The one statement of a body, out of the blocks around it; the block itself where there are more.
pub(crate) fn only_statement(body: &Body, root: NodeId) -> NodeId {
    match body.node(root) {
        Node::Block(list) => match *body.list(list) {
            [only] => only_statement(body, only),
            _ => root,
        },
        _ => root,
    }
}

/// What a method or function returns.
pub(crate) fn returned(program: &Program, m: MemberId, f: Option<FunctionId>) -> Vec<NodeId> {
    let Some(body) = program.body(m) else { return Vec::new() };
    let (root, whole) = match f {
        Some(f) => (body.function(f).body, body.function(f).returns_body),
        None => (body.root, body.returns_root),
    };
    let Some(root) = root else { return Vec::new() };
    if whole {
        return vec![root];
    }
    let scope = program.scope(m);
    let of_it = |n: &NodeId| scope.is_within(*n, root) && scope.function_around(body, *n) == f;
    body.ids().filter(of_it).filter_map(|n| if let Node::Return(Some(v)) = body.node(n) { Some(v) } else { None }).collect()
}

/// Whether a body returns its own object wherever it returns, at its end too.
fn returns_itself(body: &Body, root: NodeId) -> bool {
    let Node::Block(list) = body.node(root) else { return false };
    let is_itself = |node: NodeId| matches!(body.node(node), Node::Return(Some(value)) if matches!(body.node(value), Node::This));
    if !body.list(list).last().is_some_and(|last| is_itself(*last)) {
        return false;
    }
    let mut stack = vec![root];
    while let Some(id) = stack.pop() {
        match body.node(id) {
            Node::Lambda(_) => continue,
            Node::Return(_) if !is_itself(id) => return false,
            _ => {}
        }
        stack.extend(body.children(id));
    }
    true
}

/// The expression that a body returns at its end, where it returns nowhere else.
fn last_return(body: &Body, root: NodeId) -> Option<NodeId> {
    let Node::Block(list) = body.node(root) else { return None };
    let Node::Return(Some(value)) = body.node(*body.list(list).last()?) else { return None };
    let mut returns = 0;
    let mut stack = vec![root];
    while let Some(id) = stack.pop() {
        match body.node(id) {
            Node::Lambda(_) => continue,
            Node::Return(_) => returns += 1,
            _ => {}
        }
        stack.extend(body.children(id));
    }
    (returns == 1).then_some(value)
}
