//! Codes that what is selected says itself: `makers.put(maker.code(), maker)`.

use yarrowgraph_ir::{MemberKind, Node};

use super::Entry;
use super::filled::Put;
use super::tables::{entry, parameter};
use crate::flow::{Val, returned};
use crate::program::{MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;

/// The method whose callers say what is put into a map, with the position of that and what it is asked for its code.
pub(super) fn handed_in(wiring: &Wiring<'_>, put: &Put) -> Option<(MemberId, u16, Sym)> {
    let (method, value) = parameter(wiring, put.value.member, put.value.node)?;
    let program = wiring.program();
    let body = program.body(put.key.member)?;
    let asked = match body.node(put.key.node) {
        Node::Call { callee, args, .. } if args.len == 0 => body.node(callee),
        other => other,
    };
    let Node::Member { object, name, .. } = asked else { return None };
    (parameter(wiring, put.key.member, object)? == (method, value)).then(|| (method, value, program.sym_in(put.key.member, name)))
}

/// The entry that a caller makes by handing over an object which says its code.
pub(super) fn entered(wiring: &Wiring<'_>, given: Site, asked: Sym) -> Option<Entry> {
    let flow = &wiring.flow;
    let value = if let Val::New(made) = flow.eval(given) { made } else { given };
    let class = flow.type_of(&Val::New(value)).own()?;
    let key = said(wiring, class, asked)?;
    Some(Entry { place: given, ..entry(wiring, key, value)? })
}

/// The one constant that objects of a class give for what they are asked.
fn said(wiring: &Wiring<'_>, class: TypeId, asked: Sym) -> Option<Site> {
    let program = wiring.program();
    let member = program.find_member_as(class, asked, true).or_else(|| program.find_member(class, asked))?;
    let info = program.member(member);
    // a property that has a getter gives what that does
    let getter =
        program.own_members(info.owner, asked).iter().copied().find(|m| {
            matches!(program.member(*m).kind, MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get)) && program.body(*m).is_some()
        });
    let code = getter.unwrap_or(member);
    match program.member(code).kind {
        MemberKind::Method | MemberKind::Accessor(_) => match returned(program, code, None)[..] {
            [node] => Some(Site { member: code, node }),
            _ => None,
        },
        MemberKind::Field | MemberKind::Property => wiring.flow.only_definition(code).filter(|d| d.member == code),
        _ => None,
    }
}
