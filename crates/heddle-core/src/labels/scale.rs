//! Which scale the values of a rating are of, and the rule that is usual for it.

use std::collections::BTreeSet;

use serde::Serialize;

use super::rating::{Rating, plain_word, rating_order, read_rating};
use super::rule::Rule;
use super::values::Values;

/// What a word says of a customer by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Sense {
    /// Displeased.
    Negative,
    /// Neither.
    Middle,
    /// Pleased.
    Positive,
    /// Nothing was said.
    Missing,
}

const WORDS: [(Sense, &[&str]); 4] = [
    (
        Sense::Negative,
        &[
            "negative",
            "neg",
            "bad",
            "very bad",
            "poor",
            "very poor",
            "terrible",
            "awful",
            "horrible",
            "worst",
            "dislike",
            "unhappy",
            "very unhappy",
            "dissatisfied",
            "very dissatisfied",
            "unsatisfied",
            "very unsatisfied",
            "disappointed",
            "not recommended",
            "👎",
            "🙁",
            "☹",
            "😞",
            "😠",
            "😡",
        ],
    ),
    (
        Sense::Middle,
        &[
            "neutral",
            "neither",
            "ok",
            "okay",
            "average",
            "fair",
            "mixed",
            "medium",
            "so so",
            "acceptable",
            "😐",
        ],
    ),
    (
        Sense::Positive,
        &[
            "positive",
            "pos",
            "good",
            "very good",
            "great",
            "excellent",
            "amazing",
            "best",
            "like",
            "love",
            "happy",
            "very happy",
            "satisfied",
            "very satisfied",
            "delighted",
            "recommended",
            "👍",
            "🙂",
            "😀",
            "😊",
            "😍",
            "❤",
        ],
    ),
    (
        Sense::Missing,
        &[
            "n/a",
            "na",
            "n.a.",
            "nan",
            "null",
            "none",
            "nil",
            "",
            "?",
            "unknown",
            "unrated",
            "not rated",
            "no rating",
            "no answer",
            "not applicable",
            "not given",
            "#n/a",
        ],
    ),
];

impl Sense {
    /// What a value that is no number says by itself, where that is plain.
    pub fn of(value: &str) -> Option<Self> {
        // A dash is the same sign as a blank here.
        let plain = plain_word(value);
        let plain = plain.trim();
        WORDS.iter().find(|(_, words)| words.contains(&plain)).map(|(sense, _)| *sense)
    }
}

/// Answers whose meaning depends on what was asked: the one that is taken for displeased, and the other.
const ANSWERS: [(&str, &str); 6] =
    [("no", "yes"), ("false", "true"), ("n", "y"), ("off", "on"), ("fail", "pass"), ("rejected", "accepted")];

/// A scale that the values of a rating are of.
#[derive(Debug, Clone, PartialEq)]
pub struct Scale {
    /// What it is, as in "ratings of 1 to 10".
    pub name: String,
    /// The rule that is usual for it.
    pub rule: Rule,
    /// What only those who gave the ratings can say of the rule; nothing where there is one way to read the scale.
    pub question: Option<String>,
}

/// A scale of numbers: its ends, what is negative and positive, and whether that is plain.
struct Numbers {
    ends: (f64, f64),
    negative: (f64, f64),
    positive: (f64, f64),
    plain: bool,
}

const fn numbers(ends: (f64, f64), negative: (f64, f64), positive: (f64, f64), plain: bool) -> Numbers {
    Numbers { ends, negative, positive, plain }
}

const FIVE: Numbers = numbers((1.0, 5.0), (1.0, 2.0), (4.0, 5.0), true);
const SIGNS: Numbers = numbers((-1.0, 1.0), (-1.0, -1.0), (1.0, 1.0), true);
const FLAGS: Numbers = numbers((0.0, 1.0), (0.0, 0.0), (1.0, 1.0), false);
const THREE: Numbers = numbers((1.0, 3.0), (1.0, 1.0), (3.0, 3.0), false);
const FROM_ZERO: Numbers = numbers((0.0, 4.0), (0.0, 1.0), (3.0, 4.0), false);
const SEVEN: Numbers = numbers((1.0, 7.0), (1.0, 3.0), (5.0, 7.0), false);
const TEN: Numbers = numbers((1.0, 10.0), (1.0, 4.0), (7.0, 10.0), false);
/// How likely one is to recommend: those from 0 to 6 are counted as displeased, 9 and 10 as pleased.
const RECOMMEND: Numbers = numbers((0.0, 10.0), (0.0, 6.0), (9.0, 10.0), false);
const HUNDRED: Numbers = numbers((0.0, 100.0), (0.0, 40.0), (60.0, 100.0), false);

/// A scale holds all numbers but for so few rows ...
const STRAY_ROWS: f64 = 0.05;
/// ... of so few values.
const STRAY_VALUES: usize = 2;

impl Scale {
    /// The scale of values with their rows, if it can be told. Values that are not of it are for somebody to explain.
    pub fn of<'a>(values: impl IntoIterator<Item = (&'a str, usize)>) -> Option<Self> {
        let values: Vec<(&str, usize)> = values.into_iter().collect();
        let rated: Vec<(Rating, usize)> =
            values.iter().filter_map(|(value, rows)| Some((read_rating(value)?, *rows))).collect();
        let rows = |rated: &[(Rating, usize)]| rated.iter().map(|(_, rows)| rows).sum::<usize>();
        let all: usize = values.iter().map(|(_, rows)| rows).sum();
        if 2 * rows(&rated) > all { of_numbers(&rated) } else { of_words(&values) }
    }
}

fn of_numbers(rated: &[(Rating, usize)]) -> Option<Scale> {
    let least = rated.iter().map(|(rating, _)| rating.number).reduce(f64::min)?;
    let holds = |scale: &&Numbers| {
        let (low, high) = scale.ends;
        let outside = rated.iter().filter(|(rating, _)| !(low..=high).contains(&rating.number));
        // Zero below a scale that begins at one may mean that none was given, however often it comes.
        let (mut rows, mut values, mut zeros) = (0, 0, 0);
        for (rating, own) in outside {
            match rating.number == 0.0 && low == 1.0 {
                true => zeros += own,
                false => (rows, values) = (rows + own, values + 1),
            }
        }
        let others = rated.iter().map(|(_, rows)| rows).sum::<usize>() - zeros;
        values <= STRAY_VALUES && rows as f64 <= STRAY_ROWS * others as f64
    };
    let all = |numbers: &[f64]| rated.iter().all(|(rating, _)| numbers.contains(&rating.number));
    let most =
        rated.iter().filter_map(|(rating, rows)| Some((rating.out_of?, rows))).max_by_key(|(_, rows)| **rows);
    let tops: BTreeSet<u64> =
        rated.iter().filter_map(|(rating, _)| rating.out_of.map(f64::to_bits)).collect();
    if tops.len() > 1 {
        return None; // ratings of two scales are of none
    }
    let scale = match most.map(|(most, _)| most) {
        Some(5.0) => &FIVE,
        Some(10.0) if least < 1.0 => &RECOMMEND,
        Some(10.0) => &TEN,
        Some(100.0) => &HUNDRED,
        Some(most) => return Some(thirds(most)),
        None if all(&[-1.0, 0.0, 1.0]) && least < 0.0 => &SIGNS,
        None if all(&[0.0, 1.0]) => &FLAGS,
        None if all(&[1.0, 3.0]) || all(&[1.0, 2.0, 3.0]) && !all(&[1.0, 2.0]) => &THREE,
        None if least == 0.0 && all(&[0.0, 1.0, 2.0, 3.0, 4.0]) => &FROM_ZERO,
        None if least == 0.0 => [&FIVE, &RECOMMEND, &HUNDRED].into_iter().find(holds)?,
        None => [&FIVE, &SEVEN, &TEN, &HUNDRED].into_iter().find(holds)?,
    };
    Some(scale.told(rated.iter().any(|(rating, _)| rating.number == 0.0)))
}

/// A scale of its own: below two fifths of its top, and above three fifths.
fn thirds(most: f64) -> Scale {
    numbers((0.0, most), (0.0, (0.4 * most).floor()), ((0.6 * most).ceil(), most), false).told(false)
}

impl Numbers {
    fn told(&self, zero: bool) -> Scale {
        let list = |(low, high): (f64, f64)| Values::range(low, high);
        let rule = Rule { negative: list(self.negative), positive: list(self.positive), ..Rule::default() };
        let question = (!self.plain).then(|| {
            let zero = match zero && self.ends.1 > 4.0 {
                true => ", and is 0 the worst rather than none given",
                false => "",
            };
            let between = match self.positive.0 - self.negative.1 > 1.0 {
                true => ", with what is between them left out",
                false => "",
            };
            format!(
                "Are ratings of {} negative and {} positive{between}{zero}?",
                rule.negative, rule.positive
            )
        });
        Scale { name: format!("ratings of {} to {}", self.ends.0, self.ends.1), rule, question }
    }
}

fn of_words(values: &[(&str, usize)]) -> Option<Scale> {
    let list = |sense: Sense| {
        let mut own: Vec<&str> =
            values.iter().map(|(value, _)| *value).filter(|value| Sense::of(value) == Some(sense)).collect();
        own.sort_by(|a, b| rating_order(a, b));
        Values::of(own)
    };
    let rule = Rule {
        negative: list(Sense::Negative),
        positive: list(Sense::Positive),
        between: list(Sense::Middle),
        ..Rule::default()
    };
    if !rule.negative.is_empty() && !rule.positive.is_empty() {
        return Some(Scale { name: "words of praise and blame".into(), rule, question: None });
    }
    let has = |word: &str| values.iter().any(|(value, _)| plain_word(value) == word);
    let (low, high) = ANSWERS.into_iter().find(|(low, high)| has(low) && has(high))?;
    let rule = Rule { negative: Values::of([low]), positive: Values::of([high]), ..Rule::default() };
    let question = format!("Does `{high}` come from pleased customers and `{low}` from displeased ones?");
    Some(Scale { name: format!("answers, {low} or {high}"), rule, question: Some(question) })
}
