//! Rule `near-miss-topic`: a topic that only one side knows differs by a slip from one that the other side knows.

mod asked;

use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{Certainty, Level, Place};

use super::unknown_code::asks_for_one;
use super::{Draft, Page, Rule, plain, related, short};
use crate::flow::Val;
use crate::program::{Site, Sym};
use crate::state::any_within;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::Effect;
use crate::wire::{Wiring, operation_place};

/// From this length on two edits may be a slip, below it only one.
const LONG: usize = 8;
/// Shorter topics are too alike to say anything.
const SHORTEST: usize = 4;

pub(super) const RULE: Rule = Rule {
    name: "near-miss-topic",
    summary: "a topic that is only published, or only subscribed, differs by a slip from one that is there",
    level: Level::Warning,
    page: Page {
        symptom: "What is published never arrives, though somebody listens to nearly the same name.",
        cause: "The two sides spell the topic differently: case, separator, plural, or a letter.",
        cure: "Use one constant for both, or write the topic alike.",
        silent: "Both spellings have a publisher and a subscriber, or they differ by more than two letters.",
        accept: "They are two topics, and the other side of each is elsewhere.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let in_use = |c: &&Channel| {
        let counts = |e: &usize| !wiring.in_test(wiring.effects[*e].site.member);
        c.joins.iter().any(counts) || c.raises.iter().any(counts)
    };
    let mut buses: BTreeMap<_, Vec<(&str, &Channel)>> = BTreeMap::new();
    for channel in wiring.channels.iter().filter(in_use) {
        if is_of_page(wiring, &channel.key) {
            continue;
        }
        if let ChannelKey::Own(_, Some(Topic::Named(name))) | ChannelKey::Bus(_, Topic::Named(name)) = &channel.key {
            buses.entry(channel.key.holder()).or_default().push((name, channel));
        }
    }
    let mut drafts = Vec::new();
    for topics in buses.values() {
        for (name, channel) in topics {
            let (joined, raised) = (!channel.joins.is_empty(), !channel.raises.is_empty());
            // what a library publishes others may hear
            if joined == raised || (raised && wiring.is_open) {
                continue;
            }
            // the other side under another name, best where that is a whole pair
            let other = topics
                .iter()
                .filter(|(n, c)| {
                    n != name
                        && if joined { !c.raises.is_empty() } else { !c.joins.is_empty() }
                        && is_slip(name, n)
                        && may_be_slip(wiring, channel, c)
                })
                .max_by_key(|(n, c)| (!c.joins.is_empty() && !c.raises.is_empty(), c.joins.len() + c.raises.len(), std::cmp::Reverse(*n)));
            let Some((other_name, other)) = other else { continue };
            if asks_for_one(wiring, channel) || asks_for_one(wiring, other) || joined && is_told_elsewhere(wiring, topics, name) {
                continue;
            }
            // of two halves the one that fewer use is the slip, or that is not written as the others of the bus are, or that is
            // written out where the other has a constant; else the one that listens
            let is_half = other.joins.is_empty() || other.raises.is_empty();
            let uses = |c: &Channel| c.joins.len() + c.raises.len();
            let written = |c: &Channel, name: &str| {
                c.joins.iter().chain(&c.raises).all(|e| is_written_out(wiring, wiring.effects[*e].innermost(), name))
            };
            let odd = by_style(topics, name, other_name).or_else(|| match (written(channel, name), written(other, other_name)) {
                (true, false) => Some(*name),
                (false, true) => Some(*other_name),
                _ => None,
            });
            let is_kept = match (uses(other).cmp(&uses(channel)), odd) {
                (Ordering::Equal, Some(odd)) => odd != *name,
                (uses, _) => uses.is_lt() || uses.is_eq() && raised,
            };
            if is_half && is_kept {
                continue;
            }
            drafts.push(draft(wiring, name, channel, other_name, other));
        }
    }
    drafts.extend(asked::check(wiring));
    drafts
}

/// Whether a topic is one plain word on the page or its window, where the platform tells whatever is one.
fn is_of_page(wiring: &Wiring<'_>, key: &ChannelKey) -> bool {
    let ChannelKey::Bus(bus, Topic::Named(topic)) = key else { return false };
    let is_page = || wiring.program().packs().any(|pack| pack.process_types.contains(bus));
    topic.chars().all(char::is_alphanumeric) && is_page()
}

/// Whether a call by which the bus is told names a topic somewhere, on an object of which nothing is known.
fn is_told_elsewhere(wiring: &Wiring<'_>, topics: &[(&str, &Channel)], name: &str) -> bool {
    let program = wiring.program();
    let raises = topics.iter().flat_map(|(_, c)| &c.raises).map(|r| wiring.effects[*r].site);
    let ways: BTreeSet<Sym> = raises.filter_map(|site| wiring.flow.receiver(site)).map(|(_, way)| way).collect();
    let names_it = |call: &Site| {
        let Some(first) = wiring.flow.argument(*call, 0) else { return false };
        let body = program.body(first.member);
        !wiring.in_test(call.member)
            && body.is_some_and(|b| matches!(b.node(first.node), Node::Str(text) if program.unit_of(first.member).text(text) == name))
    };
    ways.into_iter().any(|way| program.index.calls(way).iter().any(names_it))
}

/// What is asked of how a topic is written.
type Trait = fn(&str) -> Option<char>;

/// What the topics of a bus have in common as a rule: how they begin, what stands between their words, and how they end; each with how
/// many must agree.
const TRAITS: [(Trait, usize); 4] = [
    (|name| name.chars().next().filter(|c| c.is_uppercase()).map(|_| 'A'), 1),
    (|name| name.chars().find(|c| !c.is_alphanumeric()), 1),
    (|name| name.ends_with("ed").then_some('d'), 2),
    (|name| name.ends_with('s').then_some('s'), 2),
];

/// The one of two topics that is not written as the other topics of their bus are, where these all agree.
fn by_style<'n>(topics: &[(&str, &Channel)], one: &'n str, two: &'n str) -> Option<&'n str> {
    let others: Vec<&str> = topics.iter().map(|(n, _)| *n).filter(|n| *n != one && *n != two).collect();
    TRAITS.iter().filter(|(_, least)| others.len() >= *least).find_map(|(of, _)| {
        let usual = of(others.first()?);
        let tells = of(one) != of(two) && others.iter().all(|n| of(n) == usual);
        match (tells, of(one) == usual, of(two) == usual) {
            (true, true, false) => Some(two),
            (true, false, true) => Some(one),
            _ => None,
        }
    })
}

/// Whether one of two topics may be written for the other: classes that are declared both differ by a letter at most where they are meant
/// to be one.
fn may_be_slip(wiring: &Wiring<'_>, one: &Channel, two: &Channel) -> bool {
    let class = |c: &Channel| {
        let keys = c.joins.iter().chain(&c.raises).filter_map(|e| wiring.effects[*e].holder.key.as_ref());
        keys.filter_map(|key| if let Val::Type(class) = key { Some(*class) } else { None }).next()
    };
    let name = |class| wiring.program().text(wiring.program().ty(class).name);
    let distance = |(a, b)| strsim::osa_distance(&plain(name(a)), &plain(name(b)));
    class(one).zip(class(two)).map(distance).is_none_or(|d| d <= 1)
}

/// Whether two topics differ by what a slip makes.
fn is_slip(a: &str, b: &str) -> bool {
    a.len().min(b.len()) >= SHORTEST && are_near(a, b)
}

/// Whether two names differ by case, separators, a plural, or by a letter or two.
pub(super) fn are_near(a: &str, b: &str) -> bool {
    let (one, two) = (plain(a), plain(b));
    // what begins with an underscore is meant for insiders
    if a.starts_with('_') != b.starts_with('_') {
        return false;
    }
    let plural = |x: &str, y: &str| x.strip_suffix('s') == Some(y);
    if one == two || plural(&one, &two) || plural(&two, &one) {
        return true;
    }
    // numbered topics are several on purpose, and so are those that differ in a whole word
    if a.chars().any(|c| c.is_ascii_digit()) || b.chars().any(|c| c.is_ascii_digit()) {
        return false;
    }
    let allowed = if one.len().min(two.len()) >= LONG { 2 } else { 1 };
    // two letters more in one place make another word: `load`, `unload`; behind it they make another form: `open`, `opened`
    let (short, long) = if one.len() < two.len() { (&one, &two) } else { (&two, &one) };
    let inserted = long.len() - short.len() == 2
        && long.strip_suffix("ed") != Some(short)
        && (0..=short.len()).any(|at| {
            short.is_char_boundary(at) && long.is_char_boundary(at + 2) && long.starts_with(&short[..at]) && long[at + 2..] == short[at..]
        });
    !inserted && strsim::osa_distance(&one, &two) <= allowed
}

fn draft(wiring: &Wiring<'_>, name: &str, channel: &Channel, other_name: &str, other: &Channel) -> Draft {
    let (odd, says, does) = match channel.joins.first() {
        Some(join) => (*join, "subscribed", "published"),
        None => (channel.raises[0], "published", "subscribed"),
    };
    let there = other.raises.iter().chain(&other.joins).take(3);
    Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place: place(wiring, name, &wiring.effects[odd]),
        message: format!("topic `{name}` is {says} and never {does}; `{other_name}` is"),
        related: there.map(|e| related(format!("`{}` is used here", short(&other.id)), wiring.place(&wiring.effects[*e]))).collect(),
        parties: vec![channel.id.clone(), other.id.clone()],
        edit: None,
    }
}

/// Where a topic is named: in the wrapper, where that names it, else where the handler is handed over.
fn place(wiring: &Wiring<'_>, name: &str, effect: &Effect) -> Place {
    let site = effect.innermost();
    if is_written_out(wiring, site, name) { operation_place(wiring.program(), site) } else { wiring.place(effect) }
}

/// Whether a statement has a name written out, rather than a constant that stands for it.
fn is_written_out(wiring: &Wiring<'_>, site: Site, name: &str) -> bool {
    let program = wiring.program();
    let names = |n: NodeId| match program.body(site.member).map(|b| b.node(n)) {
        Some(Node::Str(text)) => program.unit_of(site.member).text(text) == name,
        _ => false,
    };
    program.body(site.member).is_some_and(|body| any_within(body, site.node, &names))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn the_one_in_another_case_is_odd() {
        expect(
            "near-miss-topic",
            r#"
//// scale.js
const { EventEmitter } = require('node:events');
const scale = new EventEmitter();
scale.on('weight', (g) => console.log(g));
scale.on('zero', () => console.log('zero'));
scale.emit('weight', 3);
scale.emit('Zero'); //! near-miss-topic warning
"#,
        );
    }

    #[test]
    fn one_letter_or_a_separator() {
        expect(
            "near-miss-topic",
            r#"
//// bus.js
const { EventEmitter } = require('node:events');
const bus = new EventEmitter();
bus.on('gate-opened', (n) => console.log(n));
bus.on('gateclosed', (n) => console.log(n)); //! near-miss-topic warning
bus.on('tide', (cm) => console.log(cm));
bus.on('lamp1', () => console.log('on'));
bus.emit('gate_opened', 3); //! near-miss-topic warning
bus.emit('gate-opened', 4);
bus.emit('gate.closed', 4);
bus.emit('tide', 4);
bus.emit('lamp2');
"#,
        );
    }
}
