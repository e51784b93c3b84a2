//! Slots that a toolkit ties by their names alone: `on_fillButton_clicked()` hears what the part `fillButton` of a form sends,
//! from where the form is set up on the object that has the slot.

use std::sync::Arc;

use yarrowgraph_ir::{MemberKind, Node, NodeId};

use super::connections::{self, MemberRef};
use super::effect::{Act, Effect};
use super::extract::Extractor;
use crate::flow::Val;
use crate::program::{MemberId, Program};

/// What the slots of such names begin with.
const PREFIX: &str = "on_";

/// One subscription for each slot of that kind; none for a call that ties nothing by name.
pub(super) fn effects(x: &Extractor<'_, '_>, node: NodeId, callee: NodeId, args: &[NodeId]) -> Option<Vec<Effect>> {
    let program = x.flow.program;
    let (object, name) = match x.body.node(callee) {
        Node::Name(name) => (None, name),
        Node::Member { object, name, .. } => (Some(object), name),
        _ => return None,
    };
    let [receiver] = args else { return None };
    if !program.kit_of(x.member).pack.connects_by_name.contains(x.text(name)) {
        return None;
    }
    let receiver = x.eval(*receiver);
    let class = x.flow.type_of(&receiver).own()?;
    let form = program.member(x.flow.callee(x.site(node))?.member).owner;
    let of_form = object.map_or_else(|| Val::This(program.member(x.member).owner), |o| x.eval(o));
    let parts: Vec<MemberId> = program.ty(form).members.iter().copied().filter(|m| program.member(*m).kind == MemberKind::Field).collect();
    let slots = program.ty(class).members.iter().filter(|m| program.decl(**m).modifiers.is_invokable);
    let tied = slots.filter_map(|slot| {
        let (part, signal) = heard(program, &parts, program.text(program.member(*slot).name))?;
        let signal = program.symbols.get(signal)?;
        let sender = Val::Member(Arc::new(of_form.clone()), part);
        let holder = connections::holder(x, sender, &MemberRef::named(signal));
        let mut effect = Effect::new(Act::Join, holder, x.site(node));
        effect.handler = Some(Val::Method(*slot, Some(Arc::new(receiver.clone()))));
        effect.context = Some(receiver.clone());
        effect.certainty = connections::certainty(&effect.holder);
        effect.tied = true;
        Some(effect)
    });
    let tied: Vec<Effect> = tied.collect();
    (!tied.is_empty()).then_some(tied)
}

/// The part and the signal that a slot's name says; of parts whose names begin alike the longest.
fn heard<'n>(program: &Program, parts: &[MemberId], slot: &'n str) -> Option<(MemberId, &'n str)> {
    let named = slot.strip_prefix(PREFIX)?;
    let signal_of = |part: &MemberId| named.strip_prefix(program.text(program.member(*part).name))?.strip_prefix('_');
    let fitting = parts.iter().filter_map(|part| Some((*part, signal_of(part)?)));
    fitting.min_by_key(|(_, signal)| signal.len())
}
