//! Why nothing can be learnt.

use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::terms::count::Counted;
use crate::terms::select::Selection;

/// Why nothing can be learnt from a set of rows.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum FitError {
    /// A class is missing.
    #[error("there are {} negative and {} positive reviews to learn from: both classes are needed", mix[Polarity::Negative], mix[Polarity::Positive])]
    OneClass {
        /// The rows of each class.
        mix: ClassCounts,
    },
    /// No term reaches the floor and keeps below the ceiling.
    #[error(
        "none of the {counted} terms is kept: terms.at_least and terms.at_most leave nothing of {reviews} reviews"
    )]
    NoTerms {
        /// Terms counted.
        counted: usize,
        /// Training reviews.
        reviews: usize,
    },
    /// The weights diverged: none of them is a finite number any more, or one is beyond 1e9.
    #[error(
        "the weights diverged: raise model.strength, or choose terms.weighting with a normalisation, such as ltc"
    )]
    Overflow,
    /// Scores cannot be brought to log-odds.
    #[error(
        "scores of held-out reviews do not rise with their labels, so nothing can be calibrated on them: there is nothing to learn here, or too few reviews; model.calibration=none takes scores as they are"
    )]
    Uncalibrated,
    /// A wanted precision is out of reach.
    #[error("no cut makes {:.1} % of those called negative right on held-out reviews, {:.1} % at most: lower decision.precision_negative", 100.0 * wanted, 100.0 * best)]
    OutOfReach {
        /// The wanted precision.
        wanted: f64,
        /// The best there is.
        best: f64,
    },
}

/// Refuses reviews of this mix if one of the poles is absent.
pub(super) fn check_mix(mix: ClassCounts) -> Result<(), FitError> {
    match Polarity::POLES.iter().any(|class| mix[*class] == 0) {
        true => Err(FitError::OneClass { mix }),
        false => Ok(()),
    }
}

/// Refuses a selection that leaves nothing to learn from.
pub(super) fn check_kept(selection: &Selection, counted: &Counted) -> Result<(), FitError> {
    let (counted, reviews) = (counted.vocabulary.len(), selection.mix.iter().sum());
    if selection.is_empty() { Err(FitError::NoTerms { counted, reviews }) } else { Ok(()) }
}
