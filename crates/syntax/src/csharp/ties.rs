//! Conditional accesses that the grammar ties too loosely: it reads `a && b?.c` as `(a && b)?.c` and `!a?.b` as `(!a)?.b`. What stands
//! behind the `?` belongs to the last operand alone (C# specification, 12.4.2 Operator precedence), and is lowered with that.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{Node, NodeId, Span};

use super::CSharp;
use super::kinds::Kind;

/// How tight an access, a call or an index ties.
const PRIMARY: u8 = 20;
/// How tight a sign, `await` or a cast ties.
const UNARY: u8 = 15;
/// How tight comparisons and tests of types tie.
const RELATIONAL: u8 = 8;

/// What is moved within an expression while it is lowered.
#[derive(Default)]
pub(super) struct Ties<'t> {
    /// Operands, by their identity in the tree, with what is to be tied to them: the last one first.
    waiting: Vec<(usize, Ts<'t>)>,
    /// First operands that are lowered already, by their identity in the tree.
    given: Vec<(usize, NodeId)>,
    /// Where the first operand stands of an expression in which nothing is to be moved.
    sound: Option<usize>,
}

impl<'t> CSharp<'t> {
    /// Lowers an expression in which something is to be moved, or is being moved; none where all stands as it is read.
    pub(super) fn retied(&mut self, node: Ts<'t>) -> Option<NodeId> {
        if let Some(at) = self.ties.given.iter().position(|(id, _)| *id == node.id()) {
            return Some(self.ties.given.swap_remove(at).1);
        }
        if self.ties.waiting.iter().any(|(id, _)| *id == node.id()) {
            let tied: Vec<(usize, Ts<'t>)> = self.ties.waiting.extract_if(.., |(id, _)| *id == node.id()).collect();
            let mut lowered = self.node(node);
            for (_, outer) in tied.into_iter().rev() {
                let Some(first) = outer.child(0) else { continue };
                self.ties.given.push((first.id(), lowered));
                lowered = self.node(outer);
                self.l.body.set_span(lowered, Span { start: node.start_byte() as u32, end: outer.end_byte() as u32 });
            }
            return Some(lowered);
        }
        let ties = self.tightness(node)?;
        let first = node.child(0)?;
        if self.ties.sound == Some(node.start_byte()) || self.ties.given.iter().any(|(id, _)| *id == first.id()) {
            return None;
        }
        let Some(composed) = self.composed(node) else {
            self.ties.sound = Some(node.start_byte());
            return None;
        };
        let mut operand = composed;
        while let Some(last) = self.looser(operand, ties) {
            operand = last;
        }
        if operand == composed {
            return None;
        }
        self.ties.waiting.push((operand.id(), node));
        let lowered = self.node(first);
        self.stretch(lowered, node.end_byte());
        Some(lowered)
    }

    /// How tight an expression ties its first operand; none for one that has no operand in front.
    fn tightness(&self, node: Ts<'t>) -> Option<u8> {
        Some(match self.kind(node) {
            Kind::ConditionalAccess | Kind::Invocation | Kind::MemberAccess | Kind::ElementAccess | Kind::Postfix => PRIMARY,
            Kind::Is | Kind::IsPattern | Kind::As => RELATIONAL,
            Kind::Binary => match node.child_by_field_id(self.t.fields.operator)?.kind() {
                "??" => 1,
                "||" => 2,
                "&&" => 3,
                "|" => 4,
                "^" => 5,
                "&" => 6,
                "==" | "!=" => 7,
                "<" | ">" | "<=" | ">=" => RELATIONAL,
                "<<" | ">>" | ">>>" => 9,
                "+" | "-" => 10,
                _ => 11,
            },
            _ => return None,
        })
    }

    /// The expression of several operands that stands before a `?.`, in front of all else.
    fn composed(&self, node: Ts<'t>) -> Option<Ts<'t>> {
        let mut node = node;
        loop {
            self.tightness(node)?;
            let first = node.child(0)?;
            let is_composed = matches!(self.kind(first), Kind::Binary | Kind::Prefix | Kind::Unary | Kind::Await | Kind::Cast);
            if self.kind(node) == Kind::ConditionalAccess && is_composed {
                return Some(first);
            }
            node = first;
        }
    }

    /// The last operand of an expression that ties looser.
    fn looser(&self, node: Ts<'t>, than: u8) -> Option<Ts<'t>> {
        let ties = match self.kind(node) {
            Kind::Binary => self.tightness(node)?,
            Kind::Prefix | Kind::Unary | Kind::Await | Kind::Cast => UNARY,
            _ => return None,
        };
        (ties < than).then(|| node.child(node.child_count() - 1)).flatten()
    }

    /// Lets an expression and its last operands reach to where they end.
    fn stretch(&mut self, lowered: NodeId, end: usize) {
        let mut at = Some(lowered);
        while let Some(node) = at {
            let last = match self.l.body.node(node) {
                Node::Binary { right, .. } => Some(right),
                Node::Unary { operand, .. } | Node::Cast { operand, .. } => Some(operand),
                _ => None,
            };
            if last.is_some() {
                let span = self.l.body.span(node);
                self.l.body.set_span(node, Span { end: span.end.max(end as u32), ..span });
            }
            at = last;
        }
    }
}
