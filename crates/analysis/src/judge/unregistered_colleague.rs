//! Rule `unregistered-colleague`: a class talks through a mediator and is never registered with it.

use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "unregistered-colleague",
    summary: "a class talks through a mediator and is never registered with it",
    level: Level::Warning,
    page: Page {
        symptom: "It tells the others, and never hears them.",
        cause: "Its objects hold the mediator, and nothing registers them.",
        cure: "Register it where the others are registered.",
        silent: "No other colleague is registered, or the class has no way to be told.",
        accept: "It is meant to speak only.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for mediator in wiring.mediators() {
        for (class, site) in &mediator.outsiders {
            let Some(place) = program.type_place(*class) else { continue };
            let (id, of) = (program.type_id(*class), program.type_id(mediator.class));
            let registered = mediator.colleagues.iter().flat_map(|c| &c.registered).take(1);
            let mut related_places = vec![related("talks through it here", program.place_of(*site))];
            related_places.extend(registered.map(|s| related("where others are registered", crate::wire::operation_place(program, *s))));
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place,
                message: format!("{} talks through {} and is never registered with it, so it hears nothing", short(&id), short(&of)),
                related: related_places,
                parties: vec![id, of],
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
    fn one_that_speaks_and_never_hears() {
        expect(
            "unregistered-colleague",
            r#"
//// Desk.java
package marlwend;
import java.util.ArrayList;
import java.util.List;
interface Post { void hear(Post from, String text); }
class Desk {
    private final List<Post> posts = new ArrayList<>();
    void admit(Post post) { posts.add(post); }
    void tell(Post from, String text) { for (Post p : posts) if (p != from) p.hear(from, text); }
}
class Gate implements Post {
    private final Desk desk;
    Gate(Desk desk) { this.desk = desk; desk.admit(this); }
    void open() { desk.tell(this, "gate open"); }
    public void hear(Post from, String text) { System.out.println("gate: " + text); }
}
class Sluice implements Post { //! unregistered-colleague warning
    private final Desk desk;
    Sluice(Desk desk) { this.desk = desk; }
    void drop() { desk.tell(this, "sluice down"); }
    public void hear(Post from, String text) { System.out.println("sluice: " + text); }
}
class Lock {
    public static void main(String[] args) {
        Desk desk = new Desk();
        new Gate(desk).open();
        new Sluice(desk).drop();
    }
}
"#,
        );
    }
}
