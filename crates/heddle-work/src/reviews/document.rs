//! The document of a row: its text, and what counts beside it.

use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{Column, find_column};

use crate::error::{Result, fail};
use crate::reviews::labelling::text_columns;

/// Where the parts of a document stand in a row.
#[derive(Debug, Clone)]
pub struct DocumentColumns {
    /// The columns of the text.
    text: Vec<usize>,
    /// The columns that count beside it, in the order of `features.columns`; none for a fact of the text.
    beside: Vec<Option<usize>>,
}

impl DocumentColumns {
    /// Finds the columns that the study names.
    ///
    /// # Errors
    /// If one is not there, or cannot hold text.
    pub fn find(file: &str, columns: &[Column], study: &Study) -> Result<Self> {
        let place = |name: Option<&str>| name.map(|name| find_column(file, columns, name)).transpose();
        let beside = study.features.columns.iter().map(|used| place(used.column()));
        let beside = beside.collect::<std::result::Result<_, _>>()?;
        Ok(Self { beside, ..Self::of_text(file, columns, study)? })
    }

    /// As [`find`](Self::find), of the text alone: what counts beside it is not known.
    ///
    /// # Errors
    /// As [`find`](Self::find).
    pub fn of_text(file: &str, columns: &[Column], study: &Study) -> Result<Self> {
        Ok(Self { text: text_columns(file, columns, study)?, beside: Vec::new() })
    }

    /// Puts the cells of a row into a document.
    pub fn put<'a>(&self, cell: impl Fn(usize) -> &'a str, document: &mut Document) {
        self.text.iter().enumerate().for_each(|(field, &column)| document.push(field, cell(column)));
        self.beside.iter().for_each(|column| document.push_beside(column.map_or("", &cell)));
    }

    /// The document of a row.
    pub fn document<'a>(&self, cell: impl Fn(usize) -> &'a str) -> Document {
        let mut document = Document::default();
        self.put(cell, &mut document);
        document
    }
}

/// The columns of a file that count beside the text.
pub fn columns_beside(study: &Study) -> impl Iterator<Item = &str> {
    study.features.columns.iter().filter_map(|used| used.column())
}

/// Columns that cannot count are refused before anything is read.
///
/// # Errors
/// If the text, the rating or what names rows is among them.
pub fn check_columns(study: &Study) -> Result<()> {
    let reviews = &study.reviews;
    for name in columns_beside(study) {
        let what = match name {
            _ if name == reviews.rated() => {
                "the rating that classes are made of: a model would learn its own answer"
            }
            _ if reviews.text.iter().any(|text| text == name) => "the text, whose words count already",
            _ if reviews.id.as_deref() == Some(name) => "what names a row: it says nothing of new reviews",
            _ => continue,
        };
        fail!(Settings, "features.columns names `{name}`, which is {what}; leave it out");
    }
    Ok(())
}
