//! What is put into collections of handlers and taken out of them.

use yarrowgraph_ir::{AssignOp, BinaryOp, Node, NodeId, TypeKind, UnaryOp};

use super::adapters;
use super::effect::{Act, Effect, Event, Holder};
use super::extract::{Extractor, holder_of};
use super::holders::kept_handler;
use super::spread::is_field_function;
use crate::flow::Val;
use crate::program::{Declared, Ty, UnitId};
use crate::state;

/// What is put into a holder.
struct Carried {
    handler: Val,
    at: NodeId,
    /// Whether a reference that keeps nothing alive is around it.
    weak: bool,
    /// Whether a record of the tree is around it.
    in_record: bool,
    /// The function in a variable that is around it.
    around: Option<Val>,
    /// Whether that takes itself off when it is called.
    once: bool,
}

impl Extractor<'_, '_> {
    pub(super) fn replace_collection(&self, node: NodeId, holder: Holder, target: NodeId, value: NodeId, found: &mut Vec<Effect>) {
        match self.body.node(value) {
            // the first value is no clearing
            Node::Null if self.in_constructor() => {}
            Node::Null => found.push(Effect::new(Act::LeaveAll, holder, self.site(node))),
            Node::Collection { items, .. } if items.len == 0 => {
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
                let pack = &*self.flow.program.kit_of(self.member).pack;
                let text = self.text(name);
                let args = self.body.list(args);
                let same = self.eval(object) == self.eval(target);
                let filters = pack.filters.contains(text);
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
                        let pack = &*self.flow.program.kit_of(self.member).pack;
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
    pub(super) fn excluded(&self, node: NodeId) -> Option<(Val, NodeId)> {
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

    /// The key that says what somebody is told of, where maps are kept in a map: a number that only tells entries apart
    /// says nothing beside the key of the map that they are in.
    pub(super) fn key_within(&self, outer: Option<Val>, key: NodeId, of_map: bool) -> Option<Val> {
        let inner = self.eval(key);
        let is_text = |value: &Val| {
            let ty = self.flow.type_of(value).bounded();
            ty.own().is_some_and(|t| self.flow.program.ty(t).kind == TypeKind::Enum)
                || self.flow.program.type_name(&ty).is_some_and(|name| matches!(name, "string" | "String" | "QString" | "string_view"))
        };
        match outer {
            // of a map, entries under numbers are told apart by these
            None => Some(match self.body.node(key) {
                Node::Num(number) if of_map => Val::Str(self.flow.program.sym_in(self.member, number)),
                _ => inner,
            }),
            Some(outer) => match inner {
                Val::Str(_) | Val::Static(_) | Val::Type(_) | Val::TypeParam(..) => Some(inner),
                // under a subject the topic, under a topic who is told
                Val::Param(..) if !is_text(&outer) => Some(inner),
                _ => Some(outer),
            },
        }
    }

    /// What a list is left without: `list.filter(f => f !== handler)`, also where there may be no list.
    fn rest_without(&self, value: NodeId) -> Option<(Val, NodeId)> {
        match self.body.node(value) {
            Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, .. } => self.rest_without(left),
            Node::Unary { op: UnaryOp::NonNull, operand } | Node::Cast { operand, .. } => self.rest_without(operand),
            Node::Call { callee, args, .. } if args.len > 0 => {
                let Node::Member { name, .. } = self.body.node(callee) else { return None };
                let pack = &*self.flow.program.kit_of(self.member).pack;
                pack.filters.contains(self.text(name)).then(|| self.excluded(value))?
            }
            _ => None,
        }
    }

    pub(super) fn is_collection(&self, unit: UnitId, ty: &Ty) -> bool {
        self.flow.program.element_type(unit, ty).is_some()
    }

    /// Records that a value is put into a holder.
    pub(super) fn put(&self, node: NodeId, holder: Holder, value: NodeId, replaces: bool, found: &mut Vec<Effect>) {
        // under a key, the rest of what was there is put back
        if holder.key.is_some()
            && let Some((handler, at)) = self.rest_without(value)
        {
            let mut effect = Effect::new(Act::Leave, holder, self.site(node));
            effect.handler = Some(handler);
            effect.handler_node = Some(self.site(at));
            found.push(effect);
            return;
        }
        let Carried { handler, at, weak, in_record, around, once } = self.carried(&holder, value);
        // a new collection is to be filled
        if self.is_fresh_collection(&handler) || self.is_empty_literal(value) {
            return;
        }
        // a collection that is put back under its key holds nothing new
        let is_own = |v: &Val| matches!(v, Val::Element(..)) && holder_of(self.flow, v).is_some_and(|own| own.event == holder.event);
        let put_back = match &handler {
            Val::Local(local) => self.flow.values_of_local(*local).first().is_some_and(is_own),
            other => is_own(other),
        };
        if put_back || matches!(handler, Val::Null | Val::Data | Val::Str(_)) {
            return;
        }
        let holder_event = holder.event.clone();
        let mut effect = Effect::new(Act::Join, holder, self.site(node));
        effect.handler = Some(handler);
        effect.handler_node = Some(self.site(at));
        effect.weak = weak || self.holds_weakly(&holder_event);
        effect.in_record = in_record;
        effect.adapter = around;
        effect.once = once;
        effect.replaces = replaces && !matches!(holder_event, Event::Own(m) if self.flow.is_multi_map(m));
        found.push(effect);
    }

    /// Whether a value is a new collection of a library's.
    fn is_fresh_collection(&self, value: &Val) -> bool {
        matches!(value, Val::New(_)) && {
            let ty = self.flow.type_of(value);
            let pack = &self.flow.program.kit_of(self.member).pack;
            ty.own().is_none() && self.flow.program.type_name(&ty).is_some_and(|name| pack.collections.contains(name))
        }
    }

    /// Whether an expression writes out a collection or an object with nothing in it: `this.lists[topic] = []`.
    fn is_empty_literal(&self, node: NodeId) -> bool {
        match self.body.node(node) {
            Node::Collection { items: list, .. } | Node::Object(list) => list.len == 0,
            Node::Cast { operand, .. } => self.is_empty_literal(operand),
            _ => false,
        }
    }

    /// Whether what a member holds is declared to hold weakly.
    fn holds_weakly(&self, event: &Event) -> bool {
        let Event::Own(m) = event else { return false };
        let program = self.flow.program;
        let unit = program.member(*m).unit;
        let held = self.flow.type_held(*m);
        let is_weak_set = || {
            let sets = &program.kit(unit).pack.sets;
            program.type_name(&held).is_some_and(|name| sets.contains(name))
                && self.flow.type_made(*m).is_some_and(|made| program.is_weak(unit, &made))
        };
        program.element_type(unit, &held).is_some_and(|element| program.is_weak(unit, &element)) || is_weak_set()
    }

    /// The handler inside a wrapper: a weak reference, a record with a key, a pair.
    fn carried(&self, holder: &Holder, value: NodeId) -> Carried {
        let program = self.flow.program;
        let plain = |node: NodeId, in_record: bool| Carried {
            handler: self.eval(node),
            at: node,
            weak: false,
            in_record,
            around: None,
            once: false,
        };
        match self.body.node(value) {
            Node::New { ty, args, init, .. } => {
                let ty = program.type_in(self.member, ty);
                let weak = match &ty {
                    Ty::Own(id, _) => program.holds_weakly(*id),
                    other => program.is_weak(program.member(self.member).unit, other),
                };
                let set = init.map_or_else(Vec::new, |init| self.entry_values(init));
                // what a subject makes for itself knows it, and is told in its own right
                let is_other = |inner: &NodeId| !matches!((self.eval(*inner), &holder.subject), (Val::This(_), Val::This(_)));
                match self.handed_in(self.body.list(args)).or_else(|| self.handed_in(&set)).filter(is_other) {
                    Some(inner) if weak || self.is_record(holder, &ty) => Carried { weak, ..plain(inner, matches!(ty, Ty::Own(..))) },
                    _ => Carried { weak, ..plain(value, false) },
                }
            }
            Node::Collection { items, .. } => {
                // `{handler, user}` is a record where the list holds such
                let holds_records = || {
                    let Event::Own(m) = holder.event else { return false };
                    self.flow.element_held(m).own().is_some_and(|t| kept_handler(self.flow, t).is_some())
                };
                match self.handed_in(self.body.list(items)) {
                    Some(handler) => plain(handler, holds_records()),
                    None => plain(value, false),
                }
            }
            Node::Object(_) => {
                let handed_in = self.named_handler(value).or_else(|| self.handed_in(&self.entry_values(value)));
                plain(handed_in.unwrap_or(value), false)
            }
            _ => match self.eval(value) {
                // a record that was made before
                Val::New(site) | Val::Literal(site) if site.member == self.member && site.node != value => self.carried(holder, site.node),
                handler => {
                    let function = self.flow.function_of(&handler).unwrap_or_else(|| handler.clone());
                    match self.wrapped_param(&function) {
                        Some(param) => {
                            let once = self.hands_itself_on(&handler, &function);
                            let around = matches!(handler, Val::Local(_)).then_some(function);
                            Carried { handler: param, around, once, ..plain(value, false) }
                        }
                        None => plain(value, false),
                    }
                }
            },
        }
    }

    /// The values of an object literal or initializer.
    fn entry_values(&self, object: NodeId) -> Vec<NodeId> {
        let Node::Object(entries) = self.body.node(object) else { return Vec::new() };
        let entries = self.body.list(entries).iter();
        entries
            .filter_map(|e| match self.body.node(*e) {
                Node::Entry { value, .. } => Some(value),
                _ => None,
            })
            .collect()
    }

    /// The entry of an object that came in from outside and is called a handler, where others came in as well.
    fn named_handler(&self, object: NodeId) -> Option<NodeId> {
        let Node::Object(entries) = self.body.node(object) else { return None };
        let pack = &self.flow.program.kit_of(self.member).pack;
        self.body.list(entries).iter().find_map(|e| match self.body.node(*e) {
            Node::Entry { key, value } => match self.body.node(key) {
                Node::Str(key) if pack.handler_entries.contains(self.text(key)) => {
                    matches!(self.eval(value), Val::Param(..)).then_some(value)
                }
                _ => None,
            },
            _ => None,
        })
    }

    /// Which of some values is a handler: one that came in from outside, and best one that can be called.
    fn handed_in(&self, nodes: &[NodeId]) -> Option<NodeId> {
        let program = self.flow.program;
        let open = |n: &&NodeId| matches!(self.eval(**n), Val::Param(..) | Val::This(_));
        let callable = |n: &&NodeId| {
            let ty = self.flow.type_of_node(self.member, **n);
            program.is_callable(program.member(self.member).unit, &ty) || self.is_listener_type(&ty)
        };
        nodes.iter().filter(open).find(callable).or_else(|| nodes.iter().rfind(open)).copied()
    }

    /// Whether an object of a type is a record around a listener rather than one in its own right:
    /// the holder is declared to hold such records, or they are nothing else.
    fn is_record(&self, holder: &Holder, ty: &Ty) -> bool {
        let program = self.flow.program;
        let Ty::Own(id, _) = ty else { return true };
        if program.ty(*id).bases.is_empty() {
            return true;
        }
        let Event::Own(m) = holder.event else { return false };
        self.flow.element_held(m).own() == Some(*id)
    }

    /// Whether a function in a variable hands itself to something, as one does that takes itself off: `once = v => { remove(once); … }`.
    fn hands_itself_on(&self, variable: &Val, function: &Val) -> bool {
        let (Val::Local(_), Val::Lambda(member, f)) = (variable, function) else { return false };
        let Some(within) = self.body.function(*f).body.filter(|_| *member == self.member) else { return false };
        state::any_within(self.body, within, &|n| match self.body.node(n) {
            Node::Call { args, .. } => self.body.list(args).iter().any(|a| self.eval(*a) == *variable),
            Node::Assign { op: AssignOp::Sub, value, .. } => self.eval(value) == *variable,
            _ => false,
        })
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

    pub(super) fn delete(&self, node: NodeId, operand: NodeId, found: &mut Vec<Effect>) {
        let Node::Index { object, keys, .. } = self.body.node(operand) else { return };
        let Some(mut holder) = holder_of(self.flow, &self.eval(object)) else { return };
        holder.key = self.body.list(keys).first().map(|k| self.eval(*k));
        if !self.only_tidies_up(node) {
            found.push(self.entry_emptied(node, holder));
        }
    }

    /// Whether a removal is made only where nobody is left: `if (list.length === 0) delete lists[topic]`.
    fn only_tidies_up(&self, node: NodeId) -> bool {
        let scope = self.flow.program.scope(self.member);
        let around = scope.ancestors(node).find(|n| !matches!(self.body.node(*n), Node::Block(_)));
        let Some(Node::If { cond, then, .. }) = around.map(|n| self.body.node(n)) else { return false };
        let pack = &self.flow.program.kit_of(self.member).pack;
        let is_count = |n: NodeId| match self.body.node(n) {
            Node::Member { name, .. } => pack.counts.contains(self.text(name)),
            Node::Call { callee, args, .. } if args.len == 0 => {
                matches!(self.body.node(callee), Node::Member { name, .. } if pack.counts.contains(self.text(name)))
            }
            _ => false,
        };
        let is_nothing = |n: NodeId| matches!(self.body.node(n), Node::Num(text) if self.text(text) == "0");
        let asks_for_nobody = match self.body.node(cond) {
            Node::Binary { op: BinaryOp::Eq, left, right } => is_count(left) && is_nothing(right) || is_nothing(left) && is_count(right),
            Node::Unary { op: UnaryOp::Not, operand } => is_count(operand),
            Node::Call { callee, args, .. } if args.len == 0 => {
                matches!(self.body.node(callee), Node::Member { name, .. }
                    if pack.counts.contains(self.text(name)) && self.text(name).to_lowercase().ends_with("empty"))
            }
            _ => false,
        };
        asks_for_nobody && (then == node || scope.is_within(node, then))
    }

    /// A release of whoever is under a key.
    pub(super) fn entry_emptied(&self, node: NodeId, holder: Holder) -> Effect {
        let mut effect = Effect::new(Act::Leave, holder, self.site(node));
        effect.handler = Some(Val::Unknown);
        effect
    }

    /// `list.add(l)`, `list.remove(l)`, `list.clear()` on a collection that a member holds.
    pub(super) fn collection_call(&self, node: NodeId, object: NodeId, text: &str, args: &[NodeId], found: &mut Vec<Effect>) -> bool {
        let program = self.flow.program;
        let value = self.eval(object);
        let Some(mut holder) = holder_of(self.flow, &value) else { return self.handed_collection(node, &value, text, args, found) };
        let Event::Own(m) = holder.event else { return false };
        let ty = self.flow.type_of(&value);
        let unit = program.member(m).unit;
        if !self.is_collection(unit, &ty) && ty != Ty::Unknown {
            return false;
        }
        // a collection of the tree's own that wraps another one is as little told of its items
        if ty.own().is_some_and(|kind| program.is_a(program.member(self.member).owner, kind)) {
            return false;
        }
        let pack = &*program.kit_of(self.member).pack;
        let is_map = program.is_map(&ty);
        if pack.adds.contains(text)
            && let Some(&last) = args.last()
        {
            if let [key, _] = *args
                && is_map
            {
                holder.key = self.key_within(holder.key, key, true);
            }
            let weak_map = program.is_weak(program.member(self.member).unit, &ty);
            // what belongs to an object and is kept apart from it
            if weak_map && args.len() > 1 && self.is_fresh_collection(&self.eval(last)) {
                return true;
            }
            // in a map of weak keys the listener is the key
            let value = if weak_map { args.first().copied().unwrap_or(last) } else { last };
            if weak_map {
                holder.key = None;
            }
            let before = found.len();
            match args {
                // one after the other, as a handler with the object that it is called on
                [first, _, ..] if !is_map && pack.adds_several.contains(text) => {
                    let functions: Vec<NodeId> = args.iter().copied().filter(|a| self.is_callable_value(*a)).collect();
                    for value in if functions.is_empty() { vec![*first] } else { functions } {
                        self.put(node, holder.clone(), value, false, found);
                    }
                }
                _ => self.put(node, holder, value, is_map, found),
            }
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
                        // a condition that tells nobody apart by name
                        None if matches!(self.body.node(*first), Node::Lambda(_)) || pack.removes_where.contains(text) => {
                            (Val::Unknown, None)
                        }
                        None => match self.compared(*first, &value) {
                            Some((value, at)) => (value, Some(at)),
                            None => {
                                let carried = self.taken_out(&holder, *args.last().unwrap_or(first));
                                (carried.handler, Some(carried.at))
                            }
                        },
                    },
                },
            };
            if is_map && let Some(key) = args.first() {
                holder.key = self.key_within(holder.key, *key, true);
                if self.only_tidies_up(node) {
                    return true;
                }
            }
            let mut effect = Effect::new(Act::Leave, holder, self.site(node));
            effect.handler = Some(if is_map { Val::Unknown } else { handler });
            effect.handler_node = at.map(|a| self.site(a));
            found.push(effect);
            return true;
        }
        false
    }

    /// Whether an expression is a function, or of a type of such.
    fn is_callable_value(&self, node: NodeId) -> bool {
        let value = self.eval(node);
        value.is_function() || self.flow.program.is_callable(self.flow.program.member(self.member).unit, &self.flow.type_of(&value))
    }

    /// `lists[topic].push(handler)` in a function that is handed both: whose collection it is its callers say.
    fn handed_collection(&self, node: NodeId, value: &Val, text: &str, args: &[NodeId], found: &mut Vec<Effect>) -> bool {
        // what a function does to any one list is done to data as often as not
        let Val::Element(list, Some(key)) = value else { return false };
        let (list, key) = (&**list, Some((**key).clone()));
        let is_handed = |v: &Val| matches!(v, Val::Param(m, None, _) if *m == self.member);
        if !is_handed(list) {
            return false;
        }
        let pack = &*self.flow.program.kit_of(self.member).pack;
        let own = |at: NodeId| (self.eval(at), at);
        let (act, put) = match args {
            [.., last] if pack.adds.contains(text) => (Act::Join, own(*last)),
            [first, ..] if pack.removes.contains(text) => (Act::Leave, self.looked_up(*first).unwrap_or_else(|| own(*first))),
            _ => return false,
        };
        if !is_handed(&put.0) || put.0 == *list {
            return false;
        }
        let mut effect = Effect::new(act, Holder { subject: list.clone(), event: Event::Given, key }, self.site(node));
        effect.handler = Some(put.0);
        effect.handler_node = Some(self.site(put.1));
        effect.of_handed_list = true;
        found.push(effect);
        true
    }

    /// What is handed to a removal: the handler inside a record, where records are equal by what they hold.
    fn taken_out(&self, holder: &Holder, value: NodeId) -> Carried {
        let carried = self.carried(holder, value);
        if carried.in_record && !adapters::is_equal_by_content(self.flow, self.site(value)) {
            return Carried { handler: self.eval(value), at: value, weak: false, in_record: false, around: None, once: false };
        }
        carried
    }

    /// The value that elements of a collection are compared with, where what is handed to the
    /// removal is a position: `if (list.get(i) == handler) found = i; … list.remove(found)`.
    fn compared(&self, position: NodeId, collection: &Val) -> Option<(Val, NodeId)> {
        let Node::Name(name) = self.body.node(position) else { return None };
        let scope = self.flow.program.scope(self.member);
        let Some(Declared::Local(local)) = scope.lookup(name, position) else { return None };
        // a local that holds the element itself is no position
        let is_in = |v: &Val| matches!(v, Val::Element(of, _) if **of == *collection);
        let is_element = |v: &Val| is_in(v) || matches!(v, Val::Member(of, _) | Val::Outside(of, _) if is_in(of));
        if !matches!(self.body.node(local), Node::Local { .. }) || is_element(&self.eval(position)) {
            return None;
        }
        let pack = &*self.flow.program.kit_of(self.member).pack;
        // `*it == handler`, where `it` is an iterator
        let is_iterator = self.flow.begun_by(self.member, position).is_some();
        let is_there = |n: NodeId| is_iterator && scope.names(self.body, n, local);
        self.body.ids().find_map(|id| {
            let (a, b) = match self.body.node(id) {
                Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => (left, right),
                Node::Call { callee, args, .. } => match (self.body.node(callee), self.body.list(args)) {
                    (Node::Name(n) | Node::Member { name: n, .. }, &[a, b]) if pack.equality.contains(self.text(n)) => (a, b),
                    (Node::Member { object, name: n, .. }, &[only]) if pack.equality.contains(self.text(n)) => (object, only),
                    _ => return None,
                },
                _ => return None,
            };
            [(a, b), (b, a)].into_iter().find_map(|(element, other)| {
                let value = self.eval(other);
                let of_it = || matches!(self.body.node(element), Node::Member { object, .. } if is_there(object));
                let is_it = is_element(&self.eval(element)) || is_there(element) || of_it();
                (matches!(value, Val::Param(..) | Val::This(_)) && is_it).then_some((value, other))
            })
        })
    }

    /// `indexOf(handler)`, also by way of a local.
    fn looked_up(&self, node: NodeId) -> Option<(Val, NodeId)> {
        match self.body.node(node) {
            Node::Call { callee, args, .. } => {
                let Node::Member { name, .. } = self.body.node(callee) else { return None };
                let args = self.body.list(args);
                if !self.flow.program.kit_of(self.member).pack.positions.contains(self.text(name)) {
                    return None;
                }
                match args.first() {
                    Some(&predicate) if matches!(self.body.node(predicate), Node::Lambda(_)) => self.excluded(predicate),
                    first => first.map(|a| (self.eval(*a), *a)),
                }
            }
            Node::Name(name) => match self.flow.program.scope(self.member).lookup(name, node)? {
                Declared::Local(local) => match self.body.node(local) {
                    // a capture may be named like what it is taken from: `[at = at]`
                    Node::Local { init: Some(init), .. } if !self.flow.program.scope(self.member).is_within(node, local) => {
                        self.looked_up(init)
                    }
                    _ => None,
                },
                Declared::Param(..) => None,
            },
            _ => None,
        }
    }
}
