//! Which collections hold those who are told.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node};

use crate::program::MemberId;
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;
use crate::wire::effect::{Act, Effect, Event};

impl Wiring<'_> {
    /// The collections of the tree that are walked to tell their elements something: channels, and where nothing is
    /// typed those that somebody joins by one method, leaves by another and is told by a third.
    pub fn rosters(&self) -> BTreeSet<MemberId> {
        let program = self.program();
        let mut found = self.told_members();
        let by_act = |act: Act| -> BTreeSet<MemberId> {
            let own = self.effects.iter().filter(|e| e.act == act && !self.in_test(e.site.member));
            own.filter_map(|e| match e.holder.event {
                // a composite passes on what it is told itself
                Event::Own(m) if e.message.is_some_and(|name| program.find_member(program.member(m).owner, name).is_some()) => None,
                Event::Own(m) if program.kit_of(m).traits.duck_typed => Some(m),
                _ => None,
            })
            .collect()
        };
        let (out, told) = (by_act(Act::Leave), by_act(Act::Raise));
        found.extend(by_act(Act::Join).into_iter().filter(|m| out.contains(m) && told.contains(m)));
        found.retain(|m| self.is_list(*m) && !self.asks_its_parts(*m));
        found
    }

    /// Whether a collection holds the parts of a whole that is one of them itself, and only questions go through it.
    fn asks_its_parts(&self, m: MemberId) -> bool {
        let program = self.program();
        let info = program.member(m);
        let element = program.element_type(info.unit, &self.flow.type_held(m)).and_then(|t| t.own());
        let is_question = |e: &&Effect| {
            let (Some(body), scope) = (program.body(e.site.member), program.scope(e.site.member)) else { return false };
            scope.parent(e.site.node).is_some_and(|around| match body.node(around) {
                Node::If { cond, .. } | Node::Conditional { cond, .. } => cond == e.site.node,
                Node::Unary { .. } | Node::Binary { .. } => true,
                _ => false,
            })
        };
        let told = || self.effects_on(m).filter(|e| e.act == Act::Raise);
        element.is_some_and(|t| program.is_a(info.owner, t)) && told().next().is_some() && told().all(|e| is_question(&e))
    }

    /// The members that hold those who are told something.
    pub fn told_members(&self) -> BTreeSet<MemberId> {
        let told = self.channels.iter().filter(|c| !c.raises.is_empty());
        told.filter_map(|c| if let ChannelKey::Own(m, _) = c.key { Some(m) } else { None }).collect()
    }

    /// Whether a field holds a collection, by its type or by what it is given.
    pub fn is_list(&self, m: MemberId) -> bool {
        let program = self.program();
        let info = program.member(m);
        let is_literal =
            |d: &crate::program::Site| program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Collection { .. }));
        matches!(info.kind, MemberKind::Field | MemberKind::Property)
            && (program.element_type(info.unit, &self.flow.type_held(m)).is_some() || self.flow.definitions(m).iter().any(is_literal))
    }
}
