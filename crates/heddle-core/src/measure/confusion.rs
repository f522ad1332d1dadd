//! Counts of true and called classes.

use serde::{Deserialize, Serialize};

use super::interval::{Figure, f1, mean_of_shares, normal_quantile, share};
use crate::polarity::Polarity;

/// How many reviews of each class were called what.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Confusion {
    /// `counts[true class][called class]`, in the order of [`Polarity::POLES`].
    pub counts: [[usize; 2]; 2],
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
    pub fn new(pairs: impl IntoIterator<Item = (Polarity, Polarity)>) -> Self {
        let mut counts = [[0; 2]; 2];
        pairs.into_iter().for_each(|(truth, called)| counts[truth.index()][called.index()] += 1);
        Self { counts }
    }

    /// The number of reviews.
    pub fn total(&self) -> usize {
        self.counts.iter().flatten().sum()
    }

    /// The share of reviews called by their true class, with Wilson's interval.
    pub fn accuracy(&self) -> Figure {
        share(self.counts[0][0] + self.counts[1][1], self.total())
    }

    /// The figures of one class.
    pub fn class(&self, class: Polarity) -> ClassFigures {
        let (own, other) = (class.index(), 1 - class.index());
        let (hit, missed, wrong) = (self.counts[own][own], self.counts[own][other], self.counts[other][own]);
        ClassFigures {
            class,
            precision: share(hit, hit + wrong),
            recall: share(hit, hit + missed),
            f1: f1(hit, wrong, missed),
        }
    }

    /// The mean of the two recalls.
    pub fn balanced_accuracy(&self) -> Figure {
        mean_of_shares(self.class(Polarity::Negative).recall, self.class(Polarity::Positive).recall)
    }

    /// The correlation of true and called class: Matthews (1975), "Comparison of the
    /// predicted and observed secondary structure of T4 phage lysozyme", DOI
    /// 10.1016/0005-2795(75)90109-9. Undefined if either is constant.
    ///
    /// The interval is that of a Pearson correlation by its influence function, Devlin,
    /// Gnanadesikan and Kettenring (1975), DOI 10.1093/biomet/62.3.531, on Fisher's scale.
    pub fn matthews(&self) -> Figure {
        let n = self.total();
        let cell = |truth: usize, called: usize| self.counts[truth][called] as f64 / n as f64;
        let (truth, called) = (cell(1, 0) + cell(1, 1), cell(0, 1) + cell(1, 1));
        let (truth_sd, called_sd) = ((truth * (1.0 - truth)).sqrt(), (called * (1.0 - called)).sqrt());
        if n == 0 || truth_sd == 0.0 || called_sd == 0.0 {
            return Figure::undefined(n);
        }
        let r = ((cell(1, 1) - truth * called) / (truth_sd * called_sd)).clamp(-1.0, 1.0);
        let influence = |t: usize, c: usize| {
            let (x, y) = ((t as f64 - truth) / truth_sd, (c as f64 - called) / called_sd);
            x * y - r / 2.0 * (x * x + y * y)
        };
        let variance: f64 =
            [(0, 0), (0, 1), (1, 0), (1, 1)].iter().map(|&(t, c)| cell(t, c) * influence(t, c).powi(2)).sum();
        if r.abs() == 1.0 {
            return Figure::new(r, f64::NAN, f64::NAN, n); // no error was seen: its spread is unknown
        }
        let half = normal_quantile() * (variance / n as f64).sqrt() / (1.0 - r * r);
        Figure::new(r, (r.atanh() - half).tanh(), (r.atanh() + half).tanh(), n)
    }
}
