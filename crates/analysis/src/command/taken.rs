//! What is called on what a list holds, or what of that is called itself: where it is taken off, walked, or handed to a function.

use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId, UnaryOp};

use super::holder::Holder;
use crate::flow::{CALL_OPERATOR, Val};
use crate::program::{Declared, MemberId, Site, Sym};
use crate::wire::Wiring;

/// The methods that are called on what an expression comes to.
pub(super) fn called(wiring: &Wiring<'_>, holder: &mut Holder, site: Site, hops: u32) {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return };
    let scope = program.scope(site.member);
    let mut node = site.node;
    loop {
        let Some(parent) = scope.parent(node) else { return };
        match body.node(parent) {
            Node::Unary { .. } | Node::Cast { .. } => node = parent,
            // `foreach (var order in orders.GetConsumingEnumerable())`
            Node::ForEach { var, iterable, .. } if iterable == node => {
                local_calls(wiring, holder, site.member, var);
                return;
            }
            Node::Member { object, name, .. } if object == node => {
                let Some(call) = scope.parent(parent) else { return };
                if let Node::Call { callee, args, .. } = body.node(call)
                    && callee == parent
                {
                    let text = program.unit_of(site.member).text(name);
                    let pack = &program.kit_of(site.member).pack;
                    if pack.unwraps.contains(text) {
                        node = call;
                        continue;
                    }
                    // `Optional.ofNullable(done.poll()).ifPresent(order -> order.undo())`
                    if pack.walks.contains(text)
                        && let [each] = body.list(args)
                    {
                        given_to(wiring, holder, Site { member: site.member, node: *each });
                        return;
                    }
                    holder.taken.push((Site { member: site.member, node: call }, program.sym_in(site.member, name)));
                }
                return;
            }
            Node::Call { callee, .. } if callee == node => {
                called_itself(wiring, holder, Site { member: site.member, node: parent });
                return;
            }
            Node::Local { .. } => {
                local_calls(wiring, holder, site.member, parent);
                return;
            }
            Node::Assign { op: AssignOp::Set, target, value } if value == node => {
                if let Node::Name(name) = body.node(target)
                    && let Some(Declared::Local(local)) = scope.lookup(name, target)
                {
                    local_calls(wiring, holder, site.member, local);
                }
                return;
            }
            Node::Call { args, .. } if body.list(args).contains(&node) && body.list(args).len() == 1 => node = parent,
            Node::Return(_) => break,
            Node::Block(_) => return,
            _ => return,
        }
        if body.root == Some(node) {
            break;
        }
    }
    // handed to whoever calls the method
    let Some(hops) = hops.checked_sub(1) else { return };
    if program.member(site.member).kind != MemberKind::Method {
        return;
    }
    for call in wiring.flow.call_sites(site.member) {
        called(wiring, holder, *call, hops);
    }
}

/// The methods that a function calls on what it is given: one that is written out, or one by its name.
pub(super) fn given_to(wiring: &Wiring<'_>, holder: &mut Holder, function: Site) {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(function.member), program.scope(function.member)) else { return };
    let Node::Lambda(f) = body.node(function.node) else {
        if let Val::Method(method, _) = wiring.flow.eval(function) {
            holder.taken.push((function, program.member(method).name));
        }
        return;
    };
    let Some(param) = body.function(f).params.first() else { return };
    let named =
        body.ids().filter(|n| body.node(*n) == Node::Name(param.name) && scope.lookup(param.name, *n) == Some(Declared::Param(Some(f), 0)));
    named.for_each(|n| calls_of(wiring, holder, Site { member: function.member, node: n }));
}

/// The methods that are called on a local.
pub(super) fn local_calls(wiring: &Wiring<'_>, holder: &mut Holder, member: MemberId, local: NodeId) {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return };
    let Node::Local { name, .. } = body.node(local) else { return };
    let scope = program.scope(member);
    for node in body.ids() {
        if body.node(node) != Node::Name(name) || scope.lookup(name, node) != Some(Declared::Local(local)) {
            continue;
        }
        calls_of(wiring, holder, Site { member, node });
    }
}

/// What is called on a name, or that it is called itself.
fn calls_of(wiring: &Wiring<'_>, holder: &mut Holder, named: Site) {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(named.member), program.scope(named.member)) else { return };
    if let Some(found) = call_on(wiring, named.member, named.node) {
        holder.taken.push(found);
    } else if let Some(call) = scope.ancestors(named.node).find(|n| !matches!(body.node(*n), Node::Unary { .. }))
        && matches!(body.node(call), Node::Call { callee, .. } if callee == named.node || scope.ancestors(named.node).any(|n| n == callee))
    {
        called_itself(wiring, holder, Site { member: named.member, node: call });
    }
}

/// Notes that what was taken off is called itself: a function, or an object that can be called.
fn called_itself(wiring: &Wiring<'_>, holder: &mut Holder, call: Site) {
    let program = wiring.program();
    let operator = program.symbols.get(CALL_OPERATOR).filter(|name| holder.base.is_some_and(|b| program.find_member(b, *name).is_some()));
    match operator {
        Some(name) => holder.taken.push((call, name)),
        None if holder.base.is_none() => holder.run.push(call),
        None => {}
    }
}

/// The call of a method on what a node is.
pub(super) fn call_on(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Option<(Site, Sym)> {
    let program = wiring.program();
    let body = program.body(member)?;
    let scope = program.scope(member);
    let mut node = node;
    while let Some(parent) = scope.parent(node) {
        match body.node(parent) {
            Node::Unary { op: UnaryOp::NonNull | UnaryOp::Indirect, .. } => node = parent,
            Node::Member { object, name, .. } if object == node => {
                let call = scope.parent(parent)?;
                let is_call = matches!(body.node(call), Node::Call { callee, .. } if callee == parent);
                return is_call.then(|| (Site { member, node: call }, program.sym_in(member, name)));
            }
            _ => return None,
        }
    }
    None
}

pub(super) fn out_of(wiring: &Wiring<'_>, holder: &mut Holder, out: Site) {
    let program = wiring.program();
    let Some(body) = program.body(out.member) else { return };
    match body.node(out.node) {
        Node::Local { .. } => local_calls(wiring, holder, out.member, out.node),
        Node::Unary { operand, .. } => out_of(wiring, holder, Site { member: out.member, node: operand }),
        Node::Name(name) => {
            if let Some(Declared::Local(local)) = program.scope(out.member).lookup(name, out.node) {
                local_calls(wiring, holder, out.member, local);
            }
        }
        _ => {}
    }
}
