//! Chains as the map has them.

use yarrowgraph_model::{self as model, Passes, Stop};

use super::{Behaviour, Built, Ends, Link, Of, behaviour, conditions};
use crate::flow::Val;
use crate::wire::Wiring;

/// The chains of the map.
pub fn chains(wiring: &Wiring<'_>) -> Vec<model::Chain> {
    let mut chains: Vec<model::Chain> = wiring.chains().built.iter().map(|b| chain(wiring, b)).collect();
    chains.sort_by(|a, b| (&a.id, &a.built).cmp(&(&b.id, &b.built)));
    // several on one holder are told apart by their place
    for at in 0..chains.len() {
        let id = chains[at].id.clone();
        let several = chains.iter().filter(|c| c.id == id).count() > 1;
        if several {
            let mut number = 0;
            for chain in chains.iter_mut().filter(|c| c.id == id) {
                number += 1;
                chain.id = format!("{id}~{number}");
            }
        }
    }
    chains
}

fn chain(wiring: &Wiring<'_>, built: &Built) -> model::Chain {
    let (program, links) = (wiring.program(), &wiring.links);
    let holder = match built.of {
        Of::Next(next) => built.holder.or(links.next[next].fields.first().copied()),
        Of::Walk(walk) => built.holder.or(links.walks[walk].list),
        Of::Pipeline(_) => built.holder,
    };
    let entry = match built.of {
        Of::Next(next) => program.text(links.next[next].method).to_owned(),
        Of::Walk(walk) => links.walks[walk].method.map(|m| program.text(m).to_owned()).unwrap_or_default(),
        Of::Pipeline(at) => links.pipelines[at].entry(program, &built.links),
    };
    let asked = built.links.first().and_then(|l| behaviour::asked_by(&wiring.flow, links, built.of, l));
    let request = asked.and_then(|m| {
        let decl = program.decl(m);
        let ty = decl.params.first()?.ty?;
        Some(match program.type_in(m, ty) {
            crate::program::Ty::Own(t, _) => program.type_id(t),
            other => program.type_name(&other).unwrap_or_default().to_owned(),
        })
    });
    let done: Vec<Option<Behaviour>> = built.links.iter().map(|l| behaviour::of(&wiring.flow, links, built.of, l)).collect();
    let all = matches!(built.of, Of::Walk(walk) if links.walks[walk].ends == Ends::All)
        || matches!(built.of, Of::Next(_)) && done.iter().all(|b| b.is_some_and(|b| b.passes == Passes::Always));
    model::Chain {
        id: match (holder, built.of) {
            (Some(m), _) => program.member_id(m),
            (None, Of::Walk(walk)) => program.member_id(links.walks[walk].walk.member),
            (None, Of::Next(next)) => program.type_id(links.next[next].base),
            (None, Of::Pipeline(at)) => program.member_id(links.pipelines[at].member),
        },
        request: request.unwrap_or_default(),
        entry,
        stop: match built.of {
            _ if all => Stop::All,
            Of::Walk(walk) if links.walks[walk].ends == Ends::Nothing => Stop::FirstFailure,
            _ => Stop::FirstHandled,
        },
        links: built.links.iter().zip(done).map(|(l, b)| link(wiring, built.of, l, b)).collect(),
        ring: built.ring.is_some(),
        built: {
            let mut places: Vec<model::Place> = built.set.iter().map(|s| program.place_of(*s)).collect();
            places.dedup();
            places
        },
    }
}

fn link(wiring: &Wiring<'_>, of: Of, link: &Link, done: Option<Behaviour>) -> model::ChainLink {
    let program = wiring.program();
    let (handler, place) = match (link.class, &link.function) {
        (Some(class), _) => (program.type_id(class), program.type_place(class).unwrap_or_else(|| program.place_of(link.made))),
        (None, Some(Val::Method(m, _))) => (program.member_id(*m), program.member_place(*m)),
        (None, Some(function)) => (wiring.flow.show(function), program.place_of(link.made)),
        (None, None) => (crate::written::expression(program, link.made), program.place_of(link.made)),
    };
    let conditions = conditions::of(&wiring.flow, &wiring.links, of, link, done);
    let asked_for = wiring.links.asked_for(program, of, link);
    let done = done.unwrap_or(Behaviour { passes: Passes::Sometimes, stops: true });
    model::ChainLink { handler, place, passes: done.passes, stops: done.stops, conditions, asked_for }
}
