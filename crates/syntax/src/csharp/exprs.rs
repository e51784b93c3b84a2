//! Expressions.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{AssignOp, BinaryOp, CollectionKind, LambdaForm, List, Node, NodeId, Param, ParamMode, Span, TypeRef, UnaryOp};

use super::CSharp;
use super::kinds::Kind;
use crate::driver::{span, steps_down};

impl<'t> CSharp<'t> {
    pub(super) fn expression(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Identifier => {
                let name = self.name(node);
                self.l.push(Node::Name(name), node)
            }
            Kind::GenericName => {
                let kids = self.l.items(node);
                let name_node = kids.first().unwrap_or(node);
                let name = self.name(name_node);
                self.l.push(Node::Name(name), name_node)
            }
            Kind::Parens | Kind::Checked => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::MemberAccess | Kind::QualifiedName => self.member_access(node),
            Kind::AliasQualified => {
                let kids = self.l.kids(node);
                self.node_or_empty(kids.field(f.name), node)
            }
            Kind::MemberBinding => {
                let kids = self.l.kids(node);
                let name_node = kids.field(f.name).unwrap_or(node);
                let (name, at) = self.simple_name(name_node);
                match self.receivers.last() {
                    Some(&object) => {
                        let start = self.l.body.span(object).start;
                        let at = Span { start, end: span(at).end };
                        self.l.body.push(Node::Member { object, name, optional: true }, at)
                    }
                    None => self.l.push(Node::Name(name), node),
                }
            }
            Kind::ElementBinding => {
                let kids = self.l.items(node);
                let keys = self.nodes(kids.named());
                let keys = self.l.list(&keys);
                match self.receivers.last() {
                    Some(&object) => self.l.push(Node::Index { object, keys, optional: true }, node),
                    None => self.l.push(Node::Opaque(keys), node),
                }
            }
            Kind::ConditionalAccess => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.field(f.condition), node);
                self.receivers.push(object);
                let access = kids.last().filter(|n| Some(*n) != kids.field(f.condition));
                let id = self.node_or_empty(access, node);
                self.receivers.pop();
                id
            }
            Kind::Invocation => self.invocation(node),
            Kind::ElementAccess => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.field(f.expression), node);
                let keys = self.arguments(kids.field(f.subscript));
                self.l.push(Node::Index { object, keys, optional: false }, node)
            }
            Kind::New | Kind::ImplicitNew => self.creation(node),
            Kind::AnonymousObject => self.anonymous_object(node),
            Kind::ArrayCreation | Kind::ImplicitArray => {
                let kids = self.l.kids(node);
                match kids.named().find(self.t.is(Kind::Initializer)) {
                    Some(initializer) => self.node(initializer),
                    None => {
                        let ty = kids.field(f.type_).map(|t| self.ty(t));
                        let ty = ty.unwrap_or_else(|| self.l.type_ref(TypeRef::Other));
                        self.l.push(Node::New { ty, args: List::default(), init: None, class: None }, node)
                    }
                }
            }
            Kind::Initializer => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let items = self.l.list(&items);
                self.l.push(Node::Collection { kind: CollectionKind::List, items }, node)
            }
            Kind::CollectionExpr => {
                let kids = self.l.items(node);
                let mut items = Vec::new();
                for element in kids.named() {
                    items.push(self.element(element));
                }
                let items = self.l.list(&items);
                self.l.push(Node::Collection { kind: CollectionKind::List, items }, node)
            }
            Kind::Tuple => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let items = self.l.list(&items);
                self.l.push(Node::Collection { kind: CollectionKind::Tuple, items }, node)
            }
            Kind::Argument => self.argument(node),
            Kind::DeclarationExpr => {
                let kids = self.l.kids(node);
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                let name_node = kids.field(f.name).unwrap_or(node);
                if self.kind(name_node) == Kind::ParensDesignation {
                    return self.designation(name_node, None);
                }
                let name = self.l.name_of(name_node);
                self.l.push(Node::Local { name, ty, init: None, constant: false }, name_node)
            }
            Kind::Lambda | Kind::AnonymousMethod => self.lambda(node),
            Kind::Assign => self.assignment(node),
            Kind::Binary => {
                let kids = self.l.kids(node);
                let op = binary_op(kids.field(f.operator).map_or("", |o| o.kind()));
                let left = self.node_or_empty(kids.field(f.left), node);
                let right = self.node_or_empty(kids.field(f.right), node);
                self.l.push(Node::Binary { op, left, right }, node)
            }
            Kind::Prefix | Kind::Unary => {
                let kids = self.l.items(node);
                let text = self.l.text_of(node);
                let op = match text.as_bytes() {
                    [b'!', ..] => UnaryOp::Not,
                    [b'&' | b'*', ..] => UnaryOp::Indirect,
                    [b'+', b'+', ..] => UnaryOp::Step { down: false },
                    [b'-', b'-', ..] => UnaryOp::Step { down: true },
                    _ => UnaryOp::Arithmetic,
                };
                let operand = self.node_or_empty(kids.last(), node);
                self.l.push(Node::Unary { op, operand }, node)
            }
            Kind::Postfix => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                let text = self.l.text_of(node);
                let op = if text.ends_with('!') { UnaryOp::NonNull } else { UnaryOp::Step { down: steps_down(text) } };
                self.l.push(Node::Unary { op, operand }, node)
            }
            Kind::Await => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                self.l.push(Node::Unary { op: UnaryOp::Await, operand }, node)
            }
            Kind::RefExpr => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                self.l.push(Node::Unary { op: UnaryOp::ByRef, operand }, node)
            }
            Kind::Conditional => {
                let kids = self.l.kids(node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let then = self.node_or_empty(kids.field(f.consequence), node);
                let other = self.node_or_empty(kids.field(f.alternative), node);
                self.l.push(Node::Conditional { cond, then, other }, node)
            }
            Kind::Is => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.field(f.left), node);
                match kids.field(f.right) {
                    Some(right) if self.kind(right) == Kind::Null => {
                        let right = self.node(right);
                        self.l.push(Node::Binary { op: BinaryOp::Eq, left: object, right }, node)
                    }
                    right => {
                        let ty = right.map(|t| self.ty(t));
                        self.l.push(Node::TypeTest { object, ty, binding: None }, node)
                    }
                }
            }
            Kind::IsPattern => self.is_pattern(node),
            Kind::As | Kind::Cast => {
                let kids = self.l.kids(node);
                let (value, ty) = if self.kind(node) == Kind::As {
                    (kids.field(f.left), kids.field(f.right))
                } else {
                    (kids.field(f.value), kids.field(f.type_))
                };
                let operand = self.node_or_empty(value, node);
                match ty.map(|t| self.ty(t)) {
                    Some(ty) => self.l.push(Node::Cast { ty, operand }, node),
                    None => operand,
                }
            }
            Kind::SwitchExpr => self.switch_expression(node),
            Kind::With => self.with_expression(node),
            Kind::TypeOf => {
                let kids = self.l.kids(node);
                match kids.field(f.type_).map(|t| self.ty(t)) {
                    Some(ty) => self.l.push(Node::TypeExpr(ty), node),
                    None => self.l.push(Node::Plain, node),
                }
            }
            Kind::String | Kind::Verbatim | Kind::RawString => {
                let text = self.l.text_of(node).trim_start_matches('@').trim_matches('"');
                let name = self.l.intern(text);
                self.l.push(Node::Str(name), node)
            }
            Kind::Interpolated => self.interpolated(node),
            Kind::Integer | Kind::Real | Kind::Char => {
                let name = self.l.name_of(node);
                self.l.push(Node::Num(name), node)
            }
            Kind::Boolean => {
                let value = self.l.text_of(node) == "true";
                self.l.push(Node::Bool(value), node)
            }
            Kind::Null => self.l.push(Node::Null, node),
            Kind::Default => self.l.push(Node::Null, node),
            Kind::PredefinedType | Kind::ArrayType | Kind::NullableType | Kind::TupleType => {
                let ty = self.ty(node);
                self.l.push(Node::TypeExpr(ty), node)
            }
            _ => match node.kind() {
                "this" => self.l.push(Node::This, node),
                "base" => self.l.push(Node::Super, node),
                _ => {
                    let kids = self.l.items(node);
                    let items = self.nodes(kids.named());
                    if items.is_empty() {
                        return self.l.push(Node::Plain, node);
                    }
                    let list = self.l.list(&items);
                    self.l.push(Node::Opaque(list), node)
                }
            },
        }
    }

    fn name(&mut self, node: Ts<'t>) -> yarrowgraph_ir::Name {
        let text = self.l.text_of(node).trim_start_matches('@');
        self.l.intern(text)
    }

    /// A name without its type arguments, and where it is written.
    fn simple_name(&mut self, node: Ts<'t>) -> (yarrowgraph_ir::Name, Ts<'t>) {
        let at = match self.kind(node) {
            Kind::GenericName => {
                let kids = self.l.items(node);
                kids.first().unwrap_or(node)
            }
            _ => node,
        };
        (self.name(at), at)
    }

    fn member_access(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let object_node = kids.field(f.expression).or(kids.field(f.qualifier));
        let (Some(object_node), Some(name_node)) = (object_node, kids.field(f.name)) else {
            return self.l.push(Node::Plain, node);
        };
        let object = self.node(object_node);
        let (name, at) = self.simple_name(name_node);
        let at = Span { start: self.l.body.span(object).start, end: span(at).end };
        self.l.body.push(Node::Member { object, name, optional: false }, at)
    }

    fn invocation(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let function = kids.field(f.function);
        // a name at compile time: the last part of what it is asked of
        if function.is_some_and(|n| self.l.text_of(n) == "nameof")
            && let Some(of) = kids.field(f.arguments)
        {
            let text = self.l.text_of(of).trim_matches(['(', ')', ' ']);
            let last = text.rsplit_once('.').map_or(text, |(_, last)| last);
            let name = self.l.intern(last);
            return self.l.push(Node::Str(name), node);
        }
        let callee = self.node_or_empty(function, node);
        let type_args = function.and_then(|n| self.call_type_args(n));
        let args = self.arguments(kids.field(f.arguments));
        self.l.push(Node::Call { callee, args, type_args, optional: false }, node)
    }

    fn call_type_args(&mut self, function: Ts<'t>) -> Option<u16> {
        let name = match self.kind(function) {
            Kind::MemberAccess | Kind::MemberBinding => {
                let kids = self.l.kids(function);
                kids.field(self.t.fields.name)?
            }
            // `desk?.Find<Clerk>()`
            Kind::ConditionalAccess => {
                let kids = self.l.kids(function);
                return self.call_type_args(kids.last()?);
            }
            _ => function,
        };
        if self.kind(name) != Kind::GenericName {
            return None;
        }
        let args = self.type_args(name);
        self.l.body.type_lists.push(args);
        Some((self.l.body.type_lists.len() - 1) as u16)
    }

    pub(super) fn arguments(&mut self, list: Option<Ts<'t>>) -> List {
        let Some(list) = list else {
            return List::default();
        };
        let kids = self.l.items(list);
        // what stands in an argument has receivers of its own
        let receivers = std::mem::take(&mut self.receivers);
        let items = self.nodes(kids.named());
        self.receivers = receivers;
        self.l.list(&items)
    }

    fn argument(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let name = kids.field(f.name);
        let value_node = kids.last();
        let mut value = self.node_or_empty(value_node, node);
        if kids.has_token("out") || kids.has_token("ref") {
            value = self.l.push(Node::Unary { op: UnaryOp::ByRef, operand: value }, node);
        }
        match name {
            Some(name) if Some(name) != value_node => {
                let key = self.l.key(name);
                self.l.push(Node::Entry { key, value }, node)
            }
            _ => value,
        }
    }

    fn element(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.items(node);
        match self.kind(node) {
            Kind::SpreadElement => {
                let operand = self.node_or_empty(kids.first(), node);
                self.l.push(Node::Unary { op: UnaryOp::Spread, operand }, node)
            }
            Kind::CollectionElement | Kind::ExprElement => match kids.first() {
                Some(inner) => self.element(inner),
                None => self.l.push(Node::Plain, node),
            },
            _ => self.node(node),
        }
    }

    fn creation(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let ty = match kids.field(f.type_) {
            Some(t) => self.ty(t),
            None => self.l.type_ref(TypeRef::Inferred),
        };
        let list = kids.field(f.arguments).or_else(|| kids.named().find(self.t.is(Kind::ArgumentList)));
        let args = self.arguments(list);
        let initializer = kids.field(f.initializer).or_else(|| kids.named().find(self.t.is(Kind::Initializer)));
        let init = initializer.map(|i| self.object_initializer(i));
        self.l.push(Node::New { ty, args, init, class: None }, node)
    }

    /// `{ Name = value, [key] = value, element }`
    fn object_initializer(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let members = kids.named().any(|n| self.kind(n) == Kind::Assign);
        if !members {
            return self.node(node);
        }
        let mut entries = Vec::new();
        for item in kids.named() {
            let parts = self.l.kids(item);
            let (Some(left), Some(right)) = (parts.field(f.left), parts.field(f.right)) else {
                entries.push(self.node(item));
                continue;
            };
            let key = if self.kind(left) == Kind::Identifier { self.l.key(left) } else { self.node(left) };
            let value = if self.kind(right) == Kind::Initializer { self.object_initializer(right) } else { self.node(right) };
            entries.push(self.l.push(Node::Entry { key, value }, item));
        }
        let list = self.l.list(&entries);
        self.l.push(Node::Object(list), node)
    }

    /// `mast with { Height = 4 }`: what is not given anew is taken over.
    fn with_expression(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.items(node);
        let mut items = Vec::new();
        for part in kids.named() {
            let sides = self.l.items(part);
            items.push(match (self.kind(part), sides.first(), sides.last()) {
                (Kind::WithInit, Some(left), Some(right)) => {
                    let key = self.l.key(left);
                    let value = self.node(right);
                    self.l.push(Node::Entry { key, value }, part)
                }
                _ => {
                    let operand = self.node(part);
                    self.l.push(Node::Unary { op: UnaryOp::Spread, operand }, part)
                }
            });
        }
        let list = self.l.list(&items);
        self.l.push(Node::Object(list), node)
    }

    fn anonymous_object(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.items(node);
        let items = self.nodes(kids.named());
        let list = self.l.list(&items);
        self.l.push(Node::Object(list), node)
    }

    fn lambda(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let params = match kids.field(f.parameters) {
            Some(list) if self.kind(list) == Kind::ParameterList => self.params(list),
            Some(single) => vec![Param {
                name: self.name(single),
                name_span: span(single),
                ty: None,
                default: None,
                pattern: None,
                mode: ParamMode::Value,
                optional: false,
                annotations: Vec::new(),
            }],
            None => Vec::new(),
        };
        let body = kids.field(f.body).or_else(|| kids.named().find(self.t.is(Kind::Block)));
        let receivers = std::mem::take(&mut self.receivers);
        let id = self.closure(None, params, body, LambdaForm::Lambda, node);
        self.receivers = receivers;
        id
    }

    fn assignment(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let op = match kids.field(f.operator).map(|o| self.l.text_of(o)) {
            Some("=") => AssignOp::Set,
            Some("+=") => AssignOp::Add,
            Some("-=") => AssignOp::Sub,
            Some("??=") => AssignOp::IfUnset,
            _ => AssignOp::Other,
        };
        let left = kids.field(f.left).unwrap_or(node);
        let declares = matches!(self.kind(left), Kind::Tuple) && {
            let parts = self.l.items(left);
            parts.named().any(|p| self.l.text_of(p).starts_with("var ")) || self.l.text_of(node).starts_with("var ")
        };
        let right = kids.field(f.right);
        if declares {
            let init = right.map(|r| self.node(r));
            return self.designation(left, init);
        }
        if self.kind(left) == Kind::DeclarationExpr {
            let parts = self.l.kids(left);
            if let Some(names) = parts.field(f.name).filter(self.t.is(Kind::ParensDesignation)) {
                let init = right.map(|r| self.node(r));
                return self.designation(names, init);
            }
        }
        let target = self.node(left);
        let value = match right {
            Some(r) if self.kind(r) == Kind::Initializer => self.object_initializer(r),
            other => self.node_or_empty(other, node),
        };
        self.l.push(Node::Assign { op, target, value }, node)
    }

    fn switch_expression(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.kids(node);
        let mut subject = None;
        let mut cases = Vec::new();
        for part in kids.named() {
            if self.kind(part) != Kind::SwitchArm {
                subject = Some(self.node(part));
                continue;
            }
            let arm = self.l.items(part);
            let mut items = arm.named();
            let label_node = items.next();
            let mut asked = Vec::new();
            let labels: Vec<_> = match label_node {
                Some(p) if self.kind(p) == Kind::Discard || self.l.text_of(p) == "_" => Vec::new(),
                Some(p) => vec![self.label(p, subject, &mut asked)],
                None => Vec::new(),
            };
            let mut body = None;
            for item in items {
                if self.kind(item) == Kind::WhenClause {
                    let inner = self.l.items(item);
                    asked.extend(inner.first().map(|n| self.node(n)));
                } else {
                    body = Some(self.node(item));
                }
            }
            let labels = self.l.list(&labels);
            let guard = self.all_of(asked, part);
            let body = body.unwrap_or_else(|| self.l.empty(part));
            cases.push(self.l.push(Node::Case { labels, guard, body, falls_through: false }, part));
        }
        let cases = self.l.list(&cases);
        self.l.push(Node::Switch { subject, cases }, node)
    }

    fn interpolated(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.kids(node);
        let mut parts = Vec::new();
        for part in kids.named() {
            match self.kind(part) {
                Kind::StringContent => {
                    let name = self.l.name_of(part);
                    parts.push(self.l.push(Node::Str(name), part));
                }
                Kind::Interpolation => {
                    let inner = self.l.items(part);
                    let value = inner.named().find(|n| n.kind() != "interpolation_brace");
                    parts.extend(value.map(|v| self.node(v)));
                }
                _ => {}
            }
        }
        let list = self.l.list(&parts);
        self.l.push(Node::Template(list), node)
    }
}

pub(super) fn binary_op(op: &str) -> BinaryOp {
    match op {
        "&&" => BinaryOp::And,
        "||" => BinaryOp::Or,
        "??" => BinaryOp::Coalesce,
        "==" => BinaryOp::Eq,
        "!=" => BinaryOp::Ne,
        "<" => BinaryOp::Lt,
        "<=" => BinaryOp::Le,
        ">" => BinaryOp::Gt,
        ">=" => BinaryOp::Ge,
        "+" => BinaryOp::Add,
        "-" => BinaryOp::Sub,
        "|" => BinaryOp::BitOr,
        _ => BinaryOp::Arithmetic,
    }
}
