//! Bases and heirs of a type, and what it has from them.

use rustc_hash::FxHashSet;
use smallvec::{SmallVec, smallvec};
use yarrowgraph_ir::{MemberKind, TypeKind};

use super::{MemberId, Program, Sym, Ty, TypeId};

impl Program {
    /// The members of a type or its bases under a name, nearest first.
    pub fn find_members(&self, ty: TypeId, name: Sym) -> Vec<MemberId> {
        let mut found = Vec::new();
        self.for_each_base(ty, &mut |t| {
            found.extend_from_slice(self.own_members(t, name));
            found.is_empty()
        });
        found
    }

    /// The member that an access by name means: no accessor, nearest first.
    pub fn find_member(&self, ty: TypeId, name: Sym) -> Option<MemberId> {
        let mut found = None;
        self.for_each_base(ty, &mut |t| {
            let fits =
                |m: &&MemberId| !matches!(self.member(**m).kind, MemberKind::Accessor(_)) && self.decl(**m).explicit_interface.is_none();
            // a class may have one for itself under the name of that of its objects
            let own = || self.own_members(t, name).iter().filter(fits).copied();
            found = own().find(|m| !self.member(*m).is_static).or_else(|| own().next());
            found.is_none()
        });
        // what only implements an interface can still be meant from within
        found.or_else(|| self.find_members(ty, name).into_iter().find(|m| !matches!(self.member(*m).kind, MemberKind::Accessor(_))))
    }

    /// The member that an access means: where methods and fields have names of their own, a
    /// call means a method and anything else a field.
    pub fn find_member_as(&self, ty: TypeId, name: Sym, called: bool) -> Option<MemberId> {
        if let Some(declared) = self.declared_by_base(ty, name) {
            return Some(declared);
        }
        let separate = !self.kit(self.ty(ty).unit).traits.fields_called;
        if !separate {
            return self.find_member(ty, name);
        }
        let mut found = None;
        self.for_each_base(ty, &mut |t| {
            let fits = |m: &&MemberId| {
                let kind = self.member(**m).kind;
                (kind == MemberKind::Method) == called && !matches!(kind, MemberKind::Accessor(_))
            };
            found = self.own_members(t, name).iter().find(fits).copied();
            found.is_none()
        });
        found
    }

    /// What a base declares under the name of a field that the type itself only assigns to.
    fn declared_by_base(&self, ty: TypeId, name: Sym) -> Option<MemberId> {
        let own = self.own_members(ty, name).first().copied()?;
        if !self.decl(own).modifiers.is_assigned {
            return None;
        }
        let mut found = None;
        self.for_each_base(ty, &mut |t| {
            // the farthest base that has it is where it comes into being
            found = self.own_members(t, name).first().copied().filter(|_| t != ty).or(found);
            true
        });
        found
    }

    /// The class of the tree that a class extends.
    pub fn base_class(&self, ty: TypeId) -> Option<TypeId> {
        let mut own = self.ty(ty).bases.iter().filter_map(Ty::own);
        own.find(|base| self.ty(*base).kind != TypeKind::Interface)
    }

    /// The class of the tree that an object of a class is at bottom. Ends also where classes extend each other, as
    /// code that is being changed may.
    pub fn topmost(&self, class: TypeId) -> TypeId {
        let mut line: SmallVec<[TypeId; 8]> = smallvec![class];
        let mut top = class;
        while let Some(base) = self.base_class(top).filter(|base| !line.contains(base)) {
            line.push(base);
            top = base;
        }
        top
    }

    /// Visits a type and its own bases, nearest first, until the visitor says false.
    pub fn for_each_base(&self, ty: TypeId, visit: &mut dyn FnMut(TypeId) -> bool) {
        let lineage = &self.ty(ty).lineage;
        // before the bases are known there is the type alone
        let _ = if lineage.is_empty() { visit(ty) } else { lineage.iter().all(|t| visit(*t)) };
    }

    /// Whether one of two types is the other or has it among its bases.
    pub fn are_kin(&self, a: TypeId, b: TypeId) -> bool {
        self.is_a(a, b) || self.is_a(b, a)
    }

    /// Whether a type is another one or has it among its bases.
    pub fn is_a(&self, ty: TypeId, base: TypeId) -> bool {
        ty == base || self.ty(ty).lineage.contains(&base)
    }

    /// Finds the lineage of a type from the bases that are written. Ends also where types extend each other.
    pub(super) fn find_lineage(&self, ty: TypeId) -> Box<[TypeId]> {
        let mut line: SmallVec<[TypeId; 8]> = smallvec![ty];
        let mut next = 0;
        while let Some(t) = line.get(next).copied() {
            next += 1;
            for base in self.ty(t).bases.iter().filter_map(Ty::own) {
                if !line.contains(&base) {
                    line.push(base);
                }
            }
        }
        line.into_vec().into()
    }

    /// A type and all own types that extend or implement it, in order.
    pub fn heirs(&self, ty: TypeId) -> Vec<TypeId> {
        self.heirs_up_to(ty, usize::MAX).unwrap_or_default()
    }

    /// The same where there are no more than so many of them.
    pub fn heirs_up_to(&self, ty: TypeId, most: usize) -> Option<Vec<TypeId>> {
        let mut all = vec![ty];
        // some bases have thousands
        let mut seen: FxHashSet<TypeId> = FxHashSet::default();
        let mut next = 0;
        while next < all.len() {
            for &heir in &self.ty(all[next]).heirs {
                if heir != ty && seen.insert(heir) {
                    all.push(heir);
                }
            }
            next += 1;
            if all.len() > most {
                return None;
            }
        }
        Some(all)
    }

    /// The simple names of the bases of a type that are not of the tree.
    pub fn outside_bases(&self, ty: TypeId) -> Vec<Sym> {
        let mut names = Vec::new();
        self.for_each_base(ty, &mut |t| {
            names.extend(self.ty(t).bases.iter().filter_map(|b| match b {
                Ty::Outside(name, _) => Some(*name),
                _ => None,
            }));
            true
        });
        names
    }
}
