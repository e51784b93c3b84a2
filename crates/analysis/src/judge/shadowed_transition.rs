//! Rule `shadowed-transition`: a transition can never be taken, because an earlier one always is.

use std::collections::BTreeMap;

use yarrowgraph_ir::{BinaryOp, Node, NodeId};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::machine::{Found, Transition, names};
use crate::program::{Program, Site};
use crate::state;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "shadowed-transition",
    summary: "a transition can never be taken, because an earlier one always is",
    level: Level::Warning,
    page: Page {
        symptom: "A state change that the code spells out never happens.",
        cause: "An earlier branch for the same state and event has a condition that holds whenever this one's does.",
        cure: "Put the narrower condition first.",
        silent: "The conditions are not comparable.",
        accept: "The later branch is kept on purpose, for when the earlier one goes.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found: Vec<Draft> = Vec::new();
    let strangers = names::strangers(wiring);
    for (number, machine) in wiring.machines().iter().enumerate().filter(|(_, m)| m.moves) {
        let holder = machine.id(program);
        let name = |i: usize| machine.domain.states[i].name(program);
        let mut by_site: BTreeMap<Site, Vec<&Transition>> = BTreeMap::new();
        for t in &machine.transitions {
            by_site.entry(t.site).or_default().push(t);
        }
        for (site, transitions) in &by_site {
            if !transitions.iter().all(|t| t.never) {
                continue;
            }
            let t = transitions[0];
            let earlier = machine.transitions.iter().find(|o| o.from == t.from && o.event == t.event && o.site < *site && !o.never);
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place: condition_place(program, t).unwrap_or_else(|| program.place_of(*site)),
                message: format!(
                    "{} never goes from `{}` to `{}` here: an earlier branch is taken whenever this one's condition holds",
                    short(&holder),
                    t.from.map_or_else(|| "*".to_owned(), name),
                    name(t.to)
                ),
                related: earlier
                    .map(|o| related("what is taken", condition_place(program, o).unwrap_or_else(|| program.place_of(o.site))))
                    .into_iter()
                    .collect(),
                parties: vec![holder.clone(), t.from.map_or_else(|| "*".to_owned(), name), name(t.to)],
                edit: None,
            });
        }
        // a second row for the same state and event, where the first asks nothing else
        for (at, t) in machine.transitions.iter().enumerate() {
            let same = |o: &&Transition| {
                o.from == t.from
                    && o.event == t.event
                    && o.from.is_some()
                    && o.site != t.site
                    && o.root == t.root
                    && o.conditions.is_empty()
            };
            let row = is_row(program, t.site);
            if let Some(first) = machine.transitions[..at].iter().find(same).filter(|f| row && is_row(program, f.site)) {
                found.push(Draft {
                    level: Level::Warning,
                    certainty: Certainty::Certain,
                    place: program.place_of(t.site),
                    message: format!("{} never goes by this row: one before it has the same state and event", short(&holder)),
                    related: vec![related("the row that is taken", program.place_of(first.site))],
                    parties: vec![holder.clone(), name(t.to)],
                    edit: None,
                });
            }
        }
        // what asks for a state by a wrong name is not come to for that reason
        let is_slip = |site: &Site| strangers.iter().any(|s| s.machine == number && s.site.member == site.member);
        let asks_state = |site: &Site| asks_where_it_is(wiring, machine, *site);
        for site in machine.passed_over.iter().filter(|site| !is_slip(site) && asks_state(site) && is_seen_through(wiring, **site)) {
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place: program.place_of(*site),
                message: format!("{} never moves here: what is asked before has taken every way to this statement", short(&holder)),
                related: Vec::new(),
                parties: vec![holder.clone(), program.member_id(site.member)],
                edit: None,
            });
        }
    }
    found
}

/// Whether the choice that a statement stands in is one of a row (`else if`) and asks for the state and for nothing else: of
/// what is asked besides, the walk knows too little to say that no way is left.
fn asks_where_it_is(wiring: &Wiring<'_>, machine: &Found, site: Site) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return false };
    let Some(choice) =
        scope.ancestors(site.node).find(|n| matches!(body.node(*n), Node::If { .. } | Node::Case { .. } | Node::Loop { .. }))
    else {
        return false;
    };
    let Node::If { cond, then, .. } = body.node(choice) else { return false };
    let Node::Binary { op: BinaryOp::Eq, left, right } = body.node(cond) else { return false };
    let is_holder = |n: NodeId| machine.stores_into(flow, site.member, n);
    let is_another = scope.parent(choice).is_some_and(|p| matches!(body.node(p), Node::If { other: Some(other), .. } if other == choice));
    is_another && (then == site.node || scope.is_within(site.node, then)) && (is_holder(left) || is_holder(right))
}

/// Whether all ways to a statement are seen: no other thread can move the machine in between, its function does not go through
/// itself again, and its file could be read in full.
pub(super) fn is_seen_through(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let is_locked = state::is_within_lock(program, site);
    let calls_itself = wiring.flow.call_sites(site.member).iter().any(|call| call.member == site.member);
    !is_locked && !calls_itself && program.unit_of(site.member).unread.is_empty()
}

/// The condition that can never hold, where it is written before the transition.
fn condition_place(program: &Program, t: &Transition) -> Option<Place> {
    let (site, _) = t.conditions.iter().rfind(|(site, holds)| *holds && (site.member == t.site.member || !t.never))?;
    Some(program.place_of(*site))
}

/// Whether a place is a row of a table rather than a statement.
fn is_row(program: &Program, site: Site) -> bool {
    program.body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Collection { .. } | Node::Object(_) | Node::New { .. }))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_wider_condition_comes_first() {
        expect(
            "shadowed-transition",
            r#"
//// Kiln.java
package bakery;
class Oven {
    enum Heat { COLD, WARM, HOT, SAFE }
    private Heat heat = Heat.COLD;
    void measure(double celsius) {
        if (heat == Heat.COLD && celsius > 60) {
            heat = Heat.WARM;
        } else if (heat == Heat.WARM && celsius > 150) {
            heat = Heat.HOT;
        } else if (heat == Heat.WARM && celsius > 300) { //! shadowed-transition warning
            heat = Heat.SAFE;
        } else if (heat == Heat.HOT && celsius > 400) {
            heat = Heat.SAFE;
        } else if (heat == Heat.HOT && celsius > 200) {
            heat = Heat.WARM;
        }
    }
    public static void main(String[] args) { new Oven().measure(20); }
}
"#,
        );
    }
}
