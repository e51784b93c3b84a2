//! Handles: what a subscribing call gives back, and what becomes of it.

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{Body, MemberKind, Node, NodeId, Visibility};

use super::effect::{Act, Effect, Event};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Ty};

/// What becomes of a handle.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fate {
    /// Nothing takes it.
    Dropped,
    /// Somebody takes it who can release with it.
    Kept,
    /// A field takes it that nothing ever reads.
    Forgotten(MemberId),
}

/// Marks subscriptions whose call gives back something that releases: what the subscribing
/// function returns takes the handler off the same holder.
pub(super) fn mark(flow: &Flow<'_>, effects: &mut [Effect]) {
    let mut leaving: FxHashMap<MemberId, Vec<(Event, Site)>> = FxHashMap::default();
    for leave in effects.iter().filter(|e| e.act == Act::Leave) {
        leaving.entry(leave.site.member).or_default().push((leave.holder.event.clone(), leave.site));
    }
    for effect in effects.iter_mut().filter(|e| e.act == Act::Join && !e.handle) {
        // what a library gives back is a handle where it is kept and asked to release
        if effect.inner.iter().all(|s| is_returned(flow, *s)) && !releases(flow, effect.site).is_empty() {
            effect.handle = true;
            continue;
        }
        let Some(&innermost) = effect.inner.first() else { continue };
        let beside = leaving.get(&innermost.member).map_or(&[][..], |v| v);
        let releases = beside.iter().any(|(event, site)| *event == effect.holder.event && in_nested_function(flow, *site, innermost));
        let gives_back = releases || returns_disposable(flow, innermost);
        // each wrapper must hand the handle on
        effect.handle = gives_back && effect.inner.iter().skip(1).all(|s| is_returned(flow, *s));
    }
}

/// Whether a release stands in a function that the subscribing code makes.
fn in_nested_function(flow: &Flow<'_>, release: Site, join: Site) -> bool {
    let Some(body) = flow.program.body(release.member) else { return false };
    let scope = flow.program.scope(release.member);
    scope.function_around(body, release.node) != scope.function_around(body, join.node)
}

/// Whether the subscribing function returns an object of the tree with a teardown.
fn returns_disposable(flow: &Flow<'_>, join: Site) -> bool {
    let program = flow.program;
    let Some(body) = program.body(join.member) else { return false };
    let pack = &*program.kit_of(join.member).pack;
    body.ids().any(|n| {
        let Node::Return(Some(value)) = body.node(n) else { return false };
        match flow.type_of_node(join.member, value) {
            Ty::Own(t, _) => {
                let is_new = matches!(body.node(value), Node::New { .. });
                is_new && program.ty(t).members.iter().any(|m| pack.handle_releases.contains(program.text(program.member(*m).name)))
            }
            _ => false,
        }
    })
}

fn is_returned(flow: &Flow<'_>, site: Site) -> bool {
    let Some(body) = flow.program.body(site.member) else { return false };
    match flow.program.scope(site.member).parent(site.node) {
        None => body.returns_root,
        Some(parent) => match body.node(parent) {
            Node::Return(_) => true,
            Node::Lambda(f) => body.function(f).returns_body,
            _ => false,
        },
    }
}

/// What becomes of the handle that a call gives back.
pub fn fate(flow: &Flow<'_>, site: Site) -> Fate {
    let program = flow.program;
    let Some(body) = program.body(site.member) else { return Fate::Kept };
    let scope = program.scope(site.member);
    let mut node = site.node;
    loop {
        let Some(parent) = scope.parent(node) else {
            // the whole value of a field or of an expression body
            let holds = matches!(program.member(site.member).kind, MemberKind::Field | MemberKind::Property);
            return if body.returns_root && (holds || returns_something(flow, site.member)) { Fate::Kept } else { Fate::Dropped };
        };
        match body.node(parent) {
            Node::Block(_) | Node::If { .. } | Node::Case { .. } | Node::Loop { .. } | Node::Try { .. } | Node::Lock { .. } => {
                return Fate::Dropped;
            }
            Node::ForEach { body: inner, .. } if inner == node => return Fate::Dropped,
            Node::Unary { op: yarrowgraph_ir::UnaryOp::Void, .. } => return Fate::Dropped,
            Node::Opaque(_) | Node::Variants(_) | Node::Unary { .. } | Node::Cast { .. } => node = parent,
            Node::Lambda(f) => {
                return if body.function(f).returns_body && !is_void_lambda(flow, site.member, parent) {
                    Fate::Kept
                } else {
                    Fate::Dropped
                };
            }
            Node::Assign { target, .. } => {
                return match flow.eval_in(site.member, target) {
                    Val::Member(_, m) | Val::Static(m) if is_forgotten(flow, m) => Fate::Forgotten(m),
                    _ => Fate::Kept,
                };
            }
            Node::Call { callee, args, .. } if body.list(args).contains(&node) => {
                return match list_put_into(flow, Site { member: site.member, node: callee }) {
                    Some(m) if is_forgotten_list(flow, m) => Fate::Forgotten(m),
                    _ => Fate::Kept,
                };
            }
            // a block that ends what it begins with
            Node::Local { .. } if scope.parent(parent).is_some_and(|p| is_resource(body, p, parent)) => return Fate::Kept,
            Node::Local { .. } => {
                return if local_is_used(flow, Site { member: site.member, node: parent }) { Fate::Kept } else { Fate::Dropped };
            }
            _ => return Fate::Kept,
        }
    }
}

/// Where a handle that is kept in a field or variable is made to release: called, or told to by a method that ends things.
pub fn releases(flow: &Flow<'_>, site: Site) -> Vec<Site> {
    keeper(flow, site).map_or_else(Vec::new, |keeper| releases_by(flow, &keeper))
}

/// Where what a field or variable keeps is made to release.
pub fn releases_by(flow: &Flow<'_>, keeper: &Val) -> Vec<Site> {
    let program = flow.program;
    let name = match *keeper {
        Val::Local(local) => match program.body(local.member).map(|b| b.node(local.node)) {
            Some(Node::Local { name, .. }) => program.sym_in(local.member, name),
            _ => return Vec::new(),
        },
        Val::Member(_, m) | Val::Static(m) => program.member(m).name,
        _ => return Vec::new(),
    };
    let is_it = |member: MemberId, node: NodeId| match (keeper, program.body(member).map(|b| b.node(node))) {
        (Val::Local(local), Some(Node::Name(name))) => {
            member == local.member && program.scope(member).lookup(name, node) == Some(crate::program::Declared::Local(local.node))
        }
        (Val::Local(_), _) => false,
        (Val::Member(_, m) | Val::Static(m), _) => matches!(flow.eval_in(member, node), Val::Member(_, x) | Val::Static(x) if x == *m),
        _ => false,
    };
    // `this.stop()`
    let calls = program.index.calls(name).iter().copied().filter(|call| {
        let callee = program.body(call.member).map(|b| b.node(call.node));
        matches!(callee, Some(Node::Call { callee, .. }) if is_it(call.member, callee))
    });
    // `this.stop.dispose()`
    let told = program.index.reads(name).iter().filter_map(|read| {
        let (body, scope) = (program.body(read.member)?, program.scope(read.member));
        let callee = scope.parent(read.node)?;
        let call = scope.parent(callee)?;
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        let ends = program.kit_of(read.member).pack.handle_releases.contains(program.unit_of(read.member).text(name));
        let is_call = matches!(body.node(call), Node::Call { callee: c, .. } if c == callee);
        (object == read.node && is_call && ends && is_it(read.member, read.node)).then_some(Site { member: read.member, node: call })
    });
    // `stage.disconnect(this.id)`
    let handed = program.index.reads(name).iter().filter_map(|read| {
        let (body, scope) = (program.body(read.member)?, program.scope(read.member));
        let call = scope.parent(read.node)?;
        let Node::Call { callee, args, .. } = body.node(call) else { return None };
        let Node::Member { name, .. } = body.node(callee) else { return None };
        let takes_off = program.kit_of(read.member).pack.takes_off_by_id.contains(program.unit_of(read.member).text(name));
        (takes_off && body.list(args) == [read.node] && is_it(read.member, read.node)).then_some(Site { member: read.member, node: call })
    });
    let mut found: Vec<Site> = calls.chain(told).chain(handed).collect();
    found.sort_unstable();
    found.dedup();
    found
}

/// The field or variable that a value is put into where it comes about.
pub fn keeper(flow: &Flow<'_>, site: Site) -> Option<Val> {
    let program = flow.program;
    let (body, scope) = (program.body(site.member)?, program.scope(site.member));
    let mut node = site.node;
    loop {
        let Some(parent) = scope.parent(node) else {
            let holds = matches!(program.member(site.member).kind, MemberKind::Field | MemberKind::Property);
            return (holds && body.returns_root).then_some(Val::Static(site.member));
        };
        match body.node(parent) {
            Node::Unary { .. } | Node::Cast { .. } => node = parent,
            Node::Assign { target, .. } => return Some(flow.eval_in(site.member, target)),
            Node::Local { .. } => return Some(Val::Local(Site { member: site.member, node: parent })),
            _ => return None,
        }
    }
}

/// The lambda of a `forEach` gives its result to nobody.
fn is_void_lambda(flow: &Flow<'_>, member: MemberId, lambda: NodeId) -> bool {
    let Some(body) = flow.program.body(member) else { return false };
    let Some(parent) = flow.program.scope(member).parent(lambda) else { return false };
    let Node::Call { callee, .. } = body.node(parent) else { return false };
    matches!(body.node(callee), Node::Member { name, .. } if matches!(flow.program.unit_of(member).text(name), "forEach" | "ForEach"))
}

fn returns_something(flow: &Flow<'_>, member: MemberId) -> bool {
    match flow.program.decl(member).ty {
        Some(_) => {
            !matches!(flow.program.declared_type(member), Ty::Outside(name, _) if matches!(flow.program.text(name), "void" | "Void"))
        }
        None => !matches!(flow.program.member(member).kind, MemberKind::Constructor),
    }
}

/// A field that is written and tested but never used.
fn is_forgotten(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let info = program.member(m);
    let (reads, calls) = (program.index.reads(info.name), program.index.calls(info.name));
    // its own class is likeliest to use it
    let in_class = program.in_class(info.owner, reads).chain(program.in_class(info.owner, calls));
    for &site in in_class.chain(reads).chain(calls) {
        let Some(body) = program.body(site.member) else { continue };
        let node = match body.node(site.node) {
            Node::Call { callee, .. } => callee,
            _ => site.node,
        };
        if matches!(flow.eval_in(site.member, node), Val::Member(_, x) | Val::Static(x) if x == m) {
            let parent = program.scope(site.member).parent(site.node).map(|p| body.node(p));
            let written = matches!(parent, Some(Node::Assign { target, .. }) if target == site.node);
            if !written {
                return false;
            }
        }
    }
    true
}

/// The field in whose list what a call gives back is kept: `this.ends.push(bell.on(ear))`.
pub(super) fn list_that_keeps(flow: &Flow<'_>, site: Site) -> Option<MemberId> {
    let (body, scope) = (flow.program.body(site.member)?, flow.program.scope(site.member));
    match body.node(scope.parent(site.node)?) {
        Node::Call { callee, args, .. } if body.list(args).contains(&site.node) => {
            list_put_into(flow, Site { member: site.member, node: callee })
        }
        _ => None,
    }
}

/// Whether a local is what a block ends when it is left.
fn is_resource(body: &Body, around: NodeId, local: NodeId) -> bool {
    matches!(body.node(around), Node::Using { .. }) && body.children(around).contains(&local)
}

/// The field of the same object whose collection a callee puts something into: `this.ends.push`.
fn list_put_into(flow: &Flow<'_>, callee: Site) -> Option<MemberId> {
    let program = flow.program;
    let Node::Member { object, name, .. } = program.body(callee.member)?.node(callee.node) else { return None };
    let puts = program.kit_of(callee.member).pack.adds.contains(program.unit_of(callee.member).text(name));
    match flow.eval_in(callee.member, object) {
        Val::Member(of, m) if puts && matches!(*of, Val::This(_)) => Some(m),
        _ => None,
    }
}

/// A list that only its own class can reach, and that is filled and emptied but never gone through.
fn is_forgotten_list(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let info = program.member(m);
    let pack = &program.kit_of(m).pack;
    let is_hidden = program.decl(m).modifiers.visibility == Visibility::Private;
    let only_fills = |read: &Site| {
        // what another class or a function calls so
        let is_other = match flow.eval(*read) {
            Val::Member(_, other) | Val::Static(other) => other != m,
            Val::Param(..) | Val::Local(_) => true,
            _ => false,
        };
        if is_other {
            return true;
        }
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let Some(around) = scope.parent(read.node) else { return false };
        match body.node(around) {
            Node::Assign { target, .. } => target == read.node,
            Node::Member { object, name, .. } if object == read.node => {
                let text = program.unit_of(read.member).text(name);
                let is_set = matches!(scope.parent(around).map(|p| body.node(p)), Some(Node::Assign { target, .. }) if target == around);
                let is_statement =
                    || scope.parent(around).and_then(|call| scope.parent(call)).is_some_and(|p| matches!(body.node(p), Node::Block(_)));
                is_set || (pack.adds.contains(text) || pack.clears.contains(text)) && is_statement()
            }
            _ => false,
        }
    };
    is_hidden && program.index.reads(info.name).iter().all(only_fills) && program.index.calls(info.name).is_empty()
}

/// Whether a local that holds a handle is mentioned again.
fn local_is_used(flow: &Flow<'_>, local: Site) -> bool {
    let Some(body) = flow.program.body(local.member) else { return true };
    let scope = flow.program.scope(local.member);
    !matches!(body.node(local.node), Node::Local { .. }) || body.ids().any(|n| scope.names(body, n, local.node))
}
