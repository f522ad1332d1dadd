//! Every figure of a set of predictions.

use serde::{Deserialize, Serialize};

use super::confusion::{ClassFigures, Confusion};
use super::interval::{Figure, mean};
use super::odds::{loss, sigmoid};
use super::ranking::roc_area;
use crate::polarity::Polarity;

/// The figures of a set of predictions, each with interval and number of reviews.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Figures {
    /// True against called classes.
    pub confusion: Confusion,
    /// The share of reviews called by their true class.
    pub accuracy: Figure,
    /// The mean of the two recalls.
    pub balanced_accuracy: Figure,
    /// Matthews correlation of true and called class.
    pub matthews: Figure,
    /// The area under the ROC curve.
    pub roc_area: Figure,
    /// The mean of -ln(probability of the true class), in nats per review.
    pub log_loss: Figure,
    /// The mean squared difference of the probability of positive and the truth (Brier
    /// (1950), DOI 10.1175/1520-0493(1950)078<0001:VOFEIT>2.0.CO;2).
    pub brier: Figure,
    /// Precision, recall and F1 of each class, in the order of [`Polarity::POLES`].
    pub classes: [ClassFigures; 2],
}

impl Figures {
    /// The figures of log-odds of positive; a review is called by the sign.
    ///
    /// # Panics
    /// If there is not one log-odds per label.
    pub fn new(labels: &[Polarity], log_odds: &[f64]) -> Self {
        assert_eq!(labels.len(), log_odds.len(), "{} labels, {} log-odds", labels.len(), log_odds.len());
        let pairs = || labels.iter().zip(log_odds);
        let confusion = Confusion::new(pairs().map(|(label, odds)| (*label, Polarity::of_log_odds(*odds))));
        let losses: Vec<f64> = pairs().map(|(label, odds)| loss(label.sign() * odds)).collect();
        let squares: Vec<f64> = pairs().map(|(label, odds)| sigmoid(-label.sign() * odds).powi(2)).collect();
        Self {
            confusion,
            accuracy: confusion.accuracy(),
            balanced_accuracy: confusion.balanced_accuracy(),
            matthews: confusion.matthews(),
            roc_area: roc_area(labels, log_odds),
            log_loss: mean(&losses),
            brier: mean(&squares),
            classes: Polarity::POLES.map(|class| confusion.class(class)),
        }
    }
}

/// The log-odds that the majority baseline gives every review: those of the class mix of
/// the training reviews, which therefore calls every review the larger class.
///
/// `mix` holds the training reviews of each class, in the order of [`Polarity::POLES`].
pub fn baseline_log_odds(mix: [usize; 2]) -> f64 {
    (mix[1] as f64 / mix[0] as f64).ln()
}
