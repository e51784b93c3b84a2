//! Lists of links that are walked until one has an answer.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{AssignOp, BinaryOp, Body, Name, Node, NodeId, TypeKind, UnaryOp};

use crate::flow::{Flow, Val};
use crate::program::{Kinds, MemberId, Program, Scope, Site, Sym, Ty};
use crate::state;

/// What is asked by walks for so many things, and holds objects of its own kind, is a whole with its parts.
const ASKED_OF_PARTS: usize = 3;

/// A walk over a list of links.
#[derive(Clone, Debug)]
pub struct Walk {
    /// The loop.
    pub walk: Site,
    /// The field that holds the list, where one does.
    pub list: Option<MemberId>,
    /// The parameter that the list is handed in by, where one does: of the method that the walk stands in.
    pub given: Option<u16>,
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
    /// A link keeps the way on from its making, and goes it or does not.
    Kept,
    /// No answer: every link has its turn.
    All,
    /// What is asked of the answer is not understood.
    Unknown,
}

/// Finds the walks that end with an answer, or in which each link has its turn with what the one before made of it.
pub(super) fn find(flow: &Flow<'_>) -> Vec<Walk> {
    let program = flow.program;
    let mut found = Vec::new();
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body_with(member, Kinds::WALK) else { continue };
        for at in body.ids() {
            match body.node(at) {
                Node::ForEach { var, iterable, body: inner, keys: false, .. } => {
                    let Node::Local { name, .. } = body.node(var) else { continue };
                    let is_element = |n: NodeId| body.node(n) == Node::Name(name);
                    if let Some((asks, method, ends)) = asked(flow, member, &is_element, inner)
                        && may_be_links(flow, member, iterable)
                    {
                        let list = own_list(flow, member, iterable);
                        found.push(Walk {
                            walk: Site { member, node: at },
                            list,
                            given: None,
                            method,
                            asks: Site { member, node: asks },
                            ends,
                        });
                    }
                }
                Node::Loop { body: inner, .. } => found.extend(by_place(flow, member, at, inner)),
                _ => {}
            }
        }
    }
    let mut asked: BTreeMap<MemberId, BTreeSet<Option<Sym>>> = BTreeMap::new();
    for walk in &found {
        walk.list.into_iter().for_each(|list| _ = asked.entry(list).or_default().insert(walk.method));
    }
    let is_of_parts = |list: MemberId| is_of_own_kind(flow, list) && asked[&list].len() >= ASKED_OF_PARTS;
    found.retain(|walk| !walk.list.is_some_and(is_of_parts) && !asks_for_another(flow, walk));
    found
}

/// Whether the elements of a list are what its owner is, too.
pub(super) fn is_of_own_kind(flow: &Flow<'_>, list: MemberId) -> bool {
    let program = flow.program;
    let info = program.member(list);
    let element = program.element_type(info.unit, &flow.type_held(list)).and_then(|t| t.own());
    element.is_some_and(|part| flow.program.are_kin(info.owner, part))
}

/// Whether each element is asked about another one of them: `points[i].distance(points[i + 1])`.
fn asks_for_another(flow: &Flow<'_>, walk: &Walk) -> bool {
    let Some(list) = walk.list else { return false };
    let Some(body) = flow.program.body(walk.asks.member) else { return false };
    let is_element = |n: NodeId| element_of_list(flow, walk.asks.member, n) == Some(list);
    match body.node(walk.asks.node) {
        Node::Call { callee, args, .. } => {
            let of_element = matches!(body.node(callee), Node::Member { object, .. } if is_element(object));
            of_element && body.list(args).iter().any(|a| is_element(*a))
        }
        _ => false,
    }
}

/// A walk by places: `for (i = 0; i < links.length; i++) if (links[i].take(request)) return`.
fn by_place(flow: &Flow<'_>, member: MemberId, at: NodeId, inner: NodeId) -> Option<Walk> {
    let program = flow.program;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let list_of = |n: NodeId| element_of_list(flow, member, n);
    let (asks, method, ends) = asked(flow, member, &|n| list_of(n).is_some(), inner)?;
    let Node::Call { callee, .. } = body.node(asks) else { return None };
    let link = if let Node::Member { object, .. } = body.node(callee) { object } else { callee };
    let list = list_of(link)?;
    // what is held is one of a kind, or a function
    let unit = program.member(list).unit;
    let element = program.element_type(unit, &flow.type_held(list)).unwrap_or(Ty::Unknown);
    let is_walked = scope.is_within(link, inner) && may_be_link(flow, member, &element);
    is_walked.then_some(Walk {
        walk: Site { member, node: at },
        list: Some(list),
        given: None,
        method,
        asks: Site { member, node: asks },
        ends,
    })
}

/// The own list that an expression is an element of, by its place or by an iterator.
pub(super) fn element_of_list(flow: &Flow<'_>, member: MemberId, node: NodeId) -> Option<MemberId> {
    let program = flow.program;
    let body = program.body(member)?;
    let mut node = node;
    while let Node::Unary { operand, op: UnaryOp::NonNull | UnaryOp::Indirect } | Node::Cast { operand, .. } = body.node(node) {
        node = operand;
    }
    if let Some(list) = flow.list_of_iterator(member, node) {
        return own_list(flow, member, list);
    }
    match flow.eval_in(member, node) {
        Val::Element(of, _) => match &*of {
            Val::Member(object, m) if matches!(**object, Val::This(_)) => Some(*m),
            Val::Static(m) => Some(*m),
            _ => None,
        },
        _ => None,
    }
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
pub(super) fn may_be_links(flow: &Flow<'_>, member: MemberId, iterable: NodeId) -> bool {
    let unit = flow.program.member(member).unit;
    let held = || own_list(flow, member, iterable).map(|list| flow.type_held(list));
    let element = |ty: Ty| flow.program.element_type(unit, &ty);
    match element(flow.type_of_node(member, iterable)).or_else(|| element(held()?)) {
        Some(element) => may_be_link(flow, member, &element),
        None => flow.program.kit(unit).traits.duck_typed,
    }
}

fn may_be_link(flow: &Flow<'_>, member: MemberId, element: &Ty) -> bool {
    let program = flow.program;
    let unit = program.member(member).unit;
    let duck_typed = program.kit(unit).traits.duck_typed;
    match element {
        Ty::Own(t, _) => {
            let t = program.ty(*t);
            // where nothing is typed, the type is that of the first element
            duck_typed || t.kind == TypeKind::Interface || t.modifiers.is_abstract || t.kind == TypeKind::Delegate || !t.heirs.is_empty()
        }
        element => program.is_callable(unit, element) || (*element == Ty::Unknown && duck_typed),
    }
}

/// The call by which a node asks an element, if it is one: its method, none for a function.
pub(super) fn ask(flow: &Flow<'_>, member: MemberId, is_element: &dyn Fn(NodeId) -> bool, n: NodeId) -> Option<Option<Sym>> {
    let program = flow.program;
    let body = program.body(member)?;
    let Node::Call { callee, args, .. } = body.node(n) else { return None };
    match body.node(callee) {
        _ if args.len == 0 => None,
        Node::Member { object, name, .. } if is_element(object) => Some(Some(program.sym_in(member, name))),
        Node::Name(_) | Node::Index { .. } if is_element(callee) => Some(None),
        _ if args.len > 1 => {
            let at = body.list(args).iter().position(|a| is_element(*a))?;
            asked_by_helper(flow, Site { member, node: n }, at).map(Some)
        }
        _ => None,
    }
}

/// The call in a loop by which each element is asked, its method, and how its answer counts.
fn asked(flow: &Flow<'_>, member: MemberId, is_element: &dyn Fn(NodeId) -> bool, inner: NodeId) -> Option<(NodeId, Option<Sym>, Ends)> {
    let program = flow.program;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let calls: Vec<(NodeId, Option<Sym>)> = scope.within(inner).filter_map(|n| Some((n, ask(flow, member, is_element, n)?))).collect();
    // who looks for an element gives it back, and asks nothing of it
    let gives_element = |n: NodeId| matches!(body.node(n), Node::Return(Some(value)) if is_element(value));
    if calls.is_empty() || state::any_within(body, inner, &gives_element) {
        return None;
    }
    let decides = calls.iter().find_map(|(call, method)| Some((*call, *method, ends_by(flow, member, *call, inner)?)));
    decides.or_else(|| calls.iter().find(|(call, _)| folds(body, scope, *call)).map(|(call, method)| (*call, *method, Ends::All)))
}

/// Whether what a call gives takes the place of what it was given: `value = step.apply(value)`.
fn folds(body: &Body, scope: &Scope, call: NodeId) -> bool {
    let Node::Call { args, .. } = body.node(call) else { return false };
    let mut around = scope.parent(call);
    while let Some(Node::Unary { op: UnaryOp::Await | UnaryOp::NonNull, .. }) = around.map(|n| body.node(n)) {
        around = around.and_then(|n| scope.parent(n));
    }
    let Some(Node::Assign { op: AssignOp::Set, target, .. }) = around.map(|n| body.node(n)) else { return false };
    matches!(body.node(target), Node::Name(name) if body.list(args).iter().any(|a| body.node(*a) == Node::Name(name)))
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
        let inside = scope.within(inner);
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
pub(super) fn asked_of_answer(
    program: &Program,
    member: MemberId,
    body: &Body,
    cond: NodeId,
    ends: bool,
    holds: &dyn Fn(NodeId) -> bool,
) -> Ends {
    let there = |ends| if ends { Ends::Any } else { Ends::Nothing };
    match body.node(cond) {
        _ if holds(cond) => there(ends),
        Node::Unary { op: UnaryOp::Not, operand } => asked_of_answer(program, member, body, operand, !ends, holds),
        Node::Unary { op: UnaryOp::Await | UnaryOp::NonNull, operand } => asked_of_answer(program, member, body, operand, ends, holds),
        Node::TypeTest { object, .. } if holds(object) => there(ends),
        // what an optional says of itself: `quote.HasValue`, `quote.isPresent()`
        Node::Member { object, name, .. } if holds(object) => match says_of_itself(program, member, name) {
            Some(present) => there(ends == present),
            None => Ends::Unknown,
        },
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Member { .. } => asked_of_answer(program, member, body, callee, ends, holds),
            _ => Ends::Unknown,
        },
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

/// Whether a member of an optional says that it has a value, or that it has none.
fn says_of_itself(program: &Program, member: MemberId, name: Name) -> Option<bool> {
    let text = program.unit_of(member).text(name);
    let pack = &program.kit_of(member).pack;
    if pack.present.contains(text) { Some(true) } else { pack.absent.contains(text).then_some(false) }
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
