//! Rule `feedback-loop`: what a handler does raises the channel that called it, and nothing ends it.

mod unchanged;
mod varied;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{AccessorKind, Body, MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Sym, TypeId};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::Effect;
use crate::wire::lifetime::gives_static_local;
use crate::wire::once::{Lives, lives_for_process};
use crate::wire::release::{self, Same};

/// How many calls deep the work of a handler is followed.
const DEPTH: u32 = 3;
/// So many channels at most are part of a circle that is looked for.
const LONGEST: usize = 5;

pub(super) const RULE: Rule = Rule {
    name: "feedback-loop",
    summary: "a handler raises the channel that called it, directly or through others, and nothing ends it",
    level: Level::Warning,
    page: Page {
        symptom: "The stack overflows, or two parts answer each other for ever.",
        cause: "The handler always raises again what it was told, or what makes another handler do so.",
        cure: "End it: a flag while the handler runs, a limit, or no raise where the value is the same as before.",
        silent: "The raise depends on a condition that may change from one round to the next, runs later, or is that of another object.",
        accept: "Something outside of the tree ends it.",
    },
    check,
};

/// A raise that a handler always makes, as seen from the class of the handler.
#[derive(Clone, Debug)]
struct Answer {
    /// The effect that raises.
    raise: usize,
    channel: usize,
    /// The object whose method raises, as the handler names it.
    of: Option<Val>,
}

/// What raises which channel, by statement: the channel and the effect.
type RaisedAt = BTreeMap<Site, Vec<(usize, usize)>>;

/// A channel, with the name of the one who hears it where each is on it by a name of its own.
type Stop = (usize, Option<Val>);

/// Whether a raise that names somebody, or nobody, is told to who is there by a name.
fn fits(to: Option<&Val>, by: Option<&Val>) -> bool {
    to.zip(by).is_none_or(|(to, by)| to == by)
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let raised_at: RaisedAt = {
        let mut found: RaisedAt = BTreeMap::new();
        for (number, channel) in wiring.channels.iter().enumerate() {
            for raise in &channel.raises {
                found.entry(wiring.effects[*raise].site).or_default().push((number, *raise));
            }
        }
        found
    };
    let mut answers: BTreeMap<Stop, Vec<Answer>> = BTreeMap::new();
    let mut mirrored = Vec::new();
    for (number, channel) in wiring.channels.iter().enumerate() {
        for join in channel.joins.iter().filter(|j| !wiring.in_test(wiring.effects[**j].site.member)) {
            let effect = &wiring.effects[*join];
            if effect.once {
                continue;
            }
            for (root, message) in runs_for(wiring, channel, *join) {
                let mut found = Vec::new();
                follow(wiring, &raised_at, Run { root, of: None, varied: &[] }, DEPTH, &mut BTreeSet::new(), &mut found);
                found.extend(unchanged::answers(wiring, &raised_at, root, number));
                mirrored.extend(found.iter().filter(|a: &&Answer| a.channel == number).map(|a| (*join, a.clone())));
                // who is told by a name is some other one, unless it is the handler's own
                let is_to_one = |a: &Answer| {
                    let key = &wiring.effects[a.raise].holder.key;
                    matches!(channel.key, ChannelKey::Own(_, None))
                        && key.as_ref().is_some_and(|k| !matches!(k, Val::Str(_) | Val::Static(_)) && effect.holder.key.as_ref() != Some(k))
                };
                found.retain(|a: &Answer| a.channel != number || !is_to_one(a));
                let ends = |a: &Answer| is_off_meanwhile(wiring, channel, effect, a) || is_of_before(wiring, effect, a);
                found.retain(|a: &Answer| same_subject(wiring, number, *join, a) && !ends(a));
                // of several ways to tell, the one that is told again
                found.retain(|a: &Answer| message.is_none_or(|m| a.channel == number && wiring.effects[a.raise].message == Some(m)));
                let by = effect.holder.key.clone().filter(|_| matches!(channel.key, ChannelKey::Own(_, None)));
                answers.entry((number, by)).or_default().extend(found);
            }
        }
    }
    let mut drafts = Vec::new();
    let mut reported: BTreeSet<BTreeSet<usize>> = BTreeSet::new();
    for start in answers.keys() {
        let mut way = vec![start];
        search(wiring, &answers, start, &mut way, &mut Vec::new(), &mut reported, &mut drafts);
    }
    drafts.extend(mirrors(wiring, &mirrored, &reported));
    drafts
}

/// The code that runs for a subscription; of an object that is told by several methods that of each of them, with its name.
fn runs_for(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> Vec<(Site, Option<Sym>)> {
    if let Some(only) = wiring.code_told(channel, join) {
        return vec![(only, None)];
    }
    let messages: BTreeSet<Sym> = channel.raises.iter().filter_map(|r| wiring.effects[*r].message).collect();
    messages.into_iter().filter_map(|m| Some((wiring.code_told_by(join, Some(m))?, Some(m)))).collect()
}

/// Whether a handler that takes the place of another one only goes on with that: `const before = this.tell; this.tell = (x) => before(x);`
fn is_of_before(wiring: &Wiring<'_>, join: &Effect, answer: &Answer) -> bool {
    let program = wiring.program();
    let raise = wiring.effects[answer.raise].site;
    let (Some(body), scope) = (program.body(raise.member), program.scope(raise.member)) else { return false };
    let Node::Call { callee, .. } = body.node(raise.node) else { return false };
    let called = match body.node(callee) {
        Node::Member { object, .. } => object,
        _ => callee,
    };
    let Node::Name(name) = body.node(called) else { return false };
    let around = scope.function_around(body, raise.node);
    let is_from_outside = match scope.lookup(name, called) {
        Some(Declared::Local(local)) => scope.function_around(body, local) != around && scope.is_before(local, join.site.node),
        // of a walk in which each is replaced by one that goes on with it
        Some(Declared::Param(of, _)) => of != around,
        None => false,
    };
    join.replaces && raise.member == join.site.member && is_from_outside
}

/// Two objects of a kind of which each is told what the other tells: `one.listen(t -> other.set(t)); other.listen(t -> one.set(t));`
fn mirrors(wiring: &Wiring<'_>, answers: &[(usize, Answer)], reported: &BTreeSet<BTreeSet<usize>>) -> Vec<Draft> {
    let flow = &wiring.flow;
    let heard = |join: usize| flow.as_given(&wiring.effects[join].holder.subject);
    let told = |answer: &Answer| match (&wiring.effects[answer.raise].holder.subject, &answer.of) {
        (Val::This(_), Some(of)) => flow.as_given(of),
        (subject, _) => flow.as_given(subject),
    };
    let mut drafts: Vec<Draft> = Vec::new();
    let mut seen = BTreeSet::new();
    for (at, (one, there)) in answers.iter().enumerate() {
        let is_back = |(other, back): &&(usize, Answer)| {
            let same_code = wiring.effects[*one].site.member == wiring.effects[*other].site.member;
            let apart =
                heard(*one) != heard(*other) && matches!(heard(*one), Val::Param(..) | Val::Local(_) | Val::Static(_) | Val::Member(..));
            back.channel == there.channel && same_code && apart && told(there) == heard(*other) && told(back) == heard(*one)
        };
        let known = reported.contains(&BTreeSet::from([there.channel])) || seen.contains(&there.channel);
        if let Some((other, back)) = answers[at + 1..].iter().find(is_back).filter(|_| !known) {
            seen.insert(there.channel);
            let what = short(&wiring.channels[there.channel].id);
            let joins =
                [*one, *other].map(|join| related("one of them is told here what the other tells", wiring.place(&wiring.effects[join])));
            drafts.push(Draft {
                message: format!("two objects raise each other's `{what}` in a circle that nothing ends"),
                related: joins.into_iter().collect(),
                ..draft(wiring, &[there.channel], &[wiring.effects[back.raise].site])
            });
        }
    }
    drafts
}

/// Whether the code that raises has taken the handler off just before, or has put another one in its place.
fn is_off_meanwhile(wiring: &Wiring<'_>, channel: &Channel, join: &Effect, answer: &Answer) -> bool {
    let raise = wiring.effects[answer.raise].site;
    let scope = wiring.program().scope(raise.member);
    let is_before = |d: &Site| d.member == raise.member && scope.is_before(d.node, raise.node);
    if matches!(channel.key, ChannelKey::Own(slot, None) if join.replaces && wiring.flow.definitions(slot).iter().any(is_before)) {
        return true;
    }
    let mut leaves = channel.leaves.iter().map(|l| &wiring.effects[*l]).filter(|l| l.site.member == raise.member);
    leaves.any(|l| scope.is_before(l.site.node, raise.node) && release::same_handler(&wiring.flow, join, l) == Same::Yes)
}

/// A run of some code for what a handler was told.
#[derive(Clone, Copy)]
struct Run<'a> {
    root: Site,
    /// The object that it runs on, as the handler names it.
    of: Option<&'a Val>,
    /// The parameters that are handed something else than what was told.
    varied: &'a [usize],
}

/// Collects what a stretch of code raises in every run, in what it calls too.
fn follow(
    wiring: &Wiring<'_>,
    raised_at: &RaisedAt,
    Run { root, of, varied }: Run<'_>,
    depth: u32,
    seen: &mut BTreeSet<Site>,
    found: &mut Vec<Answer>,
) {
    let program = wiring.program();
    if !seen.insert(root) || wiring.in_test(root.member) {
        return;
    }
    let Some(body) = program.body(root.member) else { return };
    let scope = program.scope(root.member);
    for node in scope.within(root.node) {
        if !matches!(body.node(node), Node::Call { .. } | Node::Assign { .. }) {
            continue;
        }
        let site = Site { member: root.member, node };
        // the walk over who listens is part of the delivery: with the handler on it, it is not empty
        let walk = if raised_at.contains_key(&site) { wiring.walk_of(site) } else { None };
        let decided = |cond: NodeId| if varied.is_empty() { None } else { varied::decided(wiring, root.member, varied, cond) };
        let runs = |node: NodeId, root: NodeId| state::runs_where(body, scope, node, root, &decided);
        let always = match walk {
            Some((walk, each)) => runs(node, each) && runs(walk, root.node),
            None => runs(node, root.node),
        };
        if !always {
            continue;
        }
        // what was in a slot before is called by a local that keeps it
        let kept = walk.is_none()
            && matches!(body.node(node), Node::Call { callee, .. } if matches!(body.node(callee), Node::Name(name) if scope.lookup(name, callee).is_some()));
        for (channel, raise) in raised_at.get(&site).into_iter().flatten().filter(|_| !kept) {
            found.push(Answer { raise: *raise, channel: *channel, of: of.cloned() });
        }
        if let (Some(depth), Some((called, receiver))) = (depth.checked_sub(1), called_at(wiring, body, site))
            && let Some(inner) = program.body(called).and_then(|b| b.root)
            && program.ty(program.member(called).owner).heirs.is_empty()
        {
            // what is called on the object itself is that object's
            let of = of.or(receiver.as_ref().filter(|r| !matches!(r, Val::This(_))));
            let varied = varied::places(wiring, site);
            follow(wiring, raised_at, Run { root: Site { member: called, node: inner }, of, varied: &varied }, depth, seen, found);
        }
    }
}

/// What a call runs, and an assignment to a property: a method, and the object that it runs on.
fn called_at(wiring: &Wiring<'_>, body: &Body, site: Site) -> Option<(MemberId, Option<Val>)> {
    let program = wiring.program();
    let Node::Assign { target, .. } = body.node(site.node) else {
        return wiring.flow.callee(site).map(|c| (c.member, c.receiver));
    };
    let Node::Member { object, name, .. } = body.node(target) else { return None };
    let class = wiring.flow.type_of_node(site.member, object).own()?;
    let alike = program.find_members(class, program.sym_in(site.member, name));
    let setter = alike.into_iter().find(|m| program.member(*m).kind == MemberKind::Accessor(AccessorKind::Set))?;
    Some((setter, Some(wiring.flow.eval_in(site.member, object))))
}

/// Whether a raise is that of the same object as a subscription, as far as that can be told.
fn same_subject(wiring: &Wiring<'_>, joined: usize, join: usize, answer: &Answer) -> bool {
    let raise = &wiring.effects[answer.raise];
    let at = &wiring.effects[join].holder.subject;
    let by = &raise.holder.subject;
    // of another channel any object may be the next link, of a class with one object it is that
    let one = |v: &Val| match v {
        Val::Static(_) | Val::Type(_) | Val::Global(_) => true,
        Val::Call(call) if wiring.flow.callee(*call).is_some_and(|c| gives_static_local(wiring.program(), c.member)) => true,
        other => wiring.flow.type_of(other).own().is_some_and(|t| is_single(wiring, t)),
    };
    // a field that is only ever given what was subscribed to
    let same_object = || {
        let kept = match (by, answer.of.as_ref()) {
            (Val::This(_), Some(of @ Val::Member(owner, _))) if matches!(**owner, Val::This(_)) => Some(of),
            _ => None,
        };
        kept.is_some_and(|of| at == of || wiring.flow.as_given(of) == *at)
    };
    // the handler is told by whom, and asks that
    let told_by = || match answer.of {
        Some(Val::Param(_, _, place)) if matches!(by, Val::This(_)) => hands_itself(wiring, raise.site, usize::from(place)),
        _ => false,
    };
    let same_path = || {
        (at == by && matches!(at.root(), Val::This(_) | Val::Static(_) | Val::New(_)))
            || same_object()
            || answer.channel == joined && told_by()
    };
    if answer.channel == joined { same_path() || (one(at) && one(by)) } else { same_path() || one(by) }
}

/// Whether a raise hands the object that raises over at a place.
fn hands_itself(wiring: &Wiring<'_>, raise: Site, place: usize) -> bool {
    let Some(body) = wiring.program().body(raise.member) else { return false };
    let Node::Call { args, .. } = body.node(raise.node) else { return false };
    let at_place = body.list(args).get(place);
    at_place.is_some_and(|arg| matches!(wiring.flow.eval_in(raise.member, *arg), Val::This(_)))
}

/// Whether there is one object of a class, for the whole process.
fn is_single(wiring: &Wiring<'_>, class: TypeId) -> bool {
    wiring.flow.creations(class).iter().filter(|s| !wiring.in_test(s.member)).count() == 1 && lives_for_process(wiring, class) == Lives::Yes
}

/// Looks for circles that come back to the channel they start from.
fn search<'a>(
    wiring: &Wiring<'_>,
    answers: &'a BTreeMap<Stop, Vec<Answer>>,
    start: &Stop,
    way: &mut Vec<&'a Stop>,
    raises: &mut Vec<Site>,
    reported: &mut BTreeSet<BTreeSet<usize>>,
    drafts: &mut Vec<Draft>,
) {
    let Some(last) = way.last() else { return };
    for answer in answers.get(last).into_iter().flatten() {
        let raise = &wiring.effects[answer.raise];
        raises.push(raise.site);
        // whom it tells, where that is one by a name
        let to = raise.holder.key.as_ref().filter(|key| matches!(key, Val::Str(_) | Val::Static(_)));
        let leads_to = |stop: &Stop| stop.0 == answer.channel && fits(to, stop.1.as_ref());
        if leads_to(start) {
            if reported.insert(way.iter().map(|stop| stop.0).collect()) {
                let mut channels: Vec<usize> = way.iter().map(|stop| stop.0).collect();
                let from = entry(wiring, &channels, raises);
                let mut raises = raises.clone();
                channels.rotate_left(from);
                raises.rotate_left(from);
                drafts.push(draft(wiring, &channels, &raises));
            }
        } else if way.len() < LONGEST {
            for (stop, _) in answers.range((answer.channel, None)..).take_while(|(stop, _)| stop.0 == answer.channel) {
                if stop > start && leads_to(stop) && !way.contains(&stop) {
                    way.push(stop);
                    search(wiring, answers, start, way, raises, reported, drafts);
                    way.pop();
                }
            }
        }
        raises.pop();
    }
}

/// The channel by which a circle is entered: one that others raise too.
fn entry(wiring: &Wiring<'_>, way: &[usize], raises: &[Site]) -> usize {
    let from_outside = |c: &usize| wiring.channels[*c].raises.iter().any(|r| !raises.contains(&wiring.effects[*r].site));
    way.iter().position(from_outside).unwrap_or(0)
}

fn draft(wiring: &Wiring<'_>, way: &[usize], raises: &[Site]) -> Draft {
    let program = wiring.program();
    let names: Vec<String> = way.iter().map(|c| format!("`{}`", short(&wiring.channels[*c].id))).collect();
    let closes = raises[raises.len() - 1];
    let message = match &names[..] {
        [one] => format!("a handler of {one} always raises {one} again"),
        all => format!("{} raise each other in a circle that nothing ends", all.join(" and ")),
    };
    Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, closes),
        message,
        related: raises[..raises.len() - 1].iter().map(|r| related("it goes on here", program.place_of(*r))).collect(),
        parties: way.iter().map(|c| wiring.channels[*c].id.clone()).chain([program.member_id(closes.member)]).collect(),
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_handler_that_raises_its_own_channel() {
        expect(
            "feedback-loop",
            r#"
//// wire.ts
import { EventEmitter } from 'node:events';
const wire = new EventEmitter();
wire.on('level', (cm: number) => {
  wire.emit('gate', cm / 2);
});
wire.on('gate', (open: number) => {
  wire.emit('level', open); //! feedback-loop warning
});
let busy = false;
wire.on('tide', (cm: number) => {
  if (busy) return;
  busy = true;
  wire.emit('tide', cm / 2);
  busy = false;
});
wire.on('wind', (knots: number) => { if (knots > 1) wire.emit('wind', knots / 2); });
wire.on('rain', (mm: number) => { setTimeout(() => wire.emit('rain', mm), 10); });
wire.emit('level', 3); wire.emit('tide', 9); wire.emit('wind', 9); wire.emit('rain', 1);
"#,
        );
    }

    #[test]
    fn another_object_is_no_loop() {
        expect(
            "feedback-loop",
            r#"
//// Node.java
import java.util.*;
class Basin {
    private final List<Runnable> watchers = new ArrayList<>();
    private Basin upper;
    void watch(Runnable r) { watchers.add(r); }
    void unwatch(Runnable r) { watchers.remove(r); }
    void under(Basin other) { upper = other; other.watch(this::flow); }
    private void flow() { for (Runnable r : List.copyOf(watchers)) r.run(); }
    void fill() { flow(); }
}
"#,
        );
    }

    #[test]
    fn what_a_generic_class_holds_besides_its_listeners() {
        expect(
            "feedback-loop",
            r#"
//// Recipe.java
import java.util.*;
interface Step { void write(Card card); }
class Card { void put(String word) { } }
class Flour { void write(Card card) { card.put("flour"); } }
class Recipe<T> {
    private final Map<Object, Flour> named = new IdentityHashMap<>();
    private final List<Step> steps = new ArrayList<>();
    void add(Step step) { steps.add(step); }
    void name(Object word) { named.put(word, new Flour()); }
    void write(Card card, Object word) {
        Flour flour = named.get(word);
        if (flour != null) { flour.write(card); return; }
        card.put("?");
    }
    public void bake(Card card) { for (Step s : steps) s.write(card); }
}
class Knead<T> implements Step {
    private final Recipe<T> recipe;
    private final Object what;
    Knead(Recipe<T> recipe, Object what) { this.recipe = recipe; this.what = what; }
    Recipe<T> well() { recipe.add(this); return recipe; }
    public void write(Card card) { recipe.write(card, what); }
}
class Bakery {
    public static void main(String[] args) {
        Recipe<String> bread = new Recipe<>();
        bread.name("rye");
        new Knead<>(bread, "rye").well().bake(new Card());
    }
}
"#,
        );
    }

    #[test]
    fn a_signal_of_the_base_with_the_same_name() {
        expect(
            "feedback-loop",
            r#"
//// placard.h
#include <QLabel>
class Placard : public QLabel {
    Q_OBJECT
public:
    Placard() {
        connect(this, SIGNAL(linkActivated(const QString&)), this, SLOT(translate(const QString&)));
        connect(this, SIGNAL(linkActivated(const QUrl&)), this, SLOT(open(const QUrl&)));
    }
signals:
    void linkActivated(const QUrl& url);
private slots:
    void translate(const QString& text) { emit linkActivated(QUrl(text)); }
    void open(const QUrl& url) { show(url); }
    void show(const QUrl&);
};
class Echo : public QLabel {
    Q_OBJECT
public:
    Echo() { connect(this, SIGNAL(linkActivated(const QUrl&)), this, SLOT(again(const QUrl&))); }
signals:
    void linkActivated(const QUrl& url);
private slots:
    void again(const QUrl& url) { emit linkActivated(url); } //! feedback-loop warning
};
"#,
        );
    }

    #[test]
    fn a_signal_of_a_base_of_the_tree_that_passes_something_else() {
        expect(
            "feedback-loop",
            r#"
//// charts.h
#include <QObject>
class Bar : public QObject { Q_OBJECT };
class ShownBar : public Bar { Q_OBJECT };
class Series : public QObject {
    Q_OBJECT
signals:
    void touched(Bar* bar);
};
class ShownSeries : public Series {
    Q_OBJECT
public:
    ShownSeries() { connect(this, SIGNAL(touched(Bar*)), this, SLOT(onTouched(Bar*))); }
signals:
    void touched(ShownBar* bar);
private slots:
    void onTouched(Bar* bar) { emit touched(qobject_cast<ShownBar*>(bar)); }
};
"#,
        );
    }
}
