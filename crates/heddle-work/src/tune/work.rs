//! Runs on the same folds, those that share work done together.

use std::time::Instant;

use heddle_core::validate::{Path, try_out};

use super::run::Run;
use super::runs::Runs;
use crate::error::{Error, Result};
use crate::reviews::labelled::LabelledReviews;
use crate::session::Session;
use crate::variants::{Shared, Variant};

/// The work of tuning.
pub(super) struct Tuning<'a> {
    pub reviews: &'a LabelledReviews,
    pub variants: &'a [Variant],
    pub session: &'a Session,
    pub runs: &'a mut Runs,
    pub resumed: usize,
}

impl Tuning<'_> {
    /// Runs these variants, those apart that were run before. In the order given.
    pub fn all(&mut self, places: Vec<usize>, share: f64) -> Result<Vec<Run>> {
        let mut done: Vec<Option<Run>> =
            places.iter().map(|&place| self.runs.find(&self.variants[place].study, share)).collect();
        self.resumed += done.iter().flatten().count();
        let open: Vec<usize> =
            places.iter().zip(&done).filter(|(_, run)| run.is_none()).map(|(place, _)| *place).collect();
        let validating = &self.session.study().validation;
        let task = self.session.progress("folds", open.len() * validating.folds * validating.rounds);
        let (reviews, variants, runs) = (self.reviews, self.variants, &mut *self.runs);
        Shared::new(variants).each(reviews, &open, self.session, |counted, study, path| {
            let begun = Instant::now();
            let finished = || task.advance(path.places.len());
            let results = try_out(
                counted,
                &reviews.sample,
                Path { study, strengths: &path.strengths },
                share,
                finished,
            );
            let results = results.map_err(|error| {
                let names: Vec<&str> = path.places.iter().map(|&at| variants[at].name.as_str()).collect();
                Error::from(error).during(names.join("; "))
            })?;
            let seconds = begun.elapsed().as_secs_f64() / results.len() as f64;
            let bytes = counted.rows.entries() * size_of::<heddle_core::matrix::Entry>();
            for (&place, result) in path.places.iter().zip(results) {
                let Variant { name, study } = &variants[place];
                let run = runs.add(study, Run { name: name.clone(), share, result, seconds, bytes })?;
                self.session.observer().tried(&run);
                let at = places.iter().position(|other| *other == place).expect("it was asked for");
                done[at] = Some(run);
            }
            Ok(())
        })?;
        task.end();
        Ok(done.into_iter().flatten().collect())
    }
}
