//! Effects that a body has by itself: what its statements do to holders of handlers.

use yarrowgraph_ir::pack::Names;
use yarrowgraph_ir::{AssignOp, BinaryOp, Body, MemberKind, Name, Node, NodeId, TypeKind, UnaryOp};

use super::effect::{Act, Effect, Event, Holder};
use super::{adapters, by_name, connections, idiom, streams, views};
use crate::flow::{Flow, Val};
use crate::program::{Kinds, MemberId, Site, Ty};

/// All effects of one member's body.
pub(super) fn effects(flow: &Flow<'_>, member: MemberId) -> Vec<Effect> {
    let kinds = Kinds::ASSIGN | Kinds::CALL | Kinds::DELETE | Kinds::NEW;
    let Some(body) = flow.program.body_with(member, kinds) else { return Vec::new() };
    let mut found = Vec::new();
    let extractor = Extractor { flow, member, body };
    for index in 0..body.nodes.len() {
        let node = NodeId::new(index);
        match body.node(node) {
            Node::Assign { op, target, value } => extractor.assignment(node, op, target, value, &mut found),
            Node::Call { callee, args, .. } => extractor.call(node, callee, body.list(args), &mut found),
            Node::Unary { op: UnaryOp::Delete, operand } => extractor.delete(node, operand, &mut found),
            Node::New { ty, init, .. } => extractor.initializer(node, ty, init, &mut found),
            _ => {}
        }
    }
    found.iter_mut().for_each(|effect| adapters::see_through(flow, effect));
    found
}

pub(super) struct Extractor<'f, 'p> {
    pub(super) flow: &'f Flow<'p>,
    pub(super) member: MemberId,
    pub(super) body: &'p Body,
}

impl<'f, 'p> Extractor<'f, 'p> {
    /// That of a member, where it has a body.
    pub(super) fn of(flow: &'f Flow<'p>, member: MemberId) -> Option<Self> {
        Some(Self { flow, member, body: flow.program.body(member)? })
    }
}

impl Extractor<'_, '_> {
    pub(super) fn site(&self, node: NodeId) -> Site {
        Site { member: self.member, node }
    }

    pub(super) fn eval(&self, node: NodeId) -> Val {
        self.flow.eval_in(self.member, node)
    }

    pub(super) fn text(&self, name: yarrowgraph_ir::Name) -> &str {
        self.flow.program.unit_of(self.member).text(name)
    }

    // ---- assignments

    fn assignment(&self, node: NodeId, op: AssignOp, target: NodeId, value: NodeId, found: &mut Vec<Effect>) {
        let combines = self.flow.program.kit_of(self.member).traits.combines_callables;
        match op {
            AssignOp::Add | AssignOp::Sub if combines => {
                let act = if op == AssignOp::Add { Act::Join } else { Act::Leave };
                self.combination(node, act, target, value, found);
            }
            AssignOp::Set => self.store(node, target, value, found),
            _ => {}
        }
    }

    /// `gauge.Rose += OnRose`
    fn combination(&self, node: NodeId, act: Act, target: NodeId, value: NodeId, found: &mut Vec<Effect>) {
        if matches!(self.body.node(value), Node::Num(_) | Node::Plain | Node::Str(_) | Node::Template(_) | Node::Bool(_)) {
            return;
        }
        let target_value = self.eval(target);
        let handler = self.eval(value);
        let Some(holder) = self.event_holder(&target_value, &handler) else { return };
        let mut effect = Effect::new(act, holder, self.site(node));
        effect.handler = Some(handler);
        effect.handler_node = Some(self.site(value));
        found.push(effect);
    }

    /// The entry that a name without a declaration stands for, of an object that is made empty and looked up by what comes:
    /// `buoy.byBand.rough = …` where `byBand[band]` is called.
    fn entry_by_name(&self, target: &Val) -> Option<Holder> {
        let Val::Outside(of, name) = target else { return None };
        let (Val::Member(_, field) | Val::Static(field)) = **of else { return None };
        let program = self.flow.program;
        let is_empty =
            |d: &Site| program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Object(entries) if entries.len == 0));
        let is_looked_up = |read: &Site| {
            let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
            matches!(scope.parent(read.node).map(|p| body.node(p)), Some(Node::Index { object, .. }) if object == read.node)
        };
        let info = program.member(field);
        let is_map = program.kit(info.unit).traits.duck_typed
            && self.flow.only_definition(field).as_ref().is_some_and(is_empty)
            && program.index.reads(info.name).iter().any(is_looked_up);
        let mut holder = holder_of(self.flow, of).filter(|_| is_map)?;
        holder.key = Some(Val::Str(*name));
        Some(holder)
    }

    /// What a handler can be combined into: decided by the right side, or by the type of the left.
    fn event_holder(&self, target: &Val, handler: &Val) -> Option<Holder> {
        let flow = self.flow;
        let program = flow.program;
        let function_like = |v: &Val| {
            v.is_function() || {
                let ty = flow.type_of(v);
                program.is_callable(program.member(self.member).unit, &ty)
                    || matches!(v, Val::Local(s) if flow.function_of(&Val::Local(*s)).is_some())
            }
        };
        // the event of an element is the element's, not the collection's
        let of_element = matches!(target, Val::Outside(of, _) if matches!(**of, Val::Element(..)));
        match holder_of(flow, target).filter(|_| !of_element) {
            Some(holder) => {
                let Event::Own(m) = holder.event else { return None };
                let is_event = program.member(m).kind == MemberKind::Event;
                let ty = flow.type_of(target);
                let callable = program.is_callable(program.member(m).unit, &ty);
                (is_event || callable || function_like(handler)).then_some(holder)
            }
            None => match target {
                Val::Outside(of, name) if function_like(handler) => {
                    Some(Holder { subject: (**of).clone(), event: Event::Outside(*name), key: None })
                }
                Val::Param(..) if function_like(handler) => Some(Holder { subject: target.clone(), event: Event::Given, key: None }),
                Val::Global(name) if function_like(handler) && self.inherits_outside() => {
                    let this = Val::This(program.member(self.member).owner);
                    Some(Holder { subject: this, event: Event::Outside(*name), key: None })
                }
                _ => None,
            },
        }
    }

    /// Whether the type around has a base that is not of the tree.
    pub(super) fn inherits_outside(&self) -> bool {
        !self.flow.program.outside_bases(self.flow.program.member(self.member).owner).is_empty()
    }

    /// `slot = handler`, `list = list.filter(…)`, `table[key] = handler`, `slot = null`
    fn store(&self, node: NodeId, target: NodeId, value: NodeId, found: &mut Vec<Effect>) {
        if let Node::Index { object, keys, .. } = self.body.node(target) {
            let held = self.eval(object);
            let Some(mut holder) = holder_of(self.flow, &held) else { return };
            if let Some(key) = self.body.list(keys).first() {
                let of_map = self.flow.program.is_map(&self.flow.type_of(&held));
                holder.key = self.key_within(holder.key, *key, of_map);
            }
            // `handlers[topic] = known + handler`
            if let Some((act, node_of)) = self.combined_with_entry(value) {
                let mut effect = Effect::new(act, holder, self.site(node));
                effect.handler = Some(self.eval(node_of));
                effect.handler_node = Some(self.site(node_of));
                found.push(effect);
                return;
            }
            // an entry that is emptied is as good as one that is taken out
            if self.eval(value) == Val::Null {
                found.push(self.entry_emptied(node, holder));
                return;
            }
            self.put(node, holder, value, true, found);
            return;
        }
        // a list that is cut to no length: `listeners.length = 0`
        if let (Node::Member { object, name, .. }, Node::Num(number)) = (self.body.node(target), self.body.node(value))
            && self.text(number) == "0"
            && self.flow.program.kit_of(self.member).pack.counts.contains(self.text(name))
            && let Some(holder) = holder_of(self.flow, &self.eval(object))
        {
            found.push(Effect::new(Act::LeaveAll, holder, self.site(node)));
            return;
        }
        if !matches!(self.body.node(target), Node::Name(_) | Node::Member { .. }) {
            return;
        }
        // a local that stood for a slot stands for something else from here on
        let traits = self.flow.program.kit_of(self.member).traits;
        if let Node::Name(name) = self.body.node(target)
            && !traits.references_dangle
            && self.flow.program.scope(self.member).lookup(name, target).is_some()
        {
            return;
        }
        let target_value = self.eval(target);
        if self.eval(value).is_function()
            && let Some(holder) = self.entry_by_name(&target_value)
        {
            self.put(node, holder, value, true, found);
            return;
        }
        let Some(holder) = holder_of(self.flow, &target_value) else {
            self.store_outside(node, &target_value, value, found);
            return;
        };
        let Event::Own(m) = holder.event else { return };
        let program = self.flow.program;
        if !matches!(program.member(m).kind, MemberKind::Field | MemberKind::Property | MemberKind::Event) {
            return;
        }
        let unit = program.member(m).unit;
        let ty = self.flow.type_of(&target_value);
        if self.is_collection(unit, &ty) {
            self.replace_collection(node, holder, target, value, found);
            return;
        }
        // where nothing is typed, what a field is given is a function if the class calls it
        let is_called = || {
            let untyped = program.kit(unit).traits.duck_typed && ty == Ty::Unknown;
            let calls = program.index.calls(program.member(m).name);
            untyped && calls.iter().any(|call| program.member(call.member).owner == program.member(m).owner)
        };
        let given = self.eval(value);
        let slot = program.is_callable(unit, &ty)
            || self.is_listener_type(&ty)
            || given.is_function()
            || self.is_combination(value, &target_value)
            || matches!(given, Val::Param(of, None, _) if of == self.member) && self.is_all_that_is_done(node) && is_called();
        if !slot {
            return;
        }
        if matches!(self.body.node(value), Node::Null) {
            // the first value is no clearing
            let is_first = self.in_constructor()
                && target_value.own_field().is_some()
                && program.scope(self.member).function_around(self.body, node).is_none();
            if !is_first {
                found.push(Effect::new(Act::LeaveAll, holder, self.site(node)));
            }
            return;
        }
        // `handler = Delegate.Combine(handler, value)` and the like
        if let Some((act, handler)) = self.combined(value, &target_value) {
            let mut effect = Effect::new(act, holder, self.site(node));
            effect.handler = Some(self.eval(handler));
            effect.handler_node = Some(self.site(handler));
            found.push(effect);
            return;
        }
        self.put(node, holder, value, true, found);
    }

    /// `el.onclick = f`: a slot of something outside of the tree.
    fn store_outside(&self, node: NodeId, target: &Val, value: NodeId, found: &mut Vec<Effect>) {
        let Val::Outside(of, name) = target else { return };
        let text = self.flow.program.text(*name);
        let named_like_slot =
            text.len() > 2 && text != "once" && text.starts_with("on") && text.chars().skip(2).all(|c| c.is_ascii_lowercase());
        if !named_like_slot {
            return;
        }
        let holder = Holder { subject: (**of).clone(), event: Event::Outside(*name), key: None };
        let handler = self.eval(value);
        if handler == Val::Null {
            found.push(Effect::new(Act::LeaveAll, holder, self.site(node)));
        } else if self.flow.function_of(&handler).is_some() {
            let mut effect = Effect::new(Act::Join, holder, self.site(node));
            effect.handler = Some(handler);
            effect.handler_node = Some(self.site(value));
            effect.replaces = true;
            found.push(effect);
        }
    }

    /// A handler that is added to, or taken off, what an entry held before, where callables are combined so.
    fn combined_with_entry(&self, value: NodeId) -> Option<(Act, NodeId)> {
        let program = self.flow.program;
        let Node::Binary { op, right, .. } = self.body.node(value) else { return None };
        let act = match op {
            BinaryOp::Add => Act::Join,
            BinaryOp::Sub => Act::Leave,
            _ => return None,
        };
        let handler = self.eval(right);
        let is_callable = || handler.is_function() || program.is_callable(program.member(self.member).unit, &self.flow.type_of(&handler));
        (program.kit_of(self.member).traits.combines_callables && is_callable()).then_some((act, right))
    }

    fn combined(&self, value: NodeId, target: &Val) -> Option<(Act, NodeId)> {
        match self.body.node(value) {
            Node::Call { callee, args, .. } => {
                let Node::Member { object, name, .. } = self.body.node(callee) else { return None };
                let pack = &*self.flow.program.kit_of(self.member).pack;
                let act = if self.is_listed(&pack.combines, object, name) {
                    Act::Join
                } else if self.is_listed(&pack.separates, object, name) {
                    Act::Leave
                } else {
                    return None;
                };
                Some((act, *self.body.list(args).get(1)?))
            }
            Node::Cast { operand, .. } => self.combined(operand, target),
            Node::Binary { op, left, right } if self.eval(left) == *target => match op {
                BinaryOp::Add => Some((Act::Join, right)),
                BinaryOp::Sub | BinaryOp::Arithmetic => Some((Act::Leave, right)),
                _ => None,
            },
            _ => None,
        }
    }

    /// Whether a method is one of some that are listed by its name, alone or behind that of its class.
    fn is_listed(&self, listed: &Names, class: NodeId, method: Name) -> bool {
        let method = self.text(method);
        let of = if let Node::Name(class) = self.body.node(class) { self.text(class) } else { "" };
        listed.lists(method, || format!("{of}.{method}"))
    }

    /// Whether a call combines what a field holds with something: `listener = AWTEventMulticaster.add(listener, l)`.
    fn is_combination(&self, value: NodeId, target: &Val) -> bool {
        let Node::Call { args, .. } = self.body.node(value) else { return false };
        self.body.list(args).first().is_some_and(|first| self.eval(*first) == *target) && self.combined(value, target).is_some()
    }

    /// Whether a method does nothing but a statement, and perhaps give back its object.
    fn is_all_that_is_done(&self, node: NodeId) -> bool {
        if self.in_constructor() {
            return false;
        }
        let is_end = |n: &NodeId| matches!(self.body.node(*n), Node::Return(_));
        match self.body.root.map(|root| self.body.node(root)) {
            Some(Node::Block(list)) => match *self.body.list(list) {
                [only] => only == node,
                [first, last] => first == node && is_end(&last),
                _ => false,
            },
            _ => self.body.root == Some(node),
        }
    }

    pub(super) fn in_constructor(&self) -> bool {
        matches!(self.flow.program.member(self.member).kind, MemberKind::Constructor | MemberKind::Initializer | MemberKind::Field)
    }

    /// Whether a type is an interface or abstract class of the tree, or one of a library's: something to be told through.
    pub(super) fn is_listener_type(&self, ty: &Ty) -> bool {
        match ty {
            Ty::Outside(name, _) => {
                let program = self.flow.program;
                program.kit_of(self.member).pack.listeners.fits(program.text(*name))
            }
            Ty::Own(id, _) => {
                let t = self.flow.program.ty(*id);
                t.kind == TypeKind::Interface
            }
            _ => false,
        }
    }

    /// `new Oven { Baked = OnBaked }`
    fn initializer(&self, node: NodeId, ty: yarrowgraph_ir::TypeRefId, init: Option<NodeId>, found: &mut Vec<Effect>) {
        let Some(init) = init else { return };
        let Node::Object(entries) = self.body.node(init) else { return };
        let program = self.flow.program;
        let ty = program.type_in(self.member, ty);
        for &entry in self.body.list(entries) {
            let Node::Entry { key, value } = self.body.node(entry) else { continue };
            let (Node::Str(name), handler) = (self.body.node(key), self.eval(value)) else { continue };
            if !handler.is_function() {
                continue;
            }
            let sym = program.sym_in(self.member, name);
            let subject = Val::New(self.site(node));
            let event = match &ty {
                Ty::Own(id, _) => match program.find_member(*id, sym) {
                    Some(m) => Event::Own(m),
                    None => Event::Outside(sym),
                },
                _ => continue,
            };
            let mut effect = Effect::new(Act::Join, Holder { subject, event, key: None }, self.site(entry));
            effect.handler = Some(handler);
            effect.handler_node = Some(self.site(value));
            effect.replaces = true;
            found.push(effect);
        }
    }

    // ---- calls

    fn call(&self, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) {
        if let Node::Member { object, name, .. } = self.body.node(callee) {
            let text = self.text(name);
            let pack = &*self.flow.program.kit_of(self.member).pack;
            let adds = pack.adds.contains(text);
            let removes = pack.removes.contains(text);
            let clears = pack.clears.contains(text);
            if (adds || removes || clears) && self.collection_call(node, object, text, args, found) {
                return;
            }
            if self.is_taking(callee)
                && let Some(holder) = holder_of(self.flow, &self.eval(object))
                && !matches!(holder.event, Event::Own(m) if streams::holds_stream(self.flow, m))
            {
                let mut effect = Effect::new(Act::Leave, holder, self.site(node));
                effect.handler = Some(Val::Unknown);
                effect.takes_out = true;
                found.push(effect);
            }
        }
        let through_view = views::effects(self, node, callee, args);
        if !through_view.is_empty() {
            found.extend(through_view);
            return;
        }
        if let Some(effect) = views::raise(self, node, callee) {
            found.push(effect);
        }
        if let Some(effects) = connections::effects(self, node, callee, args) {
            found.extend(effects);
            return;
        }
        found.extend(by_name::effects(self, node, callee, args).into_iter().flatten());
        self.invocation(node, callee, args, found);
        if idiom::effects(self, node, callee, args, found) {
            return;
        }
        self.channel_argument(node, callee, args, found);
    }
}

/// The member that a path ends in, with the object before it and the key behind it.
pub(super) fn holder_of(flow: &Flow<'_>, value: &Val) -> Option<Holder> {
    match value {
        Val::Member(of, m) => Some(Holder { subject: (**of).clone(), event: Event::Own(*m), key: None }),
        Val::Static(m) => {
            let owner = flow.program.member(*m).owner;
            Some(Holder { subject: Val::Type(owner), event: Event::Own(*m), key: None })
        }
        Val::Element(of, key) => {
            let mut holder = holder_of(flow, of)?;
            // what is kept for an object apart from it, as its own: `state.get(this).get(topic)`
            if let (Some(object), Event::Own(m)) = (key, &holder.event)
                && matches!(**of, Val::Static(_))
                && matches!(object.root(), Val::This(_))
                && flow.program.is_weak(flow.program.member(*m).unit, &flow.type_of(of))
            {
                return Some(Holder { subject: (**object).clone(), ..holder });
            }
            // the place in a list is no topic, nor is that within what a key leads to
            if let Some(key) = key
                && holder.key.is_none()
                && !matches!(**key, Val::Data)
                && !flow.is_sequence(of)
            {
                holder.key = Some((**key).clone());
            }
            Some(holder)
        }
        Val::Outside(of, _) if matches!(**of, Val::Element(..)) => holder_of(flow, of),
        _ => None,
    }
}
