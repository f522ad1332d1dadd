//! Why a review gets its verdict.

mod alike;
mod choose;
mod write;

use heddle_core::Choice;
use heddle_core::explain::{
    Explanation, Faithfulness, Flip, Removal, Without, clause_removals, deletions, explain_document, flip,
    removals,
};
use heddle_core::labels::{ClassNames, Classes};
use heddle_core::measure::{Decision, Figure};
use heddle_core::model::{Model, Score};
use heddle_core::survey::Reservoir;
use heddle_core::text::Document;
use heddle_files::STREAM;
use rayon::prelude::*;
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::texts::{Label, RowTexts, Text, TextOptions, typed};
use crate::scoring::{open, score_each};
use crate::session::Session;

pub use alike::Alike;
use alike::Neighbours;
pub use choose::Filter;
use choose::chosen;
pub use write::Level;
use write::write_parts;

/// Reviews of a filter that are explained where nothing is said.
const SHOWN: usize = 3;
/// Faithfulness is told of so many reviews at most.
const JUDGED: usize = 1000;
/// So many reviews are told that read like an explained one.
const ALIKE: usize = 5;

/// Which texts are explained by which model.
#[derive(Debug, Clone, Default)]
pub struct ExplainOptions {
    /// The model file.
    pub model: String,
    /// The texts.
    pub texts: TextOptions,
    /// What rows of the file must be like, where none is named.
    pub filter: Filter,
    /// How many of those are explained; a few where it is not said, all where they are written.
    pub most: Option<usize>,
    /// For how many words of each text it is found what the text would be without them; where it is more than none, also
    /// what it would be without each clause, and which words turn the verdict.
    pub words: usize,
    /// Whether it is measured on the rows of the file that explanations are faithful.
    pub faithfulness: bool,
    /// A file in which reviews that read alike are looked for.
    pub alike: Option<String>,
    /// Where what scores are made of goes as rows, if anywhere.
    pub out: Option<String>,
    /// Which parts of scores are written; all where none is named.
    pub levels: Vec<Level>,
}

/// The accounts of some reviews.
#[derive(Debug, Serialize)]
pub struct Explained {
    /// The model file.
    pub model: String,
    /// By text: its score, and what it is made of.
    pub texts: Vec<ExplainedText>,
    /// Of how many rows they were chosen, where rows were looked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub chosen_of: Option<usize>,
    /// Whether explanations are faithful to the model, where that was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub faithfulness: Option<Faithfulness>,
    /// Where what scores are made of was written, and of how many rows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub written: Option<(String, usize)>,
    /// Where a picture was drawn.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub picture: Option<String>,
    /// Cross-validated accuracy of the model, where there is one.
    pub accuracy: Option<Figure>,
    /// Where verdicts change.
    pub cuts: Decision,
    /// The classes of the model.
    #[serde(skip)]
    pub classes: Classes,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
}

/// The account of one review.
#[derive(Debug, Serialize)]
pub struct ExplainedText {
    /// Where it comes from.
    pub origin: String,
    /// As it is written.
    pub text: String,
    /// What it is labelled, where it is a row of a file with a column of ratings.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<Label>,
    /// What the model says.
    pub score: Score,
    /// What the score is made of.
    #[serde(flatten)]
    pub explanation: Explanation,
    /// What the heaviest words do.
    pub words: Vec<Removal>,
    /// By clause: what the text is without it.
    pub without_clauses: Vec<Without>,
    /// The words whose removal turns the verdict, where such are found.
    pub flip: Option<Flip>,
    /// The reviews that read most like it, where a file was named to look in.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub alike: Vec<Alike>,
}

/// Explains the scores of some texts.
///
/// # Errors
/// A model or file that cannot be read, or rows that are not there.
pub fn explain(session: &Session, options: &ExplainOptions) -> Result<Explained> {
    let (model, session) = open(&options.model, session)?;
    let Some(file) = &options.texts.file else {
        if options.faithfulness || options.out.is_some() || !options.filter.is_open() {
            fail!(Options, "--faithfulness, --out and filters are for the rows of a file: name one");
        }
        let explained = explain_texts(&options.model, &model, typed(&options.texts)?, options.words);
        return with_neighbours(explained, &model, options, &session);
    };
    let session = match file.as_str() {
        STREAM => session, // what comes from there comes once
        file => with_found(&session, &session.input(&[file.to_string()])?, Needs::TEXT)?,
    };
    let texts = RowTexts::open(file, &session)?;
    let named = texts.named(&options.texts, session.study())?;
    let by_name = !named.is_empty();
    let rows = if by_name { named } else { chosen(&options.filter, &texts, &model, session.study())? };
    let looked_for = !by_name && (!options.filter.is_open() || options.out.is_some());
    let most = match (options.most, by_name, looked_for) {
        // What is written need not be shown too.
        (Some(most), ..) if options.out.is_some() => most.min(SHOWN),
        (Some(most), ..) => most,
        (None, true, _) => rows.len(),
        (None, false, true) => SHOWN,
        (None, false, false) => 1,
    };
    let shown: Vec<Text> = rows.iter().take(most).map(|row| texts.of(*row, session.study())).collect();
    let mut explained = explain_texts(&options.model, &model, shown, options.words);
    explained.chosen_of = looked_for.then_some(rows.len());
    if options.faithfulness {
        explained.faithfulness = Some(faithfulness(&rows, &texts, &model, &session));
    }
    if let Some(path) = &options.out {
        let written = &rows[..options.most.map_or(rows.len(), |most| most.min(rows.len()))];
        let levels = if options.levels.is_empty() { Level::ALL } else { &*options.levels };
        write_parts(path, (written, levels), (&texts, &model), &session)?;
        explained.written = Some((path.clone(), written.len()));
    }
    with_neighbours(explained, &model, options, &session)
}

/// Explains the scores that a model gives to texts.
pub(crate) fn explain_texts(path: &str, model: &Model, texts: Vec<Text>, words: usize) -> Explained {
    Explained {
        model: path.into(),
        texts: explain_each(model, texts, words),
        chosen_of: None,
        faithfulness: None,
        written: None,
        picture: None,
        accuracy: model.card().validated.as_ref().map(|validated| validated.figures.accuracy),
        cuts: model.card().cuts,
        classes: model.classes(),
        names: model.study().class_names(),
    }
}

/// Explains documents of which nothing else is known.
pub(crate) fn explain_documents(model: &Model, documents: Vec<Document>, words: usize) -> Vec<ExplainedText> {
    let text = |document| Text { origin: String::new(), document, label: None };
    explain_each(model, documents.into_iter().map(text).collect(), words)
}

fn explain_each(model: &Model, texts: Vec<Text>, words: usize) -> Vec<ExplainedText> {
    let one = |Text { origin, document, label }: Text| {
        let mut reader = model.scorer();
        let (score, explanation) = explain_document(&mut reader, &document);
        let told = (&score, &explanation);
        let more = words > 0;
        ExplainedText {
            origin,
            text: document.text().into(),
            label,
            words: removals(&mut reader, &document, told, words),
            without_clauses: if more { clause_removals(&mut reader, &document, told) } else { Vec::new() },
            flip: if more { flip(&mut reader, &document, told) } else { None },
            alike: Vec::new(),
            score,
            explanation,
        }
    };
    texts.into_par_iter().map(one).collect()
}

/// Whether explanations of some rows are faithful, on a random part of them where they are many.
fn faithfulness(rows: &[usize], texts: &RowTexts, model: &Model, session: &Session) -> Faithfulness {
    let seed = session.study().validation.seed;
    let mut drawn = Reservoir::new(JUDGED, seed);
    rows.iter().for_each(|row| drawn.offer(|| *row));
    let mut rows = drawn.into_kept();
    rows.sort_unstable();
    let task = session.busy("reading without words");
    let found = score_each(model, &rows, |scorer, row| deletions(scorer, &texts.document(*row), seed));
    task.end();
    Faithfulness::of(&found.into_iter().flatten().collect::<Vec<_>>())
}

fn with_neighbours(
    mut explained: Explained,
    model: &Model,
    options: &ExplainOptions,
    session: &Session,
) -> Result<Explained> {
    let Some(file) = &options.alike else { return Ok(explained) };
    let neighbours = Neighbours::read(file, model, session)?;
    for one in &mut explained.texts {
        one.alike = neighbours.of(&one.text.as_str().into(), model, ALIKE, session);
    }
    Ok(explained)
}
