//! A model that is read once and answers many times.

use std::sync::Arc;

use heddle_core::model::Model;
use heddle_core::text::Document;

use crate::error::Result;
use crate::explain::{ExplainedText, explain_documents};
use crate::inspect::{Inspected, inspect_open};
use crate::observer::Observer;
use crate::reviews::document::columns_beside;
use crate::score::{Judged, ScoreOptions, Scored, judge, score_with};
use crate::scoring::open_with_bytes;
use crate::session::Session;

/// So many of the heaviest terms of each class stand on the card.
const HEAVIEST: usize = 15;

/// A model that is read once and answers many times, from any number of threads.
pub struct OpenModel {
    model: Model,
    /// Of its settings.
    session: Session,
    inspected: Inspected,
    /// The columns of its text, and those that count beside it.
    text: Vec<String>,
    beside: Vec<Option<String>>,
}

/// A row lacks this column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lacking(pub String);

impl OpenModel {
    /// Reads a model, and asks it what it is.
    ///
    /// # Errors
    /// A file that is no model; settings of the session that are none of reviews or decisions.
    pub fn read(path: &str, session: &Session) -> Result<Self> {
        let (model, session, bytes) = open_with_bytes(path, session)?;
        let study = session.study();
        let inspected = inspect_open((&model, study), (path, &bytes), HEAVIEST);
        let beside = study.features.columns.iter().map(|used| used.column().map(String::from)).collect();
        Ok(Self { text: study.reviews.text.clone(), beside, inspected, model, session })
    }

    /// What it says of itself; the digest of its file is its name among others.
    pub fn inspected(&self) -> &Inspected {
        &self.inspected
    }

    /// The columns of the text.
    pub fn text_columns(&self) -> &[String] {
        &self.text
    }

    /// The columns that count beside the text.
    pub fn columns_beside(&self) -> impl Iterator<Item = &str> {
        columns_beside(self.model.study())
    }

    /// All columns that a row must have.
    pub fn columns(&self) -> Vec<&str> {
        self.text.iter().map(String::as_str).chain(self.columns_beside()).collect()
    }

    /// The document of a row whose cells are found by the names of their columns.
    ///
    /// # Errors
    /// The first column that the row lacks.
    pub fn document<'a>(&self, cell: impl Fn(&str) -> Option<&'a str>) -> Result<Document, Lacking> {
        let cell = |name: &String| cell(name).ok_or_else(|| Lacking(name.clone()));
        let mut document = Document::default();
        for (field, name) in self.text.iter().enumerate() {
            document.push(field, cell(name)?);
        }
        for name in &self.beside {
            document.push_beside(name.as_ref().map_or(Ok(""), cell)?);
        }
        Ok(document)
    }

    /// Judges reviews, in order, each with the `reasons` words that speak most for what it is called.
    pub fn judge(&self, documents: &[Document], reasons: usize) -> Vec<Judged> {
        judge(&self.model, documents, reasons)
    }

    /// Explains reviews, in order; for `words` words of each it is told what the review would be without them, and where
    /// that is more than none, also without each clause and which words turn the verdict.
    pub fn explain(&self, documents: Vec<Document>, words: usize) -> Vec<ExplainedText> {
        explain_documents(&self.model, documents, words)
    }

    /// Scores the rows of a file as [`score`](crate::score()) does, with settings such as "reviews.text=comment" over those
    /// of the model, and gives the scored file its name. `options.model` is not read.
    ///
    /// # Errors
    /// As [`score`](crate::score()).
    pub fn score_file(
        &self,
        options: &ScoreOptions,
        set: Vec<String>,
        observer: Arc<dyn Observer>,
    ) -> Result<Scored> {
        let session = self.session.apart(&set, observer)?;
        let scored = score_with(&self.model, &session, options)?;
        session.commit()?;
        Ok(scored)
    }
}
