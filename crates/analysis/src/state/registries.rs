//! Registries: where parts are put under a name or a class, and looked up by it.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::How;
use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;

/// What something is put under.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Key {
    /// A text.
    Text(Sym),
    /// A class.
    Class(TypeId),
}

/// A registry: a map of the tree, or a way of the platform.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Registry {
    /// The field that holds the map.
    Map(MemberId),
    /// The method that puts something in.
    Platform(Sym),
}

/// An entry that is made, or asked for.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Entry {
    /// The registry.
    pub registry: Registry,
    /// What it is under.
    pub key: Key,
    /// The call.
    pub site: Site,
}

/// What is put into registries and what is looked up, each in order.
pub fn entries(wiring: &Wiring<'_>) -> (Vec<Entry>, Vec<Entry>) {
    let program = wiring.program();
    let (mut made, mut asked) = (Vec::new(), Vec::new());
    for map in wiring.written_fields() {
        let info = program.member(map);
        if !matches!(info.kind, MemberKind::Field | MemberKind::Property) || !holds_map(wiring, map) {
            continue;
        }
        let by_key = |m: MemberId| !program.decl(m).params.is_empty() || !program.decl(m).type_params.is_empty();
        let writers: BTreeSet<MemberId> = wiring
            .writes(map)
            .iter()
            .filter(|w| {
                matches!(w.how, How::Within)
                    && !w.initial
                    && by_key(w.site.member)
                    && program.member(w.site.member).kind == MemberKind::Method
            })
            .map(|w| w.site.member)
            .collect();
        let class = &program.ty(info.owner).members;
        let readers: Vec<MemberId> =
            class.iter().copied().filter(|m| !writers.contains(m) && by_key(*m) && looks_up(wiring, *m, map)).collect();
        if writers.is_empty() || readers.is_empty() {
            continue;
        }
        let registry = Registry::Map(map);
        made.extend(writers.iter().flat_map(|m| of_calls(wiring, registry, *m)));
        asked.extend(readers.iter().flat_map(|m| of_calls(wiring, registry, *m)));
    }
    for (put, get) in program.packs().flat_map(|p| p.registries.iter()) {
        let (Some(put), Some(get)) = (program.symbols.get(put), program.symbols.get(get)) else { continue };
        let of = |name: Sym| {
            let calls = program.index.calls(name).iter().filter(|c| wiring.flow.callee(**c).is_none() && !wiring.in_test(c.member));
            calls
                .filter_map(|site| Some(Entry { registry: Registry::Platform(put), key: text_key(wiring, *site)?, site: *site }))
                .collect::<Vec<_>>()
        };
        made.extend(of(put));
        asked.extend(of(get));
    }
    (made, asked)
}

fn holds_map(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let made = wiring.flow.only_definition(m).map(|d| wiring.flow.type_of_node(d.member, d.node));
    program.is_map(&wiring.flow.type_held(m)) || made.is_some_and(|ty| program.is_map(&ty))
}

/// Whether a method gives what a map holds: it names the map and returns something, and tells nobody.
fn looks_up(wiring: &Wiring<'_>, method: MemberId, map: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(method) else { return false };
    let nodes = || body.ids();
    let names = |n: NodeId| {
        matches!(body.node(n), Node::Name(_) | Node::Member { .. })
            && matches!(wiring.flow.eval_in(method, n), Val::Member(_, m) | Val::Static(m) if m == map)
    };
    let gives = body.returns_root || nodes().any(|n| matches!(body.node(n), Node::Return(Some(_))));
    let walks = nodes().any(|n| matches!(body.node(n), Node::ForEach { .. } | Node::Loop { .. }));
    program.member(method).kind == MemberKind::Method && gives && !walks && wiring.tellings(method).is_empty() && nodes().any(names)
}

fn of_calls(wiring: &Wiring<'_>, registry: Registry, method: MemberId) -> Vec<Entry> {
    let callers = wiring.flow.callers((method, None)).iter().filter(|(site, _)| !wiring.in_test(site.member));
    callers
        .filter_map(|(site, _)| {
            let key = text_key(wiring, *site).or_else(|| class_key(wiring, *site))?;
            Some(Entry { registry, key, site: *site })
        })
        .collect()
}

fn text_key(wiring: &Wiring<'_>, call: Site) -> Option<Key> {
    let body = wiring.program().body(call.member)?;
    let Node::Call { args, .. } = body.node(call.node) else { return None };
    match wiring.flow.eval_in(call.member, *body.list(args).first()?) {
        Val::Str(text) => Some(Key::Text(text)),
        _ => None,
    }
}

/// The class that a call names as its type argument, or that of the part that it hands over.
fn class_key(wiring: &Wiring<'_>, call: Site) -> Option<Key> {
    let program = wiring.program();
    let body = program.body(call.member)?;
    let Node::Call { args, type_args, .. } = body.node(call.node) else { return None };
    let written = type_args.and_then(|t| body.type_lists.get(t as usize)).and_then(|list| list.first());
    let class = match written {
        Some(ty) => program.type_in(call.member, *ty).own(),
        None => match wiring.flow.eval_in(call.member, *body.list(args).first()?) {
            Val::Type(class) => Some(class),
            part => wiring.flow.type_of(&part).own(),
        },
    };
    class.map(Key::Class)
}
