//! What columns beside the text add at the same text.

use heddle_core::beside::Coding;
use heddle_core::validate::{ColumnEffect, effects as effects_of};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::sources::{Source, SourceFound, alone};
use crate::training::TrainingSet;

/// Whose columns are looked at.
#[derive(Debug, Clone, Default)]
pub struct EffectsOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Columns as `features.columns` names them; those of the study where there are none.
    pub columns: Vec<String>,
}

/// What was found.
#[derive(Debug, Serialize)]
pub struct Effects {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The number of folds.
    pub folds: usize,
    /// How good it is with the text alone, and what the columns bring.
    pub text_alone: SourceFound,
    /// By column: what it adds at the same text.
    pub columns: Vec<ColumnEffect>,
    /// Where a picture was drawn.
    pub picture: Option<String>,
}

/// Tells what each value of the columns adds at the same text, with what is observed and predicted there.
///
/// # Errors
/// Reviews that cannot be read or learnt from, a locked holdout, or no column to look at.
pub fn effects(session: &Session, options: &EffectsOptions) -> Result<Effects> {
    let input = session.input(&options.files)?;
    let with = match options.columns.is_empty() {
        true => session.clone(),
        false => {
            let list: Vec<String> = options.columns.iter().map(|name| format!("{name:?}")).collect();
            session.with(&[format!("features.columns=[{}]", list.join(", "))])?
        }
    };
    if with.study().features.columns.is_empty() {
        fail!(Options, "no column to look at: name some, as in --columns channel,posted:hour,price:bands");
    }
    let session = &with_found(&with, &input, Needs::LABELS)?;
    let reviews = LabelledReviews::of(input, session, Kept::Needed, Purpose::Learn)?;
    let training = TrainingSet::new(reviews, session)?;
    let both = training.validate(session)?;
    let text = alone(&training, Source::TextAlone, session)?;
    let TrainingSet { counted, corpus, sample, study, .. } = &training;
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let coding: Coding = study.features.learn(corpus.beside(), &rows).unwrap_or_default();
    let task = session.busy("resampling");
    let of_reviews = coding.rows(corpus.beside(), counted.rows.len());
    let held = (&text.held_out[0][..], &both.held_out[0][..]);
    let columns = effects_of(sample, (&coding, &of_reviews), held, study.validation.seed);
    task.end();
    Ok(Effects {
        account: training.account.clone(),
        rule: study.rule(training.account.by_name),
        folds: study.validation.folds,
        text_alone: SourceFound::new(Source::TextAlone, text, &both, sample),
        columns,
        picture: None,
    })
}
