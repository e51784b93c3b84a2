//! Rule `displaced-subscriber`: a subscriber is lost because another takes its place.

use std::collections::BTreeSet;

use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, ChannelKind, Level, Place};

use super::repeated_subscription::{is_one_object, is_replaced, loop_around, runs_before};
use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Act, Effect, Event};
use crate::wire::{operation_place, pairs};

pub(super) const RULE: Rule = Rule {
    name: "displaced-subscriber",
    summary: "a subscriber is lost because another takes its place",
    level: Level::Warning,
    page: Page {
        symptom: "Of two subscribers only the one that came last is told; or of many only one can be taken off again.",
        cause: "There is one place for several: an assignment where adding is meant, a method that says add and keeps one, a slot that two parts of the program set, an entry that is written twice, a field that keeps the newest of many tokens.",
        cure: "Add to a list, chain the one that was there, give each part a channel of its own, or keep every token.",
        silent: "The slot is emptied before, or the one that was there is called by the new one; one owner sets it, as its name says; every entry has a key of its own.",
        accept: "The later subscriber is meant to take over.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let written = wiring.effects.iter().filter(|e| e.act == Act::Join && e.inner.is_empty() && !wiring.in_test(e.site.member));
    let mut drafts: Vec<Draft> = written.filter_map(|e| added_to_a_copy(wiring, e)).collect();
    for channel in &wiring.channels {
        let joins = channel.joins.iter().map(|j| &wiring.effects[*j]);
        let counts = |e: &&Effect| {
            !wiring.in_test(e.site.member) && !wiring.is_generated(e) && !is_of_base(wiring, channel, e) && !wiring.puts_data(e)
        };
        let joins: Vec<&Effect> = joins.filter(counts).collect();
        drafts.extend(adder_of_one(wiring, channel, &joins));
        drafts.extend(set_instead_of_added(wiring, channel, &joins));
        for later in &joins {
            drafts.extend(taken_over(wiring, channel, &joins, later));
            drafts.extend(newest_of_many(wiring, channel, later));
        }
    }
    drafts
}

/// Whether what is subscribed to is only known to be of a base of the class that has the channel: it may be another heir.
fn is_of_base(wiring: &Wiring<'_>, channel: &Channel, join: &Effect) -> bool {
    let program = wiring.program();
    let ChannelKey::Own(m, _) = channel.key else { return false };
    let owner = program.member(m).owner;
    wiring.flow.type_of(&join.holder.subject).own().is_some_and(|t| t != owner && program.is_a(owner, t))
}

fn draft(
    wiring: &Wiring<'_>,
    channel: &Channel,
    place: Place,
    certainty: Certainty,
    message: String,
    lost: (&str, Place),
    by: &Effect,
) -> Draft {
    Draft {
        level: Level::Warning,
        certainty,
        place,
        message,
        related: vec![related(lost.0, lost.1)],
        parties: vec![channel.id.clone(), crate::wire::handler_name(wiring, by), wiring.program().member_id(by.site.member)],
        edit: None,
    }
}

/// A method that says add, and keeps one.
fn adder_of_one(wiring: &Wiring<'_>, channel: &Channel, joins: &[&Effect]) -> Option<Draft> {
    let ChannelKey::Own(_, None) = channel.key else { return None };
    let program = wiring.program();
    let through: Vec<&&Effect> = joins.iter().filter(|e| e.replaces && !e.inner.is_empty() && e.holder.key.is_none()).collect();
    let store = through.first()?.innermost();
    let adder = program.text(program.member(store.member).name);
    let is_assignment = program.body(store.member).is_some_and(|b| matches!(b.node(store.node), Node::Assign { .. }));
    if !is_assignment || !pairs::is_adder(adder) || through.len() < 2 || chains(wiring, store) || is_of_this_call(wiring, store) {
        return None;
    }
    // each of them makes an object of its own for it
    let made: BTreeSet<Site> =
        through.iter().filter_map(|e| if let Val::New(site) = e.holder.subject { Some(site) } else { None }).collect();
    // or one body puts one on each of several
    let is_one_body = through.iter().all(|e| e.site.member == through[0].site.member);
    let are_apart = || through.iter().enumerate().all(|(at, e)| through[..at].iter().all(|o| o.holder.subject != e.holder.subject));
    if made.len() == through.len() || is_one_body && are_apart() {
        return None;
    }
    let (first, second) = (through.first()?, through.get(1)?);
    let message = format!("`{adder}` keeps one handler in `{}`: each caller throws out the one before", short(&channel.id));
    let lost = ("this one is lost", wiring.place(first));
    Some(draft(wiring, channel, operation_place(program, store), Certainty::Certain, message, lost, second))
}

/// Whether a statement sets a part of an object that each call of its method has of its own.
fn is_of_this_call(wiring: &Wiring<'_>, store: Site) -> bool {
    let Some(Node::Assign { target, .. }) = wiring.program().body(store.member).map(|b| b.node(store.node)) else { return false };
    let target = wiring.flow.eval_in(store.member, target);
    matches!(target.root(), Val::Local(site) | Val::New(site) if site.member == store.member)
}

/// `gauge.Rose = handler` where everybody else adds.
fn set_instead_of_added(wiring: &Wiring<'_>, channel: &Channel, joins: &[&Effect]) -> Option<Draft> {
    let ChannelKey::Own(m, None) = channel.key else { return None };
    let program = wiring.program();
    if !matches!(channel.kind, ChannelKind::Delegate | ChannelKind::Event | ChannelKind::List) {
        return None;
    }
    let owner = program.member(m).owner;
    let is_set = |e: &Effect| if channel.kind == ChannelKind::List { is_new_list(wiring, e.site) } else { e.replaces };
    let set = joins
        .iter()
        .find(|e| is_set(e) && e.inner.is_empty() && program.member(e.site.member).owner != owner && !chains(wiring, e.site))?;
    let added = joins.iter().find(|e| !is_set(e) && !e.replaces && e.handler != set.handler)?;
    let what = short(&channel.id);
    let message = format!("`{}` takes the place of whatever was added to `{what}`", short(&crate::wire::handler_name(wiring, set)));
    Some(draft(wiring, channel, wiring.place(set), Certainty::Likely, message, ("this one can be lost", wiring.place(added)), set))
}

/// Whether a statement gives a member a list that is written out: `gauge.onLevel = [handler]`.
fn is_new_list(wiring: &Wiring<'_>, site: Site) -> bool {
    let Some(body) = wiring.program().body(site.member) else { return false };
    let Node::Assign { op: AssignOp::Set, value, .. } = body.node(site.node) else { return false };
    let Node::Collection { items, .. } = body.node(value) else { return false };
    !body.list(items).iter().any(|i| matches!(body.node(*i), Node::Unary { op: UnaryOp::Spread, .. }))
}

/// `if (slots.TryGetValue(topic, out var known)) known += handler;`: what is combined is a value of its own, and nothing puts it back.
fn added_to_a_copy(wiring: &Wiring<'_>, join: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let site = join.site;
    let Event::Own(slots) = join.holder.event else { return None };
    let body = program.body(site.member)?;
    let Node::Assign { op: AssignOp::Add, target, .. } = body.node(site.node) else { return None };
    let Node::Name(name) = body.node(target) else { return None };
    let scope = program.scope(site.member);
    let Some(Declared::Local(local)) = scope.lookup(name, target) else { return None };
    // `TryGetValue(topic, out known)`
    let is_filled = |n: NodeId| scope.parent(n).is_some_and(|p| matches!(body.node(p), Node::Unary { op: UnaryOp::ByRef, .. }));
    let is_used = body.ids().any(|n| n != target && scope.names(body, n, local) && !is_filled(n));
    if is_used {
        return None;
    }
    let id = program.member_id(slots);
    let copy = program.unit_of(site.member).text(name);
    Some(Draft {
        level: Level::Warning,
        certainty: Certainty::Certain,
        place: operation_place(program, site),
        message: format!("`{copy}` is a copy of what `{}` holds: what is added to it is lost", short(&id)),
        related: vec![related("it is taken from there here", program.place_of(Site { member: site.member, node: local }))],
        parties: vec![id, program.member_id(site.member)],
        edit: None,
    })
}

/// A slot, or an entry under one key, that is given to two on the same path.
fn taken_over(wiring: &Wiring<'_>, channel: &Channel, joins: &[&Effect], later: &Effect) -> Option<Draft> {
    // who empties it when it ends, or empties another one, does not make room here
    let objects = made_at(wiring, later);
    let makes_room = |leave: &Effect| {
        let within = wiring.program().member(leave.site.member);
        let pack = &wiring.program().kit_of(leave.site.member).pack;
        let at_the_end = within.kind == MemberKind::Destructor || wiring.program().is_listed(&pack.teardowns, leave.site.member);
        let of_another = matches!(leave.holder.subject, Val::Member(..) | Val::Static(_))
            && objects.iter().all(|(_, object)| matches!(object, Val::Member(..) | Val::Static(_)) && *object != leave.holder.subject);
        // a first value
        let is_first = within.kind == MemberKind::Constructor && matches!(leave.holder.subject, Val::This(_));
        // another entry
        let is_other = leave.key_text(&wiring.flow).zip(later.key_text(&wiring.flow)).is_some_and(|(a, b)| a != b);
        leave.act != Act::LeaveOwner && !at_the_end && !of_another && !is_first && !is_other
    };
    let emptied = channel.leaves.iter().any(|l| makes_room(&wiring.effects[*l]));
    if !later.inner.is_empty() && reads_before(wiring, later) {
        return None;
    }
    if !later.replaces || !matches!(later.holder.event, Event::Own(_)) || chains(wiring, later.innermost()) {
        return None;
    }
    let program = wiring.program();
    // what is under a key that is not constant is another entry each time
    if !matches!(later.holder.key, None | Some(Val::Str(_) | Val::Static(_) | Val::Type(_))) {
        return None;
    }
    let store = later.innermost();
    // the subject's own setter says that it keeps one: then it is the caller's slip
    let own_setter = matches!(channel.key, ChannelKey::Own(m, _) if program.member(store.member).owner == program.member(m).owner);
    let lost = joins.iter().find(|e| {
        let through_setter =
            own_setter && !later.inner.is_empty() && (e.site.member != later.site.member || is_unused(wiring, channel, e, later));
        let by_another = through_setter || e.innermost().member != later.innermost().member || later.holder.key.is_some();
        let alike = e.holder.event == later.holder.event && e.holder.key == later.holder.key && e.handler != later.handler;
        let is_known = e.handler.as_ref().is_some_and(|h| !matches!(h, Val::Unknown | Val::Null | Val::Data));
        e.replaces
            && by_another
            && alike
            && is_known
            && !are_of_tables(wiring, e, later)
            && is_one_object(wiring, later)
            && comes_first(wiring, e, later)
            && (!emptied || is_unused(wiring, channel, e, later) && !is_emptied_between(wiring, channel, e, later))
    })?;
    let place = if own_setter { wiring.place(later) } else { operation_place(program, store) };
    let what = short(&channel.id);
    let message = format!("this takes `{what}` from `{}`, which is not told any more", short(&crate::wire::handler_name(wiring, lost)));
    Some(draft(wiring, channel, place, Certainty::Certain, message, ("it was given to it here", wiring.place(lost)), later))
}

/// Whether two bodies each fill many of the same slots: a table of operations, of which one set takes the place of another.
fn are_of_tables(wiring: &Wiring<'_>, first: &Effect, second: &Effect) -> bool {
    /// So many slots are a table.
    const SLOTS: usize = 4;
    let filled = |member: MemberId| -> BTreeSet<MemberId> {
        let joins = wiring.effects_in(member).filter(|e| e.act == Act::Join && e.replaces && e.inner.is_empty());
        joins.filter_map(|e| if let Event::Own(m) = e.holder.event { Some(m) } else { None }).collect()
    };
    let (a, b) = (first.innermost().member, second.innermost().member);
    a != b && filled(a).intersection(&filled(b)).count() >= SLOTS
}

/// Whether room is made between two subscriptions in one body.
fn is_emptied_between(wiring: &Wiring<'_>, channel: &Channel, first: &Effect, second: &Effect) -> bool {
    let within = first.site.member;
    let scope = wiring.program().scope(within);
    let between = |node: NodeId| scope.is_between(node, first.site.node, second.site.node);
    let leaves: Vec<MemberId> = channel.leaves.iter().map(|l| wiring.effects[*l].site.member).collect();
    let calls_one = || leaves.iter().flat_map(|m| wiring.flow.call_sites(*m)).any(|call| call.member == within && between(call.node));
    channel.leaves.iter().map(|l| wiring.effects[*l].site).any(|site| site.member == within && between(site.node)) || calls_one()
}

/// Whether nobody could be told between two subscriptions in one body: nothing there raises the channel.
fn is_unused(wiring: &Wiring<'_>, channel: &Channel, first: &Effect, second: &Effect) -> bool {
    let program = wiring.program();
    let within = first.site.member;
    let scope = program.scope(within);
    let between = |node: NodeId| scope.is_between(node, first.site.node, second.site.node);
    // a method that says add is at fault itself
    !pairs::is_adder(program.text(program.member(second.innermost().member).name))
        // by the setter itself, on one object that is made there or is the only one
        && first.inner.len() == 1
        && second.inner.len() == 1
        && first.holder.subject == second.holder.subject
        && match &first.holder.subject {
            Val::New(made) => made.member == within,
            Val::Param(of, None, _) => *of == within,
            subject => matches!(subject, Val::Static(_)),
        }
        && within == second.site.member
        && scope.is_before(first.site.node, second.site.node)
        && program.body(within).is_some_and(|body| state::follows(body, scope, first.site.node, second.site.node))
        && !wiring.tellings(within).iter().any(|(node, c)| between(*node) && wiring.channels[*c].key == channel.key)
}

/// Whether one subscription is made before another on the same object: in one body, or by calls
/// from one body that hand the object over.
fn comes_first(wiring: &Wiring<'_>, first: &Effect, second: &Effect) -> bool {
    let later = made_at(wiring, second);
    // on what one run of a body was handed
    let is_given = matches!(&first.holder.subject, Val::Param(of, None, _) if *of == first.site.member);
    if is_given && first.site.member == second.site.member && first.holder.subject == second.holder.subject {
        let scope = wiring.program().scope(first.site.member);
        let between = |node| scope.is_between(node, first.site.node, second.site.node);
        return runs_before(wiring, first.site, second.site.node)
            && !is_replaced(wiring, &first.holder.subject, first.site.member, &between);
    }
    made_at(wiring, first).iter().any(|(site, subject)| {
        let after = |(other, same): &(Site, Val)| {
            let scope = wiring.program().scope(site.member);
            let between = |node| scope.is_between(node, site.node, other.node);
            other.member == site.member
                && same == subject
                && !matches!(subject, Val::Param(..))
                && runs_before(wiring, *site, other.node)
                && !is_replaced(wiring, subject, site.member, &between)
        };
        later.iter().any(after)
    })
}

/// Where a subscription is made, and on what: with the calls that hand over its object.
fn made_at(wiring: &Wiring<'_>, join: &Effect) -> Vec<(Site, Val)> {
    let subject = &join.holder.subject;
    match subject.root() {
        Val::Param(m, None, _) if *m == join.site.member => {
            wiring.flow.callers((*m, None)).iter().map(|(call, binding)| (*call, subject.substitute(binding))).collect()
        }
        _ => {
            let mut made = vec![(join.site, subject.clone())];
            // what an object holds was handed over as it was made
            if let Val::Param(maker, None, index) = wiring.flow.as_given(subject)
                && wiring.program().member(maker).kind == MemberKind::Constructor
            {
                made.extend(wiring.flow.callers((join.site.member, None)).iter().filter_map(|(call, binding)| {
                    let this = binding.this.as_ref()?;
                    let creation = creation_of(wiring, this).filter(|c| c.member == call.member || matches!(this, Val::Static(_)))?;
                    let given = wiring.flow.argument(creation, usize::from(index))?;
                    Some((*call, wiring.flow.eval(given)))
                }));
            }
            made
        }
    }
}

/// Where an object is made that a body keeps in a local, or that a module or class has one of, if at all.
fn creation_of(wiring: &Wiring<'_>, object: &Val) -> Option<Site> {
    match object {
        Val::New(site) => Some(*site),
        Val::Static(m) => {
            let made = wiring.flow.only_definition(*m)?;
            matches!(wiring.program().body(made.member)?.node(made.node), Node::New { .. }).then_some(made)
        }
        Val::Local(local) => match wiring.program().body(local.member)?.node(local.node) {
            Node::Local { init: Some(init), .. } => matches!(wiring.program().body(local.member)?.node(init), Node::New { .. })
                .then_some(Site { member: local.member, node: init }),
            _ => None,
        },
        _ => None,
    }
}

/// Whether the body that stores a handler reads the one that was there, to call it as well.
fn chains(wiring: &Wiring<'_>, store: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(store.member) else { return false };
    let Node::Assign { target, .. } = body.node(store.node) else { return false };
    let slot = wiring.flow.eval_in(store.member, target);
    let scope = program.scope(store.member);
    body.ids().any(|node| {
        let written = scope.parent(node).is_some_and(|p| matches!(body.node(p), Node::Assign { target, .. } if target == node));
        !written && matches!(body.node(node), Node::Name(_) | Node::Member { .. }) && wiring.flow.eval_in(store.member, node) == slot
    })
}

/// Whether a caller of a setter reads first what the slot held.
fn reads_before(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let Event::Own(m) = effect.holder.event else { return false };
    let Some(body) = program.body(effect.site.member) else { return true };
    let slot = Val::Member(std::sync::Arc::new(effect.holder.subject.clone()), m);
    let scope = program.scope(effect.site.member);
    let reads = |node: &NodeId| matches!(body.node(*node), Node::Call { .. } | Node::Member { .. } | Node::Name(_));
    let mut nodes = body.ids().filter(reads);
    nodes.any(|node| {
        !scope.is_within(node, effect.site.node) && node != effect.site.node && wiring.flow.eval_in(effect.site.member, node) == slot
    })
}

/// `token = subject.follow(…)` in a loop: only the newest token is kept.
fn newest_of_many(wiring: &Wiring<'_>, channel: &Channel, join: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let body = program.body(join.site.member)?;
    let scope = program.scope(join.site.member);
    let parent = scope.parent(join.site.node)?;
    let Node::Assign { op: AssignOp::Set, target, value } = body.node(parent) else { return None };
    let looped = loop_around(scope, body, join.site.node)?;
    let field = wiring.flow.eval_in(join.site.member, target);
    let (Val::Member(of, m), true) = (&field, value == join.site.node) else { return None };
    let is_field = matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Property);
    let kept = is_field && matches!(**of, Val::This(_)) && is_released_later(wiring, *m);
    if !kept || matches!(body.node(target), Node::Index { .. }) {
        return None;
    }
    // released in the same turn, or left with it
    let released = program
        .index
        .reads(program.member(*m).name)
        .iter()
        .any(|read| read.member == join.site.member && read.node != target && scope.is_within(read.node, looped));
    if released {
        return None;
    }
    let what = short(&channel.id);
    let message =
        format!("`{}` keeps only the newest of the tokens that this loop gets for `{what}`", program.text(program.member(*m).name));
    Some(draft(wiring, channel, wiring.place(join), Certainty::Certain, message, ("all are kept here", program.member_place(*m)), join))
}

/// Whether something is done with what a field keeps that gives a subscription back.
fn is_released_later(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let pack = &*program.kit_of(field).pack;
    pack.handle_releases.iter().filter_map(|name| program.symbols.get(name)).flat_map(|name| program.index.calls(name)).any(|call| {
        let Some(body) = program.body(call.member) else { return false };
        let Node::Call { callee, .. } = body.node(call.node) else { return false };
        let Node::Member { object, .. } = body.node(callee) else { return false };
        matches!(wiring.flow.eval_in(call.member, object), Val::Member(_, m) if m == field)
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn one_place_for_two() {
        expect(
            "displaced-subscriber",
            r#"
//// Oven.cs
using System;
using System.Collections.Generic;
class Oven {
    private Action hot;
    private Action cold;
    public Action Burnt;
    internal void AddHotListener(Action listener) { hot = listener; } //! displaced-subscriber warning
    internal void SetColdListener(Action listener) { cold = listener; }
    internal void Heat() { hot?.Invoke(); cold?.Invoke(); Burnt?.Invoke(); }
}
class Bakery {
    readonly Oven oven = new Oven();
    Bakery() {
        oven.AddHotListener(Ring);
        oven.AddHotListener(Bake);
        oven.SetColdListener(Ring);
        oven.Burnt += Ring;
        oven.Burnt = Bake; //! displaced-subscriber warning
    }
    void Ring() { }
    void Bake() { }
    static void Main() { new Bakery().oven.Heat(); }
}
"#,
        );
    }

    #[test]
    fn one_on_each_of_several() {
        expect(
            "displaced-subscriber",
            r#"
//// watch.ts
export interface Listener { signal(what: string): void }
export class Lamp {
  private listener?: Listener;
  attach(listener: Listener) { this.listener = listener; }
  trim() { this.listener?.signal('lit'); }
}
export class Watchroom implements Listener {
  constructor(near: Lamp, far: Lamp) { near.attach(this); far.attach(this); }
  signal(what: string) { console.log(what); }
}
"#,
        );
    }

    #[test]
    fn a_slot_that_two_parts_set() {
        expect(
            "displaced-subscriber",
            r#"
//// weir.ts
type Level = (cm: number) => void;
export class Weir {
    onLevel: Level | null = null;
    onFlow: Level | null = null;
    measure() { this.onLevel?.(1); this.onFlow?.(2); }
}
export const alarms = new Map<string, Level>();
export function sound(name: string) { alarms.get(name)?.(3); }
//// parts.ts
import { Weir } from './weir';
export function log(weir: Weir) {
    weir.onLevel = cm => console.log(cm);
    weir.onFlow = cm => console.log(cm);
}
export function warn(weir: Weir) {
    weir.onLevel = cm => console.warn(cm); //! displaced-subscriber warning
    const before = weir.onFlow;
    weir.onFlow = cm => { before?.(cm); console.warn(cm); };
}
//// main.ts
import { Weir, alarms, sound } from './weir';
import { log, warn } from './parts';
const weir = new Weir();
log(weir);
warn(weir);
alarms.set('flood', () => console.log('run'));
alarms.set('frost', () => console.log('wrap'));
alarms.set('flood', () => console.log('pump')); //! displaced-subscriber warning
weir.measure();
sound('flood');
"#,
        );
    }

    #[test]
    fn the_newest_of_many_tokens() {
        expect(
            "displaced-subscriber",
            r#"
//// Lamps.cs
using System;
using System.Collections.Generic;
class Lamp {
    private readonly List<Action> handlers = new List<Action>();
    internal IDisposable Follow(Action handler) { handlers.Add(handler); return new Off(() => handlers.Remove(handler)); }
    internal void Light() { foreach (var h in handlers.ToArray()) h(); }
    private class Off : IDisposable { private readonly Action off; internal Off(Action off) { this.off = off; } public void Dispose() { off(); } }
}
class Keeper : IDisposable {
    private IDisposable token;
    private readonly List<IDisposable> tokens = new List<IDisposable>();
    internal Keeper(List<Lamp> lamps) {
        foreach (var lamp in lamps) {
            token = lamp.Follow(Look); //! displaced-subscriber warning
            tokens.Add(lamp.Follow(Look));
        }
    }
    void Look() { }
    public void Dispose() { token.Dispose(); foreach (var t in tokens) t.Dispose(); }
    static void Main() { var lamps = new List<Lamp> { new Lamp() }; using (new Keeper(lamps)) lamps[0].Light(); }
}
"#,
        );
    }

    #[test]
    fn a_slot_of_an_interface_that_is_handed_functions() {
        expect(
            "displaced-subscriber",
            r#"
//// Rack.java
import java.util.*;
final class Rack {
    interface LevelFn { void level(int channel, int level); }
    LevelFn onLevel;
    void set(int channel, int level) { if (onLevel != null) onLevel.level(channel, level); }
}
final class Main {
    static void meters(Rack rack, Map<Integer, Integer> meters) { rack.onLevel = (channel, level) -> meters.put(channel, level); }
    static void recorder(Rack rack, List<String> tape) {
        rack.onLevel = (channel, level) -> tape.add(channel + "@" + level); //! displaced-subscriber warning
    }
    public static void main(String[] args) {
        Rack rack = new Rack();
        meters(rack, new HashMap<>());
        recorder(rack, new ArrayList<>());
        rack.set(4, 80);
    }
}
"#,
        );
    }
}
