//! The ways that a request can take through a chain: at which link each one ends, and on which conditions.

use yarrowgraph_model::{Passes, RequestWay, WayEnd};

use super::{Built, behaviour, conditions};
use crate::wire::Wiring;

/// The ways through a chain whose links have these names, those that end first before the others.
pub fn of(wiring: &Wiring<'_>, built: &Built, names: &[String]) -> Vec<RequestWay> {
    let (flow, links) = (&wiring.flow, &wiring.links);
    let mut ways = Vec::new();
    let mut passed: Vec<String> = Vec::new();
    let way = |at: usize, passed: &[String], last: Option<&str>, ends: WayEnd| {
        let asked = built.links.get(at.wrapping_sub(1)).filter(|_| ends != WayEnd::Nobody && ends != WayEnd::Circle);
        let asked = asked.and_then(|l| links.asked_for(wiring.program(), built.of, l)).map(|path| format!("asked for {path}"));
        RequestWay {
            links: names[..at].to_vec(),
            conditions: passed.iter().cloned().chain(asked).chain(last.map(str::to_owned)).collect(),
            ends,
        }
    };
    for (at, link) in built.links.iter().enumerate() {
        let done = behaviour::of(flow, links, built.of, link);
        let endings = conditions::endings(flow, links, built.of, link, done);
        match done.map(|b| b.passes) {
            Some(Passes::Never) => {
                ways.push(way(at + 1, &passed, None, WayEnd::Taken));
                return ways;
            }
            Some(Passes::Sometimes | Passes::Always) if !endings.is_empty() => {
                for ending in &endings {
                    let ends = if ending.refuses { WayEnd::Refused } else { WayEnd::Taken };
                    if !passed.contains(&denied(&ending.condition)) {
                        ways.push(way(at + 1, &passed, Some(&ending.condition), ends));
                    }
                    // who is not asked for all ends none of the others
                    let goes_on = denied(&ending.condition);
                    if link.only_for.is_none() && !passed.contains(&goes_on) {
                        passed.push(goes_on);
                    }
                }
            }
            Some(Passes::Always) => {}
            Some(Passes::Sometimes) => ways.push(way(at + 1, &passed, None, WayEnd::Taken)),
            None => ways.push(way(at + 1, &passed, None, WayEnd::Unknown)),
        }
    }
    let ends = if built.ring.is_some() { WayEnd::Circle } else { WayEnd::Nobody };
    ways.push(way(names.len(), &passed, None, ends));
    ways
}

/// That a condition does not hold.
fn denied(condition: &str) -> String {
    match condition.strip_prefix("not (").and_then(|c| c.strip_suffix(')')) {
        Some(inner) => inner.to_owned(),
        None => format!("not ({condition})"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_denial_is_taken_back_by_another_one() {
        assert_eq!(denied("beam > 5"), "not (beam > 5)");
        assert_eq!(denied(&denied("beam > 5")), "beam > 5");
    }
}
