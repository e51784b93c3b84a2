//! Types of the parameters of functions that are written out and name none: what those who take the function hand to it.

use yarrowgraph_ir::{FunctionId, MemberKind, Node, NodeId, TypeKind, TypeRef, TypeRefId};

use super::{Callee, Flow};
use crate::program::{MemberId, Program, Site, Ty, TypeId, UnitId};

/// How far the type of what takes a function is looked for.
const NEAR: u32 = 8;

impl Flow<'_> {
    /// The type of a parameter of a function that is written out, by what it is handed or given to.
    pub(super) fn lambda_param(&self, member: MemberId, function: FunctionId, index: u16, budget: u32) -> Ty {
        let budget = budget.min(NEAR);
        let program = self.program;
        let (Some(body), scope) = (program.body(member), program.scope(member)) else { return Ty::Unknown };
        let Some(lambda) = scope.function_node(function) else { return Ty::Unknown };
        let Some(around) = scope.parent(lambda) else {
            return program.decl(member).ty.map_or(Ty::Unknown, |ty| self.handed_by(member, ty, index));
        };
        match body.node(around) {
            Node::Call { callee, args, .. } => {
                let Some(at) = body.list(args).iter().position(|a| *a == lambda) else { return Ty::Unknown };
                let site = Site { member, node: around };
                match self.method_called(site, callee, args.len as usize, budget) {
                    Some(target) => self.handed_by_param(&target, at, index, budget),
                    None => self.handed_by_library(member, callee, (args.len as usize, at), index, budget),
                }
            }
            Node::Local { ty: Some(ty), .. } => self.handed_by(member, ty, index),
            Node::Assign { target, .. } => handed_by_type(program, &self.node_type(member, target, budget), index),
            Node::Return(_) | Node::Lambda(_) => match scope.function_around(body, lambda).and_then(|f| scope.function_node(f)) {
                None => program.decl(member).ty.map_or(Ty::Unknown, |ty| self.handed_by(member, ty, index)),
                Some(outer) => handed_by_type(program, &self.given_back_by(member, outer), index),
            },
            // a method of an object that is written out
            Node::Entry { key, value } if value == lambda => match self.handed_by_part(member, around, key, index, budget) {
                Ty::Unknown => self.given_type(member, Some(function), index),
                handed => handed,
            },
            _ => Ty::Unknown,
        }
    }

    /// What a function is handed that an object has under a name, by the type that is written for the object.
    fn handed_by_part(&self, member: MemberId, entry: NodeId, key: NodeId, index: u16, budget: u32) -> Ty {
        let program = self.program;
        let (Some(body), scope) = (program.body(member), program.scope(member)) else { return Ty::Unknown };
        let (Some(literal), Node::Str(name)) = (scope.parent(entry), body.node(key)) else { return Ty::Unknown };
        match self.expected_type(member, literal, budget) {
            Ty::Own(class, args) => {
                let Some(part) = program.find_member(class, program.sym_in(member, name)) else { return Ty::Unknown };
                let decl = program.decl(part);
                let handed = match program.member(part).kind {
                    MemberKind::Method => {
                        decl.params.get(usize::from(index)).and_then(|p| p.ty).map_or(Ty::Unknown, |ty| program.type_in(part, ty))
                    }
                    _ => decl.ty.map_or(Ty::Unknown, |ty| self.handed_by(part, ty, index)),
                };
                handed.substitute(&program.ty(class).params, &args)
            }
            map if program.is_map(&map) => {
                let element = program.element_type(program.member(member).unit, &map);
                element.map_or(Ty::Unknown, |element| handed_by_type(program, &element, index))
            }
            _ => Ty::Unknown,
        }
    }

    /// What a function that is written out gives back by the type of the method, or of the function, that gives it back itself.
    fn given_back_by(&self, member: MemberId, lambda: NodeId) -> Ty {
        let program = self.program;
        let (Some(body), scope) = (program.body(member), program.scope(member)) else { return Ty::Unknown };
        let is_given_back = scope.parent(lambda).is_none_or(|p| matches!(body.node(p), Node::Return(_) | Node::Lambda(_)));
        if !is_given_back {
            return Ty::Unknown;
        }
        let own = match scope.function_around(body, lambda).and_then(|f| scope.function_node(f)) {
            None => program.declared_type(member),
            Some(outer) => self.given_back_by(member, outer),
        };
        match own {
            Ty::Own(class, args) => match program.only_method(class) {
                Some(only) => program.declared_type(only).substitute(&program.ty(class).params, &args),
                None => Ty::Unknown,
            },
            Ty::Outside(name, args) if program.kit_of(member).pack.givers.contains(program.text(name)) => {
                args.last().cloned().unwrap_or(Ty::Unknown)
            }
            Ty::Function(result) => (*result).clone(),
            _ => Ty::Unknown,
        }
    }

    /// What a method of the tree hands to a function that one of its parameters takes.
    fn handed_by_param(&self, target: &Callee, at: usize, index: u16, budget: u32) -> Ty {
        let program = self.program;
        let decl = program.decl(target.member);
        let at = at + usize::from(target.extension);
        let Some(ty) = decl.params.get(at).and_then(|p| p.ty) else { return Ty::Unknown };
        let handed = self.handed_by(target.member, ty, index);
        match &target.receiver {
            Some(receiver) => self.seen_through(receiver, target.member, handed, budget),
            None => handed,
        }
    }

    /// What a function of a written type is handed.
    fn handed_by(&self, member: MemberId, ty: TypeRefId, index: u16) -> Ty {
        let program = self.program;
        let mut written = ty;
        while let TypeRef::Nullable(of) | TypeRef::Indirect(of) = program.unit_of(member).type_ref(written) {
            written = *of;
        }
        if let TypeRef::Function { params, .. } = program.unit_of(member).type_ref(written) {
            return params.get(usize::from(index)).map_or(Ty::Unknown, |p| program.type_in(member, *p));
        }
        handed_by_type(program, &program.type_in(member, ty), index)
    }

    /// What a method of a library hands to a function: what is in the collection or the box that it is asked of.
    fn handed_by_library(&self, member: MemberId, callee: NodeId, (count, at): (usize, usize), index: u16, budget: u32) -> Ty {
        let program = self.program;
        let Some(body) = program.body(member) else { return Ty::Unknown };
        let Node::Member { object, name, .. } = body.node(callee) else { return Ty::Unknown };
        let pack = &*program.kit_of(member).pack;
        let text = program.unit_of(member).text(name);
        let of = self.node_type(member, object, budget);
        if let Some(held) = program.boxed(program.member(member).unit, &of) {
            // what goes on from a task is handed the task itself
            return if index > 0 || text == "ContinueWith" { Ty::Unknown } else { held };
        }
        let Some(element) = program.element_type(program.member(member).unit, &of) else { return Ty::Unknown };
        let accumulates = pack.folds.contains(text) || pack.folds_back.contains(text);
        match index {
            // what was gathered before comes first, where a fold is told how to begin or what it gives
            0 if at > 0 || accumulates && count > 1 => Ty::Unknown,
            0 => element,
            1 if accumulates || !program.is_map(&of) && !program.kit_of(member).traits.duck_typed && takes_two_alike(text) => element,
            _ => Ty::Unknown,
        }
    }
}

/// Whether a method hands two elements to a function, which compares them or makes one of them.
fn takes_two_alike(method: &str) -> bool {
    matches!(method, "sort" | "sorted" | "toSorted" | "min" | "max" | "reduce")
}

/// What functions of a type are handed: by its only method, or by its type arguments.
fn handed_by_type(program: &Program, ty: &Ty, index: u16) -> Ty {
    match ty {
        Ty::Own(class, args) => {
            let Some(only) = program.only_method(*class) else { return Ty::Unknown };
            let param = program.decl(only).params.get(usize::from(index)).and_then(|p| p.ty);
            param.map_or(Ty::Unknown, |ty| program.type_in(only, ty).substitute(&program.ty(*class).params, args))
        }
        Ty::Outside(_, args) => match args.get(usize::from(index)) {
            Some(arg) => arg.clone(),
            // two of one type: `BinaryOperator<Gauge>`
            None if args.len() == 1 => args[0].clone(),
            None => Ty::Unknown,
        },
        Ty::Array(_) | Ty::Function(_) | Ty::Record(_) | Ty::Static(_) | Ty::Param(..) | Ty::Unknown => Ty::Unknown,
    }
}

impl Flow<'_> {
    /// Whether a call is of the one method of an interface, by which a function in its place is called.
    pub(crate) fn calls_only_method(&self, call: Site) -> bool {
        let asked = self.callee(call).map(|c| c.member);
        asked.is_some_and(|m| self.program.only_method(self.program.member(m).owner) == Some(m))
    }
}

impl Program {
    /// What an object of a type stands for, where that is a box of one thing, as a future or an optional value is.
    pub(crate) fn boxed(&self, unit: UnitId, ty: &Ty) -> Option<Ty> {
        let Ty::Outside(name, args) = ty else { return None };
        let held = args.first().filter(|_| self.kit(unit).pack.boxes.contains(self.text(*name)))?;
        Some(held.clone())
    }

    /// The one method of an interface, or of a delegate, that has no code, by which a function in its place is called; none where
    /// there are more.
    pub(crate) fn only_method(&self, interface: TypeId) -> Option<MemberId> {
        let of = self.ty(interface);
        if of.kind != TypeKind::Interface && of.kind != TypeKind::Delegate {
            return None;
        }
        let asked_for = |m: &&MemberId| {
            let info = self.member(**m);
            info.kind == MemberKind::Method && !info.is_static && self.body(**m).is_none_or(|body| body.root.is_none())
        };
        let mut methods = of.members.iter().filter(asked_for);
        let only = methods.next().copied();
        only.filter(|_| methods.next().is_none())
    }
}
