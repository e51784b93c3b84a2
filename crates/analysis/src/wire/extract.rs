//! Effects that a body has by itself: what its statements do to holders of handlers.

use std::cell::RefCell;

use rustc_hash::FxHashMap;
use yarrowgraph_ir::traits::MethodValue;
use yarrowgraph_ir::{AssignOp, BinaryOp, Body, MemberKind, Node, NodeId, TypeKind, UnaryOp};
use yarrowgraph_model::Certainty;

use super::effect::{Act, Effect, Event, Guard, Holder};
use super::spread::is_field_function;
use super::{guards, idiom, keyed, streams, views};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Ty};

/// All effects of one member's body.
pub(super) fn effects(flow: &Flow<'_>, member: MemberId) -> Vec<Effect> {
    let Some(body) = flow.program.body(member) else { return Vec::new() };
    let mut found = Vec::new();
    let extractor = Extractor { flow, member, body, known: RefCell::default() };
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
    found
}

pub(super) struct Extractor<'f, 'p> {
    pub(super) flow: &'f Flow<'p>,
    pub(super) member: MemberId,
    pub(super) body: &'p Body,
    /// Values of nodes that were asked for: most are asked for several times.
    known: RefCell<FxHashMap<NodeId, Val>>,
}

impl Extractor<'_, '_> {
    pub(super) fn site(&self, node: NodeId) -> Site {
        Site { member: self.member, node }
    }

    pub(super) fn eval(&self, node: NodeId) -> Val {
        if let Some(known) = self.known.borrow().get(&node) {
            return known.clone();
        }
        let value = self.flow.eval_in(self.member, node);
        self.known.borrow_mut().insert(node, value.clone());
        value
    }

    fn text(&self, name: yarrowgraph_ir::Name) -> &str {
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
        match holder_of(flow, target) {
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
            let Some(mut holder) = holder_of(self.flow, &self.eval(object)) else { return };
            holder.key = self.body.list(keys).first().map(|k| self.eval(*k)).or(holder.key);
            self.put(node, holder, value, true, found);
            return;
        }
        if !matches!(self.body.node(target), Node::Name(_) | Node::Member { .. }) {
            return;
        }
        let target_value = self.eval(target);
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
        let slot = program.is_callable(unit, &ty) || self.is_listener_type(&ty) || self.eval(value).is_function();
        if !slot {
            return;
        }
        if matches!(self.body.node(value), Node::Null) {
            found.push(Effect::new(Act::LeaveAll, holder, self.site(node)));
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
        let named_like_slot = text.len() > 2 && text.starts_with("on") && text.chars().skip(2).all(|c| c.is_ascii_lowercase());
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

    fn combined(&self, value: NodeId, target: &Val) -> Option<(Act, NodeId)> {
        match self.body.node(value) {
            Node::Call { callee, args, .. } => {
                let Node::Member { name, .. } = self.body.node(callee) else { return None };
                let act = match self.text(name) {
                    "Combine" => Act::Join,
                    "Remove" | "RemoveAll" => Act::Leave,
                    _ => return None,
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

    fn replace_collection(&self, node: NodeId, holder: Holder, target: NodeId, value: NodeId, found: &mut Vec<Effect>) {
        match self.body.node(value) {
            Node::Null => found.push(Effect::new(Act::LeaveAll, holder, self.site(node))),
            Node::Collection { items, .. } if items.len == 0 => {
                // the first value is no clearing
                if !self.in_constructor() {
                    found.push(Effect::new(Act::LeaveAll, holder, self.site(node)));
                }
            }
            // `[...list, handler]`
            Node::Collection { items, .. } => {
                for &item in self.body.list(items) {
                    if !matches!(self.body.node(item), Node::Unary { op: UnaryOp::Spread, .. }) {
                        self.put(node, holder.clone(), item, false, found);
                    }
                }
            }
            Node::Call { callee, args, .. } => {
                let Node::Member { object, name, .. } = self.body.node(callee) else { return };
                let pack = self.flow.program.kit_of(self.member).pack;
                let text = self.text(name);
                let args = self.body.list(args);
                let same = self.eval(object) == self.eval(target);
                let filters = matches!(
                    text,
                    "filter" | "Where" | "FindAll" | "Except" | "RemoveAll" | "Remove" | "ToArray" | "toList" | "collect" | "ToList"
                );
                if same && pack.adds.contains(text) {
                    if let Some(&arg) = args.last() {
                        self.put(node, holder, arg, false, found);
                    }
                } else if filters && let Some(handler) = self.excluded(node) {
                    let mut effect = Effect::new(Act::Leave, holder, self.site(node));
                    effect.handler = Some(handler.0);
                    effect.handler_node = Some(self.site(handler.1));
                    found.push(effect);
                }
            }
            // a copy that was grown or shrunk before
            _ => self.grown_copy(node, &holder, value, found),
        }
    }

    /// `var grown = new T[n + 1]; …; grown[^1] = handler; list = grown;`
    fn grown_copy(&self, node: NodeId, holder: &Holder, value: NodeId, found: &mut Vec<Effect>) {
        let (Node::Name(name), scope) = (self.body.node(value), self.flow.program.scope(self.member)) else { return };
        let Some(local) = scope.lookup(name, value) else { return };
        for index in 0..self.body.nodes.len() {
            let other = NodeId::new(index);
            let stored = match self.body.node(other) {
                Node::Assign { op: AssignOp::Set, target, value } => match self.body.node(target) {
                    Node::Index { object, .. }
                        if self.body.node(object) == Node::Name(name) && scope.lookup(name, object) == Some(local) =>
                    {
                        Some(value)
                    }
                    _ => None,
                },
                Node::Call { callee, args, .. } => match self.body.node(callee) {
                    Node::Member { object, name: verb, .. } if self.body.node(object) == Node::Name(name) => {
                        let pack = self.flow.program.kit_of(self.member).pack;
                        pack.adds.contains(self.text(verb)).then(|| self.body.list(args).last().copied()).flatten()
                    }
                    _ => None,
                },
                _ => None,
            };
            if let Some(handler) = stored
                && matches!(self.eval(handler), Val::Param(..) | Val::This(_))
            {
                self.put(node, holder.clone(), handler, false, found);
            }
        }
    }

    /// The value that a predicate below a node tells apart (`l -> l != handler`).
    fn excluded(&self, node: NodeId) -> Option<(Val, NodeId)> {
        let mut stack = vec![node];
        while let Some(id) = stack.pop() {
            let pair = match self.body.node(id) {
                Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => Some((left, right)),
                Node::Call { callee, args, .. } => match (self.body.node(callee), self.body.list(args)) {
                    (_, &[a, b]) => Some((a, b)),
                    (Node::Member { object, .. }, &[only]) => Some((object, only)),
                    _ => None,
                },
                _ => None,
            };
            if let Some((a, b)) = pair {
                for side in [b, a] {
                    let value = self.eval(side);
                    let named = matches!(self.body.node(side), Node::Name(_) | Node::This | Node::Member { .. });
                    if named && matches!(value, Val::Param(_, None, _) | Val::This(_)) {
                        return Some((value, side));
                    }
                    // the parameter of a function that a field holds
                    if let Val::Param(m, Some(f), _) = value
                        && is_field_function(self.flow, m, f)
                    {
                        return Some((value, side));
                    }
                }
            }
            stack.extend(self.body.children(id));
        }
        None
    }

    fn in_constructor(&self) -> bool {
        matches!(self.flow.program.member(self.member).kind, MemberKind::Constructor | MemberKind::Initializer | MemberKind::Field)
    }

    fn is_collection(&self, unit: crate::program::UnitId, ty: &Ty) -> bool {
        self.flow.program.element_type(unit, ty).is_some()
    }

    /// Whether a type is an interface or abstract class of the tree: something to be told through.
    fn is_listener_type(&self, ty: &Ty) -> bool {
        match ty {
            Ty::Own(id, _) => {
                let t = self.flow.program.ty(*id);
                t.kind == TypeKind::Interface
            }
            _ => false,
        }
    }

    /// Records that a value is put into a holder.
    fn put(&self, node: NodeId, holder: Holder, value: NodeId, replaces: bool, found: &mut Vec<Effect>) {
        let (handler, at, weak) = self.carried(value);
        if matches!(handler, Val::Null | Val::Data | Val::Str(_)) {
            return;
        }
        let mut effect = Effect::new(Act::Join, holder, self.site(node));
        effect.handler = Some(handler);
        effect.handler_node = Some(self.site(at));
        effect.weak = weak;
        effect.replaces = replaces;
        found.push(effect);
    }

    /// The handler inside a wrapper: a weak reference, a record with a key, a pair.
    fn carried(&self, value: NodeId) -> (Val, NodeId, bool) {
        let program = self.flow.program;
        let pick = |nodes: &[NodeId]| {
            let open = |n: &&NodeId| matches!(self.eval(**n), Val::Param(..) | Val::This(_));
            let callable = |n: &&NodeId| {
                let ty = self.flow.type_of_node(self.member, **n);
                program.is_callable(program.member(self.member).unit, &ty) || self.is_listener_type(&ty)
            };
            nodes.iter().filter(open).find(callable).or_else(|| nodes.iter().rfind(open)).copied()
        };
        match self.body.node(value) {
            Node::New { ty, args, .. } => {
                let ty = program.type_in(self.member, ty);
                let pack = program.kit_of(self.member).pack;
                let weak = matches!(&ty, Ty::Outside(name, _) if pack.weak_types.contains(program.text(*name)));
                match pick(self.body.list(args)) {
                    Some(inner) if weak || !self.is_wrapped_listener(&ty) => (self.eval(inner), inner, weak),
                    _ => (self.eval(value), value, weak),
                }
            }
            Node::Collection { items, .. } => match pick(self.body.list(items)) {
                Some(inner) => (self.eval(inner), inner, false),
                None => (self.eval(value), value, false),
            },
            Node::Object(entries) => {
                let values: Vec<NodeId> = self
                    .body
                    .list(entries)
                    .iter()
                    .filter_map(|e| match self.body.node(*e) {
                        Node::Entry { value, .. } => Some(value),
                        _ => None,
                    })
                    .collect();
                match pick(&values) {
                    Some(inner) => (self.eval(inner), inner, false),
                    None => (self.eval(value), value, false),
                }
            }
            _ => {
                let handler = self.eval(value);
                match self.wrapped_param(&handler) {
                    Some(param) => (param, value, false),
                    None => (handler, value, false),
                }
            }
        }
    }

    /// Whether an object of a type is a listener in its own right rather than a record around one.
    fn is_wrapped_listener(&self, ty: &Ty) -> bool {
        let program = self.flow.program;
        match ty {
            Ty::Own(id, _) => program.ty(*id).bases.iter().any(|b| matches!(b, Ty::Own(..) | Ty::Outside(..))),
            _ => false,
        }
    }

    /// A lambda that calls a parameter of the function around it carries that parameter.
    pub(super) fn wrapped_param(&self, handler: &Val) -> Option<Val> {
        let Val::Lambda(member, function) = handler else { return None };
        if *member != self.member {
            return None;
        }
        let mut stack: Vec<NodeId> = self.body.function(*function).body.into_iter().collect();
        while let Some(id) = stack.pop() {
            if let Node::Call { callee, .. } = self.body.node(id) {
                let called = match self.body.node(callee) {
                    Node::Name(_) => Some(callee),
                    Node::Member { object, name, .. } if self.flow.program.kit_of(self.member).pack.invokers.contains(self.text(name)) => {
                        Some(object)
                    }
                    _ => None,
                };
                if let Some(called) = called
                    && let value @ Val::Param(_, None, _) = self.eval(called)
                {
                    return Some(value);
                }
            }
            stack.extend(self.body.children(id));
        }
        None
    }

    fn delete(&self, node: NodeId, operand: NodeId, found: &mut Vec<Effect>) {
        let Node::Index { object, keys, .. } = self.body.node(operand) else { return };
        let Some(mut holder) = holder_of(self.flow, &self.eval(object)) else { return };
        holder.key = self.body.list(keys).first().map(|k| self.eval(*k));
        let mut effect = Effect::new(Act::Leave, holder, self.site(node));
        effect.handler = Some(Val::Unknown);
        found.push(effect);
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
            let pack = self.flow.program.kit_of(self.member).pack;
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
        self.invocation(node, callee, args, found);
        if idiom::effects(self, node, callee, args, found) {
            return;
        }
        self.channel_argument(node, callee, args, found);
    }

    /// `list.add(l)`, `list.remove(l)`, `list.clear()` on a collection that a member holds.
    fn collection_call(&self, node: NodeId, object: NodeId, text: &str, args: &[NodeId], found: &mut Vec<Effect>) -> bool {
        let program = self.flow.program;
        let value = self.eval(object);
        let Some(mut holder) = holder_of(self.flow, &value) else { return false };
        let Event::Own(m) = holder.event else { return false };
        let ty = self.flow.type_of(&value);
        let unit = program.member(m).unit;
        if !self.is_collection(unit, &ty) && ty != Ty::Unknown {
            return false;
        }
        let pack = program.kit_of(self.member).pack;
        let is_map = program.is_map(&ty);
        if pack.adds.contains(text)
            && let Some(&last) = args.last()
        {
            if let [key, _] = *args
                && is_map
            {
                holder.key = Some(self.eval(key));
            }
            let weak_map = matches!(&ty, Ty::Outside(n, _) if pack.weak_types.contains(program.text(*n)));
            // in a map of weak keys the listener is the key
            let value = if weak_map { args.first().copied().unwrap_or(last) } else { last };
            if weak_map {
                holder.key = None;
            }
            let before = found.len();
            self.put(node, holder, value, is_map, found);
            if weak_map {
                found[before..].iter_mut().for_each(|e| e.weak = true);
            }
            return true;
        }
        if pack.clears.contains(text) {
            found.push(Effect::new(Act::LeaveAll, holder, self.site(node)));
            return true;
        }
        if pack.removes.contains(text) {
            let (handler, at) = match args {
                [] => (Val::Unknown, None),
                [first, ..] => match self.looked_up(*first) {
                    Some((value, at)) => (value, Some(at)),
                    None => match self.excluded(*first) {
                        Some((value, at)) => (value, Some(at)),
                        // a predicate that tells nobody apart by name
                        None if matches!(self.body.node(*first), Node::Lambda(_)) => (Val::Unknown, None),
                        None => (self.eval(*args.last().unwrap_or(first)), Some(*first)),
                    },
                },
            };
            if is_map {
                holder.key = args.first().map(|k| self.eval(*k));
            }
            let mut effect = Effect::new(Act::Leave, holder, self.site(node));
            effect.handler = Some(if is_map { Val::Unknown } else { handler });
            effect.handler_node = at.map(|a| self.site(a));
            found.push(effect);
            return true;
        }
        false
    }

    /// `indexOf(handler)`, also by way of a local.
    fn looked_up(&self, node: NodeId) -> Option<(Val, NodeId)> {
        match self.body.node(node) {
            Node::Call { callee, args, .. } => {
                let Node::Member { name, .. } = self.body.node(callee) else { return None };
                let args = self.body.list(args);
                match self.text(name) {
                    "indexOf" | "IndexOf" | "lastIndexOf" => args.first().map(|a| (self.eval(*a), *a)),
                    "findIndex" | "FindIndex" => self.excluded(node),
                    _ => None,
                }
            }
            Node::Name(name) => match self.flow.program.scope(self.member).lookup(name, node)? {
                crate::program::Declared::Local(local) => match self.body.node(local) {
                    Node::Local { init: Some(init), .. } => self.looked_up(init),
                    _ => None,
                },
                crate::program::Declared::Param(..) => None,
            },
            _ => None,
        }
    }

    /// A call of what a holder holds.
    fn invocation(&self, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) {
        let program = self.flow.program;
        let pack = program.kit_of(self.member).pack;
        match self.body.node(callee) {
            Node::Name(_) | Node::Index { .. } | Node::Call { .. } | Node::Unary { .. } => {
                let value = self.eval(callee);
                self.raise_value(node, callee, &value, found);
                self.told_through_param(node, &value, args, found);
            }
            Node::Member { object, name, optional } => {
                let text = self.text(name);
                if pack.invokers.contains(text) {
                    let value = self.eval(object);
                    let unit = program.member(self.member).unit;
                    let ty = self.flow.type_of(&value);
                    let delegate = program.is_callable(unit, &ty)
                        || matches!(holder_of(self.flow, &value), Some(Holder { event: Event::Own(m), .. }) if program.member(m).kind == MemberKind::Event);
                    if delegate {
                        self.raise_at(node, object, &value, None, optional, found);
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
                if program.kit_of(self.member).traits.method_value == MethodValue::Fresh {
                    // nor is the object itself told anything, or what was just made
                    if matches!(self.body.node(object), Node::This | Node::Super | Node::New { .. } | Node::Str(_) | Node::TypeExpr(_)) {
                        return;
                    }
                    let told = self.told(object);
                    if !matches!(told, Val::Element(..) | Val::Param(..)) && !self.is_slot_object(&told) {
                        return;
                    }
                }
                // a callable member, or a method of an element
                let value = self.eval(callee);
                match &value {
                    Val::Member(of, _) if !matches!(**of, Val::Element(..)) => self.raise_value(node, callee, &value, found),
                    Val::Static(_) => self.raise_value(node, callee, &value, found),
                    Val::Method(..) | Val::Outside(..) | Val::Member(..) => {
                        let object_value = self.told(object);
                        let asks_weak = pack.elements.contains(text) && self.is_weak_reference(&object_value);
                        if !asks_weak && (matches!(object_value, Val::Element(..)) || self.is_slot_object(&object_value)) {
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

    /// The object that a message goes to; an element counts as one whatever it is cast to.
    fn told(&self, object: NodeId) -> Val {
        let mut inner = object;
        while let Node::Cast { operand, .. } = self.body.node(inner) {
            inner = operand;
        }
        match self.eval(inner) {
            element @ Val::Element(..) => element,
            _ => self.eval(object),
        }
    }

    /// Whether a value is a reference that keeps nothing alive, to be asked for what it refers to.
    fn is_weak_reference(&self, value: &Val) -> bool {
        let program = self.flow.program;
        let pack = program.kit_of(self.member).pack;
        matches!(self.flow.type_of(value), Ty::Outside(name, _) if pack.weak_types.contains(program.text(name)))
    }

    /// Whether a value is a field of a listener interface: a slot for one observer.
    fn is_slot_object(&self, value: &Val) -> bool {
        matches!(value, Val::Member(..) | Val::Static(_)) && self.is_listener_type(&self.flow.type_of(value))
    }

    fn raise_value(&self, node: NodeId, callee: NodeId, value: &Val, found: &mut Vec<Effect>) {
        let optional = matches!(self.body.node(node), Node::Call { optional: true, .. });
        match value {
            Val::Member(..) | Val::Static(_) | Val::Element(..) | Val::Param(..) => {
                self.raise_at(node, callee, value, None, optional, found)
            }
            Val::Local(site) => {
                if let Some(event) = keyed::event_in(self, *site) {
                    self.raise_at(node, callee, &event, None, optional, found);
                } else if let Some(inner) = self.channel_in_local(*site) {
                    // a local copy of the channel that several values reach
                    self.raise_at(node, callee, &inner, None, optional, found);
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

    fn raise_at(
        &self,
        node: NodeId,
        called: NodeId,
        value: &Val,
        message: Option<crate::program::Sym>,
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
            _ => match holder_of(self.flow, value) {
                Some(holder) => holder,
                None => return,
            },
        };
        let program = self.flow.program;
        let walks = matches!(value, Val::Element(_, key) if key.is_none() || holder.key.is_none());
        let mut effect = Effect::new(Act::Raise, holder, self.site(node));
        effect.message = message;
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
        effect.stops = self.stops_on(node);
        effect.takes_out = self.takes_out(called);
        effect.snapshot = self.walks_snapshot(called);
        found.push(effect);
    }

    /// Whether the walk around a call ends early on its result.
    fn stops_on(&self, node: NodeId) -> bool {
        let scope = self.flow.program.scope(self.member);
        for around in scope.ancestors(node) {
            match self.body.node(around) {
                Node::If { cond, then, .. } if scope.is_within(node, cond) => return self.leaves(then),
                Node::Return(_) => return true,
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
        let node = match self.body.node(called) {
            Node::Name(name) => match self.flow.program.scope(self.member).lookup(name, called) {
                Some(crate::program::Declared::Local(local)) => match self.body.node(local) {
                    Node::Local { init: Some(init), .. } => init,
                    Node::Local { .. } => {
                        let mut around = self.flow.program.scope(self.member).ancestors(local);
                        return around.any(|a| match self.body.node(a) {
                            Node::Call { callee, .. } => self.is_taking(callee),
                            _ => false,
                        });
                    }
                    _ => return false,
                },
                _ => return false,
            },
            _ => called,
        };
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

    fn is_taking(&self, callee: NodeId) -> bool {
        let Node::Member { name, .. } = self.body.node(callee) else { return false };
        matches!(
            self.text(name),
            "poll"
                | "pop"
                | "take"
                | "Dequeue"
                | "Pop"
                | "TryDequeue"
                | "TryPop"
                | "TryTake"
                | "Take"
                | "shift"
                | "removeFirst"
                | "removeLast"
                | "pollFirst"
                | "pollLast"
        )
    }

    /// Whether the walk that gives what is called is over a copy.
    fn walks_snapshot(&self, called: NodeId) -> bool {
        let scope = self.flow.program.scope(self.member);
        let pack = self.flow.program.kit_of(self.member).pack;
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
        for &arg in args {
            let value = self.eval(arg);
            if let Val::Element(..) = value
                && let Some(holder) = holder_of(self.flow, &value)
            {
                found.push(Effect::new(Act::Raise, holder, self.site(node)));
            }
        }
    }

    /// `control.Invoke(evt, …)`: a dispatcher calls the delegate that it is given.
    fn channel_argument(&self, node: NodeId, callee: NodeId, args: &[NodeId], found: &mut Vec<Effect>) {
        let Node::Member { name, .. } = self.body.node(callee) else { return };
        let pack = self.flow.program.kit_of(self.member).pack;
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
