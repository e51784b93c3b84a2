//! Functions that constants of a module hold, written as the links of a chain are that others beside them are in, and that nothing names:
//! `const pressed = async (loaf, next) => { await next(); };`

use std::collections::BTreeMap;

use yarrowgraph_ir::{FunctionId, MemberKind};

use super::{Draft, goes_way_on, is_unnamed, written_as_link};
use crate::chain::Link;
use crate::flow::Val;
use crate::program::{MemberId, TypeId};
use crate::wire::Wiring;

/// The findings for all chains whose links are handed the way on.
pub(super) fn find(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found: BTreeMap<MemberId, Draft> = BTreeMap::new();
    for built in wiring.chains().built.iter().filter(|b| wiring.links.hands_way_on(b.of)) {
        // how many things a function is handed that goes the way on
        let goes_on = |(member, function): (MemberId, FunctionId)| -> Option<usize> {
            let link = Link { class: None, function: Some(Val::Lambda(member, function)), ..built.links[0].clone() };
            goes_way_on(wiring, built.of, &link).map(|(_, params)| params)
        };
        let linked: Vec<(MemberId, FunctionId)> = built
            .links
            .iter()
            .filter_map(|l| match l.function {
                Some(Val::Lambda(member, function)) => Some((member, function)),
                _ => None,
            })
            .collect();
        let mut modules: Vec<TypeId> = linked.iter().map(|(m, _)| program.member(*m).owner).filter(|t| program.ty(*t).is_module).collect();
        modules.sort_unstable();
        modules.dedup();
        for module in modules {
            let constants: Vec<(MemberId, (MemberId, FunctionId))> =
                program.ty(module).members.iter().filter_map(|m| Some((*m, function_in(wiring, *m)?))).collect();
            let in_chain = |(_, function): &&(MemberId, (MemberId, FunctionId))| linked.contains(function);
            let Some((sample, params)) = constants.iter().filter(in_chain).find_map(|(m, f)| Some((*m, goes_on(*f)?))) else { continue };
            for (constant, function) in constants.iter().filter(|(m, _)| is_unnamed(wiring, *m)) {
                if goes_on(*function) == Some(params) {
                    let draft = || {
                        written_as_link(program.member_id(*constant), program.member_place(*constant), Some(program.member_place(sample)))
                    };
                    found.entry(*constant).or_insert_with(draft);
                }
            }
        }
    }
    found.into_values().collect()
}

/// The function that is all that a constant holds.
fn function_in(wiring: &Wiring<'_>, constant: MemberId) -> Option<(MemberId, FunctionId)> {
    let program = wiring.program();
    let is_constant = program.member(constant).kind == MemberKind::Field && program.decl(constant).modifiers.is_readonly;
    match wiring.flow.eval(wiring.flow.only_definition(constant).filter(|_| is_constant)?) {
        Val::Lambda(member, function) => Some((member, function)),
        _ => None,
    }
}
