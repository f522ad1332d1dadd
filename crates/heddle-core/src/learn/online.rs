//! Logistic regression, one review after the other.
//!
//! Each review moves the weights of its own terms once; a term's step shrinks with what it was
//! moved before, so that rare terms still learn when frequent ones are settled: Duchi, Hazan and
//! Singer (2011), "Adaptive subgradient methods for online learning and stochastic
//! optimization", JMLR 12, <https://www.jmlr.org/papers/v12/duchi11a.html>. There is no penalty:
//! few epochs keep weights small.
//!
//! Reviews come in a new random order in each epoch. Cost of an epoch: twice the entries of the
//! training rows; memory beside them: two numbers a term.

use super::learner::{Convergence, Learner, Stop, Stopping};
use super::objective::{Example, Problem};
use crate::measure::odds::{loss, sigmoid};
use crate::resample::random::Random;

/// The size of a first step.
const STEP: f64 = 0.5;
/// Added to the squares of former steps, so that a first one is finite.
const BEFORE: f64 = 1e-6;

/// The learner.
#[derive(Debug, Clone)]
pub struct Online<'a> {
    problem: Problem<'a>,
    epochs: u32,
    weights: Vec<f64>,
    squares: Vec<f64>,
    intercepts: [f64; 2],
    base_squares: [f64; 2],
    draw: Random,
    solved: Option<Convergence>,
}

impl<'a> Online<'a> {
    /// A learner that knows nothing yet.
    ///
    /// # Panics
    /// If there are no training rows.
    pub fn new(problem: Problem<'a>, epochs: u32, seed: u64) -> Self {
        assert!(!problem.rows.is_empty(), "no rows to learn from");
        let columns = problem.features.columns();
        Self {
            epochs,
            weights: vec![0.0; columns],
            squares: vec![BEFORE; columns],
            intercepts: [0.0; 2],
            base_squares: [BEFORE; 2],
            draw: Random::new(seed),
            solved: None,
            problem,
        }
    }

    /// Learns from one example; its loss before.
    fn learn(&mut self, Example { row, border, sign, .. }: Example, cost: f64) -> f64 {
        let margin = sign * (self.dot(row) + self.intercepts[border]);
        let slope = -sign * cost * sigmoid(-margin);
        let features = self.problem.features;
        for (column, value) in features.entries(row) {
            let part = slope * value;
            if part != 0.0 {
                self.squares[column] += part * part;
                self.weights[column] -= STEP * part / self.squares[column].sqrt();
            }
        }
        self.base_squares[border] += slope * slope;
        self.intercepts[border] -= STEP * slope / self.base_squares[border].sqrt();
        cost * loss(margin)
    }
}

impl Learner for Online<'_> {
    fn solve(&mut self, _: f64, _: Stopping) -> Convergence {
        if let Some(solved) = self.solved {
            return solved;
        }
        let examples = self.problem.examples();
        let mean_cost = self.problem.total_cost() / examples as f64;
        let mut order: Vec<u32> = (0..examples as u32).collect();
        let mut first = 0.0;
        for epoch in 0..self.epochs {
            self.draw.shuffle(&mut order);
            let mut sum = 0.0;
            for &at in &order {
                let example = self.problem.example(at as usize);
                sum += self.learn(example, example.cost / mean_cost);
            }
            if epoch == 0 {
                // What was said of each review before it was learnt from.
                first = sum / examples as f64;
            }
        }
        let solved = Convergence { stop: Stop::Done, rounds: self.epochs, objective: first, gap: None };
        *self.solved.insert(solved)
    }

    fn loss(&self, margin: f64) -> f64 {
        loss(margin)
    }

    fn dot(&self, row: usize) -> f64 {
        self.problem.features.dot(row, &self.weights)
    }

    fn intercepts(&self) -> [f64; 2] {
        self.problem.question.spread(self.intercepts)
    }

    fn weights(&self) -> Vec<f64> {
        self.weights.clone()
    }
}
