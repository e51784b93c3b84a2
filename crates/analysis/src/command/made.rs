//! Where the objects that come to a place are made.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{FunctionId, Node, NodeId, TypeRef};

use crate::flow::{Val, returned};
use crate::program::{Declared, MemberId, Site, TypeId};
use crate::wire::Wiring;

/// Adds the classes of the objects that an expression can come to, with where they are made.
pub fn of(wiring: &Wiring<'_>, site: Site, depth: u32, out: &mut BTreeMap<TypeId, Vec<Site>>) {
    search(wiring, site, depth, &mut FxHashMap::default(), out);
}

/// The same, where places that were looked at before, and as deep, are passed by.
fn search(wiring: &Wiring<'_>, site: Site, depth: u32, seen: &mut FxHashMap<Site, u32>, out: &mut BTreeMap<TypeId, Vec<Site>>) {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(depth) = depth.checked_sub(1) else { return };
    let looked = seen.entry(site).or_insert(0);
    if *looked > depth {
        return;
    }
    *looked = depth + 1;
    let Some(body) = program.body(site.member) else { return };
    let at = |node: NodeId| Site { member: site.member, node };
    match body.node(site.node) {
        Node::New { .. } => match flow.type_of_node(site.member, site.node).own() {
            Some(class) => add(out, class, site),
            None => classes_held(wiring, site).into_iter().for_each(|(class, entry)| add(out, class, entry)),
        },
        Node::Conditional { then, other, .. } => {
            search(wiring, at(then), depth, seen, out);
            search(wiring, at(other), depth, seen, out);
        }
        Node::Binary { left, right, .. } => {
            search(wiring, at(left), depth, seen, out);
            search(wiring, at(right), depth, seen, out);
        }
        Node::Unary { operand, .. } | Node::Cast { operand, .. } => search(wiring, at(operand), depth, seen, out),
        Node::Switch { cases, .. } => {
            for case in body.list(cases) {
                if let Node::Case { body: inner, .. } = body.node(*case) {
                    search(wiring, at(inner), depth, seen, out);
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
                for node in returned(program, target.member, None) {
                    search(wiring, Site { member: target.member, node }, depth, seen, out);
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
                for node in returned(program, *m, *f) {
                    search(wiring, Site { member: *m, node }, depth, seen, out);
                }
            }
            if makers.is_empty()
                && let [only] = body.list(args)
            {
                search(wiring, at(*only), depth, seen, out);
            }
        }
        Node::Name(_) | Node::Member { .. } => match flow.eval(site) {
            Val::New(made) => {
                if let Some(class) = flow.type_of_node(made.member, made.node).own() {
                    add(out, class, made);
                }
            }
            Val::Param(m, None, index) => {
                for call in flow.call_sites(m) {
                    if let Some(given) = flow.argument(*call, usize::from(index)) {
                        search(wiring, given, depth, seen, out);
                    }
                }
            }
            Val::Local(local) => {
                if let Some(Node::Local { init: Some(init), .. }) = program.body(local.member).map(|b| b.node(local.node)) {
                    search(wiring, Site { member: local.member, node: init }, depth, seen, out);
                }
            }
            Val::Call(call) if call != site => search(wiring, call, depth, seen, out),
            Val::Static(m) => {
                if let Some(only) = flow.only_definition(m) {
                    search(wiring, only, depth, seen, out);
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
pub fn created_by(wiring: &Wiring<'_>, site: Site) -> Option<TypeId> {
    let class = wiring.program().type_argument(site)?.own()?;
    (wiring.flow.type_of_node(site.member, site.node).own() == Some(class)).then_some(class)
}

/// The classes of which an object is made where a table holds them, each with its entry: `const Job = jobs[word]; new Job(tank)`.
fn classes_held(wiring: &Wiring<'_>, site: Site) -> Vec<(TypeId, Site)> {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return Vec::new() };
    let Node::New { ty, init, .. } = body.node(site.node) else { return Vec::new() };
    let class = match program.unit_of(site.member).type_ref(ty) {
        TypeRef::Named { name, .. } => match program.scope(site.member).lookup(*name, site.node) {
            Some(Declared::Local(local)) => match body.node(local) {
                Node::Local { init, .. } => init,
                _ => None,
            },
            _ => None,
        },
        // written as an expression
        _ => init,
    };
    let Some(class) = class else { return Vec::new() };
    let entries = entries_of(wiring, Site { member: site.member, node: class }).into_iter();
    entries.filter_map(|entry| if let Val::Type(class) = wiring.flow.eval(entry) { Some((class, entry)) } else { None }).collect()
}

/// What the table holds that an expression is looked up in, where it is written out.
fn entries_of(wiring: &Wiring<'_>, site: Site) -> Vec<Site> {
    let found = looked_up(wiring, site, 5);
    let tables = wiring.codes().iter().filter(|t| found.is_some_and(|f| t.holder == Some(f)));
    tables.flat_map(|t| &t.entries).map(|entry| entry.value).collect()
}

/// The functions that a called expression can be, where a table that is written out holds them.
fn makers(wiring: &Wiring<'_>, callee: Site) -> Vec<(MemberId, Option<FunctionId>)> {
    let mut makers = Vec::new();
    for entry in entries_of(wiring, callee) {
        match wiring.flow.function_of(&wiring.flow.eval(entry)) {
            Some(Val::Lambda(m, f)) => makers.push((m, Some(f))),
            Some(Val::Method(m, _)) => makers.push((m, None)),
            _ => {}
        }
    }
    makers
}

/// The table that an expression is looked up in: `makers[word]`, `kinds.get(word)`, or a local that was given it.
pub fn looked_up(wiring: &Wiring<'_>, site: Site, depth: u32) -> Option<MemberId> {
    let program = wiring.program();
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
