//! Coupling: what each type knows of the others of the tree, and how.

pub mod map;
pub mod roles;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, TypeRef, TypeRefId};

use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId, UnitId};
use crate::wire::Wiring;
use yarrowgraph_model::{How, Place};

/// What a type knows of another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Knows {
    /// How.
    pub how: BTreeSet<How>,
    /// Where.
    pub places: BTreeSet<Place>,
}

/// What a type knows, by the type that is known.
pub fn of(wiring: &Wiring<'_>, t: TypeId) -> BTreeMap<TypeId, Knows> {
    let program = wiring.program();
    let mut found = Finder { wiring, own: t, known: BTreeMap::new() };
    let ty = program.ty(t);
    for (unit, decl) in &ty.decls {
        let decl = program.unit(*unit).ty(*decl);
        for base in &decl.bases {
            found.written(*unit, base.ty, How::Extends, &|| program.place(*unit, decl.name_span));
        }
    }
    for m in &ty.members {
        found.member(*m);
    }
    found.known
}

/// What must come along if a type is to be used elsewhere: itself and all that it knows, and what these know, with the
/// type that first asked for each.
pub fn closure(wiring: &Wiring<'_>, t: TypeId) -> Vec<(TypeId, Option<TypeId>)> {
    let mut found: Vec<(TypeId, Option<TypeId>)> = vec![(t, None)];
    let mut at = 0;
    while at < found.len() {
        let (from, _) = found[at];
        for to in of(wiring, from).into_keys() {
            if !found.iter().any(|(t, _)| *t == to) {
                found.push((to, Some(from)));
            }
        }
        at += 1;
    }
    found
}

struct Finder<'w, 'p> {
    wiring: &'w Wiring<'p>,
    own: TypeId,
    known: BTreeMap<TypeId, Knows>,
}

impl Finder<'_, '_> {
    /// Notes a type; its place is asked for only where it counts.
    fn add(&mut self, t: TypeId, how: How, place: impl Fn() -> Place) {
        let program = self.wiring.program();
        let ty = program.ty(t);
        // what is nested in it, and what it is nested in, is itself
        let around = |mut t: TypeId, of: TypeId| {
            while let Some(up) = self.wiring.flow.enclosing_type(t) {
                if up == of {
                    return true;
                }
                t = up;
            }
            false
        };
        if t == self.own || ty.is_module || around(t, self.own) || around(self.own, t) {
            return;
        }
        let knows = self.known.entry(t).or_default();
        knows.how.insert(how);
        knows.places.insert(place());
    }

    /// A type as it is written, with its arguments.
    fn written(&mut self, unit: UnitId, ty: TypeRefId, how: How, place: &dyn Fn() -> Place) {
        let program = self.wiring.program();
        match program.unit(unit).type_ref(ty) {
            TypeRef::Named { name, args } => {
                if let Some(t) = program.resolve_type(unit, Some(self.own), program.unit(unit).text(*name)) {
                    self.add(t, how, place);
                }
                for arg in args {
                    self.written(unit, *arg, if how == How::Extends { How::Names } else { how }, place);
                }
            }
            TypeRef::Array(inner) | TypeRef::Nullable(inner) | TypeRef::Indirect(inner) => self.written(unit, *inner, how, place),
            TypeRef::Union(parts) | TypeRef::Tuple(parts) => {
                for part in parts {
                    self.written(unit, *part, how, place);
                }
            }
            TypeRef::Function { params, result } => {
                for part in params.iter().chain(std::iter::once(result)) {
                    self.written(unit, *part, How::Names, place);
                }
            }
            _ => {}
        }
    }

    fn member(&mut self, m: MemberId) {
        let program = self.wiring.program();
        let info = program.member(m);
        let decl = program.decl(m);
        let place = || program.member_place(m);
        let held = matches!(info.kind, MemberKind::Field | MemberKind::Property | MemberKind::Event);
        if let Some(ty) = decl.ty {
            self.written(info.unit, ty, if held { How::Holds } else { How::Names }, &place);
        } else if held
            && let Some(t) = self.wiring.flow.type_held(m).own()
            && program.kit_of(m).traits.duck_typed
        {
            self.add(t, How::Holds, place);
        }
        for param in &decl.params {
            if let Some(ty) = param.ty {
                self.written(info.unit, ty, How::Names, &|| program.place(info.unit, param.name_span));
            }
        }
        self.body(m);
    }

    fn body(&mut self, m: MemberId) {
        let (flow, program) = (&self.wiring.flow, self.wiring.program());
        let unit = program.member(m).unit;
        let Some(body) = program.body(m) else { return };
        for node in body.ids() {
            let site = Site { member: m, node };
            let place = || program.place_of(site);
            match body.node(node) {
                Node::New { ty, .. } => match flow.type_of_node(m, node).own() {
                    Some(t) => self.add(t, How::Creates, place),
                    None => self.written(unit, ty, How::Creates, &place),
                },
                Node::TypeTest { ty: Some(ty), .. } | Node::Cast { ty, .. } | Node::TypeExpr(ty) | Node::Local { ty: Some(ty), .. } => {
                    self.written(unit, ty, How::Names, &place);
                }
                Node::Call { callee, .. } => {
                    if let Node::Member { object, .. } = body.node(callee)
                        && !matches!(body.node(object), Node::This | Node::Super)
                        && let Some(target) = flow.callee(site)
                    {
                        let owner = program.member(target.member).owner;
                        self.add(owner, How::Calls, || crate::wire::operation_place(program, site));
                    }
                }
                Node::Name(name) if !program.types_named(program.sym_in(m, name)).is_empty() => {
                    if let Val::Type(t) = flow.eval_in(m, node) {
                        self.add(t, How::Names, place);
                    }
                }
                _ => {}
            }
        }
    }
}
