//! The figures by which slices are compared.

use serde::{Deserialize, Serialize};

use super::verdict::Verdict;
use crate::choice::choice;
use crate::labels::polarity::Polarity;

choice! {
    /// What slices are compared by. Cards of before name these figures as pages do.
    #[derive(Serialize, Deserialize)]
    #[serde(rename_all = "snake_case")]
    SliceFigure {
        /// The share of reviews called by their true class.
        Accuracy = "accuracy",
        /// The share of negative reviews found.
        #[serde(alias = "negative found")]
        Recall = "negative found",
        /// The share of positive reviews called negative.
        #[serde(alias = "false alarms")]
        FalseAlarms = "false alarms",
        /// The share of those called negative that is.
        #[serde(alias = "precision of negative")]
        Precision = "precision of negative",
        /// Observed less predicted.
        Calibration = "calibration",
    }
}

impl SliceFigure {
    /// What a review adds to the figure; nothing where it has no part in it.
    pub(crate) fn of(self, label: Polarity, verdict: &Verdict) -> Option<f64> {
        let one = |hit: bool| f64::from(u8::from(hit));
        let negative = verdict.called == Polarity::Negative;
        match self {
            Self::Accuracy => Some(one(verdict.called == label)),
            Self::Recall => (label == Polarity::Negative).then(|| one(negative)),
            Self::FalseAlarms => (label == Polarity::Positive).then(|| one(negative)),
            Self::Precision => negative.then(|| one(label == Polarity::Negative)),
            Self::Calibration => {
                Some(one(label == Polarity::Positive) - verdict.probability(Polarity::Positive))
            }
        }
    }
}
