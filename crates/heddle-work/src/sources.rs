//! What the text and what the columns beside it tell, each alone and together, on the same folds.

use heddle_core::beside::VECTORS;
use heddle_core::measure::Figures;
use heddle_core::resample::Sample;
use heddle_core::settings::Study;
use heddle_core::validate::{Difference, Validation, compare};
use serde::Serialize;

use crate::error::Result;
use crate::session::Session;
use crate::training::TrainingSet;

/// What is left to a model.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Source {
    /// The words of the reviews.
    TextAlone,
    /// The columns beside them.
    ColumnsAlone,
    /// All but the copies of reviews.
    WithoutCopies,
}

impl Source {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::TextAlone => "text alone",
            Self::ColumnsAlone => "columns alone",
            Self::WithoutCopies => "without copies",
        }
    }

    /// The study that leaves a model nothing else.
    pub fn study(self, study: &Study) -> Study {
        let mut own = study.clone();
        match self {
            Self::TextAlone => {
                own.features.columns.clear();
                own.features.penalties.retain(|(name, _)| name == VECTORS);
                own.features.text = true;
            }
            Self::ColumnsAlone => {
                own.features.text = false;
                own.features.vectors = None;
                own.features.penalties.retain(|(name, _)| name != VECTORS);
            }
            Self::WithoutCopies => own.model.copies = 0.0,
        }
        own
    }
}

/// How good it is with one source alone.
#[derive(Debug, Serialize)]
pub struct SourceFound {
    /// What is left to it.
    pub source: Source,
    /// Its figures.
    pub figures: Figures,
    /// Both less it.
    pub gain: Difference,
}

impl SourceFound {
    /// What was found with one source alone, held against both.
    pub fn new(source: Source, alone: Validation, both: &Validation, sample: &Sample) -> Self {
        Self { source, gain: compare(sample, &alone, both), figures: alone.figures }
    }
}

/// Validates with the text alone and with the columns alone, on the folds of `both`; nothing where the study leaves no
/// column, or no word, to begin with.
///
/// # Errors
/// If a fold cannot be learnt from.
pub fn sources(training: &TrainingSet, both: &Validation, session: &Session) -> Result<Vec<SourceFound>> {
    let features = &training.study.features;
    if features.columns.is_empty() || !features.text {
        return Ok(Vec::new());
    }
    let one = |source: Source| found(training, source, both, session);
    [Source::TextAlone, Source::ColumnsAlone].into_iter().map(one).collect()
}

/// Validates without what copies teach, on the same folds; nothing where there are none, or they teach nothing.
///
/// # Errors
/// If a fold cannot be learnt from.
pub fn without_copies(
    training: &TrainingSet,
    with: &Validation,
    session: &Session,
) -> Result<Option<SourceFound>> {
    let teach = !training.sample.copies.is_empty() && training.study.model.copies > 0.0;
    teach.then(|| found(training, Source::WithoutCopies, with, session)).transpose()
}

fn found(
    training: &TrainingSet,
    source: Source,
    both: &Validation,
    session: &Session,
) -> Result<SourceFound> {
    Ok(SourceFound::new(source, alone(training, source, session)?, both, &training.sample))
}

/// A validation with one source alone.
///
/// # Errors
/// If a fold cannot be learnt from.
pub fn alone(training: &TrainingSet, source: Source, session: &Session) -> Result<Validation> {
    training.validate_as(&source.study(&training.study), source.words(), session)
}
