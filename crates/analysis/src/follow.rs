//! What one raise, command, request or call sets off, as the code says it: in order, with places and conditions.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{FunctionId, MemberKind, Node, NodeId};
use yarrowgraph_model::{CodeRow, FollowedTree, Passes, Place, SetOff, SetOffKind};

use crate::chain::{Built, Of, all_ways, behaviour, codes, conditions};
use crate::flow::Val;
use crate::keep::{ends_in, members};
use crate::machine::event_name;
use crate::program::{MemberId, Site};
use crate::wire::{Wiring, joins_in_order, operation_place};
use crate::written;

/// More steps are counted, not shown.
const STEPS: usize = 600;
/// More ways through a chain are counted, not shown.
const WAYS: usize = 200;
/// Steps below steps are followed so deep.
const DEPTH: u32 = 14;

/// What a name means.
enum Start {
    Channel(usize),
    Command(crate::program::TypeId),
    Chain(usize),
    Member(MemberId),
}

/// Follows what a name means.
///
/// # Errors
///
/// The candidates where the name can be several things; none where it is nothing.
pub fn follow(wiring: &Wiring<'_>, name: &str, given: &[String]) -> Result<FollowedTree, Vec<String>> {
    let program = wiring.program();
    let mut starts: Vec<(String, Start)> = Vec::new();
    for (number, channel) in wiring.channels.iter().enumerate() {
        if ends_in(&channel.id, name) {
            starts.push((channel.id.clone(), Start::Channel(number)));
        }
    }
    for command in wiring.commands().commands.values() {
        let id = program.type_id(command.class);
        if ends_in(&id, name) {
            starts.push((id, Start::Command(command.class)));
        }
    }
    for (number, built) in wiring.chains().built.iter().enumerate() {
        if let Some(id) = built.holder.map(|h| program.member_id(h)).filter(|id| ends_in(id, name)) {
            starts.push((id, Start::Chain(number)));
        }
    }
    for m in members(program, name) {
        if program.member(m).kind == MemberKind::Method && program.body(m).is_some_and(|b| b.root.is_some()) {
            starts.push((program.member_id(m), Start::Member(m)));
        }
    }
    // a roster that is walked for an answer is a chain
    let of_chains: BTreeSet<String> = starts.iter().filter(|(_, s)| matches!(s, Start::Chain(_))).map(|(id, _)| id.clone()).collect();
    starts.retain(|(id, s)| !matches!(s, Start::Channel(_)) || !of_chains.contains(id));
    starts.sort_by(|a, b| a.0.cmp(&b.0));
    starts.dedup_by(|a, b| a.0 == b.0 && !matches!(a.1, Start::Chain(_)) && std::mem::discriminant(&a.1) == std::mem::discriminant(&b.1));
    let exact = starts.iter().filter(|(id, _)| id == name).count();
    if exact == 1 {
        starts.retain(|(id, _)| id == name);
    }
    // several chains on one holder are all meant
    let chains: Vec<usize> = starts.iter().filter_map(|(_, s)| if let Start::Chain(n) = s { Some(*n) } else { None }).collect();
    if chains.len() > 1 && chains.len() == starts.len() && starts.iter().all(|(id, _)| *id == starts[0].0) {
        starts.truncate(1);
    }
    let [(id, start)] = &starts[..] else {
        return Err(starts.into_iter().map(|(id, _)| id).collect());
    };
    let mut follower = Follower::new(wiring, given);
    let (mut table, mut ways) = (Vec::new(), Vec::new());
    match start {
        Start::Channel(number) => follower.raise(*number, 0, None, None),
        Start::Command(class) => follower.command(*class, 0, None, None),
        Start::Chain(number) => {
            for number in if chains.len() > 1 { &chains[..] } else { std::slice::from_ref(number) } {
                let built = &wiring.chains().built[*number];
                follower.chain(built, 0, built.set.first().map(|s| program.place_of(*s)), None);
                table.extend(codes_by_link(wiring, built));
                let names: Vec<String> = built.links.iter().map(|l| link_name(wiring, l)).collect();
                ways.extend(all_ways::of(wiring, built, &names));
            }
        }
        Start::Member(m) => {
            follower.step(0, SetOffKind::Call, program.member_id(*m), Some(program.member_place(*m)), None);
            follower.member(*m, None, 1);
        }
    }
    ways.retain(|way| !way.conditions.iter().any(|c| follower.is_ruled_out(Some(c))));
    let ways_left_out = ways.len().saturating_sub(WAYS) as u64;
    ways.truncate(WAYS);
    Ok(FollowedTree {
        format: "yarrowgraph-follow-tree".into(),
        version: 1,
        start: id.clone(),
        left_out: follower.left_out as u64,
        steps: follower.steps,
        codes: table,
        ways,
        ways_left_out,
    })
}

/// Which link takes which code.
fn codes_by_link(wiring: &Wiring<'_>, built: &Built) -> Vec<CodeRow> {
    let program = wiring.program();
    let taken: Vec<Vec<codes::Taken>> = built.links.iter().map(|l| codes::of(wiring, built, l)).collect();
    let mut all: Vec<crate::machine::State> = Vec::new();
    for code in taken.iter().flatten().map(|t| t.code) {
        if !all.contains(&code) {
            all.push(code);
        }
    }
    // declared ones that nobody takes
    if let Some(crate::machine::State::Constant(m)) = all.first().copied()
        && program.member(m).kind == MemberKind::EnumConstant
    {
        for code in crate::codes::enumerated(&wiring.flow, program.member(m).owner) {
            if !all.contains(&code) {
                all.push(code);
            }
        }
    }
    if let Some(crate::machine::State::Entry(table, _)) = all.first().copied() {
        for key in crate::machine::listed(&wiring.flow, table).unwrap_or_default() {
            let code = crate::machine::State::Entry(table, key);
            if !all.contains(&code) {
                all.push(code);
            }
        }
    }
    all.into_iter()
        .map(|code| CodeRow {
            code: code.name(program),
            links: built
                .links
                .iter()
                .zip(&taken)
                .filter(|(_, t)| t.iter().any(|t| crate::codes::same(&wiring.flow, t.code, code)))
                .map(|(l, _)| link_name(wiring, l))
                .collect(),
        })
        .collect()
}

fn link_name(wiring: &Wiring<'_>, link: &crate::chain::Link) -> String {
    match (link.class, &link.function) {
        (Some(class), _) => wiring.program().type_id(class),
        (None, Some(function)) => wiring.flow.show(function),
        (None, None) => crate::written::expression(wiring.program(), link.made),
    }
}

struct Follower<'w, 'p> {
    wiring: &'w Wiring<'p>,
    given: Vec<String>,
    steps: Vec<SetOff>,
    left_out: usize,
    /// What is being followed above: a second time is not gone into.
    open: Vec<(MemberId, Option<FunctionId>)>,
    raising: Vec<usize>,
    raises: FxHashMap<Site, Vec<usize>>,
    /// Members that set something off, as far as it was asked.
    silent: BTreeSet<MemberId>,
}

impl<'w, 'p> Follower<'w, 'p> {
    fn new(wiring: &'w Wiring<'p>, given: &[String]) -> Self {
        let mut raises: FxHashMap<Site, Vec<usize>> = FxHashMap::default();
        for (number, channel) in wiring.channels.iter().enumerate() {
            for raise in &channel.raises {
                let site = wiring.effects[*raise].innermost();
                let all = raises.entry(site).or_default();
                if !all.contains(&number) {
                    all.push(number);
                }
            }
        }
        Self {
            wiring,
            given: given.iter().map(|g| plain(g)).collect(),
            steps: Vec::new(),
            left_out: 0,
            open: Vec::new(),
            raising: Vec::new(),
            raises,
            silent: BTreeSet::new(),
        }
    }

    fn step(&mut self, depth: u32, kind: SetOffKind, text: String, place: Option<Place>, condition: Option<String>) {
        if self.steps.len() >= STEPS {
            self.left_out += 1;
            return;
        }
        self.steps.push(SetOff { depth, kind, text, place, condition, note: None });
    }

    fn note(&mut self, note: &str) {
        if let Some(last) = self.steps.last_mut() {
            last.note = Some(note.to_owned());
        }
    }

    /// A raise, and who is told.
    fn raise(&mut self, number: usize, depth: u32, place: Option<Place>, condition: Option<String>) {
        let channel = &self.wiring.channels[number];
        self.step(depth, SetOffKind::Raise, channel.id.clone(), place, condition);
        if self.raising.contains(&number) {
            self.note("again, as above");
            return;
        }
        let (joins, ordered) = joins_in_order(self.wiring, channel);
        if joins.is_empty() {
            self.note("nobody listens");
        } else if !ordered && joins.len() > 1 {
            self.note("the code leaves the order open");
        }
        self.raising.push(number);
        let message =
            channel.raises.iter().find_map(|r| crate::mediator::asked(self.wiring.program(), self.wiring.effects[*r].innermost()));
        for join in joins {
            let effect = &self.wiring.effects[join];
            let name = crate::wire::handler_name(self.wiring, effect);
            let handler = effect.handler.as_ref().and_then(|h| self.wiring.flow.function_of(h));
            let place = self.wiring.place(effect);
            // an object is told by the method that the raise names
            let told = self.told(effect.handler.as_ref(), message.map(|(_, name)| name));
            if handler.is_none() && !told.is_empty() {
                for (several, method) in told.iter().map(|m| (told.len() > 1, *m)) {
                    self.step(depth + 1, SetOffKind::Deliver, self.wiring.program().member_id(method), Some(place.clone()), None);
                    if several {
                        self.note("if it is one of these");
                    }
                    self.member(method, None, depth + 2);
                }
                continue;
            }
            self.step(depth + 1, SetOffKind::Deliver, name, Some(place), None);
            self.value(handler.as_ref(), depth + 2);
        }
        self.raising.pop();
    }

    /// The methods of an object that listens, by the classes that it can be of.
    fn told(&self, handler: Option<&Val>, message: Option<crate::program::Sym>) -> Vec<MemberId> {
        let program = self.wiring.program();
        let (Some(handler), Some(message)) = (handler, message) else { return Vec::new() };
        let Some(base) = self.wiring.flow.type_of(handler).own() else { return Vec::new() };
        let mut found: Vec<MemberId> =
            crate::mediator::concrete(program, base).into_iter().filter_map(|t| program.find_member_as(t, message, true)).collect();
        found.retain(|m| program.body(*m).is_some_and(|b| b.root.is_some()));
        found.dedup();
        found
    }

    fn value(&mut self, handler: Option<&Val>, depth: u32) {
        match handler {
            Some(Val::Method(m, _)) => self.member(*m, None, depth),
            Some(Val::Lambda(m, f)) => self.member(*m, Some(*f), depth),
            _ => self.note("not known what it does"),
        }
    }

    fn command(&mut self, class: crate::program::TypeId, depth: u32, place: Option<Place>, condition: Option<String>) {
        let program = self.wiring.program();
        let commands = self.wiring.commands();
        let Some(command) = commands.commands.get(&class) else { return };
        self.step(depth, SetOffKind::Issue, program.type_id(class), place, condition);
        let mut below = depth + 1;
        if let Some(invoker) = commands.invokers.iter().find(|i| i.commands.contains(&class)) {
            let holds = format!("{:?}", invoker.holds).to_lowercase();
            let text = format!("{} ({holds})", program.member_id(invoker.holder.field));
            let run = invoker.holder.taken.iter().find(|(_, op)| *op == invoker.operation).map(|(s, _)| operation_place(program, *s));
            self.step(below, SetOffKind::Queue, text, run, None);
            below += 1;
        }
        self.step(below, SetOffKind::Run, program.member_id(command.operation), Some(program.member_place(command.operation)), None);
        self.member(command.operation, None, below + 1);
    }

    fn chain(&mut self, built: &Built, depth: u32, place: Option<Place>, condition: Option<String>) {
        let program = self.wiring.program();
        let id = built.holder.map_or_else(|| "chain".to_owned(), |h| program.member_id(h));
        self.step(depth, SetOffKind::Offer, id, place, condition);
        for (at, link) in built.links.iter().enumerate() {
            let done = behaviour::of(&self.wiring.flow, &self.wiring.links, built.of, link);
            let text = link_name(self.wiring, link);
            let written = || link.class.is_none().then(|| program.place_of(link.made));
            let place = link.class.and_then(|c| program.type_place(c)).or_else(written);
            let asked = self.wiring.links.asked_for(program, built.of, link).map(|path| format!("asked for {path}"));
            self.step(depth + 1 + at as u32, SetOffKind::Link, text, place, asked);
            let endings = conditions::endings(&self.wiring.flow, &self.wiring.links, built.of, link, done);
            let on = endings.into_iter().map(|e| e.condition).collect::<Vec<_>>().join(" or ");
            match done.map(|b| b.passes) {
                Some(Passes::Always) if on.is_empty() => self.note("passes everything on"),
                Some(Passes::Always) => self.note(&format!("refuses it if {on}")),
                Some(Passes::Sometimes) if !on.is_empty() => self.note(&format!("ends it if {on}")),
                Some(Passes::Sometimes) => self.note("answers or passes on"),
                Some(Passes::Never) => self.note("ends every request"),
                None => self.note("not known what it does"),
            }
        }
        if built.ring.is_some() {
            self.step(depth + 1, SetOffKind::Link, "and back to one of them".to_owned(), None, None);
        }
    }

    /// What the code of a method or function sets off, in the order in which it is written.
    fn member(&mut self, m: MemberId, function: Option<FunctionId>, depth: u32) {
        if self.open.contains(&(m, function)) {
            self.note("again, as above");
            return;
        }
        if depth > DEPTH {
            self.left_out += 1;
            return;
        }
        let program = self.wiring.program();
        let Some(body) = program.body(m) else { return };
        let Some(root) = function.map_or(body.root, |f| body.function(f).body) else { return };
        let scope = program.scope(m);
        self.open.push((m, function));
        let mut nodes: Vec<NodeId> = scope.within(root).filter(|n| scope.function_around(body, *n) == function).collect();
        // what stands inside is done first, else what stands before
        nodes.sort_by_key(|n| (body.span(*n).end, std::cmp::Reverse(body.span(*n).start)));
        for node in nodes {
            let site = Site { member: m, node };
            let condition = || self.condition(site, root);
            if let Some(numbers) = self.raises.get(&site).cloned() {
                let condition = condition();
                if self.is_ruled_out(condition.as_deref()) {
                    continue;
                }
                for number in numbers {
                    self.raise(number, depth, Some(operation_place(program, site)), condition.clone());
                }
                continue;
            }
            let moves = self.moves(site);
            for text in moves {
                let condition = self.condition(site, root);
                if !self.is_ruled_out(condition.as_deref()) {
                    self.step(depth, SetOffKind::Move, text, Some(program.place_of(site)), condition);
                }
            }
            match body.node(node) {
                Node::New { .. } => {
                    let class = self.wiring.flow.type_of_node(m, node).own();
                    let issued = class.filter(|c| self.wiring.commands().commands.get(c).is_some_and(|x| x.created.contains(&site)));
                    if let Some(class) = issued {
                        let condition = self.condition(site, root);
                        if !self.is_ruled_out(condition.as_deref()) {
                            self.command(class, depth, Some(program.place_of(site)), condition);
                        }
                    }
                }
                Node::Call { .. } => {
                    self.held(site, root, depth);
                    self.call(site, root, depth);
                    self.functions(site, depth);
                }
                Node::ForEach { .. } => {
                    let walk = self.wiring.links.walk_at(site);
                    let built = self.wiring.chains().built.iter().find(|b| matches!(b.of, Of::Walk(w) if Some(w) == walk));
                    if let Some(built) = built {
                        let condition = self.condition(site, root);
                        self.chain(built, depth, Some(program.place_of(site)), condition);
                    }
                }
                _ => {}
            }
        }
        self.open.pop();
    }

    /// Functions that are handed to code that is not of the tree, which runs them.
    fn functions(&mut self, site: Site, depth: u32) {
        let program = self.wiring.program();
        let Some(body) = program.body(site.member) else { return };
        let Node::Call { args, .. } = body.node(site.node) else { return };
        if self.wiring.flow.callee(site).is_some() || self.wiring.effects_at(site).next().is_some() {
            return;
        }
        for arg in body.list(args).to_vec() {
            if let Node::Lambda(function) = body.node(arg) {
                self.member(site.member, Some(function), depth);
            }
        }
    }

    /// Commands that are put into an invoker, or taken from it and run.
    fn held(&mut self, site: Site, root: NodeId, depth: u32) {
        let program = self.wiring.program();
        let commands = self.wiring.commands();
        for invoker in &commands.invokers {
            let id = program.member_id(invoker.holder.field);
            let condition = self.condition(site, root);
            if self.is_ruled_out(condition.as_deref()) {
                return;
            }
            if invoker.holder.filled.iter().any(|(s, _)| *s == site) {
                let holds = format!("{:?}", invoker.holds).to_lowercase();
                self.step(depth, SetOffKind::Queue, format!("{id} ({holds})"), Some(operation_place(program, site)), condition);
            } else if let Some((_, operation)) = invoker.holder.taken.iter().find(|(s, _)| *s == site) {
                for class in &invoker.commands {
                    let Some(method) = program.find_member_as(*class, *operation, true).or_else(|| program.find_member(*class, *operation))
                    else {
                        continue;
                    };
                    self.step(depth, SetOffKind::Run, program.member_id(method), Some(operation_place(program, site)), condition.clone());
                    self.note("if it is one of these");
                    self.member(method, None, depth + 1);
                }
            }
        }
    }

    fn call(&mut self, site: Site, root: NodeId, depth: u32) {
        let program = self.wiring.program();
        let Some(callee) = self.wiring.flow.callee(site) else { return };
        let m = callee.member;
        let condition = self.condition(site, root);
        if self.is_ruled_out(condition.as_deref()) {
            return;
        }
        // a request that is put to a chain from outside of it
        let owner = program.member(m).owner;
        let built = self.wiring.chains().built.iter().find(|b| match b.of {
            Of::Next(next) => {
                let next = &self.wiring.links.next[next];
                next.method == program.member(m).name
                    && program.is_a(owner, next.base)
                    && !program.is_a(program.member(site.member).owner, next.base)
            }
            Of::Walk(walk) => self.wiring.links.walks[walk].walk.member == m,
            Of::Pipeline(_) => false,
        });
        if let Some(built) = built {
            self.chain(built, depth, Some(operation_place(program, site)), condition);
            return;
        }
        if self.silent.contains(&m) || program.body(m).is_none_or(|b| b.root.is_none()) {
            return;
        }
        let before = self.steps.len();
        self.step(depth, SetOffKind::Call, program.member_id(m), Some(operation_place(program, site)), condition);
        self.member(m, None, depth + 1);
        // a call that sets nothing off is of no interest
        if self.steps.len() == before + 1 && self.steps[before].note.is_none() {
            self.steps.truncate(before);
            self.silent.insert(m);
        }
    }

    /// The moves of machines that a statement makes.
    fn moves(&self, site: Site) -> Vec<String> {
        let program = self.wiring.program();
        let mut found = Vec::new();
        for machine in self.wiring.machines().iter().filter(|m| m.moves) {
            // what a table says is done where it is looked up
            let stores = program.body(site.member).is_some_and(|b| match b.node(site.node) {
                Node::Assign { target, .. } => machine.stores_into(&self.wiring.flow, site.member, target),
                _ => false,
            });
            let by_table = |t: &crate::machine::Transition| stores && t.root == site.member && t.site.member != site.member;
            for t in machine.transitions.iter().filter(|t| t.site == site || by_table(t)).take(16) {
                let name = |i: usize| machine.domain.states[i].name(program);
                let text = format!(
                    "{}: {} → {} on {}",
                    machine.id(program),
                    t.from.map_or_else(|| "any state".to_owned(), name),
                    name(t.to),
                    event_name(program, t.event)
                );
                if !found.contains(&text) {
                    found.push(text);
                }
            }
        }
        found
    }

    /// The conditions on which a node depends, as text.
    fn condition(&self, site: Site, root: NodeId) -> Option<String> {
        let program = self.wiring.program();
        let body = program.body(site.member)?;
        let scope = program.scope(site.member);
        let mut said = Vec::new();
        let mut inner = site.node;
        for around in scope.ancestors(site.node) {
            match body.node(around) {
                Node::If { cond, then, .. } | Node::Conditional { cond, then, .. } if cond != inner => {
                    let text = written::expression(program, Site { member: site.member, node: cond });
                    said.push(if then == inner { text } else { format!("not ({text})") });
                }
                Node::Case { labels, body: inside, .. } if inside == inner => {
                    let labels: Vec<String> =
                        body.list(labels).iter().map(|l| written::expression(program, Site { member: site.member, node: *l })).collect();
                    said.push(if labels.is_empty() { "otherwise".to_owned() } else { format!("case {}", labels.join(", ")) });
                }
                _ => {}
            }
            if around == root {
                break;
            }
            inner = around;
        }
        said.reverse();
        (!said.is_empty()).then(|| said.join(" and "))
    }

    /// Whether what is given says that a condition does not hold.
    fn is_ruled_out(&self, condition: Option<&str>) -> bool {
        let Some(condition) = condition else { return false };
        let parts = condition.split(" and ").map(plain);
        let mut out = false;
        for part in parts {
            let denied = part.strip_prefix("not(").and_then(|p| p.strip_suffix(')')).map(str::to_owned);
            out |= self
                .given
                .iter()
                .any(|g| denied.as_deref() == Some(g) || g.strip_prefix("not(").and_then(|p| p.strip_suffix(')')) == Some(part.as_str()));
        }
        out
    }
}

/// A condition without what does not matter.
fn plain(text: &str) -> String {
    let text: String = text.chars().filter(|c| !c.is_whitespace()).map(|c| if c == '\'' { '"' } else { c }).collect();
    text.replace("===", "==").replace("!==", "!=")
}
