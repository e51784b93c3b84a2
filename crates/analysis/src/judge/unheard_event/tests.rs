//! Tests of rule `unheard-event`.

use crate::testing::{expect, expect_in_library};

#[test]
fn raised_and_never_heard() {
    expect(
        "unheard-event",
        r#"
//// Sieve.cs
using System;
public class Sieve {
    public event Action Shaken; //! unheard-event warning
    public event Action Emptied;
    public void Shake() { Shaken?.Invoke(); Emptied?.Invoke(); }
}
public class Sack { public Sack(Sieve s) { s.Emptied += Fill; } void Fill() { } }

public class Mill {
    public static void Main() { new Sieve().Shake(); }
}
"#,
    );
}

#[test]
fn in_a_library_others_may_listen() {
    expect_in_library(
        "unheard-event",
        r#"
//// Sieve.cs
using System;
public class Sieve {
    public event Action Shaken; //! unheard-event note
    public void Shake() { Shaken?.Invoke(); }
}
"#,
    );
}

#[test]
fn a_view_of_an_emitter_is_a_way_in() {
    expect(
        "unheard-event",
        r#"
//// emitter.ts
export class Emitter<T> {
  private readonly listeners: Array<(value: T) => void> = [];
  readonly event = (listener: (value: T) => void): void => { this.listeners.push(listener); };
  fire(value: T): void { for (const l of this.listeners) l(value); }
}
//// loaf.ts
import { Emitter } from "./emitter";
class Loaf {
  private readonly baked = new Emitter<number>();
  private readonly cooled = new Emitter<number>(); //! unheard-event warning
  readonly onBaked = this.baked.event;
  readonly onCooled = this.cooled.event;
  bake(): void { this.baked.fire(1); this.cooled.fire(2); }
}
const loaf = new Loaf();
loaf.onBaked(n => console.log(n));
loaf.bake();
"#,
    );
}

#[test]
fn a_tree_of_nodes_is_no_channel() {
    expect(
        "unheard-event",
        r#"
//// Plot.java
package greenhouse;
import java.util.ArrayList;
import java.util.List;
class Plot<T extends Comparable<T>> {
    private final Plot<T> parent;
    private Plot<T> left;
    private final List<T> plants = new ArrayList<>();
    Plot(Plot<T> parent) { this.parent = parent; }
    void plant(T t) { if (left == null) left = new Plot<>(this); left.plants.add(t); for (T p : plants) p.compareTo(t); }
    public static void main(String[] args) { new Plot<String>(null).plant("fern"); }
}
"#,
    );
}

#[test]
fn what_is_heard_through_an_interface_is_heard_on_all_that_implement_it() {
    expect(
        "unheard-event",
        r#"
//// Choice.cs
using System;
public interface IChoice { event Action Picked; event Action Cleared; }
public class Wheel : IChoice {
    public event Action Picked;
    public event Action Cleared; //! unheard-event warning
    public void Turn() { Picked?.Invoke(); Cleared?.Invoke(); }
}
public class Lever : IChoice {
    public event Action Picked;
    public event Action Cleared; //! unheard-event warning
    public void Pull() { Picked?.Invoke(); Cleared?.Invoke(); }
}
public class Desk { public Desk(IChoice choice) { choice.Picked += Note; } void Note() { } }
public class House { public static void Main() { var w = new Wheel(); var l = new Lever(); new Desk(w); new Desk(l); w.Turn(); l.Pull(); } }
"#,
    );
}

#[test]
fn a_view_that_is_made_when_it_is_first_asked_for_is_heard() {
    expect(
        "unheard-event",
        r#"
//// kiln.ts
import { Emitter, Event } from './event';
export class Kiln {
  private readonly heatEmitter = new Emitter<number>();
  private readonly coolEmitter = new Emitter<number>(); //! unheard-event warning
  private started = false;
  get onHeat(): Event<number> {
    if (!this.started) {
      this.started = true;
      console.log('first listener');
    }
    return this.heatEmitter.event;
  }
  fire(): void { this.heatEmitter.fire(900); this.coolEmitter.fire(20); }
}
//// event.ts
export interface Event<T> { (listener: (e: T) => void): void }
export class Emitter<T> {
  private readonly listeners: ((e: T) => void)[] = [];
  get event(): Event<T> { return (listener) => { this.listeners.push(listener); }; }
  fire(e: T): void { for (const l of this.listeners) l(e); }
}
//// main.ts
import { Kiln } from './kiln';
const kiln = new Kiln();
kiln.onHeat((degrees) => console.log(degrees));
kiln.fire();
"#,
    );
}

#[test]
fn an_object_of_which_nothing_is_known_may_be_this_one() {
    expect(
        "unheard-event",
        r#"
//// Choice.cs
using System;
public class Wheel {
    public event Action Picked;
    public event Action Cleared; //! unheard-event warning
    public void Turn() { Picked?.Invoke(); Cleared?.Invoke(); }
}
public class House {
    public static void Main() { dynamic wheel = Toys.Make("wheel"); wheel.Picked += new Action(Note); new Wheel().Turn(); }
    static void Note() { }
}
"#,
    );
}

#[test]
fn an_emitter_that_is_handed_in_is_somebody_elses() {
    expect(
        "unheard-event",
        r#"
//// kiln.ts
export class Emitter<T> {
  private readonly listeners: ((e: T) => void)[] = [];
  get event(): (listener: (e: T) => void) => void { return (listener) => { this.listeners.push(listener); }; }
  fire(e: T): void { for (const l of this.listeners) l(e); }
}
class Shelf {
  constructor(private readonly filled: Emitter<number>) {}
  put(): void { this.filled.fire(1); }
}
export class Kiln {
  private readonly filledEmitter = new Emitter<number>();
  readonly onFilled = this.filledEmitter.event;
  readonly shelves = [new Shelf(this.filledEmitter)];
}
const kiln = new Kiln();
kiln.onFilled((n) => console.log(n));
kiln.shelves[0].put();
"#,
    );
}

#[test]
fn what_another_class_offers_to_other_trees_is_not_judged() {
    expect(
        "unheard-event",
        r#"
//// Bell.java
import java.util.*;
interface BellListener { void rang(int times); }
class BellSupport {
    private final List<BellListener> listeners = new ArrayList<>();
    void addListener(BellListener l) { listeners.add(l); }
    void ring(int times) { for (BellListener l : listeners) l.rang(times); }
}
class Tower extends javax.swing.JPanel {
    private final BellSupport support = new BellSupport();
    public void addBellListener(BellListener l) { support.addListener(l); }
    void strike() { support.ring(3); }
    public static void main(String[] args) { new Tower().strike(); }
}
"#,
    );
}

#[test]
fn what_is_internal_is_public_where_another_program_may_use_it() {
    let code = |friend: &str, level: &str| {
        format!(
            r#"
//// Gauge/Properties/AssemblyInfo.cs
using System.Runtime.CompilerServices;
[assembly: InternalsVisibleTo("{friend}")]
//// Gauge/Gauge.cs
using System;
public class Gauge {{
    internal event Action Read; //! unheard-event {level}
    public void Take() {{ Read?.Invoke(); }}
}}
"#
        )
    };
    expect("unheard-event", &code("Gauge.Panel, PublicKey=00", "note"));
    expect("unheard-event", &code("Gauge.Tests", "warning"));
}

#[test]
fn what_a_library_hands_out_others_may_hear() {
    let code = |macros: &str, level: &str| {
        format!(
            r#"
//// gauge.h
#include <QObject>
class {macros} Gauge : public QObject {{
    Q_OBJECT
public:
    void take() {{ emit taken(); }}
signals:
    void taken(); //! unheard-event {level}
}};
//// main.cpp
#include "gauge.h"
int main() {{
    Gauge gauge;
    gauge.take();
}}
"#
        )
    };
    expect("unheard-event", &code("LOCKS_EXPORT", "note"));
    expect("unheard-event", &code("LOCKS_NO_EXPORT", "warning"));
    expect("unheard-event", &code("", "warning"));
}

#[test]
fn what_examples_show_is_a_library() {
    let code = |folder: &str, level: &str| {
        format!(
            r#"
//// Source/Gauge.cs
using System;
namespace Tides {{
    public class Gauge {{
        public event Action Read; //! unheard-event {level}
        public void Take() {{ Read?.Invoke(); }}
    }}
}}
//// Source/Buoy.cs
namespace Tides {{
    public class Buoy {{ public Gauge Gauge {{ get; }} = new Gauge(); }}
}}
//// {folder}/Show.cs
using Tides;
public static class Show {{ public static void Main() {{ new Buoy().Gauge.Take(); }} }}
"#
        )
    };
    expect("unheard-event", &code("Examples", "note"));
    expect("unheard-event", &code("Program", "warning"));
}

#[test]
fn what_is_known_under_a_name_may_be_heard_by_another_way() {
    expect(
        "unheard-event",
        r#"
//// common.ts
export class Shown<T> {
  private readonly watchers = new Set<(value: T) => void>();
  constructor(private value: T) {}
  get(): T { return this.value; }
  set(next: T): void { this.value = next; for (const fn of [...this.watchers]) fn(next); }
  watch(fn: (value: T) => void): () => void { this.watchers.add(fn); return () => this.watchers.delete(fn); }
}
const things = new Map<string, Shown<any>>();
export function provide(name: string, thing: Shown<any>): void { things.set(name, thing); }
export function ask(name: string): Shown<any> | undefined { return things.get(name); }
//// main.ts
import { ask, provide, Shown } from './common';
const wall = new Shown<string>('');
provide('wall', wall);
wall.watch((text) => console.log(text));
ask('wall')!.set('open from ten to four');
"#,
    );
}

#[test]
fn events_of_a_generic_class_are_told_apart() {
    expect(
        "unheard-event",
        r#"
//// Shelves.cs
using System;
public class Shelf<T> {
    public event Action<T> Filled;
    public event Action<T> Emptied; //! unheard-event warning
    public void Listen(Action<T> listener) { Filled += listener; }
    public void Fill(T what) { Filled?.Invoke(what); }
    public void Empty(T what) { Emptied?.Invoke(what); }
}
class Pantry {
    private readonly Shelf<string> jars = new Shelf<string>();
    private string last = "";
    Pantry() { jars.Listen(w => last = w); }
    void Tidy() { jars.Fill("plums"); jars.Empty("beans"); Console.WriteLine(last); }
    static void Main() { new Pantry().Tidy(); }
}
"#,
    );
}

#[test]
fn texts_of_a_list_are_no_listeners() {
    expect(
        "unheard-event",
        r#"
//// formats.cpp
class Formats {
public:
    Formats() { for (auto& name : all()) m_endings.append("." + name); }
    static Formats* one();
    const QStringList& endings() const { return m_endings; }
private:
    QStringList m_endings;
};
bool isKnown(const QString &path) {
    foreach (const QString &ending, Formats::one()->endings()) {
        if (path.endsWith(ending, Qt::CaseInsensitive)) return true;
    }
    return false;
}
"#,
    );
}

#[test]
fn signals_that_heirs_declare_again_and_records_of_another_language() {
    expect(
        "unheard-event",
        r#"
//// gauge.h
#include <QObject>
class Gauge : public QObject {
    Q_OBJECT
signals:
    void rose(int cm);
};
class Float : public Gauge {
    Q_OBJECT
public:
    void step() { emit rose(3); emit sunk(2); }
signals:
    void rose(int cm);
    void sunk(int cm); //! unheard-event warning
};
struct driver_ops {
    int (*open)(void* at);
    int (*read)(void* at);
    void (*shut)(void* at);
};
inline void shut(const struct driver_ops* ops, void* at) { if (ops->shut) ops->shut(at); }
//// board.cpp
#include "gauge.h"
class Board : public QObject {
    Q_OBJECT
public:
    explicit Board(Gauge* gauge) { connect(gauge, SIGNAL(rose(int)), this, SLOT(show(int))); }
public slots:
    void show(int cm) { shown = cm; }
private:
    int shown = 0;
};
int main() { Float f; Board b(&f); f.step(); }
"#,
    );
}

#[test]
fn a_function_of_a_library_hears_what_is_called_by_its_name() {
    expect(
        "unheard-event",
        r#"
//// gauge.js
var signals = require("gauge-signals").methods
  , on = signals.on
  , tell = signals.tell;
module.exports = function (gauge) {
  var kept = { on: on, tell: tell, level: 0 };
  gauge.read = function () { kept.tell("read", kept.level); };
  return kept;
};
"#,
    );
}
