//! The rows of a file in batches, so that memory does not grow with it.

use heddle_files::{Record, Reviews};

use crate::reviews::refusals::Refusals;

use crate::error::Result;

/// Rows that are worked on together, on all cores, where each is to be answered soon.
pub const BATCH: usize = 1024;

/// Where rows come from, one after the other.
pub trait Feed {
    /// Reads a row, or tells that there is none.
    fn next(&mut self, record: &mut Record) -> Result<bool>;

    /// Whether no row is at hand for now, though more may come.
    fn is_idle(&mut self) -> bool {
        false
    }
}

impl<F: FnMut(&mut Record) -> Result<bool>> Feed for F {
    fn next(&mut self, record: &mut Record) -> Result<bool> {
        self(record)
    }
}

/// The rows of reviews, those that cannot be used refused.
pub struct Sound<'r, 's> {
    pub reviews: &'r mut Reviews,
    pub refusals: &'r mut Refusals<'s>,
}

impl Feed for Sound<'_, '_> {
    fn next(&mut self, record: &mut Record) -> Result<bool> {
        Ok(self.refusals.next(self.reviews, record)?.is_some())
    }

    fn is_idle(&mut self) -> bool {
        self.reviews.is_idle()
    }
}

/// What was made of a batch.
pub enum Done<'b, T> {
    /// Its rows, and what was made of them.
    Batch(&'b [Record], T),
    /// No more comes for now: what was written is to be passed on.
    Pause,
}

/// Gives the rows of a file in batches, in order: while the pool works on one, this thread is done with the one
/// before and reads the next. Where rows come from pauses, a batch ends, and is done with before more is waited for.
///
/// `work` makes something of a batch of so many rows, and `done` takes both.
pub fn batches<T: Send>(
    rows: usize,
    mut feed: impl Feed,
    mut work: impl FnMut(&[Record]) -> T + Send,
    mut done: impl FnMut(Done<'_, T>) -> Result<()>,
) -> Result<()> {
    let (mut before, mut batch, mut ahead) = (Vec::new(), Vec::new(), Vec::new());
    let mut made: Option<T> = None;
    read(rows, &mut feed, &mut batch)?;
    while !batch.is_empty() {
        let (mut own, mut paused) = (None, false);
        rayon::in_place_scope(|scope| {
            scope.spawn(|_| own = Some(work(&batch)));
            made.take().map_or(Ok(()), |made| done(Done::Batch(&before, made)))?;
            paused = feed.is_idle();
            if paused {
                return Ok(());
            }
            read(rows, &mut feed, &mut ahead)
        })?;
        if paused {
            own.take().map_or(Ok(()), |own| done(Done::Batch(&batch, own)))?;
            done(Done::Pause)?;
            read(rows, &mut feed, &mut ahead)?;
        }
        // The records of the oldest batch are filled again.
        std::mem::swap(&mut before, &mut batch);
        std::mem::swap(&mut batch, &mut ahead);
        made = own;
    }
    made.map_or(Ok(()), |made| done(Done::Batch(&before, made)))
}

/// Reads a batch: as many rows as are worked on together, or as have come where no more does for now.
fn read(rows: usize, feed: &mut impl Feed, batch: &mut Vec<Record>) -> Result<()> {
    let mut used = 0;
    batch.resize_with(rows, Record::new);
    while used < rows && !(used > 0 && feed.is_idle()) && feed.next(&mut batch[used])? {
        used += 1;
    }
    batch.truncate(used);
    Ok(())
}
