//! Rule `spent-handler`: a handler stays attached although its own flag makes it do nothing from then on.

use yarrowgraph_ir::{AssignOp, BinaryOp, Body, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::Act;

pub(super) const RULE: Rule = Rule {
    name: "spent-handler",
    summary: "a handler stays attached although a flag of its own makes it do nothing after the first time",
    level: Level::Note,
    page: Page {
        symptom: "A handler runs once and is told again and again without doing anything.",
        cause: "It sets a flag that it asks first, and nothing ever sets the flag back; it stays on the channel all the same.",
        cure: "Subscribe for one delivery, or take the handler off where the flag is set.",
        silent: "Something sets the flag back, the handler takes itself off, or it does more than what the flag guards.",
        accept: "The subject offers no way to leave.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let joins = wiring.channels.iter().flat_map(|c| c.joins.iter().map(move |j| (c, *j)));
    joins.filter_map(|(c, j)| judge(wiring, c, j)).collect()
}

fn judge(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Draft> {
    let program = wiring.program();
    let effect = &wiring.effects[join];
    if effect.once || effect.bounded || wiring.in_test(effect.site.member) || wiring.is_generated(effect) {
        return None;
    }
    // what comes last comes once
    if let ChannelKey::Bus(_, Topic::Named(topic)) = &channel.key
        && program.kit_of(effect.site.member).pack.last_events.contains(topic)
    {
        return None;
    }
    let told = wiring.code_told(channel, join)?;
    let Site { member, node: root } = handed_on(wiring, told).unwrap_or(told);
    let body = program.body(member)?;
    let leaves_itself = wiring.effects_in(member).any(|e| {
        let within = e.site.node == root || program.scope(member).is_within(e.site.node, root);
        within && matches!(e.act, Act::Leave | Act::LeaveAll | Act::LeaveOwner)
    });
    let flag = guard(body, root)?;
    if leaves_itself
        || hands_itself(wiring, member, root, effect.handler.as_ref()?)
        || handles_release(wiring, member, root)
        || !is_spent(wiring, member, root, flag)
    {
        return None;
    }
    let what = short(&channel.id);
    let handler = short(&crate::wire::handler_name(wiring, effect));
    let name = match body.node(flag) {
        Node::Name(name) | Node::Member { name, .. } => program.unit_of(member).text(name).to_owned(),
        _ => return None,
    };
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: wiring.place(effect),
        message: format!("`{handler}` stays on `{what}`, and does nothing once it has set `{name}`, which nothing sets back"),
        related: vec![related(format!("it asks `{name}` here"), program.place_of(Site { member, node: flag }))],
        parties: vec![channel.id.clone(), handler, name],
        edit: None,
    })
}

/// The method of the same object that a handler does nothing but call.
fn handed_on(wiring: &Wiring<'_>, told: Site) -> Option<Site> {
    let program = wiring.program();
    let body = program.body(told.member)?;
    let only = match body.node(told.node) {
        Node::Block(list) => match body.list(list) {
            [only] => *only,
            _ => return None,
        },
        _ => told.node,
    };
    let callee = wiring.flow.callee(Site { member: told.member, node: only })?;
    let own = matches!(callee.receiver, Some(Val::This(_)));
    let root = program.body(callee.member)?.root.filter(|_| own)?;
    Some(Site { member: callee.member, node: root })
}

/// Whether the handler hands itself to something, which may take it off.
fn hands_itself(wiring: &Wiring<'_>, member: MemberId, root: NodeId, handler: &Val) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return true };
    let own = wiring.flow.function_of(handler);
    state::any_within(body, root, &|n| match body.node(n) {
        Node::Call { args, .. } => body.list(args).iter().any(|a| {
            let value = wiring.flow.eval_in(member, *a);
            value == *handler
                || (own.is_none() && matches!(value, Val::This(_)))
                || (own.is_some() && wiring.flow.function_of(&value) == own)
        }),
        _ => false,
    })
}

/// Whether the handler calls something that releases a handle.
fn handles_release(wiring: &Wiring<'_>, member: MemberId, root: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return true };
    let pack = &program.kit_of(member).pack;
    state::any_within(body, root, &|n| match body.node(n) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } | Node::Name(name) => pack.ends(program.unit_of(member).text(name)),
            _ => false,
        },
        _ => false,
    })
}

/// The flag that a body asks before all else it does: `if (done) return; …`, or nothing but `if (!done) { … }`.
fn guard(body: &Body, root: NodeId) -> Option<NodeId> {
    let Node::Block(list) = body.node(root) else { return None };
    let (first, rest) = body.list(list).split_first()?;
    let Node::If { cond, then, other: None } = body.node(*first) else { return None };
    if rest.is_empty() {
        return unset(body, cond);
    }
    let leaves = match body.node(then) {
        Node::Return(None) => true,
        Node::Block(list) => matches!(*body.list(list), [only] if matches!(body.node(only), Node::Return(None))),
        _ => false,
    };
    if leaves { set(body, cond) } else { None }
}

/// A flag that holds where a condition does.
fn set(body: &Body, cond: NodeId) -> Option<NodeId> {
    match body.node(cond) {
        Node::Name(_) | Node::Member { .. } => Some(cond),
        Node::Binary { op: BinaryOp::Or, left, right } => set(body, left).or_else(|| set(body, right)),
        _ => None,
    }
}

/// A flag that does not hold where a condition does.
fn unset(body: &Body, cond: NodeId) -> Option<NodeId> {
    match body.node(cond) {
        Node::Unary { op: UnaryOp::Not, operand } => match body.node(operand) {
            Node::Name(_) | Node::Member { .. } => Some(operand),
            _ => None,
        },
        Node::Binary { op: BinaryOp::And, left, right } => unset(body, left).or_else(|| unset(body, right)),
        _ => None,
    }
}

/// Whether the handler sets a flag and nothing in the tree sets it back.
fn is_spent(wiring: &Wiring<'_>, member: MemberId, root: NodeId, flag: NodeId) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let scope = program.scope(member);
    let within = |site: &Site| site.member == member && scope.is_within(site.node, root);
    let is_true = |site: &Site| program.body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Bool(true)));
    let is_false = |site: &Site| program.body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Bool(false)));
    let given: Vec<Site> = match flow.eval_in(member, flag) {
        Val::Member(_, m) | Val::Static(m) => {
            if is_deleted(wiring, m) {
                return false;
            }
            // what others can write, or that comes from data, may be set back
            flow.definitions(m).to_vec()
        }
        _ => return local_is_spent(wiring, member, root, flag),
    };
    let (inside, outside): (Vec<Site>, Vec<Site>) = given.into_iter().partition(within);
    let first_value = |site: &Site| {
        use yarrowgraph_ir::MemberKind::{Constructor, Field, Initializer, Property};
        matches!(program.member(site.member).kind, Field | Property | Constructor | Initializer)
    };
    !inside.is_empty() && inside.iter().all(is_true) && outside.iter().all(|s| is_true(s) || (is_false(s) && first_value(s)))
}

/// Whether something takes a member off its object: `delete this.busy`.
fn is_deleted(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    program.index.reads(program.member(field).name).iter().any(|read| {
        let around = program.scope(read.member).parent(read.node);
        let around = around.and_then(|p| program.body(read.member).map(|b| b.node(p)));
        matches!(around, Some(Node::Unary { op: UnaryOp::Delete, .. }))
    })
}

/// The same for a variable that the handler captures.
fn local_is_spent(wiring: &Wiring<'_>, member: MemberId, root: NodeId, flag: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let Node::Name(name) = body.node(flag) else { return false };
    let scope = program.scope(member);
    let Some(declared) = scope.lookup(name, flag) else { return false };
    let crate::program::Declared::Local(local) = declared else { return false };
    if scope.is_within(local, root) {
        return false;
    }
    let starts_unset = matches!(body.node(local), Node::Local { init: Some(init), .. } if matches!(body.node(init), Node::Bool(false)));
    let writes = body.ids().filter_map(|n| match body.node(n) {
        Node::Assign { target, value, op } if body.node(target) == Node::Name(name) && scope.lookup(name, target) == Some(declared) => {
            Some((n, value, op))
        }
        _ => None,
    });
    let writes: Vec<(NodeId, NodeId, AssignOp)> = writes.collect();
    let sets = |(n, value, op): &(NodeId, NodeId, AssignOp)| {
        *op == AssignOp::Set && matches!(body.node(*value), Node::Bool(true)) && scope.is_within(*n, root)
    };
    starts_unset && !writes.is_empty() && writes.iter().all(sets)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_flag_that_nothing_sets_back() {
        expect(
            "spent-handler",
            r#"
//// oven.ts
import { EventEmitter } from "events";
const oven = new EventEmitter();
class Baker {
  private told = false;
  private busy = false;
  constructor() {
    oven.on("hot", (n: number) => this.tell(n)); 
    oven.on("warm", this.first); //! spent-handler note
    oven.on("cold", this.again);
    oven.on("off", this.leave);
  }
  tell(n: number) { console.log(n); }
  first = () => {
    if (this.told) return;
    this.told = true;
    console.log("warm");
  };
  again = () => {
    if (!this.busy) { this.busy = true; console.log("cold"); }
  };
  rest() { this.busy = false; }
  private gone = false;
  leave = () => {
    if (this.gone) return;
    this.gone = true;
    oven.off("off", this.leave);
  };
}
let rung = false;
oven.on("bell", () => { //! spent-handler note
  if (rung) return;
  rung = true;
  console.log("ding");
});
new Baker().rest();
oven.emit("hot", 1); oven.emit("warm"); oven.emit("cold"); oven.emit("off"); oven.emit("bell");
"#,
        );
    }
}
