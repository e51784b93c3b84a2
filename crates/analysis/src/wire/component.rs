//! Components that are functions: an effect hook (`useEffect(() => { … }, [])`) runs when the
//! component has come to be, and the function that it returns runs when the component goes.

use yarrowgraph_ir::{Node, NodeId};

use crate::flow::{Flow, Val, returned};
use crate::program::{MemberId, Site};

/// The component whose effect a statement is part of.
pub fn of_effect(flow: &Flow<'_>, site: Site) -> Option<MemberId> {
    let program = flow.program;
    let body = program.body(site.member)?;
    let hooks = &program.kit_of(site.member).pack.effect_hooks;
    if hooks.is_empty() {
        return None;
    }
    let scope = program.scope(site.member);
    let is_effect = |lambda: NodeId| {
        let Some(Node::Call { callee, args, .. }) = scope.parent(lambda).map(|p| body.node(p)) else { return false };
        let (Node::Name(name) | Node::Member { name, .. }) = body.node(callee) else { return false };
        body.list(args).first() == Some(&lambda) && hooks.contains(program.unit_of(site.member).text(name))
    };
    // a hook within a class is a method of somebody else's making
    let is_function = program.ty(program.member(site.member).owner).is_module;
    (is_function && scope.ancestors(site.node).any(is_effect)).then_some(site.member)
}

/// Whether a handler is a function of the component's own making, or one that another hook made for it (`useState`), and so holds on
/// to it.
pub fn makes(flow: &Flow<'_>, component: MemberId, handler: &Val) -> bool {
    match handler {
        Val::Local(site) if site.member == component && is_of_hook(flow, *site) => true,
        _ => matches!(flow.function_of(handler), Some(Val::Lambda(member, _)) if member == component),
    }
}

/// Whether a variable is given what a hook gives: `const [level, setLevel] = useState(0)`.
fn is_of_hook(flow: &Flow<'_>, variable: Site) -> bool {
    let program = flow.program;
    let Some(body) = program.body(variable.member) else { return false };
    let is_hook = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Name(name) | Node::Member { name, .. } => {
                let rest = program.unit_of(variable.member).text(name).strip_prefix("use");
                rest.is_some_and(|rest| rest.starts_with(char::is_uppercase))
            }
            _ => false,
        },
        _ => false,
    };
    let mut around = std::iter::once(variable.node).chain(program.scope(variable.member).ancestors(variable.node));
    around.any(|n| match body.node(n) {
        Node::Local { init: Some(init), .. } | Node::Pattern { init: Some(init), .. } => is_hook(init),
        _ => false,
    })
}

/// The component that a statement is part of as it is rendered: a function that is named as one and gives elements, outside of the
/// functions that it makes.
pub fn rendered_by(flow: &Flow<'_>, site: Site) -> Option<MemberId> {
    let program = flow.program;
    let body = program.body(site.member)?;
    if program.kit_of(site.member).pack.effect_hooks.is_empty() {
        return None;
    }
    let scope = program.scope(site.member);
    let info = program.member(site.member);
    let is_component = program.ty(info.owner).is_module && program.text(info.name).starts_with(char::is_uppercase);
    // `const Level = () => …` is a function that a variable holds
    let whole = body.root.and_then(|root| if let Node::Lambda(f) = body.node(root) { Some(f) } else { None });
    let gives_elements = || {
        let given = returned(program, site.member, whole);
        !given.is_empty() && given.into_iter().any(|n| matches!(body.node(n), Node::Element(_)))
    };
    (is_component && scope.function_around(body, site.node) == whole && gives_elements()).then_some(site.member)
}
