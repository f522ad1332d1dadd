//! Ridge regression on a few columns beside the text, and no terms, by Newton's method.
//!
//! So few weights are found by a handful of steps, however weak the penalty is; a descent along examples, which all
//! have the same few columns, would take thousands of rounds. With g the gradient and H the second derivatives of the
//! objective,
//!
//! ```text
//! w <- w - s H^-1 g
//! ```
//!
//! where s is halved from 1 until the objective does not rise. The pulls a = -l' imply the weights w(a) = w - g/lambda, so
//! that the duality gap at any w is |g|^2 / (2 lambda), in the coordinates in which the penalty is |w|^2.
//!
//! Cost of a step: for each example the square of the number of its columns, and the cube of the number of all.
//! Requirements: lambda > 0, and a loss with a second derivative.

use super::cholesky::{half, solve};
use super::dense::FEW;
use super::learner::{Convergence, ExamplePull, Learner, Stop, Stopping};
use super::loss::Loss;
use super::objective::Problem;

/// A step is halved so often, and no further.
const HALVINGS: u32 = 40;

/// A learner that keeps its state, so that the next strength starts where this one ended.
#[derive(Debug, Clone)]
pub(crate) struct Newton<'a, L> {
    loss: L,
    problem: Problem<'a>,
    total: f64,
    /// By column: its mean over the rows that teach.
    means: Vec<f64>,
    /// By column, then by border the intercepts.
    weights: Vec<f64>,
}

/// Whether a problem has columns beside the text, but few, and no term that counts.
pub(super) fn is_for(problem: &Problem<'_>) -> bool {
    let features = problem.features;
    (1..=FEW).contains(&features.columns_beside())
        && features.document_factors.iter().all(|factor| *factor == 0.0)
}

/// What the objective is like at some weights.
struct Look {
    value: f64,
    gradient: Vec<f64>,
    /// The second derivatives: the lower half, row by row.
    curves: Vec<f64>,
    /// The duality gap.
    gap: f64,
}

impl<'a, L: Loss> Newton<'a, L> {
    /// A learner that knows nothing yet: all weights are zero.
    pub(crate) fn new(loss: L, problem: Problem<'a>) -> Self {
        let means = problem.means_beside();
        let weights = vec![0.0; means.len() + problem.question.borders()];
        Self { loss, total: problem.total_cost(), means, weights, problem }
    }

    /// The objective at some weights.
    fn look(&self, weights: &[f64], lambda: f64) -> Look {
        let columns = self.means.len();
        let (slopes, intercepts) = weights.split_at(columns);
        let mut gradient = vec![0.0; weights.len()];
        let mut curves = vec![0.0; half(weights.len())];
        let (mut value, mut row) = (0.0, Vec::new());
        for example in (0..self.problem.examples()).map(|at| self.problem.example(at)) {
            row.clear();
            row.extend(self.problem.features.beside(example.row));
            row.push((columns + example.border, 1.0));
            let score: f64 = row.iter().map(|(at, own)| weights[*at] * own).sum();
            let margin = example.sign * score;
            let cost = example.cost / self.total;
            let (pull, curve) = self.loss.bend(margin);
            value += cost * self.loss.value(margin);
            for (place, (at, own)) in row.iter().enumerate() {
                gradient[*at] -= example.sign * cost * pull * own;
                let part = cost * curve * own;
                row[..=place].iter().for_each(|(other, own)| curves[half(*at) + other] += part * own);
            }
        }
        // The penalty measures columns from their means: it is that of u, and of b + m.u for each intercept b.
        let mean: f64 = self.means.iter().zip(slopes).map(|(mean, weight)| mean * weight).sum();
        let measured: f64 = intercepts.iter().map(|own| own + mean).sum();
        let borders = intercepts.len() as f64;
        for (at, own) in slopes.iter().enumerate() {
            value += lambda / 2.0 * own * own;
            gradient[at] += lambda * (own + self.means[at] * measured);
            for other in 0..=at {
                curves[half(at) + other] += lambda * borders * self.means[at] * self.means[other];
            }
            curves[half(at) + at] += lambda;
        }
        for (border, own) in intercepts.iter().enumerate() {
            let at = columns + border;
            value += lambda / 2.0 * (own + mean).powi(2);
            gradient[at] += lambda * (own + mean);
            for (other, mean) in self.means.iter().enumerate() {
                curves[half(at) + other] += lambda * mean;
            }
            curves[half(at) + at] += lambda;
        }
        let of_intercepts = &gradient[columns..];
        let pulled: f64 = of_intercepts.iter().sum();
        let of_columns = gradient.iter().zip(&self.means).map(|(slope, mean)| slope - mean * pulled);
        let square: f64 = of_columns.chain(of_intercepts.iter().copied()).map(|slope| slope * slope).sum();
        Look { value, gap: square / (2.0 * lambda), gradient, curves }
    }
}

impl<L: Loss> Learner for Newton<'_, L> {
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        assert!(lambda > 0.0, "lambda must be above 0, got {lambda}");
        let mut here = self.look(&self.weights, lambda);
        let mut rounds = 1;
        loop {
            let gap = here.gap / here.value.abs().max(f64::MIN_POSITIVE);
            let ended = |stop| Convergence { stop, rounds, objective: here.value, gap: Some(gap) };
            if gap <= stopping.tolerance {
                return ended(Stop::Converged);
            }
            if rounds >= stopping.rounds || gap.is_nan() {
                return ended(Stop::Rounds);
            }
            let mut step = here.gradient.clone();
            solve(&mut here.curves, &mut step);
            let shortened = |halvings: u32| -> Option<(Vec<f64>, Look)> {
                let size = 0.5f64.powi(halvings as i32);
                let next: Vec<f64> =
                    self.weights.iter().zip(&step).map(|(own, by)| own - size * by).collect();
                let there = self.look(&next, lambda);
                (there.value <= here.value).then_some((next, there))
            };
            let Some((next, there)) = (0..=HALVINGS).find_map(shortened) else {
                return ended(Stop::Rounds);
            };
            (self.weights, here) = (next, there);
            rounds += 1;
        }
    }

    fn own_weights(&self) -> Vec<f64> {
        self.weights[..self.means.len()].to_vec()
    }

    fn start(&mut self, _: f64, _: &[ExamplePull], own: &[f64]) {
        if own.len() == self.means.len() {
            self.weights[..own.len()].copy_from_slice(own);
        }
    }

    fn loss(&self, margin: f64) -> f64 {
        self.loss.value(margin)
    }

    fn dot(&self, row: usize) -> f64 {
        self.problem.features.beside(row).map(|(column, value)| value * self.weights[column]).sum()
    }

    fn intercepts(&self) -> [f64; 2] {
        let own = &self.weights[self.means.len()..];
        self.problem.question.spread([own[0], own[own.len() - 1]])
    }

    fn weights(&self) -> Vec<f64> {
        let terms = vec![0.0; self.problem.features.document_factors.len()];
        [&terms, &self.weights[..self.means.len()]].concat()
    }
}
