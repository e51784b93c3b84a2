//! The order of subscriptions that straight-line code guarantees.

use yarrowgraph_ir::Node;

use super::Wiring;
use crate::program::Site;

impl Wiring<'_> {
    /// For each subscription of a list the earlier ones on the same subject that certainly
    /// come before it, transitively reduced. Only code of one body is compared.
    pub(super) fn after(&self, joins: &[usize]) -> Vec<Vec<u32>> {
        let mut after: Vec<Vec<u32>> = vec![Vec::new(); joins.len()];
        for later in 0..joins.len() {
            let mut before: Vec<usize> =
                (0..joins.len()).filter(|earlier| *earlier != later && self.precedes(joins[*earlier], joins[later])).collect();
            // what comes before another one that comes before is implied
            let all = before.clone();
            before.retain(|b| !all.iter().any(|other| other != b && self.precedes(joins[*b], joins[*other])));
            after[later] = before.into_iter().map(|b| b as u32).collect();
        }
        after
    }

    fn precedes(&self, earlier: usize, later: usize) -> bool {
        let (a, b) = (&self.effects[earlier], &self.effects[later]);
        if a.site.member != b.site.member || a.holder.subject != b.holder.subject {
            return false;
        }
        dominates(self, a.site, b.site)
    }
}

/// Whether one statement certainly runs before another of the same body.
fn dominates(wiring: &Wiring<'_>, a: Site, b: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(a.member) else { return false };
    let scope = program.scope(a.member);
    if a.node == b.node || !scope.is_before(a.node, b.node) {
        return false;
    }
    // up from the earlier one to the block that holds both, through nothing that may be skipped or repeated
    for around in scope.ancestors(a.node) {
        let holds_both = scope.is_within(b.node, around);
        match body.node(around) {
            Node::Block(_) | Node::Opaque(_) if holds_both => return true,
            Node::If { cond, .. } if !scope.is_within(a.node, cond) => return false,
            Node::Loop { .. }
            | Node::ForEach { .. }
            | Node::Lambda(_)
            | Node::Case { .. }
            | Node::Catch { .. }
            | Node::Variants(_)
            | Node::Conditional { .. } => {
                return false;
            }
            _ => {}
        }
    }
    false
}
