//! Parsing with the grammars, under a guard.

use std::cell::RefCell;
use std::ops::ControlFlow;

use tree_sitter::{ParseOptions, ParseState, Parser, Tree};
use yarrowgraph_ir::Language;

use crate::decode;

/// Why a file was not read at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unread {
    /// It holds zero bytes.
    Binary,
    /// It is a file of markup whose extension a language has as well.
    Markup,
    /// It made the grammar crawl, and was given up.
    TooTangled,
    /// It is larger than four gigabytes can address.
    TooLarge,
}

impl std::fmt::Display for Unread {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Unread::Binary => "binary file",
            Unread::Markup => "XML, not the language that its name says",
            Unread::TooTangled => "given up: parsing it takes out of all proportion to its size",
            Unread::TooLarge => "too large",
        })
    }
}

/// Which grammar of a language a file needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Grammar {
    Cpp,
    CSharp,
    Java,
    TypeScript,
    Tsx,
}

impl Grammar {
    pub(crate) fn language(self) -> tree_sitter::Language {
        match self {
            Grammar::Cpp => tree_sitter_cpp::LANGUAGE.into(),
            Grammar::CSharp => tree_sitter_c_sharp::LANGUAGE.into(),
            Grammar::Java => tree_sitter_java::LANGUAGE.into(),
            Grammar::TypeScript => tree_sitter_typescript::LANGUAGE_TYPESCRIPT.into(),
            Grammar::Tsx => tree_sitter_typescript::LANGUAGE_TSX.into(),
        }
    }

    fn of(language: Language, path: &str) -> Self {
        match language {
            Language::Cpp => Grammar::Cpp,
            Language::CSharp => Grammar::CSharp,
            Language::Java => Grammar::Java,
            Language::JavaScript => Grammar::Tsx,
            Language::TypeScript if path.ends_with(".tsx") => Grammar::Tsx,
            Language::TypeScript => Grammar::TypeScript,
        }
    }
}

thread_local! {
    static PARSERS: RefCell<Vec<(Grammar, Parser)>> = const { RefCell::new(Vec::new()) };
}

/// Calls of the progress callback that a file may take: a fixed start and a share of its
/// bytes. Ordinary code takes one call for about 100 to 250 bytes; hostile nesting takes
/// hundreds of times that. The number of calls depends on the input alone, so the same
/// files are given up on every run.
const CALLS_AT_LEAST: usize = 20_000;
const BYTES_PER_CALL: usize = 4;

/// Parses a text; gives it up when that takes out of all proportion to its size.
pub(crate) fn parse(grammar: Grammar, text: &str) -> Result<Tree, Unread> {
    if u32::try_from(text.len()).is_err() {
        return Err(Unread::TooLarge);
    }
    PARSERS.with_borrow_mut(|parsers| {
        let index = parsers.iter().position(|(g, _)| *g == grammar).unwrap_or_else(|| {
            let mut parser = Parser::new();
            parser.set_language(&grammar.language()).expect("grammars are built for this version of the library");
            parsers.push((grammar, parser));
            parsers.len() - 1
        });
        let parser = &mut parsers[index].1;
        parser.reset();
        let limit = CALLS_AT_LEAST + text.len() / BYTES_PER_CALL;
        let mut calls = 0_usize;
        let mut progress = |_: &ParseState| {
            calls += 1;
            if calls > limit { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        };
        let bytes = text.as_bytes();
        let mut chunk = |at: usize, _| if at < bytes.len() { &bytes[at..] } else { &[] };
        let options = ParseOptions::new().progress_callback(&mut progress);
        parser.parse_with_options(&mut chunk, None, Some(options)).ok_or(Unread::TooTangled)
    })
}

/// Decodes and parses a file and nothing more: what reading costs at least, for measuring.
/// Returns the number of nodes.
pub fn parse_only(language: Language, path: &str, bytes: &[u8]) -> Result<usize, Unread> {
    let text = decode::decode(bytes)?;
    if language == Language::TypeScript && decode::is_markup(&text.text) {
        return Err(Unread::Markup);
    }
    let tree = parse(Grammar::of(language, path), &text.text)?;
    Ok(tree.root_node().descendant_count())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nested_brackets_are_given_up_or_read_soon() {
        let hostile = format!("class A {{ int x = {}1; }}", "(".repeat(30_000));
        let started = std::time::Instant::now();
        let _ = parse_only(Language::Java, "a.java", hostile.as_bytes());
        assert!(started.elapsed().as_secs() < 60, "{:?}", started.elapsed());
    }

    #[test]
    fn ordinary_code_is_never_given_up() {
        let method = "void fill() { for (int i = 0; i < 3; i++) { gauge.rise(i, \"cm\"); } }\n";
        let text = format!("class Lock {{ {} }}", method.repeat(5_000));
        assert!(parse_only(Language::Java, "a.java", text.as_bytes()).is_ok());
    }
}
