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

/// A mill's meter in JavaScript, with who hears it; what a program does with it is up to that.
fn javascript(main: &str) -> Map {
    map(&format!(
        r#"
//// meter.js
const {{ EventEmitter }} = require('events');
const meter = new EventEmitter();
function grind(kg) {{ meter.emit('ground', kg); }}
module.exports = {{ meter, grind }};
//// hoppers.js
const {{ meter }} = require('./meter');
class Hopper {{
  join() {{ meter.on('ground', this.filled.bind(this)); return this; }}
}}
class Bin extends Hopper {{ filled(kg) {{ this.kg = kg; }} }}
class Sack extends Hopper {{ filled(kg) {{ this.sack = kg; }} }}
class Board {{
  constructor() {{ meter.on('ground', (kg) => console.log(kg)); }}
}}
module.exports = {{ Bin, Sack, Board }};
//// main.js
const {{ Bin, Sack, Board }} = require('./hoppers');
const {{ grind }} = require('./meter');
{main}
"#
    ))
}

#[test]
fn what_a_program_gives_its_variables_comes_where_it_stands() {
    let map = javascript("const bin = new Bin().join();\ngrind(3);\nconst board = new Board();\nnew Sack().join();");
    assert_eq!(
        orders(&map, "ground"),
        [
            "hoppers.Bin.filled after []",
            "hoppers.Board.new~1 after [hoppers.Bin.filled]",
            "hoppers.Sack.filled after [hoppers.Board.new~1]"
        ]
    );
}

#[test]
fn what_waits_beside_others_comes_in_no_order() {
    let together = "async function later(hopper) {\n  await new Promise((done) => setTimeout(done, 5));\n  hopper.join();\n}\n\
                    const board = new Board();\nPromise.all([later(new Bin()), later(new Sack())]).then(() => grind(2));\ngrind(1);";
    assert_eq!(
        orders(&javascript(together), "ground"),
        [
            "hoppers.Bin.filled after [hoppers.Board.new~1]",
            "hoppers.Board.new~1 after []",
            "hoppers.Sack.filled after [hoppers.Board.new~1]"
        ]
    );
    let one_by_one = "async function later(hopper) {\n  await new Promise((done) => setTimeout(done, 5));\n  hopper.join();\n}\n\
                      async function main() {\n  await later(new Bin());\n  await later(new Sack());\n  const board = new Board();\n}\nmain();";
    assert_eq!(
        orders(&javascript(one_by_one), "ground"),
        [
            "hoppers.Bin.filled after []",
            "hoppers.Board.new~1 after [hoppers.Sack.filled]",
            "hoppers.Sack.filled after [hoppers.Bin.filled]"
        ]
    );
}

#[test]
fn parts_that_constructors_make_of_something() {
    let map = map(r#"
//// hub.h
#include <functional>
#include <map>
class Hub {
public:
    int hear(std::function<void(int)> ear) { ears_[++last_] = ear; return last_; }
    void deaf(int id) { ears_.erase(id); }
    void say(int word) { for (auto& [id, ear] : ears_) ear(word); }
private:
    std::map<int, std::function<void(int)>> ears_;
    int last_ = 0;
};
class Ear {
public:
    Ear(Hub& hub, std::function<void(int)> ear) : hub_(hub), id_(hub.hear(ear)) {}
    ~Ear() { hub_.deaf(id_); }
private:
    Hub& hub_;
    int id_;
};
//// mill.h
#include "hub.h"
class Mill {
public:
    explicit Mill(Hub& hub);
private:
    int kg_ = 0;
    Ear ear_;
};
//// mill.cpp
#include "mill.h"
Mill::Mill(Hub& hub) : ear_(hub, [this](int kg) { kg_ += kg; }) {}
//// main.cpp
#include "mill.h"
int main() {
    Hub hub;
    Mill mill(hub);
    Ear log(hub, [](int) {});
    hub.say(4);
    return 0;
}
"#);
    assert_eq!(orders(&map, "Hub.ears_"), ["Mill.new~1 after []", "main.main~1 after [Mill.new~1]"]);
    assert!(map.channels[0].subscriptions.iter().all(|s| s.handler != "?" && s.place.file != "mill.h"));
}

#[test]
fn objects_that_are_made_where_they_are_put() {
    let map = map(r#"
//// mill.cpp
#include <functional>
#include <optional>
#include <vector>
class Hub {
public:
    void hear(std::function<void(int)> ear) { ears_.push_back(ear); }
    void say(int word) { for (auto& ear : ears_) ear(word); }
private:
    std::vector<std::function<void(int)>> ears_;
};
class Ear {
public:
    Ear(Hub& hub, std::function<void(int)> ear) { hub.hear(ear); }
};
int main(int argc, char** argv) {
    Hub hub;
    std::vector<Ear> ears;
    ears.emplace_back(hub, [](int) {});
    std::optional<Ear> late;
    if (argc > 1) late.emplace(hub, [](int) {});
    ears.emplace_back(Ear(hub, [](int) {}));
    hub.say(4);
    return 0;
}
"#);
    assert_eq!(orders(&map, "Hub.ears_"), ["mill.main~1 after []", "mill.main~2 after [mill.main~1]", "mill.main~3 after [mill.main~2]"]);
}
