//! Tables of moves that code fills: `table.get(FROM).put(ON, TO)`, `table[{FROM, ON}] = TO`.

use std::rc::Rc;

use yarrowgraph_ir::{AssignOp, Node, NodeId, UnaryOp};

use super::state;
use super::table::ROWS;
use super::walk::{Value, Walker, Way};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site};

/// What a statement puts into a table.
#[derive(Clone, Debug)]
pub(super) struct Fill {
    /// Its keys, the outer one first.
    keys: Vec<Site>,
    value: Site,
    /// The statement.
    put: Site,
}

/// What code puts into a table that a member holds, in the order of the code.
fn fills(flow: &Flow<'_>, table: MemberId) -> Vec<Fill> {
    let program = flow.program;
    let holds = |read: &&Site| matches!(flow.eval(**read), Val::Static(m) | Val::Member(_, m) if m == table);
    let mut found: Vec<Fill> =
        program.index.reads(program.member(table).name).iter().filter(holds).filter_map(|read| fill_at(flow, *read)).collect();
    // what tells no key is another table that is put there to be filled
    found.retain(|fill| fill.keys.iter().all(|k| is_key(flow, *k)));
    if found.len() > ROWS { Vec::new() } else { found }
}

/// What the statement does that reads a table at a place.
fn fill_at(flow: &Flow<'_>, read: Site) -> Option<Fill> {
    let program = flow.program;
    let body = program.body(read.member)?;
    let scope = program.scope(read.member);
    let pack = &program.kit_of(read.member).pack;
    let at = |node: NodeId| Site { member: read.member, node };
    let mut keys = Vec::new();
    let mut node = read.node;
    loop {
        let parent = scope.parent(node)?;
        match body.node(parent) {
            Node::Unary { op: UnaryOp::NonNull | UnaryOp::Indirect, .. } => node = parent,
            Node::Member { object, name, .. } if object == node => {
                let call = scope.parent(parent)?;
                let Node::Call { callee, args, .. } = body.node(call) else { return None };
                let text = program.unit_of(read.member).text(name);
                match body.list(args) {
                    _ if callee != parent => return None,
                    [key, value] if pack.adds.contains(text) => {
                        keys.push(at(*key));
                        return Some(Fill { keys, value: at(*value), put: at(call) });
                    }
                    [key, ..] if pack.elements.contains(text) => {
                        keys.push(at(*key));
                        node = call;
                    }
                    _ => return None,
                }
            }
            Node::Index { object, keys: by, .. } if object == node => {
                keys.extend(body.list(by).iter().map(|k| at(*k)));
                let up = scope.parent(parent)?;
                match body.node(up) {
                    Node::Assign { op: AssignOp::Set, target, value } if target == parent => {
                        return Some(Fill { keys, value: at(value), put: at(up) });
                    }
                    _ => node = parent,
                }
            }
            _ => return None,
        }
    }
}

/// Whether a key is written out: a constant, or several.
fn is_key(flow: &Flow<'_>, site: Site) -> bool {
    let Some(body) = flow.program.body(site.member) else { return false };
    match body.node(site.node) {
        Node::Collection { items: parts, .. } | Node::New { args: parts, .. } | Node::Call { args: parts, .. } if parts.len > 1 => {
            body.list(parts).iter().all(|p| is_key(flow, Site { member: site.member, node: *p }))
        }
        _ => state::named(flow, site.member, site.node).is_some(),
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

    /// The table that a value or expression is, where code fills it, and the key that has led to a part of it.
    pub(super) fn filled_table(&self, object: NodeId, value: &Value) -> Option<(MemberId, Option<Site>)> {
        if let Value::Filled(m, outer) = value {
            return Some((*m, *outer));
        }
        match self.flow.eval(self.site(object)) {
            Val::Static(m) | Val::Member(_, m) => (!self.filled(m).is_empty()).then_some((m, None)),
            _ => None,
        }
    }

    /// Looks a key up in a table that code fills, or in the part of it that an outer key has led to.
    pub(super) fn look_up_filled(&mut self, table: MemberId, outer: Option<Site>, key: &Value, way: Way) -> Vec<(Way, Value)> {
        let depth = usize::from(outer.is_some());
        let same = |a: Site, b: Site| {
            let named = |s: Site| state::named(self.flow, s.member, s.node);
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
