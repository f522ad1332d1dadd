//! Review files in memory.

use csv::StringRecord;
use heddle_core::settings::nearest;

use super::column::Column;
use super::input::Input;
use super::rows::{Manner, Refusal};
use crate::error::FileError;

/// Which columns a table keeps.
#[derive(Debug, Clone, Copy)]
pub enum Keep<'a> {
    /// Every column, for files that are written out again.
    All,
    /// These columns only.
    Only {
        /// Columns that must be there.
        all: &'a [&'a str],
        /// Columns that are kept where they are.
        if_there: &'a [&'a str],
    },
}

/// Rows of cells with the place each came from. The cells stand one after the other in one
/// string.
#[derive(Debug, Clone, Default)]
pub struct Table {
    columns: Vec<Column>,
    text: String,
    ends: Vec<usize>,
    /// By row: its line.
    lines: Vec<u64>,
    /// By row: its number in its file.
    numbers: Vec<u32>,
    /// The files read, each with the number of rows up to its end.
    files: Vec<(String, usize)>,
    manners: Vec<Manner>,
    refused: Vec<Refusal>,
}

impl Table {
    /// Reads all rows.
    ///
    /// # Errors
    /// If a file cannot be read, lacks a column or has other columns than the first. Rows
    /// that cannot be used are no error: they are kept as [`refused`](Self::refused).
    pub fn read(input: &Input, keep: Keep<'_>) -> Result<Self, FileError> {
        let mut table = Self::default();
        let mut reviews = input.rows()?;
        let places: Vec<usize> = match keep {
            Keep::All => (0..reviews.columns().len()).collect(),
            Keep::Only { all, if_there } => {
                let must = all.iter().map(|name| find_column(reviews.file(), reviews.columns(), name));
                let mut places = must.collect::<Result<Vec<usize>, _>>()?;
                let place = |name: &&str| reviews.columns().iter().position(|column| column.name == **name);
                places.extend(if_there.iter().filter_map(place));
                places
            }
        };
        if let Keep::Only { .. } = keep {
            reviews.need(&places);
        }
        table.columns = places.iter().map(|&place| reviews.columns()[place].clone()).collect();
        let mut record = StringRecord::new();
        while let Some(read) = reviews.next(&mut record)? {
            match read {
                Ok(line) => {
                    for &place in &places {
                        table.text.push_str(&record[place]);
                        table.ends.push(table.text.len());
                    }
                    table.lines.push(line);
                    table.numbers.push(u32::try_from(reviews.number()).unwrap_or(u32::MAX));
                    table.note_file(reviews.file());
                }
                Err(refusal) => table.refused.push(refusal),
            }
        }
        table.manners = reviews.manners();
        Ok(table)
    }

    /// Notes that the last row came from this file.
    fn note_file(&mut self, file: &str) {
        match self.files.last_mut() {
            Some((last, end)) if last == file => *end = self.lines.len(),
            _ => self.files.push((file.into(), self.lines.len())),
        }
    }

    /// The columns.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The place of a column.
    ///
    /// # Errors
    /// If there is none of that name; the error names the nearest.
    pub fn column(&self, name: &str) -> Result<usize, FileError> {
        let file = self.manners.first().map_or("", |manner| manner.file.as_str());
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
        let at = self.files.partition_point(|(_, end)| *end <= row);
        (self.files.get(at).map_or("", |(file, _)| file.as_str()), self.lines[row])
    }

    /// The number of a row in its file, from 1; rows that were refused count too.
    pub fn number(&self, row: usize) -> u32 {
        self.numbers[row]
    }

    /// The first row of this number in its file.
    pub fn of_number(&self, number: usize) -> Option<usize> {
        self.numbers.iter().position(|own| *own as usize == number)
    }

    /// The first row that begins on this line of its file.
    pub fn of_line(&self, line: u64) -> Option<usize> {
        self.lines.iter().position(|own| *own == line)
    }

    /// How each file was read.
    pub fn manners(&self) -> &[Manner] {
        &self.manners
    }

    /// The rows that could not be used.
    pub fn refused(&self) -> &[Refusal] {
        &self.refused
    }
}

/// The place of a column in a file.
///
/// # Errors
/// If there is none of that name; the error names the nearest.
pub fn find_column(file: &str, columns: &[Column], name: &str) -> Result<usize, FileError> {
    columns.iter().position(|column| column.name == name).ok_or_else(|| FileError::NoColumn {
        path: file.into(),
        column: name.into(),
        nearest: nearest(name, columns.iter().map(|column| column.name.as_str())).map(String::from),
        columns: columns.iter().map(|column| column.name.clone()).collect(),
    })
}
