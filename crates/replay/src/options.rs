//! What is compared, and how.

use yarrowgraph_model::Kind;

/// What is compared, and what is listed.
#[derive(Clone, Debug, Default)]
pub struct Options {
    /// Leave out arguments and requests.
    pub ignore_args: bool,
    /// Leave out values that are given back.
    pub ignore_value: bool,
    /// List stimuli that did not change too.
    pub all: bool,
    /// Leave out records of these kinds; what they caused takes their place.
    pub see_through: Vec<Kind>,
    /// Channels whose deliveries are compared without order.
    pub unordered: Vec<String>,
    /// Names that the recording before has under others: old, new.
    pub aliases: Vec<(String, String)>,
    /// Infer no renames.
    pub no_assume: bool,
}

impl Options {
    /// Whether records of a kind are left out, unless they are stimuli.
    pub(crate) fn leaves_out(&self, kind: Kind) -> bool {
        self.see_through.contains(&kind)
    }
}
