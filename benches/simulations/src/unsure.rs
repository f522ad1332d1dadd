//! Whether the band of the unsure keeps its promise, with signal and without.

use heddle_core::labels::Polarity;
use heddle_core::measure::Verdict;
use heddle_core::model::Fit;
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use rayon::prelude::*;

use crate::population::{Population, Traits};
use crate::world::World;

/// What became of the promise.
#[derive(Debug, Clone, Copy)]
pub struct Kept {
    /// Draws that could be learnt from.
    pub draws: usize,
    /// The mean share of a class that is not called the other.
    pub mean: f64,
    /// The least of all draws and classes.
    pub least: f64,
    /// Draws in which a class is kept by five points less than promised.
    pub broken: usize,
    /// The mean share of fresh reviews that are called.
    pub called: f64,
    /// Models without a term that pulls.
    pub empty: usize,
}

/// Learns `draws` times from `count` reviews with a promise, and counts on fresh ones.
pub fn unsure(traits: Traits, count: usize, draws: u64, study: &Study) -> Kept {
    let promised = study.decision.unsure.unwrap_or(0.95);
    let population = Population::new(traits, 1);
    let one = |seed: u64| -> Option<([f64; 2], f64, Fit)> {
        let world = World::new(&population, (count, 6_000), study, &mut Random::new(20_000 + seed));
        let fit = world.fit(study).ok()?;
        let (verdicts, _) = world.tried(&fit, study);
        let kept = |class: Polarity| {
            let own = world.fresh_labels().iter().zip(&verdicts).filter(|(label, _)| **label == class);
            let kept = |verdict: &Verdict| !verdict.sure || verdict.called == class;
            own.clone().filter(|(_, verdict)| kept(verdict)).count() as f64 / own.count() as f64
        };
        let called = verdicts.iter().filter(|verdict| verdict.sure).count() as f64 / verdicts.len() as f64;
        Some((Polarity::POLES.map(kept), called, fit))
    };
    let found: Vec<_> = (0..draws).into_par_iter().filter_map(one).collect();
    let n = found.len() as f64;
    let lower = |own: &[f64; 2]| own[0].min(own[1]);
    Kept {
        draws: found.len(),
        mean: found.iter().map(|own| (own.0[0] + own.0[1]) / 2.0).sum::<f64>() / n,
        least: found.iter().map(|own| lower(&own.0)).fold(1.0, f64::min),
        broken: found.iter().filter(|own| lower(&own.0) < promised - 0.05).count(),
        called: found.iter().map(|own| own.1).sum::<f64>() / n,
        empty: found.iter().filter(|own| own.2.pulling() == 0).count(),
    }
}
