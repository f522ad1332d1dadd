//! Curves of a set of predictions: what every other cut would give, and whether probabilities
//! may be believed.

use serde::Serialize;

use super::interval::{Figure, share};
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
    pub recall: f64,
    /// The share of positive reviews called negative.
    pub false_alarms: f64,
    /// Of the reviews called negative, the share that is; missing where there are none.
    pub precision: Option<f64>,
}

/// What each cut would give, from the lowest to the highest, thinned to at most 102 points at
/// nearly even distances along the ROC curve. Neutral reviews play no role. Empty if a class is
/// absent.
///
/// Recall against false alarms is the ROC curve, recall against precision the precision-recall
/// curve, both of negative reviews.
pub fn cut_points(labels: &[Polarity], verdicts: &[Verdict]) -> Vec<CutPoint> {
    let mut rows: Vec<(f64, bool)> = labels
        .iter()
        .zip(verdicts)
        .filter(|(label, _)| **label != Polarity::Neutral)
        .map(|(label, verdict)| (verdict.log_odds, *label == Polarity::Negative))
        .collect();
    rows.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
    let negative = rows.iter().filter(|row| row.1).count();
    let positive = rows.len() - negative;
    if negative == 0 || positive == 0 {
        return Vec::new();
    }
    let point = |probability, hits: usize, alarms: usize| CutPoint {
        probability,
        recall: hits as f64 / negative as f64,
        false_alarms: alarms as f64 / positive as f64,
        precision: (hits + alarms > 0).then(|| hits as f64 / (hits + alarms) as f64),
    };
    let mut all = vec![point(None, 0, 0)];
    let (mut hits, mut alarms) = (0, 0);
    for equal in rows.chunk_by(|a, b| a.0 == b.0) {
        let own = equal.iter().filter(|row| row.1).count();
        (hits, alarms) = (hits + own, alarms + equal.len() - own);
        all.push(point(Some(super::odds::sigmoid(equal[0].0)), hits, alarms));
    }
    thinned(all)
}

/// Keeps points at nearly even distances along the way, and both ends.
fn thinned(all: Vec<CutPoint>) -> Vec<CutPoint> {
    const STEP: f64 = 2.0 / (POINTS - 1) as f64;
    let last = all.len() - 1;
    let mut next = 0.0;
    let mut kept = Vec::new();
    for (at, point) in all.into_iter().enumerate() {
        let way = point.recall + point.false_alarms;
        if way >= next || at == last {
            kept.push(point);
            next = ((way / STEP).floor() + 1.0) * STEP;
        }
    }
    kept
}

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
pub fn reliability(labels: &[Polarity], verdicts: &[Verdict]) -> Vec<Bin> {
    let mut rows: Vec<(f64, bool)> = labels
        .iter()
        .zip(verdicts)
        .map(|(label, verdict)| (verdict.probability(Polarity::Positive), *label == Polarity::Positive))
        .collect();
    rows.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let bins = BINS.min(rows.len());
    let bin = |at: usize| {
        let own = &rows[rows.len() * at / bins..rows.len() * (at + 1) / bins];
        let predicted = own.iter().map(|row| row.0).sum::<f64>() / own.len() as f64;
        let observed = share(own.iter().filter(|row| row.1).count(), own.len());
        let within = observed.low.is_some_and(|low| low <= predicted)
            && observed.high.is_some_and(|high| predicted <= high);
        Bin { predicted, observed, off: !within }
    };
    (0..bins).map(bin).collect()
}
