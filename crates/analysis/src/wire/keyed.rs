//! Events whose handlers are kept in one list of the object by key objects: the event's way in
//! puts a handler under a key (`Events.AddHandler(RoseKey, value)`), and whoever raises it looks
//! the key up again (`(EventHandler)Events[RoseKey]`).

use std::sync::Arc;

use yarrowgraph_ir::{AccessorKind, MemberKind, Node};

use super::extract::Extractor;
use crate::flow::Val;
use crate::program::{MemberId, Site, Ty};

/// The event whose handlers a local or a cast holds.
pub(super) fn event_in(x: &Extractor<'_, '_>, site: Site) -> Option<Val> {
    let program = x.flow.program;
    let body = program.body(site.member)?;
    let node = match body.node(site.node) {
        Node::Local { init, .. } => init?,
        _ => site.node,
    };
    event_at(x, &x.flow.eval_in(site.member, body.uncast(node)))
}

/// The event whose handlers an entry of such a list holds.
pub(super) fn event_at(x: &Extractor<'_, '_>, entry: &Val) -> Option<Val> {
    let program = x.flow.program;
    let Val::Element(list, Some(key)) = entry else { return None };
    let (owner, name) = match &**list {
        Val::Outside(of, name) => ((**of).clone(), *name),
        Val::Global(name) => (Val::This(program.member(x.member).owner), *name),
        // a list of the object's own: what it is says it
        Val::Member(of, _) => match x.flow.type_of(list) {
            Ty::Outside(name, _) => ((**of).clone(), name),
            _ => return None,
        },
        _ => return None,
    };
    if !program.kit_of(x.member).pack.event_lists.contains(program.text(name)) {
        return None;
    }
    let Val::Static(key) = **key else { return None };
    Some(Val::Member(Arc::new(owner), event_under(x, key)?))
}

/// The event whose way in uses a key.
fn event_under(x: &Extractor<'_, '_>, key: MemberId) -> Option<MemberId> {
    let program = x.flow.program;
    let uses = program.index.reads(program.member(key).name).iter();
    uses.filter(|site| program.member(site.member).kind == MemberKind::Accessor(AccessorKind::Add))
        .filter(|site| matches!(x.flow.eval(**site), Val::Static(m) if m == key))
        .find_map(|site| {
            let accessor = program.member(site.member);
            let of_name = program.own_members(accessor.owner, accessor.name).iter().copied();
            of_name.into_iter().find(|m| program.member(*m).kind == MemberKind::Event)
        })
}
