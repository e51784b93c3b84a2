//! Types of what maps without written types hold under their names: what the calls that fill them hand over.

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId};

use super::given::{NEAR, by_place};
use super::{Flow, Val};
use crate::program::{Declared, Kinds, MemberId, Site, Sym, Ty};

/// What maps hold, by the member that holds the map and the name that it is under.
pub(super) type Kept = FxHashMap<(MemberId, Sym), Ty>;

/// How methods put what they are handed into maps: `offer(name, part) { this.parts.set(name, part); }`.
pub(super) type Fillers = FxHashMap<MemberId, Filler>;

/// How one of them does.
#[derive(Clone, Copy, Debug)]
pub(super) struct Filler {
    map: MemberId,
    /// The parameters that are the name and the value.
    key: u16,
    value: u16,
}

/// What a statement puts into a map.
pub(crate) struct Put {
    /// The map.
    pub map: NodeId,
    /// Under what.
    pub key: NodeId,
    /// What is put there.
    pub value: NodeId,
}

impl Flow<'_> {
    /// The methods that put a parameter of theirs under a name that is another one.
    pub(super) fn fillers(&self, members: &[MemberId]) -> Fillers {
        let program = self.program;
        let filler = |member: MemberId| {
            if program.member(member).kind != MemberKind::Method || program.decl(member).params.len() < 2 {
                return None;
            }
            let body = program.body_with(member, Kinds::CALL | Kinds::ASSIGN)?;
            let param = |n: NodeId| match body.node(n) {
                Node::Name(name) => match program.scope(member).lookup(name, n) {
                    Some(Declared::Param(None, index)) => Some(index),
                    _ => None,
                },
                _ => None,
            };
            body.ids().find_map(|n| {
                let put = self.put(member, n)?;
                let (key, value) = (param(put.key)?, param(put.value)?);
                Some(Filler { map: self.map_named(member, put.map)?, key, value })
            })
        };
        members.iter().filter_map(|m| Some((*m, filler(*m)?))).collect()
    }

    /// What maps hold under the names by which code fills them; nothing where that differs.
    pub(super) fn kept_in(&self, members: &[MemberId], fillers: &Fillers) -> Kept {
        let program = self.program;
        let of_member = |m: &MemberId| {
            let nodes = program.body_with(*m, Kinds::CALL | Kinds::ASSIGN).into_iter().flat_map(|b| b.ids());
            nodes.filter_map(|node| self.kept_by(Site { member: *m, node }, fillers)).collect::<Vec<_>>()
        };
        let found: Vec<((MemberId, Sym), Ty)> = members.par_iter().flat_map_iter(of_member).collect();
        by_place(found).into_iter().filter_map(|(place, types)| Some((place, self.common(&types)?))).collect()
    }

    /// What a node puts into a map, as far as its form tells.
    pub(crate) fn put(&self, member: MemberId, node: NodeId) -> Option<Put> {
        let program = self.program;
        let body = program.body(member)?;
        match body.node(node) {
            Node::Assign { target, value, op: AssignOp::Set } => match body.node(target) {
                Node::Index { object, keys, .. } => match body.list(keys) {
                    [key] => Some(Put { map: object, key: *key, value }),
                    _ => None,
                },
                _ => None,
            },
            Node::Call { callee, args, .. } => {
                let (Node::Member { object, name, .. }, [key, value]) = (body.node(callee), body.list(args)) else { return None };
                let adds = program.kit_of(member).pack.adds.contains(program.unit_of(member).text(name));
                adds.then_some(Put { map: object, key: *key, value: *value })
            }
            _ => None,
        }
    }

    /// The member that holds the map which an expression names.
    fn map_named(&self, member: MemberId, node: NodeId) -> Option<MemberId> {
        match self.eval_in(member, node) {
            Val::Member(_, m) | Val::Static(m) => Some(m),
            _ => None,
        }
    }

    /// What a node puts under a name that is written out, itself or by a method that it calls.
    fn kept_by(&self, site: Site, fillers: &Fillers) -> Option<((MemberId, Sym), Ty)> {
        let Site { member, node } = site;
        let program = self.program;
        let body = program.body(member)?;
        let text = |n: NodeId| match body.node(n) {
            Node::Str(text) => Some(program.sym_in(member, text)),
            _ => None,
        };
        let type_of = |n: NodeId| match self.type_of_node(member, n) {
            ty @ (Ty::Own(..) | Ty::Outside(..)) => Some(ty),
            _ => None,
        };
        if let Some(put) = self.put(member, node)
            && let Some(key) = text(put.key)
            && let Some(map) = self.map_named(member, put.map)
        {
            return Some(((map, key), type_of(put.value)?));
        }
        let Node::Call { callee, args, .. } = body.node(node) else { return None };
        if !body.list(args).iter().any(|a| text(*a).is_some()) {
            return None;
        }
        let filler = fillers.get(&self.method_called(site, callee, args.len as usize, NEAR)?.member)?;
        let arg = |index: u16| body.list(args).get(usize::from(index)).copied();
        Some(((filler.map, text(arg(filler.key)?)?), type_of(arg(filler.value)?)?))
    }

    /// What a map holds under a name.
    pub(super) fn kept_type(&self, map: MemberId, key: Sym) -> Ty {
        self.kept.get(&(map, key)).cloned().unwrap_or(Ty::Unknown)
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn what_is_looked_up_by_name_is_what_was_put_under_it() {
        expect(
            "leaked-subscription",
            r#"
//// glasshouse.js
export class Gauge {
  fns = new Set();
  listen(fn) { this.fns.add(fn); }
  unlisten(fn) { this.fns.delete(fn); }
  read(level) { for (const fn of this.fns) fn(level); }
}
export class Lamp { switch(on) { this.on = on; } }
export class House {
  #parts = new Map();
  offer(name, part) { this.#parts.set(name, part); }
  ask(name) { return this.#parts.get(name); }
}
//// shade.js
export class Shade {
  constructor(house) { this.gauge = house.ask('gauge'); this.fold = (level) => { this.level = level; }; }
  open() { this.gauge.listen(this.fold); } //! leaked-subscription error
  close() { this.level = 0; }
}
//// main.js
import { Gauge, House, Lamp } from './glasshouse.js';
import { Shade } from './shade.js';
const house = new House();
house.offer('gauge', new Gauge());
house.offer('lamp', new Lamp());
for (let day = 0; day < 3; day++) { const shade = new Shade(house); shade.open(); house.ask('gauge').read(day); shade.close(); }
"#,
        );
    }
}
