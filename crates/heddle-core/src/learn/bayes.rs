//! Naive Bayes: weights by a formula, without a search.
//!
//! Multinomial and presence as in McCallum and Nigam (1998), "A comparison of event models for
//! naive Bayes text classification", AAAI workshop on learning for text categorization;
//! complement and values that are no whole counts as in Rennie, Shih, Teevan and Karger (2003),
//! "Tackling the poor assumptions of naive Bayes text classifiers", ICML,
//! <https://aaai.org/papers/icml03-081/>.
//!
//! Terms are taken for independent, so that scores are larger than the evidence: they are
//! calibrated before they count as log-odds. Values below zero, which a negated word may give to its plain
//! form, are no events: they are passed over in counting, and speak against what was counted in a score.
//! Cost: one pass over the training rows.

use super::learner::{Convergence, Learner, Stop, Stopping};
use super::objective::Problem;
use super::question::Question;
use super::settings::Events;
use crate::labels::classes::Classes;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;
use crate::measure::odds::loss;

/// The learner; all is known once it is made.
#[derive(Debug, Clone)]
pub struct Bayes<'a> {
    problem: Problem<'a>,
    weights: Vec<f64>,
    intercepts: [f64; 2],
}

/// What one side of the borders adds up to.
#[derive(Debug, Clone)]
struct Sums {
    /// By column: the values of the examples, times their costs.
    columns: Vec<f64>,
    /// Over all columns.
    all: f64,
    /// The costs of the examples.
    examples: f64,
}

impl<'a> Bayes<'a> {
    /// Learns; `smoothing` is added to the count of every term on each side, so that a term
    /// that one side never uses has a weight too.
    ///
    /// # Panics
    /// If there are no training rows, or `smoothing` is not above 0.
    pub fn new(problem: Problem<'a>, events: Events, smoothing: f64) -> Self {
        assert!(!problem.rows.is_empty(), "no rows to learn from");
        assert!(smoothing > 0.0, "smoothing must be above 0, got {smoothing}");
        let features = problem.features;
        let columns = features.rows.columns();
        let new = || Sums { columns: vec![0.0; columns], all: 0.0, examples: 0.0 };
        let mut sides = [new(), new()];
        let mut by_border = [[0.0; 2]; 2];
        // Columns in the order in which the rows first use them: sums over columns must not
        // depend on their numbering, which other rows may change.
        let (mut order, mut seen) = (Vec::new(), vec![false; columns]);
        for example in (0..problem.examples()).map(|at| problem.example(at)) {
            let side = usize::from(example.sign > 0.0);
            by_border[example.border][side] += example.cost;
            let sums = &mut sides[side];
            sums.examples += example.cost;
            for entry in features.rows.row(example.row) {
                let column = entry.column as usize;
                // A word that is taken back, as "boring" is by "not boring", did not occur.
                let value = match events {
                    _ if features.document_factors[column] == 0.0 || entry.value <= 0.0 => continue,
                    Events::Presence => 1.0,
                    _ => features.value(example.row, entry.column, entry.value),
                };
                sums.columns[column] += example.cost * value;
                sums.all += example.cost * value;
                if !std::mem::replace(&mut seen[column], true) {
                    order.push(column);
                }
            }
        }
        // Of a class that is asked for alone, what it says itself; of two sides, how they differ.
        let ask = match problem.question {
            Question::Above(_) => Ask::Difference,
            Question::Is(_) => Ask::Class,
        };
        let factors = &features.document_factors;
        let added = Added { sides, by_border, order };
        let (weights, intercepts) = added.weights(factors, (events, smoothing), ask);
        Self { problem, weights, intercepts }
    }
}

/// The weights and the intercepts that follow from counts alone, of classes on one axis: `value` is what a term adds up to
/// in the rows of a class, `mix` the rows of each class and `costs` what each of these counts. `factors` are the
/// document factors, 0 for a term that is left out.
pub(crate) fn of_counts(
    value: impl Fn(Polarity, usize) -> f64,
    factors: &[f32],
    (classes, mix, costs): (Classes, ClassCounts, PerClass<f64>),
    (events, smoothing): (Events, f64),
) -> (Vec<f64>, [f64; 2]) {
    let new = || Sums { columns: vec![0.0; factors.len()], all: 0.0, examples: 0.0 };
    let (mut sides, mut by_border, mut order) = ([new(), new()], [[0.0; 2]; 2], Vec::new());
    let examples = || {
        let borders = 0..classes.borders();
        borders.flat_map(|border| classes.list().iter().map(move |class| (border, *class)))
    };
    for (border, class) in examples() {
        let side = usize::from(classes.side(border, class) > 0.0);
        by_border[border][side] += costs[class] * mix[class] as f64;
        sides[side].examples += costs[class] * mix[class] as f64;
    }
    for (column, factor) in factors.iter().enumerate().filter(|(_, factor)| **factor != 0.0) {
        let mut there = false;
        for (border, class) in examples() {
            let own = costs[class] * value(class, column);
            // A word that is taken back more often than it is said did not occur.
            if own > 0.0 {
                let factor = if events == Events::Presence { 1.0 } else { f64::from(*factor) };
                let sums = &mut sides[usize::from(classes.side(border, class) > 0.0)];
                sums.columns[column] += own * factor;
                sums.all += own * factor;
                there = true;
            }
        }
        if there {
            order.push(column);
        }
    }
    let (weights, intercepts) =
        Added { sides, by_border, order }.weights(factors, (events, smoothing), Ask::Difference);
    (weights, classes.spread(intercepts))
}

/// What rows add up to.
struct Added {
    /// Below and above.
    sides: [Sums; 2],
    /// By border: the costs of the examples below it and above.
    by_border: [[f64; 2]; 2],
    /// The columns that rows use.
    order: Vec<usize>,
}

impl Added {
    /// The weight of each column, and the intercept of each border.
    fn weights(&self, factors: &[f32], (events, smoothing): (Events, f64), ask: Ask) -> (Vec<f64>, [f64; 2]) {
        let Self { sides, by_border, order } = self;
        let kept = factors.iter().filter(|factor| **factor != 0.0).count();
        let (mut weights, shift) = match events {
            Events::Presence => presence(sides, smoothing, (order, kept), ask),
            Events::Multinomial => (multinomial(sides, smoothing, kept, ask), 0.0),
            Events::Complement => (complement(sides, smoothing, (order, kept), ask), 0.0),
        };
        for (weight, factor) in weights.iter_mut().zip(factors) {
            if *factor == 0.0 {
                *weight = 0.0;
            }
        }
        let intercept = |[below, above]: [f64; 2]| match ask {
            Ask::Difference => ((above + smoothing) / (below + smoothing)).ln() + shift,
            Ask::Class => (above + smoothing).ln() + shift,
        };
        (weights, by_border.map(intercept))
    }
}

/// ln of a term's share of all values on a side; `value` is the term's own.
fn log_share(sums: &Sums, value: f64, smoothing: f64, kept: usize) -> f64 {
    ((value + smoothing) / (sums.all + smoothing * kept as f64)).ln()
}

/// What is asked of the sums of both sides: above and below, or a class and the rest.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Ask {
    /// How the upper side differs from the lower one.
    Difference,
    /// What speaks for the class: scores of several classes are then compared.
    Class,
}

fn multinomial(sides: &[Sums; 2], smoothing: f64, kept: usize, ask: Ask) -> Vec<f64> {
    let log =
        |side: usize, column: usize| log_share(&sides[side], sides[side].columns[column], smoothing, kept);
    let of = |column: usize| match ask {
        Ask::Difference => log(1, column) - log(0, column),
        Ask::Class => log(1, column),
    };
    (0..sides[0].columns.len()).map(of).collect()
}

/// A side is judged by how badly the other side's terms explain the review, and both sides'
/// weights are brought to one length, so that a side with longer reviews or more dependent
/// terms does not shout the other down (section 3 of Rennie and others).
fn complement(sides: &[Sums; 2], smoothing: f64, (order, kept): (&[usize], usize), ask: Ask) -> Vec<f64> {
    let log = |side: usize, value: f64| log_share(&sides[side], value, smoothing, kept);
    let length = |side: usize| {
        let used: f64 = order.iter().map(|&column| log(side, sides[side].columns[column]).abs()).sum();
        used + (kept - order.len()) as f64 * log(side, 0.0).abs()
    };
    let lengths = [0, 1].map(length);
    let mean = match ask {
        Ask::Difference => (lengths[0] + lengths[1]) / 2.0,
        Ask::Class => kept as f64, // the same for every class
    };
    let part = |side: usize, column: usize| log(side, sides[side].columns[column]) / lengths[side] * mean;
    let of = |column: usize| match ask {
        Ask::Difference => part(1, column) - part(0, column),
        Ask::Class => -part(0, column),
    };
    (0..sides[0].columns.len()).map(of).collect()
}

/// The difference of the log-odds that a review of each side holds a term; the intercept takes what
/// all terms say by being absent.
fn presence(
    sides: &[Sums; 2],
    smoothing: f64,
    (order, kept): (&[usize], usize),
    ask: Ask,
) -> (Vec<f64>, f64) {
    let absent =
        |held: f64, sums: &Sums| (sums.examples - held + smoothing) / (sums.examples + 2.0 * smoothing);
    let weight = |column: usize| {
        let odds = |sums: &Sums| {
            let absent = absent(sums.columns[column], sums);
            ((1.0 - absent) / absent).ln()
        };
        odds(&sides[1]) - if ask == Ask::Difference { odds(&sides[0]) } else { 0.0 }
    };
    let says = |held: [f64; 2]| {
        let other = if ask == Ask::Difference { absent(held[0], &sides[0]) } else { 1.0 };
        (absent(held[1], &sides[1]) / other).ln()
    };
    let used: f64 = order.iter().map(|&column| says([0, 1].map(|side| sides[side].columns[column]))).sum();
    let unused = (kept - order.len()) as f64 * says([0.0; 2]);
    ((0..sides[0].columns.len()).map(weight).collect(), used + unused)
}

impl Learner for Bayes<'_> {
    fn solve(&mut self, _: f64, _: Stopping) -> Convergence {
        let mut sum = 0.0;
        for example in (0..self.problem.examples()).map(|at| self.problem.example(at)) {
            sum +=
                example.cost * loss(example.sign * (self.dot(example.row) + self.intercepts[example.border]));
        }
        Convergence { stop: Stop::Done, rounds: 1, objective: sum / self.problem.total_cost(), gap: None }
    }

    fn approach(&mut self, _: f64, _: Stopping) {}

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
