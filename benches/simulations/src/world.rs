//! Reviews to learn from and fresh ones to hold the promise against.

use heddle_core::labels::Polarity;
use heddle_core::measure::{Dependence, Figures, Verdict};
use heddle_core::model::{Fit, FitError, Model, fit};
use heddle_core::resample::{Random, Sample};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted};

use crate::population::{Drawn, Population};

/// Reviews of one draw.
pub struct World {
    /// Reviews that are learnt from.
    pub sample: Sample,
    /// Their words.
    pub corpus: Corpus,
    /// Their terms.
    pub counted: Counted,
    fresh: Drawn,
}

impl World {
    /// Draws `count` reviews to learn from, and `fresh` ones, none of them twice.
    pub fn new(
        population: &Population,
        (count, fresh): (usize, usize),
        study: &Study,
        draw: &mut Random,
    ) -> Self {
        let drawn = population.draw(count, draw);
        let fresh = population.once().draw(fresh, draw);
        let corpus = Corpus::read(&drawn.texts[..], study.corpus_rules());
        let counted = Counted::new(&corpus, &study.terms);
        Self { sample: Self::sample_of(&drawn), corpus, counted, fresh }
    }

    /// Reviews as validation sees them.
    pub fn sample_of(drawn: &Drawn) -> Sample {
        Sample::new(drawn.labels.clone(), drawn.groups.clone())
    }

    /// What all reviews teach that are to be learnt from.
    ///
    /// # Errors
    /// If they teach nothing.
    pub fn fit(&self, study: &Study) -> Result<Fit, FitError> {
        self.fit_with(&self.counted, study)
    }

    /// As [`fit`](Self::fit), of the first `count` of them.
    ///
    /// # Errors
    /// As [`fit`](Self::fit).
    pub fn fit_first(&self, count: usize, study: &Study) -> Result<Fit, FitError> {
        let rows: Vec<u32> = (0..count as u32).collect();
        fit(&self.counted, &self.sample, &rows, study)
    }

    /// As [`fit`](Self::fit), with terms that another study counts.
    ///
    /// # Errors
    /// As [`fit`](Self::fit).
    pub fn fit_with(&self, counted: &Counted, study: &Study) -> Result<Fit, FitError> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        fit(counted, &self.sample, &rows, study)
    }

    /// What the model of a fit says of the fresh reviews, and its figures.
    pub fn tried(&self, fit: &Fit, study: &Study) -> (Vec<Verdict>, Figures) {
        self.tried_with(&self.counted, fit, study)
    }

    /// As [`tried`](Self::tried), with the terms that the fit is of.
    pub fn tried_with(&self, counted: &Counted, fit: &Fit, study: &Study) -> (Vec<Verdict>, Figures) {
        let model = Model::new(&self.corpus, counted, fit, study, None);
        let mut scorer = model.scorer();
        let verdicts: Vec<Verdict> = self.fresh.texts.iter().map(|text| scorer.score(text).verdict).collect();
        let figures = Figures::under(self.fresh_labels(), &verdicts, &Dependence::default());
        (verdicts, figures)
    }

    /// The labels of the fresh reviews.
    pub fn fresh_labels(&self) -> &[Polarity] {
        &self.fresh.labels
    }
}
