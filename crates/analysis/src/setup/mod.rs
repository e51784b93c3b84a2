//! The set-up, run: what entry points do is carried out with abstract objects, so that lists of
//! listeners, factories, alternatives and loops over literals say which handler joins what, and in
//! which order.
//!
//! A condition that is not known is decided both ways, each in a run of its own; a loop without a
//! known number of rounds is gone through once, and what happens in it is marked. Runs have a
//! budget of steps and each entry point one of runs; what they do not come to says nothing.

mod builders;
mod calls;
mod chains;
mod expressions;
mod library;
mod machine;
mod statements;
#[cfg(test)]
mod tests;
mod value;

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicUsize, Ordering};

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{MemberKind, Node, NodeId};
use yarrowgraph_model::Budget;

use crate::chain::{Chains, Links};
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Site};
use crate::wire::effect::{Act, Effect};
use machine::Machine;

/// How many runs an entry point may take.
const RUNS: usize = 48;

/// How many steps all runs of a tree may take together.
const ALL_STEPS: usize = 400_000;

/// How many of these the runs of a module may take that give its variables their values where these stand.
const IN_ORDER_STEPS: usize = 2 * machine::STEPS;

/// So many entry points for each thread are at first run ahead of knowing how many steps are left for them.
const WAVE: usize = 4;

/// So many at most are run ahead, for each thread, where those before took few steps.
const LONGEST_WAVE: usize = 64;

/// The stack of a run, in bytes: runs nest as deep as the code that they carry out.
const STACK: usize = 64 << 20;

/// A subscription or a raise that a run came to.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) struct Met {
    /// The effect.
    pub(crate) effect: usize,
    /// What tells the object that is subscribed to, or raises, from others of the run.
    pub(crate) subject: u64,
    /// The handler, where it is known.
    pub(crate) handler: Option<Val>,
    /// The rounds of loops without a known number of rounds that it happens in, less those in which
    /// the subject itself is made.
    pub(crate) loops: Vec<u32>,
    /// 0 for the set-up itself, and a number of its own for each handler that a platform calls later.
    pub(crate) phase: u32,
}

/// What one run came to, in order.
pub(crate) type Run = Vec<Met>;

/// What runs look out for.
struct Wanted<'m, 'p> {
    flow: &'m Flow<'p>,
    effects: &'m [Effect],
    /// Subscriptions and raises by the innermost statement that makes them; raises by the walk over all that are told, if there is one.
    sites: &'m FxHashMap<Site, Vec<usize>>,
    /// What each of these statements does by itself.
    own: &'m FxHashMap<Site, usize>,
    /// What can be linked to chains.
    links: &'m Links,
    /// Whether all that matters is what is built: what objects that were built are told to do is passed over.
    only_builds: bool,
    /// How many runs an entry point may take.
    runs: usize,
}

/// What all runs came to.
#[derive(Debug, Default)]
pub(crate) struct Setup {
    /// The runs.
    pub(crate) runs: Vec<Run>,
    /// The chains that were built.
    pub(crate) chains: Chains,
    /// Entry points of which not all that matters was run.
    pub(crate) cut: u32,
}

impl Setup {
    /// Runs the entry points of a program, for the sake of some subscriptions, of the raises that these may miss, and of what can be
    /// linked.
    pub(crate) fn of(flow: &Flow<'_>, effects: &[Effect], wanted: &FxHashSet<usize>, links: &Links) -> Self {
        let place = |e: &Effect| if e.act == Act::Raise { walk_around(flow.program, e.innermost()) } else { e.innermost() };
        let mut sites: FxHashMap<Site, Vec<usize>> = FxHashMap::default();
        for &effect in wanted {
            sites.entry(place(&effects[effect])).or_default().push(effect);
        }
        sites.values_mut().for_each(|all| all.sort_unstable());
        let by_themselves =
            effects.iter().enumerate().filter(|(_, e)| matches!(e.act, Act::Join | Act::Raise) && e.inner.is_empty() && !e.by_container);
        let mut own: FxHashMap<Site, usize> = FxHashMap::default();
        for (index, effect) in by_themselves {
            let site = place(effect);
            if sites.contains_key(&site) && (effect.act == Act::Join || !own.contains_key(&site)) {
                own.insert(site, index);
            }
        }
        let mut roots = entry_points(flow.program);
        // chains that constants of a module hold, whether or not what reads them is run
        let constants = constants_of_links(flow, links);
        roots.extend(constants.into_iter().filter(|m| !roots.contains(m)).collect::<Vec<_>>());
        if sites.is_empty() && links.is_empty() {
            return Self::default();
        }
        let wanted = Wanted { flow, effects, sites: &sites, own: &own, links, only_builds: false, runs: RUNS };
        let mut setup = Self::default();
        let mut seen = FxHashSet::default();
        let mut steps = ALL_STEPS;
        let mut ahead_of = WAVE;
        // side by side with what is left at first, which counts where it would have been enough in turn
        let width = rayon::current_num_threads();
        let mut waiting = &roots[..];
        while !waiting.is_empty() && steps > 0 {
            let (wave, rest) = waiting.split_at(waiting.len().min(width * ahead_of));
            waiting = rest;
            let (ahead, before) = (side_by_side(&wanted, wave, width, steps), steps);
            for (root, ran) in wave.iter().zip(ahead) {
                let ran = match ran {
                    Some(ran) if ran.steps + machine::STEPS <= steps => ran,
                    _ => on_a_stack(|| run(&wanted, *root, steps)),
                };
                steps -= ran.steps;
                setup.cut += u32::from(!ran.whole);
                for (run, chains) in ran.done {
                    setup.chains.add(chains);
                    if seen.insert(run.clone()) {
                        setup.runs.push(run);
                    }
                }
            }
            // twice as many where what is left would be enough for them
            let likely = (before - steps).saturating_mul(4) + machine::STEPS < steps;
            ahead_of = if likely { (ahead_of * 2).min(LONGEST_WAVE) } else { WAVE };
        }
        // nothing is left for these
        setup.cut += waiting.len() as u32;
        builders::run_others(&Wanted { only_builds: true, runs: builders::RUNS, ..wanted }, &mut setup.chains);
        setup
    }

    /// The budget of runs, where it was not kept.
    pub(crate) fn over(&self) -> Option<Budget> {
        (self.cut > 0).then(|| Budget { of: "runs".into(), limit: RUNS as u32, over: self.cut })
    }

    /// The handlers that join through each effect, in the order in which they first do.
    pub(crate) fn handlers(&self) -> BTreeMap<usize, Vec<Option<Val>>> {
        let mut found: BTreeMap<usize, Vec<Option<Val>>> = BTreeMap::new();
        for joined in self.runs.iter().flatten() {
            let handlers = found.entry(joined.effect).or_default();
            if !handlers.contains(&joined.handler) {
                handlers.push(joined.handler.clone());
            }
        }
        found
    }

    /// Whether some run comes to a subscription to one object twice, outside of loops and of what a platform calls later.
    pub(crate) fn comes_twice_to(&self, join: usize) -> bool {
        self.runs.iter().any(|run| {
            let joined: Vec<u64> =
                run.iter().filter(|m| m.effect == join && m.phase == 0 && m.loops.is_empty()).map(|m| m.subject).collect();
            joined.iter().enumerate().any(|(at, subject)| joined[..at].contains(subject))
        })
    }

    /// Whether a raise comes before all subscriptions to its object wherever both are come to, on every run that comes to one of those
    /// subscriptions, and is not made again later; nothing where the runs do not come to each of them.
    pub(crate) fn is_missed(&self, raise: usize, joins: &[usize]) -> bool {
        let mut reached: FxHashSet<usize> = FxHashSet::default();
        let mut tells = false;
        for run in &self.runs {
            let of_set_up = |at: usize| run[at].phase == 0 && run[at].loops.is_empty();
            let joined: Vec<&Met> = run.iter().filter(|m| joins.contains(&m.effect)).collect();
            reached.extend(joined.iter().map(|m| m.effect));
            let subjects: BTreeSet<u64> = joined.iter().map(|m| m.subject).collect();
            for subject in subjects {
                let first = run.iter().position(|m| m.subject == subject && joins.contains(&m.effect));
                let last = run.iter().rposition(|m| m.subject == subject && m.effect == raise);
                match (last, first) {
                    (Some(last), Some(first)) if last < first && of_set_up(last) && of_set_up(first) => tells = true,
                    _ => return false,
                }
            }
        }
        tells && joins.iter().all(|j| reached.contains(j))
    }

    /// Whether one subscription comes before another on the same object whenever both are made;
    /// nothing where the runs do not tell. Where `later_ends`, what the later one of one round of a loop
    /// puts on is gone in the next.
    pub(crate) fn precedes(&self, first: Which<'_>, second: Which<'_>, later_ends: bool) -> Option<bool> {
        let mut told = None;
        for run in &self.runs {
            let all = |which: Which<'_>| -> Vec<(usize, &Met)> { run.iter().enumerate().filter(|(_, j)| which.is(j)).collect() };
            let later = all(second);
            for (at, a) in all(first) {
                for &(behind, b) in later.iter().filter(|(_, b)| b.subject == a.subject) {
                    let same_round = a.loops.iter().any(|l| b.loops.contains(l));
                    // handlers that a platform calls, and what is waited for meanwhile, come in no order among themselves
                    let apart = a.phase != b.phase && a.phase != 0;
                    let before = at < behind && !apart && (later_ends || !same_round);
                    told = Some(told.unwrap_or(true) && before);
                }
            }
        }
        told
    }
}

/// The outermost walk of its function that a statement stands in, or the statement itself.
fn walk_around(program: &Program, site: Site) -> Site {
    let Some(body) = program.body(site.member) else { return site };
    let scope = program.scope(site.member);
    let in_function = scope.ancestors(site.node).take_while(|n| !matches!(body.node(*n), Node::Lambda(_)));
    let walk = in_function.filter(|n| matches!(body.node(*n), Node::ForEach { .. })).last();
    Site { member: site.member, node: walk.unwrap_or(site.node) }
}

/// What the runs of one entry point came to.
#[derive(Default)]
struct Ran {
    done: Vec<(Run, Chains)>,
    /// Whether all that matters was run.
    whole: bool,
    /// How many steps it took.
    steps: usize,
}

/// Runs some entry points on a number of threads, each as if it were the next; none where a thread could not be had.
fn side_by_side(wanted: &Wanted<'_, '_>, roots: &[MemberId], width: usize, steps: usize) -> Vec<Option<Ran>> {
    if width < 2 || roots.len() < 2 || steps == 0 {
        return roots.iter().map(|_| None).collect();
    }
    let next = AtomicUsize::new(0);
    let ran: Vec<OnceLock<Ran>> = roots.iter().map(|_| OnceLock::new()).collect();
    std::thread::scope(|threads| {
        for _ in 0..width.min(roots.len()) {
            let work = || {
                while let Some((root, ran)) = Some(next.fetch_add(1, Ordering::Relaxed)).and_then(|i| roots.get(i).zip(ran.get(i))) {
                    ran.get_or_init(|| run(wanted, *root, steps));
                }
            };
            // without a thread its share is run in turn
            _ = std::thread::Builder::new().stack_size(STACK).spawn_scoped(threads, work);
        }
    });
    ran.into_iter().map(OnceLock::into_inner).collect()
}

/// Runs something on a stack of its own, as deep as the code that is carried out may nest.
fn on_a_stack<T: Default + Send>(work: impl FnOnce() -> T + Send) -> T {
    std::thread::scope(|threads| {
        let thread = std::thread::Builder::new().stack_size(STACK).spawn_scoped(threads, work);
        thread.ok().and_then(|t| t.join().ok()).unwrap_or_default()
    })
}

/// Runs an entry point in every way that its conditions allow. Where these are too many, what variables of modules are given by code
/// that is not run for them is left open.
fn run(wanted: &Wanted<'_, '_>, root: MemberId, steps: usize) -> Ran {
    if wanted.flow.program.member(root).kind != MemberKind::Initializer {
        return run_all_ways(wanted, root, steps, true);
    }
    let ran = run_all_ways(wanted, root, steps.min(IN_ORDER_STEPS), true);
    if ran.whole {
        return ran;
    }
    let less = run_all_ways(wanted, root, steps - ran.steps, false);
    Ran { steps: less.steps + ran.steps, ..less }
}

/// Runs an entry point in every way, those that differ early first.
fn run_all_ways(wanted: &Wanted<'_, '_>, root: MemberId, steps: usize, in_order: bool) -> Ran {
    // ways that part after a run's last subscription are taken last, and need not all be taken
    let mut waiting: VecDeque<Vec<bool>> = VecDeque::from([Vec::new()]);
    let mut idle: VecDeque<Vec<bool>> = VecDeque::new();
    let mut ran = Ran { whole: true, ..Ran::default() };
    while let Some(decisions) = waiting.pop_front().or_else(|| idle.pop_front()) {
        if ran.done.len() >= wanted.runs || ran.steps == steps {
            ran.whole &= waiting.is_empty() && ran.steps < steps;
            break;
        }
        let decided = decisions.len();
        let mut machine = Machine::new(wanted, decisions, steps - ran.steps, in_order);
        machine.start(root);
        ran.steps += machine.steps_taken();
        let done = machine.finish();
        ran.whole &= done.whole;
        for at in decided..done.decisions.len() {
            let mut other = done.decisions[..at].to_vec();
            other.push(!done.decisions[at]);
            if at < done.decided_before_last { waiting.push_back(other) } else { idle.push_back(other) }
        }
        ran.done.push((done.run, done.chains));
    }
    ran
}

/// A subscription of the map: an effect, and a handler where several join through it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Which<'v> {
    /// The effect that the runs know.
    pub(crate) effect: usize,
    /// The handler.
    pub(crate) handler: Option<&'v Val>,
}

impl Which<'_> {
    fn is(self, met: &Met) -> bool {
        met.effect == self.effect && self.handler.is_none_or(|h| met.handler.as_ref() == Some(h))
    }
}

/// Where a program begins, tests aside: entry points, and modules that do something by themselves.
pub(crate) fn entry_points(program: &Program) -> Vec<MemberId> {
    (0..program.members.len())
        .map(|index| MemberId(index as u32))
        .filter(|&id| {
            let info = program.member(id);
            if program.is_test(info.unit) || !info.is_static {
                return false;
            }
            let pack = &*program.kit_of(id).pack;
            match info.kind {
                MemberKind::Method => program.is_listed(&pack.entry_points, id) && program.body(id).is_some(),
                // module code with calls of the tree's own functions at its top level
                MemberKind::Initializer => {
                    let Some(body) = program.body(id) else { return false };
                    let Some(Node::Block(list)) = body.root.map(|r| body.node(r)) else { return false };
                    body.list(list).iter().any(|s| is_top_level_call(program, id, *s))
                }
                _ => false,
            }
        })
        .collect()
}

/// Constants and static fields that are given a link as they are made.
fn constants_of_links(flow: &Flow<'_>, links: &Links) -> Vec<MemberId> {
    let program = flow.program;
    let makes_link = |m: MemberId| {
        let Some(body) = program.body(m) else { return false };
        body.ids().any(|n| {
            matches!(body.node(n), Node::New { .. })
                && flow.type_of_node(m, n).own().is_some_and(|t| links.next.iter().any(|next| program.is_a(t, next.base)))
        })
    };
    (0..program.members.len())
        .map(|index| MemberId(index as u32))
        .filter(|m| program.member(*m).is_static && matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Initializer))
        .filter(|m| !program.in_test(*m) && makes_link(*m))
        .collect()
}

fn is_top_level_call(program: &Program, member: MemberId, node: NodeId) -> bool {
    let Some(body) = program.body(member) else { return false };
    let call = match body.node(node) {
        Node::Unary { operand, .. } => operand,
        Node::ForEach { .. } | Node::Loop { .. } => return program.ty(program.member(member).owner).is_module,
        _ => node,
    };
    matches!(body.node(call), Node::Call { .. }) && program.ty(program.member(member).owner).is_module
}
