//! Rule `unmapped-code`: a declared code has no entry where things are selected by codes.

use yarrowgraph_ir::{BinaryOp, Node};
use yarrowgraph_model::{Certainty, Level};

use super::unknown_code::{table_place, unknown};
use super::{Draft, Page, Rule, related, short};
use crate::codes::{Missing, Table, same};
use crate::flow::Val;
use crate::machine::{State, is_sentinel, named};
use crate::program::Site;
use crate::wire::Wiring;

/// So many entries that give nothing may be slips.
const MOST_EMPTY: usize = 2;

pub(super) const RULE: Rule = Rule {
    name: "unmapped-code",
    summary: "a declared code has no entry where things are selected by codes",
    level: Level::Warning,
    page: Page {
        symptom: "For one code nothing happens, or something that is not there is called.",
        cause: "The code was added where codes are declared, and not to this table or choice.",
        cure: "Give it an entry, or a default that serves or refuses it.",
        silent: "A default serves or refuses what has no entry, or every declared code has one.",
        accept: "The code is none that is ever asked for here.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for table in wiring.codes() {
        if matches!(table.missing, Missing::Serves | Missing::Refuses) || wiring.in_test(table.site.member) || moves(wiring, table) {
            continue;
        }
        // where one code is asked for that is not there, that is said where it is asked
        let asked: Vec<State> = unknown(wiring, table).into_iter().map(|(_, code)| code).collect();
        let mut holes: Vec<State> = table.holes(flow);
        // several that are given nothing are so on purpose
        if table.entries.iter().filter(|e| e.ends_with_nothing && !e.guarded).count() <= MOST_EMPTY {
            holes.extend(table.entries.iter().filter(|e| e.gives_nothing && !e.guarded).map(|e| e.code));
        }
        // `enum Kind { Cut, Weld, END }`
        let declared = table.declared(flow);
        let closes = |h: &State| declared.last() == Some(h) && h.name(program).eq_ignore_ascii_case("end");
        holes.retain(|h| {
            !is_put_together(wiring, *h) && !is_sentinel(&h.name(program)) && !closes(h) && !asked.iter().any(|a| same(flow, *a, *h))
        });
        let id = program.member_id(table.member());
        if !holes.is_empty() && table.entries.len() > holes.len() {
            let names: Vec<String> = holes.iter().take(4).map(|h| format!("`{}`", h.name(program))).collect();
            let declared = holes.iter().filter_map(|h| h.place(flow)).take(3).map(|p| related("declared here", p));
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place: table_place(wiring, table),
                message: format!("{} has nothing for {}", short(&id), names.join(", ")),
                related: declared.collect(),
                parties: vec![id, names.join(",")],
                edit: None,
            });
        } else if table.missing == Missing::Unchecked && holes.is_empty() && is_open(wiring, table) {
            let unchecked = table.look_ups.iter().filter(|l| l.missing == Missing::Unchecked);
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place: table_place(wiring, table),
                message: format!("{} has no default, and what it gives for a text that comes from outside is used unchecked", short(&id)),
                related: unchecked.take(3).map(|l| related("looked up here", program.place_of(l.site))).collect(),
                parties: vec![id],
                edit: None,
            });
        }
    }
    found.extend(super::chain_codes::holes(wiring));
    found
}

/// Whether a constant stands for several others at once: `ALL = LEFT | RIGHT`.
fn is_put_together(wiring: &Wiring<'_>, code: State) -> bool {
    let program = wiring.program();
    let State::Constant(constant) = code else { return false };
    let value = program.body(constant).and_then(|body| Some((body, body.root?)));
    value.is_some_and(|(body, root)| matches!(body.node(root), Node::Binary { op: BinaryOp::BitOr, .. }))
}

/// Whether what is selected is the next state of a machine: what has none stays where it is.
fn moves(wiring: &Wiring<'_>, table: &Table) -> bool {
    let program = wiring.program();
    let stored = |site: Site| {
        let Some(body) = program.body(site.member) else { return false };
        match program.scope(site.member).parent(site.node).map(|p| body.node(p)) {
            Some(Node::Assign { target, value, .. }) if value == site.node => {
                wiring.machines().iter().any(|m| m.stores_into(&wiring.flow, site.member, target))
            }
            _ => false,
        }
    };
    table.entries.iter().any(|e| stored(e.value))
}

/// Whether codes come that no constant of the tree says.
fn is_open(wiring: &Wiring<'_>, table: &Table) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    if !table.entries.iter().all(|e| matches!(e.code, State::Text(_))) || !table.declared(flow).is_empty() {
        return false;
    }
    table.look_ups.iter().filter(|l| l.missing == Missing::Unchecked).any(|l| {
        let Some((m, index)) = l.asked_by else { return false };
        // a written type may say which texts there are, other than that of any text
        let written = program.decl(m).params.get(usize::from(index)).and_then(|p| p.ty).map(|ty| program.type_in(m, ty));
        let typed = written.is_some_and(|ty| !program.type_name(&ty).is_some_and(|name| matches!(name, "string" | "String")));
        let callers = flow.callers((m, None));
        !typed
            && callers.iter().any(|(call, _)| {
                let given = flow.argument(*call, usize::from(index));
                given.is_some_and(|g| named(flow, g.member, g.node).is_none() && comes_from_outside(wiring, g))
            })
    })
}

/// Whether a value is out of what the program was given: its arguments, what it reads.
fn comes_from_outside(wiring: &Wiring<'_>, site: Site) -> bool {
    let program = wiring.program();
    let value = wiring.flow.eval(site);
    match &value {
        Val::Local(local) => {
            let Some(body) = program.body(local.member) else { return false };
            // taken apart from a library's answer
            let scope = program.scope(local.member);
            let pattern = std::iter::once(local.node).chain(scope.ancestors(local.node)).find_map(|n| match body.node(n) {
                Node::Pattern { init: Some(init), .. } => Some(init),
                Node::Local { init: Some(init), .. } => Some(init),
                _ => None,
            });
            pattern.is_some_and(|init| is_outside(wiring, Site { member: local.member, node: init }))
        }
        _ => is_outside(wiring, site),
    }
}

fn is_outside(wiring: &Wiring<'_>, site: Site) -> bool {
    // where one is given, and something of the program's own where none is
    let ways = wiring.program().body(site.member).map(|b| b.node(site.node));
    if let Some(
        Node::Conditional { then: one, other, .. } | Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left: one, right: other },
    ) = ways
    {
        return [one, other].iter().any(|node| is_outside(wiring, Site { node: *node, ..site }));
    }
    let mut value = wiring.flow.eval(site);
    loop {
        value = match value {
            Val::Global(_) => return true,
            // what the program is started with
            Val::Param(m, None, _) => return wiring.is_entry_point(m),
            Val::Outside(of, _) | Val::Element(of, _) => (*of).clone(),
            Val::Call(call) => match wiring.flow.receiver(call) {
                Some((of, _)) if call != site => of,
                Some((of, _)) => of,
                None => return false,
            },
            _ => return false,
        };
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_code_without_an_entry() {
        expect(
            "unmapped-code",
            r#"
//// Planner.cs
using System.Collections.Generic;
namespace Marlwend;
public enum Way { Up, Down, Across, Wait }
public static class Word { public const string Lift = "lift"; public const string Drop = "drop"; public const string Hold = "hold"; }
public interface IMove { void Go(); }
public sealed class Lift : IMove { public void Go() {} }
public sealed class Drop : IMove { public void Go() {} }
public sealed class Slide : IMove { public void Go() {} }
public sealed class Planner {
    private readonly Dictionary<string, System.Func<IMove>> _words = new() { //! unmapped-code warning
        [Word.Lift] = () => new Lift(),
        [Word.Drop] = () => new Drop(),
    };
    public IMove Plan(Way way) => way switch { //! unmapped-code warning
        Way.Up => new Lift(),
        Way.Down => new Drop(),
        Way.Across => new Slide(),
        _ => null,
    };
    public IMove Must(Way way) => way switch {
        Way.Up => new Lift(),
        Way.Down => new Drop(),
        _ => throw new System.ArgumentException(),
    };
    public IMove Said(string word) => _words.TryGetValue(word, out var make) ? make() : null;
    static void Main(string[] args) { var p = new Planner(); p.Plan(Way.Up)?.Go(); p.Must(Way.Up).Go(); p.Said(args[0])?.Go(); }
}
"#,
        );
    }

    #[test]
    fn a_word_of_the_command_line_that_nothing_answers() {
        expect(
            "unmapped-code",
            r#"
//// Stamps.cs
using System;
using System.Collections.Generic;
static class Stamps {
    private static readonly Dictionary<string, Func<string, string>> Paid = new() { ["paid"] = s => s + " PAID", ["sent"] = s => s + " SENT" }; //! unmapped-code warning
    private static readonly Dictionary<string, Func<string, string>> Kept = new() { ["kept"] = s => s + " KEPT", ["gone"] = s => s + " GONE" };
    public static string Stamp(string word, string slip) {
        Paid.TryGetValue(word, out var press);
        return press!(slip);
    }
    public static string Mark(string word, string slip) {
        Kept.TryGetValue(word, out var press);
        return press == null ? slip : press(slip);
    }
    public static void Main(string[] args) {
        var word = args.Length > 0 ? args[0] : "paid";
        Console.WriteLine(Stamp(word, "a") + Mark(word, "b"));
    }
}
"#,
        );
    }

    #[test]
    fn flags_and_constants_of_several() {
        expect(
            "unmapped-code",
            r#"
//// valve.cpp
struct Valve { virtual ~Valve() {} };
struct Upper : Valve {};
struct Lower : Valve {};
struct Both : Valve {};
enum Kind { UPPER = 1, LOWER = 2, ALL = UPPER | LOWER };
Valve* make(Kind kind) {
    switch (kind) {
    case UPPER: return new Upper();
    case LOWER: return new Lower();
    default: return nullptr;
    }
}
int main() { delete make(UPPER); delete make(LOWER); }
"#,
        );
    }
}
