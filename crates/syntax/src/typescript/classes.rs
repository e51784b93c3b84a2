//! Classes, their members, and parameters.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AccessorKind, Annotation, AssignOp, Base, BaseKind, Member, MemberId, MemberKind, Modifiers, Name, Node, NodeId, Param, ParamMode,
    Span, TypeDeclId, TypeKind, TypeRef, TypeRefId, Visibility,
};

use super::Script;
use super::kinds::Kind;
use crate::driver::{Kids, span};
use crate::markup::pages::mention_handlers;

/// A parameter that is a field as well.
pub(super) struct ParameterProperty {
    name: Name,
    name_span: Span,
    ty: Option<TypeRefId>,
    modifiers: Modifiers,
    annotations: Vec<Annotation>,
}

impl<'t> Script<'t> {
    pub(super) fn class(&mut self, node: Ts<'t>, exported: bool) -> TypeDeclId {
        // its `this` is another one
        let shared = self.shared.take();
        let id = self.class_of(node, exported);
        self.shared = shared;
        id
    }

    fn class_of(&mut self, node: Ts<'t>, exported: bool) -> TypeDeclId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        // what a mixin makes goes by the mixin's name
        let mixin = if kids.field(f.name).is_none() { self.mixin_around(node) } else { None };
        let name_node = kids.field(f.name).or(mixin.map(|(name, _)| name));
        let exported = exported || mixin.is_some_and(|(_, exported)| exported);
        let name = match name_node {
            Some(n) => self.l.name_of(n),
            None => self.l.no_name(),
        };
        let mut bases = Vec::new();
        if let Some(heritage) = kids.named().find(self.t.is(Kind::ClassHeritage)) {
            let clauses = self.l.items(heritage);
            for clause in clauses.named() {
                let parts = self.l.kids(clause);
                if self.kind(clause) == Kind::ExtendsClause {
                    bases.extend(self.superclass(&parts).map(|ty| Base { ty, kind: BaseKind::Extends }));
                    bases.extend(self.mixins(&parts).into_iter().map(|ty| Base { ty, kind: BaseKind::Implements }));
                } else {
                    bases.extend(parts.named().map(|t| Base { ty: self.ty(t), kind: BaseKind::Implements }));
                }
            }
        }
        let mut annotations = self.decorators(&kids);
        // those before `export` stand outside of the class
        if exported && let Some(export) = node.parent() {
            let around = self.l.kids(export);
            annotations.extend(self.decorators(&around));
        }
        let type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_parameters(n));
        let id = self.open_type(node, name_node.unwrap_or(node), name, TypeKind::Class, exported);
        let is_abstract = self.kind(node) == Kind::AbstractClass;
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.bases = bases.into();
        decl.type_params = type_params;
        decl.annotations = annotations;
        decl.modifiers.is_abstract = is_abstract;
        decl.anonymous = name_node.is_none();
        // who extends it names it from elsewhere
        if mixin.is_some() && decl.parent.is_none() {
            decl.within = None;
        }
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        if let Some(body) = kids.field(f.body) {
            let list = self.l.items(body);
            // decorators of methods stand before them
            let mut pending = Vec::new();
            for member in list.named() {
                if self.kind(member) == Kind::Decorator {
                    pending.extend(self.decorator(member));
                    continue;
                }
                let decorators = std::mem::take(&mut pending);
                self.class_member(member, decorators);
            }
        }
        self.declare_assigned(id, node);
        self.l.context = outer;
        id
    }

    /// The name of the function around a class without a name that is all that it gives, and whether it is exported:
    /// `export const gated = (Base) => class extends Base { … }`.
    fn mixin_around(&self, class: Ts<'t>) -> Option<(Ts<'t>, bool)> {
        let mut around = class.parent()?;
        if self.kind(around) == Kind::Return {
            around = around.parent().filter(|b| self.kind(*b) == Kind::StatementBlock)?.parent()?;
        }
        let declared = match self.kind(around) {
            Kind::FunctionDecl => around,
            Kind::Arrow | Kind::FunctionExpr => around.parent().filter(|d| self.kind(*d) == Kind::Declarator)?,
            // `const Gauge = class { … };`
            Kind::Declarator => around,
            _ => return None,
        };
        let name = declared.child_by_field_id(self.t.fields.name)?;
        let statement = if self.kind(declared) == Kind::Declarator { declared.parent()? } else { declared };
        Some((name, statement.parent().is_some_and(|p| self.kind(p) == Kind::ExportStatement)))
    }

    /// The names of the mixins that a class extends what they give: `extends gated(Chamber)`.
    fn mixins(&mut self, parts: &Kids<'t>) -> Vec<TypeRefId> {
        let f = &self.t.fields;
        let mut found = Vec::new();
        let mut value = parts.field(f.value);
        while let Some(call) = value.filter(|v| self.kind(*v) == Kind::Call) {
            let parts = self.l.kids(call);
            if let Some(function) = parts.field(f.function) {
                let plain: String = self.l.text_of(function).split_whitespace().collect();
                let name = self.l.intern(&plain);
                found.push(self.l.type_ref(TypeRef::Named { name, args: Box::default() }));
            }
            value = match parts.field(f.arguments) {
                Some(list) => self.l.items(list).last(),
                None => None,
            };
        }
        found
    }

    /// The class that is extended; for a mixin call the last class that is mentioned.
    fn superclass(&mut self, parts: &Kids<'t>) -> Option<TypeRefId> {
        let f = &self.t.fields;
        let mut value = parts.field(f.value)?;
        while self.kind(value) == Kind::Call {
            let call = self.l.kids(value);
            let args = self.l.items(call.field(f.arguments)?);
            value = args.last()?;
        }
        let plain: String = self.l.text_of(value).split_whitespace().collect();
        let name = self.l.intern(&plain);
        let args = match parts.field(f.type_arguments) {
            Some(list) => {
                let list = self.l.kids(list);
                list.named().map(|t| self.ty(t)).collect()
            }
            None => Box::default(),
        };
        Some(self.l.type_ref(TypeRef::Named { name, args }))
    }

    fn decorators(&mut self, kids: &Kids<'t>) -> Vec<Annotation> {
        let nodes: Vec<_> = kids.named().filter(self.t.is(Kind::Decorator)).collect();
        nodes.into_iter().filter_map(|n| self.decorator(n)).collect()
    }

    fn decorator(&mut self, node: Ts<'t>) -> Option<Annotation> {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let inner = kids.first()?;
        if self.kind(inner) != Kind::Call {
            return Some(self.l.annotation(inner, &[], node));
        }
        let call = self.l.kids(inner);
        let name = call.field(f.function)?;
        let mut args = Vec::new();
        if let Some(list) = call.field(f.arguments) {
            let list = self.l.kids(list);
            args.extend(list.named().map(|a| (None, a)));
        }
        for (_, arg) in &args {
            self.template_of(*arg);
        }
        Some(self.l.annotation(name, &args, node))
    }

    /// Notes what the template of a component names, where that is written out in its decorator.
    fn template_of(&mut self, arg: Ts<'t>) {
        let f = &self.t.fields;
        let pairs: Vec<_> = self.l.kids(arg).named().filter(self.t.is(Kind::Pair)).collect();
        for pair in pairs {
            let kids = self.l.kids(pair);
            let (Some(key), Some(value)) = (kids.field(f.key), kids.field(f.value)) else { continue };
            if self.l.text_of(key) == "template" && matches!(self.kind(value), Kind::String | Kind::Template) {
                let text = self.unquoted(value);
                mention_handlers(&mut self.l.unit, text);
            }
        }
    }

    fn member_modifiers(&mut self, kids: &Kids<'t>) -> Modifiers {
        let mut m = Modifiers { visibility: Visibility::Public, is_ambient: self.ambient, ..Modifiers::default() };
        for node in kids.all() {
            match self.kind(node) {
                Kind::Accessibility => match self.l.text_of(node) {
                    "private" => m.visibility = Visibility::Private,
                    "protected" => m.visibility = Visibility::Protected,
                    _ => {}
                },
                Kind::Override => m.is_override = true,
                Kind::PrivateProperty => m.visibility = Visibility::Private,
                _ if node.is_named() => {}
                _ => match node.kind() {
                    "static" => m.is_static = true,
                    "readonly" => m.is_readonly = true,
                    "abstract" => m.is_abstract = true,
                    "async" => m.is_async = true,
                    "?" => m.is_optional = true,
                    _ => {}
                },
            }
        }
        m
    }

    fn class_member(&mut self, node: Ts<'t>, mut annotations: Vec<Annotation>) {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::MethodDef => self.method(node, annotations),
            Kind::FieldDef => {
                let kids = self.l.kids(node);
                let Some(name_node) = kids.field(f.name) else {
                    return;
                };
                let name = self.property_name(name_node);
                let mut field = self.l.member(MemberKind::Field, name, name_node, node);
                field.modifiers = self.member_modifiers(&kids);
                field.ty = kids.field(f.type_).map(|t| self.ty(t)).or_else(|| self.doc_type_of(node));
                annotations.extend(self.decorators(&kids));
                field.annotations = annotations;
                let id = self.l.add_member(field);
                let instance = self.instance_of(id);
                if let Some(value) = kids.field(f.value) {
                    let outer = self.l.open_body(id, value);
                    let root = self.node(value);
                    self.l.close_body(outer, Some(root), true);
                }
                self.loose.instance = instance;
            }
            Kind::AbstractMethod | Kind::MethodSignature => self.signature(node),
            Kind::StaticBlock => {
                let kids = self.l.kids(node);
                let name = self.l.no_name();
                let mut member = self.l.member(MemberKind::Initializer, name, node, node);
                member.modifiers.is_static = true;
                let id = self.l.add_member(member);
                let outer = self.l.open_body(id, node);
                let root = kids.field(f.body).map(|b| self.node(b));
                self.l.close_body(outer, root, false);
            }
            _ => {}
        }
    }

    fn method(&mut self, node: Ts<'t>, annotations: Vec<Annotation>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let text = self.l.text_of(name_node);
        let kind = if text == "constructor" { MemberKind::Constructor } else { method_kind(&kids) };
        let name = if kind == MemberKind::Constructor { self.l.no_name() } else { self.property_name(name_node) };
        let mut member = self.l.member(kind, name, name_node, node);
        member.modifiers = self.member_modifiers(&kids);
        member.modifiers.is_virtual = true;
        member.annotations = annotations;
        member.ty = kids.field(f.return_type).map(|t| self.ty(t)).or_else(|| self.doc_result(node));
        member.type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_parameters(n));
        let prototype = Member { kind: MemberKind::Property, annotations: Vec::new(), ..member.clone() };
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, node);
        let (mut params, properties) = kids.field(f.parameters).map_or_else(|| (Vec::new(), Vec::new()), |p| self.params(p));
        self.doc_params(node, &mut params);
        params.extend(kids.field(f.parameters).and_then(|list| self.all_given(node, list)));
        let instance = self.instance_of(id);
        let accessor_type = prototype.ty.or(params.first().and_then(|p| p.ty));
        self.l.unit.members[id.0 as usize].params = params;
        let stores: Vec<NodeId> = properties.iter().map(|p| self.store(p.name, node)).collect();
        let body = kids.field(f.body).map(|b| self.node(b));
        let root = match (body, stores.is_empty()) {
            (Some(body), false) => Some(self.with_stores(body, stores, node)),
            (body, _) => body,
        };
        self.loose.instance = instance;
        self.l.close_body(outer, root, false);
        self.property_fields(properties, id);
        if matches!(kind, MemberKind::Accessor(_)) {
            self.accessor_property(prototype, accessor_type);
        }
    }

    /// Makes `this` the instance that a member belongs to; gives what it was.
    fn instance_of(&mut self, member: MemberId) -> Option<TypeDeclId> {
        let member = self.l.unit.member(member);
        let owner = member.owner.filter(|_| !member.modifiers.is_static);
        std::mem::replace(&mut self.loose.instance, owner)
    }

    /// The property that a getter or setter is part of, once for both.
    fn accessor_property(&mut self, mut prototype: Member, ty: Option<TypeRefId>) {
        let Some(owner) = prototype.owner else { return };
        let members = &self.l.unit.ty(owner).members;
        let known = |m: &&MemberId| {
            let m = self.l.unit.member(**m);
            m.kind == MemberKind::Property && m.name == prototype.name
        };
        if members.iter().find(known).is_none() {
            prototype.ty = ty;
            prototype.body = None;
            prototype.params = Vec::new();
            self.l.add_member(prototype);
        }
    }

    fn property_fields(&mut self, properties: Vec<ParameterProperty>, constructor: MemberId) {
        let span = self.l.unit.member(constructor).span;
        let prototype = self.l.unit.member(constructor).clone();
        for p in properties {
            let field = Member {
                kind: MemberKind::Field,
                name: p.name,
                name_span: p.name_span,
                span,
                params: Vec::new(),
                type_params: Box::default(),
                ty: p.ty,
                modifiers: p.modifiers,
                annotations: p.annotations,
                body: None,
                ..prototype.clone()
            };
            self.l.add_member(field);
        }
    }

    /// `this.x = x`
    fn store(&mut self, name: Name, at: Ts<'t>) -> NodeId {
        let this = self.l.push(Node::This, at);
        let target = self.l.push(Node::Member { object: this, name, optional: false }, at);
        let value = self.l.push(Node::Name(name), at);
        self.l.push(Node::Assign { op: AssignOp::Set, target, value }, at)
    }

    fn with_stores(&mut self, body: NodeId, mut stores: Vec<NodeId>, at: Ts<'t>) -> NodeId {
        stores.push(body);
        let list = self.l.list(&stores);
        self.l.push(Node::Block(list), at)
    }

    /// Parameters, and those of them that are fields as well.
    pub(super) fn params(&mut self, list: Ts<'t>) -> (Vec<Param>, Vec<ParameterProperty>) {
        let f = &self.t.fields;
        let kids = self.l.kids(list);
        let (mut params, mut properties) = (Vec::new(), Vec::new());
        for node in kids.named() {
            let parts = self.l.kids(node);
            let (pattern, optional) = match self.kind(node) {
                Kind::RequiredParam => (parts.field(f.pattern).or(parts.field(f.name)), false),
                Kind::OptionalParam => (parts.field(f.pattern).or(parts.field(f.name)), true),
                Kind::Identifier | Kind::ObjectPattern | Kind::ArrayPattern | Kind::RestPattern | Kind::AssignPattern => {
                    (Some(node), false)
                }
                _ => continue,
            };
            let Some(mut pattern) = pattern else { continue };
            if self.kind(pattern) == Kind::This {
                continue;
            }
            let mut mode = ParamMode::Value;
            if self.kind(pattern) == Kind::RestPattern {
                mode = ParamMode::Rest;
                let inner = self.l.items(pattern);
                pattern = inner.first().unwrap_or(pattern);
            }
            let ty = parts.field(f.type_).map(|t| self.ty(t));
            let default = parts.field(f.value).map(|d| self.node(d));
            let plain = self.kind(pattern) == Kind::Identifier;
            let (name, taken_apart) = if plain {
                (self.l.name_of(pattern), None)
            } else {
                let id = self.pattern(pattern, None);
                (self.l.no_name(), Some(id))
            };
            let annotations = self.decorators(&parts);
            let modifiers = self.member_modifiers(&parts);
            let has_access =
                parts.named().any(|n| matches!(self.kind(n), Kind::Accessibility | Kind::Override)) || parts.has_token("readonly");
            if has_access && plain {
                properties.push(ParameterProperty { name, name_span: span(pattern), ty, modifiers, annotations: annotations.clone() });
            }
            params.push(Param {
                name,
                name_span: span(pattern),
                ty,
                default,
                pattern: taken_apart,
                mode,
                optional: optional || default.is_some(),
                annotations,
            });
        }
        (params, properties)
    }
}

/// What a method definition is: one that reads or sets a property, or a plain method.
pub(super) fn method_kind(parts: &Kids<'_>) -> MemberKind {
    match (parts.has_token("get"), parts.has_token("set")) {
        (true, _) => MemberKind::Accessor(AccessorKind::Get),
        (_, true) => MemberKind::Accessor(AccessorKind::Set),
        _ => MemberKind::Method,
    }
}
