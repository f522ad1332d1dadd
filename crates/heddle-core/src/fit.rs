//! What a set of training rows teaches.

use crate::learn::logistic::{Convergence, Logistic, Stopping};
use crate::learn::objective::Problem;
use crate::learn::strength::{self, Choice};
use crate::resample::folds::Sample;
use crate::study::{Strength, Study};
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::weigh::Weighted;

/// The largest number of rounds of a fit.
const ROUNDS: u32 = 1000;

/// What was learnt from a set of rows: the terms they keep, and their weights.
#[derive(Debug, Clone)]
pub struct Fit {
    /// The terms that the training rows keep.
    pub selection: Selection,
    /// By term: its weight, in log-odds per unit of the term's value; 0 if it is left out.
    pub weights: Vec<f64>,
    /// The log-odds of a review without known terms.
    pub base: f64,
    /// The training reviews of each class.
    pub mix: [usize; 2],
    /// lambda.
    pub strength: f64,
    /// How lambda was chosen, where it was.
    pub choice: Option<Choice>,
    /// How far the learner came.
    pub convergence: Convergence,
}

/// Why nothing can be learnt from a set of rows.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FitError {
    /// A class is missing.
    #[error("there are {} negative and {} positive reviews to learn from: both classes are needed", mix[0], mix[1])]
    OneClass {
        /// The rows of each class.
        mix: [usize; 2],
    },
    /// There are neutral reviews.
    #[error("{count} of the reviews are neutral, and a model tells negative from positive")]
    Neutral {
        /// How many.
        count: usize,
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
}

/// Learns from `rows` (ascending): selects terms, chooses the strength if the study leaves
/// it open, and fits the weights. Nothing outside `rows` plays a role.
///
/// # Errors
/// If a class is absent or no term is kept.
pub fn fit(counted: &Counted, sample: &Sample, rows: &[u32], study: &Study) -> Result<Fit, FitError> {
    let [negative, positive, neutral] = sample.mix(rows);
    let mix = [negative, positive];
    if neutral > 0 {
        return Err(FitError::Neutral { count: neutral });
    }
    if mix.contains(&0) {
        return Err(FitError::OneClass { mix });
    }
    let selection = Selection::new(counted, &sample.labels, rows);
    if selection.is_empty() {
        return Err(FitError::NoTerms { counted: counted.vocabulary.len(), reviews: rows.len() });
    }
    let (balance, seed) = (&study.balance, study.validation.seed);
    let choice = match study.model.strength {
        Strength::Fixed(_) => None,
        Strength::Auto => Some(strength::choose(counted, sample, rows, balance, study.model.tolerance, seed)),
    };
    let lambda = match (study.model.strength, &choice) {
        (Strength::Fixed(lambda), _) => lambda,
        (Strength::Auto, Some(choice)) => choice.strength,
        (Strength::Auto, None) => unreachable!("an open strength was just chosen"),
    };
    let weighting = counted.rules.weighting;
    let features =
        Weighted::new(&counted.rows, selection.document_factors.clone(), weighting, selection.pivot);
    // Terms, counts and factors are those of all training rows; balancing changes only what
    // the learner makes of them.
    let seen = balance.rows(sample, rows, seed);
    let costs = balance.costs(mix);
    let problem = Problem { features: &features, labels: &sample.labels, rows: &seen, costs };
    let mut learner = Logistic::new(problem, seed);
    let stopping = Stopping { tolerance: study.model.tolerance, rounds: ROUNDS };
    let convergence = learner.solve(lambda, stopping);
    let (weights, base) = (learner.weights(), learner.base() + balance.correction(mix));
    Ok(Fit { selection, weights, base, mix, strength: lambda, choice, convergence })
}

impl Fit {
    /// The log-odds of rows of the matrix, whether they taught or not.
    pub fn log_odds(&self, counted: &Counted, rows: &[u32]) -> Vec<f64> {
        let weighting = counted.rules.weighting;
        let factors = &self.selection.document_factors;
        let one = |&row: &u32| {
            let entries = counted.rows.row(row as usize);
            let scale = weighting.row_factor(entries, factors, self.selection.pivot);
            let term = |column: usize, value: f32| f64::from(value) * factors[column] * self.weights[column];
            let dot: f64 = entries.iter().map(|entry| term(entry.column as usize, entry.value)).sum();
            self.base + dot * scale
        };
        rows.iter().map(one).collect()
    }
}
