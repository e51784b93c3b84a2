//! Adapters: objects that are put on a channel in place of the handler that they hand on to.

use yarrowgraph_ir::{MemberKind, Node};

use super::effect::{Act, Effect};
use super::holders::{is_called_listener, is_listener_interface};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Ty, TypeId};

/// Puts the handler that a wrapper was given in the place of an adapter around it. What is taken
/// off counts as the same only where adapters are equal by what they hold, or are looked up by it.
pub(super) fn see_through(flow: &Flow<'_>, effect: &mut Effect) {
    let inner = match (&effect.handler, effect.act) {
        (Some(Val::New(site)), Act::Join) if site.member == effect.site.member => given(flow, *site),
        (Some(Val::New(site)), Act::Leave) if site.member == effect.site.member && is_equal_by_content(flow, *site) => given(flow, *site),
        (Some(Val::Element(_, Some(key))), Act::Leave) => handler_param(flow, key).then(|| ((**key).clone(), false)),
        _ => None,
    };
    if let Some((inner, weak)) = inner {
        let adapter = effect.handler.replace(inner);
        effect.weak |= weak;
        effect.adapter = effect.adapter.take().or(adapter);
    }
}

/// The parameter of the function around that an object made there hands on to, and whether it is
/// referred to weakly.
fn given(flow: &Flow<'_>, site: Site) -> Option<(Val, bool)> {
    let body = flow.program.body(site.member)?;
    let Node::New { args, .. } = body.node(site.node) else { return None };
    let ty = flow.type_of_node(site.member, site.node).own()?;
    let weak = flow.program.holds_weakly(ty);
    if flow.program.ty(ty).anonymous {
        return called_param(flow, ty, site.member).map(|p| (p, weak));
    }
    let (param, inner_weak) = body.list(args).iter().find_map(|arg| match flow.eval_in(site.member, *arg) {
        // an adapter around an adapter
        Val::New(inner) if inner.member == site.member && inner != site => given(flow, inner),
        value => handler_param(flow, &value).then_some((value, false)),
    })?;
    Some((param, weak || inner_weak))
}

/// A parameter of the function around that the methods of a class written on the spot call.
fn called_param(flow: &Flow<'_>, ty: TypeId, around: MemberId) -> Option<Val> {
    let program = flow.program;
    let methods = program.ty(ty).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method);
    methods.copied().find_map(|m| {
        let body = program.body(m)?;
        body.ids().find_map(|id| {
            let Node::Call { callee, .. } = body.node(id) else { return None };
            let told = match body.node(callee) {
                Node::Member { object, .. } => object,
                Node::Name(_) => callee,
                _ => return None,
            };
            let Node::Name(_) = body.node(told) else { return None };
            let value = flow.eval_in(m, told);
            (matches!(value, Val::Param(of, None, _) if of == around) && handler_param(flow, &value)).then_some(value)
        })
    })
}

/// Whether a value is a parameter that takes a handler.
fn handler_param(flow: &Flow<'_>, value: &Val) -> bool {
    let Val::Param(member, None, _) = value else { return false };
    let program = flow.program;
    let ty = flow.type_of(value);
    match &ty {
        Ty::Own(t, _) => is_listener_interface(program, *t),
        Ty::Outside(name, _) if is_called_listener(program.text(*name)) => true,
        _ => program.is_callable(program.member(*member).unit, &ty),
    }
}

/// Whether the class of an object says what its objects are equal to.
pub(super) fn is_equal_by_content(flow: &Flow<'_>, site: Site) -> bool {
    let program = flow.program;
    flow.type_of_node(site.member, site.node).own().is_some_and(|ty| program.is_equal_by_content(ty))
}
