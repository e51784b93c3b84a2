//! Methods that a container puts on a bus by itself, as their annotation or their interface asks it to: no call says so.

use std::sync::Arc;

use yarrowgraph_ir::MemberKind;

use super::effect::{Act, Effect, Event, Holder};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Site, Sym, Ty};

/// The subscription of a member, if it is such a method.
pub(super) fn effect(flow: &Flow<'_>, member: MemberId) -> Option<Effect> {
    let program = flow.program;
    let info = program.member(member);
    if info.kind != MemberKind::Method {
        return None;
    }
    let (bus, topic) = by_annotation(program, member).or_else(|| by_interface(program, member))?;
    let key = topic.or_else(|| told_about(program, member))?;
    let site = Site { member, node: program.body(member)?.root? };
    let owner = Val::This(info.owner);
    let holder = Holder { subject: Val::Global(bus), event: Event::Bus, key: Some(key) };
    let mut effect = Effect::new(Act::Join, holder, site);
    effect.handler = Some(Val::Method(member, Some(Arc::new(owner.clone()))));
    effect.context = Some(owner);
    effect.by_container = true;
    // it is taken off with the object, too
    effect.tied = true;
    effect.bounded = true;
    Some(effect)
}

fn by_annotation(program: &Program, member: MemberId) -> Option<(Sym, Option<Val>)> {
    let (decl, unit) = (program.decl(member), program.unit_of(member));
    let attached = &program.kit_of(member).pack.attached;
    decl.annotations.iter().find_map(|annotation| {
        let name = unit.text(annotation.name).rsplit('.').next()?;
        let (_, bus) = attached.iter().find(|(known, _)| known == name)?;
        // a text names the topic
        let topic = annotation.args.iter().find_map(|(_, value)| {
            let text = unit.text(*value);
            let inner = text.trim_matches(['"', '\'', '`']);
            (inner.len() + 2 == text.len()).then(|| program.symbols.get(inner)).flatten()
        });
        Some((program.symbols.get(bus)?, topic.map(Val::Str)))
    })
}

fn by_interface(program: &Program, member: MemberId) -> Option<(Sym, Option<Val>)> {
    let info = program.member(member);
    let attached = &program.kit_of(member).pack.attached_by_type;
    let named: Vec<_> = attached.iter().filter(|(_, method, _)| method == program.text(info.name)).collect();
    if named.is_empty() {
        return None;
    }
    let bases = program.outside_bases(info.owner);
    let (_, _, bus) = named.into_iter().find(|(base, ..)| bases.iter().any(|b| program.text(*b) == base))?;
    Some((program.symbols.get(bus)?, None))
}

/// The type of the message that a method takes.
fn told_about(program: &Program, member: MemberId) -> Option<Val> {
    let ty = program.decl(member).params.first()?.ty?;
    match program.type_in(member, ty) {
        Ty::Own(t, _) => Some(Val::Type(t)),
        Ty::Outside(name, _) => Some(Val::Global(name)),
        _ => None,
    }
}
