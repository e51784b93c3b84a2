//! Tables of plain data that a machine's class looks up by its state: their keys list the states there are.

use yarrowgraph_ir::Node;
use yarrowgraph_model::Place;

use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Sym};

/// So many keys make a list.
const LEAST: usize = 3;

/// A table that lists states.
pub struct List {
    /// The constant that holds it.
    pub table: MemberId,
    /// Its keys, with where each of them stands.
    pub keys: Vec<(Sym, Site)>,
}

/// The table that a class looks up by what a field of it holds: `LAMPS[this.state]`, `lamps.get(state)`.
pub fn by_state(flow: &Flow<'_>, field: MemberId) -> Option<List> {
    let program = flow.program;
    program.reads_in_class(field).find_map(|read| {
        let (body, scope) = (program.body(read.member)?, program.scope(read.member));
        let object = match body.node(scope.parent(read.node)?) {
            Node::Index { object, keys, .. } => Some(object).filter(|_| body.list(keys).contains(&read.node)),
            Node::Call { callee, args, .. } if body.list(args).first() == Some(&read.node) => match body.node(callee) {
                Node::Member { object, .. } => Some(object),
                _ => None,
            },
            _ => None,
        }?;
        let (Val::Static(table) | Val::Member(_, table)) = flow.eval_in(read.member, object) else { return None };
        let keys = listed(flow, table)?;
        Some(List { table, keys })
    })
}

/// The texts under which a constant holds plain data.
fn listed(flow: &Flow<'_>, table: MemberId) -> Option<Vec<(Sym, Site)>> {
    let pairs = flow.pairs(flow.map_literal(flow.collection_given(table)?)?);
    let key = |(key, value): &(Site, Site)| {
        let body = flow.program.body(key.member)?;
        let written = match body.node(key.node) {
            Node::Opaque(parts) => *body.list(parts).first()?,
            _ => key.node,
        };
        let Node::Str(name) = body.node(written) else { return None };
        let is_plain = matches!(body.node(value.node), Node::Str(_) | Node::Num(_) | Node::Bool(_) | Node::Plain);
        is_plain.then(|| (flow.program.sym_in(key.member, name), Site { member: key.member, node: written }))
    };
    let keys: Vec<(Sym, Site)> = pairs.iter().map(key).collect::<Option<_>>()?;
    (keys.len() >= LEAST).then_some(keys)
}

/// Where such a table lists a state.
pub(super) fn place_of_text(flow: &Flow<'_>, field: MemberId, text: Sym) -> Option<Place> {
    let list = by_state(flow, field)?;
    let (_, site) = list.keys.iter().find(|(key, _)| is_same(flow, *key, text))?;
    Some(flow.program.place_of(*site))
}

/// Whether a key and a text in quotes say the same.
pub fn is_same(flow: &Flow<'_>, key: Sym, text: Sym) -> bool {
    let plain = |sym| flow.program.text(sym).trim_matches(['"', '\'', '`']);
    key == text || plain(key) == plain(text)
}
