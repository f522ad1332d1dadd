//! Cross-validation without leaks.

use std::borrow::Borrow;

use rayon::prelude::*;
use serde::Serialize;

use super::splitting::{FoldSplit, ValidateError, fold_splits};
use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::learn::learner::Convergence;
use crate::learn::settings::Strength;
use crate::measure::confusion::Confusion;
use crate::measure::dependence::Dependence;
use crate::measure::figures::{Figures, baseline};
use crate::measure::interval::Figure;
use crate::measure::ranking::roc_area;
use crate::measure::verdict::Verdict;
use crate::model::card::Validated;
use crate::model::fit::{Fit, fit_path};
use crate::resample::folds::Sample;
use crate::settings::study::Study;
use crate::terms::count::Counted;

/// What cross-validation found.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Validation {
    /// The figures over all out-of-fold predictions of a round; of several rounds, their means.
    pub figures: Figures,
    /// The majority baseline, learnt on the same training parts, on the same reviews.
    pub baseline: Figures,
    /// The figures of each round.
    pub rounds: Vec<Figures>,
    /// One entry per fold, round by round.
    pub folds: Vec<Fold>,
    /// What the model of the fold said that held the row out: by round, then by row. Rolling
    /// folds never hold out the first rows.
    #[serde(skip)]
    pub held_out: Vec<Vec<Option<HeldOut>>>,
}

/// One fold.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Fold {
    /// The round, from 0.
    pub round: usize,
    /// Training reviews of each class, in the order of [`Polarity::index`].
    pub training: ClassCounts,
    /// Held-out reviews of each class.
    pub held_out: ClassCounts,
    /// Terms that the training part keeps.
    pub terms: usize,
    /// Of these, the ones that pull at all.
    pub pulling: usize,
    /// The strength it was trained with; missing for learners without a penalty.
    pub strength: Option<f64>,
    /// How far the learner came.
    pub convergence: Convergence,
    /// Accuracy on the held-out reviews.
    pub accuracy: Figure,
    /// ROC area on the held-out reviews.
    pub roc_area: Figure,
    /// Accuracy on the fold's own training reviews: for information, never a ground to choose by.
    pub training_accuracy: Figure,
}

/// An out-of-fold prediction.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct HeldOut {
    /// The fold that held the row out, from 0.
    pub fold: usize,
    /// What its model said.
    pub verdict: Verdict,
}

/// A study, and the strengths that are tried along it, from strong to weak.
#[derive(Clone, Copy)]
pub struct Path<'a> {
    /// The settings.
    pub study: &'a Study,
    /// What takes the place of `model.strength`, one after the other.
    pub strengths: &'a [Strength],
}

/// A validation with the splits behind it.
#[derive(Clone, Copy)]
pub struct Judged<'a> {
    /// What was found.
    pub validation: &'a Validation,
    /// What was learnt from and held out, by fold and repetition.
    pub splits: &'a [FoldSplit],
}

/// Holds each fold out in turn and refits everything on the others: vocabulary, document
/// counts, weights of terms, class weights, strength of the penalty, model, calibration, cuts.
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
    let strengths = [study.model.strength];
    let mut found = cross_validate_path(counted, sample, study, &strengths, done)?;
    Ok(found.pop().expect("a validation for the one strength"))
}

/// As [`cross_validate`], once for each strength, best from strong to weak: folds, terms and
/// matrices are shared, and each strength starts from the weights of the one before.
///
/// # Errors
/// As [`cross_validate`].
pub fn cross_validate_path(
    counted: &Counted,
    sample: &Sample,
    study: &Study,
    strengths: &[Strength],
    done: impl Fn() + Sync,
) -> Result<Vec<Validation>, ValidateError> {
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let parts = fold_splits(sample, &rows, &study.validation)?;
    let paths = hold_out_all(counted, sample, Path { study, strengths }, &parts, done)?;
    Ok(paths.into_iter().map(|outcomes| Validation::of(sample, &parts, outcomes)).collect())
}

/// What a split gave: the fold, and the verdicts on its held-out rows.
pub(crate) type Outcome = (Fold, Vec<Verdict>);

/// Learns from the training rows of each split alone and judges the others: by strength, then
/// by split.
pub(crate) fn hold_out_all(
    counted: &Counted,
    sample: &Sample,
    Path { study, strengths }: Path<'_>,
    parts: &[FoldSplit],
    done: impl Fn() + Sync,
) -> Result<Vec<Vec<Outcome>>, ValidateError> {
    let of_division = |split: &FoldSplit| {
        let fits = fit_path(counted, sample, &split.training, study, strengths)
            .map_err(|error| ValidateError::Fit { fold: split.fold + 1, error })?;
        let outcomes = fits.iter().map(|fitted| outcome(counted, sample, split, fitted)).collect();
        done();
        Ok(outcomes)
    };
    let by_division: Vec<Vec<Outcome>> = parts.par_iter().map(of_division).collect::<Result<_, _>>()?;
    let mut by_strength: Vec<Vec<Outcome>> = strengths.iter().map(|_| Vec::new()).collect();
    for outcomes in by_division {
        for (own, outcome) in by_strength.iter_mut().zip(outcomes) {
            own.push(outcome);
        }
    }
    Ok(by_strength)
}

fn outcome(counted: &Counted, sample: &Sample, split: &FoldSplit, fitted: &Fit) -> Outcome {
    let verdicts = fitted.verdicts(counted, &split.held);
    let held_out = sample.mix(&split.held);
    let classes = Classes::of(fitted.mix.plus(held_out));
    let labels =
        |rows: &[u32]| -> Vec<Polarity> { rows.iter().map(|&row| sample.labels[row as usize]).collect() };
    let accuracy = |rows: &[u32], verdicts: &[Verdict]| {
        let called = verdicts.iter().map(|verdict| verdict.called);
        Confusion::new(classes, labels(rows).into_iter().zip(called)).accuracy()
    };
    let log_odds: Vec<f64> = verdicts.iter().map(|verdict| verdict.log_odds).collect();
    let fold = Fold {
        round: split.round,
        training: fitted.mix,
        held_out,
        terms: fitted.selection.len(),
        pulling: fitted.pulling(),
        strength: fitted.strength,
        convergence: fitted.convergence,
        accuracy: accuracy(&split.held, &verdicts),
        roc_area: roc_area(&labels(&split.held), &log_odds),
        training_accuracy: accuracy(&split.training, &fitted.verdicts(counted, &split.training)),
    };
    (fold, verdicts)
}

impl Judged<'_> {
    /// How the reviews of the first round hang together.
    pub fn dependence(&self, sample: &Sample) -> Dependence {
        dependence(sample, &self.validation.held_out[0], self.held_for_training())
    }

    /// The figures of the first round over some of the reviews.
    pub fn figures_of(&self, sample: &Sample, among: impl Fn(usize) -> bool) -> Figures {
        let held = self.validation.held_out[0].iter().enumerate();
        let some: Vec<Option<HeldOut>> = held.map(|(row, held)| held.filter(|_| among(row))).collect();
        figures_of(sample, &some, self.held_for_training())
    }

    /// Held-out reviews for each training review.
    pub fn held_for_training(&self) -> f64 {
        held_for_training(self.splits)
    }
}

impl Validation {
    /// Puts the outcomes of all fold_splits together.
    pub(crate) fn of(sample: &Sample, parts: &[FoldSplit], outcomes: Vec<Outcome>) -> Self {
        let (folds, verdicts): (Vec<Fold>, Vec<Vec<Verdict>>) = outcomes.into_iter().unzip();
        let held_out = by_round(sample, parts, &verdicts);
        let shared = held_for_training(parts);
        let rounds: Vec<Figures> = held_out.iter().map(|held| figures_of(sample, held, shared)).collect();
        // One baseline for all folds: were it each fold's own, its small differences between
        // folds would order the reviews, and a constant would get a ROC area other than 1/2.
        let mut mix = ClassCounts::default();
        folds.iter().for_each(|fold| mix = mix.plus(fold.training));
        let verdict = baseline(mix);
        let constant = |held: &Option<HeldOut>| held.map(|held| HeldOut { verdict, ..held });
        let constant: Vec<Option<HeldOut>> = held_out[0].iter().map(constant).collect();
        Self {
            figures: Figures::mean(&rounds),
            baseline: figures_of(sample, &constant, shared),
            rounds,
            folds,
            held_out,
        }
    }

    /// What a model card keeps of it.
    pub fn summary(&self) -> Validated {
        Validated {
            drawn_from: None,
            folds: self.folds.len() / self.rounds.len(),
            rounds: self.rounds.len(),
            figures: self.figures.clone(),
            baseline: self.baseline.clone(),
            slices: Vec::new(),
        }
    }
}

/// What the fold_splits said of the rows they held out: by round, then by row.
pub(crate) fn by_round<D: Borrow<FoldSplit>>(
    sample: &Sample,
    parts: &[D],
    verdicts: &[Vec<Verdict>],
) -> Vec<Vec<Option<HeldOut>>> {
    let rounds = parts.iter().map(|part| part.borrow().round + 1).max().unwrap_or(0);
    let mut held_out = vec![vec![None; sample.len()]; rounds];
    for (split, verdicts) in parts.iter().map(D::borrow).zip(verdicts) {
        for (&row, &verdict) in split.held.iter().zip(verdicts) {
            held_out[split.round][row as usize] = Some(HeldOut { fold: split.fold, verdict });
        }
    }
    held_out
}

/// Held-out reviews for each training review, over all splits.
pub(crate) fn held_for_training<D: Borrow<FoldSplit>>(parts: &[D]) -> f64 {
    let sum =
        |rows: fn(&FoldSplit) -> usize| parts.iter().map(|part| rows(part.borrow())).sum::<usize>() as f64;
    sum(|part| part.held.len()) / sum(|part| part.training.len())
}

/// The figures of the rows that a round held out, given the held-out reviews for each training review.
pub(crate) fn figures_of(sample: &Sample, held: &[Option<HeldOut>], shared: f64) -> Figures {
    let (labels, verdicts) = judged(sample, held);
    Figures::under(&labels, &verdicts, &dependence(sample, held, shared))
}

/// How the rows that a round held out hang together.
pub(crate) fn dependence(sample: &Sample, held: &[Option<HeldOut>], shared: f64) -> Dependence {
    let both = sample.groups.iter().zip(held);
    let (groups, folds): (Vec<u64>, Vec<usize>) =
        both.filter_map(|(group, held)| Some((*group, (*held)?.fold))).unzip();
    Dependence::of_folds(&groups, &folds, shared)
}

/// The labels and verdicts of the rows that were held out.
pub(crate) fn judged(sample: &Sample, held: &[Option<HeldOut>]) -> (Vec<Polarity>, Vec<Verdict>) {
    let both = sample.labels.iter().zip(held);
    both.filter_map(|(label, held)| Some((*label, (*held)?.verdict))).unzip()
}
