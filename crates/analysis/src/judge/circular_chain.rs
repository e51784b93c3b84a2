//! Rule `circular-chain`: following the links comes back to a link.

use std::collections::BTreeMap;

use yarrowgraph_ir::Node;
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::program::Site;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "circular-chain",
    summary: "following the links of a chain comes back to a link",
    level: Level::Error,
    page: Page {
        symptom: "A request that nobody handles goes round for ever, or until the stack is used up.",
        cause: "A link was given one that stands before it as its next.",
        cure: "Let the last link have no next one, or one that answers everything.",
        silent: "Nothing in the set-up closes a circle.",
        accept: "Some link of the circle always ends the request.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found: BTreeMap<Site, Draft> = BTreeMap::new();
    for built in &wiring.chains().built {
        let Some(ring) = built.ring.filter(|s| !wiring.in_test(s.member)) else { continue };
        // what is handed its next one as it is made has none behind it that was made later
        if matches!(program.body(ring.member).map(|b| b.node(ring.node)), Some(Node::New { .. })) {
            continue;
        }
        let names: Vec<String> = built.links.iter().filter_map(|l| l.class).map(|c| short(&program.type_id(c))).collect();
        let round = format!("{} ▸ {}", names.join(" ▸ "), names.first().cloned().unwrap_or_default());
        let others = built.set.iter().filter(|s| **s != ring).map(|s| related("a link before is set here", program.place_of(*s)));
        found.entry(ring).or_insert_with(|| Draft {
            level: Level::Error,
            certainty: Certainty::Certain,
            place: crate::wire::operation_place(program, ring),
            message: format!("this link closes a circle: {round}"),
            related: others.take(4).collect(),
            parties: built.links.iter().filter_map(|l| l.class).map(|c| program.type_id(c)).collect(),
            edit: None,
        });
    }
    found.into_values().collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn links_that_come_back() {
        expect(
            "circular-chain",
            r#"
//// Bench.java
package bakery;
abstract class Bench {
    private Bench next;
    void then(Bench next) { this.next = next; }
    String take(int loaves) {
        if (fits(loaves)) return getClass().getSimpleName();
        return next == null ? "nobody" : next.take(loaves);
    }
    abstract boolean fits(int loaves);
}
class Knead extends Bench { boolean fits(int loaves) { return loaves < 4; } }
class Shape extends Bench { boolean fits(int loaves) { return loaves < 9; } }
class Bake extends Bench { boolean fits(int loaves) { return loaves < 20; } }
class Shop {
    public static void main(String[] args) {
        Bench knead = new Knead(), shape = new Shape(), bake = new Bake();
        knead.then(shape);
        shape.then(bake);
        bake.then(knead); //! circular-chain error
        Bench night = new Knead();
        Bench oven = new Bake();
        night.then(oven);
        System.out.println(knead.take(30) + night.take(3));
    }
}
"#,
        );
    }

    #[test]
    fn of_one_class_and_through_fields() {
        expect(
            "circular-chain",
            r#"
//// desks.ts
export class Desk {
  private backup: Desk | undefined;
  constructor(readonly name: string, private readonly places: number) {}
  escalateTo(desk: Desk): void { this.backup = desk; }
  take(boat: string): boolean {
    if (this.places > boat.length) return true;
    return this.backup ? this.backup.take(boat) : false;
  }
}
const north = new Desk('north', 2), south = new Desk('south', 4), east = new Desk('east', 9);
north.escalateTo(south);
south.escalateTo(north); //! circular-chain error
east.escalateTo(new Desk('west', 3));
console.log(north.take('Heron'), east.take('Teal'));
"#,
        );
    }

    #[test]
    fn links_that_have_a_stand_in_first() {
        expect(
            "circular-chain",
            r#"
//// ward.js
const nobody = { request: (shift) => `agency for ${shift}` };
export class Ward {
  constructor(name, spare) { this.name = name; this.spare = spare; this.neighbour = nobody; }
  lendsFrom(ward) { this.neighbour = ward; }
  request(shift) {
    if (this.spare > 0) { this.spare--; return `${this.name} for ${shift}`; }
    return this.neighbour.request(shift);
  }
}
//// main.js
import { Ward } from './ward.js';
const heart = new Ward('heart', 1);
const eyes = new Ward('eyes', 0);
const burns = new Ward('burns', 2);
heart.lendsFrom(eyes);
eyes.lendsFrom(burns);
burns.lendsFrom(eyes); //! circular-chain error
console.log(heart.request('night'));
"#,
        );
    }
}
