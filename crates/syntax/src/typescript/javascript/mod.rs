//! JavaScript, with and without markup: read like TypeScript, with the ways of writing that came
//! before modules and classes, and with fields that are only ever assigned.

mod bundles;
mod constructors;
mod doc_types;
mod modules;
mod variables;

use std::sync::LazyLock;

use rustc_hash::FxHashMap;
use tree_sitter::Node as Ts;
use yarrowgraph_ir::traits::Traits;
use yarrowgraph_ir::{Language, MemberKind, Modifiers, Name, Node, NodeId, Span, TypeDeclId, TypeRefId, Unit, Visibility, pack::Pack};

use super::Script;
use crate::parse::{Grammar, Unread};

/// What the language promises: what TypeScript does, without its types.
pub(crate) static TRAITS: Traits = Traits { duck_typed: true, ..super::TRAITS };

/// What platform and libraries offer.
pub(crate) static PACK: LazyLock<Pack> = LazyLock::new(|| crate::built_in(Language::JavaScript));

/// Lowers one file. The grammar with types and markup reads the language without types as well.
pub(crate) fn lower(path: &str, text: &str) -> Result<Unit, Unread> {
    super::lower_with(Language::JavaScript, Grammar::Tsx, path, text)
}

/// What only untyped code needs to know while it is lowered.
#[derive(Default)]
pub(super) struct Loose<'t> {
    /// Functions that are classes, as `F.prototype` says.
    constructors: Vec<&'t str>,
    /// Bases of classes that are declared further on, by their names.
    awaited: Vec<(&'t str, String)>,
    /// The instance that `this` means, if it is one.
    pub(super) instance: Option<TypeDeclId>,
    /// Classes that stand for one object.
    singletons: Vec<TypeDeclId>,
    /// Other names of `this`.
    aliases: Vec<(Name, TypeDeclId)>,
    /// What is assigned to instances, by class.
    assigned: FxHashMap<TypeDeclId, Vec<Assigned>>,
}

#[derive(Clone, Copy)]
struct Assigned {
    name: Name,
    span: Span,
    ty: Option<TypeRefId>,
}

impl<'t> Script<'t> {
    /// Whether fields come into being by assignment.
    pub(super) fn is_loose(&self) -> bool {
        self.l.unit.language == Language::JavaScript
    }

    /// Notes that something is assigned to a member of the instance.
    pub(super) fn note_assigned(&mut self, target: NodeId, at: Ts<'t>) {
        if !self.is_loose() {
            return;
        }
        let Node::Member { object, name, .. } = self.l.body.node(target) else { return };
        let instance = match self.l.body.node(object) {
            Node::This => self.loose.instance,
            Node::Name(name) => self.loose.aliases.iter().rfind(|(alias, _)| *alias == name).map(|(_, of)| *of),
            _ => None,
        };
        if let Some(instance) = instance {
            let ty = self.doc_type_of(at);
            let span = crate::driver::span(at);
            self.loose.assigned.entry(instance).or_default().push(Assigned { name, span, ty });
        }
    }

    /// Notes that a variable is another name of `this`.
    pub(super) fn note_alias(&mut self, name: Name, init: Option<NodeId>) {
        if let Some(instance) = self.loose.instance
            && init.is_some_and(|i| matches!(self.l.body.node(i), Node::This))
        {
            self.loose.aliases.push((name, instance));
        }
    }

    /// Declares the fields that a class has by assignment only.
    pub(super) fn declare_assigned(&mut self, class: TypeDeclId, at: Ts<'t>) {
        for assigned in self.loose.assigned.remove(&class).unwrap_or_default() {
            let named = |m: &yarrowgraph_ir::MemberId| self.l.unit.member(*m).name == assigned.name;
            if let Some(known) = self.l.unit.ty(class).members.iter().copied().find(|m| named(m)) {
                let known = &mut self.l.unit.members[known.0 as usize];
                known.ty = known.ty.or(assigned.ty.filter(|_| known.kind == MemberKind::Field));
                continue;
            }
            let mut field = self.l.member(MemberKind::Field, assigned.name, at, at);
            field.owner = Some(class);
            field.name_span = assigned.span;
            field.span = assigned.span;
            field.ty = assigned.ty;
            let private = self.l.unit.text(assigned.name).starts_with(['_', '#']);
            field.modifiers = Modifiers {
                visibility: if private { Visibility::Private } else { Visibility::Public },
                is_assigned: true,
                ..Modifiers::default()
            };
            self.l.add_member(field);
        }
    }
}

#[cfg(test)]
mod tests;
