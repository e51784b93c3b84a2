//! Findings: what the rules have to say about the wiring.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Edit, Place};

/// How bad a finding is. The derived order puts the mildest first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Level {
    /// Worth knowing.
    Note,
    /// Very likely a fault.
    Warning,
    /// A fault.
    Error,
}

/// How sure the analysis is. The derived order puts the least sure first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Certainty {
    /// Something was not resolved.
    Possible,
    /// One stated convention is assumed.
    Likely,
    /// Holds on every path, with everything resolved.
    Certain,
}

/// Another place that belongs to a finding.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Related {
    /// What is there, as a short phrase.
    pub message: String,
    /// Where it is.
    pub place: Place,
}

/// One finding of one rule.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Finding {
    /// The rule's name, in kebab-case.
    pub rule: String,
    /// How bad it is.
    pub level: Level,
    /// How sure it is.
    pub certainty: Certainty,
    /// The exact text that is blamed.
    pub place: Place,
    /// One sentence that names the parties.
    pub message: String,
    /// Other places that belong to it: the subject, the handler, the missing teardown.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub related: Vec<Related>,
    /// A suggested edit, where one can be written safely.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub edit: Option<Edit>,
    /// What identifies the finding across versions of the code: rule, ids of the parties,
    /// and an ordinal; neither path nor line takes part in it.
    pub fingerprint: String,
}

/// All findings of one run, as JSON.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Findings {
    /// Always `yarrowgraph-findings`.
    pub format: String,
    /// The version of this form.
    pub version: u32,
    /// The root that the files are relative to, as it was typed.
    pub root: String,
    /// The findings, by place.
    pub findings: Vec<Finding>,
}
