//! Rule `no-way-out`: a subject lets observers in and offers no way to leave.

use std::collections::BTreeMap;

use yarrowgraph_ir::{MemberKind, Node, Visibility};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

use super::{Draft, Page, Rule, leaked_subscription, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Act, Effect};

pub(super) const RULE: Rule = Rule {
    name: "no-way-out",
    summary: "a subject lets observers in and offers no way to leave",
    level: Level::Note,
    page: Page {
        symptom: "Whoever subscribes once is told for ever; a subscriber that has ended has no way to stop it.",
        cause: "The subject has a method that puts an observer on its list, and none that takes it off; nor does the method give back a handle.",
        cure: "Offer a method that takes the observer off, or give back a handle that does.",
        silent: "The list holds weakly, is emptied somewhere, or is handed out; there is room for one only, which the next one takes; the subject is of the kind that it holds, and made of its parts.",
        accept: "All subscribers live as long as the subject.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    // topics of one bus have one way in
    let mut by_holder: BTreeMap<MemberId, Vec<&Channel>> = BTreeMap::new();
    for channel in &wiring.channels {
        if let ChannelKey::Own(m, _) = channel.key {
            by_holder.entry(m).or_default().push(channel);
        }
    }
    by_holder.into_iter().filter_map(|(m, channels)| judge(wiring, m, &channels)).collect()
}

fn judge(wiring: &Wiring<'_>, m: MemberId, channels: &[&Channel]) -> Option<Draft> {
    let program = wiring.program();
    let info = program.member(m);
    let first = channels.first()?;
    // what anybody reaches can be changed past all methods, where a language can hide it
    let is_public = program.decl(m).modifiers.visibility == Visibility::Public && !program.kit(info.unit).traits.public_by_default;
    let reachable = is_public || program.decl(m).modifiers.visibility > Visibility::Protected && first.kind != ChannelKind::List;
    // what holds others of its kind is made of them
    let is_whole = || wiring.flow.element_held(m).own().is_some_and(|part| program.is_a(info.owner, part));
    if first.kind == ChannelKind::Event || reachable || wiring.in_test(m) || program.unit(info.unit).generated || is_whole() {
        return None;
    }
    let is_left = |e: &Effect| matches!(e.act, Act::Leave | Act::LeaveAll);
    let joins: Vec<usize> = channels.iter().flat_map(|c| c.joins.iter().copied()).collect();
    let effects = || joins.iter().map(|j| &wiring.effects[*j]);
    if wiring.effects_on(m).any(is_left) || effects().any(|e| e.weak || e.handle || e.once || e.replaces || e.bounded) {
        return None;
    }
    // links that are asked one by one are no observers
    let raises = || channels.iter().flat_map(|c| &c.raises).map(|r| &wiring.effects[*r]);
    if raises().any(|r| r.stops || r.result_used || r.takes_out) {
        return None;
    }
    // the way in: a method of the subject that puts in what it is handed
    let is_way_in = |e: &&Effect| {
        let within = program.member(e.site.member);
        let own = program.are_kin(within.owner, info.owner);
        let handed = matches!(e.handler, Some(Val::Param(member, None, _)) if member == e.site.member);
        let offered = program.decl(e.site.member).modifiers.visibility > Visibility::Private;
        let put_in = e.act == Act::Join && e.inner.is_empty();
        put_in && own && handed && offered && within.kind == MemberKind::Method
    };
    let mut ways_in = wiring.effects_on(m).filter(is_way_in).map(|e| e.site.member);
    let way_in = ways_in.next()?;
    let from_outside = effects().any(|e| !e.inner.is_empty() && !wiring.in_test(e.site.member));
    if !from_outside || gives_something(wiring, way_in) || is_touched_otherwise(wiring, m, way_in) {
        return None;
    }
    let leaks: Vec<usize> = channels
        .iter()
        .flat_map(|c| c.joins.iter().map(move |j| (*c, *j)))
        .filter(|(c, j)| {
            leaked_subscription::judge(wiring, c, *j).is_some_and(|d| d.level > Level::Note && d.certainty > Certainty::Possible)
        })
        .map(|(_, j)| j)
        .collect();
    let what = short(&program.member_id(m));
    let id = program.member_id(way_in);
    let mut places = vec![related(format!("`{what}` is held here"), program.member_place(m))];
    places.extend(leaks.first().map(|j| related("this is leaked through it", wiring.place(&wiring.effects[*j]))));
    Some(Draft {
        level: if leaks.is_empty() { Level::Note } else { Level::Warning },
        certainty: Certainty::Likely,
        place: program.member_place(way_in),
        message: format!("`{}` lets observers in, and nothing lets them out again", short(&id)),
        related: places,
        parties: vec![id, what],
        edit: None,
    })
}

/// Whether a way in gives something back, which may be the way out.
fn gives_something(wiring: &Wiring<'_>, way_in: MemberId) -> bool {
    let Some(body) = wiring.program().body(way_in) else { return true };
    body.ids().any(|n| match body.node(n) {
        Node::Return(Some(value)) => !matches!(body.node(value), Node::This),
        _ => false,
    })
}

/// Whether the roster is written anew, or handed to somebody, apart from its way in and its deliveries.
fn is_touched_otherwise(wiring: &Wiring<'_>, m: MemberId, way_in: MemberId) -> bool {
    let program = wiring.program();
    let rewritten = wiring.flow.definitions(m).iter().filter(|d| {
        let within = program.member(d.member);
        d.member != m && within.kind != MemberKind::Constructor && d.member != way_in
    });
    if rewritten.count() > 0 {
        return true;
    }
    let effects = wiring.numbers_on(m);
    let name = program.member(m).name;
    let reads = program.index.reads(name).iter();
    wiring.uses_beside(m, reads, effects.iter()).any(|read| is_handed_on(wiring, read))
}

/// Whether a read of the roster is returned, stored, or an argument.
fn is_handed_on(wiring: &Wiring<'_>, read: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(read.member) else { return true };
    let copies = |name| program.kit_of(read.member).pack.copies.contains(program.unit_of(read.member).text(name));
    match program.scope(read.member).parent(read.node).map(|p| body.node(p)) {
        Some(Node::Return(_)) => true,
        // where it is made it is written
        Some(Node::Assign { value, .. }) => value == read.node,
        // a copy is made to be walked
        Some(Node::Call { callee, .. }) => callee != read.node && !matches!(body.node(callee), Node::Member { name, .. } if copies(name)),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_roster_that_only_grows() {
        expect(
            "no-way-out",
            r#"
//// tide.ts
export class Tide {
  private watchers: ((cm: number) => void)[] = [];
  watch(w: (cm: number) => void): void { //! no-way-out note
    this.watchers.push(w);
  }
  turn(cm: number) { for (const w of this.watchers) w(cm); }
}
export class Staff {
  private readers: ((cm: number) => void)[] = [];
  read(r: (cm: number) => void): () => void {
    this.readers.push(r);
    return () => { this.readers = this.readers.filter((x) => x !== r); };
  }
  rise(cm: number) { for (const r of this.readers) r(cm); }
}
export class Bell {
  private ears: ((n: number) => void)[] = [];
  hear(e: (n: number) => void) { this.ears.push(e); }
  leave(e: (n: number) => void) { this.ears.splice(this.ears.indexOf(e), 1); }
  ring(n: number) { for (const e of this.ears) e(n); }
}
const tide = new Tide(); const staff = new Staff(); const bell = new Bell();
tide.watch((cm) => console.log(cm)); staff.read((cm) => console.log(cm)); bell.hear((n) => console.log(n));
tide.turn(1); staff.rise(2); bell.ring(3);
"#,
        );
    }
}
