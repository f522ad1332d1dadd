//! Two ways to judge, on the same reviews.

use serde::Serialize;
use statrs::distribution::{Binomial, DiscreteCDF};

use super::cross::Validation;
use super::result::{Measure, Tested};
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::measure::dependence::{Dependence, Spread};
use crate::measure::interval::{Figure, chance, mean_and_error, moves, normal_quantile};
use crate::measure::ranking::Ranked;
use crate::measure::verdict::Verdict;
use crate::resample::folds::Sample;

/// How much a second way differs from a first one.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Difference {
    /// Accuracy of the second less that of the first.
    pub accuracy: Figure,
    /// The mean of the recalls, likewise.
    pub balanced_accuracy: Figure,
    /// The area under the ROC curve, likewise.
    pub roc_area: Figure,
    /// Log loss, likewise: below 0 the second is better.
    pub log_loss: Figure,
    /// Reviews that only the first calls by their class.
    pub only_first: usize,
    /// Reviews that only the second calls by their class.
    pub only_second: usize,
    /// The chance of a difference in accuracy as large or larger, if both ways were equally often right. Of finished
    /// models on independent reviews by McNemar's exact test; of folds, and where reviews hang together, by the t
    /// test behind the interval of the accuracy: to McNemar's test reviews would count more than they say.
    pub p: f64,
}

impl Difference {
    /// Whether neither accuracy nor log loss differs by more than noise.
    pub fn is_noise(&self) -> bool {
        within(&self.accuracy) && within(&self.log_loss)
    }
}

/// Whether an interval holds 0, or cannot be told.
pub fn within(figure: &Figure) -> bool {
    !(figure.low.is_some_and(|low| low > 0.0) || figure.high.is_some_and(|high| high < 0.0))
}

/// Holds a second validation against a first one of the same reviews and folds.
///
/// Intervals are those of [`CrossValidationResult::to`](super::result::CrossValidationResult::to). Reviews right in
/// only one are counted in the first round.
///
/// # Panics
/// If the folds are not the same.
pub fn compare(sample: &Sample, first: &Validation, second: &Validation) -> Difference {
    let folds = |validation: &Validation| -> Vec<(usize, ClassCounts)> {
        validation.folds.iter().map(|fold| (fold.round, fold.held_out)).collect()
    };
    assert_eq!(folds(first), folds(second), "the two were judged on other folds");
    let (a, b) = (first.result(sample), second.result(sample));
    let (labels, one) = super::cross::judged(sample, &first.held_out[0]);
    let (_, other) = super::cross::judged(sample, &second.held_out[0]);
    let (only_first, only_second) = discordant(&labels, &one, &other);
    let Tested { difference: accuracy, p, .. } = a.tested(&b, Measure::Accuracy, 1);
    Difference {
        accuracy,
        balanced_accuracy: a.to(&b, Measure::BalancedAccuracy),
        roc_area: a.to(&b, Measure::RocArea),
        log_loss: a.to(&b, Measure::LogLoss),
        only_first,
        only_second,
        p,
    }
}

/// Holds the verdicts of a second finished model against those of a first one, on reviews that
/// neither has learnt from. Differences are paired by review, with t intervals; that of the
/// balanced accuracy weighs each class alike, that of the ROC areas is DeLong's (DOI 10.2307/2531595).
///
/// # Panics
/// If there is not one verdict of each per label.
pub fn compare_verdicts(
    labels: &[Polarity],
    first: &[Verdict],
    second: &[Verdict],
    dependence: &Dependence,
) -> Difference {
    assert_eq!((labels.len(), labels.len()), (first.len(), second.len()), "one verdict per label");
    let pairs = || labels.iter().zip(first.iter().zip(second));
    let right = |label: &Polarity, verdict: &Verdict| f64::from(u8::from(verdict.called == *label));
    let hit = |(label, (a, b)): (&Polarity, (&Verdict, &Verdict))| right(label, b) - right(label, a);
    let hits: Vec<f64> = pairs().map(hit).collect();
    let losses: Vec<f64> = pairs().map(|(label, (a, b))| b.log_loss(*label) - a.log_loss(*label)).collect();
    let (only_first, only_second) = discordant(labels, first, second);
    let accuracy = dependence.mean(&hits);
    Difference {
        balanced_accuracy: of_classes(labels, &hits, dependence),
        roc_area: areas(labels, first, second, dependence),
        log_loss: dependence.mean(&losses),
        only_first,
        only_second,
        p: match dependence.spread(&moves(&hits)) {
            Some(spread) => chance(accuracy.value.unwrap_or_default(), spread.variance, spread.freedom),
            None => mcnemar(only_first, only_second),
        },
        accuracy,
    }
}

/// The mean over classes of the means of these values.
fn of_classes(labels: &[Polarity], values: &[f64], dependence: &Dependence) -> Figure {
    let rows = |class: Polarity| -> Vec<u32> {
        (0..labels.len() as u32).filter(|row| labels[*row as usize] == class).collect()
    };
    let classes: Vec<Vec<u32>> = Polarity::ALL.into_iter().map(rows).filter(|own| !own.is_empty()).collect();
    let count = classes.len() as f64;
    let (mut value, mut independent, mut moves) = (0.0, 0.0, Vec::new());
    for rows in &classes {
        let own: Vec<f64> = rows.iter().map(|row| values[*row as usize]).collect();
        let (mean, error) = mean_and_error(&own);
        (value, independent) = (value + mean / count, independent + (error / count).powi(2));
        moves.extend(rows.iter().zip(&own).map(|(row, one)| (*row, (one - mean) / own.len() as f64 / count)));
    }
    within_spread((value, labels.len()), independent, dependence.spread(&moves))
}

/// The area of the second less that of the first. How much a review moves the difference is the difference of its moves.
fn areas(labels: &[Polarity], first: &[Verdict], second: &[Verdict], dependence: &Dependence) -> Figure {
    let ranked = |verdicts: &[Verdict]| {
        Ranked::new(labels, &verdicts.iter().map(|verdict| verdict.log_odds).collect::<Vec<_>>())
    };
    let (Some(first), Some(second)) = (ranked(first), ranked(second)) else {
        return Figure::undefined(labels.len());
    };
    let moves: Vec<(u32, f64)> =
        first.moves.iter().zip(&second.moves).map(|((row, a), (_, b))| (*row, b - a)).collect();
    let independent = Polarity::POLES.iter().map(|class| {
        let own = moves.iter().filter(|(row, _)| labels[*row as usize] == *class);
        let (n, square) = own.fold((0.0, 0.0), |(n, square), (_, one)| (n + 1.0, square + one * one));
        square * n / (n - 1.0)
    });
    let independent = independent.sum();
    within_spread((second.area - first.area, labels.len()), independent, dependence.spread(&moves))
}

/// A figure with the interval of its spread, or of this variance where reviews are independent.
fn within_spread((value, n): (f64, usize), independent: f64, spread: Option<Spread>) -> Figure {
    let half = match spread {
        Some(spread) => spread.half(),
        None => normal_quantile() * independent.sqrt(),
    };
    Figure::new(value, value - half, value + half, n)
}

/// Reviews that only the first, and that only the second calls by their class.
fn discordant(labels: &[Polarity], first: &[Verdict], second: &[Verdict]) -> (usize, usize) {
    let (mut only_first, mut only_second) = (0, 0);
    for (label, (a, b)) in labels.iter().zip(first.iter().zip(second)) {
        match (a.called == *label, b.called == *label) {
            (true, false) => only_first += 1,
            (false, true) => only_second += 1,
            _ => {}
        }
    }
    (only_first, only_second)
}

/// The chance of at most the smaller count among fair coins, doubled: McNemar (1947), DOI 10.1007/BF02295996.
pub(crate) fn mcnemar(a: usize, b: usize) -> f64 {
    let Ok(coins) = Binomial::new(0.5, (a + b) as u64) else { return 1.0 };
    if a == b { 1.0 } else { (2.0 * coins.cdf(a.min(b) as u64)).min(1.0) }
}
