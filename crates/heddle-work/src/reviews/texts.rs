//! Texts to look at: typed ones, or rows of a file.

use heddle_core::labels::{Polarity, Reading, shown_rating};
use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{Keep, Table};
use serde::Serialize;

use crate::error::{Error, Result, fail};
use crate::reviews::document::DocumentColumns;
use crate::reviews::handle::Handle;
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
    /// What its row is labelled, where the file has a column of ratings.
    pub label: Option<Label>,
}

/// The rating of a row, and what the rule makes of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Label {
    /// The rating as it is written.
    pub value: String,
    /// Its class; missing for what is left out, or not named by the rule.
    pub class: Option<Polarity>,
}

/// The rows of a file, to be looked at one by one.
pub struct RowTexts {
    file: String,
    /// The rows.
    pub table: Table,
    columns: DocumentColumns,
    rated: Option<usize>,
    /// What rows are called.
    pub handle: Handle,
}

impl RowTexts {
    /// Reads a file and finds its columns.
    ///
    /// # Errors
    /// A file that cannot be read or has no row, or columns that are not there.
    pub fn open(file: &str, session: &Session) -> Result<Self> {
        let table = Table::read(&session.input(&[file.to_string()])?, Keep::All)?;
        let study = session.study();
        let columns = DocumentColumns::find(file, table.columns(), study)?;
        if table.is_empty() {
            fail!(Reviews, "{file}: there is no row to look at");
        }
        let rated = table.columns().iter().position(|column| column.name == study.reviews.rated());
        let handle = Handle::new(&table, study);
        Ok(Self { file: file.into(), table, columns, rated, handle })
    }

    /// The text of a row.
    pub fn document(&self, row: usize) -> Document {
        self.columns.document(|column| self.table.cell(row, column))
    }

    /// What a row is labelled under a study, where the file has a column of ratings.
    pub fn label(&self, row: usize, study: &Study) -> Option<Label> {
        let cell = self.table.cell(row, self.rated?);
        let class = match study.polarity.read(&shown_rating(cell)) {
            Reading::Class(class) => Some(class),
            _ => None,
        };
        Some(Label { value: cell.trim().into(), class })
    }

    /// Whether rows are labelled at all.
    pub fn are_rated(&self) -> bool {
        self.rated.is_some()
    }

    /// A row with all that is known of it.
    pub fn of(&self, row: usize, study: &Study) -> Text {
        let (origin, document) = (self.handle.told(&self.table, row), self.document(row));
        Text { origin, document, label: self.label(row, study) }
    }

    /// The rows that were asked for by number, line or id.
    ///
    /// # Errors
    /// If one is not there.
    pub fn named(&self, wanted: &TextOptions, study: &Study) -> Result<Vec<usize>> {
        let (table, file) = (&self.table, self.file.as_str());
        let numbers = wanted.rows.iter().map(|number| row_of_number(table, file, *number));
        let lines = wanted.lines.iter().map(|line| row_of_line(table, file, *line));
        let ids = wanted.ids.iter().map(|id| row_of_id(table, id, study));
        numbers.chain(lines).chain(ids).collect()
    }
}

/// Texts as they were typed.
///
/// # Errors
/// If there is none.
pub fn typed(wanted: &TextOptions) -> Result<Vec<Text>> {
    if wanted.texts.is_empty() {
        fail!(
            Options,
            "no text: give one with --text \"Not a bad cabin at all\", or name a file and --row N"
        );
    }
    let typed = |raw: &String| Text { origin: "Typed".into(), document: raw.as_str().into(), label: None };
    Ok(wanted.texts.iter().map(typed).collect())
}

/// The texts that were asked for. Where a file is named and none of its rows, all of them are
/// given to `all`, and the first is looked at.
pub fn texts(wanted: &TextOptions, session: &Session, all: impl FnOnce(&[Document])) -> Result<Vec<Text>> {
    let study = session.study();
    let Some(file) = &wanted.file else { return typed(wanted) };
    let texts = RowTexts::open(file, session)?;
    let mut rows = texts.named(wanted, study)?;
    if rows.is_empty() {
        rows.push(0);
        let documents = (0..texts.table.len()).map(|row| texts.document(row));
        all(&documents.filter(|text| !text.text().is_empty()).collect::<Vec<_>>());
    }
    Ok(rows.into_iter().map(|row| texts.of(row, study)).collect())
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
