//! Calls that tell what a member holds.

use std::sync::Arc;

use yarrowgraph_ir::{MemberKind, Name, Node, NodeId, UnaryOp};
use yarrowgraph_model::Certainty;

use super::effect::{Act, Effect, Event, Guard, Holder};
use super::extract::{Extractor, holder_of};
use super::holders::{is_listener_interface, kept_handler};
use super::{guards, keyed};
use crate::flow::{Flow, Val};
use crate::program::{Declared, MemberId, Site, Sym, Ty};

impl Extractor<'_, '_> {
    /// A call of what a holder holds.
    pub(super) fn invocation(&self, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) {
        let program = self.flow.program;
        // that it is there is stated: `watcher.emptied!()`
        let callee = match self.body.node(callee) {
            Node::Unary { op: UnaryOp::NonNull, operand } if matches!(self.body.node(operand), Node::Member { .. }) => operand,
            _ => callee,
        };
        self.handed_over(node, callee, args, found);
        let pack = &*program.kit_of(self.member).pack;
        match self.body.node(callee) {
            // where fields cannot be called, a bare name is a method's
            Node::Name(_) if !program.kit_of(self.member).traits.fields_called => {}
            Node::Name(_) | Node::Index { .. } | Node::Call { .. } | Node::Unary { .. } | Node::Cast { .. } => {
                let value = self.eval(callee);
                self.raise_value(node, callee, &value, found);
                self.told_through_param(node, &value, args, found);
            }
            Node::Member { object, name, optional } => {
                let text = self.text(name);
                if pack.invokers.contains(text) {
                    let value = self.channel_of_name(self.eval(object));
                    let value =
                        if let Val::Local(site) = value { self.flow.element_taken(site).unwrap_or(Val::Local(site)) } else { value };
                    if let Some(event) = keyed::event_at(self, &value) {
                        self.raise_at(node, object, &event, None, optional, found);
                        return;
                    }
                    let unit = program.member(self.member).unit;
                    let ty = self.flow.type_of(&value);
                    let delegate = program.is_callable(unit, &ty)
                        || matches!(holder_of(self.flow, &value), Some(Holder { event: Event::Own(m), .. }) if program.member(m).kind == MemberKind::Event);
                    let in_record = |v: &Val| matches!(v, Val::Outside(of, _) if matches!(**of, Val::Element(..)));
                    // what is taken as something of a library that cannot be called is not called by its methods
                    let taken = self.flow.type_of_node(self.member, object);
                    let is_thing = matches!(taken, Ty::Outside(..)) && !program.is_callable(unit, &taken);
                    if !delegate && !is_thing && ty == Ty::Unknown && (in_record(&value) || matches!(value, Val::Element(..))) {
                        let told = match &value {
                            Val::Outside(of, _) => (**of).clone(),
                            _ => value.clone(),
                        };
                        self.raise_at(node, object, &told, None, optional, found);
                        return;
                    }
                    if delegate {
                        self.raise_at(node, object, &value, None, optional, found);
                        // where that takes the object first (`fn.call(this, …)`), it walks a collection for whoever asks
                        if !program.kit_of(self.member).traits.file_modules {
                            self.told_through_param(node, &value, args, found);
                        }
                        return;
                    }
                }
                if pack.walks.contains(text)
                    && let [function] = *args
                {
                    self.walk_with_function(node, object, function, found);
                    return;
                }
                // where fields cannot be called, only what is told by a method matters
                if !program.kit_of(self.member).traits.fields_called {
                    // nor is the object itself told anything, or what was just made
                    if matches!(self.body.node(object), Node::This | Node::Super | Node::New { .. } | Node::Str(_) | Node::TypeExpr(_)) {
                        return;
                    }
                    let told = self.told(object);
                    if !matches!(told, Val::Element(..) | Val::Param(..)) && !self.is_slot_object(&told) {
                        return;
                    }
                }
                // a place that was found in a map holds what is called: `found->second(cm)`
                if program.kit_of(self.member).traits.fields_called
                    && pack.entry_values.contains(text)
                    && let of @ Val::Element(_, Some(_)) = self.told(object)
                {
                    self.raise_value(node, object, &of, found);
                    return;
                }
                // a callable member, or a method of an element
                let value = self.eval(callee);
                match &value {
                    Val::Member(of, _) if !matches!(**of, Val::Element(..)) => self.raise_value(node, callee, &value, found),
                    Val::Static(_) => self.raise_value(node, callee, &value, found),
                    Val::Method(..) | Val::Outside(..) | Val::Member(..) => {
                        let object_value = self.told(object);
                        let asks_weak = ((pack.elements.contains(text) || pack.out_lookups.contains(text))
                            && self.is_weak_reference(&object_value))
                            || (pack.unwraps.contains(text) && !matches!(value, Val::Method(..)));
                        let told = matches!(object_value, Val::Element(..))
                            || self.is_slot_object(&object_value)
                            || self.is_listener_param(object, &object_value);
                        // what is kept under a key is a list itself, as its methods say
                        let is_list = matches!(value, Val::Outside(..))
                            && matches!(&object_value, Val::Element(_, Some(_)))
                            && pack.works_on_collections(text);
                        // what is only asked for a part of it is data: `((Row) rows.get(i)).getColumn()`
                        let is_asked = args.is_empty() && is_getter(text) && self.is_anything(&object_value);
                        // what any object can be asked says nothing
                        if !asks_weak && told && !is_list && !is_asked && !pack.object_methods.contains(text) {
                            let message = program.sym_in(self.member, name);
                            self.raise_at(node, object, &object_value, Some(message), optional, found);
                        }
                    }
                    _ => {}
                }
                self.told_through_param(node, &value, args, found);
            }
            _ => {}
        }
    }

    /// An element of a list that is handed to what runs it later: `for (Runnable ear : ears) crew.submit(ear)`.
    fn handed_over(&self, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) {
        let program = self.flow.program;
        let pack = &*program.kit_of(self.member).pack;
        let (Node::Member { name, .. } | Node::Name(name)) = self.body.node(callee) else { return };
        let text = self.text(name);
        if !(pack.schedulers.contains(text) || pack.other_lanes.contains(text)) || self.flow.callee(self.site(node)).is_some() {
            return;
        }
        let unit = program.member(self.member).unit;
        for arg in args {
            let value = self.eval(*arg);
            if matches!(value, Val::Element(..)) && program.is_callable(unit, &self.flow.type_of(&value)) {
                self.raise_value(node, *arg, &value, found);
            }
        }
    }

    /// Whether a value is of the type that everything is of, or an element of a list that does not say what it holds: `Vector listeners`.
    fn is_anything(&self, value: &Val) -> bool {
        match self.flow.type_of(value) {
            Ty::Outside(name, _) => matches!(self.flow.program.text(name), "object" | "Object"),
            Ty::Unknown => {
                matches!(value, Val::Element(list, _) if matches!(self.flow.type_of(list), Ty::Outside(_, args) if args.is_empty()))
            }
            _ => false,
        }
    }

    /// A channel that is told by its name, where a method is called the same.
    fn channel_of_name(&self, value: Val) -> Val {
        let Val::Method(m, Some(of)) = &value else { return value };
        let program = self.flow.program;
        let info = program.member(*m);
        let events = program.own_members(info.owner, info.name).iter().copied().find(|e| program.member(*e).kind == MemberKind::Event);
        events.map_or_else(|| value.clone(), |event| Val::Member(of.clone(), event))
    }

    /// The object that a message goes to; an element counts as one whatever it is cast to.
    fn told(&self, object: NodeId) -> Val {
        let mut inner = object;
        let mut is_data = false;
        while let Node::Cast { operand, .. } = self.body.node(inner) {
            is_data |= self.flow.program.is_data(self.member, &self.flow.type_of_node(self.member, inner));
            inner = operand;
        }
        // a number or a text is told nothing
        if is_data {
            return self.eval(object);
        }
        if let Some(element) = self.at_iterator(inner) {
            return element;
        }
        match self.eval(inner) {
            element @ Val::Element(..) => self.gathered(&element).unwrap_or(element),
            // taken as another type before, where it is said to be held as anything at all
            Val::Local(site)
                if let Some(element) = self.flow.element_taken(site).filter(|e| self.is_anything(e))
                    && !self.flow.program.is_data(self.member, &self.flow.type_of(&Val::Local(site))) =>
            {
                self.gathered(&element).unwrap_or(element)
            }
            value if inner == object => value,
            _ => self.eval(object),
        }
    }

    /// The element that an iterator over an own list stands at, or a pointer that was taken from it:
    /// `for (auto it = list.begin(); …) (*it)->update()`, `if (auto o = it->lock()) o->update()`.
    fn at_iterator(&self, node: NodeId) -> Option<Val> {
        if let Some(list) = self.flow.list_of_iterator(self.member, node) {
            let list = self.eval(list);
            return matches!(list, Val::Member(..) | Val::Static(_)).then(|| Val::Element(Arc::new(list), None));
        }
        let program = self.flow.program;
        let Node::Name(name) = self.body.node(node) else { return None };
        let scope = program.scope(self.member);
        let Some(Declared::Local(local)) = scope.lookup(name, node) else { return None };
        // a capture may be named like what it is taken from: `[gauge = gauge.get()]`
        if scope.is_within(node, local) || !scope.is_before(local, node) {
            return None;
        }
        let Node::Local { init: Some(init), .. } = self.body.node(local) else { return None };
        let Node::Call { callee, args, .. } = self.body.node(init) else { return None };
        let Node::Member { object, name, .. } = self.body.node(callee) else { return None };
        let unwraps = program.kit_of(self.member).pack.unwraps.contains(self.text(name));
        (unwraps && args.len == 0).then(|| self.at_iterator(object))?
    }

    /// What was gathered in a list of this body before it is walked: `for (ref of refs) alive.add(ref.get())`.
    fn gathered(&self, element: &Val) -> Option<Val> {
        let Val::Element(list, None) = element else { return None };
        let (Val::Local(made) | Val::New(made) | Val::Literal(made)) = **list else { return None };
        if made.member != self.member {
            return None;
        }
        let pack = &self.flow.program.kit_of(self.member).pack;
        let mut found = None;
        for node in self.body.ids() {
            let Node::Call { callee, args, .. } = self.body.node(node) else { continue };
            let Node::Member { object, name, .. } = self.body.node(callee) else { continue };
            let value = match *self.body.list(args) {
                [value] if pack.adds.contains(self.text(name)) && self.eval(object) == **list => self.eval(value),
                // `roster.CopyTo(copy, 0)`
                [into, ..] if pack.copies_into.contains(self.text(name)) && self.eval(into) == **list => {
                    Val::Element(Arc::new(self.eval(object)), None)
                }
                _ => continue,
            };
            if !matches!(value, Val::Element(..)) || found.as_ref().is_some_and(|f| *f != value) {
                return None;
            }
            found = Some(value);
        }
        found
    }

    /// Whether a value is a reference that keeps nothing alive, to be asked for what it refers to.
    fn is_weak_reference(&self, value: &Val) -> bool {
        let program = self.flow.program;
        program.is_weak(program.member(self.member).unit, &self.flow.type_of(value))
    }

    /// Whether what is told is a parameter whose type is called a listener's, or that is taken as a listener, whatever it is given as:
    /// `((RiseListener) listener).rose(cm)`. The caller says whose it is.
    fn is_listener_param(&self, object: NodeId, value: &Val) -> bool {
        let is_listener = |id| is_listener_interface(self.flow.program, id);
        matches!(value, Val::Param(..))
            && match self.flow.type_of(value).own() {
                Some(id) => is_listener(id),
                None => self.flow.type_taken_as(self.member, object).is_some_and(is_listener),
            }
    }

    /// Whether an element is something that handlers are: a function, an interface of the tree, a record
    /// around such, or something of a library.
    fn can_be_told(&self, element: &Val) -> bool {
        let program = self.flow.program;
        let ty = self.flow.type_of(element);
        match &ty {
            Ty::Own(id, _) => self.is_listener_type(&ty) || kept_handler(self.flow, *id).is_some(),
            Ty::Outside(..) | Ty::Unknown | Ty::Param(..) => true,
            other => program.is_callable(program.member(self.member).unit, other),
        }
    }

    /// Whether a value is a field of a listener interface: a slot for one observer.
    pub(super) fn is_slot_object(&self, value: &Val) -> bool {
        matches!(value, Val::Member(..) | Val::Static(_)) && self.is_listener_type(&self.flow.type_of(value))
    }

    fn raise_value(&self, node: NodeId, callee: NodeId, value: &Val, found: &mut Vec<Effect>) {
        // what was taken from an object is one of its methods, and no slot
        if self.flow.method_taken(value).is_some() {
            return;
        }
        let optional = matches!(self.body.node(node), Node::Call { optional: true, .. });
        let behind = keyed::event_at(self, value).or_else(|| self.gathered(value));
        match behind.as_ref().unwrap_or(value) {
            value @ (Val::Member(..) | Val::Static(_) | Val::Element(..) | Val::Param(..)) => {
                self.raise_at(node, callee, value, None, optional, found)
            }
            Val::Local(site) => {
                if let Some(event) = keyed::event_in(self, *site) {
                    self.raise_at(node, callee, &event, None, optional, found);
                } else if let Some(inner) = self.channel_in_local(*site) {
                    // a local copy of the channel that several values reach
                    self.raise_at(node, callee, &inner, None, optional, found);
                } else if let Some(record) = self.flow.record_of(*site) {
                    // a part of a record in a roster
                    self.raise_at(node, callee, &record, None, optional, found);
                } else if let Some(taken) = self.flow.element_taken(*site) {
                    self.raise_at(node, callee, &taken, None, optional, found);
                }
            }
            _ => {}
        }
    }

    fn channel_in_local(&self, local: Site) -> Option<Val> {
        let body = self.flow.program.body(local.member)?;
        let Node::Local { init: Some(init), .. } = body.node(local.node) else { return None };
        let value = self.flow.eval_in(local.member, init);
        matches!(value, Val::Member(..) | Val::Static(_) | Val::Element(..)).then_some(value)
    }

    pub(super) fn raise_at(
        &self,
        node: NodeId,
        called: NodeId,
        value: &Val,
        message: Option<Sym>,
        optional: bool,
        found: &mut Vec<Effect>,
    ) {
        // a field of a record in a roster: the roster is told as well
        if let Val::Member(of, _) = value
            && matches!(**of, Val::Element(..))
        {
            self.raise_at(node, called, of, message, optional, found);
        }
        let holder = match value {
            Val::Param(..) => Holder { subject: value.clone(), event: Event::Given, key: None },
            // a helper that is given the collection
            Val::Element(of, None) if matches!(**of, Val::Param(..)) => match self.can_be_told(value) {
                true => Holder { subject: (**of).clone(), event: Event::Given, key: None },
                false => return,
            },
            _ => match holder_of(self.flow, value) {
                Some(holder) => match holder.event {
                    Event::Own(m) if let Some(list) = copied_from(self.flow, m) => Holder { event: Event::Own(list), ..holder },
                    _ => holder,
                },
                None => return,
            },
        };
        let program = self.flow.program;
        // a place in what a key leads to is one of several
        let is_place = |of: &Val, at: Option<&Val>| matches!((of, at), (Val::Element(_, Some(_)), Some(Val::Local(_) | Val::Data)) if self.in_loop(node));
        let walks = matches!(value, Val::Element(of, key) if key.is_none() || holder.key.is_none() || is_place(of, key.as_deref()));
        let mut effect = Effect::new(Act::Raise, holder, self.site(node));
        effect.message = message;
        effect.of_param = matches!(value, Val::Param(..)) && message.is_some();
        effect.walks = walks;
        effect.guard = if walks { Guard::Safe } else { guards::of_raise(self.flow, self.site(node), called, value, optional) };
        let scope = program.scope(self.member);
        let parent = scope.parent(node);
        effect.result_used = !matches!(
            parent.map(|p| self.body.node(p)),
            None | Some(
                Node::Block(_)
                    | Node::If { .. }
                    | Node::ForEach { .. }
                    | Node::Loop { .. }
                    | Node::Lambda(_)
                    | Node::Case { .. }
                    | Node::Try { .. }
                    | Node::Lock { .. }
                    | Node::Unary { .. }
                    | Node::Using { .. }
            )
        ) || matches!(parent.map(|p| self.body.node(p)), Some(Node::If { cond, .. }) if cond == node);
        // what only says when it is done is no answer
        effect.result_used &= !(matches!(parent.map(|p| self.body.node(p)), Some(Node::Return(_))) && self.gives_only_an_end());
        effect.stops = self.stops_on(node);
        effect.takes_out = self.takes_out(called) || self.is_taken_out_before(node, &effect.holder);
        effect.snapshot = self.walks_snapshot(called);
        found.push(effect);
    }

    /// Whether a method gives nothing back but when it is done: `Task`.
    fn gives_only_an_end(&self) -> bool {
        let program = self.flow.program;
        program.decl(self.member).ty.is_some_and(|ty| match program.type_in(self.member, ty) {
            Ty::Outside(name, args) => match program.text(name) {
                "Task" | "ValueTask" => args.is_empty(),
                "void" => true,
                _ => false,
            },
            _ => false,
        })
    }

    /// Whether a node stands in a loop of its function.
    fn in_loop(&self, node: NodeId) -> bool {
        let around = self.flow.program.scope(self.member).ancestors(node);
        around
            .take_while(|n| !matches!(self.body.node(*n), Node::Lambda(_)))
            .any(|n| matches!(self.body.node(n), Node::Loop { .. } | Node::ForEach { .. }))
    }

    /// Whether the walk around a call ends early on its result.
    pub(super) fn stops_on(&self, node: NodeId) -> bool {
        let scope = self.flow.program.scope(self.member);
        for around in scope.ancestors(node) {
            match self.body.node(around) {
                Node::If { cond, then, .. } if scope.is_within(node, cond) => return self.leaves(then),
                // the way out of a walk, or the end of the one call
                Node::Return(_) => {
                    let walks = scope.ancestors(around).any(|n| matches!(self.body.node(n), Node::ForEach { .. } | Node::Loop { .. }));
                    return walks || !self.gives_only_an_end();
                }
                Node::Block(_) | Node::Lambda(_) | Node::ForEach { .. } | Node::Loop { .. } => return false,
                _ => {}
            }
        }
        false
    }

    /// Whether a branch leaves the loop or function at its end.
    fn leaves(&self, node: NodeId) -> bool {
        match self.body.node(node) {
            Node::Return(_) | Node::Break | Node::Throw(_) => true,
            Node::Block(list) => self.body.list(list).last().is_some_and(|l| self.leaves(*l)),
            _ => false,
        }
    }

    /// `queue.poll().run()`: what is called is taken out.
    fn takes_out(&self, called: NodeId) -> bool {
        let Node::Name(name) = self.body.node(called) else { return self.holds_taking(called) };
        let scope = self.flow.program.scope(self.member);
        let Some(Declared::Local(local)) = scope.lookup(name, called) else { return false };
        let is_out = |n: NodeId| matches!(self.body.node(n), Node::Call { callee, .. } if self.is_taking(callee));
        self.is_given_taken(local, name)
            || match self.body.node(local) {
                Node::Local { init: Some(init), .. } => self.holds_taking(init),
                Node::Local { .. } => scope.ancestors(local).any(is_out),
                _ => false,
            }
    }

    /// `while ((job = jobs.shift())) job();`: whether a local is given what is taken out.
    fn is_given_taken(&self, local: NodeId, name: Name) -> bool {
        let scope = self.flow.program.scope(self.member);
        self.body.ids().any(|n| match self.body.node(n) {
            Node::Assign { target, value, .. } => {
                self.body.node(target) == Node::Name(name)
                    && scope.lookup(name, target) == Some(Declared::Local(local))
                    && self.holds_taking(value)
            }
            _ => false,
        })
    }

    /// Whether an expression takes something out of a list.
    fn holds_taking(&self, node: NodeId) -> bool {
        let mut stack = vec![node];
        while let Some(id) = stack.pop() {
            if let Node::Call { callee, .. } = self.body.node(id)
                && self.is_taking(callee)
            {
                return true;
            }
            stack.extend(self.body.children(id));
        }
        false
    }

    /// `queues.delete(key); queue.forEach(run);`: all that was under the key is gone before it is told.
    fn is_taken_out_before(&self, node: NodeId, holder: &Holder) -> bool {
        let (&Event::Own(m), Some(key)) = (&holder.event, &holder.key) else { return false };
        let program = self.flow.program;
        let (scope, pack) = (program.scope(self.member), &*program.kit_of(self.member).pack);
        let run = program.runs_in(self.site(node));
        let is_walk = |n: NodeId| matches!(self.body.node(n), Node::ForEach { .. });
        if scope.function_around(self.body, node) == run && !scope.ancestors(node).any(is_walk) {
            return false;
        }
        let takes = |n: NodeId| match self.body.node(n) {
            Node::Call { callee, args, .. } => match (self.body.node(callee), self.body.list(args)) {
                (Node::Member { object, name, .. }, [under]) if pack.removes.contains(self.text(name)) => {
                    matches!(self.eval(object), Val::Member(_, x) | Val::Static(x) if x == m) && self.eval(*under) == *key
                }
                _ => false,
            },
            _ => false,
        };
        self.body.ids().any(|n| takes(n) && scope.is_before(n, node) && program.runs_in(self.site(n)) == run)
    }

    pub(super) fn is_taking(&self, callee: NodeId) -> bool {
        let Node::Member { name, .. } = self.body.node(callee) else { return false };
        self.flow.program.kit_of(self.member).pack.takes.contains(self.text(name))
    }

    /// Whether the walk that gives what is called is over a copy.
    fn walks_snapshot(&self, called: NodeId) -> bool {
        let scope = self.flow.program.scope(self.member);
        let pack = &*self.flow.program.kit_of(self.member).pack;
        for around in scope.ancestors(called) {
            if let Node::ForEach { iterable, .. } = self.body.node(around) {
                let mut stack = vec![iterable];
                while let Some(id) = stack.pop() {
                    match self.body.node(id) {
                        Node::Call { callee, .. } => {
                            if let Node::Member { name, .. } = self.body.node(callee) {
                                let text = self.text(name);
                                if pack.copies.contains(text) && !pack.views.contains(text) {
                                    return true;
                                }
                            }
                            if let Node::Name(name) = self.body.node(callee)
                                && pack.collections.contains(self.text(name))
                            {
                                return true;
                            }
                        }
                        Node::New { .. } | Node::Unary { op: UnaryOp::Spread, .. } => return true,
                        _ => {}
                    }
                    stack.extend(self.body.children(id));
                }
                return false;
            }
        }
        false
    }

    /// `listeners.forEach(call)`, `roster.forEach(Runnable::run)`
    fn walk_with_function(&self, node: NodeId, object: NodeId, function: NodeId, found: &mut Vec<Effect>) {
        let value = self.eval(object);
        let Some(holder) = holder_of(self.flow, &value) else { return };
        let message = match self.body.node(function) {
            // the lambda's own body holds the raise
            Node::Lambda(_) => return,
            Node::MethodRef { name, .. } => Some(self.flow.program.sym_in(self.member, name)),
            _ => None,
        };
        // `sources.forEach(this::add)` hands elements on; it tells nobody
        if let Node::MethodRef { object, .. } = self.body.node(function)
            && !matches!(self.eval(object), Val::Type(_) | Val::Global(_))
        {
            return;
        }
        let mut effect = Effect::new(Act::Raise, holder, self.site(node));
        effect.message = message;
        found.push(effect);
    }

    /// `tell(listener)` where `tell` is a parameter: the caller says what is told.
    fn told_through_param(&self, node: NodeId, callee: &Val, args: &[NodeId], found: &mut Vec<Effect>) {
        if !matches!(callee, Val::Param(..)) && !matches!(callee, Val::Outside(of, _) if matches!(**of, Val::Param(..))) {
            return;
        }
        // what is handed over beside something else is compared with that
        let Some(&first) = args.first() else { return };
        // nor is a text told anything, or asked by another one: `path.endsWith(ending)`
        if self.flow.program.is_data(self.member, &self.flow.type_of_node(self.member, first)) || self.is_text_of(callee) {
            return;
        }
        let value = self.told(first);
        if let Val::Element(..) = value
            && let Some(holder) = holder_of(self.flow, &value)
        {
            found.push(Effect::new(Act::Raise, holder, self.site(node)));
        }
    }

    /// Whether a method is one of a number or a text.
    fn is_text_of(&self, method: &Val) -> bool {
        matches!(method, Val::Outside(of, _) if self.flow.program.is_data(self.member, &self.flow.type_of(of)))
    }

    /// `control.Invoke(evt, …)`: a dispatcher calls the delegate that it is given.
    pub(super) fn channel_argument(&self, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) {
        let Node::Member { name, .. } = self.body.node(callee) else { return };
        let pack = &*self.flow.program.kit_of(self.member).pack;
        if !pack.dispatchers.contains(self.text(name)) {
            return;
        }
        let Some(&first) = args.first() else { return };
        let value = self.eval(first);
        let Some(holder) = holder_of(self.flow, &value) else { return };
        let Event::Own(m) = holder.event else { return };
        let program = self.flow.program;
        let ty = self.flow.type_of(&value);
        if program.member(m).kind == MemberKind::Event || program.is_callable(program.member(m).unit, &ty) {
            let mut effect = Effect::new(Act::Raise, holder, self.site(node));
            effect.guard = guards::of_raise(self.flow, self.site(node), first, &value, false);
            effect.certainty = Certainty::Likely;
            found.push(effect);
        }
    }
}

/// `getColumn`, `IsOpen`, `hasRows`
fn is_getter(name: &str) -> bool {
    let behind = ["get", "Get", "is", "Is", "has", "Has"].iter().find_map(|verb| name.strip_prefix(verb));
    behind.is_some_and(|rest| rest.starts_with(|c: char| c.is_uppercase()))
}

/// The list of which a field is given a copy whenever that changes: `listeners = (Listener[]) joined.toArray(…)`.
fn copied_from(flow: &Flow<'_>, copy: MemberId) -> Option<MemberId> {
    let program = flow.program;
    if !matches!(program.member(copy).kind, MemberKind::Field) || flow.definitions(copy).is_empty() {
        return None;
    }
    let mut list = None;
    for site in flow.definitions(copy) {
        let body = program.body(site.member)?;
        let node = body.uncast(site.node);
        match (body.node(node), flow.eval(*site)) {
            (Node::Call { .. } | Node::Collection { .. }, Val::Member(of, m))
                if matches!(*of, Val::This(_)) && m != copy && list.is_none_or(|known| known == m) =>
            {
                list = Some(m);
            }
            // nothing, before anything is put into the list
            (Node::Null | Node::New { .. } | Node::Collection { .. }, _) => {}
            _ => return None,
        }
    }
    list
}
