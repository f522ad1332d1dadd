//! What a learner minimises.
//!
//! Classes are ordered, from negative to positive, and a model places each review on one axis
//! between them. Every border between two neighbouring classes asks one question of every
//! review: does it lie above? So each row gives one *example* for each border, with label
//! y = +1 (above) or -1; all borders share the weights w, and each has its own intercept b (Li and
//! Lin (2007), "Ordinal regression by extended binary classification", NIPS 19,
//! <https://proceedings.neurips.cc/paper/2006/hash/019f8b946a256d9357eadc5ace2c8678-Abstract.html>).
//! With two classes there is one border, and nothing is left of this but the plain problem.
//!
//! For examples x with costs c, C their sum, and a loss l, the objective is
//!
//! ```text
//! P(w, b) = 1/C sum c l(y (w.x + b)) + lambda (share |w|_1 + (1 - share)/2 |w|^2 + 1/2 |b|^2)
//! ```
//!
//! the mean loss plus a penalty: ridge at share 0, lasso at share 1, elastic between. Each
//! intercept is the weight of a column that is 1 in its examples, under a ridge. Under a ridge alone, columns beside
//! the terms are measured from their means m, so that |b|^2 is that of b + m.w. The dual, over one
//! a per example, is for a ridge
//!
//! ```text
//! D(a) = 1/C sum c l~(a) - lambda/2 |w(a)|^2     w(a) = 1/(lambda C) sum c a y (x, 1)
//! ```
//!
//! with l~ the conjugate of the loss. D never exceeds P, and the two meet at the optimum:
//! their difference bounds the distance from it.

use super::loss::Loss;
use super::question::Question;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::terms::weigh::Weighted;

/// A learning problem: the rows that teach, their labels, and what a mistake in each class
/// costs.
#[derive(Debug, Clone, Copy)]
pub struct Problem<'a> {
    /// The weighted matrix.
    pub features: &'a Weighted<'a>,
    /// The class of every row of the matrix.
    pub labels: &'a [Polarity],
    /// What every row of the matrix counts beside the others of its class; empty where each counts as one.
    pub shares: &'a [f64],
    /// The rows that teach.
    pub rows: &'a [u32],
    /// The cost of each class, in the order of [`Polarity::index`].
    pub costs: PerClass<f64>,
    /// What is asked of each row.
    pub question: Question,
}

/// A row at a border.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Example {
    pub(crate) row: usize,
    pub(crate) border: usize,
    /// y.
    pub(crate) sign: f64,
    /// c.
    pub(crate) cost: f64,
}

impl Problem<'_> {
    /// The number of examples: one for each row and border.
    pub(crate) fn examples(&self) -> usize {
        self.rows.len() * self.question.borders()
    }

    /// An example; those of one row stand side by side.
    pub(crate) fn example(&self, at: usize) -> Example {
        let borders = self.question.borders();
        self.example_of(self.rows[at / borders] as usize, at % borders)
    }

    /// The example of a row at a border.
    pub(crate) fn example_of(&self, row: usize, border: usize) -> Example {
        Example { row, border, sign: self.question.side(border, self.labels[row]), cost: self.cost(row) }
    }

    /// What a mistake in a row costs.
    pub(crate) fn cost(&self, row: usize) -> f64 {
        let cost = self.costs[self.labels[row]];
        if self.shares.is_empty() { cost } else { cost * self.shares[row] }
    }

    /// The sum of the costs of all examples: C.
    pub(crate) fn total_cost(&self) -> f64 {
        (0..self.examples()).map(|at| self.example(at).cost).sum()
    }

    /// By column beside the terms: the mean of its values over the rows that teach, each counted once.
    pub(crate) fn means_beside(&self) -> Vec<f64> {
        let mut means = vec![0.0; self.features.columns_beside()];
        for &row in self.rows {
            self.features.beside(row as usize).for_each(|(column, value)| means[column] += value);
        }
        means.iter_mut().for_each(|mean| *mean /= self.rows.len() as f64);
        means
    }

    /// P(w, b) and the gradient of its smooth part (by weight, then by intercept), by the definition
    /// above: the lasso's part of the penalty is in the value and not in the gradient.
    ///
    /// # Panics
    /// If there is not one weight per column.
    pub fn primal<L: Loss>(
        &self,
        loss: L,
        weights: &[f64],
        intercepts: [f64; 2],
        lambda: f64,
        share: f64,
    ) -> (f64, Vec<f64>) {
        let columns = self.features.columns();
        assert_eq!(weights.len(), columns, "{} weights for {columns} columns", weights.len());
        let intercepts = &intercepts[..self.question.borders()];
        let total = self.total_cost();
        let ridge = lambda * (1.0 - share);
        let means = if share == 0.0 { self.means_beside() } else { Vec::new() };
        let terms = columns - self.features.columns_beside();
        let mean: f64 = means.iter().zip(&weights[terms..]).map(|(mean, w)| mean * w).sum();
        let measured = intercepts.iter().map(|b| b + mean);
        let squares: f64 = weights.iter().map(|w| w * w).sum();
        let lasso: f64 = weights.iter().map(|w| w.abs()).sum();
        let mut value = lambda * share * lasso
            + ridge / 2.0 * squares
            + lambda / 2.0 * measured.clone().map(|b| b * b).sum::<f64>();
        let pulled: f64 = measured.clone().sum();
        let mut gradient: Vec<f64> =
            weights.iter().map(|w| ridge * w).chain(measured.map(|b| lambda * b)).collect();
        let beside = gradient[terms..].iter_mut().zip(&means);
        beside.for_each(|(own, mean)| *own += lambda * mean * pulled);
        for Example { row, border, sign, cost } in (0..self.examples()).map(|at| self.example(at)) {
            let entries = || self.features.entries(row);
            let dot: f64 = entries().map(|(column, value)| weights[column] * value).sum();
            let margin = sign * (dot + intercepts[border]);
            value += cost / total * loss.value(margin);
            let pull = -sign * cost / total * loss.pull(margin);
            entries().for_each(|(column, value)| gradient[column] += pull * value);
            gradient[columns + border] += pull;
        }
        (value, gradient)
    }
}
