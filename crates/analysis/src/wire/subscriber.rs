//! Whose handler it is: the object that a subscription keeps alive.

use yarrowgraph_ir::{FunctionId, Node, NodeId};

use crate::flow::{Flow, Val};
use crate::program::{Declared, MemberId, Site, Ty, TypeId};

/// The object that a handler belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Subscriber {
    /// An instance of a type: the one that the subscribing code runs on.
    This(TypeId),
    /// An instance of a type that is some other object.
    Other(TypeId),
    /// No instance: a static function, or a lambda that captures none.
    Nobody,
    /// An instance that is referred to weakly.
    Weak,
    /// Not known.
    Unknown,
}

impl Subscriber {
    /// The type of the instance.
    pub fn type_id(self) -> Option<TypeId> {
        match self {
            Subscriber::This(t) | Subscriber::Other(t) => Some(t),
            _ => None,
        }
    }
}

/// Whose handler a value is, where it is handed over at a site.
pub fn of(flow: &Flow<'_>, handler: &Val, site: Site) -> Subscriber {
    resolve(flow, handler, site, 6)
}

fn resolve(flow: &Flow<'_>, handler: &Val, site: Site, budget: u32) -> Subscriber {
    let Some(budget) = budget.checked_sub(1) else { return Subscriber::Unknown };
    let program = flow.program;
    match handler {
        Val::This(t) => owner_of_listener(flow, *t, site),
        Val::Method(_, None) => Subscriber::Nobody,
        Val::Method(m, Some(receiver)) => match &**receiver {
            Val::This(t) => owner_of_listener(flow, *t, site),
            Val::Type(_) => Subscriber::Nobody,
            Val::New(_) => resolve(flow, receiver, site, budget),
            _ => {
                let own = flow.type_of(receiver).own().unwrap_or(program.member(*m).owner);
                Subscriber::Other(own)
            }
        },
        Val::Lambda(member, function) => match captured_instance(flow, *member, *function) {
            true => owner_of_listener(flow, program.member(*member).owner, site),
            false => Subscriber::Nobody,
        },
        Val::Bound(of, _) => resolve(flow, of, site, budget),
        Val::Local(_) => match flow.function_of(handler) {
            Some(function) => resolve(flow, &function, site, budget),
            None => match flow.type_of(handler) {
                Ty::Own(t, _) => Subscriber::Other(t),
                _ => Subscriber::Unknown,
            },
        },
        Val::Member(of, m) => {
            if let Some(only) = flow.only_definition(*m) {
                let value = flow.eval(only);
                if matches!(value, Val::New(_) | Val::Lambda(..) | Val::Method(..) | Val::Bound(..)) {
                    return resolve(flow, &value, only, budget);
                }
                // an object that was handed over is not the one that holds it
                if let (Val::Param(..), Ty::Own(t, _)) = (&value, flow.type_of(handler)) {
                    return Subscriber::Other(t);
                }
            }
            match &**of {
                Val::This(t) => Subscriber::This(*t),
                other => flow.type_of(other).own().map_or(Subscriber::Unknown, Subscriber::Other),
            }
        }
        Val::Static(_) | Val::Type(_) => Subscriber::Nobody,
        Val::New(new) => match flow.type_of_node(new.member, new.node) {
            Ty::Own(t, _) => created(flow, t, *new),
            _ => Subscriber::Unknown,
        },
        Val::Outside(of, _) => match &**of {
            Val::This(t) => Subscriber::This(*t),
            _ => Subscriber::Unknown,
        },
        Val::Literal(literal) => match literal_captures(flow, *literal) {
            true => Subscriber::This(program.member(literal.member).owner),
            false => Subscriber::Unknown,
        },
        _ => Subscriber::Unknown,
    }
}

/// `this` of a class written on the spot, or of an inner class, stands for the object around.
fn owner_of_listener(flow: &Flow<'_>, ty: TypeId, site: Site) -> Subscriber {
    let here = flow.program.member(site.member).owner;
    if ty == here || flow.program.are_kin(here, ty) {
        return Subscriber::This(ty);
    }
    Subscriber::Other(ty)
}

/// An object created as a handler: an inner class holds the object around it; any other
/// class holds what its constructor is given.
fn created(flow: &Flow<'_>, ty: TypeId, new: Site) -> Subscriber {
    let program = flow.program;
    if program.holds_weakly(ty) {
        return Subscriber::Weak;
    }
    let t = program.ty(ty);
    let inner = t.within.is_some() || (t.parent.is_some() && !t.modifiers.is_static && program.kit(t.unit).traits.inner_types_capture);
    let around = program.member(new.member).owner;
    if inner {
        return if uses_outer(flow, ty) { Subscriber::This(outermost_instance(flow, around)) } else { Subscriber::Nobody };
    }
    let Some(body) = program.body(new.member) else { return Subscriber::Unknown };
    let Node::New { args, .. } = body.node(new.node) else { return Subscriber::Unknown };
    let holds_this = body.list(args).iter().any(|a| matches!(flow.eval_in(new.member, *a), Val::This(_)));
    if holds_this { Subscriber::This(around) } else { Subscriber::Other(ty) }
}

/// The instance that code of an anonymous class is part of.
fn outermost_instance(flow: &Flow<'_>, ty: TypeId) -> TypeId {
    let mut ty = ty;
    while flow.program.ty(ty).anonymous {
        match flow.enclosing_type(ty) {
            Some(outer) => ty = outer,
            None => break,
        }
    }
    ty
}

/// Whether the members of a class use the instance around it.
fn uses_outer(flow: &Flow<'_>, ty: TypeId) -> bool {
    let program = flow.program;
    program.ty(ty).members.iter().any(|m| {
        let Some(body) = program.body(*m) else { return false };
        body.ids().any(|n| match body.node(n) {
            Node::OuterThis(_) => true,
            Node::Name(_) | Node::Member { .. } => refers_outside(flow, Site { member: *m, node: n }, ty),
            _ => false,
        })
    })
}

/// Whether a name means an instance member of a type around the one it stands in.
fn refers_outside(flow: &Flow<'_>, site: Site, ty: TypeId) -> bool {
    match flow.eval(site) {
        Val::Member(of, _) | Val::Method(_, Some(of)) => match &*of {
            Val::This(t) => *t != ty && !flow.program.is_a(ty, *t),
            _ => false,
        },
        Val::This(t) => t != ty && !flow.program.is_a(ty, t),
        _ => false,
    }
}

/// Whether a lambda touches the instance that its member runs on, itself or by another function that it calls.
fn captured_instance(flow: &Flow<'_>, member: MemberId, function: FunctionId) -> bool {
    let program = flow.program;
    if program.member(member).is_static {
        return false;
    }
    let Some(body) = program.body(member) else { return false };
    let mut functions = vec![function];
    let mut stack: Vec<NodeId> = body.function(function).body.into_iter().collect();
    let scope = program.scope(member);
    while let Some(id) = stack.pop() {
        match body.node(id) {
            Node::This | Node::Super | Node::OuterThis(_) => return true,
            Node::Name(name) => match scope.lookup(name, id) {
                Some(Declared::Local(_)) => match function_in(flow, flow.eval_in(member, id)) {
                    // `const self = this`
                    Val::This(_) => return true,
                    Val::Method(_, Some(of)) | Val::Bound(of, _) if matches!(*of, Val::This(_)) => return true,
                    Val::Lambda(m, f) if m == member && !functions.contains(&f) => {
                        functions.push(f);
                        stack.extend(body.function(f).body);
                    }
                    _ => {}
                },
                Some(Declared::Param(..)) => {}
                None => {
                    let instance = match flow.eval_in(member, id) {
                        Val::Member(of, _) | Val::Method(_, Some(of)) => matches!(*of, Val::This(_)),
                        // a bare name of something inherited from outside of the tree
                        Val::Global(name) => {
                            let bare = program.kit_of(member).traits.bare_members;
                            let called =
                                scope.parent(id).is_some_and(|p| matches!(body.node(p), Node::Call { callee, .. } if callee == id));
                            let of_base = called || is_inherited_field(flow, Site { member, node: id }, program.text(name));
                            bare && of_base && !program.outside_bases(program.member(member).owner).is_empty()
                        }
                        _ => false,
                    };
                    if instance {
                        return true;
                    }
                }
            },
            _ => {}
        }
        stack.extend(body.children(id));
    }
    false
}

/// The function that a variable holds; whatever else it holds.
fn function_in(flow: &Flow<'_>, value: Val) -> Val {
    match value {
        Val::Local(_) => flow.function_of(&value).unwrap_or(value),
        known => known,
    }
}

/// Whether a name that nothing in the tree declares is that of a field or property, not of a type, a package or something global: it is
/// written in small, and what is behind it is no type.
fn is_inherited_field(flow: &Flow<'_>, site: Site, name: &str) -> bool {
    let program = flow.program;
    let Some(body) = program.body(site.member) else { return false };
    let scope = program.scope(site.member);
    let is_small = |text: &str| text.starts_with(|c: char| c.is_lowercase());
    let part = |n: NodeId| match body.node(n) {
        Node::Member { name, .. } => Some(program.unit_of(site.member).text(name)),
        _ => None,
    };
    let is_called = |n: NodeId| scope.parent(n).is_some_and(|p| matches!(body.node(p), Node::Call { callee, .. } if callee == n));
    let mut behind = scope.ancestors(site.node).take_while(|n| part(*n).is_some()).skip_while(|n| part(*n).is_some_and(is_small));
    let names_type = behind.next().is_some_and(|n| !is_called(n));
    let has_globals = program.kit_of(site.member).traits.references_dangle;
    !has_globals && is_small(name) && !names_type
}

fn literal_captures(flow: &Flow<'_>, site: Site) -> bool {
    let Some(body) = flow.program.body(site.member) else { return false };
    let mut stack = vec![site.node];
    while let Some(id) = stack.pop() {
        if matches!(body.node(id), Node::This) {
            return true;
        }
        stack.extend(body.children(id));
    }
    false
}
