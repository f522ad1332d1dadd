//! Cross-validation without leaks.

use rayon::prelude::*;
use serde::Serialize;

use crate::fit::{FitError, fit};
use crate::learn::logistic::Convergence;
use crate::measure::confusion::Confusion;
use crate::measure::figures::{Figures, baseline_log_odds};
use crate::measure::interval::Figure;
use crate::measure::ranking::roc_area;
use crate::model::Validated;
use crate::polarity::Polarity;
use crate::resample::folds::{Sample, folds, without};
use crate::study::Study;
use crate::terms::count::Counted;

/// What cross-validation found.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Validation {
    /// The figures over all out-of-fold predictions.
    pub figures: Figures,
    /// The majority baseline, learnt on the same training parts, on the same reviews.
    pub baseline: Figures,
    /// One entry per fold.
    pub folds: Vec<Fold>,
    /// By row: what the model of the fold that held it out said.
    #[serde(skip)]
    pub held_out: Vec<HeldOut>,
}

/// One fold.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Fold {
    /// Training reviews of each class.
    pub training: [usize; 2],
    /// Held-out reviews of each class.
    pub held_out: [usize; 2],
    /// Terms that the training part keeps.
    pub terms: usize,
    /// The strength it was trained with.
    pub strength: f64,
    /// How far the learner came.
    pub convergence: Convergence,
    /// Accuracy on the held-out reviews.
    pub accuracy: Figure,
    /// ROC area on the held-out reviews.
    pub roc_area: Figure,
}

/// An out-of-fold prediction.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct HeldOut {
    /// The fold that held the row out, from 0.
    pub fold: usize,
    /// The log-odds of positive.
    pub log_odds: f64,
}

/// Why cross-validation is not possible.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ValidateError {
    /// A class has fewer groups of reviews than there are folds.
    #[error("{count} {} reviews that may be parted cannot fill {folds} folds", class.name())]
    TooFew {
        /// The class.
        class: Polarity,
        /// Groups of reviews of that class.
        count: usize,
        /// Folds asked for.
        folds: usize,
    },
    /// A fold cannot be trained.
    #[error("fold {fold}: {error}")]
    Fit {
        /// The fold, from 1.
        fold: usize,
        /// Why.
        error: FitError,
    },
}

/// Holds each fold out in turn and refits everything on the others: vocabulary, document
/// counts, weights of terms, class weights, strength of the penalty, model.
///
/// The text is not read again: a fold's counts are those of its training rows in the one
/// matrix of all. `done` is called once for each finished fold, from any thread.
///
/// # Errors
/// If a class cannot fill the folds, or a training part cannot be learnt from.
pub fn cross_validate(
    counted: &Counted,
    sample: &Sample,
    study: &Study,
    done: impl Fn() + Sync,
) -> Result<Validation, ValidateError> {
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let count = study.validation.folds;
    check_sizes(sample, count)?;
    let parts = folds(sample, &rows, count, study.validation.seed);
    let outcomes: Vec<(Fold, Vec<f64>)> = parts
        .par_iter()
        .enumerate()
        .map(|(at, held)| {
            let outcome = hold_out(counted, sample, study, &without(&rows, held), held);
            done();
            outcome.map_err(|error| ValidateError::Fit { fold: at + 1, error })
        })
        .collect::<Result<_, _>>()?;
    let mut held_out = vec![HeldOut { fold: 0, log_odds: 0.0 }; sample.len()];
    for (at, (held, (_, log_odds))) in parts.iter().zip(&outcomes).enumerate() {
        for (&row, &log_odds) in held.iter().zip(log_odds) {
            held_out[row as usize] = HeldOut { fold: at, log_odds };
        }
    }
    let log_odds: Vec<f64> = held_out.iter().map(|held| held.log_odds).collect();
    let folds: Vec<Fold> = outcomes.into_iter().map(|(fold, _)| fold).collect();
    // One baseline for all: were it each fold's own, its small differences between folds
    // would order the reviews, and a constant would get a ROC area other than 1/2.
    let mean = folds.iter().map(|fold| baseline_log_odds(fold.training)).sum::<f64>() / folds.len() as f64;
    Ok(Validation {
        figures: Figures::new(&sample.labels, &log_odds),
        baseline: Figures::new(&sample.labels, &vec![mean; sample.len()]),
        folds,
        held_out,
    })
}

/// Learns from `training` alone and predicts `held`: the fold and its log-odds.
fn hold_out(
    counted: &Counted,
    sample: &Sample,
    study: &Study,
    training: &[u32],
    held: &[u32],
) -> Result<(Fold, Vec<f64>), FitError> {
    let fitted = fit(counted, sample, training, study)?;
    let log_odds = fitted.log_odds(counted, held);
    let labels: Vec<Polarity> = held.iter().map(|&row| sample.labels[row as usize]).collect();
    let calls = log_odds.iter().map(|odds| Polarity::of_log_odds(*odds));
    let fold = Fold {
        training: fitted.mix,
        held_out: [0, 1].map(|class| sample.mix(held)[class]),
        terms: fitted.selection.len(),
        strength: fitted.strength,
        convergence: fitted.convergence,
        accuracy: Confusion::new(labels.iter().copied().zip(calls)).accuracy(),
        roc_area: roc_area(&labels, &log_odds),
    };
    Ok((fold, log_odds))
}

fn check_sizes(sample: &Sample, folds: usize) -> Result<(), ValidateError> {
    for class in Polarity::POLES {
        let own = sample.labels.iter().zip(&sample.groups).filter(|(label, _)| **label == class);
        let mut groups: Vec<u64> = own.map(|(_, group)| *group).collect();
        groups.sort_unstable();
        groups.dedup();
        if groups.len() < folds {
            return Err(ValidateError::TooFew { class, count: groups.len(), folds });
        }
    }
    Ok(())
}

impl Validation {
    /// What a model card keeps of it.
    pub fn summary(&self) -> Validated {
        Validated { folds: self.folds.len(), figures: self.figures.clone(), baseline: self.baseline.clone() }
    }
}
