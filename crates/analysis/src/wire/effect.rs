//! Effects: what code does to channels, one record for each statement that does it.

use yarrowgraph_model::Certainty;

use crate::flow::{Flow, Val};
use crate::program::{MemberId, Site, Sym};

/// What is done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Act {
    /// A handler is tied to the channel.
    Join,
    /// A handler is taken off.
    Leave,
    /// All handlers are taken off.
    LeaveAll,
    /// All handlers of one object are taken off, whatever the channel.
    LeaveOwner,
    /// The channel is invoked.
    Raise,
}

/// What holds the handlers.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Event {
    /// A member of the tree.
    Own(MemberId),
    /// A member or listener noun that is not of the tree.
    Outside(Sym),
    /// An emitter or bus outside of the tree; the key is the topic.
    Bus,
    /// Whatever the value is, once a caller says it: a channel handed over as an argument.
    Given,
    /// An object of a library that is a channel by itself and is handed over; what is done to it is done where it stands.
    Handed,
}

/// A channel, as seen from where something is done to it.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Holder {
    /// The object that owns the channel.
    pub subject: Val,
    /// What holds the handlers.
    pub event: Event,
    /// The key, where handlers are held by key or topic.
    pub key: Option<Val>,
}

/// How a raise is protected against an empty channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Guard {
    /// An empty channel is nothing special (a list, an emitter).
    Safe,
    /// A test covers the raise.
    Tested,
    /// Nothing does.
    None,
}

/// One effect.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Effect {
    /// What is done.
    pub act: Act,
    /// To which channel.
    pub holder: Holder,
    /// The handler, for joining and leaving.
    pub handler: Option<Val>,
    /// The statement: where the concrete handler, channel or topic is named.
    pub site: Site,
    /// The node that the handler is written as.
    pub handler_node: Option<Site>,
    /// What the wrappers do inside, innermost first.
    pub inner: Vec<Site>,
    /// The method that is called on the listeners.
    pub message: Option<Sym>,
    /// The call that tells them, where the function that makes it is handed over (`roster.fire(l -> l.rose(cm))`).
    pub told_in: Option<Site>,
    /// How a raise is protected.
    pub guard: Guard,
    /// Whether the channel holds the handler weakly.
    pub weak: bool,
    /// Whether the subscription ends with its first delivery.
    pub once: bool,
    /// Whether the result of the statement is a handle that releases.
    pub handle: bool,
    /// The object that the handler is bound to, where it is handed over.
    pub context: Option<Val>,
    /// Whether the result of the raise is used.
    pub result_used: bool,
    /// Whether the raise takes what it calls out of the holder.
    pub takes_out: bool,
    /// Whether the walk may stop early on a result.
    pub stops: bool,
    /// Whether a snapshot is walked.
    pub snapshot: bool,
    /// Whether the one who is named as receiver ends it by its own end.
    pub tied: bool,
    /// Whether a raise is that of a channel that another one is tied to.
    pub relayed: bool,
    /// Whether something else ends the subscription by itself.
    pub bounded: bool,
    /// Whether a container attaches the handler, which no code does.
    pub by_container: bool,
    /// Whether a raise tells all that the holder, or one of its topics, holds.
    pub walks: bool,
    /// Whether the one who joins replaces whoever was there.
    pub replaces: bool,
    /// Whether the handler is an object whose annotated methods are told.
    pub by_annotation: bool,
    /// The object that stands on the channel and hands on to the handler.
    pub adapter: Option<Val>,
    /// What else than the handler a release must match, where the library asks for it.
    pub phase: Option<bool>,
    /// The one property that the handler is to hear of, which a release must name, too.
    pub about: Option<Val>,
    /// What tells a subscription apart besides its topic, for a release of all that have it.
    pub space: Option<Sym>,
    /// Whether a raise tells an object that is a parameter.
    pub of_param: bool,
    /// Whether it is done to a collection that its function is handed.
    pub of_handed_list: bool,
    /// Whether the handler is kept inside a record of the tree.
    pub in_record: bool,
    /// Whether it is one of those of a walk over a table, each of which has a topic of its own.
    pub by_row: bool,
    /// How sure it is.
    pub certainty: Certainty,
}

impl Effect {
    /// The text of the key under which it is done, where that is known.
    pub(crate) fn key_text(&self, flow: &Flow<'_>) -> Option<Sym> {
        flow.text_of(self.holder.key.as_ref()?)
    }

    /// The statement of the tree that does it: the innermost one within wrappers.
    pub fn innermost(&self) -> Site {
        self.inner.first().copied().unwrap_or(self.site)
    }

    /// An effect with nothing but what, where and to whom.
    pub fn new(act: Act, holder: Holder, site: Site) -> Self {
        Self {
            act,
            holder,
            handler: None,
            site,
            handler_node: None,
            inner: Vec::new(),
            message: None,
            told_in: None,
            guard: Guard::Safe,
            weak: false,
            once: false,
            handle: false,
            context: None,
            result_used: false,
            takes_out: false,
            stops: false,
            snapshot: false,
            walks: false,
            relayed: false,
            tied: false,
            bounded: false,
            by_container: false,
            replaces: false,
            by_annotation: false,
            adapter: None,
            phase: None,
            about: None,
            space: None,
            of_param: false,
            of_handed_list: false,
            in_record: false,
            by_row: false,
            certainty: Certainty::Certain,
        }
    }
}
