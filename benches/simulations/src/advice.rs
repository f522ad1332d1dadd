//! What following the advice of tuning costs or wins, on fresh reviews.

use heddle_core::learn::Method;
use heddle_core::measure::Figures;
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::terms::{Counted, Emphasis};
use heddle_core::validate::{CrossValidationResult, Measure, cross_validate, rank};
use rayon::prelude::*;

use crate::population::{Population, Traits};
use crate::usual;
use crate::world::World;

/// Points of accuracy against the study that was not tuned, over all draws.
#[derive(Debug, Clone, Copy)]
pub struct Advised {
    /// What the best run wins.
    pub best: f64,
    /// Its standard error.
    pub error: f64,
    /// What the simplest run within half a point wins.
    pub simplest: f64,
    /// Draws that could be judged.
    pub draws: usize,
}

/// 36 studies of which one is the untouched default, the first.
fn studies() -> Vec<Study> {
    let mut all = vec![usual()];
    for words in [(1, 2), (1, 1), (1, 3)] {
        for at_least in [2, 1, 5] {
            for emphasis in [Emphasis::ClassRatio, Emphasis::None] {
                for learner in [Method::Svm, Method::Logistic] {
                    let mut study = usual();
                    study.terms.words = Some(words);
                    study.terms.at_least = Some(at_least);
                    study.terms.emphasis = emphasis;
                    study.model.learner = learner;
                    all.push(study);
                }
            }
        }
    }
    let default = all.iter().skip(1).position(|study| *study == all[0]).map(|at| at + 1);
    default.into_iter().for_each(|at| drop(all.remove(at)));
    all
}

/// Tunes `draws` times on `count` reviews, and tries what is advised on fresh ones.
pub fn advice(traits: Traits, count: usize, draws: u64) -> Advised {
    let population = Population::new(traits, 1);
    let studies = studies();
    let one = |seed: u64| -> Option<[f64; 2]> {
        let world = World::new(&population, (count, 6_000), &studies[0], &mut Random::new(30_000 + seed));
        let counted: Vec<Counted> =
            studies.iter().map(|study| Counted::new(&world.corpus, &study.terms)).collect();
        let results: Vec<CrossValidationResult> = studies
            .iter()
            .zip(&counted)
            .map(|(study, counted)| {
                let found = cross_validate(counted, &world.sample, study, || {}).ok()?;
                Some(found.result(&world.sample))
            })
            .collect::<Option<_>>()?;
        let found = rank(&results.iter().collect::<Vec<_>>(), Measure::LogLoss, Some(0.005));
        let truth = |at: usize| -> Option<f64> {
            let fit = world.fit_with(&counted[at], &studies[at]).ok()?;
            let figures: Figures = world.tried_with(&counted[at], &fit, &studies[at]).1;
            figures.accuracy.value
        };
        let untouched = truth(0)?;
        Some([truth(found.order[0])? - untouched, truth(found.simplest?)? - untouched])
    };
    let found: Vec<[f64; 2]> = (0..draws).into_par_iter().filter_map(one).collect();
    let n = found.len() as f64;
    let mean = |at: usize| 100.0 * found.iter().map(|own| own[at]).sum::<f64>() / n;
    let best = mean(0);
    let square = found.iter().map(|own| (100.0 * own[0] - best).powi(2)).sum::<f64>();
    Advised { best, error: (square / (n - 1.0) / n).sqrt(), simplest: mean(1), draws: found.len() }
}
