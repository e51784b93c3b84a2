//! Rule `stale-copy`: a long-lived object copies a state once that its subject announces, and does not listen.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::state::{self, How, Write};
use crate::wire::Wiring;

/// So many other types must listen before one that does not is a slip.
const PEERS: usize = 2;

pub(super) const RULE: Rule = Rule {
    name: "stale-copy",
    summary: "a long-lived object copies a state once that its subject announces, and does not listen as its peers do",
    level: Level::Note,
    page: Page {
        symptom: "An object decides by, or shows, what was true when it was made.",
        cause: "It copies the state of its subject into a field, once, while others subscribe to the channel that announces it.",
        cure: "Subscribe as the others do, or ask the subject each time.",
        silent: "The copy is used at once and not kept, is refreshed somewhere, or the object listens to the channel too or writes the state back, as an editor does.",
        accept: "The value of that moment is what is meant.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for field in wiring.written_fields() {
        let given: Vec<&Write> = wiring.writes(field).iter().filter(|w| !wiring.in_test(w.site.member)).collect();
        if let [only] = given[..]
            && let How::Set(value) = only.how
            && matches!(only.object, Val::This(_))
            && !is_refreshed(wiring, only.site.member)
        {
            drafts.extend(judge(wiring, field, only, value));
        }
    }
    drafts
}

/// Whether a method runs again and again, and copies anew each time.
fn is_refreshed(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let name = program.text(program.member(member).name);
    program.kit_of(member).pack.recurring_hooks.contains(name) || wiring.rounds().iter().any(|r| r.root.member == member)
}

fn judge(wiring: &Wiring<'_>, field: MemberId, write: &Write, value: NodeId) -> Option<Draft> {
    let program = wiring.program();
    let member = write.site.member;
    let body = program.body(member)?;
    let scope = program.scope(member);
    let reader = program.member(field).owner;
    let within = scope.within(value);
    let (node, read) = within.filter(|n| scope.function_around(body, *n).is_none()).find_map(|node| {
        wiring
            .read(Site { member, node })
            .map(|read| (node, read))
            .filter(|(_, r)| is_anothers_state(wiring, field, Site { member, node }, r))
    })?;
    let channel = wiring.announced_on(read.field).iter().copied().find(|c| wiring.listeners_beside(*c, reader).len() >= PEERS)?;
    let listens =
        |c: usize| wiring.channels[c].joins.iter().any(|j| wiring.listening_class(*j).is_some_and(|t| program.are_kin(t, reader)));
    if wiring.channels_of(program.member(read.field).owner).into_iter().any(listens) || writes_back(wiring, reader, read.field) {
        return None;
    }
    let copy = format!("{}.{}", program.type_id(reader), program.text(program.member(field).name));
    let name = short(&wiring.channels[channel].id);
    let state = format!("{}.{}", program.type_id(program.member(read.field).owner), program.text(program.member(read.field).name));
    let peers: BTreeSet<String> =
        wiring.listeners_beside(channel, reader).into_iter().map(|t| format!("`{}`", short(&program.type_id(t)))).collect();
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: crate::wire::operation_place(program, Site { member, node }),
        message: format!(
            "`{}` keeps what `{}` was at one moment; {} listen to `{name}`, which announces its changes",
            short(&copy),
            short(&state),
            peers.into_iter().take(3).collect::<Vec<_>>().join(" and "),
        ),
        related: wiring.channels[channel]
            .joins
            .iter()
            .take(3)
            .map(|j| related("this one listens", wiring.place(&wiring.effects[*j])))
            .collect(),
        parties: vec![copy, state],
        edit: None,
    })
}

/// Whether a class gives the state a value as well, by itself or by what it calls: an editor, which is to show what was there when it
/// was opened.
fn writes_back(wiring: &Wiring<'_>, class: TypeId, state: MemberId) -> bool {
    let program = wiring.program();
    let is_of_class = |member: MemberId| program.is_a(class, program.member(member).owner);
    let mut writers = wiring.writes(state).iter().filter(|w| !w.initial).map(|w| w.site.member);
    writers.any(|w| is_of_class(w) || wiring.flow.call_sites(w).iter().any(|call| is_of_class(call.member)))
}

/// Whether a field's name says that it remembers a moment on purpose.
fn is_memory(name: &str) -> bool {
    let name = name.to_lowercase();
    ["old", "last", "prev", "saved", "start", "initial", "orig", "before", "first", "snapshot"].iter().any(|word| name.contains(word))
}

/// Whether a read is one of plain data of an object of another class.
fn is_anothers_state(wiring: &Wiring<'_>, copy: MemberId, site: Site, read: &state::Read) -> bool {
    // of a collection its size, not itself
    let gives_it = matches!(wiring.flow.eval(site), Val::Member(_, m) if m == read.field);
    let program = wiring.program();
    let (own, of) = (program.member(copy).owner, program.member(read.field).owner);
    !matches!(read.object, Val::This(_))
        && read.field != copy
        && (wiring.holds_data(read.field) || (!gives_it && wiring.is_list(read.field)) || is_part(wiring, site))
        && !is_memory(program.text(program.member(copy).name))
        && !program.is_a(own, of)
        && matches!(program.member(read.field).kind, MemberKind::Field | MemberKind::Property)
        && wiring.writes(read.field).iter().any(|w| !w.initial)
        && !wiring.channels.iter().any(|c| matches!(c.key, crate::wire::channels::ChannelKey::Own(m, _) if m == read.field))
}

/// Whether of an object that is read only a part is taken, and that is plain data.
fn is_part(wiring: &Wiring<'_>, read: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(read.member) else { return false };
    let scope = program.scope(read.member);
    let Some(part) = scope.parent(read.node) else { return false };
    let Node::Member { object, name, .. } = body.node(part) else { return false };
    let is_called = scope.parent(part).is_some_and(|p| matches!(body.node(p), Node::Call { callee, .. } if callee == part));
    let holds = |class: TypeId| {
        let member = program.find_member(class, program.sym_in(read.member, name));
        member.is_some_and(|m| matches!(program.member(m).kind, MemberKind::Field | MemberKind::Property) && wiring.holds_data(m))
    };
    // what does something by itself is no state as a whole
    let is_record = |class: &TypeId| !program.has_code(*class);
    object == read.node && !is_called && wiring.flow.type_of_node(read.member, read.node).own().filter(is_record).is_some_and(holds)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn copied_once_while_others_listen() {
        expect(
            "stale-copy",
            r#"
//// Tank.java
import java.util.*;
interface Level { void level(int litres); }
class Tank {
    private final List<Level> levels = new ArrayList<>();
    private int litres;
    void join(Level l) { levels.add(l); }
    void leave(Level l) { levels.remove(l); }
    int litres() { return litres; }
    void fill(int more) { litres += more; for (Level l : List.copyOf(levels)) l.level(litres); }
}
class Dial implements Level {
    private int shown;
    Dial(Tank tank) { shown = tank.litres(); tank.join(this); }
    public void level(int litres) { shown = litres; }
}
class Siren implements Level {
    private boolean full;
    Siren(Tank tank) { full = tank.litres() > 90; tank.join(this); }
    public void level(int litres) { full = litres > 90; }
}
class Hose {
    private final int litres;
    Hose(Tank tank) {
        litres = tank.litres(); //! stale-copy note
    }
    boolean runs() { return litres > 4; }
}
class Form {
    private int litres;
    Form(Tank tank) { litres = tank.litres(); }
    void type(int n) { n += litres; }
    void apply(Tank tank) { tank.fill(litres); }
}
class Cup {
    void dip(Tank tank) { int there = tank.litres(); if (there > 0) tank.fill(-1); }
}
"#,
        );
    }
}
