//! Ridge logistic regression by dual coordinate descent.
//!
//! Yu, Huang and Lin (2011), "Dual coordinate descent methods for logistic regression and
//! maximum entropy models", Machine Learning 85, DOI 10.1007/s10994-010-5221-8. One row at
//! a time, D is maximised exactly over that row's a. Departures from the paper: the
//! one-dimensional problem is solved in t = ln((1 - a) / a), where it is smooth and has no
//! borders; the costs of the classes differ; and the run stops by the duality gap.
//!
//! Cost of a round: twice the entries of the training rows. Requirements: lambda > 0.

use super::objective::{Problem, entropy};
use crate::measure::odds::{loss, sigmoid};
use crate::resample::draw::Draw;

/// Why the learner stopped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stop {
    /// The duality gap fell to the tolerance.
    Converged,
    /// The largest number of rounds was reached.
    Rounds,
}

/// How far the learner came.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Convergence {
    /// Why it stopped.
    pub stop: Stop,
    /// Rounds over the training rows.
    pub rounds: u32,
    /// P at the end, in nats per review.
    pub objective: f64,
    /// (P - D) / P at the end: the objective is at most this share above its minimum.
    pub gap: f64,
}

/// When to stop.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stopping {
    /// The relative duality gap (P - D) / P.
    pub tolerance: f64,
    /// The largest number of rounds.
    pub rounds: u32,
}

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
pub struct Logistic<'a> {
    problem: Problem<'a>,
    total: f64,
    columns: Vec<Column>,
    base: f64,
    /// By training row: a, and the squared length of the row with its constant column.
    rows: Vec<Dual>,
    order: Vec<u32>,
    lambda: f64,
    draw: Draw,
}

#[derive(Debug, Clone, Copy)]
struct Dual {
    a: f64,
    square: f64,
}

impl<'a> Logistic<'a> {
    /// A learner that knows nothing yet: all weights are zero.
    ///
    /// # Panics
    /// If there are no training rows.
    pub fn new(problem: Problem<'a>, seed: u64) -> Self {
        assert!(!problem.rows.is_empty(), "no rows to learn from");
        let column = |factor: &f64| Column { gain: 0.0, square: factor * factor };
        let dual = |&row: &u32| Dual { a: 0.0, square: problem.features.square(row as usize) + 1.0 };
        Self {
            total: problem.total_cost(),
            columns: problem.features.document_factors.iter().map(column).collect(),
            base: 0.0,
            rows: problem.rows.iter().map(dual).collect(),
            order: (0..problem.rows.len() as u32).collect(),
            lambda: 1.0,
            draw: Draw::new(seed),
            problem,
        }
    }

    /// Minimises P for a strength, starting from where the last call ended.
    ///
    /// # Panics
    /// If `lambda` is not above zero.
    pub fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
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
            if exact.gap() <= stopping.tolerance || last {
                let converged = exact.gap() <= stopping.tolerance;
                let stop = if converged { Stop::Converged } else { Stop::Rounds };
                return Convergence { stop, rounds, objective: exact.primal, gap: exact.gap() };
            }
        }
    }

    /// As [`solve`](Self::solve), but content with the gap that a round's own sums give:
    /// enough where strengths are only ranked.
    pub(crate) fn approach(&mut self, lambda: f64, stopping: Stopping) {
        self.begin(lambda);
        let mut rounds = 1;
        while self.round().gap() > stopping.tolerance && rounds < stopping.rounds {
            rounds += 1;
        }
    }

    /// Sets the strength and starts from the state so far. w(a) is inverse to lambda, so the
    /// same a would give weights that grow as lambda falls; at the optimum they grow more
    /// slowly, and a falls too. The start is half way between, on the scale of logarithms.
    fn begin(&mut self, lambda: f64) {
        assert!(lambda > 0.0, "lambda must be above 0, got {lambda}");
        let fall = (lambda / self.lambda).sqrt().min(1.0); // a must stay below 1
        let scale = self.lambda / lambda * fall;
        self.rows.iter_mut().for_each(|dual| dual.a *= fall);
        self.columns.iter_mut().for_each(|column| column.gain *= scale);
        self.base *= scale;
        self.lambda = lambda;
    }

    /// One pass over the training rows in a new random order.
    fn round(&mut self) -> Duality {
        let mut sums = Duality::default();
        let mut order = std::mem::take(&mut self.order);
        self.draw.shuffle(&mut order);
        for &at in &order {
            let at = at as usize;
            let row = self.problem.rows[at] as usize;
            let Dual { a, square } = self.rows[at];
            let (sign, cost) = (self.problem.sign(row), self.problem.cost(row) / self.total);
            let log_odds = self.log_odds(row);
            sums.add(cost, a, sign * log_odds);
            let new = best_dual(sign * log_odds, a, cost * square / self.lambda);
            self.rows[at].a = new;
            self.pull(row, sign * cost * (new - a) / self.lambda);
        }
        self.order = order;
        sums
    }

    /// P and D at the present weights.
    fn duality(&self) -> Duality {
        let mut sums = Duality::default();
        for (&row, dual) in self.problem.rows.iter().zip(&self.rows) {
            let row = row as usize;
            let cost = self.problem.cost(row) / self.total;
            sums.add(cost, dual.a, self.problem.sign(row) * self.log_odds(row));
        }
        sums
    }

    /// The log-odds of any row of the matrix at the present weights.
    pub fn log_odds(&self, row: usize) -> f64 {
        let dot: f64 = self
            .problem
            .features
            .rows
            .row(row)
            .iter()
            .map(|entry| f64::from(entry.value) * self.columns[entry.column as usize].gain)
            .sum();
        self.base + dot * self.problem.features.row_factors[row]
    }

    /// Adds `step` x the row (with its constant column) to the weights.
    fn pull(&mut self, row: usize, step: f64) {
        self.base += step;
        let step = step * self.problem.features.row_factors[row];
        for entry in self.problem.features.rows.row(row) {
            let column = &mut self.columns[entry.column as usize];
            column.gain += step * f64::from(entry.value) * column.square;
        }
    }

    /// The base: the log-odds of a review without known terms.
    pub fn base(&self) -> f64 {
        self.base
    }

    /// One weight per column of the matrix; 0 where the document factor is 0.
    pub fn weights(&self) -> Vec<f64> {
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
    fn add(&mut self, cost: f64, a: f64, margin: f64) {
        // lambda |w|^2 = 1/C sum c a y (w.x + b), a part for each row.
        let half_norm = cost * a * margin / 2.0;
        self.primal += cost * loss(margin) + half_norm;
        self.dual += cost * entropy(a) - half_norm;
    }

    fn gap(&self) -> f64 {
        (self.primal - self.dual) / self.primal.abs().max(f64::MIN_POSITIVE)
    }
}

/// The a that maximises D along one row: the solution of
/// ln((1 - a) / a) = margin + q (a - old), with q = c |x|^2 / (lambda C).
///
/// In t = ln((1 - a) / a) this is t - margin - q (sigmoid(-t) - old) = 0, a smooth
/// increasing function with slope between 1 and 1 + q/4: Newton steps, kept inside a
/// bracket that always holds the root.
fn best_dual(margin: f64, old: f64, q: f64) -> f64 {
    let (mut low, mut high) = (margin - q * old, margin + q * (1.0 - old));
    let mut t = margin.clamp(low, high);
    for _ in 0..60 {
        let a = sigmoid(-t);
        let value = t - margin - q * (a - old);
        if value > 0.0 {
            high = t;
        } else {
            low = t;
        }
        let newton = t - value / (1.0 + q * a * (1.0 - a));
        let next = if newton > low && newton < high { newton } else { low + (high - low) / 2.0 };
        if (next - t).abs() <= 1e-10 * t.abs().max(1.0) {
            return sigmoid(-next);
        }
        t = next;
    }
    sigmoid(-t)
}
