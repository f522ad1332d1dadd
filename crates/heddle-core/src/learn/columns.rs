//! Lasso and elastic penalties, by coordinate descent over columns.
//!
//! Yuan, Chang, Hsieh and Lin (2010), "A comparison of optimization methods and software for
//! large-scale L1-regularized linear classification", JMLR 11,
//! <https://www.jmlr.org/papers/v11/yuan10c.html>, section 4.1: one column at a time, a Newton
//! step on the loss with the penalty as it is, halved until the objective falls enough.
//! Departures: columns whose weight is 0 and would stay so are passed over until the next look
//! at all of them; the intercepts have a ridge; and the run stops by the duality gap.
//!
//! Columns are taken in the order in which the training rows first use them, so that columns
//! of other rows change nothing. Cost of a round: three times the entries of the columns that
//! take part. Requirements: lambda > 0, share > 0, a loss with a slope everywhere.

use super::learner::{Convergence, Learner, Stop, Stopping};
use super::loss::Loss;
use super::objective::Problem;
use crate::matrix::Entry;

/// The share of the promised fall that a step must reach.
const ENOUGH: f64 = 0.01;
/// Where no margin moves by more, the curve of a steady loss rises by a factor of at most exp(1/2):
/// a whole step then falls by at least a third of what its model says.
const SAFE: f64 = 0.5;
/// Rounds over the columns that take part between two looks at all of them.
const ROUNDS_BETWEEN: u32 = 30;

/// A learner that keeps its state, so that the next strength starts where this one ended.
#[derive(Debug, Clone)]
pub struct Columns<'a, L> {
    loss: L,
    problem: Problem<'a>,
    total: f64,
    /// The lasso's share of the penalty.
    share: f64,
    /// Columns of the matrix that the rows use, in the order in which they do.
    used: Vec<u32>,
    /// By used column: where its cells end.
    ends: Vec<usize>,
    /// By cell: the place of its row among those that teach, and its value.
    cells: Vec<(u32, f32)>,
    /// By column of the matrix.
    weights: Vec<f64>,
    intercepts: [f64; 2],
    /// By row that teaches: w.x, and what depends on it.
    dots: Vec<f64>,
    states: Vec<State>,
    lambda: f64,
}

/// What a row's score says, kept until the score moves.
#[derive(Debug, Clone, Copy, Default)]
struct State {
    /// -1 times the derivative of its loss by the score.
    residual: f64,
    /// The second derivative.
    curve: f64,
}

impl<'a, L: Loss> Columns<'a, L> {
    /// A learner that knows nothing yet: all weights are zero.
    ///
    /// # Panics
    /// If there are no training rows, or `share` is not above 0.
    pub fn new(loss: L, problem: Problem<'a>, share: f64) -> Self {
        assert!(!problem.rows.is_empty(), "no rows to learn from");
        assert!(share > 0.0 && share <= 1.0, "the lasso's share must be above 0, at most 1, got {share}");
        let features = problem.features;
        let entries = || {
            let of_row = |(at, &row): (usize, &u32)| {
                features.unweighted(row as usize).map(move |entry| (at as u32, entry))
            };
            let kept = |entry: &(u32, Entry)| features.factor(entry.1.column as usize) != 0.0;
            problem.rows.iter().enumerate().flat_map(of_row).filter(kept)
        };
        let mut places = vec![u32::MAX; features.columns()];
        let (mut used, mut counts) = (Vec::new(), Vec::new());
        for (_, entry) in entries() {
            let place = &mut places[entry.column as usize];
            if *place == u32::MAX {
                *place = used.len() as u32;
                used.push(entry.column);
                counts.push(0usize);
            }
            counts[*place as usize] += 1;
        }
        let mut next: Vec<usize> = counts
            .iter()
            .scan(0, |sum, count| {
                *sum += count;
                Some(*sum - count)
            })
            .collect();
        let mut cells = vec![(0, 0.0); counts.iter().sum()];
        for (at, entry) in entries() {
            let place = &mut next[places[entry.column as usize] as usize];
            cells[*place] = (at, entry.value);
            *place += 1;
        }
        Self {
            loss,
            total: problem.total_cost(),
            share,
            weights: vec![0.0; features.columns()],
            used,
            ends: next,
            cells,
            intercepts: [0.0; 2],
            dots: vec![0.0; problem.rows.len()],
            states: vec![State::default(); problem.rows.len()],
            lambda: 1.0,
            problem,
        }
    }

    /// Computes the state of a row anew: its score has moved.
    fn refresh(&mut self, at: usize) {
        let mut state = State::default();
        for border in 0..self.borders() {
            let example = self.problem.example(at * self.borders() + border);
            let margin = example.sign * (self.dots[at] + self.intercepts[border]);
            let cost = example.cost / self.total;
            let (pull, curve) = self.loss.bend(margin);
            state.residual += example.sign * cost * pull;
            state.curve += cost * curve;
        }
        self.states[at] = state;
    }

    fn cells(&self, column: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let start = if column == 0 { 0 } else { self.ends[column - 1] };
        let features = self.problem.features;
        let own = self.used[column] as usize;
        let factor = f64::from(features.factor(own));
        self.cells[start..self.ends[column]].iter().map(move |&(at, value)| {
            let row = self.problem.rows[at as usize] as usize;
            (at as usize, f64::from(value) * factor * features.row_factor(row, own))
        })
    }

    fn borders(&self) -> usize {
        self.problem.question.borders()
    }

    /// The loss of a row when its dot has moved by `by`.
    fn loss_at(&self, at: usize, by: f64) -> f64 {
        let of_border = |border: usize| {
            let example = self.problem.example(at * self.borders() + border);
            let margin = example.sign * (self.dots[at] + by + self.intercepts[border]);
            example.cost / self.total * self.loss.value(margin)
        };
        (0..self.borders()).map(of_border).sum()
    }

    fn penalty(&self, weight: f64) -> f64 {
        self.lambda * (self.share * weight.abs() + (1.0 - self.share) / 2.0 * weight * weight)
    }

    fn move_by(&mut self, column: usize, step: f64, weight: f64) {
        let start = if column == 0 { 0 } else { self.ends[column - 1] };
        let features = self.problem.features;
        let own = self.used[column] as usize;
        let factor = f64::from(features.factor(own));
        for cell in start..self.ends[column] {
            let (at, value) = self.cells[cell];
            let row = self.problem.rows[at as usize] as usize;
            self.dots[at as usize] += step * f64::from(value) * factor * features.row_factor(row, own);
            self.refresh(at as usize);
        }
        self.weights[self.used[column] as usize] = weight;
    }

    /// One step along a column; how far the objective fell, by the model of the step where it is
    /// known to be safe.
    fn step(&mut self, column: usize) -> f64 {
        let weight = self.weights[self.used[column] as usize];
        let (lasso, ridge) = (self.lambda * self.share, self.lambda * (1.0 - self.share));
        let (mut slope, mut curve, mut widest) = (ridge * weight, 0.0, 0.0f64);
        for (at, x) in self.cells(column) {
            widest = widest.max(x.abs());
            slope -= self.states[at].residual * x;
            curve += self.states[at].curve * x * x;
        }
        let curve = (curve + ridge).max(1e-12);
        let wanted = weight - slope / curve;
        let target = wanted.signum() * (wanted.abs() - lasso / curve).max(0.0);
        let whole = target - weight;
        if whole == 0.0 {
            return 0.0;
        }
        let promised = slope * whole + lasso * (target.abs() - weight.abs());
        let model = -(promised + curve / 2.0 * whole * whole);
        if L::STEADY && (whole * widest).abs() <= SAFE {
            self.move_by(column, whole, target);
            return model;
        }
        let mut step = whole;
        for halving in 0..40 {
            let change: f64 =
                self.cells(column).map(|(at, x)| self.loss_at(at, step * x) - self.loss_at(at, 0.0)).sum();
            let fell = -(change + self.penalty(weight + step) - self.penalty(weight));
            if fell >= -ENOUGH * promised * 0.5f64.powi(halving) {
                self.move_by(column, step, if halving == 0 { target } else { weight + step });
                return fell;
            }
            step /= 2.0;
        }
        0.0
    }

    /// The examples of a border, each with its sign, weighed cost and margin when the intercept moves
    /// by `by`.
    fn examples(&self, border: usize, by: f64) -> impl Iterator<Item = (f64, f64, f64)> + '_ {
        (0..self.dots.len()).map(move |at| {
            let example = self.problem.example(at * self.borders() + border);
            let margin = example.sign * (self.dots[at] + self.intercepts[border] + by);
            (example.sign, example.cost / self.total, margin)
        })
    }

    /// The part of the objective that a intercept moves.
    fn value_along(&self, border: usize, by: f64) -> f64 {
        let loss: f64 =
            self.examples(border, by).map(|(_, cost, margin)| cost * self.loss.value(margin)).sum();
        loss + self.lambda / 2.0 * (self.intercepts[border] + by).powi(2)
    }

    /// One step along a intercept; how far the objective fell.
    fn step_base(&mut self, border: usize) -> f64 {
        let intercept = self.intercepts[border];
        let (mut slope, mut curve) = (self.lambda * intercept, self.lambda);
        for (sign, cost, margin) in self.examples(border, 0.0) {
            slope -= sign * cost * self.loss.pull(margin);
            curve += cost * self.loss.curve(margin);
        }
        let (before, mut step) = (self.value_along(border, 0.0), -slope / curve);
        for _ in 0..40 {
            let fell = before - self.value_along(border, step);
            if fell >= 0.0 {
                self.intercepts[border] += step;
                (0..self.dots.len()).for_each(|at| self.refresh(at));
                return fell;
            }
            step /= 2.0;
        }
        0.0
    }

    /// P, D, and the columns that take part: those with a weight, and those that would get one.
    fn look(&self) -> (f64, f64, Vec<usize>) {
        let borders = self.borders();
        let (lasso, ridge) = (self.lambda * self.share, self.lambda * (1.0 - self.share));
        let weight = |column: usize| self.weights[self.used[column] as usize];
        let pulls: Vec<f64> = (0..self.used.len())
            .map(|column| self.cells(column).map(|(at, x)| self.states[at].residual * x).sum())
            .collect();
        let taking =
            (0..self.used.len()).filter(|&column| weight(column) != 0.0 || pulls[column].abs() > lasso);
        // Without a ridge the dual holds only where no pull is above the lasso: all a shrink.
        let strongest = pulls.iter().fold(0.0f64, |most, pull| most.max(pull.abs()));
        let scale = if ridge > 0.0 || strongest <= lasso { 1.0 } else { lasso / strongest };
        let (mut primal, mut dual) = (0.0, 0.0);
        let mut by_base = [0.0; 2];
        for at in 0..self.dots.len() {
            primal += self.loss_at(at, 0.0);
            for (border, sum) in by_base.iter_mut().enumerate().take(borders) {
                let example = self.problem.example(at * borders + border);
                let margin = example.sign * (self.dots[at] + self.intercepts[border]);
                let (a, cost) = (scale * self.loss.pull(margin), example.cost / self.total);
                dual += cost * self.loss.conjugate(a);
                *sum += example.sign * cost * a;
            }
        }
        primal += (0..self.used.len()).map(|column| self.penalty(weight(column))).sum::<f64>();
        primal += self
            .intercepts
            .iter()
            .take(borders)
            .map(|intercept| self.lambda / 2.0 * intercept * intercept)
            .sum::<f64>();
        dual -= by_base.iter().map(|sum| sum * sum / (2.0 * self.lambda)).sum::<f64>();
        if ridge > 0.0 {
            let beyond = |pull: &f64| (pull.abs() - lasso).max(0.0).powi(2) / (2.0 * ridge);
            dual -= pulls.iter().map(beyond).sum::<f64>();
        }
        (primal, dual, taking.collect())
    }

    fn rounds_on(&mut self, taking: &[usize], enough: f64) -> u32 {
        for round in 1..=ROUNDS_BETWEEN {
            let mut fell: f64 = (0..self.borders()).map(|border| self.step_base(border)).sum();
            fell += taking.iter().map(|&column| self.step(column)).sum::<f64>();
            if fell <= enough {
                return round;
            }
        }
        ROUNDS_BETWEEN
    }
}

impl<L: Loss> Learner for Columns<'_, L> {
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        assert!(lambda > 0.0, "lambda must be above 0, got {lambda}");
        self.lambda = lambda;
        (0..self.dots.len()).for_each(|at| self.refresh(at));
        let mut rounds = 0;
        loop {
            let (primal, dual, taking) = self.look();
            let gap = (primal - dual) / primal.abs().max(f64::MIN_POSITIVE);
            let converged = gap <= stopping.tolerance;
            if converged || rounds >= stopping.rounds {
                let stop = if converged { Stop::Converged } else { Stop::Rounds };
                return Convergence { stop, rounds, objective: primal, gap: Some(gap) };
            }
            rounds += self.rounds_on(&taking, stopping.tolerance.min(gap) / 8.0 * primal);
        }
    }

    fn loss(&self, margin: f64) -> f64 {
        self.loss.value(margin)
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
