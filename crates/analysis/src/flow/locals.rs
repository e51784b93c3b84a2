//! What locals hold.

use std::sync::Arc;

use yarrowgraph_ir::{MemberKind, Node, NodeId, UnaryOp};

use super::{BUDGET, Flow, Val};
use crate::program::{Declared, MemberId, Site, Sym, within};

impl Flow<'_> {
    /// The list of which a local is an iterator from its beginning: `auto it = list.begin()`.
    pub fn list_of_iterator(&self, member: MemberId, name_at: NodeId) -> Option<NodeId> {
        let (begins, list) = self.begun_by(member, name_at)?;
        self.program.kit_of(member).pack.list_begins.contains(begins).then_some(list)
    }

    /// The name of the method whose call is the first value of a local, and what it is called on: `auto it = list.begin()`.
    pub fn begun_by(&self, member: MemberId, name_at: NodeId) -> Option<(&str, NodeId)> {
        let body = self.program.body(member)?;
        let Node::Name(name) = body.node(name_at) else { return None };
        let Some(Declared::Local(local)) = self.program.scope(member).lookup(name, name_at) else { return None };
        let Node::Local { init: Some(init), .. } = body.node(local) else { return None };
        let Node::Call { callee, .. } = body.node(init) else { return None };
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        Some((self.program.unit_of(member).text(name), object))
    }

    /// The nodes whose values reach a local, in the order in which they stand in the text.
    pub fn local_values(&self, local: Site) -> Vec<NodeId> {
        let Some(body) = self.program.body(local.member) else { return Vec::new() };
        let Node::Local { name, init, .. } = body.node(local.node) else { return Vec::new() };
        let mut values: Vec<NodeId> = init.into_iter().filter(|n| !matches!(body.node(*n), Node::Null)).collect();
        let scope = self.program.scope(local.member);
        let Some(around) = scope.scope_of(body, local.node) else { return values };
        let writes = self.program.index.writes(self.program.sym_in(local.member, name));
        for &site in within(writes, local.member).iter().filter(|site| scope.is_within(site.node, around)) {
            if let Node::Assign { target, value, op: yarrowgraph_ir::AssignOp::Set | yarrowgraph_ir::AssignOp::IfUnset } =
                body.node(site.node)
                && scope.names(body, target, local.node)
                && !matches!(body.node(value), Node::Null)
            {
                values.push(value);
            }
        }
        values
    }

    /// What is given to a local, in the order in which it stands in the text.
    pub fn values_of_local(&self, local: Site) -> Vec<Val> {
        self.local_values(local).into_iter().map(|node| self.eval_in(local.member, node)).collect()
    }

    /// What a local is where it is read: what the statement before it in the same run of code has put there, or
    /// whatever reaches it at all.
    pub(super) fn eval_local_at(&self, local: Site, at: NodeId, budget: u32) -> Val {
        let Some(put) = self.put_before(local, at) else { return self.eval_local(local, budget) };
        let Some(budget) = budget.checked_sub(1) else { return Val::Local(local) };
        match self.held(local, put, budget) {
            // what is made where nothing was found will stand where it was looked for
            made @ (Val::New(_) | Val::Literal(_)) => match self.eval_local(local, budget) {
                found @ (Val::Element(..) | Val::Member(..) | Val::Static(_)) => found,
                _ => made,
            },
            value => value,
        }
    }

    /// The one value that a local given several has at a place in the straight line of a body.
    fn put_before(&self, local: Site, at: NodeId) -> Option<NodeId> {
        let values = self.local_values(local);
        if values.len() < 2 {
            return None;
        }
        let (body, scope) = (self.program.body(local.member)?, self.program.scope(local.member));
        let puts: Vec<NodeId> = values.iter().filter_map(|v| scope.parent(*v)).collect();
        let put_within = |node: NodeId| puts.iter().any(|put| *put == node || scope.ancestors(*put).any(|a| a == node));
        let mut inner = at;
        for around in scope.ancestors(at) {
            match body.node(around) {
                Node::Block(list) => {
                    let list = body.list(list);
                    let before = list.iter().position(|s| *s == inner)?;
                    if let Some(statement) = list[..before].iter().rev().find(|s| put_within(**s)) {
                        return puts.iter().position(|put| put == statement).map(|index| values[index]);
                    }
                }
                // its own value is made of what was there before
                _ if puts.contains(&around) => {}
                Node::Lambda(_) => return None,
                // a later round finds what an earlier one has put there; the other branch of a choice does not count
                _ if put_within(around) => return None,
                _ => {}
            }
            inner = around;
        }
        None
    }

    /// What a local stands for that is given one value.
    fn held(&self, local: Site, node: NodeId, budget: u32) -> Val {
        let refers = self.program.body(local.member).is_some_and(|body| matches!(body.node(node), Node::MethodRef { .. }));
        match self.eval_at(local.member, node, budget) {
            Val::Outside(..) if refers => Val::Local(local),
            // which function it is may matter less than that it is the same one
            Val::Lambda(..) | Val::Method(..) | Val::Bound(..) | Val::Unknown | Val::Data | Val::Call(_) => Val::Local(local),
            known => known,
        }
    }

    pub(super) fn eval_local(&self, local: Site, budget: u32) -> Val {
        let Some(budget) = budget.checked_sub(1) else { return Val::Local(local) };
        // a function by its own name
        if let Some(Node::Lambda(function)) = self.program.body(local.member).map(|b| b.node(local.node)) {
            return Val::Lambda(local.member, function);
        }
        let assigned = self.local_values(local);
        let given = self.given_to_local(local, budget);
        if let ([one], None) = (&assigned[..], &given) {
            return self.held(local, *one, budget);
        }
        let mut all: Vec<Val> = Vec::new();
        for value in given.into_iter().chain(assigned.iter().map(|v| self.eval_at(local.member, *v, budget))) {
            // what is let go in the end was what it was until then
            if all.last() != Some(&value) && (value != Val::Null || all.is_empty()) {
                all.push(value);
            }
            // what two different things are given to is itself
            if all.iter().filter(|v| !matches!(v, Val::New(_) | Val::Literal(_) | Val::Call(_))).count() > 1 {
                return Val::Local(local);
            }
        }
        // what a call gives where nothing is found under a key was made for that
        let is_looked_up = all.iter().any(|v| matches!(v, Val::Element(_, Some(_))));
        let is_made = |v: &Val| matches!(v, Val::New(_) | Val::Literal(_)) || is_looked_up && matches!(v, Val::Call(_));
        if all.iter().filter(|v| !is_made(v)).count() > 1 {
            return Val::Local(local);
        }
        match &all[..] {
            [one] if !one.is_function() && *one != Val::Unknown => one.clone(),
            // what was looked up, or made where nothing was found
            _ => match all.iter().find(|v| !is_made(v)) {
                Some(path @ (Val::Element(..) | Val::Member(..) | Val::Static(_))) if all.len() > 1 => path.clone(),
                _ => Val::Local(local),
            },
        }
    }

    /// What a local gets by where it stands rather than by an assignment.
    fn given_to_local(&self, local: Site, budget: u32) -> Option<Val> {
        let body = self.program.body(local.member)?;
        let parent = self.program.scope(local.member).parent(local.node)?;
        let given = match body.node(parent) {
            Node::ForEach { var, iterable, keys: false, .. } if var == local.node => {
                Val::Element(Arc::new(self.eval_at(local.member, iterable, budget)), None)
            }
            Node::Unary { op: UnaryOp::ByRef, .. } => self.out_argument(local, parent, budget),
            Node::Entry { key, .. } => self.part_by_key(local, parent, key, budget),
            Node::Pattern { .. } => self.part_by_position(local, parent, budget),
            Node::Call { callee, args, .. } if body.list(args).contains(&local.node) => {
                self.out_of_call(local, callee, body.list(args), budget)
            }
            Node::Block(_) => self.out_argument(local, self.filled_by_call(local)?, budget),
            _ => return None,
        };
        (given != Val::Local(local)).then_some(given)
    }

    /// Where a local that is declared without a value is handed to a call to be filled: `Handler all; table.TryGetValue(key, out all);`
    fn filled_by_call(&self, local: Site) -> Option<NodeId> {
        let (body, scope) = (self.program.body(local.member)?, self.program.scope(local.member));
        let Node::Local { name, init: None, .. } = body.node(local.node) else { return None };
        if self.program.kit_of(local.member).pack.out_lookups.is_empty() {
            return None;
        }
        let is_it = |n: NodeId| body.node(n) == Node::Name(name) && scope.names(body, n, local.node);
        body.ids().find(|n| matches!(body.node(*n), Node::Unary { op: UnaryOp::ByRef, operand } if is_it(operand)))
    }

    /// `table.TryGetValue(key, out var value)`
    fn out_argument(&self, local: Site, by_ref: NodeId, budget: u32) -> Val {
        let Some(body) = self.program.body(local.member) else { return Val::Unknown };
        let Some(call) = self.program.scope(local.member).parent(by_ref) else { return Val::Local(local) };
        match body.node(call) {
            Node::Call { callee, args, .. } => self.out_of_call(local, callee, body.list(args), budget),
            _ => Val::Local(local),
        }
    }

    fn out_of_call(&self, local: Site, callee: NodeId, args: &[NodeId], budget: u32) -> Val {
        let Some(body) = self.program.body(local.member) else { return Val::Unknown };
        let Node::Member { object, name, .. } = body.node(callee) else { return Val::Local(local) };
        let text = self.program.unit_of(local.member).text(name);
        if !self.program.kit_of(local.member).pack.out_lookups.contains(text) {
            return Val::Local(local);
        }
        let object = self.eval_at(local.member, object, budget);
        match args.len() {
            // a weak reference gives what it refers to
            1 if matches!(object, Val::Element(..)) => object,
            1 => Val::Element(Arc::new(object), None),
            _ => {
                let key = args.first().map(|k| Arc::new(self.eval_at(local.member, *k, budget)));
                Val::Element(Arc::new(object), key)
            }
        }
    }

    fn part_by_key(&self, local: Site, entry: NodeId, key: NodeId, budget: u32) -> Val {
        let program = self.program;
        let Some(body) = program.body(local.member) else { return Val::Unknown };
        let Some(pattern) = program.scope(local.member).parent(entry) else { return Val::Local(local) };
        let (Node::Pattern { init, .. }, Node::Str(key)) = (body.node(pattern), body.node(key)) else { return Val::Local(local) };
        let sym = program.sym_in(local.member, key);
        match self.pattern_source(local.member, pattern, init, budget) {
            Some(source) => match self.part_of(source, sym, budget) {
                // what a caller hands over in an object is as good as a parameter, and so is a part of a record that is met on a walk:
                // `kept.forEach(({ topic, ear }) => bus.off(topic, ear))`
                part @ Val::Outside(..) if matches!(part.root(), Val::Param(..)) || is_of_record_met(&part) => part,
                Val::Outside(..) => Val::Local(local),
                known => known,
            },
            None => Val::Local(local),
        }
    }

    /// A member that is taken from an object by its name, a method where there is no field.
    fn part_of(&self, source: Val, name: Sym, budget: u32) -> Val {
        match self.member_of(source.clone(), name, false, budget) {
            Val::Outside(..) => self.member_of(source, name, true, budget),
            known => known,
        }
    }

    /// The method that a local, or a field that is only ever given such a local, has been taken from an object as:
    /// `const { on, emit } = makeBus();`
    pub fn method_taken(&self, value: &Val) -> Option<Val> {
        self.method_taken_within(value, BUDGET)
    }

    pub(super) fn method_taken_within(&self, value: &Val, budget: u32) -> Option<Val> {
        let budget = budget.checked_sub(1)?;
        match value {
            Val::Local(local) => {
                let body = self.program.body(local.member)?;
                let entry = self.program.scope(local.member).parent(local.node)?;
                let Node::Entry { key, .. } = body.node(entry) else { return None };
                let part = self.part_by_key(*local, entry, key, budget);
                matches!(part, Val::Method(_, Some(_))).then_some(part)
            }
            Val::Member(..) | Val::Static(_) => {
                let (Val::Member(_, field) | Val::Static(field)) = value else { return None };
                let given = self.only_definition(*field)?;
                let is_named = matches!(self.program.body(given.member)?.node(given.node), Node::Name(_));
                let given = is_named.then(|| self.eval_at(given.member, given.node, budget)).filter(|v| matches!(v, Val::Local(_)))?;
                self.method_taken_within(&given, budget)
            }
            _ => None,
        }
    }

    fn part_by_position(&self, local: Site, pattern: NodeId, budget: u32) -> Val {
        let Some(body) = self.program.body(local.member) else { return Val::Unknown };
        let Node::Pattern { parts, init, positional: true } = body.node(pattern) else { return Val::Local(local) };
        // `var (a, b) = (x, y)`
        if let Some(init) = init
            && let Node::Collection { items, .. } = body.node(init)
            && let Some(index) = body.list(parts).iter().position(|p| *p == local.node)
            && let Some(&item) = body.list(items).get(index)
        {
            return self.eval_at(local.member, item, budget);
        }
        match self.pattern_source(local.member, pattern, init, budget) {
            // the parts of rows that are written out are told apart
            Some(Val::Element(of, None)) if self.has_rows_of_parts(&of, budget) => Val::Local(local),
            Some(Val::Element(of, key)) => Val::Element(of, key),
            Some(source) => self.part_of_whole(local, body.list(parts), &source, budget),
            None => Val::Local(local),
        }
    }

    /// A part of a list that a function gives, or of a record: `const [gauge, rise] = useGauge();`, `auto& [left, right] = pair;`
    fn part_of_whole(&self, local: Site, parts: &[NodeId], whole: &Val, budget: u32) -> Val {
        let program = self.program;
        let Some(place) = parts.iter().position(|p| *p == local.node) else { return Val::Local(local) };
        if let Val::Literal(list) = whole
            && let Some(Node::Collection { items, .. }) = program.body(list.member).map(|body| body.node(list.node))
            && let Some(item) = program.body(list.member).and_then(|body| body.list(items).get(place).copied())
        {
            return self.eval_at(list.member, item, budget);
        }
        let class = self.type_of_val(whole, budget).bounded().own().filter(|_| program.kit_of(local.member).traits.open_names);
        let fields = class.map(|t| &program.ty(t).members);
        let mut fields =
            fields.into_iter().flatten().filter(|m| program.member(**m).kind == MemberKind::Field && !program.member(**m).is_static);
        fields.nth(place).map_or(Val::Local(local), |field| Val::Member(Arc::new(whole.clone()), *field))
    }

    /// What a pattern takes apart.
    pub(super) fn pattern_source(&self, member: MemberId, pattern: NodeId, init: Option<NodeId>, budget: u32) -> Option<Val> {
        if let Some(init) = init {
            return Some(self.eval_at(member, init, budget));
        }
        let body = self.program.body(member)?;
        let Some(parent) = self.program.scope(member).parent(pattern) else {
            let index = self.program.decl(member).params.iter().position(|p| p.pattern == Some(pattern))?;
            return Some(Val::Param(member, None, index as u16));
        };
        match body.node(parent) {
            Node::ForEach { iterable, .. } => Some(Val::Element(Arc::new(self.eval_at(member, iterable, budget)), None)),
            Node::Lambda(f) => {
                let index = body.function(f).params.iter().position(|p| p.pattern == Some(pattern))?;
                Some(self.eval_param(member, Some(f), index as u16, budget))
            }
            _ => None,
        }
    }
}

/// Whether a value is a part of what is met on a walk through a list that a member holds.
fn is_of_record_met(part: &Val) -> bool {
    let Val::Outside(of, _) = part else { return false };
    matches!(&**of, Val::Element(list, None) if matches!(**list, Val::Member(..) | Val::Static(_)))
}
