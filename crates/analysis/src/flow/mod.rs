//! Values and types of expressions: what can reach a name, a member, an element, a result.
//!
//! Evaluation is on demand and symbolic: a value is said in terms of the instance and the
//! parameters of the member it stands in, and callers put their own values in their place
//! ([`Val::substitute`]). Every walk has a budget; going over it gives [`Val::Unknown`],
//! which makes what depends on it `possible`, never wrong.

mod callers;
mod calls;
mod chained;
mod constants;
mod entries;
mod eval;
mod given;
mod kept;
mod lambdas;
mod locals;
mod parts;
mod rows;
mod show;
mod type_args;
mod typing;
mod value;

use std::sync::{Arc, Mutex, OnceLock};

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AssignOp, FunctionId, Node, NodeId};

use crate::memo::known_or;
use crate::program::{Declared, Kinds, MemberId, Program, Site, Sym, Ty, TypeId};

pub use callers::FunctionKey;
pub(crate) use callers::{CALL_OPERATOR, is_override};
pub use calls::Callee;
pub(crate) use calls::{function_run, is_on_itself, object_of};
pub(crate) use eval::{only_return, only_statement, returned};
pub(crate) use parts::Part;
pub use rows::Row;
pub use value::{Binding, Val};

/// How deep evaluation follows names, members and calls.
const BUDGET: u32 = 14;

/// With so much of the budget left values are remembered: above, few are asked for twice; below, little is left to do.
const REMEMBERED: std::ops::RangeInclusive<u32> = 4..=10;

/// Rounds of type inference: how many members without a written type may hang on each other.
const ROUNDS: usize = 2;

/// The program together with what evaluation found out.
#[derive(Debug)]
pub struct Flow<'p> {
    /// The program.
    pub program: &'p Program,
    definitions: Vec<Vec<Site>>,
    /// For members without a written type what their values say, found in rounds.
    inferred: Vec<Ty>,
    /// For parameters without a written type what calls hand over.
    given: given::Given,
    /// For maps without written types what is put under names.
    kept: kept::Kept,
    callers: Vec<OnceLock<Vec<(Site, Binding)>>>,
    /// The calls alone, where no more was asked for.
    call_sites: Vec<OnceLock<Vec<Site>>>,
    /// For each file the methods that its calls reach, as far as it was asked for.
    callees: Vec<Mutex<FxHashMap<Site, Option<Callee>>>>,
    /// For each file the values of its nodes, as far as they were asked for.
    values: Vec<Mutex<FxHashMap<Site, Val>>>,
    /// For each file the values that others are made of, by the budget that was left for them.
    within: Vec<Mutex<FxHashMap<(Site, u32), Val>>>,
    calls_by_target: Mutex<FxHashMap<Sym, Arc<callers::CallsByTarget>>>,
    /// The names by which other files know the functions of modules.
    renamed: OnceLock<FxHashMap<MemberId, Vec<Sym>>>,
    creations_by_type: Mutex<FxHashMap<Sym, Arc<callers::CreationsByType>>>,
    /// The calls that make objects where they put them, by the objects' class.
    made_where_put: OnceLock<FxHashMap<TypeId, Vec<Site>>>,
    /// How many methods replace a method, as far as it was asked for.
    overrides: Mutex<FxHashMap<MemberId, u32>>,
    /// The rows of maps that are filled by code, as far as they were asked for.
    filled_maps: Mutex<FxHashMap<MemberId, Option<Arc<[Row]>>>>,
}

impl<'p> Flow<'p> {
    /// Prepares evaluation over a program: finds what is given to each field, property and
    /// module variable. Assignments by a plain name or through `this` are found first, since
    /// the others may need to know what those hold.
    pub fn new(program: &'p Program) -> Self {
        let definitions = (0..program.members.len()).map(|i| first_value(program, MemberId(i as u32)).into_iter().collect()).collect();
        let inferred = vec![Ty::Unknown; program.members.len()];
        let callers = (0..program.members.len()).map(|_| OnceLock::new()).collect();
        let call_sites = (0..program.members.len()).map(|_| OnceLock::new()).collect();
        let callees = program.units.iter().map(|_| Mutex::default()).collect();
        let mut flow = Self {
            program,
            definitions,
            inferred,
            given: given::Given::default(),
            kept: kept::Kept::default(),
            callers,
            call_sites,
            callees,
            values: Vec::new(),
            within: program.units.iter().map(|_| Mutex::default()).collect(),
            calls_by_target: Mutex::default(),
            renamed: OnceLock::new(),
            creations_by_type: Mutex::default(),
            made_where_put: OnceLock::new(),
            overrides: Mutex::default(),
            filled_maps: Mutex::default(),
        };
        let all: Vec<MemberId> = (0..program.members.len()).map(|i| MemberId(i as u32)).collect();
        for through_objects in [false, true] {
            let found: Vec<Vec<(MemberId, Site)>> =
                (0..program.members.len()).into_par_iter().map(|i| flow.stores(MemberId(i as u32), through_objects)).collect();
            for (member, site) in found.into_iter().flatten() {
                flow.definitions[member.0 as usize].push(site);
            }
            flow.forget_within();
            flow.infer(&all);
        }
        flow.give_params();
        // what was asked for on the way knew less
        flow.calls_by_target = Mutex::default();
        flow.creations_by_type = Mutex::default();
        flow.filled_maps = Mutex::default();
        flow.made_where_put = OnceLock::new();
        flow.callees = program.units.iter().map(|_| Mutex::default()).collect();
        flow.values = program.units.iter().map(|_| Mutex::default()).collect();
        flow
    }

    /// Forgets what values are made of, where more is known now.
    fn forget_within(&mut self) {
        self.within = self.program.units.iter().map(|_| Mutex::default()).collect();
    }

    /// A value with so much of the budget left, from what is remembered or worked out.
    fn remembered(&self, site: Site, budget: u32, work_out: impl FnOnce() -> Val) -> Val {
        let file = self.program.member(site.member).unit;
        known_or(&self.within[file.0 as usize], (site, budget), work_out)
    }

    /// Finds the types of members that have none written, as far as their values show them.
    fn infer(&mut self, members: &[MemberId]) {
        for _ in 0..ROUNDS {
            let found: Vec<Ty> = members.par_iter().map(|m| self.inferred_type(*m)).collect();
            for (m, ty) in members.iter().zip(found) {
                self.inferred[m.0 as usize] = ty;
            }
            self.forget_within();
        }
    }

    /// What the body of a member stores into members.
    fn stores(&self, member: MemberId, through_objects: bool) -> Vec<(MemberId, Site)> {
        let Some(body) = self.program.body_with(member, Kinds::ASSIGN | Kinds::PATTERN) else { return Vec::new() };
        let may_refer = self.program.kit_of(member).traits.references_dangle;
        let mut found = Vec::new();
        for index in 0..body.nodes.len() {
            if let Node::Pattern { parts, init: Some(init), positional: true } = body.nodes[index]
                && !through_objects
            {
                found.extend(self.parts_of_module(member, body.list(parts), init));
            }
            let Node::Assign { target, value, op: AssignOp::Set | AssignOp::IfUnset } = body.nodes[index] else { continue };
            let direct = match body.node(target) {
                // a local is no member, whatever it holds, unless it refers to one
                Node::Name(name) => match self.program.scope(member).lookup(name, target) {
                    Some(Declared::Local(local)) if !may_refer || !matches!(body.node(local), Node::Local { init: Some(_), .. }) => {
                        continue;
                    }
                    _ => true,
                },
                Node::Member { object, .. } => matches!(body.node(object), Node::This | Node::Super | Node::OuterThis(_)),
                _ => continue,
            };
            if direct == through_objects {
                continue;
            }
            if let Val::Member(_, m) | Val::Static(m) = self.eval_at(member, target, 5) {
                found.push((m, Site { member, node: value }));
            }
        }
        found
    }

    /// What a pattern of a module gives its variables: `const [gauge, log] = [new Gauge(), new Log()]`.
    fn parts_of_module(&self, member: MemberId, parts: &[NodeId], init: NodeId) -> Vec<(MemberId, Site)> {
        let program = self.program;
        let owner = program.member(member).owner;
        let Some(body) = program.body(member).filter(|_| program.ty(owner).is_module) else { return Vec::new() };
        let Node::Collection { items, .. } = body.node(init) else { return Vec::new() };
        let variable = |part: NodeId| match body.node(part) {
            Node::Local { name, .. } => program.own_members(owner, program.sym_in(member, name)).first().copied(),
            _ => None,
        };
        let pairs = parts.iter().zip(body.list(items));
        pairs.filter_map(|(part, item)| Some((variable(*part)?, Site { member, node: *item }))).collect()
    }

    /// Every value that is given to a field, property or module variable: its first value
    /// and all assignments, in order.
    pub fn definitions(&self, member: MemberId) -> &[Site] {
        &self.definitions[member.0 as usize]
    }

    /// The value of a node.
    pub fn eval(&self, site: Site) -> Val {
        self.eval_in(site.member, site.node)
    }

    /// The value of the node of a member's body.
    pub fn eval_in(&self, member: MemberId, node: NodeId) -> Val {
        let site = Site { member, node };
        let file = self.program.member(member).unit;
        let Some(known) = self.values.get(file.0 as usize) else { return self.eval_at(member, node, BUDGET) };
        known_or(known, site, || {
            let chained = self.chain_before(site).and_then(|_| self.value_in_chain(site));
            chained.unwrap_or_else(|| self.eval_at(member, node, BUDGET))
        })
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
                    let only = self.only_definition(*m)?;
                    let binding =
                        Binding { callee: (only.member, None), this: Some((**base).clone()), args: Vec::new(), types: Vec::new() };
                    self.eval(only).substitute_this(&binding)
                }
                Val::Static(m) => self.eval(self.only_definition(*m)?),
                _ => return None,
            };
        }
        None
    }

    /// The code that a value runs when it is called: the body of its method or function.
    pub fn code_of(&self, val: &Val) -> Option<Site> {
        let (member, root) = match self.function_of(val)? {
            Val::Method(m, _) => (m, self.program.body(m)?.root?),
            Val::Lambda(m, f) => (m, self.program.body(m)?.function(f).body?),
            _ => return None,
        };
        Some(Site { member, node: root })
    }

    /// The argument of a call or creation at a position.
    pub fn argument(&self, call: Site, index: usize) -> Option<Site> {
        let body = self.program.body(call.member)?;
        match body.node(call.node) {
            Node::New { args, .. } | Node::Call { args, .. } => {
                body.list(args).get(index).map(|node| Site { member: call.member, node: *node })
            }
            // `gauge.rose += handler`, where that is an operator of a class
            Node::Assign { value, .. } if index == 0 => Some(Site { member: call.member, node: value }),
            _ => None,
        }
    }

    /// The one value that a member ever holds, apart from being emptied.
    pub fn only_definition(&self, member: MemberId) -> Option<Site> {
        let mut only = None;
        for &site in self.definitions(member) {
            let body = self.program.body(site.member)?;
            // `this.el = el = null`
            let mut node = body.node(site.node);
            while let Node::Assign { op: AssignOp::Set, value, .. } = node {
                node = body.node(value);
            }
            if matches!(node, Node::Null) {
                continue;
            }
            if only.replace(site).is_some() {
                return None;
            }
        }
        only
    }

    /// What a field that only ever holds what its constructor is given was given; any other value as it is.
    pub fn as_given(&self, value: &Val) -> Val {
        let Val::Member(of, field) = value else { return value.clone() };
        let given = self.only_definition(*field).filter(|_| matches!(**of, Val::This(_))).map(|site| self.eval(site));
        given.filter(|g| matches!(g, Val::Param(_, None, _))).unwrap_or_else(|| value.clone())
    }

    fn local_function(&self, site: Site) -> Option<Val> {
        let values = self.local_values(site);
        match values[..] {
            [one] => Some(self.eval_function_node(site.member, one)),
            [] => self.method_taken(&Val::Local(site)),
            _ => None,
        }
    }

    /// A function written in a body, with the member that holds it.
    pub fn lambda(&self, member: MemberId, function: FunctionId) -> Option<&'p yarrowgraph_ir::Function> {
        Some(self.program.body(member)?.function(function))
    }
}

/// The first value of a field or property, as it is declared.
fn first_value(program: &Program, member: MemberId) -> Option<Site> {
    let body = program.body(member)?;
    let is_accessor = matches!(program.member(member).kind, yarrowgraph_ir::MemberKind::Accessor(_) | yarrowgraph_ir::MemberKind::Method);
    (body.returns_root && !is_accessor).then_some(Site { member, node: body.root? })
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
