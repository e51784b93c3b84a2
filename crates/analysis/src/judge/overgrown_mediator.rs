//! Rule `overgrown-mediator`: a mediator has taken on work that is not routing.

use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, short};
use crate::mediator::Mediator;
use crate::program::TypeId;
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "overgrown-mediator",
    summary: "a mediator has taken on work that is not routing",
    level: Level::Note,
    page: Page {
        symptom: "Every change comes by this one class.",
        cause: "Decisions that belong to colleagues were put where all of them are known.",
        cure: "Give each decision to the colleague that it is about, and leave the routing.",
        silent: "It has fewer than 8 colleagues, 20 members or 20 branches (`[mediators]` in yarrowgraph.toml sets others), or not twice as much as other mediators of the tree.",
        accept: "It is the one coordinator of the program on purpose.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let limits = wiring.limits;
    let sizes: Vec<(TypeId, [usize; 3])> = wiring.mediators().iter().map(|m| (m.class, size(wiring, m))).collect();
    let mut found = Vec::new();
    for (class, size) in &sizes {
        let [colleagues, members, branches] = *size;
        if colleagues < limits.colleagues || members < limits.members || branches < limits.branches {
            continue;
        }
        let mut others: Vec<usize> = sizes.iter().filter(|(c, _)| c != class).map(|(_, s)| s[1] + s[2]).collect();
        others.sort_unstable();
        if others.get(others.len() / 2).is_some_and(|median| members + branches < 2 * median) {
            continue;
        }
        let Some(place) = program.type_place(*class) else { continue };
        let id = program.type_id(*class);
        found.push(Draft {
            level: Level::Note,
            certainty: Certainty::Likely,
            place,
            message: format!(
                "{} routes between {colleagues} colleagues with {members} members and {branches} branches (said from {}, {} and {} on): much of it is no routing",
                short(&id),
                limits.colleagues,
                limits.members,
                limits.branches
            ),
            related: Vec::new(),
            parties: vec![id],
            edit: None,
        });
    }
    found
}

/// How many colleagues, members and branches a mediator has.
fn size(wiring: &Wiring<'_>, mediator: &Mediator) -> [usize; 3] {
    let program = wiring.program();
    let members = &program.ty(mediator.class).members;
    let branches = members.iter().filter_map(|m| program.body(*m)).map(|b| {
        let is_branch = |n: &NodeId| matches!(b.node(*n), Node::If { .. } | Node::Case { .. } | Node::Conditional { .. });
        b.ids().filter(is_branch).count()
    });
    let counted = members.iter().filter(|m| !matches!(program.member(**m).kind, MemberKind::Accessor(_) | MemberKind::Constructor));
    [mediator.colleagues.len(), counted.count(), branches.sum()]
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_desk_that_does_everything() {
        let posts: String = (0..8)
            .map(|i| format!("class P{i} implements Post {{ constructor(private readonly d: Desk) {{ d.admit(this); }} go(): void {{ this.d.all(this, 'x'); }} hear(f: Post, t: string): void {{ console.log(t); }} }}\n"))
            .collect();
        let work: String = (0..20).map(|i| format!("  plan{i}(n: number): number {{ if (n > {i}) return n; return 0; }}\n")).collect();
        let made: String = (0..8).map(|i| format!("new P{i}(desk).go();\n")).collect();
        let text = format!(
            "//// desk.ts\ninterface Post {{ hear(from: Post, text: string): void; }}\nclass Desk {{ //! overgrown-mediator note\n  private posts: Post[] = [];\n  admit(post: Post): void {{ this.posts.push(post); }}\n  all(from: Post, text: string): void {{ for (const p of this.posts) if (p !== from) p.hear(from, text); }}\n{work}}}\n{posts}const desk = new Desk();\n{made}"
        );
        expect("overgrown-mediator", &text);
    }
}
