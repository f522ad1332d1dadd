//! Logistic regression, one review after the other.
//!
//! Each review moves the weights of its own terms once; a term's step shrinks with what it was
//! moved before, so that rare terms still learn when frequent ones are settled: Duchi, Hazan and
//! Singer (2011), "Adaptive subgradient methods for online learning and stochastic
//! optimization", JMLR 12, <https://www.jmlr.org/papers/v12/duchi11a.html>. There is no penalty: a first step that
//! does not take a single review at its word, and few epochs, keep weights small. What is learnt is a mean of the
//! weights along the way, the later the more: Shamir and Zhang (2013), "Stochastic gradient descent for non-smooth
//! optimization: convergence results and optimal averaging schemes", ICML,
//! <https://proceedings.mlr.press/v28/shamir13.html>, with their eta of 3.
//!
//! Reviews come in a new random order in each epoch. Cost of an epoch: twice the entries of the
//! training rows; memory beside them: twelve bytes a term.

use super::learner::{Convergence, Learner, Stop, Stopping};
use super::objective::Problem;
use crate::measure::odds::{loss, sigmoid};
use crate::resample::random::Random;

/// The size of steps.
const STEP: f32 = 1.0;
/// What the squares of slopes begin with: the first steps of a term are as long as its slopes are large, and become equal
/// only with the slopes that add up to more than this. Rare terms would else be taken at the word of their first
/// review: on long reviews that is worse by more than noise, on single sentences no better.
const BEFORE: f32 = 0.03;
/// Weights along the way count by this power of their place, less one.
const LATE: i32 = 4;

/// A weight that learns from one example after the other.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnlineWeight {
    /// As it is.
    pub weight: f32,
    /// The squares of its slopes so far.
    pub squares: f32,
    /// Its steps so far, each times the share of the way that lay behind it, by which the mean is below the weight.
    pub behind: f32,
}

impl Default for OnlineWeight {
    fn default() -> Self {
        Self { weight: 0.0, squares: BEFORE, behind: 0.0 }
    }
}

impl OnlineWeight {
    /// Goes down a slope; `behind` is the share of the way that lies behind, as [`behind`] counts it.
    pub(crate) fn step(&mut self, slope: f32, behind: f32) {
        self.squares += slope * slope;
        let by = -STEP * slope / self.squares.sqrt();
        self.weight += by;
        self.behind += behind * by;
    }

    /// The mean along the way, if it is at its end.
    pub(crate) fn mean(self) -> f64 {
        f64::from(self.weight) - f64::from(self.behind)
    }
}

/// The share of the way that lies behind after `seen` of `all` examples, counted as the weights there count.
pub(crate) fn behind(seen: u64, all: u64) -> f32 {
    (seen as f64 / all as f64).powi(LATE) as f32
}

/// The learner.
#[derive(Debug, Clone)]
pub struct Online<'a> {
    problem: Problem<'a>,
    epochs: u32,
    weights: Vec<OnlineWeight>,
    intercepts: [OnlineWeight; 2],
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
            weights: vec![OnlineWeight::default(); columns],
            intercepts: [OnlineWeight::default(); 2],
            draw: Random::new(seed),
            solved: None,
            problem,
        }
    }

    /// Learns from one example; its loss before.
    fn learn(&mut self, at: usize, mean_cost: f64, behind: f32) -> f64 {
        let (example, features) = (self.problem.example(at), self.problem.features);
        let cost = example.cost / mean_cost;
        let own = |(column, value): (usize, f64)| value * f64::from(self.weights[column].weight);
        let dot: f64 = features.entries(example.row).map(own).sum();
        let margin = example.sign * (dot + f64::from(self.intercepts[example.border].weight));
        let slope = -example.sign * cost * sigmoid(-margin);
        for (column, value) in features.entries(example.row).filter(|(_, value)| *value != 0.0) {
            self.weights[column].step((slope * value) as f32, behind);
        }
        self.intercepts[example.border].step(slope as f32, behind);
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
        let (mut seen, all) = (0.., u64::from(self.epochs) * examples as u64);
        let mut first = 0.0;
        for epoch in 0..self.epochs {
            self.draw.shuffle(&mut order);
            let lost = order
                .iter()
                .zip(&mut seen)
                .map(|(at, seen)| self.learn(*at as usize, mean_cost, behind(seen, all)));
            let sum: f64 = lost.sum();
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
        self.problem.features.entries(row).map(|(column, value)| value * self.weights[column].mean()).sum()
    }

    fn intercepts(&self) -> [f64; 2] {
        self.problem.question.spread(self.intercepts.map(OnlineWeight::mean))
    }

    fn weights(&self) -> Vec<f64> {
        self.weights.iter().map(|own| own.mean()).collect()
    }
}
