//! From bytes to text.

use std::borrow::Cow;

use yarrowgraph_ir::Encoding;

use crate::Unread;

/// A decoded file.
pub(crate) struct Decoded<'b> {
    /// The text, without a byte order mark.
    pub(crate) text: Cow<'b, str>,
    /// How it was decoded.
    pub(crate) encoding: Encoding,
}

/// Whether a text is XML (translations of some toolkits share an extension with a language).
pub(crate) fn is_markup(text: &str) -> bool {
    ["<?xml", "<!DOCTYPE"].iter().any(|start| text.trim_start_matches('\u{feff}').trim_start().starts_with(start))
}

/// Decodes UTF-8 and UTF-16 (by their marks); text that is not Unicode is taken as one
/// byte a character, so that names and structure survive. Zero bytes mean a binary file.
pub(crate) fn decode(bytes: &[u8]) -> Result<Decoded<'_>, Unread> {
    let utf16 = |rest: &[u8], to: fn([u8; 2]) -> u16, encoding| {
        let units = rest.chunks_exact(2).map(|c| to([c[0], c[1]]));
        let text: String = char::decode_utf16(units).map(|c| c.unwrap_or(char::REPLACEMENT_CHARACTER)).collect();
        Ok(Decoded { text: text.into(), encoding })
    };
    match bytes {
        [0xFF, 0xFE, rest @ ..] => return utf16(rest, u16::from_le_bytes, Encoding::Utf16Le),
        [0xFE, 0xFF, rest @ ..] => return utf16(rest, u16::from_be_bytes, Encoding::Utf16Be),
        _ => {}
    }
    let (rest, encoding) = match bytes {
        [0xEF, 0xBB, 0xBF, rest @ ..] => (rest, Encoding::Utf8Mark),
        _ => (bytes, Encoding::Utf8),
    };
    if memchr::memchr(0, &rest[..rest.len().min(8192)]).is_some() {
        return Err(Unread::Binary);
    }
    match std::str::from_utf8(rest) {
        Ok(text) => Ok(Decoded { text: text.into(), encoding }),
        Err(_) => {
            let (text, _) = encoding_rs::WINDOWS_1252.decode_without_bom_handling(bytes);
            Ok(Decoded { text: text.into_owned().into(), encoding: Encoding::SingleByte })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn text(bytes: &[u8]) -> (String, Encoding) {
        let d = decode(bytes).expect("text");
        (d.text.into_owned(), d.encoding)
    }

    #[test]
    fn marks_decide() {
        assert_eq!(text(b"\xEF\xBB\xBFab"), ("ab".into(), Encoding::Utf8Mark));
        assert_eq!(text(b"\xFF\xFEa\0b\0"), ("ab".into(), Encoding::Utf16Le));
        assert_eq!(text(b"\xFE\xFF\0a\0b"), ("ab".into(), Encoding::Utf16Be));
    }

    #[test]
    fn single_bytes_are_characters() {
        assert_eq!(text(b"// gr\xFCn"), ("// grün".into(), Encoding::SingleByte));
    }

    #[test]
    fn zero_bytes_are_binary() {
        assert!(matches!(decode(b"MZ\0\0"), Err(Unread::Binary)));
    }
}
