//! What names mean: across nesting, inheritance, namespaces, imports and modules.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use yarrowgraph_ir::{MemberKind, TypeKind};

use super::{MemberId, Program, Sym, Ty, Type, TypeId, UnitId};

/// What a name at module or namespace level means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Named {
    /// A member of a module.
    Member(MemberId),
    /// A type.
    Type(TypeId),
    /// A whole module.
    Module(UnitId),
    /// Something imported from outside of the tree.
    Outside,
}

/// The name under which a module hands out what it is as a whole.
const WHOLE: &str = "=";
/// How many re-exports are followed.
pub const HOPS: u32 = 12;

impl Program {
    /// The type that a dotted name means in a file, seen from a type.
    pub fn resolve_type(&self, unit: UnitId, owner: Option<TypeId>, text: &str) -> Option<TypeId> {
        let mut parts = text.split('.');
        let first = parts.next()?;
        if let Some(mut found) = self.symbols.get(first).and_then(|sym| self.type_by_simple_name(unit, owner, sym)) {
            let mut complete = true;
            for part in parts {
                match self.symbols.get(part).and_then(|s| self.nested_type(found, s)) {
                    Some(nested) => found = nested,
                    None => {
                        complete = false;
                        break;
                    }
                }
            }
            if complete {
                return Some(found);
            }
        }
        if self.kit(unit).traits.file_modules {
            return self.type_in_namespace_import(unit, text);
        }
        self.type_by_full_name(unit, text)
    }

    fn type_by_simple_name(&self, unit: UnitId, owner: Option<TypeId>, sym: Sym) -> Option<TypeId> {
        // most names are those of libraries: no type of the tree has them, and no import gives them
        let imports = &self.unit(unit).imports;
        if self.types_named(sym).is_empty()
            && !self.kit(unit).traits.file_modules
            && !imports.iter().any(|i| i.name.is_some_and(|n| self.sym(unit, n) == sym))
        {
            return None;
        }
        let mut around = owner;
        while let Some(t) = around {
            if self.ty(t).name == sym && !self.ty(t).is_module {
                return Some(t);
            }
            if let Some(nested) = self.nested_type(t, sym) {
                return Some(nested);
            }
            // types declared in the same body
            if let Some(site) = self.ty(t).within {
                let host = self.member(site.member).owner;
                if let Some(local) = self.local_type(site.member, sym) {
                    return Some(local);
                }
                around = Some(host);
                continue;
            }
            around = self.ty(t).parent;
        }
        if self.kit(unit).traits.file_modules {
            return match self.resolve_in_module(unit, sym, HOPS)? {
                Named::Type(t) => Some(t),
                // what a mixin makes goes by the mixin's name
                Named::Member(m) => {
                    let mixin = self.member(m);
                    let is_made = |t: &TypeId| self.ty(*t).unit == mixin.unit && self.ty(*t).within.is_none() && !self.ty(*t).is_module;
                    self.types_named(mixin.name).iter().copied().find(is_made)
                }
                _ => None,
            };
        }
        self.type_in_namespaces(unit, owner, sym)
    }

    /// A type declared in the body of a member; none where its blocks have several of the name.
    pub fn local_type(&self, member: MemberId, sym: Sym) -> Option<TypeId> {
        let mut local = self.types_named(sym).iter().copied().filter(|t| self.ty(*t).within.is_some_and(|s| s.member == member));
        local.next().filter(|_| local.next().is_none())
    }

    /// Whether types with names are declared in the body of a member.
    pub fn declares_types(&self, member: MemberId) -> bool {
        let Some(body) = self.decl(member).body.as_ref().filter(|body| !body.types.is_empty()) else { return false };
        let unit = self.unit(self.member(member).unit);
        body.types.iter().any(|(declared, _)| !unit.ty(*declared).anonymous)
    }

    /// The type that a name means in the body of a member: one that is declared there, or one of those around. What is declared in one
    /// of the functions of a module is not known to the others.
    pub(super) fn type_in_body(&self, member: MemberId, text: &str, around: impl Fn() -> Option<TypeId>) -> Option<TypeId> {
        let local = || self.symbols.get(text).and_then(|sym| self.local_type(member, sym));
        if self.member(member).kind == MemberKind::Initializer { around().or_else(local) } else { local().or_else(around) }
    }

    /// A type nested in another one or in its bases.
    pub fn nested_type(&self, ty: TypeId, sym: Sym) -> Option<TypeId> {
        let mut found = None;
        self.for_each_base(ty, &mut |t| {
            found = self.ty(t).nested.iter().copied().find(|n| self.ty(*n).name == sym);
            found.is_none()
        });
        found.or_else(|| self.namespace_beside(ty)?.nested.iter().copied().find(|n| self.ty(*n).name == sym))
    }

    /// The namespace of a class's name that adds to it: `class Track {}` and `namespace Track { export enum Kind {} }`.
    fn namespace_beside(&self, class: TypeId) -> Option<&Type> {
        let ty = self.ty(class);
        if ty.kind == TypeKind::Namespace || !self.kit(ty.unit).traits.file_modules {
            return None;
        }
        let named = self.types_named(ty.name);
        let mut others = named.iter().map(|t| self.ty(*t)).filter(|t| t.kind == TypeKind::Namespace);
        others.find(|t| t.unit == ty.unit && t.parent == ty.parent && t.within == ty.within)
    }

    fn type_in_namespaces(&self, unit: UnitId, owner: Option<TypeId>, sym: Sym) -> Option<TypeId> {
        let candidates: Vec<TypeId> =
            self.types_named(sym).iter().copied().filter(|t| self.ty(*t).parent.is_none() && self.ty(*t).within.is_none()).collect();
        if candidates.is_empty() {
            // static members of a type can be types as well
            return self.statically_imported_type(unit, sym);
        }
        let u = self.unit(unit);
        let here = match owner {
            Some(t) => self.text(self.ty(t).namespace).to_owned(),
            None => u.text(u.namespace).to_owned(),
        };
        // an explicit import decides
        for i in &u.imports {
            if i.alias.or(i.name).is_some_and(|n| self.sym(unit, n) == sym) {
                let full = match i.name {
                    Some(n) => format!("{}.{}", u.text(i.from), u.text(n)),
                    None => u.text(i.from).to_owned(),
                };
                let full = full.trim_start_matches("global::").to_owned();
                return self.nearest(unit, candidates.iter().copied().filter(|t| *self.ty(*t).full == full));
            }
        }
        // the own namespace and those around it
        let of_namespace =
            |space: &str| self.nearest(unit, candidates.iter().copied().filter(|t| self.text(self.ty(*t).namespace) == space));
        let mut around = here.as_str();
        loop {
            if let Some(t) = of_namespace(around) {
                return Some(t);
            }
            match around.rsplit_once('.') {
                Some((outer, _)) => around = outer,
                None if around.is_empty() => break,
                None => around = "",
            }
        }
        for i in &u.imports {
            if i.name.map(|n| u.text(n)) == Some("*")
                && let Some(t) = of_namespace(u.text(i.from))
            {
                return Some(t);
            }
        }
        // namespaces can be brought in for a whole project; one candidate leaves no doubt, unless files open its namespace
        // each for itself
        let kit = self.kit(unit);
        let known = |t: TypeId| self.kit(self.ty(t).unit).pack.callables.fits(self.text(sym));
        match candidates[..] {
            [one] if kit.traits.open_names && !known(one) && !self.opened_by_file.contains(self.text(self.ty(one).namespace)) => Some(one),
            _ => None,
        }
    }

    /// Of several types of one full name, as programs of one tree may each have one, the one that is declared nearest to a file:
    /// in the innermost folder that has both.
    pub(super) fn nearest(&self, unit: UnitId, candidates: impl Iterator<Item = TypeId>) -> Option<TypeId> {
        let mut candidates: Vec<TypeId> = candidates.collect();
        // what another file writes out for itself is not what a header shows to all
        let is_shown = |t: &TypeId| {
            let of = self.ty(*t).unit;
            of == unit || self.unit(of).path.rsplit_once('.').is_some_and(|(_, extension)| extension.starts_with('h'))
        };
        if candidates.len() > 1 && candidates.iter().any(is_shown) {
            candidates.retain(is_shown);
        }
        self.nearest_of(unit, candidates.into_iter(), |t| self.ty(t).unit)
    }

    /// The same for whatever is declared in a file; of those that have as many folders in common with it the one that is least deep
    /// down, and the first of these.
    pub(super) fn nearest_of<T: Copy>(
        &self,
        unit: UnitId,
        candidates: impl Iterator<Item = T>,
        declared_in: impl Fn(T) -> UnitId,
    ) -> Option<T> {
        let mut candidates = candidates.peekable();
        let first = candidates.next()?;
        if candidates.peek().is_none() {
            return Some(first);
        }
        let path = &self.unit(unit).path;
        let nearness = |one: T| {
            let other = &self.unit(declared_in(one)).path;
            let shared = path.split('/').zip(other.split('/')).take_while(|(here, there)| here == there).count();
            (shared, std::cmp::Reverse(other.split('/').count()))
        };
        let mut best = (nearness(first), first);
        for candidate in candidates {
            let near = nearness(candidate);
            if near > best.0 {
                best = (near, candidate);
            }
        }
        Some(best.1)
    }

    fn statically_imported_type(&self, unit: UnitId, sym: Sym) -> Option<TypeId> {
        let u = self.unit(unit);
        let wanted = self.text(sym);
        let nested = self.types_named(sym);
        if nested.is_empty() {
            return None;
        }
        for i in &u.imports {
            let name = i.name.map_or("", |n| u.text(n));
            if name == wanted || name == "*" {
                let full = format!("{}.{wanted}", u.text(i.from));
                if let Some(t) = nested.iter().copied().find(|t| *self.ty(*t).full == full) {
                    return Some(t);
                }
            }
        }
        None
    }

    fn type_by_full_name(&self, unit: UnitId, text: &str) -> Option<TypeId> {
        let simple = text.rsplit('.').next()?;
        if simple == text {
            return None;
        }
        let sym = self.symbols.get(simple)?;
        let candidates = self.types_named(sym);
        let exact = self.nearest(unit, candidates.iter().copied().filter(|t| &*self.ty(*t).full == text));
        // a name may leave out the namespaces that are around
        let partial = || {
            let u = self.unit(unit);
            let here = u.text(u.namespace);
            let suffix = format!(".{text}");
            let fits = |t: &TypeId| {
                let id = &self.ty(*t).full;
                id.strip_suffix(&suffix).is_some_and(|outer| here == outer || here.starts_with(&format!("{outer}.")))
            };
            self.nearest(unit, candidates.iter().copied().filter(fits))
        };
        // where a file has several namespaces, one that fits leaves no doubt
        let only = || {
            let suffix = format!(".{text}");
            let mut fitting = candidates.iter().copied().filter(|t| self.ty(*t).full.ends_with(&suffix));
            let first = fitting.next().filter(|_| self.kit(unit).traits.open_names)?;
            fitting.next().is_none().then_some(first)
        };
        exact.or_else(partial).or_else(only)
    }

    fn type_in_namespace_import(&self, unit: UnitId, text: &str) -> Option<TypeId> {
        let mut parts = text.split('.');
        let first = self.symbols.get(parts.next()?)?;
        let mut found = self.resolve_in_module(unit, first, HOPS)?;
        for part in parts {
            let sym = self.symbols.get(part)?;
            found = match found {
                Named::Module(m) => self.exported(m, sym, HOPS)?,
                Named::Type(t) => Named::Type(self.nested_type(t, sym)?),
                _ => return None,
            };
        }
        match found {
            Named::Type(t) => Some(t),
            _ => None,
        }
    }

    /// What a name means at the level of a module.
    pub fn resolve_in_module(&self, unit: UnitId, sym: Sym, hops: u32) -> Option<Named> {
        if let Some(named) = self.declared_in_module(unit, sym) {
            return Some(named);
        }
        for (index, i) in self.unit(unit).imports.iter().enumerate().filter(|(_, i)| !i.reexport) {
            if i.alias.or(i.name).is_some_and(|n| self.sym(unit, n) == sym) {
                return Some(self.imported(unit, index, hops));
            }
        }
        None
    }

    fn declared_in_module(&self, unit: UnitId, sym: Sym) -> Option<Named> {
        if let Some(module) = self.modules[unit.0 as usize]
            && let Some(&m) = self.own_members(module, sym).iter().find(|m| self.member(**m).kind != MemberKind::Initializer)
        {
            // a class and a function of one name: the type is asked for elsewhere
            return Some(Named::Member(m));
        }
        let top = |t: &TypeId| {
            let ty = self.ty(*t);
            ty.unit == unit && ty.parent.is_none() && ty.within.is_none()
        };
        let named: SmallVec<[TypeId; 2]> = self.types_named(sym).iter().copied().filter(top).collect();
        // a namespace may share its name with the class that it adds to
        let best = named.iter().copied().find(|t| self.ty(*t).kind != TypeKind::Namespace).or(named.first().copied());
        best.map(Named::Type)
    }

    /// The functions and variables of modules that other files know by other names, with those names.
    pub(crate) fn renamed(&self) -> FxHashMap<MemberId, Vec<Sym>> {
        let mut renamed: FxHashMap<MemberId, Vec<Sym>> = FxHashMap::default();
        let mut add = |named: Named, here: Sym| {
            if let Named::Member(m) = named
                && self.member(m).name != here
            {
                let names = renamed.entry(m).or_default();
                if !names.contains(&here) {
                    names.push(here);
                }
            }
        };
        for (index, unit) in self.units.iter().enumerate() {
            let id = UnitId(index as u32);
            for (number, import) in unit.unit.imports.iter().enumerate().filter(|(_, i)| !i.reexport && !i.types_only) {
                if let Some(here) = import.alias.or(import.name) {
                    add(self.imported(id, number, HOPS), self.sym(id, here));
                }
            }
            for (own, outer) in unit.unit.exports.iter().filter(|(own, outer)| own != outer) {
                if let Some(named) = self.resolve_in_module(id, self.sym(id, *own), HOPS) {
                    add(named, self.sym(id, *outer));
                }
            }
        }
        renamed
    }

    /// What the import with a number gives.
    fn imported(&self, unit: UnitId, import: usize, hops: u32) -> Named {
        let u = self.unit(unit);
        let wanted = u.imports[import].name.map(|n| self.sym(unit, n));
        let from = u.text(u.imports[import].from);
        match self.module_of(unit, import) {
            Some(module) => match wanted {
                None => self.whole_module(module, hops),
                Some(name) => self.exported(module, name, hops).unwrap_or_else(|| self.default_of(module, name, hops)),
            },
            None if is_relative(from) => Named::Outside,
            // a package or an alias of a path: a name that only one file hands out leaves no doubt
            None => match wanted {
                Some(name) => self.exported_anywhere(name).unwrap_or(Named::Outside),
                None => Named::Outside,
            },
        }
    }

    /// What a module is as a value: what it hands out as a whole, or all of its names.
    fn whole_module(&self, module: UnitId, hops: u32) -> Named {
        let whole = self.symbols.get(WHOLE).and_then(|whole| self.exported(module, whole, hops));
        whole.unwrap_or(Named::Module(module))
    }

    /// A module that is one value stands for its default as well.
    fn default_of(&self, module: UnitId, wanted: Sym, hops: u32) -> Named {
        let is_default = self.text(wanted) == "default";
        match self.whole_module(module, hops) {
            Named::Module(_) => Named::Outside,
            whole if is_default => whole,
            _ => Named::Outside,
        }
    }

    fn exported_anywhere(&self, name: Sym) -> Option<Named> {
        let types: Vec<TypeId> = self.types_named(name).iter().copied().filter(|t| self.ty(*t).modifiers.is_exported).collect();
        match types[..] {
            [one] => Some(Named::Type(one)),
            _ => None,
        }
    }

    /// What a module hands out under a name.
    pub fn exported(&self, unit: UnitId, sym: Sym, hops: u32) -> Option<Named> {
        let hops = hops.checked_sub(1)?;
        let u = self.unit(unit);
        for &(own, outer) in &u.exports {
            if self.sym(unit, outer) == sym {
                return self.resolve_in_module(unit, self.sym(unit, own), hops);
            }
        }
        if let Some(named) = self.declared_in_module(unit, sym) {
            return Some(named);
        }
        let reexports = || u.imports.iter().enumerate().filter(|(_, i)| i.reexport);
        for (index, i) in reexports() {
            if i.alias.or(i.name).is_some_and(|n| self.sym(unit, n) == sym) {
                return Some(self.imported(unit, index, hops));
            }
        }
        for (index, i) in reexports() {
            if i.alias.is_none()
                && i.name.is_some_and(|n| u.text(n) == "*")
                && let Some(module) = self.module_of(unit, index)
                && let Some(found) = self.exported(module, sym, hops)
            {
                return Some(found);
            }
        }
        None
    }

    /// The files in the order in which their modules are loaded, the imports of a file before itself; it starts at
    /// the files that no other imports.
    pub fn load_order(&self) -> Vec<UnitId> {
        let imports = |u: UnitId| {
            let all = self.unit(u).imports.iter().zip(self.imported_modules[u.0 as usize].iter());
            all.filter(|(import, _)| !import.types_only).filter_map(|(_, module)| *module)
        };
        let units = || (0..self.units.len()).map(|i| UnitId(i as u32));
        let imported: std::collections::BTreeSet<UnitId> = units().flat_map(|u| imports(u).collect::<Vec<_>>()).collect();
        let (mut order, mut seen) = (Vec::new(), std::collections::BTreeSet::new());
        for root in units().filter(|u| !imported.contains(u)) {
            // a unit, and whether its imports are loaded
            let mut stack = vec![(root, false)];
            while let Some((unit, loaded)) = stack.pop() {
                if loaded {
                    order.push(unit);
                } else if seen.insert(unit) {
                    stack.push((unit, true));
                    let mut next: Vec<UnitId> = imports(unit).collect();
                    next.reverse();
                    stack.extend(next.into_iter().map(|u| (u, false)));
                }
            }
        }
        order
    }

    /// The file that an import is from.
    fn module_of(&self, unit: UnitId, import: usize) -> Option<UnitId> {
        self.imported_modules[unit.0 as usize].get(import).copied().flatten()
    }

    /// The file that a relative module name means.
    pub(super) fn module_named(&self, unit: UnitId, from: &str) -> Option<UnitId> {
        if !is_relative(from) {
            return None;
        }
        let mut parts: Vec<&str> = self.unit(unit).path.split('/').collect();
        parts.pop();
        for part in from.split('/') {
            match part {
                "." | "" => {}
                ".." => drop(parts.pop()?),
                other => parts.push(other),
            }
        }
        self.module_at(&parts.join("/"))
    }

    /// The file at a path, with or without its extension, or in the folder there.
    pub(super) fn module_at(&self, base: &str) -> Option<UnitId> {
        let plain = [".d.ts", ".js", ".jsx", ".mjs", ".cjs", ".ts", ".tsx"].iter().find_map(|e| base.strip_suffix(e)).unwrap_or(base);
        let index = if base.is_empty() { "index".to_owned() } else { format!("{base}/index") };
        for stem in [plain, base, index.as_str()] {
            for extension in [".ts", ".tsx", ".mts", ".cts", ".js", ".jsx", ".mjs", ".cjs", ".d.ts"] {
                if let Some(&found) = self.units_by_path.get(&format!("{stem}{extension}")) {
                    return Some(found);
                }
            }
        }
        None
    }

    /// A static member brought in by name (`import static`, `using static`).
    pub fn statically_imported(&self, unit: UnitId, sym: Sym) -> Option<MemberId> {
        let u = self.unit(unit);
        for i in u.imports.iter().filter(|i| i.is_static) {
            if i.name.is_some_and(|n| self.sym(unit, n) == sym || u.text(n) == "*") {
                let from = u.text(i.from);
                let simple = self.symbols.get(from.rsplit('.').next()?)?;
                let Some(ty) = self.types_named(simple).iter().copied().find(|t| &*self.ty(*t).full == from) else { continue };
                if let Some(m) = self.find_member(ty, sym) {
                    return Some(m);
                }
            }
        }
        None
    }

    /// The own types among a type's bases, with the arguments that are handed to them.
    pub fn base_args(&self, ty: TypeId, args: &[Ty], base: TypeId) -> Vec<Ty> {
        if ty == base {
            return args.to_vec();
        }
        let t = self.ty(ty);
        for b in &t.bases {
            if let Ty::Own(id, list) = b
                && *id != ty
                && self.is_a(*id, base)
            {
                let list: Vec<Ty> = list.iter().map(|a| a.substitute(&t.params, args)).collect();
                return self.base_args(*id, &list, base);
            }
        }
        Vec::new()
    }
}

fn is_relative(from: &str) -> bool {
    from.starts_with("./") || from.starts_with("../") || from == "." || from == ".."
}
