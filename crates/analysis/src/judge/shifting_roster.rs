//! Rule `shifting-roster`: the list of subscribers is changed while it is being walked for delivery.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Body, LoopKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::{Val, object_of};
use crate::program::{Declared, MemberId, Site, Sym, Ty, TypeId};
use crate::state::any_within;
use crate::wire::Wiring;
use crate::wire::effect::{Act, Effect, Event};

pub(super) const RULE: Rule = Rule {
    name: "shifting-roster",
    summary: "the list of subscribers is changed while it is being walked for delivery",
    level: Level::Warning,
    page: Page {
        symptom: "A subscriber is skipped or told twice, or delivery ends with an exception, when somebody leaves in the midst of it.",
        cause: "The walk is over the live list, and what it calls, or the loop itself, takes an element out.",
        cure: "Walk over a copy, or note who has to go and take them off behind the loop.",
        silent: "The walk is over a copy or an immutable list, goes backwards, or ends right after the change.",
        accept: "The collection defines what a change during a walk does.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let rosters = wiring.rosters();
    let mut drafts = Vec::new();
    let mut walked: BTreeSet<MemberId> = BTreeSet::new();
    for raise in wiring.effects.iter().filter(|e| e.act == Act::Raise && e.inner.is_empty() && !wiring.in_test(e.site.member)) {
        let Event::Own(m) = raise.holder.event else { continue };
        if !rosters.contains(&m) {
            continue;
        }
        if let Some(turn) = live_walk(wiring, m, raise) {
            drafts.extend(in_the_loop(wiring, m, raise, turn));
            walked.insert(m);
        } else if is_by_iterator(wiring, m, raise) {
            walked.insert(m);
        }
    }
    for m in walked {
        drafts.extend(by_handlers(wiring, m));
    }
    drafts
}

/// Whether a walk may be over something else than what the holder holds: a snapshot, or what a collection of the tree's own gives.
fn is_over_another(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let program = wiring.program();
    let pack = &*program.kit_of(m).pack;
    let held = wiring.flow.type_held(m);
    let first = wiring.flow.only_definition(m);
    let made = first.map(|d| wiring.flow.type_of_node(d.member, d.node));
    // under each key a list of its own
    let under_key = program.element_type(program.member(m).unit, &held).filter(|_| raise.holder.key.is_some());
    let bears_it = |name: &str| {
        let name = name.rsplit('.').next().unwrap_or(name);
        pack.snapshot_collections.contains(name) || pack.walked_while_changed.contains(name)
    };
    let names = [Some(&held), made.as_ref(), under_key.as_ref()];
    if names.into_iter().flatten().filter_map(|ty| program.type_name(ty)).any(bears_it) {
        return true;
    }
    // `ConcurrentHashMap.newKeySet()` is of its kind
    let of_kind = first.is_some_and(|d| {
        let Some(body) = program.body(d.member) else { return false };
        let object = object_of(body, d.node).map(|o| body.node(o));
        matches!(object, Some(Node::Name(name) | Node::Member { name, .. }) if bears_it(program.unit_of(d.member).text(name)))
    });
    if of_kind {
        return true;
    }
    // a collection of the tree's own may walk a copy, and so may one that is made around another
    let is_own = |ty: &Ty| ty.own().is_some();
    let around_another = first.is_some_and(|d| {
        let Some(body) = program.body(d.member) else { return false };
        matches!(body.node(d.node), Node::Call { args, .. } | Node::New { args, .. }
            if body.list(args).iter().any(|a| matches!(body.node(*a), Node::New { .. } | Node::Call { .. })))
    });
    is_own(&held) || made.as_ref().is_some_and(is_own) || around_another
}

/// The loop of a raise that goes forward over the list itself.
fn live_walk(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> Option<NodeId> {
    if is_over_another(wiring, m, raise) {
        return None;
    }
    let program = wiring.program();
    let pack = &*program.kit_of(m).pack;
    let site = raise.site;
    let body = program.body(site.member)?;
    let scope = program.scope(site.member);
    let mut inner = site.node;
    for around in scope.ancestors(site.node) {
        match body.node(around) {
            Node::ForEach { iterable, .. } => return is_list(wiring, m, site.member, body, iterable).then_some(around),
            // a list that may be taken apart by its own iterator is another matter
            Node::Loop { kind: LoopKind::For, head, .. } => {
                return (goes_forward(body, body.list(head)) && takes_by_place(wiring, m, site.member, around)).then_some(around);
            }
            Node::Call { callee, .. } if matches!(body.node(inner), Node::Lambda(_)) => {
                let Node::Member { object, name, .. } = body.node(callee) else { return None };
                let walks = pack.walks.contains(program.unit_of(site.member).text(name));
                return (walks && is_list(wiring, m, site.member, body, object)).then_some(around);
            }
            Node::Loop { .. } => return None,
            _ => inner = around,
        }
    }
    None
}

/// Whether something in a loop takes an element out of the list itself by its place, and not out of a copy.
fn takes_by_place(wiring: &Wiring<'_>, m: MemberId, member: MemberId, turn: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let elements = &program.kit_of(member).pack.elements;
    any_within(body, turn, &|n| match body.node(n) {
        Node::Index { object, .. } => is_list(wiring, m, member, body, object),
        Node::Call { callee, .. } => matches!(body.node(callee), Node::Member { object, name, .. }
            if elements.contains(program.unit_of(member).text(name)) && is_list(wiring, m, member, body, object)),
        _ => false,
    })
}

/// Whether the loop of a raise goes over the list by an iterator of it that nothing in the loop sets anew: whoever is told may not change
/// the list.
fn is_by_iterator(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let (program, member) = (wiring.program(), raise.site.member);
    let Some(body) = program.body(member) else { return false };
    let scope = program.scope(member);
    let pack = &*program.kit_of(member).pack;
    let Some(turn) = scope.ancestors(raise.site.node).find(|n| matches!(body.node(*n), Node::Loop { .. } | Node::ForEach { .. })) else {
        return false;
    };
    let Node::Loop { kind: LoopKind::For | LoopKind::While, head, body: inner, .. } = body.node(turn) else { return false };
    // the variable by which the head asks whether there is more
    let iterator = |n: NodeId| {
        let (begins, list) = wiring.flow.begun_by(member, n)?;
        let walks = pack.list_begins.contains(begins) || pack.iterators.contains(begins);
        (walks && is_list(wiring, m, member, body, list)).then_some(n)
    };
    let named = body.list(head).iter().flat_map(|h| scope.within(*h)).find_map(iterator);
    let Some(Node::Name(name)) = named.map(|n| body.node(n)) else { return false };
    let Some(Declared::Local(local)) = named.and_then(|n| scope.lookup(name, n)) else { return false };
    let is_it = |n: NodeId| scope.names(body, n, local);
    // moved on before somebody is told, or set anew by what takes an element out
    let is_moved = any_within(body, inner, &|n| match body.node(n) {
        Node::Assign { target, .. } => is_it(target),
        Node::Unary { op: UnaryOp::Step { .. }, operand } => is_it(operand),
        _ => false,
    });
    !is_moved && !is_over_another(wiring, m, raise)
}

/// Whether an expression is the list itself rather than something made from it.
fn is_list(wiring: &Wiring<'_>, m: MemberId, member: MemberId, body: &Body, node: NodeId) -> bool {
    let node = match body.node(node) {
        // a local that only names it
        Node::Name(name) => match wiring.program().scope(member).lookup(name, node) {
            Some(Declared::Local(local)) => match body.node(local) {
                Node::Local { init: Some(init), ty, .. } if is_other_name(wiring, member, ty) => init,
                _ => return false,
            },
            Some(Declared::Param(..)) => return false,
            None => node,
        },
        _ => node,
    };
    matches!(body.node(node), Node::Name(_) | Node::Member { .. } | Node::Index { .. })
        && match wiring.flow.eval_in(member, node) {
            Val::Member(_, x) | Val::Static(x) => x == m,
            Val::Element(of, Some(_)) => matches!(*of, Val::Member(_, x) | Val::Static(x) if x == m),
            _ => false,
        }
}

/// Whether a local of a collection is another name for it, not a copy.
fn is_other_name(wiring: &Wiring<'_>, member: MemberId, ty: Option<yarrowgraph_ir::TypeRefId>) -> bool {
    let program = wiring.program();
    let is_value = program.kit_of(member).traits.references_dangle;
    !is_value || ty.is_some_and(|t| matches!(program.unit_of(member).type_ref(t), yarrowgraph_ir::TypeRef::Indirect(_)))
}

/// `for (let i = 0; …)`: removing the present element then skips the next one.
fn goes_forward(body: &Body, head: &[NodeId]) -> bool {
    let starts_at_zero = |n: &NodeId| match body.node(*n) {
        Node::Local { init: Some(init), .. } => matches!(body.node(init), Node::Num(_)),
        Node::Block(list) => {
            matches!(body.list(list).first().map(|f| body.node(*f)), Some(Node::Local { init: Some(init), .. }) if matches!(body.node(init), Node::Num(_)))
        }
        _ => false,
    };
    head.first().is_some_and(starts_at_zero)
}

/// Whether who leaves makes the others move up in a walk: an entry that is emptied where it is does not, nor does another list that is
/// put in the place of one that is not walked by places.
fn shifts(wiring: &Wiring<'_>, m: MemberId, leave: &Effect, by_place: bool) -> bool {
    let at = leave.innermost();
    let is_by_elements = !wiring.program().kit_of(at.member).traits.references_dangle && !by_place;
    let Some(body) = wiring.program().body(at.member) else { return true };
    match body.node(at.node) {
        Node::Assign { target, .. } => {
            !(matches!(body.node(target), Node::Index { .. }) || is_by_elements && is_list(wiring, m, at.member, body, target))
        }
        Node::Unary { op: UnaryOp::Delete, .. } => false,
        _ => true,
    }
}

/// Changes of the list in the very loop that walks it.
fn in_the_loop(wiring: &Wiring<'_>, m: MemberId, raise: &Effect, turn: NodeId) -> Vec<Draft> {
    let program = wiring.program();
    let member = raise.site.member;
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return Vec::new() };
    let forward = matches!(body.node(turn), Node::Loop { .. });
    let changes = wiring.effects_on(m).filter(|e| {
        matches!(e.act, Act::Leave | Act::LeaveAll)
            && shifts(wiring, m, e, forward)
            && e.site.member == member
            && e.site.node != turn
            && scope.is_within(e.site.node, turn)
            && (raise.holder.key.is_none() || e.holder.key == raise.holder.key)
    });
    changes
        .filter(|e| !ends_right_after(body, scope, e.site.node, turn) && !through_iterator(wiring, m, *e.inner.first().unwrap_or(&e.site)))
        .filter(|e| !forward || !steps_back(body, scope, e.site.node, turn))
        .filter(|e| !wiring.effects_in(member).any(|other| other.site == e.site && other.act == Act::Raise))
        .map(|e| draft(wiring, m, e.site, raise.site, "in the very loop that walks it"))
        .collect()
}

/// Whether the walk is left behind a change.
fn ends_right_after(body: &Body, scope: &crate::program::Scope, change: NodeId, turn: NodeId) -> bool {
    let mut inner = change;
    for around in scope.ancestors(change) {
        if around == turn {
            return false;
        }
        if let Node::Block(list) = body.node(around) {
            let rest = body.list(list).iter().skip_while(|s| **s != inner);
            if rest.into_iter().any(|s| matches!(body.node(*s), Node::Return(_) | Node::Break | Node::Throw(_))) {
                return true;
            }
        }
        if matches!(body.node(around), Node::Return(_)) {
            return true;
        }
        inner = around;
    }
    false
}

/// Whether the position is set back beside a change: `list.splice(i--, 1)`, `i -= 1`.
fn steps_back(body: &Body, scope: &crate::program::Scope, change: NodeId, turn: NodeId) -> bool {
    let Node::Loop { body: inner, .. } = body.node(turn) else { return false };
    // what is only put around the change (a lock, a try) does not part them
    let is_choice = |n: &NodeId| matches!(body.node(*n), Node::If { .. } | Node::Switch { .. } | Node::Loop { .. } | Node::ForEach { .. });
    let around = scope.ancestors(change).take_while(|n| !is_choice(n)).filter(|n| matches!(body.node(*n), Node::Block(_)) || *n == inner);
    let Some(block) = around.last() else { return false };
    any_within(body, block, &|n| {
        matches!(body.node(n), Node::Unary { op: UnaryOp::Step { .. }, .. })
            || matches!(body.node(n), Node::Assign { op: yarrowgraph_ir::AssignOp::Sub, .. })
    })
}

/// Whether a change goes through an iterator, which knows of it, or its result is the walk's next position.
fn through_iterator(wiring: &Wiring<'_>, m: MemberId, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return true };
    match body.node(site.node) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { object, .. } => !is_list(wiring, m, site.member, body, object),
            _ => true,
        },
        _ => false,
    }
}

/// Handlers that take somebody off while they are told.
fn by_handlers(wiring: &Wiring<'_>, m: MemberId) -> Vec<Draft> {
    let program = wiring.program();
    let of_list = || wiring.effects_on(m).filter(|e| !wiring.in_test(e.site.member));
    let walks = || of_list().filter(|e| e.act == Act::Raise);
    // where any delivery of the same message goes over a copy the handler may be one that is told there
    let is_live = |e: &Effect| live_walk(wiring, m, e).is_some() || is_by_iterator(wiring, m, e);
    let over_a_copy: Vec<Option<Sym>> = walks().filter(|e| e.inner.is_empty() && !is_live(e)).map(|e| e.message).collect();
    let is_only_live = |e: &Effect| !over_a_copy.contains(&e.message) && !over_a_copy.contains(&None);
    let Some(walk) = walks().find(|e| is_live(e) && is_only_live(e)) else { return Vec::new() };
    let messages: BTreeSet<_> = walks().filter(|e| is_only_live(e)).filter_map(|e| e.message).collect();
    let mut drafts = Vec::new();
    let is_loop = |turn: NodeId| matches!(program.body(walk.site.member).map(|b| b.node(turn)), Some(Node::Loop { .. }));
    let by_place = live_walk(wiring, m, walk).is_some_and(is_loop);
    for leave in of_list().filter(|e| e.act == Act::Leave && shifts(wiring, m, e, by_place)) {
        let Some(body) = program.body(leave.site.member) else { continue };
        let scope = program.scope(leave.site.member);
        let function = scope.function_around(body, leave.site.node);
        let info = program.member(leave.site.member);
        let runs_in_delivery = of_list().filter(|e| e.act == Act::Join).any(|join| {
            // a function that a wrapper puts around the handler
            let around = join.handler_node.filter(|n| n.member == leave.site.member);
            if around.is_some_and(|n| matches!(body.node(n.node), Node::Lambda(f) if Some(f) == function)) {
                return true;
            }
            [join.handler.as_ref(), join.adapter.as_ref()].into_iter().flatten().any(|h| match wiring.flow.function_of(h) {
                Some(Val::Lambda(lm, lf)) => lm == leave.site.member && Some(lf) == function,
                Some(Val::Method(mm, _)) => mm == leave.site.member && function.is_none(),
                _ => {
                    let class = class_told(wiring, h);
                    let calls_it =
                        messages.contains(&info.name) || program.kit_of(leave.site.member).pack.invokers.contains(program.text(info.name));
                    function.is_none() && calls_it && class.is_some_and(|t| program.is_a(t, info.owner))
                }
            })
        });
        // who leaves is the one who is told, as far as is known
        if runs_in_delivery && !is_handed_to_scheduler(wiring, leave.site) {
            drafts.push(draft(wiring, m, leave.site, walk.site, "by a handler, while the list is walked to tell it"));
        }
    }
    let own_handles = of_list().filter(|e| e.act == Act::Join && e.handle).flat_map(|join| by_own_handle(wiring, m, &messages, join));
    drafts.extend(own_handles.map(|site| draft(wiring, m, site, walk.site, "by a handler, while the list is walked to tell it")));
    drafts
}

/// The class of an object that is told; of what a field holds for good, and is typed by a library's interface, the class of that.
fn class_told(wiring: &Wiring<'_>, handler: &Val) -> Option<TypeId> {
    let kept = || match handler {
        Val::Member(_, field) => wiring.flow.only_definition(*field).and_then(|d| wiring.flow.type_of_node(d.member, d.node).own()),
        _ => None,
    };
    wiring.flow.type_of(handler).own().or_else(kept)
}

/// Whether a field only ever holds the list that another member holds.
fn stands_for(wiring: &Wiring<'_>, field: MemberId, m: MemberId) -> bool {
    let flow = &wiring.flow;
    let Some(Val::Param(constructor, None, index)) = flow.only_definition(field).map(|d| flow.eval(d)) else { return false };
    let callers = flow.callers((constructor, None));
    let is_list = |v: Option<&Option<Val>>| matches!(v, Some(Some(Val::Member(_, x) | Val::Static(x))) if *x == m);
    field != m && !callers.is_empty() && callers.iter().all(|(_, binding)| is_list(binding.args.get(index as usize)))
}

/// Where a handler takes itself off by what its subscription gave back.
fn by_own_handle(wiring: &Wiring<'_>, m: MemberId, messages: &BTreeSet<Sym>, join: &Effect) -> Vec<Site> {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let gives_back = join.inner.first().map(|s| s.member);
    let leaves = |e: &Effect| e.act == Act::Leave && e.inner.is_empty();
    // a function that takes it off, or an object that was handed the list to do so
    let by_function = || wiring.effects_on(m).any(|e| leaves(e) && Some(e.site.member) == gives_back);
    let by_object = || wiring.effects.iter().any(|e| leaves(e) && matches!(e.holder.event, Event::Own(x) if stands_for(wiring, x, m)));
    if !by_function() && !by_object() {
        return Vec::new();
    }
    let handler = join.handler.as_ref().and_then(|h| flow.function_of(h));
    let class = join.handler.as_ref().and_then(|h| flow.type_of(h).own());
    let is_in_handler = |site: Site| {
        let around = program.runs_in(site);
        match handler {
            Some(Val::Lambda(member, function)) => site.member == member && around == Some(function),
            Some(Val::Method(member, _)) => site.member == member && around.is_none(),
            _ => {
                let info = program.member(site.member);
                around.is_none() && messages.contains(&info.name) && class.is_some_and(|c| program.is_a(c, info.owner))
            }
        }
    };
    let is_run_by_it = |site: &Site| {
        let called = || flow.call_sites(site.member).iter().any(|call| is_in_handler(*call));
        is_in_handler(*site) || program.runs_in(*site).is_none() && called()
    };
    let releases = crate::wire::handles::releases(flow, join.site);
    releases.into_iter().filter(|site| is_run_by_it(site) && !is_handed_to_scheduler(wiring, *site)).collect()
}

/// Whether a statement stands in a function that something else runs later.
fn is_handed_to_scheduler(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return true };
    let schedulers = &program.kit_of(site.member).pack.schedulers;
    wiring.hand_overs(site).into_iter().any(|(node, name)| matches!(body.node(node), Node::Call { .. }) && schedulers.contains(name))
}

fn draft(wiring: &Wiring<'_>, m: MemberId, change: Site, walk: Site, how: &str) -> Draft {
    let program = wiring.program();
    let list = program.member_id(m);
    Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, change),
        message: format!("`{}` is changed {how}", short(&list)),
        related: vec![related("the walk is here", program.place_of(walk)), related("the list", program.member_place(m))],
        parties: vec![list, program.member_id(change.member)],
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn changed_in_the_loop_or_by_a_handler() {
        expect(
            "shifting-roster",
            r#"
//// Bell.cs
using System;
using System.Collections.Generic;
interface IListener { bool Ring(int times); }
class Bell {
    private readonly List<IListener> _near = new List<IListener>();
    private readonly List<IListener> _far = new List<IListener>();
    public void Near(IListener l) => _near.Add(l);
    public void Leave(IListener l) => _near.Remove(l);
    public void Far(IListener l) => _far.Add(l);
    public void LeaveFar(IListener l) => _far.Remove(l);
    public void Ring(int times) {
        foreach (var l in _near) {
            if (!l.Ring(times)) _near.Remove(l); //! shifting-roster warning
        }
        foreach (var l in _far.ToArray()) {
            if (!l.Ring(times)) _far.Remove(l);
        }
    }
}
class Once : IListener {
    private readonly Bell _bell;
    public Once(Bell bell) { _bell = bell; bell.Near(this); }
    public bool Ring(int times) {
        _bell.Leave(this); //! shifting-roster warning
        return true;
    }
}
class OnceFar : IListener {
    private readonly Bell _bell;
    public OnceFar(Bell bell) { _bell = bell; bell.Far(this); }
    public bool Ring(int times) { _bell.LeaveFar(this); return true; }
}
"#,
        );
    }

    #[test]
    fn sets_backward_walks_and_the_end() {
        expect(
            "shifting-roster",
            r#"
//// hub.js
class Hub {
  constructor() { this.fns = []; this.set = new Set(); this.last = []; }
  on(fn) { this.fns.push(fn); }
  off(fn) { const at = this.fns.indexOf(fn); if (at >= 0) this.fns.splice(at, 1); }
  onSet(fn) { this.set.add(fn); return () => this.set.delete(fn); }
  onLast(fn) { this.last.push(fn); }
  offLast(fn) { const at = this.last.indexOf(fn); if (at >= 0) this.last.splice(at, 1); }
  tell(v) {
    for (let i = 0; i < this.fns.length; i++) {
      if (this.fns[i](v)) this.fns.splice(i, 1); //! shifting-roster warning
    }
    for (const fn of this.set) if (fn(v)) this.set.delete(fn);
    for (const fn of this.last) {
      if (fn(v)) { this.last.splice(this.last.indexOf(fn), 1); break; }
    }
  }
}
module.exports = { Hub };
"#,
        );
    }

    #[test]
    fn a_copy_that_is_walked_by_place() {
        expect(
            "shifting-roster",
            r#"
//// Bells.java
import java.util.*;
interface RingListener { void rung(Bell bell); }
class Bell {
    private Vector listeners = new Vector();
    void addRingListener(RingListener l) { listeners.addElement(l); }
    void removeRingListener(RingListener l) { listeners.removeElement(l); }
    void ring() {
        Vector all = (Vector) listeners.clone();
        for (int i = 0; i < all.size(); i++) {
            RingListener l = (RingListener) all.elementAt(i);
            l.rung(this);
        }
    }
}
class Clapper {
    private Vector listeners = new Vector();
    void addRingListener(RingListener l) { listeners.addElement(l); }
    void removeRingListener(RingListener l) { listeners.removeElement(l); }
    void swing(Bell bell) {
        for (int i = 0; i < listeners.size(); i++) {
            RingListener l = (RingListener) listeners.elementAt(i);
            l.rung(bell);
        }
    }
}
class Carillon {
    private final Set<RingListener> listeners = java.util.concurrent.ConcurrentHashMap.newKeySet();
    private final Collection<RingListener> others = new java.util.concurrent.ConcurrentLinkedQueue<>();
    void addRingListener(RingListener l) { listeners.add(l); others.add(l); }
    void removeRingListener(RingListener l) { listeners.remove(l); others.remove(l); }
    void play(Bell bell) {
        for (RingListener l : listeners) l.rung(bell);
        for (RingListener l : others) l.rung(bell);
    }
}
class Hearer implements RingListener {
    private final Carillon carillon;
    Hearer(Carillon carillon) { this.carillon = carillon; carillon.addRingListener(this); }
    public void rung(Bell bell) { carillon.removeRingListener(this); }
}
class Ringer implements RingListener {
    private final Clapper clapper;
    Ringer(Bell bell, Clapper clapper) { this.clapper = clapper; bell.addRingListener(this); clapper.addRingListener(this); }
    public void rung(Bell bell) {
        bell.removeRingListener(this);
        clapper.removeRingListener(this); //! shifting-roster warning
    }
}
"#,
        );
    }

    #[test]
    fn a_loop_that_walks_a_copy() {
        expect(
            "shifting-roster",
            r#"
//// project.cpp
class Ear { public: QString id() const; void setId(const QString &id); virtual void heard(int n) = 0; };
class Project {
public:
    void add(Ear *e) { copied.insert(e->id(), e); walked.insert(e->id(), e); }
    void drop(Ear *e) { copied.remove(e->id()); walked.remove(e->id()); }
    void tell() {
        foreach (Ear *e, copied) {
            e->heard(1);
            copied.remove(e->id());
        }
        BOOST_FOREACH (Ear *e, walked) {
            e->heard(2);
            walked.remove(e->id()); //! shifting-roster warning
        }
    }
private:
    QHash<QString, Ear*> copied;
    QHash<QString, Ear*> walked;
};
class Tug : public Ear {
public:
    explicit Tug(Project *p) : project(p) { project->add(this); }
    ~Tug() { project->drop(this); }
    void heard(int n) override { last = n; }
private:
    Project *project;
    int last = 0;
};
"#,
        );
    }
}
