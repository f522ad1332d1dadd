//! What more data would bring: learning on shares of the training rows.

use serde::Serialize;

use super::cross::{Judged, Path, Validation, held_for_training, hold_out_all};
use super::splitting::{FoldSplit, ValidateError};
use crate::measure::figures::Figures;
use crate::measure::interval::{Figure, mean};
use crate::resample::folds::Sample;
use crate::settings::study::Study;
use crate::terms::count::Counted;

/// The shares of the training rows that are learnt from, the whole apart.
pub const SHARES: [f64; 3] = [0.125, 0.25, 0.5];

/// How figures grow with the training rows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LearningCurve {
    /// From few reviews to all.
    pub points: Vec<Point>,
    /// The accuracy that the last doubling brought, paired by review.
    pub last_doubling: Figure,
    /// The accuracy that the next doubling may bring: the last one's, shrunk as it shrank against
    /// the one before. A guess, with the interval of the last one shrunk alike.
    pub next_doubling: Figure,
}

/// One size of the training part.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Point {
    /// The share of the training rows.
    pub share: f64,
    /// The mean number of training reviews.
    pub reviews: usize,
    /// Accuracy on the held-out reviews.
    pub accuracy: Figure,
    /// Log loss on them.
    pub log_loss: Figure,
}

/// Learns on an eighth, a quarter and a half of each training part of the first round; smaller
/// shares are parts of larger ones, and all are judged on the same held-out reviews as
/// `whole`.
///
/// # Errors
/// If a share is too small to learn from.
pub fn learning_curve(
    counted: &Counted,
    sample: &Sample,
    study: &Study,
    Judged { validation: whole, splits: parts }: Judged<'_>,
    done: impl Fn() + Sync,
) -> Result<LearningCurve, ValidateError> {
    let mut points = Vec::new();
    let mut right: Vec<Vec<f64>> = Vec::new();
    let mut add = |share: f64, parts: &[FoldSplit], held: &[Option<super::cross::HeldOut>]| {
        let (labels, verdicts) = super::cross::judged(sample, held);
        let hits = labels.iter().zip(&verdicts).map(|(label, own)| f64::from(u8::from(own.called == *label)));
        right.push(hits.collect());
        let reviews = parts.iter().map(|part| part.training.len()).sum::<usize>() / parts.len();
        let dependence = super::cross::dependence(sample, held, held_for_training(parts));
        let Figures { accuracy, log_loss, .. } = Figures::under(&labels, &verdicts, &dependence);
        points.push(Point { share, reviews, accuracy, log_loss });
    };
    let first: Vec<FoldSplit> = parts.iter().filter(|part| part.round == 0).cloned().collect();
    for share in SHARES {
        let smaller: Vec<FoldSplit> =
            first.iter().map(|part| part.with_share(sample, share, study.validation.seed)).collect();
        let outcomes = hold_out_all(
            counted,
            sample,
            Path { study, strengths: &[study.model.strength] },
            &smaller,
            &done,
        )?
        .remove(0);
        let found = Validation::of(sample, &smaller, outcomes);
        add(share, &smaller, &found.held_out[0]);
    }
    add(1.0, &first, &whole.held_out[0]);
    let gain = |from: usize, to: usize| {
        let differences: Vec<f64> = right[to].iter().zip(&right[from]).map(|(b, a)| b - a).collect();
        mean(&differences)
    };
    let (before, last) = (gain(1, 2), gain(2, 3));
    let shrink = match (before.value, last.value) {
        (Some(before), Some(last)) if before > 0.0 && last > 0.0 => (last / before).min(1.0),
        _ => 1.0,
    };
    let shrunk = |value: Option<f64>| value.map(|value| (value * shrink).max(0.0));
    let next_doubling =
        Figure { value: shrunk(last.value), low: shrunk(last.low), high: shrunk(last.high), n: last.n };
    Ok(LearningCurve { points, last_doubling: last, next_doubling })
}
