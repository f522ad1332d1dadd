//! What the learner minimises.
//!
//! For rows x with labels y = -1 or +1 and costs c, C their sum, the objective is
//!
//! ```text
//! P(w, b) = 1/C sum c ln(1 + exp(-y (w.x + b))) + lambda/2 (|w|^2 + b^2)
//! ```
//!
//! the mean logistic loss plus a ridge penalty; the base b is the weight of a column that is
//! 1 in every row, and is penalised like any other. The dual, over one a in (0, 1) per row,
//! is
//!
//! ```text
//! D(a) = 1/C sum c H(a) - lambda/2 |w(a)|^2     w(a) = 1/(lambda C) sum c a y (x, 1)
//! ```
//!
//! with H(a) = -a ln a - (1 - a) ln(1 - a). D never exceeds P, and the two meet at the
//! optimum: their difference bounds the distance from it.

use crate::measure::odds::{loss, sigmoid};
use crate::polarity::Polarity;
use crate::terms::weigh::Weighted;

/// A learning problem: the rows that teach, their labels, and what a mistake in each class
/// costs.
#[derive(Debug, Clone, Copy)]
pub struct Problem<'a> {
    /// The weighted matrix.
    pub features: &'a Weighted<'a>,
    /// The class of every row of the matrix.
    pub labels: &'a [Polarity],
    /// The rows that teach.
    pub rows: &'a [u32],
    /// The cost of each class, in the order of [`Polarity::POLES`].
    pub costs: [f64; 2],
}

impl Problem<'_> {
    /// The sign of the label of a row: y.
    pub(crate) fn sign(&self, row: usize) -> f64 {
        self.labels[row].sign()
    }

    /// The cost of a row: c.
    pub(crate) fn cost(&self, row: usize) -> f64 {
        self.costs[self.labels[row].index()]
    }

    /// The sum of the costs: C.
    pub(crate) fn total_cost(&self) -> f64 {
        self.rows.iter().map(|&row| self.cost(row as usize)).sum()
    }

    /// P(w, b) and its gradient (by weight, then by base), by the definition above.
    ///
    /// # Panics
    /// If there is not one weight per column.
    pub fn primal(&self, weights: &[f64], base: f64, lambda: f64) -> (f64, Vec<f64>) {
        let columns = self.features.rows.columns();
        assert_eq!(weights.len(), columns, "{} weights for {columns} columns", weights.len());
        let total = self.total_cost();
        let mut value = lambda / 2.0 * (weights.iter().map(|w| w * w).sum::<f64>() + base * base);
        let mut gradient: Vec<f64> = weights.iter().chain([&base]).map(|w| lambda * w).collect();
        for row in self.rows.iter().map(|&row| row as usize) {
            let entries = self.features.rows.row(row);
            let factor = self.features.row_factors[row];
            let x = |column: u32, value: f32| {
                f64::from(value) * self.features.document_factors[column as usize] * factor
            };
            let dot: f64 = entries.iter().map(|e| weights[e.column as usize] * x(e.column, e.value)).sum();
            let (sign, cost) = (self.sign(row), self.cost(row) / total);
            let margin = sign * (dot + base);
            value += cost * loss(margin);
            let pull = -sign * cost * sigmoid(-margin);
            entries.iter().for_each(|e| gradient[e.column as usize] += pull * x(e.column, e.value));
            gradient[columns] += pull;
        }
        (value, gradient)
    }
}

/// H(a) = -a ln a - (1 - a) ln(1 - a), 0 at both ends.
pub(crate) fn entropy(a: f64) -> f64 {
    let part = |p: f64| if p > 0.0 { -p * p.ln() } else { 0.0 };
    part(a) + part(1.0 - a)
}
