//! Top-level statements: the file that is a program's entry.

use std::collections::BTreeSet;

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{MemberKind, Node};

use super::CSharp;
use super::kinds::Kind;

impl<'t> CSharp<'t> {
    /// The statements as one body that the file runs; of its functions those that capture none of its variables stand beside it.
    pub(super) fn top_level(&mut self, statements: &[Ts<'t>], root: Ts<'t>) {
        let mut steps = Vec::new();
        let mut functions = Vec::new();
        for statement in statements {
            let kids = self.l.items(*statement);
            match kids.first() {
                Some(inner) if self.kind(inner) == Kind::LocalFunction => functions.push(inner),
                Some(inner) => steps.push(inner),
                None => {}
            }
        }
        let capturing = self.capturing(&steps, &functions);
        for function in functions {
            if capturing.contains(&function.id()) {
                steps.push(function);
            } else {
                let member = self.l.unit.members.len();
                self.method(function, MemberKind::Method);
                self.l.unit.members[member].modifiers.is_static = true;
            }
        }
        steps.sort_by_key(Ts::start_byte);
        let name = self.l.no_name();
        let mut member = self.l.member(MemberKind::Initializer, name, statements[0], root);
        member.modifiers.is_static = true;
        let id = self.l.add_member(member);
        let outer = self.l.open_body(id, root);
        let items = self.nodes(steps);
        let list = self.l.list(&items);
        let block = self.l.push(Node::Block(list), root);
        self.l.close_body(outer, Some(block), false);
    }

    /// Which functions name a variable of the statements, or another function that does.
    fn capturing(&mut self, steps: &[Ts<'t>], functions: &[Ts<'t>]) -> BTreeSet<usize> {
        if functions.is_empty() {
            return BTreeSet::new();
        }
        let mut outer = BTreeSet::new();
        for step in steps {
            self.declared(*step, &mut outer);
        }
        let mut named = Vec::new();
        for function in functions {
            let kids = self.l.kids(*function);
            let (mut own, mut names) = (BTreeSet::new(), BTreeSet::new());
            if let Some(params) = kids.field(self.t.fields.parameters) {
                self.declared(params, &mut own);
            }
            if let Some(body) = kids.field(self.t.fields.body) {
                self.identifiers(body, &mut names);
            }
            let name = kids.field(self.t.fields.name).map_or("", |n| self.l.text_of(n));
            named.push((function.id(), name, names.difference(&own).copied().collect::<BTreeSet<&str>>()));
        }
        let mut capturing = BTreeSet::new();
        loop {
            let known = capturing.len();
            for (id, name, names) in &named {
                if names.iter().any(|n| outer.contains(n)) && capturing.insert(*id) {
                    outer.insert(name);
                }
            }
            if capturing.len() == known {
                return capturing;
            }
        }
    }

    /// The names that a subtree gives to something; not those of what it asks for.
    fn declared(&mut self, node: Ts<'t>, into: &mut BTreeSet<&'t str>) {
        let mut open = vec![node];
        while let Some(node) = open.pop() {
            let kids = self.l.kids(node);
            let asks = matches!(self.kind(node), Kind::MemberAccess | Kind::MemberBinding | Kind::QualifiedName | Kind::AliasQualified);
            match kids.field(self.t.fields.name) {
                Some(name) if !asks => self.identifiers(name, into),
                _ => {}
            }
            open.extend(kids.named());
        }
    }

    fn identifiers(&mut self, node: Ts<'t>, into: &mut BTreeSet<&'t str>) {
        let mut open = vec![node];
        while let Some(node) = open.pop() {
            if self.kind(node) == Kind::Identifier {
                into.insert(self.l.text_of(node));
            }
            let kids = self.l.items(node);
            open.extend(kids.named());
        }
    }
}
