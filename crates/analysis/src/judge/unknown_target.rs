//! Rule `unknown-target`: a transition or a comparison names a state that there is not.

use yarrowgraph_ir::Node;
use yarrowgraph_model::{Certainty, Level};

use super::near_miss_topic::are_near;
use super::{Draft, Page, Rule, related, short};
use crate::machine::{Encoding, Found, Holder, State, lists, names, text_of};
use crate::program::Site;
use crate::wire::Wiring;

/// Names of fewer letters differ by one as a rule.
const SHORTEST: usize = 3;
/// From so many letters on one state is not called nearly as another one by chance.
const LONG: usize = 6;

/// Letters by which a name that a table does not list may differ from one that it lists.
const NEAR: usize = 2;

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

/// Whether the field that holds the state is one that code puts over another: `Object.defineProperty(this, 'state', { get, set })`.
fn is_put_over_another(wiring: &Wiring<'_>, machine: &Found) -> bool {
    let program = wiring.program();
    let Holder::Field(field) = machine.machine.holder else { return false };
    let (name, owner) = (program.member(field).name, program.member(field).owner);
    let names_it = |call: &Site| match program.body(call.member).map(|body| (body, body.node(call.node))) {
        Some((body, Node::Call { args, .. })) => {
            body.list(args).iter().any(|a| matches!(body.node(*a), Node::Str(text) if program.sym_in(call.member, text) == name))
        }
        _ => false,
    };
    let calls = program.symbols.get("defineProperty").map_or(&[][..], |define| program.index.calls(define));
    calls.iter().any(|call| program.are_kin(program.member(call.member).owner, owner) && names_it(call))
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let machines = wiring.machines();
    let mut found = Vec::new();
    for asked in names::strangers(wiring) {
        if is_put_over_another(wiring, &machines[asked.machine]) {
            continue;
        }
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
        for slip in slips(wiring, machine) {
            let (holder, name, meant) = (machine.id(program), slip.name, slip.meant);
            found.push(Draft {
                level: Level::Error,
                certainty: Certainty::Likely,
                place: program.place_of(slip.site),
                message: if let Some(table) = &slip.unlisted {
                    format!("this leads {} to `{name}`, which `{table}` does not list; it lists `{meant}`", short(&holder))
                } else if slip.is_set {
                    format!("this leads {} to `{name}`, which nothing asks for; `{meant}` is asked for", short(&holder))
                } else {
                    format!("this leads {} to `{name}`, which nothing asks for, and nothing leads to `{meant}`", short(&holder))
                },
                related: slip.asked.into_iter().map(|site| related("this is asked for", program.place_of(site))).collect(),
                parties: vec![holder, name],
                edit: None,
            });
        }
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

/// A state by a name that differs by a slip from that of a state which is asked for and never set.
pub(super) struct Slip {
    /// The state that is set.
    pub(super) state: usize,
    /// Where.
    pub(super) site: Site,
    name: String,
    meant: String,
    /// Whether that one is set elsewhere.
    is_set: bool,
    asked: Option<Site>,
    /// The table that lists the states, and does not list this one.
    unlisted: Option<String>,
}

/// The slips among the names of a machine's states, where texts say which there are.
pub(super) fn slips(wiring: &Wiring<'_>, machine: &Found) -> Vec<Slip> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let domain = &machine.domain;
    if domain.encoding != Encoding::Text || domain.closed || machine.stores_unknown {
        return Vec::new();
    }
    let is_set = |i: usize| machine.initial.contains(&i) || machine.transitions.iter().any(|t| t.to == i);
    let asked_at = |i: usize| machine.labels.iter().find(|(_, s)| *s == domain.states[i]).map(|(site, _)| *site);
    let is_asked = |i: usize| asked_at(i).is_some() || machine.transitions.iter().any(|t| t.from == Some(i) && t.told);
    // both are plain texts: a constant says by its name which one it is
    let text = |i: usize| text_of(flow, domain.states[i]).filter(|_| matches!(domain.states[i], State::Text(_)));
    let (set, unset): (Vec<usize>, Vec<usize>) = (0..domain.states.len()).partition(|i| is_set(*i));
    let slip = |i: &usize| {
        let name = program.text(text(*i)?);
        let is_meant = |m: &usize| is_asked(*m) && text(*m).is_some_and(|t| name.len() >= SHORTEST && are_near(name, program.text(t)));
        // of a short name one letter too many or too few is a slip
        let is_letter_off = |m: &usize| {
            let other = text(*m).map_or("", |t| program.text(t));
            name.len() > SHORTEST && name.len().abs_diff(other.len()) == 1 && strsim::osa_distance(name, other) == 1
        };
        let is_set_too = |m: &usize| set.contains(m) && m != i && (name.len() >= LONG || is_letter_off(m));
        let meant = unset.iter().copied().find(is_meant).or_else(|| set.iter().copied().filter(is_set_too).find(is_meant))?;
        let site = machine.transitions.iter().filter(|t| t.to == *i).map(|t| t.site).min()?;
        let (name, meant_name) = (name.to_owned(), program.text(text(meant)?).to_owned());
        Some(Slip { state: *i, site, name, meant: meant_name, is_set: set.contains(&meant), asked: asked_at(meant), unlisted: None })
    };
    let list = match machine.machine.holder {
        Holder::Field(field) => lists::by_state(flow, field),
        Holder::Local(_) => None,
    };
    // a table has an entry for each state but one, which is called nearly like another
    let unlisted = |i: &usize| {
        let list = list.as_ref()?;
        let is_listed = |i: usize| text(i).is_some_and(|t| list.keys.iter().any(|(key, _)| lists::is_same(flow, *key, t)));
        let plain = |sym| program.text(sym).trim_matches(['"', '\'', '`']);
        let name = plain(text(*i)?);
        if is_listed(*i) || !(0..domain.states.len()).all(|other| other == *i || is_listed(other)) {
            return None;
        }
        let near = |key: &&str| name.len() >= LONG && strsim::osa_distance(name, key) <= NEAR;
        let meant = list.keys.iter().map(|(key, _)| plain(*key)).find(near)?;
        let site = machine.transitions.iter().filter(|t| t.to == *i).map(|t| t.site).min()?;
        let (name, meant, table) = (name.to_owned(), meant.to_owned(), short(&program.member_id(list.table)).to_owned());
        Some(Slip { state: *i, site, name, meant, is_set: true, asked: None, unlisted: Some(table) })
    };
    set.iter().filter(|i| !is_asked(**i)).filter_map(|i| slip(i).or_else(|| unlisted(i))).collect()
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
    fn what_asks_by_a_wrong_name_is_not_shadowed_as_well() {
        expect(
            "shadowed-transition",
            r"
//// dome.js
class Dome {
  constructor() { this.state = 'closed'; }
  open() { if (this.state === 'closed') this.state = 'open'; }
  close() { if (this.state === 'open') this.state = 'closed'; }
  park() { if (this.state === 'opened') this.state = 'parked'; }
}
const dome = new Dome();
dome.open(); dome.park(); dome.close();
",
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

    #[test]
    fn what_somebody_unseen_may_set() {
        expect(
            "unknown-target",
            r#"
//// pump.js
class Pump {
    constructor() { this.mode = 'off'; }
    setMode(mode) { if (this.mode === mode) return; this.mode = mode; this.tell(); }
    start() { if (this.mode === 'off') this.setMode('running'); }
    stop() { if (this.mode === 'running') this.setMode('off'); }
    tell() { if (this.mode !== 'standby') console.log(this.mode); }
}
class Gate {
    constructor() { this.state = 'shut'; }
    setState(state) { this.state = state; }
    open() { if (this.state === 'shut') this.setState('open'); }
    close() { if (this.state === 'open') this.setState('shut'); }
    tell() { if (this.state !== 'standing') console.log(this.state); } //! unknown-target error
}
const pump = new Pump();
export function serve(request) { pump.setMode(request.params.mode); }
pump.start();
pump.stop();
const gate = new Gate();
gate.open();
gate.close();
gate.tell();
"#,
        );
    }
}
