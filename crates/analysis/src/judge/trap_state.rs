//! Rule `trap-state`: a state has no way out and is not said to be final.

use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short, unknown_target};
use crate::machine::is_final;
use crate::program::Site;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "trap-state",
    summary: "a state has no way out and is not said to be final",
    level: Level::Note,
    page: Page {
        symptom: "Once it is in this state the object answers nothing any more.",
        cause: "The transition that leads out of it was forgotten.",
        cure: "Add it, or say that the state is final: by its name, or by a question that answers so.",
        silent: "The state is named or marked as final, or something of which nothing is known is stored.",
        accept: "The state is the end, and its name is given by others.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for machine in wiring.machines() {
        let is_quiet = |site: &Site| !super::shadowed_transition::is_seen_through(wiring, *site);
        if !machine.moves
            || machine.stores_unknown
            // where not all ways are seen through, one may lead out
            || machine.passed_over.iter().any(is_quiet)
            || machine.transitions.iter().any(|t| t.from.is_none() && t.told)
        {
            continue;
        }
        let reached = machine.reached();
        let holder = machine.id(program);
        let slips = unknown_target::slips(wiring, machine);
        let loses_moves = machine.loses_moves();
        for (index, state) in machine.domain.states.iter().enumerate() {
            // a move that is lost with the answer may be the one that leads out
            let may_leave = loses_moves && !super::unanswered_event::is_deaf(wiring, machine, index);
            if may_leave
                || machine.ways_out(index).next().is_some()
                || !(machine.initial.is_empty() || reached.contains(&index))
                || is_final(wiring, machine, index)
                || slips.iter().any(|s| s.state == index)
            {
                continue;
            }
            let Some(place) = machine
                .place_of_state(flow, index)
                .or_else(|| machine.row_of_state(program, index).map(|row| program.place_of(row)))
                .or_else(|| machine.transitions.iter().find(|t| t.to == index).map(|t| program.place_of(t.site)))
            else {
                continue;
            };
            let name = state.name(program);
            let ways = machine.transitions.iter().filter(|t| t.to == index).map(|t| related("leads into it", program.place_of(t.site)));
            found.push(Draft {
                level: Level::Note,
                certainty: Certainty::Likely,
                place,
                message: format!("nothing leads {} out of state `{name}`", short(&holder)),
                related: ways.take(3).collect(),
                parties: vec![holder.clone(), name],
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
    fn nothing_leads_out() {
        expect(
            "trap-state",
            r#"
//// shutter.h
enum class Slit {
    Closed,
    Opening,
    Open,
    Jammed, //! trap-state note
    Retired
};
class Shutter {
public:
    void open() { if (slit_ == Slit::Closed) slit_ = Slit::Opening; }
    void stopped(bool atEnd) { if (slit_ == Slit::Opening) slit_ = atEnd ? Slit::Open : Slit::Jammed; }
    void close() { if (slit_ == Slit::Open) slit_ = Slit::Closed; }
    void retire() { if (slit_ == Slit::Closed) slit_ = Slit::Retired; }
private:
    Slit slit_ = Slit::Closed;
};
int main() { Shutter s; s.open(); s.stopped(true); s.close(); s.retire(); }
"#,
        );
    }
}
