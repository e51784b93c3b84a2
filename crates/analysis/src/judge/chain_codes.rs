//! Codes that the links of a chain answer to: declared ones that none takes, and ones that two take.

use std::collections::BTreeMap;

use yarrowgraph_ir::MemberKind;
use yarrowgraph_model::{Certainty, Level, Passes, Place};

use super::open_ended_chain::place;
use super::{Draft, related, short};
use crate::chain::codes::{self, Taken};
use crate::chain::{Built, Ends, Link, Of, behaviour, ending};
use crate::codes::{enumerated, same};
use crate::machine::{State, is_sentinel, listed};
use crate::wire::Wiring;

/// The codes of each link; none where some link asks for none, or takes whatever comes.
fn of_links(wiring: &Wiring<'_>, built: &Built) -> Option<Vec<Vec<Taken>>> {
    let all: Vec<Vec<Taken>> = built.links.iter().map(|l| codes::of(wiring, built, l)).collect();
    (built.ring.is_none() && !all.is_empty() && all.iter().all(|c| !c.is_empty())).then_some(all)
}

/// Declared codes that no link takes and that nothing answers.
pub(super) fn holes(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found: BTreeMap<Place, Draft> = BTreeMap::new();
    for built in &wiring.chains().built {
        let Some(taken) = of_links(wiring, built) else { continue };
        let serves_all = |l| behaviour::of(flow, &wiring.links, built.of, l).is_none_or(|b| b.passes == Passes::Never);
        if built.links.iter().any(serves_all) {
            continue;
        }
        let declared = match taken[0][0].code {
            State::Constant(m) if program.member(m).kind == MemberKind::EnumConstant => enumerated(flow, program.member(m).owner),
            State::Entry(table, _) => {
                let Some(keys) = listed(flow, table) else { continue };
                keys.into_iter().map(|k| State::Entry(table, k)).collect()
            }
            _ => continue,
        };
        let is_taken = |code: &State| taken.iter().flatten().any(|t| same(flow, t.code, *code));
        let holes: Vec<State> = declared.into_iter().filter(|c| !is_taken(c) && !is_sentinel(&c.name(program))).collect();
        let is_answered = || ending::taken(wiring, built) == ending::Taken::Answered;
        if holes.is_empty() || ending::end(wiring, built).is_none() || is_answered() {
            continue;
        }
        let Some(place) = place(wiring, built) else { continue };
        let names: Vec<String> = holes.iter().take(4).map(|h| format!("`{}`", h.name(program))).collect();
        let last = built.links.last().and_then(|l| l.class).map(|c| program.type_id(c)).unwrap_or_default();
        let declared = holes.iter().filter_map(|h| h.place(flow)).take(3).map(|p| related("declared here", p));
        found.entry(place.clone()).or_insert_with(|| Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place,
            message: format!("no link of this chain takes {}, and its end gives nothing", names.join(", ")),
            related: declared.collect(),
            parties: vec![short(&last), names.join(",")],
            edit: None,
        });
    }
    found.into_values().collect()
}

/// Links that answer to a code which one before them has answered.
pub(super) fn twins(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found: BTreeMap<Place, Draft> = BTreeMap::new();
    for built in &wiring.chains().built {
        // where all are asked, the first failure ends it, or requests go by paths, two may answer to one code
        let may_answer_twice = match built.of {
            Of::Next(_) => false,
            Of::Walk(walk) => wiring.links.walks[walk].ends == Ends::Nothing,
            Of::Pipeline(_) => true,
        };
        if may_answer_twice || built.ring.is_some() {
            continue;
        }
        let all: Vec<Vec<Taken>> = built.links.iter().map(|l| codes::of(wiring, built, l)).collect();
        for (at, later) in all.iter().enumerate() {
            let is_answered = |t: &Taken| all[..at].iter().position(|l| l.iter().any(|e| !e.guarded && same(flow, e.code, t.code)));
            let names_one = |t: &&Taken| !t.code.is_empty_text(program);
            let earlier: Option<Vec<usize>> = later.iter().filter(names_one).map(is_answered).collect();
            let Some(earlier) = earlier.filter(|e| !e.is_empty()) else { continue };
            let (made, before) = (built.links[at].made, built.links[earlier[0]].made);
            let passes = |l: &Link, how| behaviour::of(flow, &wiring.links, built.of, l).is_some_and(|b| b.passes == how);
            // behind a link that answers everything none is reached, whatever its code is
            let is_cut_off = || built.links[..at].iter().any(|l| passes(l, Passes::Never));
            if wiring.in_test(made.member) || passes(&built.links[earlier[0]], Passes::Always) || is_cut_off() {
                continue;
            }
            let name = later.iter().find(names_one).map(|t| t.code.name(program)).unwrap_or_default();
            let place = program.place_of(made);
            found.entry(place.clone()).or_insert_with(|| Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place,
                message: format!("a link before this one has answered every `{name}` already"),
                related: vec![related("the link that answers", program.place_of(before))],
                parties: vec![program.member_id(made.member), name],
                edit: None,
            });
        }
    }
    found.into_values().collect()
}
