//! What all reviews are called, and what is written beside their names.

use heddle_core::settings::Study;
use heddle_files::Column;

use crate::error::Result;
use crate::reviews::handle::Handle;
use crate::reviews::labelled::LabelledReviews;

/// What each review is called: its id where there is one, else its file in a folder of texts, else the number of its
/// row, with the file where there are several.
pub struct RowNames {
    column: String,
    names: Vec<String>,
    /// Columns that are written beside the names.
    beside: Vec<(Column, Vec<String>)>,
}

impl RowNames {
    /// Takes the names of all reviews.
    pub fn new(reviews: &LabelledReviews, study: &Study) -> Result<Self> {
        let handle = Handle::new(&reviews.table, study);
        let names = reviews.rows.iter().map(|&row| handle.name(&reviews.table, row).into_owned()).collect();
        Ok(Self { column: handle.column().into(), names, beside: Vec::new() })
    }

    /// As [`new`](Self::new), with the text and the columns beside it, to be written too.
    ///
    /// # Errors
    /// If one of the columns is not there.
    pub fn with_columns(reviews: &LabelledReviews, study: &Study) -> Result<Self> {
        let mut names = Self::new(reviews, study)?;
        let table = &reviews.table;
        for name in study.reviews.text.iter().chain(&study.reviews.beside) {
            let at = table.column(name)?;
            let cells = reviews.rows.iter().map(|&row| table.cell(row, at).to_string()).collect();
            names.beside.push((table.columns()[at].clone(), cells));
        }
        Ok(names)
    }

    /// The name of a review.
    pub fn of(&self, review: usize) -> &str {
        &self.names[review]
    }

    /// All names, in the order of the reviews.
    pub fn all(&self) -> impl Iterator<Item = &str> {
        self.names.iter().map(String::as_str)
    }

    /// What names are: the column they come from.
    pub fn column(&self) -> &str {
        &self.column
    }

    /// The columns that are written beside the names.
    pub fn columns(&self) -> impl Iterator<Item = Column> {
        self.beside.iter().map(|(column, _)| column.clone())
    }

    /// Their cells of a review.
    pub fn cells(&self, review: usize) -> impl Iterator<Item = &str> {
        self.beside.iter().map(move |(_, cells)| cells[review].as_str())
    }
}
