//! Findings that are accepted on purpose, in a file beside the configuration. They are known by their
//! fingerprints, which neither moved lines nor renamed files change.

use std::collections::BTreeSet;
use std::fmt::Write;
use std::path::{Path, PathBuf};

use serde::Deserialize;
use yarrowgraph_model::Finding;

use super::errors;
use crate::failure::Failure;

/// What the file holds.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Document {
    #[serde(default)]
    accepted: Vec<toml::Spanned<Entry>>,
}

/// One accepted finding.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Entry {
    /// Its fingerprint.
    finding: String,
    /// Why it is accepted.
    because: String,
    /// The file in which it was last seen, relative to the folder of this one.
    file: String,
    /// What it said, for the reader.
    #[serde(rename = "message")]
    _message: Option<String>,
}

/// The accepted findings of a project.
#[derive(Debug)]
pub(crate) struct AcceptedFile {
    path: PathBuf,
    text: String,
    prefix: String,
    entries: Vec<toml::Spanned<Entry>>,
}

/// How many findings are accepted, and what accepts nothing any more.
#[derive(Debug, Default)]
pub(crate) struct Split {
    /// What is left to report.
    pub(crate) left: Vec<Finding>,
    /// How many are accepted.
    pub(crate) accepted: usize,
    /// Entries that no finding answers to any more: place and fingerprint.
    pub(crate) unused: Vec<(String, String)>,
}

impl AcceptedFile {
    pub(super) fn read(path: &Path, prefix: &str) -> Result<Self, Failure> {
        let text = match std::fs::read_to_string(path) {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => String::new(),
            Err(e) => return Err(Failure::new(format!("{}: cannot be read: {e}", path.display()))),
        };
        let document: Document = toml::from_str(&text).map_err(|e| errors::unreadable(path, &text, &e))?;
        if let Some(entry) = document.accepted.iter().find(|e| e.get_ref().because.trim().is_empty()) {
            let at = errors::at(path, &text, entry.span().start);
            return Err(Failure::new(format!("{at}: this entry accepts nothing, since it gives no reason (`because = \"…\"`)")));
        }
        Ok(Self { path: path.to_owned(), text, prefix: prefix.to_owned(), entries: document.accepted })
    }

    /// Takes out what is accepted.
    pub(crate) fn split(&self, findings: Vec<Finding>) -> Split {
        let known: BTreeSet<&str> = self.entries.iter().map(|e| e.get_ref().finding.as_str()).collect();
        let all = findings.len();
        let met: BTreeSet<String> = findings.iter().map(|f| f.fingerprint.clone()).collect();
        let left: Vec<Finding> = findings.into_iter().filter(|f| !known.contains(f.fingerprint.as_str())).collect();
        // an entry for a part of the tree that was not read is not asked
        let idle = self.entries.iter().filter(|e| e.get_ref().file.starts_with(&self.prefix) && !met.contains(&e.get_ref().finding));
        let unused = idle.map(|e| (errors::at(&self.path, &self.text, e.span().start), e.get_ref().finding.clone())).collect();
        Split { accepted: all - left.len(), left, unused }
    }

    /// Adds findings to the file, and names it.
    ///
    /// # Errors
    /// If the file cannot be written.
    pub(crate) fn add(&self, findings: &[Finding], reason: &str) -> Result<&Path, Failure> {
        let mut text = self.text.clone();
        if text.is_empty() {
            text.push_str("# Findings that are accepted on purpose. `yarrowgraph check --accept REASON` adds to this file; whatever is taken out\n# of it is reported again. A finding is known by its fingerprint, wherever its lines and files are moved.\n");
        }
        for f in findings {
            let quoted = |text: &str| toml::Value::String(text.to_owned());
            let _ = write!(
                text,
                "\n[[accepted]]\nfinding = {}\nbecause = {}\nfile = {}\nmessage = {}\n",
                quoted(&f.fingerprint),
                quoted(reason),
                quoted(&format!("{}{}", self.prefix, f.place.file)),
                quoted(&f.message),
            );
        }
        std::fs::write(&self.path, text).map_err(|e| Failure::new(format!("{}: cannot be written: {e}", self.path.display())))?;
        Ok(&self.path)
    }
}
