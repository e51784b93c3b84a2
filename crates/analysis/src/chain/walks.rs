//! Lists of links that are walked until one has an answer.

use yarrowgraph_ir::{BinaryOp, Body, Name, Node, NodeId, TypeKind, UnaryOp};

use crate::flow::{Flow, Val};
use crate::program::{Kinds, MemberId, Program, Site, Sym, Ty};
use crate::state;

/// A walk over a list of links.
#[derive(Clone, Debug)]
pub struct Walk {
    /// The loop.
    pub walk: Site,
    /// The field that holds the list, where one does.
    pub list: Option<MemberId>,
    /// The method by which a link is asked; none for functions.
    pub method: Option<Sym>,
    /// Where it is asked.
    pub asks: Site,
    /// Which answers end the walk.
    pub ends: Ends,
}

/// Which answers of a link end a walk.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Ends {
    /// What there is, what is true.
    Any,
    /// What is missing or false: a link that has nothing against it passes a request on.
    Nothing,
    /// An object whose part of that name is one of these texts.
    Part(Sym, Vec<Sym>),
    /// A link is handed the way on to the next one as its argument of that place, and goes it or does not.
    WayOn(usize),
    /// What is asked of the answer is not understood.
    Unknown,
}

/// Finds the walks that end with an answer.
pub(super) fn find(flow: &Flow<'_>) -> Vec<Walk> {
    let program = flow.program;
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body_with(member, Kinds::WALK) else { continue };
        for at in body.ids() {
            if let Node::ForEach { var, iterable, body: inner, keys: false, .. } = body.node(at)
                && let Node::Local { name, .. } = body.node(var)
                && let Some((asks, method)) = asked(flow, member, name, inner)
                && let Some(ends) = ends_by(flow, member, asks, inner)
                && may_be_links(flow, member, iterable)
            {
                found.push(Walk {
                    walk: Site { member, node: at },
                    list: own_list(flow, member, iterable),
                    method,
                    asks: Site { member, node: asks },
                    ends,
                });
            }
        }
    }
    found
}

/// The field of the object itself, or of a class or module, that a list comes from.
pub(super) fn own_list(flow: &Flow<'_>, member: MemberId, list: NodeId) -> Option<MemberId> {
    match flow.eval_in(member, list) {
        Val::Member(of, m) if matches!(*of, Val::This(_)) => Some(m),
        Val::Static(m) => Some(m),
        _ => None,
    }
}

/// Whether what is walked can be links: functions, objects of an abstract type, or anything where nothing is typed.
fn may_be_links(flow: &Flow<'_>, member: MemberId, iterable: NodeId) -> bool {
    let program = flow.program;
    let unit = program.member(member).unit;
    let ty = flow.type_of_node(member, iterable);
    let duck_typed = program.kit(unit).traits.duck_typed;
    match program.element_type(unit, &ty) {
        Some(Ty::Own(t, _)) => {
            let t = program.ty(t);
            // where nothing is typed, the type is that of the first element
            duck_typed || t.kind == TypeKind::Interface || t.modifiers.is_abstract || t.kind == TypeKind::Delegate || !t.heirs.is_empty()
        }
        Some(element) => program.is_callable(unit, &element) || (element == Ty::Unknown && duck_typed),
        None => duck_typed,
    }
}

/// The call in a loop by which each element is asked, and that can end the loop by its answer.
fn asked(flow: &Flow<'_>, member: MemberId, element: Name, inner: NodeId) -> Option<(NodeId, Option<Sym>)> {
    let program = flow.program;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let is_element = |n: NodeId| body.node(n) == Node::Name(element);
    let ask = |n: NodeId| -> Option<Option<Sym>> {
        let Node::Call { callee, args, .. } = body.node(n) else { return None };
        match body.node(callee) {
            _ if args.len == 0 => None,
            Node::Member { object, name, .. } if is_element(object) => Some(Some(program.sym_in(member, name))),
            Node::Name(name) if name == element => Some(None),
            _ if args.len > 1 => {
                let at = body.list(args).iter().position(|a| is_element(*a))?;
                asked_by_helper(flow, Site { member, node: n }, at).map(Some)
            }
            _ => None,
        }
    };
    let calls: Vec<(NodeId, Option<Sym>)> = body.ids().filter(|n| scope.is_within(*n, inner)).filter_map(|n| Some((n, ask(n)?))).collect();
    // who looks for an element gives it back, and asks nothing of it
    let gives_element = |n: NodeId| matches!(body.node(n), Node::Return(Some(value)) if is_element(value));
    if state::any_within(body, inner, &gives_element) {
        return None;
    }
    calls.into_iter().find(|(call, _)| ends_by(flow, member, *call, inner).is_some())
}

/// The method by which a helper, that is handed a link as one of its arguments, asks it.
fn asked_by_helper(flow: &Flow<'_>, call: Site, argument: usize) -> Option<Sym> {
    let program = flow.program;
    let helper = flow.callee(call)?.member;
    let body = program.body(helper)?;
    let link = program.decl(helper).params.get(argument)?.name;
    body.ids().find_map(|n| {
        let Node::Call { callee, args, .. } = body.node(n) else { return None };
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        (args.len > 0 && body.node(object) == Node::Name(link)).then(|| program.sym_in(helper, name))
    })
}

/// How the answer of a call decides that the loop ends; none if it does not.
fn ends_by(flow: &Flow<'_>, member: MemberId, call: NodeId, inner: NodeId) -> Option<Ends> {
    let program = flow.program;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let leaves = |n: NodeId| state::any_within(body, n, &|x| matches!(body.node(x), Node::Return(_) | Node::Break | Node::Throw(_)));
    let decides = |holds: &dyn Fn(NodeId) -> bool| {
        let inside = body.ids().filter(|n| scope.is_within(*n, inner));
        let deciding = inside.filter_map(|n| match body.node(n) {
            Node::If { cond, then, other } if state::any_within(body, cond, holds) && (leaves(then) || other.is_some_and(leaves)) => {
                Some(asked_of_answer(program, member, body, cond, leaves(then), holds))
            }
            _ => None,
        });
        deciding.reduce(Ends::or)
    };
    let whole = decides(&|n| n == call);
    if whole.is_some() {
        return whole;
    }
    // a local that keeps the answer; what is asked of it as plain data is no more than that
    let asks_behind = |statement: NodeId| {
        let Some(Node::Block(list)) = scope.parent(statement).map(|p| body.node(p)) else { return false };
        let list = body.list(list);
        let behind = list.iter().position(|s| *s == statement).and_then(|at| list.get(at + 1));
        behind.is_some_and(|s| matches!(body.node(*s), Node::If { cond, then, .. } if body.node(cond) == Node::Plain && leaves(then)))
    };
    let mut around = call;
    while let Some(parent) = scope.parent(around) {
        match body.node(parent) {
            Node::Local { name, .. } => {
                return decides(&|n| body.node(n) == Node::Name(name)).or_else(|| asks_behind(parent).then_some(Ends::Unknown));
            }
            Node::Assign { target, .. } => {
                return match body.node(target) {
                    Node::Name(name) => {
                        decides(&|n| body.node(n) == Node::Name(name)).or_else(|| asks_behind(parent).then_some(Ends::Unknown))
                    }
                    _ => None,
                };
            }
            Node::Unary { .. } | Node::Binary { .. } | Node::Conditional { .. } => around = parent,
            _ => return None,
        }
    }
    None
}

/// What a condition asks of an answer; `ends` says whether the walk ends where it holds, or where it does not.
fn asked_of_answer(program: &Program, member: MemberId, body: &Body, cond: NodeId, ends: bool, holds: &dyn Fn(NodeId) -> bool) -> Ends {
    let there = |ends| if ends { Ends::Any } else { Ends::Nothing };
    match body.node(cond) {
        _ if holds(cond) => there(ends),
        Node::Unary { op: UnaryOp::Not, operand } => asked_of_answer(program, member, body, operand, !ends, holds),
        Node::Unary { op: UnaryOp::Await | UnaryOp::NonNull, operand } => asked_of_answer(program, member, body, operand, ends, holds),
        Node::TypeTest { object, .. } if holds(object) => there(ends),
        Node::Binary { op: op @ (BinaryOp::Eq | BinaryOp::Ne), left, right } => match (body.node(left), body.node(right)) {
            (Node::Member { object, name, .. }, Node::Str(text)) if holds(object) && ends == (op == BinaryOp::Eq) => {
                Ends::Part(program.sym_in(member, name), vec![program.sym_in(member, text)])
            }
            (_, Node::Null | Node::Bool(false)) if holds(left) => there(ends == (op == BinaryOp::Ne)),
            (_, Node::Bool(true)) if holds(left) => there(ends == (op == BinaryOp::Eq)),
            _ => Ends::Unknown,
        },
        _ => Ends::Unknown,
    }
}

impl Ends {
    /// What ends the walk if either does.
    fn or(self, other: Self) -> Self {
        match (self, other) {
            (Ends::Part(a, mut ends), Ends::Part(b, more)) if a == b => {
                ends.extend(more);
                Ends::Part(a, ends)
            }
            (Ends::Any, Ends::Any) => Ends::Any,
            (Ends::Nothing, Ends::Nothing) => Ends::Nothing,
            _ => Ends::Unknown,
        }
    }
}
