//! What the type parameters of a method stand for at a call: as written, or by what is handed over.

use yarrowgraph_ir::{Node, NodeId, TypeRef, TypeRefId};

use super::{Flow, Val};
use crate::program::{MemberId, Site, Sym, Ty};

impl Flow<'_> {
    /// The type parameter of a method that a type names.
    pub(super) fn type_param(&self, member: MemberId, ty: TypeRefId) -> Option<Sym> {
        let program = self.program;
        let unit = program.member(member).unit;
        let TypeRef::Named { name, .. } = program.unit(unit).type_ref(ty) else { return None };
        let name = program.sym(unit, *name);
        program.decl(member).type_params.iter().any(|p| program.sym(unit, p.name) == name).then_some(name)
    }

    /// The type that a plain name is of, where no variable has that name.
    pub(super) fn class_named(&self, member: MemberId, node: NodeId) -> Option<Val> {
        let program = self.program;
        let Node::Name(name) = program.body(member)?.node(node) else { return None };
        if program.scope(member).lookup(name, node).is_some() {
            return None;
        }
        let unit = program.member(member).unit;
        let sym = program.sym_in(member, name);
        if program.decl(member).type_params.iter().any(|p| program.sym(unit, p.name) == sym) {
            return Some(Val::TypeParam(member, sym));
        }
        program.resolve_type(unit, Some(program.member(member).owner), program.text(sym)).map(Val::Type)
    }

    /// What the type parameters of a method stand for at a call.
    pub(super) fn type_arguments(&self, call: Site, callee: MemberId, args: &[Option<Val>], budget: u32) -> Vec<(Sym, Val)> {
        let program = self.program;
        let decl = program.decl(callee);
        if decl.type_params.is_empty() {
            return Vec::new();
        }
        let unit = program.member(callee).unit;
        let written = self.types_written(call);
        let names = decl.type_params.iter().map(|p| program.sym(unit, p.name)).enumerate();
        names
            .filter_map(|(place, name)| {
                let handed = || decl.params.iter().zip(args).find_map(|(p, arg)| self.told_by(callee, name, p.ty?, arg.as_ref()?, budget));
                let found = written.get(place).map(|ty| self.as_value(call.member, ty)).or_else(handed)?;
                Some((name, found))
            })
            .collect()
    }

    fn types_written(&self, call: Site) -> Vec<TypeRefId> {
        let Some(body) = self.program.body(call.member) else { return Vec::new() };
        let Node::Call { type_args: Some(types), .. } = body.node(call.node) else { return Vec::new() };
        body.type_lists.get(types as usize).map(|list| list.to_vec()).unwrap_or_default()
    }

    /// A written type, as a value.
    fn as_value(&self, member: MemberId, ty: &TypeRefId) -> Val {
        self.type_value(member, self.program.type_in(member, *ty), Some(*ty))
    }

    fn type_value(&self, member: MemberId, ty: Ty, written: Option<TypeRefId>) -> Val {
        match ty {
            Ty::Own(id, _) => Val::Type(id),
            Ty::Outside(name, _) => Val::Global(name),
            Ty::Param(..) => written.and_then(|w| self.type_param(member, w)).map_or(Val::Unknown, |name| Val::TypeParam(member, name)),
            _ => Val::Unknown,
        }
    }

    /// What a type parameter stands for, by what is handed over for a parameter of some type.
    fn told_by(&self, callee: MemberId, name: Sym, wanted: TypeRefId, arg: &Val, budget: u32) -> Option<Val> {
        let program = self.program;
        let unit = program.member(callee).unit;
        let wanted = match program.unit(unit).type_ref(wanted) {
            TypeRef::Nullable(inner) | TypeRef::Indirect(inner) => *inner,
            _ => wanted,
        };
        if self.type_param(callee, wanted) == Some(name) {
            return known(self.type_value(callee, self.type_of_val(arg, budget).bounded(), None));
        }
        let TypeRef::Named { name: of, args: inner } = program.unit(unit).type_ref(wanted) else { return None };
        let place = inner.iter().position(|t| self.type_param(callee, *t) == Some(name))?;
        // a method that is handed over tells by its own parameters
        if let Val::Method(m, _) = arg {
            let param = program.decl(*m).params.get(place)?;
            return known(self.as_value(*m, &param.ty?));
        }
        if let Val::Lambda(m, f) = arg {
            let param = program.body(*m)?.function(*f).params.get(place)?;
            return known(self.as_value(*m, &param.ty?));
        }
        let found = match self.type_of_val(arg, budget).bounded() {
            Ty::Own(t, given) => {
                let base = program.resolve_type(unit, Some(program.member(callee).owner), program.unit(unit).text(*of))?;
                program.base_args(t, &given, base).get(place).cloned()?
            }
            Ty::Outside(_, given) => given.get(place).cloned()?,
            _ => return None,
        };
        known(self.type_value(callee, found, None))
    }
}

fn known(value: Val) -> Option<Val> {
    (value != Val::Unknown).then_some(value)
}
