//! Front ends: text in, one neutral [`Unit`] out, one folder a language.
//!
//! Every language folder has the same files: `mod.rs` (entry point, traits), `kinds.rs`
//! (the grammar's names, resolved once to numbers), `decls.rs` (types and members),
//! `stmts.rs` and `exprs.rs` (bodies), and `pack.toml` (what platform and libraries offer).
//! What they share is in [`driver`]: the walk over the finished tree, the guard against
//! deep nesting, and the guard against input that makes a grammar crawl.

#![warn(clippy::iter_over_hash_type)]

mod branches;
mod comments;
mod cpp;
mod csharp;
mod decode;
mod driver;
mod java;
mod markup;
mod parse;
mod typescript;

use yarrowgraph_ir::pack::{self, Pack};
use yarrowgraph_ir::{Language, Unit, traits::Traits};

pub use parse::{Unread, parse_only};

/// The language of a file, by its path; for markup that of the code it belongs to.
pub fn language_of(path: &str) -> Option<Language> {
    if let Some(form) = markup::form_of(path) {
        return Some(form.language());
    }
    let (_, extension) = path.rsplit_once('.')?;
    Some(match extension {
        "cc" | "cpp" | "cxx" | "mm" | "h" | "hh" | "hpp" | "hxx" | "ipp" | "inl" => Language::Cpp,
        "cs" => Language::CSharp,
        "java" => Language::Java,
        "js" | "jsx" | "mjs" | "cjs" => Language::JavaScript,
        "ts" | "tsx" | "mts" | "cts" => Language::TypeScript,
        _ => return None,
    })
}

/// Whether a file holds markup rather than code.
pub fn is_markup(path: &str) -> bool {
    markup::form_of(path).is_some()
}

/// Reads one file: decodes, parses and lowers it. What cannot be parsed is named in
/// [`Unit::errors`]; everything else is read all the same.
pub fn read(language: Language, path: &str, bytes: &[u8]) -> Result<Unit, Unread> {
    let text = decode::decode(bytes)?;
    if language == Language::TypeScript && decode::is_markup(&text.text) {
        return Err(Unread::Markup);
    }
    let mut unit = match language {
        _ if is_markup(path) => markup::form_of(path).map_or(Err(Unread::Markup), |form| form.lower(path, &text.text))?,
        Language::Cpp => cpp::lower(path, &text.text)?,
        Language::CSharp => csharp::lower(path, &text.text)?,
        Language::Java => java::lower(path, &text.text)?,
        Language::JavaScript => typescript::javascript::lower(path, &text.text)?,
        Language::TypeScript => typescript::lower(path, &text.text)?,
    };
    unit.lines = yarrowgraph_ir::LineIndex::new(&text.text, text.encoding);
    unit.line_count = unit.lines.count(text.text.len());
    unit.accepts = comments::accepts(&text.text);
    unit.generated |= comments::is_generated(path, &text.text);
    Ok(unit)
}

/// The text of a file as the front ends see it; none for a binary file.
pub fn text(bytes: &[u8]) -> Option<String> {
    decode::decode(bytes).ok().map(|d| d.text.into_owned())
}

/// What a language promises.
pub fn traits(language: Language) -> &'static Traits {
    match language {
        Language::Cpp => &cpp::TRAITS,
        Language::CSharp => &csharp::TRAITS,
        Language::Java => &java::TRAITS,
        Language::JavaScript => &typescript::javascript::TRAITS,
        Language::TypeScript => &typescript::TRAITS,
    }
}

/// What a language's platform and libraries offer.
pub fn pack(language: Language) -> &'static Pack {
    match language {
        Language::Cpp => &cpp::PACK,
        Language::CSharp => &csharp::PACK,
        Language::Java => &java::PACK,
        Language::JavaScript => &typescript::javascript::PACK,
        Language::TypeScript => &typescript::PACK,
    }
}

/// A language's pack with what a project adds to it in front.
///
/// # Errors
/// Where what is added is no pack.
pub fn pack_with(language: Language, additions: &toml::Table) -> Result<Pack, toml::de::Error> {
    let mut table: toml::Table = toml::from_str(pack_text(language)).expect("built-in packs are read by a test");
    pack::put_before(additions, &mut table);
    table.try_into()
}

/// The text of the pack that is compiled in for a language.
fn pack_text(language: Language) -> &'static str {
    match language {
        Language::Cpp => include_str!("cpp/pack.toml"),
        Language::CSharp => include_str!("csharp/pack.toml"),
        Language::Java => include_str!("java/pack.toml"),
        // only its idioms are a script's own
        Language::JavaScript => concat!(include_str!("typescript/pack.toml"), include_str!("typescript/javascript/pack.toml")),
        Language::TypeScript => include_str!("typescript/pack.toml"),
    }
}

/// Reads a pack that is compiled in; a test reads every one of them.
fn built_in(language: Language) -> Pack {
    toml::from_str(pack_text(language)).expect("built-in packs are read by a test")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_built_in_pack_can_be_read() {
        for language in Language::ALL {
            assert!(!pack(language).teardowns.is_empty(), "{}", language.name());
        }
    }

    #[test]
    fn languages_go_by_extension() {
        assert_eq!(language_of("a/b.tsx"), Some(Language::TypeScript));
        assert_eq!(language_of("a/Lock.java"), Some(Language::Java));
        assert_eq!(language_of("README"), None);
    }
}
