//! Why a review gets its verdict.

use heddle_core::explain::{Explanation, Removal, explain_document, removals};
use heddle_core::labels::{ClassNames, Classes};
use heddle_core::measure::{Decision, Figure};
use heddle_core::model::{Model, Score};
use serde::Serialize;

use crate::error::Result;
use crate::reviews::texts::{Text, TextOptions, texts};
use crate::scoring::open;
use crate::session::Session;

/// Which texts are explained by which model.
#[derive(Debug, Clone, Default)]
pub struct ExplainOptions {
    /// The model file.
    pub model: String,
    /// The texts.
    pub texts: TextOptions,
    /// For how many words of each text it is found what the text would be without them.
    pub words: usize,
}

/// The accounts of some reviews.
#[derive(Debug, Serialize)]
pub struct Explained {
    /// The model file.
    pub model: String,
    /// By text: its score, and what it is made of.
    pub texts: Vec<ExplainedText>,
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
    /// What the model says.
    pub score: Score,
    /// What the score is made of.
    #[serde(flatten)]
    pub explanation: Explanation,
    /// What the heaviest words do.
    pub words: Vec<Removal>,
}

/// Explains the scores of some texts.
///
/// # Errors
/// A model or file that cannot be read, or rows that are not there.
pub fn explain(session: &Session, options: &ExplainOptions) -> Result<Explained> {
    let (model, session) = open(&options.model, session)?;
    let texts = texts(&options.texts, &session, |_| {})?;
    Ok(explain_texts(&options.model, &model, texts, options.words))
}

/// Explains the scores that a model gives to texts.
pub(crate) fn explain_texts(path: &str, model: &Model, texts: Vec<Text>, words: usize) -> Explained {
    let mut reader = model.scorer();
    let one = |Text { origin, document }: Text| {
        let (score, explanation) = explain_document(&mut reader, &document);
        let words = removals(&mut reader, &document, (&score, &explanation), words);
        ExplainedText { origin, text: document.text().into(), score, explanation, words }
    };
    Explained {
        model: path.into(),
        texts: texts.into_iter().map(one).collect(),
        accuracy: model.card().validated.as_ref().map(|validated| validated.figures.accuracy),
        cuts: model.card().cuts,
        classes: model.classes(),
        names: model.study().class_names(),
    }
}
