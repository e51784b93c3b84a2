//! Rule `swallowed-request`: on some way a link does nothing with a request, and does not pass it on.

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related};
use crate::chain::behaviour::Code;
use crate::chain::ways::Passing;
use crate::chain::{Built, Of, only_thing};
use crate::program::Site;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "swallowed-request",
    summary: "on some way a link neither handles a request nor passes it on",
    level: Level::Warning,
    page: Page {
        symptom: "Some requests get no answer, and nothing says why.",
        cause: "A branch of the handling method ends without an answer, a refusal or a call of the next link; often an `else` is missing.",
        cure: "Pass on whatever the link does not handle, or refuse it so that it can be seen.",
        silent: "Something is done on every way; all that the method does is to let some requests through; or the next link only gets what this one has dealt with.",
        accept: "What nobody handles is meant to be dropped here.",
    },
    check,
};

/// What whoever observes a stream is told.
const OBSERVED: [&str; 6] = ["onSubscribe", "onNext", "onError", "onComplete", "onCompleted", "onSuccess"];

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut drafts = Vec::new();
    for link in wiring.passing() {
        // who observes a stream decides what goes on in it
        let name = program.text(program.member(link.member).name);
        let observes = OBSERVED.iter().any(|told| name.eq_ignore_ascii_case(told));
        let is_sieve = only_lets_through(link) && !is_odd_one_out(wiring, link);
        // the next one is told what has been done, and is no way on for what has not
        let is_told = matches!(link.of, Of::Next(_)) && !link.passes.is_empty() && !link.ways.passes_untouched;
        let is_meant = observes || is_sieve || is_told || asks_whether_to_pass(wiring, link);
        if !link.ways.ends_with_nothing || wiring.in_test(link.member) || is_meant || !says_so_by_its_end(wiring, link) {
            continue;
        }
        let what = match link.written {
            Some(_) => "this link".to_owned(),
            None => format!("`{}`", super::short(&program.member_id(link.member))),
        };
        drafts.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Certain,
            place: link.place(wiring),
            message: format!("on some way {what} does nothing with a request and does not pass it on"),
            related: link
                .passes
                .iter()
                .take(3)
                .map(|p| related("it is passed on here", program.place_of(Site { member: link.member, node: *p })))
                .collect(),
            parties: vec![program.member_id(link.member)],
            edit: None,
        });
    }
    drafts
}

/// A sieve: all it does is to pass some requests on, and to keep its books about them.
fn only_lets_through(link: &Passing) -> bool {
    let (passes, ways) = (link.passes.len(), &link.ways);
    let keeps_books = ways.acts > 0;
    (passes == 1 || keeps_books) && ways.handles == 0 && !link.has_answer
}

/// Whether a link that lets some requests through is alone in that it says nothing about the others: those beside it in a chain of the
/// set-up that do not pass all of them on refuse them so that it can be seen.
fn is_odd_one_out(wiring: &Wiring<'_>, link: &Passing) -> bool {
    let refuses = |o: &Passing| !o.ways.ends_with_nothing && (o.ways.throws || o.ways.handles > 0 && !o.passes_always(wiring));
    let is_alone_in = |b: &Built| {
        let codes: Vec<Code<'_>> = b.links.iter().filter_map(|l| Code::of(&wiring.flow, &wiring.links, b.of, l)).collect();
        let others = || wiring.passing().iter().filter(|o| !std::ptr::eq(*o, link) && codes.iter().any(|c| o.is_of(*c)));
        codes.iter().any(|c| link.is_of(*c)) && others().any(refuses) && !others().any(|o| only_lets_through(o) && o.ways.ends_with_nothing)
    };
    link.ways.acts == 0 && wiring.chains().built.iter().filter(|b| b.of == link.of).any(is_alone_in)
}

/// Whether all passes are made where a question of the link's own says so, and nothing else is done there.
fn asks_whether_to_pass(wiring: &Wiring<'_>, link: &Passing) -> bool {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(link.member), program.scope(link.member)) else { return false };
    let is_asked = |pass: NodeId| {
        let condition = scope.ancestors(pass).find_map(|n| match body.node(n) {
            Node::If { cond, then, other: None } if only_thing(body, then) == pass => Some(cond),
            _ => None,
        });
        condition.is_some_and(|cond| wiring.flow.callee(Site { member: link.member, node: cond }).is_some())
    };
    !link.passes.is_empty() && link.passes.iter().all(|pass| is_asked(*pass))
}

/// Whether the end of the body is the end without an answer: the method gives none at all, or gives one elsewhere where nothing is typed.
fn says_so_by_its_end(wiring: &Wiring<'_>, link: &Passing) -> bool {
    !link.ways.answers || wiring.program().kit_of(link.member).traits.duck_typed
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_branch_without_an_end() {
        expect(
            "swallowed-request",
            r#"
//// Check.java
abstract class Check {
    private Check next;
    Check linkTo(Check next) { this.next = next; return next; }
    void ask(Boat boat) {
        if (next != null) next.ask(boat);
    }
}
class Sill extends Check {
    @Override void ask(Boat boat) { //! swallowed-request warning
        if (boat.deep()) {
            if (boat.empty()) boat.refuse("wait for water");
        } else {
            super.ask(boat);
        }
    }
}
class Beam extends Check {
    @Override void ask(Boat boat) {
        if (boat.wide()) boat.refuse("too wide");
        else super.ask(boat);
    }
}
class Locals extends Check {
    @Override void ask(Boat boat) {
        if (boat.local()) super.ask(boat);
    }
}
class Boat {
    boolean deep() { return true; }
    boolean empty() { return true; }
    boolean wide() { return true; }
    boolean local() { return true; }
    void refuse(String why) { System.out.println(why); }
}
"#,
        );
    }

    #[test]
    fn a_link_that_is_handed_the_way_on() {
        expect(
            "swallowed-request",
            r#"
//// passage.js
class Passage {
  constructor() { this.links = []; }
  use(link) { this.links.push(link); return this; }
  ask(boat) {
    const go = (at) => {
      const link = this.links[at];
      if (link) link(boat, () => go(at + 1));
    };
    go(0);
  }
}
function sill(boat, next) { //! swallowed-request warning
  if (boat.draught > 150) {
    if (boat.empty) boat.refuse('wait for water');
  } else {
    next();
  }
}
function beam(boat, next) {
  if (boat.beam > 90) boat.refuse('too wide');
  else next();
}
const passage = new Passage().use(sill).use(beam).use((boat) => boat.pass());
passage.ask({ draught: 40, beam: 30, refuse: console.log, pass: () => console.log('through') });
"#,
        );
    }

    #[test]
    fn an_answer_that_is_missing_on_one_way() {
        expect(
            "swallowed-request",
            r#"
//// checks.js
class Check {
  constructor(next) { this.next = next; }
}
class Sill extends Check {
  ask(boat) { //! swallowed-request warning
    if (boat.draught > 150) return 'too deep';
    if (boat.laden) return this.next.ask(boat);
  }
}
class Beam extends Check {
  ask(boat) {
    if (boat.beam > 90) return 'too wide';
    return this.next.ask(boat);
  }
}
class Last extends Check {
  ask() { return 'may pass'; }
}
console.log(new Sill(new Beam(new Last())).ask({ draught: 40 }));
"#,
        );
    }

    #[test]
    fn a_sieve_keeps_its_books() {
        expect(
            "swallowed-request",
            r#"
//// Sieves.java
abstract class Sieve {
    protected Sieve next;
    int let, kept;
    Sieve linkTo(Sieve next) { this.next = next; return next; }
    abstract void sift(Grain grain);
}
class Once extends Sieve {
    private final java.util.Set<String> seen = new java.util.HashSet<>();
    @Override void sift(Grain grain) {
        if (!seen.contains(grain.name())) {
            seen.add(grain.name());
            next.sift(grain);
        }
    }
}
class First extends Sieve {
    @Override void sift(Grain grain) {
        if (let < 3) {
            if (grain.ripe()) { let = let + 1; next.sift(grain); }
        } else {
            kept++;
        }
    }
}
class Marking extends Sieve {
    @Override void sift(Grain grain) { //! swallowed-request warning
        if (let < 3) {
            if (grain.ripe()) grain.mark("ripe");
        } else {
            next.sift(grain);
        }
    }
}
class Bin extends Sieve {
    @Override void sift(Grain grain) { grain.mark("done"); }
}
class Grain {
    String name() { return "rye"; }
    boolean ripe() { return true; }
    void mark(String how) { System.out.println(how); }
}
class Mill {
    public static void main(String[] args) {
        Sieve first = new Once();
        first.linkTo(new First()).linkTo(new Marking()).linkTo(new Bin());
        first.sift(new Grain());
    }
}
"#,
        );
    }
}
