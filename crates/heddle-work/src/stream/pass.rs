//! A pass over the rows of files, whose terms are hashed batch by batch.

use heddle_core::matrix::Rows;
use heddle_core::model::RowHasher;
use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{Input, Record};

use super::plan::{RowUse, RowUses};
use crate::batches::{Done, batches};
use crate::error::{Result, fail};
use crate::reviews::document::DocumentColumns;

/// Rows that are turned into terms together: enough for all cores.
const BATCH: usize = 8_192;

/// A pass over rows of which is known what each does.
pub(crate) struct Pass<'p> {
    input: &'p Input,
    uses: &'p RowUses,
    hasher: RowHasher,
    pub(super) study: &'p Study,
}

/// Rows of a batch that do something.
pub(crate) struct Worked {
    pub(crate) rows: Rows,
    pub(crate) uses: Vec<RowUse>,
    /// Rows that were read, whatever they do.
    pub(crate) read: usize,
}

impl<'p> Pass<'p> {
    pub(crate) fn new(input: &'p Input, uses: &'p RowUses, study: &'p Study) -> Self {
        Self { input, uses, hasher: RowHasher::new(study), study }
    }

    /// Reads all rows but the first, and gives those that `wanted` names.
    pub(crate) fn each(
        &self,
        first: usize,
        wanted: impl Fn(RowUse) -> bool + Send + Sync,
        mut take: impl FnMut(Worked) -> Result<()>,
    ) -> Result<()> {
        let mut reviews = self.input.rows()?;
        let columns = DocumentColumns::of_text(reviews.file(), reviews.columns(), self.study)?;
        let mut skipped = Record::new();
        let mut next = 0;
        // What cannot be used was told when rows were first read.
        let mut read =
            move |record: &mut Record| -> Result<bool> { Ok(reviews.next_sound(record)?.is_some()) };
        while next < first && read(&mut skipped)? {
            next += 1;
        }
        let mut changed = next < first;
        let work = |records: &[Record]| {
            let mut documents = Vec::with_capacity(records.len());
            let mut uses = Vec::with_capacity(records.len());
            for (at, record) in records.iter().enumerate() {
                let own = self.uses.row(next + at);
                changed |= own.is_none();
                let own = own.unwrap_or(RowUse::None);
                if wanted(own) {
                    documents.push(columns.document(|at| &record[at]));
                    uses.push(own);
                }
            }
            next += records.len();
            Worked { rows: self.hasher.rows::<[Document]>(&documents), uses, read: records.len() }
        };
        batches(BATCH, read, work, |done| match done {
            Done::Batch(_, worked) => take(worked),
            Done::Pause => Ok(()),
        })?;
        if changed || next != self.uses.rows() {
            fail!(
                Reviews,
                "the files have other rows than when they were first read: they must not change meanwhile"
            );
        }
        Ok(())
    }
}
