//! A straight line from scores on one axis to log-odds.

use super::least::least;
use crate::labels::classes::Classes;
use crate::labels::polarity::Polarity;
use crate::measure::odds::{loss, sigmoid};

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
    let step = |at: &[f64; 3]| {
        let (gradient, second) = curve.derivatives(*at);
        newton(gradient, second, classes.borders())
    };
    let at = least([1.0, 0.0, 0.0], |at| curve.loss(*at), step);
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

    fn loss(&self, at: [f64; 3]) -> f64 {
        let one = |&(score, label, cost): &(f64, Polarity, f64)| {
            let at_border = |border: usize| {
                let (t, z) = (self.target(border, label), at[0] * score / self.spread + at[1 + border]);
                // -t ln p - (1 - t) ln(1 - p), stable on both sides
                loss(z) + (1.0 - t) * z
            };
            cost * (0..self.classes.borders()).map(at_border).sum::<f64>()
        };
        self.rows.iter().map(one).sum()
    }

    /// The first and the second derivatives.
    fn derivatives(&self, at: [f64; 3]) -> ([f64; 3], [[f64; 3]; 3]) {
        let (mut gradient, mut second) = ([0.0; 3], [[0.0; 3]; 3]);
        for &(score, label, cost) in self.rows {
            for border in 0..self.classes.borders() {
                let x = score / self.spread;
                let p = sigmoid(at[0] * x + at[1 + border]);
                let (pull, bend) = (cost * (p - self.target(border, label)), cost * p * (1.0 - p));
                gradient[0] += pull * x;
                gradient[1 + border] += pull;
                second[0][0] += bend * x * x;
                second[0][1 + border] += bend * x;
                second[1 + border][1 + border] += bend;
            }
        }
        (gradient, second)
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
