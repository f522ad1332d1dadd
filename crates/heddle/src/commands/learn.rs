//! The steps that train, validate and run share.

use std::collections::HashSet;

use heddle_core::{
    Case, ClassCounts, Corpus, Counted, Division, Document, Fit, Model, Sample, Study, ValidateError,
    Validated, Validation, cross_validate, divisions, fit,
};
use heddle_files::Input;

use crate::desk::Desk;
use crate::intake::Intake;
use crate::labelling::Account;
use crate::view::count;

/// Reviews as terms, ready for any number of fits.
pub struct Lesson {
    pub corpus: Corpus,
    pub counted: Counted,
    pub sample: Sample,
    pub account: Account,
    pub input: Input,
    /// The settings in force; where the files say which class mix is natural, with that.
    pub study: Study,
    /// The texts that the rule leaves out between the classes.
    middle: Vec<Document>,
}

impl Lesson {
    /// Reads the texts once and counts their terms; the texts are dropped.
    pub fn new(intake: Intake, desk: &Desk) -> anyhow::Result<Self> {
        intake.check_classes()?;
        let mut study = desk.study().clone();
        study.balance.natural = study.balance.natural.or(intake.natural);
        let sign = desk.busy("reading and counting");
        let corpus = Corpus::read(&intake, &study);
        let middle = intake.middle_texts();
        let Intake { sample, account, input, table, .. } = intake;
        drop(table);
        let counted = Counted::new(&corpus, &study.terms);
        sign.finish_and_clear();
        warn_of_names(&corpus, &counted, &study, desk);
        let emptied = corpus.without_tokens();
        if emptied > 0 {
            desk.remark(&format!(
                "note: cleaning leaves no token of {}: the base alone speaks of them",
                count(emptied, "review")
            ));
        }
        Ok(Self { corpus, counted, sample, account, input, study, middle })
    }

    /// Learns from all reviews.
    pub fn fit(&self, desk: &Desk) -> anyhow::Result<Fit> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        let sign = desk.busy("learning");
        let fitted = fit(&self.counted, &self.sample, &rows, &self.study);
        sign.finish_and_clear();
        Ok(fitted?)
    }

    /// The model of a fit.
    pub fn model(&self, fit: &Fit, validated: Option<Validated>) -> Model {
        Model::new(&self.corpus, &self.counted, fit, &self.study, validated)
    }

    /// The texts between the classes: they teach nothing, and show what a model makes of them.
    pub fn middle(&self) -> &[Document] {
        &self.middle
    }

    /// Labelled reviews of each class, in the order of [`heddle_core::Polarity::index`].
    pub fn mix(&self) -> ClassCounts {
        self.account.counts()
    }

    /// Cross-validates, showing progress.
    pub fn validate(&self, desk: &Desk) -> anyhow::Result<Validation> {
        let validating = &self.study.validation;
        let bar = desk.progress("folds", validating.folds * validating.rounds);
        bar.tick();
        let validation = cross_validate(&self.counted, &self.sample, &self.study, || bar.inc(1));
        bar.finish_and_clear();
        validation.map_err(told)
    }

    /// The divisions that validation uses.
    pub fn divisions(&self) -> anyhow::Result<Vec<Division>> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        divisions(&self.sample, &rows, &self.study.validation).map_err(told)
    }
}

/// An error of validation, with the way out.
pub fn told(error: ValidateError) -> anyhow::Error {
    match error {
        ValidateError::TooFew { count, .. } if count >= 2 => {
            anyhow::anyhow!("{error}; try --set validation.folds={count} or fewer, or add reviews")
        }
        ValidateError::TooFewDays { days, .. } if days >= 3 => {
            anyhow::anyhow!("{error}; try --set validation.folds={} or fewer", (days - 1).min(5))
        }
        error => anyhow::Error::new(error),
    }
}

/// Says which names of the lists no review holds.
pub fn warn_of_names(corpus: &Corpus, counted: &Counted, study: &Study, desk: &Desk) {
    const SHOWN: usize = 10;
    let names = &counted.unknown_names;
    if names.is_empty() {
        return;
    }
    let shown: Vec<String> = names.iter().take(SHOWN).map(|name| format!("`{name}`")).collect();
    let more = match names.len().saturating_sub(SHOWN) {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    let case = match other_case(corpus, counted, study) {
        0 => String::new(),
        other => format!("; {other} of them in other capital letters (text.case = \"keep\")"),
    };
    desk.remark(&format!(
        "warning: no review holds {}{more}, which terms.include or terms.exclude name{case}",
        shown.join(", ")
    ));
}

/// Names of the lists that no review holds as they are written, but in other capital letters.
pub fn other_case(corpus: &Corpus, counted: &Counted, study: &Study) -> usize {
    if study.text.case == Case::Lower || counted.unknown_names.is_empty() {
        return 0;
    }
    let lower: HashSet<String> = corpus.words.iter().map(str::to_lowercase).collect();
    let there = |name: &&String| name.to_lowercase().split_whitespace().all(|word| lower.contains(word));
    counted.unknown_names.iter().filter(there).count()
}
