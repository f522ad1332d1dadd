//! What reviews are called in the files that are written.

use heddle_core::settings::Study;

use crate::error::Result;
use crate::reviews::labelled::LabelledReviews;

/// What each review is called in the files that are written: its id, or its row number.
pub struct RowNames {
    column: String,
    names: Vec<String>,
}

impl RowNames {
    /// Takes the names of all reviews.
    pub fn new(reviews: &LabelledReviews, study: &Study) -> Result<Self> {
        let table = &reviews.table;
        let there = |name: &&String| table.columns().iter().any(|column| column.name == **name);
        let Some(column) = study.reviews.id.as_ref().filter(there) else {
            let names = reviews.rows.iter().map(|row| (row + 1).to_string()).collect();
            return Ok(Self { column: "row".into(), names });
        };
        let at = table.column(column)?;
        let names = reviews.rows.iter().map(|&row| table.cell(row, at).to_string()).collect();
        Ok(Self { column: column.clone(), names })
    }

    /// The name of a review.
    pub fn of(&self, review: usize) -> &str {
        &self.names[review]
    }

    /// What names are: the column they come from.
    pub fn column(&self) -> &str {
        &self.column
    }
}
