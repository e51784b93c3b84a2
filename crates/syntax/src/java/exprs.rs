//! Expressions.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AssignOp, BinaryOp, CaptureMode, CollectionKind, Function, LambdaForm, List, Node, NodeId, Param, ParamMode, TypeRef, UnaryOp,
};

use super::Java;
use super::kinds::Kind;
use crate::driver::{span, steps_down};

impl<'t> Java<'t> {
    pub(super) fn expression(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Identifier | Kind::TypeIdentifier => {
                let name = self.l.name_of(node);
                self.l.push(Node::Name(name), node)
            }
            Kind::This => self.l.push(Node::This, node),
            Kind::Super => self.l.push(Node::Super, node),
            Kind::Parens => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::MethodCall => self.method_call(node),
            Kind::FieldAccess | Kind::ScopedIdentifier => self.field_access(node),
            Kind::New => self.creation(node),
            Kind::Lambda => self.lambda(node),
            Kind::MethodRef => self.method_ref(node),
            Kind::Assign => {
                let kids = self.l.kids(node);
                let op = match kids.field(f.operator).map(|o| self.l.text_of(o)) {
                    Some("=") => AssignOp::Set,
                    Some("+=") => AssignOp::Add,
                    Some("-=") => AssignOp::Sub,
                    _ => AssignOp::Other,
                };
                let target = self.node_or_empty(kids.field(f.left), node);
                let value = self.node_or_empty(kids.field(f.right), node);
                self.l.push(Node::Assign { op, target, value }, node)
            }
            Kind::Binary => {
                let kids = self.l.kids(node);
                let op = binary_op(kids.field(f.operator).map_or("", |o| o.kind()));
                let left = self.node_or_empty(kids.field(f.left), node);
                let right = self.node_or_empty(kids.field(f.right), node);
                self.l.push(Node::Binary { op, left, right }, node)
            }
            Kind::Unary => {
                let kids = self.l.kids(node);
                let op = match kids.field(f.operator).map(|o| o.kind()) {
                    Some("!") => UnaryOp::Not,
                    _ => UnaryOp::Arithmetic,
                };
                let operand = self.node_or_empty(kids.field(f.operand), node);
                self.l.push(Node::Unary { op, operand }, node)
            }
            Kind::Update => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                let down = steps_down(self.l.text_of(node));
                self.l.push(Node::Unary { op: UnaryOp::Step { down }, operand }, node)
            }
            Kind::Ternary => {
                let kids = self.l.kids(node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let then = self.node_or_empty(kids.field(f.consequence), node);
                let other = self.node_or_empty(kids.field(f.alternative), node);
                self.l.push(Node::Conditional { cond, then, other }, node)
            }
            Kind::Cast => {
                let kids = self.l.kids(node);
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                let operand = self.node_or_empty(kids.field(f.value), node);
                match ty {
                    Some(ty) => self.l.push(Node::Cast { ty, operand }, node),
                    None => operand,
                }
            }
            Kind::InstanceOf => self.instance_of(node),
            Kind::ArrayAccess => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.field(f.array), node);
                let index = self.node_or_empty(kids.field(f.index), node);
                let keys = self.l.list(&[index]);
                self.l.push(Node::Index { object, keys, optional: false }, node)
            }
            Kind::ArrayCreation => {
                let kids = self.l.kids(node);
                match kids.field(f.value) {
                    Some(value) => self.node(value),
                    None => {
                        let element = kids.field(f.type_).map(|t| self.ty(t));
                        let ty = match element {
                            Some(element) => self.l.type_ref(TypeRef::Array(element)),
                            None => self.l.type_ref(TypeRef::Other),
                        };
                        self.l.push(Node::New { ty, args: List::default(), init: None, class: None }, node)
                    }
                }
            }
            Kind::ArrayInit => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let items = self.l.list(&items);
                self.l.push(Node::Collection { kind: CollectionKind::List, items }, node)
            }
            Kind::ClassLiteral => {
                let kids = self.l.items(node);
                match kids.first() {
                    Some(t) => {
                        let ty = self.ty(t);
                        self.l.push(Node::TypeExpr(ty), node)
                    }
                    None => self.l.push(Node::Plain, node),
                }
            }
            Kind::String => self.string(node),
            Kind::Decimal | Kind::Float | Kind::Hex | Kind::Char => {
                let name = self.l.name_of(node);
                self.l.push(Node::Num(name), node)
            }
            Kind::True => self.l.push(Node::Bool(true), node),
            Kind::False => self.l.push(Node::Bool(false), node),
            Kind::Null => self.l.push(Node::Null, node),
            Kind::ExplicitConstructor => {
                let kids = self.l.kids(node);
                let callee = self.node_or_empty(kids.field(f.constructor), node);
                let args = self.arguments(kids.field(f.arguments));
                self.l.push(Node::Call { callee, args, type_args: None, optional: false }, node)
            }
            Kind::TypePattern => {
                let kids = self.l.items(node);
                let ty = kids.first().map(|t| self.ty(t));
                let name_node = kids.last().unwrap_or(node);
                let name = self.l.name_of(name_node);
                self.l.push(Node::Local { name, ty, init: None, constant: false }, node)
            }
            Kind::GenericType | Kind::ScopedType | Kind::ArrayType | Kind::Boolean | Kind::Integral | Kind::Floating => {
                let ty = self.ty(node);
                self.l.push(Node::TypeExpr(ty), node)
            }
            Kind::Annotation | Kind::MarkerAnnotation | Kind::Modifiers | Kind::Dimensions => self.l.push(Node::Plain, node),
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

    pub(super) fn arguments(&mut self, list: Option<Ts<'t>>) -> List {
        let Some(list) = list else {
            return List::default();
        };
        let kids = self.l.items(list);
        let items = self.nodes(kids.named());
        self.l.list(&items)
    }

    fn string(&mut self, node: Ts<'t>) -> NodeId {
        let text = self.l.text_of(node);
        let plain = match text.strip_prefix("\"\"\"") {
            Some(block) => block.trim_end_matches("\"\"\"").trim(),
            None => text.trim_matches('"'),
        };
        let name = self.l.intern(plain);
        self.l.push(Node::Str(name), node)
    }

    fn method_call(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return self.l.push(Node::Plain, node);
        };
        let name = self.l.name_of(name_node);
        // `Outer.super.run()` has both an object and a `super`
        let object = kids.named().find(self.t.is(Kind::Super)).or(kids.field(f.object));
        let callee = match object {
            Some(object) => {
                let object_id = self.node(object);
                let at = yarrowgraph_ir::Span { start: span(object).start, end: span(name_node).end };
                self.l.body.push(Node::Member { object: object_id, name, optional: false }, at)
            }
            None => self.l.push(Node::Name(name), name_node),
        };
        let type_args = kids.field(f.type_arguments).map(|list| {
            let list = self.l.kids(list);
            let args: Box<[_]> = list.named().map(|t| self.ty(t)).collect();
            self.l.body.type_lists.push(args);
            (self.l.body.type_lists.len() - 1) as u16
        });
        let args = self.arguments(kids.field(f.arguments));
        self.l.push(Node::Call { callee, args, type_args, optional: false }, node)
    }

    fn field_access(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (object, name_node) = match (kids.field(f.object), kids.field(f.field)) {
            (Some(o), Some(n)) => (o, n),
            _ => match (kids.field(f.scope), kids.field(f.name)) {
                (Some(o), Some(n)) => (o, n),
                _ => return self.l.push(Node::Plain, node),
            },
        };
        if self.kind(name_node) == Kind::This {
            let outer = self.l.name_of(object);
            return self.l.push(Node::OuterThis(outer), node);
        }
        let object = self.node(object);
        let name = self.l.name_of(name_node);
        self.l.push(Node::Member { object, name, optional: false }, node)
    }

    fn creation(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(type_node) = kids.field(f.type_) else {
            return self.l.push(Node::Plain, node);
        };
        let ty = self.ty(type_node);
        let args = self.arguments(kids.field(f.arguments));
        let body = kids.named().find(self.t.is(Kind::ClassBody));
        let class = body.map(|b| self.anonymous_class(b, Some(ty), type_node));
        let id = self.l.push(Node::New { ty, args, init: None, class }, node);
        if let Some(class) = class {
            self.l.body.types.push((class, id));
        }
        id
    }

    fn lambda(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let params = match kids.field(f.parameters) {
            Some(p) if self.kind(p) == Kind::Identifier => vec![Param {
                name: self.l.name_of(p),
                name_span: span(p),
                ty: None,
                default: None,
                pattern: None,
                mode: ParamMode::Value,
                optional: false,
                annotations: Vec::new(),
            }],
            Some(p) => self.params(p),
            None => Vec::new(),
        };
        let body_node = kids.field(f.body);
        let returns_body = body_node.is_some_and(|b| self.kind(b) != Kind::Block);
        let index = self.l.function(Function {
            name: None,
            params,
            result: None,
            body: None,
            returns_body,
            this: CaptureMode::Lexical,
            form: LambdaForm::Lambda,
            is_async: false,
        });
        let body = body_node.map(|b| self.node(b));
        self.l.body.functions[index.0 as usize].body = body;
        self.l.push(Node::Lambda(index), node)
    }

    fn method_ref(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.kids(node);
        let Some(object_node) = kids.first() else {
            return self.l.push(Node::Plain, node);
        };
        let object = self.node(object_node);
        let last = kids.all().last().filter(|n| *n != object_node);
        let name = match last {
            Some(n) => self.l.name_of(n),
            None => self.l.no_name(),
        };
        self.l.push(Node::MethodRef { object, name }, node)
    }

    fn instance_of(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let object = self.node_or_empty(kids.field(f.left), node);
        let ty = kids.field(f.right).map(|t| self.ty(t));
        let binding = match (kids.field(f.name), kids.field(f.pattern)) {
            (Some(name_node), _) => {
                let name = self.l.name_of(name_node);
                Some(self.l.push(Node::Local { name, ty, init: None, constant: false }, name_node))
            }
            (None, Some(pattern)) => Some(self.node(pattern)),
            (None, None) => None,
        };
        self.l.push(Node::TypeTest { object, ty, binding }, node)
    }
}

fn binary_op(op: &str) -> BinaryOp {
    match op {
        "&&" => BinaryOp::And,
        "||" => BinaryOp::Or,
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
