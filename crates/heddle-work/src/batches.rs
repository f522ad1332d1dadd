//! The rows of a file in batches, so that memory does not grow with it.

use heddle_files::Record;

use crate::error::Result;

/// Rows that are worked on together, on all cores.
const BATCH: usize = 1024;

/// Gives the rows of a file in batches, in order: while the pool works on one, this thread is done with the one
/// before and reads the next.
///
/// `next` reads a row, or tells that there is none; `work` makes something of a batch, and `done` takes both.
pub fn batches<T: Send>(
    mut next: impl FnMut(&mut Record) -> Result<bool>,
    mut work: impl FnMut(&[Record]) -> T + Send,
    mut done: impl FnMut(&[Record], T) -> Result<()>,
) -> Result<()> {
    let mut read = |batch: &mut Vec<Record>| -> Result<()> {
        let mut used = 0;
        batch.resize_with(BATCH, Record::new);
        while used < BATCH && next(&mut batch[used])? {
            used += 1;
        }
        batch.truncate(used);
        Ok(())
    };
    let (mut before, mut batch, mut ahead) = (Vec::new(), Vec::new(), Vec::new());
    let mut made = None;
    read(&mut batch)?;
    while !batch.is_empty() {
        let mut own = None;
        rayon::in_place_scope(|scope| {
            scope.spawn(|_| own = Some(work(&batch)));
            made.take().map_or(Ok(()), |made| done(&before, made))?;
            read(&mut ahead)
        })?;
        // The records of the oldest batch are filled again.
        std::mem::swap(&mut before, &mut batch);
        std::mem::swap(&mut batch, &mut ahead);
        made = own;
    }
    made.map_or(Ok(()), |made| done(&before, made))
}
