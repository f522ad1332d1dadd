//! Whether probabilities are too timid or too bold: the slope of a line from log-odds to labels, on fresh reviews.

use heddle_core::labels::Polarity;
use heddle_core::measure::sigmoid;
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use rayon::prelude::*;

use crate::population::{Population, Traits};
use crate::world::World;

/// Slopes over all draws.
#[derive(Debug, Clone, Copy)]
pub struct Slopes {
    /// The middle one; above 1 probabilities are too timid.
    pub median: f64,
    /// Its standard error, from the spread of the draws.
    pub error: f64,
    /// The mean log loss of what the slope leaves unused, in nats.
    pub loss: f64,
}

/// Learns `draws` times from `count` reviews and holds log-odds against the labels of fresh ones.
pub fn slopes(traits: Traits, count: usize, draws: u64, study: &Study) -> Slopes {
    let population = Population::new(traits, 1);
    let one = |seed: u64| -> Option<(f64, f64)> {
        let world = World::new(&population, (count, 6_000), study, &mut Random::new(9_000 + seed));
        let (verdicts, figures) = world.tried(&world.fit(study).ok()?, study);
        let of = |(verdict, label): (&heddle_core::measure::Verdict, &Polarity)| {
            (verdict.log_odds, f64::from(u8::from(*label == Polarity::Positive)))
        };
        let rows: Vec<(f64, f64)> = verdicts.iter().zip(world.fresh_labels()).map(of).collect();
        let (slope, loss) = line(&rows)?;
        Some((slope, figures.log_loss.value? - loss))
    };
    let found: Vec<(f64, f64)> = (0..draws).into_par_iter().filter_map(one).collect();
    let mut slopes: Vec<f64> = found.iter().map(|own| own.0).collect();
    slopes.sort_by(f64::total_cmp);
    let at = |share: f64| slopes[((slopes.len() - 1) as f64 * share) as usize];
    let n = found.len() as f64;
    Slopes {
        median: at(0.5),
        error: 1.25 * (at(0.84) - at(0.16)) / 2.0 / n.sqrt(),
        loss: found.iter().map(|own| own.1).sum::<f64>() / n,
    }
}

/// The slope of logistic regression on one number, by Newton's method, and its mean log loss.
fn line(rows: &[(f64, f64)]) -> Option<(f64, f64)> {
    let (mut slope, mut intercept) = (1.0, 0.0);
    for _ in 0..50 {
        let mut sums = [0.0; 5];
        for (x, y) in rows {
            let p = sigmoid(slope * x + intercept);
            let bend = p * (1.0 - p);
            let parts = [(p - y) * x, p - y, bend * x * x, bend * x, bend];
            sums.iter_mut().zip(parts).for_each(|(sum, part)| *sum += part);
        }
        let [gradient, offset, xx, x, one] = sums;
        let determinant = xx * one - x * x;
        slope -= (one * gradient - x * offset) / determinant;
        intercept -= (xx * offset - x * gradient) / determinant;
    }
    let loss =
        rows.iter().map(|(x, y)| heddle_core::measure::loss((2.0 * y - 1.0) * (slope * x + intercept)));
    let mean = loss.sum::<f64>() / rows.len() as f64;
    (slope.is_finite() && mean.is_finite()).then_some((slope, mean))
}
