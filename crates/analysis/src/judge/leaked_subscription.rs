//! Rule `leaked-subscription`: a subscription outlives its subscriber.

mod lives;
mod moved_on;
mod released;
mod teardown;

use rayon::prelude::*;
use yarrowgraph_ir::TypeKind;
use yarrowgraph_model::{Certainty, ChannelKind, Level, Lifetime};

use super::futile_unsubscribe::empty_keeper;
use super::{Draft, Page, Rule, edits, related, short};
use crate::flow::Val;
use crate::program::{MemberId, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::component;
use crate::wire::effect::{Act, Effect, Event};
use crate::wire::lifetime::{self, Judged};
use crate::wire::once::Lives;
use crate::wire::release::{self, Same};
use crate::wire::subscriber::{self, Subscriber};
use lives::{is_handed_over, is_kept_by_subject, is_made, lives_on, takes_in_subject};

pub(super) const RULE: Rule = Rule {
    name: "leaked-subscription",
    summary: "a subscription outlives its subscriber",
    level: Level::Warning,
    page: Page {
        symptom: "Objects that were closed are still called, and are never freed: the list of handlers grows with every one that is made.",
        cause: "The subject lives longer than the subscriber and holds its handler, and nothing takes the handler off when the subscriber's life ends.",
        cure: "Take the same handler off the same channel in the method that ends the subscriber's life, or keep the handle that subscribing gives back and release it there.",
        silent: "The subject is the subscriber's own or ends together with it; the subscriber lives as long as the process; the handler is static or captures no instance; the channel holds it weakly; it takes itself off; a release is reached from a teardown, from the owner, or from the hook that pairs with the one that subscribed.",
        accept: "The subscriber is meant to live as long as its subject, and the code does not show it.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let of_channel = |channel: &Channel| {
        let judged = channel.joins.iter().filter_map(|j| judge(wiring, channel, *j).or_else(|| moved_on::judge(wiring, channel, *j)));
        judged.collect::<Vec<_>>()
    };
    wiring.channels.par_iter().with_max_len(1).flat_map_iter(of_channel).collect()
}

pub(super) fn judge(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Draft> {
    let effect = &wiring.effects[join];
    let flow = &wiring.flow;
    let program = wiring.program();
    if effect.weak || effect.once || effect.bounded || effect.tied || wiring.is_generated(effect) || wiring.in_test(effect.site.member) {
        return None;
    }
    // a double that tests put in the place of the subject
    if matches!(channel.key, ChannelKey::Own(m, _) if wiring.in_test(m)) {
        return None;
    }
    let handler = effect.handler.as_ref()?;
    if let Some(component) = component::of_effect(flow, effect.site)
        && component::makes(flow, component, handler)
    {
        return judge_effect(wiring, channel, join, component);
    }
    let subscriber = match (subscriber::of(flow, handler, effect.site), &effect.context) {
        (Subscriber::Nobody, _) | (Subscriber::Weak, _) => return None,
        (Subscriber::Unknown, Some(context)) => Subscriber::This(flow.type_of(context).own()?),
        (Subscriber::Unknown, None) => return None,
        (known, _) => known,
    };
    let ty = subscriber.type_id()?;
    if matches!(program.ty(ty).kind, TypeKind::Enum) {
        return None;
    }
    // another object's handler: its life is its owner's to look after, unless it is only made to be handed over
    if let Subscriber::Other(other) = subscriber
        && !is_fresh_listener(handler)
        && !holds_itself(wiring, other, effect)
    {
        return None;
    }
    let judged = lifetime::of_subject(wiring, &effect.holder.subject, effect.site);
    let level = match judged.lifetime {
        Lifetime::Process => Level::Error,
        Lifetime::Outer if program.kit_of(effect.site.member).traits.references_dangle => Level::Error,
        Lifetime::Outer => Level::Warning,
        _ => return None,
    };
    if is_platform_owned(wiring, channel, effect) || bound_by_base(wiring, effect, ty) || released::awaits_answer(wiring, effect) {
        return None;
    }
    let teardown = teardown::teardown_of(wiring, ty, Some(effect.site.member));
    // putting it on again where it should be taken off is the slip
    let is_put_on_again = || {
        let joins = channel.joins.iter().map(|j| &wiring.effects[*j]);
        let same = joins.filter(|j| release::same_handler(flow, j, effect) == Same::Yes);
        let (at_the_end, before): (Vec<&Effect>, Vec<&Effect>) = same.partition(|j| Some(j.site.member) == teardown);
        !at_the_end.is_empty() && !before.is_empty()
    };
    let ends_subject = teardown.is_some_and(|t| released::ends_its_subject(wiring, t, effect));
    if released::is_released(wiring, channel, join, Some(ty))
        || released::is_put_aside(wiring, effect, ty)
        || released::is_left_by_futile_release(wiring, channel, effect)
        || empty_keeper(wiring, effect).is_some()
        || ends_subject
        || is_put_on_again()
        || teardown.is_some_and(|t| teardown::is_done_for_good(wiring, effect, t))
    {
        return None;
    }
    // in a slot the next one takes the place of what was handed over
    if judged.lifetime == Lifetime::Process && effect.replaces && is_handed_over(wiring, handler) {
        return None;
    }
    if judged.lifetime == Lifetime::Process && is_made_just_before(wiring, effect) {
        return None;
    }
    let is_outer = judged.lifetime == Lifetime::Outer;
    if is_outer && (is_kept_by_subject(wiring, effect, ty, teardown.is_some(), handler) || takes_in_subject(wiring, effect)) {
        return None;
    }
    let lives = lives_on(wiring, ty, effect.site.member);
    if lives == Lives::Yes {
        return None;
    }
    let certainty = match certainty(wiring, channel, effect, judged, teardown)? {
        _ if lives == Lives::Unsaid && teardown.is_none() => Certainty::Possible,
        _ if teardown.is_none() && !is_made(wiring, ty) => Certainty::Possible,
        known => known,
    };
    let who = short(&program.type_id(ty));
    let what = short(&channel.id);
    let handler_name = short(&handler_id(wiring, effect));
    let message = match teardown {
        Some(t) => format!("`{handler_name}` stays subscribed to `{what}` after `{who}.{}` has run", program.text(program.member(t).name)),
        None => format!("`{handler_name}` stays subscribed to `{what}`, which outlives `{who}`, and nothing takes it off"),
    };
    let mut related_places = Vec::new();
    if let ChannelKey::Own(m, _) = channel.key {
        related_places.push(related(format!("`{what}` is held here"), program.member_place(m)));
    }
    if let Some(t) = teardown {
        related_places.push(related("this ends the subscriber's life without releasing it", program.member_place(t)));
    }
    Some(Draft {
        level,
        certainty,
        place: wiring.place(effect),
        message,
        related: related_places,
        parties: vec![channel.id.clone(), handler_id(wiring, effect), program.member_id(effect.site.member)],
        edit: teardown.and_then(|t| edits::release_in(wiring, effect, t)),
    })
}

/// A subscription that a component's effect makes, and that what it returns does not end.
fn judge_effect(wiring: &Wiring<'_>, channel: &Channel, join: usize, component: MemberId) -> Option<Draft> {
    let effect = &wiring.effects[join];
    let (level, certainty) = match lifetime::of_subject(wiring, &effect.holder.subject, effect.site).lifetime {
        Lifetime::Process => (Level::Error, Certainty::Likely),
        Lifetime::Outer => (Level::Warning, Certainty::Likely),
        _ => return None,
    };
    if effect.certainty == Certainty::Possible
        || released::is_released(wiring, channel, join, None)
        || released::is_left_by_futile_release(wiring, channel, effect)
    {
        return None;
    }
    let program = wiring.program();
    let (who, what, handler) = (short(&program.member_id(component)), short(&channel.id), short(&handler_id(wiring, effect)));
    Some(Draft {
        level,
        certainty,
        place: wiring.place(effect),
        message: format!(
            "`{handler}` stays subscribed to `{what}` when the component `{who}` is gone: its effect returns nothing that takes it off"
        ),
        related: vec![related("this is the component", program.member_place(component))],
        parties: vec![channel.id.clone(), handler_id(wiring, effect), program.member_id(component)],
        edit: None,
    })
}

/// How sure a leak is, and whether it is worth saying at all.
fn certainty(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect, judged: Judged, teardown: Option<MemberId>) -> Option<Certainty> {
    if effect.certainty == Certainty::Possible && !teardown.is_some_and(|t| gets_off(wiring, channel, effect, t)) {
        return None;
    }
    let has_teardown = teardown.is_some();
    let outside = channel.kind == ChannelKind::Platform;
    Some(match (judged.lifetime, judged.shown, has_teardown) {
        (Lifetime::Process, true, _) => Certainty::Certain,
        (Lifetime::Outer, true, true) if !outside => Certainty::Certain,
        (Lifetime::Outer, true, false) if !outside => Certainty::Likely,
        (Lifetime::Outer, false, true) if !outside => Certainty::Likely,
        (Lifetime::Outer, true, true) => Certainty::Likely,
        _ => Certainty::Possible,
    })
}

/// Whether what nothing is known of is something that one can be on: the teardown gets off it by other topics, and nothing takes this
/// very handler off anything. Who hears that the subject ends needs not get off.
fn gets_off(wiring: &Wiring<'_>, channel: &Channel, join: &Effect, teardown: MemberId) -> bool {
    let program = wiring.program();
    let (ChannelKey::Bus(_, Topic::Named(topic)) | ChannelKey::Own(_, Some(Topic::Named(topic)))) = &channel.key else { return false };
    let last_word = topic.rsplit(|c: char| !c.is_alphanumeric()).next().unwrap_or(topic);
    let pack = &program.kit_of(join.site.member).pack;
    let stem = |suffix: &str| last_word.strip_suffix(suffix).is_some_and(|stem| pack.teardowns.contains(stem));
    let tells_the_end = pack.teardowns.contains(last_word) || stem("d") || stem("ed");
    let gets_off_here = wiring.of_holder(channel).filter(|c| !c.joins.is_empty()).flat_map(|c| &c.leaves).any(|l| {
        let site = wiring.effects[*l].site;
        site.member == teardown || wiring.flow.call_sites(site.member).iter().any(|call| call.member == teardown)
    });
    let class = program.member(join.site.member).owner;
    let taken_off = |e: &Effect| e.act == Act::Leave && release::same_handler(&wiring.flow, join, e) == Same::Yes;
    let own = program.ty(class).members.iter().flat_map(|m| wiring.effects_in(*m));
    !tells_the_end && gets_off_here && !own.into_iter().any(taken_off)
}

fn is_fresh_listener(handler: &Val) -> bool {
    matches!(handler, Val::New(_) | Val::Local(_))
}

/// Whether the body that subscribes has put a new object into the static field that it subscribes to: the one before goes with all
/// that is on it.
fn is_made_just_before(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let Val::Static(subject) = effect.holder.subject else { return false };
    let scope = program.scope(effect.site.member);
    wiring.flow.definitions(subject).iter().any(|d| {
        d.member == effect.site.member
            && scope.is_before(d.node, effect.site.node)
            && matches!(wiring.flow.eval(*d), Val::New(_) | Val::Call(_))
    })
}

/// Whether it is the object itself that is put on the channel by code of its own, also by that of a listener which is written out within.
fn holds_itself(wiring: &Wiring<'_>, other: TypeId, effect: &Effect) -> bool {
    let program = wiring.program();
    let owner = program.member(effect.site.member).owner;
    let within = |t: &TypeId| program.ty(*t).anonymous.then(|| wiring.flow.enclosing_type(*t)).flatten();
    std::iter::successors(Some(owner), within).take(4).any(|t| t == other)
}

/// Widgets and library objects that came with the subscriber are looked after by their platform.
fn is_platform_owned(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let program = wiring.program();
    // an annotated or platform channel of an object of the subscriber's own kind
    matches!(channel.kind, ChannelKind::Platform) && matches!(effect.holder.subject, Val::This(_)) || {
        // terminal signals: the subject ends with them
        let name = match effect.holder.event {
            Event::Own(m) => program.text(program.member(m).name),
            Event::Outside(name) => program.text(name),
            _ => "",
        };
        matches!(name, "disposed" | "Disposed" | "FormClosed" | "Closed" | "closed" | "onDidDispose" | "Exited" | "WindowListener")
            || comes_once(wiring, channel, effect)
    }
}

/// Whether a stream of the platform tells by a topic that it is over, or a page that it is there: neither comes a second time.
fn comes_once(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let once = &wiring.program().kit_of(effect.site.member).pack.once_topics;
    matches!(&channel.key, ChannelKey::Bus(_, Topic::Named(topic)) if once.contains(topic))
}

/// A connection bound to an object whose base class, of another package, clears it.
fn bound_by_base(wiring: &Wiring<'_>, effect: &Effect, ty: TypeId) -> bool {
    let Some(context) = &effect.context else { return false };
    let bound = matches!(context, Val::This(_));
    bound && !wiring.program().outside_bases(ty).is_empty()
}

fn handler_id(wiring: &Wiring<'_>, effect: &Effect) -> String {
    crate::wire::handler_name(wiring, effect)
}

#[cfg(test)]
mod tests {
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
}
