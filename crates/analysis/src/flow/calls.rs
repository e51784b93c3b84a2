//! Which member a call reaches, and what it hands over.

use std::sync::Arc;

use yarrowgraph_ir::{AccessorKind, AssignOp, Body, MemberKind, Node, NodeId, ParamMode, TypeKind, TypeRef, TypeRefId};

use super::callers::{CALL_OPERATOR, compound_operator};
use super::{BUDGET, Binding, Flow, Val};
use crate::memo::known_or;
use crate::program::{MemberId, Program, Site, Sym, Ty, TypeId};

/// The target of a call.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Callee {
    /// The method, by the static type of the receiver.
    pub member: MemberId,
    /// The receiver; none for static members.
    pub receiver: Option<Val>,
    /// Whether the receiver is the first argument (an extension method).
    pub extension: bool,
}

/// The expression that a call's method is asked of.
pub(crate) fn object_of(body: &Body, call: NodeId) -> Option<NodeId> {
    let Node::Call { callee, .. } = body.node(call) else { return None };
    let Node::Member { object, .. } = body.node(callee) else { return None };
    Some(object)
}

/// The function that a call runs, given what it calls: `make`, as much in `make.get()` as in `make()`.
pub(crate) fn function_run(program: &Program, called: Site) -> Option<NodeId> {
    let invokers = &program.kit_of(called.member).pack.invokers;
    Some(match program.body(called.member)?.node(called.node) {
        Node::Member { object, name, .. } if invokers.contains(program.unit_of(called.member).text(name)) => object,
        _ => called.node,
    })
}

/// Whether a call is one of a method of the object itself, by its name alone or by `this`.
pub(crate) fn is_on_itself(body: &Body, call: NodeId) -> bool {
    let Node::Call { callee, .. } = body.node(call) else { return false };
    match body.node(callee) {
        Node::Name(_) => true,
        Node::Member { object, .. } => body.node(object) == Node::This,
        _ => false,
    }
}

/// Methods that make a collection of their arguments.
pub(super) const LISTS: [&str; 2] = ["of", "asList"];

impl Flow<'_> {
    /// The method that a call reaches.
    pub fn callee(&self, site: Site) -> Option<Callee> {
        let known = &self.callees[self.program.member(site.member).unit.0 as usize];
        known_or(known, site, || {
            let body = self.program.body(site.member)?;
            let (callee, args) = match body.node(site.node) {
                Node::Call { callee, args, .. } => (callee, args),
                Node::Assign { op, target, .. } => return self.operator_run(site.member, op, target),
                _ => return None,
            };
            match self.chain_before(site) {
                Some(before) => self.callee_in_chain(site, before),
                None => self.method_called(site, callee, args.len as usize, BUDGET),
            }
        })
    }

    /// The operator of its own that an object has for a compound assignment.
    fn operator_run(&self, member: MemberId, op: AssignOp, target: NodeId) -> Option<Callee> {
        let program = self.program;
        let operator = program.symbols.get(compound_operator(op).filter(|_| program.kit_of(member).traits.open_names)?)?;
        let receiver = self.eval_in(member, target);
        let found = program.find_member(self.type_of(&receiver).bounded().own()?, operator)?;
        Some(Callee { member: found, receiver: Some(receiver), extension: false })
    }

    /// Whether a call is one of a method of an object of which nothing is known.
    pub fn is_of_unknown(&self, call: Site) -> bool {
        let object = self.program.body(call.member).and_then(|body| object_of(body, call.node));
        object.is_some_and(|object| self.type_of_node(call.member, object) == Ty::Unknown)
    }

    pub(super) fn method_called(&self, site: Site, callee: NodeId, arg_count: usize, budget: u32) -> Option<Callee> {
        let budget = budget.checked_sub(1)?;
        let program = self.program;
        let body = program.body(site.member)?;
        if matches!(body.node(callee), Node::Super | Node::This) {
            return self.constructor_called(site, callee, arg_count);
        }
        // what nothing of the tree is called is of a library
        if let Node::Member { name, .. } = body.node(callee)
            && !program.is_declared(program.sym_in(site.member, name))
        {
            return None;
        }
        let called = self.eval_at(site.member, callee, budget);
        match self.method_taken_within(&called, budget).unwrap_or(called) {
            Val::Method(member, receiver) => {
                let member = self.overload(member, site, arg_count, budget);
                Some(Callee { member, receiver: receiver.map(|r| (*r).clone()), extension: false })
            }
            // an object that is called itself
            value @ (Val::Member(..) | Val::Static(_) | Val::Local(_) | Val::Param(..) | Val::New(_) | Val::Element(..)) => {
                let called = program.symbols.get(CALL_OPERATOR)?;
                let ty = self.type_of_val(&value, budget).bounded().own()?;
                let member = program.find_member(ty, called)?;
                Some(Callee { member, receiver: Some(value), extension: false })
            }
            Val::Outside(object, name) => {
                // an extension method in scope
                let takes = |m: &MemberId| program.decl(*m).params.len() > arg_count;
                let mut candidates = program.extensions_named(name).iter().copied().filter(takes);
                if let Some(member) = candidates.next() {
                    let object = (*object).clone();
                    return candidates.next().is_none().then_some(Callee { member, receiver: Some(object), extension: true });
                }
                let member = program.told_by_name(name).filter(|_| program.kit_of(site.member).traits.duck_typed)?;
                let is_unknown = !matches!(object.root(), Val::Global(_)) && self.type_of_val(&object, budget).bounded() == Ty::Unknown;
                let fits = program.decl(member).params.len() >= arg_count;
                (is_unknown && fits).then(|| Callee { member, receiver: Some((*object).clone()), extension: false })
            }
            _ => None,
        }
    }

    /// `super(…)` and `this(…)`
    fn constructor_called(&self, site: Site, callee: NodeId, arg_count: usize) -> Option<Callee> {
        let program = self.program;
        let owner = program.member(site.member).owner;
        let body = program.body(site.member)?;
        let target = match body.node(callee) {
            Node::This => owner,
            _ => program.base_class(owner)?,
        };
        let member = self.constructor_among(target, site, arg_count, Some(site.member))?;
        (member != site.member).then_some(Callee { member, receiver: Some(Val::This(owner)), extension: false })
    }

    /// The constructor of a type that takes a number of arguments.
    pub fn constructor(&self, ty: crate::program::TypeId, arg_count: usize) -> Option<MemberId> {
        let program = self.program;
        let all: Vec<MemberId> =
            program.ty(ty).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::Constructor).collect();
        let exact = all.iter().copied().find(|m| program.decl(*m).params.len() == arg_count);
        exact.or_else(|| all.iter().copied().find(|m| program.decl(*m).params.len() >= arg_count)).or(all.first().copied())
    }

    /// The constructor of a type that takes what a creation hands over.
    pub fn constructor_at(&self, ty: TypeId, made: Site) -> Option<MemberId> {
        let count = match self.program.body(made.member)?.node(made.node) {
            Node::New { args, .. } | Node::Call { args, .. } => args.len as usize,
            _ => return None,
        };
        self.constructor_among(ty, made, count, None)
    }

    /// Of several constructors that take so many arguments the one that takes these.
    fn constructor_among(&self, ty: TypeId, made: Site, count: usize, but: Option<MemberId>) -> Option<MemberId> {
        let program = self.program;
        let takes_as_many =
            |m: &MemberId| program.member(*m).kind == MemberKind::Constructor && program.decl(*m).params.len() == count && Some(*m) != but;
        let alike: Vec<MemberId> = program.ty(ty).members.iter().copied().filter(takes_as_many).collect();
        match alike[..] {
            [] | [_] => self.constructor(ty, count),
            _ => alike.iter().copied().find(|m| self.takes_kinds(*m, made, BUDGET)).or(alike.first().copied()),
        }
    }

    /// The overload that takes a number of arguments; the one with a body first.
    pub(super) fn overload(&self, member: MemberId, call: Site, arg_count: usize, budget: u32) -> MemberId {
        let program = self.program;
        let info = program.member(member);
        let all = program.find_members(info.owner, info.name);
        let mut methods = all.iter().copied().filter(|m| program.member(*m).kind == MemberKind::Method);
        let takes = |m: &MemberId| {
            let params = &program.decl(*m).params;
            let needed = params.iter().filter(|p| !p.optional && p.mode != ParamMode::Rest).count();
            let rest = params.iter().any(|p| p.mode == ParamMode::Rest);
            needed <= arg_count && (rest || arg_count <= params.len())
        };
        let mut fitting: Vec<MemberId> = methods.by_ref().filter(takes).collect();
        if fitting.len() > 1 && fitting.iter().any(|m| *m != fitting[0]) {
            let alike: Vec<MemberId> = fitting.iter().copied().filter(|m| self.takes_kinds(*m, call, budget)).collect();
            if !alike.is_empty() {
                fitting = alike;
            }
        }
        let with_body = fitting.iter().copied().find(|m| program.body(*m).is_some_and(|b| b.root.is_some()));
        with_body.or(fitting.first().copied()).unwrap_or(member)
    }

    /// How many parameters a function has that a parameter of a method stands for, where its type says so: `Func<A, B, C>`
    /// stands for one of two.
    fn params_of_function(&self, method: MemberId, ty: TypeRefId) -> Option<usize> {
        let unit = self.program.unit_of(method);
        match unit.type_ref(ty) {
            TypeRef::Function { params, .. } => Some(params.len()),
            TypeRef::Nullable(inner) => self.params_of_function(method, *inner),
            TypeRef::Named { name, args } => match unit.text(*name).rsplit('.').next()? {
                "Action" | "Consumer" | "BiConsumer" => Some(args.len()),
                "Func" | "Function" | "BiFunction" => args.len().checked_sub(1),
                "Runnable" | "Supplier" | "Callable" => Some(0),
                _ => None,
            },
            _ => None,
        }
    }

    /// Whether no argument of a call is of another class of the tree than the parameter that it stands for, or a function
    /// of another number of parameters.
    fn takes_kinds(&self, method: MemberId, call: Site, budget: u32) -> bool {
        let program = self.program;
        let Some(body) = program.body(call.member) else { return true };
        let (Node::Call { args, .. } | Node::New { args, .. }) = body.node(call.node) else { return true };
        let is_plain = |t: &TypeId| matches!(program.ty(*t).kind, TypeKind::Class | TypeKind::Enum) && program.ty(*t).params.is_empty();
        let class = |ty: Ty| ty.own().filter(is_plain);
        program.decl(method).params.iter().zip(body.list(args)).all(|(param, arg)| {
            if let Node::Lambda(f) = body.node(*arg)
                && let Some(wanted) = param.ty.and_then(|ty| self.params_of_function(method, ty))
            {
                return body.function(f).params.len() == wanted;
            }
            let Some(wanted) = param.ty.map(|ty| program.type_in(method, ty)) else { return true };
            let is_literal = matches!(body.node(*arg), Node::Str(_) | Node::Num(_) | Node::Template(_) | Node::Bool(_));
            let Some(wanted) = class(wanted.clone()) else {
                // a constant of an enumeration is no text
                let of_enum = || {
                    let given = self.type_of_val(&self.eval_at(call.member, *arg, budget.min(6)), budget.min(6)).own();
                    given.is_some_and(|t| program.ty(t).kind == TypeKind::Enum)
                };
                let is_text =
                    |ty: &Ty| matches!(ty, Ty::Outside(name, _) if matches!(program.text(*name), "string" | "String" | "std::string"));
                // nor is an object a number, unless a class says how it becomes one
                let converts = program.kit_of(method).traits.references_dangle;
                let is_object = || matches!(self.eval_at(call.member, *arg, budget.min(6)), Val::New(_)) && !converts;
                return is_literal || (!is_text(&wanted) || !of_enum()) && (!program.is_data(method, &wanted) || !is_object());
            };
            // what is written out is of no class of the tree, unless that can be made of it unasked
            if is_literal && program.ty(wanted).kind == TypeKind::Enum {
                return false;
            }
            match class(self.type_of_val(&self.eval_at(call.member, *arg, budget.min(6)), budget.min(6)).bounded()) {
                Some(given) => program.are_kin(given, wanted),
                None => true,
            }
        })
    }

    /// What a call hands to a method.
    pub fn binding(&self, site: Site, callee: &Callee) -> Option<Binding> {
        self.binding_within(site, callee, BUDGET)
    }

    fn binding_within(&self, site: Site, callee: &Callee, budget: u32) -> Option<Binding> {
        let program = self.program;
        let body = program.body(site.member)?;
        let only;
        let args = match body.node(site.node) {
            Node::Call { args, .. } | Node::New { args, .. } => body.list(args),
            Node::Assign { value, .. } => {
                only = [value];
                &only
            }
            _ => return None,
        };
        let params = &program.decl(callee.member).params;
        let mut values: Vec<Option<Val>> = vec![None; params.len()];
        let mut position = 0;
        if callee.extension {
            if let Some(first) = values.first_mut() {
                *first = callee.receiver.clone();
            }
            position = 1;
        }
        for &arg in args {
            let (index, value) = match body.node(arg) {
                Node::Entry { key, value } => {
                    let Node::Str(name) = body.node(key) else { continue };
                    let sym = program.sym_in(site.member, name);
                    let unit = program.member(callee.member).unit;
                    let Some(index) = params.iter().position(|p| program.sym(unit, p.name) == sym) else { continue };
                    (index, value)
                }
                _ => {
                    position += 1;
                    (position - 1, arg)
                }
            };
            // what comes behind stands for itself where a parameter takes the rest
            if index == values.len() && params.last().is_some_and(|p| p.mode == ParamMode::Rest) {
                values.push(None);
            }
            if let Some(slot) = values.get_mut(index) {
                let given = self.eval_at(site.member, value, budget);
                // `desk.add(*it)`: what is handed over is what the iterator stands at
                *slot = Some(self.walked_by(site.member, value, given, budget));
            }
        }
        let this = if callee.extension { None } else { callee.receiver.clone() };
        let types = self.type_arguments(site, callee.member, &values, budget);
        Some(Binding { callee: (callee.member, None), this, args: values, types })
    }

    /// The object that a call's method is asked of, and the method's name.
    pub fn receiver(&self, call: Site) -> Option<(Val, Sym)> {
        let body = self.program.body(call.member)?;
        let Node::Call { callee, .. } = body.node(call.node) else { return None };
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        Some((self.eval_in(call.member, object), self.program.sym_in(call.member, name)))
    }

    /// The value of a call: seen through where the callee merely hands something on.
    pub(super) fn eval_call(&self, site: Site, callee: NodeId, args: &[NodeId], budget: u32) -> Val {
        let program = self.program;
        let Some(body) = program.body(site.member) else { return Val::Unknown };
        let unit = program.unit_of(site.member);
        let pack = &*program.kit_of(site.member).pack;
        let inner = |node| self.eval_at(site.member, node, budget);
        if let Node::Member { object, name, .. } = body.node(callee) {
            let text = unit.text(name);
            // `$.proxy(f, this)` is the same one as `f`
            if pack.selection_binders.contains(text)
                && let (Some(&first), Node::Name(of)) = (args.first(), body.node(object))
                && pack.selectors.contains(unit.text(of))
            {
                return inner(first);
            }
            if pack.binders.contains(text) {
                let of = match (inner(object), args) {
                    // `_.bind(f, this)`
                    (Val::Global(_), [first, _, ..]) => inner(*first),
                    (of, _) => of,
                };
                return Val::Bound(Arc::new(of), site);
            }
            // who calls may know the object better
            if args.is_empty() && pack.class_getters.contains(text) {
                return Val::Outside(Arc::new(inner(object)), program.sym_in(site.member, name));
            }
            // `Volatile.Read(ref E)`, `Interlocked.CompareExchange(ref E, …)`
            if matches!(text, "CompareExchange" | "Read" | "Exchange")
                && let Some(&first) = args.first()
                && matches!(body.node(first), Node::Unary { op: yarrowgraph_ir::UnaryOp::ByRef, .. })
            {
                return inner(first);
            }
            // a step of a stream is about the same subject
            if pack.stream_steps.contains(text) {
                let of = inner(object);
                if matches!(self.type_of_val(&of, budget).bounded(), Ty::Outside(name, _) if pack.stream_types.contains(program.text(name)))
                {
                    return of;
                }
            }
            // what is given something to go by gives something else, unless that stands in for what is missing: `orElse(other)`
            if pack.unwraps.contains(text) && (args.is_empty() || text.to_ascii_lowercase().contains("or")) {
                let of = inner(object);
                let is_own = || {
                    program.is_declared(program.sym_in(site.member, name))
                        && self.method_called(site, callee, args.len(), budget.min(6)).is_some()
                };
                // an object of a library that holds nothing gives something else
                let gives_other = || {
                    let ty = self.type_of_val(&of, budget).bounded();
                    matches!(&ty, Ty::Outside(_, of) if of.is_empty())
                        && program.element_type(program.member(site.member).unit, &ty).is_none()
                };
                let is_another = matches!(of, Val::Type(_)) || is_own() || args.is_empty() && gives_other();
                if !is_another {
                    // what is found in a stream: `all.stream().findAny().orElseThrow()`
                    let is_found = match body.node(object) {
                        Node::Call { callee, .. } => {
                            matches!(body.node(callee), Node::Member { name, .. } if pack.firsts.contains(unit.text(name)))
                        }
                        _ => false,
                    };
                    return if is_found { Val::Element(Arc::new(of), None) } else { of };
                }
            }
            // the value of an entry of a map: `entry.getValue()`
            if args.is_empty() && pack.entry_values.contains(text) {
                let of = inner(object);
                if self.is_met_entry(site.member, object, &of, program.sym_in(site.member, name), budget) {
                    return of;
                }
            }
            let known = pack.elements.contains(text) || pack.copies.contains(text);
            if known && self.method_called(site, callee, args.len(), budget.min(6)).is_none() {
                return self.eval_library_call(site, object, text, args, budget);
            }
        }
        // `std::type_index(typeid(T))`
        if let (Node::Name(name), [only]) = (body.node(callee), args)
            && pack.class_functions.contains(unit.text(name))
        {
            // of an object it is asked
            let asked = || match pack.class_getters.contains(unit.text(name)) {
                true => Val::Outside(Arc::new(inner(*only)), program.sym_in(site.member, name)),
                false => inner(*only),
            };
            return self.class_named(site.member, *only).unwrap_or_else(asked);
        }
        // `vector<Reader*>(readers)`: a collection made of another one
        if let (Node::Name(name), [only]) = (body.node(callee), args)
            && pack.collections.contains(unit.text(name))
        {
            return inner(*only);
        }
        if let Some(target) = self.method_called(site, callee, args.len(), budget.min(8))
            && let Some(value) = self.through_call(site, &target, budget)
        {
            // a base that each of its heirs fills in has one for each of them
            return match (&value, self.named_heir(site, callee, target.member, budget)) {
                (Val::Static(m), Some(heir)) => Val::Member(Arc::new(Val::Type(heir)), *m),
                _ => value,
            };
        }
        self.component_said(site, callee, args, budget).unwrap_or(Val::Call(site))
    }

    /// The class by whose name a static method is called that it has from a base with type parameters: `Rota::get()`.
    pub(super) fn named_heir(&self, site: Site, callee: NodeId, method: MemberId, budget: u32) -> Option<TypeId> {
        let program = self.program;
        let owner = program.member(method).owner;
        if program.ty(owner).params.is_empty() || !program.member(method).is_static {
            return None;
        }
        let Node::Member { object, .. } = program.body(site.member)?.node(callee) else { return None };
        match self.eval_at(site.member, object, budget.min(6)) {
            Val::Type(named) if named != owner => Some(named),
            _ => None,
        }
    }

    /// The component of a record that a call asks for by the accessor which a record has by itself: `order.what()`.
    fn component_said(&self, site: Site, callee: NodeId, args: &[NodeId], budget: u32) -> Option<Val> {
        let program = self.program;
        let Node::Member { object, name, .. } = program.body(site.member)?.node(callee) else { return None };
        let name = program.sym_in(site.member, name);
        if !args.is_empty() || !program.is_declared(name) {
            return None;
        }
        let of = self.eval_at(site.member, object, budget.checked_sub(1)?);
        let class = self.type_of_val(&of, budget).bounded().own().filter(|t| program.ty(*t).kind == TypeKind::Record)?;
        let own = program.own_members(class, name);
        let by_itself = own.iter().any(|m| program.member(*m).kind == MemberKind::Accessor(AccessorKind::Get));
        let field = own.iter().find(|m| program.member(**m).kind == MemberKind::Field && !program.member(**m).is_static)?;
        by_itself.then(|| Val::Member(Arc::new(of), *field))
    }

    fn eval_library_call(&self, site: Site, object: NodeId, text: &str, args: &[NodeId], budget: u32) -> Val {
        let program = self.program;
        let pack = &*program.kit_of(site.member).pack;
        let inner = |node| self.eval_at(site.member, node, budget);
        let of = inner(object);
        if pack.copies.contains(text) {
            // `Array.from(x)`, `List.copyOf(x)`: the collection is the argument
            if matches!(of, Val::Global(_)) {
                // keys are no elements, and what lists several things is none of them
                if pack.key_views.contains(text) || args.len() > 1 && LISTS.contains(&text) {
                    return Val::Call(site);
                }
                return args.first().map_or(Val::Call(site), |a| inner(*a));
            }
            return of;
        }
        let ty = self.type_of_val(&of, budget).bounded();
        let is_collection = program.element_type(program.member(site.member).unit, &ty).is_some();
        let is_weak = program.is_weak(program.member(site.member).unit, &ty);
        if is_weak && matches!(of, Val::Element(..)) && args.is_empty() {
            return of;
        }
        if is_collection || matches!(of, Val::Element(..)) || (ty == Ty::Unknown && matches!(of, Val::Member(..) | Val::Static(_))) {
            let key = args.first().map(|k| Arc::new(inner(*k)));
            return Val::Element(Arc::new(of), key);
        }
        Val::Call(site)
    }

    /// The value of a call of a method that returns one expression over its own values.
    pub(super) fn through_call(&self, site: Site, target: &Callee, budget: u32) -> Option<Val> {
        let budget = budget.checked_sub(4)?;
        let value = self.returned(target.member, budget)?;
        let path =
            matches!(value, Val::Member(..) | Val::Static(_) | Val::Element(..) | Val::Param(_, None, _) | Val::This(_) | Val::Outside(..));
        if !path || matches!(value.root(), Val::Unknown | Val::Global(_) | Val::Call(_)) {
            return None;
        }
        let binding = self.binding_within(site, target, budget)?;
        Some(value.substitute(&binding))
    }
}
