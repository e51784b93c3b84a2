//! What sees to it that a slot is filled where it is raised.

use std::collections::BTreeSet;

use yarrowgraph_ir::{AssignOp, Body, MemberKind, Node, NodeId, TypeRef, TypeRefId, Visibility};
use yarrowgraph_model::ChannelKind;

use crate::flow::{Val, object_of};
use crate::program::{MemberId, Site, Ty};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::{Effect, Guard};

/// So many functions in a record are what can be done with it.
const OPERATIONS: usize = 3;

/// Whether a slot is a step of its object's own, which nobody else fills: what comes next is chosen by its code, not subscribed.
pub(super) fn is_own_step(wiring: &Wiring<'_>, channel: &Channel, m: MemberId, raise: &Effect) -> bool {
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

/// Whether the written type of a field says that something is always there, and a method gives it that later: who makes the object sees
/// to it, and where nothing may be there the type has to say so.
pub(super) fn is_vouched_for(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let (decl, unit) = (program.decl(m), program.unit_of(m));
    let is_nothing =
        |ty: TypeRefId| matches!(unit.type_ref(ty), TypeRef::Literal(text) if matches!(unit.text(*text), "null" | "undefined"));
    let lists_nothing = |ty: TypeRefId| match unit.type_ref(ty) {
        TypeRef::Nullable(_) => true,
        TypeRef::Union(parts) => parts.iter().any(|part| is_nothing(*part)),
        _ => false,
    };
    let definitions = wiring.flow.definitions(m);
    program.kit_of(m).traits.fits_by_shape
        && !decl.modifiers.is_optional
        && decl.ty.is_some_and(|ty| !lists_nothing(ty))
        && !definitions.is_empty()
        && definitions.iter().all(|d| d.member != m && !matches!(wiring.flow.eval(*d), Val::Null))
}

/// Whether what raises only ever goes on with what the method began that fills the slot: `start(fn) { this.onStep = fn; this.step(); }`.
pub(super) fn is_begun_with_it(wiring: &Wiring<'_>, channel: &Channel, m: MemberId, raise: &Effect) -> bool {
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
pub(super) fn is_emptied_with_another(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let member = raise.site.member;
    let named: Vec<MemberId> = asked_before(wiring, raise).into_iter().filter(|other| *other != m).collect();
    // an heir of the same base that is another kind of thing has its own way
    let is_of_raiser = |d: &&Site| {
        let writer = program.member(d.member).owner;
        program.ty(writer).is_module || program.are_kin(writer, program.member(member).owner)
    };
    let by = |field: MemberId, empties: bool| -> BTreeSet<MemberId> {
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

/// The fields that a test before a raise, or around it, names: those of the own object, and of the one that the slot belongs to.
fn asked_before(wiring: &Wiring<'_>, raise: &Effect) -> Vec<MemberId> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let member = raise.site.member;
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return Vec::new() };
    let tested = body.ids().filter_map(|n| match body.node(n) {
        Node::If { cond, then, .. } => {
            let before = scope.is_before(n, raise.site.node) && !scope.is_within(raise.site.node, n) && body.leaves(then);
            (before || scope.is_within(raise.site.node, then)).then_some(cond)
        }
        _ => None,
    });
    tested
        .flat_map(|cond| scope.within(cond))
        .flat_map(|n| match body.node(n) {
            // `if (!isOpen()) return;`
            Node::Call { .. } => match flow.callee(Site { member, node: n }) {
                Some(asked) if matches!(asked.receiver, Some(Val::This(_))) => own_fields(wiring, asked.member),
                _ => Vec::new(),
            },
            Node::Name(_) | Node::Member { .. } => match flow.eval_in(member, n) {
                Val::Member(of, field) if *of == raise.holder.subject => vec![field],
                value => value.own_field().into_iter().collect(),
            },
            _ => Vec::new(),
        })
        .collect()
}

/// Whether the raise is made in some states of its object alone, and whatever fills the slot moves it from one to another:
/// `if (state == State.STARTED) listener.done();`
pub(super) fn is_made_in_states(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let fills: BTreeSet<MemberId> =
        flow.definitions(m).iter().filter(|d| d.member != m && !matches!(flow.eval(**d), Val::Null)).map(|d| d.member).collect();
    let moves = |method: MemberId, state: MemberId| {
        let stores = |member: MemberId| flow.definitions(state).iter().any(|d| d.member == member);
        let calls = |body: &Body| body.ids().any(|n| flow.callee(Site { member: method, node: n }).is_some_and(|c| stores(c.member)));
        stores(method) || program.body(method).is_some_and(calls)
    };
    !fills.is_empty()
        && asked_before(wiring, raise).into_iter().any(|f| wiring.is_state_of_machine(f) && fills.iter().all(|fill| moves(*fill, f)))
}

/// The fields of the own object that a body names.
fn own_fields(wiring: &Wiring<'_>, member: MemberId) -> Vec<MemberId> {
    let Some(body) = wiring.program().body(member) else { return Vec::new() };
    let field = |n: NodeId| wiring.flow.eval_in(member, n).own_field();
    let names = |n: &NodeId| matches!(body.node(*n), Node::Name(_) | Node::Member { .. });
    body.ids().filter(names).filter_map(field).collect()
}

/// Whether the method that raises is one of an interface or base, which others call on an object that its own code only ever hands
/// over once it has filled the slot: `next = self; source.subscribe(this);`
pub(super) fn is_shown_when_filled(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
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

/// Whether what raises is called by a base of a library alone, whose work is begun right after the slot is filled, wherever that is
/// done: `worker.setTask(measure); worker.start();`
pub(super) fn is_filled_before_work(wiring: &Wiring<'_>, channel: &Channel, raise: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let step = raise.site.member;
    let modifiers = &program.decl(step).modifiers;
    let is_hook = || program.kit_of(step).pack.hooks.contains(program.text(program.member(step).name));
    let is_for_base = modifiers.is_override || modifiers.visibility < Visibility::Public || is_hook();
    let is_of_library = is_for_base && !program.outside_bases(program.member(step).owner).is_empty();
    let is_begun = |join: &usize| {
        let Effect { site, holder, .. } = &wiring.effects[*join];
        let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return false };
        let begins = |n: NodeId| {
            let is_outside = || flow.callee(Site { member: site.member, node: n }).is_none();
            let on_it = |object: NodeId| flow.eval_in(site.member, object) == holder.subject;
            object_of(body, n).is_some_and(on_it) && scope.is_before(site.node, n) && is_outside()
        };
        body.ids().any(begins)
    };
    is_of_library && flow.call_sites(step).is_empty() && !channel.joins.is_empty() && channel.joins.iter().all(is_begun)
}

/// Whether one of two slots does the work where the other is empty, so that whoever sets things up fills one of them:
/// `if (foreign) foreign(cm); else visitor(cm);`
pub(super) fn is_other_way(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
    let program = wiring.program();
    let Site { member, node } = raise.site;
    let (Some(body), scope) = (program.body(member), program.scope(member)) else { return false };
    let is_like = |other: MemberId| {
        let is_slot = || program.is_callable(program.member(other).unit, &program.declared_type(other));
        other != m && program.member(other).owner == program.member(m).owner && is_slot()
    };
    scope.ancestors(node).any(|n| match body.node(n) {
        Node::If { cond, other: Some(other), .. } if node == other || scope.is_within(node, other) => {
            wiring.flow.eval_in(member, cond).own_field().is_some_and(is_like)
        }
        _ => false,
    })
}

/// Whether a method of the class refuses to work where nobody is there, and what raises is a step of such work.
pub(super) fn is_demanded(wiring: &Wiring<'_>, m: MemberId, raise: &Effect) -> bool {
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
pub(super) fn may_fill(wiring: &Wiring<'_>, definition: Site) -> bool {
    match wiring.flow.eval(definition) {
        Val::Null => false,
        Val::Param(method, None, _) => wiring.is_open || !wiring.flow.call_sites(method).is_empty(),
        _ => true,
    }
}

/// Whether its class fills a slot of an object that it is handed: one of which no type is said, or the one that is being made,
/// in `static setUp(self)`.
pub(super) fn is_filled_by_class(wiring: &Wiring<'_>, m: MemberId) -> bool {
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
pub(in crate::judge) fn is_of_operations(wiring: &Wiring<'_>, m: MemberId) -> bool {
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
pub(super) fn is_unasked_pointer(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let is_pointer = program.kit(info.unit).traits.open_names && program.is_function_pointer(m);
    let asks = |r: &usize| wiring.effects[*r].guard == Guard::Tested;
    is_pointer
        && !channel.raises.iter().any(asks)
        && channel.leaves.is_empty()
        && !wiring.flow.definitions(m).iter().any(|d| matches!(wiring.flow.eval(*d), Val::Null))
}

/// Whether a slot of a module is filled by what a call finds under a name while the program runs: an entry point of a library.
pub(super) fn is_loaded(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let is_found = |d: &Site| {
        let Some(body) = program.body(d.member) else { return false };
        matches!(body.node(d.node), Node::Cast { operand, .. } if matches!(body.node(operand), Node::Call { .. }))
    };
    program.ty(info.owner).is_module && program.kit(info.unit).traits.open_names && wiring.flow.definitions(m).iter().any(is_found)
}

/// Whether a field is one of many functions of its class, none of which any code fills: what fills them all finds them by their
/// names when it runs, as a loader of entry points does.
pub(super) fn is_of_unfilled_table(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let is_unfilled = |x: &&MemberId| {
        program.member(**x).kind == MemberKind::Field
            && wiring.flow.definitions(**x).is_empty()
            && program.is_callable(program.member(**x).unit, &program.declared_type(**x))
    };
    channel.kind != ChannelKind::Event && program.ty(program.member(m).owner).members.iter().filter(is_unfilled).nth(OPERATIONS).is_some()
}

/// Whether whoever makes an object sets the slot right there, before anything is done with it, and nobody empties it later.
pub(super) fn is_filled_at_birth(wiring: &Wiring<'_>, channel: &Channel, m: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.member(m).owner;
    let is_record = !program.ty(owner).members.iter().any(|x| program.member(*x).kind == MemberKind::Method);
    // also with what is handed over by who is not seen
    let given = wiring.flow.definitions(m).iter().copied().filter(|d| !matches!(wiring.flow.eval(*d), Val::Null));
    let joined = channel.joins.iter().map(|j| wiring.effects[*j].site);
    let filled: Vec<Site> = joined.chain(given).collect();
    let sets = |made: &Site| {
        let mut here = filled.iter().filter(|s| s.member == made.member);
        here.any(|fill| is_record || is_set_first(wiring, *made, fill.node))
            || program.kit_of(m).traits.open_names && wiring.is_given_by_place(*made, m)
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
pub(super) fn is_filled_by_set_up(wiring: &Wiring<'_>, m: MemberId) -> bool {
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

/// Whether the slot is given what a call answers with that is handed the very function which raises: `before = install(log);`
pub(super) fn is_given_for_itself(wiring: &Wiring<'_>, slot: MemberId, effect: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let within = effect.site.member;
    flow.definitions(slot).iter().any(|given| {
        let Some(body) = program.body(given.member) else { return false };
        let Node::Call { args, .. } = body.node(given.node) else { return false };
        body.list(args).iter().any(|arg| matches!(flow.eval_in(given.member, *arg), Val::Method(m, _) if m == within))
    })
}
