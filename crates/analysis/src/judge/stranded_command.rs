//! Rule `stranded-command`: a command is created and never carried out.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node};
use yarrowgraph_model::{Certainty, Level};

use super::early_raise::hands_itself_out;
use super::{Draft, Page, Rule, related, short};
use crate::command::Command;
use crate::flow::Val;
use crate::program::{Declared, MemberId, Site};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "stranded-command",
    summary: "a command is created and never carried out",
    level: Level::Warning,
    page: Page {
        symptom: "What was asked for does not happen.",
        cause: "The command is made, and neither run, nor queued, stored, handed on or returned.",
        cure: "Hand it to the invoker.",
        silent: "The object is used in any way, or its making does the work.",
        accept: "The making itself is what is wanted.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    let mut seen = BTreeSet::new();
    for command in wiring.commands().commands.values() {
        if works_as_it_is_made(wiring, command) {
            continue;
        }
        let from_makers = command.created.iter().flat_map(|s| calls_of_maker(wiring, *s));
        let made = command.created.iter().copied().chain(from_makers);
        for site in made.filter(|s| !wiring.in_test(s.member) && is_let_go(wiring, *s)) {
            if !seen.insert(site) {
                continue;
            }
            let id = program.type_id(command.class);
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Certain,
                place: program.place_of(site),
                message: format!("this {} is neither carried out nor handed to anybody", short(&id)),
                related: vec![related("what it would do", program.member_place(command.operation))],
                parties: vec![id, program.member_id(site.member)],
                edit: None,
            });
        }
    }
    found
}

/// Whether a constructor of a command, or of what it is built upon, carries it out or hands it to somebody.
fn works_as_it_is_made(wiring: &Wiring<'_>, command: &Command) -> bool {
    const HOPS: u32 = 3;
    let program = wiring.program();
    let mut works = false;
    program.for_each_base(command.class, &mut |base| {
        let mut constructors = program.ty(base).members.iter().filter(|m| program.member(**m).kind == MemberKind::Constructor);
        works |= constructors.any(|c| {
            let carries_out = || wiring.flow.call_sites(command.operation).iter().any(|call| call.member == *c);
            program.body(*c).is_some() && (hands_itself_out(wiring, *c, HOPS) || carries_out())
        });
        !works
    });
    works
}

/// The calls of a function that makes an object in order to give it back, and does nothing else with it.
fn calls_of_maker(wiring: &Wiring<'_>, made: Site) -> Vec<Site> {
    let program = wiring.program();
    let Some(body) = program.body(made.member) else { return Vec::new() };
    let scope = program.scope(made.member);
    let is_given_back = match scope.parent(made.node).map(|p| body.node(p)) {
        Some(Node::Return(_)) => scope.function_around(body, made.node).is_none(),
        None => body.returns_root,
        _ => false,
    };
    if !is_given_back || program.member(made.member).kind != MemberKind::Method {
        return Vec::new();
    }
    wiring.flow.call_sites(made.member).to_vec()
}

/// Whether an object is made and nothing is done with it.
fn is_let_go(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let scope = program.scope(site.member);
    let Some(parent) = scope.parent(site.node) else { return false };
    match body.node(parent) {
        Node::Block(_) => true,
        Node::Assign { target, value, .. } if value == site.node => {
            let given = Site { member: site.member, node: target };
            match wiring.flow.eval(given) {
                Val::Static(m) => is_idle_variable(wiring, m, given),
                // a discard: `_ = new Fill()`
                Val::Unknown | Val::Global(_) => matches!(body.node(target), Node::Name(n) if program.unit_of(site.member).text(n) == "_"),
                _ => false,
            }
        }
        Node::Local { name, ty, .. } => {
            let uses = body.ids().filter(|n| body.node(*n) == Node::Name(name) && scope.lookup(name, *n) == Some(Declared::Local(parent)));
            // an object that stands where it is declared may act by its end; one that a pointer is made to does not
            let by_pointer = ty.is_none_or(|ty| !program.is_by_value(site.member, ty));
            uses.count() == 0 && (by_pointer || !program.kit_of(site.member).traits.references_dangle)
        }
        _ => false,
    }
}

/// Whether nothing reads a variable of a module but where it is given its first value, and no other module gets it.
fn is_idle_variable(wiring: &Wiring<'_>, variable: MemberId, given: Site) -> bool {
    let program = wiring.program();
    let info = program.member(variable);
    let is_variable = info.kind == MemberKind::Field && program.ty(info.owner).is_module;
    let exported = program.decl(variable).modifiers.is_exported
        || program.unit(info.unit).exports.iter().any(|(own, _)| program.sym(info.unit, *own) == info.name);
    let may_be_it = |site: &Site| program.member(site.member).unit == info.unit || wiring.flow.eval(*site) == Val::Static(variable);
    let mut read = program.index.reads(info.name).iter().chain(program.index.calls(info.name)).filter(|site| **site != given);
    is_variable && !exported && !read.any(may_be_it)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn made_and_let_go() {
        expect(
            "stranded-command",
            r#"
//// Desk.java
package marlwend;
import java.util.ArrayDeque;
import java.util.Deque;
class Sluice { void raise(int notches) {} void drop() {} }
interface Order { void carry(); }
class RaiseSluice implements Order { private final Sluice s; RaiseSluice(Sluice s) { this.s = s; } public void carry() { s.raise(3); } }
class DropSluice implements Order { private final Sluice s; DropSluice(Sluice s) { this.s = s; } public void carry() { s.drop(); } }
class Desk {
    private final Deque<Order> orders = new ArrayDeque<>();
    void take(Order order) { orders.add(order); }
    void work() { while (!orders.isEmpty()) orders.removeFirst().carry(); }
    public static void main(String[] args) {
        Desk desk = new Desk();
        Sluice sluice = new Sluice();
        desk.take(new RaiseSluice(sluice));
        Order drop = new DropSluice(sluice); //! stranded-command warning
        desk.work();
    }
}
"#,
        );
    }
}
