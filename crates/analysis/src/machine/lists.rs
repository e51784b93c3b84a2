//! Tables of plain data that a machine's class looks up by its state: their keys list the states there are.

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::Place;

use super::state;
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

/// The table that a class looks up by what a field of it holds: `LAMPS[this.state]`.
pub fn by_state(flow: &Flow<'_>, field: MemberId) -> Option<List> {
    let program = flow.program;
    program.reads_in_class(field).find_map(|read| {
        let (body, scope) = (program.body(read.member)?, program.scope(read.member));
        let Node::Index { object, keys, .. } = body.node(scope.parent(read.node)?) else { return None };
        if !body.list(keys).contains(&read.node) {
            return None;
        }
        let (Val::Static(table) | Val::Member(_, table)) = flow.eval_in(read.member, object) else { return None };
        let names = state::listed(flow, table).filter(|names| names.len() >= LEAST)?;
        let site = flow.listing(table)?;
        let Node::Object(entries) = program.body(site.member)?.node(site.node) else { return None };
        let places = program.body(site.member)?.list(entries).iter().map(|entry| Site { member: site.member, node: *entry });
        Some(List { table, keys: names.into_iter().zip(places).collect() })
    })
}

/// Where such a table lists a state.
pub(super) fn place_of_text(flow: &Flow<'_>, field: MemberId, text: Sym) -> Option<Place> {
    let list = by_state(flow, field)?;
    let (_, site) = list.keys.iter().find(|(key, _)| is_same(flow, *key, text))?;
    let body = flow.program.body(site.member)?;
    let key = |entry: NodeId| if let Node::Entry { key, .. } = body.node(entry) { key } else { entry };
    Some(flow.program.place_of(Site { member: site.member, node: key(site.node) }))
}

/// Whether a key and a text in quotes say the same.
pub fn is_same(flow: &Flow<'_>, key: Sym, text: Sym) -> bool {
    let plain = |sym| flow.program.text(sym).trim_matches(['"', '\'', '`']);
    key == text || plain(key) == plain(text)
}
