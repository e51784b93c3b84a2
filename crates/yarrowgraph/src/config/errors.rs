//! What is wrong with a file of settings, with file, line and the nearest key.

use std::path::Path;

use crate::failure::Failure;

/// A failure to read a file of settings, as a reader of the file would say it.
pub(super) fn unreadable(path: &Path, text: &str, error: &toml::de::Error) -> Failure {
    let message = error.message().trim();
    // an unknown key is named by the deserializer together with those that it knows
    let mut quoted = message.split('`').skip(1).step_by(2);
    let said = match quoted.next() {
        Some(word) if message.starts_with("unknown field") || message.starts_with("unknown variant") => {
            let known: Vec<&str> = quoted.collect();
            let what = if message.starts_with("unknown field") { "there is no key" } else { "there is no" };
            let list = if known.len() > 12 {
                "the configuration's page lists them all".into()
            } else {
                format!("there are: {}", known.join(", "))
            };
            format!("{what} `{word}` here{}; {list}", likely(word, known.iter().copied()))
        }
        _ => message.replace('\n', " "),
    };
    Failure::new(format!("{}: {said}", at(path, text, error.span().map_or(0, |s| s.start))))
}

/// The place of a byte of a file, as `FILE:LINE:COLUMN`.
pub(super) fn at(path: &Path, text: &str, byte: usize) -> String {
    let before = text.get(..byte).unwrap_or(text);
    let line = before.matches('\n').count() + 1;
    let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
    format!("{}:{line}:{column}", path.display())
}

/// The known name that one is most like, as the end of a sentence; nothing where none is.
pub(crate) fn likely<'n>(name: &str, known: impl Iterator<Item = &'n str>) -> String {
    let alike = known.map(|k| (strsim::jaro_winkler(&name.replace('_', "-"), k), k)).filter(|(likeness, _)| *likeness > 0.75);
    let nearest = alike.max_by(|(a, _), (b, _)| a.total_cmp(b));
    nearest.map_or_else(String::new, |(_, k)| format!(" (did you mean `{k}`?)"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_name_is_named_and_a_far_one_is_not() {
        let known = ["leaked-subscription", "mute-event"];
        assert_eq!(likely("leaked_subscripton", known.into_iter()), " (did you mean `leaked-subscription`?)");
        assert_eq!(likely("colour", known.into_iter()), "");
    }

    #[test]
    fn places_count_lines_and_characters_from_one() {
        assert_eq!(at(Path::new("y.toml"), "a = 1\nbü = 2\n", 9), "y.toml:2:3");
    }
}
