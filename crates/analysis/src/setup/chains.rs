//! What a run links to chains.

use std::collections::BTreeMap;

use rustc_hash::FxHashSet;
use yarrowgraph_ir::FunctionId;

use super::machine::Machine;
use super::value::{FrameId, Kind, ObjectId, Value};
use crate::chain::{Built, Chains, Ends, Link, Of, Stored};
use crate::program::{MemberId, Site};

/// A link that was set.
#[derive(Clone, Copy, Debug)]
pub(super) struct Set {
    next: usize,
    field: MemberId,
    from: ObjectId,
    to: Option<ObjectId>,
    site: Site,
    closes: bool,
}

impl Machine<'_, '_> {
    /// Notes that a field which holds the next link is set.
    pub(super) fn linked(&mut self, object: ObjectId, field: MemberId, value: &Value, at: Option<Site>) {
        let Some(next) = self.links().next_in(field) else { return };
        let to = match value {
            Value::Object(id) if matches!(self.object(*id).kind, Kind::Instance { .. }) => Some(*id),
            _ => None,
        };
        let closes = to.is_some_and(|to| self.leads_to(next, to, object));
        let site = self.place_outside(field, at);
        self.note_decisions();
        self.sets.push(Set { next, field, from: object, to, site, closes });
    }

    /// Notes that a list is walked for an answer.
    pub(super) fn walked(&mut self, walk: Site, list: &Value) {
        if let (Some(walk), Value::Object(id)) = (self.links().walk_at(walk), list)
            && !self.walks.contains(&(walk, *id))
        {
            self.note_decisions();
            self.walks.push((walk, *id));
        }
    }

    /// Notes the lists that a method is handed and walks.
    pub(super) fn handed_lists(&mut self, method: MemberId, args: &[Value]) {
        if let Some((walk, index)) = self.links().walk_given_to(method)
            && let Some(Value::Object(id)) = args.get(usize::from(index))
            && !self.walks.contains(&(walk, *id))
        {
            self.note_decisions();
            self.walks.push((walk, *id));
        }
    }

    /// The next link of an object.
    fn next_of(&self, next: usize, object: ObjectId) -> Option<ObjectId> {
        let Kind::Instance { fields, .. } = &self.object(object).kind else { return None };
        let known = &self.links().next[next].fields;
        match fields.iter().find(|(f, _)| known.contains(f))? {
            (_, Value::Object(id)) => Some(*id),
            _ => None,
        }
    }

    /// Whether the field for the next link holds something else than nothing and a link.
    fn goes_on(&self, next: usize, object: ObjectId) -> bool {
        let Kind::Instance { fields, .. } = &self.object(object).kind else { return false };
        let known = &self.links().next[next].fields;
        fields.iter().any(|(f, value)| known.contains(f) && !matches!(value, Value::Null | Value::Object(_)))
    }

    /// Whether the links from one object on lead to another one.
    fn leads_to(&self, next: usize, from: ObjectId, to: ObjectId) -> bool {
        let mut seen = FxHashSet::default();
        let mut at = Some(from);
        while let Some(object) = at {
            if object == to {
                return true;
            }
            if !seen.insert(object) {
                return false;
            }
            at = self.next_of(next, object);
        }
        false
    }

    /// The statement that sets a link as the code around the links says it: the call of a setter rather than what that does.
    fn place_outside(&self, field: MemberId, at: Option<Site>) -> Site {
        let program = self.program();
        let base = self.links().next_in(field).map_or(program.member(field).owner, |n| self.links().next[n].base);
        let is_link = |member: MemberId| !program.member(member).is_static && program.is_a(program.member(member).owner, base);
        let here = at.filter(|s| !is_link(s.member));
        let outside = here.or_else(|| self.calls.iter().rev().find(|s| !is_link(s.member)).copied());
        outside
            .or(at)
            .or_else(|| self.calls.last().copied())
            .unwrap_or(Site { member: self.frame().member, node: yarrowgraph_ir::NodeId::new(0) })
    }

    /// What the run has linked.
    pub(super) fn chains(&self) -> Chains {
        let mut chains = Chains::default();
        if self.links().is_empty() {
            return chains;
        }
        chains.made = self.heap().iter().filter(|o| matches!(o.kind, Kind::Instance { .. })).map(|o| o.made).collect();
        for next in 0..self.links().next.len() {
            self.next_chains(next, &mut chains);
        }
        let mut lists: Vec<(usize, ObjectId)> = self.walks.clone();
        let mut holders: BTreeMap<ObjectId, MemberId> = BTreeMap::new();
        let of_objects = self.heap().iter().filter_map(|object| match &object.kind {
            Kind::Instance { fields, .. } => Some(fields.iter().map(|(field, value)| (*field, value))),
            _ => None,
        });
        // and variables of modules
        let held = of_objects.flatten().chain(self.statics.iter().map(|(field, value)| (*field, value)));
        for (field, value) in held {
            if let Value::Object(list) = value
                && matches!(self.object(*list).kind, Kind::List(_))
            {
                holders.entry(*list).or_insert(field);
                if let Some(walk) = self.links().walk_over(field)
                    && !lists.iter().any(|(_, l)| l == list)
                {
                    lists.push((walk, *list));
                }
            }
        }
        self.wrapped(&mut chains);
        lists.sort_unstable_by_key(|(_, list)| *list);
        lists.dedup_by_key(|(_, list)| *list);
        for (walk, list) in lists {
            let object = self.object(list);
            let Kind::List(items) = &object.kind else { continue };
            // functions that each make a link out of the next one are none themselves
            if items.iter().any(|item| self.makes_link(item)) {
                continue;
            }
            let links: Option<Vec<Link>> = items.iter().map(|item| self.link_of(walk, item)).collect();
            if let Some(links) = links.filter(|l| l.len() > 1) {
                let holder = holders.get(&list).copied();
                let set = vec![object.made];
                chains.built.push(Built { of: Of::Walk(walk), links, set, ring: None, holder, goes_on: false });
            }
        }
        chains
    }

    /// Functions that are made with the next one.
    fn wrapped(&self, chains: &mut Chains) {
        if !self.links().has_wraps() {
            return;
        }
        let mut edges: BTreeMap<ObjectId, (ObjectId, usize, Option<Value>)> = BTreeMap::new();
        for (at, object) in self.heap().iter().enumerate() {
            let Kind::Closure { member, function, made_in, .. } = object.kind else { continue };
            let Some((wrap, walk)) = self.links().wrap(member, function) else { continue };
            let param = |around, index: u16| self.param_around(made_in, member, around, index);
            if let Some(Value::Object(next)) = param(wrap.around, wrap.next)
                && matches!(self.object(next).kind, Kind::Closure { .. } | Kind::Method { .. })
            {
                let by = wrap.by.and_then(|(around, index)| param(around, index));
                if wrap.by.is_none() || by.is_some() {
                    edges.insert(ObjectId(at as u32), (next, walk, by));
                }
            }
        }
        self.past_ends(&mut edges);
        let led_to: FxHashSet<ObjectId> = edges.values().map(|(to, ..)| *to).collect();
        for (start, (_, walk, _)) in edges.iter().filter(|(from, _)| !led_to.contains(from)) {
            let (mut links, mut set, mut at) = (Vec::new(), Vec::new(), *start);
            let mut seen = FxHashSet::default();
            while let Some((next, _, by)) = edges.get(&at).filter(|_| seen.insert(at)) {
                links.extend(self.link(by.as_ref().unwrap_or(&Value::Object(at))));
                set.push(self.object(at).made);
                at = *next;
            }
            // one that is wrapped alone is no chain
            if links.len() < 2 {
                continue;
            }
            if edges.get(start).is_some_and(|(.., by)| by.is_none()) {
                links.extend(self.link(&Value::Object(at)));
            }
            chains.built.push(Built { of: Of::Walk(*walk), links, set, ring: None, holder: None, goes_on: false });
        }
    }

    /// Leads on from links that never ask the next one, to which others lead: the next one is there, and in vain.
    fn past_ends(&self, edges: &mut BTreeMap<ObjectId, (ObjectId, usize, Option<Value>)>) {
        let mut open: Vec<(ObjectId, usize)> = edges.values().map(|(to, walk, _)| (*to, *walk)).collect();
        while let Some((at, walk)) = open.pop() {
            let Kind::Closure { member, function, made_in, .. } = self.object(at).kind else { continue };
            let Some(around) = self.links().wrapped_end(member, function).filter(|_| !edges.contains_key(&at)) else { continue };
            // handed that one function, and nothing else
            if let (Some(Value::Object(next)), None) =
                (self.param_around(made_in, member, around, 0), self.param_around(made_in, member, around, 1))
                && matches!(self.object(next).kind, Kind::Closure { .. } | Kind::Method { .. })
            {
                edges.insert(at, (next, walk, None));
                open.push((next, walk));
            }
        }
    }

    /// Whether a function gives back one that is made with what it is handed.
    pub(super) fn makes_link(&self, value: &Value) -> bool {
        match self.kind(value) {
            Some(Kind::Closure { member, function, .. }) => self.links().makes_wrap(*member, Some(*function)),
            Some(Kind::Method { member, .. }) => self.links().makes_wrap(*member, None),
            _ => false,
        }
    }

    /// The parameter of a function, or of the method, around the place where another function was made.
    fn param_around(&self, made_in: FrameId, member: MemberId, around: Option<FunctionId>, index: u16) -> Option<Value> {
        let mut at = Some(made_in);
        while let Some(frame) = at.map(|f| self.frame_at(f)) {
            if frame.member == member && frame.function == around {
                return frame.params.get(usize::from(index)).cloned();
            }
            at = frame.made_in;
        }
        None
    }

    /// Where the function that made a link is named: in a list, as an argument, or in the call by which the link was made.
    fn named_at(&self, object: ObjectId) -> Option<Site> {
        let (maker, call) = self.made_by.get(&object)?;
        let named = self.named.iter().rev().find(|(named, _)| named == maker);
        named.map(|(_, site)| *site).or(*call)
    }

    /// Where an object was put into a list, as the code around it says it, unless that is where it was made.
    fn put_at(&self, object: ObjectId) -> Option<Site> {
        let (_, site) = self.puts.iter().rev().find(|(put, _)| *put == object)?;
        let made = self.object(object).made;
        let is_made_there = made.member == site.member && self.program().scope(made.member).is_within(made.node, site.node);
        (!is_made_there).then_some(*site)
    }

    /// An element of a walked list as a link: of a record that holds the function which is handed the way on, that function.
    fn link_of(&self, walk: usize, value: &Value) -> Option<Link> {
        let walk = &self.links().walks[walk];
        let (Some(Kind::Map(entries)), Some(method), Ends::WayOn(_)) = (self.kind(value), walk.method, &walk.ends) else {
            return self.link(value);
        };
        let name = self.program().text(method);
        let (_, function) = entries.iter().find(|(key, _)| matches!(key, Value::Text(text) if **text == *name))?;
        let link = self.link(function)?;
        // where a helper makes the record, the place that counts is where it is handed the function
        let record = if let Value::Object(record) = value { self.object(*record).made } else { return Some(link) };
        let is_beside = || record.member == link.made.member && self.program().scope(record.member).is_within(link.made.node, record.node);
        let put = if is_beside() { Some(record) } else { link.put };
        Some(Link { put, ..link })
    }

    fn link(&self, value: &Value) -> Option<Link> {
        let Value::Object(id) = value else { return None };
        let object = self.object(*id);
        match &object.kind {
            Kind::Instance { class, .. } => {
                Some(Link { class: Some(*class), function: None, made: object.made, put: self.put_at(*id), only_for: None })
            }
            Kind::Closure { .. } | Kind::Method { .. } => {
                let put = self.named_at(*id).or_else(|| self.put_at(*id));
                Some(Link { class: None, function: self.as_val(value), made: object.made, put, only_for: None })
            }
            _ => None,
        }
    }

    fn next_chains(&self, next: usize, chains: &mut Chains) {
        let sets: Vec<&Set> = self.sets.iter().filter(|s| s.next == next).collect();
        let mut edges: BTreeMap<ObjectId, ObjectId> = BTreeMap::new();
        for set in &sets {
            if let Some(to) = self.next_of(next, set.from) {
                edges.insert(set.from, to);
            }
        }
        let led_to: FxHashSet<ObjectId> = edges.values().copied().collect();
        let mut starts: Vec<ObjectId> = edges.keys().copied().filter(|o| !led_to.contains(o)).collect();
        let mut seen: FxHashSet<ObjectId> = FxHashSet::default();
        let mut rings: Vec<ObjectId> = edges.keys().copied().collect();
        starts.append(&mut rings);
        for start in starts {
            if seen.contains(&start) {
                continue;
            }
            let mut objects = vec![start];
            let mut closed = false;
            while let Some(to) = edges.get(objects.last().unwrap_or(&start)) {
                if objects.contains(to) {
                    closed = true;
                    break;
                }
                objects.push(*to);
            }
            seen.extend(objects.iter().filter(|o| edges.contains_key(o)));
            let links: Vec<Link> = objects.iter().filter_map(|o| self.link(&Value::Object(*o))).collect();
            let last_set = |from: &ObjectId| sets.iter().rev().find(|s| s.from == *from && s.to.is_some()).map(|s| s.site);
            let set: Vec<Site> = objects.iter().filter_map(last_set).collect();
            let ring = closed.then(|| sets.iter().rev().find(|s| s.closes && objects.contains(&s.from)).map(|s| s.site)).flatten();
            let holder = sets.iter().find(|s| objects.contains(&s.from)).map(|s| s.field);
            if links.len() > 1 || ring.is_some() {
                let goes_on = objects.last().is_some_and(|last| self.goes_on(next, *last));
                chains.built.push(Built { of: Of::Next(next), links, set, ring, holder, goes_on });
            }
        }
        // what another one took the place of
        for (at, set) in sets.iter().enumerate() {
            let Some(to) = set.to else { continue };
            let later = sets[at + 1..].iter().find(|s| s.from == set.from);
            if let Some(later) = later
                && later.to.is_some_and(|l| l != to)
                && !led_to.contains(&to)
            {
                chains.lost.push(Stored { field: set.field, site: set.site, by: later.site, made: self.object(to).made });
            }
        }
    }
}
