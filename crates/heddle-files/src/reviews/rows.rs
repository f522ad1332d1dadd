//! What every format gives: columns, rows one after the other, and how they were read.

use std::sync::Arc;

use csv::StringRecord;
use serde::Serialize;

use heddle_core::Choice;
use heddle_core::settings::Encoding;

use super::bytes::Decoded;
use super::column::Column;
use crate::error::FileError;

/// A row that could not be used: where it stands, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Refusal {
    /// The file.
    pub file: String,
    /// The line on which the row begins, from 1; in a Parquet file its number.
    pub line: u64,
    /// The column, where one is to blame.
    pub column: Option<String>,
    /// What was expected.
    pub expected: String,
    /// What was found.
    pub found: String,
}

impl std::fmt::Display for Refusal {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{}, line {}", self.file, self.line)?;
        if let Some(column) = &self.column {
            write!(out, ", column `{column}`")?;
        }
        write!(out, ": expected {}, found {}", self.expected, self.found)
    }
}

/// A record over many lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Span {
    /// Its first line, from 1.
    pub line: u64,
    /// How many lines it takes.
    pub lines: u64,
}

/// The format of a file of reviews.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[serde(into = "&'static str")]
pub enum FileFormat {
    /// Fields between delimiters.
    #[default]
    Delimited,
    /// An object of JSON on each line.
    JsonLines,
    /// One array of JSON objects.
    JsonArray,
    /// A text on each line.
    Lines,
    /// A text on each line, a mark before or behind it.
    MarkedLines,
    /// A file for each review, a folder for each class.
    Folder,
    /// Parquet.
    Parquet,
    /// An Arrow stream.
    Arrow,
    /// A sheet of a workbook.
    Spreadsheet,
}

impl FileFormat {
    /// What it is called, on pages as in JSON.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Delimited => "delimited text",
            Self::JsonLines => "JSON Lines",
            Self::JsonArray => "a JSON array",
            Self::Lines => "a text on each line",
            Self::MarkedLines => "marked lines",
            Self::Folder => "a folder for each class",
            Self::Parquet => "Parquet",
            Self::Arrow => "an Arrow stream",
            Self::Spreadsheet => "a spreadsheet",
        }
    }
}

impl From<FileFormat> for &'static str {
    fn from(format: FileFormat) -> Self {
        format.name()
    }
}

/// How a file was read.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Manner {
    /// The file.
    pub file: String,
    /// Its format.
    pub format: FileFormat,
    /// How it was packed.
    pub packed: Option<&'static str>,
    /// How characters were written.
    pub encoding: Option<&'static str>,
    /// What stands between two fields.
    pub delimiter: Option<char>,
    /// Whether double quotes hold fields together; else they are ordinary characters.
    pub quotes: Option<bool>,
    /// Whether the first row held names.
    pub header: Option<bool>,
    /// Lines or rows above the names of the columns that were passed over.
    pub skipped: u64,
    /// Columns of other files that this one has not; they are blank in its rows.
    pub absent: Vec<String>,
    /// Of a workbook: the sheet that was read.
    pub sheet: Option<String>,
    /// Of a workbook: its sheets.
    pub sheets: u64,
    /// Rows, those that were refused included.
    pub rows: u64,
    /// Lines of the text.
    pub lines: Option<u64>,
    /// Sequences of bytes that are no character, replaced by U+FFFD.
    pub replaced: u64,
    /// The line of the first of them.
    pub first_replaced: Option<u64>,
    /// Bytes in a text of UTF-8 that are none and were read as Windows-1252.
    pub single: u64,
    /// The line of the first of them.
    pub first_single: Option<u64>,
    /// Records that hold whole rows inside a quoted field.
    pub suspicious: u64,
    /// The first of them.
    pub first_suspicious: Option<Span>,
}

/// A row, or why it cannot be used. The number is its line.
pub(crate) type Next = Option<Result<u64, Refusal>>;

/// Whether any number from the first to the second can be one that is wanted.
pub type Wanted = Arc<dyn Fn(f64, f64) -> bool + Send + Sync>;

/// Rows from one file.
pub(crate) trait Rows {
    /// The columns.
    fn columns(&self) -> &[Column];

    /// Reads the next row into `record`; nothing at the end of the file.
    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError>;

    /// How it was read so far.
    fn manner(&self) -> Manner;

    /// Whether no row is at hand for now, though more may come: of a stream that pauses.
    fn is_idle(&mut self) -> bool {
        false
    }

    /// Says which columns alone are needed; the cells of the others may stay blank.
    fn need(&mut self, _places: &[usize]) {}

    /// Says which rows are wanted, by the numbers of a column. Others need not be decoded: all that must be right of them
    /// is a number in this column that is not wanted.
    fn want(&mut self, _place: usize, _wanted: Wanted) {}

    /// The file that the last row came from, where it is another one.
    fn inner_file(&self) -> Option<&str> {
        None
    }
}

/// A cell with a NUL byte is no text.
fn nul_column(record: &StringRecord) -> Option<usize> {
    // One look at the whole row; which cell it was is asked only where there is one.
    memchr::memchr(0, record.as_slice().as_bytes())?;
    record.iter().position(|cell| cell.contains('\0'))
}

/// A row that was read whole, or its refusal if a cell is no text.
pub(crate) fn checked(record: &StringRecord, columns: &[Column], file: &str, line: u64) -> Next {
    let Some(at) = nul_column(record) else { return Some(Ok(line)) };
    Some(Err(Refusal {
        file: file.into(),
        line,
        column: Some(columns[at].name.clone()),
        expected: "text".into(),
        found: "a NUL byte: is this a text file, and is reviews.encoding right?".into(),
    }))
}

impl Manner {
    /// With what the decoder saw.
    pub(crate) fn with(&self, decoded: &Decoded) -> Self {
        Self {
            encoding: Some(decoded.encoding.name()),
            lines: Some(decoded.lines),
            replaced: decoded.replaced,
            first_replaced: decoded.first_replaced,
            // Where the whole text is read so, its encoding says it.
            single: if decoded.encoding == Encoding::Utf8 { decoded.single } else { 0 },
            first_single: decoded.first_single.filter(|_| decoded.encoding == Encoding::Utf8),
            ..self.clone()
        }
    }
}
