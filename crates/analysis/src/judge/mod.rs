//! Judging: one rule, one file. A rule reads the wiring and says what is wrong with it;
//! wording, level and certainty are its own, rendering is somebody else's.

mod accept;
mod blind_removal;
mod broken_keep;
mod bypassed_command;
mod chain_codes;
mod circular_chain;
mod deafened_subscriber;
mod discarded_next_state;
mod displaced_subscriber;
mod doubled_pass;
mod dropped_link;
mod early_raise;
mod edits;
mod feedback_loop;
mod futile_unsubscribe;
mod hardwired_fanout;
mod hollow_handler;
mod incomplete_message;
mod late_starter;
mod leaked_subscription;
mod mismatched_handler;
mod missing_initial_state;
mod mute_event;
mod near_miss_topic;
mod no_way_out;
mod one_way_command;
mod open_ended_chain;
mod open_roster;
mod overgrown_mediator;
mod overrun_value;
mod polled_state;
mod racy_update;
mod reach_through;
mod repeated_subscription;
mod self_echo;
mod shadowed_handler;
mod shadowed_transition;
mod shared_state_data;
mod shifting_roster;
mod skipped_notify;
mod spent_handler;
mod stale_copy;
mod stranded_command;
mod swallowed_request;
mod trap_state;
mod twin_code;
mod unanswered_event;
mod undrained_queue;
mod unguarded_next;
mod unguarded_raise;
mod unheard_event;
mod unissued_command;
mod unknown_code;
mod unknown_target;
mod unlinked_handler;
mod unmapped_code;
mod unordered_dispatch;
mod unreachable_state;
mod unready_subject;
mod unregistered_colleague;
mod unwired_observer;
mod vanishing_subscription;

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use rustc_hash::FxHashSet;
use yarrowgraph_model::{Certainty, Edit, Finding, Level, Place, Related};

use crate::wire::Wiring;

pub use accept::Accepted;

/// What a rule's page says.
#[derive(Clone, Copy, Debug)]
pub struct Page {
    /// What one sees when the program runs.
    pub symptom: &'static str,
    /// What in the code brings it about.
    pub cause: &'static str,
    /// What to do.
    pub cure: &'static str,
    /// When the rule says nothing.
    pub silent: &'static str,
    /// When it is right to accept the finding.
    pub accept: &'static str,
}

/// A rule.
#[derive(Clone, Copy)]
pub struct Rule {
    /// Its name, in kebab-case.
    pub name: &'static str,
    /// What it reports, in one line.
    pub summary: &'static str,
    /// The level of most of its findings.
    pub level: Level,
    /// Its page.
    pub page: Page,
    /// Finds its findings.
    pub check: fn(&Wiring<'_>) -> Vec<Draft>,
}

impl std::fmt::Debug for Rule {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Rule").field("name", &self.name).finish_non_exhaustive()
    }
}

/// All rules, by name.
pub static RULES: &[Rule] = &[
    blind_removal::RULE,
    broken_keep::RULE,
    bypassed_command::RULE,
    circular_chain::RULE,
    deafened_subscriber::RULE,
    discarded_next_state::RULE,
    displaced_subscriber::RULE,
    doubled_pass::RULE,
    dropped_link::RULE,
    early_raise::RULE,
    feedback_loop::RULE,
    futile_unsubscribe::RULE,
    hardwired_fanout::RULE,
    hollow_handler::RULE,
    incomplete_message::RULE,
    late_starter::RULE,
    leaked_subscription::RULE,
    mismatched_handler::RULE,
    missing_initial_state::RULE,
    mute_event::RULE,
    near_miss_topic::RULE,
    no_way_out::RULE,
    one_way_command::RULE,
    open_ended_chain::RULE,
    open_roster::RULE,
    overgrown_mediator::RULE,
    overrun_value::RULE,
    polled_state::RULE,
    racy_update::RULE,
    reach_through::RULE,
    repeated_subscription::RULE,
    self_echo::RULE,
    shadowed_handler::RULE,
    shadowed_transition::RULE,
    shared_state_data::RULE,
    shifting_roster::RULE,
    skipped_notify::RULE,
    spent_handler::RULE,
    stale_copy::RULE,
    stranded_command::RULE,
    swallowed_request::RULE,
    trap_state::RULE,
    twin_code::RULE,
    unanswered_event::RULE,
    undrained_queue::RULE,
    unguarded_next::RULE,
    unguarded_raise::RULE,
    unheard_event::RULE,
    unissued_command::RULE,
    unknown_code::RULE,
    unknown_target::RULE,
    unlinked_handler::RULE,
    unmapped_code::RULE,
    unordered_dispatch::RULE,
    unreachable_state::RULE,
    unready_subject::RULE,
    unregistered_colleague::RULE,
    unwired_observer::RULE,
    vanishing_subscription::RULE,
];

/// The rule of a name.
pub fn rule(name: &str) -> Option<&'static Rule> {
    RULES.iter().find(|r| r.name == name)
}

/// A finding before it has a fingerprint.
#[derive(Clone, Debug)]
pub struct Draft {
    /// How bad it is.
    pub level: Level,
    /// How sure it is.
    pub certainty: Certainty,
    /// The exact text that is blamed.
    pub place: Place,
    /// One sentence that names the parties.
    pub message: String,
    /// Other places.
    pub related: Vec<Related>,
    /// The ids of the parties.
    pub parties: Vec<String>,
    /// What would mend it, where that can be written safely.
    pub edit: Option<Edit>,
}

/// Runs all rules. Findings come by place; those accepted by a comment are returned apart.
pub fn judge(wiring: &Wiring<'_>) -> (Vec<Finding>, Accepted) {
    let mut findings = Vec::new();
    // found before rules run side by side and wait for each other
    wiring.state();
    let all_drafts: Vec<Vec<Draft>> = RULES.par_iter().with_max_len(1).map(|rule| (rule.check)(wiring)).collect();
    // nobody is blamed for what a tool has written
    let program = wiring.program();
    let modules: FxHashSet<String> = program.modules.iter().flatten().map(|m| program.type_id(*m)).filter(|id| !id.is_empty()).collect();
    let generated: FxHashSet<&str> = program.units.iter().filter(|f| f.unit.generated).map(|f| f.unit.path.as_str()).collect();
    // a slip in a topic stands for what is unheard or mute because of it
    let slips: BTreeSet<String> = RULES
        .iter()
        .zip(&all_drafts)
        .filter(|(r, _)| r.name == near_miss_topic::RULE.name)
        .flat_map(|(_, d)| d)
        .flat_map(|d| d.parties.clone())
        .collect();
    // what a mediator sends back to its sender stands for the loop through it
    let echoes: BTreeSet<String> = RULES
        .iter()
        .zip(&all_drafts)
        .filter(|(r, _)| r.name == self_echo::RULE.name)
        .flat_map(|(_, d)| d)
        .filter_map(|d| d.parties.first().cloned())
        .collect();
    let strangers: BTreeSet<Place> = RULES
        .iter()
        .zip(&all_drafts)
        .filter(|(r, _)| r.name == unregistered_colleague::RULE.name)
        .flat_map(|(_, d)| d)
        .map(|d| d.place.clone())
        .collect();
    for (rule, mut drafts) in RULES.iter().zip(all_drafts) {
        if rule.name == feedback_loop::RULE.name {
            drafts.retain(|d| !d.parties.iter().any(|p| echoes.contains(p)));
        }
        if rule.name == unwired_observer::RULE.name {
            drafts.retain(|d| !strangers.contains(&d.place));
        }
        if matches!(rule.name, "unheard-event" | "mute-event") {
            drafts.retain(|d| !d.parties.iter().any(|p| slips.contains(p)));
        }
        drafts.retain(|d| !generated.contains(d.place.file.as_str()));
        drafts.sort_by(|a, b| (&a.place, &a.message).cmp(&(&b.place, &b.message)));
        drafts.dedup_by(|a, b| a.place == b.place);
        let mut ordinals: BTreeMap<Vec<String>, u32> = BTreeMap::new();
        for draft in drafts {
            let parties: Vec<String> = draft.parties.iter().map(|id| wherever(&modules, id)).collect();
            let ordinal = ordinals.entry(parties.clone()).or_default();
            *ordinal += 1;
            let fingerprint = fingerprint(rule.name, &parties, *ordinal);
            // what rests on something unresolved is a note at most
            let level = if draft.certainty == Certainty::Possible { Level::Note } else { draft.level };
            findings.push(Finding {
                rule: rule.name.to_owned(),
                level,
                certainty: draft.certainty,
                place: draft.place,
                message: draft.message,
                related: draft.related,
                edit: draft.edit,
                fingerprint,
            });
        }
    }
    one_cause_one_finding(&mut findings);
    findings.sort_by(|a, b| (&a.place, &a.rule).cmp(&(&b.place, &b.rule)));
    accept::split(wiring, findings)
}

/// Of findings at one place the ones that only follow from another are dropped.
fn one_cause_one_finding(findings: &mut Vec<Finding>) {
    let follows = [
        ("leaked-subscription", "displaced-subscriber"),
        ("repeated-subscription", "leaked-subscription"),
        ("hollow-handler", "one-way-command"),
        ("hollow-handler", "swallowed-request"),
    ];
    // what is put on again and again for sure says more than what may be left behind
    let repeated: BTreeSet<Place> =
        findings.iter().filter(|f| f.rule == repeated_subscription::RULE.name).map(|f| f.place.clone()).collect();
    findings.retain(|f| {
        let is_vague = f.rule == leaked_subscription::RULE.name && f.certainty == Certainty::Possible;
        !(is_vague && repeated.contains(&f.place))
    });
    let at = |rule: &str| -> BTreeSet<Place> { findings.iter().filter(|f| f.rule == rule).map(|f| f.place.clone()).collect() };
    let causes = follows.map(|(rule, cause)| (rule, at(cause)));
    // who is thrown out is on the channel no longer
    let displaced = findings.iter().filter(|f| f.rule == displaced_subscriber::RULE.name);
    let thrown_out: BTreeSet<Place> = displaced.flat_map(|f| &f.related).map(|r| r.place.clone()).collect();
    findings.retain(|f| {
        let follows = causes.iter().any(|(rule, places)| f.rule == *rule && places.contains(&f.place));
        !(follows || f.rule == leaked_subscription::RULE.name && thrown_out.contains(&f.place))
    });
}

/// An id without the module that it is in, whose name is that of the file.
fn wherever(modules: &FxHashSet<String>, id: &str) -> String {
    let (kind, rest) = id.strip_prefix("topic:").map_or(("", id), |rest| ("topic:", rest));
    let ends = rest.char_indices().filter(|(_, c)| matches!(c, '.' | ':')).map(|(at, _)| at);
    let module = ends.rev().find(|end| modules.contains(&rest[..*end]));
    format!("{kind}{}", module.map_or(rest, |end| &rest[end + 1..]))
}

/// Rule, parties and ordinal, hashed (FNV-1a, 64 bits): neither path nor line takes part.
fn fingerprint(rule: &str, parties: &[String], ordinal: u32) -> String {
    let mut hash: u64 = 0xcbf2_9ce4_8422_2325;
    let ordinal = ordinal.to_string();
    for part in std::iter::once(rule).chain(parties.iter().map(String::as_str)).chain(std::iter::once(ordinal.as_str())) {
        for byte in part.bytes().chain(std::iter::once(0)) {
            hash = (hash ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01b3);
        }
    }
    format!("{rule}/{hash:016x}")
}

/// A related place.
fn related(message: impl Into<String>, place: Place) -> Related {
    Related { message: message.into(), place }
}

/// A name without what stands between its words, in lower case.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// A topic as the code writes it; in an id some of its characters are escaped.
fn unescaped(topic: &str) -> String {
    let pairs = [("%3A", ":"), ("%2F", "/"), ("%23", "#"), ("%7E", "~"), ("%25", "%")];
    pairs.iter().fold(topic.to_owned(), |text, (code, plain)| text.replace(code, plain))
}

/// The last two parts of an id, which is how people say it.
fn short(id: &str) -> String {
    if let Some(topic) = id.strip_prefix("topic:") {
        return match topic.rsplit_once(':') {
            Some((bus, "*")) => format!("{} (any topic)", short(bus)),
            Some((_, name)) => format!("topic {}", unescaped(name)),
            None => format!("topic {}", unescaped(topic)),
        };
    }
    let mut depth = 0_i32;
    let mut dots = 0;
    let cut = id.char_indices().rev().find(|(_, c)| {
        match c {
            ')' | '>' => depth += 1,
            '(' | '<' => depth -= 1,
            '.' if depth == 0 => dots += 1,
            _ => {}
        }
        dots == 2
    });
    match cut {
        Some((at, _)) => id[at + 1..].to_owned(),
        None => id.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_are_sorted_and_named_in_kebab_case() {
        assert!(RULES.is_sorted_by(|a, b| a.name < b.name));
        assert!(RULES.iter().all(|r| r.name.chars().all(|c| c.is_ascii_lowercase() || c == '-')));
    }

    #[test]
    fn a_module_s_name_is_no_part_of_a_fingerprint() {
        let modules = FxHashSet::from_iter(["src.gauge".to_owned()]);
        assert_eq!(wherever(&modules, "src.gauge.Gauge.rise"), "Gauge.rise");
        assert_eq!(wherever(&modules, "topic:src.gauge.bus:full"), "topic:bus:full");
        assert_eq!(wherever(&modules, "src.gauges.Gauge"), "src.gauges.Gauge");
    }

    #[test]
    fn every_page_is_filled() {
        for r in RULES {
            let p = r.page;
            for text in [r.summary, p.symptom, p.cause, p.cure, p.silent, p.accept] {
                assert!(text.len() > 20, "{}: {text:?}", r.name);
            }
        }
    }

    #[test]
    fn ids_are_shortened_at_parts() {
        assert_eq!(short("lock.Gauge.rose"), "Gauge.rose");
        assert_eq!(short("lock.Gauge.rise(java.lang.String)"), "Gauge.rise(java.lang.String)");
        assert_eq!(short("topic:lock.Bus:full"), "topic full");
        assert_eq!(short("topic:lock.Bus:gate%3Afull%2F7"), "topic gate:full/7");
        assert_eq!(short("topic:marlwend.lock.Bus:*"), "lock.Bus (any topic)");
        assert_eq!(short("Gauge.rose"), "Gauge.rose");
    }
}
