//! Rule `skipped-notify`: state is written that is announced elsewhere, and on this path nobody is told.

mod excused;
#[cfg(test)]
mod tests;
mod told;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, NodeId, Visibility};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

use super::leaked_subscription::teardown;
use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::state::{self, How};
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;

/// So many other mutators announce where a silent one is a slip; one is enough where the channel is named for the field.
const PEERS: usize = 2;

pub(super) const RULE: Rule = Rule {
    name: "skipped-notify",
    summary: "state that the other mutators announce is written and not announced on this path",
    level: Level::Warning,
    page: Page {
        symptom: "After one particular change the observers show what was true before it.",
        cause: "The other places that write this state raise the channel, or call the method that does; this one does not.",
        cure: "Raise the channel, or call the notifying method, behind the write.",
        silent: "Every caller announces; the write is a first value, an end, or a lazy answer; few others announce.",
        accept: "Observers are not meant to learn of this change.",
    },
    check,
};

/// A statement that changes a field of a subject: a write, or the call of a method that only writes.
struct Change {
    field: MemberId,
    site: Site,
    /// What is assigned, where it is an assignment.
    value: Option<NodeId>,
    /// Whether the field itself is given another value, right there.
    is_direct: bool,
}

/// The changes of one subject as far as its channels are concerned.
struct Subject<'w, 'p> {
    wiring: &'w Wiring<'p>,
    class: TypeId,
    fields: &'w [MemberId],
    channels: Vec<usize>,
    /// Methods of the class that change it.
    mutators: BTreeSet<MemberId>,
    /// Methods of the class that change it by calling those.
    changers: BTreeSet<MemberId>,
    /// Fields of it that hold a record of which parts are changed.
    records: BTreeSet<MemberId>,
    /// What holds those who are told something, whoever it belongs to.
    rosters: &'w BTreeSet<MemberId>,
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let rosters = wiring.told_members();
    let mut subjects: BTreeMap<TypeId, bool> = BTreeMap::new();
    let mut fields: BTreeMap<TypeId, Vec<MemberId>> = BTreeMap::new();
    for field in wiring.written_fields() {
        let info = program.member(field);
        let is_subject = *subjects.entry(info.owner).or_insert_with(|| !wiring.channels_of(info.owner).is_empty());
        if is_subject && (!info.is_static || is_one_object(wiring, info.owner)) && !rosters.contains(&field) {
            fields.entry(info.owner).or_default().push(field);
        }
    }
    let mut records: BTreeMap<TypeId, BTreeSet<MemberId>> = BTreeMap::new();
    for field in wiring.written_fields() {
        for (class, record) in held_records(wiring, field) {
            if !wiring.channels_of(class).is_empty() {
                records.entry(class).or_default().insert(record);
                let known = fields.entry(class).or_default();
                if !known.contains(&field) {
                    known.push(field);
                }
            }
        }
    }
    let mut drafts = Vec::new();
    for (class, fields) in fields {
        let channels = wiring.channels_of(class).into_iter().filter(|c| !answers(wiring, *c) && !comes_once(wiring, *c)).collect();
        let records = records.remove(&class).unwrap_or_default();
        let mut subject = Subject {
            wiring,
            class,
            fields: &fields,
            channels,
            mutators: BTreeSet::new(),
            changers: BTreeSet::new(),
            records,
            rosters: &rosters,
        };
        let inside: Vec<Change> = fields.iter().flat_map(|f| subject.written_inside(*f)).collect();
        // who ends something tells of his own change as well
        let enders = fields.iter().flat_map(|f| wiring.writes(*f)).filter(|w| !w.initial && subject.is_own(&w.object));
        let enders = enders.map(|w| w.site.member).filter(|m| program.is_listed(&program.kit_of(*m).pack.teardowns, *m));
        subject.mutators = inside.iter().map(|c| c.site.member).chain(subject.acting_on_fields()).chain(enders).collect();
        subject.changers = subject.changing_by_others();
        let announced_inside: BTreeSet<MemberId> =
            inside.iter().filter(|c| !subject.told_closely(c.site, Some(c.field)).is_empty()).map(|c| c.field).collect();
        let others: Vec<&Change> =
            inside.iter().filter(|c| subject.told_closely(c.site, Some(c.field)).is_empty() && subject.is_seen(c.field)).collect();
        let quiet_inside: BTreeSet<MemberId> = others.iter().map(|c| c.site.member).collect();
        // what its own methods announce nobody else has to
        let (inside, quiet): (Vec<Change>, Vec<Change>) = inside.into_iter().partition(|c| announced_inside.contains(&c.field));
        drafts.extend(subject.judge(&inside, &quiet_inside));
        let outside: Vec<Change> =
            fields.iter().filter(|f| !announced_inside.contains(f)).flat_map(|f| subject.written_outside(*f, &quiet)).collect();
        drafts.extend(subject.judge(&outside, &BTreeSet::new()));
    }
    drafts
}

/// Whether what is called in a slot answers: it is asked for something, and told nothing.
fn answers(wiring: &Wiring<'_>, channel: usize) -> bool {
    let channel = &wiring.channels[channel];
    let is_used = |r: &usize| !state::is_statement(wiring.program(), wiring.effects[*r].innermost());
    channel.kind == ChannelKind::Slot && channel.raises.iter().any(is_used)
}

/// Whether a topic tells that a stream of the platform is over, not of a change.
fn comes_once(wiring: &Wiring<'_>, channel: usize) -> bool {
    let channel = &wiring.channels[channel];
    let is_once = |raise: &usize, topic| {
        let member = wiring.effects[*raise].site.member;
        wiring.program().kit_of(member).pack.once_topics.contains(topic)
    };
    channel.key.named_topic().is_some_and(|topic| channel.raises.iter().any(|r| is_once(r, topic)))
}

/// Whether what a type has as static is the state of one object: a module's, that of a class without instances, or what is written out.
fn is_one_object(wiring: &Wiring<'_>, owner: TypeId) -> bool {
    let program = wiring.program();
    let ty = program.ty(owner);
    ty.modifiers.is_static || ty.is_module && program.kit(ty.unit).traits.file_modules
}

/// The field of the object itself, or of its module or static class, that a value is.
fn own_field(value: &Val) -> Option<MemberId> {
    match value {
        Val::Static(m) => Some(*m),
        _ => value.own_field(),
    }
}

/// The classes that keep a record to themselves and change the part of it that a field is, with the fields that hold that: `now.gust = 0`.
fn held_records(wiring: &Wiring<'_>, part: MemberId) -> BTreeSet<(TypeId, MemberId)> {
    let program = wiring.program();
    let record = program.member(part).owner;
    let writes = || wiring.writes(part).iter().filter(|w| !w.initial);
    // what changes itself tells by itself
    let is_plain = wiring.channels_of(record).is_empty() && writes().all(|w| !matches!(w.object, Val::This(_)));
    let held = writes().filter_map(|w| match &w.object {
        Val::Member(of, holder) if matches!(**of, Val::This(_)) => Some(*holder),
        _ => None,
    });
    let hidden = held.filter(|holder| is_plain && program.decl(*holder).modifiers.visibility == Visibility::Private);
    hidden.map(|holder| (program.member(holder).owner, holder)).collect()
}

impl Subject<'_, '_> {
    /// Whether what is written belongs to the subject: it, or a record that it keeps.
    fn is_own(&self, object: &Val) -> bool {
        match object {
            Val::This(_) => true,
            Val::Type(t) => *t == self.class,
            Val::Member(of, m) => matches!(**of, Val::This(_)) && self.records.contains(m),
            _ => false,
        }
    }

    /// Changes by methods of the class itself, those in constructors and teardowns left out.
    fn written_inside(&self, field: MemberId) -> Vec<Change> {
        let writes = self.wiring.writes(field).iter().filter(|w| !w.initial && self.is_own(&w.object));
        let mut changes = Vec::new();
        // who ends something and tells of it is one of those who tell
        let tells = |w: &state::Write| self.is_end(w.site.member) && !self.told_closely(w.site, Some(field)).is_empty();
        for write in writes.filter(|w| self.counts(w.site.member) || tells(w)) {
            let callers = self.callers_of_helper(write.site);
            if callers.is_empty() {
                changes.push(Change { field, site: write.site, value: value_of(write), is_direct: is_direct(write) });
            }
            changes.extend(callers.into_iter().map(|site| Change { field, site, value: None, is_direct: false }));
        }
        changes
    }

    /// Where the class calls a method of its own that only writes for it, and nobody else can.
    fn callers_of_helper(&self, write: Site) -> Vec<Site> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let is_hidden = matches!(program.decl(write.member).modifiers.visibility, Visibility::Private | Visibility::Protected);
        if program.member(write.member).kind != MemberKind::Method || !is_hidden || !self.told_at(write, None).is_empty() {
            return Vec::new();
        }
        let calls = wiring.flow.call_sites(write.member).iter().copied().chain(self.walks_with(write.member));
        calls.filter(|s| self.counts(s.member) && s.member != write.member).collect()
    }

    /// Where a walk over a collection is handed a method: `list.forEach(this::place)`.
    fn walks_with(&self, method: MemberId) -> Vec<Site> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let walk = |read: &Site| {
            let body = program.body(read.member)?;
            let around = program.scope(read.member).parent(read.node)?;
            let is_it = || matches!(wiring.flow.eval(*read), Val::Method(m, _) if m == method);
            (program.is_walked_with(read.member, body, read.node) && is_it()).then_some(Site { member: read.member, node: around })
        };
        program.index.reads(program.member(method).name).iter().filter_map(walk).collect()
    }

    /// Changes by others: writes through an object, and calls of methods of the class that write and tell nobody.
    fn written_outside(&self, field: MemberId, quiet: &[Change]) -> Vec<Change> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let through = |w: &&state::Write| {
            !w.initial
                && matches!(w.object.root(), Val::This(_) | Val::Param(..) | Val::Static(_))
                && !self.is_own(&w.object)
                && !matches!(w.object, Val::Element(..))
        };
        let mut changes: Vec<Change> = wiring
            .writes(field)
            .iter()
            .filter(through)
            .map(|w| Change { field, site: w.site, value: value_of(w), is_direct: is_direct(w) })
            .filter(|c| self.counts(c.site.member) && self.is_outside(c))
            .collect();
        let mutators: BTreeSet<MemberId> = quiet.iter().filter(|c| c.field == field).map(|c| c.site.member).collect();
        for mutator in mutators {
            let calls = wiring.flow.call_sites(mutator).iter().copied();
            let outside = calls.filter(|s| self.counts(s.member) && !program.is_a(program.member(s.member).owner, self.class));
            changes.extend(outside.map(|site| Change { field, site, value: None, is_direct: false }));
        }
        changes
    }

    /// Whether what a function does says anything: it is no first or last value and no lazy answer.
    fn counts(&self, member: MemberId) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let kind = program.member(member).kind;
        let answers = matches!(kind, MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get));
        let is_initial = self.makes(member, 2);
        let of_roster = || {
            let ways = self.channels.iter().map(|c| &wiring.channels[*c]).flat_map(|c| c.joins.iter().chain(&c.leaves));
            ways.map(|e| wiring.effects[*e].innermost().member).any(|m| m == member)
        };
        !wiring.in_test(member) && !answers && !is_initial && !self.is_end(member) && !of_roster()
    }

    /// Whether a method ends its object; what ends something else takes it as an argument.
    fn is_end(&self, member: MemberId) -> bool {
        let program = self.wiring.program();
        program.decl(member).params.is_empty()
            && program.is_listed(&program.kit_of(member).pack.teardowns, member)
            && !teardown::may_set_back(self.wiring, member)
    }

    /// Whether a function only runs while an object is made, or is the end of it.
    fn makes(&self, member: MemberId, depth: u32) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let info = program.member(member);
        let pack = &*program.kit_of(member).pack;
        let annotated = program.is_annotated(member, &pack.making_annotations);
        let makes_anew = info.kind == MemberKind::Method && pack.making_methods.contains(program.text(info.name));
        if annotated
            || makes_anew
            || matches!(info.kind, MemberKind::Constructor | MemberKind::Destructor | MemberKind::Initializer | MemberKind::Field)
        {
            return true;
        }
        let callers = wiring.flow.callers((member, None));
        depth > 0
            && !program.ty(info.owner).is_module
            && program.decl(member).modifiers.visibility < Visibility::Public
            && !callers.is_empty()
            && callers.iter().all(|(site, _)| program.member(site.member).owner == info.owner && self.makes(site.member, depth - 1))
    }

    /// Methods of the class that change it by calling those that do: `close() { set(SHUT); }`.
    fn changing_by_others(&self) -> BTreeSet<MemberId> {
        let wiring = self.wiring;
        let own =
            |m: MemberId| wiring.flow.callers((m, None)).iter().filter(|(_, b)| matches!(b.this, None | Some(Val::This(_) | Val::Type(_))));
        let callers = self.mutators.iter().flat_map(|m| own(*m)).map(|(call, _)| call.member);
        let is_method = |m: &MemberId| wiring.program().member(*m).kind == MemberKind::Method;
        callers.filter(|m| is_method(m) && wiring.program().is_a(self.class, wiring.program().member(*m).owner)).collect()
    }

    /// Methods of the class that do anything to what the fields hold: they announce what they did themselves.
    fn acting_on_fields(&self) -> Vec<MemberId> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let acts = |method: MemberId| {
            program.body(method).is_some_and(|body| {
                body.ids().any(|n| match body.node(n) {
                    Node::Call { callee, .. } => match body.node(callee) {
                        Node::Member { object, .. } if matches!(body.node(object), Node::Name(_) | Node::Member { .. }) => {
                            let field = own_field(&wiring.flow.eval_in(method, object));
                            field.is_some_and(|m| self.fields.contains(&m) || self.is_filled_by(method, n, m))
                                && wiring.flow.callee(Site { member: method, node: n }).is_none()
                        }
                        _ => false,
                    },
                    _ => false,
                })
            })
        };
        // only who tells somebody can be taken for a notifier
        let own = program.ty(self.class).members.iter().copied();
        own.filter(|m| !wiring.tellings(*m).is_empty()).filter(|m| acts(*m)).collect()
    }

    /// Whether a call whose answer nobody wants is one of a collection that a field of the subject holds, and that is none of its
    /// observers: it changes what is in there.
    fn is_filled_by(&self, method: MemberId, call: NodeId, field: MemberId) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let info = program.member(field);
        let holds_several = || program.element_type(info.unit, &wiring.flow.type_held(field)).is_some();
        let is_let_go = || state::is_statement(program, Site { member: method, node: call });
        info.owner == self.class && is_let_go() && !self.rosters.contains(&field) && holds_several()
    }

    /// Reports the changes that are announced by nobody, where enough of the others are.
    fn judge(&self, changes: &[Change], quiet: &BTreeSet<MemberId>) -> Vec<Draft> {
        let (mut telling, mut silent) = (Vec::new(), Vec::new());
        for change in changes {
            let told = self.told_at(change.site, Some(change.field));
            let closely = self.told_closely(change.site, Some(change.field));
            match (told.is_empty(), closely.is_empty()) {
                (true, _) => silent.push(change),
                (_, false) => telling.push((change, closely)),
                _ => {}
            }
        }
        let mut drafts = Vec::new();
        for change in &silent {
            let told: BTreeSet<usize> =
                telling.iter().filter(|(c, _)| c.field == change.field).flat_map(|(_, t)| t.iter().copied()).collect();
            // where each change of it has a channel of its own, none is for all of them
            let is_shared = |channel: &usize| {
                let (on_it, on_others): (Vec<_>, Vec<_>) =
                    telling.iter().filter(|(c, _)| c.field == change.field).partition(|(_, t)| t.contains(channel));
                on_it.len() > on_others.len()
            };
            let mut shared = told.iter().copied().filter(is_shared);
            let rule = shared.find(|channel| self.is_rule_for(*channel, change, &telling, &silent, quiet));
            let Some(channel) = rule.or_else(|| self.told_in_several_ways(change, &telling, &silent)) else {
                continue;
            };
            if !self.is_reset(change, &telling)
                && !self.begins_what_is_told(change, channel, &telling)
                && !self.takes_what_is_told(change, &telling)
                && !self.is_told_behind(change)
                && !self.callers_tell(change.site.member, channel, 2)
                && !self.is_set_by_listeners(change, channel)
                && !self.is_lazy(change)
                && !self.asks_the_library(change.site)
                && !self.hands_on(change)
                && !self.tells_when_done(change.site)
                && !self.leaves_it_for_later(change.site.member, channel)
                && !self.starts_what_tells(change.site.member, channel, 1)
            {
                let of_channel = telling.iter().filter(|(c, t)| c.field == change.field && t.contains(&channel));
                let peers: BTreeSet<MemberId> = of_channel.map(|(c, _)| c.site.member).collect();
                drafts.push(self.draft(change, channel, &peers));
            }
        }
        drafts
    }

    /// Whether enough other functions announce on a channel, more than do not, and observers can see the field.
    fn is_rule_for(
        &self,
        channel: usize,
        change: &Change,
        telling: &[(&Change, BTreeSet<usize>)],
        silent: &[&Change],
        quiet_inside: &BTreeSet<MemberId>,
    ) -> bool {
        let own = change.site.member;
        let of = |field: Option<MemberId>| -> BTreeSet<MemberId> {
            let told = telling.iter().filter(|(c, t)| t.contains(&channel) && c.site.member != own && field.is_none_or(|f| f == c.field));
            told.map(|(c, _)| c.site.member).collect()
        };
        let all = of(None);
        let same = of(Some(change.field));
        let quiet: BTreeSet<MemberId> = silent.iter().map(|c| c.site.member).filter(|m| !all.contains(m)).collect();
        let quiet_about_it = silent.iter().filter(|c| c.field == change.field && c.site.member != own).count();
        let others = quiet.iter().chain(quiet_inside).filter(|m| **m != own).count();
        let about_it = || telling.iter().filter(|(c, t)| c.field == change.field && t.contains(&channel)).map(|(c, _)| *c);
        // the field's own writers pass it on, or all that changes in the subject is announced on the one channel
        let passes_it =
            |least: usize| about_it().filter(|c| self.passes_on(channel, c)).map(|c| c.site.member).collect::<BTreeSet<_>>().len() >= least;
        let fields: BTreeSet<MemberId> = telling.iter().filter(|(_, t)| t.contains(&channel)).map(|(c, _)| c.field).collect();
        let alone = self.channels.len() == 1;
        let peers = if fields.len() > 1 || self.is_outside(change) {
            1
        } else if alone {
            PEERS
        } else {
            PEERS + 1
        };
        let is_for_all = || {
            let few = same.len() < PEERS && !self.is_outside(change);
            same.len() >= peers && others == 0 && self.passes_nothing(channel) && !(few && self.tells_without_change(channel))
        };
        let is_for_it =
            || same.len() >= PEERS && quiet_about_it == 0 && self.is_named_for(channel, change.field) && self.passes_nothing(channel);
        let shown = is_for_all() || is_for_it() || (quiet_about_it == 0 && passes_it(PEERS));
        // more and less of the same: `level += by` and `level -= by`
        let steps = |c: &Change| c.is_direct && c.value.is_none();
        let is_alike = || self.wiring.is_state_of_machine(change.field) || steps(change);
        let one_is_enough = || {
            same.len() == 1
                && quiet_about_it == 0
                && (self.is_named_for(channel, change.field) || (is_alike() && passes_it(1)))
                && !self.is_outside(change)
                && !self.ends(own)
        };
        let is_told_by_name = || {
            let is_support = !matches!(self.wiring.channels[channel].key, ChannelKey::Bus(..) | ChannelKey::Own(_, Some(_)));
            let is_open = || quiet_about_it == 0 && !self.is_outside(change) && !self.ends(own);
            is_support && change.is_direct && is_open() && about_it().any(|c| self.is_told_by_name(c))
        };
        let enough_tell = if all.len() < PEERS {
            all.len() == 1 && (one_is_enough() || is_told_by_name())
        } else {
            (shown || is_told_by_name()) && quiet.len() < all.len()
        };
        enough_tell && self.is_seen(change.field)
    }

    /// The first of several channels on which the others that change a field each tell what it has become: which one it is says what
    /// was done, and all of them that it has changed.
    fn told_in_several_ways(&self, change: &Change, telling: &[(&Change, BTreeSet<usize>)], silent: &[&Change]) -> Option<usize> {
        let own = change.site.member;
        let is_only = silent.iter().all(|c| c.field != change.field || c.site.member == own);
        if !is_only || !change.is_direct || self.is_outside(change) || self.ends(own) {
            return None;
        }
        let others = telling.iter().filter(|(c, _)| c.field == change.field && c.site.member != own);
        let mut peers: BTreeMap<MemberId, usize> = BTreeMap::new();
        for (peer, told) in others {
            let channel = told.iter().copied().find(|channel| self.passes_on(*channel, peer))?;
            peers.insert(peer.site.member, channel);
        }
        let channels: BTreeSet<usize> = peers.values().copied().collect();
        channels.first().copied().filter(|_| peers.len() >= PEERS && channels.len() == peers.len())
    }

    /// Whether methods of the class that change nothing, and that nobody calls for a change, tell a channel as well: it is about
    /// what they do.
    fn tells_without_change(&self, channel: usize) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let own = program.ty(self.class).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::Method);
        own.filter(|m| !self.mutators.contains(m) && wiring.tellings(*m).iter().any(|(_, told)| *told == channel))
            .any(|m| wiring.flow.call_sites(m).is_empty())
    }

    fn is_outside(&self, change: &Change) -> bool {
        let program = self.wiring.program();
        !program.is_a(program.member(change.site.member).owner, self.class)
    }

    /// Whether observers can see a field: it is public, or a getter or a raise hands it out.
    fn is_seen(&self, field: MemberId) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let is_open = program.decl(field).modifiers.visibility != Visibility::Private;
        let answers = |m: MemberId| {
            let Some(body) = program.body(m) else { return false };
            let nodes = || body.ids();
            let gives = body.returns_root || nodes().any(|n| matches!(body.node(n), Node::Return(Some(_))));
            gives && nodes().any(|n| self.names(m, n, field)) && !wiring.writes(field).iter().any(|w| w.site.member == m)
        };
        let has_getter = || {
            let own = program.ty(self.class).members.iter().copied();
            own.filter(|m| *m != field && program.decl(*m).modifiers.visibility != Visibility::Private)
                .any(|m| matches!(program.member(m).kind, MemberKind::Method | MemberKind::Accessor(_)) && answers(m))
        };
        let is_told = || {
            self.channels.iter().flat_map(|c| self.raises(*c)).any(|(site, args)| {
                args.iter().any(|a| matches!(wiring.flow.eval_in(site.member, *a), Val::Member(_, m) | Val::Static(m) if m == field))
            })
        };
        is_open || has_getter() || is_told()
    }

    /// Whether a node names a field of the object.
    fn names(&self, member: MemberId, node: NodeId, field: MemberId) -> bool {
        let Some(body) = self.wiring.program().body(member) else { return false };
        matches!(body.node(node), Node::Name(_) | Node::Member { .. }) && own_field(&self.wiring.flow.eval_in(member, node)) == Some(field)
    }

    fn draft(&self, change: &Change, channel: usize, peers: &BTreeSet<MemberId>) -> Draft {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let channel = short(&wiring.channels[channel].id);
        let field = format!("{}.{}", program.type_id(self.class), program.text(program.member(change.field).name));
        let writer = program.member_id(change.site.member);
        let names: Vec<String> = peers.iter().take(3).map(|m| format!("`{}`", short(&program.member_id(*m)))).collect();
        Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place: program.place_of(change.site),
            message: format!(
                "`{}` changes `{}` and does not announce it on `{channel}`, as {} {}",
                short(&writer),
                short(&field),
                names.join(" and "),
                if names.len() == 1 { "does" } else { "do" },
            ),
            related: peers.iter().take(3).map(|m| related("this one announces it", program.member_place(*m))).collect(),
            parties: vec![writer, field],
            edit: None,
        }
    }
}

/// Whether a write gives the field itself another value.
fn is_direct(write: &state::Write) -> bool {
    matches!(write.how, How::Set(_) | How::Change)
}

/// What a write assigns.
fn value_of(write: &state::Write) -> Option<NodeId> {
    match write.how {
        How::Set(value) => Some(value),
        _ => None,
    }
}
