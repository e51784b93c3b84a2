//! Rule `unguarded-next`: a link passes a request on without asking whether there is a next one.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{BinaryOp, MemberKind, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::chain::{Of, behaviour};
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, TypeId};
use crate::wire::Wiring;
use crate::wire::guards;

pub(super) const RULE: Rule = Rule {
    name: "unguarded-next",
    summary: "a link passes a request on without asking whether there is a next one",
    level: Level::Error,
    page: Page {
        symptom: "A request that no link handles ends in an error about nothing being there.",
        cause: "The last link has no next one, and passes on all the same; or the test is the wrong way round.",
        cure: "Ask first, or end every chain with a link that answers everything.",
        silent: "Every chain that the set-up builds ends with a link that does not pass on, or the field always holds one.",
        accept: "Whoever builds a chain ends it so.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (program, links) = (wiring.program(), &wiring.links);
    // the methods of links that end a chain
    let mut last: BTreeMap<MemberId, BTreeSet<(TypeId, Site)>> = BTreeMap::new();
    for built in wiring.chains().built.iter().filter(|b| b.ring.is_none() && !b.goes_on) {
        if let (Of::Next(_), Some(link)) = (built.of, built.links.last())
            && let Some(class) = link.class
            && let Some(method) = behaviour::asked_by(&wiring.flow, links, built.of, link)
        {
            last.entry(method).or_default().insert((class, link.made));
        }
    }
    let mut drafts = Vec::new();
    for next in &links.next {
        for pass in next.passes.iter().filter(|p| !wiring.in_test(p.member)) {
            let (Some(body), pack) = (program.body(pass.member), &program.kit_of(pass.member).pack) else { continue };
            // what an object is equal to, or how a copy of it is made, is asked of its parts as well
            let name = program.text(program.member(pass.member).name);
            if pack.equality.contains(name) || pack.making_methods.contains(name) {
                continue;
            }
            let Node::Call { callee, optional, .. } = body.node(pass.node) else { continue };
            let Node::Member { object, optional: by_member, .. } = body.node(callee) else { continue };
            let value = wiring.flow.eval_in(pass.member, object);
            // what is asked there is no link of this kind, whatever else it holds
            if matches!(&value, Val::Member(_, field) if !next.fields.contains(field)) {
                continue;
            }
            let wrong_way = asks_the_wrong_way(wiring, *pass, &value);
            if !wrong_way && guards::is_asked(&wiring.flow, *pass, object, &value, optional || by_member) {
                continue;
            }
            // the last links that come by here
            let ends: Vec<&(TypeId, Site)> = last
                .iter()
                .filter(|(method, _)| **method == pass.member || calls_helper(wiring, **method, pass.member))
                .flat_map(|(_, classes)| classes)
                .filter(|(class, _)| program.is_a(*class, program.member(pass.member).owner))
                .filter(|(_, made)| !is_made_to_take_all(wiring, *made))
                .filter(|(_, made)| !is_made_with_another(wiring, *made, &next.fields))
                .collect();
            let Some((class, made)) = ends.first() else {
                if wrong_way {
                    drafts.push(Draft {
                        level: Level::Note,
                        certainty: Certainty::Certain,
                        place: crate::wire::operation_place(program, *pass),
                        message: "the request is passed on only where there is no next link".to_owned(),
                        related: Vec::new(),
                        parties: vec![program.member_id(pass.member)],
                        edit: None,
                    });
                }
                continue;
            };
            let what = short(&program.type_id(*class));
            drafts.push(Draft {
                level: Level::Error,
                certainty: Certainty::Certain,
                place: crate::wire::operation_place(program, *pass),
                message: format!("the request is passed on unasked, and `{what}` is the last link of a chain"),
                related: vec![related("this one is the last", program.place_of(*made))],
                parties: vec![program.member_id(pass.member)],
                edit: None,
            });
        }
    }
    drafts
}

/// Whether a request is passed on where a test has said that there is no next link.
fn asks_the_wrong_way(wiring: &Wiring<'_>, pass: Site, next: &Val) -> bool {
    let (program, flow) = (wiring.program(), &wiring.flow);
    let Some(body) = program.body(pass.member) else { return false };
    let scope = program.scope(pass.member);
    // taken as another kind of thing it may be nothing although it is there
    let is_taken_as = |node: NodeId| match body.node(node) {
        Node::Name(name) => match scope.lookup(name, node) {
            Some(Declared::Local(local)) => {
                matches!(body.node(local), Node::Local { init: Some(init), .. } if matches!(body.node(init), Node::Cast { .. }))
            }
            _ => false,
        },
        Node::Cast { .. } => true,
        _ => false,
    };
    let is_next = |node: NodeId| !is_taken_as(node) && flow.eval_in(pass.member, node) == *next;
    let says_none = |cond: NodeId, holds: bool| match body.node(cond) {
        Node::Binary { op: BinaryOp::Eq, left, right } => holds && is_next(left) && body.node(right) == Node::Null,
        Node::Binary { op: BinaryOp::Ne, left, right } => !holds && is_next(left) && body.node(right) == Node::Null,
        Node::Unary { op: UnaryOp::Not, operand } => holds && is_next(operand),
        Node::Name(_) | Node::Member { .. } => !holds && is_next(cond),
        _ => false,
    };
    scope.ancestors(pass.node).any(|around| match body.node(around) {
        Node::If { cond, then, other } => {
            (scope.is_within(pass.node, then) && says_none(cond, true))
                || other.is_some_and(|o| scope.is_within(pass.node, o) && says_none(cond, false))
        }
        _ => false,
    })
}

fn calls_helper(wiring: &Wiring<'_>, method: MemberId, helper: MemberId) -> bool {
    wiring.flow.call_sites(helper).iter().any(|site| site.member == method)
}

/// Whether what makes a link hands over what comes behind it, whatever that is: `new Filter(parse(), condition)`.
fn is_made_with_another(wiring: &Wiring<'_>, made: Site, fields: &[MemberId]) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(made.member) else { return false };
    let Node::New { args, .. } = body.node(made.node) else { return false };
    let args = body.list(args);
    fields.iter().flat_map(|f| flow.definitions(*f)).any(|given| match flow.eval(*given) {
        Val::Param(constructor, None, index) => {
            let is_made_by = program.member(constructor).kind == MemberKind::Constructor
                && flow.type_of_node(made.member, made.node).own() == Some(program.member(constructor).owner);
            is_made_by && args.get(usize::from(index)).is_some_and(|arg| body.node(*arg) != Node::Null)
        }
        _ => false,
    })
}

/// Whether a link is made with the largest number there is, as a limit that nothing goes past.
fn is_made_to_take_all(wiring: &Wiring<'_>, made: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(made.member) else { return false };
    let (Node::New { args, .. } | Node::Call { args, .. }) = body.node(made.node) else { return false };
    let pack = &program.kit_of(made.member).pack;
    body.list(args).iter().any(|arg| match body.node(*arg) {
        Node::Name(name) | Node::Member { name, .. } => pack.largest.contains(program.text(program.sym_in(made.member, name))),
        _ => false,
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn the_last_one_passes_on() {
        expect(
            "unguarded-next",
            r#"
//// Check.cs
using System;
abstract class Check {
    protected readonly Check next;
    protected Check(Check next) { this.next = next; }
    public abstract string Ask(int draught);
}
class Sill : Check {
    public Sill(Check next) : base(next) { }
    public override string Ask(int draught) {
        if (draught > 150) return "too deep";
        return next.Ask(draught);
    }
}
class Beam : Check {
    public Beam(Check next) : base(next) { }
    public override string Ask(int draught) {
        if (draught > 90) return "too wide";
        return next.Ask(draught); //! unguarded-next error
    }
}
static class Lock {
    static void Main() { Console.WriteLine(new Sill(new Beam(null)).Ask(40)); }
}
"#,
        );
    }

    #[test]
    fn asked_first_or_never_last() {
        expect(
            "unguarded-next",
            r#"
//// checks.js
class Check {
  linkTo(next) { this.next = next; return next; }
  ask(draught) { return this.next ? this.next.ask(draught) : 'may pass'; }
}
class Sill extends Check {
  ask(draught) { return draught > 150 ? 'too deep' : super.ask(draught); }
}
class Beam extends Check {
  ask(draught) { return draught > 90 ? 'too wide' : super.ask(draught); }
}
const first = new Sill();
first.linkTo(new Beam());
console.log(first.ask(40));
"#,
        );
    }

    #[test]
    fn what_asks_parts_of_its_own() {
        expect(
            "unguarded-next",
            r#"
//// Terms.java
abstract class Term { abstract int of(int x); }
class Outer extends Term {
    private Term inner;
    Outer(Term inner) { this.inner = inner; }
    int of(int x) { if (inner == null) return x; return inner.of(x); }
}
class Sum extends Term {
    private Term left, right;
    Sum(Term left, Term right) { this.left = left; this.right = right; }
    int of(int x) { return left.of(x) + right.of(x); }
}
class Leaf extends Term { int of(int x) { return x; } }
class Reader {
    Term read(String text) {
        Term first = text.isEmpty() ? new Leaf() : read(text.substring(1));
        return new Outer(new Sum(first, new Leaf()));
    }
    public static void main(String[] args) { System.out.println(new Outer(new Outer(new Reader().read("+"))).of(3)); }
}
"#,
        );
    }
}
