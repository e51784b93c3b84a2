//! Subscribers that are given another subject, subscribe to it, and never leave the one before: what takes them off at the end does so
//! from the last one.

use yarrowgraph_ir::{MemberKind, Node};
use yarrowgraph_model::{Certainty, Level, Lifetime};

use crate::flow::{Binding, Val};
use crate::judge::{Draft, related, short};
use crate::program::{MemberId, Site};
use crate::wire::channels::Channel;
use crate::wire::effect::Effect;
use crate::wire::{Wiring, handler_name, lifetime, operation_place};

/// A subscription in a method that is handed the subject, where the tree shows an object on which it is run for two of them.
pub(super) fn judge(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let effect = &wiring.effects[join];
    let setter = effect.site.member;
    let info = program.member(setter);
    if info.kind != MemberKind::Method || info.is_static || wiring.in_test(setter) || !is_own_handler(effect) {
        return None;
    }
    let (field, index) = moved(wiring, effect)?;
    let leaves = || channel.leaves.iter().map(|l| &wiring.effects[*l]);
    // whoever leaves the one before does so on the way to the next one
    let body = program.body(setter)?;
    let comes_to =
        |m: MemberId| m == setter || body.ids().any(|node| flow.callee(Site { member: setter, node }).is_some_and(|c| c.member == m));
    let by_field = |e: &Effect| matches!(&e.holder.subject, Val::Member(of, m) if *m == field && matches!(**of, Val::This(_)));
    if !leaves().any(by_field) || leaves().any(|e| comes_to(e.site.member)) {
        return None;
    }
    let given = given(wiring, setter, index);
    let (before, at, later) = given.iter().enumerate().find_map(|(n, (call, this, subject))| {
        let later = given[n + 1..].iter().find(|(other, of, next)| {
            other.member == call.member && of == this && next != subject && program.scope(call.member).is_before(call.node, other.node)
        })?;
        Some((subject, *call, later.0))
    })?;
    let level = match lifetime::of_subject(wiring, before, at).lifetime {
        Lifetime::Process => Level::Error,
        Lifetime::Outer => Level::Warning,
        _ => return None,
    };
    let (what, who) = (short(&channel.id), short(&handler_name(wiring, effect)));
    Some(Draft {
        level,
        certainty: Certainty::Likely,
        place: wiring.place(effect),
        message: format!("`{who}` stays subscribed to `{what}` of the one before, which nothing leaves, when it is given another"),
        related: vec![related("it is given another one here", operation_place(program, later))],
        parties: vec![channel.id.clone(), handler_name(wiring, effect), program.member_id(setter)],
        edit: None,
    })
}

/// Whether what is put on is the object itself or a method of its own, which can be taken off again.
fn is_own_handler(effect: &Effect) -> bool {
    match &effect.handler {
        Some(Val::This(_)) => true,
        Some(Val::Method(_, Some(of)) | Val::Member(of, _)) => matches!(**of, Val::This(_)),
        _ => false,
    }
}

/// The field that keeps the subject, and the parameter that it is given.
fn moved(wiring: &Wiring<'_>, join: &Effect) -> Option<(MemberId, u16)> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let setter = join.site.member;
    let body = program.body(setter)?;
    body.ids().find_map(|n| {
        let Node::Assign { target, value, .. } = body.node(n) else { return None };
        let Val::Member(of, field) = flow.eval_in(setter, target) else { return None };
        let Val::Param(m, None, index) = flow.eval_in(setter, value) else { return None };
        let is_subject = match &join.holder.subject {
            Val::Member(of, m) => *m == field && matches!(**of, Val::This(_)),
            Val::Param(_, None, i) => *i == index,
            _ => false,
        };
        (m == setter && is_subject && matches!(*of, Val::This(_))).then_some((field, index))
    })
}

/// The calls of a method, with the object that it is called on and what it is given.
fn given(wiring: &Wiring<'_>, setter: MemberId, index: u16) -> Vec<(Site, Val, Val)> {
    let of_call = |(call, binding): &(Site, Binding)| {
        let this = binding.this.clone().filter(|t| matches!(t, Val::New(_) | Val::Local(_) | Val::Member(..) | Val::Static(_)))?;
        let subject = binding.args.get(usize::from(index))?.clone()?;
        let is_known = matches!(subject, Val::New(_) | Val::Local(_) | Val::Member(..) | Val::Static(_) | Val::Param(..));
        (is_known && !wiring.in_test(call.member)).then_some((*call, this, subject))
    };
    wiring.flow.callers((setter, None)).iter().filter_map(of_call).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn the_one_before_is_left_by_nobody() {
        expect(
            "leaked-subscription",
            r#"
//// Buoy.cs
using System;
class Tide { public event Action Rose; public void Rise() { Rose?.Invoke(); } }
class Buoy {
    Tide tide; int seen;
    public void Follow(Tide next) { tide = next; tide.Rose += Up; } //! leaked-subscription error
    public void End() { if (tide != null) tide.Rose -= Up; }
    void Up() { seen++; }
}
class Raft {
    Tide tide; int seen;
    public void Follow(Tide next) { Leave(); tide = next; tide.Rose += Up; }
    public void End() { Leave(); }
    void Leave() { if (tide != null) tide.Rose -= Up; }
    void Up() { seen++; }
}
class Log {
    Tide tide; int seen;
    public void Follow(Tide next) { tide = next; tide.Rose += Up; }
    public void End() { if (tide != null) tide.Rose -= Up; }
    void Up() { seen++; }
}
static class Program {
    static readonly Tide In = new Tide(), Out = new Tide();
    static void Main() {
        for (int i = 0; i < 4; i++) {
            var buoy = new Buoy(); var raft = new Raft(); var log = new Log();
            buoy.Follow(In); raft.Follow(In); log.Follow(In);
            buoy.Follow(Out); raft.Follow(Out);
            In.Rise(); Out.Rise();
            buoy.End(); raft.End(); log.End();
        }
    }
}
"#,
        );
    }
}
