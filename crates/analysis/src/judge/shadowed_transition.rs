//! Rule `shadowed-transition`: a transition can never be taken, because an earlier one always is.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::machine::{Found, Transition, names};
use crate::program::{MemberId, Program, Site};
use crate::state;
use crate::wire::Wiring;
use crate::written;

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
        for (at, t) in machine.transitions.iter().enumerate().filter(|_| !machine.is_coarse) {
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
        found.extend(machine.outrun.iter().map(|(row, first)| Draft {
            level: Level::Warning,
            certainty: Certainty::Certain,
            place: program.place_of(*row),
            message: format!("{} never goes by this row: one before it fits wherever it does", short(&holder)),
            related: vec![related("the row that is taken", program.place_of(*first))],
            parties: vec![holder.clone(), program.member_id(row.member)],
            edit: None,
        }));
        // what asks for a state by a wrong name is not come to for that reason
        let is_slip = |site: &Site| strangers.iter().any(|s| s.machine == number && s.site.member == site.member);
        for site in machine.passed_over.iter().filter(|site| !is_slip(site)) {
            let is_covered = covered(program, *site);
            // a state that is computed may be any
            let left = || asks_where_it_is(wiring, machine, *site).filter(|_| !machine.stores_unknown && is_seen_through(wiring, *site));
            let Some(condition) = is_covered.map(|(_, condition)| condition).or_else(left) else { continue };
            let (certainty, why) = match is_covered {
                Some(_) => (Certainty::Certain, "an earlier branch is taken whenever this one's condition holds"),
                None => (Certainty::Likely, "what is asked before has taken every way to this statement"),
            };
            found.push(Draft {
                level: Level::Warning,
                certainty,
                place: program.place_of(condition),
                message: format!("{} never moves here: {why}", short(&holder)),
                related: is_covered.iter().map(|(earlier, _)| related("what is taken", program.place_of(*earlier))).collect(),
                parties: vec![holder.clone(), program.member_id(site.member)],
                edit: None,
            });
        }
    }
    found
}

/// Of a row of branches (`else if`, or choices that leave), an earlier one that asks for some of what the one around a statement asks
/// for, in the same words, and for nothing else; with the condition of the latter.
fn covered(program: &Program, site: Site) -> Option<(Site, Site)> {
    let (body, scope) = (program.body(site.member)?, program.scope(site.member));
    let at = |node: NodeId| Site { member: site.member, node };
    let (choice, cond) = branch_around(program, site)?;
    let asked = terms(program, site.member, cond)?;
    let covers = |earlier: NodeId| {
        alternatives(body, earlier).into_iter().any(|a| terms(program, site.member, a).is_some_and(|t| t.is_subset(&asked)))
    };
    let mut branch = choice;
    while let Some(Node::If { cond: earlier, other: Some(other), .. }) = scope.parent(branch).map(|p| body.node(p))
        && other == branch
    {
        if covers(earlier) {
            return Some((at(earlier), at(cond)));
        }
        branch = scope.parent(branch)?;
    }
    // nothing but such choices stands between
    let Node::Block(list) = body.node(scope.parent(branch)?) else { return None };
    let row = body.list(list);
    let at_branch = row.iter().position(|s| *s == branch)?;
    for statement in row[..at_branch].iter().rev() {
        match body.node(*statement) {
            Node::If { cond: earlier, then, other: None } if body.leaves(then) => {
                terms(program, site.member, earlier)?;
                if covers(earlier) {
                    return Some((at(earlier), at(cond)));
                }
            }
            _ => return None,
        }
    }
    None
}

/// The conditions of which one is enough for another to hold.
fn alternatives(body: &Body, cond: NodeId) -> Vec<NodeId> {
    match body.node(cond) {
        Node::Binary { op: BinaryOp::Or, left, right } => [alternatives(body, left), alternatives(body, right)].concat(),
        _ => vec![cond],
    }
}

/// The choice that a statement stands in, and its condition, where it is done if that holds.
fn branch_around(program: &Program, site: Site) -> Option<(NodeId, NodeId)> {
    let (body, scope) = (program.body(site.member)?, program.scope(site.member));
    let choice = scope.ancestors(site.node).find(|n| matches!(body.node(*n), Node::If { .. } | Node::Case { .. } | Node::Loop { .. }))?;
    let Node::If { cond, then, .. } = body.node(choice) else { return None };
    (then == site.node || scope.is_within(site.node, then)).then_some((choice, cond))
}

/// What a condition asks for all of, as it is written; nothing where some of that calls or changes anything.
fn terms(program: &Program, member: MemberId, cond: NodeId) -> Option<BTreeSet<String>> {
    let body = program.body(member)?;
    let acts = |n: NodeId| {
        matches!(body.node(n), Node::Call { .. } | Node::Assign { .. } | Node::New { .. } | Node::Unary { op: UnaryOp::Step { .. }, .. })
    };
    if state::any_within(body, cond, &acts) {
        return None;
    }
    let (mut open, mut terms) = (vec![cond], BTreeSet::new());
    while let Some(node) = open.pop() {
        match body.node(node) {
            Node::Binary { op: BinaryOp::And, left, right } => open.extend([left, right]),
            _ => _ = terms.insert(written::expression(program, Site { member, node })),
        }
    }
    Some(terms)
}

/// The condition of the choice that a statement stands in, where that is one of a row (`else if`) and asks for the state and for nothing
/// else: of what is asked besides, the walk knows too little to say that no way is left.
fn asks_where_it_is(wiring: &Wiring<'_>, machine: &Found, site: Site) -> Option<Site> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let (body, scope) = (program.body(site.member)?, program.scope(site.member));
    let (choice, cond) = branch_around(program, site)?;
    let Node::Binary { op: BinaryOp::Eq, left, right } = body.node(cond) else { return None };
    let is_holder = |n: NodeId| machine.stores_into(flow, site.member, n);
    let is_another = scope.parent(choice).is_some_and(|p| matches!(body.node(p), Node::If { other: Some(other), .. } if other == choice));
    (is_another && (is_holder(left) || is_holder(right))).then_some(Site { member: site.member, node: cond })
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
    let Some(body) = program.body(site.member) else { return false };
    // what a method gives back is the next state itself
    let is_given = |n: NodeId| program.scope(site.member).parent(n).is_none_or(|p| matches!(body.node(p), Node::Return(_)));
    match body.node(site.node) {
        Node::Collection { .. } | Node::Object(_) => true,
        Node::New { .. } => !is_given(site.node),
        _ => false,
    }
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
