//! Rule `deafened-subscriber`: taken off in a hook after which the object lives on, and never put back.

use yarrowgraph_ir::{MemberKind, Node};
use yarrowgraph_model::{Certainty, Level, Place};

use super::repeated_subscription::{is_entered_in_a_loop, is_run_by};
use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, TypeId};
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect};
use crate::wire::release::{self, Same};
use crate::wire::{Wiring, handles, operation_place};

pub(super) const RULE: Rule = Rule {
    name: "deafened-subscriber",
    summary: "a subscriber is taken off when it is left for a while, and not put back when it is entered again",
    level: Level::Warning,
    page: Page {
        symptom: "It works until the object is hidden, stopped or detached for the first time; when it comes back it hears nothing.",
        cause: "The handler is taken off in an exit hook that can be followed by a new entry, and it was put on where the object begins, which happens once.",
        cure: "Put the handler on in the entry hook that pairs with the exit hook, or take it off where the object ends for good.",
        silent: "The entry hook, or something that it calls, puts the same handler on again; the object ends with this exit.",
        accept: "The object is never entered again after this exit.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        for leave in channel.leaves.iter().map(|l| &wiring.effects[*l]) {
            if leave.act != Act::LeaveAll && !wiring.in_test(leave.site.member) && !wiring.is_generated(leave) {
                // few come this far, and this reads the whole body
                drafts.extend(judge(wiring, channel, leave).filter(|_| !ends_itself(wiring, leave.site.member)));
            }
        }
        for join in channel.joins.iter().map(|j| &wiring.effects[*j]) {
            if join.handle && !wiring.in_test(join.site.member) {
                drafts.extend(by_handle(wiring, channel, join));
            }
        }
    }
    drafts
}

/// Whether a method ends its own object, which is entered no more then: `removeListener(this); dispose();`
fn ends_itself(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let ends = |name| program.kit_of(member).pack.teardowns.contains(program.unit_of(member).text(name));
    body.ids().any(|n| match body.node(n) {
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Name(name) => ends(name),
            Node::Member { object, name, .. } => body.node(object) == Node::This && ends(name),
            _ => false,
        },
        _ => false,
    })
}

fn judge(wiring: &Wiring<'_>, channel: &Channel, leave: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let owner = program.member(leave.site.member).owner;
    let (entry, exit) = hooks_around(wiring, leave.site.member, owner)?;
    let same =
        |join: &&Effect| program.member(join.site.member).owner == owner && release::same_handler(&wiring.flow, join, leave) == Same::Yes;
    let all_topics = matches!(channel.key, ChannelKey::Own(_, Some(Topic::Any)) | ChannelKey::Bus(_, Topic::Any));
    let related_channels = wiring.of_holder(channel).filter(|c| all_topics || c.key == channel.key);
    let joins: Vec<&Effect> = related_channels.flat_map(|c| &c.joins).map(|j| &wiring.effects[*j]).filter(same).collect();
    // every place that puts it on is gone through once, and none is run by an entry
    if joins.is_empty() || !joins.iter().all(|j| begins_once(wiring, j.site.member) && !is_run_by(wiring, j.site.member, owner, entry)) {
        return None;
    }
    let handler = crate::wire::handler_name(wiring, leave);
    Some(draft(wiring, channel, wiring.place(leave), leave.certainty, (entry, exit), handler, joins[0]))
}

/// A subscription that is ended by what it gave back, which is kept in a field.
fn by_handle(wiring: &Wiring<'_>, channel: &Channel, join: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let owner = program.member(join.site.member).owner;
    let keeper = handles::keeper(&wiring.flow, join.site)?;
    let Val::Member(_, kept) = keeper else { return None };
    let releases = handles::releases_by(&wiring.flow, &keeper).into_iter().filter(|r| program.member(r.member).owner == owner);
    let (release, hooks) = releases.into_iter().find_map(|r| Some((r, hooks_around(wiring, r.member, owner)?)))?;
    // whatever is kept there is put there once
    let once = |member: MemberId| begins_once(wiring, member) && !is_run_by(wiring, member, owner, hooks.0);
    let written = wiring.flow.definitions(kept).iter().filter(|d| !matches!(wiring.flow.eval(**d), Val::Null));
    let all_once = written.into_iter().all(|d| once(d.member));
    let place = operation_place(program, release);
    all_once.then(|| draft(wiring, channel, place, join.certainty, hooks, crate::wire::handler_name(wiring, join), join))
}

fn draft(
    wiring: &Wiring<'_>,
    channel: &Channel,
    place: Place,
    certainty: Certainty,
    (entry, exit): (&str, &str),
    handler: String,
    join: &Effect,
) -> Draft {
    let program = wiring.program();
    Draft {
        level: Level::Warning,
        certainty: if certainty == Certainty::Possible { Certainty::Possible } else { Certainty::Certain },
        place,
        message: format!("`{}` is taken off `{}` in `{exit}`, and `{entry}` does not put it back", short(&handler), short(&channel.id)),
        related: vec![related("it is put on only here, once", wiring.place(join))],
        parties: vec![channel.id.clone(), handler, program.type_id(program.member(join.site.member).owner)],
        edit: None,
    }
}

/// The entry and exit hooks of a component within which a release runs.
fn hooks_around<'w>(wiring: &Wiring<'w>, leave: MemberId, owner: TypeId) -> Option<(&'w str, &'w str)> {
    let program = wiring.program();
    let pack = &*program.kit_of(leave).pack;
    let is_component = !program.outside_bases(owner).is_empty() || program.decl(leave).modifiers.is_override;
    let name = program.text(program.member(leave).name);
    if is_component && pack.toggles.contains(name) {
        return Some((name, name));
    }
    let pairs = pack.pairs.iter().filter(|(entry, _)| pack.reentered.contains(entry));
    let hooks = pairs.into_iter().find(|(_, exit)| is_run_by(wiring, leave, owner, exit));
    if let Some((entry, exit)) = hooks.filter(|_| is_component) {
        return Some((entry.as_str(), exit.as_str()));
    }
    // any class that the tree enters and leaves again and again
    let (entry, exit) = pack.pairs.iter().find(|(entry, exit)| {
        let is_exit = exit == program.text(program.member(leave).name);
        is_exit && (is_entered_in_a_loop(wiring, owner, entry, exit) || is_entered_again(wiring, leave, owner, entry))
    })?;
    Some((entry.as_str(), exit.as_str()))
}

/// Whether the code somewhere enters an object behind where it has left it.
fn is_entered_again(wiring: &Wiring<'_>, exit: MemberId, owner: TypeId, entry: &str) -> bool {
    let program = wiring.program();
    let Some(entry) = program.symbols.get(entry).and_then(|name| program.find_member(owner, name)) else { return false };
    let calls = |m: MemberId| wiring.flow.callers((m, None)).iter().filter(|(site, _)| !wiring.in_test(site.member));
    calls(exit).any(|(left, of)| {
        let scope = program.scope(left.member);
        calls(entry)
            .any(|(entered, again)| entered.member == left.member && again.this == of.this && scope.is_before(left.node, entered.node))
    })
}

/// Whether a member runs once in the life of an object.
fn begins_once(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(member);
    let pack = &*program.kit_of(member).pack;
    let name = program.text(info.name);
    match info.kind {
        MemberKind::Constructor | MemberKind::Field | MemberKind::Initializer => true,
        MemberKind::Method => {
            let opens = pack.pairs.iter().any(|(entry, _)| entry == name);
            let is_hook = opens && pack.hooks.contains(name) && !pack.reentered.contains(name) && !pack.recurring_hooks.contains(name);
            is_hook || is_part_of_making(wiring, member)
        }
        _ => false,
    }
}

/// Whether only constructors of its class, or of a base or heir of it, call a method.
fn is_part_of_making(wiring: &Wiring<'_>, member: MemberId) -> bool {
    let program = wiring.program();
    let owner = program.member(member).owner;
    let calls = wiring.flow.call_sites(member);
    let makes = |m: MemberId| program.member(m).kind == MemberKind::Constructor && program.are_kin(program.member(m).owner, owner);
    !calls.is_empty() && calls.iter().all(|call| makes(call.member))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn put_on_once_and_taken_off_at_every_exit() {
        expect(
            "deafened-subscriber",
            r#"
//// Lantern.cs
using System;
using UnityEngine;
public static class Tower { public static event Action Dusk; public static event Action Dawn; public static void Turn() { Dusk?.Invoke(); Dawn?.Invoke(); } }
public class Lantern : MonoBehaviour {
    void Awake() { Tower.Dusk += Light; }
    void OnEnable() { Listen(); }
    void OnDisable() {
        Tower.Dusk -= Light; //! deafened-subscriber warning
        Tower.Dawn -= Quench;
    }
    void Listen() { Tower.Dawn += Quench; }
    void Light() { }
    void Quench() { }
}
public class Beacon : MonoBehaviour {
    void Awake() { Tower.Dusk += Light; }
    void OnDestroy() { Tower.Dusk -= Light; }
    void Light() { }
}
"#,
        );
    }

    #[test]
    fn an_element_that_is_moved() {
        expect(
            "deafened-subscriber",
            r#"
//// dial.ts
const resize = () => 1;
class DialElement extends HTMLElement {
    private turn = () => console.log('turn');
    constructor() {
        super();
        window.addEventListener('resize', this.turn);
    }
    connectedCallback() { window.addEventListener('scroll', this.turn); }
    disconnectedCallback() {
        window.removeEventListener('resize', this.turn); //! deafened-subscriber warning
        window.removeEventListener('scroll', this.turn);
    }
}
customElements.define('tide-dial', DialElement);
"#,
        );
    }
}
