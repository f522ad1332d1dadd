//! A model on a holdout, beside its cross-validated figures.

use heddle_core::labels::{Classes, Polarity};
use heddle_core::measure::{Dependence, Figures, Verdict, baseline};
use heddle_core::model::{Ballot, Model, Score, VoteBy};
use heddle_core::resample::{Balance, PriorKind, Sample};
use heddle_files::{Column, holdouts_in};
use rayon::prelude::*;
use serde::Serialize;

use crate::error::{Result, fail};
use crate::ledger::{NewEntry, folder_of};
use crate::natural_mix::NaturalMix;
use crate::openings;
use crate::reviews::columns::{probability_cells, probability_columns, verdict_cells, with_ours};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::ASSESSED;
use crate::scoring::{open, score_all, warn_unvalidated};
use crate::session::Session;
use crate::unseen::unseen;
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
    /// How the copies of a review vote on it; where it is not said, a review is judged by its own text.
    pub vote: Option<VoteBy>,
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
    /// Labelled reviews that the model has learnt from: they are left out of the figures.
    pub learnt_from: usize,
    /// How often this holdout was opened, this time included; missing where nobody counts.
    pub opened: Option<usize>,
    /// The figures.
    pub figures: Figures,
    /// Those of calling every review the larger class.
    pub baseline: Figures,
    /// The cross-validated figures that the model carries.
    pub validated: Option<heddle_core::model::Validated>,
    /// What reviews are called by: the column of their ids, or "row".
    pub named_by: String,
    /// Confident mistakes: the reviews whose label the model holds least probable.
    pub mistakes: Vec<Mistake>,
    /// Reviews that share no term with the model.
    pub unknown_only: usize,
    /// Where a picture in plain words was drawn.
    pub overview: Option<String>,
    /// How copies voted on their reviews, and how many did; nothing where none was asked.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub voted: Option<(VoteBy, usize)>,
}

/// A review that was called against its label.
#[derive(Debug, Serialize)]
pub struct Mistake {
    /// What it is called: its id, or its row.
    pub id: String,
    /// The file that it stands in.
    pub file: String,
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
    let AssessOptions { model: path, files, out, vote } = options;
    let (model, session) = open(path, session)?;
    let holdout = if files.is_empty() { holdout_beside(path, &session)? } else { None };
    let files = holdout.as_ref().map_or(&files[..], std::slice::from_ref);
    let input = session.input(files)?;
    let session = with_found(&session, &input, Needs::LABELS)?;
    let reviews = LabelledReviews::of(input, &session, Kept::if_written(out.as_ref()), Purpose::Try)?;
    if vote.is_some() && reviews.account.copies == 0 {
        fail!(
            Settings,
            "--vote found no copy: name the columns that tell them, as in --set reviews.id=review_id \
             --set reviews.copy_of=copy_of"
        );
    }
    let assessed = assess_reviews(path, &model, &reviews, &session, (out.as_deref(), *vote))?;
    warn_unvalidated(&model, &session);
    Ok(assessed)
}

/// The holdout that stands beside a model, where there is one and no other: what to try it on where nothing is named.
fn holdout_beside(model: &str, session: &Session) -> Result<Option<String>> {
    let mut found = holdouts_in(folder_of(model))?;
    let only = found.pop().filter(|_| found.is_empty());
    if let Some(path) = &only {
        session.remark(&format!("note: no file is named; this is {path}, the holdout beside the model"));
    }
    Ok(only)
}

/// Scores labelled reviews with a model and compares.
pub(crate) fn assess_reviews(
    path: &str,
    model: &Model,
    reviews: &LabelledReviews,
    session: &Session,
    (out, vote): (Option<&str>, Option<VoteBy>),
) -> Result<Assessed> {
    check(model, reviews)?;
    let unseen = unseen(&[model], reviews, session)?;
    let opened = openings::open(&[path], reviews, session)?;
    let texts: Vec<_> = (0..reviews.rows.len()).map(|at| reviews.review(at)).collect();
    let mut scores = score_all(model, &texts);
    drop(texts);
    if let Some(by) = vote {
        let voted = |(at, own): (usize, &mut Score)| own.verdict = voted(model, (reviews, at), own, by);
        scores.par_iter_mut().enumerate().for_each(voted);
    }
    if let Some(path) = out {
        write_scored((session, path), model, reviews, &scores)?;
    }
    let Sample { labels, groups, .. } = reviews.sample.part(&unseen);
    let verdicts: Vec<Verdict> = unseen.iter().map(|at| scores[*at as usize].verdict).collect();
    let dependence = Dependence::of_groups(&groups);
    let figures = Figures::under(&labels, &verdicts, &dependence);
    session.note(NewEntry {
        command: "assess",
        folder: folder_of(path),
        input: &reviews.input,
        model: Some(path),
        counts: reviews.sample.mix(&unseen),
        figures: &figures,
        holdouts: &reviews.holdouts,
    })?;
    let study = session.study();
    let names = RowNames::new(reviews, study)?;
    let natural = study.balance.natural.or(reviews.natural);
    Ok(Assessed {
        model: path.into(),
        account: reviews.account.clone(),
        rule: study.rule(reviews.account.by_name),
        balance: study.balance.method,
        probabilities: study.balance.probabilities,
        unsure_promised: study.decision.unsure.is_some(),
        restated: natural.map(|natural| NaturalMix::new(&figures, natural)),
        opened,
        figures,
        baseline: Figures::under(&labels, &vec![baseline(model.card().mix); labels.len()], &dependence),
        learnt_from: reviews.rows.len() - unseen.len(),
        validated: model.card().validated.clone(),
        named_by: names.column().into(),
        mistakes: mistakes((reviews, &names), &scores, &unseen),
        unknown_only: unseen.iter().filter(|at| scores[**at as usize].terms == 0).count(),
        overview: None,
        voted: vote.map(|by| (by, reviews.account.copies)),
    })
}

/// What a review and its copies come to.
fn voted(model: &Model, (reviews, at): (&LabelledReviews, usize), own: &Score, by: VoteBy) -> Verdict {
    let mut scorer = model.scorer();
    let others = reviews.copies_of(at).map(|text| Ballot::from(&scorer.score_document(&text)));
    let ballots: Vec<Ballot> = std::iter::once(Ballot::from(own)).chain(others).collect();
    model.vote(&ballots, by).verdict
}

fn check(model: &Model, reviews: &LabelledReviews) -> Result<()> {
    if reviews.rows.is_empty() {
        fail!(Reviews, "there is no labelled review to assess the model on");
    }
    let names = &reviews.account.names;
    if reviews.account.neutral > 0 && model.classes() == Classes::Two {
        fail!(
            Model,
            "{} are {}, and the model tells {} from {} alone: leave them out with \
             --set polarity.middle=drop --set polarity.neutral=\"\", or train with them",
            count(reviews.account.neutral, "review"),
            names.of(Polarity::Neutral),
            names.of(Polarity::Negative),
            names.of(Polarity::Positive)
        );
    }
    Ok(())
}

/// The reviews whose label the model holds least probable, of those that it calls otherwise.
fn mistakes(
    (reviews, names): (&LabelledReviews, &RowNames),
    scores: &[Score],
    unseen: &[u32],
) -> Vec<Mistake> {
    let labels = &reviews.sample.labels;
    let mut wrong: Vec<usize> = unseen.iter().map(|at| *at as usize).collect();
    wrong.retain(|&at| scores[at].polarity() != labels[at]);
    let likely = |at: usize| scores[at].probability(labels[at]);
    wrong.sort_by(|&a, &b| likely(a).total_cmp(&likely(b)));
    let mistake = |at: usize| Mistake {
        id: names.of(at).into(),
        file: reviews.table.place(reviews.rows[at]).0.into(),
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
    scores: &[Score],
) -> Result<()> {
    let (table, classes, names) = (&reviews.table, model.classes(), &reviews.account.names);
    let ours = [Column::text("truth"), Column::number("log_odds")]
        .into_iter()
        .chain(probability_columns(classes, names));
    let ours = ours.chain([Column::text("called"), Column::text("verdict")]);
    let mut writer = session.row_writer(ASSESSED, path, &with_ours(table.columns(), ours))?;
    for (at, &row) in reviews.rows.iter().enumerate() {
        let verdict = &scores[at].verdict;
        let cells = probability_cells(verdict, classes);
        let truth = names.of(reviews.sample.labels[at]);
        let odds = verdict.log_odds.to_string();
        let last = verdict_cells(verdict, scores[at].is_sure(), names);
        writer
            .row(table.row(row).chain([truth, &odds]).chain(cells.iter().map(String::as_str)).chain(last))?;
    }
    writer.finish()?;
    Ok(())
}
