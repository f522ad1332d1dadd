//! What is kept of a validation, so that settings can be ranked on the same folds.

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::cross::{
    HeldOut, Path, Validation, by_round, figures_of, held_for_training, hold_out_all, judged,
};
use super::splitting::{FoldSplit, ValidateError, fold_splits};
use crate::choice::{Choice, choice};
use crate::learn::inner_validation::INNER_FOLDS;
use crate::measure::figures::Figures;
use crate::measure::interval::{Figure, chance, mean, t_quantile_of};
use crate::measure::verdict::Verdict;
use crate::model::fit::fit;
use crate::resample::folds::Sample;
use crate::settings::study::{Study, Validating};
use crate::terms::count::Counted;

choice! {
    /// What settings are ranked by.
    #[derive(Default, Serialize)]
    #[serde(rename_all = "snake_case")]
    Measure {
        /// Mean log loss: it judges probabilities, and sees differences that no call changes.
        #[default]
        LogLoss = "log_loss",
        /// Accuracy.
        Accuracy = "accuracy",
        /// The mean of the recalls.
        BalancedAccuracy = "balanced_accuracy",
        /// The area under the ROC curve.
        RocArea = "roc_area",
    }
}

impl Measure {
    /// Whether less is better.
    pub fn falls(self) -> bool {
        self == Self::LogLoss
    }

    /// Whether it is a share, and its differences are points; the others are plain numbers.
    pub fn is_share(self) -> bool {
        matches!(self, Self::Accuracy | Self::BalancedAccuracy)
    }

    /// The figure.
    pub fn of(self, figures: &Figures) -> Figure {
        match self {
            Self::LogLoss => figures.log_loss,
            Self::Accuracy => figures.accuracy,
            Self::BalancedAccuracy => figures.balanced_accuracy,
            Self::RocArea => figures.roc_area,
        }
    }
}

/// What is kept of a validation.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CrossValidationResult {
    /// Its figures.
    pub figures: Figures,
    /// By fold: what it was learnt from, and how good it was.
    pub folds: Vec<FoldResult>,
    /// Repetitions of the folds; lines from before they were kept have one.
    #[serde(default = "one")]
    pub rounds: usize,
    /// The mean number of terms that pull.
    pub terms: f64,
    /// The middle one of the strengths of the folds; missing for learners without a penalty.
    pub strength: Option<f64>,
    /// Accuracy on the training rows, the mean of the folds: for information.
    pub training_accuracy: Option<f64>,
}

fn one() -> usize {
    1
}

/// One fold of a result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct FoldResult {
    /// Training reviews.
    pub training: usize,
    /// Held-out reviews.
    pub held_out: usize,
    /// By [`Measure`], in its order; missing where undefined.
    pub measures: [Option<f64>; 4],
}

impl FoldResult {
    fn measure(&self, measure: Measure) -> Option<f64> {
        let place = Measure::ALL.iter().position(|one| *one == measure);
        place.and_then(|place| self.measures[place])
    }
}

impl Validation {
    /// What is kept of it.
    pub fn result(&self, sample: &Sample) -> CrossValidationResult {
        let per_round = self.folds.len() / self.held_out.len();
        let fold = |(at, fold): (usize, &super::cross::Fold)| {
            let own = |held: &Option<HeldOut>| held.filter(|held| held.fold == at % per_round);
            let held: Vec<_> = self.held_out[fold.round].iter().map(own).collect();
            let (labels, verdicts) = judged(sample, &held);
            let figures = Figures::new(&labels, &verdicts);
            let mut measures = [None; 4];
            Measure::ALL
                .iter()
                .zip(&mut measures)
                .for_each(|(measure, place)| *place = measure.of(&figures).value);
            FoldResult { training: fold.training.iter().sum(), held_out: figures.accuracy.n, measures }
        };
        let mean_of = |part: &dyn Fn(&super::cross::Fold) -> Option<f64>| {
            let parts: Option<Vec<f64>> = self.folds.iter().map(part).collect();
            parts.map(|parts| parts.iter().sum::<f64>() / parts.len() as f64)
        };
        let mut strengths: Vec<f64> = self.folds.iter().filter_map(|fold| fold.strength).collect();
        strengths.sort_unstable_by(f64::total_cmp);
        CrossValidationResult {
            figures: self.figures.clone(),
            folds: self.folds.iter().enumerate().map(fold).collect(),
            rounds: self.held_out.len(),
            terms: mean_of(&|fold| Some(fold.pulling as f64)).unwrap_or(0.0),
            strength: strengths.get(strengths.len() / 2).copied(),
            training_accuracy: mean_of(&|fold| fold.training_accuracy.value),
        }
    }
}

impl CrossValidationResult {
    /// A figure of `other` less the same of this, fold by fold.
    ///
    /// Folds share their training reviews, so their differences are not independent: the interval
    /// is that of the corrected resampled t test of Nadeau and Bengio (2003), "Inference for the
    /// generalization error", Machine Learning 52, DOI 10.1023/A:1024068626366, with variance
    /// (1 / folds + held out / training) s^2, where s^2 is that of the folds of a round. Of several rounds the means
    /// are taken; they make the interval no narrower, for the reviews are the same in each.
    pub fn to(&self, other: &Self, measure: Measure) -> Figure {
        self.tested(other, measure, 1).difference
    }

    /// As [`to`](Self::to), with an interval that holds for `at_once` such differences together (Bonferroni).
    pub(crate) fn tested(&self, other: &Self, measure: Measure, at_once: usize) -> Tested {
        let difference = |(a, b): (&FoldResult, &FoldResult)| Some(b.measure(measure)? - a.measure(measure)?);
        let of_round = |(a, b): (&[FoldResult], &[FoldResult])| -> Vec<f64> {
            a.iter().zip(b).filter_map(difference).collect()
        };
        let by_round = (self.folds.len() / self.rounds.max(1)).max(1);
        let rounds = self.folds.chunks(by_round).zip(other.folds.chunks(by_round));
        let rounds: Vec<Vec<f64>> = rounds.map(of_round).filter(|own| !own.is_empty()).collect();
        let sum = |part: fn(&FoldResult) -> usize| self.folds.iter().map(part).sum::<usize>() as f64;
        let ratio = sum(|fold| fold.held_out) / sum(|fold| fold.training);
        let n = self.figures.accuracy.n;
        let folds = rounds.iter().map(Vec::len).min().unwrap_or(0) as f64;
        let over_rounds = |part: &dyn Fn(&[f64]) -> f64| {
            rounds.iter().map(|own| part(own)).sum::<f64>() / rounds.len() as f64
        };
        let mean_of = |own: &[f64]| own.iter().sum::<f64>() / own.len() as f64;
        let mean = over_rounds(&mean_of);
        if folds < 2.0 {
            let value = Some(mean).filter(|mean| mean.is_finite());
            return Tested { difference: Figure { value, ..Figure::undefined(n) }, error: f64::NAN, p: 1.0 };
        }
        let variance = over_rounds(&|own| {
            let mean = mean_of(own);
            own.iter().map(|d| (d - mean).powi(2)).sum::<f64>() / (own.len() - 1) as f64
        });
        let variance = (1.0 / folds + ratio) * variance;
        let half = t_quantile_of(folds - 1.0, at_once) * variance.sqrt();
        Tested {
            difference: Figure::new(mean, mean - half, mean + half, n),
            error: variance.sqrt(),
            p: chance(mean, variance, folds - 1.0),
        }
    }
}

/// A difference between two results.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Tested {
    pub(crate) difference: Figure,
    /// Its standard error.
    pub(crate) error: f64,
    /// The chance of a difference as large or larger, if there were none.
    pub(crate) p: f64,
}

/// Results in order.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Ranking {
    /// The places of the results, the best first.
    pub order: Vec<usize>,
    /// By result: how far it is behind the best, above 0 being worse; intervals that hold for all of them at once.
    pub behind: Vec<Figure>,
    /// The simplest result that is as good, where a margin was named: the fewest terms that pull, then the strongest
    /// penalty.
    pub simplest: Option<usize>,
}

/// Ranks results on the same folds by a held-out figure. The gap to the training rows plays no role.
///
/// The one to take is the best. Only where a `margin` is named, a share such as 0.005, the simplest is told of those
/// within one standard error of it that are shown to be less accurate by no more than the margin: the interval of the
/// difference in accuracy, or of the share that is ranked by, ends below it (non-inferiority). To call all results
/// equal that are not shown to be worse would advise the worse the fewer reviews there are.
///
/// # Panics
/// If there are none.
pub fn rank(results: &[&CrossValidationResult], measure: Measure, margin: Option<f64>) -> Ranking {
    assert!(!results.is_empty(), "no results to rank");
    let worth = |at: usize| {
        let sign = if measure.falls() { 1.0 } else { -1.0 };
        measure.of(&results[at].figures).value.map_or(f64::INFINITY, |value| sign * value)
    };
    let mut order: Vec<usize> = (0..results.len()).collect();
    order.sort_by(|&a, &b| worth(a).total_cmp(&worth(b)));
    let (best, at_once) = (order[0], results.len() - 1);
    let behind = |result: &&CrossValidationResult, measure: Measure| {
        let tested = results[best].tested(result, measure, at_once);
        if measure.falls() { tested } else { Tested { difference: negated(tested.difference), ..tested } }
    };
    let ranked: Vec<Tested> = results.iter().map(|result| behind(result, measure)).collect();
    let share = if measure.is_share() { measure } else { Measure::Accuracy };
    let as_good = |at: &usize, margin: f64| {
        let (Tested { difference, error, .. }, found) =
            (ranked[*at], behind(&results[*at], share).difference);
        let near = difference.value.is_some_and(|behind| behind <= error);
        *at == best || near && found.high.is_some_and(|most| most <= margin)
    };
    let simpler = |&a: &usize, &b: &usize| {
        let strength = |at: usize| results[at].strength.unwrap_or(0.0);
        // Counts that differ by less than a hundredth are one count.
        let (fewer, more) = (results[a].terms.min(results[b].terms), results[a].terms.max(results[b].terms));
        let by_terms = if more - fewer <= 0.01 * more {
            std::cmp::Ordering::Equal
        } else {
            results[a].terms.total_cmp(&results[b].terms)
        };
        by_terms.then(strength(b).total_cmp(&strength(a))).then(worth(a).total_cmp(&worth(b)))
    };
    let simplest =
        |margin: f64| order.iter().copied().filter(|at| as_good(at, margin)).min_by(simpler).unwrap_or(best);
    let simplest = margin.map(simplest);
    Ranking { order, behind: ranked.iter().map(|own| own.difference).collect(), simplest }
}

/// What choosing the best of results on the same folds is worth: each fold is judged by the result that is best on
/// the other folds, so that no fold judges a choice that it took part in. The folds share training reviews, so it
/// is a little too good still; choosing anew on the training part of each fold ([`nested`]) is not, at many times
/// the cost. The interval is the t interval over folds.
///
/// # Panics
/// If there are none.
pub fn chosen_elsewhere(results: &[&CrossValidationResult], measure: Measure) -> Figure {
    assert!(!results.is_empty(), "no results to choose from");
    let sign = if measure.falls() { 1.0 } else { -1.0 };
    let at = |result: usize, fold: usize| results[result].folds[fold].measure(measure);
    let folds = results.iter().map(|result| result.folds.len()).min().unwrap_or(0);
    let judged = |fold: usize| {
        let elsewhere = |result: &usize| -> f64 {
            let others = (0..folds).filter(|other| *other != fold);
            others.filter_map(|other| at(*result, other)).map(|value| sign * value).sum()
        };
        let best = (0..results.len()).min_by(|a, b| elsewhere(a).total_cmp(&elsewhere(b)))?;
        at(best, fold)
    };
    let values: Vec<f64> = (0..folds).filter_map(judged).collect();
    Figure { n: results[0].figures.accuracy.n, ..mean(&values) }
}

fn negated(figure: Figure) -> Figure {
    Figure {
        value: figure.value.map(|value| -value),
        low: figure.high.map(|high| -high),
        high: figure.low.map(|low| -low),
        n: figure.n,
    }
}

/// Cross-validates once for each strength, learning from this share of each training part.
///
/// # Errors
/// As [`cross_validate`](super::cross::cross_validate).
pub fn try_out(
    counted: &Counted,
    sample: &Sample,
    path: Path<'_>,
    share: f64,
    done: impl Fn() + Sync,
) -> Result<Vec<CrossValidationResult>, ValidateError> {
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let validating = &path.study.validation;
    let parts = fold_splits(sample, &rows, validating)?;
    let parts: Vec<FoldSplit> = match share < 1.0 {
        true => parts.iter().map(|part| part.with_share(sample, share, validating.seed)).collect(),
        false => parts,
    };
    let paths = hold_out_all(counted, sample, path, &parts, done)?;
    Ok(paths.into_iter().map(|outcomes| Validation::of(sample, &parts, outcomes).result(sample)).collect())
}

/// What choosing among settings is worth, on reviews that played no role in the choice.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Nested {
    /// The figures of the chosen settings, each fold with its own choice.
    pub figures: Figures,
    /// By fold: which settings were chosen.
    pub chosen: Vec<usize>,
}

/// Chooses among settings anew on the training part of each fold, by inner folds of its own, and
/// judges the choice on the rows that were held out. Varma and Simon (2006), "Bias in error
/// estimation when using cross-validation for model selection", BMC Bioinformatics 7, DOI
/// 10.1186/1471-2105-7-91.
///
/// # Errors
/// As [`cross_validate`](super::cross::cross_validate).
pub fn nested(
    settings: &[(&Counted, &Study)],
    sample: &Sample,
    measure: Measure,
    done: impl Fn() + Sync,
) -> Result<Nested, ValidateError> {
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let outer = fold_splits(sample, &rows, &settings[0].1.validation)?;
    let of_fold = |split: &FoldSplit| -> Result<_, ValidateError> {
        let fail = |error| ValidateError::Fit { fold: split.fold + 1, error };
        let results = settings
            .iter()
            .map(|(counted, study)| {
                let within = Validating { folds: INNER_FOLDS, rounds: 1, ..study.validation.clone() };
                let parts = fold_splits(sample, &split.training, &within)?;
                let outcomes = {
                    let path = Path { study, strengths: &[study.model.strength] };
                    hold_out_all(counted, sample, path, &parts, || {})?
                };
                Ok(Validation::of(sample, &parts, outcomes.concat()).result(sample))
            })
            .collect::<Result<Vec<CrossValidationResult>, ValidateError>>()?;
        let chosen = rank(&results.iter().collect::<Vec<_>>(), measure, None).order[0];
        let (counted, study) = settings[chosen];
        let fitted = fit(counted, sample, &split.training, study).map_err(fail)?;
        done();
        Ok((chosen, fitted.verdicts(counted, &split.held)))
    };
    let folds: Vec<_> = outer.par_iter().map(of_fold).collect::<Result<_, _>>()?;
    let (chosen, verdicts): (Vec<usize>, Vec<Vec<Verdict>>) = folds.into_iter().unzip();
    let (rounds, shared) = (by_round(sample, &outer, &verdicts), held_for_training(&outer));
    let figures: Vec<Figures> = rounds.iter().map(|held| figures_of(sample, held, shared)).collect();
    let figures = Figures::mean(&figures);
    Ok(Nested { figures, chosen })
}
