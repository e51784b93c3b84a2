//! What a link does with a request: answers it, passes it on, or either.

use yarrowgraph_ir::{BinaryOp, Body, FunctionId, Name, Node, NodeId, Param, UnaryOp};
use yarrowgraph_model::Passes;

use super::hooks;
use super::next::takes_aside;
use super::{Ends, Link, Links, Of};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Scope, Site, Sym, TypeId};
use crate::state;

/// So many methods of a link are looked at.
const HELPERS: usize = 24;

/// What a link does with requests.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Behaviour {
    /// Whether it passes them on.
    pub passes: Passes,
    /// Whether a request can end with it.
    pub stops: bool,
}

/// The method by which a link is asked, as its class has it.
pub fn asked_by(flow: &Flow<'_>, links: &Links, of: Of, link: &Link) -> Option<MemberId> {
    let method: Sym = match of {
        Of::Next(next) => links.next[next].method,
        Of::Walk(walk) => links.walks[walk].method?,
        Of::Pipeline(at) => return links.pipelines[at].asked(flow.program, link.class?),
    };
    let (program, class) = (flow.program, link.class?);
    let first = program.find_member_as(class, method, true);
    // of methods that have one name the one that hands a request on
    let Of::Next(next) = of else { return first };
    let hands_on = |m: &MemberId| links.next[next].passes.iter().any(|pass| pass.member == *m);
    first.filter(hands_on).or_else(|| program.find_members(class, method).into_iter().find(hands_on)).or(first)
}

/// The code of a link: a method, or a function that is written in one.
#[derive(Clone, Copy, Debug)]
pub struct Code<'a> {
    /// The method, or the one that the function is written in.
    pub member: MemberId,
    /// The function, where it is one.
    pub function: Option<FunctionId>,
    /// The body of the method.
    pub body: &'a Body,
    /// Where its own code begins.
    pub root: NodeId,
}

impl<'a> Code<'a> {
    /// The code by which a link is asked; none where that is not of the tree.
    pub fn of(flow: &Flow<'a>, links: &Links, kind: Of, link: &Link) -> Option<Self> {
        if let Of::Pipeline(at) = kind {
            return links.pipelines[at].code(flow, link);
        }
        let (member, function) = match link.function {
            Some(Val::Lambda(m, f)) => (m, Some(f)),
            Some(Val::Method(m, _)) => (m, None),
            _ => (asked_by(flow, links, kind, link)?, None),
        };
        let body = flow.program.body(member)?;
        let root = function.map_or(body.root, |f| body.function(f).body)?;
        Some(Self { member, function, body, root })
    }

    /// What it is handed.
    pub fn params(&self, program: &'a Program) -> &'a [Param] {
        self.function.map_or(&program.decl(self.member).params, |f| &self.body.function(f).params)
    }

    /// The name of the parameter at a place.
    pub fn param(&self, program: &Program, place: usize) -> Option<Name> {
        self.params(program).get(place).map(|p| p.name)
    }

    /// Where a name stands in it.
    pub fn uses(&self, program: &Program, name: Name) -> Vec<NodeId> {
        let scope = program.scope(self.member);
        scope.within(self.root).filter(|n| self.body.node(*n) == Node::Name(name)).collect()
    }
}

/// The call of what stands at a node, if that is what is called.
pub fn call_of(body: &Body, scope: &Scope, called: NodeId) -> Option<NodeId> {
    scope.parent(called).filter(|p| matches!(body.node(*p), Node::Call { callee, .. } if callee == called))
}

/// The call of a method of the object that stands at a node, as whatever it is cast to and where it is said to be there, with the method's
/// name.
pub fn method_call_of(body: &Body, scope: &Scope, object: NodeId) -> Option<(NodeId, Name)> {
    let mut object = object;
    while let Some(cast) =
        scope.parent(object).filter(|p| matches!(body.node(*p), Node::Cast { .. } | Node::Unary { op: UnaryOp::NonNull, .. }))
    {
        object = cast;
    }
    let member = scope.parent(object)?;
    match body.node(member) {
        Node::Member { object: of, name, .. } if of == object => Some((call_of(body, scope, member)?, name)),
        _ => None,
    }
}

/// What a link does; none where its code is not of the tree.
pub fn of(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link) -> Option<Behaviour> {
    let code = Code::of(flow, links, kind, link)?;
    match kind {
        Of::Next(next) => Some(passing(flow, links, next, link, code)),
        Of::Walk(walk) => match &links.walks[walk].ends {
            Ends::WayOn(_) | Ends::Kept => Some(way_on(flow, links, kind, code)),
            Ends::All => Some(Behaviour { passes: Passes::Always, stops: false }),
            ends => Answers { flow, member: code.member, body: code.body, ends }.all(code.root),
        },
        Of::Pipeline(_) => {
            let done = way_on(flow, links, kind, code);
            // requests that it is not asked for go past it
            let some = link.only_for.is_some() && done.passes == Passes::Never;
            Some(if some { Behaviour { passes: Passes::Sometimes, ..done } } else { done })
        }
    }
}

/// Of links that know the next one: where they hand a request to it.
fn passing(flow: &Flow<'_>, links: &Links, next: usize, link: &Link, code: Code<'_>) -> Behaviour {
    let Code { member, body, root, .. } = code;
    let scope = flow.program.scope(member);
    let sites = passes_in(flow, links, next, link.class, member);
    // what is put aside is passed on later
    let later = || {
        let next = &links.next[next];
        let of_class = |class, s: &Site| flow.program.is_a(class, flow.program.member(s.member).owner);
        let is_later = |class| next.passes.iter().any(|s| of_class(class, s)) && takes_aside(flow, class, next.method);
        link.class.is_some_and(is_later)
    };
    let passes = match sites.first() {
        None if later() => Passes::Sometimes,
        None => Passes::Never,
        // a test whether there is a next one is no choice
        Some(_)
            if sites
                .iter()
                .any(|s| state::runs_always(body, scope, *s, root) || only_if_there(flow, links, next, body, scope, member, *s, root)) =>
        {
            Passes::Always
        }
        Some(_) => link.class.and_then(|class| hooks::decided(flow, class, member, &sites)).unwrap_or(Passes::Sometimes),
    };
    Behaviour { passes, stops: passes != Passes::Always }
}

/// Where a link that has the way on names it, and where it goes it.
#[derive(Debug, Default)]
pub struct WayOn {
    /// Where the code names it.
    pub uses: Vec<NodeId>,
    /// The calls by which it goes it.
    pub goes: Vec<NodeId>,
}

/// What an expression is once it is cast.
fn strip_casts(body: &Body, scope: &Scope, node: NodeId) -> NodeId {
    let mut node = node;
    while let Some(parent) = scope.parent(node)
        && matches!(body.node(parent), Node::Cast { .. } | Node::Unary { op: UnaryOp::NonNull, .. })
    {
        node = parent;
    }
    node
}

/// What a link does with the way on; none where it does not have one.
pub fn way_of(flow: &Flow<'_>, links: &Links, kind: Of, code: Code<'_>) -> Option<WayOn> {
    let program = flow.program;
    let walk = match kind {
        Of::Next(_) => return None,
        Of::Walk(walk) => &links.walks[walk],
        Of::Pipeline(at) => return links.pipelines[at].way(flow, code),
    };
    let name = match walk.ends {
        Ends::WayOn(place) => code.param(program, place)?,
        Ends::Kept => links.wrap(code.member, code.function?)?.0.name,
        _ => return None,
    };
    let scope = program.scope(code.member);
    let pack = &program.kit_of(code.member).pack;
    let entry = program.member(walk.walk.member).name;
    // an object that is the way on is asked by the method in which it asks its links; what else it is asked is no way on
    let asked = |n: NodeId| {
        let (call, name) = method_call_of(code.body, scope, n)?;
        let name = program.sym_in(code.member, name);
        let site = Site { member: code.member, node: call };
        let is_function = || match flow.callee(site) {
            Some(_) => flow.calls_only_method(site),
            None => flow.type_of_node(code.member, n).own().is_none() && pack.invokers.contains(program.text(name)),
        };
        Some((call, name == entry || is_function()))
    };
    let (mut uses, mut goes) = (Vec::new(), Vec::new());
    let mut named = code.uses(program, name);
    while let Some(n) = named.pop() {
        let n = strip_casts(code.body, scope, n);
        match (call_of(code.body, scope, n).map(|call| (call, true)).or_else(|| asked(n)), scope.parent(n)) {
            (Some((call, true)), _) => {
                uses.push(n);
                goes.push(call);
            }
            (Some((_, false)), _) => {}
            // a local that is another name of it
            (None, Some(local)) if let Node::Local { name, .. } = code.body.node(local) => named.extend(code.uses(program, name)),
            (None, _) => uses.push(n),
        }
    }
    uses.sort_unstable();
    goes.sort_unstable();
    Some(WayOn { uses, goes })
}

/// Of a link that has the way on: whether it goes it.
fn way_on(flow: &Flow<'_>, links: &Links, kind: Of, code: Code<'_>) -> Behaviour {
    let scope = flow.program.scope(code.member);
    let way = way_of(flow, links, kind, code).unwrap_or_default();
    let passes = match way.uses.first() {
        None => Passes::Never,
        Some(_) if way.goes.iter().any(|c| state::runs_always(code.body, scope, *c, code.root)) => Passes::Always,
        Some(_) => Passes::Sometimes,
    };
    Behaviour { passes, stops: passes != Passes::Always }
}

/// Whether a link certainly ends every request: nothing that it runs comes to the next one, and all of its code is there.
pub fn ends_all(flow: &Flow<'_>, links: &Links, kind: Of, link: &Link) -> bool {
    if of(flow, links, kind, link).is_none_or(|b| b.passes != Passes::Never) {
        return false;
    }
    let (Of::Next(next), Some(class)) = (kind, link.class) else { return true };
    let Some(first) = asked_by(flow, links, kind, link) else { return false };
    // one way or another it has an answer
    if !passes_in(flow, links, next, Some(class), first).is_empty() {
        return true;
    }
    let program = flow.program;
    let fields = &links.next[next].fields;
    let mut known = vec![first];
    let mut at = 0;
    while at < known.len() {
        let member = known[at];
        at += 1;
        let Some(body) = program.body(member) else { return false };
        for node in body.ids() {
            match body.node(node) {
                Node::Member { .. } | Node::Name(_) if matches!(flow.eval_in(member, node), Val::Member(_, m) if fields.contains(&m)) => {
                    return false;
                }
                Node::Call { callee, .. } => {
                    let found = flow.callee(Site { member, node }).map(|c| c.member);
                    let by_itself = match body.node(callee) {
                        Node::Member { object, .. } => matches!(body.node(object), Node::This | Node::Super),
                        Node::Name(_) => true,
                        _ => false,
                    };
                    match found {
                        // what a class of links has
                        Some(m) if program.is_a(class, program.member(m).owner) => {
                            let own = program.find_member_as(class, program.member(m).name, true);
                            known.extend([Some(m), own].into_iter().flatten().filter(|m| !known.contains(m)).collect::<Vec<_>>());
                        }
                        None if by_itself => return false,
                        _ => {}
                    }
                }
                _ => {}
            }
        }
        if known.len() > HELPERS {
            return false;
        }
    }
    true
}

/// Where a method hands its request on: by itself, or by a helper of its class.
pub fn passes_in(flow: &Flow<'_>, links: &Links, next: usize, class: Option<TypeId>, member: MemberId) -> Vec<NodeId> {
    let program = flow.program;
    let known = &links.next[next].passes;
    let mut sites: Vec<NodeId> = known.iter().filter(|s| s.member == member).map(|s| s.node).collect();
    let Some(body) = program.body(member) else { return sites };
    for at in body.ids() {
        if !matches!(body.node(at), Node::Call { .. }) {
            continue;
        }
        let callee = flow.callee(Site { member, node: at }).map(|c| c.member);
        let helps = callee.is_some_and(|c| {
            c != member && known.iter().any(|s| s.member == c) && class.is_some_and(|class| program.is_a(class, program.member(c).owner))
        });
        if helps && !sites.contains(&at) {
            sites.push(at);
        }
    }
    sites.sort_unstable();
    sites
}

/// What a condition asks of the request: all of it but whether there is a next link; none where it asks no more than that.
pub fn asks_of_request(flow: &Flow<'_>, links: &Links, next: usize, body: &Body, member: MemberId, cond: NodeId) -> Option<NodeId> {
    if let Node::Binary { op: BinaryOp::And | BinaryOp::Or, left, right } = body.node(cond) {
        let asked = |part| asks_of_request(flow, links, next, body, member, part);
        return match (asked(left), asked(right)) {
            (Some(_), Some(_)) => Some(cond),
            (one, other) => one.or(other),
        };
    }
    (!asks_next(flow, links, next, body, member, cond)).then_some(cond)
}

/// Whether a condition asks whether there is a next link, beside whatever else, and calls nothing.
pub fn asks_next(flow: &Flow<'_>, links: &Links, next: usize, body: &Body, member: MemberId, cond: NodeId) -> bool {
    let fields = &links.next[next].fields;
    let is_next = |n: NodeId| matches!(flow.eval_in(member, n), Val::Member(_, m) if fields.contains(&m));
    state::any_within(body, cond, &|n| matches!(body.node(n), Node::Member { .. } | Node::Name(_)) && is_next(n))
        && !state::any_within(body, cond, &|n| matches!(body.node(n), Node::Call { .. }))
}

/// Whether all that decides about a pass is whether there is a next link.
#[expect(clippy::too_many_arguments, reason = "where a pass stands")]
fn only_if_there(
    flow: &Flow<'_>,
    links: &Links,
    next: usize,
    body: &Body,
    scope: &Scope,
    member: MemberId,
    pass: NodeId,
    root: NodeId,
) -> bool {
    let asks_next = |cond: NodeId| asks_of_request(flow, links, next, body, member, cond).is_none();
    let mut inner = pass;
    for around in scope.ancestors(pass) {
        match body.node(around) {
            Node::If { cond, .. } | Node::Conditional { cond, .. } if inner != cond && !asks_next(cond) => return false,
            Node::Switch { .. } | Node::Loop { .. } | Node::ForEach { .. } | Node::Lambda(_) | Node::Catch { .. } => return false,
            Node::Binary { left, .. } if inner != left && !asks_next(left) => return false,
            Node::Block(list) => {
                let before = body.list(list).iter().take_while(|s| **s != inner);
                let leaves = |s: &NodeId| {
                    let by_next = matches!(body.node(*s), Node::If { cond, .. } if asks_next(cond));
                    !by_next && state::any_within(body, *s, &|n| matches!(body.node(n), Node::Return(_) | Node::Throw(_)))
                };
                if before.into_iter().any(leaves) {
                    return false;
                }
            }
            _ => {}
        }
        if around == root {
            break;
        }
        inner = around;
    }
    true
}

/// The answers of a link in a list.
struct Answers<'a, 'b> {
    flow: &'a Flow<'b>,
    member: MemberId,
    body: &'a Body,
    ends: &'a Ends,
}

/// Whether an expression that a link of a walked list answers with ends the walk; none where it may do either.
pub fn answer_ends(flow: &Flow<'_>, ends: &Ends, code: Code<'_>, value: NodeId) -> Option<bool> {
    let answers = Answers { flow, member: code.member, body: code.body, ends };
    let given = match (ends, code.body.node(value)) {
        (Ends::Part(_, texts), Node::Str(_)) => answers.text(value, texts),
        _ => answers.of(Some(value)),
    };
    (given.none != given.some).then_some(given.some)
}

/// What a method does that ends a request by what it answers.
pub(super) fn answers(flow: &Flow<'_>, member: MemberId, ends: &Ends, root: NodeId) -> Option<Behaviour> {
    let body = flow.program.body(member)?;
    Answers { flow, member, body, ends }.all(root)
}

/// Whether a call makes an optional with a value (`Optional.of(loaf)`) or without one (`Optional.empty()`).
pub(super) fn optional(program: &Program, member: MemberId, body: &Body, call: NodeId) -> Option<bool> {
    let Node::Call { callee, args, .. } = body.node(call) else { return None };
    let Node::Member { object, name, .. } = body.node(callee) else { return None };
    let Node::Name(of) = body.node(object) else { return None };
    let text = |name| program.unit_of(member).text(name);
    match (text(name), args.len) {
        _ if !text(of).starts_with("Optional") => None,
        ("of", 1) => Some(true),
        ("empty", 0) => Some(false),
        _ => None,
    }
}

/// Whether a value is certainly there.
fn is_there(node: Node) -> bool {
    matches!(node, Node::New { .. } | Node::Str(_) | Node::Num(_) | Node::Template(_) | Node::Bool(true) | Node::Object(_))
}

/// Whether answers are none, or some.
#[derive(Clone, Copy, Debug, Default)]
struct Given {
    none: bool,
    some: bool,
}

impl Given {
    const NONE: Self = Self { none: true, some: false };
    const SOME: Self = Self { none: false, some: true };
    const EITHER: Self = Self { none: true, some: true };

    fn and(self, other: Self) -> Self {
        Self { none: self.none || other.none, some: self.some || other.some }
    }
}

impl Answers<'_, '_> {
    /// What a body answers.
    fn all(&self, root: NodeId) -> Option<Behaviour> {
        let body = self.body;
        let is_block = matches!(body.node(root), Node::Block(_));
        let mut given = Given::default();
        if !is_block && !matches!(body.node(root), Node::Return(_)) {
            given = self.of(Some(root));
        }
        let mut stack = vec![root];
        while let Some(at) = stack.pop() {
            match body.node(at) {
                Node::Return(value) => given = given.and(self.of(value)),
                Node::Throw(_) => given = given.and(Given::SOME),
                Node::Lambda(_) => continue,
                _ => {}
            }
            stack.extend(body.children(at));
        }
        // a body that runs to its end gives no answer
        if is_block && !body.leaves(root) {
            given = given.and(self.of(None));
        }
        let passes = match (given.none, given.some) {
            (true, true) => Passes::Sometimes,
            (true, false) => Passes::Always,
            (false, true) => Passes::Never,
            (false, false) => return None,
        };
        Some(Behaviour { passes, stops: given.some })
    }

    /// Whether a value is no answer, or one; what cannot be told is either.
    fn of(&self, value: Option<NodeId>) -> Given {
        let Some(value) = value else { return if *self.ends == Ends::Nothing { Given::SOME } else { Given::NONE } };
        match (self.ends, self.body.node(value)) {
            (_, Node::Conditional { then, other, .. }) => self.of(Some(then)).and(self.of(Some(other))),
            (_, Node::Cast { operand, .. }) => self.of(Some(operand)),
            // what is reckoned is there
            (Ends::Any, Node::Binary { op: BinaryOp::Arithmetic | BinaryOp::Add | BinaryOp::Sub, .. }) => Given::SOME,
            (Ends::Any, Node::Null | Node::Bool(false)) => Given::NONE,
            (Ends::Nothing, Node::Null | Node::Bool(false)) => Given::SOME,
            // an optional with a value, or without one
            (Ends::Any, Node::Call { .. }) => match optional(self.flow.program, self.member, self.body, value) {
                Some(true) => Given::SOME,
                Some(false) => Given::NONE,
                None => Given::EITHER,
            },
            (Ends::Any, node) if is_there(node) => Given::SOME,
            (Ends::Nothing, node) if is_there(node) => Given::NONE,
            (Ends::Part(part, ends), Node::Object(entries)) => {
                let named = |e: &&NodeId| matches!(self.body.node(**e), Node::Entry { key, .. } if self.names(key, *part));
                match self.body.list(entries).iter().find(named).map(|e| self.body.node(*e)) {
                    Some(Node::Entry { value, .. }) => self.text(value, ends),
                    _ => Given::EITHER,
                }
            }
            _ => Given::EITHER,
        }
    }

    /// Whether a key is that name.
    fn names(&self, key: NodeId, part: Sym) -> bool {
        let (Node::Str(name) | Node::Name(name)) = self.body.node(key) else { return false };
        self.flow.program.sym_in(self.member, name) == part
    }

    /// Whether a text is one of those that end the walk.
    fn text(&self, value: NodeId, ends: &[Sym]) -> Given {
        match self.body.node(value) {
            Node::Str(text) if ends.contains(&self.flow.program.sym_in(self.member, text)) => Given::SOME,
            Node::Str(_) => Given::NONE,
            Node::Conditional { then, other, .. } => self.text(then, ends).and(self.text(other, ends)),
            _ => Given::EITHER,
        }
    }
}
