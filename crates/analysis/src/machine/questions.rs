//! Whether any code can tell which of its states a machine is in, before ways are walked at length.

use std::collections::BTreeSet;

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{BinaryOp, Body, MemberKind, Node, NodeId, TypeRefId};

use super::domain::{Domain, Encoding};
use super::state::{self, State};
use super::{Machine, stores};
use crate::flow::{Flow, Val, returned};
use crate::program::{Declared, Kinds, MemberId, Program, Site, TypeId};
use crate::state::any_within;

/// What is read is handed on by so many methods that give it back.
const HOPS: usize = 3;

/// Whether something may ask what a field holds, or objects that it holds may move it themselves. What is only handed in,
/// kept and called is no state.
pub(super) fn may_be_asked(
    flow: &Flow<'_>,
    machine: &Machine,
    field: MemberId,
    domain: &Domain,
    movers: &FxHashSet<MemberId>,
    family: &dyn Fn(TypeId) -> bool,
    let_go: &dyn Fn() -> bool,
) -> bool {
    let program = flow.program;
    let kept = || stores::later(flow, field).any(|d| comes_of_call(flow, *d, movers, HOPS));
    match domain.encoding {
        Encoding::Variant | Encoding::Functions | Encoding::Kin => return true,
        _ if machine.tag.is_some() => return true,
        Encoding::Objects(base) | Encoding::Alternatives(base) => {
            let is_state = |t: TypeId| domain.has_class(program, t);
            let of_states = |t: TypeId| is_state(t) || flow.enclosing_type(t).is_some_and(is_state);
            let answers = || program.heirs(base).into_iter().any(|class| answers_with_state(flow, class, base));
            if movers.iter().any(|m| of_states(program.member(*m).owner)) || answers() && (kept() || let_go()) {
                return true;
            }
        }
        Encoding::Values => {
            let classes: FxHashSet<TypeId> = domain.states.iter().filter_map(|s| constant_class(flow, *s)).collect();
            let of_states = |m: MemberId| domain.states.contains(&State::Constant(m)) || classes.contains(&program.member(m).owner);
            if movers.iter().any(|m| of_states(*m)) || kept() || let_go() {
                return true;
            }
        }
        // constants with code of their own, or of their type, that says which comes next
        Encoding::Enumeration(ty) => {
            let answers = || program.heirs(ty).into_iter().any(|class| answers_with_state(flow, class, ty));
            if answers() && (kept() || let_go()) {
                return true;
            }
        }
        Encoding::Text | Encoding::Constants => {}
    }
    let near = |m: MemberId| movers.contains(&m) || family(program.member(m).owner);
    Asking::of(flow, field, &near).is_some_and(|asking| asking.members().into_iter().any(|m| asking.can_tell(m, domain)))
}

/// The class of the object that a constant holds.
fn constant_class(flow: &Flow<'_>, state: State) -> Option<TypeId> {
    if let State::Constant(m) = state { flow.type_held(m).own() } else { None }
}

/// Whether a method of a class may give back one of the objects that have a base in common.
fn answers_with_state(flow: &Flow<'_>, class: TypeId, base: TypeId) -> bool {
    let program = flow.program;
    let related = |t: TypeId| program.are_kin(t, base);
    program.ty(class).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::Method).any(|m| {
        match program.decl(m).ty.and_then(|ty| program.type_in(m, ty).own()) {
            Some(ty) => related(ty),
            None => returned(program, m, None).into_iter().any(|node| {
                flow.type_of_node(m, node).own().is_some_and(related)
                    || matches!(state::named(flow, m, node), Some(State::Class(t)) if related(t))
            }),
        }
    })
}

/// Whether what is stored may be what a call gives back.
fn comes_of_call(flow: &Flow<'_>, site: Site, movers: &FxHashSet<MemberId>, hops: usize) -> bool {
    let Some(hops) = hops.checked_sub(1) else { return true };
    let Some(body) = flow.program.body(site.member) else { return true };
    if any_within(body, site.node, &|n| matches!(body.node(n), Node::Call { .. })) {
        return true;
    }
    match flow.eval(site) {
        Val::Param(m, None, index) => {
            let calls = flow.call_sites(m).iter().filter(|call| movers.contains(&call.member));
            let mut given = calls.filter_map(|call| flow.argument(*call, usize::from(index)));
            given.any(|g| comes_of_call(flow, g, movers, hops))
        }
        Val::Call(_) | Val::Local(_) | Val::Unknown | Val::Bound(..) => true,
        _ => false,
    }
}

/// The members that may ask what a field holds.
struct Asking<'f, 'p> {
    flow: &'f Flow<'p>,
    field: MemberId,
    /// Those that read it, or ask one that gives it back.
    readers: FxHashSet<MemberId>,
    /// Those that give back what they read.
    getters: FxHashSet<MemberId>,
    /// Those that are handed it, by which parameter.
    handed: FxHashSet<(MemberId, u16)>,
}

impl<'f, 'p> Asking<'f, 'p> {
    /// None where nobody near reads it.
    fn of(flow: &'f Flow<'p>, field: MemberId, near: &dyn Fn(MemberId) -> bool) -> Option<Self> {
        let program = flow.program;
        let mut asking = Self { flow, field, readers: FxHashSet::default(), getters: FxHashSet::default(), handed: FxHashSet::default() };
        let mut fresh: Vec<Site> = program.index.reads(program.member(field).name).iter().copied().filter(|s| near(s.member)).collect();
        let mut handed = Vec::new();
        for _ in 0..HOPS {
            let mut given_back = Vec::new();
            for site in fresh {
                asking.readers.insert(site.member);
                let Some(body) = program.body(site.member) else { continue };
                handed.extend(handed_at(flow, site));
                let around = program.scope(site.member).parent(site.node).map(|p| body.node(p));
                if matches!(around, None | Some(Node::Return(_))) && asking.getters.insert(site.member) {
                    given_back.push(site.member);
                }
            }
            fresh = given_back.into_iter().flat_map(|m| uses_of(flow, m)).filter(|s| near(s.member)).collect();
        }
        for _ in 0..HOPS {
            handed.retain(|to| asking.handed.insert(*to));
            handed = handed.into_iter().flat_map(|(m, index)| handed_on(flow, m, index)).collect();
        }
        (!asking.readers.is_empty()).then_some(asking)
    }

    fn members(&self) -> BTreeSet<MemberId> {
        self.readers.iter().copied().chain(self.handed.iter().map(|(m, _)| *m)).collect()
    }

    /// Whether something in a member can tell one state from another.
    fn can_tell(&self, member: MemberId, domain: &Domain) -> bool {
        let (flow, program) = (self.flow, self.flow.program);
        let Some(body) = program.body_with(member, tell()) else { return false };
        let held = |n: NodeId| self.may_be_held(member, body, n);
        let base = match domain.encoding {
            Encoding::Objects(base) | Encoding::Alternatives(base) => Some(base),
            _ => None,
        };
        let is_state = |n: NodeId| match base {
            None => is_value(body, n),
            // a part of the row of a table
            Some(_) if matches!(flow.eval_in(member, n), Val::Member(of, m) if m != self.field && !matches!(*of, Val::This(_))) => true,
            Some(_) => state::named(flow, member, n).is_some(),
        };
        let is_kind = |ty: Option<TypeRefId>| match (base, ty.map(|t| program.type_in(member, t).own())) {
            (Some(base), Some(Some(t))) => program.are_kin(t, base),
            (Some(_), Some(None)) => false,
            _ => true,
        };
        // what an object says of itself: `state.kind() == Kind.OPEN`
        let said = |n: NodeId| match body.node(n) {
            Node::Call { callee, .. } => matches!(body.node(callee), Node::Member { object, .. } if held(object)),
            _ => false,
        };
        let is_about = |n: NodeId, other: NodeId| held(n) && is_state(other) || said(n) && is_value(body, other);
        let tells = |n: NodeId| match body.node(n) {
            Node::TypeTest { object, ty, .. } => is_kind(ty) && held(object),
            Node::Switch { subject: Some(subject), .. } => any_within(body, subject, &held) || said(subject),
            Node::Switch { subject: None, .. } | Node::Pattern { .. } => true,
            Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => is_about(left, right) || is_about(right, left),
            Node::Index { keys, .. } => base.is_none() && body.list(keys).iter().any(|k| any_within(body, *k, &held)),
            Node::Call { callee, args, .. } => {
                let args = body.list(args);
                let on = match body.node(callee) {
                    Node::Member { object, .. } => Some(object),
                    _ => None,
                };
                let among = || args.iter().copied().chain(on);
                let compared = || among().any(|n| any_within(body, n, &held)) && (base.is_none() || among().any(is_state));
                compares(program, member, body, callee) && compared() || has_function(body, args) && among().any(held)
            }
            _ => false,
        };
        body.ids().any(tells)
    }

    /// Whether an expression may come to what the field holds.
    fn may_be_held(&self, member: MemberId, body: &Body, node: NodeId) -> bool {
        if !is_value(body, node) {
            return false;
        }
        match self.flow.eval_in(member, node) {
            Val::Member(_, m) | Val::Static(m) => m == self.field || self.getters.contains(&m),
            Val::Param(m, None, index) => self.handed.contains(&(m, index)),
            Val::Call(call) => self.flow.callee(call).is_some_and(|c| self.getters.contains(&c.member)),
            Val::Local(_) | Val::Unknown | Val::Element(..) | Val::Param(..) => true,
            _ => false,
        }
    }
}

/// What code that can tell values apart is made of.
fn tell() -> Kinds {
    Kinds::COMPARISON | Kinds::SWITCH | Kinds::CALL | Kinds::INDEX | Kinds::PATTERN
}

/// The method that is handed an expression, and as which parameter.
fn handed_at(flow: &Flow<'_>, site: Site) -> Option<(MemberId, u16)> {
    let program = flow.program;
    let body = program.body(site.member)?;
    let scope = program.scope(site.member);
    let around = scope.parent(site.node)?;
    let callee = |call: NodeId| flow.callee(Site { member: site.member, node: call });
    match body.node(around) {
        Node::Call { args, .. } | Node::New { args, .. } => {
            let index = body.list(args).iter().position(|a| *a == site.node)?;
            let callee = callee(around)?;
            Some((callee.member, index as u16 + u16::from(callee.extension)))
        }
        // an extension of its type is handed what it is called on
        Node::Member { object, .. } if object == site.node => {
            let call = scope.parent(around)?;
            callee(call).filter(|c| c.extension).map(|c| (c.member, 0))
        }
        _ => None,
    }
}

/// Where a method hands on what it is given.
fn handed_on(flow: &Flow<'_>, member: MemberId, index: u16) -> Vec<(MemberId, u16)> {
    let Some(body) = flow.program.body_with(member, Kinds::CALL | Kinds::NEW) else { return Vec::new() };
    let scope = flow.program.scope(member);
    let is_it = |n: &NodeId| matches!(body.node(*n), Node::Name(name) if scope.lookup(name, *n) == Some(Declared::Param(None, index)));
    body.ids().filter(is_it).filter_map(|node| handed_at(flow, Site { member, node })).collect()
}

/// Where a method is called, or a property read.
fn uses_of(flow: &Flow<'_>, member: MemberId) -> Vec<Site> {
    let program = flow.program;
    match program.member(member).kind {
        MemberKind::Accessor(_) | MemberKind::Property | MemberKind::Field => program.index.reads(program.member(member).name).to_vec(),
        _ => flow.call_sites(member).to_vec(),
    }
}

/// Whether something in a member can tell by its value what a parameter is handed. Its type is no use: many objects have one.
pub(super) fn tells_apart(flow: &Flow<'_>, member: MemberId, param: u16) -> bool {
    let program = flow.program;
    let Some(body) = program.body_with(member, tell()) else { return false };
    let is_it = |n: NodeId| {
        matches!(body.node(n), Node::Name(_))
            && matches!(flow.eval_in(member, n), Val::Param(m, None, index) if m == member && index == param)
    };
    let of_it = |n: &NodeId| any_within(body, *n, &is_it);
    body.ids().any(|n| match body.node(n) {
        Node::Switch { subject: Some(subject), .. } => of_it(&subject),
        Node::Switch { subject: None, .. } => of_it(&n),
        Node::Pattern { .. } => true,
        Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => {
            is_value(body, left) && is_value(body, right) && (of_it(&left) || of_it(&right))
        }
        Node::Index { keys, .. } => body.list(keys).iter().any(of_it),
        Node::Call { callee, args, .. } => {
            let args = body.list(args);
            compares(program, member, body, callee) && args.iter().any(|a| is_value(body, *a)) && of_it(&n) || has_function(body, args)
        }
        _ => false,
    })
}

fn is_value(body: &Body, node: NodeId) -> bool {
    !matches!(body.node(node), Node::Null | Node::Bool(_) | Node::Plain)
}

/// Whether functions are among what is handed over, by themselves or put together.
fn has_function(body: &Body, args: &[NodeId]) -> bool {
    let is_function = |n: &NodeId| matches!(body.node(*n), Node::Lambda(_));
    args.iter().any(|a| match body.node(*a) {
        Node::Call { args, .. } => body.list(args).iter().any(is_function),
        Node::New { args, init, .. } => {
            body.list(args).iter().any(is_function) || init.is_some_and(|i| body.children(i).iter().any(is_function))
        }
        _ => is_function(a),
    })
}

/// Whether what is called compares values, or looks one up.
fn compares(program: &Program, member: MemberId, body: &Body, callee: NodeId) -> bool {
    let pack = &program.kit_of(member).pack;
    match body.node(callee) {
        Node::Name(name) | Node::Member { name, .. } => {
            let text = program.unit_of(member).text(name);
            [&pack.equality, &pack.membership, &pack.elements, &pack.out_lookups].into_iter().any(|names| names.contains(text))
        }
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    /// The holders of the machines of a text.
    fn machines(text: &str) -> Vec<String> {
        map(text).machines.into_iter().map(|m| m.id).collect()
    }

    #[test]
    fn what_is_handed_in_and_called_is_none() {
        let text = r#"
//// locks.ts
interface Winch { pull(): void }
class HandWinch implements Winch { pull() { console.log('by hand'); } }
class SteamWinch implements Winch { pull() { console.log('by steam'); } }
export class Boom {
  private winch: Winch = new HandWinch();
  refit(winch: Winch) { if (winch === null) { throw new Error('none'); } this.winch = winch; }
  modernise() { this.refit(new SteamWinch()); }
  raise() { this.winch.pull(); }
}
const boom = new Boom();
boom.raise();
boom.modernise();
boom.raise();
"#;
        assert_eq!(machines(text), Vec::<String>::new());
    }

    #[test]
    fn each_way_to_ask_is_one() {
        let text = r#"
//// sluice.ts
interface Board { wind(s: Sluice): void; kind(): string }
class Down implements Board { wind(s: Sluice) { s.board = new Up(); } kind() { return 'down'; } }
class Up implements Board { wind(s: Sluice) { s.board = new Down(); } kind() { return 'up'; } }
export class Sluice {
  board: Board = new Down();
  turn() { this.board.wind(this); }
}
//// vane.ts
interface Way { next(): Way }
class North implements Way { next() { return new South(); } }
class South implements Way { next() { return new North(); } }
export class Vane {
  private way: Way = new North();
  turn() { this.way = this.way.next(); }
}
//// lamp.ts
abstract class Light { }
class Lit extends Light { }
class Dark extends Light { }
export class Lamp {
  private light: Light = new Dark();
  press() { if (this.light instanceof Dark) { this.light = new Lit(); } else { this.light = new Dark(); } }
}
//// valve.ts
enum Set { Shut, Ajar, Open }
const after = { [Set.Shut]: Set.Ajar, [Set.Ajar]: Set.Open, [Set.Open]: Set.Shut };
export class Valve {
  private set = Set.Shut;
  private get where() { return this.set; }
  turn() { this.set = after[this.set]; }
  slam() { if (this.where === Set.Open) { this.set = Set.Shut; } }
}
"#;
        assert_eq!(machines(text), ["lamp.Lamp.light", "sluice.Sluice.board", "valve.Valve.set", "vane.Vane.way"]);
    }
}
