//! The method in which a subscriber's life ends.

use yarrowgraph_ir::pack::Pack;
use yarrowgraph_ir::{MemberKind, Node, NodeId};

use crate::flow::Val;
use crate::judge::repeated_subscription::comes_to;
use crate::program::{MemberId, Program, Site, TypeId};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::{Act, Effect};
use crate::wire::handles::{self, Fate};

/// So many calls deep it is looked for what a method comes to.
const CALLS: u32 = 3;

/// The method in which the life of a type's instances ends.
pub(super) fn teardown_of(wiring: &Wiring<'_>, ty: TypeId, subscribed_in: Option<MemberId>) -> Option<MemberId> {
    let program = wiring.program();
    let pack = &*program.kit(program.ty(ty).unit).pack;
    // what makes the object; the code of a module makes whatever it likes
    let is_constructor = |m: MemberId| {
        let info = program.member(m);
        info.kind != MemberKind::Method && !program.ty(info.owner).is_module
    };
    let is_set_up = subscribed_in.is_some_and(|m| {
        let callers = wiring.flow.callers((m, None));
        is_constructor(m) || (!callers.is_empty() && callers.iter().all(|(site, _)| is_constructor(site.member)))
    });
    // nor does life end in what a constructor calls
    let is_called_first = |m: MemberId| {
        wiring
            .flow
            .callers((m, None))
            .iter()
            .any(|(site, binding)| is_constructor(site.member) && matches!(binding.this, Some(Val::This(_))))
    };
    // `close` undoes what `open` did, and not what was set up for good or by somebody else
    let undoes_another = |name: &str| {
        let entries = pack.pairs.iter().filter(|(_, exit)| exit == name).filter_map(|(entry, _)| program.symbols.get(entry));
        let mut entries = entries.filter_map(|entry| program.find_member(ty, entry)).peekable();
        entries.peek().is_some() && (is_set_up || subscribed_in.is_some_and(|m| !entries.any(|entry| begins(wiring, entry, m))))
    };
    let mut found = None;
    program.for_each_base(ty, &mut |t| {
        let is_teardown = |m: &&MemberId| {
            let info = program.member(**m);
            matches!(info.kind, MemberKind::Method | MemberKind::Destructor)
                && !info.is_static
                && program.is_listed(&pack.teardowns, **m)
                && !undoes_another(program.text(info.name))
                && !may_set_back(wiring, **m)
                && (program.decl(**m).params.is_empty() || !takes_one_off(program.text(info.name)))
                && program.body(**m).is_some_and(|b| b.root.is_some())
                && !is_called_first(**m)
                // a designer's is not where one takes handlers off
                && !program.unit_of(**m).generated
        };
        // the order of the pack says which one is meant most
        let of_type: Vec<MemberId> = program.ty(t).members.iter().filter(is_teardown).copied().collect();
        found = of_type.into_iter().min_by_key(|m| pack.teardowns.iter().position(|n| n == program.text(program.member(*m).name)));
        found.is_none()
    });
    found
}

/// Whether an entry comes to a method, or puts it on a channel.
fn begins(wiring: &Wiring<'_>, entry: MemberId, method: MemberId) -> bool {
    let is_put_on = |e: &Effect| matches!(e.handler.as_ref().map(Val::unbound), Some(Val::Method(m, _)) if *m == method);
    leads_to(wiring, entry, method) || wiring.effects_in(entry).any(is_put_on)
}

/// Whether a method is another one, or calls it, by others of its tree as well.
fn leads_to(wiring: &Wiring<'_>, method: MemberId, to: MemberId) -> bool {
    let Some(body) = wiring.program().body(method) else { return false };
    let is_call = |n: &NodeId| matches!(body.node(*n), Node::Call { .. });
    method == to || body.ids().filter(is_call).any(|node| comes_to(wiring, Site { member: method, node }, &[to], CALLS))
}

/// Whether the subject tells of its own end by another topic, and the subscriber ends upon that: both end together.
pub(super) fn is_end_of_subject(wiring: &Wiring<'_>, channel: &Channel, teardown: MemberId) -> bool {
    let pack = &wiring.program().kit_of(teardown).pack;
    let ends = |topic: &Channel| topic.key.named_topic().is_some_and(|name| tells_an_end(pack, name));
    let handlers = wiring.of_holder(channel).filter(|c| ends(c)).flat_map(|c| &c.joins).filter_map(|j| wiring.effects[*j].handler.as_ref());
    handlers.into_iter().any(|handler| matches!(handler.unbound(), Val::Method(m, _) if leads_to(wiring, *m, teardown)))
}

/// Whether a topic is named for the end of what tells by it: `gate.closed`, `diagram.destroy`.
pub(super) fn tells_an_end(pack: &Pack, topic: &str) -> bool {
    let last_word = topic.rsplit(|c: char| !c.is_alphanumeric()).next().unwrap_or(topic);
    let stem = |suffix: &str| last_word.strip_suffix(suffix).is_some_and(|stem| pack.teardowns.contains(stem));
    pack.teardowns.contains(last_word) || stem("d") || stem("ed")
}

/// Whether a teardown of a script is one that neither the tree nor a platform calls, and that takes nothing off.
pub(super) fn is_idle(wiring: &Wiring<'_>, teardown: MemberId) -> bool {
    let program = wiring.program();
    let (kit, name) = (program.kit_of(teardown), program.text(program.member(teardown).name));
    let is_called = || wiring.flow.call_sites(teardown).iter().any(|call| !wiring.in_test(call.member));
    let is_script = kit.traits.duck_typed || kit.traits.fits_by_shape;
    is_script && !kit.pack.hooks.contains(name) && !is_called() && !takes_off(wiring, teardown)
}

/// Whether a teardown, or a method of its object that it calls, takes something off, or ends what keeps handles of subscriptions.
fn takes_off(wiring: &Wiring<'_>, teardown: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(teardown) else { return false };
    let calls = || body.ids().filter(|n| matches!(body.node(*n), Node::Call { .. })).map(|node| Site { member: teardown, node });
    let by_own =
        || calls().filter_map(|call| flow.callee(call)).any(|c| matches!(c.receiver, Some(Val::This(_))) && leaves(wiring, c.member));
    let class = program.member(teardown).owner;
    let keeps_handles = || {
        let own = program.ty(class).members.iter().flat_map(|m| wiring.effects_in(*m));
        own.into_iter().any(|e| e.act == Act::Join && e.handle && handles::fate(flow, e.site) == Fate::Kept)
    };
    leaves(wiring, teardown) || by_own() || keeps_handles() && calls().any(|call| is_ending_call(program, call))
}

/// Whether what a hook does is done once and for all: behind a flag that it sets and that nothing sets back, the hook that pairs with
/// it least of all.
pub(super) fn is_done_for_good(wiring: &Wiring<'_>, effect: &Effect, teardown: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let member = effect.site.member;
    let name = |m: MemberId| program.text(program.member(m).name);
    let are_paired = program.kit_of(member).pack.pairs.iter().any(|(entry, exit)| entry == name(member) && exit == name(teardown));
    let Some(body) = program.body(member).filter(|_| are_paired) else { return false };
    let is_set_here_alone = |field: MemberId| {
        let mut writes = wiring.writes(field).iter().filter(|w| !w.initial).peekable();
        writes.peek().is_some() && writes.all(|w| w.site.member == member)
    };
    let is_flag = |node: NodeId| match flow.eval_in(member, node) {
        Val::Member(of, field) => matches!(*of, Val::This(_)) && is_set_here_alone(field),
        _ => false,
    };
    program.scope(member).ancestors(effect.site.node).any(|around| match body.node(around) {
        Node::If { cond, .. } => state::any_within(body, cond, &is_flag),
        _ => false,
    })
}

/// Whether a method that is listed as an end may just as well set back what its object is about: it is called so, and ends nothing.
pub(in crate::judge) fn may_set_back(wiring: &Wiring<'_>, method: MemberId) -> bool {
    empties(wiring.program().text(wiring.program().member(method).name)) && !ends_something(wiring, method)
}

/// Names of methods that may just as well set back what their object is about.
fn empties(name: &str) -> bool {
    ["clear", "reset", "Clear", "Reset"].contains(&name)
}

/// Whether a method takes somebody off, or ends something.
fn ends_something(wiring: &Wiring<'_>, method: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(method) else { return false };
    leaves(wiring, method) || body.ids().any(|node| is_ending_call(program, Site { member: method, node }))
}

/// Whether a method itself takes somebody off.
fn leaves(wiring: &Wiring<'_>, method: MemberId) -> bool {
    wiring.effects_in(method).any(|e| matches!(e.act, Act::Leave | Act::LeaveAll | Act::LeaveOwner))
}

/// Whether a node is the call of something whose name says that it ends something.
pub(in crate::judge) fn is_ending_call(program: &Program, site: Site) -> bool {
    let Some(body) = program.body(site.member) else { return false };
    let pack = &*program.kit_of(site.member).pack;
    let Node::Call { callee, .. } = body.node(site.node) else { return false };
    let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { return false };
    let text = program.unit_of(site.member).text(name);
    pack.teardowns.contains(text) || pack.ends(text)
}

/// Whether a method of this name takes off what it is given, rather than ending a life.
pub(super) fn takes_one_off(name: &str) -> bool {
    ["unregister", "remove", "release", "clear", "unbind", "Unregister", "Remove", "Release", "Clear", "Unbind"].contains(&name)
}
