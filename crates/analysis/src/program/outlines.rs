//! Types and members that are declared in one file and written out in another.

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{MemberKind, TypeDeclId, TypeKind};

use super::build::Numbers;
use super::index::FileNames;
use super::{ByName, Program, Sym, Type, TypeId, UnitId};

/// Stands for a type whose number is not known yet.
pub(super) const NOWHERE: TypeId = TypeId(u32::MAX);

/// Gives the types that are only written out somewhere the numbers of those that are meant.
pub(super) fn place(p: &mut Program, numbers: &mut Numbers, file_names: &[FileNames], outlines: &[(usize, usize)]) {
    let spaces = namespaces(p);
    // outlines that are namespaces after all
    let mut of_space: FxHashMap<(usize, usize), String> = FxHashMap::default();
    for &(index, decl_index) in outlines {
        let decl = &p.units[index].unit.types[decl_index];
        let sym = |n: yarrowgraph_ir::Name| file_names[index].whole[n.0 as usize];
        let name = sym(decl.name);
        let around = decl.parent.and_then(|t| of_space.get(&(index, t.0 as usize)));
        let (namespace, parent) = match around {
            Some(space) => (p.symbols.get(space).unwrap_or(sym(decl.namespace)), None),
            None => (sym(decl.namespace), decl.parent.map(|t| numbers[index][t.0 as usize]).filter(|t| *t != NOWHERE)),
        };
        let unit = UnitId(index as u32);
        let within = p.text(namespace);
        let full = if within.is_empty() { p.text(name).to_owned() } else { format!("{within}.{}", p.text(name)) };
        let full = if spaces.contains(&full) { full } else { p.text(name).to_owned() };
        if parent.is_none() && spaces.contains(&full) {
            of_space.insert((index, decl_index), full);
        }
        let id = match meant(p, unit, name, namespace, parent) {
            Some(id) => branch_meant(p, file_names, id, (unit, TypeDeclId(decl_index as u32))),
            None => add(p, unit, TypeDeclId(decl_index as u32), name, namespace, parent),
        };
        // what is nested in it was numbered before it
        for (nested, decl) in p.units[index].unit.types.iter().enumerate() {
            if decl.parent == Some(TypeDeclId(decl_index as u32)) && !decl.outline && decl.within.is_none() {
                p.types[numbers[index][nested].0 as usize].parent = Some(id);
            }
        }
        p.types[id.0 as usize].decls.push((unit, TypeDeclId(decl_index as u32)));
        numbers[index][decl_index] = id;
    }
}

/// All namespaces that types are declared in, and those around them.
fn namespaces(p: &Program) -> FxHashSet<String> {
    let mut found = FxHashSet::default();
    for ty in p.types.iter().filter(|t| !t.is_module) {
        let mut space = p.text(ty.namespace);
        while !space.is_empty() && found.insert(space.to_owned()) {
            space = space.rsplit_once('.').map_or("", |(outer, _)| outer);
        }
    }
    found
}

/// The type that a name in a file means: of its namespace, of one that it uses, or the only one.
fn meant(p: &Program, unit: UnitId, name: Sym, namespace: Sym, parent: Option<TypeId>) -> Option<TypeId> {
    let fits = |t: &TypeId| !matches!(p.ty(*t).kind, TypeKind::Enum | TypeKind::Alias) && p.kit(p.ty(*t).unit).traits.open_names;
    let candidates: Vec<TypeId> = p.types_named(name).iter().copied().filter(fits).filter(|t| p.ty(*t).parent == parent).collect();
    if parent.is_some() {
        return p.nearest(unit, candidates.into_iter());
    }
    let u = p.unit(unit);
    let of_namespace = |space: &str| p.nearest(unit, candidates.iter().copied().filter(|t| p.text(p.ty(*t).namespace) == space));
    let used = || u.imports.iter().filter(|i| i.name.is_some_and(|n| u.text(n) == "*")).find_map(|i| of_namespace(u.text(i.from)));
    let only = || match candidates[..] {
        [one] => Some(one),
        _ => None,
    };
    // what the header beside a file declares is what the file writes out, whatever else has that name
    let stem = |unit: UnitId| p.unit(unit).path.rsplit_once('.').map(|(stem, _)| stem);
    let mut beside = candidates.iter().copied().filter(|t| stem(p.ty(*t).unit) == stem(unit));
    let beside = match (beside.next(), beside.next()) {
        (Some(one), None) if candidates.len() > 1 && p.text(namespace).is_empty() => Some(one),
        _ => None,
    };
    beside.or_else(|| of_namespace(p.text(namespace))).or_else(used).or_else(only)
}

/// Of several classes of one name in a file, as branches of `#if` may each have one, that which declares most of what is written out.
fn branch_meant(p: &Program, file_names: &[FileNames], found: TypeId, outline: (UnitId, TypeDeclId)) -> TypeId {
    let ty = p.ty(found);
    let is_twin = |t: &TypeId| p.ty(*t).unit == ty.unit && p.ty(*t).full == ty.full && p.ty(*t).kind == ty.kind;
    let twins: Vec<TypeId> = p.types_named(ty.name).iter().copied().filter(is_twin).collect();
    if twins.len() < 2 {
        return found;
    }
    let names_in = |unit: UnitId, decl: TypeDeclId| {
        let names = &file_names[unit.0 as usize].whole;
        let of_decl = p.unit(unit).members.iter().filter(move |m| m.owner == Some(decl));
        of_decl.map(|m| names[m.name.0 as usize]).collect::<FxHashSet<Sym>>()
    };
    let written = names_in(outline.0, outline.1);
    let declares = |t: TypeId| p.ty(t).decls.first().map_or(0, |d| names_in(d.0, d.1).intersection(&written).count());
    twins.into_iter().rev().max_by_key(|t| declares(*t)).unwrap_or(found)
}

/// A type that nothing declares: a namespace by whose name functions are qualified, or a class of another tree.
fn add(p: &mut Program, unit: UnitId, decl: TypeDeclId, name: Sym, namespace: Sym, parent: Option<TypeId>) -> TypeId {
    let id = TypeId(p.types.len() as u32);
    let prefix = parent.map_or_else(|| p.symbols.text(namespace).to_owned(), |t| p.types[t.0 as usize].full.to_string());
    let simple = p.symbols.text(name);
    let full = if prefix.is_empty() { simple.to_owned() } else { format!("{prefix}.{simple}") };
    let modifiers = p.units[unit.0 as usize].unit.ty(decl).modifiers;
    p.types.push(Type {
        name,
        full: full.into(),
        namespace,
        decls: Vec::new(),
        unit,
        kind: TypeKind::Class,
        modifiers,
        parent,
        within: None,
        anonymous: false,
        is_module: false,
        params: Vec::new(),
        bases: Vec::new(),
        members: Vec::new(),
        nested: Vec::new(),
        heirs: Vec::new(),
        lineage: Box::default(),
        by_name: ByName::default(),
    });
    p.types_by_name.entry(name).or_default().push(id);
    id
}

/// A member of a file.
type MemberDecl = (usize, usize);
/// What two declarations of one member agree in.
type Shape = (TypeId, Sym, bool, usize);

/// Which declarations are done with, since what they declare is written out elsewhere.
#[derive(Default)]
pub(super) struct Settled {
    pub(super) done_with: FxHashSet<MemberDecl>,
    /// For the fields among what is written out: the declaration in the class.
    pub(super) fields: FxHashMap<MemberDecl, MemberDecl>,
}

/// Lets what is written out take over what its declaration says.
pub(super) fn settle(p: &mut Program, numbers: &Numbers, file_names: &[FileNames]) -> Settled {
    let mut written_out: FxHashMap<Shape, Vec<MemberDecl>> = FxHashMap::default();
    let mut declared: Vec<(Shape, MemberDecl)> = Vec::new();
    for (index, facts) in p.units.iter().enumerate() {
        if !p.kits.of(facts.unit.language).traits.open_names {
            continue;
        }
        for (at, member) in facts.unit.members.iter().enumerate() {
            // written out behind the class, of which the file may have the declaration as well
            let outline = member.owner.is_some_and(|o| {
                let ty = facts.unit.ty(o);
                ty.outline || !(ty.span.start..ty.span.end).contains(&member.span.start)
            });
            let owner = match member.owner {
                Some(o) => numbers[index][o.0 as usize],
                None => NOWHERE,
            };
            let is_function = !matches!(member.kind, MemberKind::Field);
            let is_free = member.owner.is_none();
            if !is_function && !outline && !member.modifiers.is_static {
                continue;
            }
            let name = file_names[index].whole[member.name.0 as usize];
            let shape = (owner, name, is_function, member.params.len());
            let has_body = member.body.as_ref().is_some_and(|b| b.root.is_some());
            let is_shared = !is_function && member.modifiers.is_static;
            if has_body && (outline || is_free || is_shared) {
                written_out.entry(shape).or_default().push((index, at));
            } else if !has_body && (is_function || !is_free && is_shared) {
                declared.push((shape, (index, at)));
            }
        }
    }
    let mut settled = Settled::default();
    for (shape, (index, at)) in declared {
        let Some(all) = written_out.get(&shape) else { continue };
        let (modifiers, annotations, params) = {
            let m = p.units[index].unit.member(yarrowgraph_ir::MemberId(at as u32));
            (m.modifiers, m.annotations.clone(), m.params.iter().map(|x| x.optional).collect::<Vec<_>>())
        };
        for &(unit, member) in all {
            let m = &mut p.units[unit].unit.members[member];
            if shape.0 != NOWHERE {
                m.modifiers = modifiers;
                // an annotation's names are those of its own file
                if index == unit {
                    m.annotations.extend_from_slice(&annotations);
                }
            }
            for (param, optional) in m.params.iter_mut().zip(&params) {
                param.optional |= optional;
            }
            let is_function = shape.2;
            if !is_function {
                settled.fields.entry((unit, member)).or_insert((index, at));
            }
        }
        settled.done_with.insert((index, at));
    }
    settled
}
