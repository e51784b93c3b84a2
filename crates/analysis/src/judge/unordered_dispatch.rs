//! Rule `unordered-dispatch`: several handlers are told in an order that nothing defines.

use yarrowgraph_ir::{Body, Node, NodeId, UnaryOp};
use yarrowgraph_model::{Certainty, Level};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{Scope, Site};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::Effect;

pub(super) const RULE: Rule = Rule {
    name: "unordered-dispatch",
    summary: "several handlers are told in an order that the container or the dispatcher leaves open",
    level: Level::Note,
    page: Page {
        symptom: "Handlers run in another order from one run, or one version, to the next.",
        cause: "They are held by hash, or told side by side, so that nothing says who comes first.",
        cure: "Hold them in a list, or in a map that keeps the order in which they came, and tell them one after the other.",
        silent: "There is one handler only, or the hash only finds the list whose members are told in order.",
        accept: "The handlers have nothing to do with each other.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        let handlers: usize = channel
            .joins
            .iter()
            .filter(|j| !wiring.in_test(wiring.effects[**j].site.member))
            .map(|j| wiring.parts_of(*j).len().max(1))
            .sum();
        if handlers > 1 {
            let mut found: Vec<Draft> = channel.raises.iter().filter_map(|r| judge(wiring, channel, &wiring.effects[*r])).collect();
            // once for each method that tells them
            found.dedup_by(|a, b| a.parties == b.parties);
            drafts.extend(found);
        }
    }
    drafts
}

fn judge(wiring: &Wiring<'_>, channel: &Channel, raise: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let site = raise.innermost();
    if wiring.in_test(site.member) {
        return None;
    }
    let why = by_hash(wiring, channel, raise).or_else(|| side_by_side(wiring, raise))?;
    let what = short(&channel.id);
    Some(Draft {
        level: Level::Note,
        certainty: Certainty::Certain,
        place: crate::wire::operation_place(program, site),
        message: format!("`{what}` has several handlers, and {why}"),
        related: channel.joins.iter().take(3).map(|j| related("a handler", wiring.place(&wiring.effects[*j]))).collect(),
        parties: vec![channel.id.clone(), program.member_id(site.member)],
        edit: None,
    })
}

/// Whether a walk goes over what is held by hash.
fn by_hash(wiring: &Wiring<'_>, channel: &Channel, raise: &Effect) -> Option<String> {
    let program = wiring.program();
    let ChannelKey::Own(m, None) = channel.key else { return None };
    let names = &program.kit_of(m).pack.unordered_collections;
    // what is made says more than what is declared
    let made = wiring.flow.type_made(m);
    let held = wiring.flow.type_held(m);
    let name = [made.as_ref(), Some(&held)].into_iter().flatten().find_map(|ty| program.type_name(ty))?;
    let body = program.body(raise.innermost().member)?;
    let walked = program
        .scope(raise.innermost().member)
        .ancestors(raise.innermost().node)
        .any(|n| matches!(body.node(n), Node::ForEach { .. } | Node::Lambda(_)));
    // what is looked up by its key is no walk
    (raise.walks && walked && raise.holder.key.is_none() && names.contains(name))
        .then(|| format!("the order of the hash in `{name}` decides who is told first"))
}

/// Whether a raise stands in a function that runs side by side with others of its kind.
fn side_by_side(wiring: &Wiring<'_>, raise: &Effect) -> Option<String> {
    let site = raise.innermost();
    let program = wiring.program();
    let body = program.body(site.member)?;
    let pack = &*program.kit_of(site.member).pack;
    let text = |callee: NodeId| match body.node(callee) {
        Node::Member { name, .. } | Node::Name(name) => Some(program.unit_of(site.member).text(name)),
        _ => None,
    };
    // `handlers.parallelStream().forEach(Runnable::run)`
    if let Node::Call { callee, args, .. } = body.node(site.node)
        && body.list(args).iter().any(|a| matches!(body.node(*a), Node::MethodRef { .. }))
        && is_parallel(wiring, site, callee)
    {
        return Some("they are told in parallel".to_owned());
    }
    // `for (Runnable ear : ears) crew.submit(ear)`, `… crew.submit(() -> ear.run())`
    let in_loop = |node: NodeId| program.in_loop(Site { member: site.member, node });
    let handed = match body.node(site.node) {
        Node::Call { callee, .. } => text(callee).filter(|name| pack.other_lanes.contains(name)).map(|_| site.node),
        _ => None,
    };
    let over = handed.or_else(|| wiring.hand_overs(site).into_iter().find(|(_, name)| pack.other_lanes.contains(name)).map(|(n, _)| n));
    if let Some(over) = over.filter(|n| in_loop(*n))
        && has_several_lanes(wiring, Site { member: site.member, node: over })
        && !is_waited_for(body, program.scope(site.member), over)
    {
        return Some("each is told on a lane of its own".to_owned());
    }
    let mut inner = site.node;
    let mut in_function = false;
    // where a whole channel is raised its handlers are told one after the other, whoever else raises it meanwhile
    let is_of_each = raise.walks;
    for around in program.scope(site.member).ancestors(site.node) {
        match body.node(around) {
            Node::Lambda(_) => in_function = true,
            Node::Call { callee, args, .. } => {
                let name = text(callee);
                let handed = body.list(args).contains(&inner);
                // `Promise.all(handlers.map(async …))`
                if handed && in_function && name.is_some_and(|n| pack.gatherers.contains(n)) {
                    return Some("they are told side by side".to_owned());
                }
                // `Parallel.ForEach(handlers, …)`, `handlers.parallelStream().forEach(…)`
                if handed && is_of_each && matches!(body.node(inner), Node::Lambda(_)) && is_parallel(wiring, site, callee) {
                    return Some("they are told in parallel".to_owned());
                }
            }
            _ => {}
        }
        inner = around;
    }
    None
}

/// Whether what is handed over may run beside what was handed over before: not where one lane takes one after the other.
fn has_several_lanes(wiring: &Wiring<'_>, over: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(over.member) else { return false };
    let pack = &program.kit_of(over.member).pack;
    let Node::Call { callee, .. } = body.node(over.node) else { return true };
    let Node::Member { object, .. } = body.node(callee) else { return true };
    let made = match wiring.flow.eval_in(over.member, object) {
        Val::Member(_, field) | Val::Static(field) => wiring.flow.only_definition(field),
        Val::Local(local) => match program.body(local.member).map(|b| b.node(local.node)) {
            Some(Node::Local { init: Some(init), .. }) => Some(Site { member: local.member, node: init }),
            _ => None,
        },
        Val::Call(site) | Val::New(site) => Some(site),
        // a type of the library, such as that of tasks
        Val::Global(_) => return true,
        _ => None,
    };
    // where nothing shows it, nothing is said
    let Some(made) = made else { return false };
    let Some(body) = program.body(made.member) else { return false };
    let Node::Call { callee, args, .. } = body.node(made.node) else { return false };
    let (Node::Member { name, .. } | Node::Name(name)) = body.node(callee) else { return false };
    let of_one =
        matches!(body.list(args), [only] if matches!(body.node(*only), Node::Num(n) if program.unit_of(made.member).text(n) == "1"));
    pack.pools.contains(program.unit_of(made.member).text(name)) && !of_one
}

/// Whether it is waited for each before the next one is handed over.
fn is_waited_for(body: &Body, scope: &Scope, over: NodeId) -> bool {
    let mut node = over;
    while let Some(parent) = scope.parent(node) {
        match body.node(parent) {
            Node::Unary { op: UnaryOp::Await, .. } => return true,
            // `pool.submit(ear).get()`
            Node::Member { object, .. } if object == node => return true,
            Node::Call { .. } | Node::Unary { .. } => node = parent,
            _ => return false,
        }
    }
    false
}

/// Whether a walk is over a parallel view, or by a method of a parallel library.
fn is_parallel(wiring: &Wiring<'_>, site: Site, callee: NodeId) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(site.member) else { return false };
    let names = &program.kit_of(site.member).pack.parallel;
    let mut node = callee;
    loop {
        let (next, name) = match body.node(node) {
            Node::Member { object, name, .. } => (Some(object), Some(name)),
            Node::Call { callee, .. } => (Some(callee), None),
            Node::Name(name) => (None, Some(name)),
            _ => return false,
        };
        if name.is_some_and(|n| names.contains(program.unit_of(site.member).text(n))) {
            return !matches!(wiring.flow.eval_in(site.member, node), Val::Type(_));
        }
        match next {
            Some(n) => node = n,
            None => return false,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_hash_or_side_by_side() {
        expect(
            "unordered-dispatch",
            r#"
//// sky.cpp
#include <functional>
#include <map>
#include <unordered_map>
class Sky {
public:
    int follow(std::function<void(double)> fn) { fns_[++last_] = fn; return last_; }
    void leave(int id) { fns_.erase(id); }
    int watch(std::function<void(double)> fn) { sorted_[++last_] = fn; return last_; }
    void measure(double m) {
        for (const auto& [id, fn] : fns_) fn(m); //! unordered-dispatch note
        for (const auto& [id, fn] : sorted_) fn(m);
    }
private:
    int last_ = 0;
    std::unordered_map<int, std::function<void(double)>> fns_;
    std::map<int, std::function<void(double)>> sorted_;
};
int main() {
    Sky sky;
    sky.follow([](double) {}); sky.follow([](double m) { (void)m; });
    sky.watch([](double) {}); sky.watch([](double m) { (void)m; });
    sky.measure(21.0);
}
//// gate.js
const openers = [];
const closers = [];
export function onOpen(fn) { openers.push(fn); return () => openers.splice(openers.indexOf(fn), 1); }
export function onClose(fn) { closers.push(fn); return () => closers.splice(closers.indexOf(fn), 1); }
export async function open(boat) {
  await Promise.all(openers.map(async (fn) => fn(boat))); //! unordered-dispatch note
}
export async function close(boat) { for (const fn of closers.slice()) await fn(boat); }
onOpen(async (b) => console.log(b)); onOpen(async (b) => console.warn(b));
onClose(async (b) => console.log(b)); onClose(async (b) => console.warn(b));
open('Ada').then(() => close('Ada'));
"#,
        );
    }
}
