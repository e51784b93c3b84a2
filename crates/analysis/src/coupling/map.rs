//! Types as the map has them.

use std::collections::BTreeMap;

use rayon::prelude::*;
use yarrowgraph_model as model;

use super::{Knows, of, roles};
use crate::program::TypeId;
use crate::wire::Wiring;

/// The types that take part in the wiring, by id.
pub fn types(wiring: &Wiring<'_>) -> Vec<model::TypeEntry> {
    let program = wiring.program();
    let roles = roles::all(wiring);
    let reached = roles::reached(wiring);
    let all: Vec<TypeId> = roles.keys().copied().collect();
    let mut types: Vec<model::TypeEntry> = all
        .par_iter()
        .map(|t| {
            let known: BTreeMap<TypeId, Knows> = of(wiring, *t);
            let reaches = reached.get(t).into_iter().flatten().filter(|(to, _)| !known.contains_key(to));
            let mut reaches: Vec<model::Reaches> =
                reaches.map(|(to, through)| model::Reaches { class: program.type_id(*to), through: through.clone() }).collect();
            reaches.sort_by(|a, b| (&a.class, &a.through).cmp(&(&b.class, &b.through)));
            let mut knows: Vec<model::KnowsType> = known
                .into_iter()
                .map(|(to, k)| model::KnowsType {
                    class: program.type_id(to),
                    how: k.how.into_iter().collect(),
                    places: k.places.into_iter().collect(),
                })
                .collect();
            knows.sort_by(|a, b| a.class.cmp(&b.class));
            model::TypeEntry {
                id: program.type_id(*t),
                place: program.type_place(*t),
                lines: lines(wiring, *t),
                roles: roles[t].iter().map(|r| (*r).to_owned()).collect(),
                knows,
                reaches,
            }
        })
        .collect();
    types.sort_by(|a, b| a.id.cmp(&b.id));
    types
}

/// How many lines the declarations of a type take.
pub fn lines(wiring: &Wiring<'_>, t: TypeId) -> u32 {
    let program = wiring.program();
    program
        .ty(t)
        .decls
        .iter()
        .map(|(unit, decl)| {
            let span = program.unit(*unit).ty(*decl).span;
            let lines = &program.unit(*unit).lines;
            let (first, _) = lines.line_column(span.start);
            let (last, _) = lines.line_column(span.end);
            last - first + 1
        })
        .sum()
}
