//! Two ways to judge, on the same reviews.

use serde::Serialize;
use statrs::distribution::{Binomial, DiscreteCDF};

use super::cross::Validation;
use super::result::Measure;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::measure::interval::{Figure, mean};
use crate::measure::verdict::Verdict;
use crate::resample::folds::Sample;

/// How much a second way differs from a first one.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Difference {
    /// Accuracy of the second less that of the first.
    pub accuracy: Figure,
    /// The mean of the recalls, likewise.
    pub balanced_accuracy: Figure,
    /// Log loss, likewise: below 0 the second is better.
    pub log_loss: Figure,
    /// Reviews that only the first calls by their class.
    pub only_first: usize,
    /// Reviews that only the second calls by their class.
    pub only_second: usize,
    /// The chance of a split of these as uneven or more, if both ways were equally often right:
    /// McNemar's exact test.
    pub mcnemar: f64,
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
/// Intervals are those of [`CrossValidationResult::to`](super::result::CrossValidationResult::to). Reviews right in only one are counted in the first
/// round: McNemar (1947), DOI 10.1007/BF02295996.
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
    Difference {
        accuracy: a.to(&b, Measure::Accuracy),
        balanced_accuracy: a.to(&b, Measure::BalancedAccuracy),
        log_loss: a.to(&b, Measure::LogLoss),
        only_first,
        only_second,
        mcnemar: mcnemar(only_first, only_second),
    }
}

/// Holds the verdicts of a second finished model against those of a first one, on reviews that
/// neither has learnt from. Differences are paired by review, with t intervals; that of the
/// balanced accuracy weighs each class alike.
///
/// # Panics
/// If there is not one verdict of each per label.
pub fn compare_verdicts(labels: &[Polarity], first: &[Verdict], second: &[Verdict]) -> Difference {
    assert_eq!((labels.len(), labels.len()), (first.len(), second.len()), "one verdict per label");
    let pairs = || labels.iter().zip(first.iter().zip(second));
    let right = |label: &Polarity, verdict: &Verdict| f64::from(u8::from(verdict.called == *label));
    let hit = |(label, (a, b)): (&Polarity, (&Verdict, &Verdict))| right(label, b) - right(label, a);
    let hits: Vec<f64> = pairs().map(hit).collect();
    let losses: Vec<f64> = pairs().map(|(label, (a, b))| b.log_loss(*label) - a.log_loss(*label)).collect();
    let of_class =
        |class: Polarity| -> Vec<f64> { pairs().filter(|(label, _)| **label == class).map(hit).collect() };
    let classes: Vec<Vec<f64>> =
        Polarity::ALL.into_iter().map(of_class).filter(|own| !own.is_empty()).collect();
    let (only_first, only_second) = discordant(labels, first, second);
    Difference {
        accuracy: mean(&hits),
        balanced_accuracy: mean_of_means(&classes, labels.len()),
        log_loss: mean(&losses),
        only_first,
        only_second,
        mcnemar: mcnemar(only_first, only_second),
    }
}

fn mean_of_means(classes: &[Vec<f64>], n: usize) -> Figure {
    let parts: Vec<(f64, f64)> =
        classes.iter().map(|own| crate::measure::interval::mean_and_error(own)).collect();
    let count = parts.len() as f64;
    let value = parts.iter().map(|part| part.0).sum::<f64>() / count;
    let error = parts.iter().map(|part| part.1 * part.1).sum::<f64>().sqrt() / count;
    let half = crate::measure::interval::normal_quantile() * error;
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

/// The chance of at most the smaller count among fair coins, doubled.
pub(crate) fn mcnemar(a: usize, b: usize) -> f64 {
    let Ok(coins) = Binomial::new(0.5, (a + b) as u64) else { return 1.0 };
    if a == b { 1.0 } else { (2.0 * coins.cdf(a.min(b) as u64)).min(1.0) }
}
