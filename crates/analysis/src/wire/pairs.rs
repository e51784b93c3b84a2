//! Ways in and out that come as a pair, where what lies between is not seen through (a
//! registry that calls by reflection, say): a class with `addToBus` and `removeFromBus` for
//! the same kind of object, which objects use to put themselves on. Names alone make no
//! channel: some object must hand over itself.

use rayon::prelude::*;
use rustc_hash::FxHashSet;
use yarrowgraph_ir::{MemberKind, TypeKind};
use yarrowgraph_model::{Certainty, ChannelKind};

use super::channels::{Channel, ChannelKey};
use super::effect::{Act, Effect, Event, Holder};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Sym, Ty, TypeId};

const VERBS: &[(&str, &str)] = &[
    ("add", "remove"),
    ("register", "unregister"),
    ("register", "deregister"),
    ("subscribe", "unsubscribe"),
    ("attach", "detach"),
    ("join", "leave"),
    ("follow", "unfollow"),
    ("hook", "unhook"),
    ("watch", "unwatch"),
    ("listen", "unlisten"),
    ("on", "off"),
];

/// Adds what is put on and taken off through such pairs.
pub(super) fn add(flow: &Flow<'_>, effects: &mut Vec<Effect>, channels: &mut Vec<Channel>) {
    let lead_in: FxHashSet<MemberId> =
        channels.iter().flat_map(|c| &c.joins).flat_map(|j| &effects[*j].inner).map(|site| site.member).collect();
    let types = (0..flow.program.types.len()).into_par_iter().map(|index| TypeId(index as u32));
    let pairs: Vec<(TypeId, Vec<Pair>)> = types.map(|ty| (ty, pairs_of(flow, ty))).filter(|(_, pairs)| !pairs.is_empty()).collect();
    for (ty, pairs) in pairs {
        for (adder, remover) in pairs {
            // what already leads to a channel is seen through
            if !adder.iter().any(|m| lead_in.contains(m)) {
                pair(flow, ty, &adder, &remover, effects, channels);
            }
        }
    }
    channels.sort_by(|a, b| a.key.cmp(&b.key));
}

/// The overloads of a way in, with those of the way out.
type Pair = (Vec<MemberId>, Vec<MemberId>);

fn pairs_of(flow: &Flow<'_>, ty: TypeId) -> Vec<Pair> {
    let program = flow.program;
    let t = program.ty(ty);
    if !matches!(t.kind, TypeKind::Class | TypeKind::Interface) {
        return Vec::new();
    }
    let mut names: Vec<Sym> = t.members.iter().filter(|m| takes_one(flow, **m)).map(|m| program.member(*m).name).collect();
    names.sort_unstable();
    names.dedup();
    let mut found = Vec::new();
    for name in names {
        let declared = |n: &Sym| !program.own_members(ty, *n).is_empty();
        if let Some(other) = opposites(program, program.text(name)).into_iter().find(declared) {
            let of = |n: Sym| program.own_members(ty, n).iter().copied().filter(|m| takes_one(flow, *m)).collect::<Vec<_>>();
            let (adders, removers) = (of(name), of(other));
            // any collection has `add(Object)` and `remove(Object)`
            let is_collection = strip_verb(program.text(name), "add").is_some_and(|what| !is_of_trade(what))
                && !is_of_trade(program.text(t.name))
                && !adders.iter().any(|m| takes_interface(flow, *m));
            if !removers.is_empty() && !is_collection {
                found.push((adders, removers));
            }
        }
    }
    found
}

/// Whether a method's name says that it puts one more handler on.
pub(crate) fn is_adder(name: &str) -> bool {
    ["add", "register", "subscribe", "attach", "hook"].iter().any(|verb| strip_verb(name, verb).is_some())
}

/// The names in the tree that undo what a method's name says.
pub(crate) fn opposites(program: &Program, name: &str) -> Vec<Sym> {
    let mut found = Vec::new();
    for (verb, opposite) in VERBS {
        let Some(rest) = strip_verb(name, verb) else { continue };
        let capital = name.starts_with(|c: char| c.is_uppercase());
        let opposite = if capital { capitalised(opposite) } else { (*opposite).to_owned() };
        let directed = rest.replacen("To", "From", 1);
        found.extend([rest, &directed].iter().find_map(|rest| program.symbols.get(&format!("{opposite}{rest}"))));
    }
    found
}

fn strip_verb<'t>(text: &'t str, verb: &str) -> Option<&'t str> {
    let head = text.get(..verb.len())?;
    let rest = &text[verb.len()..];
    let ends = rest.is_empty() || rest.starts_with(|c: char| c.is_uppercase());
    (head.eq_ignore_ascii_case(verb) && ends).then_some(rest)
}

fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |c| c.to_uppercase().chain(chars).collect())
}

/// Whether a name speaks of those who are told something, or of what they are told by.
fn is_of_trade(name: &str) -> bool {
    const PARTS: [&str; 12] =
        ["listen", "observ", "handl", "bus", "subscri", "callback", "watch", "event", "signal", "notif", "dispatch", "regist"];
    let name = name.to_ascii_lowercase();
    PARTS.iter().any(|part| name.contains(part))
}

/// Whether what a method takes first is of an interface of the tree.
fn takes_interface(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let first = program.decl(m).params.first().and_then(|p| p.ty).map(|t| program.type_in(m, t));
    first.is_some_and(|ty| is_interface(program, &ty))
}

fn is_interface(program: &Program, ty: &Ty) -> bool {
    matches!(ty, Ty::Own(t, _) if program.ty(*t).kind == TypeKind::Interface)
}

/// A method that takes one object which can be told something.
fn takes_one(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let decl = program.decl(m);
    if program.member(m).kind != MemberKind::Method || decl.params.len() != 1 {
        return false;
    }
    match decl.params[0].ty.map(|t| program.type_in(m, t)) {
        Some(Ty::Outside(name, _)) => matches!(program.text(name), "Object" | "object" | "any" | "unknown"),
        Some(ty) => is_interface(program, &ty),
        None => false,
    }
}

fn pair(flow: &Flow<'_>, ty: TypeId, adders: &[MemberId], removers: &[MemberId], effects: &mut Vec<Effect>, channels: &mut Vec<Channel>) {
    let joins = calls(flow, ty, adders[0], adders, Act::Join);
    let hands_itself_over = joins.iter().any(|e| matches!(e.handler, Some(Val::This(_))));
    if !hands_itself_over {
        return;
    }
    let leaves = calls(flow, ty, adders[0], removers, Act::Leave);
    let mut channel = Channel {
        key: ChannelKey::Own(adders[0], None),
        kind: ChannelKind::List,
        id: flow.program.type_id(ty) + "." + flow.program.text(flow.program.member(adders[0]).name),
        joins: Vec::new(),
        leaves: Vec::new(),
        raises: Vec::new(),
    };
    for join in joins {
        channel.joins.push(effects.len());
        effects.push(join);
    }
    for leave in leaves {
        channel.leaves.push(effects.len());
        effects.push(leave);
    }
    channels.push(channel);
}

fn calls(flow: &Flow<'_>, ty: TypeId, channel: MemberId, methods: &[MemberId], act: Act) -> Vec<Effect> {
    let mut found = Vec::new();
    for &method in methods {
        for (site, binding) in flow.callers((method, None)) {
            let Some(Some(handler)) = binding.args.first() else { continue };
            // by way of a base, as that of all collections, it may be anybody's
            if act == Act::Join && flow.callee(*site).is_some_and(|c| c.member != method) {
                continue;
            }
            // one overload hands on to another
            if matches!(handler, Val::Param(m, ..) if methods.contains(m)) {
                continue;
            }
            let subject = binding.this.clone().unwrap_or(Val::Type(ty));
            let mut effect = Effect::new(act, Holder { subject, event: Event::Own(channel), key: None }, *site);
            effect.handler = Some(handler.clone());
            effect.certainty = Certainty::Likely;
            found.push(effect);
        }
    }
    found
}
