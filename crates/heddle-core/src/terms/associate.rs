//! How strongly a term goes with the classes.

use super::rules::Association;
use crate::labels::per_class::{CLASSES, ClassCounts};
use crate::labels::polarity::Polarity;
use crate::measure::log_odds_ratio::stands_out;

/// The strength of a term that `counts` of the `mix` reviews of each class hold; `held` is the
/// sum of such counts over all terms, by class. Not negative; 0 where nothing is known.
///
/// Chi-square: the sum over the cells (term or not x class) of (observed - expected)^2 /
/// expected. Mutual information: the sum of p ln(p / (p_term p_class)) over the same cells, in
/// nats. Log-odds: the largest absolute log-odds ratio of a class against the others, in
/// standard errors, with an informative prior.
pub(crate) fn association(
    kind: Association,
    counts: ClassCounts,
    mix: ClassCounts,
    held: ClassCounts,
) -> f64 {
    match kind {
        Association::ChiSquare => {
            over_cells(counts, mix, |observed, expected, _| (observed - expected).powi(2) / expected)
        }
        Association::MutualInformation => over_cells(counts, mix, |observed, expected, all| {
            if observed > 0.0 { observed / all * (observed / expected).ln() } else { 0.0 }
        })
        .max(0.0),
        Association::LogOdds => CLASSES
            .into_iter()
            .filter(|&class| mix[class] > 0)
            .map(|class| log_odds(counts, held, class).abs())
            .fold(0.0, f64::max),
    }
}

fn over_cells(counts: ClassCounts, mix: ClassCounts, cell: impl Fn(f64, f64, f64) -> f64) -> f64 {
    let all = mix.iter().sum::<usize>() as f64;
    let with = counts.iter().sum::<usize>() as f64;
    let mut sum = 0.0;
    for (count, class) in counts.into_iter().zip(mix) {
        let (count, class) = (count as f64, class as f64);
        for (observed, row) in [(count, with), (class - count, all - with)] {
            let expected = row * class / all;
            if expected > 0.0 {
                sum += cell(observed, expected, all);
            }
        }
    }
    sum
}

/// The log-odds ratio of a term in a class against the other classes, in standard errors.
pub(crate) fn log_odds(counts: ClassCounts, held: ClassCounts, class: Polarity) -> f64 {
    let sum = |mix: ClassCounts| mix.iter().sum::<usize>() as f64;
    stands_out(counts[class] as f64, sum(counts), held[class] as f64, sum(held))
}
