//! What a model says of a review, and what to mind about it.

use heddle_core::explain::explain_document;
use heddle_core::model::{Model, Score, Scorer};
use heddle_core::resample::text_key;
use heddle_core::text::{Document, Language};
use heddle_files::Record;

use crate::reviews::document::DocumentColumns;
use crate::scoring::score_each;

/// A review with this share of unknown words, or more, is flagged.
const MOSTLY_UNKNOWN: f64 = 0.5;

/// What a model says of a review.
#[derive(Debug, Clone)]
pub struct Judged {
    /// Its score and verdict.
    pub score: Score,
    /// Whether at least half of its words are unknown to the model.
    pub mostly_unknown: bool,
    /// Whether the model has learnt from it.
    pub learnt_from: bool,
    /// Whether a column that the model uses has a category which training saw rarely, or never.
    pub unfamiliar: bool,
    /// By whose tables it was read.
    pub language: Language,
    /// The words that speak most for what it is called, the strongest first; none where nobody asks.
    pub reasons: Vec<Reason>,
}

/// A word that speaks for what a review is called.
#[derive(Debug, Clone, PartialEq)]
pub struct Reason {
    /// The word, with its mark where it is negated.
    pub word: String,
    /// What it adds to that side, in nats.
    pub adds: f64,
}

impl Judged {
    /// What to mind.
    pub fn flags(&self) -> Vec<&'static str> {
        let flags = [
            (self.score.terms == 0, "no known term"),
            (self.mostly_unknown && self.score.terms > 0, "mostly unknown words"),
            (self.learnt_from, "learnt from"),
            (self.unfamiliar, "unfamiliar value"),
        ];
        flags.into_iter().filter(|(holds, _)| *holds).map(|(_, name)| name).collect()
    }

    /// The reasons in a cell, with semicolons between.
    pub(super) fn told_reasons(&self) -> String {
        let told: Vec<String> =
            self.reasons.iter().map(|Reason { word, adds }| format!("{word} {adds:.2}")).collect();
        told.join("; ")
    }
}

/// Judges reviews on all threads, in order, each with the `most` words that speak most for what it is called.
pub fn judge(model: &Model, documents: &[Document], most: usize) -> Vec<Judged> {
    score_each(model, documents, |scorer, document| judge_one(scorer, document, most))
}

/// The same for rows of a file.
pub(super) fn judge_rows(
    model: &Model,
    rows: &[Record],
    (columns, most): (&DocumentColumns, usize),
) -> Vec<Judged> {
    score_each(model, rows, |scorer, row| judge_one(scorer, &columns.document(|at| &row[at]), most))
}

fn judge_one(scorer: &mut Scorer<'_>, document: &Document, most: usize) -> Judged {
    let model = scorer.model();
    let score = scorer.score_document(document);
    // Of most reviews few words need to be counted to tell.
    let most_words = (score.unknown as f64 / MOSTLY_UNKNOWN) as usize;
    let mostly_unknown = score.unknown > 0 && has_at_most(most_words, document.text());
    let learnt_from = !model.learnt().is_empty() && model.learnt().hold(text_key(document.text()));
    let language = model.study().text.languages[scorer.tokens().tongue()];
    let unfamiliar = scorer.unfamiliar() > 0;
    let reasons = if most > 0 { reasons(scorer, document, most) } else { Vec::new() };
    Judged { score, mostly_unknown, learnt_from, unfamiliar, language, reasons }
}

/// Whether a text has at most so many words, as blanks part them.
fn has_at_most(words: usize, text: &str) -> bool {
    text.split_whitespace().nth(words).is_none()
}

fn reasons(scorer: &mut Scorer<'_>, document: &Document, most: usize) -> Vec<Reason> {
    let (score, explanation) = explain_document(scorer, document);
    let mut reasons: Vec<Reason> = Vec::new();
    for token in &explanation.tokens {
        let (word, adds) = (token.spelled(), token.speaks_for(score.polarity()));
        match reasons.iter_mut().find(|other| other.word == word) {
            Some(same) => same.adds += adds,
            None => reasons.push(Reason { word, adds }),
        }
    }
    reasons.retain(|reason| reason.adds > 0.0);
    reasons.sort_by(|a, b| b.adds.total_cmp(&a.adds).then_with(|| a.word.cmp(&b.word)));
    reasons.truncate(most);
    reasons
}
