//! Which files hold code that a tool has shortened: what it was made from tells more, and each name in it means many things.

use std::fs::File;
use std::io::Read;
use std::path::Path;

use yarrowgraph_ir::Language;

/// Smaller files are read, whatever they look like, in bytes.
const SMALLEST: u64 = 16 << 10;

/// So much of a file is looked at, in bytes.
const HEAD: u64 = 64 << 10;

/// Lines of code that people write are not so long on average, in bytes.
const LONG: usize = 60;

/// So many bytes of code have at least one sign that is a bracket or ends a statement; data has fewer.
const CODE: usize = 60;

/// Whether the code of a file was shortened, by its name or by what its beginning looks like.
pub(crate) fn is_shortened(path: &Path, size: u64) -> bool {
    if !matches!(yarrowgraph_syntax::language_of(&path.to_string_lossy()), Some(Language::JavaScript | Language::TypeScript)) {
        return false;
    }
    let is_named_so = path.file_stem().is_some_and(|stem| stem.to_string_lossy().ends_with(".min"));
    is_named_so || size >= SMALLEST && head(path).is_some_and(|head| looks_shortened(&head))
}

fn head(path: &Path) -> Option<Vec<u8>> {
    let mut head = Vec::new();
    File::open(path).ok()?.take(HEAD).read_to_end(&mut head).ok()?;
    Some(head)
}

/// Whether it is code without the blanks that people set: lines are long and hardly one is indented, or they are far too long.
fn looks_shortened(head: &[u8]) -> bool {
    let lines = || head.split(|b| *b == b'\n').filter(|line| !line.is_empty());
    let indented = lines().filter(|line| line[0] == b' ' || line[0] == b'\t').count();
    let blanks = head.iter().filter(|b| matches!(b, b' ' | b'\t')).count();
    let signs = head.iter().filter(|b| matches!(b, b'(' | b'{' | b';')).count();
    let count = lines().count();
    let is_plain = indented * 8 < count && count * LONG < head.len();
    (is_plain || count * LONG * 4 < head.len()) && blanks * 12 < head.len() && signs * CODE > head.len()
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
}
