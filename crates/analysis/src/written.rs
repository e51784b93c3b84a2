//! Expressions as text, for conditions that a reader is shown.
//!
//! Facts do not keep the source; what they keep is written out again, and what they let go of is `…`.

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId, UnaryOp};

use crate::program::{MemberId, Program, Site};

/// Texts are cut off at so many characters.
const LENGTH: usize = 120;

/// An expression, written out.
pub fn expression(program: &Program, site: Site) -> String {
    let Some(body) = program.body(site.member) else { return "…".to_owned() };
    let mut out = String::new();
    Writer { program, member: site.member, body }.term(site.node, 8, &mut out);
    if out.chars().count() > LENGTH {
        out = out.chars().take(LENGTH - 1).collect();
        out.push('…');
    }
    out
}

struct Writer<'p> {
    program: &'p Program,
    member: MemberId,
    body: &'p Body,
}

impl Writer<'_> {
    fn text(&self, name: yarrowgraph_ir::Name) -> &str {
        self.program.unit_of(self.member).text(name)
    }

    fn write(&self, node: NodeId, depth: u32, out: &mut String) {
        let Some(depth) = depth.checked_sub(1) else {
            out.push('…');
            return;
        };
        match self.body.node(node) {
            Node::Name(name) | Node::Num(name) => out.push_str(self.text(name)),
            Node::Str(name) => {
                out.push('"');
                out.push_str(self.text(name));
                out.push('"');
            }
            Node::Bool(b) => out.push_str(if b { "true" } else { "false" }),
            Node::Null => out.push_str("null"),
            Node::This => out.push_str("this"),
            Node::Super => out.push_str("super"),
            Node::Member { object, name, optional } => {
                self.write(object, depth, out);
                out.push_str(if optional { "?." } else { "." });
                out.push_str(self.text(name));
            }
            Node::Index { object, keys, .. } => {
                self.write(object, depth, out);
                out.push('[');
                self.all(self.body.list(keys), depth, out);
                out.push(']');
            }
            Node::Call { callee, args, .. } => {
                self.write(callee, depth, out);
                out.push('(');
                self.all(self.body.list(args), depth, out);
                out.push(')');
            }
            Node::Binary { op, left, right } => {
                self.term(left, depth, out);
                out.push(' ');
                out.push_str(sign(op));
                out.push(' ');
                self.term(right, depth, out);
            }
            Node::Unary { op: UnaryOp::Not, operand } => {
                out.push_str("not ");
                self.term(operand, depth, out);
            }
            Node::Unary { operand, .. } | Node::Cast { operand, .. } => self.write(operand, depth, out),
            Node::TypeTest { object, ty, .. } => {
                self.write(object, depth, out);
                out.push_str(" is ");
                let ty = ty.map(|t| self.program.type_in(self.member, t));
                out.push_str(ty.as_ref().and_then(|t| self.program.type_name(t)).unwrap_or("…"));
            }
            Node::New { ty, args, .. } => {
                out.push_str("new ");
                let ty = self.program.type_in(self.member, ty);
                out.push_str(self.program.type_name(&ty).unwrap_or("…"));
                out.push('(');
                self.all(self.body.list(args), depth, out);
                out.push(')');
            }
            Node::Local { name, init, .. } => {
                out.push_str(self.text(name));
                if let Some(init) = init {
                    out.push_str(" = ");
                    self.write(init, depth, out);
                }
            }
            _ => out.push('…'),
        }
    }

    /// What is asked for itself: of a cast that may fail, the type is what is asked for.
    fn term(&self, node: NodeId, depth: u32, out: &mut String) {
        self.write(node, depth, out);
        if let Node::Cast { ty, .. } = self.body.node(node)
            && let Some(name) = self.program.type_name(&self.program.type_in(self.member, ty))
        {
            out.push_str(" as ");
            out.push_str(name);
        }
    }

    fn all(&self, nodes: &[NodeId], depth: u32, out: &mut String) {
        for (at, node) in nodes.iter().enumerate() {
            if at > 0 {
                out.push_str(", ");
            }
            self.write(*node, depth, out);
        }
    }
}

fn sign(op: BinaryOp) -> &'static str {
    match op {
        BinaryOp::And => "and",
        BinaryOp::Or => "or",
        BinaryOp::Coalesce => "??",
        BinaryOp::Eq => "==",
        BinaryOp::Ne => "!=",
        BinaryOp::Lt => "<",
        BinaryOp::Le => "<=",
        BinaryOp::Gt => ">",
        BinaryOp::Ge => ">=",
        BinaryOp::Add => "+",
        BinaryOp::Sub => "-",
        BinaryOp::BitOr => "|",
        BinaryOp::In => "in",
        BinaryOp::Arithmetic => "·",
    }
}
