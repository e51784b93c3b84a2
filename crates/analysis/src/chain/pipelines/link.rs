//! What a link of a library's pipeline does: the code by which it is asked, and how that goes on to the next one.

use yarrowgraph_ir::pack::LinksGiven;
use yarrowgraph_ir::{Body, FunctionId, Name, Node, NodeId};

use super::Pipeline;
use crate::chain::behaviour::{Code, WayOn, call_of, method_call_of};
use crate::chain::{Link, only_thing};
use crate::flow::{Flow, Val};
use crate::program::{Declared, MemberId, Program, Scope, Site, TypeId};
use crate::written;

impl Pipeline {
    /// What a method that puts links in is handed as such.
    pub fn given(&self) -> LinksGiven {
        self.idiom.links
    }

    /// The code by which a link is asked.
    pub fn code<'a>(&self, flow: &Flow<'a>, link: &Link) -> Option<Code<'a>> {
        let program = flow.program;
        let (member, function) = match (&link.function, link.class) {
            (Some(Val::Lambda(m, f)), _) => (*m, Some(innermost(program.body(*m)?, *f))),
            (Some(Val::Method(m, _)), _) => {
                let body = program.body(*m)?;
                (*m, given_back(body, body.root?).map(|f| innermost(body, f)))
            }
            (None, Some(class)) => (self.asked(program, class)?, None),
            _ => return None,
        };
        let body = program.body(member)?;
        let root = function.map_or(body.root, |f| body.function(f).body)?;
        Some(Code { member, function, body, root })
    }

    /// The method by which a link of a class is asked.
    pub fn asked(&self, program: &Program, class: TypeId) -> Option<MemberId> {
        let named = |name: &String| program.find_member_as(class, program.symbols.get(name)?, true);
        self.idiom.asks.iter().find_map(named)
    }

    /// The name of that method, where the links are objects.
    pub fn entry(&self, program: &Program, links: &[Link]) -> String {
        let asked = links.iter().find_map(|l| self.asked(program, l.class?));
        asked.map(|m| program.text(program.member(m).name).to_owned()).unwrap_or_default()
    }

    /// What says which requests a link is asked for, with the method that it was put in by where that says more.
    pub fn asked_for(&self, program: &Program, only: Site) -> String {
        let path = written::expression(program, only);
        let verb = || {
            let body = program.body(only.member)?;
            let Node::Call { callee, .. } = body.node(program.scope(only.member).parent(only.node)?) else { return None };
            let Node::Member { name, .. } = body.node(callee) else { return None };
            Some(program.text(program.sym_in(only.member, name))).filter(|verb| !self.idiom.adds.contains(verb))
        };
        verb().map_or_else(|| path.clone(), |verb| format!("{verb} {path}"))
    }

    /// What a link does with the way on to the next one: what it is handed last, what the function around it was handed,
    /// or what its object was made with.
    pub fn way(&self, flow: &Flow<'_>, code: Code<'_>) -> Option<WayOn> {
        let program = flow.program;
        let scope = program.scope(code.member);
        let pack = &program.kit_of(code.member).pack;
        let own = code.params(program);
        // a link that is made by a function which is handed the way on is handed the request alone
        let names: Vec<Name> = match code.function.and_then(|f| around_curried(code.body, scope, f)) {
            Some(around) => code.body.function(around).params.first().map(|p| p.name).into_iter().collect(),
            None if self.is_object(code) => own.iter().map(|p| p.name).collect(),
            None => own.last().map(|p| p.name).into_iter().collect(),
        };
        let is_way = |n: NodeId| match code.body.node(n) {
            Node::Name(name) => names.contains(&name) && matches!(scope.lookup(name, n), Some(Declared::Param(..))),
            _ => false,
        };
        let goes_by = |method: &str| self.goes_by(program, code, method);
        let mut uses: Vec<NodeId> = scope.within(code.root).filter(|n| is_way(*n)).collect();
        let went: Vec<(NodeId, NodeId)> = uses.iter().filter_map(|n| Some((*n, gone(program, code, *n, &goes_by)?))).collect();
        let is_named = |n: &NodeId| matches!(code.body.node(*n), Node::Name(name) if pack.ways_on.contains(text(program, code, name)));
        if went.is_empty() {
            // what hands the way to somebody else names it
            uses.retain(is_named);
            let elsewhere = || self.way_held(flow, code).or_else(|| self.way_of_base(flow, code));
            return if uses.is_empty() { elsewhere() } else { Some(WayOn { uses, goes: Vec::new() }) };
        }
        if self.is_object(code) {
            // of the others that it is handed nothing is asked
            let gone_by = |n: &NodeId| went.iter().any(|(w, _)| code.body.node(*w) == code.body.node(*n));
            uses.retain(|n| went.iter().any(|(w, _)| w == n) || is_named(n) && gone_by(n));
        }
        let mut goes: Vec<NodeId> = went.into_iter().map(|(_, call)| call).collect();
        goes.sort_unstable();
        Some(WayOn { uses, goes })
    }

    /// Whether a method of what a link is handed goes on: one that the pack says, or the one that it was asked by itself.
    fn goes_by(&self, program: &Program, code: Code<'_>, method: &str) -> bool {
        let own = self.is_object(code) && program.text(program.member(code.member).name) == method;
        own || self.idiom.goes.fits(method)
    }

    /// Whether the code is that of a link which is an object.
    fn is_object(&self, code: Code<'_>) -> bool {
        code.function.is_none() && !self.idiom.goes.is_empty()
    }

    /// Where a link goes on by what a field of its holds: a function that its constructor was handed.
    fn way_held(&self, flow: &Flow<'_>, code: Code<'_>) -> Option<WayOn> {
        let program = flow.program;
        let scope = program.scope(code.member);
        let unit = program.member(code.member).unit;
        let is_way = |n: NodeId| match flow.eval_in(code.member, n) {
            Val::Member(of, field) if matches!(*of, Val::This(_)) => {
                let ty = flow.type_held(field);
                let is_next = matches!(flow.as_given(&Val::Member(of, field)), Val::Param(..)) && ty.own().is_none();
                is_next
                    && (program.is_callable(unit, &ty)
                        || program.type_name(&ty).is_some_and(|t| program.kit(unit).pack.ways_on.contains(t)))
            }
            _ => false,
        };
        let names = |n: &NodeId| matches!(code.body.node(*n), Node::Name(_) | Node::Member { .. });
        let uses: Vec<NodeId> = scope.within(code.root).filter(names).filter(|n| is_way(*n)).collect();
        let invokes = |method: &str| program.kit(unit).pack.invokers.contains(method);
        let goes: Vec<NodeId> = uses.iter().filter_map(|n| gone(program, code, *n, &invokes)).collect();
        (!goes.is_empty()).then_some(WayOn { uses, goes })
    }

    /// Where a link goes on by the method of the library's base that it overrides.
    fn way_of_base(&self, flow: &Flow<'_>, code: Code<'_>) -> Option<WayOn> {
        let program = flow.program;
        let own = program.text(program.member(code.member).name);
        if code.function.is_some() || !self.idiom.asks.contains(own) {
            return None;
        }
        let up = |n: &NodeId| {
            let Node::Call { callee, .. } = code.body.node(*n) else { return false };
            let Node::Member { object, name, .. } = code.body.node(callee) else { return false };
            matches!(code.body.node(object), Node::Super) && text(program, code, name) == own
        };
        let goes: Vec<NodeId> = code.body.ids().filter(up).collect();
        (!goes.is_empty()).then(|| WayOn { uses: goes.clone(), goes })
    }
}

/// The call by which what stands at a node is gone on by: of itself, or of a method of its that does so.
fn gone(program: &Program, code: Code<'_>, node: NodeId, goes_by: &dyn Fn(&str) -> bool) -> Option<NodeId> {
    let scope = program.scope(code.member);
    let by_method = || method_call_of(code.body, scope, node).filter(|(_, name)| goes_by(text(program, code, *name)));
    call_of(code.body, scope, node).or_else(|| by_method().map(|(call, _)| call))
}

fn text<'p>(program: &'p Program, code: Code<'_>, name: Name) -> &'p str {
    program.text(program.sym_in(code.member, name))
}

/// The function within a function that gives back a function, and so on: `store => next => action => …`.
fn innermost(body: &Body, function: FunctionId) -> FunctionId {
    let mut function = function;
    while let Some(inner) = body.function(function).body.and_then(|root| given_back(body, root)) {
        function = inner;
    }
    function
}

/// The function that is all that some code gives back.
fn given_back(body: &Body, root: NodeId) -> Option<FunctionId> {
    match body.node(only_thing(body, root)) {
        Node::Lambda(inner) => Some(inner),
        _ => None,
    }
}

/// The function that gives back this one, where that is given back itself.
fn around_curried(body: &Body, scope: &Scope, function: FunctionId) -> Option<FunctionId> {
    let around = scope.function_around(body, scope.function_node(function)?)?;
    let outer = match scope.function_around(body, scope.function_node(around)?) {
        Some(outer) => body.function(outer).body?,
        None => body.root?,
    };
    let gives = |root: Option<NodeId>, f: FunctionId| root.and_then(|r| given_back(body, r)) == Some(f);
    (gives(body.function(around).body, function) && gives(Some(outer), around)).then_some(around)
}
