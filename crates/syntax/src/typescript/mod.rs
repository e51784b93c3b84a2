//! TypeScript, with and without markup.

mod classes;
mod closures;
mod decls;
mod exprs;
mod forwarded;
mod imported;
pub(crate) mod javascript;
mod kinds;
mod shared;
mod stmts;

use std::borrow::Cow;
use std::sync::LazyLock;

use tree_sitter::Node as Ts;
use yarrowgraph_ir::traits::{MethodValue, Traits};
use yarrowgraph_ir::{Language, NodeId, TypeRef, TypeRefId, Unit, pack::Pack};

use crate::driver::{self, Lower, Nodes};
use crate::parse::{self, Grammar, Unread};
use javascript::Loose;
use kinds::{Kind, Table};

/// What the language promises.
pub(crate) static TRAITS: Traits = Traits {
    method_value: MethodValue::Same,
    member_constants: false,
    empty_call_crashes: true,
    safe_call: Some("?."),
    combines_callables: false,
    bare_members: false,
    file_modules: true,
    callables_are_snapshots: false,
    inner_types_capture: false,
    public_by_default: true,
    duck_typed: false,
    fits_by_shape: true,
    open_names: false,
    fields_called: true,
    references_dangle: false,
    constants_are_bare: false,
    enums_start_at_first: false,
    first_key_stays: false,
    missing_key_throws: false,
    types_are_called: false,
};

/// What platform and libraries offer.
pub(crate) static PACK: LazyLock<Pack> = LazyLock::new(|| crate::built_in(Language::TypeScript));

static PLAIN: LazyLock<Table> = LazyLock::new(|| Table::new(&Grammar::TypeScript.language()));
static MARKUP: LazyLock<Table> = LazyLock::new(|| Table::new(&Grammar::Tsx.language()));

/// Lowers one file.
pub(crate) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    let grammar = if path.ends_with(".tsx") { Grammar::Tsx } else { Grammar::TypeScript };
    lower_with(Language::TypeScript, grammar, path, text)
}

fn lower_with(language: Language, grammar: Grammar, path: &str, text: &str) -> Result<Unit, Unread> {
    let text = &*if language == Language::TypeScript { imported::plain(text) } else { Cow::Borrowed(text) };
    let tree = parse::parse(grammar, text)?;
    let mut unit = Unit::new(language, path);
    driver::note_errors(&mut unit, &tree, text, &[]);
    let table = if grammar == Grammar::Tsx { &MARKUP } else { &PLAIN };
    let ambient = [".d.ts", ".d.mts", ".d.cts"].iter().any(|e| path.ends_with(e));
    let mut script = Script { l: Lower::new(unit, text, &tree, &table.meaning), t: table, ambient, loose: Loose::default(), shared: None };
    script.program(tree.root_node());
    while let Some((node, placeholder)) = script.l.next_late() {
        let lowered = script.node(node);
        script.l.finish_late(placeholder, lowered);
    }
    Ok(script.l.unit)
}

struct Script<'t> {
    l: Lower<'t>,
    t: &'static Table,
    /// Whether declarations here only describe what is defined elsewhere.
    ambient: bool,
    loose: Loose<'t>,
    /// What the code of an object shares that is a closure.
    shared: Option<shared::Shared<'t>>,
}

impl<'t> Script<'t> {
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

    /// The text of a string literal without its quotes.
    fn unquoted(&self, node: Ts<'t>) -> &'t str {
        let text = self.l.text_of(node);
        text.get(1..text.len().max(2) - 1).unwrap_or("")
    }

    fn ty(&mut self, node: Ts<'t>) -> TypeRefId {
        // of texts that a type admits it is kept where they are written
        if !self.l.text_of(node).contains(['\'', '"'])
            && let Some(id) = self.l.known_type(node)
        {
            return id;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let ty = match self.kind(node) {
            Kind::TypeAnnotation | Kind::ParensType | Kind::ReadonlyType | Kind::OptingAnnotation => {
                return match kids.last() {
                    Some(inner) => {
                        let id = match (self.kind(node), self.ty(inner)) {
                            (Kind::ReadonlyType, id) => match *self.l.unit.type_ref(id) {
                                TypeRef::Array(of) => {
                                    let name = self.l.intern("ReadonlyArray");
                                    self.l.type_ref(TypeRef::Named { name, args: Box::new([of]) })
                                }
                                _ => id,
                            },
                            (_, id) => id,
                        };
                        self.l.remember_type(node, id)
                    }
                    None => self.l.type_ref(TypeRef::Other),
                };
            }
            Kind::TypeIdentifier | Kind::Identifier | Kind::NestedType | Kind::NestedIdentifier | Kind::PredefinedType | Kind::Member => {
                let plain: String = self.l.text_of(node).split_whitespace().collect();
                TypeRef::Named { name: self.l.intern(&plain), args: Box::default() }
            }
            Kind::GenericType => {
                let name = kids.field(f.name).map_or_else(String::new, |n| self.l.text_of(n).split_whitespace().collect());
                let args: Box<[TypeRefId]> = match kids.field(f.type_arguments) {
                    Some(list) => {
                        let list = self.l.kids(list);
                        list.named().map(|t| self.ty(t)).collect()
                    }
                    None => Box::default(),
                };
                // the same members, which may be missing or may not
                if let ("Partial" | "Required" | "NonNullable", [only]) = (name.as_str(), &args[..]) {
                    return self.l.remember_type(node, *only);
                }
                TypeRef::Named { name: self.l.intern(&name), args }
            }
            Kind::ArrayType => kids.first().map_or(TypeRef::Other, |n| TypeRef::Array(self.ty(n))),
            Kind::TupleType => TypeRef::Tuple(kids.named().map(|n| self.ty(n)).collect()),
            Kind::UnionType | Kind::Intersection => self.union(node),
            Kind::FunctionType => {
                let params = kids.field(f.parameters).map_or_else(Vec::new, |p| self.type_params_of(p));
                let result = match kids.field(f.return_type) {
                    Some(t) => self.ty(t),
                    None => self.l.type_ref(TypeRef::Other),
                };
                TypeRef::Function { params: params.into(), result }
            }
            // what is held under any name is a map
            Kind::ObjectType if kids.named().all(|m| self.kind(m) == Kind::IndexSignature) && kids.named().count() == 1 => {
                let held = kids.first().and_then(|m| self.l.kids(m).field(f.type_)).map(|t| self.ty(t));
                let other = self.l.type_ref(TypeRef::Other);
                TypeRef::Named { name: self.l.intern("Record"), args: Box::new([other, held.unwrap_or(other)]) }
            }
            Kind::ObjectType => {
                let mut members = Vec::new();
                for member in kids.named() {
                    let parts = self.l.kids(member);
                    let Some(name_node) = parts.field(f.name) else {
                        continue;
                    };
                    let name = self.l.name_of(name_node);
                    let ty = match (self.kind(member), parts.field(f.type_)) {
                        (Kind::MethodSignature, _) => {
                            let result = self.l.type_ref(TypeRef::Other);
                            self.l.type_ref(TypeRef::Function { params: Box::default(), result })
                        }
                        (_, Some(t)) => self.ty(t),
                        (_, None) => continue,
                    };
                    members.push((name, ty));
                }
                TypeRef::Object(members.into())
            }
            Kind::LiteralType => {
                let text = self.l.text_of(node);
                match text {
                    "null" | "undefined" => TypeRef::Literal(self.l.intern(text)),
                    _ => {
                        let name = self.l.intern(text.trim_matches(['\'', '"']));
                        let span = crate::driver::span(node);
                        self.l.unit.literals.push((name, span));
                        TypeRef::Literal(name)
                    }
                }
            }
            Kind::ThisType | Kind::This => TypeRef::This,
            Kind::TypeQuery => match kids.first() {
                Some(inner) => {
                    let plain: String = self.l.text_of(inner).split_whitespace().collect();
                    TypeRef::Named { name: self.l.intern(&format!("typeof {plain}")), args: Box::default() }
                }
                None => TypeRef::Other,
            },
            _ => TypeRef::Other,
        };
        let id = self.l.type_ref(ty);
        self.l.remember_type(node, id)
    }

    /// The types of a union; a union with `null` or `undefined` is the rest, or nothing.
    fn union(&mut self, node: Ts<'t>) -> TypeRef {
        let mut members = Vec::new();
        let mut nullable = false;
        // unions nest to the left, as deep as they have members
        let mut stack = vec![node];
        while let Some(node) = stack.pop() {
            if matches!(self.kind(node), Kind::UnionType | Kind::Intersection) {
                let kids = self.l.items(node);
                let mut inner: Vec<_> = kids.named().collect();
                inner.reverse();
                stack.extend(inner);
                continue;
            }
            match self.l.text_of(node) {
                "null" | "undefined" | "void" => nullable = true,
                _ => members.push(self.ty(node)),
            }
        }
        let inner = match members[..] {
            [one] => one,
            _ => self.l.type_ref(TypeRef::Union(members.into())),
        };
        if nullable {
            return TypeRef::Nullable(inner);
        }
        self.l.unit.type_ref(inner).clone()
    }

    fn type_params_of(&mut self, params: Ts<'t>) -> Vec<TypeRefId> {
        let kids = self.l.kids(params);
        let mut types = Vec::new();
        for param in kids.named() {
            let parts = self.l.kids(param);
            types.push(match parts.field(self.t.fields.type_) {
                Some(t) => self.ty(t),
                None => self.l.type_ref(TypeRef::Other),
            });
        }
        types
    }
}

#[cfg(test)]
mod tests;
