//! The weights of what nearly every row has, for a learner of pulls: intercepts, and columns beside the terms.
//!
//! The pulls a imply weights u(a) = 1/(lambda C) sum c a y z for the values z of these columns, as they imply those of
//! the terms. u(a) is a sum of thousands of parts that all but cancel, and follows every step of every pull: the more
//! such columns there are, and the weaker the penalty, the longer it swings. So a few columns have weights u of their
//! own, which stand still during a round and are led by a Newton step after it,
//!
//! ```text
//! u <- u - (lambda I + sum c/C l'' z z^T)^-1 lambda (u - u(a))
//! ```
//!
//! where lambda (u - u(a)) is the gradient of the objective once pulls are what their margins ask for: a descent by
//! blocks of the one convex objective. The duality gap bounds the distance to its minimum at any u; it is that of the
//! pulls, and lambda/2 |u - u(a)|^2. Blocks that say the same would hand it back and forth: z is measured from its mean,
//! so that it says little of what the intercept says, and what terms that all rows have say.

use super::cholesky::{half, solve};
use super::objective::Problem;

/// So many columns at most have weights of their own: a step costs the cube of their number.
pub(super) const FEW: usize = 64;

/// The weights.
#[derive(Debug, Clone)]
pub(crate) struct DenseWeights {
    /// By border.
    intercepts: Vec<f64>,
    /// By column: its mean over the rows that teach.
    means: Vec<f64>,
    /// 1/(lambda C) sum c a y z, z as it is.
    pulled: Vec<f64>,
    /// That times the means.
    pulled_mean: f64,
    /// The means times themselves.
    square: f64,
    own: Option<OwnWeights>,
}

/// Weights that are led by Newton steps.
#[derive(Debug, Clone)]
struct OwnWeights {
    /// u.
    weights: Vec<f64>,
    /// u times the means.
    mean: f64,
    /// By column: how far its values lie from their mean at most, in rows that teach.
    farthest: Vec<f64>,
    /// sum c/C l'' z z^T over the examples of a round, z as it is: the lower half, row by row.
    curves: Vec<f64>,
    /// sum c/C l'' z.
    slopes: Vec<f64>,
    /// sum c/C l''.
    sum: f64,
}

impl DenseWeights {
    /// Weights of 0. Columns have their own if they are few and the loss is `curved`: a Newton step needs a second
    /// derivative.
    pub(crate) fn new(problem: &Problem<'_>, curved: bool) -> Self {
        let columns = problem.features.columns_beside();
        let means = problem.means_beside();
        let own = (curved && (1..=FEW).contains(&columns)).then(|| {
            let mut farthest: Vec<f64> = means.iter().map(|mean| mean.abs()).collect();
            for &row in problem.rows {
                for (column, value) in problem.features.beside(row as usize) {
                    farthest[column] = farthest[column].max((value - means[column]).abs());
                }
            }
            OwnWeights {
                weights: vec![0.0; columns],
                mean: 0.0,
                farthest,
                curves: vec![0.0; half(columns)],
                slopes: vec![0.0; columns],
                sum: 0.0,
            }
        });
        Self {
            intercepts: vec![0.0; problem.question.borders()],
            pulled: vec![0.0; columns],
            pulled_mean: 0.0,
            square: means.iter().map(|mean| mean * mean).sum(),
            means,
            own,
        }
    }

    /// By border: the score of a row whose columns are at their means and whose terms are unknown.
    pub(crate) fn intercepts(&self) -> &[f64] {
        &self.intercepts
    }

    /// u(a), by column.
    fn implied(&self) -> impl Iterator<Item = f64> {
        let sum: f64 = self.intercepts.iter().sum();
        self.pulled.iter().zip(&self.means).map(move |(pulled, mean)| pulled - mean * sum)
    }

    /// u, by column.
    pub(crate) fn columns(&self) -> Vec<f64> {
        self.own.as_ref().map_or_else(|| self.implied().collect(), |own| own.weights.clone())
    }

    /// u, where it is no sum of pulls.
    pub(crate) fn own(&self) -> Vec<f64> {
        self.own.as_ref().map_or(Vec::new(), |own| own.weights.clone())
    }

    /// Begins at such weights, if there are as many.
    pub(crate) fn begin_at(&mut self, weights: &[f64]) {
        if let Some(own) = self.own.as_mut().filter(|own| own.weights.len() == weights.len()) {
            own.weights.copy_from_slice(weights);
            own.mean = weights.iter().zip(&self.means).map(|(weight, mean)| weight * mean).sum();
        }
    }

    /// What columns at their means would add to a score, were they not measured from there.
    pub(crate) fn mean(&self) -> f64 {
        match &self.own {
            Some(own) => own.mean,
            None => self.pulled_mean - self.square * self.intercepts.iter().sum::<f64>(),
        }
    }

    /// What the columns add to the score of a row.
    pub(crate) fn dot(&self, problem: &Problem<'_>, row: usize) -> f64 {
        if self.means.is_empty() {
            return 0.0;
        }
        let beside = problem.features.beside(row);
        let sum: f64 = match &self.own {
            Some(own) => beside.map(|(column, value)| value * own.weights[column]).sum(),
            None => {
                let sum: f64 = self.intercepts.iter().sum();
                beside.map(|(column, value)| value * (self.pulled[column] - self.means[column] * sum)).sum()
            }
        };
        sum - self.mean()
    }

    /// The squared length of a row, as far as its score follows a step of its pull at once.
    pub(crate) fn square(&self, problem: &Problem<'_>, row: usize) -> f64 {
        let all = problem.features.squares[row] + 1.0;
        if self.means.is_empty() {
            return all;
        }
        let beside = problem.features.beside(row);
        match self.own {
            Some(_) => all - beside.map(|(_, value)| value * value).sum::<f64>(),
            None => {
                all + self.square
                    - 2.0 * beside.map(|(column, value)| value * self.means[column]).sum::<f64>()
            }
        }
    }

    /// A pull of a row moved, and c a y / (lambda C) with it by this step.
    pub(crate) fn add(&mut self, problem: &Problem<'_>, (row, border): (usize, usize), step: f64) {
        self.intercepts[border] += step;
        for (column, value) in problem.features.beside(row) {
            self.pulled[column] += step * value;
            self.pulled_mean += step * value * self.means[column];
        }
    }

    /// An example was seen in a round, where its loss has this second derivative, times c/C.
    pub(crate) fn bend(&mut self, problem: &Problem<'_>, row: usize, curve: impl FnOnce() -> f64) {
        let Some(own) = &mut self.own else { return };
        let curve = curve();
        own.sum += curve;
        for (column, value) in problem.features.beside(row) {
            let part = curve * value;
            own.slopes[column] += part;
            let before = problem.features.beside(row).take_while(|(other, _)| *other <= column);
            before.for_each(|(other, value)| own.curves[half(column) + other] += part * value);
        }
    }

    /// The end of a round: u follows the pulls.
    pub(crate) fn follow(&mut self, lambda: f64) -> Followed {
        let implied: Vec<f64> = self.implied().collect();
        let Some(own) = &mut self.own else { return Followed::default() };
        let mut step: Vec<f64> =
            implied.iter().zip(&own.weights).map(|(implied, own)| lambda * (implied - own)).collect();
        for column in 0..step.len() {
            let mean = self.means[column];
            for other in 0..=column {
                own.curves[half(column) + other] += own.sum * mean * self.means[other]
                    - mean * own.slopes[other]
                    - own.slopes[column] * self.means[other];
            }
            own.curves[half(column) + column] += lambda;
        }
        let slope = step.clone();
        solve(&mut own.curves, &mut step);
        own.curves.fill(0.0);
        own.slopes.fill(0.0);
        own.sum = 0.0;
        own.weights.iter_mut().zip(&step).for_each(|(weight, step)| *weight += step);
        own.mean = own.weights.iter().zip(&self.means).map(|(weight, mean)| weight * mean).sum();
        let product = |of: &[f64]| step.iter().zip(of).map(|(step, own)| (step * own).abs()).sum::<f64>();
        Followed {
            moved: product(&own.farthest),
            fell: step.iter().zip(&slope).map(|(a, b)| a * b).sum::<f64>() / 2.0,
        }
    }

    /// Multiplies all weights.
    pub(crate) fn scale(&mut self, by: f64) {
        self.intercepts.iter_mut().chain(&mut self.pulled).for_each(|weight| *weight *= by);
        self.pulled_mean *= by;
        if let Some(own) = &mut self.own {
            own.weights.iter_mut().for_each(|weight| *weight *= by);
            own.mean *= by;
        }
    }

    /// What P and D gain where u is not u(a), beside sums over examples that hold c a y u.z.
    pub(crate) fn apart(&self, lambda: f64) -> [f64; 2] {
        let (mut primal, mut dual) = (0.0, 0.0);
        for (weight, implied) in self.own.iter().flat_map(|own| &own.weights).zip(self.implied()) {
            primal += weight * (weight - implied);
            dual += implied * (weight - implied);
        }
        [lambda / 2.0 * primal, lambda / 2.0 * dual]
    }
}

/// What a Newton step did.
#[derive(Debug, Default, Clone, Copy)]
pub(crate) struct Followed {
    /// By how much a margin moved at most.
    pub(crate) moved: f64,
    /// By how much the objective fell, as far as its second derivatives tell.
    pub(crate) fell: f64,
}
