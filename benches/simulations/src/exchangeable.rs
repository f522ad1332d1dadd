//! How often two ways that are equally good by construction are told apart.

use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted};
use heddle_core::validate::{compare, cross_validate, within};
use rayon::prelude::*;

use crate::population::{Population, Traits};
use crate::world::World;

/// The share of draws in which a difference was beyond noise.
#[derive(Debug, Clone, Copy)]
pub struct Eager {
    /// By the test of accuracy, and by the intervals of accuracy, ROC area and log loss.
    pub shares: [f64; 4],
    /// Draws that could be judged.
    pub draws: usize,
}

/// Each way reads a text of its own, drawn from the same words of the same class: neither has an advantage.
pub fn exchangeable(traits: Traits, count: usize, draws: u64, study: &Study) -> Eager {
    let population = Population::new(traits, 1);
    let one = |seed: u64| -> Option<[bool; 4]> {
        let mut draw = Random::new(5_000 + seed);
        let drawn = population.draw(count, &mut draw);
        let other = population.again(&drawn, &mut draw);
        let sample = World::sample_of(&drawn);
        let validations = [&drawn.texts, &other].map(|texts| {
            let corpus = Corpus::read(&texts[..], study.corpus_rules());
            cross_validate(&Counted::new(&corpus, &study.terms), &sample, study, || {}).ok()
        });
        let [first, second] = validations;
        let found = compare(&sample, &first?, &second?);
        let beyond = [found.accuracy, found.roc_area, found.log_loss].map(|figure| !within(&figure));
        Some([found.p < 0.05, beyond[0], beyond[1], beyond[2]])
    };
    let found: Vec<[bool; 4]> = (0..draws).into_par_iter().filter_map(one).collect();
    let share = |at: usize| found.iter().filter(|own| own[at]).count() as f64 / found.len() as f64;
    Eager { shares: [share(0), share(1), share(2), share(3)], draws: found.len() }
}
