//! Who may hear a channel without it being seen: by a name, by a view, or by a reference that is handed on.

use std::collections::BTreeSet;

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId};

use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, Ty};
use crate::wire::channels::Channel;
use crate::wire::effect::Act;
use crate::wire::{Wiring, streams};

/// Whether something subscribes by the name of a member, or of a view of it, on an object of which
/// nothing is known: it may be this one.
pub(super) fn may_be_heard_unseen(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let info = program.member(m);
    let says_nothing = |ty: Ty| match &ty {
        Ty::Unknown => true,
        Ty::Outside(name, _) => matches!(program.text(*name), "any" | "unknown" | "dynamic" | "object" | "Object"),
        _ => false,
    };
    let is_unknown = |member: MemberId, object: NodeId| says_nothing(flow.type_of_node(member, object));
    let subscribes = |site: &Site| {
        let Some(body) = program.body(site.member) else { return false };
        match body.node(site.node) {
            Node::Call { callee, args, .. } => match body.node(callee) {
                Node::Member { object, .. } => {
                    body.list(args).iter().any(|a| flow.function_of(&flow.eval_in(site.member, *a)).is_some())
                        && is_unknown(site.member, object)
                }
                _ => false,
            },
            Node::Assign { op: AssignOp::Add, target, .. } => match body.node(target) {
                Node::Member { object, .. } => is_unknown(site.member, object),
                _ => false,
            },
            _ => false,
        }
    };
    let named = views_of(wiring, m).into_iter().chain([info.name]);
    named.into_iter().any(|name| program.index.calls(name).iter().chain(program.index.writes(name)).any(subscribes))
}

/// Whether a reference to a channel is handed to something that is not understood: it may be somebody who subscribes.
pub(super) fn is_referred_to(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.member(m).owner;
    let effects: FxHashSet<Site> = channel.raises.iter().map(|e| wiring.effects[*e].site).collect();
    program.index.reads(program.member(m).name).iter().any(|read| {
        let Some(body) = program.body(read.member) else { return false };
        let Node::MethodRef { object, .. } = body.node(read.node) else { return false };
        let of_another = match body.node(object) {
            Node::TypeExpr(ty) => program.type_in(read.member, ty).own().is_none_or(|t| !program.are_kin(t, owner)),
            _ => false,
        };
        let around = program.scope(read.member).ancestors(read.node).map(|node| Site { member: read.member, node });
        !of_another && !around.into_iter().any(|site| effects.contains(&site) || wiring.effects_at(site).next().is_some())
    })
}

/// Whether a call by the name of a method that puts handlers in reaches nobody knows what: in
/// code without written types it may be that method.
pub(super) fn may_be_joined_by_name(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let traits = program.kit_of(m).traits;
    if !traits.duck_typed && !traits.open_names {
        return false;
    }
    let joins = wiring.effects_on(m).filter(|e| e.act == Act::Join);
    let adders: BTreeSet<MemberId> = joins.filter(|e| e.inner.is_empty()).map(|e| e.site.member).collect();
    adders.into_iter().any(|adder| {
        let calls = program.index.calls(program.member(adder).name);
        // nothing is known of what a macro makes of a name, say
        let is_open = |call: &Site| traits.duck_typed || wiring.flow.is_of_unknown(*call);
        calls.iter().any(|call| call.member != adder && wiring.flow.callee(*call).is_none() && is_open(call))
    })
}

/// Whether a member is one of a record of which some code writes out objects as its members come: `Step steps[] = { { "rise", rise } }`.
pub(super) fn is_filled_in_braces(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.member(m).owner;
    program.kit_of(m).traits.open_names
        && !program.has_constructor(owner)
        && (wiring.is_written_out(owner) || wiring.flow.creations(owner).iter().any(|made| wiring.is_given_by_place(*made, m)))
}

/// Whether a slot that nobody fills is handed to code that may fill it where it stands: `load("rise", rise)` by a reference.
pub(super) fn may_be_filled_where_it_stands(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let is_handed = |read: &Site| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let is_argument = |n: NodeId| matches!(body.node(n), Node::Call { args, .. } if body.list(args).contains(&read.node));
        is_own(wiring, *read, m) && scope.parent(read.node).is_some_and(is_argument)
    };
    info.kind == MemberKind::Field && program.kit_of(m).traits.open_names && program.index.reads(info.name).iter().any(is_handed)
}

/// Whether what is read at a place is a member.
fn is_own(wiring: &Wiring<'_>, read: Site, m: MemberId) -> bool {
    matches!(wiring.flow.eval(read), Val::Member(_, held) | Val::Static(held) if held == m)
}

/// Whether code of another class subscribes whatever it is handed, and nobody in the tree hands it
/// anything: it is there for other trees, or for a platform.
pub(super) fn is_offered(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    wiring.effects_on(m).any(|e| {
        let Some(Val::Param(member, function, _)) = e.handler else { return false };
        e.act == Act::Join
            && program.member(e.site.member).owner != program.member(m).owner
            && !wiring.in_test(e.site.member)
            && wiring.flow.callers((member, function)).is_empty()
    })
}

/// Whether a method that lets listeners in, and that nothing is seen to call, has others of its name that take as many arguments and are
/// called: which of them a call means is not always seen.
pub(super) fn may_be_meant_by_others(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let ways_in = wiring.effects_on(m).filter(|e| e.act == Act::Join && e.inner.is_empty() && matches!(e.handler, Some(Val::Param(..))));
    ways_in.map(|e| e.site.member).any(|way| {
        let (info, count) = (program.member(way), program.decl(way).params.len());
        let alike = |other: &&MemberId| **other != way && program.decl(**other).params.len() == count;
        let mut others = program.own_members(info.owner, info.name).iter().filter(alike);
        wiring.flow.call_sites(way).is_empty() && others.any(|other| !wiring.flow.call_sites(*other).is_empty())
    })
}

/// Whether a channel is handed to code of which it is not known what that does with it, or put into a list.
pub(super) fn is_argument(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let reads = program.index.reads(program.member(m).name).iter();
    wiring.uses_beside(m, reads, channel.raises.iter().chain(&channel.leaves)).any(|read| {
        let (Some(body), Some(around)) = (program.body(read.member), program.scope(read.member).parent(read.node)) else { return false };
        match body.node(around) {
            Node::Call { args, .. } | Node::New { args, .. } => body.list(args).contains(&read.node),
            Node::Collection { .. } | Node::Entry { .. } => true,
            _ => false,
        }
    })
}

/// The names of members that hand out the function by which one subscribes to an emitter.
fn views_of(wiring: &Wiring<'_>, m: MemberId) -> Vec<Sym> {
    let program = wiring.program();
    let info = program.member(m);
    let views = &program.kit_of(m).pack.views_of_emitters;
    if views.is_empty() {
        return Vec::new();
    }
    let hands_out = |x: &&MemberId| {
        let Some(body) = program.body(**x) else { return false };
        body.ids().any(|node| match body.node(node) {
            Node::Member { object, name, .. } => {
                views.contains(program.unit_of(**x).text(name))
                    && matches!(wiring.flow.eval_in(**x, object), Val::Member(_, held) | Val::Static(held) if held == m)
            }
            _ => false,
        })
    };
    program.ty(info.owner).members.iter().filter(hands_out).map(|x| program.member(*x).name).collect()
}

/// Whether a stream is used for more than what is known to be done to it: as the argument of a
/// step (`takeUntil(this.gone)`), say.
pub(super) fn is_handed_on(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let reads = program.index.reads(program.member(m).name).iter();
    // a view that nobody looks at is no use, unless another tree may
    let is_idle_view = |read: &Site| {
        if wiring.is_open {
            return false;
        }
        streams::view_at(&wiring.flow, *read).is_some_and(|view| {
            let name = program.member(view).name;
            let is_named = || wiring.is_named_in_markup(program.text(name)) || program.index.is_text(program.text(name), &program.symbols);
            program.index.reads(name).is_empty() && program.index.calls(name).is_empty() && !is_named()
        })
    };
    wiring.uses_beside(m, reads, channel.raises.iter().chain(&channel.leaves)).any(|read| !is_idle_view(&read))
}
