//! How long subscribers live: those that their subject alone holds, those that are made and handed over, and those that live for the process.

use yarrowgraph_ir::{MemberKind, Node, NodeId, UnaryOp};

use super::teardown;
use crate::flow::{Binding, Val, is_override, returned};
use crate::program::{MemberId, Site, TypeId};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::Effect;
use crate::wire::lifetime;
use crate::wire::once::{self, Lives};

/// Whether the subject alone holds the subscriber, so that both end together: every object of
/// the type is made and let go at once, made by the subject itself, or handed over fresh and knows nothing of its maker.
pub(super) fn is_kept_by_subject(wiring: &Wiring<'_>, effect: &Effect, ty: TypeId, has_teardown: bool, handler: &Val) -> bool {
    let program = wiring.program();
    let dropped = |site: &Site| {
        let Some(body) = program.body(site.member) else { return false };
        matches!(program.scope(site.member).parent(site.node).map(|p| body.node(p)), Some(Node::Block(_)))
    };
    let made: Vec<Site> = lifetime::creations(&wiring.flow, ty).into_iter().filter(|s| !wiring.in_test(s.member)).collect();
    // whoever gives it a teardown, also by way of a base of a library, means it to end before its subject
    let can_end = has_teardown || !program.outside_bases(ty).is_empty();
    let subject = wiring.flow.type_of(&effect.holder.subject).own();
    let owns = |class: TypeId| subject.is_some_and(|subject| program.is_a(subject, class));
    // made by the subject, or by a part that it alone makes
    let by_subject = |site: &Site| {
        let maker = program.member(site.member).owner;
        let made = lifetime::creations(&wiring.flow, maker);
        owns(maker) || !made.is_empty() && made.iter().all(|s| owns(program.member(s.member).owner))
    };
    // what its user may end by hand the subject itself keeps
    let is_lasting = |site: &Site| {
        owns(program.member(site.member).owner)
            && is_lasting_part(wiring, *site).is_some_and(|part| !has_teardown || !lifetime::is_ended(&wiring.flow, part))
    };
    (!can_end && !made.is_empty() && (made.iter().all(dropped) || made.iter().all(by_subject)))
        || !made.is_empty() && made.iter().all(is_lasting)
        || !made.is_empty() && made.iter().all(|s| owns(program.member(s.member).owner) && stands_in_maker(wiring, *s))
        || is_handed_over(wiring, handler)
}

/// Whether the subject's destructor deletes all that are on its list, so that both end together.
pub(super) fn is_deleted_with_subject(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let program = wiring.program();
    let ChannelKey::Own(list, _) = channel.key else { return false };
    let info = program.member(list);
    let destructors = program.ty(info.owner).members.iter().filter(|m| program.member(**m).kind == MemberKind::Destructor);
    destructors.into_iter().any(|destructor| {
        let Some(body) = program.body(*destructor) else { return false };
        let is_list = |node: NodeId| {
            state::any_within(body, node, &|n| matches!(wiring.flow.eval_in(*destructor, n), Val::Member(_, held) if held == list))
        };
        let deletes = |node: NodeId| state::any_within(body, node, &|n| matches!(body.node(n), Node::Unary { op: UnaryOp::Delete, .. }));
        body.ids().any(|n| match body.node(n) {
            Node::ForEach { iterable, body: inner, .. } => is_list(iterable) && deletes(inner),
            Node::Loop { head, body: inner, .. } => body.list(head).iter().any(|h| is_list(*h)) && deletes(inner),
            // `qDeleteAll(gauges)`
            Node::Call { callee, args, .. } => {
                let Node::Name(name) = body.node(callee) else { return false };
                let [all] = body.list(args) else { return false };
                program.unit_of(*destructor).text(name).to_ascii_lowercase().contains("delete") && is_list(*all)
            }
            _ => false,
        })
    })
}

/// Whether a subscriber is an object that stands in the outermost block of where the program starts: it ends with the process.
pub(super) fn is_of_entry(wiring: &Wiring<'_>, handler: &Val) -> bool {
    let program = wiring.program();
    let of = if let Val::Method(_, Some(of)) = handler { of } else { handler };
    let (Val::New(site) | Val::Local(site)) = of else { return false };
    let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return false };
    let declared = std::iter::once(site.node).chain(scope.ancestors(site.node)).find(|n| matches!(body.node(*n), Node::Local { .. }));
    let stands = |local: NodeId| match body.node(local) {
        Node::Local { ty: Some(ty), .. } => {
            // what only some builds have stands in the block around
            let around = scope.ancestors(local).find(|n| !matches!(body.node(*n), Node::Opaque(_) | Node::Variants(_)));
            program.is_by_value(site.member, ty) && around == body.root
        }
        _ => false,
    };
    program.kit_of(site.member).traits.references_dangle && wiring.is_entry_point(site.member) && declared.is_some_and(stands)
}

/// Whether the subject is a part of the very object that subscribes, and stands in it: `desk->bell.rung.connect(desk, &Desk::note)`.
pub(super) fn is_within_subscriber(wiring: &Wiring<'_>, effect: &Effect, handler: &Val) -> bool {
    let program = wiring.program();
    let object = if let Val::Method(_, Some(of)) = handler { of } else { handler };
    let mut at = &effect.holder.subject;
    while let Val::Member(of, field) = at {
        if !program.holds_by_value(*field) || !program.kit_of(*field).traits.references_dangle {
            return false;
        }
        at = of;
        if at == object {
            return true;
        }
    }
    false
}

/// Whether a subscriber is entered under a name of its own in a map whose class gives it back under that: `parts.put(part.name(), part)`.
pub(super) fn is_catalogued(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let (flow, program, site) = (&wiring.flow, wiring.program(), effect.innermost());
    let (ChannelKey::Own(map, _), Some(body)) = (&channel.key, program.body(site.member)) else { return false };
    let Node::Call { args, .. } = body.node(site.node) else { return false };
    let [key, part] = body.list(args) else { return false };
    let is_by_name = body.node(*key) != body.node(*part) && state::any_within(body, *key, &|n| body.node(n) == body.node(*part));
    let is_entry = |value: Val| matches!(value, Val::Element(of, Some(_)) if matches!(&*of, Val::Member(_, m) if m == map));
    let gives_back = |m: &MemberId| returned(program, *m, None).into_iter().any(|node| is_entry(flow.eval_in(*m, node)));
    is_by_name && matches!(body.node(*part), Node::Name(_)) && program.ty(program.member(*map).owner).members.iter().any(gives_back)
}

/// Whether a subscriber makes the subject a part of itself, as a view does with what it shows: `this.add(viewer)`.
pub(super) fn takes_in_subject(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let owner = program.member(effect.site.member).owner;
    if program.outside_bases(owner).is_empty() {
        return false;
    }
    // the subject, or what it is a part of
    let is_subject = |value: &Val| {
        let parts = std::iter::successors(Some(&effect.holder.subject), |v| if let Val::Member(of, _) = v { Some(&**of) } else { None });
        parts.into_iter().any(|part| part == value && !matches!(part, Val::This(_)))
    };
    let Some(body) = program.body(effect.site.member) else { return false };
    let pack = &program.kit_of(effect.site.member).pack;
    body.ids().any(|n| {
        let Node::Call { callee, args, .. } = body.node(n) else { return false };
        let (on_itself, name) = match body.node(callee) {
            Node::Name(name) => (true, name),
            Node::Member { object, name, .. } => (matches!(flow.eval_in(effect.site.member, object), Val::This(_)), name),
            _ => return false,
        };
        on_itself
            && pack.adds.contains(program.unit_of(effect.site.member).text(name))
            && flow.callee(Site { member: effect.site.member, node: n }).is_none()
            && body.list(args).iter().any(|a| is_subject(&flow.eval_in(effect.site.member, *a)))
    })
}

/// The field that an object is made for, with the object whose field that is.
fn made_for(wiring: &Wiring<'_>, made: Site) -> Option<(Val, MemberId)> {
    let program = wiring.program();
    let body = program.body(made.member)?;
    match body.node(program.scope(made.member).parent(made.node)?) {
        Node::Assign { target, value, .. } if value == made.node => match wiring.flow.eval_in(made.member, target) {
            Val::Member(of, field) => Some(((*of).clone(), field)),
            _ => None,
        },
        _ => None,
    }
}

/// Whether the subject is an object of a library's kind that is made for the subscriber, which it is handed as what it belongs to:
/// `d->relay = new Relay(this);`
pub(super) fn is_made_for_subscriber(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Val::Member(_, field) = effect.holder.subject else { return false };
    let is_handed_over = |made: &Site| {
        let Some(body) = program.body(made.member) else { return false };
        let class = flow.type_of_node(made.member, made.node).own();
        let by_subscriber = program.member(made.member).owner == program.member(effect.site.member).owner;
        match body.node(made.node) {
            Node::New { args, .. } => {
                let hands_itself = body.list(args).iter().any(|a| body.node(*a) == Node::This);
                by_subscriber && hands_itself && class.is_some_and(|class| !program.outside_bases(class).is_empty())
            }
            _ => false,
        }
    };
    let definitions = flow.definitions(field).iter().filter(|d| !matches!(flow.eval(**d), Val::Null));
    let mut definitions = definitions.peekable();
    program.kit_of(field).traits.references_dangle && definitions.peek().is_some() && definitions.all(is_handed_over)
}

/// Whether an object is made as a part of its maker, which ends with that.
fn stands_in_maker(wiring: &Wiring<'_>, made: Site) -> bool {
    let program = wiring.program();
    let stands = made_for(wiring, made).is_some_and(|(_, field)| program.holds_by_value(field));
    stands && program.kit_of(made.member).traits.references_dangle
}

/// The field of its maker that an object is made for, where the maker makes this one and no other for it, and never empties it.
fn is_lasting_part(wiring: &Wiring<'_>, made: Site) -> Option<MemberId> {
    let Some((Val::This(_), field)) = made_for(wiring, made) else { return None };
    let is_later = |d: &Site| d.member != field && !wiring.in_test(d.member);
    // or its maker was given it by somebody else
    let is_handed_in = |d: &Site| matches!(wiring.flow.eval(*d), Val::Param(..) | Val::Member(..) | Val::Outside(..));
    let made_here = wiring.flow.definitions(field).iter().filter(|d| is_later(d) && !is_handed_in(d));
    (made_here.count() == 1).then_some(field)
}

/// Whether a handler is an object that is made on the spot and knows nothing of its maker.
pub(super) fn is_handed_over(wiring: &Wiring<'_>, handler: &Val) -> bool {
    let program = wiring.program();
    let Val::New(site) = handler else { return false };
    let Some(created) = wiring.flow.type_of(handler).own() else { return false };
    let t = program.ty(created);
    if t.anonymous {
        return false;
    }
    let knows_its_maker = t.parent.is_some() && !t.modifiers.is_static && program.kit(t.unit).traits.inner_types_capture;
    !knows_its_maker
        && program.body(site.member).is_some_and(|body| match body.node(site.node) {
            // `std::make_unique<Gauge>()` as well
            Node::New { args, .. } | Node::Call { args, .. } => {
                body.list(args).iter().all(|a| !matches!(wiring.flow.eval_in(site.member, *a), Val::This(_)))
            }
            _ => false,
        })
}

/// Whether the object that a handler is a method of is made, and ended again, by the body that subscribes, or by all who hand it
/// to that.
pub(super) fn is_of_ended(wiring: &Wiring<'_>, handler: &Val, effect: &Effect) -> bool {
    let flow = &wiring.flow;
    let made = |of: &Val| match of {
        Val::New(made) => Some(*made),
        Val::Local(local) => flow.local_values(*local).first().map(|value| Site { member: local.member, node: *value }),
        _ => None,
    };
    let is_ended = |of: &Val, by: MemberId| made(of).is_some_and(|m| m.member == by && lifetime::is_ended_where_made(wiring, m));
    let Val::Method(_, Some(of)) = handler else { return false };
    match &**of {
        Val::Param(m, None, index) => {
            let callers = flow.callers((*m, None));
            let hands_ended = |(call, binding): &(Site, Binding)| match binding.args.get(usize::from(*index)) {
                Some(Some(given)) => is_ended(given, call.member),
                _ => false,
            };
            *m == effect.site.member && !callers.is_empty() && callers.iter().all(hands_ended)
        }
        of => is_ended(of, effect.site.member),
    }
}

/// Whether the tree's own code makes objects of a type: if it does not, nothing shows that one ends before the process.
pub(super) fn is_made(wiring: &Wiring<'_>, ty: TypeId) -> bool {
    let program = wiring.program();
    let makes = |t: TypeId| !lifetime::creations(&wiring.flow, t).is_empty();
    makes(ty) || program.heirs(ty).into_iter().any(makes)
}

/// Whether instances of a type need no release: they live for the process, and no teardown
/// of theirs is run by the code.
pub(super) fn lives_on(wiring: &Wiring<'_>, ty: TypeId, subscribed_in: MemberId) -> Lives {
    let mut outer = ty;
    // a class written on the spot, or an inner one, lives as the object around it
    while wiring.program().ty(outer).anonymous {
        match wiring.flow.enclosing_type(outer) {
            Some(o) => outer = o,
            None => break,
        }
    }
    match once::lives_for_process(wiring, outer) {
        Lives::Yes if teardown_is_run(wiring, outer, subscribed_in) || is_ended_by_library(wiring, outer) => Lives::No,
        lives => lives,
    }
}

/// Whether an object of a type ends by what its base of a library has for that: `form.Close()`.
fn is_ended_by_library(wiring: &Wiring<'_>, ty: TypeId) -> bool {
    let program = wiring.program();
    if program.outside_bases(ty).is_empty() {
        return false;
    }
    let teardowns = &program.kit(program.ty(ty).unit).pack.teardowns;
    let names =
        teardowns.iter().filter_map(|name| program.symbols.get(name)).filter(|name| program.find_member_as(ty, *name, true).is_none());
    names.flat_map(|name| program.index.calls(name)).any(|call| {
        let is_one = || {
            wiring
                .flow
                .receiver(*call)
                .is_some_and(|(of, _)| matches!(of, Val::New(_) | Val::Local(_)) && wiring.flow.type_of(&of).own() == Some(ty))
        };
        !wiring.in_test(call.member) && is_one()
    })
}

/// The hook that ends what an entry hook begins, where something is subscribed in that: `onHide` for `onShow`.
fn exit_hook(wiring: &Wiring<'_>, ty: TypeId, subscribed_in: MemberId) -> Option<MemberId> {
    let program = wiring.program();
    let name = program.text(program.member(subscribed_in).name);
    let exits = program.kit_of(subscribed_in).pack.pairs.iter().filter(|(entry, _)| entry == name);
    let mut hooks = exits.filter_map(|(_, exit)| program.find_member(ty, program.symbols.get(exit)?));
    hooks.find(|hook| program.body(*hook).is_some_and(|b| b.root.is_some()))
}

fn teardown_is_run(wiring: &Wiring<'_>, ty: TypeId, subscribed_in: MemberId) -> bool {
    let ending = teardown::teardown_of(wiring, ty, Some(subscribed_in)).or_else(|| exit_hook(wiring, ty, subscribed_in));
    let Some(teardown) = ending else { return false };
    let program = wiring.program();
    let name = program.member(teardown).name;
    // a block that ends what it begins with runs it too
    let in_block = |made: &Site| !wiring.in_test(made.member) && lifetime::block_that_ends(program, *made).is_some();
    if wiring.flow.creations(ty).iter().any(in_block) {
        return true;
    }
    program.index.calls(name).iter().any(|site| {
        // calling up from the override of it ends nobody's life, and a test's object is its own
        let around = program.member(site.member);
        let calls_up = around.name == name && program.is_a(ty, around.owner);
        !calls_up
            && !wiring.in_test(site.member)
            && wiring.flow.callee(*site).is_some_and(|c| c.member == teardown || is_override(&wiring.flow, teardown, c.member))
    })
}
