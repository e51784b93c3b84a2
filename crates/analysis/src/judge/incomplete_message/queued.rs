//! Messages that some put into a list and others take out of it: `chute.put({ floor: 2, kilos: 9 })`.

use std::collections::BTreeSet;

use rayon::prelude::*;
use yarrowgraph_ir::Node;

use super::requests::only_lacking;
use super::used::used_of;
use super::{Draft, Message, draft_of, given, short};
use crate::flow::Val;
use crate::program::{AT_A_TIME, MemberId, Site, Sym};
use crate::state::How;
use crate::wire::Wiring;

/// The messages that lack what all others in the same list have.
pub(super) fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let fields: Vec<MemberId> = wiring.written_fields().collect();
    fields.into_par_iter().with_max_len(AT_A_TIME).flat_map_iter(|list| of_list(wiring, list)).collect()
}

fn of_list(wiring: &Wiring<'_>, list: MemberId) -> Vec<Draft> {
    let program = wiring.program();
    let pack = &program.kit_of(list).pack;
    let within = || wiring.writes(list).iter().filter(|w| matches!(w.how, How::Within)).map(|w| w.site);
    let named = |site: Site| wiring.flow.receiver(site).map(|(_, name)| program.text(name));
    // what is never taken out one by one is no queue
    if wiring.in_test(list) || !within().any(|site| named(site).is_some_and(|name| pack.takes.contains(name))) {
        return Vec::new();
    }
    let puts = within().filter(|site| named(*site).is_some_and(|name| pack.adds.contains(name)));
    let mut messages: Vec<Message> = Vec::new();
    for put in puts {
        let Some(arg) = wiring.flow.argument(put, 0) else { return Vec::new() };
        let made = given(wiring, arg, put, 0);
        // who puts something else there makes it open what all messages have
        if made.is_empty() {
            return Vec::new();
        }
        messages.extend(made);
    }
    let all: BTreeSet<Sym> = messages.iter().flat_map(|m| m.parts.difference(&m.empty)).copied().collect();
    all.into_iter().filter_map(|part| lacking(wiring, list, &messages, part)).collect()
}

/// The one message that lacks a part which all others have and somebody uses unguarded.
fn lacking(wiring: &Wiring<'_>, list: MemberId, messages: &[Message], part: Sym) -> Option<Draft> {
    let program = wiring.program();
    let (lacking, with) = only_lacking(messages, part)?;
    let used = taken_and_used(wiring, list, part)?;
    let what = short(&program.member_id(list));
    let name = program.text(part);
    let text = format!("this message in `{what}` has no `{name}`, which the others have and who takes it out uses unguarded");
    Some(draft_of(wiring, lacking, name, &with, used, what, text))
}

/// Where a part of what is taken out of a list is used, without asking whether it is there.
fn taken_and_used(wiring: &Wiring<'_>, list: MemberId, part: Sym) -> Option<Site> {
    let program = wiring.program();
    let is_taken = |v: &Val| matches!(v, Val::Element(of, _) if matches!(**of, Val::Member(_, m) | Val::Static(m) if m == list));
    let takers: BTreeSet<MemberId> = program
        .index
        .reads(part)
        .iter()
        .filter(|read| {
            let node = program.body(read.member).map(|b| b.node(read.node));
            matches!(node, Some(Node::Member { object, .. }) if is_taken(&wiring.flow.eval_in(read.member, object)))
        })
        .map(|read| read.member)
        .collect();
    takers.into_iter().filter(|m| !wiring.in_test(*m)).find_map(|member| {
        let node = program.body(member)?.root?;
        used_of(wiring, Site { member, node }, &is_taken, &|_| false, part)
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_bag_without_a_floor() {
        expect(
            "incomplete-message",
            r#"
//// chute.ts
interface Bag { floor?: string; kilos: number }
export class Chute {
  private bags: Bag[] = [];
  put(bag: Bag): void { this.bags.push(bag); }
  take(): Bag | undefined { return this.bags.shift(); }
}
export class Washer {
  constructor(private readonly chute: Chute) {}
  wash(): void {
    let bag: Bag | undefined;
    while ((bag = this.chute.take())) console.log(bag.floor!.trim(), bag.kilos);
  }
}
const chute = new Chute();
chute.put({ floor: 'first', kilos: 4 });
chute.put({ floor: 'second', kilos: 6 });
chute.put({ kilos: 30 }); //! incomplete-message warning
new Washer(chute).wash();
"#,
        );
    }
}
