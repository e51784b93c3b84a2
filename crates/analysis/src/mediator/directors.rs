//! Mediators that hold each of their colleagues in a field of its own: a dialog and its controls, a frame and its panels.
//!
//! What makes one a mediator is that colleagues hold it back and tell it something, and that it then has others of them
//! do something.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId, TypeKind};

use super::{Colleague, Mediator, Route, To};
use crate::flow::Val;
use crate::program::{Kinds, MemberId, Program, Site, Ty, TypeId};
use crate::state::is_statement;
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;

/// At least so many colleagues tell a mediator something.
const SPEAKERS: usize = 2;

/// What no more than so many classes are is no listener of anybody's.
const FEW: usize = 3;

/// A type that more classes than these extend is no colleague.
const HEIRS: usize = 200;

/// What has more methods than these does much else, and is a mediator only of those whom it hands itself as it comes to be.
const METHODS: usize = 20;

/// A mediator has so many helpers between what it is told and what it has done, one behind the other.
const HELPERS: u32 = 2;

/// Finds the mediators of the kind.
pub(super) fn find(wiring: &Wiring<'_>) -> Vec<Mediator> {
    let program = wiring.program();
    let rosters: BTreeSet<MemberId> = wiring
        .channels
        .iter()
        .filter_map(|c| match c.key {
            ChannelKey::Own(m, _) => Some(m),
            _ => None,
        })
        .collect();
    let may_be = |class: &TypeId| {
        let ty = program.ty(*class);
        ty.kind == TypeKind::Class
            && !ty.is_module
            && (hands_itself_out(program, *class) || is_given_several(wiring, *class))
            && !wiring.is_test_type(*class)
    };
    let classes = (0..program.types.len()).into_par_iter().map(|index| TypeId(index as u32));
    classes.filter(may_be).filter_map(|class| of_class(wiring, class, &rosters)).collect()
}

/// Whether the code of a class hands over `this`, by that word or another, as often as it has to.
fn hands_itself_out(program: &Program, class: TypeId) -> bool {
    let calls = program.ty(class).members.iter().map(|m| {
        let Some(body) = program.body_with(*m, Kinds::CALL | Kinds::NEW | Kinds::ASSIGN) else { return 0 };
        let other_words = program.kit_of(*m).traits.duck_typed;
        let is_this = |a: &NodeId| matches!(body.node(*a), Node::This) || other_words && matches!(body.node(*a), Node::Name(_));
        let hands = |n: &NodeId| match body.node(*n) {
            Node::Call { args, .. } | Node::New { args, .. } => body.list(args).iter().any(is_this),
            Node::Assign { target, value, .. } => matches!(body.node(target), Node::Member { .. }) && body.node(value) == Node::This,
            _ => false,
        };
        body.ids().filter(hands).count()
    });
    calls.sum::<usize>() >= SPEAKERS
}

/// Whether a class keeps what several of its methods are handed, each in a field for it.
fn is_given_several(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let keeps = |m: MemberId| {
        let Some(body) = program.body_with(m, Kinds::CALL | Kinds::ASSIGN) else { return false };
        let is_object = |n: NodeId| matches!(body.node(n), Node::Name(_)) && flow.type_of_node(m, n).own().is_some();
        program.member(m).kind == MemberKind::Method
            && body.ids().any(|n| match body.node(n) {
                Node::Assign { value, .. } => is_object(value),
                Node::Call { callee, args, .. } => match body.node(callee) {
                    Node::Member { name, .. } => {
                        program.kit_of(m).pack.adds.contains(program.unit_of(m).text(name)) && body.list(args).iter().any(|a| is_object(*a))
                    }
                    _ => false,
                },
                _ => false,
            })
    };
    program.ty(class).members.iter().filter(|m| keeps(**m)).count() >= SPEAKERS
}

fn of_class(wiring: &Wiring<'_>, class: TypeId, rosters: &BTreeSet<MemberId>) -> Option<Mediator> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let is_small = program.ty(class).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method).count() <= METHODS;
    let mut fields: BTreeMap<MemberId, TypeId> = BTreeMap::new();
    for &field in &program.ty(class).members {
        let info = program.member(field);
        if info.is_static || !matches!(info.kind, MemberKind::Field | MemberKind::Property) || rosters.contains(&field) {
            continue;
        }
        // what it has one of, or a list of, for as long as it is there
        let given = flow.definitions(field).iter().filter(|d| program.body(d.member).is_some_and(|b| b.node(d.node) != Node::Null));
        if given.count() > 1 {
            continue;
        }
        let ty = flow.type_held(field);
        let element = program.element_type(info.unit, &ty).filter(|_| is_small);
        let held = element.unwrap_or(ty).own().filter(|t| !program.are_kin(*t, class));
        // what so many classes stand for is a trait of the whole tree and nobody's colleague
        let is_colleague =
            |t: &TypeId| matches!(program.ty(*t).kind, TypeKind::Class | TypeKind::Interface) && program.heirs_up_to(*t, HEIRS).is_some();
        if let Some(t) = held.filter(is_colleague) {
            fields.insert(field, t);
        }
    }
    if fields.len() < SPEAKERS {
        return None;
    }
    let mut told: BTreeMap<MemberId, BTreeSet<Site>> = BTreeMap::new();
    let mut speakers: BTreeSet<MemberId> = BTreeSet::new();
    let mut routes: Vec<Route> = Vec::new();
    for (&field, &t) in &fields {
        for method in tells(wiring, t, class, rosters) {
            let reached = told.entry(method).or_insert_with(|| reached(wiring, method, class, &fields, HELPERS));
            let others = reached.iter().filter(|site| held_by(wiring, **site, &fields).is_some_and(|f| f != field));
            let before = routes.len();
            routes.extend(others.filter_map(|site| {
                let method = super::asked(program, *site)?.1;
                let (to, condition) = super::reach(program, program.body(site.member)?, *site);
                let is_list = held_by(wiring, *site, &fields).is_some_and(|f| wiring.is_list(f));
                Some(Route { site: *site, to: if is_list { to } else { To::One }, method, condition })
            }));
            if routes.len() > before {
                speakers.insert(field);
            }
        }
    }
    // and they are handed it by itself, as it comes to be, or register with it, or it tells apart who speaks
    let is_bound = |field: MemberId| {
        let colleague = fields[&field];
        hands_itself_to(wiring, class, field, colleague, is_small)
            || is_small && registers_itself(wiring, class, field, colleague)
            || is_small && told.keys().any(|m| tells_apart(wiring, *m, field))
    };
    if speakers.iter().filter(|field| is_bound(**field)).count() < SPEAKERS {
        return None;
    }
    // colleagues know it; what else it has is its own affair
    fields.retain(|field, t| speakers.contains(field) || knows(wiring, *t, class));
    routes.retain(|r| held_by(wiring, r.site, &fields).is_some());
    routes.sort_by_key(|r| r.site);
    routes.dedup_by_key(|r| r.site);
    let reached = |field: MemberId| routes.iter().any(|r| held_by(wiring, r.site, &fields) == Some(field));
    let mut colleagues: Vec<Colleague> = Vec::new();
    for (&field, &t) in fields.iter().filter(|(f, _)| speakers.contains(f) || reached(**f)) {
        let registered: BTreeSet<Site> = flow.definitions(field).iter().copied().collect();
        for class in super::concrete(program, t).into_iter().filter(|c| !wiring.is_test_type(*c)) {
            match colleagues.iter_mut().find(|c| c.class == class) {
                Some(known) => known.registered.extend(&registered),
                None => colleagues.push(Colleague { class, registered: registered.clone(), deregistered: BTreeSet::new() }),
            }
        }
    }
    if routes.is_empty() || colleagues.len() < SPEAKERS {
        return None;
    }
    colleagues.sort_by_key(|c| c.class);
    let roster = *fields.keys().find(|f| speakers.contains(f))?;
    let base = super::common(program, &colleagues);
    let talking = |t: TypeId| super::talks(wiring, t, class, &|m| told.contains_key(&m));
    let others = base.map_or_else(Vec::new, |base| super::concrete(program, base));
    let others = others.into_iter().filter(|t| is_never_given(wiring, *t, class)).collect();
    let outsiders = super::outsiders(wiring, class, others, &colleagues, &talking);
    Some(Mediator { class, channels: Vec::new(), roster, base, colleagues, routes, outsiders })
}

/// Whether objects of a class would be told their mediator by a method, which nobody calls on any of them.
fn is_never_given(wiring: &Wiring<'_>, class: TypeId, mediator: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let is_held = |m: &MemberId| {
        let is_slot = matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Property);
        is_slot && flow.type_held(*m).own().is_some_and(|t| program.is_a(mediator, t))
    };
    let held: Vec<MemberId> = members(program, class).into_iter().filter(is_held).collect();
    let is_nothing = |d: &Site| program.body(d.member).is_none_or(|body| body.node(d.node) == Node::Null);
    let given = held.iter().flat_map(|field| flow.definitions(*field)).filter(|d| !is_nothing(d));
    let setters: BTreeSet<MemberId> = given.map(|d| d.member).collect();
    let is_for_it = |call: &Site| match flow.receiver(*call).and_then(|(of, _)| flow.type_of(&of).own()) {
        Some(t) => program.are_kin(t, class),
        None => true,
    };
    let is_setter = |m: &MemberId| program.member(*m).kind == MemberKind::Method && !program.decl(*m).params.is_empty();
    !setters.is_empty() && setters.iter().all(|m| is_setter(m) && !flow.call_sites(*m).iter().any(is_for_it))
}

/// The methods of a mediator that a colleague tells something, by what it holds of the mediator's type, outside of its
/// constructors; what only listens to it is none.
fn tells(wiring: &Wiring<'_>, colleague: TypeId, mediator: TypeId, rosters: &BTreeSet<MemberId>) -> BTreeSet<MemberId> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = BTreeSet::new();
    for class in super::concrete(program, colleague) {
        for m in members(program, class) {
            let Some(body) = program.body_with(m, Kinds::CALL) else { continue };
            if program.member(m).kind == MemberKind::Constructor {
                continue;
            }
            for node in body.ids() {
                let Node::Call { callee, .. } = body.node(node) else { continue };
                let Node::Member { object, name, .. } = body.node(callee) else { continue };
                let Val::Member(of, field) = flow.eval_in(m, object) else { continue };
                if !matches!(*of, Val::This(_)) || rosters.contains(&field) || !is_statement(program, Site { member: m, node }) {
                    continue;
                }
                let Ty::Own(known_as, _) = flow.type_held(field).bounded() else { continue };
                // who knows it as one of many knows it as a listener
                let is_one_of_few = || super::concrete(program, known_as).iter().filter(|t| !wiring.is_test_type(**t)).count() <= FEW;
                if program.is_a(mediator, known_as) && (known_as == mediator || is_one_of_few()) {
                    found.extend(program.find_member_as(mediator, program.sym_in(m, name), true));
                }
            }
        }
    }
    found
}

/// The members of a class and of its bases.
fn members(program: &Program, class: TypeId) -> Vec<MemberId> {
    let mut all = Vec::new();
    program.for_each_base(class, &mut |t| {
        all.extend(&program.ty(t).members);
        true
    });
    all
}

/// Whether objects of a type hold a mediator.
fn knows(wiring: &Wiring<'_>, colleague: TypeId, mediator: TypeId) -> bool {
    let program = wiring.program();
    let holds = |m: &MemberId| {
        let is_held = matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Property);
        is_held && wiring.flow.type_held(*m).own().is_some_and(|t| program.is_a(mediator, t))
    };
    super::concrete(program, colleague).into_iter().any(|class| members(program, class).iter().any(holds))
}

/// Whether a mediator hands itself to the colleague in a field as it comes to be, where it makes it or by a method of that, or as it is
/// given the colleague, where it does not do much else.
fn hands_itself_to(wiring: &Wiring<'_>, mediator: TypeId, field: MemberId, colleague: TypeId, is_small: bool) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let is_set_up = |m: MemberId| match program.member(m).kind {
        MemberKind::Method => {
            let is_given_there = || flow.definitions(field).iter().any(|d| d.member == m);
            let from_start = flow.call_sites(m).iter().any(|site| {
                let caller = program.member(site.member);
                caller.owner == mediator && caller.kind == MemberKind::Constructor
            });
            from_start || is_small && is_given_there()
        }
        _ => true,
    };
    program.ty(mediator).members.iter().any(|&m| {
        let Some(body) = program.body(m) else { return false };
        let is_this = |a: &NodeId| matches!(flow.eval_in(m, *a), Val::This(t) if program.are_kin(t, mediator));
        // the field, or what it is given
        let is_colleague = |object: NodeId| match flow.eval_in(m, object) {
            Val::Member(_, f) => f == field,
            given @ Val::Param(..) => flow.definitions(field).iter().any(|d| flow.eval(*d) == given),
            _ => false,
        };
        let hands = body.ids().any(|node| match body.node(node) {
            Node::New { args, .. } => {
                let made = || flow.type_of_node(m, node).own().is_some_and(|t| program.is_a(t, colleague));
                args.len > 0 && made() && body.list(args).iter().any(is_this)
            }
            Node::Call { args, .. } if args.len > 0 => {
                crate::flow::object_of(body, node).is_some_and(is_colleague) && body.list(args).iter().any(is_this)
            }
            // `valve.Panel = this;`
            Node::Assign { target, value, .. } => {
                matches!(body.node(target), Node::Member { object, .. } if is_colleague(object)) && is_this(&value)
            }
            _ => false,
        });
        hands && is_set_up(m)
    })
}

/// Whether a colleague, by code of its own, hands itself to the method of the mediator that keeps it: `desk.admit(this)`.
fn registers_itself(wiring: &Wiring<'_>, mediator: TypeId, field: MemberId, colleague: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let keeps = |m: MemberId| {
        let Some(body) = program.body_with(m, Kinds::CALL | Kinds::ASSIGN) else { return false };
        let is_field = |n: NodeId| flow.eval_in(m, n).own_field() == Some(field);
        let is_given = |n: NodeId| matches!(flow.eval_in(m, n), Val::Param(..));
        body.ids().any(|n| match body.node(n) {
            Node::Assign { target, value, .. } => is_field(target) && is_given(value),
            Node::Call { args, .. } => {
                crate::flow::object_of(body, n).is_some_and(is_field) && body.list(args).iter().any(|a| is_given(*a))
            }
            _ => false,
        })
    };
    let is_by_itself = |call: &Site| {
        let Some(body) = program.body(call.member) else { return false };
        let Node::Call { args, .. } = body.node(call.node) else { return false };
        program.are_kin(program.member(call.member).owner, colleague)
            && body.list(args).iter().any(|a| matches!(flow.eval_in(call.member, *a), Val::This(_)))
    };
    let methods = program.ty(mediator).members.iter().filter(|m| keeps(**m));
    methods.flat_map(|m| flow.call_sites(*m)).any(is_by_itself)
}

/// Whether a method compares what it is handed with what a field holds: `if (sender === this.shop)`.
fn tells_apart(wiring: &Wiring<'_>, method: MemberId, field: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(method) else { return false };
    let is_field = |n: NodeId| flow.eval_in(method, n).own_field() == Some(field);
    let is_given = |n: NodeId| matches!(flow.eval_in(method, n), Val::Param(..));
    body.ids().any(|n| match body.node(n) {
        Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => {
            is_given(left) && is_field(right) || is_given(right) && is_field(left)
        }
        _ => false,
    })
}

/// The statements by which a method of a mediator has its colleagues do something, itself or by its helpers.
fn reached(wiring: &Wiring<'_>, method: MemberId, mediator: TypeId, fields: &BTreeMap<MemberId, TypeId>, depth: u32) -> BTreeSet<Site> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = BTreeSet::new();
    let (Some(depth), Some(body)) = (depth.checked_sub(1), program.body(method)) else { return found };
    for node in body.ids() {
        if !matches!(body.node(node), Node::Call { .. }) {
            continue;
        }
        let site = Site { member: method, node };
        if held_by(wiring, site, fields).is_some() {
            if is_statement(program, site) && flow.callee(site).is_some() {
                found.insert(site);
            }
        } else if let Some(helper) = flow.callee(site).map(|c| c.member).filter(|h| *h != method && program.member(*h).owner == mediator) {
            found.extend(reached(wiring, helper, mediator, fields, depth));
        }
    }
    found
}

/// The field whose object a call asks.
fn held_by(wiring: &Wiring<'_>, call: Site, fields: &BTreeMap<MemberId, TypeId>) -> Option<MemberId> {
    let body = wiring.program().body(call.member)?;
    let asked = wiring.flow.eval_in(call.member, crate::flow::object_of(body, call.node)?);
    // one of a list
    let held = if let Val::Element(of, _) = &asked { of } else { &asked };
    held.own_field().filter(|field| fields.contains_key(field))
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    #[test]
    fn colleagues_that_are_given_one_by_one_and_told_apart() {
        let map = map(r#"
//// Room.java
class Room {
    private Lamps lamps;
    private Seats seats;
    void setLamps(Lamps l) { lamps = l; l.setRoom(this); }
    void setSeats(Seats s) { seats = s; s.setRoom(this); }
    void changed(Object who) {
        if (who == seats) lamps.set(!seats.empty());
        else if (who == lamps && !lamps.lit()) seats.clear();
    }
}
class Lamps {
    private Room room;
    private boolean lit;
    void setRoom(Room r) { room = r; }
    void toggle() { lit = !lit; room.changed(this); }
    void set(boolean on) { lit = on; }
    boolean lit() { return lit; }
}
class Seats {
    private Room room;
    private int taken;
    void setRoom(Room r) { room = r; }
    void sit() { taken++; room.changed(this); }
    void clear() { taken = 0; }
    boolean empty() { return taken == 0; }
}
class Main {
    public static void main(String[] args) {
        Room room = new Room();
        room.setLamps(new Lamps());
        room.setSeats(new Seats());
    }
}
"#);
        let [room] = &map.mediators[..] else { panic!("one mediator, not {:?}", map.mediators) };
        let classes: Vec<&str> = room.colleagues.iter().map(|c| c.class.as_str()).collect();
        assert_eq!(classes, ["Lamps", "Seats"]);
    }

    #[test]
    fn colleagues_that_register_themselves_one_kind_in_a_list() {
        let map = map(r#"
//// Train.cs
using System.Collections.Generic;
public class Guard
{
    private Dining dining;
    private readonly List<Sleeper> sleepers = new();
    public void Register(Dining d) { dining = d; }
    public void Register(Sleeper s) { sleepers.Add(s); }
    public void Hungry(int cabin) => dining?.Serve(cabin);
    public void Ready(string meal) { foreach (var s in sleepers) s.Knock(meal); }
}
public class Dining
{
    private readonly Guard guard;
    public Dining(Guard guard) { this.guard = guard; guard.Register(this); }
    public void Serve(int cabin) { }
    public void Ring() => guard.Ready("soup");
}
public class Sleeper
{
    private readonly Guard guard;
    public Sleeper(Guard guard) { this.guard = guard; guard.Register(this); }
    public void Wake() => guard.Hungry(3);
    public void Knock(string meal) { }
}
"#);
        let [guard] = &map.mediators[..] else { panic!("one mediator, not {:?}", map.mediators) };
        let classes: Vec<&str> = guard.colleagues.iter().map(|c| c.class.as_str()).collect();
        assert_eq!(classes, ["Dining", "Sleeper"]);
    }
}
