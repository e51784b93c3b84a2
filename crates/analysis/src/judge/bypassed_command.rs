//! Rule `bypassed-command`: code does by hand what a command does.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::command::Command;
use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::wire::effect::Act;
use crate::wire::holders::says_what_happened;
use crate::wire::{Wiring, operation_place};

pub(super) const RULE: Rule = Rule {
    name: "bypassed-command",
    summary: "code does by hand what a command does",
    level: Level::Note,
    page: Page {
        symptom: "What is done here is neither queued nor counted nor undone.",
        cause: "The receiver is called directly, although a command for that very operation exists and others use it.",
        cure: "Issue the command, as the others do.",
        silent: "The command is never issued, does more than this, or the call is part of a command or of the receiver itself.",
        accept: "This one is meant to go past the invoker.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let commands = &wiring.commands().commands;
    let mut found = Vec::new();
    for command in commands.values().filter(|c| c.created.iter().any(|s| !wiring.in_test(s.member))) {
        // what it asks of before, to take itself back with, is no part of what it does
        let does = command.calls.iter().filter(|call| call.member != command.operation || !is_for_way_back(wiring, **call));
        let [call] = does.copied().collect::<Vec<_>>()[..] else { continue };
        if !is_all(wiring, command.operation, call) {
            continue;
        }
        let Some(operation) = operation(wiring, command, call) else { continue };
        // who says what has happened does nothing that a command could stand for
        if says_what_happened(program.text(program.member(operation).name)) {
            continue;
        }
        let receiver = program.member(operation).owner;
        for site in calls_of(wiring, operation) {
            let owner = program.member(site.member).owner;
            let of_commands = commands.contains_key(&owner)
                || commands.keys().any(|c| flow.enclosing_type(*c) == Some(owner) && site.member == command.operation);
            let of_receiver = program.are_kin(owner, receiver);
            // who tells something else by the same bus goes past nothing
            let tells = || wiring.effects_at(site).any(|e| wiring.effects[e].act == Act::Raise);
            if of_commands
                || of_receiver
                || wiring.in_test(site.member)
                || !hands_the_same(wiring, call, site)
                || is_kept(wiring, site)
                || tells()
            {
                continue;
            }
            let id = program.type_id(command.class);
            found.push(Draft {
                level: Level::Note,
                certainty: Certainty::Likely,
                place: operation_place(program, site),
                message: format!("{} is called by hand, although {} stands for it", short(&program.member_id(operation)), short(&id)),
                related: command.created.iter().take(2).map(|s| related("the command is issued here", program.place_of(*s))).collect(),
                parties: vec![id, program.member_id(site.member)],
                edit: None,
            });
        }
    }
    found
}

/// Whether a call stands in a function that is kept to be run later, as a command is: `by_word["turn"] = wheel => wheel.turn(1)`.
fn is_kept(wiring: &Wiring<'_>, call: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(call.member) else { return false };
    let scope = program.scope(call.member);
    let functions = scope.ancestors(call.node).filter(|n| matches!(body.node(*n), Node::Lambda(_)));
    functions.filter_map(|f| scope.parent(f)).any(|around| match body.node(around) {
        Node::Assign { target, .. } => matches!(body.node(target), Node::Index { .. }),
        Node::Entry { .. } => true,
        _ => false,
    })
}

/// Whether one call is all that a command does.
fn is_all(wiring: &Wiring<'_>, operation: MemberId, call: Site) -> bool {
    let program = wiring.program();
    // by way of a method of its own it may do more
    let Some(body) = program.body(operation).filter(|_| call.member == operation) else { return false };
    // who is given a function only runs it
    let gives_function = match body.node(call.node) {
        Node::Call { args, .. } => body.list(args).iter().any(|a| matches!(body.node(*a), Node::Lambda(_) | Node::MethodRef { .. })),
        _ => false,
    };
    if gives_function {
        return false;
    }
    let scope = program.scope(operation);
    let keeps = |n: NodeId| keeps_in_field(wiring, Site { member: operation, node: n }) && !scope.is_within(call.node, n);
    let statements = body.ids().filter(|n| match body.node(*n) {
        Node::Call { .. } => {
            let site = Site { member: operation, node: *n };
            site != call && !scope.is_within(*n, call.node) && !scope.ancestors(*n).any(keeps)
        }
        Node::Assign { .. } => !keeps(*n),
        Node::If { .. } | Node::Loop { .. } | Node::ForEach { .. } | Node::Switch { .. } => true,
        _ => false,
    });
    statements.count() == 0
}

/// Whether a statement keeps something in a field of the object itself.
fn keeps_in_field(wiring: &Wiring<'_>, site: Site) -> bool {
    match wiring.program().body(site.member).map(|body| body.node(site.node)) {
        Some(Node::Assign { target, .. }) => {
            matches!(wiring.flow.eval_in(site.member, target), Val::Member(of, _) if matches!(*of, Val::This(_)))
        }
        _ => false,
    }
}

/// Whether a command keeps in a field what a call gives.
fn is_for_way_back(wiring: &Wiring<'_>, call: Site) -> bool {
    let around = wiring.program().scope(call.member).ancestors(call.node);
    around.into_iter().any(|node| keeps_in_field(wiring, Site { node, ..call }))
}

/// Whether a call hands over the constants that the one in a command does: with others it is another operation.
fn hands_the_same(wiring: &Wiring<'_>, issued: Site, by_hand: Site) -> bool {
    let program = wiring.program();
    let args = |site: Site| -> &[NodeId] {
        match program.body(site.member).map(|b| (b, b.node(site.node))) {
            Some((body, Node::Call { args, .. })) => body.list(args),
            _ => &[],
        }
    };
    args(issued).iter().zip(args(by_hand)).all(|(a, b)| match wiring.flow.eval_in(issued.member, *a) {
        constant @ (Val::Str(_) | Val::Static(_)) => wiring.flow.eval_in(by_hand.member, *b) == constant,
        _ => true,
    })
}

/// The method of the receiver that a command calls.
fn operation(wiring: &Wiring<'_>, command: &Command, call: Site) -> Option<MemberId> {
    let program = wiring.program();
    if let Some(callee) = wiring.flow.callee(call) {
        // of what there is one of, its object is written out
        let is_of_object = |m: MemberId| !program.member(m).is_static || program.is_object_literal(program.member(m).owner);
        return Some(callee.member).filter(|m| is_of_object(*m));
    }
    let receiver = command.receivers.first()?;
    let Node::Call { callee, .. } = program.body(call.member)?.node(call.node) else { return None };
    let Node::Member { name, .. } = program.body(call.member)?.node(callee) else { return None };
    program.find_member_as(*receiver, program.sym_in(call.member, name), true)
}

/// The calls of a method.
fn calls_of(wiring: &Wiring<'_>, operation: MemberId) -> BTreeSet<Site> {
    let program = wiring.program();
    let mut sites: BTreeSet<Site> = wiring.flow.call_sites(operation).iter().copied().collect();
    sites.retain(|s| program.body(s.member).is_some_and(|b| matches!(b.node(s.node), Node::Call { .. })));
    sites
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_command_that_acts_by_a_method_of_its_own() {
        expect(
            "bypassed-command",
            r#"
//// Desk.java
package marlwend;
import java.util.ArrayDeque;
import java.util.Deque;
class Sluice { void raise(int notches) {} }
interface Order { void carry(); }
class RaiseSluice implements Order {
    private final Sluice sluice;
    RaiseSluice(Sluice sluice) { this.sluice = sluice; }
    public void carry() { go(); }
    private void go() { int notches = 1; int more = 2; int most = notches + more; sluice.raise(most); }
}
class Desk {
    private final Deque<Order> orders = new ArrayDeque<>();
    void take(Order order) { orders.add(order); }
    void work() { while (!orders.isEmpty()) orders.removeFirst().carry(); }
    void night(Sluice sluice) { take(new RaiseSluice(sluice)); work(); sluice.raise(3); }
}
"#,
        );
    }

    #[test]
    fn the_receiver_is_called_by_hand() {
        expect(
            "bypassed-command",
            r#"
//// Desk.java
package marlwend;
import java.util.ArrayDeque;
import java.util.Deque;
class Sluice { void raise(int notches) {} void drop() {} void grease() {} }
interface Order { void carry(); }
class RaiseSluice implements Order { private final Sluice s; RaiseSluice(Sluice s) { this.s = s; } public void carry() { s.raise(3); } }
class DropSluice implements Order { private final Sluice s; DropSluice(Sluice s) { this.s = s; } public void carry() { s.drop(); } }
class Desk {
    private final Deque<Order> orders = new ArrayDeque<>();
    void take(Order order) { orders.add(order); }
    void work() { while (!orders.isEmpty()) orders.removeFirst().carry(); }
}
class Night {
    void flood(Sluice sluice) {
        sluice.raise(9); //! bypassed-command note
        sluice.grease();
    }
    public static void main(String[] args) {
        Desk desk = new Desk();
        Sluice sluice = new Sluice();
        desk.take(new RaiseSluice(sluice));
        desk.take(new DropSluice(sluice));
        desk.work();
        new Night().flood(sluice);
    }
}
"#,
        );
    }
}
