//! Which releases can take a subscription off.

use yarrowgraph_ir::traits::MethodValue;
use yarrowgraph_ir::{Body, MemberKind, Node, NodeId, Visibility};

use super::Wiring;
use super::channels::{Channel, ChannelKey, Topic};
use super::effect::{Act, Effect};
use super::selections;
use crate::flow::{Flow, Val, returned};
use crate::memo::known_or;
use crate::program::{MemberId, Program, Site, Ty, TypeId};

/// Where a number is kept by which something is taken off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Number {
    /// In a field.
    In(MemberId),
    /// In the list that a field holds.
    InList(MemberId),
    /// In a variable.
    InLocal(Site),
}

impl Number {
    fn of(value: &Val) -> Option<Self> {
        match value {
            Val::Member(_, m) | Val::Static(m) => Some(Self::In(*m)),
            Val::Local(local) => Some(Self::InLocal(*local)),
            Val::Element(of, None) => match **of {
                Val::Member(_, m) | Val::Static(m) => Some(Self::InList(m)),
                _ => None,
            },
            _ => None,
        }
    }
}

/// Whether two handlers are the same under their language's rules.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Same {
    /// They are, for one and the same receiver.
    Yes,
    /// They never are.
    Never,
    /// It cannot be told.
    Open,
}

/// Compares the handler of a subscription with that of a release.
pub fn same_handler(flow: &Flow<'_>, join: &Effect, leave: &Effect) -> Same {
    let (Some(a), Some(b)) = (&join.handler, &leave.handler) else { return Same::Open };
    if is_of_another(flow, join, leave) {
        return Same::Never;
    }
    // an adapter can take itself off
    if let Some(adapter) = &join.adapter
        && leaves_itself(flow, adapter, b)
    {
        return Same::Yes;
    }
    if matches!(a, Val::Unknown) || matches!(b, Val::Unknown) {
        return Same::Open;
    }
    // `token = board.on(topic, handler); … board.off(topic, token);`
    if matches!(b, Val::Member(..) | Val::Static(_))
        && join.site != leave.site
        && super::handles::keeper(flow, join.site).as_ref() == Some(b)
    {
        return Same::Yes;
    }
    // `Texts.register(() => this.write(), this); … Texts.unregister(this);`
    if matches!(b, Val::This(t) if is_handed_beside_owner(flow, join, *t)) {
        return Same::Yes;
    }
    // what one and the same call of a wrapper keeps to take off is what it put on
    if join.site == leave.site && a == b && !join.inner.is_empty() && !leave.inner.is_empty() {
        return Same::Yes;
    }
    // written out on the spot, each one is new
    if is_fresh(flow, leave, b) || is_made_there(flow, leave, b) || is_made_by_call(flow, b) {
        return Same::Never;
    }
    // nor is what is made where it is put on in any field
    if is_made_there(flow, join, a)
        && let (Val::New(made), Val::Member(_, m) | Val::Static(m)) = (a, b)
        && !flow.definitions(*m).is_empty()
        && !flow.definitions(*m).iter().any(|d| d == made || flow.eval(*d) == *a)
    {
        return Same::Never;
    }
    if is_fresh(flow, join, a) && !names_itself(a, b) {
        return match b {
            Val::Lambda(..) | Val::Method(..) | Val::This(_) | Val::Member(..) | Val::Local(_) => {
                if leaves_itself(flow, a, b) {
                    Same::Yes
                } else {
                    Same::Never
                }
            }
            _ => Same::Open,
        };
    }
    if a == b {
        return Same::Yes;
    }
    match (a, b) {
        (Val::Method(m, _), Val::Method(n, _)) => same_method(flow, *m, *n),
        (Val::Member(_, m), Val::Member(_, n)) => {
            if m == n || one_holds_the_other(flow, *m, *n) {
                Same::Yes
            } else {
                Same::Never
            }
        }
        // a local and a field, or two locals: the same only where one is given to the other
        (Val::Member(_, m) | Val::Static(m), Val::Local(l)) | (Val::Local(l), Val::Member(_, m) | Val::Static(m)) => {
            let given = flow.definitions(*m).iter().any(|d| flow.eval(*d) == Val::Local(*l));
            if given || is_value_of(flow, *l, *m) { Same::Yes } else { distinct_functions(flow, a, b) }
        }
        (Val::Local(_), Val::Local(_)) | (Val::Local(_), Val::Method(..)) | (Val::Method(..), Val::Local(_)) => {
            distinct_functions(flow, a, b)
        }
        // a field that a method was bound into: `this.h = this.h.bind(this)`
        (field @ Val::Member(_, m), Val::Method(n, _)) | (Val::Method(n, _), field @ Val::Member(_, m)) => match flow.function_of(field) {
            _ if flow.program.member(*m).name == flow.program.member(*n).name => Same::Yes,
            Some(Val::Lambda(..)) => Same::Never,
            // what was bound once is another one than what it was made of
            _ if flow.only_definition(*m).is_some_and(|only| matches!(flow.eval(only), Val::Bound(..))) => Same::Never,
            Some(Val::Method(held, _)) => same_method(flow, held, *n),
            _ => Same::Open,
        },
        // a field that holds a function is no object
        (Val::Member(..) | Val::Static(_), Val::This(_)) | (Val::This(_), Val::Member(..) | Val::Static(_))
            if [a, b].iter().any(|v| flow.function_of(v).is_some()) =>
        {
            Same::Never
        }
        _ => {
            if let (Val::This(t), held) | (held, Val::This(t)) = (a, b)
                && holds_only_others(flow, held, *t)
            {
                return Same::Never;
            }
            if leaves_itself(flow, a, b) || leaves_itself(flow, b, a) {
                return Same::Yes;
            }
            let (ta, tb) = (flow.type_of(a), flow.type_of(b));
            match (ta.own(), tb.own()) {
                (Some(x), Some(y)) if flow.program.are_kin(x, y) => Same::Yes,
                (Some(_), Some(_)) => Same::Never,
                _ => Same::Open,
            }
        }
    }
}

/// Whether a release asks for another phase, or another property, than the one that was subscribed for.
pub fn is_of_another(flow: &Flow<'_>, join: &Effect, leave: &Effect) -> bool {
    let phase = matches!((join.phase, leave.phase), (Some(a), Some(b)) if a != b);
    let named = |about: &Option<Val>| about.as_ref().map(|a| flow.text_of(a));
    let property = match (named(&join.about), named(&leave.about)) {
        (Some(Some(a)), Some(Some(b))) => a != b,
        // who hears of one property only is not among those who hear of all, and the other way round
        (Some(Some(_)), None) | (None, Some(Some(_))) => true,
        _ => false,
    };
    phase || property
}

/// Whether a local's one value is what a member holds.
fn is_value_of(flow: &Flow<'_>, local: Site, m: MemberId) -> bool {
    let Some(body) = flow.program.body(local.member) else { return false };
    let Node::Local { init: Some(init), .. } = body.node(local.node) else { return false };
    matches!(flow.eval_in(local.member, init), Val::Member(_, x) | Val::Static(x) if x == m)
}

/// Two holders of functions: the same when the functions are equal by value.
fn distinct_functions(flow: &Flow<'_>, a: &Val, b: &Val) -> Same {
    match (flow.function_of(a), flow.function_of(b)) {
        (Some(Val::Method(m, _)), Some(Val::Method(n, _))) => {
            let by_value = flow.program.kit_of(m).traits.method_value != MethodValue::Fresh;
            if by_value { same_method(flow, m, n) } else { Same::Never }
        }
        (Some(_), Some(_)) => Same::Never,
        // what a body makes is nobody else's
        _ if [a, b].iter().any(|v| matches!(v, Val::Local(l) if is_made_here(flow, *l))) => Same::Never,
        _ => Same::Open,
    }
}

/// Whether a local's value is a function or object that its body makes.
fn is_made_here(flow: &Flow<'_>, local: Site) -> bool {
    let Some(body) = flow.program.body(local.member) else { return false };
    match body.node(local.node) {
        Node::Local { init: Some(init), .. } => matches!(body.node(init), Node::Lambda(_) | Node::MethodRef { .. } | Node::New { .. }),
        _ => false,
    }
}

/// Whether a field or local is only ever given functions and objects that are made there and are of no kin of a class.
fn holds_only_others(flow: &Flow<'_>, held: &Val, class: TypeId) -> bool {
    let values: Vec<Val> = match held {
        Val::Member(_, m) | Val::Static(m) => flow.definitions(*m).iter().map(|d| flow.eval(*d)).collect(),
        Val::Local(local) => flow.values_of_local(*local),
        _ => return false,
    };
    let is_other = |value: &Val| match value {
        Val::Lambda(..) | Val::Method(..) => true,
        Val::New(_) => flow.type_of(value).own().is_some_and(|t| !flow.program.are_kin(t, class)),
        _ => false,
    };
    let mut given = values.iter().filter(|v| **v != Val::Null).peekable();
    given.peek().is_some() && given.all(is_other)
}

fn names_itself(a: &Val, b: &Val) -> bool {
    matches!((a, b), (Val::New(_), Val::This(_))) || matches!((a, b), (Val::Lambda(..), Val::Lambda(..)) if a == b)
}

/// A listener of a class of its own that takes `this` off.
fn leaves_itself(flow: &Flow<'_>, listener: &Val, this: &Val) -> bool {
    let Val::This(t) = this else { return false };
    match flow.type_of(listener) {
        Ty::Own(l, _) => flow.program.are_kin(l, *t),
        _ => false,
    }
}

/// Whether a function of an object is handed over beside the object itself, which it can be taken off by.
fn is_handed_beside_owner(flow: &Flow<'_>, join: &Effect, owner: TypeId) -> bool {
    let program = flow.program;
    let is_of_owner = match &join.handler {
        Some(handler @ (Val::Method(..) | Val::Bound(..))) => matches!(handler.root(), Val::This(t) if program.are_kin(*t, owner)),
        Some(Val::Lambda(member, _)) => program.are_kin(program.member(*member).owner, owner),
        _ => false,
    };
    let hands_itself = |body: &Body| match body.node(join.site.node) {
        Node::Call { args, .. } => body.list(args).iter().any(|a| body.node(*a) == Node::This),
        _ => false,
    };
    is_of_owner && !join.inner.is_empty() && program.body(join.site.member).is_some_and(hands_itself)
}

fn same_method(flow: &Flow<'_>, m: MemberId, n: MemberId) -> Same {
    let (a, b) = (flow.program.member(m), flow.program.member(n));
    let related = a.name == b.name && (a.owner == b.owner || flow.program.are_kin(a.owner, b.owner));
    if m == n || related { Same::Yes } else { Same::Never }
}

/// `field = handler = …`: two fields that hold one value.
fn one_holds_the_other(flow: &Flow<'_>, m: MemberId, n: MemberId) -> bool {
    let holds = |x: MemberId, y: MemberId| flow.definitions(x).iter().any(|d| matches!(flow.eval(*d), Val::Member(_, z) if z == y));
    holds(m, n) || holds(n, m)
}

/// Whether a handler is made anew at each evaluation and nothing holds it.
pub fn is_fresh(flow: &Flow<'_>, effect: &Effect, handler: &Val) -> bool {
    let written = effect.handler_node.unwrap_or(effect.site);
    let traits = flow.program.kit_of(written.member).traits;
    // a connection is known by receiver and member
    if traits.method_value == MethodValue::Fresh
        && !effect.tied
        && let Some(body) = flow.program.body(written.member)
        && let Node::MethodRef { object, .. } = body.node(unwrapped(body, written.node))
    {
        return !(traits.member_constants && matches!(body.node(object), Node::TypeExpr(_)));
    }
    match handler {
        Val::Lambda(member, function) => {
            // handed over by name it is held by something
            let body = flow.program.body(written.member);
            let node = body.map(|b| unwrapped(b, written.node));
            let local = flow.lambda(*member, *function).is_some_and(|f| f.form == yarrowgraph_ir::LambdaForm::Local);
            !local && matches!(body.zip(node).map(|(b, n)| b.node(n)), Some(Node::Lambda(_)))
        }
        Val::Bound(..) => {
            let body = flow.program.body(written.member);
            let node = body.map(|b| unwrapped(b, written.node));
            matches!(body.zip(node).map(|(b, n)| b.node(n)), Some(Node::Call { .. }))
        }
        _ => false,
    }
}

/// Whether what is handed over is an object that is made on the spot, and is not equal to any other one.
pub fn is_made_there(flow: &Flow<'_>, effect: &Effect, handler: &Val) -> bool {
    let Val::New(made) = handler else { return false };
    let class = flow.type_of(handler).own();
    effect.handler_node == Some(*made) && class.is_some_and(|c| !flow.program.is_equal_by_content(c))
}

/// Whether a call gives another object or function each time: `gauge.remove(listener())`.
pub fn is_made_by_call(flow: &Flow<'_>, handler: &Val) -> bool {
    let program = flow.program;
    let Val::Call(call) = handler else { return false };
    let Some(maker) = flow.callee(*call).map(|c| c.member).filter(|m| program.body(*m).is_some()) else { return false };
    let Some(body) = program.body(maker) else { return false };
    let given = returned(program, maker, None);
    let is_new = |node: &NodeId| match body.node(*node) {
        Node::Lambda(_) => true,
        Node::New { .. } => flow.type_of_node(maker, *node).own().is_some_and(|t| !program.is_equal_by_content(t)),
        _ => false,
    };
    !given.is_empty() && given.iter().all(is_new)
}

/// A node without casts and delegate creations around it.
fn unwrapped(body: &Body, mut node: NodeId) -> NodeId {
    loop {
        node = match body.node(node) {
            Node::Cast { operand, .. } | Node::Unary { operand, .. } => operand,
            Node::New { args, .. } if args.len == 1 => body.list(args)[0],
            Node::Opaque(list) if list.len == 1 => body.list(list)[0],
            _ => return node,
        };
    }
}

impl Wiring<'_> {
    /// The channels of the holder of one of them, that one included. Channels are sorted, so that the topics of one holder stand together.
    pub fn of_holder(&self, channel: &Channel) -> impl Iterator<Item = &Channel> {
        self.holder_of_key(&channel.key)
    }

    fn holder_of_key(&self, key: &ChannelKey) -> std::slice::Iter<'_, Channel> {
        let holder = key.holder();
        let first = self.channels.partition_point(|c| c.key.holder() < holder);
        let many = self.channels[first..].partition_point(|c| c.key.holder() == holder);
        self.channels[first..first + many].iter()
    }

    /// The releases that can take a subscription off, in order; only those in code that runs.
    pub fn releases_of(&self, channel: &Channel, join: usize) -> Vec<usize> {
        let effect = &self.effects[join];
        let mut found = Vec::new();
        // what is taken off an element is so for what is below it too
        let above = match &channel.key {
            ChannelKey::Bus(bus, topic) => selections::element_of(bus).map(|element| ChannelKey::Bus(element, topic.clone())),
            _ => None,
        };
        let of_element = above.iter().flat_map(|key| self.holder_of_key(key).filter(move |c| covers(&c.key, key)));
        let related = self.of_holder(channel).filter(|c| covers(&c.key, &channel.key)).chain(of_element);
        for other in related {
            for &leave in &other.leaves {
                let release = &self.effects[leave];
                // where the one runs, so does the other
                let runs = release.site.member == effect.site.member || self.runs(release.site);
                if runs && self.releases(effect, release, other.key == channel.key) && !self.is_by_another_number(other, effect, release) {
                    found.push(leave);
                }
            }
        }
        for &leave in &self.owner_releases {
            if self.releases_owner(effect, &self.effects[leave]) && self.runs(self.effects[leave].site) {
                found.push(leave);
            }
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// Whether a release goes by a number that another subscription of the channel gave back, and that is kept in a field.
    fn is_by_another_number(&self, channel: &Channel, join: &Effect, leave: &Effect) -> bool {
        // handed over, or as the key of what is taken out
        let kept_in = |v: &Val| Number::of(v);
        let Some(number) = leave.handler.as_ref().and_then(kept_in).or_else(|| leave.holder.key.as_ref().and_then(kept_in)) else {
            return false;
        };
        if join.holder.key.as_ref().and_then(kept_in) == Some(number) {
            return false;
        }
        // one of its own that a class is never given takes nothing off
        let owner = |m: MemberId| self.program().member(m).owner;
        let is_plain = |d: &Site| self.program().body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Num(_) | Node::Plain));
        if let Number::In(field) = number
            && owner(field) == owner(leave.site.member)
            && let given = self.flow.definitions(field)
            && !given.is_empty()
            && given.iter().all(is_plain)
        {
            return true;
        }
        let keeps_here = |site: Site| match number {
            Number::InList(list) => super::handles::list_that_keeps(&self.flow, site) == Some(list),
            number => super::handles::keeper(&self.flow, site).as_ref().and_then(kept_in) == Some(number),
        };
        // or by the wrapper that it goes through
        let keeps = |e: &Effect| keeps_here(e.site) || e.inner.iter().any(|s| keeps_here(*s));
        let one_keeps = || channel.joins.iter().any(|j| keeps(&self.effects[*j]));
        !keeps(join) && known_or(&self.kept_numbers, (channel.key.clone(), number), one_keeps)
    }

    /// Whether two objects each go by a name of their own: the fields that hold the names are of classes that have nothing to do with
    /// each other, or the names are known.
    fn go_by_other_names(&self, join: &Effect, leave: &Effect) -> bool {
        let program = self.program();
        if join.key_text(&self.flow).zip(leave.key_text(&self.flow)).is_some_and(|(a, b)| a != b) {
            return true;
        }
        let own = |e: &Effect| match &e.holder.key {
            Some(Val::Member(of, field)) => match **of {
                // what its class has in the place of a field that all have
                Val::This(class) => Some((class, program.find_member_as(class, program.member(*field).name, true).unwrap_or(*field))),
                _ => None,
            },
            _ => None,
        };
        let (Some(Val::This(_)), Some((one, its)), Some((other, others))) = (&join.handler, own(join), own(leave)) else { return false };
        let text = |field: MemberId| self.flow.text_of(&Val::Static(field));
        let are_known = text(its).zip(text(others)).is_some_and(|(a, b)| a != b);
        are_known || its != others && !program.are_kin(one, other)
    }

    fn releases(&self, join: &Effect, leave: &Effect, exact: bool) -> bool {
        if leave.space.is_some() && leave.space != join.space || self.go_by_other_names(join, leave) {
            return false;
        }
        match leave.act {
            Act::LeaveAll => true,
            Act::LeaveOwner => self.releases_owner(join, leave),
            Act::Leave if self.walks_what_was_kept(join, leave) => true,
            Act::Leave if exact => same_handler(&self.flow, join, leave) != Same::Never,
            // an entry that is taken out by a key which is not known here
            Act::Leave if leave.handler == Some(Val::Unknown) => true,
            Act::Leave => same_handler(&self.flow, join, leave) == Same::Yes,
            Act::Join | Act::Raise => false,
        }
    }

    /// `for ((topic, ear) of joined) bus.quit(topic, ear)`: the walk is over a collection that
    /// the same call put the handler into, or the same function, as a part of a record: `joined.push({ topic, ear })`.
    fn walks_what_was_kept(&self, join: &Effect, leave: &Effect) -> bool {
        let element = match &leave.handler {
            // `for (Joined j : joined) bus.quit(j.topic(), j.ear())`
            Some(Val::Member(record, _) | Val::Outside(record, _)) => &**record,
            Some(handler) => handler,
            None => return false,
        };
        let Val::Element(of, _) = element else { return false };
        let (Val::Member(_, kept) | Val::Static(kept)) = **of else { return false };
        let same_call = |e: &Effect| e.act == Act::Join && e.site == join.site && e.holder.event == super::effect::Event::Own(kept);
        let part = match &leave.handler {
            Some(Val::Outside(_, name)) => Some(*name),
            _ => None,
        };
        let puts_part = |e: &Effect| {
            let Some(Val::Literal(record)) = &e.handler else { return false };
            let entry = part.and_then(|name| self.flow.entry_of_literal(*record, name));
            e.act == Act::Join
                && e.holder.event == super::effect::Event::Own(kept)
                && entry.is_some_and(|entry| Some(self.flow.eval(entry)) == join.handler)
        };
        self.effects_at(join.site).any(|i| same_call(&self.effects[i]))
            || part.is_some() && [join.site.member, join.innermost().member].into_iter().any(|m| self.effects_in(m).any(puts_part))
    }

    /// `Signal.clearData(this)` takes off whatever was bound to `this`.
    fn releases_owner(&self, join: &Effect, leave: &Effect) -> bool {
        let Some(owner) = leave.handler.as_ref().and_then(|h| self.flow.type_of(h).own()) else { return false };
        let bound = join.context.as_ref().and_then(|c| self.flow.type_of(c).own());
        bound.is_some_and(|b| self.flow.program.are_kin(b, owner))
    }

    /// Whether code at a site can run: something calls its member, or a platform does.
    pub fn runs(&self, site: Site) -> bool {
        let program = self.flow.program;
        let info = program.member(site.member);
        if info.kind != MemberKind::Method {
            return true;
        }
        let text = program.text(info.name);
        let pack = &*program.kit_of(site.member).pack;
        let decl = program.decl(site.member);
        let by_platform = program.is_listed(&pack.teardowns, site.member)
            || pack.hooks.contains(text)
            || program.is_listed(&pack.entry_points, site.member)
            || pack.pairs.iter().any(|(a, b)| a == text || b == text)
            || decl.modifiers.is_override
            || decl.modifiers.is_invokable
            || self.is_in_markup(site.member)
            // where members are tied by name, a call need not be written out
            || (!pack.connects.is_empty() && !program.outside_bases(info.owner).is_empty())
            || is_sent_messages(program, site.member)
            || program.is_annotated(site.member, &pack.hook_annotations)
            || program.is_annotated(site.member, &pack.handler_annotations);
        if by_platform || program.index.is_used(info.name) {
            return true;
        }
        // a listener class has its methods called through the interface
        if !program.ty(info.owner).bases.is_empty() && decl.modifiers.visibility == Visibility::Public {
            return true;
        }
        // what other trees may call
        self.is_open && decl.modifiers.visibility == Visibility::Public
    }
}

/// Whether a platform may call a method by its name, as it does those of its components that are not kept private.
fn is_sent_messages(program: &Program, method: MemberId) -> bool {
    let decl = program.decl(method);
    let messaged = &program.kit_of(method).pack.messaged_types;
    decl.params.len() < 2
        && decl.modifiers.visibility != Visibility::Private
        && program.outside_bases(program.member(method).owner).iter().any(|base| messaged.contains(program.text(*base)))
}

/// Whether what is taken off one channel takes it off another: all topics of the same bus.
fn covers(leave: &ChannelKey, join: &ChannelKey) -> bool {
    match (leave, join) {
        (a, b) if a == b => true,
        (ChannelKey::Bus(a, Topic::Any), ChannelKey::Bus(b, _)) | (ChannelKey::Bus(a, _), ChannelKey::Bus(b, Topic::Any)) => a == b,
        (ChannelKey::Own(a, Some(Topic::Any) | None), ChannelKey::Own(b, Some(_))) => a == b,
        (ChannelKey::Own(a, Some(_)), ChannelKey::Own(b, Some(Topic::Any))) => a == b,
        _ => false,
    }
}
