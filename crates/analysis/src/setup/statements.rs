//! Statements.

use yarrowgraph_ir::{List, MemberKind, Node, NodeId};

use super::machine::{Ends, Machine};
use super::value::{Kind, Value};
use crate::program::{Declared, MemberId};

/// How many rounds of a loop are gone through.
const ROUNDS: usize = 64;

impl Machine<'_, '_> {
    /// Carries out a statement.
    pub(super) fn run(&mut self, node: NodeId) -> Ends {
        let may = self.step();
        let ends = if self.descend() && may { self.statement(node) } else { Ends::Throw };
        self.ascend();
        ends
    }

    fn is_module_code(&self) -> bool {
        let info = self.program().member(self.frame().member);
        self.in_order && info.kind == MemberKind::Initializer && self.program().ty(info.owner).is_module
    }

    /// The statements of a module, with what its variables are given first, each where it stands.
    fn module_code(&mut self, list: List) -> Ends {
        let program = self.program();
        let (Some(body), info) = (self.body(), program.member(self.frame().member)) else { return Ends::Next };
        let starts_at = |m: MemberId| program.body(m).and_then(|b| Some(b.span(b.root?).start));
        let is_variable = |m: &MemberId| program.member(*m).kind == MemberKind::Field && program.member(*m).unit == info.unit;
        let variables = program.ty(info.owner).members.iter().copied().filter(is_variable);
        let mut variables: Vec<(u32, MemberId)> = variables.filter_map(|m| Some((starts_at(m)?, m))).collect();
        variables.sort_unstable();
        let mut variables = variables.into_iter().peekable();
        for statement in body.list(list) {
            while let Some((_, m)) = variables.next_if(|(at, _)| *at < body.span(*statement).start) {
                self.static_value(m);
            }
            match self.run(*statement) {
                Ends::Next => {}
                ends => return ends,
            }
        }
        variables.for_each(|(_, m)| _ = self.static_value(m));
        Ends::Next
    }

    fn statement(&mut self, node: NodeId) -> Ends {
        let Some(body) = self.body() else { return Ends::Next };
        match body.node(node) {
            Node::Block(list) if body.root == Some(node) && self.is_module_code() => self.module_code(list),
            Node::Block(list) | Node::Opaque(list) => self.all(list),
            Node::Variants(list) => body.list(list).first().map_or(Ends::Next, |first| self.run(*first)),
            Node::Local { .. } | Node::Pattern { .. } => {
                let init = match body.node(node) {
                    Node::Local { init, .. } | Node::Pattern { init, .. } => init,
                    _ => None,
                };
                let value = init.map_or(Value::Unknown, |i| self.eval(i));
                self.bind(node, value);
                Ends::Next
            }
            Node::If { cond, then, other } => {
                let truth = self.eval(cond).truth();
                let holds = match truth {
                    Some(known) => known,
                    None if self.is_idle(then) && other.is_none_or(|o| self.is_idle(o)) => return Ends::Next,
                    None => self.decide(),
                };
                match (holds, other) {
                    (true, _) => self.run(then),
                    (false, Some(other)) => self.run(other),
                    (false, None) => Ends::Next,
                }
            }
            Node::Loop { head, body: inner, .. } => self.repeat(head, inner),
            Node::ForEach { var, iterable, body: inner, .. } => {
                let walked = self.eval(iterable);
                let site = self.site(node);
                self.walked(site, &walked);
                self.met(site);
                match self.elements(&walked) {
                    Some(items) if items.len() <= ROUNDS => {
                        for item in items {
                            self.bind(var, item);
                            match self.run(inner) {
                                Ends::Next | Ends::Continue => {}
                                Ends::Break => break,
                                leaves => return leaves,
                            }
                        }
                        Ends::Next
                    }
                    _ => self.once(|machine| {
                        machine.bind(var, Value::Unknown);
                        machine.run(inner)
                    }),
                }
            }
            Node::Switch { subject, cases } => self.switch(subject, cases),
            Node::Try { body: inner, catches, finally } => {
                let mut ends = self.run(inner);
                if ends == Ends::Throw && !self.is_spent() {
                    ends = match body.list(catches).first().map(|c| body.node(*c)) {
                        Some(Node::Catch { body: handler, .. }) => self.run(handler),
                        _ => ends,
                    };
                }
                match finally.map(|f| self.run(f)) {
                    Some(leaves @ (Ends::Return(_) | Ends::Throw)) => leaves,
                    _ => ends,
                }
            }
            Node::Using { resources, body: inner } => {
                let ends = self.all(resources);
                if ends != Ends::Next {
                    return ends;
                }
                inner.map_or(Ends::Next, |i| self.run(i))
            }
            Node::Lock { object, body: inner } => {
                self.eval(object);
                self.run(inner)
            }
            Node::Return(value) => {
                let value = value.map_or(Value::Null, |v| self.eval(v));
                Ends::Return(value)
            }
            Node::Throw(value) => {
                value.map(|v| self.eval(v));
                Ends::Throw
            }
            Node::Yield(value) => {
                let value = value.map_or(Value::Unknown, |v| self.eval(v));
                self.frame_mut().yields.push(value);
                Ends::Next
            }
            Node::Break => Ends::Break,
            Node::Continue => Ends::Continue,
            Node::Empty | Node::Class(_) | Node::Defer(_) => Ends::Next,
            _ => {
                self.eval(node);
                if self.is_spent() { Ends::Throw } else { Ends::Next }
            }
        }
    }

    /// Carries out statements in order.
    fn all(&mut self, list: List) -> Ends {
        let Some(body) = self.body() else { return Ends::Next };
        for statement in body.list(list) {
            let ends = self.run(*statement);
            if ends != Ends::Next {
                return ends;
            }
        }
        Ends::Next
    }

    /// Goes through something once that may happen any number of times.
    fn once(&mut self, act: impl FnOnce(&mut Self) -> Ends) -> Ends {
        match self.in_loop(act) {
            Ends::Next | Ends::Continue | Ends::Break => Ends::Next,
            leaves => leaves,
        }
    }

    fn repeat(&mut self, head: List, inner: NodeId) -> Ends {
        let Some(body) = self.body() else { return Ends::Next };
        let &[init, cond, step] = body.list(head) else { return Ends::Next };
        self.run(init);
        for _ in 0..ROUNDS {
            let endless = body.node(cond) == Node::Empty;
            let holds = if endless { None } else { self.eval(cond).truth() };
            match holds {
                Some(false) => return Ends::Next,
                Some(true) => {}
                None => return self.once(|machine| machine.run(inner)),
            }
            match self.run(inner) {
                Ends::Next | Ends::Continue => {}
                Ends::Break => return Ends::Next,
                leaves => return leaves,
            }
            self.run(step);
        }
        Ends::Next
    }

    fn switch(&mut self, subject: Option<NodeId>, cases: List) -> Ends {
        let Some(body) = self.body() else { return Ends::Next };
        let value = subject.map_or(Value::Bool(true), |s| self.eval(s));
        let mut falls = false;
        for case in body.list(cases) {
            let Node::Case { labels, guard, body: inner, falls_through } = body.node(*case) else { continue };
            let fits = falls || {
                let labels = body.list(labels);
                let mut fits = Some(labels.is_empty());
                for label in labels {
                    let label = self.label(*label);
                    fits = match (fits, value.is(&label)) {
                        (Some(true), _) | (_, Some(true)) => Some(true),
                        (None, _) | (_, None) => None,
                        _ => Some(false),
                    };
                }
                let fits = match (fits, guard) {
                    (Some(true), Some(guard)) => self.eval(guard).truth(),
                    (fits, _) => fits,
                };
                fits.unwrap_or_else(|| self.decide())
            };
            if !fits {
                continue;
            }
            match self.run(inner) {
                Ends::Next if falls_through => falls = true,
                Ends::Next | Ends::Break => return Ends::Next,
                leaves => return leaves,
            }
        }
        Ends::Next
    }

    /// A label of a case; a plain name may be that of a constant of the subject's type.
    fn label(&mut self, label: NodeId) -> Value {
        match self.node(label) {
            Node::Name(name) if self.declared(name, label).is_none() => {
                let sym = self.program().sym_in(self.frame().member, name);
                match self.eval(label) {
                    Value::Unknown => self.constant_named(sym),
                    known => known,
                }
            }
            _ => self.eval(label),
        }
    }

    /// Gives a value to a local, or its parts to the locals of a pattern.
    pub(super) fn bind(&mut self, to: NodeId, value: Value) {
        let Some(body) = self.body() else { return };
        match body.node(to) {
            Node::Local { .. } => self.write(Declared::Local(to), value),
            Node::Pattern { parts, positional, .. } => {
                let items = self.elements(&value);
                for (index, part) in body.list(parts).iter().enumerate() {
                    let item = match (&items, positional, body.node(*part)) {
                        (Some(items), true, _) => items.get(index).cloned().unwrap_or(Value::Unknown),
                        (_, false, Node::Entry { key, .. }) => {
                            let key = self.eval(key);
                            self.element(&value, &key)
                        }
                        (_, false, Node::Local { name, .. }) => {
                            let key = Value::Text(self.program().unit_of(self.frame().member).text(name).into());
                            self.element(&value, &key)
                        }
                        _ => Value::Unknown,
                    };
                    match body.node(*part) {
                        Node::Entry { value: local, .. } => self.bind(local, item),
                        _ => self.bind(*part, item),
                    }
                }
            }
            Node::Name(name) => {
                if let Some(what) = self.declared(name, to) {
                    self.write(what, value);
                }
            }
            _ => {}
        }
    }

    /// Whether nothing in a branch can matter: no call, no creation, nothing stored, no way out.
    fn is_idle(&self, node: NodeId) -> bool {
        let Some(body) = self.body() else { return true };
        let mut stack = vec![node];
        while let Some(id) = stack.pop() {
            match body.node(id) {
                Node::Call { .. }
                | Node::New { .. }
                | Node::Return(_)
                | Node::Throw(_)
                | Node::Yield(_)
                | Node::Break
                | Node::Continue
                | Node::Assign { .. } => return false,
                Node::Lambda(_) => {}
                _ => stack.extend(body.children(id)),
            }
        }
        true
    }

    /// Makes a list of what a function has handed out one by one.
    pub(super) fn yielded(&mut self, made: crate::program::Site) -> Option<Value> {
        let yields = std::mem::take(&mut self.frame_mut().yields);
        (!yields.is_empty()).then(|| self.make(Kind::List(yields), made))
    }
}
