//! Rule `discarded-next-state`: the next state that a state answers with is not stored.

use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::machine::Event;
use crate::wire::{Wiring, operation_place};

pub(super) const RULE: Rule = Rule {
    name: "discarded-next-state",
    summary: "the next state that a state answers with is not stored",
    level: Level::Error,
    page: Page {
        symptom: "The machine stays where it is, whatever happens.",
        cause: "The states answer with the next one, and this call lets the answer go.",
        cure: "Store what the call comes to.",
        silent: "The states move their context themselves, or the answer is compared, returned or stored.",
        accept: "The call is made for what else the state does.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for machine in wiring.machines() {
        for (site, method) in &machine.discarded {
            if wiring.in_test(site.member) {
                continue;
            }
            let holder = machine.id(program);
            let name = program.text(*method);
            let kept = machine.transitions.iter().filter(|t| {
                matches!(t.event, Event::Named(n) if n == *method)
                    || matches!(t.event, Event::Method(m) if program.member(m).name == *method)
            });
            found.push(Draft {
                level: Level::Error,
                certainty: Certainty::Likely,
                place: operation_place(program, *site),
                message: format!("{name}() answers with the next state, which this call does not store: {} does not move", short(&holder)),
                related: kept.take(2).map(|t| related("stored here", program.place_of(t.site))).collect(),
                parties: vec![holder, name.to_owned(), program.member_id(site.member)],
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
    fn an_answer_that_is_let_go() {
        expect(
            "discarded-next-state",
            r#"
//// Beater.cs
namespace Bakery;
interface IStage { IStage Test(int turns); }
sealed class Rough : IStage { public IStage Test(int turns) => turns > 60 ? new Smooth() : (IStage)this; }
sealed class Smooth : IStage { public IStage Test(int turns) => turns < 3 ? new Rough() : (IStage)this; }
sealed class Mixer {
    private IStage _stage = new Rough();
    public void Turn(int turns) { _stage.Test(turns); } //! discarded-next-state error
    public void Empty() => _stage = new Rough();
    static void Main() { var m = new Mixer(); m.Turn(80); m.Empty(); }
}
//// bed.ts
interface Bed { sow(): Bed; dig(): Bed; }
const fallow: Bed = { sow: () => sown, dig: () => fallow };
const sown: Bed = { sow: () => sown, dig: () => fallow };
class Plot {
  private bed = fallow;
  sow(): void { this.bed = this.bed.sow(); }
  dig(depth: number): void {
    if (depth > 20) console.log('deep');
    this.bed.dig(); //! discarded-next-state error
  }
  free(): boolean { return this.bed.dig() === fallow; }
}
const plot = new Plot();
plot.sow();
plot.dig(30);
console.log(plot.free());
"#,
        );
    }

    #[test]
    fn states_that_move_their_context_themselves() {
        expect(
            "discarded-next-state",
            r#"
//// Felt.cs
namespace Bakery;
abstract class Cloth { public abstract Cloth Wash(Press press); }
sealed class Clean : Cloth { public override Cloth Wash(Press press) => this; }
sealed class Soiled : Cloth { public override Cloth Wash(Press press) => press.Become(new Clean()); }
sealed class Press {
    private Cloth _cloth = new Soiled();
    internal Cloth Become(Cloth next) => _cloth = next;
    public void Wash() => _cloth.Wash(this);
    static void Main() { new Press().Wash(); }
}
"#,
        );
    }
}
