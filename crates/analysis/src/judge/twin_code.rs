//! Rule `twin-code`: two entries answer to the same code, so that one of them never serves.

use std::collections::BTreeSet;

use rayon::prelude::*;
use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::codes::{Entry, Form, same};
use crate::machine::{State, named};
use crate::program::{Kinds, MemberId, Site};
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;

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
        let id = program.member_id(table.member());
        for (at, later) in table.entries.iter().enumerate() {
            let Some(first) = table.entries[..at]
                .iter()
                .find(|e| same(flow, e.code, later.code) && !e.code.is_empty_text(program) && !e.guarded && !later.guarded)
            else {
                continue;
            };
            // what a statement puts in the place of another is put there later on purpose
            let written = |e: &Entry| {
                e.place.member == table.site.member && program.scope(table.site.member).is_within(e.place.node, table.site.node)
            };
            let in_one = first.place.member == later.place.member && first.value != later.value;
            let first_filled = |map: MemberId| written(first) && written(later) || fill_at_first(wiring, map, first, later);
            if !in_one || table.holder.is_some_and(|map| !first_filled(map)) {
                continue;
            }
            let name = later.code.name(program);
            let (lost, makes) = if table.form == Form::KeepsLast { ("the one before", first.makes) } else { ("this one", later.makes) };
            let what = makes.map(|t| format!(", so that {} is never chosen", program.text(program.ty(t).name))).unwrap_or_default();
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
    let known: BTreeSet<Place> = found.iter().map(|d: &Draft| d.place.clone()).collect();
    found.extend(of_choices(wiring).into_iter().filter(|d| !known.contains(&d.place)));
    found.extend(super::chain_codes::twins(wiring));
    found
}

/// Whether two entries are put into a map one after the other where it is first filled, or, where it is no channel from which one
/// handler takes another's place, with nothing but other entries in between.
fn fill_at_first(wiring: &Wiring<'_>, map: MemberId, first: &Entry, later: &Entry) -> bool {
    let program = wiring.program();
    let member = first.place.member;
    let Some(body) = program.body(member) else { return false };
    let block = |at: NodeId| program.scope(member).ancestors(at).find(|n| matches!(body.node(*n), Node::Block(_)));
    let info = program.member(member);
    let is_first = matches!(info.kind, MemberKind::Initializer | MemberKind::Constructor) && !program.ty(info.owner).is_module;
    let is_channel = || wiring.channels.iter().any(|c| matches!(c.key, ChannelKey::Own(m, _) if m == map));
    let around = block(first.place.node).filter(|b| Some(*b) == block(later.place.node));
    around.is_some_and(|b| is_first || only_puts_between(wiring, b, first.place, later.place) && !is_channel())
}

/// Whether all statements of a block between two of them call what the first one calls, on the same.
fn only_puts_between(wiring: &Wiring<'_>, block: NodeId, first: Site, later: Site) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(first.member) else { return false };
    let Node::Block(list) = body.node(block) else { return false };
    let scope = program.scope(first.member);
    let at = |site: Site| body.list(list).iter().position(|s| scope.is_within(site.node, *s));
    let (Some(from), Some(to)) = (at(first), at(later)) else { return false };
    let put = |n: NodeId| flow.receiver(Site { member: first.member, node: n });
    let Some(entry) = put(body.list(list)[from]) else { return false };
    from < to && body.list(list)[from + 1..=to].iter().all(|s| put(*s).as_ref() == Some(&entry))
}

/// Branches of a choice that ask for a text or number which another one before them has taken, where no compiler rejects it.
fn of_choices(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let in_member = |index: usize| {
        let member = MemberId(index as u32);
        let mut found = Vec::new();
        let Some(body) = program.body_with(member, Kinds::SWITCH).filter(|_| program.kit_of(member).traits.duck_typed) else {
            return found;
        };
        for node in body.ids() {
            let Node::Switch { subject: Some(_), cases } = body.node(node) else { continue };
            let mut taken: Vec<(State, NodeId)> = Vec::new();
            for case in body.list(cases) {
                let Node::Case { labels, guard: None, .. } = body.node(*case) else { continue };
                for label in body.list(labels) {
                    let code = named(flow, member, *label).filter(|c| !matches!(c, State::Class(_) | State::Function(_)));
                    let Some(code) = code else { continue };
                    match taken.iter().find(|(c, _)| same(flow, *c, code)) {
                        Some((_, first)) => found.push((code, Site { member, node: *first }, Site { member, node: *label })),
                        None => taken.push((code, *label)),
                    }
                }
            }
        }
        found
    };
    let found: Vec<(State, Site, Site)> = (0..program.members.len()).into_par_iter().flat_map_iter(in_member).collect();
    let in_time = found.into_iter().filter(|(_, _, later)| !wiring.in_test(later.member));
    in_time
        .map(|(code, first, later)| {
            let (id, name) = (program.member_id(later.member), code.name(program));
            Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place: program.place_of(later),
                message: format!("a branch before this one has taken `{name}` in {}: this one never serves", short(&id)),
                related: vec![related("the first branch", program.place_of(first))],
                parties: vec![id, name],
                edit: None,
            }
        })
        .collect()
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
