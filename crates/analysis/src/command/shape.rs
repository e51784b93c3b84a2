//! What makes a class a command.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind};

use super::holder::Holder;
use crate::flow::{Flow, Val, is_on_itself};
use crate::program::{MemberId, Program, Site, Sym, Ty, TypeId};
use crate::wire::Wiring;

/// What a command's undoing does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Undo {
    /// Something.
    Real,
    /// Nothing.
    Empty,
    /// It throws.
    Throws,
    /// There is none.
    None,
}

/// The classes of a base that objects can be of.
pub(super) fn concrete(program: &Program, base: TypeId) -> Vec<TypeId> {
    let is_concrete = |t: &TypeId| {
        let ty = program.ty(*t);
        !ty.modifiers.is_abstract && matches!(ty.kind, TypeKind::Class | TypeKind::Struct | TypeKind::Record) && !ty.is_module
    };
    let all = program.heirs(base);
    // a class that others extend only to replace what it does stands for them
    let is_base = |t: &TypeId| *t == base && all.len() > 1;
    all.iter().copied().filter(|t| is_concrete(t) && !is_base(t)).collect()
}

/// The method of a name that a class has, written out.
pub(super) fn method(program: &Program, class: TypeId, name: Sym) -> Option<MemberId> {
    let found = program.find_member_as(class, name, true).or_else(|| program.find_member(class, name))?;
    let owner = program.member(found).owner;
    let written = |m: &&MemberId| program.body(**m).is_some_and(|b| b.root.is_some());
    program.own_members(owner, name).iter().find(written).copied()
}

/// The node that the code of a method, or of the function that a field holds, begins with.
pub(super) fn code(program: &Program, m: MemberId) -> Option<NodeId> {
    let body = program.body(m)?;
    let root = body.root?;
    match body.node(root) {
        Node::Lambda(f) if matches!(program.member(m).kind, MemberKind::Field | MemberKind::Property) => body.function(f).body,
        _ => Some(root),
    }
}

/// Whether objects of a base are commands: a small type whose operation gives nothing back, and whose classes hand on
/// to what they hold, or, where they are taken off a list to be run or run back, to what they are handed.
pub(super) fn is_command_type(wiring: &Wiring<'_>, base: TypeId, operation: Sym, is_taken: bool) -> bool {
    let program = wiring.program();
    let classes = concrete(program, base);
    let own: Vec<MemberId> = classes.iter().filter_map(|c| method(program, *c, operation)).collect();
    if own.is_empty() || is_told(wiring, base) || is_state_or_link(wiring, base) {
        return false;
    }
    let acts = |class: TypeId, m: MemberId| {
        forwards_to_one(wiring, class, m) || is_taken && (acts_on_argument(wiring, m) || acts_alone(program, m))
    };
    let forwarding = classes.iter().filter(|c| method(program, **c, operation).is_some_and(|m| acts(**c, m))).count();
    // those that stand for several, or for none, say nothing
    let speaking = classes.iter().filter(|c| method(program, **c, operation).is_some_and(|m| !stands_for_others(wiring, base, m))).count();
    let many_methods = |t: TypeId| program.ty(t).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method).count();
    forwarding > 0
        && forwarding * 2 >= speaking
        && many_methods(base) <= 6
        && own.iter().all(|m| gives_nothing(program, *m) && takes_little(program, *m))
}

/// Whether objects of a base are commands by what is done with them: they are run before they are put into a list, and are
/// taken from it to be run back. How large they are does not matter then.
pub(super) fn is_undoable(wiring: &Wiring<'_>, base: TypeId, operation: Sym, undo: Sym) -> bool {
    let program = wiring.program();
    let classes = concrete(program, base);
    let own: Vec<MemberId> = classes.iter().filter_map(|c| method(program, *c, operation)).collect();
    // what ends is not taken back
    let ends = program.kit(program.ty(base).unit).pack.ends(program.text(undo));
    let has_undo = program.find_member_as(base, undo, true).is_some();
    classes.len() >= 2
        && !own.is_empty()
        && has_undo
        && !ends
        && !is_state_or_link(wiring, base)
        && own.iter().all(|m| takes_little(program, *m))
}

/// Whether an operation does nothing, or runs those that its object holds.
fn stands_for_others(wiring: &Wiring<'_>, base: TypeId, operation: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let name = program.member(operation).name;
    let runs_others = || {
        program.body(operation).is_some_and(|body| {
            body.ids().any(|n| {
                flow.receiver(Site { member: operation, node: n }).is_some_and(|(of, asked)| {
                    let is_held = matches!(&of, Val::Element(list, _) if matches!(list.root(), Val::This(_)));
                    asked == name && is_held && flow.type_of(&of).own().is_none_or(|t| program.are_kin(t, base))
                })
            })
        })
    };
    is_empty(program, operation) || runs_others()
}

/// Whether one class is a command, where there is no base to tell.
pub(super) fn is_command(wiring: &Wiring<'_>, class: TypeId, operation: Sym) -> bool {
    let program = wiring.program();
    let Some(m) = method(program, class, operation) else { return false };
    !program.ty(class).is_module
        && forwards(wiring, class, m)
        && program.decl(m).params.is_empty()
        && !is_state_or_link(wiring, class)
        && !is_told(wiring, class)
}

/// Whether objects of a type listen to something.
fn is_told(wiring: &Wiring<'_>, base: TypeId) -> bool {
    let program = wiring.program();
    wiring.told_types().iter().any(|t| program.are_kin(*t, base))
}

fn is_state_or_link(wiring: &Wiring<'_>, base: TypeId) -> bool {
    let program = wiring.program();
    let is_state = wiring.machines().iter().filter(|m| m.moves).any(|m| m.domain.has_class(program, base));
    let is_link = wiring.links.next.iter().any(|n| program.is_a(base, n.base));
    is_state || is_link
}

/// Whether a method gives nothing back.
fn gives_nothing(program: &Program, m: MemberId) -> bool {
    // where it does not say so itself, what it stands in for does
    let mut declared = program.decl(m).ty.map(|ty| (m, ty));
    if declared.is_none() {
        program.for_each_base(program.member(m).owner, &mut |base| {
            let alike = program.own_members(base, program.member(m).name);
            declared = alike.iter().find_map(|b| Some((*b, program.decl(*b).ty?)));
            declared.is_none()
        });
    }
    if let Some((m, ty)) = declared {
        return match program.unit_of(m).type_ref(ty) {
            yarrowgraph_ir::TypeRef::Named { name, .. } => {
                matches!(program.unit_of(m).text(*name), "void" | "Task" | "bool" | "boolean" | "Promise" | "ValueTask" | "Boolean")
            }
            yarrowgraph_ir::TypeRef::Function { .. } => true,
            _ => false,
        };
    }
    let Some(body) = program.body(m) else { return true };
    !body.ids().any(|n| matches!(body.node(n), Node::Return(Some(_))))
}

/// Whether a method is given hardly anything: what is to be done it has from its making.
fn takes_little(program: &Program, m: MemberId) -> bool {
    let decl = program.decl(m);
    let of_function = program.body(m).and_then(|b| match b.root.map(|r| b.node(r)) {
        Some(Node::Lambda(f)) => Some(b.function(f).params.len()),
        _ => None,
    });
    decl.params.len() <= 1 && of_function.is_none_or(|n| n <= 1)
}

/// Whether a method acts on what its object holds, or on what is there for all.
pub fn forwards(wiring: &Wiring<'_>, class: TypeId, m: MemberId) -> bool {
    !receivers(wiring, class, m).1.is_empty()
}

/// The same, where what its object holds is no list.
fn forwards_to_one(wiring: &Wiring<'_>, class: TypeId, m: MemberId) -> bool {
    let is_of_list = |site: &Site| {
        let object = wiring.program().body(site.member).and_then(|body| crate::flow::object_of(body, site.node));
        object.is_some_and(|object| matches!(wiring.flow.eval_in(site.member, object), Val::Element(..)))
    };
    receivers(wiring, class, m).1.iter().any(|site| !is_of_list(site))
}

/// Whether a method acts on an object of the tree that it is handed.
fn acts_on_argument(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(m) else { return false };
    body.ids().any(|node| {
        let (Node::Call { callee: target, .. } | Node::Assign { target, .. }) = body.node(node) else { return false };
        let Node::Member { object, .. } = body.node(target) else { return false };
        // or on a part of it: `plan.levels.put(lamp, level)`
        let value = flow.eval_in(m, object);
        let root = value.root();
        matches!(root, Val::Param(of, None, _) if *of == m) && flow.type_of(root).bounded().own().is_some()
    })
}

/// Whether a method that is handed nothing does something with what its object holds, if only by a library.
fn acts_alone(program: &Program, m: MemberId) -> bool {
    let Some(body) = program.body(m).filter(|_| program.decl(m).params.is_empty()) else { return false };
    // `std::cout << "open"` is a statement, too
    let acts = |n: NodeId| match body.node(n) {
        Node::Call { .. } => true,
        Node::Block(list) => body.list(list).iter().any(|s| matches!(body.node(*s), Node::Binary { .. })),
        _ => false,
    };
    body.ids().any(acts)
}

/// The types that a command acts on, and its calls of their methods.
pub(super) fn receivers(wiring: &Wiring<'_>, class: TypeId, m: MemberId) -> (BTreeSet<TypeId>, Vec<Site>) {
    let mut out = (BTreeSet::new(), Vec::new());
    collect(wiring, class, m, 2, &mut out);
    out
}

fn collect(wiring: &Wiring<'_>, class: TypeId, m: MemberId, depth: u32, out: &mut (BTreeSet<TypeId>, Vec<Site>)) {
    let (flow, program) = (&wiring.flow, wiring.program());
    let (Some(body), Some(root)) = (program.body(m), code(program, m)) else { return };
    let scope = program.scope(m);
    for node in scope.within(root) {
        let site = Site { member: m, node };
        let object = match body.node(node) {
            Node::Call { callee, .. } => match body.node(callee) {
                Node::Member { object, .. } => object,
                // a member of the receiver by its pointer: `(receiver_->*action_)()`
                Node::Name(_) if matches!(flow.eval_in(m, callee), Val::Member(..)) => callee,
                Node::Name(_) => {
                    // a helper of its own
                    if let Some(depth) = depth.checked_sub(1)
                        && let Some(helper) = own_helper(flow, class, site).filter(|h| *h != m)
                    {
                        collect(wiring, class, helper, depth, out);
                    }
                    continue;
                }
                _ => continue,
            },
            // `plan.title = title`
            Node::Assign { target, .. } => match body.node(target) {
                Node::Member { object, .. } if !matches!(body.node(object), Node::This) => object,
                _ => continue,
            },
            _ => continue,
        };
        let value = flow.eval_in(m, object);
        let held = match &value {
            Val::Member(of, field) => matches!(**of, Val::This(_)) && !is_collection(wiring, *field),
            // each of those that it holds
            Val::Element(list, _) => {
                list.own_field().is_some_and(|field| is_collection(wiring, field)) && matches!(body.node(node), Node::Call { .. })
            }
            Val::Static(field) => program.member(*field).kind == MemberKind::Field && flow.type_held(*field).own().is_some(),
            // the one object that is written out
            Val::Type(object) => program.is_object_literal(*object),
            _ => false,
        };
        if !held {
            continue;
        }
        let mut ty = flow.type_of(&value);
        // of a type parameter the class says what it stands for
        if let (Ty::Param(..), Val::Member(_, field)) = (&ty, &value) {
            let owner = program.member(*field).owner;
            ty = ty.substitute(&program.ty(owner).params, &program.base_args(class, &[], owner));
        }
        let ty = ty.bounded();
        let acted_on = if let Ty::Static(object) = ty { Some(object) } else { ty.own() };
        match acted_on {
            Some(t) if program.are_kin(t, class) => {}
            Some(t) => {
                out.0.insert(t);
                out.1.push(site);
            }
            // what a parameter of the type stands for is not known here, and a record has no class
            None if matches!(ty, Ty::Param(..) | Ty::Record(_)) => out.1.push(site),
            None if matches!(ty, Ty::Unknown) => {
                out.1.push(site);
                out.0.extend(told_by_name(wiring, site).or_else(|| told_by_field(wiring, &value, site)));
            }
            None => {}
        }
    }
}

/// The method of its own object that a call runs, as a class has it.
fn own_helper(flow: &Flow<'_>, class: TypeId, call: Site) -> Option<MemberId> {
    let program = flow.program;
    let called = flow.callee(call)?.member;
    if !program.is_a(class, program.member(called).owner) {
        return None;
    }
    method(program, class, program.member(called).name).or(Some(called))
}

/// What a class does where its base runs the method: the one step that the base leaves to it (template method); else the method itself.
pub fn step_of(flow: &Flow<'_>, class: TypeId, m: MemberId) -> MemberId {
    let program = flow.program;
    let Some(body) = program.body(m).filter(|_| program.member(m).owner != class) else { return m };
    let left_open = |called: MemberId| program.body(called).is_none_or(|b| b.root.is_none()) || is_empty(program, called);
    let mut steps = BTreeSet::new();
    for node in body.ids() {
        let site = Site { member: m, node };
        if is_on_itself(body, node) && flow.callee(site).is_some_and(|c| left_open(c.member)) {
            steps.extend(own_helper(flow, class, site));
        }
    }
    match (steps.pop_first(), steps.is_empty()) {
        (Some(only), true) => only,
        _ => m,
    }
}

/// The type that alone has the method that a call names.
fn told_by_name(wiring: &Wiring<'_>, site: Site) -> Option<TypeId> {
    let program = wiring.program();
    let Node::Call { callee, .. } = program.body(site.member)?.node(site.node) else { return None };
    let Node::Member { name, .. } = program.body(site.member)?.node(callee) else { return None };
    Some(program.member(program.told_by_name(program.sym_in(site.member, name))?).owner)
}

/// The type that other calls on the same field tell, where it has the method that this one names.
fn told_by_field(wiring: &Wiring<'_>, value: &Val, site: Site) -> Option<TypeId> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Val::Member(_, field) = value else { return None };
    let Node::Call { callee, .. } = program.body(site.member)?.node(site.node) else { return None };
    let Node::Member { name, .. } = program.body(site.member)?.node(callee) else { return None };
    let name = program.sym_in(site.member, name);
    program.index.reads(program.member(*field).name).iter().find_map(|read| {
        let scope = program.scope(read.member);
        let call = scope.parent(read.node).and_then(|p| scope.parent(p))?;
        let told = told_by_name(wiring, Site { member: read.member, node: call })?;
        let same = matches!(flow.eval(*read), Val::Member(_, m) if m == *field);
        (same && program.find_member_as(told, name, true).is_some()).then_some(told)
    })
}

fn is_collection(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let unit = program.member(field).unit;
    let ty = wiring.flow.type_held(field);
    program.element_type(unit, &ty).is_some()
}

/// The fields of a command that are none of its receivers, and that its operation uses.
pub(super) fn arguments(wiring: &Wiring<'_>, class: TypeId, m: MemberId) -> Vec<MemberId> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(m) else { return Vec::new() };
    let scope = program.scope(m);
    let mut fields = BTreeSet::new();
    for node in body.ids().filter(|n| matches!(body.node(*n), Node::Name(_) | Node::Member { .. })) {
        if let Val::Member(of, field) = flow.eval_in(m, node)
            && matches!(*of, Val::This(_))
            && program.is_a(class, program.member(field).owner)
        {
            let acted_on = scope.parent(node).is_some_and(|p| matches!(body.node(p), Node::Member { object, .. } if object == node));
            if !acted_on {
                fields.insert(field);
            }
        }
    }
    fields.into_iter().filter(|f| matches!(program.member(*f).kind, MemberKind::Field | MemberKind::Property)).collect()
}

/// Whether a method does nothing at all.
pub fn is_empty(program: &Program, m: MemberId) -> bool {
    let (Some(body), Some(root)) = (program.body(m), code(program, m)) else { return false };
    match body.node(root) {
        Node::Block(list) => body.list(list).iter().all(|n| matches!(body.node(*n), Node::Empty | Node::Return(None))),
        _ => false,
    }
}

/// Whether all that a method does is to throw.
pub fn throws(program: &Program, m: MemberId) -> bool {
    let (Some(body), Some(root)) = (program.body(m), code(program, m)) else { return false };
    match body.node(root) {
        Node::Block(list) => matches!(body.list(list), [only] if matches!(body.node(*only), Node::Throw(_))),
        Node::Throw(_) => true,
        _ => false,
    }
}

/// What a command's undoing does.
pub(super) fn undo(flow: &Flow<'_>, class: TypeId, name: Option<Sym>) -> Undo {
    let program = flow.program;
    let Some(m) = name.and_then(|n| method(program, class, n)) else { return Undo::None };
    let m = step_of(flow, class, m);
    if is_empty(program, m) {
        Undo::Empty
    } else if throws(program, m) {
        Undo::Throws
    } else {
        Undo::Real
    }
}

/// Whether what a slot holds is a command rather than somebody who is told, a part or a strategy: it is put there from
/// outside, and made where it is put.
pub(super) fn fills_a_slot(wiring: &Wiring<'_>, holder: &Holder, classes: &BTreeSet<TypeId>, operation: Sym) -> bool {
    let program = wiring.program();
    let all_forward =
        classes.iter().all(|c| method(program, *c, operation).is_some_and(|m| forwards(wiring, *c, m) || stands_for_others(wiring, *c, m)));
    // they hold what they act on, and nothing else is done with them
    let small =
        classes.iter().all(|c| program.ty(*c).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method).count() <= 3);
    // each has what it acts on from its making
    let given = |c: &TypeId| {
        program.ty(*c).members.iter().any(|m| program.member(*m).kind == MemberKind::Constructor && !program.decl(*m).params.is_empty())
            || program.base_class(*c).is_some_and(|b| {
                program
                    .ty(b)
                    .members
                    .iter()
                    .any(|m| program.member(*m).kind == MemberKind::Constructor && !program.decl(*m).params.is_empty())
            })
    };
    classes.len() >= 2
        && classes.iter().filter(|c| given(c)).count() * 2 >= classes.len()
        && all_forward
        && small
        && holder.made.keys().any(|c| classes.contains(c))
        && holder.from_outside
}

/// Common types of commands that are made by a code and run where they are made, with their operation.
pub(super) fn made_by_code(wiring: &Wiring<'_>) -> Vec<(TypeId, Sym)> {
    let program = wiring.program();
    let mut found = BTreeSet::new();
    for table in wiring.codes() {
        let classes: BTreeSet<TypeId> = table.entries.iter().filter_map(|e| e.makes).collect();
        if classes.len() < 2 {
            continue;
        }
        let Some(base) = common_base(program, &classes) else { continue };
        let operations = program
            .ty(base)
            .members
            .iter()
            .filter(|m| program.member(**m).kind == MemberKind::Method && program.decl(**m).params.is_empty());
        for m in operations {
            let name = program.member(*m).name;
            if is_called(&wiring.flow, name, base) && is_command_type(wiring, base, name, false) {
                found.insert((base, name));
            }
        }
    }
    found.into_iter().collect()
}

/// The type of the tree that some classes have in common.
pub(super) fn common_base(program: &Program, classes: &BTreeSet<TypeId>) -> Option<TypeId> {
    let first = classes.first()?;
    let mut found = None;
    program.for_each_base(*first, &mut |t| {
        if t != *first && classes.iter().all(|c| program.is_a(*c, t)) {
            found = Some(t);
        }
        found.is_none()
    });
    found
}

/// Whether a type and its heirs alone have a method of a name.
fn only_there(program: &Program, name: Sym, base: TypeId) -> bool {
    let named = program.types.iter().enumerate().map(|(i, _)| TypeId(i as u32)).filter(|t| !program.own_members(*t, name).is_empty());
    named.into_iter().all(|t| program.is_a(t, base))
}

/// Whether something calls a method of a type by that type.
fn is_called(flow: &Flow<'_>, name: Sym, base: TypeId) -> bool {
    let program = flow.program;
    let mut alone = None;
    program.index.calls(name).iter().any(|site| {
        let outside = !program.is_a(program.member(site.member).owner, base);
        // of what a table gives nothing may be known but the name
        outside
            && flow
                .callee(*site)
                .map_or_else(|| *alone.get_or_insert_with(|| only_there(program, name, base)), |c| program.member(c.member).owner == base)
    })
}
