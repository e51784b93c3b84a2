//! Rule `shared-state-data`: states keep what changes in a static field, so that machines share it.

use yarrowgraph_ir::{MemberKind, TypeKind};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::machine::Encoding;
use crate::program::{MemberId, Program, Site, TypeId};
use crate::state::{How, Write};
use crate::wire::{Wiring, once};

pub(super) const RULE: Rule = Rule {
    name: "shared-state-data",
    summary: "states keep what changes in a static field, so that machines share it",
    level: Level::Warning,
    page: Page {
        symptom: "Two objects count together, and tests pass or fail with their order.",
        cause: "The state's class keeps its data in a static field.",
        cure: "Keep it in the state object, or in the context.",
        silent: "The field is never changed after it is made, or holds the one object of the class.",
        accept: "The count is meant to be that of all machines.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for machine in wiring.machines() {
        let classes: Vec<TypeId> = match machine.domain.encoding {
            Encoding::Objects(base) => program.heirs(base),
            Encoding::Kin => machine.domain.states.iter().filter_map(|s| s.class()).collect(),
            _ => continue,
        };
        let is_state = |t: TypeId| machine.domain.has_class(program, t);
        let holder = machine.id(program);
        // a state of which there is one object, for all of several machines
        let several = wiring.flow.creations(machine.owner(program)).len() > 1
            || once::lives_for_process(wiring, machine.owner(program)) == once::Lives::No;
        let is_shared = |class: TypeId| {
            let made = wiring.flow.creations(class);
            let is_constant = |s: &Site| program.member(s.member).is_static && program.member(s.member).kind == MemberKind::Field;
            let is_constant_itself = program.ty(class).kind == TypeKind::Enum;
            several && (is_constant_itself || !made.is_empty() && made.iter().all(is_constant))
        };
        for class in classes {
            for field in program.ty(class).members.iter().copied() {
                let info = program.member(field);
                let is_data = matches!(info.kind, MemberKind::Field | MemberKind::Property)
                    && (info.is_static || is_shared(class))
                    && wiring.flow.type_held(field).own().is_none_or(|t| !is_state(t));
                if !is_data {
                    continue;
                }
                let changes: Vec<Site> = wiring
                    .writes(field)
                    .iter()
                    .filter(|w| !w.initial && !first_time(wiring, field, w))
                    .map(|w| w.site)
                    .filter(|s| !sets_up(program, field, *s))
                    .collect();
                let own = changes.iter().filter(|s| is_state(program.member(s.member).owner) && s.member != field).count();
                if own == 0 {
                    continue;
                }
                let id = program.member_id(field);
                found.push(Draft {
                    level: Level::Warning,
                    certainty: Certainty::Likely,
                    place: program.member_place(field),
                    message: format!(
                        "every {} shares {}, which its states change",
                        short(&program.type_id(machine.owner(program))),
                        short(&id)
                    ),
                    related: changes.iter().take(3).map(|s| related("changed here", program.place_of(*s))).collect(),
                    parties: vec![holder.clone(), id],
                    edit: None,
                });
            }
        }
    }
    found
}

/// Whether a static field gets a value where its class is set up: `static { LIMIT = read(); }`
fn sets_up(program: &Program, field: MemberId, write: Site) -> bool {
    let by = program.member(write.member);
    by.kind == MemberKind::Initializer && by.is_static && by.owner == program.member(field).owner
}

/// Whether a write only gives a static field the first value, when it is asked for.
fn first_time(wiring: &Wiring<'_>, field: MemberId, write: &Write) -> bool {
    let How::Set(value) = write.how else { return false };
    let program = wiring.program();
    let class = program.member(field).owner;
    matches!(wiring.flow.eval_in(write.site.member, value), crate::flow::Val::New(_))
        && wiring.flow.type_of_node(write.site.member, value).own() == Some(class)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_static_count_in_a_state() {
        expect(
            "shared-state-data",
            r#"
//// lift.js
class Stage { constructor(lift) { this.lift = lift; } }
class Flooding extends Stage {
  static attempts = 0; //! shared-state-data warning
  static LIMIT = 200;
  sensor(metres) {
    Flooding.attempts += 1;
    if (Flooding.attempts > Flooding.LIMIT) this.lift.to(new Still(this.lift));
    else if (metres > 4) this.lift.to(new Raised(this.lift));
  }
}
class Raised extends Stage { sensor(metres) { if (metres < 1) this.lift.to(new Still(this.lift)); } }
class Still extends Stage { sensor(metres) { if (metres > 1) this.lift.to(new Flooding(this.lift)); } }
export class Lift {
  #stage = new Still(this);
  sensor(metres) { this.#stage.sensor(metres); }
  to(stage) { this.#stage = stage; }
}
new Lift().sensor(3);
"#,
        );
    }
}
