//! Rule `self-echo`: a broadcast is delivered to its own sender, whose answer is another broadcast.

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::mediator::To;
use crate::program::{MemberId, Site, TypeId};
use crate::wire::Wiring;

pub(super) const RULE: Rule = Rule {
    name: "self-echo",
    summary: "a broadcast is delivered to its own sender, whose answer is another broadcast",
    level: Level::Warning,
    page: Page {
        symptom: "One message sets off an endless round, or everything is done twice.",
        cause: "The mediator tells all, the sender among them, and the sender sends again when it is told.",
        cure: "Leave the sender out, or let it not answer what it sent itself.",
        silent: "The sender is left out, or what it does when it is told sends nothing.",
        accept: "The answer ends the round by what it says.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for mediator in wiring.mediators().iter().filter(|m| !m.channels.is_empty()) {
        for route in mediator.routes.iter().filter(|r| r.to == To::All) {
            let deliverer = route.site.member;
            // a colleague that is told so, and sends by the same way
            let echo = mediator.colleagues.iter().find_map(|c| {
                let told = program.find_member_as(c.class, route.method, true)?;
                let sends = sends(wiring, told, c.class, deliverer, mediator.class, 2)?;
                (!is_barred(wiring, told, sends.member)).then_some((c.class, sends))
            });
            let Some((class, sends)) = echo else { continue };
            let (id, of) = (program.type_id(class), program.type_id(mediator.class));
            let name = program.text(route.method);
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place: crate::wire::operation_place(program, route.site),
                message: format!("this tells the sender as well, and {}.{name} sends again", short(&id)),
                related: vec![related("sends again", crate::wire::operation_place(program, sends))],
                parties: vec![wiring.channels[mediator.channels[0]].id.clone(), of, id],
                edit: None,
            });
        }
    }
    found
}

/// Whether a method asks a field of its object that the method which sends sets to a constant, as a flag does that keeps off what
/// comes back meanwhile: `if (sending) return;`
fn is_barred(wiring: &Wiring<'_>, told: MemberId, sending: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(told) else { return false };
    let scope = program.scope(told);
    let own_field = |at: MemberId, n: NodeId| flow.eval_in(at, n).own_field();
    let conds = body.ids().filter_map(|n| match body.node(n) {
        Node::If { cond, .. } | Node::Conditional { cond, .. } => Some(cond),
        _ => None,
    });
    let asked: Vec<MemberId> = conds.flat_map(|cond| scope.within(cond)).filter_map(|n| own_field(told, n)).collect();
    let Some(body) = program.body(sending) else { return false };
    body.ids().any(|n| match body.node(n) {
        Node::Assign { target, value, .. } => {
            matches!(body.node(value), Node::Bool(_)) && own_field(sending, target).is_some_and(|field| asked.contains(&field))
        }
        _ => false,
    })
}

/// Where a method of a colleague, or one that it calls on itself, sends by the method that delivers.
fn sends(wiring: &Wiring<'_>, method: MemberId, class: TypeId, deliverer: MemberId, mediator: TypeId, depth: u32) -> Option<Site> {
    let program = wiring.program();
    let body = program.body(method)?;
    let calls = body.ids().filter(|n| matches!(body.node(*n), Node::Call { .. })).map(|node| Site { member: method, node });
    let mut called = calls.filter_map(|call| Some((call, wiring.flow.callee(call)?.member)));
    called.find_map(|(call, callee)| {
        if reaches(wiring, callee, deliverer, mediator, 3) {
            return Some(call);
        }
        let depth = depth.checked_sub(1)?;
        let is_own = callee != method && program.is_a(class, program.member(callee).owner);
        is_own.then(|| sends(wiring, callee, class, deliverer, mediator, depth)).flatten()
    })
}

/// Whether a method of a mediator, or what it stands for, comes to the method that delivers.
fn reaches(wiring: &Wiring<'_>, method: MemberId, deliverer: MemberId, mediator: TypeId, depth: u32) -> bool {
    let program = wiring.program();
    let owner = program.member(method).owner;
    if !program.is_a(mediator, owner) {
        return false;
    }
    let method = program.find_member_as(mediator, program.member(method).name, true).unwrap_or(method);
    if method == deliverer {
        return true;
    }
    let (Some(depth), Some(body)) = (depth.checked_sub(1), program.body(method)) else { return false };
    body.ids().any(|node| {
        matches!(body.node(node), Node::Call { .. })
            && wiring
                .flow
                .callee(Site { member: method, node })
                .is_some_and(|c| c.member != method && reaches(wiring, c.member, deliverer, mediator, depth))
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn the_sender_hears_itself() {
        expect(
            "self-echo",
            r#"
//// desk.ts
interface Post { hear(from: Post, text: string): void; }
class Desk {
  private posts: Post[] = [];
  admit(post: Post): void { this.posts.push(post); }
  all(from: Post, text: string): void {
    for (const post of this.posts) post.hear(from, text); //! self-echo warning
  }
  others(from: Post, text: string): void {
    for (const post of this.posts) if (post !== from) post.hear(from, text);
  }
}
class Lights implements Post {
  constructor(private readonly desk: Desk) { desk.admit(this); }
  check(): void { this.desk.all(this, 'stand by'); }
  hear(from: Post, text: string): void { if (text === 'stand by') this.desk.all(this, 'lights standing by'); }
}
class Bell implements Post {
  constructor(private readonly desk: Desk) { desk.admit(this); }
  ring(): void { this.desk.others(this, 'bell'); }
  hear(from: Post, text: string): void { console.log(text); }
}
const desk = new Desk();
new Lights(desk).check();
new Bell(desk).ring();
"#,
        );
    }

    #[test]
    fn a_flag_keeps_off_what_comes_back() {
        let code = |asked: &str, level: &str| {
            format!(
                r#"
//// desk.ts
interface Post {{ hear(from: Post, text: string): void; }}
class Desk {{
  private posts: Post[] = [];
  admit(post: Post): void {{ this.posts.push(post); }}
  all(from: Post, text: string): void {{
    for (const post of this.posts) post.hear(from, text); {level}
  }}
}}
class Lights implements Post {{
  private sending = false;
  constructor(private readonly desk: Desk) {{ desk.admit(this); }}
  hear(from: Post, text: string): void {{ {asked} this.check(); }}
  check(): void {{
    this.sending = true;
    this.desk.all(this, 'lights standing by');
    this.sending = false;
  }}
}}
class Bell implements Post {{
  constructor(private readonly desk: Desk) {{ desk.admit(this); }}
  ring(): void {{ this.desk.all(this, 'bell'); }}
  hear(from: Post, text: string): void {{ console.log(text); }}
}}
const desk = new Desk();
new Lights(desk).check();
new Bell(desk).ring();
"#
            )
        };
        expect("self-echo", &code("if (this.sending) return;", ""));
        expect("self-echo", &code("if (text === '') return;", "//! self-echo warning"));
    }

    #[test]
    fn objects_of_one_class_by_a_method_of_their_own() {
        expect(
            "self-echo",
            r#"
//// Pier.cs
using System.Collections.Generic;
public class Pier {
    private readonly List<Ship> ships = new List<Ship>();
    public void Enter(Ship s) { ships.Add(s); s.Pier = this; }
    public void Call(Ship from, string text) {
        foreach (var s in ships) s.Hear(text); //! self-echo warning
    }
}
public class Ship {
    public Pier Pier { get; set; }
    public void Say(string text) => Pier.Call(this, text);
    public void Hear(string text) { if (text == "who") Say("here"); }
}
public static class Port {
    public static void Main() {
        var pier = new Pier();
        var ship = new Ship();
        pier.Enter(ship); pier.Enter(new Ship());
        ship.Say("who");
    }
}
"#,
        );
    }
}
