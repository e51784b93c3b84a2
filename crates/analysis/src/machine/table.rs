//! Tables of moves that are written out: rows that are walked, maps that are looked up.

use yarrowgraph_ir::{FunctionId, MemberKind, Node, NodeId};

use super::conditions::at;
use super::filled;
use super::keys::speaks;
use super::state::{self, State};
use super::walk::Walker;
use super::way::{Value, Way};
use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, Ty, TypeId};

/// Longer tables are not looked at.
pub(super) const ROWS: usize = 400;

/// Of longer ones it is not asked which rows are never come to.
const LOOKED_BEHIND: usize = 60;

/// An expression of a table: where it is written, and the call whose arguments its parameters stand for there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Written {
    pub at: Site,
    pub by: Option<Site>,
}

impl From<Site> for Written {
    fn from(at: Site) -> Self {
        Self { at, by: None }
    }
}

impl Written {
    /// Where the code says it that is about this table: the call, if one is.
    pub(super) fn place(self) -> Site {
        self.by.unwrap_or(self.at)
    }

    /// Another expression that is written beside it.
    pub(super) fn beside(self, node: NodeId) -> Self {
        Self { at: Site { member: self.at.member, node }, by: self.by }
    }
}

/// An entry of a map: its key, and its value.
struct Row {
    key: Key,
    value: Site,
}

/// The key of a row.
pub(super) enum Key {
    Text(Sym),
    Node(Written),
}

impl Walker<'_, '_> {
    /// The rows of a list that is written out, or that code fills.
    pub(super) fn rows(&self, list: NodeId) -> Option<Vec<Written>> {
        let mut rows = self.listed_rows(list).unwrap_or_default();
        rows.extend(self.added_rows(list));
        (!rows.is_empty() && rows.len() <= ROWS).then_some(rows)
    }

    fn listed_rows(&self, list: NodeId) -> Option<Vec<Written>> {
        let site = self.written(self.site(list))?;
        let body = self.flow.program.body(site.member)?;
        let (Node::Collection { items, .. } | Node::New { args: items, .. }) = body.node(site.node) else { return None };
        Some(body.list(items).iter().map(|node| Site { member: site.member, node: *node }.into()).collect())
    }

    /// The items of a list of several that a call makes and that an expression names.
    pub(super) fn written_list(&self, list: NodeId) -> Option<Vec<Written>> {
        let site = self.written(self.site(list))?;
        let body = self.flow.program.body(site.member)?;
        let Node::Call { args, .. } = body.node(site.node) else { return None };
        (args.len > 1).then(|| body.list(args).iter().map(|node| Site { member: site.member, node: *node }.into()).collect())
    }

    /// Where what an expression names is written out.
    fn written(&self, mut site: Site) -> Option<Site> {
        for _ in 0..6 {
            let body = self.flow.program.body(site.member)?;
            site = match body.node(site.node) {
                Node::Collection { .. } | Node::Object(_) => return Some(site),
                Node::New { init: Some(init), .. } => Site { member: site.member, node: init },
                // a map of pairs, a list of items, something frozen
                Node::New { args, .. } | Node::Call { args, .. } => match body.list(args) {
                    [only] if !matches!(self.flow.eval(site), Val::Member(..) | Val::Static(_)) => {
                        Site { member: site.member, node: *only }
                    }
                    [_, _, ..] if matches!(body.node(site.node), Node::Call { .. }) && self.flow.callee(site).is_none() => {
                        return Some(site);
                    }
                    [first, _, ..] if matches!(body.node(*first), Node::Collection { .. }) => return Some(site),
                    _ => return None,
                },
                Node::Cast { operand, .. } => Site { member: site.member, node: operand },
                _ => match self.flow.eval(site) {
                    Val::Static(m) | Val::Member(_, m) => self.flow.collection_given(m)?,
                    Val::Literal(literal) | Val::New(literal) if literal != site => literal,
                    value => filled::only_argument(self.flow, &value)?,
                },
            };
        }
        None
    }

    /// The parts of a list that stands in a row.
    pub(super) fn parts_of(&self, row: Written) -> Option<Vec<Written>> {
        let body = self.flow.program.body(row.at.member)?;
        match body.node(row.at.node) {
            Node::Collection { items, .. } => Some(body.list(items).iter().map(|n| row.beside(*n)).collect()),
            Node::New { init: Some(init), .. } => self.parts_of(row.beside(init)),
            // made of its items, or of a list of them
            Node::New { args, .. } | Node::Call { args, .. } => match body.list(args) {
                [only] if matches!(body.node(*only), Node::Collection { .. }) => self.parts_of(row.beside(*only)),
                items => Some(items.iter().map(|n| row.beside(*n)).collect()),
            },
            _ => None,
        }
    }

    /// A part of a row by its place.
    pub(super) fn part(&mut self, row: &Value, at: usize) -> Value {
        match row {
            Value::Several(values) => values.get(at).cloned().unwrap_or(Value::Unknown),
            Value::Row(row) => {
                let Some(body) = self.flow.program.body(row.at.member) else { return Value::Unknown };
                match body.node(row.at.node) {
                    Node::Collection { items: parts, .. } | Node::New { args: parts, .. } | Node::Call { args: parts, .. } => {
                        body.list(parts).get(at).map_or(Value::Unknown, |n| self.written_value(row.beside(*n)))
                    }
                    _ => Value::Unknown,
                }
            }
            _ => Value::Unknown,
        }
    }

    /// A part of a row by its name: an entry of an object, a field in the order in which its type declares them, or
    /// what its constructor gives to the field.
    pub(super) fn named_part(&mut self, row: Written, name: Sym) -> Value {
        let program = self.flow.program;
        let Some(body) = program.body(row.at.member) else { return Value::Unknown };
        let by_place = |class: Option<TypeId>, args: &[NodeId]| {
            let at = self.position(class?, name, args.len())?;
            args.get(at).copied()
        };
        let part = match body.node(row.at.node) {
            Node::Object(_) => self.flow.entry_of_literal(row.at, name).map(|entry| row.beside(entry.node)),
            Node::New { args, init, .. } => {
                let from_init = init.and_then(|i| self.flow.entry_of_literal(row.beside(i).at, name)).map(|entry| entry.node);
                let class = self.flow.type_of_node(row.at.member, row.at.node).own();
                from_init.or_else(|| by_place(class, body.list(args))).map(|n| row.beside(n))
            }
            Node::Collection { items, .. } => by_place(self.row_class(row.at), body.list(items)).map(|n| row.beside(n)),
            // `rows.emplace_back(FROM, ON, TO)`
            Node::Call { args, .. } if self.flow.callee(row.at).is_none() => {
                by_place(self.row_class(row.at), body.list(args)).map(|n| row.beside(n))
            }
            _ => None,
        };
        part.map_or(Value::Unknown, |part| self.written_value(part))
    }

    /// The class of the rows of the list that a row stands in, or is put into.
    fn row_class(&self, row: Site) -> Option<TypeId> {
        let program = self.flow.program;
        let unit = program.member(row.member).unit;
        let element = |ty: Ty| program.element_type(unit, &ty).unwrap_or(ty).own();
        if !matches!(program.member(row.member).kind, MemberKind::Method | MemberKind::Constructor) {
            return element(self.flow.type_held(row.member));
        }
        let (body, scope) = (program.body(row.member)?, program.scope(row.member));
        let call = [Some(row.node), scope.parent(row.node)].into_iter().flatten().find(|n| matches!(body.node(*n), Node::Call { .. }))?;
        let (list, _) = self.flow.receiver(Site { member: row.member, node: call })?;
        element(self.flow.type_of(&list))
    }

    fn field_position(&self, class: TypeId, name: Sym) -> Option<usize> {
        let program = self.flow.program;
        let fields =
            program.ty(class).members.iter().filter(|m| program.member(**m).kind == MemberKind::Field && !program.member(**m).is_static);
        fields.into_iter().position(|m| program.member(*m).name == name)
    }

    /// The parameter of a class's constructor that a field is set from.
    fn position(&self, class: TypeId, name: Sym, count: usize) -> Option<usize> {
        let program = self.flow.program;
        let field = program.find_member(class, name);
        if let Some(constructor) = self.flow.constructor(class, count) {
            let unit = program.member(constructor).unit;
            let params = &program.decl(constructor).params;
            let by_value = field.and_then(|f| {
                self.flow.definitions(f).iter().filter(|d| d.member == constructor).find_map(|d| match self.flow.eval(*d) {
                    Val::Param(m, None, index) if m == constructor => Some(usize::from(index)),
                    _ => None,
                })
            });
            return by_value.or_else(|| params.iter().position(|p| program.sym(unit, p.name) == name));
        }
        self.field_position(class, name)
    }

    /// What an expression of a table is, wherever it stands.
    pub(super) fn written_value(&mut self, part: Written) -> Value {
        let part = filled::given(self.flow, part);
        let site = part.at;
        let Some(body) = self.flow.program.body(site.member) else { return Value::Unknown };
        match body.node(site.node) {
            Node::Null => Value::Null,
            Node::Bool(b) => Value::Truth(b),
            Node::Lambda(f) => Value::Function(site.member, f),
            Node::Entry { value, .. } => self.written_value(part.beside(value)),
            Node::Opaque(parts) if body.list(parts).len() == 1 => self.written_value(part.beside(body.list(parts)[0])),
            _ => {
                if let Some(named) = state::named(self.flow, site.member, site.node) {
                    return match self.domain.find(self.flow, named) {
                        Some(bits) => Value::State(bits, false, Some(site)),
                        // of a closed domain it can be none: it is a message, or a function
                        None if self.domain.closed => Value::Row(part),
                        None => Value::Named(named, false, Some(site)),
                    };
                }
                match body.node(site.node) {
                    Node::Object(_) | Node::Collection { .. } | Node::New { .. } | Node::Call { .. } => Value::Row(part),
                    _ => Value::Unknown,
                }
            }
        }
    }

    /// Looks a key up in a table that is written out: a way for each entry that it can be, and one on which there is none.
    pub(super) fn look_up(&mut self, object: NodeId, table: &Value, key: &Value, way: Way) -> Vec<(Way, Value)> {
        let site = match table {
            Value::Row(row) => self.written(row.at),
            _ => self.written(self.site(object)),
        };
        // a helper may be told by a name what is done: `this.apply('fill')`
        if !speaks(key) && !matches!(key, Value::Named(..)) {
            return vec![(way, Value::Unknown)];
        }
        if let Some(found) = site.and_then(|s| self.by_place(s, key, &way)) {
            return found;
        }
        let Some(rows) = site.and_then(|s| self.entries(s)) else {
            return match self.filled_table(object, table) {
                Some((m, outer)) => self.look_up_filled(m, outer, key, way),
                // a row that is left empty: `parked: {}`
                _ if matches!(table, Value::Row(_)) && site.is_some_and(|s| self.is_empty_row(s)) => vec![(way, Value::Null)],
                _ => vec![(way, Value::Unknown)],
            };
        };
        // a row for a state is a case for it
        if *key == Value::Held {
            for row in &rows {
                if let Key::Text(text) = row.key {
                    self.label(row.value, State::Text(text));
                }
            }
        }
        let mut open = vec![way];
        let mut out = Vec::new();
        for row in rows {
            let mut left = Vec::new();
            for way in open {
                for (mut way, fits) in self.key_fits(key, &row.key, way) {
                    if fits {
                        way.row = Some(row.value);
                        let value = self.written_value(row.value.into());
                        out.push((way, value));
                    } else {
                        left.push(way);
                    }
                }
            }
            open = left;
        }
        // what is not written out may be put in by code
        match self.filled_table(object, table) {
            Some((m, outer)) => out.extend(open.into_iter().flat_map(|w| self.look_up_filled(m, outer, key, w))),
            _ => out.extend(open.into_iter().map(|w| (w, Value::Null))),
        }
        out
    }

    fn is_empty_row(&self, site: Site) -> bool {
        self.flow.program.body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Object(entries) if entries.len == 0))
    }

    /// The element of an array for a constant whose number is its place: `table[state][event]`.
    fn by_place(&mut self, list: Site, key: &Value, way: &Way) -> Option<Vec<(Way, Value)>> {
        let program = self.flow.program;
        let Node::Collection { items, .. } = program.body(list.member)?.node(list.node) else { return None };
        let held = self.flow.type_held(list.member);
        if !matches!(held, Ty::Array(_))
            && (program.is_map(&held) || program.element_type(program.member(list.member).unit, &held).is_none())
        {
            return None;
        }
        let constants: Vec<State> = match key {
            Value::Held => self.domain.states.clone(),
            Value::Message(at) => {
                let root = self.root?;
                let ty = program.type_in(root, program.decl(root).params.get(usize::from(*at))?.ty?).own()?;
                let all = program.ty(ty).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::EnumConstant);
                all.map(State::Constant).collect()
            }
            _ => return None,
        };
        let numbers: Vec<usize> = constants.iter().map(|c| self.number(*c)).collect::<Option<_>>()?;
        let items = program.body(list.member)?.list(items).to_vec();
        let mut out = Vec::new();
        for (constant, number) in constants.into_iter().zip(numbers) {
            let Some(item) = items.get(number) else { continue };
            let ways = match key {
                Value::Message(index) => self.message_is(*index, constant, way.clone(), list.node),
                _ => at(way.clone(), self.domain.find(self.flow, constant)?),
            };
            for (mut way, _) in ways.into_iter().filter(|(_, fits)| *fits) {
                let item = Site { member: list.member, node: *item };
                way.row = Some(item);
                let value = self.written_value(item.into());
                out.push((way, value));
            }
        }
        Some(out)
    }

    /// The number that a constant stands for: its place in its enumeration, or what it is written as.
    fn number(&self, constant: State) -> Option<usize> {
        let program = self.flow.program;
        let State::Constant(m) = constant else { return None };
        let written = self.flow.collection_given(m).and_then(|site| match program.body(site.member)?.node(site.node) {
            Node::Num(n) => program.unit_of(site.member).text(n).parse().ok(),
            _ => None,
        });
        if program.member(m).kind != MemberKind::EnumConstant {
            return written;
        }
        let all = &program.ty(program.member(m).owner).members;
        let place = all.iter().filter(|c| program.member(**c).kind == MemberKind::EnumConstant).position(|c| *c == m)?;
        // where one has a number of its own, the others count on from there
        let plain = all.iter().all(|c| self.flow.definitions(*c).is_empty());
        if plain { Some(place) } else { written }
    }

    /// The first row of a list for which a function says that it is it.
    pub(super) fn pick(&mut self, list: NodeId, says: (MemberId, FunctionId), call: Site, way: Way) -> Vec<(Way, Value)> {
        let Some(rows) = self.rows(list) else { return vec![(way, Value::Unknown)] };
        let mut open = vec![way];
        let mut out = Vec::new();
        for (at, row) in rows.iter().enumerate() {
            let mut left = Vec::new();
            for way in open {
                for (mut way, holds) in self.says(*row, says, call, way) {
                    if holds {
                        self.found.picked.insert(row.place());
                        self.look_behind(&rows[at..], says, call, &way);
                        way.row = Some(row.place());
                        out.push((way, Value::Row(*row)));
                    } else {
                        left.push(way);
                    }
                }
            }
            open = self.merge_open(left);
        }
        out.extend(open.into_iter().map(|w| (w, Value::Null)));
        out
    }

    /// What a function says of a row, on the ways that this goes.
    fn says(&mut self, row: Written, says: (MemberId, FunctionId), call: Site, way: Way) -> Vec<(Way, bool)> {
        let said = self.enter_function(call, says.0, says.1, vec![Value::Row(row)], way);
        said.into_iter().flat_map(|(way, said)| self.truth(&said, call.node, way)).collect()
    }

    /// Notes which rows behind one that was picked fit as well, of those that name the same things.
    fn look_behind(&mut self, rows: &[Written], says: (MemberId, FunctionId), call: Site, way: &Way) {
        let [picked, behind @ ..] = rows else { return };
        if rows.len() > LOOKED_BEHIND {
            return;
        }
        let names = self.constants(*picked);
        for row in behind.iter().filter(|r| r.place() != picked.place()) {
            let same = self.constants(*row).iter().zip(&names).filter(|(a, b)| a.is_some() && a == b).count();
            let known = self.found.outrun.contains_key(&row.place());
            if same > 1 && !known && self.says(*row, says, call, way.clone()).iter().all(|(_, holds)| *holds) {
                self.found.outrun.insert(row.place(), picked.place());
            }
        }
    }

    /// The constants that the parts of a row are, in their order.
    fn constants(&self, row: Written) -> Vec<Option<Val>> {
        let Some(body) = self.flow.program.body(row.at.member) else { return Vec::new() };
        let parts: Vec<Written> = match body.node(row.at.node) {
            Node::Object(entries) => {
                let value = |entry: &NodeId| match body.node(*entry) {
                    Node::Entry { value, .. } => Some(row.beside(value)),
                    _ => None,
                };
                body.list(entries).iter().filter_map(value).collect()
            }
            _ => self.parts_of(row).unwrap_or_default(),
        };
        let constant = |part: &Written| Some(self.flow.eval(part.at)).filter(|v| matches!(v, Val::Str(_) | Val::Static(_)));
        parts.iter().map(constant).collect()
    }

    /// The list of which an expression is an end: `rows.begin()`, `std::begin(rows)`.
    pub(super) fn list_of_end(&self, end: NodeId) -> Option<NodeId> {
        let body = self.flow.program.body(self.site(end).member)?;
        match body.node(end) {
            Node::Call { callee, args, .. } => match (body.node(callee), body.list(args)) {
                (Node::Member { object, .. }, []) => Some(object),
                (_, [list]) => Some(*list),
                _ => None,
            },
            _ => None,
        }
    }

    /// The entries of a map that is written out.
    fn entries(&self, site: Site) -> Option<Vec<Row>> {
        let program = self.flow.program;
        let body = program.body(site.member)?;
        let at = |node: NodeId| Site { member: site.member, node };
        let mut rows = Vec::new();
        match body.node(site.node) {
            Node::Object(entries) => {
                for entry in body.list(entries) {
                    let (key, value) = match body.node(*entry) {
                        Node::Entry { key, value } => match body.node(key) {
                            // `[key] = value`
                            Node::Opaque(parts) if parts.len == 1 => (body.list(parts)[0], value),
                            _ => (key, value),
                        },
                        // `{ key, value }`
                        Node::Collection { items, .. } => match body.list(items) {
                            [key, value] => (*key, *value),
                            _ => return None,
                        },
                        _ => return None,
                    };
                    rows.push(Row { key: self.key(at(key)), value: at(value) });
                }
            }
            // pairs
            Node::Collection { items, .. } | Node::New { args: items, .. } => {
                for item in body.list(items) {
                    let (key, value) = match body.node(*item) {
                        Node::Collection { items, .. } => match body.list(items) {
                            [key, value] => (*key, *value),
                            _ => return None,
                        },
                        Node::New { args, .. } | Node::Call { args, .. } => match body.list(args) {
                            [key, value] => (*key, *value),
                            _ => return None,
                        },
                        Node::Entry { key, value } => (key, value),
                        _ => return None,
                    };
                    rows.push(Row { key: self.key(at(key)), value: at(value) });
                }
            }
            // keys and values in turn: `Map.of(k, v, k, v)`, or entries
            Node::Call { args, .. } => {
                let args = body.list(args);
                let is_pair = |n: &NodeId| matches!(body.node(*n), Node::Call { args, .. } if args.len == 2);
                if args.iter().all(is_pair) {
                    for arg in args {
                        if let Node::Call { args, .. } = body.node(*arg)
                            && let [key, value] = body.list(args)
                        {
                            rows.push(Row { key: self.key(at(*key)), value: at(*value) });
                        }
                    }
                } else {
                    for pair in args.chunks(2) {
                        let [key, value] = pair else { return None };
                        rows.push(Row { key: self.key(at(*key)), value: at(*value) });
                    }
                }
            }
            _ => return None,
        }
        (!rows.is_empty() && rows.len() <= ROWS).then_some(rows)
    }

    fn key(&self, site: Site) -> Key {
        match self.flow.program.body(site.member).map(|b| b.node(site.node)) {
            Some(Node::Str(name)) => Key::Text(self.flow.program.sym_in(site.member, name)),
            _ => Key::Node(site.into()),
        }
    }
}
