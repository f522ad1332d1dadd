//! Counts of true and called classes.

use serde::{Deserialize, Serialize};

use super::interval::{Figure, f1, mean_of_shares, normal_quantile, share};
use crate::labels::classes::Classes;
use crate::labels::polarity::Polarity;

/// How many reviews of each class were called what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Confusion {
    /// The classes, in the order of every table.
    pub classes: Vec<Polarity>,
    /// `counts[true class][called class]`, in the order of `classes`.
    pub counts: Vec<Vec<usize>>,
}

/// Precision, recall and F1 of one class.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct ClassFigures {
    /// The class.
    pub class: Polarity,
    /// Of the reviews called this class, the share that has it.
    pub precision: Figure,
    /// Of the reviews that have this class, the share called so.
    pub recall: Figure,
    /// The harmonic mean of precision and recall.
    pub f1: Figure,
}

impl Confusion {
    /// Counts pairs of true and called class.
    ///
    /// # Panics
    /// If a pair has a class that `classes` does not have.
    pub fn new(classes: Classes, pairs: impl IntoIterator<Item = (Polarity, Polarity)>) -> Self {
        let list = classes.list();
        let place = |class: Polarity| {
            list.iter().position(|other| *other == class).expect("a class of these reviews")
        };
        let mut counts = vec![vec![0; list.len()]; list.len()];
        pairs.into_iter().for_each(|(truth, called)| counts[place(truth)][place(called)] += 1);
        Self { classes: list.to_vec(), counts }
    }

    /// The number of reviews.
    pub fn total(&self) -> usize {
        self.counts.iter().flatten().sum()
    }

    /// The reviews of a class.
    pub fn of(&self, class: Polarity) -> usize {
        self.place(class).map_or(0, |at| self.counts[at].iter().sum())
    }

    /// The share of the reviews that are of a class; 0 where there are none.
    pub fn share_of(&self, class: Polarity) -> f64 {
        self.of(class) as f64 / self.total().max(1) as f64
    }

    /// The reviews of a class that were called another.
    pub fn counted(&self, truth: Polarity, called: Polarity) -> usize {
        let places = || Some((self.place(truth)?, self.place(called)?));
        places().map_or(0, |(truth, called)| self.counts[truth][called])
    }

    pub(crate) fn place(&self, class: Polarity) -> Option<usize> {
        self.classes.iter().position(|other| *other == class)
    }

    /// The share of reviews called by their true class, with Wilson's interval.
    pub fn accuracy(&self) -> Figure {
        share((0..self.counts.len()).map(|class| self.counts[class][class]).sum(), self.total())
    }

    /// The figures of one class.
    pub fn class(&self, class: Polarity) -> ClassFigures {
        let hit = self.counted(class, class);
        let called: usize = self.classes.iter().map(|truth| self.counted(*truth, class)).sum();
        let (missed, wrong) = (self.of(class) - hit, called - hit);
        ClassFigures {
            class,
            precision: share(hit, called),
            recall: share(hit, self.of(class)),
            f1: f1(share(hit, hit + wrong + missed)),
        }
    }

    /// The mean of the recalls of the classes.
    pub fn balanced_accuracy(&self) -> Figure {
        let recalls: Vec<Figure> = self.classes.iter().map(|class| self.class(*class).recall).collect();
        mean_of_shares(&recalls)
    }

    /// The correlation of true and called class: Matthews (1975), "Comparison of the
    /// predicted and observed secondary structure of T4 phage lysozyme", DOI
    /// 10.1016/0005-2795(75)90109-9; for more classes Gorodkin (2004), DOI
    /// 10.1016/j.compbiolchem.2004.09.006. Undefined if either is constant.
    ///
    /// The interval is that of the delta method on Fisher's scale: the variance of the counts as
    /// a multinomial, carried through the slope of the figure by each count.
    pub fn matthews(&self) -> Figure {
        self.matthews_spread(|_| None)
    }

    /// As [`matthews`](Self::matthews), with the variance on Fisher's scale and the number of standard errors on both
    /// sides that `spread` makes of how much a review of each cell moves the figure there.
    pub(crate) fn matthews_spread(&self, spread: impl FnOnce(&[Vec<f64>]) -> Option<(f64, f64)>) -> Figure {
        let (n, classes) = (self.total(), self.classes.len());
        let shares: Vec<f64> = self.counts.iter().flatten().map(|count| *count as f64 / n as f64).collect();
        let r = correlation(&shares, classes);
        if n == 0 || !r.is_finite() {
            return Figure::undefined(n);
        }
        if r.abs() >= 1.0 - 1e-12 {
            return Figure::new(r.clamp(-1.0, 1.0), f64::NAN, f64::NAN, n); // no error was seen: its spread is unknown
        }
        let slope = |cell: usize| {
            const STEP: f64 = 1e-6;
            let at = |by: f64| {
                let mut moved = shares.clone();
                moved[cell] += by;
                correlation(&moved, classes).atanh()
            };
            (at(STEP) - at(-STEP)) / (2.0 * STEP)
        };
        let slopes: Vec<f64> = (0..shares.len()).map(slope).collect();
        let mean: f64 = slopes.iter().zip(&shares).map(|(slope, share)| slope * share).sum();
        let moves: Vec<f64> = slopes.iter().map(|slope| (slope - mean) / n as f64).collect();
        let moves: Vec<Vec<f64>> = moves.chunks(classes).map(<[f64]>::to_vec).collect();
        let (variance, quantile) = spread(&moves).unwrap_or_else(|| {
            let cells = self.counts.iter().flatten().zip(moves.iter().flatten());
            (cells.map(|(count, own)| *count as f64 * own * own).sum(), normal_quantile())
        });
        let half = quantile * variance.max(0.0).sqrt();
        Figure::new(r, (r.atanh() - half).tanh(), (r.atanh() + half).tanh(), n)
    }
}

/// The correlation of true and called class, given the share of each cell of a square table.
fn correlation(cells: &[f64], classes: usize) -> f64 {
    let all: f64 = cells.iter().sum();
    let row = |class: usize| cells[class * classes..(class + 1) * classes].iter().sum::<f64>() / all;
    let column = |class: usize| (0..classes).map(|truth| cells[truth * classes + class]).sum::<f64>() / all;
    let sum = |part: &dyn Fn(usize) -> f64| (0..classes).map(part).sum::<f64>();
    let hits = sum(&|class| cells[class * classes + class] / all);
    let both = sum(&|class| row(class) * column(class));
    let (truths, calls) = (1.0 - sum(&|class| row(class).powi(2)), 1.0 - sum(&|class| column(class).powi(2)));
    if truths <= 1e-15 || calls <= 1e-15 {
        return f64::NAN; // one class only: no correlation
    }
    (hits - both) / (truths * calls).sqrt()
}
