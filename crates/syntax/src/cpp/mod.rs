//! C++.

mod attributes;
mod cuts;
mod dead;
mod decls;
mod exprs;
mod kinds;
mod macros;
mod members;
mod pasted;
mod stmts;
mod types;

use std::sync::LazyLock;

use tree_sitter::Node as Ts;
use yarrowgraph_ir::traits::{MethodValue, Traits};
use yarrowgraph_ir::{Language, NodeId, Unit, pack::Pack};

use crate::branches;
use crate::driver::{self, Lower, Nodes};
use crate::parse::{Grammar, Unread};
use kinds::{Kind, Table};
use macros::Prepared;

/// What the language promises.
pub(crate) static TRAITS: Traits = Traits {
    method_value: MethodValue::Fresh,
    member_constants: true,
    empty_call_crashes: true,
    safe_call: None,
    combines_callables: false,
    bare_members: true,
    file_modules: false,
    callables_are_snapshots: false,
    inner_types_capture: false,
    public_by_default: false,
    duck_typed: false,
    fits_by_shape: false,
    open_names: true,
    fields_called: true,
    references_dangle: true,
    constants_are_bare: true,
    enums_start_at_first: false,
    first_key_stays: true,
    missing_key_throws: false,
    types_are_called: true,
};

/// What platform and libraries offer.
pub(crate) static PACK: LazyLock<Pack> = LazyLock::new(|| crate::built_in(Language::Cpp));

static TABLE: LazyLock<Table> = LazyLock::new(|| Table::new(&Grammar::Cpp.language()));

/// Lowers one file.
pub(crate) fn lower(path: &str, source: &str) -> Result<Unit, Unread> {
    // features are often in one branch only: a whole function must be at stake
    const WORTH: u32 = 500;
    let prepared = macros::prepare(source);
    let (text, tree) = branches::parse(Grammar::Cpp, &prepared.text, WORTH)?;
    let mut unit = Unit::new(Language::Cpp, path);
    driver::note_errors(&mut unit, &tree, &text, &pasted::names(source));
    let l = Lower::new(unit, &text, &tree, &TABLE.meaning);
    let mut cpp = Cpp { l, t: &TABLE, prepared: &prepared, last_owner: None };
    cpp.program(tree.root_node());
    while let Some((node, placeholder)) = cpp.l.next_late() {
        let lowered = cpp.node(node);
        cpp.l.finish_late(placeholder, lowered);
    }
    Ok(cpp.l.unit)
}

struct Cpp<'t> {
    l: Lower<'t>,
    t: &'static Table,
    prepared: &'t Prepared,
    /// The class whose function was written out last.
    last_owner: Option<yarrowgraph_ir::TypeDeclId>,
}

impl<'t> Cpp<'t> {
    fn kind(&self, node: Ts<'t>) -> Kind {
        self.t.kind(node)
    }

    /// Lowers a statement or expression; nesting beyond a limit is put off.
    fn node(&mut self, node: Ts<'t>) -> NodeId {
        if let Err(placeholder) = self.l.descend(node) {
            return placeholder;
        }
        let id = self.statement(node);
        self.l.ascend();
        id
    }

    fn nodes(&mut self, nodes: impl IntoIterator<Item = Ts<'t>>) -> Nodes {
        nodes.into_iter().map(|n| self.node(n)).collect()
    }

    fn node_or_empty(&mut self, node: Option<Ts<'t>>, at: Ts<'t>) -> NodeId {
        match node {
            Some(n) => self.node(n),
            None => self.l.empty(at),
        }
    }

    /// A dotted name from one with double colons, without template arguments.
    fn dotted(&mut self, node: Ts<'t>) -> String {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Qualified => {
                let kids = self.l.kids(node);
                let scope = kids.field(f.scope).map(|s| self.dotted(s)).unwrap_or_default();
                let name = kids.field(f.name).map(|n| self.dotted(n)).unwrap_or_default();
                if scope.is_empty() || scope == "std" { name } else { format!("{scope}.{name}") }
            }
            Kind::TemplateType | Kind::TemplateFunction | Kind::TemplateMethod => {
                let kids = self.l.kids(node);
                kids.field(f.name).map(|n| self.dotted(n)).unwrap_or_default()
            }
            _ => self.l.text_of(node).split_whitespace().collect(),
        }
    }
}

#[cfg(test)]
mod tests;
