//! Commands: objects that hold what is to be done, and the invokers that do it later.
//!
//! A command is told by its shape: it keeps a receiver and arguments from its making, and one operation without any
//! of its own hands them on. An invoker holds such objects in a slot, a queue, a stack or a history (`holders`) and
//! runs them; what is put there is followed to where it is made (`made`).

mod holder;
mod holders;
pub mod made;
pub mod map;
mod shape;
mod taken;
#[cfg(test)]
mod tests;
mod whole;

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use yarrowgraph_ir::{MemberKind, TypeKind};

use crate::program::{MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::ChannelKey;

pub use holder::Holder;
pub use map::{commands, invokers};
pub use shape::{Undo, forwards, is_empty, step_of, throws};

/// How an invoker holds commands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Holds {
    /// One at a time.
    Slot,
    /// Those to run, first in first out.
    Queue,
    /// Those to run, last in first out.
    Stack,
    /// Those that were run, kept to be undone.
    History,
}

/// What commands there are.
#[derive(Debug, Default)]
pub struct Commands {
    /// The invokers, by holder.
    pub invokers: Vec<Invoker>,
    /// The commands, by class.
    pub commands: BTreeMap<TypeId, Command>,
    /// Lists that functions are taken off to be run, and how they hold them.
    pub of_functions: Vec<(Holder, Holds)>,
    /// Lists of commands that nothing takes from.
    pub undrained: Vec<Holder>,
}

/// An object that runs commands.
#[derive(Clone, Debug)]
pub struct Invoker {
    /// What holds them.
    pub holder: Holder,
    /// How.
    pub holds: Holds,
    /// The operation that it runs.
    pub operation: Sym,
    /// The operation that takes back, where it asks for one.
    pub undo: Option<Sym>,
    /// The classes of the commands that come to it.
    pub commands: BTreeSet<TypeId>,
}

/// A concrete command.
#[derive(Clone, Debug)]
pub struct Command {
    /// Its class.
    pub class: TypeId,
    /// The method that does it.
    pub operation: MemberId,
    /// The types of what it acts on.
    pub receivers: BTreeSet<TypeId>,
    /// The calls that it makes on them.
    pub calls: Vec<Site>,
    /// The fields that hold its arguments.
    pub arguments: Vec<MemberId>,
    /// Where it is made.
    pub created: Vec<Site>,
    /// The name of the operation that takes it back, where an invoker has one.
    pub undo: Option<Sym>,
}

/// What a holder may run.
struct Running {
    holds: Holds,
    operation: Sym,
    undo: Option<Sym>,
    /// The operation that takes back what is kept to be run again.
    redone: Option<Sym>,
    /// Whether what is put there is written out as objects, and has no class.
    of_literals: bool,
}

impl Running {
    fn of(wiring: &Wiring<'_>, holder: &Holder) -> Option<Self> {
        let program = wiring.program();
        let by_place = holder.by_place(wiring);
        let (holds, operation) = by_place.map(|(run, _)| (Holds::History, run)).or_else(|| holder.holds())?;
        // what ends objects is no command
        let pack = &program.kit_of(holder.field).pack;
        let text = program.text(operation);
        if (pack.ends(text) || pack.clears.contains(text)) && !pack.invokers.contains(text) {
            return None;
        }
        let undo = if holds == Holds::History { Some(holder.run_back(wiring, operation)?) } else { None };
        let redone = match (holds, by_place) {
            (Holds::History, Some((_, undo))) => Some(undo),
            (Holds::History, None) => holder.run_back_and_kept(wiring),
            _ => None,
        };
        let runs = |base: TypeId| {
            [Some(operation), undo].into_iter().flatten().any(|run| is_kind(wiring, base, run, redone, holds != Holds::Slot))
        };
        let of_literals = holds != Holds::Slot && holder.holds_literals(wiring);
        (of_literals || holder.base.is_none_or(runs)).then_some(Self { holds, operation, undo, redone, of_literals })
    }
}

/// Whether what has a base is a command by an operation, and by the one that takes it back, where what was run is kept; `is_taken` says
/// that it is taken off a list of such.
fn is_kind(wiring: &Wiring<'_>, base: TypeId, operation: Sym, redone: Option<Sym>, is_taken: bool) -> bool {
    shape::is_command_type(wiring, base, operation, is_taken)
        || redone.is_some_and(|undo| shape::is_undoable(wiring, base, operation, undo))
}

/// Finds the commands and invokers of a tree.
pub(crate) fn find(wiring: &Wiring<'_>) -> Commands {
    let program = wiring.program();
    let holders::Found { called, of_functions, idle } = holders::find(wiring);
    // only of those that may run commands is it asked what comes to them
    let mut running: Vec<(Holder, Running)> = called
        .into_par_iter()
        .with_max_len(1)
        .filter_map(|mut holder| {
            let running = Running::of(wiring, &holder)?;
            holder.trace(wiring);
            Some((holder, running))
        })
        .collect();
    // what is taken from one list and put into another is known by where it came from
    running.sort_by_key(|(h, _)| (h.made.is_empty(), h.is_slot, !h.from_outside));
    let mut found = Commands { of_functions: functions_run(wiring, of_functions), ..Commands::default() };
    // the common type of commands, with the operation that runs them, and the one that takes them back
    let mut kinds: BTreeMap<(TypeId, Sym), Option<Sym>> = BTreeMap::new();
    for (holder, Running { holds, mut operation, mut undo, redone, of_literals }) in running {
        // what was taken back is kept to be run again
        if let Some(known) = found.invokers.iter().find(|i| i.undo == Some(operation) && undo == Some(i.operation)) {
            (operation, undo) = (known.operation, known.undo);
        }
        if let Some(back) = redone {
            undo = Some(back);
        }
        let mut classes: BTreeSet<TypeId> = BTreeSet::new();
        let mut kind = None;
        match holder.base.filter(|base| is_kind(wiring, *base, operation, redone, holds != Holds::Slot)) {
            Some(base) => {
                classes.extend(shape::concrete(program, base).into_iter().filter(|c| shape::method(program, *c, operation).is_some()));
                kind = Some(base);
            }
            None => {
                // objects that are written out are commands without a class
                if of_literals {
                    found.invokers.push(Invoker { holder, holds, operation, undo, commands: BTreeSet::new() });
                    continue;
                }
                // nothing is typed: what comes here says what it is
                classes.extend(holder.made.keys().copied().filter(|c| shape::is_command(wiring, *c, operation)));
                if holder.made.is_empty() && holder.base.is_none() {
                    let owner = program.member(holder.field).owner;
                    let beside =
                        found.invokers.iter().filter(|i| i.operation == operation && program.member(i.holder.field).owner == owner);
                    classes.extend(beside.flat_map(|i| i.commands.iter().copied()));
                }
                // what a function makes of its own variables may do anything, as a function may
                let made = holder.made.keys().filter(|t| classes.contains(t) || !program.is_of_function(**t)).count();
                if holder.base.is_some() || classes.is_empty() || classes.len() < made {
                    continue;
                }
            }
        }
        if holds == Holds::Slot && !shape::fills_a_slot(wiring, &holder, &classes, operation) {
            // what was run last is kept to be taken back
            let others = classes.iter().all(|c| found.commands.get(c).is_some_and(|k| program.member(k.operation).name != operation));
            if holder.is_slot && others && !classes.is_empty() {
                take_back(&mut found, holder, &classes, operation);
            } else if let Some(base) = kind.filter(|_| !holder.keyed) {
                // what is held and run for another reason is none where a code makes it either
                kinds.entry((base, operation)).or_default();
            }
            continue;
        }
        if let Some(base) = kind {
            let known = kinds.entry((base, operation)).or_default();
            *known = known.or(undo);
        }
        for class in &classes {
            add(wiring, &mut found.commands, *class, operation, undo);
            // made by a table that holds classes
            if let (Some(command), Some(made)) = (found.commands.get_mut(class), holder.made.get(class))
                && command.created.is_empty()
            {
                command.created.clone_from(made);
            }
        }
        found.invokers.push(Invoker { holder, holds, operation, undo, commands: classes });
    }
    // made by a code, and run where they are made
    for (base, operation) in shape::made_by_code(wiring) {
        if kinds.contains_key(&(base, operation)) {
            continue;
        }
        kinds.insert((base, operation), None);
        for class in shape::concrete(program, base) {
            if shape::method(program, class, operation).is_some() {
                add(wiring, &mut found.commands, class, operation, None);
            }
        }
    }
    for (class, operation, undo) in alike(wiring, &found.invokers) {
        add(wiring, &mut found.commands, class, operation, undo);
    }
    found.invokers.sort_by_key(|i| i.holder.field);
    let bases: BTreeSet<TypeId> = kinds.keys().map(|(b, _)| *b).collect();
    // where nothing is typed, what comes there says whether it is one of commands
    let may_hold = |h: &Holder| !found.commands.is_empty() && h.base.is_none_or(|b| bases.contains(&b)) || waits_for_run(wiring, h);
    let mut undrained: Vec<Holder> = idle.into_iter().filter(|h| may_hold(h) && !h.is_handed_on(wiring)).collect();
    for holder in &mut undrained {
        holder.trace(wiring);
    }
    undrained.retain(|h| h.base.is_some() || !h.made.is_empty() && h.made.keys().all(|class| found.commands.contains_key(class)));
    found.undrained = undrained;
    found
}

/// The lists of functions that wait to be run: those that are heard instead are channels, and the ends of what was begun are no work.
fn functions_run(wiring: &Wiring<'_>, holders: Vec<Holder>) -> Vec<(Holder, Holds)> {
    let program = wiring.program();
    let is_channel = |m: MemberId| wiring.channels.iter().any(|c| matches!(c.key, ChannelKey::Own(x, _) if x == m));
    let is_ending = |site: &Site| {
        let name = program.member(site.member).name;
        program.kit_of(site.member).pack.teardowns.contains(program.text(name))
    };
    let is_work = |h: &Holder| !h.drained.is_empty() && !is_channel(h.field) && !h.run.iter().all(is_ending);
    let held = |h: Holder| h.holds_functions(wiring).map(|holds| (h, holds));
    holders.into_iter().filter(is_work).filter_map(held).collect()
}

/// Whether a field is a queue by its type, of what is there to be run and for nothing else: objects of an interface with one method.
fn waits_for_run(wiring: &Wiring<'_>, holder: &Holder) -> bool {
    let program = wiring.program();
    let Some(base) = holder.base.filter(|_| wiring.flow.is_queue(holder.field)) else { return false };
    let mut methods = program.ty(base).members.iter().filter(|m| program.member(**m).kind == MemberKind::Method);
    match (methods.next(), methods.next()) {
        (Some(only), None) => shape::is_command_type(wiring, base, program.member(*only).name, true),
        _ => false,
    }
}

/// Notes that a slot holds what was run last, and by which operation that is taken back.
fn take_back(found: &mut Commands, mut holder: Holder, classes: &BTreeSet<TypeId>, undo: Sym) {
    for class in classes {
        if let Some(known) = found.commands.get_mut(class) {
            known.undo = known.undo.or(Some(undo));
        }
    }
    let run = found.invokers.iter().find(|i| i.commands.iter().any(|c| classes.contains(c))).map(|i| i.operation);
    if let Some(operation) = run {
        holder.drained = holder.taken.iter().map(|(site, _)| (*site, false, false)).collect();
        found.invokers.push(Invoker { holder, holds: Holds::History, operation, undo: Some(undo), commands: classes.clone() });
    }
}

/// Classes that nobody makes, beside those that come to an invoker for which nothing is typed: of the same file, with the same
/// operations, and a receiver too.
fn alike(wiring: &Wiring<'_>, invokers: &[Invoker]) -> Vec<(TypeId, Sym, Option<Sym>)> {
    let program = wiring.program();
    let mut found = Vec::new();
    for invoker in invokers.iter().filter(|i| i.holder.base.is_none() && i.commands.len() > 1) {
        let units: BTreeSet<_> = invoker.commands.iter().map(|c| program.ty(*c).unit).collect();
        for (index, ty) in program.types.iter().enumerate().filter(|(_, ty)| units.contains(&ty.unit)) {
            let class = TypeId(index as u32);
            let has_undo = invoker.undo.is_none_or(|undo| shape::method(program, class, undo).is_some());
            if ty.kind == TypeKind::Class
                && !ty.anonymous
                && !invoker.commands.contains(&class)
                && has_undo
                && shape::is_command(wiring, class, invoker.operation)
                && wiring.flow.creations(class).is_empty()
            {
                found.push((class, invoker.operation, invoker.undo));
            }
        }
    }
    found
}

fn add(wiring: &Wiring<'_>, commands: &mut BTreeMap<TypeId, Command>, class: TypeId, operation: Sym, undo: Option<Sym>) {
    let Some(method) = shape::method(wiring.program(), class, operation) else { return };
    if let Some(known) = commands.get_mut(&class) {
        known.undo = known.undo.or(undo);
        return;
    }
    let (receivers, calls) = shape::receivers(wiring, class, method);
    let created = wiring.flow.creations(class);
    commands.insert(
        class,
        Command { class, operation: method, arguments: shape::arguments(wiring, class, method), receivers, calls, created, undo },
    );
}
