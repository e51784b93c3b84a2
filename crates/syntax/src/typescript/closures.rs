//! Objects that are closures: a function that gives back an object whose methods share the function's variables
//! (`function makeGauge() { const watchers = []; return { watch(f) { watchers.push(f); } }; }`). The function is lowered as
//! one that makes an object of a class without a name, whose fields are the variables that are shared, and whose constructor is what
//! else the function does.

use rustc_hash::FxHashSet;
use tree_sitter::Node as Ts;
use yarrowgraph_ir::{AssignOp, Base, BaseKind, MemberKind, Modifiers, Name, Node, NodeId, TypeDeclId, TypeKind, TypeRef, Visibility};

use super::Script;
use super::classes::method_kind;
use super::kinds::Kind;
use super::shared::Shared;

/// An object that shares only what its maker was given has so many methods.
const METHODS: usize = 2;

/// A function that gives back an object of its own.
pub(super) struct Maker<'t> {
    pub(super) statements: Vec<Ts<'t>>,
    /// Whether it is nothing but an expression.
    pub(super) is_expression: bool,
    /// The object literal.
    pub(super) literal: Ts<'t>,
    /// The variable that holds it, where it has one.
    pub(super) whole: Option<&'t str>,
    /// Functions that the function declares, by name.
    pub(super) functions: Vec<(Ts<'t>, Ts<'t>)>,
    /// Variables and parameters that methods share with each other, by name.
    pub(super) shared: Vec<Ts<'t>>,
    /// Those of them that are parameters.
    pub(super) given: Vec<Ts<'t>>,
    /// What the parameters are written as.
    pub(super) params: Vec<Ts<'t>>,
}

/// What an object literal is made of.
#[derive(Clone, Copy)]
pub(super) struct LiteralParts {
    /// How many methods and functions it has.
    pub(super) methods: usize,
    /// Whether it has anything else.
    pub(super) state: bool,
}

impl<'t> Script<'t> {
    /// Lowers the body of a function that gives back an object of its own.
    pub(super) fn closure_object(&mut self, function: Ts<'t>, result: Option<yarrowgraph_ir::TypeRefId>) -> Option<NodeId> {
        let maker = self.maker(function)?;
        let empty = self.l.no_name();
        let class = self.open_type(function, maker.literal, empty, TypeKind::Class, false);
        // what it is said to give back is what the object is
        if let Some(ty) = result.filter(|t| matches!(self.l.unit.type_ref(*t), TypeRef::Named { .. })) {
            self.l.unit.types[class.0 as usize].bases = Box::new([Base { ty, kind: BaseKind::Implements }]);
        }
        self.members_of(&maker, class, None);
        self.constructor_of(&maker, class, function);
        let args: Vec<NodeId> = maker.params.iter().map(|p| self.handed_on(*p)).collect();
        let args = self.l.list(&args);
        let ty = self.l.type_ref(TypeRef::Other);
        let new = self.l.push(Node::New { ty, args, init: None, class: Some(class) }, maker.literal);
        self.l.body.types.push((class, new));
        if maker.is_expression {
            return Some(new);
        }
        let back = self.l.push(Node::Return(Some(new)), maker.literal);
        let list = self.l.list(&[back]);
        Some(self.l.push(Node::Block(list), function))
    }

    /// A parameter as the argument that the constructor is given.
    fn handed_on(&mut self, param: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(param) {
            Kind::Identifier => {
                let name = self.l.name_of(param);
                self.l.push(Node::Name(name), param)
            }
            Kind::AssignPattern => match self.l.kids(param).field(f.left) {
                Some(left) => self.handed_on(left),
                None => self.l.push(Node::Plain, param),
            },
            // put together again as it was taken apart
            Kind::ObjectPattern => {
                let mut names = Vec::new();
                let parts: Vec<Ts<'t>> = self.l.items(param).named().collect();
                for part in parts {
                    if matches!(self.kind(part), Kind::ShorthandPattern | Kind::ObjectAssignPattern) {
                        self.pattern_names(part, &mut names);
                    }
                }
                let entries: Vec<NodeId> = names
                    .into_iter()
                    .map(|at| {
                        let (key, name) = (self.l.key(at), self.l.name_of(at));
                        let value = self.l.push(Node::Name(name), at);
                        self.l.push(Node::Entry { key, value }, at)
                    })
                    .collect();
                let list = self.l.list(&entries);
                self.l.push(Node::Object(list), param)
            }
            _ => self.l.push(Node::Plain, param),
        }
    }

    /// What the function does besides, as the constructor of what it makes.
    fn constructor_of(&mut self, maker: &Maker<'t>, class: TypeDeclId, function: Ts<'t>) {
        let (context, instance) = (self.l.context, self.loose.instance.take());
        self.l.context.owner = Some(class);
        self.l.context.within = None;
        let empty = self.l.no_name();
        let mut member = self.l.member(MemberKind::Constructor, empty, maker.literal, function);
        member.modifiers.visibility = Visibility::Public;
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, function);
        let mut params = self.params_of(function);
        self.doc_params(function, &mut params);
        self.l.unit.members[id.0 as usize].params = params;
        let mut items = Vec::new();
        for given in &maker.given {
            items.push(self.keep(*given));
        }
        self.statements_of(maker, class, None, &mut items);
        let list = self.l.list(&items);
        let root = self.l.push(Node::Block(list), function);
        self.l.close_body(outer, Some(root), false);
        self.loose.instance = instance;
        self.l.context = context;
    }

    /// `this.x = x`
    pub(super) fn keep(&mut self, name_at: Ts<'t>) -> NodeId {
        let name = self.l.name_of(name_at);
        let value = self.l.push(Node::Name(name), name_at);
        let object = self.l.push(Node::This, name_at);
        let target = self.l.push(Node::Member { object, name, optional: false }, name_at);
        self.l.push(Node::Assign { op: AssignOp::Set, target, value }, name_at)
    }

    /// `const desk = (function () { … return { … }; })()`: the object is a class of which there is nothing but what is static.
    pub(super) fn closure_singleton(
        &mut self,
        value: Ts<'t>,
        name: Name,
        name_at: Ts<'t>,
        exported: bool,
        items: &mut Vec<NodeId>,
    ) -> bool {
        let Some(function) = self.called_in_place(value) else { return false };
        let Some(maker) = self.maker(function) else { return false };
        let class = self.open_type(value, name_at, name, TypeKind::Class, exported);
        self.members_of(&maker, class, Some(name));
        self.statements_of(&maker, class, Some(name), items);
        true
    }

    /// `const bus = { join(line, ear) { lines.get(line).add(ear); }, … }`: an object whose methods share collections of its own or of the
    /// module is a class of which there is nothing but what is static.
    pub(super) fn literal_singleton(&mut self, value: Ts<'t>, ty: Option<Ts<'t>>, name: Name, name_at: Ts<'t>, exported: bool) -> bool {
        if self.kind(value) != Kind::Object || self.shared.is_some() {
            return false;
        }
        let Some(parts) = self.parts_of_literal(value) else { return false };
        let text = self.l.text_of(value);
        let keeps = || parts.state && text.contains("this.") && parts.methods > 0;
        let shares = || parts.methods >= METHODS && self.module_collections(value).into_iter().any(|c| is_used(text, c));
        if !(keeps() || shares()) || self.is_prototype(name_at) {
            return false;
        }
        let class = self.open_type(value, name_at, name, TypeKind::Class, exported);
        if let Some(ty) = ty.map(|t| self.ty(t)).filter(|t| matches!(self.l.unit.type_ref(*t), TypeRef::Named { .. })) {
            self.l.unit.types[class.0 as usize].bases = Box::new([Base { ty, kind: BaseKind::Implements }]);
        }
        let (shared, functions, given, params) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        let maker = Maker { statements: Vec::new(), is_expression: true, literal: value, whole: None, functions, shared, given, params };
        self.members_of(&maker, class, Some(name));
        true
    }

    /// What an object literal is made of; nothing where it has parts that are not written out in it.
    pub(super) fn parts_of_literal(&mut self, object: Ts<'t>) -> Option<LiteralParts> {
        let mut parts = LiteralParts { methods: 0, state: false };
        let kids = self.l.items(object);
        for item in kids.named() {
            match self.kind(item) {
                Kind::MethodDef => parts.methods += 1,
                Kind::Pair => match self.l.kids(item).field(self.t.fields.value).map(|v| self.kind(v)) {
                    Some(Kind::FunctionExpr | Kind::Arrow | Kind::Generator) => parts.methods += 1,
                    _ => parts.state = true,
                },
                // what is mixed in is not shown
                _ => return None,
            }
        }
        Some(parts)
    }

    /// Whether others are made after an object: then it is a prototype.
    pub(super) fn is_prototype(&self, name_at: Ts<'t>) -> bool {
        self.l.text.contains(&format!("Object.create({}", self.l.text_of(name_at)))
    }

    /// The variables of the module around a node that hold collections, as they are declared.
    fn module_collections(&self, node: Ts<'t>) -> Vec<&'t str> {
        let mut root = node;
        while let Some(around) = root.parent() {
            root = around;
        }
        let f = &self.t.fields;
        let mut found = Vec::new();
        let mut cursor = root.walk();
        for statement in root.named_children(&mut cursor) {
            if !matches!(self.kind(statement), Kind::LexicalDecl | Kind::VariableDecl) {
                continue;
            }
            let mut cursor = statement.walk();
            for declarator in statement.named_children(&mut cursor) {
                let part = |field: u16| declarator.child_by_field_id(field);
                let (Some(name), Some(value)) = (part(f.name), part(f.value)) else { continue };
                let text = self.l.text_of(value);
                let is_made = ["new Map", "new Set", "new Array", "new WeakMap", "Object.create(null)"].iter().any(|m| text.starts_with(m));
                if is_made || matches!(text, "[]" | "{}") {
                    found.push(self.l.text_of(name));
                }
            }
        }
        found
    }

    /// The function in `(function () { … })()` that is given nothing.
    fn called_in_place(&mut self, value: Ts<'t>) -> Option<Ts<'t>> {
        let f = &self.t.fields;
        if self.kind(value) != Kind::Call {
            return None;
        }
        let kids = self.l.kids(value);
        let (mut callee, arguments) = (kids.field(f.function)?, kids.field(f.arguments)?);
        while self.kind(callee) == Kind::Parens {
            callee = self.l.items(callee).first()?;
        }
        let is_plain = matches!(self.kind(callee), Kind::FunctionExpr | Kind::Arrow) && self.l.items(arguments).first().is_none();
        is_plain.then_some(callee)
    }

    /// What a function is made of that gives back an object whose methods share variables of the function.
    fn maker(&mut self, function: Ts<'t>) -> Option<Maker<'t>> {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let body = kids.field(f.body)?;
        if kids.has_token("async") || kids.has_token("*") || self.shared.is_some() {
            return None;
        }
        // `gauge => ({ … })` is one statement, which gives the object back
        let is_block = self.kind(body) == Kind::StatementBlock;
        let statements: Vec<Ts<'t>> = if is_block { self.l.items(body).named().collect() } else { vec![body] };
        let (last, _) = statements.split_last()?;
        if is_block && self.kind(*last) != Kind::Return {
            return None;
        }
        let mut given = if is_block { self.l.items(*last).first()? } else { body };
        // `Object.freeze({ … })`
        loop {
            given = match self.kind(given) {
                Kind::Parens | Kind::As | Kind::Satisfies => self.l.items(given).first()?,
                Kind::Call if self.l.text_of(given).starts_with("Object.freeze(") => {
                    let arguments = self.l.kids(given).field(f.arguments)?;
                    self.l.items(arguments).first()?
                }
                _ => break,
            };
        }
        let mut functions = Vec::new();
        let mut variables = Vec::new();
        let (mut literal, mut whole) = ((self.kind(given) == Kind::Object).then_some(given), None);
        for statement in &statements {
            match self.kind(*statement) {
                Kind::FunctionDecl | Kind::GeneratorDecl => {
                    if let Some(name) = self.l.kids(*statement).field(f.name) {
                        functions.push((name, *statement));
                    }
                }
                Kind::LexicalDecl | Kind::VariableDecl => {
                    for (_, name, value) in self.declarators(*statement) {
                        if self.kind(name) != Kind::Identifier {
                            self.identifiers(name, &mut variables);
                            continue;
                        }
                        match value {
                            Some(value) if self.kind(value) == Kind::Object && self.l.text_of(name) == self.l.text_of(given) => {
                                (literal, whole) = (Some(value), Some(self.l.text_of(name)));
                            }
                            Some(value) if matches!(self.kind(value), Kind::Arrow | Kind::FunctionExpr) => functions.push((name, value)),
                            _ => variables.push(name),
                        }
                    }
                }
                _ => {}
            }
        }
        let literal = literal?;
        let mut used = Vec::new();
        for (_, inner) in &functions {
            self.identifiers(*inner, &mut used);
        }
        let mut has_methods = false;
        let mut functions_alone = 0;
        let entries: Vec<Ts<'t>> = self.l.items(literal).named().collect();
        let entry_count = entries.len();
        for entry in entries {
            let parts = self.l.kids(entry);
            match self.kind(entry) {
                Kind::MethodDef => (has_methods, functions_alone) = (true, functions_alone + 1),
                Kind::Pair => {
                    let value = parts.field(f.value)?;
                    functions_alone += usize::from(matches!(self.kind(value), Kind::Arrow | Kind::FunctionExpr));
                    has_methods |= matches!(self.kind(value), Kind::Arrow | Kind::FunctionExpr) || self.is_among(value, &functions);
                    if parts.field(f.key).is_none_or(|k| self.kind(k) == Kind::Computed) {
                        return None;
                    }
                }
                Kind::ShorthandProperty => has_methods |= self.is_among(entry, &functions),
                // what else there is in it is not shown
                _ => return None,
            }
            self.identifiers(entry, &mut used);
        }
        let mut params = Vec::new();
        match (kids.field(f.parameters), kids.field(f.parameter)) {
            (Some(list), _) => {
                let listed: Vec<Ts<'t>> = self.l.items(list).named().collect();
                for param in listed {
                    params.push(self.l.kids(param).field(f.pattern).unwrap_or(param));
                }
            }
            (None, Some(single)) => params.push(single),
            (None, None) => {}
        }
        let mut names = Vec::new();
        for param in &params {
            self.pattern_names(*param, &mut names);
        }
        let mut used: FxHashSet<&'t str> = used.into_iter().map(|n| self.l.text_of(n)).collect();
        let shared: Vec<Ts<'t>> = variables.iter().copied().filter(|n| used.contains(self.l.text_of(*n))).collect();
        // what methods share may be no more than what the function was given: then they must be all that there is, and several
        let of_given =
            functions_alone == entry_count && functions_alone >= METHODS && names.iter().any(|n| used.contains(self.l.text_of(*n)));
        if !has_methods || shared.is_empty() && !of_given {
            return None;
        }
        // what the first values of shared variables are made of is shared too
        let (mut all, mut at) = (shared, 0);
        while let Some(variable) = all.get(at).copied() {
            at += 1;
            let first = variable.parent().filter(self.t.is(Kind::Declarator)).and_then(|d| self.l.kids(d).field(f.value));
            let mut of_first = Vec::new();
            if let Some(first) = first {
                self.identifiers(first, &mut of_first);
            }
            used.extend(of_first.into_iter().map(|n| self.l.text_of(n)));
            let more = variables.iter().filter(|v| used.contains(self.l.text_of(**v)) && !all.contains(v));
            let more: Vec<Ts<'t>> = more.copied().collect();
            all.extend(more);
        }
        let given: Vec<Ts<'t>> = names.into_iter().filter(|n| used.contains(self.l.text_of(*n))).collect();
        let shared = all.into_iter().chain(given.iter().copied()).collect();
        Some(Maker { statements, is_expression: !is_block, literal, whole, functions, shared, given, params })
    }

    fn is_among(&self, node: Ts<'t>, functions: &[(Ts<'t>, Ts<'t>)]) -> bool {
        functions.iter().any(|(name, _)| self.l.text_of(*name) == self.l.text_of(node))
    }

    /// The members of the object: the variables that its methods share, the functions, and what the literal lists.
    pub(super) fn members_of(&mut self, maker: &Maker<'t>, class: TypeDeclId, object: Option<Name>) {
        let f = &self.t.fields;
        let context = self.l.context;
        self.l.context.owner = Some(class);
        self.l.context.within = None;
        let instance = self.loose.instance.take();
        let modifiers = |visibility| Modifiers { visibility, is_static: object.is_some(), ..Modifiers::default() };
        self.share(maker, class, object);
        for variable in &maker.shared {
            let name = self.l.name_of(*variable);
            let mut field = self.l.member(MemberKind::Field, name, *variable, *variable);
            field.modifiers = modifiers(Visibility::Private);
            let declarator = variable.parent().filter(self.t.is(Kind::Declarator));
            let mut first = None;
            if let Some(declarator) = declarator {
                let parts = self.l.kids(declarator);
                field.ty = parts.field(f.type_).map(|t| self.ty(t)).or_else(|| self.doc_type_of(declarator));
                field.modifiers.is_readonly = declarator.parent().is_some_and(|p| self.l.text_of(p).starts_with("const"));
                first = parts.field(f.value);
            }
            let id = self.l.add_member(field);
            if let Some(first) = first {
                let outer = self.l.open_body(id, first);
                let root = self.node(first);
                self.l.close_body(outer, Some(root), true);
            }
        }
        let mut handed_out = Vec::new();
        let entries: Vec<Ts<'t>> = match self.kind(maker.literal) {
            Kind::Object => self.l.items(maker.literal).named().collect(),
            _ => Vec::new(),
        };
        for entry in entries {
            let parts = self.l.kids(entry);
            match self.kind(entry) {
                Kind::MethodDef => {
                    let Some(name_at) = parts.field(f.name) else { continue };
                    let name = self.property_name(name_at);
                    self.shared_method(entry, method_kind(&parts), name, name_at, modifiers(Visibility::Public));
                }
                Kind::ShorthandProperty => handed_out.push(self.l.text_of(entry)),
                Kind::Pair => {
                    let (Some(key), Some(value)) = (parts.field(f.key), parts.field(f.value)) else { continue };
                    let name = self.property_name(key);
                    if matches!(self.kind(value), Kind::Arrow | Kind::FunctionExpr) {
                        self.shared_method(value, MemberKind::Method, name, key, modifiers(Visibility::Public));
                    } else if self.l.unit.text(name) == self.l.text_of(value) {
                        handed_out.push(self.l.text_of(value));
                    } else {
                        self.shared_value(value, name, key, modifiers(Visibility::Public));
                    }
                }
                _ => {}
            }
        }
        for (name_at, function) in &maker.functions {
            let text = self.l.text_of(*name_at);
            let name = self.l.intern(text);
            // a method of the literal may only call the function of its name
            let taken = self.l.unit.ty(class).members.iter().any(|m| self.l.unit.member(*m).name == name);
            let visibility = if handed_out.contains(&text) { Visibility::Public } else { Visibility::Private };
            if !taken {
                self.shared_method(*function, MemberKind::Method, name, *name_at, modifiers(visibility));
            }
        }
        for member in self.l.unit.ty(class).members.clone() {
            let member = &mut self.l.unit.members[member.0 as usize];
            if member.kind == MemberKind::Field && handed_out.contains(&self.l.unit.names.text(member.name)) {
                member.modifiers.visibility = Visibility::Public;
            }
        }
        self.shared = None;
        self.loose.instance = instance;
        self.l.context = context;
    }

    pub(super) fn shared_method(&mut self, function: Ts<'t>, kind: MemberKind, name: Name, name_at: Ts<'t>, modifiers: Modifiers) {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let mut member = self.l.member(kind, name, name_at, function);
        member.modifiers = Modifiers { is_async: kids.has_token("async"), ..modifiers };
        member.ty = kids.field(f.return_type).map(|t| self.ty(t)).or_else(|| self.doc_result(function));
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, function);
        let hidden = self.hide(function);
        let mut params = self.params_of(function);
        self.doc_params(function, &mut params);
        self.l.unit.members[id.0 as usize].params = params;
        let body = kids.field(f.body);
        let returns_root = body.is_some_and(|b| self.kind(b) != Kind::StatementBlock);
        let root = body.map(|b| self.node(b));
        self.show(hidden);
        self.l.close_body(outer, root, returns_root);
    }

    fn shared_value(&mut self, value: Ts<'t>, name: Name, name_at: Ts<'t>, modifiers: Modifiers) {
        let mut field = self.l.member(MemberKind::Field, name, name_at, value);
        field.modifiers = modifiers;
        let id = self.l.add_member(field);
        let outer = self.l.open_body(id, value);
        let root = self.node(value);
        self.l.close_body(outer, Some(root), true);
    }

    /// What the function does besides, with its variables as members of the object.
    fn statements_of(&mut self, maker: &Maker<'t>, class: TypeDeclId, object: Option<Name>, items: &mut Vec<NodeId>) {
        self.share(maker, class, object);
        let statements = &maker.statements[..maker.statements.len() - 1];
        for statement in statements {
            match self.kind(*statement) {
                Kind::FunctionDecl | Kind::GeneratorDecl => {}
                Kind::LexicalDecl | Kind::VariableDecl => {
                    for (declarator, name_at, value) in self.declarators(*statement) {
                        let text = self.l.text_of(name_at);
                        if maker.functions.iter().any(|(name, _)| *name == name_at) || maker.whole == Some(text) {
                            continue;
                        }
                        if self.kind(name_at) == Kind::Identifier {
                            // its first value is that of the field
                            if !self.is_shared(text) {
                                let (name, init) = (self.l.name_of(name_at), value.map(|v| self.node(v)));
                                items.push(self.l.push(Node::Local { name, ty: None, init, constant: true }, declarator));
                            }
                            continue;
                        }
                        let init = value.map(|v| self.node(v));
                        items.push(self.pattern(name_at, init));
                        let mut names = Vec::new();
                        self.pattern_names(name_at, &mut names);
                        for name in names {
                            if self.is_shared(self.l.text_of(name)) {
                                items.push(self.keep(name));
                            }
                        }
                    }
                }
                _ => items.push(self.node(*statement)),
            }
        }
        self.shared = None;
    }

    /// From here on the names of the variables and functions mean members of the object.
    pub(super) fn share(&mut self, maker: &Maker<'t>, class: TypeDeclId, object: Option<Name>) {
        let own = maker.shared.iter().chain(maker.functions.iter().map(|(name, _)| name));
        let names = own.map(|n| self.l.text_of(*n)).collect();
        let class = self.l.unit.ty(class).name;
        self.shared = Some(Shared { names, whole: maker.whole, object, class, is_inner: false, depth: 0, hidden: Vec::new() });
    }
}

/// Whether a text uses a variable by name: asks it for something.
fn is_used(text: &str, name: &str) -> bool {
    text.match_indices(name).any(|(at, _)| {
        let before = text[..at].chars().next_back();
        let after = text[at + name.len()..].chars().next();
        matches!(after, Some('.' | '[' | '?')) && !before.is_some_and(|c| c.is_alphanumeric() || matches!(c, '_' | '$' | '.'))
    })
}
