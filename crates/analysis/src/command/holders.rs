//! What holds commands: lists that they are taken from to be run, and slots.

use std::collections::BTreeMap;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId, TypeKind, UnaryOp};

use super::holder::{Holder, gives_no_use, put_at};
use super::made;
use super::taken::{call_on, called, given_to, local_calls, out_of};
use super::whole;
use crate::flow::Val;
use crate::program::{Declared, MemberId, Program, Site, Sym, Ty, TypeId, UnitId};
use crate::wire::Wiring;

/// What is taken is followed through so many returns.
const HOPS: u32 = 3;

/// The fields that objects are put into.
pub(super) struct Found {
    /// Those that they are called out of.
    pub called: Vec<Holder>,
    /// Lists that functions are taken off, to be called.
    pub of_functions: Vec<Holder>,
    /// Lists that nothing takes from.
    pub idle: Vec<Holder>,
}

/// Finds the fields that objects are put into.
pub(super) fn find(wiring: &Wiring<'_>) -> Found {
    let members = 0..wiring.program().members.len();
    let candidates: Vec<Candidate> = members.into_par_iter().filter_map(|i| candidate(wiring, MemberId(i as u32))).collect();
    let reads = reads_of(wiring, &candidates);
    let filled: Vec<Holder> = candidates
        .into_par_iter()
        .map(|c| {
            let reads = reads.get(&c.holder.field).map_or(&[][..], Vec::as_slice);
            of_field(wiring, c, reads)
        })
        .filter(|h| !h.filled.is_empty())
        .collect();
    let (of_functions, filled): (Vec<Holder>, Vec<Holder>) = filled.into_iter().partition(|h| !h.run.is_empty());
    let (called, mut idle): (Vec<Holder>, Vec<Holder>) = filled.into_iter().partition(|h| !h.taken.is_empty());
    idle.retain(|h| !h.is_slot && h.drained.is_empty());
    Found { called, of_functions, idle }
}

/// A field of which it is not known yet what is done with it.
struct Candidate {
    holder: Holder,
    /// Whether its language writes no types.
    untyped: bool,
    /// Whether the type of its elements is a type parameter.
    open: bool,
    /// Whether its elements are functions.
    of_functions: bool,
}

/// What a field may be by its type and by what is given to it.
fn candidate(wiring: &Wiring<'_>, field: MemberId) -> Option<Candidate> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(field);
    if !matches!(info.kind, MemberKind::Field | MemberKind::Property) || wiring.in_test(field) {
        return None;
    }
    let ty = flow.type_held(field);
    let of_queue = || match &ty {
        Ty::Outside(_, args) if flow.is_queue(field) => args.first().cloned(),
        _ => None,
    };
    let listed = program.element_type(info.unit, &ty).or_else(of_queue);
    let is_list = wiring.is_list(field) || listed.is_some() || program.is_map(&ty);
    let element = listed.unwrap_or_else(|| flow.element_held(field)).bounded();
    let base = if is_list { element.own() } else { ty.own() };
    let untyped = program.kit(info.unit).traits.duck_typed;
    let open = is_list && matches!(element, Ty::Param(..));
    let of_functions = is_list && (program.is_callable(info.unit, &element) || is_record_of_functions(program, info.unit, &element));
    if base.is_none() && !open && !of_functions && !(untyped && (matches!(ty, Ty::Unknown) || is_list)) {
        return None;
    }
    let mut holder = Holder {
        field,
        base: base.filter(|_| !of_functions).map(|b| if untyped { program.topmost(b) } else { b }),
        is_slot: !is_list,
        keyed: false,
        filled: Vec::new(),
        taken: Vec::new(),
        drained: Vec::new(),
        takes_off: false,
        run_first: Vec::new(),
        run: Vec::new(),
        made: BTreeMap::new(),
        from_outside: false,
    };
    // in code without types only what is put there tells
    if untyped && holder.base.is_some_and(|b| program.heirs(b).len() < 2) {
        holder.base = None;
    }
    // what nobody puts there later, and what has one form only, is not asked about at length
    let has_forms =
        |t: TypeId| program.heirs(t).len() > 1 || program.ty(t).kind == TypeKind::Interface || program.ty(t).modifiers.is_abstract;
    if !untyped && !open && !of_functions && base.is_some_and(|b| !has_forms(b)) {
        return None;
    }
    let later = |d: &&Site| d.member != field && program.member(d.member).kind != MemberKind::Constructor;
    if !is_list && (info.is_static || !flow.definitions(field).iter().any(|d| later(&d))) {
        return None;
    }
    Some(Candidate { holder, untyped, open, of_functions })
}

/// Whether a type is a record of nothing but functions, as one to do something with one that takes it back.
fn is_record_of_functions(program: &Program, unit: UnitId, ty: &Ty) -> bool {
    match ty {
        Ty::Record(parts) => parts.len() > 1 && parts.iter().all(|(_, part)| program.is_callable(unit, part)),
        Ty::Outside(name, parts) => {
            let is_tuple = program.kit(unit).pack.tuples.contains(program.text(*name));
            is_tuple && parts.len() > 1 && parts.iter().all(|part| program.is_callable(unit, part))
        }
        Ty::Own(t, _) => {
            let members = program.ty(*t).members.iter();
            let fields: Vec<MemberId> =
                members.copied().filter(|m| matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Property)).collect();
            let does = |m: &MemberId| matches!(program.member(*m).kind, MemberKind::Method | MemberKind::Event);
            !program.ty(*t).members.iter().any(does)
                && fields.len() > 1
                && fields.iter().all(|m| program.is_callable(program.member(*m).unit, &program.declared_type(*m)))
        }
        _ => false,
    }
}

/// Where each of some fields is read and that may matter, each name being looked at once for all fields that have it.
fn reads_of(wiring: &Wiring<'_>, candidates: &[Candidate]) -> FxHashMap<MemberId, Vec<Site>> {
    let program = wiring.program();
    let mut by_name: BTreeMap<Sym, Vec<&Candidate>> = BTreeMap::new();
    for candidate in candidates {
        by_name.entry(program.member(candidate.holder.field).name).or_default().push(candidate);
    }
    let by_name: Vec<(Sym, Vec<&Candidate>)> = by_name.into_iter().collect();
    let found: Vec<(MemberId, Site)> = by_name
        .into_par_iter()
        .flat_map_iter(|(name, fields)| {
            let is_slot = fields.iter().any(|c| c.holder.is_slot);
            let is_list = fields.iter().any(|c| !c.holder.is_slot);
            // code without types is looked at where the field is
            let units: FxHashSet<UnitId> = fields.iter().filter(|c| c.untyped).map(|c| program.member(c.holder.field).unit).collect();
            let typed = fields.iter().any(|c| !c.untyped);
            let fields: FxHashMap<MemberId, bool> = fields.iter().map(|c| (c.holder.field, c.untyped)).collect();
            program.index.reads(name).iter().filter_map(move |read| {
                let unit = program.member(read.member).unit;
                let near = typed || units.contains(&unit);
                if !near || !(is_list && may_matter(wiring, *read, true) || is_slot && may_matter(wiring, *read, false)) {
                    return None;
                }
                let (Val::Member(_, m) | Val::Static(m)) = wiring.flow.eval(*read) else { return None };
                let untyped = *fields.get(&m)?;
                (!untyped || program.member(m).unit == unit).then_some((m, *read))
            })
        })
        .collect();
    let mut reads: FxHashMap<MemberId, Vec<Site>> = FxHashMap::default();
    for (field, read) in found {
        reads.entry(field).or_default().push(read);
    }
    reads
}

fn of_field(wiring: &Wiring<'_>, candidate: Candidate, reads: &[Site]) -> Holder {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut holder = candidate.holder;
    let is_slot = holder.is_slot;
    for read in reads.iter().filter(|r| may_matter(wiring, **r, !is_slot)) {
        if is_slot { in_slot(wiring, &mut holder, *read) } else { in_list(wiring, &mut holder, *read) }
    }
    if is_slot {
        stored_in_slot(wiring, &mut holder);
    }
    holder.taken.sort_unstable();
    holder.taken.dedup();
    // what is called on a function calls it
    if candidate.of_functions {
        holder.run.extend(std::mem::take(&mut holder.taken).into_iter().map(|(site, _)| site));
    }
    holder.run.sort_unstable();
    holder.run.dedup();
    // of a type parameter what is asked of the elements tells
    if candidate.open {
        let asked = holder.taken.iter().find_map(|(site, _)| flow.callee(*site));
        holder.base = asked.map(|c| program.member(c.member).owner);
    }
    // by its place what was run is taken back, and stays where it is
    if !holder.run_first.is_empty() && holder.drained.is_empty() {
        let undone = holder.taken.iter().filter(|(_, op)| !holder.run_first.contains(op));
        holder.drained = undone.map(|(site, _)| (*site, false, wiring.program().in_loop(*site))).collect();
    }
    // by a parameter, or by a code that says which
    let mut given = holder.filled.iter().filter_map(|(site, _)| put_at(wiring, *site));
    holder.from_outside = given.any(|given| matches!(flow.eval(given), Val::Param(..)) || is_chosen(wiring, given));
    holder
}

/// Whether a place that reads something stands where it is put to, taken from, walked or called.
fn may_matter(wiring: &Wiring<'_>, read: Site, is_list: bool) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(read.member) else { return false };
    let read = at_end(wiring, read);
    let Some(parent) = program.scope(read.member).parent(read.node) else { return false };
    match body.node(parent) {
        Node::Member { object, name, .. } if object == read.node => {
            let text = program.unit_of(read.member).text(name);
            let pack = &program.kit_of(read.member).pack;
            let names = [
                &pack.queue_puts,
                &pack.queue_takes,
                &pack.takes,
                &pack.takes_at,
                &pack.removes,
                &pack.adds,
                &pack.adds_first,
                &pack.elements,
                &pack.clears,
                &pack.walks,
            ];
            !is_list || names.into_iter().any(|n| n.contains(text)) || whole::may_be_taken(wiring, read)
        }
        Node::ForEach { .. } | Node::Index { .. } => is_list,
        Node::Unary { .. } if !is_list => true,
        _ => is_list && whole::may_be_taken(wiring, read),
    }
}

/// Whether a table of makers, looked up by a code, says what an expression comes to.
fn is_chosen(wiring: &Wiring<'_>, given: Site) -> bool {
    let found = made::looked_up(wiring, given, 5);
    found.is_some_and(|f| wiring.codes().iter().any(|t| t.holder == Some(f)))
}

/// The end of a queue that a place reaches by it, else that place: `jobs.Reader`.
fn at_end(wiring: &Wiring<'_>, read: Site) -> Site {
    let program = wiring.program();
    let end = program.body(read.member).zip(program.scope(read.member).parent(read.node)).filter(|(body, parent)| {
        matches!(body.node(*parent), Node::Member { object, name, .. } if object == read.node
            && program.kit_of(read.member).pack.queue_ends.contains(program.unit_of(read.member).text(name)))
    });
    end.map_or(read, |(_, node)| Site { member: read.member, node })
}

/// What a place that reads the list does with it.
fn in_list(wiring: &Wiring<'_>, holder: &mut Holder, read: Site) {
    let program = wiring.program();
    let read = at_end(wiring, read);
    let Some(body) = program.body(read.member) else { return };
    let scope = program.scope(read.member);
    let pack = &program.kit_of(read.member).pack;
    let Some(parent) = scope.parent(read.node) else { return };
    let is_whole = whole::taken(wiring, holder, read);
    match body.node(parent) {
        Node::Member { object, name, .. } if object == read.node => {
            let text = program.unit_of(read.member).text(name);
            let Some(call) = scope.parent(parent).filter(|c| matches!(body.node(*c), Node::Call { callee, .. } if callee == parent)) else {
                // looked at in front by a property: `past.First.Value`
                if pack.elements.contains(text)
                    && let Some(place) = scope.parent(parent)
                    && matches!(body.node(place), Node::Member { name, .. } if pack.entry_values.contains(program.unit_of(read.member).text(name)))
                {
                    called(wiring, holder, Site { member: read.member, node: place }, 1);
                }
                return;
            };
            let Node::Call { args, .. } = body.node(call) else { return };
            let site = Site { member: read.member, node: call };
            let at_first = |arg: Option<&NodeId>| {
                arg.is_none_or(|a| matches!(body.node(*a), Node::Num(n) if program.unit_of(read.member).text(n) == "0"))
            };
            // `past.remove(past.size() - 1)`
            let at_last = |arg: &NodeId| matches!(body.node(*arg), Node::Binary { op: BinaryOp::Sub, .. });
            let takes_at = pack.takes_at.contains(text) && args.len == 1;
            let takes_at_last = takes_at && body.list(args).iter().all(at_last);
            let takes_at = takes_at && (takes_at_last || at_first(body.list(args).first()));
            if pack.takes.contains(text) || pack.queue_takes.contains(text) || takes_at || pack.removes.contains(text) && args.len == 0 {
                let last = takes_at_last || pack.takes_last.contains(text) && !is_stack(wiring, holder.field);
                holder.takes_off = true;
                holder.drained.push((site, !last, wiring.program().in_loop(site)));
                let out =
                    body.list(args).iter().find(|a| matches!(body.node(**a), Node::Unary { op: UnaryOp::ByRef, .. } | Node::Local { .. }));
                match out {
                    Some(out) => out_of(wiring, holder, Site { member: read.member, node: *out }),
                    None => called(wiring, holder, site, HOPS),
                }
            } else if (pack.adds.contains(text) || pack.queue_puts.contains(text) || pack.adds_first.contains(text)) && args.len > 0 {
                holder.filled.push((site, pack.adds_first.contains(text) || is_stack(wiring, holder.field)));
                // in a queue the importance comes behind what is put in
                let waits = wiring.flow.is_queue(holder.field);
                holder.keyed |= args.len == 2 && !waits;
                let value = if waits { body.list(args).first() } else { body.list(args).last() }.copied();
                run_beside(wiring, holder, read.member, value);
            } else if pack.elements.contains(text) {
                // looked at in front, and taken off by another call
                called(wiring, holder, site, 1);
            } else if pack.clears.contains(text) && walks_beside(wiring, holder, read.member) {
                holder.drained.push((site, true, true));
            } else if pack.walks.contains(text)
                && let [each] = body.list(args)
            {
                given_to(wiring, holder, Site { member: read.member, node: *each });
            }
        }
        // `for (const command of this.commands) command.run()`
        Node::ForEach { var, iterable, .. } if iterable == read.node && !is_whole => {
            local_calls(wiring, holder, read.member, var);
            if whole::begins_anew(wiring, holder, read) {
                holder.drained.push((read, true, true));
            }
        }
        Node::Index { object, .. } if object == read.node => {
            if let Some(up) = scope.parent(parent)
                && matches!(body.node(up), Node::Assign { target, .. } if target == parent)
            {
                holder.keyed = true;
                holder.filled.push((Site { member: read.member, node: up }, false));
                return;
            }
            called(wiring, holder, Site { member: read.member, node: parent }, 1);
        }
        _ => {}
    }
}

/// Whether a list is a stack by its type: its one open end is the front.
fn is_stack(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    program.type_name(&wiring.flow.type_held(field)).is_some_and(|name| name.to_ascii_lowercase().ends_with("stack"))
}

/// Whether the method that empties the list walks it as well.
fn walks_beside(wiring: &Wiring<'_>, holder: &Holder, member: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let pack = &program.kit_of(member).pack;
    let is_list = |node: NodeId| holder.is_at(wiring, Site { member, node });
    body.ids().any(|n| match body.node(n) {
        Node::ForEach { iterable, .. } => is_list(iterable),
        Node::Call { callee, args, .. } if args.len == 1 => match body.node(callee) {
            Node::Member { object, name, .. } => pack.walks.contains(program.unit_of(member).text(name)) && is_list(object),
            _ => false,
        },
        _ => false,
    })
}

/// The methods that are called, in the method that puts an object into the list, on that object.
fn run_beside(wiring: &Wiring<'_>, holder: &mut Holder, member: MemberId, value: Option<NodeId>) {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return };
    let scope = program.scope(member);
    let Some(mut value) = value else { return };
    // `std::move(order)`
    if let Node::Call { args, .. } = body.node(value)
        && let [only] = body.list(args)
    {
        value = *only;
    }
    let value = body.uncast(value);
    let Node::Name(name) = body.node(value) else { return };
    let Some(declared) = scope.lookup(name, value) else { return };
    // what is put back was taken from there
    if let Declared::Local(local) = declared
        && let Node::Local { init: Some(init), .. } = body.node(local)
        && let Node::Call { callee, .. } = body.node(init)
        && let Node::Member { object, .. } = body.node(callee)
        && holder.is_at(wiring, Site { member, node: object })
    {
        return;
    }
    for node in body.ids() {
        if body.node(node) == Node::Name(name)
            && scope.lookup(name, node) == Some(declared)
            && let Some((site, method)) = call_on(wiring, member, node)
            && !program.kit_of(member).pack.elements.contains(program.text(method))
            && gives_no_use(wiring, site)
            && !holder.run_first.contains(&method)
        {
            holder.run_first.push(method);
        }
    }
}

/// What a place that reads a slot does with it.
fn in_slot(wiring: &Wiring<'_>, holder: &mut Holder, read: Site) {
    if wiring.program().member(read.member).kind == MemberKind::Constructor {
        return;
    }
    if let Some((site, method)) = call_on(wiring, read.member, read.node)
        && gives_no_use(wiring, site)
    {
        let body = wiring.program().body(read.member);
        let takes_nothing = body.is_some_and(|b| matches!(b.node(site.node), Node::Call { args, .. } if args.len == 0));
        if takes_nothing {
            holder.taken.push((site, method));
        }
    }
}

/// What is stored into a slot, other than at first.
fn stored_in_slot(wiring: &Wiring<'_>, holder: &mut Holder) {
    let program = wiring.program();
    for definition in wiring.flow.definitions(holder.field) {
        if definition.member == holder.field || program.member(definition.member).kind == MemberKind::Constructor {
            continue;
        }
        let Some(store) = program.scope(definition.member).parent(definition.node) else { continue };
        holder.filled.push((Site { member: definition.member, node: store }, false));
    }
}
