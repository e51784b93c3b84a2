//! Rule `twin-code`: two entries answer to the same code, so that one of them never serves.

use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::codes::{Entry, Form, same};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "twin-code",
    summary: "two entries answer to the same code, so that one of them never serves",
    level: Level::Warning,
    page: Page {
        symptom: "One of two commands, links or branches is never used.",
        cause: "A line was copied and its code left as it was.",
        cure: "Give the later one the code that it was meant for.",
        silent: "A condition beside the code tells the two apart.",
        accept: "The one is kept for when the other goes.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for table in wiring.codes().iter().filter(|t| !wiring.in_test(t.site.member)) {
        let id = program.member_id(table.holder.unwrap_or(table.site.member));
        for (at, later) in table.entries.iter().enumerate() {
            let Some(first) = table.entries[..at].iter().find(|e| same(flow, e.code, later.code) && !e.guarded && !later.guarded) else {
                continue;
            };
            // what a statement puts in the place of another is put there later on purpose
            let written = |e: &Entry| {
                program.scope(table.site.member).is_within(e.place.node, table.site.node) && e.place.member == table.site.member
            };
            let in_one = first.place.member == later.place.member && first.value != later.value;
            if !in_one || table.holder.is_some() && !(written(first) && written(later)) {
                continue;
            }
            let name = later.code.name(program);
            let (lost, makes) = if table.form == Form::KeepsLast { ("the one before", first.makes) } else { ("this one", later.makes) };
            let what = makes.map(|t| format!(", so that no {} is ever made", program.text(program.ty(t).name))).unwrap_or_default();
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place: program.place_of(later.place),
                message: format!("`{name}` has an entry in {} already: {lost} never serves{what}", short(&id)),
                related: vec![related("the first entry", program.place_of(first.place))],
                parties: vec![id.clone(), name],
                edit: None,
            });
        }
    }
    found.extend(super::chain_codes::twins(wiring));
    found
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_copied_line() {
        expect(
            "twin-code",
            r#"
//// jobs.ts
interface Job { run(): void; }
class Open implements Job { run(): void { console.log('open'); } }
class Glue implements Job { run(): void { console.log('glue'); } }
class Shut implements Job { run(): void { console.log('shut'); } }
export function jobFor(code: string): Job {
  switch (code) {
    case 'opn':
      return new Open();
    case 'glu':
      return new Glue();
    case 'opn': //! twin-code warning
      return new Shut();
    default:
      throw new Error(code);
  }
}
//// makers.js
class Lift { run() { console.log('lift'); } }
class Drop { run() { console.log('drop'); } }
const makers = {
  lift: () => new Lift(),
  lift: () => new Drop(), //! twin-code warning
};
export function make(word) {
  const maker = makers[word];
  if (!maker) throw new RangeError(word);
  return maker();
}
"#,
        );
    }
}
