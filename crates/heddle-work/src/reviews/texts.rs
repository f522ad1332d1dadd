//! Texts to look at: typed ones, or rows of a file.

use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{Keep, Table};

use crate::error::{Error, Result, fail};
use crate::reviews::handle::Handle;
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
    /// Rows by number in their file, from 1; rows that are refused count too.
    pub rows: Vec<usize>,
    /// Rows by the line that they begin on.
    pub lines: Vec<u64>,
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
    for number in &wanted.rows {
        rows.push(row_of_number(&table, file, *number)?);
    }
    for line in &wanted.lines {
        rows.push(row_of_line(&table, file, *line)?);
    }
    for id in &wanted.ids {
        rows.push(row_of_id(&table, id, study)?);
    }
    let read = |row: usize| document(columns.iter().map(|&column| table.cell(row, column)));
    if rows.is_empty() {
        rows.push(0);
        all(&(0..table.len()).map(read).filter(|text| !text.text().is_empty()).collect::<Vec<_>>());
    }
    let handle = Handle::new(&table, study);
    let text = |row: usize| Text { origin: handle.told(&table, row), document: read(row) };
    Ok(rows.into_iter().map(text).collect())
}

/// The row of the table that has this number in its file.
pub fn row_of_number(table: &Table, file: &str, number: usize) -> Result<usize> {
    let last = table.len().checked_sub(1).map_or(0, |last| table.number(last));
    table.of_number(number).ok_or_else(|| {
        Error::Reviews(match number == 0 || number > last as usize {
            true => format!("{file} has rows 1 to {last}, there is no row {number}"),
            false => format!("{file}: row {number} could not be used, and was refused"),
        })
    })
}

/// The row of the table that begins on this line of its file.
pub fn row_of_line(table: &Table, file: &str, line: u64) -> Result<usize> {
    table.of_line(line).ok_or_else(|| Error::Reviews(format!("{file}: no row begins on line {line}")))
}

/// The row of the table whose id is this.
pub fn row_of_id(table: &Table, id: &str, study: &Study) -> Result<usize> {
    let handle = Handle::new(table, study);
    if handle.column() == "row" {
        fail!(Settings, "--id needs the column of ids: set it, as in --set reviews.id=review_id");
    }
    let name = handle.column();
    let column = table.column(name)?;
    let found = (0..table.len()).find(|&row| table.cell(row, column) == id);
    found.ok_or_else(|| Error::Reviews(format!("no row has `{id}` in column `{name}`")))
}
