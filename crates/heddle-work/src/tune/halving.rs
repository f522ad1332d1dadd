//! Most settings are ruled out by few reviews.

use heddle_core::validate::{CrossValidationResult, Measure, rank};

use super::run::Run;
use super::work::Tuning;
use crate::error::Result;

/// Of fewer reviews nothing can be learnt that lasts.
const FEWEST: f64 = 300.0;

impl Tuning<'_> {
    /// Successive halving, by thirds: all variants learn from a small share of the training
    /// reviews, the better third from three times as many, until those that are left learn from
    /// all. Jamieson and Talwalkar (2016), "Non-stochastic best arm identification and
    /// hyperparameter optimization", AISTATS, <https://proceedings.mlr.press/v51/jamieson16.html>.
    /// Gives the runs on all reviews, and the names of those that were stopped, the best first.
    pub(super) fn halve(&mut self, by: Measure) -> Result<(Vec<Run>, Vec<String>)> {
        let reviews = self.reviews.rows.len() as f64;
        let mut rungs = 0i32;
        let left = |rungs: i32| self.variants.len() as f64 / 3f64.powi(rungs);
        while left(rungs) > 3.0 && reviews / 3f64.powi(rungs + 1) >= FEWEST {
            rungs += 1;
        }
        let mut places: Vec<usize> = (0..self.variants.len()).collect();
        let mut stopped = Vec::new();
        for rung in (1..=rungs).rev() {
            let runs = self.all(places.clone(), 3f64.powi(-rung))?;
            let results: Vec<&CrossValidationResult> = runs.iter().map(|run| &run.result).collect();
            let order = rank(&results, by, None).order;
            let keep = places.len().div_ceil(3);
            let out: Vec<String> = order[keep..].iter().map(|&at| runs[at].name.clone()).collect();
            stopped = [out, stopped].concat();
            places = order[..keep].iter().map(|&at| places[at]).collect();
            places.sort_unstable();
        }
        Ok((self.all(places, 1.0)?, stopped))
    }
}
