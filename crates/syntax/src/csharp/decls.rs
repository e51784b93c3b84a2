//! Types and members.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AccessorKind, Annotation, AssignOp, Base, BaseKind, Import, Member, MemberId, MemberKind, Modifiers, Name, Node, NodeId, Param,
    ParamMode, TypeDecl, TypeDeclId, TypeKind, TypeParam, TypeRef, Visibility,
};

use super::CSharp;
use super::kinds::Kind;
use crate::driver::{Kids, span};

impl<'t> CSharp<'t> {
    pub(super) fn compilation_unit(&mut self, root: Ts<'t>) {
        let kids = self.l.items(root);
        let mut statements = Vec::new();
        for node in kids.named() {
            match self.kind(node) {
                Kind::GlobalStatement => statements.push(node),
                _ => self.declaration(node),
            }
        }
        if !statements.is_empty() {
            self.top_level(&statements, root);
        }
    }

    /// Lowers one declaration of a file, namespace or type.
    fn declaration(&mut self, node: Ts<'t>) {
        match self.kind(node) {
            Kind::NamespaceDecl | Kind::FileNamespace => self.namespace(node),
            Kind::UsingDirective => self.using(node),
            Kind::GlobalAttribute => self.global_attributes(node),
            Kind::ClassDecl => self.type_decl(node, TypeKind::Class),
            Kind::StructDecl => self.type_decl(node, TypeKind::Struct),
            Kind::InterfaceDecl => self.type_decl(node, TypeKind::Interface),
            Kind::RecordDecl => self.type_decl(node, TypeKind::Record),
            Kind::EnumDecl => self.type_decl(node, TypeKind::Enum),
            Kind::DelegateDecl => self.delegate(node),
            Kind::FieldDecl => self.fields(node, MemberKind::Field),
            Kind::EventFieldDecl => self.fields(node, MemberKind::Event),
            Kind::EventDecl => self.property(node, MemberKind::Event),
            Kind::PropertyDecl | Kind::IndexerDecl => self.property(node, MemberKind::Property),
            Kind::MethodDecl | Kind::OperatorDecl | Kind::ConversionDecl => self.method(node, MemberKind::Method),
            Kind::ConstructorDecl => self.method(node, MemberKind::Constructor),
            Kind::DestructorDecl => self.method(node, MemberKind::Destructor),
            Kind::EnumMember => self.enum_constant(node),
            // every branch is read: what one build leaves out another one has
            Kind::PreprocIf | Kind::PreprocElse | Kind::PreprocElif | Kind::DeclarationList | Kind::EnumMembers => self.declarations(node),
            _ if node.is_error() => self.declarations(node),
            _ => {}
        }
    }

    fn declarations(&mut self, node: Ts<'t>) {
        let kids = self.l.items(node);
        kids.named().for_each(|n| self.declaration(n));
    }

    fn namespace(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let own = kids.field(f.name).map_or_else(String::new, |n| self.dotted(n));
        let outer = self.l.context.namespace;
        let outer_text = self.l.unit.text(outer).to_owned();
        let name = self.l.intern(&if outer_text.is_empty() { own } else { format!("{outer_text}.{own}") });
        self.l.context.namespace = name;
        if self.l.unit.text(self.l.unit.namespace).is_empty() {
            self.l.unit.namespace = name;
        }
        if self.kind(node) == Kind::FileNamespace {
            // the rest of the file belongs to it; the grammar may or may not nest it
            self.declarations(node);
            return;
        }
        if let Some(body) = kids.field(f.body) {
            self.declarations(body);
        }
        self.l.context.namespace = outer;
    }

    fn using(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let alias = kids.field(f.name).map(|n| self.l.name_of(n));
        let Some(target) = kids.last() else { return };
        let text = self.dotted(target);
        let from = self.l.intern(&text);
        let name = if alias.is_some() { None } else { Some(self.l.intern("*")) };
        self.l.unit.imports.push(Import {
            from,
            name,
            alias,
            is_static: kids.has_token("static"),
            reexport: kids.has_token("global"),
            types_only: false,
        });
    }

    fn type_decl(&mut self, node: Ts<'t>, kind: TypeKind) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let name = self.l.name_of(name_node);
        let nested = self.l.context.owner.is_some();
        let (modifiers, annotations) = self.modifiers(&kids, if nested { Visibility::Private } else { Visibility::Internal });
        let (mut bases, mut base_args) = (Vec::new(), None);
        if let Some(list) = kids.named().find(self.t.is(Kind::BaseList)) {
            let list = self.l.kids(list);
            for base in list.named() {
                match self.kind(base) {
                    Kind::ArgumentList => base_args = Some(base),
                    Kind::PrimaryBase => {
                        let parts = self.l.kids(base);
                        bases.extend(parts.field(f.type_).map(|t| Base { ty: self.ty(t), kind: BaseKind::Extends }));
                        base_args = parts.named().find(self.t.is(Kind::ArgumentList));
                    }
                    _ => bases.push(Base { ty: self.ty(base), kind: BaseKind::Either }),
                }
            }
        }
        let params_node = kids.field(f.type_parameters).or_else(|| kids.named().find(self.t.is(Kind::TypeParams)));
        let type_params = params_node.map_or_else(Box::default, |n| self.type_params(n, &kids));
        let id = self.open_type(node, name_node, name, kind, modifiers);
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.bases = bases.into();
        decl.annotations = annotations;
        decl.type_params = type_params;
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        if let Some(params) = kids.named().find(self.t.is(Kind::ParameterList)) {
            self.primary_constructor(params, name_node, kind, base_args);
        }
        if let Some(body) = kids.field(f.body) {
            self.declarations(body);
        }
        self.l.context = outer;
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

    /// `class Lock(Gauge gauge) : Base(gauge)`: the parameters are fields of the type.
    fn primary_constructor(&mut self, params: Ts<'t>, at: Ts<'t>, kind: TypeKind, base_args: Option<Ts<'t>>) {
        let empty = self.l.no_name();
        let mut constructor = self.l.member(MemberKind::Constructor, empty, at, params);
        constructor.modifiers.visibility = Visibility::Public;
        let id = self.l.add_member(constructor);
        let outer = self.l.open_body(id, params);
        let params_list = self.params(params);
        let mut items = Vec::new();
        if let Some(args) = base_args {
            let callee = self.l.push(Node::Super, args);
            let args_list = self.arguments(Some(args));
            items.push(self.l.push(Node::Call { callee, args: args_list, type_args: None, optional: false }, args));
        }
        for p in &params_list {
            let this = self.l.push(Node::This, params);
            let target = self.l.push(Node::Member { object: this, name: p.name, optional: false }, params);
            let value = self.l.push(Node::Name(p.name), params);
            items.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value }, params));
        }
        let list = self.l.list(&items);
        let root = self.l.push(Node::Block(list), params);
        self.l.close_body(outer, Some(root), false);
        for p in &params_list {
            let kind_of = if kind == TypeKind::Record { MemberKind::Property } else { MemberKind::Field };
            let mut field = self.l.member(kind_of, p.name, at, params);
            field.name_span = p.name_span;
            field.span = p.name_span;
            field.ty = p.ty;
            field.modifiers.is_readonly = true;
            field.modifiers.visibility = if kind == TypeKind::Record { Visibility::Public } else { Visibility::Private };
            self.l.add_member(field);
        }
        self.l.unit.members[id.0 as usize].params = params_list;
    }

    fn delegate(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (Some(name_node), Some(result)) = (kids.field(f.name), kids.field(f.type_)) else {
            return;
        };
        let name = self.l.name_of(name_node);
        let (modifiers, annotations) = self.modifiers(&kids, Visibility::Internal);
        let result = self.ty(result);
        let params = kids.field(f.parameters).map_or_else(Vec::new, |p| self.params(p));
        let other = self.l.type_ref(TypeRef::Other);
        let params = params.iter().map(|p| p.ty.unwrap_or(other)).collect();
        let aliased = self.l.type_ref(TypeRef::Function { params, result });
        let type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_params(n, &kids));
        let id = self.open_type(node, name_node, name, TypeKind::Delegate, modifiers);
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.aliased = Some(aliased);
        decl.annotations = annotations;
        decl.type_params = type_params;
    }

    fn default_visibility(&self) -> Visibility {
        match self.l.context.owner {
            Some(owner) if self.l.unit.ty(owner).kind == TypeKind::Interface => Visibility::Public,
            _ => Visibility::Private,
        }
    }

    fn fields(&mut self, node: Ts<'t>, kind: MemberKind) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let default = self.default_visibility();
        let (modifiers, annotations) = self.modifiers(&kids, default);
        let Some(decl) = kids.named().find(self.t.is(Kind::VariableDecl)) else {
            return;
        };
        let parts = self.l.kids(decl);
        let ty = parts.field(f.type_).map(|t| self.ty(t));
        for declarator in parts.named().filter(self.t.is(Kind::Declarator)) {
            let (name_node, value) = self.declarator(declarator);
            let Some(name_node) = name_node else { continue };
            let name = self.l.name_of(name_node);
            let mut field = self.l.member(kind, name, name_node, declarator);
            field.ty = ty;
            field.modifiers = modifiers;
            field.annotations.clone_from(&annotations);
            let id = self.l.add_member(field);
            if let Some(value) = value {
                self.value_body(id, value);
            }
        }
    }

    /// The name and the first value of a declarator.
    pub(super) fn declarator(&mut self, declarator: Ts<'t>) -> (Option<Ts<'t>>, Option<Ts<'t>>) {
        let parts = self.l.kids(declarator);
        let name = parts.field(self.t.fields.name).or(parts.first());
        let value = parts.named().find(|n| Some(*n) != name && !matches!(self.kind(*n), Kind::BracketedArguments));
        (name, value)
    }

    fn value_body(&mut self, id: MemberId, value: Ts<'t>) {
        let outer = self.l.open_body(id, value);
        let root = self.node(value);
        self.l.close_body(outer, Some(root), true);
    }

    fn property(&mut self, node: Ts<'t>, kind: MemberKind) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let name = match kids.field(f.name) {
            Some(n) => self.l.name_of(n),
            None => self.l.intern("this[]"),
        };
        let name_at = kids.field(f.name).or(kids.field(f.parameters)).unwrap_or(node);
        let mut member = self.l.member(kind, name, name_at, node);
        let default = self.default_visibility();
        (member.modifiers, member.annotations) = self.modifiers(&kids, default);
        member.ty = kids.field(f.type_).map(|t| self.ty(t));
        self.put_explicit_interface(&mut member, &kids);
        let prototype = Member { annotations: Vec::new(), ..member.clone() };
        let in_interface = default == Visibility::Public;
        let accessors = kids.field(f.accessors);
        let id = self.l.add_member(member);
        match kids.field(f.value) {
            Some(arrow) if self.kind(arrow) == Kind::ArrowClause => {
                let kids = self.l.items(arrow);
                if let Some(value) = kids.first() {
                    let getter = Member { kind: MemberKind::Accessor(AccessorKind::Get), ..prototype.clone() };
                    let id = self.l.add_member(getter);
                    self.value_body(id, value);
                }
            }
            Some(value) => self.value_body(id, value),
            None => {}
        }
        let Some(accessors) = accessors else { return };
        let mut automatic = true;
        let mut settable = false;
        let list = self.l.items(accessors);
        for accessor in list.named().filter(self.t.is(Kind::AccessorDecl)) {
            let parts = self.l.kids(accessor);
            let word = parts.field(f.name).map_or("", |n| self.l.text_of(n));
            settable |= word == "set";
            let Some(body) = parts.field(f.body) else {
                continue;
            };
            automatic = false;
            let accessor_kind = match word {
                "get" => AccessorKind::Get,
                "add" => AccessorKind::Add,
                "remove" => AccessorKind::Remove,
                _ => AccessorKind::Set,
            };
            let member = Member { kind: MemberKind::Accessor(accessor_kind), span: span(accessor), ..prototype.clone() };
            let id = self.l.add_member(member);
            if accessor_kind != AccessorKind::Get {
                let value = self.l.intern("value");
                let param = Param {
                    name: value,
                    name_span: span(accessor),
                    ty: prototype.ty,
                    default: None,
                    pattern: None,
                    mode: ParamMode::Value,
                    optional: false,
                    annotations: Vec::new(),
                };
                self.l.unit.members[id.0 as usize].params = vec![param];
            }
            self.callable_body(id, Some(body), None, accessor);
        }
        let property = &mut self.l.unit.members[id.0 as usize];
        property.modifiers.is_readonly |= automatic && !settable;
        property.modifiers.is_abstract |= in_interface && automatic;
    }

    /// The body of a method: a block or an expression; a constructor's call of another
    /// constructor comes first.
    fn callable_body(&mut self, id: MemberId, body: Option<Ts<'t>>, first: Option<Ts<'t>>, node: Ts<'t>) {
        let outer = self.l.open_body(id, node);
        let params = self.l.unit.members[id.0 as usize].params.is_empty();
        if params {
            let kids = self.l.kids(node);
            let list = kids.field(self.t.fields.parameters);
            let params = list.map_or_else(Vec::new, |p| self.params(p));
            self.l.unit.members[id.0 as usize].params = params;
        }
        let mut items: Vec<NodeId> = Vec::new();
        if let Some(initializer) = first {
            let kids = self.l.kids(initializer);
            let callee = if kids.has_token("base") { Node::Super } else { Node::This };
            let callee = self.l.push(callee, initializer);
            let list = kids.named().find(self.t.is(Kind::ArgumentList));
            let args = self.arguments(list);
            items.push(self.l.push(Node::Call { callee, args, type_args: None, optional: false }, initializer));
        }
        let mut returns = false;
        match body {
            Some(arrow) if self.kind(arrow) == Kind::ArrowClause => {
                let kids = self.l.items(arrow);
                items.extend(kids.first().map(|e| self.node(e)));
                returns = items.len() == 1 && first.is_none();
            }
            Some(block) => items.push(self.node(block)),
            None => {}
        }
        let root = match items[..] {
            [] => None,
            [one] => Some(one),
            _ => {
                let list = self.l.list(&items);
                Some(self.l.push(Node::Block(list), node))
            }
        };
        self.l.close_body(outer, root, returns);
    }

    pub(super) fn method(&mut self, node: Ts<'t>, kind: MemberKind) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let name_node = kids.field(f.name).or(kids.field(f.operator)).or(kids.field(f.type_)).unwrap_or(node);
        let name = match kind {
            MemberKind::Constructor | MemberKind::Destructor => self.l.no_name(),
            _ => self.l.name_of(name_node),
        };
        let mut member = self.l.member(kind, name, name_node, node);
        let default = self.default_visibility();
        (member.modifiers, member.annotations) = self.modifiers(&kids, default);
        let body = kids.field(f.body);
        member.modifiers.is_abstract |= body.is_none();
        member.ty = kids.field(f.returns).or(kids.field(f.type_)).map(|t| self.ty(t));
        member.type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_params(n, &kids));
        self.put_explicit_interface(&mut member, &kids);
        let id = self.l.add_member(member);
        let first = kids.named().find(self.t.is(Kind::ConstructorInit));
        self.callable_body(id, body, first, node);
    }

    /// `void IGauge.Read()`: whoever sees the interface reaches the member.
    fn put_explicit_interface(&mut self, member: &mut Member, kids: &Kids<'t>) {
        let Some(specifier) = kids.named().find(self.t.is(Kind::ExplicitInterface)) else { return };
        let parts = self.l.items(specifier);
        member.explicit_interface = parts.first().map(|t| self.ty(t));
        member.modifiers.visibility = Visibility::Public;
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
        let owner_name = self.l.context.owner.map(|o| self.l.unit.ty(o).name);
        member.ty = owner_name.map(|n| self.l.named_type(n));
        let id = self.l.add_member(member);
        if let Some(value) = kids.field(f.value) {
            self.value_body(id, value);
        }
    }

    pub(super) fn params(&mut self, list: Ts<'t>) -> Vec<Param> {
        let f = &self.t.fields;
        let kids = self.l.kids(list);
        let mut params = Vec::new();
        let one = |name: Name, node: Ts<'t>| Param {
            name,
            name_span: span(node),
            ty: None,
            default: None,
            pattern: None,
            mode: ParamMode::Value,
            optional: false,
            annotations: Vec::new(),
        };
        // `params T[] xs` lies flat in the list
        if let (Some(ty), Some(name_node)) = (kids.field(f.type_), kids.field(f.name)) {
            let name = self.l.name_of(name_node);
            let ty = self.ty(ty);
            params.push(Param { ty: Some(ty), mode: ParamMode::Rest, ..one(name, name_node) });
        }
        let mut regular = Vec::new();
        for node in kids.named() {
            match self.kind(node) {
                Kind::Parameter => {
                    let parts = self.l.kids(node);
                    let Some(name_node) = parts.field(f.name) else {
                        continue;
                    };
                    let name = self.l.name_of(name_node);
                    let ty = parts.field(f.type_).map(|t| self.ty(t));
                    let mut mode = ParamMode::Value;
                    for part in parts.all() {
                        mode = match self.l.text_of(part) {
                            "ref" => ParamMode::Ref,
                            "out" => ParamMode::Out,
                            "this" => ParamMode::Receiver,
                            "params" => ParamMode::Rest,
                            _ => mode,
                        };
                    }
                    let last = parts.last().filter(|n| *n != name_node && Some(*n) != parts.field(f.type_));
                    let default = last.filter(|n| !matches!(self.kind(*n), Kind::AttributeList | Kind::Modifier));
                    let optional = default.is_some();
                    let default = default.map(|d| self.node(d));
                    let annotations = self.modifiers(&parts, Visibility::Private).1;
                    regular.push(Param { ty, default, mode, optional, annotations, ..one(name, name_node) });
                }
                Kind::Identifier if params.is_empty() => {
                    let name = self.l.name_of(node);
                    regular.push(one(name, node));
                }
                _ => {}
            }
        }
        regular.append(&mut params);
        regular
    }

    fn type_params(&mut self, list: Ts<'t>, around: &Kids<'t>) -> Box<[TypeParam]> {
        let kids = self.l.kids(list);
        let mut params = Vec::new();
        for param in kids.named().filter(self.t.is(Kind::TypeParam)) {
            let parts = self.l.kids(param);
            if let Some(name) = parts.field(self.t.fields.name) {
                params.push(TypeParam { name: self.l.name_of(name), bound: None });
            }
        }
        for clause in around.named().filter(self.t.is(Kind::ConstraintsClause)) {
            let parts = self.l.items(clause);
            let mut named = parts.named();
            let Some(of) = named.next().map(|n| self.l.name_of(n)) else { continue };
            let bound = named.filter(self.t.is(Kind::Constraint)).find_map(|c| self.l.items(c).named().next());
            if let Some(param) = params.iter_mut().find(|p| p.name == of) {
                param.bound = bound.map(|b| self.ty(b));
            }
        }
        params.into()
    }

    pub(super) fn modifiers(&mut self, kids: &Kids<'t>, default: Visibility) -> (Modifiers, Vec<Annotation>) {
        let mut m = Modifiers { visibility: default, ..Modifiers::default() };
        let mut annotations = Vec::new();
        for node in kids.named() {
            match self.kind(node) {
                Kind::AttributeList => self.attributes(node, &mut annotations),
                Kind::Modifier => match self.l.text_of(node) {
                    "public" => m.visibility = Visibility::Public,
                    "protected" => m.visibility = Visibility::Protected,
                    "internal" => m.visibility = Visibility::Internal,
                    "private" => m.visibility = Visibility::Private,
                    "static" => m.is_static = true,
                    "const" => {
                        m.is_static = true;
                        m.is_readonly = true;
                    }
                    "abstract" => m.is_abstract = true,
                    "override" => m.is_override = true,
                    "virtual" => m.is_virtual = true,
                    "readonly" => m.is_readonly = true,
                    "partial" => m.is_partial = true,
                    "async" => m.is_async = true,
                    "extern" => m.is_ambient = true,
                    _ => {}
                },
                _ => {}
            }
        }
        (m, annotations)
    }

    /// `[assembly: InternalsVisibleTo("Gauge.Panel")]`; tests are no other program.
    fn global_attributes(&mut self, node: Ts<'t>) {
        let mut found = Vec::new();
        self.attributes(node, &mut found);
        let text = |name| self.l.unit.text(name);
        let opens = |a: &Annotation| {
            let whom = a.args.first().map_or("", |(_, value)| text(*value)).to_lowercase();
            let name = text(a.name).rsplit('.').next().unwrap_or_default().trim_end_matches("Attribute");
            name == "InternalsVisibleTo" && !["test", "mock", "proxy", "bench"].iter().any(|w| whom.contains(w))
        };
        let opened = found.iter().any(opens);
        self.l.unit.opens_internals |= opened;
    }

    fn attributes(&mut self, list: Ts<'t>, out: &mut Vec<Annotation>) {
        let f = &self.t.fields;
        let kids = self.l.kids(list);
        for attribute in kids.named().filter(self.t.is(Kind::Attribute)) {
            let parts = self.l.kids(attribute);
            let Some(name) = parts.field(f.name) else {
                continue;
            };
            let mut args = Vec::new();
            if let Some(list) = parts.named().find(self.t.is(Kind::AttributeArgumentList)) {
                let list = self.l.kids(list);
                for arg in list.named() {
                    let inner = self.l.kids(arg);
                    let key = inner.field(f.name).map(|k| self.l.name_of(k));
                    args.extend(inner.last().map(|value| (key, value)));
                }
            }
            let annotation = self.l.annotation(name, &args, attribute);
            out.push(annotation);
        }
    }
}
