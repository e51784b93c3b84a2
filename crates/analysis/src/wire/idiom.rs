//! Effects that a pack says a library's method has.

use yarrowgraph_ir::pack::{Idiom, Role, matches};
use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId, TypeKind};
use yarrowgraph_model::Certainty;

use super::effect::{Act, Effect, Event, Holder};
use super::extract::{Extractor, holder_of};
use super::holders::says_what_happened;
use super::{selections, streams};
use crate::flow::Val;
use crate::program::{Kinds, MemberId, Program, Site, Sym, Ty, TypeId};

/// Adds what a call does by a pack's word; says whether a pack knows it.
pub(super) fn effects(x: &Extractor<'_, '_>, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) -> bool {
    let program = x.flow.program;
    let unit = program.unit_of(x.member);
    let (object, name) = match x.body.node(callee) {
        Node::Member { object, name, .. } => (Some(object), name),
        Node::Name(name) => (None, name),
        _ => return false,
    };
    let text = unit.text(name);
    let pack = &*program.kit_of(x.member).pack;
    if pack.receiver_calls.contains(text)
        && let Some(called) = object
        && let Some(handed) = handed_on(x, args)
    {
        return matches!(x.body.node(called), Node::Member { .. }) && effects(x, node, called, &handed, found);
    }
    if let Some(object) = object
        && let Some(of_selection) = selections::effects(x, node, text, object, args)
    {
        found.extend(of_selection);
        return true;
    }
    // `const { on, emit: send } = makeBus(); send('rise', cm)` is done on what that made
    let may_be_taken = program.kit_of(x.member).traits.fields_called;
    let taken = may_be_taken.then(|| x.flow.method_taken(&x.eval(callee))).flatten();
    let (taken_from, text) = match taken {
        Some(Val::Method(m, Some(of))) => (Some((*of).clone()), program.text(program.member(m).name)),
        _ => (None, text),
    };
    let mut candidates = pack.idioms.named(text);
    if candidates.is_empty() {
        return false;
    }
    let object = object.filter(|_| taken_from.is_none());
    // those about a certain type before those about any
    candidates.sort_by_key(|i| i.on.is_empty());
    let concrete = object.and_then(|o| concrete_type(x, &x.eval(o)));
    // what the tree declares speaks for itself, unless it has no body to speak with
    if concrete.is_none()
        && let Some(target) = x.flow.callee(x.site(node))
        && (program.body(target.member).is_some_and(|b| b.root.is_some()) || has_implementation(x, target.member))
    {
        return false;
    }
    let subject = match object {
        Some(object) => first_of_chain(x, x.eval(object)),
        None if let Some(of) = taken_from => first_of_chain(x, of),
        None if x.inherits_outside() && program.scope(x.member).lookup(name, callee).is_none() => Val::This(program.member(x.member).owner),
        None => return false,
    };
    let receiver = concrete.unwrap_or_else(|| x.flow.type_of(&subject));
    for idiom in candidates {
        let is_streams = || idiom.on.iter().any(|on| pack.stream_types.contains(on));
        let is_of_event = object.is_some() && is_streams() && streams::of_event(x, callee).is_some();
        let fitting = if is_of_event { Some(Certainty::Certain) } else { fits(x, idiom, object, &subject, &receiver) };
        if let Some(certainty) = fitting
            && let Some(effect) = apply_all(x, idiom, node, name, &subject, args, certainty)
        {
            found.extend(effect);
            return true;
        }
    }
    false
}

/// The emitter that a chain of subscribing calls is about: `mill.on("flour", f).on("dust", g)`.
fn first_of_chain(x: &Extractor<'_, '_>, subject: Val) -> Val {
    let program = x.flow.program;
    let mut subject = subject;
    while let Val::Call(site) = subject {
        let gives_itself = |method: crate::program::Sym| {
            let named = program.kit_of(site.member).pack.idioms.named(program.text(method));
            named.iter().any(|i| i.does == Role::Subscribe && i.topic.is_some() && !i.handle)
        };
        match x.flow.receiver(site).filter(|(_, method)| gives_itself(*method) && x.flow.callee(site).is_none()) {
            Some((of, _)) => subject = of,
            None => break,
        }
    }
    subject
}

/// What is handed on in `emit.call(bus, topic)` or `emit.apply(bus, [topic])`; none where it is not written out.
fn handed_on(x: &Extractor<'_, '_>, args: &[NodeId]) -> Option<Vec<NodeId>> {
    match args {
        [_, list] if matches!(x.body.node(*list), Node::Collection { .. }) => Some(x.body.children(*list).to_vec()),
        [_, first, ..] if matches!(x.body.node(*first), Node::Str(_) | Node::Template(_)) => Some(args[1..].to_vec()),
        _ => None,
    }
}

/// The type of a library that is all that a member of an own interface's type ever holds.
fn concrete_type(x: &Extractor<'_, '_>, subject: &Val) -> Option<Ty> {
    let (Val::Member(_, m) | Val::Static(m)) = subject else { return None };
    let Ty::Own(declared, _) = x.flow.type_of(subject) else { return None };
    if x.flow.program.ty(declared).kind != TypeKind::Interface {
        return None;
    }
    let only = x.flow.only_definition(*m)?;
    match x.flow.type_of_node(only.member, only.node) {
        outside @ Ty::Outside(..) => Some(outside),
        _ => None,
    }
}

fn has_implementation(x: &Extractor<'_, '_>, member: crate::program::MemberId) -> bool {
    let program = x.flow.program;
    let info = program.member(member);
    program
        .heirs(info.owner)
        .into_iter()
        .skip(1)
        .any(|heir| program.own_members(heir, info.name).iter().any(|m| program.body(*m).is_some_and(|b| b.root.is_some())))
}

/// Whether a receiver can be what an idiom is about, and how sure that is.
fn fits(x: &Extractor<'_, '_>, idiom: &Idiom, object: Option<NodeId>, subject: &Val, receiver: &Ty) -> Option<Certainty> {
    let program = x.flow.program;
    let named = |name: &str| idiom.on.iter().any(|on| on == name);
    // a name that is not of the tree: the type itself (`Signal.clearData`)
    let static_name = match subject {
        Val::Global(name) => Some(program.text(*name)),
        _ => None,
    };
    let getter_name = match subject {
        // `EventBus.getDefault()`
        Val::Call(site) => static_receiver(x, *site),
        _ => None,
    };
    if !idiom.on.is_empty() {
        let by_type = match receiver {
            Ty::Outside(name, _) => named(program.text(*name)),
            Ty::Own(id, _) => program.outside_bases(*id).iter().any(|b| named(program.text(*b))),
            _ => false,
        };
        // `document.body`
        let by_path = || match subject {
            Val::Outside(of, part) => matches!(**of, Val::Global(of) if named(&format!("{}.{}", program.text(of), program.text(*part)))),
            _ => false,
        };
        let by_name = static_name.is_some_and(named) || getter_name.is_some_and(|n| named(program.text(n))) || by_path();
        return (by_type || by_name).then_some(Certainty::Certain);
    }
    if idiom.typed_only {
        return None;
    }
    if !idiom.member.is_empty() {
        let member = match subject {
            Val::Outside(_, name) => program.text(*name),
            _ => return None,
        };
        return idiom.member.iter().any(|m| matches(m, member).is_some()).then_some(Certainty::Possible);
    }
    match receiver {
        Ty::Own(id, _) | Ty::Static(id) => {
            // own types that inherit nothing from outside have no such member
            let open = !program.outside_bases(*id).is_empty() || program.ty(*id).kind == TypeKind::Interface;
            if !open && program.kit_of(x.member).traits.duck_typed && may_be_given_members(program, *id) {
                return Some(Certainty::Possible);
            }
            open.then_some(if object.is_none() || matches!(x.body.node(object?), Node::This | Node::Super) {
                Certainty::Certain
            } else {
                Certainty::Likely
            })
        }
        Ty::Outside(name, _) => {
            let pack = &*program.kit_of(x.member).pack;
            let text = program.text(*name);
            (!pack.collections.contains(text)).then_some(Certainty::Certain)
        }
        Ty::Unknown => Some(Certainty::Possible),
        Ty::Array(_) | Ty::Function(_) | Ty::Param(..) | Ty::Record(_) => Some(Certainty::Possible),
    }
}

/// Whether objects of a class are handed, as they are made, to a function that may give them members: `evented(this)`.
fn may_be_given_members(program: &Program, class: TypeId) -> bool {
    let hands_itself = |m: &MemberId| {
        if program.member(*m).kind != MemberKind::Constructor {
            return false;
        }
        let Some(body) = program.body_with(*m, Kinds::CALL) else { return false };
        body.ids().any(|n| match body.node(n) {
            Node::Call { callee, args, .. } => {
                matches!(body.node(callee), Node::Name(_))
                    && body.list(args).first().is_some_and(|first| matches!(body.node(*first), Node::This))
            }
            _ => false,
        })
    };
    let mut found = false;
    program.for_each_base(class, &mut |t| {
        found = program.ty(t).members.iter().any(&hands_itself);
        !found
    });
    found
}

/// The type whose static method gave the receiver.
fn static_receiver(x: &Extractor<'_, '_>, site: crate::program::Site) -> Option<Sym> {
    let body = x.flow.program.body(site.member)?;
    let Node::Call { callee, .. } = body.node(site.node) else { return None };
    let Node::Member { object, .. } = body.node(callee) else { return None };
    match x.flow.eval_in(site.member, object) {
        Val::Global(name) => Some(name),
        _ => None,
    }
}

/// What a call does; where an object names topics and their handlers, for each of them.
fn apply_all(
    x: &Extractor<'_, '_>,
    idiom: &Idiom,
    node: NodeId,
    name: yarrowgraph_ir::Name,
    subject: &Val,
    args: &[NodeId],
    certainty: Certainty,
) -> Option<Vec<Effect>> {
    let topic = idiom.topic.and_then(|t| args.get(t).copied());
    // a stream that is only started tells the functions of its steps: `levels.pipe(tap(show)).subscribe()`
    let in_steps = || match x.body.node(node) {
        Node::Call { callee, .. } if args.is_empty() && idiom.member_is_channel && idiom.does == Role::Subscribe => {
            streams::told_in_steps(x, callee)
        }
        _ => None,
    };
    let mut parts = Arguments { args, topic, handler: handler_argument(x, idiom, args).or_else(in_steps) };
    let entries = topic.filter(|_| idiom.handler.is_some()).and_then(|t| match x.body.node(t) {
        Node::Object(list) => Some(x.body.list(list)),
        _ => None,
    });
    let Some(entries) = entries else { return apply(x, idiom, node, name, subject.clone(), parts, certainty) };
    let mut found = Vec::new();
    for entry in entries {
        let Node::Entry { key, value } = x.body.node(*entry) else { return None };
        if !matches!(x.body.node(key), Node::Str(_)) || x.flow.function_of(&x.eval(value)).is_none() {
            return None;
        }
        (parts.topic, parts.handler) = (Some(key), Some(value));
        found.extend(apply(x, idiom, node, name, subject.clone(), parts, certainty)?);
    }
    (!found.is_empty()).then_some(found)
}

/// The arguments of a call, and the roles of two of them.
#[derive(Clone, Copy)]
struct Arguments<'a> {
    args: &'a [NodeId],
    topic: Option<NodeId>,
    handler: Option<NodeId>,
}

/// The argument that is the handler: where something else that is written out stands in its place (a selector,
/// a priority, data), the function behind it.
fn handler_argument(x: &Extractor<'_, '_>, idiom: &Idiom, args: &[NodeId]) -> Option<NodeId> {
    let Some(index) = usize::try_from(idiom.handler?).ok() else { return args.last().copied() };
    let first = *args.get(index)?;
    let is_function = |n: &&NodeId| x.flow.function_of(&x.eval(**n)).is_some();
    match x.body.node(first) {
        // `{ handleEvent(e) { … } }`
        Node::Object(_) if let Some(method) = entry(x, Some(first), "handleEvent") => Some(method),
        node => {
            let is_data = match node {
                Node::Str(_) | Node::Num(_) | Node::Bool(_) | Node::Null | Node::Object(_) | Node::Template(_) => true,
                Node::Name(_) | Node::Member { .. } => is_plain(x, first),
                _ => false,
            };
            let behind = || args[index + 1..].iter().find(is_function).copied();
            is_data.then(behind).flatten().or(Some(first))
        }
    }
}

/// Whether a name stands for plain data: a constant that is a number or a text.
fn is_plain(x: &Extractor<'_, '_>, node: NodeId) -> bool {
    let (Val::Static(m) | Val::Member(_, m)) = x.eval(node) else { return false };
    let only = x.flow.only_definition(m).and_then(|site| Some(x.flow.program.body(site.member)?.node(site.node)));
    matches!(only, Some(Node::Num(_) | Node::Str(_) | Node::Plain))
}

fn apply(
    x: &Extractor<'_, '_>,
    idiom: &Idiom,
    node: NodeId,
    name: yarrowgraph_ir::Name,
    subject: Val,
    Arguments { args, topic: topic_node, handler: handler_node }: Arguments<'_>,
    certainty: Certainty,
) -> Option<Vec<Effect>> {
    let program = x.flow.program;
    let text = program.unit_of(x.member).text(name);
    let act = match idiom.does {
        // without a handler all of them go
        Role::Release if handler_node.is_none() && idiom.handler.is_some() && idiom.topic.is_some() => Act::LeaveAll,
        Role::Subscribe => Act::Join,
        Role::Release => Act::Leave,
        Role::ReleaseAll => Act::LeaveAll,
        Role::ReleaseOwner => Act::LeaveOwner,
        Role::Raise => Act::Raise,
    };
    // the shape decides: a constant key and a callable
    if idiom.topic.is_some() && matches!(act, Act::Join | Act::Leave | Act::Raise) && !idiom.by_type && !idiom.by_message {
        let key = topic_node?;
        let constant = is_key(x, key);
        if !constant && certainty != Certainty::Certain {
            return None;
        }
    }
    let handler = handler_node.map(|n| x.eval(n));
    if matches!(act, Act::Join | Act::Leave) && idiom.handler.is_some() {
        let node = handler_node?;
        if !can_be_handler(x, node, handler.as_ref()?, certainty) {
            return None;
        }
    }
    // a place in the net is no topic (`db.connect('mongo://…', done)`)
    if topic_node.is_some_and(|t| matches!(x.body.node(t), Node::Str(text) if program.unit_of(x.member).text(text).contains("://"))) {
        return None;
    }
    let star = matches(&idiom.name, text).unwrap_or("");
    // nobody in the tree can be told by a name that nothing has
    let told_by = match &idiom.tells {
        Some(method) => Some(program.symbols.get(method)?),
        None => None,
    };
    let event = if told_by.is_some() {
        Event::Bus
    } else if let Some((_, tail)) = idiom.name.split_once('*') {
        // named by the noun, or by who subscribes to it where the tree does not have that word, so that all verbs about it meet
        let noun = program.symbols.get(&format!("{star}{tail}"));
        let pack = &program.kit_of(x.member).pack;
        let by_verb = || pack.idioms.subscribing(star, tail).find_map(|verb| program.symbols.get(&verb));
        Event::Outside(noun.or_else(by_verb).unwrap_or_else(|| program.sym_in(x.member, name)))
    } else if idiom.member_is_channel {
        return member_channel(x, idiom, act, node, subject, handler, handler_node, args, certainty);
    } else if idiom.topic.is_some() || idiom.by_annotation || act == Act::LeaveOwner {
        Event::Bus
    } else {
        Event::Outside(program.sym_in(x.member, name))
    };
    let key = if let Some(method) = told_by {
        Some(Val::Str(method))
    } else if idiom.by_type {
        topic_node.map(|t| message_type(x, t))
    } else if idiom.by_message {
        Some(message_topic(x, topic_node?)?)
    } else {
        topic_node.map(|t| said_by_message(x, act, t).unwrap_or_else(|| x.flow.key_at(x.member, t)))
    };
    let mut effect = Effect::new(act, Holder { subject, event, key }, x.site(node));
    tie(x, idiom, &mut effect, handler, handler_node, args, certainty);
    let options = idiom.options.and_then(|o| args.get(o).copied());
    effect.once |= has_once(x, options);
    effect.bounded = is_ended_by_signal(x, options);
    effect.phase = idiom.phase.as_ref().and_then(|name| phase(x, options, name));
    effect.by_annotation = idiom.by_annotation;
    effect.message = told_by.filter(|_| act == Act::Raise);
    Some(vec![effect])
}

/// The topic that a message says itself, which is told in place of one: `trigger({ type: 'risen', level })`.
fn said_by_message(x: &Extractor<'_, '_>, act: Act, message: NodeId) -> Option<Val> {
    let program = x.flow.program;
    if act != Act::Raise {
        return None;
    }
    let Val::Literal(site) = x.eval(message) else { return None };
    let kinds = &program.kit_of(x.member).pack.message_kinds;
    let entry = kinds.iter().find_map(|kind| x.flow.entry_of_literal(site, program.symbols.get(kind)?))?;
    Some(x.flow.eval(entry))
}

/// What a message was made with: the first argument of `new`, or what its own class hands to the
/// constructor of its base; none where it is not shown.
fn message_topic(x: &Extractor<'_, '_>, message: NodeId) -> Option<Val> {
    let program = x.flow.program;
    let made = match x.eval(message) {
        Val::New(made) => made,
        // a plain event stands for its name
        named @ Val::Str(_) => return Some(named),
        _ => return None,
    };
    let body = program.body(made.member)?;
    let Node::New { args, .. } = body.node(made.node) else { return None };
    if let Ty::Own(class, _) = x.flow.type_of(&Val::New(made)) {
        // an own class names itself to its base
        let constructor = program.ty(class).members.iter().copied().find(|m| program.member(*m).kind == MemberKind::Constructor)?;
        let body = program.body(constructor)?;
        let handed = body.ids().find_map(|n| match body.node(n) {
            Node::Call { callee, args, .. } if matches!(body.node(callee), Node::Super) => body.list(args).first().copied(),
            _ => None,
        })?;
        let named = x.flow.eval_in(constructor, handed);
        return matches!(named, Val::Str(_) | Val::Static(_)).then_some(named);
    }
    Some(x.flow.eval_in(made.member, *body.list(args).first()?))
}

/// The type of a message, as the topic that it is.
fn message_type(x: &Extractor<'_, '_>, node: NodeId) -> Val {
    match x.flow.type_of_node(x.member, node) {
        Ty::Own(id, _) => Val::Type(id),
        Ty::Outside(name, _) => Val::Global(name),
        _ => x.eval(node),
    }
}

/// `gauge.rose.connect(handler)`: the receiver is the channel.
#[expect(clippy::too_many_arguments, reason = "one call site; a struct would only rename them")]
fn member_channel(
    x: &Extractor<'_, '_>,
    idiom: &Idiom,
    act: Act,
    node: NodeId,
    subject: Val,
    handler: Option<Val>,
    handler_node: Option<NodeId>,
    args: &[NodeId],
    certainty: Certainty,
) -> Option<Vec<Effect>> {
    let callee = match x.body.node(node) {
        Node::Call { callee, .. } => Some(callee),
        _ => None,
    };
    let holder = match callee.and_then(|callee| streams::of_event(x, callee)) {
        Some((subject, topic)) => Holder { subject, event: Event::Bus, key: Some(topic) },
        None => holder_of_channel(x, idiom, act, streams::source(x.flow, subject), certainty)?,
    };
    let mut effect = Effect::new(act, holder, x.site(node));
    tie(x, idiom, &mut effect, handler, handler_node, args, certainty);
    if let Some(callee) = callee {
        effect.bounded = streams::is_bounded(x, callee);
    }
    Some(vec![effect])
}

/// What holds a channel that is an object by itself.
fn holder_of_channel(x: &Extractor<'_, '_>, idiom: &Idiom, act: Act, subject: Val, certainty: Certainty) -> Option<Holder> {
    // where not even the type is known, `client.connect(done)` may be anything: a signal is called so, or by what it says
    if idiom.on.is_empty() && act != Act::Raise && !is_called_signal(x, &subject) {
        return None;
    }
    holder_of(x.flow, &subject).or_else(|| match &subject {
        Val::Outside(of, name) => Some(Holder { subject: (**of).clone(), event: Event::Outside(*name), key: None }),
        // whoever hands it over says which it is
        Val::Param(..) if certainty == Certainty::Certain => Some(Holder { subject: subject.clone(), event: Event::Handed, key: None }),
        Val::New(_) | Val::Local(_) | Val::Call(_) if certainty == Certainty::Certain => {
            let event = Event::Outside(x.flow.program.symbols.get(&idiom.name)?);
            Some(Holder { subject: subject.clone(), event, key: None })
        }
        _ => None,
    })
}

/// Whether the name of a member says that it tells what happens: `gauge.levelChanged`, `panel.closeSignal`.
fn is_called_signal(x: &Extractor<'_, '_>, subject: &Val) -> bool {
    let program = x.flow.program;
    let name = match subject {
        Val::Member(_, m) => program.member(*m).name,
        Val::Outside(_, name) => *name,
        Val::Param(..) => return true,
        _ => return false,
    };
    let text = program.text(name);
    says_what_happened(text) || text.to_lowercase().contains("signal")
}

/// Fills in what an idiom says of the handler and of how it is held.
fn tie(
    x: &Extractor<'_, '_>,
    idiom: &Idiom,
    effect: &mut Effect,
    handler: Option<Val>,
    handler_node: Option<NodeId>,
    args: &[NodeId],
    certainty: Certainty,
) {
    effect.handler = handler.map(|h| x.wrapped_param(&h).unwrap_or(h));
    effect.handler_node = handler_node.map(|n| x.site(n));
    // a method that is bound to an object of a toolkit goes with that
    effect.tied |= match (&effect.handler, handler_node.map(|n| x.body.node(n))) {
        (Some(Val::Method(_, Some(receiver))), Some(Node::MethodRef { .. }))
            if x.flow.program.kit_of(x.member).traits.references_dangle =>
        {
            let class = x.flow.type_of(receiver).own();
            class.is_none_or(|c| !x.flow.program.outside_bases(c).is_empty())
        }
        _ => false,
    };
    // what stands where the name would may be the handler itself
    let named = idiom.about.and_then(|a| args.get(a)).filter(|n| handler_node != Some(**n));
    effect.about = named.map(|n| x.eval(*n));
    effect.context = idiom.context.and_then(|c| args.get(c)).map(|n| x.eval(*n));
    effect.weak = idiom.weak;
    effect.once = idiom.once;
    effect.handle = idiom.handle;
    effect.certainty = certainty;
}

/// Whether a node can be a topic: a constant, or made of constants.
fn is_key(x: &Extractor<'_, '_>, node: NodeId) -> bool {
    match x.body.node(node) {
        Node::Str(_) | Node::Template(_) => true,
        Node::Member { .. } | Node::Name(_) => match x.eval(node) {
            Val::Str(_) | Val::Static(_) | Val::Param(..) | Val::Local(_) | Val::Element(..) => true,
            entry @ Val::Outside(..) if x.flow.text_of(&entry).is_some() => true,
            Val::Outside(of, _) => matches!(*of, Val::Global(_) | Val::Outside(..) | Val::Type(_)),
            Val::Member(_, m) => x.flow.program.decl(m).modifiers.is_readonly,
            _ => false,
        },
        Node::Index { .. } => x.flow.text_of(&x.eval(node)).is_some(),
        Node::Cast { operand, .. } => is_key(x, operand),
        // `'lock.' + phase`, `['full', 'empty']`
        Node::Binary { op: BinaryOp::Add, left, .. } => matches!(x.body.node(left), Node::Str(_)) || is_key(x, left),
        Node::Collection { items, .. } => {
            let items = x.body.list(items);
            !items.is_empty() && items.iter().all(|i| matches!(x.body.node(*i), Node::Str(_)))
        }
        _ => false,
    }
}

/// Whether a node can be a handler: something to call, or an object to tell.
fn can_be_handler(x: &Extractor<'_, '_>, node: NodeId, value: &Val, certainty: Certainty) -> bool {
    if x.flow.function_of(value).is_some() {
        return true;
    }
    let written_out =
        matches!(x.body.node(node), Node::Str(_) | Node::Num(_) | Node::Bool(_) | Node::Template(_) | Node::Plain | Node::Null);
    if written_out {
        return false;
    }
    match value {
        Val::Param(..)
        | Val::Local(_)
        | Val::This(_)
        | Val::New(_)
        | Val::Member(..)
        | Val::Static(_)
        | Val::Element(..)
        | Val::Bound(..) => true,
        Val::Outside(..) | Val::Call(_) | Val::Literal(_) | Val::Global(_) => {
            certainty >= Certainty::Likely || matches!(value, Val::Outside(..))
        }
        _ => false,
    }
}

/// `{ once: true }`
fn has_once(x: &Extractor<'_, '_>, options: Option<NodeId>) -> bool {
    let here = entry(x, options, "once").map(|node| Site { member: x.member, node });
    let truth = here.or_else(|| named_entry(x, options, "once"));
    truth.is_some_and(|v| x.flow.program.body(v.member).is_some_and(|b| b.node(v.node) == Node::Bool(true)))
}

/// An entry of options that have a name: `const ONCE = { once: true };`
fn named_entry(x: &Extractor<'_, '_>, options: Option<NodeId>, wanted: &str) -> Option<Site> {
    x.flow.entry_of_literal(named_options(x, options)?, x.flow.program.symbols.get(wanted)?)
}

/// Where options are written out that have a name.
fn named_options(x: &Extractor<'_, '_>, options: Option<NodeId>) -> Option<Site> {
    match x.eval(options?) {
        Val::Literal(object) => Some(object),
        Val::Static(constant) => x.flow.only_definition(constant),
        _ => None,
    }
}

/// The phase that options ask for; none where they do not show it.
fn phase(x: &Extractor<'_, '_>, options: Option<NodeId>, name: &str) -> Option<bool> {
    let Some(node) = options else { return Some(false) };
    match x.body.node(node) {
        Node::Bool(truth) => Some(truth),
        Node::Object(list) => match entry(x, options, name) {
            Some(value) => match x.body.node(value) {
                Node::Bool(truth) => Some(truth),
                _ => None,
            },
            None => x.body.list(list).iter().all(|e| matches!(x.body.node(*e), Node::Entry { .. })).then_some(false),
        },
        _ => match named_entry(x, options, name).map(|v| x.flow.program.body(v.member).map(|b| b.node(v.node))) {
            Some(Some(Node::Bool(truth))) => Some(truth),
            _ => None,
        },
    }
}

/// Whether the options hold a signal that somebody gives: one handed in, or one whose controller
/// is told to abort.
fn is_ended_by_signal(x: &Extractor<'_, '_>, options: Option<NodeId>) -> bool {
    let Some(signal) = entry(x, options, "signal") else { return false };
    let controller = match x.eval(signal) {
        Val::Outside(of, _) => of,
        _ => return true,
    };
    let program = x.flow.program;
    let aborts = program.symbols.get("abort").map_or(&[][..], |name| program.index.calls(name));
    aborts.iter().any(|call| x.flow.receiver(*call).is_some_and(|(object, _)| object == *controller))
}

fn entry(x: &Extractor<'_, '_>, options: Option<NodeId>, wanted: &str) -> Option<NodeId> {
    let Node::Object(list) = x.body.node(options?) else { return None };
    x.body.list(list).iter().find_map(|e| match x.body.node(*e) {
        Node::Entry { key, value } => match x.body.node(key) {
            Node::Str(name) if x.flow.program.unit_of(x.member).text(name) == wanted => Some(value),
            _ => None,
        },
        _ => None,
    })
}
