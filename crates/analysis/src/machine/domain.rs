//! The states that a machine can be in.

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{FunctionId, MemberKind, Node, TypeKind};

use super::state::{self, State};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Site, Sym, TypeId};

/// More states are not told apart.
pub(super) const STATES: usize = 64;

/// What the states of a machine are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Encoding {
    /// Constants of an enumeration.
    Enumeration(TypeId),
    /// Objects of classes with this base, which are asked.
    Objects(TypeId),
    /// Objects of classes that have nothing in common but what they are asked.
    Kin,
    /// Objects of classes with this base, which are told apart.
    Alternatives(TypeId),
    /// Alternatives of a variant.
    Variant,
    /// Texts.
    Text,
    /// Names listed by a constant object, or other constants.
    Constants,
    /// Objects that constants hold.
    Values,
    /// Functions.
    Functions,
}

impl Encoding {
    /// Its name in the map.
    pub fn name(self) -> &'static str {
        match self {
            Encoding::Enumeration(_) => "enumeration",
            Encoding::Objects(_) | Encoding::Kin => "objects",
            Encoding::Alternatives(_) | Encoding::Variant => "alternatives",
            Encoding::Text => "text",
            Encoding::Constants => "constants",
            Encoding::Values => "values",
            Encoding::Functions => "functions",
        }
    }
}

/// The states of a machine, in order.
#[derive(Clone, Debug)]
pub struct Domain {
    /// What they are.
    pub encoding: Encoding,
    /// The states.
    pub states: Vec<State>,
    /// Whether there can be no others.
    pub closed: bool,
    texts: FxHashMap<Sym, usize>,
}

impl Domain {
    pub(super) fn new(flow: &Flow<'_>, encoding: Encoding, states: Vec<State>, closed: bool) -> Self {
        let mut domain = Self { encoding, states: Vec::new(), closed: false, texts: FxHashMap::default() };
        for state in states {
            domain.bit(flow, state);
        }
        domain.closed = closed;
        domain
    }

    /// All of them.
    pub(super) fn all(&self) -> u64 {
        if self.states.len() >= STATES { u64::MAX } else { (1 << self.states.len()) - 1 }
    }

    /// The states of a set; none where it may be any.
    pub(super) fn among(&self, bits: u64) -> Option<Vec<usize>> {
        let all = self.all();
        (bits & all != all).then(|| (0..self.states.len()).filter(|i| bits & (1 << i) != 0).collect())
    }

    /// The states of a set, with their numbers.
    pub(super) fn within(&self, bits: u64) -> Vec<(usize, State)> {
        self.states.iter().copied().enumerate().filter(|(i, _)| bits & (1 << i) != 0).collect()
    }

    /// The bit of a state that is there already.
    pub(super) fn find(&self, flow: &Flow<'_>, state: State) -> Option<u64> {
        let known = self.states.iter().position(|s| *s == state);
        let by_text = || text_of(flow, state).and_then(|text| self.texts.get(&text)).copied();
        known.or_else(by_text).map(|index| 1 << index)
    }

    /// The bit of a state, which becomes one of the machine's if it can be.
    pub(super) fn bit(&mut self, flow: &Flow<'_>, state: State) -> Option<u64> {
        if let Some(found) = self.find(flow, state) {
            return Some(found);
        }
        if let State::Class(class) = state
            && let Some(bits) = self.heirs(flow, class)
        {
            return Some(bits);
        }
        if self.closed || self.states.len() >= STATES || !self.takes(flow, state) {
            return None;
        }
        if let Some(text) = text_of(flow, state) {
            self.texts.insert(text, self.states.len());
        }
        self.states.push(state);
        Some(1 << (self.states.len() - 1))
    }

    /// The one state that an object of a base can only be.
    fn heirs(&self, flow: &Flow<'_>, class: TypeId) -> Option<u64> {
        let program = flow.program;
        if !program.ty(class).modifiers.is_abstract && program.ty(class).kind != TypeKind::Interface {
            return None;
        }
        let of = |s: &State| matches!(s, State::Class(t) if program.is_a(*t, class));
        let bits = self.states.iter().enumerate().filter(|(_, s)| of(s)).fold(0_u64, |bits, (i, _)| bits | 1 << i);
        (bits.count_ones() == 1).then_some(bits)
    }

    fn takes(&self, flow: &Flow<'_>, state: State) -> bool {
        let program = flow.program;
        match (self.encoding, state) {
            (Encoding::Enumeration(ty), State::Constant(m)) => program.member(m).owner == ty,
            (Encoding::Objects(base) | Encoding::Alternatives(base), State::Class(t)) => {
                let ty = program.ty(t);
                program.is_a(t, base) && !ty.modifiers.is_abstract && ty.kind != TypeKind::Interface
            }
            (Encoding::Objects(base) | Encoding::Alternatives(base), State::Constant(m)) => {
                flow.type_held(m).own().is_some_and(|t| program.is_a(t, base))
            }
            (Encoding::Variant | Encoding::Kin, State::Class(_)) => true,
            (Encoding::Text, State::Text(_) | State::Constant(_)) => text_of(flow, state).is_some(),
            (Encoding::Constants, State::Constant(_)) | (Encoding::Constants | Encoding::Values, State::Entry(..)) => true,
            (Encoding::Values, State::Constant(m)) => program.member(m).kind != MemberKind::EnumConstant && text_of(flow, state).is_none(),
            (Encoding::Functions, State::Function(_)) => true,
            _ => false,
        }
    }

    /// The code by which a state answers to a name: a method of its class, or a function of the object it is.
    pub(super) fn code(&self, flow: &Flow<'_>, state: State, name: Sym) -> Option<(MemberId, Option<FunctionId>)> {
        let program = flow.program;
        match state {
            State::Class(class) => method(flow, class, name),
            State::Constant(m) => {
                let site = flow.only_definition(m)?;
                let body = program.body(site.member)?;
                match body.node(site.node) {
                    Node::New { class: Some(class), .. } => method(flow, flow.class_at(site.member, class)?, name),
                    Node::New { .. } => method(flow, flow.type_of_node(site.member, site.node).own()?, name),
                    _ => {
                        let object = match body.node(site.node) {
                            Node::Object(_) => site,
                            Node::Call { args, .. } => Site { member: site.member, node: *body.list(args).first()? },
                            Node::Cast { operand, .. } => Site { member: site.member, node: operand },
                            _ => return None,
                        };
                        function(flow, flow.entry_of_literal(object, name)?)
                    }
                }
            }
            // an object that a constant lists
            State::Entry(table, key) => {
                let entry = state::entry_of(flow, table, key)?;
                let Node::Entry { value, .. } = program.body(entry.member)?.node(entry.node) else { return None };
                function(flow, flow.entry_of_literal(Site { member: entry.member, node: value }, name)?)
            }
            _ => None,
        }
    }

    /// Whether the objects of a class are states, or what states are made of.
    pub fn has_class(&self, program: &Program, class: TypeId) -> bool {
        match self.encoding {
            Encoding::Kin => self.states.iter().filter_map(|s| s.class()).any(|state| program.is_a(state, class)),
            encoding => encoding.base().is_some_and(|base| program.is_a(class, base)),
        }
    }

    /// Whether a state has a method of its own of a name, or is left to what all share.
    pub fn answers(&self, flow: &Flow<'_>, state: State, name: Sym) -> Option<MemberId> {
        self.code(flow, state, name).map(|(m, _)| m)
    }
}

fn method(flow: &Flow<'_>, class: TypeId, name: Sym) -> Option<(MemberId, Option<FunctionId>)> {
    let program = flow.program;
    let found = program.find_member_as(class, name, true).or_else(|| program.find_member(class, name))?;
    // what is declared here may be written out elsewhere
    let written = |m: &&MemberId| program.body(**m).is_some_and(|b| b.root.is_some());
    let found = program.own_members(program.member(found).owner, name).iter().find(written).copied().unwrap_or(found);
    let body = program.body(found)?;
    match program.member(found).kind {
        MemberKind::Method => body.root.map(|_| (found, None)),
        MemberKind::Field | MemberKind::Property => match body.root.map(|r| body.node(r)) {
            Some(Node::Lambda(f)) => Some((found, Some(f))),
            _ => None,
        },
        _ => None,
    }
}

fn function(flow: &Flow<'_>, entry: Site) -> Option<(MemberId, Option<FunctionId>)> {
    match flow.function_of(&flow.eval(entry))? {
        Val::Lambda(m, f) => Some((m, Some(f))),
        Val::Method(m, _) => Some((m, None)),
        _ => None,
    }
}

/// The text that a constant stands for.
pub fn text_of(flow: &Flow<'_>, state: State) -> Option<Sym> {
    let text_at = |site: Site| match flow.program.body(site.member)?.node(site.node) {
        Node::Str(name) => Some(flow.program.sym_in(site.member, name)),
        Node::Entry { value, .. } => match flow.program.body(site.member)?.node(value) {
            Node::Str(name) => Some(flow.program.sym_in(site.member, name)),
            _ => None,
        },
        _ => None,
    };
    match state {
        State::Text(text) => Some(text),
        State::Constant(m) if flow.program.member(m).kind != MemberKind::EnumConstant => text_at(flow.only_definition(m)?),
        // an enumeration of texts
        State::Constant(m) => flow.definitions(m).first().and_then(|d| text_at(*d)),
        State::Entry(table, key) => text_at(state::entry_of(flow, table, key)?),
        _ => None,
    }
}

/// The constant of an enumeration that is zero: the first, unless its numbers are written out and say otherwise. None where no constant is.
pub(super) fn zero_of(program: &Program, ty: TypeId) -> Option<MemberId> {
    let mut next = 0_i64;
    let constants = program.ty(ty).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::EnumConstant);
    let first = constants.clone().next();
    for constant in constants {
        let written = program.body(constant).and_then(|body| Some((body, body.root?)));
        let number = match written.map(|(body, root)| body.node(root)) {
            None => next,
            Some(Node::Num(number)) => match program.unit_of(constant).text(number).parse() {
                Ok(number) => number,
                Err(_) => return first,
            },
            Some(_) => return first,
        };
        if number == 0 {
            return Some(constant);
        }
        next = number.saturating_add(1);
    }
    None
}
