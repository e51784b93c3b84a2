//! What makes up for a release: handles that are kept, what is taken off by other ways, a subject that ends, and releases that miss.

use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId, UnaryOp};

use super::teardown::takes_one_off;
use crate::flow::{Val, object_of};
use crate::judge::futile_unsubscribe::{other_topic, put_on_wrapped};
use crate::program::{MemberId, Site, Ty, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::{Act, Effect};
use crate::wire::handles::{self, Fate};
use crate::wire::pairs;
use crate::wire::release::{self, Same};

/// Whether something makes up for the end of a subscription, where the releases are known that can take it off.
pub(super) fn is_released(wiring: &Wiring<'_>, channel: &Channel, join: usize, releases: &[usize], subscriber: Option<TypeId>) -> bool {
    let effect = &wiring.effects[join];
    if subscriber.is_some_and(|s| keeper_is_replaced(wiring, effect, s)) {
        return false;
    }
    if !releases.is_empty() {
        return true;
    }
    if effect.handle && handles::fate(&wiring.flow, effect.site) == Fate::Kept {
        return true;
    }
    if subscriber.is_some_and(|s| is_taken_off_what_was_there(wiring, effect, s)) {
        return true;
    }
    if is_taken_off_by_name(wiring, effect) || subscriber.is_some_and(|s| takes_itself_off_unknown(wiring, effect, s)) {
        return true;
    }
    if is_taken_off_unseen(wiring, effect) || is_kept_in_scope(wiring, effect.site) || is_emptied_when_told(wiring, channel) {
        return true;
    }
    // a wrapper of somebody else that keeps what it was given back
    let (own, program) = (wiring.program().member(effect.site.member).owner, wiring.program());
    let is_kept_elsewhere = |s: &Site| {
        let wrapper = program.member(s.member).owner;
        !program.are_kin(own, wrapper) && is_stored_there(wiring, *s) && handles::fate(&wiring.flow, *s) == Fate::Kept
    };
    if effect.inner.iter().any(is_kept_elsewhere) {
        return true;
    }
    // a wrapper of the base class that keeps what it handed on
    effect.inner.len() > 1 && effect.inner.iter().any(|s| handles::fate(&wiring.flow, *s) == Fate::Kept && is_call(wiring, *s))
}

/// Whether what a call gives back is stored right there, or put among others.
fn is_stored_there(wiring: &Wiring<'_>, call: Site) -> bool {
    let program = wiring.program();
    let around = program.body(call.member).and_then(|body| Some((body, body.node(program.scope(call.member).parent(call.node)?))));
    match around {
        Some((body, Node::Call { args, .. })) => body.list(args).contains(&call.node),
        Some((_, Node::Assign { value, .. })) => value == call.node,
        _ => false,
    }
}

/// The way out of a method between a subscription that is meant for its length and the release, which that way does not come to.
pub(super) fn way_past_release(wiring: &Wiring<'_>, join: usize, releases: &[usize]) -> Option<Site> {
    let effect = &wiring.effects[join];
    let member = effect.site.member;
    let (body, scope) = (wiring.program().body(member)?, wiring.program().scope(member));
    let releases = releases.iter().map(|l| &wiring.effects[*l]);
    let mut same = releases.filter(|l| release::same_handler(&wiring.flow, effect, l) == Same::Yes);
    let (Some(release), None) = (same.next().map(|l| l.site), same.next()) else { return None };
    let function = scope.function_around(body, effect.site.node);
    let is_kept = effect.handle && handles::fate(&wiring.flow, effect.site) == Fate::Kept;
    let is_here = release.member == member && scope.function_around(body, release.node) == function;
    let is_plain = effect.inner.len() <= 1 && !is_kept && is_here;
    let block = scope.ancestors(effect.site.node).find(|n| matches!(body.node(*n), Node::Block(_))).filter(|_| is_plain)?;
    let Node::Block(list) = body.node(block) else { return None };
    let statements = body.list(list);
    let at = |node: NodeId| statements.iter().position(|s| scope.is_within(node, *s));
    let (put_on, taken_off) = (at(effect.site.node)?, at(release.node)?);
    // only a plain statement is always come to
    let is_statement = scope.parent(release.node) == Some(block);
    let leaves = |n: &NodeId| matches!(body.node(*n), Node::Return(_)) && scope.function_around(body, *n) == function;
    let between = statements.get(put_on + 1..taken_off).filter(|_| is_statement)?;
    let returns = between.iter().flat_map(|s| scope.within(*s)).find(leaves);
    returns.map(|node| Site { member, node })
}

/// Whether the subscriber takes the same handler off something of its own, by the same topic, where it was put on what a variable of
/// all of them stands for at the time: `root = el; on(root, 'drag', h); … off(this.el, 'drag', h)`.
fn is_taken_off_what_was_there(wiring: &Wiring<'_>, join: &Effect, subscriber: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Val::Static(variable) = join.holder.subject else { return false };
    if flow.definitions(variable).len() < 2 {
        return false;
    }
    let mut own = program.ty(subscriber).members.iter().flat_map(|m| wiring.effects_in(*m));
    own.any(|e| {
        e.act == Act::Leave
            && e.holder.event == join.holder.event
            && e.holder.key == join.holder.key
            && matches!(e.holder.subject.root(), Val::This(_) | Val::Local(_))
            && release::same_handler(flow, join, e) == Same::Yes
    })
}

/// Whether each raise of a channel empties it right after, so that whoever is told is told once: `answered(x); answered = null;`
fn is_emptied_when_told(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let effects = &wiring.effects;
    let empties_after = |raise: Site| {
        let scope = wiring.program().scope(raise.member);
        let mut leaves = channel.leaves.iter().map(|l| &effects[*l]);
        leaves.any(|l| l.act == Act::LeaveAll && l.site.member == raise.member && scope.is_before(raise.node, l.site.node))
    };
    !channel.raises.is_empty() && channel.raises.iter().all(|r| empties_after(effects[*r].site))
}

/// Whether a wrapper of a base class keeps what it is given back, and the method that lets it go does not run for a subscriber
/// that has another one in its place and does not call up.
fn keeper_is_replaced(wiring: &Wiring<'_>, join: &Effect, subscriber: TypeId) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let kept = join.inner.iter().find_map(|wrapper| {
        let (body, scope) = (program.body(wrapper.member)?, program.scope(wrapper.member));
        let list = match body.node(scope.parent(wrapper.node)?) {
            Node::Call { callee, .. } => match body.node(callee) {
                Node::Member { object, name, .. } => {
                    let text = program.unit_of(wrapper.member).text(name);
                    program.kit_of(wrapper.member).pack.adds.contains(text).then_some(object)?
                }
                _ => return None,
            },
            Node::Assign { target, .. } => target,
            _ => return None,
        };
        match flow.eval_in(wrapper.member, list) {
            Val::Member(of, field) if matches!(*of, Val::This(_)) => Some((field, wrapper.member)),
            _ => None,
        }
    });
    let Some((field, wrapper)) = kept else { return false };
    let owner = program.member(field).owner;
    if subscriber == owner || !program.is_a(subscriber, owner) {
        return false;
    }
    let lets_go: Vec<MemberId> = program
        .index
        .reads(program.member(field).name)
        .iter()
        .map(|s| s.member)
        .filter(|m| *m != wrapper && program.member(*m).owner == owner && program.member(*m).kind == MemberKind::Method)
        .collect();
    let runs = |m: &MemberId| {
        let own = program.find_member_as(subscriber, program.member(*m).name, true);
        own.is_none_or(|own| own == *m)
            || flow.call_sites(*m).iter().any(|call| program.is_a(subscriber, program.member(call.member).owner))
    };
    !lets_go.is_empty() && !lets_go.iter().any(runs)
}

/// Whether a wrapper puts a function aside that takes off what it has put on, and the subscriber runs those that were put aside:
/// `cleanups.add(() -> gauge.leave(reader))`. A method in whose place another one stands does not run.
pub(super) fn is_put_aside(wiring: &Wiring<'_>, join: &Effect, subscriber: TypeId) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let runs = |kept: MemberId| {
        wiring.effects_on(kept).filter(|e| e.act == Act::Raise && e.inner.is_empty()).any(|e| {
            let runner = e.site.member;
            let actual = program.find_member_as(subscriber, program.member(runner).name, true);
            actual.is_some_and(|a| a == runner || flow.call_sites(runner).iter().any(|call| call.member == a))
        })
    };
    join.inner.iter().any(|wrapper| {
        let (Some(body), scope) = (program.body(wrapper.member), program.scope(wrapper.member)) else { return false };
        let takes_off = |e: &&Effect| {
            e.act == Act::Leave
                && e.holder.event == join.holder.event
                && matches!(e.handler, Some(Val::Param(m, None, _)) if m == wrapper.member)
        };
        wiring.effects_in(wrapper.member).filter(takes_off).any(|leave| {
            let function = scope.ancestors(leave.site.node).find(|n| matches!(body.node(*n), Node::Lambda(_)));
            let kept = match function.and_then(|f| scope.parent(f)).map(|p| body.node(p)) {
                Some(Node::Call { callee, .. }) => match body.node(callee) {
                    Node::Member { object, .. } => flow.eval_in(wrapper.member, object),
                    _ => return false,
                },
                Some(Node::Assign { target, .. }) => flow.eval_in(wrapper.member, target),
                _ => return false,
            };
            matches!(kept, Val::Member(_, m) | Val::Static(m) if runs(m))
        })
    })
}

/// Whether what is put on waits for one answer: under a number that the way in counts up and tells nobody, `waiting[++this.last] = done`.
pub(super) fn awaits_answer(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let innermost = effect.innermost();
    let Some(body) = wiring.program().body(innermost.member).filter(|_| !effect.inner.is_empty()) else { return false };
    let (member, flow) = (innermost.member, &wiring.flow);
    let counts = |n: NodeId| match body.node(n) {
        Node::Unary { op: UnaryOp::Step { .. }, operand } => Some(operand),
        Node::Assign { op, value, target } => {
            let steps = !matches!(op, AssignOp::Set) || matches!(body.node(value), Node::Binary { .. } | Node::Plain);
            steps.then_some(target)
        }
        _ => None,
    };
    let is_counted = match &effect.holder.key {
        Some(Val::Local(key)) if key.member == member => {
            matches!(body.node(key.node), Node::Local { init: Some(init), .. } if counts(init).is_some())
        }
        Some(Val::Member(_, key)) => {
            body.ids().filter_map(counts).any(|target| matches!(flow.eval_in(member, target), Val::Member(_, m) if m == *key))
        }
        _ => false,
    };
    let is_key = |v: Val| match (v, &effect.holder.key) {
        (Val::Member(_, a), Some(Val::Member(_, b))) => a == *b,
        (v, key) => Some(v) == *key,
    };
    let is_told = |n: NodeId| matches!(body.node(n), Node::Return(Some(value)) if is_key(flow.eval_in(member, value)));
    is_counted && !body.ids().any(is_told)
}

/// Whether what a subscription gives back is kept in a member whose own end releases it.
fn is_kept_in_scope(wiring: &Wiring<'_>, join: Site) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let Some(body) = program.body(join.member) else { return false };
    let kept = match program.scope(join.member).parent(join.node).map(|p| body.node(p)) {
        Some(Node::Assign { target, value, .. }) if value == join.node => flow.eval_in(join.member, target),
        _ => return false,
    };
    let (Val::Member(_, m) | Val::Static(m)) = kept else { return false };
    let ty = program.declared_type(m);
    let releases_itself = |t: TypeId| {
        program.ty(t).members.iter().any(|d| {
            program.member(*d).kind == MemberKind::Destructor
                && program.body(*d).is_some_and(|b| b.nodes.iter().any(|n| matches!(n, Node::Call { .. })))
        })
    };
    ty.own().is_some_and(releases_itself) || program.type_name(&ty).is_some_and(|name| program.kit_of(m).pack.scoped_handles.contains(name))
}

/// Whether its class takes the same handler off the same topic of what bears the same name, where of one of the two subjects it is not
/// known what it is: `attach(editor) { editor.pane.on('drawn', this.show); }` and `detach() { this.editor.pane.off('drawn', this.show); }`.
fn is_taken_off_by_name(wiring: &Wiring<'_>, join: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let name_of = |e: &Effect| {
        let body = program.body(e.site.member)?;
        let object = object_of(body, e.site.node)?;
        match body.node(object) {
            Node::Name(name) | Node::Member { name, .. } => Some(program.sym_in(e.site.member, name)),
            _ => None,
        }
    };
    let is_unknown = |e: &Effect| flow.type_of(&e.holder.subject) == Ty::Unknown;
    let class = program.member(join.site.member).owner;
    let Some(name) = name_of(join).filter(|_| join.holder.key.is_some()) else { return false };
    let leaves = program.ty(class).members.iter().flat_map(|m| wiring.effects_in(*m)).filter(|e| e.act == Act::Leave);
    leaves.into_iter().any(|leave| {
        leave.holder.key == join.holder.key
            && (is_unknown(leave) || is_unknown(join))
            && name_of(leave) == Some(name)
            && release::same_handler(flow, join, leave) == Same::Yes
    })
}

/// The calls on something of methods whose names undo what that of a subscription does, whoever they are about.
fn undoing_calls(wiring: &Wiring<'_>, join: &Effect) -> Vec<Site> {
    let program = wiring.program();
    let Some(body) = program.body(join.site.member) else { return Vec::new() };
    let Node::Call { callee, .. } = body.node(join.site.node) else { return Vec::new() };
    let Node::Member { name, .. } = body.node(callee) else { return Vec::new() };
    let opposites = pairs::opposites(program, program.unit_of(join.site.member).text(name));
    opposites.into_iter().flat_map(|name| program.index.calls(name)).copied().collect()
}

/// Whether the subscriber hands itself to a method whose name undoes the subscription, of an object of which nothing is known.
fn takes_itself_off_unknown(wiring: &Wiring<'_>, join: &Effect, subscriber: TypeId) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    undoing_calls(wiring, join).into_iter().filter(|call| program.member(call.member).owner == subscriber).any(|call| {
        let Some(body) = program.body(call.member) else { return false };
        let Node::Call { callee, args, .. } = body.node(call.node) else { return false };
        let hands_itself = body.list(args).iter().any(|a| matches!(flow.eval_in(call.member, *a), Val::This(_)));
        let Node::Member { object, .. } = body.node(callee) else { return false };
        hands_itself && flow.callee(call).is_none() && flow.type_of_node(call.member, object) == Ty::Unknown
    })
}

/// Whether code of the same class hands the same handler to a method whose name undoes the
/// subscription, and what that does was not seen through.
fn is_taken_off_unseen(wiring: &Wiring<'_>, join: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let (Some(handler), Some(body)) = (&join.handler, program.body(join.site.member)) else { return false };
    let Some(object) = object_of(body, join.site.node) else { return false };
    let subject = flow.eval_in(join.site.member, object);
    let owner = program.member(join.site.member).owner;
    // what was seen to be about another topic is about that one
    let is_about_another = |e: &Effect| match (&e.holder.key, &join.holder.key) {
        (Some(a @ (Val::Str(_) | Val::Static(_))), Some(b @ (Val::Str(_) | Val::Static(_)))) => e.act == Act::Leave && a != b,
        _ => false,
    };
    undoing_calls(wiring, join).into_iter().any(|site| {
        let same_class =
            program.member(site.member).owner == owner || flow.enclosing_type(program.member(site.member).owner) == Some(owner);
        let Some(body) = program.body(site.member) else { return false };
        let Node::Call { callee, args, .. } = body.node(site.node) else { return false };
        let same_subject = matches!(body.node(callee), Node::Member { object, .. } if flow.eval_in(site.member, object) == subject);
        same_class
            && same_subject
            && !wiring
                .effects_at(site)
                .map(|e| &wiring.effects[e])
                .any(|e| release::same_handler(flow, join, e) == Same::Never || is_about_another(e))
            && body.list(args).iter().any(|a| flow.eval_in(site.member, *a) == *handler)
    })
}

/// Whether the subscriber ends the subject's life in its teardown (`this.oven.stop()`).
pub(super) fn ends_its_subject(wiring: &Wiring<'_>, teardown: MemberId, join: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let Some(body) = program.body(teardown) else { return false };
    let pack = &*program.kit_of(teardown).pack;
    let is_subject = |value: &Val| match (value, &join.holder.subject) {
        (value, subject) if value == subject => true,
        (Val::Member(of, m), subject @ Val::Param(..)) if matches!(**of, Val::This(_)) => {
            flow.definitions(*m).iter().any(|d| flow.eval(*d) == *subject)
        }
        _ => false,
    };
    body.ids().any(|node| {
        let Node::Call { callee, args, .. } = body.node(node) else { return false };
        let Node::Member { object, name, .. } = body.node(callee) else { return false };
        let name = program.unit_of(teardown).text(name);
        // how it ends may be said with it, also by who ends the whole: `close(options) { this.line.close(options); }`
        let is_handed_on =
            |a: &NodeId| matches!(flow.eval_in(teardown, *a), Val::Param(m, None, _) if m == teardown) && !takes_one_off(name);
        let is_option = |a: &NodeId| matches!(body.node(*a), Node::Object(_) | Node::Bool(_) | Node::Num(_) | Node::Str(_) | Node::Null);
        if !pack.ends(name) || !body.list(args).iter().all(|a| is_option(a) || is_handed_on(a)) {
            return false;
        }
        match flow.eval_in(teardown, object) {
            Val::Element(all, _) => is_put_into(wiring, &all, join),
            other => is_subject(&other) || other.own_field().is_some_and(|keeper| keeps_subject(wiring, keeper, join)),
        }
    })
}

/// Whether the subject is a field of the subscriber that some code of its class puts into what a field keeps: `this.parts.add(this.line)`.
fn keeps_subject(wiring: &Wiring<'_>, keeper: MemberId, join: &Effect) -> bool {
    let program = wiring.program();
    let Some(subject) = join.holder.subject.own_field() else { return false };
    let field = |member: MemberId, node: NodeId| wiring.flow.eval_in(member, node).own_field();
    let puts = |read: &Site| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let Some(way) = scope.parent(read.node).filter(|p| matches!(body.node(*p), Node::Member { object, .. } if object == read.node))
        else {
            return false;
        };
        let Some(Node::Call { callee, args, .. }) = scope.parent(way).map(|p| body.node(p)) else { return false };
        let is_it = |n: &NodeId| matches!(body.node(*n), Node::Name(_) | Node::Member { .. }) && field(read.member, *n) == Some(subject);
        let is_listed = |n: &NodeId| matches!(body.node(*n), Node::Collection { items, .. } if body.list(items).iter().any(is_it));
        let adds = |name| program.kit_of(read.member).pack.adds.contains(program.unit_of(read.member).text(name));
        let is_way_in = matches!(body.node(way), Node::Member { name, .. } if adds(name));
        callee == way
            && field(read.member, read.node) == Some(keeper)
            && body.list(args).iter().any(|a| is_way_in && is_it(a) || is_listed(a))
    };
    program.index.reads(program.member(keeper).name).iter().any(puts)
}

/// Whether the subscribing function puts the subject into a collection.
fn is_put_into(wiring: &Wiring<'_>, all: &Val, join: &Effect) -> bool {
    let Some(body) = wiring.program().body(join.site.member) else { return false };
    let eval = |node| wiring.flow.eval_in(join.site.member, node);
    body.ids().any(|node| match body.node(node) {
        Node::Call { callee, args, .. } => {
            matches!(body.node(callee), Node::Member { object, .. } if eval(object) == *all)
                && body.list(args).iter().any(|a| eval(*a) == join.holder.subject)
        }
        _ => false,
    })
}

/// A release of the same function that can never match is the slip, and is reported by its
/// own rule.
pub(super) fn is_left_by_futile_release(wiring: &Wiring<'_>, channel: &Channel, join: &Effect) -> bool {
    let function = |e: &Effect| e.handler.as_ref().and_then(|h| wiring.flow.function_of(h));
    let joined = function(join);
    let beside = wiring.of_holder(channel).filter(|c| c.key != channel.key);
    let mut releases = beside.flat_map(|c| c.leaves.iter().map(move |l| (c, &wiring.effects[*l])));
    if releases.any(|(c, leave)| other_topic(wiring, c, leave).is_some_and(|(_, j)| j.site == join.site)) {
        return true;
    }
    let class = |e: &Effect| wiring.program().member(e.site.member).owner;
    let by_same_class = |a: &Effect, b: &Effect| class(a) == class(b);
    let is_own_lambda = |other: &usize| {
        let other = &wiring.effects[*other];
        by_same_class(other, join) && matches!(function(other), Some(Val::Lambda(..)))
    };
    // an object that is made where it is to be taken off
    let flow = &wiring.flow;
    let is_new_object = |leave: &Effect| {
        let of = leave.handler.as_ref().filter(|h| release::is_made_there(flow, leave, h) || release::is_made_by_call(flow, h));
        let classes = (of.and_then(|h| flow.type_of(h).own()), join.handler.as_ref().and_then(|h| flow.type_of(h).own()));
        matches!(classes, (Some(a), Some(b)) if flow.program.are_kin(a, b)) && by_same_class(join, leave)
    };
    let is_wrapped = |leave: &Effect| put_on_wrapped(wiring, channel, leave).is_some_and(|j| j.site == join.site);
    if channel.leaves.iter().map(|l| &wiring.effects[*l]).any(|leave| is_new_object(leave) || is_wrapped(leave)) {
        return true;
    }
    channel.leaves.iter().map(|l| &wiring.effects[*l]).any(|leave| {
        let fresh = leave.handler.as_ref().is_some_and(|h| release::is_fresh(&wiring.flow, leave, h));
        // an object that is taken off for all, or for another one, than it is on for
        let is_same_object = matches!((&join.handler, &leave.handler), (Some(Val::This(a)), Some(Val::This(b))) if a == b);
        let takes_off = |j: &usize| release::same_handler(&wiring.flow, &wiring.effects[*j], leave) == Same::Yes;
        if is_same_object && release::is_of_another(&wiring.flow, join, leave) && !channel.joins.iter().any(takes_off) {
            return true;
        }
        (fresh || release::is_of_another(&wiring.flow, join, leave))
            && match (&joined, function(leave)) {
                (Some(Val::Method(a, _)), Some(Val::Method(b, _))) => *a == b,
                (Some(Val::Lambda(..)), Some(Val::Lambda(..))) => by_same_class(join, leave),
                // `-= cm => OnRose(cm)`
                (Some(Val::Method(..)), Some(Val::Lambda(..))) => by_same_class(join, leave) && !channel.joins.iter().any(is_own_lambda),
                // an object that is on by itself, and a new function, or one of its methods, instead of it
                (None, Some(Val::Lambda(..) | Val::Method(..))) => {
                    let is_itself = matches!(join.handler, Some(Val::This(_)));
                    is_itself && by_same_class(join, leave) && !channel.joins.iter().any(is_own_lambda)
                }
                _ => false,
            }
    })
}

fn is_call(wiring: &Wiring<'_>, site: crate::program::Site) -> bool {
    wiring.program().body(site.member).is_some_and(|b| matches!(b.node(site.node), Node::Call { .. }))
}
