//! What a model tells of itself.

use serde::{Deserialize, Serialize};

use super::seen::Seen;
use crate::beside::ColumnEffects;
use crate::labels::per_class::ClassCounts;
use crate::learn::calibrate::Calibration;
use crate::learn::lambda::LambdaChoice;
use crate::learn::layout::LayoutChoice;
use crate::learn::learner::Convergence;
use crate::measure::figures::{Figures, Reached};
use crate::measure::interval::Figure;
use crate::measure::slice_figure::SliceFigure;
use crate::measure::verdict::Decision;
use crate::terms::vectors::VectorSource;

/// What is known of a model beside its weights.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Card {
    /// The training reviews of each class, in the order of [`Polarity::index`](crate::labels::Polarity::index).
    pub mix: ClassCounts,
    /// The kept terms.
    pub terms: usize,
    /// Of these, the ones that pull at all: under a lasso few do.
    pub pulling: usize,
    /// lambda; missing for learners without a penalty.
    pub strength: Option<f64>,
    /// How lambda was chosen; missing if the study fixed it.
    pub choice: Option<LambdaChoice>,
    /// How far the learner came.
    pub convergence: Convergence,
    /// The spread of the class ratios that were blended into the weights, as a share of that of the scores; 0 in
    /// files from before there were any.
    #[serde(default)]
    pub ratios: f64,
    /// How scores become log-odds.
    pub calibration: Calibration,
    /// Why three classes are told apart as they are, where that was open.
    #[serde(default)]
    pub layout: Option<LayoutChoice>,
    /// The neutrality of a review without known terms; there only where each class has weights of its own.
    #[serde(default)]
    pub neutral_intercept: Option<f64>,
    /// Where verdicts change.
    pub cuts: Decision,
    /// What that makes of the held-out reviews that it was set on, where it was.
    #[serde(default)]
    pub reached: Option<Reached>,
    /// The mean number of terms of a training review, where the normalisation needs it.
    pub pivot: f64,
    /// What the columns beside the text add, where some count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub columns: Option<ColumnEffects>,
    /// Where word vectors come from, where they count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub vectors: Option<VectorSource>,
    /// What the training reviews were like; missing in files from before it was kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seen: Option<Seen>,
    /// Cross-validated figures on the training reviews; missing if the model was never
    /// validated.
    pub validated: Option<Validated>,
}

impl Card {
    /// Whether each class has weights of its own.
    pub fn is_free(&self) -> bool {
        self.neutral_intercept.is_some()
    }
}

/// Figures on reviews that the model's twins on other folds had not seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Validated {
    /// The labelled reviews of which those that were judged are drawn at random; none where all were judged.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawn_from: Option<usize>,
    /// The number of folds.
    pub folds: usize,
    /// Repetitions of all folds.
    pub rounds: usize,
    /// The figures of the model.
    pub figures: Figures,
    /// The figures of the majority baseline on the same reviews.
    pub baseline: Figures,
    /// How good it is by what is known beside the text; none in files of before.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub slices: Vec<ValidatedSlice>,
}

/// The accuracy on reviews that share what is known beside their text.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ValidatedSlice {
    /// What it is: a column, the month, the length or the language.
    pub aspect: String,
    /// Its value.
    pub level: String,
    /// The share of these reviews that is called right.
    pub accuracy: Figure,
    /// The accuracy of calling all of them the class that is larger among them.
    pub majority: Figure,
    /// The figures that are not as on the other reviews, by more than noise.
    pub differs: Vec<SliceFigure>,
}
