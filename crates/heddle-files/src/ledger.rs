//! The ledger: one line of JSON for every time that figures were produced.

use std::collections::BTreeMap;

use heddle_core::measure::Figure;
use serde::{Deserialize, Serialize};

use crate::error::FileError;
use crate::output::{append, read_noted};

/// The version of entries; it rises when a field changes its meaning or goes.
const VERSION: u32 = 1;

/// One line of a ledger.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// The version of the format; entries from before there were versions have the first.
    #[serde(default = "Entry::version")]
    pub version: u32,
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
    /// The digests of the holdouts among the files, which this entry counts as opened.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub holdouts: Vec<String>,
    /// The figures, by name.
    pub figures: BTreeMap<String, Figure>,
    /// How long it took, in seconds.
    pub seconds: f64,
}

impl Entry {
    /// The version of entries that are written now.
    pub fn version() -> u32 {
        VERSION
    }
}

/// Appends a line to a ledger, which need not be there yet. Calls that write to one ledger wait
/// for each other.
///
/// # Errors
/// If the file cannot be written.
pub fn note(path: &str, entry: &Entry) -> Result<(), FileError> {
    append(path, entry)
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
        let noted = read_noted(path)?.ok_or_else(|| FileError::NoLedger { path: path.into() })?;
        Ok(Self { entries: noted.entries, damaged: noted.damaged })
    }
}
