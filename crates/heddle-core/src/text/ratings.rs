//! Ratings that are written into a text: "7/10", "8 out of 10", "three stars".

use std::ops::Range;

use super::steps::{Listen, Step};
use super::tokens::{Break, Kind, Tokens};

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
        // Nearly every token is no number.
        if let Some((places, share)) = rating_at(tokens, at)
            && tokens.stand_apart(&places)
        {
            let (start, end) = (tokens.items[places.start].start, tokens.items[places.end - 1].end);
            listen.told(Step::Rating, start as usize, end as usize);
            tokens.merge(places, &format!("‹{} of 10›", (10.0 * share).round()), Kind::Number);
        }
        at += 1;
    }
}

/// The tokens of a rating that begins at `at`, and the share of its scale that it gives.
fn rating_at(tokens: &Tokens, at: usize) -> Option<(Range<usize>, f64)> {
    let token = &tokens.items[at];
    let form = tokens.form(token);
    if token.kind == Kind::Number
        && let Some((given, scale)) = form.split_once('/')
    {
        return Some((at..at + 1, share(number(given)?, number(scale)?)?));
    }
    let given = match token.kind {
        Kind::Number => number(form)?,
        Kind::Word => NUMBERS.iter().position(|word| word.eq_ignore_ascii_case(form))? as f64,
        _ => return None,
    };
    if follow(tokens, at, &["out", "of"]) {
        let scale = tokens.items.get(at + 3).filter(|token| token.before == Break::None)?;
        let scale = match scale.kind {
            Kind::Number => number(tokens.form(scale))?,
            _ => NUMBERS.iter().position(|word| word.eq_ignore_ascii_case(tokens.form(scale)))? as f64,
        };
        let end = if follow(tokens, at + 3, &["stars"]) { at + 5 } else { at + 4 };
        return Some((at..end, share(given, scale)?));
    }
    // "A five star hotel" is no rating by whoever writes, "one star" is.
    let stars = follow(tokens, at, &["stars"]) || given <= 1.0 && follow(tokens, at, &["star"]);
    let scale = if given <= 5.0 { 5.0 } else { 10.0 };
    stars.then_some((at..at + 2, share(given, scale)?))
}

/// Whether these words follow in the same clause.
fn follow(tokens: &Tokens, at: usize, words: &[&str]) -> bool {
    words.iter().enumerate().all(|(offset, word)| {
        let next = tokens.items.get(at + 1 + offset);
        next.is_some_and(|next| next.before == Break::None && tokens.form(next).eq_ignore_ascii_case(word))
    })
}

fn number(text: &str) -> Option<f64> {
    text.replace(',', ".").parse().ok()
}

fn share(given: f64, scale: f64) -> Option<f64> {
    (SCALES.contains(&scale) && (0.0..=scale).contains(&given)).then_some(given / scale)
}
