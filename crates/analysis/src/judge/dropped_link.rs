//! Rule `dropped-link`: a link of a chain is lost because another one takes its place.

use std::collections::BTreeMap;

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::chain::Wrap;
use crate::flow::Val;
use crate::program::{MemberId, Site, TypeId};
use crate::state::is_statement;
use crate::wire::Wiring;
use crate::wire::once::are_alternatives;

pub(super) const RULE: Rule = Rule {
    name: "dropped-link",
    summary: "a link of a chain is lost because a later one takes its place",
    level: Level::Error,
    page: Page {
        symptom: "A handler is never asked, although it was linked.",
        cause: "The same link was given two next ones; often the linking call gives back the link that it was called on, and the next call replaces what it has set.",
        cure: "Link each to the one before it, or let the linking call give back the link that was just added.",
        silent: "Something else still leads to the link, or the set-up decides between the two.",
        accept: "The first one is there until the second is known.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found: BTreeMap<Site, Draft> = BTreeMap::new();
    for lost in &wiring.chains().lost {
        // what makes what it leads to by itself chooses anew
        let chooses = program.is_a(program.member(lost.made.member).owner, program.member(lost.field).owner);
        if wiring.in_test(lost.site.member) || lost.site == lost.by || chooses || are_alternatives(program, lost.site, lost.by) {
            continue;
        }
        let field = short(&program.member_id(lost.field));
        found.entry(lost.site).or_insert_with(|| Draft {
            level: Level::Error,
            certainty: Certainty::Certain,
            place: crate::wire::operation_place(program, lost.site),
            message: format!("this link is lost: another one takes its place in `{field}`, and nothing else leads to it"),
            related: vec![related("it is replaced here", crate::wire::operation_place(program, lost.by))],
            parties: vec![program.member_id(lost.field), program.member_id(lost.site.member)],
            edit: None,
        });
    }
    for wrap in wiring.links.wrappers() {
        for site in made_for_nobody(wiring, &wrap) {
            found.entry(site).or_insert_with(|| Draft {
                level: Level::Error,
                certainty: Certainty::Certain,
                place: program.place_of(site),
                message: format!("what `{}` makes around the next link is thrown away", short(&program.member_id(wrap.member))),
                related: Vec::new(),
                parties: vec![program.member_id(wrap.member), program.member_id(site.member)],
                edit: None,
            });
        }
    }
    for (site, class) in thrown_away(wiring) {
        found.entry(site).or_insert_with(|| Draft {
            level: Level::Error,
            certainty: Certainty::Certain,
            place: program.place_of(site),
            message: format!("this `{}` is made around the next link and thrown away", short(&program.type_id(class))),
            related: Vec::new(),
            parties: vec![program.type_id(class), program.member_id(site.member)],
            edit: None,
        });
    }
    found.into_values().collect()
}

/// Links that are made with the next one, and with which nothing is done: `new Quota(app, 500);`
fn thrown_away(wiring: &Wiring<'_>) -> Vec<(Site, TypeId)> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for next in wiring.links.next.iter() {
        let is_next = |m: MemberId| next.fields.contains(&m);
        let links = program.heirs(next.base);
        // of one kind of link alone it is no chain that is wrapped
        let several = links.iter().filter(|class| !program.ty(**class).modifiers.is_abstract && **class != next.base).count() > 1;
        for class in links.into_iter().filter(|class| several && only_keeps(wiring, *class)) {
            for made in flow.creations(class) {
                let handed = || match program.body(made.member).map(|b| b.node(made.node)) {
                    Some(Node::New { .. }) => flow.constructor_at(class, made),
                    _ => None,
                };
                // the next one comes in by its constructor
                let takes_next = |constructor: MemberId| {
                    let given = |m: &MemberId| {
                        flow.definitions(*m).iter().any(|d| matches!(flow.eval(*d), Val::Param(c, None, _) if c == constructor))
                    };
                    program.ty(class).members.iter().filter(|m| is_next(**m)).any(given)
                };
                if is_statement(program, made) && !wiring.in_test(made.member) && handed().is_some_and(takes_next) {
                    found.push((made, class));
                }
            }
        }
    }
    found
}

/// Whether all that the constructors of a class and of its bases do is to keep what they are handed.
fn only_keeps(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let mut acts = !program.outside_bases(class).is_empty();
    program.for_each_base(class, &mut |base| {
        let constructors = program.ty(base).members.iter().filter(|m| program.member(**m).kind == MemberKind::Constructor);
        acts |= constructors.filter_map(|m| program.body(*m)).any(|body| {
            let calls =
                |n: NodeId| matches!(body.node(n), Node::Call { callee, .. } if !matches!(body.node(callee), Node::Super | Node::This));
            body.ids().any(calls)
        });
        !acts
    });
    !acts
}

/// The calls that have a function made around the next one, and do nothing with it.
fn made_for_nobody(wiring: &Wiring<'_>, wrap: &Wrap) -> Vec<Site> {
    let program = wiring.program();
    // by the method, or by the function that this gives back: `limited(500)(next)`, `limited(500).apply(next)`
    let made = |call: &Site| match wrap.around {
        None => Some(*call),
        Some(_) => {
            let (body, scope) = (program.body(call.member)?, program.scope(call.member));
            let invokes = |name| program.kit_of(call.member).pack.invokers.contains(program.unit_of(call.member).text(name));
            let outer = scope.parent(call.node)?;
            let (callee, outer) = match body.node(outer) {
                Node::Member { object, name, .. } if object == call.node && invokes(name) => (outer, scope.parent(outer)?),
                _ => (call.node, outer),
            };
            matches!(body.node(outer), Node::Call { callee: c, .. } if c == callee).then_some(Site { member: call.member, node: outer })
        }
    };
    let calls = wiring.flow.call_sites(wrap.member).iter().filter(|c| !wiring.in_test(c.member));
    calls.filter_map(made).filter(|made| is_statement(program, *made)).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_fluent_call_that_gives_back_the_wrong_link() {
        expect(
            "dropped-link",
            r#"
//// checks.ts
export abstract class Check {
  private next: Check | undefined;
  then(next: Check): this {
    this.next = next;
    return this;
  }
  ask(draught: number): string {
    return this.look(draught) ?? (this.next ? this.next.ask(draught) : 'may pass');
  }
  protected abstract look(draught: number): string | undefined;
}
class Sill extends Check { protected look(d: number) { return d > 150 ? 'too deep' : undefined; } }
class Beam extends Check { protected look(d: number) { return d > 90 ? 'too wide' : undefined; } }
class Toll extends Check { protected look(d: number) { return d > 20 ? 'pays' : undefined; } }
const first = new Sill();
first
  .then(new Beam()) //! dropped-link error
  .then(new Toll());
console.log(first.ask(40));
"#,
        );
    }

    #[test]
    fn one_that_gives_back_the_next() {
        expect(
            "dropped-link",
            r#"
//// Check.java
package locks;
abstract class Check {
    private Check next;
    Check then(Check next) { this.next = next; return next; }
    String ask(int draught) {
        String said = look(draught);
        if (said != null) return said;
        return next == null ? "may pass" : next.ask(draught);
    }
    abstract String look(int draught);
}
class Sill extends Check { String look(int d) { return d > 150 ? "too deep" : null; } }
class Beam extends Check { String look(int d) { return d > 90 ? "too wide" : null; } }
class Toll extends Check { String look(int d) { return d > 20 ? "pays" : null; } }
class Lock {
    public static void main(String[] args) {
        Check first = new Sill();
        first.then(new Beam()).then(new Toll());
        System.out.println(first.ask(40));
    }
}
"#,
        );
    }
}
