//! Subscribing through a view: `readonly onRise = this.rise.event`, and somewhere else
//! `gauge.onRise(handler)`. The view is a function of the emitter's; calling it with a
//! handler subscribes to the emitter behind it.

use yarrowgraph_ir::pack::Names;
use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind};

use super::effect::{Act, Effect, Event, Holder};
use super::extract::{Extractor, holder_of};
use crate::flow::{Binding, Flow, Val};
use crate::program::{MemberId, TypeId};

/// What an emitter with a view is raised by.
const RAISES: &str = "fire";

/// The subscriptions that a call of a view makes: one, or one for each class that implements
/// the interface which declares the view.
pub(super) fn effects(x: &Extractor<'_, '_>, node: NodeId, callee: NodeId, args: &[NodeId]) -> Vec<Effect> {
    let Some(&first) = args.first() else { return Vec::new() };
    if x.flow.program.kit_of(x.member).pack.views_of_emitters.is_empty() {
        return Vec::new();
    }
    let emitters = emitters_of(x, &x.eval(callee));
    if emitters.is_empty() {
        return Vec::new();
    }
    let handler = x.eval(first);
    // a wrapper is handed the function that it subscribes
    if x.flow.function_of(&handler).is_none() && !matches!(handler, Val::Param(..)) {
        return Vec::new();
    }
    let join = |emitter: Val| {
        let mut effect = Effect::new(Act::Join, holder_of(x.flow, &emitter)?, x.site(node));
        effect.handler = Some(handler.clone());
        effect.handler_node = Some(x.site(first));
        effect.handle = true;
        // the third argument is the collection that the handle is kept in
        effect.bounded = args.len() > KEPT_IN;
        Some(effect)
    };
    emitters.into_iter().filter_map(join).collect()
}

/// Which argument of a view's call is the collection that keeps the handle.
const KEPT_IN: usize = 2;

/// How many names of one view are followed, from facade to facade.
const FACADES: usize = 6;

/// How many implementations of a view's interface are followed.
const IMPLEMENTATIONS: usize = 8;

/// The emitters behind a view, by the classes that implement it where it is an interface's.
fn emitters_of(x: &Extractor<'_, '_>, view: &Val) -> Vec<Val> {
    if let Some(one) = emitter_of(x, view) {
        return vec![one];
    }
    let Val::Member(owner, m) = view else { return Vec::new() };
    let program = x.flow.program;
    let info = program.member(*m);
    if program.ty(info.owner).kind != TypeKind::Interface {
        return Vec::new();
    }
    let heirs = program.heirs(info.owner).into_iter().skip(1);
    let is_value = |m: &MemberId| matches!(program.member(*m).kind, MemberKind::Property | MemberKind::Field);
    let views = heirs.filter_map(|heir| program.own_members(heir, info.name).iter().copied().find(is_value));
    views.take(IMPLEMENTATIONS).filter_map(|v| emitter_of(x, &x.flow.value_of_member(v, (**owner).clone()))).collect()
}

/// The raise that a call of an emitter's `fire` is, where the emitter is of the tree.
pub(super) fn raise(x: &Extractor<'_, '_>, node: NodeId, callee: NodeId) -> Option<Effect> {
    let Node::Member { object, name, .. } = x.body.node(callee) else { return None };
    let program = x.flow.program;
    if program.unit_of(x.member).text(name) != RAISES {
        return None;
    }
    let emitter = x.eval(object);
    let class = x.flow.type_of(&emitter).own()?;
    if !has_view(x.flow, class) {
        return None;
    }
    let holder = match &emitter {
        // whoever calls says which emitter
        Val::Param(..) => Holder { subject: emitter, event: Event::Given, key: None },
        _ => holder_of(x.flow, &emitter)?,
    };
    Some(Effect::new(Act::Raise, holder, x.site(node)))
}

/// Whether a class raises by `fire` and hands out a view.
pub(super) fn has_view(flow: &Flow<'_>, class: TypeId) -> bool {
    let program = flow.program;
    let views = &program.kit(program.ty(class).unit).pack.views_of_emitters;
    let has = |name: &str| program.symbols.get(name).is_some_and(|n| !program.own_members(class, n).is_empty());
    has(RAISES) && views.iter().any(|v| has(v))
}

/// The emitter behind a view, seen from whoever names the view.
fn emitter_of(x: &Extractor<'_, '_>, view: &Val) -> Option<Val> {
    let program = x.flow.program;
    let views = &program.kit_of(x.member).pack.views_of_emitters;
    let mut view = view.clone();
    for _ in 0..FACADES {
        view = match &view {
            Val::Outside(of, name) if views.contains(program.text(*name)) => return Some((**of).clone()),
            // an emitter of the tree that makes its view when it is first asked for
            Val::Member(of, m) if is_view_of_own(x, *m, views) => return Some((**of).clone()),
            Val::Member(owner, m) => {
                let only = x.flow.only_definition(*m)?;
                let binding = Binding { callee: (only.member, None), this: Some((**owner).clone()), args: Vec::new(), types: Vec::new() };
                x.flow.eval(only).substitute(&binding)
            }
            _ => return None,
        };
    }
    None
}

/// Whether a member is the view of an emitter class of the tree, or the field that the view is kept in.
fn is_view_of_own(x: &Extractor<'_, '_>, m: MemberId, views: &Names) -> bool {
    let program = x.flow.program;
    let info = program.member(m);
    let name = program.text(info.name).trim_start_matches('_');
    views.contains(name) && has_view(x.flow, info.owner) && !info.is_static
}
