//! Expressions.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{
    AssignOp, BinaryOp, CaptureMode, CollectionKind, Function, LambdaForm, List, Node, NodeId, TypeRef, TypeRefId, UnaryOp,
};

use super::Cpp;
use super::kinds::Kind;
use crate::driver::{Nodes, steps_down};

/// Functions that make an object of their type argument.
const MAKERS: [&str; 9] = [
    "make_unique",
    "make_shared",
    "make_refptr_for_instance",
    "make_managed",
    "allocate_shared",
    "MakeUnique",
    "MakeShared",
    "makeUnique",
    "makeShared",
];
/// Functions by which an object that is owned by shared pointers gets one to itself.
const ITSELF: [&str; 2] = ["shared_from_this", "weak_from_this"];
/// Functions that give their argument back.
const PASSES: [&str; 7] = ["move", "forward", "ref", "cref", "as_const", "addressof", "qAsConst"];
/// Casts that are written as calls.
const CASTS: [&str; 9] = [
    "static_cast",
    "dynamic_cast",
    "const_cast",
    "reinterpret_cast",
    "qobject_cast",
    "static_pointer_cast",
    "dynamic_pointer_cast",
    "qSharedPointerCast",
    "std::any_cast",
];
/// Functions that bind a member to an object: `bind(&Lock::fill, this)`, `mem_fun(*this, &Lock::fill)`.
const BINDERS: [&str; 5] = ["bind", "bind_front", "mem_fun", "mem_fn", "bind_weak"];

impl<'t> Cpp<'t> {
    pub(super) fn expression(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Identifier | Kind::FieldIdentifier | Kind::TypeIdentifier | Kind::NamespaceIdentifier => {
                let name = self.l.name_of(node);
                self.l.push(Node::Name(name), node)
            }
            Kind::This => self.l.push(Node::This, node),
            Kind::Parens => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::Qualified => self.qualified(node),
            Kind::TemplateFunction | Kind::TemplateMethod | Kind::TemplateType => {
                let kids = self.l.kids(node);
                self.node_or_empty(kids.field(f.name), node)
            }
            Kind::FieldExpr => {
                let kids = self.l.kids(node);
                let (Some(argument), Some(field)) = (kids.field(f.argument), kids.field(f.field)) else {
                    return self.l.push(Node::Plain, node);
                };
                let object = self.node(argument);
                let text = self.dotted(field);
                let (object, simple) = match text.rsplit_once('.') {
                    // `this->Base::close()`
                    Some((_, simple)) if self.l.body.node(object) == Node::This => (self.l.push(Node::Super, argument), simple.to_owned()),
                    Some((_, simple)) => (object, simple.to_owned()),
                    None => (object, text),
                };
                let name = self.l.intern(&simple);
                self.l.push(Node::Member { object, name, optional: false }, node)
            }
            Kind::Subscript => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.field(f.argument), node);
                let keys = match kids.field(f.indices) {
                    Some(list) => {
                        let list = self.l.items(list);
                        self.nodes(list.named())
                    }
                    None => Nodes::new(),
                };
                let keys = self.l.list(&keys);
                self.l.push(Node::Index { object, keys, optional: false }, node)
            }
            Kind::Call => self.call(node),
            Kind::New => {
                let kids = self.l.kids(node);
                let ty = match kids.field(f.type_) {
                    Some(t) => self.ty(t),
                    None => self.no_type(),
                };
                let args = self.arguments(kids.field(f.arguments));
                self.l.push(Node::New { ty, args, init: None, class: None }, node)
            }
            Kind::CompoundLiteral => {
                let kids = self.l.kids(node);
                let ty = match kids.field(f.type_) {
                    Some(t) => self.ty(t),
                    None => self.no_type(),
                };
                let args = self.arguments(kids.field(f.value));
                self.l.push(Node::New { ty, args, init: None, class: None }, node)
            }
            Kind::Lambda => self.lambda(node),
            Kind::Assign => {
                let kids = self.l.kids(node);
                let op = match kids.field(f.operator).map(|o| o.kind()) {
                    Some("=") | None => AssignOp::Set,
                    Some("+=") => AssignOp::Add,
                    Some("-=") => AssignOp::Sub,
                    _ => AssignOp::Other,
                };
                let mut target = self.node_or_empty(kids.field(f.left), node);
                // `*(void**) &slot = found;` fills the slot
                while let Node::Cast { operand, .. } = self.l.body.node(target) {
                    target = operand;
                }
                let value = match kids.field(f.right) {
                    Some(list) if self.kind(list) == Kind::InitializerList => self.made_by_list(list, None),
                    other => self.node_or_empty(other, node),
                };
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
                    Some("!" | "not") => UnaryOp::Not,
                    _ => UnaryOp::Arithmetic,
                };
                let operand = self.node_or_empty(kids.field(f.argument), node);
                self.l.push(Node::Unary { op, operand }, node)
            }
            Kind::Update => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                let down = steps_down(self.l.text_of(node));
                self.l.push(Node::Unary { op: UnaryOp::Step { down }, operand }, node)
            }
            Kind::PointerExpr => self.pointer(node),
            Kind::CoAwait => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.last(), node);
                self.l.push(Node::Unary { op: UnaryOp::Await, operand }, node)
            }
            Kind::PackExpansion => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::Conditional => {
                let kids = self.l.kids(node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let then = self.node_or_empty(kids.field(f.consequence), node);
                let other = self.node_or_empty(kids.field(f.alternative), node);
                self.l.push(Node::Conditional { cond, then, other }, node)
            }
            Kind::Cast => {
                let kids = self.l.kids(node);
                let operand = self.node_or_empty(kids.field(f.value), node);
                match kids.field(f.type_) {
                    Some(t) => {
                        let ty = self.ty(t);
                        self.l.push(Node::Cast { ty, operand }, node)
                    }
                    None => operand,
                }
            }
            Kind::InitializerList => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                // `{}`: nothing, of whatever type is asked for
                if items.is_empty() {
                    return self.l.push(Node::Null, node);
                }
                let items = self.l.list(&items);
                self.l.push(Node::Collection { kind: CollectionKind::List, items }, node)
            }
            Kind::InitializerPair => {
                let kids = self.l.kids(node);
                let key_at = kids.field(f.designator).unwrap_or(node);
                let text = self.l.text_of(key_at).trim_start_matches('.');
                let text = self.l.intern(text);
                let key = self.l.push(Node::Str(text), key_at);
                let value = self.node_or_empty(kids.field(f.value), node);
                self.l.push(Node::Entry { key, value }, node)
            }
            Kind::String => {
                let text = self.l.text_of(node);
                if self.prepared.signatures.contains(&node.start_byte()) {
                    return self.signature(node, text);
                }
                let text = text.trim_start_matches(|c: char| c != '"').trim_matches('"');
                let name = self.l.intern(text);
                self.l.push(Node::Str(name), node)
            }
            Kind::RawString | Kind::ConcatenatedString | Kind::Char => {
                let name = self.l.name_of(node);
                self.l.push(Node::Str(name), node)
            }
            Kind::Number => {
                let name = self.l.name_of(node);
                self.l.push(Node::Num(name), node)
            }
            Kind::True => self.l.push(Node::Bool(true), node),
            Kind::False => self.l.push(Node::Bool(false), node),
            Kind::Null => self.l.push(Node::Null, node),
            Kind::Sizeof | Kind::PrimitiveType => self.l.push(Node::Plain, node),
            Kind::DeleteExpr => {
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.last(), node);
                self.l.push(Node::Unary { op: UnaryOp::Delete, operand }, node)
            }
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

    /// `SIGNAL(rose(int))`: a member by name, of whatever stands beside it.
    fn signature(&mut self, node: Ts<'t>, text: &str) -> NodeId {
        let name: String = text
            .chars()
            .skip_while(|c| !c.is_ascii_digit())
            .skip(1)
            .skip_while(|c| c.is_whitespace())
            .take_while(|c| c.is_alphanumeric() || *c == '_')
            .collect();
        let object = self.l.push(Node::Plain, node);
        let name = self.l.intern(&name);
        let member = self.l.push(Node::MethodRef { object, name }, node);
        // the types of its parameters tell it from others of the same name
        let params = text.split_once('(').and_then(|(_, rest)| rest.rsplit_once(')')).map_or("", |(params, _)| params);
        let types: Vec<TypeRefId> = split_params(params).into_iter().map(|p| self.plain_type(p)).collect();
        // that a signal passes nothing tells it from one of a base
        let is_signal = text.trim_start_matches('"').starts_with('2');
        if types.is_empty() && !is_signal {
            return member;
        }
        let type_args = Some(self.type_list(types));
        let callee = self.l.push(Node::Plain, node);
        let args = self.l.list(&[member]);
        self.l.push(Node::Call { callee, args, type_args, optional: false }, node)
    }

    /// A type from its text, without what is said of how it is passed.
    fn plain_type(&mut self, text: &str) -> TypeRefId {
        let head = text.split('<').next().unwrap_or(text);
        let mut words = head.split(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | ':'))).filter(|w| !w.is_empty() && *w != "const");
        let name = words.next_back().unwrap_or_default().replace("::", ".");
        let name = self.l.intern(&name);
        self.l.type_ref(TypeRef::Named { name, args: Box::default() })
    }

    /// `locks::open`, `Gate::Phase::Open`, `Base::close`
    fn qualified(&mut self, node: Ts<'t>) -> NodeId {
        let text = self.dotted(node);
        let mut parts = text.split('.');
        let first = parts.next().unwrap_or_default().to_owned();
        let rest: Vec<String> = parts.map(str::to_owned).collect();
        let is_base = !rest.is_empty() && rest.len() == 1 && self.is_own_base(&first);
        let mut at = if is_base {
            self.l.push(Node::Super, node)
        } else {
            let name = self.l.intern(&first);
            self.l.push(Node::Name(name), node)
        };
        for part in rest {
            let name = self.l.intern(&part);
            at = self.l.push(Node::Member { object: at, name, optional: false }, node);
        }
        at
    }

    /// Whether a class name in a body is that of a base of the class around.
    fn is_own_base(&self, name: &str) -> bool {
        let Some(owner) = self.l.context.owner else { return false };
        self.l.unit.ty(owner).bases.iter().any(|b| match self.l.unit.type_ref(b.ty) {
            yarrowgraph_ir::TypeRef::Named { name: base, .. } => self.l.unit.text(*base).rsplit('.').next() == Some(name),
            _ => false,
        })
    }

    /// `&gate`, `*gate`, `&Gate::open`
    fn pointer(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(argument) = kids.field(f.argument) else { return self.l.push(Node::Plain, node) };
        let is_address = kids.field(f.operator).is_some_and(|o| o.kind() == "&");
        if is_address && self.kind(argument) == Kind::Qualified {
            let text = self.dotted(argument);
            if let Some((class, member)) = text.rsplit_once('.') {
                let ty = self.l.intern(class);
                let ty = self.l.named_type(ty);
                let object = self.l.push(Node::TypeExpr(ty), argument);
                let name = self.l.intern(member);
                return self.l.push(Node::MethodRef { object, name }, node);
            }
        }
        // a pointer to an object means the object
        self.node(argument)
    }

    pub(super) fn arguments(&mut self, list: Option<Ts<'t>>) -> List {
        let Some(list) = list else { return List::default() };
        let kids = self.l.items(list);
        let items = self.nodes(kids.named());
        self.l.list(&items)
    }

    fn call(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (Some(function), arguments) = (kids.field(f.function), kids.field(f.arguments)) else {
            return self.l.push(Node::Plain, node);
        };
        let name = self.dotted(function);
        let simple = name.rsplit('.').next().unwrap_or(&name);
        let args: Vec<Ts<'t>> = arguments.map_or_else(Vec::new, |a| self.l.items(a).named().collect());
        let template = self.template_argument(function);
        if MAKERS.contains(&simple)
            && let Some(ty) = template
        {
            let ty = self.ty(ty);
            let args = self.arguments(arguments);
            return self.l.push(Node::New { ty, args, init: None, class: None }, node);
        }
        if CASTS.contains(&simple)
            && let (Some(ty), [operand]) = (template, &args[..])
        {
            // a cast around a pointer to a member picks an overload
            let operand = self.node(*operand);
            if matches!(self.l.body.node(operand), Node::MethodRef { .. }) {
                return operand;
            }
            let ty = self.ty(ty);
            return self.l.push(Node::Cast { ty, operand }, node);
        }
        let is_plain = self.kind(function) != Kind::FieldExpr;
        // a pointer to the object itself, whoever else owns it
        if is_plain && ITSELF.contains(&simple) && args.is_empty() {
            return self.l.push(Node::This, node);
        }
        if is_plain && PASSES.contains(&simple) && args.len() == 1 {
            return self.node(args[0]);
        }
        if is_plain && BINDERS.contains(&simple) && args.len() >= 2 {
            let lowered = self.nodes(args.iter().copied().take(2));
            if let Some(bound) = self.bound(&lowered, node) {
                return bound;
            }
        }
        if let Some(done) = self.algorithm(node, function, simple, &args) {
            return done;
        }
        // `Gate(3)` makes an object, which only the class's name tells
        let mut callee = self.node(function);
        if self.prepared.emitted.contains(&node.start_byte()) {
            callee = self.emission(callee, function);
        }
        let templates = self.template_arguments(function);
        let types: Vec<TypeRefId> = templates.into_iter().map(|t| self.ty(t)).collect();
        let type_args = (!types.is_empty()).then(|| self.type_list(types));
        let args = self.nodes(args);
        let args = self.l.list(&args);
        self.l.push(Node::Call { callee, args, type_args, optional: false }, node)
    }

    /// Algorithms over a container, which say what its methods would: `v.erase(remove(v.begin(), v.end(), x), v.end())`,
    /// `erase(v, x)`, `erase_if(v, f)`, `find(v.begin(), v.end(), x)`.
    fn algorithm(&mut self, node: Ts<'t>, function: Ts<'t>, simple: &str, args: &[Ts<'t>]) -> Option<NodeId> {
        let f = &self.t.fields;
        let is_method = self.kind(function) == Kind::FieldExpr;
        let (container, method, value) = match (simple, is_method, args) {
            ("erase", true, [inner, ..]) if self.kind(*inner) == Kind::Call => {
                let parts = self.l.kids(*inner);
                let name = self.dotted(parts.field(f.function)?);
                let method = match name.as_str() {
                    "remove" => "remove",
                    "remove_if" => "erase_if",
                    _ => return None,
                };
                let values: Vec<Ts<'t>> = self.l.items(parts.field(f.arguments)?).named().collect();
                let [_, _, value] = values[..] else { return None };
                (self.l.kids(function).field(f.argument)?, method, value)
            }
            ("erase", false, [container, value]) => (*container, "remove", *value),
            ("erase_if" | "remove_if", false, [container, value]) => (*container, "erase_if", *value),
            ("find", false, [begin, _, value]) if self.kind(*begin) == Kind::Call => {
                let begin = self.l.kids(*begin).field(f.function)?;
                (self.l.kids(begin).field(f.argument)?, "find", *value)
            }
            ("for_each", false, [begin, _, value]) if self.kind(*begin) == Kind::Call => {
                let begin = self.l.kids(*begin).field(f.function)?;
                (self.l.kids(begin).field(f.argument)?, "for_each", *value)
            }
            _ => return None,
        };
        let object = self.node(container);
        let name = self.l.intern(method);
        let callee = self.l.push(Node::Member { object, name, optional: false }, function);
        let value = self.node(value);
        let args = self.l.list(&[value]);
        Some(self.l.push(Node::Call { callee, args, type_args: None, optional: false }, node))
    }

    fn template_argument(&mut self, function: Ts<'t>) -> Option<Ts<'t>> {
        self.template_arguments(function).first().copied()
    }

    fn type_list(&mut self, types: Vec<TypeRefId>) -> u16 {
        self.l.body.type_lists.push(types.into());
        (self.l.body.type_lists.len() - 1) as u16
    }

    /// The types between the angles of a function that is called.
    fn template_arguments(&mut self, function: Ts<'t>) -> Vec<Ts<'t>> {
        let f = &self.t.fields;
        let mut node = function;
        loop {
            match self.kind(node) {
                Kind::Qualified => match self.l.kids(node).field(f.name) {
                    Some(name) => node = name,
                    None => return Vec::new(),
                },
                Kind::FieldExpr => match self.l.kids(node).field(f.field) {
                    Some(field) => node = field,
                    None => return Vec::new(),
                },
                Kind::TemplateFunction | Kind::TemplateMethod => {
                    let list = self.l.kids(node).field(f.arguments);
                    return list.map_or_else(Vec::new, |list| self.l.items(list).named().collect());
                }
                _ => return Vec::new(),
            }
        }
    }

    /// `emit rose(cm)`: the member that is told everybody.
    fn emission(&mut self, callee: NodeId, at: Ts<'t>) -> NodeId {
        let signal = match self.l.body.node(callee) {
            Node::Name(name) => {
                let this = self.l.push(Node::This, at);
                self.l.push(Node::Member { object: this, name, optional: false }, at)
            }
            _ => callee,
        };
        let name = self.l.intern("emit");
        self.l.push(Node::Member { object: signal, name, optional: false }, at)
    }

    /// A member bound to an object, in either order.
    fn bound(&mut self, args: &[NodeId], at: Ts<'t>) -> Option<NodeId> {
        let [a, b] = *args else { return None };
        let (object, name) = match (self.l.body.node(a), self.l.body.node(b)) {
            (Node::MethodRef { name, .. }, _) => (b, name),
            (_, Node::MethodRef { name, .. }) => (a, name),
            _ => return None,
        };
        Some(self.l.push(Node::MethodRef { object, name }, at))
    }

    fn lambda(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        // `[gate = m_gate]` names what is captured
        let mut captured = Vec::new();
        if let Some(captures) = kids.field(f.captures) {
            let list = self.l.items(captures);
            for capture in list.named().filter(self.t.is(Kind::CaptureInitializer)) {
                let parts = self.l.kids(capture);
                if let (Some(left), Some(right)) = (parts.field(f.left), parts.field(f.right)) {
                    captured.push((left, right));
                }
            }
        }
        let mut params = Vec::new();
        if let Some(declarator) = kids.field(f.declarator) {
            let parts = self.l.kids(declarator);
            if let Some(list) = parts.field(f.parameters) {
                params = self.params(list);
            }
        }
        let index = self.l.function(Function {
            name: None,
            params,
            result: None,
            body: None,
            returns_body: false,
            this: CaptureMode::Lexical,
            form: LambdaForm::Lambda,
            is_async: false,
        });
        let mut items = Nodes::new();
        for (left, right) in captured {
            let init = self.node(right);
            if self.l.text_of(left) != self.l.text_of(right) {
                let name = self.l.name_of(left);
                items.push(self.l.push(Node::Local { name, ty: None, init: Some(init), constant: true }, left));
            }
        }
        let mut body = kids.field(f.body).map(|b| self.node(b));
        if !items.is_empty() {
            items.extend(body);
            let list = self.l.list(&items);
            body = Some(self.l.push(Node::Block(list), node));
        }
        self.l.body.functions[index.0 as usize].body = body;
        self.l.push(Node::Lambda(index), node)
    }
}

fn binary_op(text: &str) -> BinaryOp {
    match text {
        "&&" | "and" => BinaryOp::And,
        "||" | "or" => BinaryOp::Or,
        "==" => BinaryOp::Eq,
        "!=" | "not_eq" => BinaryOp::Ne,
        "<" => BinaryOp::Lt,
        "<=" => BinaryOp::Le,
        ">" => BinaryOp::Gt,
        ">=" => BinaryOp::Ge,
        "+" => BinaryOp::Add,
        "-" => BinaryOp::Sub,
        "|" | "bitor" => BinaryOp::BitOr,
        _ => BinaryOp::Arithmetic,
    }
}

/// The parameters of a signature; commas between angles part nothing.
fn split_params(text: &str) -> Vec<&str> {
    let (mut depth, mut from, mut found) = (0, 0, Vec::new());
    for (at, c) in text.char_indices() {
        match c {
            '<' => depth += 1,
            '>' => depth -= 1,
            ',' if depth == 0 => {
                found.push(text[from..at].trim());
                from = at + 1;
            }
            _ => {}
        }
    }
    found.push(text[from..].trim());
    found.retain(|p| !p.is_empty());
    found
}
