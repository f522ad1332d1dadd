//! What ties the rows of a file of any size: sketches of their texts on disk, and values that they share.

use heddle_core::resample::{Fingerprint, Grouping};
use heddle_files::SketchFile;
use rayon::prelude::*;

use crate::error::Result;

/// Texts whose fingerprints are taken at a time, on all cores.
const BATCH: usize = 4096;

/// The ties of rows that come one after the other.
pub struct Ties {
    grouping: Grouping<SketchFile>,
    /// Rows whose fingerprints are not taken yet: the text, and the keys of shared values.
    batch: Vec<(String, Vec<Option<u64>>)>,
}

impl Ties {
    /// For rows that may share values of this many columns.
    ///
    /// # Errors
    /// If there is no room for a temporary file.
    pub fn new(columns: usize) -> Result<Self> {
        Ok(Self { grouping: Grouping::kept_in(SketchFile::new()?, columns), batch: Vec::new() })
    }

    /// Takes a row.
    ///
    /// # Errors
    /// If there is no room for its sketch.
    pub fn push(&mut self, text: String, values: Vec<Option<u64>>) -> Result<()> {
        self.batch.push((text, values));
        if self.batch.len() == BATCH { self.take() } else { Ok(()) }
    }

    fn take(&mut self) -> Result<()> {
        let fingerprints: Vec<Fingerprint> =
            self.batch.par_iter().map(|(text, _)| Fingerprint::of(text)).collect();
        for ((_, values), fingerprint) in self.batch.drain(..).zip(&fingerprints) {
            self.grouping.push(fingerprint, &values)?;
        }
        Ok(())
    }

    /// What is known of all rows.
    ///
    /// # Errors
    /// As [`push`](Self::push).
    pub fn finish(mut self) -> Result<Grouping<SketchFile>> {
        self.take()?;
        Ok(self.grouping)
    }
}
