//! Statements.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{LoopKind, Node, NodeId, TypeKind, UnaryOp};

use super::Java;
use super::kinds::Kind;

impl<'t> Java<'t> {
    pub(super) fn statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Block | Kind::ConstructorBody => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let list = self.l.list(&items);
                self.l.push(Node::Block(list), node)
            }
            Kind::ExprStatement | Kind::Labeled => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.last(), node)
            }
            Kind::LocalDecl => self.locals(node),
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
            Kind::For => self.counted_loop(node),
            Kind::EnhancedFor => {
                let kids = self.l.kids(node);
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                let name_node = kids.field(f.name).unwrap_or(node);
                let name = self.l.name_of(name_node);
                let var = self.l.push(Node::Local { name, ty, init: None, constant: false }, name_node);
                let iterable = self.node_or_empty(kids.field(f.value), node);
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::ForEach { var, iterable, body, keys: false }, node)
            }
            Kind::Switch => self.switch(node),
            Kind::Try | Kind::TryResources => self.try_statement(node),
            Kind::Synchronized => {
                let kids = self.l.kids(node);
                let object = self.node_or_empty(kids.first(), node);
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::Lock { object, body }, node)
            }
            Kind::Return => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Return(value), node)
            }
            Kind::Yield => {
                // the value of the enclosing switch expression
                let kids = self.l.items(node);
                let operand = self.node_or_empty(kids.first(), node);
                self.l.push(Node::Unary { op: UnaryOp::Give, operand }, node)
            }
            Kind::Throw => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Throw(value), node)
            }
            Kind::Break => self.l.push(Node::Break, node),
            Kind::Continue => self.l.push(Node::Continue, node),
            Kind::ClassDecl => self.local_type(node, TypeKind::Class),
            Kind::InterfaceDecl => self.local_type(node, TypeKind::Interface),
            Kind::EnumDecl => self.local_type(node, TypeKind::Enum),
            Kind::RecordDecl => self.local_type(node, TypeKind::Record),
            _ => self.expression(node),
        }
    }

    fn local_type(&mut self, node: Ts<'t>, kind: TypeKind) -> NodeId {
        let id = self.type_decl(node, kind);
        let at = self.l.push(Node::Class(id), node);
        self.l.body.types.push((id, at));
        at
    }

    fn locals(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let ty = kids.field(f.type_).map(|t| self.ty(t));
        let (modifiers, _) = self.modifiers(&kids);
        let mut locals = Vec::new();
        for declarator in kids.fields(f.declarator) {
            let parts = self.l.kids(declarator);
            let Some(name_node) = parts.field(f.name) else {
                continue;
            };
            let name = self.l.name_of(name_node);
            let init = parts.field(f.value).map(|v| self.node(v));
            locals.push(self.l.push(Node::Local { name, ty, init, constant: modifiers.is_readonly }, declarator));
        }
        if let [one] = locals[..] {
            return one;
        }
        let list = self.l.list(&locals);
        // not a scope of its own: the names belong to the block around it
        self.l.push(Node::Opaque(list), node)
    }

    fn counted_loop(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let group = |java: &mut Self, field: u16| {
            let items: Vec<_> = kids.fields(field).collect();
            let items = java.nodes(items);
            match items[..] {
                [] => java.l.empty(node),
                [one] => one,
                _ => {
                    let list = java.l.list(&items);
                    java.l.push(Node::Opaque(list), node)
                }
            }
        };
        let init = group(self, f.init);
        let cond = group(self, f.condition);
        let step = group(self, f.update);
        let head = self.l.list(&[init, cond, step]);
        let body = self.node_or_empty(kids.field(f.body), node);
        self.l.push(Node::Loop { kind: LoopKind::For, head, body }, node)
    }

    fn switch(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let subject = kids.field(f.condition).map(|n| self.node(n));
        let mut cases = Vec::new();
        if let Some(body) = kids.field(f.body) {
            let groups = self.l.items(body);
            for group in groups.named() {
                cases.push(self.case(group));
            }
        }
        let cases = self.l.list(&cases);
        self.l.push(Node::Switch { subject, cases }, node)
    }

    fn case(&mut self, group: Ts<'t>) -> NodeId {
        let falls_through = self.kind(group) == Kind::SwitchGroup;
        let parts = self.l.items(group);
        let (mut labels, mut statements, mut guard) = (Vec::new(), Vec::new(), None);
        for part in parts.named() {
            if self.kind(part) != Kind::SwitchLabel {
                statements.push(self.node(part));
                continue;
            }
            let label = self.l.items(part);
            for value in label.named() {
                match self.kind(value) {
                    Kind::Guard => {
                        let inner = self.l.items(value);
                        guard = inner.first().map(|n| self.node(n));
                    }
                    _ => labels.push(self.node(value)),
                }
            }
        }
        let body = match statements[..] {
            [one] if !falls_through => one,
            _ => {
                let list = self.l.list(&statements);
                self.l.push(Node::Block(list), group)
            }
        };
        let labels = self.l.list(&labels);
        self.l.push(Node::Case { labels, guard, body, falls_through }, group)
    }

    fn try_statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let resources = kids.field(f.resources).map(|r| self.resources(r));
        let mut body = self.node_or_empty(kids.field(f.body), node);
        if let Some(resources) = resources {
            let resources = self.l.list(&resources);
            body = self.l.push(Node::Using { resources, body: Some(body) }, node);
        }
        let (mut catches, mut finally) = (Vec::new(), None);
        for part in kids.named() {
            match self.kind(part) {
                Kind::Catch => catches.push(self.catch(part)),
                Kind::Finally => {
                    let inner = self.l.items(part);
                    finally = inner.first().map(|n| self.node(n));
                }
                _ => {}
            }
        }
        let catches = self.l.list(&catches);
        self.l.push(Node::Try { body, catches, finally }, node)
    }

    fn resources(&mut self, list: Ts<'t>) -> Vec<NodeId> {
        let f = &self.t.fields;
        let kids = self.l.kids(list);
        let mut resources = Vec::new();
        for resource in kids.named() {
            let parts = self.l.kids(resource);
            match (parts.field(f.name), parts.field(f.value)) {
                (Some(name_node), Some(value)) => {
                    let name = self.l.name_of(name_node);
                    let ty = parts.field(f.type_).map(|t| self.ty(t));
                    let init = Some(self.node(value));
                    resources.push(self.l.push(Node::Local { name, ty, init, constant: true }, resource));
                }
                _ => resources.extend(parts.first().map(|n| self.node(n))),
            }
        }
        resources
    }

    fn catch(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let param = kids.named().find(self.t.is(Kind::CatchParam));
        let var = param.map(|p| {
            let parts = self.l.kids(p);
            let name_node = parts.field(f.name).unwrap_or(p);
            let name = self.l.name_of(name_node);
            let ty = parts.named().find(self.t.is(Kind::CatchType)).map(|t| self.ty(t));
            self.l.push(Node::Local { name, ty, init: None, constant: false }, name_node)
        });
        let body = self.node_or_empty(kids.field(f.body), node);
        self.l.push(Node::Catch { var, body }, node)
    }
}
