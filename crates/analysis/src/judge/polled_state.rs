//! Rule `polled-state`: periodic code asks for state that is announced, or could be.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level, Lifetime, Related};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Program, Site};
use crate::state::{self, Read, Round, Write};
use crate::wire::{Wiring, lifetime};

/// So few places can each announce what they change.
const FEW: usize = 3;
/// How many calls on the same object a round is followed.
const DEPTH: u32 = 2;

pub(super) const RULE: Rule = Rule {
    name: "polled-state",
    summary: "periodic code asks a subject for state that it announces, or that so few places change that they could",
    level: Level::Note,
    page: Page {
        symptom: "A timer asks and asks for something that seldom changes, and learns of a change only at its next turn.",
        cause: "The state changes in a few known places, which announce it already or could, and the reader does not listen.",
        cure: "Subscribe to the channel that announces it; where there is none, raise one where the state is written.",
        silent: "The state changes by itself, is written in many places or nowhere in the tree, or belongs to the one who asks.",
        accept: "The turn has other work to do anyway, and a change may well wait for it.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    let rounds = wiring.rounds();
    for round in rounds {
        let mut seen = BTreeSet::new();
        look(wiring, (rounds, round), round.root, DEPTH, &mut seen, &mut drafts);
    }
    drafts
}

/// Looks at all reads of a stretch of code, and of what it calls on its own object.
fn look(wiring: &Wiring<'_>, round: (&[Round], &Round), root: Site, depth: u32, seen: &mut BTreeSet<Site>, drafts: &mut Vec<Draft>) {
    let program = wiring.program();
    if !seen.insert(root) || wiring.in_test(root.member) {
        return;
    }
    let Some(body) = program.body(root.member) else { return };
    let scope = program.scope(root.member);
    let always = |n: &NodeId| scope.is_within(*n, root.node) && state::runs_always(body, scope, *n, root.node);
    for node in body.ids().filter(always) {
        let site = Site { member: root.member, node };
        if let Some(read) = wiring.read(site)
            && !is_written_to(wiring, site)
        {
            drafts.extend(judge(wiring, round, (root, site), &read));
        }
        if let (Some(depth), Node::Call { .. }) = (depth.checked_sub(1), body.node(node))
            && let Some(callee) = wiring.flow.callee(site)
            && matches!(callee.receiver, Some(Val::This(_)))
            && let Some(root) = program.body(callee.member).and_then(|b| b.root)
            && wiring.flow.call_sites(callee.member).len() == 1
        {
            look(wiring, round, Site { member: callee.member, node: root }, depth, seen, drafts);
        }
    }
}

/// Whether an expression is given a value, or is only the way to something else.
fn is_written_to(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return true };
    program.scope(site.member).parent(site.node).is_some_and(|parent| match body.node(parent) {
        Node::Assign { target, .. } => target == site.node,
        Node::Call { callee, .. } => callee == site.node,
        Node::Member { object, .. } | Node::Index { object, .. } => object == site.node,
        Node::Unary { op, .. } => matches!(op, yarrowgraph_ir::UnaryOp::Step { .. }),
        _ => false,
    })
}

fn judge(wiring: &Wiring<'_>, (rounds, round): (&[Round], &Round), (root, site): (Site, Site), read: &Read) -> Option<Draft> {
    let program = wiring.program();
    let info = program.member(read.field);
    let reader = program.member(site.member).owner;
    // its own state is kept up to date by whoever writes it
    let is_of_itself = |t| program.are_kin(reader, t) || is_nested_in(wiring, reader, t) || is_nested_in(wiring, t, reader);
    if info.kind != MemberKind::Field && info.kind != MemberKind::Property
        || !(is_held(program, &read.object, root) || is_of_process(wiring, &read.object, site))
        || is_of_itself(info.owner)
        || !wiring.holds_data(read.field)
        || is_channel(wiring, read.field)
    {
        return None;
    }
    let writes: Vec<&Write> = wiring.writes(read.field).iter().filter(|w| !w.initial && !wiring.in_test(w.site.member)).collect();
    // what the round itself writes needs no announcing
    if writes.is_empty() || writes.iter().any(|w| program.member(w.site.member).owner == reader) {
        return None;
    }
    let announced = announcing(wiring, &writes).or_else(|| wiring.hands_on(read.field));
    let places: BTreeSet<MemberId> = writes.iter().map(|w| w.site.member).collect();
    if announced.is_none() && (round.by_frame || places.len() > FEW || writes.len() > FEW + 2 || is_mirrored(rounds, &writes)) {
        return None;
    }
    let what = format!("{}.{}", program.type_id(info.owner), program.text(info.name));
    let name = short(&what);
    let why = match announced {
        Some(channel) => format!("which `{}` announces", short(&wiring.channels[channel].id)),
        None => match places.len() {
            1 => "which changes in one place only, that could announce it".to_owned(),
            n => format!("which changes in {n} places only, that could announce it"),
        },
    };
    let mut places: Vec<Related> = writes.iter().map(|w| related("it changes here", program.place_of(w.site))).collect();
    let first = wiring.flow.definitions(read.field).iter().find(|d| d.member == read.field);
    places.extend(first.map(|d| related("its first value", program.place_of(*d))));
    places.push(related("what makes it periodic", program.place_of(round.by)));
    let asker = program.member_id(site.member);
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, site),
        message: format!("`{}` asks again and again for `{name}`, {why}", short(&asker)),
        related: places,
        parties: vec![asker, what],
        edit: None,
    })
}

fn is_nested_in(wiring: &Wiring<'_>, inner: crate::program::TypeId, outer: crate::program::TypeId) -> bool {
    let program = wiring.program();
    std::iter::successors(Some(inner), |t| program.ty(*t).parent.or_else(|| program.ty(*t).within.map(|w| program.member(w.member).owner)))
        .take(8)
        .any(|t| t == outer)
}

/// Whether an object is there from turn to turn: reached by fields alone.
fn is_held(program: &Program, object: &Val, round: Site) -> bool {
    match object {
        Val::Member(of, _) => matches!(**of, Val::This(_)) || is_held(program, of, round),
        // made elsewhere, or before the rounds begin, and named here
        Val::New(made) => made.member != round.member || !program.scope(round.member).is_within(made.node, round.node),
        Val::Static(_) | Val::Param(..) | Val::Type(_) => true,
        _ => false,
    }
}

/// Whether a call gives the one object of its kind: `Pump::instance()`.
fn is_of_process(wiring: &Wiring<'_>, object: &Val, site: Site) -> bool {
    matches!(object, Val::Call(_)) && lifetime::of_subject(wiring, object, site).lifetime == Lifetime::Process
}

fn is_channel(wiring: &Wiring<'_>, field: MemberId) -> bool {
    use crate::wire::channels::ChannelKey;
    wiring.channels.iter().any(|c| matches!(c.key, ChannelKey::Own(m, _) if m == field))
}

/// A channel of the subject that every change of a field is followed by.
fn announcing(wiring: &Wiring<'_>, writes: &[&Write]) -> Option<usize> {
    let program = wiring.program();
    let mut all = writes.iter().map(|w| wiring.told_behind(w.site).into_iter().collect::<BTreeSet<usize>>());
    let first = all.next()?;
    let common = all.fold(first, |common, one| common.intersection(&one).copied().collect());
    // best one that is raised in any case
    let always = |channel: &usize| {
        let raises = wiring.channels[*channel].raises.iter().map(|r| wiring.effects[*r].innermost());
        raises.into_iter().any(|s| program.body(s.member).is_some_and(|b| !is_conditional(b, program.scope(s.member), s.node)))
    };
    common.iter().copied().find(always).or(common.first().copied())
}

/// Whether a statement is part of a branch.
fn is_conditional(body: &yarrowgraph_ir::Body, scope: &crate::program::Scope, node: NodeId) -> bool {
    scope.ancestors(node).any(|n| matches!(body.node(n), Node::If { .. } | Node::Conditional { .. } | Node::Case { .. }))
}

/// Whether a field only repeats what comes from outside, such as a measurement that is copied in turn after turn.
fn is_mirrored(rounds: &[Round], writes: &[&Write]) -> bool {
    writes.iter().any(|w| rounds.iter().any(|r| r.root.member == w.site.member))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_timer_asks_for_what_could_be_announced() {
        expect(
            "polled-state",
            r#"
//// Oven.java
import java.util.concurrent.*;
class Oven {
    private boolean lit;
    private int celsius;
    boolean lit() { return lit; }
    int celsius() { return celsius; }
    void light() { lit = true; }
    void douse() { lit = false; }
    void warm() { celsius += 10; }
    void cool() { celsius -= 10; }
    void open() { celsius -= 50; }
    void close() { celsius += 1; }
}
class Baker {
    private final Oven oven;
    private int rounds;
    Baker(Oven oven, ScheduledExecutorService clock) {
        this.oven = oven;
        clock.scheduleAtFixedRate(this::look, 0, 5, TimeUnit.SECONDS);
    }
    private void look() {
        rounds++;
        if (oven.lit()) System.out.println("bake"); //! polled-state note
        if (oven.celsius() < 100) System.out.println("more wood");
    }
    public static void main(String[] args) {
        Oven oven = new Oven();
        new Baker(oven, Executors.newSingleThreadScheduledExecutor());
        oven.light(); oven.douse(); oven.warm(); oven.cool(); oven.open(); oven.close();
    }
}
"#,
        );
    }

    #[test]
    fn what_is_announced_is_asked_for() {
        expect(
            "polled-state",
            r#"
//// dial.js
const { EventEmitter } = require('node:events');
class Gauge extends EventEmitter {
  cm = 0;
  rise(cm) { this.cm = cm; this.emit('cm', cm); }
}
class Dial {
  constructor(gauge) { this.gauge = gauge; this.own = 0; }
  start() { setInterval(() => this.turn(), 1000); setInterval(() => { this.own += 1; }, 10); }
  turn() {
    console.log(this.gauge.cm); //! polled-state note
    console.log(this.own);
  }
  once() { return this.gauge.cm; }
}
const gauge = new Gauge();
gauge.on('cm', (cm) => console.log(cm));
new Dial(gauge).start();
gauge.rise(3);
"#,
        );
    }

    #[test]
    fn what_a_timer_runs_by_an_object_or_a_call() {
        expect(
            "polled-state",
            r#"
//// Yard.java
import java.util.concurrent.*;
class Pump {
    private boolean primed;
    boolean primed() { return primed; }
    void prime() { primed = true; }
    void drain() { primed = false; }
}
class Warden implements Runnable {
    private final Pump pump;
    Warden(Pump pump) { this.pump = pump; }
    @Override public void run() {
        if (!pump.primed()) System.out.println("dry"); //! polled-state note
    }
}
class Main {
    public static void main(String[] args) {
        Pump pump = new Pump();
        Executors.newSingleThreadScheduledExecutor().scheduleAtFixedRate(new Warden(pump), 1, 1, TimeUnit.MINUTES);
        pump.prime();
        pump.drain();
    }
}
//// Sky.cs
using System;
using System.Threading;
class Gauge {
    public event Action<double> Measured;
    public double Sky { get; private set; }
    public void Measure(double sky) { Sky = sky; Measured?.Invoke(sky); }
}
class Recorder {
    private readonly Gauge gauge; private double last;
    public Recorder(Gauge gauge) { this.gauge = gauge; }
    public void Tick() {
        var now = gauge.Sky; //! polled-state note
        if (now != last) Console.WriteLine(now);
        last = now;
    }
}
static class Program {
    static void Main() {
        var gauge = new Gauge();
        var recorder = new Recorder(gauge);
        gauge.Measured += Console.WriteLine;
        using var second = new Timer(_ => recorder.Tick(), null, 1000, 1000);
        gauge.Measure(20.4);
    }
}
"#,
        );
    }

    #[test]
    fn what_a_helper_starts_a_timer_for() {
        expect(
            "polled-state",
            r#"
//// Display.cs
using System;
using System.Timers;
class Tank {
    public event Action<double> Changed;
    public double Litres { get; private set; }
    public void Fill(double litres) { Litres += litres; Changed?.Invoke(Litres); }
}
class Display {
    private readonly Tank tank;
    public Display(Tank tank) { this.tank = tank; }
    public void Start() { Every(1000, Tick); }
    private static void Every(int milliseconds, Action run) {
        var timer = new Timer(milliseconds);
        timer.Elapsed += (_, _) => run();
        timer.Start();
    }
    private void Tick() {
        Console.WriteLine(tank.Litres); //! polled-state note
    }
    static void Main() {
        var tank = new Tank();
        tank.Changed += Console.WriteLine;
        new Display(tank).Start();
        tank.Fill(3);
    }
}
//// display.ts
class Churn {
  private readonly fns = new Set<(turns: number) => void>();
  turns = 0;
  watch(fn: (turns: number) => void): () => void { this.fns.add(fn); return () => this.fns.delete(fn); }
  turn(): void { this.turns++; for (const fn of this.fns) fn(this.turns); }
}
function every(milliseconds: number, run: () => void): void { setInterval(run, milliseconds); }
class Counter {
  constructor(private readonly churn: Churn) {}
  start(): void { every(500, () => this.show()); }
  show(): void {
    console.log(this.churn.turns); //! polled-state note
  }
}
const churn = new Churn();
churn.watch(console.log);
new Counter(churn).start();
churn.turn();
"#,
        );
    }
}
