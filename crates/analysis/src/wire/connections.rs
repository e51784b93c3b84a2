//! Functions that tie a member of one object to a member of another: `connect(gauge, &Gauge::rose,
//! board, &Board::show)`. Which functions do, the pack says; what a signal is, the front end.

use std::sync::Arc;

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::Certainty;

use super::effect::{Act, Effect, Event, Guard, Holder};
use super::extract::Extractor;
use crate::flow::Val;
use crate::program::{Declared, MemberId, Program, Sym, Ty, TypeId};

/// The effects of a call that connects or disconnects; none for any other call.
pub(super) fn effects(x: &Extractor<'_, '_>, node: NodeId, callee: NodeId, args: &[NodeId]) -> Option<Vec<Effect>> {
    let pack = &*x.flow.program.kit_of(x.member).pack;
    let (object, name) = match x.body.node(callee) {
        Node::Name(name) => (None, name),
        Node::Member { object, name, .. } => (Some(object), name),
        _ => return None,
    };
    let text = x.text(name);
    if pack.calls_by_name.contains(text) {
        return raised_by_name(x, node, args).map(|raise| vec![raise]);
    }
    let (connects, disconnects) = (pack.connects.contains(text), pack.disconnects.contains(text));
    if !connects && !disconnects {
        return None;
    }
    // what is called on a signal itself is about that
    let is_signal = |o: NodeId| match x.flow.type_of(&x.eval(o)) {
        Ty::Outside(of, _) => {
            pack.idioms.named(text).iter().any(|i| i.member_is_channel && i.on.iter().any(|on| on == x.flow.program.text(of)))
        }
        _ => false,
    };
    if args.len() == 1 && object.is_some_and(is_signal) {
        return None;
    }
    if connects {
        return connection(x, node, args);
    }
    let by_signal = object.and_then(|o| off_own_signal(x, node, o, x.flow.program.sym_in(x.member, name), args));
    by_signal.map(|leave| vec![leave]).or_else(|| release(x, node, object, args))
}

/// What is taken off a signal whose class the tree has itself: `gauge.rose.disconnect(this)`, `gauge.rose.disconnect(this, &Desk::note)`.
fn off_own_signal(x: &Extractor<'_, '_>, node: NodeId, signal: NodeId, name: Sym, args: &[NodeId]) -> Option<Effect> {
    let program = x.flow.program;
    let Val::Member(of, field) = x.eval(signal) else { return None };
    let class = x.flow.type_held(field).own()?;
    let pack = &program.kit_of(x.member).pack;
    let is_method = |m: &MemberId| program.member(*m).kind == MemberKind::Method;
    let mut connects = false;
    program.for_each_base(class, &mut |base| {
        connects |= program.ty(base).members.iter().any(|m| is_method(m) && pack.connects.contains(program.text(program.member(*m).name)));
        !connects
    });
    let (receiver, slot) = match *args {
        [receiver] => (x.eval(receiver), None),
        [receiver, slot] => (x.eval(receiver), Some(member_ref(x, slot)?)),
        _ => return None,
    };
    if !connects || program.member(field).kind != MemberKind::Field || program.find_member(class, name).is_none() {
        return None;
    }
    let mut effect = Effect::new(Act::Leave, Holder { subject: (*of).clone(), event: Event::Own(field), key: None }, x.site(node));
    effect.handler = Some(match slot {
        Some(wanted) => called_member(receiver.clone(), member(x, &receiver, &wanted), wanted.name),
        None => receiver,
    });
    Some(effect)
}

/// A signal that is raised by its name: `invokeMethod(gauge, "rose", Queued)`.
fn raised_by_name(x: &Extractor<'_, '_>, node: NodeId, args: &[NodeId]) -> Option<Effect> {
    let program = x.flow.program;
    let [object, name, ..] = *args else { return None };
    let Node::Str(name) = x.body.node(name) else { return None };
    let subject = x.eval(object);
    let signal = program.find_member(x.flow.type_of(&subject).own()?, program.sym_in(x.member, name))?;
    (program.member(signal).kind == MemberKind::Event).then(|| {
        let mut raise = Effect::new(Act::Raise, Holder { subject, event: Event::Own(signal), key: None }, x.site(node));
        raise.guard = Guard::Safe;
        raise
    })
}

/// A reference to a member.
#[derive(Clone)]
pub(super) struct MemberRef {
    /// The class that stands before its name, where one does; none of the tree where it is a library's.
    class: Option<Option<TypeId>>,
    name: Sym,
    /// The types of the parameters by which one of several is chosen.
    chosen_by: Option<Vec<Ty>>,
}

impl MemberRef {
    /// The one of a name, of whatever class the object beside it is.
    pub(super) fn named(name: Sym) -> Self {
        Self { class: None, name, chosen_by: None }
    }
}

/// The member that an expression names, also by a variable or constant that stands for it: `void (Gauge::*rose)(int) = &Gauge::rose`.
fn member_ref(x: &Extractor<'_, '_>, node: NodeId) -> Option<MemberRef> {
    let program = x.flow.program;
    let Node::Name(name) = x.body.node(node) else { return written_ref(x, x.member, node) };
    match program.scope(x.member).lookup(name, node) {
        Some(Declared::Local(local)) => match x.body.node(local) {
            Node::Local { init: Some(init), .. } => written_ref(x, x.member, init),
            _ => None,
        },
        Some(Declared::Param(..)) => None,
        None => match x.eval(node) {
            Val::Static(m) => x.flow.only_definition(m).and_then(|site| written_ref(x, site.member, site.node)),
            _ => None,
        },
    }
}

fn written_ref(x: &Extractor<'_, '_>, member: MemberId, node: NodeId) -> Option<MemberRef> {
    let program = x.flow.program;
    let body = program.body(member)?;
    match body.node(node) {
        Node::MethodRef { object, name } => {
            let class = match body.node(object) {
                Node::TypeExpr(ty) => Some(program.type_in(member, ty).own()),
                _ => None,
            };
            Some(MemberRef { class, name: program.sym_in(member, name), chosen_by: None })
        }
        // one of several of the same name: `overload<int>(&Gauge::rose)`, `static_cast<…>(&Gauge::rose)`
        Node::Cast { operand, .. } => written_ref(x, member, operand),
        Node::Call { args, type_args, .. } => match *body.list(args) {
            [only] => {
                let types = type_args.map(|list| body.type_lists[list as usize].iter().map(|t| program.type_in(member, *t)).collect());
                Some(MemberRef { chosen_by: types, ..written_ref(x, member, only)? })
            }
            _ => None,
        },
        _ => None,
    }
}

/// The member that a reference means, of the class that it names or of the object beside it.
fn member(x: &Extractor<'_, '_>, of: &Val, wanted: &MemberRef) -> Option<MemberId> {
    let program = x.flow.program;
    let sym = wanted.name;
    let ty = wanted.class.unwrap_or_else(|| x.flow.type_of(of).own())?;
    let types = wanted.chosen_by.as_ref();
    let takes = |m: &MemberId| {
        let params = &program.decl(*m).params;
        types.is_some_and(|types| {
            let pairs = params.iter().zip(types.iter());
            params.len() == types.len() && pairs.into_iter().all(|(p, t)| p.ty.is_some_and(|ty| alike(&program.type_in(*m, ty), t)))
        })
    };
    // signals of one name are one channel, but for that of a base of a library which passes something else
    let first = program.find_member(ty, sym);
    if let Some(signal) = first.filter(|m| program.member(*m).kind == MemberKind::Event) {
        let params = &program.decl(signal).params;
        let of_base = types.filter(|types| types.len() == params.len()).is_some_and(|types| {
            let pairs = params.iter().zip(types.iter());
            let mut pairs = pairs.filter_map(|(p, t)| Some((program.type_in(signal, p.ty?), t)));
            pairs.any(|(own, wanted)| program.is_data(x.member, wanted) && own.own().is_some() || are_two_classes(program, &own, wanted))
        });
        // a text names all that is passed
        let passes_more = || types.is_some_and(|types| types.len() != params.len()) && params.iter().all(|p| !p.optional);
        // a slot may have the name of a signal
        let slot = || program.find_members(ty, sym).iter().copied().find(|m| program.member(*m).kind == MemberKind::Method && takes(m));
        if let Some(slot) = types.and_then(|_| slot()) {
            return Some(slot);
        }
        let of_base = of_base || passes_more();
        // that of a base of the tree which passes what is written: an heir may have one of the same name for something of its own
        if let Some(other) = types.and_then(|_| base_signal(program, ty, signal, &takes)) {
            return Some(other);
        }
        return (!of_base || program.outside_bases(ty).is_empty()).then_some(signal);
    }
    program.find_members(ty, sym).iter().copied().find(takes).or(first)
}

/// Of the signals of a name that the bases of a class have the one that passes what is wanted, where the class's own does not.
fn base_signal(program: &Program, class: TypeId, own: MemberId, takes: &dyn Fn(&MemberId) -> bool) -> Option<MemberId> {
    let name = program.member(own).name;
    let is_signal = |m: &MemberId| program.member(*m).kind == MemberKind::Event;
    let mut found = None;
    program.for_each_base(class, &mut |t| {
        found = program.own_members(t, name).iter().copied().find(|m| is_signal(m) && takes(m));
        found.is_none()
    });
    found.filter(|m| *m != own)
}

/// Whether two types are classes of a library, each another: what a number is called may stand for another such name.
fn are_two_classes(program: &Program, a: &Ty, b: &Ty) -> bool {
    let (Ty::Outside(a, _), Ty::Outside(b, _)) = (a, b) else { return false };
    a != b && [a, b].into_iter().all(|name| program.text(*name).starts_with(|c: char| c.is_ascii_uppercase()))
}

/// Whether two types are the same, as far as both say what they are of.
fn alike(a: &Ty, b: &Ty) -> bool {
    match (a, b) {
        (Ty::Own(a, _), Ty::Own(b, _)) => a == b,
        (Ty::Outside(a, of_a), Ty::Outside(b, of_b)) => {
            // a signature in a text says nothing of what they are of
            a == b && (of_a.is_empty() || of_b.is_empty() || of_a.iter().zip(of_b.iter()).all(|(a, b)| alike(a, b)))
        }
        _ => a == b,
    }
}

/// The member of a receiver that is called, found or not.
fn called_member(receiver: Val, target: Option<MemberId>, name: Sym) -> Val {
    match target {
        Some(m) => Val::Method(m, Some(Arc::new(receiver))),
        None => Val::Outside(Arc::new(receiver), name),
    }
}

/// What a signal is to the object that sends it.
pub(super) fn holder(x: &Extractor<'_, '_>, sender: Val, signal: &MemberRef) -> Holder {
    let event = match member(x, &sender, signal) {
        Some(m) if x.flow.program.member(m).kind == MemberKind::Event => Event::Own(m),
        _ => Event::Outside(signal.name),
    };
    Holder { subject: sender, event, key: None }
}

/// How sure it is that a connection is one: a library's signal is known by its name alone.
pub(super) fn certainty(holder: &Holder) -> Certainty {
    if matches!(holder.event, Event::Own(_)) { Certainty::Certain } else { Certainty::Likely }
}

fn connection(x: &Extractor<'_, '_>, node: NodeId, args: &[NodeId]) -> Option<Vec<Effect>> {
    let program = x.flow.program;
    // an object of a namespace is written as a member is: `connect(&tide::gauge, &Gauge::rose, …)`
    let is_object = || args.get(1).is_some_and(|a| member_ref(x, *a).is_some());
    let of_namespace = args.first().filter(|a| matches!(x.body.node(**a), Node::MethodRef { .. }) && is_object());
    // something of the tree's own that ties a signal of whatever object is at hand
    if of_namespace.is_none()
        && let Some(signal) = args.first().and_then(|a| written_ref(x, x.member, *a))
    {
        let mut effect = Effect::new(Act::Join, holder(x, Val::Unknown, &signal), x.site(node));
        effect.handler = Some(Val::Unknown);
        effect.certainty = Certainty::Possible;
        effect.tied = true;
        return Some(vec![effect]);
    }
    let signal = member_ref(x, *args.get(1)?)?;
    let named = of_namespace.and_then(|a| match x.body.node(*a) {
        Node::MethodRef { name, .. } => program.free_member(program.member(x.member).unit, program.sym_in(x.member, name)),
        _ => None,
    });
    let sender = named.map_or_else(|| x.eval(args[0]), Val::Static);
    // receiver and slot; without a receiver it is the object itself, or nobody where a function is given
    let (receiver, slot) = match args {
        [_, _, slot] => (None, *slot),
        [_, _, receiver, slot, ..] if is_slot(x, *slot) || x.body.node(*receiver) == Node::This => (Some(*receiver), *slot),
        [_, _, slot, ..] => (None, *slot),
        _ => return None,
    };
    let receiver_value = match receiver {
        Some(node) => Some(x.eval(node)),
        None => member_ref(x, slot).map(|_| Val::This(program.member(x.member).owner)),
    };
    let mut effect = Effect::new(Act::Join, holder(x, sender, &signal), x.site(node));
    effect.certainty = certainty(&effect.holder);
    effect.handler_node = Some(x.site(slot));
    effect.context = receiver_value.clone();
    effect.handle = true;
    // who is named as receiver takes the connection along when it goes
    effect.tied = receiver_value.is_some();
    effect.bounded = args.iter().skip(3).any(|a| is_called(x, *a, "UniqueConnection"));
    let mut found = Vec::new();
    match (member_ref(x, slot), receiver_value) {
        (Some(wanted), Some(receiver)) => {
            let target = member(x, &receiver, &wanted);
            effect.handler = Some(match target {
                Some(m) if program.member(m).kind == MemberKind::Event => {
                    // a signal tied to a signal raises that
                    let holder = Holder { subject: receiver.clone(), event: Event::Own(m), key: None };
                    let mut relay = Effect::new(Act::Raise, holder, x.site(node));
                    relay.guard = Guard::Safe;
                    relay.relayed = true;
                    found.push(relay);
                    Val::Member(Arc::new(receiver), m)
                }
                _ => called_member(receiver, target, wanted.name),
            });
        }
        _ => effect.handler = Some(x.eval(slot)),
    }
    found.insert(0, effect);
    Some(found)
}

/// Whether an argument is what is called, rather than a kind of connection.
fn is_slot(x: &Extractor<'_, '_>, node: NodeId) -> bool {
    match x.body.node(node) {
        Node::MethodRef { .. } | Node::Lambda(_) => true,
        Node::Call { .. } | Node::Cast { .. } => member_ref(x, node).is_some(),
        Node::Name(_) | Node::Member { .. } => {
            x.flow.function_of(&x.eval(node)).is_some() || matches!(x.eval(node), Val::Local(_) | Val::Param(..))
        }
        _ => false,
    }
}

fn is_called(x: &Extractor<'_, '_>, node: NodeId, wanted: &str) -> bool {
    match x.body.node(node) {
        Node::Name(name) | Node::Member { name, .. } => x.text(name) == wanted,
        Node::Binary { left, right, .. } => is_called(x, left, wanted) || is_called(x, right, wanted),
        Node::Call { args, .. } => x.body.list(args).iter().any(|a| is_called(x, *a, wanted)),
        Node::Cast { operand, .. } => is_called(x, operand, wanted),
        _ => false,
    }
}

fn is_nothing(x: &Extractor<'_, '_>, node: NodeId) -> bool {
    match x.body.node(node) {
        Node::Null => true,
        Node::Num(name) => x.text(name) == "0",
        _ => false,
    }
}

/// Whoever listens to any signal that a type of the tree declares: `disconnect(gauge, 0, 0, 0)`, `gauge->disconnect()`.
fn release_all(x: &Extractor<'_, '_>, node: NodeId, sender: &Val) -> Vec<Effect> {
    let program = x.flow.program;
    let mut found = Vec::new();
    let Some(of) = x.flow.type_of(sender).own() else { return found };
    program.for_each_base(of, &mut |base| {
        let signals = program.ty(base).members.iter().filter(|m| program.member(**m).kind == MemberKind::Event);
        found.extend(signals.map(|signal| {
            let holder = Holder { subject: sender.clone(), event: Event::Own(*signal), key: None };
            let mut effect = Effect::new(Act::LeaveAll, holder, x.site(node));
            effect.certainty = Certainty::Likely;
            effect
        }));
        true
    });
    found
}

fn release(x: &Extractor<'_, '_>, node: NodeId, object: Option<NodeId>, args: &[NodeId]) -> Option<Vec<Effect>> {
    let program = x.flow.program;
    let this = || Val::This(program.member(x.member).owner);
    // `QObject::disconnect(…)` is written like a call on an object
    let on = object.filter(|o| !matches!(x.eval(*o), Val::Type(_) | Val::Global(_)));
    if let Some(signal) = args.get(1).and_then(|a| member_ref(x, *a)) {
        let sender = x.eval(args[0]);
        let holder = holder(x, sender, &signal);
        let receiver = args.get(2).filter(|r| !is_nothing(x, **r)).map(|r| x.eval(*r));
        let slot = args.get(3).and_then(|s| member_ref(x, *s));
        let mut effect = Effect::new(Act::Leave, holder, x.site(node));
        effect.certainty = Certainty::Likely;
        match (receiver, slot) {
            (Some(receiver), Some(wanted)) => {
                let target = member(x, &receiver, &wanted);
                effect.handler = Some(called_member(receiver, target, wanted.name));
            }
            (Some(receiver), None) => effect.handler = Some(receiver),
            (None, _) => effect.act = Act::LeaveAll,
        }
        return Some(vec![effect]);
    }
    // `gauge->disconnect(SIGNAL(rose(int)), this, SLOT(onRose(int)))`
    if let Some(signal) = args.first().and_then(|a| written_ref(x, x.member, *a)) {
        let sender = on.map_or_else(this, |o| x.eval(o));
        let mut effect = Effect::new(Act::LeaveAll, holder(x, sender, &signal), x.site(node));
        effect.certainty = Certainty::Likely;
        if let Some(receiver) = args.get(1).filter(|r| !is_nothing(x, **r)).map(|r| x.eval(*r)) {
            effect.act = Act::Leave;
            effect.handler = Some(match args.get(2).and_then(|s| member_ref(x, *s)) {
                Some(wanted) => {
                    let target = member(x, &receiver, &wanted);
                    called_member(receiver, target, wanted.name)
                }
                None => receiver,
            });
        }
        return Some(vec![effect]);
    }
    let all_of = match (on, args) {
        (None, [sender, rest @ ..]) if rest.len() >= 2 && rest.iter().all(|a| is_nothing(x, *a)) => Some(x.eval(*sender)),
        (Some(sender), []) => Some(x.eval(sender)),
        _ => None,
    };
    if let Some(found) = all_of.map(|sender| release_all(x, node, &sender)).filter(|found| !found.is_empty()) {
        return Some(found);
    }
    // everything from one object to another
    let (sender, receiver) = match (on, args) {
        (None, [sender, rest @ ..]) if rest.len() >= 2 => {
            (x.eval(*sender), Some(rest[1]).filter(|r| !is_nothing(x, *r)).map(|r| x.eval(r)))
        }
        // what this object sends to another, although it may read like the reverse
        (None, [receiver]) if x.flow.type_of(&x.eval(*receiver)).own().is_some() => (this(), Some(x.eval(*receiver))),
        (Some(sender), [receiver]) if matches!(x.eval(*receiver), Val::This(_)) => (x.eval(sender), Some(this())),
        _ => return None,
    };
    let mut effect = Effect::new(Act::LeaveOwner, Holder { subject: sender, event: Event::Bus, key: None }, x.site(node));
    effect.handler = Some(receiver.unwrap_or_else(this));
    effect.certainty = Certainty::Likely;
    Some(vec![effect])
}
