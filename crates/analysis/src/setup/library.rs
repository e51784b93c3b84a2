//! What collections and functions of libraries do, by the names that the packs list.

use yarrowgraph_ir::{Node, NodeId};

use super::machine::Machine;
use super::value::{Kind, Value};
use crate::flow::Val;
use crate::program::{Site, Sym, Ty};

/// What turns a sequence round.
const REVERSES: [&str; 4] = ["reverse", "Reverse", "reversed", "toReversed"];

/// Steps of sequences whose result is a list of what the function gives for each element.
const MAPS: [&str; 3] = ["map", "Select", "flatMap"];

/// What puts the elements of a sequence together, that which begins with the last one, and that which is given the value
/// to begin with before the function.
const FOLDS: [&str; 4] = ["reduce", "reduceRight", "Aggregate", "foldLeft"];
const FROM_LAST: [&str; 1] = ["reduceRight"];
const NAMES_FIRST: [&str; 1] = ["Aggregate"];

/// What a class does to an object that is known to be of it.
const CASTS: &str = "cast";

impl Machine<'_, '_> {
    /// Makes an object of a library: a collection, or something that is only told from others.
    pub(super) fn new_outside(&mut self, site: Site, ty: &Ty, args: Vec<Value>) -> Value {
        let program = self.program();
        let unit = program.member(site.member).unit;
        let wraps = program.is_callable(unit, ty);
        if wraps && let [only] = &args[..] {
            return only.clone();
        }
        let copied = args.first().and_then(|a| self.kind(a)).cloned();
        let kind = match (program.is_map(ty), program.element_type(unit, ty).is_some() || self.names_collection(ty), copied) {
            (true, _, Some(Kind::Map(entries))) => Kind::Map(entries),
            (true, ..) => Kind::Map(Vec::new()),
            // `std::vector<Gauge*>{&north, &south}`
            (_, true, _) if args.len() > 1 && args.iter().all(|a| matches!(a, Value::Object(_))) => Kind::List(args),
            (_, true, Some(Kind::List(items))) => Kind::List(items),
            (_, true, _) => Kind::List(Vec::new()),
            _ => Kind::Outside,
        };
        self.make(kind, site)
    }

    fn names_collection(&self, ty: &Ty) -> bool {
        let pack = &*self.program().kit_of(self.frame().member).pack;
        self.program().type_name(ty).is_some_and(|name| pack.collections.contains(name))
    }

    /// A call of something that the tree does not declare.
    pub(super) fn library_call(&mut self, site: Site, object: &Value, sym: Sym, args: Vec<Value>) -> Value {
        let program = self.program();
        let args = match self.flow.class_made_at(site) {
            Some(class) => vec![self.new_instance(class, args, site)],
            None => args,
        };
        let name = program.text(sym);
        let pack = &*program.kit_of(site.member).pack;
        match self.kind(object) {
            Some(Kind::List(_) | Kind::Map(_)) => return self.collection_call(site, object, name, args),
            Some(Kind::Closure { .. } | Kind::Method { .. }) if pack.invokers.contains(name) => return self.call_value(object, args),
            // the same function, with an object of its own
            Some(Kind::Closure { .. } | Kind::Method { .. }) if pack.binders.contains(name) => return object.clone(),
            Some(Kind::Instance { class, .. }) if args.is_empty() && pack.class_getters.contains(name) => return Value::Type(*class),
            // the object that a pointer leads to
            Some(Kind::Instance { .. }) if args.is_empty() && pack.unwraps.contains(name) => return object.clone(),
            _ => {}
        }
        if let (Value::Type(_), CASTS, [only]) = (object, name, &args[..]) {
            return only.clone();
        }
        // `List.of(a, b)`, `Arrays.asList(a, b)`, `Objects.requireNonNull(a)`
        let is_factory = matches!(name, "of" | "asList" | "from" | "AsReadOnly" | "unmodifiableList" | "copyOf" | "Create" | "ofEntries");
        match (&args[..], is_factory || pack.copies.contains(name)) {
            ([only], _) if REVERSES.contains(&name) => self.reversed(only, site),
            ([only], true) if matches!(self.kind(only), Some(Kind::List(_) | Kind::Map(_))) => only.clone(),
            ([only], _) if pack.views.contains(name) => only.clone(),
            (_, _) if is_factory => self.make(Kind::List(args), site),
            _ => Value::Unknown,
        }
    }

    fn collection_call(&mut self, site: Site, object: &Value, name: &str, args: Vec<Value>) -> Value {
        let pack = &*self.program().kit_of(site.member).pack;
        let Value::Object(id) = object else { return Value::Unknown };
        if MAPS.contains(&name) {
            let items = self.elements(object).unwrap_or_default();
            let function = args.first().cloned().unwrap_or(Value::Unknown);
            let made = items.into_iter().map(|item| self.call_value(&function, vec![item])).collect();
            return self.make(Kind::List(made), site);
        }
        if let Some(folded) = self.fold(object, name, &args) {
            return folded;
        }
        if pack.out_lookups.contains(name) {
            return self.look_up(site, object, &args);
        }
        if pack.walks.contains(name) {
            let items = self.elements(object).unwrap_or_default();
            let function = args.first().cloned().unwrap_or(Value::Unknown);
            for item in items {
                self.call_value(&function, vec![item]);
            }
            return Value::Unknown;
        }
        if pack.adds.contains(name) {
            self.note_puts(site, &args);
            // a set says whether it has taken it in: `if (known.Add(listener))`
            let is_new = matches!((&args[..], self.elements(object)), ([only @ Value::Object(_)], Some(items)) if !items.contains(only));
            self.add(object, name, args);
            return if is_new { Value::Bool(true) } else { Value::Unknown };
        }
        if pack.takes.contains(name) || pack.removes.contains(name) {
            return self.take(object, name, &args);
        }
        if pack.clears.contains(name) {
            match &mut self.object_mut(*id).kind {
                Kind::List(items) => items.clear(),
                Kind::Map(entries) => entries.clear(),
                _ => {}
            }
            return Value::Unknown;
        }
        match (name, self.kind(object)) {
            ("size" | "Count" | "count", Some(Kind::List(items))) => Value::Int(items.len() as i64),
            ("isEmpty", Some(Kind::List(items))) => Value::Bool(items.is_empty()),
            ("first" | "First" | "getFirst" | "FirstOrDefault", Some(Kind::List(items))) => {
                items.first().cloned().unwrap_or(Value::Unknown)
            }
            ("last" | "Last" | "getLast" | "LastOrDefault", Some(Kind::List(items))) => items.last().cloned().unwrap_or(Value::Unknown),
            (turns, Some(Kind::List(_))) if REVERSES.contains(&turns) => self.reversed(object, site),
            // an order or a choice that only a run knows
            ("sorted" | "sort" | "OrderBy" | "shuffle", _) => Value::Unknown,
            _ if pack.filters.contains(name) && !args.is_empty() => Value::Unknown,
            _ if pack.elements.contains(name) => args.first().map_or(Value::Unknown, |key| self.element(object, key)),
            _ if pack.views.contains(name) => object.clone(),
            _ if pack.copies.contains(name) || pack.filters.contains(name) => match self.elements(object) {
                Some(items) => self.make(Kind::List(items), site),
                None => Value::Unknown,
            },
            _ => Value::Unknown,
        }
    }

    /// `parts.TryGetValue(key, out var part)`: what is under a key is stored into the last argument.
    fn look_up(&mut self, site: Site, map: &Value, args: &[Value]) -> Value {
        let found = args.first().map_or(Value::Unknown, |key| self.element(map, key));
        let is_there = found != Value::Unknown;
        let written = self.program().body(site.member).map(|b| (b, b.node(site.node)));
        if let Some((body, Node::Call { args, .. })) = written
            && let Some(out) = body.list(args).last()
        {
            self.store_into(*out, found);
        }
        if is_there { Value::Bool(true) } else { Value::Unknown }
    }

    /// What the elements of a list come to one after the other: `steps.reduceRight((next, step) => step(next), last)`.
    fn fold(&mut self, list: &Value, name: &str, args: &[Value]) -> Option<Value> {
        if !FOLDS.contains(&name) {
            return None;
        }
        let mut items = self.elements(list)?;
        if FROM_LAST.contains(&name) {
            items.reverse();
        }
        let is_function = |machine: &Self, v: &Value| matches!(machine.kind(v), Some(Kind::Closure { .. } | Kind::Method { .. }));
        // the function comes first or last, whatever the language
        let (function, first) = match args {
            [function] => (function, None),
            [function, first] if is_function(self, function) && !NAMES_FIRST.contains(&name) => (function, Some(first)),
            [first, function, ..] => (function, Some(first)),
            [] => return None,
        };
        let mut items = items.into_iter();
        let mut value = match first {
            Some(first) => first.clone(),
            None => items.next()?,
        };
        for item in items {
            value = self.call_value(function, vec![value, item]);
        }
        Some(value)
    }

    /// Notes where objects are put into a list: at the call of the method that does no more than that, where there is one.
    fn note_puts(&mut self, site: Site, args: &[Value]) {
        let Some(body) = self.program().body(site.member) else { return };
        let Node::Call { args: written, .. } = body.node(site.node) else { return };
        let flow = self.flow;
        let is_handed = |node: &NodeId| matches!(flow.eval_in(site.member, *node), Val::Param(m, None, _) if m == site.member);
        let by_caller = body.list(written).iter().any(is_handed);
        let caller = self.calls.iter().rev().find(|s| **s != site).copied();
        let at = if by_caller { caller.unwrap_or(site) } else { site };
        self.puts.extend(args.iter().filter_map(|arg| if let Value::Object(item) = arg { Some((*item, at)) } else { None }));
    }

    fn reversed(&mut self, list: &Value, site: Site) -> Value {
        match self.elements(list) {
            Some(items) => self.make(Kind::List(items.into_iter().rev().collect()), site),
            None => Value::Unknown,
        }
    }

    fn add(&mut self, object: &Value, name: &str, mut args: Vec<Value>) {
        let pack = &*self.program().kit_of(self.frame().member).pack;
        let Value::Object(id) = object else { return };
        let Some(last) = args.pop() else { return };
        // all of another collection
        let added = match self.elements(&last) {
            Some(items) if matches!(name, "addAll" | "AddRange") => items,
            _ => vec![last],
        };
        let adds_first = pack.adds_first.contains(name) && name != "push";
        match (&mut self.object_mut(*id).kind, args.pop()) {
            (Kind::List(items), Some(Value::Int(at))) => {
                let at = usize::try_from(at).unwrap_or(0).min(items.len());
                added.into_iter().rev().for_each(|item| items.insert(at, item));
            }
            (Kind::List(items), first) => {
                let all = first.into_iter().chain(added);
                if adds_first {
                    all.for_each(|item| items.insert(0, item));
                } else {
                    items.extend(all);
                }
            }
            (Kind::Map(_), Some(key)) => {
                if let Some(value) = added.into_iter().next() {
                    self.put(object, key, value);
                }
            }
            _ => {}
        }
    }

    fn take(&mut self, object: &Value, name: &str, args: &[Value]) -> Value {
        let Value::Object(id) = object else { return Value::Unknown };
        match &mut self.object_mut(*id).kind {
            Kind::List(items) => match args.first() {
                Some(Value::Int(at)) if *at >= 0 && (*at as usize) < items.len() => items.remove(*at as usize),
                Some(given) => {
                    items.retain(|item| item != given);
                    Value::Unknown
                }
                None if items.is_empty() => Value::Null,
                None if matches!(name, "pop" | "Pop" | "removeLast" | "pollLast") => items.pop().unwrap_or(Value::Null),
                None => items.remove(0),
            },
            Kind::Map(entries) => {
                if let Some(key) = args.first() {
                    entries.retain(|(k, _)| k != key);
                }
                Value::Unknown
            }
            _ => Value::Unknown,
        }
    }
}
