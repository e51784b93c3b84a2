//! Rule `vanishing-subscription`: what nothing else holds is given to a roster that holds weakly.

use yarrowgraph_ir::Node;
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::{Val, is_override};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::Effect;

pub(super) const RULE: Rule = Rule {
    name: "vanishing-subscription",
    summary: "what nothing else holds is given to a roster that holds weakly, and is gone at once",
    level: Level::Warning,
    page: Page {
        symptom: "A handler is told for a while, or never; after a collection of garbage it is silent.",
        cause: "The subject holds its observers weakly, and this one is made on the spot: nothing else keeps it.",
        cure: "Keep the handler in a field of its subscriber, and give that to the subject.",
        silent: "The handler is held in a field or variable that lives on, or by what it is handed through; the call may as well reach a way in that holds it.",
        accept: "It is meant to be heard only until memory is needed.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let joins = wiring.channels.iter().flat_map(|c| c.joins.iter().map(move |j| (c, &wiring.effects[*j])));
    joins.filter(|(_, e)| e.weak && !wiring.in_test(e.site.member)).filter_map(|(c, e)| judge(wiring, c, e)).collect()
}

fn judge(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let written = effect.handler_node?;
    // a library that is given a pointer forgets what has gone, and what nobody deletes does not go
    if program.kit_of(written.member).traits.references_dangle && !matches!(channel.key, ChannelKey::Own(..)) {
        return None;
    }
    let body = program.body(written.member)?;
    let made_here = match effect.handler.as_ref()? {
        // written where it is handed over, not held by a name
        Val::Lambda(member, function) => {
            // a pointer that is made around it is as fresh
            let made = match body.node(written.node) {
                Node::Call { args, .. } | Node::New { args, .. } if args.len == 1 => body.list(args)[0],
                _ => written.node,
            };
            matches!(body.node(made), Node::Lambda(f) if f == *function && *member == written.member)
        }
        Val::New(site) => {
            let parent = program.scope(written.member).parent(written.node).map(|p| body.node(p));
            let is_named = matches!(parent, Some(Node::Local { .. } | Node::Assign { .. }));
            *site == written && !is_named && !holds_itself(wiring, effect)
        }
        _ => false,
    };
    if !made_here || may_be_held_otherwise(wiring, effect) {
        return None;
    }
    let what = short(&channel.id);
    let handler = short(&crate::wire::handler_name(wiring, effect));
    let held = match channel.key {
        ChannelKey::Own(m, _) => vec![related(format!("`{what}` holds weakly"), program.member_place(m))],
        _ => Vec::new(),
    };
    Some(Draft {
        level: Level::Warning,
        certainty: Certainty::Certain,
        place: wiring.place(effect),
        message: format!("`{handler}` is held by nothing but `{what}`, which holds weakly: it is gone at once"),
        related: held,
        parties: vec![channel.id.clone(), handler, program.member_id(effect.site.member)],
        edit: None,
    })
}

/// Whether the call may as well reach another way in than the one that holds weakly.
fn may_be_held_otherwise(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let (Some(within), Some(callee)) = (effect.inner.last(), flow.callee(effect.site)) else { return false };
    let named = callee.member;
    let info = program.member(named);
    let ways = program.heirs(info.owner).into_iter().flat_map(|heir| program.own_members(heir, info.name).iter().copied());
    let mut others = ways.filter(|way| *way != within.member && program.body(*way).is_some());
    within.member != named && others.any(|way| way == named || is_override(flow, way, named))
}

/// Whether the constructor of what is made hands itself to somebody, who may keep it.
fn holds_itself(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let Some(Val::New(site)) = &effect.handler else { return false };
    // what is given to its owner at birth is kept by it
    let given = wiring.program().body(site.member).is_some_and(|body| match body.node(site.node) {
        Node::New { args, .. } => body.list(args).iter().any(|a| matches!(body.node(*a), Node::This)),
        _ => false,
    });
    if given {
        return true;
    }
    let Some(class) = wiring.flow.type_of(&Val::New(*site)).own() else { return true };
    let program = wiring.program();
    let constructors = program.ty(class).members.iter().filter(|m| program.member(**m).kind == yarrowgraph_ir::MemberKind::Constructor);
    constructors.into_iter().any(|c| {
        program.body(*c).is_some_and(|body| {
            (0..body.nodes.len()).map(yarrowgraph_ir::NodeId::new).any(|n| match body.node(n) {
                Node::Call { args, .. } => body.list(args).iter().any(|a| matches!(body.node(*a), Node::This)),
                Node::Assign { value, .. } => matches!(body.node(value), Node::This),
                _ => false,
            })
        })
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn what_only_a_weak_roster_holds() {
        expect(
            "vanishing-subscription",
            r#"
//// sea/Chart.java
package sea;
import java.lang.ref.WeakReference;
import java.util.*;
interface Depth { void at(int m); }
class Ship {
    private final List<WeakReference<Depth>> ears = new ArrayList<>();
    void hail(Depth d) { ears.add(new WeakReference<>(d)); }
    void sound(int m) { for (WeakReference<Depth> e : ears) { Depth d = e.get(); if (d != null) d.at(m); } }
}
class Chart {
    private int last;
    private final Depth kept = m -> last = m;
    Chart(Ship ship) {
        ship.hail(kept);
        ship.hail(m -> last = -m); //! vanishing-subscription warning
    }
    public static void main(String[] args) { Ship s = new Ship(); new Chart(s); s.sound(4); }
}
"#,
        );
    }

    #[test]
    fn a_weak_roster_of_anything() {
        expect(
            "vanishing-subscription",
            r#"
//// Ship.cs
using System;
using System.Collections.Generic;
public sealed class WeakRoster<T> where T : class {
    private readonly List<WeakReference<T>> _refs = new();
    public void Add(T one) => _refs.Add(new WeakReference<T>(one));
    public void Tell(Action<T> call) {
        for (var i = _refs.Count - 1; i >= 0; i--) {
            if (_refs[i].TryGetTarget(out var one)) call(one); else _refs.RemoveAt(i);
        }
    }
}
public sealed class Ship {
    private readonly WeakRoster<Action<double>> _near = new();
    public void Hail(Action<double> ear) => _near.Add(ear);
    public void Roll(double metres) => _near.Tell(ear => ear(metres));
}
public sealed class Chart {
    private readonly Action<double> _kept;
    private double _last;
    public Chart(Ship ship) {
        _kept = m => _last = m;
        ship.Hail(_kept);
        ship.Hail(m => _last = -m); //! vanishing-subscription warning
    }
    public static void Main() { var ship = new Ship(); new Chart(ship); ship.Roll(4); }
}
"#,
        );
    }

    #[test]
    fn what_nobody_deletes_stays() {
        expect(
            "vanishing-subscription",
            r#"
//// tabs.cpp
class WheelFilter : public QObject {
protected:
    bool eventFilter(QObject *o, QEvent *e) { return false; }
};
class Quay : public QMainWindow {
public:
    Quay(QTabBar *bar) { bar->installEventFilter(new WheelFilter()); }
};
"#,
        );
    }
}
