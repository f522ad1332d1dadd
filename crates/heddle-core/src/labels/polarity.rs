//! The class of a review.

use serde::{Deserialize, Serialize};

/// The class of a review.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Polarity {
    /// The customer is displeased.
    Negative,
    /// The customer is neither, if the rule has a third class.
    Neutral,
    /// The customer is pleased.
    Positive,
}

impl Polarity {
    /// All classes, in the order of every table.
    pub const ALL: [Self; 3] = [Self::Negative, Self::Neutral, Self::Positive];
    /// The two that a model tells apart.
    pub const POLES: [Self; 2] = [Self::Negative, Self::Positive];

    /// The name of the class.
    pub fn name(self) -> &'static str {
        match self {
            Self::Negative => "negative",
            Self::Neutral => "neutral",
            Self::Positive => "positive",
        }
    }

    /// -1 for negative, +1 for positive: the label in the learners' formulas.
    pub fn sign(self) -> f64 {
        match self {
            Self::Negative => -1.0,
            Self::Neutral => 0.0,
            Self::Positive => 1.0,
        }
    }

    /// 0 for negative, 1 for positive, 2 for neutral: the place in arrays kept per class.
    /// The poles come first, so that arrays of two classes have no gap.
    pub fn index(self) -> usize {
        match self {
            Self::Negative => 0,
            Self::Positive => 1,
            Self::Neutral => 2,
        }
    }

    /// How many classes lie between this and another, counted as steps: 2 between the poles.
    pub fn distance(self, other: Self) -> u8 {
        (self.sign() - other.sign()).abs() as u8
    }

    /// The class on whose side a log-odds lies, of the two poles; zero counts as positive.
    pub fn of_log_odds(log_odds: f64) -> Self {
        if log_odds >= 0.0 { Self::Positive } else { Self::Negative }
    }
}
