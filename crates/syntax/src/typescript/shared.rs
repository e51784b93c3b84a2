//! Variables that are members: what the functions of an object share with each other that is a closure, wherever its code names them.

use rustc_hash::FxHashSet;
use tree_sitter::Node as Ts;
use yarrowgraph_ir::{Name, Node, NodeId};

use super::Script;
use super::kinds::Kind;

/// The variables that are members of an object, where code of that object is lowered.
pub(super) struct Shared<'t> {
    /// The variables and functions.
    pub(super) names: FxHashSet<&'t str>,
    /// The variable that holds the object as a whole.
    pub(super) whole: Option<&'t str>,
    /// The name of the object; none where it is `this`.
    pub(super) object: Option<Name>,
    /// The name of its class.
    pub(super) class: Name,
    /// Whether `this` means something else where the code stands.
    pub(super) is_inner: bool,
    /// So many functions the code stands in.
    pub(super) depth: u32,
    /// Names that mean something else where the code stands.
    pub(super) hidden: Vec<&'t str>,
}

impl<'t> Script<'t> {
    pub(super) fn is_shared(&self, name: &str) -> bool {
        self.shared.as_ref().is_some_and(|s| s.names.contains(name) && !s.hidden.contains(&name))
    }

    /// A name as what it means: where it is that of a shared variable, a member of the object.
    pub(super) fn shared_name(&mut self, node: Ts<'t>) -> NodeId {
        let text = self.l.text_of(node);
        let name = self.l.intern(text);
        let is_whole = self.shared.as_ref().is_some_and(|s| s.whole == Some(text) && !s.hidden.contains(&text));
        if !is_whole && !self.is_shared(text) {
            return self.l.push(Node::Name(name), node);
        }
        let object = match self.shared.as_ref().map(|s| (s.object, s.is_inner, s.class)) {
            Some((Some(object), ..)) => self.l.push(Node::Name(object), node),
            Some((None, true, class)) => self.l.push(Node::OuterThis(class), node),
            _ => self.l.push(Node::This, node),
        };
        if is_whole { object } else { self.l.push(Node::Member { object, name, optional: false }, node) }
    }

    /// Whether `this` must go on to mean the object in a function that is written in its code: it has none of its own use for it.
    pub(super) fn keeps_object(&self, function: Ts<'t>) -> bool {
        self.shared.is_some() && !self.l.text_of(function).contains("this")
    }

    /// Whether a function is bound to `this` where it is written: `function () { … }.bind(this)`, `_.bind(function () { … }, this)`,
    /// `parts.forEach(function (part) { … }, this)`.
    pub(super) fn is_bound_here(&self, function: Ts<'t>) -> bool {
        let behind = self.l.text[function.end_byte()..].trim_start();
        let behind = behind.strip_prefix(')').map_or(behind, str::trim_start);
        let handed = [".bind(", ","].iter().find_map(|sign| behind.strip_prefix(sign));
        let ends = |rest: &str| rest.trim_start().starts_with([')', ',']);
        handed.and_then(|rest| rest.trim_start().strip_prefix("this")).is_some_and(ends)
    }

    /// Says that `this` means something else from here on where a function has its own; gives what it was.
    pub(super) fn enter_own(&mut self, has_own: bool) -> bool {
        let Some(shared) = &mut self.shared else { return false };
        let was = shared.is_inner;
        shared.is_inner |= has_own;
        shared.depth += 1;
        was
    }

    /// Says again what [`Script::enter_own`] gave.
    pub(super) fn leave_own(&mut self, was: bool) {
        if let Some(shared) = &mut self.shared {
            shared.is_inner = was;
            shared.depth -= 1;
        }
    }

    /// Hides the shared names that mean something else in a function; gives what [`Script::show`] needs.
    pub(super) fn hide(&mut self, function: Ts<'t>) -> usize {
        let Some(known) = self.shared.as_ref().map(|s| s.hidden.len()) else { return 0 };
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let mut found = Vec::new();
        match (kids.field(f.parameters), kids.field(f.parameter)) {
            (Some(list), _) => self.parameter_names(list, &mut found),
            (None, Some(single)) => found.push(single),
            (None, None) => {}
        }
        if let Some(body) = kids.field(f.body) {
            let mut stack = vec![body];
            while let Some(node) = stack.pop() {
                let parts = self.l.kids(node);
                match self.kind(node) {
                    Kind::Declarator => {
                        if let Some(name) = parts.field(f.name) {
                            self.pattern_names(name, &mut found);
                        }
                    }
                    Kind::ForIn => {
                        if let Some(left) =
                            parts.field(f.left).filter(|_| parts.has_token("const") || parts.has_token("let") || parts.has_token("var"))
                        {
                            self.pattern_names(left, &mut found);
                        }
                    }
                    Kind::FunctionDecl | Kind::GeneratorDecl | Kind::ClassDecl => found.extend(parts.field(f.name)),
                    Kind::Catch => {
                        if let Some(parameter) = parts.field(f.parameter) {
                            self.pattern_names(parameter, &mut found);
                        }
                    }
                    _ => {}
                }
                if !matches!(
                    self.kind(node),
                    Kind::Arrow | Kind::FunctionExpr | Kind::FunctionDecl | Kind::GeneratorDecl | Kind::MethodDef | Kind::Class
                ) {
                    stack.extend(parts.named());
                }
            }
        }
        let found: Vec<&'t str> = found.into_iter().map(|n| self.l.text_of(n)).collect();
        if let Some(shared) = &mut self.shared {
            shared.hidden.extend(found);
        }
        known
    }

    /// Shows again what was hidden since.
    pub(super) fn show(&mut self, known: usize) {
        if let Some(shared) = &mut self.shared {
            shared.hidden.truncate(known);
        }
    }

    /// What a statement declares: each declaration with its name or pattern, and its first value.
    pub(super) fn declarators(&mut self, statement: Ts<'t>) -> Vec<(Ts<'t>, Ts<'t>, Option<Ts<'t>>)> {
        let f = &self.t.fields;
        let declarators: Vec<Ts<'t>> = self.l.items(statement).named().filter(self.t.is(Kind::Declarator)).collect();
        let mut found = Vec::with_capacity(declarators.len());
        for declarator in declarators {
            let parts = self.l.kids(declarator);
            found.extend(parts.field(f.name).map(|name| (declarator, name, parts.field(f.value))));
        }
        found
    }

    /// All identifiers below a node.
    pub(super) fn identifiers(&mut self, node: Ts<'t>, found: &mut Vec<Ts<'t>>) {
        let mut stack = vec![node];
        while let Some(node) = stack.pop() {
            match self.kind(node) {
                Kind::Identifier | Kind::ShorthandProperty | Kind::ShorthandPattern => found.push(node),
                _ => {
                    let kids = self.l.items(node);
                    stack.extend(kids.named());
                }
            }
        }
    }

    /// The names that a list of parameters declares.
    pub(super) fn parameter_names(&mut self, list: Ts<'t>, found: &mut Vec<Ts<'t>>) {
        let f = &self.t.fields;
        let params: Vec<Ts<'t>> = self.l.items(list).named().collect();
        for param in params {
            let parts = self.l.kids(param);
            let pattern = parts.field(f.pattern).unwrap_or(param);
            self.pattern_names(pattern, found);
        }
    }

    /// The names that a pattern declares.
    pub(super) fn pattern_names(&mut self, pattern: Ts<'t>, found: &mut Vec<Ts<'t>>) {
        let f = &self.t.fields;
        match self.kind(pattern) {
            Kind::Identifier | Kind::ShorthandPattern => found.push(pattern),
            Kind::AssignPattern | Kind::ObjectAssignPattern => {
                if let Some(left) = self.l.kids(pattern).field(f.left) {
                    self.pattern_names(left, found);
                }
            }
            Kind::PairPattern => {
                if let Some(value) = self.l.kids(pattern).field(f.value) {
                    self.pattern_names(value, found);
                }
            }
            _ => {
                let parts: Vec<Ts<'t>> = self.l.items(pattern).named().collect();
                parts.into_iter().for_each(|part| self.pattern_names(part, found));
            }
        }
    }
}
