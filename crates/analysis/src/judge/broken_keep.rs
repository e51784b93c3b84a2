//! Rule `broken-keep`: the code contradicts what the project states must stay so.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::chain::{Link, Of, only_thing};
use crate::coupling;
use crate::flow::Val;
use crate::keep::{Keep, ends_in, members, types};
use crate::program::{MemberId, Site, TypeId};
use crate::wire::Wiring;

/// Callers are followed so far.
const UP: u32 = 4;

pub(super) const RULE: Rule = Rule {
    name: "broken-keep",
    summary: "the code contradicts what the configuration states must stay so",
    level: Level::Error,
    page: Page {
        symptom: "Something that the team decided no longer holds.",
        cause: "A change went against a `[[keep]]` of `yarrowgraph.toml`: another order, a way past what must be passed, a type that names another.",
        cure: "Bring the code back in line, or change the statement where the decision has changed.",
        silent: "What a statement names is nowhere in the tree, or the order is left open.",
        accept: "The statement is about to be changed.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut found = Vec::new();
    for keep in &wiring.keeps {
        match keep {
            Keep::Order(names) => {
                for (at, first) in names.iter().enumerate() {
                    for second in &names[at + 1..] {
                        found.extend(order(wiring, first, second));
                    }
                }
            }
            Keep::Through { through, to } => found.extend(past(wiring, through, to)),
            Keep::Apart(names) => {
                for (at, a) in names.iter().enumerate() {
                    for b in &names[at + 1..] {
                        found.extend(together(wiring, a, b));
                    }
                }
            }
        }
    }
    found
}

fn draft(place: Place, message: String, related: Vec<yarrowgraph_model::Related>, parties: &[&str]) -> Draft {
    Draft {
        level: Level::Error,
        certainty: Certainty::Certain,
        place,
        message,
        related,
        parties: parties.iter().map(|p| (*p).to_owned()).collect(),
        edit: None,
    }
}

/// Places where the second comes before the first.
fn order(wiring: &Wiring<'_>, first: &str, second: &str) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    let handed_on = methods_handed_on_to(wiring);
    for channel in crate::wire::channels_of_map(wiring) {
        let subscriptions = &channel.subscriptions;
        let is = |i: usize, name: &str| {
            ends_in(&subscriptions[i].handler, name)
                || subscriptions[i].subscriber.as_deref().is_some_and(|s| ends_in(s, name))
                || handed_on.get(&subscriptions[i].place).is_some_and(|m| ends_in(m, name))
        };
        let before = |i: usize| {
            let mut seen = BTreeSet::new();
            let mut open = vec![i];
            while let Some(at) = open.pop() {
                for earlier in &subscriptions[at].after {
                    if seen.insert(*earlier as usize) {
                        open.push(*earlier as usize);
                    }
                }
            }
            seen
        };
        for later in (0..subscriptions.len()).filter(|i| is(*i, first)) {
            for early in before(later).into_iter().filter(|i| is(*i, second)) {
                found.push(draft(
                    subscriptions[early].place.clone(),
                    format!("{second} comes before {first} on {}, and yarrowgraph.toml keeps {first} before {second}", short(&channel.id)),
                    vec![related("the one that should come first", subscriptions[later].place.clone())],
                    &[first, second, &channel.id],
                ));
            }
        }
    }
    for built in &wiring.chains().built {
        let id = |l: &Link| match (l.class, &l.function) {
            (Some(t), _) => program.type_id(t),
            (None, Some(Val::Method(m, _))) => program.member_id(*m),
            _ => String::new(),
        };
        let at = |name: &str| built.links.iter().position(|l| ends_in(&id(l), name));
        let (Some(a), Some(b)) = (at(first), at(second)) else { continue };
        if a < b {
            continue;
        }
        // what puts the first behind the second
        let site = match built.of {
            Of::Next(_) => built.set.get(a.saturating_sub(1)).or(built.set.last()).copied(),
            Of::Walk(_) | Of::Pipeline(_) => Some(built.links[b].made),
        };
        let site = site.unwrap_or(built.links[b].made);
        found.push(draft(
            program.place_of(site),
            format!("{second} is asked before {first} here, and yarrowgraph.toml keeps {first} before {second}"),
            vec![related("the link that comes too early", program.place_of(built.links[b].made))],
            &[first, second],
        ));
    }
    found
}

/// The methods that functions written on the spot do nothing but call, by where these are put on.
fn methods_handed_on_to(wiring: &Wiring<'_>) -> BTreeMap<Place, String> {
    let program = wiring.program();
    let mut found = BTreeMap::new();
    for join in wiring.channels.iter().flat_map(|c| &c.joins).map(|j| &wiring.effects[*j]) {
        let Some(Val::Lambda(member, function)) = join.handler.as_ref().and_then(|h| wiring.flow.function_of(h)) else { continue };
        let Some(body) = program.body(member) else { continue };
        let Some(root) = body.function(function).body else { continue };
        let called = wiring.flow.callee(Site { member, node: only_thing(body, root) });
        if let Some(called) = called {
            found.insert(wiring.place(join), program.member_id(called.member));
        }
    }
    found
}

/// Places inside of one type that name the other.
fn together(wiring: &Wiring<'_>, a: &str, b: &str) -> Vec<Draft> {
    let program = wiring.program();
    let (of_a, of_b) = (types(program, a), types(program, b));
    let mut found = Vec::new();
    for (from, from_name, to, to_name) in [(&of_a, a, &of_b, b), (&of_b, b, &of_a, a)] {
        for t in from {
            let known = coupling::of(wiring, *t);
            for other in to {
                let Some(place) = known.get(other).and_then(|k| k.places.first()) else { continue };
                found.push(draft(
                    place.clone(),
                    format!("{from_name} names {to_name} here, and yarrowgraph.toml keeps the two apart"),
                    Vec::new(),
                    &[from_name, to_name],
                ));
            }
        }
    }
    found
}

/// Ways to something that do not pass what must be passed.
fn past(wiring: &Wiring<'_>, through: &str, to: &str) -> Vec<Draft> {
    let program = wiring.program();
    let gate = Gate { wiring, types: types(program, through), members: members(program, through) };
    if gate.types.is_empty() && gate.members.is_empty() {
        return Vec::new();
    }
    let (target_types, mut targets) = (types(program, to), members(program, to));
    for t in &target_types {
        targets.extend(program.ty(*t).members.iter().copied().filter(|m| program.member(*m).kind == yarrowgraph_ir::MemberKind::Method));
    }
    let mut sites: BTreeSet<Place> = BTreeSet::new();
    for target in &targets {
        let owner = program.member(*target).owner;
        for site in wiring.flow.call_sites(*target) {
            let of_target = program.is_a(program.member(site.member).owner, owner);
            if of_target || wiring.in_test(site.member) || gate.is_passed(site.member, UP) {
                continue;
            }
            sites.insert(crate::wire::operation_place(program, *site));
        }
    }
    // attached to a channel that is raised elsewhere
    for channel in &wiring.channels {
        let raisers: Vec<MemberId> = channel.raises.iter().map(|r| wiring.effects[*r].innermost().member).collect();
        if raisers.is_empty() || raisers.iter().all(|m| gate.is_passed(*m, UP)) {
            continue;
        }
        for join in channel.joins.iter().flat_map(|j| wiring.parts_of(*j)) {
            let effect = &wiring.effects[join];
            let is_target = match effect.handler.as_ref().map(|h| wiring.flow.function_of(h)) {
                Some(Some(crate::flow::Val::Method(m, _))) => targets.contains(&m),
                Some(Some(crate::flow::Val::Lambda(..))) => false,
                _ => wiring.listening_class(join).is_some_and(|t| target_types.contains(&t)),
            };
            if is_target && !wiring.in_test(effect.site.member) {
                sites.insert(wiring.place(effect));
            }
        }
    }
    sites
        .into_iter()
        .map(|place| {
            draft(
                place,
                format!("this way to {to} does not lead through {through}, as yarrowgraph.toml keeps it"),
                Vec::new(),
                &[through, to],
            )
        })
        .collect()
}

/// What must be passed.
struct Gate<'w, 'p> {
    wiring: &'w Wiring<'p>,
    types: Vec<TypeId>,
    members: Vec<MemberId>,
}

impl Gate<'_, '_> {
    /// Whether whoever runs a member has come by the gate.
    fn is_passed(&self, m: MemberId, depth: u32) -> bool {
        let program = self.wiring.program();
        let owner = program.member(m).owner;
        let is_gate = |t: TypeId| self.types.iter().any(|g| program.is_a(t, *g));
        if self.members.contains(&m) || is_gate(owner) || self.wiring.flow.enclosing_type(owner).is_some_and(is_gate) {
            return true;
        }
        let Some(depth) = depth.checked_sub(1) else { return false };
        // links of a chain are asked by whoever asks the first
        let callers: Vec<Site> =
            self.wiring.flow.call_sites(m).iter().copied().filter(|s| s.member != m && !self.wiring.in_test(s.member)).collect();
        !callers.is_empty() && callers.iter().all(|s| self.is_passed(s.member, depth))
    }
}
