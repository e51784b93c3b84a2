//! Who calls a function, with what each call hands over.

use std::sync::Arc;

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AccessorKind, AssignOp, FunctionId, MemberKind, Node, ParamMode, TypeKind};

use super::{Binding, Callee, Flow, Val};
use crate::memo::known_or;
use crate::program::{Kinds, MemberId, Site, Sym, TypeId};

/// The method by which an object is called itself.
pub(crate) const CALL_OPERATOR: &str = "operator()";

/// The name of the method by which a class has a compound assignment of its own: `gauge.rose += handler`.
pub(super) fn compound_operator(op: AssignOp) -> Option<&'static str> {
    match op {
        AssignOp::Add => Some("operator+="),
        AssignOp::Sub => Some("operator-="),
        AssignOp::Set | AssignOp::IfUnset | AssignOp::Other => None,
    }
}

/// The calls by one name.
#[derive(Debug, Default)]
pub(super) struct CallsByTarget {
    /// By what they reach, each with its place in the index's order.
    calls: FxHashMap<MemberId, Vec<(u32, Site)>>,
    /// Those of what they reach that an interface declares.
    declared: Vec<MemberId>,
}

/// Creations by the type of the object.
pub(super) type CreationsByType = FxHashMap<TypeId, Vec<Site>>;

/// A function that can be called: a member, or a function that is all that a field holds.
pub type FunctionKey = (MemberId, Option<FunctionId>);

impl Flow<'_> {
    /// The calls of a function, with what each hands over.
    pub fn callers(&self, key: FunctionKey) -> &[(Site, Binding)] {
        self.callers[key.0.0 as usize].get_or_init(|| match key {
            (member, None) => callers_of_member(self, member),
            (member, Some(function)) => callers_of_field_function(self, member, function),
        })
    }
}

impl Flow<'_> {
    /// The calls of a member, where what they hand over does not matter.
    pub fn call_sites(&self, member: MemberId) -> &[Site] {
        self.call_sites[member.0 as usize].get_or_init(|| {
            let is_plain = !matches!(self.program.member(member).kind, MemberKind::Constructor | MemberKind::Accessor(_));
            match self.callers[member.0 as usize].get() {
                None if is_plain => calls_of_method(self, member),
                _ => self.callers((member, None)).iter().map(|(site, _)| *site).collect(),
            }
        })
    }

    /// How many methods of heirs replace or implement a method: so many others a call of it can reach.
    pub(crate) fn overrides(&self, member: MemberId) -> u32 {
        known_or(&self.overrides, member, || {
            let info = self.program.member(member);
            let replaces = |heir: &TypeId| self.program.own_members(*heir, info.name).iter().any(|m| is_override(self, *m, member));
            self.program.heirs(info.owner).iter().filter(|heir| replaces(heir)).count() as u32
        })
    }

    /// Whether the callers of a function were asked for before.
    pub(crate) fn knows_callers(&self, key: FunctionKey) -> bool {
        self.callers[key.0.0 as usize].get().is_some()
    }

    /// Groups the calls by a name ahead of the first question.
    pub(crate) fn group_calls(&self, name: Sym) {
        self.calls_named(name);
    }

    /// What other files call the functions of modules.
    fn renamed(&self) -> &FxHashMap<MemberId, Vec<Sym>> {
        self.renamed.get_or_init(|| self.program.renamed())
    }

    /// The calls by a name, grouped by what they reach; each with its number among them.
    fn calls_named(&self, name: Sym) -> Arc<CallsByTarget> {
        known_or(&self.calls_by_target, name, || {
            let mut grouped = CallsByTarget::default();
            // an object that is called itself is called by the name of whatever holds it
            let by_holder = match self.program.text(name) {
                CALL_OPERATOR => Some(self.where_operators_run(Kinds::CALL, |node| matches!(node, Node::Call { .. }))),
                text if [AssignOp::Add, AssignOp::Sub].into_iter().any(|op| compound_operator(op) == Some(text)) => {
                    let runs = |node| matches!(node, Node::Assign { op, .. } if compound_operator(op) == Some(text));
                    Some(self.where_operators_run(Kinds::ASSIGN, runs))
                }
                _ => None,
            };
            let sites = by_holder.as_deref().unwrap_or_else(|| self.program.index.calls(name));
            for (number, &site) in sites.iter().enumerate() {
                if let Some(callee) = self.callee(site) {
                    grouped.calls.entry(callee.member).or_default().push((number as u32, site));
                }
            }
            let of_interface = |m: &MemberId| self.program.ty(self.program.member(*m).owner).kind == TypeKind::Interface;
            grouped.declared = grouped.calls.keys().copied().filter(of_interface).collect();
            Arc::new(grouped)
        })
    }

    /// All places of a kind in languages whose classes can have operators of their own.
    fn where_operators_run(&self, kinds: Kinds, runs: impl Fn(Node) -> bool) -> Vec<Site> {
        let program = self.program;
        let mut found = Vec::new();
        for index in 0..program.members.len() {
            let member = MemberId(index as u32);
            let is_of_such = program.kit_of(member).traits.open_names;
            let Some(body) = program.body_with(member, kinds).filter(|_| is_of_such) else { continue };
            found.extend(body.ids().filter(|node| runs(body.node(*node))).map(|node| Site { member, node }));
        }
        found
    }

    /// Where objects of a named type are created.
    pub fn creations(&self, ty: TypeId) -> Vec<Site> {
        let program = self.program;
        let name = program.ty(ty).name;
        let empty = program.symbols.get("").unwrap_or(name);
        let mut sites = Vec::new();
        for name in [name, empty] {
            sites.extend(self.creations_named(name).get(&ty).into_iter().flatten().copied());
            if name == empty {
                break;
            }
        }
        sites
    }

    fn creations_named(&self, name: Sym) -> Arc<CreationsByType> {
        known_or(&self.creations_by_type, name, || {
            let mut grouped = CreationsByType::default();
            for &site in self.program.index.creations(name) {
                if let Some(ty) = self.type_of_node(site.member, site.node).own() {
                    grouped.entry(ty).or_default().push(site);
                }
            }
            Arc::new(grouped)
        })
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
            // of heirs too that have no constructor of their own
            for site in program.heirs(info.owner).into_iter().flat_map(|heir| flow.creations(heir)) {
                let Some(body) = program.body(site.member) else { continue };
                let Node::New { args, .. } = body.node(site.node) else { continue };
                let parts = flow.parts_declared_at(site);
                if !parts.is_empty() {
                    found.extend(parts.iter().filter_map(|part| Some((part.site, flow.binding_of_part(part, site, member)?))));
                    continue;
                }
                let class = flow.type_of_node(site.member, site.node).own();
                let of_own = class.and_then(|t| flow.constructor_at(t, site));
                if of_own.or_else(|| class.and_then(|t| flow.constructor_or_base(t, args.len as usize))) == Some(member) {
                    found.extend(making(flow, site, member));
                }
            }
            for &site in flow.made_where_put(info.owner) {
                if flow.constructor_at(info.owner, site) == Some(member) {
                    found.extend(making(flow, site, member));
                }
            }
            for &(_, site) in flow.calls_named(empty).calls.get(&member).into_iter().flatten() {
                let Some(callee) = flow.callee(site) else { continue };
                found.extend(flow.binding(site, &callee).map(|b| (site, b)));
            }
        }
        MemberKind::Accessor(kind) => accessor_uses(flow, member, kind, &mut found),
        _ => {
            for site in calls_of_method(flow, member) {
                let Some(callee) = flow.callee(site) else { continue };
                let callee = Callee { member, ..callee };
                found.extend(flow.binding(site, &callee).map(|b| (site, b)));
            }
        }
    }
    found
}

/// The place where an object is made, with what it hands to the constructor.
fn making(flow: &Flow<'_>, site: Site, constructor: MemberId) -> Option<(Site, Binding)> {
    let callee = Callee { member: constructor, receiver: Some(Val::New(site)), extension: false };
    Some((site, flow.binding(site, &callee)?))
}

/// The calls that reach a method, in the order of the index.
fn calls_of_method(flow: &Flow<'_>, member: MemberId) -> Vec<Site> {
    let program = flow.program;
    let info = program.member(member);
    let receiver_first = program.decl(member).params.first().is_some_and(|p| p.mode == ParamMode::Receiver);
    let by_target = flow.calls_named(info.name);
    let mut sites: Vec<(u32, Site)> = by_target.calls.get(&member).cloned().unwrap_or_default();
    // files that import it by another name, and locals that hold it under one
    for other in flow.renamed().get(&member).into_iter().flatten().chain(program.index.taken_as(info.name)) {
        sites.extend(flow.calls_named(*other).calls.get(&member).into_iter().flatten());
    }
    if !receiver_first {
        // a call of what it overrides reaches it too
        program.for_each_base(info.owner, &mut |base| {
            for b in program.own_members(base, info.name).iter().filter(|b| is_override(flow, member, **b)) {
                sites.extend(by_target.calls.get(b).into_iter().flatten());
            }
            true
        });
        for declared in by_target.declared.iter().filter(|declared| stands_for(flow, member, **declared)) {
            sites.extend(by_target.calls.get(declared).into_iter().flatten());
        }
    }
    sites.sort_unstable();
    sites.dedup();
    let is_call = |s: &Site| {
        program.body(s.member).is_some_and(|b| matches!(b.node(s.node), Node::Call { .. } | Node::New { .. } | Node::Assign { .. }))
    };
    sites.into_iter().map(|(_, site)| site).filter(is_call).collect()
}

/// Whether heirs of a class meet an interface that declares a method by one that they inherit from the class: `class Cross extends Layer
/// implements Overlay`.
fn stands_for(flow: &Flow<'_>, member: MemberId, declared: MemberId) -> bool {
    /// A class with more heirs is looked at no further.
    const HEIRS: usize = 64;
    let program = flow.program;
    let (m, d) = (program.member(member), program.member(declared));
    if m.is_static || program.ty(m.owner).heirs.is_empty() || m.owner == d.owner || program.is_a(m.owner, d.owner) {
        return false;
    }
    let fits = program.decl(member).params.len() == program.decl(declared).params.len();
    let heirs = || program.heirs_up_to(m.owner, HEIRS).unwrap_or_default();
    fits && heirs().into_iter().any(|heir| program.is_a(heir, d.owner) && program.find_member_as(heir, m.name, true) == Some(member))
}

/// `gauge.Rose += handler` where `Rose` has accessors of its own.
fn accessor_uses(flow: &Flow<'_>, member: MemberId, kind: AccessorKind, found: &mut Vec<(Site, Binding)>) {
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
        let (object, owner) = match flow.eval_in(site.member, target) {
            Val::Member(of, m) if program.member(m).name == info.name => ((*of).clone(), program.member(m).owner),
            Val::Static(m) if program.member(m).name == info.name => (Val::Type(info.owner), program.member(m).owner),
            // the getter of a generic class, which may be a signal, is seen through to what it gives
            _ if !program.ty(info.owner).params.is_empty() => match body.node(target) {
                Node::Member { object, .. } => {
                    let of = flow.eval_in(site.member, object);
                    let Some(owner) = flow.type_of(&of).own() else { continue };
                    (of, owner)
                }
                Node::Name(name) if program.scope(site.member).lookup(name, target).is_none() => {
                    let owner = program.member(site.member).owner;
                    (Val::This(owner), owner)
                }
                _ => continue,
            },
            _ => continue,
        };
        if owner == info.owner || program.are_kin(info.owner, owner) {
            let args = vec![Some(flow.eval_in(site.member, value))];
            found.push((site, Binding { callee: (member, None), this: Some(object), args, types: Vec::new() }));
        }
    }
}

/// Whether a member replaces or implements another one.
pub(crate) fn is_override(flow: &Flow<'_>, member: MemberId, base: MemberId) -> bool {
    let program = flow.program;
    let (m, b) = (program.member(member), program.member(base));
    m.owner != b.owner
        && m.name == b.name
        && (program.decl(member).params.len() == program.decl(base).params.len() || program.kit_of(member).traits.duck_typed)
        && program.is_a(m.owner, b.owner)
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
                found.push((site, Binding { callee: key, this: Some(this), args, types: Vec::new() }));
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
        let binding = Binding { callee: (only.member, None), this: Some((**of).clone()), args: Vec::new(), types: Vec::new() };
        value = inner.substitute(&binding);
    }
    None
}
