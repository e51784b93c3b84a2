//! Rule `repeated-subscription`: the same handler is put on the same channel more than once.

use yarrowgraph_ir::{AssignOp, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Program, Site, Sym};
use crate::state::How;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::{Act, Effect, Event};
use crate::wire::handles;
use crate::wire::pairs;
use crate::wire::release::{self, Same};

mod again;
mod counts;
mod loops;
mod path;
#[cfg(test)]
mod tests;

use again::is_on_every_path;
pub(super) use again::{is_entered_in_a_loop, is_run_by};
use counts::counts;
pub(super) use loops::{comes_to, loop_around};
pub(super) use path::runs_before;
use path::{comes_just_before, own_call};

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
                .or_else(|| again::again_and_again(wiring, channel, *join))
                .or_else(|| twice_in_a_run(wiring, channel, *join));
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
        let before =
            leave.site.member == member && scope.is_before(leave.site.node, effect.site.node) && !is_of_another(wiring, leave, effect);
        before && (leave.act == Act::LeaveAll || release::same_handler(flow, effect, leave) != Same::Never)
    });
    // or what the last one gave back was made to release first
    let let_go_first = || {
        let by_handle = if effect.handle { handles::releases(flow, effect.site) } else { Vec::new() };
        // or a method of the object itself that is called first
        let is_called_first = |releaser: MemberId| {
            body.ids().filter(|n| scope.is_before(*n, effect.site.node)).any(|node| {
                let called = flow.callee(Site { member, node });
                called.is_some_and(|c| c.member == releaser && matches!(c.receiver, Some(Val::This(_))))
            })
        };
        by_handle
            .into_iter()
            .any(|r| if r.member == member { scope.is_before(r.node, effect.site.node) } else { is_called_first(r.member) })
    };
    if taken_off_first || ends_subject_before(wiring, effect) || let_go_first() {
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
            let is_set_here = |v: &Val| matches!(v, Val::Member(..) | Val::Static(_) | Val::Local(_)) && assigned.contains(v);
            if value.is_some_and(|v| is_set_here(&v) || v.own_field().is_some_and(|field| is_raised_once(wiring, field))) {
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

/// Whether a field is a flag that an object starts with down, and that nothing takes down again.
fn is_raised_once(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let mut later = wiring.writes(field).iter().filter(|w| !w.initial).peekable();
    later.peek().is_some()
        && later.all(|w| matches!(w.how, How::Set(value) if program.body(w.site.member).is_some_and(|b| b.node(value) == Node::Bool(true))))
}

/// Whether the body, or a method of the object that it calls, first ends all that is heard on the subject: `this.events.destroy()`.
fn ends_subject_before(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let Site { member, node } = effect.site;
    let subject = &effect.holder.subject;
    let is_subject = |value: &Val| {
        let given = || match value {
            Val::Member(_, field) => flow.only_definition(*field).map(|d| flow.eval(d)),
            _ => None,
        };
        value == subject || given().is_some_and(|given| given == *subject)
    };
    let teardowns = &program.kit_of(member).pack.teardowns;
    let ends = |within: MemberId, call: NodeId| {
        let Some(body) = program.body(within) else { return false };
        let Node::Call { callee, .. } = body.node(call) else { return false };
        let Node::Member { object, name, .. } = body.node(callee) else { return false };
        teardowns.contains(program.unit_of(within).text(name)) && is_subject(&flow.eval_in(within, object))
    };
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return false };
    body.ids().filter(|call| scope.is_before(*call, node)).any(|call| {
        let own = flow.callee(Site { member, node: call }).filter(|c| matches!(c.receiver, Some(Val::This(_))) && c.member != member);
        ends(member, call) || own.is_some_and(|c| program.body(c.member).is_some_and(|b| b.ids().any(|n| ends(c.member, n))))
    })
}

/// Whether a member says by its name that it is what was there before: `previousGauge`, `oldGauge`.
fn is_of_before(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let name = wiring.program().text(wiring.program().member(m).name).trim_start_matches('_').to_ascii_lowercase();
    ["previous", "prev", "old", "last", "former"].iter().any(|word| name.starts_with(word))
}

/// Whether a release is about another object than a subscription: another member of the same one.
fn is_of_another(wiring: &Wiring<'_>, leave: &Effect, join: &Effect) -> bool {
    match (&leave.holder.subject, &join.holder.subject) {
        (Val::Member(a, m), Val::Member(b, n)) => a == b && m != n && !is_of_before(wiring, *m),
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
            && !are_of_two_classes(wiring, first, second)
            && !differ_by_argument(wiring, first.site, second.site)
            && !differ_by_argument(wiring, first.innermost(), second.innermost())
            && !are_about_two(wiring, first, second)
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

/// Whether two calls of a platform hand over objects beside the handler that are made each for its own: `listen(ear, tides); listen(ear, gates);`
fn are_about_two(wiring: &Wiring<'_>, first: &Effect, second: &Effect) -> bool {
    let program = wiring.program();
    let traits = program.kit_of(second.site.member).traits;
    if !matches!(second.holder.event, Event::Outside(_)) || traits.duck_typed || traits.fits_by_shape {
        return false;
    }
    let (Some(one), Some(other)) = (program.body(first.innermost().member), program.body(second.innermost().member)) else { return false };
    let (Node::Call { args: a, .. }, Node::Call { args: b, .. }) = (one.node(first.innermost().node), other.node(second.innermost().node))
    else {
        return false;
    };
    let is_made = |v: &Val| matches!(v, Val::New(_) | Val::Local(_));
    one.list(a).iter().zip(other.list(b)).any(|(a, b)| {
        let (a, b) = (wiring.flow.eval_in(first.innermost().member, *a), wiring.flow.eval_in(second.innermost().member, *b));
        a != b && is_made(&a) && is_made(&b)
    })
}

/// Whether two calls come to what classes of one kind do that have nothing else in common: an object is of one of them.
fn are_of_two_classes(wiring: &Wiring<'_>, first: &Effect, second: &Effect) -> bool {
    let program = wiring.program();
    let chosen = |effect: &Effect| {
        let asked = program.member(wiring.flow.callee(effect.site)?.member).owner;
        let class = program.member(effect.inner.last()?.member).owner;
        (class != asked && program.is_a(class, asked)).then_some(class)
    };
    matches!((chosen(first), chosen(second)), (Some(a), Some(b)) if !program.are_kin(a, b))
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
    let is_constant = |v: &Val| matches!(v, Val::Str(_) | Val::Static(_) | Val::Outside(..) | Val::Type(_));
    let class = |site: Site, node: NodeId| match program.body(site.member).map(|b| b.node(node)) {
        Some(Node::TypeExpr(ty)) => Some(program.type_in(site.member, ty)),
        _ => None,
    };
    args(first).iter().zip(args(second)).any(|(a, b)| {
        if let (Some(a), Some(b)) = (class(first, *a), class(second, *b)) {
            return a != b;
        }
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

/// Whether a method is called as what takes back what another one does: `arm` and `disarm`, `attach` and `detach`.
fn takes_back(program: &Program, does: Sym, undoes: Sym) -> bool {
    let (a, b) = (program.text(does).to_lowercase(), program.text(undoes).to_lowercase());
    ["un", "dis", "de"].iter().any(|prefix| b == format!("{prefix}{a}"))
        || a.strip_prefix("enable").is_some_and(|what| b.strip_prefix("disable") == Some(what))
        || pairs::opposites(program, program.text(does)).contains(&undoes)
}

/// A subscription where the life of the subscriber ends, of what was put on before and is taken off nowhere.
fn where_it_ends(wiring: &Wiring<'_>, channel: &Channel, join: &Effect, joins: &[&Effect]) -> Option<Repeated> {
    let program = wiring.program();
    let owner = program.member(join.site.member).owner;
    let pack = &*program.kit_of(join.site.member).pack;
    let is_ended = program.is_listed(&pack.teardowns, join.site.member);
    let name = |effect: &Effect| program.member(effect.site.member).name;
    if is_made_anew(wiring, join) || is_replaced_here(wiring, join, join.site.member) {
        return None;
    }
    let begun = |first: &&&Effect| {
        first.site.member != join.site.member
            && program.member(first.site.member).owner == owner
            && !program.is_listed(&pack.teardowns, first.site.member)
            && (is_ended || takes_back(program, name(first), name(join)))
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

/// A subscription that one run of the set-up comes to twice, of an object to itself or to what it holds, so that each time it is the
/// same one: whichever methods lead there.
fn twice_in_a_run(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Option<Repeated> {
    let effect = &wiring.effects[join];
    let is_own = |value: &Val| matches!(value.root(), Val::This(_));
    let own_handler = match effect.handler.as_ref()? {
        Val::Lambda(..) => true,
        Val::Method(_, Some(of)) => is_own(of),
        _ => false,
    };
    if !own_handler || !is_own(&effect.holder.subject) || !effect.inner.is_empty() || !wiring.releases_of(channel, join).is_empty() {
        return None;
    }
    // what is kept to be released may have been by then
    if effect.handle && handles::fate(&wiring.flow, effect.site) == handles::Fate::Kept {
        return None;
    }
    // what is called with other types puts on something else: `connectCalls<Invite>(); connectCalls<Answer>();`
    let callers = || wiring.flow.callers((effect.site.member, None));
    let is_of_one_kind = || callers().windows(2).all(|pair| pair[0].1.types == pair[1].1.types);
    (wiring.setup.comes_twice_to(join) && is_of_one_kind()).then(|| {
        let calls = wiring.flow.call_sites(effect.site.member);
        Repeated {
            why: "a second time as the program starts".into(),
            certainty: Certainty::Likely,
            related: calls.last().map(|call| ("the method is called here too".to_owned(), wiring.program().place_of(*call))),
        }
    })
}

/// Whether subject and handler are certainly the same objects wherever they are written alike: no
/// elements at places that are not told apart, nothing that is given another object, and nothing that a helper makes
/// anew each time it is called.
pub(super) fn is_one_object(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let is_of_helper = |value: &Val| match value.root() {
        Val::Local(site) | Val::New(site) => site.member != effect.site.member && effect.inner.iter().any(|s| s.member == site.member),
        _ => false,
    };
    let values = [Some(&effect.holder.subject), effect.holder.key.as_ref(), effect.handler.as_ref()];
    values.into_iter().flatten().all(|value| is_told_apart(wiring, value) && !is_of_helper(value))
}

fn is_told_apart(wiring: &Wiring<'_>, value: &Val) -> bool {
    let program = wiring.program();
    match value {
        Val::Member(of, _) | Val::Outside(of, _) | Val::Bound(of, _) => is_told_apart(wiring, of),
        Val::Method(_, of) => of.as_ref().is_none_or(|of| is_told_apart(wiring, of)),
        Val::Local(site) => program.body(site.member).is_some_and(|body| !program.scope(site.member).is_set_again(body, site.node)),
        Val::Element(..) | Val::Data | Val::Unknown => false,
        _ => true,
    }
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
    body.ids().any(|node| match body.node(node) {
        Node::Assign { op: AssignOp::Set | AssignOp::IfUnset, target, .. } if counts(node) => {
            let target = wiring.flow.eval_in(member, target);
            path.path().any(|step| *step == target)
        }
        Node::Unary { op: UnaryOp::Delete, operand } if counts(node) => {
            let ended = wiring.flow.eval_in(member, operand);
            path.path().any(|step| *step == ended)
        }
        // `panel.reset(new Panel())`
        Node::Call { callee, args, .. } if counts(node) && args.len == 1 && is_reset(wiring, member, callee) => {
            let Node::Member { object, .. } = body.node(callee) else { return false };
            let held = wiring.flow.eval_in(member, object);
            path.path().any(|step| *step == held)
        }
        // by a method of the same object: `setPump(new Pump())`
        Node::Call { .. } if counts(node) => {
            let called = wiring.flow.callee(Site { member, node });
            let setter = called.filter(|c| matches!(c.receiver, Some(Val::This(_))) && c.member != member).map(|c| c.member);
            setter.is_some_and(|setter| path.path().any(|step| gives_another(wiring, setter, step)))
        }
        _ => false,
    })
}

/// Whether what is called makes a pointer that owns something own something else, as libraries have it.
fn is_reset(wiring: &Wiring<'_>, member: MemberId, callee: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let is_named = matches!(body.node(callee), Node::Member { name, .. } if program.unit_of(member).text(name) == "reset");
    is_named && program.kit_of(member).traits.references_dangle
}

/// Whether a method gives a field of its own object what it is handed, or always what it makes.
fn gives_another(wiring: &Wiring<'_>, setter: MemberId, path: &Val) -> bool {
    let Val::Member(of, field) = path else { return false };
    let is_given = |d: &Site| match wiring.flow.eval(*d) {
        Val::Param(m, None, _) => m == setter,
        Val::New(made) => made.member == setter && is_on_every_path(wiring, made),
        _ => false,
    };

    matches!(**of, Val::This(_)) && wiring.flow.definitions(*field).iter().any(|d| d.member == setter && is_given(d))
}
