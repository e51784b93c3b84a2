//! Rule `skipped-notify`: state is written that is announced elsewhere, and on this path nobody is told.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{MemberKind, Node, NodeId, Visibility};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, plain, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::state::{self, How};
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;
use crate::wire::effect::Act;

/// So many other mutators announce where a silent one is a slip; one is enough where the channel is named for the field.
const PEERS: usize = 2;
/// So many letters a field's name must have to show in a channel's.
const NAMING: usize = 4;

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
}

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let rosters = wiring.told_members();
    let mut subjects: BTreeMap<TypeId, bool> = BTreeMap::new();
    let mut fields: BTreeMap<TypeId, Vec<MemberId>> = BTreeMap::new();
    for field in wiring.written_fields() {
        let info = program.member(field);
        let is_subject = *subjects.entry(info.owner).or_insert_with(|| !wiring.channels_of(info.owner).is_empty());
        if is_subject && !info.is_static && !rosters.contains(&field) {
            fields.entry(info.owner).or_default().push(field);
        }
    }
    let mut drafts = Vec::new();
    for (class, fields) in fields {
        let channels = wiring.channels_of(class);
        let mut subject = Subject { wiring, class, fields: &fields, channels, mutators: BTreeSet::new() };
        let inside: Vec<Change> = fields.iter().flat_map(|f| subject.written_inside(*f)).collect();
        subject.mutators = inside.iter().map(|c| c.site.member).chain(subject.acting_on_fields()).collect();
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

impl Subject<'_, '_> {
    /// Changes by methods of the class itself, those in constructors and teardowns left out.
    fn written_inside(&self, field: MemberId) -> Vec<Change> {
        let writes = self.wiring.writes(field).iter().filter(|w| !w.initial && matches!(w.object, Val::This(_)));
        let mut changes = Vec::new();
        for write in writes.filter(|w| self.counts(w.site.member)) {
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
        let calls = wiring.flow.call_sites(write.member).iter().copied();
        calls.filter(|s| self.counts(s.member) && s.member != write.member).collect()
    }

    /// Changes by others: writes through an object, and calls of methods of the class that write and tell nobody.
    fn written_outside(&self, field: MemberId, quiet: &[Change]) -> Vec<Change> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let through = |w: &&state::Write| {
            !w.initial
                && matches!(w.object.root(), Val::This(_) | Val::Param(..) | Val::Static(_))
                && !matches!(w.object, Val::This(_) | Val::Element(..))
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
        // what ends something else takes it as an argument
        let is_end = program.decl(member).params.is_empty() && program.is_listed(&program.kit_of(member).pack.teardowns, member);
        let of_roster = || {
            let ways = self.channels.iter().map(|c| &wiring.channels[*c]).flat_map(|c| c.joins.iter().chain(&c.leaves));
            ways.map(|e| wiring.effects[*e].innermost().member).any(|m| m == member)
        };
        !wiring.in_test(member) && !answers && !is_initial && !is_end && !of_roster()
    }

    /// Whether a function only runs while an object is made, or is the end of it.
    fn makes(&self, member: MemberId, depth: u32) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let info = program.member(member);
        let pack = &*program.kit_of(member).pack;
        let annotated =
            program.decl(member).annotations.iter().any(|a| pack.making_annotations.contains(program.unit_of(member).text(a.name)));
        if annotated || matches!(info.kind, MemberKind::Constructor | MemberKind::Destructor | MemberKind::Initializer) {
            return true;
        }
        let callers = wiring.flow.callers((member, None));
        depth > 0
            && !program.ty(info.owner).is_module
            && program.decl(member).modifiers.visibility < Visibility::Public
            && !callers.is_empty()
            && callers.iter().all(|(site, _)| program.member(site.member).owner == info.owner && self.makes(site.member, depth - 1))
    }

    /// The channels of the subject that are told on the way through a statement, before or after it, however deep; of a field only where
    /// it is not said that another one has changed.
    fn told_at(&self, site: Site, field: Option<MemberId>) -> BTreeSet<usize> {
        self.told(site, &|node| self.is_about(site.member, node, field))
    }

    /// Those of them that are raised right there, or by a method of the subject that is called there.
    fn told_closely(&self, site: Site, field: Option<MemberId>) -> BTreeSet<usize> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let Some(body) = program.body(site.member) else { return BTreeSet::new() };
        let scope = program.scope(site.member);
        // what only some of its changes come by
        let is_choice = |node: NodeId| {
            scope
                .ancestors(node)
                .take_while(|a| !scope.ancestors(site.node).any(|b| b == *a))
                .any(|a| matches!(body.node(a), Node::If { .. }))
        };
        let is_raise = |node: NodeId| wiring.effects_at(Site { member: site.member, node }).any(|e| wiring.effects[e].act == Act::Raise);
        self.told(site, &|node| {
            if !self.is_about(site.member, node, field) {
                return false;
            }
            if is_raise(node) && !is_choice(node) {
                return true;
            }
            let called = match body.node(node) {
                Node::Call { .. } => wiring.flow.callee(Site { member: site.member, node }),
                // a property that tells when it is set
                Node::Assign { .. } if node != site.node && is_choice(node) => return false,
                _ => None,
            };
            called.is_none_or(|c| program.is_a(self.class, program.member(c.member).owner) && !self.mutators.contains(&c.member))
        })
    }

    /// Whether a call that tells may be about a field: it names no other property, nor is it a call of what does.
    fn is_about(&self, member: MemberId, node: NodeId, field: Option<MemberId>) -> bool {
        let wiring = self.wiring;
        let names_another = |site: Site, f: MemberId| wiring.tells_of_another(self.class, site, f);
        let calls_another = |f: MemberId| {
            let Some(called) = wiring.flow.callee(Site { member, node }).map(|c| c.member) else { return false };
            let mut told = wiring.tellings(called).iter().filter(|(_, channel)| self.channels.contains(channel)).peekable();
            told.peek().is_some() && told.all(|(node, _)| names_another(Site { member: called, node: *node }, f))
        };
        field.is_none_or(|f| !names_another(Site { member, node }, f) && !calls_another(f))
    }

    /// Whether what a change tells is the name of the property that is behind its field.
    fn is_told_by_name(&self, change: &Change) -> bool {
        let (wiring, member) = (self.wiring, change.site.member);
        let mut told = wiring.tellings(member).iter().filter(|(_, channel)| self.channels.contains(channel));
        told.any(|(node, _)| wiring.tells_of(self.class, Site { member, node: *node }, change.field))
    }

    /// Methods of the class that do anything to what the fields hold: they announce what they did themselves.
    fn acting_on_fields(&self) -> Vec<MemberId> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let acts = |method: MemberId| {
            program.body(method).is_some_and(|body| {
                body.ids().any(|n| match body.node(n) {
                    Node::Call { callee, .. } => match body.node(callee) {
                        Node::Member { object, .. } if matches!(body.node(object), Node::Name(_) | Node::Member { .. }) => {
                            let is_field = matches!(wiring.flow.eval_in(method, object), Val::Member(of, m) if matches!(*of, Val::This(_)) && self.fields.contains(&m));
                            is_field && wiring.flow.callee(Site { member: method, node: n }).is_none()
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

    fn told(&self, site: Site, counts: &dyn Fn(NodeId) -> bool) -> BTreeSet<usize> {
        let program = self.wiring.program();
        let Some(body) = program.body(site.member) else { return BTreeSet::new() };
        let scope = program.scope(site.member);
        let of_subject = self.wiring.tellings(site.member).iter().filter(|(_, channel)| self.channels.contains(channel));
        let met = |node: NodeId| {
            node == site.node || state::follows(body, scope, site.node, node) || state::precedes(body, scope, site.node, node)
        };
        of_subject.filter(|(node, _)| counts(*node) && met(*node)).map(|(_, channel)| *channel).collect()
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
            let Some(channel) = told.iter().copied().find(|channel| self.is_rule_for(*channel, change, &telling, &silent, quiet)) else {
                continue;
            };
            if !self.is_reset(change, &telling)
                && !self.callers_tell(change.site.member, channel, 2)
                && !self.is_set_by_listeners(change, channel)
                && !self.is_lazy(change)
                && !self.asks_the_library(change.site)
                && !self.hands_on(change)
            {
                let of_channel = telling.iter().filter(|(_, t)| t.contains(&channel));
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
        // the field's own writers pass it on, or all that changes in the subject is announced on the one channel
        let passes_it = |least: usize| {
            let told = telling.iter().filter(|(c, t)| c.field == change.field && t.contains(&channel));
            told.filter(|(c, _)| self.passes_on(channel, c)).map(|(c, _)| c.site.member).collect::<BTreeSet<_>>().len() >= least
        };
        let fields: BTreeSet<MemberId> = telling.iter().filter(|(_, t)| t.contains(&channel)).map(|(c, _)| c.field).collect();
        let peers = if fields.len() > 1 || self.is_outside(change) { 1 } else { PEERS + 1 };
        let is_for_all = || same.len() >= peers && others == 0 && self.passes_nothing(channel);
        let is_for_it =
            || same.len() >= PEERS && quiet_about_it == 0 && self.is_named_for(channel, change.field) && self.passes_nothing(channel);
        let shown = is_for_all() || is_for_it() || (quiet_about_it == 0 && passes_it(PEERS));
        let one_is_enough = || {
            same.len() == 1
                && quiet_about_it == 0
                && (self.is_named_for(channel, change.field) || (self.is_state_of_machine(change.field) && passes_it(1)))
                && !self.is_outside(change)
                && !self.ends(own)
        };
        let is_told_by_name = || {
            let mut about_it = telling.iter().filter(|(c, t)| c.field == change.field && t.contains(&channel));
            let is_support = !matches!(self.wiring.channels[channel].key, ChannelKey::Bus(..) | ChannelKey::Own(_, Some(_)));
            let is_open = || quiet_about_it == 0 && !self.is_outside(change) && !self.ends(own);
            is_support && change.is_direct && is_open() && about_it.any(|(c, _)| self.is_told_by_name(c))
        };
        let enough_tell = if all.len() < PEERS {
            all.len() == 1 && (one_is_enough() || is_told_by_name())
        } else {
            (shown || is_told_by_name()) && quiet.len() < all.len()
        };
        enough_tell && self.is_seen(change.field)
    }

    /// Whether a method is the end of something: of the object, or of what an entry of its began.
    fn ends(&self, member: MemberId) -> bool {
        let program = self.wiring.program();
        let pack = &*program.kit_of(member).pack;
        let name = program.text(program.member(member).name);
        program.is_listed(&pack.teardowns, member) || pack.pairs.iter().any(|(_, exit)| exit == name)
    }

    /// Whether a field holds the state of a machine.
    fn is_state_of_machine(&self, field: MemberId) -> bool {
        self.wiring.machines().iter().any(|m| m.moves && matches!(m.machine.holder, crate::machine::Holder::Field(f) if f == field))
    }

    fn is_outside(&self, change: &Change) -> bool {
        let program = self.wiring.program();
        !program.is_a(program.member(change.site.member).owner, self.class)
    }

    /// The arguments of a channel's raises, by raise.
    fn raises(&self, channel: usize) -> Vec<(Site, Vec<NodeId>)> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let sites = wiring.channels[channel].raises.iter().map(|r| wiring.effects[*r].innermost());
        let with_args = sites.filter_map(|site| {
            let body = program.body(site.member)?;
            match body.node(site.node) {
                Node::Call { args, .. } => Some((site, body.list(args).to_vec())),
                _ => None,
            }
        });
        with_args.collect()
    }

    /// Whether a channel tells only that something has changed, in its subject at most.
    fn passes_nothing(&self, channel: usize) -> bool {
        let raises = self.raises(channel);
        let flow = &self.wiring.flow;
        let program = self.wiring.program();
        // what a notifying method is called with
        let handed = |member: MemberId, arg: &NodeId| match flow.eval_in(member, *arg) {
            Val::Param(m, None, index) if m == member => {
                let little =
                    |v: Option<&Val>| matches!(v, None | Some(Val::This(_) | Val::Null | Val::Str(_) | Val::Literal(_) | Val::Data));
                flow.callers((m, None)).iter().all(|(_, with)| little(with.args.get(index as usize).and_then(Option::as_ref)))
            }
            _ => false,
        };
        let says_little = |member, arg: &NodeId| match flow.eval_in(member, *arg) {
            Val::This(_) | Val::Null | Val::Str(_) | Val::Literal(_) => true,
            // `EventArgs.Empty`
            Val::Outside(of, _) => matches!(*of, Val::Global(_)),
            // `new PropertyChangedEventArgs("Level")`
            Val::New(made) => program.body(made.member).is_some_and(|b| match b.node(made.node) {
                Node::New { args, .. } => {
                    let is_name = |a: &NodeId| matches!(b.node(*a), Node::Str(_) | Node::Null | Node::This);
                    b.list(args).iter().all(|a| is_name(a) || handed(made.member, a))
                }
                _ => false,
            }),
            _ => false,
        };
        raises.iter().all(|(site, args)| {
            args.iter().all(|a| self.is_state(site.member, *a) || says_little(site.member, a) || handed(site.member, a))
        })
    }

    /// Whether a channel, or what it calls on its observers, has its name from a field: `TargetChanged` for `target`.
    fn is_named_for(&self, channel: usize, field: MemberId) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let name = program.text(program.member(field).name);
        // by custom fields begin with a letter and a stroke
        let field = plain(name.strip_prefix("m_").unwrap_or(name));
        let channel = &wiring.channels[channel];
        let id = short(&channel.id);
        let messages = channel.raises.iter().filter_map(|r| wiring.effects[*r].message).map(|m| program.text(m));
        let is_for_it = |name: &str| {
            let name = plain(name);
            // `onTimeout` says that one has run out
            name.strip_prefix("on").unwrap_or(&name).strip_prefix(&field).is_some_and(|rest| !rest.is_empty())
        };
        field.len() >= NAMING && messages.chain(id.rsplit(['.', ':']).next()).any(is_for_it)
    }

    /// Whether an expression reads fields of the subject.
    fn is_state(&self, member: MemberId, arg: NodeId) -> bool {
        matches!(self.wiring.flow.eval_in(member, arg), Val::Member(_, m) if self.fields.contains(&m))
    }

    /// Whether a channel is told what a change gives the field.
    fn passes_on(&self, channel: usize, change: &Change) -> bool {
        let wiring = self.wiring;
        let program = wiring.program();
        let assigned = change.value.map(|v| wiring.flow.eval_in(change.site.member, v));
        self.raises(channel).iter().any(|(site, args)| {
            let Some(body) = program.body(site.member) else { return false };
            let is_it = |n: NodeId| {
                matches!(body.node(n), Node::Name(_) | Node::Member { .. } | Node::Call { .. }) && {
                    let value = wiring.flow.eval_in(site.member, n);
                    matches!(value, Val::Member(_, m) if m == change.field)
                        || (site.member == change.site.member
                            && matches!(value, Val::Param(..) | Val::Local(_) | Val::Element(..))
                            && assigned.as_ref() == Some(&value))
                }
            };
            args.iter().any(|a| state::any_within(body, *a, &is_it))
        })
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
            self.channels
                .iter()
                .flat_map(|c| self.raises(*c))
                .any(|(site, args)| args.iter().any(|a| matches!(wiring.flow.eval_in(site.member, *a), Val::Member(_, m) if m == field)))
        };
        is_open || has_getter() || is_told()
    }

    /// Whether a node names a field of the object.
    fn names(&self, member: MemberId, node: NodeId, field: MemberId) -> bool {
        let Some(body) = self.wiring.program().body(member) else { return false };
        matches!(body.node(node), Node::Name(_) | Node::Member { .. })
            && matches!(self.wiring.flow.eval_in(member, node), Val::Member(of, m) if m == field && matches!(*of, Val::This(_)))
    }

    /// Whether a write only sets back what the others set: nothing, or a flag.
    fn is_reset(&self, change: &Change, telling: &[(&Change, BTreeSet<usize>)]) -> bool {
        let program = self.wiring.program();
        let constant = |c: &Change| {
            let body = program.body(c.site.member)?;
            let is_constant = |n: NodeId| matches!(body.node(n), Node::Null | Node::Bool(_));
            match (c.value, body.node(c.site.node)) {
                (Some(value), _) => Some(is_constant(value)),
                (None, Node::Call { args, .. }) if args.len > 0 => Some(body.list(args).iter().all(|a| is_constant(*a))),
                _ => None,
            }
        };
        // what a flag is set to by a call is an option
        let is_option = change.value.is_none() && constant(change) == Some(true);
        is_option || constant(change) == Some(true) && !telling.iter().any(|(c, _)| c.field == change.field && constant(c) == Some(true))
    }

    /// Whether a method, or the one that it calls to write, calls methods that its class inherits from a library:
    /// these may announce.
    fn asks_the_library(&self, site: Site) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let written_by = wiring.flow.callee(site).map(|c| c.member).filter(|m| self.mutators.contains(m));
        [Some(site.member), written_by].into_iter().flatten().any(|member| {
            let Some(body) = program.body(member) else { return false };
            let inherits = !program.outside_bases(program.member(member).owner).is_empty();
            body.ids().any(|n| match body.node(n) {
                Node::Call { callee, .. } => match wiring.flow.eval_in(member, callee) {
                    Val::Outside(of, _) => matches!(*of, Val::This(_)),
                    // inherited from a class that is not of the tree
                    Val::Global(_) => inherits,
                    _ => false,
                },
                _ => false,
            })
        })
    }

    /// Whether somebody is handed the changed object right after the change: that may well tell of it.
    fn hands_on(&self, change: &Change) -> bool {
        let program = self.wiring.program();
        let Some(body) = program.body(change.site.member) else { return false };
        let scope = program.scope(change.site.member);
        let object = match body.node(change.site.node) {
            Node::Call { callee, .. } => callee,
            Node::Assign { target, .. } => target,
            _ => return false,
        };
        let Node::Member { object, .. } = body.node(object) else { return false };
        let Node::Name(name) = body.node(object) else { return false };
        let declared = scope.lookup(name, object);
        let is_it = |n: NodeId| body.node(n) == Node::Name(name) && scope.lookup(name, n) == declared;
        let is_handed = |n: NodeId| match body.node(n) {
            Node::Call { args, .. } if n != change.site.node => body.list(args).iter().any(|a| state::any_within(body, *a, &is_it)),
            _ => false,
        };
        state::comes_after(body, scope, change.site.node, &is_handed)
    }

    /// Whether a write fills in what was not there yet: the field is asked for right around it.
    fn is_lazy(&self, change: &Change) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let member = change.site.member;
        let Some(body) = program.body(member) else { return true };
        let is_field = |n: NodeId| matches!(wiring.flow.eval_in(member, n), Val::Member(_, m) if m == change.field);
        matches!(body.node(change.site.node), Node::Assign { op: yarrowgraph_ir::AssignOp::IfUnset, .. })
            || program.scope(member).ancestors(change.site.node).any(|around| match body.node(around) {
                // put back as it was
                Node::Catch { .. } => true,
                Node::If { cond, .. } => match body.node(cond) {
                    Node::Binary { op: yarrowgraph_ir::BinaryOp::Eq, left, right } => {
                        (is_field(left) && body.node(right) == Node::Null) || (is_field(right) && body.node(left) == Node::Null)
                    }
                    Node::Unary { op: yarrowgraph_ir::UnaryOp::Not, operand } => is_field(operand),
                    _ => false,
                },
                _ => false,
            })
    }

    /// Whether a call of a function is met by an announcement, in its callers or in theirs: then that is their part.
    fn callers_tell(&self, member: MemberId, channel: usize, depth: u32) -> bool {
        let Some(depth) = depth.checked_sub(1) else { return false };
        let callers = self.wiring.flow.callers((member, None));
        let outside: Vec<Site> = callers.iter().map(|(site, _)| *site).filter(|s| !self.wiring.in_test(s.member)).collect();
        outside.iter().any(|site| {
            let is_initial = self.wiring.program().member(site.member).kind == MemberKind::Constructor;
            let is_other = site.member != member;
            is_other && (is_initial || self.told_closely(*site, None).contains(&channel) || self.callers_tell(site.member, channel, depth))
        })
    }

    /// Whether a setter is called by all those who listen, and by nobody else: they know what they hand over.
    fn is_set_by_listeners(&self, change: &Change, channel: usize) -> bool {
        let member = change.site.member;
        let is_setter = change.value.is_some_and(|v| matches!(self.wiring.flow.eval_in(member, v), Val::Param(m, None, _) if m == member));
        if !is_setter || self.is_outside(change) {
            return false;
        }
        let (wiring, program) = (self.wiring, self.wiring.program());
        let joins = &wiring.channels[channel].joins;
        let listen = |class: TypeId| joins.iter().any(|j| wiring.listening_class(*j).is_some_and(|t| program.is_a(class, t)));
        let callers = wiring.flow.call_sites(member).iter().map(|site| site.member).filter(|m| !wiring.in_test(*m));
        let classes: BTreeSet<TypeId> = callers.map(|m| program.member(m).owner).filter(|t| !program.ty(*t).is_module).collect();
        let knows = |j: &usize| wiring.listening_class(*j).is_some_and(|t| classes.iter().any(|c| program.is_a(*c, t)));
        !classes.is_empty() && classes.iter().all(|c| listen(*c)) && joins.iter().all(knows)
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

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_mutator_that_tells_nobody() {
        expect(
            "skipped-notify",
            r#"
//// rack.ts
export class Rack {
  private readonly watchers = new Set<() => void>();
  private readonly trays = new Map<string, number>();
  watch(fn: () => void): () => void { this.watchers.add(fn); return () => this.watchers.delete(fn); }
  put(id: string, loaves: number): void { this.place(id, loaves); this.changed(); }
  fill(ids: string[]): void { for (const id of ids) this.place(id, 12); this.changed(); }
  take(id: string): void { if (!this.trays.delete(id)) return; this.changed(); }
  swap(id: string): void {
    this.trays.set(id, 0); //! skipped-notify warning
  }
  size(): number { return this.trays.size; }
  private place(id: string, loaves: number): void { this.trays.set(id, loaves); }
  private changed(): void { for (const fn of [...this.watchers]) fn(); }
}
"#,
        );
    }

    #[test]
    fn callers_set_and_then_tell() {
        expect(
            "skipped-notify",
            r#"
//// Lock.cs
using System;
class Plan {
    public string Day = "";
    public int Boats;
    public event Action<Plan> Settled;
    public void Settle() => Settled?.Invoke(this);
}
class Keeper {
    private readonly Plan _plan;
    public Keeper(Plan plan) => _plan = plan;
    public void Book(string day) { _plan.Day = day; _plan.Boats = 2; _plan.Settle(); }
    public void More() { _plan.Boats++; _plan.Settle(); }
    public void Move(string day) {
        _plan.Day = day; //! skipped-notify warning
    }
}
static class Program {
    static void Main() {
        var plan = new Plan();
        plan.Settled += p => Console.WriteLine(p.Day);
        var keeper = new Keeper(plan);
        keeper.Book("Monday"); keeper.More(); keeper.Move("Friday");
    }
}
"#,
        );
    }

    #[test]
    fn a_helper_of_the_constructor_and_what_is_handed_on_are_no_slips() {
        expect(
            "skipped-notify",
            r#"
//// Lock.cs
using System;
class Plan {
    public string Day = "";
    public int Boats;
    public event Action<Plan> Settled;
    public void Settle() => Settled?.Invoke(this);
}
class Book { public void Note(Plan plan) => Console.WriteLine(plan.Day); }
class Keeper {
    private readonly Plan _plan;
    private readonly Book _book;
    public Keeper(Plan plan, Book book) { _plan = plan; _book = book; Start(); }
    private void Start() { _plan.Day = "Sunday"; }
    public void Take(string day) { _plan.Day = day; _plan.Boats = 2; _plan.Settle(); }
    public void More() { _plan.Boats++; _plan.Settle(); }
    public void Move(string day) { _plan.Day = day; _book.Note(_plan); }
}
static class Program {
    static void Main() {
        var plan = new Plan();
        plan.Settled += p => Console.WriteLine(p.Day);
        var keeper = new Keeper(plan, new Book());
        keeper.Take("Monday"); keeper.More(); keeper.Move("Friday");
    }
}
"#,
        );
    }
}
