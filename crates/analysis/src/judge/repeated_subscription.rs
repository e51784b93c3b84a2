//! Rule `repeated-subscription`: the same handler is put on the same channel more than once.

use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, Ty};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Act, Effect};
use crate::wire::handles;
use crate::wire::release::{self, Same};

mod again;

pub(super) use again::{is_entered_in_a_loop, is_run_by, loop_around};

pub(super) const RULE: Rule = Rule {
    name: "repeated-subscription",
    summary: "the same handler is put on the same channel more than once",
    level: Level::Warning,
    page: Page {
        symptom: "A handler runs twice for one event, or once more each time something is shown, painted or clicked; taking it off once leaves the rest.",
        cause: "The subscription stands in code that runs again and again, or a second time on the same path, and nothing takes the handler off in between.",
        cure: "Subscribe once, where the object begins; or take the handler off first; or release it in the hook that pairs with the one that subscribes.",
        silent: "The subject keeps each handler once (a set, a check before it adds, a platform that ignores doubles); a flag or an early return lets it through once; the handler is taken off before; only one of several branches runs.",
        accept: "The handler is meant to be called once for each time it was put on.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        let counted: Vec<usize> = channel.joins.iter().copied().filter(|j| counts(wiring, channel, &wiring.effects[*j])).collect();
        let joins: Vec<&Effect> = counted.iter().map(|j| &wiring.effects[*j]).collect();
        for (join, effect) in counted.iter().zip(&joins) {
            let found = second_on_path(wiring, channel, effect, &joins)
                .or_else(|| where_it_ends(wiring, channel, effect, &joins))
                .or_else(|| again::again_and_again(wiring, channel, *join));
            // few come this far, and this reads the whole body
            let found = found.filter(|_| !is_let_through_once(wiring, channel, effect));
            drafts.extend(found.map(|found| draft(wiring, channel, effect, found)));
        }
    }
    drafts
}

/// What calls a method is followed back so far.
const HOPS: u32 = 2;

/// Why a subscription is one too many.
struct Repeated {
    why: String,
    certainty: Certainty,
    related: Option<(String, Place)>,
}

fn draft(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect, found: Repeated) -> Draft {
    let handler = crate::wire::handler_name(wiring, effect);
    Draft {
        level: Level::Warning,
        certainty: found.certainty,
        place: wiring.place(effect),
        message: format!("`{}` is put on `{}` {}", short(&handler), short(&channel.id), found.why),
        related: found.related.map(|(message, place)| related(message, place)).into_iter().collect(),
        parties: vec![channel.id.clone(), handler, wiring.program().member_id(effect.site.member)],
        edit: None,
    }
}

/// Whether a subscription can pile up at all.
fn counts(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    // a constant of a library is a value
    let is_value = matches!(&effect.handler, Some(Val::Outside(of, _)) if matches!(**of, Val::Global(_)));
    let known = !is_value
        && !is_data(wiring, effect)
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

/// Whether what is put on is a number, a flag or the like by its type.
fn is_data(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let Some(Ty::Outside(name, args)) = effect.handler.as_ref().map(|h| wiring.flow.type_of(h)) else { return false };
    let name = program.text(name);
    // a word of the language
    let is_word = args.is_empty()
        && matches!(name, "bool" | "boolean" | "byte" | "char" | "double" | "float" | "int" | "long" | "number" | "short" | "string");
    is_word || program.kit_of(effect.site.member).pack.value_types.contains(name)
}

/// Whether the way in has put the handler under a key that it has made for it, and gives that back: `slots[++last] = f; return last;`.
fn is_under_own_key(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let innermost = effect.innermost();
    let Some(body) = program.body(innermost.member).filter(|_| !effect.inner.is_empty()) else { return false };
    let Some(key @ (Val::Local(_) | Val::Member(..))) = &effect.holder.key else { return false };
    if matches!(key, Val::Local(local) if local.member != innermost.member) {
        return false;
    }
    body.ids().any(|n| matches!(body.node(n), Node::Return(Some(value)) if wiring.flow.eval_in(innermost.member, value) == *key))
}

/// Whether what is put on is a number: `for (let i = 0; …) ring.push(i)`.
fn is_counter(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let Some(Val::Local(local)) = &effect.handler else { return false };
    let Some(body) = wiring.program().body(local.member) else { return false };
    matches!(body.node(local.node), Node::Local { init: Some(init), .. } if matches!(body.node(init), Node::Num(_) | Node::Plain))
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
    // the way in asks first
    !effect.inner.is_empty()
        && body.ids().any(|node| match body.node(node) {
            Node::Call { callee, .. } => name_of(callee).is_some_and(|text| pack.membership.contains(text) || pack.equality.contains(text)),
            Node::Binary { op: yarrowgraph_ir::BinaryOp::Eq, left, .. } => {
                matches!(flow.eval_in(innermost.member, left), Val::Element(..))
            }
            _ => false,
        })
}

/// Whether each run makes another function.
fn is_made_anew(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    effect.handler.as_ref().is_some_and(|h| release::is_fresh(&wiring.flow, effect, h))
}

/// Whether each run puts something else on; a method of the object itself stays what it is, however often it is named.
fn is_another_each_time(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let is_own = matches!(&effect.handler, Some(Val::Method(_, Some(of))) if matches!(**of, Val::This(_)));
    !is_own && is_made_anew(wiring, effect)
}

/// Whether two subscriptions are of one handler; an object is the same to its class and to the base of it.
fn is_one_handler(wiring: &Wiring<'_>, first: &Effect, second: &Effect) -> bool {
    match (&first.handler, &second.handler) {
        (Some(Val::Method(m, Some(a))), Some(Val::Method(n, Some(b)))) | (Some(Val::Member(a, m)), Some(Val::Member(b, n))) => {
            let of_one = match (&**a, &**b) {
                (Val::This(x), Val::This(y)) => x == y || wiring.program().is_a(*y, *x),
                (a, b) => a == b,
            };
            m == n && of_one
        }
        (a, b) => a == b,
    }
}

/// Whether a flag, an early return or a release before it sees to it that there is one.
fn is_let_through_once(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let member = effect.site.member;
    let Some(body) = program.body(member) else { return true };
    let scope = program.scope(member);
    let taken_off_first = channel.leaves.iter().map(|l| &wiring.effects[*l]).any(|leave| {
        let before = leave.site.member == member && scope.is_before(leave.site.node, effect.site.node) && !is_of_another(leave, effect);
        before && (leave.act == Act::LeaveAll || release::same_handler(flow, effect, leave) != Same::Never)
    });
    if taken_off_first {
        return true;
    }
    let assigned: Vec<Val> = body
        .ids()
        .filter_map(|node| match body.node(node) {
            Node::Assign { target, .. } => Some(flow.eval_in(member, target)),
            _ => None,
        })
        .collect();
    let asks_what_it_sets = |cond: NodeId| {
        let mut stack = vec![cond];
        while let Some(node) = stack.pop() {
            let value = matches!(body.node(node), Node::Name(_) | Node::Member { .. }).then(|| flow.eval_in(member, node));
            if value.is_some_and(|v| matches!(v, Val::Member(..) | Val::Static(_) | Val::Local(_)) && assigned.contains(&v)) {
                return true;
            }
            stack.extend(body.children(node));
        }
        false
    };
    // tests around it, and tests before it that leave
    let around = scope.ancestors(effect.site.node).any(|n| matches!(body.node(n), Node::If { cond, .. } if asks_what_it_sets(cond)));
    around
        || body.ids().any(|n| match body.node(n) {
            Node::If { cond, then, .. } if scope.is_before(n, effect.site.node) && !scope.is_within(effect.site.node, n) => {
                body.leaves(then) && asks_what_it_sets(cond)
            }
            _ => false,
        })
}

/// Whether a release is about another object than a subscription: another member of the same one.
fn is_of_another(leave: &Effect, join: &Effect) -> bool {
    match (&leave.holder.subject, &join.holder.subject) {
        (Val::Member(a, m), Val::Member(b, n)) => a == b && m != n,
        _ => false,
    }
}

/// Another subscription of the same handler that has run just before this one.
fn second_on_path(wiring: &Wiring<'_>, channel: &Channel, second: &Effect, joins: &[&Effect]) -> Option<Repeated> {
    if is_another_each_time(wiring, second) {
        return None;
    }
    let first = joins.iter().find(|first| {
        let same = first.site != second.site
            && is_one_handler(wiring, first, second)
            && first.adapter == second.adapter
            && is_one_holder(wiring, first, second)
            && !differ_by_argument(wiring, first.site, second.site)
            && !is_kept_among_others(wiring, first);
        same && is_one_object(wiring, second)
            && !is_replaced_here(wiring, second, second.site.member)
            && comes_just_before(wiring, channel, first, second)
    })?;
    Some(Repeated {
        why: "a second time on the same path".into(),
        certainty: Certainty::Certain,
        related: Some(("it was put on here".into(), wiring.place(first))),
    })
}

/// Whether two calls hand over different constants at one place: they are about different things.
fn differ_by_argument(wiring: &Wiring<'_>, first: Site, second: Site) -> bool {
    let program = wiring.program();
    let args = |site: Site| -> &[NodeId] {
        let Some(body) = program.body(site.member) else { return &[] };
        match body.node(site.node) {
            Node::Call { args, .. } => body.list(args),
            _ => &[],
        }
    };
    let is_constant = |v: &Val| matches!(v, Val::Str(_) | Val::Static(_) | Val::Outside(..));
    args(first).iter().zip(args(second)).any(|(a, b)| {
        let (a, b) = (wiring.flow.eval_in(first.member, *a), wiring.flow.eval_in(second.member, *b));
        a != b && is_constant(&a) && is_constant(&b)
    })
}

/// Whether what a subscription gives back is put among others of its kind, by which they may all be released at once.
fn is_kept_among_others(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    effect.handle && handles::fate(&wiring.flow, effect.site) == handles::Fate::Kept && handles::keeper(&wiring.flow, effect.site).is_none()
}

/// Whether two subscriptions are on one channel of one object, which a field may hold by then.
fn is_one_holder(wiring: &Wiring<'_>, first: &Effect, second: &Effect) -> bool {
    let (a, b) = (&first.holder, &second.holder);
    a.event == b.event && a.key == b.key && (a.subject == b.subject || wiring.flow.as_given(&a.subject) == wiring.flow.as_given(&b.subject))
}

/// A subscription where the life of the subscriber ends, of what was put on before and is taken off nowhere.
fn where_it_ends(wiring: &Wiring<'_>, channel: &Channel, join: &Effect, joins: &[&Effect]) -> Option<Repeated> {
    let program = wiring.program();
    let owner = program.member(join.site.member).owner;
    let pack = &*program.kit_of(join.site.member).pack;
    if !program.is_listed(&pack.teardowns, join.site.member) || is_made_anew(wiring, join) {
        return None;
    }
    let begun = |first: &&&Effect| {
        first.site.member != join.site.member
            && program.member(first.site.member).owner == owner
            && !program.is_listed(&pack.teardowns, first.site.member)
            && first.handler == join.handler
            && is_one_holder(wiring, first, join)
    };
    let first = joins.iter().find(begun)?;
    let taken_off = channel.leaves.iter().map(|l| &wiring.effects[*l]).any(|l| program.member(l.site.member).owner == owner);
    (!taken_off).then(|| Repeated {
        why: "where it should be taken off".into(),
        certainty: Certainty::Certain,
        related: Some(("it was put on here".into(), wiring.place(first))),
    })
}

/// Whether subject and handler are certainly the same objects wherever they are written alike: no
/// elements at places that are not told apart, and nothing that is given another object.
pub(super) fn is_one_object(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let values = [Some(&effect.holder.subject), effect.holder.key.as_ref(), effect.handler.as_ref()];
    values.into_iter().flatten().all(|value| is_told_apart(wiring, value))
}

fn is_told_apart(wiring: &Wiring<'_>, value: &Val) -> bool {
    match value {
        Val::Member(of, _) | Val::Outside(of, _) | Val::Bound(of, _) => is_told_apart(wiring, of),
        Val::Method(_, of) => of.as_ref().is_none_or(|of| is_told_apart(wiring, of)),
        Val::Local(site) => !is_reassigned(wiring, *site),
        Val::Element(..) | Val::Data | Val::Unknown => false,
        _ => true,
    }
}

/// Whether a local gets another value somewhere.
fn is_reassigned(wiring: &Wiring<'_>, local: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(local.member) else { return true };
    let scope = program.scope(local.member);
    body.ids().any(|node| matches!(body.node(node), Node::Assign { target, .. } if scope.names(body, target, local.node)))
}

/// Whether one subscription runs before another on the same object: in one body, or where one
/// body calls the other.
fn comes_just_before(wiring: &Wiring<'_>, channel: &Channel, first: &Effect, second: &Effect) -> bool {
    if first.site.member == second.site.member {
        return runs_before(wiring, first.site, second.site.node) && !is_released_between(wiring, channel, first.site, second.site.node);
    }
    // the first one's body calls the second one's, or the other way round
    if let Some(call) = own_call(wiring, first.site.member, second.site.member) {
        return runs_before(wiring, first.site, call) && !is_released_between(wiring, channel, first.site, call);
    }
    match own_call(wiring, second.site.member, first.site.member) {
        Some(call) => {
            let call = Site { member: second.site.member, node: call };
            !is_let_through_once(wiring, channel, first)
                && runs_before(wiring, call, second.site.node)
                && !is_released_between(wiring, channel, call, second.site.node)
        }
        None => is_begun_with(wiring, channel, first, second),
    }
}

/// Whether one subscription is made whenever an object of the other one's class is, which then stays on.
fn is_begun_with(wiring: &Wiring<'_>, channel: &Channel, first: &Effect, second: &Effect) -> bool {
    let program = wiring.program();
    let (maker, later) = (program.member(first.site.member), program.member(second.site.member));
    let pack = &*program.kit_of(second.site.member).pack;
    // a wrapper's inside is run for others as well
    let is_written = first.inner.iter().chain(&second.inner).all(|s| !program.are_kin(program.member(s.member).owner, later.owner));
    let taken_off =
        channel.leaves.iter().map(|l| &wiring.effects[*l]).any(|l| {
            program.are_kin(program.member(l.site.member).owner, later.owner) && !program.is_listed(&pack.teardowns, l.site.member)
        });
    maker.kind == MemberKind::Constructor
        && later.kind == MemberKind::Method
        && program.is_a(later.owner, maker.owner)
        && again::is_on_every_path(wiring, first.site)
        && again::is_on_every_path(wiring, second.site)
        && is_written
        && !taken_off
        && !program.is_listed(&pack.teardowns, second.site.member)
}

/// A call of another method on the same object, or of a function that belongs to none.
fn own_call(wiring: &Wiring<'_>, caller: MemberId, callee: MemberId) -> Option<NodeId> {
    let program = wiring.program();
    let calls = program.index.calls(program.member(callee).name).iter().filter(|s| s.member == caller);
    calls.map(|s| s.node).find(|node| {
        let target = wiring.flow.callee(Site { member: caller, node: *node });
        target.is_some_and(|t| t.member == callee && matches!(t.receiver, None | Some(Val::This(_) | Val::Unknown)))
    })
}

/// Whether one statement runs before a node of the same body in the same run.
pub(super) fn runs_before(wiring: &Wiring<'_>, first: Site, second: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(first.member) else { return false };
    let scope = program.scope(first.member);
    if !scope.is_before(first.node, second) || scope.function_around(body, first.node) != scope.function_around(body, second) {
        return false;
    }
    let mut inner = first.node;
    for around in scope.ancestors(first.node) {
        if scope.is_within(second, around) {
            // branches of which only one runs
            let apart = matches!(
                body.node(around),
                Node::If { .. } | Node::Conditional { .. } | Node::Switch { .. } | Node::Try { .. } | Node::Variants(_) | Node::Case { .. }
            );
            return !apart;
        }
        if body.leaves(inner) || matches!(body.node(around), Node::Block(_)) && body.leaves(around) {
            return false;
        }
        inner = around;
    }
    false
}

fn is_released_between(wiring: &Wiring<'_>, channel: &Channel, first: Site, second: NodeId) -> bool {
    let scope = wiring.program().scope(first.member);
    channel
        .leaves
        .iter()
        .map(|l| wiring.effects[*l].site)
        .any(|leave| leave.member == first.member && scope.is_before(first.node, leave.node) && scope.is_before(leave.node, second))
}

/// Whether the body gives the subject's member another object first, or that of the object which listens.
fn is_replaced_here(wiring: &Wiring<'_>, effect: &Effect, member: MemberId) -> bool {
    is_replaced_within(wiring, effect, member, &|_| true)
}

/// Whether a body gives what leads to subject or handler another object, at a node that counts.
fn is_replaced_within(wiring: &Wiring<'_>, effect: &Effect, member: MemberId, counts: &dyn Fn(NodeId) -> bool) -> bool {
    let listener = match &effect.handler {
        Some(Val::Method(_, of)) => of.as_deref(),
        Some(Val::Outside(of, _)) => Some(&**of),
        held @ Some(Val::Member(..)) => held.as_ref(),
        _ => None,
    };
    [Some(&effect.holder.subject), listener].into_iter().flatten().any(|path| is_replaced(wiring, path, member, counts))
}

/// Whether a body gives a member on a path another object, at a node that counts.
pub(super) fn is_replaced(wiring: &Wiring<'_>, path: &Val, member: MemberId, counts: &dyn Fn(NodeId) -> bool) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let mut steps = vec![path];
    while let Some(Val::Member(of, _) | Val::Outside(of, _)) = steps.last() {
        steps.push(of);
    }
    body.ids().any(|node| match body.node(node) {
        Node::Assign { op: AssignOp::Set | AssignOp::IfUnset, target, .. } if counts(node) => {
            let target = wiring.flow.eval_in(member, target);
            steps.iter().any(|p| **p == target)
        }
        _ => false,
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_listener_that_was_made_for_it_is_another_one() {
        expect(
            "repeated-subscription",
            r#"
//// Tabs.java
import java.util.*;
interface Ear { void heard(int cm); }
class Gauge {
    private final List<Ear> ears = new ArrayList<>();
    void add(Ear e) { ears.add(e); }
    void remove(Ear e) { ears.remove(e); }
    void set(int cm) { for (Ear e : List.copyOf(ears)) e.heard(cm); }
}
class Pane { void show(int cm) { System.out.println(cm); } }
class Tabs {
    private final Gauge gauge;
    private Pane pane = new Pane();
    Tabs(Gauge gauge) { this.gauge = gauge; }
    void open() {
        pane = new Pane();
        gauge.add(pane::show);
    }
    void again() {
        gauge.add(pane::show); //! repeated-subscription warning
    }
}
class Desk {
    public static void main(String[] args) {
        Gauge gauge = new Gauge();
        Tabs tabs = new Tabs(gauge);
        for (String arg : args) { tabs.open(); tabs.again(); }
        gauge.set(3);
    }
}
"#,
        );
    }

    #[test]
    fn twice_on_one_path() {
        expect(
            "repeated-subscription",
            r#"
//// Kiln.java
import java.util.ArrayList;
import java.util.List;
class Kiln {
    private final List<Runnable> listeners = new ArrayList<>();
    private final List<Runnable> checked = new ArrayList<>();
    void addListener(Runnable l) { listeners.add(l); }
    void removeListener(Runnable l) { listeners.remove(l); }
    void addChecked(Runnable l) { if (!checked.contains(l)) checked.add(l); }
    void fire() { for (Runnable l : listeners) l.run(); for (Runnable l : checked) l.run(); }
}
class Potter {
    private final Kiln kiln = new Kiln();
    private final Runnable glaze = () -> System.out.println(this);
    Potter(boolean big) {
        kiln.addListener(glaze);
        kiln.addChecked(glaze);
        kiln.addChecked(glaze);
        wire();
        if (big) {
            begin(1);
        }
    }
    private void wire() {
        kiln.addListener(glaze); //! repeated-subscription warning
    }
    private void begin(int n) {
        kiln.removeListener(glaze);
        kiln.addListener(glaze);
    }
    public static void main(String[] args) { Potter p = new Potter(true); p.kiln.fire(); }
}
class Apprentice {
    private final Kiln kiln = new Kiln();
    private final Runnable glaze = () -> System.out.println(this);
    Apprentice(boolean big) {
        if (big) kiln.addListener(glaze); else kiln.addListener(glaze);
        kiln.fire();
    }
    public static void main(String[] args) { new Apprentice(true); }
}
"#,
        );
    }

    #[test]
    fn once_more_at_every_picture() {
        expect(
            "repeated-subscription",
            r#"
//// Dial.cs
using System;
using System.Windows.Forms;
class Needle { public event Action Moved; public event Action Stuck; public void Move() { Moved?.Invoke(); Stuck?.Invoke(); } }
class Dial : Control {
    readonly Needle needle = new Needle();
    bool wired;
    Needle spare;
    protected override void OnPaint(PaintEventArgs e) {
        needle.Moved += Invalidate; //! repeated-subscription warning
        needle.Stuck -= Warn;
        needle.Stuck += Warn;
        if (!wired) { wired = true; needle.Moved += Warn; }
        spare = new Needle();
        spare.Moved += Warn;
        needle.Move();
    }
    void Warn() { }
}
"#,
        );
    }

    #[test]
    fn in_loops() {
        expect(
            "repeated-subscription",
            r#"
//// lamps.ts
class Lamp {
    private handlers: (() => void)[] = [];
    onLit(h: () => void) { this.handlers.push(h); }
    light() { for (const h of this.handlers) h(); }
}
class Keeper {
    private main = new Lamp();
    private lamps = [new Lamp(), new Lamp()];
    private log = () => console.log('lit');
    start() {
        for (const lamp of this.lamps) lamp.onLit(this.log);
        for (let i = 0; i < 3; i++) {
            this.main.onLit(this.log); //! repeated-subscription warning
            const fresh = new Lamp();
            fresh.onLit(this.log);
        }
        this.main.light();
    }
    tend() {
        this.main.onLit(this.log); //! repeated-subscription warning
    }
}
const keeper = new Keeper();
keeper.start();
while (Math.random() > 0.1) keeper.tend();
"#,
        );
    }

    #[test]
    fn an_entry_hook_that_is_released_at_the_very_end() {
        expect(
            "repeated-subscription",
            r#"
//// Gauges.java
import android.app.Activity;
import org.greenrobot.eventbus.EventBus;
import org.greenrobot.eventbus.Subscribe;
class Rose { }
class GaugeActivity extends Activity {
    @Override protected void onStart() { EventBus.getDefault().register(this); } //! repeated-subscription warning
    @Override protected void onDestroy() { EventBus.getDefault().unregister(this); }
    @Subscribe public void onRose(Rose rose) { }
    void rise() { EventBus.getDefault().post(new Rose()); }
}
class WeirActivity extends Activity {
    @Override protected void onStart() { EventBus.getDefault().register(this); }
    @Override protected void onStop() { EventBus.getDefault().unregister(this); }
    @Subscribe public void onRose(Rose rose) { }
}
"#,
        );
    }
}
