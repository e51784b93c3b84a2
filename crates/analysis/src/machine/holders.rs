//! What holds a state: fields and captured variables that are given one of several constants or objects.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind, Visibility};

use super::domain::{Domain, Encoding, STATES};
use super::filled::is_filled;
use super::handed;
use super::origins::{literal, origins};
use super::state::{self, State};
use super::unions::{part_of, union_of};
use super::{Holder, Machine};
use crate::chain::behaviour::method_call_of;
use crate::flow::{Flow, Val, returned};
use crate::program::{Declared, Kinds, MemberId, Program, Site, Sym, Ty, TypeId};
use crate::state::is_statement;

/// A table is followed through so many parameters and fields.
const HOPS: u32 = 4;

/// The machine that a field may be the holder of.
pub(super) fn of_field(flow: &Flow<'_>, field: MemberId) -> Option<(Machine, Domain)> {
    let program = flow.program;
    let info = program.member(field);
    if !matches!(info.kind, MemberKind::Field | MemberKind::Property) || program.decl(field).modifiers.is_ambient {
        return None;
    }
    let owner = program.ty(info.owner);
    if owner.kind == TypeKind::Enum || owner.kind == TypeKind::Interface {
        return None;
    }
    let defined = flow.definitions(field);
    let later = defined.iter().filter(|d| d.member != field).count();
    let held = flow.type_held(field);
    let variant = alternatives(program, field, &held);
    if defined.iter().all(|d| is_first(program, field, *d)) && variant.is_none() && !answers_are_let_go(flow, field, &held) {
        return None;
    }
    // numbers, collections and what else holds no state are not asked about at length
    let simple = match &held {
        Ty::Own(t, _) => {
            !matches!(program.ty(*t).kind, TypeKind::Enum | TypeKind::Interface)
                && program.heirs(*t).len() < 2
                && !program.kit_of(field).traits.duck_typed
                && later < 2
        }
        Ty::Array(_) | Ty::Static(_) => true,
        _ => false,
    };
    if simple || held.own().is_some_and(|base| has_too_many_heirs(program, base)) {
        return None;
    }
    let is_enum = held.own().is_some_and(|t| program.ty(t).kind == TypeKind::Enum);
    let named = if is_enum { BTreeSet::new() } else { stored(flow, field) };
    let (encoding, states, closed, tag) = match held.own() {
        _ if variant.is_some() => (Encoding::Variant, variant?, true, None),
        Some(ty) if program.ty(ty).kind == TypeKind::Enum => (Encoding::Enumeration(ty), constants(program, ty), true, None),
        Some(ty) if let Some(only) = only_enumeration(program, ty) => (Encoding::Enumeration(only), constants(program, only), true, None),
        Some(record) if let Some((part, texts)) = part_of(program, record) => {
            (Encoding::Text, texts.into_iter().map(State::Text).collect(), true, Some(part))
        }
        _ if let Some(listed) = listed_objects(flow, &named) => listed,
        // a name for alternatives, or for a function's type, is no class
        Some(base) if !program.ty(base).anonymous && !is_alias(program, base) && union_of(program, field).is_none() => {
            // where no object comes from is not known of any
            if named.is_empty() {
                return None;
            }
            of_classes(flow, info.owner, base, &named).or_else(|| kin(flow, field, &named))?
        }
        _ => untyped(flow, field, &named)?,
    };
    if states.len() > STATES {
        return None;
    }
    let machine = Machine { holder: Holder::Field(field), context: Some(info.owner), tag };
    Some((machine, Domain::new(flow, encoding, states, closed)))
}

/// Whether a class has more heirs than a machine has states, where nothing but a class says what can be held.
fn has_too_many_heirs(program: &Program, base: TypeId) -> bool {
    let ty = program.ty(base);
    let is_class = ty.kind != TypeKind::Enum && !ty.anonymous && !is_alias(program, base) && !program.kit(ty.unit).traits.duck_typed;
    let heirs = || program.heirs(base).into_iter().filter(|heir| is_concrete(program, *heir));
    // the class itself is none of its states
    is_class && part_of(program, base).is_none() && heirs().nth(STATES + 1).is_some()
}

/// The enumeration whose constants are all that there is of an interface: `enum Phases implements Phase`.
fn only_enumeration(program: &Program, interface: TypeId) -> Option<TypeId> {
    if program.ty(interface).kind != TypeKind::Interface {
        return None;
    }
    let heirs = program.heirs(interface).into_iter().skip(1).filter(|t| {
        let ty = program.ty(*t);
        // bodies of constants are the enumeration's own
        !ty.anonymous && ty.kind != TypeKind::Interface
    });
    let mut heirs = heirs.peekable();
    let only = heirs.next()?;
    (heirs.peek().is_none() && program.ty(only).kind == TypeKind::Enum).then_some(only)
}

/// Whether objects can be of a class, and named by it.
fn is_concrete(program: &Program, class: TypeId) -> bool {
    let ty = program.ty(class);
    !ty.modifiers.is_abstract && ty.kind != TypeKind::Interface && !ty.is_module && !ty.anonymous
}

/// Whether a field is given something as its object is made: what it holds from then on.
fn is_first(program: &Program, field: MemberId, defined: Site) -> bool {
    defined.member == field
        || program.member(defined.member).kind == MemberKind::Constructor
            && program.body(defined.member).is_some_and(|b| program.scope(defined.member).function_around(b, defined.node).is_none())
}

/// Whether what a field holds answers with more of its kind, which its class lets go.
fn answers_are_let_go(flow: &Flow<'_>, field: MemberId, held: &Ty) -> bool {
    let program = flow.program;
    let Some(kind) = held.own() else { return false };
    let related = |t: TypeId| program.are_kin(t, kind);
    program.reads_in_class(field).any(|read| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let Some((node, _)) = method_call_of(body, scope, read.node) else { return false };
        let call = Site { member: read.member, node };
        let answer = |m: MemberId| program.decl(m).ty.and_then(|ty| program.type_in(m, ty).own());
        is_statement(program, call) && flow.callee(call).and_then(|c| answer(c.member)).is_some_and(related)
    })
}

/// The constants and objects that are stored into a field, by its own statements or through parameters and other fields.
fn stored(flow: &Flow<'_>, field: MemberId) -> BTreeSet<State> {
    let mut named = BTreeSet::new();
    for site in flow.definitions(field) {
        let from = origins(flow, *site);
        for origin in from {
            let said = handed::named_by_callers(flow, origin);
            match said.is_empty() {
                true => named.extend(state::named(flow, origin.member, origin.node)),
                false => named.extend(said),
            }
        }
    }
    named
}

type Found = (Encoding, Vec<State>, bool, Option<Sym>);

/// Whether a type is another name for one that is written out.
fn is_alias(program: &Program, ty: TypeId) -> bool {
    program.ty(ty).decls.iter().any(|(unit, decl)| program.unit(*unit).ty(*decl).aliased.is_some())
}

/// The constants of an enumeration.
fn constants(program: &Program, ty: TypeId) -> Vec<State> {
    let all = program.ty(ty).members.iter().copied();
    all.filter(|m| program.member(*m).kind == MemberKind::EnumConstant).map(State::Constant).collect()
}

/// Objects of classes that have a base in common.
fn of_classes(flow: &Flow<'_>, owner: TypeId, base: TypeId, named: &BTreeSet<State>) -> Option<Found> {
    let program = flow.program;
    // objects that constants hold
    let values: Vec<State> = named.iter().copied().filter(|s| matches!(s, State::Constant(_))).collect();
    // what is inferred may be one of the states only
    let mut base = base;
    if !named.iter().all(|s| !matches!(s, State::Class(t) if !program.is_a(*t, base)))
        || program.kit(program.ty(base).unit).traits.duck_typed
    {
        base = program.topmost(base);
    }
    if program.is_a(owner, base) {
        return None;
    }
    let heirs: Vec<State> = program.heirs(base).into_iter().filter(|heir| is_concrete(program, *heir)).map(State::Class).collect();
    let has_methods =
        program.heirs(base).iter().any(|t| program.ty(*t).members.iter().any(|m| program.member(*m).kind == MemberKind::Method));
    if values.len() > heirs.len() || (heirs.len() < 2 && !values.is_empty()) {
        let object = values.iter().all(|s| matches!(s, State::Constant(m) if program.member(*m).kind == MemberKind::Field));
        return object.then(|| (Encoding::Values, with_alike(flow, base, values), false, None));
    }
    if heirs.len() < 2 {
        return None;
    }
    // a base that is made itself is a default among its heirs, of which it is no state unless it is stored
    let mut heirs = heirs;
    if !program.ty(base).modifiers.is_abstract && program.ty(base).kind != TypeKind::Interface && !named.contains(&State::Class(base)) {
        heirs.retain(|s| *s != State::Class(base));
    }
    let encoding = if has_methods { Encoding::Objects(base) } else { Encoding::Alternatives(base) };
    Some((encoding, heirs, true, None))
}

/// Constants that are written out as objects of an interface, and the others like them beside the first.
fn with_alike(flow: &Flow<'_>, interface: TypeId, mut values: Vec<State>) -> Vec<State> {
    let program = flow.program;
    let Some(State::Constant(first)) = values.first().copied().filter(|_| program.ty(interface).kind == TypeKind::Interface) else {
        return values;
    };
    let is_alike = |m: MemberId| {
        program.member(m).kind == MemberKind::Field && program.declared_type(m).own() == Some(interface) && flow.listing(m).is_some()
    };
    if values.iter().all(|s| matches!(s, State::Constant(m) if is_alike(*m))) {
        let beside = program.ty(program.member(first).owner).members.iter().copied().filter(|m| is_alike(*m)).map(State::Constant);
        values.extend(beside);
        values.sort_unstable();
        values.dedup();
    }
    values
}

/// Objects that a constant lists: `const phases = { shut: { pulse(gate) { … } } }`.
fn listed_objects(flow: &Flow<'_>, named: &BTreeSet<State>) -> Option<Found> {
    let table = |s: &State| if let State::Entry(table, _) = s { Some(*table) } else { None };
    let table = table(named.first()?).filter(|first| named.iter().all(|s| table(s) == Some(*first)))?;
    let literal = flow.listing(table)?;
    let body = flow.program.body(literal.member)?;
    let Node::Object(entries) = body.node(literal.node) else { return None };
    let key_of = |entry: &NodeId| match body.node(*entry) {
        Node::Entry { key, value } if matches!(body.node(value), Node::Object(_)) => match body.node(key) {
            Node::Str(name) => Some(flow.program.sym_in(literal.member, name)),
            _ => None,
        },
        _ => None,
    };
    let keys: Vec<Sym> = body.list(entries).iter().map(key_of).collect::<Option<_>>()?;
    (keys.len() > 1).then(|| (Encoding::Values, keys.into_iter().map(|key| State::Entry(table, key)).collect(), true, None))
}

/// Objects of classes without a base in common, where no language asks for one: what they are asked by the one who holds
/// them makes them states.
fn kin(flow: &Flow<'_>, field: MemberId, named: &BTreeSet<State>) -> Option<Found> {
    let program = flow.program;
    let owner = program.member(field).owner;
    if !program.kit_of(field).traits.duck_typed {
        return None;
    }
    let asked = asked_of(flow, field);
    let class_of = |state: &State| match state {
        State::Class(t) if *t != owner && !program.ty(*t).anonymous => Some(*t),
        _ => None,
    };
    let mut classes: Vec<TypeId> = named.iter().filter_map(class_of).collect();
    // what a state gives for what it is asked may be the next one
    let mut at = 0;
    while let Some(class) = classes.get(at).copied() {
        for m in asked.iter().filter_map(|name| program.find_member(class, *name)) {
            let Some(body) = program.body(m) else { continue };
            for node in returned(program, m, None).into_iter().flat_map(|n| parts_of_choice(body, n)) {
                if let Some(class) = state::named(flow, m, node).as_ref().and_then(class_of)
                    && !classes.contains(&class)
                {
                    classes.push(class);
                }
            }
        }
        at += 1;
    }
    classes.sort_unstable();
    let all_have = |name: &Sym| classes.iter().all(|t| program.find_member_as(*t, *name, true).is_some());
    (classes.len() >= 2 && asked.iter().any(all_have)).then(|| (Encoding::Kin, classes.into_iter().map(State::Class).collect(), true, None))
}

/// The methods that the class of a field calls on what the field holds.
fn asked_of(flow: &Flow<'_>, field: MemberId) -> BTreeSet<Sym> {
    let program = flow.program;
    let mut asked = BTreeSet::new();
    for read in program.reads_in_class(field) {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { continue };
        if let Some((_, name)) = method_call_of(body, scope, read.node)
            && matches!(flow.eval(*read), Val::Member(of, m) if m == field && matches!(*of, Val::This(_)))
        {
            asked.insert(program.sym_in(read.member, name));
        }
    }
    asked
}

/// The values between which an expression chooses.
fn parts_of_choice(body: &yarrowgraph_ir::Body, node: NodeId) -> Vec<NodeId> {
    match body.node(node) {
        Node::Conditional { then, other, .. } => {
            let mut parts = parts_of_choice(body, then);
            parts.extend(parts_of_choice(body, other));
            parts
        }
        _ => vec![node],
    }
}

/// What is stored tells what the states are.
fn untyped(flow: &Flow<'_>, field: MemberId, named: &BTreeSet<State>) -> Option<Found> {
    let program = flow.program;
    let mut named = named.clone();
    if let Some((tag, texts)) = union_of(program, field) {
        return Some((Encoding::Text, texts.into_iter().map(State::Text).collect(), true, tag));
    }
    if let Some(tag) = tag_of(flow, field) {
        let texts = flow.definitions(field).iter().filter_map(|d| {
            let entry = flow.entry_of_literal(*d, tag)?;
            state::named(flow, entry.member, entry.node)
        });
        return Some((Encoding::Text, texts.collect::<BTreeSet<_>>().into_iter().collect(), false, Some(tag)));
    }
    // a machine is moved by what is stored, however many ways that comes
    if let Some(table) = named.iter().find_map(|s| if let State::Entry(table, _) = s { Some(*table) } else { None }) {
        let keys = state::listed(flow, table)?;
        return Some((Encoding::Constants, keys.into_iter().map(|k| State::Entry(table, k)).collect(), true, None));
    }
    if named.iter().any(|s| matches!(s, State::Class(_))) {
        let classes: Vec<TypeId> = named.iter().filter_map(|s| if let State::Class(t) = s { Some(*t) } else { None }).collect();
        let base = program.topmost(*classes.first()?);
        return of_classes(flow, program.member(field).owner, base, &named).or_else(|| kin(flow, field, &named));
    }
    // null and the like beside texts
    named.retain(|s| !matches!(s, State::Class(_)));
    let texts = named.iter().filter(|s| matches!(s, State::Text(_))).count();
    let functions = named.iter().filter(|s| matches!(s, State::Function(_))).count();
    let first = *named.first()?;
    let is_number = |s: &State| matches!(s, State::Constant(m) if is_plain(flow, *m));
    // what a table has beside the first one is seen on the way
    if texts >= 2 || texts == 1 && flow.definitions(field).iter().any(|d| is_of_table(flow, *d, 8)) {
        let states = in_order(flow, field, &named, |s| matches!(s, State::Text(_) | State::Constant(_)));
        return Some((Encoding::Text, states, false, None));
    }
    // numbers that an enumeration without a name of its own names
    if let State::Constant(m) = first
        && program.member(m).kind == MemberKind::EnumConstant
        && named.iter().all(|s| matches!(s, State::Constant(c) if program.member(*c).owner == program.member(m).owner))
    {
        let ty = program.member(m).owner;
        return Some((Encoding::Enumeration(ty), constants(program, ty), true, None));
    }
    if functions > 0 && functions == named.len() {
        named.extend(unnamed_alike(flow, field, &named));
        return Some((Encoding::Functions, named.into_iter().collect(), false, None));
    }
    if named.iter().all(is_number) {
        let states = in_order(flow, field, &named, |s| is_number(&s));
        return (states.len() >= 2).then_some((Encoding::Constants, states, false, None));
    }
    let is_object = |s: &State| matches!(s, State::Constant(m) if !is_plain(flow, *m));
    (named.iter().all(is_object) && matches!(first, State::Constant(_)))
        .then(|| (Encoding::Values, named.into_iter().collect(), false, None))
}

/// Methods that are states as those that a field holds are, and that nothing names: hidden ones which take and give the same, and say
/// what comes next.
fn unnamed_alike(flow: &Flow<'_>, field: MemberId, named: &BTreeSet<State>) -> Vec<State> {
    let program = flow.program;
    let owner = program.member(field).owner;
    let shape = |m: MemberId| {
        let decl = program.decl(m);
        let types: Vec<Ty> = decl.params.iter().map(|p| p.ty.map_or(Ty::Unknown, |ty| program.type_in(m, ty))).collect();
        (types, program.declared_type(m))
    };
    let shapes: Vec<_> = named.iter().filter_map(|s| if let State::Function(m) = s { Some(shape(*m)) } else { None }).collect();
    let is_alike = |m: &MemberId| {
        let info = program.member(*m);
        info.kind == MemberKind::Method
            && !named.contains(&State::Function(*m))
            && program.decl(*m).modifiers.visibility == Visibility::Private
            && shapes.contains(&shape(*m))
            && flow.definitions(field).iter().any(|d| d.member == *m)
            && program.is_named_nowhere(info.name)
    };
    program.ty(owner).members.iter().copied().filter(is_alike).map(State::Function).collect()
}

/// Whether an expression is a part of a table that is written out: `table[state][event]`, `row.to`.
fn is_of_table(flow: &Flow<'_>, site: Site, hops: u32) -> bool {
    let (Some(hops), Some(body)) = (hops.checked_sub(1), flow.program.body(site.member)) else { return false };
    let inner = |node: NodeId| is_of_table(flow, Site { member: site.member, node }, hops);
    match body.node(site.node) {
        Node::Index { object, .. } => is_table(flow, site.member, object) || inner(object),
        Node::Member { object, .. } => is_table(flow, site.member, object) || inner(object),
        Node::Call { callee, .. } => matches!(body.node(callee), Node::Member { .. }) && inner(callee),
        Node::Binary { left, .. } => inner(left),
        Node::Unary { operand, .. } | Node::Cast { operand, .. } => inner(operand),
        Node::Name(name) => match flow.program.scope(site.member).lookup(name, site.node) {
            Some(Declared::Local(local)) => {
                let values = flow.local_values(Site { member: site.member, node: local });
                let of_walk =
                    || matches!(flow.eval(site), Val::Element(of, _) if matches!(of.root(), Val::Static(m) if is_literal(flow, *m)));
                values.into_iter().any(inner) || of_walk()
            }
            _ => false,
        },
        _ => false,
    }
}

/// Whether an expression names a constant whose object or list is written out, or a table that code fills.
fn is_table(flow: &Flow<'_>, member: MemberId, node: NodeId) -> bool {
    match flow.eval_in(member, node) {
        Val::Static(m) | Val::Member(_, m) => is_literal(flow, m) || is_filled(flow, m),
        _ => false,
    }
}

fn is_literal(flow: &Flow<'_>, m: MemberId) -> bool {
    if literal(flow, &Val::Static(m), HOPS).is_some() {
        return true;
    }
    let Some(site) = flow.collection_given(m) else { return false };
    if flow.map_literal(site).is_some_and(|map| !flow.pairs(map).is_empty()) {
        return true;
    }
    let Some(body) = flow.program.body(site.member) else { return false };
    // frozen, or a list made of it
    let made_of = match body.node(site.node) {
        Node::Call { args, .. } | Node::New { args, .. } => body.list(args).first().copied(),
        _ => None,
    };
    matches!(body.node(made_of.unwrap_or(site.node)), Node::Object(_) | Node::Collection { .. })
}

/// What is stored into a field, in the order of its definitions, and then what methods are given to store.
fn in_order(flow: &Flow<'_>, field: MemberId, named: &BTreeSet<State>, fits: impl Fn(State) -> bool) -> Vec<State> {
    let mut states = Vec::new();
    let own = flow.definitions(field).iter().filter_map(|d| state::named(flow, d.member, d.node));
    for state in own.chain(named.iter().copied()) {
        if fits(state) && !states.contains(&state) {
            states.push(state);
        }
    }
    states
}

/// Whether a constant holds a number or a text.
fn is_plain(flow: &Flow<'_>, constant: MemberId) -> bool {
    let Some(site) = flow.only_definition(constant) else { return false };
    flow.program.body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Num(_) | Node::Str(_) | Node::Plain))
}

/// The classes of which a variant holds one.
fn alternatives(program: &Program, field: MemberId, held: &Ty) -> Option<Vec<State>> {
    let Ty::Outside(name, args) = held else { return None };
    let pack = &program.kit_of(field).pack;
    if !pack.alternatives.contains(program.text(*name)) {
        return None;
    }
    let states: Vec<State> = args.iter().filter_map(Ty::own).map(State::Class).collect();
    (states.len() >= 2 && states.len() == args.len()).then_some(states)
}

/// The entry by which the object literals that a field is given are told apart.
fn tag_of(flow: &Flow<'_>, field: MemberId) -> Option<Sym> {
    let program = flow.program;
    let defined = flow.definitions(field);
    let first = defined.first()?;
    let body = program.body(first.member)?;
    let Node::Object(entries) = body.node(first.node) else { return None };
    let keys: Vec<Sym> = body
        .list(entries)
        .iter()
        .filter_map(|e| match body.node(*e) {
            Node::Entry { key, value } => match (body.node(key), body.node(value)) {
                (Node::Str(name), Node::Str(_)) => Some(program.sym_in(first.member, name)),
                _ => None,
            },
            _ => None,
        })
        .collect();
    keys.into_iter().find(|key| {
        let texts: Vec<Option<State>> =
            defined.iter().map(|d| flow.entry_of_literal(*d, *key).and_then(|e| state::named(flow, e.member, e.node))).collect();
        let distinct: BTreeSet<State> = texts.iter().flatten().copied().collect();
        texts.iter().all(Option::is_some) && distinct.len() >= 2
    })
}

/// Variables of a body that hold a state between messages: of a generator, or captured by functions.
pub(super) fn of_body(flow: &Flow<'_>, member: MemberId) -> Vec<(Machine, Domain, Vec<NodeId>)> {
    let program = flow.program;
    // what is never assigned moves nowhere
    let Some(body) = program.body_with(member, Kinds::ASSIGN) else { return Vec::new() };
    let scope = program.scope(member);
    let mut found = Vec::new();
    let yields = body.ids().any(|n| matches!(body.node(n), Node::Yield(_)));
    for local in body.ids() {
        let Node::Local { init: Some(init), constant: false, .. } = body.node(local) else { continue };
        let Some(first) = state::named(flow, member, init) else { continue };
        let stores: Vec<(NodeId, NodeId)> = body
            .ids()
            .filter_map(|n| match body.node(n) {
                Node::Assign { target, value, .. } if scope.names(body, target, local) => Some((n, value)),
                _ => None,
            })
            .collect();
        let home = scope.function_around(body, local);
        let apart: Vec<NodeId> = stores.iter().map(|(n, _)| *n).filter(|n| scope.function_around(body, *n) != home).collect();
        if stores.is_empty() || (!yields && apart.is_empty()) {
            continue;
        }
        let mut states = vec![first];
        for (_, value) in &stores {
            if let Some(state) = state::named(flow, member, *value)
                && !states.contains(&state)
            {
                states.push(state);
            }
        }
        if states.len() < 2 {
            continue;
        }
        let (encoding, states, closed) = match first {
            State::Text(_) => (Encoding::Text, states, false),
            State::Constant(m) if program.member(m).kind == MemberKind::EnumConstant => {
                let ty = program.member(m).owner;
                (Encoding::Enumeration(ty), constants(program, ty), true)
            }
            State::Entry(table, _) => match state::listed(flow, table) {
                Some(keys) => (Encoding::Constants, keys.into_iter().map(|k| State::Entry(table, k)).collect(), true),
                None => continue,
            },
            State::Constant(_) => (Encoding::Constants, states, false),
            _ => continue,
        };
        let machine = Machine { holder: Holder::Local(Site { member, node: local }), context: None, tag: None };
        found.push((machine, Domain::new(flow, encoding, states, closed), if yields { Vec::new() } else { apart }));
    }
    found
}
