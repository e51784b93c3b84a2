//! When a channel's subscribers are told, and what it keeps for those that come late.

use yarrowgraph_ir::{Body, Node, NodeId};
use yarrowgraph_model::{Delivery, Keeps};

use super::Wiring;
use super::channels::{Channel, ChannelKey};
use super::effect::{Act, Effect, Event};
use crate::flow::Val;
use crate::program::{Declared, Site};

/// When subscribers are told: at once if any raise tells them so.
pub(super) fn of(wiring: &Wiring<'_>, channel: &Channel) -> Delivery {
    let in_tests = |r: &&usize| wiring.in_test(wiring.effects[**r].site.member);
    let mut ways = channel.raises.iter().filter(|r| !in_tests(r)).map(|r| of_raise(wiring, &wiring.effects[*r]));
    let Some(first) = ways.next() else { return Delivery::AtOnce };
    ways.fold(first, |all, one| if one == Delivery::AtOnce { one } else { all })
}

fn of_raise(wiring: &Wiring<'_>, effect: &Effect) -> Delivery {
    // the statement that tells may stand in a helper of the one that names the channel
    let sites = std::iter::once(effect.site).chain(effect.inner.iter().copied());
    for site in sites {
        if let Some(later) = handed_on(wiring, site) {
            return later;
        }
    }
    if tells_what_was_queued(wiring, effect.innermost()) { Delivery::Queued } else { Delivery::AtOnce }
}

/// Whether a statement stands in a function that something is handed to run it.
fn handed_on(wiring: &Wiring<'_>, site: Site) -> Option<Delivery> {
    let program = wiring.program();
    let pack = &*program.kit_of(site.member).pack;
    wiring.hand_overs(site).into_iter().find_map(|(_, name)| match name {
        _ if pack.other_lanes.contains(name) => Some(Delivery::OtherLane),
        _ if pack.schedulers.contains(name) => Some(Delivery::Later),
        _ => None,
    })
}

impl<'p> Wiring<'p> {
    /// The calls and creations that are handed a function around a statement, nearest first, with the name of the
    /// method or type.
    pub fn hand_overs(&self, site: Site) -> Vec<(NodeId, &'p str)> {
        let program = self.program();
        let Some(body) = program.body(site.member) else { return Vec::new() };
        let mut found = Vec::new();
        let mut inner = site.node;
        for around in program.scope(site.member).ancestors(site.node) {
            let name = match body.node(around) {
                _ if !matches!(body.node(inner), Node::Lambda(_)) => None,
                Node::Call { callee, .. } => match body.node(callee) {
                    Node::Member { name, .. } | Node::Name(name) => Some(program.unit_of(site.member).text(name)),
                    _ => None,
                },
                Node::New { ty, .. } => program.type_name(&program.type_in(site.member, ty)),
                _ => None,
            };
            found.extend(name.map(|name| (around, name)));
            inner = around;
        }
        found
    }
}

/// Whether what subscribers are told is taken out of a queue.
fn tells_what_was_queued(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let Node::Call { args, .. } = body.node(site.node) else { return false };
    body.list(args).iter().any(|arg| {
        let Node::Name(name) = body.node(*arg) else { return is_taking(wiring, site, body, *arg) };
        match program.scope(site.member).lookup(name, *arg) {
            Some(Declared::Local(local)) => match body.node(local) {
                Node::Local { init: Some(init), .. } => is_taking(wiring, site, body, init),
                // `while ((order = queue.poll()) != null)`, `while (queue.TryDequeue(out var order))`
                _ => body.ids().any(|node| match body.node(node) {
                    Node::Assign { target, value, .. } => body.node(target) == Node::Name(name) && is_taking(wiring, site, body, value),
                    Node::Call { args, .. } => {
                        is_taking(wiring, site, body, node) && body.list(args).iter().any(|a| holds(body, *a, local))
                    }
                    _ => false,
                }),
            },
            _ => false,
        }
    })
}

fn holds(body: &Body, node: NodeId, wanted: NodeId) -> bool {
    node == wanted || body.children(node).into_iter().any(|child| holds(body, child, wanted))
}

/// Whether an expression takes something out of a collection of the tree.
fn is_taking(wiring: &Wiring<'_>, site: Site, body: &Body, node: NodeId) -> bool {
    let program = wiring.program();
    let Node::Call { callee, .. } = body.node(node) else { return false };
    let Node::Member { object, name, .. } = body.node(callee) else { return false };
    let pack = &*program.kit_of(site.member).pack;
    pack.takes.contains(program.unit_of(site.member).text(name))
        && matches!(wiring.flow.eval_in(site.member, object), Val::Member(..) | Val::Static(_))
}

/// What is kept for subscribers that come late.
pub(super) fn keeps(wiring: &Wiring<'_>, channel: &Channel) -> Keeps {
    let ChannelKey::Own(m, _) = channel.key else { return Keeps::none() };
    let program = wiring.program();
    match program.type_name(&wiring.flow.type_held(m)) {
        Some("BehaviorSubject" | "ReactiveProperty") => return Keeps::Word("latest".into()),
        Some("ReplaySubject") => return replayed(wiring, m).map_or_else(|| Keeps::Word("all".into()), Keeps::Count),
        _ => {}
    }
    // whoever comes is told the present state
    let told_on_joining = channel.joins.iter().any(|j| wiring.tells_who_joins(&wiring.effects[*j]));
    if told_on_joining { Keeps::Word("latest".into()) } else { Keeps::none() }
}

/// How many values a subject is made to play again.
fn replayed(wiring: &Wiring<'_>, m: crate::program::MemberId) -> Option<u32> {
    let only = wiring.flow.only_definition(m)?;
    let body = wiring.program().body(only.member)?;
    let Node::New { args, .. } = body.node(only.node) else { return None };
    match body.node(*body.list(args).first()?) {
        Node::Num(name) => wiring.program().unit_of(only.member).text(name).parse().ok(),
        _ => None,
    }
}

impl Wiring<'_> {
    /// Whether the method that puts a handler on the channel calls it too.
    fn tells_who_joins(&self, join: &Effect) -> bool {
        let site = join.innermost();
        let own = self.effects_at(site).map(|e| &self.effects[e]).find(|e| e.act == Act::Join && e.inner.is_empty());
        let Some(handler @ Val::Param(..)) = own.and_then(|e| e.handler.as_ref()) else { return false };
        let Some(body) = self.program().body(site.member) else { return false };
        let calls = body.ids().filter(|n| matches!(body.node(*n), Node::Call { .. }));
        calls.flat_map(|node| self.effects_at(Site { member: site.member, node })).map(|e| &self.effects[e]).any(|e| {
            let function = |f: &Effect| self.program().scope(site.member).function_around(body, f.site.node);
            let at_once = function(e) == own.and_then(&function);
            e.act == Act::Raise && e.inner.is_empty() && e.holder.event == Event::Given && e.holder.subject == *handler && at_once
        })
    }
}

#[cfg(test)]
mod tests {
    use yarrowgraph_model::{Delivery, Keeps};

    use crate::testing::map;

    fn of(text: &str) -> Vec<(String, Delivery, Keeps)> {
        map(text).channels.into_iter().map(|c| (c.id, c.delivery, c.keeps)).collect()
    }

    fn word(text: &str) -> Keeps {
        Keeps::Word(text.into())
    }

    #[test]
    fn on_another_lane_later_or_from_a_queue() {
        let found = of(r#"
//// Oven.java
import java.util.*;
import java.util.concurrent.*;
interface Baked { void baked(String loaf); }
class Oven {
    private final List<Baked> quick = new ArrayList<>();
    private final List<Baked> slow = new ArrayList<>();
    private final List<Baked> screen = new ArrayList<>();
    private final List<Baked> ordered = new ArrayList<>();
    private final Deque<String> waiting = new ArrayDeque<>();
    private final ExecutorService pool = Executors.newFixedThreadPool(2);
    void onQuick(Baked b) { quick.add(b); }
    void onSlow(Baked b) { slow.add(b); }
    void onScreen(Baked b) { screen.add(b); }
    void onOrdered(Baked b) { ordered.add(b); }
    void bake(String loaf) {
        for (Baked b : quick) b.baked(loaf);
        pool.submit(() -> { for (Baked b : slow) b.baked(loaf); });
        SwingUtilities.invokeLater(() -> { for (Baked b : screen) b.baked(loaf); });
        waiting.add(loaf);
    }
    void drain() {
        String loaf;
        while ((loaf = waiting.poll()) != null) for (Baked b : ordered) b.baked(loaf);
    }
}
class Shop {
    Shop(Oven oven) { oven.onQuick(s -> {}); oven.onSlow(s -> {}); oven.onScreen(s -> {}); oven.onOrdered(s -> {}); }
    public static void main(String[] args) { Oven oven = new Oven(); new Shop(oven); oven.bake("rye"); oven.drain(); }
}
"#);
        assert_eq!(
            found,
            [
                ("Oven.ordered".into(), Delivery::Queued, word("none")),
                ("Oven.quick".into(), Delivery::AtOnce, word("none")),
                ("Oven.screen".into(), Delivery::Later, word("none")),
                ("Oven.slow".into(), Delivery::OtherLane, word("none")),
            ]
        );
    }

    #[test]
    fn who_joins_may_be_told_the_present_state() {
        let found = of(r#"
//// dial.ts
import { BehaviorSubject, ReplaySubject } from 'rxjs';
export type Turned = (degrees: number) => void;
export class Dial {
  private readonly turned: Turned[] = [];
  private readonly eased: Turned[] = [];
  readonly level = new BehaviorSubject<number>(0);
  readonly past = new ReplaySubject<number>(3);
  private degrees = 0;
  onTurned(call: Turned): void { this.turned.push(call); call(this.degrees); }
  onEased(call: Turned): void { this.eased.push(call); }
  turn(degrees: number): void {
    this.degrees = degrees;
    for (const call of this.turned) call(degrees);
    for (const call of this.eased) call(degrees);
    this.level.next(degrees);
    this.past.next(degrees);
  }
}
const dial = new Dial();
dial.onTurned((d) => console.log(d));
dial.onEased((d) => console.log(d));
dial.level.subscribe((d) => console.log(d));
dial.past.subscribe((d) => console.log(d));
dial.turn(3);
"#);
        assert_eq!(
            found.into_iter().map(|(id, _, keeps)| (id, keeps)).collect::<Vec<_>>(),
            [
                ("dial.Dial.eased".into(), word("none")),
                ("dial.Dial.level".into(), word("latest")),
                ("dial.Dial.past".into(), Keeps::Count(3)),
                ("dial.Dial.turned".into(), word("latest")),
            ]
        );
    }
}
