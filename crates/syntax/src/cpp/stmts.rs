//! Statements.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{LoopKind, Node, NodeId, TypeRef};

use super::Cpp;
use super::kinds::Kind;
use super::macros;

impl<'t> Cpp<'t> {
    pub(super) fn statement(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        match self.kind(node) {
            Kind::Block => {
                let kids = self.l.items(node);
                let items = self.nodes(kids.named());
                let list = self.l.list(&items);
                self.l.push(Node::Block(list), node)
            }
            Kind::ExprStatement | Kind::Else | Kind::InitStatement | Kind::Labeled => {
                let kids = self.l.items(node);
                if let Some(half) = kids.last().and_then(|n| self.other_half(n)) {
                    return half;
                }
                self.node_or_empty(kids.last(), node)
            }
            Kind::Declaration => self.locals(node),
            Kind::If => {
                let kids = self.l.kids(node);
                let (first, cond) = self.condition(kids.field(f.condition), node);
                let then = self.node_or_empty(kids.field(f.consequence), node);
                let other = kids.field(f.alternative).map(|n| self.node(n));
                let test = self.l.push(Node::If { cond, then, other }, node);
                self.behind(first, test, node)
            }
            Kind::While | Kind::Do => {
                let kind = if self.kind(node) == Kind::While { LoopKind::While } else { LoopKind::DoWhile };
                let kids = self.l.kids(node);
                let init = self.l.empty(node);
                let (_, cond) = self.condition(kids.field(f.condition), node);
                let step = self.l.empty(node);
                let head = self.l.list(&[init, cond, step]);
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::Loop { kind, head, body }, node)
            }
            Kind::For => {
                let kids = self.l.kids(node);
                let init = self.node_or_empty(kids.field(f.initializer), node);
                let cond = self.node_or_empty(kids.field(f.condition), node);
                let step = self.node_or_empty(kids.field(f.update), node);
                let head = self.l.list(&[init, cond, step]);
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::Loop { kind: LoopKind::For, head, body }, node)
            }
            Kind::ForRange => {
                let kids = self.l.kids(node);
                let var = self.loop_variable(kids.field(f.type_), kids.field(f.declarator), node);
                let walked = self.node_or_empty(kids.field(f.right), node);
                let iterable = self.copied(walked, node, self.prepared.copied_walks.contains(&node.start_byte()));
                let body = self.node_or_empty(kids.field(f.body), node);
                self.l.push(Node::ForEach { var, iterable, body, keys: false }, node)
            }
            Kind::Switch => {
                let kids = self.l.kids(node);
                let (_, subject) = self.condition(kids.field(f.condition), node);
                let mut groups = Vec::new();
                if let Some(body) = kids.field(f.body) {
                    self.groups(body, &mut groups);
                }
                let cases: Vec<NodeId> = groups.into_iter().map(|(label, behind)| self.case(label, &behind)).collect();
                let cases = self.l.list(&cases);
                self.l.push(Node::Switch { subject: Some(subject), cases }, node)
            }
            Kind::Try => {
                let kids = self.l.kids(node);
                let body = self.node_or_empty(kids.field(f.body), node);
                let mut catches = Vec::new();
                for clause in kids.named().filter(self.t.is(Kind::CatchClause)) {
                    catches.push(self.catch(clause));
                }
                let catches = self.l.list(&catches);
                self.l.push(Node::Try { body, catches, finally: None }, node)
            }
            Kind::Return | Kind::CoReturn => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Return(value), node)
            }
            Kind::CoYield => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Yield(value), node)
            }
            Kind::Throw => {
                let kids = self.l.items(node);
                let value = kids.first().map(|n| self.node(n));
                self.l.push(Node::Throw(value), node)
            }
            Kind::Break => self.l.push(Node::Break, node),
            Kind::Continue => self.l.push(Node::Continue, node),
            Kind::PreprocIf | Kind::PreprocIfdef => self.variants(node),
            Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier => match self.type_specifier(node, &[], None) {
                Some(id) => {
                    let at = self.l.push(Node::Class(id), node);
                    self.l.body.types.push((id, at));
                    at
                }
                None => self.l.push(Node::Empty, node),
            },
            Kind::Alias | Kind::TypeDefinition | Kind::Using => self.l.push(Node::Empty, node),
            _ => self.expression(node),
        }
    }

    /// What a macro declares that leads from one half of an object to the other: `Q_D(Gauge);` is `GaugePrivate* d`, `Q_Q(Gauge);` is
    /// `Gauge* q`.
    fn other_half(&mut self, call: Ts<'t>) -> Option<NodeId> {
        if self.kind(call) != Kind::Call {
            return None;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(call);
        let called = self.l.text_of(kids.field(f.function)?);
        let args: Vec<Ts<'t>> = self.l.items(kids.field(f.arguments)?).named().collect();
        let [class] = args[..] else { return None };
        if !macros::is_other_half(called) || self.kind(class) != Kind::Identifier {
            return None;
        }
        let class_name = self.l.text_of(class);
        let (of_half, pointer) =
            if called.ends_with('D') { (self.l.intern(&format!("{class_name}Private")), "d") } else { (self.l.intern(class_name), "q") };
        let half = self.l.named_type(of_half);
        let ty = Some(self.l.type_ref(TypeRef::Indirect(half)));
        let name = self.l.intern(pointer);
        Some(self.l.push(Node::Local { name, ty, init: None, constant: false }, class))
    }

    fn behind(&mut self, first: Option<NodeId>, then: NodeId, at: Ts<'t>) -> NodeId {
        match first {
            Some(first) => {
                let list = self.l.list(&[first, then]);
                self.l.push(Node::Block(list), at)
            }
            None => then,
        }
    }

    /// What runs before a condition, and the condition: `if (auto p = weak.lock(); p)`.
    fn condition(&mut self, clause: Option<Ts<'t>>, at: Ts<'t>) -> (Option<NodeId>, NodeId) {
        let f = &self.t.fields;
        let Some(clause) = clause else { return (None, self.l.empty(at)) };
        if self.kind(clause) != Kind::ConditionClause {
            return (None, self.node(clause));
        }
        let kids = self.l.kids(clause);
        let first = kids.field(f.initializer).map(|n| self.node(n));
        (first, self.node_or_empty(kids.field(f.value), clause))
    }

    /// The cases in the body of a choice, each with the statements behind it that are not part of it where the grammar has it end: from
    /// an `#if` on. Cases within an `#if` are as good as any; where an alternative of it has the same case again, its statements go
    /// with the first one's.
    fn groups(&mut self, body: Ts<'t>, groups: &mut Vec<(Ts<'t>, Vec<Ts<'t>>)>) {
        let f = &self.t.fields;
        let kids = self.l.kids(body);
        let condition = kids.field(f.condition).or(kids.field(f.name));
        for child in kids.named().filter(|n| Some(*n) != condition) {
            match self.kind(child) {
                Kind::Case => {
                    let again = if self.kind(body) == Kind::Block { None } else { self.label_of(child) };
                    let known = again.and_then(|label| groups.iter().position(|(case, _)| self.label_of(*case) == Some(label)));
                    match known {
                        Some(at) => groups[at].1.extend(self.parts_of_case(child).1),
                        None => groups.push((child, Vec::new())),
                    }
                }
                Kind::PreprocIf | Kind::PreprocIfdef | Kind::PreprocElif | Kind::PreprocElifdef | Kind::PreprocElse
                    if self.holds_case(child) =>
                {
                    self.groups(child, groups);
                }
                _ => {
                    if let Some((_, behind)) = groups.last_mut() {
                        behind.push(child);
                    }
                }
            }
        }
    }

    /// What the label of a case says; nothing for the default.
    fn label_of(&mut self, case: Ts<'t>) -> Option<&'t str> {
        let label = self.parts_of_case(case).0?;
        Some(self.l.text_of(label))
    }

    /// The label of a case, and its statements.
    fn parts_of_case(&mut self, case: Ts<'t>) -> (Option<Ts<'t>>, Vec<Ts<'t>>) {
        let kids = self.l.kids(case);
        let label = kids.field(self.t.fields.value);
        (label, kids.named().filter(|n| Some(*n) != label).collect())
    }

    /// Whether a branch of `#if`, or one that stands for it, has cases of the choice around it.
    fn holds_case(&mut self, branch: Ts<'t>) -> bool {
        let kids = self.l.items(branch);
        kids.named().any(|n| match self.kind(n) {
            Kind::Case => true,
            Kind::PreprocElif | Kind::PreprocElifdef | Kind::PreprocElse => self.holds_case(n),
            _ => false,
        })
    }

    fn case(&mut self, group: Ts<'t>, behind: &[Ts<'t>]) -> NodeId {
        let (label, mut statements) = self.parts_of_case(group);
        let labels: Vec<NodeId> = label.map(|l| self.node(l)).into_iter().collect();
        statements.extend(behind);
        let items = self.nodes(statements);
        let list = self.l.list(&items);
        let body = self.l.push(Node::Block(list), group);
        let labels = self.l.list(&labels);
        self.l.push(Node::Case { labels, guard: None, body, falls_through: true }, group)
    }

    fn catch(&mut self, clause: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(clause);
        let mut var = None;
        if let Some(list) = kids.field(f.parameters) {
            let parts = self.l.items(list);
            if let Some(param) = parts.named().find(self.t.is(Kind::ParamDecl)) {
                let inner = self.l.kids(param);
                let declared = self.declared(inner.field(f.declarator));
                let ty = self.type_of(inner.field(f.type_), &declared);
                let name_at = declared.name.unwrap_or(param);
                let name = match declared.name {
                    Some(n) => self.l.name_of(n),
                    None => self.l.no_name(),
                };
                var = Some(self.l.push(Node::Local { name, ty, init: None, constant: true }, name_at));
            }
        }
        let body = self.node_or_empty(kids.field(f.body), clause);
        self.l.push(Node::Catch { var, body }, clause)
    }

    /// Branches of `#if` in a body: a build has one of them.
    fn variants(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let mut branches = Vec::new();
        let mut at = Some(node);
        while let Some(branch) = at {
            let kids = self.l.kids(branch);
            let (condition, alternative) = (kids.field(f.condition).or(kids.field(f.name)), kids.field(f.alternative));
            let statements: Vec<Ts<'t>> = kids.named().filter(|n| Some(*n) != condition && Some(*n) != alternative).collect();
            let items = self.nodes(statements);
            let list = self.l.list(&items);
            // the names of a branch belong to the block around
            branches.push(self.l.push(Node::Opaque(list), branch));
            at = alternative;
        }
        // one without an alternative is as good as a plain stretch
        if let [one] = branches[..] {
            return one;
        }
        let list = self.l.list(&branches);
        self.l.push(Node::Variants(list), node)
    }

    fn loop_variable(&mut self, ty: Option<Ts<'t>>, declarator: Option<Ts<'t>>, at: Ts<'t>) -> NodeId {
        let binding = declarator.and_then(|d| self.structured(d));
        if let Some(binding) = binding {
            return self.pattern(binding, None);
        }
        let declared = self.declared(declarator);
        // `foreach (gauge, gauges)` walks with a variable that is there: its name stands where a type would
        let is_nameless = |d: Ts<'t>| d.is_missing() || d.byte_range().is_empty();
        if let (Some(named), true) = (ty, declarator.is_none_or(is_nameless)) {
            let name = self.l.name_of(named);
            return self.l.push(Node::Local { name, ty: None, init: None, constant: false }, named);
        }
        let name_at = declared.name.unwrap_or(at);
        let ty = self.type_of(ty, &declared);
        let name = self.l.name_of(name_at);
        self.l.push(Node::Local { name, ty, init: None, constant: false }, name_at)
    }

    /// The structured binding in a declarator.
    fn structured(&mut self, mut node: Ts<'t>) -> Option<Ts<'t>> {
        loop {
            match self.kind(node) {
                Kind::StructuredBinding => return Some(node),
                Kind::ReferenceDeclarator | Kind::PointerDeclarator => node = self.l.items(node).last()?,
                Kind::InitDeclarator => node = self.l.kids(node).field(self.t.fields.declarator)?,
                _ => return None,
            }
        }
    }

    /// `auto [a, b] = value`
    fn pattern(&mut self, binding: Ts<'t>, init: Option<NodeId>) -> NodeId {
        let kids = self.l.items(binding);
        let mut parts = Vec::new();
        for part in kids.named() {
            let name = self.l.name_of(part);
            parts.push(self.l.push(Node::Local { name, ty: None, init: None, constant: false }, part));
        }
        let parts = self.l.list(&parts);
        self.l.push(Node::Pattern { parts, init, positional: true }, binding)
    }

    fn locals(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let ty_node = kids.field(f.type_);
        if let Some(specifier) = ty_node.filter(|t| matches!(self.kind(*t), Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier))
        {
            self.type_specifier(specifier, &[], None);
        }
        let mut locals = Vec::new();
        for declarator in kids.fields(f.declarator) {
            locals.push(self.local(ty_node, declarator, kids.field(f.value)));
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

    fn local(&mut self, ty_node: Option<Ts<'t>>, declarator: Ts<'t>, value_beside: Option<Ts<'t>>) -> NodeId {
        let f = &self.t.fields;
        let value = self.l.kids(declarator).field(f.value).or(value_beside);
        if let Some(binding) = self.structured(declarator) {
            let init = value.map(|v| self.node(v));
            return self.pattern(binding, init);
        }
        let declared = self.declared(Some(declarator));
        let Some(name_at) = declared.name else { return self.l.push(Node::Empty, declarator) };
        let ty = self.type_of(ty_node, &declared);
        let by_value = !declared.indirect && !declared.array;
        let class_type = ty.filter(|_| by_value && ty_node.is_some_and(|t| self.is_class_type(t)));
        // `Gate gate(3);` may look like a function
        let made = declared.function.is_some();
        let init = match value {
            _ if made => {
                let args =
                    self.l.kids(declared.function.unwrap_or(declarator)).field(f.parameters).map(|p| self.arguments_of_declarator(p));
                class_type.map(|ty| {
                    let args = args.unwrap_or_default();
                    self.l.push(Node::New { ty, args, init: None, class: None }, declarator)
                })
            }
            Some(list) if matches!(self.kind(list), Kind::ArgumentList | Kind::InitializerList) => {
                Some(self.made_by_list(list, class_type))
            }
            Some(value) => {
                let lowered = self.node(value);
                Some(self.copied(lowered, value, by_value))
            }
            None => {
                class_type.filter(|ty| !matches!(self.l.unit.type_ref(*ty), TypeRef::Function { .. } | TypeRef::Indirect(_))).map(|ty| {
                    let args = self.l.list(&[]);
                    self.l.push(Node::New { ty, args, init: None, class: None }, declarator)
                })
            }
        };
        let name = self.l.name_of(name_at);
        self.l.push(Node::Local { name, ty, init, constant: false }, name_at)
    }

    /// The parameters of what looks like a function, taken as the arguments that they are.
    fn arguments_of_declarator(&mut self, list: Ts<'t>) -> yarrowgraph_ir::List {
        let kids = self.l.items(list);
        let mut args = Vec::new();
        for param in kids.named() {
            let parts = self.l.items(param);
            if let Some(name) = parts.first() {
                let text = self.l.name_of(name);
                args.push(self.l.push(Node::Name(text), name));
            }
        }
        self.l.list(&args)
    }

    /// A value that a variable of its own takes from another variable is a copy of it.
    fn copied(&mut self, value: NodeId, at: Ts<'t>, by_value: bool) -> NodeId {
        if !by_value || !matches!(self.l.body.node(value), Node::Name(_) | Node::Member { .. }) {
            return value;
        }
        let name = self.l.intern("copy");
        let callee = self.l.push(Node::Member { object: value, name, optional: false }, at);
        let args = self.l.list(&[]);
        self.l.push(Node::Call { callee, args, type_args: None, optional: false }, at)
    }
}
