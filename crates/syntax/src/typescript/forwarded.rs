//! Calls that hand on all that their function is given: `on(...args) { this.bus.on(...args); }`, `this.bus.on.apply(this.bus, arguments)`.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{Node, NodeId, Param, ParamMode, UnaryOp};

use super::Script;
use super::kinds::Kind;
use crate::driver::span;

/// What a function is given, whatever it is called.
const ALL: &str = "arguments";
/// So many of what is handed on are told apart: what a subscription is about, and the handler.
const TOLD_APART: usize = 2;

impl<'t> Script<'t> {
    /// What is called, and with what, where a call hands on a whole list that its function is given: its first elements one by one,
    /// then the list.
    pub(super) fn forwarded(&mut self, function: Ts<'t>, arguments: Ts<'t>) -> Option<(Ts<'t>, Vec<NodeId>)> {
        if self.kind(function) != Kind::Member || self.kind(arguments) != Kind::Arguments {
            return None;
        }
        // nearly all calls hand on something else, and say so with their first words
        let first = self.l.text_of(arguments).trim_start_matches('(').trim_start();
        if !first.starts_with(['.', '/']) && !self.l.text_of(function).ends_with("apply") {
            return None;
        }
        let args: Vec<Ts<'t>> = self.l.kids(arguments).named().collect();
        let (called, list) = match args[..] {
            [only] if self.kind(only) == Kind::Spread => (function, self.l.items(only).first()?),
            [this, list] => {
                let parts = self.l.kids(function);
                let is_apply = self.l.text_of(parts.field(self.t.fields.property)?) == "apply";
                let called = parts.field(self.t.fields.object).filter(|o| is_apply && self.kind(*o) == Kind::Member)?;
                let of = self.l.kids(called).field(self.t.fields.object)?;
                (called, (self.l.text_of(of) == self.l.text_of(this)).then_some(list)?)
            }
            _ => return None,
        };
        if self.kind(list) != Kind::Identifier || !self.is_all_given(list) {
            return None;
        }
        let mut handed: Vec<NodeId> = (0..TOLD_APART)
            .map(|place| {
                let object = self.node(list);
                let place = self.l.intern(&place.to_string());
                let key = self.l.push(Node::Num(place), list);
                let keys = self.l.list(&[key]);
                self.l.push(Node::Index { object, keys, optional: false }, list)
            })
            .collect();
        let operand = self.node(list);
        handed.push(self.l.push(Node::Unary { op: UnaryOp::Spread, operand }, list));
        Some((called, handed))
    }

    /// Whether a name is the list of all that the function around it is given, or of the rest of that.
    fn is_all_given(&mut self, list: Ts<'t>) -> bool {
        let name = self.l.text_of(list);
        let mut at = list;
        while let Some(around) = at.parent() {
            let is_arrow = self.kind(around) == Kind::Arrow;
            if is_arrow || matches!(self.kind(around), Kind::FunctionExpr | Kind::FunctionDecl | Kind::MethodDef | Kind::Generator) {
                let params = self.l.kids(around).field(self.t.fields.parameters);
                let params = params.map_or("", |p| self.l.text_of(p));
                if name == ALL {
                    if !is_arrow {
                        return hands_on_all(self.l.text_of(around), params);
                    }
                } else if params.contains(&format!("...{name}")) {
                    return true;
                }
            }
            at = around;
        }
        false
    }

    /// The list of all that a function without parameters is given, where it hands that on.
    pub(super) fn all_given(&mut self, function: Ts<'t>, list: Ts<'t>) -> Option<Param> {
        hands_on_all(self.l.text_of(function), self.l.text_of(list)).then(|| Param {
            name: self.l.intern(ALL),
            name_span: span(list),
            ty: None,
            default: None,
            pattern: None,
            mode: ParamMode::Rest,
            optional: true,
            annotations: Vec::new(),
        })
    }
}

/// Whether a function names no parameters and hands all that it is given on, itself and not within another one.
fn hands_on_all(function: &str, params: &str) -> bool {
    let is_bare = params.trim_matches(['(', ')']).trim().is_empty();
    let hands_on = || function.contains("(...arguments)") || function.contains(", arguments)");
    is_bare && hands_on() && function.matches("function").count() <= 1
}
