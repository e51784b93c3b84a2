//! Tests of rule `leaked-subscription`.

use crate::testing::expect;

#[test]
fn a_static_field_that_was_just_filled_holds_what_is_new() {
    expect(
        "leaked-subscription",
        r#"
//// Printer.java
interface JobListener { void done(); }
class Job {
    private final java.util.List<JobListener> listeners = new java.util.ArrayList<>();
    void addJobListener(JobListener l) { listeners.add(l); }
    void print() { for (JobListener l : listeners) l.done(); }
}
class Printer {
    private static Job job;
    private static final Job FIRST = new Job();
    static class Done implements JobListener {
        private final Printer printer;
        Done(Printer printer) { this.printer = printer; }
        public void done() { }
    }
    void print() {
        job = new Job();
        job.addJobListener(new Done(this));
        job.print();
        FIRST.addJobListener(new Done(this)); //! leaked-subscription error
        FIRST.print();
    }
    public static void main(String[] args) { for (int i = 0; i < 3; i++) new Printer().print(); }
}
"#,
    );
}

#[test]
fn what_a_container_makes_lives_on() {
    expect(
        "leaked-subscription",
        r#"
//// src/dome.ts
@injectable()
export class Dome {
  constructor() { window.addEventListener('resize', () => this.turn()); }
  turn() {}
}
export class Camera {
  constructor() { window.addEventListener('resize', () => this.expose()); } //! leaked-subscription error
  expose() {}
}
for (const night of [1, 2]) new Camera();
"#,
    );
}

#[test]
fn what_ends_its_subject_needs_no_release() {
    expect(
        "leaked-subscription",
        r#"
//// Shelf.java
interface Heat { void hot(); }
class Oven {
    private final java.util.List<Heat> listeners = new java.util.ArrayList<>();
    void addListener(Heat l) { listeners.add(l); }
    void heat() { for (Heat l : listeners) l.hot(); }
    void stop() { }
}
class Shelf implements Heat {
    private final Oven oven;
    Shelf(Oven oven) { this.oven = oven; oven.addListener(this); }
    public void hot() { }
    void close() { oven.stop(); }
}
class Rack implements Heat {
    private final Oven oven;
    Rack(Oven oven) { this.oven = oven; oven.addListener(this); } //! leaked-subscription warning
    public void hot() { }
    void close() { oven.heat(); }
}
class Bakery {
    private final Oven oven = new Oven();
    void day() {
        for (int i = 0; i < 3; i++) { new Shelf(oven).close(); new Rack(oven).close(); }
        oven.heat();
    }
    public static void main(String[] args) { new Bakery().day(); }
}
"#,
    );
}

#[test]
fn what_is_made_where_nobody_is_shown_to_come_by_is_possible() {
    expect(
        "leaked-subscription",
        r#"
//// Main.java
class Settings {
    private static final java.util.List<Runnable> listeners = new java.util.ArrayList<>();
    static void addListener(Runnable l) { listeners.add(l); }
    static void change() { listeners.forEach(Runnable::run); }
}
class Menu {
    Menu() { Settings.addListener(this::redraw); } //! leaked-subscription note
    void redraw() { }
}
class Window {
    private Menu menu;
    void build() { menu = new Menu(); }
}
class Main {
    static void later(Runnable step) { new Thread(step).start(); }
    public static void main(String[] args) {
        Window window = new Window();
        later(window::build);
        Settings.change();
    }
}
"#,
    );
}

#[test]
fn an_instance_left_on_a_process_wide_event() {
    expect(
        "leaked-subscription",
        r#"
//// Tide.cs
using System;
public static class Tide { public static event Action Turned; public static void Turn() { Turned?.Invoke(); } }
public class Buoy {
    public Buoy() {
        Tide.Turned += Sway; //! leaked-subscription error
    }
    void Sway() { }
}
public class Harbour {
    public void Dredge() { for (int i = 0; i < 3; i++) new Buoy(); Tide.Turn(); }
    public static void Main() { new Harbour().Dredge(); }
}
"#,
    );
}

#[test]
fn a_release_in_the_teardown_is_enough() {
    expect(
        "leaked-subscription",
        r#"
//// Tide.cs
using System;
public static class Tide { public static event Action Turned; public static void Turn() { Turned?.Invoke(); } }
public class Buoy : IDisposable {
    public Buoy() { Tide.Turned += Sway; }
    public void Dispose() { Tide.Turned -= Sway; }
    void Sway() { }
}
public class Harbour {
    public static void Main() { for (int i = 0; i < 3; i++) using (new Buoy()) Tide.Turn(); }
}
"#,
    );
}

#[test]
fn a_teardown_that_forgets_one_of_two() {
    expect(
        "leaked-subscription",
        r#"
//// Oven.java
package bakery;
import java.util.ArrayList;
import java.util.List;
interface OvenListener { void hot(int degrees); }
class Oven {
    private final List<OvenListener> listeners = new ArrayList<>();
    void addListener(OvenListener l) { listeners.add(l); }
    void removeListener(OvenListener l) { listeners.remove(l); }
    void heat() { for (OvenListener l : listeners) l.hot(220); }
}
class Door {
    private final List<OvenListener> listeners = new ArrayList<>();
    void addListener(OvenListener l) { listeners.add(l); }
    void removeListener(OvenListener l) { listeners.remove(l); }
    void open() { for (OvenListener l : listeners) l.hot(40); }
}
class Timer implements OvenListener, AutoCloseable {
    private final Oven oven;
    private final Door door;
    Timer(Oven oven, Door door) {
        this.oven = oven;
        this.door = door;
        oven.addListener(this);
        door.addListener(this); //! leaked-subscription warning
    }
    public void hot(int degrees) { }
    public void close() { oven.removeListener(this); }
}
class Bakery {
    private final Oven oven = new Oven();
    private final Door door = new Door();
    void bake() {
        for (int i = 0; i < 3; i++) { try (Timer t = new Timer(oven, door)) { oven.heat(); door.open(); } }
    }
    public static void main(String[] args) { new Bakery().bake(); }
}
"#,
    );
}

#[test]
fn parts_of_one_owner_end_together() {
    expect(
        "leaked-subscription",
        r#"
//// Greenhouse.java
package greenhouse;
import java.util.ArrayList;
import java.util.List;
interface FrostListener { void frost(); }
class Thermometer {
    private final List<FrostListener> listeners = new ArrayList<>();
    void addFrostListener(FrostListener l) { listeners.add(l); }
    void read(int degrees) { if (degrees < 0) for (FrostListener l : listeners) l.frost(); }
}
class Heater implements FrostListener {
    public void frost() { }
}
class Greenhouse {
    private final Thermometer thermometer = new Thermometer();
    private final Heater heater = new Heater();
    Greenhouse() { thermometer.addFrostListener(heater); }
    void night() { thermometer.read(-2); }
}
"#,
    );
}

#[test]
fn a_lambda_on_an_emitter_that_came_in_from_outside() {
    expect(
        "leaked-subscription",
        r#"
//// dome.ts
import { EventEmitter } from "events";
export class Sky extends EventEmitter {
  clear(): void { this.emit("clear"); }
}
//// telescope.ts
import { Sky } from "./dome";
class Telescope {
  private open = false;
  constructor(private readonly sky: Sky) {
    sky.on("clear", () => { this.open = true; }); //! leaked-subscription warning
  }
  dispose(): void { this.open = false; }
}
export function night(): void {
  const sky = new Sky();
  for (let i = 0; i < 3; i++) { const t = new Telescope(sky); sky.clear(); t.dispose(); }
}
"#,
    );
}

#[test]
fn a_kept_handle_that_the_teardown_calls() {
    expect(
        "leaked-subscription",
        r#"
//// dome.ts
export class Sky {
  private readonly listeners = new Set<() => void>();
  onClear(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => { this.listeners.delete(listener); };
  }
  clear(): void { for (const l of this.listeners) l(); }
}
//// telescope.ts
import { Sky } from "./dome";
export class Telescope {
  private readonly stop: () => void;
  private open = false;
  constructor(sky: Sky) { this.stop = sky.onClear(() => { this.open = true; }); }
  dispose(): void { this.stop(); }
}
export function night(sky: Sky): void {
  for (let i = 0; i < 3; i++) { const t = new Telescope(sky); sky.clear(); t.dispose(); }
}
"#,
    );
}

#[test]
fn a_static_handler_keeps_nothing_alive() {
    expect(
        "leaked-subscription",
        r#"
//// Tide.cs
using System;
public static class Tide { public static event Action Turned; public static void Turn() { Turned?.Invoke(); } }
public class Buoy {
    static int sways;
    public Buoy() { Tide.Turned += Count; }
    static void Count() { sways++; }
}
"#,
    );
}

#[test]
fn an_object_made_for_its_subject_and_let_go() {
    expect(
        "leaked-subscription",
        r#"
//// Editor.cs
using System;
public class View { public event Action Saved; public void Save() { Saved?.Invoke(); } }
public class Presenter {
    public Presenter(View view) { view.Saved += Store; }
    void Store() { }
}
public class Shell {
    public void Open() { var view = new View(); new Presenter(view); view.Save(); }
}
"#,
    );
}

#[test]
fn what_ends_with_its_owner_needs_no_release() {
    expect(
        "leaked-subscription",
        r#"
//// panel.ts
export interface Disposable { dispose(): void; }
export class Disposables implements Disposable {
  private all: Disposable[] = [];
  push(...more: Disposable[]): void { this.all.push(...more); }
  dispose(): void { for (const one of this.all) one.dispose(); }
}
export class Knob implements Disposable {
  turned: (by: number) => void = () => {};
  turn(): void { this.turned(1); }
  dispose(): void { this.turned = () => {}; }
}
export class Panel implements Disposable {
  private readonly ends = new Disposables();
  private readonly knobs = new Map<string, Knob>();
  private level = 0;
  constructor(private readonly knob: Knob, private readonly spare: Knob) {
    this.ends.push(this.knob);
    this.knob.turned = by => this.rise(by);
    this.spare.turned = by => this.rise(by); //! leaked-subscription warning
  }
  add(name: string, knob: Knob): void {
    this.knobs.set(name, knob);
    knob.turned = by => this.rise(by);
  }
  rise(by: number): void { this.level += by; }
  dispose(): void {
    this.ends.dispose();
    this.knobs.forEach(knob => knob.dispose());
  }
}
export function show(knob: Knob, spare: Knob): void {
  const panel = new Panel(knob, spare);
  panel.add('left', knob);
  panel.dispose();
}
"#,
    );
}

#[test]
fn an_object_literal_that_keeps_its_listeners_in_the_module() {
    expect(
        "leaked-subscription",
        r#"
//// intercom.ts
type Ear = (text: string) => void;
const lines = new Map<string, Set<Ear>>();
const waiting = new Map<string, Ear[]>();
export const intercom = {
  join(line: string, ear: Ear): void {
    let ears = lines.get(line);
    if (!ears) lines.set(line, (ears = new Set()));
    ears.add(ear);
  },
  say(line: string, text: string): void { for (const ear of lines.get(line) ?? []) ear(text); },
  once(line: string, ear: Ear): void {
    let queue = waiting.get(line);
    if (!queue) {
      queue = [];
      waiting.set(line, queue);
      setTimeout(() => {
        waiting.delete(line);
        queue.forEach((fn) => fn(line));
      }, 10);
    }
    queue.push(ear);
  },
};
//// post.ts
import { intercom } from './intercom';
export class Post {
  heard = 0;
  constructor() {
    intercom.join('stage', () => { this.heard++; }); //! leaked-subscription error
    intercom.once('pit', () => { this.heard++; });
  }
  dispose(): void { this.heard = 0; }
}
for (const act of [1, 2, 3]) {
  const post = new Post();
  intercom.say('stage', `curtain ${act}`);
  post.dispose();
}
"#,
    );
}

#[test]
fn what_a_flag_lets_through_for_good() {
    expect(
        "leaked-subscription",
        r#"
//// tools.ts
export class Compass {
  private registered = false;
  private readonly turned = (): void => this.turn();
  enable(): void {
    if (!this.registered) window.addEventListener('resize', this.turned);
    this.registered = true;
  }
  disable(): void {}
  turn(): void {}
}
export class Sextant {
  private on = false;
  private readonly turned = (): void => this.turn();
  enable(): void {
    if (this.on) return;
    this.on = true;
    if (this.on) window.addEventListener('resize', this.turned); //! leaked-subscription error
  }
  disable(): void { this.on = false; }
  turn(): void {}
}
export function fit(tools: (Compass | Sextant)[]): void { for (const tool of tools) tool.enable(); }
"#,
    );
}

#[test]
fn what_runs_once_when_the_program_starts() {
    expect(
        "leaked-subscription",
        r#"
//// Pantry.java
import javax.swing.JCheckBox;
import javax.swing.SwingUtilities;
class Pantry implements java.awt.event.ItemListener {
    static JCheckBox tidy = new JCheckBox();
    Pantry() { tidy.addItemListener(this); } //! leaked-subscription note
    public void itemStateChanged(java.awt.event.ItemEvent e) { }
    public static void main(String[] args) {
        SwingUtilities.invokeLater(new Runnable() { public void run() { new Pantry(); } });
    }
}
class Shelf implements java.awt.event.ItemListener {
    Shelf() { Pantry.tidy.addItemListener(this); } //! leaked-subscription error
    public void itemStateChanged(java.awt.event.ItemEvent e) { }
    static void fill(int n) { for (int i = 0; i < n; i++) new Shelf(); }
}
"#,
    );
}

#[test]
fn handles_in_a_list_that_nobody_goes_through() {
    expect(
        "leaked-subscription",
        r#"
//// bell.ts
export class Bell {
  private ears: (() => void)[] = [];
  on(ear: () => void): () => void { this.ears.push(ear); return () => { this.ears = this.ears.filter((e) => e !== ear); }; }
  ring(): void { for (const ear of this.ears) ear(); }
}
export const bell = new Bell();
//// rooms.ts
import { bell } from './bell';
export class Hall {
  private ends: (() => void)[] = [];
  private heard = 0;
  constructor() { this.ends.push(bell.on(() => this.hear())); } //! leaked-subscription error
  hear(): void { this.heard++; }
  destroy(): void { this.ends = []; }
}
export class Attic {
  private ends: (() => void)[] = [];
  private heard = 0;
  constructor() { this.ends.push(bell.on(() => this.hear())); }
  hear(): void { this.heard++; }
  destroy(): void { for (const end of this.ends) end(); this.ends = []; }
}
export class Cellar {
  private heard = 0;
  constructor(private readonly house: { ends: (() => void)[] }) { house.ends.push(bell.on(() => this.hear())); }
  hear(): void { this.heard++; }
  destroy(): void {}
}
export function furnish(house: { ends: (() => void)[] }, n: number): void {
  for (let i = 0; i < n; i++) { new Hall().destroy(); new Attic().destroy(); new Cellar(house).destroy(); }
  bell.ring();
}
"#,
    );
}

#[test]
fn a_way_out_before_the_release() {
    expect(
        "leaked-subscription",
        r#"
//// Canal.java
import java.util.ArrayList;
import java.util.List;
interface Ear { void told(int cm); }
class Gauge {
    static final Gauge MAIN = new Gauge();
    private final List<Ear> ears = new ArrayList<>();
    void on(Ear ear) { ears.add(ear); }
    void off(Ear ear) { ears.remove(ear); }
    Sub sub(Ear ear) { ears.add(ear); return () -> off(ear); }
    void rise(int cm) { for (Ear ear : ears) ear.told(cm); }
}
interface Sub extends AutoCloseable { void close(); }
class Passage {
    private int seen;
    void early() {
        Ear ear = cm -> seen = cm;
        Gauge.MAIN.on(ear); //! leaked-subscription error
        if (seen > 3) return;
        Gauge.MAIN.off(ear);
    }
    void guarded() {
        Ear ear = cm -> seen = cm;
        Gauge.MAIN.on(ear);
        try {
            if (seen > 3) return;
            Gauge.MAIN.rise(seen);
        } finally {
            Gauge.MAIN.off(ear);
        }
    }
    void before() {
        if (seen > 3) return;
        Ear ear = cm -> seen = cm;
        Gauge.MAIN.on(ear);
        Gauge.MAIN.off(ear);
    }
    void scoped() {
        try (Sub sub = Gauge.MAIN.sub(cm -> seen = cm)) {
            Gauge.MAIN.rise(3);
        }
    }
}
class Board implements Ear, AutoCloseable {
    private int shown;
    Board() { Gauge.MAIN.on(this); } //! leaked-subscription error
    public void told(int cm) { shown = cm; }
    public void close() { shown = 0; }
}
class Lamp implements Ear, AutoCloseable {
    private int lit;
    Lamp(Gauge gauge) { gauge.on(this); } //! leaked-subscription warning
    public void told(int cm) { lit = cm; }
    public void close() { lit = 0; }
}
class Tour {
    static void go(Gauge gauge) {
        for (int i = 0; i < 9; i++) {
            Passage passage = new Passage();
            passage.early();
            passage.guarded();
            passage.before();
            passage.scoped();
            new Board().close();
            new Lamp(gauge).close();
        }
        gauge.rise(4);
    }
    public static void main(String[] args) { go(new Gauge()); }
}
"#,
    );
}

#[test]
fn numbers_that_are_kept_and_that_are_not() {
    expect(
        "leaked-subscription",
        r#"
//// gauge.h
#include <functional>
#include <map>
#include <vector>
class Gauge {
public:
    static Gauge& shared() { static Gauge g; return g; }
    int add(std::function<void(int)> ear) { int id = next++; ears[id] = std::move(ear); return id; }
    void remove(int id) { ears.erase(id); }
    void rise(int cm) { for (auto& [id, ear] : ears) ear(cm); }
private:
    std::map<int, std::function<void(int)>> ears;
    int next = 0;
};
//// boards.cpp
#include "gauge.h"
class Kept {
public:
    Kept() { id = Gauge::shared().add([this](int cm) { shown = cm; }); }
    ~Kept() { Gauge::shared().remove(id); }
private:
    int shown = 0;
    int id;
};
class Several {
public:
    Several() { ids.push_back(Gauge::shared().add([this](int cm) { shown = cm; })); }
    ~Several() { for (int id : ids) Gauge::shared().remove(id); }
private:
    int shown = 0;
    std::vector<int> ids;
};
class Dropped {
public:
    Dropped() { Gauge::shared().add([this](int cm) { shown = cm; }); } //! leaked-subscription error
    ~Dropped() {}
private:
    int shown = 0;
};
class Cleared {
public:
    Cleared() { ids.push_back(Gauge::shared().add([this](int cm) { shown = cm; })); } //! leaked-subscription error
    ~Cleared() { ids.clear(); }
private:
    int shown = 0;
    std::vector<int> ids;
};
int main() {
    for (int i = 0; i < 9; i++) { Kept a; Several b; Dropped c; Cleared d; }
    Gauge::shared().rise(3);
}
"#,
    );
}

#[test]
fn what_tests_hand_over_says_nothing_of_the_program() {
    expect(
        "leaked-subscription",
        r#"
//// lib/board.js
module.exports = Board;
function Board(options) {
  this.locks = options.locks;
  this.locks.on('jammed', this.show.bind(this)); //! leaked-subscription note
}
Board.prototype.show = function (lock) { this.shown = lock; };
//// lib/locks.js
const { EventEmitter } = require('events');
class Locks extends EventEmitter { jam(lock) { this.emit('jammed', lock); } }
module.exports = Locks;
//// test/test-board.js
const Board = require('../lib/board');
const Locks = require('../lib/locks');
const locks = new Locks();
(function showsWhatIsJammed() { const board = new Board({ locks }); locks.jam(3); })();
(function showsIt() { const board = new Board({ locks }); locks.jam(4); })();
"#,
    );
}

#[test]
fn what_is_taken_off_the_same_by_name_where_one_is_not_known() {
    expect(
        "leaked-subscription",
        r#"
//// desk.js
const kept = require('quay-shelf');
class Marks {
  constructor() { this.show = this.show.bind(this); }
  attach(board) {
    kept.put(this, board);
    board.pane.on('drawn', this.show);
  }
  detach() {
    const board = kept.take(this);
    board.pane.off('drawn', this.show);
  }
  show(n) { this.shown = n; }
}
class Desk {
  constructor() { this.board = null; }
  get marks() {
    const marks = new Marks();
    marks.attach(this.board);
    return marks;
  }
}
class Board {
  constructor(pane) {
    /** @type {Pane} */
    this.pane = pane;
  }
  /** @param {Desk} desk */
  open(desk) { if (desk) desk.board = this; }
}
module.exports = { Board, Desk };
"#,
    );
}
