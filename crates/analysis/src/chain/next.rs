//! Links that know the next one.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind};

use super::behaviour::method_call_of;
use crate::flow::{Flow, Val};
use crate::program::{AT_A_TIME, MemberId, Site, Sym, Ty, TypeId};
use crate::state;

/// Links are asked by few methods; what passes on as many is a wrapper or a visitor.
const WRAPPED: usize = 6;

/// Fields that hold the next link: one that all links inherit, or one in each of their classes.
#[derive(Clone, Debug)]
pub struct Next {
    /// The fields.
    pub fields: Vec<MemberId>,
    /// The type that all links have.
    pub base: TypeId,
    /// The method by which a link is asked.
    pub method: Sym,
    /// Where a request is passed on.
    pub passes: Vec<Site>,
}

/// Finds the fields that hold a next link.
pub(super) fn find(flow: &Flow<'_>) -> Vec<Next> {
    let program = flow.program;
    // by the type that all links have, and the method by which they are asked
    let mut kinds: BTreeMap<(TypeId, Sym), Next> = BTreeMap::new();
    let mut asked: BTreeMap<(TypeId, Sym), Vec<(MemberId, Site)>> = BTreeMap::new();
    let members = (0..program.members.len()).into_par_iter().with_max_len(AT_A_TIME);
    let mut found: Vec<(MemberId, TypeId, Site, Sym)> = members.flat_map_iter(|i| passes(flow, MemberId(i as u32))).collect();
    // what stands for another one in all that this can do wraps it
    let mut ways: BTreeMap<MemberId, BTreeSet<Sym>> = BTreeMap::new();
    for (field, _, _, method) in &found {
        ways.entry(*field).or_default().insert(*method);
    }
    found.retain(|(field, ..)| ways.get(field).is_none_or(|ways| ways.len() < WRAPPED));
    for (field, base, call, method) in found {
        let kind = kinds.entry((base, method)).or_insert_with(|| Next { fields: Vec::new(), base, method, passes: Vec::new() });
        if !kind.fields.contains(&field) {
            kind.fields.push(field);
        }
        kind.passes.push(call);
        asked.entry((base, method)).or_default().push((field, call));
    }
    // where one run asks two of them, all are parts of a tree
    kinds.retain(|kind, _| !asked.get(kind).is_some_and(|asked| asks_both(flow, asked)));
    let mut found: Vec<Next> = kinds.into_values().collect();
    for next in &mut found {
        // of two that one class asks alike neither is the next: branches of a tree
        let owner = |f: &MemberId| program.member(*f).owner;
        let twice: Vec<MemberId> =
            next.fields.iter().filter(|f| next.fields.iter().filter(|o| owner(o) == owner(f)).count() > 1).copied().collect();
        next.fields.retain(|f| !twice.contains(f));
    }
    // a link answers some requests itself; what only passes on wraps another one
    found.retain(|next| !next.fields.is_empty() && next.passes.iter().any(|s| is_choice(flow, *s)));
    // a field is the next of one kind
    let mut taken: Vec<MemberId> = Vec::new();
    found.sort_by_key(|next| next.passes.iter().min().copied());
    for next in &mut found {
        next.fields.retain(|f| !taken.contains(f));
        taken.extend(&next.fields);
    }
    found.retain(|next| !next.fields.is_empty());
    found
}

/// The calls that pass a request on to what a field holds, with the type that all links have and the method by which they are asked.
fn passes(flow: &Flow<'_>, field: MemberId) -> Vec<(MemberId, TypeId, Site, Sym)> {
    let program = flow.program;
    let info = program.member(field);
    if info.is_static || !matches!(info.kind, MemberKind::Field | MemberKind::Property) || program.ty(info.owner).is_module {
        return Vec::new();
    }
    let Some(base) = held_type(flow, field) else { return Vec::new() };
    if !flow.program.are_kin(info.owner, base) || !matches!(program.ty(base).kind, TypeKind::Class | TypeKind::Interface) {
        return Vec::new();
    }
    let calls = calls_on(flow, field).into_iter();
    calls.filter(|(call, method)| passes_on(flow, field, *call, *method)).map(|(call, method)| (field, base, call, method)).collect()
}

/// Whether some run of a method asks what two fields hold, one after the other, whatever the first one answers.
fn asks_both(flow: &Flow<'_>, asked: &[(MemberId, Site)]) -> bool {
    let program = flow.program;
    let apart = |a: Site, b: Site| {
        let (Some(body), scope) = (program.body(a.member), program.scope(a.member)) else { return true };
        let leaves = |n: NodeId| scope.ancestors(n).any(|around| body.leaves(around)) || matches!(body.node(n), Node::Return(_));
        let around = scope.ancestors(a.node).find(|n| scope.is_within(b.node, *n));
        let is_choice = around.is_some_and(|n| {
            matches!(
                body.node(n),
                Node::If { .. } | Node::Conditional { .. } | Node::Switch { .. } | Node::Binary { .. } | Node::Try { .. }
            )
        });
        is_choice || leaves(a.node) || leaves(b.node)
    };
    asked.iter().enumerate().any(|(at, (field, site))| {
        asked[..at].iter().any(|(other, before)| other != field && before.member == site.member && !apart(*before, *site))
    })
}

/// The type of the links that a field holds. Where nothing is typed, a link is taken to be of the class that asks it.
fn held_type(flow: &Flow<'_>, field: MemberId) -> Option<TypeId> {
    let program = flow.program;
    let info = program.member(field);
    let duck_typed = program.kit(info.unit).traits.duck_typed;
    match flow.type_held(field) {
        Ty::Unknown if duck_typed => Some(program.topmost(info.owner)),
        // what a field is seen to hold says no more than that
        known if duck_typed => Some(program.topmost(known.own()?)),
        known => known.own(),
    }
}

/// The calls of methods on what a field holds, directly or by a local that was given it.
fn calls_on(flow: &Flow<'_>, field: MemberId) -> Vec<(Site, Sym)> {
    let program = flow.program;
    let name = program.member(field).name;
    let mut calls = Vec::new();
    for &read in program.index.reads(name) {
        let Some(body) = program.body(read.member) else { continue };
        let scope = program.scope(read.member);
        if !flow.program.are_kin(program.member(read.member).owner, program.member(field).owner) {
            continue;
        }
        if !matches!(flow.eval(read), Val::Member(of, m) if m == field && matches!(*of, Val::This(_))) {
            continue;
        }
        let called = |object: NodeId| -> Option<(Site, Sym)> {
            let (call, name) = method_call_of(body, scope, object)?;
            let is_handed = matches!(body.node(call), Node::Call { args, .. } if args.len > 0);
            is_handed.then(|| (Site { member: read.member, node: call }, program.sym_in(read.member, name)))
        };
        let mut object = read.node;
        // `next!`, `next.get()`
        while let Some(parent) = scope.parent(object)
            && matches!(body.node(parent), Node::Unary { .. })
        {
            object = parent;
        }
        if let Some(call) = called(object) {
            calls.push(call);
            continue;
        }
        // a local that was given it
        let Some(local) = scope.parent(object) else { continue };
        if let Node::Local { name, .. } = body.node(local) {
            let uses = body.ids().filter(|n| body.node(*n) == Node::Name(name));
            calls.extend(uses.filter(|n| scope.lookup(name, *n) == Some(crate::program::Declared::Local(local))).filter_map(called));
        }
    }
    calls
}

/// Whether a call hands a request on: to the method that the caller was itself asked by, or in a helper of that.
fn passes_on(flow: &Flow<'_>, field: MemberId, call: Site, method: Sym) -> bool {
    let program = flow.program;
    let info = program.member(call.member);
    let owner = program.member(field).owner;
    if info.kind != MemberKind::Method {
        return false;
    }
    // what was put aside is passed on by a thread of the link's own
    let is_hook = |m: MemberId| program.kit_of(m).pack.hooks.contains(program.text(program.member(m).name));
    let asks = |m: MemberId| program.member(m).name == method || is_hook(m) && takes_aside(flow, program.member(m).owner, method);
    if program.decl(call.member).params.is_empty() && !asks(call.member) {
        return false;
    }
    // a list that grows at its end asks its next to grow
    if flow.definitions(field).iter().any(|d| d.member == call.member) {
        return false;
    }
    asks(call.member)
        || flow
            .call_sites(call.member)
            .iter()
            .any(|site| asks(site.member) && flow.program.are_kin(program.member(site.member).owner, owner))
}

/// Whether a class that is asked by a method only puts what it is handed into a queue there.
pub(super) fn takes_aside(flow: &Flow<'_>, class: TypeId, method: Sym) -> bool {
    let program = flow.program;
    let puts_aside = |asked: MemberId| {
        let Some(body) = program.body(asked) else { return false };
        let params = &program.decl(asked).params;
        let pack = &program.kit_of(asked).pack;
        body.ids().any(|n| {
            let Node::Call { callee, args, .. } = body.node(n) else { return false };
            let Node::Member { name, .. } = body.node(callee) else { return false };
            let hands = |a: &NodeId| matches!(body.node(*a), Node::Name(name) if params.iter().any(|p| p.name == name));
            pack.adds.contains(program.text(program.sym_in(asked, name))) && body.list(args).iter().any(hands)
        })
    };
    program.find_members(class, method).into_iter().any(puts_aside)
}

/// Whether a request is passed on in some cases only.
fn is_choice(flow: &Flow<'_>, call: Site) -> bool {
    let program = flow.program;
    let Some(body) = program.body(call.member) else { return false };
    let Some(root) = body.root else { return false };
    let scope = program.scope(call.member);
    if !state::runs_always(body, scope, call.node, root) {
        return true;
    }
    // the helper that passes on is called in some cases only
    let helper = program.member(call.member);
    let in_some = |site: &Site| {
        let Some(body) = program.body(site.member) else { return false };
        flow.program.are_kin(program.member(site.member).owner, helper.owner)
            && body.root.is_some_and(|root| !state::runs_always(body, program.scope(site.member), site.node, root))
    };
    program.index.calls(helper.name).iter().any(in_some) && flow.call_sites(call.member).iter().any(in_some)
}
