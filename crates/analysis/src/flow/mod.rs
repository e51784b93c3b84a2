//! Values and types of expressions: what can reach a name, a member, an element, a result.
//!
//! Evaluation is on demand and symbolic: a value is said in terms of the instance and the
//! parameters of the member it stands in, and callers put their own values in their place
//! ([`Val::substitute`]). Every walk has a budget; going over it gives [`Val::Unknown`],
//! which makes what depends on it `possible`, never wrong.

mod calls;
mod eval;
mod show;
mod typing;
mod value;

use std::sync::OnceLock;

use yarrowgraph_ir::{FunctionId, Node, NodeId};

use crate::program::{MemberId, Program, Site};

pub use calls::Callee;
pub(crate) use eval::contains;
pub use value::{Binding, Val};

/// How deep evaluation follows names, members and calls.
const BUDGET: u32 = 14;

/// The program together with what evaluation found out.
#[derive(Debug)]
pub struct Flow<'p> {
    /// The program.
    pub program: &'p Program,
    definitions: Vec<OnceLock<Vec<Site>>>,
}

impl<'p> Flow<'p> {
    /// Prepares evaluation over a program.
    pub fn new(program: &'p Program) -> Self {
        let definitions = (0..program.members.len()).map(|_| OnceLock::new()).collect();
        Self { program, definitions }
    }

    /// Every value that is given to a field, property or module variable: its first value
    /// and all assignments, in order.
    pub fn definitions(&self, member: MemberId) -> &[Site] {
        // computed at most twice when threads meet; both find the same
        if let Some(found) = self.definitions[member.0 as usize].get() {
            return found;
        }
        let mut found = Vec::new();
        let program = self.program;
        if let Some(body) = program.body(member)
            && body.returns_root
            && let Some(root) = body.root
        {
            found.push(Site { member, node: root });
        }
        for &site in program.index.writes(program.member(member).name) {
            let Some(body) = program.body(site.member) else { continue };
            let Node::Assign { target, value, op } = body.node(site.node) else { continue };
            if !matches!(op, yarrowgraph_ir::AssignOp::Set | yarrowgraph_ir::AssignOp::IfUnset) {
                continue;
            }
            let target = self.eval_at(site.member, target, 3);
            if matches!(target, Val::Member(_, m) | Val::Static(m) if m == member) {
                found.push(Site { member: site.member, node: value });
            }
        }
        self.definitions[member.0 as usize].get_or_init(|| found)
    }

    /// The value of a node.
    pub fn eval(&self, site: Site) -> Val {
        self.eval_at(site.member, site.node, BUDGET)
    }

    /// The value of the node of a member's body.
    pub fn eval_in(&self, member: MemberId, node: NodeId) -> Val {
        self.eval_at(member, node, BUDGET)
    }

    /// The function that a value is, when a local, field or alias holds it.
    pub fn function_of(&self, val: &Val) -> Option<Val> {
        let mut val = val.clone();
        for _ in 0..6 {
            val = match &val {
                Val::Lambda(..) | Val::Method(..) => return Some(val),
                Val::Bound(of, _) => (**of).clone(),
                Val::Local(site) => self.local_function(*site)?,
                Val::Member(base, m) => {
                    let Some(only) = self.only_definition(*m) else { return None };
                    let binding = Binding { callee: (only.member, None), this: Some((**base).clone()), args: Vec::new() };
                    self.eval(only).substitute_this(&binding)
                }
                Val::Static(m) => self.eval(self.only_definition(*m)?),
                _ => return None,
            };
        }
        None
    }

    /// The one value that a member ever holds, apart from being emptied.
    pub fn only_definition(&self, member: MemberId) -> Option<Site> {
        let mut only = None;
        for &site in self.definitions(member) {
            let node = self.program.body(site.member)?.node(site.node);
            if matches!(node, Node::Null) {
                continue;
            }
            if only.replace(site).is_some() {
                return None;
            }
        }
        only
    }

    fn local_function(&self, site: Site) -> Option<Val> {
        let values = self.local_values(site);
        match values[..] {
            [one] => Some(self.eval_function_node(site.member, one)),
            _ => None,
        }
    }

    /// A function written in a body, with the member that holds it.
    pub fn lambda(&self, member: MemberId, function: FunctionId) -> Option<&'p yarrowgraph_ir::Function> {
        Some(self.program.body(member)?.function(function))
    }
}

impl Val {
    /// Replaces the instance only.
    fn substitute_this(&self, with: &Binding) -> Val {
        match self {
            Val::Param(..) => self.clone(),
            _ => self.substitute(with),
        }
    }
}
