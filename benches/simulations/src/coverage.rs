//! How often the interval of a cross-validated figure holds the figure of the delivered model on fresh reviews.

use heddle_core::measure::{Figure, Figures};
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::validate::cross_validate;
use rayon::prelude::*;

use crate::population::{Population, Traits};
use crate::world::World;

/// Fresh reviews of each draw: so many that their own chance plays no role.
const FRESH: usize = 6_000;

/// Populations that differ in what makes intervals hard.
pub const KINDS: [(&str, Traits); 4] = [
    ("plain", Traits { lean: 1.6, negative: 0.5, length: 20, repeats: 1 }),
    ("hard to tell", Traits { lean: 0.9, negative: 0.5, length: 20, repeats: 1 }),
    ("skewed, 15 % negative", Traits { lean: 1.6, negative: 0.15, length: 20, repeats: 1 }),
    ("each text ten times", Traits { lean: 1.6, negative: 0.5, length: 20, repeats: 10 }),
];

/// Labels that have nothing to do with their texts.
pub const NO_SIGNAL: (&str, Traits) =
    ("no signal", Traits { lean: 0.0, negative: 0.5, length: 20, repeats: 1 });

/// A figure over all draws.
#[derive(Debug, Clone, Copy)]
pub struct Covered {
    /// What it is called.
    pub name: &'static str,
    /// Draws in which it is defined.
    pub draws: usize,
    /// The mean of the estimate less the truth.
    pub bias: f64,
    /// The mean of half the interval.
    pub half: f64,
    /// The share of draws whose interval holds the truth.
    pub covered: f64,
}

type Pick = fn(&Figures) -> Figure;

const FIGURES: [(&str, Pick); 8] = [
    ("accuracy", |own| own.accuracy),
    ("balanced accuracy", |own| own.balanced_accuracy),
    ("recall of negative", |own| own.classes[0].recall),
    ("precision of negative", |own| own.classes[0].precision),
    ("Matthews correlation", |own| own.matthews),
    ("ROC area", |own| own.roc_area),
    ("log loss", |own| own.log_loss),
    ("Brier score", |own| own.brier),
];

/// Cross-validates and learns `draws` times from `count` reviews.
pub fn coverage(traits: Traits, count: usize, draws: u64, study: &Study) -> Vec<Covered> {
    let population = Population::new(traits, 1);
    let one = |draw: u64| -> Option<(Figures, Figures)> {
        let world = World::new(&population, (count, FRESH), study, &mut Random::new(1_000 + draw));
        let validation = cross_validate(&world.counted, &world.sample, study, || {}).ok()?;
        let (_, truth) = world.tried(&world.fit(study).ok()?, study);
        Some((validation.figures, truth))
    };
    let pairs: Vec<(Figures, Figures)> = (0..draws).into_par_iter().filter_map(one).collect();
    let covered = |(name, pick): &(&'static str, Pick)| {
        let known = |(estimate, truth): &(Figures, Figures)| {
            let (estimate, truth) = (pick(estimate), pick(truth));
            Some([estimate.value?, estimate.low?, estimate.high?, truth.value?])
        };
        let known: Vec<[f64; 4]> = pairs.iter().filter_map(known).collect();
        let mean = |part: fn(&[f64; 4]) -> f64| known.iter().map(part).sum::<f64>() / known.len() as f64;
        Covered {
            name,
            draws: known.len(),
            bias: mean(|[value, _, _, truth]| value - truth),
            half: mean(|[_, low, high, _]| (high - low) / 2.0),
            covered: mean(|[_, low, high, truth]| f64::from(u8::from(low <= truth && truth <= high))),
        }
    };
    FIGURES.iter().map(covered).collect()
}
