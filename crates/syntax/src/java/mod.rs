//! Java.

mod decls;
mod exprs;
mod kinds;
mod stmts;

use std::sync::LazyLock;

use tree_sitter::Node as Ts;
use yarrowgraph_ir::traits::{MethodValue, Traits};
use yarrowgraph_ir::{Language, NodeId, TypeRef, TypeRefId, Unit, pack::Pack};

use crate::driver::{self, Lower, Nodes};
use crate::parse::{self, Grammar, Unread};
use kinds::{Kind, Table};

/// What the language promises.
pub(crate) static TRAITS: Traits = Traits {
    method_value: MethodValue::Fresh,
    member_constants: false,
    empty_call_crashes: true,
    safe_call: None,
    combines_callables: false,
    bare_members: true,
    file_modules: false,
    callables_are_snapshots: false,
    inner_types_capture: true,
    public_by_default: false,
    duck_typed: false,
    fits_by_shape: false,
    open_names: false,
    fields_called: false,
    references_dangle: false,
    constants_are_bare: false,
    enums_start_at_first: false,
    first_key_stays: false,
    missing_key_throws: false,
    types_are_called: false,
};

/// What platform and libraries offer.
pub(crate) static PACK: LazyLock<Pack> = LazyLock::new(|| crate::built_in(Language::Java));

static TABLE: LazyLock<Table> = LazyLock::new(|| Table::new(&Grammar::Java.language()));

/// Lowers one file.
pub(crate) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    let tree = parse::parse(Grammar::Java, text)?;
    let mut unit = Unit::new(Language::Java, path);
    driver::note_errors(&mut unit, &tree, text, &[]);
    let mut java = Java { l: Lower::new(unit, text, &tree, &TABLE.meaning), t: &TABLE };
    java.program(tree.root_node());
    while let Some((node, placeholder)) = java.l.next_late() {
        let lowered = java.node(node);
        java.l.finish_late(placeholder, lowered);
    }
    Ok(java.l.unit)
}

struct Java<'t> {
    l: Lower<'t>,
    t: &'static Table,
}

impl<'t> Java<'t> {
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

    fn ty(&mut self, node: Ts<'t>) -> TypeRefId {
        if let Some(id) = self.l.known_type(node) {
            return id;
        }
        let ty = match self.kind(node) {
            Kind::GenericType => {
                let kids = self.l.items(node);
                let mut named = kids.named();
                let base = named.next();
                let arguments = kids.named().find(self.t.is(Kind::TypeArguments));
                let args = match arguments {
                    Some(list) => {
                        let kids = self.l.items(list);
                        kids.named().map(|n| self.ty(n)).collect()
                    }
                    None => Box::default(),
                };
                let name = base.map_or("", |b| self.l.text_of(b));
                TypeRef::Named { name: self.l.intern(name), args }
            }
            Kind::ArrayType => {
                let kids = self.l.kids(node);
                match kids.field(self.t.fields.element) {
                    Some(element) => TypeRef::Array(self.ty(element)),
                    None => TypeRef::Other,
                }
            }
            Kind::AnnotatedType => {
                let kids = self.l.items(node);
                return match kids.last() {
                    Some(inner) => self.ty(inner),
                    None => self.l.type_ref(TypeRef::Other),
                };
            }
            Kind::Wildcard => {
                let kids = self.l.items(node);
                match kids.named().find(|n| !matches!(self.kind(*n), Kind::Annotation | Kind::MarkerAnnotation | Kind::Super)) {
                    Some(bound) => return self.ty(bound),
                    None => TypeRef::Other,
                }
            }
            Kind::CatchType => {
                let kids = self.l.items(node);
                TypeRef::Union(kids.named().map(|n| self.ty(n)).collect())
            }
            _ => match self.l.text_of(node) {
                "var" => TypeRef::Inferred,
                text => {
                    let plain: String = text.split_whitespace().collect();
                    TypeRef::Named { name: self.l.intern(&plain), args: Box::default() }
                }
            },
        };
        let id = self.l.type_ref(ty);
        self.l.remember_type(node, id)
    }
}

#[cfg(test)]
mod tests;
