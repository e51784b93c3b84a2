//! Objects that are handed to a bus whole: it tells their annotated methods, each about the type
//! of its parameter.

use std::sync::Arc;

use yarrowgraph_model::Certainty;

use super::effect::Effect;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Ty, TypeId};

/// One effect for each method that is told; none where no such method is seen.
pub(super) fn expand(flow: &Flow<'_>, effect: &Effect) -> Option<Vec<Effect>> {
    let handler = effect.handler.as_ref()?;
    let Ty::Own(ty, _) = flow.type_of(handler) else { return None };
    let own = told_methods(flow, ty);
    let is_exact = !own.is_empty();
    // behind an interface it is the methods of whatever implements it
    let methods = if is_exact { own } else { flow.program.heirs(ty).into_iter().flat_map(|t| told_methods(flow, t)).collect() };
    let mut all: Vec<Effect> = Vec::new();
    for (method, key) in methods {
        if all.iter().any(|e| e.holder.key.as_ref() == Some(&key)) && !is_exact {
            continue;
        }
        let mut one = effect.clone();
        one.holder.key = Some(key);
        one.handler = Some(if is_exact { Val::Method(method, Some(Arc::new(handler.clone()))) } else { handler.clone() });
        if !is_exact {
            one.certainty = one.certainty.min(Certainty::Likely);
        }
        all.push(one);
    }
    (!all.is_empty()).then_some(all)
}

/// The annotated methods of a type and of its own bases, each with the type that it is told about.
fn told_methods(flow: &Flow<'_>, ty: TypeId) -> Vec<(MemberId, Val)> {
    let program = flow.program;
    let mut found = Vec::new();
    program.for_each_base(ty, &mut |t| {
        for &m in &program.ty(t).members {
            if !program.is_annotated(m, &program.kit_of(m).pack.handler_annotations) {
                continue;
            }
            match program.decl(m).params.first().and_then(|p| p.ty).map(|t| program.type_in(m, t)) {
                Some(Ty::Own(t, _)) => found.push((m, Val::Type(t))),
                Some(Ty::Outside(name, _)) => found.push((m, Val::Global(name))),
                _ => {}
            }
        }
        true
    });
    found
}
