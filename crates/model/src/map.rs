//! The map: the wiring of a whole tree.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Channel, Place};

/// In which order a channel's subscribers are told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Order {
    /// First subscribed, first told.
    Fifo,
    /// Last subscribed, first told.
    Lifo,
    /// By a priority that the subscription states.
    Priority,
    /// Not defined.
    Unordered,
}

/// When a channel's subscribers are told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Delivery {
    /// Before the raise returns.
    AtOnce,
    /// From a queue that is drained.
    Queued,
    /// In a later turn of the same thread.
    Later,
    /// On another thread or task.
    OtherLane,
}

/// What a channel keeps for subscribers that come late.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Keeps {
    /// `none`, `latest` or `all`.
    Word(String),
    /// That many values.
    Count(u32),
}

impl Keeps {
    /// Nothing is kept.
    pub fn none() -> Self {
        Self::Word("none".into())
    }
}

/// How many files and lines of one language were read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FileCount {
    /// Files read.
    pub files: u32,
    /// Lines in them.
    pub lines: u32,
}

/// A file that was not read in full, or not at all.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct FileReport {
    /// The file, relative to the root.
    pub file: String,
    /// The first line that could not be read, where there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// Why.
    pub reason: String,
}

/// What was read and what was not.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Files {
    /// Counts for each language.
    pub languages: BTreeMap<String, FileCount>,
    /// Files not read in full, with the reason.
    pub partial: Vec<FileReport>,
    /// Folders left out by ignore files or the built-in list, with the number of files
    /// of a known language in them where it was counted.
    pub left_out: Vec<String>,
}

/// When a chain's request stops.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Stop {
    /// With the first link that handles it.
    FirstHandled,
    /// It goes to all links.
    All,
    /// With the first link that refuses it.
    FirstFailure,
}

/// Whether a link passes a request on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Passes {
    /// Whatever it is.
    Always,
    /// In some cases.
    Sometimes,
    /// In none.
    Never,
}

/// A link of a chain.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ChainLink {
    /// The type or function that handles.
    pub handler: String,
    /// Where it is declared.
    pub place: Place,
    /// Whether it passes a request on.
    pub passes: Passes,
    /// Whether a request can end with it.
    pub stops: bool,
    /// On which conditions it ends a request, as text, where it passes others on.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub conditions: Vec<String>,
    /// Which requests it is asked for, where that is not all of them: a path, with the method of the request.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub asked_for: Option<String>,
}

/// A chain of responsibility that the set-up builds.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Chain {
    /// The id of the member that holds it.
    pub id: String,
    /// The type of what is put to the links; empty where that is not known.
    pub request: String,
    /// The method by which a link is asked.
    pub entry: String,
    /// When a request stops.
    pub stop: Stop,
    /// The links, in order; those of a ring once.
    pub links: Vec<ChainLink>,
    /// Whether the last link leads to the first again, or to one between.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub ring: bool,
    /// Where it is built.
    pub built: Vec<Place>,
}

/// What a command's undoing does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Undo {
    /// Something.
    Real,
    /// Nothing.
    Empty,
    /// It throws.
    Throws,
    /// There is none.
    None,
}

/// A concrete command.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Command {
    /// The id of its class.
    pub id: String,
    /// Where its class is declared.
    pub place: Place,
    /// The name of the method that does it.
    pub operation: String,
    /// The types that it acts on.
    pub receivers: Vec<String>,
    /// The fields that it keeps its arguments in.
    pub arguments: Vec<String>,
    /// Where it is made.
    pub created: Vec<Place>,
    /// What taking it back does.
    pub undo: Undo,
}

/// How an invoker holds commands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
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

/// How much is taken off at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Drains {
    /// One.
    One,
    /// All.
    All,
}

/// Where commands are taken off to be run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Drained {
    /// The statement.
    pub place: Place,
    /// The member it stands in.
    #[serde(rename = "in")]
    pub within: String,
    /// How much is taken off.
    pub drains: Drains,
}

/// An object that runs commands.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Invoker {
    /// The id of the member that holds them.
    pub id: String,
    /// Where that is declared.
    pub place: Place,
    /// How it holds them.
    pub holds: Holds,
    /// The classes of the commands that come to it.
    pub commands: Vec<String>,
    /// Where they are put there.
    pub filled: Vec<Place>,
    /// Where they are taken off.
    pub drained: Vec<Drained>,
}

/// What a factory makes for a code.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Code {
    /// The code.
    pub code: String,
    /// The class of what it makes; none where it makes nothing, or is no object.
    pub makes: Option<String>,
    /// Where the code has its entry; none where it is declared and has none.
    pub place: Option<Place>,
}

/// What a factory does about codes that it has no entry for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum DefaultCode {
    /// It serves them.
    Serves,
    /// It rejects them.
    Rejects,
    /// Nothing.
    None,
}

/// What makes objects by a code.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Factory {
    /// The id of the method that chooses, or of what holds the table.
    pub id: String,
    /// The choice or table.
    pub place: Place,
    /// The codes, in the order of the code.
    pub codes: Vec<Code>,
    /// What it does about others.
    pub default: DefaultCode,
}

/// A state of a machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct MachineState {
    /// Its name.
    pub name: String,
    /// Where it is declared; of a text where it is first gone to.
    pub place: Place,
    /// Whether it is marked or named as one that nothing leaves.
    #[serde(rename = "final")]
    pub is_final: bool,
}

/// A transition of a machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Transition {
    /// The state it starts from; `*` where it holds in every state.
    pub from: String,
    /// What sets it off: a message, or a method.
    pub event: String,
    /// On which other conditions it depends, as text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub guard: Option<String>,
    /// The state it leads to.
    pub to: String,
    /// The statement that makes the move.
    pub place: Place,
}

/// A state machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Machine {
    /// The id of what holds its state.
    pub id: String,
    /// The id of the type, or of the function, that has it.
    pub context: String,
    /// Where its holder is declared.
    pub place: Place,
    /// What its states are written as: `enumeration`, `objects`, `alternatives`, `text`, `constants`, `values` or `functions`.
    pub encoding: String,
    /// The states that it starts in; none where nothing sets one at first.
    pub initial: Vec<String>,
    /// Its states.
    pub states: Vec<MachineState>,
    /// Its transitions, by place.
    pub transitions: Vec<Transition>,
    /// Whether a value of which nothing is known is stored, so that it may come to be in any state.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub open: bool,
}

/// To whom a mediator delivers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RoutedTo {
    /// To one colleague.
    One,
    /// To all but the sender.
    Others,
    /// To all of them.
    All,
}

/// A class whose objects a mediator knows.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Colleague {
    /// The id of the class.
    #[serde(rename = "type")]
    pub class: String,
    /// Where its objects are registered.
    pub registered: Vec<Place>,
    /// Where they are taken off.
    pub deregistered: Vec<Place>,
}

/// A statement by which a mediator delivers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Route {
    /// The statement.
    pub place: Place,
    /// To whom.
    pub to: RoutedTo,
    /// A condition on which it depends, as text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub condition: Option<String>,
}

/// An object that routes between colleagues who know it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Mediator {
    /// The id of its class.
    pub id: String,
    /// Where that is declared.
    pub place: Place,
    /// The channel that is its roster.
    pub roster: String,
    /// Its colleagues, by class.
    pub colleagues: Vec<Colleague>,
    /// What it delivers.
    pub routes: Vec<Route>,
}

/// How a type knows another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum How {
    /// It makes objects of it.
    Creates,
    /// It has a field of it.
    Holds,
    /// It calls its methods.
    Calls,
    /// It extends or implements it.
    Extends,
    /// It names it: in a parameter, a result, a test.
    Names,
}

/// A type that another knows.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct KnowsType {
    /// The id of the type.
    #[serde(rename = "type")]
    pub class: String,
    /// How.
    pub how: Vec<How>,
    /// Where.
    pub places: Vec<Place>,
}

/// A type that another reaches without knowing it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Reaches {
    /// The id of the type.
    #[serde(rename = "type")]
    pub class: String,
    /// The channel, command, chain or mediator through which.
    pub through: String,
}

/// A type that takes part in the wiring.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct TypeEntry {
    /// Its id.
    pub id: String,
    /// Where it is declared.
    pub place: Option<Place>,
    /// How many lines its declarations take.
    pub lines: u32,
    /// What it takes part as.
    pub roles: Vec<String>,
    /// The types of the tree that it knows.
    pub knows: Vec<KnowsType>,
    /// Types that it reaches without knowing them.
    pub reaches: Vec<Reaches>,
}

/// What kind of wiring could not be resolved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum UnresolvedKind {
    /// A subscription.
    Subscribe,
    /// A release.
    Unsubscribe,
    /// A raise.
    Raise,
}

/// A piece of wiring that could not be resolved.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Unresolved {
    /// Where it is.
    pub place: Place,
    /// What it looks like.
    pub kind: UnresolvedKind,
    /// Its text.
    pub text: String,
    /// Why it was not resolved.
    pub reason: String,
}

/// A bound of the analysis that something in the tree goes beyond.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Budget {
    /// What is bounded: `wrappers` (calls around a subscription or raise that are seen through), `alternatives`
    /// (methods that one call can reach, and that are seen through), `effects` (of the whole tree), `runs` (of the set-up's entry points), `machines` (nodes of code that are
    /// walked for one state machine).
    pub of: String,
    /// How much of it there may be.
    pub limit: u32,
    /// How many went beyond it: what they would have told is missing, or said to be possible.
    pub over: u32,
}

/// The wiring of a tree.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Map {
    /// Always `yarrowgraph-map`.
    pub format: String,
    /// The version of this form.
    pub version: u32,
    /// The root that the files are relative to, as it was typed.
    pub root: String,
    /// What was read.
    pub files: Files,
    /// The types that take part in the wiring, by id.
    #[serde(default)]
    pub types: Vec<TypeEntry>,
    /// The channels, by id.
    pub channels: Vec<Channel>,
    /// The commands, by id.
    #[serde(default)]
    pub commands: Vec<Command>,
    /// The invokers, by id.
    #[serde(default)]
    pub invokers: Vec<Invoker>,
    /// The factories, by id.
    #[serde(default)]
    pub factories: Vec<Factory>,
    /// The chains of responsibility, by id.
    #[serde(default)]
    pub chains: Vec<Chain>,
    /// The state machines, by id.
    #[serde(default)]
    pub machines: Vec<Machine>,
    /// The mediators, by id.
    #[serde(default)]
    pub mediators: Vec<Mediator>,
    /// What could not be resolved, by place.
    pub unresolved: Vec<Unresolved>,
    /// Bounds that something went beyond; none where all was followed to its end.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub budgets: Vec<Budget>,
}

/// A family of patterns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Family {
    /// Channels and who listens to them.
    Observers,
    /// Commands, invokers and factories.
    Commands,
    /// Chains of responsibility.
    Chains,
    /// State machines.
    Machines,
    /// Mediators.
    Mediators,
}

impl Family {
    /// The roles that types have in it.
    fn roles(self) -> &'static [&'static str] {
        match self {
            Self::Observers => &["subject", "observer"],
            Self::Commands => &["command", "receiver", "invoker", "factory"],
            Self::Chains => &["link"],
            Self::Machines => &["context", "state"],
            Self::Mediators => &["mediator", "colleague"],
        }
    }
}

impl Map {
    /// What the map has of one family: its part, and the types that take part in it.
    #[must_use]
    pub fn of_family(mut self, family: Family) -> Self {
        if family != Family::Observers {
            self.channels.clear();
            self.unresolved.clear();
            self.budgets.clear();
        }
        if family != Family::Commands {
            self.commands.clear();
            self.invokers.clear();
            self.factories.clear();
        }
        if family != Family::Chains {
            self.chains.clear();
        }
        if family != Family::Machines {
            self.machines.clear();
        }
        if family != Family::Mediators {
            self.mediators.clear();
        }
        self.types.retain(|t| t.roles.iter().any(|role| family.roles().contains(&role.as_str())));
        self
    }

    /// Whether no piece of any family is in it.
    pub fn is_empty(&self) -> bool {
        let commands = self.commands.is_empty() && self.invokers.is_empty() && self.factories.is_empty();
        self.channels.is_empty() && commands && self.chains.is_empty() && self.machines.is_empty() && self.mediators.is_empty()
    }
}
