//! What a learner asks of each row.

use crate::labels::classes::Classes;
use crate::labels::polarity::Polarity;

/// What a learner asks of each row.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Question {
    /// Whether it lies above each of the borders between ordered classes.
    Above(Classes),
    /// Whether it is of this class rather than of another.
    Is(Polarity),
}

impl Question {
    /// How many questions these are: each has an intercept of its own.
    pub fn borders(self) -> usize {
        match self {
            Self::Above(classes) => classes.borders(),
            Self::Is(_) => 1,
        }
    }

    /// The answer for a row of a class: +1 for yes, -1 for no.
    pub fn side(self, border: usize, class: Polarity) -> f64 {
        match self {
            Self::Above(classes) => classes.side(border, class),
            Self::Is(asked) if asked == class => 1.0,
            Self::Is(_) => -1.0,
        }
    }

    /// The intercept of each question, of a single one twice: see [`Classes::spread`].
    pub(crate) fn spread(self, [low, high]: [f64; 2]) -> [f64; 2] {
        match self {
            Self::Above(classes) => classes.spread([low, high]),
            Self::Is(_) => [low; 2],
        }
    }
}
