//! Which subscriptions can pile up: those of handlers, on what does not ignore what it holds already.

use yarrowgraph_ir::{BinaryOp, Node, NodeId, UnaryOp};
use yarrowgraph_model::Certainty;

use super::is_made_anew;
use crate::flow::Val;
use crate::program::{Site, Ty};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::Effect;

/// Whether a subscription can pile up at all.
pub(super) fn counts(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    // a constant of a library is a value
    let is_value = matches!(&effect.handler, Some(Val::Outside(of, _)) if matches!(**of, Val::Global(_)));
    let known = !is_value
        && !wiring.puts_data(effect)
        && !matches!(effect.handler, None | Some(Val::Unknown | Val::Param(..) | Val::Null | Val::Data));
    known
        && !effect.once
        && (!effect.replaces || is_under_own_key(wiring, effect))
        && !effect.bounded
        && effect.certainty != Certainty::Possible
        && !wiring.is_generated(effect)
        && !wiring.in_test(effect.site.member)
        && !is_counter(wiring, effect)
        && !keeps_each_once(wiring, channel, effect)
}

/// Whether the way in has put the handler under a key that it has made for it, and gives that back: `slots[++last] = f; return last;`.
pub(super) fn is_under_own_key(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let innermost = effect.innermost();
    let Some(body) = program.body(innermost.member).filter(|_| !effect.inner.is_empty()) else { return false };
    // counted on with each: `slots[++last] = f`, `slots.put(last++, f)`
    let counted = match body.node(innermost.node) {
        Node::Assign { target, .. } => match body.node(target) {
            Node::Index { keys, .. } => body.list(keys).first().copied(),
            _ => None,
        },
        Node::Call { args, .. } => body.list(args).first().copied(),
        _ => None,
    };
    if counted.is_some_and(|key| matches!(body.node(key), Node::Unary { op: UnaryOp::Step { .. }, .. })) {
        return true;
    }
    let Some(key @ (Val::Local(_) | Val::Member(..))) = &effect.holder.key else { return false };
    if matches!(key, Val::Local(local) if local.member != innermost.member) {
        return false;
    }
    // a number of the roster's own is that of whichever object the caller names
    let is_key = |given: Val| match (&given, key) {
        (Val::Member(of, given), Val::Member(_, field)) if matches!(**of, Val::This(_)) => given == field,
        _ => given == *key,
    };
    body.ids().any(|n| matches!(body.node(n), Node::Return(Some(value)) if is_key(wiring.flow.eval_in(innermost.member, value))))
}

/// Whether what is put on is a number: `for (let i = 0; …) ring.push(i)`, `rings.push(this.faceCount)`.
fn is_counter(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let node = |site: &Site| program.body(site.member).map(|body| body.node(site.node));
    match &effect.handler {
        Some(Val::Local(local)) => match node(local) {
            Some(Node::Local { init: Some(init), .. }) => {
                matches!(node(&Site { member: local.member, node: init }), Some(Node::Num(_) | Node::Plain))
            }
            _ => false,
        },
        Some(Val::Member(_, field)) => wiring.flow.definitions(*field).iter().any(|d| matches!(node(d), Some(Node::Num(_)))),
        _ => false,
    }
}

/// Whether the subject ignores what it already holds.
fn keeps_each_once(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let innermost = effect.innermost();
    let pack = &*program.kit_of(innermost.member).pack;
    let Some(body) = program.body(innermost.member) else { return false };
    let name_of = |callee: NodeId| match body.node(callee) {
        Node::Member { name, .. } | Node::Name(name) => Some(program.unit_of(innermost.member).text(name)),
        _ => None,
    };
    if let Node::Call { callee, .. } = body.node(innermost.node)
        && let Some(text) = name_of(callee)
        && (pack.adds_once.contains(text) || (pack.ignores_doubles.contains(text) && !is_made_anew(wiring, effect)))
    {
        return true;
    }
    let ChannelKey::Own(m, _) = channel.key else { return false };
    let unit = program.member(m).unit;
    let is_set = |ty: Ty| {
        let mut within = std::iter::once(ty.clone()).chain(program.elements_within(unit, &ty));
        within.any(|t| matches!(&t, Ty::Outside(name, _) if pack.sets.contains(program.text(*name))))
    };
    // a set holds each function that is made anew as well
    let of_set = || is_set(flow.type_held(m)) || flow.definitions(m).iter().any(|d| is_set(flow.type_of_node(d.member, d.node)));
    if !is_made_anew(wiring, effect) && of_set() {
        return true;
    }
    effect.inner.iter().any(|site| asks_what_it_holds(wiring, *site))
}

/// Whether a way in asks whether something is among what is held already; what it gives back to be taken off by asks that later.
fn asks_what_it_holds(wiring: &Wiring<'_>, puts: Site) -> bool {
    let program = wiring.program();
    let way_in = puts.member;
    let pack = &*program.kit_of(way_in).pack;
    let (Some(body), scope) = (program.body(way_in), program.scope(way_in)) else { return false };
    let around = scope.function_around(body, puts.node);
    body.ids().filter(|node| around.is_some() || scope.function_around(body, *node).is_none()).any(|node| match body.node(node) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { name, .. } | Node::Name(name) => {
                let text = program.unit_of(way_in).text(name);
                pack.membership.contains(text) || pack.equality.contains(text)
            }
            _ => false,
        },
        Node::Binary { op: BinaryOp::Eq, left, .. } => matches!(wiring.flow.eval_in(way_in, left), Val::Element(..)),
        _ => false,
    })
}
