//! New reviews, scored row by row.

use heddle_core::labels::{Classes, Polarity};
use heddle_core::model::{Model, Score};
use heddle_core::resample::text_key;
use heddle_core::text::word_count;
use heddle_files::{Column, Record, STREAM};
use serde::Serialize;

use crate::batches::batches;
use crate::error::Result;
use crate::reviews::columns::{probability_cells, probability_columns, with_ours};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelling::{document, text_columns};
use crate::reviews::refusals::Refusals;
use crate::roles::SCORED;
use crate::scoring::{open, score_each, warn_unvalidated};
use crate::session::Session;

/// A review with this share of unknown words, or more, is flagged.
const MOSTLY_UNKNOWN: f64 = 0.5;

/// Which model scores which reviews.
#[derive(Debug, Clone, Default)]
pub struct ScoreOptions {
    /// The model file.
    pub model: String,
    /// The reviews; "-" is standard input.
    pub file: String,
    /// Where the scored rows go; standard output where it is not said.
    pub out: Option<String>,
}

/// How many reviews were called what.
#[derive(Debug, Default, Serialize)]
pub struct Scored {
    /// The model file.
    pub model: String,
    /// Rows in the file: `scored` + `refused`.
    pub read: usize,
    /// Rows that were scored.
    pub scored: usize,
    /// Rows that could not be used.
    pub refused: usize,
    /// Reviews called negative.
    pub negative: usize,
    /// Reviews called neutral, where the model has such a class.
    pub neutral: usize,
    /// Reviews called positive.
    pub positive: usize,
    /// Reviews that are not called: those without a known term, and those within the band of the
    /// unsure.
    pub unsure: usize,
    /// Reviews that the model has learnt from.
    pub learnt_from: usize,
    /// Reviews without a known term.
    pub no_known_term: usize,
    /// Reviews of which at least half of the words are unknown to the model.
    pub mostly_unknown: usize,
    /// Where the scored rows went, unless it is standard output.
    pub written: Option<String>,
}

/// Gives each row of a file its class and probabilities, in the order of the file.
///
/// # Errors
/// Files that cannot be read or written, or columns that are not there.
pub fn score(session: &Session, options: &ScoreOptions) -> Result<Scored> {
    let (model, session) = open(&options.model, session)?;
    let session = match options.file.as_str() {
        STREAM => session, // what comes from there comes once
        file => with_found(&session, &session.input(&[file.to_string()])?, Needs::Text)?,
    };
    let mut reviews = session.open_reviews(&options.file)?;
    let columns = text_columns(reviews.file(), reviews.columns(), session.study())?;
    warn_unvalidated(&model, &session);
    let classes = model.classes();
    let ours = [Column::text("polarity")]
        .into_iter()
        .chain(probability_columns(classes))
        .chain([Column::text("verdict")]);
    let header = with_ours(reviews.columns(), ours);
    let target = options.out.as_deref().unwrap_or(STREAM);
    let mut writer = session.row_writer(SCORED, target, &header)?;
    let mut scored =
        Scored { model: options.model.clone(), written: options.out.clone(), ..Scored::default() };
    let mut refusals = Refusals::new(&session)?;
    let task = session.busy("scoring");
    batches(
        |record| Ok(refusals.next(&mut reviews, record)?.is_some()),
        |rows| judge(&model, rows, &columns),
        |rows, judged| {
            for (row, judged) in rows.iter().zip(judged) {
                scored.add(&judged);
                writer.row(row.iter().chain(added(&judged.score, classes).iter().map(String::as_str)))?;
            }
            Ok(())
        },
    )?;
    task.end();
    writer.finish()?;
    session.tell_manners(&reviews.manners());
    scored.refused = refusals.finish()?;
    scored.read = scored.scored + scored.refused;
    Ok(scored)
}

/// What a model says of a row.
struct Judged {
    score: Score,
    mostly_unknown: bool,
    learnt_from: bool,
}

/// Scores rows on all threads, in order.
fn judge(model: &Model, rows: &[Record], columns: &[usize]) -> Vec<Judged> {
    score_each(model, rows, |scorer, row| {
        let text = document(columns.iter().map(|&at| &row[at]));
        let score = scorer.score_document(&text);
        let words = word_count(text.text());
        let mostly_unknown = words > 0 && score.unknown as f64 >= MOSTLY_UNKNOWN * words as f64;
        let learnt_from = !model.learnt().is_empty() && model.learnt().hold(text_key(text.text()));
        Judged { score, mostly_unknown, learnt_from }
    })
}

fn added(score: &Score, classes: Classes) -> Vec<String> {
    let mut cells = vec![score.polarity().name().to_string()];
    cells.extend(probability_cells(&score.verdict, classes));
    cells.push(verdict(score).into());
    cells
}

/// The class, or "unsure" where the model knows nothing of the review or may not call it.
fn verdict(score: &Score) -> &'static str {
    if score.is_sure() { score.polarity().name() } else { "unsure" }
}

impl Scored {
    fn add(&mut self, Judged { score, mostly_unknown, learnt_from }: &Judged) {
        self.scored += 1;
        match score.polarity() {
            _ if !score.is_sure() => self.unsure += 1,
            Polarity::Negative => self.negative += 1,
            Polarity::Neutral => self.neutral += 1,
            Polarity::Positive => self.positive += 1,
        }
        self.no_known_term += usize::from(score.terms == 0);
        self.mostly_unknown += usize::from(*mostly_unknown);
        self.learnt_from += usize::from(*learnt_from);
    }
}
