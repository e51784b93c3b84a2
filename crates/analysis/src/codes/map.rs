//! Factories as the map has them.

use yarrowgraph_model as model;

use super::{Missing, Table};
use crate::wire::Wiring;

/// The factories of the map: tables of codes whose entries make objects.
pub fn factories(wiring: &Wiring<'_>) -> Vec<model::Factory> {
    let mut factories: Vec<model::Factory> =
        wiring.codes().iter().filter(|t| !t.classes().is_empty()).map(|t| factory(wiring, t)).collect();
    factories.sort_by(|a, b| (&a.id, &a.place).cmp(&(&b.id, &b.place)));
    factories
}

fn factory(wiring: &Wiring<'_>, table: &Table) -> model::Factory {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut codes: Vec<model::Code> = table
        .entries
        .iter()
        .map(|e| model::Code {
            code: e.code.name(program),
            makes: e.makes.map(|t| program.type_id(t)),
            place: Some(program.place_of(e.place)),
        })
        .collect();
    codes.extend(table.holes(flow).into_iter().map(|c| model::Code { code: c.name(program), makes: None, place: None }));
    model::Factory {
        id: program.member_id(table.member()),
        place: program.place_of(table.site),
        codes,
        default: match table.missing {
            Missing::Serves => model::DefaultCode::Serves,
            Missing::Refuses => model::DefaultCode::Rejects,
            Missing::Nothing | Missing::Unchecked => model::DefaultCode::None,
        },
    }
}
