//! Orders and handlers that only carrying out the set-up tells.

use yarrowgraph_model::Map;

use crate::testing::map;

/// For each handler of a channel those that come right before it.
fn orders(map: &Map, id: &str) -> Vec<String> {
    let channel = map.channels.iter().find(|c| c.id.ends_with(id)).expect("the channel");
    let name = |handler: &str| handler.rsplit_once("::").map_or(handler, |(_, last)| last).to_owned();
    let mut lines: Vec<String> = channel
        .subscriptions
        .iter()
        .map(|s| {
            let mut before: Vec<String> = s.after.iter().map(|i| name(&channel.subscriptions[*i as usize].handler)).collect();
            before.sort();
            format!("{} after [{}]", name(&s.handler), before.join(", "))
        })
        .collect();
    lines.sort();
    lines
}

/// A dome's shutter in Java, with listeners; what a text does with it is up to that.
fn java(main: &str) -> Map {
    map(&format!(
        r#"
//// Dome.java
import java.util.ArrayList;
import java.util.List;
import java.util.function.Supplier;
interface ShutterListener {{ void moved(int degrees); }}
class Shutter {{
    private final List<ShutterListener> listeners = new ArrayList<>();
    void addListener(ShutterListener l) {{ listeners.add(l); }}
    void turn(int degrees) {{ for (ShutterListener l : listeners) l.moved(degrees); }}
}}
class Clock implements ShutterListener {{ public void moved(int degrees) {{ }} }}
class Lamp implements ShutterListener {{ public void moved(int degrees) {{ }} }}
class Log implements ShutterListener {{ public void moved(int degrees) {{ }} }}
class Night {{
    {main}
}}
"#
    ))
}

const CHANNEL: &str = "Shutter.listeners";

#[test]
fn a_list_of_listeners_is_taken_apart_in_its_order() {
    let found = java(
        "public static void main(String[] args) { Shutter shutter = new Shutter();
         List<ShutterListener> all = new ArrayList<>(List.of(new Lamp(), new Clock()));
         all.add(0, new Log());
         for (ShutterListener l : all) shutter.addListener(l);
         shutter.turn(3); }",
    );
    assert_eq!(orders(&found, CHANNEL), ["Clock.moved after [Lamp.moved]", "Lamp.moved after [Log.moved]", "Log.moved after []"]);
}

#[test]
fn factories_make_listeners_in_turn() {
    let found = java(
        "public static void main(String[] args) { Shutter shutter = new Shutter();
         List<Supplier<ShutterListener>> makers = List.of(Lamp::new, () -> new Clock());
         makers.forEach(make -> shutter.addListener(make.get()));
         shutter.turn(3); }",
    );
    assert_eq!(orders(&found, CHANNEL), ["Clock.moved after [Lamp.moved]", "Lamp.moved after []"]);
}

#[test]
fn alternatives_come_in_no_order_among_themselves() {
    let found = java(
        "static void byDay(Shutter shutter) { shutter.addListener(new Lamp()); shutter.addListener(new Clock()); }
         static void byNight(Shutter shutter) { shutter.addListener(new Clock()); shutter.addListener(new Lamp()); }
         public static void main(String[] args) { Shutter shutter = new Shutter();
         shutter.addListener(new Log());
         if (args.length > 0) byDay(shutter); else byNight(shutter);
         shutter.addListener(d -> System.out.println(d));
         shutter.turn(3); }",
    );
    assert_eq!(
        orders(&found, CHANNEL),
        [
            "Clock.moved after [Lamp.moved]",
            "Clock.moved after [Log.moved]",
            "Lamp.moved after [Clock.moved]",
            "Lamp.moved after [Log.moved]",
            "Log.moved after []",
            "Night.main~1 after [Clock.moved, Lamp.moved]",
        ]
    );
}

#[test]
fn a_loop_of_unknown_length_says_nothing_of_what_stays_from_round_to_round() {
    let found = java(
        "public static void main(String[] args) { Shutter shutter = new Shutter();
         for (String each : args) { shutter.addListener(new Lamp()); shutter.addListener(new Clock()); }
         shutter.addListener(new Log());
         shutter.turn(3); }",
    );
    assert_eq!(orders(&found, CHANNEL), ["Clock.moved after []", "Lamp.moved after []", "Log.moved after [Clock.moved, Lamp.moved]"]);
}

#[test]
fn an_object_of_each_round_has_an_order_of_its_own() {
    let found = java(
        "public static void main(String[] args) {
         for (String each : args) { Shutter shutter = new Shutter(); shutter.addListener(new Lamp()); shutter.addListener(new Clock()); shutter.turn(1); } }",
    );
    assert_eq!(orders(&found, CHANNEL), ["Clock.moved after [Lamp.moved]", "Lamp.moved after []"]);
}

#[test]
fn bases_listen_before_their_heirs_and_callbacks_after_the_set_up() {
    let found = map(r#"
//// Greenhouse.cs
using System;
using System.Windows.Forms;
public static class Vents { public static event Action Opened; public static void Open() { Opened?.Invoke(); } }
public abstract class Panel { protected Panel(string name) { Vents.Opened += Draw; } void Draw() { } }
public class Roof : Panel { public Roof() : base("roof") { Vents.Opened += Shade; } void Shade() { } }
public class Late { public Late() { Vents.Opened += Count; } void Count() { } }
public class House : Form
{
    readonly Button button = new Button();
    public House() { button.Click += (s, e) => new Late(); Vents.Opened += Note; }
    void Note() { }
    public static void Main() { new Roof(); Application.Run(new House()); Vents.Open(); }
}
"#);
    assert_eq!(
        orders(&found, "Vents.Opened"),
        ["House.Note after [Roof.Shade]", "Late.Count after [House.Note]", "Panel.Draw after []", "Roof.Shade after [Panel.Draw]"]
    );
}

#[test]
fn modules_run_from_top_to_bottom() {
    let found = map(r#"
//// bell.ts
export type Ring = (times: number) => void;
export class Bell {
  private readonly rings = new Set<Ring>();
  onRing(ring: Ring): () => void { this.rings.add(ring); return () => void this.rings.delete(ring); }
  ring(times: number): void { for (const r of [...this.rings]) r(times); }
}
//// main.ts
import { Bell, Ring } from './bell';
function dough(times: number): void { console.log('dough', times); }
function oven(times: number): void { console.log('oven', times); }
const bell = new Bell();
[1, 2].map((n) => (times: number) => console.log(n, times)).forEach((ring) => bell.onRing(ring));
const early = process.argv.includes('--early');
for (const ring of early ? [dough, oven] : [oven, dough]) bell.onRing(ring);
bell.ring(2);
"#);
    assert_eq!(orders(&found, "Bell.rings"), ["main.dough after [main~2]", "main.oven after [main~2]", "main~2 after []"]);
}

#[test]
fn runs_that_never_end_are_given_up() {
    let found = java(
        "static int depth(int n) { return depth(n + 1); }
         public static void main(String[] args) { Shutter shutter = new Shutter();
         shutter.addListener(new Lamp());
         while (true) { depth(0); }
         }",
    );
    assert_eq!(orders(&found, CHANNEL), ["Lamp.moved after []"]);
}
