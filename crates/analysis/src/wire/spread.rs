//! Effects that depend on a caller, carried to every caller: so that a wrapper, and a
//! wrapper around a wrapper, read like what they wrap.

use rustc_hash::FxHashSet;
use yarrowgraph_ir::{FunctionId, MemberKind, Node, ParamMode};

use super::effect::{Act, Effect, Event, FunctionKey, Holder};
use super::extract::holder_of;
use crate::flow::{Binding, Callee, Flow, Val};
use crate::program::{MemberId, Site, TypeId};

/// How many wrappers are seen through.
const WRAPPERS: usize = 6;
/// How many effects a tree may have before carrying stops, which the result then says.
const EFFECTS: usize = 400_000;

/// Carries open effects to callers. Returns all effects, those with open handlers too, and
/// whether the budget was kept.
pub(super) fn spread(flow: &Flow<'_>, mut effects: Vec<Effect>, signals: &FxHashSet<TypeId>) -> (Vec<Effect>, bool) {
    let mut seen: FxHashSet<(Site, Act, Holder, Option<Val>)> =
        effects.iter().map(|e| (e.site, e.act, e.holder.clone(), e.handler.clone())).collect();
    let mut next = 0;
    while next < effects.len() {
        if effects.len() > EFFECTS {
            return (effects, false);
        }
        let effect = effects[next].clone();
        next += 1;
        if effect.inner.len() >= WRAPPERS {
            continue;
        }
        let Some(key) = open_in(flow, &effect, signals) else { continue };
        for (site, binding) in callers(flow, key) {
            let carried = carry(flow, &effect, site, &binding);
            let id = (carried.site, carried.act, carried.holder.clone(), carried.handler.clone());
            if seen.insert(id) {
                effects.push(carried);
            }
        }
    }
    (effects, true)
}

/// The function whose callers say what an effect is about.
pub(super) fn open_in(flow: &Flow<'_>, effect: &Effect, signals: &FxHashSet<TypeId>) -> Option<FunctionKey> {
    let param = |val: &Val| match val {
        Val::Param(m, f, _) => callable_key(flow, *m, *f),
        _ => None,
    };
    let open_key = effect.holder.key.as_ref().and_then(|k| param(k));
    let given = match effect.holder.event {
        Event::Given => Some(param(&effect.holder.subject)?),
        _ => None,
    };
    match effect.act {
        Act::Join | Act::Leave => {
            let handler = effect.handler.as_ref()?;
            param(handler).or(given).or(open_key)
        }
        Act::Raise | Act::LeaveAll | Act::LeaveOwner => {
            if let Some(key) = open_key.or(given) {
                return Some(key);
            }
            let handed = effect.handler.as_ref().and_then(|h| param(h));
            if handed.is_some() {
                return handed;
            }
            // in a signal class only the caller says which signal it is
            let of_signal = matches!(effect.holder.subject, Val::This(t) if signals.contains(&t)) && matches!(effect.holder.event, Event::Own(_));
            of_signal.then(|| enclosing_key(flow, effect.site)).flatten()
        }
    }
}

/// The function that a caller can reach: the member itself, or a function that is all that
/// a field holds.
fn callable_key(flow: &Flow<'_>, member: MemberId, function: Option<FunctionId>) -> Option<FunctionKey> {
    match function {
        None => Some((member, None)),
        Some(f) => is_field_function(flow, member, f).then_some((member, Some(f))),
    }
}

fn is_field_function(flow: &Flow<'_>, member: MemberId, function: FunctionId) -> bool {
    flow.program.body(member).is_some_and(|b| b.returns_root && b.root.is_some_and(|r| b.node(r) == Node::Lambda(function)))
}

fn enclosing_key(flow: &Flow<'_>, site: Site) -> Option<FunctionKey> {
    let body = flow.program.body(site.member)?;
    let kind = flow.program.member(site.member).kind;
    match kind {
        MemberKind::Field | MemberKind::Property => match body.node(body.root?) {
            Node::Lambda(f) => Some((site.member, Some(f))),
            _ => None,
        },
        _ => Some((site.member, None)),
    }
}

/// The calls of a function, with what each hands over.
pub(super) fn callers(flow: &Flow<'_>, key: FunctionKey) -> Vec<(Site, Binding)> {
    match key {
        (member, None) => callers_of_member(flow, member),
        (member, Some(function)) => callers_of_field_function(flow, member, function),
    }
}

fn callers_of_member(flow: &Flow<'_>, member: MemberId) -> Vec<(Site, Binding)> {
    let program = flow.program;
    let info = program.member(member);
    let mut found = Vec::new();
    match info.kind {
        MemberKind::Constructor => {
            let name = program.ty(info.owner).name;
            let empty = program.symbols.get("").unwrap_or(name);
            for &site in program.index.creations(name).iter().chain(program.index.creations(empty)) {
                let Some(body) = program.body(site.member) else { continue };
                let Node::New { args, .. } = body.node(site.node) else { continue };
                let ty = flow.type_of_node(site.member, site.node);
                if ty.own() == Some(info.owner) && flow.constructor(info.owner, args.len as usize) == Some(member) {
                    let callee = Callee { member, receiver: Some(Val::New(site)), extension: false };
                    found.extend(flow.binding(site, &callee).map(|b| (site, b)));
                }
            }
            for &site in program.index.calls(empty) {
                if let Some(callee) = flow.callee(site)
                    && callee.member == member
                {
                    found.extend(flow.binding(site, &callee).map(|b| (site, b)));
                }
            }
        }
        MemberKind::Accessor(kind) => accessor_uses(flow, member, kind, &mut found),
        _ => {
            let receiver_first = program.decl(member).params.first().is_some_and(|p| p.mode == ParamMode::Receiver);
            for &site in program.index.calls(info.name) {
                let Some(callee) = flow.callee(site) else { continue };
                let reaches = callee.member == member || (!receiver_first && is_override(flow, member, callee.member));
                if reaches {
                    let callee = Callee { member, ..callee };
                    found.extend(flow.binding(site, &callee).map(|b| (site, b)));
                }
            }
        }
    }
    found
}

/// `gauge.Rose += handler` where `Rose` has accessors of its own.
fn accessor_uses(flow: &Flow<'_>, member: MemberId, kind: yarrowgraph_ir::AccessorKind, found: &mut Vec<(Site, Binding)>) {
    use yarrowgraph_ir::{AccessorKind, AssignOp};
    let program = flow.program;
    let info = program.member(member);
    for &site in program.index.writes(info.name) {
        let Some(body) = program.body(site.member) else { continue };
        let Node::Assign { op, target, value } = body.node(site.node) else { continue };
        let fits = matches!(
            (op, kind),
            (AssignOp::Add, AccessorKind::Add) | (AssignOp::Sub, AccessorKind::Remove) | (AssignOp::Set, AccessorKind::Set)
        );
        if !fits {
            continue;
        }
        let (object, written) = match flow.eval_in(site.member, target) {
            Val::Member(of, m) => ((*of).clone(), m),
            Val::Static(m) => (Val::Type(info.owner), m),
            _ => continue,
        };
        let same = program.member(written).owner == info.owner || program.is_a(info.owner, program.member(written).owner);
        if program.member(written).name == info.name && same {
            let args = vec![Some(flow.eval_in(site.member, value))];
            found.push((site, Binding { callee: (member, None), this: Some(object), args }));
        }
    }
}

/// Whether a member replaces or implements another one.
pub(super) fn is_override(flow: &Flow<'_>, member: MemberId, base: MemberId) -> bool {
    let program = flow.program;
    let (m, b) = (program.member(member), program.member(base));
    m.owner != b.owner && m.name == b.name && program.decl(member).params.len() == program.decl(base).params.len() && program.is_a(m.owner, b.owner)
}

/// Calls of a field that holds a function, and of every alias of it.
fn callers_of_field_function(flow: &Flow<'_>, member: MemberId, function: FunctionId) -> Vec<(Site, Binding)> {
    let program = flow.program;
    let mut names = vec![program.member(member).name];
    let mut next = 0;
    while next < names.len() && names.len() < 500 {
        for &site in program.index.reads(names[next]) {
            // `readonly onFilled = this.filled.event`
            let info = program.member(site.member);
            let is_value = matches!(info.kind, MemberKind::Field | MemberKind::Property | MemberKind::Accessor(_));
            if is_value && !names.contains(&info.name) && is_whole_value(flow, site) {
                names.push(info.name);
            }
        }
        next += 1;
    }
    let mut found = Vec::new();
    for name in names {
        for &site in program.index.calls(name) {
            let Some(body) = program.body(site.member) else { continue };
            let Node::Call { callee, args, .. } = body.node(site.node) else { continue };
            let value = flow.eval_in(site.member, callee);
            let Some((key, this)) = function_with_this(flow, &value) else { continue };
            if key == (member, Some(function)) {
                let args = body.list(args).iter().map(|a| Some(flow.eval_in(site.member, *a))).collect();
                found.push((site, Binding { callee: key, this: Some(this), args }));
            }
        }
    }
    found
}

/// Whether a read is all that a field or getter is about.
fn is_whole_value(flow: &Flow<'_>, site: Site) -> bool {
    let Some(body) = flow.program.body(site.member) else { return false };
    match flow.program.scope(site.member).parent(site.node) {
        None => true,
        Some(parent) => matches!(body.node(parent), Node::Return(_)),
    }
}

/// The function that a field holds, through aliases, with the object whose `this` it sees.
fn function_with_this(flow: &Flow<'_>, value: &Val) -> Option<(FunctionKey, Val)> {
    let mut value = value.clone();
    for _ in 0..6 {
        let Val::Member(of, m) = &value else { return None };
        let only = flow.only_definition(*m)?;
        let inner = flow.eval(only);
        if let Val::Lambda(owner, f) = inner {
            return Some(((owner, Some(f)), (**of).clone()));
        }
        let binding = Binding { callee: (only.member, None), this: Some((**of).clone()), args: Vec::new() };
        value = inner.substitute(&binding);
    }
    None
}

/// An effect as a caller has it.
fn carry(flow: &Flow<'_>, effect: &Effect, site: Site, binding: &Binding) -> Effect {
    let mut carried = effect.clone();
    carried.inner.push(effect.site);
    carried.site = site;
    carried.handler = effect.handler.as_ref().map(|h| h.substitute(binding));
    carried.context = effect.context.as_ref().map(|c| c.substitute(binding));
    carried.holder.key = effect.holder.key.as_ref().map(|k| k.substitute(binding));
    let subject = effect.holder.subject.substitute(binding);
    carried.holder = match effect.holder.event {
        Event::Given => match holder_of(flow, &subject) {
            Some(holder) => holder,
            None => Holder { subject, event: Event::Given, key: None },
        },
        _ => Holder { subject, ..carried.holder },
    };
    if let Some(Val::Param(_, _, index)) = &effect.handler {
        carried.handler_node = argument_node(flow, site, *index, binding);
    }
    carried
}

/// The node of the argument for a parameter.
fn argument_node(flow: &Flow<'_>, site: Site, index: u16, binding: &Binding) -> Option<Site> {
    let body = flow.program.body(site.member)?;
    let node = match body.node(site.node) {
        Node::Call { args, .. } | Node::New { args, .. } => {
            let shift = usize::from(binding.this.is_none() && flow.callee(site).is_some_and(|c| c.extension));
            *body.list(args).get((index as usize).checked_sub(shift)?)?
        }
        Node::Assign { value, .. } => value,
        _ => return None,
    };
    Some(Site { member: site.member, node })
}
