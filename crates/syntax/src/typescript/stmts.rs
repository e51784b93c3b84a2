//! Statements and patterns.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{LoopKind, Node, NodeId};

use super::Script;
use super::kinds::Kind;

impl<'t> Script<'t> {
    pub(super) fn statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::StatementBlock => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let list = self.l.list(&items);
                self.l.push(Node::Block(list), node)
            }
            Kind::ExprStatement | Kind::Else => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.first(), node)
            }
            Kind::Labeled => {
                let kids = self.l.kids(node);
                self.node_or_empty(kids.field(f.body), node)
            }
            Kind::LexicalDecl | Kind::VariableDecl => self.local_variables(node),
            Kind::If => {
                let kids = self.l.kids(node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let then = self.node_or_empty(kids.field(f.consequence), node);
                let other = kids.field(f.alternative).map(|n| self.node(n));
                self.l.push(Node::If { cond, then, other }, node)
            }
            Kind::While | Kind::Do => {
                let kind = if self.kind(node) == Kind::While { LoopKind::While } else { LoopKind::DoWhile };
                let kids = self.l.kids(node);
                let init = self.l.empty(node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let step = self.l.empty(node);
                let head = self.l.list(&[init, cond, step]);
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::Loop { kind, head, body }, node)
            }
            Kind::For => {
                let kids = self.l.kids(node);
                // `for (;;)` has empty statements for both
                let written = |part: Option<Ts<'t>>| part.filter(|p| self.l.text_of(*p) != ";");
                let (init, cond) = (written(kids.field(f.initializer)), written(kids.field(f.condition)));
                let init = self.node_or_empty(init, node);
                let cond = self.node_or_empty(cond, node);
                let step = self.node_or_empty(kids.field(f.increment), node);
                let head = self.l.list(&[init, cond, step]);
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::Loop { kind: LoopKind::For, head, body }, node)
            }
            Kind::ForIn => self.for_in(node),
            Kind::Switch => self.switch(node),
            Kind::Try => self.try_statement(node),
            Kind::Return => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Return(value), node)
            }
            Kind::Throw => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Throw(value), node)
            }
            Kind::Break => self.l.push(Node::Break, node),
            Kind::Continue => self.l.push(Node::Continue, node),
            Kind::FunctionDecl | Kind::GeneratorDecl => self.local_function(node),
            Kind::ClassDecl | Kind::AbstractClass => {
                let id = self.class(node, false);
                self.class_in_body(id, node)
            }
            Kind::InterfaceDecl => {
                self.interface(node, false);
                self.l.push(Node::Empty, node)
            }
            Kind::EnumDecl => {
                self.enumeration(node, false);
                self.l.push(Node::Empty, node)
            }
            Kind::TypeAlias => {
                self.alias(node, false);
                self.l.push(Node::Empty, node)
            }
            Kind::Import => {
                self.import(node);
                self.l.push(Node::Empty, node)
            }
            Kind::FunctionSignature => self.l.push(Node::Empty, node),
            _ => self.expression(node),
        }
    }

    fn local_variables(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let constant = kids.field(f.kind).is_some_and(|k| self.l.text_of(k) == "const");
        let mut locals = Vec::new();
        for declarator in kids.named().filter(self.t.is(Kind::Declarator)) {
            let parts = self.l.kids(declarator);
            let Some(name_node) = parts.field(f.name) else {
                continue;
            };
            let value_node = parts.field(f.value);
            if value_node.is_some_and(|v| self.require_into(name_node, v)) {
                continue;
            }
            if self.kind(name_node) == Kind::Identifier
                && let Some(value) = value_node
                && self.is_constructor(self.l.text_of(name_node), value)
            {
                let name = self.l.name_of(name_node);
                let class = self.constructor_class(value, name, name_node, false);
                locals.push(self.class_in_body(class, value));
                continue;
            }
            // its first value is that of the field
            if self.kind(name_node) == Kind::Identifier && self.is_shared(self.l.text_of(name_node)) {
                locals.push(self.l.empty(declarator));
                continue;
            }
            let init = value_node.map(|v| self.node(v));
            if self.kind(name_node) != Kind::Identifier {
                locals.push(self.pattern(name_node, init));
                continue;
            }
            let name = self.l.name_of(name_node);
            self.note_alias(name, init);
            let ty = parts.field(f.type_).map(|t| self.ty(t)).or_else(|| self.doc_type_of(declarator));
            locals.push(self.l.push(Node::Local { name, ty, init, constant }, declarator));
        }
        match locals[..] {
            [one] => one,
            _ => {
                // not a scope of its own: the names belong to the block around it
                let list = self.l.list(&locals);
                self.l.push(Node::Opaque(list), node)
            }
        }
    }

    /// A pattern as the locals that it makes.
    pub(super) fn pattern(&mut self, node: Ts<'t>, init: Option<NodeId>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::ObjectPattern | Kind::ArrayPattern => {
                let positional = self.kind(node) == Kind::ArrayPattern;
                let kids = self.l.kids(node);
                let mut parts = Vec::new();
                let mut is_filled = true;
                for part in kids.all() {
                    if part.is_named() && !part.is_extra() {
                        parts.push(self.pattern_part(part, positional));
                        is_filled = true;
                    } else if positional && matches!(part.kind(), "[" | ",") {
                        // what is left out has a place all the same: `[, gauge]`
                        if !is_filled {
                            parts.push(self.l.push(Node::Empty, part));
                        }
                        is_filled = false;
                    }
                }
                let parts = self.l.list(&parts);
                self.l.push(Node::Pattern { parts, init, positional }, node)
            }
            Kind::AssignPattern | Kind::ObjectAssignPattern => {
                let kids = self.l.kids(node);
                match kids.field(f.left) {
                    Some(left) => self.pattern(left, init),
                    None => self.l.push(Node::Plain, node),
                }
            }
            Kind::RestPattern => {
                let kids = self.l.items(node);
                match kids.first() {
                    Some(inner) => self.pattern(inner, init),
                    None => self.l.push(Node::Plain, node),
                }
            }
            Kind::Identifier | Kind::ShorthandPattern => {
                let name = self.l.name_of(node);
                self.l.push(Node::Local { name, ty: None, init, constant: true }, node)
            }
            _ => self.node(node),
        }
    }

    fn pattern_part(&mut self, part: Ts<'t>, positional: bool) -> NodeId {
        let f = &self.t.fields;
        if positional {
            return self.pattern(part, None);
        }
        let (key_node, value_node) = match self.kind(part) {
            Kind::PairPattern => {
                let parts = self.l.kids(part);
                (parts.field(f.key), parts.field(f.value))
            }
            Kind::ShorthandPattern => (Some(part), Some(part)),
            Kind::ObjectAssignPattern => {
                let parts = self.l.kids(part);
                (parts.field(f.left), parts.field(f.left))
            }
            _ => return self.pattern(part, None),
        };
        let (Some(key_node), Some(value_node)) = (key_node, value_node) else {
            return self.l.push(Node::Plain, part);
        };
        let name = self.property_name(key_node);
        let key = self.l.push(Node::Str(name), key_node);
        let value = self.pattern(value_node, None);
        self.l.push(Node::Entry { key, value }, part)
    }

    fn for_in(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let keys = kids.field(f.operator).is_some_and(|o| o.kind() == "in");
        let var = match kids.field(f.left) {
            Some(left) => self.pattern(left, None),
            None => self.l.empty(node),
        };
        let iterable = self.node_or_empty(kids.field(f.right), node);
        let body = self.node_or_empty(kids.field(f.body), node);
        self.l.push(Node::ForEach { var, iterable, body, keys }, node)
    }

    fn switch(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let subject = kids.field(f.value).map(|n| self.node(n));
        let mut cases = Vec::new();
        if let Some(body) = kids.field(f.body) {
            let list = self.l.kids(body);
            for case in list.named() {
                let parts = self.l.kids(case);
                let labels: Vec<_> = parts.field(f.value).map(|v| self.node(v)).into_iter().collect();
                let labels = self.l.list(&labels);
                let statements: Vec<_> = parts.fields(f.body).collect();
                let items = self.nodes(statements);
                let list = self.l.list(&items);
                let body = self.l.push(Node::Block(list), case);
                cases.push(self.l.push(Node::Case { labels, guard: None, body, falls_through: true }, case));
            }
        }
        let cases = self.l.list(&cases);
        self.l.push(Node::Switch { subject, cases }, node)
    }

    fn try_statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let body = self.node_or_empty(kids.field(f.body), node);
        let mut catches = Vec::new();
        if let Some(handler) = kids.field(f.handler) {
            let parts = self.l.kids(handler);
            let var = parts.field(f.parameter).map(|p| self.pattern(p, None));
            let body = self.node_or_empty(parts.field(f.body), handler);
            catches.push(self.l.push(Node::Catch { var, body }, handler));
        }
        let finally = kids.field(f.finalizer).map(|finalizer| {
            let parts = self.l.kids(finalizer);
            self.node_or_empty(parts.field(f.body), finalizer)
        });
        let catches = self.l.list(&catches);
        self.l.push(Node::Try { body, catches, finally }, node)
    }
}
