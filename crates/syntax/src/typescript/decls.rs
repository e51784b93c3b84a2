//! Modules, imports, exports, and declarations other than classes.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AssignOp, Base, BaseKind, Import, MemberId, MemberKind, Modifiers, Name, Node, NodeId, TypeDecl, TypeDeclId, TypeKind, TypeParam,
    Visibility,
};

use super::Script;
use super::kinds::Kind;
use crate::driver::span;

impl<'t> Script<'t> {
    pub(super) fn program(&mut self, root: Ts<'t>) {
        if self.is_loose() {
            self.find_constructors();
            self.doc_records(root);
        }
        self.module_code(root, root);
    }

    /// Declarations become members of the module or namespace; everything else, and the
    /// first values of its variables, is code of its initialiser, in order.
    fn module_code(&mut self, list: Ts<'t>, node: Ts<'t>) {
        let name = self.l.no_name();
        let mut member = self.l.member(MemberKind::Initializer, name, node, node);
        member.modifiers.is_static = true;
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, node);
        let mut items = Vec::new();
        let kids = self.l.items(list);
        for statement in kids.named() {
            self.module_statement(statement, false, &mut items);
        }
        let list = self.l.list(&items);
        let root = self.l.push(Node::Block(list), node);
        self.l.close_body(outer, Some(root), false);
    }

    pub(super) fn module_statement(&mut self, node: Ts<'t>, exported: bool, items: &mut Vec<NodeId>) {
        match self.kind(node) {
            Kind::Import => self.import(node),
            Kind::ImportAlias => {}
            Kind::ExportStatement => self.export(node, items),
            Kind::Ambient => {
                let before = std::mem::replace(&mut self.ambient, true);
                let kids = self.l.items(node);
                for inner in kids.named() {
                    self.module_statement(inner, exported, items);
                }
                self.ambient = before;
            }
            Kind::ClassDecl | Kind::AbstractClass => drop(self.class(node, exported)),
            Kind::InterfaceDecl => self.interface(node, exported),
            Kind::EnumDecl => self.enumeration(node, exported),
            Kind::TypeAlias => self.alias(node, exported),
            Kind::InternalModule | Kind::Module => self.namespace(node, exported),
            Kind::FunctionDecl | Kind::GeneratorDecl | Kind::FunctionSignature => {
                let kids = self.l.kids(node);
                match kids.field(self.t.fields.name) {
                    Some(name_at) if self.is_constructor(self.l.text_of(name_at), node) => {
                        let name = self.l.name_of(name_at);
                        self.constructor_class(node, name, name_at, exported);
                    }
                    _ => self.function_member(node, exported),
                }
            }
            Kind::LexicalDecl | Kind::VariableDecl => self.variables(node, exported, items),
            Kind::ExprStatement => {
                // `namespace X {}` parses as an expression
                let kids = self.l.items(node);
                match kids.first() {
                    Some(inner) if self.kind(inner) == Kind::InternalModule => self.namespace(inner, exported),
                    Some(inner) if self.export_assignment(inner, items) || self.bundle(node, items) => {}
                    _ => items.push(self.node(node)),
                }
            }
            _ => items.push(self.node(node)),
        }
    }

    pub(super) fn import(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let mut source = kids.field(f.source);
        let clause = kids.first();
        let mut imports = Vec::new();
        if let Some(clause) = clause {
            let parts = self.l.kids(clause);
            match self.kind(clause) {
                Kind::ImportClause => {
                    for part in parts.named() {
                        match self.kind(part) {
                            Kind::Identifier => imports.push((Some("default"), Some(part))),
                            Kind::NamespaceImport => {
                                let inner = self.l.items(part);
                                imports.push((None, inner.first()));
                            }
                            Kind::NamedImports => {
                                let list = self.l.items(part);
                                for specifier in list.named() {
                                    let names = self.l.kids(specifier);
                                    let Some(name) = names.field(f.name) else {
                                        continue;
                                    };
                                    let name_text = self.l.text_of(name);
                                    imports.push((Some(name_text), Some(names.field(f.alias).unwrap_or(name))));
                                }
                            }
                            _ => {}
                        }
                    }
                }
                Kind::ImportRequire => {
                    source = source.or(parts.field(f.source));
                    imports.push((None, parts.first()));
                }
                _ => {}
            }
        }
        let Some(source) = source else { return };
        let from = self.unquoted(source);
        let from = self.l.intern(from);
        let types_only = kids.has_token("type");
        if imports.is_empty() {
            // loaded for what it does, under no name
            let alias = Some(self.l.intern(""));
            self.l.unit.imports.push(Import { from, name: None, alias, is_static: false, reexport: false, types_only });
        }
        for (name, alias) in imports {
            let name = name.map(|n| self.l.intern(n));
            let alias = alias.map(|n| self.l.name_of(n));
            self.l.unit.imports.push(Import { from, name, alias, is_static: false, reexport: false, types_only });
        }
    }

    fn export(&mut self, node: Ts<'t>, items: &mut Vec<NodeId>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        if let Some(declaration) = kids.field(f.declaration) {
            self.module_statement(declaration, true, items);
            if kids.has_token("default") {
                let parts = self.l.kids(declaration);
                if let Some(name) = parts.field(f.name) {
                    let own = self.l.name_of(name);
                    let outer = self.l.intern("default");
                    self.l.unit.exports.push((own, outer));
                }
            }
            return;
        }
        let source = kids.field(f.source).map(|s| {
            let text = self.unquoted(s);
            self.l.intern(text)
        });
        if let Some(clause) = kids.named().find(self.t.is(Kind::ExportClause)) {
            let list = self.l.items(clause);
            for specifier in list.named() {
                let names = self.l.kids(specifier);
                let Some(name) = names.field(f.name) else {
                    continue;
                };
                let own = self.l.name_of(name);
                let outer = names.field(f.alias).map_or(own, |a| self.l.name_of(a));
                match source {
                    Some(from) => {
                        let import =
                            Import { from, name: Some(own), alias: Some(outer), is_static: false, reexport: true, types_only: false };
                        self.l.unit.imports.push(import);
                    }
                    None => self.l.unit.exports.push((own, outer)),
                }
            }
            return;
        }
        if let Some(from) = source {
            let all = self.l.intern("*");
            let alias = kids.named().find(self.t.is(Kind::NamespaceExport)).and_then(|n| {
                let inner = self.l.items(n);
                inner.first().map(|a| self.l.name_of(a))
            });
            let name = if alias.is_some() { None } else { Some(all) };
            self.l.unit.imports.push(Import { from, name, alias, is_static: false, reexport: true, types_only: false });
            return;
        }
        // `export default EXPRESSION`
        let Some(value) = kids.field(f.value).or(kids.last()) else {
            return;
        };
        let outer = self.l.intern("default");
        if self.kind(value) == Kind::Identifier {
            let own = self.l.name_of(value);
            self.l.unit.exports.push((own, outer));
            return;
        }
        let mut field = self.l.member(MemberKind::Field, outer, value, value);
        field.modifiers = self.module_modifiers(true);
        self.l.add_member(field);
        let target = self.l.push(Node::Name(outer), value);
        let value_id = self.node(value);
        items.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value: value_id }, value));
    }

    pub(super) fn module_modifiers(&self, exported: bool) -> Modifiers {
        Modifiers {
            visibility: if exported { Visibility::Public } else { Visibility::Internal },
            is_static: true,
            is_exported: exported,
            is_ambient: self.ambient,
            ..Modifiers::default()
        }
    }

    pub(super) fn function_member(&mut self, node: Ts<'t>, exported: bool) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let name = self.l.name_of(name_node);
        self.function_named(node, name, name_node, exported);
    }

    /// A function of the module from a function that is a value.
    pub(super) fn function_value(&mut self, node: Ts<'t>, name: Name, name_node: Ts<'t>) {
        self.function_named(node, name, name_node, true);
    }

    fn function_named(&mut self, node: Ts<'t>, name: Name, name_node: Ts<'t>, exported: bool) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let mut member = self.l.member(MemberKind::Method, name, name_node, node);
        member.modifiers = self.module_modifiers(exported);
        member.modifiers.is_async = kids.has_token("async");
        member.modifiers.is_abstract = kids.field(f.body).is_none();
        member.ty = kids.field(f.return_type).map(|t| self.ty(t)).or_else(|| self.doc_result(node));
        member.type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_parameters(n));
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, node);
        let mut params = self.params_of(node);
        self.doc_params(node, &mut params);
        self.l.unit.members[id.0 as usize].params = params;
        let body = kids.field(f.body);
        let returns_root = body.is_some_and(|b| self.kind(b) != Kind::StatementBlock);
        let instance = self.loose.instance.take();
        let result = self.l.unit.members[id.0 as usize].ty;
        let root = self.closure_object(node, result).or_else(|| body.map(|b| self.node(b)));
        self.loose.instance = instance;
        self.l.close_body(outer, root, returns_root);
    }

    fn variables(&mut self, node: Ts<'t>, exported: bool, items: &mut Vec<NodeId>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let constant = kids.field(f.kind).is_some_and(|k| self.l.text_of(k) == "const");
        for declarator in kids.named().filter(self.t.is(Kind::Declarator)) {
            let parts = self.l.kids(declarator);
            let Some(name_node) = parts.field(f.name) else {
                continue;
            };
            let value_node = parts.field(f.value);
            if value_node.is_some_and(|v| self.require_into(name_node, v)) {
                continue;
            }
            if self.kind(name_node) != Kind::Identifier {
                // each name of the pattern is a variable of the module
                let init = parts.field(f.value).map(|v| self.node(v));
                let pattern = self.pattern(name_node, init);
                self.pattern_members(name_node, pattern, exported);
                items.push(pattern);
                continue;
            }
            let name = self.l.name_of(name_node);
            if value_node.is_some_and(|v| self.class_value(v, name, name_node, exported)) {
                continue;
            }
            if constant && value_node.is_some_and(|v| self.closure_singleton(v, name, name_node, exported, items)) {
                continue;
            }
            if constant && value_node.is_some_and(|v| self.literal_singleton(v, parts.field(f.type_), name, name_node, exported)) {
                continue;
            }
            // a function by another way of writing it
            let is_function = |v: &Ts<'t>| matches!(self.kind(*v), Kind::Arrow | Kind::FunctionExpr);
            if let Some(function) = value_node.filter(is_function).filter(|_| constant && parts.field(f.type_).is_none()) {
                self.function_named(function, name, name_node, exported);
                continue;
            }
            let mut field = self.l.member(MemberKind::Field, name, name_node, declarator);
            field.ty = parts.field(f.type_).map(|t| self.ty(t)).or_else(|| self.doc_type_of(declarator));
            field.modifiers = self.module_modifiers(exported);
            field.modifiers.is_readonly = constant;
            self.l.add_member(field);
            if let Some(value) = parts.field(f.value) {
                let target = self.l.push(Node::Name(name), name_node);
                let value = self.node(value);
                items.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value }, declarator));
            }
        }
    }

    fn pattern_members(&mut self, at: Ts<'t>, pattern: NodeId, exported: bool) {
        let mut stack = vec![pattern];
        while let Some(id) = stack.pop() {
            if let Node::Local { name, .. } = self.l.body.node(id) {
                let span = self.l.body.span(id);
                let mut field = self.l.member(MemberKind::Field, name, at, at);
                field.name_span = span;
                field.modifiers = self.module_modifiers(exported);
                self.l.add_member(field);
                continue;
            }
            let Node::Pattern { parts, .. } = self.l.body.node(id) else {
                if let Node::Entry { value, .. } = self.l.body.node(id) {
                    stack.push(value);
                }
                continue;
            };
            let mut parts = self.l.body.list(parts).to_vec();
            parts.reverse();
            stack.extend(parts);
        }
    }

    pub(super) fn open_type(&mut self, node: Ts<'t>, name_at: Ts<'t>, name: Name, kind: TypeKind, exported: bool) -> TypeDeclId {
        let context = self.l.context;
        let id = TypeDeclId(self.l.unit.types.len() as u32);
        let modifiers = self.module_modifiers(exported);
        // the initialiser of a module is no place of its own
        let in_module = |m: MemberId| self.l.unit.member(m).kind == MemberKind::Initializer && self.l.unit.member(m).modifiers.is_static;
        let within = context.within.filter(|m| !in_module(*m));
        self.l.unit.types.push(TypeDecl {
            kind,
            name,
            name_span: span(name_at),
            span: span(node),
            namespace: context.namespace,
            parent: context.owner,
            within,
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

    pub(super) fn type_parameters(&mut self, list: Ts<'t>) -> Box<[TypeParam]> {
        let kids = self.l.kids(list);
        let mut params = Vec::new();
        for param in kids.named() {
            let parts = self.l.kids(param);
            if let Some(name) = parts.field(self.t.fields.name) {
                let bound = parts.named().find(self.t.is(Kind::Constraint)).and_then(|c| self.l.items(c).named().next());
                params.push(TypeParam { name: self.l.name_of(name), bound: bound.map(|b| self.ty(b)) });
            }
        }
        params.into()
    }

    pub(super) fn interface(&mut self, node: Ts<'t>, exported: bool) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let name = self.l.name_of(name_node);
        let mut bases = Vec::new();
        if let Some(clause) = kids.named().find(self.t.is(Kind::ExtendsType)) {
            let list = self.l.items(clause);
            bases.extend(list.named().map(|t| Base { ty: self.ty(t), kind: BaseKind::Implements }));
        }
        let type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_parameters(n));
        let id = self.open_type(node, name_node, name, TypeKind::Interface, exported);
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.bases = bases.into();
        decl.type_params = type_params;
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        if let Some(body) = kids.field(f.body) {
            let list = self.l.items(body);
            for member in list.named() {
                self.signature(member);
            }
        }
        self.l.context = outer;
    }

    /// A member of an interface, or an abstract method.
    pub(super) fn signature(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kind = match self.kind(node) {
            Kind::MethodSignature | Kind::AbstractMethod => MemberKind::Method,
            Kind::PropertySignature => MemberKind::Property,
            _ => return,
        };
        let parts = self.l.kids(node);
        let Some(name_node) = parts.field(f.name) else {
            return;
        };
        let name = self.property_name(name_node);
        let mut member = self.l.member(kind, name, name_node, node);
        member.modifiers = Modifiers { visibility: Visibility::Public, is_abstract: true, ..Modifiers::default() };
        member.modifiers.is_optional = parts.has_token("?");
        member.ty = parts.field(f.type_).or(parts.field(f.return_type)).map(|t| self.ty(t));
        let id = self.l.add_member(member);
        if let Some(list) = parts.field(f.parameters) {
            let outer = self.l.open_body(id, node);
            let params = self.params(list).0;
            self.l.unit.members[id.0 as usize].params = params;
            self.l.close_body(outer, None, false);
        }
    }

    pub(super) fn enumeration(&mut self, node: Ts<'t>, exported: bool) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let name = self.l.name_of(name_node);
        let id = self.open_type(node, name_node, name, TypeKind::Enum, exported);
        let ty = self.l.named_type(name);
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        if let Some(body) = kids.field(f.body) {
            let list = self.l.items(body);
            for constant in list.named() {
                let parts = self.l.kids(constant);
                let (name_node, value) = match self.kind(constant) {
                    Kind::EnumAssign => (parts.field(f.name).unwrap_or(constant), parts.field(f.value)),
                    _ => (constant, None),
                };
                let name = self.property_name(name_node);
                let mut member = self.l.member(MemberKind::EnumConstant, name, name_node, constant);
                member.modifiers = Modifiers { is_static: true, is_readonly: true, visibility: Visibility::Public, ..Modifiers::default() };
                member.ty = Some(ty);
                let id = self.l.add_member(member);
                if let Some(value) = value {
                    let outer = self.l.open_body(id, value);
                    let root = self.node(value);
                    self.l.close_body(outer, Some(root), true);
                }
            }
        }
        self.l.context = outer;
    }

    pub(super) fn alias(&mut self, node: Ts<'t>, exported: bool) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (Some(name_node), Some(value)) = (kids.field(f.name), kids.field(f.value)) else {
            return;
        };
        let name = self.l.name_of(name_node);
        let aliased = self.ty(value);
        let type_params = kids.field(f.type_parameters).map_or_else(Box::default, |n| self.type_parameters(n));
        let id = self.open_type(node, name_node, name, TypeKind::Alias, exported);
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.aliased = Some(aliased);
        decl.type_params = type_params;
    }

    fn namespace(&mut self, node: Ts<'t>, exported: bool) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return;
        };
        let text = self.l.text_of(name_node).trim_matches(['\'', '"']);
        let name = self.l.intern(text);
        let id = self.open_type(node, name_node, name, TypeKind::Namespace, exported);
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        if let Some(body) = kids.field(f.body) {
            self.module_code(body, node);
        }
        self.l.context = outer;
    }

    /// The name of a property; computed names are kept as they are written.
    pub(super) fn property_name(&mut self, node: Ts<'t>) -> Name {
        let text = match self.kind(node) {
            Kind::String => self.unquoted(node),
            _ => self.l.text_of(node),
        };
        self.l.intern(text)
    }
}
