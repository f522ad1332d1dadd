//! What the next doubling of the reviews brings, as a learning curve says it and as it comes.

use heddle_core::measure::Figure;
use heddle_core::model::FitError;
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::validate::{Judged, cross_validate, fold_splits, learning_curve};
use rayon::prelude::*;

use crate::population::{Population, Traits};
use crate::world::World;

/// Fresh reviews of each draw.
const FRESH: usize = 12_000;

/// The forecast of a figure over all draws.
#[derive(Debug, Clone, Copy)]
pub struct Forecast {
    /// What it is called.
    pub name: &'static str,
    /// Draws in which it is defined.
    pub draws: usize,
    /// The mean of what was forecast.
    pub forecast: f64,
    /// The mean of what came.
    pub came: f64,
    /// The mean of half the interval.
    pub half: f64,
    /// The share of draws whose interval holds what came.
    pub covered: f64,
}

/// Learns `draws` times from `count` reviews, forecasts what as many more would bring, and learns from these too.
pub fn forecasts(traits: Traits, count: usize, draws: u64, study: &Study) -> Vec<Forecast> {
    let population = Population::new(traits, 1);
    let one = |draw: u64| -> Option<[(Figure, f64); 2]> {
        let world = World::new(&population, (2 * count, FRESH), study, &mut Random::new(5_000 + draw));
        let rows: Vec<u32> = (0..count as u32).collect();
        let half = world.sample.part(&rows);
        let validation = cross_validate(&world.counted, &half, study, || {}).ok()?;
        let splits = fold_splits(&half, &rows, &study.validation).ok()?;
        let judged = Judged { validation: &validation, splits: &splits };
        let curve = learning_curve(&world.counted, &half, study, judged, || {}).ok()?;
        let tried = |fit: Result<_, FitError>| Some(world.tried(&fit.ok()?, study).1);
        let (before, after) = (tried(world.fit_first(count, study))?, tried(world.fit(study))?);
        Some([
            (curve.next_doubling, after.accuracy.value? - before.accuracy.value?),
            (curve.next_doubling_log_loss, before.log_loss.value? - after.log_loss.value?),
        ])
    };
    let found: Vec<[(Figure, f64); 2]> = (0..draws).into_par_iter().filter_map(one).collect();
    let told = |(at, name): (usize, &'static str)| {
        let known = |own: &[(Figure, f64); 2]| {
            let (figure, came) = own[at];
            Some([figure.value?, figure.low?, figure.high?, came])
        };
        let known: Vec<[f64; 4]> = found.iter().filter_map(known).collect();
        let mean = |part: fn(&[f64; 4]) -> f64| known.iter().map(part).sum::<f64>() / known.len() as f64;
        Forecast {
            name,
            draws: known.len(),
            forecast: mean(|own| own[0]),
            came: mean(|own| own[3]),
            half: mean(|own| (own[2] - own[1]) / 2.0),
            covered: mean(|own| f64::from(u8::from(own[1] <= own[3] && own[3] <= own[2]))),
        }
    };
    [(0, "accuracy"), (1, "log loss")].map(told).to_vec()
}
