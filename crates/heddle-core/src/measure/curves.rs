//! Curves of a set of predictions: what every other cut would give, and whether probabilities
//! may be believed.

use rayon::prelude::*;
use serde::Serialize;
use statrs::distribution::{ChiSquared, ContinuousCDF};

use super::dependence::Dependence;
use super::interval::Figure;
use super::odds::{logit, sigmoid};
use super::verdict::Verdict;
use crate::labels::polarity::Polarity;

/// Points that are kept of a curve, ends included.
const POINTS: usize = 101;
/// Bins of a reliability table.
const BINS: usize = 10;

/// What a cut would give: all reviews below it being called negative.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct CutPoint {
    /// The probability of positive at the cut; missing where nothing is called negative.
    pub probability: Option<f64>,
    /// The share of negative reviews found.
    pub recall: Figure,
    /// The share of positive reviews called negative.
    pub false_alarms: Figure,
    /// Of the reviews called negative, the share that is; undefined where there are none.
    pub precision: Figure,
}

/// What each cut would give, from the lowest to the highest, thinned to at most 102 points at
/// nearly even distances along the ROC curve. Neutral reviews play no role. Empty if a class is
/// absent. Intervals are those of a cut that was set beforehand, not of one picked for its figures.
///
/// Recall against false alarms is the ROC curve, recall against precision the precision-recall
/// curve, both of negative reviews.
///
/// # Panics
/// If there is not one verdict per label.
pub fn cut_points(labels: &[Polarity], verdicts: &[Verdict], dependence: &Dependence) -> Vec<CutPoint> {
    let of = |class: Polarity| -> Vec<u32> { in_order(labels, verdicts, |label| label == class) };
    let (negative, positive) = (of(Polarity::Negative), of(Polarity::Positive));
    if negative.is_empty() || positive.is_empty() {
        return Vec::new();
    }
    let score = |row: u32| verdicts[row as usize].log_odds;
    let below = |rows: &[u32], cut: f64| rows.partition_point(|row| score(*row) <= cut);
    let mut cuts: Vec<f64> = negative.iter().chain(&positive).map(|row| score(*row)).collect();
    cuts.sort_unstable_by(f64::total_cmp);
    cuts.dedup();
    let way = |cut: f64| {
        below(&negative, cut) as f64 / negative.len() as f64
            + below(&positive, cut) as f64 / positive.len() as f64
    };
    let kept = thinned(&cuts, way);
    let point = |cut: Option<f64>| {
        let called = |row: usize| cut.is_some_and(|cut| verdicts[row].log_odds <= cut);
        let both = negative.iter().chain(&positive).copied().filter(|row| called(*row as usize));
        CutPoint {
            probability: cut.map(sigmoid),
            recall: dependence.share(&negative, called).0,
            false_alarms: dependence.share(&positive, called).0,
            precision: dependence.share(&both.collect::<Vec<_>>(), |row| labels[row] == Polarity::Negative).0,
        }
    };
    let points: Vec<Option<f64>> = [None].into_iter().chain(kept.into_iter().map(Some)).collect();
    points.into_par_iter().map(point).collect()
}

/// The rows of some labels, from the most negative on.
fn in_order(labels: &[Polarity], verdicts: &[Verdict], takes: impl Fn(Polarity) -> bool) -> Vec<u32> {
    assert_eq!(labels.len(), verdicts.len(), "{} labels, {} verdicts", labels.len(), verdicts.len());
    let mut rows: Vec<u32> = (0..labels.len() as u32).filter(|row| takes(labels[*row as usize])).collect();
    rows.sort_by(|a, b| verdicts[*a as usize].log_odds.total_cmp(&verdicts[*b as usize].log_odds));
    rows
}

/// Keeps cuts at nearly even distances along the way, and both ends.
fn thinned(cuts: &[f64], way: impl Fn(f64) -> f64) -> Vec<f64> {
    const STEP: f64 = 2.0 / (POINTS - 1) as f64;
    let mut next = STEP;
    let mut kept = Vec::new();
    for (at, cut) in cuts.iter().enumerate() {
        let way = way(*cut);
        if way >= next || at + 1 == cuts.len() {
            kept.push(*cut);
            next = ((way / STEP).floor() + 1.0) * STEP;
        }
    }
    kept
}

/// What reading the most negative reviews first would find.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Gain {
    /// Reviews that are read.
    pub read: usize,
    /// Their share of all.
    pub share: f64,
    /// The share of negative reviews among those read.
    pub precision: Figure,
    /// The share of all negative reviews that is found.
    pub recall: Figure,
}

/// What is found where the most negative reviews are read first: a hundredth, a twentieth, a tenth, a fifth, half of
/// them, and as many as `budget` says. Empty if no review is negative.
///
/// # Panics
/// If there is not one verdict per label.
pub fn gains(
    labels: &[Polarity],
    verdicts: &[Verdict],
    dependence: &Dependence,
    budget: Option<usize>,
) -> Vec<Gain> {
    let order = in_order(labels, verdicts, |_| true);
    let is = |row: usize| labels[row] == Polarity::Negative;
    let negative: Vec<u32> = order.iter().copied().filter(|row| is(*row as usize)).collect();
    let n = order.len();
    let steps = [0.01, 0.05, 0.1, 0.2, 0.5].map(|share| (n as f64 * share).round() as usize);
    let mut read: Vec<usize> = steps.into_iter().chain(budget.map(|budget| budget.min(n))).collect();
    read.retain(|read| *read > 0 && !negative.is_empty());
    read.sort_unstable();
    read.dedup();
    let mut place = vec![0; n];
    order.iter().enumerate().for_each(|(at, row)| place[*row as usize] = at);
    let gain = |read: usize| Gain {
        read,
        share: read as f64 / n as f64,
        precision: dependence.share(&order[..read], is).0,
        recall: dependence.share(&negative, |row| place[row] < read).0,
    };
    read.into_iter().map(gain).collect()
}

/// Whether probabilities are observed, as a whole: the line from their log-odds to the labels, their error by group, and
/// one test over all groups.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Trust {
    /// The slope of the line: 1 where probabilities are right, above 1 where they are too timid, below where they are
    /// too bold (Cox (1958), "Two further applications of a model for binary regression", DOI 10.2307/2333203).
    pub slope: Figure,
    /// What is to be added to every log-odds, the slope being 1.
    pub intercept: Figure,
    /// The mean distance of prediction and observation over the groups, weighed by their reviews. It is above 0 by
    /// chance alone.
    pub error: Figure,
    /// The chance of groups as far off or farther, if all predictions were right: the sum of their squared distances in
    /// standard errors is chi-square distributed, with one degree of freedom for each group.
    pub p: Option<f64>,
}

impl Trust {
    /// The trust that verdicts earn on reviews that are positive or not.
    ///
    /// # Panics
    /// If there is not one verdict per label.
    pub fn new(labels: &[Polarity], verdicts: &[Verdict], dependence: &Dependence) -> Self {
        let truth: Vec<f64> =
            labels.iter().map(|label| f64::from(u8::from(*label == Polarity::Positive))).collect();
        let probability: Vec<f64> =
            verdicts.iter().map(|verdict| verdict.probability(Polarity::Positive)).collect();
        let n = truth.len();
        let line = Line { x: probability.iter().map(|p| logit(*p).clamp(-FAR, FAR)).collect(), y: &truth };
        let apart: Vec<f64> = truth.iter().zip(&probability).map(|(truth, p)| truth - p).collect();
        let bins = bins(&probability);
        let (mut error, mut moves) = (0.0, vec![0.0; n]);
        let (mut squares, mut told) = (0.0, true);
        for rows in &bins {
            let sum: f64 = rows.iter().map(|row| apart[*row as usize]).sum();
            error += sum.abs() / n as f64;
            for row in rows {
                moves[*row as usize] = sum.signum() * apart[*row as usize] / n as f64;
            }
            let distances: Vec<(u32, f64)> =
                rows.iter().map(|row| (*row, apart[*row as usize] / rows.len() as f64)).collect();
            // What is expected to spread, if predictions are right, as much more as reviews hang together.
            let expected: f64 = rows
                .iter()
                .map(|row| probability[*row as usize] * (1.0 - probability[*row as usize]))
                .sum::<f64>()
                / (rows.len() as f64).powi(2);
            let seen: f64 = distances.iter().map(|(_, own)| own * own).sum();
            let more = dependence.spread(&distances).map_or(1.0, |spread| (spread.variance / seen).max(1.0));
            told &= expected > 0.0;
            squares +=
                (sum / rows.len() as f64).powi(2) / (expected * if more.is_finite() { more } else { 1.0 });
        }
        let mean = moves.iter().sum::<f64>() / n as f64;
        let moves: Vec<(u32, f64)> = (0..).zip(moves.iter().map(|own| own - mean)).collect();
        let chance = ChiSquared::new(bins.len() as f64).ok().filter(|_| told && squares.is_finite());
        Self {
            slope: line.slope(dependence),
            intercept: line.intercept(dependence),
            error: dependence.figure(error, n, &moves, 1).within(0.0, 1.0),
            p: chance.map(|chi_square| chi_square.sf(squares)),
        }
    }
}

/// Log-odds are taken to be no farther out than this.
const FAR: f64 = 30.0;

/// Log-odds and what came of them.
struct Line<'a> {
    x: Vec<f64>,
    y: &'a [f64],
}

impl Line<'_> {
    /// The slope of logistic regression, by Newton's method; how much each review moves it is the inverse of the
    /// curvature times its gradient.
    fn slope(&self, dependence: &Dependence) -> Figure {
        let n = self.x.len();
        let (mut slope, mut intercept) = (1.0, 0.0);
        let mut inverse = [[0.0; 2]; 2];
        for _ in 0..STEPS {
            let (mut gradient, mut bend) = ([0.0; 2], [0.0; 3]);
            for (x, y) in self.x.iter().zip(self.y) {
                let p = sigmoid(slope * x + intercept);
                let weight = p * (1.0 - p);
                gradient = [gradient[0] + (y - p) * x, gradient[1] + (y - p)];
                bend = [bend[0] + weight * x * x, bend[1] + weight * x, bend[2] + weight];
            }
            let determinant = bend[0] * bend[2] - bend[1] * bend[1];
            inverse = [[bend[2], -bend[1]], [-bend[1], bend[0]]].map(|row| row.map(|own| own / determinant));
            let step = inverse.map(|row| row[0] * gradient[0] + row[1] * gradient[1]);
            (slope, intercept) = (slope + step[0], intercept + step[1]);
            if step[0].abs() + step[1].abs() < 1e-10 {
                break;
            }
        }
        if !(slope.is_finite() && intercept.is_finite()) {
            return Figure::undefined(n);
        }
        let one = |(row, (x, y)): (u32, (&f64, &f64))| {
            let apart = y - sigmoid(slope * x + intercept);
            (row, inverse[0][0] * apart * x + inverse[0][1] * apart)
        };
        let moves: Vec<(u32, f64)> = (0..).zip(self.x.iter().zip(self.y)).map(one).collect();
        dependence.figure(slope, n, &moves, 1)
    }

    /// What must be added to every log-odds.
    fn intercept(&self, dependence: &Dependence) -> Figure {
        let n = self.x.len();
        let (mut added, mut bend) = (0.0, 0.0);
        for _ in 0..STEPS {
            let p = |x: &f64| sigmoid(x + added);
            let gradient: f64 = self.x.iter().zip(self.y).map(|(x, y)| y - p(x)).sum();
            bend = self.x.iter().map(|x| p(x) * (1.0 - p(x))).sum();
            let step = gradient / bend;
            added += step;
            if step.abs() < 1e-10 || !added.is_finite() {
                break;
            }
        }
        if !added.is_finite() {
            return Figure::undefined(n);
        }
        let one = |(row, (x, y)): (u32, (&f64, &f64))| (row, (y - sigmoid(x + added)) / bend);
        let moves: Vec<(u32, f64)> = (0..).zip(self.x.iter().zip(self.y)).map(one).collect();
        dependence.figure(added, n, &moves, 1)
    }
}

/// Newton's method takes about six steps.
const STEPS: usize = 50;

/// Reviews of like probability, and what came of them.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Bin {
    /// The mean probability of positive.
    pub predicted: f64,
    /// The share of positive reviews, with its interval.
    pub observed: Figure,
    /// Whether the prediction lies outside the interval of what was observed.
    pub off: bool,
}

/// Reliability: reviews in ten bins of equal size by their probability of positive. Probabilities
/// are calibrated where the prediction lies within the interval of what was observed.
///
/// # Panics
/// If there is not one verdict per label.
pub fn reliability(labels: &[Polarity], verdicts: &[Verdict], dependence: &Dependence) -> Vec<Bin> {
    assert_eq!(labels.len(), verdicts.len(), "{} labels, {} verdicts", labels.len(), verdicts.len());
    let probability: Vec<f64> =
        verdicts.iter().map(|verdict| verdict.probability(Polarity::Positive)).collect();
    let bin = |rows: Vec<u32>| {
        let predicted = rows.iter().map(|row| probability[*row as usize]).sum::<f64>() / rows.len() as f64;
        let observed = dependence.share(&rows, |row| labels[row] == Polarity::Positive).0;
        let within = observed.low.is_some_and(|low| low <= predicted)
            && observed.high.is_some_and(|high| predicted <= high);
        Bin { predicted, observed, off: !within }
    };
    bins(&probability).into_iter().map(bin).collect()
}

/// Rows in bins of equal size, by their probability.
fn bins(probability: &[f64]) -> Vec<Vec<u32>> {
    let mut rows: Vec<u32> = (0..probability.len() as u32).collect();
    rows.sort_by(|a, b| probability[*a as usize].total_cmp(&probability[*b as usize]));
    let bins = BINS.min(rows.len());
    (0..bins).map(|at| rows[rows.len() * at / bins..rows.len() * (at + 1) / bins].to_vec()).collect()
}
