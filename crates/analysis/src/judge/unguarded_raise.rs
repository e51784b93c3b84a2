//! Rule `unguarded-raise`: raising a channel that can be empty crashes.

use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId, Visibility};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

use super::{Draft, Page, Rule, edits, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, Ty};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Effect, Guard};

pub(super) const RULE: Rule = Rule {
    name: "unguarded-raise",
    summary: "raising a channel that can be empty crashes",
    level: Level::Warning,
    page: Page {
        symptom: "The program crashes where something is announced, as soon as nobody listens.",
        cause: "The channel is a delegate or callback that is empty until somebody subscribes, and the raise does not ask, or asks for another channel.",
        cure: "Test the channel (or a local copy of it) before the call, call it conditionally, or give it a first handler that does nothing.",
        silent: "A test of the same channel covers the raise, also by an early return or in the only callers; the channel has a first value and is never emptied; the language does nothing when it is empty.",
        accept: "Something that the analysis cannot see makes sure that a handler is there.",
    },
    check,
};

/// So many functions in a record are what can be done with it.
const OPERATIONS: usize = 3;

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        for &raise in &channel.raises {
            let effect = &wiring.effects[raise];
            // what a dispatcher is handed shares its missing guard with the call beside it
            let shares = |other: &Effect| {
                other.site.member == effect.site.member && other.guard == Guard::None && other.certainty == Certainty::Certain
            };
            if effect.certainty == Certainty::Likely && channel.raises.iter().any(|r| shares(&wiring.effects[*r])) {
                continue;
            }
            drafts.extend(judge(wiring, channel, effect));
        }
    }
    drafts
}

fn judge(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let ChannelKey::Own(m, None) = channel.key else { return None };
    let crashes = matches!(channel.kind, ChannelKind::Event | ChannelKind::Delegate | ChannelKind::Slot);
    if effect.guard != Guard::None || !crashes || wiring.in_test(effect.site.member) || guarded_by_callers(wiring, effect) {
        return None;
    }
    let program = wiring.program();
    let nobody = channel.joins.is_empty();
    // subscribed to by a name that is known when it runs
    if nobody && channel.kind == ChannelKind::Event && wiring.joins_by_name(m) {
        return None;
    }
    if channel.kind == ChannelKind::Slot && is_filled_by_class(wiring, m) {
        return None;
    }
    // it is filled, by something that is no subscription as far as can be seen
    if nobody && channel.kind != ChannelKind::Event && wiring.flow.definitions(m).iter().any(|d| may_fill(wiring, *d)) {
        return None;
    }
    if channel.kind == ChannelKind::Slot && is_of_operations(wiring, m) || nobody && is_of_unfilled_table(wiring, channel, m) {
        return None;
    }
    if channel.kind == ChannelKind::Slot && (is_own_step(wiring, channel, m, effect) || is_demanded(wiring, m, effect)) {
        return None;
    }
    let is_hidden = program.decl(effect.site.member).modifiers.visibility == Visibility::Private;
    if (channel.kind == ChannelKind::Slot || is_hidden) && is_begun_with_it(wiring, channel, m, effect)
        || is_shown_when_filled(wiring, m, effect)
    {
        return None;
    }
    if is_emptied_with_another(wiring, m, effect) || is_unasked_pointer(wiring, channel, m) {
        return None;
    }
    if is_filled_at_birth(wiring, channel, m) || channel.kind == ChannelKind::Slot && is_filled_by_set_up(wiring, m) {
        return None;
    }
    // the value was handed on: whoever calls it was told that it is there
    if !effect.inner.is_empty() {
        return None;
    }
    let what = short(&channel.id);
    // in a library somebody else may subscribe
    let open = wiring.is_open && program.decl(m).modifiers.visibility == Visibility::Public;
    let level = if nobody && !open { Level::Error } else { Level::Warning };
    let message = if nobody {
        format!("`{what}` is raised without a guard, and nothing ever subscribes to it")
    } else {
        format!("`{what}` is raised without a guard, and is empty until somebody subscribes")
    };
    Some(Draft {
        level,
        certainty: match effect.certainty {
            // an object that is handed over while the program starts is there later, as a rule
            _ if !nobody && is_trusted_slot(wiring, channel, effect) => Certainty::Possible,
            // when an object is handed over, an order of calls may see to that is not shown
            Certainty::Certain if nobody || effect.message.is_none() => Certainty::Certain,
            _ => Certainty::Likely,
        },
        place: wiring.place(effect),
        message,
        related: vec![related(format!("`{what}` is declared here"), program.member_place(m))],
        parties: vec![channel.id.clone(), program.member_id(effect.site.member)],
        edit: edits::guard_raise(wiring, effect),
    })
}

/// Whether a slot is a step of its object's own, which nobody else fills: what comes next is chosen by its code, not subscribed.
fn is_own_step(wiring: &Wiring<'_>, channel: &Channel, m: MemberId, raise: &Effect) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    // a function of the module works for the class that is declared beside it
    let is_beside = |member: MemberId| {
        let of = program.member(member);
        of.unit == info.unit && of.kind == MemberKind::Method && program.ty(of.owner).is_module
    };
    let is_own = |join: &usize| {
        let effect = &wiring.effects[*join];
        let is_written = |s: Site| program.body(s.member).is_some_and(|b| matches!(b.node(s.node), Node::Lambda(_)));
        let handed_in = matches!(effect.handler, None | Some(Val::Param(_, None, _) | Val::Unknown));
        let by_code = !handed_in || effect.handler_node.is_some_and(is_written);
        let own_method = || matches!(effect.handler, Some(Val::Method(x, _)) if program.are_kin(program.member(x).owner, info.owner));
        // `node.evaluate = node._evaluateColor`
        let of_itself = || matches!(&effect.handler, Some(Val::Outside(of, _) | Val::Member(of, _)) if **of == effect.holder.subject);
        let is_asked = || wiring.flow.call_sites(effect.site.member).iter().any(|call| program.member(call.member).owner == info.owner);
        let helped = is_beside(effect.site.member) && (is_beside(raise.site.member) || is_asked());
        by_code && (matches!(effect.holder.subject, Val::This(_)) || own_method() || of_itself() || helped)
    };
    let mut direct = channel.joins.iter().filter(|j| wiring.effects[**j].inner.is_empty()).peekable();
    direct.peek().is_some() && direct.all(is_own)
}

/// Whether what raises only ever goes on with what the method began that fills the slot: `start(fn) { this.onStep = fn; this.step(); }`.
fn is_begun_with_it(wiring: &Wiring<'_>, channel: &Channel, m: MemberId, raise: &Effect) -> bool {
    let program = wiring.program();
    let step = raise.site.member;
    let is_it = |at: MemberId, n: NodeId| matches!(wiring.flow.eval_in(at, n), Val::Member(_, x) | Val::Static(x) if x == m);
    let joined = channel.joins.iter().map(|j| wiring.effects[*j].innermost().member);
    // also where nobody in the tree calls what fills it
    let adds = |write: &&Site| {
        program.body(write.member).is_some_and(|b| match b.node(write.node) {
            Node::Assign { op: AssignOp::Add, target, .. } => is_it(write.member, target),
            Node::Assign { op: AssignOp::Set, target, value } => {
                is_it(write.member, target) && !matches!(wiring.flow.eval_in(write.member, value), Val::Null)
            }
            _ => false,
        })
    };
    let filled = program.index.writes(program.member(m).name).iter().filter(adds).map(|write| write.member);
    let fills: Vec<MemberId> = joined.chain(filled).collect();
    let same_class = |m: &MemberId| {
        program.member(*m).owner == program.member(step).owner
            && matches!(program.member(*m).kind, MemberKind::Method | MemberKind::Accessor(_))
    };
    let scope = program.scope(step);
    let is_filled_there =
        channel.joins.iter().map(|j| wiring.effects[*j].innermost()).any(|s| s.member == step && scope.is_before(s.node, raise.site.node));
    !fills.is_empty() && fills.iter().all(same_class) && (is_filled_there || is_only_used_by(wiring, step, &fills, 2))
}

/// Whether all that calls or names a method stands in some others, or in hidden methods of which that holds.
fn is_only_used_by(wiring: &Wiring<'_>, step: MemberId, others: &[MemberId], depth: u32) -> bool {
    let program = wiring.program();
    // who was handed it calls it as long as the one runs that handed it over
    let is_handed = |call: &&Site| {
        let node = program.body(call.member).map(|body| body.node(call.node));
        matches!(node, Some(Node::Call { callee, .. }) if matches!(wiring.flow.eval_in(call.member, callee), Val::Param(..)))
    };
    let calls = wiring.flow.call_sites(step).iter().filter(|call| !is_handed(call));
    let mut uses = calls.chain(program.reads_in_class(step)).filter(|s| !wiring.in_test(s.member)).peekable();
    let is_hidden =
        |m: MemberId| program.member(m).kind == MemberKind::Method && program.decl(m).modifiers.visibility == Visibility::Private;
    uses.peek().is_some()
        && uses.all(|s| {
            s.member == step
                || others.contains(&s.member)
                || depth > 0 && is_hidden(s.member) && is_only_used_by(wiring, s.member, others, depth - 1)
        })
}

/// Whether the raise is left out where another field of the object is empty, which is filled and emptied wherever the slot is:
/// `if (this.gauge === null) return; this.read(this.gauge);`
fn is_emptied_with_another(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let member = raise.site.member;
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return false };
    // a field that a test before the raise, or around it, names
    let tested = body.ids().filter_map(|n| match body.node(n) {
        Node::If { cond, then, .. } => {
            let before = scope.is_before(n, raise.site.node) && !scope.is_within(raise.site.node, n) && body.leaves(then);
            (before || scope.is_within(raise.site.node, then)).then_some(cond)
        }
        _ => None,
    });
    let named: Vec<MemberId> = tested
        .flat_map(|cond| body.ids().filter(move |n| *n == cond || scope.is_within(*n, cond)))
        .flat_map(|n| match body.node(n) {
            // `if (!isOpen()) return;`
            Node::Call { .. } => match flow.callee(Site { member, node: n }) {
                Some(asked) if matches!(asked.receiver, Some(Val::This(_))) => own_fields(wiring, asked.member, None),
                _ => Vec::new(),
            },
            _ => own_fields(wiring, member, Some(n)),
        })
        .filter(|other| *other != m)
        .collect();
    // an heir of the same base that is another kind of thing has its own way
    let is_of_raiser = |d: &&Site| program.are_kin(program.member(d.member).owner, program.member(member).owner);
    let by = |field: MemberId, empties: bool| -> std::collections::BTreeSet<MemberId> {
        let later = flow.definitions(field).iter().filter(|d| d.member != field).filter(is_of_raiser);
        let later = later.filter(|d| program.member(d.member).kind != MemberKind::Constructor || !empties);
        later.filter(|d| matches!(flow.eval(**d), Val::Null) == empties).map(|d| d.member).collect()
    };
    let (fills, empties) = (by(m, false), by(m, true));
    !fills.is_empty()
        && named.into_iter().any(|other| {
            let (filled, emptied) = (by(other, false), by(other, true));
            !filled.is_empty() && filled.is_subset(&fills) && empties.is_subset(&emptied)
        })
}

/// The fields of the own object that an expression names, or all that stands in a body does.
fn own_fields(wiring: &Wiring<'_>, member: MemberId, only: Option<NodeId>) -> Vec<MemberId> {
    let Some(body) = wiring.program().body(member) else { return Vec::new() };
    let field = |n: NodeId| match wiring.flow.eval_in(member, n) {
        Val::Member(of, field) if matches!(*of, Val::This(_)) => Some(field),
        _ => None,
    };
    let names = |n: &NodeId| matches!(body.node(*n), Node::Name(_) | Node::Member { .. });
    match only {
        Some(n) => Some(n).filter(names).and_then(field).into_iter().collect(),
        None => body.ids().filter(names).filter_map(field).collect(),
    }
}

/// Whether the method that raises is one of an interface or base, which others call on an object that its own code only ever hands
/// over once it has filled the slot: `next = self; source.subscribe(this);`
fn is_shown_when_filled(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let step = raise.site.member;
    let (owner, name) = (program.member(step).owner, program.member(step).name);
    let mut is_of_base = program.decl(step).modifiers.is_override || !program.outside_bases(owner).is_empty();
    program.for_each_base(owner, &mut |t| {
        is_of_base |= t != owner && !program.own_members(t, name).is_empty();
        !is_of_base
    });
    if !is_of_base {
        return false;
    }
    let mut shown = false;
    let members = &program.ty(program.member(m).owner).members;
    let all_filled = members.iter().all(|member| {
        let (Some(body), scope) = (program.body(*member), program.scope(*member)) else { return true };
        let fills = |at: NodeId| {
            flow.definitions(m).iter().any(|d| d.member == *member && scope.is_before(d.node, at) && !matches!(flow.eval(*d), Val::Null))
        };
        body.ids().all(|n| match body.node(n) {
            Node::Call { args, .. } if body.list(args).iter().any(|a| body.node(*a) == Node::This) => {
                shown = true;
                fills(n)
            }
            _ => true,
        })
    });
    shown && all_filled
}

/// Whether a method of the class refuses to work where nobody is there, and what raises is a step of such work.
fn is_demanded(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let program = wiring.program();
    let name = program.text(program.member(raise.site.member).name);
    let is_inner = name.starts_with(['_', '#']) || program.decl(raise.site.member).modifiers.visibility < Visibility::Public;
    is_inner
        && program.reads_in_class(m).any(|read| {
            let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
            let choice = scope.ancestors(read.node).find_map(|n| match body.node(n) {
                Node::If { cond, then, .. } if cond == read.node || scope.is_within(read.node, cond) => Some(then),
                _ => None,
            });
            let refuses = |then: NodeId| state::any_within(body, then, &|n| matches!(body.node(n), Node::Throw(_)));
            read.member != raise.site.member && choice.is_some_and(refuses)
        })
}

/// Whether an assignment may put something there: not nothing, nor what a method is given that nobody calls.
fn may_fill(wiring: &Wiring<'_>, definition: Site) -> bool {
    match wiring.flow.eval(definition) {
        Val::Null => false,
        Val::Param(method, None, _) => wiring.is_open || !wiring.flow.call_sites(method).is_empty(),
        _ => true,
    }
}

/// Whether its class fills a slot of an object that it is handed: one of which no type is said, or the one that is being made,
/// in `static setUp(self)`.
fn is_filled_by_class(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(m);
    program.index.writes(info.name).iter().filter(|write| program.member(write.member).owner == info.owner).any(|write| {
        let Some(body) = program.body(write.member) else { return false };
        let Node::Assign { target, value, .. } = body.node(write.node) else { return false };
        let Node::Member { object, .. } = body.node(target) else { return false };
        let of = flow.eval_in(write.member, object);
        let is_handed = flow.type_of(&of) == Ty::Unknown || program.decl(write.member).modifiers.is_static && matches!(of, Val::Param(..));
        !matches!(of, Val::This(_)) && is_handed && !matches!(flow.eval_in(write.member, value), Val::Null)
    })
}

/// Whether a slot is one of the operations of a record that stands for a class where a language has none (`ops->draw(w)`): code that
/// is not read here may fill it.
pub(super) fn is_of_operations(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let members = &program.ty(info.owner).members;
    let is_function = |x: &&MemberId| matches!(wiring.flow.type_held(**x), Ty::Function(_));
    program.kit(info.unit).traits.open_names
        && !program.ty(info.owner).is_module
        && !program.has_code(info.owner)
        && members.iter().filter(is_function).count() >= OPERATIONS
}

/// Whether a slot is a plain pointer to a function of which no code says that it may be empty: none empties it, and none asks
/// whether anything is there. What is done is chosen by it, as by a method that is overridden.
fn is_unasked_pointer(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let is_pointer = program.kit(info.unit).traits.open_names && program.is_function_pointer(m);
    let asks = |r: &usize| wiring.effects[*r].guard == Guard::Tested;
    is_pointer
        && !channel.raises.iter().any(asks)
        && channel.leaves.is_empty()
        && !wiring.flow.definitions(m).iter().any(|d| matches!(wiring.flow.eval(*d), Val::Null))
}

/// Whether a field is one of many functions of its class, none of which any code fills: what fills them all finds them by their
/// names when it runs, as a loader of entry points does.
fn is_of_unfilled_table(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let is_unfilled = |x: &&MemberId| {
        program.member(**x).kind == MemberKind::Field
            && wiring.flow.definitions(**x).is_empty()
            && program.is_callable(program.member(**x).unit, &program.declared_type(**x))
    };
    channel.kind != ChannelKind::Event && program.ty(program.member(m).owner).members.iter().filter(is_unfilled).nth(OPERATIONS).is_some()
}

/// Whether whoever makes an object sets the slot right there, before anything is done with it, and nobody empties it later.
fn is_filled_at_birth(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.member(m).owner;
    let is_record = !program.ty(owner).members.iter().any(|x| program.member(*x).kind == MemberKind::Method);
    let sets = |made: &Site| {
        let joins = channel.joins.iter().map(|j| wiring.effects[*j].site).filter(|s| s.member == made.member);
        joins.into_iter().any(|join| is_record || is_set_first(wiring, *made, join.node))
    };
    let made = wiring.flow.creations(owner);
    let later = |l: &usize| program.member(wiring.effects[*l].site.member).kind != MemberKind::Constructor;
    channel.kind != ChannelKind::Event && !channel.leaves.iter().any(later) && !made.is_empty() && made.iter().all(sets)
}

/// Whether a statement comes before any call that a new object takes part in.
fn is_set_first(wiring: &Wiring<'_>, made: Site, set: NodeId) -> bool {
    let program = wiring.program();
    let (Some(body), scope) = (program.body(made.member), program.scope(made.member)) else { return false };
    let Some(local) = scope.parent(made.node).filter(|p| matches!(body.node(*p), Node::Local { .. })) else { return false };
    let names = |n: NodeId| matches!(body.node(n), Node::Name(_)) && scope.names(body, n, local);
    let takes_part = |n: &NodeId| match body.node(*n) {
        Node::Call { callee, args, .. } => {
            let on_it = matches!(body.node(callee), Node::Member { object, .. } if names(object));
            on_it || body.list(args).iter().any(|a| state::any_within(body, *a, &names))
        }
        _ => false,
    };
    let in_branch = scope.ancestors(set).take_while(|n| Some(*n) != scope.parent(local)).any(|n| !matches!(body.node(n), Node::Block(_)));
    !in_branch && body.ids().filter(takes_part).all(|call| scope.is_before(set, call))
}

/// Whether code that runs before anybody can ask fills a slot: that of a module, a constructor, or a method that a constructor
/// calls.
fn is_filled_by_set_up(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let is_constructor = |m: MemberId| program.member(m).kind == MemberKind::Constructor;
    let owner = program.member(m).owner;
    let is_own = |member: MemberId| program.is_a(program.member(member).owner, owner) || program.is_a(owner, program.member(member).owner);
    let sets_up = |member: MemberId| match program.member(member).kind {
        MemberKind::Constructor => is_own(member),
        MemberKind::Initializer => program.member(m).is_static && program.ty(program.member(member).owner).is_module,
        MemberKind::Method => {
            is_own(member) && {
                let callers = flow.callers((member, None));
                callers.iter().any(|(call, binding)| is_constructor(call.member) && matches!(binding.this, Some(Val::This(_))))
            }
        }
        _ => false,
    };
    flow.definitions(m).iter().any(|d| {
        let Some(body) = program.body(d.member) else { return false };
        let scope = program.scope(d.member);
        let always = scope.function_around(body, d.node).is_none()
            && !scope.ancestors(d.node).any(|n| matches!(body.node(n), Node::If { .. } | Node::Conditional { .. } | Node::Case { .. }));
        let is_function = || match flow.eval(*d) {
            // `Dome() { setRain(defaultRain); }`
            Val::Param(setter, None, index) if setter == d.member => flow.callers((setter, None)).iter().any(|(call, binding)| {
                let given = binding.args.get(usize::from(index)).and_then(Option::as_ref);
                is_constructor(call.member) && given.is_some_and(Val::is_function)
            }),
            value => value.is_function(),
        };
        d.member != m && always && sets_up(d.member) && is_function()
    })
}

/// Whether what is told is an object in a slot, of which no code at all asks whether it is there.
fn is_trusted_slot(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    let asked = |r: &usize| wiring.effects[*r].guard == Guard::Tested;
    channel.kind == ChannelKind::Slot && effect.message.is_some() && !channel.raises.iter().any(asked)
}

/// Whether every caller of the helper that raises asks first.
fn guarded_by_callers(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let info = program.member(effect.site.member);
    if info.kind != MemberKind::Method || program.decl(effect.site.member).modifiers.visibility == Visibility::Public {
        return false;
    }
    wiring.callers_ask(effect)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_event_called_without_asking() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.cs
using System;
public class Lamp {
    public event Action Lit;
    public void Light() {
        Lit(); //! unguarded-raise warning
    }
}
public class Keeper { public Keeper(Lamp l) { l.Lit += Note; } void Note() { } }
public class House { public static void Main() { var l = new Lamp(); l.Light(); new Keeper(l); } }
"#,
        );
    }

    #[test]
    fn a_slot_that_only_a_method_fills_that_nobody_calls() {
        expect(
            "unguarded-raise",
            r"
//// main.ts
class Lockage {
  private report: ((boats: number) => void) | undefined = undefined;
  onReport(report: (boats: number) => void) { this.report = report; }
  close(boats: number) {
    this.report(boats); //! unguarded-raise error
  }
}
class Weir {
  private report: ((level: number) => void) | undefined = undefined;
  onReport(report: (level: number) => void) { this.report = report; }
  close(level: number) {
    this.report(level); //! unguarded-raise warning
  }
}
const weir = new Weir();
weir.onReport((level) => console.log(level));
weir.close(3);
new Lockage().close(2);
",
        );
    }

    #[test]
    fn what_nobody_is_ever_on_is_an_error() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.cs
using System;
public class Lamp {
    public event Action Lit;
    public void Light() {
        Lit(); //! unguarded-raise error
    }
}
public class House { public static void Main() { new Lamp().Light(); } }
"#,
        );
    }

    #[test]
    fn guards_of_all_kinds() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.cs
using System;
public class Lamp {
    public event Action A;
    public event Action B;
    public event Action C;
    public event Action D = delegate { };
    public event Action E;
    public void Light() {
        A?.Invoke();
        if (B != null) B();
        var copy = C;
        if (copy == null) return;
        copy();
        D();
    }
    public void Dim() {
        if (A != null) E(); //! unguarded-raise warning
    }
}
public class Keeper {
    public Keeper(Lamp l) { l.A += Note; l.B += Note; l.C += Note; l.D += Note; l.E += Note; }
    void Note() { }
}
public class House { public static void Main() { var l = new Lamp(); l.Light(); l.Dim(); new Keeper(l); } }
"#,
        );
    }

    #[test]
    fn a_list_that_is_walked_needs_no_guard() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.java
package observatory;
import java.util.ArrayList;
import java.util.List;
class Lamp {
    private final List<Runnable> lit = new ArrayList<>();
    private Runnable dimmed;
    void onLit(Runnable r) { lit.add(r); }
    void onDimmed(Runnable r) { dimmed = r; }
    void light() { for (Runnable r : lit) r.run(); }
    void dim() {
        dimmed.run(); //! unguarded-raise warning
    }
    public static void main(String[] args) { Lamp l = new Lamp(); l.onLit(() -> { }); l.dim(); l.onDimmed(() -> { }); }
}
"#,
        );
    }

    #[test]
    fn a_record_is_filled_by_its_maker() {
        expect(
            "unguarded-raise",
            r#"
//// Job.cs
using System;
internal class Job { internal Action Work; }
internal class Bakery {
    internal static void Bake(Job job) { job.Work(); }
    internal static void Main() { var job = new Job(); job.Work = Knead; Bake(job); }
    static void Knead() { Console.WriteLine("dough"); }
}
internal class Note { internal Action Read; }
internal class Desk {
    internal static void Open(Note note) { note.Read(); } //! unguarded-raise warning
    internal static void Take(Note note) { note.Read += Tell; }
    internal static Note Make() { return new Note(); }
    static void Tell() { Console.WriteLine("read"); }
}
"#,
        );
    }

    #[test]
    fn what_the_maker_or_a_container_has_to_give() {
        expect(
            "unguarded-raise",
            r#"
//// tools.ts
export interface Tool {
  name: string;
  run: (level: number) => void;
  done?: (level: number) => void;
}
export class Shed {
  @inject(Factory) private readonly make: () => Tool;
  use(tool: Tool): void {
    tool.run(1);
    tool.done?.(1);
    this.make().run(2);
  }
}
export function fill(shed: Shed): void {
  shed.use({ name: 'rake', run: level => console.log(level), done: level => console.log(-level) });
  const spade: Tool = { name: 'spade', run: level => console.log(level) };
  spade.done = level => console.log(level);
}
//// ways.js
let way = function (level) { return level; };
exports.setWay = function (other) { way = other; };
exports.go = function (level) { return way(level); };
"#,
        );
    }
}
