//! Rule `shadowed-handler`: a link is never asked, because one before it ends every request.

use std::collections::BTreeMap;

use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::chain::behaviour::{self, Code};
use crate::chain::{Built, Ends, Link, Of};
use crate::state;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "shadowed-handler",
    summary: "a link can never be asked, because one before it ends every request",
    level: Level::Warning,
    page: Page {
        symptom: "A handler is in the chain, and is never called.",
        cause: "A link before it answers whatever comes: a catch-all that stands too early.",
        cure: "Put the link that answers everything last.",
        silent: "The link before it passes some requests on, or it is not certain that it does not.",
        accept: "The link is kept for the day when the one before it is taken out.",
    },
    check,
};

/// A function that a library's pipeline hands a request is handed so many things at most; one more, and it is for failures.
const FOR_REQUESTS: usize = 3;

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (program, links) = (wiring.program(), &wiring.links);
    let mut found: BTreeMap<Place, Draft> = BTreeMap::new();
    for built in wiring.chains().built.iter().filter(|b| b.ring.is_none()) {
        let stop =
            built.links.iter().position(|l| is_always_asked(wiring, built, l) && behaviour::ends_all(&wiring.flow, links, built.of, l));
        let behind_stop = stop.into_iter().flat_map(|stop| (stop + 1..built.links.len()).map(move |at| (stop, at)));
        for (stop, at) in behind_stop.chain(asked_for_the_same(wiring, built)) {
            let link = &built.links[at];
            // that it drops requests says it already
            let stopping = Code::of(&wiring.flow, links, built.of, &built.links[stop]);
            let drops = |c| wiring.passing().iter().any(|p| p.passes.is_empty() && p.is_of(c) && p.ways.ends_with_nothing);
            if stopping.is_some_and(drops) {
                continue;
            }
            // what the innermost of functions in functions is made with stands for the end of the chain
            let is_wrapped = matches!(built.of, Of::Walk(walk) if links.walks[walk].ends == Ends::Kept);
            if is_wrapped && link.put.is_none() && at + 1 == built.links.len() {
                continue;
            }
            // what a library asks only when something fails
            let is_for_requests = || Code::of(&wiring.flow, links, built.of, link).is_some_and(|c| c.params(program).len() <= FOR_REQUESTS);
            if matches!(built.of, Of::Pipeline(_)) && !is_for_requests() {
                continue;
            }
            let Some(place) = linked_at(wiring, built, at) else { continue };
            let (Some(what), Some(before)) = (name(wiring, link), name(wiring, &built.links[stop])) else { continue };
            found.entry(place.clone()).or_insert_with(|| Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place,
                message: format!("`{}` is never asked here: `{}` before it ends every request", short(&what), short(&before)),
                related: built.links[stop]
                    .class
                    .and_then(|c| program.type_place(c))
                    .map(|p| related("it answers whatever comes", p))
                    .into_iter()
                    .collect(),
                parties: vec![what, before],
                edit: None,
            });
        }
    }
    found.into_values().collect()
}

/// Pairs of links of a library's pipeline, by place, that are asked for the same requests, of which the earlier one ends all that it is
/// asked for.
fn asked_for_the_same(wiring: &Wiring<'_>, built: &Built) -> Vec<(usize, usize)> {
    let (program, links) = (wiring.program(), &wiring.links);
    if !matches!(built.of, Of::Pipeline(_)) {
        return Vec::new();
    }
    let asked_for: Vec<Option<String>> = built.links.iter().map(|l| links.asked_for(program, built.of, l)).collect();
    let ends = |link: &Link| {
        let code = Code::of(&wiring.flow, links, built.of, link);
        let way = code.and_then(|c| behaviour::way_of(&wiring.flow, links, built.of, c));
        is_put_in_always(wiring, link) && code.is_some() && way.is_none_or(|w| w.uses.is_empty())
    };
    let first_of = |at: usize| {
        let same = |before: &usize| asked_for[at].is_some() && asked_for[*before] == asked_for[at];
        (0..at).find(same).filter(|first| ends(&built.links[*first]))
    };
    (0..built.links.len()).filter_map(|at| Some((first_of(at)?, at))).collect()
}

/// Whether a link is a function that is put in on every way.
fn is_put_in_always(wiring: &Wiring<'_>, link: &Link) -> bool {
    let (program, site) = (wiring.program(), link.made);
    let runs_always = || {
        let body = program.body(site.member)?;
        Some(state::runs_always(body, program.scope(site.member), site.node, body.root?))
    };
    link.class.is_none() && runs_always().unwrap_or(false)
}

/// Whether a link of a library's pipeline is a function that is put in on every way and asked for every request; those of
/// other chains are as the set-up's runs show.
fn is_always_asked(wiring: &Wiring<'_>, built: &Built, link: &Link) -> bool {
    !matches!(built.of, Of::Pipeline(_)) || link.only_for.is_none() && is_put_in_always(wiring, link)
}

fn name(wiring: &Wiring<'_>, link: &Link) -> Option<String> {
    match (link.class, &link.function) {
        (Some(class), _) => Some(wiring.program().type_id(class)),
        (None, Some(function)) => Some(wiring.flow.show(function)),
        (None, None) => None,
    }
}

/// Where a link is put into its place.
fn linked_at(wiring: &Wiring<'_>, built: &Built, at: usize) -> Option<Place> {
    let program = wiring.program();
    let site = match built.of {
        Of::Next(_) => *built.set.get(at.checked_sub(1)?)?,
        Of::Walk(_) | Of::Pipeline(_) => built.links[at].put.unwrap_or(built.links[at].made),
    };
    let is_operation = matches!(built.of, Of::Next(_)) || built.links[at].put.is_some();
    (!wiring.in_test(site.member)).then(|| if is_operation { crate::wire::operation_place(program, site) } else { program.place_of(site) })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_catch_all_that_stands_too_early() {
        expect(
            "shadowed-handler",
            r#"
//// main.cpp
class Boat { public: int draught = 0; int noted = 0; };
class Check {
public:
    Check* linkTo(Check* next) { next_ = next; return next; }
    virtual void ask(Boat& boat) {
        if (next_ != nullptr) next_->ask(boat);
    }
private:
    Check* next_ = nullptr;
};
class Sill : public Check {
public:
    void ask(Boat& boat) override {
        if (boat.draught > 150) { boat.noted = 1; return; }
        Check::ask(boat);
    }
};
class Ledger : public Check {
public:
    void ask(Boat& boat) override { boat.noted = 2; }
};
int main() {
    Sill sill;
    Ledger ledger;
    Sill late;
    sill.linkTo(&ledger);
    ledger.linkTo(&late); //! shadowed-handler warning
    Boat boat;
    sill.ask(boat);
}
"#,
        );
    }

    #[test]
    fn in_a_list_and_only_where_the_answer_ends_the_walk() {
        expect(
            "shadowed-handler",
            r#"
//// tolls.ts
interface Toll { ask(draught: number): string | undefined }
class Deep implements Toll { ask(d: number) { return d > 150 ? 'double' : undefined; } }
class Plain implements Toll { ask(d: number) { return 'six pence'; } }
class Free implements Toll { ask(d: number) { return d === 0 ? 'free' : undefined; } }
function first(tolls: Toll[], draught: number): string {
  for (const toll of tolls) {
    const said = toll.ask(draught);
    if (said) return said;
  }
  throw new Error('no toll');
}
const summer: Toll[] = [
  new Deep(),
  new Plain(),
  new Free(), //! shadowed-handler warning
];
const winter: Toll[] = [new Deep(), new Free(), new Plain()];
console.log(first(summer, 3), first(winter, 3));

//// gates.ts
interface Test { holds(draught: number): boolean }
class Open implements Test { holds(d: number) { return true; } }
class Shallow implements Test { holds(d: number) { return d < 90; } }
function all(tests: Test[], draught: number): boolean {
  for (const test of tests) {
    if (!test.holds(draught)) return false;
  }
  return true;
}
console.log(all([new Open(), new Shallow()], 3));
"#,
        );
    }
}
