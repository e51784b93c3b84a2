//! Constructor functions whose functions share variables: `function Gauge() { var watchers = []; this.watch = function (f) { … }; }`.

use rustc_hash::FxHashSet;
use tree_sitter::Node as Ts;
use yarrowgraph_ir::{MemberKind, Modifiers, Node, NodeId, TypeDeclId, Visibility};

use crate::typescript::Script;
use crate::typescript::closures::Maker;
use crate::typescript::kinds::Kind;

impl<'t> Script<'t> {
    /// `function Gauge() { var watchers = []; this.watch = function (f) { watchers.push(f); }; }`: the variables that functions in a
    /// constructor share are members, and so are its functions. Gives what the constructor keeps of what it is given.
    pub(super) fn share_constructor(&mut self, function: Ts<'t>, class: TypeDeclId) -> Option<Vec<Ts<'t>>> {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let body = kids.field(f.body).filter(self.t.is(Kind::StatementBlock))?;
        let statements: Vec<Ts<'t>> = self.l.items(body).named().collect();
        let (mut variables, mut functions, mut used) = (Vec::new(), Vec::new(), Vec::new());
        let mut whole = None;
        for statement in &statements {
            match self.kind(*statement) {
                Kind::FunctionDecl => functions.extend(self.l.kids(*statement).field(f.name).map(|name| (name, *statement))),
                Kind::LexicalDecl | Kind::VariableDecl => {
                    for (_, name, value) in self.declarators(*statement) {
                        if self.kind(name) != Kind::Identifier {
                            continue;
                        }
                        match value {
                            Some(value) if self.kind(value) == Kind::This => whole = Some(self.l.text_of(name)),
                            _ => variables.push(name),
                        }
                    }
                }
                _ => {}
            }
        }
        let mut stack = vec![body];
        while let Some(node) = stack.pop() {
            if matches!(self.kind(node), Kind::FunctionDecl | Kind::FunctionExpr | Kind::Arrow) {
                self.identifiers(node, &mut used);
            } else {
                let kids = self.l.items(node);
                stack.extend(kids.named());
            }
        }
        let used: FxHashSet<&'t str> = used.into_iter().map(|n| self.l.text_of(n)).collect();
        let text = self.l.text_of(function);
        let mut names = Vec::new();
        if let Some(list) = kids.field(f.parameters) {
            self.parameter_names(list, &mut names);
        }
        // a member of the same name is another thing
        let object = whole.unwrap_or("this");
        let is_member = |name: &str| ["this", object].iter().any(|o| text.contains(&format!("{o}.{name}")));
        let is_shared = |n: &Ts<'t>| used.contains(self.l.text_of(*n)) && !is_member(self.l.text_of(*n));
        let shared: Vec<Ts<'t>> = variables.into_iter().filter(is_shared).collect();
        // `this.bake = bake` hands the function out
        let is_handed_out = |name: &str| ["this", object].iter().any(|o| text.contains(&format!("{o}.{name} = {name}")));
        functions.retain(|(name, _)| is_shared(name) || is_handed_out(self.l.text_of(*name)));
        let given: Vec<Ts<'t>> = names.into_iter().filter(is_shared).collect();
        if shared.is_empty() && given.is_empty() && functions.is_empty() {
            return None;
        }
        let maker = Maker {
            is_expression: false,
            statements: Vec::new(),
            literal: function,
            whole,
            functions,
            shared: shared.into_iter().chain(given.iter().copied()).collect(),
            given: Vec::new(),
            params: Vec::new(),
        };
        self.members_of(&maker, class, None);
        self.share(&maker, class, None);
        Some(given)
    }

    /// `this.watch = function (f) { … }` in a constructor whose functions share its variables: a method.
    pub(in crate::typescript) fn method_of_constructor(&mut self, node: Ts<'t>) -> Option<NodeId> {
        let shared = self.shared.as_ref().filter(|s| s.object.is_none() && s.depth == 0)?;
        let whole = shared.whole;
        let member = self.l.context.within?;
        if self.l.unit.member(member).kind != MemberKind::Constructor {
            return None;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let (left, right) = (kids.field(f.left)?, kids.field(f.right)?);
        let is_function = matches!(self.kind(right), Kind::FunctionExpr | Kind::Arrow | Kind::Generator);
        if self.kind(left) != Kind::Member || !(is_function || self.kind(right) == Kind::Identifier) {
            return None;
        }
        let parts = self.l.kids(left);
        let (object, property) = (parts.field(f.object)?, parts.field(f.property)?);
        if self.kind(object) != Kind::This && whole != Some(self.l.text_of(object)) {
            return None;
        }
        // one of its functions, under its own name
        if !is_function {
            let is_own = self.l.text_of(property) == self.l.text_of(right) && self.is_shared(self.l.text_of(right));
            return is_own.then(|| self.l.push(Node::Empty, node));
        }
        let name = self.l.name_of(property);
        let owner = self.l.context.owner?;
        if self.l.unit.ty(owner).members.iter().any(|m| self.l.unit.member(*m).name == name) {
            return None;
        }
        let modifiers = Modifiers { visibility: Visibility::Public, is_virtual: true, ..Modifiers::default() };
        self.shared_method(right, MemberKind::Method, name, property, modifiers);
        Some(self.l.push(Node::Empty, node))
    }
}
