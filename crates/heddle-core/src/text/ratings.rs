//! Ratings that are written into a text: "7/10", "8 out of 10", "three stars".

use super::steps::{Listen, Step};
use super::tokens::{Break, Kind, Token, Tokens};

/// Scales that people rate on; "24/7" and "3/4" are on none of them.
const SCALES: [f64; 4] = [5.0, 10.0, 20.0, 100.0];
/// Numbers that people write as words.
const NUMBERS: [&str; 11] =
    ["zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"];

/// Reads each rating as one token, by how many tenths of its scale it gives: "4/5", "8 out of 10" and "four stars"
/// are all ‹8 of 10›. Each such token alone is rare, and all say the same.
pub(super) fn read_ratings<L: Listen>(tokens: &mut Tokens, listen: &mut L) {
    let mut at = 0;
    while at < tokens.items.len() {
        if may_begin(tokens, at)
            && let Some((length, share)) = rating_at(tokens, at)
            && tokens.stand_apart(&(at..at + length))
        {
            let form = format!("‹{} of 10›", (10.0 * share).round());
            tokens.merge(at..at + length, (&form, Kind::Number), (Step::Rating, listen));
        }
        at += 1;
    }
}

/// Whether a rating may begin at `at`. Nearly every token is turned away by the length and the first letter of the word
/// behind it, "out", "star" or "stars", with one branch for all of that.
#[inline]
fn may_begin(tokens: &Tokens, at: usize) -> bool {
    let behind = |next: &Token| {
        let (length, first) = (next.form.1 - next.form.0, tokens.first_byte(next) | 0x20);
        (length.wrapping_sub(3) < 3) & ((first == b'o') | (first == b's'))
    };
    let next = tokens.items.get(at + 1);
    (tokens.items[at].kind == Kind::Number) | next.is_some_and(behind)
}

/// The tokens of a rating that begins at `at`, and the share of its scale that it gives.
fn rating_at(tokens: &Tokens, at: usize) -> Option<(usize, f64)> {
    let token = &tokens.items[at];
    if token.kind == Kind::Number
        && let Some((given, scale)) = tokens.form(token).split_once('/')
    {
        return Some((1, share(number(given)?, number(scale)?)?));
    }
    let follows = |offset: usize, word: &str| tokens.follows(at, offset, word);
    if follows(1, "out") && follows(2, "of") {
        let scale = tokens.items.get(at + 3).filter(|token| token.before == Break::None)?;
        let share = share(value(tokens, token)?, value(tokens, scale)?)?;
        return Some((if follows(4, "stars") { 5 } else { 4 }, share));
    }
    let (several, single) = (follows(1, "stars"), follows(1, "star"));
    if !several && !single {
        return None;
    }
    let given = value(tokens, token)?;
    // "A five star hotel" is no rating by whoever writes, "one star" is.
    if single && given > 1.0 {
        return None;
    }
    Some((2, share(given, if given <= 5.0 { 5.0 } else { 10.0 })?))
}

/// The number that a token is, in digits or as a word.
fn value(tokens: &Tokens, token: &Token) -> Option<f64> {
    let form = tokens.form(token);
    match token.kind {
        Kind::Number => number(form),
        Kind::Word => Some(NUMBERS.iter().position(|word| word.eq_ignore_ascii_case(form))? as f64),
        _ => None,
    }
}

fn number(text: &str) -> Option<f64> {
    text.replace(',', ".").parse().ok()
}

fn share(given: f64, scale: f64) -> Option<f64> {
    (SCALES.contains(&scale) && (0.0..=scale).contains(&given)).then_some(given / scale)
}

/// The share of its scale that the last rating written into a text gives: 0.8 of "8/10", 0.6 of "three stars".
pub(crate) fn written_rating(text: &str) -> Option<f64> {
    let bare = |word: &'static str| move |other: &&str| other.eq_ignore_ascii_case(word);
    let words: Vec<&str> = text
        .split_whitespace()
        .map(|word| word.trim_matches(|char: char| !char.is_alphanumeric()))
        .filter(|word| !word.is_empty())
        .collect();
    let value = |word: &str| {
        let named = || Some(NUMBERS.iter().position(|own| own.eq_ignore_ascii_case(word))? as f64);
        number(word).or_else(named)
    };
    let at = |at: usize| {
        if let Some((given, scale)) = words[at].split_once('/') {
            return share(number(given)?, number(scale)?);
        }
        let given = value(words[at])?;
        if words.get(at + 1).is_some_and(bare("out")) && words.get(at + 2).is_some_and(bare("of")) {
            return share(given, value(words.get(at + 3)?)?);
        }
        let several = words.get(at + 1).is_some_and(bare("stars"));
        let single = words.get(at + 1).is_some_and(bare("star")) && given <= 1.0;
        (several || single).then(|| share(given, if given <= 5.0 { 5.0 } else { 10.0 })).flatten()
    };
    (0..words.len()).rev().find_map(at)
}
