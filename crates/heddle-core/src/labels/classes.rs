//! The classes of a set of reviews.

use serde::{Deserialize, Serialize};

use super::per_class::ClassCounts;
use super::polarity::Polarity;

/// The classes that a model tells apart. They are ordered, and neighbours share a border.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Classes {
    /// Negative and positive.
    Two,
    /// Negative, neutral and positive.
    Three,
}

impl Classes {
    /// The classes of reviews of this mix: neutral is one if there is a neutral review.
    pub fn of(mix: ClassCounts) -> Self {
        if mix[Polarity::Neutral] > 0 { Self::Three } else { Self::Two }
    }

    /// The classes, in the order of every table.
    pub fn list(self) -> &'static [Polarity] {
        match self {
            Self::Two => &Polarity::POLES,
            Self::Three => &Polarity::ALL,
        }
    }

    /// The number of borders between neighbours.
    pub fn borders(self) -> usize {
        self.list().len() - 1
    }

    /// On which side of a border a class lies: +1 above it, -1 below it.
    pub fn side(self, border: usize, class: Polarity) -> f64 {
        match (self, border) {
            (Self::Two, _) => class.sign(),
            (Self::Three, 0) => {
                if class == Polarity::Negative {
                    -1.0
                } else {
                    1.0
                }
            }
            (Self::Three, _) => {
                if class == Polarity::Positive {
                    1.0
                } else {
                    -1.0
                }
            }
        }
    }

    /// The intercept of each border, of two classes the one intercept twice. A review can only be less
    /// likely above the higher border: intercepts that say otherwise, as they can before a learner
    /// has converged, both become their mean.
    pub(crate) fn spread(self, [low, high]: [f64; 2]) -> [f64; 2] {
        match self {
            Self::Two => [low; 2],
            Self::Three if low >= high => [low, high],
            Self::Three => [(low + high) / 2.0; 2],
        }
    }
}
