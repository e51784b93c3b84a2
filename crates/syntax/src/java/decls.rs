//! Types and members.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    Annotation, AssignOp, Base, BaseKind, Import, MemberId, MemberKind, Modifiers, Name, Node, NodeId, Param, ParamMode, TypeDecl,
    TypeDeclId, TypeKind, TypeParam, TypeRef, TypeRefId, Visibility,
};

use super::Java;
use super::kinds::Kind;
use crate::driver::{Kids, Nodes, span};

impl<'t> Java<'t> {
    pub(super) fn program(&mut self, root: Ts<'t>) {
        let kids = self.l.items(root);
        for node in kids.named() {
            match self.kind(node) {
                Kind::PackageDecl => {
                    let kids = self.l.items(node);
                    if let Some(name) = kids.last() {
                        let name = self.l.name_of(name);
                        self.l.unit.namespace = name;
                        self.l.context.namespace = name;
                    }
                }
                Kind::Import => self.import(node),
                _ => self.declaration(node),
            }
        }
    }

    fn import(&mut self, node: Ts<'t>) {
        let kids = self.l.kids(node);
        let Some(path) = kids.first() else { return };
        let all = kids.named().any(|n| self.kind(n) == Kind::Asterisk);
        let is_static = kids.has_token("static");
        let text = self.l.text_of(path);
        let (from, name) = match text.rsplit_once('.') {
            Some((from, name)) if !all => (from, name),
            _ => (text, "*"),
        };
        let (from, name) = (self.l.intern(from), self.l.intern(name));
        self.l.unit.imports.push(Import { from, name: Some(name), alias: None, is_static, reexport: false, types_only: false });
    }

    /// Lowers one declaration of a type body.
    fn declaration(&mut self, node: Ts<'t>) {
        match self.kind(node) {
            Kind::ClassDecl => drop(self.type_decl(node, TypeKind::Class)),
            Kind::InterfaceDecl => drop(self.type_decl(node, TypeKind::Interface)),
            Kind::EnumDecl => drop(self.type_decl(node, TypeKind::Enum)),
            Kind::RecordDecl => drop(self.type_decl(node, TypeKind::Record)),
            Kind::AnnotationDecl => drop(self.type_decl(node, TypeKind::Annotation)),
            Kind::FieldDecl | Kind::ConstantDecl => self.fields(node),
            Kind::MethodDecl => self.method(node, MemberKind::Method),
            Kind::ConstructorDecl | Kind::CompactConstructor => self.method(node, MemberKind::Constructor),
            Kind::StaticInit | Kind::Block => self.initializer(node),
            Kind::EnumBodyDecls => {
                let kids = self.l.items(node);
                kids.named().for_each(|n| self.declaration(n));
            }
            Kind::EnumConstant => self.enum_constant(node),
            _ if node.is_error() => {
                let kids = self.l.items(node);
                kids.named().for_each(|n| self.declaration(n));
            }
            _ => {}
        }
    }

    pub(super) fn type_decl(&mut self, node: Ts<'t>, kind: TypeKind) -> TypeDeclId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let name_node = kids.field(f.name).unwrap_or(node);
        let name = if name_node == node { self.l.no_name() } else { self.l.name_of(name_node) };
        let (mut modifiers, annotations) = self.modifiers(&kids);
        modifiers.is_static |= matches!(kind, TypeKind::Interface | TypeKind::Enum | TypeKind::Record | TypeKind::Annotation);
        let mut bases = Vec::new();
        for (child, field) in kids.with_fields() {
            if field == f.superclass {
                let kids = self.l.items(child);
                bases.extend(kids.first().map(|t| Base { ty: self.ty(t), kind: BaseKind::Extends }));
            } else if field == f.interfaces || self.kind(child) == Kind::Extends {
                let kids = self.l.kids(child);
                if let Some(list) = kids.first() {
                    let list = self.l.kids(list);
                    bases.extend(list.named().map(|t| Base { ty: self.ty(t), kind: BaseKind::Implements }));
                }
            }
        }
        let type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_params(n));
        let id = self.open_type(node, name_node, name, kind, modifiers);
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.bases = bases.into();
        decl.annotations = annotations;
        decl.type_params = type_params;
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        if kind == TypeKind::Record
            && let Some(params) = kids.field(f.parameters)
        {
            self.record_components(params, kids.field(f.body), name_node);
        }
        if let Some(body) = kids.field(f.body) {
            let kids = self.l.items(body);
            kids.named().for_each(|n| self.declaration(n));
        }
        self.l.context = outer;
        id
    }

    fn open_type(&mut self, node: Ts<'t>, name_at: Ts<'t>, name: Name, kind: TypeKind, modifiers: Modifiers) -> TypeDeclId {
        let context = self.l.context;
        let id = TypeDeclId(self.l.unit.types.len() as u32);
        self.l.unit.types.push(TypeDecl {
            kind,
            name,
            name_span: span(name_at),
            span: span(node),
            namespace: context.namespace,
            parent: context.owner,
            within: context.within,
            type_params: Box::default(),
            bases: Box::default(),
            aliased: None,
            modifiers,
            annotations: Vec::new(),
            members: Vec::new(),
            anonymous: false,
            outline: false,
        });
        id
    }

    /// The body of an anonymous class, or of an enum constant.
    pub(super) fn anonymous_class(&mut self, body: Ts<'t>, base: Option<TypeRefId>, at: Ts<'t>) -> TypeDeclId {
        let name = self.l.no_name();
        let id = self.open_type(body, at, name, TypeKind::Class, Modifiers::default());
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.anonymous = true;
        decl.bases = base.into_iter().map(|ty| Base { ty, kind: BaseKind::Either }).collect();
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        let kids = self.l.items(body);
        kids.named().for_each(|n| self.declaration(n));
        self.l.context = outer;
        id
    }

    /// The fields, accessors and constructor of a record's components (JLS 8.10.3); accessors that are written out are not made.
    fn record_components(&mut self, params: Ts<'t>, body: Option<Ts<'t>>, at: Ts<'t>) {
        let f = &self.t.fields;
        let mut written = Vec::new();
        if let Some(body) = body {
            let items = self.l.items(body);
            for item in items.named() {
                if self.kind(item) != Kind::MethodDecl {
                    continue;
                }
                let parts = self.l.kids(item);
                let takes_none = parts.field(f.parameters).is_none_or(|p| p.named_child_count() == 0);
                if let (true, Some(name)) = (takes_none, parts.field(f.name)) {
                    written.push(self.l.name_of(name));
                }
            }
        }
        let params = self.params(params);
        let fields: Vec<_> = params.iter().map(|p| (p.name, p.name_span, p.ty)).collect();
        for &(name, name_span, ty) in &fields {
            let mut field = self.l.member(MemberKind::Field, name, at, at);
            field.name_span = name_span;
            field.span = name_span;
            field.ty = ty;
            field.modifiers.is_readonly = true;
            self.l.add_member(field);
            if written.contains(&name) {
                continue;
            }
            let mut getter = self.l.member(MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get), name, at, at);
            getter.ty = ty;
            getter.modifiers.visibility = Visibility::Public;
            let id = self.l.add_member(getter);
            let outer = self.l.open_body(id, at);
            let this = self.l.push(Node::This, at);
            let value = self.l.push(Node::Member { object: this, name, optional: false }, at);
            self.l.close_body(outer, Some(value), true);
        }
        let empty = self.l.no_name();
        let mut constructor = self.l.member(MemberKind::Constructor, empty, at, at);
        constructor.modifiers.visibility = Visibility::Public;
        constructor.params = params;
        let id = self.l.add_member(constructor);
        let outer = self.l.open_body(id, at);
        let stores: Vec<_> = fields.iter().map(|&(name, ..)| self.store_param(name, at)).collect();
        let list = self.l.list(&stores);
        let root = self.l.push(Node::Block(list), at);
        self.l.close_body(outer, Some(root), false);
    }

    /// `this.x = x`
    fn store_param(&mut self, name: Name, at: Ts<'t>) -> NodeId {
        let this = self.l.push(Node::This, at);
        let target = self.l.push(Node::Member { object: this, name, optional: false }, at);
        let value = self.l.push(Node::Name(name), at);
        self.l.push(Node::Assign { op: AssignOp::Set, target, value }, at)
    }

    fn fields(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (mut modifiers, annotations) = self.modifiers(&kids);
        let in_interface = self.l.context.owner.is_some_and(|o| self.l.unit.ty(o).kind == TypeKind::Interface);
        if self.kind(node) == Kind::ConstantDecl || in_interface {
            modifiers.is_static = true;
            modifiers.is_readonly = true;
            modifiers.visibility = Visibility::Public;
        }
        let ty = kids.field(f.type_).map(|t| self.ty(t));
        for declarator in kids.fields(f.declarator) {
            let parts = self.l.kids(declarator);
            let Some(name_node) = parts.field(f.name) else {
                continue;
            };
            let name = self.l.name_of(name_node);
            let mut field = self.l.member(MemberKind::Field, name, name_node, declarator);
            field.ty = self.with_dimensions(ty, parts.field(f.dimensions));
            field.modifiers = modifiers;
            field.annotations.clone_from(&annotations);
            let id = self.l.add_member(field);
            if let Some(value) = parts.field(f.value) {
                self.value_body(id, value);
            }
        }
    }

    fn value_body(&mut self, id: MemberId, value: Ts<'t>) {
        let outer = self.l.open_body(id, value);
        let root = self.node(value);
        self.l.close_body(outer, Some(root), true);
    }

    fn with_dimensions(&mut self, ty: Option<TypeRefId>, dimensions: Option<Ts<'t>>) -> Option<TypeRefId> {
        match (ty, dimensions) {
            (Some(ty), Some(_)) => Some(self.l.type_ref(TypeRef::Array(ty))),
            _ => ty,
        }
    }

    fn method(&mut self, node: Ts<'t>, kind: MemberKind) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let name = if kind == MemberKind::Constructor { self.l.no_name() } else { self.l.name_of(name_node) };
        let mut member = self.l.member(kind, name, name_node, node);
        (member.modifiers, member.annotations) = self.modifiers(&kids);
        if member.kind == MemberKind::Method && self.l.text_of(name_node) == "finalize" {
            member.kind = MemberKind::Destructor;
        }
        let in_interface = self.l.context.owner.is_some_and(|o| self.l.unit.ty(o).kind == TypeKind::Interface);
        if in_interface {
            member.modifiers.visibility = Visibility::Public;
        }
        member.modifiers.is_abstract |= kids.field(f.body).is_none();
        member.modifiers.is_virtual = !member.modifiers.is_static && kind == MemberKind::Method;
        member.modifiers.is_override = member.annotations.iter().any(|a| self.l.unit.text(a.name) == "Override");
        member.type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_params(n));
        member.ty = kids.field(f.type_).map(|t| self.ty(t));
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, node);
        let params = kids.field(f.parameters).map_or_else(Vec::new, |p| self.params(p));
        self.l.unit.members[id.0 as usize].params = params;
        let root = kids.field(f.body).map(|b| self.node(b));
        self.l.close_body(outer, root, false);
    }

    fn initializer(&mut self, node: Ts<'t>) {
        let name = self.l.no_name();
        let mut member = self.l.member(MemberKind::Initializer, name, node, node);
        member.modifiers.is_static = self.kind(node) == Kind::StaticInit;
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, node);
        let kids = self.l.items(node);
        let root = match (self.kind(node), kids.first()) {
            (Kind::StaticInit, Some(block)) => self.node(block),
            _ => self.node(node),
        };
        self.l.close_body(outer, Some(root), false);
    }

    fn enum_constant(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let name = self.l.name_of(name_node);
        let mut member = self.l.member(MemberKind::EnumConstant, name, name_node, node);
        member.modifiers = Modifiers { is_static: true, is_readonly: true, visibility: Visibility::Public, ..Modifiers::default() };
        let owner = self.l.context.owner;
        let owner_name = owner.map(|o| self.l.unit.ty(o).name);
        let ty = owner_name.map(|n| self.l.named_type(n));
        member.ty = ty;
        let id = self.l.add_member(member);
        let Some(ty) = ty else { return };
        let outer = self.l.open_body(id, node);
        let args = match kids.field(f.arguments) {
            Some(list) => {
                let list = self.l.kids(list);
                self.nodes(list.named())
            }
            None => Nodes::new(),
        };
        let args = self.l.list(&args);
        let class = kids.field(f.body).map(|body| self.anonymous_class(body, Some(ty), name_node));
        let root = self.l.push(Node::New { ty, args, init: None, class }, node);
        self.l.close_body(outer, Some(root), true);
    }

    pub(super) fn params(&mut self, list: Ts<'t>) -> Vec<Param> {
        let f = &self.t.fields;
        let kids = self.l.kids(list);
        let mut params = Vec::new();
        for node in kids.named() {
            let (name_node, ty, mode, annotations) = match self.kind(node) {
                Kind::FormalParam | Kind::CatchParam => {
                    let parts = self.l.kids(node);
                    let ty = parts.field(f.type_).map(|t| self.ty(t));
                    let ty = self.with_dimensions(ty, parts.field(f.dimensions));
                    (parts.field(f.name), ty, ParamMode::Value, self.modifiers(&parts).1)
                }
                Kind::SpreadParam => {
                    let parts = self.l.items(node);
                    let mut of = parts.named().filter(|n| !matches!(self.kind(*n), Kind::Modifiers | Kind::Declarator));
                    let element = of.next().map(|t| self.ty(t));
                    let ty = element.map(|t| self.l.type_ref(TypeRef::Array(t)));
                    let declarator = parts.named().find(self.t.is(Kind::Declarator));
                    let name = declarator.and_then(|d| self.l.kids(d).field(f.name));
                    (name, ty, ParamMode::Rest, Vec::new())
                }
                Kind::Identifier => (Some(node), None, ParamMode::Value, Vec::new()),
                _ => continue,
            };
            let Some(name_node) = name_node else { continue };
            params.push(Param {
                name: self.l.name_of(name_node),
                name_span: span(name_node),
                ty,
                default: None,
                pattern: None,
                mode,
                optional: false,
                annotations,
            });
        }
        params
    }

    fn type_params(&mut self, list: Ts<'t>) -> Box<[TypeParam]> {
        let kids = self.l.kids(list);
        let mut params = Vec::new();
        for param in kids.named() {
            let parts = self.l.items(param);
            if let Some(name) = parts.named().find(|n| matches!(self.kind(*n), Kind::TypeIdentifier | Kind::Identifier)) {
                let bound = parts.named().find(self.t.is(Kind::TypeBound)).and_then(|b| self.l.items(b).named().next());
                params.push(TypeParam { name: self.l.name_of(name), bound: bound.map(|b| self.ty(b)) });
            }
        }
        params.into()
    }

    pub(super) fn modifiers(&mut self, kids: &Kids<'t>) -> (Modifiers, Vec<Annotation>) {
        let mut m = Modifiers::default();
        let mut annotations = Vec::new();
        let Some(list) = kids.named().find(self.t.is(Kind::Modifiers)) else {
            return (m, annotations);
        };
        let parts = self.l.kids(list);
        for part in parts.all() {
            match self.kind(part) {
                Kind::Annotation | Kind::MarkerAnnotation => annotations.push(self.annotation(part)),
                _ => match part.kind() {
                    "public" => m.visibility = Visibility::Public,
                    "protected" => m.visibility = Visibility::Protected,
                    "private" => m.visibility = Visibility::Private,
                    "static" => m.is_static = true,
                    "abstract" => m.is_abstract = true,
                    "final" => m.is_readonly = true,
                    "synchronized" => m.is_synchronized = true,
                    _ => {}
                },
            }
        }
        (m, annotations)
    }

    fn annotation(&mut self, node: Ts<'t>) -> Annotation {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let name = kids.field(f.name).unwrap_or(node);
        let mut args = Vec::new();
        if let Some(list) = kids.field(f.arguments) {
            let list = self.l.kids(list);
            for arg in list.named() {
                if self.kind(arg) == Kind::ElementValuePair {
                    let pair = self.l.kids(arg);
                    if let (Some(key), Some(value)) = (pair.field(f.key), pair.field(f.value)) {
                        args.push((Some(self.l.name_of(key)), value));
                    }
                } else {
                    args.push((None, arg));
                }
            }
        }
        self.l.annotation(name, &args, node)
    }
}
