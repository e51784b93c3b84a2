//! Idiom packs: what a language's platform and well-known libraries offer, as data.
//!
//! A pack is a table of TOML; those of the languages are compiled in, and a project adds its own.
//! Names may hold one `*`, which stands for any text and, in a [`Idiom::name`], names the event
//! (`add*Listener`).

mod idiom;
mod names;

use schemars::JsonSchema;
use serde::Deserialize;

pub use idiom::{Idiom, Idioms, LinksGiven, Pipeline, Role};
pub use names::Names;

/// The idioms of one language.
#[derive(Clone, Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Pack {
    /// Methods in which a life ends.
    #[serde(default)]
    pub teardowns: Names,
    /// Annotations of methods that a container puts on a bus by itself, each with the type of that bus.
    #[serde(default)]
    pub attached: Vec<(String, String)>,
    /// Interfaces whose method a container puts on a bus by itself: interface, method, type of the bus.
    #[serde(default)]
    pub attached_by_type: Vec<(String, String, String)>,
    /// Entry hooks with the exit hooks that pair with them.
    #[serde(default)]
    pub pairs: Vec<(String, String)>,
    /// Methods that the platform calls.
    #[serde(default)]
    pub hooks: Names,
    /// Of these the ones that it calls again and again: for each picture, frame or change.
    #[serde(default)]
    pub recurring_hooks: Names,
    /// Of these the ones that give what is to be shown; of another one by that name a platform makes no such use.
    #[serde(default)]
    pub giving_hooks: Names,
    /// Ends of the names of library classes whose heirs run such a hook once: views that are shown as they are made.
    #[serde(default)]
    pub shown_once: Names,
    /// Entry hooks that run again after their exit hook has.
    #[serde(default)]
    pub reentered: Names,
    /// Events that come once, at the beginning or the end.
    #[serde(default)]
    pub first_events: Names,
    /// Topics that an object tells once in all its life: a stream that it is over, a page that it is there.
    #[serde(default)]
    pub once_topics: Names,
    /// Events that come when an object is closed or torn down.
    #[serde(default)]
    pub last_events: Names,
    /// Steps of a stream that hand each value to a function and let it go by.
    #[serde(default)]
    pub telling_steps: Names,
    /// Hooks that run both where an object comes into view and where it leaves it, with a test which it is.
    #[serde(default)]
    pub toggles: Names,
    /// Annotations that make the platform call a method.
    #[serde(default)]
    pub hook_annotations: Names,
    /// Annotations that make a method a handler.
    #[serde(default)]
    pub handler_annotations: Names,
    /// Methods where a program begins.
    #[serde(default)]
    pub entry_points: Names,
    /// Types whose values can be called; generic ones by simple name.
    #[serde(default)]
    pub callables: Names,
    /// Interfaces of the platform and of libraries whose objects are there to be told something.
    #[serde(default)]
    pub listeners: Names,
    /// Methods that call a callable value.
    #[serde(default)]
    pub invokers: Names,
    /// Types that hold weakly.
    #[serde(default)]
    pub weak_types: Names,
    /// Collection types.
    #[serde(default)]
    pub collections: Names,
    /// Collection types that are walked as a snapshot.
    #[serde(default)]
    pub snapshot_collections: Names,
    /// Collection types that may be changed while they are walked, and which then show the change or not.
    #[serde(default)]
    pub walked_while_changed: Names,
    /// Collection types without a defined order.
    #[serde(default)]
    pub unordered_collections: Names,
    /// Collection types that hold each element once.
    #[serde(default)]
    pub sets: Names,
    /// Methods that put an element into a collection unless it is there.
    #[serde(default)]
    pub adds_once: Names,
    /// Methods that say whether an element is there.
    #[serde(default)]
    pub membership: Names,
    /// Methods of libraries that subscribe, and do nothing when the same handler is there.
    #[serde(default)]
    pub ignores_doubles: Names,
    /// Annotations of methods that a user runs again and again.
    #[serde(default)]
    pub recurring_annotations: Names,
    /// Methods that put an element into a collection.
    #[serde(default)]
    pub adds: Names,
    /// Those of them that put in each of several elements.
    #[serde(default)]
    pub adds_several: Names,
    /// Methods that put an element in front.
    #[serde(default)]
    pub adds_first: Names,
    /// Methods that take an element out.
    #[serde(default)]
    pub removes: Names,
    /// Methods that take out all elements.
    #[serde(default)]
    pub clears: Names,
    /// Methods that take out an element and give it.
    #[serde(default)]
    pub takes: Names,
    /// Methods that give the position of an element.
    #[serde(default)]
    pub positions: Names,
    /// Methods that every object has.
    #[serde(default)]
    pub object_methods: Names,
    /// Methods that cut at a position and take what is there, or break, where it is that of nothing.
    #[serde(default)]
    pub blind_cuts: Names,
    /// Functions that give a value, or another one where that is not there.
    #[serde(default)]
    pub fallbacks: Names,
    /// Members by which one end of a queue is reached (`jobs.Reader`).
    #[serde(default)]
    pub queue_ends: Names,
    /// Methods that put something into a queue at its end.
    #[serde(default)]
    pub queue_puts: Names,
    /// Methods that take from a queue at its end, or all that ever comes there.
    #[serde(default)]
    pub queue_takes: Names,
    /// Functions that make a value that is like no other.
    #[serde(default)]
    pub unique_values: Names,
    /// Methods and functions that exchange a whole list with another one, or empty it into one.
    #[serde(default)]
    pub exchanges: Names,
    /// Those removals that are given a condition, and never an element.
    #[serde(default)]
    pub removes_where: Names,
    /// Methods that give the elements that fit, or the rest of them.
    #[serde(default)]
    pub filters: Names,
    /// Methods that put two functions together into one.
    #[serde(default)]
    pub combines: Names,
    /// Methods that take a function out of several.
    #[serde(default)]
    pub separates: Names,
    /// Methods by which an object says what it is equal to.
    #[serde(default)]
    pub equality: Names,
    /// Methods whose result is an element, by key or by position.
    #[serde(default)]
    pub elements: Names,
    /// Types of which each object stands for one of what its first type argument says: futures, optional values.
    #[serde(default)]
    pub boxes: Names,
    /// Types of records that have whatever members, all of one type: the last type argument.
    #[serde(default)]
    pub open_records: Names,
    /// Methods that give what an optional value holds.
    #[serde(default)]
    pub unwraps: Names,
    /// Methods whose result holds the same elements.
    #[serde(default)]
    pub copies: Names,
    /// Methods that put all elements into the collection that they are handed first.
    #[serde(default)]
    pub copies_into: Names,
    /// Of the methods that copy the ones that give a view rather than a copy.
    #[serde(default)]
    pub views: Names,
    /// Of these the ones that give the keys of what is kept under keys.
    #[serde(default)]
    pub key_views: Names,
    /// Methods that call their argument with each element.
    #[serde(default)]
    pub walks: Names,
    /// Methods that look a key up and give the value through their second argument.
    #[serde(default)]
    pub out_lookups: Names,
    /// Function types whose last type argument is the type of what they give back.
    #[serde(default)]
    pub givers: Names,
    /// Types whose events a platform raises and whose objects live as long as the process.
    #[serde(default)]
    pub process_types: Names,
    /// Static members or methods that hand out process-wide objects.
    #[serde(default)]
    pub process_getters: Names,
    /// Base types whose teardown the platform runs for its own children.
    #[serde(default)]
    pub component_types: Names,
    /// Base types whose methods a platform calls by their names, with one argument at most: from scenes, or from native code.
    #[serde(default)]
    pub messaged_types: Names,
    /// Methods that make something periodic or later out of their argument.
    #[serde(default)]
    pub schedulers: Names,
    /// Types of what a subscribing call gives back to end the subscription with.
    #[serde(default)]
    pub handle_types: Names,
    /// Hooks that the platform runs once for each frame.
    #[serde(default)]
    pub frame_hooks: Names,
    /// Collection types that hold what is waiting its turn.
    #[serde(default)]
    pub queues: Names,
    /// Objects and types whose methods only write down what they are given.
    #[serde(default)]
    pub writers: Names,
    /// Methods that run their argument once, when something is done.
    #[serde(default)]
    pub settles: Names,
    /// Of the schedulers the ones that run it again and again.
    #[serde(default)]
    pub periodic: Names,
    /// Ways into a registry of the platform with the ways that look things up in it.
    #[serde(default)]
    pub registries: Vec<(String, String)>,
    /// Hooks of the platform in the order in which it runs them, over all objects.
    #[serde(default)]
    pub phases: Vec<Vec<String>>,
    /// Methods by which the platform asks for answers, several at a time.
    #[serde(default)]
    pub request_handlers: Names,
    /// Types of the library whose members are no handlers, so that an heir has only those that it declares.
    #[serde(default)]
    pub plain_bases: Names,
    /// Methods that put a value into a slot or queue of the library.
    #[serde(default)]
    pub slot_writers: Names,
    /// What says of a slot or queue that it drops what nobody took out yet.
    #[serde(default)]
    pub conflates: Names,
    /// Types through which nobody can change what they give.
    #[serde(default)]
    pub read_only_types: Names,
    /// Methods that wait for all of several tasks, which run side by side.
    #[serde(default)]
    pub gatherers: Names,
    /// Views and methods by which a walk is done in parallel.
    #[serde(default)]
    pub parallel: Names,
    /// Functions that make what runs several things side by side.
    #[serde(default)]
    pub pools: Names,
    /// Methods that begin a walk over a collection, by which its elements can be taken out.
    #[serde(default)]
    pub iterators: Names,
    /// Types of the library that keep a few values together, one of which may be a handler.
    #[serde(default)]
    pub tuples: Names,
    /// Methods that change the order or the elements of a collection in place.
    #[serde(default)]
    pub rearranges: Names,
    /// Events of timers, told again and again.
    #[serde(default)]
    pub ticks: Names,
    /// Methods that the platform's timers call, also as `Type.method` of the class that declares them.
    #[serde(default)]
    pub timer_hooks: Names,
    /// Types of which a field that nothing was given to holds a value all the same: dates, spans of time.
    #[serde(default)]
    pub value_types: Names,
    /// Methods that make an object anew out of another one, or of what was written of it.
    #[serde(default)]
    pub making_methods: Names,
    /// What the names of events end in that come once, or with a new object each time.
    #[serde(default)]
    pub first_event_ends: Names,
    /// Types of plain data: numbers, flags and texts, which are no handlers.
    #[serde(default)]
    pub data_types: Names,
    /// Methods and members that make a timer run once.
    #[serde(default)]
    pub single_shots: Names,
    /// Methods that wait for a while; a loop around one is periodic.
    #[serde(default)]
    pub pauses: Names,
    /// Names of methods that are called once in each turn of a main loop.
    #[serde(default)]
    pub rounds: Names,
    /// Of these the ones that run it on another thread; types too whose objects do.
    #[serde(default)]
    pub other_lanes: Names,
    /// Calls that make something which runs all that it is handed on one lane, one after the other.
    #[serde(default)]
    pub serial_lanes: Names,
    /// Methods that take a lock, which is held until one of the `unlocks` is called on the same object, or by what they give back.
    #[serde(default)]
    pub locks: Names,
    /// Methods that let go of a lock.
    #[serde(default)]
    pub unlocks: Names,
    /// Types whose objects hold a lock as long as they are there.
    #[serde(default)]
    pub lock_guards: Names,
    /// Methods that run a function while nothing else of theirs runs.
    #[serde(default)]
    pub runs_alone: Names,
    /// Methods that call the delegate that is their argument (`control.Invoke(evt, …)`).
    #[serde(default)]
    pub dispatchers: Names,
    /// Methods that load code of other trees: who calls them is a host of plug-ins.
    #[serde(default)]
    pub loaders: Names,
    /// Members of an emitter that hand out the function by which one subscribes to it.
    #[serde(default)]
    pub views_of_emitters: Names,
    /// Members that hold the handlers of several events under key objects.
    #[serde(default)]
    pub event_lists: Names,
    /// Methods of a library that subscribe to an event that is found by its name (`info.AddEventHandler(pump, handler)`).
    #[serde(default)]
    pub event_adders: Names,
    /// Members by which a message says on which topic it was sent.
    #[serde(default)]
    pub topic_getters: Names,
    /// Members by which any object gives its class.
    #[serde(default)]
    pub class_getters: Names,
    /// Functions that go through a list until something holds for an element.
    #[serde(default)]
    pub until_true: Names,
    /// Functions that go through a list until something does not hold for an element.
    #[serde(default)]
    pub until_false: Names,
    /// Functions that put in the place of each element what a function makes of it.
    #[serde(default)]
    pub maps: Names,
    /// Functions that take the first one of what there is.
    #[serde(default)]
    pub firsts: Names,
    /// Those of them that fail where there is none.
    #[serde(default)]
    pub firsts_or_fail: Names,
    /// Functions that bring all elements of a list together, from the first on.
    #[serde(default)]
    pub folds: Names,
    /// The same, from the last one on.
    #[serde(default)]
    pub folds_back: Names,
    /// Functions that turn a list round, or give it turned round.
    #[serde(default)]
    pub turns: Names,
    /// Members of an optional that say that it has a value.
    #[serde(default)]
    pub present: Names,
    /// Members of an optional that say that it has none.
    #[serde(default)]
    pub absent: Names,
    /// Methods that give an iterator at the first element of a list.
    #[serde(default)]
    pub list_begins: Names,
    /// Members by which a place that was found in a map gives what it holds (`found->second`).
    #[serde(default)]
    pub entry_values: Names,
    /// Methods that give the range of the entries under a key, by its two ends (`map.equal_range(key)`).
    #[serde(default)]
    pub key_ranges: Names,
    /// Collections that hold several entries under one key.
    #[serde(default)]
    pub multi_maps: Names,
    /// Members that hold all values of a map.
    #[serde(default)]
    pub value_views: Names,
    /// Functions that give the class that their argument names, or hand one on (`typeid(T)`).
    #[serde(default)]
    pub class_functions: Names,
    /// Types of libraries' streams, whose objects are subscribed to directly or through steps.
    #[serde(default)]
    pub stream_types: Names,
    /// Functions that make a stream of what an object tells under a topic, which they are handed in that order: `fromEvent(window, 'resize')`.
    #[serde(default)]
    pub stream_makers: Names,
    /// Functions that make a stream which never ends by itself: `interval(1000)`.
    #[serde(default)]
    pub endless_makers: Names,
    /// Classes of libraries whose objects tell only what code of the tree raises on them; others may tell what is theirs.
    #[serde(default)]
    pub plain_emitters: Names,
    /// Methods of streams that give another stream of the same subject.
    #[serde(default)]
    pub stream_steps: Names,
    /// Steps that end a subscription by themselves.
    #[serde(default)]
    pub bounding_steps: Names,
    /// Steps that go over to the stream which their function gives for a value.
    #[serde(default)]
    pub flattening_steps: Names,
    /// Methods that end a stream without giving it a value.
    #[serde(default)]
    pub silent_ends: Names,
    /// Annotations of classes whose objects a container makes, one of each as a rule.
    #[serde(default)]
    pub container_annotations: Names,
    /// Annotations of fields that a container fills before anything of the object runs.
    #[serde(default)]
    pub filled_annotations: Names,
    /// Members of a component that hold what its parent hands it.
    #[serde(default)]
    pub handed_members: Names,
    /// Base classes of commands that a library keeps in order to take them back, each with the method that does and the one that undoes.
    #[serde(default)]
    pub undoable_bases: Vec<(String, String, String)>,
    /// Types of a value that lanes share, and that changes in one step.
    #[serde(default)]
    pub atomic_types: Names,
    /// Methods of these, or of what changes a variable that they are handed, that give a new value whatever the old one is.
    #[serde(default)]
    pub atomic_sets: Names,
    /// Methods of these, or of what changes a variable that they are handed, that make the new value out of the old one.
    #[serde(default)]
    pub atomic_changes: Names,
    /// Functions that pick elements of a page by a selector and give an object that wraps them.
    #[serde(default)]
    pub selectors: Names,
    /// Methods of such an object that give others which are picked from where it is.
    #[serde(default)]
    pub selection_steps: Names,
    /// Methods of such an object that give it back.
    #[serde(default)]
    pub selection_chained: Names,
    /// Methods of such an object that are handed a handler of the event that they are named for.
    #[serde(default)]
    pub selection_events: Names,
    /// Methods of such functions that bind a function, which stays the same one for them.
    #[serde(default)]
    pub selection_binders: Names,
    /// Annotations of parameters that the compiler gives the name of the member that calls, where they are left out.
    #[serde(default)]
    pub caller_names: Names,
    /// Members of what a handler is told that give the name of the property that has changed.
    #[serde(default)]
    pub changed_names: Names,
    /// Annotations of methods that finish the making of an object.
    #[serde(default)]
    pub making_annotations: Names,
    /// Hooks of function components that run what they are given, and later what that returns.
    #[serde(default)]
    pub effect_hooks: Names,
    /// Events that a platform hears by convention.
    #[serde(default)]
    pub heard_by_platform: Names,
    /// Entries of plain records that hold a handler, where a record holds more that came in with it.
    #[serde(default)]
    pub handler_entries: Names,
    /// Methods of functions that call them on an object that is handed over first.
    #[serde(default)]
    pub receiver_calls: Names,
    /// Methods that bind a function to an object, making a new function each time.
    #[serde(default)]
    pub binders: Names,
    /// Methods that release a handle.
    #[serde(default)]
    pub handle_releases: Names,
    /// Methods of a subject that end the subscription of which they are handed the number.
    #[serde(default)]
    pub takes_off_by_id: Names,
    /// Methods that hand a handle to an owner that releases it.
    #[serde(default)]
    pub handle_owners: Names,
    /// Methods that hand an object over to scripts or to other processes, which may hear what it raises.
    #[serde(default)]
    pub exports: Names,
    /// Bases of classes whose channels another process raises or hears.
    #[serde(default)]
    pub remote_bases: Names,
    /// Annotations of channels that something beside the code hears.
    #[serde(default)]
    pub heard_annotations: Names,
    /// Annotations of channels that something beside the code raises.
    #[serde(default)]
    pub raised_annotations: Names,
    /// Types of handles that release when they go themselves.
    #[serde(default)]
    pub scoped_handles: Names,
    /// Methods of what holds one object that let it go.
    #[serde(default)]
    pub lets_go: Names,
    /// Functions that call a member of an object by its name, which is a text: object, name.
    #[serde(default)]
    pub calls_by_name: Names,
    /// Functions that tie a member of one object to a member of another: sender, signal, receiver, slot.
    #[serde(default)]
    pub connects: Names,
    /// Functions that untie them.
    #[serde(default)]
    pub disconnects: Names,
    /// Methods of a form that tie its parts to the slots of the object which they are given, by the slots' names: `on_part_signal`.
    #[serde(default)]
    pub connects_by_name: Names,
    /// Types that hold an object of one of several classes.
    #[serde(default)]
    pub alternatives: Names,
    /// Functions that ask which of them it is, by a type argument.
    #[serde(default)]
    pub alternative_tests: Names,
    /// Functions that run the one of several functions that fits it.
    #[serde(default)]
    pub visits: Names,
    /// Methods that put a new object of a class in its place.
    #[serde(default)]
    pub emplaces: Names,
    /// Methods that make what they put in of their arguments.
    #[serde(default)]
    pub makes_items: Names,
    /// Methods that take off the last element of a list, of those that take one off.
    #[serde(default)]
    pub takes_last: Names,
    /// Methods that take off the element at a position.
    #[serde(default)]
    pub takes_at: Names,
    /// Look-ups that refuse a key that is not there.
    #[serde(default)]
    pub refusing_look_ups: Names,
    /// Functions that give the place behind a list's last element, where nothing is.
    #[serde(default)]
    pub list_ends: Names,
    /// Methods and members that say how many elements a list has.
    #[serde(default)]
    pub counts: Names,
    /// Methods that give the name of a constant of an enumeration.
    #[serde(default)]
    pub constant_names: Names,
    /// Parts of a message that tell what kind of message it is.
    #[serde(default)]
    pub message_kinds: Names,
    /// Constants that are the largest number of their type.
    #[serde(default)]
    pub largest: Names,
    /// Methods of library types.
    #[serde(default, rename = "idiom")]
    pub idioms: Idioms,
    /// Pipelines of libraries.
    #[serde(default, rename = "pipeline")]
    pub pipelines: Vec<Pipeline>,
    /// Words at the end of the names of what says which requests a link is asked for, where that is no text: `adminRoot`.
    #[serde(default)]
    pub path_words: Names,
    /// What the parameter that is the way on to the next link is called.
    #[serde(default)]
    pub ways_on: Names,
}

impl Pack {
    /// Whether a method of this name ends an object's life, or releases a handle.
    pub fn ends(&self, name: &str) -> bool {
        self.teardowns.contains(name) || self.handle_releases.contains(name)
    }

    /// Whether a method of this name is one of a collection's.
    pub fn works_on_collections(&self, name: &str) -> bool {
        let words = [
            &self.adds,
            &self.adds_first,
            &self.adds_once,
            &self.removes,
            &self.clears,
            &self.takes,
            &self.membership,
            &self.positions,
            &self.filters,
            &self.elements,
            &self.copies,
            &self.walks,
        ];
        words.iter().any(|names| names.contains(name))
    }

    /// Whether a method's name is so common, on the platform or everywhere, that it does not tell
    /// whose method it is.
    pub fn says_nothing_alone(&self, name: &str) -> bool {
        let common = [
            &self.elements,
            &self.copies,
            &self.adds,
            &self.removes,
            &self.clears,
            &self.takes,
            &self.membership,
            &self.positions,
            &self.walks,
            &self.teardowns,
            &self.handle_releases,
            &self.hooks,
            &self.recurring_hooks,
            &self.stream_makers,
            &self.stream_steps,
            &self.binders,
            &self.schedulers,
            &self.invokers,
            &self.unwraps,
            &self.views,
        ];
        common.iter().any(|names| names.contains(name)) || !self.idioms.named(name).is_empty()
    }
}

/// A pack's table with another's entries in front of its own: what a project says comes first.
pub fn put_before(additions: &toml::Table, pack: &mut toml::Table) {
    for (key, value) in additions {
        match (value, pack.get_mut(key)) {
            (toml::Value::Array(more), Some(toml::Value::Array(list))) => {
                list.splice(0..0, more.iter().cloned());
            }
            _ => {
                pack.insert(key.clone(), value.clone());
            }
        }
    }
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
    fn a_project_s_entries_come_first() {
        let mut pack: toml::Table = toml::from_str("teardowns = ['close']").expect("a table");
        put_before(&toml::from_str("teardowns = ['berth']\nhooks = ['tick']").expect("a table"), &mut pack);
        let pack: Pack = pack.try_into().expect("a pack");
        assert_eq!(pack.teardowns.iter().collect::<Vec<_>>(), ["berth", "close"]);
        assert!(pack.hooks.contains("tick"));
    }

    #[test]
    fn a_name_may_say_whose_it_is() {
        let names = Names::from(vec!["Harbour.run".to_owned(), "main".to_owned()]);
        let lists = |name: &str, id: &str| names.lists(name, || id.to_owned());
        assert!(lists("run", "sea.Harbour.run") && lists("run", "Harbour.run") && lists("main", "sea.main"));
        assert!(!lists("run", "sea.OldHarbour.run"));
    }

    #[test]
    fn star_stands_for_the_event() {
        assert_eq!(matches("add*Listener", "addTideListener"), Some("Tide"));
        assert_eq!(matches("add*Listener", "addListener"), Some(""));
        assert_eq!(matches("add*Listener", "addener"), None);
        assert_eq!(matches("on", "on"), Some(""));
        assert_eq!(matches("on", "once"), None);
    }
}
