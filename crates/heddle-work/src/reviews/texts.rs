//! Texts to look at: typed ones, or rows of a file.

use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{Keep, Table};

use crate::error::{Error, Result, fail};
use crate::reviews::labelling::{document, text_columns};
use crate::session::Session;

/// Texts to look at: typed, or rows of a file. Where a file is named and none of its rows, the
/// first.
#[derive(Debug, Clone, Default)]
pub struct TextOptions {
    /// A review file to take rows from.
    pub file: Option<String>,
    /// Texts as they are typed, where no file is named.
    pub texts: Vec<String>,
    /// Rows by number, from 1.
    pub rows: Vec<usize>,
    /// Rows by their id (`reviews.id`).
    pub ids: Vec<String>,
}

/// A text and where it comes from.
pub struct Text {
    /// "Typed", or file, line and id.
    pub origin: String,
    /// The text as written, its columns known apart.
    pub document: Document,
}

/// The texts that were asked for. Where a file is named and none of its rows, all of them are
/// given to `all`, and the first is looked at.
pub fn texts(wanted: &TextOptions, session: &Session, all: impl FnOnce(&[Document])) -> Result<Vec<Text>> {
    let study = session.study();
    let typed = wanted.texts.iter().map(|raw| Text { origin: "Typed".into(), document: raw.as_str().into() });
    let Some(file) = &wanted.file else {
        if wanted.texts.is_empty() {
            fail!(
                Options,
                "no text: give one with --text \"Not a bad cabin at all\", or name a file and --row N"
            );
        }
        return Ok(typed.collect());
    };
    let table = Table::read(&session.input(std::slice::from_ref(file))?, Keep::All)?;
    let columns = text_columns(file, table.columns(), study)?;
    if table.is_empty() {
        fail!(Reviews, "{file}: there is no row to look at");
    }
    let mut rows = Vec::new();
    for row in &wanted.rows {
        if *row == 0 || *row > table.len() {
            fail!(Reviews, "{file} has rows 1 to {}, there is no row {row}", table.len());
        }
        rows.push(row - 1);
    }
    for id in &wanted.ids {
        rows.push(row_of_id(&table, id, study)?);
    }
    let read = |row: usize| document(columns.iter().map(|&column| table.cell(row, column)));
    if rows.is_empty() {
        rows.push(0);
        all(&(0..table.len()).map(read).filter(|text| !text.text().is_empty()).collect::<Vec<_>>());
    }
    let text = |row: usize| {
        let (file, line) = table.place(row);
        Text { origin: format!("{file}, line {line}"), document: read(row) }
    };
    Ok(rows.into_iter().map(text).collect())
}

/// The row of the table whose id is this.
pub fn row_of_id(table: &Table, id: &str, study: &Study) -> Result<usize> {
    let Some(name) = &study.reviews.id else {
        fail!(Settings, "--id needs the column of ids: set it, as in --set reviews.id=review_id");
    };
    let column = table.column(name)?;
    let found = (0..table.len()).find(|&row| table.cell(row, column) == id);
    found.ok_or_else(|| Error::Reviews(format!("no row has `{id}` in column `{name}`")))
}
