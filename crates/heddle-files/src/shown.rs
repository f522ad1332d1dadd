//! Signs that a terminal would obey, and what is shown in their place. Files keep them.

use std::borrow::Cow;
use std::fmt::Write;

/// A text whose odd signs are escapes; line feeds stay.
pub fn visible(text: &str) -> Cow<'_, str> {
    if !text.chars().any(|char| char != '\n' && is_odd(char)) {
        return Cow::Borrowed(text);
    }
    let mut out = String::new();
    for char in text.chars() {
        if char != '\n' && is_odd(char) { escape(char, &mut out) } else { out.push(char) }
    }
    Cow::Owned(out)
}

/// Signs that are no part of a text but tell a terminal what to do, turn its direction, or cannot
/// be seen. Joiners, which emoji and many scripts need, are none.
pub fn is_odd(char: char) -> bool {
    char.is_control()
        || matches!(char, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
        || matches!(char, '\u{2028}' | '\u{2029}' | '\u{feff}' | '\u{fdd0}'..='\u{fdef}' | '\u{e0000}'..='\u{e007f}')
}

/// Adds a sign as the escape that stands for it.
pub fn escape(char: char, out: &mut String) {
    // A string takes everything.
    let _ = match char {
        '\n' => write!(out, "\\n"),
        '\r' => write!(out, "\\r"),
        '\t' => write!(out, "\\t"),
        char if (char as u32) < 0x100 => write!(out, "\\x{:02x}", char as u32),
        char => write!(out, "\\u{{{:x}}}", char as u32),
    };
}
