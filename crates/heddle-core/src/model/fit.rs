//! What a set of training rows teaches.

use std::cell::LazyCell;
use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::learn::blend::Blend;
use crate::learn::calibrate::{Calibration, Scale, isotonic, rows_of, scale};
use crate::learn::decide::{Shown, cuts};
use crate::learn::inner_validation::{Held, InnerFolds, calibrating_folds, choosing_folds};
use crate::learn::lambda::{self, Asked, LambdaChoice};
use crate::learn::learner::{Convergence, Learner, Stopping};
use crate::learn::objective::Problem;
use crate::learn::settings::{Calibrate, Learning, Method, Penalty, Strength};
use crate::measure::verdict::{Cuts, Verdict};
use crate::resample::folds::Sample;
use crate::settings::study::Study;
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::term_id::TermId;
use crate::terms::weigh::{Weighted, dot};

/// The largest number of rounds of a fit.
const ROUNDS: u32 = 1000;

/// What was learnt from a set of rows: the terms they keep, and their weights.
#[derive(Debug, Clone)]
pub struct Fit {
    /// The terms that the training rows keep.
    pub selection: Arc<Selection>,
    /// By term: its weight, in log-odds per unit of the term's value; 0 if it is left out. Held in 32 bits,
    /// as a model keeps it.
    pub weights: Vec<f32>,
    /// The score of a review without known terms.
    pub intercept: f64,
    /// Half the width of the neutral zone; 0 where there are two classes.
    pub half: f64,
    /// The training reviews of each class.
    pub mix: ClassCounts,
    /// lambda; missing for learners without a penalty.
    pub strength: Option<f64>,
    /// How lambda was chosen, where it was.
    pub choice: Option<LambdaChoice>,
    /// How far the learner came.
    pub convergence: Convergence,
    /// The spread of the class ratios that were blended into the weights, as a share of that of the scores.
    pub ratios: f64,
    /// How scores become log-odds.
    pub calibration: Calibration,
    /// Where verdicts change.
    pub cuts: Cuts,
}

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

/// Learns from `rows` (ascending): selects terms, chooses the strength if the study leaves
/// it open, fits the weights, calibrates scores and sets the cuts of verdicts. Nothing outside
/// `rows` plays a role.
///
/// # Errors
/// If a class is absent, no term is kept, or the scores do not allow what the study asks for.
pub fn fit(counted: &Counted, sample: &Sample, rows: &[u32], study: &Study) -> Result<Fit, FitError> {
    let fits = fit_path(counted, sample, rows, study, &[study.model.strength])?;
    Ok(fits.into_iter().next().expect("a fit for the one strength"))
}

/// As [`fit`], once for each strength. Terms are selected once, and each strength starts from
/// the weights of the one before: from strong to weak, a path costs little more than its last
/// step. A fit on a path may differ from one alone by what `model.tolerance` leaves open.
///
/// # Errors
/// As [`fit`].
pub fn fit_path(
    counted: &Counted,
    sample: &Sample,
    rows: &[u32],
    study: &Study,
    strengths: &[Strength],
) -> Result<Vec<Fit>, FitError> {
    let mix = sample.mix(rows);
    let selection = Arc::new(select(counted, sample, rows)?);
    let factors = selection.document_factors.clone();
    let features = Weighted::new(&counted.rows, factors, counted.rules.weighting, selection.pivot);
    // Terms, counts and factors are those of all training rows; balancing changes only what
    // the learner makes of them.
    let (balance, seed) = (&study.balance, study.validation.seed);
    let (seen, costs) = (balance.rows(sample, rows, seed), balance.costs(mix));
    let classes = Classes::of(mix);
    let problem = Problem { features: &features, labels: &sample.labels, rows: &seen, costs, classes };
    let learning = &study.model;
    let open = learning.has_strength() && strengths.contains(&Strength::Auto);
    // Whether scores are calibrated may depend on whether the strength is set or open.
    let calibrated = |strength: &Strength| Learning { strength: *strength, ..*learning }.calibrated();
    let learns = |strength: &Strength| calibrated(strength).learns() || study.decision.learns();
    let wanted = strengths.iter().any(learns);
    let folds = |count: usize| InnerFolds::new(counted, sample, (rows, count), (learning, balance), seed);
    let finer = calibrating_folds(rows.len()).filter(|_| wanted).map(folds);
    let inner = (open || wanted && finer.is_none()).then(|| folds(choosing_folds(rows.len())));
    let mut inner_fits = inner.as_ref().map_or(Vec::new(), InnerFolds::fits);
    let mut finer_fits = finer.as_ref().map_or(Vec::new(), InnerFolds::fits);
    let held_out = inner.as_ref().or(finer.as_ref()).map_or(0, InnerFolds::rows);
    let mut learner = learning.begin(problem, seed);
    let to_choose = |asked: &Strength| Asked {
        reviews: rows.len(),
        held_out,
        tolerance: learning.tolerance,
        calibrated: calibrated(asked).learns().then_some(classes),
    };
    let stopping = Stopping { tolerance: learning.tolerance, rounds: ROUNDS };
    let leanings = LazyCell::new(|| selection.leanings(&counted.rules));
    let mut fits = Vec::with_capacity(strengths.len());
    for asked in strengths {
        let (choice, known) = (learning.has_strength() && *asked == Strength::Auto)
            .then(|| lambda::choose(&mut inner_fits, to_choose(asked)))
            .unzip();
        let strength = match asked {
            Strength::Fixed(lambda) => Some(*lambda).filter(|_| learning.has_strength()),
            Strength::Auto => choice.as_ref().map(|choice| choice.strength),
        };
        let lambda = strength.unwrap_or(1.0);
        let known = match (known, learns(asked)) {
            (_, true) if finer.is_some() => to_choose(asked).known(&mut finer_fits, lambda),
            (None, true) => to_choose(asked).known(&mut inner_fits, lambda),
            (known, _) => known.unwrap_or_default(),
        };
        if fits.is_empty() && !known.pulls.is_empty() {
            // Inner folds have learnt from these very rows.
            learner.start(lambda, &known.pulls);
        }
        let mut held = if learns(asked) { known.held } else { Vec::new() };
        let convergence = learner.solve(lambda, stopping);
        let mut raw = Raw { weights: learner.weights(), intercepts: learner.intercepts() };
        if learning.has_strength() && learning.penalty == Penalty::Ridge {
            settle(&mut held, &*learner);
        }
        let blends = Learning { strength: *asked, ..*learning }.blends(counted.rules.emphasis);
        let blend = if blends { Blend::of(&held, classes) } else { Blend::default() };
        if blend.share > 0.0 {
            held = blend.added_to(&held);
            raw.weights.iter_mut().zip(&*leanings).for_each(|(weight, own)| *weight += blend.factor * own);
        }
        let Said { weights, intercept, half, calibration, cuts } =
            raw.settled(&held, &sample.groups, study, (mix, calibrated(asked)))?;
        fits.push(Fit {
            selection: Arc::clone(&selection),
            weights,
            intercept,
            half,
            mix,
            strength,
            choice,
            convergence,
            ratios: blend.share,
            calibration,
            cuts,
        });
    }
    Ok(fits)
}

/// Moves held-out scores to where those of the final learner lie.
///
/// An inner learner has another intercept than the final one, and where scores are multiplied by much, the difference
/// would move every log-odds. The mean score of the rows under the final learner tells where it lies, though it has
/// learnt from them: a row pulls its own score by its dual variable, and under a ridge with an intercept those of
/// both classes cancel each other (for rows of equal length: of unit norm).
fn settle(held: &mut [Held], learner: &dyn Learner) {
    let middle = |[low, high]: [f64; 2]| (low + high) / 2.0;
    let centre = middle(learner.intercepts());
    let costs: f64 = held.iter().map(|held| held.cost).sum();
    let apart: f64 = held
        .par_iter()
        .map(|held| held.cost * (learner.dot(held.row as usize) + centre - held.centre()))
        .collect::<Vec<f64>>() // added up in order, whatever the number of threads
        .iter()
        .sum();
    if costs > 0.0 {
        held.iter_mut().for_each(|held| held.scores = held.scores.map(|score| score + apart / costs));
    }
}

/// The terms of some rows, if there is something to learn from them.
fn select(counted: &Counted, sample: &Sample, rows: &[u32]) -> Result<Selection, FitError> {
    let mix = sample.mix(rows);
    if Polarity::POLES.iter().any(|class| mix[*class] == 0) {
        return Err(FitError::OneClass { mix });
    }
    let selection = Selection::new(counted, sample, rows);
    match selection.is_empty() {
        true => Err(FitError::NoTerms { counted: counted.vocabulary.len(), reviews: rows.len() }),
        false => Ok(selection),
    }
}

/// What a learner gives.
struct Raw {
    weights: Vec<f64>,
    intercepts: [f64; 2],
}

/// What becomes of it.
struct Said {
    weights: Vec<f32>,
    intercept: f64,
    half: f64,
    calibration: Calibration,
    cuts: Cuts,
}

impl Raw {
    /// Calibrates on held-out rows, corrects the intercepts for the class mix, and sets the cuts.
    fn settled(
        self,
        held: &[Held],
        groups: &[u64],
        study: &Study,
        (mix, calibrated): (ClassCounts, Calibrate),
    ) -> Result<Said, FitError> {
        let Self { mut weights, mut intercepts } = self;
        // A weight so large gives log-odds that mean nothing; NaN fails too.
        if !weights.iter().chain(&intercepts).all(|weight| weight.abs() <= 1e9) {
            return Err(FitError::Overflow);
        }
        let middle = |[low, high]: [f64; 2]| (low + high) / 2.0;
        let tied = weights_by_group(held, groups);
        let mut held = rows_of(held);
        let mut calibration = Calibration::None;
        // Scores were learnt under the mix that balancing makes, and held-out rows are judged
        // under it: the correction comes after the calibration.
        let correction = study.balance.correction(mix);
        match calibrated {
            Calibrate::Scale => {
                if let Some(scale) = straight(&held, Classes::of(mix), &study.model)? {
                    // It goes into the weights, and log-odds stay a sum.
                    let centre = middle(intercepts);
                    weights.iter_mut().for_each(|weight| *weight *= scale.slope);
                    intercepts = scale.intercepts.map(|intercept| intercept + scale.slope * centre);
                    held.iter_mut().for_each(|row| row.0 = scale.slope * row.0 + middle(scale.intercepts));
                    calibration = Calibration::Scale { slope: scale.slope, reviews: held.len() };
                }
            }
            Calibrate::Isotonic => {
                if held.is_empty() {
                    return Err(FitError::Uncalibrated);
                }
                let curve = isotonic(&held).moved(correction[0]);
                calibration = Calibration::Isotonic { curve, reviews: held.len() };
            }
            Calibrate::Auto | Calibrate::None => {}
        }
        let intercepts = [0, 1].map(|border| intercepts[border] + correction[border]);
        let (intercept, half) = (middle(intercepts), (intercepts[0] - intercepts[1]).max(0.0) / 2.0);
        let log_odds = |score: f64| calibration.log_odds(score + middle(correction));
        let shown = |(row, weight): (&(f64, Polarity, f64), f64)| Shown {
            log_odds: log_odds(row.0),
            label: row.1,
            weight,
        };
        let judged: Vec<Shown> = held.iter().zip(tied).map(shown).collect();
        let wanted = study.decision.precision_negative.unwrap_or_default();
        let cuts = cuts(&study.decision, half, &judged, study.balance.natural)
            .map_err(|error| FitError::OutOfReach { wanted, best: error.best })?;
        let weights: Vec<f32> = weights.into_iter().map(|weight| weight as f32).collect();
        // Without a term that pulls, every review would be called by the class mix: nothing is.
        let says_nothing = weights.iter().all(|weight| *weight == 0.0);
        let cuts = if says_nothing { cuts.all_unsure() } else { cuts };
        Ok(Said { weights, intercept, half, calibration, cuts })
    }
}

/// By held-out row: one over the held-out rows of its group.
fn weights_by_group(held: &[Held], groups: &[u64]) -> Vec<f64> {
    let mut sizes: FxHashMap<u64, f64> = FxHashMap::default();
    held.iter().for_each(|held| *sizes.entry(groups[held.row as usize]).or_default() += 1.0);
    held.iter().map(|held| 1.0 / sizes[&groups[held.row as usize]]).collect()
}

/// The straight line from scores to log-odds, or what stands for it where scores do not rise with
/// the labels: an error if it was asked for by name; the scores as they are where nothing could be held
/// out, and always for logistic regression; and of other learners the class mix alone.
fn straight(
    held: &[(f64, Polarity, f64)],
    classes: Classes,
    learning: &Learning,
) -> Result<Option<Scale>, FitError> {
    let asked = learning.calibration == Calibrate::Scale;
    match scale(held, classes) {
        Some(scale) => Ok(Some(scale)),
        None if asked => Err(FitError::Uncalibrated),
        None if held.is_empty() || learning.learner == Method::Logistic => Ok(None),
        None => Ok(Some(Scale::flat(held, classes))),
    }
}

impl Fit {
    /// The scores of rows of the matrix, whether they taught or not: intercept + weights x values.
    pub fn scores(&self, counted: &Counted, rows: &[u32]) -> Vec<f64> {
        let weighting = counted.rules.weighting;
        let factors = &self.selection.document_factors;
        let one = |&row: &u32| {
            let entries = counted.rows.row(row as usize);
            let scale =
                weighting.row_factor(entries, |column| factors[column as usize], self.selection.pivot);
            let of = |column: u32| [factors[column as usize], self.weights[column as usize]].map(f64::from);
            self.intercept + dot(entries, of) * scale
        };
        rows.iter().map(one).collect()
    }

    /// The verdicts on rows of the matrix; a row without kept terms is unsure.
    pub fn verdicts(&self, counted: &Counted, rows: &[u32]) -> Vec<Verdict> {
        let known = |row: u32| {
            let entries = counted.rows.row(row as usize);
            entries.iter().any(|entry| self.selection.keeps(TermId::new(entry.column)))
        };
        let say = |(score, row): (f64, &u32)| {
            self.calibration.verdict(score, self.half, &self.cuts).known(known(*row))
        };
        self.scores(counted, rows).into_iter().zip(rows).map(say).collect()
    }

    /// The number of terms that pull at all.
    pub fn pulling(&self) -> usize {
        self.weights.iter().filter(|weight| **weight != 0.0).count()
    }
}
