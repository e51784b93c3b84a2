//! Which states are meant to be the last.

use yarrowgraph_ir::{BinaryOp, Node, NodeId};

use super::{Found, Holder, State, named};
use crate::program::MemberId;
use crate::wire::Wiring;

/// Words by which people name an end.
const LAST: [&str; 33] = [
    "error",
    "fail",
    "failed",
    "failure",
    "rejected",
    "aborted",
    "expired",
    "success",
    "succeeded",
    "done",
    "final",
    "finished",
    "complete",
    "completed",
    "closed",
    "ended",
    "end",
    "gone",
    "disposed",
    "destroyed",
    "terminated",
    "cancelled",
    "canceled",
    "archived",
    "returned",
    "delivered",
    "dead",
    "settled",
    "retired",
    "released",
    "stopped",
    "discarded",
    "collected",
];

/// Whether a state is marked or named as one that nothing leaves.
pub fn is_final(wiring: &Wiring<'_>, found: &Found, index: usize) -> bool {
    if found.ways_out(index).next().is_some() {
        return false;
    }
    let program = wiring.program();
    let state = found.domain.states[index];
    let name = state.name(program);
    let words = words(&name);
    words.iter().any(|w| LAST.contains(&w.as_str())) || is_marked(wiring, state) || ends_a_loop(wiring, found, state)
}

/// Whether some code runs until the machine is in a state: `while (stage !== 'proved')`.
fn ends_a_loop(wiring: &Wiring<'_>, found: &Found, state: State) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let runs_until = |member: MemberId, node: NodeId| {
        let Some(body) = program.body(member) else { return false };
        let scope = program.scope(member);
        let Some(test) = scope.parent(node) else { return false };
        let asked = match body.node(test) {
            Node::Binary { op: BinaryOp::Ne, left, right } => {
                if left == node {
                    right
                } else {
                    left
                }
            }
            _ => return false,
        };
        let is_condition = scope.ancestors(test).any(|n| match body.node(n) {
            Node::Loop { head, .. } => body.list(head).get(1).is_some_and(|cond| scope.is_within(test, *cond)),
            _ => false,
        });
        is_condition && found.stores_into(flow, member, node) && named(flow, member, asked) == Some(state)
    };
    match found.machine.holder {
        Holder::Local(local) => program
            .body(local.member)
            .is_some_and(|body| body.ids().any(|node| matches!(body.node(node), Node::Name(_)) && runs_until(local.member, node))),
        Holder::Field(field) => program.index.reads(program.member(field).name).iter().any(|read| runs_until(read.member, read.node)),
    }
}

/// Whether a constant of an enumeration is there to count the others, or to say that there is none of them.
pub fn is_sentinel(name: &str) -> bool {
    let mut words = words(name);
    // `kMaxValue`
    if words.len() > 1 && words[0] == "k" {
        words.remove(0);
    }
    let whole = words.concat();
    let counts = ["count", "num", "number", "max", "min", "last", "first", "size", "end", "total"];
    // `ORDER_MAX_KINDS`, behind what all constants of it are called
    let is_all_capitals = !name.contains(char::is_lowercase);
    let counts_others = is_all_capitals && words.len() > 2 && words[1..].iter().any(|w| matches!(w.as_str(), "max" | "num" | "count"));
    let none = ["invalid", "unknown", "undefined", "unset", "none", "null", "uninitialized", "uninitialised"];
    words.first().is_some_and(|w| ["number", "num", "count", "max", "nr", "last", "first", "min"].contains(&w.as_str()) && words.len() > 1)
        || words.last().is_some_and(|w| counts.contains(&w.as_str()) && whole != "end")
        || counts_others
        || none.contains(&whole.as_str())
        || matches!(&words[..], [no, what] if no == "no" && KINDS.contains(&what.as_str()))
        || words.iter().any(|w| matches!(w.as_str(), "invalid" | "undefined" | "uninitialized" | "uninitialised"))
        || [words.first(), words.last()].into_iter().flatten().any(|w| matches!(w.as_str(), "unknown" | "none"))
}

/// What there is none of where a name says so: `NO_TYPE`.
const KINDS: [&str; 12] = ["type", "kind", "mode", "state", "action", "value", "command", "code", "op", "status", "selection", "id"];

/// A name's words, in lower case.
fn words(name: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut last_lower = false;
    for c in name.chars() {
        if !c.is_alphanumeric() || c.is_uppercase() && last_lower {
            words.push(String::new());
        }
        last_lower = c.is_lowercase();
        if c.is_alphanumeric()
            && let Some(word) = words.last_mut()
        {
            word.extend(c.to_lowercase());
        }
    }
    words.retain(|w| !w.is_empty());
    words
}

/// Whether some code says of a state that it is final: a method that tells so answers true for it.
fn is_marked(wiring: &Wiring<'_>, state: State) -> bool {
    let program = wiring.program();
    let says = |name: &str| words(name).iter().any(|w| matches!(w.as_str(), "final" | "terminal" | "finished" | "done" | "over" | "ended"));
    if let State::Class(class) = state {
        let own = program.ty(class).members.iter();
        let mut marks = own.filter(|m| says(program.text(program.member(**m).name)));
        if marks.any(|m| {
            let body = program.body(*m);
            body.is_some_and(|b| b.ids().any(|n| b.node(n) == Node::Bool(true)) && !b.ids().any(|n| b.node(n) == Node::Bool(false)))
        }) {
            return true;
        }
    }
    // a question of that name which names the state
    let name = match state {
        State::Constant(m) => program.member(m).name,
        State::Class(t) => program.ty(t).name,
        State::Function(m) => program.member(m).name,
        State::Entry(_, key) => key,
        State::Text(_) => return false,
    };
    program.index.reads(name).iter().any(|site| says(program.text(program.member(site.member).name)))
}
