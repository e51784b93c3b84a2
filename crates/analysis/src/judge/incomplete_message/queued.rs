//! Messages that some put into a list and others take out of it: `chute.put({ floor: 2, kilos: 9 })`.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use yarrowgraph_ir::pack::{Names, Pack};
use yarrowgraph_ir::{Node, UnaryOp};

use super::requests::only_lacking;
use super::used::used_of;
use super::{Draft, Message, draft_of, given, short};
use crate::flow::{Val, object_of};
use crate::program::{AT_A_TIME, MemberId, Site, Sym, Ty, TypeId};
use crate::state::How;
use crate::wire::Wiring;

/// The messages that lack what all others in the same list have.
pub(super) fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let fields: Vec<MemberId> = wiring.written_fields().collect();
    let mut drafts: Vec<Draft> = fields.into_par_iter().with_max_len(AT_A_TIME).flat_map_iter(|list| of_list(wiring, list)).collect();
    drafts.extend(of_library_queues(wiring));
    drafts
}

/// Messages of one type that are put into queues of a library, which who takes them out may hold by another name.
fn of_library_queues(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    // what queues of a library hold
    let held = |ty: Ty, by: MemberId| match ty {
        Ty::Outside(name, args) if program.kit_of(by).pack.queues.contains(program.text(name)) => args.first()?.own(),
        _ => None,
    };
    let asked = |call: &Site| -> Option<TypeId> {
        let object = object_of(program.body(call.member)?, call.node)?;
        held(wiring.flow.type_of_node(call.member, object), call.member).filter(|t| program.is_mere_data(*t))
    };
    let calls = |names: fn(&Pack) -> &Names| {
        let mut called: BTreeMap<TypeId, Vec<Site>> = BTreeMap::new();
        let named: BTreeSet<Sym> = program.packs().flat_map(|p| names(p).iter()).filter_map(|name| program.symbols.get(name)).collect();
        for call in named.into_iter().flat_map(|name| program.index.calls(name)).filter(|c| !wiring.in_test(c.member)) {
            if let Some(message) = asked(call) {
                called.entry(message).or_default().push(*call);
            }
        }
        called
    };
    let takes = calls(|p| &p.takes);
    let mut drafts = Vec::new();
    if takes.is_empty() {
        return drafts;
    }
    for (message, puts) in calls(|p| &p.adds) {
        let Some(taken) = takes.get(&message) else { continue };
        let made: Vec<Vec<Message>> =
            puts.iter().map(|put| wiring.flow.argument(*put, 0).map_or_else(Vec::new, |arg| given(wiring, arg, *put, 0))).collect();
        // who puts something else there makes it open what all messages have
        if made.iter().any(Vec::is_empty) {
            continue;
        }
        let messages: Vec<Message> = made.into_iter().flatten().collect();
        let taker = taken.first().map(|call| call.member);
        let is_taken = |v: &Val| match v {
            Val::Element(of, _) => taker.is_some_and(|by| held(wiring.flow.type_of(of), by) == Some(message)),
            _ => comes_of_call(wiring, v, &|call| taken.contains(&call)),
        };
        let what = short(&program.type_id(message));
        let said = (format!("this `{what}`"), "who takes it out of the queue");
        drafts.extend(all_lacking(wiring, &messages, what, said, &|part| used_where_taken(wiring, &is_taken, part)));
    }
    drafts
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
    let what = short(&program.member_id(list));
    let said = (format!("this message in `{what}`"), "who takes it out");
    all_lacking(wiring, &messages, what, said, &|part| taken_and_used(wiring, list, part))
}

/// For each part the one message that lacks it, where all others have it and somebody uses it unguarded. What is said of the message
/// names it and who uses it.
fn all_lacking(
    wiring: &Wiring<'_>,
    messages: &[Message],
    what: String,
    (this, who): (String, &str),
    used: &dyn Fn(Sym) -> Option<Site>,
) -> Vec<Draft> {
    let all: BTreeSet<Sym> = messages.iter().flat_map(|m| m.parts.difference(&m.empty)).copied().collect();
    let of_part = |part: Sym| {
        let (lacking, with) = only_lacking(messages, part)?;
        let used = used(part)?;
        let name = wiring.program().text(part);
        let text = format!("{this} has no `{name}`, which the others have and {who} uses unguarded");
        Some(draft_of(wiring, lacking, name, &with, used, what.clone(), text))
    };
    all.into_iter().filter_map(of_part).collect()
}

/// Where a part of what is taken out of a list is used, without asking whether it is there.
fn taken_and_used(wiring: &Wiring<'_>, list: MemberId, part: Sym) -> Option<Site> {
    let program = wiring.program();
    let takes = |s: Site| wiring.flow.receiver(s).is_some_and(|(_, name)| program.kit_of(list).pack.takes.contains(program.text(name)));
    let within = wiring.writes(list).iter().filter(|w| matches!(w.how, How::Within) && takes(w.site));
    let taking: BTreeSet<MemberId> = within.map(|w| w.site.member).collect();
    let is_taken = |v: &Val| match v {
        Val::Element(of, _) => matches!(**of, Val::Member(_, m) | Val::Static(m) if m == list),
        // by what gives it out, now or when there is one
        _ => comes_of_call(wiring, v, &|call| wiring.flow.callee(call).is_some_and(|c| taking.contains(&c.member))),
    };
    used_where_taken(wiring, &is_taken, part)
}

/// Whether a value is what one of some calls gives, also where that is waited for.
fn comes_of_call(wiring: &Wiring<'_>, value: &Val, is_one: &dyn Fn(Site) -> bool) -> bool {
    match value {
        Val::Call(call) => is_one(*call),
        Val::Local(local) => wiring.flow.local_values(*local).iter().any(|given| {
            let Some(body) = wiring.program().body(local.member) else { return false };
            let node = match body.node(*given) {
                Node::Unary { op: UnaryOp::Await, operand } => operand,
                _ => *given,
            };
            matches!(body.node(node), Node::Call { .. }) && is_one(Site { member: local.member, node })
        }),
        _ => false,
    }
}

/// Where a part of what is taken somewhere is used, without asking whether it is there.
fn used_where_taken(wiring: &Wiring<'_>, is_taken: &dyn Fn(&Val) -> bool, part: Sym) -> Option<Site> {
    let program = wiring.program();
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
        used_of(wiring, Site { member, node }, is_taken, &|_| false, part)
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
