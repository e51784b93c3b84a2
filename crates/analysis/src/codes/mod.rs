//! Codes: tables, choices and tests that select what is made or run by a constant.
//!
//! A table is a choice among cases, a row of tests, or a map that is written out or filled by constant keys, whose
//! entries make objects or are functions (`tables`). Where it is asked, what comes of a code that it has no entry for
//! is read off the code around (`look_ups`).

mod filled;
pub(crate) mod look_ups;
pub mod map;
mod own_codes;
mod tables;

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, TypeKind, TypeRefId};

use crate::flow::{Flow, Val};
use crate::machine::{State, text_of};
use crate::program::{MemberId, Program, Site, TypeId};
use crate::wire::Wiring;

/// Constants that are counted through are codes from so many on.
const SHORTEST_ROW: usize = 3;

pub use look_ups::LookUp;
pub(crate) use tables::code_at;

/// What comes of a code that has no entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Missing {
    /// Something serves it.
    Serves,
    /// It is refused.
    Refuses,
    /// Nothing comes of it: no value, an empty one, or no statement at all.
    Nothing,
    /// What was found is used as if it were there.
    Unchecked,
}

/// What a table is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// A choice among cases, or a row of tests: the first that fits is taken.
    Choice,
    /// A map in which the first of two equal keys stays.
    KeepsFirst,
    /// A map in which the later of two equal keys takes the place of the first.
    KeepsLast,
}

/// What is selected for one code.
#[derive(Clone, Debug)]
pub struct Entry {
    /// The code.
    pub code: State,
    /// Where the code stands.
    pub place: Site,
    /// What is selected.
    pub value: Site,
    /// The class of the object that is made, where one is.
    pub makes: Option<TypeId>,
    /// Whether a condition stands beside the code.
    pub guarded: bool,
    /// Whether nothing is given on purpose.
    pub gives_nothing: bool,
    /// Whether nothing is given, whatever is done before, or nothing is done.
    pub ends_with_nothing: bool,
}

/// A table of codes.
#[derive(Clone, Debug)]
pub struct Table {
    /// The choice, the first test, or what the map is written as.
    pub site: Site,
    /// What it is written as.
    pub form: Form,
    /// The field or variable that holds the map.
    pub holder: Option<MemberId>,
    /// The local that does.
    pub local: Option<Site>,
    /// The method and parameter by which a choice is asked.
    pub asked_by: Option<(MemberId, u16)>,
    /// What a choice asks for its code.
    pub subject: Option<Site>,
    /// Its entries, in the order of the code.
    pub entries: Vec<Entry>,
    /// What comes of other codes.
    pub missing: Missing,
    /// Where it is looked up.
    pub look_ups: Vec<LookUp>,
}

/// Finds the tables of a tree.
pub(crate) fn find(wiring: &Wiring<'_>) -> Vec<Table> {
    let mut tables = tables::find(wiring);
    for table in &mut tables {
        let look_ups = match (table.holder, table.local) {
            (Some(holder), _) => Some(look_ups::of(wiring, holder)),
            (None, Some(local)) => Some(look_ups::of_kept(wiring, local)),
            (None, None) => None,
        };
        if let Some(look_ups) = look_ups {
            table.look_ups = look_ups;
            // the worst of them tells
            if let Some(missing) = table.look_ups.iter().map(|l| l.missing).max() {
                table.missing = missing;
            }
        }
    }
    tables
}

impl Table {
    /// The member that it is named by: what holds the map, else where the table is written.
    pub fn member(&self) -> MemberId {
        self.holder.unwrap_or(self.site.member)
    }

    /// The entry of a code.
    pub fn entry(&self, flow: &Flow<'_>, code: State) -> Option<&Entry> {
        self.entries.iter().find(|e| same(flow, e.code, code))
    }

    /// All codes that are declared where those of the entries are: of an enumeration, of a class of constants, or of an
    /// object that lists them.
    pub fn declared(&self, flow: &Flow<'_>) -> Vec<State> {
        let program = flow.program;
        for entry in &self.entries {
            match entry.code {
                State::Constant(m) => {
                    let owner = program.member(m).owner;
                    if program.member(m).kind == MemberKind::EnumConstant {
                        return enumerated(flow, owner);
                    }
                    if let Some(row) = self.row_of(program, m) {
                        return row.into_iter().map(State::Constant).collect();
                    }
                    if program.ty(owner).is_module || program.ty(owner).kind == TypeKind::Namespace {
                        continue;
                    }
                    let codes: Vec<State> = program
                        .ty(owner)
                        .members
                        .iter()
                        .copied()
                        .filter(|m| program.member(*m).kind == MemberKind::Field && program.member(*m).is_static)
                        .map(State::Constant)
                        .filter(|s| text_of(flow, *s).is_some())
                        .collect();
                    let others = program.ty(owner).members.len() - codes.len();
                    if codes.len() >= 2 && others <= 1 {
                        return codes;
                    }
                }
                State::Entry(table, _) => {
                    if let Some(keys) = crate::machine::listed(flow, table) {
                        return keys.into_iter().map(|k| State::Entry(table, k)).collect();
                    }
                }
                _ => {}
            }
        }
        self.listed_by_type(flow).unwrap_or_default()
    }

    /// The constants that are declared one behind the other with a constant, each one more than the one before: codes that are counted
    /// through. All entries must be among them.
    fn row_of(&self, program: &Program, constant: MemberId) -> Option<Vec<MemberId>> {
        let number = |m: MemberId| -> Option<i64> {
            let info = program.member(m);
            let body = program.body(m).filter(|_| info.kind == MemberKind::Field && info.is_static)?;
            match body.node(body.root?) {
                Node::Num(number) => program.unit_of(m).text(number).parse().ok(),
                _ => None,
            }
        };
        let members = &program.ty(program.member(constant).owner).members;
        let at = members.iter().position(|m| *m == constant)?;
        let one_apart = |a: MemberId, b: MemberId| number(a).zip(number(b)).is_some_and(|(a, b)| b == a + 1);
        let (mut first, mut last) = (at, at);
        while first > 0 && one_apart(members[first - 1], members[first]) {
            first -= 1;
        }
        while last + 1 < members.len() && one_apart(members[last], members[last + 1]) {
            last += 1;
        }
        // zero stands for none where nothing is made for it
        let has_entry = |m: MemberId| self.entries.iter().any(|e| matches!(e.code, State::Constant(c) if c == m));
        if number(members[first]) == Some(0) && !has_entry(members[first]) {
            first += 1;
        }
        let row = members[first..=last].to_vec();
        let is_of_row = |e: &Entry| matches!(e.code, State::Constant(m) if row.contains(&m));
        (row.len() >= SHORTEST_ROW && self.entries.iter().all(is_of_row)).then_some(row)
    }

    /// The texts that the type of what is asked admits, where the entries are such texts.
    fn listed_by_type(&self, flow: &Flow<'_>) -> Option<Vec<State>> {
        let program = flow.program;
        let admitted = |m: MemberId, ty: TypeRefId| {
            let texts = crate::machine::texts_of_type(program, program.member(m).unit, program.member(m).owner, ty)?;
            let is_listed = |e: &Entry| matches!(e.code, State::Text(text) if texts.contains(&text));
            self.entries.iter().all(is_listed).then(|| texts.iter().copied().map(State::Text).collect())
        };
        let by_parameter = |(m, index): (MemberId, u16)| admitted(m, program.decl(m).params.get(usize::from(index))?.ty?);
        // a part of what is handed in: `handlers[slip.kind]`
        let by_part = |key: Site| match flow.eval(key) {
            Val::Member(_, part) => admitted(part, program.decl(part).ty?),
            _ => None,
        };
        let mut asked = self.asked_by.into_iter().chain(self.look_ups.iter().filter_map(|l| l.asked_by));
        asked.find_map(by_parameter).or_else(|| self.look_ups.iter().map(|l| l.key).chain(self.subject).find_map(by_part))
    }

    /// Declared codes that no entry has.
    pub fn holes(&self, flow: &Flow<'_>) -> Vec<State> {
        self.declared(flow).into_iter().filter(|code| self.entry(flow, *code).is_none()).collect()
    }

    /// The classes of what it makes.
    pub fn classes(&self) -> BTreeSet<TypeId> {
        self.entries.iter().filter_map(|e| e.makes).collect()
    }
}

/// The constants of an enumeration.
pub fn enumerated(flow: &Flow<'_>, ty: TypeId) -> Vec<State> {
    let program = flow.program;
    program.ty(ty).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::EnumConstant).map(State::Constant).collect()
}

/// Whether two codes are one: the same constant, or the same text.
pub fn same(flow: &Flow<'_>, a: State, b: State) -> bool {
    a == b || matches!((text_of(flow, a), text_of(flow, b)), (Some(a), Some(b)) if a == b)
}
