//! Reviews that read like one that is explained.

use heddle_core::explain::Weighed;
use heddle_core::model::Model;
use heddle_core::text::Document;
use serde::Serialize;

use crate::error::Result;
use crate::reviews::texts::{Label, RowTexts};
use crate::scoring::score_each;
use crate::session::Session;

/// A review that reads like another.
#[derive(Debug, Clone, Serialize)]
pub struct Alike {
    /// Where it stands.
    pub origin: String,
    /// What it is labelled, where the file has a column of ratings.
    pub label: Option<Label>,
    /// The cosine of the two, as the model weighs their terms.
    pub likeness: f64,
    /// Its text.
    pub text: String,
}

/// The rows of a file in which a review like another is looked for.
pub(super) struct Neighbours {
    texts: RowTexts,
    weighed: Vec<Weighed>,
}

impl Neighbours {
    pub fn read(file: &str, model: &Model, session: &Session) -> Result<Self> {
        let texts = RowTexts::open(file, session)?;
        let rows: Vec<usize> = (0..texts.table.len()).collect();
        let weighed = score_each(model, &rows, |scorer, row| Weighed::of(scorer, &texts.document(*row)));
        Ok(Self { texts, weighed })
    }

    /// The rows most like a review, the review itself and those that share nothing with it left out.
    pub fn of(&self, document: &Document, model: &Model, most: usize, session: &Session) -> Vec<Alike> {
        let own = Weighed::of(&mut model.scorer(), document);
        let likeness = |row: usize| (self.weighed[row].likeness(&own), row);
        let mut rows: Vec<(f64, usize)> = (0..self.weighed.len()).map(likeness).collect();
        rows.retain(|(likeness, row)| *likeness > 0.0 && self.texts.document(*row).text() != document.text());
        rows.sort_by(|a, b| b.0.total_cmp(&a.0));
        let told = |(likeness, row): (f64, usize)| {
            let text = self.texts.of(row, session.study());
            Alike { origin: text.origin, label: text.label, likeness, text: text.document.text().into() }
        };
        rows.into_iter().take(most).map(told).collect()
    }
}
