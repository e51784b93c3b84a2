//! Whether a raise is covered against an empty channel.

use yarrowgraph_ir::{AccessorKind, BinaryOp, Body, MemberKind, Name, Node, NodeId, TypeKind, TypeRef, UnaryOp};

use super::effect::Guard;
use super::once::is_first_value;
use crate::flow::{Flow, Val, returned};
use crate::program::{Declared, MemberId, Site};

/// How the call of a channel's value is protected: by `?.`, a test of the same channel or
/// of the local copy that is called, an early exit, or a first value that does nothing.
pub fn of_raise(flow: &Flow<'_>, site: Site, called: NodeId, value: &Val, optional: bool) -> Guard {
    let program = flow.program;
    if !program.kit_of(site.member).traits.empty_call_crashes {
        return Guard::Safe;
    }
    if optional {
        return Guard::Tested;
    }
    // raising a declared signal reaches nobody if there is nobody
    let is_signal = |m: &crate::program::MemberId| program.member(*m).kind == MemberKind::Event;
    if !program.kit_of(site.member).traits.combines_callables && matches!(value, Val::Member(_, m) | Val::Static(m) if is_signal(m)) {
        return Guard::Safe;
    }
    let Some(g) = Guards::of(flow, site, called, value) else { return Guard::None };
    if g.never_empty() || g.covered() || g.chain_is_optional(called) || g.has_default() {
        return Guard::Tested;
    }
    // what has just been handed in is there, and nobody has asked whether it is
    let is_given = Guards { counts_given: true, ..g }.covered() || g.is_filled_by_getter();
    if is_given { Guard::Safe } else { Guard::None }
}

/// Whether a call of what a field holds is covered by a test of the field, whatever the field is given first.
pub fn is_asked(flow: &Flow<'_>, site: Site, called: NodeId, value: &Val, optional: bool) -> bool {
    Guards::of(flow, site, called, value).is_some_and(|g| optional || g.covered() || g.chain_is_optional(called))
}

struct Guards<'f, 'p> {
    flow: &'f Flow<'p>,
    site: Site,
    body: &'p Body,
    called: NodeId,
    /// The name by which it is called.
    name: Option<Name>,
    value: &'f Val,
    /// Whether it counts that the channel has just been given what the method was handed.
    counts_given: bool,
}

impl<'f, 'p> Guards<'f, 'p> {
    fn of(flow: &'f Flow<'p>, site: Site, called: NodeId, value: &'f Val) -> Option<Self> {
        let body = flow.program.body(site.member)?;
        let name = match body.node(called) {
            Node::Name(name) => Some(name),
            _ => None,
        };
        Some(Self { flow, site, body, called, name, value, counts_given: false })
    }

    /// The same for the class in a body that the call is written in, where what is called is a variable around that: the class is
    /// made of what the variable holds there.
    fn around(&self) -> Option<Self> {
        let program = self.flow.program;
        let name = self.name.filter(|n| program.scope(self.site.member).lookup(*n, self.site.node).is_none())?;
        let site = program.ty(program.member(self.site.member).owner).within?;
        let (body, scope) = (program.body(site.member)?, program.scope(site.member));
        let is_kept = match scope.lookup(name, site.node) {
            Some(Declared::Local(local)) => !scope.is_set_again(body, local),
            // or a member of the object around
            Some(Declared::Param(..)) | None => true,
        };
        is_kept.then_some(Self { site, body, called: site.node, ..*self })
    }

    /// `get step() { return this.#step ?? usual; }`: what is called comes from a getter that has something else where there is nothing.
    fn has_default(&self) -> bool {
        let program = self.flow.program;
        let (class, name) = match self.body.node(self.called) {
            Node::Member { object, name, .. } => (self.flow.type_of_node(self.site.member, object).own(), name),
            Node::Name(name) => (Some(program.member(self.site.member).owner), name),
            _ => return false,
        };
        let named = class.map(|t| program.find_members(t, program.sym_in(self.site.member, name))).unwrap_or_default();
        let is_getter = |m: &MemberId| program.member(*m).kind == MemberKind::Accessor(AccessorKind::Get);
        named.into_iter().filter(is_getter).any(|getter| {
            let Some(body) = program.body(getter) else { return false };
            returned(program, getter, None).into_iter().any(|node| match body.node(node) {
                Node::Binary { op: BinaryOp::Or | BinaryOp::Coalesce, right, .. } => body.node(right) != Node::Null,
                _ => false,
            })
        })
    }

    /// The member that holds what is called.
    fn slot(&self) -> Option<MemberId> {
        match self.value {
            Val::Member(_, m) | Val::Static(m) => Some(*m),
            _ => None,
        }
    }

    /// Whether an expression of another method names that member.
    fn is_named_in(&self, method: MemberId, node: NodeId) -> bool {
        matches!(self.flow.eval_in(method, node), Val::Member(_, m) | Val::Static(m) if Some(m) == self.slot())
    }

    /// Whether what is called comes from a method that fills the channel first where it is empty.
    fn is_filled_by_getter(&self) -> bool {
        let (program, flow) = (self.flow.program, self.flow);
        let asked = self.said_by(self.called).unwrap_or(self.called);
        let Some(getter) = flow.callee(Site { member: self.site.member, node: asked }).map(|c| c.member) else { return false };
        let Some(body) = program.body(getter) else { return false };
        let is_it = |node: NodeId| self.is_named_in(getter, node);
        let fills = |node: NodeId| match body.node(node) {
            Node::Assign { target, value, .. } => is_it(target) && !matches!(body.node(value), Node::Null | Node::Name(_)),
            _ => false,
        };
        body.ids().any(|n| match body.node(n) {
            Node::If { cond, then, .. } => {
                let asks = matches!(body.node(cond), Node::Binary { op: BinaryOp::Eq, left, right } if is_it(left) || is_it(right));
                asks && body.children(then).into_iter().chain([then]).any(fills)
            }
            _ => false,
        })
    }

    /// `a?.b.c()`: an optional step anywhere before covers the call.
    fn chain_is_optional(&self, mut node: NodeId) -> bool {
        loop {
            node = match self.body.node(node) {
                Node::Member { optional: true, .. } | Node::Index { optional: true, .. } | Node::Call { optional: true, .. } => {
                    return true;
                }
                Node::Member { object, .. } | Node::Index { object, .. } => object,
                Node::Call { callee, .. } => callee,
                // a field of another object that the author vouches for
                Node::Unary { op: UnaryOp::NonNull, operand } => {
                    let of_another =
                        matches!(self.body.node(operand), Node::Member { object, .. } if !matches!(self.body.node(object), Node::This));
                    return of_another;
                }
                _ => return false,
            };
        }
    }

    /// Whether the channel has a first value that is not empty, and is never emptied.
    fn never_empty(&self) -> bool {
        let program = self.flow.program;
        let (Val::Member(_, m) | Val::Static(m)) = self.value else {
            // elements are called because they are there; parameters are the caller's duty
            return matches!(self.value, Val::Element(..)) && !self.is_lookup();
        };
        let info = program.member(*m);
        let decl = program.decl(*m);
        let unit = program.unit(info.unit);
        // a function that is declared as one; what a container fills; what whoever makes the object has to give it
        let is_filled = program.is_annotated(*m, &program.kit(info.unit).pack.filled_annotations);
        let may_lack = decl.modifiers.is_optional || decl.ty.is_none_or(|t| matches!(unit.type_ref(t), TypeRef::Nullable(_)));
        let is_required = program.ty(info.owner).kind == TypeKind::Interface && info.kind == MemberKind::Property && !may_lack;
        if info.kind == MemberKind::Method || is_filled || is_required {
            return true;
        }
        if matches!(info.kind, MemberKind::Event | MemberKind::Field | MemberKind::Property) {
            let has_first = self.flow.definitions(*m).iter().any(|s| is_first_value(program, *m, *s) && !self.is_null(*s));
            let in_constructor = self.flow.definitions(*m).iter().any(|s| {
                program.member(s.member).kind == MemberKind::Constructor
                    && program.member(s.member).owner == info.owner
                    && !self.is_null(*s)
            });
            let cleared = self.flow.definitions(*m).iter().any(|s| s.member != *m && self.is_null(*s));
            let constructors =
                program.ty(info.owner).members.iter().filter(|c| program.member(**c).kind == MemberKind::Constructor).count();
            return !cleared && (has_first || (in_constructor && constructors == 1));
        }
        false
    }

    fn is_null(&self, site: Site) -> bool {
        let program = self.flow.program;
        program.body(site.member).is_none_or(|b| match b.node(site.node) {
            Node::Null | Node::Unary { op: UnaryOp::NonNull, .. } => true,
            // an object for a function that is made without one
            Node::New { args, .. } => {
                args.len == 0 && program.is_callable(program.member(site.member).unit, &self.flow.type_of_node(site.member, site.node))
            }
            _ => false,
        })
    }

    /// Whether the element comes from a look-up by key, which may find nothing.
    fn is_lookup(&self) -> bool {
        matches!(self.value, Val::Element(_, Some(_)))
    }

    /// Whether a test around or before the call asks for the same channel.
    fn covered(&self) -> bool {
        let scope = self.flow.program.scope(self.site.member);
        let mut below = self.site.node;
        for around in scope.ancestors(self.site.node) {
            match self.body.node(around) {
                Node::If { cond, then, other } => {
                    if then == below && self.asks(cond, true) {
                        return true;
                    }
                    if other == Some(below) && self.asks(cond, false) {
                        return true;
                    }
                }
                Node::Loop { head, body, .. } => {
                    let cond = self.body.list(head).get(1).copied();
                    if body == below && cond.is_some_and(|c| self.asks(c, true)) {
                        return true;
                    }
                }
                Node::Conditional { cond, then, other }
                    if ((then == below && self.asks(cond, true)) || (other == below && self.asks(cond, false))) =>
                {
                    return true;
                }
                Node::Binary { op: BinaryOp::And, left, right } if right == below && self.asks(left, true) => {
                    return true;
                }
                Node::Binary { op: BinaryOp::Or, left, right } if right == below && self.asks(left, false) => {
                    return true;
                }
                Node::Block(list) | Node::Opaque(list) => {
                    for &earlier in self.body.list(list).iter().take_while(|n| **n != below) {
                        if self.exits_unless_set(earlier) {
                            return true;
                        }
                    }
                }
                Node::Try { body, catches, .. }
                    if body == below && catches.len > 0
                    // whoever catches everything has seen to it; a narrow handler has not
                    && self.body.list(catches).iter().any(|c| matches!(self.body.node(*c), Node::Catch { var: None, .. })) =>
                {
                    return true;
                }
                _ => {}
            }
            below = around;
        }
        self.around().is_some_and(|around| around.covered())
    }

    /// `if (E == null) return;`, also with more around it, or `E ??= …`
    fn exits_unless_set(&self, node: NodeId) -> bool {
        match self.body.node(node) {
            Node::If { cond, then, .. } => self.asks(cond, false) && self.body.leaves(then),
            // `Error* error = find(baton, &desk); if (error) return error;`, `MUST(find(baton, &desk));`
            Node::Local { .. } if self.is_checked_within(node) => true,
            Node::Assign { op: yarrowgraph_ir::AssignOp::IfUnset, target, .. } => self.is_same(target),
            Node::Assign { op: yarrowgraph_ir::AssignOp::Set, target, value } => {
                self.is_same(target) && !matches!(self.body.node(value), Node::Null) && !self.is_unsaid(value)
            }
            Node::Call { callee, args, .. } => {
                // `Objects.requireNonNull(E)`, `ArgumentNullException.ThrowIfNull(E)`
                let named = matches!(self.body.node(callee), Node::Member { name, .. }
                    if matches!(self.flow.program.unit_of(self.site.member).text(name), "requireNonNull" | "ThrowIfNull"));
                named && self.body.list(args).first().is_some_and(|a| self.is_same(*a)) || self.is_checked_within(node)
            }
            _ => false,
        }
    }

    /// Whether a way is left upon the answer of a function that refuses where the channel is not set, or a macro is handed that answer.
    fn is_checked_within(&self, statement: NodeId) -> bool {
        let is_checked = |node: NodeId| matches!(self.body.node(node), Node::Call { .. }) && self.is_checked_by(node);
        let scope = self.flow.program.scope(self.site.member);
        match self.body.node(statement) {
            Node::Local { name, init: Some(init), .. } => {
                let is_it = |n: NodeId| self.body.node(n) == Node::Name(name) && scope.names(self.body, n, statement);
                let leaves = |n: NodeId| match self.body.node(n) {
                    Node::If { cond, then, .. } => crate::state::any_within(self.body, cond, &is_it) && self.body.leaves(then),
                    _ => false,
                };
                is_checked(init) && self.body.ids().any(|n| scope.is_before(n, self.site.node) && leaves(n))
            }
            Node::Call { args, .. } => {
                let callee = self.flow.callee(Site { member: self.site.member, node: statement });
                callee.is_none() && self.body.list(args).iter().any(|a| is_checked(*a))
            }
            _ => false,
        }
    }

    fn is_checked_by(&self, call: NodeId) -> bool {
        let program = self.flow.program;
        if self.slot().is_none() {
            return false;
        }
        let Some(checker) = self.flow.callee(Site { member: self.site.member, node: call }).map(|c| c.member) else { return false };
        let Some(body) = program.body(checker) else { return false };
        let is_it = |node: NodeId| self.is_named_in(checker, node);
        let asks = |cond: NodeId| match body.node(cond) {
            Node::Binary { op: BinaryOp::Eq, left, right } => {
                is_it(left) && body.node(right) == Node::Null || is_it(right) && body.node(left) == Node::Null
            }
            Node::Unary { op: UnaryOp::Not, operand } => is_it(operand),
            _ => false,
        };
        body.ids().any(|n| matches!(body.node(n), Node::If { cond, then, .. } if asks(cond) && body.leaves(then)))
    }

    /// Whether a name is that of a variable, of which it is not said whether it holds anything; what a caller hands in is his to answer for.
    fn is_unsaid(&self, value: NodeId) -> bool {
        let Node::Name(name) = self.body.node(value) else { return false };
        let is_handed_in = || matches!(self.flow.program.scope(self.site.member).lookup(name, value), Some(Declared::Param(..)));
        !self.counts_given || !is_handed_in()
    }

    /// Whether a condition, when it holds (or when it does not), says that the channel is set.
    fn asks(&self, cond: NodeId, holds: bool) -> bool {
        match self.body.node(cond) {
            Node::Binary { op: BinaryOp::And, left, right } if holds => self.asks(left, true) || self.asks(right, true),
            Node::Binary { op: BinaryOp::Or, left, right } if !holds => self.asks(left, false) || self.asks(right, false),
            Node::Binary { op: BinaryOp::Ne, left, right } if holds => self.against_null(left, right),
            Node::Binary { op: BinaryOp::Eq, left, right } if !holds => self.against_null(left, right),
            // `typeof f === "function"`
            Node::Binary { op: BinaryOp::Eq, left, right } if holds => self.asks_kind(left, right),
            Node::Binary { op: BinaryOp::Ne, left, right } => self.asks_kind(left, right),
            Node::Unary { op: UnaryOp::Not, operand } => self.asks(operand, !holds),
            Node::TypeTest { object, binding, .. } if holds => self.is_same(object) || binding.is_some_and(|b| self.binds_called(b)),
            // a getter of the channel gives it
            Node::Call { .. } if holds && self.is_same(cond) => true,
            Node::Call { args, .. } if args.len == 0 && self.asks_by_method(cond, holds) => true,
            Node::Call { callee, args, .. } if holds => self.asks_by_call(callee, self.body.list(args)),
            Node::Assign { value, target, .. } if holds => self.is_same(value) || self.is_same(target),
            Node::Member { .. } if self.asks_by_getter(cond, holds) => true,
            // `boolean heard = listener != null; … if (heard) …`
            Node::Name(_) if self.said_by(cond).is_some_and(|said| self.asks(said, holds)) => true,
            Node::Binary { op: BinaryOp::Lt | BinaryOp::Gt, left, right } if holds => {
                [left, right].into_iter().any(|n| self.counts_if_set(n))
            }
            Node::Name(_) | Node::Member { .. } | Node::Index { .. } | Node::Local { .. } if holds => self.is_same(cond),
            _ => false,
        }
    }

    /// The test that a local which is given one value was made by.
    fn said_by(&self, name: NodeId) -> Option<NodeId> {
        let Node::Name(text) = self.body.node(name) else { return None };
        let scope = self.flow.program.scope(self.site.member);
        let Some(Declared::Local(local)) = scope.lookup(text, name) else { return None };
        let Node::Local { init: Some(init), .. } = self.body.node(local) else { return None };
        (!scope.is_set_again(self.body, local)).then_some(init)
    }

    /// `int many = listener == null ? 0 : listener.count();`
    fn counts_if_set(&self, name: NodeId) -> bool {
        let none =
            |n: NodeId| matches!(self.body.node(n), Node::Num(number) if self.flow.program.unit_of(self.site.member).text(number) == "0");
        match self.said_by(name).map(|said| self.body.node(said)) {
            Some(Node::Conditional { cond, then, other }) => {
                (none(then) && self.asks(cond, false)) || (none(other) && self.asks(cond, true))
            }
            _ => false,
        }
    }

    /// `this.hasNext`, which gives back `this.next !== undefined`
    fn asks_by_getter(&self, cond: NodeId, holds: bool) -> bool {
        let program = self.flow.program;
        let Node::Member { object, name, .. } = self.body.node(cond) else { return false };
        let (Node::This, Val::Member(of, _)) = (self.body.node(object), self.value) else { return false };
        if !matches!(**of, Val::This(_)) {
            return false;
        }
        let class = program.member(self.site.member).owner;
        let name = program.sym_in(self.site.member, name);
        let mut getter = None;
        program.for_each_base(class, &mut |t| {
            let own = program.own_members(t, name).iter().copied();
            getter = own.into_iter().find(|x| program.member(*x).kind == MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get));
            getter.is_none()
        });
        getter.is_some_and(|getter| self.says_whether_set(getter, holds))
    }

    /// `isManned()`, which gives back `listener != null`
    fn asks_by_method(&self, cond: NodeId, holds: bool) -> bool {
        let Val::Member(of, _) = self.value else { return false };
        let asked = self.flow.callee(Site { member: self.site.member, node: cond });
        asked.is_some_and(|c| c.receiver.as_ref() == Some(&**of) && self.says_whether_set(c.member, holds))
    }

    /// Whether all that a method of the channel's object does is to say whether the channel is set, or whether it is not.
    fn says_whether_set(&self, method: MemberId, holds: bool) -> bool {
        let program = self.flow.program;
        let Some(body) = program.body(method) else { return false };
        let Some(returned) = body.root.and_then(|r| crate::flow::only_return(body, r).or(Some(r))) else { return false };
        let Node::Binary { op, left, right } = body.node(returned) else { return false };
        let is_nothing = |n: NodeId| match body.node(n) {
            Node::Null => true,
            Node::Name(name) => program.unit_of(method).text(name) == "undefined",
            _ => false,
        };
        let is_field = |n: NodeId| self.is_named_in(method, n);
        let asks = (is_nothing(left) && is_field(right)) || (is_nothing(right) && is_field(left));
        asks && match op {
            BinaryOp::Ne => holds,
            BinaryOp::Eq => !holds,
            _ => false,
        }
    }

    /// `table.TryGetValue(key, out var handler)`, `table.containsKey(key)`, `isFunction(f)`
    fn asks_by_call(&self, callee: NodeId, args: &[NodeId]) -> bool {
        if args.iter().any(|a| self.is_same(*a)) {
            return true;
        }
        for &arg in args {
            let local = match self.body.node(arg) {
                Node::Unary { op: UnaryOp::ByRef, operand } => operand,
                _ => arg,
            };
            if self.binds_called(local) || self.is_same(local) {
                return true;
            }
        }
        match self.body.node(callee) {
            Node::Member { object, name, .. } => {
                let text = self.flow.program.unit_of(self.site.member).text(name);
                let asks = matches!(text, "containsKey" | "ContainsKey" | "has" | "isPresent" | "Contains" | "contains");
                asks && match self.value {
                    Val::Element(of, _) => self.flow.eval_in(self.site.member, object) == **of,
                    _ => self.is_same(object),
                }
            }
            _ => false,
        }
    }

    fn against_null(&self, left: NodeId, right: NodeId) -> bool {
        let unit = self.flow.program.unit_of(self.site.member);
        let by_number = self.flow.program.kit_of(self.site.member).traits.references_dangle;
        let null = |n| match self.body.node(n) {
            Node::Null => true,
            // `if (handler == 0)`
            Node::Num(number) => by_number && unit.text(number) == "0",
            _ => false,
        };
        (null(right) && self.is_same_or_assigned(left)) || (null(left) && self.is_same_or_assigned(right)) || self.asks_kind(left, right)
    }

    /// Whether one side is the kind that the channel's value has.
    fn asks_kind(&self, left: NodeId, right: NodeId) -> bool {
        [left, right].into_iter().any(|n| match self.body.node(n) {
            Node::Unary { op: UnaryOp::TypeOf, operand } => self.is_same(operand),
            _ => false,
        })
    }

    fn is_same_or_assigned(&self, node: NodeId) -> bool {
        match self.body.node(node) {
            Node::Assign { target, value, .. } => self.is_same(value) || self.is_same(target),
            _ => self.is_same(node),
        }
    }

    /// Whether a node is the channel that is called, or the local copy that is.
    fn is_same(&self, node: NodeId) -> bool {
        if let (Some(a), Node::Name(b)) = (self.name, self.body.node(node)) {
            let scope = self.flow.program.scope(self.site.member);
            if a == b && scope.lookup(a, self.called) == scope.lookup(b, node) {
                return true;
            }
        }
        let value = self.flow.eval_in(self.site.member, node);
        value == *self.value && !matches!(value, Val::Unknown | Val::Data | Val::Call(_))
    }

    /// Whether a local declared by a test is the one that is called.
    fn binds_called(&self, local: NodeId) -> bool {
        let scope = self.flow.program.scope(self.site.member);
        self.name.is_some_and(|name| scope.lookup(name, self.called) == Some(Declared::Local(local)))
    }
}
