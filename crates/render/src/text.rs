//! What the text renderers share: options, source lines, padding.

use unicode_width::UnicodeWidthStr;

use crate::escape;
use crate::style::Palette;

/// How text is written.
#[derive(Clone, Copy, Debug)]
pub struct TextOptions {
    /// With or without colour.
    pub palette: Palette,
    /// The width of the terminal, in columns.
    pub width: usize,
}

/// Gives the lines of files.
pub trait Sources {
    /// The text of a line, counted from 1, without its line end.
    fn line(&self, file: &str, line: u32) -> Option<String>;
}

/// Shortens a text to a width, in columns.
pub(crate) fn fit(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut used = 0;
    for c in text.chars() {
        let w = unicode_width::UnicodeWidthChar::width(c).unwrap_or(0);
        if used + w + 1 > width {
            break;
        }
        used += w;
        out.push(c);
    }
    out.push('…');
    out
}

/// A source line as it can be shown, with the columns (counted from 0) of a marked stretch.
pub(crate) fn shown_line(text: &str, column: u32, marked: usize) -> (String, usize, usize) {
    let column = column.saturating_sub(1) as usize;
    let before: String = text.chars().take(column).collect();
    let inside: String = text.chars().skip(column).take(marked).collect();
    let shown = escape::terminal(text).into_owned();
    (shown, escape::terminal(&before).width(), escape::terminal(&inside).width().max(1))
}

/// `1 file`, `2 files`
pub(crate) fn count(n: usize, one: &str, many: &str) -> String {
    format!("{n} {}", if n == 1 { one } else { many })
}
