//! Rule `missing-initial-state`: a machine can be asked before it is in any state.

use std::collections::BTreeSet;

use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::chain::behaviour::method_call_of;
use crate::flow::{Val, object_of};
use crate::machine::{Encoding, Found, Holder};
use crate::program::{MemberId, Program, Site, TypeId};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "missing-initial-state",
    summary: "a machine can be asked before it is in any state",
    level: Level::Warning,
    page: Page {
        symptom: "The first call crashes, or does nothing: there is no state to ask.",
        cause: "The state is set by a method that need not have run before the others.",
        cure: "Give the field a first value, in its declaration or in the constructor.",
        silent: "A constructor or the declaration sets the state, callers set it right after they make the object, or what asks tests whether there is one.",
        accept: "A framework sets it before anybody can ask.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for machine in wiring.machines() {
        let Holder::Field(field) = machine.machine.holder else { continue };
        if !machine.moves
            || machine.starts
            || !machine.initial.is_empty()
            || program.member(field).is_static
            || begins_with_no(wiring, field)
            || is_given_something(wiring, field)
        {
            continue;
        }
        // who is asked must be there
        let delegations = machine.delegations.iter().map(|(site, _)| *site).chain(calls_of_state(wiring, machine, field));
        let delegations = delegations.filter(|site| !is_careful(wiring, field, *site) && !is_fetched(wiring, field, *site));
        // a choice by a constant that is not there fails as well
        let owner = program.member(field).owner;
        let first = first_called(wiring, machine, owner);
        let choices = machine.labels.iter().map(|(site, _)| *site);
        let choices = choices.filter(|site| first.contains(&Some(site.member)) && is_choice(wiring, machine, *site));
        let is_set_before = |ask: &Site| {
            let scope = program.scope(ask.member);
            machine.transitions.iter().any(|t| t.site.member == ask.member && scope.is_before(t.site.node, ask.node))
        };
        let mut asks: Vec<Site> = delegations.chain(choices).filter(|ask| !is_set_before(ask)).collect();
        // what a part is asked elsewhere it is handed from here
        if asks.iter().all(|ask| !program.are_kin(program.member(ask.member).owner, owner)) {
            asks.clear();
        }
        // where every way asks for a state first, it never comes to be in one
        if asks.is_empty() && never_moves(wiring, machine, field) {
            asks.extend(machine.transitions.iter().map(|t| t.site));
        }
        if asks.is_empty() || is_set_by_makers(wiring, machine, &first) || is_given_in_order(wiring, field) {
            continue;
        }
        let setters: BTreeSet<MemberId> = machine.transitions.iter().filter(|t| t.from.is_none()).map(|t| t.root).collect();
        let is_function = matches!(machine.domain.encoding, Encoding::Functions);
        // it comes to be in one from being in none
        if setters.is_empty() && (is_asked_for_none(wiring, field) || is_function && is_handed_in(wiring, field)) {
            continue;
        }
        let setter = setters.iter().next().map(|m| short(&program.member_id(*m)));
        let holder = program.member_id(field);
        let only = setter.map_or_else(|| "nothing sets it".to_owned(), |s| format!("only {s} sets it"));
        found.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place: program.member_place(field),
            message: format!("{} has no state at first: {only}, and it is asked all the same", short(&holder)),
            related: asks.iter().take(3).map(|s| related("asks it", program.place_of(*s))).collect(),
            parties: vec![holder],
            edit: None,
        });
    }
    found
}

/// Where the function is called that is the state, or a method of the constant that is, where constants are objects.
fn calls_of_state(wiring: &Wiring<'_>, machine: &Found, field: MemberId) -> Vec<Site> {
    let program = wiring.program();
    let is_it = |of: &Val, m: MemberId| m == field && matches!(of, Val::This(_));
    match machine.domain.encoding {
        Encoding::Functions => {}
        // where constants are plain values they have no methods, and are copied by what looks like one
        Encoding::Enumeration(_) if !program.kit_of(field).traits.references_dangle => {
            let call_on = |read: &Site| {
                let (body, scope) = (program.body(read.member)?, program.scope(read.member));
                let (call, _) = method_call_of(body, scope, read.node)?;
                matches!(wiring.flow.eval(*read), Val::Member(of, m) if is_it(&of, m)).then_some(Site { node: call, ..*read })
            };
            return program.reads_in_class(field).filter_map(call_on).collect();
        }
        _ => return Vec::new(),
    }
    let calls_it = |call: &&Site| {
        let called = program.body(call.member).and_then(|body| match body.node(call.node) {
            Node::Call { callee, .. } => Some(wiring.flow.eval_in(call.member, callee)),
            _ => None,
        });
        matches!(called, Some(Val::Member(of, m)) if is_it(&of, m))
    };
    program.index.calls(program.member(field).name).iter().filter(calls_it).copied().collect()
}

/// Whether a constructor gives a field what a call gives that is not understood, or the field is part of a record that no code of its
/// own makes.
fn is_given_something(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(field);
    let is_made = |d: &Site| {
        let is_call = matches!(program.body(d.member).map(|body| body.node(d.node)), Some(Node::Call { .. }));
        is_call && program.member(d.member).kind == MemberKind::Constructor
    };
    wiring.flow.definitions(field).iter().any(is_made)
        || program.kit(info.unit).traits.open_names && !program.has_code(info.owner) && !program.ty(info.owner).is_module
}

/// Whether a field is said to hold none of its states at first: `this.mode = false`.
fn begins_with_no(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let is_first = |d: &&Site| d.member == field || program.member(d.member).kind == MemberKind::Constructor;
    let says_no = |d: &Site| matches!(program.body(d.member).map(|body| body.node(d.node)), Some(Node::Bool(false)));
    wiring.flow.definitions(field).iter().filter(is_first).any(says_no)
}

/// Whether a machine is seen to move from states alone that it is never in.
fn never_moves(wiring: &Wiring<'_>, machine: &Found, field: MemberId) -> bool {
    let program = wiring.program();
    // what is read from elsewhere is written there by the names of its parts
    let owner = program.member(field).owner;
    let is_marked = !program.decl(field).annotations.is_empty() || program.type_decl(owner).is_none_or(|t| !t.annotations.is_empty());
    !is_marked
        && !is_number(machine, program, field)
        && !is_emptied(wiring, field)
        && !is_handed_in(wiring, field)
        && !machine.is_open(program)
        && machine.transitions.iter().all(|t| t.from.is_some() && t.told)
}

/// Whether its class asks whether a field is in any state at all: `if (state != null) throw …`
fn is_asked_for_none(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    program.reads_in_class(field).any(|read| {
        let Some(body) = program.body(read.member) else { return false };
        let around = program.scope(read.member).parent(read.node).map(|p| body.node(p));
        let is_none = |n: NodeId| body.node(n) == Node::Null;
        let traits = program.kit_of(read.member).traits;
        let is_truth = match around {
            Some(Node::If { cond, .. } | Node::Conditional { cond, .. }) => cond == read.node,
            Some(Node::Binary { op: BinaryOp::And | BinaryOp::Or, .. } | Node::Unary { op: UnaryOp::Not, .. }) => true,
            _ => false,
        };
        let is_compared =
            matches!(around, Some(Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right }) if is_none(left) || is_none(right));
        (is_compared || is_truth && (traits.duck_typed || traits.fits_by_shape))
            && matches!(wiring.flow.eval(*read), Val::Member(_, m) | Val::Static(m) if m == field)
    })
}

/// Whether a field is a number by its type: it is nought where nothing else is said, which stands for being in none of the states,
/// and a test that it is not in one of them does not say in which it is.
fn is_number(machine: &Found, program: &Program, field: MemberId) -> bool {
    program.is_data(field, &program.declared_type(field))
        && matches!(machine.domain.encoding, Encoding::Constants)
        && !program.kit_of(field).traits.duck_typed
}

/// Whether a method stores what it is handed, whatever that is.
fn is_handed_in(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let stores = |d: &Site| d.member != field && matches!(wiring.flow.eval(*d), Val::Param(m, None, _) if m == d.member);
    wiring.flow.definitions(field).iter().any(stores)
}

/// Whether what is asked comes from a method that sees to it first that there is a state: `type() { attach(); return type; }`.
fn is_fetched(wiring: &Wiring<'_>, field: MemberId, ask: Site) -> bool {
    const HOPS: u32 = 3;
    let flow = &wiring.flow;
    let Some(object) = wiring.program().body(ask.member).and_then(|body| object_of(body, ask.node)) else { return false };
    let getter = flow.callee(Site { member: ask.member, node: object });
    let stores = |m: MemberId| flow.definitions(field).iter().any(|d| d.member == m && !matches!(flow.eval(*d), Val::Null));
    getter.is_some_and(|getter| comes_to(wiring, getter.member, &stores, HOPS))
}

/// Whether a method calls one of its object that does something, or one that comes to it.
fn comes_to(wiring: &Wiring<'_>, method: MemberId, does: &dyn Fn(MemberId) -> bool, hops: u32) -> bool {
    let Some(hops) = hops.checked_sub(1) else { return false };
    let Some(body) = wiring.program().body(method) else { return false };
    body.ids().filter(|n| matches!(body.node(*n), Node::Call { .. })).any(|node| {
        let called = wiring.flow.callee(Site { member: method, node }).filter(|c| matches!(c.receiver, Some(Val::This(_))));
        called.is_some_and(|c| does(c.member) || c.member != method && comes_to(wiring, c.member, does, hops))
    })
}

/// Whether some code says that a field is in none of its states, by giving it nothing.
fn is_emptied(wiring: &Wiring<'_>, field: MemberId) -> bool {
    wiring.flow.definitions(field).iter().any(|d| d.member != field && matches!(wiring.flow.eval(*d), Val::Null))
}

/// Whether a label stands in a choice by constants of an enumeration, of which there may be none: because they are objects, or because
/// none of them is zero.
fn is_choice(wiring: &Wiring<'_>, machine: &Found, label: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(label.member) else { return false };
    let of_objects = matches!(machine.domain.encoding, Encoding::Enumeration(_));
    let around = program.scope(label.member).ancestors(label.node).find(|n| !matches!(body.node(*n), Node::Case { .. } | Node::Opaque(_)));
    of_objects && around.is_some_and(|n| matches!(body.node(n), Node::Switch { .. }))
}

/// Whether what asks the state, or calls the function that it is, looks first whether there is one.
fn is_careful(wiring: &Wiring<'_>, field: MemberId, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return true };
    let Node::Call { callee, optional: is_if_there, .. } = body.node(site.node) else { return true };
    let is_state = || matches!(wiring.flow.eval_in(site.member, callee), Val::Member(_, m) if m == field);
    let (object, optional) = match body.node(callee) {
        Node::Member { .. } | Node::Name(_) if is_state() => (callee, is_if_there),
        Node::Member { object, optional, .. } => (object, optional),
        _ => return true,
    };
    let value = wiring.flow.eval_in(site.member, object);
    optional || crate::wire::guards::is_asked(&wiring.flow, site, object, &value, false)
}

/// Whether everybody who makes an object sets its state before anything else.
fn is_set_by_makers(wiring: &Wiring<'_>, machine: &Found, first: &[Option<MemberId>]) -> bool {
    let sets: BTreeSet<MemberId> = machine.transitions.iter().filter(|t| t.from.is_none()).map(|t| t.root).collect();
    !first.is_empty() && first.iter().all(|m| m.is_some_and(|m| sets.contains(&m) || is_setter(wiring, machine, m)))
}

/// Whether everybody who makes an object of a class without constructors writes out its fields in their order, as far as this one:
/// `Weir{Weir::shut, 3}`.
fn is_given_in_order(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let creations = wiring.flow.creations(wiring.program().member(field).owner);
    let mut made = creations.iter().filter(|s| !wiring.in_test(s.member)).peekable();
    made.peek().is_some() && made.all(|made| wiring.is_given_by_place(*made, field))
}

/// For each place where an object of a class is made, the first of its methods that is called behind it, among the same
/// statements, and that has to do with the state.
fn first_called(wiring: &Wiring<'_>, machine: &Found, owner: TypeId) -> Vec<Option<MemberId>> {
    let program = wiring.program();
    let asks: BTreeSet<MemberId> =
        machine.labels.iter().map(|(s, _)| s.member).chain(machine.delegations.iter().map(|(s, _)| s.member)).collect();
    let moves: BTreeSet<MemberId> = machine.transitions.iter().flat_map(|t| [t.root, t.site.member]).collect();
    let matters = |m: &MemberId| asks.contains(m) || moves.contains(m) || is_setter(wiring, machine, *m);
    let made = program.heirs(owner).into_iter().flat_map(|t| wiring.flow.creations(t)).filter(|s| !wiring.in_test(s.member));
    made.map(|creation| {
        let body = program.body(creation.member)?;
        let scope = program.scope(creation.member);
        let block = scope.ancestors(creation.node).find(|n| matches!(body.node(*n), Node::Block(_)));
        let beside = |n: &NodeId| {
            let mut around = scope.ancestors(*n).filter(|a| matches!(body.node(*a), Node::Block(_) | Node::Lambda(_)));
            around.next() == block && body.span(*n).start >= body.span(creation.node).end
        };
        let behind = body.ids().filter(beside).filter_map(|n| {
            let site = Site { member: creation.member, node: n };
            matches!(body.node(n), Node::Call { .. }).then(|| wiring.flow.callee(site)).flatten()
        });
        behind.map(|c| c.member).filter(|m| program.is_a(owner, program.member(*m).owner)).find(matters)
    })
    .collect()
}

/// Whether a method stores what it is given into the holder.
fn is_setter(wiring: &Wiring<'_>, machine: &Found, m: MemberId) -> bool {
    let Holder::Field(field) = machine.machine.holder else { return false };
    wiring.flow.definitions(field).iter().any(|d| d.member == m && matches!(wiring.flow.eval(*d), Val::Param(x, None, _) if x == m))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn set_by_a_method_that_need_not_run() {
        expect(
            "missing-initial-state",
            r#"
//// ramp.ts
interface Stage { pulse(): void; halt(): void; }
class Lowering implements Stage {
  constructor(private readonly ramp: Ramp) {}
  pulse(): void { this.ramp.become(new Landed(this.ramp)); }
  halt(): void { this.ramp.become(new Landed(this.ramp)); }
}
class Landed implements Stage {
  constructor(private readonly ramp: Ramp) {}
  pulse(): void { this.ramp.become(new Lowering(this.ramp)); }
  halt(): void { console.log('still'); }
}
export class Ramp {
  private stage!: Stage; //! missing-initial-state warning
  lower(): void { this.become(new Lowering(this)); }
  pulse(): void { this.stage.pulse(); }
  halt(): void { this.stage.halt(); }
  become(stage: Stage): void { this.stage = stage; }
}
export class Gate {
  private stage: Stage;
  constructor(ramp: Ramp) { this.stage = new Landed(ramp); }
  lower(ramp: Ramp): void { this.stage = new Lowering(ramp); }
  pulse(): void { this.stage.pulse(); }
}
const ramp = new Ramp();
ramp.pulse();
ramp.lower();
new Gate(ramp).pulse();
"#,
        );
    }

    #[test]
    fn what_is_fetched_when_it_is_asked_or_handed_in() {
        expect(
            "missing-initial-state",
            r#"
//// Parcel.java
interface Kind { boolean holds(); void tell(Parcel p); }
class Full implements Kind { public boolean holds() { return true; } public void tell(Parcel p) { p.turn(new Empty()); } }
class Empty implements Kind { public boolean holds() { return false; } public void tell(Parcel p) { p.turn(new Full()); } }
class Parcel {
    private Kind kind;
    private boolean attached;
    private void attach() { if (!attached) { attached = true; set(new Empty()); } }
    private void set(Kind k) { kind = k; }
    Kind kind() { attach(); return kind; }
    void turn(Kind k) { kind = k; }
    void step() { if (kind().holds()) System.out.println("holds"); kind().tell(this); }
}
//// worker.h
enum Colour { BLACK = 1, WHITE = 2 };
class Worker {
public:
    void init(int expected) { m_expected = expected; }
    void step(int result) {
        if (result == m_expected) count++;
        if (m_expected == BLACK) { m_expected = WHITE; } else { m_expected = BLACK; }
    }
private:
    int m_expected;
    int count = 0;
};
"#,
        );
    }
}
