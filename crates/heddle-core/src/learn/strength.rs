//! Choosing the strength of the penalty by an inner cross-validation.

use rayon::prelude::*;

use super::logistic::{Logistic, Stopping};
use super::objective::Problem;
use crate::measure::interval::mean_and_error;
use crate::measure::odds::loss;
use crate::resample::folds::{Sample, folds, without};
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::weigh::Weighted;

/// The number of inner folds: an even number keeps two cores busy to the end.
pub const INNER_FOLDS: usize = 4;
/// The path: strengths that fall by half a power of ten.
const STRONGEST: f64 = 1e-2;
const STEPS: i32 = 11;
/// Enough to rank strengths; the final fit has a tolerance of its own.
const TOLERANCE: f64 = 1e-2;
const ROUNDS: u32 = 200;

/// One step of the path.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Trial {
    /// lambda.
    pub strength: f64,
    /// Held-out log loss, in nats per review, rows counted by their costs.
    pub loss: f64,
    /// Mean difference of loss to the best step, paired by review, and its standard error.
    pub behind: f64,
    /// The standard error of `behind`.
    pub error: f64,
}

/// What was tried and chosen.
#[derive(Debug, Clone, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Choice {
    /// The chosen lambda.
    pub strength: f64,
    /// Every step tried, from strong to weak.
    pub trials: Vec<Trial>,
}

/// A learner on one inner fold.
struct Bench<'a> {
    learner: Logistic<'a>,
    held: &'a [u32],
    sample: &'a Sample,
    costs: [f64; 2],
}

impl Bench<'_> {
    /// The cost-weighted loss of each held-out row.
    fn held_out_losses(&mut self, lambda: f64, stopping: Stopping) -> Vec<f64> {
        self.learner.approach(lambda, stopping);
        let loss_of = |&row: &u32| {
            let label = self.sample.labels[row as usize];
            self.costs[label.index()] * loss(label.sign() * self.learner.log_odds(row as usize))
        };
        self.held.iter().map(loss_of).collect()
    }
}

/// Follows a path of falling strengths on inner folds of `rows`, each fold with its own
/// vocabulary and document factors, and chooses the strongest whose held-out loss is
/// within one standard error of the best, paired by review (the one-standard-error rule
/// of Breiman et al. (1984), "Classification and regression trees", section 3.4.3,
/// applied to paired differences).
pub(crate) fn choose(
    counted: &Counted,
    sample: &Sample,
    rows: &[u32],
    costs: [f64; 2],
    tolerance: f64,
    seed: u64,
) -> Choice {
    let parts = folds(sample, rows, INNER_FOLDS, seed ^ 0x5eed);
    let training: Vec<Vec<u32>> = parts.iter().map(|held| without(rows, held)).collect();
    let weighted: Vec<Weighted> = training
        .par_iter()
        .map(|own| {
            let selection = Selection::new(counted, own);
            Weighted::new(&counted.rows, selection.document_factors, counted.rules.weighting)
        })
        .collect();
    let mut benches: Vec<Bench> = parts
        .iter()
        .zip(&training)
        .zip(&weighted)
        .filter(|((held, own), _)| !held.is_empty() && !own.is_empty())
        .map(|((held, own), features)| {
            let problem = Problem { features, labels: &sample.labels, rows: own, costs };
            Bench { learner: Logistic::new(problem, seed), held, sample, costs }
        })
        .collect();
    let stopping = Stopping { tolerance: tolerance.max(TOLERANCE), rounds: ROUNDS };
    let mut losses: Vec<(f64, Vec<f64>)> = Vec::new();
    let mut best = 0;
    for step in 0..STEPS {
        let strength = STRONGEST * 10f64.powf(-f64::from(step) / 2.0);
        let held: Vec<Vec<f64>> =
            benches.par_iter_mut().map(|bench| bench.held_out_losses(strength, stopping)).collect();
        losses.push((strength, held.concat()));
        let total = |at: usize| losses[at].1.iter().sum::<f64>();
        if total(losses.len() - 1) < total(best) {
            best = losses.len() - 1;
        }
        // The loss falls and then rises along the path, and the weakest steps are the slowest.
        if best < losses.len() - 1 {
            break;
        }
    }
    settle(&losses, best)
}

fn settle(losses: &[(f64, Vec<f64>)], best: usize) -> Choice {
    let trials: Vec<Trial> = losses
        .iter()
        .map(|(strength, own)| {
            let differences: Vec<f64> = own.iter().zip(&losses[best].1).map(|(a, b)| a - b).collect();
            let (behind, error) = mean_and_error(&differences);
            Trial { strength: *strength, loss: mean_and_error(own).0, behind, error }
        })
        .collect();
    let chosen = trials.iter().find(|trial| trial.behind <= trial.error).unwrap_or(&trials[best]);
    Choice { strength: chosen.strength, trials }
}
