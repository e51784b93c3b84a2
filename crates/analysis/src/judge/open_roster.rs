//! Rule `open-roster`: a roster, a queue or a machine's state can be changed past its ways in and out.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind, TypeRef, Visibility};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::state::{self, How, Write};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Act, Event};

pub(super) const RULE: Rule = Rule {
    name: "open-roster",
    summary: "a roster, a queue of work or a machine's state is handed out so that anybody can change it",
    level: Level::Note,
    page: Page {
        symptom: "Observers are gone, doubled, or told in another order, and none of the ways in and out was called.",
        cause: "The list itself is public or is handed out uncopied, so that others can put in, take out and clear.",
        cure: "Make the member private and hand out a copy or a read-only view.",
        silent: "What is handed out is a copy, is typed read-only, or cannot be changed.",
        accept: "Those who get it are part of the same implementation.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts: Vec<Draft> = rosters(wiring).into_iter().flat_map(|(m, what)| of_roster(wiring, m, what)).collect();
    for field in wiring.written_fields() {
        if is_machine(wiring, field) && is_public(wiring, field) && !is_fixed(wiring, field) {
            drafts.push(draft(wiring, field, field, "the state of the machine is a public member that anybody can set"));
        }
    }
    drafts
}

/// The collections whose elements are told or run, with what they are called.
fn rosters(wiring: &Wiring<'_>) -> BTreeMap<MemberId, &'static str> {
    let mut found: BTreeMap<MemberId, &'static str> = wiring.rosters().into_iter().map(|m| (m, "the roster")).collect();
    let filled: BTreeSet<MemberId> = of(wiring, Act::Join).map(|(m, _)| m).collect();
    for m in filled {
        if wiring.is_list(m) && is_of_channels(wiring, m) {
            found.entry(m).or_insert("the roster");
        } else if wiring.is_list(m) && is_queue_of_work(wiring, m) {
            found.entry(m).or_insert("the queue");
        }
    }
    found
}

/// Whether a collection is the roster of a class whose objects are channels, of which one is heard and raised.
fn is_of_channels(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let class = program.member(m).owner;
    let is_one = |c: &Channel| match c.key {
        ChannelKey::Own(held, _) => {
            !c.joins.is_empty() && !c.raises.is_empty() && held != m && wiring.flow.type_held(held).own() == Some(class)
        }
        _ => false,
    };
    wiring.signals.tells(program, m) && wiring.channels.iter().any(is_one)
}

/// Whether what is taken out of a collection is run: functions, or objects of an abstract class or interface.
fn is_queue_of_work(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let unit = program.member(m).unit;
    let Some(element) = program.element_type(unit, &wiring.flow.type_held(m)) else { return false };
    let is_abstract = |t| program.ty(t).kind == TypeKind::Interface || program.ty(t).modifiers.is_abstract;
    if !program.is_callable(unit, &element) && !element.own().is_some_and(is_abstract) {
        return false;
    }
    let own = wiring.effects_on(m).filter(|e| !wiring.in_test(e.site.member));
    own.filter(|e| e.inner.is_empty()).any(|e| {
        e.takes_out && e.act == Act::Raise
            || e.act == Act::Leave && (runs_what_it_gives(wiring, e.site) || (e.takes_out && told_beside(wiring, m, e.site)))
    })
}

/// `waiting.remove(0).run()`
fn runs_what_it_gives(wiring: &Wiring<'_>, taken: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(taken.member) else { return false };
    let scope = program.scope(taken.member);
    let is_object = |p: &NodeId| matches!(body.node(*p), Node::Member { object, .. } if object == taken.node);
    let called = |p: NodeId| scope.parent(p).is_some_and(|c| matches!(body.node(c), Node::Call { callee, .. } if callee == p));
    scope.parent(taken.node).filter(is_object).is_some_and(called)
}

/// Whether elements are told something in the method that takes them out.
fn told_beside(wiring: &Wiring<'_>, m: MemberId, taken: Site) -> bool {
    let told = wiring.effects_on(m).filter(|e| e.act == Act::Raise && !wiring.in_test(e.site.member));
    told.map(|e| e.innermost()).any(|site| site.member == taken.member)
}

fn of<'w>(wiring: &'w Wiring<'_>, act: Act) -> impl Iterator<Item = (MemberId, Site)> + 'w {
    let own = wiring.effects.iter().filter(move |e| e.act == act && !wiring.in_test(e.site.member));
    own.filter_map(|e| match e.holder.event {
        Event::Own(m) => Some((m, e.innermost())),
        _ => None,
    })
}

fn of_roster(wiring: &Wiring<'_>, m: MemberId, what: &str) -> Vec<Draft> {
    let program = wiring.program();
    let owner = program.member(m).owner;
    if is_public(wiring, m) && !is_read_only(wiring, m) && !program.ty(owner).is_module && !is_the_way_in(wiring, m) {
        return vec![draft(wiring, m, m, &format!("{what} itself is a public member"))];
    }
    // getters that hand it out as it is
    let own = program.ty(owner).members.iter().copied();
    let hands_out = own.filter(|g| {
        let kind = program.member(*g).kind;
        let reaches = program.decl(*g).modifiers.visibility >= Visibility::Internal;
        matches!(kind, MemberKind::Method | MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get))
            && reaches
            && !program.member(*g).is_static
            && !is_read_only(wiring, *g)
            && !is_copied(wiring, *g)
            && gives(wiring, *g, m)
    });
    hands_out.map(|g| draft(wiring, g, m, &format!("hands out {what} itself, which others can change"))).collect()
}

/// Whether a collection is itself the way in: its class has none, and others put there who is told.
fn is_the_way_in(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.member(m).owner;
    let mut ways =
        wiring.effects_on(m).filter(|e| matches!(e.act, Act::Join | Act::Leave)).map(|e| program.member(e.innermost().member).owner);
    ways.all(|by| by != owner)
}

/// Whether others can reach a member; where a language has no private, whether they do and change it.
fn is_public(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    if program.kit_of(m).traits.duck_typed {
        let owner = program.member(m).owner;
        let is_outside = |w: &&Write| {
            !matches!(w.object, Val::This(_)) && !program.is_a(program.member(w.site.member).owner, owner) && !wiring.in_test(w.site.member)
        };
        return wiring.writes(m).iter().any(|w| is_outside(&w));
    }
    program.decl(m).modifiers.visibility == Visibility::Public
}

/// Whether a member cannot be given another value.
fn is_fixed(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let hidden_setter = program.own_members(info.owner, info.name).iter().any(|a| {
        program.member(*a).kind == MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Set)
            && program.decl(*a).modifiers.visibility < Visibility::Public
    });
    program.decl(m).modifiers.is_readonly || hidden_setter
}

/// Whether the written type of a member lets nobody change what it gives.
fn is_read_only(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let ty = program.declared_type(m);
    let pack = &*program.kit_of(m).pack;
    let by_type =
        program.type_name(&ty).is_some_and(|name| pack.read_only_types.contains(name) || pack.snapshot_collections.contains(name));
    // of a method it is said of its result
    let by_word = program.kit_of(m).traits.references_dangle && program.decl(m).modifiers.is_readonly;
    by_type && !matches!(program.type_name(&ty), Some("Set" | "Map" | "ConcurrentBag" | "ConcurrentDictionary" | "ConcurrentQueue"))
        || by_word
}

/// Whether a result is given by value, where collections are values.
fn is_copied(wiring: &Wiring<'_>, getter: MemberId) -> bool {
    let program = wiring.program();
    let by_value = |ty| !matches!(program.unit_of(getter).type_ref(ty), TypeRef::Indirect(_));
    program.kit_of(getter).traits.references_dangle && program.decl(getter).ty.is_none_or(by_value)
}

/// Whether all that a member does is to give a collection, as it is.
fn gives(wiring: &Wiring<'_>, getter: MemberId, m: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(getter) else { return false };
    let Some(root) = body.root else { return false };
    let only = match body.node(root) {
        Node::Block(list) => match *body.list(list) {
            [only] => match body.node(only) {
                Node::Return(Some(value)) => value,
                _ => return false,
            },
            _ => return false,
        },
        _ if body.returns_root => root,
        _ => return false,
    };
    matches!(body.node(only), Node::Name(_) | Node::Member { .. })
        && matches!(wiring.flow.eval_in(getter, only), Val::Member(of, x) if x == m && matches!(*of, Val::This(_)))
}

/// Whether a field is the state of a machine: its class computes the next value from the present one, by asking it.
fn is_machine(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(field);
    if info.is_static || !matches!(info.kind, MemberKind::Field | MemberKind::Property) || program.ty(info.owner).is_module {
        return false;
    }
    let moves = wiring.writes(field).iter().filter(|w| matches!(w.object, Val::This(_)) && !w.initial);
    let held = wiring.flow.type_held(field);
    let is_abstract = |t| program.ty(t).kind == TypeKind::Interface || program.ty(t).modifiers.is_abstract;
    moves.into_iter().any(|w| {
        let How::Set(value) = w.how else { return false };
        let Some(body) = program.body(w.site.member) else { return false };
        let is_it = |n: NodeId| {
            matches!(body.node(n), Node::Name(_) | Node::Member { .. })
                && matches!(wiring.flow.eval_in(w.site.member, n), Val::Member(_, m) if m == field)
        };
        // it is asked what comes next, or chosen from
        let asks = |n: NodeId| match body.node(n) {
            Node::Call { callee, .. } => {
                matches!(body.node(callee), Node::Member { object, .. } if is_it(object)) && held.own().is_some_and(is_abstract)
            }
            Node::Switch { subject: Some(subject), .. } => is_it(subject),
            _ => false,
        };
        state::any_within(body, value, &asks)
    })
}

fn draft(wiring: &Wiring<'_>, at: MemberId, what: MemberId, why: &str) -> Draft {
    let program = wiring.program();
    let id = program.member_id(at);
    let changes = wiring.writes(what).iter().filter(|w| !w.initial).take(3);
    Draft {
        level: Level::Note,
        certainty: Certainty::Certain,
        place: program.member_place(at),
        message: format!("`{}`: {why}", short(&id)),
        related: changes.map(|w| related("it is changed here", program.place_of(w.site))).collect(),
        parties: vec![id],
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn handed_out_as_it_is() {
        expect(
            "open-roster",
            r#"
//// staff.ts
export interface Reader { read(cm: number): void; }
export class Staff {
  private readonly readers: Reader[] = [];
  get all(): Reader[] { return this.readers; } //! open-roster note
  get seen(): readonly Reader[] { return this.readers; }
  copy(): Reader[] { return [...this.readers]; }
  join(reader: Reader): void { this.readers.push(reader); }
  leave(reader: Reader): void { const at = this.readers.indexOf(reader); if (at >= 0) this.readers.splice(at, 1); }
  rise(cm: number): void { for (const reader of [...this.readers]) reader.read(cm); }
}
//// Jobs.java
import java.util.*;
class Jobs {
    public final List<Runnable> waiting = new ArrayList<>(); //! open-roster note
    private final List<Runnable> later = new ArrayList<>();
    void defer(Runnable job) { later.add(job); }
    void add(Runnable job) { waiting.add(job); }
    void work() {
        while (!waiting.isEmpty()) waiting.remove(0).run();
        while (!later.isEmpty()) later.remove(0).run();
    }
}
//// yard.h
#include <functional>
#include <vector>
class Yard {
public:
    void join(std::function<void()> fn) { fns_.push_back(fn); }
    void ring() { for (const auto& fn : fns_) fn(); }
    const std::vector<std::function<void()>>& seen() const { return fns_; }
    std::vector<std::function<void()>> copied() { return fns_; }
    std::vector<std::function<void()>>& all() { return fns_; } //! open-roster note
private:
    std::vector<std::function<void()>> fns_;
};
"#,
        );
    }

    #[test]
    fn the_state_of_a_machine() {
        expect(
            "open-roster",
            r#"
//// Loaf.java
enum Stage { DOUGH, RISEN, BAKED }
class Loaf {
    public Stage stage = Stage.DOUGH; //! open-roster note
    private Stage shown = Stage.DOUGH;
    public String name = "rye";
    void advance() { stage = switch (stage) { case DOUGH -> Stage.RISEN; default -> Stage.BAKED; }; }
    void show() { shown = switch (shown) { case DOUGH -> Stage.RISEN; default -> Stage.BAKED; }; }
    void rename(String to) { name = to; }
}
"#,
        );
    }

    #[test]
    fn parts_that_are_only_asked_are_no_roster() {
        expect(
            "open-roster",
            r#"
//// beds.ts
export interface Bed { isDry(): boolean; }
export class Row implements Bed {
  readonly beds: Bed[] = [];
  add(bed: Bed): void { this.beds.push(bed); }
  remove(bed: Bed): void {
    const at = this.beds.indexOf(bed);
    if (at >= 0) this.beds.splice(at, 1);
  }
  isDry(): boolean {
    for (const bed of this.beds) {
      if (!bed.isDry()) return false;
    }
    return true;
  }
}
"#,
        );
    }
}
