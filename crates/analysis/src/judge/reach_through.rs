//! Rule `reach-through`: code reaches through one object into the parts of another and acts on them.

use std::collections::BTreeSet;

use rayon::prelude::*;
use yarrowgraph_ir::{Node, NodeId, TypeKind};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, short};
use crate::program::{MemberId, Site, TypeId};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "reach-through",
    summary: "code reaches through one object into the parts of another and acts on them",
    level: Level::Note,
    page: Page {
        symptom: "A change inside of one class breaks code two classes away.",
        cause: "The caller knows how the objects between are made up.",
        cure: "Ask the nearest object to do it, and let it ask its parts.",
        silent: "Only one border is crossed, what is reached is only read, or the objects hand themselves on.",
        accept: "What lies between is a plain record of parts.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let members = 0..wiring.program().members.len();
    members.into_par_iter().flat_map_iter(|i| of_member(wiring, MemberId(i as u32))).collect()
}

fn of_member(wiring: &Wiring<'_>, m: MemberId) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(m) else { return Vec::new() };
    if wiring.in_test(m) {
        return Vec::new();
    }
    let scope = program.scope(m);
    let mut found: Vec<Draft> = Vec::new();
    for node in body.ids() {
        let Node::Call { callee, .. } = body.node(node) else { continue };
        let Node::Member { object, name, .. } = body.node(callee) else { continue };
        // acts: nobody asks what comes of it
        let acts = scope.parent(node).is_none_or(|p| matches!(body.node(p), Node::Block(_) | Node::If { .. } | Node::Lambda(_)));
        if !acts {
            continue;
        }
        let Some(types) = borders(wiring, m, object) else { continue };
        let distinct: BTreeSet<TypeId> = types.iter().copied().collect();
        if types.len() < 3 || distinct.len() < types.len() {
            continue;
        }
        let Some(target) = flow.callee(Site { member: m, node }) else { continue };
        if !program.is_a(*types.last().unwrap_or(&types[0]), program.member(target.member).owner) || gives_something(program, target.member)
        {
            continue;
        }
        let own = program.member(m).owner;
        if distinct.contains(&own) || distinct.iter().any(|t| program.is_a(own, *t)) {
            continue;
        }
        let names: Vec<&str> = types.iter().map(|t| program.text(program.ty(*t).name)).collect();
        let id = program.member_id(m);
        let way = names.join(".");
        // once is enough for one way
        if found.iter().any(|d| d.parties.last() == Some(&way)) {
            continue;
        }
        found.push(Draft {
            level: Level::Note,
            certainty: Certainty::Likely,
            place: program.place_of(Site { member: m, node }),
            message: format!("{} reaches through {} to call {}", short(&id), names.join(" and "), program.unit_of(m).text(name)),
            related: Vec::new(),
            parties: vec![id, way],
            edit: None,
        });
    }
    found
}

/// The classes of the objects that a chain of accesses goes by, the first and the last among them.
fn borders(wiring: &Wiring<'_>, m: MemberId, object: NodeId) -> Option<Vec<TypeId>> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let body = program.body(m)?;
    let mut chain = vec![object];
    let mut node = object;
    loop {
        let next = match body.node(node) {
            Node::Member { object, .. } => object,
            Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
                Node::Member { object, .. } => object,
                _ => break,
            },
            Node::Unary { operand, .. } => operand,
            _ => break,
        };
        if !matches!(body.node(next), Node::This) {
            chain.push(next);
        }
        node = next;
    }
    let mut types = Vec::new();
    for node in chain.into_iter().rev() {
        if matches!(body.node(node), Node::Unary { .. }) {
            continue;
        }
        let ty = flow.type_of_node(m, node).bounded().own()?;
        let t = program.ty(ty);
        if t.is_module || !matches!(t.kind, TypeKind::Class | TypeKind::Struct) {
            return None;
        }
        types.push(ty);
    }
    Some(types)
}

/// Whether a method gives something back.
fn gives_something(program: &crate::program::Program, m: MemberId) -> bool {
    match program.decl(m).ty {
        Some(ty) => {
            !matches!(program.unit_of(m).type_ref(ty), yarrowgraph_ir::TypeRef::Named { name, .. } if program.unit_of(m).text(*name) == "void")
        }
        None => program.body(m).is_some_and(|b| b.ids().any(|n| matches!(b.node(n), Node::Return(Some(_))))),
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn over_two_borders() {
        expect(
            "reach-through",
            r#"
//// Ward.java
package marlwend;
class Motor { void stop() {} int heat() { return 1; } }
class Pump { private final Motor motor = new Motor(); Motor motor() { return motor; } void rest() { motor.stop(); } }
class Station { private final Pump pump = new Pump(); Pump pump() { return pump; } }
class Keeper {
    private final Station station;
    Keeper(Station station) { this.station = station; }
    void night() {
        station.pump().motor().stop(); //! reach-through note
        station.pump().rest();
        if (station.pump().motor().heat() > 3) System.out.println("hot");
    }
}
"#,
        );
    }
}
