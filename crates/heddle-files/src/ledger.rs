//! The ledger: one line of JSON for every time that figures were produced.

use std::collections::BTreeMap;
use std::fs::{File, OpenOptions};
use std::io::{BufRead, BufReader, ErrorKind, Write};

use heddle_core::Figure;
use serde::{Deserialize, Serialize};

use crate::error::FileError;

/// One line of a ledger.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// When: RFC 3339, in UTC.
    pub time: String,
    /// The command.
    pub command: String,
    /// The files of the reviews.
    pub files: Vec<String>,
    /// The XXH3-64 over the files: equal for equal data.
    pub data: String,
    /// The XXH3-64 over all settings: equal for equal settings.
    pub settings: String,
    /// The settings that are not the default, by path.
    pub changed: serde_json::Map<String, serde_json::Value>,
    /// The model, where one was tried or made.
    pub model: Option<String>,
    /// Reviews of each class that the figures rest on: negative, positive, and neutral where there
    /// are any.
    pub mix: Vec<usize>,
    /// The figures, by name.
    pub figures: BTreeMap<String, Figure>,
    /// How long it took, in seconds.
    pub seconds: f64,
}

/// Appends a line to a ledger, which need not be there yet. A line is written at once, so
/// that two programs that write to one ledger do not mix theirs.
///
/// # Errors
/// If the file cannot be written.
pub fn note(path: &str, entry: &Entry) -> Result<(), FileError> {
    let fail = |error| FileError::io(path, error);
    let mut line = serde_json::to_vec(entry).expect("an entry holds only strings, numbers and lists");
    line.push(b'\n');
    let mut file = OpenOptions::new().create(true).append(true).open(path).map_err(fail)?;
    file.write_all(&line).map_err(fail)
}

/// A ledger as it was read.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Ledger {
    /// The entries, in the order of the file.
    pub entries: Vec<Entry>,
    /// Lines that are no entry: the line, from 1, and why.
    pub damaged: Vec<(usize, String)>,
}

impl Ledger {
    /// Reads a ledger.
    ///
    /// # Errors
    /// If there is none, or it cannot be read.
    pub fn read(path: &str) -> Result<Self, FileError> {
        let file = File::open(path).map_err(|error| match error.kind() {
            ErrorKind::NotFound => FileError::NoLedger { path: path.into() },
            _ => FileError::io(path, error),
        })?;
        let mut ledger = Self::default();
        for (at, line) in BufReader::new(file).lines().enumerate() {
            let line = line.map_err(|error| FileError::io(path, error))?;
            match serde_json::from_str(&line) {
                Ok(entry) => ledger.entries.push(entry),
                Err(error) => ledger.damaged.push((at + 1, error.to_string())),
            }
        }
        Ok(ledger)
    }
}
