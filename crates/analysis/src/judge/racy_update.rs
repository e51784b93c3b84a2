//! Rule `racy-update`: what several lanes write is replaced by what was computed from its old value, in two steps.

use std::cell::LazyCell;
use std::collections::BTreeSet;

use yarrowgraph_ir::{AccessorKind, AssignOp, BinaryOp, MemberKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, TypeId};
use crate::state::{self, How, Write};
use crate::wire::Wiring;

/// How many calls up it is asked what runs a function.
const DEPTH: u32 = 4;

/// Why a change in two steps may be lost where nothing waits in between.
const IN_LANES: &str = "is read and written in two steps while other lanes write it";

pub(super) const RULE: Rule = Rule {
    name: "racy-update",
    summary: "an observable that several lanes write is read and written back in two steps, although it offers one",
    level: Level::Note,
    page: Page {
        symptom: "Now and then a change, and its announcement, is lost.",
        cause: "The old value is read, and the new one written, in two steps; what another lane writes in between is overwritten.",
        cure: "Use the atomic update that the observable offers, or take the lock that guards its other writes.",
        silent: "One lane only writes it, nothing can come between read and write, or the new value does not depend on the old.",
        accept: "Lost changes do no harm.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut drafts = Vec::new();
    // what is changed in one step needs no lock
    for field in wiring.written_fields().filter(|f| !is_shared(wiring, *f)) {
        let in_time = || wiring.writes(field).iter().filter(|w| !w.initial && !wiring.in_test(w.site.member));
        let (locked, open): (Vec<&Write>, Vec<&Write>) = in_time().partition(|w| state::is_within_lock(program, w.site));
        let Some(lock) = locked.first().copied() else { continue };
        // where most writes do without, the lock is for something else
        if open.len() > locked.len() {
            continue;
        }
        drafts.extend(in_time().filter_map(|w| beside_a_lock(wiring, field, lock, w)));
    }
    for field in wiring.written_fields() {
        let changes = |w: &&Write| !w.initial && !wiring.in_test(w.site.member);
        // by a method that does both: `level.incrementAndGet()`, `Interlocked.Add(ref level, 3)`
        let in_one = |w: &&Write| is_shared(wiring, field) || is_call(wiring, w.site);
        let Some(atomic) = wiring.writes(field).iter().filter(changes).find(|w| matches!(w.how, How::Change) && in_one(w)) else {
            continue;
        };
        let sets = wiring.writes(field).iter().filter(changes).filter(|w| matches!(w.how, How::Set(_)));
        drafts.extend(sets.filter_map(|w| in_two_steps(wiring, field, w, ("it is changed in one step here", atomic), "in two steps")));
    }
    for class in (0..program.types.len()).map(|i| TypeId(i as u32)) {
        let tells = |m: &MemberId| program.member(*m).kind == MemberKind::Method && !wiring.tellings(*m).is_empty();
        let tellers: Vec<MemberId> = program.ty(class).members.iter().copied().filter(tells).collect();
        let update = tellers.iter().copied().find(|m| takes_a_step(wiring, *m));
        let is_setter = |m: &MemberId| Some(*m) != update && program.decl(*m).params.len() == 1 && !takes_a_step(wiring, *m);
        for setter in tellers.iter().copied().filter(is_setter) {
            let calls = wiring.flow.call_sites(setter).iter().copied();
            let guarded = || calls.clone().find(|s| !wiring.in_test(s.member) && is_guarded(wiring, *s));
            let Some(way) = update.map(Way::Step).or_else(|| guarded().map(Way::Guard)) else { continue };
            let is_own = |s: &Site| {
                program.member(s.member).owner == class && wiring.flow.receiver(*s).is_none_or(|(of, _)| matches!(of, Val::This(_)))
            };
            let outside = calls.filter(|s| !wiring.in_test(s.member) && !is_own(s));
            drafts.extend(outside.filter_map(|call| of_call(wiring, class, (setter, way), call)));
        }
        drafts.extend(by_property(wiring, class, update));
    }
    drafts
}

fn is_call(wiring: &Wiring<'_>, site: Site) -> bool {
    wiring.program().body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Call { .. }))
}

/// How others write what one call sets from what it has read before.
#[derive(Clone, Copy)]
enum Way {
    /// A method of the class does both in one step.
    Step(MemberId),
    /// A call of the same setter, or another write of what that sets, stands under a lock.
    Guard(Site),
}

impl Way {
    /// The method that does it so.
    fn member(self) -> MemberId {
        match self {
            Self::Step(update) => update,
            Self::Guard(site) => site.member,
        }
    }
}

/// `glass.Kilos -= 20`, `glass.Kilos = glass.Kilos + 40`: by a property that sets by way of the one step, or what others write under a
/// lock.
fn by_property(wiring: &Wiring<'_>, class: TypeId, update: Option<MemberId>) -> Vec<Draft> {
    let program = wiring.program();
    let own = program.ty(class).members.iter().copied();
    let setters = own.filter(|m| program.member(*m).kind == MemberKind::Accessor(AccessorKind::Set) && !wiring.tellings(*m).is_empty());
    let mut drafts = Vec::new();
    for setter in setters {
        let name = program.member(setter).name;
        let Some(way) = update.map(Way::Step).or_else(|| beside_setter(wiring, class, setter).map(Way::Guard)) else { continue };
        for site in program.index.writes(name).iter().filter(|s| !wiring.in_test(s.member) && program.member(s.member).owner != class) {
            let Some(body) = program.body(site.member) else { continue };
            let Node::Assign { target, value, op } = body.node(site.node) else { continue };
            let Node::Member { object, .. } = body.node(target) else { continue };
            let of = wiring.flow.eval_in(site.member, object);
            if wiring.flow.type_of(&of).own().is_none_or(|t| !program.is_a(t, class)) {
                continue;
            }
            let is_read = |n: NodeId| match body.node(n) {
                Node::Member { object, name: read, .. } => {
                    program.sym_in(site.member, read) == name && wiring.flow.eval_in(site.member, object) == of
                }
                _ => false,
            };
            let depends = !matches!(op, AssignOp::Set | AssignOp::IfUnset) || state::any_within(body, value, &is_read);
            let is_open = !matches!(way, Way::Guard(_)) || !is_guarded(wiring, *site);
            if depends && is_open && in_several_lanes(wiring, &of, (setter, way.member()), *site) {
                drafts.push(draft(wiring, &of, program.place_of(*site), site.member, IN_LANES, way));
            }
        }
    }
    drafts
}

/// Where another method of the class writes under a lock what a setter writes without one.
fn beside_setter(wiring: &Wiring<'_>, class: TypeId, setter: MemberId) -> Option<Site> {
    let program = wiring.program();
    let is_open = |w: &&Write| w.site.member == setter && !is_locked(wiring, w.site);
    let is_guarded = |w: &&Write| w.site.member != setter && !wiring.in_test(w.site.member) && is_locked(wiring, w.site);
    program.ty(class).members.iter().find_map(|field| {
        let writes = wiring.writes(*field);
        writes.iter().find(is_open).and_then(|_| writes.iter().find(is_guarded)).map(|w| w.site)
    })
}

/// Whether a call stands under a lock, or in a function that its own object, or a part of that, is handed to run alone.
fn is_guarded(wiring: &Wiring<'_>, call: Site) -> bool {
    if is_locked(wiring, call) {
        return true;
    }
    let program = wiring.program();
    let (Some(body), scope) = (program.body(call.member), program.scope(call.member)) else { return false };
    let Some((object, _)) = wiring.flow.receiver(call) else { return false };
    let functions = scope.ancestors(call.node).filter(|n| matches!(body.node(*n), Node::Lambda(_)));
    functions.filter_map(|f| scope.parent(f)).any(|around| {
        let around = Site { member: call.member, node: around };
        let is_part = |of: &Val| matches!(of, Val::Member(whole, _) | Val::Outside(whole, _) if **whole == object);
        wiring.flow.receiver(around).is_some_and(|(of, _)| of == object || is_part(&of))
    })
}

/// Whether a method takes a function from the old value to the new one.
fn takes_a_step(wiring: &Wiring<'_>, method: MemberId) -> bool {
    let program = wiring.program();
    let [param] = &*program.decl(method).params else { return false };
    let by_type = param.ty.is_some_and(|t| program.is_callable(program.member(method).unit, &program.type_in(method, t)));
    let Some(body) = program.body(method) else { return false };
    // it is called with something, and what it gives is used
    let calls_it = |n: NodeId| match body.node(n) {
        Node::Call { callee, args, .. } => {
            let of = match body.node(callee) {
                Node::Member { object, .. } => object,
                _ => callee,
            };
            args.len == 1
                && matches!(body.node(of), Node::Name(name) if program.scope(method).lookup(name, of) == Some(Declared::Param(None, 0)))
                && program.scope(method).parent(n).is_some_and(|p| !matches!(body.node(p), Node::Block(_)))
        }
        _ => false,
    };
    let hands_it_on = |n: NodeId| {
        by_type
            && matches!(body.node(n), Node::Call { args, .. } if body.list(args).iter().any(|a| matches!(wiring.flow.eval_in(method, *a), Val::Param(m, None, 0) if m == method)))
    };
    body.ids().any(|n| calls_it(n) || hands_it_on(n))
}

/// A call of a setter with what was computed from the value that it replaces.
fn of_call(wiring: &Wiring<'_>, class: TypeId, (setter, way): (MemberId, Way), call: Site) -> Option<Draft> {
    if is_guarded(wiring, call) {
        return None;
    }
    let program = wiring.program();
    let body = program.body(call.member)?;
    let Node::Call { args, .. } = body.node(call.node) else { return None };
    let (object, _) = wiring.flow.receiver(call)?;
    // beside another one of the same owner
    let is_other = |guarded: &Site| match (wiring.flow.receiver(*guarded), &object) {
        (Some((Val::Member(of, held), _)), Val::Member(same, beside)) => of == *same && held != *beside,
        _ => false,
    };
    if matches!(&way, Way::Guard(guarded) if is_other(guarded)) {
        return None;
    }
    // a getter of the same object, which tells nobody
    let is_read = |n: NodeId| {
        let site = Site { member: call.member, node: n };
        match body.node(n) {
            Node::Call { args, .. } if args.len == 0 => wiring
                .flow
                .callee(site)
                .is_some_and(|c| program.is_a(class, program.member(c.member).owner) && c.receiver.as_ref() == Some(&object)),
            Node::Member { .. } => {
                wiring.read(site).is_some_and(|r| r.object == object && program.is_a(class, program.member(r.field).owner))
            }
            _ => false,
        }
    };
    let args = body.list(args).to_vec();
    let at_once = args.iter().any(|a| state::any_within(body, *a, &is_read));
    let before = args.iter().find_map(|a| read_before(wiring, call, *a, &is_read));
    let interrupted = before.is_some_and(|local| waits_between(wiring, call, local));
    let in_lanes = (at_once || before.is_some()) && in_several_lanes(wiring, &object, (setter, way.member()), call);
    if !interrupted && !in_lanes {
        return None;
    }
    let why = if interrupted { "is written back from what was read before the wait" } else { IN_LANES };
    let mut draft = draft(wiring, &object, crate::wire::operation_place(program, call), call.member, why, way);
    draft.related.push(related("it is written here", program.member_place(setter)));
    Some(draft)
}

fn draft(wiring: &Wiring<'_>, object: &Val, place: Place, writer: MemberId, why: &str, way: Way) -> Draft {
    let program = wiring.program();
    let (instead, way) = match way {
        Way::Step(update) => (
            format!("`{}` does it in one", short(&program.member_id(update))),
            related("it does it in one step", program.member_place(update)),
        ),
        Way::Guard(site) => {
            ("others write it under a lock".to_owned(), related("it is written under the lock here", program.place_of(site)))
        }
    };
    let what = wiring.flow.show(object);
    Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place,
        message: format!("`{}` {why}, so that what comes in between is lost; {instead}", short(&what)),
        related: vec![way],
        parties: vec![what, program.member_id(writer)],
        edit: None,
    }
}

/// The local in an argument that keeps what was read before.
fn read_before(wiring: &Wiring<'_>, call: Site, arg: NodeId, is_read: &dyn Fn(NodeId) -> bool) -> Option<NodeId> {
    let program = wiring.program();
    let body = program.body(call.member)?;
    let scope = program.scope(call.member);
    let mut stack = vec![arg];
    while let Some(node) = stack.pop() {
        if let Node::Name(name) = body.node(node)
            && let Some(Declared::Local(local)) = scope.lookup(name, node)
            && let Node::Local { init: Some(init), .. } = body.node(local)
            && state::any_within(body, init, is_read)
        {
            return Some(local);
        }
        stack.extend(body.children(node));
    }
    None
}

/// Whether something waits between two statements of one function.
fn waits_between(wiring: &Wiring<'_>, call: Site, local: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(call.member) else { return false };
    let scope = program.scope(call.member);
    let function = scope.function_around(body, call.node);
    body.ids().any(|n| {
        matches!(body.node(n), Node::Unary { op: UnaryOp::Await, .. } | Node::Yield(_))
            && scope.function_around(body, n) == function
            && scope.is_before(local, n)
            && scope.is_before(n, call.node)
            // what is waited for may be the read, or the write, itself
            && !scope.is_within(n, local)
            && !scope.is_within(call.node, n)
    })
}

/// Whether a field holds a value that lanes share, and that can be changed in one step.
fn is_shared(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let ty = wiring.flow.type_held(field);
    ty.own().is_none() && program.type_name(&ty).is_some_and(|name| program.kit_of(field).pack.atomic_types.contains(name))
}

/// A write of what a lock guards elsewhere, computed from the old value and outside of the lock.
fn beside_a_lock(wiring: &Wiring<'_>, field: MemberId, lock: &Write, write: &Write) -> Option<Draft> {
    if is_locked(wiring, write.site) || callers_lock(wiring, write.site.member) {
        return None;
    }
    let beside = ("it is written under the lock here", lock);
    in_two_steps(wiring, field, write, beside, "without the lock that guards its other writes")
}

/// A write that is computed from the old value, where another one does it as it should be done.
fn in_two_steps(wiring: &Wiring<'_>, field: MemberId, write: &Write, other: (&str, &Write), how: &str) -> Option<Draft> {
    let program = wiring.program();
    let member = write.site.member;
    let body = program.body(member)?;
    let is_read = |n: NodeId| {
        matches!(body.node(n), Node::Name(_) | Node::Member { .. })
            && matches!(wiring.flow.eval_in(member, n), Val::Member(_, m) if m == field)
    };
    let depends = match write.how {
        How::Change => true,
        How::Set(value) => state::any_within(body, value, &is_read) || assigned_from(wiring, write.site, value, &is_read),
        How::Within => false,
    };
    let announces = !wiring.announced_on(field).is_empty();
    if !depends || !announces {
        return None;
    }
    let what = short(&program.member_id(field));
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: program.place_of(write.site),
        message: format!("`{what}` is read and written back here {how}"),
        related: vec![related(other.0, program.place_of(other.1.site))],
        parties: vec![what, program.member_id(member)],
        edit: None,
    })
}

/// Whether a value is a local that was computed from something.
fn assigned_from(wiring: &Wiring<'_>, site: Site, value: NodeId, is_read: &dyn Fn(NodeId) -> bool) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let Node::Name(name) = body.node(value) else { return false };
    let Some(Declared::Local(local)) = program.scope(site.member).lookup(name, value) else { return false };
    // arithmetic on plain names is not kept: a local of it may come from anything
    matches!(body.node(local), Node::Local { init: Some(init), .. } if state::any_within(body, init, is_read)
        || matches!(body.node(init), Node::Plain | Node::Binary { op: BinaryOp::Arithmetic | BinaryOp::Add | BinaryOp::Sub, .. }))
}

fn callers_lock(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let callers = wiring.flow.callers((member, None));
    !callers.is_empty() && callers.iter().all(|(site, _)| is_locked(wiring, *site))
}

/// Whether a statement runs under a lock.
fn is_locked(wiring: &Wiring<'_>, site: Site) -> bool {
    wiring.program().decl(site.member).modifiers.is_synchronized || state::is_within_lock(wiring.program(), site)
}

/// Whether a call runs on one of several lanes that write the same observable.
fn in_several_lanes(wiring: &Wiring<'_>, object: &Val, (setter, update): (MemberId, MemberId), call: Site) -> bool {
    let own = lanes(wiring, call, DEPTH, &mut BTreeSet::new());
    if own.is_empty() {
        return false;
    }
    let mut all = own;
    // by the field that holds it, whatever the object around it, or where there is but one
    let class = wiring.program().member(setter).owner;
    let is_only = LazyCell::new(|| wiring.flow.creations(class).iter().filter(|s| !wiring.in_test(s.member)).count() == 1);
    let same = |other: &Val| match (object, other) {
        (Val::Member(_, a), Val::Member(_, b)) if a == b => true,
        _ => object == other || *is_only,
    };
    for method in [setter, update] {
        for site in wiring.flow.call_sites(method) {
            if wiring.flow.receiver(*site).is_some_and(|(of, _)| same(&of)) {
                all.extend(lanes(wiring, *site, DEPTH, &mut BTreeSet::new()));
            }
        }
    }
    all.len() > 1 || all.iter().any(|lane| runs_several_times(wiring, *lane))
}

/// What runs a statement on a lane of its own: the hand-over to a thread, or the method that answers requests.
fn lanes(wiring: &Wiring<'_>, site: Site, depth: u32, seen: &mut BTreeSet<Site>) -> BTreeSet<Site> {
    let program = wiring.program();
    let mut found = BTreeSet::new();
    if !seen.insert(site) || wiring.in_test(site.member) {
        return found;
    }
    let pack = &*program.kit_of(site.member).pack;
    if let Some((node, _)) = wiring.hand_overs(site).into_iter().find(|(_, name)| pack.other_lanes.contains(name)) {
        let call = Site { member: site.member, node };
        found.insert(serial(wiring, call).unwrap_or(call));
        return found;
    }
    let info = program.member(site.member);
    if pack.request_handlers.contains(program.text(info.name)) && !program.outside_bases(info.owner).is_empty() {
        found.insert(Site { member: site.member, node: NodeId::new(0) });
        return found;
    }
    if pack.invokers.contains(program.text(info.name)) {
        found.extend(wiring.flow.creations(info.owner).into_iter().filter_map(|made| handed_to_lane(wiring, made)));
    }
    let Some(depth) = depth.checked_sub(1) else { return found };
    for caller in wiring.flow.call_sites(site.member) {
        found.extend(lanes(wiring, *caller, depth, seen));
    }
    // by its name: `pool.submit(fair::leave)`
    let is_it = |read: &Site| matches!(wiring.flow.eval(*read), Val::Method(m, _) if m == site.member);
    let named = program.index.reads(info.name).iter().filter(|read| is_it(read));
    found.extend(named.filter_map(|read| handed_to_lane(wiring, *read)));
    found
}

/// What runs something on a lane of its own, that is made or named on the spot: `new Thread(new Pump(orders))`, `pool.submit(fair::leave)`.
fn handed_to_lane(wiring: &Wiring<'_>, made: Site) -> Option<Site> {
    let program = wiring.program();
    let body = program.body(made.member)?;
    let around = program.scope(made.member).parent(made.node)?;
    let lanes = &program.kit_of(made.member).pack.other_lanes;
    let by = match body.node(around) {
        Node::New { .. } => program.type_name(&wiring.flow.type_of_node(made.member, around)).is_some_and(|name| lanes.contains(name)),
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } => lanes.contains(program.unit_of(made.member).text(name)),
            _ => false,
        },
        _ => false,
    };
    let call = Site { member: made.member, node: around };
    (by && !wiring.in_test(made.member)).then(|| serial(wiring, call).unwrap_or(call))
}

/// Where what a call hands something over to is made, if that runs all of it one after the other: then it is one lane, whoever hands over.
fn serial(wiring: &Wiring<'_>, call: Site) -> Option<Site> {
    let program = wiring.program();
    let made = match wiring.flow.receiver(call)?.0 {
        Val::Member(_, field) | Val::Static(field) => wiring.flow.only_definition(field)?,
        Val::Call(made) => made,
        Val::Local(local) => match wiring.flow.local_values(local)[..] {
            [only] => Site { member: local.member, node: only },
            _ => return None,
        },
        _ => return None,
    };
    let body = program.body(made.member)?;
    let Node::Call { callee, .. } = body.node(made.node) else { return None };
    let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { return None };
    let unit = program.unit_of(made.member);
    program.kit_of(made.member).pack.serial_lanes.contains(unit.text(name)).then_some(made)
}

/// Whether a lane is one of several of its kind: requests come side by side, and a loop starts many.
fn runs_several_times(wiring: &Wiring<'_>, lane: Site) -> bool {
    let program = wiring.program();
    let pack = &*program.kit_of(lane.member).pack;
    let Some(body) = program.body(lane.member) else { return false };
    pack.request_handlers.contains(program.text(program.member(lane.member).name))
        || program.scope(lane.member).ancestors(lane.node).any(|n| match body.node(n) {
            Node::Loop { .. } | Node::ForEach { .. } => true,
            // `Enumerable.Range(0, 4).Select(_ => Task.Run(count))`
            Node::Call { callee, args, .. } => {
                let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { return false };
                let name = program.unit_of(lane.member).text(name);
                let is_function =
                    |a: &NodeId| matches!(body.node(*a), Node::Lambda(_)) && program.scope(lane.member).is_within(lane.node, *a);
                (pack.maps.contains(name) || pack.walks.contains(name)) && body.list(args).iter().any(is_function)
            }
            _ => false,
        })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn two_steps_where_others_write_too() {
        expect(
            "racy-update",
            r#"
//// shelf.ts
export class Shelf {
  private loaves: string[] = [];
  private readonly fns = new Set<(l: string[]) => void>();
  watch(fn: (l: string[]) => void): () => void { this.fns.add(fn); return () => this.fns.delete(fn); }
  get content(): string[] { return this.loaves; }
  fill(loaves: string[]): void { this.loaves = loaves; for (const fn of this.fns) fn(loaves); }
  change(step: (l: string[]) => string[]): void { this.fill(step(this.loaves)); }
}
export async function bake(shelf: Shelf, name: () => Promise<string>): Promise<void> {
  const before = shelf.content;
  const loaf = await name();
  shelf.fill([...before, loaf]); //! racy-update note
}
export async function late(shelf: Shelf, name: () => Promise<string>): Promise<void> {
  const loaf = await name();
  shelf.change((l) => [...l, loaf]);
  shelf.fill([...shelf.content, loaf]);
}
"#,
        );
    }

    #[test]
    fn beside_the_lock() {
        expect(
            "racy-update",
            r#"
//// Ledger.cs
using System;
class Ledger {
    private readonly object _gate = new object();
    private double _sum;
    private double _own;
    public event Action<double> SumChanged;
    public void Book(double more) {
        double now;
        lock (_gate) now = _sum += more;
        SumChanged?.Invoke(now);
    }
    public void Correct(double factor) {
        var corrected = _sum * factor;
        _sum = corrected; //! racy-update note
        SumChanged?.Invoke(corrected);
    }
    public void Reset() { lock (_gate) { _sum = _sum / 2; } SumChanged?.Invoke(0); }
    public void Count() { _own = _own + 1; SumChanged?.Invoke(_own); }
}
"#,
        );
    }

    #[test]
    fn beside_those_who_are_let_in_one_by_one() {
        expect(
            "racy-update",
            r#"
//// shelf.js
export class Shelf {
  loaves = 0; fns = []; queue = Promise.resolve();
  watch(fn) { this.fns.push(fn); }
  get() { return this.loaves; }
  set(n) { this.loaves = n; for (const fn of this.fns) fn(n); }
  alone(work) { this.queue = this.queue.then(work); return this.queue; }
}
export class Oven {
  constructor(shelf) { this.shelf = shelf; }
  async bake(rest) {
    await this.shelf.alone(async () => { const had = this.shelf.get(); await rest(); this.shelf.set(had + 12); });
  }
}
export class Shop {
  constructor(shelf) { this.shelf = shelf; }
  async sell(rest) {
    const had = this.shelf.get();
    await rest();
    this.shelf.set(had - 1); //! racy-update note
  }
  async count(rest) {
    await rest();
    this.shelf.set(this.shelf.get());
  }
}
const shelf = new Shelf();
shelf.watch(console.log);
new Oven(shelf).bake(fetch);
new Shop(shelf).sell(fetch);
new Shop(shelf).count(fetch);
"#,
        );
    }

    #[test]
    fn by_a_property_in_several_tasks() {
        expect(
            "racy-update",
            r#"
//// Tally.cs
using System;
using System.Collections.Generic;
using System.Threading.Tasks;
public sealed class Tally {
    private readonly object _gate = new();
    private readonly Dictionary<int, Action<double>> _fns = new();
    private double _kilos; private int _seq;
    public int Follow(Action<double> fn) { lock (_gate) { _fns[++_seq] = fn; return _seq; } }
    public void Leave(int id) { lock (_gate) _fns.Remove(id); }
    public double Kilos { get { lock (_gate) return _kilos; } set => Change(_ => value); }
    public void Change(Func<double, double> how) {
        double now; Action<double>[] copy;
        lock (_gate) { now = _kilos = how(_kilos); copy = new Action<double>[_fns.Count]; _fns.Values.CopyTo(copy, 0); }
        foreach (var fn in copy) fn(now);
    }
}
public sealed class Hall {
    private readonly Tally _glass = new();
    private readonly Tally _paper = new();
    public void Tip(double kilos) => _glass.Change(before => before + kilos);
    public void Ship(double kilos) {
        _glass.Kilos -= kilos; //! racy-update note
    }
    public void Sweep() => _glass.Kilos = 0;
    public void Bale() => _paper.Kilos = _paper.Kilos + 40;
    public void Watch() { _glass.Follow(Console.WriteLine); _paper.Follow(Console.WriteLine); }
    public static void Main() {
        var hall = new Hall();
        hall.Watch();
        Task.Run(() => hall.Tip(25));
        Task.Run(() => { for (var i = 0; i < 9; i++) hall.Ship(20); });
        Task.Run(() => hall.Bale());
    }
}
"#,
        );
    }
}
