//! Review files in memory.

use csv::StringRecord;
use heddle_core::nearest;

use super::csv::{Records, Refusal};
use crate::error::FileError;

/// Which columns a table keeps.
#[derive(Debug, Clone, Copy)]
pub enum Keep<'a> {
    /// Every column, for files that are written out again.
    All,
    /// These columns only; all must be there.
    Only(&'a [&'a str]),
}

/// Rows of cells with the place each came from. The cells stand one after the other in one
/// string.
#[derive(Debug, Clone, Default)]
pub struct Table {
    columns: Vec<String>,
    text: String,
    ends: Vec<usize>,
    /// By row: its line.
    lines: Vec<u64>,
    /// The files read, each with the number of rows up to its end.
    files: Vec<(String, usize)>,
    delimiter: u8,
    refused: Vec<Refusal>,
}

impl Table {
    /// Reads files one after the other. All must have the same header.
    ///
    /// # Errors
    /// If a file cannot be read, lacks a column or has other columns than the first. Rows
    /// that cannot be used are no error: they are kept as [`refused`](Self::refused).
    pub fn read<S: AsRef<str>>(paths: &[S], keep: Keep<'_>) -> Result<Self, FileError> {
        let mut table = Self::default();
        let mut header: Option<Vec<String>> = None;
        for path in paths {
            let mut records = Records::open(path.as_ref())?;
            match &header {
                None => header = Some(records.header().to_vec()),
                Some(first) if first == records.header() => {}
                Some(first) => {
                    return Err(FileError::OtherHeader {
                        path: records.file().into(),
                        columns: records.header().to_vec(),
                        first: table.files[0].0.clone(),
                        expected: first.clone(),
                    });
                }
            }
            table.append(&mut records, keep)?;
        }
        Ok(table)
    }

    fn append(&mut self, records: &mut Records, keep: Keep<'_>) -> Result<(), FileError> {
        let places: Vec<usize> = match keep {
            Keep::All => (0..records.header().len()).collect(),
            Keep::Only(names) => names.iter().map(|name| place(records, name)).collect::<Result<_, _>>()?,
        };
        self.columns = places.iter().map(|&place| records.header()[place].clone()).collect();
        self.delimiter = records.delimiter();
        let mut record = StringRecord::new();
        while let Some(read) = records.next(&mut record)? {
            match read {
                Ok(line) => {
                    for &place in &places {
                        self.text.push_str(&record[place]);
                        self.ends.push(self.text.len());
                    }
                    self.lines.push(line);
                }
                Err(refusal) => self.refused.push(refusal),
            }
        }
        self.files.push((records.file().into(), self.lines.len()));
        Ok(())
    }

    /// The names of the columns.
    pub fn columns(&self) -> &[String] {
        &self.columns
    }

    /// The place of a column.
    ///
    /// # Errors
    /// If there is none of that name; the error names the nearest.
    pub fn column(&self, name: &str) -> Result<usize, FileError> {
        let file = self.files.first().map_or("", |(file, _)| file.as_str());
        find_column(file, &self.columns, name)
    }

    /// A cell.
    pub fn cell(&self, row: usize, column: usize) -> &str {
        let at = row * self.columns.len() + column;
        let start = if at == 0 { 0 } else { self.ends[at - 1] };
        &self.text[start..self.ends[at]]
    }

    /// The cells of a row.
    pub fn row(&self, row: usize) -> impl Iterator<Item = &str> {
        (0..self.columns.len()).map(move |column| self.cell(row, column))
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.lines.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.lines.is_empty()
    }

    /// Where a row stands: file and line.
    pub fn place(&self, row: usize) -> (&str, u64) {
        let file = self.files.iter().find(|(_, end)| row < *end).map_or("", |(file, _)| file.as_str());
        (file, self.lines[row])
    }

    /// The files read.
    pub fn files(&self) -> impl Iterator<Item = &str> {
        self.files.iter().map(|(file, _)| file.as_str())
    }

    /// The delimiter of the last file.
    pub fn delimiter(&self) -> u8 {
        self.delimiter
    }

    /// The rows that could not be used.
    pub fn refused(&self) -> &[Refusal] {
        &self.refused
    }
}

fn place(records: &Records, name: &str) -> Result<usize, FileError> {
    find_column(records.file(), records.header(), name)
}

/// The place of a column in the header of a file.
///
/// # Errors
/// If there is none of that name; the error names the nearest.
pub fn find_column(file: &str, header: &[String], name: &str) -> Result<usize, FileError> {
    header.iter().position(|column| column == name).ok_or_else(|| FileError::NoColumn {
        path: file.into(),
        column: name.into(),
        nearest: nearest(name, header.iter().map(String::as_str)).map(String::from),
        columns: header.to_vec(),
    })
}
