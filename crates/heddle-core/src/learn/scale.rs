//! A straight line from scores on one axis to log-odds.

use std::array::from_fn;

use rayon::prelude::*;

use super::least::least;
use crate::labels::classes::Classes;
use crate::labels::polarity::Polarity;
use crate::measure::odds::loss_and_sigmoid;

/// Rows whose loss one core adds up at a time; a fixed number, so that sums do not depend on the cores.
const AT_ONCE: usize = 4096;

/// What brings scores to log-odds: score x slope + intercept, one intercept for each border.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Scale {
    pub(crate) slope: f64,
    pub(crate) intercepts: [f64; 2],
}

impl Scale {
    /// What is left where scores say nothing: the class mix of the rows, whatever the score.
    pub(crate) fn flat(rows: &[(f64, Polarity, f64)], classes: Classes) -> Self {
        let odds = |border: usize| {
            let of = |side: f64| -> f64 {
                rows.iter().filter(|row| classes.side(border, row.1) == side).map(|row| row.2).sum()
            };
            ((of(1.0) + 1.0) / (of(-1.0) + 1.0)).ln()
        };
        Self { slope: 0.0, intercepts: classes.spread([odds(0), odds(classes.borders() - 1)]) }
    }
}

/// Fits the curve of a sigmoid to scores: Platt (2000), "Probabilistic outputs for support vector
/// machines", in Advances in large margin classifiers, with the targets of his section 2.2 that
/// keep probabilities off 0 and 1, and the safe Newton steps of Lin, Lin and Weng (2007), Machine
/// Learning 68, DOI 10.1007/s10994-007-5018-6. `rows` are (centre score, label, cost); with
/// three classes one slope serves both borders.
///
/// Nothing where scores do not rise with the labels: then there is nothing to believe.
pub(crate) fn scale(rows: &[(f64, Polarity, f64)], classes: Classes) -> Option<Scale> {
    let curve = SigmoidFit::new(rows, classes)?;
    let look = |at: &[f64; 3]| {
        let Bent { loss, gradient, second } = curve.at(*at);
        (loss, newton(gradient, second, classes.borders()))
    };
    let at = least([1.0, 0.0, 0.0], look);
    let intercepts = classes.spread([at[1], at[2]]);
    (at[0] > 0.0).then_some(Scale { slope: at[0] / curve.spread, intercepts })
}

/// The loss of a sigmoid of scores, by its slope and the intercept of each border.
struct SigmoidFit<'a> {
    rows: &'a [(f64, Polarity, f64)],
    classes: Classes,
    /// By border: the costs below and above it.
    counts: [[f64; 2]; 2],
    /// The root mean square of the scores. They are brought to a spread of 1 first: Newton steps
    /// then have one size.
    spread: f64,
}

impl<'a> SigmoidFit<'a> {
    /// Nothing where a side of a border is empty, or all scores are 0.
    fn new(rows: &'a [(f64, Polarity, f64)], classes: Classes) -> Option<Self> {
        let borders = classes.borders();
        let mut counts = [[0.0f64; 2]; 2];
        for (border, count) in counts.iter_mut().enumerate().take(borders) {
            for (_, label, cost) in rows {
                count[usize::from(classes.side(border, *label) > 0.0)] += cost;
            }
        }
        let both_sides = counts.iter().take(borders).flatten().all(|count| *count != 0.0);
        let spread = (rows.iter().map(|(score, ..)| score * score).sum::<f64>() / rows.len() as f64).sqrt();
        let sound = both_sides && spread > 0.0 && spread.is_finite();
        sound.then_some(Self { rows, classes, counts, spread })
    }

    /// Platt's target for a label, off 0 and 1.
    fn target(&self, border: usize, label: Polarity) -> f64 {
        let [below, above] = self.counts[border];
        match self.classes.side(border, label) > 0.0 {
            true => (above + 1.0) / (above + 2.0),
            false => 1.0 / (below + 2.0),
        }
    }

    /// The loss at a place, and how it bends there. Every core takes some rows.
    fn at(&self, at: [f64; 3]) -> Bent {
        let parts: Vec<Bent> = self.rows.par_chunks(AT_ONCE).map(|rows| self.of_rows(rows, at)).collect();
        parts.into_iter().reduce(Bent::plus).unwrap_or_default()
    }

    fn of_rows(&self, rows: &[(f64, Polarity, f64)], at: [f64; 3]) -> Bent {
        let mut sums = Bent::default();
        for &(score, label, cost) in rows {
            let x = score / self.spread;
            let mut own = 0.0;
            for border in 0..self.classes.borders() {
                let (t, z) = (self.target(border, label), at[0] * x + at[1 + border]);
                let (loss, p) = loss_and_sigmoid(z);
                // -t ln p - (1 - t) ln(1 - p), stable on both sides
                own += loss + (1.0 - t) * z;
                let (pull, bend) = (cost * (p - t), cost * p * (1.0 - p));
                sums.gradient[0] += pull * x;
                sums.gradient[1 + border] += pull;
                sums.second[0][0] += bend * x * x;
                sums.second[0][1 + border] += bend * x;
                sums.second[1 + border][1 + border] += bend;
            }
            sums.loss += cost * own;
        }
        sums
    }
}

/// A loss with its first and second derivatives.
#[derive(Debug, Clone, Copy, Default)]
struct Bent {
    loss: f64,
    gradient: [f64; 3],
    second: [[f64; 3]; 3],
}

impl Bent {
    fn plus(self, other: Self) -> Self {
        Self {
            loss: self.loss + other.loss,
            gradient: from_fn(|at| self.gradient[at] + other.gradient[at]),
            second: from_fn(|row| from_fn(|at| self.second[row][at] + other.second[row][at])),
        }
    }
}

/// Solves the arrow-shaped system of a slope and one or two intercepts.
fn newton(gradient: [f64; 3], curve: [[f64; 3]; 3], borders: usize) -> Option<[f64; 3]> {
    const SMALL: f64 = 1e-10;
    let (mut corner, mut right) = (curve[0][0] + SMALL, gradient[0]);
    for border in 1..=borders {
        let diagonal = curve[border][border] + SMALL;
        corner -= curve[0][border] * curve[0][border] / diagonal;
        right -= curve[0][border] * gradient[border] / diagonal;
    }
    let slope = right / corner.max(SMALL);
    let mut step = [slope, 0.0, 0.0];
    for border in 1..=borders {
        step[border] = (gradient[border] - curve[0][border] * slope) / (curve[border][border] + SMALL);
    }
    step.iter().all(|part| part.is_finite()).then_some(step)
}
