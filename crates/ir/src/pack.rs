//! Idiom packs: what a language's platform and well-known libraries offer, as data.
//!
//! A pack is a TOML file. Names may hold one `*`, which stands for any text and, in a
//! [`Idiom::name`], names the event (`add*Listener`).

use serde::Deserialize;

/// What a call does to a channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Deserialize)]
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
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
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
    /// The options argument that may hold a signal or a once flag.
    #[serde(default)]
    pub options: Option<usize>,
}

/// The idioms of one language.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Pack {
    /// Methods in which a life ends.
    #[serde(default)]
    pub teardowns: Vec<String>,
    /// Entry hooks with the exit hooks that pair with them.
    #[serde(default)]
    pub pairs: Vec<(String, String)>,
    /// Methods that the platform calls.
    #[serde(default)]
    pub hooks: Vec<String>,
    /// Annotations that make the platform call a method.
    #[serde(default)]
    pub hook_annotations: Vec<String>,
    /// Annotations that make a method a handler.
    #[serde(default)]
    pub handler_annotations: Vec<String>,
    /// Methods where a program begins.
    #[serde(default)]
    pub entry_points: Vec<String>,
    /// Types whose values can be called; generic ones by simple name.
    #[serde(default)]
    pub callables: Vec<String>,
    /// Methods that call a callable value.
    #[serde(default)]
    pub invokers: Vec<String>,
    /// Types that hold weakly.
    #[serde(default)]
    pub weak_types: Vec<String>,
    /// Collection types.
    #[serde(default)]
    pub collections: Vec<String>,
    /// Collection types that are walked as a snapshot.
    #[serde(default)]
    pub snapshot_collections: Vec<String>,
    /// Collection types without a defined order.
    #[serde(default)]
    pub unordered_collections: Vec<String>,
    /// Methods that put an element into a collection.
    #[serde(default)]
    pub adds: Vec<String>,
    /// Methods that put an element in front.
    #[serde(default)]
    pub adds_first: Vec<String>,
    /// Methods that take an element out.
    #[serde(default)]
    pub removes: Vec<String>,
    /// Methods that take out all elements.
    #[serde(default)]
    pub clears: Vec<String>,
    /// Methods whose result is an element, by key or by position.
    #[serde(default)]
    pub elements: Vec<String>,
    /// Methods whose result holds the same elements.
    #[serde(default)]
    pub copies: Vec<String>,
    /// Of these the ones that give a view rather than a copy.
    #[serde(default)]
    pub views: Vec<String>,
    /// Methods that call their argument with each element.
    #[serde(default)]
    pub walks: Vec<String>,
    /// Methods that look a key up and give the value through their second argument.
    #[serde(default)]
    pub out_lookups: Vec<String>,
    /// Types whose events a platform raises and whose objects live as long as the process.
    #[serde(default)]
    pub process_types: Vec<String>,
    /// Static members or methods that hand out process-wide objects.
    #[serde(default)]
    pub process_getters: Vec<String>,
    /// Base types whose teardown the platform runs for its own children.
    #[serde(default)]
    pub component_types: Vec<String>,
    /// Methods that make something periodic or later out of their argument.
    #[serde(default)]
    pub schedulers: Vec<String>,
    /// Methods that call the delegate that is their argument (`control.Invoke(evt, …)`).
    #[serde(default)]
    pub dispatchers: Vec<String>,
    /// Methods that load code of other trees: who calls them is a host of plug-ins.
    #[serde(default)]
    pub loaders: Vec<String>,
    /// Members of an emitter that hand out the function by which one subscribes to it.
    #[serde(default)]
    pub views_of_emitters: Vec<String>,
    /// Members that hold the handlers of several events under key objects.
    #[serde(default)]
    pub event_lists: Vec<String>,
    /// Members by which any object gives its class.
    #[serde(default)]
    pub class_getters: Vec<String>,
    /// Types of libraries' streams, whose objects are subscribed to directly or through steps.
    #[serde(default)]
    pub stream_types: Vec<String>,
    /// Methods of streams that give another stream of the same subject.
    #[serde(default)]
    pub stream_steps: Vec<String>,
    /// Steps that end a subscription by themselves.
    #[serde(default)]
    pub bounding_steps: Vec<String>,
    /// Annotations of classes whose objects a container makes, one of each as a rule.
    #[serde(default)]
    pub container_annotations: Vec<String>,
    /// Hooks of function components that run what they are given, and later what that returns.
    #[serde(default)]
    pub effect_hooks: Vec<String>,
    /// Events that a platform hears by convention.
    #[serde(default)]
    pub heard_by_platform: Vec<String>,
    /// Methods that bind a function to an object, making a new function each time.
    #[serde(default)]
    pub binders: Vec<String>,
    /// Methods that release a handle.
    #[serde(default)]
    pub handle_releases: Vec<String>,
    /// Methods that hand a handle to an owner that releases it.
    #[serde(default)]
    pub handle_owners: Vec<String>,
    /// Methods of library types.
    #[serde(default, rename = "idiom")]
    pub idioms: Vec<Idiom>,
}

/// Matches a name against a pattern with at most one `*`; returns what the star stands for
/// (empty where there is none).
pub fn matches<'t>(pattern: &str, name: &'t str) -> Option<&'t str> {
    match pattern.split_once('*') {
        None => (pattern == name).then(|| &name[..0]),
        Some((head, tail)) => {
            let rest = name.strip_prefix(head)?.strip_suffix(tail)?;
            (name.len() >= head.len() + tail.len()).then_some(rest)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn star_stands_for_the_event() {
        assert_eq!(matches("add*Listener", "addTideListener"), Some("Tide"));
        assert_eq!(matches("add*Listener", "addListener"), Some(""));
        assert_eq!(matches("add*Listener", "addener"), None);
        assert_eq!(matches("on", "on"), Some(""));
        assert_eq!(matches("on", "once"), None);
    }
}
