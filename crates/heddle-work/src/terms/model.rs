//! The terms of a model.

use std::collections::BTreeSet;

use heddle_core::labels::{ClassCounts, ClassNames, Classes, PerClass, Polarity};
use heddle_core::model::{Model, Term};
use heddle_core::terms::{Doubt, MadeOf, TermId, highest};
use heddle_files::Column;
use serde::Serialize;

use super::Strongest;
use super::twice::look_twice;
use crate::error::Result;
use crate::reviews::columns::with_ours;
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::roles::TERMS;
use crate::scoring::{open, score_each};
use crate::session::Session;

/// Among so many of the heaviest terms of each class, doubtful ones are listed.
pub(crate) const DOUBTED: usize = 100;

/// What is told of the terms of a model.
#[derive(Debug, Clone, Default)]
pub struct ModelTermsOptions {
    /// The model file.
    pub model: String,
    /// Review files that are held against it.
    pub files: Vec<String>,
    /// How many terms of each class and length are told.
    pub top: usize,
    /// Where every term goes that is kept, if anywhere.
    pub out: Option<String>,
}

/// What the terms of a model are.
#[derive(Debug, Serialize)]
pub struct ModelTerms {
    /// The model file.
    pub model: String,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
    /// Training reviews of each class: negative, positive, neutral.
    pub mix: ClassCounts,
    /// Terms of the model.
    pub kept: usize,
    /// By class and length, the terms that go most with it.
    pub strongest: Vec<Strongest<WeighedTerm>>,
    /// Telling terms that should be looked at twice.
    pub doubtful: Vec<WeighedTerm>,
    /// How much of the files the model knows, where some are named.
    pub coverage: Option<Known>,
    /// Where it was written, if anywhere.
    pub written: Option<String>,
}

/// One term of a model.
#[derive(Debug, Clone, Serialize)]
pub struct WeighedTerm {
    /// The term.
    pub term: String,
    /// Its weight: log-odds for one unit.
    pub weight: f32,
    /// Its weight for neutral against the mean of the poles, where each class has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub neutral: Option<f32>,
    /// Reviews.
    pub reviews: u64,
    /// The training reviews of each class that hold it: negative, positive, neutral.
    pub counts: PerClass<u32>,
    /// What should make one look twice.
    pub doubts: Vec<Doubt>,
}

/// What a model knows of some files.
#[derive(Debug, Serialize)]
pub struct Known {
    /// Rows that could not be used.
    #[serde(skip)]
    pub refused: usize,
    /// Reviews.
    pub reviews: usize,
    /// Tokens.
    pub tokens: usize,
    /// Tokens that the model does not know.
    pub unknown_words: usize,
    /// Reviews that share no term with it.
    pub reviews_without_terms: usize,
}

/// The terms of a model that pull hardest towards a class; those of equal weight in the order of the
/// model.
pub(crate) fn heaviest(
    model: &Model,
    polarity: Polarity,
    most: usize,
    takes: impl Fn(TermId) -> bool,
) -> Vec<WeighedTerm> {
    let pull = |term: TermId| {
        let Term { weight, neutral, kept, .. } = model.term(term);
        let pull = match polarity {
            Polarity::Neutral => f64::from(neutral),
            _ => polarity.sign() * f64::from(weight),
        };
        (kept && pull > 0.0).then_some((pull, term))
    };
    let terms = TermId::all(model.len()).filter_map(pull).filter(|(_, term)| takes(*term)).collect();
    highest(terms, most).into_iter().map(|(_, term)| weighed(model, term)).collect()
}

/// Those that should be looked at twice, of the heaviest terms of each class: [`DOUBTED`] or more.
pub(crate) fn doubtful(heaviest: &[Vec<WeighedTerm>; 2]) -> Vec<WeighedTerm> {
    let both = heaviest.iter().flat_map(|terms| terms.iter().take(DOUBTED));
    both.filter(|term| !term.doubts.is_empty()).cloned().collect()
}

fn weighed(model: &Model, term: TermId) -> WeighedTerm {
    let known = model.term(term);
    WeighedTerm {
        term: model.spell(term),
        weight: known.weight,
        neutral: model.is_free().then_some(known.neutral),
        reviews: known.reviews(),
        counts: known.counts,
        doubts: model.doubts(term),
    }
}

/// Tells the terms of a model, and how much of some files it knows.
///
/// # Errors
/// A model or files that cannot be read.
pub fn model_terms(session: &Session, options: &ModelTermsOptions) -> Result<ModelTerms> {
    let ModelTermsOptions { model: path, files, top, out } = options;
    let (model, session) = open(path, session)?;
    let coverage = match files.is_empty() {
        true => None,
        false => {
            let reviews = LabelledReviews::read(files, &session, Kept::Needed, Purpose::Try)?;
            Some(known(&model, &reviews))
        }
    };
    let kept = TermId::all(model.len()).filter(|term| model.term(*term).kept);
    let kinds: BTreeSet<MadeOf> = kept.map(|term| model.made_of(term)).collect();
    let of_kind = |made_of: MadeOf| {
        let terms = |polarity| heaviest(&model, polarity, *top, |term| model.made_of(term) == made_of);
        let classes = if model.is_free() { &Polarity::ALL[..] } else { &Polarity::POLES };
        let strongest = |polarity: Polarity| Strongest { polarity, made_of, terms: terms(polarity) };
        classes.iter().copied().map(strongest).collect::<Vec<_>>()
    };
    if let Some(path) = out {
        write_terms(path, &model, &session)?;
    }
    Ok(ModelTerms {
        model: path.clone(),
        names: session.study().class_names(),
        mix: model.card().mix,
        kept: model.card().terms,
        strongest: kinds.into_iter().flat_map(of_kind).collect(),
        doubtful: doubtful(&Polarity::POLES.map(|polarity| heaviest(&model, polarity, DOUBTED, |_| true))),
        coverage,
        written: out.clone(),
    })
}

fn known(model: &Model, reviews: &LabelledReviews) -> Known {
    let places: Vec<usize> = (0..reviews.rows.len()).collect();
    let scores = score_each(model, &places, |scorer, place| scorer.score_document(&reviews.review(*place)));
    Known {
        refused: reviews.account.refused,
        reviews: scores.len(),
        tokens: scores.iter().map(|score| score.tokens).sum(),
        unknown_words: scores.iter().map(|score| score.unknown).sum(),
        reviews_without_terms: scores.iter().filter(|score| score.terms == 0).count(),
    }
}

fn write_terms(path: &str, model: &Model, session: &Session) -> Result<()> {
    let names = session.study().class_names();
    let mut columns = vec![
        Column::text("term"),
        Column::number("words"),
        Column::number("reviews"),
        Column::number(names.of(Polarity::Negative)),
        Column::number(names.of(Polarity::Positive)),
        Column::number("document_factor"),
        Column::number("weight"),
        Column::text("look_twice"),
    ];
    let (three, free) = (model.classes() == Classes::Three, model.is_free());
    columns.extend(three.then(|| Column::number(names.of(Polarity::Neutral))));
    columns.extend(free.then(|| Column::number(format!("{}_weight", names.of(Polarity::Neutral)))));
    let mut writer = session.row_writer(TERMS, path, &with_ours(&[], columns))?;
    for term in TermId::all(model.len()).filter(|term| model.term(*term).kept) {
        let own = weighed(model, term);
        let mut cells = vec![
            own.term.clone(),
            model.words(term).to_string(),
            own.reviews.to_string(),
            own.counts[Polarity::Negative].to_string(),
            own.counts[Polarity::Positive].to_string(),
            model.term(term).document_factor.to_string(),
            own.weight.to_string(),
            look_twice(&own.doubts),
        ];
        cells.extend(three.then(|| own.counts[Polarity::Neutral].to_string()));
        cells.extend(own.neutral.map(|weight| weight.to_string()));
        writer.row(cells.iter().map(String::as_str))?;
    }
    writer.finish()?;
    Ok(())
}
