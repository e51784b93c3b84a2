//! Names of states, as views ask for them: a text that is compared with what a state is called.

use std::collections::BTreeSet;

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{BinaryOp, Body, FunctionId, MemberKind, Node, NodeId, TypeKind};

use super::{Encoding, Found, Holder, State, state};
use crate::flow::{Flow, Val, only_return};
use crate::program::{Declared, MemberId, Site, Sym, TypeId};
use crate::state::How;
use crate::wire::Wiring;
use crate::wire::effect::{Effect, Event};

/// Getters are followed so far.
const HOPS: u32 = 4;

/// A comparison with the name of a state.
#[derive(Clone, Debug)]
pub struct Asked {
    /// The name, where it is written.
    pub site: Site,
    /// What it says.
    pub name: String,
    /// The machine, by its place among those found.
    pub machine: usize,
    /// What states are called.
    pub known: Vec<String>,
}

/// All comparisons with names that no state has.
pub fn strangers(wiring: &Wiring<'_>) -> Vec<Asked> {
    let flow = &wiring.flow;
    let program = flow.program;
    let machines = wiring.machines();
    if machines.iter().all(|m| !m.moves) {
        return Vec::new();
    }
    let by_field: FxHashMap<MemberId, usize> = machines
        .iter()
        .enumerate()
        .filter(|(_, m)| m.moves)
        .filter_map(|(i, m)| if let Holder::Field(f) = m.machine.holder { Some((f, i)) } else { None })
        .collect();
    let locals = machines.iter().enumerate().filter(|(_, m)| m.moves);
    let by_local = locals.filter_map(|(i, m)| if let Holder::Local(at) = m.machine.holder { Some((at, i)) } else { None }).collect();
    let told = told(wiring, &by_field);
    let views = Views { flow, machines, by_field, by_local, told };
    let mut found: Vec<Asked> = (0..program.members.len())
        .into_par_iter()
        .flat_map_iter(|i| views.in_member(MemberId(i as u32)))
        .filter(|asked| !wiring.in_test(asked.site.member))
        .collect();
    found.sort_by_key(|a| a.site);
    found.dedup_by_key(|a| a.site);
    found
}

struct Views<'w, 'p> {
    flow: &'w Flow<'p>,
    machines: &'w [Found],
    by_field: FxHashMap<MemberId, usize>,
    /// The same for variables that outlive a step.
    by_local: FxHashMap<Site, usize>,
    told: Told,
}

/// Parameters of handlers that are always told the state of a machine, with the machine.
type Told = FxHashMap<(MemberId, Option<FunctionId>, u16), usize>;

/// For each method the values that it stores into holders of states, with the machine.
type Stored = FxHashMap<MemberId, Vec<(NodeId, usize)>>;

fn told(wiring: &Wiring<'_>, by_field: &FxHashMap<MemberId, usize>) -> Told {
    let mut found: FxHashMap<(MemberId, Option<FunctionId>, u16), Option<usize>> = FxHashMap::default();
    // what methods store into the holders of states
    let mut stored = Stored::default();
    for (field, machine) in by_field {
        for write in wiring.writes(*field) {
            if let How::Set(value) = write.how {
                stored.entry(write.site.member).or_default().push((value, *machine));
            }
        }
    }
    for channel in &wiring.channels {
        let raises = channel.raises.iter().map(|r| &wiring.effects[*r]);
        let of_raises: Vec<Vec<Option<usize>>> = raises.map(|r| states_told(wiring, r, by_field, &stored)).collect();
        let Some((first, others)) = of_raises.split_first() else { continue };
        let agreed = |index: usize| first[index].filter(|machine| others.iter().all(|o| o.get(index) == Some(&Some(*machine))));
        for join in &channel.joins {
            let handler = wiring.effects[*join].handler.as_ref().and_then(|h| wiring.flow.function_of(h));
            let (member, function) = match handler {
                Some(Val::Lambda(m, f)) => (m, Some(f)),
                Some(Val::Method(m, _)) => (m, None),
                _ => match wiring.code_told(channel, *join) {
                    Some(code) => (code.member, None),
                    None => continue,
                },
            };
            for index in 0..first.len() {
                let told = found.entry((member, function, index as u16)).or_insert_with(|| agreed(index));
                // who is on another channel too is told something else there
                if *told != agreed(index) {
                    *told = None;
                }
            }
        }
    }
    found.into_iter().filter_map(|(param, machine)| Some((param, machine?))).collect()
}

/// For each value that a raise hands over, the machine whose state that is: the field itself, or what the same method stores there.
fn states_told(wiring: &Wiring<'_>, raise: &Effect, by_field: &FxHashMap<MemberId, usize>, stored: &Stored) -> Vec<Option<usize>> {
    let flow = &wiring.flow;
    let site = raise.innermost();
    let Some(Node::Call { args, .. }) = flow.program.body(site.member).map(|b| b.node(site.node)) else { return Vec::new() };
    let Some(body) = flow.program.body(site.member) else { return Vec::new() };
    let topic = usize::from(raise.inner.is_empty() && raise.holder.event == Event::Bus);
    let stored_here = stored.get(&site.member).map_or(&[][..], Vec::as_slice);
    let is_stored = |value: &Val, set: NodeId| flow.eval_in(site.member, set) == *value;
    let machine = |arg: &NodeId| match flow.eval_in(site.member, *arg) {
        Val::Member(_, m) | Val::Static(m) => by_field.get(&m).copied(),
        value @ (Val::Local(_) | Val::Element(..) | Val::Param(..)) => {
            stored_here.iter().filter(|(set, _)| is_stored(&value, *set)).map(|(_, m)| *m).min()
        }
        _ => None,
    };
    body.list(args).iter().skip(topic).map(machine).collect()
}

impl Views<'_, '_> {
    fn in_member(&self, member: MemberId) -> Vec<Asked> {
        let program = self.flow.program;
        let Some(body) = program.body(member) else { return Vec::new() };
        let pack = &program.kit_of(member).pack;
        let mut found = Vec::new();
        for node in body.ids() {
            match body.node(node) {
                Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => {
                    found.extend(self.compared(member, left, right));
                    found.extend(self.compared(member, right, left));
                }
                Node::Call { callee, args, .. } => {
                    let Node::Member { object, name, .. } = body.node(callee) else { continue };
                    let [other] = body.list(args) else { continue };
                    if pack.equality.contains(program.unit_of(member).text(name)) {
                        found.extend(self.compared(member, object, *other));
                        found.extend(self.compared(member, *other, object));
                    }
                }
                Node::Switch { subject: Some(subject), cases } => {
                    for case in body.list(cases) {
                        let Node::Case { labels, .. } = body.node(*case) else { continue };
                        for label in body.list(labels) {
                            found.extend(self.compared(member, subject, *label));
                        }
                    }
                }
                _ => {}
            }
        }
        found
    }

    /// Comparisons of something with a constant name, or with one that callers hand over: `is(label) { return state.label().equals(label); }`.
    fn compared(&self, member: MemberId, value: NodeId, name: NodeId) -> Vec<Asked> {
        let given = self.flow.program.body(member).is_some_and(|body| matches!(body.node(name), Node::Name(_)));
        match self.flow.eval_in(member, name) {
            Val::Param(of, None, index) if given && of == member => self.asked_by_callers(member, value, index),
            _ => self.compared_here(member, value, name).into_iter().collect(),
        }
    }

    fn asked_by_callers(&self, member: MemberId, value: NodeId, index: u16) -> Vec<Asked> {
        let program = self.flow.program;
        let is_named = |body: &Body| matches!(body.node(value), Node::Name(_) | Node::Member { .. } | Node::Call { .. });
        if !program.body(member).is_some_and(is_named) {
            return Vec::new();
        }
        let Some((machine, Some(known))) = self.names(Site { member, node: value }, HOPS) else { return Vec::new() };
        let asked = |call: &Site| {
            let body = program.body(call.member)?;
            let Node::Call { args, .. } = body.node(call.node) else { return None };
            let arg = *body.list(args).get(usize::from(index))?;
            let Node::Str(text) = body.node(arg) else { return None };
            let name = program.text(program.sym_in(call.member, text)).to_owned();
            let site = Site { member: call.member, node: arg };
            (!known.contains(&name) && !name.is_empty()).then(|| Asked { site, name, machine, known: known.iter().cloned().collect() })
        };
        self.flow.call_sites(member).iter().filter_map(asked).collect()
    }

    fn compared_here(&self, member: MemberId, value: NodeId, name: NodeId) -> Option<Asked> {
        let program = self.flow.program;
        let body = program.body(member)?;
        let asked = match body.node(name) {
            Node::Str(text) => State::Text(program.sym_in(member, text)),
            Node::Member { .. } => match state::named(self.flow, member, name)? {
                entry @ State::Entry(..) => entry,
                _ => return None,
            },
            _ => return None,
        };
        if !matches!(body.node(value), Node::Name(_) | Node::Member { .. } | Node::Call { .. }) {
            return None;
        }
        let (machine, known) = self.names(Site { member, node: value }, HOPS)?;
        let of = &self.machines[machine];
        if let State::Entry(table, key) = asked {
            let listed = state::listed(self.flow, table)?;
            let is_domain = of.domain.states.iter().any(|s| matches!(s, State::Entry(t, _) if *t == table));
            return (is_domain && !listed.contains(&key)).then(|| Asked {
                site: Site { member, node: name },
                name: asked.name(program),
                machine,
                known: of.domain.states.iter().map(|s| s.name(program)).collect(),
            });
        }
        let known = known?;
        let text = asked.name(program);
        (!known.contains(&text) && !text.is_empty()).then(|| Asked {
            site: Site { member, node: name },
            name: text,
            machine,
            known: known.into_iter().collect(),
        })
    }

    /// The machine whose state an expression is, or is the name of, and what states are called; no names where they are
    /// not all known.
    fn names(&self, site: Site, hops: u32) -> Option<(usize, Option<BTreeSet<String>>)> {
        let program = self.flow.program;
        let body = program.body(site.member)?;
        let hops = hops.checked_sub(1)?;
        let machine = match self.flow.eval(site) {
            Val::Member(_, m) | Val::Static(m) => self.by_field.get(&m),
            Val::Param(m, f, index) => self.told.get(&(m, f, index)),
            _ => None,
        };
        let machine = machine.or_else(|| self.local_machine(site));
        if let Some(machine) = machine {
            let of = &self.machines[*machine];
            let of_texts = matches!(of.domain.encoding, Encoding::Text | Encoding::Constants);
            let whole = of_texts && !of.stores_unknown && !of.is_set_from_outside && of.machine.tag.is_none();
            let texts = whole.then(|| of.domain.states.iter().map(|s| self.text(*s)).collect::<Option<BTreeSet<String>>>()).flatten();
            return Some((*machine, texts));
        }
        match body.node(site.node) {
            Node::Call { callee, .. } => {
                let Node::Member { object, name, .. } = body.node(callee) else { return self.through(site, hops) };
                if let Some((machine, names)) = self.called(site.member, object, program.sym_in(site.member, name)) {
                    return Some((machine, names));
                }
                self.through(site, hops)
            }
            Node::Member { object, name, .. } => self.called(site.member, object, program.sym_in(site.member, name)),
            _ => None,
        }
    }

    /// The machine whose state a variable holds that outlives a step.
    fn local_machine(&self, site: Site) -> Option<&usize> {
        if self.by_local.is_empty() {
            return None;
        }
        let Node::Name(name) = self.flow.program.body(site.member)?.node(site.node) else { return None };
        match self.flow.program.scope(site.member).lookup(name, site.node)? {
            Declared::Local(local) => self.by_local.get(&Site { member: site.member, node: local }),
            Declared::Param(..) => None,
        }
    }

    /// What a getter hands out.
    fn through(&self, call: Site, hops: u32) -> Option<(usize, Option<BTreeSet<String>>)> {
        let program = self.flow.program;
        let callee = self.flow.callee(call)?.member;
        let body = program.body(callee)?;
        let root = body.root?;
        let node = if body.returns_root { root } else { only_return(body, root)? };
        self.names(Site { member: callee, node }, hops)
    }

    /// What states answer to a name: each its own text; of an enumeration the names of its constants.
    fn called(&self, member: MemberId, object: NodeId, name: Sym) -> Option<(usize, Option<BTreeSet<String>>)> {
        let program = self.flow.program;
        let (machine, _) = match self.flow.eval_in(member, object) {
            Val::Member(_, m) | Val::Static(m) => (*self.by_field.get(&m)?, ()),
            _ => return None,
        };
        let of = &self.machines[machine];
        let pack = &program.kit_of(member).pack;
        match of.domain.encoding {
            Encoding::Enumeration(_) => {
                let is_name = pack.constant_names.contains(program.text(name));
                is_name.then(|| (machine, Some(of.domain.states.iter().map(|s| s.name(program)).collect())))
            }
            Encoding::Objects(_) | Encoding::Kin | Encoding::Values | Encoding::Alternatives(_) => {
                let texts: Option<BTreeSet<String>> = of.domain.states.iter().map(|s| self.label(*s, name)).collect();
                let texts = texts.filter(|t| t.len() == of.domain.states.len() && t.len() > 1)?;
                Some((machine, Some(texts)))
            }
            _ => None,
        }
    }

    fn text(&self, state: State) -> Option<String> {
        match state {
            State::Text(_) => Some(state.name(self.flow.program)),
            State::Constant(m) => self.str_at(self.flow.only_definition(m)?),
            State::Entry(table, key) => self.str_at(state::entry_of(self.flow, table, key)?),
            _ => None,
        }
    }

    fn str_at(&self, site: Site) -> Option<String> {
        let program = self.flow.program;
        let body = program.body(site.member)?;
        match body.node(site.node) {
            Node::Str(text) => Some(program.unit_of(site.member).text(text).trim_matches('"').to_owned()),
            Node::Entry { value, .. } => self.str_at(Site { member: site.member, node: value }),
            _ => match self.flow.eval(site) {
                Val::Str(text) => Some(program.text(text).trim_matches('"').to_owned()),
                _ => None,
            },
        }
    }

    /// The text that a state gives for a name of its own.
    fn label(&self, state: State, name: Sym) -> Option<String> {
        let program = self.flow.program;
        match state {
            State::Class(class) => self.label_of_class(class, name),
            State::Constant(m) => {
                let site = self.flow.only_definition(m)?;
                let body = program.body(site.member)?;
                match body.node(site.node) {
                    Node::New { .. } => self.label_of_class(self.flow.type_of_node(site.member, site.node).own()?, name),
                    _ => self.str_at(self.flow.entry_of_literal(site, name)?),
                }
            }
            _ => None,
        }
    }

    fn label_of_class(&self, class: TypeId, name: Sym) -> Option<String> {
        let program = self.flow.program;
        if program.ty(class).kind == TypeKind::Interface {
            return None;
        }
        let found = program.find_members(class, name);
        let written = found.into_iter().find(|m| {
            let runs = !matches!(program.member(*m).kind, MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Set));
            runs && program.body(*m).is_some_and(|b| b.root.is_some())
        })?;
        let body = program.body(written)?;
        let root = body.root?;
        let node = if body.returns_root { root } else { only_return(body, root)? };
        self.str_at(Site { member: written, node })
    }
}
