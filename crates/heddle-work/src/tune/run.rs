//! One run of tuning.

use heddle_core::validate::CrossValidationResult;
use serde::{Deserialize, Serialize};

/// One run.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Run {
    /// The settings that were varied.
    pub name: String,
    /// The share of the training reviews that was learnt from.
    pub share: f64,
    #[serde(flatten)]
    /// Its figures.
    pub result: CrossValidationResult,
    /// How long it took; where a path of strengths was run at once, its mean.
    pub seconds: f64,
    /// The size of the matrix that it learnt from, in bytes.
    pub bytes: usize,
}
