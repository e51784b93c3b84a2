//! Static types of values and expressions.

use std::sync::Arc;

use yarrowgraph_ir::{MemberKind, Node, NodeId, Param, TypeRef};

use super::calls::LISTS;
use super::eval::returned;
use super::{BUDGET, Flow, Val};
use crate::program::{Declared, MemberId, Site, Sym, Ty, TypeId};

/// How far what a function gives is looked for.
const NEAR: u32 = 6;

impl Flow<'_> {
    /// The static type of a value.
    pub fn type_of(&self, val: &Val) -> Ty {
        self.type_of_val(val, BUDGET).bounded()
    }

    /// Whether a member holds a collection that has several entries under one key.
    pub fn is_multi_map(&self, member: MemberId) -> bool {
        let held = self.type_held(member);
        self.program.type_name(&held).is_some_and(|name| self.program.kit_of(member).pack.multi_maps.contains(name))
    }

    /// Whether what a member holds is by its type a queue, from which things are taken in some order of its own.
    pub fn is_queue(&self, member: MemberId) -> bool {
        self.program.type_name(&self.type_held(member)).is_some_and(|name| self.program.kit_of(member).pack.queues.contains(name))
    }

    /// The type of what a member holds, seen from its own object.
    pub fn type_held(&self, member: MemberId) -> Ty {
        let info = self.program.member(member);
        self.type_of(&if info.is_static { Val::Static(member) } else { Val::Member(Arc::new(Val::This(info.owner)), member) })
    }

    /// The type of the one thing that a member is ever given; of what a library is given on the spot to look through, as a set that is
    /// made from a map, the type of that.
    pub fn type_made(&self, member: MemberId) -> Option<Ty> {
        let made = self.only_definition(member)?;
        let body = self.program.body(made.member)?;
        let inner = match body.node(made.node) {
            Node::Call { args, .. } if self.callee(made).is_none() => match body.list(args) {
                [only] if matches!(body.node(*only), Node::New { .. }) => *only,
                _ => made.node,
            },
            _ => made.node,
        };
        Some(self.type_of_node(made.member, inner))
    }

    /// The type of what a member holds in the end: the elements of its collections, if any.
    pub fn element_held(&self, member: MemberId) -> Ty {
        let unit = self.program.member(member).unit;
        let held = self.type_held(member);
        self.program.elements_within(unit, &held).last().unwrap_or(held)
    }

    pub(super) fn type_of_val(&self, val: &Val, budget: u32) -> Ty {
        let Some(budget) = budget.checked_sub(1) else { return Ty::Unknown };
        let program = self.program;
        match val {
            Val::This(t) => {
                let ty = program.ty(*t);
                Ty::Own(*t, ty.params.iter().map(|p| Ty::Param(*p, None)).collect())
            }
            Val::Type(t) => Ty::Static(*t),
            Val::Member(object, m) => {
                let declared = self.member_type(*m);
                self.seen_through(object, *m, declared, budget)
            }
            Val::Static(m) => self.member_type(*m),
            Val::Param(member, function, index) => self.param_type(*member, *function, *index, budget),
            Val::Local(site) => self.node_type(site.member, site.node, budget),
            Val::Element(of, key) => {
                let ty = self.type_of_val(of, budget);
                let unit = self.unit_near(of);
                let element = program.element_type(unit, &ty).or_else(|| program.boxed(unit, &ty)).unwrap_or_else(|| match ty {
                    Ty::Unknown => Ty::Unknown,
                    // of a record whose members are all of one type, whichever it is
                    Ty::Record(members) => match &members[..] {
                        [(_, first), rest @ ..] if rest.iter().all(|(_, ty)| ty == first) => first.clone(),
                        _ => Ty::Unknown,
                    },
                    other => self.indexed_type(other),
                });
                match (&**of, key.as_deref()) {
                    (Val::Member(_, m) | Val::Static(m), Some(Val::Str(name))) if element == Ty::Unknown => self.kept_type(*m, *name),
                    _ => element,
                }
            }
            Val::New(site) | Val::Call(site) => self.node_type(site.member, site.node, budget),
            Val::Lambda(..) | Val::Method(..) | Val::Bound(..) => Ty::Function(Arc::new(Ty::Unknown)),
            Val::Outside(of, name) => match self.type_of_val(of, budget) {
                Ty::Record(members) => members.iter().find(|(n, _)| n == name).map_or(Ty::Unknown, |(_, ty)| ty.clone()),
                Ty::Own(class, _) if matches!(**of, Val::This(_)) => self.handed_type(class, *name),
                _ => Ty::Unknown,
            },
            // what is written out is of the type of what it is given to
            Val::Literal(site) => match self.expected_type(site.member, site.node, budget) {
                Ty::Unknown if self.is_list(*site) => self.node_type(site.member, site.node, budget),
                expected => expected,
            },
            Val::Unknown | Val::Global(_) | Val::TypeParam(..) | Val::Str(_) | Val::Null | Val::Data => Ty::Unknown,
        }
    }

    /// What a component's parent hands it is of the type that its base of a library is given first: `extends Component<Props>`.
    fn handed_type(&self, class: TypeId, name: Sym) -> Ty {
        let program = self.program;
        let ty = program.ty(class);
        let is_handed = program.kit(ty.unit).pack.handed_members.iter().next().is_some_and(|n| n == program.text(name));
        let given = ty.bases.iter().find_map(|base| match base {
            Ty::Outside(_, args) => args.first().cloned(),
            _ => None,
        });
        given.filter(|_| is_handed).unwrap_or(Ty::Unknown)
    }

    /// An own type that can be indexed gives what its indexer says.
    fn indexed_type(&self, ty: Ty) -> Ty {
        let (Ty::Own(id, args), Some(name)) = (&ty, self.program.symbols.get("this[]")) else { return Ty::Unknown };
        match self.program.find_member(*id, name) {
            Some(m) => self.program.declared_type(m).substitute(&self.program.ty(*id).params, args),
            None => Ty::Unknown,
        }
    }

    /// A file whose language knows the collections that a value is made of.
    pub(super) fn unit_near(&self, val: &Val) -> crate::program::UnitId {
        match val.root() {
            Val::This(t) | Val::Type(t) => self.program.ty(*t).unit,
            Val::Static(m) | Val::Param(m, ..) | Val::Lambda(m, _) | Val::Method(m, _) => self.program.member(*m).unit,
            Val::Local(s) | Val::New(s) | Val::Call(s) | Val::Literal(s) => self.program.member(s.member).unit,
            _ => crate::program::UnitId(0),
        }
    }

    /// A member's type, seen through the type arguments of the object it is read from.
    pub(super) fn seen_through(&self, object: &Val, member: MemberId, declared: Ty, budget: u32) -> Ty {
        if matches!(declared, Ty::Unknown) {
            return declared;
        }
        let owner = self.program.member(member).owner;
        let params = &self.program.ty(owner).params;
        if params.is_empty() {
            return declared;
        }
        match self.type_of_val(object, budget) {
            Ty::Own(t, args) => declared.substitute(params, &self.program.base_args(t, &args, owner)),
            // what a class has from a base that it fills in: `class Rota : Single<Rota>`
            Ty::Static(t) => declared.substitute(params, &self.program.base_args(t, &[], owner)),
            _ => declared,
        }
    }

    /// The type of a member: the declared one, else that of what it holds.
    pub(super) fn member_type(&self, member: MemberId) -> Ty {
        let declared = self.program.declared_type(member);
        let info = self.program.member(member);
        let is_value = matches!(info.kind, MemberKind::Field | MemberKind::Property | MemberKind::Event | MemberKind::EnumConstant);
        if !is_value || !matches!(declared, Ty::Unknown) {
            return declared;
        }
        self.inferred[member.0 as usize].clone()
    }

    /// One round of inference: the type of what a member holds, by what is known so far.
    pub(super) fn inferred_type(&self, member: MemberId) -> Ty {
        const NEAR: u32 = 11;
        let info = self.program.member(member);
        let is_value = matches!(info.kind, MemberKind::Field | MemberKind::Property | MemberKind::Event | MemberKind::EnumConstant);
        if !is_value || self.program.decl(member).ty.is_some() {
            return Ty::Unknown;
        }
        let budget = NEAR;
        let mut written_out = None;
        for &site in self.definitions(member).iter().take(4) {
            match self.node_type(site.member, site.node, budget) {
                Ty::Unknown => {}
                // a stand-in that is written out says less than what takes its place
                record @ Ty::Record(_) => written_out = written_out.or(Some(record)),
                ty => return ty,
            }
        }
        if let Some(record) = written_out {
            return record;
        }
        // a property without a type of its own has that of its getter
        let getter = self
            .program
            .own_members(info.owner, info.name)
            .iter()
            .copied()
            .find(|m| *m != member && matches!(self.program.member(*m).kind, MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get)));
        match getter.and_then(|g| self.returned(g, budget)) {
            Some(value) => self.type_of_val(&value, budget),
            None => Ty::Unknown,
        }
    }

    fn param_type(&self, member: MemberId, function: Option<yarrowgraph_ir::FunctionId>, index: u16, budget: u32) -> Ty {
        let program = self.program;
        let param = match function {
            None => program.decl(member).params.get(index as usize),
            Some(f) => program.body(member).and_then(|b| b.function(f).params.get(index as usize)),
        };
        let Some(param) = param else { return Ty::Unknown };
        if let Some(ty) = param.ty {
            let written = program.type_in(member, ty);
            // a comment may name what is described elsewhere, or nowhere
            let in_comment = program.kit_of(member).traits.duck_typed && written.own().is_none() && function.is_none();
            return match self.given_type(member, None, index) {
                Ty::Unknown => written,
                given if in_comment => given,
                _ => written,
            };
        }
        match (function, param.default) {
            (None, default) => match (self.given_type(member, None, index), default) {
                // a value that stands in for what is not handed over
                (Ty::Unknown, Some(default)) => self.node_type(member, default, budget),
                (given, _) => given,
            },
            (Some(function), _) => self.lambda_param(member, function, index, budget),
        }
    }

    /// The static type of a node.
    pub fn type_of_node(&self, member: MemberId, node: NodeId) -> Ty {
        self.node_type(member, node, BUDGET).bounded()
    }

    pub(super) fn node_type(&self, member: MemberId, node: NodeId, budget: u32) -> Ty {
        let Some(budget) = budget.checked_sub(1) else { return Ty::Unknown };
        let program = self.program;
        let Some(body) = program.body(member) else { return Ty::Unknown };
        match body.node(node) {
            Node::Local { ty, init, .. } => {
                let declared = ty.map_or(Ty::Unknown, |t| program.type_in(member, t));
                if declared != Ty::Unknown {
                    return declared;
                }
                let from_init = init.map_or(Ty::Unknown, |i| self.node_type(member, i, budget));
                if from_init != Ty::Unknown {
                    return from_init;
                }
                match self.local_values(Site { member, node }).first() {
                    Some(&value) => self.node_type(member, value, budget),
                    None => match self.eval_at(member, node, budget) {
                        Val::Local(_) => self.type_of_part(Site { member, node }, budget),
                        other => self.type_of_val(&other, budget),
                    },
                }
            }
            Node::New { ty, class, .. } => {
                if let Some(class) = class
                    && let Some(id) = self.class_at(member, class)
                {
                    return Ty::Own(id, Arc::default());
                }
                match program.type_in(member, ty) {
                    Ty::Unknown => self.expected_type(member, node, budget),
                    // what is written for what it is given to says of what (`Map<String, Gauge> gauges = new TreeMap<>();`)
                    Ty::Outside(name, args) if args.is_empty() => match self.expected_type(member, node, budget) {
                        Ty::Outside(_, args) => Ty::Outside(name, args),
                        _ => Ty::Outside(name, args),
                    },
                    Ty::Own(class, args) if args.is_empty() && !program.ty(class).params.is_empty() => {
                        match self.expected_type(member, node, budget) {
                            Ty::Own(same, args) if same == class => Ty::Own(class, args),
                            _ => Ty::Own(class, args),
                        }
                    }
                    known => known,
                }
            }
            Node::Cast { ty, operand } => match program.type_in(member, ty) {
                Ty::Unknown => self.node_type(member, operand, budget),
                known => known,
            },
            Node::Call { callee, args, type_args, .. } => self.call_type(member, node, callee, body.list(args), type_args, budget),
            Node::Unary { op: yarrowgraph_ir::UnaryOp::Await, operand } => {
                let awaited = self.node_type(member, operand, budget);
                program.boxed(program.member(member).unit, &awaited).unwrap_or(awaited)
            }
            Node::Unary { operand, .. } => self.node_type(member, operand, budget),
            Node::Opaque(list) if list.len == 1 => self.node_type(member, body.list(list)[0], budget),
            Node::Conditional { then, other, .. } => match (self.node_type(member, then, budget), self.node_type(member, other, budget)) {
                (Ty::Unknown, other) => other,
                (then, other @ Ty::Own(..)) if then.own().is_some() => self.common(&[then.clone(), other]).unwrap_or(then),
                (then, _) => then,
            },
            Node::Binary { op: yarrowgraph_ir::BinaryOp::Coalesce | yarrowgraph_ir::BinaryOp::Or, left, right } => {
                match self.node_type(member, left, budget) {
                    Ty::Unknown => self.node_type(member, right, budget),
                    known => known,
                }
            }
            Node::Assign { value, .. } => self.node_type(member, value, budget),
            Node::Collection { items, .. } => Ty::Array(Arc::new(self.common_of_items(member, body.list(items), budget))),
            Node::Lambda(_) | Node::MethodRef { .. } => Ty::Function(Arc::new(Ty::Unknown)),
            Node::Object(entries) => {
                // a copy with other parts is what is copied
                if let Some(copied) = self.copied_by(Site { member, node })
                    && let known @ Ty::Own(..) = self.node_type(member, copied, budget)
                {
                    return known;
                }
                let mut members: Vec<(Sym, Ty)> = Vec::new();
                for entry in body.list(entries) {
                    match body.node(*entry) {
                        Node::Entry { key, value } => {
                            // what stands under a constant is known by no name
                            let name = if let Node::Str(name) = body.node(key) {
                                Some(program.sym_in(member, name))
                            } else {
                                program.symbols.get("")
                            };
                            members.extend(name.map(|name| (name, self.node_type(member, value, budget))));
                        }
                        Node::Unary { op: yarrowgraph_ir::UnaryOp::Spread, operand } => {
                            if let Ty::Record(copied) = self.node_type(member, operand, budget) {
                                members.extend(copied.iter().cloned());
                            }
                        }
                        _ => {}
                    }
                }
                Ty::Record(members.into_iter().filter(|(_, ty)| *ty != Ty::Unknown).collect())
            }
            Node::Name(_) | Node::Member { .. } | Node::This | Node::Super | Node::OuterThis(_) | Node::Index { .. } => {
                let value = self.eval_at(member, node, budget);
                self.type_of_val(&value, budget)
            }
            _ => Ty::Unknown,
        }
    }

    /// The type that a class body written in a member stands for.
    pub fn class_at(&self, member: MemberId, class: yarrowgraph_ir::TypeDeclId) -> Option<crate::program::TypeId> {
        let unit = self.program.member(member).unit;
        self.program.type_of_decl(unit, class)
    }

    /// The type that is written for what a value is given to (`Gauge g = new();`).
    pub(super) fn expected_type(&self, member: MemberId, node: NodeId, budget: u32) -> Ty {
        let program = self.program;
        let Some(body) = program.body(member) else { return Ty::Unknown };
        let Some(parent) = program.scope(member).parent(node) else {
            // the first value of a field, or all that a method gives: `Rail Winter() => new(…)`
            let is_value = matches!(program.member(member).kind, MemberKind::Field | MemberKind::Property) || body.returns_root;
            return if is_value { program.declared_type(member) } else { Ty::Unknown };
        };
        match body.node(parent) {
            Node::Local { ty: Some(ty), .. } => program.type_in(member, ty),
            Node::Assign { target, .. } => self.node_type(member, target, budget),
            Node::Collection { .. } => {
                let outer = self.expected_type(member, parent, budget.saturating_sub(1));
                program.element_type(program.member(member).unit, &outer).unwrap_or(Ty::Unknown)
            }
            Node::Return(_) => program.declared_type(member),
            // a part of what is written out: `{ shut: { pulse(gate) { … } } }`
            Node::Entry { key, value } if value == node => self.part_expected(member, parent, key, budget),
            Node::Cast { ty, .. } => match program.type_in(member, ty) {
                written @ Ty::Own(..) => written,
                written if program.is_map(&written) => written,
                // `as const`
                _ => self.expected_type(member, parent, budget.saturating_sub(1)),
            },
            // what a collection is filled with as it is made: `new() { new(…), new(…) }`
            Node::New { init: Some(init), .. } if init == node => self.node_type(member, parent, budget.saturating_sub(1)),
            _ => Ty::Unknown,
        }
    }

    /// The type that is written for an entry of what is written out: that of the part of its name, or of what a map has.
    fn part_expected(&self, member: MemberId, entry: NodeId, key: NodeId, budget: u32) -> Ty {
        let program = self.program;
        let (Some(body), Some(budget)) = (program.body(member), budget.checked_sub(1)) else { return Ty::Unknown };
        let (Some(literal), Node::Str(key)) = (program.scope(member).parent(entry), body.node(key)) else { return Ty::Unknown };
        let name = program.sym_in(member, key);
        match self.expected_type(member, literal, budget) {
            Ty::Own(class, args) => {
                let part = program.find_member(class, name);
                part.map_or(Ty::Unknown, |m| program.declared_type(m).substitute(&program.ty(class).params, &args))
            }
            Ty::Record(parts) => parts.iter().find(|(n, _)| *n == name).map_or(Ty::Unknown, |(_, ty)| ty.clone()),
            map if program.is_map(&map) => program.element_type(program.member(member).unit, &map).unwrap_or(Ty::Unknown),
            _ => Ty::Unknown,
        }
    }

    fn call_type(&self, member: MemberId, node: NodeId, callee: NodeId, args: &[NodeId], type_args: Option<u16>, budget: u32) -> Ty {
        let program = self.program;
        let Some(body) = program.body(member) else { return Ty::Unknown };
        let written: Vec<Ty> = type_args
            .and_then(|t| body.type_lists.get(t as usize))
            .map(|list| list.iter().map(|t| program.type_in(member, *t)).collect())
            .unwrap_or_default();
        let site = Site { member, node };
        if let Some(known) = self.type_in_chain(site, budget) {
            return known;
        }
        if let Some(target) = self.method_called(site, callee, args.len(), budget) {
            let decl = program.decl(target.member);
            let info = program.member(target.member);
            let params: Vec<_> = decl.type_params.iter().map(|p| program.sym(info.unit, p.name)).collect();
            let declared = program.declared_type(target.member);
            if declared == Ty::Unknown {
                return match self.returned(target.member, budget) {
                    // what is looked up by what is handed over
                    Some(Val::Element(_, Some(key))) if matches!(*key, Val::Param(..)) => {
                        self.type_of_val(&self.eval_at(member, node, budget), budget)
                    }
                    Some(value) => self.type_of_val(&value, budget),
                    None => Ty::Unknown,
                };
            }
            // what is handed back is what was handed over: `own<T extends Part>(part: T): T`
            if written.is_empty()
                && let Ty::Param(name, _) = &declared
                && params.contains(name)
            {
                let is_it = |p: &Param| p.ty.is_some_and(|ty| matches!(program.type_in(target.member, ty), Ty::Param(n, _) if n == *name));
                let at = decl.params.iter().position(is_it).and_then(|at| at.checked_sub(usize::from(target.extension)));
                let handed = at.and_then(|at| args.get(at)).map(|arg| self.node_type(member, *arg, budget.min(NEAR)));
                if let Some(handed @ (Ty::Own(..) | Ty::Outside(..) | Ty::Array(_))) = handed {
                    return handed;
                }
            }
            let declared = declared.substitute(&params, &written);
            return match &target.receiver {
                Some(receiver) => self.seen_through(receiver, target.member, declared, budget),
                None => match self.named_heir(site, callee, target.member, budget) {
                    Some(heir) => self.seen_through(&Val::Type(heir), target.member, declared, budget),
                    None => declared,
                },
            };
        }
        if let (Node::Name(name), [only]) = (body.node(callee), args)
            && program.kit_of(member).pack.collections.contains(program.unit_of(member).text(name))
        {
            return self.node_type(member, *only, budget);
        }
        let pack = &*program.kit_of(member).pack;
        let given_by = |function: NodeId| match self.node_type(member, function, budget) {
            Ty::Function(result) if *result != Ty::Unknown => (*result).clone(),
            Ty::Function(_) => self.given_by_local(member, function, budget.min(NEAR)),
            Ty::Outside(name, args) if pack.givers.contains(program.text(name)) => args.last().cloned().unwrap_or(Ty::Unknown),
            _ => Ty::Unknown,
        };
        let Node::Member { object, name, .. } = body.node(callee) else {
            // `std::get<Gauge>(held)`
            return match written.first() {
                Some(taken @ Ty::Own(..)) if written.len() == 1 && args.len() == 1 => taken.clone(),
                _ => given_by(callee),
            };
        };
        let text = program.unit_of(member).text(name);
        if pack.invokers.contains(text) {
            let given = given_by(object);
            if given != Ty::Unknown {
                return given;
            }
        }
        let unit = program.member(member).unit;
        let of = self.node_type(member, object, budget);
        // a step of a stream gives a stream
        if pack.stream_steps.contains(text) && matches!(&of, Ty::Outside(stream, _) if pack.stream_types.contains(program.text(*stream))) {
            return of;
        }
        if let Some(held) = program.boxed(unit, &of) {
            let [function] = args else { return held };
            return match (body.node(*function), self.given_by_function(member, *function, budget), of) {
                // what comes of it is in such a box again
                (Node::Lambda(_), given @ (Ty::Own(..) | Ty::Outside(..)), Ty::Outside(name, _))
                    if program.boxed(unit, &given).is_none() =>
                {
                    Ty::Outside(name, Arc::from([given]))
                }
                (Node::Lambda(_), given @ Ty::Outside(..), _) => given,
                (Node::Lambda(_), _, of) => of,
                _ => held,
            };
        }
        // the next one of a queue: `orders.remove()`
        if args.is_empty()
            && pack.removes.contains(text)
            && !program.is_map(&of)
            && let Some(element) = program.element_type(unit, &of)
        {
            return element;
        }
        if pack.elements.contains(text) {
            return program.element_type(unit, &of).unwrap_or_else(|| match written.first() {
                Some(t) => t.clone(),
                None if self.kept.is_empty() => Ty::Unknown,
                None => self.type_of_val(&self.eval_at(member, node, budget), budget),
            });
        }
        // what a function gives for each element: `names.Select(n => new Gauge(n))`, `Array.from({ length: n }, (_, i) => new Gauge(i))`
        if let [.., function] = args
            && args.len() <= 2
            && pack.maps.contains(text)
        {
            if let Node::MethodRef { name, .. } = body.node(*function)
                && let name = program.unit_of(member).text(name)
                && (pack.entry_values.contains(name) || pack.copies.contains(name))
            {
                // the values of entries, or all that the elements hold
                let element = self.element_of_node(member, object, budget);
                return element.map_or(Ty::Unknown, |e| if pack.copies.contains(name) { e } else { Ty::Array(Arc::new(e)) });
            }
            if let given @ (Ty::Own(..) | Ty::Outside(..)) = self.given_by_function(member, *function, budget) {
                return Ty::Array(Arc::new(given));
            }
        }
        if let (Val::Global(of), true) = (self.eval_at(member, object, budget), text == "assign")
            && program.text(of) == "Object"
        {
            let records =
                args.iter().filter_map(|a| if let Ty::Record(members) = self.node_type(member, *a, budget) { Some(members) } else { None });
            return Ty::Record(records.flat_map(|members| members.to_vec()).collect());
        }
        if args.len() > 1 && LISTS.contains(&text) && matches!(self.eval_at(member, object, budget), Val::Global(_)) {
            let items: Vec<Ty> = args.iter().map(|a| self.node_type(member, *a, budget)).collect();
            return Ty::Array(Arc::new(self.common(&items).unwrap_or(Ty::Unknown)));
        }
        if pack.copies.contains(text) {
            return of;
        }
        // `Find<T>()`, `GetComponent<T>()`: the type argument says what comes back
        match written.first() {
            Some(t) if written.len() == 1 => t.clone(),
            // a field that holds a function
            _ => match self.node_type(member, callee, budget) {
                Ty::Function(result) => (*result).clone(),
                _ => Ty::Unknown,
            },
        }
    }

    /// The type of the items of a list that is written out: what their classes have in common, or that of the first.
    fn common_of_items(&self, member: MemberId, items: &[NodeId], budget: u32) -> Ty {
        /// Of a long list the first few speak for all.
        const ITEMS: usize = 16;
        let body = self.program.body(member);
        let type_of = |item: NodeId| match body.map(|body| body.node(item)) {
            Some(Node::Unary { op: yarrowgraph_ir::UnaryOp::Spread, operand }) => {
                self.element_of_node(member, operand, budget).unwrap_or(Ty::Unknown)
            }
            _ => self.node_type(member, item, budget),
        };
        let mut types = items.iter().take(ITEMS).map(|i| type_of(*i));
        let first = types.next().unwrap_or(Ty::Unknown);
        if first.own().is_none() {
            return first;
        }
        let all: Vec<Ty> = std::iter::once(first.clone()).chain(types.filter(|ty| ty.own().is_some())).collect();
        self.common(&all).unwrap_or(first)
    }

    /// The type of what a function gives that is written out where it is called, or in a variable.
    fn given_by_local(&self, member: MemberId, called: NodeId, budget: u32) -> Ty {
        let Some(body) = self.program.body(member) else { return Ty::Unknown };
        let written = match body.node(called) {
            Node::Name(name) => match self.program.scope(member).lookup(name, called) {
                Some(Declared::Local(local)) => match body.node(local) {
                    Node::Local { init: Some(init), .. } => init,
                    _ => return Ty::Unknown,
                },
                _ => return Ty::Unknown,
            },
            _ => called,
        };
        if matches!(body.node(written), Node::Lambda(_)) { self.given_by_function(member, written, budget) } else { Ty::Unknown }
    }

    /// The type of what a function gives that is written out, or named by the class that it makes objects of: `Gauge::new`.
    fn given_by_function(&self, member: MemberId, function: NodeId, budget: u32) -> Ty {
        let program = self.program;
        let Some(body) = program.body(member) else { return Ty::Unknown };
        match body.node(function) {
            Node::Lambda(f) => {
                let known = |n: NodeId| Some(self.node_type(member, n, budget)).filter(|ty| *ty != Ty::Unknown);
                returned(program, member, Some(f)).into_iter().find_map(known).unwrap_or(Ty::Unknown)
            }
            Node::MethodRef { object, name } if program.unit_of(member).text(name) == "new" => match self.eval_at(member, object, budget) {
                Val::Type(class) => Ty::Own(class, Arc::default()),
                _ => Ty::Unknown,
            },
            _ => Ty::Unknown,
        }
    }

    /// Whether a list is written out at a place.
    fn is_list(&self, site: Site) -> bool {
        self.program.body(site.member).is_some_and(|body| matches!(body.node(site.node), Node::Collection { .. }))
    }

    /// The type of a part that a pattern takes from an entry of a map by its position: `for (const [, gauge] of gauges)`.
    fn type_of_part(&self, local: Site, budget: u32) -> Ty {
        let program = self.program;
        let Some(body) = program.body(local.member) else { return Ty::Unknown };
        let Some(pattern) = program.scope(local.member).parent(local.node) else { return Ty::Unknown };
        let Node::Pattern { parts, init, positional: true } = body.node(pattern) else { return Ty::Unknown };
        let Some(place) = body.list(parts).iter().position(|part| *part == local.node) else { return Ty::Unknown };
        if let Some(part) = init.and_then(|init| self.part_of_given(Site { member: local.member, node: init }, place, budget)) {
            return part;
        }
        let of = match self.pattern_source(local.member, pattern, init, budget) {
            Some(Val::Element(of, None)) => self.type_of_val(&of, budget),
            Some(Val::Param(member, Some(function), index)) => match self.walked_collection(member, function, index, budget) {
                Some(walked) => self.type_of_val(&walked, budget),
                None => return Ty::Unknown,
            },
            _ => return Ty::Unknown,
        };
        if !program.is_map(&of) {
            return Ty::Unknown;
        }
        match (place, of.args()) {
            (0, [key, _]) => key.clone(),
            (1, [_, value]) => value.clone(),
            _ => Ty::Unknown,
        }
    }

    /// The type of a part of the tuple or list that a call gives, by what its method says or gives at its end.
    fn part_of_given(&self, call: Site, place: usize, budget: u32) -> Option<Ty> {
        let program = self.program;
        let Node::Call { callee, args, .. } = program.body(call.member)?.node(call.node) else { return None };
        let target = self.method_called(call, callee, args.len as usize, budget)?.member;
        if let Some(ty) = program.decl(target).ty {
            let TypeRef::Tuple(parts) = program.unit_of(target).type_ref(ty) else { return None };
            return Some(program.type_in(target, *parts.get(place)?));
        }
        let body = program.body(target)?;
        let part = |given: NodeId| match body.node(given) {
            Node::Collection { items, .. } => body.list(items).get(place).copied(),
            _ => None,
        };
        let given = returned(program, target, None).into_iter().find_map(part)?;
        Some(self.node_type(target, given, budget.min(NEAR)))
    }

    /// The type of a collection's elements, for a node.
    pub(super) fn element_of_node(&self, member: MemberId, node: NodeId, budget: u32) -> Option<Ty> {
        let ty = self.node_type(member, node, budget.min(6));
        self.program.element_type(self.program.member(member).unit, &ty)
    }
}
