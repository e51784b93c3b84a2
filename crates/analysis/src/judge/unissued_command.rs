//! Rule `unissued-command`: a concrete command is never created.

use yarrowgraph_ir::Visibility;
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::TypeId;
use crate::wire::Wiring;

mod unsent;

pub(super) use unsent::is_of_unsent;

pub(super) const RULE: Rule = Rule {
    name: "unissued-command",
    summary: "a concrete command is never created",
    level: Level::Warning,
    page: Page {
        symptom: "A command is written and never carried out.",
        cause: "Nothing makes an object of its class: it was left over, or its entry in a factory was forgotten.",
        cure: "Give it an entry where the others have theirs, or take it away.",
        silent: "No other command of its kind is made either, it is made by a container or by name, or other trees can make it.",
        accept: "It is kept for callers outside of the tree.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let commands = &wiring.commands().commands;
    let mut found = Vec::new();
    for command in commands.values() {
        let class = program.ty(command.class);
        let others =
            commands.values().filter(|c| c.class != command.class && c.operation != command.operation && !c.created.is_empty()).count();
        let heirs = program.heirs(command.class).len() > 1;
        let is_open = wiring.is_open && class.modifiers.visibility == Visibility::Public;
        let named = program.index.reads(class.name).iter().any(|s| wiring.flow.eval(*s) == Val::Type(command.class))
            || wiring.is_named_in_markup(program.text(class.name));
        if !command.created.is_empty()
            || others == 0
            || heirs
            || is_open
            || named
            || wiring.is_test_type(command.class)
            || wiring.is_unread(class.name)
        {
            continue;
        }
        let annotated = program.type_decl(command.class).is_some_and(|d| !d.annotations.is_empty());
        if annotated || written_about(wiring, command.class) || program.type_arguments(command.class).next().is_some() {
            continue;
        }
        // what is handed the class may make its objects, and one with type parameters may go by other names
        if program.is_type_argument(class.name) || !class.params.is_empty() {
            continue;
        }
        let Some(place) = program.type_place(command.class) else { continue };
        let id = program.type_id(command.class);
        found.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place,
            message: format!("nothing creates the command {}", short(&id)),
            related: vec![related("what it would do", program.member_place(command.operation))],
            parties: vec![id],
            edit: None,
        });
    }
    found.extend(unsent::check(wiring));
    found
}

/// Whether a text holds the class's name, so that it may be made by it.
fn written_about(wiring: &Wiring<'_>, class: TypeId) -> bool {
    let program = wiring.program();
    let name = program.text(program.ty(class).name);
    program.index.is_text(name, &program.symbols)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_command_that_nobody_makes() {
        expect(
            "unissued-command",
            r#"
//// Orders.cs
using System.Collections.Generic;
namespace Marlwend;
class Sluice { public void Raise(int notches) {} public void Drop() {} }
interface IOrder { void Carry(); }
class RaiseSluice : IOrder { readonly Sluice _s; public RaiseSluice(Sluice s) => _s = s; public void Carry() => _s.Raise(3); }
class DropSluice : IOrder { readonly Sluice _s; public DropSluice(Sluice s) => _s = s; public void Carry() => _s.Drop(); } //! unissued-command warning
class Desk {
    readonly Queue<IOrder> _orders = new Queue<IOrder>();
    public void Take(IOrder order) => _orders.Enqueue(order);
    public void Work() { while (_orders.Count > 0) _orders.Dequeue().Carry(); }
    static void Main() { var desk = new Desk(); desk.Take(new RaiseSluice(new Sluice())); desk.Work(); }
}
"#,
        );
    }
}
