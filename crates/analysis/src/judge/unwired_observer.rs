//! Rule `unwired-observer`: a class observes, or a method is shaped as a handler, and nothing attaches it.

use std::cell::LazyCell;
use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

use super::{Draft, Page, Rule, plain, related, short};
use crate::command;
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Sym, Ty, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Act, Effect};

pub(super) const RULE: Rule = Rule {
    name: "unwired-observer",
    summary: "a class implements an observer interface, or a method has the shape of a handler, and nothing attaches it",
    level: Level::Warning,
    page: Page {
        symptom: "Something was written to react to a change, and never does.",
        cause: "The line that attaches it was forgotten, or taken out with something else.",
        cure: "Attach it where its siblings are attached, or take it out.",
        silent: "It is attached somewhere, handed to something that may attach it, called by name, named in markup, or made by a container or a loader.",
        accept: "Another tree attaches it.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = classes(wiring);
    drafts.extend(alike(wiring));
    drafts.extend(annotated(wiring));
    drafts.extend(methods(wiring));
    drafts
}

/// The classes of what is attached to a channel; none where it is not known of somebody.
fn attached(wiring: &Wiring<'_>, channel: &Channel) -> Option<FxHashSet<TypeId>> {
    let joins = channel.joins.iter().flat_map(|j| wiring.parts_of(*j));
    joins
        .map(|j| {
            let handler = wiring.effects[j].handler.as_ref()?;
            match handler {
                Val::Method(m, None) => Some(wiring.program().member(*m).owner),
                Val::Method(_, Some(of)) => wiring.flow.type_of(of).own(),
                Val::Lambda(m, _) => Some(wiring.program().member(*m).owner),
                other => wiring.flow.type_of(other).own(),
            }
        })
        .collect()
}

/// Classes that implement the interface of a channel's observers.
fn classes(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    // by interface what channels hold such observers
    let mut by_interface: BTreeMap<TypeId, Vec<&Channel>> = BTreeMap::new();
    for channel in &wiring.channels {
        let ChannelKey::Own(m, _) = channel.key else { continue };
        let held = wiring.flow.element_held(m).own();
        let told = channel.raises.iter().any(|r| wiring.effects[*r].message.is_some());
        // a widget that others extend is no observer
        let is_base = |t: TypeId| program.heirs(t).len() > 1 && program.outside_bases(t).is_empty();
        let observer = held.filter(|t| program.ty(*t).kind == TypeKind::Interface || program.ty(*t).modifiers.is_abstract || is_base(*t));
        if let Some(interface) = observer.filter(|_| told && !wiring.in_test(m)) {
            by_interface.entry(interface).or_default().push(channel);
        }
    }
    let raised = || wiring.effects.iter().filter(|e| e.act == Act::Raise).map(Effect::innermost);
    let told: LazyCell<FxHashSet<Site>, _> = LazyCell::new(|| raised().collect());
    let mut drafts = Vec::new();
    for (interface, channels) in &by_interface {
        let known: Vec<Option<FxHashSet<TypeId>>> = channels.iter().map(|c| attached(wiring, c)).collect();
        if channels.iter().all(|c| c.joins.is_empty()) || only_ends(wiring, channels) {
            continue;
        }
        // few classes come that far, and this goes over all calls of a name
        let otherwise = LazyCell::new(|| is_told_otherwise(wiring, &told, channels, *interface));
        let handed = LazyCell::new(|| handed_elsewhere(wiring, channels, *interface));
        let all: FxHashSet<TypeId> = known.iter().flatten().flatten().copied().collect();
        // who is attached under the name of the interface, or of a base, may be anybody
        let open = known.iter().any(Option::is_none)
            || channels.iter().any(|c| begins_with_others(wiring, c))
            || all.contains(interface)
            || all.iter().any(|t| program.ty(*t).modifiers.is_abstract);
        for class in program.heirs(*interface).into_iter().skip(1) {
            let is_attached = |class: TypeId| {
                all.iter().any(|t| {
                    program.is_a(class, *t) && !program.ty(*t).modifiers.is_abstract && *t != *interface || program.is_a(*t, class)
                })
            };
            let t = program.ty(class);
            let concrete = matches!(t.kind, TypeKind::Class | TypeKind::Struct) && !t.modifiers.is_abstract && !t.anonymous;
            if !concrete
                || is_attached(class)
                || attaches_itself(wiring, channels, class)
                || is_hollow(wiring, class)
                || !is_plain(wiring, class)
                || implements_more(wiring, class, *interface)
            {
                continue;
            }
            if may_be_handed_over(wiring, class, open) || *otherwise || handed.iter().any(|t| program.is_a(*t, class)) {
                continue;
            }
            let Some(place) = program.type_place(class) else { continue };
            let id = program.type_id(class);
            let first = channels[0];
            let what = short(&first.id);
            let held = match first.key {
                ChannelKey::Own(m, _) => vec![related(format!("`{what}` holds such observers"), program.member_place(m))],
                _ => Vec::new(),
            };
            drafts.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place,
                message: format!("`{}` implements `{}` and is never put on `{what}`", short(&id), short(&program.type_id(*interface))),
                related: held,
                parties: vec![id],
                edit: None,
            });
        }
    }
    drafts
}

/// Whether a roster is made with those that its owner is handed: `_weighers = new List<IWeigher>(weighers)`.
fn begins_with_others(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let ChannelKey::Own(roster, _) = channel.key else { return false };
    flow.definitions(roster).iter().any(|d| {
        let is_handed = |n: NodeId| matches!(flow.eval_in(d.member, n), Val::Param(..));
        program.body(d.member).is_some_and(|body| match body.node(d.node) {
            Node::New { args, .. } | Node::Call { args, .. } => body.list(args).iter().any(|a| is_handed(*a)),
            _ => is_handed(d.node),
        })
    })
}

/// Classes of a language without interfaces that have the very method which only a channel calls, as those have that are on it.
fn alike(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        let ChannelKey::Own(holder, None) = channel.key else { continue };
        if !program.kit_of(holder).traits.fits_by_shape || wiring.in_test(holder) || channel.joins.is_empty() {
            continue;
        }
        let messages: BTreeSet<Sym> = channel.raises.iter().filter_map(|r| wiring.effects[*r].message).collect();
        let (Some(message), Some(known)) = (messages.first().filter(|_| messages.len() == 1), attached(wiring, channel)) else { continue };
        let tells = |site: &Site| channel.raises.iter().any(|r| wiring.effects[*r].innermost() == *site);
        if !program.index.calls(*message).iter().all(tells) {
            continue;
        }
        for (index, _) in program.types.iter().enumerate().filter(|(_, ty)| ty.kind == TypeKind::Class && !ty.is_module && !ty.anonymous) {
            let class = TypeId(index as u32);
            let has_it = program.own_members(class, *message).iter().any(|m| program.member(*m).kind == MemberKind::Method);
            let is_known = || known.iter().any(|t| program.are_kin(class, *t));
            if !has_it
                || is_known()
                || program.heirs(class).len() > 1
                || attaches_itself(wiring, &[channel], class)
                || !is_plain(wiring, class)
                || may_be_handed_over(wiring, class, false)
            {
                continue;
            }
            let (Some(place), id) = (program.type_place(class), program.type_id(class)) else { continue };
            let what = short(&channel.id);
            drafts.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place,
                message: format!("`{}` has `{}`, which only `{what}` calls, and is never put on it", short(&id), program.text(*message)),
                related: vec![related(format!("`{what}` holds such observers"), program.member_place(holder))],
                parties: vec![id],
                edit: None,
            });
        }
    }
    drafts
}

/// Whether a class, or a base of it, puts itself on one of some channels.
fn attaches_itself(wiring: &Wiring<'_>, channels: &[&Channel], class: TypeId) -> bool {
    let program = wiring.program();
    let seen = channels.iter().flat_map(|c| &c.joins).any(|j| {
        let effect = &wiring.effects[*j];
        matches!(&effect.handler, Some(Val::This(t)) if program.is_a(class, *t))
            || effect
                .inner
                .iter()
                .any(|s| program.is_a(class, program.member(s.member).owner) && matches!(&effect.handler, Some(Val::This(_))))
    });
    // or by the name of a way in, where it is not seen of whom it is asked
    let ways_in = channels.iter().flat_map(|c| &c.joins).flat_map(|j| &wiring.effects[*j].inner).map(|s| program.member(s.member).name);
    let hands_itself = |call: &Site| match program.body(call.member).map(|b| (b, b.node(call.node))) {
        Some((body, Node::Call { args, .. })) => body.list(args).iter().any(|a| matches!(body.node(*a), Node::This)),
        _ => false,
    };
    let own = |call: &&Site| program.is_a(class, program.member(call.member).owner);
    seen || ways_in.collect::<BTreeSet<Sym>>().into_iter().flat_map(|name| program.index.calls(name)).filter(own).any(hands_itself)
}

/// The types of what is handed as such an observer to a method of the tree that puts nothing on the channels, or is put in a field
/// for one: to keep it in a way that is not seen.
fn handed_elsewhere(wiring: &Wiring<'_>, channels: &[&Channel], interface: TypeId) -> FxHashSet<TypeId> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let ways_in: FxHashSet<MemberId> =
        channels.iter().flat_map(|c| &c.joins).flat_map(|j| wiring.effects[*j].inner.iter().map(|s| s.member)).collect();
    let takes_one =
        |m: MemberId| program.decl(m).params.iter().any(|p| p.ty.is_some_and(|ty| program.type_in(m, ty).own() == Some(interface)));
    let mut handed = FxHashSet::default();
    let mut add = |member: MemberId, node: NodeId| handed.extend(flow.type_of_node(member, node).own());
    for m in (0..program.members.len()).map(|i| MemberId(i as u32)) {
        match program.member(m).kind {
            MemberKind::Field | MemberKind::Property if program.declared_type(m).own() == Some(interface) => {
                flow.definitions(m).iter().for_each(|d| add(d.member, d.node));
            }
            MemberKind::Method | MemberKind::Constructor if !ways_in.contains(&m) && takes_one(m) => {
                for call in flow.call_sites(m) {
                    let Some(body) = program.body(call.member) else { continue };
                    let (Node::Call { args, .. } | Node::New { args, .. }) = body.node(call.node) else { continue };
                    body.list(args).iter().for_each(|arg| add(call.member, *arg));
                }
            }
            _ => {}
        }
    }
    handed
}

/// Whether a class does nothing at all: others extend it for what they do not want to write out.
fn is_hollow(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let mut methods = program.ty(class).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method).peekable();
    methods.peek().is_some() && methods.all(|m| command::is_empty(program, *m))
}

/// Whether all that a list does with what it holds is to end it: what it holds are parts, and no observers.
fn only_ends(wiring: &Wiring<'_>, channels: &[&Channel]) -> bool {
    let program = wiring.program();
    let raises = || channels.iter().flat_map(|c| &c.raises).map(|r| &wiring.effects[*r]);
    raises().next().is_some() && raises().all(|e| e.message.is_some_and(|m| program.kit_of(e.site.member).pack.ends(program.text(m))))
}

/// Whether what the channels tell their observers is also asked of such objects past any channel, so that a class may be there
/// for that.
fn is_told_otherwise(wiring: &Wiring<'_>, told: &FxHashSet<Site>, channels: &[&Channel], interface: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let messages: BTreeSet<Sym> = channels.iter().flat_map(|c| &c.raises).filter_map(|r| wiring.effects[*r].message).collect();
    messages.into_iter().flat_map(|m| program.index.calls(m)).any(|call| {
        !wiring.in_test(call.member)
            && !told.contains(call)
            && flow.receiver(*call).is_some_and(|(of, _)| {
                // what an heir asks of its own object, or of its base, is no other use
                !matches!(of, Val::This(_)) && flow.type_of(&of).own().is_some_and(|t| program.is_a(t, interface))
            })
    })
}

/// Whether a class is the program's own: no test, not generated, not made by a container, nothing for other trees.
fn is_plain(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let t = program.ty(class);
    let unit = program.unit(t.unit);
    let declared_for_others = wiring.is_open && t.modifiers.visibility > yarrowgraph_ir::Visibility::Internal;
    let annotated = t.decls.iter().any(|(u, d)| !program.unit(*u).ty(*d).annotations.is_empty());
    let name = program.text(t.name);
    !program.is_test(t.unit) && !unit.generated && !declared_for_others && !annotated && !wiring.is_named_in_markup(name)
}

/// Whether a class is an observer among other things: another interface of the tree may be what it is for.
fn implements_more(wiring: &Wiring<'_>, class: TypeId, interface: TypeId) -> bool {
    let program = wiring.program();
    let mut more = false;
    program.for_each_base(class, &mut |t| {
        more |= t != class && t != interface && program.ty(t).kind == TypeKind::Interface && !program.are_kin(interface, t);
        !more
    });
    more
}

/// Whether an object of a class is given to somebody who may attach it. Where the classes of all that is attached are
/// known, nobody else matters.
fn may_be_handed_over(wiring: &Wiring<'_>, class: TypeId, open: bool) -> bool {
    let program = wiring.program();
    let creations = wiring.flow.creations(class);
    if creations.is_empty() {
        // made by its name, or by nobody
        return program.index.is_text(program.text(program.ty(class).name), &program.symbols) || !wiring.is_application;
    }
    // put on a channel as it is made, a record around an observer for instance
    let is_put_on = |site: &Site| {
        program.scope(site.member).ancestors(site.node).any(|node| wiring.effects_at(Site { member: site.member, node }).next().is_some())
    };
    if creations.iter().any(is_put_on) {
        return true;
    }
    open && creations.iter().filter(|s| !wiring.in_test(s.member)).any(|site| escapes(wiring, *site))
}

/// Whether what is made at a place is used for anything else than to be called.
fn escapes(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return true };
    let scope = program.scope(site.member);
    let Some(parent) = scope.parent(site.node) else { return true };
    match body.node(parent) {
        Node::Member { .. } => false,
        Node::Block(_) => false,
        Node::Local { name, .. } => {
            let uses = program.index.reads(program.sym_in(site.member, name)).iter().filter(|r| r.member == site.member);
            uses.filter(|r| scope.lookup(name, r.node) == Some(crate::program::Declared::Local(parent)))
                .any(|r| !matches!(scope.parent(r.node).map(|p| body.node(p)), Some(Node::Member { object, .. }) if object == r.node))
        }
        _ => true,
    }
}

/// Classes whose annotated methods a bus would tell, and that are registered nowhere.
fn annotated(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    if !wiring.effects.iter().any(|e| e.by_annotation) {
        return Vec::new();
    }
    let told: FxHashSet<TypeId> = wiring
        .effects
        .iter()
        .filter_map(|e| match &e.handler {
            Some(Val::Method(m, of)) => Some(of.as_ref().and_then(|of| wiring.flow.type_of(of).own()).unwrap_or(program.member(*m).owner)),
            Some(other) => wiring.flow.type_of(other).own(),
            None => None,
        })
        .collect();
    // where a container makes some of them, it may make any
    let annotated = wiring.effects.iter().filter(|e| e.by_annotation && e.act == Act::Join).filter_map(|e| match &e.handler {
        Some(Val::Method(m, _)) => Some(program.member(*m).owner),
        _ => None,
    });
    let makes_all = !wiring.is_open && annotated.into_iter().all(|t| !wiring.flow.creations(t).is_empty());
    let mut drafts = Vec::new();
    let mut classes = BTreeSet::new();
    for index in 0..program.members.len() {
        let m = MemberId(index as u32);
        if program.is_annotated(m, &program.kit_of(m).pack.handler_annotations) {
            classes.insert((program.member(m).owner, m));
        }
    }
    let mut seen = FxHashSet::default();
    for (class, method) in classes {
        let t = program.ty(class);
        let is_registered = told.iter().any(|known| program.are_kin(*known, class));
        if is_registered || t.modifiers.is_abstract || !seen.insert(class) || !is_plain(wiring, class) || program.heirs(class).len() > 1 {
            continue;
        }
        let creations = wiring.flow.creations(class);
        if creations.is_empty() && !makes_all || creations.iter().any(|s| !wiring.in_test(s.member) && escapes(wiring, *s)) {
            continue;
        }
        let Some(place) = program.type_place(class) else { continue };
        let id = program.type_id(class);
        drafts.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place,
            message: format!("`{}` has methods that a bus would tell, and is never registered with one", short(&id)),
            related: vec![related("this method is annotated for it", program.member_place(method))],
            parties: vec![id],
            edit: None,
        });
    }
    drafts
}

/// Methods named after an event of the tree, with its parameters, that nothing attaches, calls or names.
fn methods(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    // what a handler of each channel is called, and what it is told
    let mut wanted: Vec<(String, usize, Vec<Ty>, &Channel)> = Vec::new();
    for channel in &wiring.channels {
        let name = match (&channel.key, channel.key.named_topic()) {
            (ChannelKey::Own(m, None), _) if matches!(channel.kind, ChannelKind::Event | ChannelKind::Delegate | ChannelKind::Signal) => {
                program.text(program.member(*m).name).to_owned()
            }
            (_, Some(topic)) => topic.to_owned(),
            _ => continue,
        };
        // the parameters of those that are attached
        for join in &channel.joins {
            if let Some(Val::Method(m, _)) = &wiring.effects[*join].handler {
                let types =
                    program.decl(*m).params.iter().map(|p| p.ty.map_or(Ty::Unknown, |t| program.type_in(*m, t))).collect::<Vec<_>>();
                wanted.push((plain(&name), types.len(), types, channel));
            }
        }
        wanted.push((plain(&name), usize::MAX, Vec::new(), channel));
    }
    let mut drafts = Vec::new();
    // what puts others on a channel is a way in, and no handler
    let joining: FxHashSet<MemberId> = wiring.effects.iter().filter(|e| e.act == Act::Join).map(|e| e.innermost().member).collect();
    for index in 0..program.members.len() {
        let m = MemberId(index as u32);
        let info = program.member(m);
        let name = program.text(info.name);
        let Some(stem) = ["On", "on", "Handle", "handle"]
            .iter()
            .find_map(|p| name.strip_prefix(p))
            .filter(|s| s.starts_with(char::is_uppercase) || s.starts_with('_'))
        else {
            continue;
        };
        if info.kind != MemberKind::Method
            || joining.contains(&m)
            || !is_unused(wiring, m)
            || !is_plain(wiring, info.owner)
            || calls_what_it_is_handed(wiring, m)
        {
            continue;
        }
        let stem = plain(stem);
        // a sibling of the same class is attached
        let sibling = wiring.handlers_of(info.owner);
        let params = program.decl(m).params.len();
        let types: Vec<Ty> = program.decl(m).params.iter().map(|p| p.ty.map_or(Ty::Unknown, |t| program.type_in(m, t))).collect();
        let by_name = wanted.iter().find(|(topic, ..)| *topic == stem && params > 0);
        let by_shape =
            wanted.iter().find(|(_, count, shape, _)| *count == params && params > 1 && *shape == types && !types.contains(&Ty::Unknown));
        let Some((_, _, _, channel)) = by_name.filter(|_| sibling).or(by_shape.filter(|_| sibling)) else { continue };
        let id = program.member_id(m);
        let what = short(&channel.id);
        drafts.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place: program.member_place(m),
            message: format!("`{}` has the shape of a handler of `{what}`, and nothing attaches or calls it", short(&id)),
            related: Vec::new(),
            parties: vec![id],
            edit: None,
        });
    }
    drafts
}

/// Whether nothing calls, reads, overrides or demands a method.
fn is_unused(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let decl = program.decl(m);
    let pack = &program.kit_of(m).pack;
    let unit = program.unit_of(m);
    let text = program.text(info.name);
    let demanded = {
        let mut demanded = false;
        program.for_each_base(info.owner, &mut |t| {
            demanded |= t != info.owner && !program.own_members(t, info.name).is_empty();
            !demanded
        });
        demanded
    };
    // what is done to a method of the same name of another class does not count
    let may_call = |call: &Site| wiring.flow.callee(*call).is_none_or(|c| c.member == m);
    let may_read = |read: &Site| !matches!(wiring.flow.eval(*read), Val::Method(other, _) if other != m);
    !program.index.calls(info.name).iter().any(may_call)
        && !program.index.reads(info.name).iter().any(may_read)
        && !program.index.is_text(text, &program.symbols)
        && !decl.modifiers.is_override
        && !decl.modifiers.is_invokable
        && !decl.modifiers.is_abstract
        && program.body(m).is_some()
        && decl.annotations.is_empty()
        && !demanded
        && program.outside_bases(info.owner).is_empty()
        && !pack.hooks.contains(text)
        && !wiring.is_in_markup(m)
        && !unit.generated
        && !wiring.in_test(m)
}

/// Whether a method calls a function that it is handed: `onRise(callback) { this.onChange(change => callback(change.cm)); }`
fn calls_what_it_is_handed(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(m), program.scope(m)) else { return false };
    body.ids().any(|n| match body.node(n) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Name(name) => matches!(scope.lookup(name, callee), Some(Declared::Param(None, _))),
            _ => false,
        },
        _ => false,
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_class_that_nobody_attaches() {
        expect(
            "unwired-observer",
            r#"
//// dock/Ramps.java
package dock;
import java.util.*;
interface RampWatch { void moved(int cm); }
final class Board implements RampWatch { int last; public void moved(int cm) { last = cm; } }
final class Lamp implements RampWatch { int lit; public void moved(int cm) { lit = cm; } int colour() { return lit; } } //! unwired-observer warning
final class Bell implements RampWatch { int n; public void moved(int cm) { n++; } }
final class Ramp {
    private final List<RampWatch> watches = new ArrayList<>();
    void add(RampWatch w) { watches.add(w); }
    void remove(RampWatch w) { watches.remove(w); }
    void move(int cm) { for (RampWatch w : watches) w.moved(cm); }
}
class Dock {
    public static void main(String[] args) {
        Ramp ramp = new Ramp();
        Lamp lamp = new Lamp();
        ramp.add(new Board());
        for (RampWatch w : List.of(new Bell())) ramp.add(w);
        System.out.println(lamp.colour());
        ramp.move(3);
    }
}
"#,
        );
    }

    #[test]
    fn a_handler_beside_its_attached_sibling() {
        expect(
            "unwired-observer",
            r#"
//// ledger.ts
import { EventEmitter } from "events";
export const oven = new EventEmitter();
class Ledger {
  n = 0;
  constructor() { oven.on("batchOpened", (b: string) => this.onBatchOpened(b)); oven.on("batchClosed", () => console.log(1)); }
  private onBatchOpened(batch: string) { this.n++; }
  onBatchClosed(batch: string) { this.n--; } //! unwired-observer warning
  onOther(batch: string) { this.n--; }
}
new Ledger();
oven.emit("batchOpened", "a"); oven.emit("batchClosed", "a");
"#,
        );
    }

    #[test]
    fn a_method_that_calls_what_it_is_handed_is_a_way_in() {
        expect(
            "unwired-observer",
            r#"
//// log.ts
import { EventEmitter } from 'events';
export const bus = new EventEmitter();
export class Log {
    lines = 0;
    constructor() { bus.on('entry', n => this.onEntry(n)); bus.on('risen', this.onRise.bind(this)); bus.on('fallen', n => console.log(n)); }
    onEntry(n: number) { this.lines += n; }
    onRise(n: number) { this.lines = n; }
    onFallen(callback: (n: number) => void) { this.onAny(n => { if (n < 0) callback(n); }); }
    onAny(callback: (n: number) => void) { this.callbacks.push(callback); }
    private callbacks: ((n: number) => void)[] = [];
}
new Log();
bus.emit('entry', 1);
bus.emit('risen', 2);
bus.emit('fallen', 3);
"#,
        );
    }
}
