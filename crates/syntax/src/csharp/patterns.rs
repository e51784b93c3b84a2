//! Patterns: type tests, comparisons and what they bind.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{BinaryOp, Node, NodeId, UnaryOp};

use super::CSharp;
use super::kinds::Kind;

impl<'t> CSharp<'t> {
    /// A pattern on its own, as the label of a case.
    pub(super) fn pattern(&mut self, node: Ts<'t>) -> NodeId {
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        match self.kind(node) {
            Kind::ConstantPattern | Kind::ParensPattern | Kind::RelationalPattern => match kids.first() {
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
                let binding = match kids.field(f.name) {
                    Some(name_node) => {
                        let name = self.l.name_of(name_node);
                        Some(self.l.push(Node::Local { name, ty, init: Some(object), constant: false }, name_node))
                    }
                    None => Some(self.pattern(pattern)),
                };
                self.l.push(Node::TypeTest { object, ty, binding }, node)
            }
            _ => {
                let binding = Some(self.pattern(pattern));
                self.l.push(Node::TypeTest { object, ty: None, binding }, node)
            }
        }
    }
}
