//! Expressions.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AccessorKind, AssignOp, BinaryOp, CaptureMode, CollectionKind, Function, LambdaForm, List, MemberKind, Name, Node, NodeId, Param,
    ParamMode, TypeRef, UnaryOp,
};

use super::Script;
use super::classes::method_kind;
use super::kinds::Kind;
use crate::driver::{Nodes, span, steps_down};

impl<'t> Script<'t> {
    pub(super) fn expression(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Identifier if self.shared.is_some() => self.shared_name(node),
            Kind::Identifier | Kind::PropertyIdentifier | Kind::TypeIdentifier => {
                let name = self.l.name_of(node);
                self.l.push(Node::Name(name), node)
            }
            Kind::This => self.l.push(Node::This, node),
            Kind::Super => self.l.push(Node::Super, node),
            Kind::Parens | Kind::JsxExpression | Kind::TemplateSubstitution => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::Member => {
                let kids = self.l.kids(node);
                let (Some(object), Some(property)) = (kids.field(f.object), kids.field(f.property)) else {
                    return self.l.push(Node::Plain, node);
                };
                let object = self.node(object);
                let name = self.l.name_of(property);
                self.l.push(Node::Member { object, name, optional: is_optional(&kids, self) }, node)
            }
            Kind::Subscript => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.field(f.object), node);
                let index = self.node_or_empty(kids.field(f.index), node);
                let keys = self.l.list(&[index]);
                self.l.push(Node::Index { object, keys, optional: is_optional(&kids, self) }, node)
            }
            Kind::Call => match self.require_in_place(node).or_else(|| self.prototype_call(node)) {
                Some(done) => done,
                None => self.call(node),
            },
            Kind::New => self.creation(node),
            Kind::Arrow | Kind::FunctionExpr | Kind::Generator => self.function_expression(node),
            Kind::Assign => {
                if let Some(done) = self.prototype_assignment(node).or_else(|| self.method_of_constructor(node)) {
                    return done;
                }
                let kids = self.l.kids(node);
                let left = kids.field(f.left);
                let value = self.node_or_empty(kids.field(f.right), node);
                let target = match left {
                    Some(l) if matches!(self.kind(l), Kind::ObjectPattern | Kind::ArrayPattern) => {
                        // takes apart into variables that are there already
                        let kids = self.l.items(l);
                        let items = self.nodes(kids.named());
                        let list = self.l.list(&items);
                        self.l.push(Node::Opaque(list), l)
                    }
                    other => self.node_or_empty(other, node),
                };
                self.note_assigned(target, node);
                self.l.push(Node::Assign { op: AssignOp::Set, target, value }, node)
            }
            Kind::AugmentedAssign => {
                let kids = self.l.kids(node);
                let op = match kids.field(f.operator).map(|o| o.kind()) {
                    Some("+=") => AssignOp::Add,
                    Some("-=") => AssignOp::Sub,
                    Some("??=" | "||=") => AssignOp::IfUnset,
                    _ => AssignOp::Other,
                };
                let target = self.node_or_empty(kids.field(f.left), node);
                let value = self.node_or_empty(kids.field(f.right), node);
                self.note_assigned(target, node);
                self.l.push(Node::Assign { op, target, value }, node)
            }
            Kind::Binary => {
                let kids = self.l.kids(node);
                let op_text = kids.field(f.operator).map_or("", |o| o.kind());
                let left = self.node_or_empty(kids.field(f.left), node);
                let right_node = kids.field(f.right);
                if op_text == "instanceof"
                    && let Some(right) = right_node
                {
                    let plain: String = self.l.text_of(right).split_whitespace().collect();
                    let name = self.l.intern(&plain);
                    let ty = Some(self.l.named_type(name));
                    return self.l.push(Node::TypeTest { object: left, ty, binding: None }, node);
                }
                let right = self.node_or_empty(right_node, node);
                self.l.push(Node::Binary { op: binary_op(op_text), left, right }, node)
            }
            Kind::Unary => {
                let kids = self.l.kids(node);
                let op = match kids.field(f.operator).map(|o| o.kind()) {
                    Some("!") => UnaryOp::Not,
                    Some("typeof") => UnaryOp::TypeOf,
                    Some("delete") => UnaryOp::Delete,
                    Some("void") => UnaryOp::Void,
                    _ => UnaryOp::Arithmetic,
                };
                let operand = self.node_or_empty(kids.field(f.argument), node);
                self.l.push(Node::Unary { op, operand }, node)
            }
            Kind::Update | Kind::Await | Kind::NonNull | Kind::Spread => {
                let op = match self.kind(node) {
                    Kind::Update => UnaryOp::Step { down: steps_down(self.l.text_of(node)) },
                    Kind::Await => UnaryOp::Await,
                    Kind::NonNull => UnaryOp::NonNull,
                    _ => UnaryOp::Spread,
                };
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                self.l.push(Node::Unary { op, operand }, node)
            }
            Kind::Yield => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Yield(value), node)
            }
            Kind::Ternary => {
                let kids = self.l.kids(node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let then = self.node_or_empty(kids.field(f.consequence), node);
                let other = self.node_or_empty(kids.field(f.alternative), node);
                self.l.push(Node::Conditional { cond, then, other }, node)
            }
            Kind::As | Kind::Satisfies => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                match kids.last().filter(|t| Some(*t) != kids.first()) {
                    Some(t) if self.kind(node) == Kind::As && self.l.text_of(t) != "const" => {
                        let ty = self.ty(t);
                        self.l.push(Node::Cast { ty, operand }, node)
                    }
                    _ => operand,
                }
            }
            // `<Gauge>found`
            Kind::TypeAssertion => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.last(), node);
                let written = kids.first().filter(|t| self.kind(*t) == Kind::TypeArguments).map(|t| self.l.items(t));
                match written.and_then(|types| types.first()).filter(|t| self.l.text_of(*t) != "const") {
                    Some(ty) => {
                        let ty = self.ty(ty);
                        self.l.push(Node::Cast { ty, operand }, node)
                    }
                    None => operand,
                }
            }
            Kind::Instantiation => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::Array => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let items = self.l.list(&items);
                self.l.push(Node::Collection { kind: CollectionKind::List, items }, node)
            }
            Kind::Object => self.object(node),
            Kind::Class => {
                let id = self.class(node, false);
                self.class_in_body(id, node)
            }
            Kind::String => {
                let text = self.unquoted(node);
                let name = self.l.intern(text);
                self.l.push(Node::Str(name), node)
            }
            Kind::Template => self.template(node),
            Kind::Number => {
                let name = self.l.name_of(node);
                self.l.push(Node::Num(name), node)
            }
            Kind::True => self.l.push(Node::Bool(true), node),
            Kind::False => self.l.push(Node::Bool(false), node),
            Kind::Null | Kind::Undefined => self.l.push(Node::Null, node),
            Kind::Regex | Kind::JsxText | Kind::JsxClosing | Kind::OptionalChain => self.l.push(Node::Plain, node),
            Kind::JsxElement | Kind::JsxSelfClosing => self.element(node),
            _ => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                if items.is_empty() {
                    return self.l.push(Node::Plain, node);
                }
                let list = self.l.list(&items);
                self.l.push(Node::Opaque(list), node)
            }
        }
    }

    fn call(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        if let (Some(function), Some(arguments)) = (kids.field(f.function), kids.field(f.arguments))
            && let Some(assigned) = self.assigned_at_once(node, function, arguments)
        {
            return assigned;
        }
        let forwarded = kids.field(f.function).zip(kids.field(f.arguments)).and_then(|(function, list)| self.forwarded(function, list));
        let called = forwarded.as_ref().map(|(called, _)| *called).or(kids.field(f.function));
        let callee = self.node_or_empty(called, node);
        let type_args = kids.field(f.type_arguments).map(|list| {
            let list = self.l.kids(list);
            let args: Box<[_]> = list.named().map(|t| self.ty(t)).collect();
            self.l.body.type_lists.push(args);
            (self.l.body.type_lists.len() - 1) as u16
        });
        let args = match (forwarded, kids.field(f.arguments)) {
            (Some((_, handed)), _) => self.l.list(&handed),
            (None, Some(list)) if self.kind(list) == Kind::Arguments => {
                let list = self.l.kids(list);
                let items = self.nodes(list.named());
                self.l.list(&items)
            }
            (None, Some(template)) => {
                let item = self.node(template);
                self.l.list(&[item])
            }
            (None, None) => List::default(),
        };
        self.name_parts(callee, args);
        let optional = is_optional(&kids, self);
        self.l.push(Node::Call { callee, args, type_args, optional }, node)
    }

    /// `Object.assign(this, { gauge, level: 3 })` gives each member its value.
    fn assigned_at_once(&mut self, node: Ts<'t>, function: Ts<'t>, arguments: Ts<'t>) -> Option<NodeId> {
        let f = &self.t.fields;
        if self.kind(arguments) != Kind::Arguments || self.l.text_of(function) != "Object.assign" {
            return None;
        }
        let args: Vec<Ts<'t>> = self.l.kids(arguments).named().collect();
        let [this, object] = args[..] else { return None };
        if self.kind(this) != Kind::This || self.kind(object) != Kind::Object {
            return None;
        }
        let items: Vec<Ts<'t>> = self.l.kids(object).named().collect();
        let is_plain = |i: &Ts<'t>| match self.kind(*i) {
            Kind::ShorthandProperty => true,
            Kind::Pair => !self.l.text_of(*i).starts_with('['),
            _ => false,
        };
        if !items.iter().all(is_plain) {
            return None;
        }
        let mut all = Vec::new();
        for item in items {
            let parts = self.l.kids(item);
            let (name, value) = match self.kind(item) {
                Kind::Pair => (self.property_name(parts.field(f.key)?), self.node_or_empty(parts.field(f.value), item)),
                _ => (self.l.name_of(item), self.shared_name(item)),
            };
            let of = self.l.push(Node::This, item);
            let target = self.l.push(Node::Member { object: of, name, optional: false }, item);
            self.note_assigned(target, item);
            all.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value }, item));
        }
        let list = self.l.list(&all);
        Some(self.l.push(Node::Opaque(list), node))
    }

    /// Several events in one text, the names behind their dots, and the selector of what is below an element are names of the tree as
    /// well: `$root.on('click.loans keyup.loans', 'a.loan', f)`.
    fn name_parts(&mut self, callee: NodeId, args: List) {
        const EVENT_METHODS: [&str; 10] =
            ["on", "off", "one", "bind", "unbind", "delegate", "undelegate", "trigger", "triggerHandler", "once"];
        let Node::Member { name, .. } = self.l.body.node(callee) else { return };
        if !EVENT_METHODS.contains(&self.l.unit.names.text(name)) {
            return;
        }
        let texts: Vec<String> = self
            .l
            .body
            .list(args)
            .iter()
            .take(2)
            .filter_map(|a| match self.l.body.node(*a) {
                Node::Str(text) => Some(self.l.unit.names.text(text).to_owned()),
                _ => None,
            })
            .collect();
        for text in &texts {
            for part in text.split_whitespace() {
                for name in part.splitn(2, '.') {
                    self.l.intern(name);
                }
            }
        }
        if let [_, _] = &texts[..] {
            for text in &texts {
                self.l.intern(&format!("» {text}"));
            }
        }
    }

    fn creation(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(constructor) = kids.field(f.constructor) else {
            return self.l.push(Node::Plain, node);
        };
        let plain: String = self.l.text_of(constructor).split_whitespace().collect();
        let is_name = matches!(self.kind(constructor), Kind::Identifier | Kind::Member);
        let ty = if is_name {
            let name = self.l.intern(&plain);
            let args = match kids.field(f.type_arguments) {
                Some(list) => {
                    let list = self.l.kids(list);
                    list.named().map(|t| self.ty(t)).collect()
                }
                None => Box::default(),
            };
            self.l.type_ref(TypeRef::Named { name, args })
        } else {
            self.l.type_ref(TypeRef::Other)
        };
        let mut items = match kids.field(f.arguments) {
            Some(list) => {
                let list = self.l.kids(list);
                self.nodes(list.named())
            }
            None => Nodes::new(),
        };
        let mut class = None;
        if !is_name {
            let inner = self.node(constructor);
            match self.l.body.node(inner) {
                Node::Class(id) => class = Some(id),
                _ => items.push(inner),
            }
        }
        let args = self.l.list(&items);
        self.l.push(Node::New { ty, args, init: None, class }, node)
    }

    pub(super) fn local_function(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(self.t.fields.name) else {
            return self.l.push(Node::Plain, node);
        };
        let name = self.l.name_of(name_node);
        // a method by now
        if self.is_shared(self.l.text_of(name_node)) {
            return self.l.push(Node::Empty, node);
        }
        if self.is_constructor(self.l.text_of(name_node), node) {
            let class = self.constructor_class(node, name, name_node, false);
            return self.class_in_body(class, node);
        }
        let id = self.closure(node, Some(name), CaptureMode::Own, LambdaForm::Local);
        self.l.push(Node::Local { name, ty: None, init: Some(id), constant: true }, name_node)
    }

    pub(super) fn class_in_body(&mut self, id: yarrowgraph_ir::TypeDeclId, node: Ts<'t>) -> NodeId {
        let at = self.l.push(Node::Class(id), node);
        self.l.body.types.push((id, at));
        at
    }

    fn function_expression(&mut self, node: Ts<'t>) -> NodeId {
        let this = if self.kind(node) == Kind::Arrow { CaptureMode::Lexical } else { CaptureMode::Own };
        // `function go(at) { … go(at + 1) … }` knows itself by its name
        let own = self.l.kids(node).field(self.t.fields.name).map(|name| self.l.name_of(name));
        self.closure(node, own, this, LambdaForm::Lambda)
    }

    /// The parameters of a function: a list, or one without parentheses.
    pub(super) fn params_of(&mut self, function: Ts<'t>) -> Vec<Param> {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        match (kids.field(f.parameters), kids.field(f.parameter)) {
            (Some(list), _) => {
                let mut params = self.params(list).0;
                params.extend(self.all_given(function, list));
                params
            }
            (None, Some(single)) => vec![Param {
                name: self.l.name_of(single),
                name_span: span(single),
                ty: None,
                default: None,
                pattern: None,
                mode: ParamMode::Value,
                optional: false,
                annotations: Vec::new(),
            }],
            (None, None) => Vec::new(),
        }
    }

    fn closure(&mut self, node: Ts<'t>, name: Option<Name>, this: CaptureMode, form: LambdaForm) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let this = if self.keeps_object(node) || self.is_bound_here(node) { CaptureMode::Lexical } else { this };
        let was_inner = self.enter_own(this == CaptureMode::Own);
        let hidden = self.hide(node);
        let instance = self.loose.instance;
        if this == CaptureMode::Own {
            self.loose.instance = None;
        }
        let mut params = self.params_of(node);
        self.doc_params(node, &mut params);
        let body_node = kids.field(f.body);
        let returns_body = body_node.is_some_and(|b| self.kind(b) != Kind::StatementBlock);
        let result = kids.field(f.return_type).map(|t| self.ty(t));
        let is_async = kids.has_token("async");
        let index = self.l.function(Function { name, params, result, body: None, returns_body, this, form, is_async });
        let body = body_node.map(|b| self.node(b));
        self.show(hidden);
        self.leave_own(was_inner);
        self.loose.instance = instance;
        self.l.body.functions[index.0 as usize].body = body;
        self.l.push(Node::Lambda(index), node)
    }

    fn object(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let mut entries = Vec::new();
        for item in kids.named() {
            let parts = self.l.kids(item);
            match self.kind(item) {
                Kind::Pair => {
                    let Some(key_node) = parts.field(f.key) else {
                        continue;
                    };
                    let key = self.entry_key(key_node);
                    let value = self.node_or_empty(parts.field(f.value), item);
                    entries.push(self.l.push(Node::Entry { key, value }, item));
                }
                Kind::ShorthandProperty => {
                    let key = self.l.key(item);
                    let value = self.shared_name(item);
                    entries.push(self.l.push(Node::Entry { key, value }, item));
                }
                Kind::MethodDef => {
                    let Some(name_node) = parts.field(f.name) else {
                        continue;
                    };
                    let key = self.entry_key(name_node);
                    let name = self.property_name(name_node);
                    let value = self.closure(item, Some(name), CaptureMode::Own, LambdaForm::Method);
                    // what a setter does is no value of the object
                    let is_setter = method_kind(&parts) == MemberKind::Accessor(AccessorKind::Set);
                    let entry = if is_setter { Node::Opaque(self.l.list(&[value])) } else { Node::Entry { key, value } };
                    entries.push(self.l.push(entry, item));
                }
                _ => entries.push(self.node(item)),
            }
        }
        let list = self.l.list(&entries);
        self.l.push(Node::Object(list), node)
    }

    fn entry_key(&mut self, node: Ts<'t>) -> NodeId {
        if self.kind(node) == Kind::Computed {
            let kids = self.l.items(node);
            return self.node_or_empty(kids.first(), node);
        }
        let name = self.property_name(node);
        self.l.push(Node::Str(name), node)
    }

    fn template(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.items(node);
        let mut parts = Vec::new();
        let mut constant = true;
        for part in kids.named() {
            match self.kind(part) {
                Kind::TemplateSubstitution => {
                    constant = false;
                    parts.push(self.node(part));
                }
                _ => {
                    let name = self.l.name_of(part);
                    parts.push(self.l.push(Node::Str(name), part));
                }
            }
        }
        match parts[..] {
            [one] if constant => one,
            _ => {
                let list = self.l.list(&parts);
                self.l.push(Node::Template(list), node)
            }
        }
    }

    fn element(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let head = if self.kind(node) == Kind::JsxElement { kids.field(f.open_tag) } else { Some(node) };
        let mut items = Vec::new();
        if let Some(head) = head {
            let parts = self.l.kids(head);
            if let Some(name) = parts.field(f.name) {
                let name_id = self.l.name_of(name);
                items.push(self.l.push(Node::Name(name_id), name));
            }
            let attributes: Vec<_> = parts.fields(f.attribute).collect();
            for attribute in attributes {
                items.push(self.attribute(attribute));
            }
        }
        if self.kind(node) == Kind::JsxElement {
            let children: Vec<_> =
                kids.named().filter(|n| !matches!(self.kind(*n), Kind::JsxOpening | Kind::JsxClosing | Kind::JsxText)).collect();
            items.extend(self.nodes(children));
        }
        let list = self.l.list(&items);
        self.l.push(Node::Element(list), node)
    }

    fn attribute(&mut self, node: Ts<'t>) -> NodeId {
        if self.kind(node) != Kind::JsxAttribute {
            return self.node(node);
        }
        let kids = self.l.items(node);
        let mut named = kids.named();
        let key = match named.next() {
            Some(n) => self.l.key(n),
            None => self.l.push(Node::Plain, node),
        };
        let value = match named.next() {
            Some(v) => self.node(v),
            None => self.l.push(Node::Bool(true), node),
        };
        self.l.push(Node::Entry { key, value }, node)
    }
}

/// Whether `?.` stands among the children.
fn is_optional(kids: &crate::driver::Kids<'_>, script: &Script<'_>) -> bool {
    kids.all().any(|n| n.kind() == "?." || (n.is_named() && script.t.kind(n) == Kind::OptionalChain))
}

fn binary_op(op: &str) -> BinaryOp {
    match op {
        "&&" => BinaryOp::And,
        "||" => BinaryOp::Or,
        "??" => BinaryOp::Coalesce,
        "==" | "===" => BinaryOp::Eq,
        "!=" | "!==" => BinaryOp::Ne,
        "<" => BinaryOp::Lt,
        "<=" => BinaryOp::Le,
        ">" => BinaryOp::Gt,
        ">=" => BinaryOp::Ge,
        "+" => BinaryOp::Add,
        "-" => BinaryOp::Sub,
        "|" => BinaryOp::BitOr,
        "in" => BinaryOp::In,
        _ => BinaryOp::Arithmetic,
    }
}
