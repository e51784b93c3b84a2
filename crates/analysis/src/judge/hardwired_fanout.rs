//! Rule `hardwired-fanout`: one method tells one change to several objects of different types by hand.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use yarrowgraph_ir::{MemberKind, Node, NodeId, TypeKind};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;

/// So many different types must be told.
const TOLD: usize = 3;

pub(super) const RULE: Rule = Rule {
    name: "hardwired-fanout",
    summary: "one method tells one change to several objects of different types by hand",
    level: Level::Note,
    page: Page {
        symptom: "Whoever else wants to know of the change has to be written into this method.",
        cause: "The method knows every receiver by its type and calls them one by one.",
        cure: "Announce the change, and let those who want to know subscribe.",
        silent: "Fewer than three types are told, the receivers are of one type, the answers are used, or what they are told is not the same.",
        accept: "The receivers are fixed, and their order is what matters.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let members = 0..wiring.program().members.len();
    members.into_par_iter().filter_map(|i| of_member(wiring, MemberId(i as u32))).collect()
}

fn of_member(wiring: &Wiring<'_>, m: MemberId) -> Option<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let body = program.body(m)?;
    let info = program.member(m);
    if info.kind != MemberKind::Method
        || info.is_static
        || program.ty(info.owner).is_module
        || program.decl(m).params.is_empty()
        || wiring.in_test(m)
    {
        return None;
    }
    let Node::Block(list) = body.node(body.root?) else { return None };
    let mut told: Vec<(TypeId, Site, Option<BTreeSet<String>>)> = Vec::new();
    // what the method makes of its parameters first is the change as well
    let mut kept: BTreeMap<MemberId, BTreeSet<String>> = BTreeMap::new();
    for statement in body.list(list) {
        if let Node::Assign { target, value, .. } = body.node(*statement)
            && let Val::Member(of, field) = flow.eval_in(m, target)
            && matches!(*of, Val::This(_))
        {
            kept.insert(field, mentioned(wiring, m, &[value], &kept));
        }
        let Node::Call { callee, args, .. } = body.node(*statement) else { continue };
        let Node::Member { object, name, .. } = body.node(callee) else { continue };
        let value = flow.eval_in(m, object);
        // what the method has just taken in is the change, and nobody who is told of it
        let held = matches!(&value, Val::Member(of, field) if matches!(**of, Val::This(_)) && !kept.contains_key(field));
        let changes = kept.values().any(|params| !params.is_empty());
        if !held || (args.len == 0 && !changes) {
            continue;
        }
        let Some(ty) = flow.type_of(&value).bounded().own() else { continue };
        // a part of the same kind is told what its whole is told
        if is_of_one_kind(wiring, info.owner, ty, program.sym_in(m, name)) {
            continue;
        }
        let kind = program.ty(ty).kind;
        if !matches!(kind, TypeKind::Class | TypeKind::Struct | TypeKind::Record) || program.ty(ty).modifiers.is_abstract {
            continue;
        }
        let params = (args.len > 0).then(|| mentioned(wiring, m, body.list(args), &kept));
        told.push((ty, Site { member: m, node: *statement }, params));
    }
    // one change: what all of them are told
    let common = told.iter().filter_map(|(_, _, p)| p.clone()).reduce(|a, b| a.intersection(&b).cloned().collect())?;
    let types: BTreeSet<TypeId> = told.iter().map(|(t, _, _)| *t).collect();
    if common.is_empty() || types.len() < TOLD || types.len() < told.len() {
        return None;
    }
    let names: Vec<&str> = told.iter().map(|(t, _, _)| program.text(program.ty(*t).name)).collect();
    let id = program.member_id(m);
    let what = common.first().map_or("", String::as_str);
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Likely,
        place: program.member_place(m),
        message: format!("{} tells `{what}` to {} by hand, one by one", short(&id), names.join(", ")),
        related: told.iter().take(4).map(|(_, s, _)| related("told here", program.place_of(*s))).collect(),
        parties: vec![id],
        edit: None,
    })
}

/// Whether two types have one base that says that they can be told something: a whole and its part.
fn is_of_one_kind(wiring: &Wiring<'_>, whole: TypeId, part: TypeId, told: Sym) -> bool {
    let program = wiring.program();
    let mut found = false;
    program.for_each_base(part, &mut |base| {
        found |= program.is_a(whole, base) && !program.own_members(base, told).is_empty();
        !found
    });
    found
}

/// The parameters, and the parts of parameters, that some expressions of a method are made of.
fn mentioned(wiring: &Wiring<'_>, m: MemberId, nodes: &[NodeId], kept: &BTreeMap<MemberId, BTreeSet<String>>) -> BTreeSet<String> {
    let program = wiring.program();
    let Some(body) = program.body(m) else { return BTreeSet::new() };
    let scope = program.scope(m);
    let is_param =
        |node: NodeId| matches!(body.node(node), Node::Name(name) if matches!(scope.lookup(name, node), Some(Declared::Param(None, _))));
    let mut found = BTreeSet::new();
    let mut open: Vec<NodeId> = nodes.to_vec();
    while let Some(node) = open.pop() {
        let whole = match body.node(node) {
            Node::Name(_) => is_param(node),
            Node::Member { object, .. } => is_param(object),
            _ => false,
        };
        let field = match body.node(node) {
            Node::Name(_) | Node::Member { .. } if !whole => match wiring.flow.eval_in(m, node) {
                Val::Member(of, field) if matches!(*of, Val::This(_)) => kept.get(&field),
                _ => None,
            },
            _ => None,
        };
        if whole {
            found.insert(crate::written::expression(program, Site { member: m, node }));
        } else if let Some(params) = field {
            found.extend(params.iter().cloned());
        } else {
            open.extend(body.children(node));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn three_are_told_by_hand() {
        expect(
            "hardwired-fanout",
            r#"
//// Office.cs
namespace Bakery;
class Poster { public void Price(int cents) {} }
class Tag { public void Price(int cents) {} }
class Page { public void Show(string text) {} }
class Office {
    readonly Poster _poster = new Poster();
    readonly Tag _left = new Tag(), _middle = new Tag(), _right = new Tag();
    readonly Page _page = new Page();
    public void Price(int cents) { //! hardwired-fanout note
        _poster.Price(cents);
        _left.Price(cents);
        _page.Show($"{cents} cents");
    }
    public void Weekend(int cents) {
        _left.Price(cents);
        _middle.Price(cents);
        _right.Price(cents);
    }
}
"#,
        );
    }
}
