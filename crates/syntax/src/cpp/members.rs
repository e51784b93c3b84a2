//! Members of classes, functions, and variables of files.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{AssignOp, MemberKind, Modifiers, Node, NodeId, Param, ParamMode, TypeParam, TypeRef, Visibility};

use super::Cpp;
use super::kinds::Kind;
use super::types::Declared;
use crate::driver::{Kids, span};

impl<'t> Cpp<'t> {
    /// The members of a class body, or of a branch of `#if` in one.
    pub(super) fn members(&mut self, body: Ts<'t>, public: &mut bool) {
        let kids = self.l.items(body);
        for node in kids.named() {
            let visibility = if *public { Visibility::Public } else { Visibility::Private };
            match self.kind(node) {
                Kind::AccessSpecifier => *public = self.l.text_of(node).starts_with("public"),
                Kind::PreprocIf | Kind::PreprocIfdef | Kind::PreprocElse | Kind::PreprocElif | Kind::PreprocElifdef => {
                    self.members(node, public)
                }
                Kind::Template => {
                    let params = self.type_params(node);
                    let inner = self.l.items(node);
                    for member in inner.named() {
                        self.member(member, &params, visibility);
                    }
                }
                _ => self.member(node, &[], visibility),
            }
        }
    }

    fn member(&mut self, node: Ts<'t>, params: &[TypeParam], visibility: Visibility) {
        match self.kind(node) {
            Kind::FunctionDef => self.function(node, params, visibility),
            Kind::FieldDecl | Kind::Declaration => self.fields(node, params, visibility),
            Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier => drop(self.type_specifier(node, params, None)),
            Kind::Alias | Kind::TypeDefinition => self.alias(node, params),
            _ => {}
        }
    }

    /// Fields, or methods without a body.
    fn fields(&mut self, node: Ts<'t>, params: &[TypeParam], visibility: Visibility) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let mut ty = kids.field(f.type_);
        // a type that is declared on the spot
        if let Some(specifier) = ty.filter(|t| matches!(self.kind(*t), Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier)) {
            self.type_specifier(specifier, params, None);
            ty = Some(specifier);
        }
        let declarators: Vec<Ts<'t>> = kids.fields(f.declarator).collect();
        let default = kids.field(f.default_value);
        for declarator in declarators {
            let declared = self.declared(Some(declarator));
            if declared.function.is_some() {
                self.declare_function(node, &kids, &declared, params, visibility);
                continue;
            }
            let Some(name_at) = declared.name else { continue };
            let value = default.or_else(|| self.l.kids(declarator).field(f.value));
            // what is shared by a class that is declared elsewhere: `const Row Chamber::rows[] = { … };`
            let qualified = self.dotted(name_at);
            let Some((around, _)) = qualified.rsplit_once('.') else {
                self.field(node, &kids, ty, &declared, name_at, value, visibility);
                continue;
            };
            let outer = self.l.context;
            let at = self.l.unit.members.len();
            self.enter_outline(around, node);
            let name_at = self.innermost(name_at).unwrap_or(name_at);
            self.field(node, &kids, ty, &declared, name_at, value, visibility);
            self.l.unit.members[at].modifiers.is_static = true;
            self.l.context = outer;
        }
    }

    #[expect(clippy::too_many_arguments, reason = "what a declaration says of a field; a struct would only rename it")]
    fn field(
        &mut self,
        node: Ts<'t>,
        kids: &Kids<'t>,
        ty: Option<Ts<'t>>,
        declared: &Declared<'t>,
        name_at: Ts<'t>,
        value: Option<Ts<'t>>,
        visibility: Visibility,
    ) {
        let name = self.l.name_of(name_at);
        let mut field = self.l.member(MemberKind::Field, name, name_at, node);
        field.ty = self.type_of(ty, declared);
        field.modifiers = self.modifiers(kids, visibility);
        let at_file_level = field.owner.is_none();
        field.modifiers.is_static |= at_file_level;
        let is_static_only = field.modifiers.is_static && !at_file_level && value.is_none();
        let made_at_once = !declared.indirect && !declared.array && !is_static_only && ty.is_some_and(|t| self.is_class_type(t));
        let field_type = field.ty;
        let id = self.l.add_member(field);
        let outer = self.l.open_body(id, node);
        let root = match (value, field_type) {
            (Some(value), _) if matches!(self.kind(value), Kind::InitializerList | Kind::ArgumentList) => {
                Some(self.made_by_list(value, field_type.filter(|_| made_at_once)))
            }
            (Some(value), _) => Some(self.node(value)),
            (None, Some(ty)) if made_at_once && !self.may_be_empty(ty) => {
                let args = self.l.list(&[]);
                Some(self.l.push(Node::New { ty, args, init: None, class: None }, name_at))
            }
            _ => None,
        };
        match root {
            Some(root) => self.l.close_body(outer, Some(root), true),
            None => self.l.drop_body(outer),
        }
    }

    /// Whether a value of a type made without arguments holds nothing yet.
    fn may_be_empty(&self, ty: yarrowgraph_ir::TypeRefId) -> bool {
        matches!(self.l.unit.type_ref(ty), TypeRef::Function { .. } | TypeRef::Indirect(_) | TypeRef::Inferred | TypeRef::Other)
    }

    /// `{a, b}` or `(a, b)` behind a name.
    pub(super) fn made_by_list(&mut self, list: Ts<'t>, ty: Option<yarrowgraph_ir::TypeRefId>) -> NodeId {
        let kids = self.l.items(list);
        let items = self.nodes(kids.named());
        match ty {
            // `State state{State::Open}` is that very value
            Some(ty) if items.len() == 1 && self.is_constant_of(items[0], ty) => items[0],
            Some(ty) if !self.may_be_empty(ty) => {
                let args = self.l.list(&items);
                self.l.push(Node::New { ty, args, init: None, class: None }, list)
            }
            _ => match items[..] {
                [] => self.l.push(Node::Null, list),
                [one] => one,
                _ => {
                    let items = self.l.list(&items);
                    self.l.push(Node::Collection { kind: yarrowgraph_ir::CollectionKind::List, items }, list)
                }
            },
        }
    }

    /// Whether a value is written as one that its type declares: `Gate::Open`.
    fn is_constant_of(&self, value: NodeId, ty: yarrowgraph_ir::TypeRefId) -> bool {
        let Node::Member { object, .. } = self.l.body.node(value) else { return false };
        let (Node::Name(scope) | Node::Member { name: scope, .. }) = self.l.body.node(object) else { return false };
        let TypeRef::Named { name, .. } = self.l.unit.type_ref(ty) else { return false };
        self.l.unit.text(*name).rsplit('.').next() == Some(self.l.unit.text(scope))
    }

    fn modifiers(&mut self, kids: &Kids<'t>, visibility: Visibility) -> Modifiers {
        let mut m = Modifiers { visibility, ..Modifiers::default() };
        for node in kids.all() {
            match self.kind(node) {
                Kind::StorageClass if self.l.text_of(node) == "static" => m.is_static = true,
                Kind::TypeQualifier if matches!(self.l.text_of(node), "const" | "constexpr") => m.is_readonly = true,
                Kind::PureVirtual => m.is_abstract = true,
                _ if node.kind() == "virtual" => m.is_virtual = true,
                _ => {}
            }
        }
        m
    }

    /// Variables and functions of a file or namespace.
    pub(super) fn variables(&mut self, node: Ts<'t>, params: &[TypeParam]) {
        self.fields(node, params, Visibility::Internal);
    }

    /// A function without a body.
    fn declare_function(&mut self, node: Ts<'t>, kids: &Kids<'t>, declared: &Declared<'t>, params: &[TypeParam], visibility: Visibility) {
        let Some(name_at) = declared.name else { return };
        let outer = self.l.context;
        if let Some((member, _)) = self.function_member(node, kids, declared, name_at, params, visibility) {
            self.l.add_member(member);
        }
        self.l.context = outer;
    }

    /// What a declaration says of a function, with the function declarator. The class that a
    /// qualified name belongs to is entered.
    fn function_member(
        &mut self,
        node: Ts<'t>,
        kids: &Kids<'t>,
        declared: &Declared<'t>,
        name_at: Ts<'t>,
        params: &[TypeParam],
        visibility: Visibility,
    ) -> Option<(yarrowgraph_ir::Member, Ts<'t>)> {
        let f = &self.t.fields;
        let declarator = declared.function?;
        let qualified = self.dotted(name_at);
        let outline = qualified.rsplit_once('.');
        if let Some((around, _)) = outline {
            self.enter_outline(around, node);
        }
        let text = outline.map_or(qualified.as_str(), |(_, simple)| simple).to_owned();
        let innermost = self.innermost(name_at).unwrap_or(name_at);
        let owner_name = self.l.context.owner.map(|o| self.l.unit.text(self.l.unit.ty(o).name).to_owned());
        let kind = match &owner_name {
            _ if text.starts_with('~') => MemberKind::Destructor,
            Some(owner) if *owner == text => MemberKind::Constructor,
            _ => MemberKind::Method,
        };
        let shown = match kind {
            MemberKind::Constructor => "",
            MemberKind::Destructor => "~",
            _ => text.as_str(),
        };
        let name = self.l.intern(shown);
        let is_signal = kind == MemberKind::Method && self.prepared.signals.iter().any(|s| s.contains(&node.start_byte()));
        let mut member = self.l.member(if is_signal { MemberKind::Event } else { kind }, name, innermost, node);
        member.modifiers = self.modifiers(kids, if is_signal { Visibility::Public } else { visibility });
        let parts = self.l.kids(declarator);
        member.modifiers.is_override = parts.named().any(|n| self.kind(n) == Kind::VirtualSpecifier);
        member.modifiers.is_virtual |= member.modifiers.is_override;
        // `= 0` stands behind the declarator of a field
        let pure = kids.field(f.default_value).is_some_and(|d| self.l.text_of(d) == "0");
        member.modifiers.is_abstract |= pure;
        member.modifiers.is_static |= member.owner.is_none();
        member.type_params = params.into();
        let is_indirect =
            kids.field(f.declarator).is_some_and(|d| matches!(self.kind(d), Kind::PointerDeclarator | Kind::ReferenceDeclarator));
        member.ty = kids.field(f.type_).map(|t| {
            let ty = self.ty(t);
            if is_indirect { self.l.type_ref(TypeRef::Indirect(ty)) } else { ty }
        });
        if is_signal {
            let result = self.no_type();
            member.ty = Some(self.l.type_ref(TypeRef::Function { params: Box::default(), result }));
            member.annotations.push(self.annotation_named("signal", node));
        }
        // whatever ties it by its name calls it
        let line_start = self.l.text[..node.start_byte()].rfind([';', '{', '}', ':']).unwrap_or(0);
        let is_slot = self.prepared.slots.iter().any(|s| s.contains(&node.start_byte()))
            || self.prepared.invokable.iter().any(|at| (line_start..=node.start_byte()).contains(at));
        if is_slot {
            member.modifiers.is_invokable = true;
            // a form may tie it to the signal that its name ends in
            let ends = text.strip_prefix("on_").into_iter().flat_map(|t| t.match_indices('_').map(|(at, _)| &t[at + 1..]));
            ends.for_each(|end| _ = self.l.intern(end));
        }
        if self.prepared.notified.contains(&text) {
            member.annotations.push(self.annotation_named("notified", node));
        }
        if self.prepared.told_by_property.contains(&text) {
            member.annotations.push(self.annotation_named("told-by-property", node));
        }
        if let Some(list) = parts.field(f.parameters) {
            member.params = self.params_without_values(list);
        }
        Some((member, declarator))
    }

    /// A function with its body.
    pub(super) fn function(&mut self, node: Ts<'t>, params: &[TypeParam], visibility: Visibility) {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let declared = self.declared(kids.field(f.declarator));
        let Some(name_at) = declared.name else { return };
        let outer_context = self.l.context;
        if let Some((member, declarator)) = self.function_member(node, &kids, &declared, name_at, params, visibility) {
            self.last_owner = member.owner.or(self.last_owner);
            let id = self.l.add_member(member);
            let outer = self.l.open_body(id, node);
            let parts = self.l.kids(declarator);
            if let Some(list) = parts.field(f.parameters) {
                let params = self.params(list);
                self.l.unit.members[id.0 as usize].params = params;
            }
            let mut items = Vec::new();
            if let Some(list) = kids.named().find(self.t.is(Kind::FieldInitializers)) {
                self.field_initializers(list, &mut items);
            }
            let body = kids.field(f.body).or_else(|| kids.named().find(self.t.is(Kind::Try))).map(|b| self.node(b));
            let root = match (body, items.is_empty()) {
                (body, true) => body,
                (body, false) => {
                    items.extend(body);
                    let list = self.l.list(&items);
                    Some(self.l.push(Node::Block(list), node))
                }
            };
            match root {
                Some(root) => self.l.close_body(outer, Some(root), false),
                None => self.l.drop_body(outer),
            }
        }
        self.l.context = outer_context;
    }

    /// `: Base(parent), m_pump(pump)`
    fn field_initializers(&mut self, list: Ts<'t>, items: &mut Vec<NodeId>) {
        let kids = self.l.items(list);
        for init in kids.named().filter(self.t.is(Kind::FieldInitializer)) {
            let parts = self.l.items(init);
            let Some(name_at) = parts.first() else { continue };
            let Some(values) = parts.last().filter(|v| Some(*v) != parts.first()) else { continue };
            let name_text = self.dotted(name_at);
            let inner = self.l.items(values);
            let args = self.nodes(inner.named());
            let is_base = self.is_base(&name_text);
            if is_base {
                let callee = self.l.push(Node::Super, name_at);
                let args = self.l.list(&args);
                items.push(self.l.push(Node::Call { callee, args, type_args: None, optional: false }, init));
                continue;
            }
            let this = self.l.push(Node::This, name_at);
            let name = self.l.intern(&name_text);
            let target = self.l.push(Node::Member { object: this, name, optional: false }, name_at);
            let value = match args[..] {
                [one] => one,
                [] => self.l.push(Node::Null, values),
                _ => {
                    let list = self.l.list(&args);
                    let is_braced = self.t.is(Kind::InitializerList)(&values);
                    let kind = yarrowgraph_ir::CollectionKind::List;
                    let whole = if is_braced { Node::Collection { kind, items: list } } else { Node::Opaque(list) };
                    self.l.push(whole, values)
                }
            };
            items.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value }, init));
        }
    }

    /// Whether a name in a list of initialisers is that of a base rather than of a field.
    fn is_base(&self, name: &str) -> bool {
        let simple = name.rsplit('.').next().unwrap_or(name);
        let Some(owner) = self.l.context.owner else { return false };
        let decl = self.l.unit.ty(owner);
        let named_so = decl.bases.iter().any(|b| match self.l.unit.type_ref(b.ty) {
            TypeRef::Named { name: base, .. } => self.l.unit.text(*base).rsplit('.').next() == Some(simple),
            _ => false,
        });
        // in a file of its own the bases are not known; classes begin with a capital, as fields do not
        named_so || (decl.outline && simple.starts_with(|c: char| c.is_uppercase()))
    }

    /// Parameters of a function without a body: their default values are of no body.
    fn params_without_values(&mut self, list: Ts<'t>) -> Vec<Param> {
        self.params_of(list, false)
    }

    /// Parameters.
    pub(super) fn params(&mut self, list: Ts<'t>) -> Vec<Param> {
        self.params_of(list, true)
    }

    fn params_of(&mut self, list: Ts<'t>, with_values: bool) -> Vec<Param> {
        let f = &self.t.fields;
        let kids = self.l.items(list);
        let mut params = Vec::new();
        for node in kids.named() {
            if !matches!(self.kind(node), Kind::ParamDecl | Kind::OptionalParam | Kind::VariadicParam) {
                continue;
            }
            let parts = self.l.kids(node);
            let declared = self.declared(parts.field(f.declarator));
            if declared.name.is_none()
                && parts.field(f.type_).is_some_and(|t| self.l.text_of(t) == "void")
                && parts.field(f.declarator).is_none()
            {
                continue;
            }
            let ty = self.type_of(parts.field(f.type_), &declared);
            let value = parts.field(f.default_value);
            params.push(Param {
                name: match declared.name {
                    Some(n) => self.l.name_of(n),
                    None => self.l.no_name(),
                },
                name_span: span(declared.name.unwrap_or(node)),
                ty,
                default: value.filter(|_| with_values).map(|v| self.node(v)),
                pattern: None,
                mode: if self.kind(node) == Kind::VariadicParam { ParamMode::Rest } else { ParamMode::Value },
                optional: value.is_some(),
                annotations: Vec::new(),
            });
        }
        params
    }
}
