//! Which files hold code that a tool has shortened: what it was made from tells more, and each name in it means many things.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

use yarrowgraph_ir::Language;

/// Smaller files are read, whatever they look like, in bytes.
const SMALLEST: u64 = 16 << 10;

/// So much of a file is looked at at its beginning, and of a long one in its middle, in bytes.
const PART: u64 = 64 << 10;

/// Lines of code that people write are not so long on average, in bytes.
const LONG: usize = 60;

/// So many bytes of code have at least one sign that is a bracket or ends a statement; data has fewer.
const CODE: usize = 60;

/// Whether the code of a file was shortened, by its name or by what its beginning looks like; data may stand there, in front of code.
pub(crate) fn is_shortened(path: &Path, size: u64) -> bool {
    if !matches!(yarrowgraph_syntax::language_of(&path.to_string_lossy()), Some(Language::JavaScript | Language::TypeScript)) {
        return false;
    }
    let is_named_so = path.file_stem().is_some_and(|stem| stem.to_string_lossy().ends_with(".min"));
    let looks_so = |at: u64| part(path, at).is_some_and(|part| looks_shortened(&part));
    is_named_so || size >= SMALLEST && looks_so(0) || size > PART * 2 && looks_so(size / 2)
}

fn part(path: &Path, at: u64) -> Option<Vec<u8>> {
    let mut file = File::open(path).ok()?;
    file.seek(SeekFrom::Start(at)).ok()?;
    let mut part = Vec::new();
    file.take(PART).read_to_end(&mut part).ok()?;
    Some(part)
}

/// Whether it is code without the blanks that people set: lines are long and hardly one is indented, or they are far too long.
fn looks_shortened(part: &[u8]) -> bool {
    let lines = || part.split(|b| *b == b'\n').filter(|line| !line.is_empty());
    let indented = lines().filter(|line| line[0] == b' ' || line[0] == b'\t').count();
    let blanks = part.iter().filter(|b| matches!(b, b' ' | b'\t')).count();
    let signs = part.iter().filter(|b| matches!(b, b'(' | b'{' | b';')).count();
    let count = lines().count();
    let is_plain = indented * 8 < count && count * LONG < part.len();
    (is_plain || count * LONG * 4 < part.len()) && blanks * 12 < part.len() && signs * CODE > part.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn code_in_very_long_lines_is_told_from_data() {
        let code = "function a(b){c.d(b);e()}".repeat(100);
        assert!(looks_shortened(code.as_bytes()));
        assert!(looks_shortened(format!("/* a licence */\n{code}").as_bytes()));
        let put_inside = format!("(function(){{\n  /*\n    A licence.\n  */\n  {code}\n  {code}\n}})();\n");
        assert!(looks_shortened(put_inside.as_bytes()));
        let data = format!("const picture = \"{}\";", "Zm9vYmFy".repeat(400));
        assert!(!looks_shortened(data.as_bytes()));
        let lines = "function rise(gauge) {\n  gauge.tell();\n}\n".repeat(100);
        assert!(!looks_shortened(lines.as_bytes()));
    }

    #[test]
    fn data_in_front_of_shortened_code_does_not_hide_it() {
        let folder = tempfile::tempdir().expect("a temporary folder");
        let file = folder.path().join("tables.js");
        let data = format!("const tides = [{}];\n", "12,".repeat(30_000));
        let code = "function a(b){c.d(b);e()}".repeat(10_000);
        let is_shortened = |text: String| {
            std::fs::write(&file, &text).expect("writable");
            super::is_shortened(&file, text.len() as u64)
        };
        assert!(is_shortened(format!("{data}{code}")));
        assert!(!is_shortened(format!("{data}{data}{data}")));
    }
}
