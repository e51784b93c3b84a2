//! Rule `unlinked-handler`: a concrete handler is in no chain.

mod constants;

use std::cell::LazyCell;
use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::pack::LinksGiven;
use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind, Visibility};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::chain::behaviour::{self, Code};
use crate::chain::{Link, Of};
use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, Ty, TypeId};
use crate::wire::Wiring;

/// A function with fewer parameters may be anything.
const PARAMS: usize = 2;

pub(super) const RULE: Rule = Rule {
    name: "unlinked-handler",
    summary: "a handler of requests is in no chain",
    level: Level::Warning,
    page: Page {
        symptom: "What the handler is for is never done.",
        cause: "Its class was written, and no chain was given one of its objects.",
        cure: "Link it where its turn is, or take it out.",
        silent: "Something in the set-up is not known, the class is abstract or made elsewhere, or only tests build chains of the kind.",
        accept: "It is there for other programs to link.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let chains = wiring.chains();
    if wiring.is_open {
        return Vec::new();
    }
    // how a link of the kind is known, and where it keeps the next one
    let mut kinds: BTreeMap<(TypeId, Sym), Vec<MemberId>> = BTreeMap::new();
    for built in &chains.built {
        match built.of {
            Of::Next(next) => {
                let next = &wiring.links.next[next];
                // one that wraps another, which can have none behind it, makes no chain
                let can_go_on = |link: &Link| {
                    let is_its = |field: &MemberId| link.class.is_some_and(|c| program.is_a(c, program.member(*field).owner));
                    next.fields.iter().any(is_its)
                };
                if built.links.iter().filter(|l| can_go_on(l)).count() > 1 {
                    kinds.entry((next.base, next.method)).or_default().extend(&next.fields);
                }
            }
            // what a library asks may be named where the tree does not show it
            Of::Pipeline(_) => {}
            // the one type that all links have
            Of::Walk(walk) => {
                if let (Some(base), Some(method)) =
                    (common_base(wiring, built.links.iter().map(|l| l.class)), wiring.links.walks[walk].method)
                {
                    kinds.entry((base, method)).or_default();
                }
            }
        }
    }
    let linked: BTreeSet<TypeId> = chains.built.iter().flat_map(|b| &b.links).filter_map(|l| l.class).collect();
    let mut drafts = Vec::new();
    let mut seen = BTreeSet::new();
    for ((base, method), nexts) in kinds {
        let is_tree = LazyCell::new(|| keeps_its_kind(wiring, base));
        for class in program.heirs(base) {
            let ty = program.ty(class);
            let is_kind = ty.kind == TypeKind::Class && !ty.modifiers.is_abstract && !ty.anonymous && class != base;
            if !is_kind
                || linked.contains(&class)
                || !seen.insert(class)
                || wiring.is_test_type(class)
                || program.find_member(class, method).is_none()
            {
                continue;
            }
            // what can have none behind it is wrapped by others of the kind
            if !nexts.is_empty() && !nexts.iter().any(|next| program.is_a(class, program.member(*next).owner)) {
                continue;
            }
            // what does nothing of its own for a request is called so for another reason
            if !has_own_way(wiring, class, base) {
                continue;
            }
            // what stands for others that are linked is no link itself
            if program.heirs(class).iter().any(|h| *h != class && linked.contains(h)) {
                continue;
            }
            let made = wiring.flow.creations(class);
            let made: Vec<_> = made.into_iter().filter(|s| !wiring.in_test(s.member)).collect();
            // what others are built upon is made with them
            if made.is_empty() && program.heirs(class).iter().any(|h| *h != class && !wiring.flow.creations(*h).is_empty()) {
                continue;
            }
            // the link that is lost says it already
            if made.iter().any(|s| chains.lost.iter().any(|lost| lost.made == *s)) {
                continue;
            }
            // what a function is handed may be wrapped in what it gives back
            if made.iter().any(|s| is_handed_on(wiring, *s)) {
                continue;
            }
            let all_seen = || wiring.runs_whole() && made.iter().all(|s| chains.made.contains(s));
            if !made.is_empty() && !all_seen() {
                continue;
            }
            let is_for_others = || wiring.is_of_library(ty.unit) || *is_tree;
            if made.is_empty() && ty.modifiers.visibility == Visibility::Public && is_for_others() {
                continue;
            }
            let Some(place) = program.type_place(class) else { continue };
            let what = short(&program.type_id(class));
            let said = if made.is_empty() { "and nothing makes one" } else { "and what is made of it is linked to nothing" };
            drafts.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place,
                message: format!("`{what}` is in no chain of `{}`, {said}", short(&program.type_id(base))),
                related: made.iter().take(3).map(|s| related("it is made here", program.place_of(*s))).collect(),
                parties: vec![program.type_id(class)],
                edit: None,
            });
        }
    }
    drafts.extend(functions(wiring));
    drafts.extend(constants::find(wiring));
    drafts.extend(wrappers(wiring));
    drafts.extend(by_type(wiring));
    drafts
}

/// Whether a class, or one between it and the base of its kind, has other code in the place of something that the base has or asks for.
fn has_own_way(wiring: &Wiring<'_>, class: TypeId, base: TypeId) -> bool {
    let program = wiring.program();
    let mut found = false;
    program.for_each_base(class, &mut |t| {
        let replaces = |m: &MemberId| {
            let info = program.member(*m);
            info.kind == MemberKind::Method && program.body(*m).is_some() && program.find_member_as(base, info.name, true).is_some()
        };
        found |= t != base && program.is_a(t, base) && program.ty(t).members.iter().any(replaces);
        !found
    });
    found
}

/// Whether a class keeps others of its kind, which lead up to it: the nodes of a tree, of which some are there to be used elsewhere.
fn keeps_its_kind(wiring: &Wiring<'_>, base: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let element = |m: &MemberId| program.element_type(program.member(*m).unit, &flow.type_held(*m));
    let of_kind = |e: Ty| e.own().is_some_and(|t| program.are_kin(t, base));
    puts_itself_above(wiring, base) || program.ty(base).members.iter().filter_map(element).any(of_kind)
}

/// Whether a method of a class is handed another one of its kind and makes itself what comes behind that: `child.setParent(this)`.
fn puts_itself_above(wiring: &Wiring<'_>, base: TypeId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    program.ty(base).members.iter().any(|m| {
        let Some(body) = program.body(*m) else { return false };
        body.ids().any(|n| match body.node(n) {
            Node::Call { callee, args, .. } => {
                let hands_itself = matches!(body.list(args), [only] if body.node(*only) == Node::This);
                let is_kin = |object: NodeId| {
                    let value = flow.eval_in(*m, object);
                    matches!(value, Val::Param(..)) && flow.type_of(&value).own().is_some_and(|t| program.are_kin(t, base))
                };
                hands_itself && matches!(body.node(callee), Node::Member { object, .. } if is_kin(object))
            }
            _ => false,
        })
    })
}

/// Whether what is made somewhere is an argument of a call there whose answer is used: `audited(routes)`.
fn is_handed_on(wiring: &Wiring<'_>, made: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(made.member) else { return false };
    let (scope, flow) = (program.scope(made.member), &wiring.flow);
    let is_it = |n: NodeId| n == made.node || matches!(body.node(n), Node::Name(_)) && flow.eval_in(made.member, n) == Val::New(made);
    body.ids().any(|n| match body.node(n) {
        Node::Call { args, .. } => {
            let is_used = scope.parent(n).is_some_and(|p| !matches!(body.node(p), Node::Block(_) | Node::Member { .. }));
            is_used && body.list(args).iter().any(|a| is_it(*a))
        }
        _ => false,
    })
}

/// Classes that are written as the links of a pipeline are which names them by their types alone, and that nothing names.
fn by_type(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found: BTreeMap<TypeId, Draft> = BTreeMap::new();
    for built in &wiring.chains().built {
        let Of::Pipeline(at) = built.of else { continue };
        let pipeline = &wiring.links.pipelines[at];
        if pipeline.given() != LinksGiven::TypeArgument {
            continue;
        }
        let goes_on = |link: &Link| -> Option<usize> {
            let code = Code::of(flow, &wiring.links, built.of, link)?;
            let way = behaviour::way_of(flow, &wiring.links, built.of, code)?;
            (!way.goes.is_empty()).then(|| code.params(program).len())
        };
        let Some((sample, class, params)) = built.links.iter().find_map(|l| Some((l, l.class?, goes_on(l)?))) else { continue };
        let language = program.unit(program.ty(class).unit).language;
        for other in program.classes_of(language) {
            let is_kind = pipeline.asked(program, other).is_some() && !found.contains_key(&other) && !is_named(wiring, other);
            if is_kind && goes_on(&Link { class: Some(other), function: None, ..sample.clone() }) == Some(params) {
                let Some(place) = program.type_place(other) else { continue };
                found.insert(other, written_as_link(program.type_id(other), place, program.type_place(class)));
            }
        }
    }
    found.into_values().collect()
}

/// What is said of a class or a function that is written as one that is linked is, and that nothing names.
fn written_as_link(id: String, place: Place, linked: Option<Place>) -> Draft {
    Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place,
        message: format!("`{}` is written as a link, and is in no chain: nothing names it", short(&id)),
        related: linked.map(|place| related("this one is linked", place)).into_iter().collect(),
        parties: vec![id],
        edit: None,
    }
}

/// Whether anything but the class itself may name it.
fn is_named(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let ty = program.ty(class);
    let name = program.text(ty.name);
    let annotated = program.type_decl(class).is_some_and(|d| !d.annotations.is_empty());
    ty.modifiers.is_abstract
        || annotated
        || wiring.is_test_type(class)
        || !wiring.flow.creations(class).is_empty()
        || program.heirs(class).len() > 1
        || !program.index.reads(ty.name).is_empty()
        || program.index.is_text(name, &program.symbols)
        || wiring.is_unread(ty.name)
        || wiring.is_named_in_markup(name)
        // last, since it goes through every file
        || program.is_type_written(ty.name)
}

/// The code of a link that goes the way on, and how many things it is handed; of fewer it may be anything.
fn goes_way_on<'w>(wiring: &'w Wiring<'_>, of: Of, link: &Link) -> Option<(Code<'w>, usize)> {
    let code = Code::of(&wiring.flow, &wiring.links, of, link)?;
    let way = behaviour::way_of(&wiring.flow, &wiring.links, of, code)?;
    let params = code.params(wiring.program()).len();
    (!way.goes.is_empty() && params >= PARAMS).then_some((code, params))
}

/// Functions that are written as the links of a chain are, beside one of them, and that nothing names.
fn functions(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found: BTreeMap<MemberId, Draft> = BTreeMap::new();
    for built in &wiring.chains().built {
        if !wiring.links.hands_way_on(built.of) {
            continue;
        }
        let goes_on = |link: &Link| -> Option<(MemberId, usize)> {
            let (code, params) = goes_way_on(wiring, built.of, link)?;
            // what is written where it is linked says how many things a library hands over
            let is_sample = code.function.is_none() || matches!(built.of, Of::Pipeline(_)) && params > PARAMS;
            is_sample.then_some((code.member, params))
        };
        for (member, params) in built.links.iter().filter_map(goes_on) {
            for other in program.ty(program.member(member).owner).members.iter().copied() {
                if is_nowhere(wiring, other)
                    && program.decl(other).params.len() == params
                    && goes_on(&Link { function: Some(Val::Method(other, None)), ..built.links[0].clone() }).is_some()
                {
                    let linked = Some(program.member_place(member));
                    let draft = || written_as_link(program.member_id(other), program.member_place(other), linked);
                    found.entry(other).or_insert_with(draft);
                }
            }
        }
    }
    found.into_values().collect()
}

/// Functions that wrap the next one, as others beside them do that are linked, and that nothing names.
fn wrappers(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let all = wiring.links.wrappers();
    let is_linked = |member: MemberId| {
        let mut links = wiring.chains().built.iter().flat_map(|b| &b.links);
        links.any(|l| matches!(l.function, Some(Val::Lambda(m, _)) if m == member))
    };
    let linked: Vec<MemberId> = all.iter().map(|w| w.member).filter(|m| is_linked(*m)).collect();
    let idle = all.iter().map(|w| w.member).filter(|m| {
        let info = program.member(*m);
        let beside = linked.iter().any(|l| program.member(*l).owner == info.owner);
        beside
            && matches!(info.kind, MemberKind::Method | MemberKind::Field)
            && !wiring.in_test(*m)
            && !wiring.is_entry_point(*m)
            && program.is_named_nowhere(info.name)
    });
    let idle: BTreeSet<MemberId> = idle.collect();
    let place = linked.first().map(|l| program.member_place(*l));
    idle.into_iter().map(|m| written_as_link(program.member_id(m), program.member_place(m), place.clone())).collect()
}

/// Whether a function of a module, or one that a class has for all, is named by nothing and handed to nobody.
fn is_nowhere(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let info = wiring.program().member(member);
    let is_function = wiring.program().ty(info.owner).is_module || info.is_static;
    info.kind == MemberKind::Method && is_function && is_unnamed(wiring, member)
}

/// Whether nothing in the tree names what a module has for itself.
fn is_unnamed(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(member);
    // what others can name may be there for other programs
    let modifiers = &program.decl(member).modifiers;
    let is_open = modifiers.is_exported || !program.ty(info.owner).is_module && modifiers.visibility == Visibility::Public;
    (!is_open || wiring.runs_whole() && !wiring.is_of_library(info.unit))
        && !wiring.in_test(member)
        && !wiring.is_entry_point(member)
        && program.index.reads(info.name).iter().all(|read| is_part_of_data(wiring, *read) || is_given_a_value(wiring, *read))
        && program.index.calls(info.name).is_empty()
        && !program.index.is_text(program.text(info.name), &program.symbols)
        && !wiring.is_in_markup(member)
}

/// Whether a name stands where what it names is given a value.
fn is_given_a_value(wiring: &Wiring<'_>, name: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(name.member) else { return false };
    let around = program.scope(name.member).parent(name.node).map(|p| body.node(p));
    matches!(around, Some(Node::Assign { target, .. }) if target == name.node)
}

/// Whether a name is that of a part of what a function is given, which is no module: `request.keeper`.
fn is_part_of_data(wiring: &Wiring<'_>, read: Site) -> bool {
    let program = wiring.program();
    let Some(Node::Member { object, .. }) = program.body(read.member).map(|b| b.node(read.node)) else { return false };
    matches!(wiring.flow.eval_in(read.member, object), Val::Param(..))
}

/// The type of the tree that all links have, the first that the first link names.
fn common_base(wiring: &Wiring<'_>, classes: impl Iterator<Item = Option<TypeId>>) -> Option<TypeId> {
    let program = wiring.program();
    let classes: Vec<TypeId> = classes.collect::<Option<Vec<_>>>()?;
    let mut found = None;
    program.for_each_base(*classes.first()?, &mut |t| {
        let is_base = t != classes[0] && classes.iter().all(|c| program.is_a(*c, t));
        if is_base && found.is_none() {
            found = Some(t);
        }
        found.is_none()
    });
    found
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn one_that_no_chain_has() {
        expect(
            "unlinked-handler",
            r#"
//// Check.cs
using System;
using System.Collections.Generic;
interface ICheck { string Look(int draught); }
class Sill : ICheck { public string Look(int draught) => draught > 150 ? "too deep" : null; }
class Beam : ICheck { public string Look(int draught) => draught > 90 ? "too wide" : null; }
class Toll : ICheck { public string Look(int draught) => draught > 20 ? "pays" : null; } //! unlinked-handler warning
class Lock {
    readonly List<ICheck> checks = new() { new Sill(), new Beam() };
    public string Ask(int draught) {
        foreach (var check in checks) {
            var said = check.Look(draught);
            if (said != null) return said;
        }
        return "may pass";
    }
    static void Main() { Console.WriteLine(new Lock().Ask(120)); }
}
"#,
        );
    }

    #[test]
    fn all_are_linked() {
        expect(
            "unlinked-handler",
            r#"
//// checks.ts
interface Check { look(draught: number): string | undefined; }
class Sill implements Check { look(draught: number) { return draught > 150 ? 'too deep' : undefined; } }
class Beam implements Check { look(draught: number) { return draught > 90 ? 'too wide' : undefined; } }
function ask(checks: readonly Check[], draught: number): string {
  for (const check of checks) {
    const said = check.look(draught);
    if (said) return said;
  }
  throw new Error('nobody knows');
}
const all: Check[] = [new Sill(), new Beam()];
console.log(ask(all, 120));
"#,
        );
    }
}
