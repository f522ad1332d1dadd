//! Rows in batches.

use heddle_files::Record;

use crate::error::Result;

/// Rows that are looked at together, on all cores.
const BATCH: usize = 2048;

/// Gives the rows of a file in batches: while one is taken, the next is read.
pub(super) fn batches(
    mut next: impl FnMut(&mut Record) -> Result<bool>,
    mut take: impl FnMut(&[Record]) + Send,
) -> Result<()> {
    let mut read = |batch: &mut [Record]| -> Result<usize> {
        let mut used = 0;
        while used < BATCH && next(&mut batch[used])? {
            used += 1;
        }
        Ok(used)
    };
    let (mut batch, mut ahead) = (vec![Record::new(); BATCH], vec![Record::new(); BATCH]);
    let mut used = read(&mut batch)?;
    while used > 0 {
        let rows = &batch[..used];
        used = rayon::in_place_scope(|scope| {
            scope.spawn(|_| take(rows));
            read(&mut ahead)
        })?;
        std::mem::swap(&mut batch, &mut ahead);
    }
    Ok(())
}
