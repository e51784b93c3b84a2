//! Rule `incomplete-message`: a message is made without a part that the others have and a receiver uses unguarded.

mod queued;
mod requests;
mod used;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{List, MemberKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Sym, TypeId};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use used::used_unguarded;

pub(super) const RULE: Rule = Rule {
    name: "incomplete-message",
    summary: "a message is made without a part that its other makers set and a receiver uses unguarded",
    level: Level::Warning,
    page: Page {
        symptom: "A receiver fails on one particular message, far from where it was made.",
        cause: "This message lacks a part, or has nothing in it, that all the others carry and the receiver relies on.",
        cure: "Set the part where the message is made, or let the receivers ask whether it is there.",
        silent: "Others leave it out too, the receivers guard it, or it is filled in before sending.",
        accept: "No receiver of this very message comes to use the part.",
    },
    check,
};

/// A message with the parts that it has.
struct Message {
    made: Site,
    raise: Site,
    /// The argument that it is.
    index: usize,
    parts: BTreeSet<Sym>,
    /// Parts that are given nothing.
    empty: BTreeSet<Sym>,
    /// The class of the object that tells it.
    teller: Option<TypeId>,
}

impl Message {
    /// One of which no part is known yet.
    fn of(made: Site, raise: Site, index: usize) -> Self {
        Self { made, raise, index, parts: BTreeSet::new(), empty: BTreeSet::new(), teller: None }
    }

    /// Whether it has a part, and not nothing as that.
    fn has(&self, part: Sym) -> bool {
        self.parts.contains(&part) && !self.empty.contains(&part)
    }
}

/// The finding that a message lacks a part which others have, and where that is used.
fn draft_of(wiring: &Wiring<'_>, lacking: &Message, part: &str, others: &[&Message], used: Site, whose: String, message: String) -> Draft {
    let program = wiring.program();
    let having = others.iter().take(2).map(|m| related("another one has it", program.place_of(m.made)));
    Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place: program.place_of(lacking.made),
        message,
        related: having.chain([related("it is used here", program.place_of(used))]).collect(),
        parties: vec![whose, program.member_id(lacking.raise.member), part.to_owned()],
        edit: None,
    }
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        // what one method tells has nothing to do with what another one does
        let told_by: BTreeSet<Option<Sym>> = channel.raises.iter().map(|r| wiring.effects[*r].message).collect();
        drafts.extend(told_by.into_iter().flat_map(|message| of_channel(wiring, channel, message)));
    }
    drafts.extend(requests::check(wiring));
    drafts.extend(queued::check(wiring));
    drafts
}

fn of_channel(wiring: &Wiring<'_>, channel: &Channel, told_by: Option<Sym>) -> Vec<Draft> {
    let program = wiring.program();
    // what is told under names that are not known has nothing in common
    if matches!(channel.key, ChannelKey::Bus(_, Topic::Any) | ChannelKey::Own(_, Some(Topic::Any))) {
        return Vec::new();
    }
    let mut messages: Vec<Message> = Vec::new();
    let raises = channel.raises.iter().map(|r| &wiring.effects[*r]);
    for raise in raises.filter(|e| e.message == told_by && !wiring.in_test(e.site.member)) {
        let made = messages_of(wiring, raise.site);
        // who sends something else makes it open what all messages have
        if made.is_empty() && raise.inner.is_empty() && !is_delivery(wiring, raise.site) {
            return Vec::new();
        }
        let teller = wiring.flow.type_of(&raise.holder.subject).own();
        messages.extend(made.into_iter().map(|m| Message { teller, ..m }));
    }
    let mut drafts = Vec::new();
    if messages.len() < 2 {
        return drafts;
    }
    for message in &messages {
        // each kind of emitter has messages of its own under a name
        let alike = |m: &Message| m.teller.zip(message.teller).is_none_or(|(a, b)| program.are_kin(a, b));
        let others = || messages.iter().filter(|m| m.index == message.index && m.made != message.made && alike(m));
        let mut wanted: BTreeMap<Sym, usize> = BTreeMap::new();
        for part in others().flat_map(|m| m.parts.difference(&m.empty)) {
            *wanted.entry(*part).or_default() += 1;
        }
        let all = others().count();
        for (part, count) in wanted {
            if message.has(part) || count < all {
                continue;
            }
            let position = message.index - first_argument(wiring, message);
            // who takes the bus out of a registry listens to a topic of the same name
            let listeners = if channel.joins.is_empty() { wiring.joins_alike(channel) } else { channel.joins.clone() };
            let Some(used) = listeners.iter().find_map(|j| used_unguarded(wiring, *j, told_by, position, part)) else { continue };
            let name = program.text(part);
            let what = short(&channel.id);
            let text = format!("this message for `{what}` has no `{name}`, which the others have and a receiver uses unguarded");
            let others: Vec<&Message> = others().collect();
            drafts.push(draft_of(wiring, message, name, &others, used, channel.id.clone(), text));
        }
    }
    drafts
}

/// Whether a raise only hands on what it was given, as the inside of a wrapper does.
fn is_delivery(wiring: &Wiring<'_>, raise: Site) -> bool {
    let Some(body) = wiring.program().body(raise.member) else { return true };
    let Node::Call { args, .. } = body.node(raise.node) else { return true };
    body.list(args).iter().any(|a| matches!(wiring.flow.eval_in(raise.member, *a), Val::Param(..)))
}

/// The messages that a raise sends: literals with parts, and objects made with their parts.
fn messages_of(wiring: &Wiring<'_>, raise: Site) -> Vec<Message> {
    let program = wiring.program();
    let Some(body) = program.body(raise.member) else { return Vec::new() };
    let Node::Call { args, .. } = body.node(raise.node) else { return Vec::new() };
    let mut found = Vec::new();
    for (index, arg) in body.list(args).iter().enumerate() {
        let here = Site { member: raise.member, node: *arg };
        match wiring.flow.eval_in(raise.member, *arg) {
            // what a sending method put aside to tell it later
            Val::Member(of, field) if matches!(*of, Val::This(_)) => {
                let put_aside = wiring.flow.definitions(field).iter().filter(|d| d.member != field);
                found.extend(put_aside.flat_map(|d| given(wiring, *d, raise, index)));
            }
            _ => found.extend(given(wiring, here, raise, index)),
        }
    }
    found
}

/// The messages that an expression may be: the one that it makes, or those that its method is called with.
fn given(wiring: &Wiring<'_>, here: Site, raise: Site, index: usize) -> Vec<Message> {
    match wiring.flow.eval(here) {
        Val::Param(m, None, param) if m == here.member => {
            let calls = wiring.flow.call_sites(m).iter().copied().filter(|s| !wiring.in_test(s.member));
            calls.filter_map(|call| message_at(wiring, wiring.flow.argument(call, param as usize)?, raise, index)).collect()
        }
        _ => message_at(wiring, here, raise, index).into_iter().collect(),
    }
}

/// The message that an expression makes.
fn message_at(wiring: &Wiring<'_>, made: Site, raise: Site, index: usize) -> Option<Message> {
    let program = wiring.program();
    let body = program.body(made.member)?;
    // `{ … } as Reading`
    if let Node::Cast { operand, .. } | Node::Unary { op: UnaryOp::NonNull, operand } = body.node(made.node) {
        return message_at(wiring, Site { member: made.member, node: operand }, raise, index);
    }
    let mut message = Message::of(made, raise, index);
    let entries = match body.node(made.node) {
        Node::Object(list) => list,
        Node::New { init: Some(init), .. } => {
            fill_by_constructor(wiring, made.member, made.node, &mut message);
            match body.node(init) {
                Node::Object(list) => list,
                _ => return None,
            }
        }
        Node::New { .. } => {
            fill_by_constructor(wiring, made.member, made.node, &mut message)?;
            return (!message.parts.is_empty()).then_some(message);
        }
        Node::Name(_) => return filled_later(wiring, made, raise, index),
        _ => return None,
    };
    let plain = body.list(entries).iter().all(|entry| match body.node(*entry) {
        Node::Entry { key, value } => match body.node(key) {
            Node::Str(name) => {
                let name = program.sym_in(made.member, name);
                message.parts.insert(name);
                if is_nothing(wiring, made.member, value) {
                    message.empty.insert(name);
                }
                true
            }
            _ => false,
        },
        _ => false,
    });
    // what a field holds may be filled in by whoever has it
    if is_kept_in_field(wiring, made) {
        message.empty.retain(|part| {
            !program.index.writes(*part).iter().any(|w| program.member(w.member).owner == program.member(made.member).owner)
        });
    }
    // what is spread in may have anything
    (plain && !message.parts.is_empty()).then_some(message)
}

/// Whether an object is made for a field.
fn is_kept_in_field(wiring: &Wiring<'_>, made: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(made.member) else { return false };
    match program.scope(made.member).parent(made.node).map(|p| body.node(p)) {
        None => matches!(program.member(made.member).kind, MemberKind::Field | MemberKind::Property),
        Some(Node::Assign { target, .. }) => matches!(wiring.flow.eval_in(made.member, target), Val::Member(..)),
        _ => false,
    }
}

/// A message that a local holds: what it is made with, and what is given to its parts before it is sent.
fn filled_later(wiring: &Wiring<'_>, sent: Site, raise: Site, index: usize) -> Option<Message> {
    let program = wiring.program();
    let (body, scope) = (program.body(sent.member)?, program.scope(sent.member));
    let Node::Name(name) = body.node(sent.node) else { return None };
    let declared = scope.lookup(name, sent.node)?;
    let Declared::Local(local) = declared else { return None };
    let Node::Local { init: Some(init), .. } = body.node(local) else { return None };
    let made = Site { member: sent.member, node: init };
    let mut message = match body.node(init) {
        Node::Object(List { len: 0, .. }) => Message::of(made, raise, index),
        Node::New { args: List { len: 0, .. }, init: None, .. } => {
            let mut message = Message::of(made, raise, index);
            fill_by_constructor(wiring, made.member, made.node, &mut message)?;
            message
        }
        // another name for what is there, or for itself (`[n = n]`)
        Node::Name(_) => return None,
        _ => message_at(wiring, made, raise, index)?,
    };
    for used in body.ids().filter(|n| body.node(*n) == Node::Name(name) && scope.lookup(name, *n) == Some(declared)) {
        let around = scope.parent(used)?;
        let part = match body.node(around) {
            _ if used == sent.node => continue,
            Node::Member { object, name, .. } if object == used => program.sym_in(sent.member, name),
            // who else gets it may fill it in
            _ => return None,
        };
        match scope.parent(around).map(|n| (n, body.node(n))) {
            Some((_, Node::Assign { target, value, .. })) if target == around => {
                message.parts.insert(part);
                message.empty.remove(&part);
                if is_nothing(wiring, sent.member, value) {
                    message.empty.insert(part);
                }
            }
            Some((call, Node::Call { callee, args, .. })) if callee == around => {
                let setter = wiring.flow.callee(Site { member: sent.member, node: call })?.member;
                let value = body.list(args).first().is_some_and(|a| !is_nothing(wiring, sent.member, *a));
                for field in sets(wiring, setter)? {
                    message.parts.insert(field);
                    if value {
                        message.empty.remove(&field);
                    }
                }
            }
            _ => {}
        }
    }
    (!message.parts.is_empty()).then_some(message)
}

/// The fields of its object that a method of the tree writes; nothing where it does more than that.
fn sets(wiring: &Wiring<'_>, setter: MemberId) -> Option<BTreeSet<Sym>> {
    let program = wiring.program();
    let body = program.body(setter)?;
    let mut found = BTreeSet::new();
    for node in body.ids() {
        match body.node(node) {
            Node::Assign { target, .. } => match wiring.flow.eval_in(setter, target) {
                Val::Member(of, field) if matches!(*of, Val::This(_)) => _ = found.insert(program.member(field).name),
                _ => return None,
            },
            Node::Call { .. } => return None,
            _ => {}
        }
    }
    Some(found)
}

fn is_nothing(wiring: &Wiring<'_>, member: MemberId, value: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    match body.node(value) {
        Node::Null => true,
        // `null!` only keeps the compiler quiet
        Node::Unary { op: UnaryOp::NonNull, operand } => is_nothing(wiring, member, operand),
        Node::Name(name) => program.unit_of(member).text(name) == "undefined",
        _ => false,
    }
}

/// The fields that an object of the tree has from its class or from its constructor, with those that are handed nothing.
fn fill_by_constructor(wiring: &Wiring<'_>, member: MemberId, made: NodeId, message: &mut Message) -> Option<()> {
    let program = wiring.program();
    let body = program.body(member)?;
    let Node::New { args, .. } = body.node(made) else { return None };
    let class = wiring.flow.type_of_node(member, made).own()?;
    let args = body.list(args);
    let constructor = wiring.flow.constructor_at(class, Site { member, node: made });
    // where objects are held as they are, all parts have values, of which those of pointers may be none
    if program.kit_of(member).traits.references_dangle {
        let parts =
            program.ty(class).members.iter().filter(|m| program.member(**m).kind == MemberKind::Field && !program.member(**m).is_static);
        for (at, part) in parts.enumerate() {
            let name = program.member(*part).name;
            message.parts.insert(name);
            let handed = args.get(at).filter(|_| constructor.is_none());
            let is_pointer = program.holds_by_pointer(*part);
            let given = || wiring.writes(*part).iter().any(|w| w.initial && Some(w.site.member) == constructor);
            let unset = match handed {
                Some(value) => is_nothing(wiring, member, *value),
                None => constructor.is_none() && starts_as_nothing(wiring, *part),
            };
            if is_pointer && unset && !given() {
                message.empty.insert(name);
            }
        }
        return Some(());
    }
    for m in &program.ty(class).members {
        let name = program.member(*m).name;
        for write in wiring.writes(*m).iter().filter(|w| w.initial && (Some(w.site.member) == constructor || w.site.member == *m)) {
            let state::How::Set(value) = write.how else { continue };
            let nothing = match wiring.flow.eval_in(write.site.member, value) {
                Val::Param(owner, None, index) if Some(owner) == constructor => match args.get(index as usize) {
                    Some(arg) => is_nothing(wiring, member, *arg),
                    None => is_left_out(wiring, (owner, index), member, args),
                },
                _ => is_nothing(wiring, write.site.member, value),
            };
            message.parts.insert(name);
            if nothing {
                message.empty.insert(name);
            }
        }
    }
    Some(())
}

/// Whether a parameter that is not handed over by its place stands for nothing: no argument has its name, and its default is nothing.
fn is_left_out(wiring: &Wiring<'_>, (constructor, index): (MemberId, u16), member: MemberId, args: &[NodeId]) -> bool {
    let (program, body) = (wiring.program(), wiring.program().body(member));
    let Some(param) = program.decl(constructor).params.get(usize::from(index)) else { return false };
    let name = program.unit_of(constructor).text(param.name);
    let is_named = |arg: &NodeId| match body.map(|body| (body, body.node(*arg))) {
        Some((body, Node::Entry { key, .. })) => matches!(body.node(key), Node::Str(key) if program.unit_of(member).text(key) == name),
        Some((_, Node::Unary { op: UnaryOp::Spread, .. })) => true,
        _ => false,
    };
    !args.iter().any(is_named) && param.default.is_some_and(|default| is_nothing(wiring, constructor, default))
}

/// Whether a field has no first value, or one that is nothing.
fn starts_as_nothing(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let root = wiring.program().body(field).and_then(|b| b.root);
    root.is_none_or(|root| is_nothing(wiring, field, root))
}

/// How many arguments of a raise name the channel: a topic.
fn first_argument(wiring: &Wiring<'_>, message: &Message) -> usize {
    let program = wiring.program();
    let keyed = wiring.effects_at(message.raise).map(|e| &wiring.effects[e]).any(|e| e.holder.key.is_some());
    let Some(body) = program.body(message.raise.member) else { return 0 };
    let Node::Call { args, .. } = body.node(message.raise.node) else { return 0 };
    let first_is_key = body.list(args).first().is_some_and(|a| !matches!(body.node(*a), Node::Object(_) | Node::New { .. } | Node::This));
    usize::from(keyed && first_is_key && message.index > 0)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_part_that_the_others_have() {
        expect(
            "incomplete-message",
            r#"
//// room.js
const { EventEmitter } = require('node:events');
const room = new EventEmitter();
class Bench {
  need(part) { room.emit('call', { from: this, what: part, hurry: false }); }
  ask(part) { room.emit('call', { from: this, what: part }); }
  fuse() {
    room.emit('call', { what: 'a fuse' }); //! incomplete-message warning
  }
}
room.on('call', ({ from, what, hurry }) => { console.log(from.name, what, hurry ? 'run' : 'walk'); });
const bench = new Bench();
bench.need('a plug'); bench.ask('a lamp'); bench.fuse();
//// tide.ts
import { EventEmitter } from 'events';
type Reading = { metres: number; by?: string };
const tide = new EventEmitter();
function high() { tide.emit('read', { metres: 4, by: 'ann' } as Reading); }
function low() {
  tide.emit('read', { metres: 1 } as Reading); //! incomplete-message warning
}
tide.on('read', (r: Reading) => console.log(r.metres, r.by!.trim()));
high(); low();
//// Crate.cs
using System;
class Crate { public string Owner; public string Label; }
class Packer {
    public event Action<Crate> Packed;
    public void Pack(string owner) => Packed?.Invoke(new Crate { Owner = owner, Label = "bread" });
    public void Spare() => Packed?.Invoke(new Crate { Label = "crumbs" }); //! incomplete-message warning
    public void Plain(string owner) => Packed?.Invoke(new Crate { Owner = owner });
}
class Clerk {
    public Clerk(Packer packer) => packer.Packed += Write;
    private void Write(Crate crate) => Console.WriteLine(crate.Owner.Length + (crate.Label ?? ""));
}
"#,
        );
    }

    #[test]
    fn what_is_used_for_one_kind_of_message_only() {
        expect(
            "incomplete-message",
            r#"
//// moves.ts
import { EventEmitter } from 'node:events';
export const yard = new EventEmitter();
class Move {
  constructor(readonly boat: string, readonly kind: string, readonly berth?: string) {}
  isKind(kind: string): boolean { return this.kind === kind; }
}
export function go(): void { yard.emit('moved', new Move('Heron', 'in', 'B2')); }
export function come(): void { yard.emit('moved', new Move('Teal', 'in', 'B3')); }
export function leave(): void { yard.emit('moved', new Move('Heron', 'out', undefined)); }
yard.on('moved', (m: Move) => {
  if (m.isKind('in')) console.log(m.berth.length);
});
"#,
        );
    }
}
