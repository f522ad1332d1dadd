//! Choosing the strength of the penalty by an inner cross-validation.

use rayon::prelude::*;

use super::calibrate::calibrated_losses;
use super::inner_validation::{Held, InnerFit, MANY_ROWS};
use super::layout::Layout;
use super::learner::{ExamplePull, Stopping};
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
/// rank strengths and to calibrate; the final fit has a tolerance of its own.
const TOLERANCE: f64 = 3e-2;
/// The gap that is enough where the loss falls clearly from one step to the next.
const ROUGH: f64 = 0.3;
/// A clear fall, as a share of the loss: it shrinks by half or so from step to step, so the next step will
/// still be better than this one by far more than noise.
const CLEAR: f64 = 0.15;
/// A clear rise, likewise: what is followed only roughly has a loss that is up to 1.3 % too large. It is looked for
/// where reviews are many and time is to be won.
const RISEN: f64 = 0.02;
const ROUNDS: u32 = 200;

/// One step of the path.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct TriedLambda {
    /// lambda.
    pub strength: f64,
    /// Held-out loss per review, rows counted by their costs: where scores are calibrated, the log loss
    /// after that, in nats; else the loss of the learner, for logistic regression the same.
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

/// What the inner folds know at a strength.
#[derive(Debug, Default)]
pub(crate) struct Known {
    /// The scores of what they hold out.
    pub(crate) held: Vec<Held>,
    /// How hard their examples pull.
    pub(crate) pulls: Vec<ExamplePull>,
    /// The mean of their weights that are no sum of pulls; none where folds know other columns.
    pub(crate) own: Vec<f64>,
}

/// Searches the strength on inner folds, and chooses the one of least held-out loss. (To prefer a stronger
/// one that is as good within noise cost accuracy where reviews are many and won nothing where they are few:
/// calibration undoes what too weak a penalty does to probabilities.)
///
/// The held-out loss falls and then rises along the path: the search goes from its first
/// step to weaker ones until the loss rises or the penalty has next to no weight, and to stronger
/// ones if it rose at once. Each step starts from the weights of the one before, and is followed only
/// roughly where the loss falls or rises clearly.
///
/// Where scores will be calibrated, the loss is the log loss after that: the scale of the scores plays no
/// role then, and a learner whose margins say nothing of probabilities is judged by what they become.
pub(crate) fn choose(fits: &mut [InnerFit<'_>], asked: Asked) -> (LambdaChoice, Known) {
    let first = first_step(asked.reviews);
    if asked.held_out < 2 {
        // Too few reviews, or all tied together: nothing can be held out.
        return (LambdaChoice { strength: strength_of(first), trials: Vec::new() }, Known::default());
    }
    let mut path = search(first, last_step(asked.reviews), |step, before| {
        asked.followed(fits, strength_of(step), before)
    });
    let best = (0..path.len()).min_by(|a, b| path[*a].total().total_cmp(&path[*b].total())).unwrap_or(0);
    if path[best].rough {
        path[best] = asked.step(fits, path[best].strength, TOLERANCE);
    }
    let choice = LambdaChoice { strength: path[best].strength, trials: trials(&path, best) };
    (choice, path.swap_remove(best).known)
}

/// What a strength is chosen for.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Asked {
    /// The training rows.
    pub(crate) reviews: usize,
    /// Those that inner folds can hold out.
    pub(crate) held_out: usize,
    /// The gap of the last fit; none of the search is narrower.
    pub(crate) tolerance: f64,
    /// How the classes are told apart, where scores will be calibrated.
    pub(crate) calibrated: Option<Layout>,
}

impl Asked {
    /// Follows the path to a strength, given the loss at the step beside it: only roughly if the loss has
    /// fallen clearly by then, because the next step will be better still, or has clearly risen.
    fn followed(&self, fits: &mut [InnerFit<'_>], strength: f64, before: Option<f64>) -> Step {
        if let Some(before) = before {
            let rough = self.step(fits, strength, ROUGH);
            let change = rough.total() / before - 1.0;
            if change < -CLEAR || change > RISEN && self.reviews >= MANY_ROWS {
                return rough;
            }
        }
        self.step(fits, strength, TOLERANCE)
    }

    fn step(&self, fits: &mut [InnerFit<'_>], strength: f64, gap: f64) -> Step {
        let known = self.learnt(fits, strength, gap);
        let losses = match (self.calibrated, &*fits) {
            (Some(layout), _) => calibrated_losses(&known.held, layout),
            // All fits have the same loss.
            (None, [fit, ..]) => known.held.iter().map(|held| fit.own_loss(held)).collect(),
            (None, []) => Vec::new(),
        };
        Step { strength, losses, known, rough: gap > TOLERANCE }
    }

    /// What the inner folds know at a set strength, learnt as far as calibration needs.
    pub(crate) fn known(&self, fits: &mut [InnerFit<'_>], strength: f64) -> Known {
        self.learnt(fits, strength, TOLERANCE)
    }

    fn learnt(&self, fits: &mut [InnerFit<'_>], strength: f64, gap: f64) -> Known {
        let stopping = Stopping { tolerance: self.tolerance.max(gap), rounds: ROUNDS };
        let of_fit = |fit: &mut InnerFit<'_>| {
            let held = fit.held_out(strength, stopping);
            (held, (fit.pulls().collect(), fit.own_weights().collect()))
        };
        let (held, (pulls, own)): (Vec<_>, (Vec<Vec<_>>, Vec<Vec<_>>)) =
            fits.par_iter_mut().map(of_fit).unzip();
        Known { held: held.concat(), pulls: pulls.concat(), own: mean_of(&own.concat()) }
    }
}

/// The mean of several lists of weights; none if their lengths differ.
fn mean_of(lists: &[Vec<f64>]) -> Vec<f64> {
    let Some(first) = lists.first().filter(|first| lists.iter().all(|own| own.len() == first.len())) else {
        return Vec::new();
    };
    let mean = |at: usize| lists.iter().map(|own| own[at]).sum::<f64>() / lists.len() as f64;
    (0..first.len()).map(mean).collect()
}

/// A step that was tried: the cost-weighted loss of each held-out row.
struct Step {
    strength: f64,
    losses: Vec<f64>,
    known: Known,
    rough: bool,
}

impl Step {
    fn total(&self) -> f64 {
        self.losses.iter().sum()
    }
}

/// Tries the first step and weaker ones until the loss rises; if it rose at once, stronger
/// ones until it rises again. A step is tried with the loss of the one beside it. Gives the path from strong
/// to weak.
fn search(first: i32, last: i32, mut try_step: impl FnMut(i32, Option<f64>) -> Step) -> Vec<Step> {
    let mut path = vec![try_step(first, None)];
    // Where a lasso leaves no weight at all, weaker steps change nothing at first: only a loss
    // that rises ends the way.
    let mut follow = |path: &mut Vec<Step>, steps: &mut dyn Iterator<Item = i32>| {
        for step in steps {
            let before = path[path.len() - 1].total();
            path.push(try_step(step, Some(before)));
            if path[path.len() - 1].total() > before {
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

/// How the steps of a path compare with the best.
fn trials(path: &[Step], best: usize) -> Vec<TriedLambda> {
    let trial = |tried: &Step| {
        let pairs = tried.losses.iter().zip(&path[best].losses);
        let (behind, error) = mean_and_error(&pairs.map(|(a, b)| a - b).collect::<Vec<f64>>());
        TriedLambda { strength: tried.strength, loss: mean_and_error(&tried.losses).0, behind, error }
    };
    path.iter().map(trial).collect()
}
