//! Statements.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{CaptureMode, Function, LambdaForm, LoopKind, Node, NodeId, TypeRef, TypeRefId};

use super::CSharp;
use super::kinds::Kind;

impl<'t> CSharp<'t> {
    pub(super) fn statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Block => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let list = self.l.list(&items);
                self.l.push(Node::Block(list), node)
            }
            Kind::ExprStatement | Kind::Labeled | Kind::CheckedStatement | Kind::Unsafe => {
                let kids = self.l.items(node);
                self.node_or_empty(kids.last(), node)
            }
            Kind::LocalDecl => self.local_declaration(node),
            Kind::VariableDecl => {
                let locals = self.variables(node);
                self.group(&locals, node)
            }
            Kind::LocalFunction => self.local_function(node),
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
            Kind::ForEach => self.for_each(node),
            Kind::Switch => self.switch(node),
            Kind::Try => self.try_statement(node),
            Kind::Using | Kind::Fixed => self.using_statement(node),
            Kind::Lock => {
                let kids = self.l.items(node);
                let object = self.node_or_empty(kids.first(), node);
                let body = self.node_or_empty(kids.last(), node);
                self.l.push(Node::Lock { object, body }, node)
            }
            Kind::Return => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Return(value), node)
            }
            Kind::Yield => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Yield(value), node)
            }
            Kind::Throw | Kind::ThrowExpr => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Throw(value), node)
            }
            Kind::Break => self.l.push(Node::Break, node),
            Kind::Continue => self.l.push(Node::Continue, node),
            Kind::PreprocIf => self.variants(node),
            _ => self.expression(node),
        }
    }

    /// Several nodes in the place of one, without a scope of their own.
    pub(super) fn group(&mut self, items: &[NodeId], node: Ts<'t>) -> NodeId {
        match *items {
            [one] => one,
            _ => {
                let list = self.l.list(items);
                self.l.push(Node::Opaque(list), node)
            }
        }
    }

    /// `#if … #elif … #else`: one alternative for each branch.
    fn variants(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let mut branches = Vec::new();
        let mut next = Some(node);
        while let Some(branch) = next {
            let kids = self.l.kids(branch);
            let (condition, alternative) = (kids.field(f.condition), kids.field(f.alternative));
            let items: Vec<_> = kids.named().filter(|n| Some(*n) != condition && Some(*n) != alternative).collect();
            let items = self.nodes(items);
            let list = self.l.list(&items);
            branches.push(self.l.push(Node::Opaque(list), branch));
            next = alternative;
        }
        let list = self.l.list(&branches);
        self.l.push(Node::Variants(list), node)
    }

    fn local_declaration(&mut self, node: Ts<'t>) -> NodeId {
        let kids = self.l.kids(node);
        let Some(decl) = kids.named().find(self.t.is(Kind::VariableDecl)) else {
            return self.l.push(Node::Plain, node);
        };
        let locals = self.variables(decl);
        if kids.has_token("using") {
            let resources = self.l.list(&locals);
            return self.l.push(Node::Using { resources, body: None }, node);
        }
        self.group(&locals, node)
    }

    fn variables(&mut self, decl: Ts<'t>) -> Vec<NodeId> {
        let f = &self.t.fields;
        let parts = self.l.kids(decl);
        let ty = parts.field(f.type_).map(|t| self.ty(t));
        let mut locals = Vec::new();
        for declarator in parts.named().filter(self.t.is(Kind::Declarator)) {
            let (name_node, value) = self.declarator(declarator);
            let Some(name_node) = name_node else { continue };
            let init = value.map(|v| self.node(v));
            if self.kind(name_node) == Kind::TuplePattern {
                locals.push(self.designation(name_node, init));
                continue;
            }
            let name = self.l.name_of(name_node);
            locals.push(self.l.push(Node::Local { name, ty, init, constant: false }, declarator));
        }
        locals
    }

    /// `(a, (b, c))` as a pattern of locals.
    pub(super) fn designation(&mut self, node: Ts<'t>, init: Option<NodeId>) -> NodeId {
        let kids = self.l.kids(node);
        let mut parts = Vec::new();
        for part in kids.named() {
            parts.push(match self.kind(part) {
                Kind::TuplePattern | Kind::ParensDesignation | Kind::Tuple => self.designation(part, None),
                Kind::Argument | Kind::DeclarationExpr => {
                    let inner = self.l.kids(part);
                    let name_node = inner.field(self.t.fields.name).or(inner.last()).unwrap_or(part);
                    if self.kind(name_node) == Kind::DeclarationExpr { self.node(name_node) } else { self.local(name_node) }
                }
                _ => self.local(part),
            });
        }
        let parts = self.l.list(&parts);
        self.l.push(Node::Pattern { parts, init, positional: true }, node)
    }

    /// A local without a type or a value of its own.
    pub(super) fn local(&mut self, name_node: Ts<'t>) -> NodeId {
        let name = self.l.name_of(name_node);
        self.l.push(Node::Local { name, ty: None, init: None, constant: false }, name_node)
    }

    fn local_function(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let Some(name_node) = kids.field(f.name) else {
            return self.l.push(Node::Plain, node);
        };
        let name = self.l.name_of(name_node);
        let params = kids.field(f.parameters).map_or_else(Vec::new, |p| self.params(p));
        let result = kids.field(f.type_).map(|t| self.ty(t));
        let id = self.closure(Some(name), params, kids.field(f.body), LambdaForm::Local, node);
        if let Node::Lambda(index) = self.l.body.node(id) {
            self.l.body.functions[index.0 as usize].result = result;
        }
        self.l.push(Node::Local { name, ty: None, init: Some(id), constant: true }, name_node)
    }

    /// A function written in a body.
    pub(super) fn closure(
        &mut self,
        name: Option<yarrowgraph_ir::Name>,
        params: Vec<yarrowgraph_ir::Param>,
        body: Option<Ts<'t>>,
        form: LambdaForm,
        node: Ts<'t>,
    ) -> NodeId {
        let mut returns_body = body.is_some_and(|b| self.kind(b) != Kind::Block);
        let index = self.l.function(Function {
            name,
            params,
            result: None,
            body: None,
            returns_body,
            this: CaptureMode::Lexical,
            form,
            is_async: false,
        });
        let inner = match body {
            Some(arrow) if self.kind(arrow) == Kind::ArrowClause => {
                let kids = self.l.items(arrow);
                kids.first()
            }
            other => other,
        };
        let body = inner.map(|b| self.node(b));
        returns_body &= body.is_some();
        let function = &mut self.l.body.functions[index.0 as usize];
        function.body = body;
        function.returns_body = returns_body;
        self.l.push(Node::Lambda(index), node)
    }

    fn counted_loop(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let mut parts = Vec::new();
        for field in [f.initializer, f.condition, f.update] {
            let items: Vec<_> = kids.fields(field).collect();
            let items = self.nodes(items);
            parts.push(if items.is_empty() { self.l.empty(node) } else { self.group(&items, node) });
        }
        let head = self.l.list(&parts);
        let body = self.node_or_empty(kids.field(f.body), node);
        self.l.push(Node::Loop { kind: LoopKind::For, head, body }, node)
    }

    fn for_each(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let left = kids.field(f.left).unwrap_or(node);
        let var = match self.kind(left) {
            Kind::TuplePattern | Kind::Tuple => self.designation(left, None),
            Kind::DeclarationExpr => {
                let parts = self.l.kids(left);
                match parts.field(f.name) {
                    Some(n) if self.kind(n) == Kind::ParensDesignation => self.designation(n, None),
                    Some(n) => self.local(n),
                    None => self.l.empty(left),
                }
            }
            _ => {
                let (ty, name_at) = match self.compared(left) {
                    // `foreach (IHandler<T> h in handlers)` is read as two comparisons
                    Some((generic, name_at)) if self.kind(generic) == Kind::Binary => (self.compared_type(generic), name_at),
                    _ => (kids.field(f.type_).map(|t| self.ty(t)), left),
                };
                let name = self.l.name_of(name_at);
                self.l.push(Node::Local { name, ty, init: None, constant: true }, name_at)
            }
        };
        let iterable = self.node_or_empty(kids.field(f.right), node);
        let body = self.node_or_empty(kids.field(f.body), node);
        self.l.push(Node::ForEach { var, iterable, body, keys: false }, node)
    }

    /// The two sides of a comparison.
    fn compared(&mut self, node: Ts<'t>) -> Option<(Ts<'t>, Ts<'t>)> {
        if self.kind(node) != Kind::Binary {
            return None;
        }
        let parts = self.l.items(node);
        parts.first().zip(parts.last())
    }

    /// A generic type that was read as a comparison: `IHandler<T`.
    fn compared_type(&mut self, node: Ts<'t>) -> Option<TypeRefId> {
        let (name_at, arg_at) = self.compared(node)?;
        let (name, arg) = (self.l.name_of(name_at), self.l.name_of(arg_at));
        let arg = self.l.named_type(arg);
        Some(self.l.type_ref(TypeRef::Named { name, args: Box::new([arg]) }))
    }

    fn switch(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let subject = kids.field(f.value).map(|n| self.node(n));
        let mut cases = Vec::new();
        if let Some(body) = kids.field(f.body) {
            let sections = self.l.items(body);
            for section in sections.named().filter(self.t.is(Kind::SwitchSection)) {
                cases.push(self.section(section, subject));
            }
        }
        let cases = self.l.list(&cases);
        self.l.push(Node::Switch { subject, cases }, node)
    }

    fn section(&mut self, section: Ts<'t>, subject: Option<NodeId>) -> NodeId {
        let parts = self.l.kids(section);
        let (mut labels, mut statements, mut asked) = (Vec::new(), Vec::new(), Vec::new());
        // labels stand before their colons, statements after the last one
        let mut children: Vec<Ts<'t>> = parts.all().collect();
        let colon = children.iter().rposition(|n| !n.is_named() && n.kind() == ":");
        let rest = children.split_off(colon.map_or(0, |c| c + 1));
        let children: Vec<Ts<'t>> = children.into_iter().filter(|n| n.is_named()).collect();
        // of several labels no one asks for all
        let is_single = children.iter().filter(|n| self.kind(**n) != Kind::WhenClause).count() == 1;
        for part in children {
            match self.kind(part) {
                Kind::WhenClause => {
                    let inner = self.l.items(part);
                    asked.extend(inner.first().map(|n| self.node(n)));
                }
                _ => labels.push(self.label(part, subject.filter(|_| is_single), &mut asked)),
            }
        }
        for part in rest.into_iter().filter(|n| n.is_named()) {
            statements.push(self.node(part));
        }
        // labels with no statements of their own share those of the next
        let falls_through = statements.is_empty();
        let list = self.l.list(&statements);
        let body = self.l.push(Node::Block(list), section);
        let labels = self.l.list(&labels);
        let guard = self.all_of(asked, section);
        self.l.push(Node::Case { labels, guard, body, falls_through }, section)
    }

    fn try_statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let body = self.node_or_empty(kids.field(f.body), node);
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

    fn catch(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let decl = kids.named().find(self.t.is(Kind::CatchDecl));
        let var = decl.and_then(|d| {
            let parts = self.l.kids(d);
            let ty = parts.field(f.type_).map(|t| self.ty(t));
            let name_node = parts.field(f.name)?;
            let name = self.l.name_of(name_node);
            Some(self.l.push(Node::Local { name, ty, init: None, constant: false }, name_node))
        });
        let body = self.node_or_empty(kids.field(f.body), node);
        self.l.push(Node::Catch { var, body }, node)
    }

    fn using_statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let body_node = kids.field(f.body).or(kids.last());
        let mut resources = Vec::new();
        for part in kids.named().filter(|n| Some(*n) != body_node) {
            match self.kind(part) {
                Kind::VariableDecl => resources.extend(self.variables(part)),
                _ => resources.push(self.node(part)),
            }
        }
        let resources = self.l.list(&resources);
        let body = body_node.map(|b| self.node(b));
        self.l.push(Node::Using { resources, body }, node)
    }
}
