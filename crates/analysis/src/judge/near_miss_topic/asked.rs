//! Names of properties that handlers ask for and that no change is announced under.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{BinaryOp, Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, are_near, is_written_out, related, short};
use crate::flow::Val;
use crate::program::{Site, Sym};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::Channel;
use crate::wire::operation_place;

/// A name is handed on by so many methods.
const HOPS: u32 = 3;

/// Comparisons with a name that a channel never tells, and that is nearly one that it does.
pub(super) fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    wiring.channels.iter().filter(|c| !c.joins.is_empty() && !c.raises.is_empty()).flat_map(|c| judge(wiring, c)).collect()
}

fn judge(wiring: &Wiring<'_>, channel: &Channel) -> Vec<Draft> {
    let program = wiring.program();
    let handlers: BTreeSet<Site> = channel
        .joins
        .iter()
        .filter(|j| !wiring.in_test(wiring.effects[**j].site.member))
        .filter_map(|j| wiring.code_told(channel, *j))
        .collect();
    let joins = channel.joins.iter().map(|j| wiring.effects[*j].site).filter(|site| !wiring.in_test(site.member));
    let asked_at_join = joins.filter_map(|site| name_beside_handler(wiring, site));
    let asked: BTreeSet<(Site, Sym)> = handlers.into_iter().flat_map(|code| names_asked(wiring, code)).chain(asked_at_join).collect();
    if asked.is_empty() {
        return Vec::new();
    }
    let Some(told) = names_told(wiring, channel) else { return Vec::new() };
    let unknown = asked.iter().filter(|(_, name)| !told.contains_key(name));
    unknown
        .filter_map(|(site, name)| {
            let name = program.text(*name);
            let (near, raise) = told.iter().map(|(t, site)| (*t, *site)).find(|(t, _)| are_near(name, program.text(*t)))?;
            let is_heard = asked.iter().any(|(_, other)| *other == near);
            let near = program.text(near);
            let what = short(&channel.id);
            // where nobody asks for the other either, the one that is written out is the slip
            if !is_heard && is_written_out(wiring, raise, near) && !is_written_out(wiring, *site, name) {
                return Some(Draft {
                    level: Level::Warning,
                    certainty: Certainty::Likely,
                    place: operation_place(program, raise),
                    message: format!("`{what}` tells of `{near}`, which nobody asks for; `{name}` is asked for"),
                    related: vec![related(format!("`{name}` is asked for here"), program.place_of(*site))],
                    parties: vec![channel.id.clone(), name.to_owned()],
                    edit: None,
                });
            }
            let raise = channel.raises.first().map(|r| related("changes are announced here", wiring.place(&wiring.effects[*r])));
            Some(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place: program.place_of(*site),
                message: format!("`{name}` is asked for, and `{what}` never tells of it; it does of `{near}`"),
                related: raise.into_iter().collect(),
                parties: vec![channel.id.clone(), name.to_owned()],
                edit: None,
            })
        })
        .collect()
}

/// The name that is handed over with a handler, which is then told of changes of that alone: `addPropertyChangeListener("level", l)`.
fn name_beside_handler(wiring: &Wiring<'_>, join: Site) -> Option<(Site, Sym)> {
    let body = wiring.program().body(join.member)?;
    let Node::Call { args, .. } = body.node(join.node) else { return None };
    let [name, _] = *body.list(args) else { return None };
    let text = wiring.flow.text_of(&wiring.flow.eval_in(join.member, name))?;
    Some((Site { member: join.member, node: name }, text))
}

/// The names that a handler compares with what it is told has changed.
fn names_asked(wiring: &Wiring<'_>, code: Site) -> Vec<(Site, Sym)> {
    let program = wiring.program();
    let Some(body) = program.body(code.member) else { return Vec::new() };
    let scope = program.scope(code.member);
    let pack = &program.kit_of(code.member).pack;
    let is_changed = |n: NodeId| {
        let member = match body.node(n) {
            Node::Call { callee, .. } => callee,
            _ => n,
        };
        matches!(body.node(member), Node::Member { name, .. } if pack.changed_names.contains(program.unit_of(code.member).text(name)))
    };
    let is_compared = |n: NodeId| match scope.parent(n).map(|p| (p, body.node(p))) {
        Some((_, Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right })) => is_changed(left) || is_changed(right),
        // `case "Level":`
        Some((case, Node::Case { labels, .. })) => {
            let switch = scope.parent(case).map(|p| body.node(p));
            body.list(labels).contains(&n) && matches!(switch, Some(Node::Switch { subject: Some(subject), .. }) if is_changed(subject))
        }
        // `e.getPropertyName().equals("level")`, and the other way round
        Some((_, Node::Call { callee, .. })) => match body.node(callee) {
            Node::Member { object, name, .. } => {
                pack.equality.contains(program.unit_of(code.member).text(name)) && (is_changed(object) || object == n)
            }
            _ => false,
        },
        Some((callee, Node::Member { object, name, .. })) if object == n => {
            let call = scope.parent(callee).map(|p| body.node(p));
            pack.equality.contains(program.unit_of(code.member).text(name))
                && matches!(call, Some(Node::Call { args, .. }) if body.list(args).iter().any(|a| is_changed(*a)))
        }
        _ => false,
    };
    let within = scope.within(code.node).filter(|n| matches!(body.node(*n), Node::Str(_)) && is_compared(*n));
    within.filter_map(|n| Some((Site { member: code.member, node: n }, wiring.constant_text(code.member, n)?))).collect()
}

/// The names that a channel tells, each with where it does; none where one of them is not known.
fn names_told(wiring: &Wiring<'_>, channel: &Channel) -> Option<BTreeMap<Sym, Site>> {
    let mut told = BTreeMap::new();
    let all_known = channel.raises.iter().all(|raise| tell(wiring, wiring.effects[*raise].innermost(), HOPS, &mut told));
    all_known.then_some(told)
}

/// Notes the name that a call tells, or those that its method is handed, by callers that may be handed it themselves; whether all of them
/// are known.
fn tell(wiring: &Wiring<'_>, call: Site, hops: u32, told: &mut BTreeMap<Sym, Site>) -> bool {
    if let Some(name) = wiring.property_named(call) {
        told.entry(name).or_insert(call);
        return true;
    }
    let callers = wiring.flow.callers((call.member, None));
    let Some(hops) = hops.checked_sub(1).filter(|_| !callers.is_empty() && hands_on_name(wiring, call)) else { return false };
    callers.iter().all(|(caller, _)| tell(wiring, *caller, hops, told))
}

/// Whether a raise hands on what its method is given.
fn hands_on_name(wiring: &Wiring<'_>, raise: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(raise.member) else { return false };
    let is_given = |n: NodeId| matches!(wiring.flow.eval_in(raise.member, n), Val::Param(m, None, _) if m == raise.member);
    state::any_within(body, raise.node, &|n| matches!(body.node(n), Node::Name(_)) && is_given(n))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_property_that_is_never_said_to_change() {
        expect(
            "near-miss-topic",
            r#"
//// Well.java
import java.beans.*;
class Well {
    static final String LEVEL = "level";
    private final PropertyChangeSupport support = new PropertyChangeSupport(this);
    private int level;
    private int depth;
    void addPropertyChangeListener(PropertyChangeListener l) { support.addPropertyChangeListener(l); }
    void addPropertyChangeListener(String name, PropertyChangeListener l) { support.addPropertyChangeListener(name, l); }
    void removePropertyChangeListener(PropertyChangeListener l) { support.removePropertyChangeListener(l); }
    void setLevel(int cm) { int old = level; level = cm; support.firePropertyChange(LEVEL, old, cm); }
    void setDepth(int cm) { int old = depth; depth = cm; support.firePropertyChange("depth", old, cm); }
}
class Pump implements PropertyChangeListener {
    private int runs;
    Pump(Well well) {
        well.addPropertyChangeListener(this);
        well.addPropertyChangeListener("lefel", e -> runs++); //! near-miss-topic warning
        well.addPropertyChangeListener("level", e -> runs++);
        well.addPropertyChangeListener("colour", e -> runs++);
    }
    public void propertyChange(PropertyChangeEvent e) {
        if ("levle".equals(e.getPropertyName())) runs++; //! near-miss-topic warning
        switch (e.getPropertyName()) {
            case "depth": runs = 0; break;
            case "dept": runs = 1; break; //! near-miss-topic warning
            case "temperature": runs = 2; break;
        }
        if (e.getPropertyName().equals(Well.LEVEL)) runs--;
    }
    public static void main(String[] args) { Well w = new Well(); new Pump(w); w.setLevel(2); w.setDepth(3); }
}
"#,
        );
    }
}
