//! Types that are named through the module that they come from: `import('./gauge').Level<T>`, and those that a module hands on:
//! `export type * from './gauge'`. The grammar knows neither arguments of the first nor the second at all; the type's own name is read,
//! what is handed on is so without a word on types, and every byte keeps its place.

use std::borrow::Cow;

use memchr::memmem;

const IMPORT: &[u8] = b"import(";
const EXPORT: &[u8] = b"export type ";
/// What a module hands out as a whole is no name of a type.
const WHOLE: &[u8] = b"default";

/// A text in which such types stand by their own names.
pub(super) fn plain(text: &str) -> Cow<'_, str> {
    let source = text.as_bytes();
    let mut bytes = Vec::new();
    for start in memmem::find_iter(source, IMPORT) {
        if let Some((name, end)) = name_with_arguments(source, start + IMPORT.len()) {
            if bytes.is_empty() {
                bytes = source.to_vec();
            }
            bytes[start..name].iter_mut().filter(|b| !b.is_ascii_whitespace()).for_each(|b| *b = b' ');
            if &source[name..end] == WHOLE {
                bytes[name] = b'D';
            }
        }
    }
    for start in memmem::find_iter(source, EXPORT) {
        let word = start + "export ".len();
        let star = word + "type".len() + 1;
        if source.get(star) == Some(&b'*') {
            if bytes.is_empty() {
                bytes = source.to_vec();
            }
            bytes[word..star].fill(b' ');
        }
    }
    // blanks in place of whole characters
    match String::from_utf8(bytes) {
        Ok(plain) if !plain.is_empty() => Cow::Owned(plain),
        _ => Cow::Borrowed(text),
    }
}

/// Where the last name behind a module begins and ends, where type arguments follow it.
fn name_with_arguments(bytes: &[u8], at: usize) -> Option<(usize, usize)> {
    let quote = *bytes.get(at).filter(|b| matches!(b, b'"' | b'\''))?;
    let mut end = at + 1 + bytes[at + 1..].iter().position(|b| *b == quote || *b == b'\n').filter(|n| bytes[at + 1 + n] == quote)? + 1;
    if bytes.get(end) != Some(&b')') {
        return None;
    }
    end += 1;
    let mut name = None;
    while bytes.get(end) == Some(&b'.') {
        let length = bytes[end + 1..].iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$')).count();
        name = Some((end + 1, end + 1 + length)).filter(|_| length > 0);
        end += 1 + length;
    }
    // what is called is a method of what comes when the module is there
    name.filter(|(from, to)| bytes.get(*to) == Some(&b'<') && (bytes[*from].is_ascii_uppercase() || &bytes[*from..*to] == WHOLE))
}

#[cfg(test)]
mod tests {
    use super::plain;

    #[test]
    fn types_with_arguments_stand_by_their_names() {
        let text = "rose: import(\"./gauge\").Event<void>;\nall(): import('x').default<import('y').Level<T>>[];\n";
        let read = plain(text);
        assert_eq!(read.len(), text.len());
        let words: Vec<&str> = read.split_whitespace().collect();
        assert_eq!(words.join(" "), "rose: Event<void>; all(): Default< Level<T>>[];");
    }

    #[test]
    fn types_that_are_handed_on_are_handed_on_like_all_else() {
        assert_eq!(plain("export type * from './gauge';"), "export      * from './gauge';");
        assert_eq!(plain("export type * as levels from './gauge';"), "export      * as levels from './gauge';");
    }

    #[test]
    fn what_the_grammar_reads_stays() {
        for text in [
            "export type Level = number;",
            "a: import('x').Level;",
            "import('x').then<Level>(f);",
            "import(name).Level<T>;",
            "import('x",
            "import x from 'y';",
        ] {
            assert_eq!(plain(text), text);
        }
    }
}
