//! Namespaces, types, and what files declare.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    Annotation, Base, BaseKind, Import, MemberKind, Modifiers, Name, TypeDecl, TypeDeclId, TypeKind, TypeParam, TypeRefId, Visibility,
};

use super::Cpp;
use super::kinds::Kind;
use crate::driver::span;

impl<'t> Cpp<'t> {
    pub(super) fn program(&mut self, root: Ts<'t>) {
        self.declarations(root, &[]);
    }

    /// The declarations of a file, a namespace or a branch of `#if`.
    fn declarations(&mut self, list: Ts<'t>, params: &[TypeParam]) {
        let kids = self.l.items(list);
        let mut stray: Vec<Ts<'t>> = Vec::new();
        for node in kids.named() {
            if self.is_statement(node) {
                stray.push(node);
                continue;
            }
            self.stray_statements(&mut stray);
            self.declaration(node, params);
        }
        self.stray_statements(&mut stray);
    }

    /// Whether a node is part of a body: outside of one it is the rest of a function whose beginning
    /// could not be read.
    fn is_statement(&self, node: Ts<'t>) -> bool {
        matches!(
            self.kind(node),
            Kind::ExprStatement
                | Kind::If
                | Kind::For
                | Kind::ForRange
                | Kind::While
                | Kind::Do
                | Kind::Switch
                | Kind::Block
                | Kind::Return
                | Kind::Try
        )
    }

    /// Keeps the rest of a function as a method without a name of the class whose function came last.
    fn stray_statements(&mut self, stray: &mut Vec<Ts<'t>>) {
        let (Some(&first), Some(owner)) = (stray.first(), self.last_owner) else {
            stray.clear();
            return;
        };
        let context = self.l.context;
        self.l.context.owner = Some(owner);
        let name = self.l.no_name();
        let member = self.l.member(MemberKind::Method, name, first, first);
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, first);
        let items = self.nodes(std::mem::take(stray));
        let items = self.l.list(&items);
        let root = self.l.push(yarrowgraph_ir::Node::Block(items), first);
        self.l.close_body(outer, Some(root), false);
        self.l.context = context;
    }

    fn declaration(&mut self, node: Ts<'t>, params: &[TypeParam]) {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Namespace => self.namespace(node),
            Kind::Linkage => {
                let kids = self.l.kids(node);
                if let Some(body) = kids.field(f.body) {
                    match self.kind(body) {
                        Kind::DeclarationList => self.declarations(body, params),
                        _ => self.declaration(body, params),
                    }
                }
            }
            Kind::PreprocIf | Kind::PreprocIfdef | Kind::PreprocElse | Kind::PreprocElif | Kind::PreprocElifdef | Kind::DeclarationList => {
                self.declarations(node, params)
            }
            Kind::Template => {
                let params = self.type_params(node);
                let kids = self.l.items(node);
                for inner in kids.named() {
                    self.declaration(inner, &params);
                }
            }
            Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier => drop(self.type_specifier(node, params, None)),
            Kind::Alias | Kind::TypeDefinition => self.alias(node, params),
            Kind::Using => self.using(node),
            Kind::FunctionDef => self.function(node, params, Visibility::Public),
            Kind::Declaration => self.variables(node, params),
            // what could be read of a stretch that could not
            _ if node.is_error() => self.declarations(node, params),
            _ => {}
        }
    }

    fn namespace(&mut self, node: Ts<'t>) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let name: String = kids.field(f.name).map_or("", |n| self.l.text_of(n)).split_whitespace().collect();
        let name = name.replace("::", ".");
        let outer = self.l.context;
        if !name.is_empty() {
            let around = self.l.unit.text(outer.namespace);
            let full = if around.is_empty() { name } else { format!("{around}.{name}") };
            self.l.context.namespace = self.l.intern(&full);
            if self.l.unit.text(self.l.unit.namespace).is_empty() {
                self.l.unit.namespace = self.l.context.namespace;
            }
        }
        if let Some(body) = kids.field(f.body) {
            self.declarations(body, &[]);
        }
        self.l.context = outer;
    }

    /// `using namespace locks;`, `using locks::Gate;`
    fn using(&mut self, node: Ts<'t>) {
        let kids = self.l.kids(node);
        let Some(what) = kids.last() else { return };
        let full = self.dotted(what);
        let (from, name) = if kids.has_token("namespace") {
            (full.as_str(), "*")
        } else {
            match full.rsplit_once('.') {
                Some(parts) => parts,
                None => return,
            }
        };
        let (from, name) = (self.l.intern(from), self.l.intern(name));
        // whoever includes the file has it as well
        self.l.unit.imports.push(Import { from, name: Some(name), alias: None, is_static: false, reexport: true, types_only: false });
    }

    pub(super) fn type_params(&mut self, template: Ts<'t>) -> Vec<TypeParam> {
        let kids = self.l.kids(template);
        let Some(list) = kids.field(self.t.fields.parameters) else { return Vec::new() };
        let list = self.l.items(list);
        let mut params = Vec::new();
        for param in list.named() {
            let parts = self.l.items(param);
            if let Some(name) = parts.named().find(self.t.is(Kind::TypeIdentifier)) {
                params.push(TypeParam { name: self.l.name_of(name), bound: None });
            }
        }
        params
    }

    pub(super) fn alias(&mut self, node: Ts<'t>, params: &[TypeParam]) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(target) = kids.field(f.type_) else { return };
        // `typedef struct { … } Level;`
        if matches!(self.kind(target), Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier) {
            let name = kids.field(f.declarator);
            self.type_specifier(target, params, name);
            return;
        }
        let (name, declared) = match self.kind(node) {
            Kind::Alias => (kids.field(f.name), self.declared(None)),
            _ => {
                let declared = self.declared(kids.field(f.declarator));
                (declared.name, declared)
            }
        };
        let Some(name_node) = name else { return };
        let Some(aliased) = self.type_of(Some(target), &declared) else { return };
        let name = self.l.name_of(name_node);
        let id = self.open_type(node, name_node, name, TypeKind::Alias, params);
        self.l.unit.types[id.0 as usize].aliased = Some(aliased);
    }

    pub(super) fn open_type(&mut self, node: Ts<'t>, name_at: Ts<'t>, name: Name, kind: TypeKind, params: &[TypeParam]) -> TypeDeclId {
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
            type_params: params.into(),
            bases: Box::default(),
            aliased: None,
            modifiers: Modifiers { visibility: Visibility::Public, ..Modifiers::default() },
            annotations: Vec::new(),
            members: Vec::new(),
            anonymous: false,
            outline: false,
        });
        id
    }

    /// A class, struct, union or enumeration; one without a body is only mentioned.
    pub(super) fn type_specifier(&mut self, node: Ts<'t>, params: &[TypeParam], other_name: Option<Ts<'t>>) -> Option<TypeDeclId> {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let body = kids.field(f.body)?;
        let name_node = kids.field(f.name).or(other_name);
        if self.kind(node) == Kind::EnumSpecifier {
            return Some(self.enumeration(node, name_node, body));
        }
        let (name_at, qualified) = match name_node {
            Some(n) => (n, self.dotted(n)),
            None => (node, String::new()),
        };
        // `class Outer::Inner { … }`: nested in a class that is declared elsewhere
        let outer = self.l.context;
        let simple = match qualified.rsplit_once('.') {
            Some((around, simple)) => {
                self.enter_outline(around, node);
                simple.to_owned()
            }
            None => qualified,
        };
        let name = self.l.intern(&simple);
        let mut bases = Vec::new();
        let mut is_struct = self.kind(node) != Kind::Class;
        if let Some(clause) = kids.named().find(self.t.is(Kind::BaseClause)) {
            let parts = self.l.items(clause);
            for base in parts.named() {
                if !matches!(self.kind(base), Kind::TypeIdentifier | Kind::Qualified | Kind::TemplateType) {
                    continue;
                }
                bases.push(Base { ty: self.ty(base), kind: BaseKind::Extends });
            }
        }
        let id = self.open_type(node, name_at, name, TypeKind::Class, params);
        self.l.unit.types[id.0 as usize].bases = bases.into();
        self.l.unit.types[id.0 as usize].anonymous = simple.is_empty();
        self.l.unit.types[id.0 as usize].modifiers.is_exported = self.prepared.handed_out.contains(&node.start_byte());
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        self.members(body, &mut is_struct);
        self.settle_kind(id);
        self.l.context = outer;
        Some(id)
    }

    /// A class that has nothing but functions to be overridden is an interface.
    fn settle_kind(&mut self, id: TypeDeclId) {
        let members = &self.l.unit.ty(id).members;
        let pure = members.iter().filter(|m| self.l.unit.member(**m).modifiers.is_abstract).count();
        let only_pure = members.iter().all(|m| {
            let m = self.l.unit.member(*m);
            m.modifiers.is_abstract || matches!(m.kind, MemberKind::Destructor | MemberKind::Constructor)
        });
        // an observer may have a body for what it does not care about
        let only_virtual = members.iter().all(|m| {
            let m = self.l.unit.member(*m);
            m.modifiers.is_virtual || matches!(m.kind, MemberKind::Destructor | MemberKind::Constructor)
        });
        let has_methods = members.iter().any(|m| self.l.unit.member(*m).kind == MemberKind::Method);
        let decl = &mut self.l.unit.types[id.0 as usize];
        decl.modifiers.is_abstract = pure > 0;
        if (only_pure && pure > 0) || (only_virtual && has_methods && decl.bases.is_empty()) {
            decl.kind = TypeKind::Interface;
        }
    }

    fn enumeration(&mut self, node: Ts<'t>, name_node: Option<Ts<'t>>, body: Ts<'t>) -> TypeDeclId {
        let name_at = name_node.unwrap_or(node);
        let name = match name_node {
            Some(n) => self.l.name_of(n),
            None => self.l.no_name(),
        };
        let id = self.open_type(node, name_at, name, TypeKind::Enum, &[]);
        let kids = self.l.kids(node);
        self.l.unit.types[id.0 as usize].modifiers.is_unscoped = !kids.has_token("class") && !kids.has_token("struct");
        let outer = self.l.context;
        self.l.context.owner = Some(id);
        self.l.context.within = None;
        let list = self.l.items(body);
        for constant in list.named().filter(self.t.is(Kind::Enumerator)) {
            let parts = self.l.kids(constant);
            let Some(name_at) = parts.field(self.t.fields.name) else { continue };
            let name = self.l.name_of(name_at);
            let mut member = self.l.member(MemberKind::EnumConstant, name, name_at, constant);
            member.modifiers = Modifiers { visibility: Visibility::Public, is_static: true, is_readonly: true, ..Modifiers::default() };
            let member = self.l.add_member(member);
            if let Some(value) = parts.field(self.t.fields.value) {
                let outer = self.l.open_body(member, value);
                let root = self.node(value);
                self.l.close_body(outer, Some(root), true);
            }
        }
        self.l.context = outer;
        id
    }

    /// Goes into a class that is declared elsewhere, by its qualified name: what follows belongs to it.
    pub(super) fn enter_outline(&mut self, qualified: &str, node: Ts<'t>) {
        for part in qualified.split('.') {
            let name = self.l.intern(part);
            let parent = self.l.context.owner;
            let namespace = self.l.context.namespace;
            let known = self.l.unit.types.iter().position(|t| {
                t.name == name && t.parent == parent && t.namespace == namespace && !matches!(t.kind, TypeKind::Enum | TypeKind::Alias)
            });
            let id = match known {
                Some(at) => TypeDeclId(at as u32),
                None => {
                    let id = self.open_type(node, node, name, TypeKind::Class, &[]);
                    self.l.unit.types[id.0 as usize].outline = true;
                    id
                }
            };
            self.l.context.owner = Some(id);
        }
        self.l.context.within = None;
    }

    /// Marks what a member is for.
    pub(super) fn annotation_named(&mut self, name: &str, node: Ts<'t>) -> Annotation {
        Annotation { name: self.l.intern(name), args: Box::default(), span: span(node) }
    }

    pub(super) fn no_type(&mut self) -> TypeRefId {
        self.l.type_ref(yarrowgraph_ir::TypeRef::Other)
    }
}
