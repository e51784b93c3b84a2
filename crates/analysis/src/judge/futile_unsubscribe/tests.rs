//! Tests of rule `futile-unsubscribe`.

use crate::testing::expect;

#[test]
fn a_fresh_lambda_never_matches() {
    expect(
        "futile-unsubscribe",
        r#"
//// Kiln.cs
using System;
public class Kiln { public event Action Fired; public void Fire() { Fired?.Invoke(); } }
public class Log {
    readonly Kiln kiln;
    public Log(Kiln kiln) { this.kiln = kiln; kiln.Fired += () => Note(); }
    public void Close() {
        kiln.Fired -= () => Note(); //! futile-unsubscribe error
    }
    void Note() { }
}
"#,
    );
}

#[test]
fn a_method_of_the_same_object_matches_in_this_language() {
    expect(
        "futile-unsubscribe",
        r#"
//// Kiln.cs
using System;
public class Kiln { public event Action Fired; public void Fire() { Fired?.Invoke(); } }
public class Log {
    readonly Kiln kiln;
    public Log(Kiln kiln) { this.kiln = kiln; kiln.Fired += Note; }
    public void Close() { kiln.Fired -= new Action(Note); }
    void Note() { }
}
"#,
    );
}

#[test]
fn a_method_reference_is_a_new_object_in_this_one() {
    expect(
        "futile-unsubscribe",
        r#"
//// Kiln.java
package pottery;
import java.util.ArrayList;
import java.util.List;
class Kiln {
    private final List<Runnable> listeners = new ArrayList<>();
    void addListener(Runnable l) { listeners.add(l); }
    void removeListener(Runnable l) { listeners.remove(l); }
    void fire() { listeners.forEach(Runnable::run); }
}
class Log {
    private final Kiln kiln;
    Log(Kiln kiln) { this.kiln = kiln; kiln.addListener(this::note); }
    void close() {
        kiln.removeListener(this::note); //! futile-unsubscribe error
    }
    void note() { }
}
"#,
    );
}

#[test]
fn the_same_reference_in_a_field_matches() {
    expect(
        "futile-unsubscribe",
        r#"
//// Kiln.java
package pottery;
import java.util.ArrayList;
import java.util.List;
class Kiln {
    private final List<Runnable> listeners = new ArrayList<>();
    void addListener(Runnable l) { listeners.add(l); }
    void removeListener(Runnable l) { listeners.remove(l); }
    void fire() { listeners.forEach(Runnable::run); }
}
class Log {
    private final Kiln kiln;
    private final Runnable noting = this::note;
    Log(Kiln kiln) { this.kiln = kiln; kiln.addListener(noting); }
    void close() { kiln.removeListener(noting); }
    void note() { }
}
"#,
    );
}

#[test]
fn binding_anew_makes_a_new_function() {
    expect(
        "futile-unsubscribe",
        r#"
//// gauge.ts
export class Gauge {
  private readonly listeners: Array<() => void> = [];
  add(listener: () => void): void { this.listeners.push(listener); }
  remove(listener: () => void): void {
    const at = this.listeners.indexOf(listener);
    if (at >= 0) this.listeners.splice(at, 1);
  }
  rise(): void { for (const l of [...this.listeners]) l(); }
}
export class Board {
  constructor(private readonly gauge: Gauge) { gauge.add(this.note.bind(this)); }
  close(): void {
    this.gauge.remove(this.note.bind(this)); //! futile-unsubscribe error
  }
  private note(): void {}
}
"#,
    );
}

#[test]
fn what_is_put_on_something_unknown_may_be_taken_off() {
    expect(
        "futile-unsubscribe",
        r#"
//// chart.ts
export class Signal<T> {
  private slots: ((value: T) => void)[] = [];
  connect(slot: (value: T) => void): void { this.slots.push(slot); }
  disconnect(slot: (value: T) => void): void { this.slots = this.slots.filter(s => s !== slot); }
  emit(value: T): void { for (const slot of this.slots) slot(value); }
}
export class Chart {
  readonly closed = new Signal<number>();
  private tell = (page: number) => this.closed.emit(page);
  open(): Chart {
    const inset = new (this.constructor as new () => Chart)();
    inset.closed.connect(this.forward);
    return inset;
  }
  close(inset: Chart): void { inset.closed.disconnect(this.forward); }
  private forward(page: number): void { this.tell(page); }
}
"#,
    );
}

#[test]
fn taken_off_another_object_than_the_one_it_is_on() {
    expect(
        "futile-unsubscribe",
        r#"
//// gauge.ts
export class Gauge {
  private ears: ((cm: number) => void)[] = [];
  on(ear: (cm: number) => void): void { this.ears.push(ear); }
  off(ear: (cm: number) => void): void { this.ears = this.ears.filter((e) => e !== ear); }
  rise(cm: number): void { for (const ear of this.ears) ear(cm); }
}
export const river = new Gauge();
export const canal = new Gauge();
//// boards.ts
import { Gauge, canal, river } from './gauge';
export class Tower {
  private level = 0;
  private readonly own = new Gauge();
  open(): void { river.on(this.show); this.own.on(this.show); }
  close(): void { river.off(this.show); this.own.off(this.show); }
  private show = (cm: number): void => { this.level = cm; };
}
export class Quay {
  private level = 0;
  private readonly own = new Gauge();
  open(): void { river.on(this.show); }
  close(): void { this.own.off(this.show); } //! futile-unsubscribe error
  private show = (cm: number): void => { this.level = cm; };
}
export class Weir {
  private level = 0;
  open(): void { river.on(this.show); }
  close(): void { canal.off(this.show); } //! futile-unsubscribe error
  private show = (cm: number): void => { this.level = cm; };
}
export class Pier {
  private level = 0;
  private readonly own = new Gauge();
  constructor(private readonly given: Gauge) { given.on(this.show); }
  close(): void { this.own.off(this.show); } //! futile-unsubscribe error
  private show = (cm: number): void => { this.level = cm; };
}
export class Ferry {
  private level = 0;
  constructor(private readonly given: Gauge) { given.on(this.show); }
  close(): void { river.off(this.show); }
  private show = (cm: number): void => { this.level = cm; };
}
"#,
    );
}
