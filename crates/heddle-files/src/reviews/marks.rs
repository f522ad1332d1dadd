//! How lines that are no fields are marked with a class, told by looking.

use std::collections::BTreeMap;

use heddle_core::labels::Sense;

use super::dialect::is_delimited;

/// Where the class of a line stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Marking {
    /// Nowhere: a line is a text.
    Plain,
    /// Before the text, behind this pattern, whose group is the class.
    Before(String),
    /// Behind the text, as in `Never late => positive`.
    Behind,
}

/// What stands between a text and the class behind it.
pub(crate) const BEHIND: &str = " => ";
/// So many lines must be there before a word at their head is taken for a class ...
const ENOUGH: usize = 4;
/// ... of which there are at most so many.
const MOST_CLASSES: usize = 5;
/// A longer word is no class.
const LONGEST_CLASS: usize = 24;

/// How the lines of a file are marked, if it is one of lines: told by what stands at their head or end, and of `.txt`
/// also by there being no fields.
pub(crate) fn marking(head: &[u8], ending: &str) -> Option<Marking> {
    let text =
        std::str::from_utf8(head).or_else(|error| std::str::from_utf8(&head[..error.valid_up_to()])).ok()?;
    let mut lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    if lines.len() > 1 && !text.ends_with('\n') {
        lines.pop(); // it may be cut off
    }
    let is_text = matches!(ending, "txt" | "text");
    let behind = lines.iter().filter(|line| class_behind(line).is_some()).count();
    if is_text && 2 * behind > lines.len() {
        return Some(Marking::Behind);
    }
    if let Some(pattern) = before(&lines) {
        return Some(Marking::Before(pattern));
    }
    (is_text && !lines.is_empty() && !is_delimited(head)).then_some(Marking::Plain)
}

/// The text and the class of a line that ends with one.
pub(crate) fn class_behind(line: &str) -> Option<(&str, &str)> {
    let (text, class) = line.rsplit_once(BEHIND)?;
    let class = class.trim();
    (!class.is_empty() && class.len() <= LONGEST_CLASS).then_some((text.trim_end(), class))
}

/// The pattern of the mark at the head of lines: one of few words that come again and again, and that look like marks.
fn before(lines: &[&str]) -> Option<String> {
    let mut words: BTreeMap<&str, usize> = BTreeMap::new();
    for line in lines {
        let (word, rest) = line.split_once([' ', '\t'])?;
        if word.len() > LONGEST_CLASS || rest.trim().is_empty() {
            return None;
        }
        *words.entry(word).or_insert(0) += 1;
    }
    let repeated =
        words.len() >= 2 && words.len() <= MOST_CLASSES && lines.len() >= ENOUGH.max(2 * words.len());
    if !repeated {
        return None;
    }
    let prefix = shared_prefix(&words);
    let colon = words.keys().all(|word| word.ends_with(':'));
    let number = |word: &str| word.trim_start_matches('+').parse::<f64>().is_ok();
    let plain =
        |word: &&&str| number(word.trim_end_matches(':')) || Sense::of(word.trim_end_matches(':')).is_some();
    let marked = !prefix.is_empty() || colon || words.keys().filter(plain).count() == words.len();
    marked.then(|| format!("{}([^\\s:]+):?\\s+", regex::escape(prefix)))
}

/// What all words begin with, up to its last sign that is no letter and no digit.
fn shared_prefix<'a>(words: &BTreeMap<&'a str, usize>) -> &'a str {
    let first = words.keys().next().copied().unwrap_or_default();
    let shared = |length: usize| {
        words.keys().all(|word| word.as_bytes().get(..length) == first.as_bytes().get(..length))
    };
    let length = (0..=first.len())
        .rev()
        .find(|length| first.is_char_boundary(*length) && shared(*length))
        .unwrap_or(0);
    let sign = first[..length].rfind(|char: char| !char.is_alphanumeric() && !"+-".contains(char));
    sign.map_or("", |at| &first[..=at])
}
