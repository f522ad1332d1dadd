//! How well scores put positive reviews above negative ones.

use super::interval::{Figure, normal_quantile};
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
    assert_eq!(labels.len(), scores.len(), "{} labels, {} scores", labels.len(), scores.len());
    let of = |class: Polarity| -> Vec<f64> {
        labels.iter().zip(scores).filter(|(label, _)| **label == class).map(|(_, score)| *score).collect()
    };
    let (negative, positive) = (of(Polarity::Negative), of(Polarity::Positive));
    let (m, n) = (positive.len() as f64, negative.len() as f64);
    if positive.is_empty() || negative.is_empty() {
        return Figure::undefined(labels.len());
    }
    // For each positive score, the share of negative ones below it; and the other way round.
    let above = placements(&positive, &negative);
    let below: Vec<f64> = placements(&negative, &positive).iter().map(|share| 1.0 - share).collect();
    let area = above.iter().sum::<f64>() / m;
    let variance = |values: &[f64]| {
        values.iter().map(|value| (value - area).powi(2)).sum::<f64>() / (values.len() as f64 - 1.0)
    };
    let half = normal_quantile() * (variance(&above) / m + variance(&below) / n).sqrt();
    if half.is_nan() || half == 0.0 {
        // No pair is out of order, or none in order: how far the area may move is unknown.
        return Figure::new(area, f64::NAN, f64::NAN, labels.len());
    }
    Figure::new(area, (area - half).max(0.0), (area + half).min(1.0), labels.len())
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
