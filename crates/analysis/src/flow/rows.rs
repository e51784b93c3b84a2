//! Tables that are written out and walked: what each turn of the walk sees.

use std::sync::Arc;

use yarrowgraph_ir::{AccessorKind, CollectionKind, FunctionId, MemberKind, Node, NodeId, UnaryOp};

use super::calls::LISTS;
use super::{BUDGET, Flow, Val};
use crate::memo::known_or;
use crate::program::{MemberId, Site, Sym};

/// How many rows of a table are told apart.
const ROWS: usize = 64;

/// What one turn of a walk sees.
#[derive(Clone, Copy, Debug)]
pub enum Row {
    /// An expression of a list.
    Item(Site),
    /// An entry of an object: its key, and its value.
    Entry(Sym, Site),
    /// The key of an entry alone.
    Key(Sym),
}

/// How a part is taken out of a row.
#[derive(Clone, Copy)]
enum Step {
    Key(Sym),
    Position(usize),
}

impl Flow<'_> {
    /// The walked table that a value is out of, and its rows; none where they are not all written out.
    pub fn table_of(&self, value: &Val) -> Option<(Val, Vec<Row>)> {
        let element = match value {
            Val::Local(part) => match self.keys_walked(*part) {
                Some(keys) => return Some((value.clone(), keys)),
                None => self.pattern_of(*part)?.0,
            },
            Val::Param(member, Some(function), index) => Val::Element(Arc::new(self.walked_map(*member, *function, *index)?), None),
            Val::Element(_, Some(key)) => return self.table_of(key),
            Val::Outside(of, _) | Val::Member(of, _) => return self.table_of(of),
            Val::Method(_, Some(of)) | Val::Bound(of, _) => return self.table_of(of),
            element @ Val::Element(_, None) => element.clone(),
            _ => return None,
        };
        let Val::Element(list, None) = &element else { return None };
        let rows = self.rows(list, true, BUDGET)?;
        (!rows.is_empty() && rows.len() <= ROWS).then_some((element, rows))
    }

    /// What the items of a list that is written out are, where that is what a value is.
    pub fn items_of(&self, value: &Val) -> Option<Vec<Val>> {
        let Val::Literal(site) = value else { return None };
        let item = |row: Row| match row {
            Row::Item(site) => Some(self.eval(site)),
            Row::Entry(..) | Row::Key(_) => None,
        };
        self.rows_of_node(*site)?.into_iter().map(item).collect()
    }

    /// Where what a collection holds is written, where all of it is known.
    pub(crate) fn values_in(&self, collection: &Val) -> Option<Vec<Site>> {
        let value = |row: Row| match row {
            Row::Item(site) | Row::Entry(_, site) => Some(site),
            Row::Key(_) => None,
        };
        self.rows(collection, true, BUDGET)?.into_iter().map(value).collect()
    }

    /// The key of a row of a map.
    pub fn key_of_row(&self, row: Row) -> Option<Val> {
        match row {
            Row::Entry(key, _) | Row::Key(key) => Some(Val::Str(key)),
            Row::Item(_) => None,
        }
    }

    /// What a value is in the turn of a walk that sees a row.
    pub fn in_row(&self, value: &Val, element: &Val, row: Row) -> Val {
        if value == element {
            return match row {
                Row::Item(site) | Row::Entry(_, site) => self.eval(site),
                Row::Key(key) => Val::Str(key),
            };
        }
        let inner = |of: &Arc<Val>| self.in_row(of, element, row);
        match value {
            Val::Local(part) => match self.pattern_of(*part) {
                Some((source, steps)) if source == *element => self.part_of_row(row, &steps),
                _ => value.clone(),
            },
            Val::Param(member, Some(function), index) => match self.walked_map(*member, *function, *index) {
                // the value comes before its key
                Some(map) if Val::Element(Arc::new(map.clone()), None) == *element => {
                    self.part_of_row(row, &[Step::Position(1 - usize::from(*index))])
                }
                _ => value.clone(),
            },
            Val::Outside(of, name) => match inner(of) {
                same if same == **of => value.clone(),
                // what a row does not say is not there
                Val::Literal(site) => self.entry_of_literal(site, *name).map_or(Val::Null, |entry| self.eval(entry)),
                other => self.member_of(other, *name, false, BUDGET),
            },
            Val::Member(of, m) => Val::Member(Arc::new(inner(of)), *m),
            Val::Element(of, key) => {
                let key = key.as_ref().map(&inner);
                match &key {
                    Some(Val::Str(key)) => self.entry_of_table(of, *key),
                    _ => None,
                }
                .unwrap_or_else(|| Val::Element(Arc::new(inner(of)), key.map(Arc::new)))
            }
            Val::Method(m, of) => Val::Method(*m, of.as_ref().map(|of| Arc::new(inner(of)))),
            Val::Bound(of, site) => Val::Bound(Arc::new(inner(of)), *site),
            _ => value.clone(),
        }
    }

    /// The element of a collection that a local is a part of, by name.
    pub fn record_of(&self, local: Site) -> Option<Val> {
        let (element, steps) = self.pattern_of(local)?;
        (matches!(element, Val::Element(..)) && steps.iter().all(|s| matches!(s, Step::Key(_)))).then_some(element)
    }

    /// Whether the rows of a table are themselves lists that are written out.
    pub(super) fn has_rows_of_parts(&self, list: &Val, budget: u32) -> bool {
        let is_list = |row: &Row| match row {
            Row::Item(site) => self
                .program
                .body(site.member)
                .is_some_and(|b| matches!(b.node(site.node), Node::Collection { kind: CollectionKind::List, .. })),
            Row::Entry(..) => true,
            Row::Key(_) => false,
        };
        self.rows(list, false, budget).is_some_and(|rows| !rows.is_empty() && rows.iter().all(is_list))
    }

    /// The rows of a collection that is written out; of one that code fills, only where that is asked for.
    fn rows(&self, list: &Val, filled: bool, budget: u32) -> Option<Vec<Row>> {
        let budget = budget.checked_sub(1)?;
        match list {
            Val::Literal(site) => self.rows_of_node(*site),
            Val::Member(_, m) | Val::Static(m) => {
                let only = match self.only_definition(*m) {
                    Some(only) => self.eval_at(only.member, only.node, budget),
                    None => self.kept_by_getter(*m, budget)?,
                };
                if self.is_made_empty(&only, budget) { filled.then(|| self.rows_put_in(*m))? } else { self.rows(&only, filled, budget) }
            }
            Val::Local(site) => match self.local_values(*site)[..] {
                [one] => self.rows(&self.eval_at(site.member, one, budget), filled, budget),
                _ => None,
            },
            Val::New(site) => {
                let body = self.program.body(site.member)?;
                let Node::New { args, ty, init, .. } = body.node(site.node) else { return None };
                match body.list(args) {
                    [only] => self.rows(&self.eval_at(site.member, *only, budget), filled, budget),
                    // `std::initializer_list<Gauge*>{&north, &south}`
                    [_, _, ..] => {
                        let pack = &self.program.kit_of(site.member).pack;
                        let named = self.program.type_in(site.member, ty);
                        let is_list = self.program.type_name(&named).is_some_and(|name| pack.collections.contains(name));
                        is_list.then(|| items(*site, body.list(args)))
                    }
                    // `new List<Gauge> { north, south }`
                    [] => match body.node(init?) {
                        Node::Collection { kind: CollectionKind::List, items } => Some(self::items(*site, body.list(items))),
                        _ => None,
                    },
                }
            }
            Val::Call(site) => self.rows_of_list(*site, budget).or_else(|| self.rows_of_keys(*site, filled, budget)),
            _ => None,
        }
    }

    /// What a getter makes, and hands to a function that keeps it.
    fn kept_by_getter(&self, property: MemberId, budget: u32) -> Option<Val> {
        let program = self.program;
        let info = program.member(property);
        let is_getter = |m: &&MemberId| program.member(**m).kind == MemberKind::Accessor(AccessorKind::Get);
        let getter = program.own_members(info.owner, info.name).iter().find(is_getter)?;
        let Val::Call(site) = self.returned(*getter, budget)? else { return None };
        let body = program.body(site.member)?;
        let Node::Call { args, .. } = body.node(site.node) else { return None };
        body.list(args).iter().map(|a| self.eval_at(site.member, *a, budget)).find(|made| matches!(made, Val::New(_)))
    }

    fn is_made_empty(&self, value: &Val, budget: u32) -> bool {
        let Val::New(site) = value else { return false };
        let made = self.program.body(site.member).map(|b| b.node(site.node));
        matches!(made, Some(Node::New { args, .. }) if args.len == 0) && self.is_map(value, budget)
    }

    /// The entries that code puts into a map under constant keys, where it puts in no others.
    fn rows_put_in(&self, map: MemberId) -> Option<Vec<Row>> {
        known_or(&self.filled_maps, map, || self.find_rows_put_in(map).map(Into::into)).map(|rows| rows.to_vec())
    }

    fn find_rows_put_in(&self, map: MemberId) -> Option<Vec<Row>> {
        /// How far receivers and keys are followed.
        const NEAR: u32 = 6;
        let (program, budget) = (self.program, NEAR);
        let pack = &program.kit_of(map).pack;
        let mut rows = Vec::new();
        for name in pack.adds.iter().filter_map(|name| program.symbols.get(name)) {
            for call in program.index.calls(name) {
                let body = program.body(call.member)?;
                let Node::Call { callee, args, .. } = body.node(call.node) else { return None };
                let Node::Member { object, .. } = body.node(callee) else { continue };
                // most receivers are seen at a glance not to be it
                let is_another = |name| program.sym_in(call.member, name) != program.member(map).name;
                if matches!(body.node(object), Node::Member { name, .. } if is_another(name))
                    || !matches!(self.eval_at(call.member, object, budget), Val::Member(_, m) | Val::Static(m) if m == map)
                {
                    continue;
                }
                let [key, value] = *body.list(args) else { return None };
                let Val::Str(key) = self.eval_at(call.member, key, budget) else { return None };
                rows.push(Row::Entry(key, Site { member: call.member, node: value }));
            }
        }
        Some(rows)
    }

    fn rows_of_node(&self, site: Site) -> Option<Vec<Row>> {
        let body = self.program.body(site.member)?;
        let items = match body.node(site.node) {
            Node::Collection { kind: CollectionKind::List, items } => items,
            Node::Object(entries) => return self.entries(site, body.list(entries)),
            _ => return None,
        };
        let spread = |n: &NodeId| matches!(body.node(*n), Node::Unary { op: UnaryOp::Spread, .. });
        if body.list(items).iter().any(spread) {
            return None;
        }
        Some(self::items(site, body.list(items)))
    }

    /// `List.of(north, south)`: a row for each argument.
    fn rows_of_list(&self, call: Site, budget: u32) -> Option<Vec<Row>> {
        let body = self.program.body(call.member)?;
        let Node::Call { callee, args, .. } = body.node(call.node) else { return None };
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        let is_list = args.len > 0 && LISTS.contains(&self.program.unit_of(call.member).text(name));
        (is_list && matches!(self.eval_at(call.member, object, budget), Val::Global(_))).then(|| items(call, body.list(args)))
    }

    fn entries(&self, object: Site, entries: &[NodeId]) -> Option<Vec<Row>> {
        let body = self.program.body(object.member)?;
        let row = |entry: &NodeId| match body.node(*entry) {
            Node::Entry { key, value } => {
                let key = match body.node(key) {
                    Node::Str(key) => self.program.sym_in(object.member, key),
                    // `[Topics.HIGH]: …`
                    _ => self.text_of(&self.eval_in(object.member, key))?,
                };
                Some(Row::Entry(key, Site { member: object.member, node: value }))
            }
            _ => None,
        };
        entries.iter().map(row).collect()
    }

    /// `Object.keys(table)`: a row for each key of an object.
    fn rows_of_keys(&self, call: Site, filled: bool, budget: u32) -> Option<Vec<Row>> {
        let body = self.program.body(call.member)?;
        let Node::Call { callee, args, .. } = body.node(call.node) else { return None };
        let Node::Member { name, .. } = body.node(callee) else { return None };
        match *body.list(args) {
            [table] if self.program.kit_of(call.member).pack.key_views.contains(self.program.unit_of(call.member).text(name)) => {
                self.keys(self.rows(&self.eval_at(call.member, table, budget), filled, budget)?)
            }
            _ => None,
        }
    }

    fn keys(&self, rows: Vec<Row>) -> Option<Vec<Row>> {
        let key = |row: Row| match row {
            Row::Entry(key, _) => Some(Row::Key(key)),
            Row::Item(_) | Row::Key(_) => None,
        };
        rows.into_iter().map(key).collect()
    }

    /// `for (const key in table)`: the keys.
    fn keys_walked(&self, local: Site) -> Option<Vec<Row>> {
        let body = self.program.body(local.member)?;
        let around = self.program.scope(local.member).parent(local.node)?;
        match body.node(around) {
            Node::ForEach { var, iterable, keys: true, .. } if var == local.node => {
                self.keys(self.rows(&self.eval_in(local.member, iterable), true, BUDGET)?)
            }
            _ => None,
        }
    }

    /// The map that a function is called with the values and keys of.
    fn walked_map(&self, member: MemberId, function: FunctionId, index: u16) -> Option<Val> {
        let map = self.walked_collection(member, function, index, BUDGET)?;
        (index <= 1 && self.is_map(&map, BUDGET)).then_some(map)
    }

    /// What a table that is written out has under a key.
    fn entry_of_table(&self, table: &Val, key: Sym) -> Option<Val> {
        let entry = |row: &Row| match row {
            Row::Entry(known, site) if *known == key => Some(*site),
            _ => None,
        };
        self.rows(table, true, BUDGET)?.iter().find_map(entry).map(|site| self.eval(site))
    }

    /// What a pattern takes apart to give a local, and by which steps.
    fn pattern_of(&self, local: Site) -> Option<(Val, Vec<Step>)> {
        let program = self.program;
        let body = program.body(local.member)?;
        let scope = program.scope(local.member);
        let mut steps = Vec::new();
        let mut inner = local.node;
        loop {
            let around = scope.parent(inner)?;
            match body.node(around) {
                Node::Entry { key, .. } => match body.node(key) {
                    Node::Str(key) => {
                        steps.push(Step::Key(program.sym_in(local.member, key)));
                        inner = scope.parent(around)?;
                    }
                    _ => return None,
                },
                Node::Pattern { parts, positional: true, .. } => {
                    steps.push(Step::Position(body.list(parts).iter().position(|p| *p == inner)?));
                    inner = around;
                }
                _ => return None,
            }
            let Node::Pattern { init, .. } = body.node(inner) else { return None };
            if let Some(source) = self.pattern_source(local.member, inner, init, BUDGET) {
                steps.reverse();
                return Some((source, steps));
            }
        }
    }

    fn part_of_row(&self, row: Row, steps: &[Step]) -> Val {
        let (mut site, steps) = match (row, steps) {
            (Row::Item(site), steps) => (site, steps),
            (Row::Entry(key, _), [Step::Position(0)]) => return Val::Str(key),
            (Row::Entry(_, site), [Step::Position(1), rest @ ..]) => (site, rest),
            (Row::Entry(..) | Row::Key(_), _) => return Val::Unknown,
        };
        for step in steps {
            let Some(body) = self.program.body(site.member) else { return Val::Unknown };
            let part = match (step, body.node(site.node)) {
                (Step::Key(name), Node::Object(_)) => match self.entry_of_literal(site, *name) {
                    Some(part) => part,
                    // what a row does not say is not there
                    None => return Val::Null,
                },
                (Step::Position(at), Node::Collection { items, .. }) => match body.list(items).get(*at) {
                    Some(item) => Site { member: site.member, node: *item },
                    None => return Val::Null,
                },
                _ => return Val::Unknown,
            };
            site = part;
        }
        self.eval(site)
    }
}

/// Rows of expressions that stand beside each other.
fn items(list: Site, nodes: &[NodeId]) -> Vec<Row> {
    nodes.iter().map(|node| Row::Item(Site { member: list.member, node: *node })).collect()
}
