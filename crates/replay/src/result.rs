//! The result of a comparison.

use schemars::JsonSchema;
use serde::Serialize;
use yarrowgraph_model::{Kind, Place};

/// Whether dispatch changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// No stimulus changed.
    Unchanged,
    /// Some stimulus changed.
    Changed,
    /// Nothing changed for certain, and something could not be decided.
    Undecided,
}

/// What became of one stimulus.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum StimulusVerdict {
    /// The same dispatch.
    Unchanged,
    /// The same records in another order.
    Reordered,
    /// Something is gone.
    Missing,
    /// Something is new.
    Extra,
    /// The same dispatch with other arguments or outcome.
    Altered,
    /// It cannot be told.
    Undecided,
}

/// What differs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum DifferenceKind {
    /// A record stands elsewhere.
    Moved,
    /// A record is gone.
    Missing,
    /// A record is new.
    Extra,
    /// A record has other arguments or another outcome.
    Altered,
}

/// One difference within a stimulus.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Difference {
    /// What differs.
    pub kind: DifferenceKind,
    /// The number of the record before.
    pub before: Option<u64>,
    /// The number of the record after.
    pub after: Option<u64>,
    /// In words.
    pub text: String,
    /// The code that sets the order, where a map was at hand.
    pub places: Vec<Place>,
}

/// A stimulus of the result.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Stimulus {
    /// Its number before.
    pub before: Option<u64>,
    /// Its number after.
    pub after: Option<u64>,
    /// What became of it.
    pub verdict: StimulusVerdict,
    /// What differs.
    pub differences: Vec<Difference>,
    /// Why it is undecided.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
}

/// How many stimuli have each verdict.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, JsonSchema)]
#[expect(missing_docs, reason = "named like the verdicts that they count")]
pub struct Counts {
    pub unchanged: u64,
    pub reordered: u64,
    pub missing: u64,
    pub extra: u64,
    pub altered: u64,
    pub undecided: u64,
}

impl Counts {
    /// Counts one more stimulus.
    pub fn add(&mut self, verdict: StimulusVerdict) {
        *match verdict {
            StimulusVerdict::Unchanged => &mut self.unchanged,
            StimulusVerdict::Reordered => &mut self.reordered,
            StimulusVerdict::Missing => &mut self.missing,
            StimulusVerdict::Extra => &mut self.extra,
            StimulusVerdict::Altered => &mut self.altered,
            StimulusVerdict::Undecided => &mut self.undecided,
        } += 1;
    }

    /// The verdict on the whole.
    pub fn verdict(&self) -> Verdict {
        if self.reordered + self.missing + self.extra + self.altered > 0 {
            Verdict::Changed
        } else if self.undecided > 0 {
            Verdict::Undecided
        } else {
            Verdict::Unchanged
        }
    }
}

/// The result of a comparison, as it is written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Replay {
    /// Always `yarrowgraph-replay`.
    pub format: &'static str,
    /// The version of this form.
    pub version: u32,
    /// Whether dispatch changed.
    pub verdict: Verdict,
    /// How many stimuli have each verdict.
    pub counts: Counts,
    /// The stimuli that changed, or all of them.
    pub stimuli: Vec<Stimulus>,
    /// Renames that were inferred.
    pub assumed_renames: Vec<Rename>,
    /// Kinds of records that were left out on both sides.
    pub seen_through: Vec<SeenThrough>,
}

/// How many records of a kind were left out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct SeenThrough {
    /// The kind.
    pub kind: Kind,
    /// How many before.
    pub before: u64,
    /// How many after.
    pub after: u64,
}

/// A rename that was inferred.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Rename {
    /// The name before.
    pub from: String,
    /// The name after.
    pub to: String,
}
