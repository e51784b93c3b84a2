//! Which statements change what a field holds.

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AccessorKind, AssignOp, MemberKind, Node, NodeId, UnaryOp};

use crate::flow::Val;
use crate::program::{Declared, MemberId, Site};
use crate::wire::Wiring;

/// What a statement does to a field.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum How {
    /// Gives it a value.
    Set(NodeId),
    /// Computes the new value from the old one.
    Change,
    /// Changes what it holds: an element is put in or taken out, a part is given another value.
    Within,
}

/// A statement that changes what a field holds.
#[derive(Clone, Debug)]
pub struct Write {
    /// The object whose field it is, as seen from the member that the statement stands in.
    pub object: Val,
    /// The assignment, the step or the call.
    pub site: Site,
    /// What is done.
    pub how: How,
    /// Whether it stands in a constructor of the object, or is the field's first value.
    pub initial: bool,
}

/// All writes, by field.
pub(super) fn all(wiring: &Wiring<'_>) -> FxHashMap<MemberId, Vec<Write>> {
    let members = 0..wiring.program().members.len();
    let found: Vec<Vec<(MemberId, Write)>> = members.into_par_iter().map(|i| of_member(wiring, MemberId(i as u32))).collect();
    let mut writes: FxHashMap<MemberId, Vec<Write>> = FxHashMap::default();
    for (field, write) in found.into_iter().flatten() {
        writes.entry(field).or_default().push(write);
    }
    writes
}

fn of_member(wiring: &Wiring<'_>, member: MemberId) -> Vec<(MemberId, Write)> {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return Vec::new() };
    let pack = &*program.kit_of(member).pack;
    let mut found = Vec::new();
    for node in body.ids() {
        found.extend(by_reference(wiring, member, node));
        let (target, how) = match body.node(node) {
            Node::Assign { op: AssignOp::Set | AssignOp::IfUnset, target, value } => (target, How::Set(value)),
            Node::Assign { target, .. } => (target, How::Change),
            Node::Unary { op: UnaryOp::Step { .. } | UnaryOp::Delete, operand } => (operand, How::Change),
            Node::Call { callee, args, .. } => match body.node(callee) {
                Node::Member { object, name, .. } => {
                    let text = program.unit_of(member).text(name);
                    let sets = pack.atomic_sets.contains(text);
                    if (sets || pack.atomic_changes.contains(text))
                        && let Some((target, value)) = of_shared(wiring, member, object, body.list(args))
                    {
                        found.extend(written(wiring, member, node, target, if sets { How::Set(value) } else { How::Change }));
                        continue;
                    }
                    let changes = [&pack.adds, &pack.removes, &pack.clears, &pack.takes, &pack.rearranges]
                        .into_iter()
                        .any(|names| names.contains(text));
                    if !changes {
                        continue;
                    }
                    (object, How::Within)
                }
                _ => continue,
            },
            _ => continue,
        };
        let (target, how) = match body.node(target) {
            Node::Index { object, .. } => (object, How::Within),
            _ => (target, how),
        };
        found.extend(written(wiring, member, node, target, how));
        found.extend(part_written(wiring, member, node, target));
    }
    found
}

/// The write of a field that a call hands to a method which stores into it: `Set(ref level, value)`.
fn by_reference(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Option<(MemberId, Write)> {
    let program = wiring.program();
    let body = program.body(member)?;
    let Node::Call { args, .. } = body.node(node) else { return None };
    let args = body.list(args);
    let by_ref = |arg: &NodeId| if let Node::Unary { op: UnaryOp::ByRef, operand } = body.node(*arg) { Some(operand) } else { None };
    let (at, target) = args.iter().enumerate().find_map(|(at, arg)| Some((at, by_ref(arg)?)))?;
    let callee = wiring.flow.callee(Site { member, node })?.member;
    let inner = program.body(callee)?;
    let param = program.decl(callee).params.get(at)?.name;
    let stored = inner.ids().find_map(|n| match inner.node(n) {
        Node::Assign { op: AssignOp::Set, target, value } if inner.node(target) == Node::Name(param) => Some(value),
        _ => None,
    })?;
    // what is stored may be another of the arguments
    let given = match inner.node(stored) {
        Node::Name(name) => program.decl(callee).params.iter().position(|p| p.name == name).and_then(|at| args.get(at)),
        _ => None,
    };
    written(wiring, member, node, target, given.map_or(How::Change, |value| How::Set(*value)))
}

/// The write of a field of the object itself of which a statement changes a part: `now.gust = 0`, `beds.get(bed).patient = name`, where
/// the field holds mere data.
fn part_written(wiring: &Wiring<'_>, member: MemberId, node: NodeId, target: NodeId) -> Option<(MemberId, Write)> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let body = program.body(member)?;
    let Node::Member { object: whole, .. } = body.node(target) else { return None };
    let value = flow.eval_in(member, whole);
    let (of, field) = match &value {
        Val::Member(of, field) => (of, *field),
        Val::Element(list, _) => match &**list {
            Val::Member(of, field) => (of, *field),
            _ => return None,
        },
        _ => return None,
    };
    // objects that do something speak for themselves
    let is_data = flow.type_of(&value).own().is_none_or(|t| program.is_mere_data(t));
    // what a pointer leads to is no part of the object as a whole
    if matches!(value, Val::Member(..)) && program.kit_of(member).traits.references_dangle && program.holds_by_pointer(field) {
        return None;
    }
    let is_slot = matches!(program.member(field).kind, MemberKind::Field | MemberKind::Property);
    if !is_data || !is_slot || !matches!(**of, Val::This(_)) {
        return None;
    }
    Some((field, write_of(wiring, Site { member, node }, (**of).clone(), How::Within)))
}

/// What a call changes of a value that lanes share: its object, or the variable that it is handed, and what it is given.
fn of_shared(wiring: &Wiring<'_>, member: MemberId, object: NodeId, args: &[NodeId]) -> Option<(NodeId, NodeId)> {
    let program = wiring.program();
    let body = program.body(member)?;
    let types = &program.kit_of(member).pack.atomic_types;
    // `Interlocked.Exchange(ref level, 3)`
    if let (Val::Global(name), Some(&first)) = (wiring.flow.eval_in(member, object), args.first())
        && types.contains(program.text(name))
    {
        return match body.node(first) {
            Node::Unary { op: UnaryOp::ByRef, operand } => Some((operand, args.get(1).copied().unwrap_or(first))),
            _ => None,
        };
    }
    let ty = wiring.flow.type_of_node(member, object);
    let is_shared = program.type_name(&ty).is_some_and(|name| types.contains(name)) && ty.own().is_none();
    is_shared.then(|| (object, args.first().copied().unwrap_or(object)))
}

/// The write of a field that a statement is.
fn written(wiring: &Wiring<'_>, member: MemberId, node: NodeId, target: NodeId, how: How) -> Option<(MemberId, Write)> {
    let program = wiring.program();
    let body = program.body(member)?;
    if !matches!(body.node(target), Node::Name(_) | Node::Member { .. }) {
        return None;
    }
    // what is done to a local copy is not done to the field
    if let Node::Name(name) = body.node(target)
        && let Some(Declared::Local(local)) = program.scope(member).lookup(name, target)
        && !matches!(body.node(local), Node::Local { init: Some(init), .. } if matches!(body.node(init), Node::Name(_) | Node::Member { .. }))
    {
        return None;
    }
    // what a setter does stands in the setter
    if !matches!(how, How::Within) && runs_setter(wiring, member, target) {
        return None;
    }
    let (object, field) = match wiring.flow.eval_in(member, target) {
        Val::Member(of, m) => ((*of).clone(), m),
        Val::Static(m) => (Val::Type(program.member(m).owner), m),
        _ => return None,
    };
    if !matches!(program.member(field).kind, MemberKind::Field | MemberKind::Property) {
        return None;
    }
    Some((field, write_of(wiring, Site { member, node }, object, how)))
}

fn write_of(wiring: &Wiring<'_>, site: Site, object: Val, how: How) -> Write {
    let program = wiring.program();
    let is_own = matches!(object, Val::This(_) | Val::Type(_));
    let in_function = || program.body(site.member).is_none_or(|b| program.scope(site.member).function_around(b, site.node).is_some());
    let initial = is_own && program.member(site.member).kind == MemberKind::Constructor && !in_function();
    Write { object, site, how, initial }
}

/// Whether an assignment to something runs a setter that is written out.
fn runs_setter(wiring: &Wiring<'_>, member: MemberId, target: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let (name, class) = match body.node(target) {
        Node::Name(name) if program.scope(member).lookup(name, target).is_none() => (name, Some(program.member(member).owner)),
        Node::Member { object, name, .. } => (name, wiring.flow.type_of(&wiring.flow.eval_in(member, object)).own()),
        _ => return false,
    };
    let setters = class.map(|t| program.find_members(t, program.sym_in(member, name))).unwrap_or_default();
    setters.into_iter().any(|m| {
        program.member(m).kind == MemberKind::Accessor(AccessorKind::Set)
            && program.body(m).is_some_and(|b| b.root.is_some() && b.nodes.len() > 1)
    })
}
