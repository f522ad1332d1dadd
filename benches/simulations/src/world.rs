//! Reviews to learn from and fresh ones to hold the promise against.

use heddle_core::measure::{Dependence, Figures, Verdict};
use heddle_core::model::{Fit, FitError, fit};
use heddle_core::resample::{Random, Sample};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted, TermRules};

use crate::population::{Drawn, Population};

/// Reviews of one draw.
pub struct World {
    /// Reviews that are learnt from, as validation sees them.
    pub sample: Sample,
    /// The same and the fresh ones behind them.
    all: Sample,
    /// The words of all.
    pub corpus: Corpus,
    /// The terms of all.
    pub counted: Counted,
}

impl World {
    /// Draws `count` reviews to learn from, and `fresh` ones, none of them twice.
    pub fn new(
        population: &Population,
        (count, fresh): (usize, usize),
        study: &Study,
        draw: &mut Random,
    ) -> Self {
        let mut drawn = population.draw(count, draw);
        let sample = Self::sample_of(&drawn);
        let fresh = population.once().draw(fresh, draw);
        drawn.texts.extend(fresh.texts);
        drawn.labels.extend(fresh.labels);
        drawn.groups.extend(fresh.groups);
        let corpus = Corpus::read(&drawn.texts[..], study.corpus_rules());
        // The floor is that of the reviews that are learnt from: fresh ones are not there yet.
        let at_least = Some(study.terms.floor(count));
        let counted = Counted::new(&corpus, &TermRules { at_least, ..study.terms.clone() });
        Self { sample, all: Sample::new(drawn.labels, drawn.groups), corpus, counted }
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
        fit(&self.counted, &self.all, &rows, study)
    }

    /// As [`fit`](Self::fit), with terms that another study counts.
    ///
    /// # Errors
    /// As [`fit`](Self::fit).
    pub fn fit_with(&self, counted: &Counted, study: &Study) -> Result<Fit, FitError> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        fit(counted, &self.all, &rows, study)
    }

    /// What is said of the fresh reviews, and their figures.
    pub fn tried(&self, fit: &Fit) -> (Vec<Verdict>, Figures) {
        self.tried_with(&self.counted, fit)
    }

    /// As [`tried`](Self::tried), with the terms that the fit is of.
    pub fn tried_with(&self, counted: &Counted, fit: &Fit) -> (Vec<Verdict>, Figures) {
        let rows: Vec<u32> = (self.sample.len() as u32..self.all.len() as u32).collect();
        let verdicts = fit.verdicts(counted, &rows);
        let labels = &self.all.labels[self.sample.len()..];
        let figures = Figures::under(labels, &verdicts, &Dependence::default());
        (verdicts, figures)
    }

    /// The labels of the fresh reviews.
    pub fn fresh_labels(&self) -> &[heddle_core::labels::Polarity] {
        &self.all.labels[self.sample.len()..]
    }
}
