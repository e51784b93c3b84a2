//! A field that objects are put into, to be called later.

use std::collections::BTreeMap;

use yarrowgraph_ir::{Node, NodeId, UnaryOp};

use super::Holds;
use super::made;
use crate::flow::{Val, function_run};
use crate::program::{Declared, MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;

/// A field that objects are put into, to be called later.
#[derive(Clone, Debug)]
pub struct Holder {
    /// The field.
    pub field: MemberId,
    /// The type of what it holds, where it is of the tree.
    pub base: Option<TypeId>,
    /// Whether it holds one at a time.
    pub is_slot: bool,
    /// Whether objects are put there under keys or places, one at a time each.
    pub keyed: bool,
    /// Where objects are put there, and whether in front.
    pub filled: Vec<(Site, bool)>,
    /// Calls of what was taken off, and of what is only looked at: the call, and its method.
    pub taken: Vec<(Site, Sym)>,
    /// Where something is taken off: the call, whether from the front, and whether all are.
    pub drained: Vec<(Site, bool, bool)>,
    /// Whether elements are taken off one by one, rather than all forgotten at once.
    pub takes_off: bool,
    /// Methods called on an object in the very method that puts it there.
    pub run_first: Vec<Sym>,
    /// Calls of what was taken off, where that is a function.
    pub run: Vec<Site>,
    /// Classes of the objects that are put there, and where they are made.
    pub made: BTreeMap<TypeId, Vec<Site>>,
    /// Whether objects come from outside of the class.
    pub from_outside: bool,
}

impl Holder {
    /// How it holds commands, and which operation runs them.
    pub(super) fn holds(&self) -> Option<(Holds, Sym)> {
        if self.is_slot {
            let (_, operation) = self.taken.first()?;
            return Some((Holds::Slot, *operation));
        }
        // what was run before it was put there waits to be undone
        if let Some(run) = self.run_first.first() {
            let is_undone = self.takes_off || self.taken.iter().any(|(_, op)| op != run);
            return is_undone.then_some((Holds::History, *run));
        }
        if self.drained.is_empty() {
            let (_, operation) = self.taken.first().filter(|_| self.keyed)?;
            return Some((Holds::Slot, *operation));
        }
        let (_, operation) = self.taken.first()?;
        let in_front = self.filled.iter().any(|(_, front)| *front);
        let (_, from_front, _) = self.drained.first()?;
        Some((if in_front == *from_front { Holds::Stack } else { Holds::Queue }, *operation))
    }

    /// How it holds functions that are run when they are taken off.
    pub(super) fn holds_functions(&self, wiring: &Wiring<'_>) -> Option<Holds> {
        let (_, from_front, _) = self.drained.first()?;
        let in_front = self.filled.iter().any(|(_, front)| *front);
        if in_front != *from_front {
            return Some(Holds::Queue);
        }
        // `perform(); undos.push(takeBack);`
        let runs_another = |fill: &Site| {
            let program = wiring.program();
            let (Some(body), Some(put)) = (program.body(fill.member), put_at(wiring, *fill)) else { return false };
            let parts: Vec<Val> = match body.node(put.node) {
                // both are kept: `done.Push((act, undo))`
                Node::Collection { items: parts, .. } | Node::New { args: parts, .. } | Node::Object(parts) => {
                    let value = |n: &NodeId| if let Node::Entry { value, .. } = body.node(*n) { value } else { *n };
                    body.list(parts).iter().map(|n| wiring.flow.eval_in(fill.member, value(n))).collect()
                }
                _ => Vec::new(),
            };
            let put = wiring.flow.eval(put);
            let runs = |called: &Val| match parts.is_empty() {
                true => matches!((called, &put), (Val::Param(..), Val::Param(..))) && *called != put,
                false => matches!(called, Val::Param(..)) && parts.contains(called),
            };
            body.ids().any(|n| match body.node(n) {
                Node::Call { callee, args, .. } if args.len == 0 => {
                    let function = function_run(program, Site { member: fill.member, node: callee });
                    function.is_some_and(|function| runs(&wiring.flow.eval_in(fill.member, function)))
                }
                _ => false,
            })
        };
        let is_history = !self.run_first.is_empty() || !self.filled.is_empty() && self.filled.iter().all(|(fill, _)| runs_another(fill));
        Some(if is_history { Holds::History } else { Holds::Stack })
    }

    /// The other operation, asked for what it does and given nothing but what all are done to, of what was run when it was put there.
    pub(super) fn run_back(&self, wiring: &Wiring<'_>, operation: Sym) -> Option<Sym> {
        let program = wiring.program();
        let is_plain = |site: &Site| {
            let Some(body) = program.body(site.member) else { return false };
            let Node::Call { args, .. } = body.node(site.node) else { return false };
            let of_invoker = |n: &NodeId| matches!(wiring.flow.eval_in(site.member, *n), Val::Member(of, _) if matches!(*of, Val::This(_)));
            // what is turned round in a condition is a question: `!item.isEmpty()`
            let parent = program.scope(site.member).parent(site.node).map(|p| body.node(p));
            let is_question = matches!(parent, Some(Node::Unary { op: UnaryOp::Not, .. }));
            args.len <= 1 && body.list(args).iter().all(of_invoker) && gives_no_use(wiring, *site) && !is_question
        };
        self.taken.iter().find(|(site, op)| *op != operation && is_plain(site)).map(|(_, op)| *op)
    }

    /// The operation that is run on what is taken off, where that is then put into another list, to be run again.
    pub(super) fn run_back_and_kept(&self, wiring: &Wiring<'_>) -> Option<Sym> {
        let program = wiring.program();
        if !self.takes_off {
            return None;
        }
        self.taken.iter().filter(|(_, name)| !self.run_first.contains(name)).find_map(|(site, name)| {
            let body = program.body(site.member)?;
            let scope = program.scope(site.member);
            let Node::Call { callee, args, .. } = body.node(site.node) else { return None };
            let Node::Member { object, .. } = body.node(callee) else { return None };
            let Node::Name(taken) = body.node(object) else { return None };
            let declared = scope.lookup(taken, object)?;
            let pack = &program.kit_of(site.member).pack;
            let is_it = |n: &NodeId| body.node(*n) == Node::Name(taken) && scope.lookup(taken, *n) == Some(declared);
            let puts = |n: NodeId| match body.node(n) {
                Node::Call { callee, args, .. } if body.list(args).iter().any(is_it) => match body.node(callee) {
                    Node::Member { object, name, .. } => {
                        let text = program.unit_of(site.member).text(name);
                        let list = wiring.flow.eval_in(site.member, object);
                        (pack.adds.contains(text) || pack.adds_first.contains(text))
                            && matches!(list, Val::Member(_, m) | Val::Static(m) if m != self.field)
                    }
                    _ => false,
                },
                _ => false,
            };
            (args.len == 0 && gives_no_use(wiring, *site) && body.ids().any(puts)).then_some(*name)
        })
    }

    /// The two operations of a history in one list: what was handed over is run back at the place before, by one method, and run
    /// again at the next one, by another. Their names say which is which, as the counting is not kept.
    pub(super) fn by_place(&self, wiring: &Wiring<'_>) -> Option<(Sym, Sym)> {
        let program = wiring.program();
        let base = self.base.filter(|_| !self.is_slot && !self.keyed && self.from_outside && self.run_first.is_empty())?;
        // what is one of those that it holds hands on to its parts
        if program.is_a(program.member(self.field).owner, base) {
            return None;
        }
        let asked = self.taken.iter().filter(|(site, _)| gives_no_use(wiring, *site) && !wiring.program().in_loop(*site));
        let mut by_method: BTreeMap<Sym, Vec<MemberId>> = BTreeMap::new();
        for (site, operation) in asked {
            by_method.entry(*operation).or_default().push(site.member);
        }
        let operations: Vec<Sym> = by_method.keys().copied().collect();
        let [one, other] = operations[..] else { return None };
        let apart = !by_method[&one].iter().any(|m| by_method[&other].contains(m));
        let has_both = [one, other].into_iter().all(|name| program.find_member_as(base, name, true).is_some());
        if !apart || !has_both {
            return None;
        }
        let takes_back = |a: Sym, b: Sym| {
            let (a, b) = (program.text(a).to_lowercase(), program.text(b).to_lowercase());
            ["undo", "revert", "rollback"].iter().any(|word| a.contains(word))
                || ["un", "de"].iter().any(|prefix| a == format!("{prefix}{b}"))
        };
        match (takes_back(one, other), takes_back(other, one)) {
            (true, false) => Some((other, one)),
            (false, true) => Some((one, other)),
            _ => None,
        }
    }

    /// Finds the classes of the objects that are put there.
    pub(super) fn trace(&mut self, wiring: &Wiring<'_>) {
        for given in self.filled.iter().filter_map(|(site, _)| put_at(wiring, *site)) {
            made::of(wiring, given, 6, &mut self.made);
        }
    }

    /// Whether all that is put there is written out as objects of functions: `run({ apply: () => …, revert: () => … })`.
    pub(super) fn holds_literals(&self, wiring: &Wiring<'_>) -> bool {
        let (flow, program) = (&wiring.flow, wiring.program());
        let is_literal = |site: &Site| {
            let Some(body) = program.body(site.member) else { return false };
            let Node::Object(entries) = body.node(site.node) else { return false };
            let is_function = |e: &NodeId| match body.node(*e) {
                Node::Entry { value, .. } => matches!(body.node(value), Node::Lambda(_)),
                _ => false,
            };
            entries.len > 1 && body.list(entries).iter().all(is_function)
        };
        let mut put: Vec<Site> = Vec::new();
        for given in self.filled.iter().filter_map(|(site, _)| put_at(wiring, *site)) {
            match flow.eval(given) {
                Val::Param(m, None, index) => {
                    put.extend(flow.call_sites(m).iter().filter_map(|call| flow.argument(*call, usize::from(index))));
                }
                // what was taken back is put back to be done again
                _ if self.is_taken_elsewhere(wiring, given) => {}
                _ => put.push(given),
            }
        }
        !put.is_empty() && put.iter().all(is_literal)
    }

    /// Whether an expression is a local that was taken off some list.
    fn is_taken_elsewhere(&self, wiring: &Wiring<'_>, given: Site) -> bool {
        let program = wiring.program();
        let Some(body) = program.body(given.member) else { return false };
        let Node::Name(name) = body.node(given.node) else { return false };
        let Some(Declared::Local(local)) = program.scope(given.member).lookup(name, given.node) else { return false };
        let Node::Local { init: Some(init), .. } = body.node(local) else { return false };
        let Node::Call { callee, .. } = body.node(init) else { return false };
        matches!(body.node(callee), Node::Member { name, .. } if program.kit_of(given.member).pack.takes.contains(program.unit_of(given.member).text(name)))
    }

    /// Whether an expression is what it holds them in.
    pub(super) fn is_at(&self, wiring: &Wiring<'_>, site: Site) -> bool {
        matches!(wiring.flow.eval(site), Val::Member(_, m) | Val::Static(m) if m == self.field)
    }

    /// Whether the list itself is given to somebody, who may run what is in it.
    pub(super) fn is_handed_on(&self, wiring: &Wiring<'_>) -> bool {
        let program = wiring.program();
        program.index.reads(program.member(self.field).name).iter().any(|read| {
            let Some(body) = program.body(read.member) else { return false };
            let parent = program.scope(read.member).parent(read.node).map(|p| body.node(p));
            let given = match parent {
                Some(Node::Call { args, .. } | Node::New { args, .. }) => body.list(args).contains(&read.node),
                Some(Node::Return(_)) => true,
                _ => false,
            };
            given && self.is_at(wiring, *read)
        })
    }
}

/// What is put into the holder by a call or assignment.
pub(super) fn put_at(wiring: &Wiring<'_>, site: Site) -> Option<Site> {
    let body = wiring.program().body(site.member)?;
    let node = match body.node(site.node) {
        Node::Call { args, .. } => *body.list(args).last()?,
        Node::Assign { value, .. } => value,
        _ => return None,
    };
    Some(Site { member: site.member, node })
}

/// Whether a call is made for what it does.
pub(super) fn gives_no_use(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let parent = program.scope(site.member).parent(site.node);
    parent.is_none_or(|p| match body.node(p) {
        Node::Block(_) | Node::If { .. } | Node::Unary { .. } | Node::Try { .. } => true,
        Node::Loop { body, .. } | Node::ForEach { body, .. } => body == site.node,
        _ => false,
    })
}
