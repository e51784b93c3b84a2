//! What a `yarrowgraph.toml` may hold.

use std::collections::BTreeMap;
use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, de};
use yarrowgraph_analysis::judge;
use yarrowgraph_ir::Language;
use yarrowgraph_ir::pack::Pack;
use yarrowgraph_model::{Certainty, Level};

use super::errors::likely;

/// The configuration of a tree: the nearest `yarrowgraph.toml` at or above its root.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Document {
    /// What belongs to the tree, and what is known of it.
    #[serde(default)]
    pub(super) tree: TreeTable,
    /// What rules report, by the name of the rule.
    #[serde(default)]
    pub(super) rules: BTreeMap<RuleName, RuleSetting>,
    /// The same for some files only; of several that fit a file, the last one that says something of a rule counts.
    #[serde(default)]
    pub(super) paths: Vec<PathTable>,
    /// What libraries of a language offer, beside what is known of it; by the name of the language.
    #[serde(default)]
    pub(super) pack: BTreeMap<LanguageName, Pack>,
    /// Names that recordings made before have for others (`Old = "New"`), for `replay`.
    #[serde(default)]
    pub(super) aliases: BTreeMap<String, String>,
    /// What must stay so.
    #[serde(default)]
    #[schemars(with = "Vec<Keep>")]
    pub(super) keep: Vec<toml::Spanned<Keep>>,
    /// From which size on a mediator is overgrown.
    #[serde(default)]
    pub(super) mediators: MediatorTable,
}

/// From which size on a mediator is overgrown: it must have as many of each.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct MediatorTable {
    /// Colleagues, by class; by default 8.
    pub(super) colleagues: Option<usize>,
    /// Members of its class, without constructors and accessors; by default 20.
    pub(super) members: Option<usize>,
    /// Branches in their bodies; by default 20.
    pub(super) branches: Option<usize>,
}

/// What belongs to the tree, and what is known of it.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct TreeTable {
    /// Files and folders that are not read, as globs relative to the configuration's folder.
    #[serde(default)]
    pub(super) leave_out: Vec<Glob>,
    /// Names of folders that are read although they are left out by default (`vendor`, `build`), and of files whose code was
    /// shortened (`chart.min.js`).
    #[serde(default)]
    pub(super) take_in: Vec<String>,
    /// Whether other trees use this one, so that its public channels may be heard elsewhere; by default as manifests say.
    pub(super) library: Option<bool>,
    /// Methods where the program begins, beside those of the languages: a name, or the end of an id (`Harbour.run`).
    #[serde(default)]
    pub(super) entry_points: Vec<String>,
    /// Methods in which an object's life ends, beside those of the languages: a name, or the end of an id.
    #[serde(default)]
    pub(super) teardowns: Vec<String>,
    /// The file of accepted findings, relative to the configuration's folder; by default `yarrowgraph-accepted.toml`.
    pub(super) accepted: Option<String>,
}

/// What rules report in some files.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PathTable {
    /// The files, as globs relative to the configuration's folder; a folder stands for all that is in it.
    #[serde(rename = "match")]
    pub(super) globs: Vec<Glob>,
    /// What rules report there, by the name of the rule.
    pub(super) rules: BTreeMap<RuleName, RuleSetting>,
}

/// What a rule reports: a level, or a table.
#[derive(Clone, Copy, Debug, Default, JsonSchema)]
#[schemars(with = "SettingForm")]
pub(super) struct RuleSetting {
    pub(super) level: Option<LevelOrOff>,
    pub(super) at_most: Option<Level>,
    pub(super) certainty: Option<Certainty>,
}

/// The two ways of writing a setting.
#[derive(JsonSchema)]
#[serde(untagged)]
#[expect(dead_code, reason = "only its schema is used")]
enum SettingForm {
    /// The level alone.
    Level(LevelOrOff),
    /// All that can be said.
    Table(SettingTable),
}

/// What a rule reports.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct SettingTable {
    /// The level of its findings; what is only `possible` stays a note.
    level: Option<LevelOrOff>,
    /// The highest level of its findings.
    at_most: Option<Level>,
    /// How sure a finding must be to be reported.
    certainty: Option<Certainty>,
}

/// A level, or nothing at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum LevelOrOff {
    /// Nothing is reported.
    Off,
    /// Worth knowing.
    Note,
    /// Very likely a fault.
    Warning,
    /// A fault.
    Error,
}

impl<'de> Deserialize<'de> for RuleSetting {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Either;
        impl<'de> de::Visitor<'de> for Either {
            type Value = RuleSetting;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a level (`off`, `note`, `warning`, `error`) or a table")
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<RuleSetting, E> {
                let level = LevelOrOff::deserialize(de::value::StrDeserializer::new(text))?;
                Ok(RuleSetting { level: Some(level), ..RuleSetting::default() })
            }

            fn visit_map<A: de::MapAccess<'de>>(self, map: A) -> Result<RuleSetting, A::Error> {
                let SettingTable { level, at_most, certainty } = SettingTable::deserialize(de::value::MapAccessDeserializer::new(map))?;
                Ok(RuleSetting { level, at_most, certainty })
            }
        }
        from.deserialize_any(Either)
    }
}

/// The name of a rule.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, JsonSchema)]
#[schemars(transparent)]
pub(super) struct RuleName(pub(super) String);

impl<'de> Deserialize<'de> for RuleName {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let name = String::deserialize(from)?;
        if judge::rule(&name).is_none() {
            let hint = likely(&name, judge::RULES.iter().map(|r| r.name));
            return Err(de::Error::custom(format!("there is no rule `{name}`{hint}")));
        }
        Ok(Self(name))
    }
}

/// The name of a language.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, JsonSchema)]
#[schemars(with = "String")]
pub(super) struct LanguageName(pub(super) Language);

impl<'de> Deserialize<'de> for LanguageName {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let name = String::deserialize(from)?;
        let known = Language::ALL.into_iter().find(|l| l.name() == name);
        known.map(Self).ok_or_else(|| {
            let names = Language::ALL.map(Language::name);
            let hint = likely(&name, names.into_iter());
            de::Error::custom(format!("no front end reads `{name}`{hint}; there are: {}", names.join(", ")))
        })
    }
}

/// A pattern of file names; a folder stands for all that is in it.
#[derive(Clone, Debug, JsonSchema)]
#[schemars(with = "String")]
pub(crate) struct Glob([globset::GlobMatcher; 2]);

impl Glob {
    /// Whether it fits a path, which is relative and has forward slashes.
    pub(crate) fn fits(&self, path: &str) -> bool {
        self.0.iter().any(|g| g.is_match(path))
    }
}

impl<'de> Deserialize<'de> for Glob {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = String::deserialize(from)?;
        let plain = text.trim_start_matches("./").trim_end_matches('/');
        let compiled = |pattern: &str| {
            let glob = globset::GlobBuilder::new(pattern).literal_separator(true).build();
            glob.map(|g| g.compile_matcher()).map_err(|e| de::Error::custom(format!("`{text}` is no pattern: {}", e.kind())))
        };
        Ok(Self([compiled(plain)?, compiled(&format!("{plain}/**"))?]))
    }
}

/// Something that must stay so: an order, a way that must be passed, or types that may not know each other.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Keep {
    /// Handlers or links that come in this order wherever they are on one channel or chain.
    #[serde(default)]
    pub(super) order: Vec<String>,
    /// What every path to `to` must pass.
    pub(super) through: Option<String>,
    /// Where those paths lead.
    pub(super) to: Option<String>,
    /// Types that may not know each other.
    #[serde(default)]
    pub(super) apart: Vec<String>,
}

impl Keep {
    /// What it states.
    pub(super) fn statement(&self) -> yarrowgraph_analysis::keep::Keep {
        use yarrowgraph_analysis::keep::Keep as Stated;
        match (&self.through, &self.to) {
            (Some(through), Some(to)) => Stated::Through { through: through.clone(), to: to.clone() },
            _ if !self.order.is_empty() => Stated::Order(self.order.clone()),
            _ => Stated::Apart(self.apart.clone()),
        }
    }

    /// What is wrong with a statement: each states one thing.
    pub(super) fn fault(&self) -> Option<&'static str> {
        let said = [!self.order.is_empty(), self.through.is_some() || self.to.is_some(), !self.apart.is_empty()];
        if said.iter().filter(|s| **s).count() != 1 {
            return Some("one `[[keep]]` states one thing: `order`, `through` with `to`, or `apart`");
        }
        if self.through.is_some() != self.to.is_some() {
            return Some("`through` and `to` belong together");
        }
        let one_alone = self.order.len() == 1 || self.apart.len() == 1;
        one_alone.then_some("`order` and `apart` need two names at least")
    }
}
