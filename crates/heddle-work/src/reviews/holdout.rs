//! Holdouts are known by their rows, wherever these are copied to: each row of a part carries the
//! digest of the part.

use std::collections::BTreeSet;

use heddle_core::labels::Polarity;
use heddle_files::{Column, Record, Table};
use xxhash_rust::xxh3::Xxh3;

use crate::error::{Error, Result};

/// The column that rows of parts gain.
pub const PART: &str = "heddle_part";
const HOLDOUT: &str = "holdout-";

/// The digest of a part: of the keys and classes of its rows, in their order.
pub struct Digest(Xxh3);

impl Digest {
    pub fn new() -> Self {
        Self(Xxh3::new())
    }

    pub fn add(&mut self, group: u64, class: Polarity) {
        self.0.update(&group.to_le_bytes());
        self.0.update(&[class.index() as u8]);
    }

    /// What stands in the rows of the part.
    pub fn mark(&self, side: &str) -> String {
        format!("{side}-{:016x}", self.0.digest())
    }
}

/// Refuses rows of a holdout where they are to be learnt from, balanced or divided again.
pub fn check_row(record: &Record, part: Option<usize>, file: &str) -> Result<()> {
    match part.and_then(|at| record.get(at)).filter(|mark| mark.starts_with(HOLDOUT)) {
        Some(mark) => Err(refusal(file, mark)),
        None => Ok(()),
    }
}

/// The place of the column of parts.
pub fn part_column(columns: &[Column]) -> Option<usize> {
    columns.iter().position(|column| column.name == PART)
}

/// The holdouts that rows of a table come from.
pub fn holdouts(table: &Table) -> Vec<String> {
    let Some(column) = part_column(table.columns()) else { return Vec::new() };
    let marks: BTreeSet<&str> = (0..table.len()).map(|row| table.cell(row, column)).collect();
    marks.into_iter().filter(|mark| mark.starts_with(HOLDOUT)).map(String::from).collect()
}

/// Why a holdout is not learnt from.
pub(crate) fn refusal(file: &str, mark: &str) -> Error {
    Error::Locked(format!(
        "{file}: its column {PART} says that rows are of a locked holdout ({mark}): what is learnt from it \
         cannot be tested on it any more. If you mean it, remove that column first"
    ))
}
