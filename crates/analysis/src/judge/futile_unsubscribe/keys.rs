//! Releases by what a subscription has given back, under another topic than that of the subscription: `on("tide", …)` and `off("fog", id)`.

use yarrowgraph_ir::Node;

use crate::flow::Val;
use crate::program::Site;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::effect::Effect;

/// The one subscription by whose key a release is made, and its channel, where that is another topic of the same holder than the one
/// that the release names.
pub(super) fn other_topic<'w>(wiring: &'w Wiring<'_>, channel: &Channel, leave: &Effect) -> Option<(&'w Channel, &'w Effect)> {
    // what takes off is handed the topic and the key
    if channel.key.named_topic().is_none() || leave.inner.is_empty() {
        return None;
    }
    let body = wiring.program().body(leave.site.member)?;
    let Node::Call { args, .. } = body.node(leave.site.node) else { return None };
    let keys = body.list(args).iter().map(|a| wiring.flow.eval_in(leave.site.member, *a));
    let given: Vec<Site> = keys.filter(is_own).find_map(|k| Some(given_by(wiring, &k)).filter(|g| !g.is_empty()))?;
    let join_at = |c: &'w Channel, site: Site| c.joins.iter().copied().find(|j| wiring.effects[*j].site == site).map(|j| (c, j));
    let found: Option<Vec<(&Channel, usize)>> =
        given.iter().map(|site| wiring.of_holder(channel).find_map(|c| join_at(c, *site))).collect();
    match found?[..] {
        [(other, join)] if other.key != channel.key && other.key.named_topic().is_some() => {
            wiring.releases_of(other, join).is_empty().then_some((other, &wiring.effects[join]))
        }
        _ => None,
    }
}

/// Whether a value is a field of the object itself, or a variable.
fn is_own(key: &Val) -> bool {
    match key {
        Val::Member(of, _) => matches!(**of, Val::This(_)),
        Val::Local(_) => true,
        _ => false,
    }
}

/// What calls give a field or a variable, beside numbers that stand for none.
fn given_by(wiring: &Wiring<'_>, key: &Val) -> Vec<Site> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let given: Vec<Site> = match key {
        Val::Member(_, field) => flow.definitions(*field).to_vec(),
        Val::Local(local) => flow.local_values(*local).into_iter().map(|node| Site { member: local.member, node }).collect(),
        _ => Vec::new(),
    };
    // what it begins with
    let is_none = |s: &Site| {
        let is_first = matches!(key, Val::Member(_, field) if s.member == *field);
        program.body(s.member).is_some_and(|b| match b.node(s.node) {
            Node::Num(_) | Node::Null | Node::Plain => true,
            Node::New { .. } => is_first,
            _ => false,
        })
    };
    given.into_iter().filter(|s| !is_none(s)).collect()
}
