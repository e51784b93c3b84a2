//! Rule `unknown-target`: a transition or a comparison names a state that there is not.

use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, short};
use crate::machine::names;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "unknown-target",
    summary: "a transition or a comparison names a state that there is not",
    level: Level::Error,
    page: Page {
        symptom: "A branch never runs, or the machine ends in a state that nothing knows.",
        cause: "The name was misspelt, or the state was renamed and this place forgotten.",
        cure: "Use the name that the state has.",
        silent: "The names of the states are not all known.",
        accept: "Older data still uses the name.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let machines = wiring.machines();
    let mut found = Vec::new();
    for asked in names::strangers(wiring) {
        let holder = machines[asked.machine].id(program);
        let known: Vec<String> = asked.known.iter().take(8).map(|n| format!("`{n}`")).collect();
        found.push(Draft {
            level: Level::Error,
            certainty: Certainty::Likely,
            place: program.place_of(asked.site),
            message: format!("{} is never `{}`: its states are {}", short(&holder), asked.name, known.join(", ")),
            related: Vec::new(),
            parties: vec![holder, asked.name],
            edit: None,
        });
    }
    for machine in machines.iter().filter(|m| m.moves) {
        for (site, state) in &machine.strays {
            let (holder, name) = (machine.id(program), state.name(program));
            found.push(Draft {
                level: Level::Error,
                certainty: Certainty::Likely,
                place: program.place_of(*site),
                message: format!("this leads {} to `{name}`, which is none of its states", short(&holder)),
                related: Vec::new(),
                parties: vec![holder, name],
                edit: None,
            });
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn names_that_no_state_has() {
        expect(
            "unknown-target",
            r#"
//// press.js
const Phase = Object.freeze({ OPEN: 'open', CLAMPED: 'clamped', SET: 'set' });
export class Press {
  #phase = Phase.OPEN;
  clamp() { if (this.#phase === Phase.OPEN) this.#phase = Phase.CLAMPED; }
  set() { if (this.#phase === Phase.CLAMPED) this.#phase = Phase.SET; }
  lift() { if (this.#phase === Phase.SET) this.#phase = Phase.OPENED; } //! unknown-target error
  get hot() { return this.#phase === Phase.CURING; } //! unknown-target error
  get free() { return this.#phase === Phase.OPEN; }
}
const press = new Press();
press.clamp();
press.set();
press.lift();
console.log(press.hot, press.free);
"#,
        );
    }

    #[test]
    fn views_that_ask_by_text() {
        expect(
            "unknown-target",
            r#"
//// Barge.cs
namespace Marlwend;
public sealed class Barge {
    public string State { get; private set; } = "moored";
    public void Cast() { if (State == "moored") State = "under way"; }
    public void Land() { if (State == "under way") State = "moored"; }
}
public static class Board {
    public static string Line(Barge barge) => barge.State == "on its way" ? "gone" : "here"; //! unknown-target error
    public static bool Gone(Barge barge) => barge.State == "under way";
    public static void Main() { var b = new Barge(); b.Cast(); b.Land(); System.Console.WriteLine(Line(b) + Gone(b)); }
}
//// Loaf.java
package bakery;
enum Stage { MIXED, PROVED, BAKED }
class Loaf {
    private Stage stage = Stage.MIXED;
    void next() { stage = switch (stage) { case MIXED -> Stage.PROVED; case PROVED, BAKED -> Stage.BAKED; }; }
    void back() { if (stage == Stage.BAKED) stage = Stage.PROVED; }
    String stageName() { return stage.name(); }
}
class Shelf {
    String place(Loaf loaf) {
        if (loaf.stageName().equals("PROVEN")) return "warm"; //! unknown-target error
        return loaf.stageName().equals("BAKED") ? "front" : "back";
    }
}
"#,
        );
    }
}
