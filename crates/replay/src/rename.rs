//! Names that one recording has and the other has under another name.

use std::borrow::Cow;
use std::collections::BTreeSet;

use rustc_hash::FxHashSet;
use xxhash_rust::xxh3::xxh3_64;
use yarrowgraph_model::Kind;

use crate::labels::type_of;
use crate::options::Options;
use crate::outline::Register;
use crate::read::{Line, ReadError, Reader, Text};
use crate::result::Rename;
use crate::source::Source;

/// What stands between the parts of an id.
const BETWEEN: [char; 4] = ['.', ':', '#', '~'];

/// Other names for the names of a recording.
#[derive(Clone, Debug, Default)]
pub(crate) struct Aliases {
    /// Old and new names, long old ones first.
    names: Vec<(String, String)>,
}

impl Aliases {
    pub(crate) fn new(names: &[(String, String)]) -> Self {
        let mut names: Vec<(String, String)> = names.iter().filter(|(old, _)| !old.is_empty()).cloned().collect();
        names.sort_by_key(|(old, _)| std::cmp::Reverse(old.len()));
        Self { names }
    }

    /// An id or a type under its other name: wherever an old name stands as one or more whole parts of it.
    pub(crate) fn of<'t>(&self, text: &'t str) -> Cow<'t, str> {
        if !self.names.iter().any(|(old, _)| text.contains(old.as_str())) {
            return Cow::Borrowed(text);
        }
        let mut out = String::with_capacity(text.len());
        let mut rest = text;
        let mut at_boundary = true;
        while let Some(c) = rest.chars().next() {
            let whole = |old: &str| rest.strip_prefix(old).is_some_and(|behind| behind.is_empty() || behind.starts_with(BETWEEN));
            match self.names.iter().find(|(old, _)| at_boundary && whole(old)) {
                Some((old, new)) => {
                    out.push_str(new);
                    rest = &rest[old.len()..];
                    at_boundary = false;
                }
                None => {
                    out.push(c);
                    at_boundary = BETWEEN.contains(&c);
                    rest = &rest[c.len_utf8()..];
                }
            }
        }
        if out == text { Cow::Borrowed(text) } else { Cow::Owned(out) }
    }
}

/// The rename that two recordings differ by, if there is just one: a name that only the one has stands wherever a name
/// stands that only the other has.
pub(crate) fn infer(
    (before, known_before): (&Source<'_>, &Register),
    (after, known_after): (&Source<'_>, &Register),
    options: &Options,
) -> Result<Option<Rename>, ReadError> {
    let parts = |register: &Register| -> BTreeSet<String> {
        let types = register.labels.texts().map(type_of);
        let all = types.chain(register.ids.iter().map(|id| &**id));
        all.flat_map(|text| text.split(BETWEEN)).filter(|part| !part.is_empty()).map(str::to_owned).collect()
    };
    let whole = |register: &Register| -> BTreeSet<String> { register.ids.iter().map(|id| id.to_string()).collect() };
    for (of_before, of_after) in [(parts(known_before), parts(known_after)), (whole(known_before), whole(known_after))] {
        let gone: Vec<&String> = of_before.difference(&of_after).collect();
        let new: Vec<&String> = of_after.difference(&of_before).collect();
        if let ([from], [to]) = (&gone[..], &new[..]) {
            let there = Aliases::new(&options.aliases);
            let rename = Aliases::new(&[((*from).clone(), (*to).clone())]);
            let back = Aliases::new(&[((*to).clone(), (*from).clone())]);
            let places_before = places(before, options, &there, &rename)?;
            let places_after = places(after, options, &Aliases::default(), &back)?;
            if !places_before.is_empty() && places_before == places_after {
                return Ok(Some(Rename { from: (*from).clone(), to: (*to).clone() }));
            }
        }
    }
    Ok(None)
}

/// The paths of kinds, ids and types, from a stimulus down, in which a name stands; in a form in which the old and the new
/// name are one.
fn places(source: &Source<'_>, options: &Options, aliases: &Aliases, rename: &Aliases) -> Result<FxHashSet<u64>, ReadError> {
    let mut reader = Reader::open(source)?;
    let mut found = FxHashSet::default();
    // for each record its path, and whether the name stands in it
    let mut paths: Vec<(u64, bool)> = Vec::new();
    let mut scratch = Vec::new();
    while let Some((entry, line)) = reader.next()? {
        let parent = entry.by.map_or((0, false), |by| paths[by as usize]);
        if matches!(line.kind, Kind::Note | Kind::Settle) || (entry.by.is_some() && options.leaves_out(line.kind)) {
            paths.push(parent);
            continue;
        }
        let here = step(&line, aliases, rename, &mut scratch);
        scratch.extend(parent.0.to_le_bytes());
        let path = (xxh3_64(&scratch), parent.1 || here);
        if path.1 {
            found.insert(path.0);
        }
        paths.push(path);
    }
    Ok(found)
}

/// Writes what a record is, with the two names put in place of each other by one form; whether one of them stands in it.
fn step(line: &Line<'_>, aliases: &Aliases, rename: &Aliases, out: &mut Vec<u8>) -> bool {
    out.clear();
    out.push(line.kind as u8);
    let mut met = false;
    let mut put = |text: Option<&str>| {
        if let Some(text) = text {
            let own = aliases.of(text);
            let other = rename.of(&own);
            // the one form: whichever of both spellings sorts first
            let form = if matches!(other, Cow::Owned(_)) { std::cmp::min(&*own, &*other) } else { &*own };
            met |= matches!(other, Cow::Owned(_));
            out.extend(form.as_bytes());
        }
        out.push(0);
    };
    for id in [&line.target, &line.channel, &line.handler, &line.command, &line.chain, &line.machine, &line.event] {
        put(id.as_ref().map(Text::as_str));
    }
    for label in [&line.object, &line.subject, &line.subscriber, &line.invoker] {
        put(label.as_ref().map(|l| type_of(l.as_str())));
    }
    met
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_whole_parts_are_renamed() {
        let aliases = Aliases::new(&[("Dial".into(), "Gauge".into()), ("Coast.Beacon".into(), "Lamp".into())]);
        let of = |text: &str| aliases.of(text).into_owned();
        assert_eq!(of("Locks.Dial.onRose"), "Locks.Gauge.onRose");
        assert_eq!(of("Dial"), "Gauge");
        assert_eq!(of("topic:Dial#x~1"), "topic:Gauge#x~1");
        assert_eq!(of("SunDial.Dials"), "SunDial.Dials");
        assert_eq!(of("Coast.Beacon.on"), "Lamp.on");
        assert_eq!(of("Coast.Beacons"), "Coast.Beacons");
    }

    #[test]
    fn two_names_can_change_places() {
        let aliases = Aliases::new(&[("A".into(), "B".into()), ("B".into(), "A".into())]);
        assert_eq!(aliases.of("A.B.C"), "B.A.C");
    }
}
