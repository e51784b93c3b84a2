//! Static types as far as they are known.

use std::sync::Arc;

use yarrowgraph_ir::{MemberKind, Node, TypeKind, TypeParam, TypeRef, TypeRefId, Unit};

use super::{MemberId, Program, Site, Sym, TypeId, UnitId};
use crate::memo::known_or;

/// A static type.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Ty {
    /// Not known.
    Unknown,
    /// A type of the tree with its type arguments.
    Own(TypeId, Arc<[Ty]>),
    /// A type that is not of the tree, by simple name.
    Outside(Sym, Arc<[Ty]>),
    /// A sequence of elements.
    Array(Arc<Ty>),
    /// A function with its result.
    Function(Arc<Ty>),
    /// A type parameter, with what its arguments must be.
    Param(Sym, Option<Arc<Ty>>),
    /// The type as a value: its static side.
    Static(TypeId),
    /// A record of named members.
    Record(Arc<[(Sym, Ty)]>),
}

impl Ty {
    /// The type of the tree, if it is one.
    pub fn own(&self) -> Option<TypeId> {
        match self {
            Ty::Own(id, _) => Some(*id),
            _ => None,
        }
    }

    /// What is known of the values: for a type parameter what its arguments must be.
    pub fn bounded(self) -> Ty {
        match self {
            Ty::Param(_, Some(bound)) => (*bound).clone(),
            other => other,
        }
    }

    /// The type arguments.
    pub fn args(&self) -> &[Ty] {
        match self {
            Ty::Own(_, args) | Ty::Outside(_, args) => args,
            _ => &[],
        }
    }

    /// Replaces type parameters.
    pub fn substitute(&self, params: &[Sym], args: &[Ty]) -> Ty {
        if params.is_empty() || args.is_empty() {
            return self.clone();
        }
        let all = |list: &Arc<[Ty]>| list.iter().map(|t| t.substitute(params, args)).collect();
        match self {
            Ty::Param(name, _) => match params.iter().position(|p| p == name).and_then(|i| args.get(i)) {
                Some(arg) => arg.clone(),
                None => self.clone(),
            },
            Ty::Own(id, list) => Ty::Own(*id, all(list)),
            Ty::Outside(name, list) => Ty::Outside(*name, all(list)),
            Ty::Array(of) => Ty::Array(Arc::new(of.substitute(params, args))),
            Ty::Function(of) => Ty::Function(Arc::new(of.substitute(params, args))),
            Ty::Unknown | Ty::Static(_) | Ty::Record(_) => self.clone(),
        }
    }
}

/// A type reference as it is written, without blanks.
pub(super) fn written(unit: &Unit, id: TypeRefId) -> String {
    let list = |of: &[TypeRefId]| of.iter().map(|t| written(unit, *t)).collect::<Vec<_>>().join(",");
    match unit.type_ref(id) {
        TypeRef::Named { name, args } if args.is_empty() => unit.text(*name).to_owned(),
        TypeRef::Named { name, args } => format!("{}<{}>", unit.text(*name), list(args)),
        TypeRef::Array(of) => format!("{}[]", written(unit, *of)),
        TypeRef::Nullable(of) => format!("{}?", written(unit, *of)),
        TypeRef::Union(of) => of.iter().map(|t| written(unit, *t)).collect::<Vec<_>>().join("|"),
        TypeRef::Tuple(of) => format!("[{}]", list(of)),
        TypeRef::Function { params, .. } => format!("function({})", list(params)),
        TypeRef::Literal(text) => unit.text(*text).to_owned(),
        TypeRef::Indirect(of) => written(unit, *of),
        TypeRef::Object(_) => "object".into(),
        TypeRef::Inferred | TypeRef::Other => "_".into(),
        TypeRef::This => "this".into(),
    }
}

/// Where a type reference is written: what names mean there.
#[derive(Clone, Copy, Debug)]
pub(super) struct Here<'s> {
    pub(super) unit: UnitId,
    pub(super) owner: Option<TypeId>,
    /// Type parameters of the method that is around.
    pub(super) params: &'s [TypeParam],
    /// The member around, where types are declared in its body.
    pub(super) body: Option<super::MemberId>,
}

impl Program {
    /// Whether the objects of a type are nothing but data: they have fields, and do nothing.
    pub fn is_mere_data(&self, t: TypeId) -> bool {
        let is_data = |m: &MemberId| !matches!(self.member(*m).kind, MemberKind::Method | MemberKind::Event | MemberKind::Destructor);
        self.ty(t).kind != TypeKind::Interface && self.ty(t).members.iter().all(is_data)
    }

    /// Whether a type is one of a library's that refer to an object without keeping it alive.
    pub fn is_weak(&self, unit: UnitId, ty: &Ty) -> bool {
        matches!(ty, Ty::Outside(name, _) if self.kit(unit).pack.weak_types.contains(self.text(*name)))
    }

    /// Whether objects of a type are equal by what they hold: values, or classes that say so.
    pub fn is_equal_by_content(&self, id: TypeId) -> bool {
        let ty = self.ty(id);
        let equality = &self.kit(ty.unit).pack.equality;
        matches!(ty.kind, TypeKind::Record | TypeKind::Struct)
            || ty.members.iter().any(|m| equality.contains(self.text(self.member(*m).name)))
    }

    /// Whether objects of a type refer weakly to what they work for: by inheritance or by a field.
    pub fn holds_weakly(&self, id: TypeId) -> bool {
        let mut found = false;
        self.for_each_base(id, &mut |t| {
            let ty = self.ty(t);
            let is_weak_field = |m: &MemberId| {
                let info = self.member(*m);
                info.kind == MemberKind::Field && !info.is_static && self.is_weak(ty.unit, &self.declared_type(*m))
            };
            found |= ty.bases.iter().any(|b| self.is_weak(ty.unit, b)) || ty.members.iter().any(is_weak_field);
            !found
        });
        found
    }

    /// The type that a reference means.
    pub(super) fn type_at(&self, here: Here<'_>, id: TypeRefId) -> Ty {
        if !here.params.is_empty() {
            return self.type_at_depth(here, id, 0);
        }
        known_or(&self.known_types[here.unit.0 as usize], (id, here.owner, None), || self.type_at_depth(here, id, 0))
    }

    fn type_at_depth(&self, here: Here<'_>, id: TypeRefId, depth: u32) -> Ty {
        if depth > 12 {
            return Ty::Unknown;
        }
        let unit = self.unit(here.unit);
        let inner = |id| self.type_at_depth(here, id, depth + 1);
        match unit.type_ref(id) {
            TypeRef::Named { name, args } => {
                let args: Arc<[Ty]> = args.iter().map(|a| inner(*a)).collect();
                let text = unit.text(*name);
                self.named_type(here, text, args, depth)
            }
            TypeRef::Array(of) => Ty::Array(Arc::new(inner(*of))),
            TypeRef::Function { result, .. } => Ty::Function(Arc::new(inner(*result))),
            TypeRef::Nullable(of) | TypeRef::Indirect(of) => inner(*of),
            TypeRef::Union(of) => of.iter().map(|t| inner(*t)).find(|t| matches!(t, Ty::Own(..))).unwrap_or(Ty::Unknown),
            TypeRef::Object(members) => Ty::Record(members.iter().map(|(n, t)| (self.sym(here.unit, *n), inner(*t))).collect()),
            TypeRef::This => here.owner.map_or(Ty::Unknown, |o| Ty::Own(o, Arc::default())),
            TypeRef::Tuple(_) | TypeRef::Literal(_) | TypeRef::Inferred | TypeRef::Other => Ty::Unknown,
        }
    }

    fn named_type(&self, here: Here<'_>, text: &str, args: Arc<[Ty]>, depth: u32) -> Ty {
        let simple = text.rsplit('.').next().unwrap_or(text);
        let Some(sym) = self.symbols.get(simple) else { return Ty::Unknown };
        let param_of = |unit: UnitId, owner, params: &[TypeParam]| {
            let param = params.iter().find(|p| self.sym(unit, p.name) == sym)?;
            // a bound may name its own parameter (`T extends Comparable<T>`)
            const A_BOUND: u32 = 6;
            let bound = param.bound.map(|b| self.type_at_depth(Here { unit, owner, params: &[], body: None }, b, depth + A_BOUND));
            Some(Ty::Param(sym, bound.filter(|b| *b != Ty::Unknown).map(Arc::new)))
        };
        let mut owner = here.owner;
        while let Some(o) = owner {
            if self.ty(o).params.contains(&sym) {
                let of_decl = |&(unit, decl): &(UnitId, _)| param_of(unit, Some(o), &self.unit(unit).ty(decl).type_params);
                return self.ty(o).decls.iter().find_map(of_decl).unwrap_or(Ty::Param(sym, None));
            }
            owner = self.ty(o).parent.or_else(|| self.ty(o).within.map(|s| self.member(s.member).owner));
        }
        if let Some(param) = param_of(here.unit, here.owner, here.params) {
            return param;
        }
        let text = text.strip_prefix("typeof ").unwrap_or(text);
        let around = || self.resolve_type(here.unit, here.owner, text);
        let Some(id) = here.body.map_or_else(around, |member| self.type_in_body(member, text, around)) else {
            return Ty::Outside(sym, args);
        };
        let id = self.with_arity(id, args.len());
        let ty = self.ty(id);
        if ty.kind == yarrowgraph_ir::TypeKind::Alias
            && let Some((unit, decl)) = ty.decls.first()
            && let Some(aliased) = self.unit(*unit).ty(*decl).aliased
        {
            let there = Here { unit: *unit, owner: Some(id), params: &[], body: None };
            // one alias may name others many times over
            let stands_for = || self.type_at_depth(there, aliased, depth + 1);
            return known_or(&self.known_aliases[unit.0 as usize], (id, depth), stands_for).substitute(&ty.params, &args);
        }
        Ty::Own(id, args)
    }

    /// Of several types of one name the one with a number of type parameters: `Command` and `Command<T>`.
    fn with_arity(&self, id: TypeId, count: usize) -> TypeId {
        let ty = self.ty(id);
        if ty.params.len() == count {
            return id;
        }
        let beside = |t: &&TypeId| {
            let other = self.ty(**t);
            other.params.len() == count
                && other.kind != TypeKind::Namespace
                && other.namespace == ty.namespace
                && other.parent == ty.parent
                && other.within == ty.within
        };
        self.types_named(ty.name).iter().find(beside).copied().unwrap_or(id)
    }

    /// The type that a reference of a member's signature or body means.
    pub fn type_in(&self, member: super::MemberId, id: TypeRefId) -> Ty {
        let info = self.member(member);
        let decl = self.decl(member);
        let body = self.declares_types(member).then_some(member);
        let here = Here { unit: info.unit, owner: Some(info.owner), params: &decl.type_params, body };
        // only what has type parameters or types of its own can mean something else than its class by the same words
        let of = (!here.params.is_empty() || body.is_some()).then_some(member);
        known_or(&self.known_types[here.unit.0 as usize], (id, here.owner, of), || self.type_at_depth(here, id, 0))
    }

    /// The first type argument that a call is written with: `make_unique<Shelved>()`.
    pub fn type_argument(&self, call: Site) -> Option<Ty> {
        self.type_argument_at(call, 0)
    }

    /// A type argument that a call is written with, by its position.
    pub fn type_argument_at(&self, call: Site, index: usize) -> Option<Ty> {
        let body = self.body(call.member)?;
        let Node::Call { type_args: Some(args), .. } = body.node(call.node) else { return None };
        let argument = body.type_lists[args as usize].get(index)?;
        Some(self.type_in(call.member, *argument))
    }

    /// The declared type of a field or property, or of a method's result.
    pub fn declared_type(&self, member: super::MemberId) -> Ty {
        let find = || match self.decl(member).ty {
            Some(id) => self.type_in(member, id),
            None => Ty::Unknown,
        };
        self.declared[member.0 as usize].get_or_init(find).clone()
    }

    /// Whether a member is declared as a plain pointer to a function, under whatever name, rather than an object around one.
    pub fn is_function_pointer(&self, member: super::MemberId) -> bool {
        const ALIASES: u32 = 8;
        let info = self.member(member);
        let (mut unit, mut owner, mut wanted) = (info.unit, Some(info.owner), self.decl(member).ty);
        for _ in 0..ALIASES {
            let Some(ty) = wanted else { return false };
            wanted = match self.unit(unit).type_ref(ty) {
                TypeRef::Indirect(inner) => return matches!(self.unit(unit).type_ref(*inner), TypeRef::Function { .. }),
                TypeRef::Named { name, .. } => {
                    let alias = self.resolve_type(unit, owner, self.unit(unit).text(*name));
                    let Some(&(there, decl)) = alias.and_then(|t| self.ty(t).decls.first()) else { return false };
                    (unit, owner) = (there, alias);
                    self.unit(there).ty(decl).aliased
                }
                _ => return false,
            };
        }
        false
    }

    /// The simple name of a type.
    pub fn type_name(&self, ty: &Ty) -> Option<&str> {
        match ty {
            Ty::Own(id, _) => Some(self.text(self.ty(*id).name)),
            Ty::Outside(name, _) => Some(self.text(*name)),
            _ => None,
        }
    }

    /// Whether values of a type can be called.
    pub fn is_callable(&self, unit: UnitId, ty: &Ty) -> bool {
        match ty {
            Ty::Function(_) => true,
            Ty::Own(id, _) => self.ty(*id).kind == yarrowgraph_ir::TypeKind::Delegate,
            Ty::Outside(name, _) => {
                let name = self.text(*name);
                self.kit(unit).pack.callables.fits(name)
            }
            _ => false,
        }
    }

    /// The type of a collection's elements (of a map's values); none for what is no collection.
    pub fn element_type(&self, unit: UnitId, ty: &Ty) -> Option<Ty> {
        match ty {
            Ty::Array(of) => Some((**of).clone()),
            Ty::Outside(name, args) => {
                let pack = &*self.kit(unit).pack;
                let text = self.text(*name);
                let known = pack.collections.contains(text) || pack.weak_types.contains(text);
                // what it is ordered, hashed or counted by comes behind
                let element = match &args[..] {
                    [first, ..] if pack.queues.contains(text) || pack.sets.contains(text) => first,
                    [first, Ty::Unknown] => first,
                    [_, value, _, ..] => value,
                    _ => args.last().unwrap_or(&Ty::Unknown),
                };
                known.then(|| element.clone())
            }
            // a class of the tree that extends a collection
            Ty::Own(id, args) => {
                let t = self.ty(*id);
                let base = t.bases.iter().find(|b| matches!(b, Ty::Outside(..)))?;
                Some(self.element_type(unit, base)?.substitute(&t.params, args))
            }
            _ => None,
        }
    }

    /// The types of a collection's elements, of what those hold in turn, and so on; a class may be a collection of itself, so
    /// no more than a few.
    pub fn elements_within<'a>(&'a self, unit: UnitId, ty: &Ty) -> impl Iterator<Item = Ty> + use<'a> {
        const NESTED: usize = 6;
        std::iter::successors(self.element_type(unit, ty), move |element| self.element_type(unit, element)).take(NESTED)
    }

    /// Whether a type is one of collections that are asked by key.
    pub fn is_map(&self, ty: &Ty) -> bool {
        let Ty::Outside(name, args) = ty else { return false };
        let is_called = |parts: &[&str]| parts.iter().any(|part| self.text(*name).contains(part));
        is_called(&["Map", "Dictionary", "Hashtable"]) || args.len() == 2 && !is_called(&["Queue", "queue", "set", "vector", "array"])
    }
}
