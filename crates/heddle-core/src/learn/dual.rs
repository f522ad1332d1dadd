//! Ridge regression on any loss, by dual coordinate descent.
//!
//! Hsieh, Chang, Lin, Keerthi and Sundararajan (2008), "A dual coordinate descent method for
//! large-scale linear SVM", ICML, DOI 10.1145/1390156.1390208; for the log loss Yu, Huang and
//! Lin (2011), "Dual coordinate descent methods for logistic regression and maximum entropy
//! models", Machine Learning 85, DOI 10.1007/s10994-010-5221-8. One example at a time, D is
//! maximised exactly over that example's a. Departures from the papers: the one-dimensional
//! problem of the log loss is solved in t = ln((1 - a) / a), where it is smooth and has no
//! borders; the costs of the classes differ; only examples that pull not at all are passed
//! over (shrinking), so that the sums of a round stay whole; and the run stops by the duality
//! gap.
//!
//! Cost of a round: twice the entries of the training rows. Requirements: lambda > 0.

use super::learner::{Convergence, Learner, Stop, Stopping};
use super::loss::Loss;
use super::objective::{Example, Problem};
use crate::resample::random::Random;

/// What is known of one column: the pull that is learnt, and the square of its document
/// factor beside it, because both are needed at the same moment.
#[derive(Debug, Clone, Copy)]
struct Column {
    /// Weight x document factor.
    gain: f64,
    square: f64,
}

/// A learner that keeps its state, so that the next strength starts where this one ended.
#[derive(Debug, Clone)]
pub struct Dual<'a, L> {
    loss: L,
    problem: Problem<'a>,
    total: f64,
    columns: Vec<Column>,
    intercepts: [f64; 2],
    /// By example: a, and the squared length of the row with its constant column.
    pulls: Vec<Pull>,
    /// The examples in the order of the last round; those that rest stand behind `active`.
    order: Vec<u32>,
    active: usize,
    /// How far the margin of an example that pulls was off its best in the last round.
    worst: f64,
    lambda: f64,
    draw: Random,
}

#[derive(Debug, Clone, Copy)]
struct Pull {
    a: f64,
    square: f64,
}

impl<'a, L: Loss> Dual<'a, L> {
    /// A learner that knows nothing yet: all weights are zero.
    ///
    /// # Panics
    /// If there are no training rows.
    pub fn new(loss: L, problem: Problem<'a>, seed: u64) -> Self {
        assert!(!problem.rows.is_empty(), "no rows to learn from");
        let column = |factor: &f64| Column { gain: 0.0, square: factor * factor };
        let borders = problem.classes.borders();
        let pull = |&row: &u32| Pull { a: 0.0, square: problem.features.square(row as usize) + 1.0 };
        Self {
            loss,
            total: problem.total_cost(),
            columns: problem.features.document_factors.iter().map(column).collect(),
            intercepts: [0.0; 2],
            pulls: problem.rows.iter().flat_map(|row| std::iter::repeat_n(pull(row), borders)).collect(),
            order: (0..problem.examples() as u32).collect(),
            active: problem.examples(),
            worst: f64::INFINITY,
            lambda: 1.0,
            draw: Random::new(seed),
            problem,
        }
    }

    /// Sets the strength and starts from the state so far. w(a) is inverse to lambda, so the
    /// same a would give weights that grow as lambda falls; at the optimum they grow more
    /// slowly, and a falls too. The start is half way between, on the scale of logarithms.
    fn begin(&mut self, lambda: f64) {
        assert!(lambda > 0.0, "lambda must be above 0, got {lambda}");
        let fall = (lambda / self.lambda).sqrt().min(1.0); // a must stay within its bounds
        let scale = self.lambda / lambda * fall;
        self.pulls.iter_mut().for_each(|pull| pull.a *= fall);
        self.columns.iter_mut().for_each(|column| column.gain *= scale);
        self.intercepts.iter_mut().for_each(|intercept| *intercept *= scale);
        self.lambda = lambda;
        self.wake();
    }

    /// All examples take part again.
    fn wake(&mut self) {
        (self.active, self.worst) = (self.order.len(), f64::INFINITY);
    }

    /// One pass over the examples that do not rest, in a new random order.
    fn round(&mut self) -> Duality {
        let mut sums = Duality::default();
        let mut order = std::mem::take(&mut self.order);
        self.draw.shuffle(&mut order[..self.active]);
        let (spare, mut worst, mut at) = (self.worst, 0.0f64, 0);
        while at < self.active {
            let place = order[at] as usize;
            let Example { row, border, sign, cost } = self.problem.example(place);
            let Pull { a, square } = self.pulls[place];
            let margin = sign * self.score(row, border);
            if a == 0.0 && self.loss.rests(margin, spare) {
                self.active -= 1;
                order.swap(at, self.active);
                continue;
            }
            let cost = cost / self.total;
            sums.add(self.loss, cost, a, margin);
            let q = cost * square / self.lambda;
            let new = self.loss.best(margin, a, q);
            worst = worst.max(q * (new - a).abs());
            self.pulls[place].a = new;
            if new != a {
                self.pull(row, border, sign * cost * (new - a) / self.lambda);
            }
            at += 1;
        }
        (self.order, self.worst) = (order, worst);
        sums
    }

    /// P and D at the present weights.
    fn duality(&self) -> Duality {
        let mut sums = Duality::default();
        for (at, pull) in self.pulls.iter().enumerate() {
            let Example { row, border, sign, cost } = self.problem.example(at);
            sums.add(self.loss, cost / self.total, pull.a, sign * self.score(row, border));
        }
        sums
    }

    fn score(&self, row: usize, border: usize) -> f64 {
        self.intercepts[border] + self.dot(row)
    }

    /// Adds `step` x the row (with its constant column) to the weights.
    fn pull(&mut self, row: usize, border: usize, step: f64) {
        self.intercepts[border] += step;
        let step = step * self.problem.features.row_factors[row];
        for entry in self.problem.features.rows.row(row) {
            let column = &mut self.columns[entry.column as usize];
            column.gain += step * f64::from(entry.value) * column.square;
        }
    }
}

impl<L: Loss> Learner for Dual<'_, L> {
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        self.begin(lambda);
        let mut rounds = 0;
        loop {
            // The round's own sums describe weights that moved meanwhile: good enough to
            // tell that it is too early for the exact gap, which costs another pass.
            let rough = self.round();
            rounds += 1;
            let last = rounds >= stopping.rounds;
            if rough.gap() > 4.0 * stopping.tolerance && !last {
                continue;
            }
            let exact = self.duality();
            let gap = exact.gap();
            if gap <= stopping.tolerance || last {
                let stop = if gap <= stopping.tolerance { Stop::Converged } else { Stop::Rounds };
                return Convergence { stop, rounds, objective: exact.primal, gap: Some(gap) };
            }
            self.wake();
        }
    }

    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        self.begin(lambda);
        let mut rounds = 1;
        while self.round().gap() > stopping.tolerance && rounds < stopping.rounds {
            rounds += 1;
        }
    }

    fn loss(&self, margin: f64) -> f64 {
        self.loss.value(margin)
    }

    fn dot(&self, row: usize) -> f64 {
        let entries = self.problem.features.rows.row(row).iter();
        let dot: f64 =
            entries.map(|entry| f64::from(entry.value) * self.columns[entry.column as usize].gain).sum();
        dot * self.problem.features.row_factors[row]
    }

    fn intercepts(&self) -> [f64; 2] {
        self.problem.classes.spread(self.intercepts)
    }

    fn weights(&self) -> Vec<f64> {
        let factors = &self.problem.features.document_factors;
        let weight =
            |(column, factor): (&Column, &f64)| if *factor == 0.0 { 0.0 } else { column.gain / factor };
        self.columns.iter().zip(factors).map(weight).collect()
    }
}

/// Sums that give P and D. |w|^2 is summed over rows rather than columns, so that it does
/// not depend on the numbering of the columns.
#[derive(Debug, Default, Clone, Copy)]
struct Duality {
    primal: f64,
    dual: f64,
}

impl Duality {
    fn add(&mut self, loss: impl Loss, cost: f64, a: f64, margin: f64) {
        // lambda |w|^2 = 1/C sum c a y (w.x + b), a part for each example.
        let half_norm = cost * a * margin / 2.0;
        self.primal += cost * loss.value(margin) + half_norm;
        self.dual += cost * loss.conjugate(a) - half_norm;
    }

    fn gap(&self) -> f64 {
        (self.primal - self.dual) / self.primal.abs().max(f64::MIN_POSITIVE)
    }
}
