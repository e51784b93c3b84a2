//! The wiring that practitioners' ways of writing have, as lines of a map.

use std::fmt::Write;

use crate::testing::map;

/// A channel a line, and below it who joins, leaves and raises.
fn wiring(text: &str) -> String {
    let mut out = String::new();
    for c in map(text).channels {
        writeln!(out, "{} {:?}", c.id, c.kind).expect("a string");
        for s in &c.subscriptions {
            writeln!(out, "  + {} @{} by {}", s.handler, s.place.line, s.within).expect("a string");
        }
        for u in &c.releases {
            writeln!(out, "  - {} @{}", u.handler, u.place.line).expect("a string");
        }
        for r in &c.raises {
            writeln!(out, "  ! @{} in {}", r.place.line, r.within).expect("a string");
        }
    }
    out
}

#[test]
fn events_with_accessors_and_an_interface() {
    insta::assert_snapshot!(wiring(
        r#"
//// Gauge.cs
using System;
namespace Tide {
    public interface IGauge { event EventHandler Rose; }
    public class Gauge : IGauge {
        private EventHandler rose;
        public event EventHandler Rose { add { rose += value; } remove { rose -= value; } }
        protected virtual void OnRose(EventArgs e) { rose?.Invoke(this, e); }
        public void Read() { OnRose(EventArgs.Empty); }
    }
    public class Board {
        public Board(IGauge gauge) { gauge.Rose += Show; gauge.Rose += (s, e) => Ring(); }
        public void Close(IGauge gauge) { gauge.Rose -= Show; }
        void Show(object sender, EventArgs e) { }
        void Ring() { }
    }
}
"#
    ));
}

#[test]
fn a_partial_class_and_a_static_event() {
    insta::assert_snapshot!(wiring(
        r#"
//// Lock.Events.cs
namespace Canal { public partial class Lock { public static event System.Action Filled; } }
//// Lock.cs
namespace Canal { public partial class Lock { public void Fill() { if (Filled != null) Filled(); } } }
//// Keeper.cs
using Canal;
class Keeper { Keeper() { Lock.Filled += Open; } void Open() { } }
"#
    ));
}

#[test]
fn listener_lists_anonymous_classes_and_supports() {
    insta::assert_snapshot!(wiring(
        r#"
//// Oven.java
package bakery;
import java.beans.PropertyChangeSupport;
import java.beans.PropertyChangeListener;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
public class Oven {
    public interface Listener { void hot(); default void cold() { } }
    private final List<Listener> listeners = new CopyOnWriteArrayList<>();
    private final PropertyChangeSupport support = new PropertyChangeSupport(this);
    public void addListener(Listener l) { listeners.add(l); }
    public void removeListener(Listener l) { listeners.remove(l); }
    public void addPropertyChangeListener(PropertyChangeListener l) { support.addPropertyChangeListener(l); }
    public void heat() { listeners.forEach(l -> l.hot()); support.firePropertyChange("heat", 0, 1); }
}
//// Baker.java
package bakery;
class Baker {
    Baker(Oven oven) {
        oven.addListener(new Oven.Listener() { public void hot() { bake(); } });
        oven.addPropertyChangeListener(e -> bake());
        oven.addListener(this::bake);
    }
    void bake() { }
}
"#
    ));
}

#[test]
fn emitters_topics_and_closures() {
    insta::assert_snapshot!(wiring(
        r#"
//// dome.ts
import { EventEmitter } from "node:events";
export const enum Sky { Clear = "clear", Cloudy = "cloudy" }
export class Dome extends EventEmitter {
  turn(): void { this.emit(Sky.Clear, 3); }
  close(): void { this.emit("cloudy"); }
}
//// night.ts
import { Dome, Sky } from "./dome";
export class Night {
  private readonly onClear = (n: number): void => { this.count += n; };
  private count = 0;
  constructor(private readonly dome: Dome) {
    dome.on(Sky.Clear, this.onClear);
    dome.once("cloudy", () => this.end());
  }
  end(): void { this.dome.off(Sky.Clear, this.onClear); }
}
"#
    ));
}

#[test]
fn a_generic_signal_is_named_by_who_holds_it() {
    insta::assert_snapshot!(wiring(
        r#"
//// signal.ts
export class Signal<T> {
  private readonly slots: Set<(value: T) => void> = new Set();
  connect(slot: (value: T) => void): () => void { this.slots.add(slot); return () => this.slots.delete(slot); }
  send(value: T): void { for (const slot of this.slots) slot(value); }
}
//// greenhouse.ts
import { Signal } from "./signal";
export class Greenhouse {
  readonly frost = new Signal<number>();
  readonly watered = new Signal<void>();
  night(): void { this.frost.send(-1); }
}
export class Heater {
  constructor(house: Greenhouse) { house.frost.connect(t => this.heat(t)); house.watered.connect(this.dry); }
  heat(t: number): void {}
  dry = (): void => {};
}
"#
    ));
}

#[test]
fn an_emitter_that_leaves_its_handlers_to_a_list_class() {
    let map = map(r#"
//// emitter.ts
class Callbacks {
  private callbacks: Function[] | undefined;
  add(callback: Function): void { (this.callbacks ??= []).push(callback); }
  remove(callback: Function): void { const at = this.callbacks!.indexOf(callback); if (at >= 0) this.callbacks!.splice(at, 1); }
  invoke(...args: unknown[]): void { for (const c of this.callbacks ?? []) c(...args); }
}
export class Emitter<T> {
  protected callbacks: Callbacks | undefined;
  subscribe(listener: (e: T) => void): void { if (!this.callbacks) this.callbacks = new Callbacks(); this.callbacks.add(listener); }
  fire(event: T): void { if (this.callbacks) this.callbacks.invoke(event); }
}
//// tide.ts
import { Emitter } from "./emitter";
export class Tide {
  readonly turned = new Emitter<number>();
  turn(): void { this.turned.fire(1); }
}
export class Buoy { constructor(tide: Tide) { tide.turned.subscribe(n => this.sway(n)); } sway(n: number): void {} }
"#);
    let both: Vec<_> = map.channels.iter().filter(|c| c.subscriptions.len() == 1 && c.raises.len() == 1).collect();
    assert_eq!(both.len(), 1, "the handler and the raise meet: {map:#?}");
}

#[test]
fn what_cannot_be_resolved_is_said() {
    let map = map(r#"
//// bus.ts
import { EventEmitter } from "events";
export class Relay {
  constructor(private readonly bus: EventEmitter) {}
  join(topic: string): void { this.bus.on(topic, () => this.note()); }
  note(): void {}
}
"#);
    let [one] = &map.unresolved[..] else { panic!("{map:#?}") };
    assert_eq!((one.reason.as_str(), one.place.line), ("the topic is handed over and no caller shows which it is", 4));
}

/// The handlers of a channel that certainly come before another one, directly.
fn just_before(map: &yarrowgraph_model::Map, channel: &str, handler: &str) -> Vec<String> {
    let channel = map.channels.iter().find(|c| c.id.ends_with(channel)).expect("the channel");
    let later = channel.subscriptions.iter().find(|s| s.handler.contains(handler)).expect("the subscription");
    let mut before: Vec<String> = later.after.iter().map(|i| channel.subscriptions[*i as usize].handler.clone()).collect();
    before.sort();
    before
}

#[test]
fn order_goes_along_calls_and_fields() {
    let found = map(r#"
//// Kiln.java
import java.util.ArrayList;
import java.util.List;
interface KilnListener { void hot(int degrees); }
class Kiln {
    private final List<KilnListener> listeners = new ArrayList<>();
    void addListener(KilnListener l) { listeners.add(l); }
    void heat() { for (KilnListener l : listeners) l.hot(900); }
}
class Dial implements KilnListener {
    Dial(Kiln kiln) { kiln.addListener(this); }
    public void hot(int degrees) { }
}
class Horn implements KilnListener {
    private final Kiln kiln;
    Horn(Kiln kiln) { this.kiln = kiln; }
    void hang() { kiln.addListener(this); }
    public void hot(int degrees) { }
}
class Clerk implements KilnListener {
    Clerk(Kiln kiln) { kiln.addListener(this); }
    public void hot(int degrees) { }
}
class Guest implements KilnListener {
    Guest(Kiln kiln) { kiln.addListener(this); }
    public void hot(int degrees) { }
}
class Works {
    private final Kiln kiln = new Kiln();
    private final Dial dial = new Dial(kiln);
    private final Horn horn = new Horn(kiln);
    Works(boolean guests) {
        new Clerk(kiln);
        if (guests) new Guest(kiln);
    }
    void open() { horn.hang(); kiln.heat(); }
    public static void main(String[] args) {
        Works works = new Works(args.length > 0);
        works.open();
    }
}
"#);
    assert_eq!(just_before(&found, "Kiln.listeners", "Clerk"), ["Dial.hot"]);
    assert_eq!(just_before(&found, "Kiln.listeners", "Guest"), ["Clerk.hot"]);
    assert_eq!(just_before(&found, "Kiln.listeners", "Horn"), ["Guest.hot"]);
    assert!(just_before(&found, "Kiln.listeners", "Dial").is_empty());
}

/// Some gauges of one interface, each of which keeps whoever watches it; and who watches one, whichever it is.
fn gauges_alike(count: usize) -> String {
    let mut text = String::from(
        "//// Board.java\npackage tide;\nclass Board implements Watcher {\n  Board(Gauge gauge) { gauge.watch(this); }\n  public void rose() {}\n}\n\
         //// Gauge.java\npackage tide;\ninterface Gauge { void watch(Watcher w); }\ninterface Watcher { void rose(); }\n",
    );
    for number in 0..count {
        let _ = writeln!(
            text,
            "//// Gauge{number}.java\npackage tide;\nclass Gauge{number} implements Gauge {{\n  private final java.util.List<Watcher> watchers = new \
             java.util.ArrayList<>();\n  public void watch(Watcher w) {{ watchers.add(w); }}\n  void rise() {{ for (Watcher w : watchers) w.rose(); \
             }}\n}}"
        );
    }
    text
}

#[test]
fn what_each_of_too_many_does_is_not_told_of_a_call_that_may_reach_any() {
    let joins = |map: &yarrowgraph_model::Map| map.channels.iter().map(|c| c.subscriptions.len()).sum::<usize>();
    let some = map(&gauges_alike(3));
    assert_eq!((joins(&some), some.budgets.len()), (3, 0));
    let many = map(&gauges_alike(40));
    assert_eq!(joins(&many), 0);
    let told: Vec<_> = many.budgets.iter().map(|b| (b.of.as_str(), b.limit, b.over)).collect();
    assert_eq!(told, [("alternatives", 32, 1)]);
}

#[test]
fn a_wrapper_of_its_own_kind_is_seen_through_once() {
    insta::assert_snapshot!(wiring(
        r#"
//// tide/Gauge.java
package tide;
interface Gauge { void watch(Watcher w); }
//// tide/Watcher.java
package tide;
interface Watcher { void rose(); }
//// tide/Float.java
package tide;
class Float implements Gauge {
    private final java.util.List<Watcher> watchers = new java.util.ArrayList<>();
    public void watch(Watcher w) { watchers.add(w); }
    void rise() { for (Watcher w : watchers) w.rose(); }
}
//// tide/Steady.java
package tide;
class Steady implements Gauge {
    private final Gauge inner;
    Steady(Gauge inner) { this.inner = inner; }
    public void watch(Watcher w) { inner.watch(w); }
}
//// tide/Board.java
package tide;
class Board implements Watcher {
    Board(Steady gauge) { gauge.watch(this); }
    public void rose() { }
}
"#
    ));
}

#[test]
fn a_capture_may_be_named_like_what_it_is_taken_from() {
    let found = map(r#"
//// gauge.cpp
#include <functional>
#include <list>
#include <memory>
struct Watcher { virtual void rose(int cm) = 0; };
class Gauge {
public:
    void watch(std::weak_ptr<Watcher> w) { watchers.push_back(w); }
    void later(std::function<void()> run);
    void rise(std::shared_ptr<Watcher> first, int cm) {
        later([first = first.get(), cm] { first->rose(cm); });
        auto again = again.get();
        again->rose(cm);
        for (auto& w : watchers) { if (auto one = w.lock()) one->rose(cm); }
    }
private:
    std::list<std::weak_ptr<Watcher>> watchers;
};
"#);
    let told: Vec<_> = found.channels.iter().map(|c| (c.id.as_str(), c.raises.len())).collect();
    assert_eq!(told, [("Gauge.watchers", 1)]);
}
