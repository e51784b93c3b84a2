//! Rule `doubled-pass`: a link passes the same request on twice on one way.

use std::collections::BTreeSet;

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::{Val, object_of};
use crate::program::{MemberId, Site};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "doubled-pass",
    summary: "a link passes the same request on twice on one way",
    level: Level::Warning,
    page: Page {
        symptom: "What the links behind do is done twice for some requests.",
        cause: "A branch passes the request on and does not leave, so that the call behind it passes it on again.",
        cure: "Leave after passing on, or put the second call into the other branch.",
        silent: "The two calls are in different branches, hand on different requests, or the second one follows from the answer of the first.",
        accept: "Each request is to be handled twice.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut drafts = Vec::new();
    for link in wiring.passing() {
        if wiring.in_test(link.member) {
            continue;
        }
        for (earlier, later) in &link.ways.doubled {
            if is_in_a_loop(wiring, link.member, *later) || !same_request(wiring, link.member, *earlier, *later) {
                continue;
            }
            let at = |node| crate::wire::operation_place(program, Site { member: link.member, node });
            drafts.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place: at(*later),
                message: format!("`{}` passes the same request on a second time on this way", short(&program.member_id(link.member))),
                related: vec![related("it has been passed on here", at(*earlier))],
                parties: vec![program.member_id(link.member)],
                edit: None,
            });
        }
    }
    drafts
}

/// Whether a pass is done as often as something holds: once more is what is meant.
fn is_in_a_loop(wiring: &Wiring<'_>, member: MemberId, pass: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    program.scope(member).ancestors(pass).any(|n| matches!(body.node(n), Node::Loop { .. } | Node::ForEach { .. }))
}

/// Whether two passes hand on the same thing: the same names, which nothing is assigned to; and not each to another one.
fn same_request(wiring: &Wiring<'_>, member: MemberId, a: NodeId, b: NodeId) -> bool {
    let Some(body) = wiring.program().body(member) else { return false };
    // by itself, or by the method of its base that it calls
    let fields = |call: NodeId| {
        let base = matches!(object_of(body, call).map(|object| body.node(object)), Some(Node::Super));
        let called = wiring.flow.callee(Site { member, node: call }).map(|c| c.member).filter(|_| base);
        let passed = wiring.passing().iter().filter(|p| Some(p.member) == called).flat_map(|p| p.passes.iter().map(|n| (p.member, *n)));
        let own = (!base).then_some((member, call));
        let fields = own.into_iter().chain(passed).filter_map(|(m, call)| {
            let object = object_of(wiring.program().body(m)?, call)?;
            if let Val::Member(_, field) = wiring.flow.eval_in(m, object) { Some(field) } else { None }
        });
        fields.collect::<BTreeSet<MemberId>>()
    };
    let (to_first, to_second) = (fields(a), fields(b));
    if !to_first.is_empty() && !to_second.is_empty() && to_first.is_disjoint(&to_second) {
        return false;
    }
    if [a, b].into_iter().any(|call| goes_by_helper(wiring, member, call)) {
        return false;
    }
    let (Node::Call { args: a, .. }, Node::Call { args: b, .. }) = (body.node(a), body.node(b)) else { return false };
    let assigned = |name| body.ids().any(|n| matches!(body.node(n), Node::Assign { target, .. } if body.node(target) == Node::Name(name)));
    a.len == b.len
        && body.list(a).iter().zip(body.list(b)).all(|(a, b)| match (body.node(*a), body.node(*b)) {
            (Node::Name(a), Node::Name(b)) => a == b && !assigned(a),
            _ => false,
        })
}

/// Whether a call is of a method of the link's own that passes on something else than what it is handed.
fn goes_by_helper(wiring: &Wiring<'_>, member: MemberId, call: NodeId) -> bool {
    let program = wiring.program();
    let Some(helper) = wiring.flow.callee(Site { member, node: call }).map(|c| c.member) else { return false };
    let Some(body) = program.body(helper) else { return false };
    let mut passes = wiring.links.next.iter().flat_map(|next| &next.passes).filter(|pass| pass.member == helper && helper != member);
    let hands_on = |pass: &Site| match body.node(pass.node) {
        Node::Call { args, .. } => {
            body.list(args).iter().all(|a| matches!(wiring.flow.eval_in(helper, *a), Val::Param(m, ..) if m == helper))
        }
        _ => true,
    };
    passes.any(|pass| !hands_on(pass))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_branch_that_does_not_leave() {
        expect(
            "doubled-pass",
            r#"
//// check.h
class Boat { public: int draught = 0; void note(int) {} };
class Check {
public:
    void linkTo(Check* next) { next_ = next; }
    virtual void ask(Boat& boat) {
        if (next_ != nullptr) next_->ask(boat);
    }
private:
    Check* next_ = nullptr;
};
class Sill : public Check {
public:
    void ask(Boat& boat) override {
        if (boat.draught > 150) {
            boat.note(1);
            Check::ask(boat);
        }
        boat.note(2);
        Check::ask(boat); //! doubled-pass warning
    }
};
class Beam : public Check {
public:
    void ask(Boat& boat) override {
        if (boat.draught > 150) {
            Check::ask(boat);
            return;
        }
        Check::ask(boat);
    }
};
"#,
        );
    }

    #[test]
    fn another_branch_another_request_or_another_try() {
        expect(
            "doubled-pass",
            r#"
//// checks.ts
interface Boat { name: string; wide: boolean }
export abstract class Check {
  protected next?: Check;
  linkTo(next: Check): Check { this.next = next; return next; }
  abstract ask(boat: Boat): boolean;
}
export class Sill extends Check {
  ask(boat: Boat): boolean {
    if (boat.wide) this.next!.ask(boat);
    else this.next!.ask(boat);
    return true;
  }
}
export class Tow extends Check {
  ask(boat: Boat): boolean {
    this.next!.ask(boat);
    this.next!.ask({ name: 'barge', wide: true });
    return true;
  }
}
export class Again extends Check {
  ask(boat: Boat): boolean {
    if (!this.next!.ask(boat)) this.next!.ask(boat);
    return boat.wide && this.next!.ask(boat);
  }
}
"#,
        );
    }

    #[test]
    fn a_base_that_passes_on_to_another_part() {
        expect(
            "doubled-pass",
            r#"
//// Parts.java
abstract class Part { abstract void paint(String colour); }
class One extends Part {
    protected Part first;
    One(Part first) { this.first = first; }
    void paint(String colour) { if (first != null) first.paint(colour); }
}
class Two extends One {
    private Part second;
    Two(Part first, Part second) { super(first); this.second = second; }
    void paint(String colour) {
        super.paint(colour);
        if (second != null) second.paint(colour);
    }
}
class Twice extends One {
    Twice(Part first) { super(first); }
    void paint(String colour) {
        super.paint(colour);
        if (first != null) first.paint(colour); //! doubled-pass warning
    }
}
class Leaf extends Part { void paint(String colour) { System.out.println(colour); } }
class Shed {
    public static void main(String[] args) { new Two(new Leaf(), new Twice(new Leaf())).paint("red"); }
}
"#,
        );
    }
}
