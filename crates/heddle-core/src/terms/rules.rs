//! Which terms are counted and kept.

use crate::terms::weigh::Weighting;

/// The longest n-gram, in words.
pub const LONGEST: usize = 5;

/// A number of reviews, or a share of them.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Bound {
    /// A number of reviews.
    Reviews(u32),
    /// A share of the reviews, from 0 to 1.
    Share(f64),
}

impl Bound {
    /// The bound as a number of reviews out of `reviews`, rounded down.
    pub fn of(self, reviews: usize) -> u32 {
        match self {
            Self::Reviews(count) => count,
            Self::Share(share) => (share * reviews as f64).floor() as u32,
        }
    }
}

impl std::fmt::Display for Bound {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Reviews(count) => write!(out, "{count}"),
            Self::Share(share) => write!(out, "{}%", share * 100.0),
        }
    }
}

/// Which n-grams of words become terms, and how they are weighted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TermRules {
    /// The shortest and the longest n-gram, in words; at most [`LONGEST`]. Default: 1 and 2.
    pub words: (usize, usize),
    /// Term, document and normalisation factor. Default: ltc.
    pub weighting: Weighting,
    /// A term found in fewer training reviews is left out. Default: 2.
    pub at_least: u32,
    /// A term found in more training reviews is left out. Default: all of them.
    pub at_most: Bound,
}

impl Default for TermRules {
    fn default() -> Self {
        Self { words: (1, 2), weighting: Weighting::default(), at_least: 2, at_most: Bound::Share(1.0) }
    }
}
