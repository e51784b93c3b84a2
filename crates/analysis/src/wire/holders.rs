//! What is done with each member that holds something, and which of them are channels by that: who puts handlers in,
//! how they are told, and what their types and names say.

use std::sync::{Arc, Mutex};

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{Body, MemberKind, Node, NodeId, TypeKind, TypeRef, Visibility};

use super::channels::Signals;
use super::effect::{Act, Effect, Event, Guard};
use super::spread;
use crate::chain::behaviour::method_call_of;
use crate::flow::{Flow, Val};
use crate::memo::known_or;
use crate::program::{MemberId, Program, Site, Sym, Ty, TypeId};

/// What is known of each member that holds something.
pub(super) struct Holders {
    channels: FxHashSet<MemberId>,
    /// Those that only constructors give a value.
    pub(super) kept: FxHashSet<MemberId>,
}

#[derive(Clone, Copy, Default)]
struct Use {
    open_join: bool,
    outside_join: bool,
    /// Whether something else than a constructor puts something in.
    elsewhere: bool,
    combined: bool,
    raises: u32,
    taking: u32,
    stopping: u32,
    answering: u32,
    messages: bool,
    /// Whether a message says by its name that something has happened.
    of_events: bool,
    walks: u32,
    open_leave: bool,
    drained: bool,
    hands_itself: bool,
    /// Whether what is put in tells the others through the holder.
    talks_back: bool,
    /// Whether it does so by the holder's own class, not by something that the class has in common with others.
    talks_back_to_it: bool,
    idiom: bool,
    /// Whether what is put in is a record around a handler.
    in_record: bool,
    /// How often a record is asked something, of which the handler in it is told nothing.
    asking: u32,
    /// Whether those who are told are found by a topic that is handed in.
    by_topic: bool,
    /// Whether the owner hands itself to those whom it tells.
    hands_owner: bool,
    /// Whether a raise would fail where nobody is there.
    unguarded: bool,
    /// How often something is put in, how often its type is known or would have to be, and how often it is of the holder's own kind.
    joins: u32,
    of_known_kind: u32,
    of_own_kind: u32,
    /// How often somebody is told by a method that the holder's own kind has and no other.
    by_own_methods: u32,
    /// What those who are told are taken as, where that is said.
    told_as: ToldAs,
}

/// What the elements of a list are taken as when they are told something.
#[derive(Clone, Copy, Default, PartialEq, Eq)]
enum ToldAs {
    #[default]
    Unsaid,
    Own(TypeId),
    Outside(Sym),
    Several,
}

impl ToldAs {
    /// What it is in a body that calls something on what it takes out of a list.
    fn of(flow: &Flow<'_>, call: Site) -> Self {
        let Some(body) = flow.program.body(call.member) else { return Self::Unsaid };
        let Node::Call { callee, .. } = body.node(call.node) else { return Self::Unsaid };
        let Node::Member { object, .. } = body.node(callee) else { return Self::Unsaid };
        match flow.type_of_node(call.member, object) {
            Ty::Own(t, _) => Self::Own(t),
            Ty::Outside(name, _) => Self::Outside(name),
            _ => Self::Unsaid,
        }
    }

    fn and(self, other: Self) -> Self {
        match (self, other) {
            (known, Self::Unsaid) | (Self::Unsaid, known) => known,
            (a, b) if a == b => a,
            _ => Self::Several,
        }
    }

    /// The type, where it is one.
    fn ty(self) -> Option<Ty> {
        match self {
            Self::Own(t) => Some(Ty::Own(t, Arc::default())),
            Self::Outside(name) => Some(Ty::Outside(name, Arc::default())),
            Self::Unsaid | Self::Several => None,
        }
    }
}

/// Whether objects of a class that are put on a roster talk to its owner, and whether they are known to.
type Talk = Mutex<FxHashMap<(MemberId, TypeId), (bool, bool)>>;

impl Use {
    fn add(&mut self, flow: &Flow<'_>, m: MemberId, effect: &Effect, signals: &Signals, talk: &Talk) {
        let program = flow.program;
        let owner = program.member(m).owner;
        let within = program.member(effect.site.member);
        match effect.act {
            Act::Join => {
                let open = spread::open_in(flow, effect, signals).is_some() && matches!(effect.handler, Some(Val::Param(..)));
                let inside = program.is_a(within.owner, owner) || within.owner == owner || encloses(flow, owner, within.owner);
                let innermost = program.member(effect.innermost().member);
                self.open_join |= open && within.kind != MemberKind::Constructor;
                self.outside_join |= !inside && effect.inner.is_empty();
                self.elsewhere |= innermost.kind != MemberKind::Constructor || !program.is_a(innermost.owner, owner);
                self.hands_itself |= matches!(effect.handler, Some(Val::This(_) | Val::Lambda(..) | Val::Method(..) | Val::Bound(..)));
                self.combined |= !effect.replaces;
                self.in_record |= effect.in_record;
                let is_own_kind = |h: &Val| flow.type_of(h).own().is_some_and(|t| program.is_a(t, owner));
                let of_tree = effect.handler.as_ref().and_then(|h| flow.type_of(h).own());
                if let Some(t) = of_tree {
                    let (back, to_it) = known_or(talk, (m, t), || super::colleagues::talk_back(flow, m, t));
                    self.talks_back |= back;
                    self.talks_back_to_it |= to_it;
                }
                self.joins += 1;
                self.of_known_kind += u32::from(of_tree.is_some() || !program.kit_of(m).traits.duck_typed);
                self.of_own_kind += u32::from(effect.handler.as_ref().is_some_and(is_own_kind));
                self.idiom |= is_library_call(flow, effect);
            }
            Act::Raise => {
                self.raises += 1;
                self.asking += u32::from(effect.message.is_some_and(|name| asks_the_record(flow, m, name)));
                self.unguarded |= effect.guard == Guard::None;
                self.by_topic |= effect.holder.key.is_some();
                self.hands_owner |= hands_this(program, effect.site);
                self.taking += u32::from(effect.takes_out);
                self.stopping += u32::from(effect.stops);
                self.answering += u32::from(effect.result_used && effect.holder.key.is_some() && !effect.walks);
                self.messages |= effect.message.is_some();
                self.by_own_methods += u32::from(effect.message.is_some_and(|name| is_of_kind(flow, owner, name)));
                self.of_events |= effect.message.is_some_and(|m| says_what_happened(program.text(m)));
                self.walks += u32::from(effect.walks || effect.holder.key.is_none());
                self.idiom |= is_library_call(flow, effect);
                if effect.message.is_some() && effect.inner.is_empty() && !program.kit_of(m).traits.duck_typed {
                    self.told_as = self.told_as.and(ToldAs::of(flow, effect.site));
                }
            }
            Act::Leave | Act::LeaveAll | Act::LeaveOwner => {
                self.drained |= effect.takes_out;
                // a position says nothing of who leaves, a name does
                let is_text = |ty: &Ty| program.type_name(ty).is_some_and(|name| name.to_lowercase().contains("string"));
                let is_position = |ty: &Ty| program.is_data(m, ty) && !is_text(ty);
                let by_whom = |h: &Val| matches!(h, Val::Param(..)) && !is_position(&flow.type_of(h));
                self.open_leave |= effect.act == Act::Leave && effect.handler.as_ref().is_some_and(by_whom);
                self.idiom |= is_library_call(flow, effect);
            }
        }
    }

    /// Whether a list that is called so is given functions where it is, all of which are called.
    fn hears_functions(&self, name: &str) -> bool {
        self.hands_itself && self.combined && self.walks > 0 && !self.messages && holds_listeners(name)
    }

    /// Whether what is put in is, as a rule, of the holder's own kind: a part of a whole.
    fn holds_parts(&self) -> bool {
        self.of_own_kind * 2 > self.of_known_kind || self.by_own_methods * 2 > self.raises
    }

    /// What it may come to once effects are carried to callers: how raises are made stays as it is,
    /// all else may be added.
    fn may_grow(&self) -> impl Iterator<Item = Self> {
        let grown = Self {
            open_join: true,
            outside_join: true,
            elsewhere: true,
            combined: true,
            messages: true,
            of_events: true,
            open_leave: true,
            hands_itself: true,
            talks_back: true,
            talks_back_to_it: true,
            by_topic: true,
            of_own_kind: 0,
            raises: self.raises.max(1),
            walks: self.walks.max(1),
            ..*self
        };
        [Self { in_record: false, ..grown }, Self { in_record: true, ..grown }].into_iter()
    }

    fn merge(&mut self, other: &Self) {
        self.open_join |= other.open_join;
        self.outside_join |= other.outside_join;
        self.elsewhere |= other.elsewhere;
        self.combined |= other.combined;
        self.raises += other.raises;
        self.asking += other.asking;
        self.taking += other.taking;
        self.stopping += other.stopping;
        self.answering += other.answering;
        self.messages |= other.messages;
        self.of_events |= other.of_events;
        self.walks += other.walks;
        self.open_leave |= other.open_leave;
        self.drained |= other.drained;
        self.hands_itself |= other.hands_itself;
        self.talks_back |= other.talks_back;
        self.talks_back_to_it |= other.talks_back_to_it;
        self.idiom |= other.idiom;
        self.in_record |= other.in_record;
        self.unguarded |= other.unguarded;
        self.by_topic |= other.by_topic;
        self.hands_owner |= other.hands_owner;
        self.joins += other.joins;
        self.of_known_kind += other.of_known_kind;
        self.of_own_kind += other.of_own_kind;
        self.by_own_methods += other.by_own_methods;
        self.told_as = self.told_as.and(other.told_as);
    }
}

/// Whether, in code without types, a method of a name is one that a class and its kin have, and nobody else.
fn is_of_kind(flow: &Flow<'_>, class: TypeId, name: Sym) -> bool {
    let program = flow.program;
    program.told_by_name(name).is_some_and(|m| program.are_kin(program.member(m).owner, class))
}

/// Whether an object is among what it hands over with a call.
pub(crate) fn hands_this(program: &Program, call: Site) -> bool {
    let Some(body) = program.body(call.member) else { return false };
    matches!(body.node(call.node), Node::Call { args, .. } if body.list(args).iter().any(|a| matches!(body.node(*a), Node::This)))
}

/// What is done with each member that holds something.
fn uses(flow: &Flow<'_>, effects: &[Effect], signals: &Signals) -> FxHashMap<MemberId, Use> {
    let talk = Talk::default();
    effects
        .par_iter()
        .fold(FxHashMap::<MemberId, Use>::default, |mut uses, effect| {
            if let Event::Own(m) = effect.holder.event {
                uses.entry(m).or_default().add(flow, m, effect, signals, &talk);
            }
            uses
        })
        .reduce(FxHashMap::default, |mut all, more| {
            for (m, u) in more {
                all.entry(m).or_default().merge(&u);
            }
            all
        })
}

impl Holders {
    pub(super) fn of(flow: &Flow<'_>, effects: &[Effect], signals: &Signals) -> Self {
        let uses = uses(flow, effects, signals);
        let channels = uses.par_iter().filter(|(m, u)| is_channel(flow, **m, u)).map(|(m, _)| *m).collect();
        let kept = uses.iter().filter(|(_, u)| !u.elsewhere && !u.combined).map(|(m, _)| *m).collect();
        Self { channels, kept }
    }

    pub(super) fn is_channel(&self, m: MemberId) -> bool {
        self.channels.contains(&m)
    }
}

/// Members that are no channels whatever else is found to be done with them: all that is known of
/// them is what is done in place, before anything is carried to callers.
pub(super) fn hopeless(flow: &Flow<'_>, effects: &[Effect], signals: &Signals) -> FxHashSet<MemberId> {
    let of_signal = |m: MemberId| signals.contains(&flow.program.member(m).owner);
    let uses = uses(flow, effects, signals);
    uses.into_par_iter().filter(|(m, u)| !of_signal(*m) && !u.may_grow().any(|u| is_channel(flow, *m, &u))).map(|(m, _)| m).collect()
}

/// Whether a library's method did it: then the holder is an object of the library that is a
/// channel by itself.
fn is_library_call(flow: &Flow<'_>, effect: &Effect) -> bool {
    // elements that are told something are objects of their own
    if effect.message.is_some() {
        return false;
    }
    // also where a wrapper was handed the object
    let site = effect.innermost();
    let Some(body) = flow.program.body(site.member) else { return false };
    let Node::Call { callee, .. } = body.node(site.node) else { return false };
    let Node::Member { name, .. } = body.node(callee) else { return false };
    let text = flow.program.unit_of(site.member).text(name);
    let pack = &*flow.program.kit_of(site.member).pack;
    pack.idioms.named(text).iter().any(|i| i.member_is_channel) && flow.callee(site).is_none()
}

fn encloses(flow: &Flow<'_>, outer: TypeId, inner: TypeId) -> bool {
    let mut around = Some(inner);
    while let Some(t) = around {
        if t == outer {
            return true;
        }
        around = flow.enclosing_type(t);
    }
    false
}

/// Whether a type's name says that it is told things; that raises certainty, and decides nothing alone.
pub(super) fn is_called_listener(name: &str) -> bool {
    ["Listener", "Observer", "Callback", "Watcher", "Watch", "Delegate", "Subscriber", "Follower"].iter().any(|e| name.ends_with(e))
}

/// Whether the name of a type is that of whatever there is, which compilers do not look at.
fn says_nothing(name: &str) -> bool {
    ["any", "unknown", "dynamic"].contains(&name)
}

/// Whether a member's name says that it holds what is told things (`_watchers`).
fn holds_listeners(name: &str) -> bool {
    let name = name.trim_matches('_').trim_end_matches('s').to_lowercase();
    ["listener", "observer", "callback", "watcher", "subscriber", "follower", "handler", "hook", "sink"].iter().any(|e| name.ends_with(e))
}

/// Whether a member's name is that of a place for one handler (`onSpill`).
fn is_slot_name(name: &str) -> bool {
    name.trim_start_matches(['_', '#']).strip_prefix("on").is_some_and(|rest| rest.starts_with(|c: char| c.is_uppercase()))
}

/// Whether the name of a method says that it is told what has happened (`levelChanged`, `onRise`, `notify`).
pub(crate) fn says_what_happened(name: &str) -> bool {
    // whatever case its language begins names with
    let lower = name.chars().next().map_or_else(String::new, |c| c.to_lowercase().chain(name.chars().skip(1)).collect());
    let begins = |word: &str| lower.strip_prefix(word).is_some_and(|rest| !rest.starts_with(|c: char| c.is_lowercase()));
    let participle = name.ends_with("ed") && !name.ends_with("eed") && name.len() > 4;
    participle || ["on", "handle", "notify", "notice", "update", "hear", "receive"].into_iter().any(begins)
}

/// Whether a type of the tree is an interface whose name says that it is told things.
pub(super) fn is_listener_interface(program: &Program, ty: TypeId) -> bool {
    let ty = program.ty(ty);
    ty.kind == TypeKind::Interface && is_called_listener(program.text(ty.name))
}

/// The type of the handler that a record of the tree keeps, by itself or as its base does: `class Entry extends Kept<Listener>`.
pub(super) fn kept_handler(flow: &Flow<'_>, record: TypeId) -> Option<Ty> {
    let program = flow.program;
    let handler = |m: &MemberId, of: &Ty| {
        let info = program.member(*m);
        if !matches!(info.kind, MemberKind::Field | MemberKind::Property) || info.is_static {
            return None;
        }
        let declared = program.declared_type(*m);
        let ty = match &declared {
            Ty::Outside(_, args) if args.len() == 1 && program.is_weak(info.unit, &declared) => args[0].clone(),
            _ => declared,
        };
        let ty = match of {
            Ty::Own(t, args) if !args.is_empty() => ty.substitute(&program.ty(*t).params, args),
            _ => ty,
        };
        let interface = matches!(&ty, Ty::Own(t, _) if program.ty(*t).kind == TypeKind::Interface);
        (interface || program.is_callable(info.unit, &ty)).then_some(ty)
    };
    let bases = program.ty(record).bases.iter().filter(|base| matches!(base, Ty::Own(_, args) if !args.is_empty()));
    std::iter::once(&Ty::Own(record, Arc::default()))
        .chain(bases)
        .filter_map(|of| Some((of, of.own()?)))
        .find_map(|(of, class)| program.ty(class).members.iter().find_map(|m| handler(m, of)))
}

/// Whether a method that is called on the records of a collection is the record's own business: the handler that it keeps is told nothing
/// by it, as by `failure.message()`.
fn asks_the_record(flow: &Flow<'_>, m: MemberId, message: Sym) -> bool {
    let program = flow.program;
    let Some(record) = flow.element_held(m).own().filter(|t| program.ty(*t).kind == TypeKind::Class) else { return false };
    let Some(method) = program.find_member_as(record, message, true).filter(|x| program.member(*x).kind == MemberKind::Method) else {
        return false;
    };
    let (Some(body), Some(kept)) = (program.body(method), kept_handler(flow, record)) else { return false };
    let tells = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } => match body.node(callee) {
            Node::Member { object, .. } if flow.type_of_node(method, object) == kept => true,
            _ => flow.type_of_node(method, callee) == kept,
        },
        _ => false,
    };
    !body.ids().any(tells)
}

/// Whether all that an interface has is methods that say what has happened, and give nothing back.
fn hears_only(program: &Program, interface: TypeId) -> bool {
    let gives_nothing = |m: MemberId| {
        let declared = program.decl(m).ty.map(|ty| program.unit_of(m).type_ref(ty));
        declared.is_none_or(|ty| matches!(ty, TypeRef::Named { name, .. } if program.unit_of(m).text(*name) == "void"))
    };
    let mut count = 0;
    let mut hears = true;
    program.for_each_base(interface, &mut |t| {
        for m in &program.ty(t).members {
            let info = program.member(*m);
            count += 1;
            hears &= info.kind == MemberKind::Method && says_what_happened(program.text(info.name)) && gives_nothing(*m);
        }
        hears
    });
    hears && count > 0 && program.outside_bases(interface).is_empty()
}

/// Whether an expression makes a collection with nothing in it.
fn is_empty_list(body: &Body, node: NodeId) -> bool {
    match body.node(node) {
        Node::Collection { items, .. } => items.len == 0,
        Node::New { args, init, .. } => args.len == 0 && init.is_none_or(|i| body.children(i).is_empty()),
        _ => false,
    }
}

/// Whether heirs of a class do something that it does in a way of their own.
fn has_hooks(program: &Program, class: TypeId) -> bool {
    let is_method = |m: &MemberId| program.member(*m).kind == MemberKind::Method;
    let replaced = |heir: TypeId| {
        let own = program.ty(heir).members.iter().filter(|m| is_method(m));
        own.map(|m| program.member(*m).name).any(|name| program.own_members(class, name).iter().any(is_method))
    };
    program.heirs(class).into_iter().filter(|heir| *heir != class).any(replaced)
}

/// Decides by shape: who puts handlers in, and what is done with them.
fn is_channel(flow: &Flow<'_>, m: MemberId, u: &Use) -> bool {
    let program = flow.program;
    let info = program.member(m);
    if info.kind == MemberKind::Event {
        return true;
    }
    let ty = flow.type_held(m);
    // a function that only constructors take is a strategy, also where it is called by name
    let strategy = !u.elsewhere && !u.combined && program.is_callable(info.unit, &ty);
    if u.idiom && !strategy {
        return true;
    }
    if ty.own().is_some_and(|class| super::views::has_view(flow, class)) {
        return true;
    }
    if !matches!(info.kind, MemberKind::Field | MemberKind::Property) {
        return false;
    }
    // nobody need be on it
    if matches!(ty, Ty::Outside(name, _) if program.kit_of(m).pack.idioms.is_channel_type(program.text(name))) {
        return true;
    }
    // queues of work, chains that stop, and factories are other patterns
    if u.drained && !u.open_leave {
        return false;
    }
    // what is kept beside a handler is all that anybody asks for
    if u.in_record && u.raises > 0 && u.asking == u.raises {
        return false;
    }
    // an emitter may let a listener keep an event from the others
    let is_emitter = u.by_topic && u.open_leave && holds_listeners(program.text(info.name));
    if u.raises > 0 && (u.taking == u.raises || u.stopping == u.raises && !is_emitter || u.answering == u.raises) {
        return false;
    }
    let untyped = program.decl(m).ty.is_none();
    // where nothing says what the elements are, they are told as observers are, or called so
    let like_observers =
        !u.messages || u.hands_itself || u.talks_back || (u.open_leave && u.of_events) || holds_listeners(program.text(info.name));
    // who is told one at a time by his name, and tells the others in the same way
    let told = u.walks > 0 || u.talks_back && u.of_events;
    let shown = program.element_type(info.unit, &ty);
    if untyped && shown.is_none() && matches!(ty, Ty::Unknown | Ty::Record(_)) {
        // a slot that the tree leaves empty, and calls
        let of_nothing = |d: &Site| flow.eval(*d) == Val::Null;
        let defined = flow.definitions(m);
        let is_nowhere_else = || flow.program.index.writes(info.name).len() == defined.len();
        if u.joins == 0
            && u.unguarded
            && is_nowhere_else()
            && !defined.is_empty()
            && defined.iter().all(of_nothing)
            && is_slot_name(program.text(info.name))
        {
            return true;
        }
        // a collection, or a slot for a function, as it is used
        let filled_by_others = u.open_join || (u.outside_join && !u.messages) || u.hears_functions(program.text(info.name));
        let is_strategy = u.walks == 0 && !u.elsewhere;
        return filled_by_others && u.raises > 0 && like_observers && !is_strategy && !u.holds_parts();
    }
    if let Some(element) = shown {
        // who is held weakly belongs to somebody else
        let weakly = program.is_weak(info.unit, &element);
        let element = match program.element_type(info.unit, &element) {
            Some(inner) if !program.is_callable(info.unit, &element) => inner,
            _ => element,
        };
        // of what is kept in pairs one part is the handler
        let element = match &element {
            Ty::Outside(name, parts) if program.kit(info.unit).pack.tuples.contains(program.text(*name)) => {
                parts.iter().find(|part| program.is_callable(info.unit, part)).or(parts.last()).cloned().unwrap_or(Ty::Unknown)
            }
            _ => element,
        };
        let element = match element {
            Ty::Own(t, _) if u.in_record => kept_handler(flow, t).unwrap_or(element),
            // a list that does not say what it holds has what is taken out of it
            Ty::Unknown => u.told_as.ty().unwrap_or(Ty::Unknown),
            Ty::Outside(name, _) if says_nothing(program.text(name)) => Ty::Unknown,
            other => other,
        };
        let callable = program.is_callable(info.unit, &element);
        let listener = match &element {
            Ty::Own(..) if untyped && program.kit(info.unit).traits.duck_typed => told && !u.holds_parts() && like_observers,
            // a part that is merely held is told things too: a listener comes by itself, goes
            // again, or is called one
            Ty::Own(t, _) => {
                let kind = *t;
                let t = program.ty(*t);
                let is_called = is_called_listener(program.text(t.name));
                // what is one of those that it holds is a whole with its parts
                if !is_called && t.kind != TypeKind::Interface && program.is_a(info.owner, kind) {
                    return false;
                }
                let comes_and_goes = u.hands_itself || u.talks_back || u.open_leave || weakly;
                let is_told_only = || u.of_events && u.open_join && hears_only(program, kind);
                let interface = t.kind == TypeKind::Interface && (is_called || comes_and_goes || is_told_only());
                let comes = is_called || u.hands_itself || u.talks_back && (u.of_events || !u.hands_owner) || weakly;
                // objects of one class that hear of each other through who keeps them
                let colleagues = u.talks_back_to_it && u.of_events && u.messages && !u.holds_parts();
                // or what each of its kinds does in its own way, where they come by themselves and talk back
                let open_kind = || {
                    let comes_and_goes = u.hands_itself && u.talks_back_to_it && u.open_leave && u.messages && !u.holds_parts();
                    comes_and_goes && has_hooks(program, kind) && !super::channels::does_much_else(flow, info.owner)
                };
                told && (interface || colleagues || (t.modifiers.is_abstract && !t.heirs.is_empty() && u.messages && comes) || open_kind())
            }
            // what is held as anything at all says nothing: how it is told does
            Ty::Outside(name, _) if matches!(program.text(*name), "object" | "Object") => {
                u.raises > 0 && u.of_events && holds_listeners(program.text(info.name))
            }
            Ty::Outside(name, _) => {
                let text = program.text(*name);
                !program.kit(info.unit).pack.collections.contains(text) && is_called_listener(text)
            }
            // what has messages of its own is an item, not a handler
            Ty::Param(..) => u.raises > 0 && !u.messages,
            // nor what a collection of the tree's own holds
            Ty::Unknown => {
                let pack = &program.kit(info.unit).pack;
                let is_of_collection = || program.outside_bases(info.owner).iter().any(|b| pack.collections.contains(program.text(*b)));
                let comes_and_goes = || u.open_join && u.open_leave && !is_of_collection();
                // things of many kinds, each of which is asked in its own way, are data
                let is_mixed = u.told_as == ToldAs::Several && !u.open_leave && !holds_listeners(program.text(info.name));
                u.raises > 0 && !is_mixed && !(u.holds_parts() && u.messages) && (like_observers || comes_and_goes())
            }
            _ => false,
        };
        // a list of functions that all are called, and that the tree leaves empty
        let is_left_empty = || {
            let defined = flow.definitions(m);
            u.joins == 0
                && u.walks > 0
                && !u.messages
                && !defined.is_empty()
                && defined.iter().all(|d| program.body(d.member).is_some_and(|b| is_empty_list(b, d.node)))
        };
        // where nothing says what they are, what is called itself is a function
        let are_functions = callable || untyped && element == Ty::Unknown && !u.messages;
        let by_itself = are_functions && u.hears_functions(program.text(info.name));
        let filled_by_others = u.open_join || (u.outside_join && are_functions) || by_itself || is_left_empty();
        // one that others come to and go from, and that nobody tells anything
        let never_told = || u.raises == 0 && u.open_join && u.open_leave && is_for_listeners(flow, m);
        return filled_by_others && u.raises > 0 && (callable || listener) || never_told();
    }
    if program.is_callable(info.unit, &ty) {
        let public = program.decl(m).modifiers.visibility > Visibility::Private;
        let set_from_outside = u.open_join || u.outside_join;
        // a slot that is there for others, and that nobody ever fills
        let is_empty = |d: &Site| program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::New { args, .. } if args.len == 0));
        let never_filled = !u.elsewhere && !u.open_join && flow.definitions(m).iter().all(is_empty);
        if public && never_filled && u.raises > 0 && program.kit(info.unit).traits.open_names && info.kind == MemberKind::Field {
            return true;
        }
        return u.elsewhere && ((u.combined && (u.raises > 0 || public)) || (set_from_outside && u.raises > 0));
    }
    // one observer of an interface: only where its name says that it is told
    if let Ty::Own(t, _) = &ty {
        let name = program.text(program.ty(*t).name);
        let told = is_called_listener(name);
        let chain = program.is_a(info.owner, *t);
        // or where the slot is called so, and others put functions there: `rack.onLevel = (channel, level) -> …`
        let is_slot =
            || is_slot_name(program.text(info.name)) && u.outside_join && u.hands_itself && program.ty(*t).kind == TypeKind::Interface;
        return (told && u.open_join || is_slot()) && !chain && u.raises > 0 && u.elsewhere;
    }
    if let Ty::Outside(name, _) = &ty {
        let is_listener = program.kit(info.unit).pack.listeners.fits(program.text(*name));
        return is_listener && u.open_join && u.raises > 0 && u.elsewhere;
    }
    false
}

/// Whether a hidden collection is of functions, or of what is called a listener, that come and go and with which nothing else is done.
pub(crate) fn is_for_listeners(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let unit = program.member(m).unit;
    let is_listener = |element: &Ty| {
        program.is_callable(unit, element) || element.own().is_some_and(|t| is_called_listener(program.text(program.ty(t).name)))
    };
    program.element_type(unit, &flow.type_held(m)).is_some_and(|element| is_listener(&element)) && only_joined_and_left(flow, m)
}

/// Whether all that the code does with a hidden collection is to put something in and to take it out.
fn only_joined_and_left(flow: &Flow<'_>, m: MemberId) -> bool {
    let program = flow.program;
    let pack = &program.kit_of(m).pack;
    let is_such = |read: &Site| {
        let (Some(body), scope) = (program.body(read.member), program.scope(read.member)) else { return false };
        let Some((call, name)) = method_call_of(body, scope, read.node) else { return false };
        let text = program.unit_of(read.member).text(name);
        // `if (known.Add(listener)) listeners.Add(listener)` asks whether it is there
        let is_asked = || scope.parent(call).is_some_and(|p| matches!(body.node(p), Node::If { .. } | Node::Unary { .. }));
        pack.adds.contains(text) && !is_asked() || pack.removes.contains(text)
    };
    let mut reads = program.reads_in_class(m).filter(|read| names_member(flow, **read, m)).peekable();
    program.decl(m).modifiers.visibility == Visibility::Private && reads.peek().is_some() && reads.all(is_such)
}

/// Whether an expression names a member of its own object or class.
fn names_member(flow: &Flow<'_>, read: Site, m: MemberId) -> bool {
    matches!(flow.eval(read), Val::Member(_, x) | Val::Static(x) if x == m)
}
