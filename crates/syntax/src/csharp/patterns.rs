//! Patterns: type tests, comparisons and what they bind.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{BinaryOp, Node, NodeId, UnaryOp};

use super::CSharp;
use super::exprs::binary_op;
use super::kinds::Kind;

impl<'t> CSharp<'t> {
    /// The label of a case. What it asks of the parts of the subject is put among the conditions, as a guard would ask it.
    pub(super) fn label(&mut self, node: Ts<'t>, subject: Option<NodeId>, conditions: &mut Vec<NodeId>) -> NodeId {
        match (self.kind(node), subject) {
            (Kind::ParensPattern, _) => match self.l.items(node).first() {
                Some(inner) => self.label(inner, subject, conditions),
                None => self.l.push(Node::Plain, node),
            },
            (Kind::RelationalPattern, Some(subject)) => match self.named_again(subject, node) {
                Some(subject) => self.relation(subject, node),
                None => self.pattern(node),
            },
            (Kind::AndPattern, Some(_)) => {
                let f = &self.t.fields;
                let kids = self.l.kids(node);
                let (Some(left), Some(right)) = (kids.field(f.left), kids.field(f.right)) else { return self.pattern(node) };
                let left = self.label(left, subject, conditions);
                let right = self.label(right, subject, conditions);
                self.l.push(Node::Binary { op: BinaryOp::And, left, right }, node)
            }
            (Kind::RecursivePattern, Some(subject)) => self.recursive_label(node, subject, conditions),
            _ => self.pattern(node),
        }
    }

    fn recursive_label(&mut self, node: Ts<'t>, subject: NodeId, conditions: &mut Vec<NodeId>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let ty = kids.field(f.type_).map(|t| self.ty(t));
        let clause = |kind: &str| kids.named().find(|n| n.kind() == kind);
        let positions: Vec<Ts<'t>> = match clause("positional_pattern_clause") {
            Some(clause) => self.l.items(clause).named().collect(),
            None => Vec::new(),
        };
        // a tuple has no type, and each of its parts is a subject
        let parts = match self.l.body.node(subject) {
            Node::Collection { items, .. } if ty.is_none() => self.l.body.list(items).to_vec(),
            _ => Vec::new(),
        };
        if !positions.is_empty() && parts.len() == positions.len() {
            let mut labels = Vec::new();
            for (position, part) in positions.into_iter().zip(parts) {
                let inner = self.inner_pattern(position);
                labels.push(self.label(inner, Some(part), conditions));
            }
            return self.group(&labels, node);
        }
        let Some(ty) = ty else { return self.pattern(node) };
        let head = match kids.field(f.name) {
            Some(name_node) => {
                let name = self.l.name_of(name_node);
                self.l.push(Node::Local { name, ty: Some(ty), init: None, constant: false }, node)
            }
            None => self.l.push(Node::TypeExpr(ty), node),
        };
        for position in positions {
            let inner = self.inner_pattern(position);
            match self.kind(inner) {
                Kind::Discard => {}
                Kind::VarPattern | Kind::DeclarationPattern => conditions.push(self.pattern(inner)),
                _ => {
                    let asked = self.pattern(inner);
                    let list = self.l.list(&[asked]);
                    conditions.push(self.l.push(Node::Opaque(list), inner));
                }
            }
        }
        if let Some(clause) = clause("property_pattern_clause") {
            match self.named_again(subject, clause) {
                Some(subject) => conditions.extend(self.properties(subject, clause)),
                None => conditions.push(self.l.push(Node::Plain, clause)),
            }
        }
        head
    }

    /// What a subject is named by, once more, for a condition on it; none of a subject that is no plain name.
    fn named_again(&mut self, subject: NodeId, at: Ts<'t>) -> Option<NodeId> {
        let again = match self.l.body.node(subject) {
            known @ (Node::Name(_) | Node::This) => known,
            Node::Member { object, name, optional } => Node::Member { object: self.named_again(object, at)?, name, optional },
            _ => return None,
        };
        Some(self.l.push(again, at))
    }

    /// What a clause of properties asks of an object.
    fn properties(&mut self, object: NodeId, clause: Ts<'t>) -> Vec<NodeId> {
        let mut asked = Vec::new();
        let parts = self.l.items(clause);
        for part in parts.named() {
            let sides = self.l.items(part);
            let mut sides = sides.named();
            let (Some(path), Some(pattern)) = (sides.next(), sides.next()) else { continue };
            let mut of = object;
            // `Gate.State: Open` asks a part of a part
            for step in self.l.text_of(path).split('.') {
                let name = self.l.intern(step.trim());
                of = self.l.push(Node::Member { object: of, name, optional: false }, path);
            }
            asked.push(self.test(of, pattern, part));
        }
        asked
    }

    /// `> 5`, asked of a value.
    fn relation(&mut self, left: NodeId, node: Ts<'t>) -> NodeId {
        let kids = self.l.kids(node);
        let op = binary_op(kids.all().next().map_or("", |token| token.kind()));
        let right = self.node_or_empty(kids.first(), node);
        self.l.push(Node::Binary { op, left, right }, node)
    }

    fn inner_pattern(&mut self, node: Ts<'t>) -> Ts<'t> {
        if self.kind(node) == Kind::SubPattern { self.l.items(node).last().unwrap_or(node) } else { node }
    }

    /// Several conditions as one.
    pub(super) fn all_of(&mut self, conditions: Vec<NodeId>, node: Ts<'t>) -> Option<NodeId> {
        conditions.into_iter().reduce(|left, right| self.l.push(Node::Binary { op: BinaryOp::And, left, right }, node))
    }

    /// A pattern on its own, where it is not known what it is asked of.
    pub(super) fn pattern(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        match self.kind(node) {
            // what is compared is not at hand
            Kind::RelationalPattern => self.l.push(Node::Plain, node),
            Kind::ConstantPattern | Kind::ParensPattern => match kids.first() {
                Some(n) => self.pattern(n),
                None => self.l.push(Node::Plain, node),
            },
            Kind::DeclarationPattern => {
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                match kids.field(f.name) {
                    Some(name_node) => {
                        let name = self.l.name_of(name_node);
                        self.l.push(Node::Local { name, ty, init: None, constant: false }, node)
                    }
                    None => match ty {
                        Some(ty) => self.l.push(Node::TypeExpr(ty), node),
                        None => self.l.push(Node::Plain, node),
                    },
                }
            }
            Kind::TypePattern => {
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                match ty {
                    Some(ty) => self.l.push(Node::TypeExpr(ty), node),
                    None => self.l.push(Node::Plain, node),
                }
            }
            Kind::VarPattern => match kids.field(f.name) {
                Some(n) => self.local(n),
                None => self.l.push(Node::Plain, node),
            },
            Kind::Discard => self.l.push(Node::Plain, node),
            Kind::RecursivePattern | Kind::ListPattern => {
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                if let (Some(name_node), 1) =
                    (kids.field(f.name), kids.named().filter(|n| self.kind(*n) != Kind::SubPattern).count().min(1))
                {
                    let name = self.l.name_of(name_node);
                    return self.l.push(Node::Local { name, ty, init: None, constant: false }, node);
                }
                let mut items: Vec<NodeId> = ty.map(|ty| self.l.push(Node::TypeExpr(ty), node)).into_iter().collect();
                for part in kids.named().filter(|n| Some(*n) != kids.field(f.type_)) {
                    items.push(self.pattern(part));
                }
                self.group(&items, node)
            }
            Kind::AndPattern | Kind::OrPattern if kids.named().count() == 2 => {
                let op = if self.kind(node) == Kind::AndPattern { BinaryOp::And } else { BinaryOp::Or };
                let parts: Vec<NodeId> = kids.named().map(|n| self.pattern(n)).collect();
                self.l.push(Node::Binary { op, left: parts[0], right: parts[1] }, node)
            }
            Kind::NegatedPattern if kids.named().count() == 1 => {
                let operand = match kids.first() {
                    Some(inner) => self.pattern(inner),
                    None => self.l.push(Node::Plain, node),
                };
                self.l.push(Node::Unary { op: UnaryOp::Not, operand }, node)
            }
            Kind::NegatedPattern | Kind::AndPattern | Kind::OrPattern | Kind::SubPattern => {
                let items: Vec<NodeId> = kids.named().map(|n| self.pattern(n)).collect();
                self.group(&items, node)
            }
            _ if matches!(node.kind(), "positional_pattern_clause" | "property_pattern_clause") => {
                let items: Vec<NodeId> = kids.named().map(|n| self.pattern(n)).collect();
                self.group(&items, node)
            }
            _ => self.node(node),
        }
    }

    /// `x is PATTERN`.
    pub(super) fn is_pattern(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let object = self.node_or_empty(kids.field(f.expression), node);
        match kids.field(f.pattern) {
            Some(pattern) => self.test(object, pattern, node),
            None => object,
        }
    }

    fn test(&mut self, object: NodeId, pattern: Ts<'t>, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(pattern);
        match self.kind(pattern) {
            Kind::NegatedPattern => {
                let Some(inner) = kids.first() else {
                    return object;
                };
                let operand = self.test(object, inner, node);
                // `is not null` reads like `!= null`
                if let Node::Binary { op: BinaryOp::Eq, left, right } = self.l.body.node(operand) {
                    return self.l.push(Node::Binary { op: BinaryOp::Ne, left, right }, node);
                }
                self.l.push(Node::Unary { op: UnaryOp::Not, operand }, node)
            }
            Kind::ConstantPattern => {
                let right = self.pattern(pattern);
                self.l.push(Node::Binary { op: BinaryOp::Eq, left: object, right }, node)
            }
            Kind::RelationalPattern => self.relation(object, pattern),
            Kind::ParensPattern => kids.first().map_or(object, |inner| self.test(object, inner, node)),
            Kind::AndPattern | Kind::OrPattern => {
                let op = if self.kind(pattern) == Kind::AndPattern { BinaryOp::And } else { BinaryOp::Or };
                let left = kids.field(f.left).map_or(object, |p| self.test(object, p, node));
                let right = kids.field(f.right).map_or(object, |p| self.test(object, p, node));
                self.l.push(Node::Binary { op, left, right }, node)
            }
            Kind::DeclarationPattern | Kind::TypePattern => {
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                let binding = kids.field(f.name).map(|name_node| {
                    let name = self.l.name_of(name_node);
                    self.l.push(Node::Local { name, ty, init: Some(object), constant: false }, name_node)
                });
                self.l.push(Node::TypeTest { object, ty, binding }, node)
            }
            Kind::RecursivePattern => {
                let ty = kids.field(f.type_).map(|t| self.ty(t));
                let properties = kids.named().find(|n| n.kind() == "property_pattern_clause");
                let name_node = kids.field(f.name);
                let binding = match name_node {
                    Some(name_node) => {
                        let name = self.l.name_of(name_node);
                        Some(self.l.push(Node::Local { name, ty, init: Some(object), constant: false }, name_node))
                    }
                    None if properties.is_some() => None,
                    None => Some(self.pattern(pattern)),
                };
                let is_there = match (ty, binding) {
                    (None, None) => {
                        let right = self.l.push(Node::Null, pattern);
                        self.l.push(Node::Binary { op: BinaryOp::Ne, left: object, right }, node)
                    }
                    _ => self.l.push(Node::TypeTest { object, ty, binding }, node),
                };
                let mut asked = vec![is_there];
                asked.extend(properties.map(|clause| self.properties(object, clause)).unwrap_or_default());
                self.all_of(asked, node).unwrap_or(is_there)
            }
            _ => {
                let binding = Some(self.pattern(pattern));
                self.l.push(Node::TypeTest { object, ty: None, binding }, node)
            }
        }
    }
}
