//! What is made once and lives as long as the process.

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AssignOp, Body, LambdaForm, MemberKind, Node, NodeId, TypeKind};

use super::Wiring;
use super::lifetime::{creations, deletions, is_emptied};
use crate::flow::{Binding, Flow, Val};
use crate::memo::known_or;
use crate::program::{MemberId, Program, Scope, Site, TypeId};

/// Whether the instances of a type live as long as the process; the least of several counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Lives {
    /// The tree shows that more than one is made, or may be.
    No,
    /// Each place makes one, and how often it is gone through is not shown: its method is
    /// handed on as a value to something that is no channel.
    Unsaid,
    /// Made once, by an entry point, by static or module-level code, by a container, or as part of
    /// such an object.
    Yes,
}

/// Whether all instances of a type live as long as the process.
pub fn lives_for_process(wiring: &Wiring<'_>, ty: TypeId) -> Lives {
    known_or(&wiring.lives, ty, || Once { wiring, types: FxHashMap::default(), members: FxHashMap::default() }.lives(ty))
}

/// What was found out on the way; what is being asked for counts as made several times.
struct Once<'w, 'p> {
    wiring: &'w Wiring<'p>,
    types: FxHashMap<TypeId, Lives>,
    members: FxHashMap<MemberId, Lives>,
}

impl Once<'_, '_> {
    fn lives(&mut self, ty: TypeId) -> Lives {
        if let Some(known) = self.types.get(&ty) {
            return *known;
        }
        self.types.insert(ty, Lives::No);
        let found = self.instances(ty);
        self.types.insert(ty, found);
        found
    }

    fn instances(&mut self, ty: TypeId) -> Lives {
        let program = self.wiring.program();
        let t = program.ty(ty);
        // a nested class can be marked static and still have instances
        let only_static = t.modifiers.is_static && t.members.iter().all(|m| program.member(*m).is_static);
        if only_static || t.is_module || t.kind == TypeKind::Enum {
            return Lives::Yes;
        }
        let mut sites = creations(&self.wiring.flow, ty);
        // what tests make says nothing about the program
        sites.retain(|s| !program.in_test(s.member));
        if sites.is_empty() {
            // a container makes one, as a rule, and keeps it
            let of_container = t.decls.iter().any(|(unit, decl)| {
                let (pack, u) = (&program.kit(*unit).pack, program.unit(*unit));
                u.ty(*decl).annotations.iter().any(|a| pack.container_annotations.contains(u.text(a.name)))
            });
            if of_container {
                return Lives::Yes;
            }
            // an heir may be what is made
            let heirs = program.heirs(ty).into_iter().skip(1);
            return heirs.map(|h| self.lives(h)).min().unwrap_or(Lives::No);
        }
        sites.iter().map(|s| self.made(*s)).min().unwrap_or(Lives::No)
    }

    /// How often a creation is gone through.
    fn made(&mut self, site: Site) -> Lives {
        let (flow, program) = (&self.wiring.flow, self.wiring.program());
        let info = program.member(site.member);
        let Some(body) = program.body(site.member) else { return Lives::No };
        let scope = program.scope(site.member);
        // `instance = new T()` into a static field, as lazy singletons do
        if let Some(parent) = scope.parent(site.node)
            && let Node::Assign { target, .. } = body.node(parent)
            && let Val::Static(slot) = flow.eval_in(site.member, target)
            && singleton_slot(flow, slot)
            // where it happens again and again, each takes the place of the one before
            && (times(self.wiring, site) != Lives::No || asks_for(flow, slot, site))
        {
            return Lives::Yes;
        }
        // `window.desk = new T()`: there is one such place for all
        if let Some(parent) = scope.parent(site.node)
            && let Node::Assign { target, .. } = body.node(parent)
            && matches!(flow.eval_in(site.member, target), Val::Outside(of, _) if matches!(*of, Val::Global(_)))
            && !scope.ancestors(parent).take_while(|n| !matches!(body.node(*n), Node::Lambda(_))).any(|n| is_loop(body, n))
        {
            return Lives::Yes;
        }
        // what is let go again is not there for good
        if program.kit_of(site.member).traits.references_dangle
            && let Some(parent) = scope.parent(site.node)
            && let Node::Assign { target, .. } = body.node(parent)
            && matches!(flow.eval_in(site.member, target), Val::Member(_, m) if is_emptied(flow, m))
        {
            return Lives::No;
        }
        if ends_with_block(program, site) || !deletions(program, site).is_empty() {
            return Lives::No;
        }
        let here = times(self.wiring, site);
        if here == Lives::No {
            return here;
        }
        let fixed = matches!(info.kind, MemberKind::Field | MemberKind::Initializer | MemberKind::EnumConstant | MemberKind::Property);
        if info.is_static && fixed {
            return here;
        }
        self.runs(site.member).min(here)
    }

    /// How often a member runs.
    fn runs(&mut self, member: MemberId) -> Lives {
        if let Some(known) = self.members.get(&member) {
            return *known;
        }
        self.members.insert(member, Lives::No);
        let found = self.run_count(member);
        self.members.insert(member, found);
        found
    }

    fn run_count(&mut self, member: MemberId) -> Lives {
        let wiring = self.wiring;
        let info = wiring.program().member(member);
        if is_entry(wiring.program(), member) {
            return Lives::Yes;
        }
        // part of an object runs as often as objects are made
        match info.kind {
            MemberKind::Field | MemberKind::Constructor | MemberKind::Initializer | MemberKind::Property => return self.lives(info.owner),
            MemberKind::Method => {}
            _ => return Lives::No,
        }
        let owner = if info.is_static { Lives::Yes } else { self.lives(info.owner) };
        if owner == Lives::No {
            return owner;
        }
        let callers = wiring.flow.callers((member, None));
        // who calls itself goes the same way again, and how often is not shown
        let others: Vec<&(Site, Binding)> = callers.iter().filter(|(caller, _)| caller.member != member).collect();
        let again = if others.len() < callers.len() { Lives::Unsaid } else { Lives::Yes };
        let called = match others[..] {
            [] if is_handed_on(wiring, member) => Lives::Unsaid,
            [] => run_with_object(wiring, info.owner),
            [(caller, _)] => self.called(*caller),
            [(first, _), (second, _)] if are_alternatives(wiring.program(), *first, *second) => {
                self.called(*first).min(self.called(*second))
            }
            // each may be gone through once, and perhaps only one of them
            ref several => several.iter().map(|(caller, _)| self.called(*caller)).min().unwrap_or(Lives::No).min(Lives::Unsaid),
        };
        owner.min(called).min(again)
    }

    fn called(&mut self, call: Site) -> Lives {
        match times(self.wiring, call) {
            Lives::No => Lives::No,
            here => self.runs(call.member).min(here),
        }
    }
}

/// Whether a method is given to somebody as a value, and to no channel.
fn is_handed_on(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let is_it = |value: &Val| matches!(value, Val::Method(m, _) if *m == member);
    let name = wiring.program().member(member).name;
    !wiring.handlers.contains(&member) && wiring.program().index.reads(name).iter().any(|read| is_it(&wiring.flow.eval(*read)))
}

fn is_entry(program: &Program, member: MemberId) -> bool {
    let info = program.member(member);
    let entry_points = &program.kit_of(member).pack.entry_points;
    info.is_static && (info.kind == MemberKind::Initializer || program.is_listed(entry_points, member))
}

fn is_loop(body: &Body, node: NodeId) -> bool {
    matches!(body.node(node), Node::Loop { .. } | Node::ForEach { .. })
}

/// How often a node is gone through in one run of its body. A loop that is left right behind it
/// does not count; what a function does that is handed to something else than a channel is not shown.
fn times(wiring: &Wiring<'_>, site: Site) -> Lives {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return Lives::No };
    let scope = program.scope(site.member);
    let (mut left, mut inner, mut times) = (false, site.node, Lives::Yes);
    let mut from = site.node;
    for around in scope.ancestors(site.node) {
        let within = std::mem::replace(&mut from, around);
        match body.node(around) {
            Node::Block(_) => left |= scope.leaves_loop(body, around),
            // what is walked over is made before
            Node::ForEach { iterable, .. } if iterable == within => {}
            Node::Loop { .. } | Node::ForEach { .. } if !left => return Lives::No,
            Node::Loop { .. } | Node::ForEach { .. } => left = false,
            Node::Lambda(function) => {
                if wiring.handler_lambdas.contains(&(site.member, function)) && !is_told_once(program, site.member, around) {
                    return Lives::No;
                }
                inner = around;
            }
            Node::Call { args, .. } if body.list(args).contains(&inner) && is_told_once(program, site.member, inner) => inner = around,
            // called where it is written
            Node::Call { callee, .. } if callee == inner && matches!(body.node(inner), Node::Lambda(_)) => inner = around,
            Node::Call { callee, .. } if matches!(body.node(inner), Node::Lambda(_)) => {
                match run_later(wiring, Site { member: site.member, node: around }, body, callee) {
                    Lives::No => return Lives::No,
                    later => (inner, times) = (around, times.min(later)),
                }
            }
            _ => {}
        }
    }
    match body.node(inner) {
        // nor how often the method of an object is called that the module makes
        Node::Lambda(function) if body.function(function).form == LambdaForm::Method => Lives::Unsaid,
        Node::Lambda(_) if is_of_kept_object(body, scope, inner) => Lives::Unsaid,
        Node::Lambda(_) => Lives::No,
        _ => times,
    }
}

/// Whether a function is an entry of an object that is written out and given a name: `const plugin = { activate: () => … };`
fn is_of_kept_object(body: &Body, scope: &Scope, function: NodeId) -> bool {
    let around = |n: NodeId| scope.parent(n).map(|p| (p, body.node(p)));
    let Some((entry, Node::Entry { .. })) = around(function) else { return false };
    let Some((object, Node::Object(_))) = around(entry) else { return false };
    matches!(around(object), None | Some((_, Node::Local { .. } | Node::Assign { .. })))
}

/// Whether a function is handed over beside a topic that comes once: `document.addEventListener('DOMContentLoaded', () => …)`.
fn is_told_once(program: &Program, member: MemberId, handler: NodeId) -> bool {
    let Some(body) = program.body(member) else { return false };
    let Some(Node::Call { args, .. }) = program.scope(member).parent(handler).map(|p| body.node(p)) else { return false };
    let once = &program.kit_of(member).pack.once_topics;
    body.list(args).iter().any(|a| matches!(body.node(*a), Node::Str(topic) if once.contains(program.unit_of(member).text(topic))))
}

/// How often a function runs that a call hands to something that runs it later: once, or as a rule once,
/// or it is handed to code of the tree, of which that is not known.
fn run_later(wiring: &Wiring<'_>, call: Site, body: &Body, callee: NodeId) -> Lives {
    let program = wiring.program();
    let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { return Lives::No };
    let text = program.unit_of(call.member).text(name);
    let pack = &*program.kit_of(call.member).pack;
    if pack.settles.contains(text) {
        return Lives::Yes;
    }
    // a list of what a function makes is there to be kept
    let later =
        (pack.schedulers.contains(text) && !pack.periodic.contains(text)) || pack.maps.contains(text) || wiring.flow.callee(call).is_some();
    if later { Lives::Unsaid } else { Lives::No }
}

/// How often a method runs that nobody in the tree calls, of an object that is written out where it is handed to something that runs it
/// later: `invokeLater(new Runnable() { public void run() { … } })`.
fn run_with_object(wiring: &Wiring<'_>, class: TypeId) -> Lives {
    let program = wiring.program();
    if !program.ty(class).anonymous {
        return Lives::No;
    }
    let [site] = creations(&wiring.flow, class)[..] else { return Lives::No };
    let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return Lives::No };
    match scope.parent(site.node).map(|p| (p, body.node(p))) {
        Some((call, Node::Call { callee, args, .. })) if body.list(args).contains(&site.node) => {
            run_later(wiring, Site { member: site.member, node: call }, body, callee)
        }
        _ => Lives::No,
    }
}

/// Whether only one of two calls is made in one run of the member that they stand in.
pub(crate) fn are_alternatives(program: &Program, first: Site, second: Site) -> bool {
    let Some(body) = program.body(first.member).filter(|_| first.member == second.member) else { return false };
    let scope = program.scope(first.member);
    scope.ancestors(first.node).any(|around| match body.node(around) {
        Node::If { then, other: Some(other), .. } => {
            let in_branch = |call: Site, branch| call.node == branch || scope.is_within(call.node, branch);
            (in_branch(first, then) && in_branch(second, other)) || (in_branch(first, other) && in_branch(second, then))
        }
        _ => false,
    })
}

/// Whether an object is a variable of a block that is left before the program ends, by itself and not by a pointer: where its
/// language ends such objects, and its function does not give it out.
fn ends_with_block(program: &Program, site: Site) -> bool {
    let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return false };
    let Some(local) = scope.parent(site.node).filter(|_| program.kit_of(site.member).traits.references_dangle) else { return false };
    let Node::Local { name, ty: Some(ty), .. } = body.node(local) else { return false };
    if !program.is_by_value(site.member, ty) {
        return false;
    }
    let in_main = is_entry(program, site.member) && scope.parent(local) == body.root;
    let given_out = body.ids().any(|n| matches!(body.node(n), Node::Return(Some(v)) if body.node(v) == Node::Name(name)));
    !in_main && !given_out
}

/// Whether code looks first, around a place or before it, whether a static field is filled: `if (!desk) desk = new Desk();`
fn asks_for(flow: &Flow<'_>, slot: MemberId, site: Site) -> bool {
    let program = flow.program;
    let Some(body) = program.body(site.member) else { return true };
    let scope = program.scope(site.member);
    let names =
        |n: NodeId| matches!(body.node(n), Node::Name(_) | Node::Member { .. }) && flow.eval_in(site.member, n) == Val::Static(slot);
    let asks = |cond: NodeId| crate::state::any_within(body, cond, &names);
    let is_asked_around = scope.ancestors(site.node).any(|around| match body.node(around) {
        Node::If { cond, .. } | Node::Conditional { cond, .. } => asks(cond),
        Node::Assign { op: AssignOp::IfUnset, .. } => true,
        Node::Binary { left, .. } => asks(left),
        _ => false,
    });
    let leaves = |n: NodeId| matches!(body.node(n), Node::If { cond, then, .. } if body.leaves(then) && asks(cond));
    is_asked_around || body.ids().any(|n| scope.is_before(n, site.node) && leaves(n))
}

/// A static field that is filled once and for all: never emptied while the program runs.
fn singleton_slot(flow: &Flow<'_>, m: MemberId) -> bool {
    let is_null = |d: &Site| flow.program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Null));
    !flow.definitions(m).iter().any(|d| is_null(d) && !is_first_value(flow.program, m, *d))
}

/// Whether a definition of a member is the value that it starts with; a module's variables get theirs as it is loaded.
pub(crate) fn is_first_value(program: &Program, m: MemberId, definition: Site) -> bool {
    let (of, by) = (program.member(m), program.member(definition.member));
    definition.member == m || (program.ty(of.owner).is_module && by.owner == of.owner && by.kind == MemberKind::Initializer)
}
