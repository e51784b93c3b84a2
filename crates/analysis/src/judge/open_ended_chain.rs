//! Rule `open-ended-chain`: a request that no link handles falls off the end of the chain.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::MemberKind;
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::chain::ending::{self, Taken, Unhandled};
use crate::chain::{Built, Of};
use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "open-ended-chain",
    summary: "a request that no link handles falls off the end of a chain unnoticed",
    level: Level::Warning,
    page: Page {
        symptom: "Some requests come to nothing; or the caller stumbles over an answer that is not there.",
        cause: "No link answers everything, and the end gives back nothing.",
        cure: "End the chain with a link that answers or refuses whatever is left, or let the caller ask whether there was an answer.",
        silent: "Whoever calls asks whether there was an answer; some link answers everything, or the end has an answer of its own, an error among them.",
        accept: "A request that nobody wants may be dropped.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found: BTreeMap<Place, Draft> = BTreeMap::new();
    // a declared code that no link takes is the cause
    let holes: BTreeSet<Place> = super::chain_codes::holes(wiring).into_iter().map(|d| d.place).collect();
    for built in &wiring.chains().built {
        let Some(end) = ending::of(wiring, built) else { continue };
        let Some(place) = place(wiring, built).filter(|p| !holes.contains(p)) else { continue };
        let used = match ending::taken(wiring, built) {
            Taken::Asked | Taken::Answered => continue,
            Taken::Unasked(site) if end == Unhandled::Missing => Some(site),
            _ => None,
        };
        let what = built.links.last().and_then(|l| l.class).map(|c| program.type_id(c)).unwrap_or_default();
        let (level, message) = match used {
            Some(_) => (Level::Warning, "a request that no link handles gives nothing, and a caller uses the answer unasked"),
            None if end == Unhandled::Missing => (Level::Note, "a request that no link handles gives nothing back"),
            None => (Level::Note, "a request that no link handles falls off the end"),
        };
        let mut parties = vec![what.clone()];
        parties.extend(built.holder.map(|h| program.member_id(h)));
        let message = if what.is_empty() { message.to_owned() } else { format!("{message}; `{}` is the last link", short(&what)) };
        found.entry(place.clone()).or_insert_with(|| Draft {
            level,
            certainty: Certainty::Certain,
            place,
            message,
            related: used.into_iter().map(|s| related("the answer is used here", program.place_of(s))).collect(),
            parties,
            edit: None,
        });
    }
    found.into_values().collect()
}

/// Where a chain gets its end: the last link is set, or the list of links is declared.
pub(super) fn place(wiring: &Wiring<'_>, built: &Built) -> Option<Place> {
    let program = wiring.program();
    let set = *built.set.last()?;
    if wiring.in_test(set.member) {
        return None;
    }
    Some(match (built.of, built.holder) {
        // who holds a list that is handed over holds another one each time
        (Of::Walk(_) | Of::Pipeline(_), Some(holder))
            if program.member(holder).owner == program.member(set.member).owner && !is_handed_over(wiring, holder, set) =>
        {
            program.member_place(holder)
        }
        (Of::Walk(_) | Of::Pipeline(_), _) => program.place_of(set),
        (Of::Next(_), _) => crate::wire::operation_place(program, set),
    })
}

/// Whether a field holds what a constructor was handed, and that was made elsewhere.
fn is_handed_over(wiring: &Wiring<'_>, holder: MemberId, made: Site) -> bool {
    let given = wiring.flow.only_definition(holder).map(|site| wiring.flow.eval(site));
    let is_constructor = |m: MemberId| wiring.program().member(m).kind == MemberKind::Constructor;
    !is_constructor(made.member) && matches!(given, Some(Val::Param(m, None, _)) if is_constructor(m))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn what_all_work_on_is_not_left() {
        expect(
            "open-ended-chain",
            r#"
//// Loads.java
abstract class Bay {
    private Bay next;
    Bay then(Bay next) { this.next = next; return next; }
    void take(int tons) { if (next != null) next.take(tons); }
}
class Scale extends Bay {
    @Override void take(int tons) {
        if (tons > 40) throw new IllegalArgumentException("too heavy");
        super.take(tons);
    }
}
class Wash extends Bay {
    @Override void take(int tons) { System.out.println("washed"); super.take(tons); }
}
class Quarry {
    public static void main(String[] args) {
        Bay first = new Scale();
        first.then(new Wash());
        first.take(20);
    }
}
"#,
        );
    }

    #[test]
    fn an_answer_that_may_not_be_there() {
        expect(
            "open-ended-chain",
            r#"
//// Tolls.cs
using System;
using System.Collections.Generic;
record Toll(int Pence);
interface ITariff { Toll? Ask(int draught); }
class Deep : ITariff { public Toll? Ask(int d) => d > 150 ? new Toll(12) : null; }
class Laden : ITariff { public Toll? Ask(int d) => d > 90 ? new Toll(6) : null; }
class Plain : ITariff { public Toll? Ask(int d) => new Toll(1); }
class Summer {
    readonly ITariff[] tariffs = { new Deep(), new Laden() }; //! open-ended-chain warning
    public Toll? Find(int d) {
        foreach (var t in tariffs) { if (t.Ask(d) is { } toll) return toll; }
        return null;
    }
}
class Winter {
    readonly ITariff[] tariffs = { new Deep(), new Laden() }; //!
    public Toll? Find(int d) {
        foreach (var t in tariffs) { if (t.Ask(d) is { } toll) return toll; }
        return null;
    }
}
class Harbour {
    readonly ITariff[] tariffs = { new Deep(), new Laden() }; //! open-ended-chain note
    public Toll? Find(int d) {
        foreach (var t in tariffs) { if (t.Ask(d) is { } toll) return toll; }
        return null;
    }
}
class Spring {
    readonly ITariff[] tariffs = { new Deep(), new Plain() };
    public Toll? Find(int d) {
        foreach (var t in tariffs) { if (t.Ask(d) is { } toll) return toll; }
        return null;
    }
}
class Autumn {
    readonly ITariff[] tariffs = { new Deep(), new Laden() };
    public Toll Find(int d) {
        foreach (var t in tariffs) { if (t.Ask(d) is { } toll) return toll; }
        throw new InvalidOperationException("no toll");
    }
}
static class Program {
    static void Main() {
        Console.WriteLine(new Summer().Find(40)!.Pence);
        var toll = new Winter().Find(40);
        if (toll != null) Console.WriteLine(toll.Pence);
        Console.WriteLine(new Harbour().Find(40));
        Console.WriteLine(new Spring().Find(40)!.Pence);
        Console.WriteLine(new Autumn().Find(40).Pence);
    }
}
"#,
        );
    }

    #[test]
    fn the_last_link_has_no_next_one() {
        expect(
            "open-ended-chain",
            r#"
//// checks.js
class Check {
  linkTo(next) { this.next = next; return next; }
  ask(draught) {
    if (this.next) return this.next.ask(draught);
    return null;
  }
}
class Sill extends Check {
  ask(draught) { return draught > 150 ? { why: 'too deep' } : super.ask(draught); }
}
class Beam extends Check {
  ask(draught) { return draught > 90 ? { why: 'too wide' } : super.ask(draught); }
}
const first = new Sill();
first.linkTo(new Beam()); //! open-ended-chain warning
console.log(first.ask(40).why);

//// others.js
class Test {
  linkTo(next) { this.next = next; return next; }
  ask(draught) { return this.next ? this.next.ask(draught) : 'may pass'; }
}
class Depth extends Test {
  ask(draught) { return draught > 150 ? 'too deep' : super.ask(draught); }
}
const depth = new Depth();
depth.linkTo(new Depth());
console.log(depth.ask(40).length);
"#,
        );
    }
}
