//! Streams: a subject that is subscribed to through steps (`turned.pipe(map(…)).subscribe(…)`)
//! and shown to others through a view (`turned$ = this.turned.asObservable()`). Steps and views
//! are seen through by evaluation; here is what they say of a subscription.

use yarrowgraph_ir::{AccessorKind, List, MemberKind, Name, Node, NodeId, Visibility};

use super::extract::Extractor;
use crate::flow::{Flow, Val, returned};
use crate::program::{MemberId, Site, Ty};

/// How many views may lie over each other.
const VIEWS: usize = 4;

/// The stream behind the views that are kept in members.
pub(super) fn source(flow: &Flow<'_>, mut subject: Val) -> Val {
    for _ in 0..VIEWS {
        let Val::Member(owner, m) = &subject else { break };
        if !holds_stream(flow, *m) {
            break;
        }
        let Some(only) = flow.only_definition(*m) else { break };
        subject = match flow.eval(only) {
            Val::Member(inner, source) if matches!(*inner, Val::This(_)) && source != *m => Val::Member(owner.clone(), source),
            Val::Static(source) => Val::Static(source),
            _ => break,
        };
    }
    subject
}

/// The member that shows a stream to others and is nothing else than a view of what is read at a place:
/// `readonly turned$ = this.turned.asObservable()`.
pub(crate) fn view_at(flow: &Flow<'_>, read: Site) -> Option<MemberId> {
    let program = flow.program;
    let (body, scope) = (program.body(read.member)?, program.scope(read.member));
    let Node::Member { object, name, .. } = body.node(scope.parent(read.node)?) else { return None };
    let is_step = program.kit_of(read.member).pack.stream_steps.contains(program.unit_of(read.member).text(name));
    let is_shown = matches!(
        program.member(read.member).kind,
        MemberKind::Field | MemberKind::Property | MemberKind::Accessor(AccessorKind::Get) | MemberKind::Method
    );
    let whole = returned(program, read.member, None);
    (is_step && object == read.node && is_shown && matches!(whole[..], [only] if scope.is_within(read.node, only))).then_some(read.member)
}

/// Whether a member is declared as a stream of a library.
pub(crate) fn holds_stream(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let pack = &*program.kit_of(m).pack;
    matches!(flow.type_held(m), Ty::Outside(name, _) if pack.stream_types.contains(program.text(name)))
}

/// Whether the stream by whose first value a subscription is to end is a private field that nothing gives a value, but an end at the most.
fn never_comes(x: &Extractor<'_, '_>, end: NodeId) -> bool {
    let program = x.flow.program;
    let Val::Member(of, field) = x.eval(end) else { return false };
    if !matches!(*of, Val::This(_)) || program.decl(field).modifiers.visibility != Visibility::Private || !holds_stream(x.flow, field) {
        return false;
    }
    let pack = &*program.kit_of(x.member).pack;
    program
        .index
        .reads(program.member(field).name)
        .iter()
        .filter(|read| program.member(read.member).owner == program.member(field).owner)
        .all(|read| {
            let Some(body) = program.body(read.member) else { return false };
            match program.scope(read.member).parent(read.node).map(|n| body.node(n)) {
                Some(Node::Call { callee, .. }) if callee != read.node => {
                    let (Node::Name(name) | Node::Member { name, .. }) = body.node(callee) else { return false };
                    pack.bounding_steps.contains(program.unit_of(read.member).text(name))
                }
                Some(Node::Member { object, name, .. }) if object == read.node => {
                    pack.silent_ends.contains(program.unit_of(read.member).text(name))
                }
                _ => false,
            }
        })
}

/// The function by which a step before a subscribing call tells of each value that goes by.
pub(super) fn told_in_steps(x: &Extractor<'_, '_>, callee: NodeId) -> Option<NodeId> {
    let pack = &*x.flow.program.kit_of(x.member).pack;
    let unit = x.flow.program.unit_of(x.member);
    let told = |(name, args)| pack.telling_steps.contains(unit.text(name)).then(|| x.body.list(args).first().copied()).flatten();
    steps(x, callee).into_iter().find_map(told)
}

/// The object and the topic of which a stream is made that a subscribing call is about, through the steps before it:
/// `fromEvent(window, 'resize').pipe(debounceTime(50)).subscribe(draw)`.
pub(super) fn of_event(x: &Extractor<'_, '_>, callee: NodeId) -> Option<(Val, Val)> {
    let program = x.flow.program;
    let pack = &*program.kit_of(x.member).pack;
    if pack.stream_makers.is_empty() {
        return None;
    }
    let Node::Member { object, .. } = x.body.node(callee) else { return None };
    let mut at = object;
    // the steps are methods of the stream
    while let Node::Call { callee: step, .. } = x.body.node(at)
        && let Node::Member { object, name, .. } = x.body.node(step)
        && pack.stream_steps.contains(program.unit_of(x.member).text(name))
    {
        at = object;
    }
    // it may be kept in a variable
    let made = match x.eval(at) {
        Val::Call(made) => made,
        Val::Member(_, kept) | Val::Static(kept) => x.flow.only_definition(kept)?,
        _ => return None,
    };
    let body = program.body(made.member)?;
    let Node::Call { callee, args, .. } = body.node(made.node) else { return None };
    let Node::Name(maker) = body.node(callee) else { return None };
    let [target, topic, ..] = body.list(args) else { return None };
    pack.stream_makers
        .contains(program.unit_of(made.member).text(maker))
        .then(|| (x.flow.eval_in(made.member, *target), x.flow.key_at(made.member, *topic)))
}

/// Whether a step before a subscribing call ends the subscription by itself.
pub(super) fn is_bounded(x: &Extractor<'_, '_>, callee: NodeId) -> bool {
    let pack = &*x.flow.program.kit_of(x.member).pack;
    let unit = x.flow.program.unit_of(x.member);
    let ends = |args: List| !x.body.list(args).first().is_some_and(|end| never_comes(x, *end));
    let steps = steps(x, callee);
    // what a later step goes over to does not end with what came before
    let goes_over = |(name, args): &(Name, List)| pack.flattening_steps.contains(unit.text(*name)) && goes_over_to_stream(x, *args);
    let behind = steps.iter().rposition(goes_over).map_or(0, |at| at + 1);
    steps[behind..].iter().any(|(name, args)| pack.bounding_steps.contains(unit.text(*name)) && ends(*args))
}

/// Whether a step is handed a function that gives a stream which an object holds, or shows of one: `switchMap(() => this.tides.gates)`.
fn goes_over_to_stream(x: &Extractor<'_, '_>, args: List) -> bool {
    let [function] = x.body.list(args) else { return false };
    let Node::Lambda(f) = x.body.node(*function) else { return false };
    let given = returned(x.flow.program, x.member, Some(f));
    !given.is_empty()
        && given.into_iter().all(|value| match x.eval(value) {
            Val::Member(of, field) => !matches!(*of, Val::This(_)) && shows_stream(x.flow, field),
            Val::Static(field) => shows_stream(x.flow, field),
            Val::Call(made) => runs_on(x.flow, made),
            _ => false,
        })
}

/// Whether a call makes a stream that never ends by itself, or is a step of one: `interval(1000).pipe(map(tick))`.
fn runs_on(flow: &Flow<'_>, made: Site) -> bool {
    let Some(body) = flow.program.body(made.member) else { return false };
    let (pack, unit) = (&*flow.program.kit_of(made.member).pack, flow.program.unit_of(made.member));
    let bounds = |arg: &NodeId| match body.node(*arg) {
        Node::Call { callee, .. } => matches!(body.node(callee), Node::Name(name) if pack.bounding_steps.contains(unit.text(name))),
        _ => false,
    };
    let mut at = made.node;
    while let Node::Call { callee, args, .. } = body.node(at) {
        match body.node(callee) {
            Node::Name(name) => return pack.endless_makers.contains(unit.text(name)),
            Node::Member { object, name, .. } if pack.stream_steps.contains(unit.text(name)) && !body.list(args).iter().any(bounds) => {
                at = object;
            }
            _ => return false,
        }
    }
    false
}

/// Whether a member holds a stream, or is a view of one.
fn shows_stream(flow: &Flow<'_>, m: MemberId) -> bool {
    let is_view = || {
        let program = flow.program;
        let views = &program.kit_of(m).pack.stream_steps;
        let step = |n: &NodeId| match program.body(m).map(|b| (b, b.node(*n))) {
            Some((body, Node::Call { callee, .. })) => {
                matches!(body.node(callee), Node::Member { name, .. } if views.contains(program.unit_of(m).text(name)))
            }
            _ => false,
        };
        let given = returned(program, m, None);
        !given.is_empty() && given.iter().all(step)
    };
    holds_stream(flow, m) || is_view()
}

/// The steps before a subscribing call, from the first one on, with what they are given: methods in a chain, and functions handed to one.
fn steps(x: &Extractor<'_, '_>, callee: NodeId) -> Vec<(Name, List)> {
    let mut links: Vec<Vec<(Name, List)>> = Vec::new();
    let mut node = callee;
    while let Node::Member { object, .. } = x.body.node(node) {
        let Node::Call { callee: step, args, .. } = x.body.node(object) else { break };
        let mut link = Vec::new();
        if let Node::Member { name, .. } = x.body.node(step) {
            link.push((name, args));
        }
        link.extend(x.body.list(args).iter().filter_map(|arg| match x.body.node(*arg) {
            Node::Call { callee, args, .. } => match x.body.node(callee) {
                Node::Name(name) => Some((name, args)),
                _ => None,
            },
            _ => None,
        }));
        links.push(link);
        node = step;
    }
    links.into_iter().rev().flatten().collect()
}
