//! Requests: objects that are made to be handed to one method, as an order is to a counter.

use std::collections::BTreeSet;

use rayon::prelude::*;
use yarrowgraph_ir::{MemberKind, Node, TypeKind};

use super::used::used_in;
use super::{Draft, Message, draft_of, message_at, short};
use crate::program::{AT_A_TIME, Declared, MemberId, Site, Sym, Ty};
use crate::wire::Wiring;

/// So many others must set the part that one leaves out.
const OTHERS: usize = 2;

/// The requests that lack what all others for the same method have.
pub(super) fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let members = (0..wiring.program().members.len()).into_par_iter().with_max_len(AT_A_TIME);
    members.flat_map_iter(|i| of_method(wiring, MemberId(i as u32))).collect()
}

fn of_method(wiring: &Wiring<'_>, method: MemberId) -> Vec<Draft> {
    let program = wiring.program();
    let Some(root) = program.body(method).and_then(|b| b.root) else { return Vec::new() };
    if program.member(method).kind != MemberKind::Method || program.decl(method).params.is_empty() || wiring.in_test(method) {
        return Vec::new();
    }
    let mut drafts = Vec::new();
    for (index, part) in parts_named(wiring, method) {
        let Some(used) = used_in(wiring, Site { member: method, node: root }, usize::from(index), part) else { continue };
        let calls = wiring.flow.call_sites(method).iter().copied().filter(|s| !wiring.in_test(s.member));
        // whoever hands over something else makes it open what all requests have
        let made: Option<Vec<Message>> =
            calls.map(|call| message_at(wiring, wiring.flow.argument(call, usize::from(index))?, call, usize::from(index))).collect();
        let made = made.unwrap_or_default();
        let Some((lacking, with)) = only_lacking(&made, part) else { continue };
        let what = short(&program.member_id(method));
        let name = program.text(part);
        let text = format!("this request to `{what}` has no `{name}`, which the others have and it uses unguarded");
        drafts.push(draft_of(wiring, lacking, name, &with, used, what, text));
    }
    drafts
}

/// The one message that lacks a part, and those that have it, where these are enough.
pub(super) fn only_lacking(messages: &[Message], part: Sym) -> Option<(&Message, Vec<&Message>)> {
    let (with, without): (Vec<&Message>, Vec<&Message>) = messages.iter().partition(|m| m.has(part));
    match without[..] {
        [lacking] if with.len() >= OTHERS => Some((lacking, with)),
        _ => None,
    }
}

/// The parts of its parameters of which a method uses parts again, and that may be left out.
fn parts_named(wiring: &Wiring<'_>, method: MemberId) -> BTreeSet<(u16, Sym)> {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(method), program.scope(method)) else { return BTreeSet::new() };
    let named = body.ids().filter_map(|n| {
        let Node::Member { object, .. } = body.node(n) else { return None };
        let Node::Member { object: whole, name, .. } = body.node(object) else { return None };
        let Node::Name(param) = body.node(whole) else { return None };
        match scope.lookup(param, whole) {
            Some(Declared::Param(None, index)) => Some((index, program.sym_in(method, name))),
            _ => None,
        }
    });
    let named: BTreeSet<(u16, Sym)> = named.collect();
    named.into_iter().filter(|(index, part)| may_be_left_out(wiring, method, *index, *part)).collect()
}

/// Whether a part of what a parameter takes can hold nothing.
fn may_be_left_out(wiring: &Wiring<'_>, method: MemberId, index: u16, part: Sym) -> bool {
    let program = wiring.program();
    let whole = wiring.flow.type_of(&crate::flow::Val::Param(method, None, index));
    let Some(class) = whole.own() else { return matches!(whole, Ty::Record(_)) };
    let Some(field) = program.find_member(class, part) else { return false };
    let is_slot = matches!(program.member(field).kind, MemberKind::Field | MemberKind::Property);
    is_slot && !is_value(wiring, &wiring.flow.type_held(field))
}

/// Whether what is of a type is there from the start: a number, a flag, a structure.
fn is_value(wiring: &Wiring<'_>, ty: &Ty) -> bool {
    let program = wiring.program();
    match ty {
        Ty::Own(t, _) => matches!(program.ty(*t).kind, TypeKind::Struct | TypeKind::Enum),
        Ty::Outside(name, _) => {
            let name = program.text(*name);
            let is_word = name.starts_with(char::is_lowercase) && !matches!(name, "string" | "object");
            is_word || program.packs().any(|p| p.value_types.contains(name))
        }
        _ => true,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_order_that_does_not_say_who_it_is_from() {
        expect(
            "incomplete-message",
            r#"
//// Counter.cs
using System;
class Order { public Order(string what) { What = what; } public string What { get; } public Guest From { get; set; } = null!; public Guest? Payer { get; set; } public DateTime Due { get; set; } }
class Guest {
    private readonly Counter counter;
    public Guest(Counter counter) { this.counter = counter; }
    public void Call(string what) => Console.WriteLine(what);
    public void Tea() => counter.Serve(new Order("tea") { From = this, Due = DateTime.Now });
    public void Cake() { var order = new Order("cake"); order.From = this; order.Payer = this; order.Due = DateTime.Now; counter.Serve(order); }
    public void Later() => counter.Serve(new Order("bread") { Payer = this }); //! incomplete-message warning
    public void Twice() => counter.Book(new Order("bun") { From = this });
    public void Thrice() => counter.Book(new Order("roll"));
}
class Counter {
    public void Serve(Order order) { order.Payer?.Call("pay"); order.From.Call(order.What + order.Due.Year); }
    public void Book(Order order) { order.From.Call(order.What); }
}
"#,
        );
    }
}
