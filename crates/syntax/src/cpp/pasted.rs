//! Names that macros of a file make out of their arguments: `SETTER(level)` comes to `emit levelChanged()` where the
//! macro says `emit field##Changed()`. What such code does is not read; that it names something is.

use memchr::memmem;

use super::macros::{closing, code, skip_blanks};

/// The paste operator.
const PASTE: &[u8] = b"##";

/// A macro whose body pastes words together.
struct Pasting {
    name: String,
    params: Vec<String>,
    /// Rows of words that become one.
    rows: Vec<Vec<String>>,
}

/// The names that come out of the macros of a file where it uses them.
pub(super) fn names(text: &str) -> Vec<String> {
    if memmem::find(text.as_bytes(), PASTE).is_none() {
        return Vec::new();
    }
    let macros: Vec<Pasting> = definitions(text).collect();
    let bytes = text.as_bytes();
    let mut found = Vec::new();
    for (start, end) in code(text).words {
        let Some(pasting) = macros.iter().find(|m| m.name == text[start..end]) else { continue };
        let open = skip_blanks(bytes, end);
        let Some(close) = closing(bytes, open).filter(|_| bytes.get(open) == Some(&b'(')) else { continue };
        let args: Vec<&str> = text[open + 1..close].split(',').map(str::trim).collect();
        let put_in = |word: &String| match pasting.params.iter().position(|p| p == word) {
            Some(index) => args.get(index).copied().unwrap_or("").to_owned(),
            None => word.clone(),
        };
        found.extend(pasting.rows.iter().map(|row| row.iter().map(put_in).collect::<String>()));
    }
    found.retain(|name| !name.is_empty() && name.chars().all(|c| c.is_alphanumeric() || c == '_'));
    found
}

/// The macros with parameters that paste words together.
fn definitions(text: &str) -> impl Iterator<Item = Pasting> {
    let starts = memmem::find_iter(text.as_bytes(), b"#define").map(|at| at + b"#define".len());
    starts.filter_map(|start| {
        // the line and those that it is continued on
        let length =
            text[start..].match_indices('\n').map(|(at, _)| at).find(|at| !text[start..start + at].trim_end_matches('\r').ends_with('\\'));
        let line = &text[start..length.map_or(text.len(), |l| start + l)];
        let (name, rest) = line.trim_start().split_once('(')?;
        let (params, body) = rest.split_once(')')?;
        let params = params.split(',').map(|p| p.trim().to_owned()).collect();
        let rows = rows(body);
        let is_name = name.chars().all(|c| c.is_alphanumeric() || c == '_');
        (is_name && !rows.is_empty()).then(|| Pasting { name: name.to_owned(), params, rows })
    })
}

/// The rows of words with the operator between them.
fn rows(body: &str) -> Vec<Vec<String>> {
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut last_end = None;
    for (start, end) in code(body).words {
        let between = last_end.map_or("", |last| &body[last..start]);
        let word = body[start..end].to_owned();
        match rows.last_mut() {
            Some(row) if between.trim() == "##" => row.push(word),
            _ => rows.push(vec![word]),
        }
        last_end = Some(end);
    }
    rows.retain(|row| row.len() > 1);
    rows
}

#[cfg(test)]
mod tests {
    use super::names;

    #[test]
    fn words_become_one_where_the_macro_is_used() {
        let text = "#define SETTER(fn, type, field) \\\n void Gauge::fn(type v) { \\\n  field = v; \\\n  emit field##Changed(v); \\\n }\nSETTER(setLevel, int, level)\nSETTER(setFlow, const Flow &, flow)\n#define PLAIN(x) x\nPLAIN(a)\n";
        assert_eq!(names(text), ["levelChanged", "flowChanged"]);
        assert_eq!(names("#define ON(x) on_##x##_rise\nON(gauge)"), ["on_gauge_rise"]);
        assert!(names("int a = 1;").is_empty());
    }
}
