//! Where a call that was stopped goes on.

use std::path::{Path, absolute};

use heddle_core::model::{StreamCounts, StreamLearner, StreamState};
use heddle_core::settings::Study;
use heddle_files::{CheckpointHead, digest, is_checkpoint, read_checkpoint, write_checkpoint};

use super::progressive::Record;
use crate::error::{Error, Result, fail};
use crate::session::Session;
use crate::words::number;

/// Where what is known on the way is kept, so that a call that was stopped can go on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Checkpoints {
    /// The file.
    pub path: String,
    /// It is written anew whenever so many rows have been learnt from.
    pub every: usize,
}

/// How far learning is.
#[derive(Debug, Default)]
pub(super) struct Progress {
    /// Epochs that are done.
    pub(super) epochs: u32,
    /// Rows of the files that are done with in the epoch that goes on.
    pub(super) rows: usize,
    /// What was said of rows before they taught.
    pub(super) record: Record,
}

/// What a call that was stopped has left.
pub(super) struct Left<'k> {
    from: &'k Checkpoints,
    progress: Progress,
    state: StreamState,
    /// The digest of the reviews that it learnt from.
    reviews: String,
}

/// Writes checkpoints in their time.
pub(super) struct Keeper<'k> {
    to: Option<&'k Checkpoints>,
    /// The digest of the settings.
    settings: String,
    /// The digest of the reviews.
    reviews: String,
    /// Rows since the last one was written.
    since: usize,
}

/// What the settings of which this holds are known again by.
pub(crate) fn settings_digest(study: &Study, of: impl Fn(&str) -> bool) -> String {
    let settings: Vec<_> = study.settings().into_iter().filter(|(path, _)| of(path)).collect();
    digest(format!("{settings:?}").as_bytes())
}

impl Checkpoints {
    /// Refuses a file that is something else, or will be, before anything is done.
    ///
    /// # Errors
    /// If it is there and no checkpoint, or is where the model goes.
    pub(crate) fn check(&self, model: &str) -> Result<()> {
        let place = |name: &str| absolute(name).unwrap_or_else(|_| name.into());
        if place(&self.path) == place(model) {
            fail!(Options, "{} is where the model goes: keep the checkpoint in another file", self.path);
        }
        if self.is_there() && !is_checkpoint(&self.path)? {
            fail!(Options, "{} is there and no checkpoint: name another file", self.path);
        }
        Ok(())
    }

    /// What an earlier call has left, if it learnt by the same settings.
    ///
    /// # Errors
    /// If the file cannot be read, is damaged, or is of another version or other settings.
    pub(super) fn left(&self, settings: &str) -> Result<Option<Left<'_>>> {
        if !self.is_there() {
            return Ok(None);
        }
        let (head, state): (CheckpointHead<Record>, StreamState) = read_checkpoint(&self.path)?;
        if head.heddle != env!("CARGO_PKG_VERSION") {
            return Err(self.other("of another version"));
        }
        if head.settings != settings {
            return Err(self.other("of other settings"));
        }
        let progress = Progress { epochs: head.epochs, rows: head.rows, record: head.notes };
        Ok(Some(Left { from: self, progress, state, reviews: head.reviews }))
    }

    /// Takes the file away, once the model is written.
    pub(crate) fn done(&self) {
        // Left behind, it is told of as one that is not needed: nothing is lost by it.
        let _ = std::fs::remove_file(&self.path);
    }

    fn is_there(&self) -> bool {
        Path::new(&self.path).exists()
    }

    fn other(&self, other: &str) -> Error {
        let path = &self.path;
        let told = format!("{path} is a checkpoint {other}: remove it to begin again, or name another file");
        Error::Options(told)
    }
}

impl Left<'_> {
    /// Refuses what was learnt from other reviews.
    pub(super) fn check(&self, reviews: &str) -> Result<()> {
        if self.reviews == reviews { Ok(()) } else { Err(self.from.other("of other reviews")) }
    }

    /// The counts of the rows that teach.
    pub(super) fn counts(&self) -> &StreamCounts {
        &self.state.counts
    }

    /// Takes a learner there.
    pub(super) fn resume(self, learner: &mut StreamLearner<'_>, session: &Session) -> Progress {
        session.remark(&format!(
            "note: going on from {}: epoch {}, {} rows of it done",
            self.from.path,
            self.progress.epochs + 1,
            number(self.progress.rows)
        ));
        learner.resume(self.state);
        self.progress
    }
}

impl<'k> Keeper<'k> {
    pub(super) fn new(to: Option<&'k Checkpoints>, settings: String, reviews: String) -> Self {
        Self { to, settings, reviews, since: 0 }
    }

    /// After some more rows: keeps all that is known, if it is time.
    pub(super) fn keep(
        &mut self,
        rows: usize,
        progress: &Progress,
        learner: &StreamLearner<'_>,
    ) -> Result<()> {
        let Some(Checkpoints { path, every }) = self.to else { return Ok(()) };
        self.since += rows;
        if self.since < *every {
            return Ok(());
        }
        self.since = 0;
        let head = CheckpointHead {
            heddle: env!("CARGO_PKG_VERSION").into(),
            settings: self.settings.clone(),
            reviews: self.reviews.clone(),
            epochs: progress.epochs,
            rows: progress.rows,
            notes: &progress.record,
        };
        Ok(write_checkpoint(path, &head, learner.state())?)
    }
}
