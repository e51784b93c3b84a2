//! Rule `one-way-command`: a command cannot be taken back, although its invoker takes commands back.

use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::command::{is_empty, step_of, throws};
use crate::program::{MemberId, Program, TypeId};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "one-way-command",
    summary: "a command cannot be taken back, although its invoker takes commands back",
    level: Level::Warning,
    page: Page {
        symptom: "Taking back does nothing, or throws, after this command.",
        cause: "The undoing is empty, missing, or not written yet.",
        cure: "Undo what the command does, or keep it out of the history.",
        silent: "No invoker takes commands back.",
        accept: "There is nothing to take back.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let commands = wiring.commands();
    let mut found = Vec::new();
    for command in commands.commands.values() {
        let Some(undo) = command.undo else { continue };
        let class = command.class;
        let method = program.find_member_as(class, undo, true).or_else(|| program.find_member(class, undo));
        let method = method.map(|m| step_of(&wiring.flow, class, m));
        if is_empty(program, step_of(&wiring.flow, class, command.operation)) || wiring.is_test_type(class) {
            continue;
        }
        let Some((place, why)) = no_way_back(program, class, method) else { continue };
        let id = program.type_id(class);
        let invoker = commands.invokers.iter().find(|i| i.undo == Some(undo) && i.commands.contains(&class));
        let taken = invoker.and_then(|i| i.holder.taken.iter().find(|(_, op)| *op == undo));
        found.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place,
            message: format!("{} {why}, and its invoker calls {}", short(&id), program.text(undo)),
            related: taken.map(|(s, _)| related("taken back here", program.place_of(*s))).into_iter().collect(),
            parties: vec![id],
            edit: None,
        });
    }
    found.extend(of_libraries(wiring));
    found
}

/// Where and why a class has no way back, given the method that should undo what it does.
fn no_way_back(program: &Program, class: TypeId, undo: Option<MemberId>) -> Option<(Place, &'static str)> {
    match undo {
        // one that does nothing is what the base has for those that need none
        Some(m) if is_empty(program, m) && program.member(m).owner != class => {
            Some((program.type_place(class)?, "has no way to take back of its own"))
        }
        None => Some((program.type_place(class)?, "has no way to take back")),
        Some(m) if is_empty(program, m) => Some((program.member_place(m), "takes back nothing")),
        Some(m) if throws(program, m) && program.member(m).owner != class => {
            Some((program.type_place(class)?, "has no way to take back of its own, that of its base throws"))
        }
        Some(m) if throws(program, m) => Some((program.member_place(m), "throws when it is taken back")),
        Some(_) => None,
    }
}

/// Commands that a library keeps and takes back, by its base class.
fn of_libraries(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let bases: Vec<_> = program.packs().flat_map(|p| &p.undoable_bases).collect();
    if bases.iter().all(|(base, ..)| program.symbols.get(base).is_none()) {
        return Vec::new();
    }
    let mut found = Vec::new();
    for class in (0..program.types.len()).map(|i| TypeId(i as u32)) {
        let is_of = |base: &str| program.outside_bases(class).iter().any(|b| program.text(*b) == base);
        let Some((_, does, undoes)) = bases.iter().find(|(base, ..)| is_of(base)) else { continue };
        let method = |name: &str| program.find_member_as(class, program.symbols.get(name)?, true);
        let is_made = !wiring.flow.creations(class).is_empty() && !wiring.is_test_type(class);
        let Some(operation) = method(does).filter(|m| is_made && program.member(*m).owner == class && !is_empty(program, *m)) else {
            continue;
        };
        let Some((place, why)) = no_way_back(program, class, method(undoes)) else { continue };
        let id = program.type_id(class);
        found.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place,
            message: format!("{} {why}, and who keeps it calls {undoes}", short(&id)),
            related: vec![related("what it does", program.member_place(operation))],
            parties: vec![id],
            edit: None,
        });
    }
    found
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_empty_way_back() {
        expect(
            "one-way-command",
            r#"
//// Bench.java
package bakery;
import java.util.ArrayDeque;
import java.util.Deque;
interface Step { void make(); void takeBack(); }
class Oven { void heat(int degrees) {} void open() {} }
class Heat implements Step {
    private final Oven oven;
    Heat(Oven oven) { this.oven = oven; }
    public void make() { oven.heat(20); }
    public void takeBack() { oven.heat(-20); }
}
class Open implements Step {
    private final Oven oven;
    Open(Oven oven) { this.oven = oven; }
    public void make() { oven.open(); }
    public void takeBack() { } //! one-way-command warning
}
class Bench {
    private final Deque<Step> made = new ArrayDeque<>();
    void make(Step step) { step.make(); made.push(step); }
    void back() { if (!made.isEmpty()) made.pop().takeBack(); }
    public static void main(String[] args) {
        Bench bench = new Bench();
        Oven oven = new Oven();
        bench.make(new Heat(oven));
        bench.make(new Open(oven));
        bench.back();
    }
}
"#,
        );
    }
}
