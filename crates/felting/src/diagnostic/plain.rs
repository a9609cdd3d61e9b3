//! Texts of files and file names as they may be shown.

use std::borrow::Cow;
use std::fmt::Write as _;

/// A text in one line that nothing in it can forge or reorder: control characters (C0 and C1, so line breaks and the
/// escape sequences of terminals too), line and paragraph separators, the marks that change the direction of writing,
/// and what XML cannot hold stand as escapes. Every free text of a fabric file is read through it, and every message.
///
/// ```
/// use felting::diagnostic::plain;
/// assert_eq!(plain("the tide gauge"), "the tide gauge");
/// assert_eq!(plain("kelp\u{1b}[2J\nfabric: nothing found"), "kelp\\u{1b}[2J\\nfabric: nothing found");
/// ```
pub fn plain(text: &str) -> Cow<'_, str> {
    let bare = |byte: &u8| (0x20..0x7f).contains(byte);
    if text.as_bytes().iter().all(bare) || !text.chars().any(is_hostile) {
        return Cow::Borrowed(text);
    }
    let mut page = String::with_capacity(text.len() + 16);
    for character in text.chars() {
        match character {
            '\n' => page.push_str("\\n"),
            '\r' => page.push_str("\\r"),
            '\t' => page.push_str("\\t"),
            character if is_hostile(character) => {
                // Writing to a String cannot fail.
                let _ = write!(page, "\\u{{{:x}}}", u32::from(character));
            }
            character => page.push(character),
        }
    }
    Cow::Owned(page)
}

/// Whether a character does something else than stand there.
pub fn is_hostile(character: char) -> bool {
    character.is_control()
        || matches!(
            character,
            '\u{61c}'
                | '\u{200e}'..='\u{200f}'
                | '\u{2028}'..='\u{202e}'
                | '\u{2066}'..='\u{2069}'
                | '\u{feff}'
                | '\u{fff9}'..='\u{fffb}'
                | '\u{fffe}'..='\u{ffff}'
                | '\u{e0000}'..='\u{e007f}'
        )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_hostile_is_escaped_and_nothing_else() {
        for (text, shown) in [
            ("", ""),
            ("Gezeiten übers Wattenmeer, 潮汐", "Gezeiten übers Wattenmeer, 潮汐"),
            ("a\u{9b}31mb", "a\\u{9b}31mb"),
            ("a\u{202e}b\u{2066}c", "a\\u{202e}b\\u{2066}c"),
            ("one\r\ntwo\ttabs\u{2028}three", "one\\r\\ntwo\\ttabs\\u{2028}three"),
            ("\u{feff}bom\u{ffff}\u{7f}", "\\u{feff}bom\\u{ffff}\\u{7f}"),
        ] {
            assert_eq!(plain(text), shown);
        }
        for character in (0..=0x0010_ffff).filter_map(char::from_u32) {
            let text = character.to_string();
            assert!(!plain(&text).chars().any(is_hostile), "{character:?}");
            assert_eq!(plain(&text) == text, !is_hostile(character), "{character:?}");
        }
    }
}
