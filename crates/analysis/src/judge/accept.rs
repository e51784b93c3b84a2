//! Findings accepted on purpose by a comment on their line or the line above.

use serde::{Deserialize, Serialize};
use yarrowgraph_model::{Finding, Place};

use crate::program::UnitId;
use crate::wire::Wiring;

/// What comments accepted, and comments that accept nothing.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Accepted {
    /// Findings that a comment accepts.
    pub findings: Vec<Finding>,
    /// Comments without a reason; they are refused.
    pub refused: Vec<Place>,
    /// Comments that no finding answers to any more.
    pub unused: Vec<(String, Place)>,
}

/// Takes accepted findings out.
pub(super) fn split(wiring: &Wiring<'_>, findings: Vec<Finding>) -> (Vec<Finding>, Accepted) {
    let program = wiring.program();
    let mut accepted = Accepted::default();
    // each comment with the file, line and rule that it is for
    let mut comments = Vec::new();
    for (index, facts) in program.units.iter().enumerate() {
        for comment in &facts.unit.accepts {
            let place = program.place(UnitId(index as u32), comment.span);
            if comment.reason.is_empty() {
                accepted.refused.push(place);
            } else {
                comments.push((comment.rule.clone(), place, false));
            }
        }
    }
    let mut left = Vec::new();
    for finding in findings {
        let fits = |(rule, place, _): &&mut (String, Place, bool)| {
            *rule == finding.rule
                && place.file == finding.place.file
                && (place.line == finding.place.line || place.line + 1 == finding.place.line)
        };
        match comments.iter_mut().find(fits) {
            Some((_, _, used)) => {
                *used = true;
                accepted.findings.push(finding);
            }
            None => left.push(finding),
        }
    }
    accepted.unused = comments.into_iter().filter(|(_, _, used)| !used).map(|(rule, place, _)| (rule, place)).collect();
    (left, accepted)
}
