//! Classes that are written as functions: `function F() {}` and `F.prototype.m = …`.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AccessorKind, Base, BaseKind, List, MemberId, MemberKind, Modifiers, Name, Node, NodeId, TypeDeclId, TypeKind, TypeRef, Visibility,
};

use crate::driver::Context;
use crate::typescript::Script;
use crate::typescript::classes::method_kind;
use crate::typescript::kinds::Kind;

/// Calls that copy the members of objects into their first argument.
const COPIES: [&str; 6] = ["Object.assign", "_.extend", "$.extend", "jQuery.extend", "extend", "_.assign"];
/// Calls that make their first argument an heir of the second.
const INHERITS: [&str; 6] = ["inherits", "util.inherits", "goog.inherits", "inherit", "Object.setPrototypeOf", "__extends"];

impl<'t> Script<'t> {
    /// Finds the functions of a file that are classes.
    pub(in crate::typescript) fn find_constructors(&mut self) {
        let text = self.l.text;
        for (at, _) in text.match_indices(".prototype") {
            let before = &text[..at];
            let start = before.rfind(|c: char| !(c.is_alphanumeric() || c == '_' || c == '$')).map_or(0, |i| i + 1);
            self.note_constructor(&before[start..]);
        }
        for call in INHERITS {
            for (at, _) in text.match_indices(call) {
                let rest = text[at + call.len()..].strip_prefix('(').unwrap_or("");
                let end = rest.find(|c: char| !(c.is_alphanumeric() || c == '_' || c == '$')).unwrap_or(0);
                self.note_constructor(&rest[..end]);
            }
        }
    }

    fn note_constructor(&mut self, name: &'t str) {
        if !name.is_empty() && !self.loose.constructors.contains(&name) {
            self.loose.constructors.push(name);
        }
    }

    /// Whether a function of a name is a class: it has a prototype, or it is called like one and
    /// gives its instance members.
    pub(in crate::typescript) fn is_constructor(&mut self, name: &str, function: Ts<'t>) -> bool {
        if !self.is_loose() || !matches!(self.kind(function), Kind::FunctionDecl | Kind::FunctionExpr) {
            return false;
        }
        let text = self.l.text_of(function);
        let gives_members = || text.contains("this.") || text.contains("= this");
        self.loose.constructors.contains(&name) || (name.starts_with(|c: char| c.is_uppercase()) && gives_members())
    }

    /// A class from its constructor function.
    pub(in crate::typescript) fn constructor_class(&mut self, function: Ts<'t>, name: Name, name_at: Ts<'t>, exported: bool) -> TypeDeclId {
        let shared = self.shared.take();
        let id = self.open_type(function, name_at, name, TypeKind::Class, exported);
        let own = self.l.text_of(name_at);
        for (_, base) in self.loose.awaited.extract_if(.., |(class, _)| *class == own).collect::<Vec<_>>() {
            self.add_base(id, &base);
        }
        let outer = self.enter_class(id);
        let no_name = self.l.no_name();
        let kept = self.share_constructor(function, id).unwrap_or_default();
        let member = self.prototype_member(function, MemberKind::Constructor, no_name, name_at, false);
        self.shared = None;
        self.keep_first(member, &kept, function);
        self.leave_class(id, outer, function);
        self.shared = shared;
        id
    }

    /// Puts what a constructor keeps of what it is given before what else it does.
    fn keep_first(&mut self, constructor: MemberId, kept: &[Ts<'t>], function: Ts<'t>) {
        if kept.is_empty() {
            return;
        }
        let Some(body) = self.l.unit.members[constructor.0 as usize].body.take() else { return };
        let outer = std::mem::replace(&mut self.l.body, *body);
        let mut items: Vec<NodeId> = kept.iter().map(|name| self.keep(*name)).collect();
        items.extend(self.l.body.root);
        let list = self.l.list(&items);
        let root = self.l.push(Node::Block(list), function);
        self.l.body.root = Some(root);
        self.l.unit.members[constructor.0 as usize].body = Some(Box::new(std::mem::replace(&mut self.l.body, outer)));
    }

    fn enter_class(&mut self, id: TypeDeclId) -> (Context, Option<TypeDeclId>) {
        let outer = (self.l.context, self.loose.instance);
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        outer
    }

    fn leave_class(&mut self, id: TypeDeclId, outer: (Context, Option<TypeDeclId>), at: Ts<'t>) {
        self.declare_assigned(id, at);
        (self.l.context, self.loose.instance) = outer;
    }

    /// A method of the class that is entered, from a function.
    fn prototype_member(&mut self, function: Ts<'t>, kind: MemberKind, name: Name, name_at: Ts<'t>, is_static: bool) -> MemberId {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let mut member = self.l.member(kind, name, name_at, function);
        let private = self.l.unit.text(name).starts_with('_');
        member.modifiers = Modifiers {
            visibility: if private { Visibility::Private } else { Visibility::Public },
            is_static,
            is_virtual: true,
            is_async: kids.has_token("async"),
            ..Modifiers::default()
        };
        member.ty = self.doc_result(function);
        let owner = member.owner;
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, function);
        let is_singleton = owner.is_some_and(|o| self.loose.singletons.contains(&o));
        let instance = std::mem::replace(&mut self.loose.instance, owner.filter(|_| !is_static || is_singleton));
        let mut params = match (kids.field(f.parameters), kids.field(f.parameter)) {
            (Some(list), _) => self.params(list).0,
            _ => Vec::new(),
        };
        self.doc_params(function, &mut params);
        self.l.unit.members[id.0 as usize].params = params;
        let body = kids.field(f.body);
        let returns_root = body.is_some_and(|b| self.kind(b) != Kind::StatementBlock);
        let root = body.map(|b| self.node(b));
        self.l.close_body(outer, root, returns_root);
        self.loose.instance = instance;
        id
    }

    /// A class of the file by name: the one that was declared last.
    fn class_named(&self, name: &str) -> Option<TypeDeclId> {
        let at = self.l.unit.types.iter().rposition(|t| t.kind == TypeKind::Class && self.l.unit.text(t.name) == name)?;
        Some(TypeDeclId(at as u32))
    }

    /// `F.prototype`: the class.
    fn prototype_of(&mut self, node: Ts<'t>) -> Option<TypeDeclId> {
        if self.kind(node) != Kind::Member {
            return None;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (object, property) = (kids.field(f.object)?, kids.field(f.property)?);
        if self.l.text_of(property) != "prototype" {
            return None;
        }
        let name = self.l.text_of(object);
        self.class_named(name.rsplit('.').next().unwrap_or(name))
    }

    /// An assignment that adds to a class: a method, all methods, a base, or a static member.
    pub(in crate::typescript) fn prototype_assignment(&mut self, node: Ts<'t>) -> Option<NodeId> {
        if !self.is_loose() {
            return None;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (left, right) = (kids.field(f.left)?, kids.field(f.right)?);
        if self.kind(left) != Kind::Member || self.loose.constructors.is_empty() && !self.is_written_out(right) {
            return None;
        }
        if let Some(class) = self.prototype_of(left) {
            match self.kind(right) {
                Kind::Object => self.members_from(class, right, node),
                Kind::Call | Kind::New | Kind::Member => self.add_base_from(class, right),
                _ => return None,
            }
            return Some(self.l.push(Node::Empty, node));
        }
        let parts = self.l.kids(left);
        let (object, property) = (parts.field(f.object)?, parts.field(f.property)?);
        let class = self.prototype_of(object);
        let name = self.l.text_of(property);
        if name == "__proto__" {
            self.add_base_from(class?, right);
            return Some(self.l.push(Node::Empty, node));
        }
        let is_function = matches!(self.kind(right), Kind::FunctionExpr | Kind::Arrow | Kind::Generator);
        let (class, is_static) = match class {
            Some(class) => (class, false),
            // `F.make = function …`
            None if is_function && self.kind(object) == Kind::Identifier => (self.class_named(self.l.text_of(object))?, true),
            // `F.OPEN = 'open'`
            None if self.is_written_out(right) && self.kind(object) == Kind::Identifier && self.runs_as_loaded() => {
                (self.class_named(self.l.text_of(object))?, true)
            }
            None => return None,
        };
        if name == "constructor" {
            return Some(self.l.push(Node::Empty, node));
        }
        let name = self.l.intern(name);
        let outer = self.enter_class(class);
        if is_function {
            self.prototype_member(right, MemberKind::Method, name, property, is_static);
        } else {
            self.prototype_value(right, name, property, is_static);
        }
        self.leave_class(class, outer, node);
        Some(self.l.push(Node::Empty, node))
    }

    /// Whether a value is a plain constant, or an object or list that is written out.
    fn is_written_out(&self, value: Ts<'t>) -> bool {
        matches!(self.kind(value), Kind::String | Kind::Number | Kind::Object | Kind::Array)
    }

    /// Whether the code around is run as the file is loaded.
    fn runs_as_loaded(&self) -> bool {
        self.l.context.within.is_none_or(|m| self.l.unit.member(m).kind == MemberKind::Initializer)
    }

    /// A value that all instances share, or that the class has.
    fn prototype_value(&mut self, value: Ts<'t>, name: Name, name_at: Ts<'t>, is_static: bool) {
        let mut field = self.l.member(MemberKind::Field, name, name_at, value);
        field.modifiers = Modifiers { visibility: Visibility::Public, is_static, ..Modifiers::default() };
        let id = self.l.add_member(field);
        let outer = self.l.open_body(id, value);
        let root = self.node(value);
        self.l.close_body(outer, Some(root), true);
    }

    /// `const desk = { bells: 0, ring() { this.bells++; } }`: an object with state of its own is a class
    /// of which there is nothing but what is static.
    fn singleton(&mut self, object: Ts<'t>, name: Name, name_at: Ts<'t>, exported: bool) -> bool {
        if !self.is_loose() || self.kind(object) != Kind::Object || !self.l.text_of(object).contains("this.") {
            return false;
        }
        let Some(parts) = self.parts_of_literal(object) else { return false };
        if !parts.state || parts.methods == 0 || self.is_prototype(name_at) {
            return false;
        }
        let class = self.open_type(object, name_at, name, TypeKind::Class, exported);
        self.loose.singletons.push(class);
        self.members_from(class, object, object);
        for member in self.l.unit.ty(class).members.clone() {
            self.l.unit.members[member.0 as usize].modifiers.is_static = true;
        }
        true
    }

    /// `const telling = { on(…) … }` that is copied into classes: a class of its own, whose heirs they are.
    fn mixin(&mut self, object: Ts<'t>, name: Name, name_at: Ts<'t>, exported: bool) -> bool {
        if !self.is_loose() || self.kind(object) != Kind::Object {
            return false;
        }
        let (text, own) = (self.l.text, self.l.text_of(name_at));
        let is_mixed_in = [format!(".extend({own}"), format!("includes: {own}"), format!(".prototype, {own}")];
        if !is_mixed_in.iter().any(|way| text.contains(way.as_str())) {
            return false;
        }
        let class = self.open_type(object, name_at, name, TypeKind::Class, exported);
        self.members_from(class, object, object);
        true
    }

    /// The members of a class from an object literal.
    fn members_from(&mut self, class: TypeDeclId, object: Ts<'t>, at: Ts<'t>) {
        let f = &self.t.fields;
        let outer = self.enter_class(class);
        let kids = self.l.kids(object);
        for item in kids.named() {
            let parts = self.l.kids(item);
            match self.kind(item) {
                Kind::MethodDef => {
                    let Some(name_at) = parts.field(f.name) else { continue };
                    let name = self.property_name(name_at);
                    self.prototype_member(item, method_kind(&parts), name, name_at, false);
                }
                Kind::Pair => {
                    let (Some(key), Some(value)) = (parts.field(f.key), parts.field(f.value)) else { continue };
                    let name = self.property_name(key);
                    if self.l.unit.text(name) == "constructor" {
                        continue;
                    }
                    if matches!(self.kind(value), Kind::FunctionExpr | Kind::Arrow | Kind::Generator) {
                        self.prototype_member(value, MemberKind::Method, name, key, false);
                    } else {
                        self.prototype_value(value, name, key, false);
                    }
                }
                _ => {}
            }
        }
        self.leave_class(class, outer, at);
    }

    /// `Object.create(Base.prototype)`, `new Base()`, `Base.prototype`: what the class extends.
    fn add_base_from(&mut self, class: TypeDeclId, value: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(value);
        let base = match self.kind(value) {
            Kind::New => kids.field(f.constructor),
            Kind::Call => kids.field(f.arguments).and_then(|a| self.l.items(a).first()),
            _ => Some(value),
        };
        if let Some(base) = base {
            let text: String = self.l.text_of(base).split_whitespace().collect();
            self.add_base(class, text.strip_suffix(".prototype").unwrap_or(&text));
        }
    }

    /// What a parameter stands for in a function that is called where it is written: `(function (_super) { … })(Base)`.
    fn handed_at_once(&mut self, name: Ts<'t>) -> Option<Ts<'t>> {
        let f = &self.t.fields;
        let function =
            std::iter::successors(name.parent(), |n| n.parent()).find(|n| matches!(self.kind(*n), Kind::FunctionExpr | Kind::Arrow))?;
        let parameters = self.l.kids(function).field(f.parameters)?;
        let params = self.l.items(parameters);
        let at = params.named().position(|p| self.l.text_of(p) == self.l.text_of(name))?;
        let call = std::iter::successors(function.parent(), |n| n.parent()).find(|n| self.kind(*n) != Kind::Parens)?;
        let kids = self.l.kids(call);
        let is_called = self.kind(call) == Kind::Call && kids.field(f.function).is_some_and(|c| c.end_byte() >= function.end_byte());
        self.l.items(kids.field(f.arguments).filter(|_| is_called)?).named().nth(at)
    }

    fn add_base(&mut self, class: TypeDeclId, name: &str) {
        if name.is_empty() || !name.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$' | '.')) {
            return;
        }
        let name = self.l.intern(name);
        let known = |b: &Base| matches!(self.l.unit.type_ref(b.ty), TypeRef::Named { name: known, .. } if *known == name);
        if self.l.unit.ty(class).bases.iter().any(known) {
            return;
        }
        let ty = self.l.type_ref(TypeRef::Named { name, args: Box::default() });
        let decl = &mut self.l.unit.types[class.0 as usize];
        let mut bases = std::mem::take(&mut decl.bases).into_vec();
        bases.push(Base { ty, kind: BaseKind::Extends });
        decl.bases = bases.into();
    }

    /// A call that gives a class a base or members: `inherits(F, Base)`, `Object.assign(F.prototype, mixin)`.
    pub(in crate::typescript) fn prototype_call(&mut self, node: Ts<'t>) -> Option<NodeId> {
        if !self.is_loose() {
            return None;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (function, arguments) = (kids.field(f.function)?, kids.field(f.arguments)?);
        let callee = self.l.text_of(function);
        if INHERITS.contains(&callee) || COPIES.contains(&callee) {
            let args = self.l.items(arguments);
            let first = args.first()?;
            let class = match self.prototype_of(first) {
                Some(class) => class,
                None if INHERITS.contains(&callee) => match self.class_named(self.l.text_of(first)) {
                    Some(class) => class,
                    None => {
                        let base = args.named().nth(1)?;
                        let base = self.handed_at_once(base).unwrap_or(base);
                        self.loose.awaited.push((self.l.text_of(first), self.l.text_of(base).to_owned()));
                        return None;
                    }
                },
                None => return None,
            };
            for arg in args.named().skip(1) {
                match self.kind(arg) {
                    Kind::Object => self.members_from(class, arg, node),
                    _ => {
                        let text: String = self.l.text_of(arg).split_whitespace().collect();
                        self.add_base(class, text.strip_suffix(".prototype").unwrap_or(&text));
                    }
                }
            }
            return Some(self.l.push(Node::Empty, node));
        }
        if callee == "Object.defineProperty" {
            return self.defined_property(node, arguments);
        }
        self.call_of_base(node, function, arguments)
    }

    /// `Object.defineProperty(F.prototype, 'level', { get: function () … })`
    fn defined_property(&mut self, node: Ts<'t>, arguments: Ts<'t>) -> Option<NodeId> {
        let f = &self.t.fields;
        let args = self.l.items(arguments);
        let [first, key, object] = args.named().collect::<Vec<_>>()[..] else { return None };
        let class = self.prototype_of(first)?;
        if self.kind(key) != Kind::String || self.kind(object) != Kind::Object {
            return None;
        }
        let name = self.property_name(key);
        let outer = self.enter_class(class);
        let entries = self.l.items(object);
        for entry in entries.named() {
            let parts = self.l.kids(entry);
            let (name_at, function) = match self.kind(entry) {
                Kind::Pair => (parts.field(f.key), parts.field(f.value)),
                Kind::MethodDef => (parts.field(f.name), Some(entry)),
                _ => continue,
            };
            let accessor = match name_at.map(|n| self.l.text_of(n)) {
                Some("get") => AccessorKind::Get,
                Some("set") => AccessorKind::Set,
                _ => continue,
            };
            if let Some(function) = function {
                self.prototype_member(function, MemberKind::Accessor(accessor), name, key, false);
            }
        }
        let property = self.l.member(MemberKind::Property, name, key, node);
        self.l.add_member(property);
        self.leave_class(class, outer, node);
        Some(self.l.push(Node::Empty, node))
    }

    /// `Base.call(this, a)` in a constructor, `Base.prototype.m.call(this, a)` anywhere in the class.
    fn call_of_base(&mut self, node: Ts<'t>, function: Ts<'t>, arguments: Ts<'t>) -> Option<NodeId> {
        let instance = self.loose.instance?;
        let callee = self.l.text_of(function);
        let of = callee.strip_suffix(".call").or(callee.strip_suffix(".apply"))?;
        let args = self.l.items(arguments);
        if args.first().map(|a| self.kind(a)) != Some(Kind::This) {
            return None;
        }
        let last = |text: &'t str| text.rsplit('.').next().unwrap_or(text);
        let is_base = |script: &Self, name: &str| {
            script.l.unit.ty(instance).bases.iter().any(|b| match script.l.unit.type_ref(b.ty) {
                TypeRef::Named { name: base, .. } => {
                    script.l.unit.text(*base) == name || name.ends_with(&format!(".{}", script.l.unit.text(*base)))
                }
                _ => false,
            })
        };
        let callee_node = match of.split_once(".prototype.") {
            Some((_, method)) if method.chars().all(|c| c.is_alphanumeric() || c == '_') => {
                let object = self.l.push(Node::Super, function);
                let name = self.l.intern(method);
                self.l.push(Node::Member { object, name, optional: false }, function)
            }
            None if last(of).starts_with(|c: char| c.is_uppercase()) => {
                if !is_base(self, of) {
                    self.add_base(instance, of);
                }
                self.l.push(Node::Super, function)
            }
            _ => return None,
        };
        let items = self.nodes(args.named().skip(1));
        let list = if callee.ends_with(".call") { self.l.list(&items) } else { List::default() };
        Some(self.l.push(Node::Call { callee: callee_node, args: list, type_args: None, optional: false }, node))
    }

    /// A variable whose value is a class: a constructor function, or what `extend` makes of an object.
    pub(in crate::typescript) fn class_value(&mut self, value: Ts<'t>, name: Name, name_at: Ts<'t>, exported: bool) -> bool {
        let text = self.l.text_of(name_at);
        if self.is_constructor(text, value) {
            self.constructor_class(value, name, name_at, exported);
            return true;
        }
        if self.mixin(value, name, name_at, exported) || self.singleton(value, name, name_at, exported) {
            return true;
        }
        self.extended_class(value, name, name_at, exported).is_some()
    }

    /// `const Panel = Base.extend({ open() … })`: a class of that name.
    pub(in crate::typescript) fn extended_class(
        &mut self,
        value: Ts<'t>,
        name: Name,
        name_at: Ts<'t>,
        exported: bool,
    ) -> Option<TypeDeclId> {
        if !self.is_loose() || self.kind(value) != Kind::Call {
            return None;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(value);
        let (function, arguments) = (kids.field(f.function)?, kids.field(f.arguments)?);
        let callee = self.l.text_of(function);
        let base = callee.strip_suffix(".extend")?;
        let simple = base.rsplit('.').next().unwrap_or(base);
        let args = self.l.items(arguments);
        let parts = || args.named().filter(|n| matches!(self.kind(*n), Kind::Object | Kind::Identifier));
        if !simple.starts_with(|c: char| c.is_uppercase()) || parts().next().is_none() {
            return None;
        }
        let parts: Vec<Ts<'t>> = parts().collect();
        let id = self.open_type(value, name_at, name, TypeKind::Class, exported);
        self.add_base(id, base);
        for part in parts {
            match self.kind(part) {
                Kind::Object => self.members_from(id, part, value),
                _ => {
                    let mixed_in = self.l.text_of(part);
                    self.add_base(id, mixed_in);
                }
            }
        }
        Some(id)
    }
}
