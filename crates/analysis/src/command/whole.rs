//! Lists that are taken over whole: what waits is put into a local, the list begins anew, and all that was there is run.

use yarrowgraph_ir::{AssignOp, Node, NodeId};

use super::holder::Holder;
use super::taken::{called, given_to, local_calls};
use crate::program::{Declared, Site};
use crate::wire::Wiring;

/// Whether a place that reads a list may hand it over whole: to a local, to a copy, or to what exchanges it with another.
pub(super) fn may_be_taken(wiring: &Wiring<'_>, read: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(read.member) else { return false };
    let Some(parent) = program.scope(read.member).parent(read.node) else { return false };
    match body.node(parent) {
        Node::Local { init, .. } | Node::Pattern { init, .. } => init == Some(read.node),
        Node::Assign { op: AssignOp::Set, value, .. } => value == read.node,
        Node::Call { args, .. } | Node::New { args, .. } => body.list(args).contains(&read.node),
        Node::Unary { .. } => true,
        Node::Member { object, name, .. } => {
            let text = program.unit_of(read.member).text(name);
            let pack = &program.kit_of(read.member).pack;
            object == read.node && (pack.copies.contains(text) || pack.exchanges.contains(text))
        }
        _ => false,
    }
}

/// Notes what is called on the elements of a list that is taken over whole, and says whether anything is.
pub(super) fn taken(wiring: &Wiring<'_>, holder: &mut Holder, read: Site) -> bool {
    let before = holder.taken.len() + holder.run.len();
    let all = if let Some(first) = first_of_parts(wiring, holder, read) {
        local_calls(wiring, holder, read.member, first);
        wiring.program().in_loop(read)
    } else {
        let Some((at, emptied)) = handed_to(wiring, read) else { return false };
        if !emptied && !is_emptied(wiring, holder, read) {
            return false;
        }
        match at {
            Place::Local(local) => runs_in_local(wiring, holder, read, local),
            Place::Walk(var) => local_calls(wiring, holder, read.member, var),
        }
        true
    };
    let is_taken = holder.taken.len() + holder.run.len() > before;
    if is_taken {
        holder.drained.push((read, true, all));
        holder.takes_off = true;
    }
    is_taken
}

/// The variable of the first one, where a list is taken apart and goes on with the rest: `const [next, ...rest] = jobs; jobs = rest;`
fn first_of_parts(wiring: &Wiring<'_>, holder: &Holder, read: Site) -> Option<NodeId> {
    let program = wiring.program();
    let body = program.body(read.member)?;
    let scope = program.scope(read.member);
    let Node::Pattern { parts, init: Some(_), positional: true } = body.node(scope.parent(read.node)?) else { return None };
    let [first, rest] = *body.list(parts) else { return None };
    let goes_on = body.ids().any(|n| match body.node(n) {
        Node::Assign { op: AssignOp::Set, target, value } => scope.names(body, value, rest) && is_list(wiring, holder, read, target),
        _ => false,
    });
    (goes_on && matches!(body.node(first), Node::Local { .. })).then_some(first)
}

/// Where a list comes to be.
enum Place {
    /// In a local.
    Local(NodeId),
    /// Walked at once, element by element, in a variable.
    Walk(NodeId),
}

/// Where a read of a list hands it, past copies of it, and whether the handing empties it.
fn handed_to(wiring: &Wiring<'_>, read: Site) -> Option<(Place, bool)> {
    let program = wiring.program();
    let body = program.body(read.member)?;
    let scope = program.scope(read.member);
    let pack = &program.kit_of(read.member).pack;
    let text = |name| program.unit_of(read.member).text(name);
    let local_of = |n: NodeId| match body.node(n) {
        Node::Local { .. } => Some(n),
        Node::Name(name) => match scope.lookup(name, n)? {
            Declared::Local(local) => Some(local),
            _ => None,
        },
        _ => None,
    };
    let (mut node, mut emptied) = (read.node, false);
    loop {
        let parent = scope.parent(node)?;
        match body.node(parent) {
            Node::Unary { .. } | Node::Cast { .. } | Node::Collection { .. } => node = parent,
            Node::New { args, .. } if body.list(args) == [node] => node = parent,
            Node::Member { object, name, .. } if object == node => {
                let call = scope.parent(parent)?;
                let Node::Call { callee, args, .. } = body.node(call) else { return None };
                if callee != parent {
                    return None;
                }
                if pack.exchanges.contains(text(name)) {
                    // `due_.swap(now)`, `queue.drainTo(now)`
                    return Some((Place::Local(local_of(body.uncast(*body.list(args).first()?))?), true));
                }
                if !pack.copies.contains(text(name)) {
                    return None;
                }
                // `jobs.splice(0)`
                emptied |= pack.blind_cuts.contains(text(name));
                node = call;
            }
            Node::Call { callee, args, .. } if callee != node => {
                let name = match body.node(callee) {
                    Node::Member { name, .. } | Node::Name(name) => text(name),
                    _ => return None,
                };
                match body.list(args) {
                    // `now.swap(due_)`
                    [_] if pack.exchanges.contains(name) => {
                        let Node::Member { object, .. } = body.node(callee) else { return None };
                        return Some((Place::Local(local_of(object)?), true));
                    }
                    // a copy, or a move: `List.copyOf(jobs)`, `std::move(jobs_)`
                    [_] => node = parent,
                    // `std::swap(now, due_)`
                    [a, b] if pack.exchanges.contains(name) => {
                        let other = if *a == node { *b } else { *a };
                        return match local_of(body.uncast(other)) {
                            Some(local) => Some((Place::Local(local), true)),
                            // `Interlocked.Exchange(ref jobs, [])`, `std::exchange(jobs_, {})`
                            None if *a == node || body.uncast(*a) == node => {
                                (node, emptied) = (parent, true);
                                continue;
                            }
                            None => None,
                        };
                    }
                    _ => return None,
                }
            }
            Node::Local { .. } => return Some((Place::Local(parent), emptied)),
            Node::Assign { op: AssignOp::Set, target, value } if value == node => {
                return Some((Place::Local(local_of(target)?), emptied));
            }
            Node::ForEach { var, iterable, .. } if iterable == node => return Some((Place::Walk(var), emptied)),
            _ => return None,
        }
    }
}

/// What is called on the elements of a local list.
fn runs_in_local(wiring: &Wiring<'_>, holder: &mut Holder, read: Site, local: NodeId) {
    let program = wiring.program();
    let Some(body) = program.body(read.member) else { return };
    let Node::Local { name, .. } = body.node(local) else { return };
    let scope = program.scope(read.member);
    let pack = &program.kit_of(read.member).pack;
    for node in body.ids() {
        if body.node(node) != Node::Name(name) || scope.lookup(name, node) != Some(Declared::Local(local)) {
            continue;
        }
        match scope.parent(node).map(|p| (p, body.node(p))) {
            Some((_, Node::ForEach { var, iterable, .. })) if iterable == node => local_calls(wiring, holder, read.member, var),
            Some((parent, Node::Index { object, .. })) if object == node => {
                called(wiring, holder, Site { member: read.member, node: parent }, 1);
            }
            Some((parent, Node::Member { object, name, .. })) if object == node => {
                let Some(call) = scope.parent(parent) else { continue };
                let Node::Call { args, .. } = body.node(call) else { continue };
                let text = program.unit_of(read.member).text(name);
                let site = Site { member: read.member, node: call };
                match body.list(args) {
                    [each] if pack.walks.contains(text) => given_to(wiring, holder, Site { member: read.member, node: *each }),
                    _ if pack.takes.contains(text) || pack.elements.contains(text) => called(wiring, holder, site, 1),
                    _ => {}
                }
            }
            _ => {}
        }
    }
}

/// Whether the method that takes a list over empties it or begins it anew.
fn is_emptied(wiring: &Wiring<'_>, holder: &Holder, read: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(read.member) else { return false };
    let pack = &program.kit_of(read.member).pack;
    let clears = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { object, name, .. } => {
                pack.clears.contains(program.unit_of(read.member).text(name)) && is_list(wiring, holder, read, object)
            }
            _ => false,
        },
        _ => false,
    };
    body.ids().any(clears) || begins_anew(wiring, holder, read)
}

/// Whether the method that reads a list puts an empty one in its place: `this.jobs = []`, `this.jobs.length = 0`.
pub(super) fn begins_anew(wiring: &Wiring<'_>, holder: &Holder, read: Site) -> bool {
    let Some(body) = wiring.program().body(read.member) else { return false };
    let scope = wiring.program().scope(read.member);
    body.ids().filter(|n| scope.is_before(read.node, *n)).any(|n| match body.node(n) {
        Node::Assign { op: AssignOp::Set, target, value } => match body.node(target) {
            Node::Member { object, .. } if matches!(body.node(value), Node::Num(_)) => is_list(wiring, holder, read, object),
            _ => is_new(wiring, read, value) && is_list(wiring, holder, read, target),
        },
        _ => false,
    })
}

/// Whether an expression of the method that reads a list is that list.
fn is_list(wiring: &Wiring<'_>, holder: &Holder, read: Site, node: NodeId) -> bool {
    holder.is_at(wiring, Site { member: read.member, node })
}

/// Whether an expression makes an empty list.
fn is_new(wiring: &Wiring<'_>, read: Site, value: NodeId) -> bool {
    let Some(body) = wiring.program().body(read.member) else { return false };
    match body.node(value) {
        Node::Collection { items, .. } => items.len == 0,
        Node::New { args, .. } => body.list(args).iter().all(|a| matches!(body.node(*a), Node::Num(_))),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    /// What the invokers hold, by name, and how many kinds of commands there are.
    fn held(text: &str) -> (Vec<String>, usize) {
        let map = map(text);
        (map.invokers.iter().map(|i| format!("{} {:?}", i.id, i.holds)).collect(), map.commands.len())
    }

    #[test]
    fn into_a_local_while_the_list_begins_anew() {
        let script = |take: &str| {
            format!(
                "//// floor.js\nclass Oven {{ bake(n) {{}} }}\n\
                 class Bake {{ constructor(oven) {{ this.oven = oven; }} run() {{ this.oven.bake(1); }} }}\n\
                 class Cool {{ constructor(oven) {{ this.oven = oven; }} run() {{ this.oven.bake(0); }} }}\n\
                 class Floor {{ #jobs = []; add(job) {{ this.#jobs.push(job); }} work() {{ {take} }} }}\n\
                 const floor = new Floor(); floor.add(new Bake(new Oven())); floor.add(new Cool(new Oven())); floor.work();\n"
            )
        };
        let expected = (vec!["floor.Floor.#jobs Queue".to_owned()], 2);
        for take in [
            "const jobs = this.#jobs; this.#jobs = []; for (const job of jobs) job.run();",
            "const jobs = [...this.#jobs]; this.#jobs.length = 0; jobs.forEach((job) => job.run());",
            "for (const job of this.#jobs.splice(0)) job.run();",
            "for (const job of this.#jobs) job.run(); this.#jobs = [];",
        ] {
            assert_eq!(held(&script(take)), expected, "{take}");
        }
        // what stays where it is waits for nothing
        assert_eq!(held(&script("const jobs = this.#jobs; for (const job of jobs) job.run();")), (Vec::new(), 0));
    }

    #[test]
    fn by_an_exchange() {
        let source = |take: &str| {
            format!(
                "//// floor.cpp\n#include <vector>\nstruct Oven {{ void bake(int); }};\n\
                 struct Job {{ virtual ~Job() = default; virtual void run() = 0; }};\n\
                 struct Bake : Job {{ Oven& oven; explicit Bake(Oven& oven) : oven(oven) {{}} void run() override {{ oven.bake(1); }} }};\n\
                 struct Cool : Job {{ Oven& oven; explicit Cool(Oven& oven) : oven(oven) {{}} void run() override {{ oven.bake(0); }} }};\n\
                 class Floor {{ std::vector<Job*> jobs_; public: void add(Job* job) {{ jobs_.push_back(job); }} void work() {{ {take} }} }};\n\
                 int main() {{ Oven oven; Floor floor; floor.add(new Bake(oven)); floor.add(new Cool(oven)); floor.work(); }}\n"
            )
        };
        let expected = (vec!["Floor.jobs_ Queue".to_owned()], 2);
        for take in [
            "std::vector<Job*> now; now.swap(jobs_); for (auto* job : now) job->run();",
            "std::vector<Job*> now; std::swap(now, jobs_); for (auto* job : now) job->run();",
            "auto now = std::exchange(jobs_, {}); for (auto* job : now) job->run();",
        ] {
            assert_eq!(held(&source(take)), expected, "{take}");
        }
    }

    #[test]
    fn functions_are_taken_into_a_variable_of_the_loop() {
        let text = "//// round.ts\nexport class Round {\n  private jobs: (() => void)[] = [];\n\
                    note(job: () => void) { this.jobs.push(job); }\n\
                    drive() { let job: (() => void) | undefined; while ((job = this.jobs.shift())) job(); }\n}\n";
        assert_eq!(held(text), (vec!["round.Round.jobs Queue".to_owned()], 0));
    }
}
