//! States that a written type lists: texts (`'open' | 'shut'`), or objects told apart by one (`{ kind: 'open' } | …`).

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Span, TypeDeclId, TypeKind, TypeRef, TypeRefId};
use yarrowgraph_model::Place;

use crate::flow::Flow;
use crate::program::{MemberId, Program, Sym, TypeId, UnitId};

/// Names that stand for others are followed so often.
const HOPS: u32 = 4;

/// The texts of which a field holds one by its written type, and the entry that holds them where it holds objects.
pub(super) fn union_of(program: &Program, field: MemberId) -> Option<(Option<Sym>, Vec<Sym>)> {
    let unit = program.member(field).unit;
    let ty = program.decl(field).ty?;
    let owner = program.member(field).owner;
    if let Some(texts) = texts_of_type(program, unit, owner, ty) {
        return Some((None, texts));
    }
    let Union { unit, parts, .. } = union_at(program, unit, owner, ty, HOPS)?;
    // objects with one entry of a text that only they have
    let entries: Vec<Vec<(Sym, Sym)>> = parts.iter().map(|p| literals_of(program, unit, *p)).collect();
    let tags: Vec<Sym> = entries.first()?.iter().map(|(k, _)| *k).collect();
    tags.into_iter().find_map(|tag| {
        let texts: Option<Vec<Sym>> = entries.iter().map(|e| e.iter().find(|(k, _)| *k == tag).map(|(_, t)| *t)).collect();
        let texts = texts?;
        let distinct: BTreeSet<Sym> = texts.iter().copied().collect();
        (distinct.len() == texts.len() && texts.len() >= 2).then_some((Some(tag), texts))
    })
}

/// The one entry of a record that lists texts, and these: `interface Round { phase: 'idle' | 'baking'; loaves: number }`.
pub(super) fn part_of(program: &Program, record: TypeId) -> Option<(Sym, Vec<Sym>)> {
    part_with_type(program, record).map(|(name, texts, _)| (name, texts))
}

/// The same, with where its type is written and what it is.
fn part_with_type(program: &Program, record: TypeId) -> Option<(Sym, Vec<Sym>, (UnitId, TypeRefId))> {
    let info = program.ty(record);
    if info.is_module || program.heirs(record).len() > 1 {
        return None;
    }
    let parts: Vec<(Sym, UnitId, TypeRefId)> = if let Some((unit, decl)) = info.decls.first()
        && let Some(aliased) = program.unit(*unit).ty(*decl).aliased
    {
        match program.unit(*unit).type_ref(aliased) {
            TypeRef::Object(entries) => entries.iter().map(|(name, ty)| (program.sym(*unit, *name), *unit, *ty)).collect(),
            _ => return None,
        }
    } else if info.kind == TypeKind::Interface {
        let members = info.members.iter().copied();
        let part = |m: MemberId| {
            let is_part = matches!(program.member(m).kind, MemberKind::Field | MemberKind::Property);
            program.decl(m).ty.filter(|_| is_part).map(|ty| (program.member(m).name, program.member(m).unit, ty))
        };
        members.map(part).collect::<Option<_>>()?
    } else {
        return None;
    };
    let mut listed = parts.into_iter().filter_map(|(name, unit, ty)| {
        let texts = texts_of_type(program, unit, record, ty)?;
        Some((name, texts, (unit, ty)))
    });
    let found = listed.next()?;
    listed.next().is_none().then_some(found)
}

/// The texts of which a written type admits one.
pub(crate) fn texts_of_type(program: &Program, unit: UnitId, owner: TypeId, ty: TypeRefId) -> Option<Vec<Sym>> {
    let Union { unit, parts, .. } = union_at(program, unit, owner, ty, HOPS)?;
    let mut texts = Vec::new();
    for part in parts {
        match program.unit(unit).type_ref(part) {
            TypeRef::Literal(text) if matches!(program.unit(unit).text(*text), "null" | "undefined") => {}
            TypeRef::Literal(text) => texts.push(program.sym(unit, *text)),
            _ => return None,
        }
    }
    (texts.len() >= 2).then_some(texts)
}

/// Where the written type of a field, or what it stands for, lists a text; or that of a part of the record that it holds.
pub(super) fn place_of_text(flow: &Flow<'_>, field: MemberId, text: Sym) -> Option<Place> {
    let program = flow.program;
    let info = program.member(field);
    let record = flow.type_held(field).own().and_then(|record| Some((record, part_with_type(program, record)?.2)));
    let (unit, owner, ty) = match record {
        Some((record, (unit, ty))) => (unit, record, ty),
        None => (info.unit, info.owner, program.decl(field).ty?),
    };
    let union = union_at(program, unit, owner, ty, HOPS)?;
    let whole = || match record {
        Some((record, _)) => program.type_decl(record).map(|decl| decl.span),
        None => Some(program.decl(field).span),
    };
    let within = union.declared.map(|decl| program.unit(union.unit).ty(decl).span).or_else(whole)?;
    place_within(program, union.unit, within, text).or_else(|| {
        // a type of its own for each alternative
        union.parts.iter().find_map(|part| {
            let TypeRef::Named { name, .. } = program.unit(union.unit).type_ref(*part) else { return None };
            let own = program.resolve_type(union.unit, None, program.unit(union.unit).text(*name))?;
            let (unit, decl) = *program.ty(own).decls.first()?;
            place_within(program, unit, program.unit(unit).ty(decl).span, text).and_then(|_| program.type_place(own))
        })
    })
}

fn place_within(program: &Program, unit: UnitId, within: Span, text: Sym) -> Option<Place> {
    let is_in = |span: &Span| within.start <= span.start && span.end <= within.end;
    let listed = program.unit(unit).literals.iter();
    listed.filter(|(_, span)| is_in(span)).find(|(name, _)| program.sym(unit, *name) == text).map(|(_, span)| program.place(unit, *span))
}

/// A union type, where it is written.
struct Union {
    unit: UnitId,
    /// The alias that stands for it.
    declared: Option<TypeDeclId>,
    parts: Vec<TypeRefId>,
}

fn union_at(program: &Program, unit: UnitId, owner: TypeId, ty: TypeRefId, hops: u32) -> Option<Union> {
    match program.unit(unit).type_ref(ty) {
        TypeRef::Union(parts) => Some(Union { unit, declared: None, parts: parts.to_vec() }),
        TypeRef::Nullable(inner) | TypeRef::Indirect(inner) => union_at(program, unit, owner, *inner, hops.checked_sub(1)?),
        TypeRef::Named { name, .. } => {
            let alias = program.resolve_type(unit, Some(owner), program.unit(unit).text(*name))?;
            let (unit, decl) = *program.ty(alias).decls.first()?;
            let found = union_at(program, unit, alias, program.unit(unit).ty(decl).aliased?, hops.checked_sub(1)?)?;
            Some(Union { declared: found.declared.or(Some(decl)), ..found })
        }
        _ => None,
    }
}

/// The entries of an object type that hold one text.
fn literals_of(program: &Program, unit: UnitId, ty: TypeRefId) -> Vec<(Sym, Sym)> {
    let text = |unit: UnitId, id: TypeRefId| match program.unit(unit).type_ref(id) {
        TypeRef::Literal(text) => Some(program.sym(unit, *text)),
        _ => None,
    };
    match program.unit(unit).type_ref(ty) {
        TypeRef::Object(entries) => entries.iter().filter_map(|(name, id)| Some((program.sym(unit, *name), text(unit, *id)?))).collect(),
        TypeRef::Named { name, .. } => {
            let Some(own) = program.resolve_type(unit, None, program.unit(unit).text(*name)) else { return Vec::new() };
            if let Some((unit, decl)) = program.ty(own).decls.first()
                && let Some(aliased) = program.unit(*unit).ty(*decl).aliased
                && matches!(program.unit(*unit).type_ref(aliased), TypeRef::Object(_))
            {
                return literals_of(program, *unit, aliased);
            }
            let members = program.ty(own).members.iter();
            members.filter_map(|m| Some((program.member(*m).name, text(program.member(*m).unit, program.decl(*m).ty?)?))).collect()
        }
        _ => Vec::new(),
    }
}
