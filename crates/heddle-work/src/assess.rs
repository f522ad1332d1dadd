//! A model on a holdout, beside its cross-validated figures.

use heddle_core::labels::{Classes, Polarity};
use heddle_core::measure::{Dependence, Figures, Verdict, baseline};
use heddle_core::model::{Model, Score};
use heddle_core::resample::{Balance, PriorKind};
use heddle_files::Column;
use serde::Serialize;

use crate::error::{Result, fail};
use crate::ledger::{NewEntry, folder_of};
use crate::natural_mix::NaturalMix;
use crate::openings;
use crate::reviews::columns::{probability_cells, probability_columns, with_ours};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::roles::ASSESSED;
use crate::scoring::{open, score_all, warn_unvalidated};
use crate::session::Session;
use crate::words::count;

/// How many confident mistakes are told.
const MISTAKES: usize = 5;

/// Which model is tried on which reviews.
#[derive(Debug, Clone, Default)]
pub struct AssessOptions {
    /// The model file.
    pub model: String,
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where the reviews go with what the model says of them, if anywhere.
    pub out: Option<String>,
}

/// What a holdout says of a model.
#[derive(Debug, Serialize)]
pub struct Assessed {
    /// The model file.
    pub model: String,
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// What was done about classes of unequal size in training.
    pub balance: Balance,
    /// The class mix that probabilities speak of.
    pub probabilities: PriorKind,
    /// Whether a band of unsure verdicts was promised.
    pub unsure_promised: bool,
    /// Precision at the natural class mix, where it is known to be another.
    pub restated: Option<NaturalMix>,
    /// How often this holdout was opened, this time included; missing where nobody counts.
    pub opened: Option<usize>,
    /// The figures.
    pub figures: Figures,
    /// Those of calling every review the larger class.
    pub baseline: Figures,
    /// The cross-validated figures that the model carries.
    pub validated: Option<heddle_core::model::Validated>,
    /// Confident mistakes: the reviews whose label the model holds least probable.
    pub mistakes: Vec<Mistake>,
    /// Reviews that share no term with the model.
    pub unknown_only: usize,
}

/// A review that was called against its label.
#[derive(Debug, Serialize)]
pub struct Mistake {
    /// The line that it begins on.
    pub line: u64,
    /// Its label.
    pub truth: Polarity,
    /// What the model says: the log-odds of positive.
    pub log_odds: f64,
    /// Its text.
    pub text: String,
}

/// Tries a model on labelled reviews that it has not learnt from. A look at a holdout is counted
/// before any figure of it is given.
///
/// # Errors
/// Files that cannot be read, reviews that do not fit the model, or a look that cannot be counted.
pub fn assess(session: &Session, options: &AssessOptions) -> Result<Assessed> {
    let AssessOptions { model: path, files, out } = options;
    let (model, session) = open(path, session)?;
    let reviews = LabelledReviews::read(files, &session, Kept::if_written(out.as_ref()), Purpose::Try)?;
    let assessed = assess_reviews(path, &model, &reviews, &session, out.as_deref())?;
    warn_unvalidated(&model, &session);
    Ok(assessed)
}

/// Scores labelled reviews with a model and compares.
pub(crate) fn assess_reviews(
    path: &str,
    model: &Model,
    reviews: &LabelledReviews,
    session: &Session,
    out: Option<&str>,
) -> Result<Assessed> {
    check(model, reviews)?;
    let opened = openings::open(&[path], reviews, session)?;
    let texts: Vec<_> = (0..reviews.rows.len()).map(|at| reviews.review(at)).collect();
    let scores = score_all(model, &texts);
    drop(texts);
    let labels = &reviews.sample.labels;
    let verdicts: Vec<Verdict> = scores.iter().map(|score| score.verdict).collect();
    if let Some(path) = out {
        write_scored((session, path), model, reviews, &verdicts)?;
    }
    let dependence = Dependence::of_groups(&reviews.sample.groups);
    let figures = Figures::under(labels, &verdicts, &dependence);
    session.note(NewEntry {
        command: "assess",
        folder: folder_of(path),
        input: &reviews.input,
        model: Some(path),
        counts: reviews.account.counts(),
        figures: &figures,
        holdouts: &reviews.holdouts,
    })?;
    let study = session.study();
    let natural = study.balance.natural.or(reviews.natural);
    Ok(Assessed {
        model: path.into(),
        account: reviews.account.clone(),
        rule: study.rule(),
        balance: study.balance.method,
        probabilities: study.balance.probabilities,
        unsure_promised: study.decision.unsure.is_some(),
        restated: natural.map(|natural| NaturalMix::new(&figures, natural)),
        opened,
        figures,
        baseline: Figures::under(labels, &vec![baseline(model.card().mix); labels.len()], &dependence),
        validated: model.card().validated.clone(),
        mistakes: mistakes(reviews, &scores),
        unknown_only: scores.iter().filter(|score| score.terms == 0).count(),
    })
}

fn check(model: &Model, reviews: &LabelledReviews) -> Result<()> {
    if reviews.rows.is_empty() {
        fail!(Reviews, "there is no labelled review to assess the model on");
    }
    if reviews.account.neutral > 0 && model.classes() == Classes::Two {
        fail!(
            Model,
            "{} are neutral, and the model tells negative from positive alone: leave them out with \
             --set polarity.middle=drop --set polarity.neutral=\"\", or train with them",
            count(reviews.account.neutral, "review")
        );
    }
    Ok(())
}

/// The reviews whose label the model holds least probable, of those that it calls otherwise.
fn mistakes(reviews: &LabelledReviews, scores: &[Score]) -> Vec<Mistake> {
    let labels = &reviews.sample.labels;
    let mut wrong: Vec<usize> = (0..labels.len()).filter(|&at| scores[at].polarity() != labels[at]).collect();
    let likely = |at: usize| scores[at].probability(labels[at]);
    wrong.sort_by(|&a, &b| likely(a).total_cmp(&likely(b)));
    let mistake = |at: usize| Mistake {
        line: reviews.table.place(reviews.rows[at]).1,
        truth: labels[at],
        log_odds: scores[at].verdict.log_odds,
        text: reviews.review(at).text().into(),
    };
    wrong.into_iter().take(MISTAKES).map(mistake).collect()
}

fn write_scored(
    (session, path): (&Session, &str),
    model: &Model,
    reviews: &LabelledReviews,
    verdicts: &[Verdict],
) -> Result<()> {
    let (table, classes) = (&reviews.table, model.classes());
    let ours =
        [Column::text("truth"), Column::number("log_odds")].into_iter().chain(probability_columns(classes));
    let mut writer = session.row_writer(ASSESSED, path, &with_ours(table.columns(), ours))?;
    for (at, &row) in reviews.rows.iter().enumerate() {
        let cells = probability_cells(&verdicts[at], classes);
        let truth = reviews.sample.labels[at].name();
        let odds = verdicts[at].log_odds.to_string();
        writer.row(table.row(row).chain([truth, &odds]).chain(cells.iter().map(String::as_str)))?;
    }
    writer.finish()?;
    Ok(())
}
