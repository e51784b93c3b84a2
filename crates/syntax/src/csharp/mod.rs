//! C#.

mod decls;
mod exprs;
mod kinds;
mod patterns;
mod stmts;
mod ties;
mod top_level;

use std::sync::LazyLock;

use tree_sitter::Node as Ts;
use yarrowgraph_ir::traits::{MethodValue, Traits};
use yarrowgraph_ir::{Language, NodeId, TypeRef, TypeRefId, Unit, pack::Pack};

use crate::branches;
use crate::driver::{self, Lower, Nodes};
use crate::parse::{Grammar, Unread};
use kinds::{Kind, Table};
use ties::Ties;

/// What the language promises.
pub(crate) static TRAITS: Traits = Traits {
    method_value: MethodValue::ByValue,
    member_constants: false,
    empty_call_crashes: true,
    safe_call: Some("?.Invoke"),
    combines_callables: true,
    bare_members: true,
    file_modules: false,
    callables_are_snapshots: true,
    inner_types_capture: false,
    public_by_default: false,
    duck_typed: false,
    fits_by_shape: false,
    open_names: true,
    fields_called: true,
    references_dangle: false,
    constants_are_bare: false,
    enums_start_at_first: true,
    first_key_stays: false,
    missing_key_throws: true,
    types_are_called: false,
};

/// What platform and libraries offer.
pub(crate) static PACK: LazyLock<Pack> = LazyLock::new(|| crate::built_in(Language::CSharp));

static TABLE: LazyLock<Table> = LazyLock::new(|| Table::new(&Grammar::CSharp.language()));

/// Lowers one file.
pub(crate) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    // a directive begins a line, and nothing stands before it
    let unmarked = text.strip_prefix('\u{feff}').filter(|rest| rest.starts_with('#')).map(|rest| format!("   {rest}"));
    let (text, tree) = branches::parse(Grammar::CSharp, unmarked.as_deref().unwrap_or(text), 1)?;
    Ok(lower_tree(path, &text, &tree))
}

fn lower_tree(path: &str, text: &str, tree: &tree_sitter::Tree) -> Unit {
    let mut unit = Unit::new(Language::CSharp, path);
    unit.errors = driver::errors(tree);
    let mut csharp = CSharp { l: Lower::new(unit, text, tree, &TABLE.meaning), t: &TABLE, receivers: Vec::new(), ties: Ties::default() };
    csharp.compilation_unit(tree.root_node());
    while let Some((node, placeholder)) = csharp.l.next_late() {
        let lowered = csharp.node(node);
        csharp.l.finish_late(placeholder, lowered);
    }
    csharp.l.unit
}

struct CSharp<'t> {
    l: Lower<'t>,
    t: &'static Table,
    /// The objects of the enclosing conditional accesses, innermost last (`a?.b` has `a`).
    receivers: Vec<NodeId>,
    /// What is moved to where it belongs.
    ties: Ties<'t>,
}

impl<'t> CSharp<'t> {
    fn kind(&self, node: Ts<'t>) -> Kind {
        self.t.kind(node)
    }

    /// Lowers a statement or expression; nesting beyond a limit is put off.
    fn node(&mut self, node: Ts<'t>) -> NodeId {
        // inside a conditional access the object must be at hand, so it is never put off
        if !self.receivers.is_empty() && matches!(self.kind(node), Kind::MemberBinding | Kind::ElementBinding) {
            return self.expression(node);
        }
        if let Some(lowered) = self.retied(node) {
            return lowered;
        }
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

    /// The dotted text of a name without type arguments and `global::`.
    fn dotted(&mut self, node: Ts<'t>) -> String {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::QualifiedName => {
                let kids = self.l.kids(node);
                let left = kids.field(f.qualifier).map_or_else(String::new, |n| self.dotted(n));
                let right = kids.field(f.name).map_or_else(String::new, |n| self.dotted(n));
                if left.is_empty() { right } else { format!("{left}.{right}") }
            }
            Kind::GenericName => {
                let kids = self.l.items(node);
                kids.first().map_or_else(String::new, |n| self.l.text_of(n).to_owned())
            }
            Kind::AliasQualified => {
                let kids = self.l.kids(node);
                kids.field(f.name).map_or_else(String::new, |n| self.dotted(n))
            }
            _ => self.l.text_of(node).trim_start_matches('@').to_owned(),
        }
    }

    fn type_args(&mut self, node: Ts<'t>) -> Box<[TypeRefId]> {
        let kids = self.l.kids(node);
        let list = match self.kind(node) {
            Kind::GenericName => kids.named().find(self.t.is(Kind::TypeArguments)),
            Kind::QualifiedName | Kind::AliasQualified => {
                return kids.field(self.t.fields.name).map_or_else(Box::default, |n| self.type_args(n));
            }
            _ => None,
        };
        match list {
            Some(list) => {
                let args = self.l.items(list);
                args.named().map(|t| self.ty(t)).collect()
            }
            None => Box::default(),
        }
    }

    fn ty(&mut self, node: Ts<'t>) -> TypeRefId {
        if let Some(id) = self.l.known_type(node) {
            return id;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let inner = |csharp: &mut Self| kids.field(f.type_).or(kids.first()).map(|n| csharp.ty(n));
        let ty = match self.kind(node) {
            Kind::ArrayType => inner(self).map_or(TypeRef::Other, TypeRef::Array),
            Kind::NullableType => inner(self).map_or(TypeRef::Other, TypeRef::Nullable),
            Kind::PointerType | Kind::RefType | Kind::ScopedType => inner(self).map_or(TypeRef::Other, TypeRef::Indirect),
            Kind::TupleType => {
                let mut members = Vec::new();
                for element in kids.named() {
                    let parts = self.l.kids(element);
                    if let Some(ty) = parts.field(f.type_) {
                        let ty = self.ty(ty);
                        let name = match parts.field(f.name) {
                            Some(n) => self.l.name_of(n),
                            None => self.l.no_name(),
                        };
                        members.push((name, ty));
                    }
                }
                TypeRef::Object(members.into())
            }
            Kind::ImplicitType => TypeRef::Inferred,
            Kind::FunctionPointer => TypeRef::Other,
            _ => {
                let dotted = self.dotted(node);
                let args = self.type_args(node);
                TypeRef::Named { name: self.l.intern(&dotted), args }
            }
        };
        let id = self.l.type_ref(ty);
        self.l.remember_type(node, id)
    }
}

#[cfg(test)]
mod tests;
