//! Lists of values of a rating.

use super::rating::{Rating, plain_word, read_rating};

/// One part of a [`Values`] list.
#[derive(Debug, Clone, PartialEq)]
enum Part {
    Range(f64, f64),
    Word(String),
}

/// A list of numbers, ranges and words, as in `"1-2"`, `"4, 5"` or `"bad, poor"`.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Values(Vec<Part>);

impl Values {
    /// Reads a list; items are separated by commas, a range is written `low-high`.
    ///
    /// # Errors
    /// A range that runs downwards.
    pub fn parse(text: &str) -> Result<Self, String> {
        let items = text.split(',').map(str::trim).filter(|item| !item.is_empty());
        items.map(Self::part).collect::<Result<_, _>>().map(Self)
    }

    fn part(item: &str) -> Result<Part, String> {
        let number = |text: &str| read_rating(text).map(|rating| rating.number);
        if let Some(number) = number(item) {
            return Ok(Part::Range(number, number));
        }
        // The hyphen of a range is never the first character: that one is a minus sign.
        let cut = item.char_indices().skip(1).find(|(_, char)| *char == '-').map(|(at, _)| at);
        let ends = cut.and_then(|cut| Some((number(&item[..cut])?, number(&item[cut + 1..])?)));
        match ends {
            Some((low, high)) if low <= high => Ok(Part::Range(low, high)),
            Some(_) => Err(format!("the range `{item}` runs downwards; write the smaller number first")),
            None => Ok(Part::Word(plain_word(item))),
        }
    }

    /// A list of numbers and words, one by one.
    pub(crate) fn of<'a>(values: impl IntoIterator<Item = &'a str>) -> Self {
        let part = |value: &str| match read_rating(value) {
            Some(Rating { number, .. }) => Part::Range(number, number),
            None => Part::Word(plain_word(value)),
        };
        Self(values.into_iter().map(part).collect())
    }

    /// The numbers from one to another.
    pub(crate) fn range(low: f64, high: f64) -> Self {
        Self(vec![Part::Range(low, high)])
    }

    /// Whether a number is one of these values.
    pub(super) fn has_number(&self, number: f64) -> bool {
        self.0.iter().any(|part| matches!(part, Part::Range(low, high) if *low <= number && number <= *high))
    }

    /// Whether a word, written plainly, is one of these values.
    pub(super) fn has_word(&self, plain: &str) -> bool {
        self.0.iter().any(|part| matches!(part, Part::Word(word) if word == plain))
    }

    /// The word that is the only value, where that is all there is.
    pub(crate) fn only_word(&self) -> Option<&str> {
        match &self.0[..] {
            [Part::Word(word)] => Some(word),
            _ => None,
        }
    }

    /// Whether the list is empty.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The least and the greatest number.
    pub(super) fn bounds(&self) -> Option<(f64, f64)> {
        self.0.iter().fold(None, |bounds, part| match (part, bounds) {
            (Part::Range(low, high), None) => Some((*low, *high)),
            (Part::Range(low, high), Some((least, most))) => Some((low.min(least), high.max(most))),
            (Part::Word(_), bounds) => bounds,
        })
    }

    pub(super) fn overlaps(&self, other: &Self) -> bool {
        self.0.iter().any(|mine| {
            other.0.iter().any(|theirs| match (mine, theirs) {
                (Part::Range(a, b), Part::Range(c, d)) => a.max(*c) <= b.min(*d),
                (a, b) => a == b,
            })
        })
    }
}

impl std::fmt::Display for Values {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (at, part) in self.0.iter().enumerate() {
            let comma = if at == 0 { "" } else { ", " };
            match part {
                Part::Range(low, high) if low == high => write!(out, "{comma}{low}")?,
                Part::Range(low, high) => write!(out, "{comma}{low}-{high}")?,
                Part::Word(word) => write!(out, "{comma}{word}")?,
            }
        }
        Ok(())
    }
}
