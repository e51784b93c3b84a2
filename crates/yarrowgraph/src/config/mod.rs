//! The configuration: `yarrowgraph.toml`, found at or above the root of a tree.

mod accepted;
mod document;
mod errors;

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use yarrowgraph_analysis::program::Kit;
use yarrowgraph_ir::Language;
use yarrowgraph_ir::pack::{self, Pack};
use yarrowgraph_model::{Certainty, Finding, Level};

use crate::failure::Failure;
use document::{Glob, LanguageName, LevelOrOff, PathTable, RuleSetting};

pub(crate) use accepted::AcceptedFile;
pub(crate) use document::Document;
pub(crate) use errors::likely;

/// The name of the file.
pub(crate) const FILE: &str = "yarrowgraph.toml";

/// The name of the file of accepted findings, unless the configuration says another.
const ACCEPTED: &str = "yarrowgraph-accepted.toml";

/// What a project has set.
#[derive(Debug, Default)]
pub(crate) struct Config {
    /// Its text.
    pub(crate) text: String,
    /// What leads from the folder of the configuration to the root of the tree: empty, or with a slash at its end.
    prefix: String,
    document: Document,
    /// The packs of the languages that the project adds something to.
    packs: BTreeMap<Language, Pack>,
    /// The file of accepted findings.
    accepted: PathBuf,
}

impl Config {
    /// Names that recordings made before have for others: old, new.
    pub(crate) fn aliases(&self) -> Vec<(String, String)> {
        self.document.aliases.iter().map(|(old, new)| (old.clone(), new.clone())).collect()
    }

    /// Reads the configuration of a tree.
    ///
    /// # Errors
    /// If a file that is there, or that was asked for, cannot be read or understood.
    pub(crate) fn of(root: &Path, asked: Option<&Path>) -> Result<Self, Failure> {
        let found = match asked {
            Some(path) => Some(path.to_owned()),
            None => nearest(root),
        };
        let Some(path) = found else {
            return Ok(Self { accepted: root.join(ACCEPTED), ..Self::default() });
        };
        let text = std::fs::read_to_string(&path).map_err(|e| Failure::new(format!("{}: cannot be read: {e}", path.display())))?;
        let document: Document = toml::from_str(&text).map_err(|e| errors::unreadable(&path, &text, &e))?;
        if let Some((wrong, why)) = document.keep.iter().find_map(|keep| Some((keep, keep.get_ref().fault()?))) {
            return Err(Failure::new(format!("{}: {why}", errors::at(&path, &text, wrong.span().start))));
        }
        let packs = packs(&path, &text, &document)?;
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let accepted = folder.join(document.tree.accepted.as_deref().unwrap_or(ACCEPTED));
        Ok(Self { prefix: between(folder, root), text, document, packs, accepted })
    }

    /// What is known of a language.
    pub(crate) fn kit(&self, language: Language) -> Kit {
        let pack = self.packs.get(&language).map_or_else(|| Cow::Borrowed(yarrowgraph_syntax::pack(language)), |p| Cow::Owned(p.clone()));
        Kit { traits: yarrowgraph_syntax::traits(language), pack }
    }

    /// Whether a file, named relative to the root of the tree, is left out.
    pub(crate) fn leaves_out(&self, file: &str) -> bool {
        any_fits(&self.document.tree.leave_out, &self.within(file))
    }

    /// Whether a folder is read although it is left out by default.
    pub(crate) fn takes_in(&self, folder: &str) -> bool {
        self.document.tree.take_in.iter().any(|name| name.trim_matches('/') == folder)
    }

    /// Whether the project says that other trees use it, or that none does.
    pub(crate) fn library(&self) -> Option<bool> {
        self.document.tree.library
    }

    /// Takes out what is switched off and gives the rest the levels that are set.
    pub(crate) fn settle(&self, findings: Vec<Finding>) -> Vec<Finding> {
        let settled = |mut finding: Finding| {
            finding.level = self.level(&finding)?;
            Some(finding)
        };
        findings.into_iter().filter_map(settled).collect()
    }

    /// The level of a finding; none where it is not reported.
    fn level(&self, finding: &Finding) -> Option<Level> {
        let setting = self.setting(finding);
        if setting.certainty.is_some_and(|least| finding.certainty < least) {
            return None;
        }
        let level = match setting.level {
            None => finding.level,
            Some(LevelOrOff::Off) => return None,
            // what rests on something unresolved is a note at most
            Some(_) if finding.certainty == Certainty::Possible => Level::Note,
            Some(LevelOrOff::Note) => Level::Note,
            Some(LevelOrOff::Warning) => Level::Warning,
            Some(LevelOrOff::Error) => Level::Error,
        };
        Some(setting.at_most.map_or(level, |most| level.min(most)))
    }

    /// What is set for a finding's rule and file.
    fn setting(&self, finding: &Finding) -> RuleSetting {
        let file = self.within(&finding.place.file);
        let fitting = self.document.paths.iter().filter(|p: &&PathTable| any_fits(&p.globs, &file)).map(|p| &p.rules);
        let said = std::iter::once(&self.document.rules).chain(fitting);
        let of_rule = said.filter_map(|rules| rules.iter().find(|(name, _)| name.0 == finding.rule).map(|(_, s)| *s));
        of_rule.fold(RuleSetting::default(), |all, s| RuleSetting {
            level: s.level.or(all.level),
            at_most: s.at_most.or(all.at_most),
            certainty: s.certainty.or(all.certainty),
        })
    }

    /// The findings that the project has accepted.
    ///
    /// # Errors
    /// If the file is there and cannot be understood.
    pub(crate) fn accepted(&self) -> Result<AcceptedFile, Failure> {
        AcceptedFile::read(&self.accepted, &self.prefix)
    }

    /// From which size on a mediator is overgrown.
    pub(crate) fn limits(&self) -> yarrowgraph_analysis::mediator::Limits {
        let (table, default) = (&self.document.mediators, yarrowgraph_analysis::mediator::Limits::default());
        yarrowgraph_analysis::mediator::Limits {
            colleagues: table.colleagues.unwrap_or(default.colleagues),
            members: table.members.unwrap_or(default.members),
            branches: table.branches.unwrap_or(default.branches),
        }
    }

    /// What must stay so.
    pub(crate) fn keeps(&self) -> Vec<yarrowgraph_analysis::keep::Keep> {
        self.document.keep.iter().map(|k| k.get_ref().statement()).collect()
    }

    /// A file's name relative to the folder of the configuration.
    fn within<'f>(&self, file: &'f str) -> Cow<'f, str> {
        if self.prefix.is_empty() { Cow::Borrowed(file) } else { Cow::Owned(format!("{}{file}", self.prefix)) }
    }
}

fn any_fits(globs: &[Glob], file: &str) -> bool {
    globs.iter().any(|g| g.fits(file))
}

/// The nearest configuration at or above a folder, named from there.
fn nearest(root: &Path) -> Option<PathBuf> {
    let here = root.join(FILE);
    if here.is_file() {
        return Some(here);
    }
    let full = std::fs::canonicalize(root).ok()?;
    let mut up = root.to_owned();
    for above in full.ancestors().skip(1) {
        up.push("..");
        if above.join(FILE).is_file() {
            return Some(up.join(FILE));
        }
    }
    None
}

/// What leads from one folder down to another: empty, or with a slash at its end.
fn between(folder: &Path, root: &Path) -> String {
    let full = |p: &Path| std::fs::canonicalize(p).ok();
    let (Some(folder), Some(root)) = (full(folder), full(root)) else { return String::new() };
    let Ok(rest) = root.strip_prefix(&folder) else { return String::new() };
    rest.components().fold(String::new(), |prefix, c| format!("{prefix}{}/", c.as_os_str().to_string_lossy()))
}

/// The packs of the languages with what a project adds to them.
fn packs(path: &Path, text: &str, document: &Document) -> Result<BTreeMap<Language, Pack>, Failure> {
    let unreadable = |e: &toml::de::Error| errors::unreadable(path, text, e);
    let whole: toml::Table = toml::from_str(text).map_err(|e| unreadable(&e))?;
    let of_all = [("entry-points", &document.tree.entry_points), ("teardowns", &document.tree.teardowns)];
    let mut packs = BTreeMap::new();
    for language in Language::ALL {
        let mut additions = toml::Table::new();
        // TypeScript's pack is JavaScript's too
        let sources: &[Language] =
            if language == Language::JavaScript { &[Language::TypeScript, Language::JavaScript] } else { &[language] };
        for source in sources {
            let own = whole.get("pack").and_then(|p| p.get(source.name())).and_then(toml::Value::as_table);
            if let Some(own) = own.filter(|_| document.pack.contains_key(&LanguageName(*source))) {
                pack::put_before(own, &mut additions);
            }
        }
        for (key, names) in of_all.iter().filter(|(_, names)| !names.is_empty()) {
            let names = names.iter().cloned().map(toml::Value::String).collect();
            pack::put_before(&toml::Table::from_iter([((*key).to_owned(), toml::Value::Array(names))]), &mut additions);
        }
        if !additions.is_empty() {
            packs.insert(language, yarrowgraph_syntax::pack_with(language, &additions).map_err(|e| unreadable(&e))?);
        }
    }
    Ok(packs)
}
