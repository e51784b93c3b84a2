//! One run: who is attached to what, and what went wrong with it.

use std::collections::{BTreeMap, VecDeque};

use rustc_hash::{FxHashMap, FxHashSet};
use schemars::JsonSchema;
use serde::Serialize;
use yarrowgraph_model::Kind;

use crate::read::{Line, ReadError, Reader, Text};
use crate::source::Source;

/// The version of the form in which a roster is written.
pub const ROSTER_VERSION: u32 = 1;
/// The deliveries of so many raises that have not ended are remembered.
const OPEN: usize = 100_000;

/// A handler on a channel.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, JsonSchema)]
pub struct Seat {
    /// The channel's id.
    pub channel: String,
    /// The label of the channel's owner.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subject: Option<String>,
    /// The handler's id.
    pub handler: String,
    /// The label of the handler's owner.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subscriber: Option<String>,
}

/// Somebody who is attached.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Attached {
    /// Who, and to what.
    #[serde(flatten)]
    pub seat: Seat,
    /// The record that attached it.
    pub since: u64,
    /// The stimulus in whose work that was, and all that lay between, from the stimulus down.
    pub way: Vec<u64>,
}

/// How the number of those on a channel went.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Count {
    /// The channel's id.
    pub channel: String,
    /// The label of the channel's owner.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subject: Option<String>,
    /// How often somebody was attached.
    pub joined: u64,
    /// How often somebody was taken off.
    pub left: u64,
    /// The most that were attached at one time.
    pub most: u64,
    /// How many are attached.
    pub now: u64,
    /// How often it was raised.
    pub raised: u64,
    /// How many deliveries there were.
    pub delivered: u64,
}

/// A delivery that should not have been.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Called {
    /// Who, and on what.
    #[serde(flatten)]
    pub seat: Seat,
    /// The delivery.
    pub n: u64,
    /// The record after which it should not have been: the end of the subscriber, its being taken off, or the delivery that
    /// was there already.
    pub after: u64,
}

/// Somebody who is attached although its end has passed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct LeftBehind {
    /// Who, and to what.
    #[serde(flatten)]
    pub seat: Seat,
    /// The record that attached it.
    pub since: u64,
    /// Its end.
    pub ended: u64,
}

/// What a recording says of who is attached.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Roster {
    /// Always `yarrowgraph-roster`.
    pub format: &'static str,
    /// The version of this form.
    pub version: u32,
    /// The record after which all this holds; none for the end of the run.
    pub at: Option<u64>,
    /// Those who are attached, channel by channel, in the order in which they came.
    pub attached: Vec<Attached>,
    /// How many are and were on each channel.
    pub counts: Vec<Count>,
    /// Those who are attached although their end has passed.
    pub left_behind: Vec<LeftBehind>,
    /// Deliveries to those whose end had passed.
    pub after_end: Vec<Called>,
    /// Deliveries to those who had been taken off before the raise.
    pub after_leaving: Vec<Called>,
    /// Deliveries of one raise that came twice to one handler of one object.
    pub twice: Vec<Called>,
}

impl Roster {
    /// Whether somebody was called, or is attached, that should not.
    pub fn is_wrong(&self) -> bool {
        !(self.left_behind.is_empty() && self.after_end.is_empty() && self.after_leaving.is_empty() && self.twice.is_empty())
    }
}

/// What is attached at the moment: the record, and its way from the stimulus.
struct Entry {
    since: u64,
    way: Vec<u64>,
}

#[derive(Default)]
struct State {
    attached: BTreeMap<Seat, VecDeque<Entry>>,
    counts: BTreeMap<(String, Option<String>), Count>,
    ended: FxHashMap<String, u64>,
    /// Those who were taken off, with the record that did it.
    gone: FxHashMap<Seat, u64>,
    /// Of each raise that has not ended, who was told; and the raises in order.
    told: FxHashMap<u64, FxHashMap<Seat, u64>>,
    raises: VecDeque<u64>,
    parents: FxHashMap<u64, u64>,
    after_end: Vec<Called>,
    after_leaving: Vec<Called>,
    twice: Vec<Called>,
}

/// Reads a recording up to a record, or to its end. The line that was cut short and left out comes with it.
///
/// # Errors
///
/// When the recording cannot be read, or has no such record.
pub fn roster(source: &Source<'_>, at: Option<u64>) -> Result<(Roster, Option<u64>), ReadError> {
    let mut reader = Reader::open(source)?;
    let mut state = State::default();
    let mut met = at.is_none();
    while let Some((_, line)) = reader.next()? {
        if at.is_some_and(|at| line.n > at) {
            break;
        }
        met |= at == Some(line.n);
        state.take(&line);
    }
    if let Some(at) = at.filter(|_| !met) {
        return Err(ReadError::NoRecord { name: source.name().to_owned(), n: at });
    }
    Ok((state.roster(at), reader.cut()))
}

fn owned(text: Option<&Text<'_>>) -> Option<String> {
    text.map(|t| t.as_str().to_owned())
}

fn seat(line: &Line<'_>) -> Seat {
    Seat {
        channel: owned(line.channel.as_ref()).unwrap_or_default(),
        subject: owned(line.subject.as_ref()),
        handler: owned(line.handler.as_ref()).unwrap_or_default(),
        subscriber: owned(line.subscriber.as_ref()),
    }
}

impl State {
    fn take(&mut self, line: &Line<'_>) {
        match line.kind {
            Kind::Subscribe => {
                let seat = seat(line);
                let way = self.way(line.by);
                self.count(&seat.channel, &seat.subject, |c| {
                    c.joined += 1;
                    c.now += 1;
                    c.most = c.most.max(c.now);
                });
                self.gone.remove(&seat);
                self.attached.entry(seat).or_default().push_back(Entry { since: line.n, way });
            }
            Kind::Unsubscribe => {
                let seat = seat(line);
                let Some(entries) = self.attached.get_mut(&seat) else { return };
                entries.pop_front();
                if entries.is_empty() {
                    self.attached.remove(&seat);
                    self.gone.insert(seat.clone(), line.n);
                }
                self.count(&seat.channel, &seat.subject, |c| {
                    c.left += 1;
                    c.now = c.now.saturating_sub(1);
                });
            }
            Kind::Raise => {
                let channel = owned(line.channel.as_ref()).unwrap_or_default();
                self.count(&channel, &owned(line.subject.as_ref()), |c| c.raised += 1);
                self.told.insert(line.n, FxHashMap::default());
                self.raises.push_back(line.n);
                if self.raises.len() > OPEN
                    && let Some(old) = self.raises.pop_front()
                {
                    self.told.remove(&old);
                }
            }
            Kind::Deliver => self.deliver(line),
            Kind::End => {
                if let Some(object) = &line.object {
                    self.end(object.as_str(), line.n);
                }
            }
            Kind::Settle => {
                if let Some(of) = line.of {
                    self.told.remove(&of);
                    self.parents.remove(&of);
                }
            }
            _ => {}
        }
        if let Some(by) = line.by {
            self.parents.insert(line.n, by);
        }
    }

    fn deliver(&mut self, line: &Line<'_>) {
        let seat = seat(line);
        self.count(&seat.channel, &seat.subject, |c| c.delivered += 1);
        let called = |after: u64| Called { seat: seat.clone(), n: line.n, after };
        if let Some(ended) = seat.subscriber.as_ref().and_then(|s| self.ended.get(s)) {
            self.after_end.push(called(*ended));
        } else if let Some(left) = self.gone.get(&seat)
            // whoever leaves while a raise is under way may still be told by it
            && line.by.is_none_or(|raise| *left < raise)
        {
            self.after_leaving.push(called(*left));
        }
        if let Some(told) = line.by.and_then(|by| self.told.get_mut(&by)) {
            match told.get(&seat) {
                Some(first) => self.twice.push(called(*first)),
                None => drop(told.insert(seat.clone(), line.n)),
            }
        }
    }

    /// Its channels go with an object that ends; what it is attached to stays, and that is to be seen.
    fn end(&mut self, object: &str, n: u64) {
        self.ended.insert(object.to_owned(), n);
        let own: Vec<Seat> = self.attached.keys().filter(|s| s.subject.as_deref() == Some(object)).cloned().collect();
        for seat in own {
            let gone = self.attached.remove(&seat).map_or(0, |e| e.len() as u64);
            self.count(&seat.channel, &seat.subject, |c| c.now = c.now.saturating_sub(gone));
        }
    }

    fn count(&mut self, channel: &str, subject: &Option<String>, change: impl FnOnce(&mut Count)) {
        let key = (channel.to_owned(), subject.clone());
        let count =
            self.counts.entry(key).or_insert_with(|| Count { channel: channel.to_owned(), subject: subject.clone(), ..Count::default() });
        change(count);
    }

    /// The records from a stimulus down to one.
    fn way(&self, from: Option<u64>) -> Vec<u64> {
        let mut way: Vec<u64> = std::iter::successors(from, |n| self.parents.get(n).copied()).collect();
        way.reverse();
        way
    }

    fn roster(self, at: Option<u64>) -> Roster {
        let mut attached = Vec::new();
        let mut left_behind = Vec::new();
        let mut seen: FxHashSet<Seat> = FxHashSet::default();
        for (seat, entries) in self.attached {
            for entry in entries {
                if let Some(ended) = seat.subscriber.as_ref().and_then(|s| self.ended.get(s))
                    && *ended > entry.since
                    && seen.insert(seat.clone())
                {
                    left_behind.push(LeftBehind { seat: seat.clone(), since: entry.since, ended: *ended });
                }
                attached.push(Attached { seat: seat.clone(), since: entry.since, way: entry.way });
            }
        }
        attached.sort_by(|a, b| (&a.seat.channel, &a.seat.subject, a.since).cmp(&(&b.seat.channel, &b.seat.subject, b.since)));
        Roster {
            format: "yarrowgraph-roster",
            version: ROSTER_VERSION,
            at,
            attached,
            counts: self.counts.into_values().collect(),
            left_behind,
            after_end: self.after_end,
            after_leaving: self.after_leaving,
            twice: self.twice,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(records: &[&str], at: Option<u64>) -> Roster {
        let text = records.iter().enumerate().map(|(n, r)| format!("{{\"n\":{},{r}}}\n", n + 1)).collect::<String>();
        roster(&Source::bytes("r", format!("{{\"recording\":1}}\n{text}").into_bytes()), at).expect("readable").0
    }

    const ON: &str = r#""kind":"subscribe","channel":"Gauge.rose","subject":"Gauge#1","handler":"Board.show","subscriber":"Board#1""#;
    const OFF: &str = r#""kind":"unsubscribe","channel":"Gauge.rose","subject":"Gauge#1","handler":"Board.show","subscriber":"Board#1""#;
    const RAISE: &str = r#""kind":"raise","channel":"Gauge.rose","subject":"Gauge#1""#;
    const END: &str = r#""kind":"end","object":"Board#1""#;

    fn deliver(by: u64) -> String {
        format!(r#""by":{by},"kind":"deliver","channel":"Gauge.rose","subject":"Gauge#1","handler":"Board.show","subscriber":"Board#1""#)
    }

    #[test]
    fn who_came_and_went() {
        let call = r#""kind":"call","target":"Board.open""#;
        let roster = of(&[call, &format!("\"by\":1,{ON}"), RAISE, &deliver(3), OFF], None);
        assert!(roster.attached.is_empty() && !roster.is_wrong());
        let count = &roster.counts[0];
        assert_eq!((count.joined, count.left, count.most, count.now, count.raised, count.delivered), (1, 1, 1, 0, 1, 1));
        let roster = of(&[call, &format!("\"by\":1,{ON}"), RAISE, OFF], Some(3));
        assert_eq!((roster.attached[0].since, roster.attached[0].way.as_slice()), (2, &[1][..]));
    }

    #[test]
    fn who_is_called_after_its_end_or_after_leaving() {
        let roster = of(&[ON, END, RAISE, &deliver(3)], None);
        assert_eq!((roster.after_end[0].n, roster.after_end[0].after), (4, 2));
        assert_eq!((roster.left_behind[0].since, roster.left_behind[0].ended), (1, 2));
        let roster = of(&[ON, OFF, RAISE, &deliver(3)], None);
        assert_eq!(roster.after_leaving[0].n, 4);
        // it left while the raise was under way
        assert!(!of(&[ON, RAISE, OFF, &deliver(2)], None).is_wrong());
    }

    #[test]
    fn what_came_twice() {
        let roster = of(&[ON, ON, RAISE, &deliver(3), &deliver(3)], None);
        assert_eq!((roster.twice[0].n, roster.twice[0].after), (5, 4));
        assert!(of(&[ON, RAISE, &deliver(2), RAISE, &deliver(4)], None).twice.is_empty());
    }

    #[test]
    fn what_hangs_on_an_object_goes_with_it() {
        let roster = of(&[ON, r#""kind":"end","object":"Gauge#1""#, END], None);
        assert!(roster.attached.is_empty() && !roster.is_wrong());
        assert_eq!(roster.counts[0].now, 0);
    }

    #[test]
    fn a_record_that_is_not_there_is_named() {
        let source = Source::bytes("r", &b"{\"recording\":1}\n"[..]);
        assert_eq!(roster(&source, Some(9)).expect_err("no such record").to_string(), "r: has no record 9");
    }
}
