//! Modules that are values: `require`, `module.exports`, `exports.x`.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{AssignOp, Import, MemberKind, Name, Node, NodeId};

use crate::typescript::Script;
use crate::typescript::kinds::Kind;

/// What a module that is one value hands it out as.
pub(super) const WHOLE: &str = "=";

impl<'t> Script<'t> {
    /// The module that `require('./x')` asks for, and the member that is taken from it.
    fn required(&mut self, node: Ts<'t>) -> Option<(&'t str, Option<&'t str>)> {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        match self.kind(node) {
            Kind::Member => {
                let (from, None) = self.required(kids.field(f.object)?)? else { return None };
                Some((from, Some(self.l.text_of(kids.field(f.property)?))))
            }
            Kind::Call => {
                let (function, arguments) = (kids.field(f.function)?, kids.field(f.arguments)?);
                if self.l.text_of(function) != "require" {
                    return None;
                }
                let args = self.l.items(arguments);
                let first = args.first().filter(self.t.is(Kind::String))?;
                Some((self.unquoted(first), None))
            }
            _ => None,
        }
    }

    /// `const X = require('./x')`, also taken apart: the names are imports.
    pub(in crate::typescript) fn require_into(&mut self, name: Ts<'t>, value: Ts<'t>) -> bool {
        if !self.is_loose() {
            return false;
        }
        let f = &self.t.fields;
        let (from, member) = match self.required(value) {
            Some((from, member)) => (self.l.intern(from), member),
            None => match self.taken_from_module(value) {
                Some((from, member)) => (from, Some(member)),
                None => return false,
            },
        };
        match self.kind(name) {
            Kind::Identifier => {
                let alias = self.l.name_of(name);
                let wanted = member.map(|m| self.l.intern(m));
                self.add_import(from, wanted, alias);
                true
            }
            Kind::ObjectPattern if member.is_none() => {
                let kids = self.l.items(name);
                for part in kids.named() {
                    let parts = self.l.kids(part);
                    let (wanted, alias) = match self.kind(part) {
                        Kind::ShorthandPattern => (part, part),
                        Kind::PairPattern => match (parts.field(f.key), parts.field(f.value)) {
                            (Some(key), Some(value)) if self.kind(value) == Kind::Identifier => (key, value),
                            _ => continue,
                        },
                        _ => continue,
                    };
                    let (wanted, alias) = (self.l.name_of(wanted), self.l.name_of(alias));
                    self.add_import(from, Some(wanted), alias);
                }
                true
            }
            _ => false,
        }
    }

    /// `gauges.Gauge`, where `gauges` is a module.
    fn taken_from_module(&mut self, node: Ts<'t>) -> Option<(Name, &'t str)> {
        let f = &self.t.fields;
        if self.kind(node) != Kind::Member {
            return None;
        }
        let kids = self.l.kids(node);
        let (object, property) = (kids.field(f.object)?, kids.field(f.property)?);
        if self.kind(object) != Kind::Identifier {
            return None;
        }
        let module = self.l.name_of(object);
        let is_it = |i: &&Import| i.name.is_none() && i.alias == Some(module);
        let from = self.l.unit.imports.iter().find(is_it)?.from;
        Some((from, self.l.text_of(property)))
    }

    fn add_import(&mut self, from: Name, name: Option<Name>, alias: Name) {
        self.l.unit.imports.push(Import { from, name, alias: Some(alias), is_static: false, reexport: false, types_only: false });
    }

    /// `require('./x')` in the middle of an expression: a name of its own.
    pub(in crate::typescript) fn require_in_place(&mut self, node: Ts<'t>) -> Option<NodeId> {
        if !self.is_loose() {
            return None;
        }
        let (from, None) = self.required(node)? else { return None };
        let from = self.l.intern(from);
        let alias = self.l.name_of(node);
        self.add_import(from, None, alias);
        Some(self.l.push(Node::Name(alias), node))
    }

    /// What a target of an assignment hands out: all of the module, or one name.
    fn handed_out(&self, target: Ts<'t>) -> Option<Option<&'t str>> {
        let text = self.l.text_of(target);
        if text == "module.exports" || text == "exports" {
            return Some(None);
        }
        let name = text.strip_prefix("module.exports.").or(text.strip_prefix("exports."))?;
        (!name.contains(['.', '[', '('])).then_some(Some(name))
    }

    /// An assignment at the level of the module that hands something out.
    pub(in crate::typescript) fn export_assignment(&mut self, node: Ts<'t>, items: &mut Vec<NodeId>) -> bool {
        if !self.is_loose() || self.kind(node) != Kind::Assign {
            return false;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (Some(left), Some(right)) = (kids.field(f.left), kids.field(f.right)) else { return false };
        let Some(name) = self.handed_out(left) else { return false };
        self.hand_out(name, left, right, items);
        true
    }

    /// Hands a value out; `exports = module.exports = X` and `exports.a = exports.b = f` do it twice.
    pub(super) fn hand_out(&mut self, name: Option<&'t str>, at: Ts<'t>, value: Ts<'t>, items: &mut Vec<NodeId>) {
        let f = &self.t.fields;
        let outer_name = name.unwrap_or(WHOLE);
        let outer = self.l.intern(outer_name);
        match self.kind(value) {
            Kind::Assign => {
                let kids = self.l.kids(value);
                let (Some(left), Some(right)) = (kids.field(f.left), kids.field(f.right)) else { return };
                match self.handed_out(left) {
                    Some(inner) => {
                        self.hand_out(inner, left, right, items);
                        if inner != name
                            && let Some(inner) = inner
                        {
                            let own = self.l.intern(inner);
                            self.l.unit.exports.push((own, outer));
                        }
                    }
                    None => items.push(self.node(value)),
                }
            }
            Kind::Identifier => {
                let own = self.l.name_of(value);
                self.l.unit.exports.push((own, outer));
            }
            Kind::Object if name.is_none() => self.hand_out_entries(value, items),
            Kind::Class => {
                let id = self.class(value, true);
                let own = self.l.unit.ty(id).name;
                let own = if self.l.unit.text(own).is_empty() { self.name_class(id, name, at) } else { own };
                self.l.unit.exports.push((own, outer));
            }
            _ => {
                if let Some((from, member)) = self.required(value) {
                    let from = self.l.intern(from);
                    let wanted = member.map(|m| self.l.intern(m));
                    let import = Import { from, name: wanted, alias: Some(outer), is_static: false, reexport: true, types_only: false };
                    self.l.unit.imports.push(import);
                    return;
                }
                let own_text = name.unwrap_or("exports");
                let mut own = self.l.intern(own_text);
                // what is handed out under the name of a variable of the module is not that variable
                if self.l.unit.members.iter().any(|m| m.owner.is_none() && m.name == own) {
                    own = self.l.intern(&format!("exports.{own_text}"));
                }
                self.module_value(own, at, value, items);
                self.l.unit.exports.push((own, outer));
            }
        }
    }

    fn name_class(&mut self, id: yarrowgraph_ir::TypeDeclId, name: Option<&str>, at: Ts<'t>) -> Name {
        let stem = self.l.unit.path.rsplit('/').next().and_then(|f| f.split('.').next()).unwrap_or("exports").to_owned();
        let own = self.l.intern(name.unwrap_or(&stem));
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.name = own;
        decl.name_span = crate::driver::span(at);
        decl.anonymous = false;
        own
    }

    /// A function, class or variable of the module from a value.
    fn module_value(&mut self, name: Name, name_at: Ts<'t>, value: Ts<'t>, items: &mut Vec<NodeId>) {
        let text = self.l.unit.text(name).to_owned();
        match self.kind(value) {
            Kind::FunctionExpr if self.is_constructor(&text, value) => drop(self.constructor_class(value, name, name_at, true)),
            Kind::FunctionExpr | Kind::Arrow | Kind::Generator => self.function_value(value, name, name_at),
            _ if self.extended_class(value, name, name_at, true).is_some() => {}
            _ => {
                let mut field = self.l.member(MemberKind::Field, name, name_at, value);
                field.modifiers = self.module_modifiers(true);
                self.l.add_member(field);
                let target = self.l.push(Node::Name(name), name_at);
                let value_id = self.node(value);
                items.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value: value_id }, value));
            }
        }
    }

    /// `module.exports = { Gate, open: openGate, close() … }`
    fn hand_out_entries(&mut self, object: Ts<'t>, items: &mut Vec<NodeId>) {
        let f = &self.t.fields;
        let entries = self.l.items(object);
        for entry in entries.named() {
            let parts = self.l.kids(entry);
            match self.kind(entry) {
                Kind::ShorthandProperty => {
                    let name = self.l.name_of(entry);
                    self.l.unit.exports.push((name, name));
                }
                Kind::Pair => {
                    let (Some(key), Some(value)) = (parts.field(f.key), parts.field(f.value)) else { continue };
                    let outer = self.property_name(key);
                    if self.kind(value) == Kind::Identifier {
                        let own = self.l.name_of(value);
                        self.l.unit.exports.push((own, outer));
                    } else if let Some((from, member)) = self.required(value) {
                        let from = self.l.intern(from);
                        let name = member.map(|m| self.l.intern(m));
                        self.l.unit.imports.push(Import {
                            from,
                            name,
                            alias: Some(outer),
                            is_static: false,
                            reexport: true,
                            types_only: false,
                        });
                    } else {
                        self.module_value(outer, key, value, items);
                    }
                }
                Kind::MethodDef => {
                    let Some(name_at) = parts.field(f.name) else { continue };
                    let name = self.property_name(name_at);
                    self.function_value(entry, name, name_at);
                }
                Kind::Spread => {
                    let inner = self.l.items(entry);
                    if let Some((from, None)) = inner.first().and_then(|n| self.required(n)) {
                        let from = self.l.intern(from);
                        let name = Some(self.l.intern("*"));
                        self.l.unit.imports.push(Import { from, name, alias: None, is_static: false, reexport: true, types_only: false });
                    }
                }
                _ => {}
            }
        }
    }
}
