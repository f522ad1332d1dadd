//! Multinomial logistic regression of three classes under a ridge, by a truncated Newton method.
//!
//! The objective over one vector w(c) and one intercept b(c) for each class c is
//!
//! ```text
//! P = 1/C sum cost (-ln p(label)) + lambda/2 sum over c of (|w(c)|^2 + b(c)^2)      p = softmax(w(c).x + b(c))
//! ```
//!
//! At its minimum the vectors sum to 0, and so do those of every step from 0: with s and h of [`super::free`] in their
//! place, sum |w(c)|^2 = |s|^2 / 2 + 2 |h|^2 / 3. A step solves the Newton system by conjugate gradients, only as far
//! as its own promise goes (Dembo and Steihaug (1983), "Truncated-Newton algorithms for large-scale unconstrained
//! optimization", DOI 10.1007/BF02592055), and is halved until the objective falls. It stops by the duality gap: the
//! dual at the probabilities p of the present weights is D = 1/C sum cost H(p) - lambda/2 sum |w(c) - g(c)/lambda|^2, with
//! g(c) the gradient by w(c) (Yu, Huang and Lin (2011), DOI 10.1007/s10994-010-5221-8, section 2).
//!
//! Cost: two passes over the entries for each step of the gradients, about ten steps for each of about eight Newton
//! steps. Requirements: lambda > 0.

use super::learner::{Convergence, Stop, Stopping};
use super::objective::Problem;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::measure::verdict::{Place, class_scores};

/// Steps of conjugate gradients for one Newton step.
const INNER_STEPS: usize = 50;
/// A residual of this share of the gradient ends them.
const FORCING: f64 = 0.1;
/// How much of the promised fall a step must bring.
const ARMIJO: f64 = 1e-4;

/// The learner: s and h, each with its intercept as a last weight.
#[derive(Debug, Clone)]
pub(crate) struct Multinomial<'a> {
    problem: Problem<'a>,
    /// The costs of the rows, their sum 1.
    shares: Vec<f64>,
    /// The columns that the rows use, in the order in which they first do: sums over columns must not depend on their
    /// numbering, which other rows may change.
    order: Vec<u32>,
    weights: [Vec<f64>; 2],
    intercepts: [f64; 2],
}

/// A direction, or a gradient: one vector and one number for each axis.
#[derive(Debug, Clone)]
struct Vectors {
    of: [Vec<f64>; 2],
    ends: [f64; 2],
}

/// The penalty of a unit of each axis: half of it, times lambda, is 1/4 and 1/3.
const PENALTY: [f64; 2] = [0.5, 2.0 / 3.0];

/// What is known at some weights.
struct Point {
    objective: f64,
    gap: f64,
    gradient: Vectors,
    /// By row: the probabilities.
    probabilities: Vec<PerClass<f64>>,
}

impl Vectors {
    fn zero(columns: usize) -> Self {
        Self { of: [vec![0.0; columns], vec![0.0; columns]], ends: [0.0; 2] }
    }

    /// The product over these columns.
    fn dot(&self, other: &Self, order: &[u32]) -> f64 {
        let of_axis = |axis: usize| {
            let (own, theirs) = (&self.of[axis], &other.of[axis]);
            let columns = order.iter().map(|column| own[*column as usize] * theirs[*column as usize]);
            columns.sum::<f64>() + self.ends[axis] * other.ends[axis]
        };
        of_axis(0) + of_axis(1)
    }

    /// self + factor x other.
    fn add(&mut self, factor: f64, other: &Self) {
        for axis in 0..2 {
            self.of[axis].iter_mut().zip(&other.of[axis]).for_each(|(own, by)| *own += factor * by);
            self.ends[axis] += factor * other.ends[axis];
        }
    }

    /// Adds what the penalty pulls at these weights.
    fn add_penalty(&mut self, lambda: f64, weights: &Self) {
        for (axis, unit) in PENALTY.iter().enumerate() {
            let by = lambda * unit;
            self.of[axis].iter_mut().zip(&weights.of[axis]).for_each(|(own, weight)| *own += by * weight);
            self.ends[axis] += by * weights.ends[axis];
        }
    }

    /// factor x self + other.
    fn scaled_add(&mut self, factor: f64, other: &Self) {
        for axis in 0..2 {
            self.of[axis].iter_mut().zip(&other.of[axis]).for_each(|(own, by)| *own = factor * *own + by);
            self.ends[axis] = factor * self.ends[axis] + other.ends[axis];
        }
    }
}

impl<'a> Multinomial<'a> {
    /// A learner that knows nothing yet. The problem's question plays no role.
    ///
    /// # Panics
    /// If there are no training rows.
    pub(crate) fn new(problem: Problem<'a>) -> Self {
        assert!(!problem.rows.is_empty(), "no rows to learn from");
        let cost = |row: &u32| problem.cost(*row as usize);
        let all: f64 = problem.rows.iter().map(cost).sum();
        let columns = problem.features.columns();
        Self {
            shares: problem.rows.iter().map(|row| cost(row) / all).collect(),
            order: first_used(&problem),
            weights: [vec![0.0; columns], vec![0.0; columns]],
            intercepts: [0.0; 2],
            problem,
        }
    }

    /// Minimises the objective; the next strength starts where this one ends.
    pub(crate) fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        assert!(lambda > 0.0, "a strength must be above 0, got {lambda}");
        let mut here = self.point(lambda);
        for round in 0..stopping.rounds {
            if here.gap <= stopping.tolerance || here.gap.is_nan() {
                return self.end(Stop::Converged, round, &here);
            }
            let step = self.newton_step(lambda, &here);
            let Some(next) = self.walk(lambda, &here, &step) else {
                return self.end(Stop::Rounds, round, &here);
            };
            here = next;
        }
        self.end(Stop::Rounds, stopping.rounds, &here)
    }

    fn end(&self, stop: Stop, rounds: u32, here: &Point) -> Convergence {
        let stop = if here.gap.is_nan() { Stop::Rounds } else { stop };
        Convergence { stop, rounds, objective: here.objective, gap: Some(here.gap) }
    }

    /// By axis: one weight per column; 0 where the document factor is 0.
    pub(crate) fn weights(&self) -> &[Vec<f64>; 2] {
        &self.weights
    }

    pub(crate) fn intercepts(&self) -> [f64; 2] {
        self.intercepts
    }

    /// By axis: the score of any row of the matrix.
    pub(crate) fn scores(&self, row: usize) -> [f64; 2] {
        let dots = self.dots(row, &self.weights);
        [0, 1].map(|axis| dots[axis] + self.intercepts[axis])
    }

    fn dots(&self, row: usize, of: &[Vec<f64>; 2]) -> [f64; 2] {
        let mut dots = [0.0; 2];
        for (column, value) in self.problem.features.entries(row) {
            dots[0] += value * of[0][column];
            dots[1] += value * of[1][column];
        }
        dots
    }

    /// Adds a row, times a number for each axis.
    fn scatter(&self, row: usize, by: [f64; 2], into: &mut Vectors) {
        for (column, value) in self.problem.features.entries(row) {
            into.of[0][column] += by[0] * value;
            into.of[1][column] += by[1] * value;
        }
        into.ends[0] += by[0];
        into.ends[1] += by[1];
    }

    fn present(&self) -> Vectors {
        Vectors { of: self.weights.clone(), ends: self.intercepts }
    }

    fn point(&self, lambda: f64) -> Point {
        let present = self.present();
        let mut gradient = Vectors::zero(self.weights[0].len());
        let (mut loss, mut entropy) = (0.0, 0.0);
        let mut probabilities = Vec::with_capacity(self.problem.rows.len());
        for (&row, &share) in self.problem.rows.iter().zip(&self.shares) {
            let label = self.problem.labels[row as usize];
            let [log_odds, neutrality] = self.scores(row as usize);
            let place = Place::apart(log_odds, neutrality);
            let own = place.probabilities();
            loss += share * place.log_loss(label);
            let part =
                |class: Polarity| if own[class] > 0.0 { own[class] * place.log_loss(class) } else { 0.0 };
            entropy += share * Polarity::ALL.into_iter().map(part).sum::<f64>();
            let pulls = slopes(&own, label).map(|pull| share * pull);
            self.scatter(row as usize, pulls, &mut gradient);
            probabilities.push(own);
        }
        // Of the dual: w(c) - gradient/lambda of the whole objective is -g(c)/lambda of the loss alone.
        let dual_penalty = class_norm(&gradient, &self.order) / (2.0 * lambda);
        let objective = loss + lambda / 2.0 * penalty(&present, &self.order);
        gradient.add_penalty(lambda, &present);
        let gap = (objective - (entropy - dual_penalty)) / objective.abs().max(f64::MIN_POSITIVE);
        Point { objective, gap, gradient, probabilities }
    }

    /// The Hessian times a direction.
    fn bend(&self, lambda: f64, here: &Point, direction: &Vectors) -> Vectors {
        let mut out = Vectors::zero(self.weights[0].len());
        for ((&row, &share), own) in self.problem.rows.iter().zip(&self.shares).zip(&here.probabilities) {
            let dots = self.dots(row as usize, &direction.of);
            let along = [0, 1].map(|axis| dots[axis] + direction.ends[axis]);
            let [[ss, sh], [_, hh]] = curvature(own);
            let pulls = [ss * along[0] + sh * along[1], sh * along[0] + hh * along[1]];
            self.scatter(row as usize, pulls.map(|pull| share * pull), &mut out);
        }
        out.add_penalty(lambda, direction);
        out
    }

    fn newton_step(&self, lambda: f64, here: &Point) -> Vectors {
        let columns = self.weights[0].len();
        let mut step = Vectors::zero(columns);
        let mut rest = Vectors::zero(columns);
        rest.add(-1.0, &here.gradient);
        let mut direction = rest.clone();
        let mut square = rest.dot(&rest, &self.order);
        let enough = FORCING * FORCING * square;
        for _ in 0..INNER_STEPS {
            if square <= enough {
                break;
            }
            let bent = self.bend(lambda, here, &direction);
            let length = square / direction.dot(&bent, &self.order);
            step.add(length, &direction);
            rest.add(-length, &bent);
            let next = rest.dot(&rest, &self.order);
            direction.scaled_add(next / square, &rest);
            square = next;
        }
        step
    }

    /// Goes a step, halved until the objective falls; nothing if it never does.
    fn walk(&mut self, lambda: f64, here: &Point, step: &Vectors) -> Option<Point> {
        let start = self.present();
        let promised = here.gradient.dot(step, &self.order);
        let mut length = 1.0;
        while length >= 1e-10 {
            let mut next = start.clone();
            next.add(length, step);
            Vectors { of: self.weights, ends: self.intercepts } = next;
            let there = self.point(lambda);
            if there.objective <= here.objective + ARMIJO * length * promised {
                return Some(there);
            }
            length /= 2.0;
        }
        Vectors { of: self.weights, ends: self.intercepts } = start;
        None
    }
}

fn first_used(problem: &Problem<'_>) -> Vec<u32> {
    let features = problem.features;
    let mut seen = vec![false; features.columns()];
    let columns =
        problem.rows.iter().flat_map(|row| features.entries(*row as usize)).map(|(column, _)| column);
    let used = columns.filter(|column| features.factor(*column) != 0.0);
    used.filter(|column| !std::mem::replace(&mut seen[*column], true)).map(|column| column as u32).collect()
}

/// The derivatives of -ln p(label) by s and h.
pub(crate) fn slopes(own: &PerClass<f64>, label: Polarity) -> [f64; 2] {
    let is = |class: Polarity| f64::from(u8::from(class == label));
    let excess = PerClass::of(|class| own[class] - is(class));
    [(excess[Polarity::Positive] - excess[Polarity::Negative]) / 2.0, excess[Polarity::Neutral]]
}

/// The second derivatives by s and h.
pub(crate) fn curvature(own: &PerClass<f64>) -> [[f64; 2]; 2] {
    let [negative, positive, neutral] = own.into_array();
    let tilt = (positive - negative) / 2.0;
    let both = -tilt * neutral;
    [[(negative + positive) / 4.0 - tilt * tilt, both], [both, neutral * (1.0 - neutral)]]
}

/// sum |w(c)|^2 + b(c)^2.
fn penalty(of: &Vectors, order: &[u32]) -> f64 {
    let square = |axis: usize| {
        let weights = order.iter().map(|column| of.of[axis][*column as usize]);
        weights.map(|weight| weight * weight).sum::<f64>() + of.ends[axis].powi(2)
    };
    PENALTY[0] * square(0) + PENALTY[1] * square(1)
}

/// The sum over the classes of the squared gradients, given those by s and h. The gradients by w(c) sum to 0, and those
/// by s and h are (g(positive) - g(negative)) / 2 and g(neutral).
fn class_norm(of: &Vectors, order: &[u32]) -> f64 {
    let square = |s: f64, h: f64| {
        let parts = class_scores(2.0 * s, 1.5 * h);
        parts.iter().map(|part| part * part).sum::<f64>()
    };
    let at = |column: &u32| square(of.of[0][*column as usize], of.of[1][*column as usize]);
    order.iter().map(at).sum::<f64>() + square(of.ends[0], of.ends[1])
}
