//! Files whose code stands in one function: `(function () { … })()`, `define([…], function (…) { … })`.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{AssignOp, Import, MemberKind, Node, NodeId};

use super::modules::WHOLE;
use crate::typescript::Script;
use crate::typescript::kinds::Kind;

impl<'t> Script<'t> {
    /// Lowers the function that holds most of a file as the module's code.
    pub(in crate::typescript) fn bundle(&mut self, statement: Ts<'t>, items: &mut Vec<NodeId>) -> bool {
        if !self.is_loose() || (statement.end_byte() - statement.start_byte()) * 2 < self.l.text.len() {
            return false;
        }
        let kids = self.l.items(statement);
        let Some(call) = kids.first().and_then(|n| self.call_inside(n)) else { return false };
        let f = &self.t.fields;
        let parts = self.l.kids(call);
        let (Some(callee), Some(arguments)) = (parts.field(f.function), parts.field(f.arguments)) else { return false };
        let args: Vec<Ts<'t>> = self.l.items(arguments).named().collect();
        if matches!(self.l.text_of(callee), "define" | "require" | "requirejs" | "sap.ui.define") {
            let Some(function) = args.iter().copied().rfind(|a| self.is_function(*a)) else { return false };
            let deps = args.iter().copied().find(self.t.is(Kind::Array));
            let deps: Vec<Ts<'t>> = deps.map_or_else(Vec::new, |d| self.l.items(d).named().collect());
            self.import_params(function, &deps);
            return self.bundle_body(function, items);
        }
        let callee = match self.kind(callee) {
            // `(function () { … }).call(this)`
            Kind::Member => {
                let inner = self.l.kids(callee);
                let called = inner.field(f.property).is_some_and(|p| matches!(self.l.text_of(p), "call" | "apply"));
                match inner.field(f.object).filter(|_| called) {
                    Some(object) => object,
                    None => return false,
                }
            }
            _ => callee,
        };
        let Some(function) = self.function_inside(callee) else { return false };
        // `(function (root, factory) { … })(this, function (…) { … })`
        if let Some(factory) = args.iter().copied().find(|a| self.is_function(*a) && self.covers_most(*a)) {
            return self.bundle_body(factory, items);
        }
        self.assign_params(function, &args, items);
        self.bundle_body(function, items)
    }

    fn covers_most(&self, node: Ts<'t>) -> bool {
        (node.end_byte() - node.start_byte()) * 2 >= self.l.text.len()
    }

    fn is_function(&self, node: Ts<'t>) -> bool {
        matches!(self.kind(node), Kind::FunctionExpr | Kind::Arrow)
    }

    fn call_inside(&mut self, mut node: Ts<'t>) -> Option<Ts<'t>> {
        while matches!(self.kind(node), Kind::Parens | Kind::Unary | Kind::Await) {
            node = self.l.items(node).last()?;
        }
        (self.kind(node) == Kind::Call).then_some(node)
    }

    fn function_inside(&mut self, mut node: Ts<'t>) -> Option<Ts<'t>> {
        while self.kind(node) == Kind::Parens {
            node = self.l.items(node).first()?;
        }
        self.is_function(node).then_some(node)
    }

    fn param_names(&mut self, function: Ts<'t>) -> Vec<Ts<'t>> {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let Some(list) = kids.field(f.parameters) else { return Vec::new() };
        let params: Vec<Ts<'t>> = self.l.items(list).named().collect();
        params
            .into_iter()
            .map(|p| match self.kind(p) {
                Kind::RequiredParam | Kind::OptionalParam => self.l.kids(p).field(f.pattern).unwrap_or(p),
                _ => p,
            })
            .collect()
    }

    fn import_params(&mut self, function: Ts<'t>, deps: &[Ts<'t>]) {
        for (param, dep) in self.param_names(function).into_iter().zip(deps) {
            if self.kind(*dep) == Kind::String && self.kind(param) == Kind::Identifier {
                let from = self.unquoted(dep.to_owned());
                let (from, alias) = (self.l.intern(from), self.l.name_of(param));
                self.l.unit.imports.push(Import {
                    from,
                    name: None,
                    alias: Some(alias),
                    is_static: false,
                    reexport: false,
                    types_only: false,
                });
            }
        }
    }

    fn assign_params(&mut self, function: Ts<'t>, args: &[Ts<'t>], items: &mut Vec<NodeId>) {
        for (param, arg) in self.param_names(function).into_iter().zip(args) {
            if self.kind(param) != Kind::Identifier || self.l.text_of(param) == self.l.text_of(*arg) {
                continue;
            }
            let name = self.l.name_of(param);
            let mut field = self.l.member(MemberKind::Field, name, param, param);
            field.modifiers = self.module_modifiers(false);
            self.l.add_member(field);
            let target = self.l.push(Node::Name(name), param);
            let value = self.node(*arg);
            items.push(self.l.push(Node::Assign { op: AssignOp::Set, target, value }, param));
        }
    }

    fn bundle_body(&mut self, function: Ts<'t>, items: &mut Vec<NodeId>) -> bool {
        let f = &self.t.fields;
        let kids = self.l.kids(function);
        let Some(body) = kids.field(f.body).filter(self.t.is(Kind::StatementBlock)) else { return false };
        let statements = self.l.items(body);
        for statement in statements.named() {
            if self.kind(statement) != Kind::Return {
                self.module_statement(statement, false, items);
                continue;
            }
            // what the function returns is what the module is
            let parts = self.l.items(statement);
            if let Some(value) = parts.first() {
                if self.kind(value) == Kind::Identifier {
                    let (own, outer) = (self.l.name_of(value), self.l.intern(WHOLE));
                    self.l.unit.exports.push((own, outer));
                } else {
                    self.hand_out(None, value, value, items);
                }
            }
        }
        true
    }
}
