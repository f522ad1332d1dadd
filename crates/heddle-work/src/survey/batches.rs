//! Rows in batches.

use heddle_files::Record;

use crate::error::Result;

/// Rows that are looked at together, on all cores.
const BATCH: usize = 4096;

/// Gives the rows of a file in batches.
pub(super) fn batches(
    mut next: impl FnMut(&mut Record) -> Result<bool>,
    mut take: impl FnMut(&[Record]),
) -> Result<()> {
    let mut batch: Vec<Record> = vec![Record::new(); BATCH];
    loop {
        let mut used = 0;
        while used < BATCH && next(&mut batch[used])? {
            used += 1;
        }
        take(&batch[..used]);
        if used < BATCH {
            return Ok(());
        }
    }
}
