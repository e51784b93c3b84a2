//! Rule `overrun-value`: values are announced in a row on a channel that keeps only the latest.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, TypeId};
use crate::state::{self, How};
use crate::wire::Wiring;
use crate::wire::effect::{Act, Event};

/// A setter is followed through so many methods that hand on to it.
const DEPTH: u32 = 1;

pub(super) const RULE: Rule = Rule {
    name: "overrun-value",
    summary: "values are announced in a row on a channel that keeps only the latest, so that all but the last are lost",
    level: Level::Note,
    page: Page {
        symptom: "Observers see the last of several values and never the ones before.",
        cause: "The subject keeps one value and tells it later; the next one takes its place before anybody was told.",
        cure: "Let the receivers run in between, queue the values, or announce the last one only.",
        silent: "Something in between lets the receivers run, every value is kept, or observers are told at once.",
        accept: "Only the last value matters.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for (setter, field) in keepers(wiring) {
        let calls = calls_of(wiring, setter, DEPTH);
        drafts.extend(in_a_row(wiring, &calls).into_iter().map(|(first, next)| draft(wiring, field, first, next)));
    }
    drafts.extend(library_slots(wiring));
    drafts
}

/// The calls of a setter, and of the methods of its class that always call it.
fn calls_of(wiring: &Wiring<'_>, setter: MemberId, depth: u32) -> BTreeSet<Site> {
    let program = wiring.program();
    let mut calls: BTreeSet<Site> = wiring.flow.call_sites(setter).iter().copied().collect();
    let class = program.member(setter).owner;
    let hands_on = |site: &Site| always_calls(wiring, class, *site);
    let through: BTreeSet<MemberId> = calls.iter().filter(|s| hands_on(s)).map(|s| s.member).collect();
    if let Some(depth) = depth.checked_sub(1) {
        calls.extend(through.into_iter().flat_map(|m| calls_of(wiring, m, depth)));
    }
    // of those only what is called on an object of the class itself, for which no other stands in
    let is_only = |t: TypeId| {
        let made = program.heirs(t).into_iter().filter(|h| program.ty(*h).kind == TypeKind::Class && !program.ty(*h).modifiers.is_abstract);
        made.into_iter().all(|h| program.is_a(h, class))
    };
    calls.retain(|call| {
        let of = wiring.flow.receiver(*call).and_then(|(object, _)| wiring.flow.type_of(&object).own());
        of.is_none_or(|t| program.is_a(t, class) || is_only(t))
    });
    calls
}

/// Whether a call stands in a method of a class, each run of which comes to it.
fn always_calls(wiring: &Wiring<'_>, class: TypeId, site: Site) -> bool {
    let program = wiring.program();
    let info = program.member(site.member);
    let always = program.body(site.member).zip(program.body(site.member).and_then(|b| b.root));
    info.owner == class
        && info.kind == MemberKind::Method
        && always.is_some_and(|(body, root)| state::runs_always(body, program.scope(site.member), site.node, root))
}

/// Methods that put their argument into the one field that observers are told of later.
fn keepers(wiring: &Wiring<'_>) -> BTreeMap<MemberId, MemberId> {
    let program = wiring.program();
    let mut found = BTreeMap::new();
    let raises = raises_by_class(wiring);
    for field in wiring.written_fields() {
        let mut sites: Vec<Site> = Vec::new();
        program.for_each_base(program.member(field).owner, &mut |base| {
            sites.extend(raises.get(&base).into_iter().flatten().copied());
            true
        });
        if sites.is_empty() || wiring.is_list(field) {
            continue;
        }
        for write in wiring.writes(field).iter().filter(|w| !w.initial && matches!(w.object, Val::This(_))) {
            let How::Set(value) = write.how else { continue };
            let member = write.site.member;
            let Some(body) = program.body(member) else { continue };
            let scope = program.scope(member);
            let is_argument =
                |n: NodeId| matches!(body.node(n), Node::Name(name) if matches!(scope.lookup(name, n), Some(Declared::Param(None, _))));
            let takes = scope.function_around(body, write.site.node).is_none() && state::any_within(body, value, &is_argument);
            let at_once = wiring.tellings(member).iter().any(|(node, _)| program.runs_in(Site { member, node: *node }).is_none());
            if takes && !at_once && told_later(wiring, field, member, &sites) {
                found.insert(member, field);
            }
        }
    }
    found
}

/// The raises of what objects of a class hold, by the class that declares it.
fn raises_by_class(wiring: &Wiring<'_>) -> BTreeMap<TypeId, Vec<Site>> {
    let mut found: BTreeMap<TypeId, Vec<Site>> = BTreeMap::new();
    for effect in wiring.effects.iter().filter(|e| e.act == Act::Raise && e.inner.is_empty()) {
        if let Event::Own(m) = effect.holder.event {
            found.entry(wiring.program().member(m).owner).or_default().push(effect.site);
        }
    }
    found
}

/// Whether other code of the class than what a setter runs at once tells observers what a field holds.
fn told_later(wiring: &Wiring<'_>, field: MemberId, setter: MemberId, raises: &[Site]) -> bool {
    let program = wiring.program();
    let class = program.member(field).owner;
    raises.iter().copied().any(|site| {
        let Some(body) = program.body(site.member) else { return false };
        let scope = program.scope(site.member);
        let own = program.is_a(program.member(site.member).owner, class);
        let function = scope.function_around(body, site.node);
        let names = |n: NodeId| {
            matches!(body.node(n), Node::Name(_) | Node::Member { .. })
                && scope.function_around(body, n) == function
                && matches!(wiring.flow.eval_in(site.member, n), Val::Member(_, m) if m == field)
        };
        // it is the value that is handed over, directly or by a local
        let told = |args: &[NodeId]| args.iter().any(|a| state::any_within(body, *a, &names) || comes_from(body, scope, *a, &names));
        let is_told = matches!(body.node(site.node), Node::Call { args, .. } if told(body.list(args)));
        let later = site.member != setter || program.runs_in(site).is_some();
        own && later && is_told && (site.member == setter || runs_apart(wiring, site.member, setter))
    })
}

/// Whether an argument is, or is made of, a local whose first value names something.
fn comes_from(body: &yarrowgraph_ir::Body, scope: &crate::program::Scope, arg: NodeId, names: &dyn Fn(NodeId) -> bool) -> bool {
    let is_it = |n: NodeId| {
        let Node::Name(name) = body.node(n) else { return false };
        match scope.lookup(name, n) {
            Some(Declared::Local(local)) => match body.node(local) {
                Node::Local { init: Some(init), .. } => state::any_within(body, init, names),
                _ => false,
            },
            _ => false,
        }
    };
    state::any_within(body, arg, &is_it)
}

/// Whether a method is run by others or by a scheduler, not by the setter itself.
fn runs_apart(wiring: &Wiring<'_>, teller: MemberId, setter: MemberId) -> bool {
    let program = wiring.program();
    let callers = wiring.flow.callers((teller, None));
    let called_by_setter = callers.iter().any(|(site, _)| site.member == setter && in_own_code(wiring, *site));
    let handed_over = program
        .body(setter)
        .is_some_and(|body| body.ids().any(|n| matches!(wiring.flow.eval_in(setter, n), Val::Method(m, _) if m == teller)));
    !called_by_setter && (handed_over || !callers.is_empty())
}

fn in_own_code(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    program.body(site.member).is_some() && program.runs_in(site).is_none()
}

/// Pairs of calls on the same object that stand one right behind the other.
fn in_a_row(wiring: &Wiring<'_>, calls: &BTreeSet<Site>) -> Vec<(Site, Site)> {
    let program = wiring.program();
    let mut found = Vec::new();
    let members: BTreeSet<MemberId> = calls.iter().map(|s| s.member).filter(|m| !wiring.in_test(*m)).collect();
    for member in members {
        let Some(body) = program.body(member) else { continue };
        for block in body.ids() {
            let Node::Block(list) = body.node(block) else { continue };
            let statements = body.list(list);
            let mut open: Option<NodeId> = None;
            let mut run_reported = false;
            for statement in statements {
                let site = Site { member, node: *statement };
                if calls.contains(&site) {
                    match open {
                        Some(first) if same_object(wiring, member, first, *statement) => {
                            if !run_reported {
                                found.push((Site { member, node: first }, site));
                            }
                            run_reported = true;
                        }
                        _ => (open, run_reported) = (Some(*statement), false),
                    }
                } else if runs_others(body, *statement) {
                    (open, run_reported) = (None, false);
                }
            }
        }
    }
    found
}

/// Whether a statement may let receivers run: it waits, or calls anything.
fn runs_others(body: &yarrowgraph_ir::Body, statement: NodeId) -> bool {
    let runs = |n: NodeId| {
        matches!(
            body.node(n),
            Node::Call { .. } | Node::Yield(_) | Node::Unary { op: UnaryOp::Await, .. } | Node::New { .. } | Node::Return(_)
        )
    };
    state::any_within(body, statement, &runs)
}

fn same_object(wiring: &Wiring<'_>, member: MemberId, a: NodeId, b: NodeId) -> bool {
    let of = |node| wiring.flow.receiver(Site { member, node }).map(|(object, _)| object);
    of(a).is_some() && of(a) == of(b)
}

/// Slots of a library that are made to drop what was not taken out yet.
fn library_slots(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut by_field: BTreeMap<MemberId, BTreeSet<Site>> = BTreeMap::new();
    let names: BTreeSet<_> = program.packs().flat_map(|p| p.slot_writers.iter()).filter_map(|n| program.symbols.get(n)).collect();
    for site in names.into_iter().flat_map(|name| program.index.calls(name)) {
        let Some((object, _)) = wiring.flow.receiver(*site) else { continue };
        let field = match &object {
            Val::Outside(of, _) => match **of {
                Val::Member(_, m) | Val::Static(m) => m,
                _ => continue,
            },
            Val::Member(_, m) | Val::Static(m) => *m,
            _ => continue,
        };
        if drops_the_older(wiring, field) {
            let calls = by_field.entry(field).or_default();
            calls.insert(*site);
            if always_calls(wiring, program.member(field).owner, *site) {
                calls.extend(calls_of(wiring, site.member, DEPTH));
            }
        }
    }
    let rows = by_field.into_iter().flat_map(|(field, calls)| in_a_row(wiring, &calls).into_iter().map(move |(a, b)| (field, a, b)));
    rows.map(|(field, first, next)| draft(wiring, field, first, next)).collect()
}

/// Whether what a field is given says that it holds one value and drops the older.
fn drops_the_older(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    wiring.flow.definitions(field).iter().any(|d| {
        let Some(body) = program.body(d.member) else { return false };
        let pack = &*program.kit_of(d.member).pack;
        let text = |name| program.unit_of(d.member).text(name);
        let drops = |n: NodeId| matches!(body.node(n), Node::Member { name, .. } | Node::Name(name) if pack.conflates.contains(text(name)));
        let holds_one = |n: NodeId| matches!(body.node(n), Node::Num(name) if text(name) == "1");
        state::any_within(body, d.node, &drops) && state::any_within(body, d.node, &holds_one)
    })
}

fn draft(wiring: &Wiring<'_>, field: MemberId, first: Site, next: Site) -> Draft {
    let program = wiring.program();
    let what = program.member_id(field);
    Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, first),
        message: format!("`{}` keeps one value, and the next one takes its place before anybody is told", short(&what)),
        related: vec![related("the next value", program.place_of(next)), related("what keeps it", program.member_place(field))],
        parties: vec![what, program.member_id(first.member)],
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn the_next_one_takes_its_place() {
        expect(
            "overrun-value",
            r#"
//// slate.ts
type Reader = (text: string) => void;
export class Slate {
  private readonly readers: Reader[] = [];
  private text = '';
  private due = false;
  read(reader: Reader): () => void { this.readers.push(reader); return () => this.readers.splice(this.readers.indexOf(reader) >>> 0, 1); }
  write(text: string): void {
    this.text = text;
    if (this.due) return;
    this.due = true;
    queueMicrotask(() => { this.due = false; for (const reader of [...this.readers]) reader(this.text); });
  }
}
export class Bell {
  private readonly ears: Reader[] = [];
  hear(ear: Reader): () => void { this.ears.push(ear); return () => this.ears.splice(this.ears.indexOf(ear) >>> 0, 1); }
  ring(text: string): void { for (const ear of [...this.ears]) ear(text); }
}
export async function day(slate: Slate, bell: Bell): Promise<void> {
  slate.write('bread at six'); //! overrun-value note
  slate.write('rolls at seven');
  await new Promise((done) => setTimeout(done, 1));
  slate.write('closed');
  bell.ring('six');
  bell.ring('seven');
}
"#,
        );
    }
}
