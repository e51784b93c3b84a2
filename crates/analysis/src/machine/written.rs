//! The code of states that are objects which are written out, each under a constant of its own or as the entry of a table:
//! `const shut = { pulse(gate) { gate.become(open); } }`.

use yarrowgraph_ir::Node;

use super::domain::Domain;
use super::state::State;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Site, TypeId};

/// The functions of the objects.
#[derive(Debug, Default)]
pub(super) struct Written(Vec<Site>);

/// The functions of the objects that are a machine's states by their constants or entries, or that its own classes look up by them.
pub(super) fn of(flow: &Flow<'_>, field: MemberId, domain: &Domain, family: &dyn Fn(TypeId) -> bool) -> Written {
    let program = flow.program;
    if !program.kit_of(field).traits.fits_by_shape {
        return Written::default();
    }
    let mut objects = Vec::new();
    let mut tables = looked_into(flow, field, family);
    for state in &domain.states {
        match state {
            State::Constant(m) => objects.extend(flow.listing(*m)),
            State::Entry(table, _) => tables.push(*table),
            _ => {}
        }
    }
    tables.sort_unstable();
    tables.dedup();
    objects.extend(tables.into_iter().filter_map(|table| flow.listing(table)).flat_map(|table| flow.values_of_literal(table)));
    let functions = objects.into_iter().flat_map(|object| flow.values_of_literal(object));
    let is_function = |f: &Site| matches!(program.body(f.member).map(|body| body.node(f.node)), Some(Node::Lambda(_)));
    Written(functions.filter(is_function).collect())
}

/// The constants that code of a machine asks for what the holder says: `phases[this.phase]`.
fn looked_into(flow: &Flow<'_>, field: MemberId, family: &dyn Fn(TypeId) -> bool) -> Vec<MemberId> {
    let program = flow.program;
    let reads = program.index.reads(program.member(field).name).iter().filter(|read| family(program.member(read.member).owner));
    let table_at = |read: &Site| {
        let (body, scope) = (program.body(read.member)?, program.scope(read.member));
        let Node::Index { object, keys, .. } = body.node(scope.parent(read.node)?) else { return None };
        match flow.eval_in(read.member, object) {
            Val::Static(table) if body.list(keys).contains(&read.node) => Some(table),
            _ => None,
        }
    };
    reads.filter_map(table_at).collect()
}

impl Written {
    /// Whether a place is in one of the functions.
    pub(super) fn has(&self, program: &Program, site: Site) -> bool {
        let Some(body) = program.body(site.member) else { return false };
        let inner = body.span(site.node);
        let is_within = |f: &Site| {
            let outer = body.span(f.node);
            outer.start <= inner.start && inner.end <= outer.end
        };
        self.0.iter().filter(|f| f.member == site.member).any(is_within)
    }

    /// Whether one of the functions stores into a field itself, or calls a method that does.
    pub(super) fn move_it(&self, flow: &Flow<'_>, field: MemberId) -> bool {
        let has = |site: &Site| self.has(flow.program, *site);
        let stores = flow.definitions(field);
        let later = || stores.iter().map(|d| d.member).filter(|m| *m != field);
        !self.0.is_empty() && (stores.iter().any(has) || later().any(|m| flow.call_sites(m).iter().any(has)))
    }
}
