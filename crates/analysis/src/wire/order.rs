//! The order of subscriptions that the code guarantees: in one body, and along calls that are
//! made in one place.

use yarrowgraph_ir::{MemberKind, Node};

use super::Wiring;
use crate::flow::{Binding, Flow, Val};
use crate::program::{MemberId, Site};
use crate::setup::Which;

/// How far up callers are followed.
const UP: usize = 6;

/// Where a subscription comes about: its statement, or a call that leads to it, with what it is
/// about as seen from there.
struct Step {
    site: Site,
    subject: Val,
    /// Whether whoever comes here comes to the subscription.
    certain: bool,
}

impl Wiring<'_> {
    /// For each subscription of a list the earlier ones on the same subject that certainly
    /// come before it, transitively reduced. `released` says of each whether it is taken off again.
    pub(super) fn after(&self, joins: &[usize], released: &[bool]) -> Vec<Vec<u32>> {
        if joins.len() < 2 {
            return vec![Vec::new(); joins.len()];
        }
        let ways: Vec<Vec<Step>> = joins.iter().map(|j| self.way_up(*j)).collect();
        let known: Vec<Which<'_>> = joins.iter().map(|j| self.which(*j)).collect();
        let precedes = |a: usize, b: usize| {
            let both_end = released[a] && released[b];
            let in_runs = |a: usize, b: usize| self.setup.precedes(known[a], known[b], released[b]) == Some(true);
            a != b && (in_runs(a, b) || (self.precedes(&ways[a], &ways[b], both_end) && !in_runs(b, a)))
        };
        let before: Vec<Vec<usize>> = (0..joins.len()).map(|b| (0..joins.len()).filter(|a| precedes(*a, b)).collect()).collect();
        // what comes before another one that comes before is implied
        let is_direct = |all: &[usize], one: &usize| !all.iter().any(|other| before[*other].binary_search(one).is_ok());
        before.iter().map(|all| all.iter().filter(|one| is_direct(all, one)).map(|one| *one as u32).collect()).collect()
    }

    /// A subscription as the runs of the set-up know it.
    fn which(&self, join: usize) -> Which<'_> {
        match self.parts.iter().find(|(_, parts)| parts.contains(&join)) {
            Some((&effect, _)) => Which { effect, handler: self.effects[join].handler.as_ref().map(Val::unbound) },
            None => Which { effect: join, handler: None },
        }
    }

    /// The statement of a subscription and the calls that lead to it, as far as each is the only one.
    fn way_up(&self, join: usize) -> Vec<Step> {
        let effect = &self.effects[join];
        let flow = &self.flow;
        let mut way = vec![Step { site: effect.site, subject: settled(flow, &effect.holder.subject), certain: true }];
        for _ in 0..UP {
            let here = &way[way.len() - 1];
            let Some((call, binding)) = self.only_way_to(here.site.member) else { break };
            if way.iter().any(|s| s.site.member == call.member) {
                break;
            }
            let certain = here.certain && is_straight(self, here.site);
            let subject = settled(flow, &here.subject.substitute(&binding));
            way.push(Step { site: call, subject, certain });
        }
        way
    }

    /// The one call of a member, or the one creation of the object whose field it gives a first value.
    fn only_way_to(&self, member: MemberId) -> Option<(Site, Binding)> {
        if is_first_value(self, member) {
            let [made] = self.flow.creations(self.flow.program.member(member).owner)[..] else { return None };
            return Some((made, Binding { callee: (member, None), this: Some(Val::New(made)), args: Vec::new(), types: Vec::new() }));
        }
        match self.flow.callers((member, None)) {
            [(call, binding)] => Some((*call, binding.clone())),
            _ => None,
        }
    }

    /// Whether two ways meet in one body, and the first comes to its subscription before the other.
    /// In a loop that says something only where both are taken off again, or the subject is new in
    /// every turn: what stays from one turn comes before what the next one puts on.
    fn precedes(&self, first: &[Step], second: &[Step], both_released: bool) -> bool {
        first.iter().any(|a| {
            let meets = |b: &&Step| {
                let apart = a.site.member == b.site.member && a.site.node != b.site.node && a.subject == b.subject;
                apart && (both_released || !self.recurs_on_one(a))
            };
            let in_one_body = || second.iter().filter(meets).any(|b| dominates(self, a.site, b.site));
            let in_construction = || second.iter().any(|b| a.subject == b.subject && self.is_made_before(a.site, b.site));
            a.certain && (in_one_body() || in_construction())
        })
    }

    /// Whether the first value of one field comes before that of another of the same object, or
    /// before its constructor's body.
    fn is_made_before(&self, first: Site, second: Site) -> bool {
        let program = self.flow.program;
        let (a, b) = (program.member(first.member), program.member(second.member));
        let later = b.kind == MemberKind::Constructor || (is_first_value(self, second.member) && first.member < second.member);
        a.owner == b.owner && is_first_value(self, first.member) && later && is_straight(self, first)
    }

    /// Whether a loop goes through a step again and again for one and the same subject.
    fn recurs_on_one(&self, step: &Step) -> bool {
        let program = self.flow.program;
        let Some(body) = program.body(step.site.member) else { return true };
        let scope = program.scope(step.site.member);
        let looped = scope.ancestors(step.site.node).find(|n| matches!(body.node(*n), Node::Loop { .. } | Node::ForEach { .. }));
        let Some(looped) = looped else { return false };
        match step.subject.root() {
            Val::Local(made) | Val::New(made) => made.member != step.site.member || !scope.is_within(made.node, looped),
            // an element of what is walked
            _ => !matches!(step.subject, Val::Element(..)),
        }
    }
}

/// A field of a new object that its constructor was given is what was given.
fn settled(flow: &Flow<'_>, value: &Val) -> Val {
    let Val::Member(of, field) = value else { return value.clone() };
    let of = settled(flow, of);
    let given = || {
        let (made, owner) = creation(flow, &of)?;
        let stored = flow.eval(flow.only_definition(*field)?);
        let Val::Param(constructor, None, _) = stored else { return None };
        let (_, binding) = flow.callers((constructor, None)).iter().find(|(call, _)| *call == made)?;
        let within_maker = stored.substitute(binding);
        let seen = match owner {
            Some(owner) => {
                within_maker.substitute(&Binding { callee: (made.member, None), this: Some(owner), args: Vec::new(), types: Vec::new() })
            }
            None => within_maker,
        };
        Some(settled(flow, &seen))
    };
    given().unwrap_or_else(|| Val::Member(of.clone().into(), *field))
}

/// Where an object is made, and the object whose field it is the one value of.
fn creation(flow: &Flow<'_>, object: &Val) -> Option<(Site, Option<Val>)> {
    match object {
        Val::New(site) => Some((*site, None)),
        Val::Member(owner, field) => match flow.eval(flow.only_definition(*field)?) {
            Val::New(site) => Some((site, Some((**owner).clone()))),
            _ => None,
        },
        _ => None,
    }
}

/// Whether a member's body is the first value of a field of an object.
fn is_first_value(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let info = wiring.flow.program.member(member);
    info.kind == MemberKind::Field && !info.is_static
}

/// Whether whoever runs a body comes to a statement of it, and once.
fn is_straight(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let info = program.member(site.member);
    matches!(info.kind, MemberKind::Method | MemberKind::Constructor | MemberKind::Initializer | MemberKind::Field)
        && program.scope(site.member).ancestors(site.node).all(|around| !may_be_skipped(body.node(around)))
}

fn may_be_skipped(node: Node) -> bool {
    matches!(
        node,
        Node::If { .. }
            | Node::Loop { .. }
            | Node::ForEach { .. }
            | Node::Lambda(_)
            | Node::Case { .. }
            | Node::Catch { .. }
            | Node::Variants(_)
            | Node::Conditional { .. }
    )
}

/// Whether one statement certainly runs before another of the same body.
fn dominates(wiring: &Wiring<'_>, a: Site, b: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(a.member) else { return false };
    let scope = program.scope(a.member);
    if a.node == b.node || !scope.is_before(a.node, b.node) {
        return false;
    }
    // up from the earlier one to the block that holds both, through nothing that may be skipped or repeated
    for around in scope.ancestors(a.node) {
        let holds_both = scope.is_within(b.node, around);
        match body.node(around) {
            Node::Block(_) | Node::Opaque(_) if holds_both => return true,
            Node::If { cond, .. } if scope.is_within(a.node, cond) => {}
            node if may_be_skipped(node) => return false,
            _ => {}
        }
    }
    false
}
