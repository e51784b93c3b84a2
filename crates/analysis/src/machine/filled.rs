//! Tables of moves that code fills: `table.get(FROM).put(ON, TO)`, `table[{FROM, ON}] = TO`, `rows.add(new Row(FROM, ON, TO))`,
//! also by a method that is given what to put there, or by several of which each gives a part.

use std::collections::BTreeSet;
use std::rc::Rc;

use yarrowgraph_ir::{AssignOp, BinaryOp, MemberKind, Node, NodeId, UnaryOp};

use super::keys::joined;
use super::state::{self, State};
use super::table::{ROWS, Written};
use super::walk::Walker;
use super::way::{Value, Way};
use crate::flow::{Flow, Val, object_of, returned};
use crate::program::{Declared, MemberId, Site};

/// A row is put together by no more calls than this.
const CALLS: usize = 8;

/// A part of a table is followed through so many expressions.
const HOPS: u32 = 10;

/// What a statement puts into a table.
#[derive(Clone, Debug)]
pub(super) struct Fill {
    /// Its keys, the outer one first.
    keys: Vec<Written>,
    value: Written,
    /// The statement.
    put: Site,
}

/// What code puts into a table that a member holds, in the order of the code.
fn fills(flow: &Flow<'_>, table: MemberId) -> Vec<Fill> {
    let mut put = Vec::new();
    for read in reads(flow, table) {
        put_through(flow, read, &[], HOPS, &mut put);
    }
    let mut found: Vec<Fill> = Vec::new();
    for fill in put.into_iter().flat_map(|fill| for_each_call(flow, fill)) {
        if !found.iter().any(|f| f.put == fill.put && f.keys == fill.keys) {
            found.push(fill);
        }
    }
    // tables that are put there to be filled are no entries
    let depth = found.iter().map(|f| f.keys.len()).max().unwrap_or(0);
    found.retain(|f| f.keys.len() == depth);
    if found.len() > ROWS { Vec::new() } else { found }
}

/// Whether code puts entries under constant keys into what a member holds.
pub(super) fn is_filled(flow: &Flow<'_>, table: MemberId) -> bool {
    !fills(flow, table).is_empty()
}

/// The rows that code puts into a list that a member holds.
fn added(flow: &Flow<'_>, list: MemberId) -> Vec<Written> {
    let found: Vec<Written> = reads(flow, list).into_iter().flat_map(|read| added_at(flow, read)).collect();
    if found.len() > ROWS { Vec::new() } else { found }
}

/// Where a table or list is read that a member holds, or from which it is handed to the one object that holds it there.
fn reads(flow: &Flow<'_>, table: MemberId) -> Vec<Site> {
    let program = flow.program;
    let handed = flow.definitions(table).iter().filter_map(|d| only_argument(flow, &flow.eval(*d)));
    let sources = handed.filter_map(|site| held(flow, site)).chain([table]);
    let all = sources.collect::<BTreeSet<MemberId>>().into_iter();
    all.flat_map(|m| program.index.reads(program.member(m).name).iter().copied().filter(move |read| held(flow, *read) == Some(m))).collect()
}

fn held(flow: &Flow<'_>, site: Site) -> Option<MemberId> {
    match flow.eval(site) {
        Val::Static(m) | Val::Member(_, m) => Some(m),
        _ => None,
    }
}

/// What the one caller there is gives for a parameter.
pub(super) fn only_argument(flow: &Flow<'_>, value: &Val) -> Option<Site> {
    let Val::Param(m, None, index) = value else { return None };
    let [(call, _)] = flow.callers((*m, None)) else { return None };
    flow.argument(*call, usize::from(*index))
}

/// A fill as its statement says it, or, where that is given what to put, as each caller says it. What tells no key is
/// another table that is put there to be filled.
fn for_each_call(flow: &Flow<'_>, fill: Fill) -> Vec<Fill> {
    let is_told = |fill: &Fill| fill.keys.iter().all(|k| is_key(flow, *k));
    if is_told(&fill) {
        return vec![fill];
    }
    let by = |call: &Site| {
        let part = |w: &Written| Written { at: w.at, by: Some(*call) };
        Fill { keys: fill.keys.iter().map(part).collect(), value: part(&fill.value), put: *call }
    };
    calls_on_one(flow, fill.put.member).iter().map(by).filter(is_told).collect()
}

/// The calls of a method, if all are about the same object.
fn calls_on_one(flow: &Flow<'_>, method: MemberId) -> Vec<Site> {
    if flow.program.member(method).kind != MemberKind::Method {
        return Vec::new();
    }
    let calls: Vec<Site> = flow.call_sites(method).to_vec();
    let mut objects = calls.iter().map(|call| first_of_chain(flow, *call));
    let Some(first) = objects.next() else { return Vec::new() };
    if objects.all(|o| o == first) { calls } else { Vec::new() }
}

/// The object that the first of several calls in a chain is about.
fn first_of_chain(flow: &Flow<'_>, call: Site) -> Option<Val> {
    let mut at = call;
    for _ in 0..ROWS {
        let Some(object) = receiver(flow, at) else { break };
        match flow.program.body(object.member)?.node(object.node) {
            Node::Call { .. } => at = object,
            _ => {
                return Some(match flow.eval(object) {
                    // made by a function of the type
                    Val::Type(_) | Val::Global(_) | Val::Outside(..) => Val::Call(at),
                    value => value,
                });
            }
        }
    }
    // of the object that the code is about
    Some(Val::This(flow.program.member(at.member).owner)).filter(|_| flow.callee(at).is_some())
}

fn receiver(flow: &Flow<'_>, call: Site) -> Option<Site> {
    Some(Site { member: call.member, node: object_of(flow.program.body(call.member)?, call.node)? })
}

/// What a part of a row is where a call gives it: an argument, or what the calls before it in the chain were given.
pub(super) fn given(flow: &Flow<'_>, part: Written) -> Written {
    let Some(call) = part.by else { return part };
    let found = match flow.eval(part.at) {
        Val::Param(m, None, index) if flow.callee(call).is_some_and(|c| c.member == m) => flow.argument(call, usize::from(index)),
        Val::Member(of, field) if matches!(*of, Val::This(_)) => given_before(flow, field, call),
        _ => None,
    };
    found.map_or(part, Written::from)
}

/// What the calls before one in a chain have put into a field: `from(CLOSED).on(RAISE)` before `.to(OPEN)`.
fn given_before(flow: &Flow<'_>, field: MemberId, call: Site) -> Option<Site> {
    let mut at = call;
    for _ in 0..CALLS {
        at = receiver(flow, at)?;
        let method = match flow.program.body(at.member)?.node(at.node) {
            Node::New { .. } => flow.constructor_at(flow.type_of_node(at.member, at.node).own()?, at)?,
            Node::Call { .. } => flow.callee(at)?.member,
            _ => return None,
        };
        let set = |m: MemberId, call: Site| {
            flow.definitions(field).iter().filter(|d| d.member == m).find_map(|d| match flow.eval(*d) {
                Val::Param(of, None, index) if of == m => flow.argument(call, usize::from(index)),
                _ => None,
            })
        };
        if let Some(found) = set(method, at) {
            return Some(found);
        }
        // `In(from)` gives back `new Row(this, from)`
        for node in returned(flow.program, method, None) {
            let made = Site { member: method, node };
            let Some(Node::New { .. }) = flow.program.body(method).map(|b| b.node(node)) else { continue };
            let class = flow.type_of_node(method, node).own();
            if let Some(constructor) = class.and_then(|c| flow.constructor_at(c, made))
                && let Some(argument) = set(constructor, made)
            {
                return Some(given(flow, Written { at: argument, by: Some(at) }).at);
            }
        }
    }
    None
}

/// The rows that the statement adds that reads a list at a place.
fn added_at(flow: &Flow<'_>, read: Site) -> Vec<Written> {
    let program = flow.program;
    let Some(body) = program.body(read.member) else { return Vec::new() };
    let scope = program.scope(read.member);
    let at = |node: NodeId| Site { member: read.member, node };
    let Some(parent) = scope.parent(read.node) else { return Vec::new() };
    let (Node::Member { object, name, .. }, Some(call)) = (body.node(parent), scope.parent(parent)) else { return Vec::new() };
    let Node::Call { callee, args, .. } = body.node(call) else { return Vec::new() };
    if object != read.node || callee != parent || !program.kit_of(read.member).pack.adds.contains(program.unit_of(read.member).text(name)) {
        return Vec::new();
    }
    let is_row = |n: &NodeId| matches!(body.node(*n), Node::Object(_) | Node::Collection { .. } | Node::New { .. });
    let args = body.list(args);
    if args.iter().all(is_row) {
        let calls = calls_on_one(flow, read.member);
        let of_each = |n: &NodeId| match &calls[..] {
            calls if !calls.is_empty() && speaks_of_parameters(flow, at(*n)) => {
                calls.iter().map(|call| Written { at: at(*n), by: Some(*call) }).collect()
            }
            _ => vec![Written::from(at(*n))],
        };
        return args.iter().flat_map(of_each).collect();
    }
    match args {
        // a method that is given the row
        [only] => match flow.eval(at(*only)) {
            Val::Param(m, None, index) if m == read.member => {
                let given = calls_on_one(flow, m).into_iter().filter_map(|call| flow.argument(call, usize::from(index)));
                given.map(Written::from).collect()
            }
            _ => Vec::new(),
        },
        // made where it is put: `rows.emplace_back(FROM, ON, TO)`
        [_, _, ..] => vec![Written::from(at(call))],
        [] => Vec::new(),
    }
}

/// Whether a part of a row is a parameter of the method, or what its object was given before.
fn speaks_of_parameters(flow: &Flow<'_>, row: Site) -> bool {
    let Some(body) = flow.program.body(row.member) else { return false };
    body.children(row.node).into_iter().any(|n| match body.node(n) {
        Node::Entry { value, .. } => {
            speaks_of_parameters(flow, Site { member: row.member, node: value }) || is_given(flow, row.member, value)
        }
        _ => is_given(flow, row.member, n),
    })
}

fn is_given(flow: &Flow<'_>, member: MemberId, node: NodeId) -> bool {
    match flow.eval_in(member, node) {
        Val::Param(m, None, _) => m == member,
        Val::Member(of, _) => matches!(*of, Val::This(_)),
        _ => false,
    }
}

/// What code puts into a table through what a node comes to: the table, or the part of it under some keys.
fn put_through(flow: &Flow<'_>, at: Site, keys: &[Written], hops: u32, found: &mut Vec<Fill>) {
    let program = flow.program;
    let (Some(hops), Some(body)) = (hops.checked_sub(1), program.body(at.member)) else { return };
    let scope = program.scope(at.member);
    let pack = &program.kit_of(at.member).pack;
    let beside = |node: NodeId| Site { member: at.member, node };
    let with = |more: &[NodeId]| [keys, &more.iter().map(|k| beside(*k).into()).collect::<Vec<_>>()].concat();
    let Some(parent) = scope.parent(at.node) else { return };
    let through_local = |local: NodeId, keys: &[Written], found: &mut Vec<Fill>| {
        reads_of_local(flow, at.member, local).into_iter().for_each(|read| put_through(flow, read, keys, hops, found));
    };
    let put = |keys: Vec<Written>, value: NodeId, statement: NodeId, found: &mut Vec<Fill>| {
        // another table, which is filled by the name that it has here
        match body.node(value) {
            Node::Name(name) => {
                if let Some(Declared::Local(local)) = scope.lookup(name, value) {
                    through_local(local, &keys, found);
                }
            }
            Node::Assign { target, .. } => {
                if let Some(local) = local_at(flow, beside(target)) {
                    through_local(local, &keys, found);
                }
            }
            _ => {}
        }
        found.push(Fill { keys, value: beside(value).into(), put: beside(statement) });
    };
    match body.node(parent) {
        Node::Unary { op: UnaryOp::NonNull | UnaryOp::Indirect | UnaryOp::ByRef, .. }
        | Node::Cast { .. }
        | Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, .. } => put_through(flow, beside(parent), keys, hops, found),
        Node::Assign { op: AssignOp::IfUnset, target, .. } if target == at.node => put_through(flow, beside(parent), keys, hops, found),
        Node::Local { init: Some(init), .. } if init == at.node => {
            through_local(parent, keys, found);
        }
        Node::Assign { op: AssignOp::Set, target, value } if value == at.node => {
            if let Some(local) = local_at(flow, beside(target)) {
                through_local(local, keys, found);
            }
        }
        Node::Member { object, name, .. } if object == at.node => {
            let Some(call) = scope.parent(parent) else { return };
            let Node::Call { callee, args, .. } = body.node(call) else { return };
            let text = program.unit_of(at.member).text(name);
            match body.list(args) {
                _ if callee != parent => {}
                [key, value] if pack.adds.contains(text) => put(with(&[*key]), *value, call, found),
                [key, out] if pack.out_lookups.contains(text) => {
                    if let Some(local) = local_at(flow, beside(*out)) {
                        through_local(local, &with(&[*key]), found);
                    }
                }
                [key, ..] if pack.elements.contains(text) => put_through(flow, beside(call), &with(&[*key]), hops, found),
                _ => {}
            }
        }
        Node::Index { object, keys: by, .. } if object == at.node => {
            let keys = with(body.list(by));
            match scope.parent(parent).map(|up| (up, body.node(up))) {
                Some((up, Node::Assign { op: AssignOp::Set, target, value })) if target == parent => put(keys, value, up, found),
                _ => put_through(flow, beside(parent), &keys, hops, found),
            }
        }
        _ => {}
    }
}

/// The local that an expression is, or declares.
fn local_at(flow: &Flow<'_>, at: Site) -> Option<NodeId> {
    match flow.program.body(at.member)?.node(at.node) {
        Node::Local { .. } => Some(at.node),
        Node::Unary { operand, .. } => local_at(flow, Site { member: at.member, node: operand }),
        Node::Name(name) => match flow.program.scope(at.member).lookup(name, at.node)? {
            Declared::Local(local) => Some(local),
            Declared::Param(..) => None,
        },
        _ => None,
    }
}

/// Where a local is read.
fn reads_of_local(flow: &Flow<'_>, member: MemberId, local: NodeId) -> Vec<Site> {
    let Some(body) = flow.program.body(member) else { return Vec::new() };
    let scope = flow.program.scope(member);
    body.ids().filter(|n| scope.names(body, *n, local)).map(|node| Site { member, node }).collect()
}

/// Whether a key is written out: a constant, or several.
fn is_key(flow: &Flow<'_>, key: Written) -> bool {
    let key = given(flow, key);
    let Some(body) = flow.program.body(key.at.member) else { return false };
    match body.node(key.at.node) {
        Node::Collection { items: parts, .. } | Node::New { args: parts, .. } | Node::Call { args: parts, .. } if parts.len > 1 => {
            body.list(parts).iter().all(|p| is_key(flow, key.beside(*p)))
        }
        Node::Binary { op: BinaryOp::Add, .. } => joined(body, key.at.node).into_iter().all(|p| is_key(flow, key.beside(p))),
        Node::Template(parts) => {
            let texts = |n: &&NodeId| !matches!(body.node(**n), Node::Str(_) | Node::Plain);
            body.list(parts).iter().filter(texts).all(|p| is_key(flow, key.beside(*p)))
        }
        _ => state::named(flow, key.at.member, key.at.node).is_some(),
    }
}

impl Walker<'_, '_> {
    /// What code has put into the table that an expression names.
    fn filled(&self, table: MemberId) -> Rc<Vec<Fill>> {
        if let Some(known) = self.reach.asked.borrow().filled.get(&table) {
            return known.clone();
        }
        let found = Rc::new(fills(self.flow, table));
        self.reach.asked.borrow_mut().filled.insert(table, found.clone());
        found
    }

    /// The rows that code has put into the list that an expression names.
    pub(super) fn added_rows(&self, list: NodeId) -> Vec<Written> {
        let Some(list) = held(self.flow, self.site(list)) else { return Vec::new() };
        if let Some(known) = self.reach.asked.borrow().added.get(&list) {
            return known.to_vec();
        }
        let found: Rc<[Written]> = added(self.flow, list).into();
        self.reach.asked.borrow_mut().added.insert(list, found.clone());
        found.to_vec()
    }

    /// The table that a value or expression is, where code fills it, and the key that has led to a part of it.
    pub(super) fn filled_table(&self, object: NodeId, value: &Value) -> Option<(MemberId, Option<Written>)> {
        if let Value::Filled(m, outer) = value {
            return Some((*m, *outer));
        }
        match self.flow.eval(self.site(object)) {
            Val::Static(m) | Val::Member(_, m) => (!self.filled(m).is_empty()).then_some((m, None)),
            _ => None,
        }
    }

    /// Looks a key up in a table that code fills, or in the part of it that an outer key has led to.
    pub(super) fn look_up_filled(&mut self, table: MemberId, outer: Option<Written>, key: &Value, way: Way) -> Vec<(Way, Value)> {
        let depth = usize::from(outer.is_some());
        let same = |a: Written, b: Written| {
            let named = |w: Written| {
                let at = given(self.flow, w).at;
                state::named(self.flow, at.member, at.node)
            };
            a == b || named(a).is_some() && named(a) == named(b)
        };
        let all = self.filled(table);
        let mut rows: Vec<&Fill> = Vec::new();
        for fill in all.iter().filter(|f| outer.is_none_or(|o| f.keys.first().is_some_and(|k| same(*k, o)))) {
            let Some(own) = fill.keys.get(depth) else { continue };
            let known = fill.keys.len() > depth + 1 && rows.iter().any(|r| r.keys.get(depth).is_some_and(|k| same(*k, *own)));
            if !known {
                rows.push(fill);
            }
        }
        // a row for a state is a case for it
        if *key == Value::Held {
            for row in &rows {
                let at = given(self.flow, row.keys[depth]).at;
                if let Some(state @ State::Text(_)) = state::named(self.flow, at.member, at.node) {
                    self.label(at, state);
                }
            }
        }
        let mut open = vec![way];
        let mut out = Vec::new();
        for row in rows {
            let own = row.keys[depth];
            let mut left = Vec::new();
            for way in open {
                for (mut way, fits) in self.fits_key(key, own, way) {
                    if !fits {
                        left.push(way);
                        continue;
                    }
                    let value = if row.keys.len() > depth + 1 {
                        Value::Filled(table, Some(own))
                    } else {
                        way.row = Some(row.put);
                        self.written_value(row.value)
                    };
                    out.push((way, value));
                }
            }
            open = left;
        }
        out.extend(open.into_iter().map(|w| (w, Value::Null)));
        out
    }
}
