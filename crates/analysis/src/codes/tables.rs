//! Where things are selected by codes.

use rayon::prelude::*;
use yarrowgraph_ir::{BinaryOp, Body, MemberKind, Node, NodeId};

use super::filled::{Filled, all_filled};
use super::{Entry, Form, Missing, Table};
use crate::command::made::created_by;
use crate::flow::{Flow, Val, returned};
use crate::machine::{State, named};
use crate::program::{Declared, Kinds, MemberId, Program, Site, Ty, TypeId};
use crate::wire::Wiring;

/// Longer tables are not looked at.
const ENTRIES: usize = 400;

/// What is selected is followed through so many names, calls and functions; one may give back itself.
const SELECTED: u32 = 8;

/// All tables, in the order of the code.
pub(super) fn find(wiring: &Wiring<'_>) -> Vec<Table> {
    let members = 0..wiring.program().members.len();
    let filled = all_filled(wiring);
    let mut found: Vec<Table> = members
        .into_par_iter()
        .flat_map_iter(|i| {
            let member = MemberId(i as u32);
            if wiring.in_test(member) {
                return Vec::new();
            }
            let mut tables = choices(wiring, member);
            tables.extend(tests(wiring, member));
            tables.extend(written_map(wiring, &filled, member));
            tables.extend(kept_maps(wiring, member));
            tables
        })
        .filter(|t| t.entries.len() <= ENTRIES)
        .collect();
    found.sort_by_key(|t| t.site);
    found
}

/// What an expression selects: an object that it makes, or a function.
pub(super) fn selected(wiring: &Wiring<'_>, site: Site) -> Option<Option<TypeId>> {
    selected_within(wiring, site, SELECTED)
}

fn selected_within(wiring: &Wiring<'_>, site: Site, budget: u32) -> Option<Option<TypeId>> {
    let budget = budget.checked_sub(1)?;
    let within = |site: Site| selected_within(wiring, site, budget);
    let (flow, program) = (&wiring.flow, wiring.program());
    let makes = |member, function| {
        let given = returned(program, member, function).into_iter();
        given.map(|node| within(Site { member, node })).find_map(Option::flatten)
    };
    let body = program.body(site.member)?;
    match body.node(site.node) {
        Node::New { .. } => flow.type_of_node(site.member, site.node).own().filter(|class| !is_value(wiring, *class)).map(Some),
        Node::Lambda(f) => Some(makes(site.member, Some(f))),
        Node::MethodRef { .. } => Some(made_by_reference(wiring, site)),
        Node::Cast { operand, .. } => within(Site { member: site.member, node: operand }),
        Node::Opaque(parts) if body.list(parts).len() == 1 => within(Site { member: site.member, node: body.list(parts)[0] }),
        Node::Call { args, .. } => {
            if let Val::New(made) = flow.eval(site) {
                return flow.type_of_node(made.member, made.node).own().map(Some);
            }
            if flow.callee(site).is_none() {
                // a pointer to a new object, a wrapper around one
                if let Some(class) = created_by(wiring, site) {
                    return Some(Some(class));
                }
                if let [only] = body.list(args) {
                    return within(Site { member: site.member, node: *only });
                }
            }
            None
        }
        Node::Name(_) | Node::Member { .. } => match flow.eval(site) {
            Val::Lambda(m, f) => Some(makes(m, Some(f))),
            Val::Method(m, _) => Some(makes(m, None)),
            Val::Type(class) => Some(Some(class)),
            _ => None,
        },
        _ => None,
    }
}

/// Whether what is put under a code is an object written out on the spot, all of whose parts are functions: `{ execute: () => … }`.
fn is_made_of_functions(wiring: &Wiring<'_>, site: Site) -> bool {
    let Some(body) = wiring.program().body(site.member) else { return false };
    let Node::Object(entries) = body.node(site.node) else { return false };
    let is_function = |e: &NodeId| matches!(body.node(*e), Node::Entry { value, .. } if matches!(body.node(value), Node::Lambda(_)));
    entries.len > 0 && body.list(entries).iter().all(is_function)
}

/// Whether objects of a class are handed round as values are where a class is called to make one: it is of no kind, and nothing is of its.
fn is_value(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let is_virtual = |m: &MemberId| program.decl(*m).modifiers.is_virtual;
    program.kit(program.ty(class).unit).traits.types_are_called
        && program.ty(class).bases.is_empty()
        && program.heirs(class).len() == 1
        && !program.ty(class).members.iter().any(is_virtual)
}

fn made_by_reference(wiring: &Wiring<'_>, site: Site) -> Option<TypeId> {
    let body = wiring.program().body(site.member)?;
    let Node::MethodRef { object, name } = body.node(site.node) else { return None };
    if wiring.program().unit_of(site.member).text(name) != "new" {
        return None;
    }
    match wiring.flow.eval_in(site.member, object) {
        Val::Type(class) => Some(class),
        _ => None,
    }
}

/// Whether an expression or statement gives nothing.
pub(super) fn gives_nothing(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    match body.node(node) {
        Node::Null | Node::Bool(false) | Node::Empty => true,
        Node::Str(text) => wiring.program().unit_of(member).text(text).is_empty(),
        Node::Name(name) => matches!(wiring.program().unit_of(member).text(name), "undefined" | "nullptr" | "null"),
        Node::Return(value) => value.is_none_or(|v| gives_nothing(wiring, member, v)),
        Node::Block(list) => match body.list(list) {
            [] => true,
            [only] => matches!(body.node(*only), Node::Return(_) | Node::Break | Node::Block(_)) && gives_nothing(wiring, member, *only),
            _ => false,
        },
        Node::Break => true,
        // `Optional.empty()` and the like are calls; `std::nullopt` is a name
        Node::Member { name, .. } => wiring.program().unit_of(member).text(name) == "nullopt",
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Member { name, .. } => matches!(wiring.program().unit_of(member).text(name), "empty" | "none"),
            _ => false,
        },
        _ => false,
    }
}

/// Whether all that a statement does is to refuse.
pub(super) fn refuses(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    match body.node(node) {
        Node::Throw(_) => true,
        Node::Block(list) => body.list(list).iter().any(|n| refuses(wiring, member, *n)) || says_no(wiring, member, body.list(list)),
        Node::Return(Some(value)) => refuses(wiring, member, value) || wiring.only_writes(Site { member, node: value }),
        _ => false,
    }
}

/// Whether statements only write down that there is nothing, and leave: `{ console.warn(word); return; }`.
fn says_no(wiring: &Wiring<'_>, member: MemberId, statements: &[NodeId]) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    let writes = |n: &NodeId| wiring.only_writes(Site { member, node: *n });
    let leaves = |n: &NodeId| matches!(body.node(*n), Node::Return(_) | Node::Break) && gives_nothing(wiring, member, *n);
    matches!(statements, [said @ .., left] if !said.is_empty() && said.iter().all(writes) && leaves(left))
}

/// What a case or branch selects, where it does nothing else of note.
fn branch_value(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Option<NodeId> {
    let body = wiring.program().body(member)?;
    match body.node(node) {
        Node::Block(list) => {
            let statements = body.list(list);
            statements.iter().find_map(|s| match body.node(*s) {
                Node::Return(Some(value)) => Some(value),
                Node::Assign { value, .. } => selected(wiring, Site { member, node: value }).map(|_| value),
                Node::Block(_) => branch_value(wiring, member, *s),
                _ => None,
            })
        }
        Node::Return(Some(value)) => Some(value),
        Node::Assign { value, .. } => Some(value),
        Node::Return(None) | Node::Throw(_) | Node::Break => None,
        _ => Some(node),
    }
}

/// Whether a case consists of one statement, and the way out of the choice.
fn does_one_thing(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return true };
    match body.node(node) {
        Node::Block(list) => {
            let mut statements = body.list(list).iter().filter(|s| !matches!(body.node(**s), Node::Break | Node::Empty));
            statements.next().is_some_and(|only| does_one_thing(wiring, member, *only)) && statements.next().is_none()
        }
        _ => true,
    }
}

/// A code that a label or key names.
fn code(wiring: &Wiring<'_>, member: MemberId, node: NodeId, subject: Option<TypeId>) -> Option<State> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let body = program.body(member)?;
    // an enumeration's constant, named alone
    if let (Node::Name(name), Some(ty)) = (body.node(node), subject) {
        let found = program.own_members(ty, program.sym_in(member, name)).first().copied();
        if let Some(m) = found.filter(|m| program.member(*m).kind == MemberKind::EnumConstant) {
            return Some(State::Constant(m));
        }
    }
    code_at(flow, member, node).filter(|s| !matches!(s, State::Class(_) | State::Function(_)))
}

/// The code that an expression names: a constant, or a character.
pub(crate) fn code_at(flow: &Flow<'_>, member: MemberId, node: NodeId) -> Option<State> {
    let program = flow.program;
    match program.body(member)?.node(node) {
        Node::Num(text) if program.unit_of(member).text(text).starts_with('\'') => Some(State::Text(program.sym_in(member, text))),
        _ => named(flow, member, node),
    }
}

/// The choices among cases of a member.
fn choices(wiring: &Wiring<'_>, member: MemberId) -> Vec<Table> {
    let program = wiring.program();
    let Some(body) = program.body_with(member, Kinds::SWITCH) else { return Vec::new() };
    let mut found = Vec::new();
    let flags = wiring.program().kit_of(member).traits.open_names;
    for node in body.ids() {
        let Node::Switch { subject: Some(subject), cases } = body.node(node) else { continue };
        let ty = wiring.flow.type_of_node(member, subject).own();
        let mut entries = Vec::new();
        let mut default = None;
        let mut waiting: Vec<(State, NodeId)> = Vec::new();
        let mut shared: Vec<Entry> = Vec::new();
        for case in body.list(cases) {
            let Node::Case { labels, guard, body: inner, .. } = body.node(*case) else { continue };
            let labels: Vec<NodeId> = body.list(labels).iter().flat_map(|l| alternatives(body, *l, flags)).collect();
            let is_default = labels.is_empty() || labels.iter().any(|l| is_discard(wiring, member, *l));
            let codes: Vec<(State, NodeId)> = labels.iter().filter_map(|l| Some((code(wiring, member, *l, ty)?, *l))).collect();
            if is_default && guard.is_none() {
                default = Some(inner);
                // a code that shares the statements of the default is not forgotten
                shared.extend(waiting.drain(..).chain(codes).map(|(code, label)| {
                    let (place, value) = (Site { member, node: label }, Site { member, node: inner });
                    Entry { code, place, value, makes: None, guarded: false, gives_nothing: false, ends_with_nothing: true }
                }));
                continue;
            }
            waiting.extend(codes);
            // labels that share the statements of the next case
            if matches!(body.node(inner), Node::Block(list) if list.len == 0) {
                continue;
            }
            let value = branch_value(wiring, member, inner);
            // a case in which nothing is done says so on purpose, and what is done before it gives nothing counts for something
            let ends_with_nothing = gives_nothing(wiring, member, value.unwrap_or(inner));
            let nothing = value.is_some() && ends_with_nothing && does_one_thing(wiring, member, inner);
            for (code, label) in waiting.drain(..) {
                let value = Site { member, node: value.unwrap_or(inner) };
                let makes = selected(wiring, value).flatten();
                entries.push(Entry {
                    code,
                    place: Site { member, node: label },
                    value,
                    makes,
                    guarded: guard.is_some(),
                    gives_nothing: nothing,
                    ends_with_nothing,
                });
            }
        }
        let selecting = entries.iter().filter(|e| selected(wiring, e.value).is_some()).count();
        if selecting < 2 || selecting * 2 < entries.len() {
            continue;
        }
        let missing = match default {
            // `default: break;` says that for the others none of several things is to be done
            Some(inner) if is_way_out(wiring, member, inner) && !select_one(wiring, &entries) => Missing::Serves,
            Some(inner) => default_of(wiring, member, inner),
            None if store_apart(wiring, &entries) => Missing::Serves,
            None => behind(wiring, member, node),
        };
        entries.extend(shared);
        found.push(Table {
            site: Site { member, node },
            form: Form::Choice,
            holder: None,
            local: None,
            asked_by: parameter(wiring, member, subject),
            subject: Some(Site { member, node: subject }),
            entries,
            missing,
            look_ups: Vec::new(),
        });
    }
    found
}

/// The alternatives of one label, which are no flags that are put together.
fn alternatives(body: &Body, label: NodeId, flags: bool) -> Vec<NodeId> {
    match body.node(label) {
        Node::Binary { op: BinaryOp::BitOr, .. } if flags => vec![label],
        Node::Binary { op: BinaryOp::Or | BinaryOp::BitOr, left, right } => {
            let mut all = alternatives(body, left, flags);
            all.extend(alternatives(body, right, flags));
            all
        }
        Node::Opaque(parts) if parts.len > 0 => body.list(parts).iter().flat_map(|p| alternatives(body, *p, flags)).collect(),
        _ => vec![label],
    }
}

fn is_discard(wiring: &Wiring<'_>, member: MemberId, label: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    match body.node(label) {
        Node::Empty => true,
        Node::Name(name) => wiring.program().unit_of(member).text(name) == "_",
        Node::Local { ty: None, init: None, .. } => true,
        _ => false,
    }
}

fn default_of(wiring: &Wiring<'_>, member: MemberId, inner: NodeId) -> Missing {
    if refuses(wiring, member, inner) {
        return Missing::Refuses;
    }
    match branch_value(wiring, member, inner) {
        // what says so before it gives nothing has refused
        Some(value) if gives_nothing(wiring, member, value) && !does_one_thing(wiring, member, inner) => Missing::Refuses,
        Some(value) if gives_nothing(wiring, member, value) => Missing::Nothing,
        Some(_) => Missing::Serves,
        None if gives_nothing(wiring, member, inner) => Missing::Nothing,
        None => Missing::Serves,
    }
}

/// Where what each entry selects goes: given back, or stored at a place; nothing where it is used otherwise.
fn targets(wiring: &Wiring<'_>, entries: &[Entry]) -> Vec<Option<Option<Val>>> {
    let program = wiring.program();
    let target = |e: &Entry| {
        let parent = program.scope(e.value.member).parent(e.value.node)?;
        match program.body(e.value.member)?.node(parent) {
            Node::Return(_) => Some(None),
            Node::Assign { target, .. } => Some(Some(wiring.flow.eval_in(e.value.member, target))),
            _ => None,
        }
    };
    entries.iter().map(target).collect()
}

/// Whether all that is selected is given back, or stored at one place.
fn select_one(wiring: &Wiring<'_>, entries: &[Entry]) -> bool {
    let targets = targets(wiring, entries);
    targets.first().is_some_and(Option::is_some) && targets.iter().all(|t| *t == targets[0])
}

/// Whether what is selected is stored at several places, or at one by some entries only: who has no entry needs none of them.
fn store_apart(wiring: &Wiring<'_>, entries: &[Entry]) -> bool {
    let targets = targets(wiring, entries);
    let is_stored = |t: &Option<Option<Val>>| matches!(t, Some(Some(_)));
    let are_stores = targets.iter().all(|t| *t != Some(None));
    are_stores && targets.iter().any(is_stored) && targets.iter().any(|t| *t != targets[0])
}

/// Whether all that a branch does is to leave the choice.
fn is_way_out(wiring: &Wiring<'_>, member: MemberId, inner: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    match body.node(inner) {
        Node::Break => true,
        Node::Block(list) => matches!(body.list(list), [only] if is_way_out(wiring, member, *only)),
        _ => false,
    }
}

/// What happens behind a choice in which no case fits.
pub(super) fn behind(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Missing {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return Missing::Serves };
    let scope = program.scope(member);
    let Some(parent) = scope.parent(node) else { return Missing::Refuses };
    match body.node(parent) {
        Node::Block(list) => {
            let statements = body.list(list);
            let at = statements.iter().position(|s| *s == node).unwrap_or(0);
            match statements.get(at + 1) {
                Some(next) if refuses(wiring, member, *next) => Missing::Refuses,
                Some(next) if matches!(body.node(*next), Node::Return(_)) && gives_nothing(wiring, member, *next) => Missing::Nothing,
                Some(_) => Missing::Serves,
                // what comes behind the statement that it is part of
                None => match scope.parent(parent).map(|around| (around, body.node(around))) {
                    Some((around, Node::If { .. } | Node::Block(_) | Node::Try { .. })) => behind(wiring, member, around),
                    _ => Missing::Nothing,
                },
            }
        }
        // an expression must have a case for everything, or a compiler or the runtime refuses
        _ => Missing::Refuses,
    }
}

/// The parameter of a method that a code is.
pub(super) fn parameter(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Option<(MemberId, u16)> {
    let program = wiring.program();
    let body = program.body(member)?;
    match body.node(node) {
        Node::Name(name) => match program.scope(member).lookup(name, node)? {
            Declared::Param(None, index) => Some((member, index)),
            _ => None,
        },
        _ => None,
    }
}

/// Rows of tests of one value: `if (grade == "kraft") return new KraftRun();`
fn tests(wiring: &Wiring<'_>, member: MemberId) -> Vec<Table> {
    let program = wiring.program();
    let Some(body) = program.body_with(member, Kinds::IF) else { return Vec::new() };
    let mut found = Vec::new();
    for block in body.ids() {
        let Node::Block(list) = body.node(block) else { continue };
        let mut entries: Vec<Entry> = Vec::new();
        let mut asked: Option<(yarrowgraph_ir::Name, NodeId)> = None;
        let mut last = None;
        for statement in body.list(list) {
            let mut next = Some(*statement);
            let mut any = false;
            while let Some(node) = next {
                let Some(test) = test(wiring, member, node).filter(|t| asked.is_none_or(|(n, _)| n == t.name)) else {
                    // what is asked from here on is not known
                    if any {
                        last = Some(node);
                    }
                    break;
                };
                asked = Some((test.name, test.subject));
                any = true;
                let value = Site { member, node: test.value };
                let makes = selected(wiring, value).flatten();
                let gives_nothing = gives_nothing(wiring, member, test.value);
                entries.extend(test.codes.into_iter().map(|(code, node)| Entry {
                    code,
                    place: Site { member, node },
                    value,
                    makes,
                    guarded: false,
                    gives_nothing,
                    ends_with_nothing: gives_nothing,
                }));
                next = test.other;
            }
            if !any && !entries.is_empty() {
                last = Some(*statement);
                break;
            }
        }
        let selecting = entries.iter().filter(|e| selected(wiring, e.value).is_some()).count();
        let Some((_, subject)) = asked.filter(|_| selecting >= 2 && selecting == entries.len()) else { continue };
        let missing = last.map_or(Missing::Nothing, |last| default_of(wiring, member, last));
        found.push(Table {
            site: entries[0].place,
            form: Form::Choice,
            holder: None,
            local: None,
            asked_by: parameter(wiring, member, subject),
            subject: Some(Site { member, node: subject }),
            entries,
            missing,
            look_ups: Vec::new(),
        });
    }
    found
}

/// A test whether a value is one of some codes.
struct Test {
    name: yarrowgraph_ir::Name,
    subject: NodeId,
    codes: Vec<(State, NodeId)>,
    /// What is selected then.
    value: NodeId,
    /// What is asked, or done, otherwise.
    other: Option<NodeId>,
}

/// What a statement tests, where that is a plain name against codes: `if (grade == "kraft" || grade == "k") return new KraftRun();`
fn test(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Option<Test> {
    let body = wiring.program().body(member)?;
    let Node::If { cond, then, other } = body.node(node) else { return None };
    let mut asked: Option<(yarrowgraph_ir::Name, NodeId)> = None;
    let mut codes = Vec::new();
    let mut stack = vec![cond];
    while let Some(cond) = stack.pop() {
        if let Node::Binary { op: BinaryOp::Or, left, right } = body.node(cond) {
            stack.extend([right, left]);
            continue;
        }
        let (subject, label) = equality(wiring, member, cond)?;
        let Node::Name(name) = body.node(subject) else { return None };
        if asked.is_some_and(|(n, _)| n != name) {
            return None;
        }
        asked = Some((name, subject));
        let ty = wiring.flow.type_of_node(member, subject).own();
        codes.push((code(wiring, member, label, ty)?, label));
    }
    let (name, subject) = asked?;
    Some(Test { name, subject, codes, value: branch_value(wiring, member, then)?, other })
}

/// The two sides of a comparison: what is asked for, and the code.
fn equality(wiring: &Wiring<'_>, member: MemberId, cond: NodeId) -> Option<(NodeId, NodeId)> {
    let program = wiring.program();
    let body = program.body(member)?;
    let constant = |n: NodeId| matches!(body.node(n), Node::Str(_) | Node::Num(_) | Node::Member { .. });
    match body.node(cond) {
        Node::Binary { op: BinaryOp::Eq, left, right } if constant(right) => Some((left, right)),
        Node::Binary { op: BinaryOp::Eq, left, right } if constant(left) => Some((right, left)),
        Node::Call { callee, args, .. } => {
            let Node::Member { object, name, .. } = body.node(callee) else { return None };
            let [other] = body.list(args) else { return None };
            if !program.kit_of(member).pack.equality.contains(program.unit_of(member).text(name)) {
                return None;
            }
            if constant(object) { Some((*other, object)) } else { Some((object, *other)) }
        }
        _ => None,
    }
}

/// The map that a field or variable holds, with what is put into it by constant keys.
fn written_map(wiring: &Wiring<'_>, filled: &Filled, member: MemberId) -> Vec<Table> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(member);
    if !matches!(info.kind, MemberKind::Field | MemberKind::Property) {
        return Vec::new();
    }
    let mut entries: Vec<Entry> = Vec::new();
    let mut first = None;
    if let Some(site) = flow.collection_given(member)
        && let Some(written) = flow.map_literal(site)
    {
        first = Some(written);
        for (key, value) in flow.pairs(written) {
            entries.extend(entry(wiring, key, value));
        }
    }
    match filled.get(&member) {
        Some(None) => return Vec::new(),
        Some(Some(more)) => entries.extend(more.iter().cloned()),
        None => {}
    }
    // by their place in a list things are not made by a code, where the list holds lists
    let held = flow.type_held(member);
    let element = program.element_type(info.unit, &held).filter(|_| !program.is_map(&held));
    let is_list = |ty: &Ty| program.type_name(ty).is_some_and(|name| program.kit_of(member).pack.collections.contains(name));
    if element.as_ref().is_some_and(is_list) {
        return Vec::new();
    }
    let selecting = entries.iter().filter(|e| selected(wiring, e.value).is_some() || is_made_of_functions(wiring, e.value)).count();
    if selecting < 2 || selecting < entries.len() {
        return Vec::new();
    }
    let site = first.unwrap_or(entries[0].place);
    vec![Table {
        site,
        form: kept(program, member),
        holder: Some(member),
        local: None,
        asked_by: None,
        subject: None,
        entries,
        missing: Missing::Serves,
        look_ups: Vec::new(),
    }]
}

/// What a map does with a code that is there already, in the language of a member.
fn kept(program: &Program, member: MemberId) -> Form {
    if program.kit_of(member).traits.first_key_stays { Form::KeepsFirst } else { Form::KeepsLast }
}

/// Maps that locals of a body hold which are written out there and given nothing else: `const ways = { open: () => …, shut: () => … };`
fn kept_maps(wiring: &Wiring<'_>, member: MemberId) -> Vec<Table> {
    let program = wiring.program();
    let Some(body) = program.body_with(member, Kinds::NEW | Kinds::LAMBDA) else { return Vec::new() };
    let scope = program.scope(member);
    let table = |local: NodeId| {
        let Node::Local { init: Some(init), .. } = body.node(local) else { return None };
        let site = wiring.flow.map_literal(Site { member, node: init })?;
        let pairs = wiring.flow.pairs(site);
        let entries: Vec<Entry> = pairs.iter().filter_map(|(key, value)| entry(wiring, *key, *value)).collect();
        let selects = |e: &Entry| selected(wiring, e.value).is_some();
        let is_changed = |n: NodeId| match body.node(n) {
            Node::Assign { target, .. } => {
                let map = if let Node::Index { object, .. } | Node::Member { object, .. } = body.node(target) { object } else { target };
                scope.names(body, map, local)
            }
            _ => false,
        };
        let is_table = entries.len() > 1 && entries.len() == pairs.len() && entries.iter().all(selects) && !body.ids().any(is_changed);
        is_table.then(|| Table {
            site,
            form: kept(program, member),
            holder: None,
            local: Some(Site { member, node: local }),
            asked_by: None,
            subject: None,
            entries,
            missing: Missing::Serves,
            look_ups: Vec::new(),
        })
    };
    body.ids().filter_map(table).collect()
}

pub(super) fn entry(wiring: &Wiring<'_>, key: Site, value: Site) -> Option<Entry> {
    let node = match wiring.program().body(key.member)?.node(key.node) {
        Node::Opaque(parts) if parts.len == 1 => wiring.program().body(key.member)?.list(parts)[0],
        _ => key.node,
    };
    // the class of what is looked up: `handlers.put(OrderMeal.class, …)`
    let class = || match wiring.flow.eval_in(key.member, node) {
        Val::Type(class) => Some(State::Class(class)),
        _ => None,
    };
    let code = code(wiring, key.member, node, None).or_else(class)?;
    let makes = selected(wiring, value).flatten();
    let gives_nothing = gives_nothing(wiring, value.member, value.node);
    Some(Entry { code, place: key, value, makes, guarded: false, gives_nothing, ends_with_nothing: gives_nothing })
}
