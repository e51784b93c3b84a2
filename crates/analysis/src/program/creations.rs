//! Calls that create: in some languages calling a type's name makes an object of it.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{Body, Facts, MemberKind, Name, Node, NodeId, TypeKind, TypeRef, TypeRefId, Unit};

use super::Kits;

/// Writes calls of a type of the tree as what they are, creations of an object: `bus.send(Order(3))`.
pub(super) fn write_out(units: &mut [Facts], kits: &Kits) {
    let creates = |facts: &&Facts| kits.of(facts.unit.language).traits.types_are_called;
    let mut types: FxHashSet<String> = FxHashSet::default();
    for Facts { unit } in units.iter().filter(creates) {
        let is_class = |kind| matches!(kind, TypeKind::Class | TypeKind::Struct);
        types.extend(unit.types.iter().filter(|t| is_class(t.kind)).map(|t| unit.text(t.name).to_owned()));
    }
    // a function of the same name is what is called
    for Facts { unit } in units.iter().filter(creates) {
        for member in unit.members.iter().filter(|m| m.kind == MemberKind::Method) {
            types.remove(unit.text(member.name));
        }
    }
    if types.is_empty() {
        return;
    }
    units.par_iter_mut().filter(|f| kits.of(f.unit.language).traits.types_are_called).for_each(|f| in_file(&mut f.unit, &types));
}

fn in_file(unit: &mut Unit, types: &FxHashSet<String>) {
    let mut references: FxHashMap<Name, Option<TypeRefId>> = FxHashMap::default();
    let Unit { names, members, type_refs, .. } = unit;
    for member in members {
        let params: Vec<Name> = member.params.iter().map(|p| p.name).collect();
        let Some(body) = member.body.as_deref_mut() else { continue };
        for index in 0..body.nodes.len() {
            let Node::Call { callee, args, type_args: None, .. } = body.nodes[index] else { continue };
            let Node::Name(name) = body.node(callee) else { continue };
            let reference = *references.entry(name).or_insert_with(|| {
                types.contains(names.text(name)).then(|| {
                    type_refs.push(TypeRef::Named { name, args: Box::default() });
                    TypeRefId((type_refs.len() - 1) as u32)
                })
            });
            if let Some(ty) = reference.filter(|_| !params.contains(&name) && !declares(body, name)) {
                body.nodes[index] = Node::New { ty, args, init: None, class: None };
                body.nodes[callee.index()] = Node::Empty;
            }
        }
    }
}

/// Whether a body gives a name a meaning of its own.
fn declares(body: &Body, name: Name) -> bool {
    let is_local = |n: NodeId| matches!(body.node(n), Node::Local { name: local, .. } if local == name);
    body.functions.iter().flat_map(|f| &f.params).any(|p| p.name == name) || body.ids().any(is_local)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_object_that_is_made_by_calling_its_class_is_made() {
        expect(
            "unissued-command",
            r#"
//// desk.h
#pragma once
#include <memory>
#include <queue>
struct Sluice { void raise(int notches); void drop(); };
struct Order { virtual ~Order() = default; virtual void carry(Sluice& sluice) const = 0; };
struct Raise : Order { explicit Raise(int n) : n_(n) {} void carry(Sluice& s) const override { s.raise(n_); } int n_; };
struct Drop : Order { void carry(Sluice& s) const override { s.drop(); } };
struct Flush : Order { void carry(Sluice& s) const override { s.drop(); s.raise(1); } }; //! unissued-command warning
struct Desk {
    void take(const Order& order) { orders_.push(&order); }
    void work(Sluice& s) { while (!orders_.empty()) { orders_.front()->carry(s); orders_.pop(); } }
    std::queue<const Order*> orders_;
};
//// main.cpp
#include "desk.h"
int main() {
    Sluice sluice;
    Desk desk;
    desk.take(Raise(3));
    desk.take(Drop());
    desk.work(sluice);
}
"#,
        );
    }
}
