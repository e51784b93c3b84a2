//! What a channel is told of a change, and on which ways.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Node, NodeId};

use super::{Change, Subject};
use crate::flow::{Val, object_of};
use crate::judge::{plain, short};
use crate::program::{MemberId, Site};
use crate::state;
use crate::wire::effect::Act;
use crate::written;

/// So many letters a field's name must have to show in a channel's.
const NAMING: usize = 4;

impl Subject<'_, '_> {
    /// The channels of the subject that are told on the way through a statement, before or after it, however deep; of a field only where
    /// it is not said that another one has changed.
    pub(super) fn told_at(&self, site: Site, field: Option<MemberId>) -> BTreeSet<usize> {
        self.told(site, &|node| self.is_about(site.member, node, field))
    }

    /// Those of them that are raised right there, or by a method of the subject that is called there.
    pub(super) fn told_closely(&self, site: Site, field: Option<MemberId>) -> BTreeSet<usize> {
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
        let around = scope.ancestors(site.node).find(|a| matches!(body.node(*a), Node::Block(_)));
        let tells = |node: NodeId| {
            if !self.is_about(site.member, node, field) {
                return false;
            }
            let is_mutator = |m: MemberId| self.mutators.contains(&m) && program.member(site.member).owner != self.class;
            let of_mutator = || wiring.flow.callee(Site { member: site.member, node }).is_some_and(|c| is_mutator(c.member));
            if is_raise(node) && !is_choice(node) && !of_mutator() {
                return true;
            }
            let called = match body.node(node) {
                Node::Call { .. } if node == site.node || !is_choice(node) => wiring.flow.callee(Site { member: site.member, node }),
                // a property that tells when it is set
                Node::Call { .. } | Node::Assign { .. } if node != site.node && is_choice(node) => return false,
                _ => None,
            };
            called.is_none_or(|c| program.is_a(self.class, program.member(c.member).owner) && !self.mutators.contains(&c.member))
        };
        // what is told in the same block is about the change, what is told further on about all that was done
        let near = self.told(site, &|node| around.is_some_and(|a| scope.is_within(node, a)) && tells(node));
        if near.is_empty() { self.told(site, &tells) } else { near }
    }

    /// Whether a call that tells may be about a field: it names no other property, nor is it a call of what does.
    pub(super) fn is_about(&self, member: MemberId, node: NodeId, field: Option<MemberId>) -> bool {
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
    pub(super) fn is_told_by_name(&self, change: &Change) -> bool {
        let (wiring, member) = (self.wiring, change.site.member);
        let mut told = wiring.tellings(member).iter().filter(|(_, channel)| self.channels.contains(channel));
        told.any(|(node, _)| wiring.tells_of(self.class, Site { member, node: *node }, change.field))
    }

    pub(super) fn told(&self, site: Site, counts: &dyn Fn(NodeId) -> bool) -> BTreeSet<usize> {
        let program = self.wiring.program();
        let Some(body) = program.body(site.member) else { return BTreeSet::new() };
        let scope = program.scope(site.member);
        let of_subject = self.wiring.tellings(site.member).iter().filter(|(_, channel)| self.channels.contains(channel));
        let met = |node: NodeId| {
            node == site.node || state::follows(body, scope, site.node, node) || state::precedes(body, scope, site.node, node)
        };
        let of_same = |node: NodeId| !self.is_of_another(site, Site { member: site.member, node });
        of_subject.filter(|(node, _)| counts(*node) && met(*node) && of_same(*node)).map(|(_, channel)| *channel).collect()
    }

    /// Whether two calls in one body are of two objects that are told apart: `valves[2].turn(); valves[0].shut()`.
    fn is_of_another(&self, first: Site, second: Site) -> bool {
        let (flow, program) = (&self.wiring.flow, self.wiring.program());
        let (Some((a, _)), Some((b, _))) = (flow.receiver(first), flow.receiver(second)) else { return false };
        let is_subject = |v: &Val| flow.type_of(v).own().is_some_and(|t| program.is_a(t, self.class));
        if !is_subject(&a) || !is_subject(&b) {
            return false;
        }
        let is_one = |v: &Val| match v {
            Val::New(_) | Val::Local(_) => true,
            Val::Element(_, key) => key.is_some(),
            Val::Member(of, _) => matches!(**of, Val::This(_)),
            _ => false,
        };
        // places of a list are told apart by how they are written
        let is_at_place = matches!(&a, Val::Element(_, Some(key)) if **key == Val::Data);
        let written = |site: Site| {
            let object = program.body(site.member).and_then(|body| object_of(body, site.node));
            object.map(|node| written::expression(program, Site { member: site.member, node }))
        };
        if a == b { is_at_place && written(first) != written(second) } else { is_one(&a) && is_one(&b) }
    }

    /// The arguments of a channel's raises, by raise.
    pub(super) fn raises(&self, channel: usize) -> Vec<(Site, Vec<NodeId>)> {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let told = |r: &usize| wiring.effects[*r].told_in.unwrap_or_else(|| wiring.effects[*r].innermost());
        let sites = wiring.channels[channel].raises.iter().map(told);
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
    pub(super) fn passes_nothing(&self, channel: usize) -> bool {
        let raises = self.raises(channel);
        let flow = &self.wiring.flow;
        let program = self.wiring.program();
        // what a notifying method is called with
        let handed = |member: MemberId, arg: &NodeId| match flow.eval_in(member, *arg) {
            Val::Param(m, None, index) if m == member => {
                let little = |v: Option<&Val>| match v {
                    Some(Val::New(made)) => self.is_record(*made),
                    v => matches!(v, None | Some(Val::This(_) | Val::Null | Val::Str(_) | Val::Literal(_) | Val::Data)),
                };
                flow.callers((m, None)).iter().all(|(_, with)| little(with.args.get(index as usize).and_then(Option::as_ref)))
            }
            _ => false,
        };
        let says_little = |member, arg: &NodeId| match flow.eval_in(member, *arg) {
            Val::This(_) | Val::Null | Val::Str(_) | Val::Literal(_) => true,
            // `EventArgs.Empty`
            Val::Outside(of, _) => matches!(*of, Val::Global(_)),
            // a record that says what has happened, as it could be written out
            Val::New(made) if self.is_record(made) => true,
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

    /// Whether an object is of a class of the tree that is nothing but data, and holds nothing that is read from the subject.
    fn is_record(&self, made: Site) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let is_data = wiring.flow.type_of_node(made.member, made.node).own().is_some_and(|t| program.is_mere_data(t));
        is_data
            && program.body(made.member).is_some_and(|b| match b.node(made.node) {
                Node::New { args, .. } => !b.list(args).iter().any(|a| self.is_state(made.member, *a)),
                _ => false,
            })
    }

    /// Whether a channel, or what it calls on its observers, has its name from a field: `TargetChanged` for `target`.
    pub(super) fn is_named_for(&self, channel: usize, field: MemberId) -> bool {
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
    pub(super) fn is_state(&self, member: MemberId, arg: NodeId) -> bool {
        let flow = &self.wiring.flow;
        let is_part =
            |value: &Val| matches!(value, Val::Member(_, m) | Val::Static(m) if self.fields.contains(m) || self.records.contains(m));
        match flow.eval_in(member, arg) {
            // a copy of the record: `Values values = now.copy();`
            Val::Local(local) if !self.records.is_empty() => {
                let copied = |node: NodeId| flow.receiver(Site { member: local.member, node }).is_some_and(|(of, _)| is_part(&of));
                let values = flow.local_values(local);
                !values.is_empty() && values.into_iter().all(|v| copied(v) || is_part(&flow.eval_in(local.member, v)))
            }
            value => is_part(&value),
        }
    }

    /// Whether a channel is told what a change gives the field: by its raise, or by a method that raises it and is handed that.
    pub(super) fn passes_on(&self, channel: usize, change: &Change) -> bool {
        let wiring = self.wiring;
        let program = wiring.program();
        let member = change.site.member;
        let assigned = change.value.map(|v| wiring.flow.eval_in(member, v));
        let passes = |site: Site, args: &[NodeId]| {
            let Some(body) = program.body(site.member) else { return false };
            let is_it = |n: NodeId| {
                matches!(body.node(n), Node::Name(_) | Node::Member { .. } | Node::Call { .. }) && {
                    let value = wiring.flow.eval_in(site.member, n);
                    matches!(value, Val::Member(_, m) | Val::Static(m) if m == change.field)
                        || (site.member == member
                            && matches!(value, Val::Param(..) | Val::Local(_) | Val::Element(..))
                            && assigned.as_ref() == Some(&value))
                }
            };
            args.iter().any(|a| state::any_within(body, *a, &is_it))
        };
        let told = wiring.tellings(member).iter().filter(|(_, told)| *told == channel).map(|(node, _)| *node);
        let handed = told.filter_map(|node| match program.body(member)?.node(node) {
            Node::Call { args, .. } => Some((Site { member, node }, program.body(member)?.list(args).to_vec())),
            _ => None,
        });
        self.raises(channel).into_iter().chain(handed).any(|(site, args)| passes(site, &args))
    }
}
