//! What a text shows beside its words.

use crate::choice::choice;
use crate::text::blanks::word_count;
use crate::text::ratings::written_rating;

choice! {
    /// What a text shows: a number, or its language. Counts are taken as logarithms: the step from 10 to 20 words is that from 100 to 200.
    Fact {
        /// ln(1 + its words).
        Words = "words",
        /// The share of its letters that are capital.
        Capitals = "capitals",
        /// ln(1 + its exclamation marks).
        Exclamations = "exclamations",
        /// The share of its scale that a rating written into the text gives, the last one of several: 0.8 of "8/10".
        Rating = "rating",
        /// Its language, which is a category.
        Language = "language",
    }
}

impl Fact {
    /// The number that a text shows; nothing where it does not say, or shows none.
    pub fn of(self, text: &str) -> Option<f64> {
        let logarithm = |count: usize| Some((count as f64).ln_1p());
        match self {
            Self::Words => logarithm(word_count(text)),
            Self::Exclamations => logarithm(memchr::memchr_iter(b'!', text.as_bytes()).count()),
            Self::Capitals => {
                let letters = || text.chars().filter(|char| char.is_alphabetic());
                let all = letters().count();
                (all > 0).then(|| letters().filter(|char| char.is_uppercase()).count() as f64 / all as f64)
            }
            Self::Rating => written_rating(text),
            Self::Language => None,
        }
    }
}
