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

pub use heddle_files::visible;
use heddle_files::{escape, is_odd};

use super::{BAD, NEGATIVE, POSITIVE};

/// What styles are made of. Each part is begun by the character of its place behind [`FIRST`].
const PARTS: [Style; 6] = [
    Style::new().bold(),
    Style::new().dimmed(),
    Style::new().underline(),
    Style::new().fg_color(BAD.get_fg_color()),
    Style::new().fg_color(POSITIVE.get_fg_color()),
    Style::new().fg_color(NEGATIVE.get_fg_color()),
];
/// Unicode keeps this character and those behind it free for the use inside programs.
const FIRST: char = '\u{fdd0}';
/// What ends a style.
const END: char = '\u{fdef}';

/// A text in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    let has = |part: &Style| match part.get_fg_color() {
        None => style.get_effects().contains(part.get_effects()),
        colour => style.get_fg_color() == colour,
    };
    let begins = PARTS.iter().zip(FIRST..).filter(|(part, _)| has(part)).map(|(_, char)| char);
    let mut painted: String = begins.collect();
    let plain = painted.is_empty();
    let _ = write!(painted, "{text}"); // a string takes everything
    if !plain {
        painted.push(END);
    }
    painted
}

/// Whether a text is painted.
pub fn is_painted(text: &str) -> bool {
    text.contains(END)
}

/// The part of a style that a character begins; `None` inside for the one that ends it.
fn style_at(char: char) -> Option<Option<Style>> {
    match char {
        END => Some(None),
        char => PARTS.get((char as usize).checked_sub(FIRST as usize)?).map(|part| Some(*part)),
    }
}

/// A page as a terminal shows it: styles as sequences, everything odd as escapes.
pub fn painted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + text.len() / 8);
    for char in text.chars() {
        match style_at(char) {
            Some(part) => {
                // A string takes everything.
                let _ = match part {
                    Some(part) => write!(out, "{}", part.render()),
                    None => write!(out, "{}", anstyle::Reset.render()),
                };
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
