//! Figures at another class mix than that of the reviews behind them.

use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, Figures, precision_at};
use serde::Serialize;

/// Precision at the class mix that reviews come in, where those behind the figures have another.
#[derive(Debug, Clone, Serialize)]
pub struct NaturalMix {
    /// The natural share of negative reviews.
    pub negative: f64,
    /// The precision of each class at that share, negative first.
    pub precision: [Figure; 2],
}

impl NaturalMix {
    /// Restates figures for a share of negative reviews.
    pub(crate) fn new(figures: &Figures, negative: f64) -> Self {
        let of = |class| precision_at(figures, class, negative);
        Self { negative, precision: Polarity::POLES.map(of) }
    }
}
