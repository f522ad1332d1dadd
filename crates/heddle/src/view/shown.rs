//! What people see of data: signs that would move, hide or turn what stands on a terminal are
//! shown as escapes. Files keep the bytes.
//!
//! Styles travel through a page as characters that no text has use for. Only the last step, which
//! also escapes, makes terminal sequences of them: nothing that comes from data can become one.

use std::borrow::Cow;
use std::fmt::Write;

use anstyle::Style;
use serde::Serialize;

pub use heddle_files::visible;
use heddle_files::{escape, is_odd};

use super::style::{BAD, NEGATIVE, POSITIVE};

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

/// An answer as JSON over several lines, odd signs as the escapes that JSON has for them: they can
/// only be inside texts.
pub fn json(value: &impl Serialize) -> serde_json::Result<String> {
    let text = serde_json::to_string_pretty(value)?;
    let odd = |char: char| char != '\n' && is_odd(char);
    if !text.chars().any(odd) {
        return Ok(text);
    }
    let mut out = String::with_capacity(text.len());
    for char in text.chars() {
        if odd(char) {
            let mut units = [0; 2];
            for unit in char.encode_utf16(&mut units) {
                let _ = write!(out, "\\u{unit:04x}"); // a string takes everything
            }
        } else {
            out.push(char);
        }
    }
    Ok(out)
}
