//! Rule `blind-removal`: a way out cuts at a position without asking whether anybody was found there.

use std::collections::BTreeSet;

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;
use crate::wire::effect::Act;

/// How many locals are followed back.
const HOPS: u32 = 3;

pub(super) const RULE: Rule = Rule {
    name: "blind-removal",
    summary: "a way out cuts at the position of an observer without asking whether it was found",
    level: Level::Warning,
    page: Page {
        symptom: "Leaving twice, or without having joined, takes somebody else off the list, or breaks it.",
        cause: "The position of who is not there is -1 or the end, and the cut is made there all the same.",
        cure: "Ask first: `if (at >= 0) list.splice(at, 1)`, `if (it != list.end()) list.erase(it)`.",
        silent: "The position is tested, is made harmless, or the language throws when nothing is found.",
        accept: "Whoever leaves has certainly joined, and leaves once.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut drafts = Vec::new();
    let names: BTreeSet<_> = program.packs().flat_map(|p| p.blind_cuts.iter()).filter_map(|name| program.symbols.get(name)).collect();
    for name in names {
        for call in program.index.calls(name) {
            if program.kit_of(call.member).pack.blind_cuts.contains(program.text(name)) && !wiring.in_test(call.member) {
                drafts.extend(judge(wiring, *call));
            }
        }
    }
    for name in program.packs().flat_map(|p| p.iterators.iter()).collect::<BTreeSet<_>>() {
        let calls = program.symbols.get(name).map(|n| program.index.calls(n)).unwrap_or_default();
        drafts.extend(calls.iter().filter(|c| !wiring.in_test(c.member)).filter_map(|c| behind_the_walk(wiring, *c)));
    }
    drafts
}

/// `while (it.hasNext() && it.next() != observer) {}  it.remove();`: the last one goes where nobody was found.
fn behind_the_walk(wiring: &Wiring<'_>, made: Site) -> Option<Draft> {
    let program = wiring.program();
    let body = program.body(made.member)?;
    let scope = program.scope(made.member);
    let Node::Call { callee, .. } = body.node(made.node) else { return None };
    let Node::Member { object, .. } = body.node(callee) else { return None };
    let list = wiring.flow.eval_in(made.member, object);
    let local = scope.parent(made.node).filter(|p| matches!(body.node(*p), Node::Local { .. }))?;
    if !is_roster(wiring, &list) {
        return None;
    }
    let pack = &*program.kit_of(made.member).pack;
    let of_it = |node: NodeId| match body.node(node) {
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Member { object, name: called, .. } if scope.names(body, object, local) => {
                Some(program.unit_of(made.member).text(called))
            }
            _ => None,
        },
        _ => None,
    };
    let nodes = || body.ids();
    let cut = nodes().find(|n| of_it(*n).is_some_and(|called| pack.removes.contains(called)))?;
    // inside of the walk, or in a branch, it was found
    let asked = scope
        .ancestors(cut)
        .any(|n| matches!(body.node(n), Node::Loop { .. } | Node::If { .. } | Node::Conditional { .. } | Node::Lambda(_)));
    let left_before = nodes().any(|n| matches!(body.node(n), Node::If { .. }) && scope.is_before(n, cut));
    if asked || left_before {
        return None;
    }
    let id = program.member_id(made.member);
    let what = wiring.flow.show(&list);
    Some(Draft {
        level: Level::Warning,
        certainty: Certainty::Certain,
        place: crate::wire::operation_place(program, Site { member: made.member, node: cut }),
        message: format!("`{}` takes off `{}` whoever the walk ended at, also where nobody was found", short(&id), short(&what)),
        related: vec![related("the walk begins here", program.place_of(made))],
        parties: vec![id, what],
        edit: None,
    })
}

fn judge(wiring: &Wiring<'_>, call: Site) -> Option<Draft> {
    let program = wiring.program();
    if program.unit_of(call.member).generated {
        return None;
    }
    let body = program.body(call.member)?;
    let Node::Call { callee, args, .. } = body.node(call.node) else { return None };
    let Node::Member { object, .. } = body.node(callee) else { return None };
    let args = body.list(args);
    // `splice(at, 1)` and `erase(it)`: what else is handed over makes it something else
    let at = *args.first()?;
    if args.len() > 2 || (args.len() == 2 && !matches!(body.node(args[1]), Node::Num(_))) {
        return None;
    }
    let list = wiring.flow.eval_in(call.member, object);
    if !is_roster(wiring, &list) {
        return None;
    }
    let (looked_up, local) = position(wiring, call.member, body, at)?;
    // it is asked of the very list that is cut
    let searched = searched(wiring, call.member, body, looked_up)?;
    if searched != list
        || is_asked_for(wiring, call, body, looked_up, &list)
        || local.is_some_and(|local| is_asked(wiring, call, body, local))
        || is_from(wiring, call.member, body, sought(body, looked_up)?, &list, HOPS)
        || is_of_this_run(wiring, call, sought(body, looked_up)?)
    {
        return None;
    }
    let id = program.member_id(call.member);
    let what = wiring.flow.show(&list);
    Some(Draft {
        level: Level::Warning,
        certainty: Certainty::Certain,
        place: crate::wire::operation_place(program, call),
        message: format!("`{}` cuts `{}` at a position without asking whether anything was found", short(&id), short(&what)),
        related: vec![related("it is looked up here", program.place_of(Site { member: call.member, node: looked_up }))],
        parties: vec![id, what],
        edit: None,
    })
}

/// Whether the list is asked for something before in another way too: by a look-up of its own, or by a call that gave what is
/// looked up now.
fn is_asked_for(wiring: &Wiring<'_>, cut: Site, body: &Body, looked_up: NodeId, list: &Val) -> bool {
    let program = wiring.program();
    let pack = &*program.kit_of(cut.member).pack;
    let scope = program.scope(cut.member);
    let asks = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } if n != looked_up && scope.is_before(n, looked_up) => match body.node(callee) {
            Node::Member { object, name, .. } => {
                let text = program.unit_of(cut.member).text(name);
                (pack.positions.contains(text) || pack.membership.contains(text)) && wiring.flow.eval_in(cut.member, object) == *list
            }
            _ => false,
        },
        _ => false,
    };
    let found_by_call = || match sought(body, looked_up).map(|n| (n, body.node(n))) {
        Some((at, Node::Name(name))) => match scope.lookup(name, at) {
            Some(Declared::Local(local)) => {
                matches!(body.node(local), Node::Local { init: Some(init), .. } if matches!(body.node(init), Node::Call { .. }))
            }
            _ => false,
        },
        _ => false,
    };
    body.ids().any(asks) || found_by_call()
}

/// Whether somebody is told something through a list, which may be that of a topic.
fn is_roster(wiring: &Wiring<'_>, list: &Val) -> bool {
    let held = match list {
        Val::Element(of, Some(_)) => of,
        _ => list,
    };
    let (Val::Member(_, m) | Val::Static(m)) = held else { return false };
    let is_signal = || wiring.signals.contains(&wiring.program().member(*m).owner);
    let is_channel = || is_signal() || wiring.channels.iter().any(|c| matches!(c.key, ChannelKey::Own(x, _) if x == *m));
    wiring.effects_on(*m).any(|e| e.act == Act::Raise && e.inner.is_empty()) && is_channel()
}

/// The call that looks a position up, and the local that keeps it.
fn position(wiring: &Wiring<'_>, member: MemberId, body: &Body, at: NodeId) -> Option<(NodeId, Option<NodeId>)> {
    let program = wiring.program();
    let is_look_up = |node: NodeId| match body.node(node) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } | Node::Name(name) => {
                program.kit_of(member).pack.positions.contains(program.unit_of(member).text(name))
            }
            _ => false,
        },
        _ => false,
    };
    // `begin() + at`, where `at` is how far behind the beginning something was found
    let at = match body.node(at) {
        Node::Binary { op: BinaryOp::Add, left, right } if matches!(body.node(left), Node::Call { .. }) => right,
        _ => at,
    };
    let distance = |init: NodeId| match body.node(init) {
        Node::Binary { op: BinaryOp::Sub, left, .. } => left,
        _ => init,
    };
    match body.node(at) {
        Node::Call { .. } if is_look_up(at) => Some((at, None)),
        Node::Name(name) => match program.scope(member).lookup(name, at)? {
            Declared::Local(local) => match body.node(local) {
                Node::Local { init: Some(init), .. } if is_look_up(distance(init)) => Some((distance(init), Some(local))),
                _ => None,
            },
            Declared::Param(..) => None,
        },
        _ => None,
    }
}

/// The collection that a look-up searches: what it is a method of, or where its first argument begins.
fn searched(wiring: &Wiring<'_>, member: MemberId, body: &Body, look_up: NodeId) -> Option<Val> {
    let Node::Call { callee, args, .. } = body.node(look_up) else { return None };
    let object = match body.node(callee) {
        Node::Member { object, .. } if !matches!(wiring.flow.eval_in(member, object), Val::Global(_) | Val::Type(_)) => object,
        _ => {
            let first = *body.list(args).first()?;
            match body.node(first) {
                Node::Call { callee, .. } => match body.node(callee) {
                    Node::Member { object, .. } => object,
                    _ => return None,
                },
                _ => first,
            }
        }
    };
    Some(wiring.flow.eval_in(member, object))
}

/// What is looked up.
fn sought(body: &Body, look_up: NodeId) -> Option<NodeId> {
    let Node::Call { args, .. } = body.node(look_up) else { return None };
    body.list(args).last().copied()
}

/// Whether what is looked up is nobody who leaves: an element of a walk, or something that the very function has got hold of.
fn is_of_this_run(wiring: &Wiring<'_>, cut: Site, sought: NodeId) -> bool {
    let Some(body) = wiring.program().body(cut.member) else { return true };
    let scope = wiring.program().scope(cut.member);
    match wiring.flow.eval_in(cut.member, sought) {
        Val::Element(..) => true,
        Val::Local(local) if local.member == cut.member => scope.function_around(body, local.node) == scope.function_around(body, cut.node),
        Val::Member(of, _) => matches!(*of, Val::This(_)),
        _ => false,
    }
}

/// Whether something was taken out of the list itself, so that it is in there.
fn is_from(wiring: &Wiring<'_>, member: MemberId, body: &Body, node: NodeId, list: &Val, hops: u32) -> bool {
    let scope = wiring.program().scope(member);
    let taken = |n: NodeId| match body.node(n) {
        Node::Name(name) => match scope.lookup(name, n) {
            Some(Declared::Local(local)) => match (body.node(local), scope.parent(local).map(|p| body.node(p))) {
                (Node::Local { init: Some(init), .. }, _) => hops > 0 && is_from(wiring, member, body, init, list, hops - 1),
                (_, Some(Node::ForEach { var, iterable, .. })) if var == local => {
                    // whoever walks a copy may meet what was taken off in the meantime
                    matches!(body.node(iterable), Node::Member { .. } | Node::Name(_)) && wiring.flow.eval_in(member, iterable) == *list
                }
                _ => false,
            },
            _ => false,
        },
        Node::Member { .. } => wiring.flow.eval_in(member, n) == *list,
        _ => false,
    };
    state::any_within(body, node, &taken)
}

/// Whether the local that keeps a position is part of any comparison, or changed, or something stands between the
/// look-up and the cut that asks for plain data.
fn is_asked(wiring: &Wiring<'_>, cut: Site, body: &Body, local: NodeId) -> bool {
    let scope = wiring.program().scope(cut.member);
    let Node::Local { name, .. } = body.node(local) else { return true };
    let plain = |cond: NodeId| matches!(body.node(cond), Node::Plain | Node::Binary { .. } | Node::Unary { .. } | Node::Name(_));
    let asks_between = body.ids().any(|n| match body.node(n) {
        Node::If { cond, .. } => plain(cond) && scope.is_before(local, n) && scope.is_before(n, cut.node),
        Node::Conditional { cond, .. } => plain(cond) && scope.is_within(cut.node, n),
        Node::Binary { .. } => scope.is_within(cut.node, n),
        _ => false,
    });
    asks_between
        || body.ids().any(|n| {
            if body.node(n) != Node::Name(name) || scope.lookup(name, n) != Some(Declared::Local(local)) || scope.is_within(n, cut.node) {
                return false;
            }
            match scope.parent(n).map(|p| body.node(p)) {
                Some(Node::Binary { .. } | Node::Conditional { .. } | Node::Loop { .. } | Node::Assign { .. }) => true,
                Some(Node::Unary { op, .. }) => op != UnaryOp::Await,
                Some(Node::If { cond, .. }) => cond == n,
                _ => false,
            }
        })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_cut_without_a_question() {
        expect(
            "blind-removal",
            r#"
//// staff.ts
export class Staff {
  private readers: ((cm: number) => void)[] = [];
  read(r: (cm: number) => void) { this.readers.push(r); }
  leave(r: (cm: number) => void) {
    const at = this.readers.indexOf(r);
    this.readers.splice(at, 1); //! blind-removal warning
  }
  leaveInPlace(r: (cm: number) => void) { this.readers.splice(this.readers.indexOf(r), 1); } //! blind-removal warning
  quit(r: (cm: number) => void) {
    const at = this.readers.indexOf(r);
    if (at < 0) return;
    this.readers.splice(at, 1);
  }
  go(r: (cm: number) => void) { this.readers.splice(this.readers.indexOf(r) >>> 0, 1); }
  rise(cm: number) { for (const r of this.readers) r(cm); }
}
"#,
        );
    }

    #[test]
    fn what_was_taken_from_the_list_is_in_it() {
        expect(
            "blind-removal",
            r#"
//// pens.ts
export interface Pen { id: number; write(text: string): void; }
export class Desk {
  private pens: Pen[] = [];
  add(pen: Pen): void { this.pens.push(pen); }
  note(text: string): void { for (const pen of this.pens) pen.write(text); }
  lose(id: number): void {
    const found = this.pens.filter(pen => pen.id === id);
    if (found.length) {
      const pen = found[0];
      this.pens.splice(this.pens.indexOf(pen), 1);
    }
  }
  drop(pen: Pen): void {
    this.pens.splice(this.pens.indexOf(pen), 1); //! blind-removal warning
  }
}
"#,
        );
    }
}
