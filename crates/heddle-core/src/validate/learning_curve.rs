//! What more data would bring: learning on shares of the training rows.

use serde::Serialize;

use super::cross::{HeldOut, Judged, Path, Validation, dependence, held_for_training, hold_out_all, judged};
use super::splitting::{FoldSplit, ValidateError};
use crate::measure::dependence::Dependence;
use crate::measure::figures::Figures;
use crate::measure::interval::Figure;
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
    /// The accuracy that the next doubling may bring.
    pub next_doubling: Figure,
    /// The log loss that it may take away, in nats.
    pub next_doubling_log_loss: Figure,
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
    let (mut wrong, mut losses): (Vec<Vec<f64>>, Vec<Vec<f64>>) = (Vec::new(), Vec::new());
    let mut add = |share: f64, parts: &[FoldSplit], held: &[Option<HeldOut>], dependence: &Dependence| {
        let (labels, verdicts) = judged(sample, held);
        let pairs = || labels.iter().zip(&verdicts);
        wrong.push(pairs().map(|(label, own)| f64::from(u8::from(own.called != *label))).collect());
        losses.push(pairs().map(|(label, own)| own.log_loss(*label)).collect());
        let reviews = parts.iter().map(|part| part.training.len()).sum::<usize>() / parts.len();
        let Figures { accuracy, log_loss, .. } = Figures::under(&labels, &verdicts, dependence);
        points.push(Point { share, reviews, accuracy, log_loss });
    };
    let first: Vec<FoldSplit> = parts.iter().filter(|part| part.round == 0).cloned().collect();
    let dependence = dependence(sample, &whole.held_out[0], held_for_training(&first));
    for share in SHARES {
        let smaller: Vec<FoldSplit> =
            first.iter().map(|part| part.with_share(sample, share, study.validation.seed)).collect();
        let path = Path { study, strengths: &[study.model.strength] };
        let outcomes = hold_out_all(counted, sample, path, &smaller, &done)?.remove(0);
        let found = Validation::of(sample, &smaller, outcomes);
        add(share, &smaller, &found.held_out[0], &dependence);
    }
    add(1.0, &first, &whole.held_out[0], &dependence);
    let gains: Vec<f64> = wrong[2].iter().zip(&wrong[3]).map(|(before, now)| before - now).collect();
    let reviews: Vec<f64> = points.iter().map(|point| point.reviews as f64).collect();
    Ok(LearningCurve {
        last_doubling: dependence.mean(&gains),
        next_doubling: next_doubling(&reviews, &wrong, &dependence),
        next_doubling_log_loss: next_doubling(&reviews, &losses, &dependence),
        points,
    })
}

/// How many standard errors of the law stand for one of the forecast. What the next reviews bring varies by itself, as
/// the models of these and of those reviews differ from others of as many; in simulations by 1.4 to 1.9 standard errors
/// of the law, which the reviews at hand cannot tell: models of folds learn from nearly the same reviews.
const BY_ITSELF: f64 = 2.0;

/// What twice the reviews take away from an error, by the law that is fitted to what fewer reviews gave: error = a x
/// reviews^-c, a straight line of logarithms (Cortes, Jackel, Solla, Vapnik and Denker (1993), "Learning curves:
/// asymptotic values and rate of convergence", NIPS; without their asymptote, which four points cannot tell). All
/// sizes are judged on the same reviews, so the interval follows how much each of these moves the forecast through
/// the errors of all sizes. Undefined where a size makes no error.
///
/// `errors` holds by size what each review adds to the mean error.
fn next_doubling(reviews: &[f64], errors: &[Vec<f64>], dependence: &Dependence) -> Figure {
    let n = errors[0].len();
    let means: Vec<f64> = errors.iter().map(|own| own.iter().sum::<f64>() / n as f64).collect();
    if means.iter().any(|mean| *mean <= 0.0) {
        return Figure::undefined(n);
    }
    let logs: Vec<f64> = reviews.iter().map(|reviews| reviews.ln()).collect();
    let middle = logs.iter().sum::<f64>() / logs.len() as f64;
    let square: f64 = logs.iter().map(|log| (log - middle).powi(2)).sum();
    let weights: Vec<f64> = logs.iter().map(|log| (log - middle) / square).collect();
    let c = -weights.iter().zip(&means).map(|(weight, mean)| weight * mean.ln()).sum::<f64>();
    let level = means.iter().map(|mean| mean.ln()).sum::<f64>() / means.len() as f64;
    let last = logs[logs.len() - 1] - middle;
    // The error at all reviews by the law, and what of it is left at twice as many.
    let (error, left) = ((level - c * last).exp(), 0.5f64.powf(c));
    let gain = error * (1.0 - left);
    let of_size = |size: usize| {
        let (c_moves, level_moves) = (-weights[size], 1.0 / means.len() as f64);
        let by_log = gain * (level_moves - last * c_moves) + error * left * std::f64::consts::LN_2 * c_moves;
        by_log / means[size] / n as f64
    };
    let moves = |row: usize| -> f64 {
        let by_law = (0..errors.len()).map(|size| of_size(size) * (errors[size][row] - means[size]));
        BY_ITSELF * by_law.sum::<f64>()
    };
    let moves: Vec<(u32, f64)> = (0..n).map(|row| (row as u32, moves(row))).collect();
    dependence.figure(gain, n, &moves, 1)
}
