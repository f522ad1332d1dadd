//! The steps that train, validate and run share.

use heddle_core::{Corpus, Counted, Fit, Model, Sample, Study, Validated, Validation, cross_validate, fit};

use crate::desk::Desk;
use crate::intake::Intake;

/// Reviews as terms, ready for any number of fits.
pub struct Lesson<'a> {
    pub corpus: Corpus,
    pub counted: Counted,
    pub sample: Sample,
    study: &'a Study,
}

impl<'a> Lesson<'a> {
    /// Reads the texts once and counts their terms; the texts are dropped.
    pub fn new(intake: Intake, study: &'a Study, desk: &Desk) -> anyhow::Result<Self> {
        intake.check_classes()?;
        let sign = desk.busy("reading and counting");
        let corpus = Corpus::read(&intake, &study.text, &study.negation);
        let sample = intake.sample;
        drop(intake.table);
        let counted = Counted::new(&corpus, study.terms);
        sign.finish_and_clear();
        Ok(Self { corpus, counted, sample, study })
    }

    /// Learns from all reviews.
    pub fn fit(&self, desk: &Desk) -> anyhow::Result<Fit> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        let sign = desk.busy("learning");
        let fitted = fit(&self.counted, &self.sample, &rows, self.study);
        sign.finish_and_clear();
        Ok(fitted?)
    }

    /// The model of a fit.
    pub fn model(&self, fit: &Fit, validated: Option<Validated>) -> Model {
        Model::new(&self.corpus, &self.counted, fit, self.study, validated)
    }

    /// Cross-validates, showing progress.
    pub fn validate(&self, desk: &Desk) -> anyhow::Result<Validation> {
        let bar = desk.progress("folds", self.study.validation.folds);
        bar.tick();
        let validation = cross_validate(&self.counted, &self.sample, self.study, || bar.inc(1));
        bar.finish_and_clear();
        validation.map_err(|error| match error {
            heddle_core::ValidateError::TooFew { count, .. } if count >= 2 => {
                anyhow::anyhow!("{error}; try --set validation.folds={count} or fewer, or add reviews")
            }
            error => anyhow::Error::new(error),
        })
    }
}
