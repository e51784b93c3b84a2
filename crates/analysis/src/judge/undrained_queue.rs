//! Rule `undrained-queue`: commands are queued, and nothing takes them off and runs them.

use std::collections::BTreeSet;

use yarrowgraph_ir::{MemberKind, Node, NodeId, Visibility};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::chain::behaviour::method_call_of;
use crate::command::{Commands, Holder, Holds};
use crate::flow::Val;
use crate::program::{MemberId, Site, Ty, TypeId};
use crate::state::{How, is_statement};
use crate::wire::Wiring;
use crate::wire::handles::keeper;

pub(super) const RULE: Rule = Rule {
    name: "undrained-queue",
    summary: "commands are queued, and nothing takes them off and runs them",
    level: Level::Error,
    page: Page {
        symptom: "Orders are accepted and never carried out.",
        cause: "The loop that should run them was never written, made or started.",
        cure: "Take the commands off and run them: at the end of a round, on a timer, or by a worker.",
        silent: "The list is handed out, or something is taken from it.",
        accept: "Another program takes what is listed.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    let commands = wiring.commands();
    for holder in &commands.undrained {
        if !is_only_filled(wiring, holder.field) {
            continue;
        }
        found.push(of_holder(wiring, holder, ("commands", "and nothing takes them off")));
    }
    found.extend(of_functions(wiring, commands));
    found.extend(of_wrapped(wiring, commands));
    // what would run them is never called
    let of_commands = commands.invokers.iter().map(|i| ("commands", &i.holder, i.holds));
    // what is there for all is often run by code that is no part of the tree
    let of_objects = commands.of_functions.iter().filter(|(holder, _)| !program.member(holder.field).is_static);
    let of_functions = of_objects.map(|(holder, holds)| ("functions", holder, *holds));
    for (what, holder, _) in of_commands.chain(of_functions).filter(|(.., holds)| matches!(holds, Holds::Queue | Holds::Stack)) {
        let runs: BTreeSet<MemberId> = holder.taken.iter().map(|(s, _)| s.member).chain(holder.run.iter().map(|s| s.member)).collect();
        let never = |m: &MemberId| is_never_called(wiring, *m) || is_never_started(wiring, *m) || is_handed_to_no_lane(wiring, *m);
        if !runs.is_empty() && runs.iter().all(never) && holder.filled.iter().any(|(s, _)| !is_never_called(wiring, s.member)) {
            let first = runs.first().map(|m| short(&program.member_id(*m))).unwrap_or_default();
            found.push(of_holder(wiring, holder, (what, &format!("and nothing calls {first}, which would run them"))));
        }
    }
    found
}

/// Queues of functions that are only filled.
fn of_functions(wiring: &Wiring<'_>, commands: &Commands) -> Vec<Draft> {
    let program = wiring.program();
    let holds_functions = |field: MemberId| program.is_callable(program.member(field).unit, &wiring.flow.element_held(field));
    let is_queue = |field: MemberId| {
        wiring.flow.is_queue(field) && holds_functions(field)
            || is_list_of_work(wiring, field) && (holds_functions(field) || is_given_functions(wiring, field))
    };
    let fields = wiring.written_fields().filter(|f| is_queue(*f) && !commands.undrained.iter().any(|h| h.field == *f));
    fields
        .filter_map(|field| {
            let fills = wiring.writes(field).iter().filter(|w| matches!(w.how, How::Within) && !wiring.in_test(w.site.member));
            let fills: Vec<Site> = fills.map(|w| w.site).collect();
            left_filled(wiring, field, "functions", &fills)
        })
        .collect()
}

/// Queues of records that carry a command each, beside what the queue is ordered by, and that are only filled.
fn of_wrapped(wiring: &Wiring<'_>, commands: &Commands) -> Vec<Draft> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let is_command = |ty: &Ty| ty.own().is_some_and(|base| commands.commands.keys().any(|class| program.is_a(*class, base)));
    let carries = |record: TypeId| {
        let is_field = |m: &&MemberId| matches!(program.member(**m).kind, MemberKind::Field | MemberKind::Property);
        let fields = program.ty(record).members.iter().filter(is_field);
        let does = |m: &MemberId| matches!(program.member(*m).kind, MemberKind::Method | MemberKind::Event);
        !program.ty(record).members.iter().any(does) && fields.filter(|m| is_command(&flow.type_held(**m))).count() == 1
    };
    let is_queue = |field: &MemberId| {
        let listed = wiring.is_list(*field) || flow.is_queue(*field);
        listed && flow.element_held(*field).own().is_some_and(carries)
    };
    wiring
        .written_fields()
        .filter(is_queue)
        .filter_map(|field| {
            let pack = &program.kit_of(field).pack;
            let puts = |site: Site| flow.receiver(site).is_some_and(|(_, name)| pack.adds.contains(program.text(name)));
            let fills = wiring.writes(field).iter().map(|w| w.site).filter(|site| puts(*site) && !wiring.in_test(site.member));
            let fills: Vec<Site> = fills.collect();
            left_filled(wiring, field, "commands", &fills)
        })
        .collect()
}

/// Whether a list says by its name, or by those of the methods that put something there, that what is there waits to be done. By its
/// shape alone it could as well be one of listeners.
fn is_list_of_work(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let ends_with_work = |name: &str| {
        let name = name.trim_matches(['_', '#']).trim_end_matches('s').to_lowercase();
        ["queue", "job", "task", "pending", "todo", "waiting", "backlog", "chore", "errand", "deferred", "work", "later"]
            .iter()
            .any(|word| name.ends_with(word))
    };
    let puts_off = |site: &Site| {
        let name = program.text(program.member(site.member).name).to_lowercase();
        ["enqueue", "queue", "schedule", "submit", "defer", "postpone"].iter().any(|word| name.starts_with(word))
    };
    wiring.is_list(field)
        && (ends_with_work(program.text(program.member(field).name))
            || wiring.writes(field).iter().filter(|w| matches!(w.how, How::Within)).any(|w| puts_off(&w.site)))
}

/// Whether functions are put into a list that does not say what it holds, on the spot or by those who call what does it.
fn is_given_functions(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let flow = &wiring.flow;
    let program = wiring.program();
    let put = |site: &Site| match program.body(site.member).map(|b| (b, b.node(site.node))) {
        Some((body, Node::Call { args, .. })) => body.list(args).last().map(|a| Site { member: site.member, node: *a }),
        _ => None,
    };
    let is_function = |given: &Site| match flow.eval(*given) {
        Val::Param(of, None, index) => {
            let calls = flow.call_sites(of);
            let handed = |call: &Site| flow.argument(*call, usize::from(index)).is_some_and(|a| flow.eval(a).is_function());
            !calls.is_empty() && calls.iter().all(handed)
        }
        value => value.is_function(),
    };
    let mut fills = wiring.writes(field).iter().filter(|w| matches!(w.how, How::Within)).map(|w| put(&w.site)).peekable();
    fills.peek().is_some() && fills.all(|given| given.is_some_and(|g| is_function(&g)))
}

fn of_holder(wiring: &Wiring<'_>, holder: &Holder, what: (&str, &str)) -> Draft {
    let fills: Vec<Site> = holder.filled.iter().map(|(site, _)| *site).collect();
    draft(wiring, holder.field, what, &fills)
}

fn draft(wiring: &Wiring<'_>, field: MemberId, (what, why): (&str, &str), fills: &[Site]) -> Draft {
    let program = wiring.program();
    let id = program.member_id(field);
    Draft {
        level: Level::Error,
        certainty: Certainty::Likely,
        place: program.member_place(field),
        message: format!("{what} are put into {}, {why}", short(&id)),
        related: fills.iter().take(3).map(|s| related("put there", crate::wire::operation_place(program, *s))).collect(),
        parties: vec![id],
        edit: None,
    }
}

/// The finding that something is put into a field, and that this is all that is done with it.
fn left_filled(wiring: &Wiring<'_>, field: MemberId, what: &str, fills: &[Site]) -> Option<Draft> {
    let is_left = !fills.is_empty() && is_only_filled(wiring, field);
    is_left.then(|| draft(wiring, field, (what, "and nothing takes them off"), fills))
}

/// Whether a list is only added to and counted.
fn is_only_filled(wiring: &Wiring<'_>, field: MemberId) -> bool {
    let program = wiring.program();
    let is_open = wiring.is_open && program.decl(field).modifiers.visibility == Visibility::Public;
    !is_open
        && program.index.reads(program.member(field).name).iter().all(|read| {
            if !matches!(wiring.flow.eval(*read), Val::Member(_, m) | Val::Static(m) if m == field) {
                return true;
            }
            let Some(body) = program.body(read.member) else { return false };
            let scope = program.scope(read.member);
            let pack = &program.kit_of(read.member).pack;
            let Some(parent) = scope.parent(read.node) else { return false };
            match body.node(parent) {
                // where it is made
                Node::Assign { target, .. } => target == read.node,
                Node::Member { object, name, .. } if object == read.node => {
                    let text = program.unit_of(read.member).text(name);
                    let call = scope.parent(parent).filter(|c| matches!(body.node(*c), Node::Call { callee, .. } if callee == parent));
                    let is_put_in_order =
                        |call: NodeId| pack.rearranges.contains(text) && is_statement(program, Site { member: read.member, node: call });
                    pack.adds.contains(text)
                        || pack.adds_first.contains(text)
                        || pack.counts.contains(text)
                        || call.is_some_and(is_put_in_order)
                }
                _ => false,
            }
        })
}

/// Whether a method is nothing but what threads are made for that fields of its class hold, and that nobody starts.
fn is_never_started(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(m);
    let is_hidden = info.kind == MemberKind::Method && program.decl(m).modifiers.visibility == Visibility::Private;
    // the thread's field that a use of the method is handed to
    let thread = |site: &Site| {
        let (body, scope) = (program.body(site.member)?, program.scope(site.member));
        let made = scope.ancestors(site.node).find(|n| matches!(body.node(*n), Node::New { .. }))?;
        let ty = flow.type_of_node(site.member, made);
        let is_thread = program.type_name(&ty).is_some_and(|name| program.kit_of(m).pack.other_lanes.contains(name));
        match keeper(flow, Site { member: site.member, node: made })? {
            Val::Member(of, field) if is_thread && matches!(*of, Val::This(_)) => Some(field),
            Val::Static(field) if is_thread => Some(field),
            _ => None,
        }
    };
    let is_idle = |field: MemberId| {
        program.decl(field).modifiers.visibility == Visibility::Private
            && program.reads_in_class(field).all(|read| {
                let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
                let asks = |name| !program.unit_of(read.member).text(name).to_ascii_lowercase().starts_with("start");
                match scope.parent(read.node).map(|p| body.node(p)) {
                    Some(Node::Member { object, name, .. }) => object == read.node && asks(name),
                    Some(Node::Assign { target, .. }) => target == read.node,
                    _ => false,
                }
            })
    };
    let uses: Vec<&Site> = program.reads_in_class(m).chain(program.index.calls(info.name)).collect();
    is_hidden && !uses.is_empty() && uses.into_iter().all(|site| thread(site).is_some_and(is_idle))
}

/// Whether a method is what a library runs of an object (`run`), and all objects of its class are made for variables by which they are
/// only asked for something else.
fn is_handed_to_no_lane(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(m);
    let is_run = program.kit_of(m).pack.invokers.contains(program.text(info.name)) && !program.outside_bases(info.owner).is_empty();
    if !is_run || !wiring.is_application || wiring.is_open || !flow.call_sites(m).is_empty() || program.heirs(info.owner).len() > 1 {
        return false;
    }
    // a use of the variable is a call of another method
    let only_asks = |read: Site| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let asked = method_call_of(body, scope, read.node);
        asked.is_some_and(|(call, name)| {
            program.sym_in(read.member, name) != info.name && flow.callee(Site { member: read.member, node: call }).is_some()
        })
    };
    let is_idle = |made: &Site| {
        let (Some(body), scope) = (program.body(made.member), program.scope(made.member)) else { return false };
        match scope.parent(made.node).map(|p| (p, body.node(p))) {
            Some((local, Node::Local { .. })) => {
                let uses = body.ids().filter(|n| *n != local && scope.names(body, *n, local));
                uses.map(|node| Site { member: made.member, node }).all(only_asks)
            }
            None if matches!(program.member(made.member).kind, MemberKind::Field) => {
                let is_hidden = program.decl(made.member).modifiers.visibility == Visibility::Private;
                is_hidden && program.reads_in_class(made.member).all(|read| only_asks(*read))
            }
            _ => false,
        }
    };
    let mut made = flow.creations(info.owner);
    made.retain(|s| !wiring.in_test(s.member));
    !made.is_empty() && made.iter().all(is_idle)
}

/// Whether nothing calls a method, as far as the tree shows it all.
fn is_never_called(wiring: &Wiring<'_>, m: MemberId) -> bool {
    let program = wiring.program();
    let info = program.member(m);
    let name = info.name;
    info.kind == MemberKind::Method
        && wiring.is_application
        && !wiring.is_open
        && !wiring.is_entry_point(m)
        && wiring.flow.call_sites(m).is_empty()
        && program.index.reads(name).iter().all(|s| program.member(s.member).name == name)
        && program.index.calls(name).is_empty()
        && !wiring.is_in_markup(m)
        && !program.index.is_text(program.text(name), &program.symbols)
        && program.decl(m).annotations.is_empty()
        && !program.kit_of(m).pack.hooks.contains(program.text(name))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn queued_and_only_counted() {
        expect(
            "undrained-queue",
            r#"
//// spools.ts
interface Job { print(): void; }
class Device { feed(pages: number): void { console.log(pages); } }
class Label implements Job { constructor(private readonly device: Device) {} print(): void { this.device.feed(1); } }
class Sheet implements Job { constructor(private readonly device: Device) {} print(): void { this.device.feed(4); } }
export class LabelSpool {
  private jobs: Job[] = [];
  add(job: Job): void { this.jobs.push(job); }
  flush(): void { let job: Job | undefined; while ((job = this.jobs.shift())) job.print(); }
}
export class SheetSpool {
  private held: Job[] = []; //! undrained-queue error
  add(job: Job): void { this.held.push(job); }
  get waiting(): number { return this.held.length; }
}
const [labels, sheets] = [new LabelSpool(), new SheetSpool()];
labels.add(new Label(new Device()));
labels.flush();
sheets.add(new Sheet(new Device()));
console.log(sheets.waiting);
"#,
        );
    }
}
