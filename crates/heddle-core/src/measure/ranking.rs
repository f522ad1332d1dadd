//! How well scores put positive reviews above negative ones.

use super::interval::{Figure, normal_quantile};
use super::odds::{logit, sigmoid};
use crate::labels::polarity::Polarity;

/// The area under the ROC curve: the chance that a random positive review scores above a
/// random negative one, ties counting half. Undefined if a class is absent; without an
/// interval if the classes do not overlap.
///
/// The interval is that of DeLong, DeLong and Clarke-Pearson (1988), "Comparing the areas
/// under two or more correlated receiver operating characteristic curves", DOI
/// 10.2307/2531595, computed from mid-ranks in O(n log n) as in Sun and Xu (2014), DOI
/// 10.1109/LSP.2014.2337313.
///
/// # Panics
/// If there is not one score per label.
pub fn roc_area(labels: &[Polarity], scores: &[f64]) -> Figure {
    let Some(Ranked { area, moves }) = Ranked::new(labels, scores) else {
        return Figure::undefined(labels.len());
    };
    let variance = |class: Polarity| {
        let own = moves.iter().filter(|(row, _)| labels[*row as usize] == class);
        let (n, square) = own.fold((0.0, 0.0), |(n, square), (_, one)| (n + 1.0, square + one * one));
        square * n / (n - 1.0)
    };
    let variance = variance(Polarity::Negative) + variance(Polarity::Positive);
    area_within(area, normal_quantile() * variance.sqrt(), labels.len())
}

/// An area with an interval of `half` on both sides, taken on the scale of log-odds, where an area near 1 has as much room
/// above as below: Qin and Hotilovac (2008), "Comparison of non-parametric confidence intervals for the area under the ROC
/// curve of a continuous-scale diagnostic test", DOI 10.1177/0962280207087173. Where no pair is out of order, or none in
/// order, how far the area may move is unknown.
pub(crate) fn area_within(area: f64, half: f64, n: usize) -> Figure {
    let half = if half > 0.0 { half / (area * (1.0 - area)) } else { f64::NAN };
    let end = |by: f64| sigmoid(logit(area) + by);
    Figure::new(area, end(-half), end(half), n)
}

/// An area, and how much each review moves it.
pub(crate) struct Ranked {
    pub(crate) area: f64,
    /// By review that is negative or positive: its place, and its part in the area, less the mean of its class, over
    /// the number of its class.
    pub(crate) moves: Vec<(u32, f64)>,
}

impl Ranked {
    /// Nothing where a class is absent.
    ///
    /// # Panics
    /// If there is not one score per label.
    pub(crate) fn new(labels: &[Polarity], scores: &[f64]) -> Option<Self> {
        assert_eq!(labels.len(), scores.len(), "{} labels, {} scores", labels.len(), scores.len());
        let rows = |class: Polarity| -> Vec<u32> {
            (0..labels.len() as u32).filter(|row| labels[*row as usize] == class).collect()
        };
        let (negative, positive) = (rows(Polarity::Negative), rows(Polarity::Positive));
        if positive.is_empty() || negative.is_empty() {
            return None;
        }
        let of = |rows: &[u32]| -> Vec<f64> { rows.iter().map(|row| scores[*row as usize]).collect() };
        // For each positive score, the share of negative ones below it; and the other way round.
        let above = placements(&of(&positive), &of(&negative));
        let below: Vec<f64> =
            placements(&of(&negative), &of(&positive)).iter().map(|share| 1.0 - share).collect();
        let area = above.iter().sum::<f64>() / positive.len() as f64;
        let moves = |rows: Vec<u32>, shares: Vec<f64>| {
            let n = rows.len() as f64;
            rows.into_iter().zip(shares).map(move |(row, share)| (row, (share - area) / n))
        };
        Some(Self { area, moves: moves(negative, below).chain(moves(positive, above)).collect() })
    }
}

/// For each of `own`, the share of `others` below it, ties counting half.
fn placements(own: &[f64], others: &[f64]) -> Vec<f64> {
    let mut sorted = others.to_vec();
    sorted.sort_unstable_by(f64::total_cmp);
    let place = |score: &f64| {
        let below = sorted.partition_point(|other| other < score);
        let up_to = sorted.partition_point(|other| other <= score);
        (below + up_to) as f64 / (2.0 * sorted.len() as f64)
    };
    own.iter().map(place).collect()
}
