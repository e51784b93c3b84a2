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

/// Whether the stream by whose first value a subscription is to end is a private field with which nothing else is done.
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
    steps(x, callee).into_iter().any(|(name, args)| pack.bounding_steps.contains(unit.text(name)) && ends(args))
}

/// The steps before a subscribing call, from the last one back, with what they are given: methods in a chain, and functions handed to one.
fn steps(x: &Extractor<'_, '_>, callee: NodeId) -> Vec<(Name, List)> {
    let mut found = Vec::new();
    let mut node = callee;
    while let Node::Member { object, .. } = x.body.node(node) {
        let Node::Call { callee: step, args, .. } = x.body.node(object) else { break };
        if let Node::Member { name, .. } = x.body.node(step) {
            found.push((name, args));
        }
        found.extend(x.body.list(args).iter().filter_map(|arg| match x.body.node(*arg) {
            Node::Call { callee, args, .. } => match x.body.node(callee) {
                Node::Name(name) => Some((name, args)),
                _ => None,
            },
            _ => None,
        }));
        node = step;
    }
    found
}
