//! Choosing the strength of the penalty by an inner cross-validation.

use rayon::prelude::*;

use super::inner_validation::InnerFit;
use super::learner::Stopping;
use crate::measure::interval::mean_and_error;

/// Strengths are powers of the square root of ten: step k is 10^(-k/2).
const STRONGEST_STEP: i32 = -2;
const WEAKEST_STEP: i32 = 16;
/// The search begins where the penalty weighs like the loss of this many reviews: reviews in plenty ask
/// for weaker ones, and few or noisy reviews for stronger ones.
const BEGINS_AT: f64 = 2.5;
/// The search ends where the penalty weighs like the loss of this share of a review: beyond, it
/// only tells how far reviews are pulled apart that are told apart already, at a cost in rounds
/// that has no end. Where rows are made of one another's parts, held-out loss falls all the way.
const ENDS_AT: f64 = 0.01;
/// The gap that a round's own sums must show, about three times the exact one: enough to
/// rank strengths; the final fit has a tolerance of its own.
const TOLERANCE: f64 = 3e-2;
/// The gap that is enough where the loss falls clearly from one step to the next.
const ROUGH: f64 = 0.3;
/// A clear fall, as a share of the loss: it shrinks by half or so from step to step, so the next step will
/// still be better than this one by far more than noise.
const CLEAR: f64 = 0.15;
const ROUNDS: u32 = 200;

/// One step of the path.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct TriedLambda {
    /// lambda.
    pub strength: f64,
    /// Held-out loss of the learner per review, rows counted by their costs; for logistic
    /// regression the log loss, in nats.
    pub loss: f64,
    /// Mean difference of loss to the best step, paired by review, and its standard error.
    pub behind: f64,
    /// The standard error of `behind`.
    pub error: f64,
}

/// What was tried and chosen.
#[derive(Debug, Clone, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct LambdaChoice {
    /// The chosen lambda.
    pub strength: f64,
    /// Every step tried, from strong to weak.
    pub trials: Vec<TriedLambda>,
}

/// Searches the strength on inner folds, and chooses the strongest whose held-out loss is within one standard
/// error of the best, paired by review (the one-standard-error rule of Breiman et al.
/// (1984), "Classification and regression trees", section 3.4.3, applied to paired
/// differences).
///
/// The held-out loss falls and then rises along the path: the search goes from its first
/// step to weaker ones until the loss rises or the penalty has next to no weight, and to stronger
/// ones if it rose at once. Each step starts from the weights of the one before, and is followed only
/// roughly while the loss falls clearly.
pub(crate) fn choose(
    fits: &mut [InnerFit<'_>],
    reviews: usize,
    held_out: usize,
    tolerance: f64,
) -> LambdaChoice {
    let first = first_step(reviews);
    if held_out < 2 {
        // Too few reviews, or all tied together: nothing can be held out.
        return LambdaChoice { strength: strength_of(first), trials: Vec::new() };
    }
    let mut approach = |strength: f64, gap: f64| {
        let stopping = Stopping { tolerance: tolerance.max(gap), rounds: ROUNDS };
        let held: Vec<Vec<f64>> = fits.par_iter_mut().map(|fit| fit.losses(strength, stopping)).collect();
        Step { strength, losses: held.concat() }
    };
    let mut before = 0.0;
    settle(&search(first, last_step(reviews), |step| {
        let mut tried = approach(strength_of(step), ROUGH);
        if tried.total() > before * (1.0 - CLEAR) {
            tried = approach(strength_of(step), TOLERANCE);
        }
        before = tried.total();
        tried
    }))
}

/// Tries the first step and weaker ones until the loss rises; if it rose at once, stronger
/// ones until it rises again. Gives the path from strong to weak.
fn search(first: i32, last: i32, mut try_step: impl FnMut(i32) -> Step) -> Vec<Step> {
    let mut path = vec![try_step(first)];
    // Where a lasso leaves no weight at all, weaker steps change nothing at first: only a loss
    // that rises ends the way.
    let mut follow = |path: &mut Vec<Step>, steps: &mut dyn Iterator<Item = i32>| {
        for step in steps {
            path.push(try_step(step));
            if path[path.len() - 1].total() > path[path.len() - 2].total() {
                break;
            }
        }
    };
    follow(&mut path, &mut (first + 1..=last));
    let rose_at_once = path.len() == 2;
    path.reverse();
    if rose_at_once {
        follow(&mut path, &mut (STRONGEST_STEP..first).rev());
    }
    path.sort_by(|a, b| b.strength.total_cmp(&a.strength));
    path
}

fn strength_of(step: i32) -> f64 {
    10f64.powf(-f64::from(step) / 2.0)
}

/// The half-decade at which lambda times the reviews is nearest above [`BEGINS_AT`].
fn first_step(reviews: usize) -> i32 {
    let strength = BEGINS_AT / reviews as f64;
    ((-2.0 * strength.log10()).floor() as i32).clamp(STRONGEST_STEP, WEAKEST_STEP - 1)
}

/// The weakest half-decade at which lambda times the reviews is not below [`ENDS_AT`].
fn last_step(reviews: usize) -> i32 {
    let strength = ENDS_AT / reviews as f64;
    ((-2.0 * strength.log10()).floor() as i32).clamp(first_step(reviews) + 1, WEAKEST_STEP)
}

/// A step that was tried: the cost-weighted loss of each held-out row.
struct Step {
    strength: f64,
    losses: Vec<f64>,
}

impl Step {
    fn total(&self) -> f64 {
        self.losses.iter().sum()
    }
}

/// Chooses from a path that runs from strong to weak.
fn settle(path: &[Step]) -> LambdaChoice {
    let best = (0..path.len()).min_by(|a, b| path[*a].total().total_cmp(&path[*b].total())).unwrap_or(0);
    let trials: Vec<TriedLambda> = path
        .iter()
        .map(|tried| {
            let pairs = tried.losses.iter().zip(&path[best].losses);
            let (behind, error) = mean_and_error(&pairs.map(|(a, b)| a - b).collect::<Vec<f64>>());
            TriedLambda { strength: tried.strength, loss: mean_and_error(&tried.losses).0, behind, error }
        })
        .collect();
    let chosen = trials.iter().find(|trial| trial.behind <= trial.error).unwrap_or(&trials[best]);
    LambdaChoice { strength: chosen.strength, trials }
}
