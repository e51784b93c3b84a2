//! What channels are called, and what tells one from another.

use yarrowgraph_ir::{AccessorKind, AssignOp, MemberKind, Node, TypeKind, Visibility};
use yarrowgraph_model::ChannelKind;

use super::channels::{Channel, ChannelKey, Signals, Topic};
use super::effect::{Event, Holder};
use super::extract::holder_of;
use super::handed::{self, Hand};
use super::{selections, streams};
use crate::flow::{Flow, Val};
use crate::program::{Kinds, MemberId, Site, Sym, Ty, TypeId};

/// How many helpers a parameter is followed through.
const GIVEN: usize = 4;

/// How many names of one constant are followed.
const CONSTANTS: usize = 5;

/// Names channels.
pub(super) struct Namer<'f, 'p> {
    pub(super) flow: &'f Flow<'p>,
    pub(super) signals: &'f Signals,
}

impl Namer<'_, '_> {
    /// The member that holds a signal object, or several by topic, for what is done to the signal.
    pub(super) fn signal_member(&self, holder: &Holder) -> Option<(MemberId, Option<Topic>)> {
        let Event::Own(m) = holder.event else { return None };
        let owner = self.flow.program.member(m).owner;
        if !self.signals.tells(self.flow.program, m) {
            return None;
        }
        let (field, topic) = match &holder.subject {
            Val::Member(_, f) | Val::Static(f) => (*f, None),
            Val::Element(of, key) => match &**of {
                Val::Member(_, f) | Val::Static(f) => {
                    // the place in a list is no topic
                    let is_topic = !self.flow.is_sequence(of);
                    (*f, is_topic.then(|| key.as_ref().map_or(Topic::Any, |k| self.topic(k))))
                }
                _ => return None,
            },
            _ => return None,
        };
        // an heir of the signal class has an identity of its own
        (self.flow.type_of(&holder.subject).own() == Some(owner)).then(|| (self.overridden(field), topic))
    }

    /// What tells the channel of a holder from others.
    pub(super) fn key(&self, holder: &Holder) -> Option<ChannelKey> {
        if let Some((field, topic)) = self.signal_member(holder) {
            return Some(ChannelKey::Own(field, topic));
        }
        match &holder.event {
            Event::Own(m) => {
                let topic = holder.key.as_ref().map(|k| self.topic(k));
                Some(ChannelKey::Own(self.contract(self.overridden(*m)), topic))
            }
            Event::Outside(name) => Some(ChannelKey::Outside(self.outside_owner(&holder.subject), *name)),
            Event::Bus => {
                let topic = holder.key.as_ref().map_or(Topic::Any, |k| self.topic(k));
                Some(ChannelKey::Bus(self.bus(&holder.subject), topic))
            }
            Event::Given | Event::Handed => None,
        }
    }

    /// What tells channels from others that something is done to by way of an object which is handed over: a signal, or a channel of a
    /// library. Nothing where no caller shows which one it is.
    pub(super) fn handed(&self, within: MemberId, holder: &Holder) -> Vec<(ChannelKey, Option<Hand>)> {
        let is_channel = |value: &Val| {
            let is_signal = || self.flow.type_of(value).own().is_some_and(|class| self.signals.contains(&class));
            handed::is_channel_of_library(self.flow, within, value) || is_signal()
        };
        let value = match (&holder.event, &holder.subject) {
            (Event::Own(m), subject) if self.signals.tells(self.flow.program, *m) => Some(subject.clone()),
            (Event::Own(m), Val::Type(_)) => Some(Val::Static(*m)).filter(is_channel),
            (Event::Own(m), subject) => Some(Val::Member(subject.clone().into(), *m)).filter(is_channel),
            (Event::Handed, subject) => Some(subject.clone()).filter(is_channel),
            _ => None,
        };
        let Some(value) = value else { return Vec::new() };
        let objects = handed::objects(self.flow, &value);
        if matches!(&objects[..], [only] if only.value == value) {
            return Vec::new();
        }
        let key = |object: Val| match &holder.event {
            Event::Own(m) if self.signals.tells(self.flow.program, *m) => {
                let is_nameless = matches!(object, Val::New(_) | Val::Local(_) | Val::Call(_));
                let holder = Holder { subject: object, ..holder.clone() };
                (is_nameless || self.signal_member(&holder).is_some()).then(|| self.key(&holder)).flatten()
            }
            _ => {
                let found = holder_of(self.flow, &streams::source(self.flow, object))?;
                self.key(&Holder { key: found.key.or(holder.key.clone()), ..found })
            }
        };
        objects.into_iter().filter_map(|object| Some((key(object.value)?, object.hand))).collect()
    }

    /// The member that stands for a channel: where an accessor forwards to a backing field,
    /// the declared event and the field are one; so are an interface's event and the
    /// implementing one.
    pub(super) fn contract(&self, m: MemberId) -> MemberId {
        let program = self.flow.program;
        let info = program.member(m);
        if info.kind != MemberKind::Event {
            return m;
        }
        // an event of an interface with one implementation
        let owner = program.ty(info.owner);
        if owner.kind == TypeKind::Interface || program.decl(m).modifiers.is_abstract {
            let implementing: Vec<MemberId> = program
                .heirs(info.owner)
                .into_iter()
                .skip(1)
                .flat_map(|t| program.own_members(t, info.name).iter().copied())
                .filter(|x| program.member(*x).kind == MemberKind::Event && !self.forwards(*x))
                .collect();
            if let [one] = implementing[..] {
                return one;
            }
            if let Some(&first) = implementing.first().filter(|_| owner.kind == TypeKind::Interface) {
                return first;
            }
        }
        m
    }

    /// The member of the topmost class in whose place a member stands: an override of an abstract event of which there
    /// are others, and, where objects have one field of a name, the field of a base.
    pub(super) fn overridden(&self, m: MemberId) -> MemberId {
        let program = self.flow.program;
        let info = program.member(m);
        let one_of_a_name = program.kit(info.unit).traits.file_modules;
        let asks = match info.kind {
            MemberKind::Event => program.decl(m).modifiers.is_override,
            MemberKind::Field => one_of_a_name && !info.is_static,
            _ => false,
        };
        if !asks {
            return m;
        }
        let mut found = m;
        program.for_each_base(info.owner, &mut |t| {
            let declared = program.own_members(t, info.name).iter().copied().find(|x| program.member(*x).kind == info.kind);
            if let Some(x) = declared.filter(|x| *x != m && program.ty(t).kind == TypeKind::Class)
                && program.decl(x).modifiers.visibility != Visibility::Private
                && (one_of_a_name || (program.decl(x).modifiers.is_abstract && self.contract(x) == x))
            {
                found = x;
            }
            true
        });
        found
    }

    /// Whether an event has accessors that hand on to something else.
    pub(super) fn forwards(&self, m: MemberId) -> bool {
        let info = self.flow.program.member(m);
        self.flow
            .program
            .own_members(info.owner, info.name)
            .iter()
            .any(|x| matches!(self.flow.program.member(*x).kind, MemberKind::Accessor(AccessorKind::Add)))
    }

    /// A key as a topic.
    pub(super) fn topic(&self, key: &Val) -> Topic {
        let program = self.flow.program;
        match key {
            Val::Str(s) => Topic::Named(program.text(*s).to_owned()),
            Val::Type(t) => Topic::Named(program.type_id(*t)),
            Val::Global(name) => Topic::Named(program.text(*name).to_owned()),
            Val::Static(m) => self.constant_topic(*m),
            Val::Member(_, m) => match self.flow.only_definition(*m).map(|d| self.flow.eval(d)) {
                Some(Val::Str(s)) => Topic::Named(program.text(s).to_owned()),
                _ => Topic::Any,
            },
            Val::Outside(of, name) if self.asks_class(*name) => match self.flow.type_of(of) {
                Ty::Own(t, _) => Topic::Named(program.type_id(t)),
                _ => Topic::Any,
            },
            Val::Outside(of, name) if matches!(**of, Val::Global(_)) => {
                Topic::Named(format!("{}.{}", self.flow.show(of), program.text(*name)))
            }
            Val::Outside(..) | Val::Element(..) => {
                self.flow.text_of(key).map_or(Topic::Any, |text| Topic::Named(program.text(text).to_owned()))
            }
            _ => Topic::Any,
        }
    }

    /// The topic that a constant stands for: its text, that of the constant it is another name of, or
    /// itself where it has no value of its own.
    fn constant_topic(&self, constant: MemberId) -> Topic {
        let program = self.flow.program;
        let mut m = constant;
        for _ in 0..CONSTANTS {
            match self.flow.only_definition(m).map(|d| self.flow.eval(d)) {
                Some(Val::Str(text)) => return Topic::Named(program.text(text).to_owned()),
                Some(Val::Static(other)) => m = other,
                _ => break,
            }
        }
        if program.is_constant(m) { Topic::Named(program.member_id(m)) } else { Topic::Any }
    }

    /// Whether a member of any object gives its class.
    fn asks_class(&self, name: Sym) -> bool {
        let program = self.flow.program;
        let text = program.text(name);
        program.packs().any(|pack| pack.class_getters.contains(text))
    }

    /// The owner of an event that is not of the tree, by the type of the subject.
    fn outside_owner(&self, subject: &Val) -> String {
        let program = self.flow.program;
        match self.flow.type_of(subject) {
            Ty::Own(t, _) | Ty::Static(t) => program.type_id(t),
            Ty::Outside(name, _) => program.text(name).to_owned(),
            _ => match subject {
                Val::Global(name) => program.text(*name).to_owned(),
                Val::This(t) => program.type_id(*t),
                // what a getter of a library's object hands out
                Val::Call(site) => match self.flow.receiver(*site) {
                    // the one object of a class, by its static getter
                    Some((Val::Global(class), name)) if program.kit_of(site.member).pack.process_getters.contains(program.text(name)) => {
                        program.text(class).to_owned()
                    }
                    Some((object, name)) => format!("{}.{}", self.outside_owner(&object), program.text(name)),
                    None => self.flow.show(subject),
                },
                other => self.flow.show(other),
            },
        }
    }

    /// Whether a container fills a field, and nothing else does.
    fn is_injected(&self, m: MemberId) -> bool {
        let program = self.flow.program;
        program.is_annotated(m, &program.kit_of(m).pack.filled_annotations) && self.flow.definitions(m).is_empty()
    }

    /// The bus that a topic is on: the class of the tree, else the member that holds it.
    fn bus(&self, subject: &Val) -> String {
        self.bus_within(subject, GIVEN)
    }

    fn bus_within(&self, subject: &Val, hops: usize) -> String {
        let program = self.flow.program;
        if let Some(elements) = selections::picked(self.flow, subject) {
            return elements;
        }
        let given = |value: &Val| Some((self.always_given(value, GIVEN)?, hops.checked_sub(1)?));
        if let Ty::Own(t, _) = self.flow.type_of(subject) {
            return program.type_id(self.topmost(t));
        }
        // a part of what a constructor is given, that a field keeps
        if let Val::Member(of, _) = subject
            && matches!(of.root(), Val::Param(..))
            && let Some(field) = self.kept_in(subject)
        {
            return program.member_id(field);
        }
        match subject {
            // a field that only ever holds what its constructor is given is that
            Val::Member(_, m) => match self.flow.only_definition(*m).map(|site| self.flow.eval(site)) {
                // a container gives all who ask for the type the same one
                None if self.is_injected(*m) => match self.flow.type_of(subject) {
                    Ty::Outside(name, _) => program.text(name).to_owned(),
                    _ => program.member_id(*m),
                },
                Some(param @ (Val::Param(..) | Val::Local(_) | Val::Outside(..))) => {
                    match (given(&param), self.flow.type_of(&param), &param) {
                        (Some((given, hops)), ..) => self.bus_within(&given, hops),
                        (None, _, Val::Local(local)) if self.made_in(*local).is_some() => self.local_bus(*local),
                        (None, Ty::Outside(name, _), _) => program.text(name).to_owned(),
                        _ => program.member_id(*m),
                    }
                }
                _ => program.member_id(*m),
            },
            Val::Static(m) => program.member_id(*m),
            Val::Local(local) if self.made_in(*local).is_some() => self.local_bus(*local),
            Val::Call(site) => {
                // `EventBus.getDefault()`
                self.flow.receiver(*site).map_or_else(|| "?".into(), |(object, _)| self.flow.show(&object))
            }
            other => match (given(other), self.flow.type_of(other)) {
                (Some((given, hops)), _) => self.bus_within(&given, hops),
                (None, Ty::Outside(name, _)) => match self.put_in(other) {
                    Some(field) => program.member_id(field),
                    None => program.text(name).to_owned(),
                },
                _ => match self.kept_in(other) {
                    Some(field) => program.member_id(field),
                    None => self.flow.show(other),
                },
            },
        }
    }

    /// The bus that is made for a variable.
    fn local_bus(&self, local: Site) -> String {
        format!("{}.{}", self.flow.program.member_id(local.member), self.made_in(local).unwrap_or_default())
    }

    /// The field that only ever holds what a parameter, or a variable of the same method, holds.
    fn kept_in(&self, value: &Val) -> Option<MemberId> {
        let (Val::Param(within, None, _) | Val::Local(Site { member: within, .. })) = value.root() else { return None };
        let program = self.flow.program;
        let own = program.ty(program.member(*within).owner).members.iter().copied();
        let mut fields = own.filter(|m| matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Property));
        fields.find(|f| self.flow.only_definition(*f).is_some_and(|d| d.member == *within && self.flow.eval(d) == *value))
    }

    /// The field of the object that is given a parameter, or a variable of the same method, where it is given others elsewhere:
    /// it is what all that is done by way of the field is done to.
    fn put_in(&self, value: &Val) -> Option<MemberId> {
        let (Val::Param(within, None, _) | Val::Local(Site { member: within, .. })) = value else { return None };
        let (program, flow) = (self.flow.program, self.flow);
        let body = program.body_with(*within, Kinds::ASSIGN)?;
        body.ids().find_map(|n| {
            let Node::Assign { op: AssignOp::Set, target, value: given } = body.node(n) else { return None };
            let Val::Member(of, field) = flow.eval_in(*within, target) else { return None };
            let is_it = matches!(*of, Val::This(_)) && flow.eval_in(*within, given) == *value;
            (is_it && flow.only_definition(field).is_none() && !self.is_injected(field)).then_some(field)
        })
    }

    /// The name of a variable that an object is made for where it is declared.
    fn made_in(&self, local: Site) -> Option<&str> {
        let body = self.flow.program.body(local.member)?;
        let Node::Local { name, init: Some(init), .. } = body.node(local.node) else { return None };
        matches!(body.node(init), Node::New { .. }).then(|| self.flow.program.unit_of(local.member).text(name))
    }

    /// The member, or the variable of an object that is made there, that every caller hands over for a parameter.
    fn always_given(&self, value: &Val, budget: usize) -> Option<Val> {
        let budget = budget.checked_sub(1)?;
        let (Val::Param(..) | Val::Outside(..), Val::Param(m, None, _)) = (value, value.root()) else { return None };
        let mut given = self.flow.callers((*m, None)).iter().map(|(_, binding)| {
            let handed = self.written_part(value.substitute(binding));
            self.always_given(&handed, budget).unwrap_or(handed)
        });
        let is_one = |v: &Val| match v {
            Val::Member(..) | Val::Static(_) => true,
            Val::Local(local) => self.made_in(*local).is_some(),
            _ => false,
        };
        let first = given.next().filter(is_one)?;
        given.all(|other| other == first).then_some(first)
    }

    /// A part of what is handed over where that is written out: `new Board({ bus: main })`.
    fn written_part(&self, value: Val) -> Val {
        let Val::Outside(of, name) = &value else { return value };
        let Val::Literal(site) = **of else { return value };
        self.flow.entry_of_literal(site, *name).map_or(value, |entry| self.flow.eval(entry))
    }

    /// The first own class above a type that no other own class is above of.
    fn topmost(&self, ty: TypeId) -> TypeId {
        let mut top = ty;
        self.flow.program.for_each_base(ty, &mut |t| {
            if self.flow.program.ty(t).kind == TypeKind::Class {
                top = t;
            }
            true
        });
        top
    }

    pub(super) fn channel(&self, key: ChannelKey) -> Channel {
        let program = self.flow.program;
        let escape = |s: &str| s.replace('%', "%25").replace(':', "%3A").replace('/', "%2F").replace('#', "%23").replace('~', "%7E");
        let (id, kind) = match &key {
            ChannelKey::Own(m, None) => (program.member_id(*m), self.own_kind(*m)),
            ChannelKey::Own(m, Some(topic)) => {
                let name = match topic {
                    Topic::Named(name) => escape(name),
                    Topic::Any => "*".into(),
                };
                // a class is a bus; a module may hold several
                let owner = program.member(*m).owner;
                let bus = if program.ty(owner).is_module { program.member_id(*m) } else { program.type_id(owner) };
                (format!("topic:{bus}:{name}"), ChannelKind::Topic)
            }
            ChannelKey::Outside(owner, name) => (format!("{owner}.{}", program.text(*name)), ChannelKind::Platform),
            ChannelKey::Bus(bus, topic) => {
                let name = match topic {
                    Topic::Named(name) => escape(name),
                    Topic::Any => "*".into(),
                };
                (format!("topic:{}:{name}", escape(bus)), ChannelKind::Topic)
            }
        };
        Channel { key, kind, id, joins: Vec::new(), leaves: Vec::new(), raises: Vec::new() }
    }

    fn own_kind(&self, m: MemberId) -> ChannelKind {
        let program = self.flow.program;
        let info = program.member(m);
        if info.kind == MemberKind::Event {
            return ChannelKind::Event;
        }
        let ty = self.flow.type_held(m);
        if program.element_type(info.unit, &ty).is_some() {
            return ChannelKind::List;
        }
        match &ty {
            Ty::Own(t, _) if self.signals.contains(t) => ChannelKind::Signal,
            _ if program.is_callable(info.unit, &ty) => {
                if program.kit(info.unit).traits.combines_callables {
                    ChannelKind::Delegate
                } else {
                    ChannelKind::Slot
                }
            }
            Ty::Outside(..) => ChannelKind::Signal,
            _ => ChannelKind::Slot,
        }
    }
}
