//! The text form of the linked program, for tests and for the hidden `debug` command.

use std::fmt::Write;

use super::{Program, Ty, TypeId};

/// Writes types with their bases and members, one a line.
pub fn dump(program: &Program) -> String {
    let mut out = String::new();
    for index in 0..program.types.len() {
        let id = TypeId(index as u32);
        let ty = program.ty(id);
        let kind = if ty.is_module { "Module".to_owned() } else { format!("{:?}", ty.kind) };
        let bases: Vec<String> = ty.bases.iter().map(|b| describe(program, b)).collect();
        // writing to a String cannot fail
        let _ = write!(out, "{kind} {}", program.type_id(id));
        if !bases.is_empty() {
            let _ = write!(out, " : {}", bases.join(", "));
        }
        let _ = writeln!(out);
        for &member in &ty.members {
            let declared = program.declared_type(member);
            let _ = writeln!(out, "  {:?} {} : {}", program.member(member).kind, program.member_id(member), describe(program, &declared));
        }
    }
    out
}

/// A type as text.
pub(crate) fn describe(program: &Program, ty: &Ty) -> String {
    let list = |args: &[Ty]| args.iter().map(|a| describe(program, a)).collect::<Vec<_>>().join(", ");
    match ty {
        Ty::Unknown => "?".into(),
        Ty::Own(id, args) if args.is_empty() => program.type_id(*id),
        Ty::Own(id, args) => format!("{}<{}>", program.type_id(*id), list(args)),
        Ty::Outside(name, args) if args.is_empty() => format!("outside {}", program.text(*name)),
        Ty::Outside(name, args) => format!("outside {}<{}>", program.text(*name), list(args)),
        Ty::Array(of) => format!("{}[]", describe(program, of)),
        Ty::Function(result) => format!("function: {}", describe(program, result)),
        Ty::Param(name, _) => format!("param {}", program.text(*name)),
        Ty::Static(id) => format!("static {}", program.type_id(*id)),
        Ty::Record(_) => "record".into(),
    }
}
