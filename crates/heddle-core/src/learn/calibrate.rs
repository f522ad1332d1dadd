//! From scores to log-odds that may be believed, learnt on rows that were held out.

use serde::{Deserialize, Serialize};

use super::classwise::{ClassCurves, FreeScale};
use super::curve::Curve;
use super::inner_validation::Held;
use super::layout::Layout;
use super::scale::{Scale, scale};
use super::settings::Calibrate;
use crate::labels::polarity::Polarity;
use crate::measure::odds::loss;
use crate::measure::verdict::Place;

/// Half the narrowest neutral zone between two curves: in its middle neutral has a probability of half a percent.
const LEAST_HALF: f64 = 0.01;

/// What was done to scores before they count as log-odds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case", tag = "method")]
pub enum Calibration {
    /// Nothing.
    None,
    /// Weights and intercepts were multiplied and shifted: they hold it already.
    Scale {
        /// By what scores were multiplied.
        slope: f64,
        /// Held-out rows that it was learnt from.
        reviews: usize,
    },
    /// As `Scale`, where each class has weights of its own.
    ScaleFree {
        /// By what the scores of positive against negative were multiplied, and those of neutral against both.
        slopes: [f64; 2],
        /// Held-out rows that it was learnt from.
        reviews: usize,
    },
    /// A rising curve; probabilities are read off it.
    Isotonic {
        /// The curve.
        curve: Curve,
        /// Held-out rows that it was learnt from.
        reviews: usize,
    },
    /// Of three classes on one axis: a rising curve for the probability to lie above each border.
    IsotonicBorders {
        /// The curves, of the lower border first.
        curves: [Curve; 2],
        /// Held-out rows that they were learnt from.
        reviews: usize,
    },
    /// Of three classes with weights of their own: a rising curve for each.
    IsotonicClasses {
        /// The curves.
        #[serde(flatten)]
        curves: ClassCurves,
        /// Held-out rows that they were learnt from.
        reviews: usize,
    },
}

/// The log loss of each held-out row, by its cost and in nats, once scores are brought to log-odds by a
/// straight line. Two numbers fitted to many rows flatter none of them by more than a trifle, and
/// learners that put their scores on scales of their own can be held against each other.
///
/// Three ordered classes ask two questions, and their losses are added up; free ones ask one.
pub(crate) fn calibrated_losses(held: &[Held], layout: Layout) -> Vec<f64> {
    let Layout::Ordered(classes) = layout else { return class_losses(held, layout) };
    let rows = rows_of(held);
    let scale = scale(&rows, classes).unwrap_or_else(|| Scale::flat(&rows, classes));
    let one = |&(score, label, cost): &(f64, Polarity, f64)| {
        let at = |border: usize| {
            loss(classes.side(border, label) * (scale.slope * score + scale.intercepts[border]))
        };
        cost * (0..classes.borders()).map(at).sum::<f64>()
    };
    rows.iter().map(one).collect()
}

/// -ln of the probability of the true class of each held-out row, by its cost and in nats, once scores are brought to
/// scale: what layouts are held against each other by.
pub(crate) fn class_losses(held: &[Held], layout: Layout) -> Vec<f64> {
    let Layout::Ordered(classes) = layout else {
        let scale = FreeScale::of(held).unwrap_or_else(|| FreeScale::flat(held));
        return held.iter().map(|row| row.cost * scale.place(row.scores).log_loss(row.label)).collect();
    };
    let rows = rows_of(held);
    let Scale { slope, intercepts: [low, high] } =
        scale(&rows, classes).unwrap_or_else(|| Scale::flat(&rows, classes));
    let place = |score: f64| Place::between(slope * score + (low + high) / 2.0, (low - high) / 2.0);
    rows.iter().map(|row| row.2 * place(row.0).log_loss(row.1)).collect()
}

/// The rows as calibration sees them.
pub(crate) fn rows_of(held: &[Held]) -> Vec<(f64, Polarity, f64)> {
    held.iter().map(|held| (held.centre(), held.label, held.cost)).collect()
}

impl Calibrate {
    /// Whether held-out rows are needed.
    pub(crate) fn learns(self) -> bool {
        matches!(self, Self::Scale | Self::Isotonic)
    }
}

impl Calibration {
    /// Where a review lies whose scores put it at a place.
    pub(crate) fn place(&self, scored: Place) -> Place {
        match self {
            Self::Isotonic { curve, .. } => Place { log_odds: curve.log_odds(scored.log_odds), ..scored },
            Self::IsotonicBorders { curves: [low, high], .. } => {
                let (low, high) = (low.log_odds(scored.log_odds), high.log_odds(scored.log_odds));
                // Curves that were learnt apart may meet or cross where few rows are; neutral stays possible there.
                Place::between((low + high) / 2.0, ((low - high) / 2.0).max(LEAST_HALF))
            }
            Self::IsotonicClasses { curves, .. } => curves.place(scored),
            Self::None | Self::Scale { .. } | Self::ScaleFree { .. } => scored,
        }
    }

    /// Held-out rows that it was learnt from.
    pub fn reviews(&self) -> usize {
        match self {
            Self::None => 0,
            Self::Scale { reviews, .. }
            | Self::ScaleFree { reviews, .. }
            | Self::Isotonic { reviews, .. }
            | Self::IsotonicBorders { reviews, .. }
            | Self::IsotonicClasses { reviews, .. } => *reviews,
        }
    }

    /// Whether it can be used.
    pub fn is_sound(&self) -> bool {
        match self {
            Self::None => true,
            Self::Scale { slope, .. } => slope.is_finite(),
            Self::ScaleFree { slopes, .. } => slopes.iter().all(|slope| slope.is_finite()),
            Self::Isotonic { curve, .. } => curve.is_sound(),
            Self::IsotonicBorders { curves, .. } => curves.iter().all(Curve::is_sound),
            Self::IsotonicClasses { curves, .. } => curves.is_sound(),
        }
    }
}
