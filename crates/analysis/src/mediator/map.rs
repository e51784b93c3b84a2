//! Mediators as the map has them.

use yarrowgraph_model as model;

use super::{Mediator, To};
use crate::wire::{Wiring, operation_place};

/// The mediators of the map.
pub fn mediators(wiring: &Wiring<'_>) -> Vec<model::Mediator> {
    let mut mediators: Vec<model::Mediator> = wiring.mediators().iter().map(|m| mediator(wiring, m)).collect();
    mediators.sort_by(|a, b| a.id.cmp(&b.id));
    mediators
}

fn mediator(wiring: &Wiring<'_>, m: &Mediator) -> model::Mediator {
    let program = wiring.program();
    let places = |sites: &std::collections::BTreeSet<crate::program::Site>| sites.iter().map(|s| operation_place(program, *s)).collect();
    model::Mediator {
        id: program.type_id(m.class),
        place: program.type_place(m.class).unwrap_or_else(|| program.member_place(m.roster)),
        roster: program.member_id(m.roster),
        colleagues: m
            .colleagues
            .iter()
            .map(|c| model::Colleague {
                class: program.type_id(c.class),
                registered: places(&c.registered),
                deregistered: places(&c.deregistered),
            })
            .collect(),
        routes: m
            .routes
            .iter()
            .map(|r| model::Route {
                place: operation_place(program, r.site),
                to: match r.to {
                    To::One => model::RoutedTo::One,
                    To::Others => model::RoutedTo::Others,
                    To::All => model::RoutedTo::All,
                },
                condition: r.condition.map(|s| crate::written::expression(program, s)),
            })
            .collect(),
    }
}
