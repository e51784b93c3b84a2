//! Rule `unready-subject`: something is looked up in a phase that runs before the one in which it comes to be.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, UnitId};
use crate::state::{self, Entry, Key};
use crate::wire::Wiring;
use crate::wire::effect::Effect;

pub(super) const RULE: Rule = Rule {
    name: "unready-subject",
    summary: "a subject is looked up in a phase that runs before the phase in which it comes to be",
    level: Level::Warning,
    page: Page {
        symptom: "A subscriber never hears anything, or fails on an empty look-up when the program starts.",
        cause: "The look-up stands in a hook, an initialiser or a module that runs before what registers the subject.",
        cure: "Look it up in a later phase, or register it in an earlier one.",
        silent: "The look-up is made when it is needed, or something registers the subject in an earlier phase.",
        accept: "The platform runs them in another order here.",
    },
    check,
};

/// When code runs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Moment {
    /// While a module is loaded, by a statement of it.
    Load(UnitId, Site),
    /// In a hook: the list of phases, and the place in it.
    Hook(usize, usize),
    /// In a method that the set-up code calls.
    Step(MemberId),
    /// By a statement of the entry point.
    Line(Site),
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts: Vec<Draft> =
        wiring.channels.iter().flat_map(|c| &c.joins).filter_map(|j| by_hook(wiring, &wiring.effects[*j])).collect();
    let (made, asked) = state::entries(wiring);
    if made.is_empty() || asked.is_empty() {
        return drafts;
    }
    let order: BTreeMap<UnitId, usize> = wiring.program().load_order().into_iter().enumerate().map(|(n, u)| (u, n)).collect();
    drafts.extend(asked.iter().filter_map(|entry| judge(wiring, &order, &made, entry)));
    drafts
}

/// A subscription to the one object that a static member holds, in a hook that the platform runs before the one that puts it there.
fn by_hook(wiring: &Wiring<'_>, join: &Effect) -> Option<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Val::Static(holder) = *join.holder.subject.root() else { return None };
    let Moment::Hook(list, asked) = moment(wiring, join.site).filter(|_| !wiring.in_test(join.site.member))? else { return None };
    let mut first = None;
    for stored in flow.definitions(holder).iter().filter(|d| !matches!(flow.eval(**d), Val::Null)) {
        match moment(wiring, *stored)? {
            Moment::Hook(other, made) if other == list && made > asked => first = first.or(Some(*stored)),
            _ => return None,
        }
    }
    let first = first?;
    let what = program.member_id(holder);
    Some(Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place: wiring.place(join),
        message: format!(
            "`{}` subscribes to what `{}` holds before the phase in which that is put there",
            short(&program.member_id(join.site.member)),
            short(&what)
        ),
        related: vec![related("it is put there here", program.place_of(first))],
        parties: vec![program.member_id(join.site.member), what],
        edit: None,
    })
}

fn judge(wiring: &Wiring<'_>, order: &BTreeMap<UnitId, usize>, made: &[Entry], asked: &Entry) -> Option<Draft> {
    let program = wiring.program();
    let when = moment(wiring, asked.site)?;
    // what a module itself looks up between its statements it has put there on some way
    let is_between = matches!(when, Moment::Load(_, site) if site.member == asked.site.member);
    let entries: Vec<&Entry> = made.iter().filter(|e| e.registry == asked.registry && e.key == asked.key).collect();
    let first = *entries.first()?;
    let mut open = false;
    for entry in &entries {
        let then = moment(wiring, entry.site)?;
        if is_between && matches!((when, then), (Moment::Load(a, _), Moment::Load(b, _)) if a == b) {
            return None;
        }
        match compare(wiring, order, when, then)? {
            Order::Before => {}
            Order::Open if program.member(entry.site.member).owner != program.member(asked.site.member).owner => open = true,
            Order::Open | Order::After => return None,
        }
    }
    let what = match &asked.key {
        Key::Text(text) => program.text(*text).to_owned(),
        Key::Class(class) => short(&program.type_id(*class)),
    };
    let by = short(&program.member_id(asked.site.member));
    let message = if open {
        format!("`{by}` looks `{what}` up in the hook in which another component registers it; which of them runs first is open")
    } else {
        format!("`{by}` looks `{what}` up before the phase in which it is registered")
    };
    Some(Draft {
        level: if open { Level::Note } else { Level::Warning },
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, asked.site),
        message,
        related: vec![related("it is registered here", program.place_of(first.site))],
        parties: vec![program.member_id(asked.site.member), what],
        edit: None,
    })
}

/// How two moments follow each other.
enum Order {
    Before,
    After,
    /// The platform leaves it open.
    Open,
}

fn compare(wiring: &Wiring<'_>, order: &BTreeMap<UnitId, usize>, asked: Moment, made: Moment) -> Option<Order> {
    match (asked, made) {
        (Moment::Load(a, asked), Moment::Load(b, made)) if a == b => lines(wiring, asked, made),
        (Moment::Load(a, _), Moment::Load(b, _)) => Some(if order.get(&a)? < order.get(&b)? { Order::Before } else { Order::After }),
        (Moment::Hook(list, a), Moment::Hook(other, b)) if list == other => Some(match a.cmp(&b) {
            std::cmp::Ordering::Less => Order::Before,
            std::cmp::Ordering::Equal => Order::Open,
            std::cmp::Ordering::Greater => Order::After,
        }),
        (Moment::Step(a), Moment::Step(b)) if a != b => steps(wiring, a, b),
        (Moment::Line(a), Moment::Line(b)) => lines(wiring, a, b),
        _ => None,
    }
}

/// How two statements of one body follow each other.
fn lines(wiring: &Wiring<'_>, asked: Site, made: Site) -> Option<Order> {
    if asked.member != made.member || asked == made {
        return None;
    }
    let program = wiring.program();
    let (body, scope) = (program.body(asked.member)?, program.scope(asked.member));
    let always = |site: Site| body.root.is_some_and(|root| state::runs_always(body, scope, site.node, root));
    let is_before = scope.is_before(asked.node, made.node);
    (always(asked) && always(made)).then_some(if is_before { Order::Before } else { Order::After })
}

/// When a statement runs, where that is in a phase of the set-up.
fn moment(wiring: &Wiring<'_>, site: Site) -> Option<Moment> {
    let program = wiring.program();
    let mut site = site;
    for _ in 0..3 {
        let body = program.body(site.member)?;
        if program.scope(site.member).function_around(body, site.node).is_some() {
            return None;
        }
        let info = program.member(site.member);
        if info.kind == MemberKind::Initializer && program.ty(info.owner).is_module {
            return Some(Moment::Load(info.unit, site));
        }
        let name = program.text(info.name);
        let phases = &program.kit_of(site.member).pack.phases;
        let in_list = phases.iter().enumerate().find_map(|(n, list)| list.iter().position(|p| p == name).map(|at| (n, at)));
        if let Some((list, at)) = in_list
            && !program.outside_bases(info.owner).is_empty()
        {
            return Some(Moment::Hook(list, at));
        }
        // a step of several parts is called through what they have in common
        let is_step =
            info.kind == MemberKind::Method && program.decl(site.member).modifiers.is_override || stands_for_others(wiring, site.member);
        if is_step {
            return Some(Moment::Step(site.member));
        }
        if wiring.is_entry_point(site.member) {
            let always = body.root.is_some_and(|r| state::runs_always(body, program.scope(site.member), site.node, r));
            return always.then_some(Moment::Line(site));
        }
        // by the one who calls it
        let callers: BTreeSet<Site> = wiring.flow.call_sites(site.member).iter().copied().collect();
        match callers.iter().collect::<Vec<_>>()[..] {
            [only] => site = *only,
            _ => return None,
        }
    }
    None
}

/// Whether a method implements one of an interface or base of the tree.
fn stands_for_others(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(member);
    let mut found = false;
    program.for_each_base(info.owner, &mut |base| {
        found |= base != info.owner && !program.own_members(base, info.name).is_empty();
        !found
    });
    found && info.kind == MemberKind::Method
}

/// Whether the set-up code runs one step of all parts before another one.
fn steps(wiring: &Wiring<'_>, asked: MemberId, made: MemberId) -> Option<Order> {
    let program = wiring.program();
    if program.member(asked).name == program.member(made).name {
        return None;
    }
    let calls = |m: MemberId| -> Vec<Site> { wiring.flow.call_sites(m).iter().copied().filter(|s| !wiring.in_test(s.member)).collect() };
    let (first, second) = (calls(asked), calls(made));
    let ([a], [b]) = (&first[..], &second[..]) else { return None };
    if a.member != b.member {
        return None;
    }
    // each in a loop of its own, so that all parts have done one before any does the other
    let body = program.body(a.member)?;
    let scope = program.scope(a.member);
    let turn = |n: NodeId| scope.ancestors(n).find(|x| matches!(body.node(*x), Node::ForEach { .. } | Node::Loop { .. } | Node::Lambda(_)));
    let (x, y) = (turn(a.node)?, turn(b.node)?);
    if x == y {
        return None;
    }
    Some(if scope.is_before(x, y) { Order::Before } else { Order::After })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_hook_before_the_hook() {
        expect(
            "unready-subject",
            r#"
//// Plant.cs
using System;
using System.Collections.Generic;
using UnityEngine;
static class Plant {
    private static readonly Dictionary<Type, object> Parts = new Dictionary<Type, object>();
    public static void Offer<T>(T part) where T : class => Parts[typeof(T)] = part;
    public static T Find<T>() where T : class => Parts.TryGetValue(typeof(T), out var part) ? (T)part : null;
}
class Pump { public event Action<int> Turned; public void Turn() => Turned?.Invoke(1); }
class Sluice { public event Action<int> Moved; public void Move() => Moved?.Invoke(1); }
class Station : MonoBehaviour {
    private readonly Pump _pump = new Pump();
    private readonly Sluice _sluice = new Sluice();
    private void Awake() => Plant.Offer(_sluice);
    private void Start() => Plant.Offer(_pump);
    private void Update() { _pump.Turn(); _sluice.Move(); }
}
class Dial : MonoBehaviour {
    private void Awake() {
        var pump = Plant.Find<Pump>(); //! unready-subject warning
        if (pump != null) pump.Turned += n => Debug.Log(n);
    }
    private void Start() => Plant.Find<Sluice>().Moved += n => Debug.Log(n);
}
class Gate : MonoBehaviour {
    private void Awake() => Plant.Find<Sluice>().Moved += n => Debug.Log(n); //! unready-subject note
}
"#,
        );
    }

    #[test]
    fn a_module_that_is_loaded_first() {
        expect(
            "unready-subject",
            r#"
//// registry.ts
import { EventEmitter } from 'node:events';
const desks = new Map<string, EventEmitter>();
export function provide(name: string, desk: EventEmitter): EventEmitter { desks.set(name, desk); return desk; }
export function deskOf(name: string): EventEmitter | undefined { return desks.get(name); }
//// bake.ts
import { EventEmitter } from 'node:events';
import { provide } from './registry';
export type Loaf = { grams: number };
const desk = provide('bake', new EventEmitter());
export function bake(): void { desk.emit('done', 3); }
//// shop.ts
import { deskOf } from './registry';
import type { Loaf } from './bake';
deskOf('bake')?.on('done', (n: number) => console.log(n)); //! unready-subject warning
export function late(): void { deskOf('bake')?.on('done', (n: number) => console.log(n)); }
//// main.ts
import { late } from './shop';
import { deskOf } from './registry';
import { bake } from './bake';
deskOf('bake')?.on('done', (n: number) => console.log(n));
late();
bake();
"#,
        );
    }

    #[test]
    fn a_step_of_all_parts() {
        expect(
            "unready-subject",
            r#"
//// yard.cpp
#include <map>
#include <string>
#include <vector>
class Board {
public:
    void enter(const std::string& name, int* tally) { tallies_[name] = tally; }
    int* find(const std::string& name) const { const auto it = tallies_.find(name); return it == tallies_.end() ? nullptr : it->second; }
private:
    std::map<std::string, int*> tallies_;
};
class Part {
public:
    virtual ~Part() = default;
    virtual void install(Board&) {}
    virtual void start(Board&) {}
};
class Hall : public Part {
public:
    void install(Board& board) override { board.enter("glass", &glass_); }
    void start(Board& board) override { board.enter("paper", &paper_); }
private:
    int glass_ = 0, paper_ = 0;
};
class Sign : public Part {
public:
    void install(Board& board) override {
        paper_ = board.find("paper"); //! unready-subject warning
    }
    void start(Board& board) override { glass_ = board.find("glass"); }
private:
    int* paper_ = nullptr;
    int* glass_ = nullptr;
};
int main() {
    Board board;
    Hall hall;
    Sign sign;
    std::vector<Part*> parts{&hall, &sign};
    for (Part* p : parts) p->install(board);
    for (Part* p : parts) p->start(board);
}
"#,
        );
    }

    #[test]
    fn parts_of_a_list_and_classes_as_names() {
        expect(
            "unready-subject",
            r#"
//// Plant.java
import java.util.*;
import java.util.function.IntConsumer;
final class Plant {
    private static final Map<Class<?>, Object> PARTS = new HashMap<>();
    static <T> void offer(Class<T> kind, T part) { PARTS.put(kind, part); }
    static <T> T find(Class<T> kind) { return kind.cast(PARTS.get(kind)); }
}
final class Plan {
    private final List<IntConsumer> listeners = new ArrayList<>();
    void addListener(IntConsumer l) { listeners.add(l); }
    void removeListener(IntConsumer l) { listeners.remove(l); }
    void advance(int step) { for (IntConsumer l : listeners) l.accept(step); }
}
interface Part { default void awake() {} default void start() {} }
final class Station implements Part {
    final Plan plan = new Plan();
    @Override public void start() { Plant.offer(Plan.class, plan); }
}
final class Wheel implements Part {
    int turned;
    @Override public void awake() {
        Plan plan = Plant.find(Plan.class); //! unready-subject warning
        if (plan != null) plan.addListener(step -> turned += step);
    }
}
final class Dial implements Part {
    int shown;
    @Override public void start() {
        Plan plan = Plant.find(Plan.class);
        if (plan != null) plan.addListener(step -> shown = step);
    }
}
final class Main {
    public static void main(String[] args) {
        Station station = new Station();
        List<Part> parts = List.of(station, new Wheel(), new Dial());
        for (Part p : parts) p.awake();
        for (Part p : parts) p.start();
        station.plan.advance(3);
    }
}
"#,
        );
    }
}
