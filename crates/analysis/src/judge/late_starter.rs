//! Rule `late-starter`: a subscriber joins while the program runs and does not read the present state first.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Keeps, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::Effect;

/// So many other types must read the state before one that does not is a slip.
const PEERS: usize = 2;

pub(super) const RULE: Rule = Rule {
    name: "late-starter",
    summary: "a subscriber joins while the program runs and does not read the present state first, as its peers do",
    level: Level::Note,
    page: Page {
        symptom: "A late subscriber shows its default until the next change.",
        cause: "The channel keeps nothing for who comes late, and this subscriber does not ask for the present state when it joins.",
        cure: "Read the state of the subject right before or after subscribing.",
        silent: "The channel tells newcomers the last value, the subscriber is there from the start, or its peers do not read either.",
        accept: "Only what happens from then on matters.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    (0..wiring.channels.len()).flat_map(|channel| of_channel(wiring, channel)).collect()
}

fn of_channel(wiring: &Wiring<'_>, channel: usize) -> Vec<Draft> {
    let program = wiring.program();
    let c = &wiring.channels[channel];
    if c.raises.is_empty() || c.joins.len() <= PEERS || wiring.keeps(c) != Keeps::none() {
        return Vec::new();
    }
    let joins: Vec<(usize, TypeId)> = c
        .joins
        .iter()
        .filter(|j| !wiring.in_test(wiring.effects[**j].site.member))
        .filter_map(|j| Some((*j, wiring.listening_class(*j)?)))
        .collect();
    let fields = wiring.fields_announced_on(channel);
    let reads_first: Vec<bool> = joins.iter().map(|(j, _)| reads(wiring, &wiring.effects[*j], &fields).is_some()).collect();
    let peers: BTreeSet<TypeId> = joins.iter().zip(&reads_first).filter(|(_, reads)| **reads).map(|((_, t), _)| *t).collect();
    let slips = joins.iter().zip(&reads_first).filter(|(_, reads)| !**reads).map(|(join, _)| *join);
    let judge = |(join, class): (usize, TypeId)| {
        let effect = &wiring.effects[join];
        let others = peers.iter().filter(|t| **t != class).count();
        // who is put on by others is theirs to tell
        let joins_itself = program.is_a(program.member(effect.site.member).owner, class);
        (others >= PEERS
            && !peers.contains(&class)
            && joins_itself
            && comes_late(wiring, channel, effect)
            && keeps_what_it_hears(wiring, c, join))
        .then(|| draft(wiring, channel, join, &peers))
    };
    slips.filter_map(judge).collect()
}

/// Whether a subscription is made by a method that runs in its own time, not when its object or the program is set up.
fn comes_late(wiring: &Wiring<'_>, channel: usize, effect: &Effect) -> bool {
    let program = wiring.program();
    let site = effect.site;
    let info = program.member(site.member);
    if info.kind == MemberKind::Constructor {
        return is_made_late(wiring, channel, info.owner) && !effect.once;
    }
    let is_method = info.kind == MemberKind::Method && !program.ty(info.owner).is_module && !wiring.is_entry_point(site.member);
    // by its constructor is by its making
    let callers = wiring.flow.callers((site.member, None));
    let by_constructor = callers.iter().any(|(call, _)| program.member(call.member).kind == MemberKind::Constructor);
    is_method && !by_constructor && !effect.once
}

/// Whether all objects of a class are made behind a statement of the same code that raises the channel.
fn is_made_late(wiring: &Wiring<'_>, channel: usize, class: TypeId) -> bool {
    let program = wiring.program();
    let made: Vec<Site> = wiring.flow.creations(class).into_iter().filter(|s| !wiring.in_test(s.member)).collect();
    let is_late = |site: &Site| {
        let (Some(body), scope) = (program.body(site.member), program.scope(site.member)) else { return false };
        let runs = |node: NodeId| body.root.is_some_and(|r| crate::state::runs_always(body, scope, node, r));
        wiring.tellings(site.member).iter().any(|(node, c)| *c == channel && runs(*node) && scope.is_before(*node, site.node))
    };
    !made.is_empty() && made.iter().all(is_late)
}

/// Whether the handler keeps something of its own up to date.
fn keeps_what_it_hears(wiring: &Wiring<'_>, channel: &Channel, join: usize) -> bool {
    let program = wiring.program();
    let Some(Site { member, node: root }) = wiring.code_told(channel, join) else { return false };
    let Some(body) = program.body(member) else { return false };
    state::any_within(body, root, &|n| match body.node(n) {
        Node::Assign { target, .. } => matches!(wiring.flow.eval_in(member, target), Val::Member(of, _) if matches!(*of, Val::This(_))),
        _ => false,
    })
}

/// A read of the state that a channel announces, in the function that subscribes and outside of the handler.
fn reads(wiring: &Wiring<'_>, effect: &Effect, fields: &BTreeSet<MemberId>) -> Option<Site> {
    let program = wiring.program();
    let member = effect.site.member;
    let body = program.body(member)?;
    let scope = program.scope(member);
    let function = scope.function_around(body, effect.site.node);
    let here = body.ids().filter(|n| scope.function_around(body, *n) == function);
    let subject = &effect.holder.subject;
    let is_of_subject = |object: &Val| object == subject || matches!(object, Val::Param(..) | Val::Unknown);
    let is_state = |site: Site| wiring.read(site).is_some_and(|r| fields.contains(&r.field) && is_of_subject(&r.object));
    here.clone().map(|node| Site { member, node }).find(|s| is_state(*s)).or_else(|| {
        // by a method of its own that it calls
        here.filter(|n| matches!(body.node(*n), Node::Call { .. })).find_map(|node| {
            let callee = wiring.flow.callee(Site { member, node })?;
            let own = matches!(callee.receiver, Some(Val::This(_)));
            let inner = program.body(callee.member).filter(|_| own)?;
            (0..inner.nodes.len()).map(NodeId::new).map(|n| Site { member: callee.member, node: n }).find(|s| is_state(*s))
        })
    })
}

fn draft(wiring: &Wiring<'_>, channel: usize, join: usize, peers: &BTreeSet<TypeId>) -> Draft {
    let program = wiring.program();
    let effect = &wiring.effects[join];
    let handler = crate::wire::handler_name(wiring, effect);
    let channel = &wiring.channels[channel];
    let names: Vec<String> = peers.iter().take(3).map(|t| format!("`{}`", short(&program.type_id(*t)))).collect();
    Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: wiring.place(effect),
        message: format!(
            "`{}` joins `{}` while the program runs and does not read the present state first, as {} do",
            short(&handler),
            short(&channel.id),
            names.join(" and "),
        ),
        related: channel.raises.iter().take(3).map(|r| related("it is raised here", wiring.place(&wiring.effects[*r]))).collect(),
        parties: vec![channel.id.clone(), handler],
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn the_others_read_first() {
        expect(
            "late-starter",
            r#"
//// lobby.js
const { EventEmitter } = require('node:events');
class Dome extends EventEmitter {
  degrees = 0;
  turn(d) { this.degrees = d; this.emit('turned', this.degrees); }
}
class Dial {
  onTurned = (d) => { this.shown = d; };
  begin(dome) { this.onTurned(dome.degrees); dome.on('turned', this.onTurned); }
  end(dome) { dome.off('turned', this.onTurned); }
}
class Chart {
  onTurned = (d) => { this.line = d; };
  begin(dome) { this.line = dome.degrees; dome.on('turned', this.onTurned); }
  end(dome) { dome.off('turned', this.onTurned); }
}
class Flag {
  up = false;
  onTurned = (d) => { this.up = d; };
  begin(dome) {
    dome.on('turned', this.onTurned); //! late-starter note
  }
  end(dome) { dome.off('turned', this.onTurned); }
}
class Log {
  onTurned = (d) => console.log(d);
  begin(dome) { dome.on('turned', this.onTurned); }
  end(dome) { dome.off('turned', this.onTurned); }
}
const dome = new Dome();
new Dial().begin(dome);
new Chart().begin(dome);
new Flag().begin(dome);
new Log().begin(dome);
dome.turn(3);
"#,
        );
    }
}
