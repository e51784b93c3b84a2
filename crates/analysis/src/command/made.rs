//! Where the objects that come to a place are made.

use std::collections::BTreeMap;

use yarrowgraph_ir::{FunctionId, Node, NodeId};

use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::wire::Wiring;

/// Adds the classes of the objects that an expression can come to, with where they are made.
pub fn of(wiring: &Wiring<'_>, site: Site, depth: u32, out: &mut BTreeMap<TypeId, Vec<Site>>) {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(depth) = depth.checked_sub(1) else { return };
    let Some(body) = program.body(site.member) else { return };
    let at = |node: NodeId| Site { member: site.member, node };
    match body.node(site.node) {
        Node::New { .. } => {
            if let Some(class) = flow.type_of_node(site.member, site.node).own() {
                add(out, class, site);
            }
        }
        Node::Conditional { then, other, .. } => {
            of(wiring, at(then), depth, out);
            of(wiring, at(other), depth, out);
        }
        Node::Binary { left, right, .. } => {
            of(wiring, at(left), depth, out);
            of(wiring, at(right), depth, out);
        }
        Node::Unary { operand, .. } | Node::Cast { operand, .. } => of(wiring, at(operand), depth, out),
        Node::Switch { cases, .. } => {
            for case in body.list(cases) {
                if let Node::Case { body: inner, .. } = body.node(*case) {
                    of(wiring, at(inner), depth, out);
                }
            }
        }
        Node::Call { callee, args, .. } => {
            // a pointer to a new object
            if let Val::New(made) = flow.eval(site)
                && made == site
                && let Some(class) = flow.type_of_node(site.member, site.node).own()
            {
                add(out, class, site);
                return;
            }
            if let Some(target) = flow.callee(site) {
                for node in returned(wiring, target.member, None) {
                    of(wiring, Site { member: target.member, node }, depth, out);
                }
                return;
            }
            if let Some(class) = created_by(wiring, site) {
                add(out, class, site);
                return;
            }
            // what a table of makers holds
            let makers = makers(wiring, at(callee));
            for (m, f) in &makers {
                for node in returned(wiring, *m, *f) {
                    of(wiring, Site { member: *m, node }, depth, out);
                }
            }
            if makers.is_empty()
                && let [only] = body.list(args)
            {
                of(wiring, at(*only), depth, out);
            }
        }
        Node::Name(_) | Node::Member { .. } => match flow.eval(site) {
            Val::New(made) => {
                if let Some(class) = flow.type_of_node(made.member, made.node).own() {
                    add(out, class, made);
                }
            }
            Val::Param(m, None, index) => {
                for (call, _) in flow.callers((m, None)) {
                    if let Some(given) = flow.argument(*call, usize::from(index)) {
                        of(wiring, given, depth, out);
                    }
                }
            }
            Val::Local(local) => {
                if let Some(Node::Local { init: Some(init), .. }) = program.body(local.member).map(|b| b.node(local.node)) {
                    of(wiring, Site { member: local.member, node: init }, depth, out);
                }
            }
            Val::Call(call) if call != site => of(wiring, call, depth, out),
            Val::Static(m) => {
                if let Some(only) = flow.only_definition(m) {
                    of(wiring, only, depth, out);
                }
            }
            _ => {}
        },
        _ => {}
    }
}

fn add(out: &mut BTreeMap<TypeId, Vec<Site>>, class: TypeId, site: Site) {
    let sites = out.entry(class).or_default();
    if !sites.contains(&site) {
        sites.push(site);
    }
}

/// The class that a call of a library makes an object of, by its type argument.
fn created_by(wiring: &Wiring<'_>, site: Site) -> Option<TypeId> {
    let program = wiring.program();
    let body = program.body(site.member)?;
    let Node::Call { type_args: Some(args), .. } = body.node(site.node) else { return None };
    let first = body.type_lists[args as usize].first()?;
    let class = program.type_in(site.member, *first).own()?;
    (wiring.flow.type_of_node(site.member, site.node).own() == Some(class)).then_some(class)
}

/// The functions that a called expression can be, where a table that is written out holds them.
fn makers(wiring: &Wiring<'_>, callee: Site) -> Vec<(MemberId, Option<FunctionId>)> {
    let program = wiring.program();
    let found = super::made::looked_up(wiring, callee, 5);
    let tables = wiring.codes().iter().filter(|t| found.is_some_and(|f| t.holder == Some(f)));
    let mut makers = Vec::new();
    for entry in tables.flat_map(|t| &t.entries) {
        match wiring.flow.function_of(&wiring.flow.eval(entry.value)) {
            Some(Val::Lambda(m, f)) => makers.push((m, Some(f))),
            Some(Val::Method(m, _)) => makers.push((m, None)),
            _ => {}
        }
    }
    let _ = program;
    makers
}

/// The table that an expression is looked up in: `makers[word]`, `kinds.get(word)`, or a local that was given it.
pub fn looked_up(wiring: &Wiring<'_>, site: Site, depth: u32) -> Option<MemberId> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let depth = depth.checked_sub(1)?;
    let body = program.body(site.member)?;
    let at = |node: NodeId| Site { member: site.member, node };
    match body.node(site.node) {
        Node::Index { object, .. } => table_held(wiring, at(object)),
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { object, name, .. } => {
                let text = program.unit_of(site.member).text(name);
                let pack = &program.kit_of(site.member).pack;
                if pack.elements.contains(text) || pack.out_lookups.contains(text) {
                    return table_held(wiring, at(object));
                }
                // `kind.apply(n)`
                looked_up(wiring, at(object), depth)
            }
            _ => None,
        },
        Node::Binary { left, .. } => looked_up(wiring, at(left), depth),
        Node::Unary { operand, .. } => looked_up(wiring, at(operand), depth),
        Node::Member { object, name, .. } => {
            // the value of a place in a map
            let text = program.unit_of(site.member).text(name);
            if matches!(text, "second" | "Value" | "value") || program.kit_of(site.member).pack.invokers.contains(text) {
                return looked_up(wiring, at(object), depth);
            }
            None
        }
        Node::Name(name) => {
            if let Some(crate::program::Declared::Local(local)) = program.scope(site.member).lookup(name, site.node) {
                if let Node::Local { init: Some(init), .. } = body.node(local) {
                    return looked_up(wiring, at(init), depth);
                }
                // given by a look-up that takes it as a variable
                let around = program.scope(site.member).ancestors(local).find(|a| matches!(body.node(*a), Node::Call { .. }))?;
                return looked_up(wiring, at(around), depth);
            }
            let _ = flow;
            None
        }
        _ => None,
    }
}

fn table_held(wiring: &Wiring<'_>, site: Site) -> Option<MemberId> {
    match wiring.flow.eval(site) {
        Val::Static(m) | Val::Member(_, m) => Some(m),
        _ => None,
    }
}

/// What a method or function returns.
pub fn returned(wiring: &Wiring<'_>, m: MemberId, f: Option<FunctionId>) -> Vec<NodeId> {
    let program = wiring.program();
    let Some(body) = program.body(m) else { return Vec::new() };
    let (root, whole) = match f {
        Some(f) => (body.function(f).body, body.function(f).returns_body),
        None => (body.root, body.returns_root),
    };
    let Some(root) = root else { return Vec::new() };
    if whole {
        return vec![root];
    }
    let scope = program.scope(m);
    let of_it = |n: &NodeId| scope.is_within(*n, root) && scope.function_around(body, *n) == f;
    body.ids().filter(of_it).filter_map(|n| if let Node::Return(Some(v)) = body.node(n) { Some(v) } else { None }).collect()
}
