//! Rule `early-raise`: the set-up code raises a channel before the first of its subscriptions is made.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{Body, MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Keeps, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::{Act, Effect};

/// How many calls up a subscription is traced to the code that sets up.
const DEPTH: u32 = 3;

pub(super) const RULE: Rule = Rule {
    name: "early-raise",
    summary: "the set-up code raises a channel before anybody has subscribed, and the channel keeps nothing",
    level: Level::Note,
    page: Page {
        symptom: "The subscribers never learn of what happened while the program was set up.",
        cause: "The raise comes before the first subscription, and the channel keeps nothing for who comes late.",
        cure: "Subscribe first, or keep the last value for latecomers.",
        silent: "The channel keeps values, somebody is there already, or the raise is made by code that runs again later.",
        accept: "Nobody needs to know of the first one.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let of_channel = |(n, c)| judge(wiring, n, c).or_else(|| by_constructor(wiring, c)).or_else(|| in_runs(wiring, n, c));
    wiring.channels.iter().enumerate().filter_map(of_channel).collect()
}

/// A raise in the constructor of the very object that others can subscribe to once it is made.
fn by_constructor(wiring: &Wiring<'_>, channel: &Channel) -> Option<Draft> {
    let program = wiring.program();
    let joins = || channel.joins.iter().map(|j| &wiring.effects[*j]).filter(|e| !wiring.in_test(e.site.member));
    // who subscribes to itself, or is handed on while it is made, may be there
    if joins().next().is_none() || joins().any(|e| matches!(e.holder.subject, Val::This(_))) || wiring.keeps(channel) != Keeps::none() {
        return None;
    }
    let raise = channel.raises.iter().map(|r| &wiring.effects[*r]).find(|e| {
        let member = e.site.member;
        let is_straight = |body: &Body| {
            let scope = program.scope(member);
            scope.function_around(body, e.site.node).is_none() && body.root.is_some_and(|r| state::runs_always(body, scope, e.site.node, r))
        };
        program.member(member).kind == MemberKind::Constructor
            && e.inner.is_empty()
            && !e.relayed
            && matches!(e.holder.subject, Val::This(_))
            && !wiring.in_test(member)
            && program.body(member).is_some_and(is_straight)
            && !hands_itself_out(wiring, member, DEPTH)
    })?;
    let what = short(&channel.id);
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: wiring.place(raise),
        message: format!("`{what}` is raised while its subject is made, before anybody can have subscribed, and keeps nothing"),
        related: joins().take(3).map(|e| related("this one comes too late for it", wiring.place(e))).collect(),
        parties: vec![channel.id.clone(), program.member_id(raise.site.member)],
        edit: None,
    })
}

/// A raise that comes first wherever the set-up is run, by whatever way it is come to.
fn in_runs(wiring: &Wiring<'_>, number: usize, channel: &Channel) -> Option<Draft> {
    let program = wiring.program();
    let joins: Vec<usize> = channel.joins.iter().copied().filter(|j| !wiring.in_test(wiring.effects[*j].site.member)).collect();
    if joins.is_empty() || wiring.keeps(channel) != Keeps::none() {
        return None;
    }
    // what a method tells that others call as well, or that tells others beside, is meant for whoever is there
    let is_for_nobody = |raise: &Effect| {
        let member = raise.site.member;
        let calls = wiring.flow.call_sites(member).iter().filter(|s| !wiring.in_test(s.member)).count();
        // what each object tells as it is made is for whoever is there by then
        let is_method = program.member(member).kind == MemberKind::Method;
        is_method && raise.inner.is_empty() && !raise.relayed && calls == 1 && !tells_others(wiring, member, number)
    };
    let mut raises = channel.raises.iter().map(|r| (*r, &wiring.effects[*r]));
    let (_, raise) = raises.find(|(r, e)| is_for_nobody(e) && wiring.setup.is_missed(*r, &joins))?;
    let set_off = wiring.flow.call_sites(raise.site.member).iter().find(|s| !wiring.in_test(s.member));
    Some(draft(wiring, channel, raise.site, joins[0], set_off.copied()))
}

/// Whether a method tells others beside, who are there: what it tells may be meant for them.
fn tells_others(wiring: &Wiring<'_>, method: MemberId, number: usize) -> bool {
    wiring.tellings(method).iter().any(|(_, c)| *c != number && !wiring.channels[*c].joins.is_empty())
}

fn draft(wiring: &Wiring<'_>, channel: &Channel, raise: Site, first: usize, set_off: Option<Site>) -> Draft {
    let program = wiring.program();
    let what = short(&channel.id);
    let mut places = vec![related("the first subscription", wiring.place(&wiring.effects[first]))];
    places.extend(set_off.map(|s| related("the call that sets it off", program.place_of(s))));
    Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, raise),
        message: format!("`{what}` is raised before its first subscription is made, and keeps nothing for those who come later"),
        related: places,
        parties: vec![channel.id.clone(), program.member_id(raise.member)],
        edit: None,
    }
}

/// Whether a constructor, or one that it calls up to, gives the object to somebody, or is given who listens.
pub(super) fn hands_itself_out(wiring: &Wiring<'_>, constructor: MemberId, depth: u32) -> bool {
    let (Some(depth), program) = (depth.checked_sub(1), wiring.program()) else { return true };
    let Some(body) = program.body(constructor) else { return true };
    let is_raise = |n: NodeId| wiring.effects_at(Site { member: constructor, node: n }).any(|e| wiring.effects[e].act == Act::Raise);
    body.ids().any(|n| match body.node(n) {
        Node::Call { args, .. } | Node::New { args, .. } => {
            let is_self = |a: &NodeId| matches!(wiring.flow.eval_in(constructor, *a), Val::This(_));
            let up = || wiring.flow.callee(Site { member: constructor, node: n }).map(|c| c.member);
            let calls_up =
                || up().filter(|m| program.member(*m).kind == MemberKind::Constructor).is_some_and(|m| hands_itself_out(wiring, m, depth));
            !is_raise(n) && body.list(args).iter().any(is_self) || calls_up()
        }
        Node::Assign { value, .. } => matches!(body.node(value), Node::This),
        _ => false,
    })
}

fn judge(wiring: &Wiring<'_>, number: usize, channel: &Channel) -> Option<Draft> {
    let program = wiring.program();
    if channel.joins.is_empty() || wiring.keeps(channel) != Keeps::none() {
        return None;
    }
    // the one function by way of which all subscriptions are made
    let mut ways: Vec<BTreeMap<MemberId, BTreeSet<NodeId>>> = Vec::new();
    for join in channel.joins.iter().map(|j| &wiring.effects[*j]).filter(|e| !wiring.in_test(e.site.member)) {
        let mut found = BTreeMap::new();
        trace(wiring, join.site, DEPTH, &mut found);
        ways.push(found);
    }
    let first = ways.first()?;
    let root = first.keys().copied().find(|m| is_set_up(wiring, *m) && ways.iter().all(|w| w.contains_key(m) && only_by(wiring, w, *m)))?;
    let body = program.body(root)?;
    let scope = program.scope(root);
    let joined: BTreeSet<NodeId> = ways.iter().flat_map(|w| w[&root].iter().copied()).collect();
    let straight =
        |n: &NodeId| scope.function_around(body, *n).is_none() && body.root.is_some_and(|r| state::runs_always(body, scope, *n, r));
    // a constructor or hook that is run by a loop of its own is no straight line
    let earliest = joined.iter().copied().reduce(|a, b| if scope.is_before(b, a) { b } else { a })?;
    if !straight(&earliest) {
        return None;
    }
    let (node, _) = wiring
        .tellings(root)
        .iter()
        .copied()
        .filter(|(node, c)| *c == number && straight(node))
        .find(|(node, _)| scope.is_before(*node, earliest) && !scope.is_within(earliest, *node) && !joined.contains(node))?;
    let raise = inner_raise(wiring, channel, Site { member: root, node })?;
    if raise.member != root && tells_others(wiring, raise.member, number) {
        return None;
    }
    if is_general(wiring, raise, Site { member: root, node }) || !same_subject(wiring, channel, raise, Site { member: root, node }) {
        return None;
    }
    let set_off = (raise.member != root).then_some(Site { member: root, node });
    Some(draft(wiring, channel, raise, channel.joins[0], set_off))
}

/// The functions by way of which a statement is come to, with the nodes in them.
fn trace(wiring: &Wiring<'_>, site: Site, depth: u32, found: &mut BTreeMap<MemberId, BTreeSet<NodeId>>) {
    if wiring.in_test(site.member) || !found.entry(site.member).or_default().insert(site.node) {
        return;
    }
    let Some(depth) = depth.checked_sub(1) else { return };
    for caller in wiring.flow.call_sites(site.member) {
        trace(wiring, *caller, depth, found);
    }
}

/// Whether every way to a subscription leads through one function: nothing beside it is where a way begins.
fn only_by(wiring: &Wiring<'_>, ways: &BTreeMap<MemberId, BTreeSet<NodeId>>, root: MemberId) -> bool {
    ways.keys().all(|m| *m == root || !wiring.flow.call_sites(*m).is_empty())
}

/// Whether a function runs once, at the beginning: an entry point, a module, or what the platform calls first.
fn is_set_up(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(member);
    let is_module = program.ty(info.owner).is_module && info.kind == MemberKind::Initializer;
    let pack = &*program.kit_of(member).pack;
    let opens = pack.pairs.iter().any(|(entry, _)| entry == program.text(info.name)) || pack.hooks.contains(program.text(info.name));
    let by_platform = opens && wiring.flow.call_sites(member).is_empty() && !program.outside_bases(info.owner).is_empty();
    wiring.is_entry_point(member) || is_module || by_platform
}

/// The statement that raises, in the method that a node calls, or that node itself.
fn inner_raise(wiring: &Wiring<'_>, channel: &Channel, at: Site) -> Option<Site> {
    let raises = || channel.raises.iter().map(|r| wiring.effects[*r].site);
    if let Some(direct) = raises().find(|s| *s == at) {
        return Some(direct);
    }
    let called = wiring.flow.callee(at)?.member;
    let program = wiring.program();
    let body = program.body(called)?;
    let scope = program.scope(called);
    // the walk that delivers is run in any case, over whoever is there
    let delivery = |node: NodeId| {
        let walk = wiring.walk_of(Site { member: called, node }).map_or(node, |(walk, _)| walk);
        scope.ancestors(walk).filter(|n| matches!(body.node(*n), yarrowgraph_ir::Node::ForEach { .. })).last().unwrap_or(walk)
    };
    raises().find(|s| s.member == called && body.root.is_some_and(|r| state::runs_always(body, scope, delivery(s.node), r)))
}

/// Whether the method that raises is called by others too, or its class's way to change.
fn is_general(wiring: &Wiring<'_>, raise: Site, from: Site) -> bool {
    raise.member != from.member && wiring.flow.callers((raise.member, None)).iter().filter(|(s, _)| !wiring.in_test(s.member)).count() != 1
}

/// Whether the raise and the subscriptions are of one object, as far as is known.
fn same_subject(wiring: &Wiring<'_>, channel: &Channel, raise: Site, from: Site) -> bool {
    let of = |e: &usize| &wiring.effects[*e].holder.subject;
    let Some(by) = channel.raises.iter().find(|r| wiring.effects[**r].site == raise).map(of) else { return false };
    // as the one who calls the method that raises has it
    let by = match wiring.flow.callee(from).filter(|c| c.member == raise.member) {
        Some(callee) => match wiring.flow.binding(from, &callee) {
            Some(binding) => by.substitute(&binding),
            None => return false,
        },
        None => by.clone(),
    };
    channel.joins.iter().all(|j| {
        let join = &wiring.effects[*j];
        join.holder.subject == by || seen_from(wiring, from.member, &join.holder.subject, join.site.member, DEPTH).is_some_and(|v| v == by)
    })
}

/// What a value of one function is in another one by way of which alone the first is come to.
fn seen_from(wiring: &Wiring<'_>, root: MemberId, value: &Val, within: MemberId, depth: u32) -> Option<Val> {
    if within == root {
        return Some(value.clone());
    }
    let depth = depth.checked_sub(1)?;
    let given = wiring.flow.as_given(value);
    let within = if let Val::Param(m, None, _) = given.root() { *m } else { within };
    let callers = wiring.flow.callers((within, None)).iter().filter(|(call, _)| !wiring.in_test(call.member));
    let [(call, binding)] = callers.collect::<Vec<_>>()[..] else { return None };
    seen_from(wiring, root, &given.substitute(binding), call.member, depth)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn raised_before_the_first_subscription() {
        expect(
            "early-raise",
            r#"
//// main.js
const { EventEmitter } = require('node:events');
const room = new EventEmitter();
function openRoom(n) {
  room.emit('opened', n); //! early-raise note
}
function startLog() { room.on('opened', (n) => console.log(n)); room.on('closed', (n) => console.log(n)); }
openRoom(3);
startLog();
room.emit('closed', 3);
"#,
        );
    }

    #[test]
    fn what_is_kept_and_who_is_there() {
        expect(
            "early-raise",
            r#"
//// main.ts
type Fn = (n: number) => void;
class Held {
  private readonly fns: Fn[] = [];
  private value = 0;
  watch(fn: Fn): () => void { this.fns.push(fn); fn(this.value); return () => this.fns.splice(this.fns.indexOf(fn) >>> 0, 1); }
  set(n: number): void { this.value = n; for (const fn of [...this.fns]) fn(n); }
}
const held = new Held();
held.set(3);
held.watch((n) => console.log(n));
"#,
        );
    }

    #[test]
    fn a_part_that_speaks_while_the_house_starts() {
        expect(
            "early-raise",
            r#"
//// House.cs
using System;
using System.Collections.Generic;
public abstract class Part { public virtual void Enable(House house) { } }
public class House {
    private readonly List<Part> _parts;
    private readonly Dictionary<Type, object> _services = new();
    public House(List<Part> parts) => _parts = parts;
    public void Offer(object service) => _services[service.GetType()] = service;
    public T Service<T>() where T : class => _services.TryGetValue(typeof(T), out var found) ? (T)found : null;
    public void Start() { foreach (var part in _parts) part.Enable(this); }
}
public class Bell {
    public event Action<int> Rung;
    public event Action<int> Tuned;
    public void Open(int strokes) => Rung?.Invoke(strokes); //! early-raise note
    public void Tune(int tone) => Tuned?.Invoke(tone);
}
public class Tower : Part {
    public override void Enable(House house) { var bell = new Bell(); house.Offer(bell); bell.Open(3); }
}
public static class Program {
    public static void Main() {
        var house = new House(new List<Part> { new Tower() });
        house.Start();
        var bell = house.Service<Bell>();
        bell.Rung += n => Console.WriteLine(n);
        bell.Tuned += n => Console.WriteLine(n);
        bell.Tune(2);
    }
}
"#,
        );
    }
}
