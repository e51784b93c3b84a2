//! What calls of a library do to channels, and the pipelines that libraries walk.

use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::Deserialize;
use smallvec::SmallVec;

use super::{Names, matches};

/// What a call does to a channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// Ties a handler to it.
    Subscribe,
    /// Takes a handler off it.
    Release,
    /// Takes off all handlers, or all of one topic.
    ReleaseAll,
    /// Takes off all handlers of the object that is handed over, on whatever channel.
    ReleaseOwner,
    /// Invokes it.
    Raise,
}

/// What one method of a platform or library type does.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Idiom {
    /// Types of the receiver, by simple name; empty for any type that is not of the tree.
    #[serde(default)]
    pub on: Vec<String>,
    /// The method.
    pub name: String,
    /// What it does.
    pub does: Role,
    /// Which argument is the topic, counted from 0.
    #[serde(default)]
    pub topic: Option<usize>,
    /// Which argument is the handler, counted from 0; -1 for the last one.
    #[serde(default)]
    pub handler: Option<i32>,
    /// Which argument is the object that the handler is bound to.
    #[serde(default)]
    pub context: Option<usize>,
    /// Whether the subject is the member before the method (`gauge.rose.connect(f)`).
    #[serde(default)]
    pub member_is_channel: bool,
    /// Names of the member before the method, one of which must fit; for receivers of unknown type.
    #[serde(default)]
    pub member: Vec<String>,
    /// The method by which those who are on the one channel of the receiver are told; it names the channel.
    #[serde(default)]
    pub tells: Option<String>,
    /// Whether the handler is an object whose annotated methods are told.
    #[serde(default)]
    pub by_annotation: bool,
    /// Whether the result is a handle that releases.
    #[serde(default)]
    pub handle: bool,
    /// Whether the channel holds the handler weakly.
    #[serde(default)]
    pub weak: bool,
    /// Whether the subscription ends with its first delivery.
    #[serde(default)]
    pub once: bool,
    /// Whether it is named loosely enough that the receiver's type must be known.
    #[serde(default)]
    pub typed_only: bool,
    /// Whether the topic is the type of the message.
    #[serde(default)]
    pub by_type: bool,
    /// Whether the topic is what the message was made with: the first argument of its constructor.
    #[serde(default)]
    pub by_message: bool,
    /// The options argument that may hold a signal or a once flag.
    #[serde(default)]
    pub options: Option<usize>,
    /// The entry of the options, or the options themselves as a truth value, that must be the same
    /// for a release to match (`capture`).
    #[serde(default)]
    pub phase: Option<String>,
    /// The argument that names the one property that the handler is to hear of, where it stands beside the
    /// handler; a release must name the same.
    #[serde(default)]
    pub about: Option<usize>,
}
/// Idioms with a look-up by the name of the method.
#[derive(Clone, Debug, Default, Deserialize, JsonSchema)]
#[serde(from = "Vec<Idiom>")]
pub struct Idioms {
    listed: Vec<Idiom>,
    /// Positions of those with a plain name.
    plain: FxHashMap<String, Vec<usize>>,
    /// Positions of those whose name holds a star.
    starred: Vec<usize>,
}

impl Idioms {
    /// Whether objects of a type, by its simple name, are channels by themselves, as toolkits have one object for each signal.
    pub fn is_channel_type(&self, name: &str) -> bool {
        let subscribes = |i: &&Idiom| i.member_is_channel && i.does == Role::Subscribe;
        self.listed.iter().filter(subscribes).any(|i| i.on.iter().any(|on| on == name))
    }

    /// The idioms whose name fits a method's, in the order of the pack.
    pub fn named(&self, method: &str) -> SmallVec<[&Idiom; 4]> {
        let plain = self.plain.get(method).map_or(&[][..], Vec::as_slice);
        let starred = self.starred.iter().filter(|i| matches(&self.listed[**i].name, method).is_some());
        let mut fitting: SmallVec<[usize; 4]> = plain.iter().chain(starred).copied().collect();
        fitting.sort_unstable();
        fitting.into_iter().map(|i| &self.listed[i]).collect()
    }

    /// Whether some idiom is about objects of a type of this name.
    pub fn is_of(&self, ty: &str) -> bool {
        self.listed.iter().any(|i| i.on.iter().any(|on| on == ty))
    }

    /// The names of the methods that subscribe to what a noun says, where the names of idioms end alike: `addTideListener` for `Tide`
    /// and `Listener`.
    pub fn subscribing<'a>(&'a self, noun: &'a str, tail: &'a str) -> impl Iterator<Item = String> + 'a {
        let listed = self.starred.iter().map(|i| &self.listed[*i]).filter(|i| i.does == Role::Subscribe);
        listed.filter_map(move |i| i.name.split_once('*').filter(|(_, end)| *end == tail).map(|(verb, end)| format!("{verb}{noun}{end}")))
    }
}

impl From<Vec<Idiom>> for Idioms {
    fn from(listed: Vec<Idiom>) -> Self {
        let mut idioms = Self::default();
        for (i, idiom) in listed.iter().enumerate() {
            if idiom.name.contains('*') {
                idioms.starred.push(i);
            } else {
                idioms.plain.entry(idiom.name.clone()).or_default().push(i);
            }
        }
        Self { listed, ..idioms }
    }
}

/// A pipeline of a library: who puts links into it, and how a link is asked and goes on.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Pipeline {
    /// Methods or functions that put links at its end.
    pub adds: Names,
    /// What they are handed as links.
    #[serde(default)]
    pub links: LinksGiven,
    /// Whether each such call is a pipeline of its own.
    #[serde(default)]
    pub whole: bool,
    /// Whether a text or pattern before the links says which requests they are asked for.
    #[serde(default)]
    pub paths: bool,
    /// Whether they only count beside links that other methods put in.
    #[serde(default)]
    pub along: bool,
    /// Methods by which a link that is an object is asked.
    #[serde(default)]
    pub asks: Names,
    /// Methods by which a link goes on, of what it is handed.
    #[serde(default)]
    pub goes: Names,
}

/// What a method that puts links into a pipeline is handed as links.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LinksGiven {
    /// Its arguments: functions, objects, classes, and lists of them.
    #[default]
    Arguments,
    /// Those of its arguments that are classes.
    Classes,
    /// The class that its type argument names.
    TypeArgument,
    /// Nothing: the call itself stands for a link of the library.
    Itself,
}
