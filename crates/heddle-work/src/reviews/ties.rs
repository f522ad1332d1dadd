//! What ties the rows of a file of any size: sketches of their texts on disk, and values that they share.

use std::panic::resume_unwind;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::{self, JoinHandle};

use heddle_core::resample::{Fingerprint, Grouping};
use heddle_files::SketchFile;
use rayon::prelude::*;

use crate::error::Result;

/// Texts whose fingerprints are taken at a time, on all cores.
const BATCH: usize = 4096;
/// Batches that may wait while rows are read on.
const WAITING: usize = 2;

/// A row whose fingerprint is not taken yet: its text, and the keys of shared values.
type Row = (String, Vec<Option<u64>>);

/// The ties of rows that come one after the other. While some are read, the fingerprints of those before are taken.
pub struct Ties {
    batch: Vec<Row>,
    batches: SyncSender<Vec<Row>>,
    worker: JoinHandle<Result<Grouping<SketchFile>>>,
}

impl Ties {
    /// For rows that may share values of this many columns.
    ///
    /// # Errors
    /// If there is no room for a temporary file.
    pub fn new(columns: usize) -> Result<Self> {
        let grouping = Grouping::kept_in(SketchFile::new()?, columns);
        let (batches, waiting) = sync_channel(WAITING);
        let worker = thread::spawn(move || tied(grouping, &waiting));
        Ok(Self { batch: Vec::new(), batches, worker })
    }

    /// Takes a row.
    pub fn push(&mut self, text: String, values: Vec<Option<u64>>) {
        self.batch.push((text, values));
        if self.batch.len() == BATCH {
            self.pass_on();
        }
    }

    fn pass_on(&mut self) {
        // Whoever takes no more has failed, and tells why in the end.
        let _ = self.batches.send(std::mem::take(&mut self.batch));
    }

    /// What is known of all rows.
    ///
    /// # Errors
    /// If there is no room for their sketches.
    pub fn finish(mut self) -> Result<Grouping<SketchFile>> {
        self.pass_on();
        let Self { batches, worker, .. } = self;
        drop(batches);
        worker.join().unwrap_or_else(|fault| resume_unwind(fault))
    }
}

/// Adds rows batch by batch, in their order.
fn tied(mut grouping: Grouping<SketchFile>, batches: &Receiver<Vec<Row>>) -> Result<Grouping<SketchFile>> {
    for batch in batches {
        let fingerprints: Vec<Fingerprint> =
            batch.par_iter().map(|(text, _)| Fingerprint::of(text)).collect();
        for ((_, values), fingerprint) in batch.iter().zip(&fingerprints) {
            grouping.push(fingerprint, values)?;
        }
    }
    Ok(grouping)
}
