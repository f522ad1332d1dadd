//! What people see of data: signs that would move, hide or turn what stands on a terminal are
//! shown as escapes. Files keep the bytes.
//!
//! Styles travel through a page as characters that no text has use for. Only the last step, which
//! also escapes, makes terminal sequences of them: nothing that comes from data can become one.

use std::borrow::Cow;
use std::fmt::Write;
use std::io;

use anstyle::Style;
use serde::Serialize;

use super::{BAD, DIM, NEGATIVE, POSITIVE, STRONG};

/// The styles of pages. Each is begun by the character of its place behind [`FIRST`].
const STYLES: [Style; 7] = [STRONG, DIM, BAD, POSITIVE, NEGATIVE, POSITIVE.bold(), NEGATIVE.bold()];
/// Unicode keeps this character and those behind it free for the use inside programs.
const FIRST: char = '\u{fdd0}';
/// What ends a style.
const END: char = '\u{fdef}';

/// A text in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    match STYLES.iter().position(|known| *known == style) {
        Some(at) => {
            let begin = char::from_u32(FIRST as u32 + at as u32).unwrap_or(FIRST);
            format!("{begin}{text}{END}")
        }
        None => text.to_string(),
    }
}

/// Whether a text is painted.
pub fn is_painted(text: &str) -> bool {
    text.contains(END)
}

/// The style that a character begins; `None` inside for the one that ends it.
fn style_at(char: char) -> Option<Option<Style>> {
    match char {
        END => Some(None),
        char => STYLES.get((char as usize).checked_sub(FIRST as usize)?).map(|style| Some(*style)),
    }
}

/// A page as a terminal shows it: styles as sequences, everything odd as escapes.
pub fn painted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + text.len() / 8);
    let mut open = Style::new();
    for char in text.chars() {
        match style_at(char) {
            Some(Some(style)) => {
                open = style;
                let _ = write!(out, "{}", style.render()); // a string takes everything
            }
            Some(None) => {
                let _ = write!(out, "{}", open.render_reset());
            }
            None if char == '\n' || !is_odd(char) => out.push(char),
            None => escape(char, &mut out),
        }
    }
    out
}

/// A text without styles, its odd signs as escapes.
pub fn plain(text: &str) -> Cow<'_, str> {
    if !text.chars().any(|char| style_at(char).is_some() || is_odd(char)) {
        return Cow::Borrowed(text);
    }
    let mut out = String::new();
    for char in text.chars().filter(|char| style_at(*char).is_none()) {
        if is_odd(char) { escape(char, &mut out) } else { out.push(char) }
    }
    Cow::Owned(out)
}

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
fn is_odd(char: char) -> bool {
    char.is_control()
        || matches!(char, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
        || matches!(char, '\u{2028}' | '\u{2029}' | '\u{feff}' | '\u{fdd0}'..='\u{fdef}' | '\u{e0000}'..='\u{e007f}')
}

fn escape(char: char, out: &mut String) {
    // A string takes everything.
    let _ = match char {
        '\n' => write!(out, "\\n"),
        '\r' => write!(out, "\\r"),
        '\t' => write!(out, "\\t"),
        char if (char as u32) < 0x100 => write!(out, "\\x{:02x}", char as u32),
        char => write!(out, "\\u{{{:x}}}", char as u32),
    };
}

/// An answer as JSON over several lines, odd signs as the escapes that JSON has for them.
pub fn json(value: &impl Serialize) -> serde_json::Result<String> {
    let mut bytes = Vec::new();
    let formatter = Visible(serde_json::ser::PrettyFormatter::new());
    value.serialize(&mut serde_json::Serializer::with_formatter(&mut bytes, formatter))?;
    Ok(String::from_utf8(bytes).unwrap_or_default())
}

/// Pretty JSON that escapes what [`is_odd`]; what is below a blank is escaped by JSON anyway.
struct Visible<'a>(serde_json::ser::PrettyFormatter<'a>);

impl serde_json::ser::Formatter for Visible<'_> {
    fn write_string_fragment<W: io::Write + ?Sized>(&mut self, out: &mut W, text: &str) -> io::Result<()> {
        if !text.chars().any(is_odd) {
            return out.write_all(text.as_bytes());
        }
        for char in text.chars() {
            let mut units = [0; 2];
            if is_odd(char) {
                char.encode_utf16(&mut units).iter().try_for_each(|unit| write!(out, "\\u{unit:04x}"))?;
            } else {
                write!(out, "{char}")?;
            }
        }
        Ok(())
    }

    fn begin_array<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_array(out)
    }

    fn end_array<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_array(out)
    }

    fn begin_array_value<W: io::Write + ?Sized>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_array_value(out, first)
    }

    fn end_array_value<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_array_value(out)
    }

    fn begin_object<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_object(out)
    }

    fn end_object<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object(out)
    }

    fn begin_object_key<W: io::Write + ?Sized>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_object_key(out, first)
    }

    fn begin_object_value<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_object_value(out)
    }

    fn end_object_value<W: io::Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object_value(out)
    }
}
