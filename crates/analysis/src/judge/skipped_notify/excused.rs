//! What excuses a change that nobody is told of: its callers tell, it is a first, a last or a lazy value, or observers
//! set it themselves.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::{Change, Subject};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, TypeId};
use crate::state;
use crate::wire::effect::Act;

impl Subject<'_, '_> {
    /// Whether a method is the end of something: of the object, or of what an entry of its began.
    pub(super) fn ends(&self, member: MemberId) -> bool {
        let program = self.wiring.program();
        let pack = &*program.kit_of(member).pack;
        let name = program.text(program.member(member).name);
        program.is_listed(&pack.teardowns, member) || pack.pairs.iter().any(|(_, exit)| exit == name)
    }

    /// Whether a write only sets back what the others set: nothing, or a flag.
    pub(super) fn is_reset(&self, change: &Change, telling: &[(&Change, BTreeSet<usize>)]) -> bool {
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

    /// Whether a write gives a flag the one value that nobody tells of, on a channel that is not named for the flag: it begins what the
    /// channel tells the end of.
    pub(super) fn begins_what_is_told(&self, change: &Change, channel: usize, telling: &[(&Change, BTreeSet<usize>)]) -> bool {
        let program = self.wiring.program();
        let flag = |c: &Change| match program.body(c.site.member)?.node(c.value?) {
            Node::Bool(flag) => Some(flag),
            _ => None,
        };
        let Some(given) = flag(change) else { return false };
        let mut told = telling.iter().filter(|(c, _)| c.field == change.field);
        told.all(|(c, _)| flag(c) == Some(!given)) && !self.is_named_for(channel, change.field)
    }

    /// Whether a change gives out what it takes from a collection, and those that are told of only put something in.
    pub(super) fn takes_what_is_told(&self, change: &Change, telling: &[(&Change, BTreeSet<usize>)]) -> bool {
        let program = self.wiring.program();
        let takes = |c: &Change| {
            let Some(body) = program.body(c.site.member) else { return false };
            let Node::Call { callee, .. } = body.node(c.site.node) else { return false };
            matches!(body.node(callee), Node::Member { name, .. } if program.kit_of(c.site.member).pack.takes.contains(program.unit_of(c.site.member).text(name)))
        };
        let is_given_out = || !state::is_statement(program, change.site);
        takes(change) && is_given_out() && !telling.iter().any(|(c, _)| c.field == change.field && takes(c))
    }

    /// Whether a change stands in a function that its method hands over, and tells of behind that: `each(rows, (r) => this.put(r));`
    pub(super) fn is_told_behind(&self, change: &Change) -> bool {
        let Site { member, node } = change.site;
        let Some(body) = self.wiring.program().body(member) else { return false };
        let scope = self.wiring.program().scope(member);
        let Some(function) = scope.function_around(body, node) else { return false };
        let mut told = self.wiring.tellings(member).iter().filter(|(_, channel)| self.channels.contains(channel));
        told.any(|(at, _)| scope.function_around(body, *at) != Some(function) && scope.is_before(node, *at))
    }

    /// The method of a change, and the one that it calls to write.
    fn written_in(&self, site: Site) -> impl Iterator<Item = MemberId> {
        let called = self.wiring.flow.callee(site).map(|c| c.member).filter(|m| self.mutators.contains(m));
        std::iter::once(site.member).chain(called)
    }

    /// Whether a method, or the one that it calls to write, calls methods that its class inherits from a library:
    /// these may announce.
    pub(super) fn asks_the_library(&self, site: Site) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        self.written_in(site).any(|member| {
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

    /// Whether the method of a change, or the one that it calls to write, hands over an object that tells in its turn, when what was
    /// begun is done: `pictures.load(url, new WhenLoaded())`.
    pub(super) fn tells_when_done(&self, site: Site) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let tells = |m: &MemberId| wiring.tellings(*m).iter().any(|(_, channel)| self.channels.contains(channel));
        self.written_in(site).any(|member| {
            let Some(body) = program.body(member) else { return false };
            body.ids().any(|n| match body.node(n) {
                Node::Call { args, .. } => body.list(args).iter().any(|arg| {
                    let made = matches!(body.node(*arg), Node::New { .. }).then(|| wiring.flow.type_of_node(member, *arg).own()).flatten();
                    made.is_some_and(|class| class != self.class && program.ty(class).members.iter().any(tells))
                }),
                _ => false,
            })
        })
    }

    /// Whether somebody is handed the changed object right after the change: that may well tell of it.
    pub(super) fn hands_on(&self, change: &Change) -> bool {
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
    pub(super) fn is_lazy(&self, change: &Change) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let member = change.site.member;
        let Some(body) = program.body(member) else { return true };
        let is_field = |n: NodeId| matches!(wiring.flow.eval_in(member, n), Val::Member(_, m) | Val::Static(m) if m == change.field);
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

    /// Whether a function, on one of its ways at least, leaves the telling to something that runs later: what it collects
    /// is told of then.
    pub(super) fn leaves_it_for_later(&self, member: MemberId, channel: usize) -> bool {
        let program = self.wiring.program();
        let Some(body) = program.body(member) else { return false };
        let scope = program.scope(member);
        let mut told = self.wiring.tellings(member).iter().filter(|(_, c)| *c == channel);
        // a walk over a list calls at once
        told.any(|(node, _)| {
            let around = scope.ancestors(*node).find(|n| matches!(body.node(*n), Node::Lambda(_)));
            around.is_some_and(|function| !program.is_walked_with(member, body, function))
        })
    }

    /// Whether a function, or one that it calls on its own object, starts something that tells when it comes to it: a timer whose
    /// handler announces.
    pub(super) fn starts_what_tells(&self, member: MemberId, channel: usize, depth: u32) -> bool {
        let (wiring, program) = (self.wiring, self.wiring.program());
        let Some(body) = program.body(member) else { return false };
        let is_told_by = |m: MemberId| wiring.tellings(m).iter().any(|(_, c)| *c == channel);
        let tells = |handler: &Val| match handler {
            Val::Method(m, _) => is_told_by(*m),
            // `model.onSaved(() => this.read())`
            Val::Lambda(m, function) => program.body(*m).is_some_and(|body| {
                let within = |n: &NodeId| program.scope(*m).function_around(body, *n) == Some(*function);
                body.ids().filter(within).any(|node| wiring.flow.callee(Site { member: *m, node }).is_some_and(|c| is_told_by(c.member)))
            }),
            _ => false,
        };
        body.ids().any(|node| {
            let Node::Call { callee, .. } = body.node(node) else { return false };
            if let Some(called) = wiring.flow.callee(Site { member, node }) {
                let is_own = matches!(called.receiver, Some(Val::This(_))) && called.member != member;
                return is_own && depth > 0 && self.starts_what_tells(called.member, channel, depth - 1);
            }
            let Node::Member { object, .. } = body.node(callee) else { return false };
            let started = wiring.flow.eval_in(member, object);
            matches!(&started, Val::Member(of, _) if matches!(**of, Val::This(_)))
                && wiring.effects.iter().any(|e| e.act == Act::Join && e.holder.subject == started && e.handler.as_ref().is_some_and(tells))
        })
    }

    /// Whether a call of a function is met by an announcement, in its callers or in theirs: then that is their part.
    pub(super) fn callers_tell(&self, member: MemberId, channel: usize, depth: u32) -> bool {
        let Some(depth) = depth.checked_sub(1) else { return false };
        let callers = self.wiring.flow.callers((member, None));
        let outside: Vec<Site> = callers.iter().map(|(site, _)| *site).filter(|s| !self.wiring.in_test(s.member)).collect();
        outside.iter().any(|site| {
            let is_initial = self.wiring.program().member(site.member).kind == MemberKind::Constructor;
            let is_other = site.member != member;
            // what another change tells is no part of theirs
            let by_change = |site: Site| {
                let called = |node: NodeId| self.wiring.flow.callee(Site { member: site.member, node }).map(|c| c.member);
                let is_outside = !self.wiring.program().is_a(self.wiring.program().member(site.member).owner, self.class);
                is_outside && self.told(site, &|node| !called(node).is_some_and(|m| self.changers.contains(&m))).is_empty()
            };
            let tells = || self.told_closely(*site, None).contains(&channel) && !by_change(*site);
            is_other && (is_initial || tells() || self.callers_tell(site.member, channel, depth))
        })
    }

    /// Whether a setter is called by all those who listen, and by nobody else: they know what they hand over.
    pub(super) fn is_set_by_listeners(&self, change: &Change, channel: usize) -> bool {
        let member = change.site.member;
        if !self.takes_over(change) || self.is_outside(change) {
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

    /// Whether what is set comes of what the method is handed: that, or what is made of it.
    fn takes_over(&self, change: &Change) -> bool {
        let (member, program) = (change.site.member, self.wiring.program());
        let (Some(value), Some(body)) = (change.value, program.body(member)) else { return false };
        let scope = program.scope(member);
        let is_param =
            |n: NodeId| matches!(body.node(n), Node::Name(name) if matches!(scope.lookup(name, n), Some(Declared::Param(None, _))));
        let plain = matches!(self.wiring.flow.eval_in(member, value), Val::Param(m, None, _) if m == member);
        let made = || matches!(body.node(value), Node::Call { .. } | Node::New { .. } | Node::Member { .. });
        plain || made() && state::any_within(body, value, &is_param)
    }
}
